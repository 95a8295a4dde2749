"""Two shots, or two variants, beside one another: the other one's picture over the right part of this one's, up to a line that is dragged."""

from typing import Any

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPen

from aulmo.desk.picture.overlay import Overlay
from aulmo.desk.shell import theme
from aulmo.document.records import Document
from aulmo.document.variants import chosen, in_full, told
from aulmo.trace.shot_drafts import drawn_all

LONGEST = 1000  # pixels of the other picture


def drawn(document: Document, assets: Any, shot_id: str, longest: int) -> np.ndarray:
    """(h, w, 4) uint8 BGRA draft of a shot, smooth: drawn three times as large."""
    return next(iter(drawn_all(document, assets, [shot_id], (longest, longest)).values()))


class Compare(Overlay):
    """The other shot over this one, or another variant of it. `other` is the shot's id, or nothing; `picks` the variant, None for that which is seen.
    """

    def __init__(self, picture: Any) -> None:
        self.picture, self.session = picture, picture.session
        self.other, self.share = "", 0.5
        self.picks: dict[str, str] | None = None
        self._image: QImage | None = None
        self.session.opened.connect(lambda: self.show(""))

    def show(self, shot_id: str, picks: dict[str, str] | None = None) -> None:
        """Lay a shot beside the present one, or a variant, or none."""
        self.other, self.picks, self._image = shot_id, picks, None
        self.picture.update()
        if not shot_id:
            return
        document, assets = self.session.document, self.session.assets
        document = chosen(document, in_full(document, self.session.picks if picks is None else picks))

        def done(found: np.ndarray) -> None:
            h, w = found.shape[:2]
            self._image = QImage(found.data, w, h, 4 * w, QImage.Format.Format_RGB32).copy()
            self.picture.update()

        self.session.start_task("Drawing the other shot", lambda task: drawn(document, assets, shot_id, LONGEST), done)

    def shown(self) -> bool:
        """Whether it is drawn now."""
        there = any(s.id == self.other for s in self.session.document.shots) and self.session.shot is not None
        if self.picks is not None:
            return there and self.session.stage == "Render"
        return there and self.session.stage == "Frame" and self.session.shot is not None and self.session.shot.id != self.other

    def draw(self, painter: QPainter) -> None:
        """The other picture, right of the line, in its own shape."""
        if self._image is None:
            return
        frame = QRectF(self.picture.frame_rect())
        f = min(frame.width() / self._image.width(), frame.height() / self._image.height())
        size = (self._image.width() * f, self._image.height() * f)
        place = QRectF(frame.center().x() - size[0] / 2, frame.center().y() - size[1] / 2, *size)
        cut = frame.left() + self.share * frame.width()
        painter.save()
        painter.setClipRect(QRectF(cut, frame.top(), frame.right() - cut, frame.height()))
        painter.fillRect(frame, QColor(theme.current().surround))
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(place, self._image)
        painter.restore()
        painter.setPen(QPen(QColor(0, 0, 0, 140), 3))
        painter.drawLine(QPointF(cut, frame.top()), QPointF(cut, frame.bottom()))
        painter.setPen(QPen(QColor("#f4f4f4"), 1))
        painter.drawLine(QPointF(cut, frame.top()), QPointF(cut, frame.bottom()))
        shots = {s.id: s.name for s in self.session.document.shots}
        painter.setPen(QColor("#f4f4f4"))
        names = (self.session.shot.name if self.session.shot else "", shots.get(self.other, ""))
        if self.picks is not None:
            names = (told(self.session.document, self.session.picks), told(self.session.document, self.picks))
        for words, right in ((names[0], True), (names[1], False)):
            flag = Qt.AlignmentFlag.AlignRight if right else Qt.AlignmentFlag.AlignLeft
            box = QRectF(cut - 208 if right else cut + 8, frame.bottom() - 26, 200, 20)
            painter.drawText(box, flag, words)
