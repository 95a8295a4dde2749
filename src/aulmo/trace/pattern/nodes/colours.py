"""Colours, and sums of three numbers together: turns, lengths, products, coordinates moved.

References: MaterialX specification, v1.39; Kang et al. 2002, "Design of advanced color temperature control system" (blackbody); Foley & van Dam
(hue, saturation, value)."""

import math

import numpy as np

from aulmo.surface.colour import SRGB_TO_ACESCG
from aulmo.surface.program import (
    BLACKBODY,
    COMBINE,
    CROSS,
    DISTANCE,
    DOT,
    FROM_HSV,
    HSV_ADJUST,
    MAGNITUDE,
    NORMALIZE,
    O_A,
    O_B,
    O_C,
    O_FLAG,
    O_P,
    PLACE2,
    ROTATE2,
    ROTATE3,
    SATURATE,
    TO_HSV,
)
from aulmo.trace.compile import units
from aulmo.trace.compile.jit import kernel
from aulmo.trace.lamp.dome import luminance
from aulmo.trace.pattern.nodes.places import normalized
from aulmo.trace.pattern.nodes.sums import divided


_TO_ACESCG = np.array(SRGB_TO_ACESCG)


@kernel
def to_hsv(r, g, b):
    """Hue 0..1, saturation and value of a colour."""
    low, high = min(r, min(g, b)), max(r, max(g, b))
    chroma = high - low
    s = chroma / high if high > 0.0 else 0.0
    if s <= 0.0:
        return 0.0, 0.0, high
    h = (g - b) / chroma if r >= high else 2.0 + (b - r) / chroma if g >= high else 4.0 + (r - g) / chroma
    h /= 6.0
    return (h + 1.0 if h < 0.0 else h), s, high


@kernel
def from_hsv(h, s, v):
    """The colour of a hue 0..1, a saturation and a value."""
    if s < 0.0001:
        return v, v, v
    h = 6.0 * (h - math.floor(h))
    i = int(h)
    f = h - i
    u, q, t = v * (1.0 - s), v * (1.0 - s * f), v * (1.0 - s * (1.0 - f))
    if i == 0:
        return v, t, u
    if i == 1:
        return q, v, u
    if i == 2:
        return u, v, t
    if i == 3:
        return u, q, v
    if i == 4:
        return t, u, v
    return v, u, q


@kernel
def blackbody(kelvin):
    """The colour of a glowing body with the luminance 1, ACEScg."""
    t = 1000.0 / min(25000.0, max(800.0, kelvin))
    if kelvin < 4000.0:
        x = ((-0.2661239 * t - 0.2343580) * t + 0.8776956) * t + 0.179910
    else:
        x = ((-3.0258469 * t + 2.1070379) * t + 0.2226347) * t + 0.240390
    if kelvin < 2222.0:
        y = ((-1.1063814 * x - 1.34811020) * x + 2.18555832) * x - 0.20219683
    elif kelvin < 4000.0:
        y = ((-0.9549476 * x - 1.37418593) * x + 2.09137015) * x - 0.16748867
    else:
        y = ((3.0817580 * x - 5.87338670) * x + 3.75112997) * x - 0.37001483
    cx, cz = x / y, (1.0 - x - y) / y
    r = max(0.0, 3.2406 * cx - 1.5372 - 0.4986 * cz)
    g = max(0.0, -0.9689 * cx + 1.8758 + 0.0415 * cz)
    b = max(0.0, 0.0557 * cx - 0.2040 + 1.0570 * cz)
    m = _TO_ACESCG
    return m[0, 0] * r + m[0, 1] * g + m[0, 2] * b, m[1, 0] * r + m[1, 1] * g + m[1, 2] * b, m[2, 0] * r + m[2, 1] * g + m[2, 2] * b


@units.colour_node.made
def colour_node(code, op, registers):
    """Nodes of colours and of three numbers together."""
    a, b = registers[int(op[O_A])], registers[int(op[O_B])]
    if code == SATURATE:
        grey = luminance(a[0], a[1], a[2])
        return grey + b[0] * (a[0] - grey), grey + b[0] * (a[1] - grey), grey + b[0] * (a[2] - grey)
    if code == HSV_ADJUST:
        h, s, v = to_hsv(a[0], a[1], a[2])
        return from_hsv(h + b[0], s * b[1], v * b[2])
    if code == TO_HSV:
        return to_hsv(a[0], a[1], a[2])
    if code == FROM_HSV:
        return from_hsv(a[0], a[1], a[2])
    if code == COMBINE:
        return a[0], b[0], registers[int(op[O_C]), 0]
    if code == NORMALIZE:
        return normalized(a[0], a[1], a[2])
    if code == CROSS:
        return a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]
    if code == BLACKBODY:
        return blackbody(a[0])
    if code == ROTATE2:
        turn = math.radians(b[0])
        c, s = math.cos(turn), math.sin(turn)
        return c * a[0] + s * a[1], c * a[1] - s * a[0], 0.0
    if code == ROTATE3:
        x, y, z = normalized(registers[int(op[O_C]), 0], registers[int(op[O_C]), 1], registers[int(op[O_C]), 2])
        turn = math.radians(b[0])
        c, s = math.cos(turn), math.sin(turn)
        d = (x * a[0] + y * a[1] + z * a[2]) * (1.0 - c)
        return (
            a[0] * c + (a[1] * z - a[2] * y) * s + x * d, a[1] * c + (a[2] * x - a[0] * z) * s + y * d, a[2] * c + (a[0] * y - a[1] * x) * s + z * d,
        )  # fmt: skip
    if code == PLACE2:
        pivot, scale, turned, offset = b, registers[int(op[O_C])], registers[int(op[O_P])], registers[int(op[O_P + 1])]
        x, y = a[0] - pivot[0], a[1] - pivot[1]
        turn = math.radians(turned[0])
        c, s = math.cos(turn), math.sin(turn)
        if op[O_FLAG] > 0.0:
            x, y = x - offset[0], y - offset[1]
            x, y = c * x + s * y, c * y - s * x
            x, y = divided(x, scale[0]), divided(y, scale[1])
        else:
            x, y = divided(x, scale[0]), divided(y, scale[1])
            x, y = c * x + s * y - offset[0], c * y - s * x - offset[1]
        return x + pivot[0], y + pivot[1], 0.0
    v = 0.0
    if code == MAGNITUDE:
        v = math.sqrt(a[0] * a[0] + a[1] * a[1] + a[2] * a[2])
    elif code == DOT:
        v = a[0] * b[0] + a[1] * b[1] + a[2] * b[2]
    elif code == DISTANCE:
        v = math.sqrt((a[0] - b[0]) ** 2 + (a[1] - b[1]) ** 2 + (a[2] - b[2]) ** 2)
    return v, v, v
