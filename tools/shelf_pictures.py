"""Pictures that ship on the shelf: grit, spatter, rust, scratches, fingerprints, smears. All go on into themselves at their sides."""

from typing import Callable

import numpy as np
from scipy.ndimage import gaussian_filter, map_coordinates

SIDE = 1024
Y, X = np.mgrid[0:SIDE, 0:SIDE].astype(float)


def noise(size: float, seed: int, across: float = 1.0) -> np.ndarray:
    """Smooth noise of mean 0 and spread 1 that repeats."""
    field = gaussian_filter(np.random.default_rng(seed).normal(size=(SIDE, SIDE)), (size, size * across), mode="wrap")
    return (field - field.mean()) / field.std()


def smooth(low: float, high: float, x: np.ndarray) -> np.ndarray:
    """0 below `low`, 1 above `high`, smooth between."""
    t = np.clip((x - low) / (high - low), 0, 1)
    return t * t * (3 - 2 * t)


def stamped(out: np.ndarray, x: float, y: float, radius: float, shape: Callable[[np.ndarray, np.ndarray], np.ndarray]) -> None:
    """Take the larger of what is there and a shape about a place, round the sides."""
    r = int(np.ceil(radius))
    rows, columns = np.arange(int(y) - r, int(y) + r + 1), np.arange(int(x) - r, int(x) + r + 1)
    dy, dx = np.meshgrid(rows - y, columns - x, indexing="ij")
    ix = np.ix_(rows % SIDE, columns % SIDE)
    out[ix] = np.maximum(out[ix], shape(dx, dy))


def grit(count: int, least: float, most: float, seed: int) -> np.ndarray:
    """Grains lying about, many small and few large, each with its own outline and tone."""
    rng = np.random.default_rng(seed)
    out = 0.03 + 0.03 * (noise(3, seed) + noise(30, seed + 1)) * 0.5
    out = np.clip(out, 0, 1)
    for _ in range(count):
        size = least * (most / least) ** (rng.random() ** 2.4)
        tone, squash, turn = rng.uniform(0.35, 1.0), rng.uniform(0.55, 1.0), rng.uniform(0, np.pi)
        wave, phase = rng.uniform(0.05, 0.25), rng.uniform(0, 6, 2)

        def grain(dx, dy, size=size, tone=tone, squash=squash, turn=turn, wave=wave, phase=phase):
            u, v = dx * np.cos(turn) + dy * np.sin(turn), (-dx * np.sin(turn) + dy * np.cos(turn)) / squash
            angle = np.arctan2(v, u)
            edge = size * (1 + wave * np.sin(3 * angle + phase[0]) + 0.5 * wave * np.sin(5 * angle + phase[1]))
            return tone * smooth(0.0, 1.2, edge - np.hypot(u, v)) * (0.75 + 0.25 * np.clip((edge - np.hypot(u, v)) / size, 0, 1))

        stamped(out, rng.uniform(0, SIDE), rng.uniform(0, SIDE), size * 1.5 + 2, grain)
    return out


def spatter(bursts: int, seed: int, fine: float = 1.0) -> np.ndarray:
    """Drops thrown from a few places: round ones, and long ones that point away from where they came from."""
    rng = np.random.default_rng(seed)
    out = np.zeros((SIDE, SIDE))
    for _ in range(bursts):
        cx, cy, heading = rng.uniform(0, SIDE, 2).tolist() + [rng.uniform(0, 2 * np.pi)]
        for _ in range(int(140 * fine)):
            away, side = rng.gamma(2.0, 70.0), rng.normal(0, 0.5)
            angle = heading + side
            size = max(0.7, rng.gamma(1.3, 2.6 / fine) * np.exp(-away / 500))
            long = 1 + rng.gamma(1.2, 0.9) * min(1.0, away / 140)

            def drop(dx, dy, angle=angle, size=size, long=long):
                u, v = dx * np.cos(angle) + dy * np.sin(angle), -dx * np.sin(angle) + dy * np.cos(angle)
                tail = np.clip(1 - 0.45 * u / (size * long), 0.35, 1.6)
                return smooth(0.0, 1.1, size - np.hypot(u / long, v * tail))

            stamped(out, cx + away * np.cos(angle), cy + away * np.sin(angle), size * long * 1.7 + 2, drop)
    for _ in range(int(900 * fine)):
        size = rng.gamma(1.0, 0.8) + 0.5
        stamped(out, rng.uniform(0, SIDE), rng.uniform(0, SIDE), size + 2, lambda dx, dy, s=size: 0.8 * smooth(0.0, 1.0, s - np.hypot(dx, dy)))
    return out


