"""Drawing a path on the picture, and moving its points afterwards."""

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QColor, QKeyEvent, QPainter, QPen, QPolygonF

from aulmo.desk.picture.snap import caught
from aulmo.desk.picture.tools.tool import Tool
from aulmo.desk.prepare.measure_tool import length as words_of
from aulmo.desk.shell import theme
from aulmo.document import edits
from aulmo.document.made import paths
from aulmo.document.records import GuidePath
from aulmo.errors import BadValue
from aulmo.frame.camera import ray_through

GRASP = 9.0


def rounded(point) -> tuple[float, float, float]:
    """A point as the document holds it."""
    x, y, z = (float(round(v, 4)) for v in point)
    return x, y, z


class PathTool(Tool):
    """Clicks add points; a path that is selected is gone on with, and its points can be pulled."""

    name = "path"
    hint = "Click to add points, drag one to move it · Alt-click a piece: straight or bent · click the first to close · Return ends · Esc gives up"
    pointer = Qt.CursorShape.CrossCursor

    def __init__(self, picture) -> None:
        super().__init__(picture)
        self.points: list[tuple[float, float, float]] = []
        self.held: int | None = None
        self._over: np.ndarray | None = None
        self._number = 0

    def take(self) -> None:
        """A new path, unless one is selected."""
        self.points, self.held, self._over = [], None, None

    def put_away(self) -> None:
        """What was drawn is kept when it leads anywhere."""
        self.finish(False)
        self.picture.hush()

    @property
    def path(self) -> GuidePath | None:
        """The selected path."""
        subject = self.session.subject
        return self.session.document.paths.get(subject[6:]) if subject.startswith("paths/") else None

    def place(self, at: QPoint) -> np.ndarray | None:
        """The point under the cursor: on what is there, else on the floor's plane."""
        found = caught(self.picture, at)
        if found is not None:
            return found.point
        origin, way = ray_through(self.picture.wide_camera(), at.x() + 0.5, at.y() + 0.5, self.picture.width(), self.picture.height())
        height = self.session.resolved.floor.height
        if abs(way[2]) < 1e-9 or (height - origin[2]) / way[2] <= 0:
            return None
        return np.asarray(origin + way * ((height - origin[2]) / way[2]))

    def _near(self, at: QPoint, points) -> int | None:
        for k, point in enumerate(points):
            place = self.picture.place_on_screen(point)
            if np.hypot(place.x() - at.x(), place.y() - at.y()) < GRASP:
                return k
        return None

    def piece_at(self, at: QPoint) -> int | None:
        """The number of the point that the piece under the cursor begins at."""
        path = self.path
        if path is None or len(path.points) < 3:
            return None
        try:
            fine = paths.smooth_pieces(np.array(path.points, float), path.closed, paths.FINE, path.straights)
        except BadValue:
            return None
        away = []
        for piece in fine:
            seen = self.picture.places_on_screen(piece)
            away.append(float(np.where(seen[:, 2] > 0, np.hypot(seen[:, 0] - at.x(), seen[:, 1] - at.y()), np.inf).min()))
        return int(np.argmin(away)) if min(away) < 2 * GRASP else None

    def press(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Take a point, close, or add one."""
        self._number += 1
        path = self.path
        if path is not None and not self.points and modifiers & Qt.KeyboardModifier.AltModifier:
            piece = self.piece_at(at)
            if piece is not None and path.smooth:
                straights = tuple(k for k in path.straights if k != piece) if piece in path.straights else tuple(sorted((*path.straights, piece)))
                self._put(replace(path, straights=straights), f"A piece of {path.name} is {'straight' if piece in straights else 'bent'}")
            return
        if path is not None and not self.points:
            self.held = self._near(at, path.points)
            if self.held is None:
                point = self.place(at)
                if point is not None:
                    self._put(replace(path, points=(*path.points, rounded(point))), f"Point of {path.name}")
            return
        if len(self.points) > 2 and self._near(at, self.points[:1]) == 0:
            self.finish(True)
            self.session.set_tool("")
            return
        point = self.place(at)
        if point is None:
            self.session.hint.emit("Click on something, or below the horizon on the floor's plane")
            return
        self.points.append(rounded(point))
        self.picture.update()

    def drag(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Pull a point."""
        path = self.path
        if path is None or self.held is None:
            return
        point = self.place(at)
        if point is not None:
            points = tuple(rounded(point) if k == self.held else p for k, p in enumerate(path.points))
            self._put(replace(path, points=points), f"Moved a point of {path.name}")

    def release(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """Let go."""
        if self.held is not None:
            self.session.history.end_merge()
        self.held = None

    def _put(self, path: GuidePath, told: str) -> None:
        session = self.session
        session.attempt(lambda: session.apply(told, edits.put_path(session.document, path), ("path", self._number)))

    def finish(self, closed: bool) -> None:
        """Keep what was drawn."""
        points, self.points = self.points, []
        if len(points) < 2:
            return
        session = self.session
        name = edits.free_name("Path", (p.name for p in session.document.paths.values()))
        made = GuidePath(id=edits.new_id(), name=name, points=tuple(points), closed=closed)

        def run() -> None:
            session.apply(f"Drew {name}", edits.put_path(session.document, made))
            session.select((), f"paths/{made.id}")

        session.attempt(run)

    def key(self, event: QKeyEvent) -> bool:
        """Return ends; Backspace takes the last point; Esc gives up what was drawn."""
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            if len(self.points) == 1:
                self.session.trouble.emit("A path needs at least two points.")
                self.points = []
            self.finish(False)
            self.session.set_tool("")
            return True
        if event.key() == Qt.Key.Key_Backspace and self.points:
            self.points.pop()
            self.picture.update()
            return True
        if event.key() == Qt.Key.Key_Escape and self.points:
            self.points = []
            self.picture.update()
            return True
        return False

    def hover(self, at: QPoint) -> bool:
        """Where the next point would lie, and how long the path would be."""
        self._over = self.place(at)
        if self._over is None:
            self.picture.hush()
        else:
            points = self.points or (list(self.path.points) if self.path else [])
            try:
                drawn = GuidePath(id="", name="", points=(*points, rounded(self._over)), smooth=self.path.smooth if self.path else True)
                self.picture.say_at(at, "Next point", words_of(paths.length(drawn)))
            except BadValue:
                self.picture.say_at(at, "First point" if not points else "Next point", "")
        self.picture.update()
        return True

    def draw(self, painter: QPainter) -> None:
        """What is being drawn, up to the cursor."""
        points = [*self.points, *([rounded(self._over)] if self._over is not None and self.points else [])]
        if self.points:
            draw_path(self.picture, painter, GuidePath(id="", name="", points=tuple(points)), True)
        elif self.path is not None:
            draw_path(self.picture, painter, self.path, True)


def draw_path(picture, painter: QPainter, path: GuidePath, dots: bool) -> None:
    """A path over the picture; what lies behind the camera is left out."""
    try:
        line = paths.line(path)
    except BadValue:
        line = np.array(path.points, float).reshape(-1, 3)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    runs: list[list[QPointF]] = [[]]
    for x, y, ahead in picture.places_on_screen(line):
        if ahead > 0:
            runs[-1].append(QPointF(x, y))
        elif runs[-1]:
            runs.append([])
    for colour, width in (("#202020", 4.0), (theme.current().accent_hover if dots else "#d8d8d8", 2.0)):
        painter.setPen(QPen(QColor(colour), width))
        for run in runs:
            painter.drawPolyline(QPolygonF(run))
    if dots:
        painter.setPen(QPen(QColor("#202020"), 1.5))
        painter.setBrush(QColor("#f0f0f0"))
        for x, y, ahead in picture.places_on_screen(np.array(path.points, float).reshape(-1, 3)):
            if ahead > 0:
                painter.drawEllipse(QPointF(x, y), 4.5, 4.5)
