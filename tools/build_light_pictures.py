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


def octabox() -> np.ndarray:
    """An eight-sided box: seams between its panels, a hot middle behind two layers of cloth."""
    phi = np.arctan2(Y, X)
    inside = R * np.cos((phi + np.pi / 8) % (np.pi / 4) - np.pi / 8)
    cloth = smooth(0.95, 0.93, inside)
    seam = 1 - 0.12 * smooth(0.018, 0.008, np.abs(((phi / (np.pi / 4) + 0.5) % 1) - 0.5) * R) * smooth(0.1, 0.3, R)
    body = 0.5 + 0.55 * np.exp(-2.0 * R**2) + 0.01 * noise(9, 31)
    return np.concatenate([(body * seam * cloth)[..., None] * COOL, cloth[..., None]], 2)


def beauty_dish() -> np.ndarray:
    """A dish of white metal with the plate before its lamp: a bright ring, a dark middle, a soft rim."""
    dish = smooth(0.97, 0.95, R)
    ring = 0.28 + 0.85 * np.exp(-(((R - 0.52) / 0.24) ** 2)) + 0.25 * np.exp(-(((R - 0.9) / 0.06) ** 2))
    plate = 1 - 0.72 * smooth(0.27, 0.25, R)
    glint = 0.25 * np.exp(-(((X + 0.4) / 0.12) ** 2) - (((Y - 0.55) / 0.1) ** 2))
    return np.concatenate([((ring * plate + glint) * dish)[..., None] * WARM, dish[..., None]], 2)


def gridded_strip() -> np.ndarray:
    """A strip box behind a cloth grid, its cells long and narrow."""
    cells_x, cells_y = 5, 16
    x, y = np.abs((X * cells_x / 2) % 1 - 0.5) * 2, np.abs((Y * cells_y / 2) % 1 - 0.5) * 2
    wall = 0.12 + 0.2 * np.abs(Y)
    open_ = smooth(1.0, 1.0 - wall, x) * smooth(1.0, 1.0 - wall, y)
    body = 0.35 + 0.8 * np.exp(-((X / 0.6) ** 2)) * (0.55 + 0.45 * np.exp(-((Y / 0.7) ** 4)))
    return (body * (0.05 + 0.95 * open_))[..., None] * COOL


def seamed_softbox() -> np.ndarray:
    """A large rectangular box with a recessed front: a black rim that throws its own soft edge, a centre seam."""
    rim = np.maximum(np.abs(X), np.abs(Y))
    front = smooth(0.93, 0.9, rim)
    recess = 0.55 + 0.45 * smooth(0.9, 0.5, rim)
    body = 0.5 + 0.6 * np.exp(-1.1 * ((X - 0.05) ** 2 + (Y + 0.1) ** 2))
    seam = 1 - 0.06 * smooth(0.012, 0.006, np.abs(X)) - 0.06 * smooth(0.012, 0.006, np.abs(Y))
    return (0.012 + body * recess * seam * front * (1 + 0.012 * noise(6, 41)))[..., None] * COOL


def silver_umbrella() -> np.ndarray:
    """A silver umbrella: panels that each mirror the lamp for themselves, streaked and hot."""
    phi = np.arctan2(Y, X)
    panel = (phi / (2 * np.pi) * 8) % 1 - 0.5
    cloth = smooth(0.95, 0.92, R * (1 - 0.05 * np.cos(8 * phi)))
    streaks = 1 + 0.16 * noise(5, 51, 0.4) * smooth(0.1, 0.5, R)
    body = 0.16 + 1.3 * np.exp(-(((R - 0.42) / 0.26) ** 2)) * np.exp(-((panel / 0.22) ** 2)) + 0.5 * np.exp(-9 * R**2)
    lamp = 1 - 0.8 * smooth(0.1, 0.07, np.hypot(X, Y + 0.02))
    return np.concatenate([(body * streaks * lamp * cloth)[..., None] * WARM, cloth[..., None]], 2)


