"""Gathering the surface programs, pictures and displaced meshes of a scene; what did not change is not made again."""

import hashlib
from typing import Callable

import msgspec
import numpy as np
from msgspec.structs import replace

from aulmo.document.assets import AssetStore, Mesh
from aulmo.document.records import Material
from aulmo.errors import BadValue
from aulmo.surface.lay import LAY_COLUMNS
from aulmo.surface.picture import MOST_BYTES, Pixels, Texture, coarser, make_texture, read_picture
from aulmo.surface.program import (
    IMAGE,
    O_CODE,
    OP_COLUMNS,
    Program,
    blind_from,
    coarsest,
    compile_program,
    cuts_holes,
    follows_file,
    height_program,
    leads_glow,
)
from aulmo.trace.compile import arrays as a
from aulmo.trace.material import openpbr
from aulmo.trace.material.material_rows import material_row
from aulmo.trace.pattern.lookup import (
    MOST_LEVELS,
    T_BYTES,
    T_CHANNELS,
    T_COLOUR,
    T_DECODE,
    T_DECODE_ALPHA,
    T_FIRST,
    T_LEVELS,
    T_SCALE,
    T_TEXELS,
    TEXTURE_COLUMNS,
)
from aulmo.trace.pattern.program_run import run_points

MOST_TRIANGLES = 8_000_000  # of one displaced mesh
NO_OPS = np.zeros((1, OP_COLUMNS))
NO_LAYS = np.zeros((1, LAY_COLUMNS))
NO_PICTURES = np.zeros((1, TEXTURE_COLUMNS))


