"""Where things stand: sizes, resting on the floor, centring, framing."""

import math

import numpy as np
from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.lens import half_tangent
from aulmo.document.made.copies import maker_of, sources_of, with_copies
from aulmo.document.meshes import corners_of
from aulmo.document.placement import from_matrix, to_matrix, world_matrices, world_matrix
from aulmo.document.records import Camera, Document, Placement, Shot


def bounds(document: Document, assets: AssetStore, part_ids) -> tuple[np.ndarray, np.ndarray] | None:
    """World box (low, high) of parts and all below them, from every vertex; None when they have no geometry."""
    document = with_copies(document)
    leaves = counted_parts(document, part_ids)
    if not leaves:
        return None
    matrices = np.array([world_matrix(document, i) for i in leaves]) if len(leaves) < 50 else _stacked(world_matrices(document), leaves)
    ends = np.array([assets.turned_box(document.parts[i].mesh or "", m) for i, m in zip(leaves, np.ascontiguousarray(matrices[:, :3, :3]))])
    return (ends[:, 0] + matrices[:, :3, 3]).min(0), (ends[:, 1] + matrices[:, :3, 3]).max(0)


def product_roots(document: Document) -> list[str]:
    """The roots that are the product and are seen: all that is no set piece, catches no shadow, nor is a group of such things alone."""

    def is_set(part_id: str) -> bool:
        leaves = [document.parts[i] for i in edits.below(document, part_id) if document.parts[i].mesh]
        return bool(leaves) and all(p.set_piece is not None or p.catches != "nothing" for p in leaves)

    return [i for i in document.roots if document.parts[i].visible and not is_set(i)]


def product_bounds(document: Document, assets: AssetStore) -> tuple[np.ndarray, np.ndarray] | None:
    """Low and high corner of the product, of everything where there is none; None where there is nothing."""
    return bounds(document, assets, product_roots(document) or document.roots)


def counted_parts(document: Document, part_ids) -> list[str]:
    """Parts with geometry among the given ones and below; of a copies rule what it makes, not what it copies."""
    document = with_copies(document)
    leaves = edits.leaves(document, part_ids)
    if not any(":" in i for i in leaves):
        return leaves
    made = {maker_of(i) for i in leaves if ":" in i}
    sources = {under for group in made if group in document.parts for s in sources_of(document, group) for under in edits.below(document, s)}
    return [i for i in leaves if i not in sources]


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
        above = world_matrix(document, part.parent)
        local = np.linalg.solve(above[:3, :3], np.asarray(offset, float))
        position = tuple(float(round(a + b, 9)) for a, b in zip(part.placement.position, local))
        placements[part_id] = replace(part.placement, position=position)
    return edits.place_parts(document, placements)


def turn_in_world(document: Document, part_ids, axis, degrees: float, pivot) -> Document:
    """Turn parts about a world axis through a pivot."""
    from scipy.spatial.transform import Rotation

    turn = Rotation.from_rotvec(np.radians(degrees) * np.asarray(axis, float)).as_matrix()
    return change_in_world(document, part_ids, about_point(turn, pivot))


def about_point(linear: np.ndarray, pivot) -> np.ndarray:
    """(4, 4) of a (3, 3) change about a point."""
    matrix = np.eye(4)
    matrix[:3, :3] = linear
    matrix[:3, 3] = np.asarray(pivot, float) - linear @ np.asarray(pivot, float)
    return matrix


def change_in_world(document: Document, part_ids, change: np.ndarray) -> Document:
    """Let a (4, 4) change of the world without shear happen to parts."""
    placements = {}
    for part_id in edits.topmost(document, list(part_ids)):  # what hangs below another of them goes with it
        placements[part_id] = changed_placement(document, part_id, change)
    return edits.place_parts(document, placements)


def changed_placement(document: Document, part_id: str, change: np.ndarray) -> Placement:
    """Where a part stands in what it hangs on once a (4, 4) change of the world without shear has happened to it."""
    part = document.parts[part_id]
    above = world_matrix(document, part.parent)
    return from_matrix(np.linalg.solve(above, change @ above @ to_matrix(part.placement)))


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
    tan_w = half_tangent(camera)
    tan_h = tan_w / ratio
    corners = corners_of(low, high) - middle
    depth = corners @ forward
    distance = max(float((np.abs(corners @ right) / (tan_w * fill) - depth).max()), float((np.abs(corners @ up) / (tan_h * fill) - depth).max()))
    distance = max(distance, 1e-3, float(np.linalg.norm(high - low)) * 0.6)
    clean = lambda v: tuple(float(round(x, 6)) for x in v)  # noqa: E731
    return replace(camera, target=clean(middle), position=clean(middle - forward * distance), focus=float(round(distance, 6)))


