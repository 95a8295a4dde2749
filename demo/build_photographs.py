"""Three backdrop photographs, rendered by Aulmo itself so that camera and sun are known exactly, and the lantern standing in each:
`PYTHONPATH=src:demo python demo/build_photographs.py [--quick] [--project-only]`.

A table by the window of the hut, a jetty at evening, a cobbled yard. Beside each photograph stands `<name>.json` with its camera, its sun and the
edges that sight lines were drawn along; `wick-photographed.aulmo` finds the cameras again from those lines alone.
"""

import io
import json
import math
import sys
from pathlib import Path
from typing import NamedTuple

import build_hut
import finishes
import msgspec
import numpy as np
from msgspec.structs import replace
from PIL import Image
from PIL.TiffImagePlugin import IFDRational

from aulmo.deliver.encoding import display_picture, small_png
from aulmo.document import edits, project_file
from aulmo.document.assets import AssetStore
from aulmo.document.records import Camera, Document, Environment, Floor, GreyPatch, Material, Node, RenderSettings, ShadowStick, Shot, Sky, Surface
from aulmo.frame import grey_patch, matching, photograph, photograph_light
from aulmo.frame.camera import project
from aulmo.frame.shadow_stick import sun_of
from aulmo.light.environment_image import write_exr
from aulmo.prepare import pieces
from aulmo.surface import swatches
from aulmo.surface.colour import ACESCG_TO_SRGB, from_hex
from aulmo.trace.patch_light import light_on_card
from aulmo.trace.plate import light_of
from aulmo.trace.tracer import render

HERE = Path(__file__).parent
OUT = HERE / "photographs"
SIZE = (1600, 1200)
GREY = 0.18
INDOORS = ("hut-table",)
SUN_INDOORS = 42000.0  # lux, beside the 3000 that a dome is brought to


class Scene(NamedTuple):
    """A scene to be photographed: what is there, the camera, where the lantern would stand, edges by (name, direction, from, to), a stick by foot, top
    and the light's direction, the grey card's middle, and its dome as the lantern would see it."""

    name: str
    document: Document
    assets: AssetStore
    camera: Camera
    stands: tuple[float, float, float]
    edges: tuple[tuple[str, int, tuple, tuple], ...]
    known: tuple[str, float]
    stick: tuple[tuple, tuple] | None
    sky: Sky
    card: tuple[float, float, float]


class Yard:
    """Collects set pieces."""

    def __init__(self, name: str) -> None:
        self.assets, self.document = AssetStore(), Document(name=name, floor=Floor(kind="none"))

    def wear(self, material: Material) -> str:
        """Make a material known."""
        self.document = edits.put_material(self.document, material)
        return material.id

    def add(self, kind: str, material: str, place, name: str = "", turn: float = 0.0, radius: float = 0.0, **sizes) -> str:
        """A set piece at a place, turned about the upright."""
        self.document, part = pieces.add_piece(self.document, pieces.set_piece(kind, **sizes), place, name=name)
        held = self.document.parts[part].placement
        self.document = edits.change_parts(self.document, [part], placement=replace(held, turn=(0.0, 0.0, turn)), edge_radius=radius)
        self.document = edits.assign_material(self.document, [part], material)
        return part


def sunward(sky: Sky) -> np.ndarray:
    """Unit direction toward a sky's sun."""
    a, e = math.radians(sky.azimuth), math.radians(sky.elevation)
    return np.array([math.sin(a) * math.cos(e), math.cos(a) * math.cos(e), math.sin(e)])


