"""From a document to the arrays the kernels read. What did not change between two documents is not built again."""

import math
from typing import NamedTuple

import numpy as np

from aulmo.document.assets import AssetStore, Mesh
from aulmo.document.edits import below, is_shown
from aulmo.document.placement import turn_matrix, world_matrices
from aulmo.document.records import Backdrop, Document, Environment, Floor, Material, Shot, Surface
from aulmo.light import daylight, environment_image
from aulmo.surface.colour import LUMINANCE
from aulmo.surface.program import cuts_holes, leads_glow
from aulmo.trace.compile import arrays as a
from aulmo.trace.material import openpbr
from aulmo.trace.shape.embree import MASK_CATCHER, MASK_CLEAR, MASK_LAMP, MASK_SOLID, InstanceTree, MeshTree
from aulmo.trace.lamp.lamp_rows import build_lamps, proxy_matrix, proxy_mesh
from aulmo.trace.lamp.light_tree import build_tree
from aulmo.trace.lamp.dome import build_importance
from aulmo.trace.material.material_rows import material_row
from aulmo.trace.pattern.programs import ProgramBook
from aulmo.trace.shape.soft_edges import EdgeBook, SoftEdges

FLOOR_SURFACE = Surface(base_color=(0.55, 0.55, 0.55), base_diffuse_roughness=0.3, specular_roughness=0.6, specular_weight=0.5)
BARE_SURFACE = Surface(base_color=(0.5, 0.5, 0.5), specular_roughness=0.5)
# The floor lies a hair below what stands on it (a share of the set's size): where both are at one height, a ray within glass would meet either.
FLOOR_GAP = 5e-5
MANY_LAMPS = 8  # from here on a light sample is chosen among several lamps
CATCHER, FLOOR_PART, LAMP_PART = -1, -2, -3
DEGREES_PER_STEP, MOST_STEPS = 3.0, 129  # of a part that turns while the shutter is open


class Scene(NamedTuple):
    """Arrays, what keeps their memory alive, and which part each number stands for."""

    arrays: a.SceneArrays
    alive: tuple
    part_ids: tuple[str, ...]
    low: np.ndarray
    high: np.ndarray
    clear_box: np.ndarray | None
    triangle_count: int
    groups: tuple[str, ...]
    material_names: tuple[str, ...]
    part_names: tuple[str, ...]


def floor_mesh(kind: str, radius: float) -> Mesh:
    """A flat floor, or a cove whose wall stands behind (+y) and meets the floor in a quarter round."""
    if kind != "cove":
        s = radius * 60
        corners = np.array([[-s, -s, 0], [s, -s, 0], [s, s, 0], [-s, s, 0]], np.float32)
        up = np.tile(np.array([[0, 0, 1]], np.float32), (4, 1))
        return Mesh(corners, up, np.array([[0, 1, 2], [0, 2, 3]], np.uint32), np.zeros(0, np.int32))
    bend, back, width, front, top = radius * 2.5, radius * 5.0, radius * 30, radius * 14, radius * 22
    turn = np.linspace(0, np.pi / 2, 49)
    y = np.concatenate([[-front], back - bend + bend * np.sin(turn), [back]])
    z = np.concatenate([[0.0], bend - bend * np.cos(turn), [top]])
    ny = np.concatenate([[0.0], -np.sin(turn), [-1.0]])
    nz = np.concatenate([[1.0], np.cos(turn), [0.0]])
    n = len(y)
    vertices = np.concatenate([np.stack([np.full(n, x), y, z], 1) for x in (-width, width)]).astype(np.float32)
    normals = np.tile(np.stack([np.zeros(n), ny, nz], 1), (2, 1)).astype(np.float32)
    i = np.arange(n - 1)
    triangles = np.concatenate([np.stack([i, i + n, i + n + 1], 1), np.stack([i, i + n + 1, i + 1], 1)]).astype(np.uint32)
    return Mesh(vertices, normals, triangles, np.zeros(0, np.int32))


