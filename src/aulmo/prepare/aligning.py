"""Lining parts up, spacing them, bringing them to one size, mirroring and scaling them, all in the world's axes."""

from typing import Iterable, Literal

import numpy as np
from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.placement import to_matrix, turn_matrix, world_matrix
from aulmo.document.properties import AXES
from aulmo.document.records import Document
from aulmo.errors import BadValue
from aulmo.prepare import arrange

Where = Literal["low", "middle", "high"]


def _boxes(document: Document, assets: AssetStore, part_ids: Iterable[str], least: int, deed: str) -> dict[str, tuple[np.ndarray, np.ndarray]]:
    chosen = edits.topmost(document, list(dict.fromkeys(part_ids)))
    found = {i: box for i in chosen if (box := arrange.bounds(document, assets, [i])) is not None}
    if len(found) < least:
        raise BadValue(f"Choose at least {'two' if least == 2 else 'three'} parts to {deed}.")
    return found


def _moved(document: Document, shifts: dict[str, np.ndarray]) -> Document:
    for part_id, shift in shifts.items():
        if np.abs(shift).max() > 1e-12:
            document = arrange.move_in_world(document, [part_id], shift)
    return document


def align(document: Document, assets: AssetStore, part_ids: Iterable[str], axis: str, where: Where) -> Document:
    """Bring the low ends, the middles or the high ends of parts to where those of all together are. Raises BadValue for fewer than two."""
    boxes = _boxes(document, assets, part_ids, 2, "align them")
    k = AXES[axis]
    low, high = min(b[0][k] for b in boxes.values()), max(b[1][k] for b in boxes.values())
    wanted = {"low": low, "middle": 0.5 * (low + high), "high": high}[where]
    shifts = {}
    for part_id, (a, b) in boxes.items():
        shift = np.zeros(3)
        shift[k] = wanted - {"low": a[k], "middle": 0.5 * (a[k] + b[k]), "high": b[k]}[where]
        shifts[part_id] = shift
    return _moved(document, shifts)


def space_evenly(document: Document, assets: AssetStore, part_ids: Iterable[str], axis: str) -> Document:
    """Make the gaps between parts along an axis alike; the outermost two stay. Raises BadValue for fewer than three."""
    boxes = _boxes(document, assets, part_ids, 3, "space them")
    k = AXES[axis]
    order = sorted(boxes, key=lambda i: float(boxes[i][0][k] + boxes[i][1][k]))
    first, last = boxes[order[0]], boxes[order[-1]]
    room = last[0][k] - first[1][k] - sum(float(boxes[i][1][k] - boxes[i][0][k]) for i in order[1:-1])
    gap = room / (len(order) - 1)
    at = first[1][k] + gap
    shifts = {}
    for part_id in order[1:-1]:
        shift = np.zeros(3)
        shift[k] = at - boxes[part_id][0][k]
        shifts[part_id] = shift
        at += float(boxes[part_id][1][k] - boxes[part_id][0][k]) + gap
    return _moved(document, shifts)


def same_size(document: Document, assets: AssetStore, part_ids: Iterable[str]) -> Document:
    """Scale parts evenly, each about the middle of its base, so that their longest sides are as long as the first one's. Raises BadValue."""
    chosen = list(dict.fromkeys(part_ids))
    boxes = _boxes(document, assets, chosen, 2, "make them one size")
    first = next(i for i in chosen if i in boxes)
    wanted = float((boxes[first][1] - boxes[first][0]).max())
    for part_id, (low, high) in boxes.items():
        longest = float((high - low).max())
        if part_id != first and longest > 1e-9:
            pivot = np.array([0.5 * (low[0] + high[0]), 0.5 * (low[1] + high[1]), low[2]])
            document = scale_in_world(document, [part_id], np.full(3, wanted / longest), pivot, np.eye(3))
    return document


def scale_in_world(document: Document, part_ids: Iterable[str], factors, pivot, axes: np.ndarray) -> Document:
    """Scale parts by three factors along the columns of `axes` (3, 3), about a point. Along axes that are not a part's own it grows by as much as
    its own axes point there: a part keeps its right angles. Raises BadValue for a factor of nothing."""
    factors = np.asarray(factors, float)
    if not np.isfinite(factors).all() or np.abs(factors).min() < 1e-6:
        raise BadValue("A thing cannot be scaled to nothing.")
    change = arrange.about_point(axes @ np.diag(factors) @ np.linalg.inv(axes), pivot)
    placements = {}
    for part_id in edits.topmost(document, list(part_ids)):
        part = document.parts[part_id]
        above = world_matrix(document, part.parent)
        local = np.linalg.solve(above, change @ above @ to_matrix(part.placement))
        turn = turn_matrix(part.placement.turn)
        signs = np.sign((turn * local[:3, :3]).sum(0))
        grown = np.where(signs == 0, 1.0, signs) * np.linalg.norm(local[:3, :3], axis=0)
        x, y, z = (float(round(v, 9)) for v in grown)
        px, py, pz = (float(round(v, 9)) for v in local[:3, 3])
        placements[part_id] = replace(part.placement, position=(px, py, pz), scale=(x, y, z))
    return edits.place_parts(document, placements)


def mirror(document: Document, part_ids: Iterable[str], axis: str, pivot) -> Document:
    """Mirror parts at a plane through a point, square to an axis of the world."""
    flip = np.eye(3)
    flip[AXES[axis], AXES[axis]] = -1.0
    return arrange.change_in_world(document, part_ids, arrange.about_point(flip, pivot))


def centre_product(document: Document, assets: AssetStore) -> Document:
    """Slide everything that is no set piece together so that the product stands over the origin, on the floor."""
    product = [i for i in document.roots if not is_set(document, i)]
    if not product:
        raise BadValue("There is no product yet; bring in a model.")
    return arrange.centre(arrange.rest_on_floor(document, assets, product), assets, product)


def is_set(document: Document, part_id: str) -> bool:
    """Whether a part, or everything in a group, is a set piece."""
    leaves = edits.leaves(document, [part_id])
    return bool(leaves) and all(document.parts[i].set_piece is not None for i in leaves)


def pivot_of(document: Document, assets: AssetStore, part_ids: Iterable[str]) -> np.ndarray | None:
    """The point in the world that a selection is turned and scaled about: a single part's own pivot, else the middle of the box of all."""
    chosen = list(part_ids)
    if len(chosen) == 1 and chosen[0] in document.parts and document.parts[chosen[0]].pivot is not None:
        own = np.array([*(document.parts[chosen[0]].pivot or (0.0, 0.0, 0.0)), 1.0])
        return np.asarray((world_matrix(document, chosen[0]) @ own)[:3])
    box = arrange.bounds(document, assets, chosen)
    return None if box is None else 0.5 * (box[0] + box[1])


def set_pivot(document: Document, part_id: str, point) -> Document:
    """Let a part be turned and scaled about a world point; None is the middle of its box again."""
    if point is None:
        return edits.change_part(document, part_id, pivot=None)
    own = np.linalg.solve(world_matrix(document, part_id), [*np.asarray(point, float), 1.0])
    x, y, z = (float(round(v, 6)) for v in own[:3])
    return edits.change_part(document, part_id, pivot=(x, y, z))
