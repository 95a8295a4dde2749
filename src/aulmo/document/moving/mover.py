"""Where parts stand at any time: their keys, then the motions they wear, level by level of the assembly.

A motion about a thing's own axes acts within what was done before, one about an axis of the world acts on it from outside; both are carried along by
whatever moves the levels above. So motions of different levels add up, and those of one level act in their order.
"""

import contextlib
import math
import threading
from typing import Any, Callable, Iterator

import numpy as np

from aulmo.document.film_records import Motion
from aulmo.document.moving.curves import curve_of
from aulmo.document.moving.going import SHINES, degrees_at, going, reached
from aulmo.document.moving.tracks import Track, tracks_of
from aulmo.document.placement import from_matrix, nearest_turn, to_matrix, turn_matrix, without_scale
from aulmo.document.records import Document, Placement
from aulmo.errors import BadValue

UP = np.array([0.0, 0.0, 1.0])
GRAVITY = 9810.0  # mm/s^2
MOST_KEPT = 20_000  # places that are remembered
_here = threading.local()  # whether this thread wants what takes long only roughly


def unit(vector: Any) -> np.ndarray:
    """A direction of length one; nothing gives z."""
    found = np.asarray(vector, float)
    length = float(np.linalg.norm(found))
    return found / length if length > 1e-12 else UP


def cross(one: np.ndarray, other: np.ndarray) -> np.ndarray:
    """The cross product of two vectors (3,), many times as fast as NumPy's of any shapes."""
    a, b, c = one.tolist()
    x, y, z = other.tolist()
    return np.array([b * z - c * y, c * x - a * z, a * y - b * x])


@contextlib.contextmanager
def quickly() -> Iterator[None]:
    """Within it, this thread takes what would have to be worked out for long, how wheels have rolled and bodies swayed, roughly; `Mover.rough` says
    so, and `rolling.settle` works it out."""
    before, _here.quick = in_a_hurry(), True
    try:
        yield
    finally:
        _here.quick = before


def in_a_hurry() -> bool:
    """Whether this thread is within `quickly`."""
    return getattr(_here, "quick", False)


def about(axis: np.ndarray, degrees: float, centre: np.ndarray) -> np.ndarray:
    """4x4 rotation about an axis through a point (Rodrigues)."""
    x, y, z = axis
    angle = math.radians(degrees)
    cross = np.array([[0, -z, y], [z, 0, -x], [-y, x, 0]])
    turn = np.eye(3) + math.sin(angle) * cross + (1 - math.cos(angle)) * (cross @ cross)
    matrix = np.eye(4)
    matrix[:3, :3], matrix[:3, 3] = turn, centre - turn @ centre
    return matrix


def shifted(way: np.ndarray) -> np.ndarray:
    """4x4 matrix that moves by a vector."""
    matrix = np.eye(4)
    matrix[:3, 3] = way
    return matrix


