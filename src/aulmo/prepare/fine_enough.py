"""Finesse from the final picture: triangles as fine as the shots' cameras can show, and no finer."""

import math
from typing import Iterable

import numpy as np

from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.lens import width_at
from aulmo.document.placement import world_matrix
from aulmo.document.properties import resolve
from aulmo.document.records import Camera, Document, Finesse, Shot
from aulmo.errors import BadValue
from aulmo.prepare import arrange

OF_A_PIXEL = 0.3  # how far triangles may stray from the exact shape
ANGLE = 15.0  # between neighbouring triangles; shading takes the exact surface's normals however coarse they are
FINEST, COARSEST = 5e-4, 20.0  # mm


def pixel_mm(camera: Camera, shot: Shot, distance: float) -> float:
    """Width in mm of what a pixel of a shot shows at a distance from its camera."""
    if camera.projection == "panorama":
        return distance * 2 * math.pi / shot.width
    return width_at(camera, distance) / shot.width


def for_shots(document: Document, assets: AssetStore, part_ids: Iterable[str], shots: Iterable[Shot]) -> dict[str, Finesse]:
    """By id of every part with an exact shape among the given ones, the finesse that the nearest of these shots asks for. Raises BadValue."""
    leaves = [i for i in edits.leaves(document, part_ids) if document.parts[i].shape]
    if not leaves:
        raise BadValue("None of these parts has an exact shape; its triangles are all there is.")
    boxes = {i: box for i in leaves if (box := arrange.bounds(document, assets, [i])) is not None}
    finest: dict[str, float] = {}
    for shot in shots:
        seen = resolve(document, {"shot": shot.id})
        camera = seen.cameras[shot.camera]
        eye = np.array(camera.position)
        for part_id, (low, high) in boxes.items():
            nearest = float(np.linalg.norm(np.maximum(0.0, np.maximum(low - eye, eye - high))))
            nearest = max(nearest, 0.1 * float(np.linalg.norm(high - low)), 1.0)
            finest[part_id] = min(finest.get(part_id, math.inf), OF_A_PIXEL * pixel_mm(camera, shot, nearest))
    if not finest:
        raise BadValue("There is no shot yet whose camera could tell how fine is fine enough.")
    return {i: Finesse(_step(mm / _scale(document, i)), ANGLE) for i, mm in finest.items()}


def _step(mm: float) -> float:
    """The next finer of a few steps, half as wide again each, so that parts of like distance share one."""
    clipped = min(COARSEST, max(FINEST, mm))
    return float(f"{1.5 ** math.floor(math.log(clipped, 1.5) + 1e-9):.3g}")


def _scale(document: Document, part_id: str) -> float:
    return float(max(1e-9, np.linalg.norm(world_matrix(document, part_id)[:3, :3], axis=0).max()))


def triangles(document: Document, assets: AssetStore, part_ids: Iterable[str]) -> int:
    """How many triangles parts are made of, all told."""
    return sum(len(assets.mesh(document.parts[i].mesh or "").triangles) for i in edits.leaves(document, part_ids))
