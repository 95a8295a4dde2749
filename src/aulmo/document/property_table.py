"""Every property of every record, gathered from what its fields say (see `property`), and of every input of a node.

`TABLE` has them by record and field; `HELD` says in which fields records hold others, and so where an address leads.
"""

import types
import typing
from typing import Any, NamedTuple

import msgspec

from aulmo.document import records as r
from aulmo.document.node_table import KINDS, Input
from aulmo.document.property import Property, Row


class Held(NamedTuple):
    """A field of a record that holds others: what they are, and whether the next step of an address is the name of one of several."""

    kind: type
    by_name: bool


# what no address leads to: it is changed as a whole, by edits of its own
_APART = {
    r.Document: {"axes", "refused", "keys", "moved"}, r.Material: {"groups"}, r.Photograph: {"lines", "sticks", "cutouts"},
}  # fmt: skip


def _said(annotation: Any, default: Any) -> Property | None:
    """What a field says of itself: the words of its choices by their values, its default from the record."""
    found = next((one for one in getattr(annotation, "__metadata__", ()) if isinstance(one, Property)), None)
    if found is None:
        return None
    shown = next((one for one in annotation.__metadata__ if isinstance(one, Row)), None)
    if shown is not None:
        found = msgspec.structs.replace(found, row=shown)
    if found.words:
        found = msgspec.structs.replace(found, choices=dict(zip(typing.get_args(annotation.__origin__), found.words)), words=())
    return found if default is msgspec.NODEFAULT else msgspec.structs.replace(found, default=default)


def _held(annotation: Any) -> Held | None:
    """The records in a field: one, one or none, several by name, or several that have names of their own."""
    inside = typing.get_args(annotation)
    if typing.get_origin(annotation) in (types.UnionType, typing.Union):
        annotation = inside[0]
    if typing.get_origin(annotation) is dict and _is_record(inside[1]):
        return Held(inside[1], True)
    if typing.get_origin(annotation) is tuple and _is_record(inside[0]):
        return Held(inside[0], True) if "id" in inside[0].__struct_fields__ else None
    return Held(annotation, False) if _is_record(annotation) else None


def _is_record(one: Any) -> bool:
    return isinstance(one, type) and issubclass(one, r.Record)


RECORDS = [one for one in vars(r).values() if _is_record(one) and one is not r.Record]
TABLE: dict[type, dict[str, Property]] = {}
HELD: dict[type, dict[str, Held]] = {}
for _record in RECORDS:
    _hints = typing.get_type_hints(_record, include_extras=True)
    _rows = {field.name: _said(_hints[field.name], field.default) for field in msgspec.structs.fields(_record)}
    TABLE[_record] = {_name: _row for _name, _row in _rows.items() if _row is not None}
    _inside = {_name: _held(_hint) for _name, _hint in typing.get_type_hints(_record).items()}
    HELD[_record] = {_name: _one for _name, _one in _inside.items() if _one is not None and _name not in _APART.get(_record, ())}

def sections(record: type) -> dict[str, list[str]]:
    """The rows of a record's page, by section, in the record's order."""
    found: dict[str, list[str]] = {}
    for name, known in TABLE[record].items():
        if known.row.section:
            found.setdefault(known.row.section, []).append(name)
    return found


LAMP_KINDS = TABLE[r.Lamp]["kind"].choices
PIECE_KINDS = TABLE[r.SetPiece]["kind"].choices
COPY_KINDS = TABLE[r.Copies]["kind"].choices
MOTION_KINDS = TABLE[r.Motion]["kind"].choices


def _of_input(one: Input) -> Property:
    """What is known of a node's input: a number, a colour, three numbers, or any of them."""
    kind: Any = {"number": "number", "colour": "colour", "either": "either", "direction": "either"}[one.takes]
    whole = one.decimals == 0 and one.unit == ""
    return Property(
        one.label, kind, one.unit, one.low, one.high, one.least, one.most, one.decimals, one.curve, "step" if whole else "evenly", default=one.default
    )


def _widened(known: Property, other: Property) -> Property:
    """What an input of that name can have in any kind of node."""
    kind = known.kind if known.kind == other.kind else "either"
    return msgspec.structs.replace(known, kind=kind, least=min(known.least, other.least), most=max(known.most, other.most))


# by kind of node and input; and, for addresses, which do not know the kind, by input alone
OF_NODES: dict[str, dict[str, Property]] = {kind.name: {one.name: _of_input(one) for one in kind.inputs} for kind in KINDS.values()}
NODE_INPUTS: dict[str, Property] = {}
for _inputs in OF_NODES.values():
    for _key, _known in _inputs.items():
        NODE_INPUTS[_key] = _widened(NODE_INPUTS[_key], _known) if _key in NODE_INPUTS else _known
