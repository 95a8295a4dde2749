"""Where a point of a part lies on a picture that is laid on it."""

import math

import numpy as np

from aulmo.surface.lay import (
    AXIS,
    BENT,
    BOX,
    BY_UV,
    CYLINDER,
    DOMED,
    FLAT,
    L_ACROSS,
    L_COS,
    L_DEPTH,
    L_DOWN,
    L_FACING,
    L_FLIP_X,
    L_FLIP_Y,
    L_HEIGHT,
    L_KIND,
    L_MATRIX,
    L_MIRROR,
    L_PER_MM,
    L_PITCH_X,
    L_PITCH_Y,
    L_RADIUS,
    L_RIGHT,
    L_SIN,
    L_UP,
    L_WIDTH,
)
from aulmo.surface.program import CURVES_ROW, GROUP_HIGH_ROW, GROUP_LOW_ROW, HIGH_ROW, LOW_ROW, U_ROW, V_ROW, WORLD_ROW
from aulmo.trace.compile.arrays import P_PART, P_UV
from aulmo.trace.compile.jit import inlined, kernel
from aulmo.trace.compile import units

WITHOUT_UV = 100.0  # mm that a picture by coordinates is wide on a part that has none


@inlined
def _boxed(registers, nx, ny, nz):
    """Coordinates of a part without any: as a box whose sides are WITHOUT_UV mm, after the side that a triangle faces most."""
    s = 1.0 / WITHOUT_UV
    if abs(nz) >= abs(nx) and abs(nz) >= abs(ny):
        registers[U_ROW, 0] = s if nz >= 0.0 else -s
        registers[V_ROW, 1] = s
    elif abs(nx) >= abs(ny):
        registers[U_ROW, 1] = s if nx >= 0.0 else -s
        registers[V_ROW, 2] = s
    else:
        registers[U_ROW, 0] = -s if ny >= 0.0 else s
        registers[V_ROW, 2] = s


@kernel
def set_part(scene, registers, instance):
    """Note in the registers what is known of a part: its box and random number, its place in the world, its group's box, its tables of curvature."""
    facts = scene.facts[instance]
    for c in range(4):
        registers[LOW_ROW, c], registers[HIGH_ROW, c] = facts[c], facts[4 + c]
        registers[GROUP_LOW_ROW, c], registers[GROUP_HIGH_ROW, c] = facts[8 + c], facts[12 + c]
        registers[CURVES_ROW, c] = facts[16 + c]
        for row in range(3):
            registers[WORLD_ROW + row, c] = scene.matrices[instance, row, c]


@inlined
def set_known(scene, registers, program, instance, triangle):
    """Note in the registers what a material's row of programs asks for before it is run."""
    if program[P_UV] > 0:
        set_uv(scene, registers, instance, triangle)
    if program[P_PART] > 0:
        set_part(scene, registers, instance)


@kernel
def set_uv(scene, registers, instance, triangle):
    """Note in the registers how the file's coordinates run over a triangle: u and v each as a gradient and a constant in the part's mm."""
    for c in range(4):
        registers[U_ROW, c] = registers[V_ROW, c] = 0.0
    start = scene.uv_start[instance]
    k = scene.triangle_start[instance] + triangle
    first = scene.vertex_start[instance]
    i, j, h = np.int64(scene.triangles[k, 0]), np.int64(scene.triangles[k, 1]), np.int64(scene.triangles[k, 2])
    p, q = scene.points, scene.uvs
    ax, ay, az = np.float64(p[first + i, 0]), np.float64(p[first + i, 1]), np.float64(p[first + i, 2])
    bx, by, bz = np.float64(p[first + j, 0]) - ax, np.float64(p[first + j, 1]) - ay, np.float64(p[first + j, 2]) - az
    cx, cy, cz = np.float64(p[first + h, 0]) - ax, np.float64(p[first + h, 1]) - ay, np.float64(p[first + h, 2]) - az
    if start < 0:
        _boxed(registers, by * cz - bz * cy, bz * cx - bx * cz, bx * cy - by * cx)
        return
    bb, bc, cc = bx * bx + by * by + bz * bz, bx * cx + by * cy + bz * cz, cx * cx + cy * cy + cz * cz
    bend = bb * cc - bc * bc
    inverse = 1.0 / bend if bend > 1e-24 * bb * cc else 0.0
    # vectors whose products with a way give how far it goes along the two edges
    ex, ey, ez = (cc * bx - bc * cx) * inverse, (cc * by - bc * cy) * inverse, (cc * bz - bc * cz) * inverse
    fx, fy, fz = (bb * cx - bc * bx) * inverse, (bb * cy - bc * by) * inverse, (bb * cz - bc * bz) * inverse
    for row in range(2):
        u0 = np.float64(q[start + i, row])
        du, dv = np.float64(q[start + j, row]) - u0, np.float64(q[start + h, row]) - u0
        gx, gy, gz = du * ex + dv * fx, du * ey + dv * fy, du * ez + dv * fz
        registers[U_ROW + row, 0], registers[U_ROW + row, 1], registers[U_ROW + row, 2] = gx, gy, gz
        registers[U_ROW + row, 3] = u0 - gx * ax - gy * ay - gz * az


