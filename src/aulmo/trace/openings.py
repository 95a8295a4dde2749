"""The openings of a room: where light from outside comes in, how large each is and how deep its wall, found by rays from inside.

A room is whatever stands around a place: rays that leave it show that there are openings, rays square to the wall around one show its outline.
What is clear, as the panes of a window, counts as open; bars thinner than a hand do not part a window in two.
"""

import math
from typing import Any, NamedTuple, Sequence

import numpy as np

from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.moments import still
from aulmo.document.placement import angles_of
from aulmo.document.properties import resolve
from aulmo.document.records import Document, Lamp
from aulmo.errors import BadValue
from aulmo.light.dome_map import even_directions
from aulmo.trace.scene import LAMP_PART, Scene, SceneBuilder
from aulmo.trace.shape.embree import MASK_EYE, NO_HIT, intersect_once

FIRST, FURTHER, AROUND = 6000, 1500, 700  # rays from the place itself, from other places of the room, round one opening
PLACES = 10  # other places that are looked from, so that what stands round a corner is found
BAR = 0.02  # of the room's size: thinner bars do not part an opening
OUT_OF_DOORS = 0.35  # share of what lies before a place that has to be open
CLEAR = 0.5  # share of light from which on a surface counts as clear
MOST_CELLS = 1600


class Opening(NamedTuple):
    """A hole in a wall: its middle (3,), halfway through the wall; unit vectors to its right, up, and into the room; its size and depth in mm."""

    middle: np.ndarray
    right: np.ndarray
    up: np.ndarray
    inward: np.ndarray
    width: float
    height: float
    depth: float


def clear_parts(document: Document) -> frozenset[str]:
    """The parts that let light through as a pane does."""

    def clear(material_id: str | None) -> bool:
        worn = document.materials.get(material_id or "")
        return worn is not None and (worn.surface.transmission_weight >= CLEAR or worn.surface.geometry_opacity < CLEAR)

    return frozenset(i for i, p in document.parts.items() if p.mesh is not None and clear(p.material))


class _Met(NamedTuple):
    """What a ray meets: where, how far away, the way its surface faces, toward the ray; and whether that is a part, not the floor."""

    point: np.ndarray
    distance: float
    normal: np.ndarray
    is_part: bool


class _Room:
    """Rays in one scene; `size` is how large the room is, in mm."""

    def __init__(self, scene: Scene, clear: frozenset[str]) -> None:
        self.scene, self.size = scene, 1.0
        self.box: tuple[np.ndarray, np.ndarray] | None = None  # around what stands about: the ground beyond it is out of doors
        parts = scene.arrays.instance_part
        see_through = {n for n, part in enumerate(scene.part_ids) if part in clear}
        self._passed = [int(n) in see_through or int(n) == LAMP_PART for n in parts]

    def met(self, origin: np.ndarray, direction: np.ndarray) -> _Met | None:
        """The first thing on a ray that is not clear."""
        found = self._first(origin, direction)
        if found is None:
            return None
        distance, floats, instance = found
        normal = self.scene.arrays.normal_matrices[instance] @ floats[12:15].astype(float)
        normal /= max(1e-30, math.sqrt(float(normal @ normal)))
        is_part = int(self.scene.arrays.instance_part[instance]) >= 0
        return _Met(origin + direction * distance, distance, -normal if normal @ direction > 0 else normal, is_part)

    def _first(self, origin: np.ndarray, direction: np.ndarray) -> tuple[float, np.ndarray, int] | None:
        gone = 0.0
        for _ in range(64):
            floats, words = intersect_once(self.scene.arrays.top, origin + direction * gone, direction, MASK_EYE)
            if words[17] == NO_HIT:
                return None
            distance, instance = gone + float(floats[8]), int(words[19])
            if not self._passed[instance]:
                if self.box is not None and self.scene.arrays.instance_part[instance] < 0:
                    at = origin + direction * distance
                    if (at[:2] < self.box[0][:2]).any() or (at[:2] > self.box[1][:2]).any():
                        return None
                return distance, floats, instance
            gone = distance + 1e-6 * max(self.size, distance)
        return None

    def bounded(self, hits: Sequence[_Met]) -> None:
        """Learn how large the room is by what is seen from within."""
        reached = np.array([h.point for h in hits if h.is_part])
        low, high = np.percentile(reached, 1, 0), np.percentile(reached, 99, 0)
        self.size = float(np.linalg.norm(high - low))
        self.box = (low - 0.03 * self.size, high + 0.03 * self.size)

    def free(self, origin: np.ndarray, direction: np.ndarray, far: float) -> bool:
        """Whether nothing stands within so many mm."""
        found = self._first(origin, direction)
        return found is None or found[0] > far


