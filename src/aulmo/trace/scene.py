"""From a document to the arrays the kernels read. What did not change between two documents is not built again."""

import math
from typing import NamedTuple

import numpy as np
from msgspec.structs import replace

from aulmo.document.assets import AssetStore, Mesh
from aulmo.document.edits import below, is_shown
from aulmo.document.placement import turn_matrix, world_matrices
from aulmo.document.records import Backdrop, Camera, Document, Environment, Floor, Material, RenderSettings, Shot, Surface
from aulmo.light import daylight, environment_image
from aulmo.surface.colour import LUMINANCE
from aulmo.surface.program import cuts_holes
from aulmo.trace import arrays as a
from aulmo.trace import openpbr
from aulmo.trace.embree import MASK_CATCHER, MASK_CLEAR, MASK_LAMP, MASK_SOLID, InstanceTree, MeshTree
from aulmo.trace.lamp_rows import build_lamps, proxy_matrix, proxy_mesh
from aulmo.trace.light_tree import build_tree
from aulmo.trace.lights import build_importance
from aulmo.trace.material_rows import material_row
from aulmo.trace.programs import ProgramBook
from aulmo.trace.soft_edges import EdgeBook, SoftEdges

FLOOR_SURFACE = Surface(base_color=(0.55, 0.55, 0.55), base_diffuse_roughness=0.3, specular_roughness=0.6, specular_weight=0.5)
BARE_SURFACE = Surface(base_color=(0.5, 0.5, 0.5), specular_roughness=0.5)
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
        self._floor_key: tuple = ()
        self._floor: tuple = ()
        self._proxies: dict[int, MeshTree] = {}
        self._displaced: dict[str, Mesh] = {}
        self._edges = EdgeBook()
        self._programs = ProgramBook(assets)
        self._env_key: tuple = ()
        self._env: tuple = ()

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
            matrix[:3, 3] = (0.5 * (low[0] + high[0]), 0.5 * (low[1] + high[1]), floor.height) if floor.kind == "cove" else (0, 0, floor.height)
            matrices.append(matrix)
            which.append(len(surfaces) - 1)
            mask.append(MASK_CATCHER if floor.kind == "shadow" else MASK_SOLID)
            mesh_of.append(len(meshes) - 1)
            numbers.append(CATCHER if floor.kind == "shadow" else FLOOR_PART)
        world = np.array(matrices).reshape(-1, 4, 4)[:, :3, :]
        baked = [material_row(s, tables) for s in surfaces]
        glow, corners, cumulative, guide, lamp_of = _emitters(meshes, mesh_of, which, world, baked, numbers)
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
            self._env_key, self._env = key, (image, *build_importance(image))
        return self._env


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


def _emitters(meshes, mesh_of, which, world, baked, numbers) -> tuple:
    """Lamp rows of glowing instances, their triangles (e, 9), area before each, and the lamp row of every instance or -1."""
    rows: list[np.ndarray] = []
    corners, before, guide = [np.zeros((0, 9))], [np.zeros(0)], [np.zeros(0, np.int64)]
    lamp_of = [-1] * len(mesh_of)
    start = 0
    for k, mesh_index in enumerate(mesh_of):
        light = baked[which[k]].numbers[openpbr.EMISSION : openpbr.EMISSION + 3]
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


def shutter_of(camera: Camera, document: Document, time: float = 0.0) -> tuple[float, float]:
    """From when to when, in seconds, the shutter is open for the frame at `time`."""
    if not camera.motion_blur:
        return time, time
    open_for = camera.shutter_angle / 360.0 / document.frames_per_second if camera.shutter_angle > 0 else camera.shutter
    return time, time + max(0.0, open_for)


def camera_moment(camera: Camera, time: float) -> Camera:
    """The camera as it stands at a time in seconds."""
    keys = camera.motion
    if not keys:
        return camera
    if time <= keys[0].time:
        one = other = keys[0]
    else:
        one, other = next(((p, q) for p, q in zip(keys, keys[1:]) if time <= q.time), (keys[-1], keys[-1]))
    f = (time - one.time) / (other.time - one.time) if other.time > one.time else 0.0
    x, y, z = (p + f * (q - p) for p, q in zip(one.position, other.position))
    u, v, w = (p + f * (q - p) for p, q in zip(one.target, other.target))
    return replace(camera, position=(x, y, z), target=(u, v, w), roll=one.roll + f * (other.roll - one.roll))


