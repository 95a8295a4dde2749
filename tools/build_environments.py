"""Build the shipped light sets in `src/aulmo/light/data`: studio sets from softboxes, two skies from the CIE general sky.

References: CIE S 011/E:2003 (general sky, types 1 and 12). Run with PYTHONPATH=src.
"""

import sys

import numpy as np

from aulmo.light.dome_map import Patch, direction, map_directions, paint
from aulmo.light.environment_image import SETS, read_pixels, set_path
from aulmo.surface.colour import ACESCG_TO_SRGB, from_temperature

WIDTH, HEIGHT = 1024, 512
DIRECTIONS = map_directions(WIDTH, HEIGHT)
UP = DIRECTIONS[..., 2]


def tint(kelvin: float) -> np.ndarray:
    """Colour of light of a temperature for a camera balanced to 5600 K."""
    return np.array(from_temperature(kelvin)) / np.array(from_temperature(5600))


def room(wall: float, ceiling: float, ground: float, kelvin: float = 5500) -> np.ndarray:
    """A plain room's own glow: ground below, walls, ceiling above."""
    smooth = lambda a, b, x: np.clip((x - a) / (b - a), 0, 1) ** 2 * (3 - 2 * np.clip((x - a) / (b - a), 0, 1))  # noqa: E731
    value = ground + (wall - ground) * smooth(-0.25, 0.05, UP) + (ceiling - wall) * smooth(0.4, 0.9, UP)
    return value[..., None] * tint(kelvin)


def box(az, el, w, h, nits, kelvin=5500, **more) -> Patch:
    """A softbox of a colour temperature."""
    return Patch(az, el, w, h, nits, tuple(tint(kelvin)), **more)


def sky(kind: str) -> np.ndarray:
    """CIE general sky with a blue that fades to the horizon, ground below, and for the clear one a softened sun."""
    a, b, c, d, e = (4.0, -0.7, 0.0, -1.0, 0.0) if kind == "Overcast" else (-1.0, -0.32, 10.0, -3.0, 0.45)
    sun = direction(-55, 38)
    cos_z = np.maximum(UP, 0.02)
    angle = np.arccos(np.clip(DIRECTIONS @ sun, -1, 1))
    zenith_angle = np.arccos(sun[2])
    gradation = (1 + a * np.exp(b / cos_z)) / (1 + a * np.exp(b))
    scatter = lambda x: 1 + c * (np.exp(d * x) - np.exp(d * np.pi / 2)) + e * np.cos(x) ** 2  # noqa: E731
    value = np.maximum(gradation * scatter(angle) / scatter(zenith_angle), 0.0)
    height = np.clip(UP, 0, 1)[..., None]
    if kind == "Overcast":
        image = 4000 * value[..., None] * tint(6200)
    else:
        cool, pale = np.array([0.16, 0.42, 1.0]) * 1.6, tint(6000)
        mix = np.exp(-height * 4.0)
        image = 3800 * value[..., None] * (pale * mix + cool * (1 - mix))
        radius = np.radians(1.1)
        soft = np.clip((radius * 1.25 - angle) / (radius * 0.5), 0, 1)
        image = image + (soft * 70000 / (np.pi * radius**2))[..., None] * tint(5200)
    ground = 900 * np.array([0.95, 1.0, 0.86]) * (1.0 + 0.4 * np.exp(np.minimum(UP, 0) * 6.0))[..., None]
    blend = np.clip((UP + 0.02) / 0.04, 0, 1)[..., None]
    return ground * (1 - blend) + image * blend


def noise(size: float, seed: int, across: float = 1.0) -> np.ndarray:
    """Noise over the dome with patches of `size` pixels, `across` times as wide, of mean 0 and spread 1; it goes on at the sides."""
    from scipy.ndimage import gaussian_filter

    field = gaussian_filter(np.random.default_rng(seed).normal(size=(HEIGHT, WIDTH)), (size, size * across), mode=("nearest", "wrap"))
    return (field - field.mean()) / field.std()


def smooth(low: float, high: float, x: np.ndarray) -> np.ndarray:
    """0 below `low`, 1 above `high`, smooth between."""
    t = np.clip((x - low) / (high - low), 0, 1)
    return t * t * (3 - 2 * t)


# hours of one meadow: the sun's azimuth from the camera's side and its height, the haze, how much cloud
HOURS = {"Meadow, morning": (-70, 9, 3.6, 0.25), "Meadow, noon": (35, 58, 2.8, 0.45), "Meadow, afternoon": (110, 27, 3.0, 0.6), "Meadow, dusk": (150, 1.2, 5.0, 0.35)}


