"""Coordinates of a mesh that no two places of it share: what pictures and painting by the part's own coordinates lie by."""

from typing import Callable, Iterable, NamedTuple

import numpy as np
from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.meshes import Mesh
from aulmo.document.records import Document
from aulmo.errors import BadValue

SIDE = 2048  # pixels of the square that the pieces are packed for
APART = 4  # pixels between two pieces
MOST = 600_000  # triangles


class Unwrapped(NamedTuple):
    """A mesh with coordinates from 0 to 1, v upward; how many pieces it lies in; by how many pixels of a picture of `SIDE` a mm is covered."""

    mesh: Mesh
    pieces: int
    texels_per_mm: float


def unwrap(mesh: Mesh) -> Unwrapped:
    """Cut a mesh into pieces that lie flat, by the xatlas library, and pack them into a square. Triangles keep their order and face numbers. Raises
    BadValue for a mesh without triangles or with far too many."""
    import xatlas

    if not len(mesh.triangles):
        raise BadValue("There are no triangles to unwrap.")
    if len(mesh.triangles) > MOST:
        raise BadValue(f"That is more than {MOST:,} triangles to unwrap; make it coarser first.".replace(",", " "))
    atlas = xatlas.Atlas()
    atlas.add_mesh(mesh.vertices.astype(np.float32), mesh.triangles.astype(np.uint32), mesh.normals.astype(np.float32))
    packing = xatlas.PackOptions()
    packing.resolution, packing.padding, packing.create_image = SIDE, APART, False
    atlas.generate(pack_options=packing)
    origin, cells, uv = atlas[0]
    width, height = max(1, atlas.width), max(1, atlas.height)
    side = max(width, height)
    uv = uv * (np.array([width, height]) / side)  # evenly, whatever shape the packing took
    made = Mesh(mesh.vertices[origin], mesh.normals[origin], cells.astype(np.uint32), mesh.faces, uv.astype(np.float32))
    return Unwrapped(made, int(atlas.chart_count), texels_per_mm(made))


def texels_per_mm(mesh: Mesh, side: int = SIDE) -> float:
    """By how many pixels of a square picture a mm of a mesh's surface is covered, on the whole."""
    p, t = mesh.vertices.astype(float)[mesh.triangles], mesh.uv.astype(float)[mesh.triangles]
    area = np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1).sum()
    a, b = t[:, 1] - t[:, 0], t[:, 2] - t[:, 0]
    flat = np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]).sum()
    return float(side * np.sqrt(flat / max(area, 1e-30)))


def unwrap_parts(
    document: Document, assets: AssetStore, part_ids: Iterable[str], progress: Callable[[str, float], bool] | None = None
) -> tuple[Document, list[Unwrapped]]:  # fmt: skip
    """The document with every mesh of some parts unwrapped, for all that share it. Raises BadValue when there is none."""
    names = list(dict.fromkeys(document.parts[i].mesh for i in edits.leaves(document, part_ids) if document.parts[i].set_piece is None))
    if not names:
        raise BadValue("Choose parts to unwrap.")
    fresh: dict[str, str] = {}
    found = []
    for number, name in enumerate(names):
        if progress is not None and progress("Unwrapping", number / len(names)) is False:
            return document, []
        one = unwrap(assets.mesh(name or ""))
        found.append(one)
        fresh[name or ""] = assets.add_mesh(one.mesh)
    parts = {i: replace(p, mesh=fresh[p.mesh]) if p.mesh in fresh else p for i, p in document.parts.items()}
    return replace(document, parts=parts), found
