"""Lamps by a copies rule: a ceiling of downlights from one of them, in a row, a grid or a ring. A made lamp is called `<lamp>:<number>`; the lamp
itself is the first. A lamp that stays with a part which a rule copies shines from each of the copies, `<lamp>:<copy>`, by its one setting."""

import numpy as np
from msgspec.structs import replace

from aulmo.document import records as r
from aulmo.document.branches import is_shown
from aulmo.document.made import spreads
from aulmo.document.made.copies import source_of
from aulmo.document.placement import angles_of, turn_matrix

KINDS = ("row", "grid", "ring")
MOST = 5000


def with_lamps(document: r.Document) -> r.Document:
    """The document with the lamps that copies rules make; the same object when no lamp has one. Each is moved as the rule says in the axes that
    the lamp stands in, round a ring about its centre; one that is hidden is off."""
    document = _with_copied_parts(document)
    if not any(lamp.copies is not None for lamp in document.lamps.values()):
        return document
    lamps: dict[str, r.Lamp] = {}
    for lamp_id, lamp in document.lamps.items():
        lamps[lamp_id] = replace(lamp, copies=None) if lamp.copies is not None else lamp
        if lamp.copies is not None and lamp.copies.kind in KINDS:
            lamps.update(made(lamp, lamp.copies))
    return replace(document, lamps=lamps)


def _with_copied_parts(document: r.Document) -> r.Document:
    """The document with a lamp for each copy of a part that one stays with, and without that of the part itself, which is out of sight."""
    held = {lamp.part for lamp in document.lamps.values() if lamp.stays_with == "part" and lamp.part}
    copies: dict[str, list[str]] = {}
    for part_id in document.parts if held else ():
        if ":" in part_id and (source := source_of(document, part_id)) in held:
            copies.setdefault(source, []).append(part_id)
    if not copies:
        return document
    lamps: dict[str, r.Lamp] = {}
    for lamp_id, lamp in document.lamps.items():
        around = copies.get(lamp.part or "", []) if lamp.stays_with == "part" else []
        if not around:
            lamps[lamp_id] = lamp
        for n, part_id in enumerate(around, 1):
            name = f"{lamp.name} {n}" if n > 1 else lamp.name
            on = lamp.on and is_shown(document, part_id)
            lamps[f"{lamp_id}:{part_id}"] = replace(lamp, id=f"{lamp_id}:{part_id}", name=name, part=part_id, on=on)
    return replace(document, lamps=lamps)


def made(lamp: r.Lamp, rule: r.Copies) -> dict[str, r.Lamp]:
    """The lamps that a rule makes of one, without itself, by id."""
    rule = replace(rule, count=min(rule.count, MOST))
    if rule.kind == "ring":
        spread = spreads.ring(rule, np.array(lamp.position))
    else:
        spread = spreads.row(rule) if rule.kind == "row" else spreads.grid(rule)
    own, at = turn_matrix(lamp.turn), np.array(lamp.position)
    found = {}
    for n in range(1, len(spread.points)):
        x, y, z = (spread.turns[n] @ at + spread.points[n]).tolist()
        a, b, c = angles_of((spread.turns[n] @ own)[None])[0].tolist()
        found[f"{lamp.id}:{n}"] = replace(
            lamp, id=f"{lamp.id}:{n}", name=f"{lamp.name} {n + 1}", position=(x, y, z), turn=(a, b, c), copies=None,
            on=lamp.on and n not in rule.hidden,
        )  # fmt: skip
    return found
