"""Where it is dark in a draft: a grid of how open the space about the parts is, made behind the scenes while they rest and held while they move."""

import os
import threading
import weakref
from concurrent.futures import ThreadPoolExecutor
from typing import Any, Callable, NamedTuple

import numpy as np

from aulmo.surface.colour import LUMINANCE
from aulmo.surface import columns as o
from aulmo.trace.remembered import Remembered
from aulmo.trace.scene import LAMP_PART, Scene
from aulmo.trace.shape.open_grid import look_round, spread

CELLS, RAYS, AT_ONCE = 60_000, 96, 800
SMOOTHED, AS_OPEN = 3, 0.06
LIGHT_LEVEL = 2  # of the blurred dome: as wide as the directions lie apart
BESIDE = 0.4  # of the parts' size, how far the grid goes on beside them; of their height above


class Shade(NamedTuple):
    """grid : (z, y, x, 9) float32 light and visibility, see `open_grid`; place : (9,) its low corner, cells in a mm, the share of light that surfaces
    give back, and the light of the open sky."""

    grid: np.ndarray
    place: np.ndarray


NONE = Shade(np.zeros((0, 0, 0, 9), np.float32), np.zeros(9))


class Openness(NamedTuple):
    """Which directions are open from each cell of a grid: seen (cells, RAYS) float32, counts (cells,), shape (x, y, z), low corner, mm of a cell, and
    the share of light that surfaces give back."""

    seen: np.ndarray
    counts: np.ndarray
    shape: tuple[int, int, int]
    low: np.ndarray
    cell: float
    given_back: float

    def lit(self, maps: np.ndarray, turn: np.ndarray) -> Shade:
        """The shade under a blurred dome (`draft.blur_environment`); turn : (3, 3) world to map. What is hidden gives back light like a hollow all of
        whose walls are alike: L = rho E / (1 - rho (1 - open))."""
        directions = spread(RAYS)
        light = luminance_toward(maps, directions @ turn.T).astype(np.float32)
        basis = np.column_stack([np.ones(RAYS), 3.0 * directions]).astype(np.float32) / RAYS
        opened = self.seen @ basis
        got = self.seen @ (light[:, None] * basis)
        inside = self.given_back * got[:, :1] / np.maximum(0.05, 1.0 - self.given_back * (1.0 - opened[:, :1]))
        whole = basis.sum(0)
        got += inside * (whole - opened)
        grid = np.concatenate([got, opened, self.counts[:, None]], 1).reshape(*self.shape[::-1], 9)
        for _ in range(SMOOTHED):
            grid = _smoothed(grid)
        return Shade(np.ascontiguousarray(grid), np.array([*self.low, 1.0 / self.cell, self.given_back, *(light @ basis)], float))


def _smoothed(grid: np.ndarray) -> np.ndarray:
    """A grid whose cells share with their neighbours what they see, as far as both count and are about as open: what a few rays tell roughly, many
    cells tell well, and nothing comes through a wall."""
    for axis in range(3):
        sums, total = grid[..., :8].copy(), np.ones(grid.shape[:3], np.float32)
        for step in (1, -1):
            other = np.roll(grid, step, axis)
            alike = np.exp(-(((other[..., 4] - grid[..., 4]) / AS_OPEN) ** 2)) * other[..., 8]
            edge = [slice(None)] * 3
            edge[axis] = slice(0, 1) if step == 1 else slice(-1, None)
            alike[tuple(edge)] = 0.0
            sums += alike[..., None] * other[..., :8]
            total += alike
        grid = np.concatenate([sums / total[..., None], grid[..., 8:]], -1)
    return grid


