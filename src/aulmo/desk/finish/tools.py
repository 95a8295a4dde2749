"""Clicks and strokes on the finished picture: a polygon, a brush, something grey, something black, two places to be held against each other."""

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QColor, QKeyEvent, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QApplication

from aulmo.desk.finish.finish_desk import FinishDesk
from aulmo.desk.finish.marks import BLACK, WHITE, FinishMarks
from aulmo.desk.picture.tools.tool import Tool
from aulmo.desk.shell import theme
from aulmo.document.finish_records import Mask, Stroke
from aulmo.document.quantity import show
from aulmo.finish.grading import lifted, stops_of
from aulmo.finish.masking import moved
from aulmo.finish.measuring import about, apart
from aulmo.finish.suggesting import Pair
from aulmo.frame.exposure import gains_of, white_of
from aulmo.surface.colour import LUMINANCE
from aulmo.trace.plate import light_of

DEEPEST = -8.0  # stops over middle grey that black is brought to


class FinishTool(Tool):
    """A tool of this stage: it works on the finished picture alone."""

    pointer = Qt.CursorShape.CrossCursor

    def __init__(self, desk: FinishDesk, marks: FinishMarks) -> None:
        super().__init__(desk.picture)
        self.desk, self.marks = desk, marks

    def put_away(self) -> None:
        """What it said goes as well."""
        self.picture.hush()

    def wheel(self, at: QPoint, steps: float) -> bool:
        """Nearer, as with nothing in the hand."""
        return self.marks.shown() and self.marks.wheel(at, steps)

    def light_at(self, at: QPoint) -> np.ndarray | None:
        """(3,) light that is shown about a point of the picture; None where that tells no colour."""
        value = self.marks.value_at(at)
        if value is None or float(value.mean()) < 0.02 or float(value.max()) > 0.985:
            return None
        shot = self.session.shot
        view = self.desk.finish.view or (shot.view if shot is not None else "Product neutral")
        light = light_of(value.astype(np.float32)[None, None], view)[0, 0].astype(float)
        return light if float(LUMINANCE @ light) > 1e-4 else None


