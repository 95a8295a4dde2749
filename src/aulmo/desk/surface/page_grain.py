"""Grain: the numbers and colours of a material's nodes, one small group of rows for each node that has any of its own."""

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QWidget

from aulmo.desk.widgets.colour_field import ColourRow
from aulmo.desk.widgets.fields import Choice, Section, SliderRow, label, row
from aulmo.document.records import Material, Node
from aulmo.surface.program import AXES, INPUTS, PROJECTIONS

# title, low and high of the track, unit, decimals, curve of the track, limits of the field
_RANGES: dict[str, tuple] = {
    "size_mm": ("Size", 0.05, 100.0, "mm", 2, 3.0, 1e-4, 1e6),
    "width_mm": ("Width", 1.0, 500.0, "mm", 1, 2.0, 1e-3, 1e6),
    "height_mm": ("Height", 0.0, 500.0, "mm", 1, 2.0, 0.0, 1e6),
    "offset_x_mm": ("Right by", -100.0, 100.0, "mm", 1, 1.0, -1e6, 1e6),
    "offset_y_mm": ("Down by", -100.0, 100.0, "mm", 1, 1.0, -1e6, 1e6),
    "ring_mm": ("Rings", 0.5, 12.0, "mm", 2, 1.5, 1e-3, 1e4),
    "board_mm": ("Boards", 0.0, 300.0, "mm", 0, 1.5, 0.0, 1e5),
    "board_turn": ("Board turn", 0.0, 180.0, "°", 0, 1.0, -360.0, 360.0),
    "pith_mm": ("Pith away", 0.0, 300.0, "mm", 0, 1.5, -1e5, 1e5),
    "from_mm": ("From", -200.0, 200.0, "mm", 1, 1.0, -1e6, 1e6),
    "to_mm": ("To", -200.0, 200.0, "mm", 1, 1.0, -1e6, 1e6),
    "turn": ("Turn", -180.0, 180.0, "°", 1, 1.0, -360.0, 360.0),
    "octaves": ("Detail", 1.0, 10.0, "", 0, 1.0, 1.0, 10.0),
    "lacunarity": ("Finer by", 1.5, 4.0, "", 2, 1.0, 1.0, 10.0),
    "gain": ("Weaker by", 0.0, 1.0, "", 2, 1.0, 0.0, 2.0),
    "stretch": ("Stretch", 1.0, 100.0, "", 1, 3.0, 1e-3, 1e5),
    "fold": ("Veins", 0.0, 1.0, "", 2, 1.0, 0.0, 1.0),
    "jitter": ("Disorder", 0.0, 1.0, "", 2, 1.0, 0.0, 1.0),
    "share": ("Share", 0.0, 1.0, "", 2, 1.0, 0.0, 1.0),
    "waver": ("Waver", 0.0, 3.0, "", 2, 1.0, 0.0, 100.0),
    "fibre": ("Fibre", 0.0, 2.0, "", 2, 1.0, 0.0, 100.0),
    "uneven": ("Uneven", 0.0, 1.0, "", 2, 1.0, 0.0, 1.0),
    "over": ("Floats over", 1.0, 5.0, "", 0, 1.0, 1.0, 50.0),
    "amount": ("Amount", 0.0, 1.0, "", 2, 1.0, -1e3, 1e3),
    "power": ("Power", 0.0, 8.0, "", 2, 1.0, 0.0, 100.0),
    "seed": ("Seed", 0.0, 50.0, "", 0, 1.0, 0.0, 1e6),
    "in_low": ("From low", 0.0, 1.0, "", 2, 1.0, -1e6, 1e6),
    "in_high": ("From high", 0.0, 1.0, "", 2, 1.0, -1e6, 1e6),
    "out_low": ("To low", 0.0, 1.0, "", 3, 1.0, -1e6, 1e6),
    "out_high": ("To high", 0.0, 1.0, "", 3, 1.0, -1e6, 1e6),
}
_COLOURS = {"first": "First", "second": "Second", "value": "Colour"}
_WOOD = {"first": "Early wood", "second": "Late wood"}
_ALONG = {"wood": "Along", "noise": "Along", "stripes": "Across", "dots": "Along", "ramp": "Along", "image": "Axis", "weave": "Axis"}
_LAID = {"flat": "Flat", "box": "As a box", "cylinder": "Round the axis", "sphere": "As a ball"}


