"""Render's bench: what is being rendered and what was, with its settings; open it, render it again."""

import time
from pathlib import Path

from PySide6.QtCore import QSize, Qt, QTimer, QUrl
from PySide6.QtGui import QDesktopServices, QPixmap
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QProgressBar, QScrollArea, QVBoxLayout, QWidget

from aulmo.deliver.job import Job, file_name, past_jobs, reserved
from aulmo.deliver.picture_file import FILE_TYPES
from aulmo.desk.shell import session as session_module
from aulmo.desk.shell.bench import BenchHead
from aulmo.desk.shell.session import Session
from aulmo.desk.shell.task import finish
from aulmo.desk.widgets.fields import button, label
from aulmo.document.quantity import counted, duration, show


class JobCard(QFrame):
    """One render."""

    def __init__(self, job: Job, bench: "RenderBench") -> None:
        super().__init__()
        self.job, self.bench = job, bench
        self.setObjectName("card")
        self.setFixedWidth(330)
        self.picture = QLabel()
        self.picture.setFixedSize(132, 104)
        self.picture.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.name = label(job.record.shot, "heading")
        self.words = label("", "quiet", True)
        self.bar = QProgressBar()
        self.bar.setRange(0, 1000)
        self.bar.setTextVisible(False)
        self.cancel = button("Cancel", self._cancel, "link")
        self.open = button("Open", self._open, "link")
        self.again = button("Render again", lambda: bench.again(job), "link")
        buttons = QHBoxLayout()
        self.go_on = button("Go on", self._go_on, "link", "Takes the render up where it was stopped; the picture will be the same")
        for made in (self.cancel, self.open, self.go_on, self.again):
            buttons.addWidget(made)
        buttons.addStretch(1)
        right = QVBoxLayout()
        right.setSpacing(3)
        right.addWidget(self.name)
        right.addWidget(self.words)
        right.addWidget(self.bar)
        right.addStretch(1)
        right.addLayout(buttons)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(8, 8, 8, 6)
        layout.addWidget(self.picture)
        layout.addLayout(right, 1)
        self._shown: tuple = ()
        self.outcome = ""
        self.refresh()

    def refresh(self) -> None:
        """Bring the card up to date."""
        record, state, outcome = self.job.record, self.job.state(), self.job.outcome
        size = f"{record.width} × {record.height}"
        kind = FILE_TYPES.get(record.settings.get("file_type", "png"), ("",))[0]
        if outcome == "running":
            left = state.get("seconds_left")
            told = [f"{duration(left)} left"] if left else ["Starting"] if not state else []
            told = ["Waits for the one before"] if state.get("waiting") else told
            told += [f"noise {show(100 * state['noise'], '%', 1)}"] if state.get("noise") else []
            words = f"{size} · {kind}\n" + " · ".join(told)
            self.bar.setValue(round(1000 * state.get("share", 0.0)))
        elif outcome == "done":
            result = self.job.result()
            when = time.strftime("%H:%M", time.localtime(record.started))
            words = f"{size} · {kind} · {when}\n{counted(result.get('samples', 0), 'sample')}, "
            words += f"noise {show(100 * result.get('noise', 0), '%', 1)}, {duration(result.get('seconds', 0))}"
        elif outcome == "cancelled":
            words = f"{size} · {kind}\nCancelled"
        else:
            words = f"{size}\n{self.job.complaint()}"
        self.words.setText(words)
        self.words.setToolTip(record.out)
        self.bar.setVisible(outcome == "running")
        self.cancel.setVisible(outcome == "running")
        self.open.setVisible(outcome == "done" and Path(record.out).exists())
        self.again.setVisible(outcome != "running")
        self.go_on.setVisible(self.job.can_go_on)
        path = self.job.picture_path()
        stamp = (str(path), path.stat().st_mtime_ns) if path and path.exists() else ()
        if stamp and stamp != self._shown:
            self._shown = stamp
            pixmap = QPixmap(str(path))
            if not pixmap.isNull():
                self.picture.setPixmap(pixmap.scaled(QSize(132, 104), Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation))
        if outcome != self.outcome:
            if self.outcome == "running" and outcome == "done":
                self.bench.session.hint.emit(f"Rendered {Path(record.out).name}")
            if self.outcome == "running" and outcome == "failed":
                self.bench.session.trouble.emit(self.job.complaint())
            self.outcome = outcome

    def _cancel(self) -> None:
        self.job.cancel()
        self.words.setText("Stopping…")

    def _go_on(self) -> None:
        self.bench.session.attempt(self.job.go_on)
        self.outcome = "running"
        self.bench.watch()

    def _open(self) -> None:
        QDesktopServices.openUrl(QUrl.fromLocalFile(self.job.record.out))