def frame_gauze() -> np.ndarray:
    """A frame of gauze with a spot behind it at one side: a round glow with a faint edge, the frame's bar just seen."""
    glow = 0.1 + 1.05 * np.exp(-(((X + 0.28) / 0.5) ** 2) - (((Y - 0.15) / 0.55) ** 2))
    weave = 1 + 0.02 * noise(1.0, 61, 4.0) + 0.02 * noise(1.0, 62, 0.25)
    bar = 1 - 0.5 * smooth(0.03, 0.018, np.abs(Y - 0.02 * X + 0.42))
    edge = smooth(1.0, 0.965, np.maximum(np.abs(X), np.abs(Y)))
    return (glow * weave * bar * edge)[..., None] * (WARM + (COOL - WARM) * smooth(0.9, 0.2, glow)[..., None])


def low_sun_scrim() -> np.ndarray:
    """A scrim with the low sun on it: warm at one end, cool at the other, the shadow of a stand across it."""
    fall = 0.22 + 0.95 * smooth(-1.1, 1.0, X + 0.25 * Y)
    cloth = 1 + 0.05 * noise(26, 71, 2.0) + 0.012 * noise(1.4, 72)
    stand = 1 - 0.34 * smooth(0.05, 0.02, np.abs(X + 0.42 - 0.08 * Y)) - 0.28 * smooth(0.04, 0.018, np.abs(Y + 0.3 - 0.4 * (X + 0.42))) * (X < -0.1)
    warm = smooth(0.3, 1.1, fall)[..., None]
    return (fall * cloth * stand)[..., None] * (np.array([0.8, 0.9, 1.08]) * (1 - warm) + np.array([1.08, 0.9, 0.66]) * warm)


def tall_window() -> np.ndarray:
    """A tall window of six panes with a deep sill: bright sky, a house across the street, the sill in shade."""
    sky = 0.85 + 0.3 * smooth(-0.4, 1.0, Y) + 0.06 * noise(50, 81, 2.0)
    house = smooth(-0.05, -0.09, Y - 0.12 * np.sign(np.sin(5 * X + 0.6)) * 0.5)
    holes = (np.abs((X * 2.6) % 1 - 0.5) < 0.2) & (np.abs((Y * 3.1) % 1 - 0.5) < 0.24)
    wall = (0.3 + 0.04 * noise(12, 82)) * (1 - 0.6 * holes)
    light = sky[..., None] * COOL * (1 - house[..., None]) + wall[..., None] * np.array([1.0, 0.86, 0.72]) * house[..., None]
    bars = np.ones_like(X)
    for at in (-1.0, 0.0, 1.0):
        bars *= 1 - smooth(0.06, 0.048, np.abs(X - at))
    for at in (-1.0, -0.34, 0.32, 1.0):
        bars *= 1 - smooth(0.034, 0.026, np.abs(Y - at))
    return light * (0.025 + 0.975 * bars * smooth(-0.98, -0.9, Y))[..., None]


def blinds() -> np.ndarray:
    """Blinds before a bright window: slats that are lit from above and let strips of light through."""
    slat = (Y * 9) % 1
    gap = smooth(0.62, 0.68, slat) * smooth(1.0, 0.94, slat)
    lit = 0.12 + 0.28 * smooth(0.0, 0.5, slat)
    cords = 1 - 0.6 * sum(smooth(0.014, 0.008, np.abs(X - at)) for at in (-0.62, 0.0, 0.62))
    return ((lit + 1.05 * gap) * cords * (0.8 + 0.3 * smooth(-1, 1, Y)))[..., None] * COOL


