"""Small pictures of what every node of a material gives, by the program that the tracer runs.

Each shows a square of the part, in its own mm; nodes that follow which way the surface faces are shown on a ball of that width, those that follow
the mesh on the part itself, seen from the front.
"""

from typing import NamedTuple

import numpy as np

from aulmo.document.assets import AssetStore
from aulmo.document.meshes import Mesh
from aulmo.document.records import Material
from aulmo.errors import AulmoError
from aulmo.surface import program as p
from aulmo.surface.colour import ACESCG_TO_SRGB, encode_srgb
from aulmo.surface.compiling import compile_shown
from aulmo.trace.pattern.program_run import run_shown
from aulmo.trace.pattern.programs import OF_THE_MESH, ProgramBook, known_of
from aulmo.trace.shape.embree import MASK_SOLID, NO_HIT, InstanceTree, MeshTree, intersect_once

SIDE = 64
WIDEST = 100.0  # mm of the square
_FACING = (p.FACING, p.NORMAL, p.TANGENT, p.NORMAL_MAP, p.SLOPE, p.BLEND_NORMALS, p.FLAKES)


class NodePicture(NamedTuple):
    """What a node gives: (side, side, 3) uint8 to be shown, its lowest, mean and highest number, and a sentence where it has a fault."""

    pixels: np.ndarray
    lowest: float
    mean: float
    highest: float
    fault: str = ""


class NodePictures:
    """Keeps pictures that were decoded, and what is known of the last mesh, between edits."""

    def __init__(self, assets: AssetStore) -> None:
        self._book = ProgramBook(assets)
        self._mesh: Mesh | None = None
        self._meshes = 0
        self._front: tuple[np.ndarray, np.ndarray] | None = None

    def take(self, material: Material, mesh: Mesh | None, side: int = SIDE) -> tuple[dict[str, NodePicture], float]:
        """Pictures by node, and how wide in mm the square is. A picture file that cannot be read leaves all of them bare, with its sentence."""
        try:
            return self._taken(material, mesh, side)
        except AulmoError as error:
            return {n.id: _bare(side, str(error)) for n in material.nodes}, WIDEST

    def _taken(self, material: Material, mesh: Mesh | None, side: int) -> tuple[dict[str, NodePicture], float]:
        book = self._book
        book.begin()
        if mesh is not self._mesh:
            self._mesh, self._meshes, self._front = mesh, self._meshes + 1, None
        shown = compile_shown(material, book)
        half = 0.5 * WIDEST
        corners = mesh.vertices[:, :3].astype(float) if mesh is not None and len(mesh.vertices) else np.array([[-half] * 3, [half] * 3])
        low, high = corners.min(0), corners.max(0)
        width = float(min(WIDEST, max(1e-3, float((high - low).max()))))
        codes = shown.ops[:, p.O_CODE]
        points, normals = self._square(low, high, width, side)
        known = known_of(np.array([low, high]))
        if mesh is not None and np.isin(codes, OF_THE_MESH).any():
            points, normals = self._seen(mesh, low, high, width, side)
            for k, radius in enumerate(book.radii):
                known[p.CURVES_ROW, k] = book.curvature(f"shown-{self._meshes}", mesh, radius).ctypes.data
        elif np.isin(codes, _FACING).any():
            points, normals = self._ball(0.5 * (low + high), width, side)
        registers = np.zeros((max(p.REGISTER_ROWS, 1 + int(shown.ops[:, p.O_TO].max(initial=0))), 4))
        registers[: len(known)] = known
        registers[p.U_ROW, 0], registers[p.V_ROW, 2] = 1.0 / width, 1.0 / width  # the square is the file's picture once
        registers[p.U_ROW, 3], registers[p.V_ROW, 3] = -(0.5 * (low + high) - 0.5 * width)[[0, 2]] / width
        order = list(shown.registers)
        out = np.zeros((len(order), len(points), 3))
        lays, pictures, _held = book.tables()
        facings = np.clip(-normals[:, 1], 0.0, 1.0)
        which = np.array(list(shown.registers.values()), np.int64)
        run_shown(shown.ops, lays, pictures, registers, points, normals, facings, width / side, which, out)
        found = {name: _bare(side, fault) for name, fault in shown.faults.items()}
        return found | {name: _pictured(values, shown.flows[name], side) for name, values in zip(order, out)}, width

    def _square(self, low: np.ndarray, high: np.ndarray, width: float, side: int) -> tuple[np.ndarray, np.ndarray]:
        """A square that stands in the middle of the part and looks to its front (-y)."""
        s, t = self._steps(width, side)
        middle = 0.5 * (low + high)
        points = np.stack([middle[0] + s, np.full_like(s, low[1]), middle[2] + t], -1)
        return points, np.tile([0.0, -1.0, 0.0], (len(points), 1))

    def _steps(self, width: float, side: int) -> tuple[np.ndarray, np.ndarray]:
        at = ((np.arange(side) + 0.5) / side - 0.5) * width
        s, t = np.meshgrid(at, -at)
        return s.ravel(), t.ravel()

    def _ball(self, middle: np.ndarray, width: float, side: int) -> tuple[np.ndarray, np.ndarray]:
        s, t = self._steps(2.0, side)
        far = np.sqrt(s * s + t * t)
        shrink = np.where(far > 0.98, 0.98 / np.maximum(far, 1e-9), 1.0)
        s, t = s * shrink, t * shrink
        normals = np.stack([s, -np.sqrt(1.0 - s * s - t * t), t], -1)
        return middle + 0.5 * width * normals, normals

    def _seen(self, mesh: Mesh, low: np.ndarray, high: np.ndarray, width: float, side: int) -> tuple[np.ndarray, np.ndarray]:
        """The part itself, seen from its front; the square where there is nothing of it."""
        points, normals = self._square(low, high, width, side)
        if self._front is not None and len(self._front[0]) == len(points):
            return self._front
        tree = MeshTree(mesh.vertices, mesh.triangles)
        top = InstanceTree([tree], np.eye(4, dtype=np.float32)[None, :3], np.array([MASK_SOLID], np.uint32), {})
        start = float(low[1] - 1.0)
        for k in range(len(points)):
            floats, words = intersect_once(top.handle, np.array([points[k, 0], start, points[k, 2]]), np.array([0.0, 1.0, 0.0]), MASK_SOLID)
            if words[17] != NO_HIT:
                points[k, 1] = start + float(floats[8])
                normal = floats[12:15].astype(float)
                normals[k] = normal / max(1e-12, float(np.linalg.norm(normal))) * (-1.0 if normal[1] > 0 else 1.0)
        self._front = (points, normals)
        return self._front