class SceneBuilder:
    """Keeps mesh trees, packed vertices and environment tables between builds."""

    def __init__(self, assets: AssetStore) -> None:
        self.assets = assets
        self._trees: dict[str, MeshTree] = {}
        self._packed_key: tuple = ()
        self._packed: tuple = ()
        self._catches = False  # a floor that catches shadows knows light only by the tables of lights
        self._floor_key: tuple = ()
        self._floor: tuple = ()
        self._proxies: dict[int, MeshTree] = {}
        self._displaced: dict[str, Mesh] = {}
        self._edges = EdgeBook()
        self._programs = ProgramBook(assets)
        self._env_key: tuple = ()
        self._env = np.zeros((0, 0, 3), np.float32)
        self._env_tables: dict[bool, tuple] = {}  # whether for a floor that catches shadows

    def build(self, document: Document, shot: Shot | None = None, shutter: tuple[float, float] = (0.0, 0.0), tables: bool = True) -> Scene:
        """The scene as a shot sees it while its shutter is open, from a time to another in seconds.

        Without `tables` it is good for drafts only, and needs one kernel less.
        """
        floor = floor_of(document, shot)
        worlds = world_matrices(document, shutter[0])
        part_ids = [i for i, p in document.parts.items() if p.mesh is not None and is_shown(document, i)]
        shapes = {i: self._shape_of(document, i) for i in part_ids}
        names = list(dict.fromkeys(shapes.values()))
        for name in names:
            if name not in self._trees:
                mesh = self._mesh(name)
                self._trees[name] = MeshTree(mesh.vertices, mesh.triangles)
        low, high = self._bounds(document, part_ids, worlds)
        meshes = [self._mesh(n) for n in names]
        trees = [self._trees[n] for n in names]
        if floor.kind != "none":
            mesh, tree = self._floor_tree(floor.kind, _round_up(0.5 * float(np.linalg.norm(high - low))))
            meshes.append(mesh)
            trees.append(tree)
        points, triangles, vertex_start, triangle_start = self._pack(tuple(names), floor.kind, meshes)
        index = {n: k for k, n in enumerate(names)}
        surfaces: list[Surface] = [BARE_SURFACE]
        surface_names = ["Bare"]
        worn: list[Material | None] = [None]
        rows: dict[str | None, int] = {None: 0}
        matrices, which, mask, mesh_of, numbers = [], [], [], [], []
        for number, part_id in enumerate(part_ids):
            part = document.parts[part_id]
            if part.material not in rows:
                rows[part.material] = len(surfaces)
                surfaces.append(document.materials[part.material].surface)
                surface_names.append(document.materials[part.material].name)
                worn.append(document.materials[part.material])
            material = rows[part.material]
            matrices.append(worlds[part_id])
            which.append(material)
            row = material_row(surfaces[material], tables).numbers
            clear = row[openpbr.CLEAR] or row[openpbr.OPACITY] < 1 or cuts_holes(worn[material])
            mask.append(MASK_CLEAR if clear else MASK_SOLID)
            mesh_of.append(index[shapes[part_id]])
            numbers.append(number)
        if floor.kind != "none":
            surface = document.materials[floor.material].surface if floor.material in document.materials else FLOOR_SURFACE
            surfaces.append(surface)
            surface_names.append("Floor")
            worn.append(document.materials.get(floor.material or ""))
            matrix = np.eye(4)
            matrix[:3, :3] = turn_matrix((0.0, 0.0, floor.turn))
            height = floor.height - FLOOR_GAP * float(np.linalg.norm(high - low))
            matrix[:3, 3] = (0.5 * (low[0] + high[0]), 0.5 * (low[1] + high[1]), height) if floor.kind == "cove" else (0, 0, height)
            matrices.append(matrix)
            which.append(len(surfaces) - 1)
            mask.append(MASK_CATCHER if floor.kind == "shadow" else MASK_SOLID)
            mesh_of.append(len(meshes) - 1)
            numbers.append(CATCHER if floor.kind == "shadow" else FLOOR_PART)
        world = np.array(matrices).reshape(-1, 4, 4)[:, :3, :]
        baked = [material_row(s, tables) for s in surfaces]
        glow, corners, cumulative, guide, lamp_of = _emitters(meshes, mesh_of, which, world, baked, numbers, [leads_glow(m) for m in worn])
        lamps = build_lamps(document, self.assets, glow)
        # lamps' bodies stand behind everything else, so that numbers of parts do not depend on them
        for k, row in enumerate(lamps.rows):
            kind = int(row[a.LAMP_KIND])
            if kind in (a.RECTANGLE, a.DISC, a.SPHERE, a.TUBE):
                trees.append(self._proxy(kind))
                mesh_of.append(len(trees) - 1)
                world = np.concatenate([world, proxy_matrix(row)[None]])
                which.append(0)
                mask.append(MASK_LAMP)
                numbers.append(LAMP_PART)
                lamp_of.append(k)
        soft, soft_of = self._soften(document, part_ids, worlds)
        moving = _moving(document, part_ids, shutter)
        motion = _padded(list(moving.values()))
        moves = np.full(len(which), -1, np.int32)
        moves[list(moving)] = np.arange(len(moving))
        top = InstanceTree([trees[k] for k in mesh_of], world.astype(np.float32), np.array(mask, np.uint32), dict(zip(moving, motion)))
        linear = world[:, :, :3]
        normal_matrices = np.linalg.inv(linear).transpose(0, 2, 1) if len(linear) else np.zeros((0, 3, 3))
        self._catches = floor.kind == "shadow"
        env, env_pick, env_guide = self._environment(document.environment)
        nodes, trail, depth = build_tree(lamps.rows, lamps.tree, corners)
        numbers_of, films = _material_table(baked)
        albedos = [r.albedos for r in baked]
        programs, ops, texels, pictures = self._programs.gather(worn, baked, numbers_of, albedos)
        points, triangles, vertex_start, triangle_start = self._with_proxies(points, triangles, vertex_start, triangle_start, trees, len(meshes))
        arrays = a.SceneArrays(
            np.uintp(top.handle), points, triangles,
            vertex_start[mesh_of] if mesh_of else np.zeros(0, np.int64),
            triangle_start[mesh_of] if mesh_of else np.zeros(0, np.int64),
            np.ascontiguousarray(world), np.ascontiguousarray(normal_matrices),
            np.array(which, np.int32), np.array(numbers, np.int32), np.array(lamp_of, np.int32), motion, moves,
            numbers_of, np.array(albedos, np.float32), films,
            env, env_pick, env_guide, environment_turn(document.environment),
            lamps.rows, trail, depth, nodes, lamps.distant, lamps.portals, _links(document, lamps.links, part_ids, len(which)), lamps.ies,
            programs, ops, texels, pictures,
            soft.rows, soft.edges, soft.slots, soft.entries, np.array(soft_of + [-1] * (len(which) - len(soft_of)), np.int32),
            corners, cumulative, guide,
        )  # fmt: skip
        count = sum(len(meshes[k].triangles) for k in mesh_of if k < len(meshes))
        return Scene(
            arrays, (top, trees), tuple(part_ids), low, high, _clear_box(meshes, mesh_of, mask, world), count, lamps.groups,
            tuple(surface_names), tuple(document.parts[i].name for i in part_ids),
        )  # fmt: skip

    def _soften(self, document: Document, part_ids: list[str], worlds: dict) -> tuple[SoftEdges, list[int]]:
        """Sharp edges of the parts that have a radius, and each part's row of them or -1."""
        wanted, keys = [], []
        for part_id in part_ids:
            part = document.parts[part_id]
            key = None
            if part.edge_radius > 0:
                size = abs(float(np.linalg.det(worlds[part_id][:3, :3]))) ** (1 / 3)
                key = (part.mesh, float(f"{part.edge_radius / max(1e-9, size):.6g}"))
                wanted.append((part.mesh, self.assets.mesh(part.mesh), key[1]))
            keys.append(key)
        soft, place = self._edges.gather(wanted)
        return soft, [place.get(k, -1) if k else -1 for k in keys]

    def _shape_of(self, document: Document, part_id: str) -> str:
        """Name of a part's mesh, displaced when its material says so."""
        part = document.parts[part_id]
        material = document.materials.get(part.material or "")
        if material is None or "displacement" not in material.wires:
            return part.mesh or ""
        name = self._programs.displaced_name(part.mesh or "", material)
        if name not in self._displaced:
            self._displaced[name] = self._programs.displaced(part.mesh or "", material)
        return name

    def _mesh(self, name: str) -> Mesh:
        return self._displaced[name] if name in self._displaced else self.assets.mesh(name)

    def _proxy(self, kind: int) -> MeshTree:
        if kind not in self._proxies:
            mesh = proxy_mesh(kind)
            self._proxies[kind] = MeshTree(mesh.vertices, mesh.triangles)
        return self._proxies[kind]

    def _with_proxies(self, points, triangles, vertex_start, triangle_start, trees, first: int) -> tuple:
        """The packed arrays with the bodies of lamps behind them; the arrays themselves when there are none."""
        bodies = trees[first:]
        if not bodies:
            return points, triangles, vertex_start, triangle_start
        extra = [np.concatenate([t.vertices, t.vertices], 1).astype(np.float32) for t in bodies]
        vertices = np.cumsum([vertex_start[-1]] + [len(e) for e in extra])
        faces = np.cumsum([triangle_start[-1]] + [len(t.triangles) for t in bodies])
        return (
            np.concatenate([points, *extra]), np.concatenate([triangles, *(t.triangles for t in bodies)]),
            np.concatenate([vertex_start[:-1], vertices]), np.concatenate([triangle_start[:-1], faces]),
        )  # fmt: skip

    def _bounds(self, document: Document, part_ids: list[str], worlds: dict) -> tuple[np.ndarray, np.ndarray]:
        low, high = np.full(3, np.inf), np.full(3, -np.inf)
        for part_id in part_ids:
            mesh = self.assets.mesh(document.parts[part_id].mesh)
            corners = mesh_box(mesh) @ worlds[part_id][:3, :3].T + worlds[part_id][:3, 3]
            low, high = np.minimum(low, corners.min(0)), np.maximum(high, corners.max(0))
        if not np.isfinite(low).all():
            return np.full(3, -50.0), np.full(3, 50.0)
        return low, high

    def _floor_tree(self, kind: str, radius: float) -> tuple[Mesh, MeshTree]:
        if self._floor_key != (kind, radius):
            mesh = floor_mesh(kind, radius)
            self._floor_key, self._floor = (kind, radius), (mesh, MeshTree(mesh.vertices, mesh.triangles))
        return self._floor

    def _pack(self, names: tuple, floor_kind: str, meshes: list[Mesh]) -> tuple:
        key = (names, self._floor_key if floor_kind != "none" else None)
        if key != self._packed_key:
            counts = [len(m.vertices) for m in meshes]
            points = np.empty((sum(counts), 6), np.float32)
            vertex_start = np.cumsum([0] + counts)
            for start, mesh in zip(vertex_start, meshes):
                points[start : start + len(mesh.vertices), :3] = mesh.vertices
                points[start : start + len(mesh.vertices), 3:] = mesh.normals
            triangles = np.concatenate([m.triangles for m in meshes] or [np.zeros((0, 3), np.uint32)])
            triangle_start = np.cumsum([0] + [len(m.triangles) for m in meshes])
            self._packed = points, np.ascontiguousarray(triangles, np.uint32), vertex_start, triangle_start
            self._packed_key = key
        return self._packed

    def _environment(self, environment: Environment) -> tuple:
        key = (environment.image, environment.shipped, environment.saturation, environment.sky)
        if key != self._env_key:
            image = environment_pixels(environment, self.assets)
            if environment.saturation != 1.0:
                grey = image @ LUMINANCE.astype(np.float32)
                image = np.maximum(grey[..., None] + (image - grey[..., None]) * np.float32(environment.saturation), 0).astype(np.float32)
            self._env_key, self._env, self._env_tables = key, image, {}
        if self._catches not in self._env_tables:
            self._env_tables[self._catches] = build_importance(self._env, self._catches)
        return self._env, *self._env_tables[self._catches]


