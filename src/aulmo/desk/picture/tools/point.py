"""A tool that takes one point of a thing: it shows what the point would be caught by before it is clicked."""

from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QPainter

from aulmo.desk.picture.snap import Caught, caught, mark
from aulmo.desk.picture.tools.tool import Tool


class PointTool(Tool):
    """Subclasses say what happens with the point in `take_point`, and what the cursor says in `words`."""

    pointer = Qt.CursorShape.CrossCursor

    def __init__(self, picture) -> None:
        super().__init__(picture)
        self.over: Caught | None = None

    def put_away(self) -> None:
        """Nothing under the hand any more."""
        self.over = None

    def find(self, at: QPoint, plain: bool = False) -> Caught | None:
        """What lies under the cursor; with Alt (`plain`) the very point, caught by nothing."""
        return caught(self.picture, at, plain=plain)

    def words(self, found: Caught) -> tuple[str, str]:
        """What the cursor says over something."""
        return found.words, ""

    def take_point(self, found: Caught | None, modifiers: Qt.KeyboardModifier) -> None:
        """Do it with what was clicked, or with None beside everything."""

    def press(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Take it."""
        self.take_point(self.find(at, bool(modifiers & Qt.KeyboardModifier.AltModifier)), modifiers)

    def hover(self, at: QPoint) -> bool:
        """Say what it would be."""
        self.over = self.find(at)
        if self.over is None:
            self.picture.hush()
        else:
            self.picture.say_at(at, *self.words(self.over))
        self.picture.update()
        return True

    def draw(self, painter: QPainter) -> None:
        """What it would be put on."""
        if self.over is not None:
            mark(painter, self.picture.place_on_screen(self.over.point), self.over.words)
