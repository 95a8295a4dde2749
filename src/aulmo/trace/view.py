"""From scene light to what a screen shows: exposure, tone and sRGB encoding.

"Product neutral" is Khronos PBR Neutral (published formula), "Film" is ACES 2.0 through OpenColorIO, "Plain" is sRGB cut off at
white, "Crisp" is the neutral view of light whose stops from middle grey were taken by a factor: more contrast.
The live picture takes ACES from a baked table; finals take it exactly.
"""

import functools
import math

import numpy as np

from aulmo.errors import BadValue
from aulmo.surface.colour import ACESCG_TO_SRGB, SRGB_KNEE_LINEAR
from aulmo.trace.compile.entry import entry
from aulmo.trace.compile.jit import kernel

VIEWS = ("Product neutral", "Film", "Plain", "Crisp")
CRISP, GREY = 1.28, 0.18  # the slope of the view "Crisp" in stops, and the tone that it leaves as it is
_TO_SRGB = np.ascontiguousarray(ACESCG_TO_SRGB)
_LUT_SIZE = 48
FILM_LIFT = 1.6  # ACES puts diffuse white well below display white; two thirds of a stop more keeps a grey card where it was
_LUT_LOW, _LUT_HIGH = -10.0, 7.0  # stops about white


@kernel
def neutral(r, g, b):
    """Khronos PBR Neutral tone mapping of linear sRGB."""
    x = min(r, g, b)
    offset = x - 6.25 * x * x if x < 0.08 else 0.04
    r, g, b = r - offset, g - offset, b - offset
    peak = max(r, g, b)
    start = 0.8 - 0.04
    if peak < start:
        return r, g, b
    d = 1.0 - start
    new_peak = 1.0 - d * d / (peak + d - start)
    f = new_peak / peak
    r, g, b = r * f, g * f, b * f
    k = 1.0 - 1.0 / (0.15 * (peak - new_peak) + 1.0)
    return r + (new_peak - r) * k, g + (new_peak - g) * k, b + (new_peak - b) * k


@kernel
def encode(value):
    """sRGB transfer curve, clipped to 0..1."""
    if value <= 0.0:
        return 0.0
    if value >= 1.0:
        return 1.0
    if value <= SRGB_KNEE_LINEAR:
        return value * 12.92
    return 1.055 * value ** (1.0 / 2.4) - 0.055


@entry
def _show(rgb, scale, matrix, toned, out):
    for row in range(rgb.shape[0]):
        for column in range(rgb.shape[1]):
            r, g, b = max(0.0, rgb[row, column, 0] * scale), max(0.0, rgb[row, column, 1] * scale), max(0.0, rgb[row, column, 2] * scale)
            sr = max(0.0, matrix[0, 0] * r + matrix[0, 1] * g + matrix[0, 2] * b)
            sg = max(0.0, matrix[1, 0] * r + matrix[1, 1] * g + matrix[1, 2] * b)
            sb = max(0.0, matrix[2, 0] * r + matrix[2, 1] * g + matrix[2, 2] * b)
            if toned:
                sr, sg, sb = neutral(sr, sg, sb)
            out[row, column, 0], out[row, column, 1], out[row, column, 2] = encode(sr), encode(sg), encode(sb)


@entry
def _show_table(rgb, scale, table, out):
    n = table.shape[0]
    for row in range(rgb.shape[0]):
        for column in range(rgb.shape[1]):
            cell = np.zeros(3, np.int64)
            part = np.zeros(3)
            for c in range(3):
                v = (math.log2(max(1e-9, rgb[row, column, c] * scale)) - _LUT_LOW) / (_LUT_HIGH - _LUT_LOW) * (n - 1)
                v = min(n - 1.000001, max(0.0, v))
                cell[c] = int(v)
                part[c] = v - cell[c]
            for c in range(3):
                total = 0.0
                for k in range(8):
                    i, j, m = k & 1, (k >> 1) & 1, k >> 2
                    weight = (part[0] if i else 1 - part[0]) * (part[1] if j else 1 - part[1]) * (part[2] if m else 1 - part[2])
                    total += weight * table[cell[0] + i, cell[1] + j, cell[2] + m, c]
                out[row, column, c] = total