def _cone(axis: np.ndarray, radius: float, count: int) -> np.ndarray:
    """(count, 3) directions spread evenly within `radius` radians of an axis."""
    k = np.arange(count) + 0.5
    z, turn = 1 - (1 - math.cos(radius)) * k / count, np.pi * (1 + 5**0.5) * k
    r = np.sqrt(np.maximum(0.0, 1 - z * z))
    across, up = _across(axis)
    return np.outer(z, axis) + np.outer(r * np.cos(turn), across) + np.outer(r * np.sin(turn), up)


def _across(axis: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Two unit vectors square to an axis and to one another: the first level, the second as upright as can be; of an upright axis along x and y."""
    first = np.cross([0.0, 0.0, 1.0], axis)
    if np.linalg.norm(first) < 1e-6:
        first = np.cross([0.0, 1.0, 0.0], axis)
    first /= np.linalg.norm(first)
    return first, np.cross(axis, first)


def _tree(directions: np.ndarray) -> Any:
    from scipy.spatial import cKDTree

    return cKDTree(directions)


def _groups(directions: np.ndarray, reach: float) -> list[np.ndarray]:
    """Numbers of directions that lie near one another, by group."""
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components

    pairs = _tree(directions).query_pairs(reach, output_type="ndarray")
    n = len(directions)
    graph = coo_matrix((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), (n, n))
    count, label = connected_components(graph, directed=False)
    return [np.flatnonzero(label == k) for k in range(count)]


def _looked(room: _Room, place: np.ndarray, directions: np.ndarray) -> tuple[np.ndarray, list[_Met]]:
    """The directions that meet nothing, and what the others meet."""
    hits = [room.met(place, d) for d in directions]
    return directions[[h is None for h in hits]], [h for h in hits if h is not None]


def _walls(place: np.ndarray, out: np.ndarray, hits: Sequence[_Met], size: float) -> list[tuple[np.ndarray, float]]:
    """The planes (normal into the room, offset) that directions which meet nothing may go out through: those around that all of them cross, the
    nearest first."""
    normals, points = np.array([h.normal for h in hits]), np.array([h.point for h in hits])
    offsets, left = (normals * points).sum(1), np.ones(len(hits), bool)
    found: list[tuple[float, np.ndarray, float]] = []
    for _ in range(16):
        if left.sum() < 0.04 * len(hits):
            break
        k = int(np.flatnonzero(left)[0])
        same = left & (normals @ normals[k] > 0.9995) & (np.abs(points @ normals[k] - offsets[k]) < 0.002 * size)
        left &= ~same
        normal = normals[same].mean(0)
        normal /= np.linalg.norm(normal)
        offset = float(np.median(points[same] @ normal))
        slope = out @ normal
        if same.sum() < 0.04 * len(hits) or (slope < -1e-6).mean() < 0.9 or normal @ place <= offset:
            continue
        way = float(np.median((offset - normal @ place) / slope[slope < -1e-6]))
        if way > 0:
            found.append((way, normal, offset))
    return [(normal, offset) for _, normal, offset in sorted(found, key=lambda f: f[0])]


def _through(room: _Room, place: np.ndarray, out: np.ndarray, around: Sequence[_Met], known: Sequence[Opening] = ()) -> Opening | None:
    """The opening that directions which meet nothing go out through; None where there is none, or it is `known`."""
    if len(around) < 7:
        return None
    for normal, offset in _walls(place, out, around, room.size):
        gone = out[out @ normal < -1e-6]
        points = place + gone * ((offset - normal @ place) / (gone @ normal))[:, None]
        if any(_within(one, np.median(points, 0), normal, room.size) for one in known):
            return None
        made = _measured(room, points, normal, offset)
        if made is not None:
            return made
    return None


def _from(room: _Room, place: np.ndarray, count: int, known: Sequence[Opening]) -> tuple[list[Opening], list[_Met]]:
    """The openings that are known, those that are seen from a place besides, and what else is seen."""
    out, hits = _looked(room, place, even_directions(count))
    found = list(known)
    if not hits:
        return found, []
    spacing = math.sqrt(4 * math.pi / count)
    out = out[~_leaves_by(found, place, out)]
    for group in _groups(out, 2.2 * spacing) if len(out) else []:
        axis = out[group].mean(0)
        axis /= max(1e-9, float(np.linalg.norm(axis)))
        radius = min(1.4, float(np.arccos(np.clip(out[group] @ axis, -1, 1)).max()) + 3 * spacing)
        fine, near = _looked(room, place, _cone(axis, radius, AROUND))
        step = math.sqrt(2 * math.pi * (1 - math.cos(radius)) / AROUND)
        for own in _groups(fine, 2.2 * step) if len(fine) else []:
            ring = _tree(fine[own])
            around = [h for h in near if ring.query((h.point - place) / h.distance)[0] < 7 * step]
            made = _through(room, place, fine[own], around, found)
            if made is not None and not any(_same(made, one, room.size) for one in found):
                found.append(made)
    return found, hits


def _leaves_by(openings: Sequence[Opening], place: np.ndarray, ways: np.ndarray) -> np.ndarray:
    """Which directions (n, 3) go out through openings that are known."""
    found = np.zeros(len(ways), bool)
    for one in openings:
        slope = ways @ one.inward
        with np.errstate(divide="ignore", invalid="ignore"):
            far = (one.middle - place) @ one.inward / slope
            away = place + ways * far[:, None] - one.middle
            found |= (far > 0) & (np.abs(away @ one.right) <= 0.51 * one.width) & (np.abs(away @ one.up) <= 0.51 * one.height)
    return found


def _within(one: Opening, point: np.ndarray, normal: np.ndarray, size: float) -> bool:
    """Whether a point of a wall lies in an opening that is known."""
    away = point - one.middle
    return bool(
        normal @ one.inward > 0.999 and abs(away @ one.inward) < one.depth + 0.005 * size
        and abs(away @ one.right) < 0.5 * one.width and abs(away @ one.up) < 0.5 * one.height
    )  # fmt: skip


def _same(one: Opening, other: Opening, size: float) -> bool:
    return _within(one, other.middle, other.inward, size) or _within(other, one.middle, one.inward, size)


def _measured(room: _Room, points: np.ndarray, normal: np.ndarray, offset: float) -> Opening | None:
    """The opening in a wall's plane that points (n, 3) of the plane lie in; None where it is none."""
    lift, size = 1e-4 * room.size, room.size
    right, up = _across(-normal)  # as seen from inside the room, looking out
    flat = np.stack([points @ right, points @ up], 1)
    place = lambda u, v, t: right * u + up * v + normal * (offset - t)  # noqa: E731, t: how deep in the wall
    order = np.argsort(np.linalg.norm(flat - np.median(flat, 0), axis=1))
    seed = next((flat[k] for k in order[:40] if room.free(place(flat[k][0], flat[k][1], -lift), -normal, 0.3 * size)), flat[order[0]])
    depth = _depth(room, lambda t: place(seed[0], seed[1], t), right, up, size)
    if depth is None or not _outside(room, place(seed[0], seed[1], depth + lift), normal):
        return None
    start = place(seed[0], seed[1], -lift)

    def goes(u: float, v: float) -> bool:
        """Whether one gets to a point of the wall's face, and out there."""
        at = place(u, v, -lift)
        aside, away = at - start, math.dist(at, start)
        return room.free(at, -normal, lift + depth + 1e-4 * size) and (away < 1e-9 or room.free(start, aside / away, away))

    extent = float(np.ptp(flat, axis=0).max()) if len(flat) > 3 else 0.01 * size
    step = max(extent, 0.005 * size) / 18
    cells = _filled(goes, seed, flat, step)
    while cells is None and step < size:
        step *= 2.0
        cells = _filled(goes, seed, flat, step)
    if cells is None or len(cells) < 4:
        return None
    places = seed + np.array(sorted(cells)) * step
    angle = _turned(places)
    a, b = np.array([math.cos(angle), math.sin(angle)]), np.array([-math.sin(angle), math.cos(angle)])
    low, high = _edges(goes, places, a, b, step), _edges(goes, places, b, a, step)
    if max(low[1] - low[0], high[1] - high[0]) > size:
        return None
    middle = a * 0.5 * (low[0] + low[1]) + b * 0.5 * (high[0] + high[1])
    centre, across = place(middle[0], middle[1], 0.5 * depth), right * a[0] + up * a[1]
    return Opening(centre, across, right * b[0] + up * b[1], normal, low[1] - low[0], high[1] - high[0], depth)


def _outside(room: _Room, at: np.ndarray, normal: np.ndarray) -> bool:
    """Whether a place behind a wall lies out of doors: much of what lies before it is nothing, or the ground."""
    ways = even_directions(400)
    ways = ways[ways @ normal < 0]
    met = [room.met(at, w) for w in ways]
    return sum(h is None or not h.is_part for h in met) > OUT_OF_DOORS * len(ways)


def _depth(room: _Room, at, right: np.ndarray, up: np.ndarray, size: float) -> float | None:
    """How deep a wall is: how far from its inner face jambs stand around a line through an opening. None where they go on: it is no wall."""
    ways = (right, -right, up, -up)
    away = [room.met(at(1e-4 * size), w) for w in ways]
    first = [h.distance if h is not None else math.inf for h in away]

    def within(t: float) -> bool:
        hits = [room.met(at(t), w) for w in ways]
        return sum(h is not None and h.distance < 1.2 * f for h, f in zip(hits, first) if math.isfinite(f)) >= 2

    if not within(2e-4 * size):
        return 0.0
    low, high = 2e-4 * size, 4e-4 * size
    while within(high):
        low, high = high, high * 1.25
        if high > 0.25 * size:
            return None
    for _ in range(22):
        middle = 0.5 * (low + high)
        low, high = (middle, high) if within(middle) else (low, middle)
    return low


def _filled(goes, seed: np.ndarray, flat: np.ndarray, step: float) -> set[tuple[int, int]] | None:
    """The cells of a grid about a place that can be gone through and hang together; None where they are too many."""
    near = np.rint((flat - seed) / step).astype(int)
    start: set[tuple[int, int]] = {(int(u), int(v)) for u, v in near} | {(0, 0)}
    cells: set[tuple[int, int]] = set()
    known: dict[tuple[int, int], bool] = {}
    todo = list(start)
    while todo:
        if len(known) > MOST_CELLS:
            return None
        cell = todo.pop()
        if cell in known:
            continue
        known[cell] = bool(goes(seed[0] + cell[0] * step, seed[1] + cell[1] * step))
        if known[cell]:
            cells.add(cell)
            todo += [(cell[0] + x, cell[1] + y) for x, y in ((1, 0), (-1, 0), (0, 1), (0, -1))]
    return cells


def _turned(places: np.ndarray) -> float:
    """The angle in radians by which a rectangle about places (n, 2) is turned; 0 unless it is plainly smaller so."""
    angles = np.radians(np.arange(-45.0, 45.0, 1.0))
    a, b = np.array([np.cos(angles), np.sin(angles)]), np.array([-np.sin(angles), np.cos(angles)])
    areas = np.ptp(places @ a, axis=0) * np.ptp(places @ b, axis=0)
    best = int(np.argmin(areas))
    return float(angles[best]) if areas[best] < 0.9 * float(np.prod(np.ptp(places, axis=0))) else 0.0


def _edges(goes, places: np.ndarray, along: np.ndarray, across: np.ndarray, step: float) -> tuple[float, float]:
    """How far an opening reaches to both sides along a direction: the outermost, to a thousandth of a cell."""
    at, row = places @ along, np.rint(places @ across / step).astype(int)
    found = []
    for sign in (-1.0, 1.0):
        furthest = {r: float((sign * at[row == r]).max()) for r in np.unique(row)}
        top = max(furthest.values())
        rows = [r for r, far in furthest.items() if far > top - 2.5 * step][::2] or [next(iter(furthest))]
        best = -math.inf
        for r in rows[:9]:
            low, high = furthest[r], furthest[r] + 1.5 * step
            level = float((places @ across)[row == r].mean())
            for _ in range(18):
                middle = 0.5 * (low + high)
                open_ = goes(*(along * sign * middle + across * level))
                low, high = (middle, high) if open_ else (low, middle)
            best = max(best, low)
        found.append(best)
    return -found[0], found[1]


def _joined(room: _Room, openings: list[Opening]) -> list[Opening]:
    """Panes that thin bars part, as one opening."""
    found = list(openings)
    again = True
    while again:
        again = False
        for i, one in enumerate(found):
            for other in found[i + 1 :]:
                made = _as_one(room, one, other)
                if made is not None:
                    found = [x for x in found if x is not one and x is not other] + [made]
                    again = True
                    break
            if again:
                break
    return found


def _as_one(room: _Room, one: Opening, other: Opening) -> Opening | None:
    if one.inward @ other.inward < 0.9995 or one.right @ other.right < 0.999:
        return None
    away = other.middle - one.middle
    if abs(away @ one.inward) > 0.5 * abs(one.depth - other.depth) + 0.002 * room.size:
        return None
    axes = (one.right, one.up)
    spans = [((-0.5 * s, 0.5 * s), (away @ v - 0.5 * t, away @ v + 0.5 * t)) for v, s, t in zip(axes, one[4:6], other[4:6])]
    for k in (0, 1):
        (a, b), (c, d) = spans[k]
        (e, f), (g, h) = spans[1 - k]
        gap = max(a, c) - min(b, d)
        covered = min(f, h) - max(e, g)
        if gap > BAR * room.size or covered < 0.85 * min(f - e, h - g):
            continue
        bar = axes[k] * (0.5 * (max(a, c) + min(b, d))) + axes[1 - k] * (0.5 * (max(e, g) + min(f, h)))
        front = one.middle + bar + one.inward * (0.5 * one.depth + 1e-4 * room.size)
        if gap > 0.006 * room.size and not room.free(front, -one.inward, 3e-4 * room.size):
            continue  # it stands in the wall's own face: a pier and no bar
        lows, highs = [min(x[0], y[0]) for x, y in spans], [max(x[1], y[1]) for x, y in spans]
        shift = [0.5 * (x + y) for x, y in zip(lows, highs)]
        middle = one.middle + one.right * shift[0] + one.up * shift[1]
        return one._replace(middle=middle, width=highs[0] - lows[0], height=highs[1] - lows[1], depth=max(one.depth, other.depth))
    return None


def openings_in(scene: Scene, clear: frozenset[str], place) -> list[Opening]:
    """All openings of the room that a place (3,) lies in, the largest first. Raises BadValue where there is no room around it."""
    place = np.asarray(place, float)
    room = _Room(scene, clear)
    near = _looked(room, place, even_directions(600))[1] if len(scene.meshes) else []
    inside = [h for h in near if h.is_part]
    if len(inside) < 200:
        raise BadValue("That place does not lie in a room: too little stands around it.")
    room.bounded(near)
    found, hits = _from(room, place, FIRST, [])
    reached = np.array([h.point for h in hits if h.is_part])
    for other in _places(place, reached):
        found = _from(room, other, FURTHER, found)[0]
    return sorted(_joined(room, found), key=lambda o: -o.width * o.height)


def _places(place: np.ndarray, reached: np.ndarray) -> np.ndarray:
    """Other places of a room, far from one another: before what is seen from the first."""
    inner = place + 0.8 * (reached - place)
    chosen = [place]
    for _ in range(min(PLACES, len(inner))):
        away = np.min([np.linalg.norm(inner - c, axis=1) for c in chosen], 0)
        chosen.append(inner[int(np.argmax(away))])
    return np.array(chosen[1:])


def opening_at(scene: Scene, clear: frozenset[str], place, direction) -> Opening:
    """The opening that a ray from inside a room goes out through. Raises BadValue where it meets a wall."""
    place, direction = np.asarray(place, float), np.asarray(direction, float)
    room = _Room(scene, clear)
    near = [h for d in even_directions(400) if (h := room.met(place, d)) is not None and h.is_part]
    if len(near) < 100:
        raise BadValue("The view does not look out of a room here; go inside first.")
    room.bounded(near)
    direction = direction / np.linalg.norm(direction)
    if room.met(place, direction) is not None:
        raise BadValue("There is no opening there: click where one sees out.")
    for radius in (0.1, 0.3, 0.7, 1.3):
        fine, hits = _looked(room, place, np.vstack([direction, _cone(direction, radius, AROUND)]))
        step = math.sqrt(2 * math.pi * (1 - math.cos(radius)) / AROUND)
        own = next(g for g in _groups(fine, 2.2 * step) if 0 in g)
        ring = _tree(fine[own])
        around = [h for h in hits if ring.query((h.point - place) / h.distance)[0] < 9 * step]
        made = _through(room, place, fine[own], around)
        if made is not None:
            return made
    raise BadValue("The outline of that opening could not be found.")


def portal_of(opening: Opening, name: str) -> Lamp:
    """A portal that fills an opening and faces the room."""
    axes = np.stack([opening.right, opening.up, -opening.inward], 1)
    x, y, z = opening.middle.round(4).tolist()
    a, b, c = (float(round(v, 6)) for v in angles_of(axes[None])[0])
    width, height = (float(round(v, 3)) for v in (opening.width, opening.height))
    return Lamp(edits.new_id(), name, "portal", (x, y, z), (a, b, c), width, height)


def with_portals(document: Document, openings: Sequence[Opening]) -> tuple[Document, list[str]]:
    """The document with a portal in each opening, and their ids; one that has a portal keeps that."""
    ids: list[str] = []
    for opening in openings:
        there = next((lamp.id for lamp in document.lamps.values() if lamp.kind == "portal" and _holds(opening, lamp)), None)
        if there is None:
            made = portal_of(opening, edits.free_name("Portal", (lamp.name for lamp in document.lamps.values())))
            document, there = edits.put_lamp(document, made), made.id
        ids.append(there)
    return document, ids


def _holds(opening: Opening, lamp: Lamp) -> bool:
    away = np.array(lamp.position) - opening.middle
    return bool(
        abs(away @ opening.right) < 0.5 * opening.width and abs(away @ opening.up) < 0.5 * opening.height
        and abs(away @ opening.inward) < max(opening.depth, 0.25 * min(opening.width, opening.height))
    )  # fmt: skip


def portals(document: Document, assets: AssetStore, place, builder: SceneBuilder | None = None) -> tuple[Document, list[str]]:
    """A portal in every opening of the room that a place (3,) lies in. Returns the document and their ids. Raises BadValue."""
    place = np.asarray(place, float).reshape(-1)
    if place.shape != (3,) or not np.isfinite(place).all():
        raise BadValue("A place in a room needs three numbers.")
    seen = resolve(document)
    scene = (builder or SceneBuilder(assets)).build(still(seen), False)
    found = openings_in(scene, clear_parts(seen), place)
    if not found:
        raise BadValue("This room has no opening that light comes in by.")
    return with_portals(document, found)