class GrainSection(Section):
    """`changed` carries a node's id, what of it, the value, and whether the hand is still moving."""

    changed = Signal(str, str, object, bool)
    trouble = Signal(str)

    def __init__(self) -> None:
        super().__init__("Grain", "surface/Grain")
        self.rows: dict[tuple[str, str], QWidget] = {}
        self._groups: list[QWidget] = []
        self._shape: tuple = ()

    def show_material(self, material: Material | None) -> None:
        """Rows for a material's nodes; without any the section is away."""
        nodes = material.nodes if material is not None else ()
        self.setVisible(bool(nodes))
        shape = tuple((n.id, n.kind, tuple(k for k in INPUTS[n.kind] if not isinstance(n.inputs.get(k), str))) for n in nodes)
        if shape != self._shape:
            self._shape = shape
            self._rebuild(nodes)
        for node in nodes:
            for key, default in INPUTS[node.kind].items():
                made = self.rows.get((node.id, key))
                if isinstance(made, SliderRow):
                    made.set_value(node.inputs.get(key, default))
                elif isinstance(made, ColourRow):
                    value = node.inputs.get(key, default)
                    made.set_value(value if isinstance(value, tuple) else (value, value, value))
            for key, current in (("axis", node.axis), ("projection", node.projection)):
                if (node.id, key) in self.rows:
                    self.rows[node.id, key].fill(_choices(key), current)

    def _rebuild(self, nodes: tuple[Node, ...]) -> None:
        for widget in self._groups:
            self.layout_.removeWidget(widget)
            widget.deleteLater()
        self._groups, self.rows = [], {}
        for node in nodes:
            made = [self._row(node, key) for key in INPUTS[node.kind] if not isinstance(node.inputs.get(key), str)]
            made = [m for m in made if m is not None]
            if node.kind in ("image", "weave"):
                made.append(self._choice(node, "projection", "Laid"))
            if node.kind in _ALONG:
                made.append(self._choice(node, "axis", _ALONG[node.kind]))
            if made:
                heading = label(f"{node.id.replace('-', ' ').capitalize()}, {node.kind}" if node.id != node.kind else node.kind.capitalize())
                heading.setContentsMargins(9, 4, 0, 0)
                for widget in (heading, *made):
                    self._groups.append(self.add(widget))

    def _row(self, node: Node, key: str) -> QWidget | None:
        default, value = INPUTS[node.kind][key], node.inputs.get(key, INPUTS[node.kind][key])
        if isinstance(default, tuple) and (isinstance(value, tuple) or key in ("first", "second")):
            made = ColourRow((_WOOD if node.kind == "wood" else _COLOURS)[key], default)
            made.changed.connect(lambda v, busy, n=node.id, k=key: self.changed.emit(n, k, tuple(v), busy))
        elif key in _RANGES:
            title, low, high, unit, decimals, curve, hard_low, hard_high = _RANGES[key]
            made = SliderRow(title, low, high, unit, default, decimals, hard_low=hard_low, hard_high=hard_high, curve=curve)
            made.changed.connect(lambda v, busy, n=node.id, k=key: self.changed.emit(n, k, v, busy))
        else:
            return None
        made.trouble.connect(self.trouble)
        self.rows[node.id, key] = made
        return made

    def _choice(self, node: Node, key: str, title: str) -> QWidget:
        made = Choice()
        made.setAccessibleName(title)
        made.chosen.connect(lambda v, n=node.id, k=key: self.changed.emit(n, k, v, False))
        self.rows[node.id, key] = made
        return row(title, made)


def _choices(key: str) -> list[tuple[str, str]]:
    return [(a.upper(), a) for a in AXES] if key == "axis" else [(_LAID[p], p) for p in PROJECTIONS]
