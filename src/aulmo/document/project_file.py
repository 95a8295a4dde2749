"""The `.aulmo` project file, and the journal that survives a crash. Described in docs/file-format.md."""

import os
import tempfile
from pathlib import Path
from zipfile import ZIP_DEFLATED, ZIP_STORED, ZipFile

import msgspec
import numpy as np

from aulmo.document.assets import AssetStore
from aulmo.document.records import SCHEMA_VERSION, Document
from aulmo.errors import BadFile, CannotWrite


def used_assets(document: Document) -> list[str]:
    """Names of the blobs a document refers to."""
    names = {n for p in document.parts.values() for n in (p.mesh, p.shape) if n}
    if not document.environment.shipped:
        names.add(document.environment.image)
    names |= {lamp.profile for lamp in document.lamps.values() if lamp.profile}
    names |= {node.image for material in document.materials.values() for node in material.nodes if node.image}
    return sorted(names)


def encode(document: Document) -> bytes:
    """The document as JSON."""
    return msgspec.json.format(msgspec.json.encode(document), indent=1)


def decode(blob: bytes, name: str) -> Document:
    """A document from JSON. Raises BadFile with one sentence naming the file."""
    try:
        version = msgspec.json.decode(blob).get("schema_version", 1)
        if not isinstance(version, int):
            raise ValueError
        if version > SCHEMA_VERSION:
            raise BadFile(f"{name} was saved by a newer Aulmo (format {version}); this one reads up to {SCHEMA_VERSION}.")
        document = msgspec.json.decode(blob, type=Document)
    except BadFile:
        raise
    except Exception as error:
        raise BadFile(f"{name} is not a readable Aulmo project: its description is damaged.") from error
    check_links(document, name)
    return document


def check_links(document: Document, name: str) -> None:
    """Raise BadFile when parts, materials, cameras and shots do not refer to each other soundly."""
    seen: set[str] = set()
    stack = [(root, None) for root in document.roots]
    while stack:
        part_id, parent = stack.pop()
        part = document.parts.get(part_id)
        if part is None or part_id in seen or part.parent != parent or part.id != part_id:
            raise BadFile(f"{name} is damaged: its parts tree does not hold together.")
        seen.add(part_id)
        numbers = (*part.placement.position, *part.placement.turn, *part.placement.scale)
        if not np.isfinite(numbers).all():
            raise BadFile(f"{name} is damaged: the part {part.name} has no usable place.")
        if part.material is not None and part.material not in document.materials:
            raise BadFile(f"{name} is damaged: the part {part.name} wears a material that is not there.")
        stack.extend((child, part_id) for child in part.children)
    if len(seen) != len(document.parts):
        raise BadFile(f"{name} is damaged: some parts hang nowhere in the tree.")
    for shot in document.shots:
        if shot.camera not in document.cameras:
            raise BadFile(f"{name} is damaged: the shot {shot.name} has no camera.")
        if not (1 <= shot.width <= 65536 and 1 <= shot.height <= 65536):
            raise BadFile(f"{name} is damaged: the shot {shot.name} has an impossible frame size.")


def write_atomically(path: Path, write) -> None:
    """Let `write(file)` fill a temporary file beside `path`, sync it, then rename it over: all or nothing."""
    path = Path(path)
    temporary = None
    try:
        handle, temporary = tempfile.mkstemp(prefix=".saving-", dir=path.parent)
        with os.fdopen(handle, "w+b") as file:
            write(file)
            file.flush()
            os.fsync(file.fileno())
        os.chmod(temporary, 0o644)
        os.replace(temporary, path)
        temporary = None
        folder = os.open(path.parent, os.O_RDONLY)
        try:
            os.fsync(folder)
        finally:
            os.close(folder)
    except OSError as error:
        raise CannotWrite(f"{path.name} could not be written to {path.parent}: {error.strerror or error}.") from error
    finally:
        if temporary is not None:
            Path(temporary).unlink(missing_ok=True)


