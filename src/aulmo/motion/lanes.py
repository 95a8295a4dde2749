"""The lanes of the film as they are read: one for each thing that moves, one for each of its properties when it is unfolded."""

from typing import NamedTuple

import numpy as np

from aulmo.document.moving.tracks import Track, track
from aulmo.document.properties import about, owner_of
from aulmo.document.property_table import MOTION_KINDS
from aulmo.document.quantity import show
from aulmo.document.records import Document, Triple
from aulmo.errors import BadValue
from aulmo.motion.keys import SAME
from aulmo.motion.recording import thing_of

KINDS = ("cameras", "parts", "materials", "decals", "lamps", "softboxes", "environment", "backdrop", "floor")


class Lane(NamedTuple):
    """A lane: what it is of ("reel", a thing's address, a property's address, or "group/<id>"), its words, the keys and motions in it. `level` is
    0 for a thing, 1 for a property of it; `stripe` the colour of its group."""

    of: str
    title: str
    note: str
    addresses: tuple[str, ...] = ()
    motions: tuple[str, ...] = ()
    level: int = 0
    stripe: Triple | None = None
    folds: bool = False
    open: bool = False


def name_of(document: Document, thing: str) -> str:
    """A thing's name in words; what has gone is told as gone."""
    try:
        name = owner_of(document, f"environment/{thing}/stops" if thing.startswith("softboxes/") else thing)
    except BadValue:
        return "Something that is gone"
    return name[:1].upper() + name[1:]


def lanes(document: Document, unfolded: frozenset[str] = frozenset(), only: frozenset[str] | None = None, find: str = "") -> list[Lane]:
    """The lanes of a document from top to bottom. `unfolded` are things whose properties are shown, `only` leaves others out, `find` is typed."""
    keyed: dict[str, list[str]] = {}
    for address in document.keys:
        keyed.setdefault(thing_of(address), []).append(address)
    worn: dict[str, list[str]] = {}
    for motion in document.motions.values():
        for thing in motion.wears:
            worn.setdefault(thing, []).append(motion.id)
    order = {part: k for k, part in enumerate(document.parts)}

    def rank(thing: str) -> tuple:
        kind, _, name = thing.partition("/")
        return (KINDS.index(kind) if kind in KINDS else len(KINDS), order.get(name, 0))

    things = sorted(dict.fromkeys([*keyed, *worn]), key=rank)
    wanted = find.strip().lower()
    if only is not None:
        things = [t for t in things if t in only]
    made: list[Lane] = []

    def add(thing: str, stripe: Triple | None) -> None:
        addresses, motions = tuple(keyed.get(thing, ())), tuple(worn.get(thing, ()))
        title = name_of(document, thing)
        note = note_of(document, addresses, motions)
        if wanted and wanted not in f"{title} {note}".lower():
            return
        folds = len(addresses) > 1 or bool(addresses and motions)
        is_open = folds and thing in unfolded
        made.append(Lane(thing, title, note, addresses, motions, 0, stripe, folds, is_open))
        if is_open:
            made.extend(Lane(a, about(a).label, value_words(document, a), (a,), (), 1, stripe) for a in addresses)

    grouped: set[str] = set()
    for group in document.film.groups:
        inside = [t for t in things if t in group.lanes and t not in grouped]
        grouped.update(inside)
        if not inside:
            continue
        note = f"{len(inside)} lanes" if len(inside) > 1 else "1 lane"
        held = tuple(a for t in inside for a in keyed.get(t, ()))
        made.append(Lane(f"group/{group.id}", group.name, note, held, (), 0, group.colour, True, not group.folded))
        if not group.folded:
            for thing in inside:
                add(thing, group.colour)
    for thing in things:
        if thing not in grouped:
            add(thing, None)
    return made


def note_of(document: Document, addresses: tuple[str, ...], motions: tuple[str, ...]) -> str:
    """What moves of a thing, in a few words."""
    words = [about(a).label.lower() for a in addresses]
    words += [MOTION_KINDS[document.motions[m].kind].lower() for m in motions]
    rests = [k.time for a in addresses for k in document.keys[a] if k.rest > 0]
    if rests:
        words.append(f"rests at {show(rests[0], 's', 1)}")
    return " · ".join(dict.fromkeys(words))


def value_words(document: Document, address: str) -> str:
    """From where to where a property goes, in words."""
    keys = document.keys.get(address, ())
    known = about(address)
    if not keys or known.kind not in ("number", "whole"):
        return f"{len(keys)} keys" if len(keys) != 1 else "1 key"
    values = [float(k.value) for k in keys if isinstance(k.value, (int, float))]
    low, high = min(values), max(values)
    return show(low, known.unit, known.decimals) if low == high else f"{show(low, '', known.decimals)} to {show(high, known.unit, known.decimals)}"


def line_of(document: Document, address: str, times: np.ndarray) -> np.ndarray:
    """(n,) heights 0..1 of a property's value at times, as a line to be read: a number as it is, a place by how far it lies from where it begins."""
    keys = document.keys[address]
    known = track(address, keys)
    values = np.array([_number(known, known.at(float(t))) for t in times])
    ends = np.array([_number(known, v) for v in known.values])
    low, high = float(min(values.min(initial=np.inf), ends.min())), float(max(values.max(initial=-np.inf), ends.max()))
    return np.full(len(times), 0.5) if high - low < 1e-12 else (values - low) / (high - low)


def heights(document: Document, address: str) -> list[float]:
    """Heights 0..1 of the keys of a property on its line."""
    keys = document.keys[address]
    return [float(v) for v in line_of(document, address, np.array([k.time for k in keys]))]


def _number(known: Track, value) -> float:
    if isinstance(value, tuple):
        first = np.array(known.values[0], float) if isinstance(known.values[0], tuple) else np.full(3, float(known.values[0]))
        ends = np.array([v if isinstance(v, tuple) else (v, v, v) for v in known.values], float) - first
        far = ends[int(np.argmax(np.linalg.norm(ends, axis=1)))]
        length = float(np.linalg.norm(far))
        return float((np.array(value) - first) @ far) / length if length > 1e-12 else 0.0
    if isinstance(value, bool):
        return float(value)
    if isinstance(value, (int, float)):
        if known.property.change == "stops" and value > 0:
            return float(np.log2(value))
        return float(value)
    return float(known.values.index(value)) if value in known.values else 0.0


def key_times(document: Document, addresses: tuple[str, ...]) -> list[float]:
    """The times at which any of some properties has a key, in order, each once."""
    times = sorted(k.time for a in addresses for k in document.keys.get(a, ()))
    return [t for k, t in enumerate(times) if k == 0 or t - times[k - 1] > SAME]

