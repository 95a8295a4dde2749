"""The sun sent onto a place through a place: a window and what it should fall on, by sky, by the sun of a dome's picture, or by a sun of its own."""

import datetime
import math
from typing import NamedTuple

import numpy as np
from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.moments import still
from aulmo.document.placement import turn_matrix
from aulmo.document.properties import resolve
from aulmo.document.quantity import show
from aulmo.document.records import Camera, Document, Environment, Lamp, Sky
from aulmo.errors import BadValue
from aulmo.light.daylight import sun_angles, toward_sun
from aulmo.light.dome_map import map_directions
from aulmo.light.place_lamp import aimed_turn, new_lamp
from aulmo.light.staying import lamp_from_world, standing
from aulmo.surface.colour import LUMINANCE
from aulmo.trace.lit import environment_pixels
from aulmo.trace.openings import clear_parts
from aulmo.trace.pick import pick
from aulmo.trace.scene import Scene, SceneBuilder

SUNNY = 300.0  # times the mean from which on the brightest place of a picture counts as its sun
NEAR = 0.5  # degrees within which the sun of a date and hour counts as standing there


class Sent(NamedTuple):
    """The document with its sun sent, and what was done, in words."""

    document: Document
    words: str


def sun_through(document: Document, assets: AssetStore, point, through, builder: SceneBuilder | None = None) -> Document:
    """The document with its sun where it shines on a point (3,) through another (3,): the sky's, that of the dome's picture, or a lamp's. Raises
    BadValue with a sentence where it cannot."""
    seen = resolve(document)
    scene = (builder or SceneBuilder(assets)).build(still(seen), False)
    return send(document, assets, scene, point, through).document


def send(document: Document, assets: AssetStore, scene: Scene, point, through) -> Sent:
    """The same for a scene that is built, with what was done. Raises BadValue."""
    point, through = (np.asarray(p, float).reshape(-1) for p in (point, through))
    if any(p.shape != (3,) or not np.isfinite(p).all() for p in (point, through)):
        raise BadValue("The sun is sent by two places of three numbers each.")
    way = through - point
    length = float(np.linalg.norm(way))
    if length < 1e-6:
        raise BadValue("Where the sun falls and where it comes in are one and the same place.")
    if way[2] < 0:  # the sun shines from above: the higher place is where it comes in
        point, through, way = through, point, -way
    toward = way / length
    if toward[2] < 1e-6:
        raise BadValue("The sun would have to stand on the horizon: where it comes in must lie higher than where it falls.")
    _look(document, scene, point, toward)
    camera = document.cameras.get(document.shots[0].camera) if document.shots else None
    stands = standing(resolve(document), camera)
    environment, ground = document.environment, stands.ground
    if environment.kind == "sky":
        return _by_sky(document, environment, ground, toward)
    lamp = next((x for x in document.lamps.values() if x.kind == "sun" and x.on), None)
    if lamp is not None:
        turned = replace(stands.lamps[lamp.id], turn=aimed_turn(through, point))
        own = lamp_from_world(document, turned, camera)
        return Sent(edits.put_lamp(document, replace(lamp, turn=own.turn, position=own.position)), f"{lamp.name} {_told(toward)}")
    beside = ""
    if environment.kind == "picture" and (sun := sun_of_picture(environment_pixels(environment, assets))) is not None:
        turned_dome = _turned_to(environment, sun, ground.T @ toward)
        if turned_dome is not None:
            return Sent(replace(document, environment=turned_dome), f"The dome is turned: its sun {_told(toward)}")
        beside = "; the dome’s own sun cannot be brought there"
    name = edits.free_name("Sun", (x.name for x in document.lamps.values()))
    made = _new_sun(name, point, through, camera or Camera("", ""))
    return Sent(edits.put_lamp(document, made), f"{name} {_told(toward)}{beside}")


def _look(document: Document, scene: Scene, point: np.ndarray, toward: np.ndarray) -> None:
    """Raise BadValue where something that lets no light through stands between a place and the sun."""
    clear = clear_parts(document)
    start = point + toward * max(1e-3, 1e-5 * float(np.linalg.norm(scene.high - scene.low)))
    hit = pick(scene, start, toward, clear)
    if hit is None:
        return
    part = document.parts.get(hit.part or "")
    raise BadValue(f"{part.name if part is not None else 'The floor'} stands in the way there, {show(hit.distance, 'mm', 0)} before that place.")


def _angles(toward: np.ndarray) -> tuple[float, float]:
    """Azimuth clockwise from +y and elevation of a direction, in degrees."""
    return math.degrees(math.atan2(toward[0], toward[1])) % 360.0, math.degrees(math.asin(float(np.clip(toward[2], -1, 1))))


def _told(toward: np.ndarray) -> str:
    azimuth, elevation = _angles(toward)
    return f"stands {show(elevation, '°', 0)} high at azimuth {show(azimuth, '°', 0)}"