class GreyTool(FinishTool):
    """One click on something grey: the grade in hand makes it neutral."""

    name = "finish_grey"
    hint = "Click something that should be grey · Esc gives up"

    def press(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """White and tint of the grade by what is shown there."""
        light = self.light_at(at)
        if light is None:
            self.session.hint.emit("It is too dark there, or burnt out; click something grey that is lit")
            return
        layer = self.desk.grade_in_hand()
        before = gains_of(layer.grade.kelvin, layer.grade.tint) if (layer.grade.kelvin, layer.grade.tint) != (6500.0, 0.0) else np.ones(3)
        kelvin, tint = white_of(light / before)
        self.desk.set_grade("White taken from the picture", kelvin=float(np.clip(round(kelvin), 1000, 40000)), tint=round(float(tint), 1))
        self.session.set_tool("")


class BlackTool(FinishTool):
    """One click on something that should be black: the grade in hand brings it there."""

    name = "finish_black"
    hint = "Click something that should be black · Esc gives up"

    def press(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Blacks of the grade, so that what is shown there comes down to black."""
        value = self.marks.value_at(at)
        seen = self.desk.seen
        if value is None or seen is None or self.marks.over_reference(at):
            return
        x, y = self.marks.share_at(at)
        light = about(seen.light, x, y, 2)
        stops = stops_of(np.array([LUMINANCE @ light]))
        weight = float(lifted(stops, 0.0, 0.0, 0.0, 1.0)[0])
        if weight < 0.1:
            self.session.hint.emit("That is too light to become black; click something darker")
            return
        layer = self.desk.grade_in_hand()
        blacks = layer.grade.blacks + (DEEPEST - float(stops[0])) / weight
        self.desk.set_grade("Black taken from the picture", blacks=round(max(-1.0, min(1.0, blacks)), 3))
        self.session.set_tool("")


class PairTool(FinishTool):
    """Click here and there: how far both are apart. A place of the reference is what the first should look like."""

    name = "finish_pair"
    hint = "Click a place, then one in the reference or elsewhere · Backspace takes the last pair away · Esc puts it down"

    def press(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """The first, or the second."""
        marks = self.marks
        there = marks.over_reference(at)
        x, y = marks.share_at(at, there)
        value = marks.value_of(there, x, y)
        if value is None:
            return
        if marks.open_pair is None:
            marks.open_pair = (there, x, y)
            self.picture.update()
            return
        first = marks.open_pair
        marks.open_pair = None
        other = marks.value_of(*first)
        if other is None:
            return
        found = apart(other, value)
        told = f"{found.stops:+.2f} stops · colour {found.chroma:+.1f} · hue {show(found.hue, '°', 0)} · {found.distance:.1f} apart"
        self.picture.say_at(at, "The second against the first", told)
        self.session.hint.emit(told)
        if first[0] != there:
            here, across = ((first[1], first[2]), (x, y)) if there else ((x, y), (first[1], first[2]))
            marks.pairs.append(Pair(here, across))
        self.desk.changed.emit()
        self.picture.update()

    def put_away(self) -> None:
        """A pair that was begun is forgotten; those that are whole stay."""
        super().put_away()
        self.marks.open_pair = None

    def key(self, event: QKeyEvent) -> bool:
        """Backspace: the last pair goes."""
        if event.key() == Qt.Key.Key_Backspace and self.marks.pairs:
            self.marks.pairs.pop()
            self.desk.changed.emit()
            self.picture.update()
            return True
        return False


class PolygonTool(FinishTool):
    """Click corner after corner; the first again, Return or a double click closes."""

    name = "finish_polygon"
    hint = "Click corner after corner · the first again or Return closes · Backspace takes one back · Esc gives up"

    def __init__(self, desk: FinishDesk, marks: FinishMarks) -> None:
        super().__init__(desk, marks)
        self.points: list[tuple[float, float]] = []
        self._at = QPointF()

    def take(self) -> None:
        """None yet."""
        self.points = []

    def press(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """A corner."""
        if self.points and (self.marks.point_of(*self.points[0]) - QPointF(at)).manhattanLength() < 10 and len(self.points) > 2:
            self._close()
            return
        if self.points and (self.marks.point_of(*self.points[-1]) - QPointF(at)).manhattanLength() < 3:
            self._close()
            return
        self.points.append(self.marks.share_at(at))
        self.picture.update()

    def hover(self, at: QPoint) -> bool:
        """The next edge follows the cursor."""
        self._at = QPointF(at)
        self.picture.update()
        return True

    def key(self, event: QKeyEvent) -> bool:
        """Return closes, Backspace takes the last corner back."""
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._close()
            return True
        if event.key() == Qt.Key.Key_Backspace and self.points:
            self.points.pop()
            self.picture.update()
            return True
        return False

    def _close(self) -> None:
        if len(self.points) < 3:
            self.session.hint.emit("A polygon wants three corners at least")
            return
        points = tuple(self.points)
        self.session.set_tool("")
        self.desk.add_mask("polygon", points=points)

    def draw(self, painter: QPainter) -> None:
        """What there is of it."""
        corners = [self.marks.point_of(*p) for p in self.points]
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for pen in (QPen(BLACK, 3), QPen(QColor(theme.current().accent_hover), 1.6)):
            painter.setPen(pen)
            painter.drawPolyline(QPolygonF([*corners, self._at] if corners else []))
        for corner in corners:
            painter.drawEllipse(corner, 4, 4)


class BrushTool(FinishTool):
    """Paints the mask in hand, or a new one; Alt wipes out, the wheel changes its size."""

    name = "finish_brush"
    hint = "Drag to paint the mask · Alt wipes out · wheel changes the size · Shift+wheel goes nearer · Esc puts it down"

    def __init__(self, desk: FinishDesk, marks: FinishMarks) -> None:
        super().__init__(desk, marks)
        self.size, self.flow, self.soft, self.edges = 60.0, 1.0, 0.5, 0.0
        self.points: list[tuple[float, float]] = []
        self._wipes = False
        self._at = QPointF(-100, -100)

    def take(self) -> None:
        """The mask is seen while it is painted."""
        self.desk.overlay = True
        self.desk.changed.emit()

    def put_away(self) -> None:
        """The circle goes."""
        super().put_away()
        self.points = []

    def _mask(self) -> Mask | None:
        mask = self.desk.mask
        return mask if mask is not None and mask.kind == "brush" else self.desk.add_mask("brush")

    def press(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """A stroke begins."""
        self._wipes = bool(modifiers & Qt.KeyboardModifier.AltModifier)
        self.points = [self.marks.share_at(at)]
        self._at = QPointF(at)
        self.picture.update()

    def drag(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """It goes on."""
        self._at = QPointF(at)
        if self.points and (self.marks.point_of(*self.points[-1]) - QPointF(at)).manhattanLength() > 3:
            self.points.append(self.marks.share_at(at))
        self.picture.update()

    def release(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """It is laid down, as one step."""
        points, self.points = tuple(self.points), []
        mask = self._mask()
        if mask is None or not points:
            return
        x, y = self.marks.origin(mask)
        stroke = Stroke(points, self.size, self.flow, self.soft, self.edges, self._wipes)
        if mask.follows:
            stroke = moved(replace(mask, strokes=(stroke,)), -x, -y).strokes[0]
        self.desk.put_mask("Wiped at a mask" if self._wipes else "Painted a mask", replace(mask, strokes=(*mask.strokes, stroke)))
        self.picture.update()

    def hover(self, at: QPoint) -> bool:
        """The circle follows the cursor."""
        self._at = QPointF(at)
        self.picture.update()
        return True

    def wheel(self, at: QPoint, steps: float) -> bool:
        """Larger or smaller."""
        if QApplication.keyboardModifiers() & Qt.KeyboardModifier.ShiftModifier:
            return super().wheel(at, 4 * steps)
        self.size = min(600.0, max(2.0, self.size * 1.15**steps))
        self.desk.changed.emit()
        self.picture.update()
        return True

    def draw(self, painter: QPainter) -> None:
        """The circle of the brush, and the stroke that is under way."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        radius = 0.5e-3 * self.size * self.marks.place().width()
        if self.points:
            colour = QColor(theme.current().accent_hover)
            colour.setAlpha(110)
            pen = QPen(colour, 2 * radius, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap, Qt.PenJoinStyle.RoundJoin)
            painter.setPen(pen)
            line = [self.marks.point_of(*p) for p in self.points]
            painter.drawPolyline(QPolygonF(line if len(line) > 1 else [*line, line[0] + QPointF(0.1, 0)]))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for pen in (QPen(BLACK, 2.6), QPen(WHITE, 1.2)):
            painter.setPen(pen)
            painter.drawEllipse(self._at, radius, radius)
        painter.setPen(QPen(WHITE, 1, Qt.PenStyle.DotLine))
        painter.drawEllipse(self._at, radius * (1 - self.soft), radius * (1 - self.soft))
