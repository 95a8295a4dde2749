"""A way driven by hand: how something with front wheels that steer goes on, and the path that comes of it."""

import math
from typing import NamedTuple

import numpy as np

from aulmo.document.record_base import Triple

MOST_STEER = 32.0  # degrees
TURNS_IN, TURNS_BACK = 60.0, 90.0  # degrees a second that the wheels are turned, and come back


class Driven(NamedTuple):
    """Where something is that is driven: the middle of its rear axle on the floor (mm), its heading, its speed (mm/s), how its front wheels stand."""

    x: float
    y: float
    heading: float
    speed: float = 0.0
    steer: float = 0.0


def driven(now: Driven, ahead: int, side: int, step: float, base_mm: float, fastest: float) -> Driven:
    """The next moment, `step` seconds later: faster (1), braking or backward (-1) or rolling out (0), steered left (1), right (-1) or straight.

    The rear axle follows, the front wheels lead over a wheel base (the bicycle model; Kong et al. 2015, "Kinematic and dynamic vehicle models").
    """
    gain = fastest / 1.2
    speed = now.speed + ahead * gain * step if ahead else now.speed * math.exp(-step / 0.9)
    speed = min(fastest, max(-0.4 * fastest, speed))
    if side:
        steer = min(MOST_STEER, max(-MOST_STEER, now.steer + side * TURNS_IN * step))
    else:
        steer = math.copysign(max(0.0, abs(now.steer) - TURNS_BACK * step), now.steer)
    turned = speed * math.tan(math.radians(steer)) / max(base_mm, 1.0) * step
    middle = math.radians(now.heading) + 0.5 * turned
    x, y = now.x + speed * step * math.cos(middle), now.y + speed * step * math.sin(middle)
    return Driven(x, y, now.heading + math.degrees(turned), speed, steer)


def thinned(places: list[tuple[float, float]], apart: float, height: float = 0.0) -> tuple[Triple, ...]:
    """The points of a path along places that were driven through, about so far apart; fewer than two where nothing moved."""
    kept: list[Triple] = []
    last = None
    for x, y in places:
        if last is None or math.dist(last, (x, y)) >= apart:
            last = (x, y)
            kept.append((round(x, 2), round(y, 2), height))
    if places and kept and math.dist(places[-1], kept[-1][:2]) > 0.25 * apart:
        kept.append((round(places[-1][0], 2), round(places[-1][1], 2), height))
    return tuple(kept) if len(kept) > 1 else ()


def shares(places: list[tuple[float, float]]) -> np.ndarray:
    """(n,) how much of the way has been gone at each of the places."""
    steps = np.hypot(*np.diff(np.array(places), axis=0).T) if len(places) > 1 else np.zeros(0)
    run = np.concatenate([[0.0], np.cumsum(steps)])
    return run / run[-1] if run[-1] > 0 else run
