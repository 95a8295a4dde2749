"""A dissolve as it is seen while the film is played or scrubbed: the shot that goes, over the one that comes."""

import numpy as np
from PySide6.QtCore import QObject, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QImage, QPainter

from aulmo.desk.move.film_desk import FilmDesk
from aulmo.desk.picture.overlay import Overlay
from aulmo.desk.picture.picture_view import PictureView
from aulmo.document.moving.mover import quickly
from aulmo.document.properties import resolve
from aulmo.motion import reel
from aulmo.trace.live import LivePicture, Request


class _Drawn(QObject):
    """Brings a draft from the thread that drew it."""

    came = Signal(object)


class Dissolve(Overlay):
    """Draws the going shot's draft over the picture, by the share that it still has."""

    def __init__(self, film: FilmDesk, picture: PictureView, stage: str) -> None:
        self.film, self.session, self.picture, self._stage = film, film.session, picture, stage
        self._live: LivePicture | None = None
        self._drawn = _Drawn(picture)
        self._drawn.came.connect(self._take)
        self.image: QImage | None = None
        self._pixels: np.ndarray | None = None
        session = self.session
        session.time_changed.connect(self.refresh)
        session.stage_changed.connect(lambda _: self.refresh())
        session.changed.connect(lambda old, new: self.refresh())
        for signal in (session.opened, session.closed):
            signal.connect(self.close_live)

    @property
    def going(self) -> reel.Seen | None:
        """The shot that goes, and its share; None outside of a dissolve, in another stage, and where the scene is seen from outside."""
        session = self.session
        if session.stage != self._stage or session.free_view is not None or not session.document.film.reel:
            return None
        seen = reel.seen_at(session.document, session.time, session.shot)
        return seen[0] if len(seen) > 1 else None

    def refresh(self) -> None:
        """Draw the going shot where there is one now."""
        going = self.going
        if going is None:
            if self.image is not None:
                self.image = self._pixels = None
                self.picture.update()
            return
        session = self.session
        frame = self.picture.frame_rect()
        share = self.picture.playing_size if session.playing else 1.0
        if self._live is None:
            self._live = LivePicture(session.assets, self._drawn.came.emit, lambda words: None)
        with quickly():
            document = resolve(session.in_time, {"shot": going.shot.id}, session.time)
        width, height = (max(8, round(n * share)) for n in (frame.width(), frame.height()))
        self._live.show(Request(document, going.shot, document.cameras[going.shot.camera], width, height, False))

    def _take(self, state) -> None:
        if state.picture.size and self.going is not None:
            self._pixels = state.picture
            h, w = state.picture.shape[:2]
            self.image = QImage(state.picture.data, w, h, w * 4, QImage.Format.Format_RGB32)
            self.picture.update()

    def shown(self) -> bool:
        """Within a dissolve, once the going shot has been drawn."""
        return self.image is not None and self.going is not None

    def draw(self, painter: QPainter) -> None:
        """The going shot, and what share it has."""
        going = self.going
        if going is None or self.image is None:
            return
        frame = QRectF(self.picture.frame_rect())
        painter.setOpacity(going.share)
        painter.drawImage(frame, self.image)
        painter.setOpacity(1.0)
        words = f"{going.shot.name} goes · {round(100 * going.share)} %"
        chip = QRectF(frame.left() + 8, frame.bottom() - 27, painter.fontMetrics().horizontalAdvance(words) + 14, 19)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(32, 32, 32, 210))
        painter.drawRoundedRect(chip, 3, 3)
        painter.setPen(QColor("#f0f0f0"))
        painter.drawText(chip, Qt.AlignmentFlag.AlignCenter, words)

    def close_live(self) -> None:
        """End its thread."""
        self.image = self._pixels = None
        if self._live is not None:
            self._live.close()
            self._live = None
