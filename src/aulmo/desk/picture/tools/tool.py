"""What a tool under the hand is. The picture navigates, asks the tool in hand, and paints; it never asks which tool that is."""

from typing import Any

from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QKeyEvent, QPainter

from aulmo.desk.shell.session import Session


class Tool:
    """A tool: what it does with presses, moves, keys, what it draws over the picture, its hint, its pointer.

    `hint` may be empty: then the stage's own is shown. `typing` is true while letters belong to the tool and are no shortcuts.
    """

    name = ""
    hint = ""
    pointer = Qt.CursorShape.ArrowCursor
    typing = False

    def __init__(self, picture: Any) -> None:
        self.picture = picture
        self.session: Session = picture.session

    def take(self) -> None:
        """The tool comes into the hand."""

    def put_away(self) -> None:
        """The tool leaves the hand."""

    def press(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """The left button goes down."""

    def drag(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """The cursor moves with the left button down."""

    def release(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """The left button goes up."""

    def hover(self, at: QPoint) -> bool:
        """The cursor moves with no button down. True when the tool says at the cursor what there is to say."""
        return False

    def wheel(self, at: QPoint, steps: float) -> bool:
        """The wheel turns, by so many notches. True when it was the tool's."""
        return False

    def key(self, event: QKeyEvent) -> bool:
        """A key in the picture. True when it was the tool's."""
        return False

    def key_up(self, event: QKeyEvent) -> bool:
        """A key in the picture is let go. True when it was the tool's."""
        return False

    def draw(self, painter: QPainter) -> None:
        """Paint over the picture."""
