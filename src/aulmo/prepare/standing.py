"""Standing one thing on another: it comes to rest at a point of a surface, turned to it or upright."""

import numpy as np

from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.made.copies import with_copies
from aulmo.document.made.spreads import standing_on
from aulmo.document.placement import world_matrix
from aulmo.document.records import Document
from aulmo.errors import BadValue
from aulmo.prepare import arrange


def stand_on(document: Document, assets: AssetStore, part_id: str, point, normal, upright: bool = False) -> Document:
    """A part, with all below it, so that it rests at a world point of a surface that faces `normal`: its under side touches the plane there and
    the middle of its base stands over the point.

    It is turned by the shortest way so that what was up in it points along the normal, or keeps as it is turned when `upright`. Raises BadValue
    for a locked part, one without geometry, and a direction that is none.
    """
    part = document.parts.get(part_id)
    if part is None:
        raise BadValue("There is no such part to stand anywhere.")
    if part.locked:
        raise BadValue(f"{part.name} is locked.")
    point, way = np.asarray(point, float), np.asarray(normal, float)
    if point.shape != (3,) or way.shape != (3,) or not np.isfinite([*point, *way]).all() or np.linalg.norm(way) < 1e-12:
        raise BadValue("A place to stand on needs a point and the direction that it faces, in numbers.")
    way = way / np.linalg.norm(way)
    world = world_matrix(document, part_id)
    turn = np.eye(4)
    if not upright:
        turn[:3, :3] = standing_on(way[None])[0] @ _own_tilt(world)
    corners = _points(document, assets, part_id, turn)
    if len(corners) == 0:
        raise BadValue(f"{part.name} has no geometry that could stand anywhere.")
    axis = np.array([0.0, 0.0, 1.0]) if upright else way
    u, v = _across(axis)
    base = 0.5 * (corners @ u).min() + 0.5 * (corners @ u).max(), 0.5 * (corners @ v).min() + 0.5 * (corners @ v).max()
    # upright on a slope: down along the vertical until the first point touches the plane
    if upright and abs(way[2]) > 1e-3:
        shift = (point @ u - base[0]) * u + (point @ v - base[1]) * v
        shift = shift + axis * -float((((corners + shift) - point) @ way).min() / way[2]) if way[2] > 0 else shift
    elif upright:  # against a wall: beside it, at the height that was clicked
        shift = point - np.array([base[0] * u + base[1] * v])[0]
        shift[2] = point[2] - corners[:, 2].min()
        shift = shift - way * float(((corners + shift - point) @ way).min())
    else:
        low = float((corners @ axis).min())
        shift = (point @ u - base[0]) * u + (point @ v - base[1]) * v + (point @ axis - low) * axis
    moved = np.eye(4)
    moved[:3, 3] = shift
    return arrange.change_in_world(document, [part_id], moved @ turn)


def _own_tilt(world: np.ndarray) -> np.ndarray:
    """The turn that takes back how a part leans now: of its own axes, the one nearest to up becomes up."""
    axes = world[:3, :3] / np.maximum(np.linalg.norm(world[:3, :3], axis=0), 1e-12)
    k = int(np.argmax(np.abs(axes[2])))
    up = axes[:, k] * np.sign(axes[2, k])
    return np.asarray(standing_on(up[None])[0].T)


def _across(axis: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    start = np.eye(3)[int(np.argmin(np.abs(axis)))]
    u = np.cross(axis, start)
    u /= np.linalg.norm(u)
    return u, np.cross(axis, u)


def _points(document: Document, assets: AssetStore, part_id: str, change: np.ndarray) -> np.ndarray:
    """(n, 3) every vertex of a part and what is below it after a change of the world."""
    found = [np.zeros((0, 3))]
    whole = with_copies(document)
    for leaf in edits.leaves(whole, [part_id]):
        part = whole.parts[leaf]
        if not part.visible:
            continue
        matrix = change @ world_matrix(whole, leaf)
        found.append(assets.mesh(part.mesh or "").vertices.astype(float) @ matrix[:3, :3].T + matrix[:3, 3])
    return np.concatenate(found)
