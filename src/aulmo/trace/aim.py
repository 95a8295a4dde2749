"""Aiming: a softbox or lamp goes where it makes a highlight, lights squarely, or throws a shadow, at what is seen at a pixel of a shot."""

import math
from typing import NamedTuple, Sequence

import numpy as np

from aulmo.document.assets import AssetStore
from aulmo.document.edits import find_shot, put_lamp
from aulmo.document.moments import still
from aulmo.document.properties import resolve
from aulmo.document.records import Camera, Document, Lamp, Shot, Softbox
from aulmo.errors import BadValue
from aulmo.light.aiming import HOWS, How, lamp_along, strip_along
from aulmo.light.dome_map import angles, even_directions
from aulmo.light.softbox import find, new_softbox, placed, put_softbox
from aulmo.light.staying import from_world, in_world, lamp_from_world, lamp_in_world
from aulmo.trace.aim_instead import refused
from aulmo.trace.options import options_row
from aulmo.trace.scene import SceneBuilder
from aulmo.trace.shape.embree import MASK_SOLID, NO_HIT, intersect_once
from aulmo.trace.sight import MATT, Met, Sight, Way

NEAR = 6  # pixels around a stroke's point within which the product is looked for


class Aimed(NamedTuple):
    """What aiming came to: the document, what was aimed, what is told of it, and on which of all `ways`."""

    document: Document
    light: str
    words: str
    ways: tuple[Way, ...] = ()


def sight_of(document: Document, assets: AssetStore, shot: Shot, builder: SceneBuilder | None = None, relief: bool = True) -> Sight:
    """A shot's camera's look at a document, at the time of its first frame."""
    seen = resolve(document, {"shot": shot.id} if shot in document.shots else None)
    camera = seen.cameras[shot.camera]
    scene = (builder or SceneBuilder(assets)).build(still(seen), camera=camera)
    return Sight(scene, camera, options_row(scene, seen, camera, seen.render), shot.width, shot.height, relief)


def light_of(document: Document, light: str) -> Softbox | Lamp:
    """The softbox or lamp with an id. Raises BadValue."""
    return document.lamps[light] if light in document.lamps else find(document, light)


def first_met(sight: Sight, x: float, y: float) -> Met:
    """What is seen at a place of the frame. Raises BadValue when there is nothing."""
    met = sight.look(*sight.ray(x, y))
    if met is None:
        raise BadValue("There is nothing of the product there; click on it.")
    return met


def ways_to(sight: Sight, x: float, y: float) -> tuple[Way, ...]:
    """All ways for a highlight at a place of the frame, the plainest first. Raises BadValue with a sentence when there is none."""
    met = first_met(sight, x, y)
    ways = sight.ways(x, y)
    if not ways:
        if sight.blur(met) >= MATT:
            raise BadValue(f"The {sight.name(met)} is matt and mirrors nothing there; light it by facing instead.")
        raise refused(sight, x, y, met)
    seen: dict[str, Way] = {}
    for way in ways:  # two walls of one thing show one highlight, told once
        seen.setdefault(sight.words(way), way)
    return tuple(sorted(seen.values(), key=lambda way: (len(way.mirrors), -way.share)))


def put(document: Document, light: str, point, direction, camera: Camera, keeps="distance") -> Document:
    """The document with a softbox or lamp where it is seen from a point along a direction of the world."""
    one = light_of(document, light)
    if isinstance(one, Lamp):
        return put_lamp(document, lamp_from_world(document, lamp_along(lamp_in_world(document, one, camera), point, direction, keeps), camera))
    return put_softbox(document, from_world(document, placed(in_world(document, one, camera), direction), camera))


def aim_at(
    document: Document, sight: Sight, x: float, y: float, light: str, how: How = "highlight", way: Way | None = None, keeps="distance"
) -> Aimed:  # fmt: skip
    """Aim a softbox or lamp at what is seen at a place of the frame. Raises BadValue with a sentence."""
    if how not in HOWS:
        raise BadValue(f"Aiming is for {', '.join(HOWS)}, not {how}.")
    met = first_met(sight, x, y)
    name = sight.name(met)
    ways: tuple[Way, ...] = ()
    if how == "highlight":
        ways = (way,) if way is not None else ways_to(sight, x, y)
        chosen = ways[0]
        point, direction = chosen.mirrors[-1].point, chosen.direction
        words = f"Highlight {sight.words(chosen)}"
    elif how == "facing":
        point, direction, words = met.point, met.normal, f"Squarely on the {name}"
    else:
        point = met.point
        direction, thing = shade_from(sight, met, toward(document, light, point, sight.camera))
        words = f"In the shadow of the {thing}"
    made = put(document, light, point, direction, sight.camera, keeps)
    return Aimed(made, light, words, ways)


def toward(document: Document, light: str, point: np.ndarray, camera: Camera) -> np.ndarray:
    """Unit direction (3,) from a point to a softbox or lamp as it is."""
    from aulmo.light.place_lamp import aim_of
    from aulmo.light.softbox import frame

    one = light_of(document, light)
    if isinstance(one, Softbox):
        return frame(in_world(document, one, camera))[0]
    lamp = lamp_in_world(document, one, camera)
    if lamp.kind in ("distant", "sun"):
        return -aim_of(lamp)
    away = np.array(lamp.position) - point
    return away / max(1e-9, float(np.linalg.norm(away)))


