"""Which face of a shape is which face of the one that it became, and where a place on the one lies on the other."""

import numpy as np

from aulmo.document.meshes import Mesh
from aulmo.prepare.on_triangles import nearest_places
from aulmo.prepare.revision.state import Shape

MOST_ASSIGNED = 1200
SAME = 0.35  # how unlike two faces may be: a sum of how far apart, how differently large and how differently turned they are
FAR = 0.1  # of a part's size: a place that is further from the new surface than that is lost


def faces_again(old: Shape, new: Shape) -> dict[int, int]:
    """By the number of an old face, that of the new one: the same place, size and turn, in mm or as shares of the box. Faces that have none are not
    in it."""
    if not old.faces or not new.faces:
        return {}
    sides = []
    for shape in (old, new):
        middle = np.array([f.middle for f in shape.faces])
        low, size = np.array(shape.low), np.maximum(shape.size, 1e-9)
        sides.append((middle, (middle - low) / size, np.array([f.area for f in shape.faces]), np.array([f.normal for f in shape.faces])))
    scale = max(float(old.size.max()), float(new.size.max()), 1e-9)
    (am, ar, aa, an), (bm, br, ba, bn) = sides
    if len(aa) * len(ba) > MOST_ASSIGNED**2:
        from scipy.spatial import cKDTree

        where = cKDTree(bm / scale).query(am / scale)[1]
        cost = np.linalg.norm(am - bm[where], axis=1) / scale + _unlike(aa, ba[where], an, bn[where])
        return {old.faces[k].number: new.faces[int(w)].number for k, w in enumerate(where) if cost[k] < SAME}
    away = np.minimum(np.linalg.norm(am[:, None] - bm[None], axis=2) / scale, np.linalg.norm(ar[:, None] - br[None], axis=2) / 3)
    cost = away + _unlike(aa[:, None], ba[None], an[:, None], bn[None])
    from scipy.optimize import linear_sum_assignment

    rows, columns = linear_sum_assignment(np.minimum(cost, 10.0))
    return {old.faces[r].number: new.faces[c].number for r, c in zip(rows, columns) if cost[r, c] < SAME}


def _unlike(a: np.ndarray, b: np.ndarray, m: np.ndarray, n: np.ndarray) -> np.ndarray:
    """How differently large (a, b) and turned (m, n) faces are."""
    size = np.abs(np.log(np.maximum(a, 1e-12) / np.maximum(b, 1e-12)))
    return 0.15 * np.minimum(size, 4.0) + 0.2 * (1 - (m * n).sum(-1))


def frame_between(old: Shape, new: Shape) -> np.ndarray | None:
    """(4, 4) that takes the old shape's axes to the new one's, for one and the same shape in other axes; None when it cannot be told.

    By the faces' middles, after W. Kabsch, "A solution for the best rotation to relate two sets of vectors", 1976.
    """
    if old.like(new):
        return np.eye(4)
    if len(old.faces) < 4 or not old.turned_like(new):
        return None
    for order in (lambda f: f.number, lambda f: round(f.area, 3)):
        p, q = (np.array([f.middle for f in sorted(s.faces, key=order)]) for s in (old, new))
        u, _, v = np.linalg.svd((p - p.mean(0)).T @ (q - q.mean(0)))
        turn = v.T @ np.diag([1, 1, np.sign(np.linalg.det(v.T @ u.T))]) @ u.T
        moved = (p - p.mean(0)) @ turn.T + q.mean(0)
        if np.abs(moved - q).max() < 5e-3 * float(old.size.max()):
            out = np.eye(4)
            out[:3, :3], out[:3, 3] = turn, q.mean(0) - turn @ p.mean(0)
            return out
    return None


def nearest_on(mesh: Mesh, point: np.ndarray) -> tuple[np.ndarray, float]:
    """The place of a mesh that is nearest to a point of its axes, and how far that is, mm."""
    corners = mesh.vertices.astype(float)[mesh.triangles]
    middles = corners.mean(1)
    reach = np.linalg.norm(corners - middles[:, None], axis=2).max(1)
    near = np.linalg.norm(middles - point, axis=1) - reach
    chosen = np.argsort(near)[:256]
    places = nearest_places(np.tile(point, (len(chosen), 1)), corners[chosen])
    far = np.linalg.norm(places - point, axis=1)
    return places[far.argmin()], float(far.min())
