"""A drawing's strokes made into a net: split where they cross or touch, ends that nearly meet joined, doubles dropped; what was odd is told."""

from typing import NamedTuple, Sequence

import numpy as np

from aulmo.prepare.carton.strokes import Stroke

MEET_MM = 0.05  # points nearer than that are one
GAP_MM = 0.6  # ends nearer than that were meant to meet
CORNER = 25.0  # degrees: a line ends where it turns by more


class Odd(NamedTuple):
    """Something odd that was found: "gap", "overshoot", "double" or "stray", where, and its size in mm."""

    kind: str
    at: tuple[float, float]
    size_mm: float


class Line(NamedTuple):
    """A line between two knots of the net: the numbers of its points in order, and of the stroke it came from."""

    points: tuple[int, ...]
    stroke: int


class Net(NamedTuple):
    """(n, 2) points in mm, the lines between them, what was odd."""

    points: np.ndarray
    lines: list[Line]
    odd: list[Odd]


def clean(strokes: Sequence[Stroke], gap_mm: float = GAP_MM) -> Net:
    """The net of a drawing."""
    starts = np.concatenate([s.points[:-1] for s in strokes])
    ends = np.concatenate([s.points[1:] for s in strokes])
    source = np.repeat(np.arange(len(strokes)), [len(s.points) - 1 for s in strokes])
    points, ids = _merged(np.concatenate([starts, ends]), MEET_MM)
    edges = ids.reshape(2, -1).T
    odd: list[Odd] = []
    points, edges, source = _split(points, edges, source)
    edges, source = _single(points, edges, source, odd)
    points, edges, source = _joined(points, edges, source, gap_mm, odd)
    points, edges, source = _split(points, edges, source)
    edges, source = _single(points, edges, source, [])
    return Net(points, _chained(points, edges, source, strokes), odd)


