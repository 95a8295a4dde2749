"""How much a part bulges or is hollow within a radius: worked out once over its mesh, looked up at every hit.

Over a patch of radius R about a point, the mean depth of the surface below the point's own plane, divided by what it is on a straight edge of a right
angle: 1 there, 0 where it is flat, -1 in a corner as sharp; R / (4 r) of the mean on a ball of radius r. The integral over a ball rather than a
derivative keeps it steady on meshes (Pottmann, Wallner, Huang & Yang 2009, "Integral invariants for robust geometry processing").
"""

import math

import numpy as np

from aulmo.document.meshes import Mesh
from aulmo.trace.compile.entry import entry
from aulmo.trace.compile.jit import double_at, inlined, kernel

RIGHT_ANGLE = 2.0 / (3.0 * math.pi)  # mean depth over R on a right angle: half the patch lies 4 R / (3 pi) down on average
MOST_SAMPLES = 600_000
FINEST = 4.0  # samples to a radius
LEAST = 0.02  # what counts as flat
HEADER, SLOT, SAMPLE = 3, 3, 7  # numbers in a table's head, of each slot (key, first sample, how many), of each sample (place, normal, value)
_HALF = 1 << 16


@inlined
def _key(i, j, k):
    h = np.int64(_HALF)
    return np.float64(((i + h) << np.int64(34)) + ((j + h) << np.int64(17)) + (k + h))


@inlined
def _slot(key, slots):
    h = np.uint64(key) * np.uint64(0x9E3779B97F4A7C15)
    return np.int64((h >> np.uint64(33)) % np.uint64(slots))


@kernel
def _found(at, key, slots):
    """(first sample, how many) of a cell of the table at an address."""
    s = _slot(key, slots)
    for _k in range(slots):
        place = at + np.uint64(8 * (HEADER + SLOT * s))
        there = double_at(place)
        if there == key:
            return np.int64(double_at(place + np.uint64(8))), np.int64(double_at(place + np.uint64(16)))
        if there < 0.0:
            break
        s = s + 1 if s + 1 < slots else 0
    return np.int64(0), np.int64(0)


@kernel
def bulge_at(address, x, y, z, nx, ny, nz):
    """The value at a point of a part (its own mm) that faces (nx, ny, nz), from the table at an address; 0 without one."""
    if address == 0.0:
        return 0.0
    at = np.uint64(address)
    cell, slots = double_at(at), np.int64(double_at(at + np.uint64(8)))
    i, j, k = np.int64(math.floor(x / cell)), np.int64(math.floor(y / cell)), np.int64(math.floor(z / cell))
    total = weight = 0.0
    for a in range(i - 1, i + 2):
        for b in range(j - 1, j + 2):
            for c in range(k - 1, k + 2):
                first, count = _found(at, _key(a, b, c), slots)
                for s in range(first, first + count):
                    place = at + np.uint64(8 * (HEADER + SLOT * slots + SAMPLE * s))
                    dx, dy, dz = double_at(place) - x, double_at(place + np.uint64(8)) - y, double_at(place + np.uint64(16)) - z
                    d = (dx * dx + dy * dy + dz * dz) / (cell * cell)
                    if d < 1.0:
                        facing = nx * double_at(place + np.uint64(24)) + ny * double_at(place + np.uint64(32)) + nz * double_at(place + np.uint64(40))
                        if facing > 0.5:
                            w = (1.0 - d) * (1.0 - d)
                            total += w * double_at(place + np.uint64(48))
                            weight += w
    return total / weight if weight > 0.0 else 0.0


@entry
def measure(points, normals, order, starts, counts, keys, slots, cell, radius, out):
    """The value at each sample: points, normals (n, 3) in the order of their cells; out (n,)."""
    for n in range(len(points)):
        i, j, k = np.int64(math.floor(points[n, 0] / cell)), np.int64(math.floor(points[n, 1] / cell)), np.int64(math.floor(points[n, 2] / cell))
        total, seen = 0.0, 0
        for a in range(i - 1, i + 2):
            for b in range(j - 1, j + 2):
                for c in range(k - 1, k + 2):
                    key = _key(a, b, c)
                    s = _slot(key, slots)
                    while keys[s] >= 0.0 and keys[s] != key:
                        s = s + 1 if s + 1 < slots else 0
                    if keys[s] < 0.0:
                        continue
                    for m in range(starts[s], starts[s] + counts[s]):
                        dx, dy, dz = points[n, 0] - points[m, 0], points[n, 1] - points[m, 1], points[n, 2] - points[m, 2]
                        if dx * dx + dy * dy + dz * dz > radius * radius:
                            continue
                        facing = normals[n, 0] * normals[m, 0] + normals[n, 1] * normals[m, 1] + normals[n, 2] * normals[m, 2]
                        if facing > -0.3:  # not the other side of a thin wall
                            total += dx * normals[n, 0] + dy * normals[n, 1] + dz * normals[n, 2]
                            seen += 1
        out[n] = total / (seen * radius) if seen > 0 else 0.0


