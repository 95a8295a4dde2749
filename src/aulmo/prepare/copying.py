"""Copies rules on groups: making one, changing it, hiding single copies, letting them go as parts of their own."""

from typing import Any, Iterable, Sequence

import numpy as np
from msgspec.structs import replace

from aulmo.document import edits, tree
from aulmo.document.decals import divided, without_parts
from aulmo.document.made import copies, spreads
from aulmo.document.part_records import MOST_COPIES
from aulmo.document.placement import world_matrices
from aulmo.document.properties import about, accepted
from aulmo.document.property_table import COPY_KINDS
from aulmo.document.records import Copies, Document, GuidePath, Part
from aulmo.document.stores import store_of
from aulmo.errors import BadValue

ROOM = 1.25  # of a source's size, from one copy to the next


def make_copies(document: Document, part_ids: Sequence[str], rule: str, **numbers: Any) -> tuple[Document, str]:
    """Put parts into a group with a copies rule ("row", "ring", "grid", "path", "box", "ball", "surface") that multiplies them.

    `count` is how many are wanted; a grid also takes three numbers. `on` names the parts that a "surface" is scattered over; `path` is the id of a
    path or its points; without one the only path there is, or a straight one with room for all that is made and can be pulled.
    What is left out follows from the size of the parts. Returns the document and the group's id, which is the rule's. Raises BadValue.
    """
    if rule not in COPY_KINDS:
        raise BadValue(f"There is no copies rule named {rule}; there are {', '.join(COPY_KINDS)}.")
    part_ids = [part_ids] if isinstance(part_ids, str) else list(part_ids)
    if any(i not in document.parts for i in part_ids):
        raise BadValue("A part that is to be copied is not there.")
    chosen = edits.topmost(document, list(dict.fromkeys(part_ids)))
    if not chosen:
        raise BadValue("Choose the parts that are to be copied.")
    if rule == "surface":
        on = numbers.get("on") or ()
        on = (on,) if isinstance(on, str) else tuple(on)
        if not on:
            raise BadValue("Copies over a surface need the parts they are scattered over.")
        if any(i not in document.parts for i in on):
            raise BadValue("A part that copies are to be scattered over is not there.")
        numbers["on"] = on
    if rule == "path":
        document, numbers["path"] = _path_for(document, chosen, numbers.get("path"), _count(numbers.get("count")))
    if len({document.parts[i].parent for i in chosen}) > 1:
        document = tree.move_into(document, chosen[1:], document.parts[chosen[0]].parent)
    first = document.parts[chosen[0]].name if len(chosen) == 1 else f"{len(chosen)} parts"
    name = edits.free_name(f"{COPY_KINDS[rule]} of {first}", (p.name for p in document.parts.values()))
    if rule in ("path", "box", "ball", "surface"):
        name = edits.free_name(f"{first} {COPY_KINDS[rule].lower()}", (p.name for p in document.parts.values()))
    document, group = edits.group_parts(document, chosen, name)
    made = _with(document, replace(starting(document, group, rule, numbers.get("count")), kind=rule), numbers)
    document = edits.change_part(document, group, copies=made)
    copies.check(document, group)
    return document, group


def _path_for(document: Document, chosen: Sequence[str], path: Any, count: int) -> tuple[Document, str]:
    """The document with the path that copies follow, and its id. Raises BadValue."""
    if isinstance(path, str):
        if path not in document.paths:
            raise BadValue("There is no such path.")
        return document, path
    if path is None and document.paths:
        return document, next(iter(document.paths))
    if path is None:
        low, high = _box_of(document, chosen, np.eye(4))
        start = np.array([0.5 * (low[0] + high[0]), 0.5 * (low[1] + high[1]), low[2]])
        path = [start, start + [ROOM * max(1.0, float(high[0] - low[0])) * max(1, count - 1), 0.0, 0.0]]
    points = tuple(accepted(about("parts/x/copies/centre"), tuple(p), "Each point of a path") for p in path)
    made = GuidePath(id=edits.new_id(), name=edits.free_name("Path", (p.name for p in document.paths.values())), points=points)
    return edits.put_path(document, made), made.id


def starting(document: Document, group: str, kind: str, count: Any = None) -> Copies:
    """A rule as it is made first for the parts of a group: as many as are wanted, with room between them."""
    how_many = _count(count)
    low, high = _box(document, group)
    size = np.maximum(high - low, 1.0)
    middle = 0.5 * (low + high)
    sparse = max(1.0, how_many ** (1 / 3))
    columns, rows = spreads.evenly(how_many)
    if isinstance(count, (tuple, list)):
        columns, rows = int(count[0]), int(count[1])
    away = float(np.hypot(middle[0], middle[1]))
    width = float(max(size[0], size[1]))
    step = tuple(float(round(s * ROOM, 3)) for s in size)
    spread = float(round(ROOM * float(size.max()) * sparse * 1.5, 3))
    radius = 0.0 if away > 0.5 * width else float(round(max(width, ROOM * width * how_many / 6.283), 3))
    return Copies(
        kind=kind,  # type: ignore[arg-type]
        count=how_many, step=(step[0], 0.0, 0.0) if kind == "row" else (step[0], step[1], step[2]), columns=columns, rows=rows,
        radius=spread / 2 if kind == "ball" else radius if kind == "ring" else 0.0, box=(spread, spread, spread),
        centre=tuple(float(round(v, 6)) for v in middle) if kind in ("box", "ball") else (0.0, 0.0, 0.0),  # type: ignore[arg-type]
        anchor="middle" if kind in ("box", "ball") else "base", path=next(iter(document.paths), None) if kind == "path" else None,
    )  # fmt: skip


