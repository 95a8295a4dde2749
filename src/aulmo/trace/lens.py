"""Camera rays: thin lens with a round or bladed aperture, shifted frame, softened pixel."""

import math


from aulmo.trace.jit import inlined
from aulmo.trace.arrays import (
    CAM_BLADE_TURN,
    CAM_BLADES,
    CAM_FOCUS,
    CAM_FORWARD,
    CAM_LENS_RADIUS,
    CAM_ORIGIN,
    CAM_RIGHT,
    CAM_SHIFT_X,
    CAM_SHIFT_Y,
    CAM_TAN_H,
    CAM_TAN_W,
    CAM_UP,
)
from aulmo.trace.sampling import concentric_disc


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
def camera_ray(camera, sx, sy, u, v):
    """Ray through the frame at (sx, sy), each -1..1 with y up. Returns origin and unit direction."""
    rx = (sx + camera[CAM_SHIFT_X]) * camera[CAM_TAN_W]
    ry = (sy + camera[CAM_SHIFT_Y]) * camera[CAM_TAN_H]
    ox, oy, oz = camera[CAM_ORIGIN], camera[CAM_ORIGIN + 1], camera[CAM_ORIGIN + 2]
    dx = camera[CAM_FORWARD] + rx * camera[CAM_RIGHT] + ry * camera[CAM_UP]
    dy = camera[CAM_FORWARD + 1] + rx * camera[CAM_RIGHT + 1] + ry * camera[CAM_UP + 1]
    dz = camera[CAM_FORWARD + 2] + rx * camera[CAM_RIGHT + 2] + ry * camera[CAM_UP + 2]
    if camera[CAM_LENS_RADIUS] > 0.0:
        lx, ly = _aperture(camera, u, v)
        lx *= camera[CAM_LENS_RADIUS]
        ly *= camera[CAM_LENS_RADIUS]
        hx = lx * camera[CAM_RIGHT] + ly * camera[CAM_UP]
        hy = lx * camera[CAM_RIGHT + 1] + ly * camera[CAM_UP + 1]
        hz = lx * camera[CAM_RIGHT + 2] + ly * camera[CAM_UP + 2]
        focus = camera[CAM_FOCUS]
        dx, dy, dz = dx * focus - hx, dy * focus - hy, dz * focus - hz
        ox, oy, oz = ox + hx, oy + hy, oz + hz
    inverse = 1.0 / math.sqrt(dx * dx + dy * dy + dz * dz)
    return ox, oy, oz, dx * inverse, dy * inverse, dz * inverse
