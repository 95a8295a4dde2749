"""Sight lines: edges that are parallel in reality, drawn on a photograph, tell the camera that took it.

Edges that run in one direction meet, in the picture, where that direction vanishes. Three such places of directions square to one another fix the
focal length, how the camera is turned, and the principal point (Caprile & Torre 1990, "Using vanishing points for camera calibration"); two fix all
but the last, which is then taken as the middle. Everything is found at once, by least squares over all lines (Levenberg 1944, Marquardt 1963) with
Huber's weight, so that one wrong line does not lead the rest astray.
"""

import math
from typing import NamedTuple, Sequence

import numpy as np
from msgspec.structs import replace

from aulmo.document.records import Camera
from aulmo.errors import BadValue
from aulmo.frame.camera import camera_axes, unbent

SENSOR_MM = 36.0
USUAL_FOCAL_MM = 35.0  # what is taken where neither lines nor the file tell
HUBER_PX = 2.0
LEAN = 0.02  # px for a lens e times as long
FAR_DEGREES = 30.0  # directions are square to one another: two that are found nearer than this are one
MOST_BEND = 0.4  # at the side of the frame
_ASTRAY = ((0.15, 0.0), (-0.15, 0.0), (0.0, 0.2), (0.0, -0.2))  # where else the principal point is looked for, in shares of the sides
STAND_MM = 1500.0  # how high the camera is taken to stand where no length is known


class Line(NamedTuple):
    """A drawn line: 1, 2 or 3 for its direction (3 is upright), and (n, 2) points along it in pixels from the upper left corner, n >= 2."""

    direction: int
    points: np.ndarray


class Found(NamedTuple):
    """What lines tell: the camera; how far each line is off, px (root of the mean square of its ends); the focal length for `Camera.sensor_mm`;
    whether lines told the lens and the principal point, or those were taken; sentences on what was; numbers of lines that fit badly."""

    camera: Camera
    residuals: tuple[float, ...]
    focal_length_mm: float
    lens_found: bool
    middle_found: bool
    scale_found: bool
    notes: tuple[str, ...]
    bad: tuple[int, ...]

    @property
    def mean_px(self) -> float:
        """Root of the mean square of all residuals."""
        return float(np.sqrt(np.mean(np.square(self.residuals)))) if self.residuals else 0.0


class _Lines(NamedTuple):
    """All lines padded to the same number of points: directions (n,) from 0, points (n, m, 2), which of them count (n, m)."""

    which: np.ndarray
    points: np.ndarray
    there: np.ndarray

    def numbers(self) -> int:
        """How many numbers they tell: each line one, each point between its ends another."""
        return int((self.there.sum(1) - 1).sum())


class View(NamedTuple):
    """Focal length in px, principal point in px, axes (3, 3) whose rows are the camera's right, up and forward in the world, bend of the lens."""

    focal: float
    middle: np.ndarray
    axes: np.ndarray
    bend: float


def _gathered(lines: Sequence[Line]) -> _Lines:
    most = max(len(line.points) for line in lines)
    points = np.zeros((len(lines), most, 2))
    there = np.zeros((len(lines), most), bool)
    for k, line in enumerate(lines):
        points[k, : len(line.points)] = line.points
        points[k, len(line.points) :] = line.points[0]
        there[k, : len(line.points)] = True
    return _Lines(np.array([line.direction - 1 for line in lines]), points, there)


def residuals(lines: _Lines, view: View) -> np.ndarray:
    """(n, m) signed distances in px of all points from the best lines through the places where their directions vanish; 0 where none counts."""
    return _many(lines, np.array([view.focal]), view.middle[None], view.axes[None], np.array([view.bend]))[0]


