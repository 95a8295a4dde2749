"""Working on a material's nodes: adding, leading, closing wires, copying, gathering in one card, laying cards out.

A wire leads from a node to a target: ("node", id, input), ("surface", parameter), ("layer", id, parameter) or ("mask", layer). Every function
returns another material; none draws anything.
"""

import functools
from typing import Iterable, NamedTuple

from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.node_table import KINDS, Flow, choice_of, input_of, source_of
from aulmo.document.records import Lay, Material, Node, NodeGroup, Surface, SurfaceLayer
from aulmo.errors import BadValue
from aulmo.surface.node_flow import flows, ordered, sound
from aulmo.surface.program import COLOURED, EVEN, RELIEF, WIRED

Target = tuple[str, ...]
SURFACE = ("surface",)
CARD_WIDTH, CARD_HEIGHT, GAP_X, GAP_Y = 132.0, 58.0, 48.0, 20.0
_SELDOM = {
    "inlow", "inhigh", "outlow", "outhigh", "gamma", "low", "high", "pivot", "amplitude", "jitter", "min", "max", "center", "rotate", "offset",
    "scale", "uvtiling", "uvoffset", "realworldimagesize", "realworldtilesize", "default",
}  # fmt: skip
WORDS = {"number": "number", "colour": "colour", "direction": "direction", "either": "anything"}


def label_of(node: Node) -> str:
    """What a node is called: by the artist, else by its file, else by its kind."""
    return node.name or KINDS[node.kind].label if node.kind in KINDS else node.kind


def takes(target: Target, material: Material) -> Flow:
    """What flows into a target."""
    if target[0] == "node":
        node = next(n for n in material.nodes if n.id == target[1])
        one = input_of(node.kind, target[2])
        assert one is not None
        return one.takes
    parameter = target[-1] if target[0] != "mask" else "mask"
    if parameter in ("normal", "coat_normal"):
        return "direction"
    return "colour" if parameter in COLOURED else "number"


def leads(material: Material) -> dict[Target, str]:
    """Every wire by its target: what it leads from, as it is written."""
    found: dict[Target, str] = {}
    for node in material.nodes:
        for key, value in node.inputs.items():
            if isinstance(value, str):
                found["node", node.id, key] = value
    for key, value in material.wires.items():
        found["surface", key] = value
    for layer in material.layers:
        for key, value in layer.wires.items():
            found["layer", layer.id, key] = value
        if isinstance(layer.mask, str):
            found["mask", layer.id] = layer.mask
    return found


def flow_of(material: Material) -> dict[str, Flow]:
    """What every node gives that hangs together; those in circles or led by nothing known are left out."""
    order, _ = sound(material, [n.id for n in material.nodes])
    return flows(material, order)


def conversion(flow: Flow, wanted: Flow, reads: str, normal: bool = False) -> str:
    """What happens to what flows along a wire, in words; "" when nothing does."""
    if reads:
        return reads
    if wanted == "number" and flow == "colour":
        return "luminance"
    if wanted == "number" and flow == "direction":
        return "x"
    if wanted == "direction" and flow == "colour" and normal:
        return "normal map"
    if wanted in ("colour", "direction") and flow == "number":
        return "all three"
    return ""


def added(material: Material, kind: str, place: tuple[float, float] | None = None, **own) -> tuple[Material, str]:
    """A material with one more node, and its id. A node of pictures or coordinates takes the first lay there is."""
    lay = own.pop("lay", "")
    lays = material.lays
    if "lay" in KINDS[kind].uses and kind in ("image", "texcoord") and not lay:
        if not lays:
            lays = (Lay("lay", projection="box", width_mm=100.0),)
        lay = lays[0].id
    node = Node(edits.free_id(own.pop("id", kind), (n.id for n in material.nodes)), kind, place=place, lay=lay, **own)
    return replace(material, nodes=(*material.nodes, node), lays=lays), node.id


def with_node(material: Material, node: Node) -> Material:
    """A material with a node in the place of the one with its id."""
    return replace(material, nodes=tuple(node if n.id == node.id else n for n in material.nodes))


def _with_wire(wires: dict[str, str], key: str, reference: str | None) -> dict[str, str]:
    kept = {k: v for k, v in wires.items() if k != key}
    return kept if reference is None else kept | {key: reference.removeprefix("@")}


