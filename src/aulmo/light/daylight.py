"""Sun and sky: where the sun stands, how bright and what colour it and the sky around it are.

References: Preetham, Shirley & Smits 1999, "A practical analytic model for daylight" (Perez luminance and chromaticity by
turbidity, Angstrom and Rayleigh extinction); NOAA Global Monitoring Laboratory, "General solar position calculations" (after
Meeus); Kasten & Young 1989 (air mass).
"""

import datetime
import functools
import math

import numpy as np

from aulmo.document.records import Sky
from aulmo.errors import BadValue
from aulmo.light.dome_map import map_directions
from aulmo.surface.colour import LUMINANCE, XYZ_D65_TO_ACESCG
from aulmo.surface.spectrum import weights

SUN_DIAMETER = 0.533  # degrees
SUN_LUX = 133_300.0  # on a plane square to it above the air
_WIDTH, _HEIGHT = 512, 256


def sun_angles(date: str, hour: float, utc_offset: float, latitude: float, longitude: float) -> tuple[float, float]:
    """(azimuth clockwise from north, elevation with mean refraction) of the sun in degrees. Raises BadValue for an impossible date."""
    try:
        day = datetime.date.fromisoformat(date)
    except ValueError:
        raise BadValue(f"“{date}” is not a date; write it as 2026-06-21.") from None
    century = (day.toordinal() + 1721424.5 + (hour - utc_offset) / 24.0 - 2451545.0) / 36525.0
    mean_longitude = (280.46646 + century * (36000.76983 + 0.0003032 * century)) % 360.0
    anomaly = math.radians(357.52911 + century * (35999.05029 - 0.0001537 * century))
    eccentricity = 0.016708634 - century * (0.000042037 + 0.0000001267 * century)
    centre = (
        math.sin(anomaly) * (1.914602 - century * (0.004817 + 0.000014 * century))
        + math.sin(2 * anomaly) * (0.019993 - 0.000101 * century)
        + math.sin(3 * anomaly) * 0.000289
    )
    node = math.radians(125.04 - 1934.136 * century)
    apparent = math.radians(mean_longitude + centre - 0.00569 - 0.00478 * math.sin(node))
    tilt = 23.0 + (26.0 + (21.448 - century * (46.815 + century * (0.00059 - century * 0.001813))) / 60.0) / 60.0
    tilt = math.radians(tilt + 0.00256 * math.cos(node))
    declination = math.asin(math.sin(tilt) * math.sin(apparent))
    y = math.tan(tilt / 2) ** 2
    l0 = math.radians(mean_longitude)
    equation = 4 * math.degrees(
        y * math.sin(2 * l0)
        - 2 * eccentricity * math.sin(anomaly)
        + 4 * eccentricity * y * math.sin(anomaly) * math.cos(2 * l0)
        - 0.5 * y * y * math.sin(4 * l0)
        - 1.25 * eccentricity * eccentricity * math.sin(2 * anomaly)
    )
    solar_minutes = (hour * 60 + equation + 4 * longitude - 60 * utc_offset) % 1440.0
    angle = math.radians(solar_minutes / 4 - 180.0)
    lat = math.radians(latitude)
    up = math.sin(lat) * math.sin(declination) + math.cos(lat) * math.cos(declination) * math.cos(angle)
    east = -math.cos(declination) * math.sin(angle)
    north = math.cos(lat) * math.sin(declination) - math.sin(lat) * math.cos(declination) * math.cos(angle)
    elevation = math.degrees(math.asin(max(-1.0, min(1.0, up))))
    if elevation > -0.575:
        refraction = 1.02 / math.tan(math.radians(elevation + 10.3 / (elevation + 5.11))) / 60.0
        elevation += max(0.0, refraction)
    return math.degrees(math.atan2(east, north)) % 360.0, elevation


def sun_place(sky: Sky) -> tuple[float, float]:
    """(azimuth clockwise from +y seen from above, elevation) in degrees."""
    if not sky.by_place:
        return sky.azimuth, sky.elevation
    azimuth, elevation = sun_angles(sky.date, sky.hour, sky.utc_offset, sky.latitude, sky.longitude)
    return azimuth + sky.north, elevation


def sun_direction(sky: Sky) -> np.ndarray:
    """(3,) unit vector toward the sun."""
    return toward_sun(*sun_place(sky))


def toward_sun(azimuth: float, elevation: float) -> np.ndarray:
    """(3,) unit vector toward a sun at angles in degrees, the first clockwise from +y seen from above."""
    azimuth, elevation = np.radians((azimuth, elevation))
    return np.array([math.sin(azimuth) * math.cos(elevation), math.cos(azimuth) * math.cos(elevation), math.sin(elevation)])


