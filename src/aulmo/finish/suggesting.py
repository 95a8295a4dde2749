"""A modest grade toward a reference, found by making statistics of both alike: exposure, white, contrast, tones, saturation; all of it told."""

from typing import NamedTuple, Sequence

import numpy as np
from msgspec.structs import replace

from aulmo.document.finish_records import Grade
from aulmo.document.quantity import show as told
from aulmo.errors import BadValue
from aulmo.finish.grading import graded
from aulmo.finish.measuring import about, oklab_of
from aulmo.finish.planes import resized
from aulmo.trace.view import show

SIDE = 96  # pixels along a side that are compared
QUANTILES = np.linspace(0.03, 0.97, 17)
PATCH = 0.012  # half the side of what is measured about a place, as a share of the picture's width
# the properties that are moved, how far each may go, and what of it is one step of the search
MOVED: dict[str, tuple[float, float, float]] = {
    "exposure": (-4.0, 4.0, 1.0), "warmth": (-250.0, 250.0, 60.0), "tint": (-60.0, 60.0, 15.0), "contrast": (-0.6, 0.8, 0.3),
    "highlights": (-0.8, 0.8, 0.4), "shadows": (-0.8, 0.8, 0.4), "saturation": (-0.9, 1.0, 0.3),
}  # fmt: skip
SET = ("exposure", "kelvin", "tint", "contrast", "highlights", "shadows", "saturation")  # of a grade, by these


class Pair(NamedTuple):
    """A place in the picture and the place in the reference that should look like it, in shares of each from the upper left."""

    here: tuple[float, float]
    there: tuple[float, float]


class Suggested(NamedTuple):
    """A grade, what it moves in words, and how far statistics were and are apart (100 times Oklab's distance)."""

    grade: Grade
    words: str
    before: float
    after: float


def neutral_of(grade: Grade) -> Grade:
    """A grade with what a suggestion moves at rest."""
    fresh = Grade()
    return replace(grade, **{name: getattr(fresh, name) for name in SET})


def _with(grade: Grade, values: np.ndarray) -> Grade:
    """A grade with the values of a search; warmth is in mired from daylight, so that steps look alike."""
    v = dict(zip(MOVED, (float(x) for x in values)))
    kelvin = float(np.clip(1e6 / (1e6 / 6500.0 - v.pop("warmth")), 1500.0, 25000.0)) if v["warmth"] < 1e6 / 6500.0 - 40 else 25000.0
    v.pop("warmth", None)
    return replace(grade, kelvin=kelvin, **v)


def suggested(
    light: np.ndarray, reference: np.ndarray, view: str, grade: Grade = Grade(), mask: np.ndarray | None = None, pairs: Sequence[Pair] = (),
    strength: float = 1.0,
) -> Suggested:  # fmt: skip
    """The grade that brings light (h, w, 3), as a view shows it, nearest to a reference (h', w', 3) of display values 0..1, but for `strength`.

    Of both are compared the spread of lightness, of chroma, and the colour of dark, middle and light parts (Oklab); of the picture only where `mask`
    is, when there is one. With `pairs` the places are compared instead. What else the grade does is kept. Raises BadValue.
    """
    from scipy.optimize import least_squares

    if not 0 <= strength <= 1:
        raise BadValue("The strength of a suggestion goes from 0 to 1.")
    start = neutral_of(grade)
    small = _small(light)
    weight = None if mask is None else _small(mask[..., None].astype(np.float32))[..., 0]
    if weight is not None and weight.sum() < 4:
        raise BadValue("The mask holds too little of the picture to be matched.")
    other = _small(np.clip(reference[..., :3], 0, 1).astype(np.float32))
    if pairs:
        whole = np.clip(reference[..., :3], 0, 1).astype(np.float32)
        small, other = _patches(light, [p.here for p in pairs]), _patches(whole, [p.there for p in pairs])
        weight = None
    wanted = oklab_of(other).reshape(-1, 3) if pairs else _statistics(oklab_of(other), None)

    def found(values: np.ndarray) -> np.ndarray:
        lab = oklab_of(show(np.ascontiguousarray(graded(small, _with(start, values))), 1.0, view))
        return lab.reshape(-1, 3) if pairs else _statistics(lab, weight)

    scale = np.array([s for _, _, s in MOVED.values()])
    low, high = (np.array([v[k] for v in MOVED.values()]) / scale for k in (0, 1))
    # of few places little can be known: tones are left alone, and all is kept near to nothing
    modest = np.full(len(MOVED), 0.004 if not pairs else 0.02)
    if pairs and len(pairs) < 4:
        modest[[3, 4, 5]] = 1.0

    def off(steps: np.ndarray) -> np.ndarray:
        return np.concatenate([(found((steps - 1) * scale) - wanted).ravel(), modest * (steps - 1)])

    first = np.ones(len(MOVED))  # nothing is moved at one, so that the search's steps, which are shares, are no zeros
    best = least_squares(off, first, bounds=(low + 1, high + 1), diff_step=1e-2, max_nfev=40)
    values = (best.x - 1) * scale * strength
    made = _with(start, values)
    made = replace(made, **{name: _rounded(name, getattr(made, name)) for name in SET})
    apart = lambda v: 100 * float(np.sqrt(np.mean((found(v) - wanted) ** 2) * 3))  # noqa: E731
    return Suggested(made, words_of(made), apart(0 * first), apart(values))


