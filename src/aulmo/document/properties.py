"""Properties by address: reading, setting, blending between two values, and one document resolved for a choice and a time.

An address is a path in text: `parts/<id>/placement/position`, `materials/<id>/surface/base_color`, `cameras/<id>/focal_length_mm`,
`environment/turn`, `lamps/<id>/stops`, `floor/height`; `/x`, `/y`, `/z` after a vector is one number of it.
"""

import functools
import math
from typing import Any, Mapping, NamedTuple

import msgspec
import numpy as np
from msgspec.structs import replace

from aulmo.document import records as r
from aulmo.document.moving.between import blend as blend
from aulmo.document.moving.between import turn_between as turn_between
from aulmo.document.property import Property
from aulmo.document.property_table import HELD, NODE_INPUTS, TABLE
from aulmo.document.quantity import show
from aulmo.document.variants import overrides_of
from aulmo.errors import BadValue

AXES = {"x": 0, "y": 1, "z": 2}
_SEVERAL = tuple(name for name, held in HELD[r.Document].items() if held.by_name)
_OWNERS = {"film": "the film", "environment": "the dome", "backdrop": "the backdrop", "floor": "the floor", "render": "the render"}


def _nothing(address: str) -> BadValue:
    return BadValue(f"There is no property {address}.")


@functools.lru_cache(maxsize=65536)
def about(address: str) -> Property:
    """What is known of the property at an address, whatever the document. Raises BadValue."""
    steps = address.split("/")
    axis = None
    if len(steps) > 1 and steps[-1] in AXES and steps[-2] != "inputs":
        axis = steps.pop()
    kind: type = r.Document
    while len(steps) > 1 and (held := HELD[kind].get(steps[0])) is not None and len(steps) > 1 + held.by_name:
        kind, steps = held.kind, steps[1 + held.by_name :]
    if kind is r.Node and len(steps) == 2 and steps[0] == "inputs" and steps[1] in NODE_INPUTS:
        return NODE_INPUTS[steps[1]]
    found = TABLE[kind].get(steps[0]) if len(steps) == 1 else None
    if found is None or (axis is not None and found.kind not in ("vector", "colour")):
        raise _nothing(address)
    if axis is None:
        return found
    default = found.default[AXES[axis]] if found.default is not None else None
    return replace(found, label=f"{found.label} {axis}", kind="number", default=default, change="evenly")


def _child(value: Any, name: str) -> Any:
    if isinstance(value, dict):
        return value[name]
    if isinstance(value, msgspec.Struct):
        if name in value.__struct_fields__:
            return getattr(value, name)
    elif isinstance(value, tuple):
        if name in AXES and len(value) == 3 and not isinstance(value[0], msgspec.Struct):
            return value[AXES[name]]
        for member in value:
            if getattr(member, "id", None) == name:
                return member
    raise KeyError(name)


def get(document: r.Document, address: str) -> Any:
    """The value at an address. Raises BadValue when nothing is there."""
    value: Any = document
    try:
        for step in address.split("/"):
            value = _child(value, step)
    except KeyError:
        raise _nothing(address) from None
    return value


def is_there(document: r.Document, address: str) -> bool:
    """Whether the document has anything at an address."""
    try:
        get(document, address)
    except BadValue:
        return False
    return True


class _Leaf(NamedTuple):
    value: Any


def _grow(tree: dict, steps: list[str] | tuple[str, ...], value: Any) -> None:
    for step in steps[:-1]:
        tree = tree.setdefault(step, {})
    tree[steps[-1]] = _Leaf(value)