def sun_light(sky: Sky) -> np.ndarray:
    """(3,) ACEScg illuminance in lux on a plane square to the sun, after the air has taken its share and as strong as is wanted; zero below
    the horizon."""
    _, elevation = sun_place(sky)
    if elevation <= -SUN_DIAMETER / 2:
        return np.zeros(3)
    height = max(0.0, elevation)
    mass = 1.0 / (math.sin(math.radians(height)) + 0.50572 * (height + 6.07995) ** -1.6364)
    nm = np.linspace(402.5, 697.5, 60)
    um = nm / 1000.0
    planck = um**-5 / (np.exp(14387.77 / (um * 5778.0)) - 1.0)
    beta = max(0.0, 0.04608 * sky.turbidity - 0.04586)
    air = np.exp(-0.008735 * um**-4.08 * mass) * np.exp(-beta * um**-1.3 * mass)
    # ozone's Chappuis band, 0.35 cm deep
    air *= np.exp(-0.35 * 0.125 * np.exp(-(((um - 0.6) / 0.065) ** 2)) * mass)
    response = weights(nm)
    above = planck @ response
    light = (planck * air) @ response
    return np.maximum(light / float(LUMINANCE @ above) * SUN_LUX * 2.0**sky.sun_stops, 0.0)


def _perez(theta_cos, gamma, gamma_cos, coefficients):
    a, b, c, d, e = coefficients
    return (1 + a * np.exp(b / np.maximum(theta_cos, 0.01))) * (1 + c * np.exp(d * gamma) + e * gamma_cos**2)


@functools.lru_cache(maxsize=4)
def sky_map(sky: Sky) -> np.ndarray:
    """(h, w, 3) float32 ACEScg nits of the sky without the sun's disc; below the horizon lies even ground of 20 % reflectance.

    Raises BadValue for a turbidity outside 1.7 to 10.
    """
    if not 1.7 <= sky.turbidity <= 10.0:
        raise BadValue("Haze (turbidity) lies between 1.7, very clear, and 10, very hazy.")
    t = sky.turbidity
    _, elevation = sun_place(sky)
    sun = sun_direction(sky)
    sun_theta = math.radians(90.0 - max(0.0, elevation))
    directions = map_directions(_WIDTH, _HEIGHT)
    cos_theta = np.maximum(directions[..., 2], 0.0)
    flat = sun if elevation >= 0 else np.array([*(sun[:2] / np.linalg.norm(sun[:2])), 0.0])
    cos_gamma = np.clip(directions @ flat, -1, 1)
    gamma = np.arccos(cos_gamma)
    tables = (
        (0.1787 * t - 1.4630, -0.3554 * t + 0.4275, -0.0227 * t + 5.3251, 0.1206 * t - 2.5771, -0.0670 * t + 0.3703),
        (-0.0193 * t - 0.2592, -0.0665 * t + 0.0008, -0.0004 * t + 0.2125, -0.0641 * t - 0.8989, -0.0033 * t + 0.0452),
        (-0.0167 * t - 0.2608, -0.0950 * t + 0.0092, -0.0079 * t + 0.2102, -0.0441 * t - 1.6537, -0.0109 * t + 0.0529),
    )
    chi = (4.0 / 9.0 - t / 120.0) * (math.pi - 2 * sun_theta)
    zenith_y = ((4.0453 * t - 4.9710) * math.tan(chi) - 0.2155 * t + 2.4192) * 1000.0
    s = sun_theta
    cubic = np.array([s**3, s**2, s, 1.0])
    zenith_x = np.array([t * t, t, 1]) @ np.array(
        [[0.00166, -0.00375, 0.00209, 0.0], [-0.02903, 0.06377, -0.03202, 0.00394], [0.11693, -0.21196, 0.06052, 0.25886]]
    ) @ cubic  # fmt: skip
    zenith_small_y = np.array([t * t, t, 1]) @ np.array(
        [[0.00275, -0.00610, 0.00317, 0.0], [-0.04214, 0.08970, -0.04153, 0.00516], [0.15346, -0.26756, 0.06670, 0.26688]]
    ) @ cubic  # fmt: skip
    values = []
    for zenith, table in zip((max(50.0, zenith_y), zenith_x, zenith_small_y), tables):
        at_zenith = _perez(1.0, sun_theta, math.cos(sun_theta), table)
        values.append(zenith * _perez(cos_theta, gamma, cos_gamma, table) / at_zenith)
    bright, x, y = values
    if elevation < 0.0:  # dusk: the model ends at the horizon; the sky fades with the sun
        bright = bright * 10.0 ** (elevation / 6.0)
    xyz = np.stack([x / y * bright, bright, (1 - x - y) / y * bright], -1)
    image = np.maximum(xyz @ XYZ_D65_TO_ACESCG.T, 0.0) * 2.0**sky.sky_stops
    below = directions[..., 2] < 0.0
    solid = 2 * np.pi / _WIDTH * np.pi / _HEIGHT * np.sin((np.arange(_HEIGHT) + 0.5) / _HEIGHT * np.pi)[:, None, None]
    falling = (image * (solid * cos_theta[..., None]))[~below].sum(0)
    if sky.sun and elevation > 0:
        falling = falling + sun_light(sky) * math.sin(math.radians(elevation))
    # even ground, seen through the same haze: near the horizon it takes on the sky's colour there
    rim = image[_HEIGHT // 2 - 1]
    depth = np.exp(directions[..., 2] / 0.06)[..., None]
    ground = 0.2 * falling / math.pi * (1 - depth) + np.broadcast_to(rim, image.shape) * depth
    image[below] = ground[below]
    return np.ascontiguousarray(image, np.float32)
