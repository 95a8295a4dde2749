"""Edits of keys: set, take away, move, copy, stretch, turn round, line up. Chosen keys are pairs of an address and a time in seconds."""

import math
from typing import Any, Callable, Iterable

from msgspec.structs import replace

from aulmo.document.moving.tracks import track
from aulmo.document.properties import about, accepted, get, put
from aulmo.document.records import Document, Key
from aulmo.errors import BadValue

Chosen = tuple[str, float]
SAME = 5e-4  # seconds within which two times are one
MOST_KEYS = 1_000_000
ROOTS = ("parts", "materials", "cameras", "lamps", "environment", "backdrop", "floor", "decals", "finishes")
EASES = {
    "even": {"before": "even", "after": "even"}, "eased": {"before": "eased", "after": "eased"}, "smooth": {"before": "smooth", "after": "smooth"},
    "held": {"before": "even", "after": "held"}, "sprung": {"before": "even", "after": "sprung"}, "bent": {"before": "even", "after": "bent"},
}  # fmt: skip


def keyable(address: str) -> bool:
    """Whether keys can hold a property: what says how something looks or where it is, not how it is called or what it hangs on."""
    try:
        known = about(address)
    except BadValue:
        return False
    kept = ("name", "locked", "solo", "keeps_target", "kind", "part")
    return address.split("/")[0] in ROOTS and known.kind not in ("text", "many") and address.split("/")[-1] not in kept


def near(keys: Iterable[Key], time: float) -> Key | None:
    """The key at a time, if there is one."""
    return next((k for k in keys if abs(k.time - time) < SAME), None)


def put_keys(document: Document, address: str, keys: Iterable[Key]) -> Document:
    """The document with these keys, in any order, at an address, of two at one time the later named; none takes the address out."""
    held: dict[float, Key] = {}
    for key in sorted(keys, key=lambda k: k.time):
        last = next(reversed(held), None)
        if last is not None and abs(last - key.time) < SAME:
            del held[last]
        held[key.time] = key
    if not held:
        return replace(document, keys={a: k for a, k in document.keys.items() if a != address})
    return replace(document, keys={**document.keys, address: tuple(held.values())})


def add_key(document: Document, address: str, time: float, value: Any, ease: str = "eased", **more: Any) -> Document:
    """The document with a key; one at the same time is replaced. `ease` : "even", "eased", "smooth", "held", "sprung" or "bent"; `more` are other
    fields of the key. Raises BadValue."""
    get(document, address)
    if not keyable(address):
        raise BadValue(f"{about(address).label} cannot be keyed.")
    if ease not in EASES:
        raise BadValue(f"A key can be {', '.join(EASES)}.")
    if isinstance(time, bool) or not isinstance(time, (int, float)) or not math.isfinite(time) or abs(time) > 1e5:
        raise BadValue("A key needs a time in seconds.")
    if sum(map(len, document.keys.values())) >= MOST_KEYS:
        raise BadValue(f"A film takes up to {MOST_KEYS:,} keys.".replace(",", " "))
    key = Key(float(time), accepted(about(address), value), **{**EASES[ease], **more})  # type: ignore[arg-type]
    held = document.keys.get(address, ())
    return put_keys(document, address, [*(k for k in held if abs(k.time - time) >= SAME), key])


def set_value(document: Document, address: str, time: float, value: Any, ease: str = "eased") -> Document:
    """The document where a property has a value at a time: the key there gets it, with its ways as they were; else a new one. Raises BadValue."""
    held = document.keys.get(address, ())
    found = near(held, time)
    if found is None:
        more = {"way": "arc"} if about(address).kind == "vector" and about(address).unit == "mm" else {}
        return add_key(document, address, time, value, ease, **more)
    changed = replace(found, value=accepted(about(address), value))
    return put_keys(document, address, [changed if k is found else k for k in held])


def by_address(chosen: Iterable[Chosen]) -> dict[str, list[float]]:
    """The times of chosen keys by what they are keys of."""
    by: dict[str, list[float]] = {}
    for address, time in chosen:
        by.setdefault(address, []).append(time)
    return by


