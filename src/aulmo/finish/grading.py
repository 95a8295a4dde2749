"""Grades: each effect a function of light and numbers to light. Light is linear ACEScg in shares of white, (h, w, 3) float32. Sizes are thousandths
of the picture's width, so that a preview of a third looks as the whole. An effect at its neutral value gives back what it got, to the bit."""


import array
import functools
import io
import os
from concurrent.futures import ThreadPoolExecutor
from typing import Any, Callable, Iterable

import numpy as np

from aulmo.document.apart import apart
from aulmo.document.finish_records import Grade, HueBand
from aulmo.errors import BadValue
from aulmo.finish.filters import gaussian_filter, map_coordinates, uniform_filter
from aulmo.frame.exposure import gains_of
from aulmo.surface.colour import ACESCG_TO_SRGB, LUMINANCE

MIDDLE = 0.18
RINGS = 5  # of a glow, each twice as wide as the one within
STEPS = 4096  # places at which a curve is worked out
LEAST = 1e-6
WEIGHTS = np.asarray(LUMINANCE, np.float32)
# Oklab (Ottosson 2020), from linear sRGB
_LMS = np.array([
    [0.4122214708, 0.5363325363, 0.0514459929], [0.2119034982, 0.6806995451, 0.1073969566], [0.0883024619, 0.2817188376, 0.6299787005],
])  # fmt: skip
_LAB = np.array([
    [0.2104542553, 0.7936177850, -0.0040720468], [1.9779984951, -2.4285922050, 0.4505937099], [0.0259040371, 0.7827717662, -0.8086757660],
])  # fmt: skip
_TO_LMS = (_LMS @ np.asarray(ACESCG_TO_SRGB)).astype(np.float32)
_FROM_LMS = np.linalg.inv(_LMS @ np.asarray(ACESCG_TO_SRGB)).astype(np.float32)
_FROM_LAB = np.linalg.inv(_LAB).astype(np.float32)
MIDDLE_REACH = 2.5  # stops from middle grey at which what lifts the middle has faded
SKIN, SKIN_WIDTH = 55.0, 35.0  # Oklab hue of skin of all kinds, and how far from it is still like it, degrees


def luminance(rgb: np.ndarray) -> np.ndarray:
    """(h, w) of light."""
    return rgb @ WEIGHTS


def to_oklab(rgb: np.ndarray) -> np.ndarray:
    """(..., 3) lightness, a, b of light; what is beyond the eye's colours keeps its sign."""
    return np.cbrt(rgb @ _TO_LMS.T) @ _LAB.astype(np.float32).T


def from_oklab(lab: np.ndarray) -> np.ndarray:
    """Light of (..., 3) lightness, a, b."""
    lms = lab @ _FROM_LAB.T
    return (lms * lms * lms) @ _FROM_LMS.T


def hue_of(lab: np.ndarray) -> np.ndarray:
    """Degrees on Oklab's circle."""
    return np.degrees(np.arctan2(lab[..., 2], lab[..., 1]))


def chroma_of(lab: np.ndarray) -> np.ndarray:
    """How far Oklab colours are from grey."""
    return np.sqrt(lab[..., 1] * lab[..., 1] + lab[..., 2] * lab[..., 2])


def from_hue(hue: np.ndarray, middle: float) -> np.ndarray:
    """Degrees by which hues are off another, the shorter way."""
    return np.abs((hue - middle + 180) % 360 - 180)


def smooth(x: np.ndarray) -> np.ndarray:
    """From 0 at 0 to 1 at 1, level at both ends."""
    x = np.clip(x, 0, 1)
    return x * x * (3 - 2 * x)


def _pixels(rgb: np.ndarray, thousandths: float) -> float:
    """A size in pixels."""
    return thousandths * 1e-3 * rgb.shape[1]


def stops_of(y: np.ndarray) -> np.ndarray:
    """Stops over middle grey."""
    return np.log2(np.maximum(y, LEAST) / MIDDLE)


