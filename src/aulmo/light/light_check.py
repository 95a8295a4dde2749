"""Checking the light of a picture: what is clipped, under-lit or flat, and how far the product's edge stands from what is behind it.

Lightness is CIE L* (CIE 15:2004) of light over the picture's white; differences of an edge are CIE 1976 colour differences.
"""

from typing import NamedTuple

import numpy as np

from aulmo.surface.colour import ACESCG_TO_SRGB, LUMINANCE

CLIPPED = 0.985  # display value from which nothing is left to be seen
DARK_STOPS = -6.0  # below white, from which on a part counts as under-lit
FLAT = 1.6  # L* within which a region has no change of tone
READABLE, WEAK = 10.0, 5.0  # colour difference at which an edge reads at a glance, and at which it can be found
TONES = (-7, -6, -5, -4, -3, -2, -1, 0, 1)  # stops about white where false tones change
# own scale of false tones: from ink over plum, slate, moss and sand to paper, and what is clipped
TONE_COLOURS = np.array(
    [
        (14, 10, 26), (52, 26, 74), (96, 44, 104), (70, 74, 120), (52, 104, 122), (78, 128, 98), (142, 152, 84), (206, 178, 98), (240, 226, 190),
        (214, 74, 52),
    ],
    np.uint8,
)  # fmt: skip


class Finding(NamedTuple):
    """Something that the light lacks: what, told in a sentence, which part, its share, where (x0, y0, x1, y1 in shares of the frame), and for an
    edge its stroke (n, 2) in the same shares."""

    kind: str
    words: str
    part: str
    share: float
    place: tuple[float, float, float, float]
    stroke: np.ndarray


class Outline(NamedTuple):
    """Points (n, 2) of the product's edge, column and row, and how far (n,) it stands from what is behind it there."""

    points: np.ndarray
    stands: np.ndarray
    inside: np.ndarray
    outside: np.ndarray


class LightCheck(NamedTuple):
    """Shares of the product; the same by part; findings, the gravest first; masks (h, w) and the outline for drawing."""

    clipped: float
    underlit: float
    flat: float
    rim: float
    by_part: dict[str, dict[str, float]]
    findings: tuple[Finding, ...]
    clipped_mask: np.ndarray
    underlit_mask: np.ndarray
    flat_mask: np.ndarray
    outline: Outline

    def shares(self) -> dict:
        """As plain numbers and words."""
        return {
            "clipped": self.clipped, "underlit": self.underlit, "flat": self.flat, "rim": self.rim, "parts": self.by_part,
            "findings": [f.words for f in self.findings],
        }  # fmt: skip


def lab(rgb: np.ndarray, white: float) -> np.ndarray:
    """(..., 3) CIE L*a*b* of ACEScg light where `white` nits is white; light above white is held there."""
    linear = np.clip(np.maximum(rgb, 0.0) @ ACESCG_TO_SRGB.T / white, 0.0, 1.0)
    xyz = linear @ np.array([[0.4124, 0.2126, 0.0193], [0.3576, 0.7152, 0.1192], [0.1805, 0.0722, 0.9505]]) / [0.95047, 1.0, 1.08883]
    f = np.where(xyz > (6 / 29) ** 3, np.cbrt(xyz), xyz / (3 * (6 / 29) ** 2) + 4 / 29)
    return np.stack([116 * f[..., 1] - 16, 500 * (f[..., 0] - f[..., 1]), 200 * (f[..., 1] - f[..., 2])], -1)


def stops(rgb: np.ndarray, white: float) -> np.ndarray:
    """(h, w) stops of light about white."""
    return np.log2(np.maximum(1e-9, rgb @ LUMINANCE / white))


def false_tones(rgb: np.ndarray, white: float) -> np.ndarray:
    """(h, w, 3) uint8 of a picture in which every stop has a colour of its own."""
    return TONE_COLOURS[np.digitize(stops(rgb, white), TONES)]


def check(
    rgb: np.ndarray, display: np.ndarray, white: float, parts: np.ndarray, names: dict[int, str], dark_stops: float = DARK_STOPS
) -> LightCheck:  # fmt: skip
    """Check a picture.

    Parameters
    ----------
    rgb : (h, w, 3) light in nits of ACEScg, as clean as can be. display : (h, w, 3) the same as shown, 0..1. parts : (h, w) int, the number of
    the part in each pixel. names : the product's parts by number; all others are what is behind. dark_stops : what counts as under-lit.
    """
    from scipy import ndimage

    numbers = np.array(sorted(names), int)
    product = np.isin(parts, numbers)
    total = max(1, int(product.sum()))
    tones = lab(rgb, white)
    clipped = product & (display.max(-1) >= CLIPPED)
    dark = product & (stops(rgb, white) < dark_stops)
    size = max(5, int(0.08 * min(parts.shape)) | 1)
    soft = ndimage.uniform_filter(tones[..., 0], 3)
    alike = ndimage.maximum_filter(parts, size) == ndimage.minimum_filter(parts, size)
    even = (ndimage.maximum_filter(soft, size) - ndimage.minimum_filter(soft, size)) < FLAT
    core = product & alike & even & ~dark
    flat = product & ~dark & (ndimage.maximum_filter(core.astype(np.uint8), size) > 0) & alike
    outline = outline_of(product, tones)
    by_part: dict[str, dict[str, float]] = {}
    findings: list[Finding] = []
    counts = np.bincount(parts[product].astype(int), minlength=int(numbers.max(initial=0)) + 1) if product.any() else np.zeros(1)
    for number in numbers:
        here = int(counts[number]) if number < len(counts) else 0
        if here < max(12, 1e-4 * parts.size):
            continue
        mine = parts == number
        shares = {k: float((m & mine).sum() / here) for k, m in (("clipped", clipped), ("underlit", dark), ("flat", flat))}
        name = names[int(number)]
        known = by_part.get(name)
        by_part[name] = shares if known is None else {k: max(v, known[k]) for k, v in shares.items()}
        findings += _of_part(name, shares, here / total, {"clipped": clipped & mine, "underlit": dark & mine, "flat": flat & mine})
    findings += _of_edge(outline, product.shape, parts, names)
    findings.sort(key=lambda f: -f.share)
    rim = float((outline.stands >= READABLE).mean()) if len(outline.stands) else 1.0
    kept: dict[tuple[str, str, str], Finding] = {}
    for finding in findings:
        kept.setdefault((finding.kind, finding.part, finding.words if finding.kind == "rim" else ""), finding)
    return LightCheck(
        float(clipped.sum() / total), float(dark.sum() / total), float(flat.sum() / total), rim, by_part, tuple(kept.values())[:12],
        clipped, dark, flat, outline,
    )  # fmt: skip


