"""Camera rays: thin lens with a round or bladed aperture, shifted frame, parallel and panoramic views, softened pixel."""

import math


from aulmo.trace.compile import units
from aulmo.trace.compile.jit import inlined
from aulmo.trace.compile.arrays import (
    CAM_BEND,
    CAM_BLADE_TURN,
    CAM_BLADES,
    CAM_CATS_EYE,
    CAM_COLUMNS,
    CAM_EYE,
    CAM_FOCUS,
    CAM_FORWARD,
    CAM_LENS_RADIUS,
    CAM_NEAR,
    CAM_ORIGIN,
    CAM_PROJECTION,
    CAM_RIGHT,
    CAM_SHIFT_X,
    CAM_SHIFT_Y,
    CAM_TAN_H,
    CAM_TAN_W,
    CAM_UP,
    PANORAMA,
    PARALLEL,
)
from aulmo.trace.compile.quick_math import sine_cosine
from aulmo.trace.path.sampling import concentric_disc


@inlined
def tent(u):
    """Offset in (-1, 1) with a triangular density: the pixel's filter."""
    if u < 0.5:
        return math.sqrt(2.0 * u) - 1.0
    return 1.0 - math.sqrt(2.0 - 2.0 * u)


@inlined
def _opening(camera, u, v):
    blades = int(camera[CAM_BLADES])
    if blades < 3:
        return concentric_disc(u, v)
    k = min(blades - 1, int(u * blades))
    u = u * blades - k
    root = math.sqrt(u)
    a, b = root * (1.0 - v), root * v
    t0 = camera[CAM_BLADE_TURN] + 2.0 * math.pi * k / blades
    t1 = t0 + 2.0 * math.pi / blades
    return a * math.cos(t0) + b * math.cos(t1), a * math.sin(t0) + b * math.sin(t1)


@inlined
def aperture(camera, x, y, u, v):
    """A place on the opening, in shares of its radius, seen from (x, y) of the picture, tangents from the axis: away from the middle the rim of the
    lens cuts into it, so that what is not sharp becomes a cat's eye. Places beyond the rim are drawn anew, so none is lost."""
    sideways, up = camera[CAM_CATS_EYE] * x, camera[CAM_CATS_EYE] * y
    a, b = _opening(camera, u, v)
    if camera[CAM_CATS_EYE] == 0.0:
        return a, b
    away = math.sqrt(sideways * sideways + up * up)
    if away > 1.6:
        sideways, up = sideways * 1.6 / away, up * 1.6 / away
    for _ in range(24):
        if (a - sideways) * (a - sideways) + (b - up) * (b - up) <= 1.0:
            return a, b
        u, v = (u * 7919.1723 + v * 104729.317) % 1.0, (u * 15485.8631 + v * 3245.28437) % 1.0  # as good as fresh numbers
        a, b = _opening(camera, u, v)
    return 0.5 * sideways, 0.5 * up


@inlined
def begins(camera, dx, dy, dz):
    """How far along a unit direction the camera begins to see, mm."""
    if camera[CAM_NEAR] <= 0.0:
        return 0.0
    if camera[CAM_PROJECTION] == PANORAMA:
        return camera[CAM_NEAR]
    ahead = dx * camera[CAM_FORWARD] + dy * camera[CAM_FORWARD + 1] + dz * camera[CAM_FORWARD + 2]
    return camera[CAM_NEAR] / max(0.05, ahead)


@inlined
def camera_at(rows, time, row):
    """Fill `row` with the camera at a time 0..1 within the shutter; `rows` are (times, CAM_COLUMNS), even between them."""
    last = rows.shape[0] - 1
    if last == 0:
        for c in range(CAM_COLUMNS):
            row[c] = rows[0, c]
        return
    s = min(1.0, max(0.0, time)) * last
    k = min(last - 1, int(s))
    f = s - k
    for c in range(CAM_COLUMNS):
        row[c] = (1.0 - f) * rows[k, c] + f * rows[k + 1, c]
    for axis in (CAM_RIGHT, CAM_UP, CAM_FORWARD):
        inverse = 1.0 / math.sqrt(row[axis] * row[axis] + row[axis + 1] * row[axis + 1] + row[axis + 2] * row[axis + 2])
        for c in range(3):
            row[axis + c] *= inverse


@inlined
def eye_share(sy):
    """Share of its distance from the head's middle that an eye keeps where a full sphere is at the height sy, -1..1: all up to 60 degrees from the
    horizon, none from 85 on, smooth between."""
    gone = min(1.0, max(0.0, (abs(sy) - 2.0 / 3.0) / (85.0 / 90.0 - 2.0 / 3.0)))
    return 1.0 - gone * gone * (3.0 - 2.0 * gone)


