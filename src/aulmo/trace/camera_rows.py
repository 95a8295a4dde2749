"""A camera as the row of numbers the kernels read, at any moment of the shutter; and where it sees a point."""

import math

import numpy as np
from msgspec.structs import replace

from aulmo.document.moments import Moments
from aulmo.document.records import Camera
from aulmo.trace.compile import arrays as a


SHUTTER_STEPS = 9  # moments at which a moving camera is known while its shutter is open


def cameras_of(moments: Moments, camera: Camera) -> list[Camera]:
    """A camera at even times while the shutter is open; one that stands still is one."""
    own = moments.first.cameras.get(camera.id)
    its_own = own is not None and own.position == camera.position and own.target == camera.target
    if not (its_own and moments.lasting and moments.camera_moves(camera.id)):
        return [camera]
    seen = [moments.at(float(share)).cameras[camera.id] for share in np.linspace(0.0, 1.0, SHUTTER_STEPS)]
    return [replace(camera, position=c.position, target=c.target, roll=c.roll) for c in seen]


def camera_rows(cameras: Camera | list[Camera], width: int, height: int) -> np.ndarray:
    """(times, CAM_COLUMNS): a camera, or one at even times while the shutter is open."""
    return np.array([camera_row(camera, width, height) for camera in ([cameras] if isinstance(cameras, Camera) else cameras)])


def ev100(camera: Camera) -> float:
    """Exposure value at ISO 100 (ISO 2720): log2(N^2 / t) - log2(S / 100), less the camera's extra stops."""
    return math.log2(camera.f_stop**2 / camera.shutter) - math.log2(camera.iso / 100.0) - camera.exposure_stops


def white_nits(camera: Camera) -> float:
    """Luminance that becomes display white: 1.2 * 2^EV100 (saturation-based sensitivity, ISO 12232)."""
    return 1.2 * 2.0 ** ev100(camera)


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


def project(camera: Camera, points: np.ndarray, width: int, height: int) -> np.ndarray:
    """(n, 3) pixel x, pixel y and depth along the view of world points."""
    right, up, forward = camera_axes(camera)
    d = np.asarray(points, float).reshape(-1, 3) - np.array(camera.position)
    depth = d @ forward
    parallel = camera.projection == "parallel"
    safe = np.ones(len(d)) if parallel else np.where(np.abs(depth) < 1e-6, 1e-6, depth)
    tan_w = 0.5 * camera.span_mm if parallel else 0.5 * camera.sensor_mm / camera.focal_length_mm
    sx = (d @ right) / safe / tan_w - 2 * camera.shift_x
    sy = (d @ up) / safe / (tan_w * height / width) - 2 * camera.shift_y
    return np.stack([(sx + 1) * width / 2, (1 - sy) * height / 2, depth], 1)


def ray_through(camera: Camera, x: float, y: float, width: int, height: int) -> tuple[np.ndarray, np.ndarray]:
    """Origin and unit direction through a place of the camera's frame, in pixels from its upper left corner; through the middle of the lens."""
    right, up, forward = camera_axes(camera)
    if camera.projection == "panorama":
        lon, lat = math.pi * (2 * x / width - 1), 0.5 * math.pi * (1 - 2 * y / height)
        return np.array(camera.position, float), math.cos(lat) * (math.cos(lon) * forward + math.sin(lon) * right) + math.sin(lat) * up
    parallel = camera.projection == "parallel"
    tan_w = 0.5 * camera.span_mm if parallel else 0.5 * camera.sensor_mm / camera.focal_length_mm
    sx = (2 * x / width - 1 + 2 * camera.shift_x) * tan_w
    sy = (1 - 2 * y / height + 2 * camera.shift_y) * tan_w * height / width
    if parallel:
        return np.array(camera.position, float) + sx * right + sy * up, forward
    d = forward + sx * right + sy * up
    return np.array(camera.position, float), d / np.linalg.norm(d)


def camera_row(camera: Camera, width: int, height: int) -> np.ndarray:
    """The kernel's camera row for a frame of `width` x `height` pixels."""
    row = np.zeros(a.CAM_COLUMNS)
    right, up, forward = camera_axes(camera)
    row[a.CAM_ORIGIN : a.CAM_ORIGIN + 3] = camera.position
    row[a.CAM_RIGHT : a.CAM_RIGHT + 3], row[a.CAM_UP : a.CAM_UP + 3], row[a.CAM_FORWARD : a.CAM_FORWARD + 3] = right, up, forward
    row[a.CAM_TAN_W] = 0.5 * camera.sensor_mm / camera.focal_length_mm
    row[a.CAM_TAN_H] = row[a.CAM_TAN_W] * height / width
    row[a.CAM_SHIFT_X], row[a.CAM_SHIFT_Y] = 2 * camera.shift_x, 2 * camera.shift_y
    if camera.depth_of_field and camera.focus > 0:
        row[a.CAM_LENS_RADIUS] = 0.5 * camera.focal_length_mm / camera.f_stop
        row[a.CAM_FOCUS] = camera.focus
        row[a.CAM_BLADES] = camera.blades
        row[a.CAM_BLADE_TURN] = math.radians(camera.blade_turn)
    row[a.CAM_PROJECTION] = {"perspective": a.PERSPECTIVE, "parallel": a.PARALLEL, "panorama": a.PANORAMA}[camera.projection]
    if camera.projection == "parallel":
        row[a.CAM_TAN_W] = 0.5 * camera.span_mm
        row[a.CAM_TAN_H] = row[a.CAM_TAN_W] * height / width
    if camera.projection != "perspective":
        row[a.CAM_LENS_RADIUS] = 0.0
    return row
