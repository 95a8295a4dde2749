"""A carton's flat made ready for folding: the tree of panels about the front, and each panel's sheet in the plane with room left for its creases."""

import functools
from typing import NamedTuple

import numpy as np

from aulmo.document.flat import Flat, flat_of
from aulmo.document.made.carton_bend import Bend, bend_of
from aulmo.document.made.carton_board import LINER, cut_up, film_of, indexed, waves
from aulmo.document.made.carton_hinge import Hinge
from aulmo.errors import BadValue

BEND = np.pi / 2  # a crease takes so many thicknesses of board: folded flat its two sides just touch
MOST_OF_PANEL = 0.4  # of a panel's reach beside a crease that the crease may take
ON_RIM_MM = 2e-4
SLIT_MM = 0.08
FRONT, BACK, EDGE, FILM = range(4)  # what a triangle shows of its panel: its face number is 4 panel + one of these; creases follow panels


class Sheets(NamedTuple):
    """The panels' sheets, one behind the other. Of each corner: its place in the drawing, how high above the middle of the board in thicknesses, its
    normal in the panel's axes, its panel. Triangles (m, 3) and what they show."""

    places: np.ndarray
    heights: np.ndarray
    normals: np.ndarray
    panel: np.ndarray
    triangles: np.ndarray
    faces: np.ndarray


class Strip(NamedTuple):
    """What bends between two panels: places along the crease's line, mm from its `at`, and which stretches between them are board."""

    hinge: int
    knots: np.ndarray
    solid: np.ndarray


class Ready(NamedTuple):
    """A flat ready to fold. `bends` has the hinges whose crease is curved, by the panel before it and by the one beyond it."""

    flat: Flat
    front: int
    hinges: tuple[Hinge, ...]
    sheets: Sheets
    strips: tuple[Strip, ...]
    before: dict[int, Bend] = {}
    beyond: dict[int, Bend] = {}


def reach(points: np.ndarray, at: np.ndarray, out: np.ndarray) -> float:
    """How far points reach from a line, on the side that `out` points to."""
    return float(((points - at) @ out).max())


def hinges_of(flat: Flat, front: int, thickness: float) -> tuple[Hinge, ...]:
    """The tree of panels from the front outward. Raises BadValue for a front there is not."""
    if not 0 <= front < len(flat.panels):
        raise BadValue(f"The carton has no panel {front + 1} for its front.")
    beside: dict[int, list[int]] = {}
    for k, crease in enumerate(flat.creases):
        if not crease.loose:
            for panel in crease.panels:
                beside.setdefault(panel, []).append(k)
    found: list[Hinge] = []
    seen, line = {front}, [front]
    rings = [np.array(panel.rings[0]) for panel in flat.panels]
    for parent in line:
        for k in beside.get(parent, ()):
            crease = flat.creases[k]
            child = crease.panels[1] if crease.panels[0] == parent else crease.panels[0]
            if child in seen:
                continue
            seen.add(child)
            line.append(child)
            first, last = np.array(crease.pieces[0][0]), np.array(crease.pieces[-1][-1])
            length = float(np.hypot(*(last - first)))
            along = (last - first) / length
            out = np.array([along[1], -along[0]])  # the first panel lies to the left
            if crease.panels[0] != parent:
                out = -out
            room = MOST_OF_PANEL * min(reach(rings[child], first, out), reach(rings[parent], first, -out))
            found.append(Hinge(k, parent, child, first, along, out, max(1e-3, min(BEND * thickness, 2 * room)), length))
    return tuple(found)


class Board(NamedTuple):
    """What a carton is folded of: thickness in mm, the axis that flutes run along ("no" for none) and their pitch, the film behind its windows."""

    thickness: float
    fluted: str = "no"
    pitch_mm: float = 0.0
    film_mm: float = 0.0


@functools.lru_cache(maxsize=32)
def ready(name: str, front: int, board: Board) -> Ready:
    """The flat of an asset's name ready for folding with a board. Raises BadValue, BadFile."""
    return made_ready(flat_of(name), front, board)


