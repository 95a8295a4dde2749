"""Letting a ring, a box or a ball of copies go round a point that is clicked; the rim of a hole or a wheel gives its middle and its axis."""

import numpy as np
from PySide6.QtCore import Qt

from aulmo.desk.picture.snap import Caught
from aulmo.desk.picture.tools.point import PointTool
from aulmo.document.placement import world_matrix


class CentreTool(PointTool):
    """One click, then it is put away."""

    name = "centre"
    hint = "Click the middle of the copies; a rim gives its middle and its axis · Esc gives up"

    def words(self, found: Caught) -> tuple[str, str]:
        """What it would go round."""
        return "Round here", found.words

    def take_point(self, found: Caught | None, modifiers: Qt.KeyboardModifier) -> None:
        """Take it."""
        session = self.session
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
