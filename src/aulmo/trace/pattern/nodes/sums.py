"""Sums: one of three numbers at a time. What cannot be worked out, as a division by nothing, gives 0.

Reference: MaterialX specification, v1.39 (standard nodes) and its library's definitions."""

import math

from aulmo.surface.program import (
    ABSVAL,
    CEIL,
    CLAMP,
    CONTRAST,
    COS,
    DIVIDE,
    EXP,
    FLOOR,
    FRACT,
    IF_EQUAL,
    IF_GREATER,
    IF_NOT_LESS,
    INVERT_FROM,
    LN,
    MAX,
    MIN,
    MIX_EACH,
    MODULO,
    POWER,
    RANGE,
    RESCALE,
    ROUND,
    SIGN,
    SIN,
    SMOOTHSTEP,
    SQRT,
    SUBTRACT,
)
from aulmo.trace.compile import units
from aulmo.trace.compile.jit import inlined
from aulmo.trace.pattern.nodes.places import LEAST
from aulmo.trace.pattern.own_patterns import smooth


@inlined
def _powered(x, y):
    if x < 0.0 and y != math.floor(y):
        return 0.0
    if x == 0.0:
        return 1.0 if y == 0.0 else 0.0
    return x**y


@inlined
def divided(x, y):
    """A quotient, 0 where it is divided by nothing."""
    return x / y if abs(y) > LEAST else 0.0


@units.each.made
def each(code, a, b, c, d, e, f, flag):
    """One of three numbers; a to f are what its inputs hold there."""
    r = 0.0
    if code == SUBTRACT:
        r = a - b
    elif code == DIVIDE:
        r = divided(a, b)
    elif code == POWER:
        r = _powered(a, b)
    elif code == MIN:
        r = min(a, b)
    elif code == MAX:
        r = max(a, b)
    elif code == MODULO:
        r = a - b * math.floor(divided(a, b)) if abs(b) > LEAST else 0.0
    elif code == ABSVAL:
        r = abs(a)
    elif code == CLAMP:
        r = min(max(a, b), c)
    elif code == RESCALE:
        r = d + divided((a - b) * (e - d), c - b)
    elif code == RANGE:
        r = divided(a - b, c - b)
        if d != 1.0:
            r = math.copysign(_powered(abs(r), divided(1.0, d)), r)
        r = e + r * (f - e)
        if flag > 0.0:
            r = min(max(r, min(e, f)), max(e, f))
    elif code == SMOOTHSTEP:
        r = 1.0 if a >= c else 0.0 if a <= b else smooth((a - b) / (c - b))
    elif code == INVERT_FROM:
        r = b - a
    elif code == CONTRAST:
        r = (a - c) * b + c
    elif code == FLOOR:
        r = math.floor(a)
    elif code == CEIL:
        r = math.ceil(a)
    elif code == ROUND:
        r = math.floor(a + 0.5)
    elif code == FRACT:
        r = a - math.floor(a)
    elif code == SQRT:
        r = math.sqrt(max(0.0, a))
    elif code == SIN:
        r = math.sin(a)
    elif code == COS:
        r = math.cos(a)
    elif code == EXP:
        r = math.exp(min(60.0, a))
    elif code == LN:
        r = math.log(a) if a > 0.0 else 0.0
    elif code == SIGN:
        r = 1.0 if a > 0.0 else -1.0 if a < 0.0 else 0.0
    elif code == IF_GREATER:
        r = c if a > b else d
    elif code == IF_NOT_LESS:
        r = c if a >= b else d
    elif code == IF_EQUAL:
        r = c if a == b else d
    elif code == MIX_EACH:
        r = a + c * (b - a)
    return r if abs(r) < 1e18 else 0.0
