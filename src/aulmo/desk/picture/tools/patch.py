"""The test patch: a rectangle of the final picture traced alone, over the picture, until it is put away. It is never part of a render."""

import threading
from typing import Any

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QObject, QPoint, QRect, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QImage, QKeyEvent, QPainter, QPen

from aulmo.desk.picture.tools.tool import Tool
from aulmo.desk.shell import theme
from aulmo.document import variants
from aulmo.document.quantity import duration, show
from aulmo.document.records import Document
from aulmo.errors import AulmoError
from aulmo.trace.patch import PatchState, trace_patch
from aulmo.trace.scene import SceneBuilder

LINK = "Use these samples"


def _alike(old: Document, new: Document) -> bool:
    """Whether two documents differ only in when a render stops and where it goes: the patch is the same."""
    rule = {f: getattr(new.render, f) for f in ("stop", "samples", "noise_percent", "seconds", "folder", "file_type")}
    return replace(old, render=replace(old.render, **rule)) == replace(new, name=old.name) if old.parts is new.parts else False


class _Come(QObject):
    """Brings states and sentences from the thread that traces."""

    state = Signal(object, object)
    trouble = Signal(str)


class PatchTool(Tool):
    """Drag a patch; it settles while the hand does something else. `X` or Esc puts it away."""

    name = "patch"
    hint = "Drag a patch: only it is traced, as the final picture will be · Esc puts it away"
    pointer = Qt.CursorShape.CrossCursor

    def __init__(self, picture: Any) -> None:
        super().__init__(picture)
        self.box: QRect | None = None
        self.state: PatchState | None = None
        self._image: QImage | None = None
        self._start: QPoint | None = None
        self._asked: object = None
        self._link = QRectF()
        self._builder: tuple[Any, SceneBuilder] | None = None
        self._busy = threading.Lock()
        self._come = _Come(picture)
        self._come.state.connect(self._take)
        self._come.trouble.connect(self.session.trouble.emit)
        for signal in (self.session.opened, self.session.closed, self.session.shot_changed, self.session.time_changed):
            signal.connect(self.clear)
        self.session.changed.connect(lambda old, new: _alike(old, new) or self.again())

    def take(self) -> None:
        """Nothing drawn yet."""
        self.clear()

    def put_away(self) -> None:
        """The patch goes too."""
        self.clear()

    def clear(self) -> None:
        """Stop, and show nothing."""
        self.box = self.state = self._image = self._start = self._asked = None
        self.picture.update()

    # the hand

    def press(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Begin a patch, or use its samples."""
        if self.state is not None and self._link.contains(at.x(), at.y()):
            self.use_samples()
            return
        self.clear()
        self._start = at

    def drag(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Size it."""
        if self._start is not None:
            self.box = QRect(self._start, at).normalized() & self.picture.frame_rect()
            self.picture.update()

    def release(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Trace it."""
        if self._start is None:
            return
        self._start = None
        if self.box is None or self.box.width() < 6 or self.box.height() < 6:
            self.clear()
            self.session.hint.emit(self.hint)
            return
        self.again()

    def key(self, event: QKeyEvent) -> bool:
        """Esc puts it away."""
        if event.key() == Qt.Key.Key_Escape:
            self.session.set_tool("")
            return True
        return False

    # tracing

    def again(self) -> None:
        """Trace the patch of the document as it is now."""
        session, shot = self.session, self.session.shot
        if self.box is None or shot is None or self._start is not None:
            return
        frame = self.picture.frame_rect()
        share = (
            (self.box.left() - frame.left()) / frame.width(), (self.box.top() - frame.top()) / frame.height(),
            (self.box.right() + 1 - frame.left()) / frame.width(), (self.box.bottom() + 1 - frame.top()) / frame.height(),
        )  # fmt: skip
        document = variants.chosen(session.document, variants.in_full(session.document, session.picks))
        shot = next(s for s in document.shots if s.id == shot.id)
        if session.free_view is not None:
            document = replace(document, cameras={**document.cameras, shot.camera: replace(session.free_view, id=shot.camera)})
        assets, time, settings = session.assets, session.time, session.document.render
        if self._builder is None or self._builder[0] is not assets:
            self._builder = (assets, SceneBuilder(assets))
        builder = self._builder[1]
        mine = self._asked = object()
        self.state = self._image = None

        def work() -> None:
            with self._busy:  # one after the other: the scene is kept between them
                if self._asked is not mine:
                    return

                def tell(state: PatchState) -> bool:
                    if self._asked is mine and state.samples:
                        self._come.state.emit(mine, state)
                    return self._asked is mine

                try:
                    trace_patch(document, assets, shot, (shot.width, shot.height), share, settings, tell, builder, time)
                except AulmoError as error:
                    self._come.trouble.emit(str(error))
                except RuntimeError:
                    return  # the window has closed meanwhile

        threading.Thread(target=work, name="test patch", daemon=True).start()

    def _take(self, asked: object, state: PatchState) -> None:
        if asked is not self._asked:
            return
        self.state = state
        h, w = state.picture.shape[:2]
        self._image = QImage(np.ascontiguousarray(state.picture).data, w, h, 3 * w, QImage.Format.Format_RGB888).copy()
        self.picture.update()

    def use_samples(self) -> None:
        """Let renders stop at the samples that the patch has come to."""
        if self.state is not None:
            told = f"Renders stop at {self.state.samples} samples"
            self.session.put({"render/stop": "samples", "render/samples": self.state.samples}, told=told)
            self.session.hint.emit(f"{told} now")

    # drawing

    def words(self) -> str:
        """What the patch tells."""
        state = self.state
        if state is None:
            return "Tracing the patch…"
        told = f"{state.samples} samples · noise {show(100 * state.noise, '%', 1)}"
        return told + (f" · the whole picture {duration(state.whole_seconds)}" if np.isfinite(state.whole_seconds) else "")

    def draw(self, painter: QPainter) -> None:
        """The patch, its frame, what it tells, and the link."""
        if self.box is None:
            return
        t = theme.current()
        if self._image is not None:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(self.box, self._image)
        painter.setPen(QPen(QColor(t.accent_hover), 1.5))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(QRectF(self.box).adjusted(-0.5, -0.5, 0.5, 0.5))
        if self._start is not None:
            return
        metrics = painter.fontMetrics()
        words = self.words()
        link = metrics.horizontalAdvance(LINK) + 12 if self.state is not None else 0
        width = metrics.horizontalAdvance(words) + 18 + link
        x = max(4, min(self.box.left(), self.picture.width() - width - 4))
        y = self.box.bottom() + 6 if self.box.bottom() + 32 < self.picture.height() else self.box.top() - 28
        chip = QRectF(x, y, width, 22)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(32, 32, 32, 238))
        painter.drawRoundedRect(chip, 3, 3)
        painter.setPen(QColor("#f0f0f0"))
        painter.drawText(chip.adjusted(9, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, words)
        self._link = QRectF(chip.right() - link - 3, y, link, 22) if link else QRectF()
        painter.setPen(QColor("#e39dbd"))
        painter.drawText(self._link, Qt.AlignmentFlag.AlignCenter, LINK if link else "")
