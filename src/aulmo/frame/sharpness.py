"""Distances, and what is sharp."""

import math

import numpy as np

from aulmo.document.lens import half_tangent
from aulmo.document.records import Camera


def distance_of(camera: Camera) -> float:
    """Distance from camera to target, mm."""
    return float(np.linalg.norm(np.array(camera.position) - np.array(camera.target)))


def sharp_range(camera: Camera) -> tuple[float, float]:
    """Near and far limit of what looks sharp, mm, for a circle of confusion of 1/1500 of the frame's diagonal (thin lens)."""
    if not camera.focus:
        return 0.0, math.inf
    circle = camera.sensor_mm * 1.2 / 1500
    hyperfocal = camera.focal_length_mm**2 / (camera.f_stop * circle) + camera.focal_length_mm
    near = camera.focus * (hyperfocal - camera.focal_length_mm) / (hyperfocal + camera.focus - 2 * camera.focal_length_mm)
    far = camera.focus * (hyperfocal - camera.focal_length_mm) / (hyperfocal - camera.focus) if camera.focus < hyperfocal else math.inf
    return near, far


def blur_share(camera: Camera, distance: float) -> float:
    """Diameter, in shares of the frame's width, of what a point at a distance along the view is blurred to (thin lens)."""
    if not (camera.depth_of_field and camera.focus > 0 and distance > 0):
        return 0.0
    opening = camera.focal_length_mm / camera.f_stop
    return opening * abs(distance - camera.focus) / distance / (camera.focus * 2.0 * half_tangent(camera))


def field_of_view(camera: Camera) -> float:
    """Horizontal angle that the frame shows, degrees."""
    return math.degrees(2 * math.atan(half_tangent(camera)))


def focal_of(camera: Camera, degrees: float) -> float:
    """Focal length in mm at which the frame shows a horizontal angle."""
    return 0.5 * camera.sensor_mm / math.tan(math.radians(degrees) / 2)
