"""From a document to the arrays the kernels read, in four steps: Shapes, Placed, Worn, Lit. A step whose records are the very same objects as
before is not taken again; a camera that moves takes none."""

import hashlib
import math
from typing import NamedTuple

import numpy as np
from msgspec.structs import replace

from aulmo.document.assets import AssetStore
from aulmo.document.meshes import corners_of, Mesh
from aulmo.document.edits import below, shown_parts, surfaces_of
from aulmo.document.made.copies import with_copies
from aulmo.document.moments import Moments, still
from aulmo.document.records import Camera, Document, Environment, Surface
from aulmo.frame.exposure import white_nits
from aulmo.frame.photograph import laid_out, photographed
from aulmo.light.softbox import shining
from aulmo.light.staying import Standing, axes_followed, standing
from aulmo.trace.compile import arrays as a
from aulmo.trace.lamp.dome import build_importance
from aulmo.trace.lamp.lamp_rows import proxy_mesh, silenced
from aulmo.trace.lamp.softbox_rows import BoxBook, Softboxes
from aulmo.trace.lit import GlowBook, Lit, environment_pixels, environment_turn, light, links_table, photograph_on
from aulmo.trace.pattern.programs import ProgramBook
from aulmo.trace.printed import Printed, looks, print_parts, prints, rows_on
from aulmo.trace.placed import Placed, floor_matrix, matrices_of, moving_instances
from aulmo.trace.remembered import Remembered
from aulmo.trace.plate import PlateBook
from aulmo.trace.shape.embree import MASK_BOUNCE, MASK_CATCHER, MASK_CLEAR, MASK_EYE, MASK_LAMP, InstanceTree, MeshTree
from aulmo.trace.compile.scene_block import SceneBlock
from aulmo.trace.shape.soft_edges import EdgeBook, SoftEdges
from aulmo.trace.shapes import Shapes, moved_boxes, pack
from aulmo.trace.worn import Dress, Worn, wear

MANY_LAMPS = 8  # from here on a light sample is chosen among several lamps
CATCHER, FLOOR_PART, LAMP_PART = -1, -2, -3
NO_TABLES = (np.zeros((1, 1), np.float32), np.zeros(1, np.int16))


class Scene(NamedTuple):
    """Arrays, what keeps their memory alive, and which part each number stands for."""

    block: SceneBlock
    alive: tuple
    part_ids: tuple[str, ...]
    low: np.ndarray
    high: np.ndarray
    clear_box: np.ndarray | None
    triangle_count: int
    groups: tuple[str, ...]
    material_names: tuple[str, ...]
    part_names: tuple[str, ...]
    meshes: tuple[Mesh, ...]

    @property
    def arrays(self) -> a.SceneArrays:
        """What the block leads to."""
        return self.block.arrays


class Outfit(NamedTuple):
    """Of the parts that are seen: ids, names of meshes (displaced ones by their own), what they wear, radii of softened edges."""

    part_ids: list[str]
    shapes: list[str]
    dresses: list[Dress]
    radii: list[float]


class Ground(NamedTuple):
    """The floor: its mesh and that mesh's name, or none; the box of what stands on it; what it wears, and what that follows from."""

    mesh: Mesh | None
    name: str
    under: tuple[np.ndarray, np.ndarray]
    wears: str | Surface | None
    told: tuple


class Instances(NamedTuple):
    """All instances, parts first, then the floor, then lamps' bodies: which of the shapes each is, its place, who may meet it, its number
    (`arrays.SceneArrays`), what it catches; of those that move the row of `motion`."""

    shape_of: list[int]
    world: np.ndarray
    masks: np.ndarray
    numbers: np.ndarray
    catch: np.ndarray
    moves: np.ndarray
    motion: np.ndarray

    def fields(self) -> dict[str, np.ndarray]:
        """What the kernels read."""
        return {
            "matrices": np.ascontiguousarray(self.world), "instance_part": self.numbers, "instance_catch": self.catch, "motion": self.motion,
            "instance_motion": self.moves,
        }  # fmt: skip


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


