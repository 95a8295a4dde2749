"""Light by a click in a room: a lamp on its ceiling, wall or floor, a portal in an opening, the sun through a window."""

from pathlib import Path
from typing import Any

import numpy as np
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from aulmo.desk.light.commands import read_profile
from aulmo.desk.picture.snap import Caught, caught
from aulmo.desk.picture.tools.point import PointTool
from aulmo.desk.picture.tools.tool import Tool
from aulmo.desk.shell import theme
from aulmo.desk.shell.stage import Desk
from aulmo.document import edits
from aulmo.document.property_table import LAMP_KINDS
from aulmo.document.quantity import counted, show
from aulmo.errors import AulmoError
from aulmo.frame.camera import ray_through
from aulmo.frame.exposure import white_nits
from aulmo.light.hang_lamp import hung, where_words
from aulmo.prepare import arrange
from aulmo.trace.openings import Opening, clear_parts, opening_at, openings_in, with_portals
from aulmo.trace.sun_through import send

HUNG_KINDS = tuple(kind for kind in LAMP_KINDS if kind not in ("distant", "sun", "portal"))


class HangTool(PointTool):
    """One click hangs a lamp of the chosen kind from a ceiling, mounts it on a wall, or stands it on a floor."""

    name = "hang"
    hint = "Click the ceiling it hangs from, the wall it is mounted on, the floor it stands on · Shift-click puts several · Esc gives up"

    def __init__(self, picture: Any) -> None:
        super().__init__(picture)
        self.kind = "spot"
        self.changes: dict[str, Any] = {}

    def find(self, at: QPoint, plain: bool = False) -> Caught | None:
        """The very point under the cursor."""
        return caught(self.picture, at, plain=True)

    def words(self, found: Caught) -> tuple[str, str]:
        """What would come where."""
        part = self.session.document.parts.get(self.picture.stored(found.part) or "") if found.part else None
        return f"{LAMP_KINDS[self.kind]} {where_words(found.normal)}", part.name if part else "the floor"

    def take_point(self, found: Caught | None, modifiers: Qt.KeyboardModifier) -> None:
        """Put it there."""
        session = self.session
        if found is None:
            session.hint.emit("Click on a ceiling, a wall or the floor")
            return
        box = arrange.bounds(session.resolved, session.assets, session.document.roots) or ((-50.0, -50.0, 0.0), (50.0, 50.0, 100.0))
        wanted = self.changes.get("name", LAMP_KINDS[self.kind])
        name = edits.free_name(wanted, (lamp.name for lamp in session.document.lamps.values()))
        aims_at = self.picture.surroundings().middle
        white = white_nits(session.resolved.cameras[session.shot.camera] if session.shot is not None else session.camera)
        lamp = hung(self.kind, name, edits.new_id(), found.point, found.normal, box, aims_at, session.camera, white)
        lamp = edits.replace(lamp, **{k: v for k, v in self.changes.items() if k != "name"})
        session.change_lamp(f"{name} {where_words(found.normal)}", lamp)
        session.select((), f"lamps/{lamp.id}")
        if not modifiers & Qt.KeyboardModifier.ShiftModifier:
            session.set_tool("")

    def draw(self, painter: QPainter) -> None:
        """Where it goes, and which way it shines."""
        if self.over is None:
            return
        start, end = self.over.point, self.over.point + self.over.normal * 60 * self.picture.mm_per_pixel(self.over.point)
        a, b = (QPointF(self.picture.place_on_screen(p)) for p in (start, end))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for colour, width in ((QColor(0, 0, 0, 150), 4.0), (QColor(theme.current().accent_hover), 2.0)):
            painter.setPen(QPen(colour, width, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
            painter.drawLine(a, b)
            painter.drawEllipse(a, 4.5, 4.5)


class PortalTool(Tool):
    """A click where one sees out of a room lays a portal in that opening."""

    name = "portal"
    hint = "Click an opening of the room for its portal · Return lays one in each opening · Esc gives up"
    pointer = Qt.CursorShape.CrossCursor

    def __init__(self, picture: Any) -> None:
        super().__init__(picture)
        self.over: Opening | None = None
        self._known: list[Opening] = []
        self._scene: Any = None

    def put_away(self) -> None:
        """Nothing under the hand any more."""
        self.over = None

    def _opening(self, at: QPoint) -> Opening:
        picture = self.picture
        if picture.scene is None:
            raise AulmoError("The picture is not there yet.")
        if self._scene is not picture.scene:
            self._scene, self._known = picture.scene, []
        origin, way = ray_through(picture.wide_camera(), at.x() + 0.5, at.y() + 0.5, picture.width(), picture.height())
        way = np.asarray(way, float) / float(np.linalg.norm(way))
        known = next((o for o in self._known if _goes_through(o, np.asarray(origin, float), way)), None)
        if known is None:
            known = opening_at(picture.scene, clear_parts(self.session.shown), origin, way)
            self._known.append(known)
        return known

    def hover(self, at: QPoint) -> bool:
        """How large the opening is."""
        try:
            self.over = self._opening(at)
        except AulmoError:
            self.over = None
            self.picture.say_at(at, "No opening here", "point at where one sees out of the room")
        else:
            size = f"{self.over.width:.0f} × {self.over.height:.0f} mm"
            self.picture.say_at(at, f"Portal {size}", f"in a wall {show(self.over.depth, 'mm', 0)} deep" if self.over.depth > 0.5 else "")
        self.picture.update()
        return True

    def press(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Lay it."""
        session = self.session

        def run() -> None:
            document, ids = with_portals(session.document, [self._opening(at)])
            name = document.lamps[ids[0]].name
            if document is session.document:
                session.hint.emit(f"{name} is there already")
            session.apply(f"Laid {name}", document)
            session.select((), f"lamps/{ids[0]}")
            if not modifiers & Qt.KeyboardModifier.ShiftModifier:
                session.set_tool("")

        session.attempt(run)

    def key(self, event: Any) -> bool:
        """Return finds them all."""
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            lay_all(self.picture)
            return True
        return False

    def draw(self, painter: QPainter) -> None:
        """The outline of the opening."""
        if self.over is None:
            return
        o = self.over
        corners = [o.middle + o.right * x * o.width / 2 + o.up * y * o.height / 2 for x, y in ((-1, -1), (1, -1), (1, 1), (-1, 1))]
        seen = self.picture.places_on_screen(np.array(corners))
        if (seen[:, 2] <= 0).any():
            return
        outline = QPolygonF([QPointF(float(x), float(y)) for x, y, _ in seen])
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for colour, width in ((QColor(0, 0, 0, 150), 4.0), (QColor(theme.current().accent_hover), 2.0)):
            painter.setPen(QPen(colour, width))
            painter.drawPolygon(outline)


def _goes_through(one: Opening, origin: np.ndarray, way: np.ndarray) -> bool:
    slope = float(way @ one.inward)
    if slope > -1e-9:
        return False
    away = origin + way * float((one.middle - origin) @ one.inward / slope) - one.middle
    return abs(float(away @ one.right)) < 0.5 * one.width and abs(float(away @ one.up)) < 0.5 * one.height


def lay_all(picture: Any) -> None:
    """A portal in every opening of the room that the view stands in, found beside."""
    session, scene = picture.session, picture.scene
    if scene is None:
        return
    clear, place = clear_parts(session.shown), np.array(session.view.position, float)

    def done(found: list[Opening]) -> None:
        if not found:
            session.trouble.emit("This room has no opening that light comes in by.")
            return
        document, ids = with_portals(session.document, found)
        session.apply(f"Laid {counted(len(ids), 'portal')}", document)
        session.select((), f"lamps/{ids[0]}")
        session.hint.emit(f"{counted(len(ids), 'opening')}: the largest {found[0].width:.0f} × {found[0].height:.0f} mm")
        session.set_tool("")

    session.start_task("Finding the openings of the room", lambda task: openings_in(scene, clear, place), done)


class SunTool(Tool):
    """Two clicks: where the sun should fall, and the window it comes in by."""

    name = "sun through"
    hint = "Click where the sun should fall, then the window it comes in by · Esc gives up"
    pointer = Qt.CursorShape.CrossCursor

    def __init__(self, picture: Any) -> None:
        super().__init__(picture)
        self.falls: np.ndarray | None = None

    def take(self) -> None:
        """Nothing chosen yet."""
        self.falls = None

    def put_away(self) -> None:
        """Forget what was begun."""
        self.falls = None

    def hover(self, at: QPoint) -> bool:
        """What the next click means."""
        if self.falls is None:
            part = self.session.document.parts.get(self.picture.part_at(at) or "")
            self.picture.say_at(at, "The sun falls here", part.name if part else "")
        else:
            self.picture.say_at(at, "It comes in here", "")
        return True

    def _through(self, at: QPoint) -> np.ndarray:
        """Where a click on a window lies: on its pane, else in the opening."""
        picture = self.picture
        ray = ray_through(picture.wide_camera(), at.x() + 0.5, at.y() + 0.5, picture.width(), picture.height())
        origin, way = (np.asarray(v, float) for v in ray)
        hit = picture.pick(at)
        clear = clear_parts(self.session.shown)
        if hit is not None and hit.part in clear:
            return hit.point
        way = way / np.linalg.norm(way)
        opening = opening_at(picture.scene, clear, origin, way)
        return origin + way * float((opening.middle - origin) @ opening.inward / (way @ opening.inward))

    def press(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """The first place, then the second."""
        session, picture = self.session, self.picture
        if picture.scene is None:
            return
        if self.falls is None:
            self.falls = picture.point_at(at)
            if self.falls is None:
                session.hint.emit("Click on the floor, a wall or a part that the sun should fall on")
            picture.update()
            return

        def run() -> None:
            sent = send(session.document, session.assets, picture.scene, self.falls, self._through(at))
            session.apply("Sent the sun through there", sent.document)
            session.set_tool("")
            session.hint.emit(sent.words)

        session.attempt(run)

    def draw(self, painter: QPainter) -> None:
        """Where it falls."""
        if self.falls is None:
            return
        at = QPointF(self.picture.place_on_screen(self.falls))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for colour, width in ((QColor(0, 0, 0, 150), 4.0), (QColor("#f0d080"), 2.0)):
            painter.setPen(QPen(colour, width))
            painter.drawEllipse(at, 7, 7)
            for k in range(8):
                a = k * np.pi / 4
                painter.drawLine(at + QPointF(np.cos(a), np.sin(a)) * 10, at + QPointF(np.cos(a), np.sin(a)) * 15)


class RoomLight:
    """The commands."""

    def __init__(self, desk: Desk) -> None:
        self.session, picture = desk.session, desk.picture
        self.hang, self.portal, self.sun = HangTool(picture), PortalTool(picture), SunTool(picture)
        add, working = desk.registry.add, desk.working
        for kind in HUNG_KINDS:
            title = LAMP_KINDS[kind]
            add(f"hang_{kind}", f"Hang, mount or stand: {title.lower()}", "Light/Hang, mount or stand", "", lambda k=kind: self.take_lamp(k), working,
                short=title)  # fmt: skip
        add("portal_at", "Portal in an opening", "Light", "", lambda: self._take("portal"), working, break_before=True)
        add("portals", "Portals in all openings of the room", "Light", "", lambda: lay_all(picture), working)
        add("sun_through", "Sun through there", "Light", "", lambda: self._take("sun through"), working)

    def words(self, files: list[Path], at: QPoint) -> tuple[str, str] | None:
        """What dropping measured light on a ceiling, a wall or a floor does."""
        if not files or any(f.suffix.lower() != ".ies" for f in files):
            return None
        return files[0].name, f"a lamp with its measured light {self._where(at)}".strip()

    def _where(self, at: QPoint) -> str:
        found = self.hang.find(at)
        return where_words(found.normal) if found is not None else ""

    def take(self, files: list[Path], at: QPoint) -> bool:
        """Put up a lamp with measured light where its file is dropped."""
        found = self.hang.find(at)
        lamp = self.session.lamp
        if self.words(files, at) is None or found is None or (lamp is not None and lamp.kind == "photometric"):
            return False

        def run() -> None:
            profile = read_profile(self.session, files[-1])
            self.take_lamp("photometric", name=files[-1].stem, profile=profile)
            self.hang.take_point(found, Qt.KeyboardModifier.NoModifier)

        self.session.attempt(run)
        return True

    def _take(self, tool: str) -> None:
        self.session.set_stage("Light")
        self.session.set_tool(tool)

    def take_lamp(self, kind: str, **changes: Any) -> None:
        """A lamp of a kind in hand, to be hung by the next click."""
        self.hang.kind, self.hang.changes = kind, changes
        self._take("hang")
