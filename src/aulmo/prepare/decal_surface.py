"""The surface that a decal spans: where points lie on its artwork, where its artwork lies in space, and how deep it has to reach."""

import numpy as np

from aulmo.document.assets import AssetStore
from aulmo.document.decals import axes_of, stood_of
from aulmo.document.placement import world_matrix
from aulmo.document.records import Decal, Document
from aulmo.prepare.faces import faces_of, faces_of_asset, welded

LEAST_DEPTH = 0.05  # mm, and a share of its size: triangles lie beside the true shape
SHARE_DEPTH = 0.004
MOST_CLIPPED = 20_000  # triangles whose overlap with a decal is worked out exactly
MOST_COUNTED = 300_000  # triangles of a mesh without face numbers whose faces are looked for by angle while the hand waits


def _artwork_turn(decal: Decal) -> float:
    """Radians that the artwork is turned by from the axes of its own surface."""
    return float(np.radians(decal.rotate - (decal.bend if decal.wrap == "cylinder" and decal.radius_mm else 0.0)))


def mapped(decal: Decal, points: np.ndarray, normals: np.ndarray | None = None) -> tuple[np.ndarray, np.ndarray]:
    """Points (n, 3) in a decal's axes as (right, up, off) (n, 3) along its own surface, and how squarely `normals` there face it (n,)."""
    x, y, z = points.T
    n = normals if normals is not None else np.tile([0.0, 0.0, 1.0], (len(points), 1))
    radius = decal.radius_mm
    if decal.wrap == "flat" or not radius:
        flat, facing = points, n[:, 2]
    elif decal.wrap == "cylinder":
        side = np.sign(radius)
        c, s = np.cos(np.radians(decal.bend)), np.sin(np.radians(decal.bend))
        x, y = c * x + s * y, -s * x + c * y
        nx = c * n[:, 0] + s * n[:, 1]
        cz = z + radius
        far = np.maximum(np.hypot(x, cz), 1e-12)
        flat = np.stack([abs(radius) * np.arctan2(x, side * cz), y, side * (far - abs(radius))], 1)
        facing = side * (nx * x + n[:, 2] * cz) / far
    else:
        side = np.sign(radius)
        cz = z + radius
        across = np.hypot(x, y)
        far = np.maximum(np.sqrt(across**2 + cz**2), 1e-12)
        spread = np.where(across > 1e-9, abs(radius) * np.arctan2(across, side * cz) / np.maximum(across, 1e-9), 1.0)
        flat = np.stack([x * spread, y * spread, side * (far - abs(radius))], 1)
        facing = side * (n[:, 0] * x + n[:, 1] * y + n[:, 2] * cz) / far
    turn = _artwork_turn(decal)
    c, s = np.cos(turn), np.sin(turn)
    right, up = c * flat[:, 0] + s * flat[:, 1], -s * flat[:, 0] + c * flat[:, 1]
    return np.stack([right, up, flat[:, 2]], 1), facing


def on_surface(decal: Decal, places: np.ndarray) -> np.ndarray:
    """(n, 3) points in a decal's axes for places (n, 2) right and up on its artwork: the inverse of `mapped`, on its own surface."""
    turn = _artwork_turn(decal)
    c, s = np.cos(turn), np.sin(turn)
    right, up = c * places[:, 0] - s * places[:, 1], s * places[:, 0] + c * places[:, 1]
    radius = decal.radius_mm
    if decal.wrap == "flat" or not radius:
        return np.stack([right, up, 0 * up], 1)
    side = np.sign(radius)
    if decal.wrap == "cylinder":
        angle = right / abs(radius)
        x, y, z = abs(radius) * np.sin(angle), up, side * abs(radius) * np.cos(angle) - radius
        c, s = np.cos(np.radians(decal.bend)), np.sin(np.radians(decal.bend))
        return np.stack([c * x - s * y, s * x + c * y, z], 1)
    far = np.hypot(right, up)
    angle = far / abs(radius)
    out = np.where(far > 1e-9, abs(radius) * np.sin(angle) / np.maximum(far, 1e-9), 1.0)
    return np.stack([right * out, up * out, side * abs(radius) * np.cos(angle) - radius], 1)


