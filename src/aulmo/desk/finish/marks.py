"""The finished picture over the live one: zoomed, beside its reference, before and after, with the mask in hand and its handles."""

import math
from typing import Any

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QPoint, QPointF, QRectF, Qt, QTimer
from PySide6.QtGui import QBrush, QColor, QImage, QPainter, QPen, QPixmap, QPolygonF

from aulmo.desk.finish.finish_desk import FinishDesk
from aulmo.desk.finish.reference import fitted, pinned_place
from aulmo.desk.picture.overlay import Overlay, flag
from aulmo.desk.shell import theme
from aulmo.desk.widgets.painting import image_of
from aulmo.document.finish_records import Mask
from aulmo.document.quantity import show
from aulmo.errors import AulmoError
from aulmo.finish.masking import middle_of, moved
from aulmo.finish.measuring import about, apart
from aulmo.finish.suggesting import PATCH, Pair

NEAR = 9  # pixels within which a handle is taken
GAP = 10
WHITE, BLACK = QColor("#f4f4f4"), QColor(0, 0, 0, 150)


def stripes(mask: np.ndarray, colour: QColor) -> QImage:
    """A mask as an image: stripes where it holds, as strong as it does, and a line at its half."""
    h, w = mask.shape
    y, x = np.mgrid[0:h, 0:w]
    lines = ((x + y) % 8 < 3).astype(np.float32)
    share = np.clip(mask, 0, 1)
    alpha = share * (0.18 + 0.5 * lines)
    inside = mask > 0.5
    edge = np.zeros_like(inside)
    edge[1:] |= inside[1:] != inside[:-1]
    edge[:, 1:] |= inside[:, 1:] != inside[:, :-1]
    alpha = np.where(edge, 0.9, alpha)
    codes = np.zeros((h, w, 4), np.uint8)
    for c, value in enumerate((colour.blue(), colour.green(), colour.red())):
        codes[..., c] = np.rint(alpha * value)
    codes[..., 3] = np.rint(alpha * 255)
    return QImage(codes.data, w, h, w * 4, QImage.Format.Format_ARGB32_Premultiplied).copy()


