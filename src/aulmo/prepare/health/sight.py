"""Which parts are seen at all: from the shots' cameras, or from any side."""

from typing import Sequence

import numpy as np

from aulmo.prepare.health.look import Body, Look
from aulmo.prepare.health.rays import spread

ROUNDS = (1, 8, 64)  # rays from each of a part's places, until two come through


def unseen(look: Look, eyes: Sequence[np.ndarray] | None) -> list[Body]:
    """The parts that no ray reaches: from the places `eyes`, or, when that is None, from far away on any side. What is clear hides nothing, and
    what glows is needed though nobody sees it."""
    samples, rays = look.samples, look.rays
    generator = np.random.default_rng(5)
    through = np.zeros(len(look.bodies), int)
    if eyes is not None:
        for eye in eyes:
            away = eye - samples.at
            distance = np.linalg.norm(away, axis=1)
            toward = away / np.maximum(distance, 1e-30)[:, None]
            side = np.sign((toward * samples.normal).sum(1, keepdims=True))
            free = rays.meet(samples.at + side * samples.normal * (20 * rays.unit), toward, look.clear).distance >= distance * (1 - 1e-6)
            through += np.bincount(samples.body, free, len(through)).astype(int)
        missing = through == 0
    else:
        missing = np.ones(len(look.bodies), bool)
        unsure = np.array([not b.skin.closed.all() or b.skin.crooked or b.skin.volumes.min() < 0 for b in look.bodies], bool)
        for each in ROUNDS:
            chosen = np.flatnonzero(missing[samples.body])
            if not len(chosen):
                break
            own = np.repeat(samples.body[chosen], each)
            facing = np.repeat(samples.normal[chosen], each, 0)
            origins = np.repeat(samples.at[chosen], each, 0)
            two_sided = unsure[own]
            facing = np.where((two_sided & (generator.random(len(own)) < 0.5))[:, None], -facing, facing)
            free = np.isinf(rays.meet(origins + facing * (20 * rays.unit), spread(facing, generator), look.clear).distance)
            through += np.bincount(own, free, len(through)).astype(int)
            missing = through < 2
    glowing = {i for i, m in look.document.materials.items() if m.surface.emission_luminance > 0}
    return [
        b for k, b in enumerate(look.bodies)
        if missing[k] and not b.clear and not (glowing & {b.part.material, *(s.material for s in b.part.face_sets)})
    ]  # fmt: skip
