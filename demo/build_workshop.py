"""Build the demo project of the nodes bench: the Wick on stencilled planks, its burner cone tinted by heat, its tank in flake paint, and beside it
two knobs, one whose knurl was modelled and one whose knurl is relief alone. `python demo/build_workshop.py [--no-thumbnails]`."""

import sys
from pathlib import Path

from msgspec.structs import replace

sys.path.insert(0, str(Path(__file__).parent))
from build_hut import box, turned  # noqa: E402

from aulmo.deliver.encoding import display_picture, small_png
from aulmo.document import edits, project_file
from aulmo.document.assets import AssetStore
from aulmo.document.records import (
    Backdrop,
    Camera,
    Document,
    Environment,
    Floor,
    Lay,
    Material,
    Node,
    Part,
    Placement,
    RenderSettings,
    Shot,
    Stop,
    Surface,
    SurfaceLayer,
)  # fmt: skip
from aulmo.surface import swatches
from aulmo.surface.colour import from_hex
from aulmo.surface.metals import openpbr_colours
from aulmo.trace.tracer import render

HERE = Path(__file__).parent
KNOB_RADIUS, KNOB_HEIGHT = 11.0, 9.0
WIDE, DEEP, THICK = 1800.0, 1500.0, 30.0  # of the planks, mm
CHEVRON = b"""<svg xmlns="http://www.w3.org/2000/svg" width="120" height="60"><path d="M0 60L40 0H80L40 60ZM60 60L100 0H120V18L92 60Z" fill="#fff"/></svg>"""


def heat_tinted() -> Material:
    """Steel tinted along the part's axis: bare at its foot, straw, purple, blue where the flame is; scuffs and smears in its roughness."""
    base, edge = openpbr_colours("Stainless steel")
    oxide = tuple(Stop(at, (nm, nm, nm)) for at, nm in ((0.0, 4.0), (0.3, 16.0), (0.6, 33.0), (0.85, 52.0), (1.0, 66.0)))
    nodes = (
        Node("heat", "gradient", choices={"gives": "number"}, stops=oxide, name="Oxide, nm"),
        Node("uneven", "noise", {"size_mm": 9.0}),
        Node("sway", "range", {"in": "@uneven", "outlow": 0.86, "outhigh": 1.14}),
        Node("grown", "multiply", {"in1": "@heat", "in2": "@sway"}),
        Node("tint", "heattint", {"thickness": "@grown", "metal": base}),
        Node("scuffs", "scratches", {"size_mm": 7.0, "width_mm": 0.12, "share": 0.75}),
        Node("deep", "multiply", {"in1": "@scuffs", "in2": 0.28}),
        Node("smears", "noise", {"size_mm": 5.0, "octaves": 5.0, "seed": 3.0}),
        Node("ground", "range", {"in": "@smears", "inlow": 0.3, "inhigh": 0.7, "outlow": 0.14, "outhigh": 0.28}),
        Node("dull", "add", {"in1": "@ground", "in2": "@deep"}),
    )  # fmt: skip
    surface = Surface(base_color=base, specular_color=edge, base_metalness=1.0, specular_roughness=0.2)
    wires = {"base_color": "tint", "specular_roughness": "dull"}
    return Material("cone-steel", "Heat-tinted steel", "Metal", surface, nodes, wires)


def planks(assets: AssetStore) -> Material:
    """Old planks with stencilled letters and chevrons, worn where feet went: the paint is a surface of its own over the wood."""
    drawn = assets.add(CHEVRON, ".svg")
    lay = Lay("stencil", "Stencil", "flat", position=(WIDE / 2 + 8.0, DEEP / 2 - 150.0, THICK), turn=(0.0, 0.0, 3.0), width_mm=100.0)
    rows = Lay("edge", "Edge", "flat", position=(WIDE / 2, DEEP / 2 - 212.0, THICK), turn=(0.0, 0.0, 3.0), width_mm=100.0)
    nodes = (
        Node("wood", "wood", {"ring_mm": 3.4, "board_mm": 78.0, "pith_mm": 70.0, "waver": 1.0, "first": (1.0, 1.0, 1.0), "second": (0.45, 0.38, 0.31)}, axis="x"),
        Node("gap", "stripes", {"size_mm": 78.0, "share": 0.02, "first": 1.0, "second": 0.2}, axis="y"),
        Node("colour", "multiply", {"in1": "@wood", "in2": "@gap"}),
        Node("groove", "stripes", {"size_mm": 78.0, "share": 0.02, "first": 0.0, "second": -1.5}, axis="y"),
        Node("fibres", "noise", {"size_mm": 1.2, "octaves": 2.0, "stretch": 60.0}, axis="x"),
        Node("ripple", "range", {"in": "@fibres", "outhigh": 0.09}),
        Node("relief", "add", {"in1": "@groove", "in2": "@ripple"}),
        Node("letters", "text", {"height_mm": 40.0}, lay="stencil", choices={"text": "ODREL 0417"}),
        Node(
            "chevrons", "shapes", {"size_mm": 44.0, "spacing_mm": 44.0, "first": 0.0, "second": 1.0}, lay="edge", image=drawn, file="chevron.svg",
            choices={"shape": "drawn", "repeat": "rows"},
        ),
        Node("stencil", "max", {"in1": "@letters", "in2": "@chevrons"}),
        Node("feet", "noise", {"size_mm": 26.0, "octaves": 7.0, "gain": 0.62}),
        Node("left", "range", {"in": "@feet", "inlow": 0.36, "inhigh": 0.46}),
        Node("grain", "range", {"in": "@fibres", "inlow": 0.3, "inhigh": 0.42, "outlow": 0.25, "outhigh": 1.0}),
        Node("kept", "multiply", {"in1": "@left", "in2": "@grain"}),
        Node("mask", "multiply", {"in1": "@stencil", "in2": "@kept"}),
    )  # fmt: skip
    paint = SurfaceLayer(
        "paint", "Stencil paint", Surface(base_color=from_hex("#d9d4c4"), base_diffuse_roughness=0.5, specular_roughness=0.6), {"height": "relief"}, "@mask"
    )
    surface = Surface(base_color=from_hex("#8f6f4c"), base_diffuse_roughness=0.3, specular_roughness=0.5)
    wires = {"base_weight": "colour", "height": "relief"}
    return Material("planks", "Stencilled planks", "Wood & stone", surface, nodes, wires, lays=(lay, rows), layers=(paint,))


