"""Build the demo projects from the STEP files: `python demo/build_projects.py [--no-thumbnails] [NAME...]`."""

import sys
from pathlib import Path

import finishes
import light_sets
import numpy as np
from msgspec.structs import replace

from aulmo.deliver.encoding import display_picture, small_png
from aulmo.document import edits, project_file
from aulmo.document.assets import AssetStore
from aulmo.document.decals import put_decal
from aulmo.document.placement import world_matrix
from aulmo.document.records import Backdrop, Camera, Document, Environment, Finesse, Floor, Lamp, Material, Node, RenderSettings, Shot, Surface
from aulmo.light.place_lamp import pointed_at
from aulmo.prepare import arrange, copying, pieces, standing, sticking
from aulmo.prepare.import_file import import_file
from aulmo.surface import metals, swatches
from aulmo.surface.colour import from_hex
from aulmo.surface.laying import lay_set
from aulmo.surface.picture_set import load_picture, recognised
from aulmo.trace.pick import pick
from aulmo.trace.scene import SceneBuilder
from aulmo.trace.tracer import render

HERE = Path(__file__).parent
ART = HERE / "artwork"
DRESS = {
    "Rust enamel": ["Tank shell", "Hood skirt", "Chimney cap"],
    "Letter enamel": ["Plate letters"],
    "Black rubber": ["Foot ring"],
    "Satin brass": [
        "Window bezel",
        "Filler cap",
        "Collar",
        "Gallery",
        "Burner cone",
        "Wick tube",
        "Crown ring",
        "Chimney band",
        "Finial",
        "Plate rim",
    ],
    "Knob brass": ["Knob"],
    "Clear glass": ["Globe", "Oil window"],
    "Lamp oil": ["Lamp oil"],
    "Cream enamel": ["Window well", "Maker's plate"],
    "Stainless wire": ["Guard wire", "Bail wire", "Bail ear", "Knob shaft"],
    "Nickel": ["Screw"],
    "Cotton": ["Wick"],
    "Wick flame": ["Flame"],
    "Flame core": ["Flame core"],
    "Oiled ash": ["Grip"],
}


def dress(document: Document) -> Document:
    """Give every part its material."""
    for name, parts in DRESS.items():
        base = {"Letter enamel": "Rust enamel", "Knob brass": "Polished brass", "Cotton": "White paper", "Flame core": "Wick flame"}.get(name, name)
        material = replace(swatches.material(base), name=name)
        if name == "Satin brass":
            material = replace(material, surface=replace(material.surface, specular_roughness=0.24))
        if name == "Wick flame":
            material = flame(material, from_hex("#ffb24e"), 5200.0, 0.5)
        if name == "Flame core":
            material = flame(material, from_hex("#ffd490"), 22000.0, 1.0)
        if name == "Oiled ash":  # the grip was turned from a branch that lay along it
            material = edits.with_node(edits.with_node(material, "wood", axis="x", pith_mm=9.0, ring_mm=1.7), "fibres", axis="x")
        document = edits.put_material(document, material)
        ids = [
            p.id
            for p in document.parts.values()
            if p.mesh and any(p.name == n or p.name.startswith(n + " ") and p.name[len(n) + 1 :].isdigit() for n in parts)
        ]
        assert ids, name
        document = edits.assign_material(document, ids, material.id)
    crisp = [p.id for p in document.parts.values() if p.mesh and p.name.startswith(("Screw", "Bail ear", "Maker's plate", "Plate rim", "Knob shaft"))]
    document = edits.change_parts(document, crisp, edge_radius=0.25)
    return edits.drop_unused_materials(document)


