"""Placements and 4x4 matrices (column vectors, right-handed, z up)."""

import numpy as np

from aulmo.document.records import Document, Part, Placement


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


def from_matrix(matrix: np.ndarray) -> Placement:
    """Placement of a 4x4 matrix without shear; a mirrored one gets a negative x scale."""
    linear = np.asarray(matrix, float)[:3, :3]
    scale = np.linalg.norm(linear, axis=0)
    scale = np.where(scale < 1e-12, 1e-12, scale)
    if np.linalg.det(linear) < 0:
        scale = scale * [-1, 1, 1]
    r = linear / scale
    y = np.arcsin(np.clip(-r[2, 0], -1.0, 1.0))
    if abs(r[2, 0]) < 0.9999999:
        x, z = np.arctan2(r[2, 1], r[2, 2]), np.arctan2(r[1, 0], r[0, 0])
    else:
        x, z = np.arctan2(-r[1, 2], r[1, 1]), 0.0

    def clean(values) -> tuple[float, float, float]:
        a, b, c = (float(round(v, 9)) + 0.0 for v in values)
        return a, b, c

    return Placement(clean(matrix[:3, 3]), clean(np.degrees([x, y, z])), clean(scale))


def placement_at(part: Part, time: float) -> Placement:
    """Where a part sits in its parent at a time in seconds: as placed, unless it has timed placements."""
    keys = part.motion
    if not keys:
        return part.placement
    if time <= keys[0].time:
        return keys[0].placement
    for one, other in zip(keys, keys[1:]):
        if time <= other.time:
            f = (time - one.time) / max(1e-12, other.time - one.time)

            def between(a, b):
                return tuple(x + f * (y - x) for x, y in zip(a, b))

            p, q = one.placement, other.placement
            return Placement(between(p.position, q.position), between(p.turn, q.turn), between(p.scale, q.scale))
    return keys[-1].placement


def world_matrices(document: Document, time: float = 0.0) -> dict[str, np.ndarray]:
    """4x4 world matrix of every part at a time in seconds, by id."""
    result: dict[str, np.ndarray] = {}
    stack = [(root, np.eye(4)) for root in document.roots]
    while stack:
        part_id, above = stack.pop()
        part = document.parts[part_id]
        result[part_id] = above @ to_matrix(placement_at(part, time))
        stack.extend((child, result[part_id]) for child in part.children)
    return result
