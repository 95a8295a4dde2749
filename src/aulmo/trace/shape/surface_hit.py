"""What a ray has hit: where, and which way the surface faces there.

References: Hanika 2021, "Hacking the shadow terminator" (the offset onto the smooth surface).
"""

import math

import numpy as np

from aulmo.trace.compile.arrays import LAMP_KIND, LAMP_OWNER, LAMP_WHICH, MESH
from aulmo.trace.compile.borrowed import address
from aulmo.trace.compile.jit import fetch_soon, inlined, kernel
from aulmo.trace.shape.soft_edges import softened


@inlined
def material_at(scene, instance, triangle):
    """The row of the material that a triangle of an instance wears."""
    if len(scene.face_rows) == 0:  # asked first: no part of most scenes has face sets, and a look at each instance costs
        return np.int64(scene.instance_material[instance])
    start = scene.instance_faces[instance]
    return np.int64(scene.instance_material[instance]) if start < 0 else np.int64(scene.face_rows[start + np.int64(triangle)])


@inlined
def lamp_at(scene, instance, which):
    """The row of the lamp that an instance is where it wears a material, -1 where it is none."""
    row = scene.instance_lamp[instance]
    if row < 0 or scene.instance_faces[instance] < 0:
        return row
    while row < len(scene.lamps) and scene.lamps[row, LAMP_OWNER] == instance and int(scene.lamps[row, LAMP_KIND]) == MESH:
        if scene.lamps[row, LAMP_WHICH] == which:
            return row
        row += 1
    return np.int32(-1)


@inlined
def _move(m, x, y, z, w):
    return (
        m[0, 0] * x + m[0, 1] * y + m[0, 2] * z + m[0, 3] * w,
        m[1, 0] * x + m[1, 1] * y + m[1, 2] * z + m[1, 3] * w,
        m[2, 0] * x + m[2, 1] * y + m[2, 2] * z + m[2, 3] * w,
    )


@inlined
def _turn(m, x, y, z):
    return (
        m[0, 0] * x + m[0, 1] * y + m[0, 2] * z,
        m[1, 0] * x + m[1, 1] * y + m[1, 2] * z,
        m[2, 0] * x + m[2, 1] * y + m[2, 2] * z,
    )


@inlined
def matrix_at(steps, time):
    """Object-to-world rows at a time 0..1 within the shutter, even between steps as Embree has it. Returns 12 numbers."""
    last = steps.shape[0] - 1
    s = min(1.0, max(0.0, time)) * last
    k = min(last - 1, int(s))
    f = s - k
    e = 1.0 - f
    p, q = steps[k], steps[k + 1]
    return (
        e * p[0, 0] + f * q[0, 0], e * p[0, 1] + f * q[0, 1], e * p[0, 2] + f * q[0, 2], e * p[0, 3] + f * q[0, 3],
        e * p[1, 0] + f * q[1, 0], e * p[1, 1] + f * q[1, 1], e * p[1, 2] + f * q[1, 2], e * p[1, 3] + f * q[1, 3],
        e * p[2, 0] + f * q[2, 0], e * p[2, 1] + f * q[2, 1], e * p[2, 2] + f * q[2, 2], e * p[2, 3] + f * q[2, 3],
    )  # fmt: skip


@inlined
def fetch_triangle_soon(scene, instance, primitive):
    """Ask for a triangle's corner numbers."""
    k = scene.triangle_start[instance] + primitive
    fetch_soon(address(scene.triangles) + 12 * k)


@inlined
def fetch_corners_soon(scene, instance, primitive):
    """Ask for the vertices of a triangle whose corner numbers have come."""
    k = scene.triangle_start[instance] + primitive
    start = scene.vertex_start[instance]
    base = address(scene.points)
    fetch_soon(base + 24 * (start + scene.triangles[k, 0]))
    fetch_soon(base + 24 * (start + scene.triangles[k, 1]))
    fetch_soon(base + 24 * (start + scene.triangles[k, 2]))


@kernel
def _moved_hit(steps, time, x, y, z, tx, ty, tz, gx, gy, gz, sx, sy, sz):
    """Position, offset and both normals (of any length) of a hit on a part that moves while the shutter is open."""
    m00, m01, m02, m03, m10, m11, m12, m13, m20, m21, m22, m23 = matrix_at(steps, time)
    px, py, pz = m00 * x + m01 * y + m02 * z + m03, m10 * x + m11 * y + m12 * z + m13, m20 * x + m21 * y + m22 * z + m23
    qx, qy, qz = m00 * tx + m01 * ty + m02 * tz, m10 * tx + m11 * ty + m12 * tz, m20 * tx + m21 * ty + m22 * tz
    # normals by the matrix of cofactors, turned about when the placement mirrors
    c00, c01, c02 = m11 * m22 - m12 * m21, m12 * m20 - m10 * m22, m10 * m21 - m11 * m20
    c10, c11, c12 = m02 * m21 - m01 * m22, m00 * m22 - m02 * m20, m01 * m20 - m00 * m21
    c20, c21, c22 = m01 * m12 - m02 * m11, m02 * m10 - m00 * m12, m00 * m11 - m01 * m10
    s = 1.0 if m00 * c00 + m01 * c01 + m02 * c02 >= 0.0 else -1.0
    wx, wy, wz = s * (c00 * gx + c01 * gy + c02 * gz), s * (c10 * gx + c11 * gy + c12 * gz), s * (c20 * gx + c21 * gy + c22 * gz)
    ux, uy, uz = s * (c00 * sx + c01 * sy + c02 * sz), s * (c10 * sx + c11 * sy + c12 * sz), s * (c20 * sx + c21 * sy + c22 * sz)
    return px, py, pz, qx, qy, qz, wx, wy, wz, ux, uy, uz


