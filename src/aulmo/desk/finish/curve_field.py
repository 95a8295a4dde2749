"""A curve of tones, and a bar of hues: fields that are drawn and pulled."""

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QImage, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from aulmo.desk.shell import theme
from aulmo.desk.widgets.painting import image_of, painted
from aulmo.document.finish_records import HueBand
from aulmo.finish.grading import from_oklab, tones_through
from aulmo.trace.view import show

Points = tuple[tuple[float, float], ...]
NEAR = 9


class CurveField(QWidget):
    """Points of a curve from black, lower left, to white. A click makes a point, a drag moves it, a double click or Del takes it away."""

    changed = Signal(object, bool)

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(132)
        self.setMinimumWidth(160)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.setAccessibleName("Curve")
        self.setToolTip("Click for a point, drag it; a double click takes it away")
        self.points: Points = ()
        self.ink = QColor("#e6e6e6")
        self.tones: np.ndarray | None = None
        self._held: int | None = None

    def set_points(self, points: Points, ink: QColor, tones: np.ndarray | None) -> None:
        """Show a curve over the tones of the picture."""
        self.ink, self.tones = ink, tones
        if self._held is None:
            self.points = tuple(sorted(points))
        self.update()

    def _box(self) -> QRectF:
        return QRectF(9, 4, self.width() - 13, self.height() - 8)

    def _place(self, point: tuple[float, float]) -> QPointF:
        box = self._box()
        return QPointF(box.left() + point[0] * box.width(), box.bottom() - point[1] * box.height())

    def _share(self, at: QPointF) -> tuple[float, float]:
        box = self._box()
        keep = lambda v: round(min(1.0, max(0.0, v)), 4)  # noqa: E731
        return keep((at.x() - box.left()) / box.width()), keep((box.bottom() - at.y()) / box.height())

    @painted
    def paintEvent(self, painter: QPainter) -> None:  # noqa: N802
        """Draw."""
        t, box = theme.current(), self._box()
        painter.fillRect(box, QColor(t.field))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.tones is not None:
            most = max(float(np.sort(self.tones[1:-1])[-4]), 1e-6)
            step = box.width() / (len(self.tones) - 1)
            line = [QPointF(box.left() + k * step, box.bottom() - min(1.0, float(v) / most) * 0.9 * box.height()) for k, v in enumerate(self.tones)]
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(128, 128, 128, 70))
            painter.drawPolygon(QPolygonF([box.bottomLeft(), *line, box.bottomRight()]))
        painter.setPen(QPen(QColor(t.line), 1))
        for k in (0.25, 0.5, 0.75):
            painter.drawLine(self._place((k, 0.0)), self._place((k, 1.0)))
            painter.drawLine(self._place((0.0, k)), self._place((1.0, k)))
        painter.drawLine(self._place((0.0, 0.0)), self._place((1.0, 1.0)))
        x = np.linspace(0, 1, 64, dtype=np.float32)
        y = np.clip(tones_through(self.points, x), -0.02, 1.02) if self.points else x
        painter.setPen(QPen(self.ink, 1.8))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF([self._place((float(a), float(b))) for a, b in zip(x, y)]))
        painter.setBrush(self.ink)
        for point in self.points:
            painter.drawEllipse(self._place(point), 4, 4)

    def _near(self, at: QPointF) -> int | None:
        found = [(k, (self._place(p) - at).manhattanLength()) for k, p in enumerate(self.points)]
        return min(found, key=lambda f: f[1])[0] if found and min(d for _, d in found) < 1.5 * NEAR else None

    def _tell(self, busy: bool) -> None:
        self.changed.emit(tuple(sorted(self.points)), busy)
        self.update()

    def mousePressEvent(self, event) -> None:  # noqa: N802
        """Take a point, or make one."""
        self._held = self._near(event.position())
        if self._held is None:
            made = self._share(event.position())
            if any(abs(p[0] - made[0]) < 0.01 for p in self.points):
                return
            self.points = tuple(sorted((*self.points, made)))
            self._held = self.points.index(made)
            self._tell(True)

    def mouseMoveEvent(self, event) -> None:  # noqa: N802
        """Pull it; never past its neighbours."""
        if self._held is None:
            return
        x, y = self._share(event.position())
        k = self._held
        low = self.points[k - 1][0] + 0.01 if k > 0 else 0.0
        high = self.points[k + 1][0] - 0.01 if k + 1 < len(self.points) else 1.0
        self.points = tuple((min(high, max(low, x)), y) if n == k else p for n, p in enumerate(self.points))
        self._tell(True)

    def mouseReleaseEvent(self, event) -> None:  # noqa: N802
        """Let go."""
        if self._held is not None:
            self._held = None
            self._tell(False)

    def mouseDoubleClickEvent(self, event) -> None:  # noqa: N802
        """Take a point away."""
        k = self._near(event.position())
        if k is not None:
            self._held = None
            self.points = tuple(p for n, p in enumerate(self.points) if n != k)
            self._tell(False)


def hue_strip(width: int) -> QImage:
    """The circle of hues, even in lightness, drawn out."""
    angle = np.radians(np.linspace(0, 360, width, endpoint=False))
    lab = np.stack([np.full(width, 0.7), 0.13 * np.cos(angle), 0.13 * np.sin(angle)], -1).astype(np.float32)
    return image_of(show(from_oklab(lab)[None].astype(np.float32), 1.0, "Plain"))


