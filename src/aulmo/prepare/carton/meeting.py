"""Where panels of a carton meet: what passes through what, by how much, and how far panels keep from one another."""

import functools
from typing import NamedTuple, Sequence

import numpy as np

from aulmo.document.flat import Flat
from aulmo.document.made.carton import placed
from aulmo.document.made.carton_board import cut_up
from aulmo.document.made.carton_flat import FRONT, Ready

SHRUNK_MM = 0.8  # edges that touch where panels meet are no collision


class Meeting(NamedTuple):
    """Two panels of which one goes `depth_mm` into the other, and where in the front's axes."""

    panels: tuple[int, int]
    depth_mm: float
    at: tuple[float, float, float]


class Outlines(NamedTuple):
    """Panels a little smaller than they are: edges (e, 2, 2) and triangles (t, 3, 2) in the drawing, and whose they are."""

    edges: np.ndarray
    edge_of: np.ndarray
    triangles: np.ndarray
    triangle_of: np.ndarray


@functools.lru_cache(maxsize=16)
def outlines(flat: Flat, shrunk: float = SHRUNK_MM) -> Outlines:
    """The outlines of a flat's panels, simplified, smaller by so many mm."""
    import shapely

    edges, edge_of, triangles, triangle_of = [], [], [], []
    for k, panel in enumerate(flat.panels):
        shape = shapely.simplify(shapely.Polygon(panel.rings[0]).buffer(-shrunk, join_style="mitre"), 0.2)
        for one in shapely.get_parts(shape):
            if one.is_empty:
                continue
            ring = np.array(one.exterior.coords)
            edges.append(np.stack([ring[:-1], ring[1:]], 1))
            edge_of.append(np.full(len(ring) - 1, k))
            three = cut_up(one)
            triangles.append(three)
            triangle_of.append(np.full(len(three), k))
    return Outlines(np.concatenate(edges), np.concatenate(edge_of), np.concatenate(triangles), np.concatenate(triangle_of))


def tied(made: Ready) -> np.ndarray:
    """(panels, panels) whether two hang on one another, or are no part of the carton: they cannot meet."""
    count = len(made.flat.panels)
    found = np.eye(count, dtype=bool)
    kept = np.zeros(count, bool)
    kept[[made.front, *(h.child for h in made.hinges)]] = True
    found |= ~kept[:, None] | ~kept[None, :]
    for hinge in made.hinges:
        found[hinge.parent, hinge.child] = found[hinge.child, hinge.parent] = True
    return found


def meetings(made: Ready, places: np.ndarray, least: float, shrunk: float = SHRUNK_MM) -> list[Meeting]:
    """Pairs of panels of which one goes more than `least` mm into the other, deepest first."""
    held = outlines(made.flat, shrunk)
    moved = lambda points, of: np.einsum("nij,nkj->nki", places[of][:, :3, :2], points) + places[of][:, None, :3, 3]  # noqa: E731
    edges, triangles = moved(held.edges, held.edge_of), moved(held.triangles, held.triangle_of)
    apart = tied(made)
    low_e, high_e = edges.min(1), edges.max(1)
    low_t, high_t = triangles.min(1), triangles.max(1)
    pairs = ~apart[held.edge_of[:, None], held.triangle_of[None, :]]
    for axis in range(3):
        pairs &= (low_e[:, None, axis] <= high_t[None, :, axis]) & (high_e[:, None, axis] >= low_t[None, :, axis])
    e, t = np.nonzero(pairs)
    if not len(e):
        return []
    a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
    normal = np.cross(b - a, c - a)
    normal /= np.maximum(1e-12, np.linalg.norm(normal, axis=1))[:, None]
    p, q = edges[e, 0], edges[e, 1]
    d0, d1 = ((p - a) * normal).sum(1), ((q - a) * normal).sum(1)
    depth = np.minimum(np.abs(d0), np.abs(d1))
    through = (d0 * d1 < 0) & (depth > least)
    if not through.any():
        return []
    e, t, a, b, c, normal, p, q, d0, d1, depth = (x[through] for x in (e, t, a, b, c, normal, p, q, d0, d1, depth))
    met = p + (d0 / (d0 - d1))[:, None] * (q - p)
    inside = np.ones(len(e), bool)
    for u, v in ((a, b), (b, c), (c, a)):
        inside &= (np.cross(v - u, met - u) * normal).sum(1) > 0
    worst: dict[tuple[int, int], Meeting] = {}
    for k in np.nonzero(inside)[0]:
        one, other = int(held.edge_of[e[k]]), int(held.triangle_of[t[k]])
        depth[k] = min(depth[k], _from_rim(made.flat, other, places[other], met[k]))
        if depth[k] <= least:
            continue
        pair = (min(one, other), max(one, other))
        if pair not in worst or worst[pair].depth_mm < depth[k]:
            worst[pair] = Meeting((one, other), float(depth[k]), (float(met[k][0]), float(met[k][1]), float(met[k][2])))
    return sorted(worst.values(), key=lambda m: -m.depth_mm)


