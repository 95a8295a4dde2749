"""Polished clear glass, where a path is reflected or passes."""

import math

import numpy as np

from aulmo.surface import columns as o
from aulmo.trace.compile.arrays import OPT_BOUNCES, OPT_CLEAR_BOUNCES, OPT_PLAIN, OPT_STRAIGHT_GLASS, OPT_UNIFORM_CHOICE
from aulmo.trace.compile import units
from aulmo.trace.material.openpbr import clear_boundary
from aulmo.trace.path.path_state import (
    ALIVE,
    BOUNCE,
    BY_SURFACE,
    BY_TRANSMISSION,
    CARRIED,
    CLEAR_PASSES,
    DEPTH,
    DIRECTION,
    EVENTS,
    KIND,
    NOT_YET,
    ROUGH,
    SEEN,
    SIDE,
    carry,
    go,
    survives,
)
from aulmo.trace.path.sampling import draw_1d
from aulmo.trace.shape.visibility import enter, leave


@units.polished.made
def polished(scene, options, state, whole, media, index, key, m, instance, inside, ratio, px, py, pz, gx, gy, gz, nx, ny, nz, oz, lift):
    """Polished clear glass: the path is reflected or passes; no light sample can find it."""
    dx, dy, dz = state[DIRECTION], state[DIRECTION + 1], state[DIRECTION + 2]
    straight = whole[ROUGH] > 0 and m[o.STRAIGHT] > 0.0 and options[OPT_STRAIGHT_GLASS] > 0.0
    eta = 1.0 / ratio if inside else ratio
    # a ray that goes straight through meets the same boundary from both sides
    fr, fg, fb, f, cosine_t = clear_boundary(m, scene.films, oz, ratio if straight else eta, inside and not straight)
    if m[o.THIN] > 0.0:
        fr, fg, fb, f = 2.0 * fr / (1.0 + fr), 2.0 * fg / (1.0 + fg), 2.0 * fb / (1.0 + fb), 2.0 * f / (1.0 + f)
    if int(m[o.FILM]) >= 0 and f < 1.0:
        f = min(0.98, max(0.02, f))
    if options[OPT_PLAIN] > 0.0 and options[OPT_UNIFORM_CHOICE] > 0.0 and 0.0 < f < 1.0:
        f = 0.5
    if state[SIDE] < f:
        carry(state, state[CARRIED] * fr / f, state[CARRIED + 1] * fg / f, state[CARRIED + 2] * fb / f)
        c = 2.0 * (-(nx * dx + ny * dy + nz * dz))
        dx, dy, dz = dx + c * nx, dy + c * ny, dz + c * nz
        if gx * dx + gy * dy + gz * dz <= 0.0:
            whole[ALIVE] = 0
            return
        go(state, px + gx * lift, py + gy * lift, pz + gz * lift, dx, dy, dz)
        whole[ROUGH] = 0
        whole[SEEN] = 0
        if whole[KIND] == NOT_YET:
            whole[KIND] = BY_SURFACE  # all of it specular: the matt share is zero
        whole[EVENTS] += 1
    else:
        q = 1.0 - f
        carry(
            state,
            state[CARRIED] * m[o.TINT] * (1.0 - fr) / q,
            state[CARRIED + 1] * m[o.TINT + 1] * (1.0 - fg) / q,
            state[CARRIED + 2] * m[o.TINT + 2] * (1.0 - fb) / q,
        )
        if m[o.THIN] == 0.0:
            if not straight:
                k = oz / eta - cosine_t
                dx, dy, dz = k * nx + dx / eta, k * ny + dy / eta, k * nz + dz / eta
                if oz == 1e-4 or gx * dx + gy * dy + gz * dz >= 0.0:
                    whole[ALIVE] = 0
                    return
                length = 1.0 / math.sqrt(dx * dx + dy * dy + dz * dz)
                dx, dy, dz = dx * length, dy * length, dz * length
                whole[ROUGH] = 0
            whole[DEPTH] = leave(media, whole[DEPTH], instance) if inside else enter(media, whole[DEPTH], instance)
        go(state, px - gx * lift, py - gy * lift, pz - gz * lift, dx, dy, dz)
        if not straight and whole[KIND] == NOT_YET:
            whole[KIND] = BY_TRANSMISSION
            whole[EVENTS] += 1
    whole[BOUNCE] += 1
    whole[CLEAR_PASSES] += 1
    if whole[BOUNCE] > options[OPT_BOUNCES] or whole[CLEAR_PASSES] > options[OPT_CLEAR_BOUNCES]:
        whole[ALIVE] = 0
    elif not survives(state, whole, draw_1d(index, key + np.uint64(6)), 8, 0.98):
        whole[ALIVE] = 0
