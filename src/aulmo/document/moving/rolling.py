"""What follows from how something travels: wheels that roll, front wheels that steer, a body that sways on its springs."""

import contextlib
import math
from typing import Any, Callable, NamedTuple

import numpy as np
from numpy.polynomial import chebyshev

from aulmo.document.branches import below
from aulmo.document.film_records import Motion
from aulmo.document.moving.curves import curve_of
from aulmo.document.moving.going import ease
from aulmo.document.moving.mover import GRAVITY, UP, Mover, cross, in_a_hurry, unit
from aulmo.document.placement import without_scale
from aulmo.document.stores import store_of
from aulmo.errors import AulmoError, BadValue

ORDER, DEEPEST, CLOSE = 20, 6, 1e-7  # of the polynomials that stand for a travel; how often a stretch is halved; when it is near enough
STEPS_PER_SECOND, ROUGH_STEPS = 240, 30  # of a body on its springs; of one that is only wanted roughly
_NODES = np.cos(np.pi * (np.arange(ORDER) + 0.5) / ORDER)
_FIT = np.linalg.inv(chebyshev.chebvander(_NODES, ORDER - 1))


class Travel(NamedTuple):
    """How far something has come at any time, mm: polynomials of Chebyshev over stretches of time, and what each begins with."""

    ends: np.ndarray
    sums: list[np.ndarray]
    before: np.ndarray

    def at(self, time: float) -> float:
        """Distance at a time; the ends hold beyond."""
        time = min(max(time, self.ends[0]), self.ends[-1])
        k = min(max(int(np.searchsorted(self.ends, time, "right")) - 1, 0), len(self.sums) - 1)
        low, high = self.ends[k], self.ends[k + 1]
        return float(self.before[k] + chebyshev.chebval((2 * time - low - high) / (high - low), self.sums[k]))


def travel(stands: Callable[[float], tuple[np.ndarray, np.ndarray]], breaks: list[float], deepest: int = DEEPEST) -> Travel:
    """How far a hub has run over time: `stands` (time) gives where it is (3,) and the direction of its axle (3,), of length one. What it moves along
    its axle does not count.

    On each stretch the place is interpolated at the roots of Chebyshev's polynomial and differentiated there (Trefethen 2013, "Approximation theory
    and approximation practice", ch. 3 and 19); stretches are halved until the speed's polynomial has died away.
    """
    ends, sums, before, total = [breaks[0]], [], [], 0.0

    def stretch(low: float, high: float, depth: int) -> None:
        nonlocal total
        times = 0.5 * (low + high) + 0.5 * (high - low) * _NODES
        told = [stands(float(t)) for t in times]
        found, axles = np.array([p for p, _ in told]), np.array([a for _, a in told])
        middle = found.mean(0)
        fit = _FIT @ (found - middle)
        velocity = chebyshev.chebval(_NODES, chebyshev.chebder(fit)).T * (2.0 / (high - low))
        on = velocity - axles * (velocity * axles).sum(1, keepdims=True)
        ahead = np.cross(axles, UP)
        speed = _FIT @ np.copysign(np.linalg.norm(on, axis=1), (on * ahead).sum(1))
        rough = float(np.abs(speed[-3:]).max()) > CLOSE * (float(np.abs(speed).max()) + 1e-6)
        if rough and depth < deepest:
            half = 0.5 * (low + high)
            stretch(low, half, depth + 1)
            stretch(half, high, depth + 1)
            return
        whole = chebyshev.chebint(speed, lbnd=-1) * (0.5 * (high - low))
        ends.append(high)
        sums.append(whole)
        before.append(total)
        total += float(chebyshev.chebval(1.0, whole))

    for low, high in zip(breaks, breaks[1:]):
        if high - low > 1e-9:
            stretch(low, high, 0)
    if not sums:
        ends.append(breaks[0] + 1.0)
        sums.append(np.zeros(1))
        before.append(0.0)
    return Travel(np.array(ends), sums, np.array(before))