def _round_up(value: float) -> float:
    """The next power of the square root of two: the floor keeps its size while parts move a little."""
    return 2.0 ** (math.ceil(2 * math.log2(max(1e-6, value))) / 2)


def mesh_box(mesh: Mesh) -> np.ndarray:
    """The eight corners of a mesh's own bounding box."""
    low, high = mesh.vertices.min(0), mesh.vertices.max(0)
    return np.array([[x, y, z] for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])], float)


def environment_pixels(environment: Environment, assets: AssetStore) -> np.ndarray:
    """(h, w, 3) ACEScg nits of the environment's map before turning and exposure."""
    if environment.sky is not None:
        return daylight.sky_map(environment.sky)
    if environment.shipped:
        return environment_image.shipped(environment.image)
    return environment_image.from_blob(assets.get(environment.image), environment.image)


def environment_turn(environment: Environment) -> np.ndarray:
    """World-to-map rotation: turned to the right as seen from above, then tilted toward the camera."""
    return np.ascontiguousarray(turn_matrix((environment.tilt, 0.0, -environment.turn)).T)


def _clear_box(meshes, mesh_of, mask, world) -> np.ndarray | None:
    """World box (6,) of everything light passes straight, a little enlarged; None when there is nothing."""
    low, high = np.full(3, np.inf), np.full(3, -np.inf)
    for k, mesh_index in enumerate(mesh_of):
        if mask[k] == MASK_CLEAR:
            corners = mesh_box(meshes[mesh_index]) @ world[k][:, :3].T + world[k][:, 3]
            low, high = np.minimum(low, corners.min(0)), np.maximum(high, corners.max(0))
    if not np.isfinite(low).all():
        return None
    margin = 1e-4 * np.maximum(np.abs(low), np.abs(high)).max()
    return np.concatenate([low - margin, high + margin])


