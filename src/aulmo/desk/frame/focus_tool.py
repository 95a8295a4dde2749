"""Depth of field by clicking what should be sharp; how a highlight would look there; what is sharp as a band over the draft."""

import math

import numpy as np
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPainterPath, QPen, QPolygonF, QTransform

from aulmo.desk.picture.overlay import Overlay
from aulmo.desk.picture.tools.tool import Tool
from aulmo.desk.shell import theme
from aulmo.document.lens import half_tangent
from aulmo.document.quantity import show
from aulmo.document.records import Camera
from aulmo.frame.camera import camera_axes
from aulmo.frame.sharpness import blur_share, sharp_range


class FocusTool(Tool):
    """One click, then it is put away."""

    name = "focus"
    hint = "Click what should be sharp · the outline shows how a highlight there looks now · Esc gives up"
    pointer = Qt.CursorShape.CrossCursor

    def __init__(self, picture) -> None:
        super().__init__(picture)
        self._at: QPoint | None = None
        self._away = 0.0

    def put_away(self) -> None:
        """Nothing is hovered over."""
        self._at = None

    def _distance(self, at: QPoint) -> float | None:
        """How far ahead of the shot's camera what is seen there lies, mm."""
        point, camera = self.picture.point_at(at), self.session.camera
        return None if point is None else float((point - np.array(camera.position)) @ camera_axes(camera)[2])

    def press(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Focus the shot's camera on what is there."""
        distance, session = self._distance(at), self.session
        if distance is None:
            session.hint.emit("There is nothing to be sharp there")
            return
        if distance <= 0:
            session.hint.emit("That lies behind the shot's camera")
            return
        address = f"cameras/{session.camera.id}"
        session.put({f"{address}/focus": round(distance, 3), f"{address}/depth_of_field": True}, told="Focused")
        session.set_tool("")

    def hover(self, at: QPoint) -> bool:
        """Say what would be sharp, and show the blur there now."""
        part = self.session.document.parts.get(self.picture.part_at(at) or "")
        distance = self._distance(at) if part is not None else None
        self._at, self._away = (at, distance) if distance is not None and distance > 0 else (None, 0.0)
        if part is None or distance is None:
            self.picture.hush()
        else:
            self.picture.say_at(at, "Sharp here", f"{part.name} · {show(distance, 'mm', 0)} away")
        self.picture.update()
        return True

    def draw(self, painter: QPainter) -> None:
        """The shape that a highlight under the cursor is blurred to: blades, and the cat's eye near the edges."""
        camera = self.session.camera
        if self._at is None or not camera.depth_of_field or camera.focus <= 0:
            return
        frame = self.picture.frame_rect()
        radius = 0.5 * blur_share(camera, self._away) * frame.width()
        if radius < 2:
            return
        x = (self._at.x() - frame.center().x()) / max(1, frame.width()) * camera.sensor_mm / 18.0
        y = (frame.center().y() - self._at.y()) / max(1, frame.width()) * camera.sensor_mm / 18.0
        path = opening(camera, x * camera.cats_eye, y * camera.cats_eye, min(radius, 400.0), self._away < camera.focus)
        path.translate(QPointF(self._at))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for pen in (QPen(QColor(0, 0, 0, 140), 3), QPen(QColor("#f4f4f4"), 1.4)):
            painter.setPen(pen)
            painter.drawPath(path)


def opening(camera: Camera, right: float, up: float, radius: float, near: bool) -> QPainterPath:
    """The lens's opening as a blurred point shows it, about (0, 0): a polygon of its blades or round, cut by the rim that is shifted by (right, up)
    in shares of the radius. What is nearer than the focus shows it turned over."""
    path = QPainterPath()
    if camera.blades >= 3:
        angles = [math.radians(camera.blade_turn) + 2 * math.pi * k / camera.blades for k in range(camera.blades)]
        path.addPolygon(QPolygonF([QPointF(radius * math.cos(a), -radius * math.sin(a)) for a in angles]))
        path.closeSubpath()
    else:
        path.addEllipse(QPointF(0, 0), radius, radius)
    away = math.hypot(right, up)
    if away > 1e-3:
        f = min(1.0, 1.6 / away)
        rim = QPainterPath()
        rim.addEllipse(QPointF(right * f * radius, -up * f * radius), radius, radius)
        path = path.intersected(rim)
    if near:
        return path
    return QTransform().rotate(180).map(path)


class SharpBand(Overlay):
    """What is sharp, hatched over the draft and while focus is being chosen: nothing of it is drawn over what is traced."""

    def __init__(self, picture) -> None:
        self.picture, self.session = picture, picture.session
        self._kept: tuple[tuple, QImage | None] = ((), None)

    def shown(self) -> bool:
        """Whether it is drawn now."""
        camera = self.session.camera
        wanted = not self.picture.traced or self.session.tool == "focus"
        return self.session.stage == "Frame" and self.session.free_view is None and camera.depth_of_field and camera.focus > 0 and wanted

    def draw(self, painter: QPainter) -> None:
        """Hatch it."""
        draft = self.picture.draft
        if draft is None:
            return
        camera = self.session.camera
        key = (id(draft), camera.focus, camera.f_stop, camera.focal_length_mm, theme.current().accent_hover)
        if self._kept[0] != key:
            self._kept = (key, self._made(draft, camera))
        if self._kept[1] is not None:
            painter.drawImage(self.picture.rect(), self._kept[1])

    def _made(self, draft, camera: Camera) -> QImage | None:
        """Lines where sharpness begins and ends, and thin hatching between."""
        near, far = sharp_range(camera)
        h, w = draft.depth.shape
        wide = self.picture.wide_camera()
        tan = half_tangent(wide)
        x = (2 * (np.arange(w) + 0.5) / w - 1 + 2 * wide.shift_x) * tan
        y = (1 - 2 * (np.arange(h) + 0.5) / h + 2 * wide.shift_y) * tan * h / w
        ahead = draft.depth / np.sqrt(1 + x[None] ** 2 + y[:, None] ** 2)
        sharp = (draft.depth > 0) & (ahead >= near) & (ahead <= far)
        if not sharp.any():
            return None
        edge = np.zeros_like(sharp)
        there = draft.depth > 0
        for axis in (0, 1):
            one, other = np.take(sharp, range(sharp.shape[axis] - 1), axis), np.take(sharp, range(1, sharp.shape[axis]), axis)
            both = np.take(there, range(sharp.shape[axis] - 1), axis) & np.take(there, range(1, sharp.shape[axis]), axis)
            change = (one != other) & both
            if axis == 0:
                edge[:-1] |= change
            else:
                edge[:, :-1] |= change
        rows, columns = np.indices(sharp.shape)
        hatch = sharp & ((rows + columns) % 9 == 0)
        pixels = np.zeros((h, w, 4), np.uint8)
        colour = QColor(theme.current().accent_hover)
        pixels[hatch] = _premultiplied(colour, 90)
        pixels[edge] = _premultiplied(colour, 230)
        return QImage(pixels.data, w, h, 4 * w, QImage.Format.Format_ARGB32_Premultiplied).copy()


def _premultiplied(colour: QColor, alpha: int) -> tuple[int, int, int, int]:
    return (colour.blue() * alpha // 255, colour.green() * alpha // 255, colour.red() * alpha // 255, alpha)
