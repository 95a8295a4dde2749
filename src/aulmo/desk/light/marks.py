"""Lamps drawn over the picture as simple marks: their outline, where they shine, and a dot to take them by."""

import math

import numpy as np
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from aulmo.desk.picture.overlay import Overlay
from aulmo.desk.shell import theme
from aulmo.document.lens import width_at
from aulmo.document.placement import turn_matrix
from aulmo.document.records import Camera, Document, Lamp
from aulmo.frame.camera import project
from aulmo.light.staying import lamp_in_world

GRASP = 9.0  # pixels around a dot
EDGE = 16.0  # how far from the picture's edge the pointers to lamps beyond it stay


def _ring(radius: float, count: int = 40) -> np.ndarray:
    t = np.linspace(0, 2 * np.pi, count + 1)
    return np.stack([radius * np.cos(t), radius * np.sin(t), 0 * t], 1)


def outlines(lamp: Lamp, unit: float) -> list[np.ndarray]:
    """World polylines of a lamp's body, and a stroke along its light; `unit` is a length in mm that reads well on screen."""
    w, h = 0.5 * lamp.width, 0.5 * lamp.height
    stroke = [np.array([[0, 0, 0], [0, 0, -1.6 * unit]])]
    if lamp.kind in ("rectangle", "portal"):
        lines = [np.array([[-w, -h, 0], [w, -h, 0], [w, h, 0], [-w, h, 0], [-w, -h, 0]])]
        if lamp.kind == "portal":
            lines.append(np.array([[-w, 0, 0], [w, 0, 0]]))
            lines.append(np.array([[0, -h, 0], [0, h, 0]]))
        lines += stroke
    elif lamp.kind in ("disc", "ring"):
        lines = [_ring(w), *([_ring(min(h, w))] if lamp.kind == "ring" else []), *stroke]
    elif lamp.kind == "tube":
        lines = [np.array([[-h, y, 0], [h, y, 0]]) for y in (-w, w)] + [_ring(w)[:, [2, 0, 1]] + [x, 0, 0] for x in (-h, h)]
    elif lamp.kind == "spot":
        half = math.radians(min(170.0, lamp.cone) / 2)
        reach = 2.2 * unit
        rim = _ring(reach * math.tan(min(half, 1.2))) - [0, 0, reach]
        lines = [rim, *(np.array([[0, 0, 0], rim[k]]) for k in (0, 10, 20, 30))]
    elif lamp.kind in ("distant", "sun"):
        lines = [np.array([[x, y, 0], [x, y, -1.8 * unit]]) for x, y in ((0, 0), (0.5 * unit, 0), (-0.5 * unit, 0))] + [_ring(0.5 * unit)]
    else:
        r = max(w, 0.45 * unit)
        lines = [_ring(r), _ring(r)[:, [2, 0, 1]], _ring(r)[:, [0, 2, 1]]]
        if lamp.kind == "photometric":
            lines += stroke
    turn = turn_matrix(lamp.turn)
    return [np.asarray(line, float) @ turn.T + np.array(lamp.position) for line in lines]


