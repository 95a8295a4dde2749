"""Where the copies of a rule go: points and turns in the axes of its group, before sources, jitter and hidden ones come into it."""

import functools
import itertools
import math
from typing import NamedTuple

import numpy as np

from aulmo.document import records as r
from aulmo.document.addresses import AXES
from aulmo.document.made import paths
from aulmo.document.placement import local_matrices
from aulmo.errors import BadValue

_AROUND = tuple(itertools.product((-1, 0, 1), repeat=3))  # a cell and those that touch it
TRIES = 12  # throws for each wanted copy before a surface counts as full


def turns_of(turn: np.ndarray) -> np.ndarray:
    """(n, 3, 3) of degrees about x, y, z (n, 3)."""
    placed = np.zeros((len(turn), 9))
    placed[:, 3:6], placed[:, 6:] = turn, 1.0
    return local_matrices(placed)[:, :3, :3]


def _about(axis: int, degrees: np.ndarray) -> np.ndarray:
    turn = np.zeros((len(degrees), 3))
    turn[:, axis] = degrees
    return turns_of(turn)


@functools.lru_cache(maxsize=32)
def _drawn(seed: int, size: int) -> np.ndarray:
    return np.random.default_rng([seed, 1]).random(size)


def _picked(rule: r.Copies, sources: int, drawn) -> np.ndarray:
    """Which source, by shares, numbers from 0 to 1 stand for."""
    shares = np.array([*rule.shares[:sources], *[1.0] * (sources - len(rule.shares))], float)
    total = shares.sum()
    ends = np.cumsum(shares / total) if total > 0 else np.arange(1, sources + 1) / sources
    return np.minimum(np.searchsorted(ends, drawn, "right"), sources - 1)


def picked_sources(rule: r.Copies, sources: int, count: int) -> np.ndarray:
    """(count,) which source each copy is of: by shares, the same for a number however many there are."""
    if sources < 2:
        return np.zeros(count, np.int64)
    return _picked(rule, sources, _drawn(rule.seed, 1 << count.bit_length())[:count])


def picked_source(rule: r.Copies, sources: int, number: int) -> int:
    """The same for one copy."""
    return 0 if sources < 2 else int(_picked(rule, sources, _drawn(rule.seed, 1 << (number + 1).bit_length())[number]))


class Spread(NamedTuple):
    """Where copies go: `points` (n, 3) and `turns` (n, 3, 3) in the group's axes. `moves` tells that they move each source from where it stands,
    by `points` after turning it about the origin; else its anchor is put on the point."""

    points: np.ndarray
    turns: np.ndarray
    moves: bool


def _still(count: int) -> np.ndarray:
    return np.broadcast_to(np.eye(3), (count, 3, 3))


def row(rule: r.Copies) -> Spread:
    """One after another by the step."""
    return Spread(np.arange(rule.count)[:, None] * np.array(rule.step), _still(rule.count), True)


