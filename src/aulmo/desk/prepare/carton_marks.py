"""A carton on the picture: the panel under the cursor and the one that is chosen, the crease it hangs on, and a handle that folds it."""

from typing import Any

import numpy as np
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from aulmo.desk.picture.overlay import Overlay
from aulmo.desk.picture.snap import face_at
from aulmo.desk.prepare.bench_carton import CartonBench
from aulmo.desk.shell import theme
from aulmo.document.made import carton as folding
from aulmo.document.made.carton_hinge import Hinge
from aulmo.document.placement import world_matrix
from aulmo.document.quantity import show
from aulmo.document.records import Carton
from aulmo.prepare.carton.meeting import clearance

GRASP = 10.0
ARC_MOST = 180


class CartonMarks(Overlay):
    """Over the picture while Carton is the face of Prepare's bench."""

    def __init__(self, picture: Any, bench: CartonBench) -> None:
        self.picture, self.session, self.bench = picture, picture.session, bench
        self._pulled = False
        self._knob: tuple[float, float] | None = None
        bench.pointed.connect(picture.update)
        bench.panel_changed.connect(picture.update)

    def shown(self) -> bool:
        """Only where a carton is worked on."""
        return self.session.stage == "Prepare" and self.bench.isVisible() and not self.session.tool and self._folded()

    def _folded(self) -> bool:
        carton = self.bench.carton()
        return carton is not None and carton.form == "folded"

    def _now(self) -> tuple[Carton, np.ndarray, np.ndarray]:
        """The carton as it is now, its panels' matrices in the world, and the part's own."""
        part = self.bench.part()
        document = self.session.as_now
        carton = document.parts[part].carton
        assert carton is not None
        world = world_matrix(document, part)
        return carton, world @ folding.folded_of_name(folding.name_of_mesh(carton)).panels, world

    def _hinge(self, carton: Carton, panel: int) -> Hinge | None:
        made = folding.ready_of(carton)
        return next((h for h in made.hinges if h.child == panel), None)

    def panel_under(self, x: float, y: float) -> int:
        """The panel of the carton under a point of the picture, or -1."""
        hit = self.picture.pick(QPoint(round(x), round(y)))
        part = self.bench.part()
        if hit is None or hit.part is None or self.picture.stored(hit.part) != part:
            return -1
        face = face_at(self.picture, hit)
        carton = self.bench.carton()
        if face is None or carton is None:
            return -1
        number = face // 4
        if number < len(carton.names):
            return number
        crease = number - len(carton.names)
        made = folding.ready_of(carton)
        return next((h.child for h in made.hinges if h.crease == crease), -1)

    def at(self, x: float, y: float) -> str:
        """The panel under the cursor, lit in both."""
        panel = self.panel_under(x, y)
        self.bench.point_at(panel)
        return f"parts/{self.bench.part()}/carton/{panel}" if panel >= 0 else ""

    def words(self, address: str) -> tuple[str, str]:
        """What the panel is, how far it is folded, what it folds with, and what it clears."""
        carton, _, _ = self._now()
        panel = int(address.rpartition("/")[2])
        return self._told(carton, panel)

    def _told(self, carton: Carton, panel: int) -> tuple[str, str]:
        fold = folding.fold_of(carton)
        made = folding.ready_of(carton)
        hinge = next((h for h in made.hinges if h.child == panel), None)
        name = carton.names[panel] if panel < len(carton.names) else f"Panel {panel + 1}"
        words = [f"board {show(carton.thickness, 'mm', 2)}"]
        if hinge is not None:
            crease_id = made.flat.creases[hinge.crease].id
            words.insert(0, f"folds with {next(c.group for c in carton.creases if c.id == crease_id)}")
            name += f" · {fold.now[hinge.crease]:.0f}°"
        near = clearance(made, folding.placed(made, np.array(fold.now), folding.shifts_now(made, fold)), panel, carton.thickness)
        if near is not None and near[1] < 50:
            other = carton.names[near[0]]
            words.append(f"clears {other} by {show(near[1], 'mm', 2)}" if near[1] > -0.05 else f"goes {show(-near[1], 'mm', 2)} into {other}")
        return name, " · ".join(words)

    # drawing

    def draw(self, painter: QPainter) -> None:
        """Outlines, the crease, the handle on its arc."""
        carton, places, _ = self._now()
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._knob = None
        made = folding.ready_of(carton)
        for panel, wide in ((self.bench.view.hot, 1.4), (self.bench.panel, 2.4)):
            if 0 <= panel < len(made.flat.panels):
                self._outline(painter, made.flat.panels[panel].rings[0], places[panel], wide)
        hinge = self._hinge(carton, self.bench.panel)
        if hinge is not None:
            self._handle(painter, carton, places, hinge)
        painter.restore()

    def _outline(self, painter: QPainter, ring: Any, place: np.ndarray, wide: float) -> None:
        points = np.column_stack([np.array(ring), np.zeros(len(ring))]) @ place[:3, :3].T + place[:3, 3]
        seen = self.picture.places_on_screen(points)
        if not (seen[:, 2] > 0).all():
            return
        shape = QPolygonF([QPointF(x, y) for x, y, _ in seen])
        ground = QColor(theme.current().accent)
        ground.setAlpha(36)
        painter.setBrush(ground)
        painter.setPen(QPen(QColor(theme.current().accent_text), wide))
        painter.drawPolygon(shape)

    def _arc(self, carton: Carton, places: np.ndarray, hinge: Hinge, degrees: np.ndarray) -> np.ndarray:
        """(n, 3) places of the handle for angles of the crease."""
        flat = folding.ready_of(carton).flat
        ring = np.array(flat.panels[hinge.child].rings[0])
        along = 0.5 * ((ring - hinge.at) @ hinge.along).min() + 0.5 * ((ring - hinge.at) @ hinge.along).max()
        point = np.append(hinge.at + along * hinge.along + float(((ring - hinge.at) @ hinge.out).max()) * hinge.out, [0.0, 1.0])
        return np.array([(places[hinge.parent] @ folding.turn_about(hinge, float(d)) @ point)[:3] for d in degrees])

    def _handle(self, painter: QPainter, carton: Carton, places: np.ndarray, hinge: Hinge) -> None:
        t = theme.current()
        ends = np.array([[*hinge.at, 0.0, 1.0], [*(hinge.at + hinge.length * hinge.along), 0.0, 1.0]]) @ places[hinge.parent].T
        seen = self.picture.places_on_screen(ends[:, :3])
        if (seen[:, 2] > 0).all():
            painter.setPen(QPen(QColor(t.accent_text), 3.0, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
            painter.drawLine(QPointF(*seen[0, :2]), QPointF(*seen[1, :2]))
        now = folding.fold_of(carton).now[hinge.crease]
        sweep = np.linspace(0.0, now if abs(now) > 1 else 1.0, 24)
        arc = self.picture.places_on_screen(self._arc(carton, places, hinge, np.append(sweep, now)))
        if not (arc[:, 2] > 0).all():
            return
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(t.accent), 2.0))
        painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y, _ in arc[:-1]]))
        self._knob = (float(arc[-1, 0]), float(arc[-1, 1]))
        painter.setBrush(QColor("#f4f4f4"))
        painter.setPen(QPen(QColor(0, 0, 0, 150), 1.5))
        painter.drawEllipse(QPointF(*self._knob), 6.5, 6.5)

    # the hand

    def press(self, at: QPoint) -> bool:
        """The handle is taken, or a panel chosen."""
        if self._knob is not None and np.hypot(at.x() - self._knob[0], at.y() - self._knob[1]) < GRASP:
            self._pulled = True
            return True
        panel = self.panel_under(at.x(), at.y())
        if panel >= 0:
            self.bench.choose(panel)
        return panel >= 0

    def drag(self, at: QPoint, modifiers: Qt.KeyboardModifier) -> None:
        """The panel follows the hand; Ctrl catches every 15 degrees."""
        if not self._pulled:
            return
        carton, places, _ = self._now()
        hinge = self._hinge(carton, self.bench.panel)
        if hinge is None:
            return
        degrees = np.arange(-ARC_MOST, ARC_MOST + 1.0)
        seen = self.picture.places_on_screen(self._arc(carton, places, hinge, degrees))
        now = folding.fold_of(carton).now[hinge.crease]
        off = np.hypot(seen[:, 0] - at.x(), seen[:, 1] - at.y()) + 0.05 * np.abs(degrees - now)
        angle = float(degrees[int(np.argmin(np.where(seen[:, 2] > 0, off, np.inf)))])
        if modifiers & Qt.KeyboardModifier.ControlModifier:
            angle = 15.0 * round(angle / 15.0)
        self.fold_to(angle, True)

    def fold_to(self, angle: float, busy: bool) -> None:
        """Fold the chosen panel's crease to an angle as it is seen now: where the carton is half closed, what it comes to when closed follows."""
        part, carton = self.bench.part(), self.bench.carton()
        hinge = self._hinge(carton, self.bench.panel) if carton is not None else None
        if carton is None or hinge is None:
            return
        made = folding.ready_of(carton)
        crease = next(c for c in carton.creases if c.id == made.flat.creases[hinge.crease].id)
        there = folding.angle_now(crease, self.session.as_now.parts[part].carton.folded)
        share = there / crease.angle if abs(crease.angle) > 1e-6 else 1.0
        wanted = angle / share if share > 0.05 else angle
        self.session.put({f"parts/{part}/carton/creases/{crease.id}/angle": float(np.clip(wanted, -180.0, 180.0))}, busy)

    def release(self, at: QPoint) -> None:
        """It is let go."""
        if self._pulled:
            self.session.history.end_merge()
        self._pulled = False
