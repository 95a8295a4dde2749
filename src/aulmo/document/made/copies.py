"""Copies rules: a group's rule made into parts. A made part is called `<group>:<number>`, what hangs below it `<group>:<number>:<source>`; both
keep their names as long as the rule makes that many.

What a rule makes is remembered until something it reads has become another record, so a document in which nothing of it changed costs nothing.
"""

from typing import NamedTuple, Sequence

import numpy as np
from msgspec.structs import replace

from aulmo.document import records as r
from aulmo.document.branches import below
from aulmo.document.made import spreads
from aulmo.document.part_records import MOST_COPIES, MOST_PARTS
from aulmo.document.placement import angles_of, to_matrix, turn_matrix, world_matrices, world_matrix
from aulmo.document.stores import store_of
from aulmo.errors import AulmoError, BadValue


class Made(NamedTuple):
    """What one rule makes: the parts, and the ids of those right below the group, in order."""

    parts: dict[str, r.Part]
    tops: tuple[str, ...]


def maker_of(part_id: str) -> str | None:
    """The group whose rule made a part; None for one that is stored."""
    group, colon, _ = part_id.partition(":")
    return group if colon else None


def number_of(part_id: str) -> int:
    """Which copy of its rule a made part belongs to, from 0."""
    return int(part_id.split(":")[1])


def sources_of(document: r.Document, group: str) -> list[str]:
    """The stored parts that a rule copies."""
    return [i for i in document.parts[group].children if ":" not in i]


def source_of(document: r.Document, part_id: str) -> str:
    """The stored part that a made one is a copy of, or the part itself."""
    while ":" in part_id:
        steps = part_id.split(":")
        if len(steps) > 2:
            part_id = ":".join(steps[2:])
            continue
        group = document.parts[steps[0]]
        rule, sources = group.copies, sources_of(document, steps[0])
        if rule is None or not sources:
            return steps[0]
        return sources[spreads.picked_source(rule, len(sources), int(steps[1]))]
    return part_id


# what they are made of


class _Subtree(NamedTuple):
    """A source: its parts in tree order, the box of its geometry in the group's axes or None."""

    parts: tuple[r.Part, ...]
    low: np.ndarray | None
    high: np.ndarray | None


def _subtree(parts: dict[str, r.Part], source: str) -> _Subtree:
    found: list[r.Part] = []
    corners = []
    stack = [(source, np.eye(4))]
    while stack:
        part_id, above = stack.pop()
        part = parts[part_id]
        found.append(part)
        matrix = above @ to_matrix(part.placement)
        if part.mesh is not None:
            low, high = store_of(part.mesh).turned_box(part.mesh, matrix[:3, :3])
            corners.append((low + matrix[:3, 3], high + matrix[:3, 3]))
        stack.extend((child, matrix) for child in reversed(part.children) if parts[child].visible)
    if not corners:
        return _Subtree(tuple(found), None, None)
    ends = np.array(corners)
    return _Subtree(tuple(found), ends[:, 0].min(0), ends[:, 1].max(0))


def _anchor(subtree: _Subtree, kind: str) -> np.ndarray:
    if kind == "origin" or subtree.low is None or subtree.high is None:
        return np.array(subtree.parts[0].placement.position)
    middle = 0.5 * (subtree.low + subtree.high)
    if kind == "base":
        middle[2] = subtree.low[2]
    return middle


def _targets(document: r.Document, rule: r.Copies, group: str) -> list[str]:
    """Every part that copies are scattered over, the rule's own group left out. Raises BadValue when it is meant itself."""
    parts = document.parts
    inside = set(below(document, group))
    if inside & set(rule.on):
        raise BadValue("Copies cannot be scattered over themselves; choose another part.")
    found: dict[str, None] = {}
    stack = [i for i in rule.on if i in parts]
    while stack:
        part_id = stack.pop()
        if part_id not in found and part_id not in inside:
            found[part_id] = None
            stack.extend(parts[part_id].children)
    return list(found)


def _world(document: r.Document, worlds: dict[str, np.ndarray], part_id: str) -> np.ndarray:
    return worlds[part_id] if part_id in worlds else world_matrix(document, part_id)


def _target(document: r.Document, rule: r.Copies, group: str, world: np.ndarray, worlds: dict[str, np.ndarray]) -> tuple[np.ndarray, np.ndarray]:
    """Corners and normals (m, 3, 3) of what copies are scattered over, in the group's axes."""
    inside = np.linalg.inv(world)
    triangles, normals = [np.zeros((0, 3, 3))], [np.zeros((0, 3, 3))]
    for part_id in _targets(document, rule, group):
        part = document.parts[part_id]
        if part.mesh is None or not part.visible:
            continue
        mesh = store_of(part.mesh).mesh(part.mesh)
        matrix = inside @ _world(document, worlds, part_id)
        triangles.append((mesh.vertices.astype(float) @ matrix[:3, :3].T + matrix[:3, 3])[mesh.triangles])
        turned = mesh.normals.astype(float) @ np.linalg.inv(matrix[:3, :3])
        normals.append((turned * np.sign(np.linalg.det(matrix[:3, :3])))[mesh.triangles])
    return np.concatenate(triangles), np.concatenate(normals)


