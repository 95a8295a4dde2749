"""The project's colours and what follows them. What follows has the colour's value as its own, so that whatever reads a document need not know; who
follows which is noted in the record that holds the value (`follows`)."""

from typing import Any, Iterator, Mapping, NamedTuple

import msgspec
from msgspec.structs import replace

from aulmo.document import records as r
from aulmo.document.addresses import Leaf, about, accepted, applied, child, get, grow, is_there, nothing_at
from aulmo.document.branches import free_name, new_id
from aulmo.errors import BadValue

FOLLOW = "colour:"  # what is put at an address, with a colour's id behind it, for it to follow that colour


class Told(NamedTuple):
    """What is to be put: plain values, by address which colour is followed from now on (None for no longer any), and which colours change."""

    values: dict[str, Any]
    follows: dict[str, str | None]
    changed: set[str]


def holder_of(document: r.Document, address: str) -> tuple[str, str] | None:
    """The address of the record that notes what follows a colour at an address, and the rest of the way; None where nothing can follow."""
    found, value, steps = None, document, address.split("/")
    for number, step in enumerate(steps[:-1], 1):
        try:
            value = child(value, step)
        except KeyError:
            return None
        if isinstance(value, msgspec.Struct) and "follows" in value.__struct_fields__:
            found = "/".join(steps[:number]), "/".join(steps[number:])
    return found


def colour_of(document: r.Document, colour_id: str) -> r.ProjectColour:
    """A colour of the project. Raises BadValue where there is none."""
    if colour_id not in document.colours:
        raise BadValue("The project has no such colour.")
    return document.colours[colour_id]


def followed_at(document: r.Document, address: str) -> r.ProjectColour | None:
    """The colour that is followed at an address, None where none is."""
    held = holder_of(document, address)
    if held is None:
        return None
    return document.colours.get(next((f.colour for f in get(document, held[0]).follows if f.at == held[1]), ""))


def followers(document: r.Document, colour_id: str | None = None) -> dict[str, str]:
    """Which colour is followed, by the address of what follows it; of one colour where that is told."""
    found = {}
    for above, record in _holders(document):
        for one in record.follows:
            if one.colour in document.colours and colour_id in (None, one.colour) and is_there(document, f"{above}/{one.at}"):
                found[f"{above}/{one.at}"] = one.colour
    return found


def _holders(document: r.Document) -> Iterator[tuple[str, Any]]:
    """Every record that notes what follows colours and has anything noted, with its address."""
    several: tuple[tuple[str, Any], ...] = (("materials", document.materials), ("decals", document.decals), ("lamps", document.lamps))
    for name, held in several:
        yield from ((f"{name}/{i}", one) for i, one in held.items() if one.follows)
    yield from ((f"environment/softboxes/{box.id}", box) for box in document.environment.softboxes if box.follows)
    if document.backdrop.follows:
        yield "backdrop", document.backdrop


def read(document: r.Document, values: Mapping[str, Any]) -> Told:
    """What putting some values means for colours. Raises BadValue where something is to follow that is no colour, or a colour that is not there."""
    plain: dict[str, Any] = dict(values)
    follows: dict[str, str | None] = {}
    changed = {address.split("/")[1] for address in values if address.startswith("colours/") and address.split("/")[2:3] == ["rgb"]}
    for address, value in values.items():
        whole = address.rpartition("/")[0] if address.rpartition("/")[2] in ("x", "y", "z") else address
        if isinstance(value, str) and value.startswith(FOLLOW):
            if about(address).kind not in ("colour", "either") or holder_of(document, address) is None:
                raise BadValue(f"{about(address).label} cannot follow a colour of the project.")
            colour = colour_of(document, value[len(FOLLOW) :])
            plain[address] = values.get(f"colours/{colour.id}/rgb", colour.rgb)
            follows[address] = colour.id
        elif isinstance(value, (tuple, list, float, int)) and not isinstance(value, bool) and followed_at(document, whole) is not None:
            follows[whole] = None
    return Told(plain, follows, changed)


def settled(document: r.Document, told: Told) -> r.Document:
    """The document, its plain values put, with what follows noted, and followers of changed colours as these are."""
    tree: dict = {}
    noted: dict[str, dict[str, str]] = {}
    for address, colour_id in told.follows.items():
        held = holder_of(document, address)
        if held is None:
            raise nothing_at(address)
        above, rest = held
        if above not in noted:
            noted[above] = {f.at: f.colour for f in get(document, above).follows}
        if colour_id is None:
            noted[above].pop(rest, None)
        else:
            noted[above][rest] = colour_id
    for above, follows in noted.items():
        grow(tree, f"{above}/follows".split("/"), tuple(r.Follow(at, colour) for at, colour in follows.items()))
    made = applied(document, tree) if tree else document
    tree = {}
    for colour_id in told.changed:
        for address in followers(made, colour_id) if colour_id in made.colours else ():
            grow(tree, address.split("/"), made.colours[colour_id].rgb)
    return applied(made, tree) if tree else made


def led(document: r.Document, tree: dict) -> None:
    """Add to a tree of changes what follows the colours in it, but for what has a change of its own there."""
    for colour_id, steps in list(tree.get("colours", {}).items()):
        colour = document.colours.get(colour_id)
        if colour is None or not isinstance(steps, dict):
            continue
        rgb = applied(colour, steps).rgb
        if rgb != colour.rgb:
            for address in followers(document, colour_id):
                if not _has(tree, address.split("/")):
                    grow(tree, address.split("/"), rgb)


def _has(tree: Any, steps: list[str]) -> bool:
    for step in steps:
        if isinstance(tree, Leaf):
            return True
        if step not in tree:
            return False
        tree = tree[step]
    return True


def put_colour(document: r.Document, colour: r.ProjectColour) -> r.Document:
    """The document with a colour, new or in the place of its old self, and what follows it as it is."""
    made = replace(document, colours={**document.colours, colour.id: colour})
    return settled(made, Told({}, {}, {colour.id}))


def add_colour(document: r.Document, name: str, rgb: Any, note: str = "") -> tuple[r.Document, str]:
    """A new colour by a name that no other has; returns its id. Raises BadValue for what is no colour, or no name."""
    name = name.strip()
    if not name:
        raise BadValue("A colour needs a name.")
    value = accepted(about("colours/new/rgb"), rgb)
    colour = r.ProjectColour(new_id(), free_name(name, (c.name for c in document.colours.values())), value, note=note)
    return put_colour(document, colour), colour.id


def delete_colour(document: r.Document, colour_id: str) -> r.Document:
    """The document without a colour; what followed it stays as it is."""
    told = Told({}, {address: None for address in followers(document, colour_id)}, set())
    made = settled(document, told)
    return replace(made, colours={i: c for i, c in made.colours.items() if i != colour_id})