def _base(stops: np.ndarray, radius: float, edge: float = 0.5) -> np.ndarray:
    """What is left of tones without what is finer than `radius` pixels, edges of more than `edge` stops kept: no halo follows (He, Sun and Tang 2010,
    the guided filter, guided by itself; of a wide one what varies slowly is found in a smaller picture, as He and Sun 2015)."""
    step = max(1, int(radius / 5))
    size = max(3, 2 * int(round(radius / step)) + 1)
    first, second = _smaller(stops, step), _smaller(stops * stops, step)
    mean = uniform_filter(first, size, mode="nearest")
    spread = np.maximum(uniform_filter(second, size, mode="nearest") - mean * mean, 0)
    slope = spread / (spread + edge * edge)
    both = np.stack([uniform_filter(slope, size, mode="nearest"), uniform_filter((1 - slope) * mean, size, mode="nearest")], -1)
    wide = _larger(both, step, (*stops.shape, 2))
    made = wide[..., 0] * stops
    made += wide[..., 1]
    return made


# tones


def exposed(rgb: np.ndarray, stops: float) -> np.ndarray:
    """Brighter by stops: one doubles."""
    return rgb if stops == 0 else rgb * np.float32(2.0**stops)


def white_balanced(rgb: np.ndarray, kelvin: float, tint: float) -> np.ndarray:
    """The light of `kelvin` and `tint` becomes white, at its own brightness (von Kries' adaptation in the camera's way, see `frame.exposure`)."""
    if kelvin == 6500.0 and tint == 0.0:
        return rgb
    return rgb * gains_of(kelvin, tint).astype(np.float32)


def contrasted(rgb: np.ndarray, amount: float, pivot: float) -> np.ndarray:
    """Tones drawn apart about a pivot, in stops; colours keep their ratios."""
    if amount == 0:
        return rgb
    y = np.maximum(luminance(rgb), LEAST)
    return rgb * ((y / pivot) ** np.float32(amount))[..., None]


def toned(rgb: np.ndarray, highlights: float, shadows: float, whites: float, blacks: float, middle: float = 0.0) -> np.ndarray:
    """Bright, middle and dark parts lifted or held back: an amount of 1 is two stops, and half of it where the weight of a tone is half."""
    if highlights == shadows == whites == blacks == middle == 0:
        return rgb
    stops = _base(stops_of(luminance(rgb)), _pixels(rgb, 12.0))
    return rgb * np.exp2(lifted(stops, highlights, shadows, whites, blacks, middle)).astype(np.float32)[..., None]


def lifted(stops: np.ndarray, highlights: float, shadows: float, whites: float, blacks: float, middle: float = 0.0) -> np.ndarray:
    """By how many stops tones are lifted, by their stops over middle grey."""
    change = highlights * smooth(stops / 3.0) + shadows * smooth(-stops / 4.0)
    if middle:
        change = change + middle * (1.0 - smooth(np.abs(stops) / MIDDLE_REACH))
    return 2.0 * (change + whites * smooth((stops - 1.5) / 2.5) + blacks * smooth((-stops - 3.0) / 3.0))


def curved(rgb: np.ndarray, all_: tuple, red: tuple, green: tuple, blue: tuple) -> np.ndarray:
    """Curves over tones as the eye spaces them (the power 1 / 2.4 of light), black at 0 and white at 1."""
    if not (all_ or red or green or blue):
        return rgb
    t = np.abs(rgb) ** np.float32(1 / 2.4)
    np.copysign(t, rgb, out=t)
    for c, own in enumerate((red, green, blue)):
        for points in (own, all_):
            if points:
                t[..., c] = tones_through(tuple(points), t[..., c])
    made = np.abs(t) ** np.float32(2.4)
    return np.copysign(made, t, out=made)