def made_ready(flat: Flat, front: int, board: Board) -> Ready:
    """A flat ready for folding."""
    thickness = board.thickness
    hinges = hinges_of(flat, front, thickness)
    mine: dict[int, list[int]] = {}
    for k, hinge in enumerate(hinges):
        mine.setdefault(hinge.parent, []).append(k)
        mine.setdefault(hinge.child, []).append(k)
    kept = {front, *(h.child for h in hinges)}
    before, beyond = _bends(flat, hinges)
    pieces = []
    borders: dict[int, list[tuple[float, float]]] = {}
    for panel in sorted(kept):
        own = [hinges[k] for k in mine.get(panel, ())]
        for piece, met in _sheet(flat, panel, own, beyond.get(panel) or before.get(panel)):
            pieces.append(piece)
            for k, stretch in met:
                borders.setdefault(mine[panel][k], []).append(stretch)
    sheets = _stacked(pieces, board)
    if board.film_mm > 0:
        sheets = _with_film(flat, sorted(kept), sheets, board)
    strips = tuple(_strip(flat, k, hinge, borders.get(k, [])) for k, hinge in enumerate(hinges))
    return Ready(flat, front, hinges, sheets, strips, before, beyond)


def _bends(flat: Flat, hinges: tuple[Hinge, ...]) -> tuple[dict[int, Bend], dict[int, Bend]]:
    """Bent panels: those before a curved crease (of several the one that rises most) and those beyond one."""
    before: dict[int, Bend] = {}
    beyond: dict[int, Bend] = {}
    for hinge in hinges:
        bend = bend_of(hinge, flat.creases[hinge.crease])
        if bend is not None:
            beyond[hinge.child] = bend
            held = before.get(hinge.parent)
            if held is None or np.abs(bend.height).max() > np.abs(held.height).max():
                before[hinge.parent] = bend
    return before, beyond


def _in_strips(polygon, bend: Bend):
    """A polygon in narrow pieces square to the chord of the arc that bends it."""
    import shapely

    hinge = bend.hinge
    ring = np.array(polygon.exterior.coords) - hinge.at
    x, y = ring @ hinge.along, ring @ hinge.out
    step = bend.along[1] - bend.along[0]
    marks = np.arange(np.floor(x.min() / step), np.ceil(x.max() / step) + 1) * step
    low, high = y.min() - 1, y.max() + 1
    at = lambda u, v: hinge.at + np.multiply.outer(u, hinge.along) + v * hinge.out  # noqa: E731
    a, b = marks[:-1], marks[1:]
    cells = shapely.polygons(np.stack([at(a, low), at(b, low), at(b, high), at(a, high), at(a, low)], 1))
    pieces = shapely.intersection(cells, polygon)
    return shapely.geometrycollections(list(pieces[shapely.area(pieces) > 1e-7]))


def _sheet(flat: Flat, panel: int, own: list[Hinge], bend: Bend | None):
    """A panel without what bends at its creases, and where it borders on those: (sheet, [(number among its creases, stretch)]) of each piece."""
    import shapely

    held = flat.panels[panel]
    shape = shapely.Polygon(held.rings[0], held.rings[1:])
    pieces: list = [(k, hinge, piece) for k, hinge in enumerate(own) for piece in flat.creases[hinge.crease].pieces]
    away = [shapely.LineString(piece).buffer(hinge.width / 2, cap_style="flat", join_style="mitre") for _, hinge, piece in pieces]
    away += [shapely.LineString(slit).buffer(SLIT_MM / 2, cap_style="flat") for slit in held.slits if len(slit) > 1]
    if away:
        shape = shape.difference(shapely.union_all(away))
    found = []
    for polygon in shapely.get_parts(shape):
        if polygon.geom_type != "Polygon" or polygon.area < 1e-6:
            continue
        polygon = shapely.orient_polygons(shapely.remove_repeated_points(polygon, 1e-7))
        if bend is not None:
            polygon = shapely.segmentize(polygon, bend.along[1] - bend.along[0])
        whole = polygon if bend is None else _in_strips(polygon, bend)
        rings = [np.array(ring.coords)[:-1] for ring in (polygon.exterior, *polygon.interiors)]
        starts = np.concatenate(rings)
        ends = np.concatenate([np.roll(ring, -1, 0) for ring in rings])
        bordering = np.full(len(starts), -1)
        met: list[tuple[int, tuple[float, float]]] = []
        for k, hinge, piece in pieces:
            line = shapely.LineString(piece)
            near = np.ones(len(starts), bool)
            for wanted in (starts, ends):
                near &= np.abs(shapely.distance(shapely.points(wanted), line) - hinge.width / 2) < ON_RIM_MM
            middle = np.abs(shapely.distance(shapely.points((starts + ends) / 2), line) - hinge.width / 2) < max(ON_RIM_MM, 0.02 * hinge.width)
            square = np.abs((ends - starts) @ hinge.out) < (0.7 if len(piece) < 4 else 0.95) * np.hypot(*(ends - starts).T)
            for edge in np.nonzero(near & middle & square)[0]:
                bordering[edge] = k
                a, b = sorted((float((starts[edge] - hinge.at) @ hinge.along), float((ends[edge] - hinge.at) @ hinge.along)))
                met.append((k, (a, b)))
        found.append(((panel, cut_up(whole), starts, ends, bordering < 0, polygon), met))
    return found


