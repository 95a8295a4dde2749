"""What scopes show of a picture of display values, and how far two places of it are apart."""

from typing import NamedTuple

import numpy as np

from aulmo.finish.grading import to_oklab
from aulmo.surface.colour import SRGB_TO_ACESCG, decode_srgb

TONES = 128  # steps of a display value
COLUMNS = 160  # across the picture
ROUND = 96  # cells of the colour scope, each way
REACH = 0.32  # Oklab chroma at its rim
MOST = 120_000  # pixels that are counted


class Measured(NamedTuple):
    """Of display values: `tones` (4, TONES) shares of pixels by value, of red, green, blue and lightness; `levels` (3, TONES, COLUMNS) the same
    across the picture; `colours` (ROUND, ROUND) shares by a (across) and b (up) of Oklab; shares of pixels that are `black` and `white` in any
    colour."""

    tones: np.ndarray
    levels: np.ndarray
    colours: np.ndarray
    black: float
    white: float


def oklab_of(display: np.ndarray) -> np.ndarray:
    """(..., 3) Oklab of display values 0..1."""
    return to_oklab((decode_srgb(display) @ SRGB_TO_ACESCG.T).astype(np.float32))


def measured(display: np.ndarray) -> Measured:
    """What scopes show of (h, w, 3) display values 0..1."""
    step = max(1, int(np.ceil(np.sqrt(display.shape[0] * display.shape[1] / MOST))))
    seen = np.clip(display[::step, ::step], 0, 1)
    h, w = seen.shape[:2]
    count = h * w
    codes = np.minimum((seen * TONES).astype(np.int32), TONES - 1)
    lab = oklab_of(seen)
    light = np.minimum((np.clip(lab[..., 0], 0, 1) * TONES).astype(np.int32), TONES - 1)
    tones = np.stack([np.bincount(c.ravel(), minlength=TONES) for c in (codes[..., 0], codes[..., 1], codes[..., 2], light)]) / count
    columns = (np.arange(w) * COLUMNS // w)[None, :]
    levels = np.stack([
        np.bincount((codes[..., c] * COLUMNS + columns).ravel(), minlength=TONES * COLUMNS).reshape(TONES, COLUMNS) for c in range(3)
    ]) / count  # fmt: skip
    places = np.clip((lab[..., 1:] / REACH * 0.5 + 0.5) * ROUND, 0, ROUND - 1).astype(np.int32)
    colours = np.bincount((places[..., 1] * ROUND + places[..., 0]).ravel(), minlength=ROUND * ROUND).reshape(ROUND, ROUND)[::-1] / count
    black, white = (seen <= 0.5 / 255).any(-1).mean(), (seen >= 254.5 / 255).any(-1).mean()
    return Measured(tones.astype(np.float32), levels.astype(np.float32), colours.astype(np.float32), float(black), float(white))


def about(picture: np.ndarray, x: float, y: float, radius: int) -> np.ndarray:
    """The mean (channels,) of a picture (h, w, channels) about a place in shares of it, so many pixels each way."""
    h, w = picture.shape[:2]
    row, column = min(h - 1, int(y * h)), min(w - 1, int(x * w))
    return picture[max(0, row - radius) : row + radius + 1, max(0, column - radius) : column + radius + 1].mean((0, 1))


class Apart(NamedTuple):
    """Two places of a picture against one another: display values of both, and by how much the second is lighter (stops of light, and hundredths of
    Oklab lightness), more colourful, turned in hue (degrees), and the distance of both (100 times Oklab's)."""

    first: tuple[float, float, float]
    second: tuple[float, float, float]
    stops: float
    lightness: float
    chroma: float
    hue: float
    distance: float


def apart(first: np.ndarray, second: np.ndarray) -> Apart:
    """Two display values (3,) against one another."""
    values = np.clip(np.stack([first, second]).astype(np.float64), 0, 1)
    lab = oklab_of(values).astype(float)
    y = decode_srgb(values) @ np.array([0.2126, 0.7152, 0.0722])
    chroma = np.hypot(lab[:, 1], lab[:, 2])
    hue = np.degrees(np.arctan2(lab[:, 2], lab[:, 1]))
    turn = float((hue[1] - hue[0] + 180) % 360 - 180) if chroma.min() > 0.02 else 0.0
    stops = float(np.log2(max(y[1], 1e-4) / max(y[0], 1e-4)))
    one, two = ((float(r), float(g), float(b)) for r, g, b in values)
    lighter, stronger = 100 * float(lab[1, 0] - lab[0, 0]), 100 * float(chroma[1] - chroma[0])
    return Apart(one, two, stops, lighter, stronger, turn, 100 * float(np.linalg.norm(lab[1] - lab[0])))
