"""The ways of things through space: where they are at any time, their keys, how fast they go."""

from typing import NamedTuple

import numpy as np

from aulmo.document.moving import cameras
from aulmo.document.moving.going import SHINES
from aulmo.document.moving.movers import mover_of
from aulmo.document.moving.resolved import looking
from aulmo.document.moving.tracks import track
from aulmo.document.properties import get, is_there, with_values
from aulmo.document.records import Camera, Document


class Ring(NamedTuple):
    """A key of a place: its address, time, where it lies in the world."""

    address: str
    time: float
    place: np.ndarray


def camera_at(document: Document, camera_id: str, time: float) -> Camera:
    """A camera at a time, with its keys, motions and what it looks at."""
    values = {a: track(a, keys).at(time) for a, keys in document.keys.items() if keys and a.startswith(f"cameras/{camera_id}/")}
    mover = mover_of(document)
    camera = cameras.moved(mover, with_values(document, values).cameras[camera_id], mover.worn.get(f"cameras/{camera_id}", []), time)
    return looking(camera, mover.world(camera.looks_at, time)) if camera.looks_at in document.parts else camera


def moves(document: Document, thing: str) -> bool:
    """Whether a thing has keys or motions of its own that take it through space."""
    kind, _, name = thing.partition("/")
    fields = {"cameras": ("position", "target"), "parts": ("placement/position", "placement/turn"), "lamps": ("position",)}.get(kind, ())
    if not is_there(document, thing):
        return False
    keyed = any(f"{thing}/{f}" in document.keys or any(f"{thing}/{f}/{a}" in document.keys for a in "xyz") for f in fields)
    return keyed or any(m.on and thing in m.wears and m.kind not in SHINES for m in document.motions.values())


def way(document: Document, thing: str, times: np.ndarray, what: str = "position", point=(0.0, 0.0, 0.0)) -> np.ndarray:
    """(n, 3) where a thing is at times: a part by a `point` of its own axes, a camera by its "position" or its "target", a lamp by its place."""
    kind, _, name = thing.partition("/")
    if kind == "cameras":
        return np.array([getattr(camera_at(document, name, float(t)), what) for t in times])
    if kind == "parts":
        mover = mover_of(document)
        found = []
        for t in times:
            matrix = mover.world(name, float(t))
            found.append(matrix[:3, :3] @ np.array(point) + matrix[:3, 3])
        return np.array(found)
    address = f"{thing}/position"
    keys = document.keys.get(address, ())
    if keys:
        known = track(address, keys)
        return np.array([known.at(float(t)) for t in times])
    return np.tile(np.array(get(document, address), float), (len(times), 1))


def rings(document: Document, thing: str, what: str = "position", point=(0.0, 0.0, 0.0)) -> list[Ring]:
    """The keys of a thing's place, where they lie in the world."""
    kind = thing.partition("/")[0]
    address = f"{thing}/placement/position" if kind == "parts" else f"{thing}/{what}"
    keys = document.keys.get(address, ())[:500]
    if not keys:
        return []
    places = way(document, thing, np.array([k.time for k in keys]), what, point)
    return [Ring(address, k.time, place) for k, place in zip(keys, places)]


def into_key(document: Document, address: str, time: float, shift: np.ndarray) -> np.ndarray:
    """A shift in the world as the property of a key has it: in the axes of a part's parent as that stands then."""
    steps = address.split("/")
    if steps[0] != "parts":
        return shift
    parent = document.parts[steps[1]].parent
    return np.asarray(np.linalg.solve(mover_of(document).world(parent, time)[:3, :3], shift))


def speed(document: Document, thing: str, time: float, what: str = "position", point=(0.0, 0.0, 0.0)) -> float:
    """How fast a thing goes, mm a second."""
    step = 0.5 / document.frames_per_second
    one, other = way(document, thing, np.array([time - step, time + step]), what, point)
    return float(np.linalg.norm(other - one)) / (2 * step)