class ProgramBook:
    """Keeps decoded pictures and displaced meshes between builds. `most_bytes` is what all pictures together may take: beyond it the largest
    lose their finest copies."""

    def __init__(self, assets: AssetStore, most_bytes: int = MOST_BYTES) -> None:
        self.assets, self.most_bytes = assets, most_bytes
        self._textures: dict[tuple[str, bool], Texture] = {}
        self._order: list[tuple[str, bool]] = []
        self._lays: list[np.ndarray] = []
        self._lay_of: dict[bytes, int] = {}
        self._meshes: dict[str, Mesh] = {}

    # what a program asks for (`surface.program.Pictures`)

    def number(self, name: str, colour: bool, solid: bool = False, make: Callable[[], Pixels] | None = None) -> int:
        """Of a picture by the name of its asset, read as colours or as plain data, with its alpha or `solid`; `make` gives one that is no asset."""
        key = (name, colour)
        if solid and self.sees_through(name):
            key = (f"{name}#solid", colour)
        if key not in self._textures:
            pixels = make() if make is not None else read_picture(self.assets.get(name), name)
            if key[0] != name:
                pixels = pixels._replace(codes=np.ascontiguousarray(pixels.codes[..., :-1]))
            self._textures[key] = make_texture(pixels, colour)
            self._keep_within()
        if key not in self._order:
            self._order.append(key)
        return self._order.index(key)

    def _any(self, name: str) -> Texture:
        if (name, False) not in self._textures and (name, True) not in self._textures:
            self._textures[name, True] = make_texture(read_picture(self.assets.get(name), name), True)
            self._keep_within()
        return self._textures.get((name, True)) or self._textures[name, False]

    def shape(self, name: str) -> tuple[int, int]:
        """Height and width of a picture."""
        w, h, _ = self._any(name).levels[0]
        return h, w

    def sees_through(self, name: str) -> bool:
        """Whether a picture has an alpha."""
        return self._any(name).sees_through

    def lay(self, row: np.ndarray) -> int:
        """Of a lay's row; the same for the same numbers."""
        key = row.tobytes()
        if key not in self._lay_of:
            self._lay_of[key] = len(self._lays)
            self._lays.append(row)
        return self._lay_of[key]

    def _keep_within(self) -> None:
        """Let pictures go that nothing uses now, then make the largest ones smaller, until all fit."""
        newest = next(reversed(self._textures), None)
        while sum(t.bytes for t in self._textures.values()) > self.most_bytes:
            idle = next((k for k in self._textures if k not in self._order and k != newest), None)
            if idle is not None:
                del self._textures[idle]
                continue
            key = max(self._textures, key=lambda k: self._textures[k].bytes)
            smaller = coarser(self._textures[key])
            if smaller is self._textures[key]:
                return
            self._textures[key] = smaller

    def begin(self) -> None:
        """Number pictures and lays anew."""
        self._order, self._lays, self._lay_of = [], [], {}

    def gather(self, materials: list[Material | None], baked: list, numbers: np.ndarray, albedos: list) -> tuple:
        """(programs, ops) for materials in the order of their rows; flags `numbers` and adds tables to `albedos`. Pictures and lays get their
        numbers meanwhile (see `begin`, `tables`).

        Raises BadValue or BadFile with a sentence when nodes or pictures are wrong.
        """
        programs = np.zeros((len(materials), a.P_COLUMNS), np.int32)
        programs[:, a.P_TABLES] = -1
        ops: list[np.ndarray] = []
        start = 0
        for index, material in enumerate(materials):
            if material is None or not set(material.wires) - {"displacement"}:
                continue
            program = self._compiled(material)
            base, coat = a.P_RELIEF, a.P_COAT_RELIEF
            programs[index, base + a.R_COARSEST] = min(2e9, 1e3 * coarsest(program.height))
            programs[index, coat + a.R_COARSEST] = min(2e9, 1e3 * coarsest(program.coat_height))
            blind = blind_from(program)
            if not leads_glow(material) and blind < 2e6:
                programs[index, a.P_BLIND] = max(1, round(1e3 * blind))
            for column, part in (
                (a.P_FIRST, program.ops), (base + a.R_HEIGHT, program.height), (base + a.R_NORMAL, program.normal),
                (coat + a.R_HEIGHT, program.coat_height), (coat + a.R_NORMAL, program.coat_normal),
            ):  # fmt: skip
                ops.append(part)
                programs[index, column], programs[index, column + 1] = start, start + len(part)
                start += len(part)
            programs[index, a.P_UV] = follows_file(material)
            programs[index, a.P_PICTURED] = bool(len(program.ops)) and bool((program.ops[:, O_CODE] == IMAGE).any())
            numbers[index, openpbr.PROGRAMMED] = 1.0
            numbers[index, openpbr.CUT_OUT] = float(cuts_holes(material))
            if program.rough:
                programs[index, a.P_TABLES] = len(albedos)
                for level in range(a.ROUGH_LEVELS):
                    albedos.append(material_row(replace(material.surface, specular_roughness=level / (a.ROUGH_LEVELS - 1))).albedos)
        return programs, np.concatenate(ops) if start else NO_OPS

    def _compiled(self, material: Material) -> Program:
        program = compile_program(material, self)
        for normal in (program.normal, program.coat_normal):
            if len(normal) and normal[0, O_CODE] != IMAGE:
                raise BadValue(f"The normal of {material.name} has to be led straight from an image node.")
        return program

    def tables(self) -> tuple[np.ndarray, np.ndarray, tuple[Texture, ...]]:
        """(lays, pictures, what has to be kept while they are read): the rows of all that was numbered since `begin`."""
        self._keep_within()
        lays = np.array(self._lays).reshape(-1, LAY_COLUMNS)
        held = tuple(self._textures[key] for key in self._order)
        rows = np.zeros((len(held), TEXTURE_COLUMNS))
        for row, texture in zip(rows, held):
            row[T_LEVELS], row[T_CHANNELS], row[T_BYTES] = min(MOST_LEVELS, len(texture.levels)), texture.channels, texture.codes.dtype.itemsize
            row[T_TEXELS], row[T_DECODE], row[T_DECODE_ALPHA] = (t.ctypes.data for t in (texture.codes, texture.decode, texture.decode_alpha))
            row[T_SCALE], row[T_COLOUR] = texture.scale, texture.colour
            row[T_FIRST : T_FIRST + 3 * min(MOST_LEVELS, len(texture.levels))] = np.array(texture.levels[:MOST_LEVELS]).ravel()
        return lays if len(lays) else NO_LAYS, rows if len(rows) else NO_PICTURES, held

    def displaced_name(self, mesh_name: str, worn: list[Material | None], faces: tuple[tuple[int, ...], ...]) -> str:
        """Name of a mesh after the displacement of what it wears: the body's material and those of its sets of `faces`, None where flat."""
        tell = [m and (m.nodes, m.lays, m.wires.get("displacement"), m.displacement_step) for m in worn]
        about = msgspec.json.encode((mesh_name, tell, faces))
        return "displaced-" + hashlib.sha256(about).hexdigest()[:24]

    def displaced(self, mesh_name: str, worn: list[Material | None], faces: tuple[tuple[int, ...], ...]) -> Mesh:
        """The mesh cut finely and moved along its normals by the heights its materials say (see `displaced_name`). Raises BadValue when that
        would be too many triangles."""
        name = self.displaced_name(mesh_name, worn, faces)
        if name not in self._meshes:
            finest = min((m for m in worn if m), key=lambda m: m.displacement_step)
            fine = subdivided(self.assets.mesh(mesh_name), finest.displacement_step, finest.name)
            self.begin()
            ops = [None if m is None else height_program(m, self) for m in worn]
            lays, pictures, _held = self.tables()
            self._meshes[name] = moved(fine, ops, slots_of(fine, faces), lays, pictures, finest.displacement_step)
        return self._meshes[name]


