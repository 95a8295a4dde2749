"""The ways of what is selected, drawn in the picture: ticks at equal times, keys as rings that are pulled there, speed at the cursor."""

import numpy as np
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from aulmo.desk.move.film_desk import FilmDesk
from aulmo.desk.picture.blurred import blur_at, fast_at
from aulmo.desk.picture.overlay import Overlay
from aulmo.desk.shell import theme
from aulmo.document.lens import half_tangent
from aulmo.document.properties import resolve
from aulmo.document.quantity import show
from aulmo.document.records import Document
from aulmo.errors import BadValue
from aulmo.frame.camera import camera_axes
from aulmo.motion import keys, ready
from aulmo.motion.lanes import name_of
from aulmo.motion.ways import Ring, camera_at, into_key, moves, rings, speed, way
from aulmo.prepare.arrange import points_of

RING, NEAR = 5.0, 9.0
FAST = 1 / 30  # of the frame's width in one frame: from here on it is told that a way is fast


class Way:
    """One way as it is drawn: what of which thing, at which times it lies where."""

    def __init__(self, document: Document, thing: str, what: str, point: tuple[float, float, float]) -> None:
        film = document.film
        self.thing, self.what, self.point = thing, what, point
        count = max(2, min(600, round((film.end - film.start) * document.frames_per_second) + 1))
        self.times = np.linspace(film.start, film.end, count)
        self.points = way(document, thing, self.times, what, point)
        self.rings: list[Ring] = rings(document, thing, what, point)
        steps = np.linalg.norm(np.diff(self.points, axis=0), axis=1)
        fastest = float(steps.max()) if len(steps) else 0.0
        self.pace = np.append(steps, steps[-1:]) / fastest if fastest > 1e-9 else np.zeros(count)  # 0..1 of the fastest