def _count(count: Any) -> int:
    if count is None:
        return 5
    if isinstance(count, (tuple, list)):
        if len(count) == 2:
            count = (*count, 1)
        if len(count) != 3:
            raise BadValue("A grid's count is one number, or three: columns, rows and layers.")
        total = 1
        for one in count:
            total *= int(accepted(about("parts/x/copies/count"), one, "Each count of a grid"))
        count = total
    if isinstance(count, (int, float)) and not isinstance(count, bool) and count > MOST_COPIES:
        raise BadValue(f"A copies rule makes up to {MOST_COPIES:,} copies; {count:,.0f} are too many.".replace(",", " "))
    return int(accepted(about("parts/x/copies/count"), count))


def _box(document: Document, group: str) -> tuple[np.ndarray, np.ndarray]:
    """Low and high corner of a group's sources in its own axes."""
    return _box_of(document, document.parts[group].children, np.linalg.inv(world_matrices(document)[group]))


def _box_of(document: Document, part_ids: Iterable[str], inside: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Low and high corner of parts and all below them in the axes of a (4, 4) world matrix's inverse. Raises BadValue for nothing."""
    worlds = world_matrices(document)
    ends = []
    for source in part_ids:
        for part_id in edits.below(document, source):
            name = document.parts[part_id].mesh
            if name is not None:
                matrix = inside @ worlds[part_id]
                low, high = store_of(name).turned_box(name, matrix[:3, :3])
                ends.append((low + matrix[:3, 3], high + matrix[:3, 3]))
    if not ends:
        raise BadValue("There is nothing to copy: the parts have no geometry.")
    found = np.array(ends)
    return found[:, 0].min(0), found[:, 1].max(0)


def _with(document: Document, rule: Copies, numbers: dict[str, Any]) -> Copies:
    known = set(Copies.__struct_fields__) - {"kind"}
    for name, value in numbers.items():
        if name == "count":
            continue
        if name == "spacing" and not isinstance(value, (tuple, list)):
            name, value = "step", tuple(value if s else 0.0 for s in rule.step)
        if name in ("spacing", "size"):
            name = "step" if name == "spacing" else "box"
        if name not in known:
            raise BadValue(f"A copies rule has no number named {name}; it has {', '.join(sorted(known))}.")
        property_ = about(f"parts/x/copies/{name}")
        if name in ("shares", "hidden"):
            numbers_ = tuple(value)
            if any(isinstance(v, bool) or not isinstance(v, (int, float)) or not np.isfinite(v) or v < 0 for v in numbers_):
                raise BadValue(f"{property_.label} have to be numbers from 0 up.")
            value = numbers_
        elif name != "on":
            value = accepted(property_, value)
        rule = replace(rule, **{name: value})
    return rule


def hide_copies(document: Document, made_ids: Iterable[str], hidden: bool = True) -> Document:
    """Hide single copies, or show them again, by the ids of parts that rules made."""
    for part_id in made_ids:
        group = copies.maker_of(part_id)
        if group is None or group not in document.parts:
            continue
        rule = document.parts[group].copies
        if rule is not None:
            numbers = set(rule.hidden)
            numbers = numbers | {copies.number_of(part_id)} if hidden else numbers - {copies.number_of(part_id)}
            document = edits.change_part(document, group, copies=replace(rule, hidden=tuple(sorted(numbers))))
    return document


def make_separate(document: Document, group: str) -> Document:
    """Let a rule go: its copies become parts of their own in the group, the sources and hidden copies leave. Raises BadValue."""
    held = document.parts[group]
    if held.copies is None:
        raise BadValue(f"{held.name} has no copies rule.")
    copies.check(document, group)
    # rules further in go on within each copy
    made = copies.make(copies.with_inner_copies(document, group), group, world_matrices(document))
    gone = {under for source in copies.sources_of(document, group) for under in edits.below(document, source)}
    fresh: dict[str, str] = {}
    for part_id in made.parts:
        fresh[part_id] = edits.new_id()
    names = edits.Names()
    parts: dict[str, Part] = {i: p for i, p in document.parts.items() if i not in gone}
    tops = []
    left_out: set[str] = set()
    for part_id, part in made.parts.items():
        if not part.visible and part_id in made.tops or part.parent in left_out:
            left_out.add(part_id)
            continue
        top = part_id in made.tops
        if top:
            tops.append(fresh[part_id])
        parts[fresh[part_id]] = replace(
            part, id=fresh[part_id], parent=group if top else fresh[part.parent or ""], children=tuple(fresh[c] for c in part.children),
            name=names.free(part.name) if top else part.name,
        )  # fmt: skip
    parts[group] = replace(held, copies=None, children=tuple(tops))
    if document.decals:
        copied: dict[str, list[str]] = {}
        for part_id in made.parts:
            if part_id not in left_out:
                copied.setdefault(copies.source_of(document, part_id), []).append(fresh[part_id])
        for source in gone:
            document = divided(document, source, copied.get(source, []))
    return edits.forget(without_parts(document, gone, parts), gone)
