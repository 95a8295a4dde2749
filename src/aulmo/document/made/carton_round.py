"""Flats that are not folded but bent all over: a label round a body, a pouch or the sleeve of a bag as a tube."""

from typing import NamedTuple

import numpy as np

from aulmo.document.flat import Flat
from aulmo.document.made.carton_board import cut_up, indexed
from aulmo.document.made.carton_flat import BACK, EDGE, FRONT
from aulmo.document.meshes import Mesh
from aulmo.errors import BadValue

ACROSS, UP = 128, 40  # pieces of the whole flat
OFF_MM = 0.03  # between a label and its body
SEAL_MM = 6.0
SIDES = 96  # of a pouch's section when its arc is measured
SOFT = 0.55  # how quickly a pouch opens from its seal


class Round(NamedTuple):
    """How a flat is bent: "round" a body, whose `radii` are evenly spread over `body_mm` of height, from `rise` on; or as a "pouch", so full (0..1),
    sealed at "both" ends, the "bottom" or "none"."""

    form: str
    radii: tuple[float, ...]
    body_mm: float
    rise: float
    fullness: float
    seals: str


def bent_flat(flat: Flat, thickness: float, how: Round) -> Mesh:
    """The mesh of a flat that is bent all over, its lowest point (or the body's, for a label) at z = 0, its middle facing -y. Raises BadValue."""
    left, bottom, right, top = flat.box
    width, height = right - left, top - bottom
    places, triangles, starts, ends, panels = _sheet(flat, left, bottom, width, height)
    carry = _round_body(how, width, height) if how.form == "round" else _pouch(how, width, height)
    own = places - [left, bottom]
    points, normals = _mapped(carry, own)
    half = 0.5 * thickness
    upper, lower = points + half * normals, points - half * normals
    a, b = _mapped(carry, starts - [left, bottom]), _mapped(carry, ends - [left, bottom])
    n = len(starts)
    rim = np.concatenate([a[0] - half * a[1], b[0] - half * b[1], b[0] + half * b[1], a[0] + half * a[1]])
    facing = np.cross(b[0] - a[0], a[1] + b[1])
    facing /= np.maximum(1e-12, np.linalg.norm(facing, axis=1))[:, None]
    i = np.arange(n)
    quads = np.concatenate([np.stack([i, i + n, i + 2 * n], 1), np.stack([i, i + 2 * n, i + 3 * n], 1)])
    count = len(points)
    vertices = np.concatenate([upper, lower, rim])
    uv = (np.concatenate([places, places, starts, ends, ends, starts]) - [left, bottom]) / [max(width, 1e-6), max(height, 1e-6)]
    faces = np.concatenate([4 * panels + FRONT, 4 * panels + BACK, np.full(2 * n, EDGE)])
    if how.form != "round":
        vertices[:, 2] -= vertices[:, 2].min()
    return Mesh(
        vertices.astype(np.float32), np.concatenate([normals, -normals, np.tile(facing, (4, 1))]).astype(np.float32),
        np.concatenate([triangles, triangles[:, ::-1] + count, quads + 2 * count]).astype(np.uint32), faces.astype(np.int32), uv.astype(np.float32),
    )  # fmt: skip


def _sheet(flat: Flat, left: float, bottom: float, width: float, height: float):
    """The whole flat cut in cells: corners, triangles, the ends of its rim's pieces, the panel of each triangle."""
    import shapely

    x = left + width * np.linspace(0, 1, ACROSS + 1)
    y = bottom + height * np.linspace(0, 1, UP + 1)
    gx, gy = np.meshgrid(np.arange(ACROSS), np.arange(UP))
    cells = shapely.box(x[gx.ravel()], y[gy.ravel()], x[gx.ravel() + 1], y[gy.ravel() + 1])
    corners, owner, starts, ends = [], [], [], []
    whole = shapely.union_all([shapely.Polygon(p.rings[0], p.rings[1:]) for p in flat.panels])
    for k, panel in enumerate(flat.panels):
        pieces = shapely.intersection(cells, shapely.Polygon(panel.rings[0], panel.rings[1:]))
        pieces = pieces[shapely.area(pieces) > 1e-7]
        three = cut_up(shapely.geometrycollections(list(pieces)))
        corners.append(three)
        owner.append(np.full(len(three), k))
    for polygon in shapely.get_parts(whole):
        polygon = shapely.segmentize(shapely.orient_polygons(polygon), min(width / ACROSS, height / UP))
        for ring in (polygon.exterior, *polygon.interiors):
            points = np.array(ring.coords)
            starts.append(points[:-1])
            ends.append(points[1:])
    places, triangles = indexed(np.concatenate(corners), 7)
    return places, triangles, np.concatenate(starts), np.concatenate(ends), np.concatenate(owner)


