"""One render in the list: its picture, what it is, how far it is, and what can be done with it."""

import time
from pathlib import Path
from typing import Any

from PySide6.QtCore import QPoint, Qt, QUrl, Signal
from PySide6.QtGui import QDesktopServices, QPixmap
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QMenu, QProgressBar, QSizePolicy, QToolButton, QVBoxLayout

from aulmo.deliver.job import Job, light_of
from aulmo.deliver.troubles import told as in_words
from aulmo.desk.shell import theme
from aulmo.desk.widgets.fields import button, label
from aulmo.document.property_table import TABLE
from aulmo.document.quantity import counted, duration, show
from aulmo.document.records import RenderSettings

ICONS = {
    "waiting": "clock", "running": "play", "paused": "pause", "done": "check-circle", "cancelled": "prohibit", "failed": "warning",
    "broken": "warning",
}  # fmt: skip
HEIGHT = 46


class JobRow(QFrame):
    """A row. Dragged up and down by its picture while it waits."""

    pulled = Signal(int)
    clicked = Signal(object)

    def __init__(self, job: Job, bench: Any) -> None:
        super().__init__()
        self.job, self.bench = job, bench
        self.setObjectName("jobRow")
        self.setFixedHeight(HEIGHT)
        self.picture = QLabel()
        self.picture.setFixedSize(56, 38)
        self.picture.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.mark = QLabel()
        self.mark.setFixedWidth(18)
        self.name = label(job.record.title, "heading")
        self.words = label("", "quiet")
        self.bar = QProgressBar()
        self.bar.setRange(0, 1000)
        self.bar.setTextVisible(False)
        self.bar.setFixedSize(120, 4)
        self.pause = button("Pause", self._pause, "link", "Waits, with all it has, until it is told to go on")
        self.cancel = button("Stop", self._cancel, "link", "Ends it; what it has is kept")
        self.go_on = button("Go on", self._go_on, "link", "Takes it up where it was; the picture will be the same")
        self.open = button("Open", self._open, "link")
        self.again = button("Render again", lambda: bench.again(job), "link", "Once more, as the project was then")
        self.more = QToolButton()
        self.more.setIcon(theme.icon("dots-three"))
        self.more.setAutoRaise(True)
        self.more.setToolTip("What else can be done with it")
        self.more.setAccessibleName("More")
        self.more.clicked.connect(self._more)
        for told in (self.name, self.words):
            told.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        column = QVBoxLayout()
        column.setSpacing(1)
        column.setContentsMargins(0, 3, 0, 3)
        column.addWidget(self.name)
        column.addWidget(self.words)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(8, 3, 8, 3)
        layout.setSpacing(8)
        layout.addWidget(self.mark)
        layout.addWidget(self.picture)
        layout.addLayout(column, 1)
        layout.addWidget(self.bar)
        for made in (self.pause, self.go_on, self.open, self.again, self.cancel, self.more):
            layout.addWidget(made)
        self._shown: tuple = ()
        self._pull: int | None = None
        self._told = ""
        self.outcome = ""
        self.refresh()

    def refresh(self) -> None:
        """Bring the row up to date."""
        job, record = self.job, self.job.record
        state, outcome = job.state(), job.outcome
        if outcome == "running":
            left = state.get("seconds_left")
            told = [f"{duration(left)} left"] if left else ["Starting"] if not state else []
            told += [f"{state['done']} of {state['of']}"] if state.get("of", 1) > 1 else []
            told += [f"noise {show(100 * state['noise'], '%', 1)}"] if state.get("noise") else []
        elif outcome == "waiting":
            told = [self._waits()]
        elif outcome == "paused":
            told = ["Paused"] + ([f"{100 * state['share']:.0f} % done"] if state.get("share") else [])
        elif outcome == "done":
            result = job.result()
            when = time.strftime("%H:%M", time.localtime(record.started))
            told = [counted(int(result["files"]), "file")] if result.get("files", 1) > 1 else []
            told += [f"{result['samples']} samples"] if result.get("samples") else []
            told += [f"noise {show(100 * result['noise'], '%', 1)}"] if result.get("noise") else []
            told += [duration(result["seconds"])] if result.get("seconds") else []
            told += [when, Path(record.out).name]
        elif outcome == "cancelled":
            told = ["Stopped"]
        else:
            told = [job.complaint()]
        kind = TABLE[RenderSettings]["file_type"].choices.get(record.file_type, "")
        if record.kind == "film" and Path(record.out).suffix:
            kind = Path(record.out).suffix[1:].upper()
        size = [f"{record.width} × {record.height}"] if record.width else []
        self._told = " · ".join([*size, kind, *told])
        self.words.setToolTip(self._told)
        self._fit()
        self.bar.setValue(round(1000 * state.get("share", 0.0)) if outcome != "done" else 1000)
        self.bar.setVisible(outcome in ("running", "paused"))
        shown = (outcome, job.can_go_on, outcome == "waiting" and job.trouble is not None)
        if shown != self._shown:
            self._shown = shown
            t = theme.current()
            colour = {"failed": t.fault, "broken": t.fault, "running": t.accent_hover, "done": t.fine}.get(outcome, t.quiet)
            colour = t.caution if shown[2] else colour
            self.mark.setPixmap(theme.icon(ICONS[outcome], colour).pixmap(15, 15))
            self.mark.setToolTip(outcome.capitalize())
            self.pause.setVisible(outcome in ("running", "waiting"))
            self.cancel.setVisible(outcome in ("running", "waiting", "paused"))
            self.go_on.setVisible(outcome == "paused" or job.can_go_on)
            self.open.setVisible(outcome == "done")
            self.again.setVisible(outcome in ("done", "cancelled", "failed"))
            self.picture.setCursor(Qt.CursorShape.SizeVerCursor if outcome in ("waiting", "paused") else Qt.CursorShape.ArrowCursor)
        path = job.picture_path()
        if path is not None and (outcome == "running" or self.picture.pixmap().isNull()):
            pixmap = QPixmap(str(path))
            if not pixmap.isNull():
                fit = self.picture.size() * self.devicePixelRatioF()
                smooth = Qt.TransformationMode.SmoothTransformation
                self.picture.setPixmap(pixmap.scaled(fit.toSize() if hasattr(fit, "toSize") else fit, Qt.AspectRatioMode.KeepAspectRatio, smooth))
        if self.outcome != outcome:
            if self.outcome in ("running", "waiting") and outcome == "done":
                self.bench.session.hint.emit(f"Rendered {Path(record.out).name}")
            if self.outcome in ("running", "waiting") and outcome == "failed":
                self.bench.session.trouble.emit(job.complaint())
            self.outcome = outcome

    def _fit(self) -> None:
        room = max(60, self.words.width())
        self.words.setText(self.words.fontMetrics().elidedText(self._told, Qt.TextElideMode.ElideRight, room) if self.isVisible() else self._told)

    def resizeEvent(self, event: Any) -> None:  # noqa: N802
        """Fit the words."""
        super().resizeEvent(event)
        self._fit()

    def _waits(self) -> str:
        trouble = self.job.trouble
        if trouble is not None:
            return in_words(trouble)
        before = self.job.wish.not_before
        if before > time.time():
            return f"Begins at {time.strftime('%H:%M', time.localtime(before))}"
        left = self.bench.estimate(self.job)
        return f"Waits · about {duration(left)}" if left else "Waits · not measured yet"

    def set_chosen(self, on: bool) -> None:
        """Show that it is chosen."""
        t = theme.current()
        self.setStyleSheet(f"QFrame#jobRow {{ background: {t.field}; border-left: 2px solid {t.accent}; }}" if on else "")

    # what is wanted of it

    def _pause(self) -> None:
        self.bench.session.attempt(self.job.pause)
        self.bench.watch()

    def _cancel(self) -> None:
        self.bench.session.attempt(self.job.cancel)
        self.words.setText("Stopping…")
        self.bench.watch()

    def _go_on(self) -> None:
        self.bench.session.attempt(self.job.go_on)
        self.bench.watch()

    def _open(self) -> None:
        QDesktopServices.openUrl(QUrl.fromLocalFile(self.job.record.out))

    def menu(self) -> QMenu:
        """Everything else that can be done with it."""
        job, bench, outcome = self.job, self.bench, self.job.outcome
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        if outcome in ("waiting", "paused"):
            menu.addAction("Change…", lambda: bench.change(job))
            menu.addAction("First", lambda: bench.put(job, -1000))
            menu.addAction("Earlier", lambda: bench.put(job, -1))
            menu.addAction("Later", lambda: bench.put(job, 1))
        if outcome == "done" and job.record.kind == "still" and light_of(job) is not None:
            menu.addAction("Open in Finish", lambda: bench.session.render_wanted.emit(light_of(job)))
        if outcome != "broken":
            menu.addAction("Render again, as the project is now", lambda: bench.again(job, now=True))
            menu.addAction("The project as it was then", lambda: bench.open_then(job))
        menu.addAction("Open its folder", lambda: QDesktopServices.openUrl(QUrl.fromLocalFile(str(_folder(job)))))
        menu.addAction("Read its log", lambda: QDesktopServices.openUrl(QUrl.fromLocalFile(str(job.folder / "log.txt"))))
        if not job.is_running:
            menu.addAction("Take out of the list", lambda: bench.remove(job))
        return menu

    def _more(self) -> None:
        self.menu().popup(self.more.mapToGlobal(QPoint(0, self.more.height())))

    # the hand

    def mousePressEvent(self, event: Any) -> None:  # noqa: N802
        """Choose it; by its picture, pull it up or down."""
        self.clicked.emit(event.modifiers())
        waits = self.outcome in ("waiting", "paused")
        self._pull = round(event.position().y()) if waits and event.button() == Qt.MouseButton.LeftButton else None

    def mouseReleaseEvent(self, event: Any) -> None:  # noqa: N802
        """So many places up or down."""
        if self._pull is not None:
            places = round((event.position().y() - self._pull) / HEIGHT)
            self._pull = None
            if places:
                self.pulled.emit(places)


def _folder(job: Job) -> Path:
    out = Path(job.record.out)
    return out if out.is_dir() else out.parent