FILLS = 0.68  # of the frame's tighter side, in a first framing


def points_of(document: Document, assets: AssetStore, part_ids, most: int = 200_000) -> np.ndarray:
    """(n, 3) points in the world that lie on parts and all below them: every vertex, or evenly chosen ones where there are very many."""
    document = with_copies(document)
    leaves = counted_parts(document, part_ids)
    total = sum(len(assets.mesh(document.parts[i].mesh or "").vertices) for i in leaves)
    step = max(1, total // most)
    worlds = world_matrices(document)
    found = []
    for part_id in leaves:
        matrix = worlds[part_id]
        vertices = assets.mesh(document.parts[part_id].mesh or "").vertices
        some = vertices if len(vertices) < 64 else vertices[:: min(step, max(1, len(vertices) // 32))]
        found.append(some.astype(float) @ matrix[:3, :3].T + matrix[:3, 3])
    return np.concatenate(found) if found else np.zeros((0, 3))


def frame_points(camera: Camera, points: np.ndarray, ratio: float, fill: float = FILLS) -> Camera:
    """Move a camera along its own direction, and aside, until points (n, 3) fill `fill` of the frame's tighter side and stand in its middle."""
    camera = frame_box(camera, points.min(0), points.max(0), ratio, fill)
    forward = np.array(camera.target) - np.array(camera.position)
    forward /= np.linalg.norm(forward)
    right = np.cross(forward, [0.0, 0.0, 1.0])
    right = np.array([1.0, 0, 0]) if np.linalg.norm(right) < 1e-6 else right / np.linalg.norm(right)
    up = np.cross(right, forward)
    tan_w = half_tangent(camera)
    tan_h = tan_w / ratio
    target, distance = np.array(camera.target), float(np.linalg.norm(np.array(camera.target) - np.array(camera.position)))
    size = float(np.linalg.norm(np.ptp(points, axis=0)))
    for _ in range(12):
        relative = points - target
        depth = np.maximum(relative @ forward + distance, 1e-3 * distance)
        x, y = relative @ right / (depth * tan_w), relative @ up / (depth * tan_h)
        target = target + 0.5 * (x.min() + x.max()) * tan_w * distance * right + 0.5 * (y.min() + y.max()) * tan_h * distance * up
        distance = max(distance * 0.5 * max(np.ptp(x), np.ptp(y)) / fill, 0.55 * size)
    clean = lambda v: tuple(float(round(c, 6)) for c in v)  # noqa: E731
    return replace(camera, target=clean(target), position=clean(target - forward * distance), focus=float(round(distance, 6)))


def framed(document: Document, assets: AssetStore, camera: Camera, ratio: float) -> Camera:
    """A camera that sees everything from the front right and a little above: tall things from lower, flat ones from higher."""
    points = points_of(document, assets, document.roots)
    if len(points) == 0:
        points = np.array([[x, y, z] for x in (-50.0, 50.0) for y in (-50.0, 50.0) for z in (-50.0, 50.0)])
    size = np.ptp(points, axis=0)
    flat = float(np.clip(1.0 - size[2] / max(1e-9, size[:2].max()), 0.0, 1.0))
    a, e = math.radians(24), math.radians(12 + 18 * flat)
    middle = 0.5 * (points.min(0) + points.max(0))
    away = np.array([math.sin(a) * math.cos(e), -math.cos(a) * math.cos(e), math.sin(e)])
    looking = replace(camera, target=tuple(middle.tolist()), position=tuple((middle + away * max(1.0, float(np.linalg.norm(size)))).tolist()))
    return frame_points(looking, points, ratio)


def first_shot(document: Document, assets: AssetStore) -> Document:
    """Give a document without shots a camera that sees everything (see `framed`)."""
    if document.shots:
        return document
    camera = framed(document, assets, Camera(id=edits.new_id(), name="Camera 1", shutter=1 / 15), 4 / 3)
    return edits.put_shot(edits.put_camera(document, camera), Shot(id=edits.new_id(), name="Shot 1", camera=camera.id))
