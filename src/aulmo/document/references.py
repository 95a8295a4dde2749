"""What a document points at: found by the annotations of the records' fields, so that no new field can be forgotten when a project is saved."""

import functools
import types
import typing
from typing import Any, Iterator

import msgspec

from aulmo.document import records as r
from aulmo.document.addresses import get
from aulmo.document.meshes import MADE
from aulmo.document.picking import every_override, with_overrides
from aulmo.errors import BadValue


class Link(typing.NamedTuple):
    """A field that names something else: what kind of thing, and the field that says when it does not."""

    field: str
    kind: str
    unless: str


def _links_in(annotation: Any) -> Iterator[tuple[str, str]]:
    for meta in getattr(annotation, "__metadata__", ()):
        extra = getattr(meta, "extra", None) or {}
        if "refers_to" in extra:
            yield extra["refers_to"], extra["unless"]
    for inner in typing.get_args(annotation):
        if not isinstance(inner, str) and inner is not Ellipsis:
            yield from _links_in(inner)


def _records_in(annotation: Any) -> bool:
    if isinstance(annotation, type) and issubclass(annotation, msgspec.Struct):
        return True
    return any(_records_in(inner) for inner in typing.get_args(annotation) if not isinstance(inner, str))


@functools.cache
def _fields(record: type) -> tuple[tuple[Link, ...], tuple[str, ...]]:
    """The links of a record, and its fields that hold records in turn."""
    hints = typing.get_type_hints(record, vars(r), include_extras=True)
    links = tuple(Link(name, kind, unless) for name, hint in hints.items() for kind, unless in _links_in(hint))
    return links, tuple(name for name, hint in hints.items() if _records_in(hint))


def records_within(record: type) -> tuple[str, ...]:
    """The fields of a record that hold records in turn."""
    return _fields(record)[1]


@functools.cache
def _leads_to(record: type, kind: str, seen: frozenset = frozenset()) -> bool:
    links, within = _fields(record)
    if any(link.kind == kind for link in links):
        return True
    hints = typing.get_type_hints(record, vars(r))
    return any(_leads_to(inner, kind, seen | {record}) for name in within for inner in _record_types(hints[name]) if inner not in seen | {record})


def _record_types(annotation: Any) -> list[type]:
    if isinstance(annotation, type) and not isinstance(annotation, types.GenericAlias) and issubclass(annotation, msgspec.Struct):
        return [annotation]
    return [found for inner in typing.get_args(annotation) if not isinstance(inner, str) for found in _record_types(inner)]


def _collect(value: Any, kind: str, into: set[str]) -> None:
    if isinstance(value, msgspec.Struct):
        if not _leads_to(type(value), kind):
            return
        links, within = _fields(type(value))
        for link in links:
            if link.kind == kind and not (link.unless and getattr(value, link.unless)):
                named = getattr(value, link.field)
                into.update(named if isinstance(named, tuple) else named.values() if isinstance(named, dict) else (named,) if named else ())
        for name in within:
            _collect(getattr(value, name), kind, into)
    elif isinstance(value, dict):
        for member in value.values():
            _collect(member, kind, into)
    elif isinstance(value, tuple):
        for member in value:
            _collect(member, kind, into)


def _linked_kind(document: r.Document, address: str) -> str:
    """What the property at an address names, or nothing."""
    above, _, field = address.rpartition("/")
    try:
        record = get(document, above) if above else document
    except BadValue:
        return ""
    return next((link.kind for link in _fields(type(record))[0] if link.field == field), "") if isinstance(record, msgspec.Struct) else ""


def references(document: r.Document, kind: str = "assets") -> set[str]:
    """Names of all "assets", "materials", "parts", "paths" or "cameras" that anything in a document points at, overrides and keys included; of
    assets those that have to be stored."""
    found: set[str] = set()
    _collect(document, kind, found)
    values = [(address, value) for _, address, value in every_override(document)]
    values += [(address, key.value) for address, keys in document.keys.items() for key in keys]
    for address, value in values:
        if isinstance(value, str) and _linked_kind(document, address) == kind:
            if kind != "assets" or not address.startswith("environment/") or "." in value:
                found.add(value)
    return {name for name in found if not name.startswith(MADE)} if kind == "assets" else found


def _exchanged(value: Any, kind: str, instead: dict[str, str]) -> Any:
    if isinstance(value, msgspec.Struct):
        if not _leads_to(type(value), kind):
            return value
        links, within = _fields(type(value))
        changed: dict[str, Any] = {}
        for link in links:
            if link.kind == kind and not (link.unless and getattr(value, link.unless)):
                named = getattr(value, link.field)
                if isinstance(named, str) and named in instead:
                    changed[link.field] = instead[named]
                elif isinstance(named, tuple) and set(named) & set(instead):
                    changed[link.field] = tuple(dict.fromkeys(instead.get(n, n) for n in named))
        for name in within:
            held = getattr(value, name)
            made = _exchanged(held, kind, instead)
            if made is not held:
                changed[name] = made
        return msgspec.structs.replace(value, **changed) if changed else value
    if isinstance(value, dict):
        made_all = {k: _exchanged(v, kind, instead) for k, v in value.items()}
        return made_all if any(made_all[k] is not value[k] for k in value) else value
    if isinstance(value, tuple):
        made_each = tuple(_exchanged(v, kind, instead) for v in value)
        return made_each if any(a is not b for a, b in zip(made_each, value)) else value
    return value


def renamed(document: r.Document, kind: str, instead: dict[str, str]) -> r.Document:
    """A document where whatever pointed at some things of a kind points at others, in overrides and keys too."""

    def other(address: str, value: Any) -> Any:
        return instead.get(value, value) if isinstance(value, str) and _linked_kind(document, address) == kind else value

    keys = {a: tuple(msgspec.structs.replace(k, value=other(a, k.value)) for k in held) for a, held in document.keys.items()}
    made = with_overrides(_exchanged(document, kind, instead), lambda own: {a: other(a, v) for a, v in own.items()})
    return msgspec.structs.replace(made, keys=keys)
