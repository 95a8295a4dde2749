"""The order in which a carton is folded: steps of creases that move together, so that no panel passes through another."""

import itertools
import time
from typing import NamedTuple, Sequence

import numpy as np
from msgspec.structs import replace

from aulmo.document.carton_records import Carton, Crease
from aulmo.document.made.carton import angle_now, eased, lying_together, placed, ready_of, shifts_of
from aulmo.document.made.carton_flat import Ready, reach
from aulmo.prepare.carton.meeting import Meeting, on_the_way

STAGES = ("glue", "body", "walls", "corners", "rims", "dust", "tuck", "lid", "flaps")
CLEAR_MM = 0.6  # by which a tuck passes the edge that it goes behind
SAMPLES = 5  # of each step
SECONDS = 3.0
LEAST_MM = 1.2  # what goes less deep bends aside


class Found(NamedTuple):
    """An order that was found: the steps (groups that move together), and what still passes through what, as (share of the way, meeting)."""

    creases: tuple[Crease, ...]
    steps: list[list[str]]
    through: list[tuple[float, Meeting]]


def first_steps(groups: Sequence[str]) -> list[list[str]]:
    """The usual order of some groups."""
    there = list(dict.fromkeys(groups))
    steps = [[g for g in there if g in ("body", "glue")], [g for g in there if g == "corners"], [g for g in there if g == "walls"],
             [g for g in there if g == "rims"]]  # fmt: skip
    for end in ("bottom", "left", "top", "right"):
        steps += [[f"{end} {role}"] for role in ("dust", "tuck", "lid") if f"{end} {role}" in there]
    known = {g for step in steps for g in step}
    return [step for step in [*steps, *[[g] for g in there if g not in known]] if step]


def timed(creases: Sequence[Crease], steps: Sequence[Sequence[str]], made: Ready | None = None) -> tuple[Crease, ...]:
    """Creases that move in the steps of their groups. Where the flat is known a tuck is led over, and comes back while its lid closes."""
    count = max(1, len(steps))
    when = {group: k for k, step in enumerate(steps) for group in step}
    led = _led_over(made) if made is not None else {}
    found = []
    for crease in creases:
        k = when.get(crease.group, 0)
        own = replace(crease, start=k / count, end=(k + 1) / count, over=0.0, back_from=1.0, back_to=1.0)
        lid = when.get(crease.group.replace("tuck", "lid"), -1)
        if crease.group.endswith("tuck") and lid > k and crease.id in led:
            over, late = led[crease.id]
            own = replace(own, over=over if crease.angle >= 0 else -over, back_from=(lid + late) / count, back_to=(lid + 1) / count)
        found.append(own)
    return tuple(found)


def _led_over(made: Ready) -> dict[str, tuple[float, float]]:
    """For each crease that another hangs beyond: degrees by which its flap is led over to go behind an edge, and from which share of the other's way
    it comes back. A lid that reaches d, still open by b, holds its tuck's tip, f long, at d cos b + f sin(b - o): that has to be less than d
    where the tip passes the edge, at sin b = f / d."""
    found = {}
    above = {h.child: h for h in made.hinges}
    for hinge in made.hinges:
        lid = above.get(hinge.parent)
        if lid is None:
            continue
        tuck = reach(np.array(made.flat.panels[hinge.child].rings[0]), hinge.at, hinge.out)
        deep = abs(float((hinge.at - lid.at) @ lid.out))
        if tuck <= 0 or deep <= 0:
            continue
        open_by = np.arcsin(min(0.9, tuck / deep))
        over = open_by - np.arcsin(np.clip((deep * (1 - np.cos(open_by)) - CLEAR_MM) / tuck, -1.0, 1.0))
        late = np.interp(1.0 - np.degrees(open_by) / 90.0, [eased(x) for x in np.linspace(0, 1, 101)], np.linspace(0, 1, 101))
        found[made.flat.creases[hinge.crease].id] = (round(float(np.degrees(max(0.0, over))), 2), float(late))
    return found


def through(made: Ready, creases: Sequence[Crease], shifts: np.ndarray, steps: int) -> list[tuple[float, Meeting]]:
    """What passes through what on the way from flat to closed."""
    held = {c.id: c for c in creases}
    own = [held[c.id] for c in made.flat.creases]
    shares = (np.arange(steps * SAMPLES) + 1) / (steps * SAMPLES)
    return on_the_way(made, lambda share: [angle_now(c, share) for c in own], list(shares[:-1]), shifts, LEAST_MM)


def find_order(carton: Carton) -> Found:
    """An order without passing through for a carton, the usual one first; where none is found in a few seconds, the one with least."""
    made = ready_of(carton)
    held = {c.id: c.angle for c in carton.creases}
    closed = tuple(held[f.id] for f in made.flat.creases)
    shifts = shifts_of(carton.flat, carton.front, round(carton.thickness, 5), closed)
    steps = first_steps([c.group for c in carton.creases])
    begun = time.monotonic()
    if not steps:
        return Found(carton.creases, [], [])

    over = _over(made, closed, carton)

    def tried(order: list[list[str]]) -> Found | None:
        when = {group: k for k, step in enumerate(order) for group in step}
        if any(when[inner] >= when[outer] for outer, inner in over):
            return None  # what lies under a lid is folded first
        creases = timed(carton.creases, order, made)
        return Found(creases, order, through(made, creases, shifts, len(order)))

    best = tried(steps) or Found(timed(carton.creases, steps, made), steps, [])
    first = 1 if "body" in steps[0] else 0  # nothing closes before there is something round it
    for one, other in itertools.combinations(range(first, len(steps)), 2):
        if not best.through or time.monotonic() - begun > SECONDS:
            break
        order = list(best.steps)
        order.insert(one, order.pop(other))
        found = tried(order)
        if found is not None and len(found.through) < len(best.through):
            best = found
    return best


def _over(made: Ready, closed: Sequence[float], carton: Carton) -> set[tuple[str, str]]:
    """Pairs of groups (outer, inner) of which the one lies on the other when the carton is closed, where both hang on the body."""
    groups = {c.id: c.group for c in carton.creases}
    own = {h.child: groups[made.flat.creases[h.crease].id] for h in made.hinges}
    lie = lying_together(made, placed(made, np.array(closed), np.zeros(len(made.flat.panels))), carton.thickness)
    pairs = {(own.get(outer, "body"), own.get(inner, "body")) for outer, inner, _ in lie}
    flaps = lambda group: group.endswith(("dust", "lid"))  # noqa: E731
    return {(outer, inner) for outer, inner in pairs if flaps(outer) and flaps(inner) and outer != inner}
