"""Prepare's bench, the face Revision: what is new, gone, moved, reshaped, renamed or recoloured in a file that came again. Nothing happens before
*Take it*."""

from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QAbstractItemView, QHBoxLayout, QHeaderView, QPushButton, QTreeWidget, QTreeWidgetItem, QWidget

from aulmo.desk.prepare.source_watch import SourceWatch
from aulmo.desk.shell import theme
from aulmo.desk.shell.bench import BenchHead, under_head
from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.fields import Segments, button, label
from aulmo.document.quantity import counted
from aulmo.document.records import Document
from aulmo.prepare.carton.artwork import needs_printing, printed_again
from aulmo.prepare.revision.compare import Change, Revision, read_revision
from aulmo.prepare.revision.pictures import KIND as KIND_PICTURE, Again, put_instead, read_again, used_by
from aulmo.prepare.revision.take import Report, dismiss, take

SIGNS = {KIND_PICTURE: "▣", "new": "+", "gone": "−", "reshaped": "△", "moved": "→", "renamed": "=", "recoloured": "◐", "elsewhere": "↳"}
MODES = {"": "As it is", "over": "Over", "wipe": "Wiped", "blink": "Blinking"}
KIND, NAME, WORDS, KEPT = range(4)


class RevisionBench(QWidget):
    """A row for each change with a tick, and what it does to the work that was done; both states over each other on the picture."""

    shown_changed = Signal()

    def __init__(self, session: Session, watch: SourceWatch) -> None:
        super().__init__()
        self.session, self.watch = session, watch
        self.revision: Revision | None = None
        self.again: Again | None = None  # pictures that were read again, in the place of a revision
        self.trial: Document | None = None  # the project as it would be
        self.report: Report | None = None
        self.base: Document | None = None
        self.current: Change | None = None
        self._reading = ""
        self.head = BenchHead("Revision")
        self.summary = label("")
        self.head.addStretch(1)
        self.mode = Segments(MODES)
        self.mode.set_value("")
        self.mode.chosen.connect(lambda _: self.shown_changed.emit())
        self.mode.setFixedWidth(250)
        self.keep_old = QPushButton("Keep the old as a choice")
        self.keep_old.setObjectName("chip")
        self.keep_old.setCheckable(True)
        self.keep_old.setToolTip("The state before stays as a choice of an axis, to compare both and render both")
        self.leave = button("Leave it", self._leave, "link", "Until the file changes again")
        self.take_it = button("Take it", self.take, "main")
        self.head.addWidget(self.leave)
        self.head.addWidget(self.take_it)
        line = QHBoxLayout()
        line.setContentsMargins(14, 0, 10, 4)
        line.setSpacing(8)
        line.addWidget(self.summary, 1)
        line.addWidget(self.mode)
        line.addWidget(self.keep_old)
        self.tree = QTreeWidget()
        self.tree.setHeaderHidden(True)
        self.tree.setColumnCount(4)
        self.tree.setRootIsDecorated(False)
        self.tree.setUniformRowHeights(True)
        self.tree.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.tree.setAccessibleName("Changes")
        self.tree.setTextElideMode(Qt.TextElideMode.ElideMiddle)
        header = self.tree.header()
        header.setStretchLastSection(False)
        header.setSectionResizeMode(KIND, QHeaderView.ResizeMode.Fixed)
        header.resizeSection(KIND, 134)
        for column in (NAME, WORDS, KEPT):
            header.setSectionResizeMode(column, QHeaderView.ResizeMode.Stretch)
        self.tree.currentItemChanged.connect(lambda item, _: self._choose(item))
        self.tree.itemChanged.connect(lambda *_: self._ticked())
        self.empty = label("", wrap=True)
        self.empty.setContentsMargins(14, 8, 14, 0)
        self.read_now = button("Look at it", self.read_next)
        self.other_file = button("Take a revision from a file…", lambda: None, "link")
        self.put_away = button("Dismiss", self._dismiss, "link", "Let go of what could not be kept, and of the parts kept aside")
        layout = under_head(self)
        layout.addLayout(line)
        layout.addWidget(self.empty)
        self.deeds = QWidget()
        held = QHBoxLayout(self.deeds)
        held.setContentsMargins(12, 4, 12, 0)
        for widget in (self.read_now, self.other_file, self.put_away):
            held.addWidget(widget)
        held.addStretch(1)
        layout.addWidget(self.deeds)
        layout.addWidget(self.tree, 1)
        layout.addStretch(0)
        session.opened.connect(self._opened)
        session.changed.connect(lambda old, new: old.sources is not new.sources and self.refresh())
        watch.changed.connect(self.refresh)
        self.refresh()

    def _opened(self) -> None:
        self._clear()
        self.refresh()

    def _clear(self) -> None:
        self.revision = self.again = self.trial = self.report = self.base = self.current = None
        self._reading = ""
        self.mode.set_value("")
        self.keep_old.setChecked(False)
        self.shown_changed.emit()

    # reading

    def read_next(self) -> None:
        """Read the pictures that have changed, else the first model."""
        if self.watch.pictures:
            self.read_pictures(self.watch.pictures)
            return
        source_id = next((i for i in self.watch.news if i in self.session.document.sources), "")
        if source_id:
            self.read(source_id, Path(self.session.document.sources[source_id].path))

    def read(self, source_id: str, path: Path) -> None:
        """Read a file as a revision of a source; nothing of the project changes."""
        session = self.session
        base, assets = session.document, session.assets
        if self._reading:
            return
        self._reading = source_id

        def work(task) -> tuple[Revision, Document, Report] | Revision:
            revision = read_revision(base, assets, source_id, path, task.tell)
            return revision if revision.other else (revision, *take(base, assets, revision))

        def done(found: Any) -> None:
            self._reading = ""
            self.base = base
            if isinstance(found, Revision):
                self.revision, self.trial, self.report = found, None, None
            else:
                self.revision, self.trial, self.report = found
                self.mode.set_value("wipe" if found[0].changes else "")
            self.refresh()
            self.shown_changed.emit()

        session.start_task(f"Reading {path.name}", work, done).failed.connect(self._not_read)
        self.refresh()

    def _not_read(self, _: str) -> None:
        self._reading = ""
        self.refresh()

    def read_pictures(self, names: list[str]) -> None:
        """Read pictures whose files have changed; nothing of the project changes."""
        session = self.session
        base, assets = session.document, session.assets
        if self._reading:
            return
        self._reading = names[0]

        def done(again: Again) -> None:
            self._reading = ""
            self.again, self.base, self.revision, self.report = again, base, None, None
            self.trial = put_instead(base, again)
            self.mode.set_value("wipe")
            self.refresh()
            self.shown_changed.emit()

        session.start_task("Reading pictures again", lambda task: read_again(assets, names), done).failed.connect(self._not_read)
        self.refresh()

    def changed_files(self) -> list[str]:
        """What the files are called that have changed."""
        document = self.session.document
        return [document.sources[i].name for i in self.watch.news if i in document.sources] + [
            Path(self.session.assets.origins[name]).name for name in self.watch.pictures
        ]

    # what is seen

    def refresh(self) -> None:
        """What is known of the files now."""
        document, revision = self.session.document, self.revision
        if revision is not None and revision.source not in document.sources:
            self._clear()
            revision = None
        there = self.trial is not None
        for widget in (self.mode, self.keep_old, self.take_it, self.leave, self.tree):
            widget.setVisible(there)
        self.keep_old.setVisible(there and self.again is None)
        news = self.changed_files()
        aside = [words for s in document.sources.values() for words in s.aside]
        self.deeds.setVisible(not there)
        self.read_now.setVisible(bool(news) and not there and not self._reading)
        self.other_file.setVisible(not there and bool(document.sources) and not self._reading)
        self.put_away.setVisible(not there and bool(aside))
        self.summary.setText("")
        words = ""
        if self.again is not None:
            self._fill_pictures(self.again)
        elif there:
            assert revision is not None
            self._fill(revision)
        elif self._reading:
            words = "Reading…"
        elif revision is not None:
            name = document.sources[revision.source].name
            words = f"{Path(revision.path).name} is another product than {name}: hardly a part is found again. Bring it in beside, if wanted."
            self.leave.setVisible(True)
        elif news:
            words = f"{', '.join(news)} {'has' if len(news) == 1 else 'have'} changed since {'it was' if len(news) == 1 else 'they were'} read."
        elif aside:
            words = "Could not be kept:\n" + "\n".join(aside)
        elif document.sources:
            words = "No file has changed: " + ", ".join(s.name for s in document.sources.values())
        else:
            words = "Nothing was brought in yet."
        self.empty.setText(words)
        self.empty.setVisible(bool(words))

    def _fill_pictures(self, again: Again) -> None:
        ticks = self._ticks()
        self.tree.blockSignals(True)
        self.tree.clear()
        for change in again.changes:
            row = self._row(change, change.name, change.words, f"on {used_by(self.session.document, change.old)}")
            row.setCheckState(0, ticks.get(change, Qt.CheckState.Checked))
        self.tree.blockSignals(False)
        self.summary.setText(counted(len(again.changes), "picture"))

    def _row(self, change: Change, name: str, words: str, kept: str) -> QTreeWidgetItem:
        row = QTreeWidgetItem([f"{SIGNS[change.kind]}  {change.kind}", name, words, kept])
        row.setData(0, Qt.ItemDataRole.UserRole, change)
        row.setFlags(row.flags() | Qt.ItemFlag.ItemIsUserCheckable)
        for column in (NAME, WORDS, KEPT):
            row.setToolTip(column, row.text(column))
        row.setForeground(WORDS, QColor(theme.current().quiet))
        self.tree.addTopLevelItem(row)
        return row

    def _fill(self, revision: Revision) -> None:
        report = self.report
        assert report is not None
        t = theme.current()
        ticks = self._ticks()
        self.tree.blockSignals(True)
        self.tree.clear()
        for change in revision.changes:
            kept, gone = self._kept(change, report)
            words = change.words if not change.doubt else f"{change.words or 'the same part?'} · {change.doubt}"
            row = self._row(change, self._name(change, revision), words, kept)
            row.setCheckState(0, ticks.get(change, Qt.CheckState.Checked if self._likely(change, revision) else Qt.CheckState.Unchecked))
            if gone or change.doubt:
                row.setForeground(KEPT if gone else WORDS, QColor(t.caution))
        self.tree.blockSignals(False)
        doubts = len({c.new for c in revision.changes if c.doubt})
        look = doubts + len(report.lost)
        self.summary.setText(f"{counted(len(revision.changes), 'change')}{f', {look} to look at' if look else ''}")
        if revision.unit_words:
            self.summary.setText(f"{self.summary.text()} · {revision.unit_words}")
        if not revision.changes:
            self.empty.setText("The file was written anew and is the same.")

    def _likely(self, change: Change, revision: Revision) -> bool:
        return not change.doubt or revision.pairs.doubtful[change.new][2]

    def _name(self, change: Change, revision: Revision) -> str:
        if change.doubt or change.kind == "renamed":
            return f"{revision.before.by_id[change.old].name} → {change.name}"
        return change.name

    def _kept(self, change: Change, report: Report) -> tuple[str, bool]:
        """What a change does to what was done, and whether something of that is lost."""
        name = self.session.document.parts[change.old].name if change.old in self.session.document.parts else change.name
        lost = [words for words in report.lost if words.startswith((f"{name}:", f"{name} "))]
        if lost and change.kind in ("reshaped", "gone"):
            return lost[0].removeprefix(f"{name}: ").removeprefix(f"{name} "), True
        if change.kind == "new" and self.trial is not None:
            part = self.trial.parts.get(change.new)
            worn = self.trial.materials.get(part.material or "") if part is not None else None
            return (f"wears {worn.name}" if worn is not None else ""), False
        if change.kind == "gone":
            return "nothing hangs on it", False
        noted = [words.removeprefix(f"{name}: ") for words in report.notes if words.startswith(f"{name}:")]
        return (noted[0] if noted and change.kind == "reshaped" else "kept"), False

    def _ticks(self) -> dict[Change, Any]:
        rows = [self.tree.topLevelItem(k) for k in range(self.tree.topLevelItemCount())]
        return {row.data(0, Qt.ItemDataRole.UserRole): row.checkState(0) for row in rows if row is not None}

    def _choose(self, item: QTreeWidgetItem | None) -> None:
        self.current = item.data(0, Qt.ItemDataRole.UserRole) if item is not None else None
        if self.current is not None and self.current.old in self.session.document.parts:
            self.session.select([self.current.old])
        self.shown_changed.emit()

    def _ticked(self) -> None:
        """Ticks of a doubtful pair go together."""
        rows = [self.tree.topLevelItem(k) for k in range(self.tree.topLevelItemCount())]
        item = self.tree.currentItem()
        change = item.data(0, Qt.ItemDataRole.UserRole) if item is not None else None
        if item is not None and change is not None and change.doubt:
            self.tree.blockSignals(True)
            for row in rows:
                other = row.data(0, Qt.ItemDataRole.UserRole) if row is not None else None
                if row is not None and other is not None and other.doubt and other.new == change.new:
                    row.setCheckState(0, item.checkState(0))
            self.tree.blockSignals(False)
        self._try_again()

    def _chosen(self) -> tuple[list[Change], dict[str, bool]]:
        """Changes that are left out, and what was decided of doubtful pairs."""
        ticks = self._ticks()
        off = [c for c, state in ticks.items() if state != Qt.CheckState.Checked]
        decided = {c.new: state == Qt.CheckState.Checked for c, state in ticks.items() if c.doubt}
        return [c for c in off if not c.doubt], decided

    def _try_again(self) -> None:
        """What the project would be with the ticks as they are."""
        revision, base, assets = self.revision, self.base, self.session.assets
        left, decided = self._chosen()
        if self.again is not None and base is not None:
            self.trial = put_instead(base, self.again, left)
            self.shown_changed.emit()
            return
        if revision is None or base is None:
            return

        def done(found: tuple[Document, Report]) -> None:
            if self.revision is revision:
                self.trial, self.report = found
                self.shown_changed.emit()

        self.session.start_task("Trying the revision", lambda task: take(base, assets, revision, left, decided), done)

    # deciding

    def take(self) -> None:
        """Take what is ticked: one step of undo."""
        session, revision = self.session, self.revision
        left, decided = self._chosen()
        if self.again is not None:
            self._take_pictures(self.again, left)
            return
        if revision is None:
            return
        base, assets, keep_old = session.document, session.assets, self.keep_old.isChecked()
        changes = len(revision.changes) - len(left)

        def done(found: tuple[Document, Report]) -> None:
            if session.document is not base:
                session.trouble.emit("The project changed meanwhile; nothing was taken. Take it again.")
                return
            document, report = found
            session.apply(f"Took {Path(revision.path).name}: {counted(changes, 'change')}", document)
            said = [f"{counted(len(report.kept), 'part')} kept", *([f"{len(report.lost)} to look at"] if report.lost else []), *report.notes]
            session.hint.emit(" · ".join(said))
            self._clear()
            self.refresh()

        session.start_task(f"Taking {Path(revision.path).name}", lambda task: take(base, assets, revision, left, decided, keep_old, task.tell), done)

    def _take_pictures(self, again: Again, left: list[Change]) -> None:
        taken = [c for c in again.changes if c not in left]
        self._clear()
        if taken:
            words = taken[0].name if len(taken) == 1 else counted(len(taken), "picture")
            made = put_instead(self.session.document, again, left)
            if needs_printing(made, [c.new for c in taken]):
                self._print_again(words, made, taken)
            else:
                self.session.apply(f"Took {words}", made)
        self.watch.took(c.old for c in taken)
        for change in left:
            self.watch.leave(change.old)
        self.refresh()

    def _print_again(self, words: str, made: Document, taken: list[Change]) -> None:
        """Cartons get plates of the artwork as it is now."""
        session, base = self.session, self.session.document

        def done(printed: Document) -> None:
            if session.document is base:
                session.apply(f"Took {words}", printed)
            else:
                session.trouble.emit("The project changed meanwhile; nothing was taken. Take it again.")

        session.start_task(f"Printing {words}", lambda task: printed_again(made, session.assets, [c.new for c in taken]), done)

    def _leave(self) -> None:
        for change in self.again.changes if self.again is not None else ():
            self.watch.leave(change.old)
        if self.revision is not None:
            self.watch.leave(self.revision.source)
        self._clear()
        self.refresh()

    def _dismiss(self) -> None:
        session = self.session
        document = session.document
        for source_id, source in document.sources.items():
            if source.aside:
                document = dismiss(document, source_id)
        session.apply("Dismissed what could not be kept", document)
