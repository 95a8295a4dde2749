"""Closing openings of a mesh: a lid that is flat, smooth or follows the rim, and a strip between two rims."""

from typing import Literal, Sequence

import numpy as np

from aulmo.prepare.health.flaws import loop_area

How = Literal["flat", "smooth", "rim"]
MOST_BY_AREA = 160  # points of a rim for which the lid of least area is looked for
MOST_ROUNDS = 4


def lid(points: np.ndarray, how: How = "flat", ring: tuple[np.ndarray, np.ndarray] | None = None) -> tuple[np.ndarray, np.ndarray]:
    """Further points (k, 3) and triangles (m, 3) over the rim's points (n, 3), which come first in the count, and the further ones after them.

    The rim runs as the triangles of the mesh run along it; the lid faces as they do. `ring` are points next to the rim (r, 3) and pairs of numbers
    (e, 2), rim first and ring after, that are joined by edges: a smooth lid goes on as the surface comes in by them. Raises ValueError for fewer than
    three points.
    """
    if len(points) < 3:
        raise ValueError("a rim has three points at least")
    cells = _least_area(points) if how == "rim" and len(points) <= MOST_BY_AREA else _flat(points)
    none = np.zeros((0, 3))
    if how != "smooth" or len(points) < 5:
        return none, cells
    more, cells = _finer(points, cells)
    if not len(more):
        return none, cells
    return _faired(points, more, cells, ring), cells


def _flat(points: np.ndarray) -> np.ndarray:
    """Triangles of a rim's shape on the plane that fits it; of least area where it winds over itself there."""
    import manifold3d

    _, normal, _ = loop_area(points)
    right = np.cross(normal, np.eye(3)[int(np.argmin(np.abs(normal)))])
    right /= np.linalg.norm(right)
    up = np.cross(normal, right)
    middle = points.mean(0)
    flat = np.stack([(points - middle) @ right, (points - middle) @ up], 1)[::-1]  # the other way round, as the lid runs
    found = manifold3d.triangulate([np.ascontiguousarray(flat)], -1.0) if len(points) > 3 else np.array([[0, 1, 2]])
    cells = len(points) - 1 - np.asarray(found, np.int64).reshape(-1, 3)
    if len(cells) != len(points) - 2 and len(points) <= MOST_BY_AREA:
        return _least_area(points)
    return cells


def _least_area(points: np.ndarray) -> np.ndarray:
    """Triangles of the least area over a rim. After G. Barequet and M. Sharir, "Filling gaps in the boundary of a polyhedron", 1995."""
    n = len(points)
    cost = np.zeros((n, n))
    via = np.zeros((n, n), np.int64)
    for span in range(2, n):
        for i in range(n - span):
            k = i + span
            between = np.arange(i + 1, k)
            area = np.linalg.norm(np.cross(points[between] - points[i], points[k] - points[i]), axis=1) / 2
            total = cost[i, between] + cost[between, k] + area
            best = int(np.argmin(total))
            cost[i, k], via[i, k] = total[best], between[best]
    out, stack = [], [(0, n - 1)]
    while stack:
        i, k = stack.pop()
        if k - i < 2:
            continue
        m = int(via[i, k])
        out.append((i, k, m))  # against the run of the rim
        stack += [(i, m), (m, k)]
    return np.array(out, np.int64)