def camera_rows(camera: Camera, width: int, height: int, shutter: tuple[float, float] = (0.0, 0.0)) -> np.ndarray:
    """(times, CAM_COLUMNS): the camera at even times while the shutter is open; one row for a camera that stands still."""
    if not camera.motion:
        return camera_row(camera, width, height)[None]
    times = np.linspace(*shutter, 9) if shutter[1] > shutter[0] else shutter[:1]
    return np.array([camera_row(camera_moment(camera, float(t)), width, height) for t in times])


def ev100(camera: Camera) -> float:
    """Exposure value at ISO 100 (ISO 2720): log2(N^2 / t) - log2(S / 100), less the camera's extra stops."""
    return math.log2(camera.f_stop**2 / camera.shutter) - math.log2(camera.iso / 100.0) - camera.exposure_stops


def white_nits(camera: Camera) -> float:
    """Luminance that becomes display white: 1.2 * 2^EV100 (saturation-based sensitivity, ISO 12232)."""
    return 1.2 * 2.0 ** ev100(camera)


def camera_axes(camera: Camera) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Unit right, up and forward vectors."""
    forward = np.array(camera.target, float) - np.array(camera.position, float)
    length = np.linalg.norm(forward)
    forward = forward / length if length > 1e-9 else np.array([0.0, 1.0, 0.0])
    up = np.array([0.0, 0.0, 1.0])
    if abs(forward[2]) > 0.99999:
        up = np.array([0.0, 1.0, 0.0])
    right = np.cross(forward, up)
    right /= np.linalg.norm(right)
    up = np.cross(right, forward)
    roll = math.radians(camera.roll)
    return math.cos(roll) * right + math.sin(roll) * up, math.cos(roll) * up - math.sin(roll) * right, forward


def project(camera: Camera, points: np.ndarray, width: int, height: int) -> np.ndarray:
    """(n, 3) pixel x, pixel y and depth along the view of world points."""
    right, up, forward = camera_axes(camera)
    d = np.asarray(points, float).reshape(-1, 3) - np.array(camera.position)
    depth = d @ forward
    parallel = camera.projection == "parallel"
    safe = np.ones(len(d)) if parallel else np.where(np.abs(depth) < 1e-6, 1e-6, depth)
    tan_w = 0.5 * camera.span_mm if parallel else 0.5 * camera.sensor_mm / camera.focal_length_mm
    sx = (d @ right) / safe / tan_w - 2 * camera.shift_x
    sy = (d @ up) / safe / (tan_w * height / width) - 2 * camera.shift_y
    return np.stack([(sx + 1) * width / 2, (1 - sy) * height / 2, depth], 1)


def camera_row(camera: Camera, width: int, height: int) -> np.ndarray:
    """The kernel's camera row for a frame of `width` x `height` pixels."""
    row = np.zeros(a.CAM_COLUMNS)
    right, up, forward = camera_axes(camera)
    row[a.CAM_ORIGIN : a.CAM_ORIGIN + 3] = camera.position
    row[a.CAM_RIGHT : a.CAM_RIGHT + 3], row[a.CAM_UP : a.CAM_UP + 3], row[a.CAM_FORWARD : a.CAM_FORWARD + 3] = right, up, forward
    row[a.CAM_TAN_W] = 0.5 * camera.sensor_mm / camera.focal_length_mm
    row[a.CAM_TAN_H] = row[a.CAM_TAN_W] * height / width
    row[a.CAM_SHIFT_X], row[a.CAM_SHIFT_Y] = 2 * camera.shift_x, 2 * camera.shift_y
    if camera.depth_of_field and camera.focus > 0:
        row[a.CAM_LENS_RADIUS] = 0.5 * camera.focal_length_mm / camera.f_stop
        row[a.CAM_FOCUS] = camera.focus
        row[a.CAM_BLADES] = camera.blades
        row[a.CAM_BLADE_TURN] = math.radians(camera.blade_turn)
    row[a.CAM_PROJECTION] = {"perspective": a.PERSPECTIVE, "parallel": a.PARALLEL, "panorama": a.PANORAMA}[camera.projection]
    if camera.projection == "parallel":
        row[a.CAM_TAN_W] = 0.5 * camera.span_mm
        row[a.CAM_TAN_H] = row[a.CAM_TAN_W] * height / width
    if camera.projection != "perspective":
        row[a.CAM_LENS_RADIUS] = 0.0
    return row


