"""What is drawn over a photograph that is worked on: sight lines with how far each is off, the grid, sticks, the patch, outlines; and the loupe."""

import math
from typing import Any

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPainterPath, QPen, QPolygonF

from aulmo.desk.frame.photo_desk import PhotoDesk
from aulmo.desk.picture.overlay import Overlay
from aulmo.desk.shell import theme
from aulmo.document.records import ShadowStick
from aulmo.errors import BadValue
from aulmo.frame import matching
from aulmo.frame.camera import project
from aulmo.frame.shadow_stick import on_plane

SAND = "#d9b47c"
LOUPE, ZOOM = 58, 5


def colour_of(direction: int) -> QColor:
    """First direction white, second damson, upright sand."""
    return QColor({1: "#f4f4f4", 2: theme.current().accent_hover, 3: SAND}[direction])


class PhotoMarks(Overlay):
    """The marks as an overlay of the picture."""

    def __init__(self, desk: PhotoDesk) -> None:
        self.desk, self.session = desk, desk.session

    def shown(self) -> bool:
        """Whether they are drawn now: in front the photograph is seen in every stage."""
        photo = self.desk.photo
        in_front = photo is not None and photo.in_front and self.session.free_view is None
        return self.desk.is_shown or in_front

    def draw(self, painter: QPainter) -> None:
        """Paint them."""
        photo = self.desk.photo
        if photo is None:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if photo.in_front:
            self._in_front(painter)
        if not self.desk.is_shown:
            return
        if self.desk.grid != "none":
            self._grid(painter)
        for cut in photo.cutouts:
            self._outline(painter, cut.points, True)
        for line in photo.lines:
            self._line(painter, line.direction, line.points, line.id == self.desk.chosen, self.desk.residual(line.id), self.desk.is_bad(line.id))
        for stick in photo.sticks:
            draw_stick(painter, self.desk, stick)
        if photo.patch is not None:
            draw_box(painter, self.desk, photo.patch.box)
        if photo.origin is not None:
            self._origin(painter)

    def _in_front(self, painter: QPainter) -> None:
        photo, codes = self.desk.photo, self.desk.codes()
        if codes is None or photo is None:
            return
        shown = codes if codes.dtype == np.uint8 else np.rint(codes * 255).astype(np.uint8)
        image = QImage(shown.data, shown.shape[1], shown.shape[0], 3 * shown.shape[1], QImage.Format.Format_RGB888)
        painter.save()
        painter.setOpacity(photo.strength)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(self.desk.rect(), image)
        painter.restore()

    def _line(self, painter: QPainter, direction: int, points: tuple, chosen: bool, off: float, bad: bool) -> None:
        draw_line(painter, self.desk, direction, points, chosen, bad)
        if not math.isnan(off):
            ends = self.desk.to_screen(points)
            middle, way = ends.mean(0), ends[-1] - ends[0]
            normal = np.array([-way[1], way[0]]) / max(1e-6, float(np.hypot(*way)))
            normal = normal if normal[1] < 0 else -normal
            _text(painter, QPointF(*(middle + 11 * normal)), f"{off:.1f} px", QColor(theme.current().caution) if bad else colour_of(direction))

    def _outline(self, painter: QPainter, points: tuple, closed: bool) -> None:
        draw_outline(painter, self.desk, points, closed)

    def _origin(self, painter: QPainter) -> None:
        photo = self.desk.photo
        assert photo is not None and photo.origin is not None
        x, y = self.desk.to_screen([photo.origin])[0]
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for pen in (QPen(QColor(0, 0, 0, 150), 3.5), QPen(QColor("#f4f4f4"), 1.5)):
            painter.setPen(pen)
            painter.drawEllipse(QPointF(x, y), 6, 3)
            painter.drawLine(QPointF(x, y - 9), QPointF(x, y))

    def _grid(self, painter: QPainter) -> None:
        shot = self.desk.shot
        if shot is None:
            return
        camera, size = self.session.camera, (shot.width, shot.height)
        wall = None
        line = self.desk.line
        if self.desk.grid == "wall" and line is not None:
            try:
                wall = tuple(on_plane(self.desk.camera(), self.desk.size(), p) for p in (line.points[0], line.points[-1]))
            except BadValue:
                return
        lines, _ = matching.grid_lines(camera, size, wall)  # type: ignore[arg-type]
        width, height = self.desk.picture.width(), self.desk.picture.height()
        seen = self.desk.picture.wide_camera()
        painter.save()
        painter.setClipRect(self.desk.rect())
        painter.setPen(QPen(QColor(255, 255, 255, 95), 1))
        for ends in lines:
            steps = ends[0] + (ends[1] - ends[0]) * np.linspace(0, 1, 41)[:, None]
            places = project(seen, steps, width, height)
            ahead = places[:, 2] > 1e-3
            path, down = QPainterPath(), False
            for (x, y, _), there in zip(places, ahead):
                if not there or abs(x) > 20 * width or abs(y) > 20 * height:
                    down = False
                    continue
                (path.lineTo if down else path.moveTo)(x, y)
                down = True
            painter.drawPath(path)
        painter.restore()


def draw_line(painter: QPainter, desk: PhotoDesk, direction: int, points: Any, chosen: bool = False, bad: bool = False) -> None:
    """A sight line with its ends."""
    places = [QPointF(x, y) for x, y in desk.to_screen(points)]
    colour = QColor(theme.current().caution) if bad else colour_of(direction)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for pen in (QPen(QColor(0, 0, 0, 130), 4), QPen(colour, 2.4 if chosen else 1.6, Qt.PenStyle.DashLine if bad else Qt.PenStyle.SolidLine)):
        painter.setPen(pen)
        painter.drawPolyline(QPolygonF(places))
    for k, place in enumerate(places):
        end = k in (0, len(places) - 1)
        painter.setPen(QPen(colour, 1.6))
        painter.setBrush(QColor(46, 46, 46, 220))
        painter.drawEllipse(place, 5 if end else 2.5, 5 if end else 2.5)


