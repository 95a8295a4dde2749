"""Patterns that fill space, in a part's own millimetres: noise, cells, stripes, wood, cloth.

Each is averaged over the footprint or fades into its mean where it is too fine to be seen, so that nothing shimmers.

References: Perlin 2002, "Improving noise"; Worley 1996, "A cellular texture basis function"; Peachey 1985, "Solid texturing of complex
surfaces" (wood as rings about a trunk).
"""

import math

import numpy as np

from aulmo.surface.program import CHECKER, DOTS, O_P, STRIPES, WIDEST_FIBRE, WOOD
from aulmo.trace.compile.jit import inlined, kernel
from aulmo.trace.compile.quick_math import sine_cosine


@inlined
def lattice(i, j, k, seed):
    """A well mixed number of a lattice point (multiply and fold)."""
    h = np.uint64(i) * np.uint64(0x9E3779B97F4A7C15) + np.uint64(j) * np.uint64(0xC2B2AE3D27D4EB4F)
    h += np.uint64(k) * np.uint64(0x165667B19E3779F9) + np.uint64(seed) * np.uint64(0x27D4EB2F165667C5)
    h ^= h >> np.uint64(32)
    h *= np.uint64(0xD6E8FEB86659FD93)
    return h >> np.uint64(32)


# Perlin's gradients: the middles of a cube's edges, four of them twice
_SLOPES = np.array(
    [
        (1, 1, 0), (-1, 1, 0), (1, -1, 0), (-1, -1, 0), (1, 0, 1), (-1, 0, 1), (1, 0, -1), (-1, 0, -1),
        (0, 1, 1), (0, -1, 1), (0, 1, -1), (0, -1, -1), (1, 1, 0), (0, -1, 1), (-1, 1, 0), (0, -1, -1),
    ],
    float,
)  # fmt: skip


@inlined
def _slope(h, x, y, z):
    g = h & np.uint64(15)
    return _SLOPES[g, 0] * x + _SLOPES[g, 1] * y + _SLOPES[g, 2] * z


@inlined
def _blend(u, v, i, j, k, seed, x, y, z):
    """Gradients of four lattice points of a layer, blended."""
    a = _slope(lattice(i, j, k, seed), x, y, z)
    b = _slope(lattice(i + 1, j, k, seed), x - 1.0, y, z)
    c = _slope(lattice(i, j + 1, k, seed), x, y - 1.0, z)
    d = _slope(lattice(i + 1, j + 1, k, seed), x - 1.0, y - 1.0, z)
    a, c = a + u * (b - a), c + u * (d - c)
    return a + v * (c - a)


@kernel
def gradient_noise(x, y, z, seed):
    """Perlin's gradient noise, about -1..1."""
    return inner_noise(x, y, z, seed)


@inlined
def inner_noise(x, y, z, seed):
    """The same, compiled into its caller."""
    i, j, k = int(math.floor(x)), int(math.floor(y)), int(math.floor(z))
    x, y, z = x - i, y - j, z - k
    u, v, w = x * x * x * (x * (x * 6 - 15) + 10), y * y * y * (y * (y * 6 - 15) + 10), z * z * z * (z * (z * 6 - 15) + 10)
    low = _blend(u, v, i, j, k, seed, x, y, z)
    high = _blend(u, v, i, j, k + 1, seed, x, y, z - 1.0)
    return low + w * (high - low)


@kernel
def fractal(x, y, z, octaves, lacunarity, gain, seed, wide):
    """Octaves of gradient noise, 0..1 about a half; those finer than the footprint `wide` (in the first octave's size) are left out."""
    total, amplitude, most, size = 0.0, 1.0, 0.0, 1.0
    for k in range(int(octaves)):
        shown = min(1.0, max(0.0, 1.0 / max(1e-6, wide * size) - 0.5))
        if shown > 0.0:
            total += shown * amplitude * gradient_noise(x * size, y * size, z * size, seed + k)
        most += amplitude
        amplitude *= gain
        size *= lacunarity
    return min(1.0, max(0.0, 0.5 + 0.6 * total / max(1e-9, most)))