class WayMarks(Overlay):
    """The ways as an overlay of the picture, in Move."""

    def __init__(self, desk: FilmDesk, picture, stage: str) -> None:
        self.desk, self.session, self.picture, self._stage = desk, desk.session, picture, stage
        self._ways: tuple[tuple, list[Way]] | None = None
        self._bodies: list[tuple[tuple, np.ndarray]] = []  # the points of ghosts, and of which, the newest first
        self._held: tuple[Ring, Way, bool] | None = None  # a ring, or a place between two, that is pulled
        self._start: Document | None = None
        self._press = QPoint()
        self._depth = np.zeros(3)
        self._number = 0

    def shown(self) -> bool:
        """In Move, of what is selected and moves."""
        return self.session.stage == self._stage and bool(self.ways())

    def ways(self) -> list[Way]:
        """The ways of what is selected; the shot's camera's own is only seen from outside."""
        document, session = self.desk.document, self.session
        things = [t for t in self.desk.things()[:4] if moves(document, t)]
        if session.free_view is None and session.shot is not None:
            things = [t for t in things if t != f"cameras/{session.shot.camera}"]
        key = (document.keys, document.motions, document.parts, document.cameras, document.paths, document.film, tuple(things))
        if self._ways is None or not all(a is b or (type(a) is tuple and a == b) for a, b in zip(self._ways[0], key)):
            made = []
            for thing in things:
                point = ready.middle_of(document, session.assets, thing[6:]) if thing.startswith("parts/") else (0.0, 0.0, 0.0)
                made.append(Way(document, thing, "position", point))
                if thing.startswith("cameras/"):
                    target = Way(document, thing, "target", point)
                    if np.ptp(target.points, axis=0).max() > 1e-6 or target.rings:
                        made.append(target)
            self._ways = (key, made)
        return self._ways[1]

    # painting

    def draw(self, painter: QPainter) -> None:
        """Lines, ticks, rings."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for one in self.ways():
            self._draw_way(painter, one)
            if one.what == "position":
                self._draw_ghosts(painter, one)
            if one.thing.startswith("cameras/") and one.what == "position":
                self._draw_camera(painter, one.thing)

    def _draw_way(self, painter: QPainter, one: Way) -> None:
        t = theme.current()
        places = self.picture.places_on_screen(one.points)
        seen = (places[:, 2] > 1e-3) & (np.abs(places[:, :2]) < 20000).all(1)
        dim = 110 if one.what == "target" else 210
        for start, end in _runs(seen):
            line = QPolygonF([QPointF(*p[:2]) for p in places[start:end]])
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor(0, 0, 0, 90), 3))
            painter.drawPolyline(line)
            if one.what == "target":
                painter.setPen(QPen(QColor(240, 240, 240, dim), 1.2, Qt.PenStyle.DashLine))
                painter.drawPolyline(line)
            else:
                self._draw_speed(painter, one, places, start, end)
        step = self._tick_step(places, seen)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(245, 245, 245, dim))
        for k in range(0, len(places), step):
            if seen[k]:
                painter.drawEllipse(QPointF(*places[k, :2]), 1.9, 1.9)
        now = np.array([self.session.time])
        here = self.picture.places_on_screen(way(self.desk.document, one.thing, now, one.what, one.point))[0]
        if here[2] > 0:
            painter.setPen(QPen(QColor(t.accent_hover), 1.6))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(QPointF(*here[:2]), 7.5, 7.5)
        chosen = {(a, round(time, 4)) for a, time in self.desk.chosen}
        told: list[QPointF] = []
        for ring in one.rings:
            x, y, ahead = self.picture.places_on_screen(ring.place[None])[0]
            if ahead <= 0:
                continue
            held = (ring.address, round(ring.time, 4)) in chosen
            painter.setPen(QPen(QColor(0, 0, 0, 150), 4))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(QPointF(x, y), RING, RING)
            painter.setPen(QPen(QColor(t.accent_hover if held else "#f4f4f4"), 2))
            painter.drawEllipse(QPointF(x, y), RING, RING)
            if all((p - QPointF(x, y)).manhattanLength() > 18 for p in told):  # words that would lie over one another are left out
                painter.setPen(QColor("#f0f0f0"))
                painter.drawText(QPointF(x + 10, y - 8), show(ring.time, "s", 1))
                told.append(QPointF(x, y))

    @staticmethod
    def _draw_speed(painter: QPainter, one: Way, places: np.ndarray, start: int, end: int) -> None:
        """The way thin and pale where it is gone slowly, thick and in the accent's colour where fast; where it rests, a dot."""
        pace = one.pace
        slow, fast = QColor(240, 240, 240), QColor(theme.current().accent_hover)
        step = max(1, (end - start) // 160)
        for k in range(start, end - 1, step):
            share = float(pace[k : k + step].max())
            mix = lambda a, b: round(a + (b - a) * share)  # noqa: E731
            colour = QColor(mix(slow.red(), fast.red()), mix(slow.green(), fast.green()), mix(slow.blue(), fast.blue()), 225)
            painter.setPen(QPen(colour, 1.0 + 3.6 * share, Qt.PenStyle.SolidLine, Qt.PenCapStyle.FlatCap))
            painter.drawLine(QPointF(*places[k, :2]), QPointF(*places[min(k + step, end - 1), :2]))

    def _draw_ghosts(self, painter: QPainter, one: Way) -> None:
        """Where the thing stands at the keys before and after this moment: its outline, the one before dotted, the one after dashed."""
        now = self.session.time
        times = sorted({round(r.time, 6) for r in one.rings})
        before = [t for t in times if t < now - 1e-3]
        after = [t for t in times if t > now + 1e-3]
        for time, style in ((before[-1:], Qt.PenStyle.DotLine), (after[:1], Qt.PenStyle.DashLine)):
            if not time:
                continue
            if one.thing.startswith("cameras/"):
                self._draw_camera(painter, one.thing, time[0], style)
                continue
            outline = self._ghost(one.thing, time[0])
            if outline is not None:
                painter.setBrush(QColor(255, 255, 255, 16))
                for colour, width in ((QColor(0, 0, 0, 90), 3.0), (QColor(244, 244, 244, 190), 1.3)):
                    painter.setPen(QPen(colour, width, style))
                    painter.drawPolygon(outline)

    def _ghost(self, thing: str, time: float) -> QPolygonF | None:
        """The outline of a part at another time as it is seen now: the hull of its points."""
        from scipy.spatial import ConvexHull, QhullError

        document, part = self.desk.document, thing[6:]
        if part not in document.parts:
            return None
        key = (document.parts, document.keys, document.motions, thing, time)
        same = lambda other: all(a is b or (not isinstance(a, dict) and a == b) for a, b in zip(other, key))  # noqa: E731
        points = next((body for other, body in self._bodies if same(other)), None)
        if points is None:
            points = points_of(resolve(document, self.session.choices, time), self.session.assets, [part], 600)
            self._bodies = [(key, points), *self._bodies[:7]]
        places = self.picture.places_on_screen(points)
        flat = places[places[:, 2] > 1e-3, :2]
        if len(flat) < 3:
            return None
        try:
            hull = flat[ConvexHull(flat).vertices]
        except QhullError:
            return None
        return QPolygonF([QPointF(float(x), float(y)) for x, y in hull])

    def _draw_camera(self, painter: QPainter, thing: str, time: float | None = None, style: Qt.PenStyle = Qt.PenStyle.SolidLine) -> None:
        """A camera as it stands now, or at another time: its eye and the corners of what it frames, a little way ahead."""
        camera = camera_at(self.desk.document, thing[8:], self.session.time if time is None else time)
        shot = next((s for s in self.desk.document.shots if s.camera == camera.id), self.session.shot)
        right, up, ahead = camera_axes(camera)
        place = np.array(camera.position, float)
        far = 0.22 * float(np.linalg.norm(np.array(camera.target) - place))
        wide = far * half_tangent(camera)
        high = wide * (shot.height / shot.width if shot is not None else 0.75)
        corners = [place + ahead * far + right * a * wide + up * b * high for a, b in ((-1, -1), (1, -1), (1, 1), (-1, 1))]
        points = self.picture.places_on_screen(np.array([place, *corners]))
        if (points[:, 2] <= 0).any():
            return
        eye, *frame = (QPointF(*p[:2]) for p in points)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        ink = QColor(theme.current().accent_hover) if time is None else QColor(240, 240, 240, 150)
        for colour, width in ((QColor(0, 0, 0, 110), 3.2), (ink, 1.4)):
            painter.setPen(QPen(colour, width, style))
            painter.drawPolygon(QPolygonF(frame))
            for corner in frame:
                painter.drawLine(eye, corner)

    @staticmethod
    def _tick_step(places: np.ndarray, seen: np.ndarray) -> int:
        """Every so many frames a tick, so that they can be told apart on most of the way."""
        gaps = np.hypot(*np.diff(places[:, :2], axis=0).T)[seen[:-1] & seen[1:]]
        wide = float(np.percentile(gaps, 75)) if len(gaps) else 0.0
        return next((s for s in (1, 2, 5, 10, 25) if wide * s > 7), 50)

    # the hand

    def _ring_at(self, x: float, y: float) -> tuple[Ring, Way] | None:
        for one in self.ways():
            for ring in one.rings:
                place = self.picture.places_on_screen(ring.place[None])[0]
                if place[2] > 0 and np.hypot(place[0] - x, place[1] - y) < NEAR:
                    return ring, one
        return None

    def _time_at(self, x: float, y: float) -> tuple[float, Way] | None:
        """The moment of a way under the cursor."""
        for one in self.ways():
            places = self.picture.places_on_screen(one.points)
            away = np.where(places[:, 2] > 0, np.hypot(places[:, 0] - x, places[:, 1] - y), np.inf)
            k = int(away.argmin())
            if away[k] < 6:
                return float(one.times[k]), one
        return None

    def at(self, x: float, y: float) -> str:
        """A mark that is only told, never selected by itself."""
        ring = self._ring_at(x, y)
        if ring is not None:
            return f"keys/{ring[0].address}@{ring[0].time}"
        found = self._time_at(x, y)
        return f"ways/{found[1].thing}@{found[1].what}@{found[0]}" if found is not None else ""

    def words(self, address: str) -> tuple[str, str]:
        """Which key, how long it rests, how fast it goes on."""
        document = self.desk.document
        if address.startswith("keys/"):
            held, _, at = address[5:].rpartition("@")
            one = next((w for w in self.ways() if any(r.address == held for r in w.rings)), None)
            if one is None:
                return "", ""
            key = keys.near(document.keys.get(held, ()), float(at))
            rest = f"rests {show(key.rest, 's', 1)} · " if key is not None and key.rest else ""
            after = float(at) + (key.rest if key is not None else 0.0) + 0.5 / document.frames_per_second
            pace = speed(document, one.thing, after, one.what, one.point)
            return f"{self._name(one)} · {show(float(at), 's', 1)}", f"{rest}{'then ' if rest else ''}{show(pace, 'mm', 0)}/s · drag moves it"
        thing, what, at = address[5:].split("@")
        one = next((w for w in self.ways() if w.thing == thing and w.what == what), None)
        if one is None:
            return "", ""
        pace = speed(document, thing, float(at), what, one.point)
        return f"{self._name(one)} · {show(float(at), 's', 2)}", f"{show(pace, 'mm', 0)}/s{self._too_fast(one, float(at))} · drag bends the way"

    def _name(self, one: Way) -> str:
        return name_of(self.desk.document, one.thing) + (" looks here" if one.what == "target" else "")

    def _too_fast(self, one: Way, time: float) -> str:
        """A hint where things jump from frame to frame as the shot's camera sees them."""
        document, session = self.desk.document, self.session
        if session.shot is None:
            return ""
        share = fast_at(document, one.thing, session.shot.camera, time, one.point)
        blurred = blur_at(document, session.shot, share)
        if blurred >= 0.5:
            return f" · blurs {blurred:.0f} px"
        if share < FAST or (document.cameras[session.shot.camera].motion_blur and share < 3 * FAST):
            return ""
        return f" · fast for {document.frames_per_second:g} /s: {100 * share:.0f} % of the frame each"

    def press(self, at: QPoint) -> bool:
        """Take a ring, or the way between two."""
        found = self._ring_at(at.x(), at.y())
        self._start, self._press, self._number = self.desk.document, at, self._number + 1
        if found is not None:
            ring, one = found
            self._held, self._depth = (ring, one, False), ring.place
            self.desk.choose([(ring.address, ring.time)])
            self.session.set_time(ring.time)
            return True
        between = self._time_at(at.x(), at.y())
        if between is not None:
            time, one = between
            before = [r for r in one.rings if r.time <= time]
            if before and any(r.time > time for r in one.rings):
                place = way(self.desk.document, one.thing, np.array([time]), one.what, one.point)[0]
                self._held, self._depth = (Ring(before[-1].address, before[-1].time, place), one, True), place
            else:
                self._held = None  # the way of a motion: there is nothing to pull
            return True
        return False

    def drag(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Pull it across the view; with Shift only up and down."""
        if self._held is None or self._start is None or (at - self._press).manhattanLength() < 3:
            return
        ring, one, bends = self._held
        mm = self.picture.mm_per_pixel(self._depth)
        right, up, _ = camera_axes(self.session.view)
        shift = (right * (at.x() - self._press.x()) - up * (at.y() - self._press.y())) * mm
        if modifiers & Qt.KeyboardModifier.ShiftModifier:
            shift = np.array([0.0, 0.0, -(at.y() - self._press.y()) * mm])
        held = self._start.keys.get(ring.address, ())
        key = keys.near(held, ring.time)
        if key is None:
            return
        own = into_key(self._start, ring.address, ring.time, shift)
        if bends:
            place = own + into_key(self._start, ring.address, ring.time, ring.place - self._base(ring, one)) + np.array(key.value, float)
            changed = {"via": tuple(float(round(v, 4)) for v in place)}
            told = "Bent a way"
        else:
            changed = {"value": tuple(float(round(v, 4)) for v in np.array(key.value, float) + own)}
            told = "Moved a key"
        try:
            self.session.apply(told, keys.change_keys(self._start, [(ring.address, ring.time)], **changed), ("way", self._number))
        except BadValue as error:
            self.session.trouble.emit(str(error))
        far = show(float(np.linalg.norm(shift)), "mm", 0)
        self.picture.say_at(at, f"{self._name(one)} · {show(ring.time, 's', 2)}", f"{far} · Shift only up and down")

    def _base(self, ring: Ring, one: Way) -> np.ndarray:
        """Where the key itself lies in the world."""
        return next(r.place for r in one.rings if r.time == ring.time and r.address == ring.address)

    def release(self, at: QPoint) -> None:
        """Let go."""
        self._held = None
        self.session.history.end_merge()
        self.picture.hush()


def _runs(seen: np.ndarray) -> list[tuple[int, int]]:
    """Stretches that are seen."""
    edges = np.flatnonzero(np.diff(np.concatenate([[False], seen, [False]]).astype(int)))
    return [(int(a), int(b)) for a, b in zip(edges[::2], edges[1::2]) if b - a > 1]

