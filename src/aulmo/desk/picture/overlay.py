"""What a stage draws over the picture."""

from PySide6.QtCore import QPoint, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter


def flag(painter: QPainter, at: QPointF, text: str, most: float, second: str = "", right: bool = False) -> None:
    """Words on a dark ground, no wider than `most`, a `second` line below them; `at` is the upper left corner, or the upper `right` one."""
    metrics = painter.fontMetrics()
    lines = [metrics.elidedText(line, Qt.TextElideMode.ElideMiddle, max(30, int(most) - 20)) for line in (text, second) if line]
    width = max(metrics.horizontalAdvance(line) for line in lines) + 18
    box = QRectF(at.x() - (width if right else 0), at.y(), width, 22 + 18 * (len(lines) - 1))
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(32, 32, 32, 225))
    painter.drawRoundedRect(box, 3, 3)
    for number, line in enumerate(lines):
        painter.setPen(QColor("#b4b4b4" if number else "#f0f0f0"))
        painter.drawText(QRectF(box.left() + 9, box.top() + 18 * number, width - 9, 22), Qt.AlignmentFlag.AlignVCenter, line)


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