def depth_needed(document: Document, assets: AssetStore, decal: Decal) -> float:
    """How deep a decal has to reach to cover the surface that its middle lies on, as far as it faces it: mm of its own measure."""
    least = max(LEAST_DEPTH, SHARE_DEPTH * max(decal.width_mm, decal.height_mm))
    part = document.parts.get(decal.parts[0]) if decal.parts else None
    if part is None or part.mesh is None:
        return least
    mesh = assets.mesh(part.mesh)
    into = np.linalg.inv(axes_of(decal))
    if decal.belongs == "region":
        stood = stood_of(decal, part.id)
        into = into @ (world_matrix(document, part.id) if stood is None else stood)
    # only triangles whose boxes come near it are looked at
    reach = 0.5 * np.hypot(decal.width_mm, decal.height_mm) / np.cbrt(abs(np.linalg.det(into[:3, :3])))
    middle = -np.linalg.inv(into[:3, :3]) @ into[:3, 3]
    plain = len(mesh.faces) == 0 and len(mesh.triangles) > MOST_COUNTED
    low, high = (faces_of(mesh._replace(faces=np.zeros(len(mesh.triangles), np.int32))) if plain else faces_of_asset(assets, part.mesh)).boxes
    near = ((low <= middle + reach) & (high >= middle - reach)).all(1)
    if not near.any():
        return least
    used, cells = np.unique(mesh.triangles[near], return_inverse=True)
    cells = cells.reshape(-1, 3)
    points = mesh.vertices[used].astype(float) @ into[:3, :3].T + into[:3, 3]
    flat = np.cross(points[cells[:, 1]] - points[cells[:, 0]], points[cells[:, 2]] - points[cells[:, 0]])
    flat /= np.maximum(np.linalg.norm(flat, axis=1, keepdims=True), 1e-30)
    laid, _ = mapped(decal, points)
    _, facing = mapped(decal, points[cells].mean(1), flat)
    corners = laid[cells]
    half = 0.5 * np.array([decal.width_mm, decal.height_mm])
    low, high = corners[:, :, :2].min(1), corners[:, :, :2].max(1)
    meets = (facing > np.cos(np.radians(decal.facing))) & (low < half).all(1) & (high > -half).all(1)
    meets &= np.ptp(corners[:, :, 0], axis=1) < 3.0 * max(abs(decal.radius_mm), half[0])  # those that run round the far side of a cylinder
    chosen = np.flatnonzero(meets)
    if not len(chosen):
        return least
    seed = int(np.argmin(distances(corners[chosen], np.zeros(3))))
    chosen = chosen[_hanging_together(points, cells[chosen], seed)]
    away = np.abs(corners[chosen][:, :, 2])
    inside = (np.abs(corners[chosen][:, :, :2]) <= half).all(2)
    deepest = float(away[inside].max(initial=0.0))
    partly = chosen[~inside.all(1)]
    if len(partly) > MOST_CLIPPED:
        deepest = max(deepest, float(np.abs(corners[partly][:, :, 2]).max()))
    else:
        for triangle in corners[partly]:
            deepest = max(deepest, _deepest_within(triangle, half))
    return float(np.round(deepest * 1.02 + least, 4))


def _hanging_together(points: np.ndarray, cells: np.ndarray, seed: int) -> np.ndarray:
    """Which triangles (m, 3) hang together with one of them, by corners that lie in one place."""
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components

    weld = welded(points)[cells]
    count = len(cells)
    rows = np.repeat(np.arange(count), 3)
    spots, places = np.unique(weld, return_inverse=True)
    graph = coo_matrix((np.ones(3 * count, np.int8), (rows, places.reshape(-1) + count)), (count + len(spots), count + len(spots)))
    label = connected_components(graph, directed=False)[1][:count]
    return np.asarray(label == label[seed])


def _deepest_within(triangle: np.ndarray, half: np.ndarray) -> float:
    """How far a triangle (3, 3) of (right, up, off) goes off within a rectangle, by clipping (Sutherland & Hodgman 1974)."""
    polygon = triangle
    for axis in (0, 1):
        for side in (1.0, -1.0):
            kept = []
            inside = side * polygon[:, axis] <= half[axis]
            for k in range(len(polygon)):
                p, q = polygon[k], polygon[(k + 1) % len(polygon)]
                if inside[k]:
                    kept.append(p)
                if inside[k] != inside[(k + 1) % len(polygon)]:
                    share = (side * half[axis] - p[axis]) / (q[axis] - p[axis])
                    kept.append(p + share * (q - p))
            if not kept:
                return 0.0
            polygon = np.array(kept)
    return float(np.abs(polygon[:, 2]).max())


def distances(corners: np.ndarray, point: np.ndarray) -> np.ndarray:
    """(m,) how far triangles (m, 3, 3) are from a point: from their planes within, from their edges beside them."""
    a, b, c = corners[:, 0], corners[:, 1], corners[:, 2]
    n = np.cross(b - a, c - a)
    size = np.maximum(np.linalg.norm(n, axis=1), 1e-30)
    n = n / size[:, None]
    height = ((point - a) * n).sum(1)
    foot = point - height[:, None] * n
    within = np.ones(len(corners), bool)
    edge = np.full(len(corners), np.inf)
    for p, q in ((a, b), (b, c), (c, a)):
        way = q - p
        within &= (np.cross(way, foot - p) * n).sum(1) >= -1e-9 * size
        share = np.clip(((point - p) * way).sum(1) / np.maximum((way * way).sum(1), 1e-30), 0, 1)
        edge = np.minimum(edge, np.linalg.norm(point - p - share[:, None] * way, axis=1))
    return np.where(within, np.abs(height), edge)