def slots_of(mesh: Mesh, faces: tuple[tuple[int, ...], ...]) -> np.ndarray:
    """(m,) int32 of every triangle 0 for the body or 1 + the number of the face set it lies in, the last of those that hold its face."""
    if len(mesh.faces) == 0 or not faces:
        return np.zeros(len(mesh.triangles), np.int32)
    table = np.zeros(int(mesh.faces.max()) + 1, np.int32)
    for number, held in enumerate(faces, 1):
        table[np.array([f for f in held if f < len(table)], np.int64)] = number
    return table[mesh.faces]


def subdivided(mesh: Mesh, step: float, name: str = "The material") -> Mesh:
    """The same surface with no edge longer than `step` mm: edges that are too long are halved, so that neighbours keep fitting."""
    if not step > 0:
        raise BadValue(f"The displacement step of {name} has to be above zero.")
    points, normals, triangles = mesh.vertices.astype(float), mesh.normals.astype(float), mesh.triangles.astype(np.int64)
    faces, uv = mesh.faces, mesh.uv.astype(float)
    corners = points[triangles]
    area = 0.5 * np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1).sum()
    too_many = BadValue(f"A displacement step of {step:g} mm would cut {name} into more than {MOST_TRIANGLES // 1_000_000} million triangles.")
    if area > MOST_TRIANGLES * 3**0.5 / 4 * step * step:  # even if each were the largest that has no longer edge
        raise too_many
    for _ in range(24):
        edges = np.sort(np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]]), 1)
        long = np.linalg.norm(points[edges[:, 0]] - points[edges[:, 1]], axis=1) > step
        if not long.any():
            break
        if len(triangles) + long.sum() > MOST_TRIANGLES:  # each edge that is halved makes one more of each triangle beside it
            raise too_many
        unique, inverse = np.unique(edges, axis=0, return_inverse=True)
        split = np.zeros(len(unique), bool)
        split[inverse.reshape(-1)[long]] = True
        middle = np.full(len(unique), -1, np.int64)
        middle[split] = len(points) + np.arange(split.sum())
        a_, b_ = unique[split].T
        points = np.concatenate([points, 0.5 * (points[a_] + points[b_])])
        uv = np.concatenate([uv, 0.5 * (uv[a_] + uv[b_])]) if len(uv) else uv
        between = normals[a_] + normals[b_]
        normals = np.concatenate([normals, between / np.maximum(1e-12, np.linalg.norm(between, axis=1, keepdims=True))])
        m = middle[inverse.reshape(-1)].reshape(3, -1).T  # of the edges 01, 12, 20
        triangles, source = _cut(triangles, m)
        faces = faces[source] if len(faces) else faces
    return Mesh(points.astype(np.float32), normals.astype(np.float32), triangles.astype(np.uint32), faces, uv.astype(np.float32))


