"""Picking faces of a part: clicks, a box, growing to what belongs together."""

import numpy as np
from PySide6.QtCore import QPoint, QRect, Qt

from aulmo.desk.picture.snap import face_at
from aulmo.desk.picture.tools.select import Select
from aulmo.document.quantity import counted
from aulmo.prepare.faces import Grow, faces_of_asset, grown

GROWS: dict[str, str] = {"one": "One face", "tangent": "What runs on", "radius": "Same radius", "alike": "Alike"}


class FacesTool(Select):
    """A click picks a face or gives it back; what it brings along is chosen on the bench."""

    name = "faces"
    hint = "Click faces to pick them, again to give back · drag a box · Esc ends"
    pointer = Qt.CursorShape.PointingHandCursor

    def __init__(self, picture) -> None:
        super().__init__(picture)
        self.grow = "one"

    def put_away(self) -> None:
        """Forget a box that was begun."""
        super().put_away()
        self.picture.hush()

    def click(self, at: QPoint, add: bool) -> None:
        """Pick a face and what it brings along, or give it back."""
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

    def take_box(self, box: QRect, add: bool) -> None:
        """Faces that are seen in a box, of the part that is picked from, or of the one most of it shows."""
        picture, session = self.picture, self.session
        if picture.draft is None or picture.scene is None:
            return
        rows, columns = self.pixels_of(box)
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
