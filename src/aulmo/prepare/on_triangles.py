"""Places on triangles."""

import numpy as np


def nearest_places(p: np.ndarray, corners: np.ndarray) -> np.ndarray:
    """(n, 3) the place of a triangle of its own, (n, 3, 3), that is nearest to each point: square below it, else on the nearest of the edges."""
    a, b, c = corners[:, 0], corners[:, 1], corners[:, 2]
    normal = np.cross(b - a, c - a)
    square = np.einsum("ij,ij->i", normal, normal)
    inside = square > 1e-40
    found, least = np.empty_like(p), np.full(len(p), np.inf)
    for u, v in ((a, b), (b, c), (c, a)):
        inside &= np.einsum("ij,ij->i", np.cross(v - u, p - u), normal) >= 0
        along = np.clip(np.einsum("ij,ij->i", p - u, v - u) / np.maximum(np.einsum("ij,ij->i", v - u, v - u), 1e-30), 0, 1)
        place = u + along[:, None] * (v - u)
        far = np.linalg.norm(p - place, axis=1)
        nearer = far < least
        found[nearer], least[nearer] = place[nearer], far[nearer]
    below = p - (np.einsum("ij,ij->i", p - a, normal) / np.maximum(square, 1e-40))[:, None] * normal
    return np.where(inside[:, None], below, found)
