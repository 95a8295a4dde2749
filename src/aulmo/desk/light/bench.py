"""Light's bench: the dome as a flat map, dragged to turn; the shipped sets beside it."""

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QRect, QSize, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPen, QPixmap
from PySide6.QtWidgets import QHBoxLayout, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from aulmo.desk.shell import theme
from aulmo.desk.shell.bench import BenchHead
from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.fields import label, show_as_pictures
from aulmo.document.quantity import show
from aulmo.document.records import Environment
from aulmo.light import environment_image
from aulmo.surface.colour import ACESCG_TO_SRGB, encode_srgb
from aulmo.trace.lit import environment_pixels, environment_turn


def flat_map(image: np.ndarray, environment: Environment, width: int, height: int) -> np.ndarray:
    """(height, width, 3) uint8 of the dome as seen from the camera's side: the middle is the camera, left is left.

    Brightness is squeezed so that softboxes and room both read.
    """
    azimuth = ((np.arange(width) + 0.5) / width - 0.5) * 2 * np.pi
    elevation = (0.5 - (np.arange(height) + 0.5) / height) * np.pi
    ce = np.cos(elevation)[:, None]
    world = np.stack([ce * np.sin(azimuth), -ce * np.cos(azimuth), np.repeat(np.sin(elevation)[:, None], width, 1)], -1)
    d = world @ environment_turn(environment).T
    u = 0.5 + np.arctan2(d[..., 0], d[..., 1]) / (2 * np.pi)
    v = np.arccos(np.clip(d[..., 2], -1, 1)) / np.pi
    h, w = image.shape[:2]
    light = image[np.minimum(h - 1, (v * h).astype(int)), np.minimum(w - 1, (u * w).astype(int))] * 2.0**environment.exposure
    light = np.maximum(light @ ACESCG_TO_SRGB.T, 0) / 3500.0
    peak = light.max(-1, keepdims=True)
    return np.rint(encode_srgb(light * (np.log1p(4 * peak) / np.log(5) / np.maximum(peak, 1e-9))) * 255).astype(np.uint8)


