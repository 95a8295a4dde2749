"""The folders that lie on the shelf, and what is known of the files in them: kept between visits, looked at again where a file has changed.
Nothing is copied."""

import hashlib
import os
import threading
import time
from pathlib import Path
from typing import Callable, Iterable

import msgspec
import platformdirs

from aulmo.document.quantity import counted, grouped
from aulmo.document.writing import write_atomically
from aulmo.errors import AulmoError, BadFile
from aulmo.shelf import own
from aulmo.shelf.telling import broken, gathered, known, told_of
from aulmo.shelf.things import Thing

VERSION = 1  # of what is told of files: another one looks at all of them again
MOST_FILES, DEEPEST = 50_000, 12
BATCH = 24
OFTEN = 2.0  # s between two times that what is known so far is told
Progress = Callable[[str, float], bool] | None


class _File(msgspec.Struct, array_like=True):
    """What is known of a file: when it was changed, its bytes, and what it holds."""

    changed: int
    size: int
    things: tuple[Thing, ...] = ()


class Index(msgspec.Struct):
    """What is known of a folder: its files by their paths in it, and what of them lies on the shelf, sets of pictures gathered."""

    version: int = VERSION
    files: dict[str, _File] = {}
    things: tuple[Thing, ...] = ()
    note: str = ""


# which folders


def home() -> Path:
    """Where what is kept lies, unless the artist says otherwise."""
    return Path(platformdirs.user_data_dir("aulmo")) / "shelf"


def _list() -> Path:
    return Path(platformdirs.user_data_dir("aulmo")) / "shelf.json"


def added() -> list[Path]:
    """The folders that the artist has added, in their order."""
    try:
        found = msgspec.json.decode(_list().read_bytes(), type=list[str])
    except (OSError, msgspec.MsgspecError):
        return []
    return [Path(p) for p in dict.fromkeys(found)]


def add_folder(folder: Path) -> None:
    """Put a folder on the shelf. Raises BadFile where there is none, CannotWrite."""
    folder = Path(folder).expanduser()
    if not folder.is_dir():
        raise BadFile(f"There is no folder {folder}.")
    _keep([*added(), folder.resolve()])


def take_off(folder: Path) -> None:
    """Take a folder off the shelf; what is in it stays where it lies."""
    _keep([p for p in added() if p != Path(folder)])


def _keep(folders: Iterable[Path]) -> None:
    _list().parent.mkdir(parents=True, exist_ok=True)
    blob = msgspec.json.encode(list(dict.fromkeys(str(p) for p in folders)))
    write_atomically(_list(), lambda file: file.write(blob))


def standing() -> list[Path]:
    """The folders that are always there, where they exist: of what was kept, of the artist's swatches and finishes."""
    data = Path(platformdirs.user_data_dir("aulmo"))
    return [p for p in (home(), data / "swatches", data / "finishes", data / "boards") if p.is_dir()]


# what is in them


def _index_path(folder: Path) -> Path:
    return Path(platformdirs.user_cache_dir("aulmo")) / "shelf" / f"{hashlib.sha256(str(folder).encode()).hexdigest()[:24]}.index"


def index_of(folder: Path) -> Index:
    """What was known of a folder when it was last looked at; nothing of one that is new, or of what an earlier Aulmo knew."""
    try:
        found = msgspec.msgpack.decode(_index_path(folder).read_bytes(), type=Index)
    except (OSError, msgspec.MsgspecError):
        return Index()
    return found if found.version == VERSION else Index()


def _save(folder: Path, index: Index) -> None:
    path = _index_path(folder)
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        blob = msgspec.msgpack.encode(index)
        write_atomically(path, lambda file: file.write(blob))
    except (OSError, AulmoError):
        pass  # it is looked at again next time


def listed(folder: Path) -> tuple[dict[str, tuple[int, int]], str]:
    """The files of a folder, and of those in it, that may lie on the shelf: when they were changed and their bytes, by their paths in it; and a
    sentence where some are left out. Raises BadFile for a folder that cannot be read."""
    found: dict[str, tuple[int, int]] = {}
    stack, seen = [(folder, 0)], set()
    while stack:
        here, depth = stack.pop()
        try:
            with os.scandir(here) as entries:
                for entry in entries:
                    try:
                        if entry.name.startswith("."):
                            continue
                        if entry.is_dir():
                            real = os.path.realpath(entry.path) if entry.is_symlink() else entry.path
                            if depth < DEEPEST and real not in seen:
                                seen.add(real)
                                stack.append((Path(entry.path), depth + 1))
                        elif known(Path(entry.path)):
                            stat = entry.stat()
                            found[os.path.relpath(entry.path, folder)] = (stat.st_mtime_ns, stat.st_size)
                    except OSError:
                        continue
                    if len(found) >= MOST_FILES:
                        return found, f"{folder.name} holds more than {grouped(MOST_FILES)} files; the others are not on the shelf."
        except OSError as error:
            if here == folder:
                raise BadFile(f"The folder {folder.name} cannot be read: {error.strerror or error}.") from None
    return found, ""


