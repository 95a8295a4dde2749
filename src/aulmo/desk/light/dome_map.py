"""The dome as a flat map: its ground dragged to turn, its softboxes pulled, sized and turned where they lie."""

from pathlib import Path
from typing import Any, Callable

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QPointF, QRect, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPen
from PySide6.QtWidgets import QWidget

from aulmo.desk.light import grips
from aulmo.desk.shelf.taker import thing_of
from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.painting import painted
from aulmo.document.quantity import show
from aulmo.document.records import Environment, Softbox
from aulmo.light.dome_map import direction
from aulmo.light.environment_image import is_dome
from aulmo.light.softbox import within, wrapped
from aulmo.light.staying import heading, standing
from aulmo.shelf.things import Thing
from aulmo.surface.colour import ACESCG_TO_SRGB, encode_srgb
from aulmo.trace.dome_file import dome_light, soft_of
from aulmo.trace.lamp.lamp_rows import silenced
from aulmo.trace.lamp.softbox_rows import NONE, BoxBook, Softboxes
from aulmo.trace.lamp.softboxes import paint_over
from aulmo.trace.lit import environment_pixels, environment_turn


def map_world(width: int, height: int) -> np.ndarray:
    """(height, width, 3) directions of a flat map's pixels as seen from the camera's side: the middle is in front, left is left."""
    azimuth = ((np.arange(width) + 0.5) / width - 0.5) * 2 * np.pi
    elevation = (0.5 - (np.arange(height) + 0.5) / height) * np.pi
    ce = np.cos(elevation)[:, None]
    return np.stack([ce * np.sin(azimuth), -ce * np.cos(azimuth), np.repeat(np.sin(elevation)[:, None], width, 1)], -1)


def flat_map(
    image: np.ndarray, environment: Environment, width: int, height: int, turn: np.ndarray | None = None, soft: Softboxes = NONE
) -> np.ndarray:  # fmt: skip
    """(height, width, 3) uint8 of the dome: its ground `image` (turned by `turn`, world to map, where given) under softboxes.

    Brightness is squeezed so that softboxes and room both read.
    """
    turn = environment_turn(environment) if turn is None else turn
    light = dome_light(image, turn, 2.0**environment.exposure, soft, map_world(width, height).reshape(-1, 3))
    light = np.maximum(light.reshape(height, width, 3) @ ACESCG_TO_SRGB.T, 0) / 3500.0
    peak = light.max(-1, keepdims=True)
    return np.rint(encode_srgb(light * (np.log1p(4 * peak) / np.log(5) / np.maximum(peak, 1e-9))) * 255).astype(np.uint8)


