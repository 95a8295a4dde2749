"""The tool that marks something grey in a photograph."""

import math
from typing import Any

from msgspec.structs import replace
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QPainter

from aulmo.desk.frame.photo_desk import PhotoDesk
from aulmo.desk.frame.photo_marks import draw_box
from aulmo.desk.frame.photo_tool import PhotoTool
from aulmo.document.records import GreyPatch, Pair


class PatchTool(PhotoTool):
    """Drag over something that is known to be grey."""

    name = "grey patch"
    hint = "Drag over something grey, or of a known value · Esc gives up"

    def __init__(self, desk: PhotoDesk) -> None:
        super().__init__(desk)
        self._start: Pair | None = None
        self.done: Any = None

    def put_away(self) -> None:
        """Let go."""
        super().put_away()
        self._start = None

    def press(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """One corner."""
        if self.ready():
            self._start = self.desk.to_photo(at)

    def drag(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Draw on."""
        self.at = at
        self.picture.update()

    def release(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """The patch stands; the camera is matched to it."""
        start, self._start = self._start, None
        if start is None:
            return
        end = self.desk.to_photo(at)
        if math.dist(start, end) < 2:
            self.session.hint.emit("Drag across the patch")
            return
        (x0, x1), (y0, y1) = sorted((start[0], end[0])), sorted((start[1], end[1]))
        self.desk.mark("Grey patch", lambda p: replace(p, patch=GreyPatch((x0, y0, x1, y1), p.patch.value if p.patch is not None else 0.18)))
        self.session.set_tool("")
        if self.done is not None:
            self.done()

    def draw(self, painter: QPainter) -> None:
        """The patch in hand."""
        if self._start is not None and self.at is not None and self.desk.photo is not None:
            draw_box(painter, self.desk, (*self._start, *self.desk.to_photo(self.at)))
