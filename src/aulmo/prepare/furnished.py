"""Furnished lamps: simple models of our own with a lamp inside that goes where they go. They stand on, or hang from, what is clicked."""

import math
from typing import NamedTuple

import numpy as np
from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.placement import from_matrix
from aulmo.document.records import Document, Lamp, Material, Part, Placement, SetPiece, Surface
from aulmo.errors import BadValue
from aulmo.prepare import pieces

KINDS = {"table": "Table lamp", "pendant": "Pendant", "downlight": "Downlight", "strip": "Strip light"}
ABOVE = 1200.0  # mm that what hangs is hung over a floor that was clicked
CLOTH = Surface(
    base_color=(0.86, 0.82, 0.74), specular_weight=0.1, subsurface_weight=0.7, subsurface_color=(0.86, 0.8, 0.7), geometry_thin_walled=True
)  # fmt: skip
PAINT = Surface(base_color=(0.045, 0.05, 0.055), specular_roughness=0.42)
WHITE = Surface(base_color=(0.75, 0.75, 0.74), specular_roughness=0.4)
BRASS = Surface(base_metalness=1.0, base_color=(0.82, 0.62, 0.32), specular_roughness=0.25)


class Piece(NamedTuple):
    """One part of a model: its name, what it is made from, its surface, how far it is lifted."""

    name: str
    made: SetPiece
    surface: Surface
    lift: float


def _model(kind: str) -> tuple[list[Piece], Lamp, bool, float]:
    """Parts, lamp, whether it hangs (its top at 0, all else below) and how sharp its measured beam is (0: none)."""
    piece = pieces.set_piece
    if kind == "table":
        lamp = Lamp("", "Bulb", "sphere", (0.0, 0.0, 330.0), width=70.0, power=800.0, kelvin=2900.0, group="Table lamp")
        return [
            Piece("Base", piece("cylinder", radius=80, height=16, bevel=4), BRASS, 0.0),
            Piece("Stem", piece("cylinder", radius=7, height=300), BRASS, 16.0),
            Piece("Shade", piece("tube", radius=140, thickness=1.2, height=190), CLOTH, 236.0),
        ], lamp, False, 0.0  # fmt: skip
    if kind == "pendant":
        lamp = Lamp("", "Light", "photometric", (0.0, 0.0, -722.0), width=110.0, power=900.0, kelvin=3000.0, seen=True, group="Pendants")
        return [
            Piece("Rose", piece("cylinder", radius=50, height=24, bevel=3), PAINT, -24.0),
            Piece("Cord", piece("cylinder", radius=3, height=546), PAINT, -570.0),
            Piece("Shade", piece("cone", radius=160, radius_top=34, height=150), PAINT, -720.0),
        ], lamp, True, 2.0  # fmt: skip
    if kind == "downlight":
        lamp = Lamp("", "Light", "photometric", (0.0, 0.0, -6.0), width=70.0, power=700.0, kelvin=3500.0, seen=True, group="Downlights")
        return [Piece("Trim", piece("tube", radius=52, thickness=8, height=14), WHITE, -14.0)], lamp, True, 9.0
    if kind == "strip":
        lamp = Lamp("", "Light", "rectangle", (0.0, 0.0, -27.0), width=1160.0, height=26.0, power=2400.0, kelvin=4000.0, seen=True, group="Strips")
        return [Piece("Channel", piece("block", width=1200, depth=36, height=26, bevel=2), WHITE, -26.0)], lamp, True, 0.0
    raise BadValue(f"There is no furnished lamp of the kind {kind}; there are {', '.join(KINDS)}.")


def beam_file(sharpness: float, lumens: float) -> bytes:
    """An LM-63 file of a beam that falls off as a power of the cosine downward, of so many lumens: E of I0 cos^n is 2 pi I0 / (n + 1)."""
    strongest = lumens * (sharpness + 1) / (2 * math.pi)
    angles = np.arange(0.0, 91.0, 2.5)
    candela = strongest * np.cos(np.radians(angles)) ** sharpness
    candela[-1] = 0.0
    numbers = lambda values: " ".join(f"{v:.3f}" for v in values)  # noqa: E731
    head = f"1 {lumens:.1f} 1.0 {len(angles)} 1 1 2 0.1 0.1 0.0\n1.0 1.0 10.0\n"
    return f"IESNA:LM-63-2002\nTILT=NONE\n{head}{numbers(angles)}\n0.0\n{numbers(candela)}\n".encode()


def furnish(document: Document, assets: AssetStore, kind: str, point, normal) -> tuple[Document, str]:
    """A furnished lamp standing on, or hanging from, a world point of a surface that faces `normal`. Returns the document and its group's id; the
    lamp stays with the group. Raises BadValue."""
    parts, lamp, hangs, sharpness = _model(kind)
    point, normal = np.asarray(point, float), np.asarray(normal, float)
    if point.shape != (3,) or not np.isfinite(point).all():
        raise BadValue("A place for a lamp needs three numbers.")
    if hangs and normal[2] > -0.3:
        point = point + [0.0, 0.0, ABOVE]
    name = edits.free_name(KINDS[kind], (p.name for p in document.parts.values()))
    group, matrix = edits.new_id(), np.eye(4)
    matrix[:3, 3] = point
    made: dict[str, Part] = {}
    for one in parts:
        material = Material(edits.new_id(), f"{name}, {one.name.lower()}", surface=one.surface)
        same = next((m.id for m in document.materials.values() if m.surface == one.surface and not m.nodes and not m.layers), None)
        if same is None:
            document = edits.put_material(document, material)
        loose, part_id = pieces.add_piece(document, one.made, name=one.name)
        part = loose.parts[part_id]
        made[part_id] = replace(part, parent=group, material=same or material.id, placement=Placement(position=(0.0, 0.0, one.lift)))
    whole = Part(group, name, children=tuple(made), placement=from_matrix(matrix))
    document = replace(document, parts={**document.parts, group: whole, **made}, roots=(*document.roots, group))
    profile = assets.add(beam_file(sharpness, lamp.power), ".ies") if sharpness else None
    light = edits.free_name(name, (other.name for other in document.lamps.values()))
    lamp = replace(lamp, id=edits.new_id(), name=light, stays_with="part", part=group, profile=profile)
    return edits.put_lamp(document, lamp), group


def glowing_panel(document: Document, part_ids, nits: float = 2000.0) -> Document:
    """Parts made into glowing panels of so many nits, each in a material of its own kind that nothing else wears. Raises BadValue."""
    if not (math.isfinite(nits) and 0 < nits <= 1e9):
        raise BadValue("A panel glows with more than nothing and no more than a billion nits.")
    leaves = edits.leaves(document, list(part_ids))
    if not leaves:
        raise BadValue("Select what should glow first.")
    surface = Surface(base_color=(0.02, 0.02, 0.02), specular_weight=0.3, emission_luminance=float(nits))
    name = edits.free_name("Glowing panel", (m.name for m in document.materials.values()))
    material = Material(edits.new_id(), name, "Light", surface=surface)
    document = edits.put_material(document, material)
    return edits.drop_unused_materials(edits.assign_material(document, leaves, material.id))
