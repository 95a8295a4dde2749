"""What is wrong, drawn where it is: turned faces hatched, rims as lines, whole parts as boxes; a rim is closed by a click."""

from typing import Any

import numpy as np
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QBrush, QColor, QPainter, QPen, QPolygonF

from aulmo.desk.picture.overlay import Overlay
from aulmo.desk.prepare.bench_health import HealthBench
from aulmo.desk.shell import theme
from aulmo.document.meshes import corners_of
from aulmo.document.placement import world_matrix
from aulmo.document.quantity import show
from aulmo.prepare import arrange
from aulmo.prepare.health.findings import Finding
from aulmo.prepare.health.leaks import Leak

GRASP = 7.0  # pixels beside a rim within which it is taken
MOST_HATCHED = 4000  # triangles
EDGES = ((0, 1), (0, 2), (0, 4), (1, 3), (1, 5), (2, 3), (2, 6), (3, 7), (4, 5), (4, 6), (5, 7), (6, 7))  # of `corners_of`


class HealthMarks(Overlay):
    """Over the picture while Health is the face of Prepare's bench."""

    def __init__(self, picture: Any, bench: HealthBench) -> None:
        self.picture, self.session, self.bench = picture, picture.session, bench
        bench.marked.connect(picture.update)

    def shown(self) -> bool:
        """Only where one looks for what is wrong."""
        there = bool(self.bench.found or self.bench.leaks)
        return self.session.stage == "Prepare" and self.bench.isVisible() and there and not self.session.tool

    def draw(self, painter: QPainter) -> None:
        """Turned faces and rims, all of them; of the others that which is chosen."""
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        left = MOST_HATCHED
        for one in self.bench.found:
            chosen = one == self.bench.current
            if one.kind == "flipped" and left > 0:
                left -= self._hatch(painter, one, chosen, left)
            elif one.points:
                self._rim(painter, one, chosen)
            elif chosen:
                if one.cells:
                    self._hatch(painter, one, True, MOST_HATCHED)
                else:
                    self._box(painter, one)
        for leak in self.bench.leaks:
            self._slit(painter, leak)
        painter.restore()

    def _slit(self, painter: QPainter, leak: Leak) -> None:
        """An opening where it is, as long as it is, with its breadth in mm."""
        seen = self.picture.places_on_screen(np.array([*leak.ends, leak.at]))
        if not (seen[:, 2] > 0).all():
            return
        chosen = leak is self.bench.current
        for pen in (QPen(QColor(0, 0, 0, 150), 6), QPen(self._colour(chosen), 3)):
            painter.setPen(pen)
            painter.drawLine(QPointF(*seen[0, :2]), QPointF(*seen[1, :2]))
        painter.drawText(QPointF(seen[2, 0] + 8, seen[2, 1] - 6), show(leak.size_mm, "mm", 1))

    def _colour(self, chosen: bool) -> QColor:
        return QColor(theme.current().accent if chosen else theme.current().caution)

    def _hatch(self, painter: QPainter, one: Finding, chosen: bool, most: int) -> int:
        document, assets = self.session.document, self.session.assets
        part = document.parts.get(one.part)
        if part is None or part.mesh is None:
            return 0
        mesh, matrix = assets.mesh(part.mesh), world_matrix(document, part.id)
        cells = np.array([c for c in one.cells if c < len(mesh.triangles)][:most], np.int64)
        if not len(cells):
            return 0
        corners = mesh.vertices.astype(float)[mesh.triangles[cells]].reshape(-1, 3) @ matrix[:3, :3].T + matrix[:3, 3]
        seen = self.picture.places_on_screen(corners).reshape(-1, 3, 3)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QBrush(self._colour(chosen), Qt.BrushStyle.BDiagPattern))
        for triangle in seen[(seen[:, :, 2] > 0).all(1)]:
            painter.drawPolygon(QPolygonF([QPointF(x, y) for x, y, _ in triangle]))
        return len(cells)

    def _rim(self, painter: QPainter, one: Finding, chosen: bool) -> None:
        for pen in (QPen(QColor(0, 0, 0, 150), 5 if chosen else 4), QPen(self._colour(chosen), 2.4 if chosen else 1.6)):
            painter.setPen(pen)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            for a, b in self._lines(one):
                painter.drawLine(a, b)

    def _lines(self, one: Finding) -> list[tuple[QPointF, QPointF]]:
        seen = self.picture.places_on_screen(np.array(one.points))
        pairs = zip(seen, np.roll(seen, -1, 0)) if one.closed else zip(seen[::2], seen[1::2])
        return [(QPointF(a[0], a[1]), QPointF(b[0], b[1])) for a, b in pairs if a[2] > 0 and b[2] > 0]

    def _box(self, painter: QPainter, one: Finding) -> None:
        document = self.session.document
        for part_id, style in ((one.part, Qt.PenStyle.SolidLine), (one.other, Qt.PenStyle.DashLine)):
            box = arrange.bounds(document, self.session.assets, [part_id]) if part_id in document.parts else None
            if box is None:
                continue
            seen = self.picture.places_on_screen(corners_of(*box))
            painter.setPen(QPen(self._colour(part_id == one.part), 1.4, style))
            for a, b in EDGES:
                if seen[a, 2] > 0 and seen[b, 2] > 0:
                    painter.drawLine(QPointF(*seen[a, :2]), QPointF(*seen[b, :2]))

    # a click on a rim

    def at(self, x: float, y: float) -> str:
        """The rim under a point, as `rims/` and its number."""
        for number, one in enumerate(self.bench.found):
            if one.points and any(_far(x, y, a, b) < GRASP for a, b in self._lines(one)):
                return f"rims/{number}"
        return ""

    def words(self, address: str) -> tuple[str, str]:
        """What it is, and how large."""
        one = self.bench.found[int(address[5:])]
        title = "Gap" if one.kind == "open" else "Hole"
        return f"{title} · {show(one.size_mm, 'mm', 2)}", f"click closes it · {self.session.document.parts[one.part].name}"

    def press(self, at: QPoint) -> bool:
        """A click on a rim closes the hole or the gap."""
        found = self.at(at.x(), at.y())
        if not found:
            return False
        self.bench.mend([self.bench.found[int(found[5:])]])
        return True


def _far(x: float, y: float, a: QPointF, b: QPointF) -> float:
    """How far a point of the screen is from a line."""
    way = b - a
    share = ((x - a.x()) * way.x() + (y - a.y()) * way.y()) / max(way.x() ** 2 + way.y() ** 2, 1e-9)
    share = min(1.0, max(0.0, share))
    return float(np.hypot(a.x() + share * way.x() - x, a.y() + share * way.y() - y))


