"""The line at the bottom: what the hand can do, what goes on, what went wrong."""

import time

from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QHBoxLayout, QLabel, QProgressBar, QWidget

from aulmo.desk.shell import theme
from aulmo.desk.shell.session import Session
from aulmo.desk.shell.task import Task
from aulmo.desk.widgets.fields import button, label, length_unit
from aulmo.document.quantity import duration


class HintLine(QWidget):
    """One line."""

    def __init__(self, session: Session, standing) -> None:
        super().__init__()
        self.session, self._standing = session, standing
        self.setObjectName("hintLine")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(26)
        self.mark = QLabel()
        self.text = label("")
        self.task_text = label("")
        self.bar = QProgressBar()
        self.bar.setRange(0, 1000)
        self.bar.setFixedWidth(110)
        self.bar.setTextVisible(False)
        self.cancel = button("Cancel", self._cancel, "link")
        self.facts = label("")
        self.facts.setMaximumWidth(320)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(12, 0, 12, 0)
        layout.setSpacing(6)
        layout.addWidget(self.mark)
        layout.addWidget(self.text, 1)
        for widget in (self.task_text, self.bar, self.cancel, self.facts):
            layout.addWidget(widget)
        self._task: Task | None = None
        self._clear = QTimer(self)
        self._clear.setSingleShot(True)
        self._clear.timeout.connect(self.refresh)
        self._patience = QTimer(self)
        self._patience.setSingleShot(True)
        self._patience.timeout.connect(lambda: self._show_task(self._task is not None))
        session.hint.connect(self.say)
        session.trouble.connect(self.complain)
        session.task_started.connect(self._follow)
        session.changed.connect(lambda old, new: self.refresh_facts())
        for signal in (session.selection_changed, session.opened, session.view_changed):
            signal.connect(self.refresh_facts)
        for signal in (session.view_changed, session.tool_changed, session.stage_changed):
            signal.connect(lambda *_: self.refresh())
        self._show_task(False)
        self.refresh()
        self.refresh_facts()

    def say(self, text: str) -> None:
        """A remark that goes away by itself."""
        self.mark.hide()
        self._restyle(text, "quiet")
        self._clear.start(4000)

    def complain(self, text: str) -> None:
        """What went wrong, in one sentence."""
        self.mark.setPixmap(theme.icon("warning", theme.current().fault).pixmap(15, 15))
        self.mark.show()
        self._restyle(text, "")
        self._clear.start(12000)

    def _restyle(self, text: str, voice: str) -> None:
        if text != self.text.text():
            self.text.setText(text)
            self.text.setToolTip(text)
        if voice != self.text.objectName():
            self.text.setObjectName(voice)
            self.text.style().unpolish(self.text)
            self.text.style().polish(self.text)

    def refresh(self) -> None:
        """Back to what the hand can do."""
        self.mark.hide()
        self._restyle(self._standing(), "quiet")

    def refresh_facts(self) -> None:
        """Units, selection, jobs."""
        session = self.session
        what = session.selected_name()
        isolated = " · isolated" if session.isolated else ""
        self.facts.setText(f"{length_unit()[0]} · {what}{isolated}")

    def _follow(self, task: Task) -> None:
        self._task = task
        self.task_text.setText(task.title)
        self.bar.setValue(0)
        task.progressed.connect(lambda text, share: self._progress(task, text, share))
        task.finished.connect(lambda _: self._done(task))
        task.failed.connect(lambda _: self._done(task))
        self._patience.start(400)

    def _progress(self, task: Task, text: str, share: float) -> None:
        if task is not self._task:
            return
        spent = time.monotonic() - task.started
        left = f" · {duration(spent * (1 - share) / share)} left" if share > 0.05 and spent > 1 else ""
        self.task_text.setText(text + left)
        self.bar.setValue(round(1000 * share))

    def _done(self, task: Task) -> None:
        if task is self._task:
            self._task = None
            self._patience.stop()
            self._show_task(False)

    def _show_task(self, on: bool) -> None:
        for widget in (self.task_text, self.bar, self.cancel):
            widget.setVisible(on)

    def _cancel(self) -> None:
        if self._task:
            self._task.cancelled = True
            self.say("Stopping…")
