"""Pictures looked up by coordinates."""

import math

from aulmo.surface.program import O_A, O_ADJUST, O_B, O_C, O_P
from aulmo.trace.compile.jit import inlined, kernel
from aulmo.trace.compile.units import look_up
from aulmo.trace.pattern.lookup import adjusted


@inlined
def _address(t, mode):
    """A share of a picture beyond its edges: repeated, held, mirrored, or nothing (-1)."""
    if mode == 0:
        return t - math.floor(t)
    if mode == 1:
        return min(1.0, max(0.0, t))
    if mode == 2:
        t = t - 2.0 * math.floor(0.5 * t)
        return 2.0 - t if t > 1.0 else t
    return t if 0.0 <= t <= 1.0 else -1.0


@kernel
def image_at(op, pictures, registers):
    """A picture looked up at coordinates."""
    at, tiles, shift = registers[int(op[O_A])], registers[int(op[O_B])], registers[int(op[O_C])]
    root = int(op[O_P + 1])
    wide = registers[root, 3] * op[O_P + 2] if root > 0 else 0.0
    across, down = int(op[O_P + 4]), int(op[O_P + 5])
    u, v = _address(at[0] * tiles[0] - shift[0], across), _address(at[1] * tiles[1] - shift[1], down)
    if u < 0.0 or v < 0.0:
        return 0.0, 0.0, 0.0
    r, g, b, alpha = look_up(pictures[int(op[O_P])], u, 1.0 - v, wide, across == 0 and down == 0)
    channel = int(op[O_P + 3])
    if channel > 0 and channel < 5:
        r = r if channel == 1 else g if channel == 2 else b if channel == 3 else alpha
        g = b = r
    return adjusted(op, O_ADJUST, r, g, b)
