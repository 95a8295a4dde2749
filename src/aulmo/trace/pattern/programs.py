"""Gathering the surface programs, pictures and displaced meshes of a scene; what did not change is not made again."""

import hashlib
from typing import Any, Callable

import msgspec
import numpy as np
from msgspec.structs import replace

from aulmo.document.assets import AssetStore
from aulmo.document.meshes import Mesh
from aulmo.document.properties import about
from aulmo.document.records import Material, Node, Surface, SurfaceLayer
from aulmo.errors import BadValue
from aulmo.surface import program as p
from aulmo.surface.compiling import compile_program, compile_value, height_program
from aulmo.surface.lay import LAY_COLUMNS
from aulmo.surface.picture import MOST_BYTES, Pixels, Texture, coarser, make_texture, read_picture
from aulmo.surface.program import (
    EVEN,
    FILM_LEVELS,
    FIRST_REGISTER,
    HIGH_ROW,
    IMAGE,
    LOW_ROW,
    MOST_CURVES,
    O_CODE,
    OP_COLUMNS,
    PLAIN,
    blind_from,
    coarsest,
    cuts_holes,
    follows_file,
    leads_glow,
)
from aulmo.trace.compile import arrays as a
from aulmo.surface import columns
from aulmo.trace.material.material_rows import material_row, thin_film_of
from aulmo.trace.pattern.curvature import bake_curvature
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
BY_COORDINATES = (p.TEXCOORD, p.IMAGE_AT, p.NORMAL_MAP)
OF_THE_MESH = (p.CURVATURE, p.EDGE_WEAR)
OF_THE_PART = (*OF_THE_MESH, p.WORLD_POSITION, p.PART_FACT, p.RANDOM_OF, p.GRADIENT, p.NORMAL, p.TANGENT)
NO_OPS = np.zeros((1, OP_COLUMNS))
NO_LAYS = np.zeros((1, LAY_COLUMNS))
NO_PICTURES = np.zeros((1, TEXTURE_COLUMNS))


