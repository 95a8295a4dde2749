"""A softbox as a lamp in the scene, and back: as large, as bright and as warm as it was seen."""

import math
from typing import Any

import numpy as np
from msgspec.structs import replace

from aulmo.document.placement import angles_of, turn_matrix
from aulmo.document.records import Lamp, Softbox
from aulmo.errors import BadValue
from aulmo.light.softbox import WHITE_NITS, frame, nits, placed

WIDEST = 150.0  # degrees that a flat lamp can fill


def lamp_of(box: Softbox, middle, distance: float, lamp_id: str) -> Lamp:
    """A rectangle, disc or ring at a distance from a point that looks from there as the softbox did."""
    toward, right, up = frame(box)
    x, y, z = (np.asarray(middle, float) + distance * toward).round(6).tolist()
    a, b, c = angles_of(np.stack([right, up, toward], 1)[None])[0].tolist()  # a lamp shines along its own -z
    width, height = (2 * distance * math.tan(math.radians(min(WIDEST, size) / 2)) for size in (box.width, box.height))
    kind: Any = {"round": "disc", "ring": "ring", "half": "disc", "polygon": "disc"}.get(box.shape, "rectangle")
    if kind != "rectangle":
        width = math.sqrt(width * height)
        height = width * box.inner if kind == "ring" else width
    return Lamp(
        lamp_id, box.name, kind, (x, y, z), (a, b, c), round(width, 4), round(height, 4), nits(box) * box.opacity, "nit", 0.0, box.kelvin,
        box.colour, on=box.on, group=box.group or box.name,
    )  # fmt: skip


def softbox_of(lamp: Lamp, middle, box_id: str) -> Softbox:
    """A softbox that looks from a point as the lamp does. Raises BadValue for a lamp without a face."""
    away = np.array(lamp.position) - np.asarray(middle, float)
    distance = float(np.linalg.norm(away))
    if lamp.kind not in ("rectangle", "disc", "ring", "sphere", "tube") or distance < 1e-6:
        raise BadValue(f"{lamp.name} has no face that could be a softbox.")
    x, y, z = turn_matrix(lamp.turn).T
    width, height = (lamp.width, lamp.height) if lamp.kind in ("rectangle", "tube") else (lamp.width, lamp.width)
    if lamp.kind == "tube":
        width, height = lamp.height, lamp.width
    facing = 1.0 if lamp.kind in ("sphere", "tube") else max(0.05, abs(float(away @ z) / distance))
    angle = lambda size: min(170.0, max(0.05, 2 * math.degrees(math.atan(size / 2 / distance))))  # noqa: E731
    shape: Any = {"rectangle": "rectangle", "tube": "rectangle", "ring": "ring"}.get(lamp.kind, "round")
    box = Softbox(
        box_id, lamp.name, shape=shape, width=angle(width), height=angle(height * facing), kelvin=min(12000.0, max(1700.0, lamp.kelvin)),
        colour=lamp.colour, on=lamp.on, group=lamp.group, edge=0.0, hot=0.0, corner=0.0,
        inner=min(0.99, lamp.height / lamp.width) if lamp.kind == "ring" and lamp.width > 0 else 0.6,
    )  # fmt: skip
    return placed(replace(box, stops=round(math.log2(max(1e-9, luminance_of(lamp) / WHITE_NITS)), 4)), away, x)


def luminance_of(lamp: Lamp) -> float:
    """Nits of a lamp's face before its colour, as the renderer has it."""
    w, h = lamp.width / 2000.0, lamp.height / 2000.0
    ring = math.pi * (w * w - min(h, w) ** 2)
    area = {"rectangle": 4 * w * h, "tube": 4 * w * h, "ring": ring}.get(lamp.kind, math.pi * w * w)
    power = lamp.power * 2.0**lamp.stops
    if lamp.unit == "nit":
        return power
    candela = power / {"sphere": 4 * math.pi, "tube": math.pi**2}.get(lamp.kind, math.pi) if lamp.unit == "lumen" else power
    return candela / max(1e-12, area)
