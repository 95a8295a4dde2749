"""Cartons: a flat folded into triangles. A mesh is made when it is first wanted and never stored: its name says what is folded, and how far.

The middle of the board keeps its lengths. A crease of width w that turns by an angle a is a part of a cylinder of radius w / a about which the middle
is wound, so panels stay plane and keep their area, and a fold by 180° lays them one on the other.
"""

import functools
from typing import NamedTuple

import msgspec
import numpy as np

from aulmo.document.carton_records import Carton, Crease
from aulmo.document.flat import flat_of, ring_area
from aulmo.document.made.carton_bend import Bend, carried, frame_at
from aulmo.document.made.carton_flat import BACK, EDGE, FRONT, Board, Ready, Strip, ready
from aulmo.document.made.carton_hinge import Hinge, turn_about as turn_about
from aulmo.document.made.carton_round import Round, bent_flat
from aulmo.document.meshes import MADE, Mesh
from aulmo.errors import BadFile, BadValue

CARTON = MADE + "carton"
ARC = 8  # pieces of a crease's round
BEAD, GROOVE = 0.3, 0.15  # of the thickness: how far a crease stands out inside, how deep it lies outside while it is flat
GLUE_MM = 0.02  # between two panels that lie on one another
COPLANAR = 0.999
ROUNDS = 8


class Fold(msgspec.Struct, frozen=True, gc=False, omit_defaults=True):
    """All that the triangles of a carton depend on: the angles of its creases, in the order of the flat's, when it is closed and now."""

    flat: str
    front: int
    thickness: float
    closed: tuple[float, ...]
    now: tuple[float, ...]
    rests: str = "upright"
    fluted: str = "no"
    pitch_mm: float = 0.0
    film_mm: float = 0.0
    bent: Round | None = None


class Folded(NamedTuple):
    """A folded carton: its mesh; (panels, 4, 4) matrices from the drawing, with z off the printed side, into the part's axes."""

    mesh: Mesh
    panels: np.ndarray


def eased(share: float) -> float:
    """A share that starts and stops softly."""
    x = min(1.0, max(0.0, share))
    return x * x * (3 - 2 * x)


def angle_now(crease: Crease, folded: float) -> float:
    """Degrees by which a crease is folded at a share of the way from flat to closed."""

    def moved(start: float, end: float) -> float:
        return eased((folded - start) / (end - start)) if end > start else float(folded >= end)

    there = moved(crease.start, crease.end)
    if not crease.over:
        return crease.angle * there
    return crease.angle * there + crease.over * there * (1.0 - moved(crease.back_from, crease.back_to))


def fold_of(carton: Carton) -> Fold:
    """What is folded, of a carton's record. Raises BadValue when its creases are not those of its flat."""
    flat = flat_of(carton.flat)
    held = {c.id: c for c in carton.creases}
    if set(held) != {c.id for c in flat.creases} or not 0 <= carton.front < len(flat.panels):
        raise BadValue("The creases of the carton are not those of its drawing.")
    own = [held[c.id] for c in flat.creases]
    return Fold(
        carton.flat, carton.front, round(carton.thickness, 5), tuple(round(c.angle, 4) for c in own),
        tuple(round(angle_now(c, carton.folded), 4) for c in own), carton.rests, carton.fluted,
        carton.pitch_mm if carton.fluted != "no" else 0.0, carton.film_mm, _bent_as(carton),
    )  # fmt: skip


def _bent_as(carton: Carton) -> Round | None:
    if carton.form == "folded":
        return None
    return Round(carton.form, carton.radii, carton.body_mm, carton.rise, carton.fullness, carton.seals)


def ready_of(carton: Carton) -> Ready:
    """A carton's flat ready to fold. Raises BadValue, BadFile."""
    return ready_for(fold_of(carton))


def ready_for(fold: Fold) -> Ready:
    """The flat of a fold ready to fold. Raises BadValue, BadFile."""
    return ready(fold.flat, fold.front, Board(fold.thickness, fold.fluted, fold.pitch_mm, fold.film_mm))


def name_of_mesh(carton: Carton) -> str:
    """The name of a carton's mesh: what is folded, written out. Raises BadValue."""
    return CARTON + msgspec.json.encode(fold_of(carton)).decode()


def made_from(name: str, carton: Carton) -> bool:
    """Whether a mesh's name says that it is folded from a carton's drawing."""
    try:
        return name.startswith(CARTON) and fold_of_name(name).flat == carton.flat
    except BadFile:
        return False


