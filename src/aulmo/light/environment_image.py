"""Environment maps: the shipped sets, and any HDR or EXR the artist opens.

Maps are brought to one level when read, so that changing the set does not throw the exposure off: a card that faces the
camera receives `CARD_LUX`.
"""

import contextlib
import functools
import os
import tempfile
from importlib.resources import files
from pathlib import Path

import numpy as np

from aulmo.errors import BadFile
from aulmo.light.softbox import map_directions
from aulmo.surface.colour import LUMINANCE, SRGB_TO_ACESCG

CARD_LUX = 3000.0
WIDEST = 4096
SETS = ("Loft", "Tabletop", "Two strips", "Dark rim", "White tent", "Gallery", "Clear sky", "Overcast")


def set_path(name: str) -> Path:
    """File of a shipped set. Raises BadFile for an unknown name."""
    path = Path(str(files("aulmo.light") / "data" / (name.lower().replace(" ", "-") + ".exr")))
    if name not in SETS or not path.exists():
        raise BadFile(f"There is no shipped light set named {name}.")
    return path


def read_pixels(path: Path) -> np.ndarray:
    """(h, w, 3) float32 pixels of an HDR or EXR file, as stored. Raises BadFile with one sentence."""
    import OpenImageIO as oiio

    source = oiio.ImageInput.open(str(path))
    if source is None:
        with contextlib.suppress(UnicodeDecodeError):  # the library's own message may quote the damaged bytes
            oiio.geterror()
        raise BadFile(f"{path.name} cannot be read as a picture; choose an .hdr or .exr environment.")
    try:
        spec = source.spec()
        if not (2 <= spec.width <= 32768 and 2 <= spec.height <= 32768 and 1 <= spec.nchannels <= 64):
            raise BadFile(f"{path.name} has an impossible picture size.")
        pixels = source.read_image("float")
    finally:
        source.close()
    if pixels is None:
        raise BadFile(f"{path.name} is cut short or damaged.")
    pixels = np.asarray(pixels, np.float32).reshape(spec.height, spec.width, -1)
    pixels = np.repeat(pixels, 3, 2) if pixels.shape[2] < 3 else pixels[:, :, :3]
    return np.ascontiguousarray(pixels)


def level(image: np.ndarray) -> float:
    """Illuminance in lux on a card at the centre of the dome that faces the camera (-y) and leans back 20 degrees."""
    h, w = image.shape[:2]
    directions = map_directions(w, h)
    facing = np.array([0.0, -np.cos(np.radians(20)), np.sin(np.radians(20))])
    solid = 2 * np.pi / w * np.pi / h * np.sin((np.arange(h) + 0.5) / h * np.pi)[:, None]
    return float((np.maximum(directions @ facing, 0.0) * solid * (image @ LUMINANCE)).sum())


def prepare(pixels: np.ndarray, name: str) -> np.ndarray:
    """Bring linear sRGB pixels to ACEScg nits at the common level. Raises BadFile when there is no light in them."""
    if pixels.shape[1] > WIDEST:
        from scipy.ndimage import zoom

        f = WIDEST / pixels.shape[1]
        pixels = zoom(pixels, (f, f, 1), order=1)
    pixels = np.where(np.isfinite(pixels), pixels, 0.0)
    image = np.maximum(pixels @ SRGB_TO_ACESCG.T, 0.0)
    small = image[:: max(1, image.shape[0] // 256), :: max(1, image.shape[1] // 512)]
    lux = level(small)
    if not lux > 1e-9:
        lux = float((small @ LUMINANCE).mean() * np.pi)
    if not lux > 1e-9:
        raise BadFile(f"{name} holds no light; every pixel is black.")
    return np.ascontiguousarray(image * (CARD_LUX / lux), np.float32)


@functools.lru_cache(maxsize=4)
def shipped(name: str) -> np.ndarray:
    """(h, w, 3) float32 ACEScg nits of a shipped set."""
    return prepare(read_pixels(set_path(name)), name)


def from_blob(blob: bytes, name: str) -> np.ndarray:
    """The same from a stored file's bytes; `name` carries the suffix."""
    handle, path = tempfile.mkstemp(suffix=Path(name).suffix)
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(blob)
        return prepare(read_pixels(Path(path)), name)
    finally:
        os.unlink(path)
