"""Copies rules: a group's rule made into parts. A made part is called `<group>:<number>`, what hangs below it `<group>:<number>:<source>`; both
keep their names as long as the rule makes that many.

What a rule makes is remembered until something it reads has become another record, so a document in which nothing of it changed costs nothing.
"""

import math
from typing import NamedTuple, Sequence

import numpy as np
from msgspec.structs import replace

from aulmo.document import records as r
from aulmo.document.assets import store_of
from aulmo.document.made import paths
from aulmo.document.placement import local_matrices, to_matrix, world_matrices, world_matrix
from aulmo.errors import AulmoError, BadValue

AXES = {"x": 0, "y": 1, "z": 2}
TRIES = 12  # throws for each wanted copy before a surface counts as full


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
        return sources[int(_picked(rule, len(sources), int(steps[1]) + 1)[-1])]
    return part_id


# the places of copies


def _turns(turn: np.ndarray) -> np.ndarray:
    """(n, 3, 3) of degrees about x, y, z (n, 3)."""
    placed = np.zeros((len(turn), 9))
    placed[:, 3:6], placed[:, 6:] = turn, 1.0
    return local_matrices(placed)[:, :3, :3]


def _about(axis: int, degrees: np.ndarray) -> np.ndarray:
    turn = np.zeros((len(degrees), 3))
    turn[:, axis] = degrees
    return _turns(turn)


def _picked(rule: r.Copies, sources: int, count: int) -> np.ndarray:
    """(count,) which source each copy is of: by shares, the same for a number however many there are."""
    if sources < 2:
        return np.zeros(count, np.int64)
    shares = np.array([*rule.shares[:sources], *[1.0] * (sources - len(rule.shares))], float)
    total = shares.sum()
    ends = np.cumsum(shares / total) if total > 0 else np.arange(1, sources + 1) / sources
    drawn = np.random.default_rng([rule.seed, 1]).random(count)
    return np.minimum(np.searchsorted(ends, drawn, "right"), sources - 1)


class _Spread(NamedTuple):
    """Where copies go: `points` (n, 3) and `turns` (n, 3, 3) in the group's axes. `moves` tells that they move each source from where it stands,
    by `points` after turning it about the origin; else its anchor is put on the point."""

    points: np.ndarray
    turns: np.ndarray
    moves: bool


def _still(count: int) -> np.ndarray:
    return np.broadcast_to(np.eye(3), (count, 3, 3))


def _row(rule: r.Copies) -> _Spread:
    return _Spread(np.arange(rule.count)[:, None] * np.array(rule.step), _still(rule.count), True)