@entry
def fill_slots(cells, first, count, slots, keys, starts, counts):
    """Put cells (m, 3) with their samples into the slots of a table; empty ones have the key -1."""
    for s in range(slots):
        keys[s] = -1.0
    for m in range(len(cells)):
        key = _key(cells[m, 0], cells[m, 1], cells[m, 2])
        s = _slot(key, slots)
        while keys[s] >= 0.0:
            s = s + 1 if s + 1 < slots else 0
        keys[s], starts[s], counts[s] = key, first[m], count[m]


def _strewn(mesh: Mesh, radius: float) -> tuple[np.ndarray, np.ndarray, float]:
    """Points and normals (n, 3) evenly over a mesh, and how far apart they are."""
    corners = mesh.vertices[mesh.triangles].astype(float)
    flat = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    areas = 0.5 * np.linalg.norm(flat, axis=1)
    total = float(areas.sum())
    if not total > 0:
        return np.zeros((0, 3)), np.zeros((0, 3)), radius
    apart = max(radius / FINEST, math.sqrt(total / MOST_SAMPLES))
    n = int(min(MOST_SAMPLES, max(64, total / (apart * apart))))
    k = np.arange(n) + 0.5
    which = np.searchsorted(np.cumsum(areas), k / n * total).clip(0, len(areas) - 1)
    # Roberts' sequence in the plane, folded into the triangle
    u, v = (k * 0.7548776662466927) % 1.0, (k * 0.5698402909980532) % 1.0
    over = u + v > 1.0
    u, v = np.where(over, 1.0 - u, u), np.where(over, 1.0 - v, v)
    a, b, c = (corners[which, m] for m in range(3))
    shades = mesh.normals[mesh.triangles[which]].astype(float)
    normals = shades[:, 0] + u[:, None] * (shades[:, 1] - shades[:, 0]) + v[:, None] * (shades[:, 2] - shades[:, 0])
    normals /= np.maximum(1e-12, np.linalg.norm(normals, axis=1, keepdims=True))
    return a + u[:, None] * (b - a) + v[:, None] * (c - a), normals, apart


def _in_cells(points: np.ndarray, cell: float) -> tuple[np.ndarray, int, np.ndarray, np.ndarray, np.ndarray]:
    """(order of the points by cell, slots, key, first point and number of points of each slot)."""
    where = np.floor(points / cell).astype(np.int64)
    order = np.lexsort(where.T[::-1])
    cells, first, count = np.unique(where[order], axis=0, return_index=True, return_counts=True)
    slots = 1 << max(4, int(2 * len(cells) - 1).bit_length())
    keys, starts, counts = np.empty(slots), np.zeros(slots, np.int64), np.zeros(slots, np.int64)
    fill_slots(cells, first.astype(np.int64), count.astype(np.int64), slots, keys, starts, counts)
    return order, slots, keys, starts, counts


def bake_curvature(mesh: Mesh, radius: float) -> np.ndarray:
    """(n,) float64 table of a mesh's curvature within a radius in mm, for `bulge_at`: only where it is not flat."""
    points, normals, apart = _strewn(mesh, radius)
    if not len(points):
        return np.array([1.0, 1.0, 0.0, -1.0, 0.0, 0.0])
    points_range = float(np.abs(points).max())
    radius_cell = max(radius, points_range / (_HALF - 2))
    order, slots, keys, starts, counts = _in_cells(points, radius_cell)
    points, normals = np.ascontiguousarray(points[order]), np.ascontiguousarray(normals[order])
    values = np.empty(len(points))
    measure(points, normals, order, starts, counts, keys, slots, radius_cell, radius, values)
    values /= RIGHT_ANGLE
    # what lies near anything that is not flat is kept
    where = np.floor(points / radius_cell).astype(np.int64)
    bent = np.unique(where[np.abs(values) > LEAST], axis=0)
    packed = lambda cells: ((cells[:, 0] + _HALF) << 34) + ((cells[:, 1] + _HALF) << 17) + (cells[:, 2] + _HALF)  # noqa: E731
    kept = np.isin(packed(where), packed(bent)) if len(bent) else np.zeros(len(points), bool)
    points, normals, values = points[kept], normals[kept], values[kept]
    if not len(points):
        return np.array([1.0, 1.0, 0.0, -1.0, 0.0, 0.0])
    cell = max(1.6 * apart, points_range / (_HALF - 2))
    order, slots, keys, starts, counts = _in_cells(points, cell)
    head = np.array([cell, float(slots), float(len(points))])
    table = np.stack([keys, starts.astype(float), counts.astype(float)], 1).ravel()
    samples = np.concatenate([points[order], normals[order], values[order][:, None]], 1).ravel()
    return np.concatenate([head, table, samples])
