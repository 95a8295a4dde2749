"""Saved views of a STEP file as cameras (ISO 10303-46, 5.1: camera_model_d3)."""

import math
from typing import Any

import numpy as np

from aulmo.prepare.file_cameras import MOST, noted

MARK = b"CAMERA_MODEL_D3"


def saved_views(model: Any, unit_mm: float) -> list[dict]:
    """What the views of a STEP model, whose lengths are of so many mm, say as cameras; see `file_cameras.noted`.

    A view's own axes stand at its reference: z toward whoever looks, x to the right. Its projection point is where one looks from; of a parallel view
    that tells the direction alone. The window lies on the view plane.
    """
    found: list[dict] = []
    for number in range(1, model.NbEntities() + 1):
        entity = model.Value(number)
        if not entity.DynamicType().Name().startswith("StepVisual_CameraModelD3"):
            continue
        try:
            one = _noted(entity, unit_mm)
        except (RuntimeError, AttributeError, ValueError):  # a view that is not whole
            continue
        if one is not None:
            found.append(one)
        if len(found) == MOST:
            break
    return found


def _noted(view: Any, unit_mm: float) -> dict | None:
    place, volume = view.ViewReferenceSystem(), view.PerspectiveOfVolume()
    z = _direction(place.Axis(), (0.0, 0.0, 1.0)) if place.HasAxis() else np.array([0.0, 0.0, 1.0])
    x = _direction(place.RefDirection(), (1.0, 0.0, 0.0)) if place.HasRefDirection() else np.eye(3)[int(np.argmin(np.abs(z)))]
    x = x - z * (x @ z)
    x = x / np.linalg.norm(x)
    matrix = np.eye(4)
    matrix[:3, :3] = np.stack([x, np.cross(z, x), z], 1)
    eye = _point(volume.ProjectionPoint())
    matrix[:3, 3] = unit_mm * (_point(place.Location()) + matrix[:3, :3] @ eye)
    wide = float(volume.ViewWindow().SizeInX())
    name = view.Name().ToCString() if view.Name() is not None else ""
    if volume.ProjectionType().name.endswith("Parallel"):
        return noted(name, matrix, span_mm=unit_mm * wide)
    away = abs(float(eye[2]) - float(volume.ViewPlaneDistance()))
    return noted(name, matrix, fov_x=2 * math.atan2(wide / 2, away))


def _point(point: Any) -> np.ndarray:
    return np.array([point.CoordinatesValue(k) for k in (1, 2, 3)], float)


def _direction(way: Any, otherwise: tuple[float, float, float]) -> np.ndarray:
    made = np.array([way.DirectionRatiosValue(k) for k in (1, 2, 3)], float)
    length = float(np.linalg.norm(made))
    return made / length if length > 0 else np.array(otherwise)
