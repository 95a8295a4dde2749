"""Standing the selection on what is clicked."""

from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from aulmo.desk.picture.snap import Caught, caught
from aulmo.desk.picture.tools.tool import Tool
from aulmo.desk.shell import theme
from aulmo.document import edits
from aulmo.prepare import standing


class StandTool(Tool):
    """A click lets the selection come to rest there; without a selection the first click chooses what is to stand."""

    name = "stand"
    hint = "Click where it is to stand · Shift keeps it upright · Esc gives up"
    pointer = Qt.CursorShape.CrossCursor

    def __init__(self, picture) -> None:
        super().__init__(picture)
        self._over: Caught | None = None

    def put_away(self) -> None:
        """Nothing under the hand any more."""
        self._over = None

    def _standing(self) -> list[str]:
        return edits.topmost(self.session.document, list(self.session.selection))

    def _under(self, at: QPoint) -> Caught | None:
        return caught(self.picture, at, set(edits.leaves(self.session.resolved, self._standing())), plain=True)

    def press(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Choose, or stand."""
        session = self.session
        if not session.selection:
            self.picture.select.click(at, False)
            return
        found = self._under(at)
        if found is None:
            session.hint.emit("There is nothing to stand on there")
            return
        upright = bool(modifiers & Qt.KeyboardModifier.ShiftModifier)
        chosen = self._standing()

        def run() -> None:
            document = session.document
            for part_id in chosen:
                document = standing.stand_on(document, session.assets, part_id, found.point, found.normal, upright)
            session.apply(f"Stood {session.selected_name()} there", document)
            session.set_tool("")

        session.attempt(run)

    def hover(self, at: QPoint) -> bool:
        """Show where, and how it would be turned."""
        session = self.session
        if not session.selection:
            return False
        self._over = self._under(at)
        if self._over is None:
            self.picture.hush()
        else:
            part = session.document.parts.get(self.picture.stored(self._over.part) or "") if self._over.part else None
            self.picture.say_at(at, f"{session.selected_name()} stands here", f"on {part.name if part else 'the floor'} · Shift keeps it upright")
        self.picture.update()
        return True

    def draw(self, painter: QPainter) -> None:
        """A ring on the surface and the way it faces."""
        if self._over is None:
            return
        start = self.picture.place_on_screen(self._over.point)
        size = 40.0 * self.picture.mm_per_pixel(self._over.point)
        end = self.picture.place_on_screen(self._over.point + self._over.normal * size)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for colour, width in (("#202020", 4.0), (theme.current().accent_hover, 2.0)):
            painter.setPen(QPen(QColor(colour), width))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(QPointF(start), 5, 5)
            painter.drawLine(start, end)
