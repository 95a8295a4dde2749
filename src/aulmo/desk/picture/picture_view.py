"""What the picture shows: the live renderer's image and what is drawn over it, and what lies under a point of it."""

import math
import time
from typing import Callable, Collection

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QPoint, QRect, QRectF, QSettings, Qt, QTimer, Signal
from PySide6.QtGui import QColor, QImage, QPainter
from PySide6.QtWidgets import QWidget

from aulmo.desk.picture.guides import paint_guides
from aulmo.desk.picture.overlay import Overlay
from aulmo.desk.picture.surroundings import Surroundings, look_around, walls_between
from aulmo.desk.shell import theme
from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.painting import painted
from aulmo.desk.widgets.texts import breakable
from aulmo.document import edits
from aulmo.document.lens import width_at
from aulmo.document.made.copies import maker_of, source_of
from aulmo.document.moments import Moments
from aulmo.document.records import Camera, Document
from aulmo.finish.planes import spans
from aulmo.frame.camera import project, ray_through
from aulmo.prepare.arrange import bounds
from aulmo.prepare.faces import faces_of_asset
from aulmo.trace.live import LivePicture, Request, Shown
from aulmo.trace.pick import Hit, pick
from aulmo.trace.scene import Scene
from aulmo.trace.tracer import Draft

LABEL_WIDTH = 320.0  # pixels from which on the words at the cursor are broken
MOST_BY_ANGLE = 300_000  # triangles of a mesh without face numbers that are looked at for edges while the hand waits


def seen_change(old: Document, new: Document) -> bool:
    """Whether anything changed that a picture is traced of, and not only what is made of it afterwards."""
    fields = (f for f in old.__struct_fields__ if f not in ("finishes", "shots", "keys", "remarks"))
    if any(getattr(old, f) is not getattr(new, f) for f in fields):
        return True
    if old.shots is not new.shots and [replace(s, finish="") for s in old.shots] != [replace(s, finish="") for s in new.shots]:
        return True
    if old.keys is new.keys:
        return False
    changed = [a for a in {*old.keys, *new.keys} if old.keys.get(a) is not new.keys.get(a)]
    return any(not a.startswith("finishes/") for a in changed)