class FinishMarks(Overlay):
    """The finished picture and what is pulled on it. `zoom` and `middle` (shares of the picture) say what is seen of it and of the reference."""

    def __init__(self, desk: FinishDesk) -> None:
        self.desk, self.picture, self.session = desk, desk.picture, desk.session
        self.zoom, self.middle = 1.0, QPointF(0.5, 0.5)
        self.pairs: list[Pair] = []
        self.open_pair: tuple[bool, float, float] | None = None  # the first place of a pair: whether it lies in the reference, and where
        self._images: dict[str, tuple[Any, QImage]] = {}
        self._held = ""
        self._from = QPointF()
        self._start: Mask | None = None
        self._middle: tuple[Any, str, tuple[float, float]] | None = None
        self._pressed = QPoint()
        self._blinker = QTimer(desk)
        self._blinker.setInterval(700)
        self._blinker.timeout.connect(self._blink)
        desk.changed.connect(self._follow)
        self.session.opened.connect(self._opened)
        self.session.shot_changed.connect(self.fit)

    def _opened(self) -> None:
        self.pairs, self.open_pair, self._images = [], None, {}
        self.fit()

    def _follow(self) -> None:
        wanted = self.desk.against == "blink" and self.desk.reference is not None
        if wanted != self._blinker.isActive():
            (self._blinker.start if wanted else self._blinker.stop)()

    def _blink(self) -> None:
        self.desk.blinks = not self.desk.blinks
        self.picture.update()

    def shown(self) -> bool:
        """Whether it is drawn now."""
        return self.desk.on and self.desk.seen is not None and self.session.free_view is None and not self.session.playing

    # where things are

    @property
    def beside(self) -> bool:
        """Whether the reference stands beside the picture."""
        return self.desk.against == "beside" and self.desk.reference is not None

    def areas(self) -> tuple[QRectF, QRectF | None]:
        """Where the picture is seen, and where the reference, when it is beside."""
        whole = QRectF(self.picture.rect()).adjusted(GAP, GAP, -GAP, -GAP) if self.beside else QRectF(self.picture.frame_rect())
        if not self.beside:
            return whole, None
        half = (whole.width() - GAP) / 2
        left, right = QRectF(whole.left(), whole.top(), half, whole.height()), QRectF(whole.left() + half + GAP, whole.top(), half, whole.height())
        return fitted(right, self._shape()), fitted(left, self._reference_shape())

    def _shape(self) -> tuple[int, int]:
        seen = self.desk.seen
        return seen.display.shape[:2] if seen is not None else (3, 4)

    def _reference_shape(self) -> tuple[int, int]:
        return self.desk.reference.shape[:2] if self.desk.reference is not None else (3, 4)

    def place(self, reference: bool = False) -> QRectF:
        """Where the whole picture would lie, zoomed as it is; or the reference, over the picture or beside it."""
        here, there = self.areas()
        box = there if reference and there is not None else here
        if reference and there is None:
            box = fitted(here, self._reference_shape())
        w, h = box.width() * self.zoom, box.height() * self.zoom
        return QRectF(box.center().x() - self.middle.x() * w, box.center().y() - self.middle.y() * h, w, h)

    def share_at(self, at: QPointF | QPoint, reference: bool = False) -> tuple[float, float]:
        """A point of the widget as shares of the picture, or of the reference."""
        box = self.place(reference)
        return (at.x() - box.left()) / box.width(), (at.y() - box.top()) / box.height()

    def point_of(self, x: float, y: float, reference: bool = False) -> QPointF:
        """Where shares of the picture, or of the reference, are seen."""
        box = self.place(reference)
        return QPointF(box.left() + x * box.width(), box.top() + y * box.height())

    def over_reference(self, at: QPoint) -> bool:
        """Whether the reference is what lies under a point."""
        desk = self.desk
        if desk.reference is None or not desk.against:
            return False
        here, there = self.areas()
        if there is not None:
            return there.contains(QPointF(at))
        if desk.against == "pinned":
            return pinned_place(here, desk.reference).contains(QPointF(at))
        line = here.left() + (0.5 if desk.against == "split" else desk.wipe) * here.width()
        return desk.blinks if desk.against == "blink" else at.x() < line

    def fit(self) -> None:
        """The whole picture again."""
        self.zoom, self.middle = 1.0, QPointF(0.5, 0.5)
        self.picture.update()

    # navigation

    def wheel(self, at: QPoint, steps: float) -> bool:
        """Nearer to what is under the cursor, picture and reference alike."""
        area = self.areas()[1 if self.over_reference(at) and self.beside else 0]
        assert area is not None
        x, y = self.share_at(at, self.over_reference(at) and self.beside)
        self.zoom = min(16.0, max(1.0, self.zoom * 1.2**steps))
        w, h = area.width() * self.zoom, area.height() * self.zoom
        self.middle = QPointF(x - (at.x() - area.center().x()) / w, y - (at.y() - area.center().y()) / h)
        self._keep_in()
        return True

    def slides(self) -> bool:
        """The picture is slid, not the camera."""
        return True

    def slide(self, dx: float, dy: float) -> None:
        """Slide what is seen."""
        area = self.areas()[0]
        self.middle -= QPointF(dx / (area.width() * self.zoom), dy / (area.height() * self.zoom))
        self._keep_in()

    def _keep_in(self) -> None:
        half = 0.5 / self.zoom
        keep = lambda v: min(1 - half, max(half, v))  # noqa: E731
        self.middle = QPointF(keep(self.middle.x()), keep(self.middle.y()))
        self.picture.update()
        self.desk.look(self.zoom)

    # drawing

    def _image(self, name: str, source: Any, make: Any) -> QImage:
        kept = self._images.get(name)
        if kept is None or kept[0] is not source:
            kept = self._images[name] = (source, make())
        return kept[1]

    def draw(self, painter: QPainter) -> None:
        """The finished picture, the reference, the mask."""
        desk, seen = self.desk, self.desk.seen
        assert seen is not None
        painter.fillRect(self.picture.rect(), QColor(theme.current().surround))
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, self.zoom < 4)
        finished = self._image("before", seen.before, lambda: image_of(seen.before)) if desk.before else self._image(
            "after", seen.display, lambda: image_of(seen.display)
        )  # fmt: skip
        here, there = self.areas()
        self._put(painter, finished, self.place(), here)
        reference = desk.reference
        if reference is not None and desk.against:
            other = self._image("reference", reference, lambda: image_of(reference))
            if there is not None:
                self._put(painter, other, self.place(True), there)
            elif desk.against == "pinned":
                painter.drawImage(pinned_place(here, reference), other)
            elif desk.against == "blink":
                if desk.blinks:
                    self._put(painter, other, self.place(True), here)
            else:
                share = 0.5 if desk.against == "split" else desk.wipe
                cut = here.left() + share * here.width()
                self._put(painter, other, self.place(True), QRectF(here.left(), here.top(), cut - here.left(), here.height()))
                for pen in (QPen(BLACK, 3), QPen(WHITE, 1)):
                    painter.setPen(pen)
                    painter.drawLine(QPointF(cut, here.top()), QPointF(cut, here.bottom()))
        self._names(painter, here, there)
        painter.save()
        painter.setClipRect(here)
        if desk.overlay and seen.mask is not None and not desk.before:
            mask = seen.mask
            colour = QColor(theme.current().accent_hover)
            painter.drawImage(self.place(), self._image("mask", mask, lambda: stripes(mask, colour)))
        if self.session.tool in ("", "finish_brush"):
            self._handles(painter)
        painter.restore()
        self._pairs(painter)

    @staticmethod
    def _put(painter: QPainter, image: QImage, place: QRectF, clip: QRectF) -> None:
        painter.save()
        painter.setClipRect(clip)
        painter.drawImage(place, image)
        painter.restore()

    def _names(self, painter: QPainter, here: QRectF, there: QRectF | None) -> None:
        desk = self.desk
        shot = self.session.shot.name if self.session.shot else ""
        name = f"Reference: {desk.finish.reference_file}"
        if there is not None:
            self._flag(painter, there, name)
            self._flag(painter, here, f"{shot}, {'before' if desk.before else 'finished'}")
        elif desk.before:
            self._flag(painter, here, f"{shot}, before")
        elif desk.reference is not None and desk.against not in ("", "pinned") and (desk.against != "blink" or desk.blinks):
            self._flag(painter, here, name)

    @staticmethod
    def _flag(painter: QPainter, box: QRectF, text: str) -> None:
        flag(painter, box.topLeft() + QPointF(8, 8), text, box.width() - 14)

    # the mask in hand

    def seen_mask(self) -> Mask | None:
        """The shape in hand where it is in the picture now."""
        mask = self.desk.mask
        if mask is None or mask.kind not in ("ellipse", "rectangle", "gradient", "polygon"):
            return None
        x, y = self.origin(mask)
        return moved(mask, x, y) if mask.follows else mask

    def origin(self, mask: Mask) -> tuple[float, float]:
        """From where a shape's place is counted: the middle of the part that it follows."""
        planes = self.desk.small
        if not mask.follows or planes is None:
            return 0.0, 0.0
        if self._middle is None or self._middle[0] is not planes or self._middle[1] != mask.follows:  # it is asked for whenever it is drawn
            try:
                found = middle_of(mask.follows, planes)
            except AulmoError:
                found = None
            self._middle = (planes, mask.follows, found or (0.0, 0.0))
        return self._middle[2]

    def handles(self) -> dict[str, QPointF]:
        """What can be pulled of the shape in hand, by name."""
        mask = self.seen_mask()
        if mask is None:
            return {}
        if mask.kind == "polygon":
            return {f"corner {k}": self.point_of(*p) for k, p in enumerate(mask.points)}
        box = self.place()
        middle = self.point_of(mask.across, mask.down)
        turn = math.radians(mask.turn)
        across, down = QPointF(math.cos(turn), math.sin(turn)), QPointF(-math.sin(turn), math.cos(turn))
        half_w, half_h = 0.5 * mask.width * box.width(), 0.5 * mask.height * box.height()
        if mask.kind == "gradient":
            return {"move": middle, "start": middle - down * half_h, "end": middle + down * half_h}
        feather = mask.feather * 1e-3 * box.width()
        return {
            "move": middle, "width": middle + across * half_w, "height": middle + down * half_h,
            "turn": middle - down * (half_h + 26), "feather": middle + across * (half_w + max(14.0, feather)),
        }  # fmt: skip

    def _handles(self, painter: QPainter) -> None:
        mask, held = self.seen_mask(), self.handles()
        if mask is None:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        accent = QColor(theme.current().accent_hover)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        box = self.place()

        def outline(pen: QPen, more: float = 0.0) -> None:
            painter.setPen(pen)
            if mask.kind == "polygon":
                painter.drawPolygon(QPolygonF(list(held.values())))
                return
            painter.save()
            painter.translate(held["move"])
            painter.rotate(mask.turn)
            half_w, half_h = 0.5 * mask.width * box.width() + more, 0.5 * mask.height * box.height() + more
            if mask.kind == "gradient":
                for y in (-half_h, half_h):
                    painter.drawLine(QPointF(-2000, y), QPointF(2000, y))
                painter.drawLine(QPointF(0, -half_h), QPointF(0, half_h))
            elif mask.kind == "ellipse":
                painter.drawEllipse(QPointF(0, 0), half_w, half_h)
            else:
                painter.drawRect(QRectF(-half_w, -half_h, 2 * half_w, 2 * half_h))
            painter.restore()

        outline(QPen(BLACK, 3.5))
        outline(QPen(accent, 1.8))
        if mask.kind in ("ellipse", "rectangle") and mask.feather > 0:
            outline(QPen(accent, 1.2, Qt.PenStyle.DashLine), mask.feather * 1e-3 * box.width())
        if "turn" in held:
            painter.setPen(QPen(accent, 1))
            painter.drawLine(held["height"] * -1 + held["move"] * 2, held["turn"])
        for name, at in held.items():
            painter.setPen(QPen(BLACK, 1))
            painter.setBrush(QBrush(accent) if name != "feather" else QBrush(QColor(theme.current().window)))
            if name == "feather":
                painter.setPen(QPen(accent, 2))
            painter.drawEllipse(at, 5, 5)

    def press(self, at: QPoint) -> bool:
        """Everything on the picture is this stage's: handles, the wiped line, a part."""
        self._pressed, self._from = at, QPointF(at)
        self._held, self._start = "", self.seen_mask()
        for name, place in reversed(self.handles().items()):
            if (place - QPointF(at)).manhattanLength() < 1.5 * NEAR:
                self._held = name
        here, there = self.areas()
        if not self._held and there is None and self.desk.against == "wipe" and self.desk.reference is not None:
            if abs(at.x() - (here.left() + self.desk.wipe * here.width())) < NEAR:
                self._held = "wipe"
        return True

    def drag(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Pull what was taken."""
        if self._held == "wipe":
            here = self.areas()[0]
            self.desk.wipe = min(1.0, max(0.0, (at.x() - here.left()) / here.width()))
            self.picture.update()
        elif self._held and self._start is not None:
            mask = self._pulled(self._start, QPointF(at), bool(modifiers & Qt.KeyboardModifier.ShiftModifier))
            origin = self.origin(mask)
            if mask.follows:
                mask = moved(mask, -origin[0], -origin[1])
            self.desk.put_mask("Pulled a mask", mask, ("mask", mask.id, self._held))
            self.picture.say_at(at, *self._told(mask))

    def _told(self, mask: Mask) -> tuple[str, str]:
        if self._held == "feather":
            return "Feather", show(mask.feather, "‰", 0)
        if self._held == "turn":
            return "Turn", show(mask.turn, "°", 0)
        return f"{100 * mask.width:.0f} × {100 * mask.height:.0f} %", ""

    def _pulled(self, mask: Mask, at: QPointF, even: bool) -> Mask:
        """A shape with one of its handles elsewhere."""
        box = self.place()
        x, y = self.share_at(at)
        if self._held.startswith("corner "):
            k = int(self._held.split()[1])
            return replace(mask, points=tuple((x, y) if n == k else p for n, p in enumerate(mask.points)))
        if self._held == "move":
            return replace(mask, across=x, down=y)
        middle = self.point_of(mask.across, mask.down)
        way = at - middle
        turn = math.radians(mask.turn)
        across, down = way.x() * math.cos(turn) + way.y() * math.sin(turn), way.y() * math.cos(turn) - way.x() * math.sin(turn)
        if self._held == "width":
            width = max(0.005, 2 * abs(across) / box.width())
            return replace(mask, width=width, height=mask.height * width / mask.width if even else mask.height)
        if self._held == "height":
            height = max(0.005, 2 * abs(down) / box.height())
            return replace(mask, height=height, width=mask.width * height / mask.height if even else mask.width)
        if self._held == "feather":
            return replace(mask, feather=max(0.0, (across - 0.5 * mask.width * box.width()) / box.width() * 1e3))
        if self._held == "turn":
            angle = math.degrees(math.atan2(way.x(), -way.y()))
            return replace(mask, turn=round(angle / 15) * 15.0 if even else round(angle, 1))
        angle = math.degrees(math.atan2(way.x(), -way.y())) + (180 if self._held == "end" else 0)
        angle = (angle + 180) % 360 - 180
        height = max(0.005, 2 * math.hypot(way.x(), way.y()) / box.height())
        return replace(mask, turn=round(angle / 15) * 15.0 if even else round(angle, 1), height=height)

    def release(self, at: QPoint) -> None:
        """Let go; a click takes the part that is seen there."""
        held, self._held = self._held, ""
        self.session.history.end_merge()
        self.picture.hush()
        if held or (at - self._pressed).manhattanLength() > 5 or self.over_reference(at):
            return
        part = self.part_at(at)
        self.session.select([part] if part is not None else [], self.session.subject)

    def part_at(self, at: QPoint) -> str | None:
        """The part of the project that is seen at a point, zoomed or not."""
        x, y = self.share_at(at)
        if not (0 <= x <= 1 and 0 <= y <= 1):
            return None
        frame = self.picture.frame_rect()
        found = self.picture.part_at(QPoint(round(frame.left() + x * frame.width()), round(frame.top() + y * frame.height())))
        return found if found in self.session.document.parts else None

    # pairs of places

    def pixel(self, at: QPoint) -> tuple[int, int, int] | None:
        """What is seen at a point of the picture, as it is finished."""
        seen = self.desk.seen
        x, y = self.share_at(at)
        if seen is None or not (0 <= x < 1 and 0 <= y < 1):
            return None
        display = seen.before if self.desk.before else seen.display
        r, g, b = (round(255 * float(v)) for v in np.clip(display[int(y * display.shape[0]), int(x * display.shape[1])], 0, 1))
        return r, g, b

    def value_at(self, at: QPoint) -> np.ndarray | None:
        """(3,) display value about a point of the picture or of the reference; None beside both."""
        there = self.over_reference(at)
        return self.value_of(there, *self.share_at(at, there))

    def value_of(self, reference: bool, x: float, y: float) -> np.ndarray | None:
        """(3,) the mean display value about a place of the picture or of the reference."""
        source = self.desk.reference if reference else self.desk.seen.display if self.desk.seen is not None else None
        if source is None or not (0 <= x < 1 and 0 <= y < 1):
            return None
        return about(source, x, y, max(1, round(PATCH * source.shape[1] / 2)))

    def _pairs(self, painter: QPainter) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for pair in self.pairs:
            one, two = self.point_of(*pair.here), self.point_of(*pair.there, True)
            for pen in (QPen(BLACK, 3), QPen(WHITE, 1.2)):
                painter.setPen(pen)
                for at in (one, two):
                    painter.drawEllipse(at, 7, 7)
                painter.drawLine(one, two)
            first, second = self.value_of(False, *pair.here), self.value_of(True, *pair.there)
            if first is not None and second is not None:
                found = apart(first, second)
                self._flag(painter, QRectF(one.x() - 4, one.y() + 4, 400, 30), f"{found.stops:+.2f} stops · {found.distance:.1f} apart")
        if self.open_pair is not None:
            at = self.point_of(*self.open_pair[1:], self.open_pair[0])
            painter.setPen(QPen(WHITE, 1.6))
            painter.drawEllipse(at, 7, 7)


def thumbnail(display: np.ndarray, width: int, height: int) -> QPixmap:
    """A small picture of display values."""
    how = (Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation)
    return QPixmap.fromImage(image_of(display)).scaled(width, height, *how)