def flame(material: Material, colour: tuple, nits: float, thick: float) -> Material:
    """A flame as a camera sees it: soft at its edge, thin and bluish at the wick, deepest orange at its tip. A `thick` of 1 is solid."""
    nodes = (
        Node("edge", "facingratio", {"power": 1.2}),
        Node("root", "ramp", {"from_mm": 127.0, "to_mm": 137.0, "first": 0.12, "second": thick}),
        Node("tip", "ramp", {"from_mm": 150.0, "to_mm": 165.5, "first": 1.0, "second": 0.35}),
        Node("ends", "multiply", {"in1": "@root", "in2": "@tip"}),
        Node("body", "multiply", {"in1": "@edge", "in2": "@ends"}),
        Node("blue", "ramp", {"from_mm": 128.0, "to_mm": 138.0, "first": (0.10, 0.16, 0.55), "second": (1.0, 0.9, 0.75)}),
        Node("orange", "ramp", {"from_mm": 143.0, "to_mm": 165.0, "first": (1.0, 1.0, 1.0), "second": (1.0, 0.78, 0.6)}),
        Node("both", "multiply", {"in1": "@blue", "in2": "@orange"}),
        Node("glow", "multiply", {"in1": "@both", "in2": "@edge" if thick == 1.0 else 1.0}),
    )
    surface = replace(material.surface, base_weight=0.0, emission_color=colour, emission_luminance=nits)
    return replace(
        material,
        surface=surface,
        nodes=nodes,
        wires={"emission_color": "glow"} if thick == 1.0 else {"emission_color": "glow", "geometry_opacity": "body"},
    )


def spot(document: Document, assets: AssetStore, origin, toward) -> sticking.Spot:
    """The place that is met first from a point on the way to another."""
    scene = SceneBuilder(assets).build(document, tables=False)
    hit = pick(scene, origin, np.asarray(toward, float) - np.asarray(origin, float))
    assert hit is not None and hit.part is not None
    return sticking.Spot(hit.part, hit.triangle, hit.point, hit.normal)


def from_front(azimuth: float, z: float, far: float = 200.0) -> np.ndarray:
    """A point before the lantern, by the angle that its parts are placed with."""
    turn = np.radians(azimuth)
    return np.array([far * np.sin(turn), -far * np.cos(turn), z])


def artwork(document: Document, assets: AssetStore, name: str) -> dict:
    """What a decal of one of the drawings beside this file is made with."""
    return {"picture": load_picture(assets, ART / name), "file": name}


def print_on(document: Document, assets: AssetStore) -> Document:
    """The lantern's maker's plate, the scale of its oil window, a foil emblem on its hood and its number moulded into the foot."""
    document = edits.change_parts(document, [p.id for p in document.parts.values() if p.name == "Plate letters"], visible=False)
    enamel = replace(swatches.material("Cream enamel"), id="print-enamel", name="Printed enamel")
    ink = Material(id="print-ink", name="Red ink", surface=Surface(base_color=from_hex("#b3261e"), specular_roughness=0.35))
    foil = replace(swatches.material("Gold leaf"), id="print-foil", name="Gold foil")
    rubber = replace(swatches.material("Black rubber"), id="print-rubber", name="Moulded letters")
    rubber = replace(rubber, surface=replace(rubber.surface, base_color=from_hex("#3a3a3b"), specular_roughness=0.5), nodes=(), wires={})
    for material in (enamel, ink, foil, rubber):
        document = edits.put_material(document, material)
    axis = lambda z: np.array([0.0, 0.0, z])  # noqa: E731
    wanted = (
        (from_front(26.0, 40.0), axis(40.0), {"name": "Maker's plate", "width_mm": 42.0, "material": enamel.id, **artwork(document, assets, "makers-plate.svg")}, None),
        (from_front(-27.0, 38.0), axis(38.0), {"name": "Oil scale", "width_mm": 11.0, "material": ink.id, **artwork(document, assets, "oil-scale.svg")}, None),
        (
            from_front(2.0, 222.0), axis(222.0),
            {"name": "Flame emblem", "width_mm": 15.0, "material": foil.id, "colouring": "one", "colour": foil.surface.base_color,
             **artwork(document, assets, "flame-emblem.svg")}, None,
        ),
        (
            from_front(10.0, 4.6), axis(4.6),
            {"name": "Number", "artwork": "text", "text": "ODREL  N 0417  1 L", "width_mm": 46.0, "material": rubber.id, "raised_mm": 0.3,
             "colouring": "one", "colour": from_hex("#4a4a4b")}, "cylinder",
        ),
    )  # fmt: skip
    for origin, toward, own, wrap in wanted:
        decal = sticking.new_decal(document, assets, spot(document, assets, origin, toward), wrap, **own)
        document = put_decal(document, decal)
    return document


