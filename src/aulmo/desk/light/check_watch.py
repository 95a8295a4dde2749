"""The light check of the picture that is being traced: worked out beside the window, brought up to date as it cleans, drawn over it by choice."""

from typing import Any

import numpy as np
from PySide6.QtCore import QObject, QPointF, QRect, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import QColor, QImage, QPainter, QPen
from PySide6.QtWidgets import QGridLayout, QLabel, QWidget

from aulmo.desk.shell import theme
from aulmo.desk.widgets.fields import label
from aulmo.frame.exposure import white_nits
from aulmo.light.light_check import READABLE, TONE_COLOURS, TONES, WEAK, Finding, LightCheck, check, false_tones
from aulmo.trace.check_light import product_names
from aulmo.trace.live import Shown
from aulmo.trace.view import show

OVERLAYS = {"": "Nothing", "levels": "Levels", "tones": "False tones", "rim": "Rim"}
LONGEST = 640  # pixels of the longer side that are looked at


class CheckWatch(QObject):
    """Listens to the picture while the Light stage is up. `found` is what was found last, `overlay` what is drawn over the picture of it."""

    changed = Signal()

    def __init__(self, picture: Any) -> None:
        super().__init__(picture)
        self.picture, self.session = picture, picture.session
        self.found: LightCheck | None = None
        self.overlay = ""
        self.shown_finding: Finding | None = None
        self._light: np.ndarray | None = None
        self._rim_line = np.zeros((0, 2))
        self._request: Any = None
        self._image: QImage | None = None
        self._busy = False
        self._waiting: Shown | None = None
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(60)
        self._timer.timeout.connect(self._look)
        picture.shown.connect(self._take)
        self.session.stage_changed.connect(lambda _: self._again())
        self.session.opened.connect(self._forget)
        picture.overlays.append(self)

    # listening

    def _forget(self) -> None:
        self.found = self.shown_finding = self._light = self._image = self._waiting = None
        self._busy = False  # what was on its way for another project is dropped
        self.changed.emit()

    def _take(self, state: Shown) -> None:
        if self._request is not None and state.request is not self._request and self._image is not None and self.overlay:
            self._image = None  # of another view; the new one comes
        if state.light is not None:
            self._waiting = state
            if self.session.stage == "Light":
                self._timer.start()

    def _again(self) -> None:
        if self._waiting is not None and self.session.stage == "Light":
            self._timer.start()

    def _look(self) -> None:
        state, draft = self._waiting, self.picture.draft
        if self._busy or state is None or state.light is None or draft is None or draft.parts.shape != state.light.shape[:2]:
            return
        self._busy, self._waiting = True, None
        step = max(1, -(-max(state.light.shape[:2]) // LONGEST))
        frame, (h, w) = self.picture.frame_rect(), state.light.shape[:2]
        fx, fy = w / max(1, self.picture.width()), h / max(1, self.picture.height())
        cut: Any = np.s_[int(frame.top() * fy) : int(frame.bottom() * fy) + 1 : step, int(frame.left() * fx) : int(frame.right() * fx) + 1 : step]
        if self.session.free_view is not None:
            cut = np.s_[::step, ::step]
        light, parts = np.ascontiguousarray(state.light[cut]), np.ascontiguousarray(draft.parts[cut]).astype(int)
        names, white = product_names(state.request.document, state.part_ids), white_nits(state.request.camera)
        view = state.request.shot.view if state.request.shot else "Product neutral"
        place = (cut[1].start or 0, cut[0].start or 0, step, w, h)

        def work(task) -> tuple:
            return check(light, show(light, white, view), white, parts, names), light, white, place

        def done(result: tuple) -> None:
            self._busy = False
            self.found, self._light, self._white, self._place = result
            self._rim_line = _smoothed(self.found.outline.points, self._light.shape[:2])
            self._request = state.request
            self._image = None
            self.changed.emit()
            self.picture.update()
            if self._waiting is not None:
                self._timer.start()

        task = self.session.start_task("Checking the light", work, done)
        task.failed.connect(lambda _: setattr(self, "_busy", False))

    # over the picture

    def show_overlay(self, name: str) -> None:
        """Draw something of it over the picture, or nothing with ""."""
        self.overlay, self._image = name, None
        self.changed.emit()
        self.picture.update()

    def show_finding(self, finding: Finding | None) -> None:
        """Point at a finding in the picture."""
        self.shown_finding = finding
        if finding is not None and finding.kind == "rim" and self.overlay not in ("rim",):
            self.show_overlay("rim")
        self.picture.update()

    def shown(self) -> bool:
        """Whether anything is drawn now."""
        return self.found is not None and self.session.stage == "Light" and bool(self.overlay or self.shown_finding)

    def at(self, x: float, y: float) -> str:
        """Nothing of it can be clicked."""
        return ""

    def words(self, address: str) -> tuple[str, str]:
        """Nothing to say."""
        return "", ""

    def to_screen(self, x: float, y: float) -> QPointF:
        """Where a place of the checked frame (its pixels) lies in the picture."""
        x0, y0, step, w, h = self._place
        return QPointF((x0 + x * step) * self.picture.width() / w, (y0 + y * step) * self.picture.height() / h)

    def _area(self) -> QRectF:
        assert self._light is not None
        rows, columns = self._light.shape[:2]
        return QRectF(self.to_screen(0, 0), self.to_screen(columns, rows))

    def draw(self, painter: QPainter) -> None:
        """Paint it."""
        found = self.found
        if found is None or self._light is None:
            return
        if self.overlay in ("levels", "tones"):
            if self._image is None:
                self._image = self._levels(found) if self.overlay == "levels" else _rgb(false_tones(self._light, self._white))
            painter.drawImage(self._area(), self._image)
            if self.overlay == "tones":
                self._legend(painter)
        elif self.overlay == "rim":
            self._rim(painter, found)
        if self.shown_finding is not None and self.shown_finding in found.findings:
            self._frame(painter, self.shown_finding)

    def _levels(self, found: LightCheck) -> QImage:
        """What is clipped in brick, under-lit in slate, flat in sand; hatched, so that it is told without colour too."""
        h, w = found.clipped_mask.shape
        y, x = np.mgrid[0:h, 0:w]
        pixels = np.zeros((h, w, 4), np.uint8)
        pixels[found.flat_mask & ((x + y) % 6 < 1)] = (110, 180, 210, 190)
        pixels[found.underlit_mask & ((x - y) % 4 < 2)] = (170, 110, 80, 210)
        pixels[found.clipped_mask] = (63, 84, 216, 235)
        return QImage(pixels.data, w, h, 4 * w, QImage.Format.Format_ARGB32).copy()

    def _rim(self, painter: QPainter, found: LightCheck) -> None:
        t = theme.current()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for colour, width, low, high in ((t.fine, 2.0, READABLE, 1e9), (t.caution, 3.0, WEAK, READABLE), (t.fault, 4.0, -1.0, WEAK)):
            painter.setPen(QPen(QColor(colour), width, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
            mine = (found.outline.stands >= low) & (found.outline.stands < high)
            for x, y in self._rim_line[mine]:
                painter.drawPoint(self.to_screen(x + 0.5, y + 0.5))

    def _frame(self, painter: QPainter, finding: Finding) -> None:
        assert self._light is not None
        rows, columns = self._light.shape[:2]
        x0, y0, x1, y1 = finding.place
        area = QRectF(self.to_screen(x0 * columns, y0 * rows), self.to_screen(x1 * columns, y1 * rows)).adjusted(-6, -6, 6, 6)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for colour, width in ((QColor(0, 0, 0, 140), 4), (QColor(theme.current().caution), 1.8)):
            painter.setPen(QPen(colour, width))
            painter.drawRoundedRect(area, 4, 4)

    def _legend(self, painter: QPainter) -> None:
        """The stops about white that each colour stands for, at the picture's left."""
        area = self._area()
        x, y = area.left() + 10, area.top() + 10
        names = [f"under {TONES[0]}", *(f"{stop:+d}" if stop else "white" for stop in TONES)]
        painter.fillRect(QRectF(x - 4, y - 4, 74, 14 * len(names) + 8), QColor(32, 32, 32, 220))
        for k, (name, colour) in enumerate(zip(reversed(names), reversed(TONE_COLOURS.tolist()))):
            painter.fillRect(QRectF(x, y + 14 * k + 2, 12, 10), QColor(*colour))
            painter.setPen(QColor("#e6e6e6"))
            painter.drawText(QRect(int(x) + 18, int(y) + 14 * k, 54, 14), Qt.AlignmentFlag.AlignVCenter, name)

    def stroke_of(self, finding: Finding) -> list[tuple[float, float]]:
        """The stroke of a finding in pixels of the widget."""
        assert self._light is not None
        rows, columns = self._light.shape[:2]
        places = [self.to_screen(x * columns, y * rows) for x, y in finding.stroke.tolist()]
        return [(p.x(), p.y()) for p in places]

    # in short

    def summary(self) -> QWidget:
        """Four numbers for the dome's bench."""
        return Summary(self)


class Summary(QWidget):
    """The shares of what is clipped, under-lit, flat, and of the rim that reads."""

    ROWS = (("clipped", "Clipped", 0.01, True), ("underlit", "Under-lit", 0.15, True), ("flat", "Flat", 0.35, True), ("rim", "Rim reads", 0.8, False))

    def __init__(self, watch: CheckWatch) -> None:
        super().__init__()
        self.watch = watch
        self.setFixedWidth(138)
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setVerticalSpacing(4)
        grid.addWidget(label("Light check", "heading"), 0, 0, 1, 3)
        self.numbers: dict[str, QLabel] = {}
        self._marks: dict[str, QLabel] = {}
        for k, (key, title, _, _) in enumerate(self.ROWS, 1):
            self._marks[key], self.numbers[key] = QLabel(), label("–", "")
            grid.addWidget(self._marks[key], k, 0)
            grid.addWidget(label(title), k, 1)
            grid.addWidget(self.numbers[key], k, 2, Qt.AlignmentFlag.AlignRight)
        grid.setColumnStretch(1, 1)
        grid.setRowStretch(6, 1)
        watch.changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """The numbers as they are now."""
        t, found = theme.current(), self.watch.found
        for key, _, limit, below in self.ROWS:
            if found is None:
                self.numbers[key].setText("–")
                self._marks[key].clear()
                continue
            value = getattr(found, key)
            self.numbers[key].setText(f"{100 * value:.1f} %" if value < 0.1 else f"{100 * value:.0f} %")
            fine = value <= limit if below else value >= limit
            self._marks[key].setPixmap(theme.icon("check" if fine else "warning", t.fine if fine else t.caution).pixmap(13, 13))


def _smoothed(points: np.ndarray, shape: tuple[int, int]) -> np.ndarray:
    """Points (n, 2) of an outline, each moved to the middle of those around it: no stairs."""
    from scipy import ndimage

    mask = np.zeros(shape)
    columns, rows = points[:, 0].astype(int), points[:, 1].astype(int)
    mask[rows, columns] = 1.0
    y, x = np.mgrid[0 : shape[0], 0 : shape[1]]
    count, sum_x, sum_y = (ndimage.uniform_filter(mask * v, 5)[rows, columns] for v in (1.0, x, y))
    return np.stack([sum_x / np.maximum(count, 1e-9), sum_y / np.maximum(count, 1e-9)], 1)


def _rgb(pixels: np.ndarray) -> QImage:
    flat = np.ascontiguousarray(pixels)
    return QImage(flat.data, flat.shape[1], flat.shape[0], 3 * flat.shape[1], QImage.Format.Format_RGB888).copy()