def _applied(value: Any, tree: Any) -> Any:
    """A value with the leaves of a tree of steps in place; what the tree names and the value lacks is left out."""
    if isinstance(tree, _Leaf):
        return tree.value
    if isinstance(value, dict):
        changed = {k: _applied(value[k], t) if k in value else t.value for k, t in tree.items() if k in value or isinstance(t, _Leaf)}
        return {**value, **changed}
    if isinstance(value, msgspec.Struct):
        return replace(value, **{k: _applied(getattr(value, k), t) for k, t in tree.items() if k in value.__struct_fields__})
    if isinstance(value, tuple) and value and isinstance(value[0], msgspec.Struct):
        return tuple(_applied(member, tree[member.id]) if member.id in tree else member for member in value)
    if isinstance(value, tuple) and len(value) == 3:
        numbers = list(value)
        for name, leaf in tree.items():
            numbers[AXES[name]] = leaf.value
        return tuple(numbers)
    return value


def accepted(property_: Property, value: Any, what: str = "") -> Any:
    """The value as the records hold it. Raises BadValue with one sentence when the property cannot have it."""
    what = what or property_.label
    kind = property_.kind
    if kind in ("number", "whole"):
        if isinstance(value, bool) or not isinstance(value, (int, float, np.number)):
            raise BadValue(f"{what} has to be a number.")
        _in_range(property_, float(value), what)
        if kind == "whole":
            if float(value) != round(float(value)):
                raise BadValue(f"{what} has to be a whole number.")
            return int(value)
        return float(value)
    if kind == "either" and not isinstance(value, (tuple, list, np.ndarray)):
        if isinstance(value, bool) or not isinstance(value, (int, float, np.number)):
            raise BadValue(f"{what} has to be a number, or three.")
        _in_range(property_, float(value), what)
        return float(value)
    if kind in ("vector", "colour", "either"):
        if not isinstance(value, (tuple, list, np.ndarray)) or len(value) != 3:
            raise BadValue(f"{what} has to be three numbers.")
        numbers = tuple(float(v) for v in value)
        for number in numbers:
            _in_range(property_, number, what)
        return numbers
    if kind == "yes":
        if not isinstance(value, (bool, np.bool_)):
            raise BadValue(f"{what} is either on or off.")
        return bool(value)
    if kind == "choice" and value not in property_.choices:
        raise BadValue(f"{what} can be {', '.join(str(c) for c in property_.choices)}.")
    if kind == "text" and not isinstance(value, str):
        raise BadValue(f"{what} has to be a text.")
    if kind == "link" and not isinstance(value, (str, type(None))):
        raise BadValue(f"{what} has to be a name.")
    return value


def _in_range(property_: Property, value: float, what: str) -> None:
    least = -property_.most if property_.kind == "colour" else property_.least
    if not math.isfinite(value) or not least <= value <= property_.most or (property_.nonzero and abs(value) < 1e-6):
        unit = f" {property_.unit}" if property_.unit not in ("", "°") else property_.unit
        if property_.nonzero and abs(value) < 1e-6:
            raise BadValue(f"{what} cannot be nothing.")
        raise BadValue(f"{what} has to lie between {least:g} and {property_.most:g}{unit}.")


def put(document: r.Document, address: str, value: Any) -> r.Document:
    """The document with another value at an address. Raises BadValue when there is no such property or it cannot have the value."""
    return put_many(document, {address: value})


def put_many(document: r.Document, values: Mapping[str, Any]) -> r.Document:
    """The document with other values at several addresses. Raises BadValue; none is set then."""
    tree: dict = {}
    for address, value in values.items():
        steps = address.split("/")
        try:
            above: Any = document
            for step in steps[:-1]:
                above = _child(above, step)
            if not isinstance(above, dict):
                _child(above, steps[-1])
        except KeyError:
            raise _nothing(address) from None
        _grow(tree, steps, accepted(about(address), value))
    return _remade(_applied(document, tree), tree, strict=True)


def with_values(document: r.Document, values: Mapping[str, Any]) -> r.Document:
    """The document with other values at addresses that are known to take them; what is not there is left out."""
    tree: dict = {}
    for address, value in values.items():
        _grow(tree, address.split("/"), value)
    return _remade(_applied(document, tree), tree)


