"""Pictures on softboxes: photographed-looking lights that come with Aulmo, and the artist's own.

A picture's 1 is the brightness that the softbox is set to.
"""

import functools
from importlib.resources import files
from pathlib import Path

import numpy as np

from aulmo.document.apart import apart, here
from aulmo.document.assets import AssetStore
from aulmo.errors import BadFile
from aulmo.light.environment_image import in_file, read_light
from aulmo.surface.colour import SRGB_TO_ACESCG

PICTURES = (
    "Creased silk", "Hot tube", "Ring tube", "Umbrella", "Window", "Grid", "Scrim", "Octabox", "Beauty dish", "Gridded strip", "Seamed softbox",
    "Silver umbrella", "Frame gauze", "Low sun scrim", "Tall window", "Blinds", "Curtain", "Tube row", "Skylight", "Torn flag",
)  # fmt: skip
WIDEST = 1024


@functools.cache
def shipped(name: str) -> np.ndarray:
    """(h, w, 4) float32 light and cover of a shipped picture. Raises BadFile for an unknown name."""
    return read(shipped_path(name))


def shipped_path(name: str) -> Path:
    """File of a shipped picture. Raises BadFile for an unknown name."""
    if name not in PICTURES:
        raise BadFile(f"There is no shipped light picture named {name}.")
    return Path(str(files("aulmo.light") / "data" / "lights" / (name.lower().replace(" ", "-") + ".exr")))


def keep(assets: AssetStore, path: Path) -> str:
    """A picture file among the assets, once it is known to be a light; its name there. Raises BadFile."""
    try:
        blob = path.read_bytes()
    except OSError as error:
        raise BadFile(f"{path.name} could not be read: {error.strerror}.") from error
    from_blob(blob, path.name)
    return assets.add_file(blob, path)


def degrees_of(width: int, height: int, longer: float = 60.0) -> tuple[float, float]:
    """How wide and high a softbox of a picture's shape is, its longer side so many degrees, none below 1."""
    longest = max(width, height)
    return max(1.0, longer * width / longest), max(1.0, longer * height / longest)


def from_blob(blob: bytes, name: str) -> np.ndarray:
    """The same from a stored file's bytes; `name` carries the suffix. Raises BadFile."""
    return _as_light(_pixels_in(blob, name))


@apart(seconds=60, gigabytes=6)
def _pixels_in(blob: bytes, name: str) -> np.ndarray:
    return in_file(blob, name, lambda path: read_light(path, WIDEST).pixels)


def read(path: Path) -> np.ndarray:
    """(h, w, 4) float32 light (ACEScg, shares of the softbox's own) and cover of a picture file. Raises BadFile."""
    return _as_light(here(read_light)(path, WIDEST).pixels)


def _as_light(pixels: np.ndarray) -> np.ndarray:
    cover = np.clip(pixels[:, :, 3:], 0, 1) if pixels.shape[2] > 3 else np.ones((*pixels.shape[:2], 1), np.float32)
    light = np.maximum(pixels[:, :, :3] @ SRGB_TO_ACESCG.T, 0.0)
    if pixels.shape[2] > 3:  # as files of several layers have it, light is multiplied by its cover already
        light = np.where(cover > 0.05, light / np.maximum(cover, 0.05), light)
    return np.ascontiguousarray(np.concatenate([light, cover], 2), np.float32)