def _merged(points: np.ndarray, within: float) -> tuple[np.ndarray, np.ndarray]:
    """Points nearer than `within` as one, in the first one's place: the points left, and the number that each has there."""
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components
    from scipy.spatial import cKDTree

    pairs = cKDTree(points).query_pairs(within, output_type="ndarray")
    count, number = connected_components(
        coo_matrix((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(len(points), len(points))), directed=False
    )
    _, first = np.unique(number, return_index=True)
    return points[first], number


def _split(points: np.ndarray, edges: np.ndarray, source: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Edges split where they cross others or others end on them."""
    import shapely

    keep = edges[:, 0] != edges[:, 1]
    edges, source = edges[keep], source[keep]
    shapes = shapely.linestrings(points[edges])
    first, second = shapely.STRtree(shapes).query(shapes, predicate="dwithin", distance=MEET_MM)
    once = first < second
    first, second = first[once], second[once]
    a, b = points[edges[first, 0]], points[edges[first, 1]]
    c, d = points[edges[second, 0]], points[edges[second, 1]]
    at_edge, at_share, at_point = [], [], []
    u, v = b - a, d - c
    lu, lv = np.hypot(*u.T), np.hypot(*v.T)
    for edge, other, origin, way, length in ((first, second, a, u, lu), (second, first, c, v, lv)):
        for end in (0, 1):  # ends of the one on the other
            vertex = edges[other, end]
            to = points[vertex] - origin
            share = (to * way).sum(1) / length**2
            off = np.abs(way[:, 0] * to[:, 1] - way[:, 1] * to[:, 0]) / length
            on = (off <= MEET_MM) & (share * length > 1e-9) & ((1 - share) * length > 1e-9)
            on &= (vertex != edges[edge, 0]) & (vertex != edges[edge, 1])
            at_edge.append(edge[on])
            at_share.append(share[on])
            at_point.append(vertex[on])
    across = u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0]
    with np.errstate(divide="ignore", invalid="ignore"):
        s = ((c - a)[:, 0] * v[:, 1] - (c - a)[:, 1] * v[:, 0]) / across
        t = ((c - a)[:, 0] * u[:, 1] - (c - a)[:, 1] * u[:, 0]) / across
    cross = np.isfinite(s) & np.isfinite(t) & (np.abs(across) > 1e-9 * lu * lv)
    cross &= (s * lu > MEET_MM) & ((1 - s) * lu > MEET_MM) & (t * lv > MEET_MM) & ((1 - t) * lv > MEET_MM)
    met = a[cross] + s[cross, None] * u[cross]
    fresh = len(points) + np.arange(len(met))
    at_edge += [first[cross], second[cross]]
    at_share += [s[cross], t[cross]]
    at_point += [fresh, fresh]
    points = np.concatenate([points, met])
    edge, share, vertex = np.concatenate(at_edge), np.concatenate(at_share), np.concatenate(at_point)
    n = len(edges)
    whole_edge = np.concatenate([np.arange(n), edge, np.arange(n)])
    whole_share = np.concatenate([np.zeros(n), share, np.ones(n)])
    whole_vertex = np.concatenate([edges[:, 0], vertex, edges[:, 1]])
    order = np.lexsort((whole_share, whole_edge))
    owner, way_points = whole_edge[order], whole_vertex[order]
    same = owner[1:] == owner[:-1]
    pieces = np.stack([way_points[:-1], way_points[1:]], 1)[same]
    origin = source[owner[:-1][same]]
    points, ids = _merged(points, MEET_MM * 0.5)
    pieces = ids[pieces]
    keep = pieces[:, 0] != pieces[:, 1]
    return points, pieces[keep], origin[keep]


def _single(points: np.ndarray, edges: np.ndarray, source: np.ndarray, odd: list[Odd]) -> tuple[np.ndarray, np.ndarray]:
    """Each edge once; strokes that lie on others are told."""
    ordered = np.sort(edges, 1)
    _, first, which = np.unique(ordered, axis=0, return_index=True, return_inverse=True)
    which = which.reshape(-1)
    dropped = np.ones(len(edges), bool)
    dropped[first] = False
    lengths = np.hypot(*(points[edges[:, 0]] - points[edges[:, 1]]).T)
    for stroke in np.unique(source[dropped]):
        mine = np.nonzero(dropped & (source == stroke))[0]
        longest = mine[np.argmax(lengths[mine])]
        x, y = points[edges[longest]].mean(0)
        odd.append(Odd("double", (float(x), float(y)), float(lengths[mine].sum())))
    first = np.sort(first)
    return edges[first], source[first]


def _joined(
    points: np.ndarray, edges: np.ndarray, source: np.ndarray, gap: float, odd: list[Odd]
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:  # fmt: skip
    """Free ends led to what they were meant to meet: another end, or a line near by; those that stick out a little are taken back."""
    import shapely
    from scipy.spatial import cKDTree

    points = points.copy()
    degree = np.bincount(edges.ravel(), minlength=len(points))
    lengths = np.hypot(*(points[edges[:, 0]] - points[edges[:, 1]]).T)
    short = (lengths <= gap) & ((degree[edges[:, 0]] == 1) != (degree[edges[:, 1]] == 1))
    for edge in np.nonzero(short)[0]:
        knot = edges[edge, 0] if degree[edges[edge, 0]] > 1 else edges[edge, 1]
        if degree[knot] < 3:
            short[edge] = False
            continue
        x, y = points[knot]
        odd.append(Odd("overshoot", (float(x), float(y)), float(lengths[edge])))
    edges, source = edges[~short], source[~short]
    degree = np.bincount(edges.ravel(), minlength=len(points))
    free = np.nonzero(degree == 1)[0]
    if not len(free):
        return points, edges, source
    edge_at = {int(v): k for k, pair in enumerate(edges) for v in pair if degree[v] == 1}
    pairs = cKDTree(points[free]).query_pairs(gap, output_type="ndarray")
    widths = np.hypot(*(points[free[pairs[:, 0]]] - points[free[pairs[:, 1]]]).T)
    done: set[int] = set()
    instead = np.arange(len(points))
    for k in np.argsort(widths):
        one, other = int(free[pairs[k, 0]]), int(free[pairs[k, 1]])
        if one in done or other in done or edge_at[one] == edge_at[other]:
            continue
        done |= {one, other}
        place = _meeting(points, edges, edge_at, one, other, gap)
        odd.append(Odd("gap", (float(place[0]), float(place[1])), float(widths[k])))
        points[one] = place
        instead[other] = one
    rest = [int(v) for v in free if int(v) not in done]
    if rest:
        shapes = shapely.linestrings(points[edges])
        ends = shapely.points(points[rest])
        which, near = shapely.STRtree(shapes).query(ends, predicate="dwithin", distance=gap)
        best: dict[int, tuple[float, int]] = {}
        for w, e in zip(which, near):
            if e != edge_at[rest[w]]:
                off = float(shapely.distance(ends[w], shapes[e]))
                best[w] = min(best.get(w, (np.inf, -1)), (off, int(e)))
        for w, (off, e) in best.items():
            place = _onto(points, edges, edge_at, rest[w], e, gap)
            odd.append(Odd("gap", (float(place[0]), float(place[1])), off))
            points[rest[w]] = place
    return points, instead[edges], source


def _way(points: np.ndarray, edges: np.ndarray, edge: int, end: int) -> np.ndarray:
    """The direction in which an edge runs to its free end."""
    a, b = edges[edge]
    way = points[end] - points[a if b == end else b]
    return way / max(1e-12, float(np.hypot(*way)))


def _meeting(points: np.ndarray, edges: np.ndarray, edge_at: dict[int, int], one: int, other: int, gap: float) -> np.ndarray:
    u, v = _way(points, edges, edge_at[one], one), _way(points, edges, edge_at[other], other)
    across = u[0] * v[1] - u[1] * v[0]
    middle = 0.5 * (points[one] + points[other])
    if abs(across) < 0.05:
        return middle
    to = points[other] - points[one]
    place = points[one] + (to[0] * v[1] - to[1] * v[0]) / across * u
    return place if np.hypot(*(place - middle)) <= gap else middle


def _onto(points: np.ndarray, edges: np.ndarray, edge_at: dict[int, int], end: int, edge: int, gap: float) -> np.ndarray:
    a, b = points[edges[edge]]
    way = b - a
    length = float(np.hypot(*way))
    u = _way(points, edges, edge_at[end], end)
    across = u[0] * way[1] - u[1] * way[0]
    if abs(across) > 0.1 * length:
        to = a - points[end]
        place = points[end] + (to[0] * way[1] - to[1] * way[0]) / across * u
        share = float((place - a) @ way) / length**2
        if np.hypot(*(place - points[end])) <= 2 * gap and -1e-6 <= share <= 1 + 1e-6:
            return place
    return a + np.clip(float((points[end] - a) @ way) / length**2, 0.0, 1.0) * way


def _chained(points: np.ndarray, edges: np.ndarray, source: np.ndarray, strokes: Sequence[Stroke]) -> list[Line]:
    """Edges in lines: through points where just two of one look meet without a corner."""
    look = [s[1:] for s in strokes]
    at: dict[int, list[int]] = {}
    for k, (a, b) in enumerate(edges.tolist()):
        at.setdefault(a, []).append(k)
        at.setdefault(b, []).append(k)
    straight = np.cos(np.radians(CORNER))
    ways = points[edges[:, 1]] - points[edges[:, 0]]
    ways /= np.maximum(1e-12, np.hypot(*ways.T))[:, None]

    def goes_on(knot: int, edge: int) -> int:
        """The edge by which a line goes on through a knot, or -1."""
        here = at[knot]
        if len(here) != 2:
            return -1
        other = here[0] if here[1] == edge else here[1]
        if other == edge or look[source[edge]] != look[source[other]]:
            return -1
        sign = (1 if edges[edge, 1] == knot else -1) * (1 if edges[other, 0] == knot else -1)
        return other if sign * float(ways[edge] @ ways[other]) >= straight else -1

    seen = np.zeros(len(edges), bool)
    lines: list[Line] = []
    for start in range(len(edges)):
        if seen[start]:
            continue
        seen[start] = True
        chain = [int(edges[start, 0]), int(edges[start, 1])]
        for side in (1, 0):
            edge = start
            while (found := goes_on(chain[-1], edge)) >= 0 and not seen[found]:
                seen[found] = True
                a, b = edges[found]
                chain.append(int(b if a == chain[-1] else a))
                edge = found
            if side:
                chain.reverse()
        lines.append(Line(tuple(chain[::-1]), int(source[start])))
    return lines
