"""From a drawing's file to a flat: read, cleaned, the right one of several drawings taken, its lines told apart."""

from pathlib import Path
from typing import Sequence, cast

import numpy as np
from msgspec.structs import replace

from aulmo.document.flat import At, Flat, FlatLine, FlatOdd, Kind
from aulmo.errors import BadValue
from aulmo.prepare.carton.clean import GAP_MM, Net, clean
from aulmo.prepare.carton.drawing import read_drawing
from aulmo.prepare.carton.faces import faces_of, pieces_of
from aulmo.prepare.carton.kinds import told, word_kind
from aulmo.prepare.carton.panels import DECIMALS, flat_of_lines
from aulmo.prepare.carton.strokes import Drawing, Stroke

ODD_WORDS = {"gap": "Ends that did not meet, now joined", "overshoot": "A line stuck out, taken back", "double": "A line lay twice, one dropped"}
MOST_ODD = 200


class Sheet:
    """What a file holds, made ready: its drawing, cleaned, and the separate drawings in it, the largest first."""

    def __init__(self, drawing: Drawing, name: str, gap_mm: float = GAP_MM) -> None:
        self.drawing, self.name = drawing, name
        self.aside = [s for s in drawing.strokes if word_kind(s) == "left"]
        self.used = [s for s in drawing.strokes if word_kind(s) != "left"]
        if not self.used:
            self.aside, self.used = [], list(drawing.strokes)
        self.net = clean(self.used, gap_mm)
        self.faces = faces_of(self.net)
        if not self.faces.rings:
            flat_of_lines(_rounded(self.net, self.used, None))  # says where it is open
        found, self.frames = pieces_of(self.faces)
        largest = self._area(found[0]) if found else 0.0
        self.pieces = [parts for parts in found if self._area(parts) > 0.02 * largest]
        self.strays = [parts for parts in found if self._area(parts) <= 0.02 * largest]

    def _area(self, parts: set[int]) -> float:
        return sum(a for a, p in zip(self.faces.areas, self.faces.part) if p in parts)

    def flat(self, number: int = 0) -> Flat:
        """One of the drawings as a flat. Raises BadValue for a number there is not, BadFile when nothing closed is in it."""
        if not 0 <= number < len(self.pieces):
            raise BadValue(f"{self.name} holds {len(self.pieces)} drawings.")
        chosen = self.pieces[number]
        points = self.net.points
        lines = [line for line, part in zip(self.net.lines, self.faces.line_part) if part in chosen]
        inside = points[[v for line in lines for v in line.points]]
        low, high = inside.min(0) - 1.0, inside.max(0) + 1.0
        closed = set(self.faces.part) | chosen | self.frames  # what closes round nothing may be slits within panels
        other = [line for line, part in zip(self.net.lines, self.faces.line_part) if part not in closed]
        near = [line for line in other if _inside(points[list(line.points)], low, high)]
        net = Net(points, [*lines, *near], self.net.odd)
        kinds = told(net, faces_of(net), self.used)
        made = _rounded(net, self.used, kinds)
        aside = [FlatLine(_at(s.points), "left", layer=s.layer, colour=s.colour, dashes=s.dashes, name=s.name) for s in self.aside
                 if _inside(s.points, low, high)]  # fmt: skip
        odd = [FlatOdd(ODD_WORDS[one.kind], one.at, one.size_mm) for one in self.net.odd if _inside(np.array([one.at]), low, high)]
        odd += [FlatOdd(words, (float(low[0] + 1), float(high[1] - 1))) for words in self.drawing.notes]
        odd += self._told_apart(number)
        return flat_of_lines([*made, *aside], odd[:MOST_ODD], self.drawing.scale, self.drawing.page)

    def _told_apart(self, number: int) -> list[FlatOdd]:
        found = []
        corner = self.net.points.min(0)
        at: At = (float(corner[0]), float(corner[1]))
        if len(self.pieces) > 1:
            found.append(FlatOdd(f"The file holds {len(self.pieces)} drawings; number {number + 1} is taken", at))
        if self.frames:
            found.append(FlatOdd("A frame round the drawing is left out", at))
        if self.strays:
            place = self.net.points[next(iter(self.strays[0]))]
            found.append(FlatOdd(f"{len(self.strays)} small things beside the drawing are left out", (float(place[0]), float(place[1]))))
        return found


def _inside(points: np.ndarray, low: np.ndarray, high: np.ndarray) -> bool:
    return bool((points.min(0) >= low).all() and (points.max(0) <= high).all())


def _at(points: np.ndarray) -> tuple[At, ...]:
    return tuple((float(x), float(y)) for x, y in np.round(points, DECIMALS))


def _rounded(net: Net, strokes: Sequence[Stroke], kinds) -> list[FlatLine]:
    points = np.round(net.points, DECIMALS)
    made = []
    for k, line in enumerate(net.lines):
        stroke = strokes[line.stroke]
        kind, unsure = (kinds.kinds[k], kinds.unsure[k]) if kinds is not None else ("cut", False)
        made.append(FlatLine(_at(points[list(line.points)]), cast(Kind, kind), unsure, *stroke[1:]))
    return made


def lay_out(path: Path, number: int = 0, unit_mm: float = 0.0, gap_mm: float = GAP_MM) -> Flat:
    """The flat that a DXF, SVG or PDF file draws; `number` takes another of several drawings in it. Raises BadFile or BadValue with one sentence."""
    return Sheet(read_drawing(path, unit_mm), Path(path).name, gap_mm).flat(number)


def with_kinds(flat: Flat, kinds: dict[int, str]) -> Flat:
    """The flat with other kinds for some of its lines, by their numbers. Raises BadFile when no panel is left."""
    lines = [replace(line, kind=kinds[k], unsure=False) if k in kinds else line for k, line in enumerate(flat.lines)]
    if any(flat.lines[k].kind == "left" and kind != "left" for k, kind in kinds.items()):
        lines = _netted(lines)
    odd = [one for one in flat.odd if one.words in ODD_WORDS.values() or not one.size_mm]
    odd = [one for one in odd if one.words != "Creases cross"]
    return flat_of_lines(lines, odd, flat.scale, flat.page, before=flat)


def _netted(lines: Sequence[FlatLine]) -> list[FlatLine]:
    """Lines split anew where they cross, each piece with the kind it had."""
    kept = [line for line in lines if line.kind == "left"]
    strokes = [Stroke(np.array(line.points), line.layer, line.colour, line.dashes, f"{k}") for k, line in enumerate(lines) if line.kind != "left"]
    net = clean(strokes)
    made = []
    for line in net.lines:
        old = lines[int(strokes[line.stroke].name)]
        made.append(replace(old, points=_at(net.points[list(line.points)])))
    return [*made, *kept]
