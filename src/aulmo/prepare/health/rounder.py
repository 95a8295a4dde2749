"""Triangles that follow a mesh's normals: each becomes several on a curved patch."""

import numpy as np

from aulmo.document.meshes import Mesh

MOST = 4_000_000  # triangles


def rounder(mesh: Mesh, times: int) -> Mesh:
    """Every triangle as `times` squared, on curved patches through its corners that stand square to its normals there.

    After A. Vlachos, J. Peters, C. Boyd and J. Mitchell, "Curved PN Triangles", 2001. Two triangles that share corners and normals stay joined.
    """
    while times > 1 and len(mesh.triangles) * times * times > MOST:
        times -= 1
    if times < 2:
        return mesh
    cells = mesh.triangles.astype(np.int64)
    p, n = mesh.vertices.astype(float)[cells], mesh.normals.astype(float)[cells]

    def tangent(i: int, j: int) -> np.ndarray:
        """The control point a third of the way from corner i to j."""
        lifted = ((p[:, j] - p[:, i]) * n[:, i]).sum(1, keepdims=True)
        return (2 * p[:, i] + p[:, j] - lifted * n[:, i]) / 3

    b = {(i, j): tangent(i, j) for i in range(3) for j in range(3) if i != j}
    middle = sum(b.values()) / 6
    centre = middle + (middle - p.mean(1)) / 2
    steps = [(i, j, times - i - j) for i in range(times + 1) for j in range(times + 1 - i)]
    number = {(i, j): k for k, (i, j, _) in enumerate(steps)}
    points, normals, uv = [], [], []
    for i, j, k in steps:
        u, v, w = i / times, j / times, k / times  # of corners 0, 1, 2
        points.append(
            p[:, 0] * u**3 + p[:, 1] * v**3 + p[:, 2] * w**3 + 3 * (b[0, 1] * u * u * v + b[1, 0] * u * v * v + b[1, 2] * v * v * w
            + b[2, 1] * v * w * w + b[0, 2] * u * u * w + b[2, 0] * u * w * w) + 6 * centre * u * v * w
        )  # fmt: skip
        bent = n[:, 0] * u + n[:, 1] * v + n[:, 2] * w
        normals.append(bent / np.maximum(np.linalg.norm(bent, axis=1, keepdims=True), 1e-30))
        if len(mesh.uv):
            own = mesh.uv.astype(float)[cells]
            uv.append(own[:, 0] * u + own[:, 1] * v + own[:, 2] * w)
    small = []
    for i in range(times):
        for j in range(times - i):
            small.append((number[i + 1, j], number[i, j + 1], number[i, j]))
            if i + j < times - 1:
                small.append((number[i + 1, j], number[i + 1, j + 1], number[i, j + 1]))
    count = len(steps)
    flat = np.stack(points, 1).reshape(-1, 3)
    flat_normals = np.stack(normals, 1).reshape(-1, 3)
    fresh = (np.arange(len(cells))[:, None, None] * count + np.array(small)[None]).reshape(-1, 3)
    size = float(np.ptp(mesh.vertices, axis=0).max()) or 1.0
    flat_uv = np.stack(uv, 1).reshape(-1, 2) if uv else np.zeros((len(flat), 0))
    key = np.concatenate([np.rint(flat / (size * 2e-6)), np.rint(flat_normals * 2e3), np.rint(flat_uv * 1e5)], 1)
    _, first, back = np.unique(key, axis=0, return_index=True, return_inverse=True)
    return Mesh(
        flat[first].astype(np.float32), flat_normals[first].astype(np.float32), back.reshape(-1)[fresh].astype(np.uint32),
        np.repeat(mesh.faces, len(small)) if len(mesh.faces) else mesh.faces, flat_uv[first].astype(np.float32) if uv else mesh.uv,
    )  # fmt: skip
