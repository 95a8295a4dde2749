"""Render the sheets in docs/sheets: eighty materials on a test form, one picture of each kind of lamp, shots of the demo projects.

Run with PYTHONPATH=src; arguments choose among materials, lamps, hero, oil, table and room.
"""

import sys
from pathlib import Path

import numpy as np
from msgspec.structs import replace
from PIL import Image, ImageDraw, ImageFont

from aulmo.deliver.developing import developed, settings_for
from aulmo.deliver.encoding import display_picture
from aulmo.document import edits, project_file
from aulmo.document.assets import AssetStore
from aulmo.document.property_table import LAMP_KINDS as KINDS
from aulmo.document.records import Backdrop, Camera, Document, Environment, Floor, Lamp, Material, Part, RenderSettings, Shot, Sky, Surface
from aulmo.light.place_lamp import pointed_at
from aulmo.surface import swatches
from aulmo.surface.colour import from_hex
from aulmo.trace.tracer import render

sys.path.insert(0, str(Path(__file__).parents[1] / "demo"))
from build_hut import IES, turned  # noqa: E402

OUT = Path("docs/sheets")
FONT = Path("src/aulmo/desk/fonts")

def test_form():
    """A foot, a groove, a waist and a ball: flat, hollow and round places, sharp and soft edges."""
    ball = [(24.0 * np.sin(t), 62.0 - 24.0 * np.cos(t)) for t in np.linspace(0.62, np.pi, 40)]
    return turned(
        [(0, 0), (33, 0), (35, 2), (35, 11), (33, 13), (29, 13), (29, 16), (33, 16), (34, 18), (34, 21), (31, 24), (18, 30), (13, 36), *ball], 128
    )


def stage(material: Material, **more) -> tuple[Document, AssetStore]:
    """The form on a grey cove under studio light."""
    assets = AssetStore()
    form = assets.add_mesh(test_form())
    grey = Material(id="grey", name="Grey", surface=Surface(base_color=(0.32, 0.32, 0.32), specular_weight=0.3, specular_roughness=0.6))
    camera = Camera(id="c", name="C", position=(60, -330, 150), target=(0, 0, 39), focal_length_mm=100, shutter=1 / 15, exposure_stops=0.4)
    document = Document(
        parts={"form": Part(id="form", name="Form", mesh=form, material=material.id)}, roots=("form",), materials={material.id: material, "grey": grey},
        cameras={"c": camera}, shots=(Shot(id="s", name="S", camera="c"),), floor=Floor(kind="cove", material="grey"),
        **{"environment": Environment(image="Loft", turn=-10.0), "backdrop": Backdrop(kind="gradient"), **more},
    )  # fmt: skip
    return document, assets


def picture(document: Document, assets: AssetStore, size, samples: int) -> np.ndarray:
    """(h, w, 3) bytes."""
    made = render(document, assets, document.shots[0], size, RenderSettings(stop="samples", samples=samples, bounces=24, clear_bounces=24))
    assert made is not None
    return np.rint(display_picture(made)[..., :3] * 255).astype(np.uint8)