def _emitters(meshes, mesh_of, which, world, baked, numbers, led) -> tuple:
    """Lamp rows of glowing instances, their triangles (e, 9), area before each, and the lamp row of every instance or -1. `led` tells of
    each material whether nodes lead its glow."""
    rows: list[np.ndarray] = []
    corners, before, guide = [np.zeros((0, 9))], [np.zeros(0)], [np.zeros(0, np.int64)]
    lamp_of = [-1] * len(mesh_of)
    start = 0
    for k, mesh_index in enumerate(mesh_of):
        row = baked[which[k]].numbers
        light = row[openpbr.EMISSION : openpbr.EMISSION + 3] * min(1.0, row[openpbr.OPACITY])
        if LUMINANCE @ light <= 0 or numbers[k] == CATCHER:
            continue
        mesh = meshes[mesh_index]
        points = mesh.vertices[mesh.triangles].astype(float) @ world[k][:, :3].T + world[k][:, 3]
        area = 0.5 * np.linalg.norm(np.cross(points[:, 1] - points[:, 0], points[:, 2] - points[:, 0]), axis=1)
        if not area.sum() > 0:
            continue
        row = np.zeros(a.LAMP_COLUMNS)
        row[a.LAMP_KIND], row[a.LAMP_N + 2] = a.MESH, 1.0
        row[a.LAMP_RGB : a.LAMP_RGB + 3] = light
        row[a.LAMP_LED] = k + 1 if led[which[k]] else 0
        row[a.LAMP_GROUP], row[a.LAMP_AREA] = a.GROUP_GLOW, area.sum()
        row[a.LAMP_FIRST], row[a.LAMP_LAST] = start, start + len(area)
        row[a.LAMP_COS_FULL] = row[a.LAMP_COS_EDGE] = -2.0
        row[a.LAMP_IES] = -1.0
        lamp_of[k] = len(rows)
        rows.append(row)
        corners.append(points.reshape(-1, 9))
        before.append(np.concatenate([[0.0], np.cumsum(area)[:-1]]))
        shares = np.arange(len(area)) / len(area) * area.sum()
        guide.append(start + np.maximum(0, np.searchsorted(before[-1], shares, "right") - 1))
        start += len(area)
    return rows, np.concatenate(corners), np.concatenate(before), np.concatenate(guide).astype(np.int32), lamp_of


