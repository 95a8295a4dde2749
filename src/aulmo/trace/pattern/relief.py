"""What the nodes of a material say at a point: its numbers, and the normals of base and coat after bump and normal maps."""

import math

import numpy as np

from aulmo.surface.program import AT_ROW, IMAGE, I_LAY, O_CODE
from aulmo.surface import columns as o
from aulmo.trace.compile.arrays import (
    P_BLIND,
    P_COAT_RELIEF,
    P_FIRST,
    P_LAST,
    P_LAYERS,
    P_RELIEF,
    R_COARSEST,
    R_HEIGHT,
    R_HEIGHT_LAST,
    R_MORE,
    R_NORMAL,
    R_NORMAL_LAST,
)
from aulmo.trace.compile.units import laid, run, run_heights
from aulmo.trace.compile.jit import inlined, kernel
from aulmo.trace.compile import units
from aulmo.trace.pattern.laid import set_known
from aulmo.trace.path.sampling import frame_about
from aulmo.trace.shape.surface_hit import place_on_part, to_object


@inlined
def sees_mean(scene, which, instance, wide):
    """Whether a footprint of `wide` world mm shows nothing of a material's patterns but their mean."""
    blind = 1e-3 * scene.programs[which, P_BLIND]
    if blind == 0.0:
        return False
    m = scene.matrices[instance]
    scale = 0.0
    for c in range(3):
        scale = max(scale, m[0, c] * m[0, c] + m[1, c] * m[1, c] + m[2, c] * m[2, c])
    return wide * wide > blind * blind * scale


@kernel
def see_from_afar(scene, registers, near, far):
    """Fill rows `far` with the materials of rows `near` as they are seen from so far that their patterns are only their mean."""
    for which in range(len(near)):
        for c in range(o.COLUMNS):
            far[which, c] = near[which, c]
        if scene.programs[which, P_BLIND] > 0:
            first, last = scene.programs[which, P_FIRST], scene.programs[which, P_LAST]
            run(scene.ops, first, last, scene.lays, scene.pictures, registers, far[which], 0.0, 0.0, 0.0, 0.0, 0.0, 1.0, 1.0, 1e12)


@units.met_layer.made
def met_layer(scene, registers, scratch, which, instance, triangle, time, wide, px, py, pz, nx, ny, nz, facing, choice):
    """Which of a material's whole surfaces a path meets at a point, by the chance that their masks give: its row, and the even number `choice`
    stretched out so that it serves again. `scratch` is room for a row."""
    start = scene.programs[which, P_LAYERS]
    x, y, z, ex, ey, ez, per_mm = place_on_part(scene, instance, time, px, py, pz, nx, ny, nz)
    set_known(scene, registers, scene.programs[which], instance, triangle)
    for k in range(start + 1, start + 1 + scene.layers[start, 0]):
        layer = scene.layers[k]
        run(
            scene.ops, layer[1], layer[2], scene.lays, scene.pictures, registers, scratch, x, y, z, ex, ey, ez, abs(facing), wide * per_mm
        )
        cover = min(1.0, max(0.0, registers[0, 0] * registers[0, 3]))
        if choice < cover:
            return np.int64(layer[0]), choice / cover
        choice = (choice - cover) / max(1e-12, 1.0 - cover)
    return np.int64(which), choice


@kernel
def _run_more_heights(scene, first, last, registers, m, at, nx, ny, nz, wide):
    """What `run_heights` does, for programs that hold any node."""
    a, b, c, d = 0.0, 0.0, 0.0, 0.0
    for k in range(4):
        x, y, z = at[0, k], at[1, k], at[2, k]
        run(scene.ops, first, last, scene.lays, scene.pictures, registers, m, x, y, z, nx, ny, nz, 1.0, wide)
        value = registers[0, 0] * registers[0, 3]
        a, b, c, d = (value if k == 0 else a), (value if k == 1 else b), (value if k == 2 else c), (value if k == 3 else d)
    registers[0, 0], registers[0, 1], registers[0, 2], registers[0, 3] = a, b, c, d


