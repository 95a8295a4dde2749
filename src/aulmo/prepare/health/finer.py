"""Shapes that are finer than any shot shows: holes narrower than a pixel closed, triangles joined as far as that stays within a part of a pixel."""

from collections import Counter
from typing import Callable, NamedTuple, Sequence

import numpy as np

from aulmo.document.meshes import Mesh
from aulmo.document.records import Camera, Document, Shot
from aulmo.prepare.faces import Faces, pieces_between
from aulmo.prepare.fine_enough import pixel_mm
from aulmo.prepare.health.closing import lid
from aulmo.prepare.health.flaws import chains
from aulmo.prepare.health.look import Body
from aulmo.prepare.health.sizes import cameras_of_shots, nearest_in_frame
from aulmo.prepare.health.skin import Skin, pairs_of_edges, skin_of

OFF = 0.25  # of a pixel that a surface may stray
WORTH = 10_000  # triangles that parts of one mesh must save together
HALF = 0.5  # of its triangles that may be left at most
MOST_HALVED, TOLD_HALVED = 7, 3  # times that triangles are joined to half as many, and so far it is tried to tell of it
DEEP = 3.0  # widths of its rim that a hollow behind it may be wide
FEW_TRIED, TRIED, NEAR = 150, 1500, 10  # places by which the stray is measured, and triangles about each


class Simpler(NamedTuple):
    """A mesh made simpler, how many holes were closed, and how far its surface strays from what it was, in mm."""

    mesh: Mesh
    holes: int
    off: float


class Fine(NamedTuple):
    """Parts of one mesh that is finer than their shots show, the first of so `many`: how wide a pixel of the nearest shot is there, in the mesh's own
    mm, and what would be left."""

    body: Body
    many: int
    pixel: float
    left: int
    holes: int
    off: float
    shot: str


def fine(
    document: Document, bodies: Sequence[Body], known: dict[tuple[str, float], tuple[int, int, float] | None],
    tell: Callable[[], bool] = lambda: True,
) -> list[Fine]:  # fmt: skip
    """Parts of which a shot's camera would see less than half, for what they hold. `known` keeps what was worked out by mesh and pixel; `tell` is
    asked before each whether to go on."""
    seen = cameras_of_shots(document)
    pixels: dict[str, tuple[float, str]] = {}  # of a mesh, the smallest of all that share it
    worn = Counter(body.part.mesh or "" for body in bodies)
    for body in bodies if seen else ():
        name = body.part.mesh or ""
        if len(body.mesh.triangles) * worn[name] < WORTH:
            continue
        stretch = float(np.linalg.norm(body.matrix[:3, :3], axis=0).max())
        if not _may_be_dense(body, stretch, seen):
            worn[name] = 0  # one of them is near enough for all that share the mesh
            continue
        for shot, camera in seen:
            near = nearest_in_frame(body, camera, shot)
            if near is not None and stretch > 0 and pixel_mm(camera, shot, near) / stretch < pixels.get(name, (np.inf, ""))[0]:
                pixels[name] = pixel_mm(camera, shot, near) / stretch, shot.name
    out = []
    for body in bodies:
        name = body.part.mesh or ""
        if name not in pixels:
            continue
        if not tell():
            return []
        nearest = pixels.pop(name)
        pixel, named = _step(nearest[0]), nearest[1]
        key = (name, pixel)
        if key not in known:
            known[key] = _what_is_left(body, pixel) if _is_dense(body, pixel) else None
        told = known[key]
        whole = len(body.mesh.triangles)
        if told is not None and told[0] <= HALF * whole and (whole - told[0]) * worn[name] >= WORTH:
            out.append(Fine(body, worn[name], pixel, *told, named))
    return out


def _step(mm: float) -> float:
    """The next smaller of a few steps, so that a small turn of a camera asks for nothing new."""
    return float(f"{1.25 ** np.floor(np.log(mm) / np.log(1.25)):.4g}")


def _may_be_dense(body: Body, stretch: float, seen: Sequence[tuple[Shot, Camera]]) -> bool:
    """Whether a pixel could cover more than a triangle, were the part as far away as the farthest corner of its box."""
    middle, reach = (body.low + body.high) / 2, float(np.linalg.norm(body.high - body.low)) / 2
    far = max(pixel_mm(camera, shot, float(np.linalg.norm(middle - camera.position)) + reach) for shot, camera in seen)
    return _is_dense(body, far / max(stretch, 1e-12))


def _is_dense(body: Body, pixel: float) -> bool:
    """Whether a pixel covers more than a triangle of a mesh."""
    return float(np.median(body.skin.areas)) < pixel**2