@functools.lru_cache(64)
def _table(points: tuple[tuple[float, float], ...]) -> tuple[np.ndarray, float, float, float]:
    """A curve at so many places from its first point to its last, where these are, and its slope at the last."""
    from scipy.interpolate import PchipInterpolator

    held = {float(x): float(y) for x, y in points}
    held.setdefault(0.0, 0.0)
    held.setdefault(1.0, 1.0)
    x = np.array(sorted(held))
    curve = PchipInterpolator(x, np.array([held[v] for v in x]))
    return curve(np.linspace(x[0], x[-1], STEPS)).astype(np.float32), float(x[0]), float(x[-1]), float(curve.derivative()(x[-1]))


def tones_through(points: tuple[tuple[float, float], ...], t: np.ndarray) -> np.ndarray:
    """Tones through a smooth curve, monotone where its points are; beyond the last it goes on as it came."""
    table, low, high, slope = _table(points)
    place = (np.clip(t, low, high) - np.float32(low)) * np.float32((STEPS - 1) / (high - low))
    first = np.minimum(place.astype(np.int32), STEPS - 2)
    start = table[first]
    made = start + (table[first + 1] - start) * (place - first)
    return np.where(t > high, table[-1] + (t - np.float32(high)) * np.float32(slope), made).astype(np.float32)


# colours


def saturated(rgb: np.ndarray, amount: float, spare: float = 0.0) -> np.ndarray:
    """Further from grey, or nearer to it: -1 is grey. More of it is spared for colours that are strong, and for those of skin, by `spare`."""
    if amount == 0:
        return rgb
    y = luminance(rgb)[..., None]
    share: np.ndarray | float = 1.0
    if amount > 0 and spare > 0:
        lab = to_oklab(rgb)
        chroma = chroma_of(lab) / np.maximum(lab[..., 0], 1e-3)
        away = from_hue(hue_of(lab), SKIN)
        kept = np.maximum(smooth(chroma / 0.35), 0.7 * (1 - smooth(away / SKIN_WIDTH)) * smooth(chroma / 0.04))
        share = (1 - spare * kept)[..., None]
    return (y + (rgb - y) * (1 + amount * share)).astype(np.float32)


def hue_shifted(rgb: np.ndarray, bands: tuple[HueBand, ...]) -> np.ndarray:
    """Only some hues, by bands on Oklab's circle that fade toward their edges; greys have no hue and stay."""
    live = [b for b in bands if b.turn or b.saturation or b.lightness]
    if not live:
        return rgb
    lab = to_oklab(rgb)
    hue, chroma = hue_of(lab), chroma_of(lab)
    turn, more, lighter = np.zeros_like(hue), np.ones_like(hue), np.ones_like(hue)
    coloured = smooth(chroma / 0.02)
    for band in live:
        away = from_hue(hue, band.hue)
        share = smooth(1 - (away - 0.25 * band.width) / max(1e-3, 0.25 * band.width)) * coloured
        turn += share * band.turn
        more *= 1 + share * band.saturation
        lighter *= 1 + share * band.lightness
    angle = np.radians(hue + turn)
    changed = np.stack([lab[..., 0] * lighter, chroma * more * lighter * np.cos(angle), chroma * more * lighter * np.sin(angle)], -1)
    touched = (turn != 0) | (more != 1) | (lighter != 1)
    return np.where(touched[..., None], from_oklab(changed.astype(np.float32)), rgb).astype(np.float32)


def split_toned(rgb: np.ndarray, shade: tuple, light: tuple) -> np.ndarray:
    """Shadows and highlights tinted; how bright they are stays."""
    if tuple(shade) == tuple(light) == (1.0, 1.0, 1.0):
        return rgb
    y = luminance(rgb)
    share = smooth(0.5 + stops_of(y) / 8.0)[..., None]
    tint = np.array(shade, np.float32) * (1 - share) + np.array(light, np.float32) * share
    made = rgb * tint
    return (made * (y / np.maximum(luminance(made), LEAST))[..., None]).astype(np.float32)


