"""Light from everywhere: the environment map looked up and sampled, and the choice between it and the lamps.

The map is latitude-longitude with +z up; its centre column looks along +y and columns grow toward +x.
References: Pharr, Jakob & Humphreys, "Physically Based Rendering" 4th ed., 12.5 (image lights) and 12.6 (light choice).
"""

import math

import numpy as np

from aulmo.trace.compile.borrowed import address
from aulmo.trace.compile.jit import fetch_soon, inlined, kernel
from aulmo.surface.colour import LUMINANCE
from aulmo.trace.compile.arrays import (
    LAMP_FIRST,
    LAMP_KIND,
    LAMP_MOVES,
    NODE_ALL,
    NODE_CHILD,
    OPT_DISTANT_CHANCE,
    OPT_DOME_CENTRE,
    OPT_DOME_FLOOR,
    OPT_DOME_ON_FLOOR,
    OPT_DOME_RADIUS,
    OPT_ENV_CHANCE,
    OPT_UNIFORM_CHOICE,
    SOFTBOX,
)
from aulmo.trace.lamp.lamps import lamp_density, lamp_light, meet_lamp, sample_lamp
from aulmo.trace.lamp.light_tree import lamp_chance, pick_lamp
from aulmo.trace.lamp.softboxes import box_given, far_promise, far_promises, ground_left, sample_box
from aulmo.trace.shape.surface_hit import to_object, to_world
from aulmo.trace.compile.quick_math import arc_turns
from aulmo.trace.compile import units


ROWS, COLUMNS = 128, 256
_Z = np.cos(np.arange(ROWS + 1) * np.pi / ROWS)
_SIN = np.sin(((np.arange(COLUMNS) + 0.5) / COLUMNS - 0.5) * 2 * np.pi)
_COS = np.cos(((np.arange(COLUMNS) + 0.5) / COLUMNS - 0.5) * 2 * np.pi)


