"""The reference in every stage: pinned small in a corner, beside, split, wiped or blinking over the live picture; and whether what is changed came
nearer to it."""

from typing import Any, Callable, NamedTuple

import numpy as np
from PySide6.QtCore import QPoint, QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPen
from PySide6.QtWidgets import QWidget

from aulmo.desk.finish.finish_desk import FinishDesk
from aulmo.desk.picture.overlay import Overlay, flag
from aulmo.desk.shell import theme
from aulmo.desk.widgets.painting import image_of, painted
from aulmo.finish.nearness import Nearness, compared

PINNED = 0.26  # of the picture's width
GRIP = 6.0  # pixels beside the wiped line within which it is taken


def fitted(box: QRectF, shape: tuple[int, ...]) -> QRectF:
    """The largest place of a picture of a shape (h, w, ...) in the middle of a box."""
    f = min(box.width() / shape[1], box.height() / shape[0])
    w, h = shape[1] * f, shape[0] * f
    return QRectF(box.center().x() - w / 2, box.center().y() - h / 2, w, h)


def pinned_place(area: QRectF, reference: np.ndarray) -> QRectF:
    """Where a reference stands that is pinned: the upper right corner."""
    h, w = reference.shape[:2]
    width = min(PINNED * area.width(), 0.42 * area.height() * w / h)
    return QRectF(area.right() - width - 10, area.top() + 10, width, width * h / w)


class Told(NamedTuple):
    """What the last edit did to a part: its name, how far it was from the reference before and is now."""

    name: str
    before: Nearness
    now: Nearness

    def words(self) -> str:
        """In one line."""
        def one(what: str, was: float, is_: float) -> str:
            how = "as before" if abs(is_ - was) < 0.3 else "nearer" if is_ < was else "further"
            return f"{what} {was:.1f} → {is_:.1f}, {how}"

        return f"{self.name}: {one('tone', self.before.tone, self.now.tone)} · {one('colour', self.before.colour, self.now.colour)}"


