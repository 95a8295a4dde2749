"""Flat drawings as PDF: the paths that a page strokes, with layer (optional content), spot colour and dashes (ISO 32000-1, 8.5 and 8.11)."""

from pathlib import Path
from typing import Any

import numpy as np

from aulmo.errors import BadFile
from aulmo.prepare.carton.strokes import Drawing, Stroke, cubic, dashes_of

POINT_MM = 25.4 / 72.0
MOST_OPERATORS, DEEPEST = 2_000_000, 12


def read(path: Path, unit_mm: float) -> Drawing:
    """The strokes of the first page that has any. Raises BadFile, or whatever the library raises for a damaged file."""
    import pikepdf

    try:
        opened = pikepdf.open(path)
    except pikepdf.PasswordError as error:
        raise BadFile(f"{path.name} is locked by a password.") from error
    with opened as file:
        for number, page in enumerate(file.pages):
            box = [float(v) for v in page.trimbox]
            left, bottom = min(box[0], box[2]), min(box[1], box[3])
            width, height = abs(box[2] - box[0]), abs(box[3] - box[1])
            unit = unit_mm or POINT_MM * float(page.obj.get("/UserUnit", 1.0))
            walker = _Walker(_layers(file))
            walker.walk(page.obj, page.resources, np.eye(3), 0)
            found = walker.stroked or walker.filled
            if not found:
                continue
            turned = int(page.obj.get("/Rotate", 0)) % 360
            strokes = [s._replace(points=_turned(s.points - [left, bottom], width, height, turned) * unit) for s in found]
            if turned in (90, 270):
                width, height = height, width
            notes = [] if walker.stroked else [f"{path.name} has no stroked lines; the outlines of its areas are taken."]
            if len(file.pages) > 1:
                notes.append(f"Page {number + 1} of {len(file.pages)} of {path.name} is taken.")
            words = "points" if not unit_mm else f"1 unit = {unit_mm:g} mm"
            return Drawing(strokes, words, (0.0, 0.0, width * unit, height * unit), notes)
    raise BadFile(f"{path.name} holds no lines, only pictures or text; a carton needs its drawing as vectors.")


def _turned(points: np.ndarray, width: float, height: float, by: int) -> np.ndarray:
    """Points of a page as it is shown, turned clockwise by `by` degrees."""
    x, y = points[:, 0], points[:, 1]
    if by == 90:
        return np.stack([y, width - x], 1)
    if by == 180:
        return np.stack([width - x, height - y], 1)
    return np.stack([height - y, x], 1) if by == 270 else points


def _layers(file) -> set[tuple[int, int]]:
    """The object numbers of layers that are off."""
    try:
        return {one.objgen for one in file.Root.OCProperties.D.get("/OFF", [])}
    except AttributeError:
        return set()


class _State:
    """What q and Q keep and bring back."""

    def __init__(self) -> None:
        self.matrix = np.eye(3)
        self.colour, self.space = "#000000", ""
        self.fill, self.fill_space = "#000000", ""
        self.dashes = ""

    def copy(self) -> "_State":
        other = _State()
        other.__dict__.update(self.__dict__)
        return other