@inlined
def hit_point(scene, ray, words):
    """World position, geometric normal, shading normal and terminator offset of a hit.

    Returns 12 numbers: position, unit geometric normal (outward), unit shading normal on the same side, and the offset that
    moves the position onto the smooth surface the vertex normals describe.
    """
    i = words[19]
    k = scene.triangle_start[i] + words[17]
    start = scene.vertex_start[i]
    a, b, c = start + scene.triangles[k, 0], start + scene.triangles[k, 1], start + scene.triangles[k, 2]
    u, v = np.float64(ray[15]), np.float64(ray[16])
    w = 1.0 - u - v
    p = scene.points
    ax, ay, az = np.float64(p[a, 0]), np.float64(p[a, 1]), np.float64(p[a, 2])
    bx, by, bz = np.float64(p[b, 0]), np.float64(p[b, 1]), np.float64(p[b, 2])
    cx, cy, cz = np.float64(p[c, 0]), np.float64(p[c, 1]), np.float64(p[c, 2])
    anx, any_, anz = np.float64(p[a, 3]), np.float64(p[a, 4]), np.float64(p[a, 5])
    bnx, bny, bnz = np.float64(p[b, 3]), np.float64(p[b, 4]), np.float64(p[b, 5])
    cnx, cny, cnz = np.float64(p[c, 3]), np.float64(p[c, 4]), np.float64(p[c, 5])
    x, y, z = w * ax + u * bx + v * cx, w * ay + u * by + v * cy, w * az + u * bz + v * cz
    sx, sy, sz = w * anx + u * bnx + v * cnx, w * any_ + u * bny + v * cny, w * anz + u * bnz + v * cnz
    gx, gy, gz = np.float64(ray[12]), np.float64(ray[13]), np.float64(ray[14])
    if scene.instance_soft[i] >= 0:
        sx, sy, sz = softened(scene, scene.instance_soft[i], x, y, z, sx, sy, sz)
    side = -1.0 if gx * sx + gy * sy + gz * sz < 0.0 else 1.0
    da = -side * min(0.0, side * ((x - ax) * anx + (y - ay) * any_ + (z - az) * anz)) * w
    db = -side * min(0.0, side * ((x - bx) * bnx + (y - by) * bny + (z - bz) * bnz)) * u
    dc = -side * min(0.0, side * ((x - cx) * cnx + (y - cy) * cny + (z - cz) * cnz)) * v
    tx, ty, tz = da * anx + db * bnx + dc * cnx, da * any_ + db * bny + dc * cny, da * anz + db * bnz + dc * cnz
    motion = scene.instance_motion[i]
    if motion < 0:
        m, f = scene.matrices[i], scene.normal_matrices[i]
        px, py, pz = _move(m, x, y, z, 1.0)
        qx, qy, qz = _move(m, tx, ty, tz, 0.0)
        wx, wy, wz = _turn(f, gx, gy, gz)
        ux, uy, uz = _turn(f, sx, sy, sz)
    else:
        px, py, pz, qx, qy, qz, wx, wy, wz, ux, uy, uz = _moved_hit(
            scene.motion[motion], np.float64(ray[7]), x, y, z, tx, ty, tz, gx, gy, gz, sx, sy, sz
        )
    length = 1.0 / math.sqrt(max(1e-60, wx * wx + wy * wy + wz * wz))
    wx, wy, wz = wx * length, wy * length, wz * length
    length = math.sqrt(ux * ux + uy * uy + uz * uz)
    if length < 1e-20:
        ux, uy, uz = wx, wy, wz
    else:
        length = side / length
        ux, uy, uz = ux * length, uy * length, uz * length
    return px, py, pz, wx, wy, wz, ux, uy, uz, qx, qy, qz


@inlined
def flat_normal(scene, ray, words):
    """Unit geometric normal of a hit (outward), from what Embree has brought: nothing is fetched."""
    i = words[19]
    gx, gy, gz = np.float64(ray[12]), np.float64(ray[13]), np.float64(ray[14])
    motion = scene.instance_motion[i]
    if motion < 0:
        x, y, z = _turn(scene.normal_matrices[i], gx, gy, gz)
    else:
        _x, _y, _z, _a, _b, _c, x, y, z, _d, _e, _f = _moved_hit(
            scene.motion[motion], np.float64(ray[7]), 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, gx, gy, gz, 0.0, 0.0, 0.0
        )
    inverse = 1.0 / math.sqrt(max(1e-60, x * x + y * y + z * z))
    return x * inverse, y * inverse, z * inverse


