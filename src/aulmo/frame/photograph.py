"""Photographs that stand behind a shot: reading their files, and where they lie in the frame.

A photograph fills its shot's frame from side to side; up and down it stands in the middle.
"""

import contextlib
import io
import math
import numbers
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np
from msgspec.structs import replace

from aulmo.document.apart import apart
from aulmo.document.assets import AssetStore
from aulmo.document.lens import half_width
from aulmo.document.moving.footage import MOVIES
from aulmo.document.records import Camera, Document, Photograph, Shot
from aulmo.errors import BadFile
from aulmo.frame.camera import bent
from aulmo.light.environment_image import in_file, reduced
from aulmo.surface.colour import encode_srgb

WIDEST = 8192  # pixels that a photograph is kept at in memory
ENDINGS = (".jpg", ".jpeg", ".png", ".tif", ".tiff", ".exr", ".bmp", ".webp", *MOVIES)
_FULL_FRAME_DIAGONAL = math.hypot(36.0, 24.0)
_NOTES = {"focal": 0x920A, "across": 0xA20E, "unit": 0xA210, "pixels": 0xA002, "alike": 0xA405}
_kept: dict[tuple, np.ndarray] = {}  # the last few that were read: their names tell their content


class Taken(NamedTuple):
    """What a photograph's file says: its size as it is to be seen, the lens's focal length and the sensor's width in mm, 0 for nothing."""

    width: int
    height: int
    focal_mm: float
    sensor_mm: float


def read(path: Path, assets: AssetStore) -> Photograph:
    """A photograph out of a picture file, whose bytes are kept as they are. Raises BadFile with one sentence."""
    path = Path(path)
    if path.suffix.lower() not in ENDINGS:
        raise BadFile(f"{path.name} is no photograph that Aulmo reads; there are {', '.join(ENDINGS)}.")
    try:
        blob = path.read_bytes()
    except OSError as error:
        raise BadFile(f"{path.name} could not be read: {error.strerror}.") from error
    taken = _taken_in(blob, path.suffix.lower(), path.name)
    small = _codes(blob, path.suffix.lower(), 256, path.name)
    if _goes_round(taken, small):
        raise BadFile(f"{path.name} is a panorama that shows everything round; it has no one direction. Give it to Light as the dome.")
    image = assets.add_file(blob, path)
    return Photograph(image, path.name, taken.width, taken.height, focal_mm=taken.focal_mm, sensor_mm=taken.sensor_mm)


def _opened(path: Path, name: str) -> Any:
    """An open picture file. Raises BadFile."""
    import OpenImageIO as oiio

    source = oiio.ImageInput.open(str(path))
    if source is None:
        with contextlib.suppress(UnicodeDecodeError):  # the library's own message may quote the damaged bytes
            oiio.geterror()
        raise BadFile(f"{name} cannot be read as a photograph; it is damaged, or not the kind its name says.")
    return source


@apart(shown=lambda blob, suffix, name: name)
def _taken_in(blob: bytes, suffix: str, name: str) -> Taken:
    return in_file(blob, "photograph" + suffix, lambda path: _taken(path, name))


def _taken(path: Path, name: str) -> Taken:
    source = _opened(path, name)
    try:
        spec = source.spec()
        if not (2 <= spec.width <= 65536 and 2 <= spec.height <= 65536 and 1 <= spec.nchannels <= 64):
            raise BadFile(f"{name} has an impossible picture size.")
        width, height = (spec.height, spec.width) if _orientation(spec) >= 5 else (spec.width, spec.height)
        focal, sensor = _lens(path, int(width), int(height))
        return Taken(int(width), int(height), focal, sensor)
    finally:
        source.close()


def _orientation(spec: Any) -> int:
    return int(spec.get_int_attribute("Orientation", 1))


def _lens(path: Path, width: int, height: int) -> tuple[float, float]:
    """Focal length and sensor width in mm from a file's notes (EXIF 2.3); 0 for what they do not say, or what cannot be."""
    from PIL import Image, UnidentifiedImageError

    try:
        with Image.open(path) as picture:
            held = picture.getexif().get_ifd(0x8769)
        told = {name: float(held[tag]) for name, tag in _NOTES.items() if isinstance(held.get(tag), numbers.Real)}
    except (OSError, ValueError, SyntaxError, ZeroDivisionError, UnidentifiedImageError, Image.DecompressionBombError):
        return 0.0, 0.0  # notes are a help, no more
    focal = told.get("focal", 0.0)
    if not 0.5 <= focal <= 5000:
        return 0.0, 0.0
    per_unit, unit = told.get("across", 0.0), {2: 25.4, 3: 10.0, 4: 1.0}.get(int(told.get("unit", 2)), 25.4)
    sensor = told.get("pixels", float(max(width, height))) / per_unit * unit if per_unit > 0 else 0.0
    if height > width and told.get("pixels", 0.0) != width:  # held upright: the notes tell the sensor's long side
        sensor *= width / height
    if 1.0 <= sensor <= 120.0:
        return focal, sensor
    if 2 <= told.get("alike", 0.0) <= 5000:  # the length that shows as much across the diagonal of a full frame (CIPA DCG-001)
        return focal, _FULL_FRAME_DIAGONAL * focal / told["alike"] * width / math.hypot(width, height)
    return focal, 0.0


