"""What the tools under the hand that mark a photograph share."""


from PySide6.QtCore import QPoint, Qt

from aulmo.desk.frame.photo_desk import PhotoDesk
from aulmo.desk.picture.tools.tool import Tool

SHIFT, CONTROL, ALT = Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.AltModifier


class PhotoTool(Tool):
    """A tool that works on the photograph alone: without one, or in a free view, it says so."""

    pointer = Qt.CursorShape.CrossCursor

    def __init__(self, desk: PhotoDesk) -> None:
        super().__init__(desk.picture)
        self.desk = desk
        self.at: QPoint | None = None

    def ready(self) -> bool:
        """Whether there is a photograph to be marked, seen from where it was taken."""
        if self.desk.photo is None:
            self.session.hint.emit("Drop a photograph on the picture first")
            return False
        if self.session.free_view is not None:
            self.session.set_view(None)
        if self.session.camera.projection == "panorama":
            self.session.trouble.emit("A panorama shows everything round and has no sight lines; choose Perspective.")
            return False
        return True

    def put_away(self) -> None:
        """Nothing in hand."""
        self.at = None
        self.picture.hush()

    def hover(self, at: QPoint) -> bool:
        """The cursor alone."""
        self.at = at
        self.picture.update()
        return True
