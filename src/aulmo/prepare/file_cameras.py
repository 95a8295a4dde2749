"""Cameras that a file holds, as ours."""

import math
from typing import Sequence

import numpy as np

from aulmo.document import edits
from aulmo.document.records import Camera

MOST = 200  # of one file


def noted(name: str, matrix: np.ndarray, fov_x: float = 0.0, span_mm: float = 0.0) -> dict | None:
    """A camera as a reading process tells of it: where it stands in the file (4, 4) in mm, looking along its own -z with y up; how wide it sees in
    radians, or how many mm across when it is a parallel one. None for one that cannot be."""
    good = np.isfinite(matrix).all() and (0.001 < fov_x < 3.1 or 0 < span_mm < 1e9)
    return {"name": name, "matrix": matrix.tolist(), "fov_x": fov_x, "span_mm": span_mm} if good else None


def placed_in_file(nodes: Sequence[dict], number: int) -> np.ndarray:
    """(4, 4) where a node of a file stands in the file, by the nodes above it."""
    matrix = np.eye(4)
    while number >= 0:
        matrix = np.array(nodes[number]["matrix"]) @ matrix
        number = nodes[number]["parent"]
    return matrix


def cameras(told: Sequence[dict], turn: np.ndarray, far_mm: float) -> list[Camera]:
    """Cameras of a file whose upward axis is turned to z by `turn` (4, 4); what they look at lies `far_mm` ahead."""
    out = []
    names = edits.Names()
    for one in told[:MOST]:
        matrix = turn @ np.array(one["matrix"], float).reshape(4, 4)
        eye, ahead, up = matrix[:3, 3], -matrix[:3, 2], matrix[:3, 1]
        ahead = ahead / max(1e-30, float(np.linalg.norm(ahead)))
        made = Camera(id=edits.new_id(), name=names.free(one["name"] or "Camera"), position=_triple(eye), target=_triple(eye + ahead * far_mm))
        if one["span_mm"] > 0:
            made = edits.replace(made, projection="parallel", span_mm=float(one["span_mm"]))
        else:
            made = edits.replace(made, focal_length_mm=float(np.clip(made.sensor_mm / 2 / math.tan(one["fov_x"] / 2), 1.0, 10_000.0)))
        out.append(edits.replace(made, roll=_roll(ahead, up)))
    return out


def moved(camera: Camera, change: np.ndarray) -> Camera:
    """A camera carried along by a rigid (4, 4) in the world."""
    place = lambda p: _triple(change[:3, :3] @ np.array(p) + change[:3, 3])  # noqa: E731
    return edits.replace(camera, position=place(camera.position), target=place(camera.target))


def _roll(ahead: np.ndarray, up: np.ndarray) -> float:
    """By how many degrees a camera is rolled from upright."""
    level = np.cross(ahead, (0.0, 0.0, 1.0))
    if np.linalg.norm(level) < 1e-6:
        return 0.0
    level /= np.linalg.norm(level)
    right = np.cross(ahead, up)
    return round(math.degrees(math.atan2(float(right @ np.cross(level, ahead)), float(right @ level))), 6) + 0.0


def _triple(v: np.ndarray) -> tuple[float, float, float]:
    return float(v[0]), float(v[1]), float(v[2])
