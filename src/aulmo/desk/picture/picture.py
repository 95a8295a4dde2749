"""The picture under the hand: turns, picks, drops, moves and measures."""

from pathlib import Path

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QPoint, QRect, QSettings, Qt
from PySide6.QtGui import QMouseEvent

from aulmo.desk.picture.drops import SWATCH_MIME, drop_swatch, file_words, swatch_targets
from aulmo.desk.picture.handles import NAMES
from aulmo.desk.picture.lamp_marks import moved_lamp, turned_lamp
from aulmo.desk.picture.picture_view import PictureView
from aulmo.desk.picture.view_motion import approach, orbit, slide, zoom_keeping_size
from aulmo.document import edits
from aulmo.document.quantity import parse, show
from aulmo.document.records import Camera
from aulmo.errors import BadValue
from aulmo.prepare import arrange
from aulmo.trace.camera_rows import camera_axes, white_nits

HINTS = {
    "Prepare": "Right-drag turns · middle-drag slides · wheel goes nearer · click selects, again for its group · T shows handles",
    "Surface": "Drop a swatch on a part · Alt: only this part · Click a part twice for its group",
    "Light": "Drag the dome to turn the light · click a lamp’s dot, T shows its handles · drop an HDR, EXR or IES file",
    "Frame": "Right-drag turns the shot's camera · Alt+wheel changes the lens and keeps the size",
    "Render": "The picture keeps working while a render runs",
}


