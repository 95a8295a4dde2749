"""What becomes of an edit while variants are seen: it lands in the choice that is in hand, in a choice that has a value of its own there, or in the
base."""

from typing import Any, Iterable, NamedTuple

from msgspec.structs import replace

from aulmo.document import variants
from aulmo.document.changes import changes
from aulmo.document.properties import about, get, is_there, with_values
from aulmo.document.records import Document
from aulmo.errors import BadValue

ROOTS = ("parts", "materials", "decals", "environment", "backdrop", "floor", "lamps", "cameras", "paths", "motions", "shots")
FIXED = (
    "name", "locked", "solo", "keeps_target", "source_key", "file", "swatch", "group", "made_for", "mesh", "shape", "guides", "safe", "wears",
)  # fmt: skip
SEEN = {"lamps": "on", "decals": "visible", "parts": "visible"}  # by what a thing that a choice alone has is seen or not


class Taken(NamedTuple):
    """A document after an edit, and what landed where: of each choice the addresses that it got. `for_all` : something is otherwise in the base."""

    document: Document
    landed: dict[str, tuple[str, ...]]
    for_all: bool


def varies(address: str) -> bool:
    """Whether a choice may hold a property: what it looks like and where it is, not how it is called or what it is made of."""
    try:
        known = about(address)
    except BadValue:
        return False
    return address.split("/")[0] in ROOTS and known.kind != "many" and address.split("/")[-1] not in FIXED


def owner(document: Document, picks: Iterable[str], address: str, hand: str = "") -> str:
    """The choice that a change at an address lands in: the one in hand, else the last of those that are seen which has a value of its own there."""
    if hand:
        return hand if varies(address) else ""
    found = ""
    for choice_id in picks:
        own = variants.find_choice(document, choice_id)[1].overrides
        if any(a == address or a.startswith(f"{address}/") or address.startswith(f"{a}/") for a in own):
            found = choice_id
    return found


def put_own(document: Document, choice_id: str, values: dict[str, Any]) -> Document:
    """The document in which a choice has values of its own at addresses, in the place of what it had of their single numbers."""
    axis, choice = variants.find_choice(document, choice_id)
    kept = {a: v for a, v in choice.overrides.items() if not any(a.startswith(f"{address}/") for address in values)}
    values = dict(values)
    for address in [a for a in values if a.rpartition("/")[0] in kept and a[-1] in "xyz"]:  # one number of what it has as a whole
        whole = address.rpartition("/")[0]
        numbers = list(kept[whole])  # type: ignore[arg-type]
        numbers["xyz".index(address[-1])] = values.pop(address)
        values[whole] = tuple(numbers)
    return variants.put_choice(document, axis.id, replace(choice, overrides={**kept, **variants.checked(document, values)}))


def settled(base: Document, new: Document, picks: Iterable[str], hand: str) -> Taken:
    """An edit `new` of the stored document `base`, or of it as it is seen with the choices `picks` (ids, in the order of their axes), sorted: the
    base keeps what it had of all that lands in a choice. With a choice in `hand` things that come or go do so in it alone."""
    picks = list(picks)
    if not picks:
        return Taken(new, {}, new is not base)
    fresh: dict[str, Any] = {}
    if hand:
        new, fresh = _apart(base, new, hand)
    if new.axes is not base.axes:  # an edit of the choices themselves
        return Taken(new, {}, True)
    shown: dict[str, Any] = {}
    for choice_id in picks:
        shown.update(variants.find_choice(base, choice_id)[1].overrides)
    meant: dict[str, dict[str, Any]] = {hand: fresh} if fresh else {}
    back: dict[str, Any] = {}
    for address, value in changes(base, new, ROOTS, varies).items():
        if base.keys.get(address) or not is_there(base, address):
            continue
        seen = get(with_values(base, {a: v for a, v in shown.items() if a == address or a.startswith(f"{address}/")}), address)
        if value == seen and seen != get(base, address):
            back[address] = get(base, address)  # not touched: it was seen so
            continue
        into = owner(base, picks, address, hand)
        if into:
            back[address] = get(base, address)
            meant.setdefault(into, {})[address] = value
    document = with_values(new, back) if back else new
    for choice_id, values in meant.items():
        if values:
            document = put_own(document, choice_id, values)
    landed = {choice_id: tuple(values) for choice_id, values in meant.items() if values}
    return Taken(document, landed, _differs(base, document))


def _differs(base: Document, document: Document) -> bool:
    return replace(document, axes=base.axes) != base


def _apart(base: Document, new: Document, hand: str) -> tuple[Document, dict[str, Any]]:
    """What has come or gone is there in the choice in hand alone: the document with it, unseen, and what the choice says of it."""
    own: dict[str, Any] = {}
    gone = [i for i in base.parts if i not in new.parts]
    if gone and not any(i not in base.parts for i in new.parts):
        own |= {f"parts/{i}/visible": False for i in gone if base.parts[i].parent not in gone}
        new = base
    for root, flag in SEEN.items():
        before, after = getattr(base, root), getattr(new, root)
        if before is after:
            continue
        come = [i for i in after if i not in before and not (root == "parts" and after[i].parent in after and after[i].parent not in before)]
        lost = [i for i in before if i not in after] if root != "parts" else []
        own |= {f"{root}/{i}/{flag}": True for i in come} | {f"{root}/{i}/{flag}": False for i in lost}
        if lost:  # what hung on them went with them, and comes back
            new = replace(new, axes=base.axes, keys=base.keys, motions=base.motions)
        held = {i: before[i] for i in lost} | after
        new = replace(new, **{root: {**held, **{i: replace(held[i], **{flag: False}) for i in come}}})
    boxes, before_boxes = new.environment.softboxes, {b.id: b for b in base.environment.softboxes}
    if boxes is not base.environment.softboxes:
        come = [b.id for b in boxes if b.id not in before_boxes]
        lost_boxes = [b for b in before_boxes.values() if b.id not in {x.id for x in boxes}]
        own |= {f"environment/softboxes/{i}/on": True for i in come} | {f"environment/softboxes/{b.id}/on": False for b in lost_boxes}
        boxes = tuple(replace(b, on=False) if b.id in come else b for b in (*boxes, *lost_boxes))
        new = replace(new, environment=replace(new.environment, softboxes=boxes))
    fresh = [i for i in new.materials if i not in base.materials]
    if fresh:
        new = replace(new, materials={**new.materials, **{i: replace(new.materials[i], made_for=hand) for i in fresh}})
    return new, own
