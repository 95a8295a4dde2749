"""Measuring: the distance between two points, the angle of three, the radius of a circle. What was measured stays until Esc."""

from typing import NamedTuple

import numpy as np
from PySide6.QtCore import QPoint, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QKeyEvent, QPainter, QPen
from PySide6.QtWidgets import QApplication

from aulmo.desk.picture.snap import Caught, mark
from aulmo.desk.picture.tools.point import PointTool
from aulmo.desk.widgets.fields import length_unit
from aulmo.document.quantity import show


class Reading(NamedTuple):
    """Something measured: its kind, the points it is drawn through, the numbers in words."""

    kind: str
    points: tuple[np.ndarray, ...]
    numbers: tuple[str, ...]


def length(mm: float) -> str:
    """A length in the chosen unit."""
    unit, factor = length_unit()
    return show(mm / factor, unit, 2 if factor == 1 else 3)


def distance(a: np.ndarray, b: np.ndarray) -> Reading:
    """Distance of two points, and by its x, y, z."""
    d = b - a
    return Reading("distance", (a, b), (length(float(np.linalg.norm(d))), *(f"{n} {length(abs(float(v)))}" for n, v in zip("xyz", d))))


def angle(a: np.ndarray, corner: np.ndarray, b: np.ndarray) -> Reading | None:
    """The angle at a corner between the ways to two points; None when one of them is the corner."""
    u, v = a - corner, b - corner
    lengths = float(np.linalg.norm(u) * np.linalg.norm(v))
    if lengths < 1e-12:
        return None
    degrees = float(np.degrees(np.arccos(np.clip(u @ v / lengths, -1, 1))))
    return Reading("angle", (a, corner, b), (show(degrees, "°", 2),))


class MeasureTool(PointTool):
    """A click takes a point, caught by corners, edges and middles. Alt takes the very point."""

    name = "measure"
    hint = "Click two points for a distance, a third for the angle · click a rim and press R for its radius · click a number to copy it · Esc ends"

    def __init__(self, picture) -> None:
        super().__init__(picture)
        self.points: list[np.ndarray] = []
        self.readings: list[Reading] = []
        self._labels: list[tuple[QRectF, str]] = []

    @property
    def typing(self) -> bool:  # type: ignore[override]
        """R means the radius while a rim is under the hand."""
        return self.over is not None and self.over.circle is not None

    def put_away(self) -> None:
        """Everything measured goes."""
        self.points, self.readings, self.over, self._labels = [], [], None, []
        self.picture.hush()

    def press(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Copy a number, or take a point."""
        for box, words in self._labels:
            if box.contains(QPointF(at)):
                QApplication.clipboard().setText(words.split(" ", 1)[1] if words[:2] in ("x ", "y ", "z ", "r ", "⌀ ") else words)
                self.session.hint.emit(f"Copied {words}")
                return
        super().press(at, modifiers)

    def take_point(self, found: Caught | None, modifiers: Qt.KeyboardModifier) -> None:
        """A rim tells its radius, then its middle is a point like any other."""
        if found is None:
            self.session.hint.emit("There is nothing to measure there")
            return
        if found.circle is not None and not self.points:
            self.measure_circle(found)
        self.add(found.point)

    def add(self, point: np.ndarray) -> None:
        """One more point of the measurement."""
        self.points.append(np.asarray(point, float))
        if len(self.points) == 2:
            self.readings.append(distance(*self.points))
        elif len(self.points) == 3:
            found = angle(*self.points)
            if found is not None:
                self.readings.append(found)
            self.points = []
        self.picture.update()

    def measure_circle(self, found: Caught) -> None:
        """The radius of the circle under the hand."""
        circle = found.circle
        assert circle is not None
        radius = Reading("radius", (circle.centre, circle.points[0]), (f"r {length(circle.radius)}", f"⌀ {length(2 * circle.radius)}"))
        self.readings = [r for r in self.readings if r.kind != "radius" or np.linalg.norm(r.points[0] - circle.centre) > 1e-6] + [radius]

    def words(self, found: Caught) -> tuple[str, str]:
        """What the point would be caught by, and how far it is from the last one."""
        second = f"r {length(found.circle.radius)}" if found.circle is not None else ""
        if len(self.points) == 1:
            second = length(float(np.linalg.norm(found.point - self.points[0])))
        return found.words[0].upper() + found.words[1:], second

    def key(self, event: QKeyEvent) -> bool:
        """R measures the rim; Esc takes back a point that was begun, then ends."""
        if event.key() == Qt.Key.Key_R and self.over is not None and self.over.circle is not None:
            self.measure_circle(self.over)
            self.picture.update()
            return True
        if event.key() == Qt.Key.Key_Escape and len(self.points) == 1:
            self.points = []
            self.picture.update()
            return True
        return False

    def draw(self, painter: QPainter) -> None:
        """Lines, arcs and numbers."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._labels = []
        for reading in self.readings:
            places = [self.picture.place_on_screen(p) for p in reading.points]
            for colour, width in (("#202020", 4.0), ("#f0f0f0", 1.6)):
                painter.setPen(QPen(QColor(colour), width))
                for a, b in zip(places, places[1:]):
                    painter.drawLine(a, b)
            for place in places:
                mark(painter, place, "face")
            if reading.kind == "distance":
                self._draw_steps(painter, reading)
            middle = places[1] if reading.kind == "angle" else (places[0] + places[-1]) / 2
            self._write(painter, middle, reading.numbers)
        for point in self.points:
            mark(painter, self.picture.place_on_screen(point), "face")
        super().draw(painter)

    def _draw_steps(self, painter: QPainter, reading: Reading) -> None:
        """The way by x, then y, then z, as thin lines."""
        a, b = reading.points
        corners = [a, np.array([b[0], a[1], a[2]]), np.array([b[0], b[1], a[2]]), b]
        painter.setPen(QPen(QColor(240, 240, 240, 130), 1, Qt.PenStyle.DashLine))
        places = [self.picture.place_on_screen(p) for p in corners]
        for one, other in zip(places, places[1:]):
            painter.drawLine(one, other)

    def _write(self, painter: QPainter, at: QPoint, numbers: tuple[str, ...]) -> None:
        metrics = painter.fontMetrics()
        x, y = float(at.x()) + 10, float(at.y()) - 10
        width = max(metrics.horizontalAdvance(n) for n in numbers) + 14
        x = min(x, self.picture.width() - width - 4)
        y = min(max(4.0, y), self.picture.height() - 18.0 * len(numbers) - 4)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(32, 32, 32, 238))
        painter.drawRoundedRect(QRectF(x, y, width, 18.0 * len(numbers) + 4), 3, 3)
        for k, number in enumerate(numbers):
            box = QRectF(x, y + 2 + 18 * k, width, 18)
            self._labels.append((box, number))
            painter.setPen(QColor("#f0f0f0" if k == 0 else "#b4b4b4"))
            painter.drawText(QPointF(x + 7, y + 15 + 18 * k), number)
