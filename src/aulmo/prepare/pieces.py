"""Set pieces as parts: making one, and taking a part into the scene where it was clicked."""

from typing import Any

import numpy as np
from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.made import set_pieces
from aulmo.document.made.spreads import standing_on
from aulmo.document.placement import from_matrix
from aulmo.document.properties import about, accepted
from aulmo.document.property_table import PIECE_KINDS
from aulmo.document.records import Document, Part, Placement, SetPiece
from aulmo.errors import BadValue

# other words for a kind, and for its sizes
_KINDS = {"disc": "turntable", "turntable disc": "turntable", "box": "block", "ball": "sphere", "ring": "torus", "pipe": "tube", "letters": "text"}
_FLAT = ("floor", "cove", "water")  # stay level wherever they are clicked
LIFTED = {"floor": 0.2}  # mm over what a piece lies on, so that both are not at one height


def set_piece(kind: str, **sizes: Any) -> SetPiece:
    """A set piece with some of its sizes in mm. `diameter` is twice a radius, `size` all sides of a block or a plinth, `letters` a text.

    Raises BadValue for a kind or a size there is not, and for a number that makes no sense.
    """
    piece = set_pieces.starting(_KINDS.get(kind, kind))
    known = set_pieces.SIZES[piece.kind]
    given = dict(sizes)
    if "diameter" in given and "radius" in known:
        given["radius"] = _number(given.pop("diameter"), "Diameter") / 2
    if "size" in given:
        size = given.pop("size")
        if isinstance(size, (tuple, list)):
            given |= dict(zip((n for n in ("width", "depth", "height") if n in known), size))
        else:
            given |= {n: size for n in ("width", "depth", "height", "wave") if n in known}
    if "letters" in given:
        given["text"] = given.pop("letters")
    if "depth" in given and piece.kind == "text":
        given["thickness"] = given.pop("depth")
    for name, value in given.items():
        if name not in known:
            raise BadValue(f"A {PIECE_KINDS[piece.kind].lower()} has no size named {name}; it has {', '.join(known)}.")
        property_ = about(f"parts/x/set_piece/{name}")
        if property_.kind == "whole" and isinstance(value, float) and value == round(value):
            value = int(value)
        piece = replace(piece, **{name: accepted(property_, value)})
    set_pieces.check(piece)
    return piece


def _number(value: Any, what: str) -> float:
    if isinstance(value, bool) or not isinstance(value, (int, float)) or not np.isfinite(value):
        raise BadValue(f"{what} has to be a number.")
    return float(value)


def add_piece(
    document: Document, piece: SetPiece, place=(0.0, 0.0, 0.0), normal=(0.0, 0.0, 1.0), toward=None, name: str = ""
) -> tuple[Document, str]:  # fmt: skip
    """A set piece as a part at a point in the world, standing on a surface that faces `normal`, turned to face a point `toward`.

    Returns the document and the part's id.
    """
    wanted = name or PIECE_KINDS[piece.kind]
    part_id = edits.new_id()
    placement = Placement(position=(float(place[0]), float(place[1]), float(place[2]) + LIFTED.get(piece.kind, 0.0)))
    up = np.asarray(normal, float)
    if piece.kind not in _FLAT and up[2] < 0.9 and np.linalg.norm(up) > 1e-9:
        matrix = np.eye(4)
        matrix[:3, :3] = _standing(piece.kind, up)
        matrix[:3, 3] = placement.position
        placement = from_matrix(matrix)
    elif toward is not None and piece.kind in ("wall", "text", "shelf", "cove"):  # what has a front shows it
        way = np.asarray(toward, float) - np.asarray(place, float)
        if np.hypot(way[0], way[1]) > 1e-6:
            quarter = round(float(np.degrees(np.arctan2(way[0], -way[1]))) / 90.0) * 90.0
            placement = replace(placement, turn=(0.0, 0.0, float(quarter) + 0.0))
    part = Part(
        id=part_id, name=edits.free_name(wanted, (p.name for p in document.parts.values())), placement=placement,
        mesh=set_pieces.name_of_mesh(piece), set_piece=piece,
    )  # fmt: skip
    return edits.add_parts(document, [part], [part_id]), part_id


def _standing(kind: str, up: np.ndarray) -> np.ndarray:
    """The turn of a piece that was clicked onto a steep surface: shelves and letters with their back to it, everything else on it."""
    up = up / np.linalg.norm(up)
    if kind in ("shelf", "text", "wall") and abs(up[2]) < 0.7:
        flat = np.array([up[0], up[1], 0.0]) / np.hypot(up[0], up[1])
        return np.stack([np.array([-flat[1], flat[0], 0.0]), -flat, [0.0, 0.0, 1.0]], 1)
    return standing_on(up[None])[0]
