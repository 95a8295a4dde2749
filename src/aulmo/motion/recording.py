"""What becomes of a change that is made at a moment of the film: a key, a passing change, or the document's own value."""

from typing import Any, Iterable, NamedTuple

from aulmo.document.changes import changes
from aulmo.document.moving.tracks import tracks_of
from aulmo.document.properties import get, is_there, put_many, with_values
from aulmo.document.records import Document
from aulmo.motion.keys import ROOTS, SAME, keyable, near, set_value


class Recorded(NamedTuple):
    """The document after a change, and what of it holds only until the time changes, by address."""

    document: Document
    loose: dict[str, Any]


def as_now(document: Document, time: float, loose: dict[str, Any]) -> Document:
    """The stored document with the values that its keys have at a time in the place of its own: what the hand works on."""
    values = {track.address: track.at(time) for track in tracks_of(document.keys)}
    values |= loose
    return with_values(document, values) if values else document


def rested_until(document: Document, time: float, since: float | None) -> float:
    """When what moves for the first time at a time left its rest: when the hand was last there, else a frame before."""
    first = document.film.start
    if since is not None and first <= since < time - SAME:
        return since
    return max(first, round(time - 1.0 / document.frames_per_second, 9))


def recorded(
    base: Document, new: Document, time: float, loose: dict[str, Any], recording: bool, since: float | None = None
) -> Recorded:  # fmt: skip
    """What becomes of an edit `new` of the stored document `base` (or of it `as_now`) at a time.

    Where keys hold a property and one stands at that time, it gets the value; while recording one is set. Else the change is loose: it will be taken
    back. While recording, properties without keys get one too, and one with what they were where they left their rest: at `since`, the moment that
    the hand was at before, so that nothing moves before it was moved.
    """
    if not base.keys and not recording:
        return Recorded(new, loose)
    found = changes(base, new, ROOTS, keyable)
    touched = [a for a in base.keys if a in found or a.rpartition("/")[0] in found]
    touched = [a for a in touched if new.keys.get(a) is base.keys[a] and is_there(new, a)]
    now = as_now(base, time, loose)
    back: dict[str, Any] = {}
    meant: dict[str, Any] = {}
    for address in touched:
        value = get(new, address)
        back[address] = get(base, address)
        if value == back[address] or value == get(now, address):
            continue
        meant[address] = value
    first = rested_until(base, time, since)
    begins: dict[str, Any] = {}
    if recording and new.keys is base.keys:
        for address, value in found.items():
            parts = any(k.startswith(f"{address}/") for k in base.keys)  # one number of it has keys of its own
            if address not in base.keys and not parts:
                back[address] = get(base, address)
                meant[address] = value
                if time > first + 1e-3:
                    begins[address] = back[address]
    document = put_many(new, back) if back else new
    for address, value in begins.items():
        document = set_value(document, address, first, value)
    for address, value in meant.items():
        document, loose = hold(document, address, time, value, loose, recording)
    return Recorded(document, loose)


def hold(document: Document, address: str, time: float, value: Any, loose: dict[str, Any], recording: bool) -> Recorded:
    """The document where a property with keys has a value at a time: by a key where one stands there, or while recording; else the value is loose."""
    if recording or near(document.keys.get(address, ()), time) is not None:
        return Recorded(set_value(document, address, time, value), {a: v for a, v in loose.items() if a != address})
    return Recorded(document, {**loose, address: value})


def keep(document: Document, time: float, values: dict[str, Any]) -> Document:
    """The document with keys at a time for some values. Raises BadValue."""
    for address, value in values.items():
        document = set_value(document, address, time, value)
    return document


MAIN = {
    "parts": ("placement/position", "placement/turn"), "cameras": ("position", "target", "focal_length_mm"), "lamps": ("position", "turn", "stops"),
    "softboxes": ("azimuth", "elevation", "stops"), "environment": ("turn", "exposure"), "floor": ("height",), "materials": (),
}  # fmt: skip


def main_addresses(things: Iterable[str]) -> list[str]:
    """The properties that are meant when keys are set for things as a whole."""
    found = []
    for thing in things:
        kind = thing.partition("/")[0]
        stored = f"environment/{thing}" if kind == "softboxes" else thing
        found += [f"{stored}/{field}" for field in MAIN.get(kind, ())]
    return found


def thing_of(address: str) -> str:
    """What an address is a property of: "parts/<id>", "cameras/<id>", "softboxes/<id>", "environment", ..."""
    steps = address.split("/")
    if steps[:2] == ["environment", "softboxes"] and len(steps) > 2:
        return f"softboxes/{steps[2]}"
    return steps[0] if steps[0] in ("environment", "backdrop", "floor", "render", "film") else "/".join(steps[:2])

