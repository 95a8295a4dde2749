"""Aim: click the product where a highlight should be, and the softbox or lamp goes where it makes one."""

from typing import Any

from PySide6.QtCore import QPoint, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QKeyEvent, QPainter, QPen, QPolygonF

from aulmo.desk.light.aim_offers import offers_of
from aulmo.desk.picture.tools.tool import Tool
from aulmo.desk.shell import theme
from aulmo.document.records import Camera, Document
from aulmo.errors import AulmoError, BadValue
from aulmo.frame.camera import project
from aulmo.light.softbox import new_softbox, put_softbox
from aulmo.trace import aim as aiming
from aulmo.trace.options import options_row
from aulmo.trace.sight import Sight, Way

HINT = (
    "Click where the highlight should be, drag to slide it along · Shift: where the light should face · Ctrl: where a shadow should fall · "
    "Alt-drag along an edge: a strip · Esc: done"
)


class AimTool(Tool):
    """One gesture is one step of undo. `relief` counts bumps and decals in, `for_shot` aims for the shot's camera from a free view,
    `keeps` says whether a lamp keeps its "distance" or "height"."""

    name = "aim"
    hint = HINT
    pointer = Qt.CursorShape.CrossCursor

    def __init__(self, picture: Any) -> None:
        super().__init__(picture)
        self.relief, self.for_shot, self.keeps = True, True, "distance"
        self.choices: list[Any] = []  # widgets that show them
        self.ways: tuple[Way, ...] = ()
        self.instead: dict[str, Any] = {}  # what can be done where a highlight cannot be, by its words
        self._chosen = 0
        self._at: QPoint | None = None
        self._how = "highlight"
        self._stroke: list[QPoint] = []
        self._before: Document | None = None
        self.number = 0  # of the gesture: steps of one gesture are one step of undo
        self._sight: tuple[tuple, Sight] | None = None

    # what it looks through

    def sight(self) -> Sight:
        """The camera's look at the scene of the picture. Raises BadValue while there is none."""
        picture, session = self.picture, self.session
        if picture.scene is None:
            raise BadValue("The picture is not there yet.")
        camera, width, height = self._camera()
        key = (picture.scene, camera, width, height, self.relief)
        if self._sight is None or self._sight[0][0] is not key[0] or self._sight[0][1:] != key[1:]:
            options = options_row(picture.scene, session.shown, camera, session.shown.render)
            relief = self.relief and picture.live._path_ready.is_set()  # until the renderer is ready, meshes alone are known
            self._sight = (key, Sight(picture.scene, camera, options, width, height, relief))
        return self._sight[1]

    def _camera(self) -> tuple[Camera, int, int]:
        """What is aimed for: the view, or from a free one the shot's own camera."""
        picture, session = self.picture, self.session
        if session.free_view is not None and self.for_shot and session.shot is not None:
            return session.camera, session.shot.width, session.shot.height
        return picture.wide_camera(), picture.width(), picture.height()

    def place(self, at: QPoint) -> tuple[float, float]:
        """Where a point of the widget lies in the frame of the camera that is aimed for. Raises BadValue when that does not see it."""
        x, y = at.x() + 0.5, at.y() + 0.5
        camera, width, height = self._camera()
        if camera is self.session.camera and self.session.free_view is not None:
            hit = self.picture.pick(at)
            if hit is None:
                raise BadValue("There is nothing of the product there; click on it.")
            px, py, ahead = project(camera, hit.point, width, height)[0]
            met = self.sight().look(*self.sight().ray(px, py)) if ahead > 0 and 0 <= px < width and 0 <= py < height else None
            if met is None or float(((met.point - hit.point) ** 2).sum() ** 0.5) > 0.02 * self.sight()._size:
                raise BadValue(f"{camera.name} does not see that place; turn “for the shot” off to aim for this view.")
            return float(px), float(py)
        return x, y

    def _light(self, document: Document) -> tuple[Document, str]:
        """The document and the id of what is aimed: the selected softbox or lamp, or a new softbox."""
        session = self.session
        if session.softbox is not None:
            if session.softbox.locked:
                raise BadValue(f"{session.softbox.name} is locked.")
            return document, session.softbox.id
        if session.lamp is not None:
            return document, session.lamp.id
        box = new_softbox(document, "plain")
        return put_softbox(document, box), box.id

    # the hand

    def put_away(self) -> None:
        """Forget what was begun."""
        self.picture.hush()
        self.ways, self._at, self._stroke, self._before, self.instead = (), None, [], None, {}

    @staticmethod
    def _of(modifiers: Qt.KeyboardModifier) -> str:
        if modifiers & Qt.KeyboardModifier.AltModifier:
            return "edge"
        if modifiers & Qt.KeyboardModifier.ShiftModifier:
            return "facing"
        return "shade" if modifiers & Qt.KeyboardModifier.ControlModifier else "highlight"

    def press(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Begin a gesture."""
        self.number += 1
        self._how, self._chosen, self._stroke = self._of(modifiers), 0, [at]
        self._before = self.session.document
        if self._how != "edge":
            self._aim(at)

    def drag(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Slide along the product, or go on with the stroke."""
        if self._how == "edge":
            self._stroke.append(at)
            self.picture.update()
        elif self._before is not None:
            self._aim(at)

    def release(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Done; a stroke is aimed along."""
        if self._how == "edge" and self._before is not None:
            self.aim_stroke([(p.x() + 0.5, p.y() + 0.5) for p in self._stroke])
        self._stroke, self._before = [], None  # the step stays open: a number key changes what it came to
        self.picture.update()

    def _aim(self, at: QPoint, way: int | None = None) -> None:
        self._at = at
        try:
            x, y = self.place(at)
            sight = self.sight()
            document, light = self._light(self.session.document)
            self.ways = aiming.ways_to(sight, x, y) if self._how == "highlight" else ()
            chosen = self.ways[min(way or 0, len(self.ways) - 1)] if self.ways else None
            made = aiming.aim_at(document, sight, x, y, light, self._how, chosen, self.keeps)  # type: ignore[arg-type]
        except AulmoError as error:
            self.ways = ()
            self.instead = offers_of(error)
            offered = " · ".join(f"{k} {words}" for k, words in enumerate(self.instead, 1))
            self.picture.say_at(at, "Not here", f"{error}{chr(10)}{offered}" if offered else str(error))
            self.session.hint.emit(str(error))
            return
        self.instead = {}
        self._chosen = way or 0
        self._put(made.document, light, made.words)
        title = made.words
        text = aiming.label(sight, made.document, light, chosen, x, y) if chosen is not None else ""
        self.picture.say_at(at, title, text)

    def _put(self, document: Document, light: str, words: str) -> None:
        session = self.session
        session.apply(f"Aimed: {words[0].lower()}{words[1:]}", document, ("aim", self.number))
        session.select((), f"lamps/{light}" if light in document.lamps else f"softboxes/{light}")

    def aim_stroke(self, stroke: list[tuple[float, float]]) -> None:
        """Bend the selected softbox, or a new one, along a stroke of places of the widget."""
        self.number += 1
        try:
            places = [self.place(QPoint(int(x), int(y))) for x, y in stroke] if self.session.free_view is not None and self.for_shot else stroke
            document, light = self._light(self.session.document)
            if light in document.lamps:
                raise BadValue("A strip is a softbox; select one, or nothing for a new one.")
            made = aiming.aim_edge(document, self.sight(), places, light)
        except AulmoError as error:
            self.session.trouble.emit(str(error))
            return
        self._put(made.document, light, made.words)
        self.session.hint.emit(made.words)

    def light_square_on(self, at: QPoint) -> None:
        """Light what is seen at a point of the widget square on."""
        self.number += 1
        self._how, self._chosen = "facing", 0
        self._aim(at)

    def hover(self, at: QPoint) -> bool:
        """The list of ways stays; else say what a click would do."""
        if (len(self.ways) > 1 or self.instead) and self._at is not None:
            return True
        part = self.session.document.parts.get(self.picture.part_at(at) or "")
        self.picture.say_at(at, "Highlight here" if part else "Nothing to aim at", part.name if part else "click on the product")
        return True

    def key(self, event: QKeyEvent) -> bool:
        """A number takes another way for the last click."""
        number = event.key() - Qt.Key.Key_1
        if self.instead and self._at is not None and 0 <= number < len(self.instead):
            self._do_instead(list(self.instead.values())[number])
            return True
        if len(self.ways) > 1 and self._at is not None and 0 <= number < len(self.ways):
            self._how = "highlight"
            self._aim(self._at, number)
            return True
        return False

    @property
    def typing(self) -> bool:  # type: ignore[override]
        """Numbers belong to the list while it is there."""
        return len(self.ways) > 1 or bool(self.instead)

    def _do_instead(self, deed: Any) -> None:
        """A lamp or a card where it would be mirrored, or the next place where a highlight can be."""
        session, self.instead = self.session, {}
        if isinstance(deed, tuple):
            x, y = deed
            camera, _, _ = self._camera()
            if camera is session.camera and session.free_view is not None:
                session.hint.emit("Look through the shot’s camera (0) to aim there")
                return
            self._aim(QPoint(int(x), int(y)))
            return
        document, subject, words = deed(session.document, session.assets)
        session.apply(words, document)
        session.select(*((), subject) if "/" in subject else ([subject],))
        self.picture.hush()

    # drawing

    def draw(self, painter: QPainter) -> None:
        """The place that was aimed at, the ways, the stroke."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self._stroke and self._how == "edge":
            line = QPolygonF([QPointF(p) for p in self._stroke])
            for colour, width in ((QColor(0, 0, 0, 130), 5), (QColor(theme.current().accent_hover), 2.4)):
                painter.setPen(QPen(colour, width, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap, Qt.PenJoinStyle.RoundJoin))
                painter.drawPolyline(line)
        if self._at is None:
            return
        x, y = self._at.x() + 0.5, self._at.y() + 0.5
        for colour, width in ((QColor(0, 0, 0, 150), 3.5), (QColor("#ffffff"), 1.5)):
            painter.setPen(QPen(colour, width))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(QPointF(x, y), 8, 8)
            for dx, dy in ((1, 0), (-1, 0), (0, 1), (0, -1)):
                painter.drawLine(QPointF(x + 5 * dx, y + 5 * dy), QPointF(x + 13 * dx, y + 13 * dy))
        if len(self.ways) > 1:
            self._list(painter, x, y)

    def _list(self, painter: QPainter, x: float, y: float) -> None:
        """The ways in words below the label, each with its number key."""
        try:
            sight = self.sight()
        except BadValue:
            return
        words = [f"{k}  {sight.words(way)}" for k, way in enumerate(self.ways, 1)]
        metrics = painter.fontMetrics()
        width, height = max(metrics.horizontalAdvance(w) for w in words) + 22, 20 * len(words) + 8
        left = min(self.picture.width() - width - 4, x + 18)
        top = y + 62 if y + 62 + height < self.picture.height() else y - height - 18
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(32, 32, 32, 238))
        painter.drawRoundedRect(QRectF(left, top, width, height), 3, 3)
        for k, text in enumerate(words):
            mine = k == self._chosen
            painter.setPen(QColor(theme.current().accent_text if mine else "#e6e6e6"))
            painter.drawText(QRectF(left + 10, top + 4 + 20 * k, width - 16, 20), Qt.AlignmentFlag.AlignVCenter, text)