def _from_rim(flat: Flat, panel: int, place: np.ndarray, point: np.ndarray) -> float:
    """How far a point on a panel lies from the panel's rim: so far it would have to give way."""
    import shapely

    x, y = (point - place[:3, 3]) @ place[:3, :2]
    return float(shapely.distance(shapely.LinearRing(flat.panels[panel].rings[0]), shapely.Point(x, y)))


def clearance(made: Ready, places: np.ndarray, panel: int, thickness: float) -> tuple[int, float] | None:
    """The panel that another comes nearest to, and how many mm of air are between their boards; None when it is alone."""
    apart = tied(made)[panel]
    sheets = made.sheets
    fronts = sheets.faces % 4 == FRONT
    corners, whose = sheets.places[sheets.triangles[fronts]], sheets.faces[fronts] // 4
    mine = corners[whose == panel]
    if not len(mine):
        return None
    fine = np.concatenate([mine + s * (np.roll(mine, -1, 1) - mine) for s in (0.0, 0.25, 0.5, 0.75)]).reshape(-1, 2)
    points = fine @ places[panel][:3, :2].T + places[panel][:3, 3]
    best: tuple[int, float] | None = None
    for other in np.nonzero(~apart)[0]:
        three = corners[whose == other] @ places[other][:3, :2].T + places[other][:3, 3]
        if not len(three):
            continue
        beside = abs(float(places[panel][:3, 2] @ places[other][:3, 2]))  # what meets it edgewise has no thickness of its own there
        gap = float(_distances(points, three).min()) - 0.5 * thickness * (1 + beside)
        if best is None or gap < best[1]:
            best = (int(other), gap)
    return best


def _distances(points: np.ndarray, triangles: np.ndarray) -> np.ndarray:
    """(n,) least distances of points from (m, 3, 3) triangles."""
    a = triangles[:, 0]
    normal = np.cross(triangles[:, 1] - a, triangles[:, 2] - a)
    normal /= np.maximum(1e-12, np.linalg.norm(normal, axis=1))[:, None]
    best = np.full(len(points), np.inf)
    height = np.einsum("nmk,mk->nm", points[:, None] - a[None], normal)
    foot = points[:, None] - height[..., None] * normal[None]
    inside = np.ones(height.shape, bool)
    for k in range(3):
        u, v = triangles[:, k], triangles[:, (k + 1) % 3]
        way = v - u
        inside &= np.einsum("nmk,mk->nm", np.cross(way[None], foot - u[None]), normal) >= 0
        share = np.clip(((points[:, None] - u) * way).sum(2) / np.maximum(1e-12, (way * way).sum(1)), 0, 1)
        best = np.minimum(best, np.linalg.norm(points[:, None] - u - share[..., None] * way, axis=2).min(1))
    return np.minimum(best, np.where(inside, np.abs(height), np.inf).min(1))


def on_the_way(made: Ready, angles_at, steps: Sequence[float], shifts: np.ndarray, least: float) -> list[tuple[float, Meeting]]:
    """What passes through what while a carton is folded: (share of the way, deepest meeting) at each of some steps where anything does."""
    found = []
    for share in steps:
        met = meetings(made, placed(made, np.array(angles_at(share)), shifts), least)
        if met:
            found.append((share, met[0]))
    return found