def _many(lines: _Lines, focal: np.ndarray, middle: np.ndarray, axes: np.ndarray, bend: np.ndarray) -> np.ndarray:
    """(b, n, m) the same for many views at once.

    The best line through a place v at the mean of its points has as normal the lesser eigenvector of the scatter about v; with v = u / w it stays
    exact while v goes to infinity.
    """
    there, n = lines.there, lines.there.sum(1)
    flat = (lines.points - middle[:, None, None]) / focal[:, None, None, None]
    x, y = flat[..., 0], -flat[..., 1]
    bow = 1.0 + bend[:, None, None] * (x * x + y * y)
    x, y = x * bow, y * bow
    mx, my = (x * there).sum(-1) / n, (y * there).sum(-1) / n
    qx, qy = (x - mx[..., None]) * there, (y - my[..., None]) * there
    seen = axes[:, :, lines.which]  # (b, 3, n) the directions in the camera's axes
    w = seen[:, 2]
    ux, uy = seen[:, 0] - mx * w, seen[:, 1] - my * w
    cxx, cyy, cxy = (qx * qx).sum(-1), (qy * qy).sum(-1), (qx * qy).sum(-1)
    ww = w * w
    sxx, syy, sxy = cxx * ww + n * ux * ux, cyy * ww + n * uy * uy, cxy * ww + n * ux * uy
    turn = 0.5 * np.arctan2(2 * sxy, sxx - syy)
    nx, ny = -np.sin(turn), np.cos(turn)
    least = 0.5 * (sxx + syy) - np.hypot(0.5 * (sxx - syy), sxy)
    along = (nx * (cxx * ux + cxy * uy) + ny * (cxy * ux + cyy * uy)) * w
    offset = along / np.maximum(1e-30, n * (ux * ux + uy * uy) - least)
    return focal[:, None, None] * (qx * nx[..., None] + qy * ny[..., None] + offset[..., None]) * there


def _turned(axes: np.ndarray, by: np.ndarray) -> np.ndarray:
    """Axes turned by a small rotation vector (Rodrigues)."""
    angle = float(np.linalg.norm(by))
    if angle < 1e-15:
        return axes
    x, y, z = by / angle
    k = np.array([[0, -z, y], [z, 0, -x], [-y, x, 0]])
    return (np.eye(3) + math.sin(angle) * k + (1 - math.cos(angle)) * k @ k) @ axes


class _Free(NamedTuple):
    """What may change in a fit: lens, principal point across and down, bend. A lens that nothing tells is drawn to the `usual` one, px, where that is
    not 0, as gently as `LEAN` says."""

    lens: bool
    across: bool
    down: bool
    bend: bool
    usual: float = 0.0

    def numbers(self) -> int:
        """How many there are, three of the turn among them."""
        return 3 + self.lens + self.across + self.down + self.bend


def _moved(view: View, step: np.ndarray, free: _Free, size: tuple[int, int]) -> View:
    axes, k = _turned(view.axes, step[:3]), 3
    focal, middle, bend = view.focal, view.middle, view.bend
    if free.lens:
        focal, k = focal * math.exp(min(1.0, max(-1.0, step[k]))), k + 1
    if free.across:
        middle, k = middle + np.array([step[k] * size[0], 0.0]), k + 1
    if free.down:
        middle, k = middle + np.array([0.0, step[k] * size[0]]), k + 1
    if free.bend:
        bend = _held(bend + step[k] * (2 * focal / size[0]) ** 2, focal, size)
    return View(focal, middle, axes, bend)


def _held(bend: float, focal: float, size: tuple[int, int]) -> float:
    most = MOST_BEND * (2 * focal / size[0]) ** 2
    return min(most, max(-most, bend))


def _weights(r: np.ndarray) -> np.ndarray:
    return np.sqrt(np.minimum(1.0, HUBER_PX / np.maximum(np.abs(r), 1e-12)))


def _cost(r: np.ndarray) -> float:
    a = np.abs(r)
    return float(np.where(a <= HUBER_PX, 0.5 * a * a, HUBER_PX * (a - 0.5 * HUBER_PX)).sum())