def fold_of_name(name: str) -> Fold:
    """What a mesh's name says is folded. Raises BadFile."""
    try:
        return msgspec.json.decode(name.removeprefix(CARTON).encode(), type=Fold)
    except msgspec.MsgspecError as error:
        raise BadFile("A carton of the project is damaged.") from error


@functools.lru_cache(maxsize=64)
def folded_of_name(name: str) -> Folded:
    """The carton that a name of `name_of_mesh` stands for. Raises BadFile."""
    try:
        made = folded(fold_of_name(name))
    except BadValue as error:
        raise BadFile(str(error)) from error
    for array in made.mesh:
        array.setflags(write=False)
    return made


# folding


def placed(made: Ready, angles: np.ndarray, shifts: np.ndarray) -> np.ndarray:
    """(panels, 4, 4) from the drawing to the front's axes, for the angles of the flat's creases and how far each panel lies to its back."""
    found = np.tile(np.eye(4), (len(made.flat.panels), 1, 1))
    for hinge in made.hinges:
        place = base_of(made, angles, found, hinge) @ turn_about(hinge, float(angles[hinge.crease]), float(shifts[hinge.child]))
        own = made.before.get(hinge.child) if hinge.child not in made.beyond else None
        if own is not None:  # what is bent itself hangs by its rim
            middle = hinge.at + 0.5 * hinge.length * hinge.along
            place = place @ np.linalg.inv(frame_at(own, float(angles[own.hinge.crease]), middle, False))
        found[hinge.child] = place
    return found


def base_of(made: Ready, angles: np.ndarray, places: np.ndarray, hinge: Hinge) -> np.ndarray:
    """(4, 4) from the drawing to the front's axes for what lies about a hinge on its parent's side: where a curved crease bends the parent, as it is
    bent there."""
    panel = hinge.parent
    bend = made.beyond.get(panel) or made.before.get(panel)
    if bend is None or bend.hinge is hinge:
        return places[panel]
    middle = hinge.at + 0.5 * hinge.length * hinge.along
    degrees = float(angles[bend.hinge.crease])
    if panel in made.beyond:
        return places[bend.hinge.parent] @ frame_at(bend, degrees, middle, True)
    return places[panel] @ frame_at(bend, degrees, middle, False)


def _bend_sheets(made: Ready, places: np.ndarray, fold: Fold, points: np.ndarray, normals: np.ndarray) -> None:
    """Lay the corners of bent panels where they are bent to."""
    sheets = made.sheets
    for panel in {*made.before, *made.beyond}:
        bend = made.beyond.get(panel) or made.before[panel]
        mine = np.nonzero(sheets.panel == panel)[0]
        beyond = panel in made.beyond
        degrees, high = fold.now[bend.hinge.crease], sheets.heights[mine] * fold.thickness
        at, facing = carried(bend, degrees, sheets.places[mine], high, sheets.normals[mine], beyond)
        place = places[bend.hinge.parent] if beyond else places[panel]
        points[mine] = at @ place[:3, :3].T + place[:3, 3]
        normals[mine] = facing @ place[:3, :3].T


def outer_rank(made: Ready) -> np.ndarray:
    """Of two panels that lie on one another the one with the higher number is outside: what others hang on, then the larger."""
    size = np.array([abs(ring_area(panel.rings[0])) for panel in made.flat.panels])
    carries = np.zeros(len(size))
    for hinge in made.hinges:
        carries[hinge.parent] = 1
    carries[made.front] = 1
    return carries * (size.max() + 1) + size


def lying_together(made: Ready, places: np.ndarray, thickness: float) -> list[tuple[int, int, float]]:
    """Panels that lie in one another, as (outer, inner, by how much the inner one has to move to its back)."""
    import shapely

    inner_points = [np.array(panel.rings[0]) for panel in made.flat.panels]
    middles = np.array([np.append(points.mean(0), 0.0) for points in inner_points])
    at = np.einsum("nij,nj->ni", places[:, :3, :3], middles) + places[:, :3, 3]
    normals = places[:, :3, 2]
    rank = outer_rank(made)
    radius = np.array([float(np.hypot(*(p - p.mean(0)).T).max()) for p in inner_points])
    kept = [made.front, *(h.child for h in made.hinges)]
    tied = {frozenset((h.parent, h.child)) for h in made.hinges}
    found = []
    one, other = (np.array(kept)[k] for k in np.triu_indices(len(kept), 1))
    near = np.abs((normals[one] * normals[other]).sum(1)) > COPLANAR
    apart = at[other] - at[one]
    near &= np.abs((apart * normals[one]).sum(1)) < 0.98 * (thickness + GLUE_MM)
    near &= np.linalg.norm(apart, axis=1) < radius[one] + radius[other]
    for a, b in zip(one[near], other[near]):
        if frozenset((a, b)) in tied:
            continue
        outer, inner = (int(a), int(b)) if rank[a] >= rank[b] else (int(b), int(a))
        into = np.linalg.inv(places[outer]) @ places[inner]
        flat = shapely.Polygon(inner_points[inner] @ into[:2, :2].T + into[:2, 3]).buffer(-0.2)
        if flat.intersection(shapely.Polygon(inner_points[outer]).buffer(-0.2)).area < 2.0:
            continue
        depth = float((at[outer] - at[inner]) @ normals[inner])
        found.append((outer, inner, thickness + GLUE_MM - depth))
    return found


