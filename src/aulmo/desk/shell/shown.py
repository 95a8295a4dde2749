"""Shown: the picture over the whole screen and nothing else, for a client who stands behind; remarks are pinned by a click."""

from typing import Any

import numpy as np
from PySide6.QtCore import QPoint, QPointF, QRect, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QGuiApplication, QImage, QKeyEvent, QPainter, QPen
from PySide6.QtWidgets import QLineEdit, QWidget

from aulmo.desk.picture.picture_view import seen_change
from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.painting import painted
from aulmo.document import remarks, variants
from aulmo.document.moments import Moments
from aulmo.document.records import Document
from aulmo.finish.edits import does_something, finish_of, finished_within
from aulmo.finish.layers import passes_of
from aulmo.frame.camera import project, ray_through
from aulmo.trace.live import LivePicture, Request, Shown
from aulmo.trace.pick import Hit, pick

PIN = 9.0
DARK = QColor(14, 14, 14)


def pin(painter: QPainter, at: QPointF, number: int, done: bool = False) -> None:
    """A remark's pin with its number."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(QColor(255, 255, 255, 230), 1.6))
    painter.setBrush(QColor(90, 90, 90, 220) if done else QColor(168, 82, 127, 235))
    painter.drawEllipse(at, PIN, PIN)
    painter.setPen(QColor("#ffffff"))
    painter.drawText(QRectF(at.x() - PIN, at.y() - PIN, 2 * PIN, 2 * PIN), Qt.AlignmentFlag.AlignCenter, str(number))


class ShownView(QWidget):
    """Full screen. Left and right go through the shots, up and down through the choices of the range, `.` blanks, Space plays the film, a click pins
    a remark, Esc ends. `seen` tells that another picture is shown, `ended` that it is over."""

    drawn = Signal(object)
    seen = Signal()
    ended = Signal()

    def __init__(self, session: Session, picture: Any, play: Any) -> None:
        super().__init__()
        self.session, self.picture, self._play = session, picture, play
        self.setWindowTitle("Shown")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Shown")
        self.setCursor(Qt.CursorShape.BlankCursor)
        self.setMouseTracking(True)
        self.blank, self.pins = False, True
        self.state: Shown | None = None
        self._image: QImage | None = None
        self._pixels: np.ndarray | None = None
        self._at: tuple[float, float] | None = None
        self.entry = QLineEdit(self)
        self.entry.setPlaceholderText("Your remark · Return keeps it")
        self.entry.setAccessibleName("Remark")
        self.entry.setFixedWidth(360)
        self.entry.hide()
        self.entry.returnPressed.connect(self._keep)
        self.drawn.connect(self._take)
        self._live = LivePicture(session.assets, self.drawn.emit, session.trouble.emit)
        picture.sleep(True)
        self._connections = [
            session.view_changed.connect(self.refresh), session.time_changed.connect(self.refresh), session.shot_changed.connect(self.refresh),
            session.changed.connect(self._changed), picture.shown.connect(self._film), session.opened.connect(self.close),
        ]  # fmt: skip
        self._open = True

    # what is shown

    def frame(self) -> QRect:
        """Where the shot's frame lies on the screen."""
        shot = self.session.shot
        ratio = shot.width / max(1, shot.height) if shot is not None else 4 / 3
        w = min(self.width(), round(self.height() * ratio))
        h = max(1, round(w / ratio))
        return QRect((self.width() - w) // 2, (self.height() - h) // 2, max(8, w), h)

    def refresh(self, *_: Any) -> None:
        """Ask for the shot as it is now, at the screen's own pixels."""
        session, shot = self.session, self.session.shot
        if shot is None or session.playing or not self._open:
            return
        document, assets, time_ = session.resolved, session.assets, session.time
        seen = next(s for s in document.shots if s.id == shot.id)
        held, finish = finish_of(document, seen), None
        if does_something(held, seen):
            finish = lambda _, light: finished_within(document, assets, seen, light, (0.0, 0.0, 1.0, 1.0), time_)  # noqa: E731
        frame = self.frame()
        moments = None
        if (session.document.keys or session.document.motions) and session.camera.motion_blur:
            moments = Moments(session.in_time, session.choices, session.time, session.camera.id, document)
        passes = passes_of(held) if finish is not None else ()
        self._live.show(Request(document, seen, session.camera, frame.width(), frame.height(), True, moments=moments, passes=passes, finish=finish))

    def _changed(self, old: Document, new: Document) -> None:
        self.update()
        if seen_change(old, new) or old.finishes is not new.finishes:
            self.refresh()

    def _take(self, state: Shown) -> None:
        if not self._open or self.session.playing:
            return
        self.state = state
        if state.picture.size:
            self._set(state.picture)

    def _set(self, pixels: np.ndarray) -> None:
        self._pixels = np.ascontiguousarray(pixels)
        h, w = pixels.shape[:2]
        self._image = QImage(self._pixels.data, w, h, w * 4, QImage.Format.Format_RGB32)
        self.update()
        self.seen.emit()

    def _film(self, state: Shown) -> None:
        """While the film plays, the picture's own drafts, cut to the frame."""
        if self._open and self.session.playing and state.picture.size:
            self._set(self.picture.framed(state.picture))

    def pixels(self) -> np.ndarray | None:
        """(h, w, 3) uint8 of what is shown, red first; None while it is blanked or nothing has come."""
        return None if self.blank or self._pixels is None else self._pixels[..., 2::-1]

    # going about

    def next_shot(self, by: int) -> None:
        """Another shot, round and round."""
        shots = self.session.document.shots
        here = next((k for k, s in enumerate(shots) if self.session.shot is not None and s.id == self.session.shot.id), 0)
        if shots:
            self.session.set_shot(shots[(here + by) % len(shots)].id)

    def next_choice(self, by: int) -> None:
        """Another variant of the range, in the order of its axes."""
        document = self.session.document
        axes = [a for a in document.axes if a.choices]
        if not axes:
            return
        ids = {a.name: (a.id, {c.name: c.id for c in a.choices}) for a in axes}
        every = [{ids[n][0]: ids[n][1][c] for n, c in row.items()} for row in variants.every(document, [a.name for a in axes])]
        now = {a.id: self.session.picks.get(a.id, "") for a in axes}
        here = next((k for k, row in enumerate(every) if row == now), -1 if by > 0 else 0)
        self.session.see(every[(here + by) % len(every)])

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        """Arrows, blanking, playing, the end."""
        key = event.key()
        if key == Qt.Key.Key_Escape:
            if self.entry.isVisible():
                self._leave()
            else:
                self.close()
        elif key in (Qt.Key.Key_Right, Qt.Key.Key_Left):
            self.next_shot(1 if key == Qt.Key.Key_Right else -1)
        elif key in (Qt.Key.Key_Down, Qt.Key.Key_Up):
            self.next_choice(1 if key == Qt.Key.Key_Down else -1)
        elif key == Qt.Key.Key_Period:
            self.blank = not self.blank
            self.update()
            self.seen.emit()
        elif key == Qt.Key.Key_Space:
            self._play()
        elif key == Qt.Key.Key_R:
            self.pins = not self.pins
            self.update()

    # remarks

    def place_of(self, at: QPointF) -> tuple[float, float]:
        """A point of the screen in shares of the frame."""
        frame = self.frame()
        return (at.x() - frame.left()) / frame.width(), (at.y() - frame.top()) / frame.height()

    def mouseMoveEvent(self, event: Any) -> None:  # noqa: N802
        """The cursor comes back where it is moved."""
        self.setCursor(Qt.CursorShape.CrossCursor)

    def mousePressEvent(self, event: Any) -> None:  # noqa: N802
        """A remark begins there."""
        x, y = self.place_of(event.position())
        if self.blank or not (0 <= x < 1 and 0 <= y < 1):
            return
        self._at = (x, y)
        at = event.position().toPoint() + QPoint(14, 10)
        self.entry.move(min(at.x(), self.width() - 370), min(at.y(), self.height() - 40))
        self.entry.clear()
        self.entry.show()
        self.entry.setFocus()
        self.update()

    def _leave(self) -> None:
        self._at = None
        self.entry.hide()
        self.setFocus()
        self.update()

    def _keep(self) -> None:
        if self._at is not None:
            self.remark(self.entry.text(), self._at)
        self._leave()

    def remark(self, text: str, place: tuple[float, float] | None, by: str = "") -> None:
        """Pin a remark to what is seen at a place of the frame, in shares of it."""
        hit = None
        if place is not None and self.state is not None:
            w, h = 1000, max(1, round(1000 * self.frame().height() / self.frame().width()))
            hit = pick(self.state.scene, *ray_through(self.session.camera, place[0] * w, place[1] * h, w, h))
        keep_remark(self.session, text, hit, by)

    # drawing

    @painted
    def paintEvent(self, painter: QPainter) -> None:  # noqa: N802
        """Draw."""
        painter.fillRect(self.rect(), DARK)
        if self.blank or self._image is None:
            return
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        frame = self.frame()
        painter.drawImage(frame, self._image)
        if self.pins and not self.session.playing:
            for number, at, done in pins_in(self.session.document, self.session.resolved, self.session, frame):
                pin(painter, at, number, done)
        if self._at is not None:
            at = QPointF(frame.left() + self._at[0] * frame.width(), frame.top() + self._at[1] * frame.height())
            pin(painter, at, len(self.session.document.remarks) + 1)

    def resizeEvent(self, event: Any) -> None:  # noqa: N802
        """Another size."""
        self.refresh()

    def closeEvent(self, event: Any) -> None:  # noqa: N802
        """It is over: the window's picture goes on."""
        if self._open:
            self._open = False
            for one in self._connections:
                self.disconnect(one)
            self._live.close()
            self.picture.sleep(False)
            self.ended.emit()
        event.accept()


def keep_remark(session: Session, text: str, hit: Hit | None, by: str) -> None:
    """A remark pinned to what is met, else to what the camera looks at; what is wrong with it is said."""
    part, point = (hit.part, hit.point) if hit is not None else ("", session.camera.target)
    shot = session.shot.id if session.shot is not None else ""
    made = session.attempt(lambda: remarks.pinned(session.document, session.resolved, text, part, point, shot, session.time, by))
    if made is not None:
        session.apply("Remark", made[0])


def pins_in(document: Document, seen: Document, session: Session, frame: QRect) -> list[tuple[int, QPointF, bool]]:
    """The pins of the shot that is looked through: their numbers, where they lie in a frame, whether they are done."""
    shot = session.shot
    found = []
    for number, one in remarks.numbered(document):
        place = remarks.place_of(seen, one)
        if place is None or (one.shot and shot is not None and one.shot != shot.id):
            continue
        x, y, ahead = project(session.camera, place[None], frame.width(), frame.height())[0]
        if ahead > 0 and -20 < x < frame.width() + 20 and -20 < y < frame.height() + 20:
            found.append((number, QPointF(frame.left() + x, frame.top() + y), one.done))
    return found


def on_screen(view: ShownView) -> None:
    """Show it over the whole of the screen that it stands on."""
    screen = QGuiApplication.primaryScreen()
    if screen is not None:
        view.setGeometry(screen.geometry())
    view.showFullScreen()
    view.activateWindow()
    view.setFocus()
    view.refresh()
