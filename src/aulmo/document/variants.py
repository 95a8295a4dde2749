"""Variants: a project for some choices, and edits of the axes and choices themselves; what is picked is in `picking`."""

import itertools
from typing import Any, Callable, Iterable, Mapping

from msgspec.structs import replace

from aulmo.document.branches import free_name, new_id
from aulmo.document.picking import (
    axis_of as axis_of,
    choice_of as choice_of,
    every_override as every_override,
    find_choice as find_choice,
    in_full as in_full,
    overrides_of as overrides_of,
    picked as picked,
    shot_for as shot_for,
    shot_in as shot_in,
    told as told,
    with_overrides as with_overrides,
)
from aulmo.document.properties import about, accepted, get, is_there, put_many, with_values
from aulmo.document.records import Document
from aulmo.document.references import references
from aulmo.document.variant_records import Axis, Choice, Refused
from aulmo.errors import BadValue

MOST_CELLS = 10_000


def chosen(document: Document, choices: Mapping[str, str]) -> Document:
    """A stored document that is the base for some choices: what they change is its own, and all its shots are of them. Raises BadValue."""
    named = {name: choice for name, choice in choices.items() if name != "shot"}
    if not named:
        return document
    found = picked(document, named)
    values: dict[str, Any] = {}
    for _, choice in found:
        values.update(choice.overrides)
    axes = {axis_of(document, name).id for name in named}
    shots = tuple(replace(s, picks={a: c for a, c in s.picks.items() if a not in axes}) if s.picks else s for s in document.shots)
    return replace(with_values(document, values), shots=shots)


# edits of axes and choices


def _checked(name: str, others: Iterable[str], what: str) -> str:
    name = name.strip()
    if not name:
        raise BadValue(f"{what} needs a name.")
    if "=" in name or "," in name:
        raise BadValue(f"{what} cannot have “=” or “,” in its name: choices are told as Colour=Pine,Set=Night.")
    if name.lower() == "shot" or name.lower() in {o.lower() for o in others}:
        raise BadValue(f"There is a {name} already.")
    return name


def put_axis(document: Document, axis: Axis) -> Document:
    """The document with an axis, new or in the place of its old self."""
    if any(a.id == axis.id for a in document.axes):
        return replace(document, axes=tuple(axis if a.id == axis.id else a for a in document.axes))
    return replace(document, axes=(*document.axes, axis))


def add_axis(document: Document, name: str) -> tuple[Document, str]:
    """A new axis without choices; returns its id. Raises BadValue."""
    axis = Axis(new_id(), _checked(name, (a.name for a in document.axes), "An axis"))
    return put_axis(document, axis), axis.id


def put_choice(document: Document, axis_id: str, choice: Choice) -> Document:
    """The document with a choice, new at the end of its axis or in the place of its old self."""
    axis = axis_of(document, axis_id)
    held = any(c.id == choice.id for c in axis.choices)
    choices = tuple(choice if c.id == choice.id else c for c in axis.choices) if held else (*axis.choices, choice)
    return put_axis(document, replace(axis, choices=choices))


def add_choice(document: Document, axis_id: str, name: str, overrides: Mapping[str, Any] = {}) -> tuple[Document, str]:
    """A new choice; returns its id. Raises BadValue when an address is not there or cannot have its value."""
    axis = axis_of(document, axis_id)
    choice = Choice(new_id(), _checked(name, (c.name for c in axis.choices), axis.name), checked(document, overrides))
    return put_choice(document, axis.id, choice), choice.id


def checked(document: Document, overrides: Mapping[str, Any]) -> dict[str, Any]:
    """Overrides as records hold them. Raises BadValue with one sentence."""
    found = {}
    for address, value in overrides.items():
        get(document, address)
        known = about(address)
        if known.kind == "many":
            raise BadValue(f"{known.label} cannot differ between choices.")
        found[address] = accepted(known, value)
    return found


def rename_axis(document: Document, axis_id: str, name: str) -> Document:
    """An axis by another name. Raises BadValue."""
    axis = axis_of(document, axis_id)
    return put_axis(document, replace(axis, name=_checked(name, (a.name for a in document.axes if a.id != axis.id), "An axis")))


def rename_choice(document: Document, choice_id: str, name: str) -> Document:
    """A choice by another name. Raises BadValue."""
    axis, choice = find_choice(document, choice_id)
    return put_choice(document, axis.id, replace(choice, name=_checked(name, (c.name for c in axis.choices if c.id != choice_id), axis.name)))


def duplicate_choice(document: Document, choice_id: str) -> tuple[Document, str]:
    """A copy of a choice after it; returns its id."""
    axis, choice = find_choice(document, choice_id)
    copy = replace(choice, id=new_id(), name=free_name(choice.name, (c.name for c in axis.choices)))
    at = axis.choices.index(choice) + 1
    return put_axis(document, replace(axis, choices=(*axis.choices[:at], copy, *axis.choices[at:]))), copy.id


def move_axis(document: Document, axis_id: str, by: int) -> Document:
    """An axis so many places later; those that come later count before earlier ones."""
    order = list(document.axes)
    at = order.index(axis_of(document, axis_id))
    order.insert(max(0, min(len(order) - 1, at + by)), order.pop(at))
    return replace(document, axes=tuple(order))


