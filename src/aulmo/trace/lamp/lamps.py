"""One lamp as kernels: sample a direction toward it, the density of that, and where a ray meets it.

A lamp is a row of numbers (`arrays.LAMP_*`). It lights from its front; light passes it from behind, and other lamps' light passes
it from everywhere, so that both estimators see the same scene.

References: Urena, Fajardo & King 2013, "An area-preserving parametrization for spherical rectangles"; Pharr, Jakob & Humphreys 4th
ed., 6.2.4 and 12.2 (spheres by their cone, spots).
"""

import math

from aulmo.trace.compile.arrays import (
    DISC,
    DISTANT,
    IES_COLUMNS,
    IES_ROWS,
    LAMP_AREA,
    LAMP_COS_EDGE,
    LAMP_COS_FULL,
    LAMP_FIRST,
    LAMP_IES,
    LAMP_KIND,
    LAMP_LAST,
    LAMP_N,
    LAMP_POSITION,
    LAMP_RGB,
    LAMP_SIZE,
    LAMP_SIZE_2,
    LAMP_U,
    LAMP_V,
    MESH,
    PORTAL,
    RECTANGLE,
    SPHERE,
    TUBE,
)
from aulmo.trace.compile.jit import inlined, kernel
from aulmo.trace.compile.quick_math import arc_turns, sine_cosine
from aulmo.trace.path.sampling import concentric_disc, frame_about


@inlined
def dot_axis(lamp, axis, x, y, z):
    """Component of a vector along one of the lamp's axes."""
    return lamp[axis] * x + lamp[axis + 1] * y + lamp[axis + 2] * z


@kernel
def candela_share(ies, profile, vertical, horizontal):
    """Bilinear share of the largest candela; angles in degrees, horizontal any number of turns."""
    v = min(IES_ROWS - 1.000001, max(0.0, vertical))
    h = (horizontal % 360.0) * (IES_COLUMNS - 1) / 360.0
    i, j = int(v), min(IES_COLUMNS - 2, int(h))
    v, h = v - i, h - j
    return (1.0 - v) * ((1.0 - h) * ies[profile, i, j] + h * ies[profile, i, j + 1]) + v * (
        (1.0 - h) * ies[profile, i + 1, j] + h * ies[profile, i + 1, j + 1]
    )


@inlined
def aimed(lamp, ies, x, y, z):
    """How much of its light a lamp sends along a world direction (away from it): spot cone and measured profile, 0..1."""
    share = 1.0
    cosine = dot_axis(lamp, LAMP_N, x, y, z)
    if lamp[LAMP_COS_EDGE] > -1.0:
        if cosine <= lamp[LAMP_COS_EDGE]:
            return 0.0
        if cosine < lamp[LAMP_COS_FULL]:
            s = (cosine - lamp[LAMP_COS_EDGE]) / (lamp[LAMP_COS_FULL] - lamp[LAMP_COS_EDGE])
            share = s * s * (3.0 - 2.0 * s)
    if lamp[LAMP_IES] >= 0.0:
        across, along = dot_axis(lamp, LAMP_U, x, y, z), dot_axis(lamp, LAMP_V, x, y, z)
        vertical = 360.0 * arc_turns(math.sqrt(across * across + along * along), cosine)
        share *= candela_share(ies, int(lamp[LAMP_IES]), vertical, 360.0 * arc_turns(along, across))
    return share


@inlined
def _rectangle_angle(lamp, x, y, z):
    """Solid angle of a rectangle from a point relative to its centre, with what sampling it needs.

    Returns (solid angle, x0, y0, z0, x1, y1, b0, b1, cosine and sine of the sum of two corner angles): the rectangle in its own axes
    around the point.
    """
    w, h = lamp[LAMP_SIZE], lamp[LAMP_SIZE_2]
    px, py, pz = dot_axis(lamp, LAMP_U, x, y, z), dot_axis(lamp, LAMP_V, x, y, z), dot_axis(lamp, LAMP_N, x, y, z)
    x0, y0, x1, y1 = -w - px, -h - py, w - px, h - py
    z0 = -abs(pz)
    # sines of the four sides' planes; the sides' normals meet at the corner angles g0..g3
    z2 = z0 * z0 + 1e-300
    s0, s1 = y0 / math.sqrt(z2 + y0 * y0), x1 / math.sqrt(z2 + x1 * x1)
    s2, s3 = y1 / math.sqrt(z2 + y1 * y1), x0 / math.sqrt(z2 + x0 * x0)
    low_re, low_im = _both_angles(s0 * s1, -s1 * s2)
    high_re, high_im = _both_angles(s2 * s3, -s3 * s0)
    # the corner angles exceed a flat rectangle's full turn by the solid angle
    angle = _angle_of(low_re * high_re - low_im * high_im, low_re * high_im + low_im * high_re)
    return angle, x0, y0, z0, x1, y1, -s0, s2, high_re, high_im


