"""Finding exact shapes that are the same but for where they lie, so that they share one mesh. Runs only in the reading process."""

import math
from typing import NamedTuple

import numpy as np

MOST_SAMPLED = 48  # faces of a shape on which points are taken
CLOSE = 2e-5  # share of a shape's size within which points are the same


class Likeness(NamedTuple):
    """What tells shapes apart: counts of what they are made of, points on them in the order of their faces, their size in mm."""

    counts: tuple
    points: np.ndarray
    size: float


def likeness(shape, faces: list) -> Likeness | None:
    """Counts and points of a shape; None when points cannot be taken."""
    from OCP.BRep import BRep_Tool
    from OCP.BRepAdaptor import BRepAdaptor_Surface
    from OCP.TopAbs import TopAbs_VERTEX
    from OCP.TopExp import TopExp_Explorer
    from OCP.TopoDS import TopoDS

    points: list[tuple[float, float, float]] = []
    explorer = TopExp_Explorer(shape, TopAbs_VERTEX)
    while explorer.More() and len(points) < 4000:
        p = BRep_Tool.Pnt_s(TopoDS.Vertex_s(explorer.Current()))
        points.append((p.X(), p.Y(), p.Z()))
        explorer.Next()
    corners = len(points)
    kinds = []
    step = max(1, math.ceil(len(faces) / MOST_SAMPLED))
    for face in faces[::step]:
        surface = BRepAdaptor_Surface(face, True)
        kinds.append(int(surface.GetType()))
        u0, u1, v0, v1 = surface.FirstUParameter(), surface.LastUParameter(), surface.FirstVParameter(), surface.LastVParameter()
        if not (max(abs(u0), abs(u1), abs(v0), abs(v1)) < 1e50):
            return None
        for s, t in ((0.5, 0.5), (0.1, 0.2), (0.8, 0.3), (0.3, 0.9)):
            p = surface.Value(u0 + s * (u1 - u0), v0 + t * (v1 - v0))
            points.append((p.X(), p.Y(), p.Z()))
    found = np.array(points)
    if len(found) < 3 or not np.isfinite(found).all():
        return None
    size = float(np.linalg.norm(found - found.mean(0), axis=1).max())
    return Likeness((len(faces), corners, tuple(kinds)), found, size) if size > 0 else None


def placed_as(one: np.ndarray, other: np.ndarray, size: float) -> np.ndarray | None:
    """(4, 4) that turns and moves points `one` (n, 3) onto `other`; None when none does (Kabsch 1976, "A solution for the best rotation to
    relate two sets of vectors")."""
    a, b = one.mean(0), other.mean(0)
    u, _, v = np.linalg.svd((one - a).T @ (other - b))
    flip = np.diag([1.0, 1.0, np.sign(np.linalg.det(u) * np.linalg.det(v)) or 1.0])
    turn = v.T @ flip @ u.T
    if float(np.abs((one - a) @ turn.T - (other - b)).max()) > CLOSE * size + 1e-7:
        return None
    matrix = np.eye(4)
    matrix[:3, :3], matrix[:3, 3] = turn, b - turn @ a
    nearest = np.round(matrix[:3, :3], 9)  # a turn by quarters stays one
    if np.allclose(nearest, np.round(nearest), atol=2e-7):
        matrix[:3, :3] = np.round(nearest)
        matrix[:3, 3] = b - matrix[:3, :3] @ a
    return matrix


class Twins:
    """The shapes met so far."""

    def __init__(self) -> None:
        self._known: dict[tuple, list[tuple[int, Likeness]]] = {}

    def find(self, number: int, like: Likeness | None) -> tuple[int, np.ndarray]:
        """The number of an earlier shape that this one is a copy of, and where it lies (4, 4); or this one itself, which is then remembered."""
        if like is None:
            return number, np.eye(4)
        place = round(math.log(like.size) * 2000)
        for near in (place, place - 1, place + 1):
            for earlier, known in self._known.get((like.counts, near), ()):
                matrix = placed_as(known.points, like.points, like.size)
                if matrix is not None:
                    return earlier, matrix
        self._known.setdefault((like.counts, place), []).append((number, like))
        return number, np.eye(4)
