"""The photograph behind, looked up by direction: what the camera sees there through glass is the photograph where the light comes from."""

import math

from aulmo.frame.lens_bend import bent_radius
from aulmo.trace.compile.arrays import (
    OPT_PHOTO_BEND,
    OPT_PHOTO_FORWARD,
    OPT_PHOTO_GAIN,
    OPT_PHOTO_RIGHT,
    OPT_PHOTO_SHIFT_X,
    OPT_PHOTO_SHIFT_Y,
    OPT_PHOTO_TAN_H,
    OPT_PHOTO_TAN_W,
    OPT_PHOTO_UP,
    OPT_WHITE,
)
from aulmo.trace.compile import units
from aulmo.trace.compile.jit import inlined, kernel

_bent_radius = kernel(bent_radius)


@inlined
def bent(x, y, bend):
    """Where a lens that bends shows what a straight one shows at (x, y), tangents from its axis (see `frame.lens_bend`)."""
    if bend == 0.0:
        return x, y
    whole = math.sqrt(x * x + y * y)
    f = _bent_radius(whole, bend) / whole if whole > 1e-12 else 1.0
    return x * f, y * f


@inlined
def _mirrored(t):
    """A place beyond a side of the picture, mirrored back into 0..1."""
    t = abs(t) % 2.0
    return 2.0 - t if t > 1.0 else t


@units.photo_light.made
def photo_light(photo, options, dx, dy, dz):
    """Light of the photograph in a direction from its camera, nits, and whether it shows that; beside it it is mirrored, behind the camera black."""
    f, r, u = OPT_PHOTO_FORWARD, OPT_PHOTO_RIGHT, OPT_PHOTO_UP
    ahead = dx * options[f] + dy * options[f + 1] + dz * options[f + 2]
    length = math.sqrt(dx * dx + dy * dy + dz * dz)
    if ahead < 0.05 * length or photo.shape[0] == 0:
        return 0.0, 0.0, 0.0, 0.0
    x = (dx * options[r] + dy * options[r + 1] + dz * options[r + 2]) / ahead
    y = (dx * options[u] + dy * options[u + 1] + dz * options[u + 2]) / ahead
    x, y = bent(x, y, options[OPT_PHOTO_BEND])
    across = 0.5 + 0.5 * (x / options[OPT_PHOTO_TAN_W] - options[OPT_PHOTO_SHIFT_X])
    down = 0.5 - 0.5 * (y / options[OPT_PHOTO_TAN_H] - options[OPT_PHOTO_SHIFT_Y])
    inside = 0.0 <= across <= 1.0 and 0.0 <= down <= 1.0
    rows, columns = photo.shape[0], photo.shape[1]
    fx = _mirrored(across) * columns - 0.5
    fy = _mirrored(down) * rows - 0.5
    i, j = int(math.floor(fx)), int(math.floor(fy))
    fx, fy = fx - i, fy - j
    i1, j1 = min(columns - 1, i + 1), min(rows - 1, j + 1)
    i, j = max(0, min(columns - 1, i)), max(0, min(rows - 1, j))
    p, q, s, t = (1.0 - fx) * (1.0 - fy), fx * (1.0 - fy), (1.0 - fx) * fy, fx * fy
    white, g = options[OPT_WHITE], OPT_PHOTO_GAIN
    return (
        (p * photo[j, i, 0] + q * photo[j, i1, 0] + s * photo[j1, i, 0] + t * photo[j1, i1, 0]) * white * options[g],
        (p * photo[j, i, 1] + q * photo[j, i1, 1] + s * photo[j1, i, 1] + t * photo[j1, i1, 1]) * white * options[g + 1],
        (p * photo[j, i, 2] + q * photo[j, i1, 2] + s * photo[j1, i, 2] + t * photo[j1, i1, 2]) * white * options[g + 2],
        1.0 if inside else 0.0,
    )
