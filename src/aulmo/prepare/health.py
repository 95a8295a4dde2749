"""What is wrong with a mesh: open edges, triangles without area, faces turned inside out."""

from typing import NamedTuple

import numpy as np

from aulmo.document.meshes import Mesh


class Health(NamedTuple):
    """Findings of one mesh."""

    triangles: int
    open_edges: int
    slivers: int
    inside_out: bool


def examine(mesh: Mesh) -> Health:
    """Count open edges (used by one triangle only, after welding equal points), slivers below 0.1 degrees, and tell by the signed
    volume of a closed mesh whether it is inside out."""
    scale = float(np.ptp(mesh.vertices, axis=0).max()) or 1.0
    _, weld = np.unique(np.rint(mesh.vertices / (scale * 1e-5)).astype(np.int64), axis=0, return_inverse=True)
    cells = weld.reshape(-1)[mesh.triangles.astype(np.int64)]
    p = mesh.vertices.astype(float)[mesh.triangles]
    cross = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    longest = np.max([np.linalg.norm(p[:, k] - p[:, k - 1], axis=1) for k in range(3)], axis=0)
    slivers = int((np.linalg.norm(cross, axis=1) < longest**2 * np.radians(0.1)).sum())
    solid = (cells[:, 0] != cells[:, 1]) & (cells[:, 1] != cells[:, 2]) & (cells[:, 0] != cells[:, 2])
    cells = cells[solid]
    edges = np.sort(np.concatenate([cells[:, [0, 1]], cells[:, [1, 2]], cells[:, [2, 0]]]), axis=1)
    _, counts = np.unique(edges, axis=0, return_counts=True)
    open_edges = int((counts == 1).sum())
    volume = float((p[:, 0] * np.cross(p[:, 1], p[:, 2])).sum() / 6)
    return Health(len(mesh.triangles), open_edges, slivers, open_edges == 0 and volume < 0)
