"""The tool that nudges the camera under a grid on the floor or a wall."""

from typing import Any

from msgspec.structs import replace
from PySide6.QtCore import QPoint, Qt

from aulmo.desk.frame.photo_desk import PhotoDesk
from aulmo.desk.frame.photo_tool import CONTROL, SHIFT, PhotoTool
from aulmo.desk.picture.view_motion import zoom_keeping_size
from aulmo.document import edits
from aulmo.document.quantity import show
from aulmo.errors import BadValue
from aulmo.frame import matching


class GridTool(PhotoTool):
    """Nudge the view by its grid: slide, turn, tilt and roll, or another lens with the size kept."""

    name = "grid"
    hint = "Drag the grid · Ctrl-drag turns it · Shift-drag tilts up and down, rolls across · the wheel changes the lens, the size stays · Esc: done"
    pointer = Qt.CursorShape.OpenHandCursor

    def __init__(self, desk: PhotoDesk) -> None:
        super().__init__(desk)
        self._from: Any = None
        self._press = QPoint()
        self._key: Any = None

    def take(self) -> None:
        """The grid is seen while it is in hand."""
        if self.desk.grid == "none":
            self.desk.grid = "floor"
        self.picture.update()

    def press(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Take hold."""
        if self.ready():
            self._from, self._press, self._key = self.session.camera, at, self.desk.fresh_merge()

    def drag(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Pull the grid along."""
        if self._from is None or self.desk.shot is None:
            return
        shot, frame = self.desk.shot, self.picture.frame_rect()
        size = (shot.width, shot.height)
        f = shot.width / max(1, frame.width())
        here, there = (((p.x() - frame.left()) * f, (p.y() - frame.top()) * f) for p in (self._press, at))
        dx, dy = at.x() - self._press.x(), at.y() - self._press.y()
        try:
            if modifiers & CONTROL:
                made, words = matching.turned(self._from, 0.2 * dx), f"turned {0.2 * dx:+.1f}°"
            elif modifiers & SHIFT:
                made = matching.rolled(matching.tilted(self._from, 0.05 * dy), 0.05 * dx)
                words = f"tilted {0.05 * dy:+.1f}°, rolled {0.05 * dx:+.1f}°"
            else:
                made, words = matching.slid(self._from, size, here, there), "slid"
        except BadValue as error:
            self.picture.say_at(at, str(error))
            return
        self._put("Nudged the grid", made)
        self.picture.say_at(at, "Grid", words)

    def _put(self, told: str, camera: Any) -> None:
        self.session.apply(told, edits.put_camera(self.session.document, camera), self._key)

    def wheel(self, at: QPoint, steps: float) -> bool:
        """Another lens; what stands at the origin keeps its size."""
        if not self.ready():
            return True
        camera = self.session.camera
        aimed = replace(camera, target=(0.0, 0.0, 0.0))
        made = zoom_keeping_size(aimed, camera.focal_length_mm * 1.03**steps)
        way = [b - a for a, b in zip(camera.position, made.position)]
        made = replace(made, target=tuple(a + b for a, b in zip(camera.target, way)))
        self._key = ("photograph lens", camera.id)
        self._put("Lens of the photograph", made)
        self.picture.say_at(at, show(made.focal_length_mm, "mm", 1), "the size at the origin is kept")
        return True

    def release(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Done."""
        self._from = None
        self.session.history.end_merge()
        self.picture.hush()
