"""The photograph laid under a finished picture: its own colours, untouched, where nothing of the scene stands before it.

Light and photograph are mixed as light, and what the view makes of the photograph's light is then exchanged for the photograph itself: where
nothing stands, and no shadow falls, its codes come out as they went in.
"""

import functools
from typing import NamedTuple, Sequence

import numpy as np

from aulmo.document.lens import half_width
from aulmo.document.assets import AssetStore
from aulmo.document.records import Camera, Document, Photograph, Shot
from aulmo.frame.photograph import codes, laid_out, photographed, sees_photograph, straightened
from aulmo.surface.colour import SRGB_TO_ACESCG, decode_srgb
from aulmo.trace.view import CRISP, crisped, show, show_film_back

KERNEL_WIDTH = 1600  # what glass and the draft see of a photograph
WORKING_WIDTH = 2048  # what the window is drawn from
BRIGHTEST = 4.0  # of white: what a photograph's white is taken for as light
FINER = 4  # steps within a pixel, each way, by which the edge of a polygon is found
AROUND = 0.33  # display value of what lies beside the photograph in the window


class Plate(NamedTuple):
    """A photograph in a frame of pixels: display values 0..1, and the light in shares of white whose picture they are; both (h, w, 3) float32."""

    codes: np.ndarray
    light: np.ndarray

    def cut(self, x0: int, y0: int, x1: int, y1: int) -> "Plate":
        """A part of it, in pixels."""
        return Plate(np.ascontiguousarray(self.codes[y0:y1, x0:x1]), np.ascontiguousarray(self.light[y0:y1, x0:x1]))


def light_of(values: np.ndarray, view: str) -> np.ndarray:
    """(…, 3) float32 ACEScg light in shares of white that a view shows as display values (…, 3), no brighter than `BRIGHTEST`."""
    if view == "Film":
        return np.clip(show_film_back(values), 0, BRIGHTEST)
    linear = _decoded(values)
    if view in ("Product neutral", "Crisp"):
        linear = neutral_back(linear)
    if view == "Crisp":
        linear = np.minimum(crisped(linear, 1.0 / CRISP), BRIGHTEST)
    return np.maximum(linear @ SRGB_TO_ACESCG.T.astype(np.float32), 0.0)


def _decoded(values: np.ndarray) -> np.ndarray:
    if values.dtype == np.uint8:
        return _table()[values]
    return decode_srgb(values).astype(np.float32)


@functools.cache
def _table() -> np.ndarray:
    return decode_srgb(np.arange(256) / 255).astype(np.float32)


def neutral_back(rgb: np.ndarray) -> np.ndarray:
    """Linear sRGB that the neutral view (`view.neutral`) shows as linear sRGB (…, 3): its inverse, with white at `BRIGHTEST`."""
    out = np.maximum(rgb, 0.0).astype(np.float32)
    start, d = 0.8 - 0.04, 1.0 - (0.8 - 0.04)
    most = 1.0 - d * d / (BRIGHTEST + d - start)
    peak = out.max(-1, keepdims=True)
    bright = peak > start
    new_peak = np.minimum(peak, most)
    was = d * d / np.maximum(1e-6, 1.0 - new_peak) - d + start
    # the highlight's colour is mixed with its peak by k, which depends on both peaks alone
    k = 1.0 - 1.0 / (0.15 * (was - new_peak) + 1.0)
    pure = np.clip((out * (new_peak / np.maximum(peak, 1e-6)) - k * new_peak) / (1.0 - k), 0.0, None)
    out = np.where(bright, pure * (was / np.maximum(new_peak, 1e-6)), out)
    least = out.min(-1, keepdims=True)
    # the toe: x - (x - 6.25 x^2) = 6.25 x^2 below 0.08, x - 0.04 above
    x = np.where(least < 0.04, np.sqrt(np.maximum(least, 0.0) / 6.25), least + 0.04)
    return (out + (x - least)).astype(np.float32)