@inlined
def _both_angles(a, b):
    """Two angles given by their cosines, added as the product of unit complex numbers: one arctangent serves them all."""
    a, b = min(1.0, max(-1.0, a)), min(1.0, max(-1.0, b))
    sine_a, sine_b = math.sqrt(1.0 - a * a), math.sqrt(1.0 - b * b)
    return a * b - sine_a * sine_b, a * sine_b + sine_a * b


@kernel
def _angle_of(re, im):
    """The angle of a complex number, 0 to a full turn; what rounding has pushed below 0 stays there."""
    angle = math.atan2(im, re)
    return angle + 2.0 * math.pi if angle < -1e-9 else angle


@inlined
def lamp_density(lamp, px, py, pz, dx, dy, dz, distance, cosine):
    """Density per steradian with which `sample_lamp` picks a direction from a point, given where the ray meets the lamp."""
    kind = int(lamp[LAMP_KIND])
    if kind == RECTANGLE or kind == PORTAL:
        angle = _rectangle_angle(lamp, px - lamp[LAMP_POSITION], py - lamp[LAMP_POSITION + 1], pz - lamp[LAMP_POSITION + 2])[0]
        return 1.0 / angle if angle > 1e-7 else distance * distance / max(1e-9, cosine * lamp[LAMP_AREA])
    if kind == SPHERE:
        x, y, z = lamp[LAMP_POSITION] - px, lamp[LAMP_POSITION + 1] - py, lamp[LAMP_POSITION + 2] - pz
        sine2 = lamp[LAMP_SIZE] * lamp[LAMP_SIZE] / (x * x + y * y + z * z)
        if sine2 >= 1.0:
            return 0.0
        return 1.0 / (2.0 * math.pi * _one_less_cos(sine2))
    if kind == TUBE:
        x, y, z = px - lamp[LAMP_POSITION], py - lamp[LAMP_POSITION + 1], pz - lamp[LAMP_POSITION + 2]
        u, v = dot_axis(lamp, LAMP_U, x, y, z), dot_axis(lamp, LAMP_V, x, y, z)
        away = math.sqrt(u * u + v * v)
        if away <= lamp[LAMP_SIZE]:
            return 0.0
        half = math.acos(lamp[LAMP_SIZE] / away)
        return distance * distance / max(1e-12, cosine * 4.0 * half * lamp[LAMP_SIZE] * lamp[LAMP_SIZE_2])
    return distance * distance / max(1e-12, cosine * lamp[LAMP_AREA])


@inlined
def _one_less_cos(sine2):
    """1 - cos of an angle given its squared sine, exact for small ones."""
    return sine2 / (1.0 + math.sqrt(max(0.0, 1.0 - sine2)))


