"""The noises of the MaterialX standard library: Perlin, cells and Worley over Jenkins' hash, value for value.

References: MaterialX specification, v1.39, and the noise functions of its library; Perlin 2002, "Improving noise"; Worley 1996, "A cellular texture
basis function"; Jenkins 2006, the final mix of lookup3.
"""

import math

import numpy as np

from aulmo.trace.compile.jit import inlined, kernel

_LOW = np.uint64(0xFFFFFFFF)
_START = 0xDEADBEEF + 13


@inlined
def _turned(x, k):
    return ((x << np.uint64(k)) | (x >> np.uint64(32 - k))) & _LOW


@inlined
def _final(a, b, c):
    c = ((c ^ b) - _turned(b, 14)) & _LOW
    a = ((a ^ c) - _turned(c, 11)) & _LOW
    b = ((b ^ a) - _turned(a, 25)) & _LOW
    c = ((c ^ b) - _turned(b, 16)) & _LOW
    a = ((a ^ c) - _turned(c, 4)) & _LOW
    b = ((b ^ a) - _turned(a, 14)) & _LOW
    return ((c ^ b) - _turned(b, 24)) & _LOW


@kernel
def hash2(x, y):
    """32 bits of a lattice point of the plane."""
    s = np.uint64(_START + 8)
    return _final((s + np.uint64(x)) & _LOW, (s + np.uint64(y)) & _LOW, s)


@kernel
def hash3(x, y, z):
    """32 bits of a lattice point in space."""
    s = np.uint64(_START + 12)
    return _final((s + np.uint64(x)) & _LOW, (s + np.uint64(y)) & _LOW, (s + np.uint64(z)) & _LOW)


@kernel
def hash4(x, y, z, w):
    """32 bits of a lattice point in space and a fourth number."""
    s = np.uint64(_START + 16)
    a, b, c = (s + np.uint64(x)) & _LOW, (s + np.uint64(y)) & _LOW, (s + np.uint64(z)) & _LOW
    a = ((a - c) & _LOW) ^ _turned(c, 4)
    c = (c + b) & _LOW
    b = ((b - a) & _LOW) ^ _turned(a, 6)
    a = (a + c) & _LOW
    c = ((c - b) & _LOW) ^ _turned(b, 8)
    b = (b + a) & _LOW
    a = ((a - c) & _LOW) ^ _turned(c, 16)
    c = (c + b) & _LOW
    b = ((b - a) & _LOW) ^ _turned(a, 19)
    a = (a + c) & _LOW
    c = ((c - b) & _LOW) ^ _turned(b, 4)
    b = (b + a) & _LOW
    return _final((a + np.uint64(w)) & _LOW, b, c)


@inlined
def share_of(bits):
    """32 bits as a number in 0..1."""
    return np.float64(bits) / 4294967295.0


@inlined
def _slope2(h, x, y):
    u, v = (x, 2.0 * y) if h & np.uint64(7) < np.uint64(4) else (y, 2.0 * x)
    return (-u if h & np.uint64(1) else u) + (-v if h & np.uint64(2) else v)


@inlined
def _slope3(h, x, y, z):
    h = h & np.uint64(15)
    u = x if h < np.uint64(8) else y
    v = y if h < np.uint64(4) else x if (h == np.uint64(12) or h == np.uint64(14)) else z
    return (-u if h & np.uint64(1) else u) + (-v if h & np.uint64(2) else v)


@inlined
def _fade(t):
    return t * t * t * (t * (t * 6.0 - 15.0) + 10.0)


@inlined
def cell_of(x):
    """The whole number below, within what a hash takes."""
    return np.int64(math.floor(min(2e9, max(-2e9, x))))


@kernel
def perlin2(x, y):
    """Perlin's noise of the plane, about -1..1."""
    i, j = cell_of(x), cell_of(y)
    x, y = x - i, y - j
    u, v = _fade(x), _fade(y)
    low = (1.0 - u) * _slope2(hash2(i, j), x, y) + u * _slope2(hash2(i + 1, j), x - 1.0, y)
    high = (1.0 - u) * _slope2(hash2(i, j + 1), x, y - 1.0) + u * _slope2(hash2(i + 1, j + 1), x - 1.0, y - 1.0)
    return 0.6616 * ((1.0 - v) * low + v * high)


@kernel
def perlin3(x, y, z):
    """Perlin's noise of space, about -1..1."""
    i, j, k = cell_of(x), cell_of(y), cell_of(z)
    x, y, z = x - i, y - j, z - k
    u, v, w = _fade(x), _fade(y), _fade(z)
    total = 0.0
    for c in range(8):
        p, q, r = c & 1, (c >> 1) & 1, c >> 2
        f = (u if p else 1.0 - u) * (v if q else 1.0 - v) * (w if r else 1.0 - w)
        total += f * _slope3(hash3(i + p, j + q, k + r), x - p, y - q, z - r)
    return 0.9820 * total


@kernel
def worley2(x, y, jitter, cells):
    """Distance to the nearest of the points strewn one to a cell of the plane, or the number of its cell."""
    i, j = cell_of(x), cell_of(y)
    fx, fy = x - i, y - j
    best, bx, by = 1e6, 0.0, 0.0
    for p in range(-1, 2):
        for q in range(-1, 2):
            dx = p + (share_of(hash3(i + p, j + q, 0)) - 0.5) * jitter + 0.5 - fx
            dy = q + (share_of(hash3(i + p, j + q, 1)) - 0.5) * jitter + 0.5 - fy
            d = dx * dx + dy * dy
            if d < best:
                best, bx, by = d, dx, dy
    if cells:
        return share_of(hash2(cell_of(bx + x), cell_of(by + y)))
    return math.sqrt(best)


@kernel
def worley3(x, y, z, jitter, cells):
    """The same in space."""
    i, j, k = cell_of(x), cell_of(y), cell_of(z)
    fx, fy, fz = x - i, y - j, z - k
    best, bx, by, bz = 1e6, 0.0, 0.0, 0.0
    for p in range(-1, 2):
        for q in range(-1, 2):
            for r in range(-1, 2):
                dx = p + (share_of(hash4(i + p, j + q, k + r, 0)) - 0.5) * jitter + 0.5 - fx
                dy = q + (share_of(hash4(i + p, j + q, k + r, 1)) - 0.5) * jitter + 0.5 - fy
                dz = r + (share_of(hash4(i + p, j + q, k + r, 2)) - 0.5) * jitter + 0.5 - fz
                d = dx * dx + dy * dy + dz * dz
                if d < best:
                    best, bx, by, bz = d, dx, dy, dz
    if cells:
        return share_of(hash3(cell_of(bx + x), cell_of(by + y), cell_of(bz + z)))
    return math.sqrt(best)
