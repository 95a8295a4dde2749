"""What stands around: whether a place lies in a closed room, which parts are its walls, and where the product is."""

from typing import NamedTuple

import numpy as np

from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.records import Document
from aulmo.light.dome_map import even_directions
from aulmo.prepare import arrange
from aulmo.trace.pick import pick
from aulmo.trace.scene import Scene

LOOKS = 96  # directions looked into
CLOSED = 0.8  # share of them that has to end on a part
LARGE = 0.3  # of the scene's size: from here on a part of a room is its wall
KEPT_OFF = 0.03  # share of the way that a camera keeps off a wall


class Surroundings(NamedTuple):
    """The parts that are walls of a closed room, the middle of everything else, and the box of the walls: a window is no way out."""

    walls: frozenset[str]
    middle: np.ndarray
    box: tuple[np.ndarray, np.ndarray] | None = None


def look_around(document: Document, assets: AssetStore, scene: Scene, place: np.ndarray) -> Surroundings:
    """What surrounds a place."""
    everything = arrange.bounds(document, assets, document.roots)
    if everything is None:
        return Surroundings(frozenset(), np.zeros(3))
    size = float(np.linalg.norm(everything[1] - everything[0]))
    hits = [pick(scene, place, d) for d in even_directions(LOOKS)] if size > 0 else []
    met = [h.part for h in hits if h is not None and h.part is not None]
    walls: set[str] = set()
    if len(met) >= CLOSED * LOOKS:
        for part in set(met):
            box = arrange.bounds(document, assets, [part]) if part in document.parts else None
            if box is not None and float(np.linalg.norm(box[1] - box[0])) > LARGE * size:
                walls.add(part)
    inner = [i for i in edits.leaves(document, document.roots) if i not in walls and edits.is_shown(document, i)] if walls else []
    box = arrange.bounds(document, assets, inner) if inner else everything
    middle = 0.5 * (box[0] + box[1]) if box is not None else 0.5 * (everything[0] + everything[1])
    return Surroundings(frozenset(walls), middle, arrange.bounds(document, assets, sorted(walls & set(document.parts))) if walls else None)


def walls_between(scene: Scene, walls: frozenset[str], start: np.ndarray, end: np.ndarray) -> list[tuple[str, np.ndarray]]:
    """Walls that a straight way meets, in order, and where."""
    found: list[tuple[str, np.ndarray]] = []
    way = np.asarray(end, float) - start
    length = float(np.linalg.norm(way))
    if length < 1e-9 or not walls:
        return found
    way /= length
    at = np.asarray(start, float)
    for _ in range(64):
        hit = pick(scene, at, way)
        if hit is None or float((hit.point - start) @ way) >= length:
            return found
        if hit.part in walls:
            found.append((hit.part, hit.point))
        at = hit.point + way * max(1e-4 * length, 1e-6)
    return found


def kept_inside(scene: Scene, around: Surroundings, pivot: np.ndarray, wanted: np.ndarray) -> np.ndarray:
    """Where a camera that turns about a pivot stands when it may go neither through a wall nor out of a window."""
    way = np.asarray(wanted, float) - pivot
    met = walls_between(scene, around.walls, pivot, wanted)
    share = float((met[0][1] - pivot) @ way / max(1e-30, way @ way)) if met else 1.0
    if around.box is not None and np.all((pivot > around.box[0]) & (pivot < around.box[1])):
        with np.errstate(divide="ignore", invalid="ignore"):
            to_sides = np.where(way > 0, (around.box[1] - pivot) / way, np.where(way < 0, (around.box[0] - pivot) / way, np.inf))
        share = min(share, float(to_sides.min()))
    return pivot + way * share * (1 - KEPT_OFF) if share < 1.0 else wanted