@inlined
def meet_lamp(lamp, ox, oy, oz, dx, dy, dz):
    """Distance and cosine at which a ray meets a lamp's shining side; distance 0 when it does not."""
    kind = int(lamp[LAMP_KIND])
    x, y, z = ox - lamp[LAMP_POSITION], oy - lamp[LAMP_POSITION + 1], oz - lamp[LAMP_POSITION + 2]
    if kind == RECTANGLE or kind == DISC or kind == PORTAL:
        cosine = -dot_axis(lamp, LAMP_N, dx, dy, dz)
        if cosine <= 1e-9:
            return 0.0, 0.0
        t = dot_axis(lamp, LAMP_N, x, y, z) / cosine
        if t <= 0.0:
            return 0.0, 0.0
        u = dot_axis(lamp, LAMP_U, x + t * dx, y + t * dy, z + t * dz)
        v = dot_axis(lamp, LAMP_V, x + t * dx, y + t * dy, z + t * dz)
        if kind == DISC:
            r2 = u * u + v * v
            if r2 > lamp[LAMP_SIZE] * lamp[LAMP_SIZE] or r2 < lamp[LAMP_SIZE_2] * lamp[LAMP_SIZE_2]:
                return 0.0, 0.0
        elif abs(u) > lamp[LAMP_SIZE] or abs(v) > lamp[LAMP_SIZE_2]:
            return 0.0, 0.0
        return t, cosine
    r = lamp[LAMP_SIZE]
    if kind == SPHERE:
        b = -(x * dx + y * dy + z * dz)
        qx, qy, qz = x + b * dx, y + b * dy, z + b * dz
        under = r * r - (qx * qx + qy * qy + qz * qz)
        if under <= 0.0:
            return 0.0, 0.0
        root = math.sqrt(under)
        return (b - root, root / r) if b - root > 0.0 else (0.0, 0.0)
    # tube: along N from -SIZE_2 to SIZE_2
    u, v, w = dot_axis(lamp, LAMP_U, x, y, z), dot_axis(lamp, LAMP_V, x, y, z), dot_axis(lamp, LAMP_N, x, y, z)
    du, dv, dw = dot_axis(lamp, LAMP_U, dx, dy, dz), dot_axis(lamp, LAMP_V, dx, dy, dz), dot_axis(lamp, LAMP_N, dx, dy, dz)
    a = du * du + dv * dv
    if a < 1e-18:
        return 0.0, 0.0
    b = -(u * du + v * dv)
    under = b * b - a * (u * u + v * v - r * r)
    if under <= 0.0:
        return 0.0, 0.0
    t = (b - math.sqrt(under)) / a
    if t <= 0.0 or abs(w + t * dw) > lamp[LAMP_SIZE_2]:
        return 0.0, 0.0
    return t, -((u + t * du) * du + (v + t * dv) * dv) / r


