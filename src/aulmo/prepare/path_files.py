"""Paths from drawings: the lines of an SVG or DXF file."""

import itertools
import math
from pathlib import Path

import numpy as np

from aulmo.document import edits
from aulmo.document.apart import apart, told
from aulmo.document.made import paths
from aulmo.document.record_base import FAR
from aulmo.document.records import GuidePath
from aulmo.errors import AulmoError, BadFile

DRAWINGS = (".svg", ".dxf")
PIXEL_MM = 25.4 / 96.0  # of an SVG's user unit (CSS Values and Units 4)
CHORD_MM = 0.05
MEET_MM = 1e-6  # within which ends of lines are one
MOST_POINTS, MOST_LINES, LARGEST = 20_000, 500, 64 << 20
DXF_UNITS = {0: 1.0, 1: 25.4, 2: 304.8, 4: 1.0, 5: 10.0, 6: 1000.0, 13: 0.001, 14: 100.0}  # $INSUNITS of the DXF reference


@apart(seconds=15, gigabytes=3)
def read_paths(path: Path) -> list[GuidePath]:
    """The lines of a drawing as straight paths in mm on z = 0, y pointing away from the camera. Raises BadFile with one sentence."""
    path = Path(path)
    if path.suffix.lower() not in DRAWINGS:
        raise BadFile(f"{path.name} is no drawing Aulmo reads; it reads SVG and DXF.")
    with told(path.name, "no drawing"):
        if path.stat().st_size > LARGEST:
            raise BadFile(f"{path.name} is too large for a drawing.")
        lines = _svg(path) if path.suffix.lower() == ".svg" else _dxf(path)
    found = []
    for number, (points, closed) in enumerate(lines[:MOST_LINES], 1):
        points = _thinned(points)
        x = tuple((float(a), float(b), float(c)) for a, b, c in np.round(points, 6).tolist())
        made = GuidePath(id=edits.new_id(), name=path.stem if len(lines) == 1 else f"{path.stem} {number}", points=x, smooth=False, closed=closed)
        try:
            paths.check(made)
        except AulmoError:
            continue  # a dot is no path
        found.append(made)
    if not found:
        raise BadFile(f"{path.name} holds no lines that could be a path.")
    return found


def _thinned(points: np.ndarray) -> np.ndarray:
    points = points[np.isfinite(points).all(1)]
    if len(points) > MOST_POINTS:
        points = points[np.linspace(0, len(points) - 1, MOST_POINTS).astype(int)]
    return points


def _svg(path: Path) -> list[tuple[np.ndarray, bool]]:
    from svgelements import SVG, Close, Line, Move, Path as Strokes, Shape

    drawing = SVG.parse(str(path), reify=True, ppi=96.0)
    lines: list[tuple[np.ndarray, bool]] = []
    for element in drawing.elements():
        if not isinstance(element, Shape) or (element.values.get("display") == "none"):
            continue
        points: list[tuple[float, float]] = []

        def done(closed: bool) -> None:
            if len(points) > 1:
                flat = np.array(points) * [PIXEL_MM, -PIXEL_MM]
                lines.append((np.concatenate([flat, np.zeros((len(flat), 1))], 1), closed))
            points.clear()

        for stroke in Strokes(element):
            if isinstance(stroke, Move):
                done(False)
                points.append((stroke.end.x, stroke.end.y))
            elif isinstance(stroke, Close):
                if len(points) > 1 and math.dist(points[0], points[-1]) < 1e-9:
                    points.pop()
                done(True)
            elif isinstance(stroke, Line):
                points.append((stroke.end.x, stroke.end.y))
            else:
                length = float(stroke.length(error=1e-3)) * PIXEL_MM
                steps = int(min(400, max(8, math.ceil(math.sqrt(length / CHORD_MM)))))
                points += [(p.x, p.y) for p in (stroke.point(k / steps) for k in range(1, steps + 1))]
        done(False)
    return lines


def _dxf(path: Path) -> list[tuple[np.ndarray, bool]]:
    import ezdxf
    from ezdxf import path as strokes

    drawing = ezdxf.readfile(str(path))
    unit = DXF_UNITS.get(int(drawing.header.get("$INSUNITS", 0)), 1.0)
    lines: list[tuple[np.ndarray, bool]] = []
    for entity in drawing.modelspace():
        if entity.dxftype() not in ("LINE", "LWPOLYLINE", "POLYLINE", "ARC", "CIRCLE", "ELLIPSE", "SPLINE"):
            continue
        made = strokes.make_path(entity)
        corners = np.array([tuple(p) for p in made.control_vertices()], float)
        reach = float(np.ptp(corners, 0).max()) if len(corners) else 0.0
        if not reach * unit < FAR:
            raise BadFile(f"{path.name} holds a line that is longer than anything that could be drawn.")
        chord = max(CHORD_MM / unit, 1e-5 * reach)  # finer than that no line is seen
        points = np.array(list(itertools.islice(((p.x, p.y, p.z) for p in made.flattening(chord)), MOST_POINTS)), float) * unit
        if len(points) < 2:
            continue
        closed = bool(made.is_closed)
        lines.append((points[:-1] if closed and np.abs(points[0] - points[-1]).max() < 1e-9 else points, closed))
    return _chained(lines)


def _chained(lines: list[tuple[np.ndarray, bool]]) -> list[tuple[np.ndarray, bool]]:
    """Open lines whose ends meet as one. Ends are found by the cell of a grid that they lie in, and its neighbours."""
    done = [line for line in lines if line[1]]
    loose = [points for points, closed in lines if not closed]
    cells: dict[tuple[int, ...], list[tuple[int, int]]] = {}
    for k, points in enumerate(loose):
        for end in (0, -1):
            cells.setdefault(tuple(np.floor(points[end] / MEET_MM).astype(int)), []).append((k, end))
    free = set(range(len(loose)))

    def meeting(place: np.ndarray) -> tuple[int, int] | None:
        cell = np.floor(place / MEET_MM).astype(int)
        near = (held for by in itertools.product((-1, 0, 1), repeat=3) for held in cells.get(tuple(cell + by), ()))
        return min(((k, end) for k, end in near if k in free and np.abs(loose[k][end] - place).max() < MEET_MM), default=None)

    for start in range(len(loose)):
        if start not in free:
            continue
        free.discard(start)
        after: list[np.ndarray] = [loose[start]]
        before: list[np.ndarray] = []
        while (found := meeting(after[-1][-1])) is not None:
            free.discard(found[0])
            after.append(loose[found[0]][:: 1 if found[1] == 0 else -1])
        while (found := meeting(before[-1][0] if before else loose[start][0])) is not None:
            free.discard(found[0])
            before.append(loose[found[0]][:: 1 if found[1] == -1 else -1])
        pieces = [*before[::-1], *after]
        chain = np.concatenate([pieces[0], *(piece[1:] for piece in pieces[1:])])
        closed = len(chain) > 3 and bool(np.abs(chain[0] - chain[-1]).max() < MEET_MM)
        done.append((chain[:-1] if closed else chain, closed))
    return done
