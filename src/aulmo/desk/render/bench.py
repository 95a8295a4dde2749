"""Render's bench is the list: what waits, what is under way and what was made, over all projects, by any window and without one."""

import time
from pathlib import Path
from typing import Any

from msgspec.structs import replace
from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QDialog, QFrame, QLineEdit, QScrollArea, QVBoxLayout, QWidget

from aulmo.deliver import job as job_module, panorama, waking
from aulmo.deliver.job import (
    Job,
    add,
    by_names,
    file_name,
    film_record,
    jobs,
    moment,
    picture_folder,
    range_record,
    reserved,
    sphere_record,
    turntable_record,
)
from aulmo.deliver.machines import hub
from aulmo.deliver.qualities import SAID_BY, settings_of
from aulmo.deliver.sphere_film import Sphere, size_of
from aulmo.deliver.stills import plan
from aulmo.deliver.turntable import Turntable, check
from aulmo.desk.render.beside import Beside
from aulmo.desk.render.job_row import JobRow
from aulmo.desk.shell import session as session_module
from aulmo.desk.shell.bench import BenchHead, under_head
from aulmo.desk.shell.session import Session
from aulmo.desk.shell.task import finish
from aulmo.desk.widgets.fields import Choice, button, dialog_end, label, row
from aulmo.document import project_file, variants
from aulmo.document.quantity import counted, duration, show
from aulmo.errors import BadValue
from aulmo.motion.reel import without_cuts

SHOWN = 80  # ended renders that the list shows


def _is_over(row: JobRow) -> bool:
    """Whether a row's job has ended and will not go on."""
    return row.outcome in ("done", "cancelled", "failed", "broken") and not row.job.can_go_on


