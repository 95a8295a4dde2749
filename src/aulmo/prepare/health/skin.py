"""The skins of meshes: points that are one welded, edges that only one triangle has, pieces that hang together, triangles that are nearly nothing.

All meshes are looked at in one sweep, so that thousands of small ones take no longer than a large one of as many triangles.
"""

from typing import NamedTuple, Sequence

import numpy as np

from aulmo.document.meshes import Mesh
from aulmo.prepare.faces import pieces_between

WELD = 1e-5  # of a mesh's size: points nearer than that are one
NEEDLE = 2e-4  # height of a triangle as a share of its longest side, below which it is a sliver


class Skin(NamedTuple):
    """A mesh as its surface hangs together.

    points : (n, 3) float64 welded. cells : (m, 3) corners as places in points, of every triangle of the mesh.
    piece : (m,) which connected piece a triangle belongs to, from 0. closed : for each piece, whether every edge of it has two triangles.
    rims : (k, 2) places in points of the edges that only one triangle has, as that triangle runs along them; rim_cells : (k,) those triangles.
    crooked : whether neighbours face opposite ways somewhere, or an edge has more than two triangles.
    volumes : for each piece the volume it encloses, mm3, below zero where it is inside out. doubles : triangles that stand on the corners of another.
    slivers : triangles that are nearly nothing. areas : (m,) mm2. size : the longest side of the box, mm.
    """

    points: np.ndarray
    cells: np.ndarray
    piece: np.ndarray
    closed: np.ndarray
    rims: np.ndarray
    rim_cells: np.ndarray
    crooked: bool
    volumes: np.ndarray
    doubles: np.ndarray
    slivers: np.ndarray
    areas: np.ndarray
    size: float


def skins(meshes: Sequence[Mesh]) -> list[Skin]:
    """The skin of each mesh. A mesh without triangles gets an empty one."""
    out: list[Skin] = []
    batch: list[Mesh] = []
    held = 0
    for mesh in meshes:
        batch.append(mesh)
        held += len(mesh.triangles)
        if held > 3_000_000 or len(batch) == 4000:
            out.extend(_batch(batch))
            batch, held = [], 0
    return out + (_batch(batch) if batch else [])


def finite(mesh: Mesh) -> Mesh:
    """A mesh whose points are numbers: what is none lies at the origin."""
    return mesh if np.isfinite(mesh.vertices).all() else mesh._replace(vertices=np.nan_to_num(mesh.vertices, posinf=0.0, neginf=0.0))


def skin_of(mesh: Mesh) -> Skin:
    """The skin of one mesh."""
    return _batch([mesh])[0]


def pairs_of_edges(cells: np.ndarray, count: int) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """Edges that two triangles run along, opposite ways: the points at both ends (k,), as the first triangle runs, of `count` in all, and the number
    of the edge among the first's and the second's corners, counted corner by corner: a third of it, rounded down, is the triangle."""
    a, b = cells[:, [0, 1, 2]].ravel(), cells[:, [1, 2, 0]].ravel()
    order = np.argsort(a * count + b)
    key = (a * count + b)[order]
    place = np.searchsorted(key, b * count + a).clip(0, max(0, len(order) - 1))
    first = np.flatnonzero((key[place] == b * count + a) & (a < b)) if len(key) else np.zeros(0, np.int64)
    return a[first], b[first], first, order[place[first]]


