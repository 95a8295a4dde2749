"""Softened edges: sharp CAD edges rounded in the shading, with a radius in millimetres.

The sharp edges of a mesh are known beforehand: where two triangles meet at an angle and do not share their normals. They are kept in a
grid, so that a hit point finds those nearer than the radius at once. Across the radius the normal is led from that of its own face to the
one halfway between both, as a round of that radius would; no extra rays, no noise.
"""

import math
from typing import NamedTuple

import numpy as np

from aulmo.document.meshes import Mesh
from aulmo.trace.compile.entry import entry
from aulmo.trace.compile.jit import inlined, kernel

SHARPEST_SMOOTH = 12.0  # degrees between normals below which an edge is no edge
# An edge is 18 numbers: both ends, then the normals of either side at either end
# A row of `SoftEdges.rows`: radius, one over the cell, first slot of the table, slots less one, first edge
R_RADIUS, R_INVERSE, R_TABLE, R_MASK, R_FIRST = 0, 1, 2, 3, 4


class SoftEdges(NamedTuple):
    """Edges and grids of all softened meshes: rows (k, 5); edges (e, 18) float32; slots (s + 1,) int32; entries (n,) int32."""

    rows: np.ndarray
    edges: np.ndarray
    slots: np.ndarray
    entries: np.ndarray

    def fields(self) -> dict[str, np.ndarray]:
        """What the kernels read."""
        return {"soft_rows": self.rows, "soft_edges": self.edges, "soft_slots": self.slots, "soft_entries": self.entries}


NONE = SoftEdges(np.zeros((0, 5)), np.zeros((0, 18), np.float32), np.zeros(1, np.int32), np.zeros(0, np.int32))


def sharp_edges(mesh: Mesh) -> np.ndarray:
    """(e, 18) float32 edges where two triangles meet with different normals."""
    points, normals, triangles = mesh.vertices.astype(float), mesh.normals.astype(float), mesh.triangles.astype(np.int64)
    scale = float(np.ptp(points, axis=0).max()) or 1.0
    _, weld = np.unique(np.rint(points / (scale * 1e-6)).astype(np.int64), axis=0, return_inverse=True)
    weld = weld.reshape(-1)
    start, end = triangles[:, [0, 1, 2]].ravel(), triangles[:, [1, 2, 0]].ravel()
    a, b = weld[start], weld[end]
    swap = a > b
    low, high = np.where(swap, end, start), np.where(swap, start, end)
    order = np.lexsort((weld[high], weld[low]))
    low, high = low[order], high[order]
    same = (weld[low][1:] == weld[low][:-1]) & (weld[high][1:] == weld[high][:-1])
    one, other = np.flatnonzero(same), np.flatnonzero(same) + 1
    n1a, n1b, n2a, n2b = normals[low[one]], normals[high[one]], normals[low[other]], normals[high[other]]
    limit = math.cos(math.radians(SHARPEST_SMOOTH))
    sharp = ((n1a * n2a).sum(1) < limit) | ((n1b * n2b).sum(1) < limit)
    # back to back sheets have no edge to round
    sharp &= ((n1a * n2a).sum(1) > -0.98) & ((n1b * n2b).sum(1) > -0.98)
    return np.concatenate([points[low[one]], points[high[one]], n1a, n1b, n2a, n2b], 1)[sharp].astype(np.float32)


@entry
def _fill(edges, radius, inverse, mask, counts, entries):
    """Count entries of each slot, or with room in `entries` put them there (`counts` then holds where each slot's next one goes)."""
    total = 0
    for e in range(len(edges)):
        ax, ay, az = float(edges[e, 0]), float(edges[e, 1]), float(edges[e, 2])
        dx, dy, dz = float(edges[e, 3]) - ax, float(edges[e, 4]) - ay, float(edges[e, 5]) - az
        pieces = max(1, int(math.sqrt(dx * dx + dy * dy + dz * dz) * inverse))
        for p in range(pieces):
            t0, t1 = p / pieces, (p + 1) / pieces
            lx, hx = ax + dx * (t0 if dx > 0 else t1) - radius, ax + dx * (t1 if dx > 0 else t0) + radius
            ly, hy = ay + dy * (t0 if dy > 0 else t1) - radius, ay + dy * (t1 if dy > 0 else t0) + radius
            lz, hz = az + dz * (t0 if dz > 0 else t1) - radius, az + dz * (t1 if dz > 0 else t0) + radius
            for i in range(int(math.floor(lx * inverse)), int(math.floor(hx * inverse)) + 1):
                for j in range(int(math.floor(ly * inverse)), int(math.floor(hy * inverse)) + 1):
                    for k in range(int(math.floor(lz * inverse)), int(math.floor(hz * inverse)) + 1):
                        slot = ((i * 73856093) ^ (j * 19349663) ^ (k * 83492791)) & mask
                        if len(entries) > 0:
                            entries[counts[slot]] = e
                        counts[slot] += 1
                        total += 1
    return total