class PlateBook:
    """Plates that were made last, kept while the photograph and its place in the frame are the same."""

    def __init__(self, assets: AssetStore) -> None:
        self.assets = assets
        self._kept: dict[tuple, Plate] = {}
        self._photo: tuple[tuple, np.ndarray] | None = None

    def plate(self, document: Document, camera: Camera, width: int, height: int, final: bool = False) -> Plate | None:
        """The photograph behind a view in a frame of pixels; None without one. Final ones are whole and from the file's own pixels."""
        shot = photographed(document)
        if shot is None or not sees_photograph(document, camera):
            return None
        photo = shot.photograph
        assert photo is not None
        laid = laid_out(document, shot)
        lens = (camera.sensor_mm, camera.span_mm, camera.shift_x, camera.shift_y, camera.bend)
        key = (*_looks(photo, final), laid, shot.view, lens, width, height, final)
        if key not in self._kept:
            while len(self._kept) >= 8:
                self._kept.pop(next(iter(self._kept)))
            self._kept[key] = self._made(document, shot, photo, camera, width, height, final)
        return self._kept[key]

    def photo(self, document: Document) -> np.ndarray:
        """(h, w, 3) float32 light of the photograph in shares of white, as kernels look it up; (0, 0, 3) without one."""
        shot = photographed(document)
        if shot is None or shot.photograph is None:
            return _NOTHING
        key = (*_looks(shot.photograph, False), laid_out(document, shot), shot.view)
        if self._photo is None or self._photo[0] != key:
            values = _shown(self.assets, document, shot, KERNEL_WIDTH)
            self._photo = (key, np.ascontiguousarray(light_of(_worked(values, shot.photograph, shot.view, False), shot.view)))
        return self._photo[1]

    def _made(self, document: Document, shot: Shot, photo: Photograph, camera: Camera, width: int, height: int, final: bool) -> Plate:
        laid = laid_out(document, shot)
        tan_w = half_width(camera)
        tan_h = tan_w * height / width
        # pixels of the frame where the photograph's sides fall
        left = ((-1 + laid.shift_x) * laid.tan_w / tan_w - 2 * camera.shift_x + 1) * width / 2
        right = ((1 + laid.shift_x) * laid.tan_w / tan_w - 2 * camera.shift_x + 1) * width / 2
        top = (1 - ((1 + laid.shift_y) * laid.tan_h / tan_h - 2 * camera.shift_y)) * height / 2
        bottom = (1 - ((-1 + laid.shift_y) * laid.tan_h / tan_h - 2 * camera.shift_y)) * height / 2
        values = _shown(self.assets, document, shot, None if final else WORKING_WIDTH)
        shown = _placed(values, left, top, right, bottom, width, height)
        shown = _worked(shown, photo, shot.view, final)
        return Plate(shown, light_of(shown, shot.view))


_NOTHING = np.zeros((0, 0, 3), np.float32)


def _looks(photo: Photograph, final: bool) -> tuple:
    return (photo.image, photo.stops, 1.0 if final else photo.strength, photo.straight, photo.bend if photo.straight else 0.0)


def _shown(assets: AssetStore, document: Document, shot: Shot, widest: int | None) -> np.ndarray:
    photo = shot.photograph
    assert photo is not None
    values = codes(assets, photo) if widest is None else codes(assets, photo, widest)
    return straightened(values, laid_out(document, shot), photo.bend) if photo.straight else values


def _worked(values: np.ndarray, photo: Photograph, view: str, final: bool) -> np.ndarray:
    """Display values with the photograph's brightness, and while working as faint as wanted."""
    shown = values.astype(np.float32) / 255 if values.dtype == np.uint8 else values
    if photo.stops != 0.0:
        shown = show(np.ascontiguousarray(light_of(shown, view) * np.float32(2.0**photo.stops)), 1.0, view)
    if not final and photo.strength < 1.0:
        shown = np.float32(photo.strength) * shown + np.float32((1 - photo.strength) * AROUND)
    return shown


