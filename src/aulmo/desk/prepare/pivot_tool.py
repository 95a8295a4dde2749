"""Putting the pivot of a part where one clicks."""

from PySide6.QtCore import Qt

from aulmo.desk.picture.snap import Caught
from aulmo.desk.picture.tools.point import PointTool
from aulmo.prepare import aligning


class PivotTool(PointTool):
    """A click on a corner, an edge, a face or a rim; a rim gives its middle."""

    name = "pivot"
    hint = "Click the point that it turns and scales about; a rim gives its middle · Esc gives up"

    def words(self, found: Caught) -> tuple[str, str]:
        """What it would be put on."""
        return "Pivot here", found.words

    def take_point(self, found: Caught | None, modifiers: Qt.KeyboardModifier) -> None:
        """Put it there."""
        session = self.session
        if found is None or len(session.selection) != 1:
            session.hint.emit("Choose one part, then click a point on anything")
            return
        session.apply(f"Pivot of {session.selected_name()}", aligning.set_pivot(session.document, session.selection[0], found.point))
        session.set_tool("handles")
