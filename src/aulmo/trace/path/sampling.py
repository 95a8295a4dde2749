"""Owen-scrambled Sobol points and warps from the unit square.

References: Burley 2020, "Practical hash-based Owen scrambling"; Ahmed 2024, "An implementation algorithm of 2D Sobol
sequence"; Laine & Karras 2011 (the scrambling hash); Joe & Kuo 2008, "Constructing Sobol sequences with better two-dimensional
projections" (direction numbers); Shirley & Chiu 1997 (concentric disc).
"""

import math

import numpy as np

from aulmo.trace.compile.jit import inlined, kernel
from aulmo.trace.compile.quick_math import sine_cosine

_U = np.uint32
_TO_UNIT = 2.0**-32
_JOINT_BITS = 20  # a pixel's samples beyond a million would repeat the first ones


def _directions(degree: int, coefficients: int, first: tuple[int, ...]) -> list[int]:
    """Direction numbers of one Sobol dimension with their binary digits reversed, from a primitive polynomial and its first odd numbers."""
    m = list(first)
    for k in range(degree, _JOINT_BITS):
        value = m[k - degree] ^ (m[k - degree] << degree)
        for j in range(1, degree):
            value ^= ((coefficients >> (degree - 1 - j)) & 1) * (m[k - j] << j)
        m.append(value)
    return [int(f"{m[k] << (31 - k):032b}"[::-1], 2) for k in range(_JOINT_BITS)]


_THIRD, _FOURTH = np.array([_directions(2, 1, (1, 3)), _directions(3, 1, (1, 3, 1))], np.uint32)


@inlined
def hash32(value):
    """A 32-bit integer hash of the low 32 bits, with good avalanche (Wellons' low-bias constants)."""
    x = _U(value)
    x = _U(x ^ (x >> _U(16)))
    x = _U(x * _U(0x7FEB352D))
    x = _U(x ^ (x >> _U(15)))
    x = _U(x * _U(0x846CA68B))
    return _U(x ^ (x >> _U(16)))


@inlined
def reverse_bits(value):
    """Reverse the low 32 bits."""
    x = _U(value)
    x = _U(((x >> _U(1)) & _U(0x55555555)) | ((x & _U(0x55555555)) << _U(1)))
    x = _U(((x >> _U(2)) & _U(0x33333333)) | ((x & _U(0x33333333)) << _U(2)))
    x = _U(((x >> _U(4)) & _U(0x0F0F0F0F)) | ((x & _U(0x0F0F0F0F)) << _U(4)))
    x = _U(((x >> _U(8)) & _U(0x00FF00FF)) | ((x & _U(0x00FF00FF)) << _U(8)))
    return _U((x >> _U(16)) | (x << _U(16)))


@inlined
def _scramble_reversed(x, seed):
    """Owen scrambling of a bit-reversed value (Laine & Karras, constants of Burley 2020)."""
    x = _U(x + seed)
    x = _U(x ^ _U(x * _U(0x6C50B47C)))
    x = _U(x ^ _U(x * _U(0xB82F1E52)))
    x = _U(x ^ _U(x * _U(0xC7AFE638)))
    return _U(x ^ _U(x * _U(0x8D22F6E6)))


@inlined
def draw_2d(index, seed):
    """Point `index` of an Owen-scrambled, index-shuffled 2D Sobol set; the low 32 bits of `seed` tell pixel and dimension apart."""
    u, v = draw_bits(index, seed)
    return np.float64(u) * _TO_UNIT, np.float64(v) * _TO_UNIT


@inlined
def draw_bits(index, seed):
    """`draw_2d` as two 32-bit numbers."""
    h = hash32(seed)
    shuffled = reverse_bits(_scramble_reversed(reverse_bits(index), h))
    h = hash32(h + _U(0x9E3779B9))
    u = reverse_bits(_scramble_reversed(shuffled, h))
    h = hash32(h + _U(0x9E3779B9))
    return u, reverse_bits(_scramble_reversed(sobol_second_lsb(shuffled), h))


@inlined
def sobol_second_lsb(index):
    """Second Sobol dimension with its most significant digit in the lowest bit."""
    x = _U(index)
    x = _U(x ^ ((x >> _U(16)) & _U(0x0000FFFF)))
    x = _U(x ^ ((x >> _U(8)) & _U(0x00FF00FF)))
    x = _U(x ^ ((x >> _U(4)) & _U(0x0F0F0F0F)))
    x = _U(x ^ ((x >> _U(2)) & _U(0x33333333)))
    return _U(x ^ ((x >> _U(1)) & _U(0x55555555)))


@inlined
def draw_1d(index, seed):
    """A plain hashed number in [0, 1)."""
    return np.float64(hash32(hash32(index) ^ hash32(seed + np.uint64(0x68BC21EB)))) * _TO_UNIT


@inlined
def draw_quick(index, seed):
    """Two plain hashed numbers in [0, 1): deep in a path, where even points no longer pay for themselves."""
    u, v = quick_bits(index, seed)
    return np.float64(u) * _TO_UNIT, np.float64(v) * _TO_UNIT


@inlined
def quick_bits(index, seed):
    """`draw_quick` as two 32-bit numbers."""
    h = hash32(hash32(index + np.uint64(0x9E3779B9)) ^ _U(seed))
    return h, hash32(h ^ _U(0x68BC21EB))


@inlined
def draw_wave(indices, seeds, offset, even, lanes, to_u, to_v):
    """`draw_2d`, or `draw_quick` where not `even`, for a wave of paths at once: the compiler makes vector code of these loops.

    indices, seeds : (lanes,) uint32. to_u, to_v : (lanes,) uint32 to be filled; `unit` makes numbers of them.
    """
    if even:
        for k in range(lanes):
            to_u[k], to_v[k] = draw_bits(indices[k], _U(seeds[k] + offset))
    else:
        for k in range(lanes):
            to_u[k], to_v[k] = quick_bits(indices[k], _U(seeds[k] + offset))


@inlined
def draw_joint(indices, seeds, pair, lanes, to_u, to_v):
    """The first (`pair` 0) or last two (1) dimensions of one Owen-scrambled four-dimensional Sobol set, for a wave of paths at once.

    What depends on both pairs, as a highlight depends on the place in the pixel and on the way the light took, converges faster than by
    two sets of two dimensions. Arguments as for `draw_wave`.
    """
    for k in range(lanes):
        u, v = _U(indices[k]), sobol_second_lsb(indices[k])
        if pair == 1:
            u = v = _U(0)
            for b in range(_JOINT_BITS):
                on = _U(0) - _U((indices[k] >> _U(b)) & _U(1))
                u = _U(u ^ (on & _THIRD[b]))
                v = _U(v ^ (on & _FOURTH[b]))
        h = hash32(seeds[k] + _U(0x51ED270B) + _U(pair))
        to_u[k] = reverse_bits(_scramble_reversed(u, h))
        to_v[k] = reverse_bits(_scramble_reversed(v, hash32(h + _U(0x9E3779B9))))


@inlined
def unit(bits):
    """A number in [0, 1) from 32 bits."""
    return np.float64(bits) * _TO_UNIT


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