def _by_sky(document: Document, environment: Environment, ground: np.ndarray, toward: np.ndarray) -> Sent:
    turned = ground @ turn_matrix((environment.tilt, 0.0, -environment.turn))
    azimuth, elevation = _angles(turned.T @ toward)
    date, hour, off = when(environment.sky, azimuth, elevation)
    sky = replace(environment.sky, by_place=False, azimuth=azimuth, elevation=elevation, sun=True)
    words = f"The sun {_told(toward)}"
    place = f"{show(abs(sky.latitude), '°', 0)} {'north' if sky.latitude >= 0 else 'south'}"
    if off <= NEAR:
        sky = replace(sky, date=date, hour=hour)
        words += f", as on {_day(date)} at {_clock(hour)} in {place}"
    else:
        words += f"; in {place} it never does: {_day(date)} at {_clock(hour)} comes nearest, {show(off, '°', 0)} beside"
    return Sent(replace(document, environment=replace(environment, sky=sky)), words)


def _day(date: str) -> str:
    found = datetime.date.fromisoformat(date)
    return f"{found.day} {found:%B}"


def _clock(hour: float) -> str:
    minutes = round(hour * 60)
    return f"{minutes // 60}:{minutes % 60:02d}"


def when(sky: Sky, azimuth: float, elevation: float) -> tuple[str, float, float]:
    """(date, hour, degrees beside) at which the sun stands nearest to angles, at a sky's place and in its year: of two days that fit, the one that
    is nearer to the sky's own date."""
    wanted = toward_sun(azimuth - sky.north, elevation)
    try:
        own = datetime.date.fromisoformat(sky.date)
    except ValueError:
        own = datetime.date(2026, 6, 21)
    first = datetime.date(own.year, 1, 1)

    def beside(day: int, hour: float) -> float:
        date = (first + datetime.timedelta(days=day)).isoformat()
        found = toward_sun(*sun_angles(date, hour, sky.utc_offset, sky.latitude, sky.longitude))
        return math.degrees(math.acos(float(np.clip(found @ wanted, -1, 1))))

    def best_hour(day: int, around: float | None = None) -> tuple[float, float]:
        hours = np.arange(0.0, 24.0, 1.0) if around is None else np.clip(around + np.array([-0.5, 0.0, 0.5]), 0, 24 - 1e-6)
        middle = float(min(hours, key=lambda h: beside(day, float(h))))
        width = 1.0
        while width > 0.004:
            width /= 2
            middle = min((max(0.0, middle - width), middle, min(23.999, middle + width)), key=lambda h: beside(day, h))
        return middle, beside(day, middle)

    rough = sorted(((best_hour(day), day) for day in range(0, 365, 8)), key=lambda f: f[0][1])[:6]
    near: list[tuple[float, int, float]] = []
    for (hour, _), day in rough:
        for close in range(max(0, day - 8), min(364, day + 8) + 1, 1):
            found = best_hour(close, hour)
            near.append((found[1], close, found[0]))
    least = min(near)[0]
    fitting = [n for n in near if n[0] <= max(least + 1e-9, min(NEAR, least + 0.1))]
    today = (own - first).days
    off, day, hour = min(fitting, key=lambda n: (abs(n[1] - today) > 92, n[0]))
    return (first + datetime.timedelta(days=day)).isoformat(), round(hour, 2), off


def sun_of_picture(pixels: np.ndarray) -> np.ndarray | None:
    """(3,) direction of the sun of a dome's map (h, w, 3): the middle of what is brightest; None where nothing stands out as a sun does."""
    light = np.asarray(pixels, np.float64) @ LUMINANCE
    top = float(light.max())
    if top < SUNNY * max(1e-12, float(np.median(light))):
        return None
    h, w = light.shape
    ways = map_directions(w, h)
    peak = ways[np.unravel_index(int(light.argmax()), light.shape)]
    near = (light > 0.5 * top) & (ways @ peak > math.cos(math.radians(3.0)))
    found = (ways[near] * light[near][:, None]).sum(0)
    return found / np.linalg.norm(found)


def _turned_to(environment: Environment, sun: np.ndarray, wanted: np.ndarray) -> Environment | None:
    """The dome turned and tilted so that a direction of its picture stands in another; None where that cannot be."""
    # about x by the tilt, then about z by minus the turn: the tilt alone decides how high, the turn then where round
    reach, phase = math.hypot(sun[1], sun[2]), math.atan2(sun[2], sun[1])
    if abs(wanted[2]) > reach:
        return None
    high = math.asin(wanted[2] / reach)
    tilts = [math.degrees(a - phase) for a in (high, math.pi - high)]
    tilt = min(((t + 180) % 360 - 180 for t in tilts), key=abs)
    tilted = turn_matrix((tilt, 0.0, 0.0)) @ sun
    spin = math.degrees(math.atan2(wanted[1], wanted[0]) - math.atan2(tilted[1], tilted[0]))
    return replace(environment, tilt=tilt, turn=(-spin + 180) % 360 - 180)


def _new_sun(name: str, point: np.ndarray, through: np.ndarray, camera: Camera) -> Lamp:
    """A sun as a lamp, out beyond where it comes in."""
    x, y, z = (through + 0.5 * (through - point)).round(4).tolist()
    made = new_lamp("sun", name, edits.new_id(), point - 100.0, point + 100.0, camera)
    return replace(made, position=(x, y, z), turn=aimed_turn(through, point))
