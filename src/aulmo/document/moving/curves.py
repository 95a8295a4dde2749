"""Curves through points that are walked by their length: the guide paths that things follow, and the arcs that keyed places run along."""

import functools
import math
from typing import Callable, NamedTuple

import numpy as np

from aulmo.document.made import paths
from aulmo.document.record_base import Triple
from aulmo.document.records import GuidePath

_GAUSS, _WEIGHTS = np.polynomial.legendre.leggauss(16)


class Step(NamedTuple):
    """Where something is on a curve: the point, the way it runs there (unit), and how that way changes for each mm (1/mm)."""

    point: np.ndarray
    way: np.ndarray
    bend: np.ndarray


class Curve:
    """A chain of cubic pieces, `pieces` (n, 4, 3) in powers of their own 0..1, walked by arc length in mm.

    The length of each piece comes from Gauss and Legendre's rule in halves, to rounding for what an artist draws; places along it from Newton's.
    """

    def __init__(self, pieces: np.ndarray, closed: bool = False) -> None:
        self.pieces, self.closed = pieces, closed
        self._lengths = np.array([self._run(k, 0.0, 1.0) for k in range(len(pieces))])
        self.ends = np.concatenate([[0.0], np.cumsum(self._lengths)])
        self.length = float(self.ends[-1])

    def _speed(self, k: int, u: np.ndarray | float) -> np.ndarray:
        c = self.pieces[k]
        u = np.asarray(u)[..., None]
        return np.linalg.norm(c[1] + u * (2 * c[2] + 3 * u * c[3]), axis=-1)

    def _run(self, k: int, one: float, other: float) -> float:
        total = 0.0
        for low, high in ((one, 0.5 * (one + other)), (0.5 * (one + other), other)):
            u = 0.5 * (high - low) * _GAUSS + 0.5 * (high + low)
            total += 0.5 * (high - low) * float(_WEIGHTS @ self._speed(k, u))
        return total

    def at(self, distance: float) -> Step:
        """The place `distance` mm from the beginning; a closed curve goes round again, an open one goes straight on beyond its ends."""
        beyond = 0.0
        if self.closed:
            distance = distance % self.length
        elif distance < 0.0 or distance > self.length:
            beyond = distance if distance < 0.0 else distance - self.length
            distance = min(max(distance, 0.0), self.length)
        k = min(int(np.searchsorted(self.ends, distance, "right")) - 1, len(self.pieces) - 1)
        wanted = distance - float(self.ends[k])
        u = min(1.0, wanted / self._lengths[k]) if self._lengths[k] > 0 else 0.0
        for _ in range(24):
            off = self._run(k, 0.0, u) - wanted
            speed = float(self._speed(k, u))
            if speed < 1e-12 or abs(off) < 1e-12 * max(1.0, self._lengths[k]):
                break
            u = min(1.0, max(0.0, u - off / speed))
        c = self.pieces[k]
        point = c[0] + u * (c[1] + u * (c[2] + u * c[3]))
        first, second = c[1] + u * (2 * c[2] + 3 * u * c[3]), 2 * c[2] + 6 * u * c[3]
        speed = max(float(np.linalg.norm(first)), 1e-12)
        way = first / speed
        bend = (second - way * float(second @ way)) / (speed * speed)
        return Step(point + beyond * way, way, bend)


def curve_of(path: GuidePath) -> Curve:
    """The curve of a guide path: the same that `made.paths.line` cuts into short pieces. Raises BadValue when it leads nowhere."""
    return _curve(path.points, path.smooth, path.closed)


@functools.lru_cache(maxsize=64)
def _curve(points: tuple[Triple, ...], smooth: bool, closed: bool) -> Curve:
    paths.check(GuidePath("", "", points, smooth, closed))
    p = np.array(points, float)
    p = p[np.concatenate([[True], np.abs(np.diff(p, axis=0)).max(1) > 1e-9])]
    if closed and np.abs(p[0] - p[-1]).max() < 1e-9 and len(p) > 2:
        p = p[:-1]
    if not smooth or len(p) < 3:
        ends = np.concatenate([p, p[:1]]) if closed else p
        one, other = ends[:-1], ends[1:]
        return Curve(np.stack([one, other - one, 0 * one, 0 * one], 1), closed)
    if closed:
        around = np.concatenate([p[-1:], p, p[:2]])
    else:
        around = np.concatenate([2 * p[:1] - p[1:2], p, 2 * p[-1:] - p[-2:-1]])
    a, b, c, d = around[:-3], around[1:-2], around[2:-1], around[3:]
    g = [np.sqrt(np.maximum(np.linalg.norm(v - u, axis=1), 1e-12))[:, None] for u, v in ((a, b), (b, c), (c, d))]
    # tangents of the centripetal curve at both ends of the middle gap, for a parameter that runs 0..1 over it (Yuksel et al. 2011)
    start = g[1] * ((b - a) / g[0] - (c - a) / (g[0] + g[1]) + (c - b) / g[1])
    end = g[1] * ((c - b) / g[1] - (d - b) / (g[1] + g[2]) + (d - c) / g[2])
    return Curve(np.stack([b, start, 3 * (c - b) - 2 * start - end, 2 * (b - c) + start + end], 1), closed)


# arcs through keyed places

FINE = 64  # pieces that an arc between two keys is measured by


def arc(one: np.ndarray, middle: np.ndarray, other: np.ndarray) -> Callable[[np.ndarray], np.ndarray] | None:
    """The circle's arc from `one` over `middle` to `other`, as a function of angle shares -1..0..1 with `middle` at 0; None where they are in line
    or the arc would go nearly all round."""
    a, b = one - middle, other - middle
    cross = np.cross(a, b)
    square = float(cross @ cross)
    if square < 1e-12 * float(a @ a) * float(b @ b):
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


def between(before: np.ndarray | None, one: np.ndarray, other: np.ndarray, after: np.ndarray | None) -> np.ndarray:
    """(FINE + 1, 3) points of the way from one place to the next that runs smoothly on from the place before and toward the one after: circles
    through three places each, blended (Yuksel 2020, "A class of C2 interpolating splines"). Places on one circle give that circle."""
    t = np.linspace(0.0, 1.0, FINE + 1)
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


class Walk(NamedTuple):
    """A way as fine points with the length run at each."""

    points: np.ndarray
    run: np.ndarray

    @property
    def length(self) -> float:
        """Its length, mm."""
        return float(self.run[-1])

    def at(self, share: float) -> np.ndarray:
        """The point at a share 0..1 of its length; beyond, straight on."""
        wanted = share * self.run[-1]
        k = min(max(int(np.searchsorted(self.run, wanted, "right")) - 1, 0), len(self.run) - 2)
        step = self.run[k + 1] - self.run[k]
        return self.points[k] + ((wanted - self.run[k]) / step if step > 1e-12 else 0.0) * (self.points[k + 1] - self.points[k])


def walk(points: np.ndarray) -> Walk:
    """Fine points of a way as something to be walked evenly."""
    from scipy.interpolate import CubicSpline

    t = np.linspace(0.0, 1.0, len(points))
    if len(points) < 4 or np.abs(np.diff(points, n=2, axis=0)).max() < 1e-9 * max(1.0, float(np.abs(points).max())):
        fine = points
    else:
        fine = CubicSpline(t, points)(np.linspace(0.0, 1.0, 8 * (len(points) - 1) + 1))
    return Walk(fine, np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(fine, axis=0), axis=1))]))