@functools.lru_cache(maxsize=64)
def shifts_of(flat: str, front: int, thickness: float, closed: tuple[float, ...]) -> np.ndarray:
    """(panels,) mm by which panels lie to their back when the carton is closed, so that none lies within another."""
    made = ready(flat, front, Board(thickness))
    shifts = np.zeros(len(made.flat.panels))
    for _ in range(ROUNDS):
        met = lying_together(made, placed(made, np.array(closed), shifts), thickness)
        if not met:
            break
        for inner in {i for _, i, _ in met}:
            shifts[inner] += max(by for _, i, by in met if i == inner)
    shifts.setflags(write=False)
    return shifts


def shifts_now(made: Ready, fold: Fold) -> np.ndarray:
    """(panels,) the same at this moment: panels come to lie as they fold."""
    shifts = shifts_of(fold.flat, fold.front, fold.thickness, fold.closed).copy()
    for hinge in made.hinges:
        whole, now = fold.closed[hinge.crease], fold.now[hinge.crease]
        shifts[hinge.child] *= eased(now / whole) if abs(whole) > 1e-6 else 0.0
    return shifts


RESTS = {
    "upright": np.array([[1.0, 0, 0], [0, 0, -1], [0, 1, 0]]), "face up": np.eye(3), "face down": np.diag([-1.0, 1, -1]),
}  # fmt: skip


def folded(fold: Fold) -> Folded:
    """A carton as it is folded. Raises BadValue."""
    if fold.bent is not None:
        flat = flat_of(fold.flat)
        return Folded(bent_flat(flat, fold.thickness, fold.bent), np.tile(np.eye(4), (len(flat.panels), 1, 1)))
    made = ready_for(fold)
    places = placed(made, np.array(fold.now), shifts_now(made, fold))
    sheets, t = made.sheets, fold.thickness
    own = places[sheets.panel]
    flat_points = np.column_stack([sheets.places, sheets.heights * t])
    points = [np.einsum("nij,nj->ni", own[:, :3, :3], flat_points) + own[:, :3, 3]]
    normals = [np.einsum("nij,nj->ni", own[:, :3, :3], sheets.normals)]
    if made.beyond:
        _bend_sheets(made, places, fold, points[0], normals[0])
    triangles, faces, places2 = [sheets.triangles], [sheets.faces], [sheets.places]
    count = len(flat_points)
    for strip in made.strips:
        curved = made.beyond.get(made.hinges[strip.hinge].child)
        p, n, three, shows, at = _bent(made, strip, places, fold) if curved is None else _bent_arc(made, strip, places, fold, curved)
        if len(three):
            points.append(p)
            normals.append(n)
            triangles.append(three + count)
            faces.append(shows)
            places2.append(at)
            count += len(p)
    whole, normal = np.concatenate(points), np.concatenate(normals)
    stand = np.eye(4)
    stand[:3, :3] = RESTS[fold.rests]
    ring = np.array(made.flat.panels[fold.front].rings[0])
    middle = np.append(0.5 * (ring.min(0) + ring.max(0)), 0.0)
    whole = (whole - middle) @ stand[:3, :3].T
    lift = -float(whole[:, 2].min())
    whole[:, 2] += lift
    stand[:3, 3] = -stand[:3, :3] @ middle + [0.0, 0.0, lift]
    left, bottom, right, top = made.flat.box
    uv = (np.concatenate(places2) - [left, bottom]) / [max(1e-6, right - left), max(1e-6, top - bottom)]
    mesh = Mesh(
        whole.astype(np.float32), (normal @ stand[:3, :3].T).astype(np.float32), np.concatenate(triangles).astype(np.uint32),
        np.concatenate(faces).astype(np.int32), uv.astype(np.float32),
    )  # fmt: skip
    return Folded(mesh, stand @ places)