def save(document: Document, assets: AssetStore, path: Path, thumbnail: bytes | None = None) -> None:
    """Write a project file. Raises CannotWrite; the old file is then as it was."""
    names = used_assets(document)
    blobs = {name: assets.get(name) for name in names}

    def write(file) -> None:
        with ZipFile(file, "w", ZIP_DEFLATED, compresslevel=1) as archive:
            archive.writestr("document.json", encode(document))
            if thumbnail:
                archive.writestr("thumbnail.png", thumbnail, ZIP_STORED)
            for name in names:
                archive.writestr("assets/" + name, blobs[name])

    write_atomically(Path(path), write)


def load(path: Path) -> tuple[Document, AssetStore]:
    """Read a project file. Raises BadFile with one sentence."""
    path = Path(path)
    if not path.exists():
        raise BadFile(f"There is no file {path}.")
    try:
        with ZipFile(path) as archive:
            blob = archive.read("document.json")
            inside = [n[7:] for n in archive.namelist() if n.startswith("assets/")]
    except Exception as error:
        raise BadFile(f"{path.name} is not an Aulmo project file, or it is damaged.") from error
    document = decode(blob, path.name)
    missing = set(used_assets(document)) - set(inside)
    if missing:
        raise BadFile(f"{path.name} is damaged: {len(missing)} of the files it should hold are not in it.")
    assets = AssetStore()
    assets.read_later(inside, path)
    for part in document.parts.values():
        if part.mesh:
            assets.mesh(part.mesh)
    return document, assets


def read_thumbnail(path: Path) -> bytes | None:
    """The small picture inside a project file, if it has one."""
    try:
        with ZipFile(path) as archive:
            return archive.read("thumbnail.png")
    except Exception:
        return None


class Journal:
    """A running copy of unsaved work: `document.json` replaced whole at each note, assets beside it by name.

    A folder whose process is gone and which was not closed is what a crash left behind.
    """

    def __init__(self, folder: Path) -> None:
        self.folder = Path(folder) / f"{os.getpid()}-{os.urandom(3).hex()}"
        self._kept: set[str] = set()

    def note(self, document: Document, assets: AssetStore, project: Path | None) -> None:
        """Write down the document as it is now. Raises CannotWrite."""
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise CannotWrite(f"The recovery copy could not be written: {error.strerror or error}.") from error
        for name in used_assets(document):
            if name not in self._kept:
                blob = assets.get(name)
                write_atomically(self.folder / name, lambda file, blob=blob: file.write(blob))
                self._kept.add(name)
        if project:
            write_atomically(self.folder / "project-path", lambda file: file.write(str(project).encode()))
        write_atomically(self.folder / "document.json", lambda file: file.write(encode(document)))

    def close(self) -> None:
        """The work is saved or given up: forget the copy."""
        discard(self.folder)


def left_behind(folder: Path) -> list[Path]:
    """Journals whose process no longer runs, newest first."""
    found = []
    for entry in Path(folder).glob("*-*"):
        try:
            pid = int(entry.name.split("-")[0])
        except ValueError:
            continue
        if not (entry / "document.json").exists():
            continue
        if pid != os.getpid() and Path(f"/proc/{pid}").exists():
            continue
        if pid != os.getpid():
            found.append(entry)
    return sorted(found, key=lambda e: (e / "document.json").stat().st_mtime, reverse=True)


def recover(folder: Path) -> tuple[Document, AssetStore, Path | None]:
    """The document, assets and project path a crash left in a journal folder."""
    document = decode((folder / "document.json").read_bytes(), "The recovery copy")
    assets = AssetStore()
    assets.read_later([p.name for p in folder.iterdir()], folder)
    for name in used_assets(document):
        assets.get(name)
    note = folder / "project-path"
    return document, assets, Path(note.read_text()) if note.exists() else None


def discard(folder: Path) -> None:
    """Delete a journal."""
    if folder.is_dir():
        for entry in folder.iterdir():
            entry.unlink(missing_ok=True)
        folder.rmdir()