def connected(material: Material, reference: str | None, target: Target) -> Material:
    """A material where a target is led by "id" or "id:red", or by nothing any more. Raises BadValue with a sentence for a circle."""
    if target[0] == "node":
        node = next(n for n in material.nodes if n.id == target[1])
        one = input_of(node.kind, target[2])
        if one is None or not one.led:
            raise BadValue(f"No wire leads there: {label_of(node)} has a fixed number for it.")
        inputs = {k: v for k, v in node.inputs.items() if k != target[2]}
        if reference is not None:
            inputs[target[2]] = "@" + reference.removeprefix("@")
        made = with_node(material, replace(node, inputs=inputs))
        if reference is not None:
            try:
                ordered(made, [node.id])
            except BadValue:
                raise BadValue(f"That would lead {label_of(node)} in a circle.") from None
        return made
    if target[0] == "surface":
        if target[1] not in (*WIRED, *EVEN, *RELIEF):
            raise BadValue(f"{target[1]} cannot be led from a node.")
        return replace(material, wires=_with_wire(material.wires, target[1], reference))
    layers = []
    for layer in material.layers:
        if layer.id == target[1]:
            if target[0] == "mask":
                layer = replace(layer, mask=1.0 if reference is None else "@" + reference.removeprefix("@"))
            else:
                layer = replace(layer, wires=_with_wire(layer.wires, target[2], reference))
        layers.append(layer)
    return replace(material, layers=tuple(layers))


def deleted(material: Material, names: Iterable[str]) -> Material:
    """A material without nodes (or layers); where what led one fits what it led, the wire is closed, else what it led has its own value again."""
    gone = set(names)
    flow = flow_of(material)
    by_id = {n.id: n for n in material.nodes}

    def closing(name: str, wanted: Flow) -> str | None:
        """What takes the place of a node that is gone: the first that leads it and fits."""
        seen: set[str] = set()
        while name in gone and name in by_id and name not in seen:
            seen.add(name)
            led = next((v for k, v in by_id[name].inputs.items() if isinstance(v, str) and input_of(by_id[name].kind, k) is not None), None)
            if led is None:
                return None
            name, reads = source_of(led)
            if name not in gone:
                given = "number" if reads else flow.get(name, "number")
                fits = given == wanted or wanted in ("either", "number") or (wanted == "colour" and given == "number")
                return (name + (f":{reads}" if reads else "")) if fits else None
        return None if name in gone else name

    made = material
    for target, reference in leads(material).items():
        if target[0] == "node" and target[1] in gone:
            continue
        if source_of(reference)[0] in gone:
            made = connected(made, closing(source_of(reference)[0], takes(target, material)), target)
    nodes = tuple(n for n in made.nodes if n.id not in gone)
    held = {n.group for n in nodes}
    return replace(
        made, nodes=nodes, layers=tuple(one for one in made.layers if one.id not in gone), groups=tuple(g for g in made.groups if g.id in held),
    )  # fmt: skip


class Clip(NamedTuple):
    """Nodes that were copied, and the lays they use."""

    nodes: tuple[Node, ...]
    lays: tuple[Lay, ...]


def copied(material: Material, names: Iterable[str]) -> Clip:
    """Nodes to be pasted here or into another material; wires among them are kept."""
    wanted = set(names)
    nodes = tuple(n for n in material.nodes if n.id in wanted)
    return Clip(nodes, tuple(one for one in material.lays if one.id in {n.lay for n in nodes}))


def pasted(material: Material, clip: Clip, by: tuple[float, float] = (24.0, 24.0)) -> tuple[Material, list[str]]:
    """A material with copies of nodes and their ids. Wires to nodes that are not among them are kept where such a node is there."""
    ids = {n.id for n in material.nodes}
    names: dict[str, str] = {}
    taken = set(ids)
    for node in clip.nodes:
        names[node.id] = edits.free_id(node.id, taken)
        taken.add(names[node.id])
    lays = {one.id: one for one in material.lays}
    lay_of: dict[str, str] = {}
    for lay in clip.lays:
        if lays.get(lay.id) == lay:
            lay_of[lay.id] = lay.id
            continue
        fresh = edits.free_id(lay.id, lays)
        lays[fresh] = replace(lay, id=fresh)
        lay_of[lay.id] = fresh
    nodes = []
    for node in clip.nodes:
        inputs: dict = {}
        for key, value in node.inputs.items():
            if isinstance(value, str):
                name, reads = source_of(value)
                if name not in names and name not in ids:
                    continue
                value = "@" + names.get(name, name) + (f":{reads}" if reads else "")
            inputs[key] = value
        place = (node.place[0] + by[0], node.place[1] + by[1]) if node.place is not None else None
        nodes.append(replace(node, id=names[node.id], inputs=inputs, place=place, lay=lay_of.get(node.lay, node.lay), group=""))
    return replace(material, nodes=(*material.nodes, *nodes), lays=tuple(lays.values())), list(names.values())


