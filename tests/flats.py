"""Flat drawings of cartons, made up: lines with the kind each has, and files of them."""

import math
from pathlib import Path
from typing import NamedTuple

import numpy as np

POINT = 72 / 25.4


class Drawn(NamedTuple):
    """A line of a drawing: its kind and its points in mm."""

    kind: str
    points: list[tuple[float, float]]


def tuck_box(a=60.0, b=40.0, h=100.0, tuck=15.0, glue=12.0, reverse=False, slits=False, window=0.0, rounded=False) -> list[Drawn]:
    """A carton with tuck ends: back, left, front, right, glue flap; `slits` draws flaps that share a cut without room between them."""
    lines: list[Drawn] = []
    cut = lambda *p: lines.append(Drawn("cut", list(p)))  # noqa: E731
    fold = lambda *p: lines.append(Drawn("crease", list(p)))  # noqa: E731
    x = [0.0, a, a + b, 2 * a + b, 2 * a + 2 * b]
    for at in x[1:]:
        fold((at, 0.0), (at, h))
    cut((0.0, 0.0), (0.0, h))
    cut((x[4], h), (x[4] + glue, h - 6), (x[4] + glue, 6.0), (x[4], 0.0))
    inset = 0.0 if slits else 2.0
    for sign, y in ((1, h), (-1, 0.0)):
        lid = 0 if reverse and sign < 0 else 2
        bare = 2 if lid == 0 else 0
        cut((x[bare], y), (x[bare + 1], y))
        for k in (1, 3):
            deep = 0.6 * b
            fold((x[k], y), (x[k + 1], y))
            left = (x[k] + inset, y + sign * deep) if inset else (x[k], y + sign * deep)
            right = (x[k + 1] - inset, y + sign * deep) if inset else (x[k + 1], y + sign * deep)
            cut((x[k], y), left, right, (x[k + 1], y))
        left, right = x[lid], x[lid + 1]
        fold((left, y), (right, y))
        cut((left, y), (left, y + sign * b))
        cut((right, y), (right, y + sign * b))
        fold((left, y + sign * b), (right, y + sign * b))
        end = y + sign * (b + tuck)
        if rounded:
            turn = np.linspace(0, math.pi / 2, 9)
            r = min(tuck, 10.0) - 1
            one = [(left + 1 + r - r * math.cos(t), end - sign * r + sign * r * math.sin(t)) for t in turn]
            other = [(right - 1 - r + r * math.sin(t), end - sign * r + sign * r * math.cos(t)) for t in turn]
            cut((left, y + sign * b), *one, *other, (right, y + sign * b))
        else:
            cut((left, y + sign * b), (left + 3, end), (right - 3, end), (right, y + sign * b))
    if window:
        cut(*circle(x[2] + a / 2, h / 2, window))
    return lines


def circle(x: float, y: float, radius: float, sides: int = 48) -> list[tuple[float, float]]:
    """A closed ring of points."""
    return [(x + radius * math.cos(t), y + radius * math.sin(t)) for t in np.linspace(0, 2 * math.pi, sides + 1)]


def slotted_box(a=120.0, b=90.0, h=80.0, slot=4.0, glue=30.0) -> list[Drawn]:
    """A shipping case of four panels and four flaps at each end, with slots between."""
    lines: list[Drawn] = []
    x = [0.0, a, a + b, 2 * a + b, 2 * a + 2 * b]
    for at in x[1:]:
        lines.append(Drawn("crease", [(at, 0.0), (at, h)]))
    lines.append(Drawn("cut", [(0.0, 0.0), (0.0, h)]))
    lines.append(Drawn("cut", [(x[4], h), (x[4] + glue, h - 8), (x[4] + glue, 8.0), (x[4], 0.0)]))
    for sign, y in ((1, h), (-1, 0.0)):
        for k in range(4):
            left, right = x[k] + (slot / 2 if k else 0), x[k + 1] - (slot / 2 if k < 3 else 0)
            lines.append(Drawn("crease", [(left, y), (right, y)]))
            lines.append(Drawn("cut", [(left, y), (left, y + sign * b / 2), (right, y + sign * b / 2), (right, y)]))
            if k < 3:
                lines.append(Drawn("cut", [(right, y), (x[k + 1], y)]))
                lines.append(Drawn("cut", [(x[k + 1], y), (x[k + 1] + slot / 2, y)]))
    return lines


