"""Placements and 4x4 matrices (column vectors, right-handed, z up)."""

from typing import Sequence

import numpy as np

from aulmo.document.records import Document, Placement


def turn_matrix(turn: tuple[float, float, float]) -> np.ndarray:
    """3x3 rotation: about x first, then y, then z, in degrees."""
    x, y, z = np.radians(turn)
    cx, sx, cy, sy, cz, sz = np.cos(x), np.sin(x), np.cos(y), np.sin(y), np.cos(z), np.sin(z)
    about_x = np.array([[1, 0, 0], [0, cx, -sx], [0, sx, cx]])
    about_y = np.array([[cy, 0, sy], [0, 1, 0], [-sy, 0, cy]])
    about_z = np.array([[cz, -sz, 0], [sz, cz, 0], [0, 0, 1]])
    return about_z @ about_y @ about_x


def to_matrix(placement: Placement) -> np.ndarray:
    """4x4 matrix of a placement."""
    matrix = np.eye(4)
    matrix[:3, :3] = turn_matrix(placement.turn) * np.asarray(placement.scale)
    matrix[:3, 3] = placement.position
    return matrix


def nearest_turn(linear: np.ndarray) -> np.ndarray:
    """(3, 3) the rotation that is nearest to a matrix (3, 3): the orthogonal part of its polar decomposition, mirrored back where it mirrors."""
    u, _, v = np.linalg.svd(linear)
    return u @ np.diag([1.0, 1.0, np.linalg.det(u @ v)]) @ v


def without_scale(matrix: np.ndarray) -> np.ndarray:
    """The same place (4, 4) with axes of unit length, square to one another."""
    found = np.eye(4)
    found[:3, :3], found[:3, 3] = nearest_turn(matrix[:3, :3]), matrix[:3, 3]
    return found


def angles_of(turns: np.ndarray) -> np.ndarray:
    """(n, 3) degrees about x, y, z of rotations (n, 3, 3)."""
    y = np.arcsin(np.clip(-turns[:, 2, 0], -1, 1))
    level = np.abs(turns[:, 2, 0]) < 0.9999999
    x = np.where(level, np.arctan2(turns[:, 2, 1], turns[:, 2, 2]), np.arctan2(-turns[:, 1, 2], turns[:, 1, 1]))
    z = np.where(level, np.arctan2(turns[:, 1, 0], turns[:, 0, 0]), 0.0)
    return np.degrees(np.stack([x, y, z], 1))


def from_matrix(matrix: np.ndarray) -> Placement:
    """Placement of a 4x4 matrix without shear; a mirrored one gets a negative x scale."""
    linear = np.asarray(matrix, float)[:3, :3]
    if np.array_equal(linear, _EVEN):
        return Placement(_clean(matrix[:3, 3]))
    scale = np.linalg.norm(linear, axis=0)
    scale = np.where(scale < 1e-12, 1e-12, scale)
    if np.linalg.det(linear) < 0:
        scale = scale * [-1, 1, 1]
    r = linear / scale
    return Placement(_clean(matrix[:3, 3]), _clean(angles_of(r[None])[0]), _clean(scale))


_EVEN = np.eye(3)


def _clean(values: np.ndarray) -> tuple[float, float, float]:
    a, b, c = (round(v, 9) + 0.0 for v in values.tolist())
    return a, b, c


def local_matrices(placements: Sequence[Placement] | np.ndarray) -> np.ndarray:
    """(n, 4, 4) matrices of placements, or of (n, 9) positions, turns and scales, worked out together."""
    n = len(placements)
    if isinstance(placements, np.ndarray):
        numbers = placements
    else:
        numbers = np.array([(*p.position, *p.turn, *p.scale) for p in placements], float).reshape(n, 9)
    (cx, cy, cz), (sx, sy, sz) = np.cos(np.radians(numbers[:, 3:6])).T, np.sin(np.radians(numbers[:, 3:6])).T
    result = np.zeros((n, 4, 4))
    result[:, 0, :3] = np.stack([cz * cy, cz * sy * sx - sz * cx, cz * sy * cx + sz * sx], 1) * numbers[:, 6:]
    result[:, 1, :3] = np.stack([sz * cy, sz * sy * sx + cz * cx, sz * sy * cx - cz * sx], 1) * numbers[:, 6:]
    result[:, 2, :3] = np.stack([-sy, cy * sx, cy * cx], 1) * numbers[:, 6:]
    result[:, :3, 3], result[:, 3, 3] = numbers[:, :3], 1.0
    return result


def _levels(document: Document) -> list[tuple[list[str], list[int]]]:
    """The tree a level at a time: ids, and where each one's parent stands in the level above."""
    found: list[tuple[list[str], list[int]]] = []
    ids, above = list(document.roots), [0] * len(document.roots)
    while ids:
        found.append((ids, above))
        children = [(child, k) for k, part_id in enumerate(ids) for child in document.parts[part_id].children]
        ids, above = [c for c, _ in children], [k for _, k in children]
    return found


_known: list[tuple[dict, tuple, dict[str, np.ndarray]]] = []  # the matrices of the last few trees of parts, by the very objects


def world_matrices(document: Document) -> dict[str, np.ndarray]:
    """4x4 world matrix of every part, by id. Not to be written to."""
    for parts, roots, result in _known:
        if parts is document.parts and roots == document.roots:
            return result
    result = {}
    before = np.eye(4)[None]
    for ids, above in _levels(document):
        worlds = before[above] @ local_matrices([document.parts[i].placement for i in ids])
        worlds.setflags(write=False)
        result.update(zip(ids, worlds))
        before = worlds
    _known.insert(0, (document.parts, document.roots, result))
    del _known[4:]
    return result


def world_matrix(document: Document, part_id: str | None) -> np.ndarray:
    """4x4 world matrix of one part; None is the world itself."""
    matrix = np.eye(4)
    current = part_id
    while current is not None:
        part = document.parts[current]
        matrix = to_matrix(part.placement) @ matrix
        current = part.parent
    return matrix
