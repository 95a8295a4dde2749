"""Shapes that are finer than any shot shows: holes narrower than a pixel closed, triangles joined as far as that stays within a part of a pixel."""

from collections import Counter
from functools import cached_property
from typing import Any, Callable, NamedTuple, Sequence

import numpy as np

from aulmo.document.meshes import Mesh
from aulmo.document.records import Camera, Document, Shot
from aulmo.prepare.faces import Faces, pieces_between
from aulmo.prepare.fewer_triangles import fewer_triangles
from aulmo.prepare.fine_enough import pixel_mm
from aulmo.prepare.health.closing import lid
from aulmo.prepare.health.flaws import chains
from aulmo.prepare.health.look import Body
from aulmo.prepare.health.sizes import cameras_of_shots, nearest_in_frame
from aulmo.prepare.health.skin import Skin, pairs_of_edges, skin_of
from aulmo.prepare.on_triangles import nearest_places

OFF = 0.25  # of a pixel that a surface may stray
WORTH = 10_000  # triangles that parts of one mesh must save together
HALF = 0.5  # of its triangles that may be left at most
MOST_HALVED, TOLD_HALVED = 7, 3  # times that triangles are joined to half as many, and so far it is tried to tell of it
DEEP = 3.0  # widths of its rim that a hollow behind it may be wide
FEW_TRIED, TRIED, NEAR = 150, 1500, 10  # places by which the stray is measured, and triangles about each
ABOUT = 12  # triangles among which the one is chosen that a simpler one lies on


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
    return Simpler(plain if surface is None else _dressed(plain, surface), holes, off)


def _what_is_left(body: Body, pixel: float) -> tuple[int, int, float]:
    """The same in numbers, found sooner: how many triangles are left at most, holes that were closed, how far the surface strays."""
    plain, holes = _without_holes(body.mesh, pixel, body.skin)
    surface, off = _fewest(body.skin if plain is body.mesh else skin_of(plain), OFF * pixel, TOLD_HALVED)
    return len(plain.triangles) if surface is None else len(surface.cells), holes, off


def _fewest(skin: Skin, most: float, times: int = MOST_HALVED) -> "tuple[_Surface | None, float]":
    """A surface in as few triangles as stay within so many mm of it, by halves, and how far they do; None when all are wanted."""
    whole = _Surface(skin.points, skin.cells)
    held, off = None, 0.0
    fewer = whole
    for _ in range(times):
        made = _Surface(*fewer_triangles(fewer.points, fewer.cells, max(12, len(fewer.cells) // 2)))
        if len(made.cells) > 0.9 * len(fewer.cells):
            break
        stray = _off(whole, made, most)
        if stray > most:
            break
        held, fewer, off = made, made, stray
    return held, off


def _off(whole: "_Surface", made: "_Surface", most: float) -> float:
    """How far a surface and a simpler one lie apart, mm, either way; what is too far by a few places is not looked at by more."""
    stray = 0.0
    for tried in (FEW_TRIED, TRIED):
        stray = max(made.stray_of(whole.points, tried), whole.stray_of(made.points, tried))
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
    _, place = np.unique(pair, return_inverse=True)
    at = place[:, None] * np.int64(len(skin.points)) + np.stack([a, b], 1)
    ends, nodes = np.unique(at, return_inverse=True)
    nodes = nodes.reshape(at.shape)
    line = pieces_between(len(ends), nodes[:, 0], nodes[:, 1])[nodes[:, 0]]
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
    return (_closed(faces.counted, skin, gone), holes) if holes else (mesh, 0)


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
    """A mesh with numbered faces without some triangles, the rims that they leave closed flat, each lid a share of a face that it lies in."""
    kept = mesh.triangles[~gone].astype(np.int64)
    numbers = mesh.faces[~gone]
    runs = skin.cells[~gone]
    rims = _rims(runs)
    before = set(map(tuple, skin.rims.tolist()))
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


class _Surface:
    """Points (n, 3) and triangles (m, 3), from which places stray."""

    def __init__(self, points: np.ndarray, cells: np.ndarray) -> None:
        self.points, self.cells = points, cells

    @cached_property
    def corners(self) -> np.ndarray:
        """(m, 3, 3) corners of the triangles."""
        return self.points[self.cells]

    @cached_property
    def _tree(self) -> Any:
        from scipy.spatial import cKDTree

        return cKDTree(self.corners.mean(1))

    def near(self, places: np.ndarray, count: int) -> tuple[np.ndarray, np.ndarray]:
        """(n, k) the triangles whose middles are nearest to places, and how far each of them lies."""
        _, found = self._tree.query(places, k=min(count, len(self.cells)))
        found = found.reshape(len(places), -1)
        far = [np.linalg.norm(places - nearest_places(places, self.corners[found[:, k]]), axis=1) for k in range(found.shape[1])]
        return found, np.stack(far, 1)

    def stray_of(self, places: np.ndarray, tried: int) -> float:
        """How far the farthest of some places lies from it, mm, by the triangles that are near: never too little."""
        return float(self.near(places[:: max(1, len(places) // tried)], NEAR)[1].min(1).max())


def _shares(p: np.ndarray, corners: np.ndarray) -> np.ndarray:
    """(n, 3) barycentric coordinates of places on a triangle of their own, held within it. C. Ericson, "Real-Time Collision Detection", 2005, 3.4."""
    u, v, w = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0], p - corners[:, 0]
    uu, uv, vv = (np.einsum("ij,ij->i", x, y) for x, y in ((u, u), (u, v), (v, v)))
    wu, wv = np.einsum("ij,ij->i", w, u), np.einsum("ij,ij->i", w, v)
    below = np.maximum(uu * vv - uv * uv, 1e-30)
    one, other = (vv * wu - uv * wv) / below, (uu * wv - uv * wu) / below
    found = np.clip(np.stack([1 - one - other, one, other], 1), 0, 1)
    return np.asarray(found / np.maximum(found.sum(1, keepdims=True), 1e-30))


def _facing(corners: np.ndarray) -> np.ndarray:
    """(m, 3) unit normals of triangles."""
    cross = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    return np.asarray(cross / np.maximum(np.linalg.norm(cross, axis=1), 1e-30)[:, None])


def _dressed(mesh: Mesh, surface: _Surface) -> Mesh:
    """The simpler surface with face numbers, normals and coordinates of the triangles that it lies on."""
    worn = _Surface(mesh.vertices.astype(float), mesh.triangles)
    points, cells, corners = surface.points, surface.cells, surface.corners
    inward = corners + 0.02 * (corners.mean(1)[:, None] - corners)  # a little into its triangle: there its face is clear
    places = np.concatenate([corners.mean(1), inward.reshape(-1, 3)])
    facing = _facing(corners)
    near, far = worn.near(places, ABOUT)
    turned = 1 - np.einsum("ij,ikj->ik", np.concatenate([facing, np.repeat(facing, 3, 0)]), _facing(worn.corners)[near])
    size = float(np.ptp(points, axis=0).max()) or 1.0
    on = near[np.arange(len(near)), np.argmin(far + 0.02 * size * turned, 1)]  # of two as near the one that faces the same way
    faces = mesh.faces[on[: len(cells)]] if len(mesh.faces) else mesh.faces
    at = on[len(cells) :]
    share = _shares(places[len(cells) :], worn.corners[at])[..., None]
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