def is_among(key: Key, times: list[float]) -> bool:
    """Whether a key stands at one of some times."""
    return any(abs(key.time - t) < SAME for t in times)


def remove_keys(document: Document, chosen: Iterable[Chosen]) -> Document:
    """The document without some keys. A property whose last key goes keeps the value that it had."""
    for address, times in by_address(chosen).items():
        held = document.keys.get(address, ())
        kept = [k for k in held if not is_among(k, times)]
        if held and not kept:
            document = put(document, address, held[0].value)
        document = put_keys(document, address, kept)
    return document


def change_keys(document: Document, chosen: Iterable[Chosen], **fields: Any) -> Document:
    """The document with other fields of some keys."""
    return _changed(document, chosen, lambda k: replace(k, **fields))


def _changed(document: Document, chosen: Iterable[Chosen], change: Callable[[Key], Key]) -> Document:
    for address, times in by_address(chosen).items():
        document = put_keys(document, address, [change(k) if is_among(k, times) else k for k in document.keys.get(address, ())])
    return document


def retimed(document: Document, chosen: Iterable[Chosen], when, copy: bool = False, turned: bool = False) -> tuple[Document, list[Chosen]]:
    """The document with other times of some keys; `turned` swaps what comes before a key and after it. Returns what is chosen then."""
    now: list[Chosen] = []
    for address, times in by_address(chosen).items():
        held = document.keys.get(address, ())
        moving = [k for k in held if is_among(k, times)]
        new = [replace(k, time=when(k)) for k in moving]
        if turned:
            new = _turned(moving, new)
        stay = list(held) if copy else [k for k in held if not any(k is m for m in moving)]
        landed = [k.time for k in new]
        stay = [k for k in stay if not is_among(k, landed)]
        document = put_keys(document, address, [*stay, *new])
        now += [(address, k.time) for k in new]
    return document, now


def _turned(keys: list[Key], new: list[Key]) -> list[Key]:
    """Keys run backward: what led from one to the next leads from the next to the one."""
    found = []
    for k, key in enumerate(keys):
        back = keys[k - 1] if k else key
        after = key.before if back.after not in ("held", "sprung", "bent") or not k else back.after
        before = key.after if key.after in ("even", "eased", "smooth") else "even"
        x1, y1, x2, y2 = back.bend
        found.append(replace(new[k], before=before, after=after, bend=(1 - x2, 1 - y2, 1 - x1, 1 - y1), way=back.way, via=back.via if k else None))
    return found


def move_keys(document: Document, chosen: Iterable[Chosen], by: float, copy: bool = False) -> tuple[Document, list[Chosen]]:
    """Some keys `by` seconds later; those they come to lie on are replaced. Returns the document and what is chosen then."""
    return retimed(document, chosen, lambda k: round(k.time + by, 9), copy)


def stretch(document: Document, chosen: Iterable[Chosen], about_time: float, factor: float) -> tuple[Document, list[Chosen]]:
    """The gaps of some keys from a time taken by a factor, rests too. Raises BadValue."""
    if not math.isfinite(factor) or factor <= 1e-4:
        raise BadValue("Keys cannot be stretched to nothing.")
    chosen = list(chosen)
    document = _changed(document, chosen, lambda k: replace(k, rest=k.rest * factor))
    return retimed(document, chosen, lambda k: round(about_time + (k.time - about_time) * factor, 9))


def reverse(document: Document, chosen: Iterable[Chosen]) -> tuple[Document, list[Chosen]]:
    """Some keys backward in time, between the first and the last of them."""
    chosen = list(chosen)
    if not chosen:
        return document, []
    low, high = min(t for _, t in chosen), max(t for _, t in chosen)
    return retimed(document, chosen, lambda k: round(low + high - k.time, 9), turned=True)


