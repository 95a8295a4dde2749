"""Build the demo projects of cartons: the Wick's carton with tuck ends, a window, foil and varnish, flat, half open with the lantern in it, and closed;
a film of it folding; the Barrow's shipping case of corrugated board. `python demo/build_cartons.py [--no-thumbnails]`."""

import math
import re
import sys
from pathlib import Path

import ezdxf
import numpy as np
from msgspec.structs import replace

from aulmo import script
from aulmo.deliver.encoding import display_picture, small_png
from aulmo.document import edits, project_file
from aulmo.document.assets import AssetStore
from aulmo.document.made.lettering import outlines
from aulmo.document.properties import put_many
from aulmo.document.records import Backdrop, Camera, Document, Environment, Film, Floor, Placement, RenderSettings, Shot
from aulmo.prepare.carton import boards, make
from aulmo.prepare.carton.inside import put_inside
from aulmo.trace.tracer import render

HERE = Path(__file__).parent
ARTWORK = HERE / "artwork"
Points = list[tuple[float, float]]
WIDE, DEEP, HIGH, TUCK, GLUE = 176.0, 176.0, 352.0, 24.0, 18.0  # of the Wick's carton, mm
WINDOW, WINDOW_AT = 52.0, 214.0  # its radius, and how high its middle lies on the front
CASE = (920.0, 560.0, 460.0, 7.0, 42.0)  # of the Barrow's: length, breadth, height, slot, glue
EXPOSED = 1.9  # stops over what the meter says
EDGE = 6.0  # of paper about the artwork


def arc(x: float, y: float, radius: float, first: float, last: float, count: int = 8) -> Points:
    """Points of an arc, degrees."""
    return [(x + radius * math.cos(math.radians(a)), y + radius * math.sin(math.radians(a))) for a in np.linspace(first, last, count + 1)]


def tuck_carton() -> dict[str, list[Points]]:
    """Lines of the Wick's carton by their layers: back, left, front, right from left to right, the glue flap last."""
    x = [0.0, WIDE, WIDE + DEEP, 2 * WIDE + DEEP, 2 * WIDE + 2 * DEEP]
    cuts: list[Points] = [[(0, 0), (0, HIGH)], [(x[4], HIGH), (x[4] + GLUE, HIGH - 9), (x[4] + GLUE, 9), (x[4], 0)]]
    folds: list[Points] = [[(at, 0), (at, HIGH)] for at in x[1:]]
    for sign, y in ((1, HIGH), (-1, 0.0)):
        cuts.append([(x[0], y), (x[1], y)])
        for k in (1, 3):
            folds.append([(x[k], y), (x[k + 1], y)])
            deep = 0.52 * DEEP
            near, far = (x[k], x[k + 1]) if k == 3 else (x[k + 1], x[k])  # the side beside the lid is straight, the other leans
            lean = 1 if far > near else -1
            cuts.append([(near, y), (near + lean * 1.5, y + sign * 12), (near + lean * 1.5, y + sign * deep), (far - lean * 22, y + sign * deep),
                         (far - lean * 3, y + sign * 14), (far - lean * 3, y + sign * 1), (far, y)])  # fmt: skip
        left, right = x[2], x[3]
        folds += [[(left, y), (right, y)], [(left + 0.6, y + sign * DEEP), (right - 0.6, y + sign * DEEP)]]
        for side, way in ((left, 0.6), (right, -0.6)):
            cuts.append([(side, y), (side + way, y + sign * 2), (side + way, y + sign * DEEP)])
        r, end = TUCK - 3, y + sign * (DEEP + TUCK)
        first = [(px, end - sign * r + sign * py) for px, py in arc(left + 2 + r, 0, r, 180, 90)]
        last = [(px, end - sign * r + sign * py) for px, py in arc(right - 2 - r, 0, r, 90, 0)]
        cuts.append([(left + 0.6, y + sign * DEEP), *first, *last, (right - 0.6, y + sign * DEEP)])
    return {"Cut": cuts, "Crease": folds, "Window": [arc((x[2] + x[3]) / 2, WINDOW_AT, WINDOW, 0, 360, 72)]}


def shipping_case() -> dict[str, list[Points]]:
    """Lines of the Barrow's case by their layers: four panels, slotted flaps at both ends."""
    a, b, h, slot, glue = CASE
    x = [0.0, a, a + b, 2 * a + b, 2 * a + 2 * b]
    cuts: list[Points] = [[(0, 0), (0, h)], [(x[4], h), (x[4] + glue, h - 12), (x[4] + glue, 12), (x[4], 0)]]
    folds: list[Points] = [[(at, 0), (at, h)] for at in x[1:]]
    for sign, y in ((1, h), (-1, 0.0)):
        for k in range(4):
            left, right = x[k] + (slot / 2 if k else 0), x[k + 1] - (slot / 2 if k < 3 else 3)
            folds.append([(left, y), (right, y)])
            cuts.append([(left, y), (left, y + sign * b / 2), (right, y + sign * b / 2), (right, y)])
            cuts.append([(right, y), (x[k + 1] + (slot / 2 if k < 3 else 0), y)])
    return {"Cut": cuts, "Crease": folds}


