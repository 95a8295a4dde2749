"""The `.aulmo` project file. Described in docs/file-format.md."""

import hashlib
import os
import platform
import pwd
import re
import time
from pathlib import Path
from zipfile import ZIP_DEFLATED, ZIP_STORED, ZipFile

import msgspec

from aulmo import __version__
from aulmo.document import last_pictures
from aulmo.document.assets import AssetStore
from aulmo.document.carry import carried
from aulmo.document.carton_records import Carton
from aulmo.document.kept_file import KeptFile
from aulmo.document.records import SCHEMA_VERSION, Document
from aulmo.document.references import references
from aulmo.document.soundness import check_links, check_numbers
from aulmo.document.writing import write_atomically
from aulmo.errors import BadFile, BadValue, CannotWrite

LARGEST_DOCUMENT = 256 << 20  # bytes of a description, unpacked
LARGEST_MEMBER = 4 << 30
SUSPICIOUS, SQUEEZED = 64 << 20, 300  # a member beyond the first that was squeezed by more than the second is no honest one
_SAVED, _THUMBNAIL, _ORIGINS, _ABOUT = "saved.json", "thumbnail.png", "origins.json", "about.json"


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


class Changed(CannotWrite):
    """A project file holds something else than when it was opened: somebody saved it meanwhile. `by` and `at` tell who and when."""

    def __init__(self, path: Path, by: str, at: str) -> None:
        super().__init__(f"{path.name} was changed by {by} on {at}, after it was opened here; it is left as it is.")
        self.path, self.by, self.at = path, by, at


class _Saved(msgspec.Struct, omit_defaults=True):
    """What a project file tells of its last saving."""

    by: str = ""
    at: float = 0.0
    version: str = ""


class About(msgspec.Struct, omit_defaults=True):
    """By what a file is found on the shelf."""

    name: str = ""
    tags: tuple[str, ...] = ()
    note: str = ""


def read_about(path: Path) -> About:
    """By what a file is found on the shelf; nothing where it does not say."""
    try:
        with ZipFile(path) as archive:
            return msgspec.json.decode(archive.read(_ABOUT), type=About) if archive.getinfo(_ABOUT).file_size < 1 << 20 else About()
    except Exception:  # noqa: BLE001 (most say nothing)
        return About()


def stamp_of(path: Path) -> str:
    """What tells a project file from another: a hash of its members' names, sizes and checksums; "" where there is no file that can be read.
    Who saved it, when, and its pictures do not count."""
    try:
        with ZipFile(path) as archive:
            return _stamp(archive)
    except Exception:  # noqa: BLE001 (whatever it is, it is no project)
        return ""


def _is_aside(member: str) -> bool:
    return member in (_SAVED, _THUMBNAIL, _ORIGINS, _ABOUT) or member.startswith(last_pictures.FOLDER)


def _stamp(archive: ZipFile) -> str:
    members = sorted((m.filename, m.file_size, m.CRC) for m in archive.infolist() if not _is_aside(m.filename))
    return hashlib.sha256(repr(members).encode()).hexdigest()


def who_saved(path: Path) -> tuple[str, str]:
    """Who saved a file last, and when, in words."""
    try:
        with ZipFile(path) as archive:
            told = msgspec.json.decode(archive.read(_SAVED), type=_Saved) if archive.getinfo(_SAVED).file_size < 1 << 16 else _Saved()
    except Exception:  # noqa: BLE001 (of an earlier version, or no project at all)
        told = _Saved()
    about = path.stat()
    try:
        owner = told.by or pwd.getpwuid(about.st_uid).pw_name
    except KeyError:
        owner = f"user {about.st_uid}"
    at = told.at if 0 < told.at < 4e9 else about.st_mtime
    return owner[:80], time.strftime("%-d %B %Y at %H:%M:%S", time.localtime(at))


def check_unchanged(assets: AssetStore, path: Path) -> None:
    """Raise Changed when a file that these assets were opened from or saved to holds something else now."""
    path = Path(path).resolve()
    known = assets.stamps.get(path)
    if known is not None and path.exists() and stamp_of(path) != known:
        raise Changed(path, *who_saved(path))


