"""The film: sums of samples per pixel, and what they amount to."""

import math

import numpy as np

from aulmo.trace.compile import arrays as a
from aulmo.surface.colour import LUMINANCE
from aulmo.trace.compile.entry import entry
from aulmo.trace.compile.jit import kernel
from aulmo.trace.lamp.dome import luminance

FLOOR, TOP = 0.05, 4.0  # of white: between these noise is told against a pixel's brightness


def new_film(width: int, height: int, planes: int = a.PLANES) -> np.ndarray:
    """An empty film, (height, width, planes) float32."""
    return np.zeros((height, width, planes), np.float32)


@entry
def develop(film, rgb, alpha, albedo, normal):
    """Means of the sums: light in nits with caught shadow laid over the backdrop, coverage, and the denoiser's guides."""
    for row in range(film.shape[0]):
        for column in range(film.shape[1]):
            n = film[row, column, a.PLANE_COUNT]
            if n <= 0.0:
                continue
            inverse = 1.0 / n
            for c in range(3):
                kept = 1.0
                if film[row, column, a.PLANE_UNSHADOWED + c] > 0.0:
                    kept = min(1.0, film[row, column, a.PLANE_LIT + c] / film[row, column, a.PLANE_UNSHADOWED + c])
                rgb[row, column, c] = (film[row, column, c] + film[row, column, a.PLANE_CATCH + c] * kept) * inverse
                albedo[row, column, c] = film[row, column, a.PLANE_ALBEDO + c] * inverse
                normal[row, column, c] = film[row, column, a.PLANE_NORMAL + c] * inverse
            alpha[row, column] = film[row, column, a.PLANE_ALPHA] * inverse


@entry
def shadow_alpha(film, alpha):
    """Coverage when nothing stands behind: the caught shadow becomes opacity."""
    u, v = a.PLANE_UNSHADOWED, a.PLANE_LIT
    for row in range(film.shape[0]):
        for column in range(film.shape[1]):
            whole = luminance(film[row, column, u], film[row, column, u + 1], film[row, column, u + 2])
            if whole > 0.0:
                kept = min(1.0, luminance(film[row, column, v], film[row, column, v + 1], film[row, column, v + 2]) / whole)
                share = film[row, column, a.PLANE_CAUGHT] / max(1.0, film[row, column, a.PLANE_COUNT])
                alpha[row, column] = min(1.0, alpha[row, column] + share * (1.0 - kept))


def photo_share(film: np.ndarray) -> np.ndarray:
    """(h, w, 3) float32 how much of a photograph behind shows at each pixel, by colour: all where nothing stands, less where a shadow is caught."""
    n = np.maximum(1.0, film[..., a.PLANE_COUNT])
    caught = film[..., a.PLANE_CAUGHT] / n
    free = np.maximum(0.0, 1.0 - film[..., a.PLANE_ALPHA] / n - caught)
    lit, whole = film[..., a.PLANE_LIT : a.PLANE_LIT + 3], film[..., a.PLANE_UNSHADOWED : a.PLANE_UNSHADOWED + 3]
    kept = np.where(whole > 0, np.minimum(1.0, lit / np.maximum(1e-30, whole)), 1.0)
    return (free[..., None] + caught[..., None] * kept).astype(np.float32)


def moments(film: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """(h, w) number of samples, at least 1, and mean and variance of one sample's luminance."""
    n = np.maximum(1.0, film[..., a.PLANE_COUNT].astype(float))
    mean = film[..., a.PLANE_RGB : a.PLANE_RGB + 3].astype(float) @ LUMINANCE / n
    return n, mean, np.maximum(0.0, film[..., a.PLANE_SQUARE] / n - mean * mean) * n / np.maximum(1.0, n - 1)


@kernel
def caught_spread(film, row, column, white):
    """Variance of one sample's caught shadow, as if each were all or nothing: by the light that lies behind, or a middling tone of a photograph."""
    caught = film[row, column, a.PLANE_CAUGHT] / film[row, column, a.PLANE_COUNT]
    u, v, c = a.PLANE_UNSHADOWED, a.PLANE_LIT, a.PLANE_CATCH
    whole = luminance(film[row, column, u], film[row, column, u + 1], film[row, column, u + 2])
    if caught <= 0.0 or whole <= 0.0:
        return 0.0
    kept = min(1.0, luminance(film[row, column, v], film[row, column, v + 1], film[row, column, v + 2]) / whole)
    behind = luminance(film[row, column, c], film[row, column, c + 1], film[row, column, c + 2]) / film[row, column, a.PLANE_COUNT]
    light = behind if behind > 0.0 else 0.3 * white * caught
    return light * light * kept * (1.0 - kept)


@entry
def tile_noise(film, x0, y0, x1, y1, white):
    """Mean relative standard error of a tile's pixels, against their brightness with a floor at a twentieth of white."""
    total = 0.0
    count = 0
    for row in range(y0, y1):
        for column in range(x0, x1):
            n = film[row, column, a.PLANE_COUNT]
            if n < 2.0:
                return 1e9
            mean = (0.2722287 * film[row, column, 0] + 0.6740818 * film[row, column, 1] + 0.0536895 * film[row, column, 2]) / n
            square = film[row, column, a.PLANE_SQUARE] / n
            spread = max(0.0, square - mean * mean) / (n - 1.0) + caught_spread(film, row, column, white) / (n - 1.0)
            total += math.sqrt(spread) / (min(mean, TOP * white) + FLOOR * white)
            count += 1
    return total / max(1, count)