def _bent(made: Ready, strip: Strip, places: np.ndarray, fold: Fold):
    """What bends between two panels: points, normals, triangles, what they show, places in the drawing."""
    hinge = made.hinges[strip.hinge]
    t = fold.thickness
    crease = made.flat.creases[hinge.crease]
    angle = np.radians(fold.now[hinge.crease])
    k = np.linspace(0.0, 1.0, ARC + 1)
    phi = angle * k
    w = hinge.width
    if abs(angle) < 1e-9:
        run, drop = w * k, np.zeros(ARC + 1)
    else:
        run, drop = w / angle * np.sin(phi), -w / angle * (1 - np.cos(phi))
    along, out = np.append(hinge.along, 0.0), np.append(hinge.out, 0.0)
    up = np.array([0.0, 0.0, 1.0])
    parent, child = base_of(made, np.array(fold.now), places, hinge), places[hinge.child]
    start = np.append(hinge.at, 0.0) - 0.5 * w * out
    ends = start + (run[-1] * out + drop[-1] * up)
    if hinge.child in made.before:
        own = made.before[hinge.child]
        child = child @ frame_at(own, fold.now[own.hinge.crease], hinge.at + 0.5 * hinge.length * hinge.along, False)
    real = child @ np.append(np.append(hinge.at, 0.0) + 0.5 * w * out, 1.0)
    ideal = parent @ np.append(ends, 1.0)
    slide = (real - ideal)[:3]
    soft = k * k * (3 - 2 * k)
    middle = start + run[:, None] * out + drop[:, None] * up
    middle = middle @ parent[:3, :3].T + parent[:3, 3] + soft[:, None] * slide
    normal = (np.sin(phi)[:, None] * out + np.cos(phi)[:, None] * up) @ parent[:3, :3].T
    if np.abs(slide).max() > 1e-9:  # led over: its side follows from where it goes
        way = np.gradient(middle, k, axis=0, edge_order=2)
        line = along @ parent[:3, :3].T
        led = np.cross(way, line) if (np.cross(way, line) * normal).sum() > 0 else np.cross(line, way)
        led /= np.maximum(1e-12, np.linalg.norm(led, axis=1))[:, None]
        led[0], led[-1] = normal[0], normal[-1]
        normal = led
    arch = np.sin(np.pi * k) ** 2
    flatness = max(0.0, 1.0 - abs(np.degrees(angle)) / 60.0)
    inside, outside = (BEAD, GROOVE) if crease.kind == "crease" else (0.0, 0.4 if crease.kind == "half" else 0.0)
    sign = 1.0 if angle >= 0 else -1.0
    high = 0.5 * t - (outside * t * arch * flatness if sign > 0 else -inside * t * arch * (1 - flatness))
    low = 0.5 * t + (inside * t if sign > 0 else 0.0) * arch
    top, bottom = middle + high[:, None] * normal, _inner(middle, normal, low)
    line = along @ parent[:3, :3].T
    knots = strip.knots
    q = w * (k - 0.5)
    flat = hinge.at + knots[:, None, None] * hinge.along + q[:, None] * hinge.out
    n, m = len(knots), ARC + 1
    upper = (top[None] + knots[:, None, None] * line).reshape(-1, 3)
    lower = (bottom[None] + knots[:, None, None] * line).reshape(-1, 3)
    rows = np.nonzero(strip.solid)[0]
    if not len(rows):
        return np.zeros((0, 3)), np.zeros((0, 3)), np.zeros((0, 3), int), np.zeros(0, int), np.zeros((0, 2))
    cell = (rows[:, None] * m + np.arange(ARC)).reshape(-1)
    quads = np.concatenate([np.stack([cell, cell + m, cell + m + 1], 1), np.stack([cell, cell + m + 1, cell + 1], 1)])
    if float(np.cross(line, out @ parent[:3, :3].T) @ (up @ parent[:3, :3].T)) < 0:
        quads = quads[:, ::-1]
    turned = np.tile(normal, (n, 1))
    number = 4 * (len(made.flat.panels) + hinge.crease)
    points, normals = [upper, lower], [turned, -turned]
    triangles = [quads, quads[:, ::-1] + n * m]
    shows = [np.full(len(quads), number + FRONT), np.full(len(quads), number + BACK)]
    at = [flat.reshape(-1, 2), flat.reshape(-1, 2)]
    count = 2 * n * m
    for knot, facing in _ends(strip.solid):  # where it ends it shows its thickness
        rim = np.concatenate([upper[knot * m : knot * m + m], lower[knot * m : knot * m + m]])
        i = np.arange(ARC)
        caps = np.concatenate([np.stack([i, i + 1, i + m + 1], 1), np.stack([i, i + m + 1, i + m], 1)])
        a, b, c = rim[caps[0]]
        if float(np.cross(b - a, c - a) @ line) * facing < 0:
            caps = caps[:, ::-1]
        points.append(rim)
        normals.append(np.tile(facing * line, (2 * m, 1)))
        triangles.append(caps + count)
        shows.append(np.full(len(caps), number + EDGE))
        at.append(np.tile(flat[knot], (2, 1)))
        count += 2 * m
    return np.concatenate(points), np.concatenate(normals), np.concatenate(triangles), np.concatenate(shows), np.concatenate(at)