@inlined
def seen(size, wide):
    """How much of a pattern with features of `size` is still seen over a footprint, 0..1."""
    return min(1.0, max(0.0, size / max(1e-9, wide) - 0.5))


@inlined
def folded(value, fold, mean, wide):
    """Noise about a half turned into veins where it crosses the half; `mean` is what the veins average to over a footprint too wide to show
    them, `wide` the footprint in the noise's own size."""
    shown = seen(1.0, wide)
    return value + fold * (mean + shown * (abs(2.0 * value - 1.0) - mean) - value)


@kernel
def nearest_cell(x, y, z, jitter, seed):
    """Distance to the nearest of the points strewn one to a unit cell, 0..1."""
    i, j, k = int(math.floor(x)), int(math.floor(y)), int(math.floor(z))
    best = 9.0
    for a in range(i - 1, i + 2):
        for b in range(j - 1, j + 2):
            for c in range(k - 1, k + 2):
                h = lattice(a, b, c, seed)
                px = a + 0.5 + jitter * (np.float64(h & np.uint64(1023)) / 1023.0 - 0.5)
                py = b + 0.5 + jitter * (np.float64((h >> np.uint64(10)) & np.uint64(1023)) / 1023.0 - 0.5)
                pz = c + 0.5 + jitter * (np.float64((h >> np.uint64(20)) & np.uint64(1023)) / 1023.0 - 0.5)
                d = (x - px) * (x - px) + (y - py) * (y - py) + (z - pz) * (z - pz)
                best = min(best, d)
    return min(1.0, math.sqrt(best))


@inlined
def _pulse(t, share, wide):
    """Share of the interval t +- wide/2 that lies in the first `share` of each unit: a stripe averaged over the footprint."""
    half = 0.5 * max(1e-9, wide)
    return (_ramp_sum(t + half, share) - _ramp_sum(t - half, share)) / (2.0 * half)


@inlined
def _ramp_sum(t, share):
    f = math.floor(t)
    return f * share + min(t - f, share)


@inlined
def even_of(h, bits):
    """Ten bits of a hash as a number in 0..1."""
    return np.float64((h >> np.uint64(bits)) & np.uint64(1023)) / 1023.0


# means of the profile of a ring and, by numeric integration, of woven yarn; what a footprint too wide to see them is given
_RING_MEAN, _YARN_MEAN = 0.9 / 4.0 + 0.1 / 2.0, 0.730


@kernel
def wood(op, x, y, z, wide):
    """Share of late wood at a point of a trunk or of boards sawn from trunks, 0..1, after Peachey 1985.

    Rings about a wavering, slightly tapering pith, each darkening slowly and ending sharply; fibres and pores along the trunk.
    """
    ring, board, axis, pith, waver, fibre = op[O_P], op[O_P + 1], int(op[O_P + 2]), op[O_P + 5], op[O_P + 6], op[O_P + 7]
    seed = int(op[O_P + 8])
    if axis == 0:
        x, y, z = y, z, x
    elif axis == 1:
        x, y, z = z, x, y
    # from here on the trunk stands along z
    tone = 0.0
    turn = 0.11
    if board > 0.0:
        n = math.floor((x * op[O_P + 3] + y * op[O_P + 4]) / board)
        h = lattice(int(n), 5, 11, seed)
        x, y = x - (n + 0.5) * board * op[O_P + 3], y - (n + 0.5) * board * op[O_P + 4]
        z += 9000.0 * even_of(h, 0)
        turn = even_of(h, 10)
        tone = seen(board, wide) * (even_of(h, 20) - 0.5)
        seed += int(n)
    sine, cosine = sine_cosine(turn)
    x, y = x + pith * cosine, y + pith * sine
    share, f = _RING_MEAN, 0.5
    rings = seen(ring, wide)
    if rings > 0.0:
        far = math.sqrt(x * x + y * y) + 0.012 * z
        s = 1.0 / (9.0 * ring)
        wave = 2.2 * gradient_noise(x * s, y * s, z * s * 0.12, seed)
        wave += 0.25 * gradient_noise(x * s * 4.0, y * s * 4.0, z * s * 0.5, seed + 1)
        far = (far + waver * ring * wave) / ring
        k = math.floor(far)
        f = far - k
        grown = f / 0.9
        profile = grown * grown * grown if f < 0.9 else (1.0 - f) / 0.1
        profile *= 0.65 + 0.7 * even_of(lattice(int(k), 3, 17, seed), 0)
        share += rings * (profile - _RING_MEAN)
    share = 0.12 + 0.75 * share + 0.35 * tone
    if fibre > 0.0:
        streaks = seen(WIDEST_FIBRE, wide)
        if streaks > 0.0:
            share += 0.22 * fibre * streaks * gradient_noise(x / WIDEST_FIBRE, y / WIDEST_FIBRE, z / 90.0, seed + 2)
        fine = seen(0.45, wide)
        if fine > 0.0:
            share += 0.18 * fibre * fine * gradient_noise(x / 0.45, y / 0.45, z / 30.0, seed + 3)
            pore = gradient_noise(x / 0.32, y / 0.32, z / 5.0, seed + 4) - 0.25
            share += 1.3 * fibre * fine * max(0.0, pore) * (1.0 - 0.6 * f)
    return min(1.0, max(0.0, share))