def scuff(document: Document, assets: AssetStore) -> Document:
    """The rust enamel of a lantern that has been on the road: a set of three pictures, laid as a box."""
    found, trouble = recognised(assets, sorted((ART / "scuffed-enamel").iterdir()))
    assert not trouble, trouble
    part = next(p for p in document.parts.values() if p.name == "Tank shell")
    document, material_id = lay_set(document, assets, [f"parts/{part.id}"], found, projection="box")
    material = document.materials[material_id]
    return edits.put_material(document, replace(material, name="Scuffed rust enamel", lays=tuple(replace(one, blend=0.5) for one in material.lays)))


def set_up(document: Document) -> Document:
    """Light, floor, three shots."""
    chalk = replace(swatches.material("White paper"), name="Cove paper")
    chalk = replace(chalk, surface=replace(chalk.surface, base_color=from_hex("#75716b"), specular_weight=0.2))
    document = edits.put_material(document, chalk)
    document = replace(
        document,
        environment=Environment(image="Loft", turn=-8.0),
        floor=Floor(kind="cove", material=chalk.id, turn=-6.0),
        backdrop=Backdrop(kind="gradient", top=(0.3, 0.3, 0.3), bottom=(0.1, 0.1, 0.1)),
        render=RenderSettings(stop="noise", noise_percent=6.0),
    )
    hero = Camera(
        id="hero-camera",
        name="Hero",
        position=(200.0, -886.0, 250.0),
        target=(4.0, 0.0, 161.0),
        focal_length_mm=90.0,
        f_stop=8.0,
        shutter=1 / 15,
        exposure_stops=0.45,
    )
    close = Camera(
        id="burner-camera", name="Burner", position=(352.0, -230.0, 172.0), target=(14.0, -6.0, 108.0), focal_length_mm=100.0, f_stop=11.0, shutter=1 / 8,
        depth_of_field=True, focus=362.0, blades=7, exposure_stops=0.1,
    )  # fmt: skip
    cut = Camera(
        id="cut-camera",
        name="Cut-out",
        position=(-260.0, -960.0, 230.0),
        target=(0.0, 0.0, 164.0),
        focal_length_mm=90.0,
        shutter=1 / 15,
        exposure_stops=0.1,
    )
    oil = Camera(
        id="oil-camera", name="Oil window", position=(-176.0, -322.0, 92.0), target=(-33.0, -62.0, 38.5), focal_length_mm=105.0, f_stop=11.0,
        shutter=1 / 8, depth_of_field=True, focus=296.0, exposure_stops=0.1,
    )  # fmt: skip
    for camera in (hero, close, cut, oil):
        document = edits.put_camera(document, camera)
    document = edits.put_shot(document, Shot(id="hero", name="Hero", camera=hero.id, width=1600, height=2000))
    document = edits.put_shot(document, Shot(id="burner", name="Burner", camera=close.id, width=1600, height=1200))
    document = edits.put_shot(document, Shot(id="oil", name="Oil window", camera=oil.id, width=1600, height=1200))
    return edits.put_shot(
        document,
        Shot(
            id="cut-out",
            name="Cut-out",
            camera=cut.id,
            width=1500,
            height=2000,
            overrides={"backdrop/kind": "transparent", "floor/kind": "shadow"},
        ),  # fmt: skip
    )