class RenderBench(QWidget):
    """The list of jobs: what goes on and waits first, in its order, then what ended, newest first."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.head = head = BenchHead("Renders")
        self.words = label("")
        head.addWidget(self.words)
        head.addStretch(1)
        self.compare = button("Compare two", self.compare_two, "link", "The two that are chosen, wiped over one another; Ctrl adds a second")
        self.halt = button("Halt after this", self._halt, "link", "What is under way is ended; nothing else begins until this is taken back")
        self.halt.setCheckable(True)
        self.at_once = Choice()
        self.at_once.setAccessibleName("At once")
        self.at_once.setFixedWidth(118)
        self.at_once.chosen.connect(self._set_at_once)
        self.clear = button("Clear ended", self.clear_ended, "link", "Takes what ended out of the list that cannot go on; the pictures stay")
        for made in (self.compare, self.halt, self.clear, self.at_once):
            head.addWidget(made)
        inner = QWidget()
        self.lines = QVBoxLayout(inner)
        self.lines.setContentsMargins(4, 0, 4, 4)
        self.lines.setSpacing(1)
        self.empty = label("Nothing rendered yet. Ctrl+Return renders this shot; it appears here and goes on by itself", "quiet")
        self.empty.setContentsMargins(10, 8, 0, 0)
        self.lines.addWidget(self.empty)
        self.lines.addStretch(1)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setFrameShape(QFrame.Shape.NoFrame)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setWidget(inner)
        under_head(self).addWidget(area)
        self.rows: list[JobRow] = []
        self.chosen: list[str] = []
        self._beside: Beside | None = None
        self._all: list[Job] = []
        self._ticks = 0
        self._timer = QTimer(self)
        self._timer.setInterval(400)
        self._timer.timeout.connect(self.refresh)
        self.fill()
        waking.wake_hub(session_module.JOBS)
        if any(r.outcome in ("waiting", "running") for r in self.rows):  # of an earlier window: followed as if they were ours
            waking.wake(session_module.JOBS)
            self._timer.start()

    # keeping up

    def fill(self) -> None:
        """A row for each job, in their order; rows that are there already stay."""
        self._all = jobs(session_module.JOBS)
        live = [job for job in self._all if job.outcome in ("running", "waiting", "paused")]
        live.sort(key=lambda job: job.outcome != "running")
        ended = [job for job in reversed(self._all) if job.outcome not in ("running", "waiting", "paused")]
        wanted = live + sorted(ended, key=lambda job: job.name, reverse=True)[:SHOWN]
        held = {row.job.name: row for row in self.rows}
        self.rows = []
        for k, job in enumerate(wanted):
            made = held.pop(job.name, None)
            if made is None:
                made = JobRow(job, self)
                made.pulled.connect(lambda by, j=job: self.put(j, by))
                made.clicked.connect(lambda modifiers, name=job.name: self._choose(name, modifiers))
            if self.lines.indexOf(made) != k:
                self.lines.removeWidget(made)
                self.lines.insertWidget(k, made)
            self.rows.append(made)
        for gone in held.values():
            self.lines.removeWidget(gone)
            gone.hide()
            gone.deleteLater()
        self.chosen = [name for name in self.chosen if any(r.job.name == name for r in self.rows)]
        self.empty.setVisible(not self.rows)
        self._tell()

    def watch(self) -> None:
        """Something is wanted of a job: follow it."""
        self._timer.start()
        self.refresh()

    def running(self) -> list[JobRow]:
        """Rows of what is under way or waits."""
        return [r for r in self.rows if r.outcome in ("running", "waiting")]

    def refresh(self) -> None:
        """Bring the rows up to date; make them anew where the list itself has changed."""
        before = [r.outcome for r in self.rows]
        for held in self.rows:
            if held.outcome not in ("done", "broken"):
                held.job = job_module.job_in(held.job.folder) or held.job
                held.refresh()
        self._ticks += 1
        if before != [r.outcome for r in self.rows] or (self._timer.isActive() and self._ticks % 4 == 0 and self._changed_outside()):
            self.fill()
        self._tell()
        if not self.running():
            self._timer.stop()

    def _changed_outside(self) -> bool:
        """Whether another window or command has added a job, taken one out, or put them in another order."""
        shown = {r.job.name for r in self.rows}
        now = jobs(session_module.JOBS)
        live = [j.name for j in now if j.outcome in ("waiting", "paused")]
        return not shown <= {j.name for j in now} or [r.job.name for r in self.rows if r.outcome in ("waiting", "paused")] != live

    def showEvent(self, event: Any) -> None:  # noqa: N802
        """Seen: what other windows have added should be there."""
        self.fill()
        if self.running():
            self._timer.start()

    def _tell(self) -> None:
        under_way = sum(r.outcome == "running" for r in self.rows)
        waiting = sum(r.outcome == "waiting" for r in self.rows)
        told = f"{under_way} under way" + (f", {waiting} waiting" if waiting else "") if under_way or waiting else counted(len(self.rows), "render")
        left = [r.job.state().get("seconds_left") if r.outcome == "running" else self.estimate(r.job) for r in self.running()]
        known = [v for v in left if v]
        rules = waking.rules(session_module.JOBS)
        if known and len(known) == len(left):
            told += f" · about {duration(sum(known) / rules.at_once)} in all"
        helping = len(hub.told(session_module.JOBS).get("helpers", {})) if rules.helpers else 0
        told += f" · {counted(helping, 'machine')} helping" if helping else ""
        self.words.setText(told if self.rows or helping else "")
        self.halt.setChecked(rules.halt)
        self.at_once.fill([("One at a time", 1), ("Two at once", 2), ("Three at once", 3), ("Four at once", 4)], rules.at_once)
        for held in self.rows:
            held.set_chosen(held.job.name in self.chosen)
        self.compare.setEnabled(len(self.chosen) == 2)
        self.clear.setEnabled(any(map(_is_over, self.rows)))

    def estimate(self, job: Job) -> float | None:
        """Seconds that a job will take, as measured; None when nothing was."""
        return job_module.estimate(job, self._all)

    # the list

    def _choose(self, name: str, modifiers: Any) -> None:
        if modifiers & Qt.KeyboardModifier.ControlModifier:
            self.chosen = [n for n in self.chosen if n != name] if name in self.chosen else [*self.chosen[-1:], name]
        else:
            self.chosen = [name]
        self._tell()

    def _halt(self) -> None:
        rules = waking.rules(session_module.JOBS)
        self.session.attempt(lambda: waking.set_rules(session_module.JOBS, replace(rules, halt=self.halt.isChecked())))
        if not self.halt.isChecked():
            waking.wake(session_module.JOBS)
        self.watch()

    def _set_at_once(self, count: int) -> None:
        rules = waking.rules(session_module.JOBS)
        self.session.attempt(lambda: waking.set_rules(session_module.JOBS, replace(rules, at_once=count)))
        self._tell()

    def put(self, job: Job, by: int) -> None:
        """A job so many places later."""
        self.session.attempt(lambda: job_module.move(job, by))
        self.fill()

    def remove(self, job: Job) -> None:
        """Take a job out of the list."""
        self.session.attempt(job.remove)
        self.fill()

    def clear_ended(self) -> None:
        """Take what has ended out of the list, but for what may yet go on."""
        for held in list(self.rows):
            if _is_over(held):
                self.session.attempt(held.job.remove)
        self.fill()

    def change(self, job: Job) -> "ChangeJob":
        """Ask what a job that waits should make instead."""
        dialog = ChangeJob(self, job)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.show()
        return dialog

    def compare_two(self) -> None:
        """The two chosen renders over one another."""
        two = [next(r.job for r in self.rows if r.job.name == name) for name in self.chosen]
        if len(two) == 2:
            made = self.session.attempt(lambda: Beside(self.window(), *two))
            if made is not None:
                self._beside = made
                made.show()

    def open_then(self, job: Job) -> None:
        """The project as it was when a render of it began, as an unsaved one."""
        held = self.session.attempt(lambda: project_file.load(job.folder / "project.aulmo"))
        if held is not None:
            self.session.open_document(held[0], held[1], None, unsaved=True)
            self.session.hint.emit(f"{held[0].name} as it was {time.strftime('on %d %B at %H:%M', time.localtime(job.record.started))}")

    # what is put in it

    def start(self) -> JobRow | None:
        """Render the current shot, in the variant that is seen, as the settings say."""
        session, shot = self.session, self.session.shot
        if shot is None:
            session.trouble.emit("There is no shot to render; make one in Frame.")
            return None
        document = session.document
        if variants.is_refused(document, session.picks):
            session.trouble.emit(f"{variants.told(document, session.picks)} is not offered; choose another variant.")
            return None
        out = file_name(document, shot, document.render, session.own_path, reserved(session_module.JOBS), session.picks)
        size, assets, at, path = (shot.width, shot.height), session.assets, session.time, session.own_path
        chosen = by_names(document, session.picks)
        job = session.attempt(
            lambda: finish(lambda: Job.start(document, assets, shot, size, document.render, out, session_module.JOBS, at, chosen, path))
        )
        if job is None:
            return None
        moment = f" at {show(at, 's', 2)}" if document.keys or document.motions else ""
        session.hint.emit(f"Rendering {shot.name}{moment} to {out}")
        return self._started(job)

    def _started(self, job: Job) -> JobRow | None:
        self.fill()
        self._timer.start()
        self.refresh()
        return next((r for r in self.rows if r.job.name == job.name), None)

    def start_range(self, cells: list[dict[str, str]], pattern: str) -> JobRow | None:
        """Render variants, each to a file of its own, as one job."""
        session, shot = self.session, self.session.shot
        document, assets, settings = session.document, session.assets, session.document.render
        folder = picture_folder(settings, session.own_path)
        path, at = session.own_path, session.time

        def run() -> Job:
            if shot is None or not cells:
                raise BadValue("Tick the variants that should be rendered.")
            rows = [by_names(document, picks) for picks in cells]
            own = [variants.shot_for(document, picks) for picks in cells]
            rows = [{**row, "shot": (held or shot).id} for row, held in zip(rows, own)]
            wanted = plan(document, rows, pattern, folder, settings.file_type, None, None, at)
            taken = reserved(session_module.JOBS)
            wanted = [s._replace(out=job_module.free_path(s.out, taken, overwrites=False)) for s in wanted]
            return add(document, assets, range_record(document, wanted, folder, None, settings, at, path), session_module.JOBS)

        job = session.attempt(lambda: finish(run))
        if job is None:
            return None
        session.hint.emit(f"Rendering {counted(len(cells), 'variant')} to {folder}")
        return self._started(job)

    def start_turntable(self, folder: Path, turn: dict[str, Any], axes: list[str]) -> JobRow | None:
        """A turntable for the web of the shot, of the variant that is seen or all along some axes, into a folder."""
        session, shot = self.session, self.session.shot
        document, assets = session.document, session.assets

        def run() -> Job:
            if shot is None:
                raise BadValue("There is no shot to turn; make one in Frame.")
            seen = by_names(document, session.picks)
            rows = variants.every(document, axes, {a: c for a, c in seen.items() if a not in axes}) if axes else [seen]
            check(Turntable(**turn), len(rows))
            record = turntable_record(
                document, shot, (shot.width, shot.height), document.render, folder, rows, turn, session.time, session.own_path
            )  # fmt: skip
            return add(document, assets, record, session_module.JOBS)

        job = session.attempt(lambda: finish(run))
        return self._started(job) if job is not None else None

    def start_sphere(self, out: Path, width: int, turn: dict[str, Any]) -> JobRow | None:
        """The full sphere round the shot's camera, of the variant that is seen, into a file; ending in .mp4 it is one for each frame of the film."""
        session, shot = self.session, self.session.shot
        document, assets = session.document, session.assets

        def run() -> Job:
            if shot is None:
                raise BadValue("There is no shot to stand in; make one in Frame.")
            seen = by_names(document, session.picks)
            if out.suffix.lower() == ".mp4":
                alone = without_cuts(document)
                size, span = size_of(width, Sphere(turn["layout"], turn["eyes_mm"])), (document.film.start, document.film.end)
                around = film_record(alone, shot, size, settings_of(document.render, "film"), out, span, seen, session.own_path, turn)
                return add(alone, assets, around, session_module.JOBS)
            panorama.check(width, out, turn["layout"], turn["eyes_mm"], turn["cube"])
            record = sphere_record(document, shot, width, document.render, out, turn, seen, session.time, session.own_path)
            return add(document, assets, record, session_module.JOBS)

        job = session.attempt(lambda: finish(run))
        return self._started(job) if job is not None else None

    def again(self, job: Job, now: bool = False) -> None:
        """Render an earlier job's own snapshot again, or the project as it is now, to a new file."""
        session = self.session
        document, assets = session.document, session.assets
        made = session.attempt(lambda: finish(lambda: job.again(document, assets) if now else job.again()))
        if made is not None:
            self._started(made)