def _leaning(lines: _Lines, view: View, usual: float) -> float:
    """Cost of a view, and of a lens that is far from the usual one."""
    return _cost(residuals(lines, view)) + 0.5 * (LEAN * math.log(view.focal / usual)) ** 2


def _fitted(lines: _Lines, view: View, free: _Free, size: tuple[int, int], rounds: int = 40) -> tuple[View, np.ndarray]:
    """The view that fits best near another, and the (k, k) inverse of its normal matrix."""
    damping, r = 1e-4, residuals(lines, view)
    leans = LEAN if free.lens and free.usual else 0.0
    lean = lambda v: leans * math.log(v.focal / free.usual) if leans else 0.0  # noqa: E731
    cost = _cost(r) + 0.5 * lean(view) ** 2
    inverse = np.eye(free.numbers())
    for _ in range(rounds):
        near = [_moved(view, d, free, size) for d in np.eye(free.numbers()) * 1e-6]
        beside = _many(lines, *(np.array(field) for field in zip(*near)))
        slopes = ((beside - r) / 1e-6).reshape(len(near), -1).T
        weight = _weights(r).ravel()
        a, b = slopes * weight[:, None], r.ravel() * weight
        if leans:
            a, b = np.vstack([a, leans * (np.arange(len(near)) == 3)]), np.append(b, lean(view))
        normal = a.T @ a
        inverse = np.linalg.inv(normal + np.diag(1e-13 * np.diag(normal) + 1e-13))  # numbers that nothing tells are far off, not none
        better = False
        for _ in range(8):
            step = np.linalg.solve(normal + damping * np.diag(np.diag(normal) + 1e-9), -(a.T @ b))
            if free.bend:
                step[-1] = min(0.1, max(-0.1, step[-1]))
            trial = _moved(view, step, free, size)
            tried = residuals(lines, trial)
            its = _cost(tried) + 0.5 * lean(trial) ** 2
            if its < cost:
                gain = cost - its
                view, r, cost, damping, better = trial, tried, its, max(1e-12, damping * 0.1), True
                break
            damping *= 10
        if not better or gain < 1e-7 * cost + 1e-20 or float(np.abs(step).max()) < 1e-12:
            break
    return view, inverse


def _vanishing(lines: _Lines, planes: np.ndarray, k: int) -> np.ndarray | None:
    """Unit direction in the camera's axes in which lines of direction k run, by their planes; None with fewer than two."""
    normals = planes[lines.which == k]
    if len(normals) < 2:
        return None
    return np.linalg.eigh(normals.T @ normals)[1][:, 0]


def _seen(view: View, points: np.ndarray) -> np.ndarray:
    """(..., 3) directions in the camera's axes, 1 forward, in which a view sees (..., 2) pixels."""
    flat = (points - view.middle) / view.focal
    x, y = unbent(flat[..., 0], -flat[..., 1], view.bend)
    return np.stack([x, y, np.ones_like(x)], -1)


def _planes(lines: _Lines, view: View) -> np.ndarray:
    """(n, 3) normals of the planes through the eye and each line, as long as the line is seen wide."""
    rays = _seen(view, lines.points)
    last = lines.there.sum(1) - 1
    return np.cross(rays[:, 0], rays[np.arange(len(last)), last])


def _start(lines: _Lines, view: View) -> View | None:
    """Axes that suit a lens: from the two directions that are known best, the third is square to them."""
    planes = _planes(lines, view)
    found = {k: v for k in range(3) if (v := _vanishing(lines, planes, k)) is not None}
    if not found:
        return None
    counts = {k: int((lines.which == k).sum()) for k in range(3)}
    first = max(found, key=lambda k: (counts[k], -k))
    others = [k for k in range(3) if k != first and counts[k]]
    if not others:
        return None
    second = max(others, key=lambda k: (k in found, counts[k]))
    one = found[first]
    if second in found:
        other = found[second]
    else:  # one line alone: the direction lies in the plane through the eye and the line
        other = np.cross(planes[np.flatnonzero(lines.which == second)[0]], one)
    other = other - one * float(one @ other)
    length = float(np.linalg.norm(other))
    if length < 1e-9:
        return None
    axes = np.zeros((3, 3))
    axes[:, first], axes[:, second] = one, other / length
    third = 3 - first - second
    axes[:, third] = np.cross(axes[:, (third + 1) % 3], axes[:, (third + 2) % 3])
    return view._replace(axes=axes)