def _batch(meshes: list[Mesh]) -> list[Skin]:
    meshes = [finite(m) for m in meshes]
    sizes = np.array([float(np.ptp(m.vertices, axis=0).max()) if len(m.vertices) else 0.0 for m in meshes])
    counts = np.array([len(m.vertices) for m in meshes])
    starts = np.concatenate([[0], np.cumsum(counts)])
    tri_starts = np.concatenate([[0], np.cumsum([len(m.triangles) for m in meshes])])
    vertices = np.concatenate([m.vertices for m in meshes]).astype(np.float64).reshape(-1, 3)
    cells = np.concatenate([m.triangles.astype(np.int64).reshape(-1, 3) + s for m, s in zip(meshes, starts)])
    grid = np.repeat(np.where(sizes > 0, sizes, 1.0) * WELD, counts)[:, None]
    low = np.repeat(np.array([m.vertices.min(0) if len(m.vertices) else np.zeros(3) for m in meshes], float).reshape(-1, 3), counts, axis=0)
    steps = np.rint((vertices - low) / grid).astype(np.int64)
    key = (((np.repeat(np.arange(len(meshes)), counts) << 17 | steps[:, 0]) << 17 | steps[:, 1]) << 17) | steps[:, 2]
    _, first, weld = np.unique(key, return_index=True, return_inverse=True)
    points = vertices[first]
    cells = weld.reshape(-1)[cells]
    edges = _edges(cells, three_corners(cells), len(points))
    if edges.any_rims and _sewn(points, cells, edges, tri_starts, sizes):
        edges = _edges(cells, three_corners(cells), len(points))
    starts_at = np.array([points[cells[a, 0]] if b > a else np.zeros(3) for a, b in zip(tri_starts[:-1], tri_starts[1:])]).reshape(-1, 3)
    areas, longest, volume = _measured(points, cells, starts_at, np.diff(tri_starts))
    needle = 2 * areas < longest * longest * NEEDLE
    piece = _pieces(cells, len(points))
    doubles = _doubles(cells, edges.many_cells)
    out = []
    for number in range(len(meshes)):
        a, b = tri_starts[number], tri_starts[number + 1]
        if a == b:
            none = np.zeros(0, np.int64)
            empty = np.zeros((0, 3))
            pairs = np.zeros((0, 2), np.int64)
            out.append(Skin(empty, empty.astype(int), none, none > 0, pairs, none, False, none / 1.0, none, none, none / 1.0, 0.0))
            continue
        own = cells[a:b]
        least = int(own.min())
        span = points[least : int(own.max()) + 1]
        names, pieces = np.unique(piece[a:b], return_inverse=True)
        inside = (edges.rim_cells >= a) & (edges.rim_cells < b)
        rims, rim_cells = edges.rims[inside] - least, edges.rim_cells[inside] - a
        odd = edges.odd_cells[(edges.odd_cells >= a) & (edges.odd_cells < b)] - a
        closed = np.ones(len(names), bool)
        closed[pieces[rim_cells]] = False
        many = edges.many_cells[(edges.many_cells >= a) & (edges.many_cells < b)] - a
        closed[pieces[many]] = False
        out.append(Skin(
            span, own - least, pieces, closed, rims, rim_cells, bool(len(odd) or len(many)), np.bincount(pieces, volume[a:b], len(names)),
            doubles[(doubles >= a) & (doubles < b)] - a, np.flatnonzero(needle[a:b]), areas[a:b], float(sizes[number]),
        ))  # fmt: skip
    return out


def three_corners(cells: np.ndarray) -> np.ndarray:
    """(m,) whether a triangle's three corners are three points."""
    return (cells[:, 0] != cells[:, 1]) & (cells[:, 1] != cells[:, 2]) & (cells[:, 0] != cells[:, 2])


def _sewn(points: np.ndarray, cells: np.ndarray, edges: "_Edges", tri_starts: np.ndarray, sizes: np.ndarray) -> bool:
    """Let points of rims be one, in `cells`, where they lie nearer than the weld, which a grid parts in two by chance; whether any were."""
    from scipy.spatial import cKDTree

    of_mesh = np.searchsorted(tri_starts, edges.rim_cells, "right") - 1
    joined = np.arange(len(points))
    for mesh in np.unique(of_mesh):
        loose = np.unique(edges.rims[of_mesh == mesh])
        if len(loose) > 1:
            pairs = cKDTree(points[loose]).query_pairs(1.5 * WELD * sizes[mesh], output_type="ndarray")
            for a, b in np.sort(pairs, 1)[np.argsort(pairs.min(1))] if len(pairs) else ():
                joined[loose[b]] = min(joined[loose[b]], joined[loose[a]])
    if (joined == np.arange(len(points))).all():
        return False
    cells[:] = joined[cells]
    return True


