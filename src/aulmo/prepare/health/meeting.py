"""Where parts meet that should not: the same part twice, faces in one plane that would flicker, solids within solids."""

from typing import Callable, Sequence

import numpy as np

from aulmo.prepare.health.look import Body, Look
from aulmo.prepare.health.rays import Rays
from aulmo.prepare.health.sizes import sagitta
from aulmo.prepare.health.skin import three_corners

SAME = 2e-5  # of a part's size: parts nearer than that stand in one place
FLICKER = 1e-3  # mm, and 2e-6 of the whole: faces nearer than that cannot be told apart
ALONG = 0.99  # cosine between two faces that lie in one another
LEAST_OVERLAP = 0.02  # mm: what presses into its neighbour by less is a fit
MOST_SOLID = 400_000  # triangles of two solids that are cut with one another


def pairs_of_boxes(low: np.ndarray, high: np.ndarray, slack: float) -> np.ndarray:
    """(k, 2) pairs of boxes, the lower number first, that come as near as `slack`."""
    order = np.argsort(low[:, 0], kind="stable")
    low, high = low[order] - slack / 2, high[order] + slack / 2
    ends = np.searchsorted(low[:, 0], high[:, 0], "right")
    out = []
    for k in range(len(order)):
        others = np.arange(k + 1, ends[k])
        if len(others):
            near = (low[others, 1:] <= high[k, 1:]).all(1) & (high[others, 1:] >= low[k, 1:]).all(1)
            if near.any():
                out.append(np.stack([np.full(int(near.sum()), k), others[near]], 1))
    if not out:
        return np.zeros((0, 2), int)
    return np.sort(order[np.concatenate(out)], axis=1)


def doubled(bodies: Sequence[Body]) -> list[tuple[Body, Body]]:
    """Parts that stand where another stands already, shaped alike, each with the one that may stay: the first of the tree."""
    if len(bodies) < 2:
        return []
    from scipy.spatial import cKDTree

    boxes = np.array([np.concatenate([b.low, b.high]) for b in bodies])
    sizes = np.array([b.size for b in bodies])
    out: list[tuple[Body, Body]] = []
    gone: set[int] = set()
    pairs = cKDTree(boxes).query_pairs(float(3 * SAME * sizes.max()) + 1e-9, output_type="ndarray")
    for a, b in sorted(map(tuple, np.sort(pairs, 1).tolist())) if len(pairs) else ():
        slack = SAME * sizes[a] + 1e-9
        if a in gone or b in gone or np.abs(boxes[a] - boxes[b]).max() > 3 * slack:
            continue
        one, other = bodies[a], bodies[b]
        areas = [float(_area(x)) for x in (one, other)]
        if abs(areas[0] - areas[1]) > 1e-3 * max(areas) or not _same_place(one, other, slack):
            continue
        gone.add(b)
        out.append((other, one))
    return out


def _area(body: Body) -> float:
    c = body.corners
    return float(np.linalg.norm(np.cross(c[:, 1] - c[:, 0], c[:, 2] - c[:, 0]), axis=1).sum() / 2)