def _checked(size: tuple[int, int], lines: Sequence[Line]) -> None:
    if not (2 <= size[0] <= 1e6 and 2 <= size[1] <= 1e6):
        raise BadValue("The photograph has no size.")
    if len(lines) < 2:
        raise BadValue("One line is not enough; draw at least two edges that are parallel in reality, and one in another direction.")
    for k, line in enumerate(lines):
        if line.direction not in (1, 2, 3):
            raise BadValue(f"Line {k + 1} has no direction: it is 1, 2 or 3 for upright.")
        if not np.isfinite(line.points).all() or np.abs(line.points).max() > 1e7:
            raise BadValue(f"Line {k + 1} has an end that is no place.")
        if len(line.points) < 2 or float(np.linalg.norm(line.points[-1] - line.points[0])) < 1.0:
            raise BadValue(f"Line {k + 1} runs from a point to itself; draw it along an edge.")
    counts = [sum(line.direction == k for line in lines) for k in (1, 2, 3)]
    if max(counts) < 2:
        raise BadValue("No two lines run in one direction; draw two edges that are parallel in reality.")
    if sum(c > 0 for c in counts) < 2:
        raise BadValue("All lines run in one direction; draw edges that run in another one too.")
    if len(lines) < 3:
        raise BadValue("Two lines are not enough; draw at least two in one direction and one in another.")


def solve(
    size: tuple[int, int], lines: Sequence[Line], focal_px: float | None = None, bends: bool | None = None, bend: float = 0.0
) -> tuple[View, bool, bool, tuple[str, ...]]:
    """The view that lines tell, whether they told the lens and the principal point, and sentences on what they could not.

    size : width and height in px. focal_px : what is taken where lines do not tell the lens. bends : whether the lens's bend is found too; None when
    lines have points between their ends. The axes' columns are the directions in the camera's right, up and forward; which way along each is free.
    Raises BadValue with one sentence.
    """
    _checked(size, lines)
    gathered = _gathered(lines)
    width = float(size[0])
    middle = np.array([size[0] / 2, size[1] / 2])
    usual = focal_px or USUAL_FOCAL_MM / SENSOR_MM * width
    bends = bool((gathered.there.sum(1) > 2).any()) if bends is None else bends
    counts = [int((gathered.which == k).sum()) for k in range(3)]
    several = sum(c > 0 for c in counts)
    told = gathered.numbers()
    lens = told >= 4
    three = several == 3 and told >= 6 and sum(c >= 2 for c in counts) >= 2
    candidates = [usual * f for f in ((0.45, 0.9, 1.7, 3.2, 7.0) if lens else (1.0,))]
    starts = [v for f in candidates if (v := _start(gathered, View(f, middle, np.eye(3), bend))) is not None]
    if not starts:
        raise BadValue("The lines run in one direction, whatever their kinds say; draw some in another one.")
    starts.sort(key=lambda v: _cost(residuals(gathered, v)))
    free = _Free(lens, False, False, False, usual)
    fits = [_fitted(gathered, v, free, size, 10) for v in starts[: 2 if lens else 1]]
    view, inverse = min(fits, key=lambda f: _leaning(gathered, f[0], usual))
    notes: list[str] = []
    if bends or three:
        wide = free._replace(bend=bends, across=three, down=three)
        wider = _fitted(gathered, view, wide, size, 60)
        square_on = _square_on(gathered, View(usual, middle, np.eye(3), bend), size) if three else None
        if square_on is not None:
            wider = min(wider, _fitted(gathered, square_on, wide, size, 60), key=lambda f: _leaning(gathered, f[0], usual))
        if told - wide.numbers() < 2:  # as many lines as numbers: the fit is exact, or it went astray
            for k, other in enumerate((*starts, *(v._replace(middle=middle + np.array(m) * size) for v in starts[:2] for m in _ASTRAY))):
                if _cost(residuals(gathered, wider[0])) < 1e-12 or k > 5:
                    break
                wider = min(wider, _fitted(gathered, other, wide, size, 60), key=lambda f: _cost(residuals(gathered, f[0])))
        if three:
            plain, narrow = _fitted(gathered, view, free._replace(bend=bends), size, 60) if bends else (view, inverse), free._replace(bend=bends)
            if _worth_it(gathered, plain[0], wider[0], told - wide.numbers(), 2):
                (view, inverse), free = wider, wide
            else:
                (view, inverse), free = plain, narrow
        else:
            (view, inverse), free = wider, wide
        if free.bend:
            straight = free._replace(bend=False)
            without = _fitted(gathered, view._replace(bend=bend), straight, size, 60)
            if not _worth_it(gathered, without[0], view, told - free.numbers(), 1):
                (view, inverse), free = without, straight
    view, free, inverse = _settled(gathered, view, free, inverse, size, usual, middle, notes)
    if free.lens:
        view, _ = _fitted(gathered, view, free._replace(usual=0.0), size)
    _distinct(view, gathered)
    return view, free.lens, free.across or free.down, tuple(notes)