class _Walker:
    """Goes through a page's operators and gathers its paths."""

    def __init__(self, off: set[tuple[int, int]]) -> None:
        self.stroked: list[Stroke] = []
        self.filled: list[Stroke] = []
        self.off = off
        self.count = 0
        self.marks: list[tuple[str, bool]] = []  # of marked content: its layer, whether that is shown

    def walk(self, content: Any, resources: Any, matrix: np.ndarray, level: int) -> None:
        """The paths of a page, or of a form within it."""
        import pikepdf

        state = _State()
        state.matrix = matrix
        kept: list[_State] = []
        lines: list[list[np.ndarray]] = []
        marks = len(self.marks)

        def at(x: Any, y: Any) -> np.ndarray:
            return (state.matrix @ [float(x), float(y), 1.0])[:2]

        for operands, operator in pikepdf.parse_content_stream(content):
            self.count += 1
            if self.count > MOST_OPERATORS:
                raise BadFile("The PDF holds more than a flat drawing could.")
            name = str(operator)
            o = operands
            if name == "q":
                kept.append(state.copy())
            elif name == "Q" and kept:
                state = kept.pop()
            elif name == "cm" and len(o) == 6:
                a, b, c, d, e, f = (float(v) for v in o)
                state.matrix = state.matrix @ np.array([[a, c, e], [b, d, f], [0, 0, 1]])
            elif name == "m":
                lines.append([at(o[0], o[1])])
            elif name == "l" and lines:
                lines[-1].append(at(o[0], o[1]))
            elif name in ("c", "v", "y") and lines:
                start = lines[-1][-1]
                places = [at(o[k], o[k + 1]) for k in range(0, len(o), 2)]
                first, second, end = places if name == "c" else (start, *places) if name == "v" else (places[0], places[1], places[1])
                scaled = [p * POINT_MM for p in (start, first, second, end)]
                lines[-1].extend(cubic(*scaled) / POINT_MM)
            elif name == "h" and lines:
                lines[-1].append(lines[-1][0])
                lines.append([lines[-1][0]])
            elif name == "re":
                x, y, w, h = (float(v) for v in o)
                lines.append([at(*p) for p in ((x, y), (x + w, y), (x + w, y + h), (x, y + h), (x, y))])
            elif name in ("S", "s", "B", "B*", "b", "b*", "f", "F", "f*", "n"):
                if name in ("s", "b", "b*") and lines:
                    lines[-1].append(lines[-1][0])
                self._keep(lines, state, name)
                lines = []
            elif name == "d":
                lengths = [float(v) for v in o[0]]
                state.dashes = dashes_of(lengths * 2 if len(lengths) % 2 else lengths)
            elif name in ("RG", "G", "K", "SC", "SCN", "CS", "rg", "g", "k", "sc", "scn", "cs"):
                self._coloured(state, name, o, resources)
            elif name in ("BDC", "BMC"):
                self.marks.append(self._mark(o, resources))
            elif name == "EMC" and len(self.marks) > marks:
                self.marks.pop()
            elif name == "Do" and level < DEEPEST:
                self._form(o[0], resources, state, level)

    def _form(self, named: Any, resources: Any, state: _State, level: int) -> None:
        form = resources.get("/XObject", {}).get(str(named)) if resources is not None else None
        if form is None or form.get("/Subtype") != "/Form":
            return
        a, b, c, d, e, f = (float(v) for v in form.get("/Matrix", [1, 0, 0, 1, 0, 0]))
        layer = form.get("/OC")
        if layer is not None:
            self.marks.append(self._layer(layer))
        self.walk(form, form.get("/Resources", resources), state.matrix @ np.array([[a, c, e], [b, d, f], [0, 0, 1]]), level + 1)
        if layer is not None:
            self.marks.pop()

    def _layer(self, layer: Any) -> tuple[str, bool]:
        return str(layer.get("/Name", "")), layer.objgen not in self.off

    def _mark(self, operands: Any, resources: Any) -> tuple[str, bool]:
        layer = marked_layer(operands, resources)
        return self._layer(layer) if layer is not None else ("", True)

    def _coloured(self, state: _State, name: str, operands: Any, resources: Any) -> None:
        stroke = name.isupper()
        if name in ("CS", "cs"):
            space = resources.get("/ColorSpace", {}).get(str(operands[0])) if resources is not None else None
            spot = spot_of(space) if space is not None else ""
            if stroke:
                state.space = spot
            else:
                state.fill_space = spot
            return
        numbers = [float(v) for v in operands if _is_number(v)]
        colour = _hex(numbers)
        if name in ("RG", "G", "K"):
            state.space = ""
        elif name in ("rg", "g", "k"):
            state.fill_space = ""
        if stroke:
            state.colour = colour
        else:
            state.fill = colour

    def _keep(self, lines: list[list[np.ndarray]], state: _State, name: str) -> None:
        if name == "n" or any(not shown for _, shown in self.marks):
            return
        strokes = name in ("S", "s", "B", "B*", "b", "b*")
        layer = next((word for word, _ in reversed(self.marks) if word), "")
        for points in lines:
            if len(points) > 1:
                made = Stroke(np.array(points), layer, state.colour if strokes else state.fill, state.dashes if strokes else "",
                    state.space if strokes else state.fill_space)  # fmt: skip
                (self.stroked if strokes else self.filled).append(made)


def _is_number(value: Any) -> bool:
    try:
        float(value)
    except (TypeError, ValueError):
        return False
    return True


def marked_layer(operands: Any, resources: Any) -> Any:
    """The layer (optional content group) that marked content belongs to, None for none."""
    if len(operands) > 1 and str(operands[0]) == "/OC" and resources is not None:
        return resources.get("/Properties", {}).get(str(operands[1]))
    return None


def spot_of(space: Any) -> str:
    """The name of a spot colour's space, "" for any other space."""
    import pikepdf

    if isinstance(space, (pikepdf.Name, str)) or len(space) < 2 or str(space[0]) != "/Separation":
        return ""
    return str(space[1]).lstrip("/").replace("#20", " ")


def _hex(numbers: list[float]) -> str:
    """Numbers of a colour as "#rrggbb": one is grey, three are red, green, blue, four are cyan, magenta, yellow, black."""
    if len(numbers) == 1:
        numbers = numbers * 3
    elif len(numbers) == 4:
        numbers = [(1 - numbers[k]) * (1 - numbers[3]) for k in range(3)]
    elif len(numbers) != 3:
        return "#000000"
    return "#" + "".join(f"{int(round(255 * min(1.0, max(0.0, v)))):02x}" for v in numbers)
