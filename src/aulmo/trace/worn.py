"""The third step of a scene: what every instance wears, as rows of numbers and programs."""

from typing import Callable, NamedTuple, Sequence

import numpy as np
from msgspec.structs import replace

from aulmo.document.meshes import Mesh
from aulmo.document.records import Material, Surface, SurfaceLayer
from aulmo.surface.picture import Pixels, Texture
from aulmo.surface.program import cuts_holes, leads_glow
from aulmo.trace.compile import arrays as a
from aulmo.surface import columns
from aulmo.trace.material.material_rows import material_row
from aulmo.trace.pattern.programs import ProgramBook, slots_of
from aulmo.trace.shape.embree import MASK_CLEAR, MASK_MIXED, MASK_SOLID

FLOOR_SURFACE = Surface(base_color=(0.55, 0.55, 0.55), base_diffuse_roughness=0.3, specular_roughness=0.6, specular_weight=0.5)
BARE_SURFACE = Surface(base_color=(0.5, 0.5, 0.5), specular_roughness=0.5)


class Dress(NamedTuple):
    """What a part wears: the ids of its materials, the body's first and then those of its face sets, None for bare; and the name of its mesh with
    which of them each triangle wears, () when the whole part wears the body's."""

    materials: tuple[str | None, ...]
    mesh: str = ""
    faces: tuple[tuple[int, ...], ...] = ()


class Print(NamedTuple):
    """What a decal is made of: its name, its material with everything of its own, its artwork by a name and how to make it (None for the whole
    rectangle), and whether it is a clear coat over what lies below."""

    name: str
    material: Material
    artwork: str | None
    make: Callable[[], Pixels] | None
    coats: bool


class Worn(NamedTuple):
    """Rows of materials, the bare one first, those of decals last: `which` (n,) int32 row of each instance's body, `masks` (n,) uint32 of what lets
    light through; of
    parts with face sets, by instance, the rows that their triangles wear (m,) int32; where in the joined `face_rows` each instance begins, or
    -1; of each row its name, whether nodes lead its glow, and what the kernels read. `printed` : by decal the row of its material, its picture or -1
    and its row of `coat_rows` or -1. `layers` : see `arrays`; `radii` of curvature that programs ask for, in mm. `held` keeps the pictures'
    memory."""

    which: np.ndarray
    faces: dict[int, np.ndarray]
    face_start: np.ndarray
    face_rows: np.ndarray
    masks: np.ndarray
    names: tuple[str, ...]
    led: list[bool]
    numbers: np.ndarray
    albedos: np.ndarray
    films: np.ndarray
    programs: np.ndarray
    ops: np.ndarray
    lays: np.ndarray
    pictures: np.ndarray
    printed: dict[str, tuple[int, int, int]]
    coat_rows: np.ndarray
    layers: np.ndarray
    radii: tuple[float, ...]
    held: tuple[Texture, ...]

    def fields(self, count: int) -> dict[str, np.ndarray]:
        """What the kernels read, for `count` instances; those that come after the parts wear the first row."""
        more = count - len(self.face_start)
        return {
            "instance_material": np.concatenate([self.which, np.zeros(count - len(self.which), np.int32)]),
            "instance_faces": np.concatenate([self.face_start, np.full(more, -1, np.int64)]), "face_rows": self.face_rows,
            "materials": self.numbers, "albedos": self.albedos, "films": self.films, "programs": self.programs, "ops": self.ops,
            "pictures": self.pictures, "coat_rows": self.coat_rows, "layers": self.layers,
        }  # fmt: skip


