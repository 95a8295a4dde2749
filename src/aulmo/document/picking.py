"""What is picked of a product that comes in several: choices along axes, and what they and shots hold by address.

A choice names what it changes by address, so whatever it does not name follows the base. Where several choices that are picked name one property, the
axis that comes later counts; a shot's own values count before all.
"""

from typing import Any, Callable, Iterator, Mapping

from msgspec.structs import replace

from aulmo.document.records import Document, Shot
from aulmo.document.variant_records import Axis, Choice
from aulmo.errors import BadValue


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