def _finer(points: np.ndarray, cells: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Further points within a lid so that its triangles are about as large as the rim's edges; the rim keeps its edges."""
    wanted = float(np.median(np.linalg.norm(np.roll(points, -1, 0) - points, axis=1)))
    all_points, n = points, len(points)
    for _ in range(MOST_ROUNDS):
        corners = all_points[cells]
        longest = np.linalg.norm(corners - corners[:, [1, 2, 0]], axis=2).max(1)
        split = longest > 1.6 * wanted
        if not split.any() or len(all_points) > 20_000:
            break
        first = len(all_points)
        all_points = np.concatenate([all_points, corners[split].mean(1)])
        new = np.arange(first, len(all_points))
        a, b, c = cells[split].T
        cells = np.concatenate([cells[~split], np.stack([a, b, new], 1), np.stack([b, c, new], 1), np.stack([c, a, new], 1)])
        cells = _turned_edges(all_points, cells)
    return all_points[n:], cells


def _turned_edges(points: np.ndarray, cells: np.ndarray) -> np.ndarray:
    """Triangles with an edge between two of them laid the other way wherever that makes the larger of the angles opposite smaller."""
    for _ in range(3):
        where: dict[tuple[int, int], int] = {}
        for t, (a, b, c) in enumerate(cells.tolist()):
            where[(a, b)] = where[(b, c)] = where[(c, a)] = t
        touched: set[int] = set()
        changed = False
        for (a, b), t in list(where.items()):
            other = where.get((b, a))
            if a > b or other is None or t in touched or other in touched:
                continue
            c = next(int(x) for x in cells[t] if x not in (a, b))
            d = next(int(x) for x in cells[other] if x not in (a, b))
            if c == d or (c, d) in where or (d, c) in where:
                continue
            if _angle(points[c], points[a], points[b]) + _angle(points[d], points[a], points[b]) > np.pi + 1e-9:
                one, two = np.array([c, a, d]), np.array([d, b, c])
                facing = np.cross(points[b] - points[a], points[c] - points[a])
                if all(np.cross(points[x[1]] - points[x[0]], points[x[2]] - points[x[0]]) @ facing > 0 for x in (one, two)):
                    cells[t], cells[other] = one, two
                    touched |= {t, other}
                    changed = True
        if not changed:
            break
    return cells


def _angle(at: np.ndarray, a: np.ndarray, b: np.ndarray) -> float:
    u, v = a - at, b - at
    return float(np.arccos(np.clip(u @ v / max(1e-30, float(np.linalg.norm(u) * np.linalg.norm(v))), -1, 1)))


def _faired(points: np.ndarray, more: np.ndarray, cells: np.ndarray, ring: tuple[np.ndarray, np.ndarray] | None) -> np.ndarray:
    """The further points moved so that the lid bends as little as can be, as a thin plate held by the rim and what lies next to it."""
    from scipy.sparse import coo_matrix, diags
    from scipy.sparse.linalg import spsolve

    n, k = len(points), len(more)
    beyond = ring[0] if ring is not None else np.zeros((0, 3))
    where = np.concatenate([points, more, beyond])
    edges = np.concatenate([cells[:, [0, 1]], cells[:, [1, 2]], cells[:, [2, 0]]])
    if ring is not None:
        outer = np.where(ring[1] >= n, ring[1] + k, ring[1])
        edges = np.concatenate([edges, outer])
    edges = np.unique(np.sort(edges, 1), axis=0)
    a, b = edges.T
    weight = 1 / np.maximum(np.linalg.norm(where[a] - where[b], axis=1), 1e-12)
    size = len(where)
    joined = coo_matrix((np.concatenate([weight, weight]), (np.concatenate([a, b]), np.concatenate([b, a]))), (size, size)).tocsr()
    total = np.asarray(joined.sum(1)).reshape(-1)
    flat = (diags(1 / np.maximum(total, 1e-30)) @ joined - diags(np.ones(size))).tocsr()
    # rows where the plate's bend is told: the lid's own points and the rim, not what lies beyond it
    rows = flat[: n + k]
    energy = (rows.T @ rows).tocsc()
    free = np.arange(n, n + k)
    fixed = np.concatenate([np.arange(n), np.arange(n + k, size)])
    right = -energy[free][:, fixed] @ where[fixed]
    found = spsolve(energy[free][:, free].tocsc(), right)
    return np.asarray(found).reshape(-1, 3) if np.isfinite(found).all() else more


def strip(one: np.ndarray, other: np.ndarray) -> np.ndarray:
    """Triangles (m, 3) between two rims that run round opposite ways, points of `one` counted first: a zip that always takes the shorter step."""
    n, m = len(one), len(other)
    back = other[::-1]
    begin = int(np.argmin(np.linalg.norm(back - one[0], axis=1)))
    order = (np.arange(m) + begin) % m
    a = b = 0
    out = []
    place = lambda j: n + (m - 1 - int(order[j % m]))  # noqa: E731
    while a < n or b < m:
        ahead = np.linalg.norm(one[(a + 1) % n] - back[order[b % m]]) if a < n else np.inf
        beside = np.linalg.norm(one[a % n] - back[order[(b + 1) % m]]) if b < m else np.inf
        if ahead <= beside:
            out.append((a % n, place(b), (a + 1) % n))
            a += 1
        else:
            out.append((a % n, place(b), place(b + 1)))
            b += 1
    return np.array(out, np.int64)


def joins_of(loops: Sequence[np.ndarray], gap: float) -> list[tuple[int, int]]:
    """Which of several loops of points lie beside one another all round, nearer than `gap`: pairs of their numbers, each in one pair at most."""
    from scipy.spatial import cKDTree

    def far(one: np.ndarray, other: np.ndarray) -> float:
        dense = np.concatenate([other + s * (np.roll(other, -1, 0) - other) for s in (0.0, 0.25, 0.5, 0.75)])
        return float(cKDTree(dense).query(one)[0].max())

    out: list[tuple[int, int]] = []
    taken: set[int] = set()
    for i in range(len(loops)):
        for j in range(i + 1, len(loops)):
            if i not in taken and j not in taken:
                span = max(float(np.linalg.norm(np.roll(loop, -1, 0) - loop, axis=1).max()) for loop in (loops[i], loops[j]))
                if max(far(loops[i], loops[j]), far(loops[j], loops[i])) <= gap + span / 2:
                    out.append((i, j))
                    taken |= {i, j}
    return out
