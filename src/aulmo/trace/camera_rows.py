"""A camera as the row of numbers the kernels read, at any moment of the shutter."""

import math

import numpy as np
from msgspec.structs import replace

from aulmo.document.lens import half_tangent
from aulmo.document.moments import Moments
from aulmo.document.records import Camera
from aulmo.frame.camera import camera_axes
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


def camera_row(camera: Camera, width: int, height: int) -> np.ndarray:
    """The kernel's camera row for a frame of `width` x `height` pixels."""
    row = np.zeros(a.CAM_COLUMNS)
    right, up, forward = camera_axes(camera)
    row[a.CAM_ORIGIN : a.CAM_ORIGIN + 3] = camera.position
    row[a.CAM_RIGHT : a.CAM_RIGHT + 3], row[a.CAM_UP : a.CAM_UP + 3], row[a.CAM_FORWARD : a.CAM_FORWARD + 3] = right, up, forward
    row[a.CAM_TAN_W] = half_tangent(camera)
    row[a.CAM_TAN_H] = row[a.CAM_TAN_W] * height / width
    row[a.CAM_SHIFT_X], row[a.CAM_SHIFT_Y] = 2 * camera.shift_x, 2 * camera.shift_y
    if camera.depth_of_field and camera.focus > 0:
        row[a.CAM_LENS_RADIUS] = 0.5 * camera.focal_length_mm / camera.f_stop
        row[a.CAM_FOCUS] = camera.focus
        row[a.CAM_BLADES] = camera.blades
        row[a.CAM_BLADE_TURN] = math.radians(camera.blade_turn)
        row[a.CAM_CATS_EYE] = camera.cats_eye * camera.focal_length_mm / 18.0
    row[a.CAM_BEND], row[a.CAM_NEAR] = camera.bend, camera.near_mm
    row[a.CAM_EYE] = camera.eye_mm
    row[a.CAM_PROJECTION] = {"perspective": a.PERSPECTIVE, "parallel": a.PARALLEL, "panorama": a.PANORAMA}[camera.projection]
    if camera.projection == "parallel":
        row[a.CAM_TAN_W] = 0.5 * camera.span_mm
        row[a.CAM_TAN_H] = row[a.CAM_TAN_W] * height / width
    if camera.projection != "perspective":
        row[a.CAM_LENS_RADIUS] = 0.0
    return row