def build_importance(env: np.ndarray, alone: bool = True) -> tuple[np.ndarray, np.ndarray]:
    """Tables for sampling a map in proportion to its luminance and solid angle: first a row, then a column in it.

    Both are found by inverting a cumulative sum, so that evenly spread numbers give evenly spread directions.

    Parameters
    ----------
    env : (h, w, 3) radiance in ACEScg. alone : False when every sample by these tables is weighed against one by the surface's own lobes.
    Those find the evenly lit part of a map by themselves, so the tables leave out half its mean (Karlik et al. 2019, "MIS compensation:
    optimizing sampling techniques in multiple importance sampling", for an environment with as many samples of either kind).

    Returns
    -------
    pick : ((ROWS + 1) * COLUMNS, 2) float32: the sum up to and with each cell within its row, and density per steradian; the rows' own sum
    in the first column of the last COLUMNS entries. guide : ((ROWS + 1) * COLUMNS,) int16 where to begin looking. No cell that can send
    light to a lookup has zero chance: cells are widened by one neighbour before normalising.
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
    if not alone:
        light = np.maximum(0.0, light - 0.5 * (light * solid).sum() / (solid.sum() * COLUMNS))
    weight = np.vstack([light * solid, np.zeros((1, COLUMNS))])
    weight[ROWS, :ROWS] = weight[:ROWS].sum(1)
    total = weight.sum(1, keepdims=True)
    even = np.ones_like(weight)
    even[ROWS, :ROWS], even[ROWS, ROWS:] = solid[:, 0], 0.0
    even /= even.sum(1, keepdims=True)
    share = np.where(total > 0.0, (1 - 1e-4) * weight / np.where(total > 0.0, total, 1.0) + 1e-4 * even, even)
    sums = np.cumsum(share, 1).astype(np.float32)
    sums[:ROWS, -1] = sums[ROWS, ROWS - 1 :] = 1.0
    chance = np.diff(sums.astype(float), axis=1, prepend=0.0)  # as the rounded sums have it
    pick = np.zeros((ROWS + 1, COLUMNS, 2), np.float32)
    pick[..., 0] = sums
    pick[:ROWS, :, 1] = chance[:ROWS] * chance[ROWS, :ROWS, None] / solid
    slots = np.arange(COLUMNS) / COLUMNS
    guide = np.array([np.searchsorted(row, slots, side="right") for row in sums], np.int16)
    return pick.reshape(-1, 2), guide.ravel()


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


@inlined
def _slot(row, x):
    """Where the guide of a row tells the search for x to begin."""
    return row * COLUMNS + min(COLUMNS - 1, int(x * COLUMNS))


@kernel
def env_density(pick, turn, x, y, z):
    """Density per steradian with which `sample_env` picks a direction."""
    u, v = to_map(turn, x, y, z)
    return map_density(pick, u, v)


@inlined
def _invert(pick, guide, row, x):
    """The cell of a row in whose part of the cumulative sum x lies: (cell, how far into it)."""
    start = row * COLUMNS
    k = np.int64(guide[_slot(row, x)])
    k += np.int64(pick[start + k, 0] <= x)  # mostly enough, and nothing for the processor to guess
    k += np.int64(pick[start + k, 0] <= x)
    while pick[start + k, 0] <= x:
        k += 1
    low = pick[start + k - 1, 0] if k > 0 else np.float32(0.0)
    return k, (x - low) / (pick[start + k, 0] - low)


@inlined
def env_row(pick, guide, s):
    """The first half of `sample_env`: a row of the importance table and how far down in it."""
    return _invert(pick, guide, ROWS, s)


@inlined
def fetch_guide_soon(guide, row, t):
    """Ask for where the search in a row will begin."""
    fetch_soon(address(guide) + 2 * _slot(row, t))


@inlined
def fetch_cells_soon(pick, guide, row, t):
    """Ask for the cells among which the search in a row will end."""
    k = np.int64(guide[_slot(row, t)])
    fetch_soon(address(pick) + 8 * (row * COLUMNS + k))


@inlined
def env_in_row(pick, guide, turn, row, across, t):
    """The second half of `sample_env`."""
    i, f = _invert(pick, guide, row, t)
    mz = _Z[row] + (_Z[row + 1] - _Z[row]) * across
    sine = math.sqrt(max(0.0, 1.0 - mz * mz))
    d = (f - 0.5) * (2.0 * math.pi / COLUMNS)
    cd, sd = 1.0 - 0.5 * d * d, d * (1.0 - d * d * (1.0 / 6.0))
    mx, my = sine * (_SIN[i] * cd + _COS[i] * sd), sine * (_COS[i] * cd - _SIN[i] * sd)
    return (
        turn[0, 0] * mx + turn[1, 0] * my + turn[2, 0] * mz,
        turn[0, 1] * mx + turn[1, 1] * my + turn[2, 1] * mz,
        turn[0, 2] * mx + turn[1, 2] * my + turn[2, 2] * mz,
        np.float64(pick[row * COLUMNS + i, 1]),
        (i + f) / COLUMNS,
        2.0 * arc_turns(sine, mz),
    )


@inlined
def sample_env(pick, guide, turn, s, t):
    """A world direction in proportion to the map's brightness, for s and t below 1. Returns (x, y, z, density, u, v)."""
    row, across = env_row(pick, guide, s)
    return env_in_row(pick, guide, turn, row, across, t)


@kernel
def near_way(options, px, py, pz, x, y, z):
    """Where on a near dome a ray from a point along a direction ends: (direction from the dome's centre, solid angle there over that at the point).

    A point outside sees the dome as if it were endlessly far.
    """
    c, radius = OPT_DOME_CENTRE, options[OPT_DOME_RADIUS]
    ox, oy, oz = px - options[c], py - options[c + 1], pz - options[c + 2]
    b = ox * x + oy * y + oz * z
    q = radius * radius - (ox * ox + oy * oy + oz * oz)
    if q <= 0.0:
        return x, y, z, 1.0
    t = math.sqrt(b * b + q) - b
    floor = options[OPT_DOME_FLOOR]
    if options[OPT_DOME_ON_FLOOR] > 0.0 and z < 0.0 and pz > floor and options[c + 2] > floor:
        s = (floor - pz) / z
        if s < t:
            hx, hy, hz = ox + s * x, oy + s * y, oz + s * z
            far = math.sqrt(hx * hx + hy * hy + hz * hz)
            hx, hy, hz = hx / far, hy / far, hz / far
            return hx, hy, hz, s * s * -hz / (far * far * max(1e-9, -z))
    hx, hy, hz = (ox + t * x) / radius, (oy + t * y) / radius, (oz + t * z) / radius
    return hx, hy, hz, t * t / (radius * radius * max(1e-9, hx * x + hy * y + hz * z))