class ChangeJob(QDialog):
    """What a render that waits will make, and when it begins."""

    def __init__(self, bench: RenderBench, job: Job) -> None:
        super().__init__(bench.window())
        self.bench, self.job = bench, job
        self.setWindowTitle(f"Change {job.record.title}")
        record = job.record
        self.pixels = QLineEdit(f"{record.width} x {record.height}" if record.width else "as the shots")
        rule = record.settings.get("stop", "noise")
        key = SAID_BY[rule]
        self._key = key
        self.until = QLineEdit(f"{record.settings.get(key, 0):g}")
        before = job.wish.not_before
        self.at = QLineEdit(time.strftime("%H:%M", time.localtime(before)) if before > time.time() else "")
        self.at.setPlaceholderText("At once, or hh:mm")
        self.trouble = label("", "heading", True)
        words = {"noise": "Noise, %", "samples": "Samples", "time": "Seconds"}
        layout = QVBoxLayout(self)
        layout.addWidget(row("Pixels", self.pixels))
        layout.addWidget(row(words[rule], self.until))
        layout.addWidget(row("Begins at", self.at))
        layout.addWidget(self.trouble)
        layout.addLayout(dialog_end(self, "Change", self.take))

    def take(self) -> None:
        """Change the job, or say what is wrong."""
        try:
            self._take()
        except (BadValue, ValueError) as error:
            self.trouble.setText(str(error) if isinstance(error, BadValue) else "That is no number.")
            return
        self.bench.fill()
        self.close()

    def _take(self) -> None:
        from aulmo.document.properties import about, accepted

        fields: dict[str, Any] = {}
        text = self.pixels.text().lower().replace("×", "x").replace(" ", "")
        if "x" in text:
            width, height = text.rsplit("x", 1)
            fields["width"], fields["height"] = accepted(about("shots/x/width"), int(width)), accepted(about("shots/x/height"), int(height))
        fields["settings"] = {self._key: accepted(about(f"render/{self._key}"), float(self.until.text().replace(",", ".")))}
        not_before = 0.0
        if self.at.text().strip():
            not_before = moment(self.at.text().strip())
        self.job.change(**fields)
        self.job.want(not_before=not_before)
