"""Where a new lamp goes, and how it is pointed: a photographer's first guess."""

import math
from typing import Any

import numpy as np
from msgspec.structs import replace

from aulmo.document.records import Camera, Lamp

WIDTH, AWAY = 0.35, 1.4  # of the set's size, that a new lamp is wide, and far from its middle
_STARTS: dict[str, dict] = {
    "distant": {"power": 3000.0, "unit": "lux", "angle": 2.0},
    "sun": {"power": 100_000.0, "unit": "lux", "angle": 0.53, "kelvin": 5500.0},
    "spot": {"power": 1500.0, "unit": "candela"},
    "tube": {"power": 2000.0},
}


def aimed_turn(position, target, roll: float = 0.0) -> tuple[float, float, float]:
    """Turn (degrees about x, y, z) that points a lamp's -z axis from a position to a target, its x axis level."""
    back = np.asarray(position, float) - np.asarray(target, float)
    length = float(np.linalg.norm(back))
    back = back / length if length > 1e-9 else np.array([0.0, 0.0, 1.0])
    tilt = math.degrees(math.acos(float(np.clip(back[2], -1, 1))))
    spin = math.degrees(math.atan2(back[0], -back[1])) if math.hypot(back[0], back[1]) > 1e-9 else roll
    return (round(tilt, 6), 0.0, round(spin, 6))


def aim_of(lamp: Lamp) -> np.ndarray:
    """(3,) unit direction a lamp shines in."""
    from aulmo.document.placement import turn_matrix

    return -turn_matrix(lamp.turn)[:, 2]


def pointed_at(lamp: Lamp, target) -> Lamp:
    """The lamp turned so that it shines at a point; a tube is turned broadside to it."""
    if lamp.kind == "tube":
        return lamp
    return replace(lamp, turn=aimed_turn(lamp.position, target))


def size_of(low, high) -> float:
    """How large a set between two corners is, mm."""
    return max(10.0, float(np.linalg.norm(np.asarray(high, float) - np.asarray(low, float))))


def studio_candela(distance_mm: float) -> float:
    """What a lamp so far away shines with that gives about what a 3000 lux studio dome does, so that it is seen at once, cd."""
    return 3000.0 * (distance_mm / 1000) ** 2


def new_lamp(kind: Any, name: str, lamp_id: str, low, high, camera: Camera) -> Lamp:
    """A lamp of a kind for a set between `low` and `high`: up on the camera's left and in front, shining at the middle.

    Its size follows the set's: a third of it across. A portal stands behind the set, facing it.
    """
    low, high = np.asarray(low, float), np.asarray(high, float)
    middle, size = 0.5 * (low + high), size_of(low, high)
    toward = np.array(camera.position) - np.array(camera.target)
    toward[2] = 0.0
    toward = toward / np.linalg.norm(toward) if np.linalg.norm(toward) > 1e-9 else np.array([0.0, -1.0, 0.0])
    left = np.array([toward[1], -toward[0], 0.0])
    direction = 0.75 * toward + 0.75 * left + np.array([0.0, 0.0, 0.8])
    if kind == "portal":
        direction = -toward + 0.2 * left
    position = middle + direction / np.linalg.norm(direction) * size * AWAY
    wide = float(f"{WIDTH * size:.2g}")
    sizes = {
        "rectangle": (wide, wide), "disc": (wide, wide), "ring": (wide, 0.6 * wide), "sphere": (0.4 * wide, wide), "tube": (0.12 * wide, 2 * wide),
        "point": (0.0, wide), "spot": (0.1 * wide, wide), "photometric": (0.1 * wide, wide), "portal": (2 * wide, 2 * wide),
    }  # fmt: skip
    width, height = sizes.get(kind, (wide, wide))
    lamp = Lamp(
        id=lamp_id,
        name=name,
        kind=kind,
        position=(round(float(position[0]), 3), round(float(position[1]), 3), round(float(position[2]), 3)),
        width=width,
        height=height,
        **_STARTS.get(kind, {}),
    )
    lamp = pointed_at(lamp, middle)
    if kind == "tube":
        lamp = replace(lamp, turn=(0.0, 0.0, float(round(math.degrees(math.atan2(left[1], left[0])), 3))))
    if kind not in ("distant", "sun", "portal"):
        candela = studio_candela(size * AWAY)
        per_candela = {"sphere": 4 * math.pi, "point": 4 * math.pi, "photometric": 4 * math.pi, "tube": math.pi**2}.get(kind, math.pi)
        power = candela if lamp.unit == "candela" else candela * per_candela
        lamp = replace(lamp, power=float(f"{power:.2g}"))
    return lamp