@functools.cache
def _aces_names():
    """OpenColorIO's configuration, and its names of an sRGB display and of ACES 2.0, SDR."""
    import PyOpenColorIO as ocio

    config = ocio.Config.CreateFromBuiltinConfig(
        next(n for n, *_ in reversed(list(ocio.BuiltinConfigRegistry().getBuiltinConfigs())) if "cg-config" in n)
    )
    display = next(d for d in config.getDisplays() if "sRGB" in d)
    view = next(v for v in config.getViews(display) if "ACES 2.0 - SDR" in v)
    return config, display, view


@functools.cache
def _aces():
    """OpenColorIO's processor from ACEScg to an sRGB display with ACES 2.0, SDR."""
    import PyOpenColorIO as ocio

    config, display, view = _aces_names()
    return config.getProcessor("ACEScg", display, view, ocio.TRANSFORM_DIR_FORWARD).getDefaultCPUProcessor()


@functools.cache
def _aces_back():
    """The same the other way."""
    import PyOpenColorIO as ocio

    config, display, view = _aces_names()
    return config.getProcessor("ACEScg", display, view, ocio.TRANSFORM_DIR_INVERSE).getDefaultCPUProcessor()


def show_film_back(display: np.ndarray) -> np.ndarray:
    """(…, 3) float32 light in shares of white that the view "Film" shows as display values."""
    out = np.ascontiguousarray(display, np.float32).copy()
    _aces_back().applyRGB(out.reshape(-1, 3))
    return out / np.float32(FILM_LIFT)


@functools.cache
def _aces_table() -> np.ndarray:
    steps = 2.0 ** np.linspace(_LUT_LOW, _LUT_HIGH, _LUT_SIZE)
    grid = np.stack(np.meshgrid(steps, steps, steps, indexing="ij"), -1).astype(np.float32)
    flat = np.ascontiguousarray(grid.reshape(-1, 3))
    _aces().applyRGB(flat)
    return np.clip(flat.reshape(grid.shape), 0, 1)


def crisped(linear: np.ndarray, slope: float) -> np.ndarray:
    """(…, 3) float32 linear light in shares of white, its distance in stops from middle grey taken by a factor."""
    return np.ascontiguousarray(np.float32(GREY) * (np.maximum(linear, 0) / np.float32(GREY)) ** np.float32(slope), np.float32)


def show(rgb: np.ndarray, white: float, view: str, exact: bool = False) -> np.ndarray:
    """Display values 0..1, (h, w, 3) float32, of ACEScg light in nits where `white` nits is display white.

    Raises BadValue for an unknown view.
    """
    if view not in VIEWS:
        raise BadValue(f"There is no view named {view}; there are {', '.join(VIEWS)}.")
    out = np.empty(rgb.shape, np.float32)
    if view == "Film":
        scale = FILM_LIFT / white
        if exact:
            out = np.ascontiguousarray(np.maximum(rgb, 0) * scale, np.float32)
            _aces().applyRGB(out)
            return np.clip(out, 0, 1)
        _show_table(rgb, scale, _aces_table(), out)
        return out
    if view == "Crisp":
        linear = np.maximum(np.maximum(rgb, 0) @ _TO_SRGB.T.astype(np.float32) / np.float32(white), 0)
        _show(crisped(linear, CRISP), 1.0, np.eye(3), True, out)
        return out
    _show(rgb, 1.0 / white, _TO_SRGB, view == "Product neutral", out)
    return out


@entry
def dither(display, alpha, out):
    """Display values to 8 bits, BGRA in memory, with a fixed ordered dither so that gradients do not band."""
    for row in range(display.shape[0]):
        for column in range(display.shape[1]):
            noise = (52.9829189 * ((0.06711056 * column + 0.00583715 * row) % 1.0)) % 1.0
            for c in range(3):
                out[row, column, 2 - c] = np.uint8(min(255.0, display[row, column, c] * 255.0 + noise))
            out[row, column, 3] = np.uint8(min(255.0, alpha[row, column] * 255.0 + 0.5))
