"""Build the shipped light pictures in `src/aulmo/light/data/lights`: how studio lights look when they are photographed. Run with PYTHONPATH=src.

All are made of smooth functions and seeded noise; 1 is the brightness the softbox is set to.
"""

from pathlib import Path

import numpy as np
from scipy.ndimage import gaussian_filter

SIDE = 512
ROOM = Path("src/aulmo/light/data/lights")
Y, X = np.mgrid[0:SIDE, 0:SIDE]
X, Y = (X + 0.5) / SIDE * 2 - 1, 1 - (Y + 0.5) / SIDE * 2
R = np.hypot(X, Y)
WARM, COOL = np.array([1.0, 0.93, 0.84]), np.array([0.93, 0.97, 1.0])


def smooth(low, high, x):
    """0 below `low`, 1 above `high`, smooth between."""
    t = np.clip((x - low) / (high - low), 0, 1)
    return t * t * (3 - 2 * t)


def noise(size: float, seed: int, across: float = 1.0) -> np.ndarray:
    """Smooth noise with patches of `size` pixels, `across` times as wide, of mean 0 and spread 1."""
    field = gaussian_filter(np.random.default_rng(seed).normal(size=(SIDE, SIDE)), (size, size * across), mode="wrap")
    return (field - field.mean()) / field.std()


def creased_silk() -> np.ndarray:
    """A diffuser with soft folds: bright behind the lamp, ridges catching light."""
    folds = np.zeros((SIDE, SIDE))
    rng = np.random.default_rng(3)
    for _ in range(26):
        angle, offset, width = rng.uniform(0, np.pi), rng.uniform(-0.9, 0.9), rng.uniform(0.01, 0.045)
        d = X * np.cos(angle) + Y * np.sin(angle) - offset + 0.03 * noise(60, int(rng.integers(1e6)))
        along = np.abs(-X * np.sin(angle) + Y * np.cos(angle) - rng.uniform(-0.5, 0.5))
        folds += rng.uniform(-1, 1) * np.tanh(d / width) * np.exp(-((d / (3 * width)) ** 2)) * np.exp(-((along / 0.6) ** 2))
    body = 0.42 + 0.58 * np.exp(-1.6 * ((X / 0.9) ** 2 + ((Y - 0.08) / 0.9) ** 2))
    return (body * (1 + 0.09 * folds + 0.012 * noise(7, 5)))[..., None] * COOL


def hot_tube() -> np.ndarray:
    """A strip light: a white tube behind a diffuser, its ends darker."""
    glow = 0.22 + 0.5 * np.exp(-((X / 0.55) ** 2)) + 2.2 * np.exp(-((X / 0.13) ** 4))
    ends = smooth(1.0, 0.84, np.abs(Y))
    return (glow * (0.35 + 0.65 * ends) * (1 + 0.008 * noise(5, 8)))[..., None] * COOL


def ring_tube() -> np.ndarray:
    """A ring with its circular tube, dark where the tube's two ends are held."""
    tube = np.exp(-(((R - 0.8) / 0.09) ** 4))
    ends = 1 - 0.85 * smooth(0.1, 0.075, np.abs(X)) * (Y < 0)
    return (0.12 + 1.2 * tube * ends)[..., None] * COOL


def umbrella() -> np.ndarray:
    """A white umbrella from within: eight panels with ribs between, a hot middle with the lamp's own shadow."""
    phi = np.arctan2(Y, X)
    panel = np.abs(((phi / (2 * np.pi) * 8) % 1) - 0.5) * 2
    edge = 0.93 + 0.05 * np.cos(8 * phi)
    body = (0.35 + 0.85 * np.exp(-2.2 * R**2)) * (0.86 + 0.14 * smooth(1.0, 0.55, panel))
    rib = 1 - 0.55 * smooth(0.965, 1.0, panel) * smooth(0.08, 0.2, R)
    lamp = 1 - 0.65 * smooth(0.13, 0.09, np.hypot(X - 0.03, Y + 0.05)) - 0.5 * smooth(0.035, 0.02, np.abs(X - 0.03)) * (Y < -0.05) * (Y > -0.9)
    cloth = smooth(edge + 0.015, edge - 0.015, R)
    return np.concatenate([(body * rib * np.clip(lamp, 0.1, 1) * cloth)[..., None] * WARM, cloth[..., None]], 2)


def window() -> np.ndarray:
    """A window with bars: bright sky above, a darker garden below."""
    sky = 0.72 + 0.38 * smooth(-0.2, 1.0, Y) + 0.05 * noise(60, 11, 2.0)
    garden = 0.16 + 0.05 * noise(14, 12)
    land = smooth(-0.42, -0.5, Y + 0.05 * noise(30, 13))
    light = sky[..., None] * COOL * (1 - land[..., None]) + np.maximum(garden, 0.04)[..., None] * np.array([0.72, 0.95, 0.6]) * land[..., None]
    bars = np.ones_like(X)
    for at in (-1.0, 0.0, 1.0):
        bars *= 1 - smooth(0.055, 0.045, np.abs(X - at))
    for at in (-1.0, -0.33, 0.33, 1.0):
        bars *= 1 - smooth(0.045, 0.036, np.abs(Y - at))
    return light * (0.03 + 0.97 * bars)[..., None]


def grid() -> np.ndarray:
    """A softbox with a cloth grid before it: cells that darken toward the edge, where they are looked into askew."""
    cells = 9
    x, y = np.abs((X * cells / 2) % 1 - 0.5) * 2, np.abs((Y * cells / 2) % 1 - 0.5) * 2
    wall = 0.1 + 0.16 * R
    open_ = smooth(1.0, 1.0 - wall, x) * smooth(1.0, 1.0 - wall, y)
    return ((0.35 + 0.75 * np.exp(-1.4 * R**2)) * (0.06 + 0.94 * open_) * smooth(1.0, 0.985, np.maximum(np.abs(X), np.abs(Y))))[..., None] * COOL


def scrim() -> np.ndarray:
    """A large scrim lit from low at one side: an even cloth, its weave just felt, one long fall of light."""
    fall = 0.28 + 0.85 * np.exp(-(((X + 0.55) / 0.95) ** 2) - (((Y + 0.35) / 1.1) ** 2))
    weave = 1 + 0.01 * noise(1.2, 21, 3.0) + 0.01 * noise(1.2, 22, 0.33) + 0.03 * noise(70, 23)
    seam = 1 - 0.1 * np.exp(-((np.abs(X - 0.34) / 0.008) ** 2))
    return (fall * weave * seam)[..., None] * (COOL + (WARM - COOL) * smooth(0.2, 1.1, fall)[..., None])


def main() -> None:
    """Write each as a half-float EXR in linear Rec.709."""
    import OpenImageIO as oiio

    ROOM.mkdir(exist_ok=True)
    for make in (creased_silk, hot_tube, ring_tube, umbrella, window, grid, scrim):
        pixels = np.ascontiguousarray(np.maximum(make(), 0.0), np.float32)
        path = ROOM / (make.__name__.replace("_", "-") + ".exr")
        spec = oiio.ImageSpec(SIDE, SIDE, pixels.shape[2], "half")
        spec.attribute("compression", "dwaa:15")
        out = oiio.ImageOutput.create(str(path))
        out.open(str(path), spec)
        out.write_image(pixels)
        out.close()
        print(path.name, float(pixels.max()), path.stat().st_size)


if __name__ == "__main__":
    main()
