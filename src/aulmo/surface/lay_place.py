"""Where a point of a part lies on a lay, in numbers for the hand: the same as the renderer's `laid`, before offset, turn and repeats."""

import math

import numpy as np
from msgspec.structs import replace

from aulmo.document.meshes import Mesh
from aulmo.document.records import Lay
from aulmo.surface.lay import projector


def place_on_lay(lay: Lay, point: np.ndarray, normal: np.ndarray) -> np.ndarray:
    """(2,) mm right and up of a point (3,) whose surface faces `normal` (3,), both in the part's own axes."""
    matrix = projector(lay.position, lay.turn)
    x, y, z = matrix[:, :3] @ point + matrix[:, 3]
    if lay.projection == "box":
        n = matrix[:, :3] @ normal
        side = 2 if abs(n[2]) >= max(abs(n[0]), abs(n[1])) else 0 if abs(n[0]) >= abs(n[1]) else 1
        sign = (1.0 if n[side] >= 0 else -1.0) if side != 1 else (-1.0 if n[1] >= 0 else 1.0)
        return np.array([sign * x, y] if side == 2 else [sign * y, z] if side == 0 else [sign * x, z])
    if lay.projection in ("cylinder", "axis"):
        far = math.hypot(x, y)
        radius = lay.radius_mm if lay.projection == "cylinder" and lay.radius_mm > 0 else far
        return np.array([math.atan2(y, x) * radius, z])
    if lay.projection == "sphere":
        far = max(1e-9, math.sqrt(x * x + y * y + z * z))
        radius = lay.radius_mm if lay.radius_mm > 0 else far
        return np.array([math.atan2(y, x) * radius, math.asin(min(1.0, max(-1.0, z / far))) * radius])
    return np.array([x, y])


def uv_at(mesh: Mesh, triangle: int, point: np.ndarray) -> np.ndarray:
    """(2,) the file's coordinates at a point (3,) of a triangle, v upward."""
    corners = mesh.triangles[triangle].astype(int)
    a, b, c = mesh.vertices[corners].astype(float)
    weights, *_ = np.linalg.lstsq(np.stack([b - a, c - a], 1), point - a, rcond=None)
    uv = mesh.uv[corners].astype(float)
    return np.asarray(uv[0] + weights[0] * (uv[1] - uv[0]) + weights[1] * (uv[2] - uv[0]))


def pulled(lay: Lay, start: np.ndarray, now: np.ndarray) -> Lay:
    """A lay moved so that what lay under `start` lies under `now`: places on it, or the file's coordinates where those lead."""
    if lay.projection == "uv":
        c, s = math.cos(math.radians(lay.rotate)), math.sin(math.radians(lay.rotate))
        u, v = now[0] - start[0], -(now[1] - start[1])
        across, down = c * lay.repeat_x * u + s * lay.repeat_y * v, -s * lay.repeat_x * u + c * lay.repeat_y * v
        return replace(lay, shift_x=round(lay.shift_x - across, 9), shift_y=round(lay.shift_y - down, 9))
    right, up = now - start
    return replace(lay, offset_x_mm=round(lay.offset_x_mm + float(right), 6), offset_y_mm=round(lay.offset_y_mm + float(up), 6))