def _bent_arc(made: Ready, strip: Strip, places: np.ndarray, fold: Fold, bend: Bend):
    """The same along an arc: what leads from one bent panel's rim to the other's."""
    hinge, t = bend.hinge, fold.thickness
    points = np.concatenate([np.array(piece) for piece in made.flat.creases[hinge.crease].pieces])
    if float((points[-1] - points[0]) @ hinge.along) < 0:
        points = points[::-1]
    way = np.gradient(points, axis=0)
    way /= np.maximum(1e-12, np.hypot(*way.T))[:, None]
    side = np.stack([-way[:, 1], way[:, 0]], 1)
    side *= np.sign((side @ hinge.out).sum())
    k = np.linspace(0.0, 1.0, ARC + 1)
    degrees, place = fold.now[hinge.crease], places[hinge.parent]
    none, up = np.zeros(len(points)), np.tile([0.0, 0.0, 1.0], (len(points), 1))
    start, n0 = carried(bend, degrees, points - 0.5 * hinge.width * side, none, up, False)
    corner, _ = carried(bend, degrees, points, none, up, False)
    end, n1 = carried(bend, degrees, points + 0.5 * hinge.width * side, none, up, True)
    a, b = (1 - k)[None, :, None], k[None, :, None]
    middle = a * a * start[:, None] + 2 * a * b * corner[:, None] + b * b * end[:, None]
    normal = a * n0[:, None] + b * n1[:, None]
    normal /= np.maximum(1e-12, np.linalg.norm(normal, axis=2))[..., None]
    middle = middle @ place[:3, :3].T + place[:3, 3]
    normal = normal @ place[:3, :3].T
    n, m = len(points), ARC + 1
    flat = points[:, None] + ((k - 0.5) * hinge.width)[None, :, None] * side[:, None]
    rows = np.arange(n - 1)
    cell = (rows[:, None] * m + np.arange(ARC)).reshape(-1)
    quads = np.concatenate([np.stack([cell, cell + m, cell + m + 1], 1), np.stack([cell, cell + m + 1, cell + 1], 1)])
    upper, lower = (middle + 0.5 * t * normal).reshape(-1, 3), (middle - 0.5 * t * normal).reshape(-1, 3)
    p, q, r = (upper[quads[0, c]] for c in range(3))
    if float(np.cross(q - p, r - p) @ normal.reshape(-1, 3)[quads[0, 0]]) < 0:
        quads = quads[:, ::-1]
    number = 4 * (len(made.flat.panels) + hinge.crease)
    facing = normal.reshape(-1, 3)
    return (
        np.concatenate([upper, lower]), np.concatenate([facing, -facing]), np.concatenate([quads, quads[:, ::-1] + n * m]),
        np.concatenate([np.full(len(quads), number + FRONT), np.full(len(quads), number + BACK)]), np.tile(flat.reshape(-1, 2), (2, 1)),
    )  # fmt: skip


def _inner(middle: np.ndarray, normal: np.ndarray, low: np.ndarray) -> np.ndarray:
    """The inner side of a bend so far below its middle, squeezed where the bend is tighter than the board is thick."""
    inner = middle - low[:, None] * normal
    way = np.diff(middle, axis=0)
    for _ in range(24):
        back = (np.diff(inner, axis=0) * way).sum(1) < 0.02 * (way * way).sum(1)
        if not back.any():
            break
        tight = np.zeros(len(middle), bool)
        tight[:-1] |= back
        tight[1:] |= back
        tight[[0, -1]] = False
        low = np.where(tight, 0.85 * low, low)
        inner = middle - low[:, None] * normal
    return inner


def _ends(solid: np.ndarray) -> list[tuple[int, int]]:
    """The knots at which a strip ends, and whether it does so against its direction or along it."""
    held = np.concatenate([[False], solid, [False]]).astype(int)
    step = np.diff(held)
    return [(int(k), -1) for k in np.nonzero(step > 0)[0]] + [(int(k), 1) for k in np.nonzero(step < 0)[0]]