def breaks_of(mover: Mover, part_id: str | None, low: float, high: float) -> list[float]:
    """The times within a span at which the way of a part may change its law: its keys and the ends of motions, on all levels above too."""
    found = {low, high}
    while part_id is not None:
        for track in mover.tracks.get(part_id, {}).values():
            found.update(track.times)
            found.update(k.time + k.rest for k in track.keys)
        for motion in mover.worn.get(f"parts/{part_id}", ()):
            rounds = max(1, math.ceil(motion.repeats)) if motion.repeats < 200 else 1
            halves = 2 if motion.back else 1
            found.update(motion.start + motion.length * min(1.0, k / (motion.repeats * halves)) for k in range(rounds * halves + 1))
            found.update(_knots(mover, motion, rounds))
            found.update(motion.start + motion.length * k / (len(motion.pace) - 1) for k in range(len(motion.pace)) if len(motion.pace) > 1)
            if motion.leader is not None and motion.leader in mover.document.parts and len(found) < 4000:
                found.update(breaks_of(mover, motion.leader, low, high) if motion.leader != part_id else ())
        part_id = mover.document.parts[part_id].parent
    return sorted(t for t in found if low <= t <= high)


def _knots(mover: Mover, motion: Motion, rounds: int) -> list[float]:
    """The times at which what follows a straight path comes over its corners."""
    path = mover.document.paths.get(motion.path or "")
    if path is None or path.smooth or motion.kind != "follow" or len(path.points) * rounds > 2000 or motion.to == motion.from_:
        return []
    try:
        curve = curve_of(path)
    except BadValue:
        return []
    shares = [k + end / curve.length for k in (range(-1, rounds + 1) if curve.closed else (0,)) for end in curve.ends]
    within = [(s - motion.from_) / (motion.to - motion.from_) for s in shares]
    found = []
    for wanted in (w for w in within if 0.0 < w < 1.0):
        low, high = 0.0, 1.0
        for _ in range(60):
            middle = 0.5 * (low + high)
            low, high = (middle, high) if ease(motion, middle) < wanted else (low, middle)
        for turn in range(rounds):
            found += [turn + at for at in ((0.5 * low, 1.0 - 0.5 * low) if motion.back else (low,))]
    return [motion.start + motion.length * f / motion.repeats for f in found]


def _remembered(mover: Mover, key: tuple, make: Callable[[bool], Any]) -> Any:
    """What `make` (whether roughly) gives, made once; roughly only where this thread is in a hurry and it was not made well before."""
    if key in mover.kept:
        return mover.kept[key]
    roughly = in_a_hurry()
    if roughly:
        mover.rough = True
        key = ("roughly", *key)
    if key not in mover.kept:
        mover.kept[key] = make(roughly)
    return mover.kept[key]


# wheels


def ground_of(mover: Mover, motion: Motion, part_id: str) -> str | None:
    """What a wheel rolls on where that moves by itself: the motion's ground, else the moving thing whose box the wheel's lowest point lies in when
    nothing moves. Nothing that carries the wheel, or hangs from it, counts, and no other wheel."""
    if motion.ground is not None:
        return motion.ground if motion.ground in mover.document.parts else None
    key = ("ground", part_id, motion.id)
    if key not in mover.kept:
        mover.kept[key] = _found_below(mover, motion, part_id)
    found: str | None = mover.kept[key]
    return found


def _found_below(mover: Mover, motion: Motion, part_id: str) -> str | None:
    parts = mover.document.parts
    carries: set[str] = set()
    above: str | None = part_id
    while above is not None:
        carries.add(above)
        above = parts[above].parent
    wheels = {a[6:] for a, worn in mover.worn.items() if a.startswith("parts/") and any(m.kind in ("roll", "steer") for m in worn)}
    rest = mover.rest(part_id)
    hub = rest[:3, :3] @ mover.hub(motion, part_id) + rest[:3, 3]
    slack = 0.05 * motion.radius_mm
    touch = hub - UP * motion.radius_mm
    hung = set(below(mover.document, part_id))
    for thing in sorted(mover.moving() & set(parts) - carries - wheels - hung):
        box = _box_at_rest(mover, thing)
        if box is None or (hub >= box[0]).all() and (hub <= box[1]).all():
            continue
        if (touch >= box[0] - slack).all() and (touch <= box[1] + slack).all():
            return thing
    return None


