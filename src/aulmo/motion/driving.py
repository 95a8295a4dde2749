"""A way driven by hand: how something with front wheels that steer goes on, and the path that comes of it."""

import math
from typing import NamedTuple

import numpy as np
from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.record_base import Triple
from aulmo.document.records import Document, GuidePath
from aulmo.motion import ready
from aulmo.motion.keys import put_keys

STEP = 1 / 50  # seconds from one place to the next
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


def drove(
    document: Document, part: str, places: list[tuple[float, float]], points, forward: np.ndarray, rear: tuple[float, float, float], start: float
) -> Document:  # fmt: skip
    """The document with a path where a part was driven, and the part on it at the pace it had: told four times a second."""
    path = GuidePath(edits.new_id(), edits.free_name("Driven", (p.name for p in document.paths.values())), points=points)
    made = edits.put_path(document, path)
    for motion in [m for m in made.motions.values() if m.kind == "follow" and f"parts/{part}" in m.wears]:
        made = ready.wear(made, motion.id, [f"parts/{part}"], on=False)
    gone = shares(places)
    length = (len(places) - 1) * STEP
    axis = tuple(float(v) for v in forward)
    ends = {"before": "even", "after": "even", "pace": pace_of(gone)}
    motion = ready.new_motion(made, part, "follow", start, length, path=path.id, axis=axis, centre=rear, **ends)
    made = ready.put_motion(made, motion)
    film = made.film
    if start + length > film.end:
        made = replace(made, film=replace(film, end=start + length, play_end=max(film.play_end, start + length)))
    return put_keys(made, f"parts/{part}/placement/position", [])


def pace_of(gone: np.ndarray) -> tuple[float, ...]:
    """Shares of the way at even times, four a second and no fewer than two."""
    count = max(2, round(len(gone) * STEP * 4) + 1)
    return tuple(float(round(v, 6)) for v in np.interp(np.linspace(0, len(gone) - 1, count), np.arange(len(gone)), gone))
