"""What lies at an address: a path in text, as `parts/<id>/placement/position`, `materials/<id>/surface/base_color`, `cameras/<id>/focal_length_mm`,
`environment/turn`, `lamps/<id>/stops`, `floor/height`; `/x`, `/y`, `/z` after a vector is one number of it.
"""

import functools
import math
from typing import Any, NamedTuple

import msgspec
import numpy as np
from msgspec.structs import replace

from aulmo.document import records as r
from aulmo.document.property import Property
from aulmo.document.property_table import HELD, NODE_INPUTS, TABLE
from aulmo.document.quantity import show
from aulmo.errors import BadValue

AXES = {"x": 0, "y": 1, "z": 2}


_SEVERAL = tuple(name for name, held in HELD[r.Document].items() if held.by_name)


_OWNERS = {"film": "the film", "environment": "the dome", "backdrop": "the backdrop", "floor": "the floor", "render": "the render"}


def nothing_at(address: str) -> BadValue:
    """The complaint that an address leads nowhere."""
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
        raise nothing_at(address)
    if axis is None:
        return found
    default = found.default[AXES[axis]] if found.default is not None else None
    return replace(found, label=f"{found.label} {axis}", kind="number", default=default, change="evenly")


def child(value: Any, name: str) -> Any:
    """One step of an address down from a value. Raises KeyError."""
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
            value = child(value, step)
    except KeyError:
        raise nothing_at(address) from None
    return value


def is_there(document: r.Document, address: str) -> bool:
    """Whether the document has anything at an address."""
    try:
        get(document, address)
    except BadValue:
        return False
    return True


class Leaf(NamedTuple):
    """The end of a way through a tree of changes: what is set there."""

    value: Any


def grow(tree: dict, steps: list[str] | tuple[str, ...], value: Any) -> None:
    """Set a value at the end of some steps of a tree of changes."""
    for step in steps[:-1]:
        tree = tree.setdefault(step, {})
    tree[steps[-1]] = Leaf(value)


def applied(value: Any, tree: Any) -> Any:
    """A value with the leaves of a tree of steps in place; what the tree names and the value lacks is left out."""
    if isinstance(tree, Leaf):
        return tree.value
    if isinstance(value, dict):
        changed = {k: applied(value[k], t) if k in value else t.value for k, t in tree.items() if k in value or isinstance(t, Leaf)}
        return {**value, **changed}
    if isinstance(value, msgspec.Struct):
        return replace(value, **{k: applied(getattr(value, k), t) for k, t in tree.items() if k in value.__struct_fields__})
    if isinstance(value, tuple) and value and isinstance(value[0], msgspec.Struct):
        return tuple(applied(member, tree[member.id]) if member.id in tree else member for member in value)
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


def owner_of(document: r.Document, address: str) -> str:
    """What a property belongs to, in the artist's words: the name of its part, material, camera, lamp or shot."""
    steps = address.split("/")
    if steps[:2] == ["environment", "softboxes"] and len(steps) > 2:
        return get(document, "/".join(steps[:3])).name
    if steps[0] in _OWNERS:
        return _OWNERS[steps[0]]
    if steps[0] in _SEVERAL and len(steps) > 1:
        try:
            return child(child(document, steps[0]), steps[1]).name
        except KeyError:
            raise nothing_at(address) from None
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


def keyed(document: r.Document, address: str) -> bool:
    """Whether keys hold the property at an address."""
    return bool(document.keys.get(address))
