"""Rays through the parts as they stand: what is met, and how much of the sky is seen from where."""

from typing import NamedTuple, Sequence

import numpy as np

ROUND = 20_000  # rays cast at once: the window is held meanwhile
THROUGH = 24  # clear faces that a ray goes through before it counts as lost


class Met(NamedTuple):
    """For each ray: how far away it meets something (infinite for nothing), which body, which of its triangles, and which way that faces."""

    distance: np.ndarray
    body: np.ndarray
    cell: np.ndarray
    normal: np.ndarray


class Rays:
    """Bodies of triangles that rays can meet. All coordinates in one set of axes, mm."""

    def __init__(self, bodies: Sequence[tuple[np.ndarray, np.ndarray]], unit: float = 0.0) -> None:
        """`bodies`: points (n, 3) and triangles (m, 3) of each. What is nearer than `unit` mm is not told apart; by default a share of the whole."""
        from embreex.mesh_construction import TriangleMesh
        from embreex.rtcore_scene import EmbreeScene

        kept = [(k, points, cells) for k, (points, cells) in enumerate(bodies) if len(cells)]
        low = np.min([p.min(0) for _, p, _ in kept], axis=0) if kept else np.zeros(3)
        high = np.max([p.max(0) for _, p, _ in kept], axis=0) if kept else np.ones(3)
        self.middle = (low + high) / 2
        self.size = float((high - low).max()) or 1.0
        self.unit = unit or 1e-6 * self.size
        self._number = np.array([k for k, _, _ in kept] or [0])
        self._scene = EmbreeScene()
        for _, points, cells in kept:
            TriangleMesh(self._scene, np.ascontiguousarray(points - self.middle, np.float32), np.ascontiguousarray(cells, np.int32))
        self._empty = not kept

    def meet(self, origins: np.ndarray, directions: np.ndarray, passed: np.ndarray | None = None) -> Met:
        """The first thing on each ray; origins (n, 3), directions (n, 3) of length one. Bodies with a flag in `passed` are gone through."""
        count = len(origins)
        distance, body = np.full(count, np.inf), np.full(count, -1)
        cell, normal = np.full(count, -1), np.zeros((count, 3))
        if self._empty:
            return Met(distance, body, cell, normal)
        for a in range(0, count, ROUND):
            part = np.arange(a, min(count, a + ROUND))
            gone = np.zeros(len(part))
            for _ in range(THROUGH):
                start = origins[part] - self.middle + directions[part] * gone[:, None]
                got = self._scene.run(start.astype(np.float32), directions[part].astype(np.float32), output=1, query="INTERSECT")
                hit = got["geomID"] >= 0
                number = np.where(hit, self._number[got["geomID"].clip(0)], -1)
                ends = hit if passed is None else hit & ~passed[number]
                where = part[ends]
                distance[where], body[where], cell[where] = gone[ends] + got["tfar"][ends], number[ends], got["primID"][ends]
                facing = got["Ng"][ends].astype(float)
                normal[where] = facing / np.maximum(np.linalg.norm(facing, axis=1, keepdims=True), 1e-30)
                on = hit & ~ends
                if not on.any():
                    break
                part, gone = part[on], gone[on] + got["tfar"][on] + 20 * self.unit
        return Met(distance, body, cell, normal)

    def sees_sky(self, places: np.ndarray, normals: np.ndarray, generator: np.random.Generator, each: int) -> np.ndarray:
        """(n,) the share of `each` rays, spread evenly about a place's normal, that meet nothing."""
        origins = np.repeat(places + normals * (20 * self.unit), each, 0)
        directions = spread(np.repeat(normals, each, 0), generator)
        return np.isinf(self.meet(origins, directions).distance).reshape(-1, each).mean(1)


def spread(normals: np.ndarray, generator: np.random.Generator) -> np.ndarray:
    """(n, 3) unit vectors to the side that normals (n, 3) point to, as many to one part of the sky as to another."""
    free = generator.normal(size=normals.shape)
    free /= np.maximum(np.linalg.norm(free, axis=1, keepdims=True), 1e-30)
    return np.where((free * normals).sum(1, keepdims=True) < 0, -free, free)
