"""Clicks that set the camera: what it keeps looking at, and what is white."""

import numpy as np
from PySide6.QtCore import QPoint, Qt

from aulmo.desk.picture.tools.tool import Tool
from aulmo.frame.exposure import gains_of, white_gains, white_of
from aulmo.surface.colour import LUMINANCE
from aulmo.trace.plate import light_of


class LookAtTool(Tool):
    """One click: the shot's camera turns to it, and keeps looking there when it is moved."""

    name = "look at"
    hint = "Click what the camera should look at · Esc gives up"
    pointer = Qt.CursorShape.CrossCursor

    def press(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Turn the camera."""
        point, session = self.picture.point_at(at), self.session
        if point is None:
            session.hint.emit("There is nothing to look at there")
            return
        address = f"cameras/{session.camera.id}"
        target = tuple(round(float(v), 4) for v in point)
        if session.put({f"{address}/target": target, f"{address}/keeps_target": True}, told="Looks at that"):
            session.set_tool("")


class WhiteTool(Tool):
    """One click on something grey: it becomes neutral."""

    name = "white"
    hint = "Click something that should be grey · Esc gives up"
    pointer = Qt.CursorShape.CrossCursor

    def press(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """White and tint of the shot's camera by the colour of the light there."""
        session, found = self.session, self._light(at)
        if found is None:
            session.hint.emit("It is too dark there, or burnt out; click something grey that is lit")
            return
        camera = session.camera
        # what is seen was multiplied by the present gains: the light itself is behind them
        kelvin, tint = white_of(found / white_gains(camera))
        gains = gains_of(kelvin, tint)
        address = f"cameras/{camera.id}"
        values = {f"{address}/kelvin": round(min(40000.0, kelvin), 0), f"{address}/tint": round(tint, 1)}
        if np.isfinite(gains).all() and session.put(values, told="White taken from the picture"):
            session.set_tool("")

    def _light(self, at: QPoint) -> np.ndarray | None:
        """(3,) ACEScg of what is shown about a point, in shares of white; None where it tells no colour."""
        pixels = self.picture.unfinished_pixels()
        if pixels is None:
            return None
        h, w = pixels.shape[:2]
        x, y = at.x() * w // max(1, self.picture.width()), at.y() * h // max(1, self.picture.height())
        about = pixels[max(0, y - 2) : y + 3, max(0, x - 2) : x + 3].reshape(-1, 3)
        if not len(about) or float(about.mean()) < 6 or float(about.max()) > 250:
            return None
        shot = self.session.shot
        view = shot.view if shot is not None and self.picture.traced else "Product neutral"
        light = light_of(about.astype(np.float32)[None] / 255, view)[0].mean(0).astype(float)
        return light if float(LUMINANCE @ light) > 1e-4 else None
