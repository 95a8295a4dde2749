"""Lamps by a copies rule: a ceiling of downlights from one of them, in a row, a grid or a ring. A made lamp is called `<lamp>:<number>`; the lamp
itself is the first."""

import numpy as np
from msgspec.structs import replace

from aulmo.document import records as r
from aulmo.document.made import spreads
from aulmo.document.placement import angles_of, turn_matrix

KINDS = ("row", "grid", "ring")
MOST = 5000


def with_lamps(document: r.Document) -> r.Document:
    """The document with the lamps that copies rules make; the same object when no lamp has one. Each is moved as the rule says in the axes that
    the lamp stands in, round a ring about its centre; one that is hidden is off."""
    if not any(lamp.copies is not None for lamp in document.lamps.values()):
        return document
    lamps: dict[str, r.Lamp] = {}
    for lamp_id, lamp in document.lamps.items():
        lamps[lamp_id] = replace(lamp, copies=None) if lamp.copies is not None else lamp
        if lamp.copies is not None and lamp.copies.kind in KINDS:
            lamps.update(made(lamp, lamp.copies))
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
