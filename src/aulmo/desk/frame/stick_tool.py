"""The tool that marks something upright and its shadow."""

import math
from typing import Any

from msgspec.structs import replace
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from aulmo.desk.frame.photo_desk import PhotoDesk
from aulmo.desk.frame.photo_marks import draw_loupe, draw_stick_points
from aulmo.desk.frame.photo_tool import ALT, CONTROL, PhotoTool
from aulmo.desk.shell import theme
from aulmo.document import edits
from aulmo.document.records import Pair, ShadowStick
from aulmo.errors import BadValue


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