def _placed(values: np.ndarray, left: float, top: float, right: float, bottom: float, width: int, height: int) -> np.ndarray:
    """(height, width, 3) float32 or uint8 of a picture whose sides fall at places of a frame, in pixels; grey beside it."""
    from PIL import Image

    h, w = values.shape[:2]
    x0, x1 = max(0, round(left)), min(width, round(right))
    y0, y1 = max(0, round(top)), min(height, round(bottom))
    eight = values.dtype == np.uint8
    out = np.full((height, width, 3), np.uint8(round(AROUND * 255)) if eight else AROUND, values.dtype)
    if x1 <= x0 or y1 <= y0:
        return out
    across, down = w / (right - left), h / (bottom - top)
    box = (max(0.0, (x0 - left) * across), max(0.0, (y0 - top) * down), min(w, (x1 - left) * across), min(h, (y1 - top) * down))
    if (x1 - x0, y1 - y0) == (w, h) and np.allclose(box, (0, 0, w, h), atol=0.02):
        out[y0:y1, x0:x1] = values
        return out
    size, filter_ = (x1 - x0, y1 - y0), Image.Resampling.BICUBIC
    if eight:
        out[y0:y1, x0:x1] = np.asarray(Image.fromarray(values).resize(size, filter_, box=box))
    else:
        for c in range(3):
            out[y0:y1, x0:x1, c] = np.clip(np.asarray(Image.fromarray(values[..., c]).resize(size, filter_, box=box)), 0, 1)
    return out


def cut_out(photo: Photograph, plate_of: Document, shot: Shot, camera: Camera, width: int, height: int) -> np.ndarray | None:
    """(height, width) float32 share of each pixel that things of the photograph hide which stand before the product; None without any."""
    if not photo.cutouts:
        return None
    laid = laid_out(plate_of, shot)
    tan_w = half_width(camera)
    tan_h = tan_w * height / width
    found: list[list[tuple[float, float]]] = []
    for one in photo.cutouts:
        if len(one.points) < 3:
            continue
        points = np.array(one.points, float)
        x = (2 * points[:, 0] / photo.width - 1 + laid.shift_x) * laid.tan_w / tan_w - 2 * camera.shift_x
        y = (1 - 2 * points[:, 1] / photo.height + laid.shift_y) * laid.tan_h / tan_h - 2 * camera.shift_y
        found.append([((a + 1) * width / 2, (1 - b) * height / 2) for a, b in zip(x, y)])
    return covered(found, width, height)


def covered(polygons: Sequence[Sequence[tuple[float, float]]], width: int, height: int) -> np.ndarray:
    """(height, width) float32 share of each pixel that polygons cover together, by corners in pixels from the upper left."""
    from PIL import Image, ImageDraw

    picture = Image.new("L", (width * FINER, height * FINER), 0)
    draw = ImageDraw.Draw(picture)
    for points in polygons:
        draw.polygon([(x * FINER, y * FINER) for x, y in points], fill=255)
    return np.asarray(picture, np.float32).reshape(height, FINER, width, FINER).mean((1, 3)) / 255


class Under(NamedTuple):
    """A plate beneath a picture, and how much of it shows at each pixel, by colour: (h, w, 3) float32."""

    plate: Plate
    share: np.ndarray


def mixed(rgb: np.ndarray, under: Under, white: float) -> np.ndarray:
    """(h, w, 3) nits of a picture with the photograph's light beneath."""
    return rgb + under.share * (under.plate.light * np.float32(white))


def shown_with(rgb: np.ndarray, under: Under | None, white: float, view: str, exact: bool = False) -> np.ndarray:
    """Display values 0..1 of light (h, w, 3) in nits over a photograph: `view.show`, with the photograph's own colours where it shows."""
    display = show(rgb, white, view, exact)
    if under is None:
        return display
    own = show(np.ascontiguousarray(under.plate.light), 1.0, view, exact)
    return np.clip(display + np.clip(under.share, 0, 1) * (under.plate.codes - own), 0, 1).astype(np.float32)