def _of_part(name: str, shares: dict[str, float], of_all: float, masks: dict[str, np.ndarray]) -> list[Finding]:
    told = {"clipped": "is clipped", "underlit": "is under-lit", "flat": "has no change of tone"}
    least = {"clipped": 0.04, "underlit": 0.25, "flat": 0.5}
    found = []
    for kind, share in shares.items():
        if share >= least[kind] and share * of_all > 0.004:
            found.append(
                Finding(kind, f"{name}: {round(100 * share)} % {told[kind]}", name, share * of_all, _box(masks[kind]), np.zeros((0, 2)))
            )
    return found


def _box(mask: np.ndarray) -> tuple[float, float, float, float]:
    rows, columns = np.nonzero(mask)
    h, w = mask.shape
    return float(columns.min() / w), float(rows.min() / h), float((columns.max() + 1) / w), float((rows.max() + 1) / h)


def outline_of(product: np.ndarray, tones: np.ndarray, reach: int = 3) -> Outline:
    """The edge between the product (h, w) bool and what is behind it, by the means of L*a*b* (h, w, 3) some pixels to either side. The pixels that
    both share are left out."""
    from scipy import ndimage

    side = 2 * reach + 1
    inner, outer = ndimage.binary_erosion(product), ~ndimage.binary_dilation(product)
    edge = product & ndimage.binary_dilation(~product)
    edge[[0, -1], :] = edge[:, [0, -1]] = False  # where the frame cuts the product there is no edge
    rows, columns = np.nonzero(edge)
    if not len(rows):
        return Outline(np.zeros((0, 2)), np.zeros(0), np.zeros((0, 3)), np.zeros((0, 3)))

    def mean(mask: np.ndarray) -> np.ndarray:
        weight = ndimage.uniform_filter(mask.astype(float), side)[rows, columns]
        sums = np.stack([ndimage.uniform_filter(np.where(mask, tones[..., c], 0.0), side)[rows, columns] for c in range(3)], 1)
        return np.where(weight[:, None] > 1e-6, sums / np.maximum(weight, 1e-6)[:, None], np.nan)

    inside, outside = mean(inner), mean(outer)
    stands = np.linalg.norm(inside - outside, axis=1)
    known = np.isfinite(stands)
    return Outline(np.stack([columns, rows], 1)[known].astype(float), stands[known], inside[known], outside[known])


def _of_edge(outline: Outline, shape: tuple[int, ...], parts: np.ndarray, names: dict[int, str]) -> list[Finding]:
    """Stretches of the outline that do not read."""
    from scipy import ndimage

    total = len(outline.stands)
    lost = outline.stands < READABLE
    if not total or not lost.any():
        return []
    mask = np.zeros(shape, bool)
    points = outline.points.astype(int)
    mask[points[lost, 1], points[lost, 0]] = True
    labels, count = ndimage.label(ndimage.binary_dilation(mask, iterations=2))
    which = labels[points[:, 1], points[:, 0]]
    found = []
    for k in range(1, count + 1):
        mine = lost & (which == k)
        share = float(mine.sum() / total)
        if share < 0.02:
            continue
        own = points[mine]
        numbers = parts[own[:, 1], own[:, 0]]
        values, counts = np.unique(numbers, return_counts=True)
        name = names.get(int(values[int(counts.argmax())]), "the product")
        inside, outside = outline.inside[mine].mean(0), outline.outside[mine].mean(0)
        words = f"{_tone(inside[0])} on {_tone(outside[0])} at the {name}: {round(100 * share)} % of the outline does not read"
        line = in_order(own.astype(float)) + 0.5
        box = np.zeros(shape, bool)
        box[own[:, 1], own[:, 0]] = True
        found.append(Finding("rim", words[0].upper() + words[1:], name, share, _box(box), line / [shape[1], shape[0]]))
    return found


def _tone(lightness: float) -> str:
    return "black" if lightness < 14 else "dark" if lightness < 38 else "grey" if lightness < 65 else "light" if lightness < 90 else "white"


def in_order(points: np.ndarray) -> np.ndarray:
    """Points of a thin line (n, 2) from one end to the other: always on to the nearest that is left, from the one farthest from the middle."""
    left = points[:: max(1, len(points) // 240)]
    at = int(np.argmax(np.linalg.norm(left - left.mean(0), axis=1)))
    line = [left[at]]
    rest = np.delete(left, at, 0)
    while len(rest):
        away = np.linalg.norm(rest - line[-1], axis=1)
        k = int(away.argmin())
        if away[k] > 12 and len(line) > 8:
            break
        line.append(rest[k])
        rest = np.delete(rest, k, 0)
    return np.array(line)
