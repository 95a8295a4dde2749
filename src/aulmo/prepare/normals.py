"""Smooth normals for meshes that come without: creases stay sharp."""

import numpy as np

from aulmo.document.meshes import Mesh
from aulmo.errors import BadFile


def clean_triangles(vertices, triangles) -> tuple[np.ndarray, np.ndarray]:
    """Drop triangles that point outside the vertex list, use a vertex that is not a number, or have no area.

    Raises BadFile when nothing is left.
    """
    vertices = np.asarray(vertices, float).reshape(-1, 3)
    triangles = np.asarray(triangles, np.int64).reshape(-1, 3)
    sound = ((triangles >= 0) & (triangles < len(vertices))).all(1)
    triangles = triangles[sound]
    good = np.isfinite(vertices).all(1) & (np.abs(vertices) < 1e9).all(1)
    triangles = triangles[good[triangles].all(1)]
    p = vertices[triangles]
    area = np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1)
    triangles = triangles[area > 0]
    if len(triangles) == 0:
        raise BadFile("it holds no usable triangles")
    return vertices, triangles


def with_crease_normals(vertices: np.ndarray, triangles: np.ndarray, angle: float = 35.0) -> Mesh:
    """A mesh whose normals are smooth across edges flatter than `angle` degrees and sharp across the others."""
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components

    vertices, triangles = clean_triangles(vertices, triangles)
    scale = float(np.ptp(vertices[triangles].reshape(-1, 3), axis=0).max()) or 1.0
    used, places = np.unique(triangles, return_inverse=True)  # a damaged file's other points may be anything
    _, weld = np.unique(np.rint(vertices[used].astype(float) / (scale * 1e-7)) + 0.0, axis=0, return_inverse=True)
    welded = weld.reshape(-1)[places.reshape(-1)].reshape(triangles.shape)
    p = vertices[triangles]
    weighted = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    unit = weighted / np.linalg.norm(weighted, axis=1, keepdims=True)
    count = len(triangles)
    corner = np.arange(3 * count).reshape(-1, 3)
    starts, ends = welded[:, [0, 1, 2]].ravel(), welded[:, [1, 2, 0]].ravel()
    from_corner, to_corner = corner[:, [0, 1, 2]].ravel(), corner[:, [1, 2, 0]].ravel()
    swap = starts > ends
    low, high = np.where(swap, ends, starts), np.where(swap, starts, ends)
    low_corner, high_corner = np.where(swap, to_corner, from_corner), np.where(swap, from_corner, to_corner)
    order = np.lexsort((high, low))
    same = (low[order][1:] == low[order][:-1]) & (high[order][1:] == high[order][:-1])
    first, second = order[:-1][same], order[1:][same]
    smooth = (unit[first // 3] * unit[second // 3]).sum(1) > np.cos(np.radians(angle))
    first, second = first[smooth], second[smooth]
    links_a = np.concatenate([low_corner[first], high_corner[first]])
    links_b = np.concatenate([low_corner[second], high_corner[second]])
    graph = coo_matrix((np.ones(len(links_a), np.int8), (links_a, links_b)), (3 * count, 3 * count))
    groups, label = connected_components(graph, directed=False)
    normals = np.zeros((groups, 3))
    corner_points = p.reshape(-1, 3)
    ahead = np.roll(p, -1, axis=1).reshape(-1, 3) - corner_points
    behind = np.roll(p, 1, axis=1).reshape(-1, 3) - corner_points
    cosine = (ahead * behind).sum(1) / np.maximum(1e-300, np.linalg.norm(ahead, axis=1) * np.linalg.norm(behind, axis=1))
    np.add.at(normals, label, np.repeat(unit, 3, 0) * np.arccos(np.clip(cosine, -1, 1))[:, None])
    normals /= np.maximum(1e-30, np.linalg.norm(normals, axis=1, keepdims=True))
    points = np.zeros((groups, 3))
    points[label] = corner_points
    return Mesh(points.astype(np.float32), normals.astype(np.float32), label.reshape(-1, 3).astype(np.uint32), np.zeros(0, np.int32))
