"""Triangles of a shape, and the layout of the blob that holds them."""

import hashlib
import io
from pathlib import Path
from typing import Any, NamedTuple, Sequence

import numpy as np

from aulmo.errors import BadFile


class Mesh(NamedTuple):
    """Triangles of one shape, millimetres.

    vertices, normals : (n, 3) float32. triangles : (m, 3) uint32. faces : (m,) int32 CAD face of each triangle, or empty.
    uv : (n, 2) float32 texture coordinates, v upward, or empty.
    """

    vertices: np.ndarray
    normals: np.ndarray
    triangles: np.ndarray
    faces: np.ndarray
    uv: np.ndarray = np.zeros((0, 2), np.float32)


def name_of(blob: bytes, suffix: str) -> str:
    """The name of a blob: a hash of its content, and what kind of file it is."""
    return hashlib.sha256(blob).hexdigest()[:32] + suffix


def digest_of_file(path: Path) -> str:
    """The SHA-256 of a file in hexadecimal; "" when it cannot be read."""
    try:
        with open(path, "rb") as file:
            return hashlib.file_digest(file, "sha256").hexdigest()
    except OSError:
        return ""


MADE = "made:"  # begins the names of meshes that are made when they are wanted, and never stored


def pack_mesh(mesh: Mesh) -> bytes:
    """A mesh as an .npz blob."""
    out = io.BytesIO()
    extra: dict[str, Any] = {"uv": mesh.uv.astype(np.float32)} if len(mesh.uv) else {}
    np.savez(
        out,
        **extra,
        vertices=mesh.vertices.astype(np.float32),
        normals=mesh.normals.astype(np.float32),
        triangles=mesh.triangles.astype(np.uint32),
        faces=mesh.faces.astype(np.int32),
    )
    return out.getvalue()


MOST_FACE = 10_000_000  # largest number of a CAD face


def joined(meshes: Sequence[Mesh]) -> Mesh:
    """Several meshes as one. Faces keep their numbers; where only some have texture coordinates the others get zeros."""
    starts = np.cumsum([0] + [len(m.vertices) for m in meshes])
    bare = not any(len(m.uv) for m in meshes)
    uv = [m.uv if bare or len(m.uv) else np.zeros((len(m.vertices), 2), np.float32) for m in meshes]
    return Mesh(
        np.concatenate([m.vertices for m in meshes]).astype(np.float32), np.concatenate([m.normals for m in meshes]).astype(np.float32),
        np.concatenate([m.triangles.astype(np.int64) + s for m, s in zip(meshes, starts)]).astype(np.uint32),
        np.concatenate([m.faces for m in meshes]).astype(np.int32), np.concatenate(uv),
    )  # fmt: skip


def corners_of(low: np.ndarray, high: np.ndarray) -> np.ndarray:
    """(8, 3) corners of a box."""
    return np.array([[x, y, z] for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])], float)


def box_of(mesh: Mesh) -> tuple[np.ndarray, np.ndarray]:
    """Low and high corner of a mesh, from every vertex."""
    return mesh.vertices.min(0).astype(float), mesh.vertices.max(0).astype(float)


def turned_box_of(vertices: np.ndarray, linear: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Low and high corner of points after a (3, 3) turn and scale."""
    low, high = np.full(3, np.inf), np.full(3, -np.inf)
    for start in range(0, len(vertices), 1 << 16):
        points = vertices[start : start + (1 << 16)].astype(float) @ np.asarray(linear, float).T
        low, high = np.minimum(low, points.min(0)), np.maximum(high, points.max(0))
    return low, high


def _sound(mesh: Mesh) -> bool:
    vertices, normals, triangles, faces, uv = mesh
    floats = (np.float32, np.float64)
    shaped = vertices.ndim == normals.ndim == triangles.ndim == 2 and vertices.shape == normals.shape and vertices.shape[1] == triangles.shape[1] == 3
    if not shaped or vertices.dtype not in floats or normals.dtype not in floats or triangles.dtype.kind not in "ui":
        return False
    if len(triangles) == 0 or int(triangles.max()) >= len(vertices) or int(triangles.min()) < 0:
        return False
    if not np.isfinite(vertices).all() or not np.isfinite(normals).all():
        return False
    if len(uv) and (uv.shape != (len(vertices), 2) or uv.dtype not in floats or not np.isfinite(uv).all()):
        return False
    if faces.ndim != 1 or faces.dtype.kind not in "ui" or len(faces) not in (0, len(triangles)):
        return False
    return len(faces) == 0 or (int(faces.min()) >= 0 and int(faces.max()) <= MOST_FACE)


def unpack_mesh(blob: bytes) -> Mesh:
    """Read a mesh blob. Raises BadFile when it is damaged: indices, numbers that are none, face numbers that fit no triangles."""
    try:
        with np.load(io.BytesIO(blob), allow_pickle=False) as data:
            uv = data["uv"] if "uv" in data.files else np.zeros((0, 2), np.float32)
            mesh = Mesh(data["vertices"], data["normals"], data["triangles"], data["faces"], uv)
        if not _sound(mesh):
            raise ValueError
        return Mesh(
            np.ascontiguousarray(mesh.vertices, np.float32), np.ascontiguousarray(mesh.normals, np.float32),
            np.ascontiguousarray(mesh.triangles, np.uint32), np.ascontiguousarray(mesh.faces, np.int32),
            np.ascontiguousarray(mesh.uv, np.float32),
        )  # fmt: skip
    except Exception as error:
        raise BadFile("A mesh stored in the project is damaged.") from error