def _grid(rule: r.Copies) -> _Spread:
    i = np.arange(rule.count)
    cells = np.stack([i % rule.columns, i // rule.columns % rule.rows, i // (rule.columns * rule.rows)], 1)
    return _Spread(cells * np.array(rule.step), _still(rule.count), True)


def _ring(rule: r.Copies, middle: np.ndarray) -> _Spread:
    """Round the axis through the centre. With a radius the sources are first moved out to it, by the middle of their boxes."""
    axis, centre = AXES[rule.axis], np.array(rule.centre)
    whole = abs(abs(rule.sweep) - 360.0) < 1e-9
    degrees = rule.sweep * np.arange(rule.count) / max(1, rule.count if whole else rule.count - 1)
    turns = _about(axis, degrees)
    out = np.zeros(3)
    if rule.radius > 0:
        away = middle - centre
        away[axis] = 0.0
        far = float(np.linalg.norm(away))
        way = away / far if far > 1e-6 else np.eye(3)[(axis + 1) % 3]
        out = way * rule.radius - away
    start = middle + out - centre
    moved = turns @ start + centre  # where the middle of a source goes
    if rule.turned:
        return _Spread(moved - turns @ middle, turns, True)
    return _Spread(moved - middle, _still(rule.count), True)


def _path(rule: r.Copies, document: r.Document, world: np.ndarray) -> _Spread:
    path = document.paths.get(rule.path or "")
    if path is None:
        raise BadValue("Copies along a path need a path: draw one and choose it.")
    found = paths.places(path, rule.count)
    inverse = np.linalg.inv(world)
    points = found.points @ inverse[:3, :3].T + inverse[:3, 3]
    if not rule.turned:
        return _Spread(points, _still(rule.count), False)
    ways = found.headings @ inverse[:3, :3].T
    heading = np.degrees(np.arctan2(ways[:, 1], ways[:, 0]))
    turn = np.zeros((rule.count, 3))
    turn[:, 2] = heading
    if not rule.upright:
        turn[:, 1] = -np.degrees(np.arctan2(ways[:, 2], np.hypot(ways[:, 0], ways[:, 1])))
    return _Spread(points, _turns(turn), False)


def _box(rule: r.Copies) -> _Spread:
    drawn = np.random.default_rng([rule.seed, 2]).random((rule.count, 3)) - 0.5
    return _kept_apart(_Spread(np.array(rule.centre) + drawn * np.array(rule.box), _still(rule.count), False), rule.apart)


def _ball(rule: r.Copies) -> _Spread:
    random = np.random.default_rng([rule.seed, 3])
    way = random.normal(size=(rule.count, 3))
    way /= np.maximum(np.linalg.norm(way, axis=1, keepdims=True), 1e-12)
    points = np.array(rule.centre) + (rule.radius or 100.0) * np.cbrt(random.random((rule.count, 1))) * way
    return _kept_apart(_Spread(points, _still(rule.count), False), rule.apart)


def _kept_apart(spread: _Spread, apart: float) -> _Spread:
    """Without those that stand too near to one that comes before."""
    if apart <= 0 or len(spread.points) < 2:
        return spread
    kept = np.array(_first_apart(spread.points, apart, len(spread.points)), np.int64)
    return _Spread(spread.points[kept], spread.turns[kept], spread.moves)


def _first_apart(points: np.ndarray, apart: float, most: int) -> list[int]:
    """Which points, in their order, keep a distance from all that were kept before; up to `most`."""
    cells = np.floor(points / apart).astype(np.int64)
    near: dict[tuple[int, int, int], list[int]] = {}
    kept: list[int] = []
    limit = apart * apart
    rows = points.tolist()
    for k, (a, b, c) in enumerate(cells.tolist()):
        x, y, z = rows[k]
        free = True
        for i in (a - 1, a, a + 1):
            for j in (b - 1, b, b + 1):
                for n in (c - 1, c, c + 1):
                    for other in near.get((i, j, n), ()):
                        u, v, w = rows[other]
                        if (x - u) ** 2 + (y - v) ** 2 + (z - w) ** 2 < limit:
                            free = False
                            break
                    if not free:
                        break
                if not free:
                    break
            if not free:
                break
        if free:
            near.setdefault((a, b, c), []).append(k)
            kept.append(k)
            if len(kept) == most:
                break
    return kept


def _surface(rule: r.Copies, triangles: np.ndarray, normals: np.ndarray, up: np.ndarray) -> _Spread:
    """Evenly by area over (m, 3, 3) triangles with (m, 3, 3) normals at their corners and the way up, all in the group's axes."""
    cross = np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0])
    area = 0.5 * np.linalg.norm(cross, axis=1)
    if rule.steepest < 180.0:
        facing = np.einsum("nij,j->ni", normals, up).mean(1) / np.maximum(1e-12, np.linalg.norm(normals.mean(1), axis=1))
        area = np.where(facing >= math.cos(math.radians(rule.steepest)) - 1e-9, area, 0.0)
    total = float(area.sum())
    if not total > 1e-9:
        raise BadValue("Nothing can be scattered there: the parts chosen for it have no area.")
    wanted = rule.count * (TRIES if rule.apart > 0 else 1)
    random = np.random.default_rng([rule.seed, 4])
    # one in each of equal shares of the area, in a random order; each copy keeps its place when more are made only if nothing is sorted by number
    at = (random.permutation(wanted) + random.random(wanted)) / wanted * total if rule.apart <= 0 else random.random(wanted) * total
    k = np.minimum(np.searchsorted(np.cumsum(area), at, "right"), len(area) - 1)
    u, v = np.sqrt(random.random(wanted)), random.random(wanted)
    weights = np.stack([1 - u, u * (1 - v), u * v], 1)[:, :, None]
    points = (triangles[k] * weights).sum(1)
    if rule.apart > 0:
        kept = _first_apart(points, rule.apart, rule.count)
        points, k, weights = points[kept], k[kept], weights[kept]
    if rule.upright:
        return _Spread(points, _still(len(points)), False)
    return _Spread(points, standing_on((normals[k] * weights).sum(1)), False)


