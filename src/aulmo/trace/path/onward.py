"""Where a path goes from a vertex: on within a cloud, from a matt skin, below a surface, or by the lobes of what it met."""

import math

import numpy as np

from aulmo.surface import columns as o
from aulmo.trace.compile.arrays import OPT_CLEAR_BOUNCES, OPT_SPECULAR_BOUNCES
from aulmo.trace.compile.jit import inlined
from aulmo.trace.material.medium import turned_aside
from aulmo.trace.material.microfacet import henyey_greenstein, sample_phase
from aulmo.trace.material.openpbr import below_weight, evaluate_lobes, sample_lobes
from aulmo.trace.path.path_state import (
    ALIVE,
    BELOW,
    BELOW_MATERIAL,
    BOUNCE,
    BY_SUBSURFACE,
    BY_SURFACE,
    BY_TRANSMISSION,
    CLEAR_PASSES,
    DEPTH,
    EVENTS,
    KIND,
    MATT_SHARE,
    NOT_YET,
    ROUGH,
    SCATTERED,
    SEEN,
    SHINY,
    SIDE,
    SPREAD,
    WANDER,
    carry,
    count_matt,
    go,
    remember,
    survives,
)
from aulmo.trace.path.sampling import cosine_hemisphere, draw_1d, frame_about
from aulmo.trace.shape.visibility import enter, leave


@inlined
def scatter_on(options, state, whole, index, key, g_phase, su, sv, dx, dy, dz, px, py, pz, aim, candidates, instance, plain):
    """On within a scattering solid."""
    cosine = sample_phase(g_phase, su)
    p = henyey_greenstein(cosine, g_phase)
    dx, dy, dz = turned_aside(dx, dy, dz, cosine, sv)
    go(state, px, py, pz, dx, dy, dz)
    remember(state, whole, px, py, pz, aim, p / candidates, instance)
    whole[ROUGH] = 0 if plain else 1
    whole[SEEN] = 0
    if whole[KIND] == NOT_YET:
        whole[KIND] = BY_TRANSMISSION
    whole[EVENTS] += 1
    if whole[SCATTERED] > 6 and not survives(state, whole, draw_1d(index, key + np.uint64(6)), -1, 1.0):
        whole[ALIVE] = 0


@inlined
def leave_matt(options, state, whole, index, key, su, sv, px, py, pz, gx, gy, gz, nx, ny, nz, lift, aim, candidates, instance, plain):
    """Out of what lies below a surface, as from a matt skin."""
    ax, ay, az, bx, by, bz = frame_about(nx, ny, nz)
    ix, iy, iz = cosine_hemisphere(su, sv)
    go(
        state, px + gx * lift, py + gy * lift, pz + gz * lift,
        ax * ix + bx * iy + nx * iz, ay * ix + by * iy + ny * iz, az * ix + bz * iy + nz * iz,
    )  # fmt: skip
    remember(state, whole, px, py, pz, aim, iz / math.pi / candidates, instance)
    whole[ROUGH] = 0 if plain else 1
    count_matt(options, state, whole, draw_1d(index, key + np.uint64(6)))


@inlined
def go_below(
    state, whole, m, odds, which, instance, su, sv, tr, tg, tb, oz, px, py, pz, gx, gy, gz, nx, ny, nz, ax, ay, az, bx, by, bz, lift
):
    """Below the surface: through it like through frosted glass, then at random."""
    su = (su - 1.0 + odds[4]) / odds[4]
    ix, iy, iz = cosine_hemisphere(su, sv)
    br, bg, bb = below_weight(m, odds, oz)
    carry(state, tr * br, tg * bg, tb * bb)
    go(
        state, px - gx * lift, py - gy * lift, pz - gz * lift,
        ax * ix + bx * iy - nx * iz, ay * ix + by * iy - ny * iz, az * ix + bz * iy - nz * iz,
    )  # fmt: skip
    whole[BELOW] = instance + 1
    whole[BELOW_MATERIAL] = which
    for c in range(3):
        state[WANDER + c] = m[o.SUB_ALBEDO + c]
    whole[ROUGH] = 0
    whole[SEEN] = 0
    if whole[KIND] == NOT_YET:
        whole[KIND] = BY_SUBSURFACE
    whole[EVENTS] += 1


@inlined
def leave_by_lobes(
    scene, options, state, whole, media, index, key, m, table, odds, instance, inside, clear_solid, ratio, su, sv, tr, tg, tb, ox, oy, oz,
    px, py, pz, gx, gy, gz, nx, ny, nz, qx, qy, qz, ax, ay, az, bx, by, bz, lift, aim, candidates, limit, plain,
):  # fmt: skip
    """By one of the lobes of what was met, with the weight of all."""
    ix, iy, iz = sample_lobes(m, scene.films, odds, ox, oy, oz, inside, su, sv, state[SIDE], ratio)
    if iz == 0.0:
        whole[ALIVE] = 0
        return
    fr, fg, fb, p, mr, mg, mb = evaluate_lobes(m, table, scene.films, odds, ox, oy, oz, ix, iy, iz, inside, ratio)
    if not p > 0.0:
        whole[ALIVE] = 0
        return
    carry(state, tr * fr / p, tg * fg / p, tb * fb / p)
    dx, dy, dz = ax * ix + bx * iy + nx * iz, ay * ix + by * iy + ny * iz, az * ix + bz * iy + nz * iz
    across = gx * dx + gy * dy + gz * dz
    if across * iz <= 0.0:
        whole[ALIVE] = 0
        return
    if iz < 0.0:
        go(state, px - gx * lift, py - gy * lift, pz - gz * lift, dx, dy, dz)
        if m[o.THIN] == 0.0:
            whole[DEPTH] = leave(media, whole[DEPTH], instance) if inside else enter(media, whole[DEPTH], instance)
    else:
        go(state, px + gx * lift + qx, py + gy * lift + qy, pz + gz * lift + qz, dx, dy, dz)
    if whole[KIND] == NOT_YET:
        whole[KIND] = BY_TRANSMISSION if iz < 0.0 else BY_SURFACE
        state[MATT_SHARE] = mr / fr if fr > 0.0 else 0.0
        state[MATT_SHARE + 1] = mg / fg if fg > 0.0 else 0.0
        state[MATT_SHARE + 2] = mb / fb if fb > 0.0 else 0.0
    whole[ROUGH] = 0 if inside or plain else 1
    whole[SEEN] = 0
    state[SPREAD] = max(state[SPREAD], min(0.5, 0.2 / math.sqrt(p)))
    remember(state, whole, px, py, pz, aim, p / candidates, instance)
    if clear_solid:
        whole[CLEAR_PASSES] += 1
        if whole[CLEAR_PASSES] > options[OPT_CLEAR_BOUNCES]:
            whole[ALIVE] = 0
    elif mr + mg + mb > 0.5 * (fr + fg + fb):
        count_matt(options, state, whole, draw_1d(index, key + np.uint64(6)))
        return
    else:
        whole[SHINY] += 1
        if whole[SHINY] > options[OPT_SPECULAR_BOUNCES]:
            whole[ALIVE] = 0
    whole[EVENTS] += 1
    whole[BOUNCE] += 1
    if whole[BOUNCE] > limit or not survives(state, whole, draw_1d(index, key + np.uint64(6)), 2, 0.98):
        whole[ALIVE] = 0