def sheet(cells: list[tuple[str, np.ndarray]], columns: int, name: str) -> None:
    """Pictures with their names under them, in rows."""
    h, w = cells[0][1].shape[:2]
    rows = -(-len(cells) // columns)
    page = Image.new("RGB", (columns * (w + 6) + 6, rows * (h + 24) + 6), "#2e2e2e")
    draw = ImageDraw.Draw(page)
    fonts = sorted(FONT.glob("*.ttf"))
    font = ImageFont.truetype(str(fonts[0]), 12) if fonts else ImageFont.load_default(12)
    for k, (title, pixels) in enumerate(cells):
        x, y = 6 + (k % columns) * (w + 6), 6 + (k // columns) * (h + 24)
        page.paste(Image.fromarray(pixels), (x, y))
        draw.text((x + 3, y + h + 3), title, fill="#d8d8d8", font=font)
    OUT.mkdir(parents=True, exist_ok=True)
    page.save(OUT / f"{name}.jpg", quality=90)
    print(name, page.size, flush=True)


def materials() -> None:
    """All of the shelf."""
    names = swatches.names()
    assert len(names) == 80, len(names)
    cells = []
    for name in names:
        document, assets = stage(replace(swatches.material(name), id="m"))
        cells.append((name, picture(document, assets, (150, 172), 64)))
        print(name, flush=True)
    sheet(cells, 10, "materials")


def lamps() -> None:
    """One picture of each kind, alone in the dark."""
    plaster = Material(id="m", name="Plaster", surface=replace(swatches.material("Satin brass").surface, specular_roughness=0.3))
    cells = []
    for kind, title in KINDS.items():
        base, assets = stage(plaster)
        at = pointed_at(
            Lamp(id="l", name=title, kind=kind, position=(-150.0, -130.0, 210.0), width=110.0, height=110.0, power=900.0, seen=False), (0, 0, 30)
        )
        lamp = {
            "ring": replace(at, height=80.0), "tube": replace(at, width=14.0, height=220.0, turn=(0.0, 0.0, 40.0)), "sphere": replace(at, width=70.0),
            "point": replace(at, width=0.0), "spot": replace(at, width=8.0, cone=26.0, softness=0.3, power=420.0, unit="candela"),
            "distant": replace(at, power=3500.0, unit="lux", angle=2.0), "sun": replace(at, power=4500.0, unit="lux", angle=0.53, kelvin=5000.0),
        }.get(kind, at)  # fmt: skip
        if kind == "photometric":
            # a wall washer: the measured light drawn on the cove behind
            lamp = replace(lamp, position=(0.0, 60.0, 190.0), turn=(0.0, 0.0, 0.0), profile=assets.add(IES.encode(), ".ies"), width=4.0, power=700.0)
        dark = Environment(exposure=-30.0)
        if kind == "portal":
            dark = Environment(sky=Sky(elevation=20.0, azimuth=230.0), exposure=-2.6)
            base = replace(base, environment=dark)
            base, assets = in_a_box(base, assets)
            lamp = replace(lamp, position=(-300.0, 0.0, 150.0), width=180.0, height=180.0)
            lamp = pointed_at(lamp, (0.0, 0.0, 150.0))
        document = replace(base, environment=dark, lamps={"l": lamp}, backdrop=Backdrop(kind="colour", top=(0.0, 0.0, 0.0)))
        cells.append((title, picture(document, assets, (236, 236), 160)))
        print(kind, flush=True)
    sheet(cells, 4, "lamps")


def in_a_box(document: Document, assets: AssetStore) -> tuple[Document, AssetStore]:
    """Walls around the set with one opening on the left."""
    from build_hut import box

    from aulmo.document.records import Placement

    wall = Material(id="wall", name="Wall", surface=Surface(base_color=from_hex("#c9c2b6"), specular_weight=0.2))
    document = edits.put_material(document, wall)
    walls = {
        "Back": ((640, 20, 420), (-320, 300, 0)), "Front": ((640, 20, 420), (-320, -420, 0)), "Right": ((20, 740, 420), (300, -420, 0)),
        "Top": ((640, 740, 20), (-320, -420, 400)), "Near": ((20, 330, 420), (-320, -420, 0)), "Far": ((20, 210, 420), (-320, 90, 0)),
        "Low": ((20, 180, 60), (-320, -90, 0)), "High": ((20, 180, 160), (-320, -90, 240)),
    }  # fmt: skip
    for name, (size, at) in walls.items():
        part = Part(id=name, name=name, mesh=assets.add_mesh(box(*size)), material="wall", placement=Placement(tuple(float(v) for v in at)))
        document = edits.add_parts(document, [part], [name])
    camera = replace(document.cameras["c"], exposure_stops=2.2)
    return replace(document, floor=Floor(kind="plain", material="grey"), cameras={"c": camera}), assets


# of the demo: project, shot, size, samples, file
SHOTS = {
    "hero": ("wick", "hero", (800, 1000), 48, "docs/screenshots/hero.png"),
    "oil": ("wick", "oil", (720, 540), 64, "docs/sheets/oil-window.jpg"),
    "table": ("hut", "table", (800, 600), 64, "docs/sheets/table.jpg"),
    "workshop": ("wick-workshop", "workshop", (640, 800), 96, "docs/sheets/workshop.jpg"),
    "knobs": ("wick-workshop", "knobs", (720, 540), 96, "docs/sheets/knobs.jpg"),
    "room": ("hut", "room", (960, 720), 64, "docs/sheets/room.jpg"),
}


def shot(name: str) -> None:
    """One shot of a demo project as it is lit and finished there."""
    project, wanted, size, samples, file = SHOTS[name]
    document, assets = project_file.load(Path("demo") / f"{project}.aulmo")
    found = next(s for s in document.shots if s.id == wanted)
    settings = settings_for(document, found, replace(document.render, stop="samples", samples=samples, negative=False), "png")
    made = render(document, assets, found, size, settings)
    assert made is not None
    made = developed(document, assets, found, made, settings, "png")
    Image.fromarray(np.rint(display_picture(made)[..., :3] * 255).astype(np.uint8)).save(file, quality=92)
    print(file, flush=True)


if __name__ == "__main__":
    for name in sys.argv[1:] or ["materials", "lamps", *SHOTS]:
        if name in SHOTS:
            shot(name)
        else:
            {"materials": materials, "lamps": lamps}[name]()