class Picture(PictureView):
    """The live picture with everything the artist does in it."""

    # navigation

    def _navigate(self, camera: Camera, key: object) -> None:
        """Give the view a new camera: the shot's own in Frame, a free view elsewhere."""
        own = self.session.camera
        plain = replace(camera, id=own.id, name=own.name)
        if self.session.stage == "Frame" and not own.locked and self.session.free_view is None and own.id:
            self.session.change_camera(f"Moved {own.name}", plain, key)
        else:
            if self.session.stage == "Frame" and own.locked:
                self.session.hint.emit(f"{own.name} is locked; this is a free view · 0 goes back")
            self.session.set_view(plain)

    def _pivot_at(self, at: QPoint) -> np.ndarray:
        point = self.point_at(at)
        if point is not None:
            return point
        if self.session.selection:
            box = arrange.bounds(self.session.document, self.session.assets, self.session.selection)
            if box:
                return 0.5 * (box[0] + box[1])
        return np.array(self.session.view.target)

    def _button_for(self, event: QMouseEvent) -> str:
        """What a press means under the chosen navigation."""
        pad = QSettings().value("navigation", "mouse") == "trackpad"
        if pad and event.button() == Qt.MouseButton.LeftButton:
            if event.modifiers() & Qt.KeyboardModifier.AltModifier:
                return "slide" if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else "orbit"
            return "left"
        return {Qt.MouseButton.RightButton: "orbit", Qt.MouseButton.MiddleButton: "slide"}.get(event.button(), "left")

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        """Begin to turn, slide, pick, or pull a handle."""
        at = event.position().toPoint()
        self._press, self._typed = at, ""
        self._drag_number += 1
        means = self._button_for(event)
        if means in ("orbit", "slide"):
            self._drag, self._pivot, self._start_camera = means, self._pivot_at(at), self.session.view
            self._hush()
            return
        if self.session.tool == "focus":
            self._focus_on(at)
            return
        if self.session.tool == "probe":
            self._probe_at(at)
            return
        if self.session.tool == "handles":
            handles = self._handles()
            self._grip = handles.grip_at(at.x(), at.y()) if handles else None
            if self._grip and handles:
                self._drag, self._grip_document, self._grip_handles = "handle", self.session.document, handles
                return
        self._drag = "pick"

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        """Go on with what was begun, or name what is under the cursor."""
        at = event.position().toPoint()
        if self._drag in ("orbit", "slide") and self._press and self._start_camera:
            slow = 0.25 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
            dx, dy = (at.x() - self._press.x()) * slow, (at.y() - self._press.y()) * slow
            if self._drag == "orbit":
                camera = orbit(self._start_camera, self._pivot, -0.35 * dx, 0.35 * dy)
            else:
                _, _, forward = camera_axes(self._start_camera)
                depth = max(1.0, float((self._pivot - np.array(self._start_camera.position)) @ forward))
                mm = depth * self.wide_camera().sensor_mm / self._start_camera.focal_length_mm / self.width()
                camera = slide(self._start_camera, -dx * mm, dy * mm)
            self._navigate(camera, ("view", self._drag_number))
            return
        if self._drag == "handle" and self._press:
            if not self._typed:
                self._pull(self._grip_value(at), at)
            return
        if self._drag == "pick" and self._press and (at - self._press).manhattanLength() > 6:
            self._box = QRect(self._press, at).normalized()
            self.update()
            return
        if self.session.tool == "handles" and not self._drag:
            handles = self._handles()
            hot = handles.grip_at(at.x(), at.y()) if handles else None
            if hot != self._hot:
                self._hot = hot
                self.update()
        if self.session.tool == "probe" and self._probe:
            return
        lamp = self.marks().at(at.x(), at.y()) if self.shows_lamps() else None
        if (lamp.id if lamp else "") != self._hot_lamp:
            self._hot_lamp = lamp.id if lamp else ""
            self.update()
        if lamp is not None and not self.session.tool:
            self._say_at(at, lamp.name, f"{lamp.kind} lamp · T shows handles")
            return
        part = self.part_at(at)
        if part and part in self.session.document.parts:
            if self.session.tool == "focus":
                self._say_at(at, "Sharp here", self.session.document.parts[part].name)
            else:
                name = self.session.document.parts[part].name
                material = self.session.document.materials.get(self.session.document.parts[part].material or "")
                self._say_at(at, name, material.name if material and self.session.stage == "Surface" else "")
        else:
            self._hush()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        """Finish."""
        at = event.position().toPoint()
        add = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        if self._drag == "pick":
            if self._box:
                self._select_box(self._box, add)
            else:
                self._click(at, add)
        if self._drag == "handle" and not self._typed:
            self.session.history.end_merge()
            self._grip = None
            self._hush()
        if self._drag in ("orbit", "slide"):
            self.session.history.end_merge()
        if not (self._drag == "handle" and self._typed):
            self._drag = ""
        self._box = None
        self.update()

    def _click(self, at: QPoint, add: bool) -> None:
        session = self.session
        lamp = self.marks().at(at.x(), at.y()) if self.shows_lamps() else None
        if lamp is not None:
            session.select((), f"lamp:{lamp.id}")
            return
        part = self.part_at(at)
        if part is None:
            if not add:
                session.select(())
            return
        if add:
            chosen = list(session.selection)
            session.select([i for i in chosen if i != part] if part in chosen else [*chosen, part])
            return
        climb = part
        if len(session.selection) == 1:
            chain, current = [], part
            while current is not None:
                chain.append(current)
                current = session.document.parts[current].parent
            if session.selection[0] in chain:
                place = chain.index(session.selection[0])
                climb = chain[(place + 1) % len(chain)]
        session.select([climb])

    def _select_box(self, box: QRect, add: bool) -> None:
        if self.draft is None:
            return
        h, w = self.draft.parts.shape
        fx, fy = w / max(1, self.width()), h / max(1, self.height())
        area = self.draft.parts[max(0, int(box.top() * fy)) : int(box.bottom() * fy) + 1, max(0, int(box.left() * fx)) : int(box.right() * fx) + 1]
        found = [self.draft_parts[n] for n in np.unique(area) if 0 <= n < len(self.draft_parts)]
        self.session.select([*self.session.selection, *found] if add else found)

    def wheelEvent(self, event) -> None:  # noqa: N802
        """Go nearer to what is under the cursor; with Alt change the lens."""
        delta = event.angleDelta().y() or event.angleDelta().x()
        if delta == 0:
            return
        at = event.position().toPoint()
        modifiers = event.modifiers()
        steps = delta / 120 * (0.25 if modifiers & Qt.KeyboardModifier.ShiftModifier else 1.0)
        view = self.session.view
        if modifiers & Qt.KeyboardModifier.AltModifier:
            camera = zoom_keeping_size(view, view.focal_length_mm * 1.06**steps)
            self._say_at(at, show(camera.focal_length_mm, "mm", 0))
        else:
            camera = approach(view, self._pivot_at(at), 1 - 0.9**steps)
        self._navigate(camera, ("wheel", self._drag_number))

    def mouseDoubleClickEvent(self, event) -> None:  # noqa: N802
        """The second click of two is a click."""
        self.mousePressEvent(event)

    def leaveEvent(self, event) -> None:  # noqa: N802
        """No name without a cursor."""
        self._hush()

    def resizeEvent(self, event) -> None:  # noqa: N802
        """A new size wants a new picture."""
        self.refresh()

    # tools

    def _grip_value(self, at: QPoint) -> float:
        start, now = (self._press.x(), self._press.y()), (at.x(), at.y())
        if self._grip.kind == "move":
            return self._grip_handles.moved(self._grip.axis, start, now)
        return self._grip_handles.turned(self._grip.axis, start, now)

    def _pull(self, value: float, at: QPoint) -> None:
        session, grip = self.session, self._grip
        axis = np.eye(3)[grip.axis]
        lamp = session.lamp
        if lamp is not None:
            was = self._grip_document.lamps[lamp.id]
            moved = moved_lamp(was, axis * value) if grip.kind == "move" else turned_lamp(was, axis, value)
            document = edits.put_lamp(self._grip_document, moved)
            text, verb = (show(value, "mm"), "Moved") if grip.kind == "move" else (show(value, "°"), "Turned")
        elif grip.kind == "move":
            document = arrange.move_in_world(self._grip_document, session.selection, axis * value)
            text, verb = show(value, "mm"), "Moved"
        else:
            document = arrange.turn_in_world(self._grip_document, session.selection, axis, value, self._grip_handles.pivot)
            text, verb = show(value, "°"), "Turned"
        session.apply(f"{verb} {self._selected_name()}", document, ("handle", self._drag_number))
        self._say_at(at, f"{NAMES[grip.axis]}  {self._typed or text}", "type a number to be exact")

    def _selected_name(self) -> str:
        if self.session.lamp is not None:
            return self.session.lamp.name
        chosen = self.session.selection
        return self.session.document.parts[chosen[0]].name if len(chosen) == 1 else f"{len(chosen)} parts"

    def keyPressEvent(self, event) -> None:  # noqa: N802
        """While a handle is pulled, typing takes over; Esc gives up."""
        if self._drag == "handle" and self._grip:
            text = event.text()
            if event.key() == Qt.Key.Key_Escape:
                self.session.apply("Gave up", self._grip_document, ("handle", self._drag_number))
                self._end_pull()
                return
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self._end_pull()
                return
            if event.key() == Qt.Key.Key_Backspace:
                self._typed = self._typed[:-1]
            elif text and text in "0123456789.,-+*/() mcinft°":
                self._typed += text
            else:
                return super().keyPressEvent(event)
            try:
                self._pull(parse(self._typed, "mm" if self._grip.kind == "move" else "°"), self._label_at - QPoint(0, 0))
            except BadValue:
                self._say_at(self._label_at, f"{NAMES[self._grip.axis]}  {self._typed}", "type a number to be exact")
            return
        if event.key() == Qt.Key.Key_Escape:
            if self.session.tool:
                self.session.set_tool("")
            else:
                self.session.select(())
            return
        super().keyPressEvent(event)

    def event(self, event) -> bool:
        """Numbers typed during a pull must not become shortcuts."""
        if event.type() == event.Type.ShortcutOverride and self._drag == "handle":
            event.accept()
            return True
        return super().event(event)

    def _end_pull(self) -> None:
        self.session.history.end_merge()
        self._drag, self._grip, self._typed = "", None, ""
        self._hush()

    def _focus_on(self, at: QPoint) -> None:
        point = self.point_at(at)
        if point is None:
            self.session.hint.emit("There is nothing to be sharp there")
            return
        camera = self.session.camera
        _, _, forward = camera_axes(camera)
        distance = float((point - np.array(camera.position)) @ forward)
        if distance <= 0:
            self.session.hint.emit("That lies behind the shot's camera")
            return
        self.session.change_camera("Focused", replace(camera, focus=round(distance, 3), depth_of_field=True))
        self.session.set_tool("")

    def _probe_at(self, at: QPoint) -> None:
        if self._pixels is None:
            return
        h, w = self._pixels.shape[:2]
        x, y = min(w - 1, at.x() * w // self.width()), min(h - 1, at.y() * h // self.height())
        b, g, r = (int(v) for v in self._pixels[y, x, :3])
        self._probe = (at.x(), at.y())
        part = self.part_at(at)
        name = self.session.document.parts[part].name if part and part in self.session.document.parts else "Background"
        self._say_at(at, f"{r}  {g}  {b}   #{r:02x}{g:02x}{b:02x}", f"{name} · white is {white_nits(self.session.view):.0f} nits")

    # drops

    def dragEnterEvent(self, event) -> None:  # noqa: N802
        """Take swatches and files that mean something here."""
        if event.mimeData().hasFormat(SWATCH_MIME) or event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dragMoveEvent(self, event) -> None:  # noqa: N802
        """Say what the drop will do."""
        at = event.position().toPoint()
        self._say_at(at, *self._drop_words(event.mimeData(), at, bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)))
        event.acceptProposedAction()

    def dragLeaveEvent(self, event) -> None:  # noqa: N802
        """Gone again."""
        self._hush()

    def _drop_words(self, mime, at: QPoint, alone: bool) -> tuple[str, str]:
        document = self.session.document
        part = self.part_at(at)
        if mime.hasFormat(SWATCH_MIME):
            name = bytes(mime.data(SWATCH_MIME).data()).decode().split("\n")[-1]
            if part is None:
                return "No part here", f"{name} needs a part"
            count = 1 if alone else len(swatch_targets(self.session, part, alone))
            return document.parts[part].name, f"drop: {name} on {count} part{'s' if count > 1 else ''}"
        name = Path(mime.urls()[0].toLocalFile()).name if mime.urls() else ""
        return name, file_words(Path(name))

    def dropEvent(self, event) -> None:  # noqa: N802
        """Do it."""
        at = event.position().toPoint()
        self._hush()
        mime = event.mimeData()
        if mime.hasFormat(SWATCH_MIME):
            part = self.part_at(at)
            if part is None:
                self.session.hint.emit("Drop a swatch on a part")
                return
            alone = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
            drop_swatch(self.session, bytes(mime.data(SWATCH_MIME).data()).decode(), swatch_targets(self.session, part, alone))
            event.acceptProposedAction()
        elif mime.hasUrls():
            self.files_dropped.emit([Path(u.toLocalFile()) for u in mime.urls() if u.isLocalFile()], at)
            event.acceptProposedAction()

    # commands

    def frame_selection(self) -> None:
        """Bring what is selected, or everything, into the frame."""
        session = self.session
        box = arrange.bounds(session.document, session.assets, session.selection or session.document.roots)
        if box is None:
            return
        frame = self.frame_rect()
        self._drag_number += 1
        self._navigate(arrange.frame_box(session.view, *box, frame.width() / max(1, frame.height())), ("frame", self._drag_number))

    def hint(self) -> str:
        """What the hand can do now."""
        if self.session.tool == "handles":
            return "Pull an arrow to move, a ring to turn · type a number to be exact · Esc gives up"
        if self.session.tool == "focus":
            return "Click what should be sharp · Esc gives up"
        if self.session.tool == "probe":
            return "Click a pixel to read it · Esc puts the probe away"
        if self.session.free_view is not None and self.session.stage == "Frame" and self.session.camera.locked:
            return f"{self.session.camera.name} is locked · this is a free view · 0 goes back"
        if self.session.free_view is not None:
            return "Free view · 0 goes back to the shot’s camera · " + HINTS[self.session.stage].split(" · ", 1)[-1]
        return HINTS[self.session.stage]
