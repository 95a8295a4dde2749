"""Light leaks: where light from outside comes into a space that should be closed.

Whatever light comes through has an edge: the rim of a sheet, a corner, the end of a wall. Rays from within pass beside every edge that can be seen,
a hair's breadth to either side and further; those that get away show where, and stepping out from there shows how wide. Through a thick wall hardly
any place looks straight: from every edge that is seen rays also slip along both of its faces, as light would between the sides of a slit.
"""

from typing import NamedTuple, Sequence

import numpy as np

from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.made.set_pieces import name_of_mesh
from aulmo.document.placement import from_matrix
from aulmo.document.records import Document, Part, SetPiece
from aulmo.errors import BadValue
from aulmo.prepare.faces import pieces_between
from aulmo.prepare.health.look import Body, Look
from aulmo.prepare.health.rays import Rays
from aulmo.prepare.health.skin import pairs_of_edges

ALL_ROUND = 4000  # rays that tell whether a place lies within anything
PLACES = 6  # other places of the space that are looked from
NEAR_BY = 0.06  # between the ways of two rays of those, about
OPEN = 0.5  # share of those that may get away; more, and the place lies out of doors
ALONG = 12.0  # mm between two places on an edge at most, and a share of the space
SHARE = 1 / 160
MOST_PLACES = 60_000  # on all edges
BESIDE = (2e-5, 1e-4, 4e-4, 1.6e-3)  # of the space: how far beside an edge a ray passes
SHARP = np.cos(np.radians(20.0))  # between two triangles that make an edge
LEAST = 0.02  # mm: what is narrower lets no light through that counts
TILTS = (0.0, -0.6, 0.6, -1.6, 1.6)  # along the edge, of a ray that slips along a face
WIDEST = 0.05  # of the space
DEPTHS = (-20.0, -8.0, -3.0, 1.0, 3.0, 8.0, 20.0)  # mm along the way out, where the sides of an opening are looked for
DEEPEST = 600.0  # mm of wall that an opening goes through at most
MARGIN = 4.0  # mm that a patch reaches beyond its opening


class Leak(NamedTuple):
    """Where light comes in: the middle of the opening, mm in the world; its breadth; how long it is; two ends (2, 3), the way across it and the way
    out of it, unit vectors."""

    at: tuple[float, float, float]
    size_mm: float
    length_mm: float
    ends: np.ndarray
    across: np.ndarray
    out: np.ndarray


def leaks(document: Document, assets: AssetStore, place: Sequence[float], meant: Sequence[tuple[float, float, float]] = ()) -> list[Leak]:
    """Where outside light comes into the space that a place (mm) lies in, the widest first. Openings whose middle lies by one of `meant` are windows,
    and left out. Raises BadValue when the place does not lie within anything, or is no place."""
    eye = np.asarray(place, float)
    if eye.shape != (3,) or not np.isfinite(eye).all():
        raise BadValue("A place is three numbers in mm.")
    look = Look(document, assets, with_set=True)
    if not look.bodies:
        raise BadValue("There is nothing around that place.")
    generator = np.random.default_rng(17)
    rays = _solid_rays(document, look)
    around = generator.normal(size=(ALL_ROUND, 3))
    around /= np.linalg.norm(around, axis=1, keepdims=True)
    met = rays.meet(np.tile(eye, (ALL_ROUND, 1)), around)
    inside = np.isfinite(met.distance)
    if inside.mean() < 1 - OPEN:
        raise BadValue("That place does not lie within a space that could be closed: most of what is round it is open.")
    size = float(2 * np.median(met.distance[inside]))
    eyes = [eye, *_other_places(rays, eye, around, met.distance, generator)]
    edges = _edges(look, size)
    hits = []
    wide = _wide(eye, around, met.distance)
    for start in eyes:
        seen = met if start is eye else rays.meet(np.tile(start, (ALL_ROUND, 1)), around)
        through = around[np.isinf(seen.distance)]  # as wide as rays all round go through by themselves: told as a whole, not by what stands before it
        found = _passing(rays, start, edges.at, edges.along, size)
        hits.append(found[_apart(found[:, 3:6], through) & ~_leaves_by(wide, found[:, :3], found[:, 3:6])])
    out = wide + [leak for leak in (_told(rays, group, size) for group in _grouped(np.concatenate(hits), size)) if leak is not None]
    out += _slipping(rays, eyes, edges, wide, size)
    step = max(ALONG, SHARE * size)
    near = lambda leak: any(np.linalg.norm(np.array(leak.at) - np.array(m)) < max(leak.length_mm, 50.0) for m in meant)  # noqa: E731
    return sorted((leak for leak in _merged(out, step) if not near(leak)), key=lambda leak: -leak.size_mm)