def write_drawing(path: Path, layers: dict[str, list[Points]]) -> None:
    """A drawing in mm as DXF."""
    drawing = ezdxf.new("R2010")
    drawing.header["$INSUNITS"] = 4
    for name, lines in layers.items():
        drawing.layers.add(name, color={"Cut": 7, "Crease": 1}.get(name, 5))
        for line in lines:
            drawing.modelspace().add_lwpolyline([(float(x), float(y)) for x, y in line], dxfattribs={"layer": name})
    drawing.saveas(path)


def letters(text: str, height: float, middle: float, foot: float) -> str:
    """Letters as a path, their middle and foot in the artwork's mm (y down)."""
    contours = outlines(text, height)
    points = np.concatenate(contours)
    shift = middle - 0.5 * (points[:, 0].min() + points[:, 0].max())
    return "".join("M" + "L".join(f"{x + shift:.3f} {foot - y:.3f}" for x, y in c) + "Z" for c in contours)


def write_artwork(path: Path, layers: dict[str, list[Points]]) -> None:
    """The Wick's artwork as SVG over the drawing, its plates in groups by their names."""
    points = np.array([p for lines in layers.values() for line in lines for p in line])
    low, high = points.min(0), points.max(0)
    wide, tall = high - low + 2 * EDGE
    at = lambda x, y: (x - low[0] + EDGE, high[1] - y + EDGE)  # noqa: E731
    front = 1.5 * WIDE + DEEP
    fx, fy = at(front, WINDOW_AT)
    emblem = re.findall(r'<path[^>]*\sd="([^"]+)"', (ARTWORK / "flame-emblem.svg").read_text())
    band_x, band_y = at(0.0, HIGH)
    panels = ((WIDE, DEEP), (2 * WIDE + DEEP, DEEP))
    band = lambda x, w, k: f'<rect x="{at(x, 0)[0]:.2f}" y="{band_y + 40 + 26 * k:.2f}" width="{w:.2f}" height="9"/>'  # noqa: E731
    sides = "".join(band(x, w, k) for x, w in panels for k in range(11))
    lines = "".join(f'<path d="M{"L".join("%.3f %.3f" % at(x, y) for x, y in line)}"/>' for group in layers.values() for line in group)
    emblems = "".join(f'<path d="{d}"/>' for d in emblem)
    path.write_text(
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{wide:.3f}mm" height="{tall:.3f}mm" viewBox="0 0 {wide:.3f} {tall:.3f}">\n'
        f'<g id="print"><rect width="{wide:.3f}" height="{tall:.3f}" fill="#6d1a14"/>'
        f'<rect x="{band_x:.2f}" y="{at(0, 34)[1]:.2f}" width="{2 * (WIDE + DEEP) + GLUE:.2f}" height="34" fill="#22100d"/>'
        f'<path d="{letters("Wick", 17, fx, at(0, 74)[1])}" fill="#f0e3cc"/>'
        f'<path d="{letters("oil lantern", 8, fx, at(0, 52)[1])}" fill="#f0e3cc"/>'
        f'<path d="{letters("paraffin   0.4 l   18 h", 5.5, fx, at(0, 14)[1])}" fill="#d8bf98"/></g>\n'
        f'<g id="foil gold"><circle cx="{fx:.3f}" cy="{fy:.3f}" r="{WINDOW + 5:.2f}" fill="none" stroke="#000" stroke-width="4"/>'
        f'<path d="{letters("ODREL", 30, fx, at(0, 104)[1])}"/><g transform="translate({fx - 24:.2f} {at(0, 336)[1]:.2f}) scale(0.24)">{emblems}</g></g>\n'
        f'<g id="emboss"><path d="{letters("ODREL", 30, fx, at(0, 104)[1])}"/></g>\n'
        f'<g id="spot varnish">{sides}</g>\n'
        f'<g id="dieline" fill="none" stroke="#00a651" stroke-width="0.3">{lines}</g></svg>\n'
    )


def standing(document: Document, part_id: str, x: float, y: float, turn: float = 0.0) -> Document:
    """A part at a place on the floor."""
    return edits.change_part(document, part_id, placement=Placement(position=(x, y, 0.0), turn=(0.0, 0.0, turn)))


def shot(document: Document, name: str, position, target, focal: float, size=(1600, 1000)) -> Document:
    """A shot of the table."""
    camera = Camera(edits.new_id(), name, position, target, focal_length_mm=focal, exposure_stops=EXPOSED)
    document = edits.put_camera(document, camera)
    return edits.put_shot(document, Shot(edits.new_id(), name, camera.id, *size))


