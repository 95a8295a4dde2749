"""Shadow stick: foot, top and the tip of the shadow of something upright in a photograph tell where the sun stands."""

import math
from typing import NamedTuple, Sequence

import numpy as np

from aulmo.document.records import Camera, Pair, ShadowStick
from aulmo.errors import BadValue
from aulmo.frame.camera import ray_through


class Sun(NamedTuple):
    """Where the sun stands, degrees: azimuth clockwise from +y seen from above, elevation; how far the sticks lie apart (root of the mean square),
    and how wide its light is by the softness of shadows, 0 where nothing tells."""

    azimuth: float
    elevation: float
    spread: float
    width: float


class Spots(NamedTuple):
    """(3,) places in the world, mm: foot, top, tip."""

    foot: np.ndarray
    top: np.ndarray
    tip: np.ndarray


def on_plane(camera: Camera, size: tuple[int, int], pixel: Pair, height: float = 0.0) -> np.ndarray:
    """(3,) where the level plane at a height is seen at a pixel. Raises BadValue where it is not."""
    origin, ray = ray_through(camera, pixel[0], pixel[1], *size)
    if abs(ray[2]) < 1e-9 or (height - origin[2]) / ray[2] <= 0:
        raise BadValue("That point lies above the horizon: nothing of the floor is seen there.")
    return origin + ray * ((height - origin[2]) / ray[2])


def above(camera: Camera, size: tuple[int, int], foot: np.ndarray, pixel: Pair) -> np.ndarray:
    """(3,) the point straight above a foot that is nearest to what is seen at a pixel. Raises BadValue when the camera looks straight along."""
    origin, ray = ray_through(camera, pixel[0], pixel[1], *size)
    level = np.array([ray[0], ray[1]])
    if float(level @ level) < 1e-12:
        raise BadValue("The camera looks straight down: nothing upright can be measured.")
    t = float(level @ (foot[:2] - origin[:2]) / (level @ level))
    return np.array([foot[0], foot[1], origin[2] + t * ray[2]])


def on_wall(camera: Camera, size: tuple[int, int], wall: tuple[Pair, Pair], pixel: Pair) -> np.ndarray:
    """(3,) where an upright wall is seen at a pixel; `wall` are two pixels of the line where it meets the floor. Raises BadValue where it is not."""
    one, other = (on_plane(camera, size, end) for end in wall)
    along = other - one
    if float(np.linalg.norm(along)) < 1e-9:
        raise BadValue("The wall's line runs from a point to itself.")
    normal = np.array([along[1], -along[0], 0.0]) / np.linalg.norm(along)
    origin, ray = ray_through(camera, pixel[0], pixel[1], *size)
    facing = float(normal @ ray)
    if abs(facing) < 1e-9 or float(normal @ (one - origin)) / facing <= 0:
        raise BadValue("The wall is not seen there.")
    return origin + ray * (float(normal @ (one - origin)) / facing)


def places(camera: Camera, size: tuple[int, int], foot: Pair, top: Pair, tip: Pair, wall: tuple[Pair, Pair] | None = None) -> Spots:
    """Foot, top and tip in the world; the foot on the floor at z = 0, the tip there too or on a wall. Raises BadValue with one sentence."""
    if camera.projection == "panorama":
        raise BadValue("A panorama shows everything round; a shadow stick needs a photograph with one direction.")
    numbers = [*foot, *top, *tip]
    if not all(math.isfinite(v) for v in numbers):
        raise BadValue("A mark of the shadow stick is no place.")
    if math.dist(foot, top) < 1.0 or (math.dist(foot, tip) < 1.0 and wall is None):
        raise BadValue("The marks of the shadow stick lie on one another; pull them to foot, top and the tip of the shadow.")
    spot = on_plane(camera, size, foot)
    high = above(camera, size, spot, top)
    if high[2] <= spot[2]:
        raise BadValue("The top of the shadow stick lies below its foot.")
    return Spots(spot, high, on_plane(camera, size, tip) if wall is None else on_wall(camera, size, wall, tip))


def direction(spots: Spots) -> np.ndarray:
    """(3,) unit vector toward the sun. Raises BadValue when it would come from below."""
    way = spots.top - spots.tip
    length = float(np.linalg.norm(way))
    if length < 1e-9 or way[2] <= 0:
        raise BadValue("The shadow's tip lies higher than what throws it; the sun cannot come from below.")
    return way / length


def angles(way: np.ndarray) -> tuple[float, float]:
    """Azimuth (clockwise from +y, 0..360) and elevation of a direction, degrees, as `Sky` has them."""
    return math.degrees(math.atan2(way[0], way[1])) % 360.0, math.degrees(math.asin(max(-1.0, min(1.0, float(way[2])))))


def sun_of(camera: Camera, size: tuple[int, int], sticks: Sequence[ShadowStick]) -> Sun:
    """Where the sun stands by several sticks. Raises BadValue with one sentence."""
    if not sticks:
        raise BadValue("There is no shadow stick yet.")
    found = [places(camera, size, s.foot, s.top, s.tip, s.wall) for s in sticks]
    ways = np.array([direction(spots) for spots in found])
    mean = ways.sum(0) / np.linalg.norm(ways.sum(0))
    apart = np.degrees(np.arccos(np.clip(ways @ mean, -1, 1)))
    widths = [_width(camera, size, s, spots) for s, spots in zip(sticks, found) if s.penumbra is not None]
    return Sun(*angles(mean), float(np.sqrt((apart**2).mean())), float(np.mean(widths)) if widths else 0.0)


def _width(camera: Camera, size: tuple[int, int], stick: ShadowStick, spots: Spots) -> float:
    """How wide the light looks, degrees: the angle at the top between where its shadow's edge begins and ends."""
    assert stick.penumbra is not None
    ends = [on_plane(camera, size, p) if stick.wall is None else on_wall(camera, size, stick.wall, p) for p in stick.penumbra]
    one, other = (end - spots.top for end in ends)
    cosine = float(one @ other / max(1e-12, np.linalg.norm(one) * np.linalg.norm(other)))
    return math.degrees(math.acos(max(-1.0, min(1.0, cosine))))