class _Edges(NamedTuple):
    any_rims: bool
    rims: np.ndarray
    rim_cells: np.ndarray
    odd_cells: np.ndarray
    many_cells: np.ndarray


def _edges(cells: np.ndarray, solid: np.ndarray, count: int) -> _Edges:
    """Edges with one triangle, cells whose neighbour faces the other way, cells at edges with more than two."""
    own = np.flatnonzero(solid)
    a, b = cells[own][:, [0, 1, 2]].ravel(), cells[own][:, [1, 2, 0]].ravel()
    there, back = np.sort(a * count + b), np.sort(b * count + a)
    none = np.zeros(0, np.int64)
    if np.array_equal(there, back) and (len(there) < 2 or (there[1:] != there[:-1]).all()):
        return _Edges(False, np.zeros((0, 2), np.int64), none, none, none)
    key = np.minimum(a, b) * count + np.maximum(a, b)
    order = np.argsort(key, kind="stable")
    sorted_key = key[order]
    begins = np.flatnonzero(np.concatenate([[True], sorted_key[1:] != sorted_key[:-1]]))
    many = np.diff(np.concatenate([begins, [len(order)]]))
    single = order[begins[many == 1]]
    pairs = begins[many == 2]
    first, second = order[pairs], order[pairs + 1]
    alike = a[first] == a[second]
    odd = np.unique(own[np.concatenate([first[alike], second[alike]]) // 3])
    crowded = np.repeat(many > 2, many)
    return _Edges(True, np.stack([a[single], b[single]], 1), own[single // 3], odd, np.unique(own[order[crowded] // 3]))


def _pieces(cells: np.ndarray, count: int) -> np.ndarray:
    """(m,) a number for each triangle, the same for all that hang together at a point."""
    return pieces_between(count, cells[:, [0, 1]].ravel(), cells[:, [1, 2]].ravel())[cells[:, 0]]


def _measured(points: np.ndarray, cells: np.ndarray, starts: np.ndarray, counts: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Area and longest side of triangles, and the volume between each and its mesh's own first corner, so that far away ones keep their digits."""
    a, u, v = [], [], []
    for k in range(3):  # axis by axis: far quicker than along short rows
        along = np.ascontiguousarray(points[:, k])
        first = along[cells[:, 0]]
        a.append(first - np.repeat(starts[:, k], counts))
        u.append(along[cells[:, 1]] - first)
        v.append(along[cells[:, 2]] - first)
    cross = [u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]]
    volume = (a[0] * cross[0] + a[1] * cross[1] + a[2] * cross[2]) / 6
    areas = np.sqrt(cross[0] ** 2 + cross[1] ** 2 + cross[2] ** 2) / 2
    sides = [u[0] ** 2 + u[1] ** 2 + u[2] ** 2, v[0] ** 2 + v[1] ** 2 + v[2] ** 2, (u[0] - v[0]) ** 2 + (u[1] - v[1]) ** 2 + (u[2] - v[2]) ** 2]
    return areas, np.sqrt(np.maximum(np.maximum(sides[0], sides[1]), sides[2])), volume


def _doubles(cells: np.ndarray, suspects: np.ndarray) -> np.ndarray:
    """Triangles, of those at crowded edges, that have the three corners of an earlier one."""
    if not len(suspects):
        return suspects
    _, first, back = np.unique(np.sort(cells[suspects], 1), axis=0, return_index=True, return_inverse=True)
    return suspects[first[back.reshape(-1)] != np.arange(len(suspects))]
