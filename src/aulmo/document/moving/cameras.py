"""Motions of cameras: orbits, dollies, zooms that keep the size, flights through saved views."""

import numpy as np
from msgspec.structs import replace

from aulmo.document.film_records import Motion
from aulmo.document.moving.curves import between, walk
from aulmo.document.moving.going import ROUND, degrees_at, going
from aulmo.document.moving.mover import Mover, about, shaken, shifted, unit
from aulmo.document.records import Camera


def moved(mover: Mover, camera: Camera, motions: list[Motion], time: float) -> Camera:
    """A camera with its motions, one after the other."""
    for motion in motions:
        done = going(motion, time)
        if done is not None:
            camera = _with(mover, camera, motion, done, time)
    return camera


def _with(mover: Mover, camera: Camera, motion: Motion, done: float, time: float) -> Camera:
    place, target = np.array(camera.position, float), np.array(camera.target, float)
    ahead = target - place
    away = float(np.linalg.norm(ahead))
    document = mover.document
    if motion.kind in (*ROUND, "swing"):
        middle = np.array(motion.centre, float) if motion.centre is not None else target
        return _carried(camera, about(unit(motion.axis), degrees_at(motion, done), middle))
    if motion.kind in ("slide", "lift"):
        return _carried(camera, shifted(unit(motion.axis) * done * motion.distance_mm))
    if motion.kind == "dolly":
        nearer = min(done * motion.distance_mm, away - 1e-3)
        return replace(camera, position=_triple(place + unit(ahead) * nearer))
    if motion.kind == "zoom":
        focal = camera.focal_length_mm * (motion.lens_mm / camera.focal_length_mm) ** done
        return replace(camera, focal_length_mm=focal, position=_triple(target - ahead * (focal / camera.focal_length_mm)))
    if motion.kind == "fly":
        return _flown([document.cameras[i] for i in motion.cameras if i in document.cameras], camera, done)
    if motion.kind == "shake":
        push, turns = shaken(motion, time)
        camera = _carried(camera, shifted(push))
        right = unit(np.cross(ahead, (0.0, 0.0, 1.0)) if abs(unit(ahead)[2]) < 0.999 else (1.0, 0.0, 0.0))
        matrix = about(right, float(turns[0]), place + push) @ about(np.array([0.0, 0.0, 1.0]), float(turns[2]), place + push)
        return replace(_carried(camera, matrix), position=camera.position, roll=camera.roll + float(turns[1]))
    if motion.kind == "follow" and motion.path in document.paths:
        on = mover.on_path(motion, done)
        place = on[:3, 3]
        target = place + on[:3, 0] * max(away, 1.0) if motion.faces else target
        return replace(camera, position=_triple(place), target=_triple(target))
    if motion.kind == "follow" and motion.leader in document.parts:
        return _carried(camera, mover.world(motion.leader, time) @ np.linalg.inv(mover.rest(motion.leader)))
    return camera


def _triple(values: np.ndarray) -> tuple[float, float, float]:
    x, y, z = (float(v) for v in values)
    return x, y, z


def _carried(camera: Camera, matrix: np.ndarray) -> Camera:
    place, target = (_triple(matrix[:3, :3] @ np.array(p) + matrix[:3, 3]) for p in (camera.position, camera.target))
    return replace(camera, position=place, target=target)


def _flown(views: list[Camera], camera: Camera, done: float) -> Camera:
    """Through saved views on arcs, at one pace from the first to the last; lens, roll and focus go along."""
    if not views:
        return camera
    if len(views) == 1:
        return replace(views[0], id=camera.id, name=camera.name)
    ways = {}
    for name in ("position", "target"):
        p = [np.array(getattr(v, name), float) for v in views]
        ways[name] = [walk(between(p[k - 1] if k else None, p[k], p[k + 1], p[k + 2] if k + 2 < len(p) else None)) for k in range(len(p) - 1)]
    lengths = np.array([max(w.length, t.length, 1e-6) for w, t in zip(ways["position"], ways["target"])])
    run = np.concatenate([[0.0], np.cumsum(lengths)])
    at = min(max(done, 0.0), 1.0) * run[-1]
    k = min(int(np.searchsorted(run, at, "right")) - 1, len(lengths) - 1)
    share = float((at - run[k]) / lengths[k])
    one, other = views[k], views[k + 1]
    focal = one.focal_length_mm * (other.focal_length_mm / one.focal_length_mm) ** share
    mixed = {f: getattr(one, f) + share * (getattr(other, f) - getattr(one, f)) for f in ("roll", "focus", "exposure_stops", "shift_x", "shift_y")}
    return replace(
        camera, position=_triple(ways["position"][k].at(share)), target=_triple(ways["target"][k].at(share)), focal_length_mm=focal, **mixed
    )  # fmt: skip