def _cut(triangles: np.ndarray, m: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Cut each triangle by the new points on its edges (m, -1 for none). Returns the pieces, and of each the triangle it was cut from."""
    has = m >= 0
    kind = has.sum(1)
    out, source = [triangles[kind == 0]], [np.flatnonzero(kind == 0)]
    for turn in range(3):
        v, e = np.roll(triangles, -turn, 1), np.roll(m, -turn, 1)
        only = (kind == 1) & (e[:, 0] >= 0)
        a_, b_, c_ = v[only].T
        p = e[only, 0]
        out += [np.stack([a_, p, c_], 1), np.stack([p, b_, c_], 1)]
        source += [np.flatnonzero(only)] * 2
        both = (kind == 2) & (e[:, 2] < 0)
        a_, b_, c_ = v[both].T
        p, q = e[both, 0], e[both, 1]
        out += [np.stack([p, b_, q], 1), np.stack([a_, p, q], 1), np.stack([a_, q, c_], 1)]
        source += [np.flatnonzero(both)] * 3
    a_, b_, c_ = triangles[kind == 3].T
    p, q, r = m[kind == 3].T
    out += [np.stack(t, 1) for t in ((a_, p, r), (p, b_, q), (r, q, c_), (p, q, r))]
    source += [np.flatnonzero(kind == 3)] * 4
    return np.concatenate(out), np.concatenate(source)


def moved(mesh: Mesh, programs: list[np.ndarray | None], slots: np.ndarray, lays: np.ndarray, pictures: np.ndarray, step: float) -> Mesh:
    """Vertices moved along their normals by the height of the program whose number their triangles have in `slots` (None moves nothing); those
    at one place move together, so that no seam opens."""
    points, normals = mesh.vertices.astype(float), mesh.normals.astype(float)
    scale = float(np.ptp(points, axis=0).max()) or 1.0
    _, weld = np.unique(np.rint(points / (scale * 1e-6)).astype(np.int64), axis=0, return_inverse=True)
    weld = weld.reshape(-1)
    count = int(weld.max()) + 1
    along = np.zeros((count, 3))
    np.add.at(along, weld, normals)
    along /= np.maximum(1e-12, np.linalg.norm(along, axis=1, keepdims=True))
    total, shared = np.zeros(count), np.zeros(count)
    for number, ops in enumerate(programs):
        inside = np.unique(mesh.triangles[slots == number]) if len(programs) > 1 else np.arange(len(points))
        if len(inside):
            heights = np.zeros((len(inside), 3))
            if ops is not None:
                uvs = mesh.uv[inside].astype(float) if len(mesh.uv) else np.zeros((0, 2))
                run_points(ops, lays, pictures, points[inside], normals[inside], uvs, step, heights)
            np.add.at(total, weld[inside], heights[:, 0])
            np.add.at(shared, weld[inside], 1.0)
    shared = np.maximum(shared, 1.0)
    place = points + along[weld] * (total / shared)[weld][:, None]
    # new normals: mean of the triangles around, but no smoother across old creases than before
    corners = place[mesh.triangles]
    flat = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    fresh = np.zeros_like(place)
    for k in range(3):
        np.add.at(fresh, mesh.triangles[:, k], flat)
    length = np.linalg.norm(fresh, axis=1, keepdims=True)
    fresh = np.where(length > 1e-20, fresh / np.maximum(length, 1e-20), normals)
    return Mesh(place.astype(np.float32), fresh.astype(np.float32), mesh.triangles, mesh.faces, mesh.uv)
