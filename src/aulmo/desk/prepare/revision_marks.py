"""A revision on the picture: the project as it would be over the project as it is, wiped, blended or blinking, and what changed named where it is."""

from typing import Any

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QPoint, QPointF, QRectF, Qt, QTimer
from PySide6.QtGui import QColor, QImage, QPainter, QPen

from aulmo.desk.picture.overlay import Overlay, flag
from aulmo.desk.prepare.bench_revision import RevisionBench
from aulmo.desk.shell import theme
from aulmo.document import edits
from aulmo.document.meshes import corners_of
from aulmo.document.records import Document
from aulmo.prepare import arrange
from aulmo.trace.shot_drafts import drawn_all

LONGEST = 1400  # pixels of the other picture
GRIP = 7.0  # pixels beside the line within which it is taken
BLINKS = 700  # ms
LATER = 250  # ms after the view rests


class RevisionMarks(Overlay):
    """Over the picture while Revision is the face of Prepare's bench."""

    def __init__(self, picture: Any, bench: RevisionBench) -> None:
        self.picture, self.session, self.bench = picture, picture.session, bench
        self.share = 0.5
        self._image: QImage | None = None
        self._key: tuple | None = None
        self._asked: tuple | None = None
        self._wiping = False
        self._on = False
        self._blink = QTimer(picture)
        self._blink.setInterval(BLINKS)
        self._blink.timeout.connect(self._turn)
        self._later = QTimer(picture)
        self._later.setSingleShot(True)
        self._later.setInterval(LATER)
        self._later.timeout.connect(self._draw_other)
        bench.shown_changed.connect(self._follow)
        for signal in (self.session.view_changed, self.session.shot_changed, picture.shown):
            signal.connect(self._follow_view)

    def shown(self) -> bool:
        """Only where a revision is looked at."""
        return self.session.stage == "Prepare" and self.bench.isVisible() and self.bench.trial is not None

    def _turn(self) -> None:
        self._on = not self._on
        self.picture.update()

    def _follow(self) -> None:
        blinking = self.shown() and self.bench.mode.value() == "blink"
        if blinking != self._blink.isActive():
            self._blink.start() if blinking else self._blink.stop()
        self._follow_view()
        self.picture.update()

    def _follow_view(self, *_: Any) -> None:
        if self.shown() and self.bench.mode.value():
            self._later.start()

    def _wanted(self) -> tuple | None:
        trial, shot = self.bench.trial, self.session.shot
        if trial is None or shot is None or not self.bench.mode.value():
            return None
        frame = self.picture.frame_rect()
        return (trial, shot.id, self.session.view, frame.width(), frame.height())

    def _draw_other(self) -> None:
        wanted = self._wanted()
        if wanted is None or not self.shown() or (self._key is not None and _same(self._key, wanted)) or (self._asked and _same(self._asked, wanted)):
            return
        self._asked = wanted
        trial, shot_id, view, *_ = wanted
        assets = self.session.assets
        document = _seen_by(trial, shot_id, view)

        def done(found: np.ndarray) -> None:
            h, w = found.shape[:2]
            self._image = QImage(found.data, w, h, 4 * w, QImage.Format.Format_RGB32).copy()
            self._key, self._asked = wanted, None
            self.picture.update()

        def failed(_: str) -> None:
            self._asked = None

        draw = lambda task: next(iter(drawn_all(document, assets, [shot_id], (LONGEST, LONGEST)).values()))  # noqa: E731
        self.session.start_task("Drawing the revision", draw, done).failed.connect(failed)

    def draw(self, painter: QPainter) -> None:
        """The other state, and the change that is chosen."""
        mode = self.bench.mode.value()
        if mode and self._image is not None and self.bench.trial is not None:
            self._paint_other(painter, mode, self._image)
        self._paint_change(painter)

    def _paint_other(self, painter: QPainter, mode: str, image: QImage) -> None:
        frame = QRectF(self.picture.frame_rect())
        cut = frame.left() + self.share * frame.width()
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        if mode == "wipe":
            painter.setClipRect(QRectF(cut, frame.top(), frame.right() - cut, frame.height()))
        elif mode == "over":
            painter.setOpacity(0.5)
        if mode != "blink" or self._on:
            painter.drawImage(frame, image)
        painter.restore()
        if mode == "wipe":
            for pen in (QPen(QColor(0, 0, 0, 140), 3), QPen(QColor("#f4f4f4"), 1)):
                painter.setPen(pen)
                painter.drawLine(QPointF(cut, frame.top()), QPointF(cut, frame.bottom()))
        name = self.bench.revision.path.rsplit("/", 1)[-1] if self.bench.revision is not None else "read again"
        if mode == "wipe":
            flag(painter, QPointF(max(frame.left() + 10, 10), frame.top() + 12), "as it is", 320)
            flag(painter, QPointF(frame.right() - 10, frame.top() + 12), name, 320, right=True)
        else:
            told = {"over": f"both, half and half · {name}", "blink": name if self._on else "as it is"}[mode]
            flag(painter, QPointF(frame.left() + 10, frame.top() + 12), told, 420)

    def _paint_change(self, painter: QPainter) -> None:
        change, trial = self.bench.current, self.bench.trial
        if change is None or trial is None:
            return
        accent = QColor(theme.current().accent)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        at: QPointF | None = None
        before, after = (self.session.resolved, change.old, Qt.PenStyle.DashLine), (trial, change.old or change.new, Qt.PenStyle.SolidLine)
        for document, part_id, style in (before, after):
            box = arrange.bounds(document, self.session.assets, [part_id]) if part_id in document.parts else None
            if box is None:
                continue
            seen = self.picture.places_on_screen(corners_of(*box))
            seen = seen[seen[:, 2] > 0]
            if not len(seen):
                continue
            low, high = seen[:, :2].min(0), seen[:, :2].max(0)
            painter.setPen(QPen(accent, 1.6, style))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(low[0], low[1], high[0] - low[0], high[1] - low[1]))
            at = QPointF(min(high[0] + 12, self.picture.width() - 200), max(8.0, low[1]))
        if at is not None:
            words = {"new": "new", "gone": "gone in the file"}.get(change.kind, change.words or change.kind)
            flag(painter, at, f"{change.name} · {words}", 320, change.doubt)
        painter.restore()

    # the line is pulled

    def _cut(self) -> float:
        frame = self.picture.frame_rect()
        return float(frame.left() + self.share * frame.width())

    def press(self, at: QPoint) -> bool:
        """The line is taken."""
        self._wiping = self.bench.mode.value() == "wipe" and self._image is not None and abs(at.x() - self._cut()) < GRIP
        return self._wiping

    def drag(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """It is pulled."""
        frame = self.picture.frame_rect()
        self.share = float(np.clip((at.x() - frame.left()) / max(1, frame.width()), 0.02, 0.98))
        self.picture.update()

    def release(self, at: QPoint) -> None:
        """It is let go."""
        self._wiping = False


def _same(one: tuple, other: tuple) -> bool:
    return one[0] is other[0] and one[1:] == other[1:]


def _seen_by(document: Document, shot_id: str, view: Any) -> Document:
    """A document whose shot looks through a view."""
    shot = next(s for s in document.shots if s.id == shot_id)
    return edits.put_camera(document, replace(view, id=shot.camera))
