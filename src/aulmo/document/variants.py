"""Variants: what a project is like for some choices, and edits of the axes and choices themselves.

A choice names what it changes by address, so whatever it does not name follows the base. Where several choices that are picked name one property, the
axis that comes later counts; a shot's own values count before all.
"""

import itertools
from typing import Any, Callable, Iterable, Iterator, Mapping

from msgspec.structs import replace

from aulmo.document.records import Document, Shot
from aulmo.document.variant_records import Axis, Choice, Refused
from aulmo.errors import BadValue

MOST_CELLS = 10_000


def axis_of(document: Document, name: str) -> Axis:
    """The axis of a name or id. Raises BadValue."""
    found = next((a for a in document.axes if a.id == name), None) or next((a for a in document.axes if a.name.lower() == name.lower()), None)
    if found is None:
        there = ", ".join(["shot", *(a.name for a in document.axes)])
        raise BadValue(f"There is no choice named {name}; there is {there}.")
    return found


def choice_of(axis: Axis, name: str) -> Choice:
    """The choice of a name or id along an axis. Raises BadValue."""
    found = next((c for c in axis.choices if c.id == name), None) or next((c for c in axis.choices if c.name.lower() == name.lower()), None)
    if found is None:
        raise BadValue(f"There is no {axis.name} named {name}; there is {', '.join(c.name for c in axis.choices) or 'none yet'}.")
    return found


def find_choice(document: Document, choice_id: str) -> tuple[Axis, Choice]:
    """A choice by its id, with its axis. Raises BadValue when it is gone."""
    for axis in document.axes:
        for choice in axis.choices:
            if choice.id == choice_id:
                return axis, choice
    raise BadValue("That choice is gone.")


def shot_in(document: Document, choices: Mapping[str, str]) -> Shot | None:
    """The shot that some choices name, by its id; None when they name none. Raises BadValue."""
    wanted = choices.get("shot")
    if wanted is None:
        return None
    found = next((s for s in document.shots if s.id == wanted), None)
    if found is None:
        raise BadValue(f"There is no shot with the id {wanted}.")
    return found


def picked(document: Document, choices: Mapping[str, str] | None) -> list[tuple[Axis, Choice]]:
    """What is picked along each axis, in the order of the axes: as named, else as the shot has it. Nothing is the base. Raises BadValue."""
    choices = choices or {}
    if not document.axes and all(axis == "shot" for axis in choices):
        shot_in(document, choices)
        return []
    shot = shot_in(document, choices)
    wanted = dict(shot.picks) if shot is not None else {}
    for name, choice in choices.items():
        if name != "shot":
            wanted[axis_of(document, name).id] = choice
    return [(axis, choice_of(axis, wanted[axis.id])) for axis in document.axes if wanted.get(axis.id)]


def in_full(document: Document, picks: Mapping[str, str]) -> dict[str, str]:
    """Picks by the ids of axes with every axis told, the base too, so that none follows what a shot has picked."""
    return {axis.id: picks.get(axis.id, "") for axis in document.axes}


def overrides_of(document: Document, choices: Mapping[str, str] | None) -> dict[str, Any]:
    """What differs from the base by address for some choices. Raises BadValue for a choice there is not."""
    found: dict[str, Any] = {}
    for _, choice in picked(document, choices):
        found.update(choice.overrides)
    shot = shot_in(document, choices or {})
    return found | shot.overrides if shot is not None else found


def chosen(document: Document, choices: Mapping[str, str]) -> Document:
    """A stored document that is the base for some choices: what they change is its own, and all its shots are of them. Raises BadValue."""
    from aulmo.document.properties import with_values

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


def shot_for(document: Document, choices: Mapping[str, str]) -> Shot | None:
    """The shot that a choice brings along, of several the last axis's."""
    own = [c.shot for _, c in picked(document, choices) if c.shot]
    return next((s for s in document.shots if own and s.id == own[-1]), None)


def told(document: Document, choices: Mapping[str, str]) -> str:
    """A variant in words: "Pine · Brass"; "Base" where nothing is picked."""
    return " · ".join(choice.name for _, choice in picked(document, choices)) or "Base"


def with_overrides(document: Document, change: Callable[[dict[str, Any]], dict[str, Any]]) -> Document:
    """The document with what shots and choices hold by address changed; the very same one when nothing is."""
    shots = tuple(replace(s, overrides=change(s.overrides)) if s.overrides else s for s in document.shots)
    axes = tuple(
        replace(a, choices=tuple(replace(c, overrides=change(c.overrides)) if c.overrides else c for c in a.choices)) for a in document.axes
    )
    return document if shots == document.shots and axes == document.axes else replace(document, shots=shots, axes=axes)


def every_override(document: Document) -> Iterator[tuple[str, str, Any]]:
    """All that shots and choices hold: whose it is, the address, the value."""
    for shot in document.shots:
        for address, value in shot.overrides.items():
            yield f"the shot {shot.name}", address, value
    for axis in document.axes:
        for choice in axis.choices:
            for address, value in choice.overrides.items():
                yield f"{axis.name} {choice.name}", address, value


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


def _new_id() -> str:
    from aulmo.document.edits import new_id

    return new_id()


def put_axis(document: Document, axis: Axis) -> Document:
    """The document with an axis, new or in the place of its old self."""
    if any(a.id == axis.id for a in document.axes):
        return replace(document, axes=tuple(axis if a.id == axis.id else a for a in document.axes))
    return replace(document, axes=(*document.axes, axis))


def add_axis(document: Document, name: str) -> tuple[Document, str]:
    """A new axis without choices; returns its id. Raises BadValue."""
    axis = Axis(_new_id(), _checked(name, (a.name for a in document.axes), "An axis"))
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
    choice = Choice(_new_id(), _checked(name, (c.name for c in axis.choices), axis.name), checked(document, overrides))
    return put_choice(document, axis.id, choice), choice.id


def checked(document: Document, overrides: Mapping[str, Any]) -> dict[str, Any]:
    """Overrides as records hold them. Raises BadValue with one sentence."""
    from aulmo.document.properties import about, accepted, get

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
    from aulmo.document.edits import free_name

    axis, choice = find_choice(document, choice_id)
    copy = replace(choice, id=_new_id(), name=free_name(choice.name, (c.name for c in axis.choices)))
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
    from aulmo.document.references import references

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
    from aulmo.document.properties import put_many

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
    from aulmo.document.properties import get, is_there

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
