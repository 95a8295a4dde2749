"""What a board is made of besides its two faces: the waves of a corrugated one, seen at its cut edges, and the film behind windows."""

from typing import NamedTuple

import numpy as np

from aulmo.document.flat import Flat

LINER = 0.09  # of the thickness of corrugated board: each of its two outer papers
PAPER_MM = 0.1  # half of the paper between them
SEEN_MM = 12.0  # how far in from a cut edge the waves are made
WAVE_STEPS = 12  # straight pieces of a wave
MOST_STRIPS = 6000
FILM_OVER_MM, FILM_GAP_MM = 7.0, 0.03  # how far film reaches past its window; between board and film


class Sheet(NamedTuple):
    """Triangles in a panel's plane: corners (n, 2), heights (n,) in mm from the middle of the board, normals (n, 3), triangles (m, 3)."""

    places: np.ndarray
    heights: np.ndarray
    normals: np.ndarray
    triangles: np.ndarray


def cut_up(shape) -> np.ndarray:
    """(m, 3, 2) triangles of a polygon or several, against the clock."""
    import shapely

    three = shapely.get_coordinates(shapely.constrained_delaunay_triangles(shape)).reshape(-1, 4, 2)[:, :3]
    u, v = three[:, 1] - three[:, 0], three[:, 2] - three[:, 0]
    turned = u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0]
    return np.where((turned > 0)[:, None, None], three, three[:, ::-1])[np.abs(turned) > 1e-12]


def indexed(three: np.ndarray, decimals: int = 9) -> tuple[np.ndarray, np.ndarray]:
    """Corners (n, 2) of triangles (m, 3, 2), each once, and the triangles by their numbers."""
    corners, which = np.unique(np.round(three.reshape(-1, 2), decimals), axis=0, return_inverse=True)
    return corners, which.reshape(-1, 3)


def filled(shape, height: float, up: bool) -> Sheet | None:
    """A polygon as a flat sheet that faces up or down."""
    three = cut_up(shape)
    if not len(three):
        return None
    corners, found = indexed(three)
    found = found if up else found[:, ::-1]
    normal = np.broadcast_to([0.0, 0.0, 1.0 if up else -1.0], (len(corners), 3))
    return Sheet(corners, np.full(len(corners), height), normal, found)


def waves(shape, thickness: float, pitch: float, along: str) -> list[Sheet]:
    """The paper between the two outer ones, where it is seen from a cut edge, and the insides of those. `along` is the axis that flutes run along."""
    import shapely

    liner = LINER * thickness
    band = shape.difference(shape.buffer(-SEEN_MM))
    found = [one for one in (filled(band, 0.5 * thickness - liner, False), filled(band, liner - 0.5 * thickness, True)) if one is not None]
    low_x, low_y, high_x, high_y = band.bounds
    across = 1 if along == "x" else 0
    low, high = (low_y, high_y) if across else (low_x, high_x)
    step = max(pitch / WAVE_STEPS, (high - low) / MOST_STRIPS)
    marks = np.arange(np.floor(low / step), np.ceil(high / step) + 1) * step
    cells = shapely.box(low_x, marks[:-1], high_x, marks[1:]) if across else shapely.box(marks[:-1], low_y, marks[1:], high_y)
    pieces = shapely.intersection(cells, band)
    pieces = pieces[shapely.area(pieces) > 1e-4]
    reach = 0.5 * thickness - liner - PAPER_MM
    three = cut_up(shapely.geometrycollections(pieces) if len(pieces) else band)
    if not len(three) or reach <= 0:
        return found
    places = three.reshape(-1, 2)
    turn = 2 * np.pi * places[:, across] / pitch
    slope = reach * 2 * np.pi / pitch * np.cos(turn)
    normal = np.zeros((len(places), 3))
    normal[:, across], normal[:, 2] = -slope, 1.0
    normal /= np.linalg.norm(normal, axis=1)[:, None]
    triangles = np.arange(len(places)).reshape(-1, 3)
    height = reach * np.sin(turn)
    found.append(Sheet(places, height + PAPER_MM, normal, triangles))
    found.append(Sheet(places, height - PAPER_MM, -normal, triangles[:, ::-1]))
    return found


def film_of(flat: Flat, panel: int, thickness: float, film_mm: float) -> list[Sheet]:
    """Film behind the windows of a panel: both its faces and its rim, a little larger than the window, within the panel's outline."""
    import shapely

    found: list[Sheet] = []
    outline = shapely.Polygon(flat.panels[panel].rings[0])
    for window in flat.windows:
        if panel not in window.panels:
            continue
        hole = shapely.Polygon(window.ring)
        whole = shapely.union(outline, hole) if len(window.panels) == 1 else shapely.union(outline, _half(flat, panel, hole))
        shape = hole.buffer(FILM_OVER_MM, join_style="mitre").intersection(whole)
        for piece in shapely.get_parts(shape):
            if piece.geom_type == "Polygon" and piece.area > 1.0:
                top = -0.5 * thickness - FILM_GAP_MM
                found += [one for one in (filled(piece, top, True), filled(piece, top - film_mm, False)) if one is not None]
    return found


def _half(flat: Flat, panel: int, hole):
    """Of a window that lies across a crease what lies on a panel's side of it."""
    import shapely

    for crease in flat.creases:
        if panel in crease.panels:
            a, b = np.array(crease.pieces[0][0]), np.array(crease.pieces[-1][-1])
            if shapely.LineString([a, b]).intersects(hole):
                way = (b - a) / np.hypot(*(b - a))
                left = np.array([-way[1], way[0]]) * (1 if crease.panels[0] == panel else -1)
                far = 1e4
                corners = [a - far * way, b + far * way, b + far * way + far * left, a - far * way + far * left]
                return hole.intersection(shapely.Polygon(corners))
    return hole
