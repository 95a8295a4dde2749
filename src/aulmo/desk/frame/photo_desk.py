"""The photograph of the shot that is worked on: where it lies on the screen, which of its lines is chosen, and its edits as steps of undo."""

import math
from typing import Any, Callable

import numpy as np
from PySide6.QtCore import QObject, QPoint, QPointF, QRectF, QTimer, Signal

from aulmo.desk.shell.session import Session
from aulmo.document.records import Camera, Document, Photograph, Shot, SightLine
from aulmo.errors import AulmoError, BadValue
from aulmo.frame import matching, photograph
from aulmo.frame.camera import bent, unbent
from aulmo.frame.photograph import Laid, laid_out
from aulmo.frame.sight_lines import Found
from aulmo.trace.plate import WORKING_WIDTH

SUBJECT = "photograph"


class PhotoDesk(QObject):
    """What the photograph's bench, page, marks and tools share. `changed` tells that the chosen line, the grid or what was found is another."""

    changed = Signal()

    def __init__(self, picture: Any) -> None:
        super().__init__(picture)
        self.picture = picture
        self.session: Session = picture.session
        self.tools: set[str] = set()
        self.chosen = ""
        self.grid = "none"
        self.trouble = ""
        self._found: tuple[Any, Found | None] = (None, None)
        self._reading = ""
        self._number = 0
        self.session.changed.connect(lambda old, new: self.changed.emit())
        self.session.shot_changed.connect(self._other_shot)
        self.session.opened.connect(self._opened)

    def _opened(self) -> None:
        self._reading = ""  # what was on its way for another project is dropped
        self._other_shot()

    def _other_shot(self) -> None:
        self.chosen, self.trouble = "", ""
        self.changed.emit()

    # what there is

    @property
    def shot(self) -> Shot | None:
        """The shot, when it has a photograph."""
        shot = self.session.shot
        return shot if shot is not None and shot.photograph is not None else None

    @property
    def photo(self) -> Photograph | None:
        """Its photograph."""
        shot = self.session.shot
        return shot.photograph if shot is not None else None

    @property
    def line(self) -> SightLine | None:
        """The line that is chosen."""
        return next((x for x in self.photo.lines if x.id == self.chosen), None) if self.photo is not None else None

    @property
    def is_shown(self) -> bool:
        """Whether its marks are drawn: while it is worked on, and seen from where it was taken."""
        session = self.session
        working = session.subject == SUBJECT or session.tool in self.tools
        return session.stage == "Frame" and self.photo is not None and session.free_view is None and working

    def choose(self, line_id: str) -> None:
        """Another line, or none."""
        if line_id != self.chosen:
            self.chosen = line_id
            self.changed.emit()
            self.picture.update()

    def found(self) -> Found | None:
        """What the lines tell; None while there are too few, or where they tell nothing."""
        photo, shot = self.photo, self.shot
        if photo is None or shot is None:
            return None
        key = (photo.lines, photo.known, photo.known_mm, photo.known_below, photo.surface, photo.surface_mm, photo.origin, photo.bend, photo.focal_mm)
        if self._found[0] != key:
            made = None
            if matching.enough(photo):
                try:
                    made = matching.found_camera(self.session.document, shot.id)
                except BadValue:
                    made = None
            self._found = (key, made)
        return self._found[1]

    def camera(self) -> Camera:
        """The shot's camera with the photograph as its frame."""
        assert self.shot is not None
        return matching.photo_camera(self.session.resolved, self.shot.id)

    def size(self) -> tuple[int, int]:
        """Pixels of the photograph."""
        assert self.photo is not None
        return self.photo.width, self.photo.height

    def codes(self) -> np.ndarray | None:
        """(h, w, 3) the photograph in its working size; None until it has been read, which begins then."""
        photo = self.photo
        if photo is None:
            return None
        held = photograph.at_hand(photo, WORKING_WIDTH)
        if held is None and self._reading != photo.image:
            self._reading = photo.image
            assets = self.session.assets
            read = lambda task: photograph.codes(assets, photo, WORKING_WIDTH)  # noqa: E731
            # who asks may be painting, and a task shows itself in the window
            QTimer.singleShot(0, self, lambda: self.session.start_task("Reading the photograph", read, lambda _: self.changed.emit()))
        return held

    # where it lies

    def rect(self) -> QRectF:
        """Where the photograph lies in the widget."""
        frame, photo = self.picture.frame_rect(), self.photo
        if photo is None:
            return QRectF(frame)
        height = frame.width() * photo.height / photo.width
        return QRectF(frame.left(), frame.top() + 0.5 * (frame.height() - height), frame.width(), height)

    def _laid(self) -> tuple[Laid, float]:
        assert self.shot is not None and self.photo is not None
        return laid_out(self.session.resolved, self.shot), (self.photo.bend if self.photo.straight else 0.0)

    def to_screen(self, points: Any) -> np.ndarray:
        """(n, 2) places in the widget of pixels (n, 2) of the photograph."""
        photo, rect = self.photo, self.rect()
        assert photo is not None
        p = np.asarray(points, float).reshape(-1, 2)
        x, y = 2 * p[:, 0] / photo.width - 1, 1 - 2 * p[:, 1] / photo.height
        laid, bend = self._laid()
        if bend:
            a, b = unbent((x + laid.shift_x) * laid.tan_w, (y + laid.shift_y) * laid.tan_h, bend)
            x, y = a / laid.tan_w - laid.shift_x, b / laid.tan_h - laid.shift_y
        return np.stack([rect.left() + (x + 1) / 2 * rect.width(), rect.top() + (1 - y) / 2 * rect.height()], 1)

    def to_photo(self, at: QPoint | QPointF) -> tuple[float, float]:
        """The pixel of the photograph at a place of the widget; beyond its edges too."""
        photo, rect = self.photo, self.rect()
        assert photo is not None
        x, y = 2 * (at.x() - rect.left()) / max(1.0, rect.width()) - 1, 1 - 2 * (at.y() - rect.top()) / max(1.0, rect.height())
        laid, bend = self._laid()
        if bend:
            a, b = bent(np.array([(x + laid.shift_x) * laid.tan_w]), np.array([(y + laid.shift_y) * laid.tan_h]), bend)
            x, y = float(a[0] / laid.tan_w - laid.shift_x), float(b[0] / laid.tan_h - laid.shift_y)
        return (x + 1) / 2 * photo.width, (1 - y) / 2 * photo.height

    def inside(self, pixel: tuple[float, float]) -> bool:
        """Whether a pixel lies in the photograph."""
        w, h = self.size()
        return 0 <= pixel[0] <= w and 0 <= pixel[1] <= h

    def nearest(self, at: QPoint, marks: dict[Any, tuple[float, float]], reach: float = 10.0) -> Any:
        """The key of the mark, by its pixel, that is nearest to a place of the widget within reach; None for none."""
        if not marks:
            return None
        places = self.to_screen(list(marks.values()))
        away = np.hypot(places[:, 0] - at.x(), places[:, 1] - at.y())
        k = int(away.argmin())
        return list(marks)[k] if away[k] <= reach else None

    # edits

    def edit(self, told: str, make: Callable[[Document, str], Document], solve: bool = False, merge: object = None) -> bool:
        """One step of undo on the shot's photograph, with the camera found anew where its lines have changed. What cannot be is told in one sentence:
        a mark that is none is not made; lines that tell no camera stay, and the camera as it was."""
        shot = self.shot
        if shot is None:
            return False
        self.trouble = ""
        try:
            document = make(self.session.document, shot.id)
        except AulmoError as error:
            self.session.trouble.emit(str(error))
            return False
        if solve:
            try:
                document = matching.solved(document, shot.id)
            except BadValue as error:
                self.trouble = str(error)
                if merge is None:
                    self.session.trouble.emit(str(error))
        self.session.apply(told, document, merge)
        if merge is None:
            self.session.history.end_merge()
        return True

    def mark(self, told: str, change: Callable[[Photograph], Photograph], solve: bool = False, merge: object = None) -> bool:
        """The same where only the photograph's own record changes."""
        return self.edit(told, lambda d, s: matching.put_photograph(d, s, change(matching.photograph_of(d, s)[1])), solve, merge)

    def fresh_merge(self) -> tuple[str, int]:
        """A key under which the moves of one drag become one step."""
        self._number += 1
        return ("photograph", self._number)

    def residual(self, line_id: str) -> float:
        """How far a line is off, px; NaN where that is not known."""
        found, photo = self.found(), self.photo
        if found is None or photo is None:
            return math.nan
        k = next((n for n, x in enumerate(photo.lines) if x.id == line_id), -1)
        return found.residuals[k] if 0 <= k < len(found.residuals) else math.nan

    def is_bad(self, line_id: str) -> bool:
        """Whether a line fits much worse than the others."""
        found, photo = self.found(), self.photo
        return found is not None and photo is not None and any(photo.lines[k].id == line_id for k in found.bad if k < len(photo.lines))