def _square_on(lines: _Lines, view: View, size: tuple[int, int]) -> View | None:
    """Where a picture seems to be taken square on to something: two directions never meet in it, and where the third does is its principal point.
    None for any other."""
    planes, near = _planes(lines, view), []
    for k in range(3):
        way = _vanishing(lines, planes, k)
        if way is not None and abs(way[2]) > 1e-9:
            place = view.middle + view.focal * np.array([way[0], -way[1]]) / way[2]
            if float(np.abs(place - view.middle).max()) < 6 * size[0]:
                near.append(place)
    if len(near) != 1 or float(np.abs(near[0] - view.middle).max()) > size[0]:
        return None
    return _start(lines, view._replace(middle=near[0]))


def _worth_it(lines: _Lines, plain: View, wider: View, spare: int, more: int) -> bool:
    """Whether lines fit so much better with `more` numbers set free that it is no chance: Fisher's test at one in a hundred, for two numbers more in
    closed form. With hardly a line to spare half a pixel of noise is allowed for."""
    before, after = (float((np.minimum(np.abs(residuals(lines, v)), 3 * HUBER_PX) ** 2).sum()) for v in (plain, wider))
    if spare < 2:
        return before - after > 1.0
    noise = max(1e-6, after / spare)
    return before - after > noise * spare * (0.01 ** (-2.0 / spare) - 1.0) * more / 2.0


