"""Which frame of its moving pictures a document shows at a moment."""

import math

from msgspec.structs import replace

from aulmo.document.film_records import Footage
from aulmo.document.moving.footage import About, about_blob, is_footage
from aulmo.document.records import Document
from aulmo.document.references import references, renamed
from aulmo.document.stores import store_of
from aulmo.errors import AulmoError

_known: dict[str, About] = {}
_found: list[tuple[tuple, tuple[str, ...]]] = []


def about(name: str) -> About:
    """The same of stored footage, once. Raises BadFile."""
    if name not in _known:
        _known[name] = about_blob(store_of(name).get(name), name)
    return _known[name]


def frame_at(known: About, use: Footage, time: float) -> int:
    """Which frame of footage is seen at a time of the film, in seconds: held at its ends, again from its beginning, or back and forth."""
    k = math.floor((time - use.start) * known.rate * use.speed + 1e-6)
    if use.ends == "hold" or known.frames == 1:
        return min(max(k, 0), known.frames - 1)
    if use.ends == "loop":
        return k % known.frames
    round_ = 2 * known.frames - 2
    k = k % round_
    return k if k < known.frames else round_ - k


def footage_in(document: Document) -> tuple[str, ...]:
    """The stored footage that a document uses; parts have none, and there may be many."""
    read = (document.materials, document.decals, document.environment, document.shots)
    for known, names in _found:
        if all(a is b for a, b in zip(known, read)):
            return names
    names = tuple(sorted(n for n in references(replace(document, parts={}, keys={}), "assets") if is_footage(n)))
    _found.insert(0, (read, names))
    del _found[8:]
    return names


def with_frames(document: Document, time: float) -> Document:
    """The document with the frame of a moment in the place of all footage; what cannot be read stays as it is, and is told when it is drawn."""
    names = footage_in(document)
    if not names:
        return document
    instead = {}
    for name in names:
        try:
            known = about(name)
        except AulmoError:
            continue
        frame = frame_at(known, document.film.footage.get(name, Footage()), time)
        instead[name] = f"{name}#{frame}{known.ending}"
    return replace(renamed(replace(document, parts={}), "assets", instead), parts=document.parts)
