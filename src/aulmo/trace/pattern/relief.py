"""What the nodes of a material say at a point: its numbers, and the normals of base and coat after bump and normal maps."""

import math

from aulmo.surface.program import I_LAY, REGISTERS
from aulmo.trace.material import openpbr as o
from aulmo.trace.compile.arrays import (
    P_BLIND,
    P_COAT_RELIEF,
    P_FIRST,
    P_LAST,
    P_RELIEF,
    P_UV,
    R_COARSEST,
    R_HEIGHT,
    R_HEIGHT_LAST,
    R_NORMAL,
    R_NORMAL_LAST,
)
from aulmo.trace.compile.jit import inlined, kernel
from aulmo.trace.pattern.laid import laid, set_uv
from aulmo.trace.pattern.program_run import run, run_heights
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


@kernel
def run_program(scene, registers, m, which, instance, triangle, time, wide, px, py, pz, nx, ny, nz, facing):
    """Fill in what the material's nodes say at a point; returns the shading normal after bump and normal map.

    A coat with another normal than the base leaves it, in the world's axes, in the material's numbers.
    Bump: Blinn 1978, "Simulation of wrinkled surfaces", with central differences over the footprint, whose four points are run at once.
    """
    p = scene.programs[which]
    x, y, z, ex, ey, ez, per_mm = place_on_part(scene, instance, time, px, py, pz, nx, ny, nz)
    ax, ay, az, bx, by, bz = frame_about(nx, ny, nz)
    wide *= per_mm
    if p[P_UV] > 0:
        set_uv(scene, registers, instance, triangle)
    run(scene.ops, p[P_FIRST], p[P_LAST], scene.lays, scene.pictures, registers, m, x, y, z, ex, ey, ez, abs(facing), wide)
    vx, vy, vz = nx, ny, nz
    for layer in range(2 if m[o.COAT] > 0.0 else 1):
        relief = P_COAT_RELIEF if layer == 1 else P_RELIEF
        height, height_last = p[relief + R_HEIGHT], p[relief + R_HEIGHT_LAST]
        normal, normal_last = p[relief + R_NORMAL], p[relief + R_NORMAL_LAST]
        kx, ky, kz = nx, ny, nz
        if normal_last > normal:
            run(scene.ops, normal, normal_last, scene.lays, scene.pictures, registers, m, x, y, z, ex, ey, ez, 1.0, wide)
            cover = registers[0, 3]
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
            at = registers[REGISTERS:]
            for k in range(4):
                s = 0.5 * step if k & 1 == 0 else -0.5 * step
                u, v = (s, 0.0) if k < 2 else (0.0, s)
                at[0, k], at[1, k], at[2, k] = to_object(scene, instance, time, px + u * ax + v * bx, py + u * ay + v * by, pz + u * az + v * bz)
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