def rust_amount(seed: int = 5) -> np.ndarray:
    """Where rust has eaten: clouds with sharp fronts, runs below them, pits."""
    clouds = 0.55 * noise(46, seed) + 0.4 * noise(17, seed + 1) + 0.28 * noise(6, seed + 2) + 0.2 * noise(2, seed + 3)
    gone = smooth(0.25, 0.75, clouds)
    runs = gone.copy()
    for step in (6, 14, 30, 60, 110):
        runs = np.maximum(runs, np.roll(gone, step, 0) * np.exp(-step / 70) * smooth(-0.1, 0.9, noise(3, seed + 7, 0.6)))
    pits = smooth(1.9, 2.3, noise(2.2, seed + 8))
    return np.clip(np.maximum(runs, pits), 0, 1)


def rust() -> np.ndarray:
    """Rusted steel in colour: dark scale, orange bloom, bare metal between."""
    amount = rust_amount()
    fine, mid = noise(1.3, 21), noise(8, 22)
    bloom = np.clip(0.5 + 0.35 * mid + 0.2 * fine, 0, 1)[..., None]
    iron = np.array([0.52, 0.51, 0.50]) * (1 + 0.06 * noise(1.0, 23, 8.0) + 0.07 * noise(24, 24))[..., None]
    dark, orange = np.array([0.20, 0.105, 0.065]), np.array([0.66, 0.33, 0.12])
    rusty = dark * (1 - bloom) + orange * bloom
    rusty = rusty * (1 + 0.14 * fine[..., None])
    rim = np.clip(4 * amount * (1 - amount), 0, 1)[..., None]
    return np.clip(iron * (1 - amount[..., None]) + rusty * amount[..., None] - 0.1 * rim, 0, 1)


def scratches(count: int, seed: int, longest: float, deep: float) -> np.ndarray:
    """Scratches: mostly faint and straight, some deep, some in bundles from one drag."""
    rng = np.random.default_rng(seed)
    out = np.zeros((SIDE, SIDE))

    def line(x, y, angle, length, width, strength, bend):
        steps = int(length * 1.4) + 2
        t = np.linspace(-0.5, 0.5, steps)
        a = angle + bend * t
        px, py = x + np.cumsum(np.cos(a)) * length / steps, y + np.cumsum(np.sin(a)) * length / steps
        force = strength * np.clip(1 - (2 * np.abs(t)) ** 3, 0, 1) * (0.75 + 0.25 * np.sin(t * rng.uniform(10, 60) + rng.uniform(0, 6)))
        reach = int(np.ceil(width)) + 1
        for oy in range(-reach, reach + 1):
            for ox in range(-reach, reach + 1):
                ix, iy = np.floor(px).astype(int) + ox, np.floor(py).astype(int) + oy
                d = np.abs(-(ix + 0.5 - px) * np.sin(a) + (iy + 0.5 - py) * np.cos(a))
                np.maximum.at(out, (iy % SIDE, ix % SIDE), force * smooth(width, width * 0.35, d))

    for _ in range(count):
        x, y, angle = rng.uniform(0, SIDE), rng.uniform(0, SIDE), rng.uniform(0, np.pi)
        length, strength = longest * rng.random() ** 1.6 + 10, deep * rng.random() ** 1.8 + 0.12
        width = 0.55 + 0.6 * strength * rng.random()
        line(x, y, angle, length, width, min(1.0, strength), rng.normal(0, 0.12))
        if rng.random() < 0.07:
            for k in range(int(rng.integers(3, 8))):
                line(x + k * rng.uniform(2, 6), y + k * rng.uniform(-3, 3), angle + rng.normal(0, 0.02), length * rng.uniform(0.5, 1), 0.6, 0.5, 0.02)
    return out