def wear(
    worn: Sequence[Dress], materials: dict[str, Material], floor: str | Surface | None, has_floor: bool, book: ProgramBook, tables: bool,
    mesh_of: Callable[[str], Mesh], prints: dict[str, Print],
) -> Worn:  # fmt: skip
    """Rows for the materials that instances wear (in the order of the instances), for the floor after them (a material's id, or a surface), and for
    decals. `mesh_of` finds a mesh.

    Without `tables` albedos stay empty, which is all a draft needs. Raises BadValue or BadFile when nodes or pictures are wrong.
    """
    surfaces: list[Surface] = [BARE_SURFACE]
    names = ["Bare"]
    dressed: list[Material | None] = [None]
    rows: dict[str | None, int] = {None: 0}
    for material_id in dict.fromkeys(m for dress in worn for m in dress.materials):
        if material_id is not None:
            rows[material_id] = len(surfaces)
            material = materials[material_id]
            surfaces.append(material.surface)
            names.append(material.name)
            dressed.append(material)
    which = [rows[dress.materials[0]] for dress in worn]
    if has_floor:
        which.append(len(surfaces))
        made = materials.get(floor) if isinstance(floor, str) else None
        surfaces.append(floor if isinstance(floor, Surface) else made.surface if made is not None else FLOOR_SURFACE)
        names.append("Floor")
        dressed.append(made)
    over: dict[int, list[tuple[int, SurfaceLayer]]] = {}
    for row, dress_of in list(enumerate(dressed)):
        if dress_of is None:
            continue
        for layer in dress_of.layers:
            over.setdefault(row, []).append((len(surfaces), layer))
            surfaces.append(layer.surface)
            names.append(names[row])
            dressed.append(replace(dress_of, surface=layer.surface, wires=layer.wires, layers=()))
    ground = len(surfaces)
    coats: list[str] = [key for key, one in prints.items() if one.coats]
    printed_rows: dict[str, int] = {}
    for key, one in prints.items():
        if not one.coats:
            printed_rows[key] = len(surfaces)
            surfaces.append(one.material.surface)
            names.append(one.name)
            dressed.append(one.material)
    coat_rows = np.zeros((max(1, len(coats)), ground), np.int32)
    for k, key in enumerate(coats):
        printed_rows[key] = len(surfaces)
        for below in range(ground):
            coat_rows[k, below] = len(surfaces)
            surfaces.append(_coated(surfaces[below], prints[key].material.surface))
            names.append(prints[key].name)
            dressed.append(dressed[below])
    book.begin()
    surfaces = [book.evened(s, m) for s, m in zip(surfaces, dressed)]
    baked = [material_row(s, tables) for s in surfaces]
    clear = [r.clear or r.numbers[columns.OPACITY] < 1 or cuts_holes(m) for r, m in zip(baked, dressed)]
    masks = np.where(np.array(clear, bool), MASK_CLEAR, MASK_SOLID).astype(np.uint32)
    numbers, films = _material_table(baked)
    numbers[: len(baked), columns.STRAIGHT] = [r.clear for r in baked]
    albedos = [r.albedos for r in baked]
    programs, ops, layers = book.gather(dressed, numbers, albedos, films, over)
    printed = {
        key: (printed_rows[key], book.number(one.artwork, True, make=one.make) if one.artwork else -1, coats.index(key) if one.coats else -1)
        for key, one in prints.items()
    }
    lays, pictures, held = book.tables()
    indices = np.array(which, np.int32)
    own = masks[indices] if len(indices) else np.zeros(0, np.uint32)
    faces: dict[int, np.ndarray] = {}
    start_of: dict[tuple, int] = {}
    joined: list[np.ndarray] = []
    face_start = np.full(len(which), -1, np.int64)
    for k, dress in enumerate(worn):
        if not dress.faces:
            continue
        if dress not in start_of:
            start_of[dress] = len(joined)
            joined.append(np.array([rows[m] for m in dress.materials], np.int32)[slots_of(mesh_of(dress.mesh), dress.faces)])
        faces[k] = joined[start_of[dress]]
        seen = np.unique(masks[np.unique(faces[k])])
        own[k] = seen[0] if len(seen) == 1 else MASK_CLEAR | MASK_MIXED
    starts = np.cumsum([0] + [len(j) for j in joined])
    for k in faces:
        face_start[k] = starts[start_of[worn[k]]]
    return Worn(
        indices, faces, face_start, np.concatenate(joined) if joined else np.zeros(0, np.int32), own, tuple(names), [leads_glow(m) for m in dressed],
        numbers, np.array(albedos, np.float32), np.array(films) if films else np.zeros((1, 6, a.FILM_STEPS + 1)), programs, ops, lays, pictures,
        printed,
        coat_rows, layers, tuple(book.radii), held,
    )  # fmt: skip


def _coated(below: Surface, coat: Surface) -> Surface:
    """A surface under a clear decal: varnished."""
    return replace(
        below, coat_weight=1.0, coat_roughness=coat.specular_roughness, coat_ior=max(1.0, coat.specular_ior), coat_color=coat.transmission_color
    )


def _material_table(baked: list) -> tuple[np.ndarray, list[np.ndarray]]:
    """All materials' numbers, each with the row of its thin film filled in, and the films."""
    numbers = np.array([r.numbers for r in baked])
    films = [r.film for r in baked if r.film is not None]
    k = 0
    for index, row in enumerate(baked):
        if row.film is not None:
            numbers[index, columns.FILM] = k
            k += 1
    return numbers, films
