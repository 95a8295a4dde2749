"""Handles to move, turn and scale what is selected: arrows, rings and knobs, with the value beside the cursor."""

import math
from typing import NamedTuple

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from aulmo.document.lens import width_at
from aulmo.document.records import Camera
from aulmo.frame.camera import project

NAMES = ("x", "y", "z")
REACH, RING, KNOB = 78.0, 56.0, 104.0
EVEN = np.array([30.0, 30.0])  # pixels from the middle to the knob that scales evenly
# three greys would be told apart by nothing: these are marks of direction, muted, and each carries its letter
COLOURS = ("#c8705f", "#8aa06a", "#6f8fb8")


class Grip(NamedTuple):
    """A handle under the cursor: `kind` is move, turn, scale, even (scale on all sides) or free (move across the picture); `axis` 0..2."""

    kind: str
    axis: int


class Handles:
    """Where the handles are on screen for a pivot, axes (3, 3) as columns and a camera, and what a drag of one means."""

    def __init__(self, pivot: np.ndarray, camera: Camera, width: int, height: int, axes: np.ndarray | None = None, scales: bool = False) -> None:
        self.pivot, self.camera, self.width, self.height = pivot, camera, width, height
        self.axes = np.eye(3) if axes is None else axes
        self.scales = scales
        self.centre = project(camera, pivot, width, height)[0]
        ahead = max(1e-6, float(self.centre[2]))
        self.mm_per_pixel = width_at(camera, ahead) / width
        self.tips = project(camera, pivot + self.axes.T * REACH * self.mm_per_pixel, width, height)
        self.knobs = project(camera, pivot + self.axes.T * KNOB * self.mm_per_pixel, width, height)

    def ring(self, axis: int) -> np.ndarray:
        """(49, 2) screen points of a turning ring."""
        t = np.linspace(0, 2 * np.pi, 49)
        u, v = self.axes[:, (axis + 1) % 3], self.axes[:, (axis + 2) % 3]
        circle = self.pivot + RING * self.mm_per_pixel * (np.cos(t)[:, None] * u + np.sin(t)[:, None] * v)
        return project(self.camera, circle, self.width, self.height)[:, :2]

    def _long(self, axis: int) -> bool:
        return float(np.linalg.norm(self.tips[axis, :2] - self.centre[:2])) > 12

    def grip_at(self, x: float, y: float) -> Grip | None:
        """The handle under a point, within seven pixels."""
        here = np.array([x, y])
        best, nearest = None, 7.0
        if float(np.linalg.norm(here - self.centre[:2])) < 6.0:
            return Grip("free", 0)
        if self.scales:
            if float(np.abs(here - self.centre[:2] - EVEN).max()) < 7.0:
                return Grip("even", 0)
            for axis in range(3):
                if self._long(axis) and float(np.abs(here - self.knobs[axis, :2]).max()) < 6.0:
                    return Grip("scale", axis)
        for axis in range(3):
            a, b = self.centre[:2], self.tips[axis, :2]
            length = float(np.linalg.norm(b - a))
            if length > 12:
                t = float(np.clip((here - a) @ (b - a) / length**2, 0.25, 1.08))
                distance = float(np.linalg.norm(here - a - t * (b - a))) - (3 if t > 0.85 else 0)
                if distance < nearest:
                    best, nearest = Grip("move", axis), distance
            distance = float(np.linalg.norm(self.ring(axis) - here, axis=1).min()) + 1.5
            if distance < nearest:
                best, nearest = Grip("turn", axis), distance
        return best

    def moved(self, axis: int, start: tuple[float, float], now: tuple[float, float]) -> float:
        """Millimetres along an axis for a drag between two points."""
        direction = self.tips[axis, :2] - self.centre[:2]
        length = float(np.linalg.norm(direction))
        if length < 1e-6:
            return 0.0
        along = float((np.array(now) - np.array(start)) @ direction) / length
        return along * REACH * self.mm_per_pixel / length

    def turned(self, axis: int, start: tuple[float, float], now: tuple[float, float]) -> float:
        """Degrees about an axis for a drag between two points round the pivot."""
        a = np.array(start) - self.centre[:2]
        b = np.array(now) - self.centre[:2]
        angle = math.degrees(math.atan2(a[0] * b[1] - a[1] * b[0], float(a @ b)))
        toward = float((np.array(self.camera.position) - self.pivot) @ self.axes[:, axis])
        return -angle if toward >= 0 else angle

    def scaled(self, grip: Grip, start: tuple[float, float], now: tuple[float, float]) -> float:
        """By how much things grow for a drag of a knob between two points: as its distance from the middle does."""
        way = EVEN if grip.kind == "even" else self.knobs[grip.axis, :2] - self.centre[:2]
        length = float(np.linalg.norm(way))
        along = float((np.array(now) - np.array(start)) @ way) / max(length, 1e-6)
        return max(0.01, 1.0 + along / (60.0 if grip.kind == "even" else max(length, 24.0)))

    def across(self, start: tuple[float, float], now: tuple[float, float]) -> np.ndarray:
        """The way in mm, square to the view, of a drag between two points."""
        from aulmo.frame.camera import camera_axes

        right, up, _ = camera_axes(self.camera)
        x, y = np.array(now) - np.array(start)
        return np.asarray((right * x - up * y) * self.mm_per_pixel)

    def draw(self, painter: QPainter, hot: Grip | None) -> None:
        """Paint the handles."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for axis in range(3):
            lit = hot == Grip("turn", axis)
            painter.setPen(QPen(QColor(COLOURS[axis]), 3.5 if lit else 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPolyline(QPolygonF([QPointF(*p) for p in self.ring(axis)]))
        for axis in range(3):
            if self._long(axis):
                self._draw_axis(painter, axis, hot)
        if self.scales:
            self._draw_knob(painter, self.centre[:2] + EVEN, "#d8d8d8", hot == Grip("even", 0))
        lit = hot == Grip("free", 0)
        painter.setPen(QPen(QColor("#f0f0f0"), 2.5 if lit else 1.5))
        painter.setBrush(QColor("#2a2a2a"))
        painter.drawEllipse(QPointF(*self.centre[:2]), 5 if lit else 4, 5 if lit else 4)

    def _draw_axis(self, painter: QPainter, axis: int, hot: Grip | None) -> None:
        lit = hot == Grip("move", axis)
        tip, centre = self.tips[axis, :2], self.centre[:2]
        direction = (tip - centre) / np.linalg.norm(tip - centre)
        across = np.array([-direction[1], direction[0]])
        painter.setPen(QPen(QColor(COLOURS[axis]), 5 if lit else 3.2, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
        painter.drawLine(QPointF(*(centre + direction * 10)), QPointF(*tip))
        painter.setBrush(QColor(COLOURS[axis]))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.drawPolygon(QPolygonF([QPointF(*p) for p in (tip + direction * 11, tip + across * 6, tip - across * 6)]))
        letter = tip + direction * 20
        if self.scales:
            knob = self.knobs[axis, :2]
            self._draw_knob(painter, knob, COLOURS[axis], hot == Grip("scale", axis))
            letter = knob + direction * 15
        painter.setPen(QColor("#f0f0f0"))
        painter.drawText(QPointF(*(letter + np.array([-3.0, 4.0]))), NAMES[axis])

    def _draw_knob(self, painter: QPainter, at: np.ndarray, colour: str, lit: bool) -> None:
        size = 5.5 if lit else 4.2
        painter.setPen(QPen(QColor("#202020"), 1))
        painter.setBrush(QColor(colour))
        painter.drawRect(QRectF(at[0] - size, at[1] - size, 2 * size, 2 * size))