def _same_place(one: Body, other: Body, slack: float) -> bool:
    """Whether the triangles' corners of each lie on the other, however it is cut into triangles and turned."""
    from scipy.spatial import cKDTree

    points = [np.unique(b.corners.reshape(-1, 3), axis=0) for b in (one, other)]
    if len(points[0]) == len(points[1]):
        far = cKDTree(points[0]).query(points[1])[0].max()
        if far <= 3 * slack:
            return True
    middles = [b.corners.mean(1) for b in (one, other)]
    for body, places in ((one, middles[1]), (other, middles[0])):
        chosen = places[:: max(1, len(places) // 256)]
        tree = cKDTree(body.corners.reshape(-1, 3))
        nearest = tree.query(chosen)[1] // 3
        c = body.corners[nearest]
        n = np.cross(c[:, 1] - c[:, 0], c[:, 2] - c[:, 0])
        n /= np.maximum(np.linalg.norm(n, axis=1, keepdims=True), 1e-30)
        if np.quantile(np.abs(((chosen - c[:, 0]) * n).sum(1)), 0.9) > 3 * slack + 1e-3 * body.size:
            return False
    return True


def coincident(look: Look, gone: set[str], same: set[frozenset[str]]) -> list[tuple[Body, Body, np.ndarray]]:
    """Two parts and the places (n, 3) where faces of both lie in one another and face the same way, the smaller part first."""
    samples, rays, bodies = look.samples, look.rays, look.bodies
    if len(bodies) < 2:
        return []
    near = near_faces(look)
    met = rays.meet(samples.at + samples.normal * (2 * near), -samples.normal)
    aligned = (np.abs(met.distance - 2 * near) <= near) & (met.body != samples.body) & (met.body >= 0)
    aligned &= (met.normal * samples.normal).sum(1) > ALONG
    found = {tuple(sorted(p)) for p in zip(samples.body[aligned].tolist(), met.body[aligned].tolist())}
    out = []
    for a, b in sorted(found):
        if bodies[a].part.id in gone or bodies[b].part.id in gone or frozenset((bodies[a].part.id, bodies[b].part.id)) in same:
            continue
        small, large = sorted((bodies[a], bodies[b]), key=_area)
        points, _ = shared_faces(small, large, near)
        if len(points) > 2:
            out.append((small, large, points))
    return out


def near_faces(look: Look) -> float:
    """How near two faces are that flicker, mm."""
    return float(max(FLICKER, 2e-6 * look.rays.size))


def shared_faces(small: Body, large: Body, near: float, count: int = 2000) -> tuple[np.ndarray, np.ndarray]:
    """Places (n, 3) of the smaller part that lie in a face of the larger one that faces the same way, and the unit vector that they face along."""
    generator = np.random.default_rng(3)
    corners = small.corners
    corners = corners[(corners.max(1) >= large.low - near).all(1) & (corners.min(1) <= large.high + near).all(1)]
    cross = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    area = np.linalg.norm(cross, axis=1)
    if not area.sum() > 0:
        return np.zeros((0, 3)), np.zeros(3)
    chosen = generator.choice(len(corners), count, p=area / area.sum())
    at = (corners[chosen] * generator.dirichlet((1.0, 1.0, 1.0), count)[:, :, None]).sum(1)
    normal = cross[chosen] / area[chosen][:, None]
    met = Rays([(large.points, large.mesh.triangles)]).meet(at + normal * (2 * near), -normal)
    shared = (np.abs(met.distance - 2 * near) <= near) & ((met.normal * normal).sum(1) > ALONG)
    way = normal[shared].sum(0)
    return at[shared], way / max(1e-30, float(np.linalg.norm(way)))


def overlaps(
    look: Look, gone: set[str], same: set[frozenset[str]], told: Callable[[str, float], bool | None]
) -> list[tuple[Body, Body, np.ndarray, np.ndarray]]:  # fmt: skip
    """Two solids that share room, and the low and high corner of that. Parts of `gone` and the pairs of `same` are told of otherwise."""
    bodies = look.bodies
    solid = [b.part.id not in gone and bool(b.skin.closed.all()) and not b.skin.crooked and bool((b.skin.volumes > 0).any()) for b in bodies]
    suspects = _entered(look, np.array(solid, bool))
    out = []
    made: dict[int, object] = {}
    for number, (a, b) in enumerate(suspects):
        if number % 16 == 0 and told("Looking for what overlaps", 0.7 + 0.25 * number / len(suspects)) is False:
            return []
        one, other = bodies[a], bodies[b]
        if frozenset((one.part.id, other.part.id)) in same or len(one.mesh.triangles) + len(other.mesh.triangles) > MOST_SOLID:
            continue
        for k in (a, b):
            if k not in made:
                made[k] = solid_of(bodies[k])
        shared = made[a] ^ made[b] if made[a] is not None and made[b] is not None else None  # type: ignore[operator]
        if shared is None or shared.is_empty():
            continue
        volume, area = shared.volume(), shared.surface_area()
        allowed = max(LEAST_OVERLAP, 1.5 * max(_stray(one), _stray(other)))
        if area > 0 and 2 * volume / area > allowed:
            box = np.array(shared.bounding_box())
            small, large = (one, other) if one.size <= other.size else (other, one)
            out.append((small, large, box[:3], box[3:]))
    return out


def _entered(look: Look, solid: np.ndarray) -> list[tuple[int, int]]:
    """Pairs of solids of which one's surface goes into the other: a ray inward from a solid's skin meets another before it leaves, and goes on
    within both for longer than surfaces that merely touch."""
    samples, rays = look.samples, look.rays
    own = solid[samples.body]
    body, at, normal = samples.body[own], samples.at[own], samples.normal[own]
    if not len(body):
        return []
    step = 20 * rays.unit
    first = rays.meet(at - normal * step, -normal)
    into = (first.body >= 0) & (first.body != body) & ((first.normal * normal).sum(1) > 0)  # from before: it goes in
    into[into] = solid[first.body[into]]
    body, other, at, normal = body[into], first.body[into], at[into] - normal[into] * (step + first.distance[into])[:, None], normal[into]
    if not len(body):
        return []
    within = rays.meet(at - normal * step, -normal).distance + step
    deep = within > LEAST_OVERLAP / 2
    pairs = {tuple(sorted(p)) for p in zip(body[deep].tolist(), other[deep].tolist())}
    return [(int(a), int(b)) for a, b in sorted(pairs)]


def _stray(body: Body) -> float:
    """How far a body's triangles may lie from the round shape that they stand for, mm."""
    scale = float(np.linalg.norm(body.matrix[:3, :3], axis=0).max())
    if body.part.shape is not None:
        return body.part.finesse.chord_mm * scale
    return sagitta(body.mesh, body.skin) * scale


def solid_of(body: Body):
    """A body as a solid that can be cut with others, in the world; None when it is none."""
    import manifold3d

    points = body.skin.points @ body.matrix[:3, :3].T + body.matrix[:3, 3]
    cells = body.skin.cells
    cells = cells[three_corners(cells)]
    if np.linalg.det(body.matrix[:3, :3]) < 0:
        cells = cells[:, ::-1]
    made = manifold3d.Manifold(manifold3d.Mesh64(vert_properties=np.ascontiguousarray(points), tri_verts=np.ascontiguousarray(cells, np.uint64)))
    return None if made.status() != manifold3d.Error.NoError or made.is_empty() else made