class ReferenceMarks(Overlay):
    """Over the live picture in the stages where the finish is not worked on."""

    def __init__(self, desk: FinishDesk) -> None:
        self.desk, self.picture, self.session = desk, desk.picture, desk.session
        self.pane = ReferencePane(desk, self.image)
        self.told: Told | None = None
        self._seen: dict[str, Nearness] = {}  # by part, how far it is from the reference in the last whole picture
        self._before: tuple[str, Nearness] | None = None
        self._image: tuple[Any, QImage] | None = None
        self._wiping = False
        desk.changed.connect(self._follow)
        desk.made.connect(self._follow)
        self.session.stage_changed.connect(lambda _: self._follow())
        self.session.opened.connect(self._opened)
        self.session.changed.connect(self._edited)
        self.session.selection_changed.connect(self._forget)
        self.picture.shown.connect(self._measure)

    def _opened(self) -> None:
        self._seen, self._before, self.told = {}, None, None

    def _forget(self) -> None:
        if self.told is not None and self.told.name != self._name(self._part()):
            self.told = None
            self.picture.update()

    def _follow(self) -> None:
        self.pane.setVisible(self.desk.against == "beside" and self.desk.reference is not None and not self.desk.on)
        self.picture.update()

    def shown(self) -> bool:
        """Whether it is drawn now."""
        desk = self.desk
        return not desk.on and bool(desk.against) and desk.reference is not None and not self.session.playing

    # how near a part is

    def _part(self) -> str:
        """What is under the hand: the part selected."""
        return self.session.selection[0] if len(self.session.selection) == 1 else ""

    def _name(self, part: str) -> str:
        return self.session.document.parts[part].name if part in self.session.document.parts else ""

    def _edited(self, old: Any, new: Any) -> None:
        part = self._part()
        if self.shown() and part in self._seen and (self._before is None or self._before[0] != part):
            self._before = (part, self._seen[part])

    def _measure(self, state: Any) -> None:
        """Look at a whole picture that has come."""
        part = self._part()
        if not self.shown() or not part or self.session.free_view is not None or not state.denoised or state.samples == 0 or not state.picture.size:
            return
        now = self.nearness(part, state)
        if now is None:
            return
        self._seen[part] = now
        if self._before is not None and self._before[0] == part and state.samples >= 4:
            self.told = Told(self._name(part), self._before[1], now)
            self.session.hint.emit(self.told.words())
            self._before = None
            self.picture.update()

    def nearness(self, part: str, state: Any) -> Nearness | None:
        """How far a part of the picture is from what the reference shows there; None where it is not seen."""
        from aulmo.document import edits

        picture, reference = self.picture, self.desk.reference
        if picture.draft is None or reference is None:
            return None
        chosen = set(edits.leaves(self.session.resolved, [part])) if part in self.session.resolved.parts else set()
        member = np.zeros(len(picture.draft_parts) + 4, bool)
        member[[n for n, i in enumerate(picture.draft_parts) if i in chosen or picture.stored(i) in chosen]] = True
        display = state.picture[..., 2::-1].astype(np.float32) / 255
        return compared(display, member[picture.draft.parts], picture.frame_box(), reference)

    # drawing

    def image(self) -> QImage:
        """The reference as it is drawn."""
        reference = self.desk.reference
        if self._image is None or self._image[0] is not reference:
            assert reference is not None
            self._image = (reference, image_of(reference))
        return self._image[1]

    def _line(self) -> float:
        frame = QRectF(self.picture.frame_rect())
        return frame.left() + (0.5 if self.desk.against == "split" else self.desk.wipe) * frame.width()

    def draw(self, painter: QPainter) -> None:
        """The reference as it is held."""
        desk, picture = self.desk, self.picture
        reference = desk.reference
        assert reference is not None
        frame, image = QRectF(picture.frame_rect()), self.image()
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        name = f"Reference: {desk.finish.reference_file}"
        if desk.against == "pinned":
            place = pinned_place(QRectF(picture.rect()), reference)
            painter.drawImage(place, image)
            painter.setPen(QPen(QColor(theme.current().line), 1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(place)
            flag(painter, place.bottomLeft() + QPointF(0, 4), name, place.width())
        elif desk.against == "blink" and desk.blinks:
            painter.fillRect(frame, QColor(theme.current().surround))
            painter.drawImage(fitted(frame, reference.shape), image)
            flag(painter, frame.topLeft() + QPointF(8, 8), name, frame.width() - 16)
        elif desk.against in ("split", "wipe"):
            cut = self._line()
            painter.save()
            painter.setClipRect(QRectF(frame.left(), frame.top(), cut - frame.left(), frame.height()))
            painter.fillRect(frame, QColor(theme.current().surround))
            painter.drawImage(fitted(frame, reference.shape), image)
            painter.restore()
            for pen in (QPen(QColor(0, 0, 0, 150), 3), QPen(QColor("#f4f4f4"), 1)):
                painter.setPen(pen)
                painter.drawLine(QPointF(cut, frame.top()), QPointF(cut, frame.bottom()))
            flag(painter, frame.topLeft() + QPointF(8, 8), name, cut - frame.left() - 16)
        if self.told is not None:
            flag(painter, QPointF(frame.left() + 8, frame.bottom() - 30), self.told.words(), frame.width() - 16)

    # the hand

    def press(self, at: QPoint) -> bool:
        """The wiped line is taken."""
        self._wiping = self.desk.against == "wipe" and abs(at.x() - self._line()) < GRIP
        return self._wiping

    def drag(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """And pulled."""
        frame = self.picture.frame_rect()
        self.desk.wipe = min(1.0, max(0.0, (at.x() - frame.left()) / max(1, frame.width())))
        self.picture.update()


class ReferencePane(QWidget):
    """The reference beside the picture, in room of its own."""

    def __init__(self, desk: FinishDesk, image: Callable[[], QImage]) -> None:
        super().__init__()
        self.desk, self._image = desk, image
        self.setAccessibleName("Reference")
        self.setMinimumWidth(160)
        self.hide()

    def sizeHint(self) -> QSize:  # noqa: N802
        """As much as the picture, when it comes."""
        return QSize(360, 300)

    @painted
    def paintEvent(self, painter: QPainter) -> None:  # noqa: N802
        """Draw."""
        painter.fillRect(self.rect(), QColor(theme.current().surround))
        if self.desk.reference is None:
            return
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        image = self._image()
        place = fitted(QRectF(self.rect()).adjusted(6, 6, -6, -6), self.desk.reference.shape)
        painter.drawImage(place, image)
        flag(painter, place.topLeft() + QPointF(8, 8), f"Reference: {self.desk.finish.reference_file}", place.width() - 16)