def gathered(material: Material, names: Iterable[str], name: str = "Group") -> tuple[Material, str]:
    """Nodes gathered in one card, whose inputs are those that are led from outside; and its id. Raises BadValue for fewer than two."""
    inside = set(names)
    if len(inside) < 2:
        raise BadValue("Choose two nodes or more to gather them in one card.")
    group_id = edits.free_id("group", (g.id for g in material.groups))
    inputs = {}
    for node in material.nodes:
        for key, value in node.inputs.items() if node.id in inside else ():
            if isinstance(value, str) and source_of(value)[0] not in inside:
                one = input_of(node.kind, key)
                inputs[f"{node.id}/{key}"] = one.label if one is not None else key
    placed = [n.place for n in material.nodes if n.id in inside and n.place is not None]
    place = (min(x for x, _ in placed), min(y for _, y in placed)) if placed else None
    group = NodeGroup(group_id, name, inputs, place)
    nodes = tuple(replace(n, group=group_id) if n.id in inside else n for n in material.nodes)
    held = {n.group for n in nodes}
    return replace(material, nodes=nodes, groups=(*(g for g in material.groups if g.id in held), group)), group_id


def opened(material: Material, group_id: str) -> Material:
    """The nodes of a card by themselves again."""
    nodes = tuple(replace(n, group="") if n.group == group_id else n for n in material.nodes)
    return replace(material, nodes=nodes, groups=tuple(g for g in material.groups if g.id != group_id))


def with_layer(material: Material, surface, name: str = "Layer", mask: str | float = 1.0) -> tuple[Material, str]:
    """A material with one more whole surface over it, and its id."""
    layer = SurfaceLayer(edits.free_id("layer", (one.id for one in material.layers)), name, surface, mask=mask)
    return replace(material, layers=(*material.layers, layer)), layer.id


def tidied_places(material: Material) -> dict[str, tuple[float, float]]:
    """Where cards stand in layers: each left of all that it leads, those that lead the same near one another (Sugiyama, Tagawa & Toda 1981, by
    barycentres). By id of nodes, groups and layers; surface cards stand at the right of x = 0."""
    card = {n.id: n.group or n.id for n in material.nodes}
    leading: dict[str, list[str]] = {c: [] for c in card.values()}  # what each card leads
    ends: dict[str, list[float]] = {c: [] for c in card.values()}
    names = [*WIRED, *RELIEF, *EVEN]
    for target, reference in leads(material).items():
        source = card.get(source_of(reference)[0])
        if source is None:
            continue
        if target[0] == "node":
            if card[target[1]] != source:
                leading[source].append(card[target[1]])
        else:
            ends[source].append(float(names.index(target[-1]) if target[-1] in names else 0.0))

    depth: dict[str, int] = {}

    def column(start: str) -> None:
        stack = [(start, False)]
        path: set[str] = set()
        while stack:
            name, done = stack.pop()
            if done:
                path.discard(name)
                depth[name] = 1 + max((depth.get(t, 0) for t in leading[name]), default=0)
                continue
            if name in depth or name in path:
                continue
            path.add(name)
            stack.append((name, True))
            stack += [(t, False) for t in leading[name]]

    for name in leading:
        column(name)
    columns: dict[int, list[str]] = {}
    for name in leading:
        columns.setdefault(depth[name], []).append(name)
    rank: dict[str, float] = {}
    for level in sorted(columns):

        def wanted(name: str) -> float:
            at = [rank[t] for t in leading[name] if t in rank] + ends[name]
            return sum(at) / len(at) if at else 1e6

        columns[level].sort(key=lambda name: (wanted(name), name))
        for k, name in enumerate(columns[level]):
            rank[name] = float(k)
    places: dict[str, tuple[float, float]] = {}
    height = functools.partial(card_height, material)
    tallest = max((sum(height(n) + GAP_Y for n in c) for c in columns.values()), default=0.0)
    for level, held in columns.items():
        y = 0.5 * (tallest - sum(height(n) + GAP_Y for n in held))
        for name in held:
            places[name] = (-level * (CARD_WIDTH + GAP_X), y)
            y += height(name) + GAP_Y
    return places