class Mover:
    """The places of a document's parts in time. `document` holds its overrides, its keys and its motions, and is not resolved."""

    def __init__(self, document: Document) -> None:
        self.document = document
        self.tracks: dict[str, dict[str, Track]] = {}
        for track in tracks_of(document.keys):
            if track.steps[0] == "parts" and len(track.steps) > 3 and track.steps[2] == "placement":
                self.tracks.setdefault(track.steps[1], {})["/".join(track.steps[3:])] = track
        self.worn: dict[str, list[Motion]] = {}
        for motion in document.motions.values():
            for address in motion.wears if motion.on else ():
                self.worn.setdefault(address, []).append(motion)
        self._rest: dict[str, np.ndarray] = {}
        self._own = threading.local()  # what is being asked for just now, by each thread
        self.kept: dict[tuple, Any] = {}  # what takes long to work out and holds for all times, by part and motion
        self.rough = False  # whether some of that was only taken roughly
        self._worlds: dict[tuple[str, float, bool], np.ndarray] = {}
        self._led = any(m.leader is not None for m in document.motions.values())  # may go in circles: what a place is hangs on who asks

    # places

    def keyed(self, part_id: str, time: float) -> Placement:
        """A part's placement as its keys have it."""
        placement = self.document.parts[part_id].placement
        tracks = self.tracks.get(part_id)
        if not tracks:
            return placement
        numbers = {"position": list(placement.position), "turn": list(placement.turn), "scale": list(placement.scale)}
        for name, track in tracks.items():
            field, _, axis = name.partition("/")
            value = track.at(time)
            if axis:
                numbers[field]["xyz".index(axis)] = value
            else:
                numbers[field] = list(value)
        return Placement(*(tuple(numbers[f]) for f in ("position", "turn", "scale")))  # type: ignore[arg-type]

    def moves(self, part_id: str) -> bool:
        """Whether a part itself has keys or motions of its place."""
        return part_id in self.tracks or self._carries(part_id)

    def _carries(self, part_id: str) -> bool:
        return any(m.kind not in SHINES for m in self.worn.get(f"parts/{part_id}", ()))

    def moving(self) -> set[str]:
        """Ids of the parts that keys or motions move by themselves."""
        worn = {a[6:] for a, motions in self.worn.items() if a.startswith("parts/") and any(m.kind not in SHINES for m in motions)}
        return worn | set(self.tracks)

    def rest(self, part_id: str | None) -> np.ndarray:
        """4x4 world matrix of a part as it stands when nothing moves; None is the world."""
        if part_id is None:
            return np.eye(4)
        if part_id not in self._rest:
            part = self.document.parts[part_id]
            self._rest[part_id] = self.rest(part.parent) @ to_matrix(part.placement)
        return self._rest[part_id]

    def local(self, part_id: str, time: float, before: Motion | None = None) -> np.ndarray:
        """4x4 matrix of a part in its parent; `before` leaves out that motion and all that come after it on this part."""
        rigid, scale = self._parts_of(part_id, time, before)
        matrix = rigid.copy()
        matrix[:3, :3] = rigid[:3, :3] * scale
        return matrix

    def placement(self, part_id: str, time: float) -> Placement:
        """A part's placement with all that moves it."""
        if not self._carries(part_id):
            return self.keyed(part_id, time)
        rigid, scale = self._parts_of(part_id, time, None)
        found = from_matrix(rigid)
        x, y, z = rigid[:3, 3].tolist()
        return Placement((x, y, z), found.turn, tuple(float(s) for s in scale))  # type: ignore[arg-type]

    def world(self, part_id: str | None, time: float) -> np.ndarray:
        """4x4 world matrix of a part at a time in seconds; None is the world."""
        if part_id is None:
            return np.eye(4)
        asked = (part_id, time, in_a_hurry())
        found = None if self._led else self._worlds.get(asked)
        if found is None:
            found = self.world(self.document.parts[part_id].parent, time) @ self.local(part_id, time)
            if not self._led and self.moves(part_id):
                if len(self._worlds) > MOST_KEPT:
                    self._worlds.clear()
                self._worlds[asked] = found
        return found

    def settled(self) -> None:
        """Take note that nothing is rough any more."""
        self.rough, self._worlds = False, {}

    def _parts_of(self, part_id: str, time: float, before: Motion | None) -> tuple[np.ndarray, np.ndarray]:
        """A part's turn and place (4x4 without scale), and its scale (3,)."""
        placement = self.keyed(part_id, time)
        scale = np.array(placement.scale)
        rigid = np.eye(4)
        rigid[:3, :3], rigid[:3, 3] = turn_matrix(placement.turn), placement.position
        for motion in self.worn.get(f"parts/{part_id}", ()):
            if before is not None and motion is before:
                break
            asking: set[tuple] = self._own.__dict__.setdefault("asking", set())
            asked = (part_id, motion.id, time)
            if asked in asking:
                continue  # it would follow itself: it stands still; `troubles` says so
            asking.add(asked)
            try:
                rigid = self._under(motion, part_id, time, rigid, scale)
            except BadValue:
                pass  # a path that leads nowhere, a wheel of no size: it stands still; `troubles` says so
            finally:
                asking.discard(asked)
        return rigid, scale

    def pivot(self, part_id: str) -> np.ndarray:
        """The point of a part, in its own axes, that it turns about: its pivot, else its origin."""
        return np.array(self.document.parts[part_id].pivot or (0.0, 0.0, 0.0))

    def hub(self, motion: Motion, part_id: str) -> np.ndarray:
        """The point of a part, in its own axes, that a motion takes hold of: its centre, else the part's pivot."""
        return self.pivot(part_id) if motion.centre is None else np.array(motion.centre)

    def _under(self, motion: Motion, part_id: str, time: float, rigid: np.ndarray, scale: np.ndarray) -> np.ndarray:
        act: Callable[..., np.ndarray] | None = getattr(self, f"_{motion.kind}", None)
        return rigid if act is None else act(motion, part_id, time, rigid, scale)

    # axes

    def _inside(self, part_id: str) -> np.ndarray:
        """4x4 from the world into the axes of a part's parent, as they are when nothing moves."""
        parent = self.document.parts[part_id].parent
        return np.eye(4) if parent is None else np.linalg.inv(self.rest(parent))

    def _axis(self, motion: Motion, part_id: str, rigid: np.ndarray, scale: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """A motion's axis and a point on it, in the parent's axes, where the part stands now."""
        own = self.pivot(part_id) if motion.centre is None or motion.axis_of == "world" else np.array(motion.centre)
        point = rigid[:3, :3] @ (own * scale) + rigid[:3, 3]
        if motion.axis_of == "own":
            return rigid[:3, :3] @ unit(motion.axis), point
        inside = self._inside(part_id)
        if motion.centre is not None:
            point = inside[:3, :3] @ np.array(motion.centre) + inside[:3, 3]
        return unit(inside[:3, :3] @ unit(motion.axis)), point

    def axis_at_rest(self, motion: Motion, part_id: str) -> tuple[np.ndarray, np.ndarray]:
        """A motion's axis and a point on it, in the world, where the part stands when nothing moves."""
        rest = self.rest(part_id)
        if motion.axis_of == "world" and motion.centre is not None:
            return unit(motion.axis), np.array(motion.centre)
        axis = rest[:3, :3] @ unit(motion.axis) if motion.axis_of == "own" else motion.axis
        return unit(axis), rest[:3, :3] @ self.hub(motion, part_id) + rest[:3, 3]

    # motions, each acting on a turn and place

    def _spin(self, motion: Motion, part_id: str, time: float, rigid: np.ndarray, scale: np.ndarray) -> np.ndarray:
        done = going(motion, time)
        if done is None:
            return rigid
        axis, point = self._axis(motion, part_id, rigid, scale)
        return about(axis, degrees_at(motion, done), point) @ rigid

    _turntable = _orbit = _swing = _spin

    def _slide(self, motion: Motion, part_id: str, time: float, rigid: np.ndarray, scale: np.ndarray) -> np.ndarray:
        done = going(motion, time)
        if done is None:
            return rigid
        if motion.axis_of == "own":
            way = rigid[:3, :3] @ unit(motion.axis)
        else:
            way = self._inside(part_id)[:3, :3] @ unit(motion.axis)
        return shifted(way * (done * motion.distance_mm)) @ rigid

    _lift = _slide

    def _follow(self, motion: Motion, part_id: str, time: float, rigid: np.ndarray, scale: np.ndarray) -> np.ndarray:
        done = going(motion, time)
        if done is None:
            return rigid
        parent = self.document.parts[part_id].parent
        inside = np.linalg.inv(self.world(parent, time))
        if motion.leader is not None:
            if motion.leader not in self.document.parts:
                raise BadValue("What it follows is gone.")
            gone = self.world(motion.leader, time) @ np.linalg.inv(self.rest(motion.leader))  # what the leader has moved by
            stood = self.rest(parent) @ rigid
            return without_scale(inside @ gone @ stood)
        place = self.on_path(motion, done)
        turn = place[:3, :3] @ _facing(unit(motion.axis)) if motion.faces else nearest_turn((self.rest(parent) @ rigid)[:3, :3])
        matrix = np.eye(4)
        matrix[:3, :3] = turn
        own = self.hub(motion, part_id)
        size = np.abs(np.linalg.det(self.rest(parent)[:3, :3])) ** (1 / 3)
        matrix[:3, 3] = place[:3, 3] - turn @ (own * scale * size)
        return without_scale(inside @ matrix)

    def on_path(self, motion: Motion, done: float) -> np.ndarray:
        """4x4: the place on a motion's path, beside it by its offset, with the axes forward, left, up as columns. Raises BadValue."""
        path = self.document.paths.get(motion.path or "")
        if path is None:
            raise BadValue("The path it followed is gone.")
        curve = curve_of(path)
        share = reached(motion, done)
        step = curve.at((share if curve.closed else min(1.0, max(0.0, share))) * curve.length)
        forward = step.way if motion.to >= motion.from_ else -step.way
        level = forward - UP * float(forward @ UP)
        if float(np.linalg.norm(level)) < 1e-9:
            level = np.array([1.0, 0.0, 0.0])
        left = unit(cross(UP, level))
        up = cross(forward, left)
        matrix = np.eye(4)
        if motion.bank:
            speed = abs(motion.to - motion.from_) * curve.length / max(motion.length, 1e-9)
            over = math.degrees(math.atan(speed * speed * float(step.bend @ left) / GRAVITY)) * motion.bank
            lie = about(forward, -over, np.zeros(3))[:3, :3]
            left, up = lie @ left, lie @ up
        matrix[:3, :3] = np.stack([forward, left, up], 1)
        matrix[:3, 3] = step.point + matrix[:3, :3] @ np.array(motion.offset)
        return matrix

    def _shake(self, motion: Motion, part_id: str, time: float, rigid: np.ndarray, scale: np.ndarray) -> np.ndarray:
        return shake_about(motion, time, rigid[:3, :3] @ (self.pivot(part_id) * scale) + rigid[:3, 3]) @ rigid


def shaken(motion: Motion, time: float) -> tuple[np.ndarray, np.ndarray]:
    """How far a shake pushes (mm) and turns (degrees about x, y, z): waves of unlike lengths, fading in and out with its ends."""
    if not motion.start <= time <= motion.start + motion.length:
        return np.zeros(3), np.zeros(3)
    share = (time - motion.start) / max(motion.length, 1e-9)
    rim = 0.1
    swell = 1.0
    if motion.before == "eased":
        swell *= min(1.0, share / rim)
    if motion.after == "eased":
        swell *= min(1.0, (1.0 - share) / rim)
    rng = np.random.default_rng(motion.seed)
    rates = motion.swings * np.exp(rng.uniform(-0.7, 0.7, (6, 4)))
    phases = rng.uniform(0, 2 * np.pi, (6, 4))
    waves = np.sin(2 * np.pi * rates * (time - motion.start) + phases).sum(1) / 2.0
    swell = swell * swell * (3 - 2 * swell)
    return waves[:3] * (motion.amount_mm * swell), waves[3:] * (motion.amount_degrees * swell)


def shake_about(motion: Motion, time: float, point: np.ndarray) -> np.ndarray:
    """4x4 of a shake of what turns about a point."""
    push, turns = shaken(motion, time)
    matrix = np.eye(4)
    matrix[:3, :3] = turn_matrix(tuple(turns))  # type: ignore[arg-type]
    return shifted(push + point) @ matrix @ shifted(-point)


def _facing(axis: np.ndarray) -> np.ndarray:
    """3x3 that turns a thing whose own `axis` faces forward, its z up, into the axes forward, left, up."""
    up = UP if abs(float(axis @ UP)) < 0.9 else np.array([1.0, 0.0, 0.0])
    left = unit(cross(up, axis))
    return np.stack([axis, left, cross(axis, left)])
