"""Views along the axes: from the front, right, top and their opposites, parallel, by keys and from a small compass in the picture's corner."""

from typing import Any

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QPoint, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from aulmo.desk.picture.overlay import Overlay
from aulmo.desk.shell import theme
from aulmo.document.meshes import corners_of
from aulmo.document.records import Camera
from aulmo.frame.camera import camera_axes
from aulmo.prepare import arrange

# where one stands, by name: direction from the middle, and the key
SIDES = {
    "front": ((0.0, -1.0, 0.0), "Alt+Home"), "back": ((0.0, 1.0, 0.0), "Alt+End"), "right": ((1.0, 0.0, 0.0), "Alt+Right"),
    "left": ((-1.0, 0.0, 0.0), "Alt+Left"), "top": ((0.0, 0.0, 1.0), "Alt+Up"), "below": ((0.0, 0.0, -1.0), "Alt+Down"),
}  # fmt: skip
REACH, KNOB, OFF = 25.0, 7.5, 44.0  # pixels: of an arm, of its end, of the middle from the corner
FILLS = 0.82  # of the frame
LETTERS = {"right": "R", "left": "L", "front": "F", "back": "B", "top": "T", "below": "D"}


def from_side(side: str) -> str:
    """Where one stands, in words."""
    return "from below" if side == "below" else f"from the {side}"


def side_view(camera: Camera, box: tuple[np.ndarray, np.ndarray], side: str, ratio: float) -> Camera:
    """A parallel view of a box from one of the `SIDES`, for a frame `ratio` times as wide as high."""
    low, high = (np.asarray(b, float) for b in box)
    middle, way = 0.5 * (low + high), np.array(SIDES[side][0])
    away = max(100.0, 3.0 * float(np.linalg.norm(high - low)))
    x, y, z = (middle + way * away).tolist()
    seen = replace(
        camera, id="", name=from_side(side).capitalize(), position=(x, y, z), target=tuple(middle.tolist()), roll=0.0,
        shift_x=0.0, shift_y=0.0, projection="parallel", keeps_target=False, looks_at=None, depth_of_field=False, motion_blur=False, near_mm=0.0,
    )  # fmt: skip
    right, up, _ = camera_axes(seen)
    corners = np.array(corners_of(low, high)) - middle
    wide, tall = 2 * np.abs(corners @ right).max(), 2 * np.abs(corners @ up).max()
    return replace(seen, span_mm=float(max(wide, tall * ratio, 1e-3) / FILLS))


class Compass(Overlay):
    """The compass: six ends, each a view. It is there in a free view, and in Prepare."""

    def __init__(self, picture: Any, always: tuple[str, ...]) -> None:
        self.picture, self.session, self._always = picture, picture.session, always

    def look(self, side: str) -> None:
        """See the selection, else the product, from a side."""
        session, picture = self.session, self.picture
        shown, assets = session.shown, session.assets
        box = arrange.bounds(shown, assets, session.selection) if session.selection else arrange.product_bounds(shown, assets)
        if box is None:
            session.hint.emit("There is nothing to look at yet")
            return
        frame = picture.frame_rect()
        session.set_view(side_view(session.view, box, side, frame.width() / max(1, frame.height())))
        session.hint.emit(f"{session.view.name}, parallel · 0 goes back to the shot’s camera")

    def shown(self) -> bool:
        """Whether it is drawn now."""
        session = self.session
        there = session.free_view is not None or session.stage in self._always
        return there and not session.playing and self.picture.draft is not None and self.picture.height() > 200

    def _middle(self) -> QPointF:
        return QPointF(OFF, self.picture.height() - OFF)

    def ends(self) -> list[tuple[str, QPointF, float]]:
        """The six ends: which side, where, and how far toward the eye; the farthest first."""
        right, up, ahead = camera_axes(self.session.view)
        found = []
        for side, (way, _) in SIDES.items():
            d = np.array(way)
            found.append((side, self._middle() + QPointF(float(d @ right), -float(d @ up)) * REACH, -float(d @ ahead)))
        return sorted(found, key=lambda e: e[2])

    def draw(self, painter: QPainter) -> None:
        """Three arms, six ends; those that point away are hollow."""
        t = theme.current()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        small = painter.font()
        plain = painter.font()
        small.setPixelSize(9)
        small.setWeight(small.Weight.DemiBold)
        painter.setFont(small)
        for side, at, near in self.ends():
            if near > -0.2:
                painter.setPen(QPen(QColor(240, 240, 240, 170), 1.6))
                painter.drawLine(self._middle(), at)
            painter.setPen(QPen(QColor(20, 20, 20, 170), 1))
            painter.setBrush(QColor(t.text) if near >= -0.2 else QColor(70, 70, 70, 210))
            painter.drawEllipse(at, KNOB, KNOB)
            painter.setPen(QColor("#1e1e1e") if near >= -0.2 else QColor("#c8c8c8"))
            painter.drawText(QRectF(at.x() - KNOB, at.y() - KNOB, 2 * KNOB, 2 * KNOB), Qt.AlignmentFlag.AlignCenter, LETTERS[side])
        painter.setFont(plain)

    def _under(self, x: float, y: float) -> str:
        near = [(side, near) for side, at, near in self.ends() if (at - QPointF(x, y)).manhattanLength() < 1.4 * KNOB]
        return max(near, key=lambda n: n[1])[0] if near else ""

    def at(self, x: float, y: float) -> str:
        """A side under the cursor."""
        side = self._under(x, y)
        return f"sides/{side}" if side else ""

    def words(self, address: str) -> tuple[str, str]:
        """Which one."""
        side = address[6:]
        return from_side(side).capitalize(), SIDES[side][1]

    def press(self, at: QPoint) -> bool:
        """Look from there."""
        side = self._under(at.x(), at.y())
        if side:
            self.look(side)
        return bool(side)
