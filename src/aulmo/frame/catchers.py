"""What stands in for things of a photograph: walls and boxes, fitted by its camera, that catch the product's shadow or hide it."""

import math

import numpy as np
from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.made import set_pieces
from aulmo.document.records import Camera, Document, Pair, Part, Placement, SetPiece
from aulmo.errors import BadValue
from aulmo.frame.shadow_stick import above, on_plane

LEAST_MM = 0.5


def _added(document: Document, piece: SetPiece, name: str, position: np.ndarray, turn: float) -> tuple[Document, str]:
    set_pieces.check(piece)
    part_id = edits.new_id()
    part = Part(
        id=part_id, name=edits.free_name(name, (p.name for p in document.parts.values())), mesh=set_pieces.name_of_mesh(piece), set_piece=piece,
        placement=Placement(position=(float(position[0]), float(position[1]), float(position[2])), turn=(0.0, 0.0, turn)), catches="shadow",
    )  # fmt: skip
    return edits.add_parts(document, [part], [part_id]), part_id


def wall(document: Document, camera: Camera, size: tuple[int, int], base: tuple[Pair, Pair], top: Pair | None = None) -> tuple[Document, str]:
    """A wall that catches shadow, through the line at which it meets the floor, facing the camera; as high as a pixel says, else as wide as high.

    `camera` has the photograph as its frame, `base` and `top` are its pixels. Returns the document and the part's id. Raises BadValue.
    """
    one, other = (on_plane(camera, size, p) for p in base)
    along = other - one
    width = float(np.linalg.norm(along))
    if width < LEAST_MM:
        raise BadValue("The wall's line runs from a point to itself.")
    normal = np.array([along[1], -along[0], 0.0]) / width
    if float(normal @ (np.array(camera.position) - one)) < 0:
        normal = -normal
    middle = 0.5 * (one + other)
    height = float(above(camera, size, middle, top)[2]) if top is not None else width
    if height < LEAST_MM:
        raise BadValue("The wall would be no higher than the floor.")
    # a wall's front is its -y side
    turn = math.degrees(math.atan2(normal[0], -normal[1]))
    piece = replace(set_pieces.starting("wall"), width=width, height=height, thickness=max(1.0, 0.01 * width))
    return _added(document, piece, "Wall of the photograph", middle, turn)


def box(document: Document, camera: Camera, size: tuple[int, int], corner: Pair, opposite: Pair, top: Pair) -> tuple[Document, str]:
    """A box that catches shadow and hides what stands behind it: two opposite corners of its foot on the floor, along the directions of the lines,
    and a pixel of its height above the second. Returns the document and the part's id. Raises BadValue."""
    one, other = on_plane(camera, size, corner), on_plane(camera, size, opposite)
    width, depth = (float(v) for v in np.abs(other - one)[:2])
    height = float(above(camera, size, other, top)[2])
    if min(width, depth, height) < LEAST_MM:
        raise BadValue("The box would be flat; drag its foot across the floor, then set its height.")
    piece = replace(set_pieces.starting("block"), width=width, depth=depth, height=height)
    return _added(document, piece, "Box of the photograph", 0.5 * (one + other) * np.array([1, 1, 0]), 0.0)
