"""Putting a set piece where one clicks."""

from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QKeyEvent, QPainter

from aulmo.desk.picture.snap import Caught, caught
from aulmo.desk.picture.tools.point import PointTool
from aulmo.document.property_table import PIECE_KINDS
from aulmo.prepare import pieces


class PlaceTool(PointTool):
    """One click puts the chosen kind there, standing on what is under it."""

    name = "place"
    hint = "Click where it stands · Return puts it at the origin · Shift-click puts several · Esc gives up"

    def __init__(self, picture) -> None:
        super().__init__(picture)
        self.kind = "block"

    def find(self, at: QPoint, plain: bool = False) -> Caught | None:
        """The very point under the cursor."""
        return caught(self.picture, at, plain=True)

    def words(self, found: Caught) -> tuple[str, str]:
        """What would stand where."""
        part = self.session.document.parts.get(self.picture.stored(found.part) or "") if found.part else None
        return PIECE_KINDS[self.kind], f"on {part.name if part else 'the floor'}"

    def take_point(self, found: Caught | None, modifiers: Qt.KeyboardModifier) -> None:
        """Put it there."""
        if found is None:
            self.session.hint.emit("Click on the floor or on a part; Return puts it at the origin")
        else:
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

    def draw(self, painter: QPainter) -> None:
        """The cursor says enough."""
