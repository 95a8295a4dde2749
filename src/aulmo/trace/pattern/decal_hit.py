"""Decals where a ray has met a part: which of them is there, what it is made of, and how it stands out.

A decal is met with the chance of its opacity there, the topmost first, so that its surface may differ in every number from what lies below.
"""

import math

from aulmo.trace.compile.arrays import (
    D_ADJUST,
    D_COATS,
    D_COLOURED,
    D_EDGE,
    D_FRAME,
    D_GROUND,
    D_LAY,
    D_OPACITY,
    D_PICTURE,
    D_RAISED,
    D_WHICH,
    P_FIRST,
    P_LAST,
    P_LAYERS,
    P_PICTURED,
    P_RELIEF,
    R_HEIGHT_LAST,
    R_NORMAL_LAST,
)
from aulmo.surface.lay import L_PER_MM
from aulmo.trace.compile import units
from aulmo.trace.compile.units import laid, look_up, met_layer, run, run_program
from aulmo.trace.compile.jit import inlined, kernel
from aulmo.trace.lamp.dome import luminance
from aulmo.surface import columns as o
from aulmo.trace.path.sampling import frame_about
from aulmo.trace.pattern.laid import set_known
from aulmo.trace.pattern.lookup import adjusted
from aulmo.trace.material.follows import settle_base
from aulmo.trace.pattern.program_run import lead_colour
from aulmo.trace.shape.surface_hit import place_on_part, to_object


@kernel
def _artwork(scene, registers, row, x, y, z, nx, ny, nz, wide):
    """How much of a footprint a decal's artwork covers, and its colour there."""
    u, v, cover, _x, _y, _z, small, _r, _d = laid(scene.lays[int(row[D_LAY])], registers, x, y, z, nx, ny, nz, wide, -1)
    r = g = b = 0.0
    picture = int(row[D_PICTURE])
    if cover > 0.0 and picture >= 0:
        r, g, b, alpha = look_up(scene.pictures[picture], u, v, small, False)
        cover *= alpha
        r, g, b = adjusted(row, D_ADJUST, r, g, b)
    return cover, r, g, b


@inlined
def _share(scene, registers, row, x, y, z, nx, ny, nz, wide):
    """The chance of meeting a decal at a point, and its artwork's colour."""
    cover, r, g, b = _artwork(scene, registers, row, x, y, z, nx, ny, nz, wide)
    cover *= row[D_OPACITY]
    frame = int(row[D_FRAME])
    if cover > 0.0 and frame >= 0:
        within, _r, _g, _b = _artwork(scene, registers, scene.decals[frame], x, y, z, nx, ny, nz, wide)
        cover *= within
    return cover, r, g, b


@kernel
def share_covered(scene, registers, start, x, y, z, nx, ny, nz, wide):
    """How much of the light that arrives at a point of a part (its own mm) meets a decal; `start` is where the part's are listed."""
    left = 1.0
    for k in range(start + 1, start + 1 + scene.decal_list[start]):
        row = scene.decals[scene.decal_list[k]]
        cover, _r, _g, _b = _share(scene, registers, row, x, y, z, nx, ny, nz, wide)
        left *= 1.0 - cover * scene.materials[int(row[D_WHICH]), o.OPACITY]
    return 1.0 - left


@units.share_covered_in_world.made
def share_covered_in_world(scene, registers, start, instance, time, px, py, pz, nx, ny, nz):
    """The same for a point and a normal in the world."""
    x, y, z, ex, ey, ez, _per_mm = place_on_part(scene, instance, time, px, py, pz, nx, ny, nz)
    return share_covered(scene, registers, start, x, y, z, ex, ey, ez, 0.0)


@inlined
def _height(scene, registers, row, x, y, z, nx, ny, nz, wide):
    """How far a decal stands out at a point, in the mm of its lay."""
    cover, r, g, b = _artwork(scene, registers, row, x, y, z, nx, ny, nz, wide)
    return cover * (row[D_EDGE] + row[D_RAISED] * luminance(r, g, b))


@kernel
def _raised(scene, registers, row, instance, time, wide, per_mm, px, py, pz, x, y, z, ex, ey, ez, nx, ny, nz, vx, vy, vz):
    """A normal after a decal's edge and raised artwork, by central differences over the footprint (Blinn 1978). An edge falls off as wide as it is
    high."""
    lay_mm = scene.lays[int(row[D_LAY]), L_PER_MM]
    wide = max(wide, max(row[D_EDGE], 0.25 * abs(row[D_RAISED])) / lay_mm)
    step = 0.5 * wide / per_mm
    ax, ay, az, bx, by, bz = frame_about(nx, ny, nz)
    slope_a = slope_b = 0.0
    for k in range(4):
        s = step if k & 1 == 0 else -step
        u, v = (s, 0.0) if k < 2 else (0.0, s)
        qx, qy, qz = to_object(scene, instance, time, px + u * ax + v * bx, py + u * ay + v * by, pz + u * az + v * bz)
        height = _height(scene, registers, row, qx, qy, qz, ex, ey, ez, wide) * (1.0 if k & 1 == 0 else -1.0)
        if k < 2:
            slope_a += height
        else:
            slope_b += height
    grow = 1.0 / (2.0 * step * per_mm * lay_mm)
    slope_a, slope_b = slope_a * grow, slope_b * grow
    vx, vy, vz = vx - slope_a * ax - slope_b * bx, vy - slope_a * ay - slope_b * by, vz - slope_a * az - slope_b * bz
    length = 1.0 / math.sqrt(max(1e-30, vx * vx + vy * vy + vz * vz))
    return vx * length, vy * length, vz * length