def _me() -> str:
    try:
        return f"{pwd.getpwuid(os.getuid()).pw_name} at {platform.node() or 'this machine'}"
    except KeyError:
        return platform.node() or "this machine"


def save(
    document: Document, assets: AssetStore, path: Path, thumbnail: bytes | None = None, squeeze: bool = True, over: bool = False,
    about: About | None = None,
) -> None:  # fmt: skip
    """Write a project file. Raises CannotWrite or BadFile; the old file is then as it was. Raises Changed when somebody else has changed the file
    since it was opened or saved with these assets, unless it is to be saved `over` that.

    Without `squeeze` it is written as it is: ten times as soon and three times as large, for what is read once and thrown away.
    `about` says by what the file is found on the shelf.
    """
    path = Path(path)
    names = held_assets(document, assets)
    blobs = {name: assets.get(name) for name in names}
    told = msgspec.json.encode(_Saved(_me(), time.time(), __version__))
    stamp = ""
    if not over:
        check_unchanged(assets, path)  # before all is written for nothing

    def write(file) -> None:
        nonlocal stamp
        with ZipFile(file, "w", ZIP_DEFLATED if squeeze else ZIP_STORED, compresslevel=1) as archive:
            archive.writestr("document.json", encode(document))
            archive.writestr(_SAVED, told)
            if origins := {name: assets.origins[name] for name in names if name in assets.origins}:
                archive.writestr(_ORIGINS, msgspec.json.encode(origins))
            if about is not None:
                archive.writestr(_ABOUT, msgspec.json.encode(about))
            if thumbnail:
                archive.writestr(_THUMBNAIL, thumbnail, ZIP_STORED)
            assets.last_pictures.write(archive, [shot.id for shot in document.shots])
            for name in names:
                archive.writestr("assets/" + name, blobs[name])
            stamp = _stamp(archive)

    write_atomically(path, write, None if over else lambda: check_unchanged(assets, path))
    assets.stamps[path.resolve()] = stamp


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
        kept = KeptFile(path)
        inside = _members(kept.archive, path.name)
        blob = kept.read("document.json")
    except BadFile:
        raise
    except Exception as error:
        raise BadFile(f"{path.name} is not an Aulmo project file, or it is damaged.") from error
    document = decode(blob, path.name)
    missing = set(used_assets(document)) - set(inside) - optional_assets(document)
    if missing:
        raise BadFile(f"{path.name} is damaged: {len(missing)} of the files it should hold are not in it.")
    assets = AssetStore()
    assets.read_later(inside, kept)
    assets.stamps[path.resolve()] = _stamp(kept.archive)
    assets.origins = _origins(kept)
    assets.last_pictures.read(kept.archive)
    assets.last_pictures.saved_with = _thumbnail(kept.archive)
    for part in document.parts.values():
        if part.carton is not None:
            _check_carton(part.name, part.carton, part.mesh, path.name)
        if part.mesh:
            assets.mesh(part.mesh)
    return document, assets


def _check_carton(part: str, held: Carton, mesh: str | None, name: str) -> None:
    from aulmo.document.made import carton

    try:
        if carton.name_of_mesh(held) == mesh:
            return
    except BadValue:
        pass
    raise BadFile(f"{name} is damaged: {part} is not folded as its creases say.")


def _origins(kept: KeptFile) -> dict[str, str]:
    """Where the files lay that were taken into a project, by the names of what was in them."""
    try:
        return msgspec.json.decode(kept.read(_ORIGINS), type=dict[str, str])
    except Exception:  # noqa: BLE001 (of an earlier version, or damaged: the project is whole without)
        return {}


def read_thumbnail(path: Path) -> bytes | None:
    """A small picture of a project: how its shots were seen last, else the one it was saved with, if it has any."""
    try:
        with ZipFile(path) as archive:
            seen = last_pictures.LastPictures()
            seen.read(archive)
            if (newest := seen.newest()) is not None:
                return newest.jpeg
            return _thumbnail(archive)
    except Exception:
        return None


def _thumbnail(archive: ZipFile) -> bytes | None:
    try:
        return archive.read(_THUMBNAIL) if archive.getinfo(_THUMBNAIL).file_size <= SUSPICIOUS else None
    except Exception:  # noqa: BLE001 (a project is worth as much without it)
        return None