def _remade(document: r.Document, tree: dict, strict: bool = False) -> r.Document:
    """The document with the meshes of set pieces whose sizes a tree of steps has changed. When `strict`, what cannot be made raises BadValue."""
    from aulmo.document.made import copies, set_pieces

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
    if fresh:
        document = replace(document, parts={**document.parts, **fresh})
    if strict:
        for part_id, steps in touched.items():
            if isinstance(steps, dict) and "copies" in steps:
                copies.check(document, part_id)
    return document


def owner_of(document: r.Document, address: str) -> str:
    """What a property belongs to, in the artist's words: the name of its part, material, camera, lamp or shot."""
    steps = address.split("/")
    if steps[:2] == ["environment", "softboxes"] and len(steps) > 2:
        return get(document, "/".join(steps[:3])).name
    if steps[0] in _OWNERS:
        return _OWNERS[steps[0]]
    if steps[0] in _SEVERAL and len(steps) > 1:
        try:
            return _child(_child(document, steps[0]), steps[1]).name
        except KeyError:
            raise _nothing(address) from None
    return document.name


def sentence(document: r.Document, address: str) -> str:
    """What undo says of a change there: "Focal length of Camera 1"."""
    return f"{about(address).label} of {owner_of(document, address)}"


def shown(address: str, value: Any) -> str:
    """A value in the artist's words, with its unit."""
    known = about(address)
    if known.kind in ("number", "whole"):
        return show(float(value), known.unit, known.decimals)
    if known.kind == "choice":
        return known.choices.get(value, str(value))
    if known.kind == "yes":
        return "on" if value else "off"
    return str(value)


# resolving


def keyed(document: r.Document, address: str) -> bool:
    """Whether keys hold the property at an address."""
    return bool(document.keys.get(address))


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
        _grow(tree, address.split("/"), value)
    made = _applied(document, tree)
    _bases.insert(0, (document, wanted, made))
    del _bases[4:]
    return made


def resolve(document: r.Document, choices: Mapping[str, str] | None = None, time: float = 0.0) -> r.Document:
    """A plain document as it is for some choices at a time in seconds: overrides first, then keys and motions, then the rules that
    make parts. The same object when nothing applies.

    `choices` names one choice for each axis by name or id, as {"Colour": "Pine", "shot": id}; where it says nothing of an axis, what the shot has
    picked counts, else the base. Raises BadValue for a choice there is not.
    """
    from aulmo.document.made.copies import with_copies
    from aulmo.document.made.lamp_copies import with_lamps
    from aulmo.document.moving.footage import with_frames
    from aulmo.document.moving.resolved import moved, with_fades
    from aulmo.document.moving.tracks import tracks_of

    tree: dict = {}
    for address, value in overrides_of(document, choices).items():
        whole = about(address).kind == "whole" and isinstance(value, float)
        _grow(tree, address.split("/"), int(value) if whole else value)
    keys = document.keys
    for track in tracks_of(keys):
        _grow(tree, track.steps, track.at(time))
    if keys:
        tree["keys"] = _Leaf({})
    if any(s.overrides for s in document.shots):
        for shot in document.shots:
            if shot.overrides:
                _grow(tree, ("shots", shot.id, "overrides"), {})
    if document.axes:  # what is resolved is of one variant, and never of another
        tree["axes"] = tree["refused"] = _Leaf(())
    for shot in document.shots if choices else ():
        if shot.id == (choices or {}).get("shot") and shot.photograph is not None:
            _grow(tree, ("backdrop", "kind"), "photograph")
            _grow(tree, ("backdrop", "shot"), shot.id)
    made_ids = {i: tree["parts"].pop(i) for i in [i for i in tree.get("parts", {}) if ":" in i]}
    base = _overridden(document, choices) if document.motions else document
    if tree:
        document = _remade(_applied(document, tree), tree)
    if keys or base.motions:
        document = moved(base, document, time)
    document = with_lamps(with_copies(document))
    document = _applied(document, {"parts": made_ids}) if made_ids else document
    return with_frames(with_fades(document), time)
