"""Setting what lies at an address, and one document resolved for a choice and a time; reading is in `addresses`."""

from typing import Any, Mapping

from msgspec.structs import replace

from aulmo.document import colours, records as r
from aulmo.document.addresses import (
    AXES as AXES,
    Leaf,
    about as about,
    accepted as accepted,
    applied,
    child,
    get as get,
    grow,
    is_there as is_there,
    keyed as keyed,
    nothing_at,
    owner_of as owner_of,
    sentence as sentence,
    shown as shown,
)
from aulmo.document.made import carton, copies, set_pieces
from aulmo.document.made.carton_decals import followed
from aulmo.document.made.copies import with_copies
from aulmo.document.made.lamp_copies import with_lamps
from aulmo.document.moving.between import blend as blend, turn_between as turn_between
from aulmo.document.moving.frames_seen import with_frames
from aulmo.document.moving.resolved import moved, with_fades
from aulmo.document.moving.tracks import tracks_of
from aulmo.document.picking import overrides_of


def put(document: r.Document, address: str, value: Any) -> r.Document:
    """The document with another value at an address. Raises BadValue when there is no such property or it cannot have the value."""
    return put_many(document, {address: value})


def put_many(document: r.Document, values: Mapping[str, Any]) -> r.Document:
    """The document with other values at several addresses; "colour:" and the id of one of the project's colours lets a colour follow that. Raises
    BadValue; none is set then."""
    tree: dict = {}
    told = colours.read(document, values)
    for address, value in told.values.items():
        steps = address.split("/")
        try:
            above: Any = document
            for step in steps[:-1]:
                above = child(above, step)
            if not isinstance(above, dict):
                child(above, steps[-1])
        except KeyError:
            raise nothing_at(address) from None
        grow(tree, steps, accepted(about(address), value))
    return colours.settled(_remade(applied(document, tree), tree, strict=True), told)


def with_values(document: r.Document, values: Mapping[str, Any]) -> r.Document:
    """The document with other values at addresses that are known to take them; what is not there is left out."""
    tree: dict = {}
    for address, value in values.items():
        grow(tree, address.split("/"), value)
    return _remade(applied(document, tree), tree)


def _remade(document: r.Document, tree: dict, strict: bool = False) -> r.Document:
    """The document with the meshes of set pieces and cartons that a tree of steps has changed. When `strict`, what cannot be made raises BadValue."""
    touched = tree.get("parts", {})
    if not isinstance(touched, dict):
        return document
    fresh: dict[str, r.Part] = {}
    for part_id, steps in touched.items():
        if not isinstance(steps, dict):
            continue
        part = document.parts.get(part_id)
        if part is not None and "set_piece" in steps and part.set_piece is not None:
            if strict:
                set_pieces.check(part.set_piece)
            fresh[part_id] = replace(part, mesh=set_pieces.name_of_mesh(part.set_piece))
        if part is not None and "carton" in steps and part.carton is not None:
            fresh[part_id] = replace(part, mesh=carton.name_of_mesh(part.carton))
    for part_id, part in fresh.items():
        if part.carton is not None:
            document = followed(document, part_id, document.parts[part_id].mesh, part.mesh)
    if fresh:
        document = replace(document, parts={**document.parts, **fresh})
    if strict:
        for part_id, steps in touched.items():
            if isinstance(steps, dict) and "copies" in steps:
                copies.check(document, part_id)
    return document


# resolving


_bases: list[tuple[r.Document, dict[str, Any], r.Document]] = []  # the last few documents with what a choice overrides of what moves


def _overridden(document: r.Document, choices: Mapping[str, str] | None) -> r.Document:
    """The stored document with the overrides of a choice that say where things are; the very same object for the same document and choice."""
    wanted = {a: v for a, v in overrides_of(document, choices).items() if a.split("/")[0] in ("parts", "paths", "motions")}
    if not wanted:
        return document
    for held, values, made in _bases:
        if held is document and values == wanted:
            return made
    tree: dict = {}
    for address, value in wanted.items():
        grow(tree, address.split("/"), value)
    made = applied(document, tree)
    _bases.insert(0, (document, wanted, made))
    del _bases[4:]
    return made


def resolve(document: r.Document, choices: Mapping[str, str] | None = None, time: float = 0.0) -> r.Document:
    """A plain document as it is for some choices at a time in seconds: overrides first, then keys and motions, then the rules that
    make parts. The same object when nothing applies.

    `choices` names one choice for each axis by name or id, as {"Colour": "Pine", "shot": id}; where it says nothing of an axis, what the shot has
    picked counts, else the base. Raises BadValue for a choice there is not.
    """
    tree: dict = {}
    for address, value in overrides_of(document, choices).items():
        whole = about(address).kind == "whole" and isinstance(value, float)
        grow(tree, address.split("/"), int(value) if whole else value)
    keys = document.keys
    for track in tracks_of(keys):
        grow(tree, track.steps, track.at(time))
    if "colours" in tree:
        colours.led(document, tree)
    if keys:
        tree["keys"] = Leaf({})
    if any(s.overrides for s in document.shots):
        for shot in document.shots:
            if shot.overrides:
                grow(tree, ("shots", shot.id, "overrides"), {})
    if document.axes:  # what is resolved is of one variant, and never of another
        tree["axes"] = tree["refused"] = Leaf(())
    for shot in document.shots if choices else ():
        if shot.id == (choices or {}).get("shot") and shot.photograph is not None:
            grow(tree, ("backdrop", "kind"), "photograph")
            grow(tree, ("backdrop", "shot"), shot.id)
    made_ids = {i: tree["parts"].pop(i) for i in [i for i in tree.get("parts", {}) if ":" in i]}
    base = _overridden(document, choices) if document.motions else document
    if tree:
        document = _remade(applied(document, tree), tree)
    if keys or base.motions:
        document = moved(base, document, time)
    document = with_lamps(with_copies(document))
    document = applied(document, {"parts": made_ids}) if made_ids else document
    return with_frames(with_fades(document), time)
