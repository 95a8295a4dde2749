"""The tones of a grade, pulled where they lie: the picture's tones above, five handles below them, each under its own pixels."""

from typing import NamedTuple

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from aulmo.desk.shell import theme
from aulmo.desk.widgets.painting import painted


class Tone(NamedTuple):
    """A range of tones: the field of the grade, its word, and the display value in whose middle its pixels lie."""

    field: str
    word: str
    at: float


TONES = (
    Tone("blacks", "dark", 0.09), Tone("shadows", "low", 0.28), Tone("middle", "middle", 0.5), Tone("highlights", "high", 0.72),
    Tone("whites", "bright", 0.91),
)  # fmt: skip
HIGH, PULL, REACH = 78.0, 24.0, 17.0  # of the tones above, of an amount of 1, of a handle, in pixels


class TonesBar(QWidget):
    """Handles over the picture's tones; `changed` tells which field has which amount, and whether the hand is still on it."""

    changed = Signal(str, float, bool)
    key_wanted = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(int(HIGH + 2 * PULL + 22))
        self.setMinimumWidth(180)
        self.setMouseTracking(True)
        self.setAccessibleName("Tones")
        self.setToolTip("Pull a tone up or down where its pixels are · double-click: as it was · right-click: a key here")
        self.amounts: dict[str, float] = dict.fromkeys((t.field for t in TONES), 0.0)
        self.keyed: frozenset[str] = frozenset()
        self.tones: np.ndarray | None = None
        self.hot = ""
        self._held: tuple[str, float, float] | None = None

    def show_grade(self, amounts: dict[str, float], keyed: frozenset[str], tones: np.ndarray | None) -> None:
        """Show amounts over the picture's tones, (4, n) shares of red, green, blue and lightness."""
        if self._held is None:
            self.amounts = dict(amounts)
        self.keyed, self.tones = keyed, tones
        self.update()

    def _box(self) -> QRectF:
        return QRectF(8, 2, self.width() - 16, HIGH)

    def _line(self) -> float:
        return HIGH + PULL + 8

    def place(self, field: str) -> QPointF:
        """Where a handle lies."""
        tone = next(t for t in TONES if t.field == field)
        box = self._box()
        return QPointF(box.left() + tone.at * box.width(), self._line() - PULL * float(np.clip(self.amounts[field], -1.2, 1.2)))

    @painted
    def paintEvent(self, painter: QPainter) -> None:  # noqa: N802
        """Draw."""
        t, box = theme.current(), self._box()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._pixels(painter, box)
        line = self._line()
        painter.setPen(QPen(QColor(t.line), 1))
        painter.drawLine(QPointF(box.left(), box.bottom()), QPointF(box.right(), box.bottom()))
        painter.drawLine(QPointF(box.left(), line), QPointF(box.right(), line))
        for tone in TONES:
            at = self.place(tone.field)
            if abs(at.y() - line) > 0.5:
                painter.setPen(QPen(QColor(t.accent_hover), 3, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
                painter.drawLine(QPointF(at.x(), line), at)
            painter.setPen(QPen(QColor(0, 0, 0, 120), 1))
            painter.setBrush(QColor(t.accent_text if self.hot == tone.field else t.text))
            if tone.field in self.keyed:
                painter.drawPolygon(QPolygonF([at + QPointF(0, -6.5), at + QPointF(6.5, 0), at + QPointF(0, 6.5), at + QPointF(-6.5, 0)]))
            else:
                painter.drawEllipse(at, 5.2, 5.2)

    def _pixels(self, painter: QPainter, box: QRectF) -> None:
        """How many pixels have which tones; those of the tone under the hand in the accent's colour."""
        if self.tones is None:
            return
        values = self.tones[3]
        most = max(float(np.sort(values[1:-1])[-4]), 1e-6)
        step = box.width() / (len(values) - 1)
        places = [QPointF(box.left() + k * step, box.bottom() - min(1.0, float(v) / most) * (HIGH - 6)) for k, v in enumerate(values)]
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(150, 150, 150, 150))
        painter.drawPolygon(QPolygonF([box.bottomLeft(), *places, box.bottomRight()]))
        tone = next((x for x in TONES if x.field == self.hot), None)
        if tone is not None:
            low, high = (round(min(1.0, max(0.0, tone.at + s * 0.13)) * (len(values) - 1)) for s in (-1, 1))
            part = places[low : high + 1]
            colour = QColor(theme.current().accent_hover)
            colour.setAlpha(190)
            painter.setBrush(colour)
            painter.drawPolygon(QPolygonF([QPointF(part[0].x(), box.bottom()), *part, QPointF(part[-1].x(), box.bottom())]))

    def _under(self, at: QPointF) -> str:
        near = min(TONES, key=lambda x: abs(self.place(x.field).x() - at.x()))
        return near.field if abs(self.place(near.field).x() - at.x()) < REACH else ""

    def _put(self, field: str, amount: float, busy: bool) -> None:
        self.amounts[field] = amount
        self.changed.emit(field, amount, busy)
        self.update()

    def mousePressEvent(self, event) -> None:  # noqa: N802
        """Take a tone; the right button sets or removes its key."""
        field = self._under(event.position())
        if not field:
            return
        if event.button() == Qt.MouseButton.RightButton:
            self.key_wanted.emit(field)
            return
        self._held = (field, event.position().y(), self.amounts[field])

    def mouseMoveEvent(self, event) -> None:  # noqa: N802
        """Pull it up or down; with Shift finely."""
        if self._held is None:
            hot = self._under(event.position())
            if hot != self.hot:
                self.hot = hot
                self.update()
            return
        field, start, before = self._held
        fine = 0.25 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
        amount = before + (start - event.position().y()) / PULL * fine
        self._put(field, round(min(1.0, max(-1.0, amount)), 3), True)

    def mouseReleaseEvent(self, event) -> None:  # noqa: N802
        """Let it go."""
        if self._held is not None:
            field, _, before = self._held
            self._held = None
            if self.amounts[field] != before:
                self._put(field, self.amounts[field], False)

    def mouseDoubleClickEvent(self, event) -> None:  # noqa: N802
        """As it was."""
        field = self._under(event.position())
        if field:
            self._held = None
            self._put(field, 0.0, False)

    def leaveEvent(self, event) -> None:  # noqa: N802
        """Nothing under the cursor."""
        self.hot = ""
        self.update()
