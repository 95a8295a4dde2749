"""What a softbox is pulled, sized and turned by, on the flat map and in the picture alike: places of its outline, and what a pull on them does."""

import math
from typing import Protocol

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from aulmo.desk.shell import theme
from aulmo.desk.shell.session import Session
from aulmo.document.records import Softbox
from aulmo.light.dome_map import angles
from aulmo.light.softbox import angles_in, edge_places, frame, toward, within, wrapped
from aulmo.light.staying import from_world, in_world

GRASP = 8.0  # pixels around a grip
SIDES = {"right": (1.0, 0.0), "left": (-1.0, 0.0), "top": (0.0, 1.0), "bottom": (0.0, -1.0)}
LEAST, MOST = 0.5, 360.0


class Surface(Protocol):
    """What softboxes are seen on: directions (n, 3) become places (n, 2), NaN where they are not seen, and a place a direction."""

    def places(self, directions: np.ndarray) -> np.ndarray:
        """Where directions are seen."""

    def direction(self, x: float, y: float) -> np.ndarray:
        """What is seen at a place."""


def grips(box: Softbox, on: Surface) -> dict[str, tuple[float, float]]:
    """Where a softbox's sides and the knob it is turned by are seen."""
    found = {}
    for name, (x, y) in SIDES.items():
        place = on.places(toward(box, [x], [y]))[0]
        if np.isfinite(place).all():
            found[name] = (float(place[0]), float(place[1]))
    if "top" in found:
        middle = on.places(frame(box)[0][None])[0]
        away = np.array(found["top"]) - middle
        length = float(np.linalg.norm(away))
        if np.isfinite(length) and length > 1e-6:
            knob = np.array(found["top"]) + away / length * 16.0
            found["turn"] = (float(knob[0]), float(knob[1]))
    return found


def grip_at(box: Softbox, on: Surface, x: float, y: float) -> str:
    """What of a softbox lies under a point: a grip, "inside", or nothing."""
    near = [(math.hypot(gx - x, gy - y), name) for name, (gx, gy) in grips(box, on).items()]
    if near and min(near)[0] < GRASP:
        return min(near)[1]
    return "inside" if within(box, on.direction(x, y)[None])[0] else ""


def pulled(box: Softbox, grip: str, start: np.ndarray, now: np.ndarray, keeps: bool) -> Softbox:
    """The softbox after a pull on a grip from a direction to another. `keeps` keeps its shape, or turns it by steps of 15 degrees."""
    if grip == "inside":
        (a, e), (b, f) = angles(start), angles(now)
        azimuth, elevation = wrapped(box.azimuth + b - a), min(90.0, max(-90.0, box.elevation + f - e))
        return replace(box, azimuth=round(azimuth, 2), elevation=round(elevation, 2))
    if grip == "turn":
        _, right, up = frame(replace(box, turn=0.0))
        turn = math.degrees(math.atan2(float(now @ up), float(now @ right))) - 90.0
        return replace(box, turn=wrapped(round(turn / 15.0) * 15.0 if keeps else round(turn, 1)))
    x, y = (float(v[0]) for v in angles_in(box, now[None]))
    along = x if grip in ("left", "right") else y
    if not math.isfinite(along):
        return box
    size = min(MOST, max(LEAST, 2 * abs(along)))
    width, height = (size, box.height) if grip in ("left", "right") else (box.width, size)
    if keeps:
        share = width / box.width if grip in ("left", "right") else height / box.height
        width, height = (min(MOST, max(LEAST, v * share)) for v in (box.width, box.height))
    return replace(box, width=round(width, 2), height=round(height, 2))


def put(session: Session, world: Softbox, grip: str) -> bool:
    """Write what a pull on a grip changed; one drag is one step of undo. False when it was refused."""
    box = from_world(session.resolved, world, session.view)
    fields, word = {"inside": (("azimuth", "elevation", "turn"), "Moved"), "turn": (("turn",), "Turned")}.get(grip, (("width", "height"), "Sized"))
    return session.put({f"environment/softboxes/{box.id}/{name}": getattr(box, name) for name in fields}, True, f"{word} {box.name}")


def seen(session: Session) -> list[Softbox]:
    """The softboxes as they lie in the world, the lowest first, the chosen one last."""
    document, chosen = session.resolved, session.softbox
    boxes = [in_world(document, box, session.view) for box in document.environment.softboxes]
    return sorted(boxes, key=lambda b: chosen is not None and b.id == chosen.id)


def said(box: Softbox, grip: str) -> str:
    """The numbers that a pull changes, in words."""
    if grip == "inside":
        return f"azimuth {box.azimuth:.1f}°, elevation {box.elevation:.1f}°"
    return f"turned {box.turn:.0f}°" if grip == "turn" else f"{box.width:.1f}° × {box.height:.1f}°"


def draw(painter: QPainter, box: Softbox, on: Surface, chosen: bool, hot: bool, hidden=None) -> None:
    """Draw a softbox's outline, and the grips of a chosen one. `hidden` (n, 2) -> (n,) tells what stands before it."""
    t = theme.current()
    places = on.places(toward(box, *edge_places(box)))
    shown = np.isfinite(places).all(1)
    if hidden is not None and shown.any():
        shown[shown] &= ~hidden(places[shown])
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    colour = QColor(t.accent_hover) if chosen else QColor(255, 255, 255, 200 if hot else 120)
    if not box.on:
        colour.setAlpha(colour.alpha() // 2)
    for start, end in _runs(places, shown):
        line = QPolygonF([QPointF(*p) for p in places[start:end]])
        painter.setPen(QPen(QColor(0, 0, 0, 120), 3))
        painter.drawPolyline(line)
        painter.setPen(QPen(colour, 1.6 if chosen or hot else 1.1, Qt.PenStyle.DashLine if box.blend == "flag" else Qt.PenStyle.SolidLine))
        painter.drawPolyline(line)
    if chosen and not box.locked:
        found = grips(box, on)
        if "turn" in found and "top" in found:
            painter.setPen(QPen(colour, 1))
            painter.drawLine(QPointF(*found["top"]), QPointF(*found["turn"]))
        painter.setPen(QPen(QColor(0, 0, 0, 160), 1))
        painter.setBrush(QColor("#f0f0f0"))
        for name, place in found.items():
            if name == "turn":
                painter.drawEllipse(QPointF(*place), 3.5, 3.5)
            else:
                painter.drawRect(round(place[0]) - 3, round(place[1]) - 3, 6, 6)


def _runs(places: np.ndarray, shown: np.ndarray, leap: float = 60.0) -> list[tuple[int, int]]:
    """Stretches of a line that are seen, cut where it leaps round the map's edge."""
    cut = np.zeros(len(places) + 1, bool)
    cut[[0, -1]] = True
    cut[1:-1] = np.hypot(*(np.nan_to_num(np.diff(places, axis=0), nan=1e9)).T) > leap
    found, start = [], 0
    for k in range(1, len(places) + 1):
        if cut[k] or (k < len(places) and shown[k] != shown[k - 1]):
            if shown[start] and k - start > 1:
                found.append((start, k))
            start = k
    return found
