"""Grey patch: something in a photograph that is known to be grey tells how bright the scene has to be shown, and which light is white in it."""

import math

import numpy as np
from msgspec.structs import replace

from aulmo.document.records import Camera
from aulmo.errors import BadValue
from aulmo.frame.exposure import ev100, gains_of, white_of
from aulmo.surface.colour import LUMINANCE


def tone_of(light: np.ndarray, box: tuple[float, float, float, float], size: tuple[int, int]) -> np.ndarray:
    """(3,) median of the light (h, w, 3) of a picture within a rectangle that is given in pixels of a picture of `size`.

    Raises BadValue for a rectangle that holds nothing, or is black or burnt out.
    """
    h, w = light.shape[:2]
    left, right = sorted((box[0] / size[0] * w, box[2] / size[0] * w))
    top, bottom = sorted((box[1] / size[1] * h, box[3] / size[1] * h))
    x0, x1 = max(0, math.floor(left)), min(w, max(math.ceil(right), math.floor(left) + 1))
    y0, y1 = max(0, math.floor(top)), min(h, max(math.ceil(bottom), math.floor(top) + 1))
    if x1 <= x0 or y1 <= y0:
        raise BadValue("The patch lies beside the photograph.")
    tone = np.median(light[y0:y1, x0:x1].reshape(-1, 3), axis=0).astype(float)
    if float(LUMINANCE @ tone) < 1e-4:
        raise BadValue("The patch is black; drag over something grey that is lit.")
    return tone


def matched(camera: Camera, wanted: np.ndarray, given: np.ndarray) -> Camera:
    """A camera whose exposure and white show light `given` (3,) nits as `wanted` (3,), shares of display white; both ACEScg.

    Raises BadValue when there is no light.
    """
    if not float(LUMINANCE @ given) > 1e-9:
        raise BadValue("No light of the scene falls on the patch; light it first.")
    ratio = np.maximum(wanted, 1e-6) / np.maximum(given, 1e-9)
    kelvin, tint = white_of(1.0 / ratio)
    gains = gains_of(kelvin, tint)
    # 1.2 * 2^EV100 nits are white: so many more stops bring the luminance there
    shown = float(LUMINANCE @ (given * gains)) / (1.2 * 2.0 ** ev100(camera))
    stops = camera.exposure_stops + math.log2(float(LUMINANCE @ wanted) / shown)
    return replace(camera, exposure_stops=round(stops, 4), kelvin=round(kelvin, 1), tint=round(tint, 3))
