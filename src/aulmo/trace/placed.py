"""The second step of a scene: where every instance stands, and which of them move while the shutter is open."""

import math
from typing import NamedTuple

import numpy as np

from aulmo.document.moments import Moments
from aulmo.document.placement import turn_matrix, world_matrices, world_matrix
from aulmo.document.records import Floor

# The floor lies a hair below what stands on it (a share of the set's size): where both are at one height, a ray within glass would meet either.
FLOOR_GAP = 5e-5
DEGREES_PER_STEP, MOST_STEPS = 3.0, 129  # of a part that turns while the shutter is open


class Placed(NamedTuple):
    """Instances' places: world (n, 3, 4), its floor last; the box of all parts; by instance the matrices of those that move."""

    world: np.ndarray
    low: np.ndarray
    high: np.ndarray
    moving: dict[int, np.ndarray]


def matrices_of(moments: Moments, part_ids: list[str]) -> np.ndarray:
    """(n, 3, 4) world matrices of parts when the shutter opens."""
    worlds = world_matrices(moments.first)
    return np.array([worlds[i] for i in part_ids]).reshape(-1, 4, 4)[:, :3, :]


def floor_matrix(floor: Floor, low: np.ndarray, high: np.ndarray) -> np.ndarray:
    """(3, 4) where the floor lies below a set."""
    matrix = np.zeros((3, 4))
    matrix[:, :3] = turn_matrix((0.0, 0.0, floor.turn))
    height = floor.height - FLOOR_GAP * float(np.linalg.norm(high - low))
    matrix[:, 3] = (0.5 * (low[0] + high[0]), 0.5 * (low[1] + high[1]), height) if floor.kind == "cove" else (0, 0, height)
    return matrix


def moving_instances(moments: Moments, part_ids: list[str]) -> dict[int, np.ndarray]:
    """Instances that move while the shutter is open, with (steps, 3, 4) matrices at even times: as many as their turning asks for."""
    moved = moments.moving_parts() if moments.lasting else set()
    numbers = [n for n, part_id in enumerate(part_ids) if part_id in moved]
    if not numbers:
        return {}

    def tracks(which: list[int], count: int) -> np.ndarray:
        """(count, n, 3, 4) of those instances at even times."""
        found = []
        for share in np.linspace(0.0, 1.0, count):
            document = moments.at(float(share))
            if len(which) > 64:
                worlds = world_matrices(document)
                found.append([worlds[part_ids[n]][:3] for n in which])
            else:
                found.append([world_matrix(document, part_ids[n])[:3] for n in which])
        return np.array(found)

    coarse = tracks(numbers, 17)
    steps: dict[int, int] = {}
    for k, number in enumerate(numbers):
        track = coarse[:, k]
        if np.abs(np.diff(track, axis=0)).max() < 1e-9:
            continue
        turned = 0.0
        for one, other in zip(track, track[1:]):
            linear = other[:, :3] @ np.linalg.inv(one[:, :3])
            turned += math.degrees(math.acos(float(np.clip((np.trace(linear) - 1) / 2, -1, 1))))
        steps[number] = int(min(MOST_STEPS, 2 + math.ceil(turned / DEGREES_PER_STEP)))
    if not steps:
        return {}
    fine = tracks(list(steps), max(steps.values()))
    return {number: np.ascontiguousarray(fine[:, k]) for k, number in enumerate(steps)}


def keeps_its_size(track: np.ndarray) -> bool:
    """Whether a part that moves along (steps, 3, 4) matrices only turns and slides."""
    first = track[0, :, :3]
    shape = first.T @ first
    return bool(all(np.allclose(m[:, :3].T @ m[:, :3], shape, rtol=1e-3, atol=1e-6 * float(np.trace(shape))) for m in track[1:]))
