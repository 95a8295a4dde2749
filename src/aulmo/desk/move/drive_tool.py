"""Driving something by hand while it records: arrow keys steer, and a path with a motion along it comes of it."""

import math
import time

import numpy as np
from PySide6.QtCore import QPointF, Qt, QTimer
from PySide6.QtGui import QColor, QKeyEvent, QPainter, QPen, QPolygonF

from aulmo.desk.move.film_desk import FilmDesk
from aulmo.desk.picture.tools.tool import Tool
from aulmo.desk.shell import theme
from aulmo.document.moving.movers import mover_of
from aulmo.document.quantity import show
from aulmo.document.records import Document
from aulmo.motion.driving import STEP, Driven, driven, drove, thinned
from aulmo.prepare import arrange


class DriveTool(Tool):
    """Up goes, down brakes and backs, left and right steer; Return keeps what was driven."""

    name = "drive"
    hint = "Arrow keys drive: up goes, down brakes, left and right steer · Return keeps the way · Esc gives up"
    typing = True

    def __init__(self, picture, desk: FilmDesk) -> None:
        super().__init__(picture)
        self.desk = desk
        self.part = ""
        self.now = Driven(0.0, 0.0, 0.0)
        self.places: list[tuple[float, float]] = []
        self.base, self.fastest, self.forward = 300.0, 1000.0, np.array([1.0, 0.0, 0.0])
        self._held: set[int] = set()
        self._began = 0.0
        self._gone = 0
        self._timer = QTimer(picture)
        self._timer.setInterval(round(1000 * STEP))
        self._timer.timeout.connect(self._tick)

    def take(self) -> None:
        """Take the wheel of what is selected."""
        session = self.session
        document = session.document
        self.part = session.selection[0] if session.selection else ""
        box = arrange.bounds(document, session.assets, [self.part]) if self.part else None
        if box is None:
            session.hint.emit("Select what should be driven first")
            return
        size = box[1] - box[0]
        long = 0 if size[0] >= size[1] else 1
        motion = next((m for m in document.motions.values() if m.kind == "follow" and f"parts/{self.part}" in m.wears), None)
        matrix = mover_of(document).rest(self.part)
        own = np.array(motion.axis, float) if motion is not None else np.linalg.inv(matrix[:3, :3]) @ np.eye(3)[long]
        self.forward = own / max(float(np.linalg.norm(own)), 1e-12)
        ahead = matrix[:3, :3] @ self.forward
        middle = 0.5 * (box[0] + box[1])
        self.base = 0.6 * float(size[long])
        self.fastest = 1.6 * float(size[long])
        rear = middle - 0.5 * self.base * ahead / max(float(np.linalg.norm(ahead)), 1e-12)
        self.now = Driven(float(rear[0]), float(rear[1]), math.degrees(math.atan2(ahead[1], ahead[0])))
        self.places = [(self.now.x, self.now.y)]
        self._held, self._gone, self._began = set(), 0, time.perf_counter()
        self._timer.start()

    def put_away(self) -> None:
        """Leave it."""
        self._timer.stop()
        self.part = ""
        self.picture.hush()

    def _tick(self) -> None:
        """As many steps as the time that has gone asks for."""
        due = int((time.perf_counter() - self._began) / STEP)
        while self._gone < due:
            self.go()
        self.picture.update()

    def go(self) -> None:
        """One step with the keys that are held."""
        held = self._held
        ahead = (Qt.Key.Key_Up in held) - (Qt.Key.Key_Down in held)
        side = (Qt.Key.Key_Left in held) - (Qt.Key.Key_Right in held)
        self.now = driven(self.now, ahead, side, STEP, self.base, self.fastest)
        self.places.append((self.now.x, self.now.y))
        self._gone += 1

    def key(self, event: QKeyEvent) -> bool:
        """Arrows are held, Return keeps."""
        if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_Left, Qt.Key.Key_Right):
            if not event.isAutoRepeat():
                self._held.add(event.key())
            return True
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.keep()
            return True
        return False

    def key_up(self, event: QKeyEvent) -> bool:
        """An arrow is let go."""
        if not event.isAutoRepeat():
            self._held.discard(event.key())
        return True

    def keep(self) -> None:
        """A path where it was driven, and a motion along it at the pace it had."""
        session = self.session
        points = thinned(self.places, 0.15 * self.base)
        if not self.part or not points:
            session.hint.emit("It has not moved; hold the arrow up")
            return
        part = self.part
        document = session.document
        self.desk.run("Drove it by hand", lambda: drove(document, part, self.places, points, self.forward, self._rear(document), session.time))
        session.set_tool("")

    def _rear(self, document: Document) -> tuple[float, float, float]:
        """The middle of the rear axle on the floor, in the part's own axes."""
        matrix = np.linalg.inv(mover_of(document).rest(self.part))
        x, y, z = (matrix[:3, :3] @ np.array([*self.places[0], 0.0]) + matrix[:3, 3]).tolist()
        return (round(x, 4), round(y, 4), round(z, 4))

    def draw(self, painter: QPainter) -> None:
        """Where it has been driven, and how it stands now."""
        if not self.part or len(self.places) < 2:
            return
        points = self.picture.places_on_screen(np.array([(x, y, 0.0) for x, y in self.places[::3]]))
        if (points[:, 2] > 0).all():
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setPen(QPen(QColor(theme.current().accent_hover), 2))
            painter.drawPolyline(QPolygonF([QPointF(*p[:2]) for p in points]))
        turn = math.radians(self.now.heading)
        front = (self.now.x + self.base * math.cos(turn), self.now.y + self.base * math.sin(turn), 0.0)
        ends = self.picture.places_on_screen(np.array([(self.now.x, self.now.y, 0.0), front]))
        if (ends[:, 2] > 0).all():
            painter.setPen(QPen(QColor("#f4f4f4"), 3))
            painter.drawLine(QPointF(*ends[0, :2]), QPointF(*ends[1, :2]))
            painter.setPen(QColor("#f0f0f0"))
            painter.drawText(QPointF(ends[1, 0] + 8, ends[1, 1]), f"{show(abs(self.now.speed), 'mm', 0)}/s")
