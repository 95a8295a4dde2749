"""A lens that bends: where it shows what a straight one shows. Written so that kernels and arrays share it."""

import numpy as np

STEPS = 8


def bent_radius(whole, bend):
    """The distance r from the axis, in tangents, at which a lens that bends shows what a straight one shows at `whole`: r (1 + bend r^2) = whole, by
    Newton. Beyond where a barrel turns back on itself nothing is seen: steps stay small there."""
    r = whole
    for _ in range(STEPS):
        r = np.minimum(r - (r * (1.0 + bend * r * r) - whole) / np.maximum(0.05, 1.0 + 3.0 * bend * r * r), 1e6)
    return r
