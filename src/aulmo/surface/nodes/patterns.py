"""Patterns through the part that mix two colours."""

import math

import numpy as np

from aulmo.document.records import Node
from aulmo.surface import program as p
from aulmo.surface.emitter import Emitter
from aulmo.surface.program import O_P


def pattern(e: Emitter, row: np.ndarray, node: Node) -> None:
    """The numbers of the patterns that mix two colours."""
    kind = node.kind
    if kind == "ramp":
        row[O_P : O_P + 3] = (e.plain(node, "from_mm"), e.plain(node, "to_mm"), p.AXES.index(node.axis))
    elif kind == "wood":
        turn = math.radians(e.plain(node, "board_turn"))
        row[O_P : O_P + 9] = (
            e.size(node, "ring_mm"), max(0.0, e.plain(node, "board_mm")), p.AXES.index(node.axis), math.cos(turn), math.sin(turn),
            e.plain(node, "pith_mm"), max(0.0, e.plain(node, "waver")), max(0.0, e.plain(node, "fibre")), e.plain(node, "seed"),
        )  # fmt: skip
    else:
        row[O_P] = e.size(node, "size_mm")
        row[O_P + 1] = e.plain(node, "share") if kind != "checker" else 0.5
        row[O_P + 2] = p.AXES.index(node.axis)
