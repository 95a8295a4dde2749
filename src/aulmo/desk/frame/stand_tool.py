"""The tool that says where in the photograph the product stands."""

from typing import Any

from msgspec.structs import replace
from PySide6.QtCore import QPoint, Qt

from aulmo.desk.frame.photo_tool import PhotoTool
from aulmo.document import edits
from aulmo.document.records import Pair
from aulmo.errors import BadValue
from aulmo.frame import matching


class StandTool(PhotoTool):
    """One click: there the middle of the scene stands."""

    name = "stands here"
    hint = "Click where the product stands · Esc gives up"

    def press(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Move the camera so that the scene's middle is seen there."""
        if not self.ready():
            return
        pixel = self.desk.to_photo(at)
        if self.desk.photo is not None and matching.enough(self.desk.photo):
            try:
                matching.found_camera(matching.put_photograph(self.session.document, self.desk.shot.id, replace(self.desk.photo, origin=pixel)),  # type: ignore[union-attr]
                                      self.desk.shot.id)  # type: ignore[union-attr]  # fmt: skip
            except BadValue as error:
                self.session.trouble.emit(str(error))
                return
            self.desk.mark("The product stands there", lambda p: replace(p, origin=pixel), True)
        else:
            self.desk.edit("The product stands there", lambda d, s: _stood(d, s, pixel))
        self.session.set_tool("")


def _stood(document: Any, shot_id: str, pixel: Pair) -> Any:
    """The shot's camera moved so that it sees the origin at a pixel of its photograph."""
    from aulmo.frame.shadow_stick import on_plane

    shot, photo = matching.photograph_of(document, shot_id)
    spot = on_plane(matching.photo_camera(document, shot_id), matching.size_of(photo), pixel)
    camera = document.cameras[shot.camera]
    move = lambda p: tuple(float(a - b) for a, b in zip(p, spot))  # noqa: E731
    document = edits.put_camera(document, replace(camera, position=move(camera.position), target=move(camera.target)))
    return matching.put_photograph(document, shot_id, replace(photo, origin=pixel))
