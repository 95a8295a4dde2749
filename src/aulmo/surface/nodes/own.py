"""Patterns of our own, in millimetres, and what the shape of the part gives."""

import math

import numpy as np

from aulmo.document.records import Node
from aulmo.errors import BadValue
from aulmo.surface import program as p
from aulmo.surface.emitter import Emitter, Missing
from aulmo.surface.oxide import tint_table
from aulmo.surface.program import FOLDED_MEAN, O_P, O_TO

_PATTERNS = {"dot": 0, "rectangle": 1, "ring": 2, "drawn": 3}
_REPEATS = {"both": 0, "rows": 1, "columns": 2, "once": 3}
_LEATHER_MEANS = ((0.02, 0.05, 0.1, 0.2, 0.35, 0.5, 0.75, 1.0), (0.817, 0.768, 0.695, 0.565, 0.411, 0.299, 0.181, 0.116))
_OWN = {
    "knurl": p.KNURL, "brushed": p.BRUSHED, "scratches": p.SCRATCHES, "leather": p.LEATHER, "orangepeel": p.ORANGE_PEEL, "flakes": p.FLAKES,
    "curvature": p.CURVATURE, "cavity": p.CURVATURE, "edgewear": p.EDGE_WEAR,
}  # fmt: skip


def shapes(e: Emitter, node: Node, context: tuple) -> int:
    """Shapes in rows and columns."""
    plain, size = lambda key: e.plain(node, key), lambda key: e.size(node, key)
    picture, tall = -1, size("aspect")
    if e.chosen(node, "shape") == "drawn":
        if not node.image:
            raise Missing(f"{node.file} is missing." if node.file else f"The shape of {node.name or node.id} has not been chosen yet.")
        assert e.pictures is not None
        h, w = e.pictures.shape(node.image)
        picture, tall = e.pictures.number(node.image, False), tall * h / w
    across = size("spacing_mm")
    row = e.put(p.SHAPES, (e.source(node, "first", context), e.source(node, "second", context)))
    turn, held = math.radians(plain("turn")), _REPEATS[e.chosen(node, "repeat")]
    row[O_P : O_P + 8] = (
        size("size_mm"), across, plain("spacing_y_mm") if plain("spacing_y_mm") > 0 else across, e.projected(node),
        _PATTERNS[e.chosen(node, "shape")], held,
        math.cos(turn), math.sin(turn),
    )  # fmt: skip
    row[O_P + 8 : O_P + 14] = (
        min(1.0, max(0.0, plain("jitter"))), math.radians(plain("turn_jitter")), plain("stagger"), plain("seed"), picture, tall,
    )  # fmt: skip
    return int(row[O_TO])


def gradient(e: Emitter, node: Node, context: tuple) -> int:
    """A gradient of any number of stops."""
    stops = sorted(node.stops, key=lambda s: s.at)
    if any(not math.isfinite(v) for s in stops for v in (s.at, *s.colour)):
        raise BadValue("A stop of a gradient is no number.")
    over = ("part", "group", "axis", "wire").index(e.chosen(node, "over"))
    row = e.put(p.GRADIENT, (e.source(node, "in", context, "number"),))
    between = ("even", "smooth", "step").index(e.chosen(node, "between"))
    row[O_P : O_P + 5] = (over, p.AXES.index(node.axis), e.chosen(node, "in") == "mm", between, len(stops))
    if stops:
        e.data(np.array([v for s in stops for v in ((s.at, 0.0, 0.0), s.colour)], float))
    return int(row[O_TO])