def standing_on(normals: np.ndarray) -> np.ndarray:
    """(n, 3, 3) turns by the shortest way that let z point along (n, 3) normals of any length."""
    n = normals / np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-12)
    x, y, z = n.T
    sign = np.where(z >= 0, 1.0, -1.0)  # below the horizon by way of a half turn about x, which keeps it well defined everywhere
    a = 1.0 / (1.0 + np.abs(z))
    result = np.empty((len(n), 3, 3))
    result[:, 0] = np.stack([1 - x * x * a, -x * y * a * sign, x], 1)
    result[:, 1] = np.stack([-x * y * a, sign * (1 - y * y * a), y], 1)
    result[:, 2] = np.stack([-x * sign, -y, z], 1)
    return result


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


def _targets(parts: dict[str, r.Part], rule: r.Copies, group: str) -> list[str]:
    """Every part that copies are scattered over, the rule's own group left out. Raises BadValue when it is meant itself."""
    inside, stack = set(), [group]
    while stack:
        inside.add(stack[-1])
        stack.extend(parts[stack.pop()].children)
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


def _target(document: r.Document, rule: r.Copies, group: str, world: np.ndarray, worlds: dict[str, np.ndarray]) -> tuple[np.ndarray, np.ndarray]:
    """Corners and normals (m, 3, 3) of what copies are scattered over, in the group's axes."""
    inside = np.linalg.inv(world)
    triangles, normals = [np.zeros((0, 3, 3))], [np.zeros((0, 3, 3))]
    for part_id in _targets(document.parts, rule, group):
        part = document.parts[part_id]
        if part.mesh is None or not part.visible:
            continue
        mesh = store_of(part.mesh).mesh(part.mesh)
        matrix = inside @ (worlds[part_id] if part_id in worlds else world_matrix(document, part_id))
        triangles.append((mesh.vertices.astype(float) @ matrix[:3, :3].T + matrix[:3, 3])[mesh.triangles])
        turned = mesh.normals.astype(float) @ np.linalg.inv(matrix[:3, :3])
        normals.append((turned * np.sign(np.linalg.det(matrix[:3, :3])))[mesh.triangles])
    return np.concatenate(triangles), np.concatenate(normals)