def draw_stick(painter: QPainter, desk: PhotoDesk, stick: ShadowStick) -> None:
    """Foot, top and the shadow's tip; the wall's line and the soft edge where they are marked."""
    foot, top, tip = (QPointF(*p) for p in desk.to_screen([stick.foot, stick.top, stick.tip]))
    draw_stick_points(painter, [foot, top, tip])
    colour = QColor(theme.current().caution)
    for pair in (stick.wall, stick.penumbra):
        if pair is not None:
            one, other = (QPointF(*p) for p in desk.to_screen(pair))
            painter.setPen(QPen(colour, 1.2, Qt.PenStyle.DotLine))
            painter.drawLine(one, other)
            painter.setBrush(colour)
            for p in (one, other):
                painter.drawEllipse(p, 2.5, 2.5)


def draw_stick_points(painter: QPainter, points: list[QPointF]) -> None:
    """Up to three points of a stick: it stands on a full line, its shadow is dotted."""
    colour = QColor(theme.current().caution)
    for shadow, pen in ((True, QPen(QColor(0, 0, 0, 130), 4)), (False, QPen(colour, 1.8))):
        painter.setPen(pen)
        if len(points) > 1:
            painter.drawLine(points[0], points[1])
        if len(points) > 2:
            if not shadow:
                painter.setPen(QPen(colour, 1.8, Qt.PenStyle.DashLine))
            painter.drawLine(points[0], points[2])
    painter.setPen(QPen(QColor(0, 0, 0, 150), 1))
    painter.setBrush(colour)
    for p in points:
        painter.drawEllipse(p, 4, 4)


def draw_box(painter: QPainter, desk: PhotoDesk, box: tuple[float, float, float, float]) -> None:
    """The grey patch."""
    (x0, y0), (x1, y1) = desk.to_screen([box[:2], box[2:]])
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for pen in (QPen(QColor(0, 0, 0, 150), 3), QPen(QColor("#f4f4f4"), 1.4)):
        painter.setPen(pen)
        painter.drawRect(QRectF(QPointF(x0, y0), QPointF(x1, y1)).normalized())


def draw_outline(painter: QPainter, desk: PhotoDesk, points: Any, closed: bool) -> None:
    """What stands before the product."""
    if not len(points):
        return
    shape = QPolygonF([QPointF(x, y) for x, y in desk.to_screen(points)])
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for pen in (QPen(QColor(0, 0, 0, 130), 3), QPen(QColor("#f4f4f4"), 1.3, Qt.PenStyle.DashLine)):
        painter.setPen(pen)
        (painter.drawPolygon if closed else painter.drawPolyline)(shape)


def draw_loupe(painter: QPainter, desk: PhotoDesk, at: QPointF, pixel: tuple[float, float]) -> None:
    """The photograph about a pixel, several times as large, beside the cursor."""
    codes, photo = desk.codes(), desk.photo
    if codes is None or photo is None:
        return
    h, w = codes.shape[:2]
    cx, cy = pixel[0] * w / photo.width, pixel[1] * h / photo.height
    half = LOUPE / ZOOM
    x0, y0 = math.floor(cx - half) - 1, math.floor(cy - half) - 1
    n = 2 * math.ceil(half) + 3
    columns, rows = np.clip(np.arange(x0, x0 + n), 0, w - 1), np.clip(np.arange(y0, y0 + n), 0, h - 1)
    cut = codes[rows][:, columns]
    cut = np.ascontiguousarray(cut if cut.dtype == np.uint8 else np.rint(cut * 255).astype(np.uint8))
    image = QImage(cut.data, n, n, 3 * n, QImage.Format.Format_RGB888)
    middle = QPointF(at.x() + 84, at.y() - 84)
    if middle.x() + LOUPE > desk.picture.width():
        middle.setX(at.x() - 84)
    if middle.y() - LOUPE < 0:
        middle.setY(at.y() + 84)
    painter.save()
    path = QPainterPath()
    path.addEllipse(middle, LOUPE, LOUPE)
    painter.setClipPath(path)
    painter.fillPath(path, QColor(theme.current().window))
    painter.drawImage(QRectF(middle.x() + (x0 - cx) * ZOOM, middle.y() + (y0 - cy) * ZOOM, n * ZOOM, n * ZOOM), image)
    painter.setPen(QPen(QColor(255, 255, 255, 170), 1))
    painter.drawLine(QPointF(middle.x() - 12, middle.y()), QPointF(middle.x() + 12, middle.y()))
    painter.drawLine(QPointF(middle.x(), middle.y() - 12), QPointF(middle.x(), middle.y() + 12))
    painter.restore()
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(QColor(theme.current().line), 2))
    painter.drawEllipse(middle, LOUPE, LOUPE)


def _text(painter: QPainter, at: QPointF, words: str, colour: QColor) -> None:
    width = painter.fontMetrics().horizontalAdvance(words)
    place = QPointF(at.x() - width / 2, at.y() + 4)
    path = QPainterPath()
    path.addText(place, painter.font(), words)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.strokePath(path, QPen(QColor(0, 0, 0, 170), 3))
    painter.fillPath(path, colour)