def grid(rule: r.Copies) -> Spread:
    """Columns, rows and layers by the step."""
    i = np.arange(rule.count)
    cells = np.stack([i % rule.columns, i // rule.columns % rule.rows, i // (rule.columns * rule.rows)], 1)
    return Spread(cells * np.array(rule.step), _still(rule.count), True)


def ring(rule: r.Copies, middle: np.ndarray) -> Spread:
    """Round the axis through the centre. With a radius the sources are first moved out to it, by the middle of their boxes."""
    axis, centre = AXES[rule.axis], np.array(rule.centre)
    whole = abs(abs(rule.sweep) - 360.0) < 1e-9
    degrees = rule.sweep * np.arange(rule.count) / max(1, rule.count if whole else rule.count - 1)
    turns = _about(axis, degrees)
    out = np.zeros(3)
    if rule.radius > 0:
        away = middle - centre
        away[axis] = 0.0
        far = float(np.linalg.norm(away))
        way = away / far if far > 1e-6 else np.eye(3)[(axis + 1) % 3]
        out = way * rule.radius - away
    start = middle + out - centre
    moved = turns @ start + centre  # where the middle of a source goes
    if rule.turned:
        return Spread(moved - turns @ middle, turns, True)
    return Spread(moved - middle, _still(rule.count), True)


def along_path(rule: r.Copies, document: r.Document, world: np.ndarray) -> Spread:
    """At even steps along a path, looking along it. Raises BadValue when there is none or it leads nowhere."""
    path = document.paths.get(rule.path or "")
    if path is None:
        raise BadValue("Copies along a path need a path: draw one and choose it.")
    found = paths.places(path, rule.count)
    inverse = np.linalg.inv(world)
    points = found.points @ inverse[:3, :3].T + inverse[:3, 3]
    if not rule.turned:
        return Spread(points, _still(rule.count), False)
    ways = found.headings @ inverse[:3, :3].T
    heading = np.degrees(np.arctan2(ways[:, 1], ways[:, 0]))
    turn = np.zeros((rule.count, 3))
    turn[:, 2] = heading
    if not rule.upright:
        turn[:, 1] = -np.degrees(np.arctan2(ways[:, 2], np.hypot(ways[:, 0], ways[:, 1])))
    return Spread(points, turns_of(turn), False)


def box(rule: r.Copies) -> Spread:
    """At random within a box about the centre."""
    drawn = np.random.default_rng([rule.seed, 2]).random((rule.count, 3)) - 0.5
    return _kept_apart(Spread(np.array(rule.centre) + drawn * np.array(rule.box), _still(rule.count), False), rule.apart)


def ball(rule: r.Copies) -> Spread:
    """At random within a ball about the centre."""
    random = np.random.default_rng([rule.seed, 3])
    way = random.normal(size=(rule.count, 3))
    way /= np.maximum(np.linalg.norm(way, axis=1, keepdims=True), 1e-12)
    points = np.array(rule.centre) + (rule.radius or 100.0) * np.cbrt(random.random((rule.count, 1))) * way
    return _kept_apart(Spread(points, _still(rule.count), False), rule.apart)


def _kept_apart(spread: Spread, apart: float) -> Spread:
    """Without those that stand too near to one that comes before."""
    if apart <= 0 or len(spread.points) < 2:
        return spread
    kept = np.array(_first_apart(spread.points, apart, len(spread.points)), np.int64)
    return Spread(spread.points[kept], spread.turns[kept], spread.moves)


def _first_apart(points: np.ndarray, apart: float, most: int) -> list[int]:
    """Which points, in their order, keep a distance from all that were kept before; up to `most`."""
    cells = np.floor(points / apart).astype(np.int64).tolist()
    rows = points.tolist()
    near: dict[tuple[int, ...], list[list[float]]] = {}
    kept: list[int] = []
    limit = apart * apart

    def is_free(cell: list[int], point: list[float]) -> bool:
        x, y, z = point
        for step in _AROUND:
            for u, v, w in near.get((cell[0] + step[0], cell[1] + step[1], cell[2] + step[2]), ()):
                if (x - u) ** 2 + (y - v) ** 2 + (z - w) ** 2 < limit:
                    return False
        return True

    for k, cell in enumerate(cells):
        if is_free(cell, rows[k]):
            near.setdefault(tuple(cell), []).append(rows[k])
            kept.append(k)
            if len(kept) == most:
                break
    return kept


def surface(rule: r.Copies, triangles: np.ndarray, normals: np.ndarray, up: np.ndarray) -> Spread:
    """Evenly by area over (m, 3, 3) triangles with (m, 3, 3) normals at their corners and the way up, all in the group's axes."""
    cross = np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0])
    area = 0.5 * np.linalg.norm(cross, axis=1)
    if rule.steepest < 180.0:
        facing = np.einsum("nij,j->ni", normals, up).mean(1) / np.maximum(1e-12, np.linalg.norm(normals.mean(1), axis=1))
        area = np.where(facing >= math.cos(math.radians(rule.steepest)) - 1e-9, area, 0.0)
    total = float(area.sum())
    if not total > 1e-9:
        raise BadValue("Nothing can be scattered there: the parts chosen for it have no area.")
    wanted = rule.count * (TRIES if rule.apart > 0 else 1)
    random = np.random.default_rng([rule.seed, 4])
    # one in each of equal shares of the area, in a random order; each copy keeps its place when more are made only if nothing is sorted by number
    at = (random.permutation(wanted) + random.random(wanted)) / wanted * total if rule.apart <= 0 else random.random(wanted) * total
    k = np.minimum(np.searchsorted(np.cumsum(area), at, "right"), len(area) - 1)
    u, v = np.sqrt(random.random(wanted)), random.random(wanted)
    weights = np.stack([1 - u, u * (1 - v), u * v], 1)[:, :, None]
    points = (triangles[k] * weights).sum(1)
    if rule.apart > 0:
        kept = _first_apart(points, rule.apart, rule.count)
        points, k, weights = points[kept], k[kept], weights[kept]
    if rule.upright:
        return Spread(points, _still(len(points)), False)
    return Spread(points, standing_on((normals[k] * weights).sum(1)), False)


def standing_on(normals: np.ndarray) -> np.ndarray:
    """(n, 3, 3) turns by the shortest way that let z point along (n, 3) normals of any length."""
    n = normals / np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-12)
    x, y, z = n.T
    sign = np.where(z >= 0, 1.0, -1.0)  # below the horizon by way of a half turn about x, which keeps it well defined everywhere
    a = 1.0 / (1.0 + np.abs(z))
    result = np.empty((len(n), 3, 3))
    result[:, 0] = np.stack([1 - x * x * a, -x * y * a * sign, x], 1)
    result[:, 1] = np.stack([-x * y * a, sign * (1 - y * y * a), y], 1)
    result[:, 2] = np.stack([-x * sign, -y, z], 1)
    return result


def evenly(count: int) -> tuple[int, int]:
    """Columns and rows of a grid that is as square as it can be."""
    columns = max(1, math.ceil(math.sqrt(count)))
    return columns, max(1, math.ceil(count / columns))
