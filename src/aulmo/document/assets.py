"""Assets: immutable blobs named by the hash of their content, and the mesh blob's layout."""

import hashlib
import io
from pathlib import Path
from typing import NamedTuple
from zipfile import ZipFile

import numpy as np

from aulmo.errors import BadFile


class Mesh(NamedTuple):
    """Triangles of one shape, millimetres.

    vertices, normals : (n, 3) float32. triangles : (m, 3) uint32. faces : (m,) int32 CAD face of each triangle, or empty.
    """

    vertices: np.ndarray
    normals: np.ndarray
    triangles: np.ndarray
    faces: np.ndarray


class AssetStore:
    """Blobs by name, held in memory or read from the project file when first wanted."""

    def __init__(self) -> None:
        self._blobs: dict[str, bytes] = {}
        self._lazy: dict[str, Path] = {}
        self._meshes: dict[str, Mesh] = {}

    def add(self, blob: bytes, suffix: str) -> str:
        """Keep a blob; returns its name, the same for the same content."""
        name = hashlib.sha256(blob).hexdigest()[:32] + suffix
        self._blobs.setdefault(name, blob)
        return name

    def get(self, name: str) -> bytes:
        """The blob of a name. Raises BadFile when the project file no longer holds it."""
        if name not in self._blobs:
            source = self._lazy.get(name)
            try:
                if source is None:
                    raise KeyError(name)
                if source.is_dir():
                    blob = (source / name).read_bytes()
                else:
                    with ZipFile(source) as archive:
                        blob = archive.read("assets/" + name)
            except Exception as error:
                raise BadFile(f"The project is missing its stored file {name}; open an earlier copy.") from error
            self._blobs[name] = blob
        return self._blobs[name]

    def has(self, name: str) -> bool:
        """True when the name can be read."""
        return name in self._blobs or name in self._lazy

    def read_later(self, names: list[str], source: Path) -> None:
        """Note that blobs lie in a project file or a folder."""
        for name in names:
            self._lazy.setdefault(name, source)

    def add_mesh(self, mesh: Mesh) -> str:
        """Keep a mesh; returns its name."""
        name = self.add(pack_mesh(mesh), ".mesh")
        self._meshes[name] = mesh
        return name

    def mesh(self, name: str) -> Mesh:
        """The mesh of a name, unpacked once."""
        if name not in self._meshes:
            self._meshes[name] = unpack_mesh(self.get(name))
        return self._meshes[name]


def pack_mesh(mesh: Mesh) -> bytes:
    """A mesh as an .npz blob."""
    out = io.BytesIO()
    np.savez(
        out,
        vertices=mesh.vertices.astype(np.float32),
        normals=mesh.normals.astype(np.float32),
        triangles=mesh.triangles.astype(np.uint32),
        faces=mesh.faces.astype(np.int32),
    )
    return out.getvalue()


def unpack_mesh(blob: bytes) -> Mesh:
    """Read a mesh blob. Raises BadFile when it is damaged."""
    try:
        with np.load(io.BytesIO(blob), allow_pickle=False) as data:
            mesh = Mesh(data["vertices"], data["normals"], data["triangles"], data["faces"])
        sound = (
            mesh.vertices.ndim == 2
            and mesh.vertices.shape == mesh.normals.shape
            and mesh.vertices.shape[1] == 3
            and mesh.triangles.ndim == 2
            and mesh.triangles.shape[1] == 3
            and len(mesh.triangles) > 0
            and int(mesh.triangles.max()) < len(mesh.vertices)
            and bool(np.isfinite(mesh.vertices).all())
        )
    except Exception as error:
        raise BadFile("A mesh stored in the project is damaged.") from error
    if not sound:
        raise BadFile("A mesh stored in the project is damaged.")
    return mesh
