"""Grain: the numbers and colours of a material's nodes, one small group of rows for each node that has any of its own."""

from typing import Any

from PySide6.QtWidgets import QWidget

from aulmo.desk.shell.bound import Bound, bound
from aulmo.desk.shell.session import Session
from aulmo.desk.surface.node_rows import input_row
from aulmo.desk.widgets.fields import Section, label
from aulmo.document.node_table import KINDS, Input
from aulmo.document.records import Material, Node
from aulmo.surface.node_edits import label_of

_TITLES = {("wood", "first"): "Early wood", ("wood", "second"): "Late wood"}
_ALONG = {"wood": "Along", "noise": "Along", "stripes": "Across", "dots": "Along", "ramp": "Along", "image": "Axis", "weave": "Axis"}
_LAID = ("image", "weave")
_ENDS = ("in", "in1", "in2", "fg", "bg", "gamma", "inlow", "inhigh", "outlow", "outhigh")  # of sums: shown where they were given
MOST_SHOWN = 8  # nodes; more are a matter for the bench


class GrainSection(Section):
    """Rows for the nodes of the material that is worked on; away when it has none."""

    def __init__(self, session: Session) -> None:
        super().__init__("Grain", "surface/Grain")
        self.session = session
        self.rows: dict[tuple[str, str], Bound] = {}
        self._groups: list[QWidget] = []
        self._shape: tuple = ()

    def show_material(self, material: Material | None) -> None:
        """Rows for a material's nodes."""
        nodes = tuple(n for n in material.nodes if not (n.kind == "image" and n.lay)) if material is not None else ()
        nodes = nodes if len(nodes) <= MOST_SHOWN else ()
        self.setVisible(bool(nodes))
        shape = tuple((n.id, n.kind, tuple(i.name for i in KINDS[n.kind].inputs if _is_own(n, i))) for n in nodes)
        if shape != self._shape:
            self._shape = shape
            self._rebuild(nodes)
        for made in self.rows.values():
            made.refresh()

    def _rebuild(self, nodes: tuple[Node, ...]) -> None:
        for widget in self._groups:
            self.layout_.removeWidget(widget)
            widget.deleteLater()
        self._groups, self.rows = [], {}
        for node in nodes:
            made = []
            for one in KINDS[node.kind].inputs:
                if _is_own(node, one):
                    self.rows[node.id, one.name] = input_row(self.session, node, one, _TITLES.get((node.kind, one.name), ""))
                    made.append(self.rows[node.id, one.name])
            if node.kind in _LAID:
                made.append(self._row(node, "projection", "projection"))
            if node.kind in _ALONG:
                made.append(self._row(node, "axis", "axis", title=_ALONG[node.kind]))
            if made:
                words = node.id.replace("-", " ").capitalize()
                heading = label(label_of(node) if node.name or node.id == node.kind else f"{words}, {label_of(node).lower()}")
                heading.setContentsMargins(9, 4, 0, 0)
                for widget in (heading, *(m.widget for m in made)):
                    self._groups.append(self.add(widget))

    def _row(self, node: Node, step: str, key: str, default: Any = None, title: str = "") -> Bound:
        template = f"materials/{{material}}/nodes/{node.id}/{step}"
        made = bound(self.session, template, title or _TITLES.get((node.kind, key), ""), default)
        self.rows[node.id, key] = made
        return made


def _is_own(node: Node, one: Input) -> bool:
    """Whether an input is a number or colour of the node itself, and not led by another."""
    value = node.inputs.get(one.name, one.default)
    if isinstance(value, str) or value is None or one.takes == "direction":
        return False
    return not (one.takes == "either" and one.name in _ENDS and one.name not in node.inputs)