@units.run_program.made
def run_program(scene, registers, m, which, instance, triangle, time, wide, px, py, pz, nx, ny, nz, facing):
    """Fill in what the material's nodes say at a point; returns the shading normal after bump and normal map.

    A coat with another normal than the base leaves it, in the world's axes, in the material's numbers.
    Bump: Blinn 1978, "Simulation of wrinkled surfaces", with central differences over the footprint, whose four points are run at once.
    """
    p = scene.programs[which]
    x, y, z, ex, ey, ez, per_mm = place_on_part(scene, instance, time, px, py, pz, nx, ny, nz)
    ax, ay, az, bx, by, bz = frame_about(nx, ny, nz)
    wide *= per_mm
    set_known(scene, registers, p, instance, triangle)
    run(scene.ops, p[P_FIRST], p[P_LAST], scene.lays, scene.pictures, registers, m, x, y, z, ex, ey, ez, abs(facing), wide)
    vx, vy, vz = nx, ny, nz
    for layer in range(2 if m[o.COAT] > 0.0 else 1):
        relief = P_COAT_RELIEF if layer == 1 else P_RELIEF
        height, height_last = p[relief + R_HEIGHT], p[relief + R_HEIGHT_LAST]
        normal, normal_last = p[relief + R_NORMAL], p[relief + R_NORMAL_LAST]
        kx, ky, kz = nx, ny, nz
        if normal_last > normal:
            run(scene.ops, normal, normal_last, scene.lays, scene.pictures, registers, m, x, y, z, ex, ey, ez, abs(facing), wide)
            cover = registers[0, 3]
        if normal_last > normal and int(scene.ops[normal, O_CODE]) != IMAGE:  # a direction in the part's axes
            dx, dy, dz = registers[0, 0], registers[0, 1], registers[0, 2]
            w = scene.normal_matrices[instance]
            qx, qy, qz = w[0, 0] * dx + w[0, 1] * dy + w[0, 2] * dz, w[1, 0] * dx + w[1, 1] * dy + w[1, 2] * dz, w[2, 0] * dx + w[2, 1] * dy + w[2,
                2] * dz
            # as far as it leans away from what the surface has, so that softened edges stay soft
            ux, uy, uz = w[0, 0] * ex + w[0, 1] * ey + w[0, 2] * ez, w[1, 0] * ex + w[1, 1] * ey + w[1, 2] * ez, w[2, 0] * ex + w[2, 1] * ey + w[2,
                2] * ez
            length, own = math.sqrt(qx * qx + qy * qy + qz * qz), math.sqrt(ux * ux + uy * uy + uz * uz)
            if length > 1e-12 and own > 1e-12:
                kx, ky, kz = nx + qx / length - ux / own, ny + qy / length - uy / own, nz + qz / length - uz / own
        elif normal_last > normal:
            u, v, w = cover * (2.0 * registers[0, 0] - 1.0), cover * (2.0 * registers[0, 1] - 1.0), max(0.05, 2.0 * registers[0, 2] - 1.0)
            w = 1.0 + cover * (w - 1.0)
            lay = scene.lays[int(scene.ops[normal, I_LAY])]
            _u, _v, _c, tx, ty, tz, _s, right, down = laid(lay, registers, x, y, z, ex, ey, ez, wide, -1)
            u, v = u * right, v * down
            # the picture's right, brought to the world and into the tangent plane; its up stands square to it
            qx, qy, qz = to_object(scene, instance, time, px + ax, py + ay, pz + az)
            rx, ry, rz = to_object(scene, instance, time, px + bx, py + by, pz + bz)
            along = tx * (qx - x) + ty * (qy - y) + tz * (qz - z)
            across = tx * (rx - x) + ty * (ry - y) + tz * (rz - z)
            length = math.sqrt(along * along + across * across)
            if length > 1e-9:
                along, across = along / length, across / length
                s, q = u * along - v * across, u * across + v * along
                kx, ky, kz = w * nx + s * ax + q * bx, w * ny + s * ay + q * by, w * nz + s * az + q * bz
        if height_last > height and wide < 2e-3 * p[relief + R_COARSEST]:  # beyond that the relief is too fine to be seen
            step = max(0.5 * wide / per_mm, 1e-4 * max(abs(x), abs(y), abs(z), 1.0))
            at = registers[AT_ROW:]
            for k in range(4):
                s = 0.5 * step if k & 1 == 0 else -0.5 * step
                u, v = (s, 0.0) if k < 2 else (0.0, s)
                at[0, k], at[1, k], at[2, k] = to_object(scene, instance, time, px + u * ax + v * bx, py + u * ay + v * by, pz + u * az + v * bz)
            if p[relief + R_MORE] > 0:
                _run_more_heights(scene, height, height_last, registers, m, at, ex, ey, ez, wide)
            else:
                run_heights(scene.ops, height, height_last, scene.lays, scene.pictures, registers, at, ex, ey, ez, wide, 4)
            gx, gy = (registers[0, 0] - registers[0, 1]) / (step * per_mm), (registers[0, 2] - registers[0, 3]) / (step * per_mm)
            kx, ky, kz = kx - gx * ax - gy * bx, ky - gx * ay - gy * by, kz - gx * az - gy * bz
        length = 1.0 / math.sqrt(max(1e-30, kx * kx + ky * ky + kz * kz))
        kx, ky, kz = kx * length, ky * length, kz * length
        if layer == 0:
            vx, vy, vz = kx, ky, kz
        elif kx * vx + ky * vy + kz * vz < 1.0 - 1e-12:
            m[o.COAT_BENT] = 1.0
            m[o.COAT_NORMAL], m[o.COAT_NORMAL + 1], m[o.COAT_NORMAL + 2] = kx, ky, kz
    return vx, vy, vz
