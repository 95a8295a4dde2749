"""Keys that are carried from one place of a film to another: copied, and pasted at another time, in their own lanes or in another thing's."""

from typing import Iterable, NamedTuple

from msgspec.structs import replace

from aulmo.document.properties import about, accepted, is_there
from aulmo.document.records import Document, Key
from aulmo.errors import BadValue
from aulmo.motion.keys import SAME, Chosen, by_address, is_among, put_keys, retimed, stretch
from aulmo.motion.recording import thing_of


class Clip(NamedTuple):
    """Keys by address, their times counted from the first of them all."""

    keys: dict[str, tuple[Key, ...]]

    @property
    def number(self) -> int:
        """How many keys there are."""
        return sum(map(len, self.keys.values()))


def clip_of(document: Document, chosen: Iterable[Chosen]) -> Clip:
    """Some keys of a document, to be pasted later."""
    chosen = list(chosen)
    first = min((t for _, t in chosen), default=0.0)
    found = {}
    for address, times in by_address(chosen).items():
        held = tuple(replace(k, time=round(k.time - first, 9)) for k in document.keys.get(address, ()) if is_among(k, times))
        if held:
            found[address] = held
    return Clip(found)


def _beyond(address: str) -> str:
    """What of its thing an address is of."""
    thing = thing_of(address)
    stored = f"environment/{thing}" if thing.startswith("softboxes/") else thing
    return address[len(stored) :]


def pasted(document: Document, clip: Clip, time: float, things: Iterable[str] = ()) -> tuple[Document, list[Chosen]]:
    """The document with a clip's keys from a time on, and what is chosen then. Where `things` ("parts/<id>", "cameras/<id>", ...) are named that the
    keys are not of, theirs get them: each in turn where the keys are of several, all of them where they are of one. Raises BadValue where no lane
    fits."""
    sources = list(dict.fromkeys(thing_of(a) for a in clip.keys))
    things = [t for t in things if t not in sources or len(sources) > 1]
    now: list[Chosen] = []
    for address, held in clip.keys.items():
        own = thing_of(address)
        if not things:
            targets = [address]
        else:
            alike = things if len(sources) == 1 else [things[sources.index(own) % len(things)]]
            heads = [f"environment/{t}" if t.startswith("softboxes/") else t for t in alike]
            targets = [h + _beyond(address) for h in heads]
        for target in targets:
            if not is_there(document, target):
                continue
            new = [replace(k, time=round(k.time + time, 9), value=accepted(about(target), k.value)) for k in held]
            stay = [k for k in document.keys.get(target, ()) if not is_among(k, [n.time for n in new])]
            document = put_keys(document, target, [*stay, *new])
            now += [(target, k.time) for k in new]
    if not now:
        raise BadValue("What is selected has no lane for these keys.")
    return document, now


def spaced(document: Document, chosen: Iterable[Chosen]) -> tuple[Document, list[Chosen]]:
    """Some keys at even gaps from the first to the last time among them; keys that stood together stay so. Raises BadValue for fewer than three
    times."""
    chosen = list(chosen)
    times = sorted({t for _, t in chosen})
    times = [t for k, t in enumerate(times) if not k or t - times[k - 1] > SAME]
    if len(times) < 3:
        raise BadValue("Even gaps want keys at three times or more.")
    step = (times[-1] - times[0]) / (len(times) - 1)

    def when(key: Key) -> float:
        k = min(range(len(times)), key=lambda n: abs(times[n] - key.time))
        return round(times[0] + k * step, 9)

    return retimed(document, chosen, when)


def one_length(document: Document, chosen: Iterable[Chosen], length: float) -> tuple[Document, list[Chosen]]:
    """The chosen keys of each lane stretched from their first so that they last so many seconds. Raises BadValue."""
    if not length > 1e-3:
        raise BadValue("A length has to be above nothing.")
    now: list[Chosen] = []
    for address, times in by_address(chosen).items():
        if max(times) - min(times) < SAME:
            now += [(address, t) for t in times]
            continue
        document, found = stretch(document, [(address, t) for t in times], min(times), length / (max(times) - min(times)))
        now += found
    return document, now
