"""Where things stand: sizes, resting on the floor, centring, framing."""

import math

import numpy as np
from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.placement import from_matrix, to_matrix, world_matrices, world_matrix
from aulmo.document.records import Camera, Document, Shot


def bounds(document: Document, assets: AssetStore, part_ids) -> tuple[np.ndarray, np.ndarray] | None:
    """World box (low, high) of parts and all below them, from every vertex; None when they have no geometry."""
    leaves = edits.leaves(document, part_ids)
    if not leaves:
        return None
    matrices = np.array([world_matrix(document, i) for i in leaves]) if len(leaves) < 50 else _stacked(world_matrices(document), leaves)
    ends = np.array([assets.turned_box(document.parts[i].mesh or "", m) for i, m in zip(leaves, np.ascontiguousarray(matrices[:, :3, :3]))])
    return (ends[:, 0] + matrices[:, :3, 3]).min(0), (ends[:, 1] + matrices[:, :3, 3]).max(0)


def _stacked(worlds: dict[str, np.ndarray], part_ids: list[str]) -> np.ndarray:
    return np.array([worlds[i] for i in part_ids])


def size_of(document: Document, assets: AssetStore, part_ids) -> tuple[float, float, float]:
    """World size in mm of parts together."""
    box = bounds(document, assets, part_ids)
    if box is None:
        return (0.0, 0.0, 0.0)
    x, y, z = box[1] - box[0]
    return (float(x), float(y), float(z))


def move_in_world(document: Document, part_ids, offset) -> Document:
    """Move parts by a world vector in mm, whatever their parents are turned to."""
    placements = {}
    for part_id in edits.topmost(document, part_ids):  # what hangs below another of them moves with it
        part = document.parts[part_id]
        above = world_matrix(document, part.parent) if part.parent else np.eye(4)
        local = np.linalg.solve(above[:3, :3], np.asarray(offset, float))
        position = tuple(float(round(a + b, 9)) for a, b in zip(part.placement.position, local))
        placements[part_id] = replace(part.placement, position=position)
    return edits.place_parts(document, placements)


def turn_in_world(document: Document, part_ids, axis, degrees: float, pivot) -> Document:
    """Turn parts about a world axis through a pivot."""
    from scipy.spatial.transform import Rotation

    turn = np.eye(4)
    turn[:3, :3] = Rotation.from_rotvec(np.radians(degrees) * np.asarray(axis, float)).as_matrix()
    pivot = np.asarray(pivot, float)
    turn[:3, 3] = pivot - turn[:3, :3] @ pivot
    placements = {}
    for part_id in edits.topmost(document, part_ids):  # what hangs below another of them turns with it
        part = document.parts[part_id]
        above = world_matrix(document, part.parent) if part.parent else np.eye(4)
        placements[part_id] = from_matrix(np.linalg.solve(above, turn @ above @ to_matrix(part.placement)))
    return edits.place_parts(document, placements)


def rest_on_floor(document: Document, assets: AssetStore, part_ids, height: float | None = None) -> Document:
    """Lower or lift parts together until the lowest point touches the floor, or a height in mm."""
    box = bounds(document, assets, part_ids)
    if box is None:
        return document
    return move_in_world(document, part_ids, (0, 0, (document.floor.height if height is None else height) - box[0][2]))


def centre(document: Document, assets: AssetStore, part_ids) -> Document:
    """Slide parts together so that the middle of their box stands over the origin."""
    box = bounds(document, assets, part_ids)
    if box is None:
        return document
    middle = 0.5 * (box[0] + box[1])
    return move_in_world(document, part_ids, (-middle[0], -middle[1], 0))


def frame_box(camera: Camera, low, high, ratio: float, fill: float = 0.72) -> Camera:
    """Move a camera along its own direction until a box fills `fill` of the frame. `ratio` is width over height."""
    low, high = np.asarray(low, float), np.asarray(high, float)
    middle = 0.5 * (low + high)
    forward = np.array(camera.target) - np.array(camera.position)
    length = np.linalg.norm(forward)
    forward = forward / length if length > 1e-9 else np.array([0.0, 1.0, 0.0])
    right = np.cross(forward, [0.0, 0.0, 1.0])
    right = np.array([1.0, 0, 0]) if np.linalg.norm(right) < 1e-6 else right / np.linalg.norm(right)
    up = np.cross(right, forward)
    tan_w = 0.5 * camera.sensor_mm / camera.focal_length_mm
    tan_h = tan_w / ratio
    corners = np.array([[x, y, z] for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])]) - middle
    depth = corners @ forward
    distance = max(float((np.abs(corners @ right) / (tan_w * fill) - depth).max()), float((np.abs(corners @ up) / (tan_h * fill) - depth).max()))
    distance = max(distance, 1e-3, float(np.linalg.norm(high - low)) * 0.6)
    clean = lambda v: tuple(float(round(x, 6)) for x in v)  # noqa: E731
    return replace(camera, target=clean(middle), position=clean(middle - forward * distance), focus=float(round(distance, 6)))


def first_shot(document: Document, assets: AssetStore) -> Document:
    """Give a document without shots a camera that sees everything from the front right, slightly above."""
    if document.shots:
        return document
    box = bounds(document, assets, document.roots) or (np.full(3, -50.0), np.full(3, 50.0))
    a, e = math.radians(24), math.radians(14)
    middle = 0.5 * (box[0] + box[1])
    away = np.array([math.sin(a) * math.cos(e), -math.cos(a) * math.cos(e), math.sin(e)])
    camera = Camera(id=edits.new_id(), name="Camera 1", target=tuple(middle.tolist()), position=tuple((middle + away).tolist()), shutter=1 / 15)
    camera = frame_box(camera, box[0], box[1], 4 / 3)
    return edits.put_shot(edits.put_camera(document, camera), Shot(id=edits.new_id(), name="Shot 1", camera=camera.id))
