"""The picture under the hand: it navigates, hands the rest to the tool in hand, and takes drops."""

from pathlib import Path
from typing import Protocol

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QPoint, QSettings, Qt
from PySide6.QtGui import QMouseEvent, QPainter

from aulmo.desk.picture.drops import SWATCH_MIME, drop_swatch, make_decal_of, surface_under, swatch_targets
from aulmo.desk.picture.overlay import Overlay
from aulmo.desk.picture.picture_view import PictureView
from aulmo.desk.picture.surroundings import kept_inside
from aulmo.desk.picture.tools.handles import HandlesTool
from aulmo.desk.picture.tools.patch import PatchTool
from aulmo.desk.picture.tools.probe import Probe
from aulmo.desk.picture.tools.select import Select
from aulmo.desk.picture.tools.tool import Tool
from aulmo.desk.picture.view_motion import approach, look_round, orbit, slide, zoom_keeping_size
from aulmo.desk.shelf.taker import Taken, thing_of
from aulmo.desk.shelf.trying import Trying
from aulmo.desk.shell.session import Session
from aulmo.desk.shell.stage import FileKind, Stage
from aulmo.document.lens import width_at
from aulmo.document.properties import get
from aulmo.document.quantity import counted, show
from aulmo.document.records import Camera
from aulmo.frame.camera import camera_axes
from aulmo.prepare import arrange


class Taker(Protocol):
    """What a stage does with files that are dropped on something in the picture."""

    def words(self, files: list[Path], at: QPoint) -> tuple[str, str] | None:
        """What the cursor says before they are dropped, None where they are not for it."""

    def take(self, files: list[Path], at: QPoint) -> bool:
        """Take them; False where they are not for it."""


