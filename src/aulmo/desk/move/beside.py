"""The shot's own view beside the scene from outside: a small live draft in the picture's corner."""

import numpy as np
from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QColor, QImage, QPainter, QPen
from PySide6.QtWidgets import QWidget

from aulmo.desk.shell import theme
from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.painting import painted
from aulmo.trace.live import LivePicture, Request


class Beside(QWidget):
    """Shown while the scene is seen from outside, in the half of the picture's width; a click looks through the shot's camera again."""

    drawn = Signal(object)

    def __init__(self, session: Session, picture, stage: str) -> None:
        super().__init__(picture)
        self.session, self.picture, self._stage = session, picture, stage
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setToolTip("What the shot’s camera sees; click to look through it")
        self.setAccessibleName("The shot’s view")
        self._live: LivePicture | None = None
        self._image: QImage | None = None
        self._pixels: np.ndarray | None = None
        self.hide()
        self.drawn.connect(self._take)
        for signal in (session.view_changed, session.time_changed, session.shot_changed):
            signal.connect(self.refresh)
        session.stage_changed.connect(lambda _: self.refresh())
        session.changed.connect(lambda old, new: self.refresh())
        session.opened.connect(self._opened)
        session.closed.connect(self.close_live)

    def _opened(self) -> None:
        self.close_live()
        self._image = None
        self.refresh()

    def refresh(self) -> None:
        """Come, go, and draw what is seen now."""
        session = self.session
        shot = session.shot
        on = (session.stage == self._stage or session.outside) and session.free_view is not None and shot is not None
        if not on or shot is None:
            self.hide()
            return
        ratio = shot.width / max(1, shot.height)
        width = min(round(0.42 * self.picture.width()), round(0.6 * self.picture.height() * ratio))
        height = round(width / ratio)
        self.setGeometry(self.picture.width() - width - 10, 10, width, height)
        self.show()
        self.raise_()
        if self._live is None:
            self._live = LivePicture(session.assets, self.drawn.emit, lambda words: None)
        self._live.show(Request(session.shown, shot, session.camera, width, height, False))

    def _take(self, state) -> None:
        if state.picture.size:
            self._pixels = state.picture
            h, w = state.picture.shape[:2]
            self._image = QImage(state.picture.data, w, h, w * 4, QImage.Format.Format_RGB32)
            self.update()

    @painted
    def paintEvent(self, painter: QPainter) -> None:  # noqa: N802
        """Draw."""
        t = theme.current()
        painter.fillRect(self.rect(), QColor(t.window))
        if self._image is not None:
            painter.drawImage(self.rect(), self._image)
        painter.setPen(QPen(QColor(t.line), 1))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        name = self.session.shot.name if self.session.shot is not None else ""
        chip = QRectF(6, 6, painter.fontMetrics().horizontalAdvance(name) + 14, 19)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(32, 32, 32, 210))
        painter.drawRoundedRect(chip, 3, 3)
        painter.setPen(QColor("#f0f0f0"))
        painter.drawText(chip, Qt.AlignmentFlag.AlignCenter, name)

    def mousePressEvent(self, event) -> None:  # noqa: N802
        """Look through the shot's camera."""
        self.session.set_view(None)

    def close_live(self) -> None:
        """End its thread."""
        if self._live is not None:
            self._live.close()
            self._live = None