@inlined
def to_world(steps, time, x, y, z):
    """A point in a moving part's own millimetres in the world at a time 0..1 within the shutter."""
    m00, m01, m02, m03, m10, m11, m12, m13, m20, m21, m22, m23 = matrix_at(steps, time)
    return m00 * x + m01 * y + m02 * z + m03, m10 * x + m11 * y + m12 * z + m13, m20 * x + m21 * y + m22 * z + m23


@inlined
def to_object(scene, instance, time, px, py, pz):
    """A world point in the part's own millimetres; what it wears stays put while it moves."""
    motion = scene.instance_motion[instance]
    if motion < 0:
        m, n = scene.matrices[instance], scene.normal_matrices[instance]
        px, py, pz = px - m[0, 3], py - m[1, 3], pz - m[2, 3]
        return (
            n[0, 0] * px + n[1, 0] * py + n[2, 0] * pz,
            n[0, 1] * px + n[1, 1] * py + n[2, 1] * pz,
            n[0, 2] * px + n[1, 2] * py + n[2, 2] * pz,
        )
    m00, m01, m02, m03, m10, m11, m12, m13, m20, m21, m22, m23 = matrix_at(scene.motion[motion], time)
    px, py, pz = px - m03, py - m13, pz - m23
    c00, c01, c02 = m11 * m22 - m12 * m21, m12 * m20 - m10 * m22, m10 * m21 - m11 * m20
    c10, c11, c12 = m02 * m21 - m01 * m22, m00 * m22 - m02 * m20, m01 * m20 - m00 * m21
    c20, c21, c22 = m01 * m12 - m02 * m11, m02 * m10 - m00 * m12, m00 * m11 - m01 * m10
    s = 1.0 / (m00 * c00 + m01 * c01 + m02 * c02)
    return (
        s * (c00 * px + c10 * py + c20 * pz),
        s * (c01 * px + c11 * py + c21 * pz),
        s * (c02 * px + c12 * py + c22 * pz),
    )


@inlined
def stretch_frame(scene, instance, time, nx, ny, nz, turn_cos, turn_sin):
    """Two unit tangents of a unit normal for stretched highlights: the first runs round the part's own z axis, then turned."""
    motion = scene.instance_motion[instance]
    if motion < 0:
        zx, zy, zz = scene.matrices[instance, 0, 2], scene.matrices[instance, 1, 2], scene.matrices[instance, 2, 2]
        xx, xy, xz = scene.matrices[instance, 0, 0], scene.matrices[instance, 1, 0], scene.matrices[instance, 2, 0]
    else:
        xx, _a, zx, _b, xy, _c, zy, _d, xz, _e, zz, _f = matrix_at(scene.motion[motion], time)
    tx, ty, tz = zy * nz - zz * ny, zz * nx - zx * nz, zx * ny - zy * nx
    length = tx * tx + ty * ty + tz * tz
    if length < 1e-3 * (zx * zx + zy * zy + zz * zz):  # on a flat end: along the part's x axis
        d = xx * nx + xy * ny + xz * nz
        tx, ty, tz = xx - d * nx, xy - d * ny, xz - d * nz
        length = tx * tx + ty * ty + tz * tz
    length = 1.0 / math.sqrt(max(1e-30, length))
    tx, ty, tz = tx * length, ty * length, tz * length
    bx, by, bz = ny * tz - nz * ty, nz * tx - nx * tz, nx * ty - ny * tx
    return (
        turn_cos * tx + turn_sin * bx,
        turn_cos * ty + turn_sin * by,
        turn_cos * tz + turn_sin * bz,
        turn_cos * bx - turn_sin * tx,
        turn_cos * by - turn_sin * ty,
        turn_cos * bz - turn_sin * tz,
    )


@inlined
def lift_off(x, y, z, t):
    """How far to lift a ray's start off its surface: relative to where it is, so scale does not matter."""
    return 3e-6 * max(abs(x), abs(y), abs(z)) + 4e-7 * t


@inlined
def place_on_part(scene, instance, time, px, py, pz, nx, ny, nz):
    """A world point and normal in a part's own millimetres: (x, y, z), the unit normal, and part millimetres in a world millimetre."""
    x, y, z = to_object(scene, instance, time, px, py, pz)
    ex, ey, ez = to_object(scene, instance, time, px + nx, py + ny, pz + nz)
    ex, ey, ez = ex - x, ey - y, ez - z
    per_mm = math.sqrt(max(1e-30, ex * ex + ey * ey + ez * ez))
    return x, y, z, ex / per_mm, ey / per_mm, ez / per_mm, per_mm