@inlined
def straight_ray(camera, sx, sy):
    """Ray from the middle of the opening through the frame at (sx, sy), of a camera that is no panorama; see `camera_ray`. Returns origin and
    direction before the near cut, and where it goes through the picture in tangents from the axis."""
    ox, oy, oz = camera[CAM_ORIGIN], camera[CAM_ORIGIN + 1], camera[CAM_ORIGIN + 2]
    rx = (sx + camera[CAM_SHIFT_X]) * camera[CAM_TAN_W]
    ry = (sy + camera[CAM_SHIFT_Y]) * camera[CAM_TAN_H]
    fx, fy, fz = camera[CAM_FORWARD], camera[CAM_FORWARD + 1], camera[CAM_FORWARD + 2]
    ax, ay, az = camera[CAM_RIGHT], camera[CAM_RIGHT + 1], camera[CAM_RIGHT + 2]
    bx, by, bz = camera[CAM_UP], camera[CAM_UP + 1], camera[CAM_UP + 2]
    if camera[CAM_PROJECTION] == PARALLEL:
        return ox + rx * ax + ry * bx, oy + rx * ay + ry * by, oz + rx * az + ry * bz, fx, fy, fz, rx, ry
    bow = 1.0 + camera[CAM_BEND] * (rx * rx + ry * ry)
    rx, ry = rx * bow, ry * bow
    return ox, oy, oz, fx + rx * ax + ry * bx, fy + rx * ay + ry * by, fz + rx * az + ry * bz, rx, ry


@inlined
def begun(camera, ox, oy, oz, dx, dy, dz):
    """A ray with its direction made a unit one, from where the camera begins to see."""
    inverse = 1.0 / math.sqrt(dx * dx + dy * dy + dz * dz)
    dx, dy, dz = dx * inverse, dy * inverse, dz * inverse
    near = begins(camera, dx, dy, dz)
    return ox + near * dx, oy + near * dy, oz + near * dz, dx, dy, dz


@units.camera_ray.made
def camera_ray(camera, sx, sy, u, v):
    """Ray through the frame at (sx, sy), each -1..1 with y up. Returns origin and unit direction.

    A panorama spreads the whole sphere over the frame: longitude across, latitude up (equirectangular). A lens that bends shows at the
    distance r from its axis, in tangents, what a straight one shows at r (1 + bend r^2). The ray begins at the near cut. An eye of a stereo sphere
    lies beside the head's middle wherever it looks, at a right angle to the way it looks (Peleg et al. 2001, "Omnistereo"); toward the poles, where
    left and right change places as one turns, it goes into the middle.
    """
    ax, ay, az = camera[CAM_RIGHT], camera[CAM_RIGHT + 1], camera[CAM_RIGHT + 2]
    bx, by, bz = camera[CAM_UP], camera[CAM_UP + 1], camera[CAM_UP + 2]
    if camera[CAM_PROJECTION] == PANORAMA:
        ox, oy, oz = camera[CAM_ORIGIN], camera[CAM_ORIGIN + 1], camera[CAM_ORIGIN + 2]
        fx, fy, fz = camera[CAM_FORWARD], camera[CAM_FORWARD + 1], camera[CAM_FORWARD + 2]
        s, c = sine_cosine(0.5 * min(1.0, max(-1.0, sx)))
        if camera[CAM_EYE] != 0.0:
            beside = camera[CAM_EYE] * eye_share(sy)
            ox, oy, oz = ox + beside * (c * ax - s * fx), oy + beside * (c * ay - s * fy), oz + beside * (c * az - s * fz)
        up, level = sine_cosine(0.25 * min(1.0, max(-1.0, sy)))
        c, s = c * level, s * level
        dx, dy, dz = c * fx + s * ax + up * bx, c * fy + s * ay + up * by, c * fz + s * az + up * bz
        near = begins(camera, dx, dy, dz)
        return ox + near * dx, oy + near * dy, oz + near * dz, dx, dy, dz
    ox, oy, oz, dx, dy, dz, rx, ry = straight_ray(camera, sx, sy)
    if camera[CAM_LENS_RADIUS] > 0.0:
        lx, ly = aperture(camera, rx, ry, u, v)
        lx *= camera[CAM_LENS_RADIUS]
        ly *= camera[CAM_LENS_RADIUS]
        hx, hy, hz = lx * ax + ly * bx, lx * ay + ly * by, lx * az + ly * bz
        focus = camera[CAM_FOCUS]
        dx, dy, dz = dx * focus - hx, dy * focus - hy, dz * focus - hz
        ox, oy, oz = ox + hx, oy + hy, oz + hz
    return begun(camera, ox, oy, oz, dx, dy, dz)
