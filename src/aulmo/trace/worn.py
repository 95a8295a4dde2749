"""The third step of a scene: what every instance wears, as rows of numbers and programs."""

from typing import Callable, NamedTuple, Sequence

import numpy as np

from aulmo.document.assets import Mesh
from aulmo.document.records import Material, Surface
from aulmo.surface.program import cuts_holes, leads_glow
from aulmo.trace.compile import arrays as a
from aulmo.trace.material import openpbr
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


class Worn(NamedTuple):
    """Rows of materials, the bare one first: `which` (n,) int32 row of each instance's body, `masks` (n,) uint32 of what lets light through; of
    parts with face sets, by instance, the rows that their triangles wear (m,) int32; where in the joined `face_rows` each instance begins, or
    -1; of each row its name, whether nodes lead its glow, and what the kernels read."""

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
    texels: np.ndarray
    pictures: np.ndarray


def wear(
    worn: Sequence[Dress], materials: dict[str, Material], floor: str | None, has_floor: bool, book: ProgramBook, tables: bool,
    mesh_of: Callable[[str], Mesh],
) -> Worn:  # fmt: skip
    """Rows for the materials that instances wear (in the order of the instances) and for the floor after them. `mesh_of` finds a mesh.

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
        surfaces.append(materials[floor].surface if floor is not None and floor in materials else FLOOR_SURFACE)
        names.append("Floor")
        dressed.append(materials.get(floor or ""))
    baked = [material_row(s, tables) for s in surfaces]
    clear = [r.numbers[openpbr.CLEAR] or r.numbers[openpbr.OPACITY] < 1 or cuts_holes(m) for r, m in zip(baked, dressed)]
    masks = np.where(np.array(clear, bool), MASK_CLEAR, MASK_SOLID).astype(np.uint32)
    numbers, films = _material_table(baked)
    albedos = [r.albedos for r in baked]
    programs, ops, texels, pictures = book.gather(dressed, baked, numbers, albedos)
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
        numbers, np.array(albedos, np.float32), films, programs, ops, texels, pictures,
    )  # fmt: skip


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
