"""Camera rays: thin lens with a round or bladed aperture, shifted frame, parallel and panoramic views, softened pixel."""

import math


from aulmo.trace.compile.jit import inlined
from aulmo.trace.compile.arrays import (
    CAM_BLADE_TURN,
    CAM_BLADES,
    CAM_COLUMNS,
    CAM_FOCUS,
    CAM_FORWARD,
    CAM_LENS_RADIUS,
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
def _aperture(camera, u, v):
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
def camera_ray(camera, sx, sy, u, v):
    """Ray through the frame at (sx, sy), each -1..1 with y up. Returns origin and unit direction.

    A panorama spreads the whole sphere over the frame: longitude across, latitude up (equirectangular).
    """
    ox, oy, oz = camera[CAM_ORIGIN], camera[CAM_ORIGIN + 1], camera[CAM_ORIGIN + 2]
    rx = (sx + camera[CAM_SHIFT_X]) * camera[CAM_TAN_W]
    ry = (sy + camera[CAM_SHIFT_Y]) * camera[CAM_TAN_H]
    fx, fy, fz = camera[CAM_FORWARD], camera[CAM_FORWARD + 1], camera[CAM_FORWARD + 2]
    ax, ay, az = camera[CAM_RIGHT], camera[CAM_RIGHT + 1], camera[CAM_RIGHT + 2]
    bx, by, bz = camera[CAM_UP], camera[CAM_UP + 1], camera[CAM_UP + 2]
    if camera[CAM_PROJECTION] == PANORAMA:
        s, c = sine_cosine(0.5 * min(1.0, max(-1.0, sx)))
        up, level = sine_cosine(0.25 * min(1.0, max(-1.0, sy)))
        c, s = c * level, s * level
        return ox, oy, oz, c * fx + s * ax + up * bx, c * fy + s * ay + up * by, c * fz + s * az + up * bz
    if camera[CAM_PROJECTION] == PARALLEL:
        ox, oy, oz = ox + rx * ax + ry * bx, oy + rx * ay + ry * by, oz + rx * az + ry * bz
        dx, dy, dz = fx, fy, fz
    else:
        dx, dy, dz = fx + rx * ax + ry * bx, fy + rx * ay + ry * by, fz + rx * az + ry * bz
    if camera[CAM_LENS_RADIUS] > 0.0:
        lx, ly = _aperture(camera, u, v)
        lx *= camera[CAM_LENS_RADIUS]
        ly *= camera[CAM_LENS_RADIUS]
        hx, hy, hz = lx * ax + ly * bx, lx * ay + ly * by, lx * az + ly * bz
        focus = camera[CAM_FOCUS]
        dx, dy, dz = dx * focus - hx, dy * focus - hy, dz * focus - hz
        ox, oy, oz = ox + hx, oy + hy, oz + hz
    inverse = 1.0 / math.sqrt(dx * dx + dy * dy + dz * dz)
    return ox, oy, oz, dx * inverse, dy * inverse, dz * inverse
