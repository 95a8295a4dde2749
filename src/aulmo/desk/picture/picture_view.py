"""What the picture shows: the live renderer's image and what is drawn over it, and what lies under a point of it."""

import math

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QPoint, QPointF, QRect, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import QColor, QImage, QPainter, QPen
from PySide6.QtWidgets import QWidget

from aulmo.desk.picture.handles import Grip, Handles
from aulmo.desk.picture.lamp_marks import Marks
from aulmo.desk.picture.view_motion import ray_through
from aulmo.desk.shell import theme
from aulmo.desk.shell.session import Session
from aulmo.document import edits
from aulmo.document.records import Camera
from aulmo.prepare import arrange
from aulmo.trace.camera_rows import project
from aulmo.trace.live import LivePicture, Request, Shown
from aulmo.trace.tracer import Draft


class PictureView(QWidget):
    """The live picture with everything drawn over it."""

    shown = Signal(object)
    files_dropped = Signal(list, QPoint)
    status_changed = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setMinimumSize(240, 180)
        self.setMouseTracking(True)
        self.setAcceptDrops(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Picture")
        self.traced = True
        self.grid = False
        self.state: Shown | None = None
        self.draft: Draft | None = None
        self.draft_parts: tuple[str, ...] = ()
        self._image: QImage | None = None
        self._pixels: np.ndarray | None = None
        self._outline: QImage | None = None
        self._hover: str | None = None
        self._label: tuple[str, str] | None = None
        self._label_at = QPoint()
        self._press: QPoint | None = None
        self._drag = ""
        self._pivot = np.zeros(3)
        self._start_camera: Camera | None = None
        self._box: QRect | None = None
        self._grip: Grip | None = None
        self._hot: Grip | None = None
        self._hot_lamp = ""
        self._grip_document = None
        self._typed = ""
        self._drag_number = 0
        self._probe: tuple[int, int] | None = None
        self._waiting = QTimer(self)
        self._waiting.setSingleShot(True)
        self._waiting.setInterval(0)
        self._waiting.timeout.connect(self._send)
        self.live = LivePicture(session.assets, self.shown.emit, session.trouble.emit, session.hint.emit)
        self.shown.connect(self._take)
        session.changed.connect(lambda old, new: self.refresh())
        session.view_changed.connect(self.refresh)
        session.shot_changed.connect(self.refresh)
        session.opened.connect(self._opened)
        session.selection_changed.connect(self._outline_changed)
        session.stage_changed.connect(lambda _: self.refresh())
        session.tool_changed.connect(self._tool_changed)

    # what is shown

    def _opened(self) -> None:
        self.live.use_assets(self.session.assets)
        self.draft, self.state, self._image = None, None, None
        self.refresh()

    def refresh(self) -> None:
        """Ask for the picture of the document as it is now."""
        self._waiting.start()

    def set_traced(self, traced: bool) -> None:
        """Traced, or the quick draft."""
        self.traced = traced
        self.refresh()

    def frame_rect(self) -> QRect:
        """Where the shot's frame lies in the widget."""
        shot = self.session.shot
        ratio = shot.width / shot.height if shot else 4 / 3
        width, height = self.width(), self.height()
        if width / max(1, height) > ratio:
            w = round(height * ratio)
            return QRect((width - w) // 2, 0, w, height)
        h = round(width / ratio)
        return QRect(0, (height - h) // 2, width, h)

    def wide_camera(self) -> Camera:
        """The view's camera opened up so that the frame fills `frame_rect` and the widget shows what lies beside it."""
        frame, view = self.frame_rect(), self.session.view
        share = self.width() / max(1, frame.width())
        squeeze = self.height() / max(1, frame.height())
        return replace(
            view, sensor_mm=view.sensor_mm * share, span_mm=view.span_mm * share, shift_x=view.shift_x / share, shift_y=view.shift_y / squeeze
        )

    def _send(self) -> None:
        if self.width() < 8 or self.height() < 8:
            return
        session = self.session
        document = session.shown_document()
        self.live.show(
            Request(
                document, session.shot, self.wide_camera(), self.width(), self.height(), self.traced,
                transparent=document.render.transparent and session.stage == "Render",
                gradient_span=self.height() / max(1, self.frame_rect().height()),
            )
        )  # fmt: skip

    def _take(self, state: Shown) -> None:
        if state.request.document is not self.session.shown_document() and not self.session.isolated:
            if state.request.document is not self.session.document and state.draft is None and state.picture.size == 0:
                return
        self.state = state
        if state.picture.size:
            self._pixels = state.picture
            h, w = state.picture.shape[:2]
            self._image = QImage(state.picture.data, w, h, w * 4, QImage.Format.Format_RGB32)
        if state.draft is not None:
            self.draft, self.draft_parts = state.draft, state.part_ids
            self._outline_changed()
        self.update()
        self.status_changed.emit()

    def _outline_changed(self) -> None:
        self._outline = None
        if self.draft is not None and self.session.selection:
            chosen = set(edits.leaves(self.session.document, self.session.selection))
            numbers = [n for n, i in enumerate(self.draft_parts) if i in chosen]
            mask = np.isin(self.draft.parts, numbers)
            if mask.any():
                wide = mask.copy()
                for _ in range(2):
                    grown = wide.copy()
                    grown[1:] |= wide[:-1]
                    grown[:-1] |= wide[1:]
                    grown[:, 1:] |= wide[:, :-1]
                    grown[:, :-1] |= wide[:, 1:]
                    wide = grown
                edge = wide & ~mask
                pixels = np.zeros((*mask.shape, 4), np.uint8)
                accent = QColor(theme.current().accent_hover)
                pixels[edge] = (accent.blue(), accent.green(), accent.red(), 255)
                self._outline = QImage(pixels.data, mask.shape[1], mask.shape[0], mask.shape[1] * 4, QImage.Format.Format_ARGB32).copy()
        self.update()

    def _tool_changed(self, tool: str) -> None:
        self._probe = None
        self.setCursor(Qt.CursorShape.CrossCursor if tool in ("focus", "probe") else Qt.CursorShape.ArrowCursor)
        self.update()

    # painting

    def paintEvent(self, event) -> None:  # noqa: N802
        """Draw the picture and what lies over it."""
        painter = QPainter(self)
        try:
            self._paint(painter)
        finally:
            painter.end()  # a painter left open by an error would take the whole window down

    def _paint(self, painter: QPainter) -> None:
        painter.fillRect(self.rect(), QColor(theme.current().surround))
        if self._image is not None:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(self.rect(), self._image)
        self._paint_mask(painter)
        if self._outline is not None and self._drag not in ("orbit", "slide"):
            painter.drawImage(self.rect(), self._outline)
        if self.shows_lamps():
            self.marks().draw(painter, self.session.lamp.id if self.session.lamp else "", self._hot_lamp)
        if self.session.tool == "handles":
            handles = self._handles()
            if handles and handles.centre[2] > 0:
                handles.draw(painter, self._grip or self._hot)
        if self._box:
            painter.setPen(QPen(QColor(theme.current().accent_hover), 1))
            painter.setBrush(QColor(168, 82, 127, 30))
            painter.drawRect(self._box)
        if self._label:
            self._paint_label(painter, *self._label)

    def _paint_mask(self, painter: QPainter) -> None:
        frame = self.frame_rect()
        framing = self.session.stage in ("Frame", "Render")
        if self.session.free_view is not None and not framing:
            return
        shade = QColor(46, 46, 46, 235 if framing else 110)
        for side in (
            QRect(0, 0, self.width(), frame.top()), QRect(0, frame.bottom() + 1, self.width(), self.height()),
            QRect(0, frame.top(), frame.left(), frame.height()), QRect(frame.right() + 1, frame.top(), self.width(), frame.height()),
        ):  # fmt: skip
            painter.fillRect(side, shade)
        if framing and self.grid:
            painter.setPen(QPen(QColor(255, 255, 255, 90), 1))
            for k in (1, 2):
                x, y = frame.left() + frame.width() * k // 3, frame.top() + frame.height() * k // 3
                painter.drawLine(x, frame.top(), x, frame.bottom())
                painter.drawLine(frame.left(), y, frame.right(), y)

    def _paint_label(self, painter: QPainter, title: str, text: str) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        metrics = painter.fontMetrics()
        bold = painter.font()
        bold.setWeight(bold.Weight.DemiBold)
        width = max(metrics.horizontalAdvance(text), round(metrics.horizontalAdvance(title) * 1.08)) + 20
        height = 40 if text else 24
        x = min(self.width() - width - 4, self._label_at.x() + 18)
        y = min(self.height() - height - 4, self._label_at.y() + 16)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(32, 32, 32, 238))
        painter.drawRoundedRect(QRectF(x, y, width, height), 3, 3)
        painter.setPen(QColor("#f0f0f0"))
        plain = painter.font()
        painter.setFont(bold)
        painter.drawText(QPointF(x + 10, y + 16), title)
        painter.setFont(plain)
        if text:
            painter.setPen(QColor("#b4b4b4"))
            painter.drawText(QPointF(x + 10, y + 32), text)

    def _say_at(self, at: QPoint, title: str, text: str = "") -> None:
        self._label, self._label_at = (title, text), at
        self.update()

    def _hush(self) -> None:
        if self._label:
            self._label = None
            self.update()

    # what lies under the cursor

    def part_at(self, at: QPoint) -> str | None:
        """Id of the part seen at a point of the widget."""
        cell = self._cell(at)
        if cell is None or self.draft is None:
            return None
        number = int(self.draft.parts[cell])
        return self.draft_parts[number] if 0 <= number < len(self.draft_parts) else None

    def point_at(self, at: QPoint) -> np.ndarray | None:
        """World point seen at a point of the widget."""
        cell = self._cell(at)
        if cell is None or self.draft is None or self.draft.depth[cell] < 0:
            return None
        origin, direction = ray_through(self.wide_camera(), at.x() + 0.5, at.y() + 0.5, self.width(), self.height())
        return origin + direction * float(self.draft.depth[cell])

    def _cell(self, at: QPoint) -> tuple[int, int] | None:
        if self.draft is None:
            return None
        h, w = self.draft.parts.shape
        x, y = at.x() * w // max(1, self.width()), at.y() * h // max(1, self.height())
        return (y, x) if 0 <= x < w and 0 <= y < h else None

    def shows_lamps(self) -> bool:
        """Lamps are marked while light is worked on, and when one is selected."""
        return bool(self.session.document.lamps) and (self.session.stage == "Light" or self.session.lamp is not None)

    def marks(self) -> Marks:
        """The marks of the lamps as they are seen now."""
        return Marks(self.session.document, self.wide_camera(), self.width(), self.height())

    def _handles(self) -> Handles | None:
        if self.session.lamp is not None:
            return Handles(np.array(self.session.lamp.position), self.wide_camera(), self.width(), self.height())
        box = arrange.bounds(self.session.document, self.session.assets, self.session.selection)
        if box is None:
            return None
        return Handles(0.5 * (box[0] + box[1]), self.wide_camera(), self.width(), self.height())

    def screen_point(self, part_id: str) -> QPoint | None:
        """A point of the widget where a part is seen."""
        if self.draft is None or part_id not in self.draft_parts:
            return None
        rows, columns = np.nonzero(self.draft.parts == self.draft_parts.index(part_id))
        if len(rows) == 0:
            return None
        k = int(np.argmin(np.hypot(rows - rows.mean(), columns - columns.mean())))
        h, w = self.draft.parts.shape
        return QPoint(math.ceil((columns[k] + 0.5) * self.width() / w - 0.5), math.ceil((rows[k] + 0.5) * self.height() / h - 0.5))

    def place_on_screen(self, point) -> QPoint:
        """Where a world point is seen."""
        x, y, _ = project(self.wide_camera(), np.asarray(point), self.width(), self.height())[0]
        return QPoint(round(x), round(y))