def meadow(azimuth: float, elevation: float, haze: float, cloud: float) -> np.ndarray:
    """A meadow with a line of trees and hills behind at an hour: the daylight of `light.daylight`, clouds that its sun lights, ground and trees lit by
    both. The sun is softened to 1.2 degrees, so that a map of this size holds it."""
    from scipy.ndimage import zoom

    from aulmo.document.records import Sky
    from aulmo.light.daylight import sky_map, sun_light, toward_sun

    told = Sky(turbidity=haze, azimuth=180.0 - azimuth, elevation=elevation)
    air = np.maximum(zoom(sky_map(told), (2, 2, 1), order=1), 0.0).astype(float)
    sun, lux = toward_sun(180.0 - azimuth, elevation), sun_light(told)
    angle = np.degrees(np.arccos(np.clip(DIRECTIONS @ sun, -1, 1)))
    horizon = air[HEIGHT // 2 - 6 : HEIGHT // 2 - 2].mean(0)[None]
    # clouds: high ones in streaks, low ones in heaps that are thick where the noise is
    streaks = smooth(0.2, 2.4, noise(7, 3, 6.0) + 0.6 * noise(2.5, 4, 5.0)) * smooth(0.05, 0.3, UP)
    heaps = smooth(1.5 - 2.0 * cloud, 3.0 - 2.0 * cloud, noise(16, 5, 2.2) + 0.55 * noise(6, 6, 1.6) + 0.28 * noise(2.4, 7)) * smooth(0.03, 0.16, UP)
    thick = np.clip(heaps * (0.75 + 0.25 * noise(5, 8)), 0, 1)
    toward = np.exp(-((angle / 26.0) ** 2))
    high_sun = max(0.05, np.sin(np.radians(max(elevation, 1.0))))
    lit = (lux[None, None] / np.pi) * (0.32 + 1.5 * toward[..., None]) * (1.0 - 0.62 * thick[..., None]) * (0.35 + 0.65 * high_sun) + 0.55 * horizon
    image = air * (1 - 0.75 * heaps[..., None]) + lit * 0.75 * heaps[..., None]
    image = image * (1 - 0.4 * streaks[..., None]) + (0.8 * lit) * 0.4 * streaks[..., None]
    disc = np.clip((1.5 - angle) / 0.6, 0, 1) * (1 - 0.85 * heaps)
    image += disc[..., None] * lux / (np.pi * np.radians(1.2) ** 2)
    ambient = air[: HEIGHT // 2].mean((0, 1))
    on_ground = lux * high_sun + np.pi * ambient
    # hills far away in the haze, then trees, then grass
    bearing = np.arctan2(DIRECTIONS[..., 0], DIRECTIONS[..., 1])
    hill = 0.03 + 0.02 * np.sin(3 * bearing + 1) + 0.012 * np.sin(7 * bearing + 2.2) + 0.004 * noise(4, 9, 1.0)[HEIGHT // 2][None]
    far = smooth(0.002, -0.002, UP - hill)
    image = image * (1 - far[..., None]) + far[..., None] * (0.62 * horizon + 0.38 * on_ground / np.pi * np.array([0.05, 0.075, 0.06]))
    crowns = 0.035 + 0.02 * np.sin(11 * bearing + 0.4) + 0.03 * np.clip(noise(5, 10, 1.0)[HEIGHT // 2 + 3], -1, 2)[None] + 0.01 * noise(1.5, 11, 1.0)[HEIGHT // 2][None]
    crowns = crowns * smooth(-0.5, 0.5, np.sin(2 * bearing + 0.8) + 0.3)
    tree = smooth(0.003, -0.003, UP - crowns) * (UP > -0.03)
    side = np.clip(0.5 - 0.5 * np.cos(bearing - np.arctan2(sun[0], sun[1])), 0, 1)  # trees opposite the sun show their lit side
    leaves = on_ground / np.pi * np.array([0.035, 0.055, 0.02]) * (0.35 + 0.9 * side[..., None]) * np.exp(0.45 * noise(1.6, 12))[..., None]
    image = image * (1 - tree[..., None]) + tree[..., None] * leaves
    near = np.clip(-UP, 0.002, 1)
    blades = np.exp(0.28 * noise(1.2, 13, 1.2) * smooth(0.0, 0.4, near) + 0.3 * noise(14, 14, 2.0))
    grass = on_ground / np.pi * np.array([0.075, 0.098, 0.035]) * blades[..., None]
    grass = grass * (1 - np.exp(-near / 0.03)[..., None]) + np.exp(-near / 0.03)[..., None] * (0.4 * horizon + 0.6 * grass)
    ground = smooth(0.0, -0.004, UP)
    return image * (1 - ground[..., None]) + grass * ground[..., None]


def hall() -> np.ndarray:
    """A workshop hall: a row of high windows on the left, a second behind, a concrete floor that mirrors a little, lamps under a dark roof."""
    boxes = [box(az, 24, 15, 26, 9000, 6300, corner=0.02, edge=0.03, hot_spot=0.1) for az in (-115, -95, -75, -55, -35)]
    boxes += [box(az, 20, 8, 18, 4200, 6300, corner=0.02, edge=0.03, hot_spot=0.1) for az in (100, 113, 126, 139)]
    boxes += [box(az, 62, 5, 12, 7000, 4300, corner=0.3) for az in (-20, 40, 160, -150)]
    boxes += [box(az, -22, 17, 22, 500, 6100, corner=0.3, edge=0.6) for az in (-105, -75, -45)]
    return paint(boxes, WIDTH, HEIGHT, room(150, 60, 170, 5200) * np.exp(0.035 * noise(14, 15, 2.0))[..., None])


def build(name: str) -> np.ndarray:
    """ACEScg nits of one set."""
    if name == "Clear sky" or name == "Overcast":
        return sky(name)
    if name in HOURS:
        return meadow(*HOURS[name])
    if name == "Workshop hall":
        return hall()
    boxes, ambient = {
        "Loft": (
            [
                box(-62, 30, 40, 66, 7600, 5700, corner=0.04, hot_spot=0.6),
                box(-24, 34, 4, 58, 2400, 5600, corner=0.1),
                box(58, 20, 20, 74, 3000, 5300, corner=0.06, fall=0.35),
                box(-168, 54, 74, 22, 5200, 5700, corner=0.2, hot_spot=0.2),
                box(128, 14, 9, 70, 7800, 5900, corner=0.2),
                box(-124, 10, 7, 60, 5200, 5900, corner=0.2),
                box(0, 84, 50, 36, 1700, 5600, corner=0.4),
            ],
            room(150, 260, 100),
        ),
        "Tabletop": (
            [
                box(0, 84, 96, 70, 3600, 5500, corner=0.3, edge=0.2, hot_spot=0.5),
                box(-78, 12, 16, 56, 4200, 5600, fall=0.3),
                box(80, 12, 16, 56, 2600, 5400, fall=0.3),
            ],
            room(120, 200, 140),
        ),
        "Two strips": (
            [
                box(-66, 18, 13, 92, 9000, 5600, corner=0.4, hot_spot=0.3),
                box(66, 18, 13, 92, 6500, 5600, corner=0.4, hot_spot=0.3),
                box(180, 60, 46, 20, 3200, 5600),
                box(0, 40, 26, 14, 900, 5400, edge=0.3),
            ],
            room(90, 110, 60),
        ),
        "Dark rim": (
            [
                box(-138, 16, 13, 80, 12000, 6000, corner=0.4),
                box(138, 16, 13, 80, 12000, 6000, corner=0.4),
                box(-28, 46, 34, 26, 1500, 5000, edge=0.25),
                box(180, 66, 60, 16, 5000, 6000),
            ],
            room(22, 30, 14),
        ),
        "White tent": (
            [box(-50, 34, 70, 70, 2600, 5600, edge=0.5, corner=0.6), box(60, 20, 50, 60, 1400, 5600, edge=0.5, corner=0.6)],
            room(1300, 1700, 900),
        ),
        "Gallery": (
            [box(az, 58, 9, 26, 8200, 4300, corner=0.1) for az in (-75, -45, -15, 15, 45, 75, 120, 165, -120, -165)]
            + [box(-90, 5, 34, 40, 700, 6300, corner=0.04)],
            room(330, 210, 240, 4500),
        ),
    }[name]
    return paint(boxes, WIDTH, HEIGHT, ambient)


def main() -> None:
    """Write every set as a half-float EXR in linear Rec.709, thousand nits to the unit (the clear sky in full float; of the meadow's hours a hundred thousand, so that half
    floats hold the sun)."""
    import OpenImageIO as oiio

    for name in sys.argv[1:] or SETS:
        unit = 100_000.0 if name in HOURS else 1000.0
        pixels = np.ascontiguousarray(np.maximum(build(name) @ ACESCG_TO_SRGB.T, 0.0) / unit, np.float32)
        path = str(set_path(name))
        spec = oiio.ImageSpec(WIDTH, HEIGHT, 3, "half" if pixels.max() < 60000 else "float")
        spec.attribute("compression", "dwaa:25" if name != "Clear sky" else "zip")
        out = oiio.ImageOutput.create(path)
        out.open(path, spec)
        out.write_image(pixels)
        out.close()
        print(name, read_pixels(__import__("pathlib").Path(path)).max())


main()
