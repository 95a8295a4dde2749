"""Light from the environment map and from glowing triangles: look up, sample, density.

The map is latitude-longitude with +z up; its centre column looks along +y and columns grow toward +x.
References: Pharr, Jakob & Humphreys, "Physically Based Rendering" 4th ed., 12.5 (image lights) and 12.6 (light choice).
"""

import math

import numpy as np

from aulmo.trace.jit import entry, inlined, kernel
from aulmo.surface.colour import LUMINANCE
from aulmo.trace.arrays import OPT_EMIT_TOTAL, OPT_ENV_CHANCE, OPT_ENV_SCALE
from aulmo.trace.openpbr import EMISSION
from aulmo.trace.quick_math import arc_turns


ROWS, COLUMNS = 128, 256
_Z = np.cos(np.arange(ROWS + 1) * np.pi / ROWS)
_SIN = np.sin(((np.arange(COLUMNS) + 0.5) / COLUMNS - 0.5) * 2 * np.pi)
_COS = np.cos(((np.arange(COLUMNS) + 0.5) / COLUMNS - 0.5) * 2 * np.pi)


def build_importance(env: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Alias table (Vose 1991) for sampling a map in proportion to its luminance and solid angle.

    Parameters
    ----------
    env : (h, w, 3) radiance in ACEScg.

    Returns
    -------
    pick : (ROWS * COLUMNS, 2) float32: chance of keeping the cell, density per steradian in it. alias : (ROWS * COLUMNS,) int32. No cell
    that can send light to a lookup has zero chance: cells are widened by one neighbour before normalising.
    """
    light = np.maximum(env @ LUMINANCE, 0.0)
    h, w = light.shape
    if h % ROWS == 0 and w % COLUMNS == 0:
        light = light.reshape(ROWS, h // ROWS, COLUMNS, w // COLUMNS).mean((1, 3))
    else:
        from scipy.ndimage import zoom

        light = zoom(light, (ROWS / h, COLUMNS / w), order=1, mode="nearest", grid_mode=True)
    wide = np.maximum(light, np.maximum(np.roll(light, 1, 1), np.roll(light, -1, 1)))
    padded = np.concatenate([wide[:1], wide, wide[-1:]])
    light = 0.5 * light + 0.5 * np.maximum(wide, np.maximum(padded[:-2], padded[2:]))
    solid = (2 * np.pi / COLUMNS * (_Z[:-1] - _Z[1:]))[:, None]
    weight = light * solid
    total = weight.sum()
    if not total > 0.0:
        weight, total = np.repeat(solid, COLUMNS, 1), 4 * np.pi
    chance = weight / total * (1 - 1e-4) + 1e-4 * solid / (4 * np.pi)
    chance /= chance.sum()
    pick = np.empty((ROWS * COLUMNS, 2), np.float32)
    pick[:, 1] = (chance / solid).ravel()
    alias = np.zeros(ROWS * COLUMNS, np.int32)
    keep = np.empty(ROWS * COLUMNS)
    _fill_alias(chance.ravel() * chance.size, keep, alias)
    pick[:, 0] = keep
    return pick, alias


@entry
def _fill_alias(scaled, keep, alias):
    n = len(scaled)
    small, large = np.empty(n, np.int64), np.empty(n, np.int64)
    ns = nl = 0
    for k in range(n):
        if scaled[k] < 1.0:
            small[ns] = k
            ns += 1
        else:
            large[nl] = k
            nl += 1
    while ns > 0 and nl > 0:
        ns -= 1
        low, high = small[ns], large[nl - 1]
        keep[low] = scaled[low]
        alias[low] = high
        scaled[high] -= 1.0 - scaled[low]
        if scaled[high] < 1.0:
            nl -= 1
            small[ns] = high
            ns += 1
    for k in range(nl):
        keep[large[k]] = 1.0
        alias[large[k]] = large[k]
    for k in range(ns):
        keep[small[k]] = 1.0
        alias[small[k]] = small[k]


@inlined
def to_map(turn, x, y, z):
    """Map coordinates 0..1 of a world direction."""
    mx = turn[0, 0] * x + turn[0, 1] * y + turn[0, 2] * z
    my = turn[1, 0] * x + turn[1, 1] * y + turn[1, 2] * z
    mz = turn[2, 0] * x + turn[2, 1] * y + turn[2, 2] * z
    return 0.5 + arc_turns(mx, my), 2.0 * arc_turns(math.sqrt(mx * mx + my * my), mz)


@inlined
def map_radiance(env, u, v, scale):
    """Bilinear radiance of the map at coordinates 0..1."""
    h, w = env.shape[0], env.shape[1]
    fx, fy = u * w + (w - 0.5), v * h - 0.5
    x0, y0 = int(fx), int(math.floor(fy))
    fx -= x0
    fy -= y0
    x1 = x0 + 1
    x0 = x0 - w if x0 >= w else x0
    x1 = x1 - w if x1 >= w else x1
    x0 = min(w - 1, x0)
    x1 = min(w - 1, x1)
    y1 = min(h - 1, y0 + 1)
    y0 = max(0, y0)
    a, b, c, d = (1.0 - fx) * (1.0 - fy) * scale, fx * (1.0 - fy) * scale, (1.0 - fx) * fy * scale, fx * fy * scale
    return (
        a * env[y0, x0, 0] + b * env[y0, x1, 0] + c * env[y1, x0, 0] + d * env[y1, x1, 0],
        a * env[y0, x0, 1] + b * env[y0, x1, 1] + c * env[y1, x0, 1] + d * env[y1, x1, 1],
        a * env[y0, x0, 2] + b * env[y0, x1, 2] + c * env[y1, x0, 2] + d * env[y1, x1, 2],
    )


@inlined
def map_density(pick, u, v):
    """Density per steradian with which `sample_env` picks the direction at map coordinates."""
    return pick[min(ROWS - 1, int(v * ROWS)) * COLUMNS + min(COLUMNS - 1, int(u * COLUMNS)), 1]


@inlined
def env_radiance(env, turn, scale, x, y, z):
    """Bilinear radiance of the environment along a direction."""
    u, v = to_map(turn, x, y, z)
    return map_radiance(env, u, v, scale)


@kernel
def env_density(pick, turn, x, y, z):
    """Density per steradian with which `sample_env` picks a direction."""
    u, v = to_map(turn, x, y, z)
    return map_density(pick, u, v)


@inlined
def sample_env(pick, alias, turn, s, t):
    """A world direction in proportion to the map's brightness. Returns (x, y, z, density, u, v)."""
    s *= ROWS * COLUMNS
    k = min(ROWS * COLUMNS - 1, int(s))
    f = s - k
    keep = pick[k, 0]
    if f < keep:
        f /= keep
    else:
        f = (f - keep) / (1.0 - keep)
        k = alias[k]
    j = k // COLUMNS
    i = k - j * COLUMNS
    mz = _Z[j] + (_Z[j + 1] - _Z[j]) * t
    sine = math.sqrt(max(0.0, 1.0 - mz * mz))
    d = (f - 0.5) * (2.0 * math.pi / COLUMNS)
    cd, sd = 1.0 - 0.5 * d * d, d * (1.0 - d * d * (1.0 / 6.0))
    mx, my = sine * (_SIN[i] * cd + _COS[i] * sd), sine * (_COS[i] * cd - _SIN[i] * sd)
    return (
        turn[0, 0] * mx + turn[1, 0] * my + turn[2, 0] * mz,
        turn[0, 1] * mx + turn[1, 1] * my + turn[2, 1] * mz,
        turn[0, 2] * mx + turn[1, 2] * my + turn[2, 2] * mz,
        np.float64(pick[k, 1]),
        (i + f) / COLUMNS,
        2.0 * arc_turns(sine, mz),
    )


@kernel
def _find(cumulative, value):
    low, high = 0, len(cumulative) - 1
    while high - low > 1:
        middle = (low + high) >> 1
        if cumulative[middle] <= value:
            low = middle
        else:
            high = middle
    return low


@inlined
def luminance(r, g, b):
    """Luminance of linear ACEScg (AP1 to XYZ, middle row)."""
    return 0.2722287 * r + 0.6740818 * g + 0.0536895 * b


@inlined
def emitter_density(scene, options, material):
    """Density per area with which a point of a glowing triangle is picked, given that an emitter was chosen."""
    m = scene.materials[material]
    return luminance(m[EMISSION], m[EMISSION + 1], m[EMISSION + 2]) / options[OPT_EMIT_TOTAL]


@inlined
def sample_light(scene, options, px, py, pz, select, s, t):
    """One direction toward a light from a point.

    Returns (dx, dy, dz, distance, red, green, blue, density per steradian); density 0 means none.
    """
    chance = options[OPT_ENV_CHANCE]
    if select < chance:
        x, y, z, density, u, v = sample_env(scene.env_pick, scene.env_alias, scene.env_turn, s, t)
        r, g, b = map_radiance(scene.env, u, v, options[OPT_ENV_SCALE])
        return x, y, z, 1e30, r, g, b, density * chance
    if len(scene.emit_cumulative) == 0:
        return 0.0, 0.0, 1.0, 1.0, 0.0, 0.0, 0.0, 0.0
    k = _find(scene.emit_cumulative, (select - chance) / (1.0 - chance))
    c = scene.emit_corners[k]
    root = math.sqrt(s)
    b1, b2 = 1.0 - root, t * root
    b0 = 1.0 - b1 - b2
    x = b0 * c[0] + b1 * c[3] + b2 * c[6] - px
    y = b0 * c[1] + b1 * c[4] + b2 * c[7] - py
    z = b0 * c[2] + b1 * c[5] + b2 * c[8] - pz
    distance = math.sqrt(x * x + y * y + z * z)
    if distance < 1e-12:
        return 0.0, 0.0, 1.0, 1.0, 0.0, 0.0, 0.0, 0.0
    x, y, z = x / distance, y / distance, z / distance
    e1x, e1y, e1z = c[3] - c[0], c[4] - c[1], c[5] - c[2]
    e2x, e2y, e2z = c[6] - c[0], c[7] - c[1], c[8] - c[2]
    nx, ny, nz = e1y * e2z - e1z * e2y, e1z * e2x - e1x * e2z, e1x * e2y - e1y * e2x
    length = math.sqrt(nx * nx + ny * ny + nz * nz)
    cosine = abs(nx * x + ny * y + nz * z) / max(1e-30, length)
    if cosine < 1e-9:
        return 0.0, 0.0, 1.0, 1.0, 0.0, 0.0, 0.0, 0.0
    material = scene.emit_material[k]
    m = scene.materials[material]
    density = emitter_density(scene, options, material) * distance * distance / cosine * (1.0 - chance)
    return x, y, z, distance, m[EMISSION], m[EMISSION + 1], m[EMISSION + 2], density