def is_timed(document: Document) -> bool:
    """Whether a material reads the time or the frame."""
    return any(n.kind in ("time", "frame") for m in document.materials.values() for n in m.nodes)


class SceneBuilder:
    """Keeps the four steps between builds."""

    def __init__(self, assets: AssetStore) -> None:
        self.assets = assets
        self._displaced: dict[str, Mesh] = {}
        self._held: dict[str, MeshTree] = {}  # trees of what the document has, seen or not
        self._edges, self._programs, self._glows, self._boxes_of_light = EdgeBook(), ProgramBook(assets), GlowBook(), BoxBook(assets)
        self._seen: Remembered[tuple[list[str], tuple]] = Remembered()
        self._listed: list[str] = []
        self._outfit: Remembered[Outfit] = Remembered()
        self._floor: Remembered[Mesh] = Remembered()
        self._shapes: Remembered[Shapes] = Remembered()
        self._bounds: Remembered[tuple] = Remembered()
        self._ground: Remembered[tuple] = Remembered()
        self._placed: Remembered[Placed] = Remembered()
        self._inverse: Remembered[np.ndarray] = Remembered()
        self._catch: Remembered[np.ndarray] = Remembered()
        self._worn: Remembered[Worn] = Remembered()
        self._printed: Remembered[Printed] = Remembered()
        self._standing: Remembered[Standing] = Remembered()
        self._soft_boxes: Remembered[Softboxes] = Remembered()
        self._lit: Remembered[Lit] = Remembered()
        self._soft: Remembered[tuple] = Remembered()
        self._facts: Remembered[tuple] = Remembered()
        self._top: Remembered[InstanceTree] = Remembered()
        self._links: Remembered[np.ndarray] = Remembered()
        self._map: Remembered[np.ndarray] = Remembered()
        self._tables: dict[bool, Remembered] = {False: Remembered(), True: Remembered()}
        self._scene: Remembered[Scene] = Remembered()
        self._painted: Remembered[np.ndarray] = Remembered()
        self.plates = PlateBook(assets)

    @property
    def picture_bytes(self) -> int:
        """What all pictures together may take in memory."""
        return self._programs.most_bytes

    @picture_bytes.setter
    def picture_bytes(self, most: int) -> None:
        self._programs.most_bytes = most

    def build(self, seen: Moments | Document, tables: bool = True, camera: Camera | None = None) -> Scene:
        """The scene of an exposure, or of a document that is resolved already. Light that stays with the camera goes with `camera`, of the first
        shot where none is given.

        Without `tables` it is good for drafts only, and needs one kernel less. Raises BadValue or BadFile with a sentence.
        """
        moments = seen if isinstance(seen, Moments) else still(seen)
        d = moments.first
        moving = moments if moments.lasting and moments.moving_parts() else None
        camera = camera or (d.cameras.get(d.shots[0].camera) if d.shots else None)
        light_ = self._standing.get((d.environment, d.lamps, axes_followed(d, camera)), lambda: standing(d, camera))
        photo = self.plates.photo(d)
        unseen = self._out_of_sight(moments, camera)
        read = (
            d.parts, d.roots, d.materials, d.floor, light_, d.decals, moving, tables, photo, unseen, self._mirrored(d, camera), d.moved.at_rest,
        )  # fmt: skip
        return self._scene.get(read, lambda: self._build(moments, moving, tables, light_, photo, unseen, camera))

    def _build(
        self, moments: Moments, moving: Moments | None, tables: bool, light_: Standing, photo: np.ndarray, unseen: frozenset[str],
        camera: Camera | None,
    ) -> Scene:  # fmt: skip
        document = moments.first
        part_ids, clothes = self._seen.get((document.parts, document.roots), lambda: self._shown(document))
        displacing = [m for m in document.materials.values() if "displacement" in m.wires]
        outfit = self._outfit.get((part_ids, clothes, *displacing), lambda: self._dress(document, part_ids))
        matrices, low, high = self._bounds.get((part_ids, document.parts), lambda: self._measure(moments, part_ids))
        ground = self._lay_ground(document, low, high)
        worn = self._wear(document, moments.time, outfit, ground, tables)
        placed = self._placed.get(
            (matrices, document.floor, ground.mesh is not None, moving, ground.under[0]),
            lambda: self._place(moments, matrices, low, high, part_ids, ground.under),
        )
        catch = self._catch.get(
            (part_ids, document.parts, document.floor.kind, document.floor.reflects, ground.mesh is not None),
            lambda: _catching(document, part_ids, ground.mesh is not None),
        )
        stands = matrices if any(d.belongs == "region" for d in document.decals.values()) else None
        printed = self._printed.get(
            (document.decals, part_ids, clothes, stands, worn),
            lambda: print_parts(document, part_ids, matrices, self._boxes(document, part_ids), worn),
        )
        names = [*dict.fromkeys(outfit.shapes), *([ground.name] if ground.mesh is not None else [])]
        lit = self._light(light_, tables, placed, worn, printed, outfit, ground, names, catch)
        kinds = tuple(dict.fromkeys(lit.bodies))
        all_names = (*names, *(f"lamp-{kind}" for kind in kinds))
        shapes = self._shapes.get((all_names,), lambda: self._pack(document, all_names, ground.mesh, kinds))
        all_ = self._instances(document, outfit, ground, worn, placed, lit, names, kinds, catch, unseen)
        top = self._top.get(
            (shapes, placed, tuple(all_.shape_of), all_.masks.tobytes(), lit.body_places.tobytes()),
            lambda: InstanceTree(
                [shapes.trees[k] for k in all_.shape_of], all_.world.astype(np.float32), all_.masks, dict(zip(placed.moving, all_.motion))
            ),
        )
        normal_matrices = self._inverse.get((top,), lambda: np.ascontiguousarray(np.linalg.inv(all_.world[:, :, :3]).transpose(0, 2, 1)))
        soft, soft_of = self._soft.get((outfit, matrices), lambda: self._soften(outfit, matrices))
        env, (env_pick, env_guide) = self._environment(light_, bool(catch.any()), silenced(light_), document, camera, tables)
        count = len(all_.world)
        links = self._links.get((lit, outfit, document.parts, count), lambda: links_table(document, lit.lamps.links, part_ids, count))
        facts, curves = self._facts.get(
            (worn, placed, outfit, document.parts, printed), lambda: self._know(document, outfit, worn, placed.world, printed)
        )
        places = np.array(all_.shape_of, np.int64)
        arrays = a.SceneArrays(
            top=np.uintp(top.handle), normal_matrices=normal_matrices, env=env, env_pick=env_pick, env_guide=env_guide,
            env_turn=environment_turn(light_.environment, light_.ground), photo=photo, links=links,
            facts=np.concatenate([facts, np.zeros((count - len(facts), a.FACTS))]),
            instance_soft=np.concatenate([soft_of, np.full(count - len(soft_of), -1, np.int32)]),
            **shapes.fields(places), **all_.fields(), **worn.fields(count), **printed.fields(count, worn.lays), **lit.fields(), **soft.fields(),
        )  # fmt: skip
        solid = count - len(lit.bodies)
        triangles = int(np.diff(shapes.triangle_start)[places[:solid]].sum())
        clear = (all_.masks[:solid] & MASK_CLEAR) != 0
        return Scene(
            SceneBlock(arrays), (top, shapes, worn.held, curves), tuple(part_ids), low, high,
            _clear_box(shapes.boxes[places[:solid]][clear], all_.world[:solid][clear]), triangles, lit.lamps.groups, worn.names,
            tuple(document.parts[i].name for i in part_ids), tuple(shapes.meshes[k] for k in all_.shape_of[: len(part_ids)]),
        )  # fmt: skip

    def _lay_ground(self, document: Document, low: np.ndarray, high: np.ndarray) -> Ground:
        """The floor under what stands there: laid once for a whole film."""
        floor = document.floor
        under = (low, high)
        if document.moved.at_rest:
            under = self._ground.get((document.moved.at_rest, document.roots, document.paths), lambda: self._at_rest(document))
        if floor.kind == "none":
            return Ground(None, "", under, floor.material, ())
        radius = _round_up(0.5 * float(np.linalg.norm(under[1] - under[0])))
        mesh = self._floor.get((floor.kind, radius), lambda: floor_mesh(floor.kind, radius))
        name = f"floor-{floor.kind}-{radius!r}"
        if floor.kind != "shadow":
            return Ground(mesh, name, under, floor.material, ())
        wears: str | Surface | None = floor.material
        if floor.reflects:
            wears = Surface(base_weight=0.0, specular_roughness=floor.roughness)
        if floor.gives_back:
            wears = Surface(base_color=floor.tone, specular_roughness=floor.roughness, specular_weight=float(floor.reflects))
        return Ground(mesh, name, under, wears, (floor.roughness, floor.reflects, floor.gives_back, floor.tone))

    def _wear(self, document: Document, time: float, outfit: Outfit, ground: Ground, tables: bool) -> Worn:
        self._programs.time, self._programs.frames_per_second = (time if is_timed(document) else 0.0), document.frames_per_second
        there = ground.mesh is not None
        return self._worn.get(
            (outfit, document.materials, document.floor.material, ground.told, there, tables, looks(document), self._programs.time),
            lambda: wear(
                outfit.dresses, document.materials, ground.wears, there, self._programs, tables, lambda name: self._mesh(name, None),
                prints(document, self.assets),
            ),
        )  # fmt: skip

    def _light(
        self, light_: Standing, tables: bool, placed: Placed, worn: Worn, printed: Printed, outfit: Outfit, ground: Ground, names: list[str],
        catch: np.ndarray,
    ) -> Lit:  # fmt: skip
        covered = printed.instance_decals >= 0
        shown = shining(light_.environment.softboxes, silenced(light_))
        boxes = self._soft_boxes.get((light_, tables), lambda: self._boxes_of_light.gather(shown, tables))
        shape_names = [*outfit.shapes, ground.name] if ground.mesh is not None else outfit.shapes
        return self._lit.get(
            (light_, boxes, placed, worn, tuple(names), catch, covered.tobytes()),
            lambda: light(
                light_, self.assets, shape_names, lambda name: self._mesh(name, ground.mesh), placed, worn, catch > 0, covered, self._glows, boxes
            ),
        )

    def _instances(
        self, document: Document, outfit: Outfit, ground: Ground, worn: Worn, placed: Placed, lit: Lit, names: list[str], kinds: tuple[int, ...],
        catch: np.ndarray, unseen: frozenset[str],
    ) -> Instances:  # fmt: skip
        index = {name: k for k, name in enumerate(names)}
        laid = [len(names) - 1] if ground.mesh is not None else []
        shape_of = [index[s] for s in outfit.shapes] + laid + [len(names) + kinds.index(kind) for kind in lit.bodies]
        part_ids, floor = outfit.part_ids, document.floor
        world = np.concatenate([placed.world, lit.body_places])
        masks = np.concatenate([worn.masks, np.full(len(lit.bodies), MASK_LAMP, np.uint32)])
        back = [document.parts[i].gives_back for i in part_ids] + ([floor.gives_back] if ground.mesh is not None else [])
        masks[: len(catch)][catch > 0] = MASK_CATCHER
        masks[: len(catch)][(catch > 0) & np.array(back, bool)] |= MASK_BOUNCE
        masks[: len(catch)][[k >= len(part_ids) or part_ids[k] not in unseen for k in range(len(catch))]] |= MASK_EYE
        numbers = np.full(len(world), LAMP_PART, np.int32)
        numbers[: len(part_ids)] = np.arange(len(part_ids))
        if ground.mesh is not None:
            numbers[len(part_ids)] = CATCHER if floor.kind == "shadow" else FLOOR_PART
        moves = np.full(len(world), -1, np.int32)
        moves[list(placed.moving)] = np.arange(len(placed.moving))
        most = max((len(t) for t in placed.moving.values()), default=2)
        motion = np.ascontiguousarray(list(placed.moving.values())) if placed.moving else np.zeros((0, most, 3, 4))
        return Instances(shape_of, world, masks, numbers, np.concatenate([catch, np.zeros(len(lit.bodies), np.int32)]), moves, motion)

    def _shown(self, document: Document) -> tuple[list[str], tuple]:
        """The parts that are seen, and what each wears: the same list as before while those are the same, wherever they have moved to."""
        found = shown_parts(document)
        self._listed = self._listed if found == self._listed else found
        parts = (document.parts[i] for i in self._listed)
        return self._listed, tuple((p.mesh, p.material, p.face_sets, p.edge_radius) for p in parts)

    def _dress(self, document: Document, part_ids: list[str]) -> Outfit:
        parts = [document.parts[i] for i in part_ids]
        displacing = {i: m for i, m in document.materials.items() if "displacement" in m.wires}
        shapes = [p.mesh or "" for p in parts]
        wanted: set[str] = set()
        for k, part in enumerate(parts if displacing else ()):
            worn = [displacing.get(m or "") for m in surfaces_of(part)]
            if any(worn):
                faces = tuple(s.faces for s in part.face_sets)
                name = self._programs.displaced_name(part.mesh or "", worn, faces)
                wanted.add(name)
                if name not in self._displaced:
                    self._displaced[name] = self._programs.displaced(part.mesh or "", worn, faces)
                shapes[k] = name
        self._displaced = {name: mesh for name, mesh in self._displaced.items() if name in wanted}
        dresses = [
            Dress(tuple(surfaces_of(p)), shape, tuple(s.faces for s in p.face_sets)) if p.face_sets else Dress((p.material,))
            for p, shape in zip(parts, shapes)
        ]
        return Outfit(part_ids, shapes, dresses, [p.edge_radius for p in parts])

    def _know(
        self, document: Document, outfit: Outfit, worn: Worn, world: np.ndarray, printed: Printed
    ) -> tuple[np.ndarray, list[np.ndarray]]:
        """(n, FACTS) what the nodes of all that may show on a part (its material, layers, decals) ask of it, and the tables of curvature whose
        addresses are in it; zeros where nothing is asked."""
        facts = np.zeros((len(outfit.part_ids), a.FACTS))
        curves: list[np.ndarray] = []
        asks = worn.programs[:, a.P_PART].copy()
        if not asks.any():
            return facts, curves
        for row in np.flatnonzero(worn.programs[:, a.P_LAYERS]):
            first = worn.programs[row, a.P_LAYERS]
            over = worn.layers[first + 1 : first + 1 + worn.layers[first, 0], 0]
            asks[row] = max(asks[row], asks[over].max())
        boxes: dict[str, tuple[np.ndarray, np.ndarray]] = {}
        for k, part_id in enumerate(outfit.part_ids):
            asked = int(asks[np.unique(worn.faces[k]) if k in worn.faces else worn.which[k]].max())
            asked = max(asked, int(asks[rows_on(printed, k)].max(initial=0)))
            if not asked:
                continue
            part = document.parts[part_id]
            low, high = self.assets.box(part.mesh or "")
            facts[k, 0:3], facts[k, 4:7] = low, high
            facts[k, 3] = int.from_bytes(hashlib.sha256(part_id.encode()).digest()[:3])
            group = part.parent or part_id
            if group not in boxes:
                boxes[group] = self._group_box(document, group, outfit.part_ids, world)
            facts[k, 8:11], facts[k, 12:15] = boxes[group]
            for j, radius in enumerate(worn.radii if asked > 1 else ()):
                name = outfit.shapes[k]
                curves.append(self._programs.curvature(name, self._mesh(name, None), radius))
                facts[k, 16 + j] = curves[-1].ctypes.data
        return facts, curves

    def _group_box(self, document: Document, group: str, part_ids: list[str], world: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """Low and high corner, in the world, of all that is seen of a group."""
        inside = set(below(document, group))
        ends = [
            corners_of(*self.assets.box(document.parts[i].mesh or "")) @ world[k][:, :3].T + world[k][:, 3]
            for k, i in enumerate(part_ids) if i in inside
        ]  # fmt: skip
        points = np.concatenate(ends) if ends else np.zeros((1, 3))
        return points.min(0), points.max(0)

    def _mesh(self, name: str, ground: Mesh | None) -> Mesh:
        if name.startswith("floor-") and ground is not None:
            return ground
        return self._displaced[name] if name in self._displaced else self.assets.mesh(name)

    def _measure(self, moments: Moments, part_ids: list[str]) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Matrices of the parts, and the box of all."""
        matrices = matrices_of(moments, part_ids)
        if not part_ids:
            return matrices, np.full(3, -50.0), np.full(3, 50.0)
        parts = moments.first.parts
        names = [parts[i].mesh or "" for i in part_ids]
        index = {name: k for k, name in enumerate(dict.fromkeys(names))}
        ends = np.array([self.assets.box(name) for name in index])[[index[name] for name in names]]
        middle, half = 0.5 * (ends[:, 0] + ends[:, 1]), 0.5 * (ends[:, 1] - ends[:, 0])
        middle = (matrices[:, :, :3] @ middle[:, :, None])[:, :, 0] + matrices[:, :, 3]
        half = (np.abs(matrices[:, :, :3]) @ half[:, :, None])[:, :, 0]
        return matrices, (middle - half).min(0), (middle + half).max(0)

    def _boxes(self, document: Document, part_ids: list[str]) -> np.ndarray:
        """(n, 8, 3) corners of the parts' own boxes; asked for by regions alone."""
        if not any(d.belongs == "region" for d in document.decals.values()):
            return np.zeros((len(part_ids), 8, 3))
        return np.array([corners_of(*self.assets.box(document.parts[i].mesh or "")) for i in part_ids]).reshape(-1, 8, 3)

    def _at_rest(self, document: Document) -> tuple[np.ndarray, np.ndarray]:
        """The box of all parts as they stand when nothing moves."""
        still_ = with_copies(replace(document, parts=document.moved.at_rest))
        shown = shown_parts(still_)
        _, low, high = self._measure(still(still_), shown)
        return low, high

    def _place(
        self, moments: Moments, matrices: np.ndarray, low: np.ndarray, high: np.ndarray, part_ids: list[str], under: tuple[np.ndarray, np.ndarray]
    ) -> Placed:  # fmt: skip
        floor = moments.first.floor
        world = matrices if floor.kind == "none" else np.concatenate([matrices, floor_matrix(floor, *under)[None]])
        return Placed(world, low, high, moving_instances(moments, part_ids))

    def _pack(self, document: Document, names: tuple[str, ...], ground: Mesh | None, kinds: tuple[int, ...]) -> Shapes:
        meshes = [self._mesh(n, ground) for n in names[: len(names) - len(kinds)]] + [proxy_mesh(kind) for kind in kinds]
        shapes = pack(names, meshes)
        has = {p.mesh for p in document.parts.values()} | set(names)
        self._held = {name: tree for name, tree in (self._held | dict(zip(names, shapes.trees))).items() if name in has}
        return shapes

    def _soften(self, outfit: Outfit, matrices: np.ndarray) -> tuple[SoftEdges, np.ndarray]:
        """Sharp edges of the parts that have a radius, and each part's row of them or -1."""
        rows = np.full(len(outfit.part_ids), -1, np.int32)
        softened = [k for k, radius in enumerate(outfit.radii) if radius > 0]
        sizes = np.abs(np.linalg.det(matrices[softened][:, :, :3])) ** (1 / 3) if softened else np.zeros(0)
        keys = [(outfit.shapes[k], float(f"{outfit.radii[k] / max(1e-9, size):.6g}")) for k, size in zip(softened, sizes)]
        soft, place = self._edges.gather([(name, self._mesh(name, None), radius) for name, radius in keys])
        for k, key in zip(softened, keys):
            rows[k] = place.get(key, -1)
        return soft, rows

    def _mirrored(self, document: Document, camera: Camera | None) -> tuple:
        """What the dome reads of a photograph that is seen in reflections: nothing where it is not."""
        shot = photographed(document)
        if shot is None or shot.photograph is None or not shot.photograph.mirrored:
            return ()
        own = document.cameras[shot.camera]
        return (own.position, own.target, own.roll, own.bend, laid_out(document, shot), white_nits(own), id(self.plates.photo(document)))

    def _out_of_sight(self, moments: Moments, camera: Camera | None) -> frozenset[str]:
        """Parts that the camera does not see, for good or because they stand between it and what it looks at; parts below them go with them."""
        document = moments.first
        if not any(p.unseen != "never" for p in document.parts.values()):
            return frozenset()
        found: set[str] = set()
        for part in document.parts.values():
            if part.unseen == "always":
                found.update(below(document, part.id))
            elif part.unseen == "between" and camera is not None:
                inside = [i for i in below(document, part.id) if document.parts[i].mesh]
                if any(self._between(moments, i, camera) for i in inside):
                    found.update(inside)
        return frozenset(found)

    def _between(self, moments: Moments, part_id: str, camera: Camera) -> bool:
        """Whether the way from a camera to its target meets a part's box, in the part's own axes (slabs)."""
        matrix = matrices_of(moments, [part_id])[0]
        low, high = self.assets.box(moments.first.parts[part_id].mesh or "")
        back = np.linalg.inv(matrix[:, :3])
        start, end = (back @ (np.array(p) - matrix[:, 3]) for p in (camera.position, camera.target))
        way = np.where(np.abs(end - start) < 1e-12, 1e-12, end - start)
        one, other = (low - start) / way, (high - start) / way
        enters, leaves = np.minimum(one, other).max(), np.maximum(one, other).min()
        return bool(enters <= leaves and leaves >= 0.0 and enters < 0.98)

    def _pixels(self, environment: Environment) -> np.ndarray:
        """(h, w, 3) float32 ACEScg nits of the dome's ground before turning and exposure."""
        return environment_pixels(environment, self.assets)

    def _environment(
        self, light_: Standing, catches: bool, dark: bool, document: Document, camera: Camera | None, tables: bool
    ) -> tuple[np.ndarray, tuple]:
        """The pixels of the dome's ground, nits, and the tables it is sampled by; what catches shadows knows light only by the tables. A draft
        samples nothing."""
        e = light_.environment
        read = (e.kind, e.image, e.shipped, e.saturation, e.kelvin, e.blur, e.colour, e.stops, e.sky, dark)
        image = self._map.get(read, lambda: np.zeros((32, 64, 3), np.float32) if dark else self._pixels(e))
        mirrored = self._mirrored(document, camera)
        if mirrored:
            turn = environment_turn(e, light_.ground)
            image = self._painted.get(
                (image, mirrored, turn.tobytes(), e.exposure), lambda: photograph_on(image, turn, e.exposure, document, self.plates.photo(document))
            )
        if not tables:
            return image, NO_TABLES
        return image, self._tables[catches].get((image,), lambda: build_importance(image, catches))


CATCHING = {"nothing": 0, "shadow": a.CATCHES_SHADOW, "reflection": a.CATCHES_REFLECTION}


def _catching(document: Document, part_ids: list[str], has_floor: bool) -> np.ndarray:
    """(n,) int32 what parts, and the floor after them, catch of the product."""
    found = [CATCHING[document.parts[i].catches] for i in part_ids]
    if has_floor:
        shadow = a.CATCHES_REFLECTION if document.floor.reflects else a.CATCHES_SHADOW
        found.append(shadow if document.floor.kind == "shadow" else 0)
    return np.array(found, np.int32)


def _round_up(value: float) -> float:
    """The next power of the square root of two: the floor keeps its size while parts move a little."""
    return 2.0 ** (math.ceil(2 * math.log2(max(1e-6, value))) / 2)


def _clear_box(boxes: np.ndarray, world: np.ndarray) -> np.ndarray | None:
    """World box (6,) of everything light passes straight, a little enlarged; None when there is nothing."""
    if not len(boxes):
        return None
    lows, highs = moved_boxes(boxes, world)
    low, high = lows.min(0), highs.max(0)
    margin = 1e-4 * np.maximum(np.abs(low), np.abs(high)).max()
    return np.concatenate([low - margin, high + margin])