def _box_at_rest(mover: Mover, part_id: str) -> tuple[np.ndarray, np.ndarray] | None:
    """The world box of a part and all below it, as it stands when nothing moves; None without any shape."""
    corners = []
    for one in below(mover.document, part_id):
        name = mover.document.parts[one].mesh
        if name is not None:
            rest = mover.rest(one)
            with contextlib.suppress(AulmoError):
                low, high = store_of(name).turned_box(name, rest[:3, :3])
                corners.append((low + rest[:3, 3], high + rest[:3, 3]))
    if not corners:
        return None
    ends = np.array(corners)
    return ends[:, 0].min(0), ends[:, 1].max(0)


def _gone(mover: Mover, ground: str | None, time: float) -> np.ndarray:
    """4x4 that takes what is seen in the world back to how the ground stood when nothing moved."""
    if ground is None:
        return np.eye(4)
    return without_scale(mover.rest(ground)) @ np.linalg.inv(without_scale(mover.world(ground, time)))


def rolled(mover: Mover, motion: Motion, part_id: str, time: float) -> float:
    """Degrees that a wheel has turned about its axle at a time, from how its hub travels: it cannot slip. Raises BadValue where it has no radius."""
    if motion.radius_mm <= 0.0:
        raise BadValue("A wheel needs a radius.")
    document = mover.document
    part = document.parts[part_id]
    own = mover.hub(motion, part_id)
    axis = np.array(motion.axis, float)
    ground = ground_of(mover, motion, part_id)

    def stands(t: float) -> tuple[np.ndarray, np.ndarray]:
        """The hub and the axle at a time, but for the rolling, as the ground sees them: by the levels above, and the wheel's own keys and earlier
        motions."""
        matrix = _gone(mover, ground, t) @ mover.world(part.parent, t) @ mover.local(part_id, t, before=motion)
        axle = matrix[:3, :3] @ axis
        return matrix[:3, :3] @ own + matrix[:3, 3], unit(axle)

    def make(roughly: bool) -> Travel:
        low, high = motion.start, motion.start + motion.length
        if roughly:
            return travel(stands, [low, high], 1)
        breaks = breaks_of(mover, part_id, low, high)
        return travel(stands, breaks if ground is None else sorted({*breaks, *breaks_of(mover, ground, low, high)}))

    found: Travel = _remembered(mover, ("rolled", part_id, motion.id), make)
    return math.degrees(found.at(time) / motion.radius_mm)


def steered(mover: Mover, motion: Motion, part_id: str, time: float) -> float:
    """Degrees, about a motion's axis, by which a front wheel turns so that it runs where it is carried; no more than the motion's degrees."""
    document = mover.document
    part = document.parts[part_id]
    own = mover.hub(motion, part_id)
    low, high = motion.start, motion.start + motion.length

    ground = ground_of(mover, motion, part_id)

    def stands(t: float) -> np.ndarray:
        return _gone(mover, ground, t) @ mover.world(part.parent, t) @ mover.local(part_id, t, before=motion)

    def at(t: float) -> float | None:
        matrix = stands(t)
        axis = unit(matrix[:3, :3] @ np.array(motion.axis, float))
        step = 1e-3
        for _ in range(10):
            one, other = (stands(s) for s in (t - step, t + step))
            way = (other[:3, :3] @ own + other[:3, 3]) - (one[:3, :3] @ own + one[:3, 3])
            way = way - axis * float(way @ axis)
            if float(np.linalg.norm(way)) > 1e-5:
                break
            step *= 2.0
        else:
            return None
        # which way the wheel runs when it is not steered: what carries it, as it is turned there against how it stood at rest
        ahead = _ahead(mover, part_id, matrix, axis)
        if float(way @ ahead) < 0:
            way = -way
        return math.degrees(math.atan2(float(cross(ahead, way) @ axis), float(ahead @ way)))

    found = at(min(max(time, low), high))
    most = abs(motion.degrees)
    return 0.0 if found is None else min(most, max(-most, found))