def relief_knob() -> Material:
    """Brass with a knurl that is relief alone, where the cylinder's side is; its cap is turned."""
    brass = swatches.material("Polished brass")
    nodes = (
        Node("knurl", "knurl", {"size_mm": 1.45, "angle": 30.0, "sharp": 0.85}, projection="cylinder"),
        Node("way", "normal"),
        Node("up", "extract", {"in": "@way"}, choices={"index": "2"}),
        Node("level", "absval", {"in": "@up"}),
        Node("side", "range", {"in": "@level", "inlow": 0.2, "inhigh": 0.5, "outlow": 0.55, "outhigh": 0.0}),
        Node("height", "multiply", {"in1": "@knurl", "in2": "@side"}),
        Node("turned", "brushed", {"size_mm": 0.18, "length_mm": 20.0}, choices={"way": "turned"}),
        Node("dull", "range", {"in": "@turned", "inlow": 0.2, "inhigh": 0.8, "outlow": 0.12, "outhigh": 0.24}),
    )
    return replace(brass, id="relief-knob", name="Brass, knurled by relief", nodes=nodes, wires={"height": "height", "specular_roughness": "dull"})


def build() -> tuple[Document, AssetStore]:
    """The project and its assets."""
    document, assets = project_file.load(HERE / "wick.aulmo")
    flake = replace(swatches.material("Midnight flake"), id="tank-flake", name="Midnight flake")
    for material in (heat_tinted(), planks(assets), relief_knob(), flake):
        document = edits.put_material(document, material)
    by_name = {p.name: p for p in document.parts.values()}
    document = edits.assign_material(document, [by_name["Burner cone"].id], "cone-steel")
    painted = [p.id for p in document.parts.values() if p.mesh and p.material and document.materials[p.material].name == "Rust enamel"]
    document = edits.assign_material(document, painted, flake.id)
    r, h = KNOB_RADIUS, KNOB_HEIGHT
    profile = [(0, 0), (r - 0.8, 0), (r, 0.8), (r, h - 0.8), (r - 0.8, h), (4.2, h), (3.6, h - 0.6), (0, h - 0.6)]
    planked = assets.add_mesh(box(WIDE, DEEP, THICK))
    parts = [
        Part(id="planks", name="Plank floor", mesh=planked, material="planks", placement=Placement((-WIDE / 2, -DEEP / 2, -THICK))),
        Part(id="knob-modelled", name="Knob, modelled", mesh=by_name["Knob"].mesh, material=by_name["Knob"].material,
             placement=Placement((68.0, -118.0, 0.0), (0.0, 0.0, 20.0)), edge_radius=0.2),
        Part(id="knob-relief", name="Knob, by relief", mesh=assets.add_mesh(turned(profile, 160)), material="relief-knob",
             placement=Placement((98.0, -104.0, 0.0))),
    ]  # fmt: skip
    document = edits.add_parts(document, parts, [p.id for p in parts])
    camera = Camera(
        id="workshop-camera", name="Workshop", position=(250.0, -760.0, 350.0), target=(2.0, -30.0, 116.0), focal_length_mm=76.0, f_stop=9.0,
        shutter=1 / 15, exposure_stops=0.55,
    )  # fmt: skip
    knobs = Camera(
        id="knobs-camera", name="Knobs", position=(150.0, -300.0, 96.0), target=(80.0, -104.0, 6.0), focal_length_mm=100.0, f_stop=14.0, shutter=1 / 8,
        depth_of_field=True, focus=228.0, exposure_stops=0.5,
    )  # fmt: skip
    document = edits.put_camera(edits.put_camera(document, camera), knobs)
    shots = (
        Shot(id="workshop", name="Workshop", camera=camera.id, width=1600, height=2000),
        Shot(id="knobs", name="Knobs", camera=knobs.id, width=1600, height=1200),
        *(s for s in document.shots if s.id == "burner"),
    )
    document = replace(
        document, name="Wick in the workshop", shots=shots, environment=Environment(image="Loft", turn=-22.0), floor=Floor(kind="none"),
        backdrop=Backdrop(kind="gradient", top=(0.16, 0.16, 0.16), bottom=(0.06, 0.06, 0.06)), render=RenderSettings(stop="noise", noise_percent=6.0),
    )  # fmt: skip
    kept = {s.camera for s in shots}
    document = replace(document, cameras={i: c for i, c in document.cameras.items() if i in kept})
    return edits.drop_unused_materials(document), assets


def main() -> None:
    """Write the project."""
    document, assets = build()
    thumbnail = None
    if "--no-thumbnails" not in sys.argv:
        made = render(document, assets, document.shots[0], (320, 400), RenderSettings(stop="samples", samples=48))
        thumbnail = small_png(display_picture(made)[..., :3], 400)
    project_file.save(document, assets, HERE / "wick-workshop.aulmo", thumbnail)
    print("wick-workshop")


if __name__ == "__main__":
    main()