@kernel
def weave(u, v, size, over, uneven, seed, wide):
    """Height of cloth, 0 between the yarns to 1 on top of them, at a place in mm; each yarn goes over and under `over` others in turn."""
    u, v, wide = u / size, v / size, wide / size
    shown = seen(1.0, wide)
    if shown == 0.0:
        return _YARN_MEAN
    i, j = math.floor(u), math.floor(v)
    fu, fv = 2.0 * (u - i) - 1.0, 2.0 * (v - j) - 1.0
    warp = 0.4 * math.sin(math.pi * (v + i) / over) + 0.6 * math.sqrt(max(0.0, 1.0 - fu * fu))
    weft = -0.4 * math.sin(math.pi * (u + j) / over) + 0.6 * math.sqrt(max(0.0, 1.0 - fv * fv))
    if uneven > 0.0:
        warp *= 1.0 + uneven * gradient_noise(i * 3.7 + 0.5, v / 7.0, 0.5, seed)
        weft *= 1.0 + uneven * gradient_noise(j * 3.7 + 0.5, u / 7.0, 9.5, seed)
    return _YARN_MEAN + shown * (min(1.0, max(0.0, max(warp, weft))) - _YARN_MEAN)


@inlined
def pattern_share(op, code, x, y, z, wide):
    """How much of a pattern's second colour there is at a point: checker, stripes, dots, wood or ramp."""
    if code == WOOD:
        return wood(op, x, y, z, wide)
    if code == CHECKER:
        s = 0.5 / op[O_P]
        w = wide * s
        p, q, t = _pulse(x * s, 0.5, w), _pulse(y * s, 0.5, w), _pulse(z * s, 0.5, w)
        return 0.5 - 0.5 * (2.0 * p - 1.0) * (2.0 * q - 1.0) * (2.0 * t - 1.0)
    axis = int(op[O_P + 2])
    if code == DOTS:
        p, q = (y, z) if axis == 0 else (z, x) if axis == 1 else (x, y)
        p, q = p / op[O_P], q / op[O_P]
        p, q = p - math.floor(p) - 0.5, q - math.floor(q) - 0.5
        edge = max(1e-6, wide / op[O_P])
        return min(1.0, max(0.0, 0.5 + (0.5 * op[O_P + 1] - math.sqrt(p * p + q * q)) / edge))
    along = x if axis == 0 else y if axis == 1 else z
    if code == STRIPES:
        return _pulse(along / op[O_P], min(1.0, max(0.0, op[O_P + 1])), wide / op[O_P])
    span = op[O_P + 1] - op[O_P]
    return min(1.0, max(0.0, (along - op[O_P]) / span)) if span != 0.0 else 0.0
