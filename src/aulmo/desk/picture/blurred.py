"""How far things move from frame to frame as a shot's camera sees them, and over how many pixels they are blurred: told before anything is traced."""

import numpy as np

from aulmo.document.moments import shutter_of
from aulmo.document.records import Document, Shot
from aulmo.frame.camera import project
from aulmo.motion.lanes import name_of
from aulmo.motion.ready import middle_of
from aulmo.motion.recording import thing_of
from aulmo.motion.ways import camera_at, way

MOST_THINGS = 24


def blur_at(document: Document, shot: Shot, share: float) -> float:
    """How many pixels of a shot a thing is blurred over that moves by a share of its width from frame to frame; nothing where the shutter is shut."""
    camera = document.cameras[shot.camera]
    if not camera.motion_blur:
        return 0.0
    open_, shut = shutter_of(camera, document, 0.0)
    return share * shot.width * (shut - open_) * document.frames_per_second


def fast_at(document: Document, thing: str, camera_id: str, time: float, point=(0.0, 0.0, 0.0)) -> float:
    """By which share of the frame's width a thing moves from one frame to the next, as a camera sees it; of that camera itself, what it looks at."""
    step = 1.0 / document.frames_per_second
    one, other = camera_at(document, camera_id, time), camera_at(document, camera_id, time + step)
    if thing == f"cameras/{camera_id}":
        places = np.array([one.target, one.target])
    else:
        places = way(document, thing, np.array([time, time + step]), "position", point)
    seen = [project(camera, place[None], 1000, 750)[0] for camera, place in ((one, places[0]), (other, places[1]))]
    if min(s[2] for s in seen) <= 0:
        return 0.0
    return float(np.hypot(*(seen[1][:2] - seen[0][:2]))) / 1000


def most_blurred(document: Document, assets, shot: Shot, time: float) -> tuple[str, float]:
    """What is blurred over the most pixels of a shot at a time, by its name, and over how many; ("", 0) where nothing is."""
    if not document.cameras[shot.camera].motion_blur:
        return "", 0.0
    things = [thing_of(a) for a in document.keys] + [a for m in document.motions.values() if m.on for a in m.wears]
    found = ("", 0.0)
    for thing in list(dict.fromkeys(t for t in things if t.startswith(("parts/", "cameras/"))))[:MOST_THINGS]:
        kind, _, name = thing.partition("/")
        if name not in (document.parts if kind == "parts" else document.cameras) or (kind == "cameras" and name != shot.camera):
            continue
        point = middle_of(document, assets, name) if kind == "parts" else (0.0, 0.0, 0.0)
        pixels = blur_at(document, shot, fast_at(document, thing, shot.camera, time, point))
        if pixels > found[1]:
            found = (name_of(document, thing), pixels)
    return found
