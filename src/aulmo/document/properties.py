"""Properties by address: reading, setting, blending between two values, and one document resolved for a choice and a time.

An address is a path in text: `parts/<id>/placement/position`, `materials/<id>/surface/base_color`, `cameras/<id>/focal_length_mm`,
`environment/turn`, `lamps/<id>/stops`, `floor/height`; `/x`, `/y`, `/z` after a vector is one number of it.
"""

import functools
import math
from bisect import bisect_right
from typing import Any, Mapping, NamedTuple

import msgspec
import numpy as np
from msgspec.structs import replace

from aulmo.document import records as r
from aulmo.document.property_table import NODE_INPUTS, TABLE, Property
from aulmo.document.quantity import show
from aulmo.errors import BadValue

AXES = {"x": 0, "y": 1, "z": 2}
_ROOTS: dict[str, type] = {
    "parts": r.Part, "materials": r.Material, "cameras": r.Camera, "lamps": r.Lamp, "shots": r.Shot,
    "selections": r.Selection, "sources": r.Source, "paths": r.GuidePath, "decals": r.Decal,
    "environment": r.Environment, "backdrop": r.Backdrop, "floor": r.Floor, "render": r.RenderSettings,
}  # fmt: skip
_MANY = ("parts", "materials", "cameras", "lamps", "shots", "selections", "sources", "paths", "decals")
_WITHIN: dict[tuple[type, str], type] = {
    (r.Part, "placement"): r.Placement, (r.Part, "finesse"): r.Finesse, (r.Part, "set_piece"): r.SetPiece, (r.Part, "copies"): r.Copies,
    (r.Part, "piece"): r.Piece, (r.Lamp, "copies"): r.Copies, (r.Material, "surface"): r.Surface, (r.SurfaceLayer, "surface"): r.Surface,
    (r.Environment, "sky"): r.Sky, (r.Decal, "adjust"): r.Adjust, (r.Shot, "photograph"): r.Photograph,
    (r.Photograph, "patch"): r.GreyPatch,
}  # fmt: skip
_OWNERS = {"environment": "the dome", "backdrop": "the backdrop", "floor": "the floor", "render": "the render"}


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
    if steps[0] in _ROOTS:
        kind = _ROOTS[steps[0]]
        steps = steps[2:] if steps[0] in _MANY else steps[1:]
    if kind is r.Material and len(steps) == 4 and steps[0] == "nodes" and steps[2] == "inputs" and steps[3] in NODE_INPUTS:
        return NODE_INPUTS[steps[3]]
    if kind is r.Material and len(steps) == 4 and steps[0] == "nodes" and steps[2] == "adjust":
        kind, steps = r.Adjust, steps[3:]
    if kind is r.Material and len(steps) == 3 and steps[0] == "nodes":
        kind, steps = r.Node, steps[2:]
    if kind is r.Material and len(steps) == 3 and steps[0] == "lays":
        kind, steps = r.Lay, steps[2:]
    if kind is r.Material and len(steps) >= 3 and steps[0] == "layers":
        kind, steps = r.SurfaceLayer, steps[2:]
    if kind is r.Environment and len(steps) == 3 and steps[0] == "softboxes":
        kind, steps = r.Softbox, steps[2:]
    if kind is r.Part and len(steps) == 3 and steps[0] == "face_sets":
        kind, steps = r.FaceSet, steps[2:]
    while len(steps) > 1 and (kind, steps[0]) in _WITHIN:
        kind, steps = _WITHIN[kind, steps[0]], steps[1:]
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
    if steps[0] in _MANY and len(steps) > 1:
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


# between two values


def blend(property_: Property, one: Any, other: Any, share: float) -> Any:
    """The value `share` of the way from one to another."""
    change = property_.change
    if share <= 0.0 or change == "step" and share < 1.0:
        return one
    if share >= 1.0:
        return other
    if change == "turns":
        return turn_between(one, other, share)
    if isinstance(one, tuple) != isinstance(other, tuple):
        one, other = (v if isinstance(v, tuple) else (v, v, v) for v in (one, other))
    if isinstance(one, tuple):
        return (one[0] + share * (other[0] - one[0]), one[1] + share * (other[1] - one[1]), one[2] + share * (other[2] - one[2]))
    if change == "stops" and one > 0 and other > 0:
        return one * (other / one) ** share
    if change == "shorter way":
        return one + share * ((other - one + 180.0) % 360.0 - 180.0)
    return one + share * (other - one)


def turn_between(one: r.Triple, other: r.Triple, share: float) -> r.Triple:
    """Degrees about x, y, z between two turns. About one axis, and for more than half a turn, whole turns count and the way is even; else it
    goes round one axis in space by the shorter way (Shoemake 1985, "Animating rotation with quaternion curves")."""
    apart = [abs(b - a) for a, b in zip(one, other)]
    if sum(d > 1e-9 for d in apart) < 2 or max(apart) > 180.0:
        return (one[0] + share * (other[0] - one[0]), one[1] + share * (other[1] - one[1]), one[2] + share * (other[2] - one[2]))
    p, q = _quaternion(one), _quaternion(other)
    cosine = sum(a * b for a, b in zip(p, q))
    if cosine < 0.0:
        q, cosine = tuple(-v for v in q), -cosine
    angle = math.acos(min(1.0, cosine))
    if angle < 1e-6:
        return other
    f, g = math.sin((1 - share) * angle) / math.sin(angle), math.sin(share * angle) / math.sin(angle)
    return _turn_of(tuple(f * a + g * b for a, b in zip(p, q)))


