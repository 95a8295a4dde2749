"""Letting a ring, a box or a ball of copies go round a point that is clicked; the rim of a hole or a wheel gives its middle and its axis."""

import numpy as np
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QPainter

from aulmo.desk.picture.snap import Caught, caught, mark
from aulmo.desk.picture.tools.tool import Tool
from aulmo.document.placement import world_matrix


class CentreTool(Tool):
    """One click, then it is put away."""

    name = "centre"
    hint = "Click the middle of the copies; a rim gives its middle and its axis · Esc gives up"
    pointer = Qt.CursorShape.CrossCursor

    def __init__(self, picture) -> None:
        super().__init__(picture)
        self._over: Caught | None = None

    def put_away(self) -> None:
        """Nothing under the hand any more."""
        self._over = None

    def press(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Take it."""
        session, found = self.session, caught(self.picture, at, plain=bool(modifiers & Qt.KeyboardModifier.AltModifier))
        group = session.selection[0] if len(session.selection) == 1 else ""
        if found is None or group not in session.document.parts or session.document.parts[group].copies is None:
            session.hint.emit("Choose copies, then click a point on anything")
            return
        world = world_matrix(session.document, group)
        own = np.linalg.solve(world, [*found.point, 1.0])[:3]
        values: dict = {f"parts/{group}/copies/centre": tuple(float(round(v, 5)) for v in own)}
        if found.circle is not None:
            way = np.abs(np.linalg.solve(world[:3, :3], found.circle.normal))
            if way.max() > 0.99 * np.linalg.norm(way):
                values[f"parts/{group}/copies/axis"] = "xyz"[int(np.argmax(way))]
        session.put(values, told=f"Centre of {session.selected_name()}")
        session.set_tool("")

    def hover(self, at: QPoint) -> bool:
        """Say what it would be."""
        self._over = caught(self.picture, at)
        if self._over is None:
            self.picture.hush()
        else:
            self.picture.say_at(at, "Round here", self._over.words)
        self.picture.update()
        return True

    def draw(self, painter: QPainter) -> None:
        """What it would be put on."""
        if self._over is not None:
            mark(painter, self.picture.place_on_screen(self._over.point), self._over.words)