# detail


def detailed(rgb: np.ndarray, local: float, fine: float) -> np.ndarray:
    """What stands out from its surroundings, wide (30 thousandths) and fine (3), drawn out or calmed, along edges without halos."""
    if local == fine == 0:
        return rgb
    stops = stops_of(luminance(rgb))
    change = np.zeros_like(stops)
    if local:
        change += local * (stops - _base(stops, _pixels(rgb, 30.0)))
    if fine:
        change += fine * (stops - _base(stops, max(1.0, _pixels(rgb, 3.0)), 0.25))
    return rgb * np.exp2(np.clip(change, -4, 4)).astype(np.float32)[..., None]


def sharpened(rgb: np.ndarray, amount: float, thousandths: float) -> np.ndarray:
    """Edges drawn sharper over a size, in stops, by no more than one (unsharp mask)."""
    if amount == 0:
        return rgb
    stops = stops_of(luminance(rgb))
    change = amount * (stops - gaussian_filter(stops, max(0.3, _pixels(rgb, thousandths)), mode="nearest"))
    return rgb * np.exp2(np.clip(change, -1, 1)).astype(np.float32)[..., None]


def calmed(rgb: np.ndarray, amount: float) -> np.ndarray:
    """Noise taken away: of colours by all, of tones by what is weaker than an edge."""
    if amount == 0:
        return rgb
    y = np.maximum(luminance(rgb), LEAST)
    stops = stops_of(y)
    clean = stops + amount * (_base(stops, max(1.0, _pixels(rgb, 1.5)), 0.2 * amount) - stops)
    ratio = rgb / y[..., None]
    blur = max(0.5, _pixels(rgb, 1.5) * amount)
    ratio = ratio + amount * (np.stack([gaussian_filter(ratio[..., c], blur, mode="nearest") for c in range(3)], -1) - ratio)
    return (ratio * (MIDDLE * np.exp2(clean))[..., None]).astype(np.float32)


# the lens and the film


def glowing(rgb: np.ndarray, amount: float, from_stops: float, thousandths: float) -> np.ndarray:
    """Light that is over white by more than some stops spreads about itself as in a lens: wide, ever fainter rings (a sum of Gaussians, each twice as
    wide and of equal light); what spreads is taken from where it came, so no light is made."""
    if amount == 0:
        return rgb
    threshold = np.float32(2.0**from_stops)
    over = np.maximum(rgb - threshold, 0)
    if not over.any():
        return rgb
    sigma = 0.25 * _pixels(rgb, thousandths)  # of the first ring
    step = max(1, int(sigma / 2))
    levels = [_smaller(_whole_cells(over, step), step)]
    for _ in range(RINGS - 1):
        levels.append(_smaller(_whole_cells(levels[-1], 2), 2))
    # what is between the cells is drawn straight, and the cells are flat: both blur as well, by so much
    cells = max(0.3, float(np.sqrt(max(0.0, (sigma / step) ** 2 - (0.25 if step > 1 else 0.0)))))
    spread = np.zeros((1, 1, 3), np.float32)
    for k in reversed(range(RINGS)):
        soft = gaussian_filter(levels[k], (cells, cells, 0), mode="constant", truncate=3.0)
        spread = soft if k == RINGS - 1 else soft + _larger(spread, 2, soft.shape)
    return (rgb + np.float32(amount) * (_larger(spread, step, rgb.shape) * np.float32(1 / RINGS) - over)).astype(np.float32)


def _whole_cells(light: np.ndarray, step: int) -> np.ndarray:
    """Light with nothing beyond its edge, up to whole cells: no light is made there."""
    h, w = light.shape[:2]
    return light if h % step == w % step == 0 else np.pad(light, ((0, -h % step), (0, -w % step), (0, 0)))