def luminance_toward(maps: np.ndarray, directions: np.ndarray) -> np.ndarray:
    """(n,) luminance of a blurred dome along directions in map space."""
    d = directions / np.abs(directions).sum(1, keepdims=True)
    sign = np.where(d[:, :2] >= 0.0, 1.0, -1.0)
    uv = np.where(d[:, 2:] < 0.0, (1.0 - np.abs(d[:, 1::-1])) * sign, d[:, :2])
    side = maps.shape[1]
    at = np.clip(((uv + 1.0) * 0.5 * side).astype(int), 0, side - 1)
    return maps[LIGHT_LEVEL, at[:, 1], at[:, 0]] @ LUMINANCE


def openness_of(scene: Scene, go_on: Callable[[], bool] = lambda: True) -> Openness | None:
    """How open the space about a scene's parts is as they stand; None when `go_on` said no on the way."""
    low, high = np.asarray(scene.low, float), np.asarray(scene.high, float)
    size = np.maximum(high - low, 1e-3)
    beside = BESIDE * float(size.max())
    low, high = low - [beside, beside, 0.02 * size[2]], high + [beside, beside, 0.25 * beside]
    size = high - low
    cell = float((size.prod() / CELLS) ** (1 / 3))
    shape = np.maximum(2, np.ceil(size / cell)).astype(np.int64)
    seen, counts = np.zeros((int(shape.prod()), RAYS), np.uint8), np.zeros(int(shape.prod()), np.float32)
    directions = spread(RAYS)
    waiting, lock = iter(range(0, len(seen), AT_ONCE)), threading.Lock()

    def work() -> bool:
        while go_on():
            with lock:
                first = next(waiting, None)
            if first is None:
                return True
            look_round(scene.arrays.top, low, cell, directions, shape, first, first + AT_ONCE, seen, counts)
        return False

    with ThreadPoolExecutor(len(os.sched_getaffinity(0)), thread_name_prefix="shade") as pool:
        whole = [done.result() for done in [pool.submit(work) for _ in range(len(os.sched_getaffinity(0)))]]
    if not all(whole):
        return None
    return Openness(seen.astype(np.float32), counts, tuple(shape.tolist()), low, cell, _given_back(scene))


def _given_back(scene: Scene) -> float:
    """The share of light that the surfaces of a scene give back, in the mean of its parts."""
    arrays = scene.arrays
    m = arrays.materials[arrays.instance_material[arrays.instance_part != LAMP_PART]]
    if not len(m):
        return 0.0
    matt, metal = m[:, o.DIFFUSE : o.DIFFUSE + 3] @ LUMINANCE, m[:, o.METAL_F0 : o.METAL_F0 + 3] @ LUMINANCE
    return float(np.clip((matt + (metal - matt) * m[:, o.METALNESS]).mean(), 0.1, 0.8))


class Shades:
    """The shade of the scene that was looked at last, held while its parts move."""

    def __init__(self) -> None:
        self._of: Callable[[], Any] = lambda: None
        self._open: Openness | None = None
        self._lit: Remembered[Shade] = Remembered()

    def fits(self, scene: Scene) -> bool:
        """Whether the shade is that of the parts as they stand now."""
        return self._of() is scene.alive[0]

    def take(self, scene: Scene, go_on: Callable[[], bool] = lambda: True) -> bool:
        """Look round in a scene, unless that has been done; whether that changed anything."""
        if self.fits(scene):
            return False
        found = openness_of(scene, go_on)
        if found is None:
            return False
        self._of, self._open = weakref.ref(scene.alive[0]), found
        return True

    def take_first(self, scene: Scene) -> None:
        """Look round in the first scene alone: where things move it is held for all of a film."""
        if self._open is None:
            self.take(scene)

    def under(self, maps: np.ndarray, turn: np.ndarray) -> Shade:
        """The shade under a blurred dome; none while nothing is known of it."""
        if self._open is None:
            return NONE
        return self._lit.get((self._open, maps, turn.tobytes()), lambda: self._open.lit(maps, turn))  # type: ignore[union-attr]

    def forget(self) -> None:
        """Another project."""
        self._of, self._open = (lambda: None), None