def wick_carton(document: Document, assets: AssetStore) -> tuple[Document, str]:
    """The Wick's carton, printed, with film in its window."""
    document, part = script.make_carton(document, assets, ARTWORK / "wick-carton.dxf", 0.5)
    document = script.print_carton(document, assets, part, ARTWORK / "wick-carton.svg")
    return make.with_film(document, part, 0.12), part


def stage(document: Document) -> Document:
    """A warm grey floor and soft light, without the shots of before."""
    document = replace(document, shots=(), cameras={}, lamps={}, keys={}, motions={}, finishes={}, selections={})
    return replace(
        document, environment=Environment(image="Loft"), backdrop=Backdrop(kind="gradient", top=(0.3, 0.29, 0.28), bottom=(0.12, 0.115, 0.11)),
        floor=Floor(kind="cove"), render=RenderSettings(stop="noise", noise_percent=4.0),
    )  # fmt: skip


def build_table() -> tuple[Document, AssetStore]:
    """Flat, half open with the lantern in it, and closed."""
    document, assets = project_file.load(HERE / "wick.aulmo")
    document = stage(replace(document, name="Wick carton"))
    lantern = next(i for i in document.roots if document.parts[i].name == "Odrel Wick")
    document, first = wick_carton(document, assets)
    document, (closed, flat) = _twice(document, first)
    document = script.fold(document, first, {"top lid": -6.0, "top tuck": 38.0, "top dust": -14.0})
    document = put_inside(document, assets, first, [lantern])
    document = put_many(document, {f"parts/{flat}/carton/folded": 0.0, f"parts/{flat}/carton/rests": "face up"})
    for part, name in ((first, "Carton, open"), (closed, "Carton"), (flat, "Carton, flat")):
        document = edits.change_part(document, part, name=name)
    document = standing(document, closed, 270.0, 60.0, -24.0)
    document = standing(document, flat, -200.0, 860.0, 6.0)
    document = script.add_choice(document, "Carton", "Opened", {f"parts/{closed}/carton/creases/{c.id}/angle": -15.0
                                 for c in make.carton_of(document, closed).creases if c.group in ("top lid", "top dust")})  # fmt: skip
    document = shot(document, "Table", (-420.0, -1700.0, 860.0), (40.0, 200.0, 150.0), 52.0)
    return shot(document, "Front", (20.0, -1500.0, 330.0), (150.0, 30.0, 190.0), 85.0), assets


def _twice(document: Document, part: str) -> tuple[Document, tuple[str, str]]:
    document, one = edits.duplicate_parts(document, [part])
    document, other = edits.duplicate_parts(document, [part])
    return document, (one[0], other[0])


def build_film() -> tuple[Document, AssetStore]:
    """Five seconds in which the carton closes by itself."""
    assets = AssetStore()
    document = stage(Document(name="Wick carton, folding"))
    document, part = wick_carton(document, assets)
    document = edits.change_part(document, part, name="Carton")
    document = put_many(document, {f"parts/{part}/carton/rests": "face down"})
    address = f"parts/{part}/carton/folded"
    document = script.add_key(script.add_key(document, address, 0.4, 0.0), address, 4.6, 1.0)
    document = replace(document, film=Film(end=5.0, play_end=5.0))
    return shot(document, "Folding", (-620.0, -1650.0, 1100.0), (0.0, 20.0, 60.0), 60.0, (1280, 720)), assets


def build_case() -> tuple[Document, AssetStore]:
    """The Barrow's case, open, with the edges of its board in sight."""
    assets = AssetStore()
    document = stage(Document(name="Barrow case"))
    document, part = script.make_carton(document, assets, ARTWORK / "barrow-case.dxf", 6.5)
    board = replace(boards.OURS["Corrugated, coarse flute"], name="Corrugated, double", thickness_mm=6.5, weight=850.0)
    document = make.with_board(document, part, board)
    document = edits.change_part(document, part, name="Barrow case")
    document = script.fold(document, part, {g: -34.0 for g in {c.group for c in make.carton_of(document, part).creases} if g.startswith("top")})
    return shot(document, "Case", (-1500.0, -2600.0, 1750.0), (0.0, 280.0, 280.0), 60.0), assets


def main() -> None:
    """Drawings, artwork, projects."""
    layers = tuck_carton()
    write_drawing(ARTWORK / "wick-carton.dxf", layers)
    write_artwork(ARTWORK / "wick-carton.svg", layers)
    write_drawing(ARTWORK / "barrow-case.dxf", shipping_case())
    for name, build in (("wick-carton", build_table), ("wick-carton-film", build_film), ("barrow-case", build_case)):
        document, assets = build()
        thumbnail = None
        if "--no-thumbnails" not in sys.argv:
            made = render(document, assets, document.shots[0], (480, 300), replace(document.render, stop="samples", samples=64))
            assert made is not None
            thumbnail = small_png(display_picture(made), 320)
        project_file.save(document, assets, HERE / f"{name}.aulmo", thumbnail)
        print(name, len(document.parts), "parts", flush=True)


if __name__ == "__main__":
    main()