def stone(name: str, colour: str, size: float, deep: float, seed: float) -> Material:
    """Cobbles: cells with joints between them, no two alike in tone."""
    nodes = (
        Node("cells", "cells", {"size_mm": size, "seed": seed}),
        Node("joints", "smoothstep", {"in": "@cells", "low": 0.5, "high": 0.9}),
        Node("round", "invert", {"in": "@joints"}),
        Node("grain", "noise", {"size_mm": 9.0, "octaves": 4.0, "seed": seed + 3}),
        Node("patches", "noise", {"size_mm": size * 3.3, "octaves": 3.0, "seed": seed + 7}),
        Node("speck", "range", {"in": "@grain", "outlow": 0.72, "outhigh": 1.1}),
        Node("cloud", "range", {"in": "@patches", "outlow": 0.62, "outhigh": 1.2}),
        Node("tone", "multiply", {"in1": "@speck", "in2": "@cloud"}),
        Node("joint", "range", {"in": "@round", "outlow": 0.5, "outhigh": 1.0}),
        Node("all", "multiply", {"in1": "@tone", "in2": "@joint"}),
        Node("rise", "range", {"in": "@round", "outlow": -deep, "outhigh": 0.0}),
        Node("rough", "range", {"in": "@grain", "outlow": 0.0, "outhigh": 1.4}),
        Node("relief", "add", {"in1": "@rise", "in2": "@rough"}),
    )  # fmt: skip
    surface = Surface(base_color=from_hex(colour), specular_roughness=0.6, base_diffuse_roughness=0.4, specular_weight=0.6)
    return Material(id=name.lower().replace(" ", "-"), name=name, surface=surface, nodes=nodes, wires={"base_weight": "all", "height": "relief"})


def plaster(name: str, colour: str) -> Material:
    """Rough plaster, stained by the weather."""
    nodes = (
        Node("grain", "noise", {"size_mm": 4.0, "octaves": 4.0}), Node("stains", "noise", {"size_mm": 420.0, "octaves": 5.0}),
        Node("tone", "range", {"in": "@stains", "outlow": 0.78, "outhigh": 1.08}), Node("relief", "range", {"in": "@grain", "outlow": 0.0, "outhigh": 1.2}),
    )  # fmt: skip
    surface = Surface(base_color=from_hex(colour), specular_weight=0.2, base_diffuse_roughness=0.5)
    return Material(id=name.lower().replace(" ", "-"), name=name, surface=surface, nodes=nodes, wires={"base_weight": "tone", "height": "relief"})


def grey_card() -> Material:
    """A card of known grey, as a photographer lays it down."""
    return Material(id="grey-card", name="Grey card", surface=Surface(base_color=(GREY,) * 3, specular_weight=0.0))


def hut() -> Scene:
    """The table by the window of the Odrel hut, late sun falling in."""
    made = build_hut.Hut()
    build_hut.room(made)
    build_hut.furnish(made)
    document = build_hut.light(made.finish(), made.assets)
    document = edits.put_material(document, grey_card())
    document, card = pieces.add_piece(document, pieces.set_piece("block", width=130, depth=90, height=1.5), (70.0, 30.0, 760.0), name="Grey card")
    document = edits.assign_material(document, [card], "grey-card")
    sky = Sky(turbidity=3.2, azimuth=276.0, elevation=26.0)
    document = replace(document, environment=Environment(kind="sky", sky=sky, exposure=-2.9))
    camera = Camera(
        id="photo", name="Photograph", position=(560.0, -760.0, 1235.0), target=(-150.0, 330.0, 860.0), focal_length_mm=34.0, shutter=1 / 15, f_stop=5.6,
        exposure_stops=0.75,
    )  # fmt: skip
    edges = (
        ("Table, near edge", 1, (-650, -80, 760), (650, -80, 760)), ("Table, far edge", 1, (-640, 680, 760), (300, 680, 760)),
        ("Wall board", 1, (-1300, 1400, 1160), (1300, 1400, 1160)),
        ("Table, left end", 2, (-650, -70, 760), (-650, 670, 760)), ("Sill", 2, (-1540, -150, 800), (-1540, 940, 800)),
        ("Corner of the room", 3, (-1600, 1400, 900), (-1600, 1400, 2200)), ("Jamb, far", 3, (-1580, 910, 830), (-1580, 910, 1740)),
    )  # fmt: skip
    return Scene("hut-table", document, made.assets, camera, (20.0, 250.0, 760.0), edges, ("Table, left end", 740.0), ((-250, 60, 760), (-250, 60, 847)), sky,
        (70.0, 30.0, 761.5))