def own(e: Emitter, row: np.ndarray, node: Node) -> None:
    """The numbers of our own patterns."""
    kind, plain, size = node.kind, lambda key: e.plain(node, key), lambda key: e.size(node, key)
    axis = p.AXES.index(node.axis)
    if kind == "knurl":
        turn = math.radians(plain("angle") if e.chosen(node, "pattern") == "diamond" else 0.0)
        row[O_P : O_P + 6] = (
            size("size_mm"), e.projected(node), math.cos(turn), math.sin(turn), min(1.0, max(0.0, plain("sharp"))),
            e.chosen(node, "pattern") == "straight",
        )  # fmt: skip
    elif kind == "brushed":
        row[O_P : O_P + 5] = (size("size_mm"), size("length_mm"), axis, e.chosen(node, "way") == "turned", plain("seed"))
    elif kind == "scratches":
        row[O_P : O_P + 6] = (
            size("size_mm"), size("width_mm"), min(1.0, max(0.0, plain("share"))), min(1.0, max(0.0, plain("bend"))), plain("seed"),
            e.projected(node),
        )  # fmt: skip
    elif kind == "leather":
        crease = min(1.0, max(0.02, plain("crease")))
        row[O_P : O_P + 4] = (size("size_mm"), crease, plain("seed"), float(np.interp(crease, *_LEATHER_MEANS)))
    elif kind == "orangepeel":
        row[O_P : O_P + 2] = (size("size_mm"), plain("seed"))
    elif kind == "flakes":
        row[O_P : O_P + 5] = (
            size("size_mm"), min(1.0, max(0.0, plain("share"))), math.tan(math.radians(min(89.0, max(0.0, plain("spread"))))), plain("seed"),
            ("mask", "normal", "random").index(e.chosen(node, "gives")),
        )  # fmt: skip
    else:
        assert e.pictures is not None
        radius = size("radius_mm")
        row[O_P : O_P + 2] = (e.pictures.curve(radius), radius)
        if kind == "edgewear":
            row[O_P + 2 : O_P + 6] = (
                min(1.0, max(0.0, plain("amount"))), min(1.0, max(0.0, plain("rough"))), size("size_mm"), plain("seed"),
            )  # fmt: skip
        else:
            row[O_P + 2 : O_P + 4] = (-1.0 if kind == "cavity" else 1.0, max(0.0, plain("strength")))


def clouds(e: Emitter, node: Node, context: tuple) -> int:
    """Noise of a real size."""
    row = e.put(p.NOISE)
    wide, stretch = e.size(node, "size_mm"), e.size(node, "stretch")
    octaves = min(16, max(1, round(e.plain(node, "octaves"))))
    row[O_P : O_P + 5] = (wide, octaves, e.plain(node, "lacunarity"), e.plain(node, "gain"), e.plain(node, "seed"))
    row[O_P + 5 : O_P + 8] = [1.0 / (wide * stretch if axis == node.axis else wide) for axis in p.AXES]
    row[O_P + 8] = min(1.0, max(0.0, e.plain(node, "fold")))
    parts = row[O_P + 3] ** np.arange(int(row[O_P + 1]))
    row[O_P + 9] = min(1.0, FOLDED_MEAN * math.sqrt((parts**2).sum()) / max(1e-9, abs(parts.sum())))
    return int(row[O_TO])


def cells(e: Emitter, node: Node, context: tuple) -> int:
    """Cells of a real size."""
    row = e.put(p.CELLS)
    row[O_P : O_P + 3] = (e.size(node, "size_mm"), min(1.0, max(0.0, e.plain(node, "jitter"))), e.plain(node, "seed"))
    return int(row[O_TO])


def cloth(e: Emitter, node: Node, context: tuple) -> int:
    """Cloth laid over the part."""
    row = e.put(p.WEAVE)
    row[O_P : O_P + 6] = (
        e.size(node, "size_mm"), p.PROJECTIONS.index(node.projection), p.AXES.index(node.axis), max(1.0, round(e.plain(node, "over"))),
        min(1.0, max(0.0, e.plain(node, "uneven"))), e.plain(node, "seed"),
    )  # fmt: skip
    return int(row[O_TO])


def heat_tint(e: Emitter, node: Node, context: tuple) -> int:
    """The colour of heated metal."""
    row = e.put(p.HEAT_TINT, (e.source(node, "thickness", context), e.source(node, "metal", context)))
    e.data(tint_table())
    return int(row[O_TO])


def of_our_own(e: Emitter, node: Node, context: tuple) -> int:
    """Patterns of one operation without sources."""
    row = e.put(_OWN[node.kind])
    own(e, row, node)
    return int(row[O_TO])


EMITTERS = {
    "noise": clouds, "cells": cells, "weave": cloth, "shapes": shapes, "heattint": heat_tint, "gradient": gradient,
    **{kind: of_our_own for kind in _OWN},
}  # fmt: skip
