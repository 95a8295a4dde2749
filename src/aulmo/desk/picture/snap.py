"""What a point of the picture is caught by: a corner, the middle of a circle, an edge or a face of a part, or the floor."""

from typing import Any, Collection, NamedTuple

import numpy as np
from PySide6.QtCore import QPoint, QPointF, QRectF
from PySide6.QtGui import QColor, QPainter, QPen

from aulmo.desk.shell import theme
from aulmo.document.lens import width_at
from aulmo.document.made.copies import source_of
from aulmo.document.placement import world_matrix
from aulmo.prepare.borders import Border, Circle, border_of, nearest_on
from aulmo.prepare.faces import faces_of_asset

REACH = 11.0  # pixels
MOST_TRIANGLES = 400_000  # of a mesh whose borders are looked for while the hand waits

_borders: dict[tuple[str, int], Border] = {}


class Caught(NamedTuple):
    """A point in the world and what it is, in words; the way the surface faces there; the part, None on the floor; the circle it is the middle
    of or lies on, in the world."""

    point: np.ndarray
    words: str
    normal: np.ndarray
    part: str | None
    circle: Circle | None = None


def border_at(picture: Any, part_id: str, face: int | None) -> Border | None:
    """The border of a face of a part, in its own mm; None where the mesh is too large to look."""
    document, assets = picture.session.document, picture.session.assets
    name = document.parts[source_of(document, part_id)].mesh
    if name is None or face is None or len(assets.mesh(name).triangles) > MOST_TRIANGLES:
        return None
    key = (name, face)
    if key not in _borders:
        if len(_borders) > 60:
            _borders.clear()
        _borders[key] = border_of(faces_of_asset(assets, name), face)
    return _borders[key]


def face_at(picture: Any, hit: Any) -> int | None:
    """The number of the face that was hit, by angle where the mesh has none."""
    if hit is None or hit.part is None:
        return None
    if hit.face is not None:
        return int(hit.face)
    numbers = picture.face_numbers(hit.instance)
    return int(numbers[hit.triangle]) if len(numbers) > hit.triangle else None


def caught(picture: Any, at: QPoint, but: Collection[str] = (), plain: bool = False) -> Caught | None:
    """What lies under a point of the widget, parts named in `but` left out; None for nothing. `plain` takes the very point, caught by nothing."""
    hit = picture.pick(at, but)
    if hit is None:
        return None
    if hit.part is None:
        return Caught(hit.point, "floor", hit.normal, None)
    here = Caught(hit.point, "face", hit.normal, hit.part)
    border = None if plain else border_at(picture, hit.part, face_at(picture, hit))
    if border is None:
        return here
    world = world_matrix(picture.session.resolved, hit.part)
    away = np.linalg.norm(hit.point - np.array(picture.session.view.position))
    camera = picture.wide_camera()
    scale = float(np.linalg.norm(world[:3, :3], axis=0).max())
    reach = REACH * width_at(camera, float(away)) / max(1, picture.width())
    to_world = lambda p: world[:3, :3] @ p + world[:3, 3]  # noqa: E731
    if len(border.corners):
        far = np.linalg.norm(border.corners - hit.own, axis=1) * scale
        k = int(np.argmin(far))
        if far[k] < reach:
            return Caught(to_world(border.corners[k]), "corner", hit.normal, hit.part)
    for circle in border.circles:
        centre = to_world(circle.centre)
        x, y = picture.place_on_screen(centre).x() - at.x(), picture.place_on_screen(centre).y() - at.y()
        if np.hypot(x, y) < REACH:
            return Caught(centre, "middle of the circle", hit.normal, hit.part, _moved(circle, world))
    for circle in border.circles:
        if np.linalg.norm(circle.points - hit.own, axis=1).min() * scale < reach:
            return Caught(to_world(circle.centre), "middle of the circle", hit.normal, hit.part, _moved(circle, world))
    if len(border.edges):
        point, far_off = nearest_on(border.edges, hit.own)
        if far_off * scale < reach:
            return Caught(to_world(point), "edge", hit.normal, hit.part)
    return here


def _moved(circle: Circle, world: np.ndarray) -> Circle:
    linear = world[:3, :3]
    points = circle.points @ linear.T + world[:3, 3]
    centre = linear @ circle.centre + world[:3, 3]
    normal = linear @ circle.normal
    return Circle(centre, normal / np.linalg.norm(normal), float(np.linalg.norm(points - centre, axis=1).mean()), points)


def mark(painter: QPainter, place: QPoint | QPointF, words: str) -> None:
    """Draw what a point is caught by: a square for a corner, a cross for a middle, a bar for an edge, a ring for a face."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    x, y = float(place.x()), float(place.y())
    for colour, width in (("#202020", 4.0), (theme.current().accent_hover, 2.0)):
        painter.setPen(QPen(QColor(colour), width))
        painter.setBrush(QColor(0, 0, 0, 0))
        if words == "corner":
            painter.drawRect(QRectF(x - 5, y - 5, 10, 10))
        elif words == "middle of the circle":
            painter.drawLine(QPointF(x - 7, y), QPointF(x + 7, y))
            painter.drawLine(QPointF(x, y - 7), QPointF(x, y + 7))
        elif words == "edge":
            painter.drawLine(QPointF(x - 6, y + 6), QPointF(x + 6, y - 6))
        else:
            painter.drawEllipse(QPointF(x, y), 4.5, 4.5)
