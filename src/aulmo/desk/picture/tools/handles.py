"""Handles that move, turn and scale what is selected: parts, or anything else that has a position and a turn. Typing a number takes over."""

from typing import Any

import numpy as np
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QKeyEvent, QPainter

from aulmo.desk.picture.snap import Caught, caught, mark
from aulmo.desk.picture.tools.grips import NAMES, Grip, Handles
from aulmo.desk.picture.tools.tool import Tool
from aulmo.document import edits
from aulmo.document.placement import from_matrix, turn_matrix, world_matrix
from aulmo.document.properties import get, put_many
from aulmo.document.quantity import parse, show
from aulmo.errors import AulmoError, BadValue
from aulmo.prepare import aligning, arrange

TYPED = "0123456789.,-+*/() mcinft°"


def turned(turn: tuple[float, float, float], axis: np.ndarray, degrees: float) -> tuple[float, float, float]:
    """A turn, in degrees about x, y, z, after another about a world axis."""
    matrix = np.eye(4)
    matrix[:3, :3] = turn_matrix(tuple(axis * degrees)) @ turn_matrix(turn)
    return from_matrix(matrix).turn


AXES = {"world": "World", "parent": "Parent", "own": "Own"}


class HandlesTool(Tool):
    """Pull an arrow to move, a ring to turn, a knob to scale. `axes` are those of the world, of the parent or a part's own."""

    name = "handles"
    hint = "Pull an arrow to move, a ring to turn, a knob to scale · hold Ctrl to catch corners, edges and middles · type a number · Esc gives up"

    def __init__(self, picture) -> None:
        super().__init__(picture)
        self.hot: Grip | None = None
        self.grip: Grip | None = None
        self._typed = ""
        self._press = QPoint()
        self._at = QPoint()
        self._number = 0
        self._before: Any = None
        self._pulled: Handles | None = None
        self._caught: Caught | None = None
        self.axes = "world"

    @property
    def typing(self) -> bool:  # type: ignore[override]
        """While a handle is pulled, digits are no stage keys."""
        return self.grip is not None

    def put_away(self) -> None:
        """Let go."""
        self._end()

    def subject(self) -> str:
        """The address of what has a position and a turn and is no part."""
        address = self.session.subject
        try:
            get(self.session.document, f"{address}/position")
            get(self.session.document, f"{address}/turn")
        except AulmoError:
            return ""
        if self.session.lamp is not None and self.session.lamp.stays_with != "scene":
            self.session.hint.emit(f"{self.session.lamp.name} goes along with something; let it stay with the scene to move it by handles")
            return ""
        return address

    def handles(self) -> Handles | None:
        """Where the handles are now."""
        picture, session = self.picture, self.session
        subject = self.subject()
        if subject:
            middle = np.array(get(session.resolved, f"{subject}/position"))
            return Handles(middle, picture.wide_camera(), picture.width(), picture.height())
        found = aligning.pivot_of(session.resolved, session.assets, session.selection)
        if found is None:
            return None
        return Handles(found, picture.wide_camera(), picture.width(), picture.height(), self._axes(), True)

    def _axes(self) -> np.ndarray:
        """The directions of the handles as columns."""
        session = self.session
        if self.axes == "world" or not session.selection:
            return np.eye(3)
        part = session.resolved.parts[session.selection[0]]
        which = part.id if self.axes == "own" else part.parent
        if which is None:
            return np.eye(3)
        linear = world_matrix(session.resolved, which)[:3, :3]
        return np.asarray(linear / np.maximum(np.linalg.norm(linear, axis=0), 1e-12))

    def set_axes(self, axes: str) -> None:
        """Let the handles follow other axes."""
        self.axes = axes
        self.picture.update()

    def press(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Take a handle; beside them, select."""
        handles = self.handles()
        self._typed, self._press, self._at = "", at, at
        self._number += 1
        self.grip = handles.grip_at(at.x(), at.y()) if handles else None
        self._before, self._pulled = self.session.as_now, handles
        if self.grip is None:
            self.picture.select.press(at, modifiers)

    def drag(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Pull."""
        if self.grip is None:
            self.picture.select.drag(at, modifiers)
        elif not self._typed and self._pulled is not None:
            start, now = (self._press.x(), self._press.y()), (at.x(), at.y())
            self._caught = self._catch(at) if modifiers & Qt.KeyboardModifier.ControlModifier else None
            if self.grip.kind == "free":
                self._slide(self._pulled.across(start, now) if self._caught is None else self._caught.point - self._pulled.pivot, at)
            elif self.grip.kind in ("scale", "even"):
                self._pull(self._pulled.scaled(self.grip, start, now), at)
            elif self._caught is not None and self.grip.kind == "move":
                self._pull(float((self._caught.point - self._pulled.pivot) @ self._pulled.axes[:, self.grip.axis]), at)
            else:
                measure = self._pulled.moved if self.grip.kind == "move" else self._pulled.turned
                self._pull(measure(self.grip.axis, start, now), at)

    def _catch(self, at: QPoint) -> Caught | None:
        """What the pivot is caught by: anything but what is being moved."""
        resolved = self.session.resolved
        moving = set(edits.leaves(resolved, self.session.selection))
        return caught(self.picture, at, moving)

    def _slide(self, way: np.ndarray, at: QPoint) -> None:
        """Move across the picture, or onto what was caught."""
        session, subject, before = self.session, self.subject(), self._before
        if subject:
            place = tuple(float(round(p + d, 6)) for p, d in zip(get(before, f"{subject}/position"), way))
            document = put_many(before, {f"{subject}/position": place})
        else:
            document = arrange.move_in_world(before, session.selection, way)
        session.apply(f"Moved {session.selected_name()}", document, ("handle", self._number))
        self._at = at
        words = self._caught.words if self._caught is not None else show(float(np.linalg.norm(way)), "mm")
        self.picture.say_at(at, words, "hold Ctrl to catch corners, edges and middles" if self._caught is None else "lets the pivot lie there")

    def release(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Let go, unless a number is being typed."""
        if self.grip is None:
            self.picture.select.release(at, modifiers)
        elif not self._typed:
            self._end()

    def hover(self, at: QPoint) -> bool:
        """Light up the handle under the cursor."""
        handles = self.handles()
        hot = handles.grip_at(at.x(), at.y()) if handles else None
        if hot != self.hot:
            self.hot = hot
            self.picture.update()
        return False

    def key(self, event: QKeyEvent) -> bool:
        """Digits and sums while a handle is held."""
        if self.grip is None:
            return False
        text = event.text()
        if event.key() == Qt.Key.Key_Escape:
            self.session.apply("Gave up", self._before, ("handle", self._number))
            self._end()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._end()
        elif event.key() == Qt.Key.Key_Backspace or (text and text in TYPED):
            self._typed = self._typed[:-1] if event.key() == Qt.Key.Key_Backspace else self._typed + text
            if self.grip.kind == "free":
                return True
            try:
                self._pull(parse(self._typed, {"move": "mm", "turn": "°"}.get(self.grip.kind, "")), self._at)
            except BadValue:  # an unfinished sum waits
                self._say(self._typed)
        else:
            return False
        return True

    def _pull(self, value: float, at: QPoint) -> None:
        session, grip = self.session, self.grip
        assert grip is not None and self._pulled is not None
        axis, subject, before = self._pulled.axes[:, grip.axis], self.subject(), self._before
        if subject and grip.kind == "move":
            place = tuple(float(round(p + d, 6)) for p, d in zip(get(before, f"{subject}/position"), axis * value))
            document = put_many(before, {f"{subject}/position": place})
        elif subject:
            document = put_many(before, {f"{subject}/turn": turned(get(before, f"{subject}/turn"), axis, value)})
        elif grip.kind == "move":
            document = arrange.move_in_world(before, session.selection, axis * value)
        elif grip.kind == "turn":
            document = arrange.turn_in_world(before, session.selection, axis, value, self._pulled.pivot)
        else:
            factors = np.full(3, value) if grip.kind == "even" else np.where(np.arange(3) == grip.axis, value, 1.0)
            document = aligning.scale_in_world(before, session.selection, factors, self._pulled.pivot, self._pulled.axes)
        text, verb = {"move": (show(value, "mm"), "Moved"), "turn": (show(value, "°"), "Turned")}.get(grip.kind, (f"× {value:.3g}", "Scaled"))
        session.apply(f"{verb} {session.selected_name()}", document, ("handle", self._number))
        self._at = at
        self._say(self._typed or text)

    def _say(self, text: str) -> None:
        assert self.grip is not None
        name = "even" if self.grip.kind == "even" else NAMES[self.grip.axis]
        second = f"caught by the {self._caught.words}" if self._caught is not None else "type a number to be exact"
        self.picture.say_at(self._at, f"{name}  {text}", second)

    def _end(self) -> None:
        if self.grip is not None:
            self.session.history.end_merge()
            self.picture.hush()
        self.grip, self._typed, self._caught = None, "", None

    def draw(self, painter: QPainter) -> None:
        """The handles."""
        handles = self.handles()
        if handles and handles.centre[2] > 0:
            handles.draw(painter, self.grip or self.hot)
        if self._caught is not None:
            mark(painter, self.picture.place_on_screen(self._caught.point), self._caught.words)