def _rounded(name: str, value: float) -> float:
    return round(value / 10) * 10.0 if name == "kelvin" else round(value, 1) if name == "tint" else round(value, 3)


def words_of(grade: Grade) -> str:
    """What a suggestion moved, as the artist reads it."""
    parts = []
    if abs(grade.exposure) >= 0.01:
        parts.append(f"exposure {grade.exposure:+.2f} stops")
    if abs(grade.kelvin - 6500) >= 20:
        parts.append(f"white {told(grade.kelvin, 'K', 0)}")
    if abs(grade.tint) >= 0.2:
        parts.append(f"tint {grade.tint:+.1f}")
    for name in ("contrast", "highlights", "shadows", "saturation"):
        if abs(getattr(grade, name)) >= 0.005:
            parts.append(f"{name} {100 * getattr(grade, name):+.0f} %")
    text = ", ".join(parts)
    return text[:1].upper() + text[1:] if text else "Nothing had to be moved"


def _small(picture: np.ndarray) -> np.ndarray:
    h, w = picture.shape[:2]
    share = min(1.0, SIDE / max(h, w))
    return resized(picture, (max(1, round(h * share)), max(1, round(w * share)))) if share < 1 else picture.astype(np.float32)


def _patches(picture: np.ndarray, places: Sequence[tuple[float, float]]) -> np.ndarray:
    """(1, n, 3) the means about places."""
    if any(not (0 <= x <= 1 and 0 <= y <= 1) for x, y in places):
        raise BadValue("A place that is compared lies outside of its picture.")
    radius = max(1, round(PATCH * picture.shape[1]))
    return np.array([about(picture, x, y, radius) for x, y in places], np.float32)[None]


def _statistics(lab: np.ndarray, weight: np.ndarray | None) -> np.ndarray:
    """Quantiles of lightness and of chroma, and the mean colour of dark, middle and light thirds, of Oklab pixels."""
    flat = lab.reshape(-1, 3).astype(float)
    w = np.ones(len(flat)) if weight is None else weight.reshape(-1).astype(float)
    order = np.argsort(flat[:, 0])
    sorted_, along = flat[order], np.cumsum(w[order])
    along = (along - 0.5 * w[order]) / max(along[-1], 1e-9)
    lightness = np.interp(QUANTILES, along, sorted_[:, 0])
    chroma = np.hypot(flat[:, 1], flat[:, 2])
    by_chroma = np.argsort(chroma)
    up = np.cumsum(w[by_chroma])
    strong = np.interp(QUANTILES[::2], (up - 0.5 * w[by_chroma]) / max(up[-1], 1e-9), chroma[by_chroma])
    colours = []
    for a, b in ((0.0, 0.33), (0.33, 0.67), (0.67, 1.0)):
        inside = w[order] * ((along >= a) & (along <= b))
        colours.append((sorted_[:, 1:] * inside[:, None]).sum(0) / max(inside.sum(), 1e-9))
    return np.concatenate([lightness, strong, np.repeat(np.concatenate(colours), 2)])