class PictureView(QWidget):
    """The live picture with everything drawn over it."""

    shown = Signal(object)
    files_dropped = Signal(list, QPoint)
    status_changed = Signal()
    preparing = Signal(float, float)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setMinimumSize(240, 180)
        self.setMouseTracking(True)
        self.setAcceptDrops(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Picture")
        self.look = "finished"  # or "traced", "draft": what the picture is
        self._asleep = False  # whether another picture is looked at
        self.held_plain = False  # whether the finish is left out for as long as a key is held
        self.playing_size = 1.0  # of a draft while a film plays, as a share of the widget's: smaller ones come sooner
        self.framed_stages: tuple[str, ...] = ()  # where the frame is masked also in a free view
        self.final_stages: tuple[str, ...] = ()  # where what a final leaves out is left out here too
        self.covers: Callable[[], bool] = lambda: False  # whether something lies over the whole picture, which then need not be traced
        self.cover_words: Callable[[], str] = lambda: ""  # what lies over it
        self.passes: Callable[[], tuple[str, ...]] = lambda: ()  # the sets of passes that are wanted of the traced picture
        self.measures: Callable[[], bool] = lambda: False  # whether its light is worked on
        self.finisher: Callable[[], Callable[..., np.ndarray] | None] = lambda: None  # what puts the shot's finish on it
        self.overlays: list[Overlay] = []
        self.panes: list[QWidget] = []  # what stands beside it in room of its own
        self.state: Shown | None = None
        self.draft: Draft | None = None
        self.draft_parts: tuple[str, ...] = ()
        self.scene: Scene | None = None
        self.hot = ""
        self._whole: tuple[Document, Scene] | None = None  # the scene with nothing left out that stands between
        self._around: tuple[tuple, Surroundings] | None = None
        self._image: QImage | None = None
        self._plain: QImage | None = None  # without the finish
        self._plain_pixels: np.ndarray | None = None
        self._asked_for: tuple[tuple, Document, Document] | None = None  # what was asked for last: as it is looked at, stored, as it is shown
        self._earlier: tuple[str, QImage, str] | None = None  # how a shot was seen last, before anything has been drawn: shot, picture, when
        self._pixels: np.ndarray | None = None
        self._outline: QImage | None = None
        self._outline_for: tuple = ()
        self._project = 0
        self._label: tuple[str, str] | None = None
        self.label_box = QRectF()  # where it was drawn last
        self._label_at = QPoint()
        self._moving = False
        self._waiting = QTimer(self)
        self._waiting.setSingleShot(True)
        self._waiting.setInterval(0)
        self._waiting.timeout.connect(self._send)
        self.live = LivePicture(session.assets, self.shown.emit, session.trouble.emit, self.preparing.emit)
        self.keep_pictures()
        self.shown.connect(self._take)
        session.changed.connect(lambda old, new: self.refresh() if seen_change(old, new) or self.look == "finished" else self.update())
        session.view_changed.connect(self.refresh)
        session.time_changed.connect(self.refresh)
        session.shot_changed.connect(self.refresh)
        session.opened.connect(self._opened)
        session.selection_changed.connect(self.outline)
        session.stage_changed.connect(lambda _: (self.hush(), self.refresh()))

    # what is shown

    def _opened(self) -> None:
        self.live.use_assets(self.session.assets)
        self.draft, self.state, self._image, self.scene, self._whole, self._around = None, None, None, None, None, None
        self._plain, self._plain_pixels, self._asked_for = None, None, None
        self._pixels, self.draft_parts = None, ()
        self._earlier = None
        self._project += 1
        self.hush()
        self.refresh()

    def refresh(self) -> None:
        """Ask for the picture of the document as it is now."""
        self._waiting.start()
        self.update()

    def keep_pictures(self) -> None:
        """Let pictures take as much memory as the artist says."""
        self.live.keep_pictures_within(int(float(str(QSettings().value("picture_gb", "4"))) * (1 << 30)))

    @property
    def traced(self) -> bool:
        """Whether the picture is traced, with its finish or without."""
        return self.look != "draft"

    def set_look(self, look: str) -> None:
        """The quick "draft", "traced", or "finished" as the shot will be delivered."""
        self.look = look
        self.refresh()

    def set_traced(self, traced: bool) -> None:
        """Traced, or the quick draft."""
        self.set_look("traced" if traced else "draft")

    def sleep(self, on: bool) -> None:
        """Trace nothing while another picture is looked at."""
        self._asleep = on
        self.refresh()

    def hold_plain(self, on: bool) -> None:
        """Leave the finish out while a key is held."""
        if on != self.held_plain:
            self.held_plain = on
            self.update()

    def frame_box(self) -> tuple[float, float, float, float]:
        """The shot's frame within the widget: left, top, right, bottom in shares of it."""
        frame, w, h = self.frame_rect(), max(1, self.width()), max(1, self.height())
        return frame.left() / w, frame.top() / h, (frame.right() + 1) / w, (frame.bottom() + 1) / h

    def framed(self, pixels: np.ndarray) -> np.ndarray:
        """What of a picture (h, w, ...) of the whole widget lies within the frame."""
        return pixels[spans(pixels.shape, self.frame_box())]

    def frame_rect(self) -> QRect:
        """Where the shot's frame lies in the widget."""
        shot = self.session.shot
        ratio = shot.width / shot.height if shot else 4 / 3
        width, height = self.width(), self.height()
        if width / max(1, height) > ratio:
            w = max(1, round(height * ratio))
            return QRect((width - w) // 2, 0, w, height)
        h = max(1, round(width / ratio))
        return QRect(0, (height - h) // 2, width, h)

    def wide_camera(self) -> Camera:
        """The view's camera opened up so that the frame fills `frame_rect` and the widget shows what lies beside it."""
        frame, view = self.frame_rect(), self.session.view
        share = self.width() / max(1, frame.width())
        squeeze = self.height() / max(1, frame.height())
        return replace(
            view, sensor_mm=view.sensor_mm * share, span_mm=view.span_mm * share, shift_x=view.shift_x / share, shift_y=view.shift_y / squeeze
        )

    def seen_document(self) -> Document:
        """What the picture shows: in a free view without the walls that stand between."""
        shown = self.session.shown
        if self.session.free_view is None or self._whole is None or self._whole[0] is not shown:
            return shown
        around = self.surroundings()
        if not around.walls:
            return shown
        view = self.session.free_view
        met = walls_between(self._whole[1], around.walls, np.array(view.position), np.array(view.target))
        hidden = tuple(dict.fromkeys(part for part, _ in met))
        if not hidden:
            return shown
        if self._without[:2] != (shown, hidden):
            self._without = (shown, hidden, edits.change_parts(shown, hidden, visible=False))
        return self._without[2]

    _without: tuple = (None, (), None)

    def surroundings(self) -> Surroundings:
        """The walls of the room that the shot's camera stands in, if any, and the middle of the product."""
        document = self.session.shown
        scene = self._whole[1] if self._whole is not None and self._whole[0] is document else self.scene
        if scene is None:
            return Surroundings(frozenset(), np.array(self.session.view.target, float))
        key = (document.parts, self.session.camera.position)
        if self._around is None or self._around[0][0] is not key[0] or self._around[0][1] != key[1]:
            self._around = (key, look_around(document, self.session.assets, scene, np.array(self.session.camera.position, float)))
        return self._around[1]

    def between(self, camera: Camera) -> list[str]:
        """The parts of the project that stand between a camera and what it looks at; where that lies in a closed room, all of the room's walls."""
        document, scene = self.session.shown, self.scene
        if scene is None:
            return []
        start, end = np.array(camera.position, float), np.array(camera.target, float)
        length = float(np.linalg.norm(end - start))
        if length < 1e-6:
            return []
        def holds_it(part: str) -> bool:
            """Whether it is the thing itself that is looked at."""
            box = bounds(document, self.session.assets, [part]) if part in document.parts else None
            return box is None or bool(np.all(end >= box[0]) and np.all(end <= box[1]))

        walls = frozenset(i for i in look_around(document, self.session.assets, scene, end).walls if not holds_it(i))
        found = {self.stored(i) for i in walls} if walls_between(scene, walls, start, end) else set()
        way, at = (end - start) / length, start
        for _ in range(64):
            hit = pick(scene, at, way)
            if hit is None or hit.part is None or float((hit.point - start) @ way) >= 0.95 * length:
                break
            if not holds_it(hit.part):
                found.add(self.stored(hit.part))
            at = hit.point + way * max(1e-4 * length, 1e-6)
        return sorted(i for i in found if i is not None)

    def _send(self) -> None:
        session = self.session
        if self.width() < 8 or self.height() < 8:
            return
        document = self._lit_document()
        moments = None
        if (session.document.keys or session.document.motions) and session.view.motion_blur and not session.playing:
            moments = Moments(session.in_time, session.choices, session.time, session.view.id, document)
        share = self.playing_size if session.playing else 1.0
        self.live.show(
            Request(
                document, session.shot, self.wide_camera(), max(8, round(self.width() * share)), max(8, round(self.height() * share)),
                self.traced and not session.playing and not self.covers() and not self._asleep,
                transparent=document.render.transparent and session.free_view is None,
                gradient_span=self.height() / max(1, self.frame_rect().height()), moments=moments, passes=self.passes(), project=self._project,
                measured=self.measures(), finish=self.finisher() if self.look == "finished" else None,
                covered=self.covers() or self._asleep,
            )
        )  # fmt: skip

    def _lit_document(self) -> Document:
        """What is traced: the very document that was asked for last where nothing has changed since but what is made of its picture."""
        session, seen = self.session, self.seen_document()
        apart = (session.isolated, session.node_alone, session.stand_in)
        looked_at = (session.time, session.loose, session.tried, session.tried_whole, session.picks, session.shot_id, apart, session.free_view)
        last = self._asked_for
        if last is not None and last[0] == looked_at and last[2] is not seen and not seen_change(last[1], session.document):
            return last[2]
        self._asked_for = (looked_at, session.document, seen)
        return seen

    def _take(self, state: Shown) -> None:
        if state.request.project != self._project:
            return  # of the project that was open before
        if not set(state.part_ids) <= set(self.session.resolved.parts) and state.draft is None and state.picture.size == 0:
            return  # of another project
        self.state = state
        if state.picture.size:
            self._pixels = state.picture
            h, w = state.picture.shape[:2]
            self._image = QImage(state.picture.data, w, h, w * 4, QImage.Format.Format_RGB32)
            self._plain, self._plain_pixels = None, state.plain
            if state.plain is not None:
                self._plain = QImage(state.plain.data, w, h, w * 4, QImage.Format.Format_RGB32)
            self._note_seen(state)
        self.session.pictured = True
        if state.draft is not None:
            self.draft, self.draft_parts, self.scene = state.draft, state.part_ids, state.scene
            if state.request.document is self.session.shown:
                self._whole = (state.request.document, state.scene)
            self.outline()
            if self.session.free_view is not None and self.seen_document() is not state.request.document:
                self.refresh()  # a wall has come between, or gone
        self.update()
        self.status_changed.emit()

    def _note_seen(self, state: Shown) -> None:
        """Keep what the shot's frame shows, for the next time the project is opened."""
        shot, session = state.request.shot, self.session
        whole = state.denoised and state.samples > 0 or not state.traced
        if shot is None or shot is not session.shot or not whole or session.free_view is not None or session.playing:
            return
        if session.isolated or session.stand_in:
            return
        h, w = state.picture.shape[:2]
        frame, across, down = self.frame_rect(), w / max(1, self.width()), h / max(1, self.height())
        rows = slice(round(frame.top() * down), round((frame.bottom() + 1) * down))
        columns = slice(round(frame.left() * across), round((frame.right() + 1) * across))
        pixels = state.picture[rows, columns, 2::-1]
        if min(pixels.shape[:2]) >= 16:
            session.assets.last_pictures.note(shot.id, pixels)

    def _seen_earlier(self) -> tuple[QImage, str] | None:
        """How the shot was seen last, and when in words; None when the project does not know."""
        shot = self.session.shot
        if shot is None:
            return None
        if self._earlier is None or self._earlier[0] != shot.id:
            kept, image = self.session.assets.last_pictures.of(shot.id), QImage()
            if kept is not None:
                image.loadFromData(kept.jpeg)
            elif shot is self.session.document.shots[0] and (blob := self.session.assets.last_pictures.saved_with) is not None:
                image.loadFromData(blob)
                if abs(image.width() * shot.height / max(1, image.height() * shot.width) - 1.0) > 0.02:
                    image = QImage()  # of another frame, or of more than the frame
            when = time.strftime("%-d %B, %H:%M", time.localtime(kept.at)) if kept is not None and 0 < kept.at < 4e9 else ""
            self._earlier = (shot.id, image, when)
        return None if self._earlier[1].isNull() else self._earlier[1:]

    def outline(self) -> None:
        """Find the outline of what is selected."""
        shown, picked = self.session.face_set, self.session.picked
        key = (self.draft, self.session.selection, theme.current().accent_hover, shown, picked)
        if self._outline_for and self._outline_for[0] is key[0] and self._outline_for[1:] == key[1:]:
            return
        self._outline_for, self._outline = key, None
        if self.draft is not None and self.session.selection:
            chosen = self._outlined_parts()
            member = np.zeros(len(self.draft_parts) + 4, bool)
            member[[n for n, i in enumerate(self.draft_parts) if i in chosen]] = True
            mask = member[self.draft.parts]  # numbers below zero, of floor and lamps, fall on the last ones
            if picked[0] and self.scene is not None:
                mask &= self._in_faces(mask, picked[1])
            elif shown is not None and self.scene is not None:
                mask &= self._in_faces(mask, shown.faces)
            if mask.any():
                self._outline = _outlined(mask, QColor(theme.current().accent_hover))
        self.update()

    def _outlined_parts(self) -> set[str]:
        """The parts of the picture that the selection means: of a rule and of its source all copies."""
        session = self.session
        resolved = session.resolved
        chosen = set(edits.leaves(resolved, [i for i in session.selection if i in resolved.parts]))
        if session.picked[0]:
            chosen = {session.picked[0]}
        if resolved.parts is not session.document.parts:
            chosen |= {i for i in self.draft_parts if ":" in i and source_of(session.document, i) in chosen}
        return chosen

    def _in_faces(self, mask: np.ndarray, faces: tuple[int, ...]) -> np.ndarray:
        """Which pixels of the one selected part lie on some of its faces."""
        assert self.draft is not None and self.scene is not None
        found = np.zeros_like(mask)
        numbers = np.unique(self.draft.parts[mask])
        if len(numbers) == 1 and 0 <= numbers[0] < len(self.scene.meshes):
            held = self.face_numbers(int(numbers[0]))
            triangles = self.draft.triangles[mask]
            if len(held) and int(triangles.max(initial=0)) < len(held):
                found[mask] = np.isin(held[triangles], faces)
        return found

    # painting

    @painted
    def paintEvent(self, painter) -> None:  # noqa: N802
        """Draw the picture and what lies over it."""
        self._paint(painter)

    def _paint(self, painter: QPainter) -> None:
        painter.fillRect(self.rect(), QColor(theme.current().surround))
        if self._image is not None:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(self.rect(), self._plain if self.held_plain and self._plain is not None else self._image)
            if self._plain is not None and self.held_plain:
                self._paint_note(painter, "Without its finish")
        elif (earlier := self._seen_earlier()) is not None:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(self.frame_rect(), earlier[0])
            self._paint_note(painter, f"As last seen{', ' + earlier[1] if earlier[1] else ''}")
        self._paint_mask(painter)
        if self.session.stand_in:
            checker = "A checker by every part’s own coordinates · Esc"
            self._paint_note(painter, checker if self.session.stand_in == "checker" else f"Neutral {self.session.stand_in} on every part · Q")
        if self._outline is not None and not self._moving:
            painter.drawImage(self.rect(), self._outline)
        for overlay in self.overlays:
            if overlay.shown():
                overlay.draw(painter)
        self.draw_tool(painter)
        if self._label:
            self._paint_label(painter, *self._label)

    def draw_tool(self, painter: QPainter) -> None:
        """What the tool in hand draws."""

    def _paint_mask(self, painter: QPainter) -> None:
        frame = self.frame_rect()
        framing = self.session.stage in self.framed_stages
        if self.session.free_view is not None and not framing:
            return
        shade = QColor(46, 46, 46, 235 if framing else 110)
        for side in (
            QRect(0, 0, self.width(), frame.top()), QRect(0, frame.bottom() + 1, self.width(), self.height()),
            QRect(0, frame.top(), frame.left(), frame.height()), QRect(frame.right() + 1, frame.top(), self.width(), frame.height()),
        ):  # fmt: skip
            painter.fillRect(side, shade)
        shot = self.session.shot
        if framing and shot is not None:
            paint_guides(painter, QRectF(frame), shot.guides, shot.safe)

    def _paint_note(self, painter: QPainter, text: str) -> None:
        """A sentence in the frame's corner, which says what kind of picture this is."""
        frame, width = self.frame_rect(), painter.fontMetrics().horizontalAdvance(text) + 20
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(32, 32, 32, 200))
        box = QRectF(frame.left() + 10, frame.top() + 10, width, 24)
        painter.drawRoundedRect(box, 3, 3)
        painter.setPen(QColor("#f0f0f0"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    def _paint_label(self, painter: QPainter, title: str, text: str) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        plain, bold = painter.font(), painter.font()
        bold.setWeight(bold.Weight.DemiBold)
        room = QRectF(0, 0, max(60.0, min(LABEL_WIDTH, self.width() - 28.0)), 400)
        lines, sizes = ((breakable(title), bold, "#f0f0f0"), (breakable(text), plain, "#b4b4b4")), []
        for words, font, _ in lines:
            painter.setFont(font)
            sizes.append(painter.boundingRect(room, Qt.TextFlag.TextWordWrap, words) if words else QRectF())
        width, height = max(s.width() for s in sizes) + 20, sum(s.height() for s in sizes) + 8
        x = max(4.0, min(self.width() - width - 4, self._label_at.x() + 18.0))
        y = max(4.0, min(self.height() - height - 4, self._label_at.y() + 16.0))
        self.label_box = QRectF(x, y, width, height)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(32, 32, 32, 238))
        painter.drawRoundedRect(self.label_box, 3, 3)
        for (words, font, colour), size in zip(lines, sizes):
            painter.setFont(font)
            painter.setPen(QColor(colour))
            painter.drawText(QRectF(x + 10, y + 4, size.width() + 1, size.height()), Qt.TextFlag.TextWordWrap, words)
            y += size.height()
        painter.setFont(plain)

    def say_at(self, at: QPoint, title: str, text: str = "") -> None:
        """A label beside the cursor."""
        if self._label != (title, text) or self._label_at != at:
            self._label, self._label_at = (title, text), at
            self.update()

    def hush(self) -> None:
        """No label."""
        if self._label:
            self._label = None
            self.update()

    # what lies under the cursor

    def face_numbers(self, instance: int) -> np.ndarray:
        """The face of each triangle of an instance of the scene: as the mesh has them, else by the angles between them when it is not too large."""
        assert self.scene is not None
        mesh = self.scene.meshes[instance]
        if len(mesh.faces) or len(mesh.triangles) > MOST_BY_ANGLE:
            return mesh.faces
        name = self.session.document.parts[source_of(self.session.document, self.scene.part_ids[instance])].mesh
        return faces_of_asset(self.session.assets, name).counted.faces if name is not None else mesh.faces

    def pick(self, at: QPoint, but: Collection[str] = ()) -> Hit | None:
        """What is seen at a point of the widget through the view as it is now: part, face, point, normal; through the parts named in `but`."""
        if self.scene is None:
            return None
        origin, direction = ray_through(self.wide_camera(), at.x() + 0.5, at.y() + 0.5, self.width(), self.height())
        return pick(self.scene, origin, direction, but)

    def seen_at(self, at: QPoint) -> str | None:
        """Id of the part seen at a point of the widget, one that a rule made too."""
        hit = self.pick(at) if self.rect().contains(at) else None
        return hit.part if hit is not None else None

    def part_at(self, at: QPoint) -> str | None:
        """Id of the part seen at a point of the widget; of a copy the part that it is a copy of."""
        seen = self.seen_at(at)
        return self.stored(seen) if seen is not None else None

    def stored(self, part_id: str) -> str | None:
        """The part of the project that is meant by one in the picture; None when it has gone meanwhile."""
        document = self.session.document
        if ":" in part_id and (maker_of(part_id) or "") not in document.parts:
            return None
        return source_of(document, part_id)

    def point_at(self, at: QPoint) -> np.ndarray | None:
        """World point seen at a point of the widget."""
        hit = self.pick(at)
        return hit.point if hit is not None else None

    def subject_at(self, at: QPoint) -> str:
        """The address of a mark at a point of the widget, or nothing."""
        for overlay in self.overlays:
            if overlay.shown() and (found := overlay.at(at.x(), at.y())):
                return found
        return ""

    def pixel_at(self, at: QPoint) -> tuple[int, int, int] | None:
        """Red, green and blue of the picture at a point of the widget, or of what lies over it."""
        over = next((v for v in (o.pixel(at) for o in self.overlays if o.shown()) if v is not None), None)
        if over is not None:
            return over
        if self._pixels is None:
            return None
        h, w = self._pixels.shape[:2]
        x, y = min(w - 1, at.x() * w // max(1, self.width())), min(h - 1, at.y() * h // max(1, self.height()))
        b, g, r = (int(v) for v in self._pixels[y, x, :3])
        return r, g, b

    def picture_pixels(self) -> np.ndarray | None:
        """(h, w, 3) uint8 of what is shown, red first."""
        return None if self._pixels is None else self._pixels[:, :, [2, 1, 0]]

    def unfinished_pixels(self) -> np.ndarray | None:
        """(h, w, 3) uint8 of the picture as light gives it, without its finish, red first."""
        return self.picture_pixels() if self._plain_pixels is None else self._plain_pixels[:, :, [2, 1, 0]]

    def screen_point(self, part_id: str) -> QPoint | None:
        """A point of the widget where a part is seen."""
        if self.draft is not None and part_id not in self.draft_parts:  # of a copied part any copy
            part_id = next((i for i in self.draft_parts if ":" in i and self.stored(i) == part_id), part_id)
        if self.draft is None or part_id not in self.draft_parts:
            return None
        rows, columns = np.nonzero(self.draft.parts == self.draft_parts.index(part_id))
        if len(rows) == 0:
            return None
        k = int(np.argmin(np.hypot(rows - rows.mean(), columns - columns.mean())))
        h, w = self.draft.parts.shape
        return QPoint(math.ceil((columns[k] + 0.5) * self.width() / w - 0.5), math.ceil((rows[k] + 0.5) * self.height() / h - 0.5))

    def places_on_screen(self, points: np.ndarray) -> np.ndarray:
        """(n, 3) where world points (n, 3) are seen, and how far ahead they lie."""
        return project(self.wide_camera(), points, self.width(), self.height())

    def mm_per_pixel(self, point: np.ndarray) -> float:
        """Width in mm of a pixel of the widget at a world point."""
        camera = self.wide_camera()
        ahead = float(self.places_on_screen(np.asarray(point, float).reshape(1, 3))[0, 2])
        return width_at(camera, max(1e-9, ahead)) / max(1, self.width())

    def place_on_screen(self, point) -> QPoint:
        """Where a world point is seen."""
        x, y, _ = project(self.wide_camera(), np.asarray(point), self.width(), self.height())[0]
        return QPoint(round(x), round(y))


def _outlined(mask: np.ndarray, colour: QColor) -> QImage:
    """A line two pixels wide round a mask, in its own size."""
    wide = mask.copy()
    for _ in range(2):
        grown = wide.copy()
        grown[1:] |= wide[:-1]
        grown[:-1] |= wide[1:]
        grown[:, 1:] |= wide[:, :-1]
        grown[:, :-1] |= wide[:, 1:]
        wide = grown
    pixels = np.zeros((*mask.shape, 4), np.uint8)
    pixels[wide & ~mask] = (colour.blue(), colour.green(), colour.red(), 255)
    return QImage(pixels.data, mask.shape[1], mask.shape[0], mask.shape[1] * 4, QImage.Format.Format_ARGB32).copy()