def _material_table(baked: list) -> tuple[np.ndarray, np.ndarray]:
    """All materials' numbers, each with the row of its thin film filled in, and the films."""
    numbers = np.array([r.numbers for r in baked])
    films = [r.film for r in baked if r.film is not None]
    k = 0
    for index, row in enumerate(baked):
        if row.film is not None:
            numbers[index, openpbr.FILM] = k
            k += 1
    return numbers, np.array(films) if films else np.zeros((1, 6, a.FILM_STEPS + 1))


def _links(document: Document, links: list, part_ids: list[str], count: int) -> np.ndarray:
    """(sets, instances) uint8: which instances each set of lamps lights. The floor and lamps' bodies are lit by all."""
    table = np.ones((len(links), count), np.uint8)
    for k, wanted in enumerate(links[1:], 1):
        inside: set[str] = set()
        for name in wanted:
            if name in document.parts:
                inside.update(below(document, name))
        table[k, : len(part_ids)] = [i in inside for i in part_ids]
        table[k, len(part_ids) :] = "floor" in wanted
    return table


def _moving(document: Document, part_ids: list[str], shutter: tuple[float, float]) -> dict[int, np.ndarray]:
    """Instances that move while the shutter is open, with (steps, 3, 4) matrices at even times: as many as their turning asks for."""
    if shutter[1] <= shutter[0] or not any(p.motion for p in document.parts.values()):
        return {}
    coarse = [world_matrices(document, t) for t in np.linspace(*shutter, 17)]
    steps: dict[int, int] = {}
    for number, part_id in enumerate(part_ids):
        track = np.array([w[part_id][:3] for w in coarse])
        if np.abs(np.diff(track, axis=0)).max() < 1e-9:
            continue
        turned = 0.0
        for one, other in zip(track, track[1:]):
            linear = other[:, :3] @ np.linalg.inv(one[:, :3])
            turned += math.degrees(math.acos(float(np.clip((np.trace(linear) - 1) / 2, -1, 1))))
        steps[number] = int(min(MOST_STEPS, 2 + math.ceil(turned / DEGREES_PER_STEP)))
    if not steps:
        return {}
    most = max(steps.values())
    fine = [world_matrices(document, t) for t in np.linspace(*shutter, most)]
    return {n: np.array([w[part_ids[n]][:3] for w in fine]) for n in steps}


def _padded(tracks: list[np.ndarray]) -> np.ndarray:
    """(k, steps, 3, 4) of equally long tracks; an empty array when nothing moves."""
    return np.ascontiguousarray(tracks) if tracks else np.zeros((0, 2, 3, 4))


def floor_of(document: Document, shot: Shot | None) -> Floor:
    """The floor a shot stands on."""
    return shot.floor if shot and shot.floor else document.floor


def backdrop_of(document: Document, shot: Shot | None) -> Backdrop:
    """The backdrop a shot has."""
    return shot.backdrop if shot and shot.backdrop else document.backdrop