def jetty() -> Scene:
    """A jetty at evening: planks, posts, a crate, still water."""
    made = Yard("Jetty")
    planks = made.wear(build_hut.boards("Jetty planks", "#8d7c68", (0.62, 0.55, 0.48), 140.0, "x", 0.0, "y", 5.0))
    posts = made.wear(build_hut.boards("Posts", "#6d5f50", (0.6, 0.52, 0.45), 4000.0, "z", 0.0, "x", 6.0))
    water = made.wear(Material(id="water", name="Water", surface=Surface(base_weight=0.6, base_color=from_hex("#10211f"), specular_roughness=0.05, specular_ior=1.33)))
    hills = made.wear(Material(id="hills", name="Hills", surface=Surface(base_color=from_hex("#3c4640"), specular_weight=0.0)))
    crate = made.wear(build_hut.boards("Crate boards", "#b08d62", (0.6, 0.5, 0.4), 95.0, "x", 0.0, "z", 5.0))
    made.document = edits.put_material(made.document, grey_card())
    made.add("water", water, (0.0, 0.0, -620.0), "Water", width=90000, depth=90000, wind=2.2, wave=900)
    made.add("floor", planks, (0.0, 1500.0, -0.2), "Planks", width=1900, depth=5600, thickness=45)
    for k, y in enumerate((-900.0, 500.0, 1900.0, 3300.0)):
        for side in (-1, 1):
            made.add("block", posts, (side * 880.0, y, -700.0), f"Post {2 * k + (side + 1) // 2 + 1}", width=110, depth=110, height=1150, bevel=8)
    for side in (-1, 1):
        made.add("block", posts, (side * 880.0, 1500.0, 350.0), "Rail", width=60, depth=5400, height=60, bevel=4)
    made.add("block", crate, (-520.0, 620.0, 0.0), "Crate", width=420, depth=320, height=300, bevel=3)
    made.add("block", "grey-card", (330.0, 60.0, 0.0), "Grey card", width=150, depth=110, height=1.5)
    rng = np.random.default_rng(4)
    for k in range(14):
        far, wide = 24000 + 9000 * rng.random(), 7000 + 9000 * rng.random()
        made.add("sphere", hills, (-42000 + 6500 * k, far, -620.0 - 0.72 * wide), f"Hill {k + 1}", radius=wide)
    sky = Sky(turbidity=4.2, azimuth=318.0, elevation=11.0)
    document = replace(made.document, environment=Environment(kind="sky", sky=sky, exposure=-4.2))
    camera = Camera(
        id="photo", name="Photograph", position=(360.0, -860.0, 455.0), target=(-60.0, 300.0, 190.0), focal_length_mm=37.0, shutter=1 / 15, f_stop=5.6,
        exposure_stops=0.2,
    )  # fmt: skip
    edges = (
        ("Plank", 1, (-880, 280, 0), (880, 280, 0)), ("Crate, near foot", 1, (-730, 460, 0), (-310, 460, 0)),
        ("Crate, near top", 1, (-730, 460, 300), (-310, 460, 300)), ("Farther plank", 1, (-860, 840, 0), (860, 840, 0)),
        ("Left edge", 2, (-950, 200, 0), (-950, 2600, 0)), ("Crate, right foot", 2, (-310, 460, 0), (-310, 780, 0)),
        ("Crate, right top", 2, (-310, 460, 300), (-310, 780, 300)),
        ("Post", 3, (-825, 445, 20), (-825, 445, 440)), ("Crate, corner", 3, (-310, 460, 5), (-310, 460, 295)),
    )  # fmt: skip
    return Scene(
        "jetty-evening", document, made.assets, camera, (40.0, 180.0, 0.0), edges, ("Crate, near foot", 420.0), ((-310, 460, 0), (-310, 460, 300)), sky,
        (330.0, 60.0, 1.5),
    )  # fmt: skip