def blurred(plane: np.ndarray, sigma: float) -> np.ndarray:
    """A Gaussian of (h, w), what lies beyond the edge as at the edge; of a wide one the plane is first made smaller, which is not seen."""
    step = int(sigma / 3)
    if step < 2:
        return gaussian_filter(plane, sigma, mode="nearest")
    small = gaussian_filter(_smaller(plane, step), float(np.sqrt((sigma / step) ** 2 - 0.25)), mode="nearest", truncate=3.0)
    return _larger(small, step, plane.shape)


def _smaller(planes: np.ndarray, step: int) -> np.ndarray:
    """The mean of cells of so many pixels each way, of (h, w) or (h, w, n); beyond the edge as at the edge."""
    if step == 1:
        return planes
    h, w = planes.shape[:2]
    padded = np.pad(planes, ((0, -h % step), (0, -w % step), *((0, 0) for _ in planes.shape[2:])), mode="edge")
    cells = padded.reshape(padded.shape[0] // step, step, padded.shape[1] // step, step, *planes.shape[2:])
    return cells.mean((1, 3), dtype=np.float32)


def _larger(planes: np.ndarray, step: int, shape: tuple[int, ...]) -> np.ndarray:
    """Cells drawn out again to a shape, straight between their middles."""
    if step == 1:
        return planes
    rows, columns = ((np.arange(n, dtype=np.float32) + 0.5) / step - 0.5 for n in shape[:2])
    return sampled_along(sampled_along(planes, rows, 0), columns, 1)


def sampled_along(planes: np.ndarray, places: np.ndarray, axis: int) -> np.ndarray:
    """Planes (h, w, ...) at fractional rows (axis 0) or columns (axis 1), evenly between them; beyond the ends as at the ends."""
    places = np.clip(places, 0, planes.shape[axis] - 1)
    first = np.minimum(places.astype(np.intp), max(0, planes.shape[axis] - 2))
    shape = [1] * planes.ndim
    shape[axis] = -1
    share = (places - first).astype(np.float32).reshape(shape)
    low = planes.take(first, axis)
    high = planes.take(np.minimum(first + 1, planes.shape[axis] - 1), axis)
    high -= low
    high *= share
    high += low
    return high


def fringed(rgb: np.ndarray, thousandths: float) -> np.ndarray:
    """Red drawn larger and blue smaller toward the corners."""
    if thousandths == 0:
        return rgb
    return np.stack([_scaled(rgb[..., c], 1 + k * thousandths * 1e-3) for c, k in ((0, -1), (1, 0), (2, 1))], -1).astype(np.float32)


def _scaled(plane: np.ndarray, share: float) -> np.ndarray:
    if share == 1:
        return plane
    rows, columns = ((np.arange(n, dtype=np.float32) - (n - 1) / 2) * np.float32(share) + (n - 1) / 2 for n in plane.shape)
    return sampled_along(sampled_along(plane, rows, 0), columns, 1)


def bent(rgb: np.ndarray, amount: float) -> np.ndarray:
    """A barrel or a cushion: at the distance r from the middle, in half widths, shows what lay at r (1 + amount r^2)."""
    if amount == 0:
        return rgb
    h, w = rgb.shape[:2]
    half = w / 2
    y, x = np.meshgrid((np.arange(h) - (h - 1) / 2) / half, (np.arange(w) - (w - 1) / 2) / half, indexing="ij")
    bow = 1 + amount * (x * x + y * y)
    place = [y * bow * half + (h - 1) / 2, x * bow * half + (w - 1) / 2]
    return np.stack([map_coordinates(rgb[..., c], place, order=1, mode="nearest") for c in range(3)], -1).astype(np.float32)


def vignetted(rgb: np.ndarray, amount: float) -> np.ndarray:
    """Darker toward the corners, below zero brighter: by `amount` stops there, as the fourth power of a lens' cosine falls off."""
    if amount == 0:
        return rgb
    h, w = rgb.shape[:2]
    y, x = ((np.arange(n, dtype=np.float32) + 0.5) * 2 - n for n in (h, w))
    r2 = (x * x + (y * y)[:, None]) / np.float32(w * w + h * h)  # 0 in the middle, 1 in the corners
    return rgb * ((1 + r2) ** np.float32(-amount))[..., None]


def grained(rgb: np.ndarray, amount: float, grain_mm: float, seed: int = 0) -> np.ndarray:
    """Grain of film, of one size on film 36 mm wide whatever the picture's size, strongest in the middle tones; what is smaller than a pixel averages
    out in it."""
    if amount == 0:
        return rgb
    noise = _grains(rgb.shape[0], rgb.shape[1], grain_mm, seed)
    weight = np.exp2(-((stops_of(luminance(rgb)) / 3.0) ** 2))
    return rgb * np.exp2(np.float32(amount) * weight * noise)[..., None]


@functools.lru_cache(2)
def _grains(h: int, w: int, grain_mm: float, seed: int) -> np.ndarray:
    """(h, w) how dense the grains of film are, about 0."""
    columns = min(16384, max(8, round(36.0 / max(grain_mm, 1e-3))))
    rows = max(8, round(columns * h / w))
    if columns * rows > MOST_GRAINS:  # a strip of a picture: larger grains, and no field that fills the memory
        share = (MOST_GRAINS / (columns * rows)) ** 0.5
        columns, rows = max(8, int(columns * share)), max(8, min(MOST_GRAINS // 8, int(rows * share)))
    field = np.random.default_rng(seed).standard_normal((rows, columns), np.float32)
    if columns >= w:  # the mean of the grains in a pixel
        edges_y, edges_x = (np.linspace(0, n, m + 1).astype(int) for n, m in ((rows, h), (columns, w)))
        noise = np.add.reduceat(np.add.reduceat(field, np.minimum(edges_y[:-1], rows - 1), 0), np.minimum(edges_x[:-1], columns - 1), 1)
        noise /= np.maximum(1, np.outer(np.diff(edges_y), np.diff(edges_x)))
    else:
        places = [(np.arange(n, dtype=np.float32) + 0.5) * (m / n) - 0.5 for n, m in ((h, rows), (w, columns))]
        noise = sampled_along(sampled_along(field, places[0], 0), places[1], 1)
    return noise.astype(np.float32)


# display values


MOST_GRAINS = 1 << 26  # of film in a picture
MOST_TABLE = 129  # colours along a side of a table
LARGEST_TABLE = 256 << 20


@apart(seconds=20, gigabytes=3, shown=lambda blob, name="The table": name)
def read_cube(blob: bytes, name: str = "The table") -> np.ndarray:
    """(n, n, n, 3) of a .cube file, by red, green, blue. Raises BadValue with one sentence."""
    size, rows = 0, array.array("f")
    if len(blob) > LARGEST_TABLE:
        raise BadValue(f"{name} is larger than any table of colours that Aulmo reads.")
    for number, line in enumerate(io.StringIO(blob.decode("latin-1")), 1):
        words = line.split("#")[0].split()
        if not words or words[0] in ("TITLE", "DOMAIN_MIN", "DOMAIN_MAX"):
            continue
        if words[0] == "LUT_3D_SIZE":
            size = int(words[1]) if len(words) == 2 and words[1].isdecimal() else 0
            if not 2 <= size <= MOST_TABLE:
                raise BadValue(f"{name} cannot be read: line {number} tells no size between 2 and {MOST_TABLE}.")
            continue
        if words[0][0].isalpha() and words[0].lower() not in ("nan", "inf"):
            raise BadValue(f"{name} cannot be read: line {number} says {words[0][:40]}, which is not a table of colours.")
        try:
            r, g, b = map(float, words)
            if not (abs(r) < 1e9 and abs(g) < 1e9 and abs(b) < 1e9):
                raise ValueError
        except ValueError:
            raise BadValue(f"{name} cannot be read: line {number} holds no colour.") from None
        rows.extend((r, g, b))
        if len(rows) > 3 * (size or MOST_TABLE) ** 3:
            raise BadValue(f"{name} holds more colours than it tells of.")
    if not size or len(rows) != 3 * size**3:
        raise BadValue(f"{name} is cut short: it holds {len(rows) // 3} colours of {size**3}.")
    return np.array(rows, np.float32).reshape(size, size, size, 3).transpose(2, 1, 0, 3)


def looked_up(display: np.ndarray, table: np.ndarray, strength: float = 1.0) -> np.ndarray:
    """Display values 0..1 by a table, evenly between its colours."""
    if strength == 0:
        return display
    place = np.clip(display, 0, 1).reshape(-1, 3).T * (table.shape[0] - 1)
    found = np.stack([map_coordinates(table[..., c], place, order=1, mode="nearest") for c in range(3)], -1).reshape(display.shape)
    return (display + (found - display) * np.float32(strength)).astype(np.float32)


_pool = ThreadPoolExecutor(max(1, os.cpu_count() or 1), thread_name_prefix="grading")
_PIXELS = 1 << 14  # of a band: so much stays near the processor


def in_bands(rgb: np.ndarray, work: Callable[[np.ndarray], np.ndarray]) -> np.ndarray:
    """`work` done to bands of a picture, side by side: what it makes of a pixel must depend on that pixel alone. What `work` leaves alone is given
    back as it is."""
    h, w = rgb.shape[:2]
    rows = max(1, _PIXELS // max(1, w))
    first = work(rgb[:rows])
    if first.base is rgb and first.shape == rgb[:rows].shape:
        return rgb
    out = np.empty(rgb.shape, np.float32)
    out[:rows] = first

    def one(top: int) -> None:
        out[top : top + rows] = work(rgb[top : top + rows])

    list(_pool.map(one, range(rows, h, rows)))
    return out


Step = tuple[Callable[..., np.ndarray], tuple[Any, ...]]


def by_pixel(rgb: np.ndarray, steps: Iterable[Step]) -> np.ndarray:
    """Steps that need no neighbours, one after the other, band by band."""

    def work(band: np.ndarray) -> np.ndarray:
        for step, numbers in steps:
            band = step(band, *numbers)
        return band

    return in_bands(rgb, work)


def before_tones(g: Grade) -> list[Step]:
    """What a grade does by the colour alone before tones are lifted."""
    return [(exposed, (g.exposure,)), (white_balanced, (g.kelvin, g.tint)), (contrasted, (g.contrast, g.pivot))]


def after_tones(g: Grade) -> list[Step]:
    """What a grade does by the colour alone once tones are lifted."""
    return [
        (curved, (g.curve, g.red, g.green, g.blue)), (saturated, (g.saturation, g.spare)), (hue_shifted, (g.hues,)),
        (split_toned, (g.shade, g.light)),
    ]  # fmt: skip


def graded(rgb: np.ndarray, grade: Grade, seed: int = 0) -> np.ndarray:
    """All of a grade that is done to light, in the order of its record."""
    g = grade
    rgb = by_pixel(calmed(rgb, g.calm), before_tones(g))
    rgb = by_pixel(toned(rgb, g.highlights, g.shadows, g.whites, g.blacks, g.middle), after_tones(g))
    rest: list[Step] = [
        (detailed, (g.local_contrast, g.detail)), (sharpened, (g.sharpen, g.sharpen_size)), (glowing, (g.glow, g.glow_from, g.glow_size)),
        (fringed, (g.fringe,)), (bent, (g.bend,)), (vignetted, (g.vignette,)), (grained, (g.grain, g.grain_mm, seed)),
    ]  # fmt: skip
    for step, numbers in rest:
        rgb = step(rgb, *numbers)
    return rgb
