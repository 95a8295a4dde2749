"""Picking faces of a part: clicks, a box, growing to what belongs together."""

import numpy as np
from PySide6.QtCore import QPoint, QRect, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from aulmo.desk.picture.snap import face_at
from aulmo.desk.picture.tools.tool import Tool
from aulmo.desk.shell import theme
from aulmo.document.quantity import counted
from aulmo.prepare.faces import Grow, faces_of_asset, grown

GROWS: dict[str, str] = {"one": "One face", "tangent": "What runs on", "radius": "Same radius", "alike": "Alike"}


class FacesTool(Tool):
    """A click picks a face or gives it back; what it brings along is chosen on the bench."""

    name = "faces"
    hint = "Click faces to pick them, again to give back · drag a box · Esc ends"
    pointer = Qt.CursorShape.PointingHandCursor

    def __init__(self, picture) -> None:
        super().__init__(picture)
        self.grow = "one"
        self._press: QPoint | None = None
        self.box: QRect | None = None

    def take(self) -> None:
        """Nothing is begun."""
        self._press = self.box = None

    def put_away(self) -> None:
        """Forget a box that was begun."""
        self._press = self.box = None
        self.picture.hush()

    def press(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Begin."""
        self._press = at

    def drag(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """A box, once the hand has gone far enough."""
        if self._press is not None and (at - self._press).manhattanLength() > 6:
            self.box = QRect(self._press, at).normalized()
            self.picture.update()

    def release(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Take what is there."""
        if self._press is None:
            return
        if self.box is not None:
            self._take_box(self.box)
        else:
            self._click(at)
        self._press = self.box = None
        self.picture.update()

    def _click(self, at: QPoint) -> None:
        session, hit = self.session, self.picture.pick(at)
        part = self.picture.stored(hit.part) if hit is not None and hit.part is not None else None
        if part is None:
            session.pick_faces("", ())
            return
        face = face_at(self.picture, hit)
        if face is None:
            session.hint.emit("This part has no faces that could be told apart; split it by angle first")
            return
        if session.selection != (part,):
            session.select([part])
        held = set(session.picked[1]) if session.picked[0] == part else set()
        found = {face}
        if self.grow != "one":
            how: Grow = self.grow  # type: ignore[assignment]
            found = set(grown(faces_of_asset(session.assets, session.document.parts[part].mesh or ""), [face], how))
        session.pick_faces(part, held - found if face in held else held | found)

    def _take_box(self, box: QRect) -> None:
        """Faces that are seen in a box, of the part that is picked from, or of the one most of it shows."""
        picture, session = self.picture, self.session
        if picture.draft is None or picture.scene is None:
            return
        h, w = picture.draft.parts.shape
        fx, fy = w / max(1, picture.width()), h / max(1, picture.height())
        rows = slice(max(0, int(box.top() * fy)), int(box.bottom() * fy) + 1)
        columns = slice(max(0, int(box.left() * fx)), int(box.right() * fx) + 1)
        parts, triangles = picture.draft.parts[rows, columns], picture.draft.triangles[rows, columns]
        numbers, counts = np.unique(parts[(parts >= 0) & (parts < len(picture.draft_parts))], return_counts=True)
        mine = [n for n in numbers.tolist() if picture.stored(picture.draft_parts[n]) == session.picked[0]]
        if not mine and len(numbers):
            mine = [int(numbers[int(np.argmax(counts))])]
        if not mine:
            return
        part = picture.stored(picture.draft_parts[mine[0]])
        held = picture.face_numbers(mine[0])
        inside = triangles[parts == mine[0]]
        if part is None or not len(held) or int(inside.max(initial=0)) >= len(held):
            return
        if session.selection != (part,):
            session.select([part])
        before = session.picked[1] if session.picked[0] == part else ()
        session.pick_faces(part, {*before, *np.unique(held[inside]).tolist()})

    def hover(self, at: QPoint) -> bool:
        """Say which face it is."""
        hit = self.picture.pick(at)
        part = self.picture.stored(hit.part) if hit is not None and hit.part is not None else None
        face = face_at(self.picture, hit) if part is not None else None
        if face is None:
            self.picture.hush()
            return True
        picked = self.session.picked
        name = self.session.document.parts[part or ""].name
        count = counted(len(picked[1]), "face") + " picked" if picked[0] == part else "click to pick"
        self.picture.say_at(at, f"{name}, face {face + 1}", count)
        return True

    def draw(self, painter: QPainter) -> None:
        """The box."""
        if self.box is not None:
            colour = QColor(theme.current().accent_hover)
            painter.setPen(QPen(colour, 1))
            colour.setAlpha(30)
            painter.setBrush(colour)
            painter.drawRect(self.box)
