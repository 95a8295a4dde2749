"""Where a camera sees a point, and what it sees at one of its frame: lens, shift, bend, roll."""

import math
from typing import Any

import numpy as np

from aulmo.document.lens import half_width
from aulmo.document.records import Camera
from aulmo.frame.lens_bend import bent_radius


def camera_axes(camera: Camera) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Unit right, up and forward vectors."""
    forward = np.array(camera.target, float) - np.array(camera.position, float)
    length = np.linalg.norm(forward)
    forward = forward / length if length > 1e-9 else np.array([0.0, 1.0, 0.0])
    up = np.array([0.0, 0.0, 1.0])
    if abs(forward[2]) > 0.99999:
        up = np.array([0.0, 1.0, 0.0])
    right = np.cross(forward, up)
    right /= np.linalg.norm(right)
    up = np.cross(right, forward)
    roll = math.radians(camera.roll)
    return math.cos(roll) * right + math.sin(roll) * up, math.cos(roll) * up - math.sin(roll) * right, forward


def unbent(x: Any, y: Any, bend: float) -> tuple[Any, Any]:
    """What a straight lens shows where one that bends shows (x, y), all in tangents from its axis: R = r (1 + bend r^2)."""
    f = 1.0 + bend * (x * x + y * y)
    return x * f, y * f


def bent(x: np.ndarray, y: np.ndarray, bend: float) -> tuple[np.ndarray, np.ndarray]:
    """Where a lens that bends shows what a straight one shows at (x, y): the inverse of `unbent`."""
    if bend == 0.0:
        return x, y
    whole = np.hypot(x, y)
    f = np.where(whole > 1e-12, bent_radius(whole, bend) / np.maximum(whole, 1e-12), 1.0)
    return x * f, y * f


def project(camera: Camera, points: np.ndarray, width: int, height: int) -> np.ndarray:
    """(n, 3) pixel x, pixel y and depth along the view of world points."""
    right, up, forward = camera_axes(camera)
    d = np.asarray(points, float).reshape(-1, 3) - np.array(camera.position)
    depth = d @ forward
    parallel = camera.projection == "parallel"
    safe = np.ones(len(d)) if parallel else np.where(np.abs(depth) < 1e-6, 1e-6, depth)
    tan_w = half_width(camera)
    x, y = (d @ right) / safe, (d @ up) / safe
    if not parallel:
        x, y = bent(x, y, camera.bend)
    sx = x / tan_w - 2 * camera.shift_x
    sy = y / (tan_w * height / width) - 2 * camera.shift_y
    return np.stack([(sx + 1) * width / 2, (1 - sy) * height / 2, depth], 1)


def ray_through(camera: Camera, x: float, y: float, width: int, height: int) -> tuple[np.ndarray, np.ndarray]:
    """Origin and unit direction through a place of the camera's frame, in pixels from its upper left corner; through the middle of the lens."""
    right, up, forward = camera_axes(camera)
    if camera.projection == "panorama":
        lon, lat = math.pi * (2 * x / width - 1), 0.5 * math.pi * (1 - 2 * y / height)
        return np.array(camera.position, float), math.cos(lat) * (math.cos(lon) * forward + math.sin(lon) * right) + math.sin(lat) * up
    parallel = camera.projection == "parallel"
    tan_w = half_width(camera)
    sx = (2 * x / width - 1 + 2 * camera.shift_x) * tan_w
    sy = (1 - 2 * y / height + 2 * camera.shift_y) * tan_w * height / width
    if parallel:
        return np.array(camera.position, float) + sx * right + sy * up, forward
    sx, sy = unbent(sx, sy, camera.bend)
    d = forward + sx * right + sy * up
    return np.array(camera.position, float), d / np.linalg.norm(d)
