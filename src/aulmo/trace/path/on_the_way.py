"""What happens on the way to a vertex and at it: lamps that are passed, clouds and skins that are wandered through, solids that lie in one another.

Reference: Wilkie et al. 2014, "Hero wavelength spectral sampling" (one wavelength here, taken when a path first meets a dispersive solid).
"""

import math

import numpy as np

from aulmo.surface import columns as o
from aulmo.trace.compile.arrays import EMISSION_PATH, LAMP_GROUP, LAMP_KIND, LAMP_VISIBLE, OPT_SCATTERS, PLANE_ALBEDO
from aulmo.trace.compile.jit import inlined
from aulmo.trace.lamp.lamps import lamp_light, meet_lamp
from aulmo.trace.material.medium import flight, turned_aside
from aulmo.trace.material.microfacet import sample_phase
from aulmo.trace.material.spectrum import draw_wavelength, ior_at
from aulmo.trace.path.gather import found_light, met_lamp
from aulmo.trace.path.path_state import (
    ALIVE,
    BELOW_MATERIAL,
    CARRIED,
    DEPTH,
    GUIDED,
    LAST_INSTANCE,
    ROUGH,
    SCATTERED,
    SEED,
    SEEN,
    WANDER,
    WAVELENGTH,
    WAY,
    carry,
    draw_even,
    go,
    lit_by,
    survives,
)
from aulmo.trace.path.sampling import draw_1d, draw_2d
from aulmo.trace.shape.visibility import enter, index_of, leave, topmost


@inlined
def wander(scene, options, state, whole, index, key, step, t, x, y, z, dx, dy, dz):
    """Below a translucent surface: whether the path scattered before it reached the skin again, at t; it goes on from there, or ends."""
    m = scene.materials[whole[BELOW_MATERIAL]]
    u, v = draw_even(index, key + np.uint64(4), step)
    e = o.SUB_EXTINCTION
    s = flight(state, m[e], m[e + 1], m[e + 2], state[WANDER], state[WANDER + 1], state[WANDER + 2], t, u, v)
    if s >= t:
        return False
    whole[SCATTERED] += 1
    u, v = state[WAY], state[WAY + 1]
    lobe = draw_1d(index, key + np.uint64(6))
    if whole[SCATTERED] > options[OPT_SCATTERS] or (whole[SCATTERED] > 12 and not survives(state, whole, lobe, -1, 1.0)):
        whole[ALIVE] = 0
        return True
    wx, wy, wz = turned_aside(dx, dy, dz, sample_phase(m[o.SUB_G], u), v)
    go(state, x + dx * s, y + dy * s, z + dz * s, wx, wy, wz)
    return True


@inlined
def fly(scene, state, whole, media, index, key, step, t, missed):
    """Through a clear solid up to t: which one, and how far along the path scattered, t where it did not."""
    medium = topmost(scene, media, whole[DEPTH])
    m = scene.materials[scene.instance_material[medium]]
    k, q = o.ABSORPTION, o.SCATTERING
    scattering = m[q] + m[q + 1] + m[q + 2]
    if scattering > 0.0:
        u, v = draw_even(index, key + np.uint64(4), step)
        e_r, e_g, e_b = m[k] + m[q], m[k + 1] + m[q + 1], m[k + 2] + m[q + 2]
        return medium, flight(
            state, e_r, e_g, e_b, m[q] / max(1e-30, e_r), m[q + 1] / max(1e-30, e_g), m[q + 2] / max(1e-30, e_b), t, u, v,
        )  # fmt: skip
    if not missed and m[k] + m[k + 1] + m[k + 2] > 0.0:
        state[CARRIED] *= math.exp(-m[k] * t)
        state[CARRIED + 1] *= math.exp(-m[k + 1] * t)
        state[CARRIED + 2] *= math.exp(-m[k + 2] * t)
    return medium, t