def options_row(scene: Scene, document: Document, camera: Camera, backdrop: Backdrop, settings: RenderSettings, transparent: bool) -> np.ndarray:
    """The kernel's options row."""
    row = np.zeros(a.OPT_COLUMNS)
    white = white_nits(camera)
    row[a.OPT_BOUNCES], row[a.OPT_DIFFUSE_BOUNCES] = settings.bounces, settings.diffuse_bounces
    row[a.OPT_SPECULAR_BOUNCES], row[a.OPT_CLEAR_BOUNCES] = settings.specular_bounces, settings.clear_bounces
    row[a.OPT_SCATTERS], row[a.OPT_SEED] = settings.scatters, settings.seed
    row[a.OPT_LAMP_MASK] = MASK_LAMP if (scene.arrays.instance_part == LAMP_PART).any() else 0
    row[a.OPT_SHUTTER_OPEN], row[a.OPT_SHUTTER_CLOSE] = shutter_of(camera, document)
    row[a.OPT_STRAIGHT_GLASS] = float(settings.straight_glass)
    row[a.OPT_CLAMP] = white * 2.0**settings.clamp_stops if settings.clamp_stops > 0 else 1e30
    kinds = {
        "environment": a.BACKDROP_ENVIRONMENT,
        "colour": a.BACKDROP_COLOUR,
        "gradient": a.BACKDROP_GRADIENT,
        "transparent": a.BACKDROP_TRANSPARENT,
    }
    row[a.OPT_BACKDROP] = a.BACKDROP_TRANSPARENT if transparent else kinds[backdrop.kind]
    row[a.OPT_BACKDROP_TOP : a.OPT_BACKDROP_TOP + 3] = np.array(backdrop.top) * white
    row[a.OPT_BACKDROP_BOTTOM : a.OPT_BACKDROP_BOTTOM + 3] = np.array(backdrop.bottom) * white
    row[a.OPT_ENV_SCALE] = 2.0**document.environment.exposure
    row[a.OPT_ENV_CHANCE], row[a.OPT_DISTANT_CHANCE] = _light_chances(scene, row[a.OPT_ENV_SCALE])
    if scene.clear_box is not None:
        row[a.OPT_HAS_CLEAR] = 1.0
        row[a.OPT_CLEAR_BOX : a.OPT_CLEAR_BOX + 6] = scene.clear_box
    row[a.OPT_WHITE] = white
    row[a.OPT_GRADIENT_SPAN] = 1.0
    if len(scene.arrays.nodes) > 2 * MANY_LAMPS:
        row[a.OPT_CANDIDATES], row[a.OPT_LATER_CANDIDATES] = 2, 1
    return row


def _light_chances(scene: Scene, scale: float) -> tuple[float, float]:
    """Chances of sampling the environment and distant lamps; the rest goes to the lamps in the scene. By the light each sends there."""
    arrays = scene.arrays
    dome = float(arrays.env[::8, ::8].mean() * np.pi) * scale
    distant = sum(float(LUMINANCE @ r[a.LAMP_RGB : a.LAMP_RGB + 3]) * (math.pi * 2 * r[a.LAMP_SIZE_2] or 1.0) for r in arrays.lamps[arrays.distant])
    near = 0.0
    if len(arrays.nodes):
        root = arrays.nodes[0]
        apart = np.linalg.norm(root[a.NODE_CENTRE : a.NODE_CENTRE + 3] - 0.5 * (scene.low + scene.high))
        reach = max(apart, 0.5 * float(np.linalg.norm(scene.high - scene.low)))
        near = root[a.NODE_POWER] / math.pi / reach**2
    parts = np.array([dome, distant, near])
    present = parts > 0
    if not present.any():
        return 1.0, 0.0
    share = np.where(present, np.maximum(parts / parts.sum(), 0.15), 0.0)
    share /= share.sum()
    return float(share[0]), float(share[1])


def floor_of(document: Document, shot: Shot | None) -> Floor:
    """The floor a shot stands on."""
    return shot.floor if shot and shot.floor else document.floor


def backdrop_of(document: Document, shot: Shot | None) -> Backdrop:
    """The backdrop a shot has."""
    return shot.backdrop if shot and shot.backdrop else document.backdrop
