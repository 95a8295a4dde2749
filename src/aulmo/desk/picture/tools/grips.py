"""Handles to move and turn what is selected: three arrows and three rings, with the value beside the cursor."""

import math
from typing import NamedTuple

import numpy as np
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from aulmo.document.records import Camera
from aulmo.trace.camera_rows import project

AXES = np.eye(3)
NAMES = ("x", "y", "z")
REACH, RING = 78.0, 56.0
# three greys would be told apart by nothing: these are marks of direction, muted, and each carries its letter
COLOURS = ("#c8705f", "#8aa06a", "#6f8fb8")


class Grip(NamedTuple):
    """A handle under the cursor: `kind` is move or turn, `axis` 0..2."""

    kind: str
    axis: int


class Handles:
    """Where the handles are on screen for a pivot and a camera, and what a drag of one means."""

    def __init__(self, pivot: np.ndarray, camera: Camera, width: int, height: int) -> None:
        self.pivot, self.camera, self.width, self.height = pivot, camera, width, height
        self.centre = project(camera, pivot, width, height)[0]
        ahead = max(1e-6, float(self.centre[2]))
        self.mm_per_pixel = ahead * camera.sensor_mm / camera.focal_length_mm / width
        self.tips = project(camera, pivot + AXES * REACH * self.mm_per_pixel, width, height)

    def ring(self, axis: int) -> np.ndarray:
        """(49, 2) screen points of a turning ring."""
        t = np.linspace(0, 2 * np.pi, 49)
        u, v = AXES[(axis + 1) % 3], AXES[(axis + 2) % 3]
        circle = self.pivot + RING * self.mm_per_pixel * (np.cos(t)[:, None] * u + np.sin(t)[:, None] * v)
        return project(self.camera, circle, self.width, self.height)[:, :2]

    def grip_at(self, x: float, y: float) -> Grip | None:
        """The handle under a point, within seven pixels."""
        here = np.array([x, y])
        best, nearest = None, 7.0
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
        toward = float(np.array(self.camera.position)[axis] - self.pivot[axis])
        return -angle if toward >= 0 else angle

    def draw(self, painter: QPainter, hot: Grip | None) -> None:
        """Paint the handles."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for axis in range(3):
            lit = hot == Grip("turn", axis)
            painter.setPen(QPen(QColor(COLOURS[axis]), 3.5 if lit else 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPolyline(QPolygonF([QPointF(*p) for p in self.ring(axis)]))
        for axis in range(3):
            lit = hot == Grip("move", axis)
            tip, centre = self.tips[axis, :2], self.centre[:2]
            direction = tip - centre
            length = float(np.linalg.norm(direction))
            if length < 12:
                continue
            direction /= length
            across = np.array([-direction[1], direction[0]])
            painter.setPen(QPen(QColor(COLOURS[axis]), 5 if lit else 3.2, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
            painter.drawLine(QPointF(*(centre + direction * 10)), QPointF(*tip))
            painter.setBrush(QColor(COLOURS[axis]))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.drawPolygon(QPolygonF([QPointF(*p) for p in (tip + direction * 11, tip + across * 6, tip - across * 6)]))
            painter.setPen(QColor("#f0f0f0"))
            painter.drawText(QPointF(*(tip + direction * 20 + np.array([-3.0, 4.0]))), NAMES[axis])
        painter.setPen(QPen(QColor("#f0f0f0"), 1.5))
        painter.setBrush(QColor("#2a2a2a"))
        painter.drawEllipse(QPointF(*self.centre[:2]), 4, 4)