def _goes_round(taken: Taken, small: np.ndarray) -> bool:
    """Whether a picture twice as wide as high goes on at its left where it ends at its right, and has one place for its whole top row."""
    if abs(taken.width / taken.height - 2.0) > 0.01:
        return False
    columns = small.reshape(small.shape[0], small.shape[1], 3).astype(float)
    seam = float(np.abs(columns[:, 0] - columns[:, -1]).mean())
    steps = np.abs(np.diff(columns, axis=1)).mean((0, 2))
    poles = float(columns[0].std(0).mean() + columns[-1].std(0).mean())
    inner = float(columns[small.shape[0] // 4 : -small.shape[0] // 4].std((0, 1)).mean())
    return seam <= 3.0 * float(np.median(steps)) + 1e-3 and poles < 0.5 * inner


@apart(seconds=60, gigabytes=6, shown=lambda blob, suffix, widest, name: name)
def _codes(blob: bytes, suffix: str, widest: int, name: str) -> np.ndarray:
    return in_file(blob, "photograph" + suffix, lambda path: _read_codes(path, widest, name))


def _read_codes(path: Path, widest: int, name: str) -> np.ndarray:
    source = _opened(path, name)
    try:
        spec = source.spec()
        factor = -(-max(spec.width, spec.height) // widest)
        kind = str(spec.format)
        values = reduced(source, spec, factor)
        profile = spec.getattribute("ICCProfile")
        turned = _orientation(spec)
    finally:
        source.close()
    if values is None:
        raise BadFile(f"{name} is cut short or damaged.")
    values = np.nan_to_num(values[..., :3] if values.shape[2] >= 3 else np.repeat(values[..., :1], 3, 2), nan=0.0, posinf=1e4, neginf=0.0)
    if kind in ("half", "float", "double"):
        values = encode_srgb(values).astype(np.float32)  # light itself: one is white
    elif profile is not None:
        values = _from_profile(values, np.asarray(profile, np.uint8).tobytes(), name)
    values = _upright(values, turned)
    return np.rint(np.clip(values, 0, 1) * 255).astype(np.uint8) if kind == "uint8" else np.clip(values, 0, 1).astype(np.float32)


def _from_profile(values: np.ndarray, profile: bytes, name: str) -> np.ndarray:
    """Values of a picture's own colour profile as those of sRGB, by a table of 33 steps a side that the colour engine fills."""
    from PIL import Image, ImageCms
    from scipy.ndimage import map_coordinates

    try:
        own = ImageCms.getOpenProfile(io.BytesIO(profile))
        if "sRGB" in (ImageCms.getProfileDescription(own) or ""):
            return values
        steps = np.linspace(0, 255, 33)
        grid = np.rint(np.stack(np.meshgrid(steps, steps, steps, indexing="ij"), -1)).astype(np.uint8)
        made = ImageCms.profileToProfile(Image.fromarray(grid.reshape(33 * 33, 33, 3)), own, ImageCms.createProfile("sRGB"))
    except (ImageCms.PyCMSError, OSError, ValueError) as error:
        raise BadFile(f"{name} carries a colour profile that cannot be used; save it as sRGB.") from error
    table = np.asarray(made, np.float32).reshape(33, 33, 33, 3) / 255
    places = np.moveaxis(np.clip(values, 0, 1) * 32, -1, 0)
    return np.stack([map_coordinates(table[..., c], places, order=1) for c in range(3)], -1)


def _upright(values: np.ndarray, orientation: int) -> np.ndarray:
    """A picture as it is to be seen, by the number that its file notes (EXIF 2.3, Orientation)."""
    if orientation >= 5:
        values = values.transpose(1, 0, 2)
    flips = {2: (1,), 3: (0, 1), 4: (0,), 6: (1,), 7: (0, 1), 8: (0,)}.get(orientation, ())
    return np.ascontiguousarray(np.flip(values, flips)) if flips else np.ascontiguousarray(values)


def codes(assets: AssetStore, photo: Photograph, widest: int = WIDEST) -> np.ndarray:
    """(h, w, 3) uint8, or float32 0..1, of a photograph as a display shows it, its longer side no longer than `widest`. Raises BadFile when its file
    is gone or damaged."""
    key = (photo.image, widest)
    if key not in _kept:
        try:
            blob = assets.get(photo.image)
        except BadFile as error:
            raise BadFile(f"The photograph {photo.file} is missing from the project; drop it on Frame again.") from error
        found = _codes(blob, Path(photo.image).suffix, widest, photo.file or "The photograph")
        while len(_kept) >= 6:
            _kept.pop(next(iter(_kept)))
        _kept[key] = found
    return _kept[key]


def whole_photographs(document: Document) -> Document:
    """A document as it is rendered: photographs that are faint or in front while working stand whole behind."""
    if all(s.photograph is None or (s.photograph.strength == 1.0 and not s.photograph.in_front) for s in document.shots):
        return document
    whole = (
        s if s.photograph is None else replace(s, photograph=replace(s.photograph, strength=1.0, in_front=False)) for s in document.shots
    )  # fmt: skip
    return replace(document, shots=tuple(whole))


def at_hand(photo: Photograph, widest: int) -> np.ndarray | None:
    """The same where it has been read already."""
    return _kept.get((photo.image, widest))


class Laid(NamedTuple):
    """How a photograph lies before its camera: tangents of half its width and height, and how far its middle is from the axis in shares of those."""

    tan_w: float
    tan_h: float
    shift_x: float
    shift_y: float


def photographed(document: Document) -> Shot | None:
    """The shot whose photograph stands behind, of a document that is resolved for it."""
    if document.backdrop.kind != "photograph":
        return None
    return next((s for s in document.shots if s.id == document.backdrop.shot and s.photograph is not None), None)


def without_what_is_missing(document: Document, assets: AssetStore) -> tuple[Document, str]:
    """A resolved document, and what is wrong with its photograph: one that cannot be read leaves a plain grey, and a sentence."""
    shot = photographed(document)
    if shot is None or shot.photograph is None:
        return document, ""
    try:
        codes(assets, shot.photograph, 2048)
    except BadFile as error:
        return replace(document, backdrop=replace(document.backdrop, kind="colour")), str(error)
    return document, ""


def sees_photograph(document: Document, camera: Camera) -> bool:
    """Whether a view stands and looks as the photograph's camera does."""
    shot = photographed(document)
    own = document.cameras.get(shot.camera) if shot is not None else None
    if own is None or own.projection == "panorama" or camera.projection != own.projection:
        return False
    return (own.position, own.target, own.roll, own.focal_length_mm) == (camera.position, camera.target, camera.roll, camera.focal_length_mm)


def laid_out(document: Document, shot: Shot) -> Laid:
    """Where the photograph of a shot lies before that shot's camera."""
    photo, own = shot.photograph, document.cameras[shot.camera]
    assert photo is not None
    tan_w = half_width(own)
    tan_h = tan_w * photo.height / photo.width
    return Laid(tan_w, tan_h, 2 * own.shift_x, 2 * own.shift_y * (shot.height / shot.width) / (photo.height / photo.width))


def straightened(values: np.ndarray, laid: Laid, bend: float) -> np.ndarray:
    """A picture (h, w, 3) as a lens that does not bend would have taken it; beyond its edges they go on."""
    from scipy.ndimage import map_coordinates

    if bend == 0.0:
        return values
    h, w = values.shape[:2]
    x = ((2 * (np.arange(w) + 0.5) / w - 1) + laid.shift_x) * laid.tan_w
    y = ((1 - 2 * (np.arange(h) + 0.5) / h) + laid.shift_y) * laid.tan_h
    gx, gy = np.meshgrid(x, y)
    gx, gy = bent(gx, gy, bend)
    places = [((1 - (gy / laid.tan_h - laid.shift_y)) / 2) * h - 0.5, ((gx / laid.tan_w - laid.shift_x + 1) / 2) * w - 0.5]
    made = [map_coordinates(values[..., c].astype(np.float32), places, order=1, mode="nearest") for c in range(3)]
    return np.stack(made, -1).astype(values.dtype)


def fresh_frame(photo: Photograph, pixels: int) -> tuple[int, int]:
    """Width and height of a frame in a photograph's shape with about so many pixels, and never more than the photograph itself."""
    f = min(1.0, math.sqrt(pixels / (photo.width * photo.height)))
    return max(1, round(photo.width * f)), max(1, round(photo.height * f))
