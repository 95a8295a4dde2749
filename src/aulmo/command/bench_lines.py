"""What solving sight lines costs: the camera of a photograph with a dozen lines, a pixel of noise on every end."""

import math
import time

import numpy as np

from aulmo.document.records import Camera
from aulmo.frame.camera import project
from aulmo.frame.sight_lines import Line, find_camera

SIZE = (1600, 1200)


def drawn(count: int = 12, noise: float = 1.0) -> list[Line]:
    """Lines of a made-up set, as many in each of three directions."""
    rng = np.random.default_rng(2)
    camera = Camera(id="c", name="c", position=(900.0, -1100.0, 650.0), target=(0.0, 0.0, 80.0), focal_length_mm=32.0)
    found: list[Line] = []
    while len(found) < count:
        k = len(found) % 3
        start = rng.uniform((-350, -350, 0), (350, 350, 300))
        end = start + np.eye(3)[k] * rng.uniform(200, 500)
        seen = project(camera, np.array([start, end]), *SIZE)[:, :2] + rng.normal(0, noise, (2, 2))
        found.append(Line(k + 1, seen))
    return found


def solve_seconds(times: int = 15) -> float:
    """Median seconds to find the camera."""
    lines, spent = drawn(), []
    for _ in range(times):
        started = time.perf_counter()
        found = find_camera(SIZE, lines)
        spent.append(time.perf_counter() - started)
    assert math.isfinite(found.focal_length_mm)
    return float(np.median(spent))