def move_choice(document: Document, choice_id: str, by: int) -> Document:
    """A choice so many places later along its axis."""
    axis, choice = find_choice(document, choice_id)
    order = [c for c in axis.choices if c.id != choice_id]
    order.insert(max(0, min(len(order), axis.choices.index(choice) + by)), choice)
    return put_axis(document, replace(axis, choices=tuple(order)))


def _without_picks(document: Document, gone: Callable[[str, str], bool]) -> Document:
    refused = tuple(r for r in document.refused if not any(gone(a, c) for a, c in r.picks.items()))
    shots = tuple(replace(s, picks={a: c for a, c in s.picks.items() if not gone(a, c)}) if s.picks else s for s in document.shots)
    return replace(document, refused=refused, shots=shots)


def _without_made_for(document: Document, choice_ids: set[str]) -> Document:
    """The document without materials that were made for choices which are gone, where nothing wears them."""
    made = [i for i, m in document.materials.items() if m.made_for in choice_ids]
    if not made:
        return document
    worn = references(document, "materials")
    return replace(document, materials={i: m for i, m in document.materials.items() if i not in made or i in worn})


def remove_choice(document: Document, choice_id: str) -> Document:
    """The document without a choice, what it held, and materials made for it alone."""
    axis, _ = find_choice(document, choice_id)
    document = put_axis(document, replace(axis, choices=tuple(c for c in axis.choices if c.id != choice_id)))
    return _without_made_for(_without_picks(document, lambda a, c: c == choice_id), {choice_id})


def remove_axis(document: Document, axis_id: str) -> Document:
    """The document without an axis and its choices."""
    axis = axis_of(document, axis_id)
    document = replace(document, axes=tuple(a for a in document.axes if a.id != axis.id))
    return _without_made_for(_without_picks(document, lambda a, c: a == axis.id), {c.id for c in axis.choices})


def refuse(document: Document, picks: Mapping[str, str], on: bool = True) -> Document:
    """Say that a combination (ids of axes and of their choices, two or more) is not offered, or is again."""
    if len(picks) < 2:
        raise BadValue("A combination needs choices along two axes.")
    kept = tuple(r for r in document.refused if r.picks != dict(picks))
    return replace(document, refused=(*kept, Refused(dict(picks))) if on else kept)


def is_refused(document: Document, choices: Mapping[str, str]) -> bool:
    """Whether a variant holds a combination that is not offered."""
    if not document.refused:
        return False
    picks = {axis.id: choice.id for axis, choice in picked(document, choices)}
    return any(r.picks and all(picks.get(a) == c for a, c in r.picks.items()) for r in document.refused)


# what one choice holds


def put_override(document: Document, choice_id: str, values: Mapping[str, Any]) -> Document:
    """The document in which a choice has values of its own at addresses. Raises BadValue."""
    axis, choice = find_choice(document, choice_id)
    return put_choice(document, axis.id, replace(choice, overrides={**choice.overrides, **checked(document, values)}))


def take_back(document: Document, choice_id: str, addresses: Iterable[str]) -> Document:
    """The document in which a choice has the base's values at addresses."""
    gone = set(addresses)
    axis, choice = find_choice(document, choice_id)
    return put_choice(document, axis.id, replace(choice, overrides={a: v for a, v in choice.overrides.items() if a not in gone}))


def to_base(document: Document, choice_id: str, addresses: Iterable[str]) -> Document:
    """The document in which what a choice has at addresses is the base's: all see it that have nothing of their own there. Raises BadValue."""
    _, choice = find_choice(document, choice_id)
    values = {a: choice.overrides[a] for a in addresses if a in choice.overrides}
    return take_back(put_many(document, values), choice_id, values)


# combinations


def count(document: Document, axes: Iterable[str]) -> int:
    """How many combinations there are of all choices along axes, refused ones too."""
    found = 1
    for name in axes:
        found *= max(1, len(axis_of(document, name).choices))
    return found


def every(document: Document, axes: Iterable[str], fixed: Mapping[str, str] = {}) -> list[dict[str, str]]:
    """All combinations along axes, as {axis: choice} of names, the last axis fastest, those left out that are not offered. Raises BadValue."""
    wanted = [axis_of(document, name) for name in axes]
    if len({a.id for a in wanted}) < len(wanted):
        raise BadValue("An axis is named twice.")
    for axis in wanted:
        if not axis.choices:
            raise BadValue(f"{axis.name} has no choices yet.")
    if count(document, (a.id for a in wanted)) > MOST_CELLS:
        raise BadValue(f"That would be more than {MOST_CELLS:,} variants; take fewer axes.")
    base = {axis_of(document, name).name: choice for name, choice in fixed.items() if name != "shot"}
    rows = itertools.product(*([(axis.name, c.name) for c in axis.choices] for axis in wanted))
    found = [{**base, **dict(row)} for row in rows]
    return [row for row in found if not is_refused(document, row)]


def differences(document: Document, one: Mapping[str, str], other: Mapping[str, str]) -> list[tuple[str, Any, Any]]:
    """By address what differs between two variants, with both values."""
    first, second = overrides_of(document, one), overrides_of(document, other)
    found = []
    for address in dict.fromkeys((*first, *second)):
        if not is_there(document, address):
            continue
        base = get(document, address)
        a, b = first.get(address, base), second.get(address, base)
        if a != b:
            found.append((address, a, b))
    return found
