"""The flat drawing of a carton: its lines by kind, its panels; lines are chosen by clicks or a box."""

from pathlib import Path
from typing import Any

import numpy as np
from PySide6.QtCore import QPoint, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QBrush, QColor, QPainter, QPainterPath, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from aulmo.desk.picture.overlay import flag
from aulmo.desk.shell import theme
from aulmo.desk.widgets.painting import painted
from aulmo.document.flat import FOLDING, KINDS, Flat

GRASP = 6.0  # pixels
BOX_FROM = 5  # pixels of a drag from which it is a box
MARGIN = 14.0
# our own way of drawing kinds: a pattern in widths of the pen (on, off ...), the width, and whether a second thin line runs inside
PATTERNS: dict[str, tuple[list[float], float]] = {
    "cut": ([], 1.6), "crease": ([1.0, 2.2], 1.8), "half": ([5.0, 3.0], 1.4), "perforation": ([6.0, 2.0, 1.0, 2.0], 1.4), "window": ([], 2.6),
    "left": ([1.0, 5.0], 0.9),
}  # fmt: skip


def colour_of(kind: str) -> QColor:
    """The colour of a kind of line, beside its pattern."""
    t = theme.current()
    return QColor({"cut": t.text, "crease": t.accent_text, "half": t.caution, "perforation": t.fine, "window": t.text, "left": t.quiet}[kind])


def pen_of(kind: str, wide: float = 0.0) -> QPen:
    """The pen of a kind of line."""
    pattern, width = PATTERNS[kind]
    pen = QPen(colour_of(kind), width + wide)
    pen.setCapStyle(Qt.PenCapStyle.FlatCap)
    if pattern:
        pen.setDashPattern(pattern)
    return pen


