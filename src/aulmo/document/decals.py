"""Decals: which parts they lie on, their order, and what becomes of them when parts go or are divided."""

from typing import Callable, Iterable

import numpy as np
from msgspec.structs import replace

from aulmo.document.addresses import is_there
from aulmo.document.picking import with_overrides
from aulmo.document.placement import from_matrix, to_matrix
from aulmo.document.records import Decal, Document, Part, Placement, Stood
from aulmo.errors import BadValue


def axes_of(decal: Decal) -> np.ndarray:
    """(4, 4) from a decal's axes into those of its part, of a region into the world."""
    return to_matrix(Placement(position=decal.position, turn=decal.turn))


def place_of(stood: Stood) -> np.ndarray:
    """(4, 4) where a part stood in the world."""
    return np.vstack([np.reshape(stood.place, (3, 4)), [0, 0, 0, 1]])


def stood_of(decal: Decal, part_id: str) -> np.ndarray | None:
    """(4, 4) where a part stood when a region was put across it; None for one that it does not know."""
    return next((place_of(s) for s in decal.stood if s.part == part_id), None)


def put_decal(document: Document, decal: Decal) -> Document:
    """Add a decal on top of all others or replace the one with its id. Raises BadValue for one that lies on nothing."""
    if decal.belongs != "region" and not decal.parts:
        raise BadValue("A decal needs a part to lie on.")
    return replace(document, decals={**document.decals, decal.id: decal})


def delete_decals(document: Document, decal_ids: Iterable[str]) -> Document:
    """Take decals off; those that were seen within one of them are seen whole."""
    gone = set(decal_ids)
    kept = {i: replace(d, frame=None) if d.frame in gone else d for i, d in document.decals.items() if i not in gone}
    return without_lost(replace(document, decals=kept))


def without_lost(document: Document) -> Document:
    """The document without keys and overrides of decals that are no longer there."""
    keys = {a: held for a, held in document.keys.items() if not a.startswith("decals/") or is_there(document, a)}
    made = with_overrides(document, lambda own: {a: v for a, v in own.items() if not a.startswith("decals/") or is_there(document, a)})
    return made if len(keys) == len(document.keys) else replace(made, keys=keys)


def in_order(document: Document, decal_ids: Iterable[str]) -> Document:
    """The document with decals in another order, the lowest first; all have to be named."""
    return replace(document, decals={i: document.decals[i] for i in decal_ids})


def moved_in_order(document: Document, decal_id: str, before: str | None) -> Document:
    """A decal put below another one, or on top of all where `before` is None."""
    others = [i for i in document.decals if i != decal_id]
    at = others.index(before) if before in others else len(others)
    return in_order(document, [*others[:at], decal_id, *others[at:]])


def group_members(document: Document, decal_id: str) -> list[str]:
    """A decal and all that are in its group."""
    group = document.decals[decal_id].group
    return [i for i, d in document.decals.items() if i == decal_id or (group and d.group == group)]


def alike_parts(document: Document, decal: Decal) -> list[str]:
    """The parts that are alike to the one a decal was put on: the same shape, or the same material on its body; that one first."""
    own = next((document.parts[i] for i in decal.parts if i in document.parts), None)
    if own is None:
        return []
    if decal.alike == "shape":
        found = [i for i, p in document.parts.items() if p.mesh is not None and p.mesh == own.mesh]
    else:
        found = [i for i, p in document.parts.items() if p.mesh is not None and p.material == own.material]
    return [own.id, *(i for i in found if i != own.id)]


def lies_on(document: Document, decal: Decal) -> list[str]:
    """The parts that show a decal, but for a region that lets parts slip under it: then those it was put across."""
    if decal.belongs == "alike":
        return alike_parts(document, decal)
    if decal.belongs == "region":
        return [s.part for s in decal.stood if s.part in document.parts]
    return [i for i in decal.parts if i in document.parts]


def decals_on(document: Document, part_id: str) -> list[Decal]:
    """The decals that a part shows, the topmost first."""
    return [d for d in reversed(document.decals.values()) if part_id in lies_on(document, d)]


def without_parts(document: Document, gone: set[str], parts: dict[str, Part] | None = None) -> Document:
    """The document when parts go, with its decals: one that every alike part shows is handed to one that stays, one that lay on those alone goes
    too. `document` still has the parts; it gets `parts` for them, where those are given."""
    decals, changed = {}, False
    for decal_id, decal in document.decals.items():
        own, stood = tuple(i for i in decal.parts if i not in gone), tuple(s for s in decal.stood if s.part not in gone)
        if decal.belongs == "alike" and not own:
            own = tuple(i for i in alike_parts(document, decal) if i not in gone)[:1]
        if own != decal.parts or stood != decal.stood:
            changed = True
            if not own and not stood:
                continue
            decal = replace(decal, parts=own, stood=stood)
        decals[decal_id] = decal
    document = document if parts is None else replace(document, parts=parts)
    if not changed:
        return document
    decals = {i: replace(d, frame=None) if d.frame is not None and d.frame not in decals else d for i, d in decals.items()}
    return without_lost(replace(document, decals=decals))


def divided(document: Document, part_id: str, into: Iterable[str]) -> Document:
    """The decals of a part that was divided lie on all its pieces (which share its axes)."""
    pieces = [i for i in into if i != part_id]
    decals = dict(document.decals)
    for decal_id, decal in document.decals.items():
        if part_id in decal.parts:
            decals[decal_id] = decal = replace(decal, parts=(*decal.parts, *(i for i in pieces if i not in decal.parts)))
        own = next((s for s in decal.stood if s.part == part_id), None)
        if own is not None:
            has = {s.part for s in decal.stood}
            decals[decal_id] = replace(decal, stood=(*decal.stood, *(replace(own, part=i) for i in pieces if i not in has)))
    return replace(document, decals=decals) if decals != document.decals else document


def duplicated(document: Document, fresh: dict[str, str], new_id: Callable[[], str]) -> Document:
    """The document with decals of their own on parts that were duplicated, `fresh` by the part they were made from."""
    decals = dict(document.decals)
    for decal in document.decals.values():
        copies = tuple(fresh[i] for i in decal.parts if i in fresh)
        if decal.belongs == "part" and copies:
            made = replace(decal, id=new_id(), parts=copies)
            decals[made.id] = made
    return replace(document, decals=decals) if len(decals) > len(document.decals) else document


def rehung(document: Document, part_id: str, onto: str, matrix: np.ndarray) -> Document:
    """The decals of a part that becomes a piece of another one; `matrix` (4, 4) leads from its axes into the other's."""
    decals = dict(document.decals)
    for decal_id, decal in document.decals.items():
        stood = {s.part: s for s in decal.stood}
        if part_id in stood:  # where the other part would have had to stand for its new piece to stand there
            own = place_of(stood.pop(part_id)) @ np.linalg.inv(matrix)
            stood.setdefault(onto, Stood(part=onto, place=tuple(float(v) for v in own[:3].ravel())))
            decal = replace(decal, stood=tuple(stood.values()))
        if part_id in decal.parts:
            if decal.parts[0] == part_id:
                place = from_matrix(matrix @ axes_of(decal))
                decal = replace(decal, position=place.position, turn=place.turn)
            decal = replace(decal, parts=tuple(dict.fromkeys(onto if i == part_id else i for i in decal.parts)))
        decals[decal_id] = decal
    return replace(document, decals=decals) if document.decals else document
