"""The sheet of a range: a cell for each combination of choices, with its picture, to be looked at and ticked."""

from typing import Any

from PySide6.QtCore import QPoint, QRect, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QImage, QPainter, QPen
from PySide6.QtWidgets import QAbstractScrollArea

from aulmo.desk.shell import theme
from aulmo.desk.shell.session import Session
from aulmo.document import variants
from aulmo.document.records import Axis

TALL, WIDEST, GAP, SIDE, TOP = 92, 164, 6, 84, 22  # pixels: a cell's height and most width, between them, the names of rows, those of columns
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

    @property
    def size_of_cell(self) -> QSize:
        """A cell in the shape of the shot, with room for the name of its column."""
        shot = self.session.shot
        ratio = shot.width / shot.height if shot is not None else 4 / 3
        return QSize(max(86, min(WIDEST, round(TALL * ratio))), TALL)

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
        rest = {a: c for a, c in self.session.picks.items() if a not in self.over}
        columns = self.columns()
        found = [{**rest, **row, **column} for row in self.rows() for column in columns]
        return [picks for picks in found if not self.refused(picks)] if self.session.document.refused else found

    def in_sight(self) -> list[dict[str, str]]:
        """The cells that can be seen now."""
        rows, columns, shown = self.rows(), self.columns(), self._span()
        rest = {a: c for a, c in self.session.picks.items() if a not in self.over}
        return [{**rest, **rows[r], **columns[c]} for r in shown[0] if r < len(rows) for c in shown[1] if c < len(columns)]

    def _span(self) -> tuple[range, range]:
        """The rows and columns that can be seen now."""
        cell, view = self.size_of_cell, self.viewport().size()
        across, down = self.horizontalScrollBar().value(), self.verticalScrollBar().value()
        wide, high = cell.width() + GAP, cell.height() + GAP
        return range(down // high, (down + view.height()) // high + 1), range(across // wide, (across + view.width()) // wide + 1)

    def place(self, row: int, column: int) -> QRect:
        """Where a cell lies in the viewport."""
        cell = self.size_of_cell
        x = SIDE + column * (cell.width() + GAP) - self.horizontalScrollBar().value()
        y = TOP + row * (cell.height() + GAP) - self.verticalScrollBar().value()
        return QRect(QPoint(x, y), cell)

    def tick_place(self, row: int, column: int) -> QRect:
        """Where a cell's tick lies."""
        cell = self.place(row, column)
        return QRect(cell.right() - 21, cell.top() + 4, 17, 17)

    def hit(self, at: QPoint) -> tuple[int, int] | None:
        """The cell under a point."""
        if at.x() < SIDE or at.y() < TOP:
            return None
        cell = self.size_of_cell
        column = (at.x() - SIDE + self.horizontalScrollBar().value()) // (cell.width() + GAP)
        row = (at.y() - TOP + self.verticalScrollBar().value()) // (cell.height() + GAP)
        inside = 0 <= row < len(self.rows()) and 0 <= column < len(self.columns())
        return (row, column) if inside and self.place(row, column).contains(at) else None

    def refresh(self) -> None:
        """The document, the variant, or what is ticked has changed."""
        offered = {key_of(picks) for picks in self.cells()} if self.wanted else set()
        self.wanted &= offered
        self._fit()
        self.viewport().update()

    def _fit(self) -> None:
        view, cell = self.viewport().size(), self.size_of_cell
        wide = SIDE + len(self.columns()) * (cell.width() + GAP)
        high = TOP + len(self.rows()) * (cell.height() + GAP)
        for bar, need, room, step in (
            (self.horizontalScrollBar(), wide, view.width(), cell.width()), (self.verticalScrollBar(), high, view.height(), cell.height()),
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

    def paintEvent(self, event: Any) -> None:  # noqa: N802
        """Draw."""
        with QPainter(self.viewport()) as painter:
            self._paint(painter)

    def _paint(self, painter: QPainter) -> None:
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
        span = self._span()
        rest = {a: c for a, c in self.session.picks.items() if a not in self.over}
        for r in (r for r in span[0] if r < len(rows)):
            for c in (c for c in span[1] if c < len(columns)):
                self._cell(painter, self.place(r, c), (r, c), {**rest, **rows[r], **columns[c]}, seen)
        painter.fillRect(QRect(0, 0, shown.width(), TOP), QColor(t.panel))
        painter.fillRect(QRect(0, 0, SIDE, shown.height()), QColor(t.panel))
        painter.setPen(QColor(t.text))
        for c in (c for c in span[1] if c < len(columns)):
            place, picks = self.place(0, c), columns[c]
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

    def _cell(self, painter: QPainter, place: QRect, at: tuple[int, int], picks: dict[str, str], seen: tuple) -> None:
        t = theme.current()
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
        if at == self.current and self.hasFocus():
            painter.setPen(QPen(QColor(t.text), 1, Qt.PenStyle.DotLine))
            painter.drawRect(place.adjusted(3, 3, -4, -4))
        if not refused:
            box = QRectF(self.tick_place(*at))
            on = key in self.wanted
            painter.setPen(QPen(QColor("#f0f0f0"), 1))
            painter.setBrush(QColor(t.accent) if on else QColor(32, 32, 32, 190))
            painter.drawRoundedRect(box, 3, 3)
            if on:
                painter.drawPixmap(QPoint(round(box.left()) + 3, round(box.top()) + 3), theme.icon("check", "#ffffff").pixmap(11, 11))


def key_of(picks: dict[str, str]) -> tuple[tuple[str, str], ...]:
    """Picks as something to find them by."""
    return tuple(sorted((a, c) for a, c in picks.items() if c))