def _spread(
    document: r.Document, rule: r.Copies, group: str, world: np.ndarray, subtrees: Sequence[_Subtree], worlds: dict[str, np.ndarray]
) -> spreads.Spread:  # fmt: skip
    if rule.kind == "row":
        return spreads.row(rule)
    if rule.kind == "grid":
        return spreads.grid(rule)
    if rule.kind == "ring":
        return spreads.ring(rule, _anchor(subtrees[0], "middle"))
    if rule.kind == "path":
        return spreads.along_path(rule, document, world)
    if rule.kind == "box":
        return spreads.box(rule)
    if rule.kind == "ball":
        return spreads.ball(rule)
    return spreads.surface(rule, *_target(document, rule, group, world, worlds), np.linalg.inv(world)[:3, :3] @ [0.0, 0.0, 1.0])


def make(document: r.Document, group: str, worlds: dict[str, np.ndarray]) -> Made:
    """The parts that a group's rule makes. `worlds` are the matrices of all stored parts. Raises BadValue."""
    parts = document.parts
    rule = parts[group].copies
    sources = sources_of(document, group)
    if rule is None or not sources:
        return Made({}, ())
    subtrees = [_subtree(parts, source) for source in sources]
    spread = _spread(document, rule, group, worlds[group], subtrees, worlds)
    count = len(spread.points)
    picked = spreads.picked_sources(rule, len(sources), count)
    total = int(np.bincount(picked, minlength=len(sources)) @ [len(s.parts) for s in subtrees])
    if total > MOST_COPIES:
        raise BadValue(f"{parts[group].name} would make {total:,} parts; up to {MOST_COPIES:,} are made.".replace(",", " "))
    random = np.random.default_rng([rule.seed, 5])
    jitter = random.uniform(-1, 1, (count, 7))
    points, turns = spread.points + jitter[:, :3] * np.array(rule.jitter_place), spread.turns
    if any(rule.jitter_turn):
        turns = turns @ spreads.turns_of(jitter[:, 3:6] * np.array(rule.jitter_turn))
    sizes = 1.0 + rule.jitter_size * jitter[:, 6]
    made: dict[str, r.Part] = {}
    tops: list[str] = [f"{group}:{n}" for n in range(count)]
    hidden = set(rule.hidden)
    for k, subtree in enumerate(subtrees):
        here = np.flatnonzero(picked == k)
        top = subtree.parts[0]
        held = _anchor(subtree, "middle" if spread.moves else rule.anchor)
        base = spread.turns[here] @ held if spread.moves else 0.0
        places = _placed(top.placement, points[here] + base, turns[here], sizes[here], held)
        _fill(made, group, here.tolist(), places, subtree, hidden)
    return Made({i: made[i] for i in tops} | made if len(subtrees) > 1 else made, tuple(tops))


def _placed(own: r.Placement, points: np.ndarray, turns: np.ndarray, sizes: np.ndarray, held: np.ndarray) -> list[r.Placement]:
    """Placements of copies of a part that stands at `own`: its point `held` goes to each of the points, turned and made larger about it."""
    linear = turns * sizes[:, None, None]
    positions = linear @ (np.array(own.position) - held) + points
    new = r.Placement
    alike = len(points) > 0 and bool((linear == np.eye(3)).all())
    if alike:
        turn, size = own.turn, own.scale
        return [new((x, y, z), turn, size) for x, y, z in positions.tolist()]
    angles = angles_of(turns @ turn_matrix(own.turn))
    scales = sizes[:, None] * np.array(own.scale)
    return [new((x, y, z), (a, b, c), (u, v, w)) for x, y, z, a, b, c, u, v, w in np.concatenate([positions, angles, scales], 1).tolist()]


def _fill(made: dict[str, r.Part], group: str, numbers: list[int], places: list[r.Placement], subtree: _Subtree, hidden: set[int]) -> None:
    """Add the copies of one source."""
    top, *below = subtree.parts
    if not below:
        part = r.Part
        for n, placement in zip(numbers, places):
            name = f"{group}:{n}"
            made[name] = part(
                name, top.name, group, (), placement, top.mesh, top.shape, top.finesse, top.material, top.visible and n not in hidden, top.locked,
                top.edge_radius, "", top.face_sets, top.catches,
            )  # fmt: skip
        return
    for n, placement in zip(numbers, places):
        first = f"{group}:{n}"
        ids = {top.id: first} | {p.id: f"{first}:{p.id}" for p in below}
        made[first] = replace(
            top, id=first, parent=group, children=tuple(ids[c] for c in top.children if c in ids), placement=placement,
            visible=top.visible and n not in hidden, copies=None, source_key="",
        )  # fmt: skip
        for one in below:
            children = tuple(ids[c] for c in one.children if c in ids)
            made[ids[one.id]] = replace(one, id=ids[one.id], parent=ids[one.parent or ""], children=children, source_key="", copies=None)