def tray(a=120.0, b=80.0, h=30.0, corner=14.0) -> list[Drawn]:
    """A tray: a base, four walls, a flap at each end of the two long ones."""
    lines = [Drawn("crease", [(0.0, 0.0), (a, 0.0)]), Drawn("crease", [(a, 0.0), (a, b)]), Drawn("crease", [(a, b), (0.0, b)]),
             Drawn("crease", [(0.0, b), (0.0, 0.0)])]  # fmt: skip
    for sign, y in ((1, b), (-1, 0.0)):
        lines.append(Drawn("cut", [(0.0, y + sign * h), (a, y + sign * h)]))
        for side, x in ((-1, 0.0), (1, a)):
            lines.append(Drawn("crease", [(x, y), (x, y + sign * h)]))
            lines.append(Drawn("cut", [(x, y), (x + side * corner, y + sign * 1.5), (x + side * corner, y + sign * (h - 1.5)), (x, y + sign * h)]))
    for side, x in ((-1, 0.0), (1, a)):
        lines.append(Drawn("cut", [(x, 0.0), (x + side * h, 1.0), (x + side * h, b - 1.0), (x, b)]))
    return lines


def sleeve(a=90.0, b=35.0, h=70.0, glue=15.0) -> list[Drawn]:
    """A sleeve without ends."""
    x = [0.0, a, a + b, 2 * a + b, 2 * a + 2 * b]
    lines = [Drawn("crease", [(at, 0.0), (at, h)]) for at in x[1:]]
    lines += [Drawn("cut", [(0.0, 0.0), (x[4], 0.0)]), Drawn("cut", [(0.0, h), (x[4], h)]), Drawn("cut", [(0.0, 0.0), (0.0, h)])]
    return [*lines, Drawn("cut", [(x[4], 0.0), (x[4] + glue, 3.0), (x[4] + glue, h - 3), (x[4], h)])]


def prism(sides=6, a=40.0, h=90.0, glue=14.0) -> list[Drawn]:
    """A tube of equal sides."""
    lines = [Drawn("crease", [(k * a, 0.0), (k * a, h)]) for k in range(1, sides + 1)]
    lines += [Drawn("cut", [(0.0, 0.0), (sides * a, 0.0)]), Drawn("cut", [(0.0, h), (sides * a, h)]), Drawn("cut", [(0.0, 0.0), (0.0, h)])]
    return [*lines, Drawn("cut", [(sides * a, 0.0), (sides * a + glue, 4.0), (sides * a + glue, h - 4), (sides * a, h)])]


def pillow(w=90.0, h=110.0, deep=12.0, glue=12.0) -> list[Drawn]:
    """A pillow pack: front and back side by side, with an end flap at each end of both, beyond curved creases."""
    lines: list[Drawn] = []
    share = np.linspace(0.0, 1.0, 33)
    for k in (0, 1):
        for sign, y in ((1, h), (-1, 0.0)):
            arc = [(k * w + s * w, y - sign * 4 * deep * s * (1 - s)) for s in share]
            rim = [(k * w + s * w, y + sign * 4 * deep * s * (1 - s)) for s in share]
            lines += [Drawn("crease", arc), Drawn("cut", rim)]
    lines += [Drawn("crease", [(w, 0.0), (w, h)]), Drawn("crease", [(2 * w, 0.0), (2 * w, h)]), Drawn("cut", [(0.0, 0.0), (0.0, h)])]
    return [*lines, Drawn("cut", [(2 * w, 0.0), (2 * w + glue, 8.0), (2 * w + glue, h - 8), (2 * w, h)])]