def _apart(ways: np.ndarray, through: np.ndarray) -> np.ndarray:
    """(n,) whether no ray that went through something wide ran nearly the same way."""
    if not len(through) or not len(ways):
        return np.ones(len(ways), bool)
    from scipy.spatial import cKDTree

    return np.asarray(cKDTree(through).query(ways)[0] > NEAR_BY)


def _leaves_by(wide: list[Leak], starts: np.ndarray, ways: np.ndarray) -> np.ndarray:
    """(n,) whether a ray goes out by one of the wide openings, past whatever it slipped by before."""
    out = np.zeros(len(starts), bool)
    for leak in wide:
        away = np.array(leak.at) - starts
        ahead = (away * ways).sum(1)
        aside = np.linalg.norm(away - ahead[:, None] * ways, axis=1)
        out |= (ahead > 0) & (aside < 0.75 * leak.length_mm)
    return out


def _wide(eye: np.ndarray, around: np.ndarray, distance: np.ndarray) -> list[Leak]:
    """Openings that rays all round find by themselves, as windows and doors are: their middle where the wall round them lies, about as large as they
    are."""
    from scipy.spatial import cKDTree

    gone = np.isinf(distance)
    ways = around[gone]
    if not len(ways):
        return []
    pairs = cKDTree(ways).query_pairs(1.6 * NEAR_BY, output_type="ndarray")
    label = pieces_between(len(ways), pairs[:, 0], pairs[:, 1]) if len(pairs) else np.arange(len(ways))
    walls, far = cKDTree(around[~gone]), distance[~gone]
    out = []
    for k in range(int(label.max()) + 1):
        mine = ways[label == k]
        beside = np.unique(np.concatenate([np.array(b, int) for b in walls.query_ball_point(mine, 2.5 * NEAR_BY)]))
        if not len(beside):
            continue
        way = mine.mean(0) / max(1e-30, float(np.linalg.norm(mine.mean(0))))
        wall = float(np.median(far[beside]))
        right = np.cross(way, (0.0, 0.0, 1.0) if abs(way[2]) < 0.9 else (1.0, 0.0, 0.0))
        right /= np.linalg.norm(right)
        up = np.cross(right, way)
        spread = [wall * (float(np.ptp(mine @ axis)) + NEAR_BY) for axis in (right, up)]
        long, across = (right, up) if spread[0] >= spread[1] else (up, right)
        x, y, z = (float(v) for v in eye + way * wall)
        middle = np.array((x, y, z))
        reach = max(spread) / 2
        out.append(Leak((x, y, z), min(spread), max(spread), np.array([middle - long * reach, middle + long * reach]), across, way))
    return out


def _solid_rays(document: Document, look: Look) -> Rays:
    """What lets no light through: the parts that are not clear, and the shot's floor."""
    bodies = [(b.points, b.mesh.triangles) for b in look.bodies if not b.clear]
    if document.floor.kind != "none":
        far = 20 * look.rays.size
        corners = np.array([[x, y, 0.0] for x, y in ((-far, -far), (far, -far), (far, far), (-far, far))])
        corners += (*look.rays.middle[:2], document.floor.height)
        bodies.append((corners, np.array([[0, 1, 2], [0, 2, 3]])))
    return Rays(bodies)


