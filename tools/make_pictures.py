"""Makes the scuffed-enamel pictures of the demo from nothing but numbers: `python tools/make_pictures.py`."""

from pathlib import Path

import numpy as np
from PIL import Image
from scipy.ndimage import gaussian_filter

OUT = Path(__file__).parents[1] / "demo" / "artwork" / "scuffed-enamel"
SIDE, WIDTH_MM = 512, 160.0
RUST = np.array([0.40, 0.075, 0.045])  # sRGB codes of the enamel, 0..1
PRIMER = np.array([0.35, 0.33, 0.31])


def soft(rng, radius: float) -> np.ndarray:
    """(SIDE, SIDE) noise that repeats, 0 to 1."""
    found = gaussian_filter(rng.normal(size=(SIDE, SIDE)), radius, mode="wrap")
    return (found - found.min()) / np.ptp(found)


def scratches(rng, count: int, longest: int) -> np.ndarray:
    """(SIDE, SIDE) thin lines, 0 to 1, that go on over the edges."""
    found = np.zeros((SIDE, SIDE))
    for _ in range(count):
        x, y, turn = rng.uniform(0, SIDE), rng.uniform(0, SIDE), rng.uniform(0, np.pi)
        bend, deep = rng.normal(0, 0.004), rng.uniform(0.2, 1.0)
        for _ in range(int(rng.uniform(0.2, 1.0) * longest)):
            found[int(y) % SIDE, int(x) % SIDE] = max(found[int(y) % SIDE, int(x) % SIDE], deep)
            x, y, turn = x + np.cos(turn), y + np.sin(turn), turn + bend
    return np.clip(gaussian_filter(found, 0.7, mode="wrap") * 1.9, 0, 1)


def main() -> None:
    """Write colour, roughness and normal."""
    rng = np.random.default_rng(417)
    lines = scratches(rng, 130, 190)
    rubbed = np.clip((soft(rng, 26) - 0.52) * 3.2, 0, 1) * (0.5 + 0.5 * soft(rng, 2.5))
    chips = np.clip((soft(rng, 3.2) * soft(rng, 30) - 0.42) * 26, 0, 1)
    height = -0.35 * lines - 1.4 * gaussian_filter(chips, 0.8, mode="wrap") + 0.10 * soft(rng, 7)
    tone = 1.0 + 0.10 * (soft(rng, 40) - 0.5)[..., None]
    colour = RUST * tone + 0.10 * lines[..., None] * np.array([1.0, 0.8, 0.7]) + 0.035 * rubbed[..., None]
    colour = colour + chips[..., None] * (PRIMER - colour)
    roughness = 0.13 + 0.17 * rubbed + 0.30 * lines + 0.42 * chips
    rows, columns = np.gradient(height * 1.6)
    normal = np.stack([-columns, rows, np.ones_like(rows)], -1)
    normal /= np.linalg.norm(normal, axis=-1, keepdims=True)
    OUT.mkdir(parents=True, exist_ok=True)
    dots = SIDE / WIDTH_MM * 25.4
    code = lambda v: np.rint(255 * np.clip(v, 0, 1)).astype(np.uint8)  # noqa: E731
    Image.fromarray(code(colour)).save(OUT / "scuffed-enamel_colour.jpg", quality=88, dpi=(round(dots), round(dots)))
    Image.fromarray(code(roughness)).save(OUT / "scuffed-enamel_roughness.jpg", quality=88, dpi=(round(dots), round(dots)))
    Image.fromarray(code(0.5 + 0.5 * normal)).save(OUT / "scuffed-enamel_normal.png", dpi=(dots, dots), optimize=True)
    print(*(f"{p.name} {p.stat().st_size // 1024} kB" for p in sorted(OUT.iterdir())), sep="\n")


if __name__ == "__main__":
    main()
