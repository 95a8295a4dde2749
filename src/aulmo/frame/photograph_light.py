"""Light for a product in a photograph: the dome turned to the sun that its shadows tell, a sun of its own, or a plain dome guessed from its
colours."""

import math

import numpy as np
from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.placement import turn_matrix
from aulmo.document.records import Camera, Document, Environment, Lamp, Stop
from aulmo.frame.camera import ray_through
from aulmo.frame.shadow_stick import Sun
from aulmo.light.dome_map import map_directions
from aulmo.surface.colour import LUMINANCE

SUN_WIDTH = 0.533  # degrees
SUN_LUX = 9000.0  # three times what a card gets from the dome
STEEPEST = 45.0  # degrees that a dome is tilted by
_BRIGHT = 2.0  # degrees that a bright place is wide


def toward(azimuth: float, elevation: float) -> np.ndarray:
    """(3,) direction of a place in the sky: azimuth clockwise from +y, degrees."""
    a, e = math.radians(azimuth), math.radians(elevation)
    return np.array([math.sin(a) * math.cos(e), math.cos(a) * math.cos(e), math.sin(e)])


def brightest(image: np.ndarray) -> np.ndarray:
    """(3,) direction, in the axes of a dome's map (h, w, 3), of its brightest place: the middle of what is nearly as bright about it."""
    step = max(1, image.shape[0] // 256)
    small = image[: image.shape[0] // step * step, : image.shape[1] // step * step]
    small = small.reshape(small.shape[0] // step, step, small.shape[1] // step, step, 3).mean((1, 3)) @ LUMINANCE
    directions = map_directions(small.shape[1], small.shape[0])
    peak = directions.reshape(-1, 3)[int(small.argmax())]
    near = (directions @ peak > math.cos(math.radians(12.0))) & (small > 0.5 * small.max())
    rows = (np.arange(small.shape[0]) + 0.5) / small.shape[0] * np.pi
    weight = (small * np.sin(rows)[:, None])[near]
    mean = (directions[near] * weight[:, None]).sum(0)
    return mean / np.linalg.norm(mean)


def turned_to(environment: Environment, image: np.ndarray, sun: Sun) -> tuple[Environment, float]:
    """The dome turned and tilted so that its brightest place stands where the sun does, and how many degrees higher that still is where a dome may
    not be tilted as far; a sky of its own sets its sun."""
    if environment.kind == "sky":
        sky = replace(environment.sky, by_place=False, azimuth=sun.azimuth, elevation=min(90.0, sun.elevation), sun=True)
        return replace(environment, sky=sky, turn=0.0, tilt=0.0), 0.0
    place = brightest(image)
    wanted = toward(sun.azimuth, sun.elevation)
    reach = math.hypot(place[1], place[2])
    tilt = 0.0
    if reach > 1e-9:
        # the height after a tilt t is y sin t + z cos t = reach sin(t + start)
        start = math.atan2(place[2], place[1])
        high = max(-1.0, min(1.0, wanted[2] / reach))
        ways = [math.asin(high) - start, math.pi - math.asin(high) - start]
        tilt = min(((math.degrees(w) + 180) % 360 - 180 for w in ways), key=abs)
    tilt = max(-STEEPEST, min(STEEPEST, tilt))
    leaning = turn_matrix((tilt, 0.0, 0.0)) @ place
    # the dome's turn goes clockwise seen from above
    turn = (math.degrees(math.atan2(wanted[0], wanted[1]) - math.atan2(leaning[0], leaning[1])) + 180) % 360 - 180
    left = sun.elevation - math.degrees(math.asin(max(-1.0, min(1.0, float(leaning[2])))))
    return replace(environment, turn=turn, tilt=tilt), left


def sun_lamp(document: Document, sun: Sun) -> tuple[Document, str]:
    """A distant lamp where the sun stands, as wide as shadows say. Returns the document and its id."""
    way = toward(sun.azimuth, sun.elevation)
    # a lamp shines along its -z: its +z points at the sun, turned about x, then about z
    turn = (math.degrees(math.acos(max(-1.0, min(1.0, float(way[2]))))), 0.0, math.degrees(math.atan2(way[0], -way[1])))
    lamp = Lamp(
        id=edits.new_id(), name=edits.free_name("Sun of the photograph", (x.name for x in document.lamps.values())), kind="distant",
        position=(float(1000 * way[0]), float(1000 * way[1]), float(1000 * way[2])), turn=turn, power=SUN_LUX, unit="lux",
        angle=min(60.0, max(SUN_WIDTH, sun.width)), kelvin=5500.0, group="Sun",
    )  # fmt: skip
    return edits.put_lamp(document, lamp), lamp.id


def guessed_dome(environment: Environment, light: np.ndarray, camera: Camera) -> Environment:
    """A plain dome guessed from a photograph: from above what its sky or upper part gives, from below its floor, between what lies at the horizon.

    light : (h, w, 3) ACEScg of the photograph in shares of white. camera : with the photograph as its frame. It is a start, no measurement.
    """
    step = max(1, light.shape[0] // 120)
    small = light[::step, ::step]
    h, w = small.shape[:2]
    rows = np.array([ray_through(camera, w / 2, y + 0.5, w, h)[1][2] for y in range(h)])
    above, below = rows > 0.05, rows < -0.05
    upper = small[above] if above.sum() >= max(2, h // 12) else small[: max(1, h // 4)]
    lower = small[below] if below.sum() >= max(2, h // 12) else small[-max(1, h // 4) :]
    middle = small[np.abs(rows) <= 0.15] if (np.abs(rows) <= 0.15).sum() >= 2 else small
    tones = [tuple(float(v) for v in np.maximum(part.reshape(-1, 3).mean(0), 0.005)) for part in (lower, middle, upper)]
    stops = (Stop(0.0, tones[0]), Stop(0.5, tones[1]), Stop(1.0, tones[2]))  # type: ignore[arg-type]
    return replace(environment, kind="gradient", stops=stops, turn=0.0, tilt=0.0)
