"""Environment maps: the shipped sets, and any HDR or EXR the artist opens.

Maps are brought to one level when read, so that changing the set does not throw the exposure off: a card that faces the
camera receives `CARD_LUX`.
"""

import contextlib
import functools
import math
import os
import tempfile
from importlib.resources import files
from pathlib import Path
from typing import Any, Callable, NamedTuple, TypeVar

import numpy as np

from aulmo.document.apart import apart, here
from aulmo.document.assets import AssetStore
from aulmo.document.moving.footage import still
from aulmo.errors import BadFile
from aulmo.light.dome_map import map_directions
from aulmo.surface.colour import LUMINANCE, SRGB_TO_ACESCG, decode_srgb

T = TypeVar("T")
CARD_LUX = 3000.0
WIDEST = 4096
SETS = (
    "Loft", "Tabletop", "Two strips", "Dark rim", "White tent", "Gallery", "Clear sky", "Overcast", "Workshop hall", "Meadow, morning",
        "Meadow, noon",
    "Meadow, afternoon", "Meadow, dusk",
)  # fmt: skip


def set_path(name: str) -> Path:
    """File of a shipped set. Raises BadFile for an unknown name."""
    if name not in SETS:
        raise BadFile(f"There is no shipped light set named {name}.")
    return Path(str(files("aulmo.light") / "data" / (name.lower().replace(" ", "-").replace(",", "") + ".exr")))


class LightFile(NamedTuple):
    """What a picture file holds: (h, w, 3 or 4) float32 linear pixels in Rec.709, sentences on what had to be mended, and how wide it is itself."""

    pixels: np.ndarray
    notes: tuple[str, ...]
    width: int


def read_pixels(path: Path) -> np.ndarray:
    """(h, w, 3) float32 linear pixels of a picture, no wider than `WIDEST`. Raises BadFile with one sentence."""
    return np.ascontiguousarray(read_light(path).pixels[:, :, :3])