class Picture(PictureView):
    """The live picture with everything the artist does in it.

    `camera_stages` are those where a turn moves the shot's own camera; `kinds` are the files that may be dropped.
    """

    def __init__(self, session: Session, stages: tuple[Stage, ...]) -> None:
        super().__init__(session)
        self._hints = {stage.name: stage.hint for stage in stages}
        self.camera_stages: tuple[str, ...] = ()
        self.named_stages: tuple[str, ...] = ()  # where the cursor names the material too
        self.kinds: list[FileKind] = []
        self.takers: list[Taker] = []  # stages that do something of their own with files dropped on a part
        self.shelf: dict[str, Taken] = {}  # what stages do with things of the shelf, by their kinds
        self.trying = Trying(session)
        self.tools: dict[str, Tool] = {}
        self.select = Select(self)
        for tool in (self.select, HandlesTool(self), Probe(self), PatchTool(self)):
            self.add_tool(tool)
        self._in_hand: Tool = self.select
        self._slid: Overlay | None = None
        self._drag = ""
        self._drag_number = 0
        self._press = QPoint()
        self._pivot = np.zeros(3)
        self._start_camera: Camera | None = None
        session.tool_changed.connect(self._tool_changed)

    # tools

    def reset(self) -> None:
        """Traced, nothing dragged, nothing said."""
        self.look, self.held_plain, self._slid, self._drag, self.hot = "finished", False, None, "", ""
        self.hush()
        self.update()

    def add_tool(self, tool: Tool) -> None:
        """A tool that can be taken by its name."""
        self.tools[tool.name] = tool

    @property
    def tool(self) -> Tool:
        """The tool in hand."""
        return self._in_hand

    def _tool_changed(self, name: str) -> None:
        self._in_hand.put_away()
        self._in_hand = self.tools[name]
        self._in_hand.take()
        self.setCursor(self._in_hand.pointer)
        self.update()

    def draw_tool(self, painter: QPainter) -> None:
        """What the tool in hand draws."""
        self._in_hand.draw(painter)

    # navigation

    def _navigate(self, camera: Camera, key: object) -> None:
        """Give the view a new camera: the shot's own where cameras are framed, a free view elsewhere."""
        own = self.session.camera
        plain = replace(camera, id=own.id, name=own.name)
        recording = self.session.recording and self.session.stage == self.session.film_stage
        framing = self.session.stage in self.camera_stages or recording
        if framing and own.keeps_target and self.session.free_view is None:
            plain = replace(plain, target=own.target)
        if framing and not own.locked and self.session.free_view is None and own.id:
            move = self.session.turn_camera if recording else self.session.change_camera
            move(f"Moved {own.name}", plain, key)
        else:
            if framing and own.locked:
                self.session.hint.emit(f"{own.name} is locked; this is a free view · 0 goes back")
            self.session.set_view(plain)

    def _pivot_at(self, at: QPoint) -> np.ndarray:
        """What the view turns about: the part under the cursor; over floor, backdrop, nothing or a wall the selection, else the product."""
        hit = self.pick(at)
        around = self.surroundings()
        if hit is not None and hit.part is not None and hit.part not in around.walls:
            return hit.point
        return self._middle()

    def _middle(self) -> np.ndarray:
        session = self.session
        box = arrange.bounds(session.shown, session.assets, session.selection) if session.selection else None
        return 0.5 * (box[0] + box[1]) if box is not None else self.surroundings().middle

    def _button_for(self, event: QMouseEvent) -> str:
        """What a press means under the chosen navigation."""
        pad = QSettings().value("navigation", "mouse") == "trackpad"
        modifiers = event.modifiers()
        around = bool(modifiers & Qt.KeyboardModifier.ControlModifier)
        if pad and event.button() == Qt.MouseButton.LeftButton and modifiers & Qt.KeyboardModifier.AltModifier:
            return "look" if around else "slide" if modifiers & Qt.KeyboardModifier.ShiftModifier else "orbit"
        if event.button() == Qt.MouseButton.RightButton:
            return "look" if around else "orbit"
        return "slide" if event.button() == Qt.MouseButton.MiddleButton else "tool"

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        """Begin to turn, slide, look around, or use the tool."""
        at = event.position().toPoint()
        self._press, self._drag = at, self._button_for(event)
        self._drag_number += 1
        if self._drag == "tool":
            self._in_hand.press(at, event.modifiers())
            return
        self._slid = next((o for o in self.overlays if o.shown() and o.slides()), None)
        if self._slid is not None:
            self._drag = "overlay"
            return
        self._start_camera, self._moving = self.session.view, True
        self._pivot = self._pivot_at(at) if self._drag == "orbit" else self._depth_at(at)
        self.hush()

    def _depth_at(self, at: QPoint) -> np.ndarray:
        point = self.point_at(at)
        return point if point is not None else self._middle()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        """Go on with what was begun, or name what is under the cursor."""
        at = event.position().toPoint()
        if self._drag == "tool":
            self._in_hand.drag(at, event.modifiers())
        elif self._drag == "overlay" and self._slid is not None:
            self._slid.slide(at.x() - self._press.x(), at.y() - self._press.y())
            self._press = at
        elif self._drag and self._start_camera is not None:
            slow = 0.25 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
            self._turn((at.x() - self._press.x()) * slow, (at.y() - self._press.y()) * slow)
        elif not self._in_hand.hover(at):
            self._name(at)

    def _turn(self, dx: float, dy: float) -> None:
        start = self._start_camera
        assert start is not None
        if self._drag == "orbit":
            camera = orbit(start, self._pivot, -0.35 * dx, 0.35 * dy)
            around = self.surroundings()
            whole = self._whole[1] if self._whole is not None else None
            if around.walls and whole is not None:
                place = kept_inside(whole, around, self._pivot, np.array(camera.position))
                camera = replace(camera, position=tuple(float(v) for v in place))
        elif self._drag == "look":
            camera = look_round(start, -0.12 * dx, -0.12 * dy)
        else:
            _, _, forward = camera_axes(start)
            depth = max(1.0, float((self._pivot - np.array(start.position)) @ forward))
            mm = width_at(self.wide_camera(), depth) / max(1, self.width())
            camera = slide(start, -dx * mm, dy * mm)
        self._navigate(camera, ("view", self._drag_number))

    def _name(self, at: QPoint) -> None:
        """Say at the cursor what is there."""
        subject = self.subject_at(at)
        if subject != self.hot:
            self.hot = subject
            self.update()
        if subject:
            words = next(o.words(subject) for o in self.overlays if o.shown() and o.at(at.x(), at.y()))
            self.say_at(at, *words)
            return
        part = self.session.document.parts.get(self.part_at(at) or "")
        if part is None:
            self.hush()
            return
        named = self.session.stage in self.named_stages
        surface = self.surface_at(at, part.id) if named and part.face_sets else f"parts/{part.id}"
        material = self.session.document.materials.get(get(self.session.document, f"{surface}/material") or "")
        self.say_at(at, part.name, material.name if material and named else "")

    def surface_at(self, at: QPoint, part: str) -> str:
        """The address of the surface of a part that is seen at a point: of a face set, else of the part."""
        hit = self.pick(at) if self.session.document.parts[part].face_sets else None
        own = hit is not None and hit.part is not None and self.stored(hit.part) == part
        return surface_under(self.session.document, part, hit.face if hit is not None and own else None)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        """Finish."""
        if self._drag == "tool":
            self._in_hand.release(event.position().toPoint(), event.modifiers())
        elif self._drag:
            self.session.history.end_merge()
        self._drag, self._moving = "", False
        self.update()

    def wheelEvent(self, event) -> None:  # noqa: N802
        """Go nearer to what is under the cursor; with Alt change the lens."""
        delta = event.angleDelta().y() or event.angleDelta().x()
        if delta == 0:
            return
        at = event.position().toPoint()
        modifiers = event.modifiers()
        steps = delta / 120 * (0.25 if modifiers & Qt.KeyboardModifier.ShiftModifier else 1.0)
        view = self.session.view
        if self._in_hand.wheel(at, steps) or any(o.shown() and o.wheel(at, steps) for o in self.overlays):
            return
        if modifiers & Qt.KeyboardModifier.AltModifier:
            camera = zoom_keeping_size(view, view.focal_length_mm * 1.06**steps)
            self.say_at(at, show(camera.focal_length_mm, "mm", 0))
        else:
            camera = approach(view, self._depth_at(at), 1 - 0.9**steps)
        self._navigate(camera, ("wheel", self._drag_number))

    def mouseDoubleClickEvent(self, event) -> None:  # noqa: N802
        """The second click of two is a click."""
        self.mousePressEvent(event)

    def leaveEvent(self, event) -> None:  # noqa: N802
        """No name without a cursor."""
        if self._drag != "tool":
            self.hush()

    def resizeEvent(self, event) -> None:  # noqa: N802
        """A new size wants a new picture."""
        self.refresh()

    def keyPressEvent(self, event) -> None:  # noqa: N802
        """The tool first; Esc puts it away, then the selection."""
        if self._in_hand.key(event):
            return
        if event.key() == Qt.Key.Key_Escape:
            if self.session.tool:
                self.session.set_tool("")
            elif self.session.stand_in == "checker":
                self.session.set_stand_in("")
            else:
                self.session.select(())
            return
        super().keyPressEvent(event)

    def keyReleaseEvent(self, event) -> None:  # noqa: N802
        """The tool may be waiting for it."""
        if not self._in_hand.key_up(event):
            super().keyReleaseEvent(event)

    def event(self, event) -> bool:
        """What is typed into a tool must not become shortcuts."""
        if event.type() == event.Type.ShortcutOverride and self._in_hand.typing:
            event.accept()
            return True
        return super().event(event)

    # drops

    def dragEnterEvent(self, event) -> None:  # noqa: N802
        """Take swatches, things of the shelf, and files that mean something here."""
        if event.mimeData().hasFormat(SWATCH_MIME) or event.mimeData().hasUrls() or thing_of(event.mimeData()) is not None:
            event.acceptProposedAction()

    def dragMoveEvent(self, event) -> None:  # noqa: N802
        """Say what the drop will do."""
        at, mime = event.position().toPoint(), event.mimeData()
        alone = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        self.say_at(at, *self._drop_words(mime, at, alone))
        thing = thing_of(mime)
        if mime.hasFormat(SWATCH_MIME):
            part = self.part_at(at)
            over_part = part in self.session.document.parts and not self.decal_at(at)
            targets = self._targets(at, part, alone) if part is not None and over_part else []
            self.trying.swatch(bytes(mime.data(SWATCH_MIME).data()).decode(), targets)
        elif thing is not None and thing.kind in self.shelf:
            self.trying.thing(thing, self.shelf[thing.kind], at)
        event.acceptProposedAction()

    def dragLeaveEvent(self, event) -> None:  # noqa: N802
        """Gone again."""
        self.hush()
        self.trying.end()

    def _drop_words(self, mime, at: QPoint, alone: bool) -> tuple[str, str]:
        document = self.session.document
        part = self.part_at(at)
        if mime.hasFormat(SWATCH_MIME):
            name = bytes(mime.data(SWATCH_MIME).data()).decode().split("\n")[-1]
            decal = self.decal_at(at)
            if decal:
                return document.decals[decal].name, f"drop: it is made of {name}"
            if part not in document.parts:
                return "No part here", f"{name} needs a part"
            targets = self._targets(at, part, alone)
            parts = len({t.split("/")[1] for t in targets})
            face_set = get(document, targets[0]) if "/face_sets/" in targets[0] else None
            where = face_set.name if face_set is not None else counted(parts, "part")
            return document.parts[part].name, f"drop: {name} on {where}"
        thing = thing_of(mime)
        if thing is not None and thing.kind in self.shelf:
            return self.shelf[thing.kind].words(thing, at)
        files = [Path(u.toLocalFile()) for u in mime.urls() if u.isLocalFile()]
        for taker in self.takers:
            words = taker.words(files, at)
            if words is not None:
                return words
        name = files[0].name if files else ""
        return name, self.file_words(Path(name))

    def decal_at(self, at: QPoint) -> str:
        """The id of the decal whose mark is under the cursor; "" for none."""
        root, _, held = self.subject_at(at).partition("/")
        return held if root == "decals" and held in self.session.document.decals else ""

    def _targets(self, at: QPoint, part: str, alone: bool) -> list[str]:
        hit = self.pick(at) if self.session.document.parts[part].face_sets else None
        own = hit is not None and hit.part is not None and self.stored(hit.part) == part
        return swatch_targets(self.session, part, alone, hit.face if hit is not None and own else None)

    def file_words(self, path: Path) -> str:
        """What dropping a file does."""
        kind = next((k for k in self.kinds if path.suffix.lower() in k.endings), None)
        return f"drop: {kind.words}" if kind else "Aulmo cannot use this kind of file"

    def dropEvent(self, event) -> None:  # noqa: N802
        """Do it."""
        at = event.position().toPoint()
        self.hush()
        mime = event.mimeData()
        thing = thing_of(mime)
        self.trying.end()
        if thing is not None and thing.kind != "swatch" and thing.kind in self.shelf:
            self.shelf[thing.kind].take(thing, at)
            event.acceptProposedAction()
        elif mime.hasFormat(SWATCH_MIME):
            part, decal = self.part_at(at), self.decal_at(at)
            if decal:
                make_decal_of(self.session, bytes(mime.data(SWATCH_MIME).data()).decode(), decal)
                event.acceptProposedAction()
                return
            if part not in self.session.document.parts:
                self.session.hint.emit("Drop a swatch on a part")
                return
            alone = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
            drop_swatch(self.session, bytes(mime.data(SWATCH_MIME).data()).decode(), self._targets(at, part, alone))
            event.acceptProposedAction()
        elif mime.hasUrls():
            self.files_dropped.emit([Path(u.toLocalFile()) for u in mime.urls() if u.isLocalFile()], at)
            event.acceptProposedAction()

    # commands

    def frame_selection(self) -> None:
        """Bring what is selected, or everything, into the frame."""
        session = self.session
        box = arrange.bounds(session.shown, session.assets, session.selection or session.document.roots)
        if box is None:
            return
        frame = self.frame_rect()
        self._drag_number += 1
        self._navigate(arrange.frame_box(session.view, *box, frame.width() / max(1, frame.height())), ("frame", self._drag_number))

    def hint(self) -> str:
        """What the hand can do now."""
        session = self.session
        if self._in_hand.hint:
            return self._in_hand.hint
        hint = self._hints[session.stage]
        if session.free_view is not None and session.stage in self.camera_stages and session.camera.locked:
            return f"{session.camera.name} is locked · this is a free view · 0 goes back"
        if session.free_view is not None:
            return "Free view · 0 goes back to the shot’s camera · " + hint.split(" · ", 1)[-1]
        return hint
