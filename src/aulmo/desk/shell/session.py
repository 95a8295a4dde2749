"""What the window is working on: a project with its file, what is looked at (`looking`), its changes (`editing`), long work for it (`long_work`)."""

from pathlib import Path
from typing import Any, Iterable

import platformdirs
from PySide6.QtCore import QObject, QSettings, QTimer

from aulmo.desk.shell.long_work import LongWork
from aulmo.desk.shell.task import finish
from aulmo.document import journal, project_file
from aulmo.document.assets import AssetStore
from aulmo.document.history import History
from aulmo.document.records import Document
from aulmo.errors import AulmoError

RECOVERY = Path(platformdirs.user_state_dir("aulmo")) / "recovery"
JOBS = Path(platformdirs.user_data_dir("aulmo")) / "renders"
DEMO = Path(__file__).parents[4] / "demo"


class Session(LongWork):
    """One open project. Every change goes through `apply`, so undo is complete.

    `subject` is the address of what is selected when it is no part: `lamps/<id>`, `softboxes/<id>`, `cameras/<id>`, `materials/<id>`, `environment`,
    `floor`; or of a face set of the one part that is selected: `parts/<id>/face_sets/<id>`; or `made/<id>` of the copy that was clicked, when what
    is selected is the group of its rule. `picked` are faces of one part, to be taken off or dressed: its id and their numbers. While `recording`,
    changes set keys at the present `time`; `loose` are values of keyed properties that hold until the time changes. `picks` is the variant that is
    seen, by the ids of axes and choices; changes land in the choice in `hand`, else in one that has a value of its own there, else in the base.
    """

    def __init__(self, stages: Iterable[str], parent: QObject | None = None) -> None:
        super().__init__(stages, parent)
        self.path: Path | None = None
        self._saved_document = self.history.document
        self._journal = journal.Writer(RECOVERY, self.trouble.emit)
        self._journal_timer = QTimer(self)
        self._journal_timer.setSingleShot(True)
        self._journal_timer.setInterval(800)
        self._journal_timer.timeout.connect(self._note_journal)
        self.history.listeners.append(self._on_history)

    @property
    def is_saved(self) -> bool:
        """True when the file on disk is what is on screen."""
        return self.document is self._saved_document

    @property
    def own_path(self) -> Path | None:
        """Where the artist's project lies; None for one that has no file, or is a demo that came with Aulmo."""
        return None if self.path is None or self.path.parent == DEMO else self.path

    def open_document(self, document: Document, assets: AssetStore, path: Path | None, unsaved: bool = False) -> None:
        """Put another project on the desk."""
        self._abandon_tasks()
        self._journal_timer.stop()
        self._journal.forget()
        self.assets, self.path = assets, path
        self.history = History(document)
        self.history.listeners.append(self._on_history)
        self._saved_document = Document() if unsaved else document
        self.stand_in, self.outside = "", False
        self.selection, self.subject, self.shot_id, self.free_view, self.isolated, self.time = (), "", None, None, (), document.film.start
        self.loose, self.tried, self.recording, self.playing = {}, {}, False, False
        self.tried_whole = None
        self.picks, self.hand = {}, ""
        self.picked = ("", ())
        self.last_selection, self.copied_material = (), None
        self.pictured = False
        if path and path.suffix == ".aulmo" and not unsaved:
            self._remember(path)
        self.opened.emit()
        self.selection_changed.emit()

    def reset(self) -> None:
        """As it was when it was new: nothing open, nothing in hand, the first stage; unsaved work is given up."""
        self.set_tool("")
        self.set_stage(self.stages[0])
        self.node_alone, self.free_view = ("", ""), None
        self._journal.close()
        self._journal = journal.Writer(RECOVERY, self.trouble.emit)
        self.open_document(Document(), AssetStore(), None)

    def load(self, path: Path) -> bool:
        """Open a project file; False and a sentence when it cannot be read."""
        try:
            document, assets = project_file.load(path)
        except AulmoError as error:
            self.trouble.emit(str(error))
            return False
        self.open_document(document, assets, Path(path).resolve())
        return True

    def save(self, path: Path, thumbnail: bytes | None = None, over: bool = False) -> bool:
        """Write the project; False and a sentence when it cannot be written. Raises Changed when somebody else has changed the file since it was
        opened, unless it is to be saved `over` that."""
        document, assets = self.document, self.assets
        self.hint.emit(f"Saving {Path(path).name}")
        try:
            finish(lambda: project_file.save(document, assets, path, thumbnail, over=over))
        except project_file.Changed:
            raise
        except AulmoError as error:
            self.trouble.emit(str(error))
            return False
        self.path, self._saved_document = Path(path).resolve(), document
        self._journal.forget()
        self._remember(self.path)
        self.hint.emit(f"Saved {self.path.name}")
        self.saved.emit()
        return True

    def note_now(self) -> None:
        """Write the running copy of unsaved work at once, and wait until it is there."""
        self._journal_timer.stop()
        self._note_journal()
        self._journal.flush()

    def close(self) -> None:
        """The work was saved or given up."""
        self._closed = True
        self._abandon_tasks(2.0)
        self._journal_timer.stop()
        self._settle_timer.stop()
        self._journal.close()
        self.closed.emit()

    def recent(self) -> list[Path]:
        """Projects opened lately that still exist."""
        names: Any = QSettings().value("recent", []) or []
        return [Path(n) for n in ([names] if isinstance(names, str) else names) if Path(n).exists()]

    def _remember(self, path: Path) -> None:
        others = [str(p) for p in self.recent() if p != path]
        QSettings().setValue("recent", [str(path), *others][:8])

    def _on_history(self, old: Document, new: Document) -> None:
        kept = tuple(i for i in self.selection if i in new.parts)
        gone = len(kept) != len(self.selection)
        self.selection = kept  # nobody may be shown a selection that is not there
        there = {c.id for a in new.axes for c in a.choices}
        if not there.issuperset(self.picks.values()):
            self.picks = {a: c for a, c in self.picks.items() if c in there}
            self.hand = self.hand if self.hand in there else ""
            self.variant_changed.emit()
        if self.isolated and not any(i in new.parts for i in self.isolated):
            self.isolated = ()
        if "/" in self.subject and not self._subject_is_there():
            self.subject, gone = "", True
        if self.picked[0] and (self.picked[0] not in new.parts or old.parts.get(self.picked[0]) is None):
            self.picked, gone = ("", ()), True
        elif self.picked[0] and old.parts[self.picked[0]].mesh != new.parts[self.picked[0]].mesh:
            self.picked, gone = ("", ()), True  # its faces may be others now
        self.loose = {a: v for a, v in self.loose.items() if a in new.keys}
        self.tried, self.tried_whole = {}, None
        self.changed.emit(old, new)
        if gone:
            self.selection_changed.emit()
        self._journal_timer.start()

    def _note_journal(self) -> None:
        if not self.is_saved:
            self._journal.note(self.document, self.assets, self.path)
