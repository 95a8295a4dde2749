"""Where light that is seen at a pixel comes from by mirrors and clear things alone: the exact way back from the camera, one reflection after another.

A surface is looked at by the very kernel that traces pictures, with a frame of one pixel that is next to nothing wide, so its normal is the one
of the picture: softened edges, relief and decals included. Where pictures let indirect light go straight through clear glass, so does the way here.
"""

import math
from typing import NamedTuple

import numpy as np

from aulmo.surface.colour import LUMINANCE
from aulmo.frame.camera import ray_through
from aulmo.trace.camera_rows import camera_row
from aulmo.trace.compile import arrays as a
from aulmo.surface import columns as o
from aulmo.trace.path.film import new_film
from aulmo.trace.path.path_state import MATTE_SLOTS
from aulmo.trace.path.tile import trace_tile
from aulmo.document.records import Camera
from aulmo.trace.scene import FLOOR_PART, Scene
from aulmo.trace.shape.embree import MASK_EYE, NO_HIT, coherent_arguments, intersect_once
from aulmo.trace.shape.smooth_hit import smooth_hit

MATT = 0.6  # alpha of a surface that shows no highlight any more
SHARP = 0.25  # ... of one in which another thing is still seen
MOST_EVENTS, MOST_WAYS = 14, 8
FAINT = 2e-4  # ways that carry less light are not followed
THROUGH, BACK = "through", "back"
_NO_RECORD = np.zeros((0, 11), np.float32)


class Met(NamedTuple):
    """A surface on a ray. `normal` is turned to where the ray comes from and is that of the picture; `enters` tells that the ray goes into the
    thing; `number` is the part's in the scene, `which` the row of its material."""

    instance: int
    number: int
    which: int
    point: np.ndarray
    normal: np.ndarray
    flat: np.ndarray
    enters: bool


class Step(NamedTuple):
    """What happened at a surface: the ray went "through" or "back"."""

    did: str
    met: Met


class Way(NamedTuple):
    """A way on which light can come to the camera: what it does, in order seen from the camera; where it goes at last; its share of the light."""

    steps: tuple[Step, ...]
    direction: np.ndarray
    share: float

    @property
    def mirrors(self) -> list[Met]:
        """The surfaces it is reflected by, from the camera on."""
        return [step.met for step in self.steps if step.did == BACK]


