"""Where a path runs: its points cut finely, even steps along it, its heading."""

from typing import NamedTuple

import numpy as np

from aulmo.document.made.arcs import between
from aulmo.document.records import GuidePath
from aulmo.errors import BadValue

FINE = 24  # straight pieces between two points of a smooth path


def check(path: GuidePath) -> None:
    """Raise BadValue with a sentence when it leads nowhere."""
    points = np.array(path.points, float).reshape(-1, 3)
    if len(points) < 2:
        raise BadValue("A path needs at least two points.")
    if not np.isfinite(points).all():
        raise BadValue("A path's points have to be numbers.")
    if np.abs(points - points[0]).max() < 1e-6:
        raise BadValue("A path's points have to lie apart.")


def line(path: GuidePath) -> np.ndarray:
    """(n, 3) points of a path: its own, with a smooth curve through them cut into short pieces: arcs of circles, blended. A closed one ends
    where it began. Raises BadValue."""
    check(path)
    p = np.array(path.points, float)
    p = p[np.concatenate([[True], np.abs(np.diff(p, axis=0)).max(1) > 1e-9])]
    if path.closed and np.abs(p[0] - p[-1]).max() < 1e-9 and len(p) > 2:
        p = p[:-1]
    if not path.smooth or len(p) < 3:
        return np.concatenate([p, p[:1]]) if path.closed else p
    return smooth_line(p, path.closed, FINE, path.straights)


def smooth_line(points: np.ndarray, closed: bool, count: int, straights: tuple[int, ...] = ()) -> np.ndarray:
    """(n, 3) points of a smooth way through three or more points (m, 3), `count` pieces between two: see `arcs.between`; those between the points of
    `straights` and the next ones are straight."""
    pieces = [piece[:-1] for piece in smooth_pieces(points, closed, count, straights)]
    return np.concatenate([*pieces, points[:1] if closed else points[-1:]])


def smooth_pieces(points: np.ndarray, closed: bool, count: int, straights: tuple[int, ...] = ()) -> list[np.ndarray]:
    """The same, (count + 1, 3) from each point to the next."""
    m, pieces = len(points), []
    number = m if closed else m - 1
    straight = {k for k in straights if 0 <= k < number}
    for k in range(number):
        one, other = points[k], points[(k + 1) % m]
        if k in straight:
            pieces.append(one + np.linspace(0.0, 1.0, count + 1)[:, None] * (other - one))
            continue
        before = points[(k - 1) % m] if closed or k > 0 else None
        after = points[(k + 2) % m] if closed or k + 2 < m else None
        if before is not None and (k - 1) % number in straight:
            before = _going_on(before, one, other)
        if after is not None and (k + 1) % number in straight:
            after = _going_on(after, other, one)
        pieces.append(between(before, one, other, after, count))
    return pieces


def _going_on(from_: np.ndarray, one: np.ndarray, other: np.ndarray) -> np.ndarray:
    """A place before `one` on the circle that leaves it the way a straight piece from `from_` comes in, and goes through `other`."""
    way = (one - from_) / max(1e-12, float(np.linalg.norm(one - from_)))
    chord = other - one
    aside = chord - way * float(chord @ way)
    off = float(np.linalg.norm(aside))
    if off < 1e-9 * max(1.0, float(np.linalg.norm(chord))):
        return one - way * float(np.linalg.norm(chord))
    aside = aside / off
    radius = float(chord @ chord) / (2.0 * off)
    centre = one + aside * radius
    turn = -min(1.0, 0.5 * float(np.linalg.norm(chord)) / radius)
    return centre + radius * (np.sin(turn) * way - np.cos(turn) * aside)


def length(path: GuidePath) -> float:
    """Length in mm. Raises BadValue."""
    return float(np.linalg.norm(np.diff(line(path), axis=0), axis=1).sum())


class Places(NamedTuple):
    """Points (n, 3) on a path and the way it runs there (n, 3), of unit length."""

    points: np.ndarray
    headings: np.ndarray


def places(path: GuidePath, count: int) -> Places:
    """Points at even steps from its beginning to its end; a closed path has none twice. Raises BadValue."""
    fine = line(path)
    steps = np.linalg.norm(np.diff(fine, axis=0), axis=1)
    before = np.concatenate([[0.0], np.cumsum(steps)])
    at = before[-1] * (np.arange(count) / count if path.closed else np.linspace(0, 1, count) if count > 1 else np.array([0.0]))
    k = np.clip(np.searchsorted(before, at, "right") - 1, 0, len(steps) - 1)
    share = ((at - before[k]) / np.maximum(steps[k], 1e-12))[:, None]
    points = fine[k] + share * (fine[k + 1] - fine[k])
    ways = np.diff(fine, axis=0) / np.maximum(steps[:, None], 1e-12)
    if path.smooth and not path.straights:  # the heading turns evenly between two pieces too
        corner = np.concatenate([ways[-1:] if path.closed else ways[:1], ways, ways[:1] if path.closed else ways[-1:]])
        bends = corner[:-1] + corner[1:]
        headings = bends[k] + share * (bends[k + 1] - bends[k])
    else:
        headings = ways[k]
    return Places(points, headings / np.maximum(np.linalg.norm(headings, axis=1, keepdims=True), 1e-12))
