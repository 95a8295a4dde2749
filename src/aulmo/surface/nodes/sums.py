"""Sums and colours: what works on the numbers that flow in."""

import math

import numpy as np

from aulmo.document.node_table import KINDS, choice_of, input_of, source_of
from aulmo.document.records import Node
from aulmo.surface import program as p
from aulmo.surface.emitter import Emitter
from aulmo.surface.nodes.patterns import pattern
from aulmo.surface.program import O_FLAG, O_P, O_TO

_EACH = {
    "subtract": p.SUBTRACT, "divide": p.DIVIDE, "power": p.POWER, "min": p.MIN, "max": p.MAX, "modulo": p.MODULO, "absval": p.ABSVAL,
    "clamp": p.CLAMP, "remap": p.RESCALE, "range": p.RANGE, "smoothstep": p.SMOOTHSTEP, "invert": p.INVERT_FROM, "contrast": p.CONTRAST,
    "floor": p.FLOOR, "ceil": p.CEIL, "round": p.ROUND, "fract": p.FRACT, "sqrt": p.SQRT, "sin": p.SIN, "cos": p.COS, "exp": p.EXP, "ln": p.LN,
    "sign": p.SIGN, "ifgreater": p.IF_GREATER, "ifgreatereq": p.IF_NOT_LESS, "ifequal": p.IF_EQUAL, "mix": p.MIX_EACH, "add": p.ADD,
    "multiply": p.MULTIPLY, "saturate": p.SATURATE, "hsvadjust": p.HSV_ADJUST, "rgbtohsv": p.TO_HSV, "hsvtorgb": p.FROM_HSV, "luminance": p.LUMA,
    "combine3": p.COMBINE, "normalize": p.NORMALIZE, "magnitude": p.MAGNITUDE, "dotproduct": p.DOT, "crossproduct": p.CROSS, "distance": p.DISTANCE,
    "rotate2d": p.ROTATE2, "rotate3d": p.ROTATE3, "blackbody": p.BLACKBODY, "checker": p.CHECKER, "stripes": p.STRIPES, "dots": p.DOTS,
    "ramp": p.RAMP, "wood": p.WOOD, "blendnormals": p.BLEND_NORMALS,
}  # fmt: skip


def each(e: Emitter, node: Node, context: tuple) -> int:
    """What works on each number alone, and other sums; places keep knowing how far the footprint reaches."""
    kind, own = node.kind, node.inputs
    inputs = [one for one in KINDS[kind].inputs if one.led]
    if kind == "mix":  # under, over, share: as the operation has them
        inputs = [inputs[1], inputs[0], inputs[2]]
    sources = [e.source(node, one.name, context) for one in inputs]
    code = _EACH[kind]
    numbers = {k: own.get(k, input_of(kind, k).default) for k in (one.name for one in inputs)}  # type: ignore[union-attr]
    if kind == "range" and choice_of(kind, node.choices, "doclamp") == "yes" and numbers["gamma"] == 1.0:
        ends = [numbers[k] for k in ("inlow", "inhigh", "outlow", "outhigh")]
        if all(isinstance(v, (int, float)) and math.isfinite(v) for v in ends):
            row = e.put(p.REMAP, sources[:1])
            row[O_P : O_P + 4] = ends
            return int(row[O_TO])
    if kind == "invert" and numbers["amount"] == 1.0:
        code, sources = p.INVERT, sources[:1]
    if kind == "mix" and is_number(e, node, "mix"):
        code = p.MIX
    row = e.put(code, sources)
    if kind == "range":
        row[O_FLAG] = choice_of(kind, node.choices, "doclamp") == "yes"
    if kind in ("checker", "stripes", "dots", "ramp", "wood"):
        pattern(e, row, node)
    if kind in ("add", "subtract", "multiply", "divide", "rotate2d", "rotate3d", "combine3"):
        keep_spread(e, node, row, sources)
    return int(row[O_TO])


def is_number(e: Emitter, node: Node, key: str) -> bool:
    """Whether one number flows into an input."""
    value = node.inputs.get(key, 0.0)
    if isinstance(value, str):
        name, reads = source_of(value)
        return bool(reads) or e.flows[name] == "number"
    return not isinstance(value, (tuple, list))


def keep_spread(e: Emitter, node: Node, row: np.ndarray, sources: list[int]) -> None:
    """What is added or scaled keeps knowing how far the footprint reaches."""
    known = next((e.spread[s] for s in sources if s in e.spread), None)
    if known is None:
        return
    scale = 1.0
    if node.kind in ("multiply", "divide"):
        other = node.inputs.get("in2", 1.0) if sources[0] in e.spread else node.inputs.get("in1", 1.0)
        if not isinstance(other, str):
            largest = max(abs(float(v)) for v in other) if isinstance(other, (tuple, list)) else abs(float(other))
            scale = largest if node.kind == "multiply" else 1.0 / max(1e-9, largest)
    e.spread[int(row[O_TO])] = (known[0], known[1] * scale)


EMITTERS = {kind: each for kind in _EACH}
