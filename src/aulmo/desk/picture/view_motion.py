"""How the hand moves a camera: turn about a point, slide, go nearer, change the lens without changing the subject's size."""

import math

import numpy as np
from msgspec.structs import replace

from aulmo.document.placement import turn_matrix
from aulmo.document.records import Camera
from aulmo.frame.camera import camera_axes


def _triple(v) -> tuple[float, float, float]:
    return (float(round(v[0], 6)), float(round(v[1], 6)), float(round(v[2], 6)))


def _about(axis: np.ndarray, degrees: float) -> np.ndarray:
    """Rotation about a unit axis (Rodrigues)."""
    x, y, z = axis
    k = np.array([[0, -z, y], [z, 0, -x], [-y, x, 0]])
    a = math.radians(degrees)
    return np.eye(3) + math.sin(a) * k + (1 - math.cos(a)) * k @ k


def orbit(camera: Camera, pivot, yaw: float, pitch: float) -> Camera:
    """Turn about `pivot` by degrees, keeping the horizon level; stops short of looking straight up or down."""
    pivot = np.asarray(pivot, float)
    right, _, forward = camera_axes(replace(camera, roll=0.0))
    elevation = math.degrees(math.asin(max(-1.0, min(1.0, -forward[2]))))
    pitch = max(-89.0 - elevation, min(89.0 - elevation, pitch))
    turn = turn_matrix((0.0, 0.0, yaw)) @ _about(-right, pitch)
    move = lambda p: _triple(pivot + turn @ (np.array(p) - pivot))  # noqa: E731
    return replace(camera, position=move(camera.position), target=move(camera.target))


def look_round(camera: Camera, yaw: float, pitch: float) -> Camera:
    """Turn the camera where it stands, by degrees to the left and up; what it looks at goes round it."""
    position = np.array(camera.position)
    right, _, forward = camera_axes(replace(camera, roll=0.0))
    elevation = math.degrees(math.asin(max(-1.0, min(1.0, forward[2]))))
    pitch = max(-89.0 - elevation, min(89.0 - elevation, pitch))
    turn = turn_matrix((0.0, 0.0, yaw)) @ _about(right, pitch)
    return replace(camera, target=_triple(position + turn @ (np.array(camera.target) - position)))


def slide(camera: Camera, right_mm: float, up_mm: float) -> Camera:
    """Move the camera and what it looks at, parallel to the frame."""
    right, up, _ = camera_axes(camera)
    offset = right * right_mm + up * up_mm
    return replace(camera, position=_triple(np.array(camera.position) + offset), target=_triple(np.array(camera.target) + offset))


def approach(camera: Camera, point, share: float) -> Camera:
    """Go `share` of the way toward a point (negative: away), never through it."""
    share = min(0.9, share)
    offset = (np.asarray(point, float) - np.array(camera.position)) * share
    _, _, forward = camera_axes(camera)
    position = np.array(camera.position) + offset
    reach = max(1e-3, float(np.dot(np.array(camera.target) - np.array(camera.position), forward)) - float(np.dot(offset, forward)))
    focus = max(0.0, camera.focus - float(np.dot(offset, forward))) if camera.focus else 0.0
    return replace(camera, position=_triple(position), target=_triple(position + forward * reach), focus=focus)


def zoom_keeping_size(camera: Camera, focal_length_mm: float) -> Camera:
    """Change the focal length and the distance together, so that what is at the target keeps its size."""
    focal_length_mm = min(1000.0, max(8.0, focal_length_mm))
    target, position = np.array(camera.target), np.array(camera.position)
    away = (position - target) * (focal_length_mm / camera.focal_length_mm)
    focus = camera.focus
    if focus:
        focus = max(1.0, focus + float(np.linalg.norm(away)) - float(np.linalg.norm(position - target)))
    return replace(camera, focal_length_mm=float(round(focal_length_mm, 3)), position=_triple(target + away), focus=focus)
