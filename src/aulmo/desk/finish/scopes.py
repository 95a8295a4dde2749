"""Scopes: how many pixels have which tones, what colours there are, and the levels across the picture, with the reference's laid over them."""

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from aulmo.desk.finish.finish_desk import FinishDesk
from aulmo.desk.shell import theme
from aulmo.desk.widgets.painting import image_of, painted
from aulmo.document.quantity import show
from aulmo.finish.measuring import COLUMNS, ROUND, TONES, Measured

INKS = (QColor(222, 84, 74), QColor(92, 178, 96), QColor(92, 132, 224))
GROUND = QColor(24, 24, 24)


def levels_image(found: Measured, apart: bool) -> QImage:
    """Levels across the picture, light upward: colours over each other, or side by side when `apart`."""
    seen = np.sqrt(np.clip(found.levels * TONES * COLUMNS / 12, 0, 1))[:, ::-1]
    if apart:
        whole = np.zeros((TONES, 3 * COLUMNS, 3), np.float32)
        for c in range(3):
            ink = np.array([INKS[c].redF(), INKS[c].greenF(), INKS[c].blueF()], np.float32)
            whole[:, c * COLUMNS : (c + 1) * COLUMNS] = seen[c][..., None] * ink
        return image_of(whole + 0.09)
    return image_of(np.moveaxis(seen, 0, -1) * 0.9 + 0.09)


def colours_image(found: Measured) -> QImage:
    """How often colours occur, round a middle that is grey."""
    y, x = np.mgrid[0:ROUND, 0:ROUND]
    a, b = x / ROUND * 2 - 1, 1 - y / ROUND * 2
    angle = np.arctan2(b, a)
    ink = np.stack([0.62 + 0.38 * np.cos(angle - s) for s in (0.4, 2.5, 4.6)], -1)
    often = np.clip((found.colours * ROUND * ROUND / 40) ** 0.4, 0, 1)
    return image_of(often[..., None] * ink + 0.09)


