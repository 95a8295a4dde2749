"""What is mirrored where a highlight cannot be, and what can be done instead: a lamp there, a white card there, the next place where it can be."""

import math
from typing import NamedTuple

import numpy as np

from aulmo.document.quantity import show
from aulmo.errors import BadValue
from aulmo.trace.sight import MATT, Met, Sight

LIFT = 3e-5
FAR = 4.0  # sizes of the set from which on a floor lies at the horizon
RINGS, STEP = 24, 4.0  # pixels around a place within which another is looked for


class Mirrored(NamedTuple):
    """What a surface mirrors at a place: itself, the direction it mirrors, what stands there (None for nothing) and how far away, mm."""

    met: Met
    direction: np.ndarray
    thing: Met | None
    distance: float


class CannotAim(BadValue):
    """A highlight that cannot be; `mirrored` says why, `place` is the next one of the frame where it can be, if any."""

    def __init__(self, words: str, mirrored: Mirrored, place: tuple[float, float] | None) -> None:
        super().__init__(words)
        self.mirrored, self.place = mirrored, place


def mirrored_at(sight: Sight, met: Met, origin: np.ndarray) -> Mirrored:
    """What a surface that is met by a ray from `origin` mirrors."""
    way = met.point - np.asarray(origin, float)
    way = way / np.linalg.norm(way)
    direction = way - 2 * (way @ met.normal) * met.normal
    direction /= np.linalg.norm(direction)
    size = max(sight._size, float(np.abs(met.point).max()))
    thing = sight.look(met.point + met.flat * LIFT * size, direction)
    return Mirrored(met, direction, thing, float(np.linalg.norm(thing.point - met.point)) if thing is not None else math.inf)


def told(sight: Sight, seen: Mirrored) -> str:
    """Why no light from outside is mirrored there, in one sentence."""
    name, thing = sight.name(seen.met), seen.thing
    if thing is None:
        return f"The {name} is turned away there: what it mirrors is behind itself."
    other = sight.name(thing)
    if thing.number == seen.met.number:
        return f"The {name} mirrors itself there, {show(seen.distance, 'mm', 0)} away: no light from outside is seen in it."
    where = f"{show(seen.distance, 'mm', 0)} away"
    if other == "floor":
        where = "at the horizon" if seen.distance > FAR * sight._size else f"{where}, for it faces down" if seen.met.normal[2] < -0.05 else where
    return f"The {name} mirrors the {other} there, {where}: no light from outside is seen in it."


def next_place(sight: Sight, x: float, y: float, number: int) -> tuple[float, float] | None:
    """The nearest place of the same part at which light from outside can be mirrored by one mirror; None within reach."""
    for ring in range(1, RINGS + 1):
        radius = ring * STEP * (1 + ring / 12)
        for k in range(8 + 2 * ring):
            angle = 2 * math.pi * k / (8 + 2 * ring)
            px, py = x + radius * math.cos(angle), y + radius * math.sin(angle)
            if not (0 <= px < sight.width and 0 <= py < sight.height):
                continue
            origin, way = sight.ray(px, py)
            met = sight.look(origin, way)
            if met is None or met.number != number or sight.blur(met) >= MATT:
                continue
            seen = mirrored_at(sight, met, origin)
            if seen.thing is None and seen.direction @ met.flat > 0:
                return px, py
    return None


def refused(sight: Sight, x: float, y: float, met: Met) -> CannotAim:
    """The complaint that a highlight cannot be at a place where `met` is seen, with what can be instead."""
    origin, _ = sight.ray(x, y)
    seen = mirrored_at(sight, met, origin)
    return CannotAim(told(sight, seen), seen, next_place(sight, x, y, met.number))
