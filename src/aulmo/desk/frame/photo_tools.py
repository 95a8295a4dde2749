"""The tools under the hand that mark a photograph: sight lines, shadow sticks, the grey patch, where the product stands, outlines, boxes, the
grid."""

import math
from typing import Any

from msgspec.structs import replace
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QColor, QKeyEvent, QPainter, QPen

from aulmo.desk.frame.photo_desk import PhotoDesk
from aulmo.desk.frame.photo_marks import draw_box, draw_line, draw_loupe, draw_outline, draw_stick_points
from aulmo.desk.picture.tools.tool import Tool
from aulmo.desk.picture.view_motion import zoom_keeping_size
from aulmo.desk.shell import theme
from aulmo.document import edits
from aulmo.document.quantity import show
from aulmo.document.records import Cutout, GreyPatch, Pair, ShadowStick
from aulmo.errors import BadValue
from aulmo.frame import catchers, matching
from aulmo.frame.edge_finder import stuck
from aulmo.frame.sight_lines import guessed_direction

SHIFT, CONTROL, ALT = Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.AltModifier


class PhotoTool(Tool):
    """A tool that works on the photograph alone: without one, or in a free view, it says so."""

    pointer = Qt.CursorShape.CrossCursor

    def __init__(self, desk: PhotoDesk) -> None:
        super().__init__(desk.picture)
        self.desk = desk
        self.at: QPoint | None = None

    def ready(self) -> bool:
        """Whether there is a photograph to be marked, seen from where it was taken."""
        if self.desk.photo is None:
            self.session.hint.emit("Drop a photograph on the picture first")
            return False
        if self.session.free_view is not None:
            self.session.set_view(None)
        if self.session.camera.projection == "panorama":
            self.session.trouble.emit("A panorama shows everything round and has no sight lines; choose Perspective.")
            return False
        return True

    def put_away(self) -> None:
        """Nothing in hand."""
        self.at = None
        self.picture.hush()

    def hover(self, at: QPoint) -> bool:
        """The cursor alone."""
        self.at = at
        self.picture.update()
        return True


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