def simpler(mesh: Mesh, pixel: float) -> Simpler:
    """A mesh without what a pixel of so many mm cannot show: holes and recesses whose rim is narrower are closed flat, then triangles are joined as
    far as the surface stays within a quarter of a pixel of what it was. It keeps its face numbers; the same mesh when there is nothing to gain."""
    plain, holes = _without_holes(mesh, pixel, skin_of(mesh))
    surface, off = _fewest(skin_of(plain), OFF * pixel)
    return Simpler(plain if surface is None else _dressed(plain, *surface), holes, off)


def _what_is_left(body: Body, pixel: float) -> tuple[int, int, float]:
    """The same in numbers, found sooner: how many triangles are left at most, holes that were closed, how far the surface strays."""
    plain, holes = _without_holes(body.mesh, pixel, body.skin)
    surface, off = _fewest(body.skin if plain is body.mesh else skin_of(plain), OFF * pixel, TOLD_HALVED)
    return len(plain.triangles) if surface is None else len(surface[1]), holes, off


def _fewest(whole: Skin, most: float, times: int = MOST_HALVED) -> tuple[tuple[np.ndarray, np.ndarray] | None, float]:
    """Points and triangles of a surface in as few as stay within so many mm of it, by halves, and how far they do; None when all are wanted."""
    held, off = None, 0.0
    fewer = whole.points, whole.cells
    for _ in range(times):
        made = _joined(*fewer, max(12, len(fewer[1]) // 2))
        if made is None or len(made[1]) > 0.9 * len(fewer[1]):
            break
        stray = _off(whole, made, most)
        if stray > most:
            break
        held, fewer, off = made, made, stray
    return held, off


def _off(whole: Skin, made: tuple[np.ndarray, np.ndarray], most: float) -> float:
    """How far a surface and a simpler one lie apart, mm, either way; what is too far by a few places is not looked at by more."""
    stray = 0.0
    for tried in (FEW_TRIED, TRIED):
        stray = max(_stray(whole.points, *made, tried), _stray(made[0], whole.points, whole.cells, tried))
        if stray > most:
            break
    return stray


# holes


def _without_holes(mesh: Mesh, width: float, skin: Skin) -> tuple[Mesh, int]:
    """A mesh with its recesses and holes closed whose rims are no wider, and how many there were."""
    faces = Faces(mesh)
    of, count = faces.of, len(faces.numbers)
    a, b, first, second = pairs_of_edges(skin.cells, len(skin.points))
    one, other = of[first // 3], of[second // 3]
    border = one != other
    if not border.any():
        return mesh, 0
    a, b, one, other = a[border], b[border], one[border], other[border]
    # borders of two faces, each line of them by itself
    pair = np.minimum(one, other).astype(np.int64) * count + np.maximum(one, other)
    names, place = np.unique(pair, return_inverse=True)
    ends = np.unique(np.concatenate([place * np.int64(len(skin.points)) + a, place * np.int64(len(skin.points)) + b]))
    nodes = np.searchsorted(ends, place * np.int64(len(skin.points)) + a), np.searchsorted(ends, place * np.int64(len(skin.points)) + b)
    line = pieces_between(len(ends), *nodes)[nodes[0]]
    wide = _widths(skin.points, a, b, line) > width
    groups = pieces_between(count, one[wide], other[wide])
    area = np.bincount(groups, faces.area, int(groups.max()) + 1)
    body_of = np.zeros(count, np.int64)
    body_of[of] = skin.piece
    largest = {int(p): int(groups[body_of == p][np.argmax(area[groups[body_of == p]])]) for p in np.unique(body_of)}
    loose = ~np.isin(groups, list(largest.values()))  # faces that hang on the rest by narrow rims alone
    if not loose.any():
        return mesh, 0
    held = loose[one] & loose[other]
    hollow = pieces_between(count, one[held], other[held])
    gone, holes = np.zeros(len(of), bool), 0
    for number in np.unique(hollow[loose]):
        cells = np.flatnonzero(loose[of] & (hollow[of] == number))
        if _is_narrow_hollow(skin, cells, width):
            gone[cells] = True
            holes += 1
    return (_closed(mesh, skin, gone), holes) if holes else (mesh, 0)


def _widths(points: np.ndarray, a: np.ndarray, b: np.ndarray, line: np.ndarray) -> np.ndarray:
    """For each border edge how wide the whole line is that it belongs to: the longest side of its box."""
    many = int(line.max()) + 1
    low, high = np.full((many, 3), np.inf), np.full((many, 3), -np.inf)
    for ends in (a, b):
        np.minimum.at(low, line, points[ends])
        np.maximum.at(high, line, points[ends])
    return (high - low).max(1)[line]


def _is_narrow_hollow(skin: Skin, cells: np.ndarray, width: float) -> bool:
    """Whether triangles go into a solid, through a narrow rim, and are not wide behind it."""
    corners = skin.points[skin.cells[cells]]
    rims = _rims(skin.cells[cells])
    loops = [line for line, closed in chains(rims) if closed and len(line) > 2]
    if not loops or sum(len(line) for line in loops) != len(rims):
        return False
    middle = corners.reshape(-1, 3).mean(0)
    volume = np.einsum("ij,ij->i", corners[:, 0] - middle, np.cross(corners[:, 1] - middle, corners[:, 2] - middle)).sum()
    for line in loops:  # closed by a fan, as it is without them
        ends = skin.points[line] - middle
        centre = ends.mean(0)
        volume += np.einsum("ij,ij->i", np.tile(centre, (len(ends), 1)), np.cross(np.roll(ends, -1, 0), ends)).sum()
    spread = np.sqrt(np.maximum(0, np.linalg.eigvalsh(np.cov(corners.reshape(-1, 3).T))))
    return bool(volume < 0 and 2 * spread[1] < DEEP * width)


def _rims(cells: np.ndarray) -> np.ndarray:
    """(k, 2) edges that only one of some triangles has, as it runs."""
    a, b = cells[:, [0, 1, 2]].ravel(), cells[:, [1, 2, 0]].ravel()
    many = int(cells.max()) + 1
    alone = ~np.isin(a * many + b, b * many + a)
    return np.stack([a[alone], b[alone]], 1)


def _closed(mesh: Mesh, skin: Skin, gone: np.ndarray) -> Mesh:
    """A mesh without some triangles, the rims that they leave closed flat, each lid a share of a face that it lies in."""
    kept = mesh.triangles[~gone].astype(np.int64)
    own = Faces(mesh).counted.faces
    numbers = own[~gone]
    rims = _rims(skin.cells[~gone])
    before = set(map(tuple, skin.rims.tolist()))
    runs = skin.cells[~gone]
    owner = dict(zip(zip(runs.ravel().tolist(), runs[:, [1, 2, 0]].ravel().tolist()), range(3 * len(kept))))
    cells, faces = [kept], [numbers]
    for line, closed in chains(rims):
        edges = list(zip(line.tolist(), np.roll(line, -1).tolist()))
        if not closed or len(line) < 3 or edges[0] in before:
            continue
        corner = np.array([owner[e] for e in edges])  # the kept triangle's corner at which each edge of the rim begins
        _, flat = lid(skin.points[line])
        cells.append(kept.ravel()[corner][flat])
        faces.append(np.full(len(flat), numbers[corner[0] // 3], numbers.dtype))
    triangles = np.concatenate(cells)
    used, back = np.unique(triangles, return_inverse=True)
    uv = mesh.uv[used] if len(mesh.uv) else mesh.uv
    return Mesh(mesh.vertices[used], mesh.normals[used], back.reshape(-1, 3).astype(np.uint32), np.concatenate(faces), uv)


# triangles


def _joined(points: np.ndarray, cells: np.ndarray, most: int) -> tuple[np.ndarray, np.ndarray] | None:
    """Points and triangles of the same surface in fewer triangles (Garland and Heckbert 1997, by a library)."""
    import fast_simplification

    cells = cells[(cells[:, 0] != cells[:, 1]) & (cells[:, 1] != cells[:, 2]) & (cells[:, 0] != cells[:, 2])]
    if len(cells) <= most:
        return None
    points, made = fast_simplification.simplify(points.astype(np.float64), cells.astype(np.int32), target_count=most)
    return (np.asarray(points, float), np.asarray(made, np.int64)) if len(made) else None


def _stray(places: np.ndarray, points: np.ndarray, cells: np.ndarray, tried: int) -> float:
    """How far the farthest of some places lies from a surface, mm, by some triangles whose middles are nearest: never too little."""
    from scipy.spatial import cKDTree

    chosen = places[:: max(1, len(places) // tried)]
    corners = points[cells]
    _, near = cKDTree(corners.mean(1)).query(chosen, k=min(NEAR, len(cells)))
    near = near.reshape(len(chosen), -1)
    found = np.full(len(chosen), np.inf)
    for k in range(near.shape[1]):
        found = np.minimum(found, _to_triangles(chosen, corners[near[:, k]]))
    return float(found.max())


def _to_triangles(p: np.ndarray, corners: np.ndarray) -> np.ndarray:
    """(n,) how far each place lies from a triangle of its own: within it from its plane, else from the nearest of its edges."""
    a, b, c = corners[:, 0], corners[:, 1], corners[:, 2]
    normal = np.cross(b - a, c - a)
    length = np.linalg.norm(normal, axis=1)
    inside = length > 1e-20
    nearest = np.full(len(p), np.inf)
    for u, v in ((a, b), (b, c), (c, a)):
        inside &= np.einsum("ij,ij->i", np.cross(v - u, p - u), normal) >= 0
        along = np.clip(np.einsum("ij,ij->i", p - u, v - u) / np.maximum(np.einsum("ij,ij->i", v - u, v - u), 1e-30), 0, 1)
        nearest = np.minimum(nearest, np.linalg.norm(p - u - along[:, None] * (v - u), axis=1))
    plane = np.abs(np.einsum("ij,ij->i", p - a, normal)) / np.maximum(length, 1e-30)
    return np.where(inside, plane, nearest)


def _shares(p: np.ndarray, corners: np.ndarray) -> np.ndarray:
    """(n, 3) barycentric coordinates of places on a triangle of their own, held within it. C. Ericson, "Real-Time Collision Detection", 2005, 3.4."""
    u, v, w = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0], p - corners[:, 0]
    uu, uv, vv = (np.einsum("ij,ij->i", x, y) for x, y in ((u, u), (u, v), (v, v)))
    wu, wv = np.einsum("ij,ij->i", w, u), np.einsum("ij,ij->i", w, v)
    below = np.maximum(uu * vv - uv * uv, 1e-30)
    one, other = (vv * wu - uv * wv) / below, (uu * wv - uv * wu) / below
    found = np.clip(np.stack([1 - one - other, one, other], 1), 0, 1)
    return np.asarray(found / np.maximum(found.sum(1, keepdims=True), 1e-30))


def _dressed(mesh: Mesh, points: np.ndarray, cells: np.ndarray) -> Mesh:
    """The simpler surface with face numbers, normals and coordinates of the triangles that it lies on."""
    from scipy.spatial import cKDTree

    corners = mesh.vertices.astype(float)[mesh.triangles]
    inward = points[cells] + 0.02 * (points[cells].mean(1)[:, None] - points[cells])  # a little into its triangle: there its face is clear
    places = np.concatenate([points[cells].mean(1), inward.reshape(-1, 3)])
    cross = np.cross(points[cells][:, 1] - points[cells][:, 0], points[cells][:, 2] - points[cells][:, 0])
    facing = cross / np.maximum(np.linalg.norm(cross, axis=1), 1e-30)[:, None]
    own = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    own /= np.maximum(np.linalg.norm(own, axis=1), 1e-30)[:, None]
    ways = np.concatenate([facing, np.repeat(facing, 3, 0)])
    _, near = cKDTree(corners.mean(1)).query(places, k=min(12, len(corners)))
    near = near.reshape(len(places), -1)
    far = np.stack([_to_triangles(places, corners[near[:, k]]) for k in range(near.shape[1])], 1)
    turned = 1 - np.einsum("ij,ikj->ik", ways, own[near])  # of two as near the one that faces the same way
    size = float(np.ptp(points, axis=0).max()) or 1.0
    on = near[np.arange(len(near)), np.argmin(far + 0.02 * size * turned, 1)]
    faces = mesh.faces[on[: len(cells)]] if len(mesh.faces) else mesh.faces
    at = on[len(cells) :]
    share = _shares(places[len(cells) :], corners[at])[..., None]
    held = mesh.triangles[at]
    normals = (mesh.normals[held].astype(float) * share).sum(1)
    normals /= np.maximum(np.linalg.norm(normals, axis=1), 1e-30)[:, None]
    uv = (mesh.uv[held].astype(float) * share).sum(1) if len(mesh.uv) else np.zeros((len(at), 0))
    row = np.concatenate([cells.reshape(-1, 1).astype(float), np.round(normals, 4), np.round(uv, 6)], 1)
    _, first, back = np.unique(row, axis=0, return_index=True, return_inverse=True)
    return Mesh(
        points[cells.reshape(-1)[first]].astype(np.float32), normals[first].astype(np.float32), back.reshape(-1, 3).astype(np.uint32), faces,
        uv[first].astype(np.float32) if len(mesh.uv) else mesh.uv,
    )  # fmt: skip