def refreshed(folder: Path, index: Index, progress: Progress = None, came: Callable[[Index], None] | None = None) -> Index:
    """What a folder holds now: files that are new or have changed are looked into, by batches; `came` is told of what is known so far. The same
    object when nothing has changed. Raises BadFile for a folder that cannot be read; ends early when `progress` says so."""
    there, note = listed(folder)
    files = {path: held for path, held in index.files.items() if there.get(path) == (held.changed, held.size)}
    wanted = sorted(path for path in there if path not in files)
    if not wanted and len(files) == len(index.files) and note == index.note:
        return index
    said_at = time.monotonic()
    for start in range(0, len(wanted), BATCH):
        batch = wanted[start : start + BATCH]
        said = f"Looking through {folder.name}, {counted(len(wanted) - start, 'file')} to go"
        if progress is not None and progress(said, start / len(wanted)) is False:
            break
        for path, things in zip(batch, _told([folder / p for p in batch])):
            files[path] = _File(*there[path], things)
        if came is not None and time.monotonic() - said_at > OFTEN:
            came(_indexed(files, note))
            said_at = time.monotonic()
    made = _indexed(files, note)
    _save(folder, made)
    return made


def _indexed(files: dict[str, _File], note: str) -> Index:
    things = [thing for path in sorted(files, key=str.lower) for thing in files[path].things]
    return Index(VERSION, dict(files), tuple(gathered(things)), note)


def _told(paths: list[Path]) -> list[tuple[Thing, ...]]:
    """What some files hold; where one of them breaks a library, it alone comes with a sentence."""
    try:
        return told_of(paths)
    except AulmoError as error:
        if len(paths) == 1:
            return [(broken(paths[0], str(error)),)]
        half = len(paths) // 2
        return _told(paths[:half]) + _told(paths[half:])


class Shelf:
    """All that lies on the shelf: Aulmo's own things, and those of the folders. `more` are folders that the window knows of."""

    def __init__(self, more: Iterable[Path] = ()) -> None:
        self.more = list(more)
        self.lock = threading.Lock()
        self.indexes: dict[Path, Index] = {}
        self.trouble: dict[Path, str] = {}
        self.open()

    def folders(self) -> list[Path]:
        """The folders, each once, those that the artist added first."""
        return list(dict.fromkeys(p.resolve() for p in (*added(), *self.more, *standing())))

    def open(self) -> None:
        """What was known at the last visit, at once."""
        for folder in self.folders():
            if folder not in self.indexes:
                self.indexes[folder] = index_of(folder)

    def things(self) -> list[Thing]:
        """Everything, what the artist has first; what lies in two folders once."""
        with self.lock:
            indexes = [self.indexes[f] for f in self.folders() if f in self.indexes]
        found = {t.key: t for index in indexes for t in index.things}
        return [*found.values(), *own.things()]

    def refresh(self, progress: Progress = None, came: Callable[[], None] | None = None) -> bool:
        """Look through all folders; returns whether anything is otherwise than before. A folder that has gone is told of in `trouble`, and its things
        with it."""
        before = dict(self.indexes), dict(self.trouble)
        wanted = self.folders()
        with self.lock:
            self.indexes = {f: self.indexes.get(f) or index_of(f) for f in wanted}
            self.trouble = {f: t for f, t in self.trouble.items() if f in wanted}
        for folder in wanted:

            def so_far(index: Index, folder: Path = folder) -> None:
                with self.lock:
                    self.indexes[folder] = index
                if came is not None:
                    came()

            try:
                made = refreshed(folder, self.indexes[folder], progress, so_far)
            except AulmoError as error:
                with self.lock:
                    self.trouble[folder] = str(error)
                    self.indexes[folder] = Index()
                continue
            with self.lock:
                self.trouble.pop(folder, None)
                if made.note:
                    self.trouble[folder] = made.note
                self.indexes[folder] = made
        return before[1] != self.trouble or list(before[0]) != wanted or any(self.indexes[f] is not before[0].get(f) for f in wanted)
