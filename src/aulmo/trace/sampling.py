"""Owen-scrambled Sobol points and warps from the unit square.

References: Burley 2020, "Practical hash-based Owen scrambling"; Ahmed 2024, "An implementation algorithm of 2D Sobol
sequence"; Laine & Karras 2011 (the scrambling hash); Shirley & Chiu 1997 (concentric disc).
"""

import math

import numpy as np

from aulmo.trace.jit import inlined, kernel
from aulmo.trace.quick_math import sine_cosine

_M = np.uint64(0xFFFFFFFF)
_TO_UNIT = 2.0**-32


@inlined
def hash32(value):
    """A 32-bit integer hash with good avalanche (Wellons' low-bias constants)."""
    x = np.uint64(value) & _M
    x ^= x >> np.uint64(16)
    x = (x * np.uint64(0x7FEB352D)) & _M
    x ^= x >> np.uint64(15)
    x = (x * np.uint64(0x846CA68B)) & _M
    x ^= x >> np.uint64(16)
    return x


@inlined
def reverse_bits(value):
    """Reverse the low 32 bits."""
    x = value
    x = ((x >> np.uint64(1)) & np.uint64(0x55555555)) | ((x & np.uint64(0x55555555)) << np.uint64(1))
    x = ((x >> np.uint64(2)) & np.uint64(0x33333333)) | ((x & np.uint64(0x33333333)) << np.uint64(2))
    x = ((x >> np.uint64(4)) & np.uint64(0x0F0F0F0F)) | ((x & np.uint64(0x0F0F0F0F)) << np.uint64(4))
    x = ((x >> np.uint64(8)) & np.uint64(0x00FF00FF)) | ((x & np.uint64(0x00FF00FF)) << np.uint64(8))
    return ((x >> np.uint64(16)) | (x << np.uint64(16))) & _M


@inlined
def _scramble_reversed(x, seed):
    """Owen scrambling of a bit-reversed value (Laine & Karras, constants of Burley 2020)."""
    x = (x + seed) & _M
    x ^= (x * np.uint64(0x6C50B47C)) & _M
    x ^= (x * np.uint64(0xB82F1E52)) & _M
    x ^= (x * np.uint64(0xC7AFE638)) & _M
    x ^= (x * np.uint64(0x8D22F6E6)) & _M
    return x


@inlined
def draw_2d(index, seed):
    """Point `index` of an Owen-scrambled, index-shuffled 2D Sobol set; `seed` tells pixel and dimension apart."""
    h = hash32(seed)
    shuffled = reverse_bits(_scramble_reversed(reverse_bits(np.uint64(index)), h))
    h = hash32(h + np.uint64(0x9E3779B9))
    u = reverse_bits(_scramble_reversed(shuffled, h))
    h = hash32(h + np.uint64(0x9E3779B9))
    v = reverse_bits(_scramble_reversed(sobol_second_lsb(shuffled), h))
    return np.float64(u) * _TO_UNIT, np.float64(v) * _TO_UNIT


@inlined
def sobol_second_lsb(index):
    """Second Sobol dimension with its most significant digit in the lowest bit."""
    x = index
    x ^= (x >> np.uint64(16)) & np.uint64(0x0000FFFF)
    x ^= (x >> np.uint64(8)) & np.uint64(0x00FF00FF)
    x ^= (x >> np.uint64(4)) & np.uint64(0x0F0F0F0F)
    x ^= (x >> np.uint64(2)) & np.uint64(0x33333333)
    x ^= (x >> np.uint64(1)) & np.uint64(0x55555555)
    return x


@inlined
def draw_1d(index, seed):
    """A plain hashed number in [0, 1)."""
    return np.float64(hash32(hash32(np.uint64(index)) ^ hash32(seed + np.uint64(0x68BC21EB)))) * _TO_UNIT


@inlined
def draw_quick(index, seed):
    """Two plain hashed numbers in [0, 1): deep in a path, where even points no longer pay for themselves."""
    h = hash32(hash32(np.uint64(index) + np.uint64(0x9E3779B9)) ^ seed)
    return np.float64(h) * _TO_UNIT, np.float64(hash32(h ^ np.uint64(0x68BC21EB))) * _TO_UNIT


@kernel
def concentric_disc(u, v):
    """Uniform point of the unit disc."""
    a, b = 2.0 * u - 1.0, 2.0 * v - 1.0
    if a == 0.0 and b == 0.0:
        return 0.0, 0.0
    if abs(a) > abs(b):
        s, c = sine_cosine(0.125 * b / a)
        return a * c, a * s
    s, c = sine_cosine(0.125 * a / b)
    return b * s, b * c


@kernel
def cosine_hemisphere(u, v):
    """Direction about +z with density cos/pi."""
    x, y = concentric_disc(u, v)
    return x, y, math.sqrt(max(0.0, 1.0 - x * x - y * y))


@inlined
def frame_about(nx, ny, nz):
    """Two unit tangents of a unit normal (Duff et al. 2017)."""
    sign = 1.0 if nz >= 0.0 else -1.0
    a = -1.0 / (sign + nz)
    b = nx * ny * a
    return 1.0 + sign * nx * nx * a, sign * b, -sign * nx, b, sign + ny * ny * a, -ny
