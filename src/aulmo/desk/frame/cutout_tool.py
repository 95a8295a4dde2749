"""The tool that outlines what stands before the product."""


from msgspec.structs import replace
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QKeyEvent, QPainter

from aulmo.desk.frame.photo_desk import PhotoDesk
from aulmo.desk.frame.photo_marks import draw_outline
from aulmo.desk.frame.photo_tool import PhotoTool
from aulmo.document import edits
from aulmo.document.records import Cutout, Pair


class CutoutTool(PhotoTool):
    """Click round something that stands before the product; back at the start, or Return, closes it."""

    name = "cut out"
    hint = "Click round what stands before the product · click the start or press Return to close · Backspace takes one back · Esc: done"

    def __init__(self, desk: PhotoDesk) -> None:
        super().__init__(desk)
        self._points: list[Pair] = []

    def put_away(self) -> None:
        """Let go."""
        super().put_away()
        self._points = []

    def press(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """The next corner."""
        if not self.ready():
            return
        if len(self._points) >= 3 and self.desk.nearest(at, {0: self._points[0]}) is not None:
            self._close()
            return
        self._points.append(self.desk.to_photo(at))
        self.picture.update()

    def _close(self) -> None:
        if len(self._points) < 3:
            self.session.hint.emit("An outline needs at least three corners")
            return
        points, self._points = tuple(self._points), []
        photo = self.desk.photo
        name = edits.free_name("In front", (c.name for c in photo.cutouts)) if photo is not None else "In front"
        self.desk.mark("Cut out what stands in front", lambda p: replace(p, cutouts=(*p.cutouts, Cutout(edits.new_id(), name, points))))
        self.session.set_tool("")

    def key(self, event: QKeyEvent) -> bool:
        """Return closes, Backspace takes a corner back."""
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._close()
            return True
        if event.key() == Qt.Key.Key_Backspace:
            self.delete()
            return True
        return False

    def delete(self) -> None:
        """The last corner goes."""
        self._points = self._points[:-1]
        self.picture.update()

    def draw(self, painter: QPainter) -> None:
        """The outline so far."""
        if self.desk.photo is None or not self._points:
            return
        points = [*self._points, self.desk.to_photo(self.at)] if self.at is not None else self._points
        draw_outline(painter, self.desk, points, False)
        x, y = self.desk.to_screen(self._points[:1])[0]
        painter.drawEllipse(QPointF(x, y), 5, 5)
