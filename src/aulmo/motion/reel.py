"""The reel: which shot is seen when."""

from typing import NamedTuple

from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.records import Cut, Document, Shot
from aulmo.errors import BadValue
from aulmo.motion.keys import SAME


class Seen(NamedTuple):
    """A shot that is seen, and by what share: 1 but within a dissolve."""

    shot: Shot
    share: float


def cuts(document: Document) -> tuple[Cut, ...]:
    """The cuts in the order of time, whose shots are there."""
    shots = {s.id for s in document.shots}
    return tuple(sorted((c for c in document.film.reel if c.shot in shots), key=lambda c: c.start))


def without_cuts(document: Document) -> Document:
    """The document with no reel: one shot throughout, whichever is asked for."""
    return replace(document, film=replace(document.film, reel=()))


def seen_at(document: Document, time: float, otherwise: Shot | None = None) -> list[Seen]:
    """The shots that are seen at a time, the one below first; `otherwise` (or the first shot) where there is no reel. Raises BadValue."""
    shots = {s.id: s for s in document.shots}
    order = cuts(document)
    if not order:
        shot = otherwise or (document.shots[0] if document.shots else None)
        if shot is None:
            raise BadValue("A film needs a shot.")
        return [Seen(shot, 1.0)]
    at = max((k for k, c in enumerate(order) if c.start <= time + 1e-9), default=0)
    cut = order[at]
    if at > 0 and cut.dissolve > 0 and time < cut.start + cut.dissolve - 1e-9:
        share = (time - cut.start) / cut.dissolve
        under = shots[order[at - 1].shot]
        if share <= 0:
            return [Seen(under, 1.0)]
        return [Seen(under, 1.0 - share), Seen(shots[cut.shot], share)]
    return [Seen(shots[cut.shot], 1.0)]


def put_cut(document: Document, shot_id: str, start: float, dissolve: float = 0.0) -> tuple[Document, str]:
    """A cut to a shot at a time; one at that time is replaced. The first cut of a film begins where that begins. Returns the document and its id."""
    if not any(s.id == shot_id for s in document.shots):
        raise BadValue("There is no such shot.")
    cut = Cut(edits.new_id(), shot_id, start, dissolve)
    return with_cuts(document, [*(c for c in document.film.reel if abs(c.start - start) > SAME), cut]), cut.id


def with_cuts(document: Document, reel) -> Document:
    """The document with these cuts, in order, the first from the film's beginning; each at least a frame long."""
    order = sorted(reel, key=lambda c: c.start)
    step = 1.0 / document.frames_per_second
    made: list[Cut] = []
    for k, cut in enumerate(order):
        start = document.film.start if k == 0 else max(cut.start, made[-1].start + step)
        made.append(replace(cut, start=round(start, 9), dissolve=0.0 if k == 0 else cut.dissolve))
    return replace(document, film=replace(document.film, reel=tuple(made)))


def change_cut(document: Document, cut_id: str, **fields) -> Document:
    """The document with other fields of a cut; it stays between its neighbours."""
    order = list(cuts(document))
    at = next((k for k, c in enumerate(order) if c.id == cut_id), None)
    if at is None:
        raise BadValue("That cut is gone.")
    step = 1.0 / document.frames_per_second
    cut = replace(order[at], **fields)
    low = order[at - 1].start + step if at else document.film.start
    high = order[at + 1].start - step if at + 1 < len(order) else document.film.end - step
    order[at] = replace(cut, start=min(max(cut.start, low), max(low, high)))
    return with_cuts(document, order)


def remove_cut(document: Document, cut_id: str) -> Document:
    """The document without a cut: what was seen before it goes on."""
    return with_cuts(document, [c for c in document.film.reel if c.id != cut_id])


def frames(document: Document, start: float | None = None, end: float | None = None) -> list[float]:
    """The times of all frames of the film, or of a span of it, in seconds."""
    low = document.film.start if start is None else start
    high = document.film.end if end is None else end
    count = int(round((high - low) * document.frames_per_second))
    if count < 1:
        raise BadValue("The film ends before it begins.")
    if count > 1_000_000:
        raise BadValue("The film would have more than a million frames.")
    return [low + k / document.frames_per_second for k in range(count)]