def _bare(side: int, fault: str) -> NodePicture:
    """What stands for a node that cannot be shown."""
    return NodePicture(np.full((side, side, 3), 70, np.uint8), 0.0, 0.0, 0.0, fault)


def _pictured(values: np.ndarray, flow: str, side: int) -> NodePicture:
    """Values (side * side, 3) to be shown: colours as a display has them (darkened where they go beyond white), numbers as greys (stretched where
    they go beyond 0 to 1), directions as
    x, y and z about a middle grey."""
    number = values[:, 0] if flow == "number" else values.mean(1)
    lowest, mean, highest = float(number.min()), float(number.mean()), float(number.max())
    if flow == "colour":
        shown = encode_srgb(np.clip(values @ ACESCG_TO_SRGB.T / max(1.0, float(values.max())), 0.0, 1.0))
    elif flow == "direction":
        most = max(1.0, float(np.abs(values).max()))
        shown = 0.5 + 0.5 * values / most
    else:
        if lowest < -1e-6 or highest > 1.0 + 1e-6 or 0.0 < highest - lowest < 0.04:
            number = (number - lowest) / max(1e-12, highest - lowest)
        shown = np.repeat(np.clip(number, 0.0, 1.0)[:, None], 3, 1)
    pixels = np.rint(np.clip(shown, 0.0, 1.0) * 255).astype(np.uint8).reshape(side, side, 3)
    return NodePicture(np.ascontiguousarray(pixels), lowest, mean, highest)
