"""Which parts are seen at all: from the shots' cameras, or from any side."""

from typing import TYPE_CHECKING, NamedTuple, Sequence

import numpy as np

from aulmo.prepare.health.rays import spread

if TYPE_CHECKING:
    from aulmo.prepare.health.findings import Body, Look

LEAST, MOST = 48, 512  # places looked from on a part
ROUNDS = (1, 8, 64)  # rays from each of a part's places, until two come through


class Sample(NamedTuple):
    """Places on the parts: which body each is on, where, which way the surface faces, mm and unit vectors."""

    body: np.ndarray
    at: np.ndarray
    normal: np.ndarray


def sampled(bodies: Sequence["Body"], most: int = 60_000) -> Sample:
    """Places spread over every part by area, the middles of its largest triangles among them; fewer on each where there are very many parts."""
    generator = np.random.default_rng(11)
    each = int(min(MOST, max(LEAST, most // max(1, len(bodies)))))
    numbers, places, normals = [], [], []
    for number, body in enumerate(bodies):
        corners = body.corners
        cross = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
        area = np.sqrt((cross * cross).sum(1))
        whole = area.sum()
        if not whole > 0:
            continue
        stairs = np.cumsum(area) / whole
        chosen = np.searchsorted(stairs, (np.arange(each) + generator.random(each)) / each).clip(0, len(area) - 1)
        weights = generator.dirichlet((1.0, 1.0, 1.0), each)
        few = min(len(area), each // 4)
        large = np.argpartition(area, len(area) - few)[len(area) - few :] if few < len(area) else np.arange(len(area))
        chosen = np.concatenate([chosen, large])
        weights = np.concatenate([weights, np.full((len(large), 3), 1 / 3)])
        sound = area[chosen] > 0
        chosen, weights = chosen[sound], weights[sound]
        numbers.append(np.full(len(chosen), number))
        places.append((corners[chosen] * weights[:, :, None]).sum(1))
        normals.append(cross[chosen] / area[chosen][:, None])
    if not numbers:
        return Sample(np.zeros(0, int), np.zeros((0, 3)), np.zeros((0, 3)))
    return Sample(np.concatenate(numbers), np.concatenate(places), np.concatenate(normals))


def unseen(look: "Look", eyes: Sequence[np.ndarray] | None) -> list["Body"]:
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