def _settled(
    lines: _Lines, view: View, free: _Free, inverse: np.ndarray, size: tuple[int, int], usual: float, middle: np.ndarray, notes: list[str]
) -> tuple[View, _Free, np.ndarray]:
    """Numbers that the lines leave open, told by how far each may be off, are taken as usual; the rest is fitted anew."""
    for _ in range(4):
        r = residuals(lines, view)
        spare = lines.numbers() - free.numbers()
        noise = max(0.02, math.sqrt(float((r * r * _weights(r) ** 2).sum()) / spare)) if spare > 0 else 0.3
        off = noise * np.sqrt(np.maximum(0.0, np.diag(inverse)))
        k = 3
        open_lens = free.lens and (off[k] > 0.35 or not 0.05 * usual < view.focal < 60 * usual)
        k += free.lens
        open_across = free.across and (off[k] > 0.12 or abs(view.middle[0] - middle[0]) > 1.5 * size[0])
        k += free.across
        open_down = free.down and (off[k] > 0.12 or abs(view.middle[1] - middle[1]) > 1.5 * size[0])
        k += free.down
        open_bend = free.bend and (off[k] > 0.3 or abs(view.bend) >= 0.999 * MOST_BEND * (2 * view.focal / size[0]) ** 2)
        if not (open_lens or open_across or open_down or open_bend):
            break
        if open_across or open_down:
            free = free._replace(across=free.across and not open_across, down=free.down and not open_down)
            view = view._replace(middle=np.where([open_across, open_down], middle, view.middle))
        elif open_lens:
            free, view = free._replace(lens=False), view._replace(focal=usual)
        else:
            free, view = free._replace(bend=False), view._replace(bend=0.0)
        again = _start(lines, view)
        fits = [_fitted(lines, v, free, size) for v in ([view, again] if again is not None else [view])]
        view, inverse = min(fits, key=lambda f: _cost(residuals(lines, f[0])))
    if not free.lens:
        notes.append("The lines do not tell the lens: they are parallel in the picture, or too few. Set the focal length if you know it.")
    return view, free, inverse


def _distinct(view: View, lines: _Lines) -> None:
    """Raises BadValue when two directions are one: lines drawn as the first run where those of the second do."""
    planes = _planes(lines, view)
    planes = planes / np.linalg.norm(planes, axis=1, keepdims=True)
    ways = [_vanishing(lines, planes, k) for k in range(3)]
    names = ("first", "second", "upright")
    for one in range(3):
        for other in range(one + 1, 3):
            a, b = ways[one], ways[other]
            alone = planes[lines.which == (one if a is None else other)]
            along = a if a is not None else b
            # of a line that is alone in its direction: whether it runs where the others of another direction meet
            same = along is not None and (a is None) != (b is None) and len(alone) == 1 and abs(float(alone[0] @ along)) < 0.004
            if same or (a is not None and b is not None and abs(float(a @ b)) > math.cos(math.radians(FAR_DEGREES))):
                raise BadValue(f"Lines of the {names[one]} and the {names[other]} direction run the same way; one of them is of another kind.")


def oriented(view: View, lines: Sequence[Line], as_drawn: bool) -> View:
    """A view whose third direction points up in the picture and whose first two point right and ahead, or, `as_drawn`, the way all their lines were
    drawn where that makes a right-handed space."""
    axes = view.axes.copy()
    if axes[1, 2] < 0 or (abs(axes[1, 2]) < 1e-9 and axes[2, 2] < 0):
        axes[:, 2] *= -1
    if as_drawn:
        drawn = axes.copy()
        for k in (0, 1):
            ways = [_way(view, drawn[:, k], line.points) for line in lines if line.direction == k + 1]
            if ways and all(w < 0 for w in ways):
                drawn[:, k] *= -1
            elif not ways:  # no line tells: square to the others
                drawn[:, k] = -np.cross(drawn[:, (k + 1) % 3], drawn[:, (k + 2) % 3])  # right, up and forward turn the other way round
            elif not all(w > 0 for w in ways):
                break
        else:
            if np.linalg.det(drawn) < 0:
                return view._replace(axes=drawn)
    if np.linalg.det(axes) > 0:
        axes[:, 0] *= -1
    ahead = axes[2, 1] if abs(axes[2, 1]) > 1e-6 else axes[0, 0]
    if ahead < 0:
        axes[:, :2] *= -1
    return view._replace(axes=axes)


def _way(view: View, direction: np.ndarray, points: np.ndarray) -> float:
    """Which way along a direction a line was drawn: above 0 its own."""
    ends = _seen(view, points[[0, -1]])[:, :2]
    return float((ends[1] - ends[0]) @ (direction[:2] - direction[2] * ends.mean(0)))


def rays_of(view: View, points: np.ndarray) -> np.ndarray:
    """(n, 3) unit directions in the world in which a view sees (n, 2) pixels."""
    rays = _seen(view, np.asarray(points, float).reshape(-1, 2)) @ view.axes
    return rays / np.linalg.norm(rays, axis=1, keepdims=True)


