"""Cameras all round a made-up set, and edges of it as they see them."""

import math

import numpy as np

from aulmo.document.records import Camera
from aulmo.frame.camera import camera_axes, project
from aulmo.frame.sight_lines import Line

SIZE = (1600, 1200)
FOCALS = (18.0, 24.0, 28.0, 35.0, 50.0, 60.0, 85.0, 105.0, 135.0, 180.0)


def twenty_cameras() -> list[Camera]:
    """From wide to long: tilted, rolled, cropped off-centre, with lenses that bend."""
    rng, made = np.random.default_rng(3), []
    for k in range(20):
        around, above, focal = rng.uniform(20, 70) * (1 if k % 2 else -1), rng.uniform(8, 40), FOCALS[k % 10]
        a, e = math.radians(around), math.radians(above)
        place = tuple(1500 * v for v in (math.cos(e) * math.sin(a), -math.cos(e) * math.cos(a), math.sin(e)))
        cropped = k % 4 == 1
        made.append(
            Camera(
                id="c", name="c", position=place, target=(rng.uniform(-50, 50), rng.uniform(-50, 50), rng.uniform(0, 150)), focal_length_mm=focal,
                roll=rng.uniform(-6, 6) if k % 3 == 0 else 0.0, shift_x=rng.uniform(-0.25, 0.25) if cropped else 0.0,
                shift_y=rng.uniform(-0.25, 0.25) if cropped else 0.0, bend=rng.uniform(-0.1, 0.1) * (focal / 18) ** 2 if k % 5 == 4 else 0.0,
            )  # fmt: skip
        )
    return made


def edges(camera: Camera, seed: int, each: int = 3, points: int = 2, directions=(0, 1, 2), noise: float = 0.0) -> list[Line]:
    """Edges that a camera sees, `each` in every direction, with noise on every point in pixels."""
    rng, found = np.random.default_rng(seed), []
    target = np.array(camera.target)
    span = float(np.linalg.norm(np.array(camera.position) - target)) * camera.sensor_mm / camera.focal_length_mm
    for direction in directions:
        count = 0
        while count < each:
            start = target + rng.uniform(-0.5, 0.5, 3) * span * np.array([1, 1, 0.6])
            end = start.copy()
            end[direction] += rng.uniform(0.25, 0.7) * span
            seen = project(camera, start + (end - start) * np.linspace(0, 1, points)[:, None], *SIZE)
            inside = (seen[:, 2] > 0).all() and (seen[:, :2] > 0).all() and (seen[:, 0] < SIZE[0]).all() and (seen[:, 1] < SIZE[1]).all()
            if inside and np.linalg.norm(seen[-1, :2] - seen[0, :2]) > 0.15 * SIZE[0]:
                found.append(Line(direction + 1, seen[:, :2] + rng.normal(0, noise, (points, 2)) if noise else seen[:, :2]))
                count += 1
    return found


def apart(one: Camera, other: Camera) -> tuple[float, float]:
    """How far two cameras' lenses are apart, percent, and their axes, degrees."""
    a, b = np.array(camera_axes(one)), np.array(camera_axes(other))
    turned = math.degrees(math.acos(max(-1.0, min(1.0, (float(np.trace(a @ b.T)) - 1) / 2))))
    lens = one.focal_length_mm / one.sensor_mm / (other.focal_length_mm / other.sensor_mm)
    return 100 * abs(lens - 1), turned


