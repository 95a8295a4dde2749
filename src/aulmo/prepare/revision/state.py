"""What a file said when it was read: kept with the project, so that what the artist did since and what the engineer did since can be told apart."""

from typing import Iterable

import msgspec
import numpy as np

from aulmo.document import branches
from aulmo.document.assets import AssetStore
from aulmo.document.meshes import Mesh
from aulmo.document.placement import to_matrix
from aulmo.document.records import Camera, Document, Part, Source
from aulmo.errors import BadFile
from aulmo.prepare.choices import turn_up

SUFFIX = ".said"
EXACT = 1e-4  # of its largest side
ALIKE = 2e-3  # of its size: shapes that differ by less are one shape, cut into other triangles


class Face(msgspec.Struct, array_like=True, frozen=True):
    """A face of a shape: its number, area in mm2, the middle of its box in mm, and its mean normal."""

    number: int
    area: float
    middle: tuple[float, float, float]
    normal: tuple[float, float, float]


class Shape(msgspec.Struct, frozen=True):
    """What a mesh is known again by, however it is cut into triangles: box, area and volume in its own mm, and its faces."""

    low: tuple[float, float, float]
    high: tuple[float, float, float]
    area: float
    volume: float
    middle: tuple[float, float, float]
    faces: tuple[Face, ...] = ()

    @property
    def size(self) -> np.ndarray:
        """(3,) sides of its box."""
        return np.array(self.high) - np.array(self.low)

    def like(self, other: "Shape") -> bool:
        """Whether both are the same shape, in the same place of their axes."""
        sizes = np.maximum(self.size, other.size)  # along each axis by itself: a large thin plate that grew thicker is another
        within = ALIKE * sizes + EXACT * max(float(sizes.max()), 1e-9)
        off = np.abs(np.array([self.low, self.high, self.middle]) - np.array([other.low, other.high, other.middle]))
        return bool((off < within).all() and _near(self.area, other.area, 5 * ALIKE) and len(self.faces) == len(other.faces))

    def turned_like(self, other: "Shape") -> bool:
        """Whether both are the same shape, wherever and however it lies in its axes."""
        return bool(
            _near(self.area, other.area, ALIKE) and _near(abs(self.volume), abs(other.volume), 2 * ALIKE) and len(self.faces) == len(other.faces)
            and np.allclose(sorted(f.area for f in self.faces), sorted(f.area for f in other.faces), rtol=5 * ALIKE, atol=1e-6 * self.area)
        )  # fmt: skip


def _near(a: float, b: float, share: float) -> bool:
    return abs(a - b) <= share * max(abs(a), abs(b), 1e-12)


class Node(msgspec.Struct, frozen=True):
    """A part as the file has it. `id` is the part of the project that was made of it; `matrix` (16,) stands in its parent; `material` is the one it
    came with, `colour` that one's look in short; `sets` are its faces' own materials by number."""

    id: str
    key: str
    name: str
    parent: str
    matrix: tuple[float, ...]
    shape: str = ""
    material: str = ""
    colour: str = ""
    sets: tuple[tuple[str, tuple[int, ...]], ...] = ()


class Said(msgspec.Struct, frozen=True):
    """All that a file said: its parts in the order of its tree, its shapes by the name of the mesh that was made of them, its unit in mm and which of
    its axes is up, both of which the lengths and places told here follow; by name, where its cameras stood and what they looked at (6,)."""

    nodes: tuple[Node, ...] = ()
    shapes: dict[str, Shape] = {}
    unit_mm: float = 1.0
    up: str = "z"
    cameras: dict[str, tuple[float, ...]] = {}

    @property
    def by_id(self) -> dict[str, Node]:
        """Its parts by id."""
        return {n.id: n for n in self.nodes}


def stood(cameras: Iterable[Camera]) -> dict[str, tuple[float, ...]]:
    """Where cameras stand and what they look at, by name."""
    return {c.name: (*c.position, *c.target) for c in cameras}


def shape_of(mesh: Mesh) -> Shape:
    """What a mesh is known again by."""
    p = mesh.vertices.astype(float)[mesh.triangles]
    cross = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    area = np.linalg.norm(cross, axis=1) / 2
    low, high = mesh.vertices.min(0).astype(float), mesh.vertices.max(0).astype(float)
    volume = float(((p[:, 0] - low) * cross).sum() / 6)
    whole = float(area.sum())
    middle = (p.mean(1) * area[:, None]).sum(0) / max(whole, 1e-30)
    faces: list[Face] = []
    if len(mesh.faces):
        numbers, back = np.unique(mesh.faces, return_inverse=True)
        order = np.argsort(back, kind="stable")
        begins = np.searchsorted(back[order], np.arange(len(numbers)))
        lows = np.minimum.reduceat(p[order].min(1), begins)
        highs = np.maximum.reduceat(p[order].max(1), begins)
        areas = np.add.reduceat(area[order], begins)
        normals = np.add.reduceat(cross[order], begins)
        normals /= np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-30)
        for k, number in enumerate(numbers):
            faces.append(Face(int(number), float(areas[k]), _triple((lows[k] + highs[k]) / 2), _triple(normals[k])))
    return Shape(_triple(low), _triple(high), whole, volume, _triple(middle), tuple(faces))


