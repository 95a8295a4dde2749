"""The strip: which project and shot everything applies to, draft or traced, how noisy the picture is, and Render."""

import math
from typing import Callable

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from aulmo.desk.shell import theme
from aulmo.desk.shell.session import Session
from aulmo.desk.shell.variant_picker import VariantPicker
from aulmo.desk.widgets.fields import Choice, Segments, button, label
from aulmo.desk.widgets.painting import painted
from aulmo.document.quantity import duration


class NoiseBar(QWidget):
    """A thin line that fills as the picture becomes clean."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(3)
        self.share = 0.0

    @painted
    def paintEvent(self, painter) -> None:  # noqa: N802
        """Draw."""
        painter.fillRect(self.rect(), QColor(theme.current().field))
        painter.fillRect(QRectF(0, 0, self.width() * self.share, 3), QColor(theme.current().quiet))


class Strip(QWidget):
    """The line over everything."""

    def __init__(self, session: Session, picture, run: Callable[[str], None]) -> None:
        super().__init__()
        self.session, self.picture = session, picture
        self.setObjectName("strip")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(38)
        self.project = label("", "title")
        self.saved = label("")
        self.shot = Choice()
        self.shot.setAccessibleName("Shot")
        self.shot.setFixedWidth(150)
        self.shot.chosen.connect(session.set_shot)
        self.mode = Segments({"draft": "Draft", "traced": "Traced", "finished": "Finished"})
        self.mode.setFixedWidth(196)
        self.mode.set_value("finished")
        self.mode.chosen.connect(picture.set_look)
        self.noise = QLabel()
        self.bar = NoiseBar()
        self.render_button = button("Render", lambda: run("render"), "main", "Ctrl+Return")
        self.render_button.setFixedWidth(92)
        readout = QWidget()
        readout.setFixedWidth(214)
        column = QVBoxLayout(readout)
        column.setContentsMargins(0, 6, 0, 5)
        column.setSpacing(3)
        column.addWidget(self.noise)
        column.addWidget(self.bar)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(14, 0, 12, 0)
        layout.setSpacing(8)
        layout.addWidget(self.project)
        layout.addWidget(self.saved)
        self.noticed = ""  # the command that the notice goes to
        self.notice = button("", lambda: run(self.noticed), "link")
        self.notice.hide()
        layout.addWidget(self.notice)
        layout.addSpacing(18)
        layout.addWidget(label("Shot"))
        layout.addWidget(self.shot)
        self.variant = VariantPicker(session)
        layout.addWidget(self.variant)
        layout.addStretch(1)
        layout.addWidget(self.mode)
        layout.addSpacing(8)
        layout.addWidget(readout)
        layout.addStretch(1)
        layout.addWidget(self.render_button)
        session.changed.connect(lambda old, new: self.refresh())
        for signal in (session.opened, session.saved, session.shot_changed):
            signal.connect(self.refresh)
        session.notice.connect(self.tell_notice)
        picture.status_changed.connect(self.refresh_noise)
        picture.preparing.connect(self.tell_preparing)
        self._preparing = False
        self.refresh()

    def refresh(self) -> None:
        """Project, shot."""
        document = self.session.document
        name = document.name if len(document.name) < 26 else document.name[:24] + "…"
        self.project.setText(name)
        self.saved.setText("· saved" if self.session.is_saved and self.session.own_path is not None else "· not saved")
        shot = self.session.shot
        self.shot.fill([(s.name, s.id) for s in document.shots], shot.id if shot else None)
        self.mode.set_value(self.picture.look)

    def tell_notice(self, words: str, command: str) -> None:
        """Say something that waits for the artist, who goes there by a click; "" takes it back."""
        self.notice.setText(words)
        self.notice.setVisible(bool(words))
        self.noticed = command

    def tell_preparing(self, share: float, left: float) -> None:
        """How far the renderer's kernels are made for this machine; the draft serves meanwhile."""
        self._preparing = share < 1.0
        if not self._preparing:
            self.noise.setToolTip("")
            self.refresh_noise()
            return
        self.noise.setText(f"Preparing {100 * share:.0f} %   {duration(left)} left")
        self.noise.setToolTip("The renderer is made ready for this machine. This happens once; the draft picture serves meanwhile.")
        self.bar.share = share
        self.bar.update()

    def refresh_noise(self) -> None:
        """Noise and time to clean."""
        if self._preparing:
            return
        state = self.picture.state
        if self.picture.covers():
            self.noise.setText(self.picture.cover_words())
            self.bar.share = 0.0
        elif state is None or not state.traced:
            self.noise.setText("Draft" if state else "")
            self.bar.share = 0.0
        elif state.samples == 0 or not math.isfinite(state.noise):
            self.noise.setText("First look")
            self.bar.share = 0.02
        else:
            target = self.session.document.render.live_noise_percent / 100
            left = "clean" if state.noise <= target else f"clean in {duration(state.seconds_left)}"
            self.noise.setText(f"Noise {100 * state.noise:.1f} %   {left}")
            self.bar.share = min(1.0, (target / max(1e-9, state.noise)) ** 2)
        self.bar.update()
