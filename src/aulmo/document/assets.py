"""Assets: immutable blobs named by the hash of their content."""

import contextlib
from pathlib import Path
from typing import Iterable

import numpy as np

from aulmo.document import stores
from aulmo.document.kept_file import KeptFile
from aulmo.document.last_pictures import LastPictures
from aulmo.document.made import carton, set_pieces
from aulmo.document.meshes import MADE, Mesh, box_of, name_of, pack_mesh, turned_box_of, unpack_mesh
from aulmo.document.moving.footage import frame_blob, frame_of
from aulmo.errors import BadFile


class AssetStore:
    """Blobs by name, held in memory or read when first wanted from the project file, which is kept, or from a folder of our own.

    `stamps` says what each project file held when it was last opened or saved with these blobs: by path, see `project_file.stamp_of`;
    `last_pictures` how its shots were seen last; `origins` where the files lie that blobs were taken from, by their names.
    """

    def __init__(self) -> None:
        stores.know(self)
        self._blobs: dict[str, bytes] = {}
        self._lazy: dict[str, Path | KeptFile] = {}
        self.stamps: dict[Path, str] = {}
        self.origins: dict[str, str] = {}
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

    def add_file(self, blob: bytes, path: Path, suffix: str | None = None) -> str:
        """Keep what was in a file, and remember where that lies, if it is just as it lies there: it is watched. Returns its name."""
        name = self.add(blob, path.suffix.lower() if suffix is None else suffix)
        with contextlib.suppress(OSError):
            if path.stat().st_size == len(blob):
                self.origins[name] = str(path.resolve())
        return name

    def take_from(self, other: "AssetStore", names: Iterable[str]) -> None:
        """Keep blobs of another store under the names that they have there. Raises BadFile for one that it does not hold."""
        for name in names:
            self.add(other.get(name), Path(name).suffix)

    def get(self, name: str) -> bytes:
        """The blob of a name; of a frame of stored footage that frame as a picture. Raises BadFile when the project file no longer holds it."""
        if "#" in name:
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

    def lend_mesh(self, name: str, mesh: Mesh) -> None:
        """Know a mesh by the name that another store has it by, without its blob: for looking, not for keeping."""
        self._meshes[name] = mesh

    def mesh(self, name: str) -> Mesh:
        """The mesh of a name, unpacked or made once. Raises BadFile."""
        if name.startswith(MADE):
            return made_mesh(name)
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
                found = turned_box_of(self.mesh(name).vertices, linear)
            if len(self._turned) > 20_000:
                self._turned.clear()
            self._turned[key] = found
        return self._turned[key]


def made_mesh(name: str) -> Mesh:
    """The mesh that a rule makes, by its name. Raises BadFile."""
    return carton.folded_of_name(name).mesh if name.startswith(carton.CARTON) else set_pieces.mesh_of_name(name)


stores.make_with(AssetStore())