@kernel
def from_near(options, px, py, pz, x, y, z):
    """The direction from a point to where a direction from the centre of a near dome ends, a unit vector."""
    c, radius = OPT_DOME_CENTRE, options[OPT_DOME_RADIUS]
    ox, oy, oz = px - options[c], py - options[c + 1], pz - options[c + 2]
    if ox * ox + oy * oy + oz * oz >= radius * radius:
        return x, y, z
    far, floor = radius, options[OPT_DOME_FLOOR]
    if options[OPT_DOME_ON_FLOOR] > 0.0 and z < 0.0 and pz > floor and options[c + 2] > floor:
        far = min(far, (options[c + 2] - floor) / -z)
    x, y, z = far * x - ox, far * y - oy, far * z - oz
    inverse = 1.0 / math.sqrt(max(1e-30, x * x + y * y + z * z))
    return x * inverse, y * inverse, z * inverse


@inlined
def map_place(scene, options, px, py, pz, x, y, z):
    """Map coordinates 0..1 of what a ray from a point along a direction sees of the ground."""
    if options[OPT_DOME_RADIUS] > 0.0:
        x, y, z, _share = near_way(options, px, py, pz, x, y, z)
    return to_map(scene.env_turn, x, y, z)


@inlined
def left_of_ground(scene, x, y, z):
    """How much of the ground softboxes leave along a direction."""
    return ground_left(scene.softboxes, scene.box_lights, x, y, z) if len(scene.softboxes) > 0 else 1.0


@inlined
def luminance(r, g, b):
    """Luminance of linear ACEScg (AP1 to XYZ, middle row)."""
    return 0.2722287 * r + 0.6740818 * g + 0.0536895 * b


@inlined
def portal_density(scene, px, py, pz, x, y, z):
    """Density per steradian with which the portals are aimed at along a direction: each as likely as another."""
    total = 0.0
    for k in range(len(scene.portals)):
        lamp = scene.lamps[scene.portals[k]]
        t, cosine = meet_lamp(lamp, px, py, pz, x, y, z)
        if t > 0.0:
            total += lamp_density(lamp, px, py, pz, x, y, z, t, cosine)
    return total / len(scene.portals)


@units.dome_density.made
def dome_density(scene, options, px, py, pz, x, y, z, u, v):
    """Density per steradian with which `sample_dome` picks a direction; (u, v) is where it meets the map."""
    density = map_density(scene.env_pick, u, v)
    if options[OPT_DOME_RADIUS] > 0.0:
        density *= near_way(options, px, py, pz, x, y, z)[3]
    if len(scene.portals) > 0:
        density = 0.25 * density + 0.75 * portal_density(scene, px, py, pz, x, y, z)
    return density * options[OPT_ENV_CHANCE]


@units.hit_density.made
def hit_density(scene, options, which, px, py, pz, aim, dx, dy, dz, distance, cosine):
    """Density per steradian with which `sample_lamps` would have picked what a ray from a point has met on lamp row `which`."""
    lamp = scene.lamps[which]
    chance = 1.0 - options[OPT_ENV_CHANCE] - options[OPT_DISTANT_CHANCE]
    if options[OPT_UNIFORM_CHOICE] > 0.0:
        chance /= scene.nodes[0, NODE_ALL, 0]
    elif scene.nodes[0, NODE_ALL, 0] > 1.0:
        chance *= lamp_chance(scene.nodes, scene.lamp_trail[which], scene.lamp_depth[which], px, py, pz, aim)
    return chance * lamp_density(lamp, px, py, pz, dx, dy, dz, distance, cosine)


