"""Putting light where it is wanted once it is known which way it has to come from: softboxes on the dome, lamps, strips along an edge."""

import math
from typing import Literal, NamedTuple

import numpy as np
from msgspec.structs import replace

from aulmo.document.records import Lamp, Softbox
from aulmo.errors import BadValue
from aulmo.light.place_lamp import aimed_turn
from aulmo.light.softbox import frame, placed

How = Literal["highlight", "facing", "shade"]
HOWS = ("highlight", "facing", "shade")


def lamp_along(lamp: Lamp, point, direction, keeps: Literal["distance", "height"] = "distance") -> Lamp:
    """The lamp seen from a point along a direction, shining at the point: as far from it as before, or as high as before where that can be."""
    point, direction = np.asarray(point, float), np.asarray(direction, float)
    if lamp.kind in ("distant", "sun"):
        return replace(lamp, turn=aimed_turn(point + direction, point))
    away = float(np.linalg.norm(np.array(lamp.position) - point))
    if keeps == "height" and abs(direction[2]) > 1e-6:
        up = (lamp.position[2] - point[2]) / direction[2]
        if 1.0 < up < 1e6:
            away = float(up)
    x, y, z = (point + max(1.0, away) * direction).round(6).tolist()
    turn = aimed_turn((x, y, z), point)
    if lamp.kind == "tube":  # broadside to the point, as level as it was
        turn = (0.0, 0.0, round(math.degrees(math.atan2(direction[1], direction[0])) + 90.0, 6))
    return replace(lamp, position=(x, y, z), turn=turn)


class Strip(NamedTuple):
    """A softbox bent along a stroke's mirror image, and the share 0..1 of the stroke that it covers."""

    box: Softbox
    covered: float


def strip_along(box: Softbox, directions: np.ndarray, widest: float = 40.0, margin: float = 1.5) -> Strip:
    """A softbox bent to the great circle that mirrored directions (n, 3) lie along, as long and as wide as they need.

    The circle is that of least squares: its pole is the direction least among them. `widest` is the most it may be wide, `margin` what
    it is larger than needed, in degrees. Raises BadValue when there are fewer than two directions.
    """
    if len(directions) < 2:
        raise BadValue("The stroke meets too little of the product to aim a strip along it.")
    d = directions / np.linalg.norm(directions, axis=1, keepdims=True)
    pole = np.linalg.svd(d, full_matrices=False)[2][-1] if len(d) > 2 else np.cross(d[0], d[1])
    if np.linalg.norm(pole) < 1e-9:
        pole = np.cross(d[0], [0.0, 0.0, 1.0])
    pole = pole / max(1e-12, float(np.linalg.norm(pole)))
    first = d.mean(0) - (d.mean(0) @ pole) * pole
    if np.linalg.norm(first) < 1e-3:
        first = d[0] - (d[0] @ pole) * pole
    first /= max(1e-12, float(np.linalg.norm(first)))
    along = np.cross(pole, first)
    lon = np.unwrap(np.arctan2(d @ along, d @ first))  # the stroke is one line: its image goes on without leaps
    lat = np.arcsin(np.clip(d @ pole, -1, 1))
    low, high = float(lon.min()), float(lon.max())
    middle = math.cos(0.5 * (low + high)) * first + math.sin(0.5 * (low + high)) * along
    right = np.cross(pole, middle)
    length = min(360.0, math.degrees(high - low) + 2 * margin)
    width = min(widest, 2 * math.degrees(float(np.abs(lat).max())) + 2 * margin)
    made = placed(replace(box, bent=True, shape="rectangle", width=round(length, 3), height=round(width, 3)), middle, right)
    return Strip(made, share_within(made, d))


def share_within(box: Softbox, directions: np.ndarray) -> float:
    """Share of directions (n, 3) that lie within a bent softbox's outline."""
    middle, right, up = frame(box)
    lon = np.abs(np.arctan2(directions @ right, directions @ middle))
    lat = np.abs(np.arcsin(np.clip(directions @ up, -1, 1)))
    inside = (lon <= math.radians(box.width / 2) + 1e-9) & (lat <= math.radians(box.height / 2) + 1e-9)
    return float(inside.mean()) if len(directions) else 0.0
