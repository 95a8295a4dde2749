"""Where the faces of a part end: corners, edges, and the circles among them. What points are caught by, pivots are put on and radii are read from."""

from typing import NamedTuple

import numpy as np

from aulmo.prepare.clipping import only_used
from aulmo.prepare.faces import Faces, welded

ROUND = 2e-4  # of its radius: how far the points of a circle may lie beside it


class Circle(NamedTuple):
    """A circle or an arc of one: its middle, the way its plane faces, its radius in mm; points (n, 3) of it in order."""

    centre: np.ndarray
    normal: np.ndarray
    radius: float
    points: np.ndarray


class Border(NamedTuple):
    """The border of a face in the part's own mm: corners (k, 3), edges (n, 2, 3), and the circles among them."""

    corners: np.ndarray
    edges: np.ndarray
    circles: tuple[Circle, ...]


def circle_through(points: np.ndarray) -> Circle | None:
    """The circle that points (n, 3), at least four in one plane, lie on; None when they do not. Least squares after Kasa 1976."""
    if len(points) < 4:
        return None
    middle = points.mean(0)
    _, sizes, ways = np.linalg.svd(points - middle, full_matrices=False)
    scale = float(sizes[0])
    if scale < 1e-9 or sizes[1] < 1e-3 * scale:
        return None
    flat = (points - middle) @ ways[:2].T
    a = np.concatenate([2 * flat, np.ones((len(flat), 1))], 1)
    found, *_ = np.linalg.lstsq(a, (flat**2).sum(1), rcond=None)
    radius = float(np.sqrt(max(0.0, found[2] + found[:2] @ found[:2])))
    centre = middle + found[:2] @ ways[:2]
    away = points - centre
    off = np.abs(np.linalg.norm(away, axis=1) - radius).max(), np.abs(away @ ways[2]).max()
    if not radius > 0 or max(off) > ROUND * radius + 1e-5:
        return None
    return Circle(centre, ways[2], radius, points)


def _lines(pairs: np.ndarray) -> list[np.ndarray]:
    """Chains of numbers from pairs (n, 2) that hang together; a closed one ends where it began."""
    near: dict[int, list[int]] = {}
    for a, b in pairs.tolist():
        near.setdefault(a, []).append(b)
        near.setdefault(b, []).append(a)
    chains = []
    while near:
        start = next((p for p, others in near.items() if len(others) == 1), next(iter(near)))
        chain = [start]
        while near.get(chain[-1]):
            at = chain[-1]
            following = near[at].pop()
            near[following].remove(at)
            chain.append(following)
        for p in set(chain):
            if not near.get(p):
                near.pop(p, None)
        chains.append(np.array(chain))
    return chains


def border_of(faces: Faces, number: int) -> Border:
    """The border of the face of a number."""
    place = int(np.searchsorted(faces.numbers, number))
    near = _neighbourhood(faces, place)
    part, of = only_used(faces.mesh, near), faces.of[near]
    weld = welded(part.vertices)
    where = np.zeros((int(weld.max(initial=0)) + 1, 3))
    where[weld] = part.vertices
    corners = weld[part.triangles.astype(np.int64)]
    starts, ends = corners[:, [0, 1, 2]].ravel(), corners[:, [1, 2, 0]].ravel()
    low, high = np.minimum(starts, ends), np.maximum(starts, ends)
    owner = np.repeat(of, 3)
    keys, edge = np.unique(low.astype(np.int64) * len(where) + high, return_inverse=True)
    own = np.bincount(edge, owner == place, len(keys))
    beyond = np.full(len(keys), -1)
    beyond[edge[owner != place]] = owner[owner != place]  # an open edge has nothing beyond it
    border = np.flatnonzero(own == 1)
    if len(border) == 0:
        return Border(np.zeros((0, 3)), np.zeros((0, 2, 3)), ())
    pairs = np.stack([keys[border] // len(where), keys[border] % len(where)], 1)
    circles: list[Circle] = []
    tips: list[np.ndarray] = []
    for one in np.unique(beyond[border]):
        for chain in _lines(pairs[beyond[border] == one]):
            points = where[chain]
            closed = chain[0] == chain[-1]
            if not closed:
                tips += [points[0], points[-1]]
            found = circle_through(points[:-1] if closed else points)
            if found is not None:
                circles.append(found._replace(points=points))
            else:
                tips += list(points[_bends(points)])
    ends_of = np.unique(np.round(np.array(tips), 6), axis=0) if tips else np.zeros((0, 3))
    return Border(ends_of, where[pairs], tuple(circles))


def _bends(points: np.ndarray) -> np.ndarray:
    """Where a chain of points turns by more than 30 degrees, its ends not counted."""
    way = np.diff(points, axis=0)
    way /= np.maximum(np.linalg.norm(way, axis=1, keepdims=True), 1e-12)
    sharp = (way[1:] * way[:-1]).sum(1) < np.cos(np.radians(30))
    return np.flatnonzero(np.concatenate([[False], sharp, [False]]))


def _neighbourhood(faces: Faces, place: int) -> np.ndarray:
    """Which triangles belong to a face or to those it meets."""
    near = {place, *faces.other[faces.one == place].tolist(), *faces.one[faces.other == place].tolist()}
    return np.asarray(np.isin(faces.of, list(near)))


def nearest_on(edges: np.ndarray, point: np.ndarray) -> tuple[np.ndarray, float]:
    """The point of edges (n, 2, 3) that is nearest to a point, and how far it is."""
    a, b = edges[:, 0], edges[:, 1]
    way = b - a
    share = np.clip(((point - a) * way).sum(1) / np.maximum((way * way).sum(1), 1e-20), 0, 1)
    at = a + share[:, None] * way
    far = np.linalg.norm(at - point, axis=1)
    k = int(np.argmin(far))
    return at[k], float(far[k])