BELL, PULL = 26.0, 24.0  # pixels of an amount of 1 below the strip, and of the hand for it


class HueBar(QWidget):
    """The circle of hues with the bands that are worked on below it: a click makes or takes one; pulled across it goes to other hues, up and down its
    colours grow stronger or weaker, its ends make it wider."""

    changed = Signal(object, int, bool)

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(80)
        self.setMinimumWidth(120)
        self.setAccessibleName("Only hues")
        self.setToolTip("Click a hue for a band of its own; pull it across, up for stronger, down for weaker; its ends make it wider")
        self.bands: tuple[HueBand, ...] = ()
        self.chosen = 0
        self._strip: QImage | None = None
        self._held: tuple[str, float, float, HueBand] | None = None

    def set_bands(self, bands: tuple[HueBand, ...]) -> None:
        """Show bands."""
        if self._held is None:
            self.bands = bands
            self.chosen = min(self.chosen, max(0, len(bands) - 1))
        self.update()

    def _x(self, hue: float) -> float:
        return 9 + (hue % 360) / 360 * (self.width() - 14)

    def _hue(self, x: float) -> float:
        return round((x - 9) / (self.width() - 14) * 360, 1) % 360

    @property
    def line(self) -> float:
        """Where the bands' colours are as strong as they were."""
        return 48.0

    @painted
    def paintEvent(self, painter: QPainter) -> None:  # noqa: N802
        """Draw."""
        t = theme.current()
        if self._strip is None:
            self._strip = hue_strip(180)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(QRectF(9, 4, self.width() - 14, 12), self._strip)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(t.line), 1))
        painter.drawLine(QPointF(9, self.line), QPointF(self.width() - 5, self.line))
        for k, band in enumerate(self.bands):
            self._bell(painter, band, k == self.chosen)

    def _bell(self, painter: QPainter, band: HueBand, chosen: bool) -> None:
        """A band as a bell as high as it is strong, with its handle on top; over the ends of the circle it goes on at the other."""
        t = theme.current()
        whole = float(self.width() - 14)
        half, up = 0.5 * band.width / 360 * whole, BELL * min(1.1, max(-1.0, band.saturation))
        share = np.linspace(-1, 1, 33)
        high = 0.5 + 0.5 * np.cos(np.pi * share)
        ink, fill = QColor(t.accent_hover if chosen else t.quiet), QColor(t.accent_hover if chosen else t.quiet)
        fill.setAlpha(70)
        painter.save()
        painter.setClipRect(QRectF(9, 17, whole, self.height()))
        for shift in (-whole, 0.0, whole):
            middle = self._x(band.hue) + shift
            line = QPolygonF([QPointF(middle + float(x) * half, self.line - up * float(y)) for x, y in zip(share, high)])
            painter.setBrush(fill)
            painter.setPen(QPen(ink, 1.6))
            painter.drawPolygon(line)
            painter.setPen(QPen(ink, 2.4, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
            for end in (-half, half):
                painter.drawLine(QPointF(middle + end, self.line - 4), QPointF(middle + end, self.line + 4))
        painter.restore()
        painter.setPen(QPen(QColor(0, 0, 0, 120), 1))
        painter.setBrush(QColor(t.text))
        painter.drawEllipse(QPointF(self._x(band.hue), self.line - up), 5.2, 5.2)

    def _off(self, hue: float, band: HueBand) -> float:
        return (hue - band.hue + 180) % 360 - 180

    def mousePressEvent(self, event) -> None:  # noqa: N802
        """Take a band, an end of it, or make one."""
        hue, y = self._hue(event.position().x()), event.position().y()
        for k, band in enumerate(self.bands):
            off = self._off(hue, band)
            if abs(off) < 0.5 * band.width + 6:
                self.chosen = k
                self._held = ("width" if abs(abs(off) - 0.5 * band.width) < 8 and band.width > 20 else "move", hue, y, band)
                self.changed.emit(self.bands, self.chosen, False)
                self.update()
                return
        made = HueBand(hue=hue)
        self.bands, self.chosen = (*self.bands, made), len(self.bands)
        self._held = ("move", hue, y, made)
        self.changed.emit(self.bands, self.chosen, True)
        self.update()

    def mouseMoveEvent(self, event) -> None:  # noqa: N802
        """Pull it."""
        if self._held is None:
            return
        how, start, y, band = self._held
        hue = self._hue(event.position().x())
        if how == "width":
            made = replace(band, width=min(360.0, max(5.0, 2 * abs(self._off(hue, band)))))
        else:
            stronger = min(1.0, max(-1.0, band.saturation + (y - event.position().y()) / PULL))
            still = abs(y - event.position().y()) < 4
            made = replace(band, hue=(band.hue + (hue - start)) % 360, saturation=band.saturation if still else round(stronger, 3))
        self.bands = tuple(made if k == self.chosen else b for k, b in enumerate(self.bands))
        self.changed.emit(self.bands, self.chosen, True)
        self.update()

    def mouseReleaseEvent(self, event) -> None:  # noqa: N802
        """Let go."""
        if self._held is not None:
            self._held = None
            self.changed.emit(self.bands, self.chosen, False)
