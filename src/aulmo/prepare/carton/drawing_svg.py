"""Flat drawings as SVG: what is stroked, or the outlines of what is filled where nothing is; groups are layers."""

import math
from pathlib import Path

import numpy as np

from aulmo.prepare.carton.strokes import Drawing, Stroke, curve_steps, dashes_of, label_of
from aulmo.prepare.path_files import PIXEL_MM

DEEPEST = 64


def read(path: Path, unit_mm: float) -> Drawing:
    """The strokes of an SVG file. Raises whatever the library raises for a damaged one."""
    from svgelements import SVG

    sheet = SVG.parse(str(path), reify=True, ppi=96.0)
    unit = unit_mm or PIXEL_MM
    stroked: list[Stroke] = []
    filled: list[Stroke] = []
    _walk(sheet, "", unit, stroked, filled, 0)
    sized = str(sheet.values.get("width", "")).strip()
    said = sized.rstrip("0123456789.+- ") if sized else ""
    notes = [] if stroked else [f"{path.name} has no stroked lines; the outlines of its areas are taken."] if filled else []
    words = f"1 unit = {unit_mm:g} mm" if unit_mm else said if said and said != "%" else "1/96 inch"
    page = None
    if sheet.width and sheet.height and math.isfinite(float(sheet.width)) and math.isfinite(float(sheet.height)):
        page = (0.0, -float(sheet.height) * unit, float(sheet.width) * unit, 0.0)
    if not said and not unit_mm:
        notes.append(f"{path.name} says no unit: its numbers are taken as 1/96 inch, as the standard has it.")
    return Drawing(stroked or filled, words, page, notes)


def _walk(group, layer: str, unit: float, stroked: list[Stroke], filled: list[Stroke], level: int) -> None:
    from svgelements import Group, Path as Strokes, Shape

    for element in group:
        values = getattr(element, "values", {}) or {}
        if str(values.get("display", "")).strip() == "none" or str(values.get("visibility", "")).strip() in ("hidden", "collapse"):
            continue
        if isinstance(element, Group) and level < DEEPEST:
            _walk(element, label_of(values.get("attributes", {})) or layer, unit, stroked, filled, level + 1)
        elif isinstance(element, Shape):
            own = values.get("attributes", {})
            name = str(own.get("class") or "") + " " + str(own.get("id") or "")
            has = element.stroke is not None and element.stroke.value is not None
            colour = element.stroke.hex[:7] if has and element.stroke.hex else ""
            lines = _lines(Strokes(element), unit)
            pattern = str(values.get("stroke-dasharray", "") or "")
            dashes = _dashes(pattern)
            (stroked if has else filled).extend(Stroke(points, layer, colour, dashes, name.strip()) for points in lines)


def _dashes(pattern: str) -> str:
    try:
        lengths = [float(w.rstrip("pxmtcin%")) for w in pattern.replace(",", " ").split()] if pattern not in ("", "none") else []
    except ValueError:
        return "dash"
    return dashes_of(lengths * 2 if len(lengths) % 2 else lengths)


def _lines(strokes, unit: float) -> list[np.ndarray]:
    from svgelements import Close, Line, Move

    found: list[np.ndarray] = []
    points: list[tuple[float, float]] = []

    def done() -> None:
        if points:
            found.append(np.array(points) * [unit, -unit])
        points.clear()

    for stroke in strokes:
        if isinstance(stroke, Move):
            done()
            points.append((stroke.end.x, stroke.end.y))
        elif isinstance(stroke, Close):
            if points:
                points.append(points[0])
            start = points[0] if points else None
            done()
            if start is not None:
                points.append(start)
        elif isinstance(stroke, Line):
            points.append((stroke.end.x, stroke.end.y))
        else:
            coarse = [stroke.point(k / 8) for k in range(9)]
            way = np.array([(p.x, p.y) for p in coarse]) * unit
            steps = np.diff(way, axis=0)
            angles = np.arctan2(steps[:, 1], steps[:, 0])
            turned = float(np.abs((np.diff(angles) + np.pi) % (2 * np.pi) - np.pi).sum()) * 8 / 7
            count = curve_steps(float(np.hypot(*steps.T).sum()), turned) if turned > 1e-4 else 1
            points.extend((p.x, p.y) for p in (stroke.point(k / count) for k in range(1, count + 1)))
    if len(points) > 1:
        done()
    elif points and not found:
        done()
    return found