def _other_places(rays: Rays, eye: np.ndarray, around: np.ndarray, distance: np.ndarray, generator: np.random.Generator) -> list[np.ndarray]:
    """Places of the same space that see what the first one does not: toward far walls, each well within."""
    wanted = np.argsort(-np.where(np.isfinite(distance), distance, 0))[: ALL_ROUND // 4]
    out: list[np.ndarray] = []
    for k in generator.permutation(wanted):
        spot = eye + 0.7 * distance[k] * around[k]
        if all(np.linalg.norm(spot - other) > 0.3 * distance[k] for other in out):
            out.append(spot)
        if len(out) == PLACES:
            break
    return out


class _Edges(NamedTuple):
    """Places (n, 3) on every edge that light can pass, the way that it runs there; for edges of two faces their normals (n, 2, 3), and the ways from
    the edge into both (n, 2, 3); not numbers for rims."""

    at: np.ndarray
    along: np.ndarray
    normals: np.ndarray
    into: np.ndarray


def _edges(look: Look, size: float) -> _Edges:
    found = [x for body in look.bodies for x in _sharp(body)]
    a, b, normals, into = (np.concatenate([x[k] for x in found]) for k in range(4))
    length = np.linalg.norm(b - a, axis=1)
    kept = length > 0
    a, b, normals, into, length = a[kept], b[kept], normals[kept], into[kept], length[kept]
    counts = np.maximum(1, np.ceil(length / max(ALONG, SHARE * size))).astype(int)
    if counts.sum() > MOST_PLACES:
        counts = np.maximum(1, np.floor(counts * MOST_PLACES / counts.sum())).astype(int)
    owner = np.repeat(np.arange(len(a)), counts)
    share = (np.arange(len(owner)) - np.repeat(np.cumsum(counts) - counts, counts) + 0.5) / counts[owner]
    return _Edges(a[owner] + share[:, None] * (b[owner] - a[owner]), (b - a)[owner] / length[owner][:, None], normals[owner], into[owner])


def _sharp(body: Body) -> list[tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]]:
    """Ends of the edges of a part that are rims, or sharp, with the normals of both faces and the ways into them."""
    skin = body.skin
    world = skin.points @ body.matrix[:3, :3].T + body.matrix[:3, 3]
    out = []
    if len(skin.rims):
        none = np.full((len(skin.rims), 2, 3), np.nan)
        out.append((world[skin.rims[:, 0]], world[skin.rims[:, 1]], none, none))
    cells = skin.cells
    p = world[cells]
    normal = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-30)
    a, b, first, second = pairs_of_edges(cells, len(skin.points))
    sharp = (normal[first // 3] * normal[second // 3]).sum(1) < SHARP
    a, b, first, second = a[sharp], b[sharp], first[sharp], second[sharp]
    normals = np.stack([normal[first // 3], normal[second // 3]], 1)
    way = world[b] - world[a]
    way /= np.maximum(np.linalg.norm(way, axis=1, keepdims=True), 1e-30)
    into = np.cross(normals, np.stack([way, -way], 1))  # a triangle lies to the left of its edge, seen from outside
    out.append((world[a], world[b], normals, into))
    return out


def _slipping(rays: Rays, eyes: list[np.ndarray], edges: _Edges, wide: list[Leak], size: float) -> list[Leak]:
    """Openings through which light slips along one face of an edge that is seen."""
    step = max(ALONG, SHARE * size)
    rows = []
    two = np.isfinite(edges.normals[:, 0, 0])
    for side in (0, 1):
        for share in BESIDE[:3]:
            normal, into = edges.normals[two, side], edges.into[two, side]
            start = edges.at[two] + share * size * (normal - into)  # over the face, just before its edge
            free = np.zeros(len(start), bool)
            for eye in eyes:
                left = np.flatnonzero(~free)
                away = start[left] - eye
                distance = np.linalg.norm(away, axis=1)
                met = rays.meet(np.tile(eye, (len(left), 1)), away / np.maximum(distance, 1e-9)[:, None])
                free[left] = met.distance >= distance * (1 - 1e-5)
            start, normal, into, along = start[free], normal[free], into[free], edges.along[two][free]
            for tilt in TILTS:
                way = into + tilt * along
                way /= np.maximum(np.linalg.norm(way, axis=1, keepdims=True), 1e-30)
                gone = np.isinf(rays.meet(start, way).distance) & ~_leaves_by(wide, start, way)
                if not gone.any():
                    continue
                within = start[gone] + into[gone] * (share * size + min(DEPTHS[-1], 0.002 * size))
                breadth = rays.meet(within, normal[gone]).distance + share * size
                kept = breadth < WIDEST * size  # wider, it is no slit, and is seen straight through
                here = start[gone][kept] + normal[gone][kept] * (breadth[kept] / 2 - share * size)[:, None]
                rows.append(np.concatenate([here, way[gone][kept], breadth[kept][:, None], along[gone][kept], normal[gone][kept]], 1))
    if not rows:
        return []
    out = []
    for group in _grouped(np.concatenate(rows), size):
        along = group[0, 7:10]
        middle = group[:, :3].mean(0)
        spread = (group[:, :3] - middle) @ along
        centre = middle + along * (spread.max() + spread.min()) / 2
        long = float(np.ptp(spread)) + step
        width = float(np.median(group[:, 6]))
        if width >= LEAST:
            x, y, z = (float(v) for v in centre)
            ends = np.array([centre - along * long / 2, centre + along * long / 2])
            out.append(Leak((x, y, z), width, long, ends, group[0, 10:13], group[0, 3:6]))
    return out


def _passing(rays: Rays, eye: np.ndarray, points: np.ndarray, along: np.ndarray, size: float) -> np.ndarray:
    """Rays from a place that pass beside an edge and get away: (k, 13) where each passes, which way it went, how far beside the edge, the way along
    the edge, and the place."""
    away = points - eye
    distance = np.linalg.norm(away, axis=1)
    toward = away / np.maximum(distance, 1e-9)[:, None]
    free = rays.meet(np.tile(eye, (len(points), 1)), toward).distance >= distance * (1 - 1e-3) - 2 * max(BESIDE) * size
    points, toward, along = points[free], toward[free], along[free]
    aside = np.cross(along, toward)
    length = np.linalg.norm(aside, axis=1)
    sound = length > 0.05  # seen end on it has no side
    points, along, aside = points[sound], along[sound], aside[sound] / length[sound][:, None]
    out = []
    for share in BESIDE:
        for sign in (1.0, -1.0):
            through = points + sign * share * size * aside
            way = through - eye
            way /= np.linalg.norm(way, axis=1, keepdims=True)
            gone = np.isinf(rays.meet(np.tile(eye, (len(through), 1)), way).distance)
            if gone.any():
                n = int(gone.sum())
                out.append(np.concatenate([through[gone], way[gone], np.full((n, 1), share * size), along[gone], np.tile(eye, (n, 1))], 1))
    return np.concatenate(out) if out else np.zeros((0, 13))


def _grouped(hits: np.ndarray, size: float) -> list[np.ndarray]:
    """Rays that got away by which opening they went through: those that passed near one another, the same way along the edge."""
    if not len(hits):
        return []
    from scipy.spatial import cKDTree

    step = max(ALONG, SHARE * size)
    pairs = cKDTree(hits[:, :3]).query_pairs(1.6 * step, output_type="ndarray")
    if len(pairs):
        alike = np.abs((hits[pairs[:, 0], 7:10] * hits[pairs[:, 1], 7:10]).sum(1)) > 0.9
        pairs = pairs[alike]
    label = pieces_between(len(hits), pairs[:, 0], pairs[:, 1]) if len(pairs) else np.arange(len(hits))
    return [hits[label == k] for k in range(int(label.max()) + 1)]


def _told(rays: Rays, group: np.ndarray, size: float) -> Leak | None:
    """An opening, measured: from rays that went through it, out to both sides until they meet something."""
    along = group[0, 7:10]
    along = along / np.linalg.norm(along)
    spread = (group[:, :3] - group[:, :3].mean(0)) @ along
    step = max(ALONG, SHARE * size)
    long = float(np.ptp(spread)) + step if len(group) > 1 else step
    widths, middles, acrosses = [], [], []
    for row in group[:: max(1, len(group) // 9)]:
        at, way = row[:3], row[3:6]
        across = np.cross(along, way)
        across /= max(1e-30, float(np.linalg.norm(across)))
        reach = [_until_met(rays, row[10:13], at, sign * across) for sign in (1.0, -1.0)]
        widths.append(sum(reach))
        middles.append(at + (reach[0] - reach[1]) / 2 * across)
        acrosses.append(across)
    width, across = float(np.median(widths)), np.mean(acrosses, axis=0)
    if width < LEAST:
        return None
    middle = np.mean(middles, axis=0)
    centre = middle + along * ((spread.max() + spread.min()) / 2 - float((middle - group[:, :3].mean(0)) @ along))
    out = group[:, 3:6].mean(0)
    out = out / max(1e-30, float(np.linalg.norm(out)))
    if width > long:  # seen by its short end: its length lies the other way
        long, along, across = width, across, along
        width = sum(_until_met(rays, group[0, 10:13], centre, sign * across) for sign in (1.0, -1.0))
    width = max(width, _breadth(rays, centre, out, across, width))
    x, y, z = (float(v) for v in centre)
    return Leak((x, y, z), width, long, np.array([centre - along * long / 2, centre + along * long / 2]), across, out)


def _breadth(rays: Rays, at: np.ndarray, out: np.ndarray, across: np.ndarray, seen: float) -> float:
    """How far apart the sides of an opening through a wall are, which is more than what is seen of it aslant; 0 through a sheet without sides."""
    found = []
    for depth in DEPTHS:
        start = np.tile(at + out * depth, (2, 1))
        met = rays.meet(start, np.array([across, -across]))
        if np.isfinite(met.distance).all() and met.distance.sum() < 12 * seen + 20:
            apart = across * met.distance.sum()
            found.append(abs(float(apart @ met.normal[0])))
    return min(found, default=0.0)


def _until_met(rays: Rays, eye: np.ndarray, at: np.ndarray, aside: np.ndarray) -> float:
    """How far the place that a ray goes through can be moved aside while the ray still gets away."""
    distance = float(np.linalg.norm(at - eye))

    def free(far: float) -> bool:
        way = at + aside * far - eye
        return bool(np.isinf(rays.meet(eye[None], (way / np.linalg.norm(way))[None]).distance[0]))

    near, far = 0.0, 1e-5 * distance
    while far < distance and free(far):
        near, far = far, 1.5 * far
    for _ in range(10):
        middle = (near + far) / 2
        near, far = (middle, far) if free(middle) else (near, middle)
    return near


def _merged(found: list[Leak], step: float) -> list[Leak]:
    """Openings once each: both edges of one are found, in pieces, and every place that looks finds them again."""
    out: list[Leak] = []
    for leak in sorted(found, key=lambda one: -one.length_mm):
        whole = leak
        joined = True
        while joined:
            joined = False
            for other in out:
                if _belongs(whole, other, step):
                    out.remove(other)
                    whole = _together(other, whole)
                    joined = True
                    break
        out.append(whole)
    return out


def _along(leak: Leak) -> np.ndarray:
    way = leak.ends[1] - leak.ends[0]
    return way / max(1e-30, float(np.linalg.norm(way)))


def _belongs(leak: Leak, other: Leak, step: float) -> bool:
    """Whether an opening is a piece of another one, or the end of it."""
    along = _along(other)
    parallel = abs(float(_along(leak) @ along)) > 0.9
    away = np.array(leak.at) - np.array(other.at)
    reach = other.length_mm / 2 + (leak.length_mm / 2 if parallel else 0.0) + 3 * step
    beside = max(other.size_mm, leak.size_mm if parallel else 0.0) + MARGIN
    return bool(abs(away @ along) < reach and abs(away @ other.across) < beside and np.linalg.norm(away) < reach + DEEPEST)


def _together(one: Leak, other: Leak) -> Leak:
    """Two pieces of an opening as one, along the longer one."""
    first, second = (one, other) if one.length_mm >= other.length_mm else (other, one)
    along = _along(first)
    if abs(float(_along(second) @ along)) <= 0.9:
        return first
    middle = np.array(first.at)
    reach = (np.concatenate([first.ends, second.ends]) - middle) @ along
    low, high = float(reach.min()), float(reach.max())
    x, y, z = (float(v) for v in middle + along * (low + high) / 2)
    ends = np.array([middle + along * low, middle + along * high])
    return first._replace(at=(x, y, z), size_mm=max(first.size_mm, second.size_mm), length_mm=high - low, ends=ends)


def closed(document: Document, leak: Leak) -> tuple[Document, str]:
    """A patch over an opening: a thin block as a set piece of its own, across the way that light comes. Returns the document and the patch's id."""
    along = leak.ends[1] - leak.ends[0]
    along = along / max(1e-30, float(np.linalg.norm(along)))
    across = leak.across - (leak.across @ along) * along
    across = across / max(1e-30, float(np.linalg.norm(across)))
    facing = np.cross(along, across)
    matrix = np.eye(4)
    matrix[:3, :3] = np.stack([along, across, facing], 1)
    thick = max(1.0, 0.2 * leak.size_mm)
    matrix[:3, 3] = np.array(leak.at) - facing * thick / 2
    piece = SetPiece(kind="block", width=leak.length_mm + 2 * MARGIN, depth=leak.size_mm + 2 * MARGIN, height=thick, bevel=0.0)
    name = edits.free_name("Patch", (p.name for p in document.parts.values()))
    part = Part(id=edits.new_id(), name=name, placement=from_matrix(matrix), mesh=name_of_mesh(piece), set_piece=piece)
    return edits.add_parts(document, [part], [part.id]), part.id


