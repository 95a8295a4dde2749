"""The step of a scene that follows what is worn: which parts show which decals, and where on them each lies."""

from typing import Callable, Iterator, NamedTuple

import msgspec
import numpy as np
from msgspec.structs import replace

from aulmo.document.assets import AssetStore
from aulmo.document.decals import alike_parts, place_of
from aulmo.document.made.copies import source_of
from aulmo.document.records import Adjust, Decal, Document, Material, Surface
from aulmo.surface import artwork
from aulmo.surface.lay import decal_projector, decal_row, within_reach
from aulmo.surface.program import adjust_row
from aulmo.trace.compile import arrays as a
from aulmo.trace.worn import Print, Worn

INK = Surface(base_color=(0.02, 0.02, 0.02), specular_roughness=0.45)


class Printed(NamedTuple):
    """What the kernels read: rows of decals, their lays, the lists of the parts that have any, and where each instance's list begins or -1."""

    decals: np.ndarray
    lays: np.ndarray
    listed: np.ndarray
    instance_decals: np.ndarray

    def fields(self, count: int, below: np.ndarray) -> dict[str, np.ndarray]:
        """What the kernels read, for `count` instances; the lays of decals come after those of the materials `below`."""
        return {
            "decals": self.decals, "decal_list": self.listed, "lays": np.concatenate([below, self.lays]) if len(self.lays) else below,
            "instance_decals": np.concatenate([self.instance_decals, np.full(count - len(self.instance_decals), -1, np.int64)]),
        }  # fmt: skip


NOTHING = Printed(np.zeros((1, a.DECAL_COLUMNS)), np.zeros((0, 1)), np.zeros(0, np.int64), np.zeros(0, np.int64))


def rows_on(printed: Printed, instance: int) -> np.ndarray:
    """(k,) int64 rows of materials that the decals of an instance have."""
    if instance >= len(printed.instance_decals) or printed.instance_decals[instance] < 0:
        return np.zeros(0, np.int64)
    start = printed.instance_decals[instance]
    listed = printed.listed[start + 1 : start + 1 + printed.listed[start]]
    return printed.decals[listed, a.D_WHICH].astype(np.int64)


def shown_decals(document: Document) -> dict[str, Decal]:
    """The decals that are seen, the lowest first."""
    return {i: d for i, d in document.decals.items() if d.visible and d.opacity > 0}


def looks(document: Document) -> bytes:
    """Everything that decides what decals are made of, and nothing of where they lie."""
    plain = Decal(id="", name="")
    kept = []
    for decal in document.decals.values():
        if not decal.visible:
            continue
        kept.append(replace(
            decal, parts=(), stood=(), position=plain.position, turn=plain.turn, rotate=0.0, depth_mm=1.0, facing=0.0, opacity=1.0, bend=0.0,
            radius_mm=0.0, adjust=Adjust(), belongs="part", wrap="flat", width_mm=float(artwork.long_side(decal.width_mm, decal.height_mm)),
            height_mm=decal.height_mm / decal.width_mm, edge_mm=0.0, raised_mm=0.0, ground=0.0, flip_x=False, flip_y=False, group="", slips=False,
        ))  # fmt: skip
    return msgspec.json.encode(kept)


def prints(document: Document, assets: AssetStore) -> dict[str, Print]:
    """What the decals of a document are made of, by id."""
    found = {}
    for decal_id, decal in shown_decals(document).items():
        material = document.materials.get(decal.material or "") or Material(id="ink", name="Ink", surface=INK)
        surface = material.surface
        coats = decal.artwork in ("shape", "surface") and surface.transmission_weight > 0.5 and not surface.geometry_thin_walled
        if decal.colouring == "one" and decal.artwork != "surface":
            surface = replace(surface, base_color=decal.colour, base_weight=1.0)
        if decal.roughness >= 0:
            surface = replace(surface, specular_roughness=decal.roughness)
        if not coats and surface.transmission_weight > 0:  # ink of a clear swatch would be a solid within a solid: light passes it as a thin sheet
            surface = replace(surface, geometry_thin_walled=True)
        wires = material.wires
        if decal.colouring == "one" and decal.artwork != "surface":
            wires = {k: v for k, v in wires.items() if k not in ("base_color", "base_weight")}
        if decal.roughness >= 0:
            wires = {k: v for k, v in wires.items() if k != "specular_roughness"}
        name = artwork.name_of(decal)
        is_asset = name == decal.picture
        make: Callable | None = None if is_asset else (lambda d=decal: artwork.pixels_of(d, assets))
        found[decal_id] = Print(decal.name, replace(material, surface=surface, wires=wires), name, make, coats)
    return found


