"""What an import decided, and deciding otherwise afterwards: unit, which way is up, plain colours or made of something."""

from typing import Callable

import numpy as np
from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.placement import from_matrix, to_matrix
from aulmo.document.records import Document, Piece, Source, Triple
from aulmo.errors import BadValue
from aulmo.prepare import arrange
from aulmo.prepare.reading import read_shapes
from aulmo.prepare.starting_surface import switched

UNITS = {0.001: "micrometres", 1.0: "millimetres", 10.0: "centimetres", 25.4: "inches", 304.8: "feet", 1000.0: "metres"}
LEAST_SIZE, MOST_SIZE = 2.0, 20_000.0  # mm: no product is smaller or larger than that
_LIKELY = (1.0, 1000.0, 25.4, 10.0, 0.001)
_TO_Z_UP = {
    "z": np.eye(4),
    "y": np.array([[1, 0, 0, 0], [0, 0, -1, 0], [0, 1, 0, 0], [0, 0, 0, 1]], float),
    "x": np.array([[0, 0, -1, 0], [0, 1, 0, 0], [1, 0, 0, 0], [0, 0, 0, 1]], float),
}


def turn_up(up: str) -> np.ndarray:
    """(4, 4) that turns a file's axes so that its axis `up` points along z."""
    return _TO_Z_UP[up]


def likelier_unit(size_mm: float, unit_mm: float) -> float:
    """A unit in mm that would make a product of this size (mm, as read in `unit_mm`) a sensible one; 0 when it is one, or none does."""
    if not size_mm > 0 or LEAST_SIZE <= size_mm <= MOST_SIZE:
        return 0.0
    numbers = size_mm / unit_mm
    return next((unit for unit in _LIKELY if unit != unit_mm and 10.0 <= numbers * unit <= 5000.0), 0.0)


def unit_name(unit_mm: float) -> str:
    """A unit in words."""
    return next((name for value, name in UNITS.items() if abs(value / unit_mm - 1) < 1e-9), f"units of {unit_mm:g} mm")


def _source(document: Document, source_id: str) -> Source:
    if source_id not in document.sources:
        raise BadValue("There is no such file in the project.")
    return document.sources[source_id]


def _settled(document: Document, assets: AssetStore, source: Source) -> Document:
    document = replace(document, sources={**document.sources, source.id: source})
    return arrange.centre(arrange.rest_on_floor(document, assets, source.roots), assets, source.roots)


def set_up(document: Document, assets: AssetStore, source_id: str, up: str) -> Document:
    """Let another axis of a file be up; its parts rest on the floor again. Raises BadValue."""
    source = _source(document, source_id)
    turn = turn_up(up) @ np.linalg.inv(turn_up(source.up))
    roots = [i for i in source.roots if document.parts[i].parent is None]
    placed = {i: from_matrix(turn @ to_matrix(document.parts[i].placement)) for i in roots}
    return _settled(edits.place_parts(document, placed), assets, replace(source, up=up))


def set_unit(
    document: Document, assets: AssetStore, source_id: str, unit_mm: float, progress: Callable[[str, float], bool] | None = None
) -> Document:  # fmt: skip
    """Read a file's numbers in another unit: shapes, triangles and places grow or shrink, no part gets a scale. Raises BadValue or BadFile."""
    source = _source(document, source_id)
    if not 1e-6 <= unit_mm <= 1e9:
        raise BadValue("A unit has to lie between 0.000001 and 1000000000 mm.")
    factor = unit_mm / source.unit_mm
    inside = [i for root in source.roots for i in edits.below(document, root)]
    inside = [i for i in inside if document.parts[i].set_piece is None]
    meshes = {document.parts[i].mesh for i in inside} - {None}
    shapes = sorted({s for i in inside if (s := document.parts[i].shape)})
    larger: dict[str, str] = {}
    for name in meshes:
        mesh = assets.mesh(name or "")
        larger[name or ""] = assets.add_mesh(mesh._replace(vertices=(mesh.vertices.astype(float) * factor).astype(np.float32)))
    if shapes:
        found = read_shapes([assets.get(s) for s in shapes], (), factor, progress)
        larger |= {s: assets.add(blob, ".shape") for s, blob in zip(shapes, found.shapes)}
    parts = dict(document.parts)
    for part_id in inside:
        part = parts[part_id]
        x, y, z = (v * factor for v in part.placement.position)
        parts[part_id] = replace(
            part, placement=replace(part.placement, position=(x, y, z)), mesh=larger.get(part.mesh or ""), shape=larger.get(part.shape or ""),
            piece=_larger_piece(part.piece, factor), pivot=_larger(part.pivot, factor) if part.pivot is not None else None,
        )  # fmt: skip
    return _settled(replace(document, parts=parts), assets, replace(source, unit_mm=unit_mm, offered=0.0))


def _larger(point: Triple, factor: float) -> Triple:
    x, y, z = point
    return x * factor, y * factor, z * factor


def _larger_piece(piece: Piece | None, factor: float) -> Piece | None:
    if piece is None or not piece.slices:
        return piece
    return replace(piece, slices=tuple(replace(s, point=_larger(s.point, factor)) for s in piece.slices))


def keep_unit(document: Document, source_id: str) -> Document:
    """The size is right as it is: offer no other unit any more."""
    return replace(document, sources={**document.sources, source_id: replace(_source(document, source_id), offered=0.0)})


def set_dressed(document: Document, source_id: str, dressed: bool) -> Document:
    """Make a file's colours plain, or made of something again; materials changed by hand stay."""
    source = _source(document, source_id)
    inside = [document.parts[i] for root in source.roots for i in edits.below(document, root)]
    worn = dict.fromkeys(m for part in inside for m in edits.surfaces_of(part) if m is not None)
    document = replace(document, sources={**document.sources, source_id: replace(source, dressed=dressed)})
    return switched(document, worn, dressed)
