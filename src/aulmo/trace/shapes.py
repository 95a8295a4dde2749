"""The first step of a scene: every mesh once, packed for the kernels, with its tree. It reads names of meshes and nothing else."""

import weakref
from typing import NamedTuple

import numpy as np

from aulmo.document.meshes import box_of, corners_of, Mesh
from aulmo.trace.shape.embree import MeshTree


class Shapes(NamedTuple):
    """Meshes in the order of `names`, packed.

    points : (v, 6) float32 vertex and normal. triangles : (t, 3) uint32 within their mesh. vertex_start, triangle_start : (k + 1,) int64.
    boxes : (k, 8, 3) corners of each mesh's own box. uvs : (u, 2) float32 coordinates of the vertices of those meshes that have any; uv_start :
    (k,) int64 where a mesh's begin, or -1.
    """

    names: tuple[str, ...]
    meshes: list[Mesh]
    trees: list[MeshTree]
    points: np.ndarray
    triangles: np.ndarray
    vertex_start: np.ndarray
    triangle_start: np.ndarray
    boxes: np.ndarray
    uvs: np.ndarray
    uv_start: np.ndarray

    def fields(self, places: np.ndarray) -> dict[str, np.ndarray]:
        """What the kernels read, for instances of the meshes at `places`."""
        return {
            "points": self.points, "triangles": self.triangles, "vertex_start": self.vertex_start[places],
            "triangle_start": self.triangle_start[places], "uvs": self.uvs, "uv_start": self.uv_start[places],
        }  # fmt: skip


# Trees by the name of their mesh, which is a hash of its content: shared by the picture, the contact sheet, predictions and swatch balls, and let
# go when nobody holds one any more
_trees: "weakref.WeakValueDictionary[str, MeshTree]" = weakref.WeakValueDictionary()


def tree_of(name: str, mesh: Mesh) -> MeshTree:
    """The tree of a mesh, built when nobody has it yet."""
    tree = _trees.get(name)
    if tree is None or len(tree.triangles) != len(mesh.triangles):
        tree = MeshTree(mesh.vertices, mesh.triangles)
        _trees[name] = tree
    return tree


def pack(names: tuple[str, ...], meshes: list[Mesh]) -> Shapes:
    """Meshes side by side."""
    vertex_start = np.cumsum([0] + [len(m.vertices) for m in meshes])
    triangle_start = np.cumsum([0] + [len(m.triangles) for m in meshes])
    points = np.empty((int(vertex_start[-1]), 6), np.float32)
    for start, mesh in zip(vertex_start, meshes):
        points[start : start + len(mesh.vertices), :3] = mesh.vertices
        points[start : start + len(mesh.vertices), 3:] = mesh.normals
    triangles = np.concatenate([m.triangles for m in meshes] or [np.zeros((0, 3), np.uint32)])
    boxes = np.array([corners_of(*box_of(m)) for m in meshes]) if meshes else np.zeros((0, 8, 3))
    trees = [tree_of(name, mesh) for name, mesh in zip(names, meshes)]
    has = np.array([len(m.uv) == len(m.vertices) and len(m.uv) > 0 for m in meshes], bool)
    uvs = np.concatenate([np.zeros((0, 2), np.float32), *(m.uv for m, one in zip(meshes, has) if one)])
    ends = np.cumsum([0, *(len(m.uv) if one else 0 for m, one in zip(meshes, has))])
    uv_start = np.where(has, ends[:-1], -1).astype(np.int64)
    return Shapes(names, meshes, trees, points, np.ascontiguousarray(triangles, np.uint32), vertex_start, triangle_start, boxes, uvs, uv_start)


def moved_boxes(boxes: np.ndarray, matrices: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """(n, 3) low and high corners of boxes (n, 8, 3) under matrices (n, 3, 4)."""
    corners = np.einsum("nij,nkj->nki", matrices[:, :, :3], boxes) + matrices[:, None, :, 3]
    return corners.min(1), corners.max(1)
