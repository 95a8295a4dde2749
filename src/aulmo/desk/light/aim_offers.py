"""What is offered where a highlight cannot be: a lamp or a white card in what is mirrored, the next place where light from outside is seen."""

from typing import Any

import numpy as np

from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.placement import angles_of
from aulmo.document.records import Document, Lamp, Material, Placement, Surface
from aulmo.light.place_lamp import aimed_turn, studio_candela
from aulmo.prepare import pieces
from aulmo.trace.aim_instead import CannotAim, Mirrored

SHARE = 0.75  # of the way to what is mirrored, at which something stands before it
WIDE = 0.35  # of that way, how wide it is


def offers_of(error: Exception) -> dict[str, Any]:
    """What can be done instead, by its words: a deed on a document and its assets, or a place of the frame."""
    if not isinstance(error, CannotAim):
        return {}
    found: dict[str, Any] = {}
    seen = error.mirrored
    if seen.thing is not None and np.isfinite(seen.distance):
        found["a lamp there"] = lambda document, assets: lamp_before(document, seen)
        found["a white card there"] = lambda document, assets: card_before(document, assets, seen)
    if error.place is not None:
        found["the next place where it can be"] = error.place
    return found


def lamp_before(document: Document, seen: Mirrored) -> tuple[Document, str, str]:
    """The document with a lamp that is mirrored there, before what is; its address, and words."""
    place = seen.met.point + seen.direction * SHARE * seen.distance
    name = edits.free_name("Mirrored lamp", (lamp.name for lamp in document.lamps.values()))
    x, y, z = place.round(3).tolist()
    wide = float(round(WIDE * seen.distance, 2))
    power = float(f"{max(1.0, np.pi * studio_candela(SHARE * seen.distance)):.2g}")
    lamp = Lamp(edits.new_id(), name, "rectangle", (x, y, z), aimed_turn(place, seen.met.point), wide, wide, power)
    return edits.put_lamp(document, lamp), f"lamps/{lamp.id}", f"{name} where it is mirrored"


def card_before(document: Document, assets: AssetStore, seen: Mirrored) -> tuple[Document, str, str]:
    """The document with a white card that is mirrored there, before what is; its part, and words."""
    place = seen.met.point + seen.direction * SHARE * seen.distance
    wide = max(1.0, WIDE * 1.6 * seen.distance)
    document, part = pieces.add_piece(document, pieces.set_piece("block", width=wide, depth=wide, height=max(0.5, 0.006 * wide)), name="White card")
    white = Material(edits.new_id(), "White card", surface=Surface(base_color=(0.9, 0.9, 0.9), specular_weight=0.0))
    document = edits.assign_material(edits.put_material(document, white), [part], white.id)
    up = -seen.direction
    right = np.cross([0.0, 0.0, 1.0], up)
    right = right / np.linalg.norm(right) if np.linalg.norm(right) > 1e-6 else np.array([1.0, 0.0, 0.0])
    a, b, c = (float(v) for v in angles_of(np.stack([right, np.cross(up, right), up], 1)[None])[0])
    x, y, z = place.round(3).tolist()
    return edits.place_parts(document, {part: Placement((x, y, z), (a, b, c))}), part, "A white card where it is mirrored"