def shade_from(sight: Sight, met: Met, now: np.ndarray, count: int = 3000) -> tuple[np.ndarray, str]:
    """The direction nearest to `now` from which light falls on a point only through something that stands in its way, and the name of that: the
    middle of what it hides there. Raises BadValue when nothing stands around."""
    around = even_directions(count)
    around = around[around @ met.normal > 0.05]
    around = around[np.argsort(-(around @ now))]
    lift = 1e-4 * max(1.0, float(np.abs(met.point).max()))
    hidden = np.array([_stands_in_way(sight, met.point + met.normal * lift, d) for d in around])
    things = np.unique(hidden[hidden >= 0])
    if not len(things):
        raise BadValue(f"Nothing stands in the way of light to the {sight.name(met)} there, so no shadow can fall on it.")
    number = int(hidden[hidden >= 0][0])  # the nearest to where the light is now
    own = around[hidden == number]
    near = own[(own @ own[0]) > math.cos(math.radians(12))]  # its part on this side
    middle = near.mean(0)
    middle /= np.linalg.norm(middle)
    best = own[int(np.argmax(own @ middle))]
    return best, sight.scene.part_names[number]


def _stands_in_way(sight: Sight, point: np.ndarray, direction: np.ndarray) -> int:
    _, words = intersect_once(sight.scene.arrays.top, point, direction, MASK_SOLID)
    return -1 if words[17] == NO_HIT else int(sight.scene.arrays.instance_part[int(words[19])])


def aim_edge(document: Document, sight: Sight, stroke: Sequence[tuple[float, float]], box_id: str) -> Aimed:
    """Bend a softbox along what a stroke (pixels) over the product mirrors. Points beside the product are moved onto it. Raises BadValue."""
    box = find(document, box_id)
    found = [d for x, y in resampled(stroke) if (d := _mirrored_near(sight, x, y)) is not None]
    strip = strip_along(in_world(document, box, sight.camera), np.array(found).reshape(-1, 3))
    tried = max(1, len(resampled(stroke)))
    covered = strip.covered * len(found) / tried
    made = put_softbox(document, from_world(document, strip.box, sight.camera))
    words = f"A strip {strip.box.width:.0f}° long and {strip.box.height:.0f}° wide covers {round(100 * covered)} % of the stroke"
    return Aimed(made, box_id, words)


def resampled(stroke: Sequence[tuple[float, float]], step: float = 3.0, most: int = 200) -> list[tuple[float, float]]:
    """Places at even distances along a stroke."""
    points = np.array(stroke, float).reshape(-1, 2)
    if len(points) < 2:
        return [(float(x), float(y)) for x, y in points]
    lengths = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(points, axis=0), axis=1))])
    count = int(min(most, max(2, lengths[-1] / step + 1)))
    at = np.linspace(0, lengths[-1], count)
    return list(zip(np.interp(at, lengths, points[:, 0]).tolist(), np.interp(at, lengths, points[:, 1]).tolist()))


def _mirrored_near(sight: Sight, x: float, y: float) -> np.ndarray | None:
    """The direction that the surface at a place mirrors, or the nearest one around it; None where there is none."""
    for radius in range(0, NEAR + 1, 2):
        for k in range(1 if radius == 0 else 8):
            ray = sight.ray(x + radius * math.cos(k * math.pi / 4), y + radius * math.sin(k * math.pi / 4))
            met = sight.look(*ray)
            if met is not None and met.number >= 0:
                return ray[1] - 2 * (ray[1] @ met.normal) * met.normal
    return None


def highlight_size(sight: Sight, way: Way, x: float, y: float, width: float, height: float) -> tuple[float, float] | None:
    """How wide and high, in pixels, a light of so many degrees looks in the highlight at a place of the frame; None where that cannot be told."""
    step = 0.75
    east, west, north, south = (sight.again(way, x + step * dx, y + step * dy) for dx, dy in ((1, 0), (-1, 0), (0, -1), (0, 1)))
    if east is None or west is None or north is None or south is None:
        return None
    across = math.degrees(math.acos(min(1.0, max(-1.0, float(east @ west))))) / (2 * step)
    up = math.degrees(math.acos(min(1.0, max(-1.0, float(north @ south))))) / (2 * step)
    return width / max(1e-6, across), height / max(1e-6, up)


def label(sight: Sight, document: Document, light: str, way: Way, x: float, y: float) -> str:
    """Azimuth, elevation, and how wide the highlight will look."""
    azimuth, elevation = angles(way.direction)
    text = f"azimuth {azimuth:.0f}°, elevation {elevation:.0f}°"
    one = light_of(document, light)
    if isinstance(one, Softbox):
        size = highlight_size(sight, way, x, y, one.width, one.height)
        if size is not None:
            text += f", {size[0]:.0f} × {size[1]:.0f} px here"
    return text


def aim(document: Document, assets: AssetStore, shot_name: str, pixel, light: str | None, how: How = "highlight", builder=None) -> Aimed:
    """Aim at a pixel (column, row) of a shot's frame; a new softbox when `light` is None. Raises BadValue with a sentence."""
    shot = find_shot(document, shot_name)
    x, y = float(pixel[0]), float(pixel[1])
    if not (math.isfinite(x) and math.isfinite(y) and 0 <= x < shot.width and 0 <= y < shot.height):
        raise BadValue(f"The pixel {pixel[0]}, {pixel[1]} lies outside the frame of {shot.name}.")
    if light is None:
        box = new_softbox(document)
        document, light = put_softbox(document, box), box.id
    light_of(document, light)
    return aim_at(document, sight_of(document, assets, shot, builder), x + 0.5, y + 0.5, light, how)
