"""Build the shipped light sets in `src/aulmo/light/data`: studio sets from softboxes, two skies from the CIE general sky.

References: CIE S 011/E:2003 (general sky, types 1 and 12). Run with PYTHONPATH=src.
"""

import numpy as np

from aulmo.light.dome_map import Patch, direction, map_directions, paint
from aulmo.light.environment_image import SETS, read_pixels
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


def build(name: str) -> np.ndarray:
    """ACEScg nits of one set."""
    if name == "Clear sky" or name == "Overcast":
        return sky(name)
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
    """Write every set as a half-float EXR in linear Rec.709, thousand nits to the unit (skies in full float)."""
    import OpenImageIO as oiio

    for name in SETS:
        pixels = np.ascontiguousarray(np.maximum(build(name) @ ACESCG_TO_SRGB.T, 0.0) / 1000.0, np.float32)
        path = f"src/aulmo/light/data/{name.lower().replace(' ', '-')}.exr"
        spec = oiio.ImageSpec(WIDTH, HEIGHT, 3, "half" if pixels.max() < 60000 else "float")
        spec.attribute("compression", "dwaa:25" if name != "Clear sky" else "zip")
        out = oiio.ImageOutput.create(path)
        out.open(path, spec)
        out.write_image(pixels)
        out.close()
        print(name, read_pixels(__import__("pathlib").Path(path)).max())


main()