def mirror(document: Document, chosen: Iterable[Chosen]) -> tuple[Document, list[Chosen]]:
    """Some keys and, after the last of them, the same backward: there and back again."""
    chosen = list(chosen)
    if not chosen:
        return document, []
    high = max(t for _, t in chosen)
    before = document
    document, now = retimed(document, chosen, lambda k: round(2 * high - k.time, 9), copy=True, turned=True)
    for address in {a for a, _ in chosen}:
        last = near(before.keys.get(address, ()), high)
        if last is not None:  # the last one itself is only once there, and goes on as it came
            made = near(document.keys[address], high)
            assert made is not None
            document = put_keys(document, address, [replace(made, before=last.before) if k is made else k for k in document.keys[address]])
    return document, [*chosen, *now]


def align(document: Document, chosen: Iterable[Chosen], time: float) -> tuple[Document, list[Chosen]]:
    """The first chosen key of each property at one time, the others of it as far after as they were."""
    firsts: dict[str, float] = {}
    chosen = list(chosen)
    for address, at in chosen:
        firsts[address] = min(at, firsts.get(address, at))
    now: list[Chosen] = []
    for address, first in firsts.items():
        document, found = move_keys(document, [c for c in chosen if c[0] == address], time - first)
        now += found
    return document, now


def ripple(document: Document, from_time: float, by: float) -> Document:
    """All that comes after a time `by` seconds later: keys, motions, cuts, markers, and the film's end. Raises BadValue where it would run over what
    stands before."""
    last = max((k.time for keys in document.keys.values() for k in keys if k.time < from_time - SAME), default=-math.inf)
    first = min((k.time for keys in document.keys.values() for k in keys if k.time >= from_time - SAME), default=math.inf)
    if by < 0 and first + by <= last:
        raise BadValue("What follows would run into what stands before it.")
    later = lambda t: round(t + by, 9) if t >= from_time - SAME else t  # noqa: E731
    keys = {a: tuple(replace(k, time=later(k.time)) for k in held) for a, held in document.keys.items()}
    motions = {i: replace(m, start=later(m.start)) for i, m in document.motions.items()}
    film = document.film
    film = replace(
        film, end=max(film.start + 0.04, film.end + by), play_end=max(film.start + 0.04, film.play_end + by),
        reel=tuple(replace(c, start=later(c.start)) if k else c for k, c in enumerate(film.reel)),
        markers=tuple(replace(m, time=later(m.time)) for m in film.markers),
    )  # fmt: skip
    return replace(document, keys=keys, motions=motions, film=film)


def snapped(document: Document, time: float) -> float:
    """The nearest whole frame's time."""
    rate = document.frames_per_second
    start = document.film.start
    return round(start + round((time - start) * rate) / rate, 9)


def same_speed(document: Document, address: str) -> Document:
    """The keys of a property at times such that it goes at one speed from the first to the last. Raises BadValue."""
    held = document.keys.get(address, ())
    if len(held) < 3:
        raise BadValue("One speed throughout needs at least three keys.")
    known = track(address, held)
    lengths = [abs(known.length(k)) for k in range(len(held) - 1)]
    rests = sum(k.rest for k in held[:-1])
    total = sum(lengths)
    if total <= 0:
        raise BadValue(f"{about(address).label} does not change; there is no speed to keep.")
    room = held[-1].time - held[0].time - rests
    time, made = held[0].time, []
    for k, key in enumerate(held):
        ends = {"before": "even" if k else key.before, "after": "even" if k < len(held) - 1 else key.after}
        if key.rest:
            ends = {"before": "eased", "after": "eased"}
        elif 0 < k < len(held) - 1:
            ends = {"before": "smooth", "after": "smooth"}
        made.append(replace(key, time=round(time, 9), **ends))
        if k < len(lengths):
            time += key.rest + max(room * lengths[k] / total, 2 * SAME)
    made = [replace(made[0], after="even"), *made[1:-1], replace(made[-1], before="even")]
    made = [replace(k, before="even" if k.before == "smooth" else k.before, after="even" if k.after == "smooth" else k.after) for k in made]
    return put_keys(document, address, made)
