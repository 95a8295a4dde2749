"""Putting the pivot of a part where one clicks."""

from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QPainter

from aulmo.desk.picture.snap import Caught, caught, mark
from aulmo.desk.picture.tools.tool import Tool
from aulmo.prepare import aligning


class PivotTool(Tool):
    """A click on a corner, an edge, a face or a rim; a rim gives its middle."""

    name = "pivot"
    hint = "Click the point that it turns and scales about; a rim gives its middle · Esc gives up"
    pointer = Qt.CursorShape.CrossCursor

    def __init__(self, picture) -> None:
        super().__init__(picture)
        self._over: Caught | None = None

    def put_away(self) -> None:
        """Nothing under the hand any more."""
        self._over = None

    def press(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Put it there."""
        session = self.session
        found = caught(self.picture, at, plain=bool(modifiers & Qt.KeyboardModifier.AltModifier))
        if found is None or len(session.selection) != 1:
            session.hint.emit("Choose one part, then click a point on anything")
            return
        part_id = session.selection[0]
        session.apply(f"Pivot of {session.selected_name()}", aligning.set_pivot(session.document, part_id, found.point))
        session.set_tool("handles")

    def hover(self, at: QPoint) -> bool:
        """Say what it would be put on."""
        self._over = caught(self.picture, at)
        if self._over is None:
            self.picture.hush()
        else:
            self.picture.say_at(at, "Pivot here", self._over.words)
        self.picture.update()
        return True

    def draw(self, painter: QPainter) -> None:
        """What it would be put on."""
        if self._over is not None:
            mark(painter, self.picture.place_on_screen(self._over.point), self._over.words)
