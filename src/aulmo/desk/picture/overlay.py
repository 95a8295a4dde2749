"""What a stage draws over the picture."""

from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QPainter


class Overlay:
    """Marks that a stage draws over the picture. Those that are only seen take `at`, `words` and the pulls from here."""

    def shown(self) -> bool:
        """Whether they are drawn now."""
        return True

    def draw(self, painter: QPainter) -> None:
        """Paint them."""

    def at(self, x: float, y: float) -> str:
        """The address of what is marked under a point, or nothing."""
        return ""

    def words(self, address: str) -> tuple[str, str]:
        """What the cursor says over it."""
        return "", ""

    def press(self, at: QPoint) -> bool:
        """The left button goes down with nothing in the hand. True when something of the overlay is taken: it is pulled until it is let go."""
        return False

    def drag(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """What was taken is pulled."""

    def pixel(self, at: QPoint) -> tuple[int, int, int] | None:
        """What it shows at a point, where it lies over the picture."""
        return None

    def wheel(self, at: QPoint, steps: float) -> bool:
        """The wheel turns by so many notches. True when it was the overlay's."""
        return False

    def slides(self) -> bool:
        """A button that turns or slides the view goes down. True when the overlay is slid instead."""
        return False

    def slide(self, dx: float, dy: float) -> None:
        """The overlay is slid by so many pixels since the last time."""

    def release(self, at: QPoint) -> None:
        """What was taken is let go."""