def _stacked(pieces: list, board: Board) -> Sheets:
    thickness, liner = board.thickness, LINER if board.fluted != "no" else 0.0
    places, heights, normals, panels, triangles, faces = [], [], [], [], [], []
    count = 0

    def add(at: np.ndarray, height: np.ndarray, normal: np.ndarray, panel: int, three: np.ndarray, shows: int) -> None:
        nonlocal count
        places.append(at)
        heights.append(height)
        normals.append(normal)
        panels.append(np.full(len(at), panel))
        triangles.append(three + count)
        faces.append(np.full(len(three), 4 * panel + shows))
        count += len(at)

    for panel, flat, starts, ends, open_edge, polygon in pieces:
        corners, three = indexed(flat)
        up = np.broadcast_to([0.0, 0.0, 1.0], (len(corners), 3))
        add(corners, np.full(len(corners), 0.5), up, panel, three, FRONT)
        add(corners, np.full(len(corners), -0.5), -up, panel, three[:, ::-1], BACK)
        s, e = starts[open_edge], ends[open_edge]
        n = len(s)
        if n:
            way = (e - s) / np.maximum(1e-12, np.hypot(*(e - s).T))[:, None]
            outward = np.stack([way[:, 1], -way[:, 0], np.zeros(n)], 1)
            at = np.concatenate([s, e, e, s])
            i = np.arange(n)
            quads = np.concatenate([np.stack([i, i + n, i + 2 * n], 1), np.stack([i, i + 2 * n, i + 3 * n], 1)])
            for low, high in ((-0.5, 0.5),) if not liner else ((-0.5, liner - 0.5), (0.5 - liner, 0.5)):
                add(at, np.repeat([low, low, high, high], n), np.tile(outward, (4, 1)), panel, quads, EDGE)
        for sheet in waves(polygon, thickness, board.pitch_mm, board.fluted) if liner and n else ():
            add(sheet.places, sheet.heights / thickness, sheet.normals, panel, sheet.triangles, EDGE)
    return Sheets(*(np.concatenate(one) for one in (places, heights, normals, panels, triangles, faces)))


def _with_film(flat: Flat, panels: list[int], sheets: Sheets, board: Board) -> Sheets:
    """Sheets with the film behind windows among them."""
    found = [sheets]
    count = len(sheets.places)
    for panel in panels:
        for film in film_of(flat, panel, board.thickness, board.film_mm):
            n = len(film.places)
            faces = np.full(len(film.triangles), 4 * panel + FILM)
            found.append(Sheets(film.places, film.heights / board.thickness, film.normals, np.full(n, panel), film.triangles + count, faces))
            count += n
    return Sheets(*(np.concatenate([one[k] for one in found]) for k in range(6)))


PERFORATED_MM, BRIDGE_MM = 3.0, 1.2  # cut and uncut stretches of a perforation


def _strip(flat: Flat, number: int, hinge: Hinge, borders: list[tuple[float, float]]) -> Strip:
    """Where along its line a crease is board: wherever a panel borders on it; a perforation in turns."""
    if not borders:
        borders = [(0.0, hinge.length)]
    ends = np.unique(np.round([v for pair in borders for v in pair], 7))
    crease = flat.creases[hinge.crease]
    spans = []
    for piece in crease.pieces:
        along = (np.array(piece) - hinge.at) @ hinge.along
        spans.append((float(along.min()), float(along.max())))
        if len(piece) > 2:
            ends = np.union1d(ends, np.round(along, 7))
    if crease.kind == "perforation":
        marks = np.concatenate([np.arange(a + BRIDGE_MM, b, PERFORATED_MM + BRIDGE_MM) for a, b in spans] or [np.zeros(0)])
        marks = np.concatenate([marks, np.minimum(marks + PERFORATED_MM, max(b for _, b in spans))])
        ends = np.union1d(ends, np.round(marks, 7))
        ends = ends[np.concatenate([[True], np.diff(ends) > 1e-6])]
    middles = 0.5 * (ends[1:] + ends[:-1])
    inside = np.zeros(len(middles), bool)
    for a, b in borders:
        inside |= (middles > a) & (middles < b)
    spanned = np.zeros(len(middles), bool)
    for a, b in spans:
        spanned |= (middles > a) & (middles < b)
        if crease.kind == "perforation":
            step = (middles - a) % (PERFORATED_MM + BRIDGE_MM)
            inside &= ~((middles > a) & (middles < b)) | (step < BRIDGE_MM)
    return Strip(number, ends, inside & spanned)
