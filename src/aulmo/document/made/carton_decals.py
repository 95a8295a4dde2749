"""What is stuck on a carton's panel goes where the panel goes."""

import numpy as np
from msgspec.structs import replace

from aulmo.document import records as r
from aulmo.document.made.carton import fold_of_name, folded_of_name, ready_for
from aulmo.document.placement import from_matrix, to_matrix


def panel_under(name: str, point: np.ndarray) -> int:
    """The number of the panel of a carton's mesh that a point of the part's axes lies on, or nearest to."""
    places = folded_of_name(name).panels
    flat = ready_for(fold_of_name(name)).flat
    best, found = np.inf, 0
    for k, panel in enumerate(flat.panels):
        x, y, z = (np.linalg.inv(places[k]) @ [*point, 1.0])[:3]
        ring = np.array(panel.rings[0])
        low, high = ring.min(0), ring.max(0)
        beside = np.maximum(0.0, np.maximum(low - [x, y], [x, y] - high))
        off = float(np.hypot(*beside)) + abs(z)
        if off < best:
            best, found = off, k
    return found


def followed(document: r.Document, part_id: str, old: str | None, new: str | None) -> r.Document:
    """The document with the decals of a carton moved along with their panels, where its mesh was `old` and is `new`."""
    mine = {i: d for i, d in document.decals.items() if d.parts and d.parts[0] == part_id and d.belongs == "part"}
    if not mine or old is None or new is None or old == new:
        return document
    if fold_of_name(old).flat != fold_of_name(new).flat:
        return document
    before, after = folded_of_name(old).panels, folded_of_name(new).panels
    moved = {}
    for decal_id, decal in mine.items():
        panel = panel_under(old, np.array(decal.position))
        change = after[panel] @ np.linalg.inv(before[panel])
        place = from_matrix(change @ to_matrix(r.Placement(decal.position, decal.turn)))
        moved[decal_id] = replace(decal, position=place.position, turn=place.turn)
    return replace(document, decals={**document.decals, **moved})
