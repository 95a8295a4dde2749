"""The sheet of a range: a cell for each combination of choices, with its picture, to be looked at and ticked."""

from typing import Any

from PySide6.QtCore import QPoint, QRect, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QImage, QPainter, QPen
from PySide6.QtWidgets import QAbstractScrollArea

from aulmo.desk.shell import theme
from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.painting import painted
from aulmo.document import variants
from aulmo.document.records import Axis

CELL, GAP, SIDE, TOP = QSize(132, 92), 6, 84, 22  # pixels: a cell, between them, the names of rows, those of columns
MOST_SHOWN = 10_000


class RangeSheet(QAbstractScrollArea):
    """Rows are the choices of one axis, columns the combinations of the others. `wanted` are the cells ticked, as picks by ids."""

    seen = Signal(dict)
    ticked = Signal()
    chosen = Signal(QPoint, dict)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.rows_axis = ""
        self.over: tuple[str, ...] = ()  # the axes that the sheet goes over
        self.wanted: set[tuple[tuple[str, str], ...]] = set()
        self.pictures: dict[tuple, QImage] = {}
        self.current: tuple[int, int] = (0, 0)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Range sheet")
        self.setFrameShape(self.Shape.NoFrame)

    # what it shows

    def axes(self) -> list[Axis]:
        """The axes that the sheet goes over, that of the rows first."""
        held = [a for a in self.session.document.axes if a.choices and a.id in self.over]
        return sorted(held, key=lambda a: a.id != self.rows_axis)

    def rows(self) -> list[dict[str, str]]:
        """What the rows pick."""
        axes = self.axes()
        return [{axes[0].id: c.id} for c in axes[0].choices] if axes else []

    def columns(self) -> list[dict[str, str]]:
        """What the columns pick; one that picks nothing where there is one axis only."""
        found: list[dict[str, str]] = [{}]
        for axis in self.axes()[1:]:
            found = [{**held, axis.id: c.id} for held in found for c in axis.choices]
            if len(found) > MOST_SHOWN:
                return found[:MOST_SHOWN]
        return found

    def cell(self, row: int, column: int) -> dict[str, str]:
        """What a cell picks: its own, and along other axes what is seen."""
        rest = {a: c for a, c in self.session.picks.items() if a not in self.over}
        return {**rest, **self.rows()[row], **self.columns()[column]}

    def refused(self, picks: dict[str, str]) -> bool:
        """Whether a cell is not offered."""
        return variants.is_refused(self.session.document, picks)

    def cells(self) -> list[dict[str, str]]:
        """All cells that are offered."""
        found = [self.cell(r, c) for r in range(len(self.rows())) for c in range(len(self.columns()))]
        return [picks for picks in found if not self.refused(picks)]

    def in_sight(self) -> list[dict[str, str]]:
        """The cells that can be seen now."""
        shown = self.viewport().rect()
        rows, columns = len(self.rows()), len(self.columns())
        return [self.cell(r, c) for r in range(rows) for c in range(columns) if shown.intersects(self.place(r, c))]

    def place(self, row: int, column: int) -> QRect:
        """Where a cell lies in the viewport."""
        x = SIDE + column * (CELL.width() + GAP) - self.horizontalScrollBar().value()
        y = TOP + row * (CELL.height() + GAP) - self.verticalScrollBar().value()
        return QRect(QPoint(x, y), CELL)

    def tick_place(self, row: int, column: int) -> QRect:
        """Where a cell's tick lies."""
        cell = self.place(row, column)
        return QRect(cell.right() - 21, cell.top() + 4, 17, 17)

    def hit(self, at: QPoint) -> tuple[int, int] | None:
        """The cell under a point."""
        if at.x() < SIDE or at.y() < TOP:
            return None
        column = (at.x() - SIDE + self.horizontalScrollBar().value()) // (CELL.width() + GAP)
        row = (at.y() - TOP + self.verticalScrollBar().value()) // (CELL.height() + GAP)
        inside = 0 <= row < len(self.rows()) and 0 <= column < len(self.columns())
        return (row, column) if inside and self.place(row, column).contains(at) else None

    def refresh(self) -> None:
        """The document, the variant, or what is ticked has changed."""
        offered = {key_of(picks) for picks in self.cells()} if self.wanted else set()
        self.wanted &= offered
        self._fit()
        self.viewport().update()

    def _fit(self) -> None:
        view = self.viewport().size()
        wide = SIDE + len(self.columns()) * (CELL.width() + GAP)
        high = TOP + len(self.rows()) * (CELL.height() + GAP)
        for bar, need, room, step in (
            (self.horizontalScrollBar(), wide, view.width(), CELL.width()), (self.verticalScrollBar(), high, view.height(), CELL.height()),
        ):  # fmt: skip
            bar.setRange(0, max(0, need - room))
            bar.setPageStep(room)
            bar.setSingleStep(step // 2)

    def resizeEvent(self, event: Any) -> None:  # noqa: N802
        """Fit the bars."""
        self._fit()

    # the hand

    def mousePressEvent(self, event: Any) -> None:  # noqa: N802
        """Tick, look at a cell, or ask what can be done with it."""
        at = event.position().toPoint()
        hit = self.hit(at)
        if hit is None:
            if event.button() == Qt.MouseButton.LeftButton:
                self._tick_line(at)
            return
        self.current = hit
        picks = self.cell(*hit)
        if event.button() == Qt.MouseButton.RightButton:
            self.chosen.emit(event.globalPosition().toPoint(), picks)
        elif self.tick_place(*hit).adjusted(-4, -4, 4, 4).contains(at) or event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.tick(picks)
        else:
            self.seen.emit(picks)
        self.viewport().update()

    def _tick_line(self, at: QPoint) -> None:
        """All cells of a row or a column by a click on its name."""
        rows, columns = range(len(self.rows())), range(len(self.columns()))
        cells = [self.cell(r, c) for r in rows for c in columns
                 if (at.x() < SIDE and self.place(r, c).top() <= at.y() <= self.place(r, c).bottom() and at.y() >= TOP)
                 or (at.y() < TOP and self.place(r, c).left() <= at.x() <= self.place(r, c).right() and at.x() >= SIDE)]  # fmt: skip
        keys = {key_of(picks) for picks in cells if not self.refused(picks)}
        if keys:
            self.wanted = self.wanted - keys if keys <= self.wanted else self.wanted | keys
            self.ticked.emit()
            self.viewport().update()

    def tick(self, picks: dict[str, str]) -> None:
        """Want a cell, or no longer."""
        if self.refused(picks):
            self.session.hint.emit(f"{variants.told(self.session.document, picks)} is not offered; it cannot be rendered")
            return
        self.wanted ^= {key_of(picks)}
        self.ticked.emit()
        self.viewport().update()

    def keyPressEvent(self, event: Any) -> None:  # noqa: N802
        """Arrows go from cell to cell, Return looks at one, Space ticks it."""
        step = {Qt.Key.Key_Left: (0, -1), Qt.Key.Key_Right: (0, 1), Qt.Key.Key_Up: (-1, 0), Qt.Key.Key_Down: (1, 0)}.get(event.key())
        rows, columns = len(self.rows()), len(self.columns())
        if not rows:
            return
        if step is not None:
            self.current = min(max(self.current[0] + step[0], 0), rows - 1), min(max(self.current[1] + step[1], 0), columns - 1)
        elif event.key() == Qt.Key.Key_Space:
            self.tick(self.cell(*self.current))
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.seen.emit(self.cell(*self.current))
        else:
            super().keyPressEvent(event)
            return
        self.viewport().update()

    def event(self, event: Any) -> bool:
        """Space ticks a cell here and does not play the film."""
        if event.type() == event.Type.ShortcutOverride and event.key() == Qt.Key.Key_Space:
            event.accept()
            return True
        return super().event(event)

    # drawing

    @painted
    def paintEvent(self, painter: QPainter) -> None:  # noqa: N802
        """Draw."""
        t = theme.current()
        painter.fillRect(self.viewport().rect(), QColor(t.panel))
        rows, columns = self.rows(), self.columns()
        document = self.session.document
        if not rows:
            painter.setPen(QColor(t.quiet))
            painter.drawText(self.viewport().rect(), Qt.AlignmentFlag.AlignCenter, "Make an axis with choices: each cell will be one variant")
            return
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        seen = key_of(self.session.picks)
        shown = self.viewport().rect()
        for c in range(len(columns)):
            for r in range(len(rows)):
                place = self.place(r, c)
                if shown.intersects(place):
                    self._cell(painter, place, r, c, seen)
        painter.fillRect(QRect(0, 0, shown.width(), TOP), QColor(t.panel))
        painter.fillRect(QRect(0, 0, SIDE, shown.height()), QColor(t.panel))
        painter.setPen(QColor(t.text))
        for c, picks in enumerate(columns):
            place = self.place(0, c)
            if place.right() > SIDE:
                box = QRect(max(place.left(), SIDE), 2, place.right() - max(place.left(), SIDE), TOP - 4)
                words = painter.fontMetrics().elidedText(variants.told(document, picks) if picks else "", Qt.TextElideMode.ElideRight, box.width())
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)
        for r, picks in enumerate(rows):
            place = self.place(r, 0)
            if place.bottom() > TOP:
                box = QRect(8, max(place.top(), TOP), SIDE - 14, place.bottom() - max(place.top(), TOP))
                words = painter.fontMetrics().elidedText(variants.told(document, picks), Qt.TextElideMode.ElideRight, box.width())
                painter.drawText(box, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, words)
        painter.fillRect(QRect(0, 0, SIDE, TOP), QColor(t.panel))

    def _cell(self, painter: QPainter, place: QRect, row: int, column: int, seen: tuple) -> None:
        t = theme.current()
        picks = self.cell(row, column)
        key = key_of(picks)
        painter.fillRect(place, QColor(t.field))
        picture = self.pictures.get(key)
        if picture is not None:
            f = min(place.width() / picture.width(), place.height() / picture.height())
            size = QSize(round(picture.width() * f), round(picture.height() * f))
            painter.drawImage(QRect(QPoint(place.center().x() - size.width() // 2, place.center().y() - size.height() // 2), size), picture)
        refused = self.refused(picks)
        if refused:
            painter.fillRect(place, QColor(46, 46, 46, 200))
            painter.setPen(QPen(QColor(t.quiet), 1.5))
            painter.drawLine(place.topLeft(), place.bottomRight())
            painter.drawLine(place.topRight(), place.bottomLeft())
        if key == seen:
            painter.setPen(QPen(QColor(t.accent_hover), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(place.adjusted(1, 1, -1, -1))
        if (row, column) == self.current and self.hasFocus():
            painter.setPen(QPen(QColor(t.text), 1, Qt.PenStyle.DotLine))
            painter.drawRect(place.adjusted(3, 3, -4, -4))
        if not refused:
            box = QRectF(self.tick_place(row, column))
            on = key in self.wanted
            painter.setPen(QPen(QColor("#f0f0f0"), 1))
            painter.setBrush(QColor(t.accent) if on else QColor(32, 32, 32, 190))
            painter.drawRoundedRect(box, 3, 3)
            if on:
                painter.drawPixmap(box.topLeft() + QPoint(3, 3), theme.icon("check", "#ffffff").pixmap(11, 11))


def key_of(picks: dict[str, str]) -> tuple[tuple[str, str], ...]:
    """Picks as something to find them by."""
    return tuple(sorted((a, c) for a, c in picks.items() if c))