@inlined
def sample_lamp(scene, lamp, px, py, pz, s, t, pick):
    """A direction from a point toward a lamp of the scene; `pick` chooses a triangle of a glowing part.

    Returns (x, y, z, distance, cosine at the lamp, density per steradian); density 0 means it cannot be reached, a density below zero is
    that of a lamp without size, whose light is then intensity over distance squared.
    """
    kind = int(lamp[LAMP_KIND])
    if kind == DISTANT:
        nx, ny, nz = -lamp[LAMP_N], -lamp[LAMP_N + 1], -lamp[LAMP_N + 2]
        spread = lamp[LAMP_SIZE_2]  # 1 - cosine of the half angle
        if spread <= 0.0:
            return nx, ny, nz, 1e30, 1.0, -1.0
        x, y, z = _in_cone(nx, ny, nz, spread, s, t)
        return x, y, z, 1e30, 1.0, 1.0 / (2.0 * math.pi * spread)
    if kind == MESH:
        return _sample_triangles(scene, lamp, px, py, pz, s, t, pick)
    x, y, z = lamp[LAMP_POSITION] - px, lamp[LAMP_POSITION + 1] - py, lamp[LAMP_POSITION + 2] - pz
    if kind == RECTANGLE or kind == PORTAL:
        if dot_axis(lamp, LAMP_N, x, y, z) >= 0.0 and kind == RECTANGLE:
            return 0.0, 0.0, 1.0, 1.0, 0.0, 0.0
        return _sample_rectangle(lamp, x, y, z, s, t)
    if kind == SPHERE:
        d2 = x * x + y * y + z * z
        r = lamp[LAMP_SIZE]
        sine2 = r * r / d2
        if sine2 >= 1.0:
            return 0.0, 0.0, 1.0, 1.0, 0.0, 0.0
        spread = _one_less_cos(sine2)
        inverse = 1.0 / math.sqrt(d2)
        dx, dy, dz = _in_cone(x * inverse, y * inverse, z * inverse, spread, s, t)
        b = x * dx + y * dy + z * dz
        root = math.sqrt(max(0.0, r * r - (d2 - b * b)))
        return dx, dy, dz, b - root, max(1e-6, root / r), 1.0 / (2.0 * math.pi * spread)
    if kind == TUBE:
        u, v = -dot_axis(lamp, LAMP_U, x, y, z), -dot_axis(lamp, LAMP_V, x, y, z)
        away = math.sqrt(u * u + v * v)
        r = lamp[LAMP_SIZE]
        if away <= r:
            return 0.0, 0.0, 1.0, 1.0, 0.0, 0.0
        half = math.acos(r / away)
        sa, ca = sine_cosine(half * (2.0 * s - 1.0) / (2.0 * math.pi))
        cu, cv = (u * ca - v * sa) / away, (u * sa + v * ca) / away
        w = lamp[LAMP_SIZE_2] * (2.0 * t - 1.0)
        nx, ny, nz = (
            cu * lamp[LAMP_U] + cv * lamp[LAMP_V],
            cu * lamp[LAMP_U + 1] + cv * lamp[LAMP_V + 1],
            cu * lamp[LAMP_U + 2] + cv * lamp[LAMP_V + 2],
        )
        x, y, z = x + r * nx + w * lamp[LAMP_N], y + r * ny + w * lamp[LAMP_N + 1], z + r * nz + w * lamp[LAMP_N + 2]
        area = 4.0 * half * r * lamp[LAMP_SIZE_2]
        return _toward(x, y, z, nx, ny, nz, area)
    if kind == DISC:
        a, b = concentric_disc(s, t)
        inner = lamp[LAMP_SIZE_2] / lamp[LAMP_SIZE]
        if inner > 0.0:
            rho = math.sqrt(a * a + b * b)
            if rho > 0.0:
                f = math.sqrt(inner * inner + (1.0 - inner * inner) * rho * rho) / rho
                a, b = a * f, b * f
            else:
                a = inner
        a, b = a * lamp[LAMP_SIZE], b * lamp[LAMP_SIZE]
        x, y, z = (
            x + a * lamp[LAMP_U] + b * lamp[LAMP_V],
            y + a * lamp[LAMP_U + 1] + b * lamp[LAMP_V + 1],
            z + a * lamp[LAMP_U + 2] + b * lamp[LAMP_V + 2],
        )
        return _toward(x, y, z, lamp[LAMP_N], lamp[LAMP_N + 1], lamp[LAMP_N + 2], lamp[LAMP_AREA])
    distance = math.sqrt(x * x + y * y + z * z)
    if distance < 1e-9:
        return 0.0, 0.0, 1.0, 1.0, 0.0, 0.0
    return x / distance, y / distance, z / distance, distance, 1.0, -1.0


@inlined
def _toward(x, y, z, nx, ny, nz, area):
    """From a vector to a point of a surface with normal n, picked evenly over an area."""
    d2 = x * x + y * y + z * z
    distance = math.sqrt(d2)
    if distance < 1e-9:
        return 0.0, 0.0, 1.0, 1.0, 0.0, 0.0
    x, y, z = x / distance, y / distance, z / distance
    cosine = -(x * nx + y * ny + z * nz)
    if cosine <= 1e-9:
        return 0.0, 0.0, 1.0, 1.0, 0.0, 0.0
    return x, y, z, distance, cosine, d2 / (cosine * area)


@inlined
def _in_cone(nx, ny, nz, spread, s, t):
    ax, ay, az, bx, by, bz = frame_about(nx, ny, nz)
    below = spread * s
    cosine = 1.0 - below
    sine = math.sqrt(max(0.0, below * (2.0 - below)))
    sp, cp = sine_cosine(t)
    a, b = sine * cp, sine * sp
    return cosine * nx + a * ax + b * bx, cosine * ny + a * ay + b * by, cosine * nz + a * az + b * bz