def connector(assets: AssetStore) -> Document:
    """The Odrel Link on slate, low and close as a photographer of electronics would have it."""
    result = import_file(Document(name="Odrel Link"), assets, HERE / "connector.step", Finesse(0.01, 7.0))
    document = replace(result.document, notes=result.notes)
    parts = {p.name: p for p in document.parts.values()}
    slate = replace(swatches.material("White paper"), id="slate", name="Slate")
    slate = replace(slate, surface=replace(slate.surface, base_color=from_hex("#565a5e"), specular_weight=0.6, specular_roughness=0.42))
    document = edits.put_material(document, slate)
    housing, gold, tin = parts["Housing"].material, parts["Pin 1"].face_sets[0].material, parts["Pin 1"].material
    document = edits.change_surface(document, housing, base_color=from_hex("#1b1c1e"), specular_roughness=0.38, base_diffuse_roughness=0.3)
    base, edge = metals.openpbr_colours("Gold")
    document = edits.change_surface(document, gold, base_color=base, specular_color=edge, specular_roughness=0.16)
    document = edits.change_surface(document, tin, specular_roughness=0.34)
    document = edits.change_surface(document, parts["Latch left"].material, base_color=from_hex("#a3271c"), specular_roughness=0.3)
    document = edits.change_surface(document, parts["Clip"].material, specular_roughness=0.24)
    pins = [p.id for p in document.parts.values() if p.mesh and p.name.startswith("Pin")]
    rest = [p.id for p in document.parts.values() if p.mesh and not p.name.startswith("Pin")]
    document = edits.change_parts(edits.change_parts(document, pins, edge_radius=0.05), rest, edge_radius=0.12)
    middle = 0.5 * sum(arrange.bounds(document, assets, document.roots))
    at = np.array([float(middle[0]), float(middle[1]), 5.0])
    eye = at + 268.0 * np.array([-0.46, -0.83, 0.33])
    camera = Camera(
        id="link-camera", name="Three-quarter", position=tuple(eye.round(3).tolist()), target=tuple(at.round(3).tolist()), focal_length_mm=100.0,
        f_stop=13.0, shutter=1 / 8, depth_of_field=True, focus=252.0, blades=7, exposure_stops=0.35,
    )  # fmt: skip
    key = Lamp(id="key", name="Front strip", position=(20.0, -330.0, 90.0), width=320, height=90, power=1700, kelvin=5200, group="Key")
    rim = Lamp(id="rim", name="Rim", position=(120.0, 200.0, 140.0), width=220, height=60, power=260, kelvin=7500, group="Rim")
    for lamp in (key, rim):
        document = edits.put_lamp(document, pointed_at(lamp, tuple(at.tolist())))
    document = replace(
        document, environment=Environment(image="Loft", turn=35.0), floor=Floor(kind="cove", material="slate", turn=-14.0),
        backdrop=Backdrop(kind="gradient", top=(0.2, 0.2, 0.2), bottom=(0.08, 0.08, 0.08)), render=RenderSettings(stop="noise", noise_percent=5.0),
    )  # fmt: skip
    document = edits.put_shot(edits.put_camera(document, camera), Shot(id="link", name="Three-quarter", camera=camera.id, width=1600, height=1200))
    return edits.drop_unused_materials(document)


CART = {
    "Canvas bed": ("Canvas", ["Bed floor", "Long wall", "Short wall"], "#5f6650"),
    "Seam tape": ("Canvas", ["Long hem", "Short hem"], "#33382d"),
    "Tyre rubber": ("Black rubber", ["Tyre", "Post cap", "Collar"], ""),
    "Graphite paint": (
        "Satin black plastic",
        ["Rim", "Rail", "Cross tube", "Folding brace", "Folding brace back", "Post", "Leg", "Axle bracket", "Yoke", "Sleeve", "Bow"],
        "#25282a",
    ),
    "Polished steel": ("Nickel", ["Spokes", "Hub", "Axle", "Pivot", "Shaft", "Hub screw"], ""),
    "Hub brass": ("Satin brass", ["Hub cap"], ""),
    "Ash grip": ("Oiled ash", ["Grip"], ""),
}


