"""Whether other machines of the office may help, how they join, and who has joined."""

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QCheckBox, QDialog, QHBoxLayout, QVBoxLayout

from aulmo.deliver import waking
from aulmo.deliver.machines import hub
from aulmo.deliver.machines.secret import secret_of
from aulmo.desk.render.bench import RenderBench
from aulmo.desk.shell import session as session_module
from aulmo.desk.widgets.fields import button, label
from aulmo.document.quantity import counted


class HelpersDialog(QDialog):
    """Tick it, and say the line that is shown on each machine that should help."""

    def __init__(self, bench: RenderBench) -> None:
        super().__init__(bench.window())
        self.bench = bench
        self.setWindowTitle("Other machines")
        self.on = QCheckBox("Other machines of this network may help with renders")
        self.on.setChecked(waking.rules(session_module.JOBS).helpers)
        self.on.clicked.connect(self._set)
        self.words = label("", "quiet", True)
        self.line = label("", "", True)
        self.line.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.secret = label("", "quiet", True)
        self.secret.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.copy = button("Copy the line", lambda: QGuiApplication.clipboard().setText(self.line.text()))
        self.joined = label("", "", True)
        layout = QVBoxLayout(self)
        for widget in (self.on, self.words, self.line, self.secret):
            layout.addWidget(widget)
        keys = QHBoxLayout()
        keys.addWidget(self.copy)
        keys.addStretch(1)
        layout.addLayout(keys)
        layout.addWidget(self.joined)
        layout.addStretch(1)
        end = QHBoxLayout()
        end.addStretch(1)
        done = button("Done", self.close, "main")
        done.setDefault(True)
        end.addWidget(done)
        layout.addLayout(end)
        self.setMinimumSize(430, 250)
        self._timer = QTimer(self)
        self._timer.setInterval(400)
        self._timer.timeout.connect(self.refresh)
        self._timer.start()
        self.refresh()

    def _set(self, on: bool) -> None:
        self.bench.session.attempt(lambda: hub.take(session_module.JOBS, on))
        self.refresh()

    def refresh(self) -> None:
        """Show who is there."""
        jobs = session_module.JOBS
        on = waking.rules(jobs).helpers
        told = hub.told(jobs) if on else {}
        there = bool(told)
        self.line.setVisible(there)
        self.secret.setVisible(there)
        self.copy.setVisible(there)
        if not on:
            self.words.setText("Frames of films and tiles of stills are then shared out; the pictures stay the same to the last bit.")
            self.joined.setText("")
        elif not there:
            self.words.setText("Making ready…")
            self.joined.setText("")
        else:
            self.words.setText("On each machine that should help, with the same Aulmo installed:")
            self.line.setText(f"./aulmo {hub.invitation(jobs, told['address'])}")
            self.secret.setText(f"It asks for the secret, the first time: {secret_of(jobs)}")
            names = sorted(told.get("helpers", {}).values())
            self.joined.setText(f"{counted(len(names), 'machine')} joined: {', '.join(names)}" if names else "No machine has joined yet.")