def _spread(
    document: r.Document, rule: r.Copies, group: str, world: np.ndarray, subtrees: Sequence[_Subtree], worlds: dict[str, np.ndarray]
) -> _Spread:  # fmt: skip
    if rule.kind == "row":
        return _row(rule)
    if rule.kind == "grid":
        return _grid(rule)
    if rule.kind == "ring":
        return _ring(rule, _anchor(subtrees[0], "middle"))
    if rule.kind == "path":
        return _path(rule, document, world)
    if rule.kind == "box":
        return _box(rule)
    if rule.kind == "ball":
        return _ball(rule)
    return _surface(rule, *_target(document, rule, group, world, worlds), np.linalg.inv(world)[:3, :3] @ [0.0, 0.0, 1.0])


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
    picked = _picked(rule, len(sources), count)
    total = int(np.bincount(picked, minlength=len(sources)) @ [len(s.parts) for s in subtrees])
    if total > MOST_TOGETHER:
        raise BadValue(f"{parts[group].name} would make {total:,} parts; up to {MOST_TOGETHER:,} are made.".replace(",", " "))
    random = np.random.default_rng([rule.seed, 5])
    jitter = random.uniform(-1, 1, (count, 7))
    points, turns = spread.points + jitter[:, :3] * np.array(rule.jitter_place), spread.turns
    astray = any(rule.jitter_turn)
    if astray:
        turns = turns @ _turns(jitter[:, 3:6] * np.array(rule.jitter_turn))
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
    angles = _angles(turns @ to_matrix(r.Placement(turn=own.turn))[:3, :3])
    scales = sizes[:, None] * np.array(own.scale)
    return [new((x, y, z), (a, b, c), (u, v, w)) for x, y, z, a, b, c, u, v, w in np.concatenate([positions, angles, scales], 1).tolist()]


def _angles(turns: np.ndarray) -> np.ndarray:
    """(n, 3) degrees about x, y, z of (n, 3, 3) turns."""
    y = np.arcsin(np.clip(-turns[:, 2, 0], -1, 1))
    level = np.abs(turns[:, 2, 0]) < 0.9999999
    x = np.where(level, np.arctan2(turns[:, 2, 1], turns[:, 2, 2]), np.arctan2(-turns[:, 1, 2], turns[:, 1, 1]))
    z = np.where(level, np.arctan2(turns[:, 1, 0], turns[:, 0, 0]), 0.0)
    return np.degrees(np.stack([x, y, z], 1))


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


MOST_TOGETHER = 1_000_000
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


def _result(document: r.Document) -> tuple[dict[str, r.Part], dict[str, str]]:
    for parts, lines, roots, became, wrong in _done:
        if parts is document.parts and lines is document.paths and roots == document.roots:
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
        stack, found = list(parts[group].children), set()
        if rule.kind == "surface":
            try:
                found.update(wanted.intersection(_targets(parts, rule, group)))
            except BadValue as error:
                wrong[group] = str(error)
        while stack:
            part_id = stack.pop()
            if part_id in wanted:
                found.add(part_id)
            stack.extend(parts[part_id].children)
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
            if len(parts) + len(made.parts) > MOST_TOGETHER + MOST_STORED:
                raise BadValue(f"The copies rules of this project would make more than {MOST_TOGETHER:,} parts.".replace(",", " "))
        except AulmoError as error:
            wrong[group] = str(error)
            continue
        sources = sources_of(document, group)
        changed = {group: replace(held, children=(*sources, *made.tops))}
        changed |= {i: replace(parts[i], visible=False) for i in sources}
        document = replace(document, parts={**parts, **changed, **made.parts})
    return document.parts, wrong


MOST_STORED = 500_000


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
    read: list = [rule]
    stack = sources_of(document, group)
    while stack:
        part = parts[stack.pop()]
        read.append(part)
        stack.extend(part.children)
    if rule.kind == "path":
        read += [document.paths.get(rule.path or ""), worlds[group].tobytes()]
    if rule.kind == "surface":
        read.append(worlds[group].tobytes())
        for part_id in _targets(parts, rule, group):
            matrix = worlds[part_id] if part_id in worlds else world_matrix(document, part_id)
            read += [parts[part_id].mesh or "", matrix.tobytes(), str(parts[part_id].visible)]
    return tuple(read)


def turns_of(degrees: float, axis: str) -> np.ndarray:
    """(3, 3) turn about an axis of the group."""
    return _about(AXES[axis], np.array([degrees]))[0]


def evenly(count: int) -> tuple[int, int]:
    """Columns and rows of a grid that is as square as it can be."""
    columns = max(1, math.ceil(math.sqrt(count)))
    return columns, max(1, math.ceil(count / columns))