@apart(seconds=60, gigabytes=6)
def read_light(path: Path, widest: int = WIDEST) -> LightFile:
    """A picture that light comes from: HDR, EXR, or one of a display, whose values are made linear. One wider than `widest` is averaged down while it
    is read. What is no number becomes black, what is endless or below zero is brought into range. Raises BadFile with one sentence."""
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
        width = int(spec.width)
        pixels = reduced(source, spec, -(-spec.width // widest))
        shown = str(spec.format) in ("uint8", "uint16")
    finally:
        source.close()
    if pixels is None:
        raise BadFile(f"{path.name} is cut short or damaged.")
    notes = []
    if pixels.shape[2] < 3:
        pixels = np.concatenate([np.repeat(pixels[:, :, :1], 3, 2), pixels[:, :, 1:2]], 2)
    pixels = pixels[:, :, :4]
    broken = int((~np.isfinite(pixels[:, :, :3])).any(2).sum())
    if broken:
        known = pixels[np.isfinite(pixels)]
        most = float(known.max()) if known.size else 0.0
        pixels = np.nan_to_num(pixels, copy=False, nan=0.0, posinf=most, neginf=0.0)
        notes.append(f"{path.name} holds {broken} pixel{'s' if broken > 1 else ''} without a number; {'they are' if broken > 1 else 'it is'} mended.")
    if (pixels[:, :, :3] < 0).any():
        notes.append(f"{path.name} holds light below zero; it is taken as none.")
        np.maximum(pixels, 0.0, out=pixels)
    if shown:
        pixels[:, :, :3] = decode_srgb(np.clip(pixels[:, :, :3], 0, 1))
        notes.append(f"{path.name} has no range: its lamps are no brighter than white paper, so reflections will look flat.")
    return LightFile(np.ascontiguousarray(pixels, np.float32), tuple(notes), width)


def reduced(source: Any, spec: Any, factor: int) -> np.ndarray | None:
    """An open picture's pixels, averaged over squares of `factor` pixels and read in bands: the whole never lies in memory. None when cut short."""
    channels = min(4, spec.nchannels)
    if factor == 1:
        pixels = source.read_image(0, 0, 0, channels, "float")
        return None if pixels is None else np.asarray(pixels, np.float32).reshape(spec.height, spec.width, -1)
    band = max(1, spec.tile_height)
    band *= factor // math.gcd(band, factor)
    kept, used = [], spec.width // factor * factor
    for y in range(0, spec.height, band):
        end = min(spec.height, y + band)
        if spec.tile_width:
            right = -(-spec.width // spec.tile_width) * spec.tile_width
            rows = source.read_tiles(0, 0, 0, min(right, spec.width), y, end, 0, 1, 0, channels, "float")
        else:
            rows = source.read_scanlines(0, 0, y, end, 0, 0, channels, "float")
        if rows is None:
            return None
        rows = np.asarray(rows, np.float32).reshape(end - y, spec.width, -1)[: (end - y) // factor * factor, :used]
        if len(rows):
            kept.append(rows.reshape(len(rows) // factor, factor, used // factor, factor, -1).mean((1, 3), dtype=np.float32))
    return np.concatenate(kept) if kept else None


def to_keep(path: Path) -> tuple[bytes, str, tuple[str, ...]]:
    """What a project keeps of a picture that lights it: (the file's bytes, its ending, sentences to tell). One wider than `WIDEST` is kept as an EXR
    of that width: more is never seen of it. Raises BadFile with one sentence."""
    found = read_light(path)
    prepare(found.pixels[:, :, :3], path.name)
    if found.width <= WIDEST:
        try:
            return path.read_bytes(), path.suffix.lower(), found.notes
        except OSError as error:
            raise BadFile(f"{path.name} could not be read: {error.strerror}.") from error
    with tempfile.TemporaryDirectory() as folder:
        small = Path(folder) / "kept.exr"
        write_exr(small, found.pixels[:, :, :3])
        told = f"{path.name} is {found.width} pixels wide; it is kept at {found.pixels.shape[1]}."
        return small.read_bytes(), ".exr", (*found.notes, told)


def keep(assets: AssetStore, path: Path) -> tuple[str, tuple[str, ...]]:
    """A picture that lights a project among its assets: its name there, and sentences to tell (see `to_keep`). Raises BadFile."""
    blob, suffix, notes = to_keep(path)
    return assets.add_file(blob, path, suffix), notes


def write_exr(path: Path, pixels: np.ndarray) -> None:
    """Write (h, w, 3) linear pixels as an EXR, half float where that holds them. Raises BadFile when it cannot be."""
    import OpenImageIO as oiio

    kind = "half" if float(pixels.max(initial=0.0)) < 60000 else "float"
    spec = oiio.ImageSpec(pixels.shape[1], pixels.shape[0], 3, kind)
    spec.attribute("compression", "zip")
    out = oiio.ImageOutput.create(str(path))
    if out is None or not out.open(str(path), spec) or not out.write_image(np.ascontiguousarray(pixels, np.float32)):
        raise BadFile(f"{path.name} could not be written: {oiio.geterror()}.")
    out.close()


def shape_of(path: Path) -> tuple[int, int]:
    """Width and height of a picture file; one by one of what cannot be read."""
    import OpenImageIO as oiio

    opened = oiio.ImageInput.open(str(path))
    if opened is None:
        oiio.geterror()
        return 1, 1
    spec = opened.spec()
    opened.close()
    return max(1, int(spec.width)), max(1, int(spec.height))


def is_dome(path: Path) -> bool:
    """Whether a picture is a full sphere of light: one that can hold light beyond white, twice as wide as high."""
    width, height = shape_of(path) if path.suffix.lower() in (".hdr", ".exr") else (1, 1)
    return width == 2 * height and width >= 64


def level(image: np.ndarray) -> float:
    """Illuminance in lux on a card at the centre of the dome that faces the camera (-y) and leans back 20 degrees."""
    h, w = image.shape[:2]
    directions = map_directions(w, h)
    facing = np.array([0.0, -np.cos(np.radians(20)), np.sin(np.radians(20))])
    solid = 2 * np.pi / w * np.pi / h * np.sin((np.arange(h) + 0.5) / h * np.pi)[:, None]
    return float((np.maximum(directions @ facing, 0.0) * solid * (image @ LUMINANCE)).sum())


def prepare(pixels: np.ndarray, name: str, like: np.ndarray | None = None) -> np.ndarray:
    """Bring linear sRGB pixels to ACEScg nits at the common level, or to that of other pixels: of a film all frames are levelled alike. Raises
    BadFile when there is no light in them."""
    if like is not None:
        return np.ascontiguousarray(np.maximum(pixels @ SRGB_TO_ACESCG.T, 0.0) * _levelled(like, name)[1], np.float32)
    image, factor = _levelled(pixels, name)
    return np.ascontiguousarray(image * factor, np.float32)


def _levelled(pixels: np.ndarray, name: str) -> tuple[np.ndarray, float]:
    """ACEScg of pixels, and what brings them to the common level."""
    image = np.maximum(np.where(np.isfinite(pixels), pixels, np.float32(0.0)) @ SRGB_TO_ACESCG.T, 0.0)
    small = image[:: max(1, image.shape[0] // 256), :: max(1, image.shape[1] // 512)]
    lux = level(small)
    if not lux > 1e-9:
        lux = float((small @ LUMINANCE).mean() * np.pi)
    if not lux > 1e-9:
        raise BadFile(f"{name} holds no light; every pixel is black.")
    return image, CARD_LUX / lux


def developed(image: np.ndarray, saturation: float, kelvin: float, blur: float) -> np.ndarray:
    """A map with its colours made paler or stronger, warmed or cooled (6500 K leaves it), and blurred by so many degrees."""
    from aulmo.light.photometry import tint

    if saturation != 1.0:
        grey = image @ LUMINANCE.astype(np.float32)
        image = np.maximum(grey[..., None] + (image - grey[..., None]) * np.float32(saturation), 0).astype(np.float32)
    if kelvin != 6500.0:
        image = image * (tint(kelvin, (1.0, 1.0, 1.0)) / tint(6500.0, (1.0, 1.0, 1.0))).astype(np.float32)
    return blurred(image, blur) if blur > 0 else image


def blurred(image: np.ndarray, degrees: float) -> np.ndarray:
    """A latitude-longitude map blurred by a Gaussian of so many degrees (its standard deviation); wide rows near the poles are blurred farther along.

    A map that is to be blurred far is made small first: what is lost is not there any more.
    """
    from scipy.ndimage import gaussian_filter1d, zoom

    h, w = image.shape[:2]
    step = max(1, min(h // 32, int(degrees / 180 * h / 4)))
    small = image[: h // step * step, : w // step * step].reshape(h // step, step, w // step, step, 3).mean((1, 3))
    rows, columns = small.shape[:2]
    sigma = degrees / 180 * rows
    sine = np.sin((np.arange(rows) + 0.5) / rows * np.pi)
    along = np.empty_like(small)
    for k in range(rows):
        along[k] = gaussian_filter1d(small[k], min(sigma / sine[k] * columns / (2 * rows), columns), axis=0, mode="wrap", truncate=3.0)
    reach = min(rows, int(3 * sigma) + 1)
    over = np.roll(along, columns // 2, 1)  # beyond a pole the map goes on at the other side
    tall = np.concatenate([over[:reach][::-1], along, over[-reach:][::-1]])
    weight = np.concatenate([sine[:reach][::-1], sine, sine[-reach:][::-1]])[:, None, None]
    light = gaussian_filter1d(tall * weight, sigma, axis=0, truncate=3.0) / gaussian_filter1d(weight, sigma, axis=0, truncate=3.0)
    light = light[reach : reach + rows]
    factor = min(h, max(rows, 256)) / rows
    return np.ascontiguousarray(zoom(light, (factor, factor, 1), order=1, mode="nearest", grid_mode=True), np.float32)


@functools.lru_cache(maxsize=4)
def shipped(name: str) -> np.ndarray:
    """(h, w, 3) float32 ACEScg nits of a shipped set."""
    return prepare(np.ascontiguousarray(here(read_light)(set_path(name)).pixels[:, :, :3]), name)


@apart(seconds=60, gigabytes=6)
def _pixels_in(blob: bytes, name: str) -> np.ndarray:
    return in_file(blob, name, read_pixels)


def from_blob(blob: bytes, name: str) -> np.ndarray:
    """The same from a stored file's bytes; `name` carries the suffix."""
    return prepare(_pixels_in(blob, name), name)


def of_frame(blob: bytes, name: str, first: bytes) -> np.ndarray:
    """A frame of a film, as bright as its film's first one would be: what grows brighter there grows brighter here."""
    return prepare(_pixels_in(blob, name), name, _pixels_in(first, name))


def in_file(blob: bytes, name: str, read: Callable[[Path], T]) -> T:
    """What a reader makes of a stored file's bytes; `name` carries the suffix."""
    blob, name = still(blob, name)
    handle, path = tempfile.mkstemp(suffix=Path(name).suffix)
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(blob)
        return read(Path(path))
    finally:
        os.unlink(path)