class ProgramBook:
    """Keeps decoded pictures and displaced meshes between builds. `most_bytes` is what all pictures together may take: beyond it the largest
    lose their finest copies."""

    def __init__(self, assets: AssetStore, most_bytes: int = MOST_BYTES) -> None:
        self.assets, self.most_bytes = assets, most_bytes
        self.time, self.frames_per_second = 0.0, 24.0
        self.radii: list[float] = []
        self._curves: dict[tuple[str, float], np.ndarray] = {}
        self._textures: dict[tuple[str, bool], Texture] = {}
        self._at_hand: tuple[str, Pixels] | None = None
        self._facts: dict[str, tuple[int, int, bool]] = {}  # height, width, whether it has an alpha
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
            pixels = make() if make is not None else self._read(name)
            if key[0] != name:
                pixels = pixels._replace(codes=np.ascontiguousarray(pixels.codes[..., :-1]))
            self._textures[key] = make_texture(pixels, colour)
            self._keep_within()
        if key not in self._order:
            self._order.append(key)
        return self._order.index(key)

    def _read(self, name: str) -> Pixels:
        """A picture's pixels. The last one stays at hand until all is gathered: its shape, its alpha and its numbers are asked for in a row."""
        if self._at_hand is None or self._at_hand[0] != name:
            self._at_hand = name, read_picture(self.assets.get(name), name)
        pixels = self._at_hand[1]
        h, w = pixels.codes.shape[:2]
        self._facts[name] = h, w, pixels.codes.shape[2] in (2, 4)
        return pixels

    def _facts_of(self, name: str) -> tuple[int, int, bool]:
        if name not in self._facts:
            self._read(name)
        return self._facts[name]

    def shape(self, name: str) -> tuple[int, int]:
        """Height and width of a picture."""
        return self._facts_of(name)[:2]

    def sees_through(self, name: str) -> bool:
        """Whether a picture has an alpha."""
        return self._facts_of(name)[2]

    def lay(self, row: np.ndarray) -> int:
        """Of a lay's row; the same for the same numbers."""
        key = row.tobytes()
        if key not in self._lay_of:
            self._lay_of[key] = len(self._lays)
            self._lays.append(row)
        return self._lay_of[key]

    def curve(self, radius: float) -> int:
        """Of a radius of curvature. Raises BadValue when a scene has more than it can hold."""
        radius = float(f"{radius:.4g}")
        if radius not in self.radii:
            if len(self.radii) == MOST_CURVES:
                raise BadValue(f"Edges and hollows of a scene can have {MOST_CURVES} different radii; {radius:g} mm would be one more.")
            self.radii.append(radius)
        return self.radii.index(radius)

    def curvature(self, name: str, mesh: Mesh, radius: float) -> np.ndarray:
        """The table of a mesh's curvature within a radius, kept until another document is looked at."""
        if (name, radius) not in self._curves:
            if len(self._curves) > 64:
                self._curves.clear()
            self._curves[name, radius] = bake_curvature(mesh, radius)
        return self._curves[name, radius]

    def evened(self, surface: Surface, material: Material | None) -> Surface:
        """A surface whose parameters that are one all through a body have the mean of the nodes that lead them; a film whose weight is led is baked
        whole, for it is there or not by the chance of that weight."""
        if material is not None and "thin_film_weight" in material.wires:
            surface = replace(surface, thin_film_weight=1.0)
        wires = material.wires if material is not None else {}
        deep = surface.transmission_depth > 0 or "transmission_depth" in wires  # a tint that lies within the body has one colour
        led = {k: v for k, v in wires.items() if k in EVEN or (deep and k == "transmission_color")}
        if not led:
            return surface
        values: dict[str, Any] = {}
        strewn = np.random.default_rng(16)
        points, normals = strewn.uniform(-50.0, 50.0, (64, 3)), strewn.normal(size=(64, 3))
        normals /= np.linalg.norm(normals, axis=1, keepdims=True)
        assert material is not None
        for key, reference in led.items():
            ops = compile_value(material, reference, self, key)
            lays, pictures, _held = self.tables()
            found = np.zeros((64, 3))
            run_points(ops, lays, pictures, points, normals, np.zeros((0, 2)), 0.0, known_of(points), found)
            mean = found.mean(0)
            about_it = about(f"materials/x/surface/{key}")
            if about_it.kind == "colour":
                values[key] = tuple(float(v) for v in np.clip(mean, 0.0, about_it.most))
            elif about_it.kind == "yes":
                values[key] = bool(mean[0] >= 0.5)
            else:
                one = float(np.clip(mean[0], about_it.least, about_it.most))
                values[key] = round(one) if about_it.kind == "whole" else one
        return replace(surface, **values)

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
        self._order, self._lays, self._lay_of, self.radii = [], [], {}, []

    def gather(
        self, materials: list[Material | None], numbers: np.ndarray, albedos: list, films: list, over: dict[int, list[tuple[int, SurfaceLayer]]],
    ) -> tuple[np.ndarray, np.ndarray, np.ndarray]:  # fmt: skip
        """(programs, ops, layers) for materials in the order of their rows; flags `numbers` and adds tables to `albedos` and `films`. `over` has
        the rows of
        the layers that lie over a row, the lowest first. Pictures and lays get their numbers meanwhile (see `begin`, `tables`).

        Raises BadValue or BadFile with a sentence when nodes or pictures are wrong.
        """
        programs = np.zeros((len(materials), a.P_COLUMNS), np.int32)
        programs[:, a.P_TABLES] = -1
        ops: list[np.ndarray] = []
        layers: list[tuple[int, int, int]] = [(0, 0, 0)]
        start = 0
        for index, material in enumerate(materials):
            if material is not None and index in over:
                programs[index, a.P_LAYERS] = len(layers)
                layers.append((len(over[index]), 0, 0))
                for row, layer in reversed(over[index]):
                    mask = self._mask(material, layer)
                    layers.append((row, start, start + len(mask)))
                    ops.append(mask)
                    start += len(mask)
                    self._note(programs[index], material, (mask,))
            if material is None or not set(material.wires) - {"displacement", *EVEN}:
                continue
            program = compile_program(material, self)
            base, coat = a.P_RELIEF, a.P_COAT_RELIEF
            programs[index, base + a.R_COARSEST] = min(2e9, 1e3 * coarsest(program.height))
            programs[index, coat + a.R_COARSEST] = min(2e9, 1e3 * coarsest(program.coat_height))
            blind = blind_from(program)
            by_chance = bool({"thin_film_weight", "thin_film_thickness"} & set(material.wires))  # no one row is the mean of films
            if not leads_glow(material) and not by_chance and blind < 2e6:
                programs[index, a.P_BLIND] = max(1, round(1e3 * blind))
            for column, part in (
                (a.P_FIRST, program.ops), (base + a.R_HEIGHT, program.height), (base + a.R_NORMAL, program.normal),
                (coat + a.R_HEIGHT, program.coat_height), (coat + a.R_NORMAL, program.coat_normal),
            ):  # fmt: skip
                ops.append(part)
                programs[index, column], programs[index, column + 1] = start, start + len(part)
                start += len(part)
            programs[index, base + a.R_MORE], programs[index, coat + a.R_MORE] = (_beyond(h) for h in (program.height, program.coat_height))
            self._note(programs[index], material, program[:5])
            codes = program.ops[:, O_CODE] if len(program.ops) else np.zeros(0)
            programs[index, a.P_PICTURED] = bool(((codes == IMAGE) | (codes > PLAIN)).any())
            numbers[index, columns.PROGRAMMED] = 1.0
            numbers[index, columns.CUT_OUT] = float(cuts_holes(material))
            if program.filmed:
                numbers[index, columns.FILM_FIRST] = len(films)
                thickest = max(1e-6, 2.0 * material.surface.thin_film_thickness)
                for level in range(FILM_LEVELS):
                    one = replace(material.surface, thin_film_thickness=max(1e-4, thickest * level / (FILM_LEVELS - 1)), thin_film_weight=1.0)
                    films.append(thin_film_of(one, numbers[index]))
            if program.rough:
                programs[index, a.P_TABLES] = len(albedos)
                for level in range(a.ROUGH_LEVELS):
                    albedos.append(material_row(replace(material.surface, specular_roughness=level / (a.ROUGH_LEVELS - 1))).albedos)
        return programs, np.concatenate(ops) if start else NO_OPS, np.array(layers, np.int32)

    def _mask(self, material: Material, layer: SurfaceLayer) -> np.ndarray:
        reference, nodes = layer.mask, material.nodes
        if not isinstance(reference, str):
            nodes, reference = (*nodes, Node("", "constant", {"value": float(reference)})), "@"
        return compile_value(replace(material, nodes=nodes), reference, self, "mask")

    def _note(self, row: np.ndarray, material: Material, parts: tuple[np.ndarray, ...]) -> None:
        """Note in a row of `programs` what has to be known of a part before these operations are run."""
        codes = np.concatenate([part[:, O_CODE] for part in parts]) if parts else np.zeros(0)
        row[a.P_UV] |= int(follows_file(material) or np.isin(codes, BY_COORDINATES).any())
        if np.isin(codes, OF_THE_PART).any():
            row[a.P_PART] = max(row[a.P_PART], 2 if np.isin(codes, OF_THE_MESH).any() else 1)

    def tables(self) -> tuple[np.ndarray, np.ndarray, tuple[Texture, ...]]:
        """(lays, pictures, what has to be kept while they are read): the rows of all that was numbered since `begin`."""
        self._at_hand = None
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


def _beyond(ops: np.ndarray) -> bool:
    """Whether a height holds nodes that four points at once do not know."""
    return bool(len(ops)) and bool((ops[:, O_CODE] >= PLAIN).any())


def known_of(points: np.ndarray) -> np.ndarray:
    """(FIRST_REGISTER, 4) first rows of registers for a part by itself whose points (n, 3) are given: its box, standing where the world stands."""
    known = np.zeros((FIRST_REGISTER, 4))
    if len(points):
        known[LOW_ROW, :3] = known[p.GROUP_LOW_ROW, :3] = points.min(0)
        known[HIGH_ROW, :3] = known[p.GROUP_HIGH_ROW, :3] = points.max(0)
    known[p.WORLD_ROW : p.WORLD_ROW + 3, :3] = np.eye(3)
    return known


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
                run_points(ops, lays, pictures, points[inside], normals[inside], uvs, step, known_of(points), heights)
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