def barrow(assets: AssetStore, lantern: Document) -> Document:
    """The Odrel Barrow on planks before a wall, six lanterns in its bed by a copies rule, eight screws round a hub by another."""
    result = import_file(Document(name="Odrel Barrow"), assets, HERE / "barrow.step", Finesse(0.12, 12.0))
    document = replace(result.document, notes=result.notes)
    cart = document.roots[0]
    document = arrange.move_in_world(document, [cart], (60.0, 0.0, 0.0))
    named = lambda name: [
        p.id for p in document.parts.values() if p.mesh and (p.name == name or p.name.startswith(name + " ") and p.name[len(name) + 1 :].isdigit())
    ]  # noqa: E731
    for title, (base, names, colour) in CART.items():
        material = replace(swatches.material(base), name=title)
        if colour:
            material = (
                replace(material, surface=replace(material.surface, base_color=from_hex(colour)), nodes=(), wires={})
                if base != "Canvas"
                else canvas(material, colour)
            )
        if base == "Oiled ash":
            material = edits.with_node(edits.with_node(material, "wood", axis="y", pith_mm=12.0, ring_mm=2.2), "fibres", axis="y")
        document = edits.put_material(document, material)
        document = edits.assign_material(document, [i for name in names for i in named(name)], material.id)
    document = edits.change_parts(document, [i for n in ("Axle bracket", "Yoke", "Post cap", "Hub screw") for i in named(n)], edge_radius=0.6)
    # a set of two pieces
    planks = edits.with_node(swatches.material("Oiled ash"), "wood", axis="x", board_mm=140.0, board_turn=0.0)
    planks = replace(planks, name="Planks", surface=replace(planks.surface, base_color=from_hex("#b09274"), specular_roughness=0.42))
    plaster = replace(swatches.material("Chalk paint"), name="Plaster")
    plaster = replace(plaster, surface=replace(plaster.surface, base_color=from_hex("#98958e"), specular_weight=0.3))
    for material in (planks, plaster):
        document = edits.put_material(document, material)
    document, boards = pieces.add_piece(document, pieces.set_piece("floor", width=4200, depth=3000, thickness=28))
    document, wall = pieces.add_piece(document, pieces.set_piece("wall", width=4200, height=2400, thickness=80), (0.0, 720.0, 0.0))
    document, skirting = pieces.add_piece(
        document, pieces.set_piece("block", width=4200, depth=18, height=110, bevel=4), (0.0, 710.0, 0.2), name="Skirting"
    )
    document = edits.assign_material(document, [boards], planks.id)
    document = edits.assign_material(document, [wall, skirting], plaster.id)
    # six lanterns, one of them stored
    root = lantern.roots[0]
    document = replace(
        document,
        parts={**document.parts, **lantern.parts},
        roots=(*document.roots, *lantern.roots),
        materials={**document.materials, **lantern.materials},
    )
    low, high = arrange.bounds(document, assets, named("Bed floor"))
    step = (215.0, 178.0, 0.0)
    corner = np.array([0.5 * (low[0] + high[0]) - step[0], 0.5 * (low[1] + high[1]) - 0.5 * step[1], high[2]])
    document = standing.stand_on(document, assets, root, corner, (0, 0, 1), True)
    document, lanterns = copying.make_copies(
        document, [root], "grid", count=6, step=step, columns=3, rows=2, jitter_turn=(0.0, 0.0, 28.0), jitter_place=(7.0, 4.0, 0.0), seed=4
    )
    document = edits.change_part(document, lanterns, name="Six lanterns")
    hub = named("Hub screw")
    wheel = min(
        (i for i in named("Tyre")),
        key=lambda i: float(np.abs(sum(arrange.bounds(document, assets, [i])) - sum(arrange.bounds(document, assets, hub))).sum()),
    )
    centre = np.linalg.inv(world_matrix(document, document.parts[hub[0]].parent)) @ [*(0.5 * sum(arrange.bounds(document, assets, [wheel]))), 1.0]
    document, ring = copying.make_copies(document, hub, "ring", count=8, axis="y", centre=tuple(centre[:3].round(4).tolist()), radius=0.0)
    document = edits.change_part(document, ring, name="Hub screws")
    document = stripe(document, assets)
    camera = Camera(
        id="cart-camera",
        name="Three-quarter",
        position=(-1420.0, -2420.0, 1180.0),
        target=(20.0, 20.0, 290.0),
        focal_length_mm=70.0,
        f_stop=11.0,
        shutter=1 / 8,
        exposure_stops=0.5,
    )
    detail = Camera(
        id="bed-camera",
        name="Bed",
        position=(-700.0, -1250.0, 860.0),
        target=(60.0, 0.0, 330.0),
        focal_length_mm=85.0,
        f_stop=8.0,
        shutter=1 / 8,
        depth_of_field=True,
        focus=1500.0,
        blades=7,
        exposure_stops=0.5,
    )
    key = Lamp(id="window", name="Window", position=(-1500.0, -1900.0, 1750.0), width=1500, height=1300, power=40000, kelvin=6100, group="Key")
    document = edits.put_lamp(document, pointed_at(key, (0.0, 100.0, 250.0)))
    document = replace(
        document,
        environment=Environment(image="Loft", turn=20.0, exposure=-0.7),
        floor=Floor(kind="none"),
        backdrop=Backdrop(kind="gradient", top=(0.2, 0.2, 0.2), bottom=(0.08, 0.08, 0.08)),
        render=RenderSettings(stop="noise", noise_percent=6.0),
    )
    for view, size in ((camera, (1600, 1200)), (detail, (1600, 1200))):
        document = edits.put_shot(
            edits.put_camera(document, view), Shot(id=view.id[:-7], name=view.name, camera=view.id, width=size[0], height=size[1])
        )
    return edits.drop_unused_materials(document)


