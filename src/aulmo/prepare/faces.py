"""The faces of a mesh: their numbers, how they meet, how round they are; growing a choice of faces to what belongs to it."""

import functools
from typing import Iterable, Literal, NamedTuple

import numpy as np

from aulmo.document.assets import AssetStore
from aulmo.document.meshes import Mesh

Grow = Literal["tangent", "radius", "alike"]
BY_ANGLE = 30.0  # degrees between triangles from which on a mesh without face numbers has an edge
TANGENT = 8.0  # degrees between the normals of two faces that run into each other
NEAR = 0.005  # share within which radii and areas are equal
FINE = 2_000_000  # steps of a weld along an axis
MOST_CAP = 9_000_000  # number of the face that closes the first cut; later ones follow


def welded(points: np.ndarray) -> np.ndarray:
    """(n,) the same number for points (n, 3) that lie in one place."""
    low = points.min(0).astype(float)
    size = float((points.max(0) - low).max()) or 1.0
    steps = np.rint((points.astype(float) - low) * (FINE / size)).astype(np.int64)
    key = (steps[:, 0] << 42) | (steps[:, 1] << 21) | steps[:, 2]
    return np.unique(key, return_inverse=True)[1].reshape(-1)


class Meeting(NamedTuple):
    """Where triangles meet: pairs (k,) `one` and `other`, and their corners at both ends of the shared edge, `a` and `b` of each (k, 2)."""

    one: np.ndarray
    other: np.ndarray
    ends_one: np.ndarray
    ends_other: np.ndarray


def meetings(mesh: Mesh) -> Meeting:
    """Every two triangles that share an edge, whatever vertices they are made of."""
    triangles = mesh.triangles.astype(np.int64)
    weld = welded(mesh.vertices)
    start, end = triangles[:, [0, 1, 2]].ravel(), triangles[:, [1, 2, 0]].ravel()
    a, b = weld[start], weld[end]
    swap = a > b
    low, high = np.where(swap, end, start), np.where(swap, start, end)
    key = np.minimum(a, b) * (int(weld.max(initial=0)) + 1) + np.maximum(a, b)
    order = np.argsort(key, kind="stable")
    same = key[order][1:] == key[order][:-1]
    first, second = order[:-1][same], order[1:][same]
    return Meeting(first // 3, second // 3, np.stack([low[first], high[first]], 1), np.stack([low[second], high[second]], 1))


def flat_normals(mesh: Mesh) -> np.ndarray:
    """(m, 3) unit normals of triangles."""
    p = mesh.vertices.astype(float)[mesh.triangles]
    n = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    return n / np.maximum(np.linalg.norm(n, axis=1, keepdims=True), 1e-30)


def pieces_between(count: int, one: np.ndarray, other: np.ndarray) -> np.ndarray:
    """(count,) number of the connected piece that each thing belongs to, for pairs that hang together."""
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components

    graph = coo_matrix((np.ones(len(one), np.int8), (one, other)), (count, count))
    return np.asarray(connected_components(graph, directed=False)[1])


def by_angle(mesh: Mesh, angle: float = BY_ANGLE) -> np.ndarray:
    """(m,) face numbers for triangles that hang together across edges flatter than `angle` degrees."""
    met = meetings(mesh)
    normals = flat_normals(mesh)
    smooth = (normals[met.one] * normals[met.other]).sum(1) > np.cos(np.radians(angle))
    return pieces_between(len(mesh.triangles), met.one[smooth], met.other[smooth]).astype(np.int32)


def connected(mesh: Mesh) -> np.ndarray:
    """(m,) number of the connected piece of each triangle."""
    met = meetings(mesh)
    return pieces_between(len(mesh.triangles), met.one, met.other)


class Faces:
    """The faces of a mesh: those it came with, or by the angle between its triangles. What they are like is found when it is first asked for.

    numbers : (k,) their numbers in order. of : (m,) place in `numbers` of each triangle's face. area, radius : (k,) in mm, 0 for a flat one.
    one, other : (p,) places of faces that meet; angle : (p,) least degrees between their normals along the border.
    """

    def __init__(self, mesh: Mesh) -> None:
        self.mesh = mesh
        held = mesh.faces if len(mesh.faces) else by_angle(mesh)
        numbers, of = np.unique(held, return_inverse=True)
        self.numbers, self.of = numbers, of.reshape(-1)

    @functools.cached_property
    def counted(self) -> Mesh:
        """The mesh with these numbers on its triangles."""
        return self.mesh if len(self.mesh.faces) else self.mesh._replace(faces=self.numbers[self.of].astype(np.int32))

    @functools.cached_property
    def boxes(self) -> tuple[np.ndarray, np.ndarray]:
        """(m, 3) low and high corners of the triangles."""
        p = self.mesh.vertices[self.mesh.triangles]
        a, b, c = p[:, 0], p[:, 1], p[:, 2]
        return np.minimum(np.minimum(a, b), c), np.maximum(np.maximum(a, b), c)

    @functools.cached_property
    def area(self) -> np.ndarray:
        """(k,) mm2."""
        p = self.mesh.vertices.astype(float)[self.mesh.triangles]
        size = 0.5 * np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1)
        return np.bincount(self.of, size, len(self.numbers))

    @functools.cached_property
    def radius(self) -> np.ndarray:
        """(k,) mm, 0 for a flat one."""
        return _radii(self.mesh, self.of, len(self.numbers))

    @functools.cached_property
    def _borders(self) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        met = meetings(self.mesh)
        between = self.of[met.one] != self.of[met.other]
        ends_one, ends_other = met.ends_one[between], met.ends_other[between]
        n = self.mesh.normals.astype(float)
        cosine = np.minimum((n[ends_one[:, 0]] * n[ends_other[:, 0]]).sum(1), (n[ends_one[:, 1]] * n[ends_other[:, 1]]).sum(1))
        a, b = self.of[met.one[between]], self.of[met.other[between]]
        many = max(1, len(self.numbers))
        pairs, place = np.unique(np.minimum(a, b).astype(np.int64) * many + np.maximum(a, b), return_inverse=True)
        flattest = np.full(len(pairs), -1.0)
        np.maximum.at(flattest, place.reshape(-1), cosine)
        return pairs // many, pairs % many, np.degrees(np.arccos(np.clip(flattest, -1, 1)))

    @property
    def one(self) -> np.ndarray:
        """(p,) places of faces that meet `other`."""
        return self._borders[0]

    @property
    def other(self) -> np.ndarray:
        """(p,) places of faces that meet `one`."""
        return self._borders[1]

    @property
    def angle(self) -> np.ndarray:
        """(p,) degrees between the two."""
        return self._borders[2]