class Scopes(QWidget):
    """Tones and colours above, levels below. A click on the levels sets red, green and blue side by side, or over one another."""

    def __init__(self, desk: FinishDesk) -> None:
        super().__init__()
        self.desk = desk
        self.apart = False
        self.setMinimumSize(190, 96)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Scopes")
        self.setToolTip("The reference’s tones are drawn as lines over the picture’s. Click the levels for red, green and blue side by side")
        self._drawn: tuple[object, bool, QImage, QImage] | None = None
        desk.made.connect(self.update)

    def _boxes(self) -> tuple[QRectF, QRectF, QRectF]:
        """Where tones, colours and levels stand."""
        w, h = float(self.width() - 8), float(self.height() - 4)
        upper = max(36.0, 0.46 * h - 16)
        side = min(upper, 0.4 * w)
        tones = QRectF(0, 0, w - side - 8, upper)
        return tones, QRectF(w - side, 0, side, upper), QRectF(0, upper + 18, w, max(20.0, h - upper - 34))

    @painted
    def paintEvent(self, painter: QPainter) -> None:  # noqa: N802
        """Draw."""
        tones, colours, levels = self._boxes()
        for box in (tones, colours, levels):
            painter.fillRect(box, GROUND)
        seen = self.desk.seen
        t = theme.current()
        painter.setPen(QColor(t.quiet))
        small = painter.font()
        small.setPixelSize(11)
        painter.setFont(small)
        line = lambda box: QRectF(box.left(), box.bottom() + 1, box.width(), 15)  # noqa: E731
        painter.drawText(line(tones), Qt.AlignmentFlag.AlignLeft, "Tones")
        painter.drawText(line(colours), Qt.AlignmentFlag.AlignLeft, "Colour")
        painter.drawText(line(levels), Qt.AlignmentFlag.AlignLeft, "Levels across")
        if seen is None:
            return
        found, other = seen.scopes, self.desk.reference_scopes if self.desk.against else None
        clipped = f"black {show(100 * found.black, '%', 1)} · white {show(100 * found.white, '%', 1)}"
        if painter.fontMetrics().horizontalAdvance(f"Levels across   {clipped}") > levels.width():
            clipped = f"{show(100 * found.black, '%', 1)} · {show(100 * found.white, '%', 1)}"
        painter.drawText(line(levels), Qt.AlignmentFlag.AlignRight, clipped)
        if self._drawn is None or self._drawn[0] is not found or self._drawn[1] != self.apart:
            self._drawn = (found, self.apart, colours_image(found), levels_image(found, self.apart))
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(colours, self._drawn[2])
        painter.drawImage(levels, self._drawn[3])
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._tones(painter, tones, found, other)
        self._middle(painter, colours, found, other)
        if other is not None:
            self._bands(painter, levels, other)
        for share, there in ((found.black, tones.left()), (found.white, tones.right() - 3)):
            if share > 0.001:
                painter.fillRect(QRectF(there, tones.top(), 3, tones.height()), QColor(t.caution))

    def _tones(self, painter: QPainter, box: QRectF, found: Measured, other: Measured | None) -> None:
        most = max(float(np.sort(found.tones[:, 1:-1].ravel())[-6]), 1e-6)
        painter.setCompositionMode(QPainter.CompositionMode.CompositionMode_Plus)
        painter.setPen(Qt.PenStyle.NoPen)
        for c in range(3):
            ink = QColor(INKS[c])
            ink.setAlpha(150)
            painter.setBrush(ink)
            painter.drawPolygon(QPolygonF([box.bottomLeft(), *self._line(box, found.tones[c], most), box.bottomRight()]))
        painter.setCompositionMode(QPainter.CompositionMode.CompositionMode_SourceOver)
        if other is not None:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor("#f4f4f4"), 1.2))
            painter.drawPolyline(QPolygonF(self._line(box, other.tones[3], max(most, float(np.sort(other.tones[3, 1:-1])[-3])))))

    @staticmethod
    def _line(box: QRectF, values: np.ndarray, most: float) -> list[QPointF]:
        step = box.width() / (TONES - 1)
        return [QPointF(box.left() + k * step, box.bottom() - min(1.0, float(v) / most) * box.height()) for k, v in enumerate(values)]

    @staticmethod
    def _mean(found: Measured) -> tuple[float, float]:
        """The mean colour, -1..1 each way."""
        across = np.linspace(-1, 1, ROUND)
        return float(found.colours.sum(0) @ across), float(found.colours.sum(1) @ across[::-1])

    def _middle(self, painter: QPainter, box: QRectF, found: Measured, other: Measured | None) -> None:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(110, 110, 110), 1))
        for share in (0.5, 1.0):
            painter.drawEllipse(box.center(), share * box.width() / 2, share * box.height() / 2)
        for one, pen in ((found, QPen(QColor("#f4f4f4"), 1.6)), (other, QPen(QColor("#f4f4f4"), 1.2, Qt.PenStyle.DotLine))):
            if one is not None:
                a, b = self._mean(one)
                painter.setPen(pen)
                painter.drawEllipse(box.center() + QPointF(a * box.width() / 2, -b * box.height() / 2), 4, 4)

    def _bands(self, painter: QPainter, box: QRectF, other: Measured) -> None:
        """Where a tenth, a half and nine tenths of the reference's pixels lie below, across it."""
        whole = other.levels.sum(0)
        below = np.cumsum(whole, 0) / np.maximum(whole.sum(0), 1e-9)
        for share, width in ((0.1, 0.8), (0.5, 1.4), (0.9, 0.8)):
            at = np.argmax(below >= share, 0) / (TONES - 1)
            points = [QPointF(box.left() + (k + 0.5) / COLUMNS * box.width(), box.bottom() - float(v) * box.height()) for k, v in enumerate(at)]
            painter.setPen(QPen(QColor(244, 244, 244, 190), width))
            if not self.apart:
                painter.drawPolyline(QPolygonF(points))

    def mousePressEvent(self, event) -> None:  # noqa: N802
        """Side by side, or over one another."""
        if self._boxes()[2].contains(event.position()):
            self.apart = not self.apart
            self.update()
