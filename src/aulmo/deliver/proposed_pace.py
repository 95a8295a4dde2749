"""A pace for a camera's keys from what each of them shows: longer where there is much that has not been seen, and for a longer way between two."""

import math
from typing import Any, Callable, NamedTuple

import numpy as np
from msgspec.structs import replace

from aulmo.document.assets import AssetStore
from aulmo.document.moments import still
from aulmo.document.properties import resolve
from aulmo.document.records import Document, Shot
from aulmo.errors import BadValue
from aulmo.frame.camera import camera_axes, ray_through
from aulmo.motion.keys import put_keys, snapped
from aulmo.motion.recording import main_addresses
from aulmo.trace.pick import pick
from aulmo.trace.scene import SceneBuilder

ACROSS, DOWN = 28, 21  # rays through each key's picture
LEAST = 0.004  # share of the picture from which on a part counts as shown
FIRST_LOOK, NEW_PART, MOST_NEW = 0.4, 0.14, 10  # seconds at a key, for each part that is new there, of so many at most
SHORTEST, ALL_NEW, LONGEST = 0.7, 2.4, 5.0  # seconds of a way, for a picture that is another altogether, at most


class Look(NamedTuple):
    """What a key shows: the parts in its picture, as numbers over a grid of rays, the parts that count, and how it looks: place, aim, lens."""

    grid: np.ndarray
    parts: frozenset[str]
    ahead: np.ndarray
    distance: float
    focal_mm: float


def key_times(document: Document, camera_id: str) -> list[float]:
    """The times of a camera's keys of place, aim and lens."""
    found = {round(k.time, 6) for a in main_addresses([f"cameras/{camera_id}"]) for k in document.keys.get(a, ())}
    return sorted(found)


def look_at(document: Document, builder: SceneBuilder, shot: Shot, time: float) -> Look:
    """What a shot's camera shows at a time."""
    seen = resolve(document, {"shot": shot.id}, time)
    camera = seen.cameras[shot.camera]
    scene = builder.build(still(seen), False)
    numbers = {part: n for n, part in enumerate(scene.part_ids)}
    grid = np.full((DOWN, ACROSS), -1)
    for row in range(DOWN):
        for column in range(ACROSS):
            x, y = (column + 0.5) * shot.width / ACROSS, (row + 0.5) * shot.height / DOWN
            hit = pick(scene, *ray_through(camera, x, y, shot.width, shot.height))
            if hit is not None and hit.part is not None:
                grid[row, column] = numbers[hit.part]
    shown, counts = np.unique(grid[grid >= 0], return_counts=True)
    parts = frozenset(scene.part_ids[n] for n, c in zip(shown, counts) if c >= LEAST * grid.size)
    distance = float(np.linalg.norm(np.array(camera.target) - np.array(camera.position)))
    return Look(grid, parts, camera_axes(camera)[2], distance, camera.focal_length_mm)


def change_between(one: Look, other: Look) -> float:
    """How much another picture a look is than one before: the share of it that shows another part, and by how much it is turned, nearer or longer."""
    another = float((one.grid != other.grid).mean())
    turned = math.degrees(math.acos(float(np.clip(one.ahead @ other.ahead, -1, 1)))) / 60.0
    nearer = abs(math.log2(max(other.distance, 1e-6) / max(one.distance, 1e-6)))
    longer = abs(math.log2(other.focal_mm / one.focal_mm))
    return min(2.0, 0.6 * another + 0.5 * turned + 0.3 * (nearer + longer))


def proposed(document: Document, assets: AssetStore, shot: Shot, tell: Callable[[str, float], Any] = lambda words, share: True) -> Document:
    """The document with the keys of a shot's camera at the pace that what they show asks for: each rests by how much is new in it, each way is as
    long as its pictures are different. The film becomes longer where it has to. Raises BadValue for fewer than two keys."""
    times = key_times(document, shot.camera)
    if len(times) < 2:
        raise BadValue(f"{document.cameras[shot.camera].name} needs two keys or more for a pace; turn the view while Record is on, or press K.")
    builder = SceneBuilder(assets)
    looks = []
    for n, time in enumerate(times):
        if tell(f"Looking at key {n + 1} of {len(times)}", n / len(times)) is False:
            return document
        looks.append(look_at(document, builder, shot, time))
    known: set[str] = set()
    at, when, rests = times[0], {}, {}
    for n, (time, look) in enumerate(zip(times, looks)):
        new = len(look.parts - known)
        known |= look.parts
        when[time] = snapped(document, at)
        rests[time] = snapped(document, document.film.start + FIRST_LOOK + NEW_PART * min(MOST_NEW, new)) - document.film.start
        if n + 1 < len(times):
            at = when[time] + rests[time] + min(LONGEST, SHORTEST + ALL_NEW * change_between(look, looks[n + 1]))
    for address in main_addresses([f"cameras/{shot.camera}"]):
        held = document.keys.get(address, ())
        if held:
            made = []
            for k in held:
                nearest = min(times, key=lambda t, k=k: abs(t - k.time))  # type: ignore[misc]
                made.append(replace(k, time=when[nearest], rest=rests[nearest], before="eased", after="eased" if k.after != "held" else "held"))
            document = put_keys(document, address, made)
    end = snapped(document, when[times[-1]] + rests[times[-1]])
    film = document.film
    if end > film.end:
        film = replace(film, end=end, play_end=max(film.play_end, end))
    return replace(document, film=film)