def card_inputs(material: Material, card: str, every: bool = False) -> list[tuple[Target, str]]:
    """The dots at the left of a card: target and words; those that are seldom led show only when they are, or when `every` is asked for."""
    node = next((n for n in material.nodes if n.id == card), None)
    if node is not None:
        if node.kind not in KINDS or (node.kind == "gradient" and choice_of("gradient", node.choices, "over") != "wire"):
            return []
        shown = [i for i in KINDS[node.kind].inputs if i.led and (every or i.name not in _SELDOM or isinstance(node.inputs.get(i.name), str))]
        return [(("node", node.id, one.name), one.label) for one in shown]
    group = next((g for g in material.groups if g.id == card), None)
    if group is None:
        return []
    there = {n.id for n in material.nodes}
    return [(("node", *key.split("/")), words) for key, words in group.inputs.items() if key.split("/")[0] in there]


def card_height(material: Material, card: str, every: bool = False) -> float:
    """How high a card is: as its dots need, never less than its picture does."""
    return max(CARD_HEIGHT, 14.0 + 14.0 * len(card_inputs(material, card, every)))


def placed(material: Material) -> Material:
    """A material whose cards all have a place; those that had one keep it."""
    if all(n.place is not None or n.group for n in material.nodes) and all(g.place is not None for g in material.groups):
        return material
    places = tidied_places(material)
    nodes = tuple(n if n.place is not None or n.group else replace(n, place=places[n.id]) for n in material.nodes)
    groups = tuple(g if g.place is not None else replace(g, place=places.get(g.id, (-CARD_WIDTH - GAP_X, 0.0))) for g in material.groups)
    return replace(material, nodes=nodes, groups=groups)


def tidy(material: Material) -> Material:
    """A material whose cards stand in layers."""
    places = tidied_places(material)
    nodes = tuple(replace(n, place=places.get(n.id, n.place)) for n in material.nodes)
    groups = tuple(replace(g, place=places.get(g.id, g.place)) for g in material.groups)
    return replace(material, nodes=nodes, groups=groups, layers=tuple(replace(one, place=None) for one in material.layers))


def moved(material: Material, by: tuple[float, float], cards: Iterable[str]) -> Material:
    """Cards of nodes and groups moved on the bench."""
    held = set(cards)

    def there(place):
        return (place[0] + by[0], place[1] + by[1]) if place is not None else None

    return replace(
        material, nodes=tuple(replace(n, place=there(n.place)) if n.id in held else n for n in material.nodes),
        groups=tuple(replace(g, place=there(g.place)) if g.id in held else g for g in material.groups),
    )  # fmt: skip


def alone(material: Material, node_id: str, nits: float) -> Material:
    """A material that shows only what one of its nodes gives, unlit: it glows with as many nits as white has."""
    if all(n.id != node_id for n in material.nodes):
        return material
    dark = Surface(base_weight=0.0, specular_weight=0.0, emission_luminance=nits)
    return replace(material, surface=dark, wires={"emission_color": node_id}, layers=())


def fitting(flow: Flow | None, into: bool) -> list[str]:
    """Kinds of nodes that fit a wire: those with an input for what flows, or (`into`) those that give what is taken; all without a wire."""
    if flow is None:
        return list(KINDS)
    found = []
    for kind in KINDS.values():
        if into:
            if kind.gives in ("either", flow) or flow == "either" or (flow == "colour" and kind.gives == "number") or flow == "number":
                found.append(kind.name)
        elif any(one.led for one in kind.inputs):
            found.append(kind.name)
    return found


def main_input(kind: str, flow: Flow) -> str | None:
    """The input of a kind that a wire is put to when none is named: the first that takes just what flows, else the first."""
    led = [one for one in KINDS[kind].inputs if one.led]
    exact = [one for one in led if one.takes == flow] or [one for one in led if one.takes == "either"] or led
    return exact[0].name if exact else None