def fingerprints(count: int, seed: int) -> np.ndarray:
    """Prints of fingers: ridges that whirl about a core, broken by pores, pressed unevenly; some are smeared."""
    rng = np.random.default_rng(seed)
    out = np.zeros((SIDE, SIDE))
    for _ in range(count):
        a, b = rng.uniform(62, 84), rng.uniform(84, 112)
        turn, core = rng.uniform(0, 2 * np.pi), rng.uniform(-0.18, 0.18, 2)
        r = int(b * 1.25)
        dy, dx = np.mgrid[-r : r + 1, -r : r + 1].astype(float)
        u, v = dx * np.cos(turn) + dy * np.sin(turn), -dx * np.sin(turn) + dy * np.cos(turn)
        inside = smooth(1.02, 0.84, np.hypot(u / a, v / b))
        warp = 7.0 * map_coordinates(noise(26, int(rng.integers(1e6))), [(dy + 500) % SIDE, (dx + 500) % SIDE], order=1, mode="wrap")
        cu, cv = u - core[0] * a, v - core[1] * b
        whirl = np.hypot(cu * 1.05, cv * np.where(cv > 0, 0.72, 1.0)) + 2.2 * np.arctan2(cv, cu) + warp
        arch = v + 0.012 * u**2 + warp
        blend = smooth(0.2, 0.9, v / b)
        phase = whirl * (1 - blend) + arch * blend
        ridges = smooth(-0.25, 0.5, np.sin(phase * 2 * np.pi / 7.6))
        local = map_coordinates(noise(1.4, int(rng.integers(1e6))), [(dy + 300) % SIDE, (dx + 300) % SIDE], order=1, mode="wrap")
        press = np.clip(0.72 + 0.3 * map_coordinates(noise(34, int(rng.integers(1e6))), [(dy + 100) % SIDE, (dx + 100) % SIDE], order=1, mode="wrap"), 0.1, 1)
        pores = 1 - 0.8 * smooth(1.5, 2.1, local)
        mark = inside * press * (0.1 + 0.9 * ridges * pores) * rng.uniform(0.5, 1.0)
        if rng.random() < 0.3:
            mark = np.maximum(mark, gaussian_filter(mark, (1.0, 11.0)) * 0.8)
        x, y = rng.integers(0, SIDE, 2)
        ix = np.ix_((np.arange(-r, r + 1) + y) % SIDE, (np.arange(-r, r + 1) + x) % SIDE)
        out[ix] = np.maximum(out[ix], mark)
    return out


def smears(seed: int) -> np.ndarray:
    """Where a cloth has wiped: broad arcs of fine parallel streaks, haze between."""
    rng = np.random.default_rng(seed)
    out = np.clip(0.1 + 0.05 * noise(60, seed), 0, 1)
    streaks = noise(1.1, seed + 1, 40.0)
    for _ in range(16):
        x, y, radius, width = rng.uniform(0, SIDE), rng.uniform(0, SIDE), rng.uniform(180, 420), rng.uniform(40, 100)
        dx, dy = (X - x + SIDE / 2) % SIDE - SIDE / 2, (Y - y + SIDE / 2) % SIDE - SIDE / 2
        r, angle = np.hypot(dx, dy), np.arctan2(dy, dx)
        start, sweep = rng.uniform(-np.pi, np.pi), rng.uniform(0.7, 1.7)
        along = ((angle - start + np.pi) % (2 * np.pi)) - np.pi
        within = smooth(width, width * 0.6, np.abs(r - radius)) * smooth(-0.05, 0.1, along) * smooth(sweep, sweep - 0.5, along) * smooth(500, 420, r)
        lines = map_coordinates(streaks, [(r * 2.0) % SIDE, (angle / (2 * np.pi) * SIDE) % SIDE], order=1, mode="wrap")
        out = np.maximum(out, within * np.clip(0.35 + 0.28 * lines, 0, 1) * rng.uniform(0.5, 1.0))
    return np.clip(out, 0, 1)


PICTURES: dict[str, tuple[Callable[[], np.ndarray], tuple[str, ...]]] = {
    "Fine grit": (lambda: grit(9000, 0.8, 3.5, 31), ("grit", "dust", "mask")), "Coarse grit": (lambda: grit(1500, 1.5, 13.0, 32), ("grit", "sand", "dirt", "mask")),
    "Spatter": (lambda: spatter(7, 41), ("splash", "paint", "mud", "mask")), "Fine spatter": (lambda: spatter(10, 42, 2.6), ("spray", "splash", "mask")),
    "Rust": (rust, ("rusty", "steel", "corroded")), "Rust mask": (lambda: rust_amount(), ("rusty", "mask")),
    "Light scratches": (lambda: scratches(900, 51, 260, 0.4), ("worn", "mask")), "Deep scratches": (lambda: scratches(170, 52, 620, 1.0), ("worn", "mask")),
    "Fingerprints": (lambda: fingerprints(15, 61), ("touch", "smudge", "grease", "mask")), "Wiped glass": (lambda: smears(71), ("smear", "cloth", "smudge", "mask")),
}  # fmt: skip
