"""Flat drawings as DXF: lines, arcs, curves and polylines, through blocks; layer, colour and line type of each, inherited where it says so."""

import itertools
from pathlib import Path

import numpy as np

from aulmo.errors import BadFile
from aulmo.prepare.carton.strokes import CHORD_MM, Drawing, Stroke, dashes_of
from aulmo.prepare.path_files import DXF_UNITS

UNIT_NAMES = {1: "inch", 2: "foot", 4: "mm", 5: "cm", 6: "m", 13: "µm", 14: "dm"}
LINES = {"LINE", "LWPOLYLINE", "POLYLINE", "ARC", "CIRCLE", "ELLIPSE", "SPLINE"}
MOST_ENTITIES, MOST_POINTS = 200_000, 20_000
SMALL, LARGE = 12.0, 4000.0  # of a drawing without a unit, as mm: beyond them another unit is likelier


def read(path: Path, unit_mm: float) -> Drawing:
    """The strokes of a DXF file. Raises BadFile, or whatever the library raises for a damaged one."""
    import ezdxf
    from ezdxf import recover

    try:
        drawing = ezdxf.readfile(str(path))
    except ezdxf.DXFError:
        drawing, _ = recover.readfile(str(path))
    code = int(drawing.header.get("$INSUNITS", 0))
    unit = unit_mm or DXF_UNITS.get(code, 1.0)
    raw, notes = _strokes(drawing, path.name)
    if not raw:
        raise BadFile(f"{path.name} holds no lines that could be folded.")
    words = UNIT_NAMES.get(code, "")
    if unit_mm:
        words = f"1 unit = {unit_mm:g} mm"
    elif not words:
        corners = np.concatenate([s.points for s in raw])
        size = float(np.ptp(corners, 0).max())
        if size < SMALL:
            unit, words = 25.4, "no unit; taken as inch"
        elif size > LARGE:
            unit, words = 0.001 if size > 100 * LARGE else 0.1, "no unit; taken as µm" if size > 100 * LARGE else "no unit; taken as 0.1 mm"
        else:
            words = "no unit; taken as mm"
        notes.append(f"{path.name} says no unit: {words.split('; ')[1]}.")
    return Drawing([s._replace(points=s.points * unit) for s in raw], words, None, notes)


def _strokes(drawing, name: str) -> tuple[list[Stroke], list[str]]:
    from ezdxf import colors, disassemble, path as strokes

    layers = {layer.dxf.name.lower(): layer for layer in drawing.layers}
    types = {kind.dxf.name.lower(): kind for kind in drawing.linetypes}
    patterns = {key: _pattern(kind) for key, kind in types.items()}
    found: list[Stroke] = []
    odd = 0
    wanted = (e for e in disassemble.recursive_decompose(e for e in drawing.modelspace() if e.dxftype() != "DIMENSION"))
    for number, entity in enumerate(wanted):
        if number > MOST_ENTITIES:
            raise BadFile(f"{name} holds more things than a flat drawing could.")
        if entity.dxftype() not in LINES:
            continue
        layer = layers.get(entity.dxf.layer.lower())
        if layer is not None and (layer.is_off() or layer.is_frozen()) or entity.dxf.get("invisible", 0):
            continue
        try:
            made = strokes.make_path(entity)
            corners = np.array([(p.x, p.y) for p in made.control_vertices()], float)
            reach = float(np.ptp(corners, 0).max()) if len(corners) else 0.0
            chord = max(CHORD_MM, 1e-5 * reach)
            points = np.array([(p.x, p.y) for p in itertools.islice(made.flattening(chord, 8), MOST_POINTS)], float)
        except Exception:
            odd += 1
            continue
        if len(points) == 0:
            points = np.zeros((1, 2))
        colour = entity.dxf.get("color", 256)
        if colour in (0, 256) and layer is not None:
            colour = abs(layer.dxf.color)
        rgb = getattr(entity, "rgb", None) or (layer.rgb if layer is not None and entity.dxf.get("color", 256) in (0, 256) else None)
        if rgb is None:
            rgb = colors.aci2rgb(int(min(255, max(1, abs(colour)))))
        dashed = str(entity.dxf.get("linetype", "BYLAYER")).lower()
        if dashed in ("bylayer", "byblock") and layer is not None:
            dashed = str(layer.dxf.get("linetype", "continuous")).lower()
        found.append(Stroke(points, str(entity.dxf.layer), "#{:02x}{:02x}{:02x}".format(*rgb[:3]), patterns.get(dashed, "") or _by_word(dashed)))
    return found, [f"{odd} lines of {name} are damaged and were left out."] if odd else []


def _pattern(kind) -> str:
    try:
        lengths = [float(tag.value) for tag in kind.pattern_tags.tags if tag.code == 49]
    except Exception:
        lengths = []
    if not lengths:
        return ""
    on_off: list[float] = []
    for one in lengths:  # below zero is a gap
        if on_off and (one < 0) == (len(on_off) % 2 == 0):
            on_off[-1] += abs(one)
        else:
            on_off.append(abs(one))
    return dashes_of(on_off)


def _by_word(name: str) -> str:
    if "dashdot" in name or "center" in name or "phantom" in name:
        return "dashdot"
    if "dot" in name:
        return "dot"
    return "dash" if "dash" in name or "hidden" in name else ""