class RenderBench(QWidget):
    """The list of jobs, newest first."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        head = BenchHead("Renders")
        self.words = label("")
        head.addWidget(self.words)
        head.addStretch(1)
        inner = QWidget()
        self.line = QHBoxLayout(inner)
        self.line.setContentsMargins(12, 4, 12, 8)
        self.line.setSpacing(10)
        self.line.addStretch(1)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setFrameShape(QFrame.Shape.NoFrame)
        area.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setWidget(inner)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addLayout(head)
        layout.addWidget(area)
        self.cards: list[JobCard] = []
        for job in reversed(past_jobs(session_module.JOBS)[:24]):
            self._add(job)
        running = any(card.outcome == "running" for card in self.cards)
        self._timer = QTimer(self)
        self._timer.setInterval(400)
        self._timer.timeout.connect(self.refresh)
        if running:  # of an earlier window: followed as if it were ours
            self._timer.start()
        self.refresh()

    def _add(self, job: Job) -> JobCard:
        card = JobCard(job, self)
        self.cards.insert(0, card)
        self.line.insertWidget(0, card)
        return card

    def watch(self) -> None:
        """A job runs again: follow it."""
        self._timer.start()
        self.refresh()

    def running(self) -> list[JobCard]:
        """Cards of jobs under way."""
        return [c for c in self.cards if c.outcome == "running"]

    def refresh(self) -> None:
        """Bring the cards up to date."""
        for card in self.cards:
            if card.outcome in ("", "running"):
                card.refresh()
        count = len(self.running())
        waiting = sum(bool(c.job.state().get("waiting")) for c in self.running())
        told = f"{count - waiting} under way" + (f", {waiting} waiting" if waiting else "")
        self.words.setText(told if count else counted(len(self.cards), "render") if self.cards else "Nothing rendered yet")
        if not count:
            self._timer.stop()

    def start(self) -> JobCard | None:
        """Render the current shot as the settings say."""
        session, shot = self.session, self.session.shot
        if shot is None:
            session.trouble.emit("There is no shot to render; make one in Frame.")
            return None
        document = session.document
        out = file_name(document, shot, document.render, session.own_path, reserved(session_module.JOBS))
        size, assets, at = (shot.width, shot.height), session.assets, session.time
        job = session.attempt(lambda: finish(lambda: Job.start(document, assets, shot, size, document.render, out, session_module.JOBS, at)))
        if job is None:
            return None
        card = self._add(job)
        self._timer.start()
        self.refresh()
        moment = f" at {show(at, 's', 2)}" if document.keys or document.motions else ""
        session.hint.emit(f"Rendering {shot.name}{moment} to {out}")
        return card

    def again(self, job: Job) -> None:
        """Render an earlier job's own snapshot again, to a new file."""
        from msgspec.structs import replace

        from aulmo.document import edits, project_file

        def run() -> Job:
            document, assets = project_file.load(job.folder / "project.aulmo")
            shot = edits.find_shot(document, job.record.shot)
            settings = replace(document.render, folder=str(Path(job.record.out).parent))
            out = file_name(document, shot, settings, None, reserved(session_module.JOBS))
            size = (job.record.width, job.record.height)
            return Job.start(document, assets, shot, size, settings, out, session_module.JOBS, job.record.time)

        made = self.session.attempt(lambda: finish(run))
        if made:
            self._add(made)
            self._timer.start()
            self.refresh()