@inlined
def fetch_map_soon(env, u, v):
    """Ask for the texels that `map_radiance` will need: the map is far too large for the processor's nearer memory."""
    h, w = env.shape[0], env.shape[1]
    x, y = int(u * w + (w - 0.5)), int(math.floor(v * h - 0.5))
    x = min(w - 1, x - w if x >= w else x)
    base = address(env)
    fetch_soon(base + 12 * (max(0, y) * w + x))
    fetch_soon(base + 12 * (min(h - 1, y + 1) * w + x))


@units.sample_dome.made
def sample_dome(scene, options, px, py, pz, select, s, t):
    """A direction toward the environment by the portals, or by the map where there are none.

    Returns (x, y, z, density per steradian with the chance of choosing the environment, map coordinates u, v); density 0 means none.
    """
    chance = options[OPT_ENV_CHANCE]
    near = options[OPT_DOME_RADIUS] > 0.0
    if len(scene.portals) == 0 and not near:
        x, y, z, density, u, v = sample_env(scene.env_pick, scene.env_guide, scene.env_turn, s, t)
        return x, y, z, density * chance, u, v
    pick = select / chance if len(scene.portals) > 0 else 0.0
    density = 0.0
    if pick >= 0.25:
        k = min(len(scene.portals) - 1, int((pick - 0.25) / 0.75 * len(scene.portals)))
        x, y, z, _d, _c, density = sample_lamp(scene, scene.lamps[scene.portals[k]], px, py, pz, s, t, 0.0)
        if density <= 0.0:
            return 0.0, 0.0, 1.0, 0.0, 0.0, 0.0
    else:
        x, y, z, _p, u, v = sample_env(scene.env_pick, scene.env_guide, scene.env_turn, s, t)
        if near:
            x, y, z = from_near(options, px, py, pz, x, y, z)
    u, v = map_place(scene, options, px, py, pz, x, y, z)
    if pick >= 0.25 and len(scene.portals) == 1 and not near:
        return x, y, z, (0.25 * map_density(scene.env_pick, u, v) + 0.75 * density) * chance, u, v
    return x, y, z, dome_density(scene, options, px, py, pz, x, y, z, u, v), u, v


@kernel
def _pick_far(scene, options, aim, u):
    """One of the distant lamps and softboxes for a point: (lamp row, chance of it); -1 for none."""
    if options[OPT_UNIFORM_CHOICE] > 0.0:
        n = len(scene.distant)
        return np.int64(scene.distant[min(n - 1, int(u * n))]), 1.0 / n
    total = far_promises(scene, aim)
    if total <= 0.0:
        return np.int64(-1), 0.0
    rest, found, chance = u * total, np.int64(-1), 0.0
    for k in range(len(scene.distant)):
        promise = far_promise(scene.lamps[scene.distant[k]], aim)
        if promise > 0.0:
            found, chance = np.int64(scene.distant[k]), promise / total
            rest -= promise
            if rest < 0.0:
                break
    return found, chance


@kernel
def far_chance(scene, options, which, aim):
    """Chance with which a distant lamp or softbox is picked for a point."""
    if options[OPT_UNIFORM_CHOICE] > 0.0:
        return options[OPT_DISTANT_CHANCE] / len(scene.distant)
    total = far_promises(scene, aim)
    return options[OPT_DISTANT_CHANCE] * far_promise(scene.lamps[which], aim) / total if total > 0.0 else 0.0