def length_to_place(view: View, line: Line, length_mm: float) -> np.ndarray:
    """(2, 3) where the ends of a line of known length stand from the eye, mm: the best in the directions in which they are seen.

    Raises BadValue for a length that is none, or a line that runs straight away from the eye.
    """
    if not (math.isfinite(length_mm) and length_mm > 0):
        raise BadValue("A known length has to be more than nothing.")
    start, end = rays_of(view, line.points[[0, -1]])
    along = np.eye(3)[line.direction - 1]
    # s end - t start = length along, by least squares over s and t
    matrix = np.stack([-start, end], 1)
    found, *_ = np.linalg.lstsq(matrix, along * length_mm, rcond=None)
    if found[0] < 0 and found[1] < 0:
        found = -found
    if min(found) <= 0 or np.linalg.cond(matrix) > 1e6:
        raise BadValue("The line of known length runs straight away from the camera; take one that is seen from the side.")
    return np.stack([start * found[0], end * found[1]])


def camera_of(
    view: View, size: tuple[int, int], height_mm: float, origin: tuple[float, float] | None, base: Camera, sensor_mm: float = SENSOR_MM
) -> Camera:
    """A camera that stands `height_mm` above the plane z = 0 and sees the world's origin at a pixel; without one, at the middle of what it sees of
    the plane. Raises BadValue for a pixel that does not see the plane."""
    ray = _toward(view, size, origin, height_mm)
    position = -ray * (height_mm / -ray[2]) if abs(ray[2]) > 1e-9 else np.array([0.0, 0.0, height_mm])
    right, up, forward = view.axes
    reach = max(1.0, float(-position @ forward))
    focal = view.focal * sensor_mm / size[0]
    made = replace(
        base, position=_triple(position), target=_triple(position + forward * reach), roll=0.0, focal_length_mm=float(focal), sensor_mm=sensor_mm,
        shift_x=float(0.5 - view.middle[0] / size[0]), shift_y=float(view.middle[1] / size[1] - 0.5), bend=float(view.bend), projection="perspective",
    )  # fmt: skip
    level_right, level_up, _ = camera_axes(made)
    return replace(made, roll=float(math.degrees(math.atan2(float(right @ level_up), float(right @ level_right)))))


def _toward(view: View, size: tuple[int, int], origin: tuple[float, float] | None, height_mm: float) -> np.ndarray:
    if height_mm == 0 or not math.isfinite(height_mm):
        raise BadValue("The camera stands in the very plane that the product is to stand on; nothing of it is seen.")
    down = -1.0 if height_mm > 0 else 1.0
    if origin is not None:
        ray = rays_of(view, np.array(origin))[0]
        if ray[2] * down <= 1e-6:
            raise BadValue("That point lies above the horizon; the product cannot stand there.")
        return ray
    for share in (0.5, 0.6, 0.7, 0.8, 0.9, 0.98):
        place = np.array([size[0] / 2, size[1] * (share if down < 0 else 1 - share)])
        ray = rays_of(view, place)[0]
        if ray[2] * down > 0.02:
            return ray
    _, _, forward = view.axes
    ray = np.array([forward[0], forward[1], down * 0.1])
    return ray / np.linalg.norm(ray)


def _triple(v: np.ndarray) -> tuple[float, float, float]:
    return (float(v[0]), float(v[1]), float(v[2]))


class Known(NamedTuple):
    """What is known beside the lines, all at will: number of a line and its length in mm; the pixel where the world's origin stands; how far that
    plane lies above the one the known line is on; focal length and sensor width of the file, mm; bend of the lens."""

    line: int | None = None
    length_mm: float = 0.0
    origin: tuple[float, float] | None = None
    raised_mm: float = 0.0
    focal_mm: float = 0.0
    sensor_mm: float = 0.0
    bend: float = 0.0