class DomeMap(QWidget):
    """The map. A drag turns the dome, with Shift it tilts."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setMinimumSize(200, 90)
        self.setMouseTracking(True)
        self.setCursor(Qt.CursorShape.OpenHandCursor)
        self.setAccessibleName("Dome map")
        self._source: tuple = ()
        self._reading: tuple | None = None
        self._image: QImage | None = None
        self._start: tuple | None = None
        self._drag = 0

    def _rect(self) -> QRect:
        width = min(self.width(), 2 * self.height())
        return QRect(0, (self.height() - width // 2) // 2, width, width // 2)

    def refresh(self) -> None:
        """Draw the dome as it is now."""
        environment, area = self.session.resolved.environment, self._rect()
        key = (environment.image, environment.sky)
        if self._source[:1] != (key,):
            self._read(environment)
            return
        flat = np.ascontiguousarray(flat_map(self._source[1], environment, area.width(), area.height()))
        self._image = QImage(flat.data, flat.shape[1], flat.shape[0], flat.shape[1] * 3, QImage.Format.Format_RGB888).copy()
        self.update()

    def _read(self, environment: Environment) -> None:
        """Read the dome's pixels beside the window's own work, then draw."""
        key, assets = (environment.image, environment.sky), self.session.assets
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

    def paintEvent(self, event) -> None:  # noqa: N802
        """Draw."""
        painter = QPainter(self)
        area = self._rect()
        painter.fillRect(area, QColor("#0a0a0a"))
        if self._image is not None:
            painter.drawImage(area, self._image)
        painter.setPen(QPen(QColor(255, 255, 255, 38), 1))
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
        for azimuth, text in ((-90, "left"), (0, "camera"), (90, "right")):
            x = area.left() + round(area.width() * (0.5 + azimuth / 360))
            painter.drawText(QRect(x - 30, area.bottom() - 15, 60, 12), Qt.AlignmentFlag.AlignCenter, text)

    def mousePressEvent(self, event) -> None:  # noqa: N802
        """Begin."""
        environment = self.session.resolved.environment
        self._drag += 1
        self._start = (event.position().x(), event.position().y(), environment.turn, environment.tilt)
        self.setCursor(Qt.CursorShape.ClosedHandCursor)

    def mouseMoveEvent(self, event) -> None:  # noqa: N802
        """Turn with the hand; without a press say where the cursor is."""
        area = self._rect()
        if self._start is None:
            azimuth = ((event.position().x() - area.left()) / area.width() - 0.5) * 360
            elevation = (0.5 - (event.position().y() - area.top()) / area.height()) * 180
            self.session.hint.emit(f"Drag to turn the light · Shift tilts · azimuth {show(azimuth, '°', 0)}, elevation {show(elevation, '°', 0)}")
            return
        x, y, turn, tilt = self._start
        environment = self.session.resolved.environment
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            tilt = max(-90.0, min(90.0, tilt + (event.position().y() - y) / area.height() * 180))
            changed = replace(environment, tilt=round(tilt, 2))
        else:
            # the map is seen from outside: a drag to the right brings the light to the right
            turn = turn - (event.position().x() - x) / area.width() * 360
            changed = replace(environment, turn=round((turn + 180) % 360 - 180, 2))
        self.session.put({"environment/turn": changed.turn, "environment/tilt": changed.tilt}, True, "Turned the light")

    def mouseReleaseEvent(self, event) -> None:  # noqa: N802
        """Done."""
        self._start = None
        self.session.history.end_merge()
        self.setCursor(Qt.CursorShape.OpenHandCursor)


class LightBench(QWidget):
    """The dome and the sets."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        head = BenchHead("Dome")
        self.words = label("")
        head.addWidget(self.words)
        head.addStretch(1)
        self.map = DomeMap(session)
        self._pictured = False
        self.sets = QListWidget()
        show_as_pictures(self.sets, "Light sets", QSize(88, 44), QSize(102, 70))
        for name in environment_image.SETS:
            item = QListWidgetItem(name)
            item.setSizeHint(QSize(100, 68))
            item.setTextAlignment(Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignBottom)
            self.sets.addItem(item)
        self.sets.itemClicked.connect(self._choose)
        line = QHBoxLayout()
        line.setContentsMargins(12, 0, 8, 8)
        line.setSpacing(10)
        line.addWidget(self.map, 1)
        line.addWidget(self.sets, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addLayout(head)
        layout.addLayout(line, 1)
        session.changed.connect(lambda old, new: old.environment is not new.environment and self.refresh())
        session.opened.connect(self.refresh)

    def _first(self) -> None:
        """Picture the sets the first time the bench is seen."""
        if not self._pictured:
            self._pictured = True
            names = [self.sets.item(k).text() for k in range(self.sets.count())]

            def work(task) -> list[np.ndarray]:
                small = (np.ascontiguousarray(environment_image.shipped(name)[::4, ::4]) for name in names)
                return [np.ascontiguousarray(flat_map(image, Environment(), 88, 44)) for image in small]

            def done(maps: list[np.ndarray]) -> None:
                for k, flat in enumerate(maps):
                    image = QImage(flat.data, 88, 44, 88 * 3, QImage.Format.Format_RGB888).copy()
                    self.sets.item(k).setIcon(theme.picture_icon(QPixmap.fromImage(image)))

            self.session.start_task("Picturing the light sets", work, done)
        self.refresh()

    def refresh(self) -> None:
        """Show the dome as it is now."""
        environment = self.session.resolved.environment
        if self.isVisible():
            self.map.refresh()
        name = "Sun and sky" if environment.sky is not None else environment.image if environment.shipped else "Own file"
        self.words.setText(f"{name} · turned {show(environment.turn, '°', 0)} · tilted {show(environment.tilt, '°', 0)}")
        for k in range(self.sets.count()):
            self.sets.item(k).setSelected(environment.shipped and environment.sky is None and self.sets.item(k).text() == environment.image)

    def showEvent(self, event) -> None:  # noqa: N802
        """Seen again."""
        self._first()

    def _choose(self, item: QListWidgetItem) -> None:
        was = self.session.document.environment
        environment = replace(was, image=item.text(), shipped=True, sky=None, exposure=0.0 if was.sky is not None else was.exposure)
        self.session.apply(f"Light set {item.text()}", replace(self.session.document, environment=environment))
