"""Softboxes in the picture: marks on the dome behind the product, pulled, sized and turned there with the tool that `T` takes in hand."""

import numpy as np
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QPainter

from aulmo.desk.light import grips
from aulmo.desk.picture.overlay import Overlay
from aulmo.desk.picture.tools.tool import Tool
from aulmo.document.lens import half_tangent
from aulmo.document.records import Camera, Softbox
from aulmo.frame.camera import camera_axes, ray_through
from aulmo.light.softbox import within
from aulmo.light.staying import in_world

FAR = 1e7  # mm: as good as endless


class Seen:
    """The dome through a camera: `grips.Surface`."""

    def __init__(self, camera: Camera, width: int, height: int) -> None:
        self.camera, self.width, self.height = camera, width, height
        self._axes = camera_axes(camera)

    def places(self, directions: np.ndarray) -> np.ndarray:
        """(n, 2) pixels where directions are seen, NaN behind the camera."""
        right, up, forward = self._axes
        camera = self.camera
        if camera.projection == "parallel":
            return np.full((len(directions), 2), np.nan)
        ahead = directions @ forward
        safe = np.where(ahead > 0.05, ahead, np.nan)
        tan_w = half_tangent(camera)
        sx = (directions @ right) / safe / tan_w - 2 * camera.shift_x
        sy = (directions @ up) / safe / (tan_w * self.height / self.width) - 2 * camera.shift_y
        return np.stack([(sx + 1) * self.width / 2, (1 - sy) * self.height / 2], 1)

    def direction(self, x: float, y: float) -> np.ndarray:
        """What lies at a pixel."""
        return ray_through(self.camera, x, y, self.width, self.height)[1]


class SoftboxMarks(Overlay):
    """The marks as an overlay: shown while light is worked on."""

    def __init__(self, picture) -> None:
        self.picture, self.session = picture, picture.session

    def shown(self) -> bool:
        """Whether they are drawn now."""
        return self.session.stage == "Light" and bool(self.session.resolved.environment.softboxes)

    def surface(self) -> Seen:
        """The dome as the picture sees it."""
        return Seen(self.picture.wide_camera(), self.picture.width(), self.picture.height())

    def hidden(self, places: np.ndarray) -> np.ndarray:
        """(n,) bool: places of the picture where a part stands before the dome."""
        draft = self.picture.draft
        if draft is None:
            return np.zeros(len(places), bool)
        h, w = draft.parts.shape
        x = (places[:, 0] * w / max(1, self.picture.width())).astype(int)
        y = (places[:, 1] * h / max(1, self.picture.height())).astype(int)
        inside = (x >= 0) & (x < w) & (y >= 0) & (y < h)
        found = np.zeros(len(places), bool)
        found[inside] = draft.parts[y[inside], x[inside]] >= 0
        return found

    def draw(self, painter: QPainter) -> None:
        """Paint them."""
        chosen, on = self.session.softbox, self.surface()
        for box in grips.seen(self.session):
            mine = chosen is not None and box.id == chosen.id
            grips.draw(painter, box, on, mine, self.picture.hot == f"softboxes/{box.id}", self.hidden)

    def at(self, x: float, y: float) -> str:
        """The softbox whose outline lies near a point of the dome, or nothing."""
        if self.hidden(np.array([[x, y]]))[0]:
            return ""
        on = self.surface()
        for box in reversed(grips.seen(self.session)):
            if within(box, on.direction(x, y)[None])[0]:
                return f"softboxes/{box.id}"
        return ""

    def words(self, address: str) -> tuple[str, str]:
        """What the cursor says over one."""
        box = next(b for b in self.session.document.environment.softboxes if f"softboxes/{b.id}" == address)
        return box.name, f"{box.kind} softbox · {box.stops:+.1f} stops · T pulls it here"


class SoftboxTool(Tool):
    """Pull, size and turn the selected softbox where it is seen."""

    name = "softbox"
    hint = "Drag the softbox to move it, its sides to size it, its knob to turn it · Shift keeps its shape · Esc: done"
    pointer = Qt.CursorShape.SizeAllCursor

    def __init__(self, picture, marks: SoftboxMarks) -> None:
        super().__init__(picture)
        self.marks = marks
        self._held: tuple[Softbox, str, np.ndarray] | None = None

    def put_away(self) -> None:
        """Let go."""
        self._held = None

    def _chosen(self) -> Softbox | None:
        box = self.session.softbox
        return in_world(self.session.resolved, box, self.session.view) if box is not None else None

    def press(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Take hold of a grip, or choose another softbox."""
        on, box = self.marks.surface(), self._chosen()
        grip = grips.grip_at(box, on, at.x(), at.y()) if box is not None else ""
        if box is None or not grip:
            other = self.marks.at(at.x(), at.y())
            if other:
                self.session.select((), other)
            return
        if box.locked:
            self.session.hint.emit(f"{box.name} is locked")
            return
        self._held = (box, grip, on.direction(at.x(), at.y()))

    def drag(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Pull."""
        if self._held is None:
            return
        box, grip, start = self._held
        keeps = bool(modifiers & Qt.KeyboardModifier.ShiftModifier)
        world = grips.pulled(box, grip, start, self.marks.surface().direction(at.x(), at.y()), keeps)
        grips.put(self.session, world, grip)
        self.picture.say_at(at, box.name, grips.said(world, grip))

    def release(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Done."""
        self._held = None
        self.session.history.end_merge()
        self.picture.hush()
