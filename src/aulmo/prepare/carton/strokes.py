"""The strokes of a flat drawing in mm, with what the file says of each, and how curves become short straight pieces."""

from typing import Mapping, NamedTuple

import numpy as np

CHORD_MM = 0.02  # how far a straight piece may lie from a curve


class Stroke(NamedTuple):
    """A line of the drawing: (n, 2) points in mm, y up; the layer, colour ("#rrggbb"), dashes ("", "dash", "dot", "dashdot") and name it has."""

    points: np.ndarray
    layer: str = ""
    colour: str = ""
    dashes: str = ""
    name: str = ""


class Drawing(NamedTuple):
    """What a file held: its strokes, its unit and scale in words, the page (left, bottom, right, top) in mm where it has one, what is to be told."""

    strokes: list[Stroke]
    scale: str
    page: tuple[float, float, float, float] | None
    notes: list[str]


def dashes_of(lengths: list[float]) -> str:
    """A pattern of dashes by its lengths (on, off, on, off ...), in words."""
    on = [abs(v) for v in lengths[::2]]
    if not lengths or sum(abs(v) for v in lengths) <= 0 or len(lengths) < 2:
        return ""
    if len(on) > 1 and max(on) > 2.5 * min(on):
        return "dashdot"
    return "dot" if max(on) <= 0.35 * max(abs(v) for v in lengths[1::2]) else "dash"


def curve_steps(length_mm: float, turned: float) -> int:
    """How many straight pieces follow a curve that turns so many radians within the chord: an arc of radius r and angle a lies r a²/8 off its
    chord."""
    radius = length_mm / max(turned, 1e-6)
    return int(np.clip(np.ceil(turned / np.sqrt(8.0 * CHORD_MM / max(radius, CHORD_MM))), 2, 200))


def cubic(a: np.ndarray, b: np.ndarray, c: np.ndarray, d: np.ndarray) -> np.ndarray:
    """The points after `a` of a cubic Bézier curve, to `d`."""
    legs = [b - a, c - b, d - c]
    sizes = [float(np.hypot(*leg)) for leg in legs]
    ways = [leg / size for leg, size in zip(legs, sizes) if size > 1e-12]
    turned = sum(abs(float(np.arctan2(u[0] * v[1] - u[1] * v[0], u @ v))) for u, v in zip(ways, ways[1:]))
    if turned < 1e-3:
        return d[None]
    t = np.linspace(0.0, 1.0, curve_steps(sum(sizes), turned) + 1)[1:, None]
    return (1 - t) ** 3 * a + 3 * (1 - t) ** 2 * t * b + 3 * (1 - t) * t * t * c + t**3 * d


def label_of(attributes: Mapping[str, object]) -> str:
    """The name of an SVG's group: its label where it has one (an attribute of any namespace that ends so), else its id."""
    label = next((str(v) for k, v in attributes.items() if str(k).lower().rstrip("}").endswith("label")), "")
    return label or str(attributes.get("id") or "")
