"""Nodes one by one as operations: each kind by its family (`nodes`).

The meaning of a standard node is that of the MaterialX specification, v1.39, and of the definitions in its library; see `document.node_table`.
"""

from typing import Callable

from aulmo.document.records import Node
from aulmo.surface.emitter import Emitter as Base, Missing as Missing, Pictures as Pictures
from aulmo.surface.nodes import noises, own, pictures, places, relief, sums

EMITTERS: dict[str, Callable[[Base, Node, tuple], int]] = {
    **sums.EMITTERS, **noises.EMITTERS, **relief.EMITTERS, **pictures.EMITTERS, **places.EMITTERS, **own.EMITTERS,
}  # fmt: skip


class Emitter(Base):
    """Rows of operations for nodes of every kind."""

    def node(self, node: Node, context: tuple) -> int:
        """Operations of one node; returns its register."""
        kind = node.kind
        if kind == "constant":
            return self.constant(node.inputs.get("value", (0.5, 0.5, 0.5)), "value of a constant node")
        if kind in ("time", "frame"):
            time, rate = (self.pictures.time, self.pictures.frames_per_second) if self.pictures is not None else (0.0, 24.0)
            return self.constant(time if kind == "time" else round(time * rate), "time")
        return EMITTERS[kind](self, node, context)