@inlined
def pass_lamp(scene, options, state, whole, out, lamp_row, facing, t, lift, step, x, y, z, dx, dy, dz, tr, tg, tb):
    """A lamp's body: shines, and lets everything else pass."""
    lamp = scene.lamps[lamp_row]
    seen = whole[SEEN] > 0
    if facing > 0.0 or int(lamp[LAMP_KIND]) < 2:
        distance, cosine = meet_lamp(lamp, x, y, z, dx, dy, dz)
        if distance > 0.0 and (not seen or lamp[LAMP_VISIBLE] > 0.0) and lit_by(scene, lamp_row, whole[LAST_INSTANCE]):
            weight = met_lamp(scene, options, state, whole, lamp_row, distance, cosine)
            r, g, b = lamp_light(scene, lamp, -dx, -dy, -dz)
            found_light(options, out, state, whole, EMISSION_PATH, lamp[LAMP_GROUP], tr * r * weight, tg * g * weight, tb * b * weight)
            if seen:
                if whole[GUIDED] == 0:
                    for c in range(3):
                        out[PLANE_ALBEDO + c] += 1.0
                whole[ALIVE] = 0
                return
    side = t + lift / max(0.05, abs(facing))
    go(state, x + dx * side, y + dy * side, z + dz * side, dx, dy, dz)
    if step > 64:
        whole[ALIVE] = 0


@inlined
def at_boundary(scene, state, whole, media, index, m, instance, inside, tr, tg, tb):
    """Where a clear solid begins or ends: whether that is a boundary at all (of solids that lie in one another the higher is what is there), the
    refraction over it, and what the path carries once its wavelength is drawn."""
    depth = whole[DEPTH]
    current = topmost(scene, media, depth)
    real, outside = True, -1
    if inside:
        real = current == instance or current < 0
        if real:
            remaining = leave(media, depth, instance)
            outside = topmost(scene, media, remaining)
            if remaining < depth:  # put back: the path may be reflected
                media[remaining] = instance
        else:
            whole[DEPTH] = leave(media, depth, instance)
    else:
        outside = current
        real = current < 0 or scene.materials[scene.instance_material[current], o.PRIORITY] <= m[o.PRIORITY]
        if not real:
            whole[DEPTH] = enter(media, depth, instance)
    if not real:
        return False, 1.0, tr, tg, tb
    n_solid, n_outside = m[o.REFRACTION], index_of(scene, outside)
    disperses = m[o.CAUCHY] > 0.0
    if outside >= 0 and scene.materials[scene.instance_material[outside], o.CAUCHY] > 0.0:
        disperses = True
    if disperses and whole[ROUGH] == 0:
        if state[WAVELENGTH] == 0.0:
            nm, r, g, b = draw_wavelength(draw_2d(index, np.uint64(whole[SEED]) + np.uint64(2))[0])
            state[WAVELENGTH] = nm
            tr, tg, tb = tr * r, tg * g, tb * b
            carry(state, tr, tg, tb)
        n_solid = ior_at(n_solid, m[o.CAUCHY], state[WAVELENGTH])
        if outside >= 0:
            n_outside = ior_at(n_outside, scene.materials[scene.instance_material[outside], o.CAUCHY], state[WAVELENGTH])
    ratio = n_solid / n_outside
    if abs(ratio - 1.0) < 1e-4:
        ratio = 1.0001
    return True, ratio, tr, tg, tb


@inlined
def bent_back(nx, ny, nz, gx, gy, gz, dx, dy, dz, facing):
    """A shading normal that would face away from the viewer, bent back to the visible side."""
    c = -(nx * dx + ny * dy + nz * dz)
    if c < 0.02:
        bend = (0.02 - c) / max(1e-6, facing - c) if facing > 0.02 else 1.0
        bend = min(1.0, bend)
        nx, ny, nz = nx + (gx - nx) * bend, ny + (gy - ny) * bend, nz + (gz - nz) * bend
        length = 1.0 / math.sqrt(max(1e-30, nx * nx + ny * ny + nz * nz))
        nx, ny, nz = nx * length, ny * length, nz * length
    return nx, ny, nz