def yard() -> Scene:
    """A cobbled yard: a wall with a door, a step, a trough, sun from the right."""
    made = Yard("Yard")
    cobbles = made.wear(stone("Cobbles", "#8e867b", 120.0, 16.0, 2.0))
    steps = made.wear(stone("Step stone", "#a39a8c", 900.0, 2.0, 5.0))
    wall = made.wear(plaster("Yard plaster", "#cdbfa6"))
    door = made.wear(build_hut.boards("Door boards", "#4e6a63", (0.7, 0.66, 0.6), 130.0, "z", 90.0, "x", 5.0))
    iron = made.wear(replace(swatches.material("Raw iron"), id="iron"))
    clay = made.wear(Material(id="clay", name="Fired clay", surface=Surface(base_color=from_hex("#a5583a"), base_diffuse_roughness=0.4, specular_weight=0.3)))
    leaf = made.wear(Material(id="leaf", name="Leaf", surface=Surface(base_color=from_hex("#3d5a2c"), subsurface_weight=0.2, specular_roughness=0.5)))
    made.document = edits.put_material(made.document, grey_card())
    made.add("floor", cobbles, (0.0, 0.0, -0.2), "Cobbles", width=9000, depth=7000, thickness=40)
    made.add("wall", wall, (0.0, 1150.0, 0.0), "House wall", width=9000, height=3400, thickness=200)
    made.add("block", door, (-620.0, 1130.0, 150.0), "Door", width=950, depth=60, height=2050, bevel=4)
    made.add("block", steps, (-620.0, 960.0, 0.0), "Step", width=1250, depth=380, height=150, bevel=8)
    made.add("block", iron, (-240.0, 1092.0, 1150.0), "Handle", width=26, depth=50, height=170, bevel=6)
    made.add("block", steps, (760.0, 860.0, 0.0), "Trough", width=1050, depth=430, height=420, bevel=14)
    made.add("block", steps, (520.0, -150.0, 0.0), "Gutter", width=160, depth=1500, height=6, bevel=2)
    made.add("block", wall, (3600.0, -600.0, 0.0), "Gable", width=300, depth=5200, height=2100)
    made.add("cone", clay, (-1350.0, 840.0, 0.0), "Pot", radius=150, radius_top=200, height=330)
    rng = np.random.default_rng(7)
    for k in range(34):
        a, r, z = 2 * math.pi * rng.random(), 190 * math.sqrt(rng.random()), 380 + 260 * rng.random()
        made.add("sphere", leaf, (-1350 + r * math.cos(a), 840 + r * math.sin(a), z), f"Leaf {k + 1}", radius=45 + 40 * rng.random())
    made.add("block", "grey-card", (-250.0, 120.0, 0.0), "Grey card", width=160, depth=120, height=1.5)
    sky = Sky(turbidity=2.8, azimuth=142.0, elevation=41.0)
    document = replace(made.document, environment=Environment(kind="sky", sky=sky, exposure=-4.9))
    camera = Camera(
        id="photo", name="Photograph", position=(-330.0, -1130.0, 590.0), target=(40.0, 330.0, 270.0), focal_length_mm=35.0, shutter=1 / 15, f_stop=8.0,
        exposure_stops=0.0, shift_x=0.06, shift_y=-0.05,
    )  # fmt: skip
    edges = (
        ("Step, near edge", 1, (-1240, 770, 150), (-10, 770, 150)), ("Trough, near top", 1, (240, 645, 420), (1280, 645, 420)),
        ("Foot of the wall", 1, (20, 1150, 0), (230, 1150, 0)), ("Step, foot", 1, (-1200, 770, 0), (-20, 770, 0)),
        ("Trough, left top", 2, (235, 650, 420), (235, 1070, 420)), ("Step, right top", 2, (5, 780, 150), (5, 1140, 150)),
        ("Gutter, left side", 2, (440, -880, 6), (440, 580, 6)), ("Gutter, right side", 2, (600, -880, 6), (600, 580, 6)),
        ("Door, right side", 3, (-145, 1100, 170), (-145, 1100, 1000)), ("Trough, corner", 3, (235, 645, 20), (235, 645, 405)),
    )  # fmt: skip
    return Scene(
        "cobbled-yard", document, made.assets, camera, (120.0, 150.0, 0.0), edges, ("Step, foot", 1180.0), ((235, 645, 0), (235, 645, 420)), sky,
        (-250.0, 120.0, 1.5),
    )  # fmt: skip


