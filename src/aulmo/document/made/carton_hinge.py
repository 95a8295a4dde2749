"""How one panel of a carton hangs on another."""

from typing import NamedTuple

import numpy as np


class Hinge(NamedTuple):
    """The crease's number, the panel above it and the one that hangs on it, a point on the line, its direction, the way from the parent to the child
    (all in the drawing's mm), the width of what bends, and the line's length."""

    crease: int
    parent: int
    child: int
    at: np.ndarray
    along: np.ndarray
    out: np.ndarray
    width: float
    length: float


def turn_about(hinge: Hinge, degrees: float, shift: float = 0.0) -> np.ndarray:
    """(4, 4) from the drawing to where a crease folded by so many degrees puts its child, in the parent's axes; `shift` mm to the child's back."""
    angle = np.radians(degrees)
    c, s = np.cos(angle), np.sin(angle)
    along = np.append(hinge.along, 0.0)
    out = np.append(hinge.out, 0.0)
    up = np.array([0.0, 0.0, 1.0])
    turned_out, turned_up = c * out - s * up, s * out + c * up
    linear = np.outer(along, along) + np.outer(turned_out, out) + np.outer(turned_up, up)
    start = np.append(hinge.at, 0.0)
    w = hinge.width
    if abs(angle) < 1e-9:
        bent = w * out
    else:
        bent = w / angle * (s * out - (1 - c) * up)
    moved = start - 0.5 * w * out + bent - linear @ (start + 0.5 * w * out) - shift * turned_up
    matrix = np.eye(4)
    matrix[:3, :3], matrix[:3, 3] = linear, moved
    return matrix