def _triple(v: np.ndarray) -> tuple[float, float, float]:
    return float(v[0]), float(v[1]), float(v[2])


def said_of(document: Document, assets: AssetStore, roots: Iterable[str], known: dict[str, Shape] | None = None) -> Said:
    """What a file said, read from the parts that were made of it just now. `known` are shapes that were measured, by the name of their mesh."""
    nodes = []
    shapes: dict[str, Shape] = {}
    stack = [(i, "") for i in reversed(list(roots))]
    while stack:
        part_id, parent = stack.pop()
        part = document.parts[part_id]
        nodes.append(node_of(document, part, parent))
        if part.mesh is not None and part.mesh not in shapes:
            shapes[part.mesh] = (known or {}).get(part.mesh) or shape_of(assets.mesh(part.mesh))
        stack.extend((c, part_id) for c in reversed(part.children))
    return Said(tuple(nodes), shapes)


def node_of(document: Document, part: Part, parent: str) -> Node:
    """A part as it is, as if its file said so."""
    sets = tuple((look_of(document, s.material), s.faces) for s in part.face_sets)
    matrix = tuple(float(v) for v in to_matrix(part.placement).reshape(-1))
    return Node(
        part.id, part.source_key, part.name, parent, matrix, part.mesh or "", part.material or "", look_of(document, part.material), sets,
    )  # fmt: skip


def look_of(document: Document, material_id: str | None) -> str:
    """A material's look in short: kind, colour, how clear; "" for none."""
    worn = document.materials.get(material_id or "")
    if worn is None:
        return ""
    s = worn.surface
    colour = " ".join(f"{v:.3f}" for v in (*s.base_color, s.base_metalness, s.transmission_weight, s.geometry_opacity, s.specular_roughness))
    return f"{worn.kind} {colour} {len(worn.pictures)}"


def kept(said: Said, assets: AssetStore) -> str:
    """Keep what a file said among the assets; its name."""
    return assets.add(msgspec.msgpack.encode(said), SUFFIX)


def remembered(document: Document, assets: AssetStore, source: Source) -> tuple[Said, bool]:
    """What a file said when it was read last, and whether that is known: a project of an earlier version kept nothing, and what is there now is taken
    for it. Raises BadFile."""
    if source.said:
        try:
            return msgspec.msgpack.decode(assets.get(source.said), type=Said), True
        except msgspec.DecodeError:
            raise BadFile(f"What {source.name} said when it was read is damaged.") from None
    roots = [i for i in source.roots if i in document.parts]
    wanted = {i for root in roots for i in branches.below(document, root)}
    keyed = [i for i in wanted if document.parts[i].source_key]
    base = said_of(document, assets, roots)
    there = set(keyed)
    nodes = tuple(msgspec.structs.replace(n, colour="", sets=()) for n in base.nodes if n.id in there)
    return Said(nodes, base.shapes, source.unit_mm, source.up), False


def in_unit(said: Said, unit_mm: float, up: str) -> Said:
    """What a file said, were its unit and its upward axis these."""
    factor = unit_mm / said.unit_mm
    turn = turn_up(up) @ np.linalg.inv(turn_up(said.up))
    if factor == 1.0 and np.array_equal(turn, np.eye(4)):
        return said

    def moved(node: Node) -> Node:
        matrix = np.array(node.matrix).reshape(4, 4)
        if not node.parent:
            matrix = turn @ matrix
        matrix = matrix.copy()
        matrix[:3, 3] *= factor
        return msgspec.structs.replace(node, matrix=tuple(float(v) for v in matrix.reshape(-1)))

    def larger(shape: Shape) -> Shape:
        scaled = lambda v: _triple(np.array(v) * factor)  # noqa: E731
        faces = tuple(Face(f.number, f.area * factor**2, scaled(f.middle), f.normal) for f in shape.faces)
        return Shape(scaled(shape.low), scaled(shape.high), shape.area * factor**2, shape.volume * factor**3, scaled(shape.middle), faces)

    cameras = {k: (*(turn[:3, :3] @ v[:3] * factor), *(turn[:3, :3] @ v[3:] * factor)) for k, v in said.cameras.items()}
    return Said(tuple(map(moved, said.nodes)), {k: larger(v) for k, v in said.shapes.items()}, unit_mm, up, cameras)


def world_boxes(said: Said) -> dict[str, tuple[np.ndarray, np.ndarray, np.ndarray]]:
    """By id, where a file's part stands in the file: its matrix (4, 4), and the middle and sides of its box, mm."""
    matrices: dict[str, np.ndarray] = {}
    out = {}
    for node in said.nodes:
        own = np.array(node.matrix).reshape(4, 4)
        matrices[node.id] = matrices[node.parent] @ own if node.parent in matrices else own
        shape = said.shapes.get(node.shape)
        if shape is not None:
            corners = np.array([[x, y, z] for x in (0, 1) for y in (0, 1) for z in (0, 1)], float) * shape.size + np.array(shape.low)
            world = corners @ matrices[node.id][:3, :3].T + matrices[node.id][:3, 3]
            out[node.id] = (matrices[node.id], (world.min(0) + world.max(0)) / 2, world.max(0) - world.min(0))
        else:
            out[node.id] = (matrices[node.id], matrices[node.id][:3, 3], np.zeros(3))
    return out


