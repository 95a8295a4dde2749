"""The journal: a running copy of unsaved work that survives a crash."""

import os
import threading
from pathlib import Path
from typing import IO, Callable

from aulmo.document.assets import AssetStore
from aulmo.document.locks import claimed, is_held
from aulmo.document.project_file import decode, encode, held_assets
from aulmo.document.records import Document
from aulmo.document.writing import LOCK, write_atomically
from aulmo.errors import AulmoError, BadFile, CannotWrite

_UNREADABLE = "unreadable-"  # begins the names of journals that were set aside


class Journal:
    """A running copy of unsaved work: `document.json` replaced whole at each note, assets beside it by name.

    Its process holds the folder's lock; a folder whose lock nobody holds and which was not closed is what a crash left behind.
    """

    def __init__(self, folder: Path) -> None:
        self.folder = Path(folder) / f"{os.getpid()}-{os.urandom(3).hex()}"
        self._kept: set[str] = set()
        self._lock: IO | None = None

    def note(self, document: Document, assets: AssetStore, project: Path | None) -> None:
        """Write down the document as it is now. Raises CannotWrite."""
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
            if self._lock is None:
                self._lock = claimed(self.folder / LOCK)
        except OSError as error:
            raise CannotWrite(f"The recovery copy could not be written: {error.strerror or error}.") from error
        for name in held_assets(document, assets):
            if name not in self._kept:
                blob = assets.get(name)
                write_atomically(self.folder / name, lambda file, blob=blob: file.write(blob))
                self._kept.add(name)
        if project:
            write_atomically(self.folder / "project-path", lambda file: file.write(os.fsencode(project)))
            stamp = assets.stamps.get(project, "")
            write_atomically(self.folder / "project-stamp", lambda file: file.write(stamp.encode()))
        write_atomically(self.folder / "document.json", lambda file: file.write(encode(document)))

    def close(self) -> None:
        """The work is saved or given up: forget the copy."""
        discard(self.folder)
        if self._lock is not None:
            self._lock.close()
            self._lock = None

    def restart(self) -> None:
        """Begin anew, with nothing kept."""
        self._kept = set()


def left_behind(folder: Path) -> list[Path]:
    """Journals that no process holds any more, newest first."""
    found = [e for e in Path(folder).glob("*-*") if not e.name.startswith(_UNREADABLE) and (e / "document.json").exists() and not is_held(e / LOCK)]
    return sorted(found, key=lambda e: (e / "document.json").stat().st_mtime, reverse=True)


def recover(folder: Path) -> tuple[Document, AssetStore, Path | None]:
    """The document, assets and project path a crash left in a journal folder. Raises BadFile."""
    try:
        blob = (folder / "document.json").read_bytes()
    except OSError as error:
        raise BadFile(f"The recovery copy could not be read: {error.strerror}.") from error
    document = decode(blob, "The recovery copy")
    assets = AssetStore()
    assets.read_later([p.name for p in folder.iterdir() if p.name != LOCK], folder)
    for name in held_assets(document, assets):
        assets.get(name)
    try:
        path = Path(os.fsdecode((folder / "project-path").read_bytes()))
    except OSError:
        return document, assets, None
    try:
        stamp = (folder / "project-stamp").read_text().strip()
    except (OSError, ValueError):
        stamp = ""
    if stamp:
        assets.stamps[path] = stamp
    return document, assets, path


def set_aside(folder: Path) -> Path:
    """Move a journal that cannot be read out of the way without deleting it; where it lies now."""
    kept = folder.with_name(_UNREADABLE + folder.name)
    try:
        folder.rename(kept)
    except OSError:
        return folder
    return kept


def discard(folder: Path) -> None:
    """Delete a journal."""
    if folder.is_dir():
        for entry in folder.iterdir():
            entry.unlink(missing_ok=True)
        folder.rmdir()


class Writer:
    """Notes the newest state of unsaved work in a thread of its own. `on_trouble` is called from it."""

    def __init__(self, folder: Path, on_trouble: Callable[[str], None]) -> None:
        self.journal = Journal(folder)
        self._on_trouble = on_trouble
        self._condition = threading.Condition()
        self._wanted: tuple[Document, AssetStore, Path | None] | None = None
        self._busy = self._closed = False
        self._thread: threading.Thread | None = None

    def note(self, document: Document, assets: AssetStore, project: Path | None) -> None:
        """Write this down soon; what was to be written and is older is left out."""
        with self._condition:
            if self._closed:
                return
            self._wanted = (document, assets, project)
            if self._thread is None:
                self._thread = threading.Thread(target=self._work, name="journal", daemon=True)
                self._thread.start()
            self._condition.notify_all()

    def _work(self) -> None:
        while True:
            with self._condition:
                while self._wanted is None and not self._closed:
                    self._condition.wait()
                if self._wanted is None:
                    return
                wanted, self._wanted, self._busy = self._wanted, None, True
            try:
                self.journal.note(*wanted)
            except AulmoError as error:
                self._on_trouble(str(error))
            finally:
                with self._condition:
                    self._busy = False
                    self._condition.notify_all()

    def flush(self) -> None:
        """Wait until all that was to be written is."""
        with self._condition:
            self._condition.wait_for(lambda: self._wanted is None and not self._busy, 20.0)

    def forget(self) -> None:
        """The work is saved or given up: forget the copy, and begin anew when there is more to note."""
        with self._condition:
            self._wanted = None
            self._condition.wait_for(lambda: not self._busy, 20.0)
            self.journal.close()
            self.journal.restart()

    def close(self) -> None:
        """Forget the copy and end."""
        self.forget()
        with self._condition:
            self._closed = True
            self._condition.notify_all()
