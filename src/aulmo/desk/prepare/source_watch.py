"""Watches the files that the project was made of: which of them have changed since, once they rest."""

import threading
from pathlib import Path
from typing import Iterable

from PySide6.QtCore import QObject, QTimer, Signal

from aulmo.desk.shell.session import Session
from aulmo.document.meshes import digest_of_file
from aulmo.document.records import Document
from aulmo.prepare.revision.pictures import watched

EVERY = 1000  # ms between two looks; a file has to be the same in two of them


class SourceWatch(QObject):
    """Looks at the files' dates and sizes in a thread of its own, and at what is in them where those changed."""

    changed = Signal()
    _looked = Signal(object, object)

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.session = session
        self.news: dict[str, str] = {}  # by the id of a source, or the name of a picture, that has changed, what is in its file now as a digest
        self._used: tuple[Document | None, dict[str, str]] = (None, {})  # the pictures that a document uses, and where their files lie
        self._stamps: dict[str, tuple[int, int] | None] = {}  # by path, as it was at the last look
        self._digests: dict[tuple[str, tuple[int, int]], str] = {}
        self._left: dict[str, str] = {}  # what was seen and is not wanted
        self._busy = False
        self._looked.connect(self._take)
        self._timer = QTimer(self)
        self._timer.setInterval(EVERY)
        self._timer.timeout.connect(self.look)
        self._timer.start()
        session.opened.connect(self._opened)
        session.changed.connect(lambda old, new: old.sources is not new.sources and self._forget())

    def _opened(self) -> None:
        self.news, self._stamps, self._digests, self._left = {}, {}, {}, {}
        self.changed.emit()

    def _forget(self) -> None:
        """What was taken is no news any more."""
        there = {s.id: s.digest for s in self.session.document.sources.values()}
        kept = {i: d for i, d in self.news.items() if (there[i] != d if i in there else i in self.pictures)}
        if kept != self.news:
            self.news = kept
            self.changed.emit()

    def leave(self, source_id: str) -> None:
        """This state of a file is not wanted; the next one is told again."""
        if source_id in self.news:
            self._left[source_id] = self.news.pop(source_id)
            self.changed.emit()

    def took(self, keys: Iterable[str]) -> None:
        """These are no news any more."""
        self.news = {i: d for i, d in self.news.items() if i not in set(keys)}
        self.changed.emit()

    @property
    def pictures(self) -> list[str]:
        """The names of pictures whose files have changed."""
        return [name for name in self.news if name in self.session.assets.origins]

    def look(self) -> None:
        """Look at all files, beside; nothing is waited for."""
        document, assets = self.session.document, self.session.assets
        held = [(s.id, s.path, s.digest) for s in document.sources.values() if s.path]
        if self._busy or not (held or assets.origins):
            return
        self._busy = True
        before, digests = dict(self._stamps), dict(self._digests)

        def work() -> None:
            if self._used[0] is not document:
                self._used = (document, watched(document, assets))
            sources = held + [(name, path, Path(name).stem) for name, path in self._used[1].items()]
            stamps: dict[str, tuple[int, int] | None] = {}
            found: dict[str, str] = {}
            for source_id, path, digest in sources:
                try:
                    stat = Path(path).stat()
                    stamp = (stat.st_mtime_ns, stat.st_size)
                except OSError:
                    stamps[path] = None
                    continue
                stamps[path] = stamp
                if before.get(path) != stamp and (path in before or digests):  # it may still be written
                    continue
                if (path, stamp) not in digests:
                    digests[path, stamp] = digest_of_file(Path(path))
                now = digests[path, stamp]
                if not now:
                    continue
                first = digest or digests.setdefault((path, (0, 0)), now)  # an earlier version did not note what it read
                if not now.startswith(first):  # an asset's name has the half of it
                    found[source_id] = now
            try:
                self._looked.emit((document, stamps, digests), found)
            except RuntimeError:
                pass  # the window has been closed meanwhile

        threading.Thread(target=work, name="watching files", daemon=True).start()

    def _take(self, seen: tuple, found: dict[str, str]) -> None:
        self._busy = False
        document, self._stamps, self._digests = seen
        if document is not self.session.document:
            return
        news = {i: d for i, d in found.items() if self._left.get(i) != d}
        if news != self.news:
            self.news = news
            self.changed.emit()