class Marks:
    """All lamps of a document through a camera."""

    def __init__(self, document: Document, camera: Camera, width: int, height: int) -> None:
        self.camera, self.width, self.height = camera, width, height
        self.lamps = [lamp_in_world(document, lamp, camera) for lamp in document.lamps.values()]
        self.places = project(camera, np.array([lamp.position for lamp in self.lamps]), width, height) if self.lamps else np.zeros((0, 3))

    def dot(self, place: np.ndarray) -> tuple[float, float, bool]:
        """Where a lamp's dot is drawn, and whether it had to be held at the picture's edge."""
        x, y, ahead = place
        cx, cy = 0.5 * self.width, 0.5 * self.height
        dx, dy = (x - cx, y - cy) if ahead > 0 else (cx - x, cy - y)
        share = max(abs(dx) / max(1.0, cx - EDGE), abs(dy) / max(1.0, cy - EDGE))
        if ahead > 0 and share <= 1.0:
            return x, y, False
        share = max(share, 1e-6)
        return cx + dx / share, cy + dy / share, True

    def at(self, x: float, y: float) -> Lamp | None:
        """The lamp whose dot lies under a point."""
        best, nearest = None, GRASP
        for lamp, place in zip(self.lamps, self.places):
            at_x, at_y, _ = self.dot(place)
            distance = math.hypot(at_x - x, at_y - y)
            if distance < nearest:
                best, nearest = lamp, distance
        return best

    def draw(self, painter: QPainter, chosen: str, hot: str) -> None:
        """Paint; the chosen lamp in the accent, those that are off faintly."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for lamp, place in zip(self.lamps, self.places):
            x, y, beyond = self.dot(place)
            picked = lamp.id == chosen
            colour = QColor(theme.current().accent_hover) if picked else QColor(255, 255, 255, 235 if lamp.on else 110)
            if beyond:
                self._draw_pointer(painter, x, y, colour, lamp.name if picked or lamp.id == hot else "")
                continue
            unit = 26.0 * width_at(self.camera, float(place[2])) / self.width
            for line in outlines(lamp, unit):
                points = project(self.camera, line, self.width, self.height)
                if (points[:, 2] <= 0).any():
                    continue
                shape = QPolygonF([QPointF(*p[:2]) for p in points])
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.setPen(QPen(QColor(0, 0, 0, 110), 3.0))
                painter.drawPolyline(shape)
                painter.setPen(QPen(colour, 1.8 if picked or lamp.id == hot else 1.2))
                painter.drawPolyline(shape)
            painter.setPen(QPen(QColor(0, 0, 0, 150), 1))
            painter.setBrush(colour)
            painter.drawEllipse(QPointF(*place[:2]), 4.5, 4.5)

    def _draw_pointer(self, painter: QPainter, x: float, y: float, colour: QColor, name: str) -> None:
        """A small arrowhead at the edge, pointing at a lamp outside the picture."""
        away = np.array([x - 0.5 * self.width, y - 0.5 * self.height])
        away /= max(1e-6, float(np.linalg.norm(away)))
        across = np.array([-away[1], away[0]])
        here = np.array([x, y])
        painter.setPen(QPen(QColor(0, 0, 0, 150), 1))
        painter.setBrush(colour)
        painter.drawPolygon(QPolygonF([QPointF(*p) for p in (here + 8 * away, here - 4 * away + 5.5 * across, here - 4 * away - 5.5 * across)]))
        if name:
            painter.setPen(QColor("#f0f0f0"))
            text = painter.fontMetrics().horizontalAdvance(name)
            left = min(max(6.0, x - 0.5 * text), self.width - text - 6.0)
            painter.drawText(QPointF(left, y + (22 if y < 0.5 * self.height else -14)), name)


class LampMarks(Overlay):
    """The marks as an overlay of the picture: shown while light is worked on, and when a lamp is selected."""

    def __init__(self, picture, stage: str) -> None:
        self.picture, self.session, self._stage = picture, picture.session, stage

    def shown(self) -> bool:
        """Whether they are drawn now."""
        return bool(self.session.document.lamps) and (self.session.stage == self._stage or self.session.lamp is not None)

    def now(self) -> Marks:
        """The marks as they are seen now."""
        return Marks(self.session.resolved, self.picture.wide_camera(), self.picture.width(), self.picture.height())

    def draw(self, painter: QPainter) -> None:
        """Paint them."""
        lamp = self.session.lamp
        self.now().draw(painter, lamp.id if lamp is not None else "", self.picture.hot.removeprefix("lamps/"))

    def at(self, x: float, y: float) -> str:
        """The address of the lamp whose dot lies under a point, or nothing."""
        lamp = self.now().at(x, y)
        return f"lamps/{lamp.id}" if lamp is not None else ""

    def words(self, address: str) -> tuple[str, str]:
        """What the cursor says over a lamp."""
        lamp = self.session.document.lamps[address[6:]]
        return lamp.name, f"{lamp.kind} lamp · T shows handles"