class DomeMap(QWidget):
    """The map. A drag on a softbox moves it, on its sides sizes it, on its knob turns it; a drag on the ground turns that, with Shift it tilts."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setMinimumSize(200, 90)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.setAccessibleName("Dome map")
        self._source: tuple = ()
        self._reading: tuple | None = None
        self._image: QImage | None = None
        self._start: tuple | None = None
        self._held: tuple[Softbox, str, np.ndarray] | None = None
        self._book: BoxBook | None = None
        self._hot = ""
        self._dragged: tuple[Path, bool] | None = None  # the picture that is dragged over it, and whether it is a dome
        self._thing: Thing | None = None  # that is dragged over it
        self.setAcceptDrops(True)
        self.things: Callable[[Thing, tuple[float, float]], Any] | None = None  # what a thing of the shelf does that is dropped there
        self.take_at: Callable[[Path, float, float], Any] = lambda path, azimuth, elevation: None  # what a picture does that is dropped there
        self.add_at: Callable[[float, float], Any] = lambda azimuth, elevation: None  # what a double click on nothing does
        session.selection_changed.connect(self.update)
        session.opened.connect(self._opened)

    def _opened(self) -> None:
        self._reading = None  # what was on its way for another project is dropped

    def _rect(self) -> QRect:
        width = min(self.width(), 2 * self.height())
        return QRect(0, (self.height() - width // 2) // 2, width, width // 2)

    # grips.Surface

    def places(self, directions: np.ndarray) -> np.ndarray:
        """(n, 2) where directions lie on the map."""
        area = self._rect()
        azimuth, elevation = np.arctan2(directions[:, 0], -directions[:, 1]), np.arcsin(np.clip(directions[:, 2], -1, 1))
        return np.stack([area.left() + area.width() * (0.5 + azimuth / (2 * np.pi)), area.top() + area.height() * (0.5 - elevation / np.pi)], 1)

    def direction(self, x: float, y: float) -> np.ndarray:
        """The direction that lies at a place of the map."""
        area = self._rect()
        return direction(((x - area.left()) / area.width() - 0.5) * 360, min(90.0, max(-90.0, (0.5 - (y - area.top()) / area.height()) * 180)))

    # drawing

    def refresh(self) -> None:
        """Draw the dome as it is now."""
        environment, area = self.session.resolved.environment, self._rect()
        key = _ground(environment)
        if self._source[:1] != (key,):
            self._read(environment)
            return
        stands = standing(self.session.resolved, self.session.view)
        if self._book is None or self._book.assets is not self.session.assets:
            self._book = BoxBook(self.session.assets)
        soft = self.session.attempt(lambda: soft_of(stands, self.session.assets, self._book)) or NONE
        ground = np.zeros((2, 4, 3), np.float32) if silenced(stands) else self._source[1]
        scale = self.devicePixelRatio()
        turn = environment_turn(stands.environment, stands.ground)
        size = (round(area.width() * scale), round(area.height() * scale))

        def paint(_task=None) -> np.ndarray:
            return np.ascontiguousarray(flat_map(ground, environment, *size, turn, soft))

        def show_it(flat: np.ndarray) -> None:
            self._image = QImage(flat.data, flat.shape[1], flat.shape[0], flat.shape[1] * 3, QImage.Format.Format_RGB888).copy()
            self.update()

        if len(soft.rows) and not paint_over.is_ready:  # the first time ever the kernel has to be made: not while the hand waits
            self.session.start_task("Painting the dome", paint, show_it)
        else:
            show_it(paint())

    def _read(self, environment: Environment) -> None:
        """Read the ground's pixels beside the window's own work, then draw."""
        key, assets = _ground(environment), self.session.assets
        if key == self._reading:
            return
        self._reading = key

        def work(task) -> np.ndarray:
            pixels = environment_pixels(environment, assets)
            step = max(1, pixels.shape[1] // 720)
            return np.ascontiguousarray(pixels[::step, ::step])

        def done(pixels: np.ndarray) -> None:
            self._source, self._reading = (key, pixels), None
            self.refresh()

        task = self.session.start_task("Reading the dome", work, done)
        task.failed.connect(lambda _: setattr(self, "_reading", None))

    def resizeEvent(self, event) -> None:  # noqa: N802
        """A new size."""
        self.refresh()

    @painted
    def paintEvent(self, painter) -> None:  # noqa: N802
        """Draw."""
        self._paint(painter)

    def _paint(self, painter: QPainter) -> None:
        area = self._rect()
        painter.fillRect(area, QColor("#0a0a0a"))
        if self._image is not None:
            painter.drawImage(area, self._image)
        painter.setPen(QPen(QColor(255, 255, 255, 30), 1))
        for k in range(1, 8):
            x = area.left() + area.width() * k // 8
            painter.drawLine(x, area.top(), x, area.bottom())
        for k in range(1, 4):
            y = area.top() + area.height() * k // 4
            painter.drawLine(area.left(), y, area.right(), y)
        painter.setPen(QColor(255, 255, 255, 150))
        font = painter.font()
        font.setPixelSize(10)
        painter.setFont(font)
        camera = heading(self.session.camera)
        for azimuth, text in ((camera - 90, "left"), (camera, "camera"), (camera + 90, "right")):
            x = area.left() + round(area.width() * (0.5 + wrapped(azimuth) / 360))
            painter.drawText(QRect(x - 30, area.bottom() - 14, 60, 12), Qt.AlignmentFlag.AlignCenter, text)
        painter.setClipRect(area)
        chosen = self.session.softbox
        for box in grips.seen(self.session):
            grips.draw(painter, box, self, chosen is not None and box.id == chosen.id, box.id == self._hot)

    # the hand

    def _under(self, x: float, y: float) -> tuple[Softbox | None, str]:
        """The topmost softbox under a point, and what of it; the chosen one's grips before all others."""
        chosen = self.session.softbox
        for box in reversed(grips.seen(self.session)):
            mine = chosen is not None and box.id == chosen.id
            grip = grips.grip_at(box, self, x, y) if mine else "inside" if within(box, self.direction(x, y)[None])[0] else ""
            if grip:
                return box, grip
        return None, ""

    def mousePressEvent(self, event) -> None:  # noqa: N802
        """Begin."""
        x, y = event.position().x(), event.position().y()
        box, grip = self._under(x, y)
        if box is not None:
            self.session.select((), f"softboxes/{box.id}")
            self._held = None if box.locked else (box, grip, self.direction(x, y))
            if box.locked:
                self.session.hint.emit(f"{box.name} is locked")
            return
        environment = self.session.resolved.environment
        self._start = (x, y, environment.turn, environment.tilt)
        if self.session.softbox is not None:
            self.session.select((), "environment")
        self.setCursor(Qt.CursorShape.ClosedHandCursor)

    def mouseMoveEvent(self, event) -> None:  # noqa: N802
        """Pull with the hand; without a press say what is under the cursor."""
        x, y = event.position().x(), event.position().y()
        keeps = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        if self._held is not None:
            held, grip, start = self._held
            world = grips.pulled(held, grip, start, self.direction(x, y), keeps)
            if grips.put(self.session, world, grip):
                self.session.hint.emit(f"{world.name}: {grips.said(world, grip)}")
        elif self._start is not None:
            self._turn(x, y, keeps)
        else:
            box, grip = self._under(x, y)
            if (box.id if box is not None else "") != self._hot:
                self._hot = box.id if box is not None else ""
                self.update()
            shape = {"inside": Qt.CursorShape.SizeAllCursor, "turn": Qt.CursorShape.CrossCursor, "": Qt.CursorShape.OpenHandCursor}
            self.setCursor(shape.get(grip, Qt.CursorShape.SizeHorCursor if grip in ("left", "right") else Qt.CursorShape.SizeVerCursor))
            self.session.hint.emit(self._words(box, grip, x, y))

    def _words(self, box: Softbox | None, grip: str, x: float, y: float) -> str:
        if box is not None:
            verb = {"inside": "Drag to move", "turn": "Drag to turn · Shift by 15°"}.get(grip, "Drag to size · Shift keeps its shape")
            return f"{box.name}: {verb} · wheel for brightness"
        d = self.direction(x, y)
        azimuth, elevation = np.degrees(np.arctan2(d[0], -d[1])), np.degrees(np.arcsin(d[2]))
        where = f"azimuth {show(azimuth, '°', 0)}, elevation {show(elevation, '°', 0)}"
        return f"Drag to turn the ground · Shift tilts · double-click for a softbox · {where}"

    def _turn(self, x: float, y: float, tilts: bool) -> None:
        assert self._start is not None
        x0, y0, turn, tilt = self._start
        area, environment = self._rect(), self.session.resolved.environment
        if tilts:
            tilt = max(-90.0, min(90.0, tilt + (y - y0) / area.height() * 180))
            changed = replace(environment, tilt=round(tilt, 2))
        else:  # the map is seen from outside: a drag to the right brings the light to the right
            changed = replace(environment, turn=round(wrapped(turn - (x - x0) / area.width() * 360), 2))
        self.session.put({"environment/turn": changed.turn, "environment/tilt": changed.tilt}, True, "Turned the light")

    def mouseReleaseEvent(self, event) -> None:  # noqa: N802
        """Done."""
        self._start = self._held = None
        self.session.history.end_merge()
        self.setCursor(Qt.CursorShape.OpenHandCursor)

    def mouseDoubleClickEvent(self, event) -> None:  # noqa: N802
        """A softbox where there is none."""
        x, y = event.position().x(), event.position().y()
        if self._under(x, y)[0] is None and self._rect().contains(event.position().toPoint()):
            d = self.direction(x, y)
            self.add_at(float(np.degrees(np.arctan2(d[0], -d[1]))), float(np.degrees(np.arcsin(d[2]))))

    def wheelEvent(self, event) -> None:  # noqa: N802
        """Brighter and darker, by quarter stops."""
        box, _ = self._under(event.position().x(), event.position().y())
        if box is not None and event.angleDelta().y():
            stops = box.stops + 0.25 * event.angleDelta().y() / 120
            self.session.put({f"environment/softboxes/{box.id}/stops": round(stops, 3)}, True, f"Brightness of {box.name}")
            self.session.hint.emit(f"{box.name}: {stops:+.2f} stops")

    def dragEnterEvent(self, event) -> None:  # noqa: N802
        """Pictures may be dropped, domes, and things of the shelf."""
        self._thing = thing_of(event.mimeData())
        if self._thing is not None and self._thing.kind in KINDS and self.things is not None:
            event.acceptProposedAction()
            return
        self._thing = None
        files = _dropped(event.mimeData())
        self._dragged = (files[0], is_dome(files[0])) if files else None
        if files:
            event.acceptProposedAction()

    def dragMoveEvent(self, event) -> None:  # noqa: N802
        """What would come where."""
        if self._thing is not None:
            azimuth, elevation = self._angles(event.position().x(), event.position().y())
            place = f"hangs at azimuth {show(azimuth, '°', 0)}, elevation {show(elevation, '°', 0)}"
            whole = {"dome": "lies below the softboxes", "light set": "takes the place of all light"}
            self.session.hint.emit(f"Drop: {self._thing.name} {whole.get(self._thing.kind, place)}")
            event.acceptProposedAction()
            return
        if self._dragged is None:
            return
        file, lights_all = self._dragged
        at = event.position()
        azimuth, elevation = self._angles(at.x(), at.y())
        where = f"azimuth {show(azimuth, '°', 0)}, elevation {show(elevation, '°', 0)}"
        self.session.hint.emit(f"Drop: {file.name} {'lights the set' if lights_all else f'is a picture light at {where}'}")
        event.acceptProposedAction()

    def dropEvent(self, event) -> None:  # noqa: N802
        """A picture light where a picture is dropped; a dome lights the set."""
        thing = thing_of(event.mimeData())
        if thing is not None and thing.kind in KINDS and self.things is not None:
            self.things(thing, self._angles(event.position().x(), event.position().y()))
            event.acceptProposedAction()
            return
        files = _dropped(event.mimeData())
        if files:
            at = event.position()
            self.take_at(files[0], *self._angles(at.x(), at.y()))
            event.acceptProposedAction()

    def _angles(self, x: float, y: float) -> tuple[float, float]:
        d = self.direction(x, y)
        return float(np.degrees(np.arctan2(d[0], -d[1]))), float(np.degrees(np.arcsin(d[2])))

    def leaveEvent(self, event) -> None:  # noqa: N802
        """Nothing under the cursor."""
        if self._hot:
            self._hot = ""
            self.update()

    def place_of(self, box_id: str) -> QPointF:
        """Where a softbox's middle lies on the map."""
        box = next(b for b in grips.seen(self.session) if b.id == box_id)
        x, y = self.places(grips.frame(box)[0][None])[0]
        return QPointF(float(x), float(y))


KINDS = ("dome", "light set", "light picture")  # of the shelf
PICTURES = (".hdr", ".exr", ".png", ".jpg", ".jpeg", ".webp", ".tif", ".tiff")


def _dropped(mime) -> list[Path]:
    """The pictures among what is dragged."""
    files = [Path(u.toLocalFile()) for u in mime.urls() if u.isLocalFile()] if mime.hasUrls() else []
    return [f for f in files if f.suffix.lower() in PICTURES]


def _ground(environment: Environment) -> tuple:
    e = environment
    return (e.kind, e.image, e.shipped, e.sky, e.saturation, e.kelvin, e.blur, e.colour, e.stops)