class StickTool(PhotoTool):
    """Three clicks: foot, top, tip of the shadow. Then its points can be pulled, a wall's line and a soft edge drawn."""

    name = "shadow stick"
    hint = "Click foot, top, tip of the shadow · Ctrl-drag: foot of a wall it falls on · Alt-drag across a soft edge · Del · Esc: done"

    def __init__(self, desk: PhotoDesk) -> None:
        super().__init__(desk)
        self._points: list[Pair] = []
        self._held: tuple[str, str] | None = None
        self._pair: list[Pair] = []
        self._what = ""
        self._key: Any = None

    def put_away(self) -> None:
        """Let go."""
        super().put_away()
        self._points, self._held, self._pair, self._what = [], None, [], ""

    def _marks(self) -> dict[tuple[str, str], Pair]:
        photo = self.desk.photo
        sticks = photo.sticks if photo is not None else ()
        return {(s.id, k): getattr(s, k) for s in sticks for k in ("foot", "top", "tip")}

    def press(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Set the next point, take hold of one, or begin a line of a wall or an edge."""
        if not self.ready():
            return
        pixel, photo = self.desk.to_photo(at), self.desk.photo
        assert photo is not None
        self._key = self.desk.fresh_merge()
        if modifiers & (CONTROL | ALT) and photo.sticks:
            self._what, self._pair = ("wall" if modifiers & CONTROL else "penumbra"), [pixel, pixel]
            return
        held = self.desk.nearest(at, self._marks()) if not self._points else None
        if held is not None:
            self._held = held
            return
        self._points.append(pixel)
        if len(self._points) == 3:
            foot, top, tip = self._points
            self._points = []
            stick = ShadowStick(edits.new_id(), foot, top, tip)
            try:
                _spots(self.desk, stick)
            except BadValue as error:
                self.session.trouble.emit(str(error))
                return
            self.desk.mark("Shadow stick", lambda p: replace(p, sticks=(*p.sticks, stick)))

    def drag(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Pull."""
        self.at = at
        if self._held is not None:
            stick_id, which = self._held
            pixel = self.desk.to_photo(at)
            self.desk.mark(
                "Moved the shadow stick",
                lambda p: replace(p, sticks=tuple(replace(s, **{which: pixel}) if s.id == stick_id else s for s in p.sticks)), merge=self._key,
            )  # fmt: skip
        elif self._pair:
            self._pair[1] = self.desk.to_photo(at)
        self.picture.update()

    def release(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Done with it."""
        if self._pair and math.dist(*self._pair) > 1:
            pair, what = (self._pair[0], self._pair[1]), self._what
            self.desk.mark(
                "Wall of the shadow stick" if what == "wall" else "Soft edge of the shadow",
                lambda p: replace(p, sticks=(*p.sticks[:-1], replace(p.sticks[-1], **{what: pair}))),
            )  # fmt: skip
        self._held, self._pair = None, []
        self.session.history.end_merge()
        self.picture.update()

    def hover(self, at: QPoint) -> bool:
        """Say what the next click marks."""
        super().hover(at)
        if self.desk.photo is not None:
            words = ("Foot", "Top, straight above", "Tip of its shadow")[len(self._points)]
            near = self.desk.nearest(at, self._marks()) if not self._points else None
            self.picture.say_at(at, words if near is None else "Pull it")
        return True

    def delete(self) -> None:
        """The points set so far go, or else the last stick."""
        if self._points:
            self._points = []
        elif self.desk.photo is not None and self.desk.photo.sticks:
            self.desk.mark("Took a shadow stick away", lambda p: replace(p, sticks=p.sticks[:-1]))
        self.picture.update()

    def draw(self, painter: QPainter) -> None:
        """What has been set so far."""
        if self.desk.photo is None:
            return
        if self._points:
            shown = [QPointF(*p) for p in self.desk.to_screen(self._points)]
            if self.at is not None:
                shown.append(QPointF(self.at))
            draw_stick_points(painter, shown)
        if self._pair:
            one, other = (QPointF(*p) for p in self.desk.to_screen(self._pair))
            painter.setPen(QPen(QColor(theme.current().caution), 1.5, Qt.PenStyle.DotLine))
            painter.drawLine(one, other)
        if self.at is not None and (self._points or self._held or self._pair):
            draw_loupe(painter, self.desk, QPointF(self.at), self.desk.to_photo(self.at))


def _spots(desk: PhotoDesk, stick: ShadowStick) -> None:
    from aulmo.frame.shadow_stick import sun_of

    sun_of(desk.camera(), desk.size(), (stick,))


class PatchTool(PhotoTool):
    """Drag over something that is known to be grey."""

    name = "grey patch"
    hint = "Drag over something grey, or of a known value · Esc gives up"

    def __init__(self, desk: PhotoDesk) -> None:
        super().__init__(desk)
        self._start: Pair | None = None
        self.done: Any = None

    def put_away(self) -> None:
        """Let go."""
        super().put_away()
        self._start = None

    def press(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """One corner."""
        if self.ready():
            self._start = self.desk.to_photo(at)

    def drag(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Draw on."""
        self.at = at
        self.picture.update()

    def release(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """The patch stands; the camera is matched to it."""
        start, self._start = self._start, None
        if start is None:
            return
        end = self.desk.to_photo(at)
        if math.dist(start, end) < 2:
            self.session.hint.emit("Drag across the patch")
            return
        (x0, x1), (y0, y1) = sorted((start[0], end[0])), sorted((start[1], end[1]))
        self.desk.mark("Grey patch", lambda p: replace(p, patch=GreyPatch((x0, y0, x1, y1), p.patch.value if p.patch is not None else 0.18)))
        self.session.set_tool("")
        if self.done is not None:
            self.done()

    def draw(self, painter: QPainter) -> None:
        """The patch in hand."""
        if self._start is not None and self.at is not None and self.desk.photo is not None:
            draw_box(painter, self.desk, (*self._start, *self.desk.to_photo(self.at)))


class StandTool(PhotoTool):
    """One click: there the middle of the scene stands."""

    name = "stands here"
    hint = "Click where the product stands · Esc gives up"

    def press(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Move the camera so that the scene's middle is seen there."""
        if not self.ready():
            return
        pixel = self.desk.to_photo(at)
        if self.desk.photo is not None and matching.enough(self.desk.photo):
            try:
                matching.found_camera(matching.put_photograph(self.session.document, self.desk.shot.id, replace(self.desk.photo, origin=pixel)),  # type: ignore[union-attr]
                                      self.desk.shot.id)  # type: ignore[union-attr]  # fmt: skip
            except BadValue as error:
                self.session.trouble.emit(str(error))
                return
            self.desk.mark("The product stands there", lambda p: replace(p, origin=pixel), True)
        else:
            self.desk.edit("The product stands there", lambda d, s: _stood(d, s, pixel))
        self.session.set_tool("")


def _stood(document: Any, shot_id: str, pixel: Pair) -> Any:
    """The shot's camera moved so that it sees the origin at a pixel of its photograph."""
    from aulmo.frame.shadow_stick import on_plane

    shot, photo = matching.photograph_of(document, shot_id)
    spot = on_plane(matching.photo_camera(document, shot_id), matching.size_of(photo), pixel)
    camera = document.cameras[shot.camera]
    move = lambda p: tuple(float(a - b) for a, b in zip(p, spot))  # noqa: E731
    document = edits.put_camera(document, replace(camera, position=move(camera.position), target=move(camera.target)))
    return matching.put_photograph(document, shot_id, replace(photo, origin=pixel))


class GridTool(PhotoTool):
    """Nudge the view by its grid: slide, turn, tilt and roll, or another lens with the size kept."""

    name = "grid"
    hint = "Drag the grid · Ctrl-drag turns it · Shift-drag tilts up and down, rolls across · the wheel changes the lens, the size stays · Esc: done"
    pointer = Qt.CursorShape.OpenHandCursor

    def __init__(self, desk: PhotoDesk) -> None:
        super().__init__(desk)
        self._from: Any = None
        self._press = QPoint()
        self._key: Any = None

    def take(self) -> None:
        """The grid is seen while it is in hand."""
        if self.desk.grid == "none":
            self.desk.grid = "floor"
        self.picture.update()

    def press(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Take hold."""
        if self.ready():
            self._from, self._press, self._key = self.session.camera, at, self.desk.fresh_merge()

    def drag(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Pull the grid along."""
        if self._from is None or self.desk.shot is None:
            return
        shot, frame = self.desk.shot, self.picture.frame_rect()
        size = (shot.width, shot.height)
        f = shot.width / max(1, frame.width())
        here, there = (((p.x() - frame.left()) * f, (p.y() - frame.top()) * f) for p in (self._press, at))
        dx, dy = at.x() - self._press.x(), at.y() - self._press.y()
        try:
            if modifiers & CONTROL:
                made, words = matching.turned(self._from, 0.2 * dx), f"turned {0.2 * dx:+.1f}°"
            elif modifiers & SHIFT:
                made = matching.rolled(matching.tilted(self._from, 0.05 * dy), 0.05 * dx)
                words = f"tilted {0.05 * dy:+.1f}°, rolled {0.05 * dx:+.1f}°"
            else:
                made, words = matching.slid(self._from, size, here, there), "slid"
        except BadValue as error:
            self.picture.say_at(at, str(error))
            return
        self._put("Nudged the grid", made)
        self.picture.say_at(at, "Grid", words)

    def _put(self, told: str, camera: Any) -> None:
        self.session.apply(told, edits.put_camera(self.session.document, camera), self._key)

    def wheel(self, at: QPoint, steps: float) -> bool:
        """Another lens; what stands at the origin keeps its size."""
        if not self.ready():
            return True
        camera = self.session.camera
        aimed = replace(camera, target=(0.0, 0.0, 0.0))
        made = zoom_keeping_size(aimed, camera.focal_length_mm * 1.03**steps)
        way = [b - a for a, b in zip(camera.position, made.position)]
        made = replace(made, target=tuple(a + b for a, b in zip(camera.target, way)))
        self._key = ("photograph lens", camera.id)
        self._put("Lens of the photograph", made)
        self.picture.say_at(at, show(made.focal_length_mm, "mm", 1), "the size at the origin is kept")
        return True

    def release(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Done."""
        self._from = None
        self.session.history.end_merge()
        self.picture.hush()


class CutoutTool(PhotoTool):
    """Click round something that stands before the product; back at the start, or Return, closes it."""

    name = "cut out"
    hint = "Click round what stands before the product · click the start or press Return to close · Backspace takes one back · Esc: done"

    def __init__(self, desk: PhotoDesk) -> None:
        super().__init__(desk)
        self._points: list[Pair] = []

    def put_away(self) -> None:
        """Let go."""
        super().put_away()
        self._points = []

    def press(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """The next corner."""
        if not self.ready():
            return
        if len(self._points) >= 3 and self.desk.nearest(at, {0: self._points[0]}) is not None:
            self._close()
            return
        self._points.append(self.desk.to_photo(at))
        self.picture.update()

    def _close(self) -> None:
        if len(self._points) < 3:
            self.session.hint.emit("An outline needs at least three corners")
            return
        points, self._points = tuple(self._points), []
        photo = self.desk.photo
        name = edits.free_name("In front", (c.name for c in photo.cutouts)) if photo is not None else "In front"
        self.desk.mark("Cut out what stands in front", lambda p: replace(p, cutouts=(*p.cutouts, Cutout(edits.new_id(), name, points))))
        self.session.set_tool("")

    def key(self, event: QKeyEvent) -> bool:
        """Return closes, Backspace takes a corner back."""
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._close()
            return True
        if event.key() == Qt.Key.Key_Backspace:
            self.delete()
            return True
        return False

    def delete(self) -> None:
        """The last corner goes."""
        self._points = self._points[:-1]
        self.picture.update()

    def draw(self, painter: QPainter) -> None:
        """The outline so far."""
        if self.desk.photo is None or not self._points:
            return
        points = [*self._points, self.desk.to_photo(self.at)] if self.at is not None else self._points
        draw_outline(painter, self.desk, points, False)
        x, y = self.desk.to_screen(self._points[:1])[0]
        painter.drawEllipse(QPointF(x, y), 5, 5)


class BoxTool(PhotoTool):
    """A box that stands in for a thing of the photograph: drag its foot across the floor, then click its height."""

    name = "shadow box"
    hint = "Drag from corner to corner of its foot on the floor, then click its height above the second corner · Esc gives up"

    def __init__(self, desk: PhotoDesk) -> None:
        super().__init__(desk)
        self._corner: Pair | None = None
        self._opposite: Pair | None = None
        self._dragging = False

    def put_away(self) -> None:
        """Let go."""
        super().put_away()
        self._corner = self._opposite = None

    def press(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """A corner of the foot, or the height."""
        if not self.ready():
            return
        pixel = self.desk.to_photo(at)
        if self._corner is not None and self._opposite is not None:
            corner, opposite = self._corner, self._opposite
            self._corner = self._opposite = None
            camera, size = self.desk.camera(), self.desk.size()
            if self.desk.edit("Box of the photograph", lambda d, s: catchers.box(d, camera, size, corner, opposite, pixel)[0]):
                self.session.set_tool("")
            return
        self._corner, self._dragging = pixel, True

    def drag(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Draw the foot."""
        self.at = at
        self.picture.update()

    def release(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """The foot stands."""
        if self._dragging and self._corner is not None:
            pixel = self.desk.to_photo(at)
            self._dragging = False
            if math.dist(pixel, self._corner) < 3:
                self._corner = None
            else:
                self._opposite = pixel

    def draw(self, painter: QPainter) -> None:
        """Foot and height as they are drawn."""
        if self.desk.photo is None or self._corner is None or self.at is None:
            return
        painter.setPen(QPen(QColor("#f4f4f4"), 1.4, Qt.PenStyle.DashLine))
        one = QPointF(*self.desk.to_screen([self._corner])[0])
        other = QPointF(*self.desk.to_screen([self._opposite])[0]) if self._opposite is not None else QPointF(self.at)
        painter.drawLine(one, other)
        if self._opposite is not None:
            painter.drawLine(other, QPointF(other.x(), self.at.y()))
