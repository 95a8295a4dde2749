"""What layers show that is no render: pictures and texts as light, placed in the frame."""

import functools
import hashlib
from typing import Any

import numpy as np

from aulmo.document.finish_records import Layer
from aulmo.errors import BadValue
from aulmo.finish.filters import map_coordinates
from aulmo.surface.colour import SRGB_TO_ACESCG
from aulmo.surface.picture import Pixels, decoding, read_picture
from aulmo.trace.plate import covered, light_of

LETTERS = 400  # pixels of a line of text as it is drawn
_kept: dict[tuple[str, str], np.ndarray] = {}


def picture_light(blob: bytes, name: str, view: str) -> np.ndarray:
    """(h, w, 4) light in shares of white, multiplied by its alpha, that a view shows as a picture is; light itself (EXR, HDR) is taken as it is.
    Raises BadFile."""
    key = (hashlib.sha256(blob).hexdigest(), view)
    if key not in _kept:
        while len(_kept) >= 4:
            _kept.pop(next(iter(_kept)))
        _kept[key] = _light(read_picture(blob, name), view)
    return _kept[key]


def display_codes(pixels: Pixels) -> np.ndarray:
    """(h, w, 3) float32 of a picture: display values 0..1, of a half file its light."""
    codes = pixels.codes
    bits = 8 * codes.dtype.itemsize
    if pixels.meaning == "half":
        values = decoding("half", bits)[codes]
    else:
        values = codes.astype(np.float32) / np.float32((1 << bits) - 1)
    values = values[..., :1].repeat(3, -1) if codes.shape[2] < 3 else values[..., :3]
    return values.astype(np.float32)


def _light(pixels: Pixels, view: str) -> np.ndarray:
    values, codes = display_codes(pixels), pixels.codes
    light = values @ SRGB_TO_ACESCG.T.astype(np.float32) if pixels.meaning == "half" else light_of(values, view)
    alpha = np.ones((*light.shape[:2], 1), np.float32)
    if codes.shape[2] in (2, 4):
        most = 1.0 if pixels.meaning == "half" else float((1 << (8 * codes.dtype.itemsize)) - 1)
        alpha = (decoding("half", 16)[codes[..., -1:]] if pixels.meaning == "half" else codes[..., -1:]).astype(np.float32) / np.float32(most)
    return np.concatenate([light * alpha, alpha], -1).astype(np.float32)


@functools.lru_cache(16)
def text_light(text: str, colour: tuple[float, float, float]) -> np.ndarray:
    """(h, w, 4) letters of a colour, multiplied by their alpha. Raises BadValue for a text without letters."""
    from aulmo.document.made.lettering import outlines

    if not text.strip():
        raise BadValue("There is no text yet.")
    contours = outlines(text, 100.0)
    points = np.concatenate(contours)
    low, high = points.min(0), points.max(0)
    scale = min(4.0, LETTERS / 100.0, 4000 / max(1.0, float(high[0] - low[0])))
    w, h = (int(np.ceil(v * scale)) + 4 for v in high - low)
    whole = np.zeros((h, w), np.float32)
    for contour in contours:  # holes wind the other way round
        there = covered([[((x - low[0]) * scale + 2, (high[1] - y) * scale + 2) for x, y in contour]], w, h)
        x, y = contour[:, 0], contour[:, 1]
        turn = float(np.sum(x * np.roll(y, -1) - y * np.roll(x, -1)))
        whole += there if turn * _outward(contours) > 0 else -there
    alpha = np.clip(whole, 0, 1)[..., None]
    return np.concatenate([alpha * np.array(colour, np.float32), alpha], -1)


def _outward(contours: list[Any]) -> float:
    """The way the largest outline winds."""
    turns = [float(np.sum(c[:, 0] * np.roll(c[:, 1], -1) - c[:, 1] * np.roll(c[:, 0], -1))) for c in contours]
    return max(turns, key=abs)


def placed(light: np.ndarray, layer: Layer, h: int, w: int) -> tuple[np.ndarray, np.ndarray]:
    """A picture (h', w', 4) in a frame of pixels, as wide as its layer says and in its own shape: light (h, w, 3) and alpha (h, w)."""
    from PIL import Image

    tall, wide = light.shape[:2]
    size = max(1e-4, layer.width) * w / wide  # pixels of the frame for one of the picture
    if size < 1:  # smaller first, so that nothing is left out
        small = max(1, round(wide * size)), max(1, round(tall * size))
        planes = [np.asarray(Image.fromarray(np.ascontiguousarray(light[..., c])).resize(small, Image.Resampling.BOX)) for c in range(4)]
        light = np.stack(planes, -1)
        tall, wide = light.shape[:2]
        size = max(1e-4, layer.width) * w / wide
    turn = np.radians(layer.turn)
    y, x = np.meshgrid(np.arange(h, dtype=np.float32) + 0.5 - layer.down * h, np.arange(w, dtype=np.float32) + 0.5 - layer.across * w, indexing="ij")
    across = (x * np.cos(turn) + y * np.sin(turn)) / size + wide / 2 - 0.5
    down = (y * np.cos(turn) - x * np.sin(turn)) / size + tall / 2 - 0.5
    if layer.turn == 0 and (tall, wide) == (h, w) and (layer.across, layer.down) == (0.5, 0.5):
        return light[..., :3], light[..., 3]
    found = np.stack([map_coordinates(light[..., c], [down, across], order=1, mode="constant") for c in range(4)], -1)
    return found[..., :3].astype(np.float32), found[..., 3].astype(np.float32)
