"""Standing the selection on what is clicked."""

from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from aulmo.desk.picture.snap import Caught, caught
from aulmo.desk.picture.tools.point import PointTool
from aulmo.desk.shell import theme
from aulmo.document import edits
from aulmo.prepare import standing


class StandTool(PointTool):
    """A click lets the selection come to rest there; without a selection the first click chooses what is to stand."""

    name = "stand"
    hint = "Click where it is to stand · Shift keeps it upright · Esc gives up"

    def _standing(self) -> list[str]:
        return edits.topmost(self.session.document, list(self.session.selection))

    def find(self, at: QPoint, plain: bool = False) -> Caught | None:
        """What lies under what stands."""
        return caught(self.picture, at, set(edits.leaves(self.session.resolved, self._standing())), plain=True)

    def words(self, found: Caught) -> tuple[str, str]:
        """Who would stand on what."""
        part = self.session.document.parts.get(self.picture.stored(found.part) or "") if found.part else None
        return f"{self.session.selected_name()} stands here", f"on {part.name if part else 'the floor'} · Shift keeps it upright"

    def press(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Choose, or stand."""
        if self.session.selection:
            super().press(at, modifiers)
        else:
            self.picture.select.click(at, False)

    def take_point(self, found: Caught | None, modifiers: Qt.KeyboardModifier) -> None:
        """Let it come to rest."""
        session = self.session
        if found is None:
            session.hint.emit("There is nothing to stand on there")
            return
        upright = bool(modifiers & Qt.KeyboardModifier.ShiftModifier)

        def run() -> None:
            document = session.document
            for part_id in self._standing():
                document = standing.stand_on(document, session.assets, part_id, found.point, found.normal, upright)
            session.apply(f"Stood {session.selected_name()} there", document)
            session.set_tool("")

        session.attempt(run)

    def hover(self, at: QPoint) -> bool:
        """Show where; while nothing is chosen, name what could be."""
        return super().hover(at) if self.session.selection else False

    def draw(self, painter: QPainter) -> None:
        """A ring on the surface and the way it faces."""
        if self.over is None:
            return
        start = self.picture.place_on_screen(self.over.point)
        end = self.picture.place_on_screen(self.over.point + self.over.normal * 40.0 * self.picture.mm_per_pixel(self.over.point))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for colour, width in (("#202020", 4.0), (theme.current().accent_hover, 2.0)):
            painter.setPen(QPen(QColor(colour), width))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(QPointF(start), 5, 5)
            painter.drawLine(start, end)