def shot_of(scene: Scene) -> Shot:
    """The shot that is the photograph."""
    return Shot(id="photo", name=scene.name, camera=scene.camera.id, width=SIZE[0], height=SIZE[1])


def take(scene: Scene, quick: bool) -> None:
    """Render the photograph, and the dome as the lantern would see it; note camera, sun and lines."""
    document = replace(edits.put_camera(scene.document, scene.camera), shots=(shot_of(scene),))
    size = (SIZE[0] // 4, SIZE[1] // 4) if quick else SIZE
    settings = RenderSettings(
        stop="samples", samples=32 if quick else 72, bounces=20, diffuse_bounces=14, specular_bounces=12, clear_bounces=12, clamp_stops=4.0
    )  # fmt: skip
    picture = render(document, scene.assets, document.shots[0], size, settings)
    assert picture is not None
    shown = np.rint(display_picture(picture)[..., :3] * 255).astype(np.uint8)
    exif = Image.Exif()
    exif[271], exif[272] = "Odrel", "Made-up camera"
    inner = exif.get_ifd(0x8769)
    inner[0x920A] = IFDRational(round(10 * scene.camera.focal_length_mm), 10)
    inner[0xA405] = round(scene.camera.focal_length_mm * math.hypot(36, 24) / math.hypot(36, 27))
    out = io.BytesIO()
    Image.fromarray(shown).save(out, "JPEG", quality=94, subsampling=0, exif=exif)
    OUT.mkdir(exist_ok=True)
    (OUT / f"{scene.name}.jpg").write_bytes(out.getvalue())
    if scene.name in INDOORS:
        _dome(scene, document, replace(settings, samples=64 if quick else 400))
    print(scene.name, f"{picture.seconds:.0f} s", flush=True)


def _dome(scene: Scene, document: Document, settings: RenderSettings) -> None:
    """The room as the lantern would see it, all round."""
    eye = Camera(
        id="round", name="Round", position=tuple(float(a + b) for a, b in zip(scene.stands, (0, 0, 150))),
        target=tuple(float(a + b) for a, b in zip(scene.stands, (0, 1000, 150))), projection="panorama", shutter=1 / 15,
    )  # fmt: skip
    around = edits.put_camera(document, eye)
    around = replace(around, shots=(Shot(id="round", name="Round", camera=eye.id, width=512, height=256),))
    seen = render(around, scene.assets, around.shots[0], (512, 256), settings)
    assert seen is not None
    write_exr(OUT / f"{scene.name}-dome.exr", np.maximum(seen.rgb @ ACESCG_TO_SRGB.T.astype(np.float32), 0) / np.float32(seen.white))


def note(scene: Scene) -> None:
    """Camera, sun, lines and marks of a photograph, as a file beside it."""
    about = {
        "camera": msgspec.to_builtins(scene.camera), "sun": [scene.sky.azimuth, scene.sky.elevation], "stands": scene.stands, "known": _known(scene),
        "lines": [[name, k, *_line(scene.camera, *ends)] for name, k, *ends in scene.edges], "origin": _pixel(scene.camera, scene.stands),
        "card": _card(scene),
        "stick": _stick(scene), "dome": f"{scene.name}-dome.exr" if scene.name in INDOORS else "", "sky": msgspec.to_builtins(scene.sky), "indoors": scene.name in INDOORS,
    }  # fmt: skip
    (OUT / f"{scene.name}.json").write_text(json.dumps(about, indent=1) + "\n")


def _pixel(camera: Camera, point) -> list[float]:
    x, y, _ = project(camera, np.array(point, float)[None], *SIZE)[0]
    return [round(float(x), 1), round(float(y), 1)]


def _line(camera: Camera, one, other) -> list[list[float]]:
    """The part of an edge that lies in the frame, 12 pixels off its sides: the ends as they are drawn."""
    return [_pixel(camera, end) for end in _drawn(camera, one, other)]


def _drawn(camera: Camera, one, other) -> tuple[np.ndarray, np.ndarray]:
    steps = np.array(one, float) + (np.array(other, float) - np.array(one, float)) * np.linspace(0, 1, 400)[:, None]
    seen = project(camera, steps, *SIZE)
    inside = (seen[:, 2] > 0) & (seen[:, :2] > 12).all(1) & (seen[:, 0] < SIZE[0] - 12) & (seen[:, 1] < SIZE[1] - 12)
    return steps[inside][0], steps[inside][-1]


def _known(scene: Scene) -> list:
    """Name of the line whose length is known, and how long its drawn part is, mm."""
    name, _, one, other = next(e for e in scene.edges if e[0] == scene.known[0])
    start, end = _drawn(scene.camera, one, other)
    return [name, float(np.linalg.norm(end - start))]


def _card(scene: Scene) -> list[list[float]]:
    """Two corners of a rectangle that lies within the grey card."""
    corners = np.array([_pixel(scene.camera, np.array(scene.card) + (x, y, 0)) for x in (-40, 40) for y in (-30, 30)])
    middle, half = corners.mean(0), 0.22 * (corners.max(0) - corners.min(0))
    return [[round(float(v), 1) for v in middle - half], [round(float(v), 1) for v in middle + half]]


def _stick(scene: Scene) -> list | None:
    """Pixels of foot, top and the shadow's tip of a known upright."""
    if scene.stick is None:
        return None
    foot, top = (np.array(p, float) for p in scene.stick)
    way = sunward(scene.sky)
    tip = top - way * (top[2] - foot[2]) / way[2]
    return [_pixel(scene.camera, p) for p in (foot, top, tip)]


NAMES = ("hut-table", "jetty-evening", "cobbled-yard")
TITLES = {"hut-table": "By the window", "jetty-evening": "Jetty", "cobbled-yard": "Yard"}


def place(document: Document, assets: AssetStore, name: str) -> Document:
    """A shot of the lantern in a photograph: lines drawn, camera found, floor catching, light and patch matched."""
    about = json.loads((OUT / f"{name}.json").read_text())
    camera = Camera(id=f"{name}-camera", name=TITLES[name], shutter=1 / 15)
    shot = Shot(id=name, name=TITLES[name], camera=camera.id, width=SIZE[0], height=SIZE[1])
    document = edits.put_shot(edits.put_camera(document, camera), shot)
    photo = photograph.read(OUT / f"{name}.jpg", assets)
    document = matching.taken_in(document, shot.id, photo)
    hand = np.random.default_rng(5)  # lines are drawn by hand: ends are a third of a pixel off
    for line_name, direction, *ends in about["lines"]:
        photo = matching.photograph_of(document, shot.id)[1]
        drawn = tuple(tuple(float(v) for v in np.array(end) + hand.normal(0, 0.35, 2)) for end in ends)
        line = replace(matching.new_line(photo, direction, drawn), name=line_name)
        document = matching.put_line(document, shot.id, line)
    shot, photo = matching.photograph_of(document, shot.id)
    f = photo.width / SIZE[0]
    scaled = lambda p: (p[0] * f, p[1] * f)  # noqa: E731
    lines = tuple(replace(x, points=tuple(scaled(p) for p in x.points)) for x in photo.lines)
    known = next(x.id for x in lines if x.name == about["known"][0])
    sticks = (ShadowStick("stick", *(scaled(p) for p in about["stick"])),) if about["stick"] else ()
    (x0, y0), (x1, y1) = (scaled(p) for p in about["card"])
    photo = replace(
        photo, lines=lines, known=known, known_mm=about["known"][1], origin=scaled(about["origin"]), sticks=sticks,
        patch=GreyPatch((min(x0, x1), min(y0, y1), max(x0, x1), max(y0, y1)), GREY),
    )  # fmt: skip
    document = matching.solved(matching.put_photograph(document, shot.id, photo), shot.id)
    shot = matching.photograph_of(document, shot.id)[0]
    own = {**shot.overrides, **lit_by(about, assets)}
    document = edits.put_shot(document, replace(shot, overrides=own))
    if about["indoors"]:  # the sun that falls through the window, told by the mug's shadow, and in this shot alone
        sun = sun_of(matching.photo_camera(document, shot.id), matching.size_of(photo), sticks)
        document, lamp = photograph_light.sun_lamp(document, sun)
        held = document.lamps[lamp]
        document = edits.put_lamp(document, replace(held, name="Sun through the window", power=SUN_INDOORS, kelvin=4300.0, on=False))
        shot = matching.photograph_of(document, shot.id)[0]
        document = edits.put_shot(document, replace(shot, overrides={**shot.overrides, f"lamps/{lamp}/on": True}))
    return matched(document, assets, shot.id)


def lit_by(about: dict, assets: AssetStore) -> dict:
    """What differs in a shot's light: the photograph's own sky, or the room as the lantern sees it; the floor gives its tone back."""
    own = {"floor/gives_back": True, "floor/roughness": 0.6}
    if about["indoors"]:
        image = assets.add((OUT / about["dome"]).read_bytes(), ".exr")
        return {**own, "environment/kind": "picture", "environment/image": image, "environment/shipped": False, "environment/turn": 0.0}
    sky = about["sky"]
    keys = {f"environment/sky/{k}": v for k, v in sky.items() if k in ("turbidity", "azimuth", "elevation")}
    return {**own, **keys, "environment/kind": "sky", "environment/turn": 0.0}


def matched(document: Document, assets: AssetStore, shot_id: str) -> Document:
    """Exposure and white by the grey patch, and the floor's tone beneath the lantern."""
    from aulmo.document.properties import resolve
    from aulmo.frame.shadow_stick import on_plane

    shot, photo = matching.photograph_of(document, shot_id)
    assert photo.patch is not None
    seen, size = matching.photo_camera(document, shot_id), matching.size_of(photo)
    light = light_of(photograph.codes(assets, photo), shot.view)
    x, y, _ = project(seen, np.zeros((1, 3)), *size)[0]
    tone = grey_patch.tone_of(light, (x - 60, y + 20, x + 60, y + 60), size)
    own = {**shot.overrides, "floor/tone": tuple(float(min(0.8, v)) for v in tone)}
    document = edits.put_shot(document, replace(shot, overrides=own))
    middle = (0.5 * (photo.patch.box[0] + photo.patch.box[2]), 0.5 * (photo.patch.box[1] + photo.patch.box[3]))
    point = on_plane(seen, size, middle)
    given = light_on_card(resolve(document, {"shot": shot_id}), assets, point, photo.patch.value, 256)
    camera = grey_patch.matched(document.cameras[shot.camera], grey_patch.tone_of(light, photo.patch.box, size), given)
    return edits.put_camera(document, camera)


def project_of() -> None:
    """Write `wick-photographed.aulmo`."""
    wick, assets = project_file.load(HERE / "wick.aulmo")
    document = replace(wick, name="Wick lantern, photographed", shots=(), cameras={}, lamps={})
    for name in NAMES:
        document = place(document, assets, name)
    document = finishes.photographed(edits.drop_unused_materials(document), assets)
    picture = render(document, assets, document.shots[0], (400, 300), RenderSettings(stop="samples", samples=48))
    assert picture is not None
    project_file.save(document, assets, HERE / "wick-photographed.aulmo", small_png(display_picture(picture)[..., :3], 400))


def main() -> None:
    """Photographs, what is known of them, then the project."""
    quick, wanted = "--quick" in sys.argv, [a for a in sys.argv[1:] if not a.startswith("--")]
    for make in (hut, jetty, yard):
        scene = make()
        note(scene)
        if "--project-only" not in sys.argv and (not wanted or scene.name in wanted):
            take(scene, quick)
    project_of()


if __name__ == "__main__":
    main()