def _mapped(carry, own: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    step = 1e-3
    points = carry(own)
    along, up = carry(own + [step, 0.0]) - carry(own - [step, 0.0]), carry(own + [0.0, step]) - carry(own - [0.0, step])
    normals = np.cross(along, up)
    return points, normals / np.maximum(1e-15, np.linalg.norm(normals, axis=1))[:, None]


def _round_body(how: Round, width: float, height: float):
    """A label on a body of revolution, as paper lies: on the cone that fits the body best there, so lengths stay; the radius is the body's own."""
    radii = np.array(how.radii)
    if len(radii) < 2 or not radii.max() > 0:
        raise BadValue("There is no body to lay the label round; choose one.")
    levels = np.linspace(0.0, how.body_mm, len(radii))
    if not -1e-6 <= how.rise <= how.body_mm:
        raise BadValue(f"The label stands at {how.rise:g} mm, beside the body, which is {how.body_mm:g} mm high.")
    z = np.linspace(max(0.0, how.rise - height), min(how.body_mm, how.rise + 2 * height), 192)
    r = np.interp(z, levels, radii)
    run = np.concatenate([[0.0], np.cumsum(np.hypot(np.diff(z), np.diff(r)))])  # how far along the body's side, from the label's foot
    run -= np.interp(how.rise, z, run)
    under = (run >= 0) & (run <= height)
    slope, start = np.polyfit(run[under], r[under], 1) if under.sum() > 1 else (0.0, float(np.interp(how.rise, z, r)))
    start = max(start, 1e-3)

    def carry(own: np.ndarray) -> np.ndarray:
        x, y = own[:, 0] - 0.5 * width, own[:, 1]
        if abs(slope) < 1e-4:
            along, angle = y, x / start
        else:  # in polar coordinates about the cone's tip, where the middle of the label runs straight up
            tip = start / slope
            rho = np.sign(tip) * np.hypot(tip + y, x)
            psi = np.arctan2(x * np.sign(tip), np.abs(tip + y))
            along, angle = rho - tip, psi / slope
        inside = np.clip(along, run[0], run[-1])
        high, wide = np.interp(inside, run, z), np.interp(inside, run, r)
        lean = np.gradient(z, run)[-1]
        high = high + (along - inside) * lean
        wide = wide + OFF_MM
        return np.stack([wide * np.sin(angle), -wide * np.cos(angle), high], 1)

    return carry


def _pouch(how: Round, width: float, height: float):
    """A tube of the flat's width, closed flat at its seals: sections are ellipses whose way round stays the width."""
    turns = np.linspace(0.0, 2 * np.pi, SIDES + 1)
    ratios = np.linspace(0.0, 1.0, 33)
    tables = []
    for ratio in ratios:  # arc length along an ellipse of half axes 1 and `ratio`
        x, y = np.sin(turns), -ratio * np.cos(turns)
        run = np.concatenate([[0.0], np.cumsum(np.hypot(np.diff(x), np.diff(y)))])
        tables.append((run[-1], np.interp(np.linspace(0, run[-1], SIDES + 1), run, turns)))
    rounds = np.array([t[0] for t in tables])
    angles = np.array([t[1] for t in tables])

    def openness(v: np.ndarray) -> np.ndarray:
        low = np.clip((v * height - SEAL_MM) / max(1.0, 0.5 * height - SEAL_MM), 0, 1) if how.seals in ("both", "bottom") else np.ones_like(v)
        high = np.clip(((1 - v) * height - SEAL_MM) / max(1.0, 0.5 * height - SEAL_MM), 0, 1) if how.seals == "both" else np.ones_like(v)
        soft = lambda s: np.sin(0.5 * np.pi * s) ** SOFT  # noqa: E731
        return how.fullness * soft(np.minimum(low, high)) * np.clip(np.minimum(low, high) * 8, 0, 1)

    def carry(own: np.ndarray) -> np.ndarray:
        u, v = own[:, 0] / width, np.clip(own[:, 1] / height, 0, 1)
        ratio = np.maximum(0.004, openness(v))
        at = np.clip(ratio * (len(ratios) - 1), 0, len(ratios) - 1.001)
        k = at.astype(int)
        share = at - k
        column = np.clip(((u + 0.5) % 1.0) * SIDES, 0, SIDES - 1e-6)
        c = column.astype(int)
        f = column - c
        pick = lambda row: angles[row, c] * (1 - f) + angles[row, c + 1] * f  # noqa: E731
        angle = pick(k) * (1 - share) + pick(k + 1) * share + np.pi
        half = width / (rounds[k] * (1 - share) + rounds[k + 1] * share)
        return np.stack([half * np.sin(angle), -ratio * half * np.cos(angle), own[:, 1]], 1)

    return carry


def radii_of(points: np.ndarray, count: int = 64) -> tuple[tuple[float, ...], float, np.ndarray]:
    """The outline of a body that stands along z, of its points: its largest radius at so many levels, its height, and where its axis meets its foot.
    Raises BadValue when it is not round."""
    low, high = points.min(0), points.max(0)
    middle = 0.5 * (low + high)
    size = high - low
    if size[2] <= 0 or abs(size[0] - size[1]) > 0.04 * max(size[0], size[1]):
        raise BadValue("A label goes round a body that is round and stands upright.")
    radius = np.hypot(*(points[:, :2] - middle[:2]).T)
    levels = np.linspace(low[2], high[2], count)
    found = np.zeros(count)
    np.maximum.at(found, np.clip(np.rint((points[:, 2] - low[2]) / size[2] * (count - 1)).astype(int), 0, count - 1), radius)
    known = found > 0
    return tuple(float(v) for v in np.interp(levels, levels[known], found[known])), float(size[2]), np.array([middle[0], middle[1], low[2]])

