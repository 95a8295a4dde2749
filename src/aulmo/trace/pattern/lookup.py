"""Looking up pictures: between two of their smaller copies, so that a turning product does not shimmer.

A picture's row says where its texels lie in memory and how their codes become light; nothing is copied for a scene.

Reference: Williams 1983, "Pyramidal parametrics".
"""

import math

import numpy as np

from aulmo.surface.colour import SRGB_TO_ACESCG
from aulmo.surface.program import (
    J_COLOUR,
    J_CONTRAST,
    J_LOW,
    J_MATRIX,
    J_ON,
    J_POWER,
    J_SCALE,
    J_TURNED,
)
from aulmo.trace.compile.jit import byte_at, float_at, inlined, kernel, short_at
from aulmo.trace.compile import units

MOST_LEVELS = 15
# a picture's row; then width, height and first texel of each level
(T_LEVELS, T_CHANNELS, T_BYTES, T_TEXELS, T_DECODE, T_DECODE_ALPHA, T_SCALE, T_COLOUR, T_FIRST) = range(9)
TEXTURE_COLUMNS = T_FIRST + 3 * MOST_LEVELS
_TO_ACESCG = np.array(SRGB_TO_ACESCG)


@inlined
def _value(texels, decode, place, wide):
    code = np.uint64(byte_at(texels + place)) if wide == np.uint64(1) else np.uint64(short_at(texels + place * np.uint64(2)))
    return np.float64(float_at(decode + code * np.uint64(4)))


@inlined
def _bilinear(row, level, u, v, wraps):
    """Colour and alpha, the colour weighed by the alpha."""
    w, h = int(row[T_FIRST + 3 * level]), int(row[T_FIRST + 3 * level + 1])
    first = int(row[T_FIRST + 3 * level + 2])
    texels, decode, decode_alpha = np.uint64(row[T_TEXELS]), np.uint64(row[T_DECODE]), np.uint64(row[T_DECODE_ALPHA])
    channels, wide = int(row[T_CHANNELS]), np.uint64(row[T_BYTES])
    x, y = u * w - 0.5, v * h - 0.5
    i, j = int(math.floor(x)), int(math.floor(y))
    x, y = x - i, y - j
    r = g = b = a = 0.0
    for corner in range(4):
        p, q = i + (corner & 1), j + (corner >> 1)
        f = (x if corner & 1 else 1.0 - x) * (y if corner >> 1 else 1.0 - y)
        if wraps:
            p, q = p % w, q % h
        else:
            p, q = min(w - 1, max(0, p)), min(h - 1, max(0, q))
        at = np.uint64((first + q * w + p) * channels)
        if channels == 4 or channels == 2:
            f *= _value(texels, decode_alpha, at + np.uint64(channels - 1), wide)
        one = f * _value(texels, decode, at, wide)
        r += one
        if channels > 2:
            g += f * _value(texels, decode, at + np.uint64(1), wide)
            b += f * _value(texels, decode, at + np.uint64(2), wide)
        else:
            g += one
            b += one
        a += f
    return r, g, b, a


@units.look_up.made
def look_up(row, u, v, wide, wraps):
    """Colour and alpha of a picture at (u, v) (shares, right and down), averaged over `wide` (a share of its width); it goes on by repeating, or
    with its outermost texels where it does not `wrap`."""
    last = int(row[T_LEVELS]) - 1
    level = math.log2(max(1e-9, wide * row[T_FIRST]))
    level = min(float(last), max(0.0, level))
    k = min(last, int(level))
    f = level - k
    if wraps:
        u, v = u - math.floor(u), v - math.floor(v)
    r, g, b, a = _bilinear(row, k, u, v, wraps)
    if f > 0.0 and k < last:
        r1, g1, b1, a1 = _bilinear(row, k + 1, u, v, wraps)
        r, g, b, a = r + f * (r1 - r), g + f * (g1 - g), b + f * (b1 - b), a + f * (a1 - a)
    s = row[T_SCALE] / a if a > 1e-6 else 0.0
    r, g, b = r * s, g * s, b * s
    if row[T_COLOUR] > 0.0:
        r, g, b = (
            max(0.0, _TO_ACESCG[0, 0] * r + _TO_ACESCG[0, 1] * g + _TO_ACESCG[0, 2] * b),
            max(0.0, _TO_ACESCG[1, 0] * r + _TO_ACESCG[1, 1] * g + _TO_ACESCG[1, 2] * b),
            max(0.0, _TO_ACESCG[2, 0] * r + _TO_ACESCG[2, 1] * g + _TO_ACESCG[2, 2] * b),
        )
    return r, g, b, a


@inlined
def _level(value, numbers, at, colour):
    value = max(0.0, (value - numbers[at + J_LOW]) * numbers[at + J_SCALE])
    power = numbers[at + J_POWER]
    if power != 1.0:
        value = value**power
    if numbers[at + J_TURNED] > 0.0:
        # a colour is turned over as a display shows it
        value = max(0.0, 1.0 - value ** (1.0 / 2.2)) ** 2.2 if colour else 1.0 - value
    contrast = numbers[at + J_CONTRAST]
    if contrast != 1.0:
        value = 0.18 * (value / 0.18) ** contrast if colour else 0.5 + contrast * (value - 0.5)
    return value


@kernel
def adjusted(numbers, at, r, g, b):
    """A picture's colour after the adjustments whose numbers begin at `at`."""
    if numbers[at + J_ON] == 0.0:
        return r, g, b
    colour = numbers[at + J_COLOUR] > 0.0
    r, g, b = _level(r, numbers, at, colour), _level(g, numbers, at, colour), _level(b, numbers, at, colour)
    m = at + J_MATRIX
    return (
        numbers[m] * r + numbers[m + 1] * g + numbers[m + 2] * b,
        numbers[m + 3] * r + numbers[m + 4] * g + numbers[m + 5] * b,
        numbers[m + 6] * r + numbers[m + 7] * g + numbers[m + 8] * b,
    )