@inlined
def _sample_rectangle(lamp, x, y, z, s, t):
    angle, x0, y0, z0, x1, y1, b0, b1, high_re, high_im = _rectangle_angle(lamp, -x, -y, -z)
    if angle <= 1e-7:  # far away: evenly over its area
        a, b = lamp[LAMP_SIZE] * (2.0 * s - 1.0), lamp[LAMP_SIZE_2] * (2.0 * t - 1.0)
        x, y, z = (
            x + a * lamp[LAMP_U] + b * lamp[LAMP_V],
            y + a * lamp[LAMP_U + 1] + b * lamp[LAMP_V + 1],
            z + a * lamp[LAMP_U + 2] + b * lamp[LAMP_V + 2],
        )
        return _toward(x, y, z, lamp[LAMP_N], lamp[LAMP_N + 1], lamp[LAMP_N + 2], lamp[LAMP_AREA])
    au = s * angle + 2.0 * math.pi - _angle_of(high_re, high_im)
    fu = (math.cos(au) * b0 - b1) / math.sin(au)
    cu = math.copysign(1.0, fu) / math.sqrt(fu * fu + b0 * b0)
    cu = min(1.0 - 1e-12, max(-1.0 + 1e-12, cu))
    xu = min(x1, max(x0, -(cu * z0) / math.sqrt(1.0 - cu * cu)))
    d = math.sqrt(xu * xu + z0 * z0)
    h0, h1 = y0 / math.sqrt(d * d + y0 * y0), y1 / math.sqrt(d * d + y1 * y1)
    hv = h0 + t * (h1 - h0)
    hv2 = hv * hv
    yv = hv * d / math.sqrt(1.0 - hv2) if hv2 < 1.0 - 1e-12 else y1
    side = -1.0 if dot_axis(lamp, LAMP_N, x, y, z) < 0.0 else 1.0
    w = side * -z0
    vx, vy, vz = (
        xu * lamp[LAMP_U] + yv * lamp[LAMP_V] + w * lamp[LAMP_N],
        xu * lamp[LAMP_U + 1] + yv * lamp[LAMP_V + 1] + w * lamp[LAMP_N + 1],
        xu * lamp[LAMP_U + 2] + yv * lamp[LAMP_V + 2] + w * lamp[LAMP_N + 2],
    )
    distance = math.sqrt(vx * vx + vy * vy + vz * vz)
    return vx / distance, vy / distance, vz / distance, distance, -z0 / distance, 1.0 / angle


@inlined
def picked_triangle(scene, lamp, pick):
    """Corners (9,) of the triangle of a glowing part that `pick` falls on by area, its normal (x, y, z), twice its area, its place in the lists."""
    low, high = int(lamp[LAMP_FIRST]), int(lamp[LAMP_LAST])
    target = pick * lamp[LAMP_AREA]
    low = scene.emit_guide[low + min(high - low - 1, int(pick * (high - low)))]
    while low + 1 < high and scene.emit_cumulative[low + 1] <= target:
        low += 1
    c = scene.emit_corners[low]
    e1x, e1y, e1z = c[3] - c[0], c[4] - c[1], c[5] - c[2]
    e2x, e2y, e2z = c[6] - c[0], c[7] - c[1], c[8] - c[2]
    nx, ny, nz = e1y * e2z - e1z * e2y, e1z * e2x - e1x * e2z, e1x * e2y - e1y * e2x
    length = math.sqrt(nx * nx + ny * ny + nz * nz)
    if length > 0.0:
        nx, ny, nz = nx / length, ny / length, nz / length
    return c, nx, ny, nz, length, low


@inlined
def _sample_triangles(scene, lamp, px, py, pz, s, t, pick):
    """Evenly over the area of a glowing part."""
    c, nx, ny, nz, length, _place = picked_triangle(scene, lamp, pick)
    if length < 1e-30:
        return 0.0, 0.0, 1.0, 1.0, 0.0, 0.0
    root = math.sqrt(s)
    b1, b2 = 1.0 - root, t * root
    b0 = 1.0 - b1 - b2
    x = b0 * c[0] + b1 * c[3] + b2 * c[6] - px
    y = b0 * c[1] + b1 * c[4] + b2 * c[7] - py
    z = b0 * c[2] + b1 * c[5] + b2 * c[8] - pz
    if nx * x + ny * y + nz * z > 0.0:  # a glowing part shines from both sides
        nx, ny, nz = -nx, -ny, -nz
    return _toward(x, y, z, nx, ny, nz, lamp[LAMP_AREA])


@inlined
def lamp_light(scene, lamp, x, y, z):
    """Radiance (nits), or candela of a lamp without size, that a lamp sends along direction (x, y, z)."""
    share = aimed(lamp, scene.ies, x, y, z)
    return lamp[LAMP_RGB] * share, lamp[LAMP_RGB + 1] * share, lamp[LAMP_RGB + 2] * share
