"""The flat drawing of a carton as its file has it: strokes in mm, with what the file says of each."""

from pathlib import Path

import numpy as np

from aulmo.document.apart import apart, told
from aulmo.errors import BadFile
from aulmo.prepare.carton.strokes import Drawing

FILES = (".dxf", ".svg", ".pdf")
LARGEST = 64 << 20
MOST_PIECES = 40_000  # straight pieces of all strokes
FARTHEST_MM = 1e6


@apart(seconds=40, gigabytes=4)
def read_drawing(path: Path, unit_mm: float = 0.0) -> Drawing:
    """The strokes of a DXF, SVG or PDF file in mm. `unit_mm` is the size of its unit where that is decided, 0 for what the file says. Raises BadFile
    with one sentence."""
    path = Path(path)
    kind = path.suffix.lower()
    if kind not in FILES:
        raise BadFile(f"{path.name} is no flat drawing Aulmo reads; it reads DXF, SVG and PDF.")
    with told(path.name, "no drawing"):
        if path.stat().st_size > LARGEST:
            raise BadFile(f"{path.name} is too large for a flat drawing.")
        if kind == ".dxf":
            from aulmo.prepare.carton.drawing_dxf import read
        elif kind == ".svg":
            from aulmo.prepare.carton.drawing_svg import read
        else:
            from aulmo.prepare.carton.drawing_pdf import read
        found = read(path, unit_mm)
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
    lost = [f"{idle} lines have no length and were left out." if idle > 1 else "A line has no length and was left out."] if idle else []
    return found._replace(strokes=strokes, notes=[*found.notes, *lost])
