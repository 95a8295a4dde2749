"""Handles that move and turn what is selected: parts, or anything else that has a position and a turn. Typing a number takes over."""

from typing import Any

import numpy as np
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QKeyEvent, QPainter

from aulmo.desk.picture.tools.grips import NAMES, Grip, Handles
from aulmo.desk.picture.tools.tool import Tool
from aulmo.document.placement import from_matrix, turn_matrix
from aulmo.document.properties import get, put_many
from aulmo.document.quantity import parse, show
from aulmo.errors import AulmoError, BadValue
from aulmo.prepare import arrange

TYPED = "0123456789.,-+*/() mcinft°"


def turned(turn: tuple[float, float, float], axis: np.ndarray, degrees: float) -> tuple[float, float, float]:
    """A turn, in degrees about x, y, z, after another about a world axis."""
    matrix = np.eye(4)
    matrix[:3, :3] = turn_matrix(tuple(axis * degrees)) @ turn_matrix(turn)
    return from_matrix(matrix).turn


class HandlesTool(Tool):
    """Pull an arrow to move, a ring to turn."""

    name = "handles"
    hint = "Pull an arrow to move, a ring to turn · type a number to be exact · Esc gives up"

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
        return address

    def handles(self) -> Handles | None:
        """Where the handles are now."""
        picture, session = self.picture, self.session
        subject = self.subject()
        if subject:
            middle = np.array(get(session.resolved, f"{subject}/position"))
        else:
            box = arrange.bounds(session.resolved, session.assets, session.selection)
            if box is None:
                return None
            middle = 0.5 * (box[0] + box[1])
        return Handles(middle, picture.wide_camera(), picture.width(), picture.height())

    def press(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Take a handle; beside them, select."""
        handles = self.handles()
        self._typed, self._press, self._at = "", at, at
        self._number += 1
        self.grip = handles.grip_at(at.x(), at.y()) if handles else None
        self._before, self._pulled = self.session.document, handles
        if self.grip is None:
            self.picture.select.press(at, modifiers)

    def drag(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Pull."""
        if self.grip is None:
            self.picture.select.drag(at, modifiers)
        elif not self._typed and self._pulled is not None:
            start, now = (self._press.x(), self._press.y()), (at.x(), at.y())
            measure = self._pulled.moved if self.grip.kind == "move" else self._pulled.turned
            self._pull(measure(self.grip.axis, start, now), at)

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
            try:
                self._pull(parse(self._typed, "mm" if self.grip.kind == "move" else "°"), self._at)
            except BadValue:  # an unfinished sum waits
                self._say(self._typed)
        else:
            return False
        return True

    def _pull(self, value: float, at: QPoint) -> None:
        session, grip = self.session, self.grip
        assert grip is not None and self._pulled is not None
        axis, subject, before = np.eye(3)[grip.axis], self.subject(), self._before
        if subject and grip.kind == "move":
            place = tuple(float(round(p + d, 6)) for p, d in zip(get(before, f"{subject}/position"), axis * value))
            document = put_many(before, {f"{subject}/position": place})
        elif subject:
            document = put_many(before, {f"{subject}/turn": turned(get(before, f"{subject}/turn"), axis, value)})
        elif grip.kind == "move":
            document = arrange.move_in_world(before, session.selection, axis * value)
        else:
            document = arrange.turn_in_world(before, session.selection, axis, value, self._pulled.pivot)
        text, verb = (show(value, "mm"), "Moved") if grip.kind == "move" else (show(value, "°"), "Turned")
        session.apply(f"{verb} {session.selected_name()}", document, ("handle", self._number))
        self._at = at
        self._say(self._typed or text)

    def _say(self, text: str) -> None:
        assert self.grip is not None
        self.picture.say_at(self._at, f"{NAMES[self.grip.axis]}  {text}", "type a number to be exact")

    def _end(self) -> None:
        if self.grip is not None:
            self.session.history.end_merge()
            self.picture.hush()
        self.grip, self._typed = None, ""

    def draw(self, painter: QPainter) -> None:
        """The handles."""
        handles = self.handles()
        if handles and handles.centre[2] > 0:
            handles.draw(painter, self.grip or self.hot)