def curtain() -> np.ndarray:
    """Daylight through a thin curtain: upright folds, darker where the cloth lies double."""
    x = X + 0.02 * noise(90, 91, 0.3)
    folds = 0.5 + 0.5 * np.sin(19 * x + 1.6 * np.sin(5 * x))
    body = 0.45 + 0.6 * folds**1.6
    hem = 1 - 0.35 * smooth(-0.9, -0.93, Y)
    sky = 0.8 + 0.25 * smooth(-1, 1, Y) + 0.03 * noise(40, 92)
    return (body * hem * sky * (1 + 0.015 * noise(1.2, 93, 0.3)))[..., None] * np.array([1.0, 0.985, 0.96])


def tube_row() -> np.ndarray:
    """Four bare tubes side by side on a white board, their ends dark, the board glowing between."""
    light = 0.1 * np.ones_like(X)
    for number, at in enumerate((-0.72, -0.24, 0.24, 0.72)):
        tube = np.exp(-(((X - at) / 0.045) ** 6)) * smooth(0.97, 0.9, np.abs(Y))
        light += 1.5 * tube * (0.96 + 0.04 * np.sin(number * 2.1)) + 0.16 * np.exp(-(((X - at) / 0.2) ** 2)) * smooth(1.1, 0.6, np.abs(Y))
    return light[..., None] * np.array([0.96, 1.0, 0.98])


def skylight() -> np.ndarray:
    """A skylight in a dark roof: sky with a cloud in a slanted frame, its reveals lit on one side."""
    frame = np.maximum(np.abs(X / 0.8), np.abs(Y / 0.86))
    pane = smooth(0.9, 0.88, frame)
    clouds = 0.7 + 0.35 * smooth(-0.6, 1.2, noise(42, 101, 1.8))
    reveal = smooth(1.03, 1.01, frame) * (1 - pane) * (0.22 + 0.3 * (X > 0.3) + 0.16 * (Y < -0.6))
    bar = 1 - smooth(0.026, 0.018, np.abs(Y - 0.05))
    return (0.012 + pane * clouds * bar)[..., None] * np.array([0.86, 0.95, 1.1]) + reveal[..., None] * WARM


def torn_flag() -> np.ndarray:
    """Light past a torn black cloth: a ragged edge, threads, a hole or two."""
    edge = 0.12 * noise(60, 111) + 0.05 * noise(14, 112) + 0.018 * noise(3, 113)
    open_ = smooth(-0.02, 0.03, X + 0.35 * Y + 0.1 + edge)
    for k in range(26):
        rng = np.random.default_rng(120 + k)
        at, length, width = rng.uniform(-0.9, 0.9), rng.uniform(0.08, 0.4), rng.uniform(0.003, 0.007)
        line = np.abs(Y - at - rng.uniform(-0.4, 0.4) * X - 0.02 * noise(40, int(rng.integers(1e6))))
        near = X + 0.35 * Y + 0.1 + edge
        open_ *= 1 - smooth(width * 1.6, width * 0.6, line) * smooth(length, length * 0.6, near) * (near > -0.02)
    for x, y, r in ((-0.52, 0.3, 0.09), (-0.7, -0.35, 0.06)):
        open_ = np.maximum(open_, smooth(r, r * 0.82, np.hypot(X - x, Y - y) + 0.02 * noise(8, 114)))
    light = (0.75 + 0.35 * smooth(-1, 1, Y)) * open_
    return np.concatenate([light[..., None] * WARM, np.clip(0.02 + open_, 0, 1)[..., None]], 2)


def main() -> None:
    """Write each as a half-float EXR in linear Rec.709."""
    import OpenImageIO as oiio

    ROOM.mkdir(exist_ok=True)
    import sys

    wanted = set(sys.argv[1:])
    for make in (
        creased_silk, hot_tube, ring_tube, umbrella, window, grid, scrim, octabox, beauty_dish, gridded_strip, seamed_softbox, silver_umbrella,
        frame_gauze, low_sun_scrim, tall_window, blinds, curtain, tube_row, skylight, torn_flag,
    ):
        if wanted and make.__name__ not in wanted:
            continue
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
