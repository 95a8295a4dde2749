"""A decal in the hand: pulled along the surface, turned and sized by its handles; and putting a new one where one clicks."""

import math
from typing import Any

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QColor, QKeyEvent, QPainter, QPen, QPolygonF

from aulmo.desk.picture.tools.tool import Tool
from aulmo.desk.shell import theme
from aulmo.document.decals import group_members, put_decal
from aulmo.document.placement import world_matrices
from aulmo.document.properties import put_many
from aulmo.document.quantity import parse, show
from aulmo.document.records import Decal, Document
from aulmo.errors import AulmoError, BadValue
from aulmo.frame.camera import camera_axes
from aulmo.prepare import sticking
from aulmo.prepare.decal_surface import on_surface

GRASP = 9.0  # pixels around a handle
STALK = 26.0  # pixels from the upper edge to the handle that turns
ALONG_EDGE = 13
TYPED = set("0123456789.,+-*/() mcin°")


def spot_of(picture: Any, at: QPoint) -> sticking.Spot | None:
    """The place on a part of the project that is seen at a point of the widget."""
    hit = picture.pick(at)
    part = picture.stored(hit.part) if hit is not None and hit.part is not None else None
    if hit is None or part is None:
        return None
    if part != hit.part:  # of a copy the same place on what it is a copy of
        change = world_matrices(picture.session.document)[part] @ np.linalg.inv(world_matrices(picture.session.resolved)[hit.part])
        turn = np.linalg.inv(change[:3, :3]).T
        normal = turn @ hit.normal
        return sticking.Spot(part, hit.triangle, change[:3, :3] @ hit.point + change[:3, 3], normal / np.linalg.norm(normal))
    return sticking.Spot(part, hit.triangle, hit.point, hit.normal)