class Sight:
    """One camera's look at a scene. `relief` takes bumps, normal maps and decals into account."""

    def __init__(self, scene: Scene, camera: Camera, options: np.ndarray, width: int, height: int, relief: bool = True) -> None:
        self.scene, self.camera, self.width, self.height, self.relief = scene, camera, width, height, relief
        self._size = float(np.linalg.norm(scene.high - scene.low))
        self._options = options.copy()
        self._options[[a.OPT_PASSES, a.OPT_GROUPS, a.OPT_OCCLUSION, a.OPT_LAMP_MASK, a.OPT_SHUTTER_CLOSE]] = 1.0, 0.0, 0.0, 0.0, 0.0
        self._options[[a.OPT_BOUNCES, a.OPT_ENV_CHANCE]] = 0.0, 0.0
        eye = Camera("eye", "Eye", position=(0.0, 0.0, 0.0), target=(0.0, 1.0, 0.0))
        self._row = camera_row(eye, 2, 2)
        self._row[[a.CAM_TAN_W, a.CAM_TAN_H]] = 1e-9

    def ray(self, x: float, y: float) -> tuple[np.ndarray, np.ndarray]:
        """Origin and direction through a place of the frame, in pixels."""
        return ray_through(self.camera, x, y, self.width, self.height)

    def look(self, origin: np.ndarray, direction: np.ndarray) -> Met | None:
        """The first surface on a ray; None for nothing, or for what only catches shadow."""
        arrays = self.scene.arrays
        floats, words = intersect_once(arrays.top, origin, direction, MASK_EYE)
        if words[17] == NO_HIT:
            return None
        instance = int(words[19])
        if arrays.instance_catch[instance] > 0:
            return None
        flat = arrays.normal_matrices[instance] @ floats[12:15].astype(float)
        flat /= max(1e-30, float(np.linalg.norm(flat)))
        enters = bool(flat @ direction < 0)
        which = self._material(instance, int(words[17]))
        point = np.asarray(origin, float) + np.asarray(direction, float) * float(floats[8])
        if self.relief:
            normal, seen = self._normal(origin, direction)
            which = seen if seen is not None else which
        else:
            found = np.zeros(3)
            smooth_hit(self.scene.block.words, floats, words, found)
            normal = found if enters else -found
        if normal is None or not np.isfinite(normal).all() or np.linalg.norm(normal) < 0.5:
            normal = flat if enters else -flat
        normal = normal / np.linalg.norm(normal)
        if normal @ direction > 0:
            normal = flat if enters else -flat
        return Met(instance, int(arrays.instance_part[instance]), which, point, normal, flat if enters else -flat, enters)

    def _material(self, instance: int, triangle: int) -> int:
        arrays = self.scene.arrays
        start = int(arrays.instance_faces[instance]) if len(arrays.face_rows) else -1
        return int(arrays.instance_material[instance]) if start < 0 else int(arrays.face_rows[start + triangle])

    def _normal(self, origin: np.ndarray, direction: np.ndarray) -> tuple[np.ndarray | None, int | None]:
        """The picture's normal at the first surface on a ray, and the row of the material that is met there."""
        forward = np.asarray(direction, float)
        aside = np.cross(forward, [0.0, 0.0, 1.0] if abs(forward[2]) < 0.9 else [1.0, 0.0, 0.0])
        aside /= np.linalg.norm(aside)
        row = self._row.copy()
        row[a.CAM_ORIGIN : a.CAM_ORIGIN + 3], row[a.CAM_FORWARD : a.CAM_FORWARD + 3] = origin, forward
        row[a.CAM_RIGHT : a.CAM_RIGHT + 3], row[a.CAM_UP : a.CAM_UP + 3] = aside, np.cross(aside, forward)
        film = new_film(1, 1, a.PLANE_GROUPS)
        mattes = np.zeros((1, 1, 2, MATTE_SLOTS, 2), np.float32)
        done, goal = np.zeros((1, 1), np.int32), np.ones((1, 1), np.int32)
        trace_tile(
            self.scene.block.words, row[None], self._options, film, mattes, done, goal, 0, 0, 1, 1, 1, 1, 1, 1, np.zeros(1, np.int32), _NO_RECORD,
            np.zeros(1, np.int64), coherent_arguments(),
        )  # fmt: skip
        if film[0, 0, a.PLANE_HIT] <= 0:
            return None, None
        return film[0, 0, a.PLANE_FIRST_NORMAL : a.PLANE_FIRST_NORMAL + 3].astype(float), int(mattes[0, 0, 1, 0, 0])

    # following light back

    def ways(self, x: float, y: float) -> list[Way]:
        """All ways, of not too little light, on which light can be seen at a place of the frame by way of one or two mirrors, the brightest
        first."""
        origin, direction = self.ray(x, y)
        found: list[Way] = []
        self._follow(origin, direction, (), (), 1.0, found, 0)
        return sorted(found, key=lambda way: -way.share)[:MOST_WAYS]

    def again(self, way: Way, x: float, y: float) -> np.ndarray | None:
        """Where the same way goes from another place of the frame; None when other things lie on it there."""
        at, direction = self.ray(x, y)
        inside: tuple[int, ...] = ()
        straight = False
        for step in way.steps:
            met = self.look(at, direction)
            if met is None or met.number != step.met.number or met.enters != step.met.enters:
                return None
            made = self._done(met, direction, inside, step.did, straight)
            if made is None:
                return None
            at, direction, inside, _ = made
            straight = straight or self._straightens(step)
        return direction

    def _follow(
        self, at: np.ndarray, direction: np.ndarray, inside: tuple[int, ...], steps: tuple[Step, ...], share: float, found: list[Way], depth: int
    ) -> None:
        met = self.look(at, direction)
        mirrored = sum(step.did == BACK for step in steps)
        if met is None:
            if mirrored:
                found.append(Way(steps, direction, share))
            return
        if depth >= MOST_EVENTS:
            return
        straight = any(self._straightens(step) for step in steps)
        choices = [THROUGH] if self._clear(met) else []
        alpha = self.blur(met)
        if mirrored < 2 and (alpha < MATT if mirrored == 0 else alpha < SHARP):
            choices.append(BACK)
        for did in choices:
            made = self._done(met, direction, inside, did, straight)
            if made is not None and share * made[3] > FAINT:
                self._follow(made[0], made[1], made[2], (*steps, Step(did, met)), share * made[3], found, depth + 1)

    def _straightens(self, step: Step) -> bool:
        """Whether light that was mirrored there goes straight through clear glass from then on."""
        return step.did == BACK and self._options[a.OPT_STRAIGHT_GLASS] > 0 and not self._clear(step.met)

    def _clear(self, met: Met) -> bool:
        m = self.scene.arrays.materials[met.which]
        return bool(m[o.TRANSMISSION] > 0.3 and m[o.METALNESS] < 0.5 and self.blur(met) < SHARP)

    def blur(self, met: Met) -> float:
        """Width (alpha) of the sharpest mirror that a surface has; 1 for one that mirrors nothing."""
        m = self.scene.arrays.materials[met.which]
        if m[o.COAT] > 0.2:
            return float(m[o.COAT_ALPHA])
        alpha = math.sqrt(max(0.0, m[o.ALPHA_X] * m[o.ALPHA_Y]))
        dull = m[o.METALNESS] < 0.5 and m[o.TRANSMISSION] < 0.3 and (m[o.ETA] < 1.02 or m[o.SPECULAR_COLOUR : o.SPECULAR_COLOUR + 3].max() < 0.02)
        return 1.0 if dull else float(alpha)

    def _done(
        self, met: Met, direction: np.ndarray, inside: tuple[int, ...], did: str, straight: bool
    ) -> tuple[np.ndarray, np.ndarray, tuple[int, ...], float] | None:
        """Where a ray goes on from a surface: (point, direction, the clear things it is in, share of its light); None for nowhere."""
        materials = self.scene.arrays.materials
        m = materials[met.which]
        cosine = float(-(met.normal @ direction))
        clear = m[o.TRANSMISSION] > 0.3 and m[o.METALNESS] < 0.5
        thin = m[o.THIN] > 0
        lift = 3e-5 * max(self._size, float(np.abs(met.point).max()))
        current = self._topmost(inside)
        within = (*inside, met.instance) if met.enters else tuple(i for k, i in enumerate(inside) if k != _last(inside, met.instance))
        if clear and not thin:
            real = current < 0 or current == met.instance or (met.enters and self._rank(current) <= self._rank(met.instance))
            if not real:  # within a thing that counts for more there is no boundary
                return (met.point - met.flat * lift, direction, within, 1.0) if did == THROUGH else None
            far = self._topmost(within)
            eta = (self._refraction(far) if far >= 0 else 1.0) / (self._refraction(current) if current >= 0 else 1.0)
            reflected, refracted = _fresnel(cosine, eta)
            if did == THROUGH:
                if straight:
                    return met.point - met.flat * lift, direction, within, 1 - _fresnel(cosine, max(eta, 1 / eta))[0]
                if refracted <= 0:
                    return None
                way = direction / eta + (cosine / eta - refracted) * met.normal
                return met.point - met.flat * lift, way / np.linalg.norm(way), within, 1 - reflected
        elif thin and did == THROUGH:
            return met.point - met.flat * lift, direction, inside, 1 - _fresnel(cosine, max(1.01, float(m[o.REFRACTION])))[0]
        else:
            reflected = self._reflects(m, cosine)
        way = direction + 2 * cosine * met.normal
        if way @ met.flat <= 0:
            return None
        return met.point + met.flat * lift, way / np.linalg.norm(way), inside, reflected

    def _topmost(self, inside: tuple[int, ...]) -> int:
        best = -1
        for i in inside:
            if best < 0 or self._rank(i) >= self._rank(best):
                best = i
        return best

    def _rank(self, instance: int) -> float:
        return float(self.scene.arrays.materials[self.scene.arrays.instance_material[instance], o.PRIORITY])

    def _refraction(self, instance: int) -> float:
        return float(self.scene.arrays.materials[self.scene.arrays.instance_material[instance], o.REFRACTION])

    @staticmethod
    def _reflects(m: np.ndarray, cosine: float) -> float:
        if m[o.COAT] > 0.2:
            return float(m[o.COAT] * _fresnel(cosine, max(1.01, float(m[o.COAT_IOR])))[0]) + 0.5 * float(m[o.METALNESS])
        metal = float(m[o.METALNESS])
        edge = (1 - cosine) ** 5
        own = float(m[o.METAL_F0 : o.METAL_F0 + 3] @ LUMINANCE)
        return metal * (own + (1 - own) * edge) + (1 - metal) * _fresnel(cosine, max(1.01, float(m[o.ETA])))[0]

    # in words

    def name(self, met: Met) -> str:
        """What a surface belongs to."""
        if met.number >= 0:
            return self.scene.part_names[met.number]
        return "floor" if met.number == FLOOR_PART else "lamp"

    def words(self, way: Way) -> str:
        """Where on a way the highlight lies, as it is told at the cursor."""
        mirrors = way.mirrors
        last = mirrors[-1]
        name = self.name(last)
        if len(mirrors) > 1:
            return f"in the {name}, by way of the {self.name(mirrors[0])}"
        before = [step.met for step in way.steps[: [step.did for step in way.steps].index(BACK)]]
        if not before:
            return f"on the {name}"
        passed = [self.name(met) for met in before if met.number != last.number]
        if any(met.number == last.number for met in before):
            return f"on the inside of the {name}" if last.enters is False else f"on the far side of the {name}"
        return f"on the {name} behind the {passed[-1]}"


def _last(inside: tuple[int, ...], instance: int) -> int:
    return max((k for k, i in enumerate(inside) if i == instance), default=-1)


def _fresnel(cosine: float, eta: float) -> tuple[float, float]:
    """Reflectance of a smooth boundary and the refracted cosine; (1, 0) for total reflection."""
    c = min(1.0, abs(cosine))
    t2 = 1 - (1 - c * c) / (eta * eta)
    if t2 <= 0:
        return 1.0, 0.0
    t = math.sqrt(t2)
    one, other = (eta * c - t) / (eta * c + t), (c - eta * t) / (c + eta * t)
    return 0.5 * (one * one + other * other), t
