"""A camera as the row of numbers the kernels read, at any moment of the shutter; and where it sees a point."""

import math

import numpy as np
from msgspec.structs import replace

from aulmo.document.records import Camera, Document
from aulmo.trace.compile import arrays as a


def shutter_of(camera: Camera, document: Document, time: float = 0.0) -> tuple[float, float]:
    """From when to when, in seconds, the shutter is open for the frame at `time`."""
    if not camera.motion_blur:
        return time, time
    open_for = camera.shutter_angle / 360.0 / document.frames_per_second if camera.shutter_angle > 0 else camera.shutter
    return time, time + max(0.0, open_for)


def camera_moment(camera: Camera, time: float) -> Camera:
    """The camera as it stands at a time in seconds."""
    keys = camera.motion
    if not keys:
        return camera
    if time <= keys[0].time:
        one = other = keys[0]
    else:
        one, other = next(((p, q) for p, q in zip(keys, keys[1:]) if time <= q.time), (keys[-1], keys[-1]))
    f = (time - one.time) / (other.time - one.time) if other.time > one.time else 0.0
    x, y, z = (p + f * (q - p) for p, q in zip(one.position, other.position))
    u, v, w = (p + f * (q - p) for p, q in zip(one.target, other.target))
    return replace(camera, position=(x, y, z), target=(u, v, w), roll=one.roll + f * (other.roll - one.roll))


def camera_rows(camera: Camera, width: int, height: int, shutter: tuple[float, float] = (0.0, 0.0)) -> np.ndarray:
    """(times, CAM_COLUMNS): the camera at even times while the shutter is open; one row for a camera that stands still."""
    if not camera.motion:
        return camera_row(camera, width, height)[None]
    times = np.linspace(*shutter, 9) if shutter[1] > shutter[0] else shutter[:1]
    return np.array([camera_row(camera_moment(camera, float(t)), width, height) for t in times])


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
