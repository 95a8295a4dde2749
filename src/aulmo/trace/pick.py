"""What a ray meets first: for the hand in the picture, a click that places something, a probe."""

from typing import Collection, NamedTuple

import numpy as np

from aulmo.trace.scene import LAMP_PART, Scene
from aulmo.trace.shape.embree import MASK_EYE, NO_HIT, intersect_once


class Hit(NamedTuple):
    """The first thing on a ray. `part` is None for the floor; `face` is the CAD face or None; `own` the point in the part's own millimetres;
    `uv` its texture coordinates where the mesh has any."""

    part: str | None
    instance: int
    triangle: int
    face: int | None
    point: np.ndarray
    normal: np.ndarray
    own: np.ndarray
    distance: float
    uv: np.ndarray | None


MOST_LAYERS = 64


def pick(scene: Scene, origin, direction, but: Collection[str] = ()) -> Hit | None:
    """What a ray from `origin` (3,) along `direction` (3,), of any length, meets first: a part or the floor; None for nothing. It goes through
    the parts named in `but`.

    The normal has unit length and is turned toward where the ray comes from.
    """
    at = np.asarray(origin, float)
    for _ in range(MOST_LAYERS):
        hit = _first(scene, at, direction)
        if hit is None or hit.part is None or hit.part not in but:
            return hit if hit is None else hit._replace(distance=float(np.linalg.norm(hit.point - np.asarray(origin, float))))
        way = np.asarray(direction, float) / float(np.linalg.norm(direction))
        at = hit.point + way * 1e-5 * max(1.0, float(np.abs(hit.point).max()))
    return None


def _first(scene: Scene, origin, direction) -> Hit | None:
    origin = np.asarray(origin, float)
    direction = np.asarray(direction, float) / float(np.linalg.norm(direction))
    floats, words = intersect_once(scene.arrays.top, origin, direction, MASK_EYE)
    if words[17] == NO_HIT:
        return None
    instance, triangle, distance = int(words[19]), int(words[17]), float(floats[8])
    number = int(scene.arrays.instance_part[instance])
    if number == LAMP_PART:
        return None
    point = origin + direction * distance
    u, v = float(floats[15]), float(floats[16])
    start = int(scene.arrays.vertex_start[instance])
    corners = start + scene.arrays.triangles[int(scene.arrays.triangle_start[instance]) + triangle].astype(np.int64)
    weights = np.array([1 - u - v, u, v])
    normal = scene.arrays.normal_matrices[instance] @ (weights @ scene.arrays.points[corners, 3:].astype(float))
    flat = scene.arrays.normal_matrices[instance] @ floats[12:15].astype(float)
    normal = normal if np.linalg.norm(normal) > 1e-12 else flat
    normal /= max(1e-30, float(np.linalg.norm(normal)))
    own = weights @ scene.arrays.points[corners, :3].astype(float)
    part = scene.part_ids[number] if number >= 0 else None
    faces = scene.meshes[instance].faces if part is not None else ()
    face = int(faces[triangle]) if len(faces) > triangle else None
    return Hit(part, instance, triangle, face, point, -normal if normal @ direction > 0 else normal, own, distance, None)
