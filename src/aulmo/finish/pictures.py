"""What layers show that is no render: pictures and texts as light, placed in the frame."""

import functools
import hashlib

import numpy as np

from aulmo.document.apart import here
from aulmo.document.finish_records import Layer
from aulmo.document.records import Decal
from aulmo.errors import BadValue
from aulmo.finish.filters import map_coordinates
from aulmo.surface.artwork import drawing
from aulmo.surface.colour import SRGB_TO_ACESCG
from aulmo.surface.picture import Pixels, decoding, read_picture
from aulmo.trace.plate import light_of

LETTERS = 3000  # pixels along a text as it is drawn
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


def _values(pixels: Pixels) -> np.ndarray:
    """(h, w, channels) float32 shares of the largest code; of a half file the numbers themselves."""
    return decoding("half" if pixels.meaning == "half" else "whole", 8 * pixels.codes.dtype.itemsize)[pixels.codes]


def _coloured(values: np.ndarray) -> np.ndarray:
    return values[..., :1].repeat(3, -1) if values.shape[2] < 3 else values[..., :3]


def display_codes(pixels: Pixels) -> np.ndarray:
    """(h, w, 3) float32 of a picture: display values 0..1, of a half file its light."""
    return _coloured(_values(pixels))


def _light(pixels: Pixels, view: str) -> np.ndarray:
    values = _values(pixels)
    colours = _coloured(values)
    light = colours @ SRGB_TO_ACESCG.T.astype(np.float32) if pixels.meaning == "half" else light_of(colours, view)
    alpha = values[..., -1:] if values.shape[2] in (2, 4) else np.ones((*light.shape[:2], 1), np.float32)
    return np.concatenate([light * alpha, alpha], -1).astype(np.float32)


@functools.lru_cache(16)
def text_light(text: str, colour: tuple[float, float, float]) -> np.ndarray:
    """(h, w, 4) letters of a colour, multiplied by their alpha, without a margin. Raises BadValue for a text without letters."""
    if not text.strip():
        raise BadValue("There is no text yet.")
    letters = drawing(Decal("", "", artwork="text", text=text))
    alpha = _values(here(read_picture)(letters.encode(), "letters.svg", long_side=LETTERS))[..., -1:]
    rows, columns = (np.flatnonzero(alpha[..., 0].any(axis)) for axis in (1, 0))
    alpha = alpha[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1]
    return np.concatenate([alpha * np.array(colour, np.float32), alpha], -1)


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
