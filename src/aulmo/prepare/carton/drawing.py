"""The flat drawing of a carton as its file has it: strokes in mm, with what the file says of each."""

from pathlib import Path
from typing import NamedTuple

import numpy as np

from aulmo.document.apart import apart
from aulmo.errors import AulmoError, BadFile

FILES = (".dxf", ".svg", ".pdf")
LARGEST = 64 << 20
CHORD_MM = 0.02  # how far a straight piece may lie from a curve
MOST_PIECES = 60_000  # straight pieces of all strokes
FARTHEST_MM = 1e6


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


@apart(seconds=40, gigabytes=4)
def read_drawing(path: Path, unit_mm: float = 0.0) -> Drawing:
    """The strokes of a DXF, SVG or PDF file in mm. `unit_mm` is the size of its unit where that is decided, 0 for what the file says. Raises BadFile
    with one sentence."""
    path = Path(path)
    kind = path.suffix.lower()
    if kind not in FILES:
        raise BadFile(f"{path.name} is no flat drawing Aulmo reads; it reads DXF, SVG and PDF.")
    try:
        if path.stat().st_size > LARGEST:
            raise BadFile(f"{path.name} is too large for a flat drawing.")
        if kind == ".dxf":
            from aulmo.prepare.carton.drawing_dxf import read
        elif kind == ".svg":
            from aulmo.prepare.carton.drawing_svg import read
        else:
            from aulmo.prepare.carton.drawing_pdf import read
        found = read(path, unit_mm)
    except AulmoError:
        raise
    except OSError as error:
        raise BadFile(f"{path.name} could not be read: {error.strerror or 'it is damaged or no drawing'}.") from error
    except Exception as error:
        raise BadFile(f"{path.name} could not be read: it is damaged or no drawing.") from error
    return _sound(found, path.name)


def _sound(found: Drawing, name: str) -> Drawing:
    strokes, idle, pieces = [], 0, 0
    for stroke in found.strokes:
        points = np.asarray(stroke.points, float).reshape(-1, 2)
        points = points[np.isfinite(points).all(1)]
        if len(points) and not np.abs(points).max() < FARTHEST_MM:
            raise BadFile(f"{name} holds a line that is longer than any carton.")
        keep = np.ones(len(points), bool)
        keep[1:] = np.abs(np.diff(points, axis=0)).max(1) > 1e-6 if len(points) > 1 else True
        points = points[keep]
        if len(points) < 2:
            idle += 1
            continue
        pieces += len(points) - 1
        strokes.append(stroke._replace(points=points))
    if not strokes:
        raise BadFile(f"{name} holds no lines that could be folded.")
    if pieces > MOST_PIECES:
        raise BadFile(f"{name} holds {pieces:,} pieces of lines, more than the {MOST_PIECES:,} of a carton; leave out hatching and pictures.")
    told = [f"{idle} lines have no length and were left out." if idle > 1 else "A line has no length and was left out."] if idle else []
    return found._replace(strokes=strokes, notes=[*found.notes, *told])


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
