"""Lines over the frame that help the eye: thirds, golden section, diagonals, centre; and how near the edges what matters may come."""

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

GOLDEN = 2 / (1 + 5**0.5)


def paint_guides(painter: QPainter, frame: QRectF, guides: str, safe: bool) -> None:
    """Draw them over a frame."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(QColor(255, 255, 255, 90), 1))
    for share in {"thirds": (1 / 3, 2 / 3), "golden": (1 - GOLDEN, GOLDEN), "centre": (0.5,)}.get(guides, ()):
        x, y = frame.left() + share * frame.width(), frame.top() + share * frame.height()
        painter.drawLine(QPointF(x, frame.top()), QPointF(x, frame.bottom()))
        painter.drawLine(QPointF(frame.left(), y), QPointF(frame.right(), y))
    if guides == "diagonal":
        _diagonals(painter, frame)
    if guides == "centre":
        painter.drawEllipse(frame.center(), 0.1 * frame.height(), 0.1 * frame.height())
    if safe:
        for share, style in ((0.05, Qt.PenStyle.SolidLine), (0.1, Qt.PenStyle.DashLine)):
            painter.setPen(QPen(QColor(255, 255, 255, 120), 1, style))
            dx, dy = share * frame.width(), share * frame.height()
            painter.drawRect(frame.adjusted(dx, dy, -dx, -dy))


def _diagonals(painter: QPainter, frame: QRectF) -> None:
    """Both diagonals, and from the other corners the lines that meet them square: where those cross, the eye rests."""
    w, h = frame.width(), frame.height()
    corners = [frame.topLeft(), frame.bottomRight(), frame.topRight(), frame.bottomLeft()]
    for start, end, others in ((corners[0], corners[1], corners[2:]), (corners[2], corners[3], corners[:2])):
        painter.drawLine(start, end)
        way = end - start
        for corner in others:
            t = ((corner.x() - start.x()) * way.x() + (corner.y() - start.y()) * way.y()) / (w * w + h * h)
            painter.drawLine(corner, start + way * t)