def thirty() -> list[list[Drawn]]:
    """Thirty drawings of several makes and sizes, always the same."""
    chance = np.random.default_rng(37)
    made = []
    for k in range(30):
        a, b, h = (float(round(v, 1)) for v in chance.uniform([50, 28, 60], [140, 70, 190]))
        make = k % 6
        if make == 0:
            made.append(tuck_box(a, b, h, rounded=bool(k % 4), window=min(a, h) * 0.25 if k % 3 else 0.0))
        elif make == 1:
            made.append(tuck_box(a, b, h, reverse=True, slits=k % 4 == 1))
        elif make == 2:
            made.append(slotted_box(a, b, h))
        elif make == 3:
            made.append(tray(a + 40, b + 40, min(h, 45)))
        elif make == 4:
            made.append(sleeve(a, b, h))
        else:
            made.append(prism(5 + k % 3, a * 0.5, h))
    return made


def write_dxf(path: Path, lines: list[Drawn], layers: bool = False, unit: int = 4, scale: float = 1.0, version: str = "R2010") -> Path:
    """The lines as a DXF file, on layers named by their kinds or all on one."""
    import ezdxf

    drawing = ezdxf.new(version)
    drawing.header["$INSUNITS"] = unit
    space = drawing.modelspace()
    for line in lines:
        how = {"layer": {"cut": "KNIFE", "crease": "CREASE"}.get(line.kind, line.kind.upper())} if layers else {}
        points = [(x * scale, y * scale) for x, y in line.points]
        if version == "R12":
            space.add_polyline2d(points, dxfattribs=how)
        else:
            space.add_lwpolyline(points, dxfattribs=how)
    drawing.saveas(path)
    return path


def write_svg(path: Path, lines: list[Drawn], layers: bool = False) -> Path:
    """The lines as an SVG file in mm."""
    points = np.array([p for line in lines for p in line.points])
    (left, bottom), (right, top) = points.min(0) - 10, points.max(0) + 10
    body = ""
    for kind in dict.fromkeys(line.kind for line in lines):
        name = {"cut": "knife", "crease": "crease"}.get(kind, kind) if layers else "lines"
        paths = "".join(f'<path d="M{" L".join(f"{x - left:.5f} {top - y:.5f}" for x, y in line.points)}"/>' for line in lines if line.kind == kind)
        body += f'<g id="{name}" fill="none" stroke="#000" stroke-width="0.2">{paths}</g>'
    wide, high = right - left, top - bottom
    path.write_text(f'<svg xmlns="http://www.w3.org/2000/svg" width="{wide}mm" height="{high}mm" viewBox="0 0 {wide} {high}">{body}</svg>')
    return path


def write_pdf(path: Path, lines: list[Drawn], spots: bool = False) -> Path:
    """The lines as a PDF page, in spot colours named by their kinds or all black."""
    from reportlab.lib.colors import CMYKColorSep, black
    from reportlab.pdfgen import canvas

    points = np.array([p for line in lines for p in line.points])
    low, high = points.min(0) - 10, points.max(0) + 10
    page = canvas.Canvas(str(path), pagesize=tuple((high - low) * POINT))
    for line in lines:
        name = {"cut": "Knife", "crease": "Crease"}.get(line.kind, line.kind)
        page.setStrokeColor(CMYKColorSep(0, 1, 1, 0, spotName=name) if spots else black)
        stroke = page.beginPath()
        for k, (x, y) in enumerate(line.points):
            at = ((x - low[0]) * POINT, (y - low[1]) * POINT)
            stroke.moveTo(*at) if k == 0 else stroke.lineTo(*at)
        page.drawPath(stroke)
    page.save()
    return path
