"""Curves through points that are walked by their length: the guide paths that things follow, and the arcs that keyed places run along."""

import functools
from typing import NamedTuple

import numpy as np

from aulmo.document.made import paths
from aulmo.document.made.arcs import arc as arc, between as between
from aulmo.document.record_base import Triple
from aulmo.document.records import GuidePath

_GAUSS, _WEIGHTS = np.polynomial.legendre.leggauss(10)


class Step(NamedTuple):
    """Where something is on a curve: the point, the way it runs there (unit), and how that way changes for each mm (1/mm)."""

    point: np.ndarray
    way: np.ndarray
    bend: np.ndarray


class Curve:
    """A chain of cubic pieces, `pieces` (n, 4, 3) in powers of their own 0..1, walked by arc length in mm.

    The length of each piece comes from Gauss and Legendre's rule, places along it from Newton's; pieces are short, so both are good to rounding.
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
        u = 0.5 * (other - one) * _GAUSS + 0.5 * (other + one)
        return 0.5 * (other - one) * float(_WEIGHTS @ self._speed(k, u))

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
    return _curve(path.points, path.smooth, path.closed, path.straights)


PIECES = 32  # between two points of a smooth path


@functools.lru_cache(maxsize=64)
def _curve(points: tuple[Triple, ...], smooth: bool, closed: bool, straights: tuple[int, ...] = ()) -> Curve:
    from scipy.interpolate import CubicSpline

    paths.check(GuidePath("", "", points, smooth, closed))
    p = np.array(points, float)
    p = p[np.concatenate([[True], np.abs(np.diff(p, axis=0)).max(1) > 1e-9])]
    if closed and np.abs(p[0] - p[-1]).max() < 1e-9 and len(p) > 2:
        p = p[:-1]
    if not smooth or len(p) < 3:
        ends = np.concatenate([p, p[:1]]) if closed else p
        one, other = ends[:-1], ends[1:]
        return Curve(np.stack([one, other - one, 0 * one, 0 * one], 1), closed)
    if straights:
        return Curve(np.concatenate([_bent(one, k in straights) for k, one in enumerate(paths.smooth_pieces(p, closed, PIECES, straights))]), closed)
    fine = paths.smooth_line(p, closed, PIECES)
    t = np.arange(len(fine), dtype=float)
    found = CubicSpline(t, fine, bc_type="periodic" if closed else "not-a-knot").c  # (4, pieces, 3), the highest power first: it bends without a jump
    return Curve(np.ascontiguousarray(found[::-1].transpose(1, 0, 2)), closed)


def _bent(fine: np.ndarray, straight: bool) -> np.ndarray:
    """(n, 4, 3) cubic pieces through fine points of one way from a point to the next; one for a straight one."""
    from scipy.interpolate import CubicSpline

    if straight:
        one, other = fine[:1], fine[-1:]
        return np.stack([one, other - one, 0 * one, 0 * one], 1)
    found = CubicSpline(np.arange(len(fine), dtype=float), fine).c
    return np.ascontiguousarray(found[::-1].transpose(1, 0, 2))


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
