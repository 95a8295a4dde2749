"""Looks through the shelf's folders behind the scenes: when the shelf is seen, when a folder tells that it has changed, and now and then."""

import threading
from pathlib import Path
from typing import Any, Callable

from PySide6.QtCore import QFileSystemWatcher, QObject, QTimer, Signal

from aulmo.desk.shell.swatch_folder import swatch_folder
from aulmo.shelf import used
from aulmo.shelf.shelves import Shelf

AGAIN = 20_000  # ms between two looks while the shelf is seen: not every disk tells what changes
MOST_WATCHED = 200  # folders that tell by themselves


class ShelfWatch(QObject):
    """The shelf as it is known, in the window's thread. `changed` tells that it holds something else, `told` how far a look has come."""

    changed = Signal()
    told = Signal(str)
    _far = Signal(str)  # how far a look has come
    _more = Signal()  # something is known meanwhile
    _done = Signal(bool)  # a look has ended; whether anything is otherwise

    def __init__(self, parent: QObject, projects: Callable[[], list[Path]]) -> None:
        super().__init__(parent)
        self._projects = projects
        self.shelf: Shelf | None = None
        self._wanted = threading.Event()
        self._ended = False
        self._thread: threading.Thread | None = None
        self._recent: list[Path] = []  # projects that were opened lately: what they use is told
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(300)
        self._soon.timeout.connect(self.look)
        self.files = QFileSystemWatcher(self)
        self.files.directoryChanged.connect(lambda _: self._soon.start())
        self._again = QTimer(self)
        self._again.setInterval(AGAIN)
        self._again.timeout.connect(self.look)
        self._far.connect(lambda words: self._here() and self.told.emit(words))
        self._more.connect(lambda: self._here() and self.changed.emit())
        self._done.connect(self._looked)

    def open(self) -> Shelf:
        """The shelf as it was known at the last visit; a look goes on behind."""
        if self.shelf is None:
            self.shelf = Shelf([swatch_folder()] if swatch_folder().is_dir() else [])
        return self.shelf

    def seen(self, on: bool) -> None:
        """Whether the shelf is in sight: it is looked through then, and again from time to time."""
        if on:
            self.look()
            self._again.start()
        else:
            self._again.stop()

    def look(self) -> None:
        """Look through all folders, behind the scenes."""
        if self._ended:
            return
        self.open()
        self._recent = self._projects()
        self._wanted.set()
        if self._thread is None:
            self._thread = threading.Thread(target=self._work, name="Shelf", daemon=True)
            self._thread.start()

    def end(self) -> None:
        """The window goes."""
        self._ended = True
        self._again.stop()
        self._soon.stop()
        self._wanted.set()

    def reset(self) -> None:
        """As it was when it was new: nothing known."""
        self._again.stop()
        self.shelf = None

    def _work(self) -> None:
        while True:
            self._wanted.wait()
            self._wanted.clear()
            if self._ended:
                return
            shelf = self.shelf
            if shelf is None:
                continue
            shelf.more = [swatch_folder()] if swatch_folder().is_dir() else []

            def progress(words: str, share: float) -> bool:
                self._send(self._far, words)
                return not self._ended

            other = False
            try:
                used.learn(self._recent)
                other = shelf.refresh(progress, lambda: self._send(self._more))
            except Exception as error:  # noqa: BLE001 (the shelf stays as it was known)
                self._send(self._far, f"The shelf could not be looked through: {error}.")
            if shelf is self.shelf:
                self._send(self._done, other)

    def _send(self, signal: Any, *what: Any) -> None:
        """Say something to the window's thread, as long as there is a window."""
        if not self._ended:
            try:
                signal.emit(*what)
            except RuntimeError:
                self._ended = True

    def _here(self) -> bool:
        return not self._ended and self.shelf is not None

    def _looked(self, other: bool) -> None:
        if self._here():
            self.told.emit("")
            if other:
                self.changed.emit()
            self._watch()

    def _watch(self) -> None:
        assert self.shelf is not None
        wanted = {str(f) for f in self.shelf.folders()}
        for folder, index in list(self.shelf.indexes.items()):
            wanted |= {str(folder / Path(path).parent) for path in list(index.files)[:5000]}
            if len(wanted) > MOST_WATCHED:
                break
        wanted = set(sorted(wanted, key=len)[:MOST_WATCHED])
        now = set(self.files.directories())
        if gone := now - wanted:
            self.files.removePaths(sorted(gone))
        if fresh := {w for w in wanted - now if Path(w).is_dir()}:
            self.files.addPaths(sorted(fresh))
