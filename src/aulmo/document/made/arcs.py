"""Ways through points by arcs of circles, blended so that they bend without a jump: what smooth paths and keyed places run along."""

import math
from typing import Callable

import numpy as np

FINE = 64  # pieces that an arc between two points is measured by


def arc(one: np.ndarray, middle: np.ndarray, other: np.ndarray) -> Callable[[np.ndarray], np.ndarray] | None:
    """The circle's arc from `one` over `middle` to `other`, as a function of angle shares -1..0..1 with `middle` at 0; None where they are in line,
    two of them are one place, or the arc would go nearly all round."""
    a, b = one - middle, other - middle
    cross = np.cross(a, b)
    square = float(cross @ cross)
    if square <= 1e-12 * float(a @ a) * float(b @ b):
        return None
    centre = middle + np.cross(float(a @ a) * b - float(b @ b) * a, cross) / (2.0 * square)
    out = middle - centre
    side = np.cross(cross / math.sqrt(square), out)

    def angle(point: np.ndarray) -> float:
        v = point - centre
        return math.atan2(float(v @ side), float(v @ out)) % (2 * math.pi)

    onward, back = angle(other), angle(one) - 2 * math.pi
    if onward - back > 2 * math.pi:  # the other way round
        side = -side
        onward, back = angle(other), angle(one) - 2 * math.pi
    if onward - back > math.radians(330):
        return None

    def walk(share: np.ndarray) -> np.ndarray:
        turn = np.where(share < 0, -share * back, share * onward)[:, None]
        return centre + np.cos(turn) * out + np.sin(turn) * side

    return walk


def between(
    before: np.ndarray | None, one: np.ndarray, other: np.ndarray, after: np.ndarray | None, count: int = FINE
) -> np.ndarray:  # fmt: skip
    """(count + 1, 3) points of the way from one place to the next that runs smoothly on from the place before and toward the one after: circles
    through three places each, blended (Yuksel 2020, "A class of C2 interpolating splines"). Places on one circle give that circle."""
    t = np.linspace(0.0, 1.0, count + 1)
    straight = one + t[:, None] * (other - one)
    first = arc(before, one, other) if before is not None else None
    second = arc(one, other, after) if after is not None else None
    ways = [w for w in (first(t) if first else None, second(t - 1.0) if second else None) if w is not None]
    if len(ways) == 2:
        turn = (0.5 * math.pi * t)[:, None]
        return np.cos(turn) ** 2 * ways[0] + np.sin(turn) ** 2 * ways[1]
    if before is not None and after is not None and len(ways) == 1:  # straight on one side, bent on the other
        turn = (0.5 * math.pi * t)[:, None]
        pair = (ways[0], straight) if first is not None else (straight, ways[0])
        return np.cos(turn) ** 2 * pair[0] + np.sin(turn) ** 2 * pair[1]
    return ways[0] if ways else straight
