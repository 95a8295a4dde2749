"""Assets: immutable blobs named by the hash of their content, and the mesh blob's layout."""

import hashlib
import io
import weakref
from pathlib import Path
from typing import Any, Iterable, NamedTuple, Sequence

import numpy as np

from aulmo.document.kept_file import KeptFile
from aulmo.document.last_pictures import LastPictures
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


class AssetStore:
    """Blobs by name, held in memory or read when first wanted from the project file, which is kept, or from a folder of our own.

    `stamps` says what each project file held when it was last opened or saved with these blobs: by path, see `project_file.stamp_of`;
    `last_pictures` how its shots were seen last.
    """

    def __init__(self) -> None:
        _stores.add(self)
        self._blobs: dict[str, bytes] = {}
        self._lazy: dict[str, Path | KeptFile] = {}
        self.stamps: dict[Path, str] = {}
        self.last_pictures = LastPictures()
        self._meshes: dict[str, Mesh] = {}
        self._boxes: dict[str, tuple[np.ndarray, np.ndarray]] = {}
        self._turned: dict[tuple[str, bytes], tuple[np.ndarray, np.ndarray]] = {}

    def held(self) -> dict[str, bytes]:
        """The blobs that are in memory, by their names."""
        return dict(self._blobs)

    def add(self, blob: bytes, suffix: str) -> str:
        """Keep a blob; returns its name, the same for the same content."""
        name = name_of(blob, suffix)
        self._blobs.setdefault(name, blob)
        return name

    def get(self, name: str) -> bytes:
        """The blob of a name; of a frame of stored footage that frame as a picture. Raises BadFile when the project file no longer holds it."""
        if "#" in name:
            from aulmo.document.moving.footage import frame_blob, frame_of

            found = frame_of(name)
            if found is not None:
                return frame_blob(self.get(found[0]), *found)
        if name not in self._blobs:
            source = self._lazy.get(name)
            try:
                if source is None:
                    raise KeyError(name)
                blob = (source / name).read_bytes() if isinstance(source, Path) else source.read("assets/" + name)
            except Exception as error:
                raise BadFile(f"The project is missing its stored file {name}; open an earlier copy.") from error
            if name_of(blob, Path(name).suffix) != name:
                raise BadFile(f"The project's stored file {name} is damaged; open an earlier copy.")
            self._blobs[name] = blob
        return self._blobs[name]

    def has(self, name: str) -> bool:
        """True when the name can be read."""
        name = name.partition("#")[0]
        return name.startswith(MADE) or name in self._blobs or name in self._lazy

    def read_later(self, names: Iterable[str], source: Path | KeptFile) -> None:
        """Note that blobs lie in a project file or in a folder."""
        for name in names:
            self._lazy.setdefault(name, source)

    def add_mesh(self, mesh: Mesh) -> str:
        """Keep a mesh; returns its name."""
        name = self.add(pack_mesh(mesh), ".mesh")
        self._meshes[name] = mesh
        return name

    def mesh(self, name: str) -> Mesh:
        """The mesh of a name, unpacked or made once. Raises BadFile."""
        if name.startswith(MADE):
            from aulmo.document.made.set_pieces import mesh_of_name

            return mesh_of_name(name)
        if name not in self._meshes:
            self._meshes[name] = unpack_mesh(self.get(name))
        return self._meshes[name]

    def box(self, name: str) -> tuple[np.ndarray, np.ndarray]:
        """Low and high corner of a mesh in its own millimetres, found once."""
        if name not in self._boxes:
            if len(self._boxes) > 20_000:  # sizes that were dragged leave many behind
                self._boxes.clear()
            self._boxes[name] = box_of(self.mesh(name))
        return self._boxes[name]

    def turned_box(self, name: str, linear: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """Low and high corner of a mesh after a (3, 3) turn and scale, from every vertex, remembered for the last few thousand."""
        key = (name, np.ascontiguousarray(linear, float).tobytes())
        if key not in self._turned:
            if np.count_nonzero(linear) == 3 and np.count_nonzero(np.diag(linear)) == 3:  # along the axes: the corners tell
                ends = np.array(self.box(name)) * np.diag(linear)
                found = ends.min(0), ends.max(0)
            else:
                found = _turned_box(self.mesh(name).vertices, linear)
            if len(self._turned) > 20_000:
                self._turned.clear()
            self._turned[key] = found
        return self._turned[key]


# A name says what is in a blob, so whichever store holds it has the very same: rules that make parts need no store handed to them
_stores: "weakref.WeakSet[AssetStore]" = weakref.WeakSet()


def store_of(name: str) -> AssetStore:
    """A store that can read a name. Raises BadFile when none can."""
    if name.startswith(MADE):
        return _made
    found = next((store for store in list(_stores) if store.has(name)), None)
    if found is None:
        raise BadFile(f"The project is missing its stored file {name}; open an earlier copy.")
    return found


_made = AssetStore()  # for what is made and stored nowhere


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


def _turned_box(vertices: np.ndarray, linear: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
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