class DecalTool(Tool):
    """In hand while a decal is selected. `grip` is what is held: slide, turn, or the number of a corner."""

    name = "decal"
    hint = "Drag it along the surface · corners size it · the knob turns it, Shift by 15° · type a number to be exact · Del takes it off"

    def __init__(self, picture) -> None:
        super().__init__(picture)
        self.grip: str = ""
        self.hot = ""
        self._number = 0
        self._press = QPoint()
        self._at = QPoint()
        self._before: Document | None = None
        self._typed = ""
        self._wraps: dict[str, str | None] = {}

    @property
    def typing(self) -> bool:  # type: ignore[override]
        """While something is held, digits are for it."""
        return bool(self.grip)

    def decal(self) -> Decal | None:
        """The decal that is selected."""
        subject = self.session.subject
        return self.session.resolved.decals.get(subject[7:]) if subject.startswith("decals/") else None

    def _outline(self, decal: Decal) -> np.ndarray:
        """(n, 2) of the widget: its edge, from the lower left corner round by right, top and left."""
        t = np.linspace(-0.5, 0.5, ALONG_EDGE)
        w, h, half = decal.width_mm, decal.height_mm, np.full(ALONG_EDGE, 0.5)
        places = np.concatenate([np.stack(p, 1) for p in ((t, -half), (half, t), (-t, half), (-half, -t))]) * [w, h]
        matrix, _ = sticking.world_place(self.session.resolved, decal)
        points = on_surface(decal, places) @ matrix[:3, :3].T + matrix[:3, 3]
        return self.picture.places_on_screen(points)[:, :2]

    def _handles(self, decal: Decal) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Corners (4, 2) from the lower left round, the knob that turns, the middle."""
        line = self._outline(decal)
        corners = line[[0, ALONG_EDGE, 2 * ALONG_EDGE, 3 * ALONG_EDGE]]
        top, bottom = 0.5 * (corners[2] + corners[3]), 0.5 * (corners[0] + corners[1])
        matrix, _ = sticking.world_place(self.session.resolved, decal)
        middle = self.picture.places_on_screen(matrix[:3, 3][None])[0, :2]
        way = top - bottom
        length = float(np.linalg.norm(way))
        way = way / length if length > 1e-6 else np.array([0.0, -1.0])
        return corners, top + way * STALK, middle

    def grip_at(self, at: QPoint) -> str:
        """What of the decal lies under a point: "turn", the number of a corner, "slide" or nothing."""
        decal = self.decal()
        if decal is None:
            return ""
        corners, knob, _ = self._handles(decal)
        here = np.array([at.x(), at.y()], float)
        if np.linalg.norm(here - knob) < GRASP:
            return "turn"
        far = np.linalg.norm(corners - here, axis=1)
        if far.min() < GRASP:
            return str(int(np.argmin(far)))
        area = QPolygonF([QPointF(*p) for p in self._outline(decal)])
        return "slide" if area.containsPoint(QPointF(at), Qt.FillRule.OddEvenFill) else ""

    def press(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Take hold, or select what lies beside it."""
        self.grip, self._typed = self.grip_at(at), ""
        self._press = self._at = at
        self._number += 1
        self._before = self.session.document
        if not self.grip:
            self.picture.select.press(at, modifiers)
            return
        decal = self.decal()
        self._wraps = {}
        for member in group_members(self._before, decal.id) if decal is not None else ():
            self._wraps[member] = self._wrap_by_hand(self._before.decals[member])

    def _wrap_by_hand(self, decal: Decal) -> str | None:
        """How a decal lies where the artist chose it otherwise than the surface bends; None where it follows the surface."""
        try:
            found = sticking.wrapped(self.session.document, self.session.assets, decal, None).wrap
        except AulmoError:
            return decal.wrap
        return None if found == decal.wrap else decal.wrap

    def drag(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Pull."""
        if not self.grip:
            self.picture.select.drag(at, modifiers)
            return
        if self._typed:
            return
        self._at = at
        try:
            if self.grip == "slide":
                self._slide(at)
            elif self.grip == "turn":
                self._turn(at, bool(modifiers & Qt.KeyboardModifier.ShiftModifier))
            else:
                self._size(at)
        except AulmoError as error:
            self.picture.say_at(at, str(error))

    def _slide(self, at: QPoint) -> None:
        before, session = self._before, self.session
        decal = self.decal()
        assert before is not None and decal is not None
        document = before
        for member in group_members(before, decal.id):
            one = before.decals[member]
            matrix, _ = sticking.world_place(before, one)
            middle = self.picture.places_on_screen(matrix[:3, 3][None])[0, :2]
            aim = QPoint(round(middle[0] + at.x() - self._press.x()), round(middle[1] + at.y() - self._press.y()))
            spot = spot_of(self.picture, aim)
            if spot is None:
                if member == decal.id:
                    self.picture.say_at(at, decal.name, "no part here")
                    return
                continue
            document = put_decal(document, sticking.slid(before, session.assets, one, spot, self._wraps.get(member)))
        session.apply(f"Moved {decal.name}", document, ("decal", self._number))
        moved = document.decals[decal.id]
        part = document.parts.get(moved.parts[0]) if moved.parts else None
        lies = {
            "flat": "flat",
            "cylinder": f"round {show(abs(moved.radius_mm), 'mm', 1)}",
            "ball": f"on a ball of {show(abs(moved.radius_mm), 'mm', 1)}",
        }
        self.picture.say_at(at, part.name if part else decal.name, lies[moved.wrap])

    def _turn(self, at: QPoint, stepped: bool) -> None:
        decal = self._first()
        _, _, middle = self._handles(decal)
        a, b = (np.array([p.x(), p.y()]) - middle for p in (self._press, at))
        angle = math.degrees(math.atan2(a[1] * b[0] - a[0] * b[1], float(a @ b)))
        value = decal.rotate + angle
        if stepped:
            value = 15.0 * round(value / 15.0)
        value = (value + 180.0) % 360.0 - 180.0
        self._put({"rotate": value})
        self.picture.say_at(at, show(value, "°", 1), "type a number to be exact")

    def _size(self, at: QPoint) -> None:
        decal = self._first()
        corners, _, middle = self._handles(decal)
        corner = int(self.grip)
        here = np.array([at.x(), at.y()], float)
        across = 0.5 * (corners[1] + corners[2]) - 0.5 * (corners[0] + corners[3])
        upward = 0.5 * (corners[2] + corners[3]) - 0.5 * (corners[0] + corners[1])
        grow = (
            np.linalg.solve(np.stack([across, upward], 1), here - middle) / (np.array([[-0.5, -0.5], [0.5, -0.5], [0.5, 0.5], [-0.5, 0.5]])[corner])
        )
        grow = np.maximum(grow, 0.02)
        if decal.keep_shape:
            reach = corners[corner] - middle
            grow = np.full(2, max(0.02, float((here - middle) @ reach) / float(reach @ reach)))
        self._put({"width_mm": max(0.05, decal.width_mm * grow[0]), "height_mm": max(0.05, decal.height_mm * grow[1])})
        now = self.session.document.decals[decal.id]
        scale = sticking.world_place(self.session.document, now)[1]
        self.picture.say_at(at, f"{now.width_mm * scale:.2f} × {now.height_mm * scale:.2f} mm", "type a width to be exact")

    def _first(self) -> Decal:
        assert self._before is not None
        return self._before.decals[self.session.subject[7:]]

    def _put(self, values: dict[str, Any]) -> None:
        decal = self._first()
        assert self._before is not None
        document = put_many(self._before, {f"decals/{decal.id}/{key}": float(round(value, 6)) for key, value in values.items()})
        if "width_mm" in values:
            document = put_decal(document, sticking.with_depth(document, self.session.assets, document.decals[decal.id]))
        verb = "Turned" if "rotate" in values else "Sized"
        self.session.apply(f"{verb} {decal.name}", document, ("decal", self._number))

    def release(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Let go, unless a number is being typed."""
        if not self.grip:
            self.picture.select.release(at, modifiers)
        elif not self._typed:
            self._end()

    def _end(self) -> None:
        if self.grip:
            self.session.history.end_merge()
            self.picture.hush()
        self.grip, self._typed = "", ""
        self.picture.update()

    def put_away(self) -> None:
        """Nothing is held."""
        self._end()
        self.hot = ""

    def hover(self, at: QPoint) -> bool:
        """Light up what would be taken."""
        hot = self.grip_at(at)
        if hot != self.hot:
            self.hot = hot
            self.picture.update()
        return False

    def key(self, event: QKeyEvent) -> bool:
        """A number while a corner or the knob is held; Esc gives a pull up."""
        if not self.grip:
            return False
        text = event.text()
        if event.key() == Qt.Key.Key_Escape and self._before is not None:
            self.session.apply("Gave up", self._before, ("decal", self._number))
            self._end()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._end()
        elif self.grip != "slide" and (event.key() == Qt.Key.Key_Backspace or (text and text in TYPED)):
            self._typed = self._typed[:-1] if event.key() == Qt.Key.Key_Backspace else self._typed + text
            self._take_typed()
        else:
            return False
        return True

    def _take_typed(self) -> None:
        decal = self._first()
        try:
            value = parse(self._typed, "°" if self.grip == "turn" else "mm")
            if self.grip == "turn":
                self._put({"rotate": value})
            else:
                width = value / sticking.world_place(self.session.document, decal)[1]
                height = decal.height_mm * width / decal.width_mm if decal.keep_shape else decal.height_mm
                self._put({"width_mm": width, "height_mm": height})
        except (BadValue, ZeroDivisionError):  # an unfinished sum waits
            pass
        self.picture.say_at(self._at, self._typed or "…", "Return takes it")

    def draw(self, painter: QPainter) -> None:
        """Its edge, its corners, the knob."""
        decal = self.decal()
        if decal is None:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        line = QPolygonF([QPointF(*p) for p in self._outline(decal)])
        corners, knob, _ = self._handles(decal)
        top = 0.5 * (corners[2] + corners[3])
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for colour, width in (("#202020", 3.2), (theme.current().accent_hover, 1.6)):
            painter.setPen(QPen(QColor(colour), width))
            painter.drawPolygon(line)
            painter.drawLine(QPointF(*top), QPointF(*knob))
        for number, corner in enumerate(corners):
            lit = str(number) in (self.hot, self.grip)
            painter.setPen(QPen(QColor("#202020"), 1))
            painter.setBrush(QColor(theme.current().accent_hover if lit else "#f0f0f0"))
            size = 5.0 if lit else 4.0
            painter.drawRect(int(corner[0] - size), int(corner[1] - size), int(2 * size), int(2 * size))
        lit = "turn" in (self.hot, self.grip)
        painter.setBrush(QColor(theme.current().accent_hover if lit else "#f0f0f0"))
        painter.drawEllipse(QPointF(*knob), 6 if lit else 5, 6 if lit else 5)


class StickTool(Tool):
    """One click puts a new decal there. `own` are the fields that it is made with, `title` what it is called."""

    name = "stick"
    hint = "Click where it goes: it lies flat, upright as seen · Shift-click puts several · Esc gives up"
    pointer = Qt.CursorShape.CrossCursor

    def __init__(self, picture) -> None:
        super().__init__(picture)
        self.own: dict[str, Any] = {}
        self.title = "Decal"

    def carry(self, title: str, **own: Any) -> None:
        """Take a decal in hand."""
        self.title, self.own = title, own
        self.session.set_tool("")
        self.session.set_tool(self.name)

    def press(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Put it there."""
        if stick_at(self.picture, at, self.title, self.own) and not modifiers & Qt.KeyboardModifier.ShiftModifier:
            self.session.set_tool("decal")

    def hover(self, at: QPoint) -> bool:
        """Say where it would go."""
        part = self.session.document.parts.get(self.picture.part_at(at) or "")
        if part is None:
            self.picture.hush()
        else:
            self.picture.say_at(at, self.title, f"on {part.name}")
        return True


def stick_at(picture: Any, at: QPoint, title: str, own: dict[str, Any]) -> bool:
    """Put a decal on what is seen at a point of the widget and select it; a sentence and False where that cannot be."""
    session = picture.session
    spot = spot_of(picture, at)
    if spot is None:
        session.hint.emit("A decal needs a part to lie on: click one")
        return False

    def run() -> bool:
        decal = sticking.new_decal(session.document, session.assets, spot, up=picture_up(picture), name=title, **own)
        session.apply(f"Put {decal.name} on {session.document.parts[spot.part].name}", put_decal(session.document, decal))
        session.select((), f"decals/{decal.id}")
        return True

    return bool(session.attempt(run))


def picture_up(picture: Any) -> np.ndarray | None:
    """The way up in the world as it is seen: the world's own, but where one looks straight down or up."""
    _, up, forward = camera_axes(picture.session.view)
    return up if abs(float(forward[2])) > 0.9 else None


def quarter(decal: Decal, turns: int) -> Decal:
    """A decal turned by quarters."""
    return replace(decal, rotate=(decal.rotate + 90.0 * turns + 180.0) % 360.0 - 180.0)