def find_camera(
    size: tuple[int, int], lines: Sequence[Line], known: Known = Known(), base: Camera | None = None, as_drawn: bool = False, bends: bool | None =
    None
) -> Found:
    """The camera that sees lines where they were drawn on a photograph of `size` pixels; what no line can tell is kept from `base`.

    Its frame is the photograph's. Where no length is known it stands `STAND_MM` above the floor. Raises BadValue with one sentence.
    """
    base = base or Camera(id="photograph", name="Photograph")
    sensor = known.sensor_mm or SENSOR_MM
    focal_px = known.focal_mm / sensor * size[0] if known.focal_mm else None
    view, lens, middle, notes = solve(size, lines, focal_px, bends, known.bend)
    view = oriented(view, lines, as_drawn)
    height, scaled = STAND_MM, False
    if known.line is not None and known.length_mm:
        if not 0 <= known.line < len(lines):
            raise BadValue("There is no line of that number.")
        ends = length_to_place(view, lines[known.line], known.length_mm)
        height, scaled = -float(ends[:, 2].min()) - known.raised_mm, True
    camera = camera_of(view, size, height, known.origin, base, sensor)
    off = residuals(_gathered(lines), view)
    each = [float(np.sqrt(np.mean(np.square(off[k, : len(line.points)])))) for k, line in enumerate(lines)]
    usual = float(np.median(each))
    bad = tuple(k for k, r in enumerate(each) if r > max(3.0, 4.0 * usual)) if len(each) > 4 else ()
    return Found(camera, tuple(each), camera.focal_length_mm, lens, middle, scaled, notes, bad)


def guessed_direction(size: tuple[int, int], lines: Sequence[Line], points: np.ndarray) -> int:
    """What kind of line one is that is newly drawn: upright where it stands so in the picture or runs where those meet; else that direction whose
    lines it fits best; else the first, and the second where it crosses the first."""
    points = np.asarray(points, float)
    new = points[-1] - points[0]
    lean = math.degrees(math.atan2(abs(new[0]), abs(new[1])))
    by_kind = {k: [line for line in lines if line.direction == k] for k in (1, 2, 3)}
    if lean < 12.0:
        return 3
    tried: dict[int, float] = {}
    for k in (1, 2, 3):
        held = by_kind[k]
        if len(held) >= 2:
            at = np.linalg.eigh(sum(np.outer(n, n) for n in (_unit_line(h.points, size) for h in held)))[1][:, 0]
            tried[k] = abs(float(_unit_line(points, size) @ at))
    if tried:
        best = min(tried, key=lambda k: tried[k])
        if tried[best] < 0.02:
            return best
    for k in (1, 2):
        if len(by_kind[k]) == 1:
            if _apart(points, by_kind[k][0].points) < 28.0:
                return k
    free = [k for k in (1, 2) if not by_kind[k]]
    if free:
        return free[0]
    rest = {k: v for k, v in tried.items() if k != 3}
    if rest:
        return min(rest, key=lambda k: rest[k])
    return min((1, 2), key=lambda k: _apart(points, by_kind[k][0].points))


def _apart(one: np.ndarray, other: np.ndarray) -> float:
    """Degrees, 0 to 90, between two drawn lines in the picture."""
    (x, y), (u, v) = one[-1] - one[0], other[-1] - other[0]
    return abs((math.degrees(math.atan2(y, x) - math.atan2(v, u)) + 90) % 180 - 90)


def _unit_line(points: np.ndarray, size: tuple[int, int]) -> np.ndarray:
    """(3,) homogeneous line through the ends of a drawn one, of unit length, in a frame brought to about one."""
    a, b = (np.array([(p[0] - size[0] / 2) / size[0], (p[1] - size[1] / 2) / size[0], 1.0]) for p in (points[0], points[-1]))
    line = np.cross(a, b)
    return line / np.linalg.norm(line)
