"""Putting a set piece where one clicks."""

from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QKeyEvent

from aulmo.desk.picture.snap import caught
from aulmo.desk.picture.tools.tool import Tool
from aulmo.document.property_table import PIECE_KINDS
from aulmo.prepare import pieces


class PlaceTool(Tool):
    """One click puts the chosen kind there, standing on what is under it."""

    name = "place"
    hint = "Click where it stands · Return puts it at the origin · Shift-click puts several · Esc gives up"
    pointer = Qt.CursorShape.CrossCursor

    def __init__(self, picture) -> None:
        super().__init__(picture)
        self.kind = "block"

    def press(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Put it there."""
        found = caught(self.picture, at, plain=True)
        if found is None:
            self.session.hint.emit("Click on the floor or on a part; Return puts it at the origin")
            return
        self._put(found.point, found.normal, bool(modifiers & Qt.KeyboardModifier.ShiftModifier))

    def key(self, event: QKeyEvent) -> bool:
        """Return puts it at the origin."""
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._put((0.0, 0.0, self.session.resolved.floor.height), (0.0, 0.0, 1.0), False)
            return True
        return False

    def _put(self, point, normal, again: bool) -> None:
        session = self.session

        def run() -> None:
            piece = pieces.set_piece(self.kind)
            document, made = pieces.add_piece(session.document, piece, point, normal, session.view.position)
            session.apply(f"Put up {document.parts[made].name}", document)
            session.select([made])

        session.attempt(run)
        if not again:
            session.set_tool("")

    def hover(self, at: QPoint) -> bool:
        """Say what would stand where."""
        found = caught(self.picture, at, plain=True)
        if found is None:
            self.picture.hush()
            return True
        part = self.session.document.parts.get(self.picture.stored(found.part) or "") if found.part else None
        self.picture.say_at(at, PIECE_KINDS[self.kind], f"on {part.name if part else 'the floor'}")
        return True
