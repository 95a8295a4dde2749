"""Where cards, dots and wires of the nodes bench stand: worked out from a material, drawn and hit by the canvas."""

from typing import NamedTuple

from PySide6.QtCore import QPointF, QRectF

from aulmo.desk.surface.page_pictures import LEADS
from aulmo.document.node_table import KINDS
from aulmo.document.property_table import TABLE
from aulmo.document.records import Material, Surface
from aulmo.surface import node_edits
from aulmo.surface.node_edits import CARD_WIDTH, GAP_X, Target
from aulmo.surface.program import EVEN, RELIEF, WIRED

# what the surface's card always shows; the rest is one click away
MAIN = (
    "base_color",
    "specular_roughness",
    "base_metalness",
    "specular_color",
    "coat_weight",
    "emission_color",
    "geometry_opacity",
    "height",
    "displacement",
)
EVERY = (*dict.fromkeys((*MAIN, *WIRED, *EVEN, *RELIEF)),)
ROW, HEAD, DOT = 22.0, 84.0, 4.0
SURFACE, SURFACE_WIDTH = "surface", 146.0
_WORDS = {
    "base_color": "Colour", "specular_color": "Shine tint", "coat_weight": "Clear coat", "emission_color": "Glow", "geometry_opacity": "Cut out",
    "height": "Relief", "base_weight": "Colour times",
}  # fmt: skip


def words_of(parameter: str) -> str:
    """What a parameter is called on a card."""
    if parameter in _WORDS:
        return _WORDS[parameter]
    if parameter in RELIEF:
        return LEADS[parameter]
    return TABLE[Surface][parameter].label


class Card(NamedTuple):
    """A card: of a node, a group, the surface or a layer; its dots at the left with what they stand for, and its own at the right if it gives."""

    id: str
    kind: str
    rect: QRectF
    inputs: tuple[tuple[Target, str, QPointF], ...]
    output: QPointF | None


class Wire(NamedTuple):
    """A wire between two dots, from a node to a target."""

    source: str
    reference: str
    target: Target
    start: QPointF
    end: QPointF


class Plan(NamedTuple):
    """Everything on the bench."""

    cards: dict[str, Card]
    wires: tuple[Wire, ...]

    def bounds(self) -> QRectF:
        """What holds every card."""
        whole = QRectF()
        for card in self.cards.values():
            whole = whole.united(card.rect)
        return whole


def plan(material: Material, every: bool, chosen: tuple[str, ...] = ()) -> Plan:
    """Cards and wires of a material; `every` shows all parameters of its surface. Cards that are `chosen` show every dot."""
    material = node_edits.placed(material)
    cards: dict[str, Card] = {}
    group_of = {n.id: n.group for n in material.nodes if n.group}
    for node in material.nodes:
        if not node.group and node.place is not None:
            cards[node.id] = _card(material, node.id, "node", node.place, node.kind in KINDS, node.id in chosen)
    for group in material.groups:
        if group.place is not None:
            cards[group.id] = _card(material, group.id, "group", group.place, True, False)
    low = min((c.rect.top() for c in cards.values()), default=0.0)
    y = low
    cards[SURFACE] = _surface_card(SURFACE, material.wires, ("surface",), (GAP_X, y), every)
    y += cards[SURFACE].rect.height() + node_edits.GAP_Y
    for layer in material.layers:
        made = _surface_card(layer.id, layer.wires, ("layer", layer.id), (GAP_X, y), every, mask=True)
        cards[layer.id] = made
        y += made.rect.height() + node_edits.GAP_Y
    dots = {target: at for card in cards.values() for target, _, at in card.inputs}
    wires = []
    for target, reference in node_edits.leads(material).items():
        name = node_edits.source_of(reference)[0]
        held = cards.get(group_of.get(name, name))
        inner = target[0] == "node" and group_of.get(target[1], "") != "" and group_of.get(target[1]) == group_of.get(name)
        if held is None or held.output is None or inner or target not in dots:
            continue
        wires.append(Wire(name, reference, target, held.output, dots[target]))
    return Plan(cards, tuple(wires))


def _card(material: Material, name: str, kind: str, place: tuple[float, float], gives: bool, every: bool) -> Card:
    rect = QRectF(place[0], place[1], CARD_WIDTH, node_edits.card_height(material, name, every))
    inputs = tuple(
        (target, words, QPointF(rect.left(), rect.top() + 18.0 + 14.0 * k))
        for k, (target, words) in enumerate(node_edits.card_inputs(material, name, every))
    )
    return Card(name, kind, rect, inputs, QPointF(rect.right(), rect.top() + 29.0) if gives else None)


def _surface_card(name: str, wires: dict[str, str], head: Target, place: tuple[float, float], every: bool, mask: bool = False) -> Card:
    always = MAIN[:2] if mask else MAIN
    shown = EVERY if every else tuple(k for k in EVERY if k in always or k in wires)
    rows: list[tuple[Target, str]] = [(("mask", name), "Shows where")] if mask else []
    rows += [((*head, key), words_of(key)) for key in shown]
    rect = QRectF(place[0], place[1], SURFACE_WIDTH, HEAD + ROW * (len(rows) + 1))
    inputs = tuple((target, words, QPointF(rect.left(), rect.top() + HEAD + ROW * (k + 0.5))) for k, (target, words) in enumerate(rows))
    return Card(name, "layer" if mask else "surface", rect, inputs, None)