def _ahead(mover: Mover, part_id: str, matrix: np.ndarray, axis: np.ndarray) -> np.ndarray:
    """The way that what carries a part faces, square to an axis: the axis of the motion that leads it along a path, else its own x."""
    led = _led(mover, part_id)
    ahead = matrix[:3, 0] if led is None else matrix[:3, :3] @ np.linalg.inv(mover.rest(part_id)[:3, :3]) @ led
    return unit(ahead - axis * float(ahead @ axis))


def _led(mover: Mover, part_id: str) -> np.ndarray | None:
    """The way in the world that what carries a part along a path faces at rest; None where no path carries it."""
    current: str | None = part_id
    while current is not None:
        for motion in mover.worn.get(f"parts/{current}", ()):
            if motion.kind == "follow" and motion.path is not None:
                return np.asarray(mover.rest(current)[:3, :3] @ np.array(motion.axis, float))
        current = mover.document.parts[current].parent
    return None


# a body on its springs


class Sway(NamedTuple):
    """Degrees that a body dives and leans, at even times from `start`, `steps` a second."""

    start: float
    steps: int
    dive: np.ndarray
    lean: np.ndarray


def swayed(mover: Mover, motion: Motion, part_id: str, time: float) -> tuple[float, float, np.ndarray, np.ndarray]:
    """How far a body dives (about its left) and leans (about its forward), in degrees, and those two directions in its parent's axes."""

    def make(roughly: bool) -> Sway:
        return _sway(mover, motion, part_id, ROUGH_STEPS if roughly else STEPS_PER_SECOND)

    found: Sway = _remembered(mover, ("swayed", part_id, motion.id), make)
    k = (time - found.start) * found.steps
    x = np.arange(len(found.dive))
    forward, left = _body_axes(mover, part_id, motion)
    return float(np.interp(k, x, found.dive)), float(np.interp(k, x, found.lean)), forward, left


def _body_axes(mover: Mover, part_id: str, motion: Motion) -> tuple[np.ndarray, np.ndarray]:
    """Forward and left of a body in its parent's axes."""
    parent = mover.document.parts[part_id].parent
    into = np.linalg.inv(mover.rest(parent)[:3, :3])
    led = _led(mover, part_id)
    forward = unit(mover.local(part_id, motion.start, before=motion)[:3, :3] @ np.array(motion.axis, float) if led is None else into @ led)
    return forward, unit(cross(unit(into @ UP), forward))


def _sway(mover: Mover, motion: Motion, part_id: str, steps: int) -> Sway:
    """A body as a damped oscillator in dive and in lean, pushed by how what carries it speeds up, brakes and turns: solved exactly from step to step,
    the push taken as even within each (the state's matrix exponential)."""
    from scipy.linalg import expm

    low, high = motion.start, motion.start + motion.length
    count = max(3, math.ceil((high - low) * steps) + 1)
    parent = mover.document.parts[part_id].parent
    own = mover.pivot(part_id)
    forward, left = _body_axes(mover, part_id, motion)
    frames = [mover.world(parent, low + k / steps) for k in range(count)]
    inner = mover.local(part_id, low, before=motion)
    point = inner[:3, :3] @ own + inner[:3, 3]
    places = np.array([f[:3, :3] @ point + f[:3, 3] for f in frames])
    push = np.zeros_like(places)
    push[1:-1] = (places[2:] - 2 * places[1:-1] + places[:-2]) * steps**2
    push[0], push[-1] = push[1], push[-2]
    ahead = np.array([f[:3, :3] @ forward for f in frames])
    beside = np.array([f[:3, :3] @ left for f in frames])
    wanted = np.stack([-motion.dive * (push * ahead).sum(1), motion.lean * (push * beside).sum(1)], 1) / GRAVITY
    rate = 2 * math.pi * motion.swings
    system = np.zeros((3, 3))
    system[0, 1], system[1] = 1.0, (-rate * rate, -2 * motion.damping * rate, rate * rate)
    step = expm(system / steps)
    found = np.zeros((count, 2))
    state = np.zeros((2, 2))
    for k in range(1, count):
        state = step[:2, :2] @ state + np.outer(step[:2, 2], wanted[k - 1])
        found[k] = state[0]
    return Sway(low, steps, found[:, 0], found[:, 1])