def edge_grid(edges: np.ndarray, radius: float) -> tuple[np.ndarray, np.ndarray, float, int]:
    """(slots, entries, one over the cell, mask) of edges to be found within a radius."""
    length = float(np.linalg.norm(edges[:, 3:6] - edges[:, :3], axis=1).sum())
    cell = 2.0 * radius
    size = 1 << max(6, int(math.ceil(math.log2(max(1.0, 4.0 * length / cell + len(edges))))))
    mask, inverse = size - 1, 1.0 / cell
    counts = np.zeros(size, np.int64)
    total = _fill(edges, radius, inverse, mask, counts, np.zeros(0, np.int32))
    slots = np.concatenate([[0], np.cumsum(counts)])
    entries = np.zeros(total, np.int32)
    _fill(edges, radius, inverse, mask, slots[:-1].copy(), entries)
    return slots.astype(np.int32), entries, inverse, mask


class EdgeBook:
    """Keeps sharp edges and grids between builds."""

    def __init__(self) -> None:
        self._edges: dict[str, np.ndarray] = {}
        self._grids: dict[tuple[str, float], tuple] = {}

    def gather(self, wanted: list[tuple[str, Mesh, float]]) -> tuple[SoftEdges, dict[tuple[str, float], int]]:
        """Edges of (mesh name, mesh, radius in the mesh's own mm), and the row of each pair that has any."""
        rows, edges, slots, entries = [], [], [], []
        place: dict[tuple[str, float], int] = {}
        slot_start = entry_start = edge_start = 0
        for name, mesh, radius in wanted:
            key = (name, radius)
            if key in place:
                continue
            if name not in self._edges:
                self._edges[name] = sharp_edges(mesh)
            found = self._edges[name]
            if not len(found):
                continue
            if key not in self._grids:
                self._grids[key] = edge_grid(found, radius)
            table, list_, inverse, mask = self._grids[key]
            place[key] = len(rows)
            rows.append([radius, inverse, slot_start, mask, edge_start])
            edges.append(found)
            slots.append(table + entry_start)
            entries.append(list_)
            slot_start += len(table)
            entry_start += len(list_)
            edge_start += len(found)
        if not rows:
            return NONE, {}
        return SoftEdges(np.array(rows), np.concatenate(edges), np.concatenate(slots).astype(np.int32), np.concatenate(entries)), place


@inlined
def softened(scene, row, x, y, z, nx, ny, nz):
    """Normal at a point of a softened mesh, in the mesh's own axes; n is the smooth normal there, of any length."""
    return _softened(scene.soft_rows, scene.soft_edges, scene.soft_slots, scene.soft_entries, row, x, y, z, nx, ny, nz)


@kernel
def _softened(rows, edges, slots, entries, row, x, y, z, nx, ny, nz):
    radius, inverse = rows[row, R_RADIUS], rows[row, R_INVERSE]
    i, j, k = int(math.floor(x * inverse)), int(math.floor(y * inverse)), int(math.floor(z * inverse))
    slot = int(rows[row, R_TABLE]) + (((i * 73856093) ^ (j * 19349663) ^ (k * 83492791)) & int(rows[row, R_MASK]))
    first = int(rows[row, R_FIRST])
    length = 1.0 / math.sqrt(max(1e-30, nx * nx + ny * ny + nz * nz))
    nx, ny, nz = nx * length, ny * length, nz * length
    rx, ry, rz = nx, ny, nz
    best = radius
    for n in range(slots[slot], slots[slot + 1]):
        e = edges[first + entries[n]]
        ax, ay, az = np.float64(e[0]), np.float64(e[1]), np.float64(e[2])
        dx, dy, dz = e[3] - ax, e[4] - ay, e[5] - az
        px, py, pz = x - ax, y - ay, z - az
        t = (px * dx + py * dy + pz * dz) / max(1e-30, dx * dx + dy * dy + dz * dz)
        t = min(1.0, max(0.0, t))
        qx, qy, qz = px - t * dx, py - t * dy, pz - t * dz
        away = math.sqrt(qx * qx + qy * qy + qz * qz)
        if away >= best:
            continue
        s = 1.0 - t
        ux, uy, uz = s * e[6] + t * e[9], s * e[7] + t * e[10], s * e[8] + t * e[11]
        vx, vy, vz = s * e[12] + t * e[15], s * e[13] + t * e[16], s * e[14] + t * e[17]
        own, far = nx * ux + ny * uy + nz * uz, nx * vx + ny * vy + nz * vz
        if max(own, far) < 0.7:  # the edge of another face that happens to be near
            continue
        bx, by, bz = ux + vx, uy + vy, uz + vz
        length = math.sqrt(bx * bx + by * by + bz * bz)
        if length < 1e-6:
            continue
        best = away
        w = 1.0 - away / radius
        length = 1.0 / length
        if own < far:
            ux, uy, uz = vx, vy, vz
        # the part of the turn that falls to this distance, added to the normal that is there
        rx, ry, rz = nx + w * (bx * length - ux), ny + w * (by * length - uy), nz + w * (bz * length - uz)
    return rx, ry, rz
