"""The tool that fits a box to something in the photograph, to catch shadow and mirror."""

import math

from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from aulmo.desk.frame.photo_desk import PhotoDesk
from aulmo.desk.frame.photo_tool import PhotoTool
from aulmo.document.records import Pair
from aulmo.frame import catchers


class BoxTool(PhotoTool):
    """A box that stands in for a thing of the photograph: drag its foot across the floor, then click its height."""

    name = "shadow box"
    hint = "Drag from corner to corner of its foot on the floor, then click its height above the second corner · Esc gives up"

    def __init__(self, desk: PhotoDesk) -> None:
        super().__init__(desk)
        self._corner: Pair | None = None
        self._opposite: Pair | None = None
        self._dragging = False

    def put_away(self) -> None:
        """Let go."""
        super().put_away()
        self._corner = self._opposite = None

    def press(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """A corner of the foot, or the height."""
        if not self.ready():
            return
        pixel = self.desk.to_photo(at)
        if self._corner is not None and self._opposite is not None:
            corner, opposite = self._corner, self._opposite
            self._corner = self._opposite = None
            camera, size = self.desk.camera(), self.desk.size()
            if self.desk.edit("Box of the photograph", lambda d, s: catchers.box(d, camera, size, corner, opposite, pixel)[0]):
                self.session.set_tool("")
            return
        self._corner, self._dragging = pixel, True

    def drag(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Draw the foot."""
        self.at = at
        self.picture.update()

    def release(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """The foot stands."""
        if self._dragging and self._corner is not None:
            pixel = self.desk.to_photo(at)
            self._dragging = False
            if math.dist(pixel, self._corner) < 3:
                self._corner = None
            else:
                self._opposite = pixel

    def draw(self, painter: QPainter) -> None:
        """Foot and height as they are drawn."""
        if self.desk.photo is None or self._corner is None or self.at is None:
            return
        painter.setPen(QPen(QColor("#f4f4f4"), 1.4, Qt.PenStyle.DashLine))
        one = QPointF(*self.desk.to_screen([self._corner])[0])
        other = QPointF(*self.desk.to_screen([self._opposite])[0]) if self._opposite is not None else QPointF(self.at)
        painter.drawLine(one, other)
        if self._opposite is not None:
            painter.drawLine(other, QPointF(other.x(), self.at.y()))
