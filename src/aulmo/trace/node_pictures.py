"""Small pictures of what every node of a material gives, by the program that the tracer runs.

Each shows a square of the part, in its own mm; nodes that follow which way the surface faces are shown on a ball of that width, those that follow
the mesh on the part itself, seen from the front.
"""

from typing import NamedTuple

import numpy as np

from aulmo.document.assets import AssetStore, Mesh
from aulmo.document.records import Material
from aulmo.errors import AulmoError
from aulmo.surface import program as p
from aulmo.surface.colour import ACESCG_TO_SRGB, encode_srgb
from aulmo.surface.compiling import compile_shown
from aulmo.trace.pattern.program_run import run_shown
from aulmo.trace.pattern.programs import OF_THE_MESH, ProgramBook, known_of
from aulmo.trace.shape.embree import MASK_SOLID, NO_HIT, InstanceTree, MeshTree, intersect_once

SIDE = 64
_FACING = (p.FACING, p.NORMAL, p.TANGENT, p.NORMAL_MAP, p.SLOPE, p.BLEND_NORMALS, p.FLAKES)


class NodePicture(NamedTuple):
    """What a node gives: (side, side, 3) uint8 to be shown, its lowest, mean and highest number, and a sentence where it has a fault."""

    pixels: np.ndarray
    lowest: float
    mean: float
    highest: float
    fault: str = ""


class NodePictures:
    """Keeps pictures that were decoded between edits."""

    def __init__(self, assets: AssetStore) -> None:
        self._book = ProgramBook(assets)
        self._front: tuple[object, np.ndarray, np.ndarray] | None = None

    def take(self, material: Material, mesh: Mesh | None, side: int = SIDE, names: list[str] | None = None) -> tuple[dict[str, NodePicture], float]:
        """Pictures by node, and how wide in mm the square is. `names` leaves all other nodes out. Never raises for what is wrong with the nodes."""
        book = self._book
        book.begin()
        shown = compile_shown(material, book, names)
        corners = mesh.vertices[:, :3].astype(float) if mesh is not None and len(mesh.vertices) else np.array([[-50.0] * 3, [50.0] * 3])
        low, high = corners.min(0), corners.max(0)
        width = float(min(100.0, max(1e-3, float((high - low).max()))))
        codes = shown.ops[:, p.O_CODE] if len(shown.ops) else np.zeros(0)
        points, normals = self._square(low, high, width, side)
        known = known_of(np.array([low, high]))
        if np.isin(codes, OF_THE_MESH).any() and mesh is not None:
            points, normals = self._seen(mesh, low, high, width, side)
            for k, radius in enumerate(book.radii):
                known[p.CURVES_ROW, k] = book.curvature(f"{id(mesh)}", mesh, radius).ctypes.data
        elif np.isin(codes, _FACING).any():
            points, normals = self._ball(0.5 * (low + high), width, side)
        registers = np.zeros((max([p.REGISTER_ROWS, *(r + 1 for r in shown.registers.values())]) + 64, 4))
        registers[: len(known)] = known
        registers[p.U_ROW, 0], registers[p.V_ROW, 2] = 1.0 / width, 1.0 / width  # the square is the file's picture once
        registers[p.U_ROW, 3], registers[p.V_ROW, 3] = -(0.5 * (low + high) - 0.5 * width)[[0, 2]] / width
        order = list(shown.registers)
        out = np.zeros((len(order), len(points), 3))
        lays, pictures, _held = book.tables()
        if order:
            highest = int(shown.ops[:, p.O_TO].max()) + 1
            if highest > len(registers):
                registers = np.concatenate([registers, np.zeros((highest - len(registers), 4))])
            facings = np.clip(-normals[:, 1], 0.0, 1.0)
            which = np.array([shown.registers[name] for name in order], np.int64)
            run_shown(shown.ops, lays, pictures, registers, points, normals, facings, width / side, which, out)
        found = {}
        for name, values in zip(order, out):
            found[name] = _pictured(values, shown.flows.get(name, "number"), side, shown.faults.get(name, ""))
        blank = np.full((side, side, 3), 70, np.uint8)
        for name, fault in shown.faults.items():
            if name not in found:
                found[name] = NodePicture(blank, 0.0, 0.0, 0.0, fault)
        return found, width

    def try_take(self, material: Material, mesh: Mesh | None, side: int = SIDE) -> tuple[dict[str, NodePicture], float]:
        """The same; a picture that cannot be read leaves all bare."""
        try:
            return self.take(material, mesh, side)
        except AulmoError as error:
            blank = np.full((side, side, 3), 70, np.uint8)
            return {n.id: NodePicture(blank, 0.0, 0.0, 0.0, str(error)) for n in material.nodes}, 100.0

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
        if self._front is not None and self._front[0] is mesh and len(self._front[1]) == len(points):
            return self._front[1], self._front[2]
        tree = MeshTree(mesh.vertices, mesh.triangles)
        top = InstanceTree([tree], np.eye(4, dtype=np.float32)[None, :3], np.array([MASK_SOLID], np.uint32), {})
        start = float(low[1] - 1.0)
        for k in range(len(points)):
            floats, words = intersect_once(top.handle, np.array([points[k, 0], start, points[k, 2]]), np.array([0.0, 1.0, 0.0]), MASK_SOLID)
            if words[17] != NO_HIT:
                points[k, 1] = start + float(floats[8])
                normal = floats[12:15].astype(float)
                normals[k] = normal / max(1e-12, float(np.linalg.norm(normal))) * (-1.0 if normal[1] > 0 else 1.0)
        self._front = (mesh, points, normals)
        return points, normals


def _pictured(values: np.ndarray, flow: str, side: int, fault: str) -> NodePicture:
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
    return NodePicture(np.ascontiguousarray(pixels), lowest, mean, highest, fault)
