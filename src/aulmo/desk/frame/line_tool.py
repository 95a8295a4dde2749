"""The tool that draws sight lines on a photograph."""

import math
from typing import Any

from msgspec.structs import replace
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QPainter

from aulmo.desk.frame.photo_desk import PhotoDesk
from aulmo.desk.frame.photo_marks import draw_line, draw_loupe
from aulmo.desk.frame.photo_tool import ALT, CONTROL, SHIFT, PhotoTool
from aulmo.document.records import Pair
from aulmo.frame import matching
from aulmo.frame.edge_finder import stuck
from aulmo.frame.sight_lines import guessed_direction


class LineTool(PhotoTool):
    """Draw along an edge; pull the ends of a line that was chosen by a click, so that others may begin at the same corner. Ends stick to strong edges
    while Alt is not held."""

    name = "sight line"
    hint = "Drag along an edge · click a line, then pull its ends · Shift: second direction · Ctrl: upright · Alt: no sticking · Del · Esc"

    def __init__(self, desk: PhotoDesk) -> None:
        super().__init__(desk)
        self._start: Pair | None = None
        self._now: Pair | None = None
        self._held: tuple[str, int] | None = None
        self._key: Any = None
        self._press = QPoint()
        self._fresh = ""  # the line that was drawn last: it is chosen, but its ends stay where they are until it is clicked

    def put_away(self) -> None:
        """Let go."""
        super().put_away()
        self._start = self._now = self._held = None
        self._fresh = ""

    def _ends(self) -> dict[tuple[str, int], Pair]:
        line = self.desk.line
        return {(line.id, k): p for k, p in enumerate(line.points)} if line is not None and line.id != self._fresh else {}

    def press(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Take hold of an end, or begin a line."""
        if not self.ready():
            return
        self._press, self._key = at, self.desk.fresh_merge()
        self._held = self.desk.nearest(at, self._ends())
        if self._held is not None:
            self.desk.choose(self._held[0])
        else:
            self._start = self._now = self.desk.to_photo(at)

    def drag(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Draw on, or pull."""
        self.at = at
        pixel = self.desk.to_photo(at)
        if self._held is not None:
            self._move(pixel, self._key)
            self._say(at, self._held[0])
        elif self._start is not None:
            self._now = pixel
            self._say_new(at, modifiers)
        self.picture.update()

    def _move(self, pixel: Pair, merge: Any, sticks: bool = False) -> None:
        assert self._held is not None
        line_id, k = self._held
        photo = self.desk.photo
        line = next((x for x in photo.lines if x.id == line_id), None) if photo is not None else None
        if line is None:
            return
        points = [*line.points[:k], pixel, *line.points[k + 1 :]]
        if sticks and k in (0, len(points) - 1):
            one, other = self._stuck(points[0], points[-1])
            points[k] = one if k == 0 else other
        if math.dist(points[0], points[-1]) < 2:
            return
        self.desk.edit(f"Moved {line.name}", lambda d, s: matching.put_line(d, s, replace(line, points=tuple(points))), True, merge)

    def _stuck(self, one: Pair, other: Pair) -> tuple[Pair, Pair]:
        codes, photo = self.desk.codes(), self.desk.photo
        if codes is None or photo is None:
            return one, other
        f = codes.shape[1] / photo.width
        a, b = stuck(codes, (one[0] * f, one[1] * f), (other[0] * f, other[1] * f))
        return (a[0] / f, a[1] / f), (b[0] / f, b[1] / f)

    def _direction(self, modifiers: Qt.KeyboardModifier, points: tuple[Pair, Pair]) -> int:
        if modifiers & CONTROL:
            return 3
        if modifiers & SHIFT:
            return 2
        photo = self.desk.photo
        assert photo is not None
        return guessed_direction(self.desk.size(), matching.lines_of(photo), points)  # type: ignore[arg-type]

    def release(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """The line is drawn, or its end stands."""
        sticks = not modifiers & ALT
        if self._held is not None:
            if (at - self._press).manhattanLength() > 2:
                self._move(self.desk.to_photo(at), self._key, sticks)
            self.session.history.end_merge()
        elif self._start is not None and self._now is not None and self.desk.photo is not None:
            if (at - self._press).manhattanLength() < 5:
                self._choose(at)
            else:
                ends = self._stuck(self._start, self._now) if sticks else (self._start, self._now)
                line = matching.new_line(self.desk.photo, self._direction(modifiers, ends), ends)
                if self.desk.edit(f"Drew {line.name}", lambda d, s: matching.put_line(d, s, line), True):
                    self.desk.choose(line.id)
                    self._fresh = line.id
        self._start = self._now = self._held = None
        self.picture.hush()
        self.picture.update()

    def _choose(self, at: QPoint) -> None:
        photo = self.desk.photo
        self._fresh = ""
        best, chosen = 9.0, ""
        for line in photo.lines if photo is not None else ():
            (x0, y0), (x1, y1) = self.desk.to_screen([line.points[0], line.points[-1]])
            length = max(1e-6, math.hypot(x1 - x0, y1 - y0))
            t = min(1.0, max(0.0, ((at.x() - x0) * (x1 - x0) + (at.y() - y0) * (y1 - y0)) / length**2))
            away = math.hypot(at.x() - x0 - t * (x1 - x0), at.y() - y0 - t * (y1 - y0))
            if away < best:
                best, chosen = away, line.id
        self.desk.choose(chosen)

    def _say(self, at: QPoint, line_id: str) -> None:
        photo = self.desk.photo
        line = next((x for x in photo.lines if x.id == line_id), None) if photo is not None else None
        if line is not None:
            off = self.desk.residual(line_id)
            told = "" if math.isnan(off) else f"{off:.1f} px off"
            self.picture.say_at(at, f"{line.name} · {matching.DIRECTIONS[line.direction]}", self.desk.trouble or told)

    def _say_new(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        assert self._start is not None and self._now is not None
        if math.dist(self._start, self._now) > 3:
            kind = matching.DIRECTIONS[self._direction(modifiers, (self._start, self._now))]
            self.picture.say_at(at, kind[0].upper() + kind[1:], "Shift: second direction · Ctrl: upright")

    def hover(self, at: QPoint) -> bool:
        """Tell of the line whose end is near."""
        super().hover(at)
        near = self.desk.nearest(at, self._ends()) if self.desk.photo is not None else None
        if near is not None:
            self._say(at, near[0])
        else:
            self.picture.hush()
        return True

    def draw(self, painter: QPainter) -> None:
        """The line in hand, and the loupe."""
        if self.desk.photo is None or self.at is None:
            return
        if self._start is not None and self._now is not None:
            draw_line(painter, self.desk, 1, (self._start, self._now), True)
        if self._start is not None or self._held is not None:
            draw_loupe(painter, self.desk, QPointF(self.at), self.desk.to_photo(self.at))