@inlined
def _tiled(t, pitch, size, repeats, mirror, wide):
    """Share along a picture at `t` mm from its middle, how much of it covers a footprint, and whether it is mirrored there."""
    if not repeats:
        s = t / size + 0.5
        edge = 0.5 + min(s, 1.0 - s) * size / wide
        return s, min(1.0, max(0.0, edge)), 1.0
    k = math.floor(t / pitch + 0.5)
    s = (t - k * pitch) / size + 0.5
    cover = 1.0
    if pitch > size:
        cover = min(1.0, max(0.0, 0.5 + min(s, 1.0 - s) * size / wide))
        far = min(1.0, wide / pitch)  # over a footprint of several tiles: the share that they cover of all
        cover += far * (size / pitch - cover)
    if mirror and k - 2.0 * math.floor(0.5 * k) == 1.0:
        return 1.0 - s, cover, -1.0
    return s, cover, 1.0


@units.laid.made
def laid(lay, registers, x, y, z, nx, ny, nz, wide, side):
    """Place on a picture for a point of a part (its own mm) whose surface faces (nx, ny, nz), seen over `wide` mm.

    `side` is which side of a box is meant, or -1 for the one that the surface faces most. Returns right and down as shares of the picture, how
    much of the footprint it covers, the direction of growing right in the part's axes (of any length), the footprint as a share of its width, and
    -1 where right, and where down, is mirrored.
    """
    kind = int(lay[L_KIND])
    a = L_MATRIX
    if kind == BY_UV:
        gu, gv = registers[U_ROW], registers[V_ROW]
        u = gu[0] * x + gu[1] * y + gu[2] * z + gu[3]
        v = 1.0 - (gv[0] * x + gv[1] * y + gv[2] * z + gv[3])
        # right on the picture leads along du where the picture's own down does not change
        ux, uy, uz = lay[a] * gu[0] - lay[a + 1] * gv[0], lay[a] * gu[1] - lay[a + 1] * gv[1], lay[a] * gu[2] - lay[a + 1] * gv[2]
        vx, vy, vz = lay[a + 3] * gu[0] - lay[a + 4] * gv[0], lay[a + 3] * gu[1] - lay[a + 4] * gv[1], lay[a + 3] * gu[2] - lay[a + 4] * gv[2]
        s, t = lay[a] * u + lay[a + 1] * v + lay[a + 2], lay[a + 3] * u + lay[a + 4] * v + lay[a + 5]
        steep = math.sqrt(max(ux * ux + uy * uy + uz * uz, vx * vx + vy * vy + vz * vz))
        share = wide * steep
        vv = max(1e-30, vx * vx + vy * vy + vz * vz)
        along = (ux * vx + uy * vy + uz * vz) / vv
        tx, ty, tz = ux - along * vx, uy - along * vy, uz - along * vz
        turned = (uy * vz - uz * vy) * nx + (uz * vx - ux * vz) * ny + (ux * vy - uy * vx) * nz
        small = max(1e-12, share)
        s, cover, mx = _tiled(s - 0.5, 1.0, 1.0, lay[L_ACROSS] > 0.0, lay[L_MIRROR] > 0.0, small)
        t, more, my = _tiled(t - 0.5, 1.0, 1.0, lay[L_DOWN] > 0.0, lay[L_MIRROR] > 0.0, small)
        return s, t, cover * more, tx, ty, tz, share, mx, my if turned < 0.0 else -my
    px = lay[a] * x + lay[a + 1] * y + lay[a + 2] * z + lay[a + 3]
    py = lay[a + 4] * x + lay[a + 5] * y + lay[a + 6] * z + lay[a + 7]
    pz = lay[a + 8] * x + lay[a + 9] * y + lay[a + 10] * z + lay[a + 11]
    wide = max(1e-9, wide * lay[L_PER_MM])
    depth, facing = lay[L_DEPTH], lay[L_FACING]
    cover = 1.0
    if depth < 1e29 and (kind == FLAT and abs(pz) > depth):
        return 0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 1.0, 1.0
    qx = qy = qz = 0.0
    if kind == BOX or facing > -1.5:
        qx = lay[a] * nx + lay[a + 1] * ny + lay[a + 2] * nz
        qy = lay[a + 4] * nx + lay[a + 5] * ny + lay[a + 6] * nz
        qz = lay[a + 8] * nx + lay[a + 9] * ny + lay[a + 10] * nz
    radius = lay[L_RADIUS]
    # right (r) and down (d) on the picture in mm; their directions in the projector's axes
    rx, ry, rz, dx, dy, dz = 1.0, 0.0, 0.0, 0.0, -1.0, 0.0
    if kind == FLAT:
        r, d = px, -py
        toward = qz
    elif kind == BOX:
        ax, ay, az = abs(qx), abs(qy), abs(qz)
        if side < 0:
            side = 2 if az >= ax and az >= ay else 0 if ax >= ay else 1
        toward = 1.0
        if side == 2:
            s = 1.0 if qz >= 0.0 else -1.0
            r, d, rx = s * px, -py, s
        elif side == 0:
            s = 1.0 if qx >= 0.0 else -1.0
            r, d, rx, ry, dy, dz = s * py, -pz, 0.0, s, 0.0, -1.0
        else:
            s = -1.0 if qy >= 0.0 else 1.0
            r, d, rx, dy, dz = s * px, -pz, s, 0.0, -1.0
    elif kind == CYLINDER or kind == AXIS:
        far = math.sqrt(px * px + py * py)
        own = radius if kind == CYLINDER and radius > 0.0 else far
        r, d = math.atan2(py, px) * own, -pz
        toward = 1.0
        dy, dz = 0.0, -1.0
        if far > 1e-9:
            rx, ry = -py / far, px / far
    elif kind == BENT:
        s = 1.0 if radius > 0.0 else -1.0
        cz = pz + radius
        far = math.sqrt(px * px + cz * cz)
        if abs(far - abs(radius)) > depth:
            return 0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 1.0, 1.0
        r, d = abs(radius) * math.atan2(px, s * cz), -py
        inverse = s / max(1e-12, far)
        toward = (qx * px + qz * cz) * inverse
        rx, rz = s * cz / max(1e-12, far), -s * px / max(1e-12, far)
    elif kind == DOMED:
        s = 1.0 if radius > 0.0 else -1.0
        cz = pz + radius
        far = math.sqrt(px * px + py * py + cz * cz)
        if abs(far - abs(radius)) > depth:
            return 0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 1.0, 1.0
        flat = math.sqrt(px * px + py * py)
        # distances from the middle and directions there are kept: the azimuthal equidistant projection
        spread = abs(radius) * math.atan2(flat, s * cz) / flat if flat > 1e-9 else 1.0
        r, d = px * spread, -py * spread
        toward = s * (qx * px + qy * py + qz * cz) / max(1e-12, far)
    else:  # ball
        far = max(1e-9, math.sqrt(px * px + py * py + pz * pz))
        own = radius if radius > 0.0 else far
        r, d = math.atan2(py, px) * own, -math.asin(min(1.0, max(-1.0, pz / far))) * own
        toward = 1.0
        flat = math.sqrt(px * px + py * py)
        if flat > 1e-9:
            rx, ry = -py / flat, px / flat
            dx, dy, dz = px * pz / (flat * far), py * pz / (flat * far), -flat / far
    if toward < facing:
        return 0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 1.0, 1.0
    r, d = r - lay[L_RIGHT], d + lay[L_UP]
    c, s = lay[L_COS], lay[L_SIN]
    r, d = c * r - s * d, s * r + c * d
    rx, ry, rz = c * rx - s * dx, c * ry - s * dy, c * rz - s * dz
    u, cover, mx = _tiled(r, lay[L_PITCH_X], lay[L_WIDTH], lay[L_ACROSS] > 0.0, lay[L_MIRROR] > 0.0, wide)
    v, more, my = _tiled(d, lay[L_PITCH_Y], lay[L_HEIGHT], lay[L_DOWN] > 0.0, lay[L_MIRROR] > 0.0, wide)
    if lay[L_FLIP_X] > 0.0:
        u, mx = 1.0 - u, -mx
    if lay[L_FLIP_Y] > 0.0:
        v, my = 1.0 - v, -my
    tx = lay[a] * rx + lay[a + 4] * ry + lay[a + 8] * rz
    ty = lay[a + 1] * rx + lay[a + 5] * ry + lay[a + 9] * rz
    tz = lay[a + 2] * rx + lay[a + 6] * ry + lay[a + 10] * rz
    return u, v, cover * more, tx, ty, tz, wide / lay[L_WIDTH], mx, my


@inlined
def side_share(lay, which, nx, ny, nz):
    """How much of the picture on a side of a box (0, 1, 2) a surface shows: all of the one it faces most but near the seams; not divided."""
    a = L_MATRIX + 4 * which
    return abs(lay[a] * nx + lay[a + 1] * ny + lay[a + 2] * nz)
