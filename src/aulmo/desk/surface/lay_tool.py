"""A picture's lay in the hand: the projector moved and turned by handles, or the picture itself grabbed on the part and pulled."""

import math

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QColor, QKeyEvent, QPainter, QPen, QPolygonF

from aulmo.desk.picture.tools.grips import Grip, Handles
from aulmo.desk.picture.tools.handles import turned
from aulmo.desk.picture.tools.tool import Tool
from aulmo.desk.shell import theme
from aulmo.document import edits
from aulmo.document.placement import to_matrix, turn_matrix, world_matrices
from aulmo.document.quantity import show
from aulmo.document.records import Document, Lay, Placement
from aulmo.surface import laying
from aulmo.surface.lay_place import place_on_lay, pulled, uv_at


class LayTool(Tool):
    """Works on the lay that `lay_id` names of the material that is worked on, on the first part that is selected and wears it."""

    name = "lay"
    hint = "Drag the picture on the part, it follows the hand · arrows and rings move the projector, the knob sizes the picture · Esc is done"

    def __init__(self, picture) -> None:
        super().__init__(picture)
        self.lay_id = ""
        self.grip: Grip | None = None
        self.hot: Grip | None = None
        self._start: np.ndarray | None = None
        self._part = ""
        self._before: Document | None = None
        self._held: Handles | None = None
        self._number = 0
        self._press = QPoint()

    def lay(self) -> Lay | None:
        """The lay in hand."""
        material = self.session.resolved.materials.get(self.session.material_id or "")
        lays = material.lays if material is not None else ()
        return next((one for one in lays if one.id == self.lay_id), lays[0] if lays else None)

    def part(self) -> str:
        """The part whose axes the handles stand in: the first of the selection that wears the material."""
        users = set(edits.users_of(self.session.document, self.session.material_id or ""))
        return next((i for i in edits.leaves(self.session.document, self.session.selection) if i in users), next(iter(users), ""))

    def _matrix(self, lay: Lay) -> np.ndarray | None:
        part = self.part()
        if not part or lay.projection == "uv":
            return None
        return world_matrices(self.session.resolved)[part] @ to_matrix(Placement(position=lay.position, turn=lay.turn))

    def handles(self) -> Handles | None:
        """The projector's handles."""
        lay = self.lay()
        matrix = self._matrix(lay) if lay is not None else None
        if matrix is None:
            return None
        axes = matrix[:3, :3] / np.maximum(np.linalg.norm(matrix[:3, :3], axis=0), 1e-12)
        return Handles(matrix[:3, 3], self.picture.wide_camera(), self.picture.width(), self.picture.height(), axes, scales=True)

    def _grip_at(self, at: QPoint) -> Grip | None:
        handles = self.handles()
        grip = handles.grip_at(at.x(), at.y()) if handles is not None else None
        return grip if grip is None or grip.kind in ("move", "turn", "even", "free") else None

    def _place(self, at: QPoint, lay: Lay | None = None) -> tuple[str, np.ndarray] | None:
        """The part under a point and where that lies on a lay, the one in hand where none is said."""
        hit, lay = self.picture.pick(at), lay or self.lay()
        if hit is None or hit.part is None or lay is None:
            return None
        stored = self.picture.stored(hit.part)
        if stored is None or self.session.material_id not in edits.surfaces_of(self.session.document.parts[stored]):
            return None
        if lay.projection == "uv":
            mesh = self.session.assets.mesh(self.session.document.parts[stored].mesh or "")
            return (stored, uv_at(mesh, hit.triangle, hit.own)) if len(mesh.uv) else None
        normal = world_matrices(self.session.resolved)[hit.part][:3, :3].T @ hit.normal
        return stored, place_on_lay(lay, hit.own, normal)

    def press(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Take a handle, or the picture itself."""
        self._before, self._press = self.session.document, at
        self._number += 1
        self.grip, self._held = self._grip_at(at), self.handles()
        self._start = None
        if self.grip is None:
            found = self._place(at)
            if found is None:
                self.picture.select.press(at, modifiers)
            else:
                self._part, self._start = found

    def drag(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Pull."""
        material_id, before = self.session.material_id, self._before
        if before is None or material_id is None:
            return
        if self.grip is None and self._start is None:
            self.picture.select.drag(at, modifiers)
            return
        lay = next((one for one in before.materials[material_id].lays if one.id == (self.lay() or one).id), None)
        if lay is None:
            return
        made, words = self._changed(lay, at)
        if made is not None:
            self.session.apply("Laid the picture elsewhere", laying.put_lay(before, material_id, made), ("lay", self._number))
            self.picture.say_at(at, *words)

    def _changed(self, lay: Lay, at: QPoint) -> tuple[Lay | None, tuple[str, str]]:
        if self.grip is None:
            assert self._start is not None
            here = self._place(at, lay)
            if here is None or here[0] != self._part:
                return None, ("", "")
            made = pulled(lay, self._start, here[1])
            if lay.projection == "uv":
                return made, (f"{made.shift_x:.3f}, {made.shift_y:.3f}", "shifted")
            return made, (f"{show(made.offset_x_mm, 'mm')}, {show(made.offset_y_mm, 'mm')}", "right and up")
        handles = self._held
        assert handles is not None
        start, now_at = (self._press.x(), self._press.y()), (at.x(), at.y())
        part = world_matrices(self.session.resolved)[self.part()]
        if self.grip.kind == "even":
            grow = handles.scaled(self.grip, start, now_at)
            made = replace(lay, width_mm=round(lay.width_mm * grow, 4), height_mm=round(lay.height_mm * grow, 4))
            return made, (show(made.width_mm, "mm"), "width of one picture")
        if self.grip.kind == "turn":
            degrees = handles.turned(self.grip.axis, start, now_at)
            axis = turn_matrix(lay.turn)[:, self.grip.axis]
            return replace(lay, turn=turned(lay.turn, axis, degrees)), (show(degrees, "°"), "the projector")
        way = (
            handles.across(start, now_at)
            if self.grip.kind == "free"
            else handles.axes[:, self.grip.axis] * handles.moved(self.grip.axis, start, now_at)
        )
        own = np.linalg.inv(part[:3, :3]) @ way
        place = tuple(float(round(p + d, 6)) for p, d in zip(lay.position, own))
        return replace(lay, position=(place[0], place[1], place[2])), (show(float(np.linalg.norm(way)), "mm"), "the projector")

    def release(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Let go."""
        if self.grip is None and self._start is None:
            self.picture.select.release(at, modifiers)
        else:
            self.session.history.end_merge()
            self.picture.hush()
        self.grip, self._start = None, None

    def hover(self, at: QPoint) -> bool:
        """Light up the handle under the cursor."""
        hot = self._grip_at(at)
        if hot != self.hot:
            self.hot = hot
            self.picture.update()
        return False

    def key(self, event: QKeyEvent) -> bool:
        """Esc gives a pull up."""
        if event.key() == Qt.Key.Key_Escape and (self.grip is not None or self._start is not None) and self._before is not None:
            self.session.apply("Gave up", self._before, ("lay", self._number))
            self.grip, self._start = None, None
            return True
        return False

    def draw(self, painter: QPainter) -> None:
        """The projector: the picture's edge, the box, the cylinder or the ball; and its handles."""
        lay = self.lay()
        matrix = self._matrix(lay) if lay is not None else None
        if lay is None or matrix is None:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for line in self._lines(lay):
            seen = self.picture.places_on_screen(line @ matrix[:3, :3].T + matrix[:3, 3])
            polygon = QPolygonF([QPointF(*p) for p in seen[seen[:, 2] > 0][:, :2]])
            for colour, width in (("#202020", 3.0), (theme.current().accent_hover, 1.4)):
                painter.setPen(QPen(QColor(colour), width))
                painter.drawPolyline(polygon)
        handles = self.handles()
        if handles is not None and handles.centre[2] > 0:
            handles.draw(painter, self.grip or self.hot)

    @staticmethod
    def _lines(lay: Lay) -> list[np.ndarray]:
        w = 0.5 * lay.width_mm
        h = w if lay.keep_shape else 0.5 * lay.height_mm
        t = np.linspace(0, 2 * math.pi, 49)
        if lay.projection in ("cylinder", "axis"):
            r = lay.radius_mm or w / math.pi
            ring = np.stack([r * np.cos(t), r * np.sin(t), 0 * t], 1)
            return [ring + [0, 0, -h], ring + [0, 0, h], *(np.array([ring[k] + [0, 0, -h], ring[k] + [0, 0, h]]) for k in (0, 12, 24, 36))]
        if lay.projection == "sphere":
            r = lay.radius_mm or w / math.pi
            ring = np.stack([r * np.cos(t), r * np.sin(t), 0 * t], 1)
            return [ring, ring[:, [2, 0, 1]], ring[:, [0, 2, 1]]]
        c, s = math.cos(math.radians(lay.rotate)), math.sin(math.radians(lay.rotate))
        corners = np.array([[-w, -h], [w, -h], [w, h], [-w, h], [-w, -h]]) @ np.array([[c, s], [-s, c]]) + [lay.offset_x_mm, lay.offset_y_mm]
        flat = np.column_stack([corners, np.zeros(5)])
        if lay.projection == "flat":
            deep = [] if lay.depth_mm <= 0 else [flat + [0, 0, -lay.depth_mm], flat + [0, 0, lay.depth_mm]]
            return [flat, *deep]
        return [flat, flat[:, [2, 0, 1]], flat[:, [0, 2, 1]]]