def _quaternion(turn: r.Triple) -> tuple[float, ...]:
    """(w, x, y, z) of a turn about x first, then y, then z."""
    a, b, c = (math.radians(v) / 2 for v in turn)
    ca, sa, cb, sb, cc, sc = math.cos(a), math.sin(a), math.cos(b), math.sin(b), math.cos(c), math.sin(c)
    return (
        ca * cb * cc + sa * sb * sc, sa * cb * cc - ca * sb * sc,
        ca * sb * cc + sa * cb * sc, ca * cb * sc - sa * sb * cc,
    )  # fmt: skip


def _turn_of(quaternion: tuple[float, ...]) -> r.Triple:
    w, x, y, z = quaternion
    sine = max(-1.0, min(1.0, 2 * (w * y - x * z)))
    if abs(sine) > 0.9999999:
        return (math.degrees(math.atan2(-2 * (y * z - w * x), 1 - 2 * (x * x + z * z))), math.degrees(math.asin(sine)), 0.0)
    return (
        math.degrees(math.atan2(2 * (w * x + y * z), 1 - 2 * (x * x + y * y))), math.degrees(math.asin(sine)),
        math.degrees(math.atan2(2 * (w * z + x * y), 1 - 2 * (y * y + z * z))),
    )  # fmt: skip


# resolving


class _Track(NamedTuple):
    steps: tuple[str, ...]
    times: tuple[float, ...]
    values: tuple[Any, ...]
    property: Property

    def at(self, time: float) -> Any:
        k = bisect_right(self.times, time)
        if k == 0:
            return self.values[0]
        if k == len(self.times):
            return self.values[-1]
        start, end = self.times[k - 1], self.times[k]
        return blend(self.property, self.values[k - 1], self.values[k], (time - start) / (end - start))


_tracks_of: list[tuple[dict, list[_Track]]] = []  # the last few sets of keys, made ready once


def _tracks(keys: dict[str, tuple[r.Key, ...]]) -> list[_Track]:
    for known, tracks in _tracks_of:
        if known is keys:
            return tracks
    tracks = []
    for address, held in keys.items():
        if held:
            property_ = about(address)
            values = tuple(int(k.value) if property_.kind == "whole" and isinstance(k.value, float) else k.value for k in held)
            tracks.append(_Track(tuple(address.split("/")), tuple(k.time for k in held), values, property_))
    _tracks_of.insert(0, (keys, tracks))
    del _tracks_of[8:]
    return tracks


def keyed(document: r.Document, address: str) -> bool:
    """Whether keys hold the property at an address."""
    return bool(document.keys.get(address))


def overrides_of(document: r.Document, choices: Mapping[str, str] | None) -> dict[str, Any]:
    """What differs from the base by address for some choices. Raises BadValue for a choice there is not."""
    found: dict[str, Any] = {}
    for axis, chosen in (choices or {}).items():
        if axis != "shot":
            raise BadValue(f"There is no choice named {axis}; there is shot.")
        shot = next((s for s in document.shots if s.id == chosen), None)
        if shot is None:
            raise BadValue(f"There is no shot with the id {chosen}.")
        found.update(shot.overrides)
    return found


def resolve(document: r.Document, choices: Mapping[str, str] | None = None, time: float = 0.0) -> r.Document:
    """A plain document as it is for some choices at a time in seconds: overrides first, then keys, then the rules that
    make parts. The same object when nothing applies.

    `choices` names one choice for each axis, as {"shot": id}. Raises BadValue for one there is not.
    """
    tree: dict = {}
    for address, value in overrides_of(document, choices).items():
        whole = about(address).kind == "whole" and isinstance(value, float)
        _grow(tree, address.split("/"), int(value) if whole else value)
    for track in _tracks(document.keys):
        _grow(tree, track.steps, track.at(time))
    if document.keys:
        tree["keys"] = _Leaf({})
    if any(s.overrides for s in document.shots):
        for shot in document.shots:
            if shot.overrides:
                _grow(tree, ("shots", shot.id, "overrides"), {})
    for shot in document.shots if choices else ():
        if shot.id == (choices or {}).get("shot") and shot.photograph is not None:
            _grow(tree, ("backdrop", "kind"), "photograph")
            _grow(tree, ("backdrop", "shot"), shot.id)
    made_ids = {i: tree["parts"].pop(i) for i in [i for i in tree.get("parts", {}) if ":" in i]}
    if tree:
        document = _remade(_applied(document, tree), tree)
    from aulmo.document.made.copies import with_copies
    from aulmo.document.made.lamp_copies import with_lamps

    document = with_lamps(with_copies(document))
    return _applied(document, {"parts": made_ids}) if made_ids else document
