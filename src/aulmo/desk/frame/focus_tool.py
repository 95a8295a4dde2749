"""Depth of field by clicking what should be sharp."""

import numpy as np
from PySide6.QtCore import QPoint, Qt

from aulmo.desk.picture.tools.tool import Tool
from aulmo.frame.camera import camera_axes


class FocusTool(Tool):
    """One click, then it is put away."""

    name = "focus"
    hint = "Click what should be sharp · Esc gives up"
    pointer = Qt.CursorShape.CrossCursor

    def press(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Focus the shot's camera on what is there."""
        point, session = self.picture.point_at(at), self.session
        if point is None:
            session.hint.emit("There is nothing to be sharp there")
            return
        camera = session.camera
        _, _, forward = camera_axes(camera)
        distance = float((point - np.array(camera.position)) @ forward)
        if distance <= 0:
            session.hint.emit("That lies behind the shot's camera")
            return
        address = f"cameras/{camera.id}"
        session.put({f"{address}/focus": round(distance, 3), f"{address}/depth_of_field": True}, told="Focused")
        session.set_tool("")

    def hover(self, at: QPoint) -> bool:
        """Say what would be sharp."""
        part = self.session.document.parts.get(self.picture.part_at(at) or "")
        if part is None:
            self.picture.hush()
        else:
            self.picture.say_at(at, "Sharp here", part.name)
        return True