@kernel
def _sample_moving(scene, lamp, px, py, pz, s, t, pick, time):
    """`sample_lamp` for a glowing part that moves: seen from where the point stands to it at the time, and back. Distances are kept, since
    parts that change their size meanwhile are not sampled."""
    instance = int(lamp[LAMP_MOVES]) - 1
    steps = scene.motion[scene.instance_motion[instance]]
    ox, oy, oz = to_object(scene, instance, time, px, py, pz)
    fx, fy, fz = to_world(steps, 0.0, ox, oy, oz)
    x, y, z, distance, cosine, density = sample_lamp(scene, lamp, fx, fy, fz, s, t, pick)
    if density == 0.0:
        return x, y, z, distance, cosine, density
    ox, oy, oz = to_object(scene, instance, 0.0, fx + x * distance, fy + y * distance, fz + z * distance)
    x, y, z = to_world(steps, time, ox, oy, oz)
    x, y, z = x - px, y - py, z - pz
    inverse = 1.0 / math.sqrt(max(1e-30, x * x + y * y + z * z))
    return x * inverse, y * inverse, z * inverse, distance, cosine, density


@units.sample_lamps.made
def sample_lamps(scene, options, px, py, pz, aim, select, s, t, time):
    """One direction toward a lamp from a point at a time 0..1 within the shutter; `aim` tells what the point makes of light, see
    `light_tree.FROM_ANYWHERE`.

    Returns (dx, dy, dz, distance, red, green, blue, density per steradian with the chance of choosing the lamp, share of it that other
    estimators could also find, lamp row, cosine at the lamp, what of `select` is left for a place on it); density 0 means none. A lamp
    without size has no share: nothing else can meet it.
    """
    select -= options[OPT_ENV_CHANCE]
    chance = options[OPT_DISTANT_CHANCE]
    if select < chance:
        k, p = _pick_far(scene, options, aim, select / chance)
        chance *= p
        pick = 0.0
        if k >= 0 and int(scene.lamps[k, LAMP_KIND]) == SOFTBOX:
            b = int(scene.lamps[k, LAMP_FIRST])
            x, y, z, density = sample_box(scene.softboxes[b], scene.box_tables, s, t)
            r, g, b_ = box_given(scene.softboxes, scene.box_lights, b, x, y, z)
            return x, y, z, 1e30, r, g, b_, density * chance, 1.0, k, 1.0, 0.0
        if k < 0:
            return 0.0, 0.0, 1.0, 1.0, 0.0, 0.0, 0.0, 0.0, 0.0, -1, 0.0, 0.0
    else:
        pick = (select - chance) / (1.0 - chance - options[OPT_ENV_CHANCE])
        chance = 1.0 - chance - options[OPT_ENV_CHANCE]
        if len(scene.nodes) == 0:
            k = -1
        elif options[OPT_UNIFORM_CHOICE] > 0.0:
            n = int(scene.nodes[0, NODE_ALL, 0])  # the tree's lamps come first
            k = min(n - 1, int(pick * n))
            pick = pick * n - k
            chance /= n
        elif scene.nodes[0, NODE_ALL, 0] == 1.0:
            k = -1 - int(scene.nodes[0, NODE_CHILD, 0])
        else:
            k, p, pick = pick_lamp(scene.nodes, px, py, pz, aim, pick)
            chance *= p
        if k < 0:
            return 0.0, 0.0, 1.0, 1.0, 0.0, 0.0, 0.0, 0.0, 0.0, -1, 0.0, 0.0
    lamp = scene.lamps[k]
    if lamp[LAMP_MOVES] > 0.0:
        x, y, z, distance, cosine, density = _sample_moving(scene, lamp, px, py, pz, s, t, pick, time)
    else:
        x, y, z, distance, cosine, density = sample_lamp(scene, lamp, px, py, pz, s, t, pick)
    if density == 0.0:
        return 0.0, 0.0, 1.0, 1.0, 0.0, 0.0, 0.0, 0.0, 0.0, -1, 0.0, 0.0
    r, g, b = lamp_light(scene, lamp, -x, -y, -z)
    if density < 0.0:
        f = 1.0 if distance >= 1e30 else 1e6 / (distance * distance)  # candela over square millimetres
        return x, y, z, distance, r * f, g * f, b * f, chance, 0.0, k, cosine, pick
    return x, y, z, distance, r, g, b, density * chance, 1.0, k, cosine, pick