@inlined
def _has_relief(scene, which):
    p = scene.programs[which]
    return p[P_RELIEF + R_HEIGHT_LAST] > p[P_RELIEF + R_HEIGHT_LAST - 1] or p[P_RELIEF + R_NORMAL_LAST] > p[P_RELIEF + R_NORMAL_LAST - 1]


@units.printed.made
def printed(scene, registers, m, start, which, instance, triangle, time, wide, px, py, pz, nx, ny, nz, facing, choice):
    """The decal that a path meets at a point of a part, if any: `m` is filled with its numbers.

    `start` is where the part's decals are listed, `which` the row of the material below, `choice` an even number. Returns the row of the material
    that is met, -1 for what lies below; the shading normal; and the number stretched out, so that it serves again.
    """
    x, y, z, ex, ey, ez, per_mm = place_on_part(scene, instance, time, px, py, pz, nx, ny, nz)
    small = wide * per_mm
    for k in range(start + 1, start + 1 + scene.decal_list[start]):
        row = scene.decals[scene.decal_list[k]]
        cover, r, g, b = _share(scene, registers, row, x, y, z, ex, ey, ez, small)
        if cover <= 0.0:
            continue
        if choice >= cover:
            choice = (choice - cover) / (1.0 - cover)
            continue
        below = which
        which = int(row[D_WHICH])
        coats = int(row[D_COATS])
        if coats >= 0:  # a clear one is a coat over what lies below
            which = scene.coat_rows[coats, below]
        gx, gy, gz = nx, ny, nz
        ground = row[D_GROUND]
        if ground > 0.0 and coats < 0 and scene.materials[below, o.PROGRAMMED] > 0.0 and _has_relief(scene, below):
            for c in range(o.COLUMNS):
                m[c] = scene.materials[below, c]
            gx, gy, gz = run_program(scene, registers, m, below, instance, triangle, time, wide, px, py, pz, nx, ny, nz, facing)
        for c in range(o.COLUMNS):
            m[c] = scene.materials[which, c]
        vx, vy, vz = nx, ny, nz
        if m[o.PROGRAMMED] > 0.0:
            vx, vy, vz = run_program(scene, registers, m, which, instance, triangle, time, wide, px, py, pz, nx, ny, nz, facing)
        vx, vy, vz = vx + ground * (gx - nx), vy + ground * (gy - ny), vz + ground * (gz - nz)
        length = 1.0 / math.sqrt(max(1e-30, vx * vx + vy * vy + vz * vz))
        vx, vy, vz = vx * length, vy * length, vz * length
        if row[D_COLOURED] > 0.0:
            lead_colour(m, r, g, b, 1.0)
            settle_base(m)
        if row[D_EDGE] != 0.0 or row[D_RAISED] != 0.0:
            vx, vy, vz = _raised(scene, registers, row, instance, time, small, per_mm, px, py, pz, x, y, z, ex, ey, ez, nx, ny, nz, vx, vy, vz)
        return which, vx, vy, vz, choice / cover
    return -1, nx, ny, nz, choice


@units.as_drafted.made
def as_drafted(scene, registers, m, which, instance, triangle, px, py, pz, nx, ny, nz, wide):
    """Fill `m` with what a draft shows of a surface: its pictures, and its decals by how much of it they cover. Relief is left out."""
    for c in range(o.COLUMNS):
        m[c] = scene.materials[which, c]
    x, y, z, ex, ey, ez, per_mm = place_on_part(scene, instance, 0.0, px, py, pz, nx, ny, nz)
    wide *= per_mm
    p = scene.programs[which]
    if p[P_LAYERS] > 0:  # the one that its mask shows more than half of
        which, _c = met_layer(scene, registers, m, which, instance, triangle, 0.0, wide, px, py, pz, nx, ny, nz, 1.0, 0.5)
        for c in range(o.COLUMNS):
            m[c] = scene.materials[which, c]
        p = scene.programs[which]
    if p[P_PICTURED] > 0:
        set_known(scene, registers, p, instance, triangle)
        run(scene.ops, p[P_FIRST], p[P_LAST], scene.lays, scene.pictures, registers, m, x, y, z, ex, ey, ez, 1.0, wide)
    if len(scene.decal_list) == 0 or scene.instance_decals[instance] < 0:
        return
    start = scene.instance_decals[instance]
    last = start + scene.decal_list[start]
    for k in range(last, start, -1):
        row = scene.decals[scene.decal_list[k]]
        cover, r, g, b = _share(scene, registers, row, x, y, z, ex, ey, ez, wide)
        if cover <= 0.0:
            continue
        coats = int(row[D_COATS])
        met = int(row[D_WHICH]) if coats < 0 else scene.coat_rows[coats, which]
        above = scene.materials[met]
        for c in range(o.COLUMNS):
            m[c] += cover * (above[c] - m[c])
        if row[D_COLOURED] > 0.0:
            lead_colour(m, r, g, b, cover)
            settle_base(m)
