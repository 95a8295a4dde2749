"""The `.aulmo` project file. Described in docs/file-format.md."""

import os
import re
import stat
import tempfile
import time
from pathlib import Path
from zipfile import ZIP_DEFLATED, ZIP_STORED, ZipFile

import msgspec

from aulmo.document.assets import AssetStore
from aulmo.document.carry import carried
from aulmo.document.records import SCHEMA_VERSION, Document
from aulmo.document.references import references
from aulmo.document.soundness import check_links, check_numbers
from aulmo.errors import BadFile, CannotWrite

LARGEST_DOCUMENT = 256 << 20  # bytes of a description, unpacked
LARGEST_MEMBER = 4 << 30
SUSPICIOUS, SQUEEZED = 64 << 20, 300  # a member beyond the first that was squeezed by more than the second is no honest one
_SAVING = re.compile(r"\.saving-(\d+)-")


class _Version(msgspec.Struct):
    schema_version: int = 1


def used_assets(document: Document) -> list[str]:
    """Names of the blobs a document refers to."""
    return sorted(references(document, "assets"))


def optional_assets(document: Document) -> set[str]:
    """Names of the blobs that a project can be opened without: photographs behind shots."""
    return {shot.photograph.image for shot in document.shots if shot.photograph is not None}


def held_assets(document: Document, assets: AssetStore) -> list[str]:
    """Names of the blobs to be stored: all that are referred to but photographs that were missing already."""
    gone = {name for name in optional_assets(document) if not assets.has(name)}
    return [name for name in used_assets(document) if name not in gone]


def encode(document: Document) -> bytes:
    """The document as JSON."""
    text = msgspec.json.encode(document)
    head = b'{"schema_version":%d' % SCHEMA_VERSION
    return msgspec.json.format(head + (b"," if len(text) > 2 else b"") + text[1:], indent=1)


def decode(blob: bytes, name: str) -> Document:
    """A document from JSON, of this version or an earlier one. Raises BadFile with one sentence naming the file."""
    damaged = f"{name} is not a readable Aulmo project: its description is damaged"
    try:
        version = msgspec.json.decode(blob, type=_Version).schema_version
        if version < 1:
            raise BadFile(f"{damaged} at schema_version.")
        if version > SCHEMA_VERSION:
            raise BadFile(f"{name} was saved by a newer Aulmo (format {version}); this one reads up to {SCHEMA_VERSION}.")
        if version == SCHEMA_VERSION:
            document = msgspec.json.decode(blob, type=Document)
        else:
            document = msgspec.convert(carried(msgspec.json.decode(blob), version, SCHEMA_VERSION), Document)
    except BadFile:
        raise
    except msgspec.ValidationError as error:
        where = re.search(r"at `\$\.?(.*)`", str(error))
        raise BadFile(f"{damaged}{' at ' + where[1].replace('.', '/') if where and where[1] else ''}.") from error
    except (Exception, RecursionError) as error:
        raise BadFile(f"{damaged}.") from error
    check_links(document, name)
    check_numbers(document, name)
    return document


def _sweep(folder: Path) -> None:
    """Take away what killed saves have left: temporary files whose process is gone."""
    try:
        with os.scandir(folder) as entries:
            left = [entry.path for entry in entries if entry.name.startswith(".saving-")]
        for path in left:
            known = _SAVING.match(os.path.basename(path))
            dead = not Path(f"/proc/{known[1]}").exists() if known else time.time() - os.stat(path).st_mtime > 3600
            if dead:
                os.unlink(path)
    except OSError:
        pass  # not ours to clean


def put_in_place(temporary: str, path: Path) -> None:
    """Rename a whole file over `path`, with the permissions of the one that was there, else those of a new one. Raises OSError."""
    if path.exists():
        mode = stat.S_IMODE(path.stat().st_mode)
    else:
        umask = os.umask(0)
        os.umask(umask)
        mode = 0o666 & ~umask
    os.chmod(temporary, mode)
    os.replace(temporary, path)
    folder = os.open(path.parent, os.O_RDONLY)
    try:
        os.fsync(folder)
    finally:
        os.close(folder)