# the document with what its rules make


class _Known(NamedTuple):
    read: tuple
    made: Made


_last: dict[str, _Known] = {}  # by group, what its rule made last
_done: list[tuple[dict, dict, tuple, dict, dict[str, str]]] = []  # the last few parts and paths, what they became, and what was wrong


def with_copies(document: r.Document) -> r.Document:
    """The document with the parts that its copies rules make, the sources out of sight; the same object when it has no rule.

    Inner rules come first: a group of copies may be copied again. A rule that cannot be followed makes nothing and lets its sources be seen;
    see `trouble` for why.
    """
    parts, _ = _result(document)
    return document if parts is document.parts else replace(document, parts=parts)


def trouble(document: r.Document) -> dict[str, str]:
    """By group, a sentence for each rule that cannot be followed."""
    return _result(document)[1]


def check(document: r.Document, group: str) -> None:
    """Raise BadValue with a sentence when a group's rule cannot be followed."""
    found = trouble(document)
    if group in found:
        raise BadValue(found[group])


def with_inner_copies(document: r.Document, group: str) -> r.Document:
    """The document with what all rules make but that of one group, which is left as it is."""
    held = document.parts[group]
    whole = with_copies(replace(document, parts={**document.parts, group: replace(held, copies=None)}))
    return replace(whole, parts={**whole.parts, group: held})


def _result(document: r.Document) -> tuple[dict[str, r.Part], dict[str, str]]:
    for parts, lines, roots, became, wrong in _done:
        if parts is document.parts and lines is document.paths and (roots is document.roots or roots == document.roots):
            return became, wrong
    groups = [i for i, part in document.parts.items() if part.copies is not None and part.children and not any(":" in c for c in part.children)]
    became, wrong = _expanded(document, groups) if groups else (document.parts, {})
    _done.insert(0, (document.parts, document.paths, document.roots, became, wrong))
    del _done[6:]
    return became, wrong


def _order(document: r.Document, groups: list[str], wrong: dict[str, str]) -> list[str]:
    """Groups so that what a rule copies, and what it scatters over, comes before it."""
    parts = document.parts
    wanted = set(groups)
    needs: dict[str, set[str]] = {}
    for group in groups:
        rule = parts[group].copies
        assert rule is not None
        found = wanted.intersection(below(document, group)) - {group}
        if rule.kind == "surface":
            try:
                found.update(wanted.intersection(_targets(document, rule, group)))
            except BadValue as error:
                wrong[group] = str(error)
        needs[group] = found
    order: list[str] = []
    while needs:
        ready = [g for g, n in needs.items() if not n & set(needs)]
        if not ready:
            for group in needs:
                wrong[group] = "These copies are scattered over what is scattered over them; choose another part."
            break
        order += ready
        for group in ready:
            del needs[group]
    return order


def _expanded(document: r.Document, groups: list[str]) -> tuple[dict[str, r.Part], dict[str, str]]:
    worlds = world_matrices(document)
    wrong: dict[str, str] = {}
    for group in _order(document, groups, wrong):
        if group in wrong:
            continue
        parts = document.parts
        held = parts[group]
        try:
            made = _remembered(document, group, worlds)
            if len(parts) + len(made.parts) > MOST_COPIES + MOST_PARTS:
                raise BadValue(f"The copies rules of this project would make more than {MOST_COPIES:,} parts.".replace(",", " "))
        except AulmoError as error:
            wrong[group] = str(error)
            continue
        sources = sources_of(document, group)
        changed = {group: replace(held, children=(*sources, *made.tops))}
        changed |= {i: replace(parts[i], visible=False) for i in sources}
        document = replace(document, parts={**parts, **changed, **made.parts})
    return document.parts, wrong


def _remembered(document: r.Document, group: str, worlds: dict[str, np.ndarray]) -> Made:
    read = _read(document, group, worlds)
    known = _last.get(group)
    if known is None or len(known.read) != len(read) or not all(a is b or (type(a) in (bytes, str) and a == b) for a, b in zip(known.read, read)):
        known = _Known(read, make(document, group, worlds))
        if len(_last) > 200:
            _last.clear()
        _last[group] = known
    return known.made


def _read(document: r.Document, group: str, worlds: dict[str, np.ndarray]) -> tuple:
    """Everything that what a rule makes depends on."""
    parts = document.parts
    rule = parts[group].copies
    assert rule is not None
    read: list = [rule, *(parts[i] for source in sources_of(document, group) for i in below(document, source))]
    if rule.kind == "path":
        read += [document.paths.get(rule.path or ""), worlds[group].tobytes()]
    if rule.kind == "surface":
        read.append(worlds[group].tobytes())
        for part_id in _targets(document, rule, group):
            read += [parts[part_id].mesh or "", _world(document, worlds, part_id).tobytes(), str(parts[part_id].visible)]
    return tuple(read)