def print_parts(document: Document, part_ids: list[str], world: np.ndarray, boxes: np.ndarray, worn: Worn) -> Printed:
    """The rows of all decals on the parts of a scene. `world` (n, 3, 4) : where the parts stand; `boxes` (n, 8, 3) corners of their own boxes."""
    shown = shown_decals(document)
    if not shown:
        return NOTHING
    rows: list[np.ndarray] = []
    lays: list[np.ndarray] = []
    of_part: dict[int, list[tuple[str, int]]] = {}  # by instance: (decal, row), the lowest first
    sources = [source_of(document, i) if ":" in i else i for i in part_ids]
    places: dict[str, list[int]] = {}
    for k, source in enumerate(sources):
        places.setdefault(source, []).append(k)

    def put(decal: Decal, instances: list[int], matrix: np.ndarray, scale: float) -> None:
        row = np.zeros(a.DECAL_COLUMNS)
        row[a.D_LAY] = len(worn.lays) + len(lays)
        row[a.D_WHICH], row[a.D_PICTURE], row[a.D_COATS] = worn.printed[decal.id]
        row[a.D_OPACITY] = decal.opacity
        row[a.D_COLOURED] = decal.artwork == "picture" and decal.colouring != "one" and row[a.D_PICTURE] >= 0
        row[a.D_EDGE], row[a.D_RAISED], row[a.D_GROUND], row[a.D_FRAME] = decal.edge_mm, decal.raised_mm, decal.ground, -1
        row[a.D_ADJUST :] = adjust_row(decal.adjust, True)
        lays.append(decal_row(decal, matrix, scale))
        for k in instances:
            of_part.setdefault(k, []).append((decal.id, len(rows)))
        rows.append(row)

    for decal in shown.values():
        own = decal_projector(decal)
        if decal.belongs == "region":
            for k, into in _across(decal, own, part_ids, world, boxes):
                put(decal, [k], into, float(np.linalg.norm(into[0, :3])))
            continue
        wanted = alike_parts(document, decal) if decal.belongs == "alike" else decal.parts
        instances = [k for part in wanted for k in places.get(part, ())]
        if instances:
            put(decal, instances, own, 1.0)
    listed: list[int] = []
    instance_decals = np.full(len(part_ids), -1, np.int64)
    starts: dict[tuple, int] = {}
    for k, held in of_part.items():
        key = tuple(row for _, row in held)
        if key not in starts:
            starts[key] = len(listed)
            listed += [len(held), *reversed(key)]
        instance_decals[k] = starts[key]
        at = dict(held)
        for decal_id, number in held:
            frame = shown[decal_id].frame
            if frame is not None:
                rows[number][a.D_FRAME] = at.get(frame, -1)
    return (
        Printed(np.array(rows).reshape(-1, a.DECAL_COLUMNS), np.array(lays).reshape(len(lays), -1), np.array(listed, np.int64), instance_decals)
        if rows
        else NOTHING
    )


def _across(decal: Decal, own: np.ndarray, part_ids: list[str], world: np.ndarray, boxes: np.ndarray) -> Iterator[tuple[int, np.ndarray]]:
    """Of a region: the instances in its projector, each with the (3, 4) matrix from its own axes into the projector's."""
    stood = {s.part: place_of(s) for s in decal.stood}
    here = [k for k, part_id in enumerate(part_ids) if decal.slips or ":" in part_id or part_id in stood]
    if not here:
        return
    places = np.zeros((len(here), 4, 4))
    places[:, :3] = world[here]  # a copy stands where its rule puts it
    places[:, 3, 3] = 1.0
    for n, k in enumerate(here):
        if not decal.slips and ":" not in part_ids[k]:
            places[n] = stood[part_ids[k]]
    into = (np.vstack([own, [0, 0, 0, 1]]) @ places)[:, :3]
    for met in np.flatnonzero(within_reach(decal, into, boxes[here])):
        yield here[met], into[met]