def faces_of(mesh: Mesh) -> Faces:
    """What is known of a mesh's faces."""
    return Faces(mesh)


def _radii(mesh: Mesh, of: np.ndarray, count: int) -> np.ndarray:
    """(k,) radius of curvature of each face where it is round: how far its points move as its normals do, both along the way normals turn most.
    On a ball, a cylinder or a fillet points are centre + radius * normal, so the two spreads have that ratio."""
    corners = mesh.triangles.astype(np.int64).reshape(-1)
    owner = np.repeat(of, 3)
    n, p = mesh.normals.astype(float)[corners], mesh.vertices.astype(float)[corners]
    many = np.bincount(owner, minlength=count).astype(float)
    sums = lambda v: np.stack([np.bincount(owner, v[:, k], count) for k in range(v.shape[1])], 1)  # noqa: E731
    mean_n, mean_p = sums(n) / many[:, None], sums(p) / many[:, None]
    dn, dp = n - mean_n[owner], p - mean_p[owner]
    turning = sums((dn[:, :, None] * dn[:, None, :]).reshape(-1, 9)).reshape(-1, 3, 3) / many[:, None, None]
    moving = sums((dp[:, :, None] * dn[:, None, :]).reshape(-1, 9)).reshape(-1, 3, 3) / many[:, None, None]
    values, ways = np.linalg.eigh(turning)
    way = ways[:, :, 2]
    along = np.einsum("ki,kij,kj->k", way, moving, way)
    turned = values[:, 2]
    return np.where(turned > 1e-5, np.abs(along) / np.maximum(turned, 1e-12), 0.0)


_known: dict[str, Faces] = {}


def faces_of_asset(assets: AssetStore, name: str) -> Faces:
    """The faces of a stored mesh, found once for the last few."""
    found = _known.pop(name, None) or faces_of(assets.mesh(name))
    _known[name] = found
    while len(_known) > 8:
        _known.pop(next(iter(_known)))
    return found


def grown(faces: Faces, chosen: Iterable[int], how: Grow) -> tuple[int, ...]:
    """Face numbers that belong to the chosen ones: those that run on from them without an edge ("tangent"), all that are rounded by the same
    radius ("radius"), or all of the same size and roundness ("alike")."""
    places = np.flatnonzero(np.isin(faces.numbers, list(chosen)))
    if len(places) == 0:
        return ()
    if how == "tangent":
        smooth = faces.angle <= TANGENT
        label = pieces_between(len(faces.numbers), faces.one[smooth], faces.other[smooth])
        member = np.isin(label, label[places])
    else:
        member = np.zeros(len(faces.numbers), bool)
        for k in places:
            same = np.abs(faces.radius - faces.radius[k]) <= NEAR * max(faces.radius[k], 1e-9)
            if faces.radius[k] == 0:
                same = faces.radius == 0
            if how == "alike":
                same &= np.abs(faces.area - faces.area[k]) <= NEAR * faces.area[k]
            member |= same if how == "alike" or faces.radius[k] > 0 else np.arange(len(member)) == k
    member[places] = True
    return tuple(int(n) for n in faces.numbers[member])
