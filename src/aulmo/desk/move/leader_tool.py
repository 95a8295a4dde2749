"""One click on a part: what is selected follows it, with a path or without."""

from PySide6.QtCore import QPoint, Qt

from aulmo.desk.move.film_desk import FilmDesk
from aulmo.desk.picture.tools.tool import Tool


class LeaderTool(Tool):
    """Click the part that is to be followed; its group where the part itself is followed already."""

    name = "leader"
    hint = "Click the part that it should follow · Esc gives up"
    pointer = Qt.CursorShape.CrossCursor

    def __init__(self, picture, desk: FilmDesk) -> None:
        super().__init__(picture)
        self.desk = desk
        self._followers: tuple[str, ...] = ()

    def take(self) -> None:
        """Who will follow."""
        self._followers = tuple(t for t in self.desk.things() if t.startswith("parts/"))

    def hover(self, at: QPoint) -> bool:
        """Whom it would follow."""
        part = self.session.document.parts.get(self.picture.part_at(at) or "")
        own = part is not None and f"parts/{part.id}" in self._followers
        self.picture.say_at(at, "Follows" if part is not None and not own else "Not this", part.name if part is not None else "click a part")
        return True

    def press(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Follow it."""
        leader = self.picture.part_at(at)
        if leader is None or f"parts/{leader}" in self._followers:
            self.session.hint.emit("Click another part, which this one should follow")
            return
        self.session.set_tool("")
        motion = self.desk.motion
        if motion is not None and motion.kind == "follow":
            self.desk.lead(motion, leader)
        else:
            self.desk.add_motion("follow", list(self._followers), leader=leader)
