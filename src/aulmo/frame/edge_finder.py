"""Finding strong edges near where the hand draws a line: ends stick to them, and how an edge bows is measured along it."""

import numpy as np

from aulmo.document.records import Pair

REACH = 7  # pixels to both sides
LEAST = 0.02  # of the way from black to white over a pixel: what is weaker is no edge


def _grey(codes: np.ndarray) -> np.ndarray:
    values = codes.astype(np.float32) / 255 if codes.dtype == np.uint8 else codes
    return values @ np.array([0.2126, 0.7152, 0.0722], np.float32)


def _across(grey: np.ndarray, at: np.ndarray, normal: np.ndarray, along: np.ndarray, reach: int) -> tuple[float, float]:
    """Where, in pixels across a line at a point, the picture changes most, and how much: the parabola's top about the strongest change, over a few
    pixels along the line."""
    from scipy.ndimage import map_coordinates

    steps = np.arange(-reach - 1, reach + 2)
    places = at + normal * steps[:, None, None] + along * np.arange(-3, 4)[None, :, None]
    profile = map_coordinates(grey, [places[..., 1] - 0.5, places[..., 0] - 0.5], order=1, mode="nearest").mean(1)
    change = np.abs(profile[2:] - profile[:-2]) / 2
    change *= np.exp(-0.5 * (steps[1:-1] / (0.6 * reach)) ** 2)  # what is near is meant
    k = int(change.argmax())
    shift = 0.0
    if 0 < k < len(change) - 1:
        a, b, c = change[k - 1], change[k], change[k + 1]
        shift = 0.5 * (a - c) / min(-1e-9, a - 2 * b + c)
    return float(steps[1:-1][k] + np.clip(shift, -0.5, 0.5)), float(change[k])


def stuck(codes: np.ndarray, start: Pair, end: Pair, reach: int = REACH) -> tuple[Pair, Pair]:
    """The ends of a line moved across it onto the strong edge that runs along it, as a line through what is found at nine places; as they are where
    there is none.

    codes : (h, w, 3) of the picture the pixels are of.
    """
    found = _found(codes, np.array(start, float), np.array(end, float), np.linspace(0.04, 0.96, 9), reach)
    if found is None or (found[1] > LEAST).sum() < 5:
        return start, end
    at, strong = np.linspace(0.04, 0.96, 9), found[1] > LEAST
    shifts = found[0]
    for _ in range(3):  # what lies off the line through the others is another edge
        slope, offset = np.polyfit(at[strong], shifts[strong], 1)
        off = np.abs(shifts - (slope * at + offset))
        nearer = strong & (off < max(0.75, 2.5 * float(np.median(off[strong]))))
        if nearer.sum() < 5 or nearer.sum() == strong.sum():
            break
        strong = nearer
    one, other = np.array(start, float), np.array(end, float)
    normal = _normal(one, other)
    a, b = one + normal * offset, other + normal * (offset + slope)
    return (float(a[0]), float(a[1])), (float(b[0]), float(b[1]))


def followed(codes: np.ndarray, start: Pair, end: Pair, count: int = 7, reach: int = REACH) -> tuple[Pair, ...]:
    """Points along the edge that a line lies on, its ends among them, so that a lens's bend can be told from how it bows; the ends alone where there
    is no edge."""
    one, other = np.array(start, float), np.array(end, float)
    at = np.linspace(0.0, 1.0, count)
    found = _found(codes, one, other, np.clip(at, 0.03, 0.97), reach)
    if found is None or (found[1] > LEAST).sum() < count - 1:
        return start, end
    normal = _normal(one, other)
    points = one + (other - one) * at[:, None] + normal * found[0][:, None]
    return tuple((float(x), float(y)) for x, y in points[found[1] > LEAST])


def _normal(one: np.ndarray, other: np.ndarray) -> np.ndarray:
    way = (other - one) / max(1e-9, float(np.linalg.norm(other - one)))
    return np.array([-way[1], way[0]])


def _found(codes: np.ndarray, one: np.ndarray, other: np.ndarray, at: np.ndarray, reach: int) -> tuple[np.ndarray, np.ndarray] | None:
    length = float(np.linalg.norm(other - one))
    if length < 12:
        return None
    margin = reach + 6
    low = np.floor(np.minimum(one, other)).astype(int) - margin
    high = np.ceil(np.maximum(one, other)).astype(int) + margin
    h, w = codes.shape[:2]
    x0, y0, x1, y1 = max(0, low[0]), max(0, low[1]), min(w, high[0]), min(h, high[1])
    if x1 - x0 < 4 or y1 - y0 < 4:
        return None
    grey = _grey(codes[y0:y1, x0:x1])
    corner = np.array([x0, y0], float)
    along, normal = (other - one) / length, _normal(one, other)
    pairs = [_across(grey, one + (other - one) * s - corner, normal, along, reach) for s in at]
    return np.array([p[0] for p in pairs]), np.array([p[1] for p in pairs])