def draw_line(painter: QPainter, kind: str, path: QPainterPath) -> None:
    """A line of a kind; a window's is hollow."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(pen_of(kind))
    painter.drawPath(path)
    if kind == "window":
        painter.setPen(QPen(QColor(theme.current().panel), 1.0))
        painter.drawPath(path)


class FlatView(QWidget):
    """The drawing, fitted to its room; the wheel goes nearer, the middle button slides it, a double click fits it again."""

    chosen = Signal()  # other lines are chosen
    pointed = Signal(int)  # the panel under the cursor, or -1
    panel_clicked = Signal(int)
    artwork_moved = Signal(float, float)  # by so many mm
    dropped = Signal(list)  # files

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Flat drawing")
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.setMinimumSize(200, 60)
        self.flat: Flat | None = None
        self.names: tuple[str, ...] = ()
        self.front, self.panel, self.hot, self.hot_line = 0, -1, -1, -1
        self.glued: frozenset[int] = frozenset()
        self.lines: set[int] = set()
        self.mark: tuple[float, float] | None = None  # where something odd is
        self.artwork: tuple[Any, tuple[float, float, float, float]] | None = None  # a picture and its box in mm
        self.moving = False  # a pull slides the artwork
        self._by = np.zeros(2)
        self.setAcceptDrops(True)
        self._zoom, self._middle = 1.0, (0.0, 0.0)
        self._press: QPoint | None = None
        self._last: QPoint | None = None
        self._box: QRectF | None = None
        self._shapes: list[np.ndarray] = []
        self._rings: list[list[np.ndarray]] = []

    def sizeHint(self) -> QSize:  # noqa: N802
        """Room for a wide drawing."""
        return QSize(420, 160)

    def show_flat(self, flat: Flat | None, names: tuple[str, ...] = (), front: int = 0, glued: frozenset[int] = frozenset()) -> None:
        """Show a flat, fitted when it is another."""
        self.names, self.front, self.glued = names, front, glued
        if flat is not self.flat:
            self.flat, self.hot, self.hot_line, self.mark = flat, -1, -1, None
            self.lines.clear()
            self._shapes = [np.array(line.points) for line in flat.lines] if flat is not None else []
            self._rings = [[np.array(ring) for ring in panel.rings] for panel in flat.panels] if flat is not None else []
            self.fit()
        self.update()

    def fit(self) -> None:
        """All of it."""
        self._zoom = 1.0
        if self.flat is not None:
            left, bottom, right, top = self.flat.box
            self._middle = ((left + right) / 2, (bottom + top) / 2)
        self.update()

    # places

    def scale(self) -> float:
        """Pixels to a mm."""
        if self.flat is None:
            return 1.0
        left, bottom, right, top = self.flat.box
        room = min((self.width() - 2 * MARGIN) / max(1e-6, right - left), (self.height() - 2 * MARGIN) / max(1e-6, top - bottom))
        return max(1e-6, room) * self._zoom

    def to_screen(self, points: np.ndarray) -> np.ndarray:
        """Points of the drawing in pixels."""
        s = self.scale()
        return (np.asarray(points) - self._middle) * [s, -s] + [self.width() / 2, self.height() / 2]

    def to_flat(self, at: QPointF | QPoint) -> np.ndarray:
        """A point of the widget in the drawing's mm."""
        s = self.scale()
        return np.array([(at.x() - self.width() / 2) / s, -(at.y() - self.height() / 2) / s]) + self._middle

    def line_at(self, at: QPoint) -> int:
        """The number of the line under a point, or -1."""
        place, reach = self.to_flat(at), GRASP / self.scale()
        best, found = reach, -1
        for k, points in enumerate(self._shapes):
            low, high = points.min(0) - reach, points.max(0) + reach
            if (place < low).any() or (place > high).any():
                continue
            a, way = points[:-1], np.diff(points, axis=0)
            share = np.clip(((place - a) * way).sum(1) / np.maximum(1e-12, (way * way).sum(1)), 0, 1)
            off = float(np.hypot(*(place - a - share[:, None] * way).T).min())
            if off < best:
                best, found = off, k
        return found

    def panel_at(self, at: QPoint) -> int:
        """The number of the panel under a point, or -1."""
        place = self.to_flat(at)
        return next((k for k, rings in enumerate(self._rings) if _inside(place, rings[0]) and not any(_inside(place, r) for r in rings[1:])), -1)

    # the hand

    def mousePressEvent(self, event) -> None:  # noqa: N802
        """A click or a box begins, or a slide."""
        self._press = self._last = event.position().toPoint()

    def mouseMoveEvent(self, event) -> None:  # noqa: N802
        """Light what is under the cursor, stretch the box, or slide."""
        at = event.position().toPoint()
        if event.buttons() & (Qt.MouseButton.MiddleButton | Qt.MouseButton.RightButton) and self._last is not None:
            s = self.scale()
            self._middle = (self._middle[0] - (at.x() - self._last.x()) / s, self._middle[1] + (at.y() - self._last.y()) / s)
            self._last = at
        elif event.buttons() & Qt.MouseButton.LeftButton and self.moving and self.artwork is not None and self._press is not None:
            self._by = self.to_flat(at) - self.to_flat(self._press)
        elif event.buttons() & Qt.MouseButton.LeftButton and self._press is not None:
            if self._box is not None or (at - self._press).manhattanLength() > BOX_FROM:
                self._box = QRectF(QPointF(self._press), QPointF(at)).normalized()
        else:
            self.hot_line = self.line_at(at)
            self.point_at(self.panel_at(at) if self.hot_line < 0 else -1)
            self.pointed.emit(self.hot)
        self.update()

    def point_at(self, panel: int) -> None:
        """Light a panel."""
        if panel != self.hot:
            self.hot = panel
            self.update()

    def mouseReleaseEvent(self, event) -> None:  # noqa: N802
        """Choose lines, or a panel."""
        at = event.position().toPoint()
        if event.button() != Qt.MouseButton.LeftButton or self.flat is None:
            return
        if self.moving and self.artwork is not None:
            by, self._by = self._by, np.zeros(2)
            if np.abs(by).max() > 0.01:
                self.artwork_moved.emit(float(by[0]), float(by[1]))
            return
        add = bool(event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier))
        if self._box is not None:
            a, b = self.to_flat(self._box.bottomLeft()), self.to_flat(self._box.topRight())
            inside = {k for k, points in enumerate(self._shapes) if (points >= a).all() and (points <= b).all()}
            self.lines = self.lines | inside if add else inside
            self._box = None
            self.chosen.emit()
        else:
            line = self.line_at(at)
            if line >= 0:
                self.lines = self.lines ^ {line} if add else {line}
                self.chosen.emit()
            else:
                self.lines = set()
                self.chosen.emit()
                self.panel_clicked.emit(self.panel_at(at))
        self._press = None
        self.update()

    def mouseDoubleClickEvent(self, event) -> None:  # noqa: N802
        """Fit it again, beside all panels."""
        if self.panel_at(event.position().toPoint()) < 0:
            self.fit()

    def wheelEvent(self, event) -> None:  # noqa: N802
        """Nearer to what is under the cursor."""
        before = self.to_flat(event.position())
        self._zoom = float(np.clip(self._zoom * 1.2 ** (event.angleDelta().y() / 120.0), 0.5, 200.0))
        after = self.to_flat(event.position())
        self._middle = (self._middle[0] + before[0] - after[0], self._middle[1] + before[1] - after[1])
        self.update()
        event.accept()

    def dragEnterEvent(self, event) -> None:  # noqa: N802
        """Files may be dropped."""
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event) -> None:  # noqa: N802
        """They are."""
        self.dropped.emit([Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()])
        event.acceptProposedAction()

    def leaveEvent(self, _: Any) -> None:  # noqa: N802
        """Nothing is pointed at."""
        self.hot = self.hot_line = -1
        self.pointed.emit(-1)
        self.update()

    # painting

    def _path(self, points: np.ndarray, closed: bool = False) -> QPainterPath:
        path = QPainterPath()
        path.addPolygon(QPolygonF([QPointF(x, y) for x, y in self.to_screen(points)]))
        if closed:
            path.closeSubpath()
        return path

    @painted
    def paintEvent(self, painter: QPainter) -> None:  # noqa: N802
        """Panels, lines, what is chosen, what is odd."""
        flat, t = self.flat, theme.current()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setClipRect(self.rect())
        if flat is None:
            return
        if self.artwork is not None:
            image, (left, bottom, right, top) = self.artwork
            a, b = self.to_screen(np.array([[left, top], [right, bottom]]) + self._by)
            painter.setOpacity(0.85)
            painter.drawImage(QRectF(QPointF(*a), QPointF(*b)), image)
            painter.setOpacity(1.0)
        self._panels(painter)
        for k, line in enumerate(flat.lines):
            path = self._path(self._shapes[k])
            if k in self.lines or k == self.hot_line:
                painter.setBrush(Qt.BrushStyle.NoBrush)
                glow = QColor(t.accent)
                glow.setAlpha(255 if k in self.lines else 130)
                painter.setPen(QPen(glow, 6.0, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
                painter.drawPath(path)
            draw_line(painter, line.kind, path)
            if line.unsure:
                x, y = self.to_screen(self._shapes[k]).mean(0)
                painter.setPen(QColor(t.caution))
                painter.drawText(QRectF(x - 8, y - 9, 16, 18), Qt.AlignmentFlag.AlignCenter, "?")
        for crease in flat.creases:
            if crease.loose:
                painter.setPen(QPen(QColor(t.caution), 3.0))
                for piece in crease.pieces:
                    painter.drawPath(self._path(np.array(piece)))
        if self.mark is not None:
            x, y = self.to_screen(np.array([self.mark]))[0]
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor(t.caution), 2))
            painter.drawEllipse(QPointF(x, y), 10, 10)
        if self._box is not None:
            painter.setPen(QPen(QColor(t.accent_text), 1, Qt.PenStyle.DashLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(self._box)
        self._words(painter, flat)

    def _panels(self, painter: QPainter) -> None:
        t = theme.current()
        for k, rings in enumerate(self._rings):
            path = self._path(rings[0], True)
            for ring in rings[1:]:
                path.addPath(self._path(ring, True))
            path.setFillRule(Qt.FillRule.OddEvenFill)
            painter.setPen(Qt.PenStyle.NoPen)
            ground = QColor(t.raised)
            ground.setAlpha(70)
            if k in (self.panel, self.hot):
                ground = QColor(t.accent)
                ground.setAlpha(120 if k == self.panel else 75)
            painter.setBrush(ground)
            painter.drawPath(path)
            if k in self.glued:
                painter.setBrush(QBrush(QColor(t.quiet), Qt.BrushStyle.BDiagPattern))
                painter.drawPath(path)
            box = path.boundingRect()
            word = self.names[k] if k < len(self.names) else ""
            words = painter.fontMetrics().elidedText(word, Qt.TextElideMode.ElideMiddle, int(box.width()) - 6)
            fits = painter.fontMetrics().horizontalAdvance(word) < box.width() - 8
            if box.width() > 44 and box.height() > 16 and (fits or k in (self.front, self.panel, self.hot)):
                painter.setPen(QColor(t.accent_text if k == self.front else t.quiet))
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)

    def _words(self, painter: QPainter, flat: Flat) -> None:
        if self.hot_line < 0 or self._box is not None or self.hot_line >= len(flat.lines):
            return
        line = flat.lines[self.hot_line]
        points = self._shapes[self.hot_line]
        length = float(np.hypot(*np.diff(points, axis=0).T).sum())
        said = " · ".join(w for w in (line.layer, line.name, line.colour, line.dashes and f"{line.dashes}ed") if w)
        x, y = self.to_screen(points).mean(0)
        words = f"{KINDS[line.kind]}{' (unsure)' if line.unsure else ''} · {length:.1f} mm"
        crease = self.crease_of(self.hot_line)
        at = QPointF(min(max(4.0, x + 12), max(4.0, self.width() - 230)), max(4.0, min(y - 34, self.height() - 46)))
        flag(painter, at, words, 226, crease or said)

    def crease_of(self, line: int) -> str:
        """The id of the crease that a line is a piece of, or nothing."""
        flat = self.flat
        if flat is None or flat.lines[line].kind not in FOLDING:
            return ""
        pair = set(flat.lines[line].panels)
        return next((c.id for c in flat.creases if set(c.panels) == pair), "")


def _inside(place: np.ndarray, ring: np.ndarray) -> bool:
    a, b = ring, np.roll(ring, -1, 0)
    above = (a[:, 1] > place[1]) != (b[:, 1] > place[1])
    with np.errstate(divide="ignore", invalid="ignore"):
        x = a[:, 0] + (place[1] - a[:, 1]) * (b[:, 0] - a[:, 0]) / (b[:, 1] - a[:, 1])
    return bool(np.count_nonzero(above & (place[0] < x)) % 2)