def write_atomically(path: Path, write) -> None:
    """Let `write(file)` fill a temporary file beside `path`, sync it, then rename it over: all or nothing.

    A link is followed and the file keeps its permissions. Raises CannotWrite, also for what is no file or may not be written to.
    """
    shown = Path(path)
    path = shown.resolve()
    temporary = None
    try:
        if path.exists():
            found = path.stat().st_mode
            if not stat.S_ISREG(found):
                raise CannotWrite(f"{shown.name} could not be written: there is something of that name that is no file.")
            if not found & 0o222:
                raise CannotWrite(f"{shown.name} could not be written: it is read-only.")
        _sweep(path.parent)
        handle, temporary = tempfile.mkstemp(prefix=f".saving-{os.getpid()}-", dir=path.parent)
        with os.fdopen(handle, "w+b") as file:
            write(file)
            file.flush()
            os.fsync(file.fileno())
        put_in_place(temporary, path)
        temporary = None
    except OSError as error:
        raise CannotWrite(f"{shown.name} could not be written to {shown.parent}: {error.strerror or error}.") from error
    finally:
        if temporary is not None:
            Path(temporary).unlink(missing_ok=True)


def save(document: Document, assets: AssetStore, path: Path, thumbnail: bytes | None = None, squeeze: bool = True) -> None:
    """Write a project file. Raises CannotWrite or BadFile; the old file is then as it was.

    What the old file holds and the new one will not, is read first: undo may bring it back. Without `squeeze` it is written as it is: ten times
    as soon and three times as large, for what is read once and thrown away.
    """
    names = held_assets(document, assets)
    blobs = {name: assets.get(name) for name in names}
    assets.hold(Path(path), names)

    def write(file) -> None:
        with ZipFile(file, "w", ZIP_DEFLATED if squeeze else ZIP_STORED, compresslevel=1) as archive:
            archive.writestr("document.json", encode(document))
            if thumbnail:
                archive.writestr("thumbnail.png", thumbnail, ZIP_STORED)
            for name in names:
                archive.writestr("assets/" + name, blobs[name])

    write_atomically(Path(path), write)


def _members(archive: ZipFile, name: str) -> list[str]:
    """Names of the stored assets. Raises BadFile for a file that was made to hang or to fill the machine."""
    seen: set[str] = set()
    for member in archive.infolist():
        if member.filename in seen:
            raise BadFile(f"{name} is damaged: it holds {member.filename} twice.")
        seen.add(member.filename)
        limit = LARGEST_DOCUMENT if member.filename == "document.json" else LARGEST_MEMBER
        squeezed = member.file_size > SUSPICIOUS and member.file_size > SQUEEZED * max(1, member.compress_size)
        if member.file_size > limit or squeezed:
            raise BadFile(f"{name} is damaged: {member.filename} in it would unpack to {member.file_size / 1e9:.1f} GB.")
    return [n[7:] for n in seen if n.startswith("assets/")]


def load(path: Path) -> tuple[Document, AssetStore]:
    """Read a project file. Raises BadFile with one sentence."""
    path = Path(path)
    if not path.exists():
        raise BadFile(f"There is no file {path}.")
    if not path.is_file():
        raise BadFile(f"{path} is not a file.")
    try:
        with ZipFile(path) as archive:
            inside = _members(archive, path.name)
            blob = archive.read("document.json")
    except BadFile:
        raise
    except Exception as error:
        raise BadFile(f"{path.name} is not an Aulmo project file, or it is damaged.") from error
    document = decode(blob, path.name)
    missing = set(used_assets(document)) - set(inside) - optional_assets(document)
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
            if archive.getinfo("thumbnail.png").file_size > SUSPICIOUS:
                return None
            return archive.read("thumbnail.png")
    except Exception:
        return None