def stripe(document: Document, assets: AssetStore) -> Document:
    """A reflecting band that runs as one region over rail, leg, bracket and canvas."""
    rail = next(p.id for p in document.parts.values() if p.name == "Rail 2" or p.name == "Rail")
    low, high = arrange.bounds(document, assets, [rail])
    at = np.array([0.5 * (low[0] + high[0]), low[1] - 400.0, high[2] + 60.0])
    band = Material(id="band", name="Signal band", surface=Surface(base_color=from_hex("#e2a23a"), specular_roughness=0.3))
    document = edits.put_material(document, band)
    decal = sticking.new_decal(
        document, assets, spot(document, assets, at, at + [0.0, 400.0, 0.0]), "flat", name="Signal band", artwork="shape", shape="rectangle",
        width_mm=830.0, height_mm=34.0, keep_shape=False, material=band.id, belongs="region", depth_mm=26.0,
    )  # fmt: skip
    return put_decal(document, decal)


def canvas(material: Material, colour: str) -> Material:
    """Woven cloth in another colour: the weave's two yarns follow it."""
    r, g, b = from_hex(colour)
    nodes = tuple(
        replace(n, inputs=n.inputs | {k: (r * f, g * f, b * f) for k, f in (("first", 1.12), ("second", 0.86)) if isinstance(n.inputs.get(k), tuple)})
        for n in material.nodes
    )
    return replace(material, surface=replace(material.surface, base_color=(r, g, b)), nodes=nodes)


def main() -> None:
    """Write the projects, or only those named."""
    assets = AssetStore()
    result = import_file(Document(name="Wick lantern"), assets, HERE / "wick.step", Finesse(0.06, 10.0))
    plain = print_on(set_up(dress(replace(result.document, notes=result.notes))), assets)
    wick = finishes.hero(light_sets.hero(plain))
    night = replace(light_sets.dark(scuff(plain, assets)), name="Wick at night")
    tent = replace(light_sets.white(plain), name="Wick in white")
    pine = next(m for m in tent.materials.values() if m.name == "Rust enamel")
    tent = edits.put_material(tent, replace(swatches.material("Pine enamel"), id=pine.id))
    link = connector(assets)
    rough = import_file(Document(name="Wick"), assets, HERE / "wick.step", Finesse(0.1, 14.0))
    cart = barrow(assets, dress(rough.document))
    wanted = [word for word in sys.argv[1:] if not word.startswith("--")]
    for name, document in (("wick", wick), ("wick-night", night), ("wick-tent", tent), ("connector", link), ("barrow", cart)):
        if wanted and name not in wanted:
            continue
        thumbnail = None
        if "--no-thumbnails" not in sys.argv:
            wide = document.shots[0].width > document.shots[0].height
            size = (400, 300) if wide else (320, 400)
            picture = render(document, assets, document.shots[0], size, RenderSettings(stop="samples", samples=48))
            thumbnail = small_png(display_picture(picture)[..., :3], 400)
        project_file.save(document, assets, HERE / f"{name}.aulmo", thumbnail)
        print(name)


if __name__ == "__main__":
    main()
