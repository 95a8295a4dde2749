"""Made-up files of a hundred kinds for the shelf, each with what it should be taken for."""

import json
import zipfile
from pathlib import Path

import numpy as np
from msgspec.structs import replace
from PIL import Image, ImageDraw
from scipy.ndimage import gaussian_filter

from aulmo.document import project_file
from aulmo.document.assets import AssetStore
from aulmo.document.records import Decal, Document, Environment, Finish, Lamp, Part, Softbox
from aulmo.surface import swatches

RNG = np.random.default_rng(7)


def noise(h: int, w: int, size: float, wrap: bool = True) -> np.ndarray:
    """(h, w) smooth noise 0 to 1; going on into itself at its sides where it wraps."""
    field = gaussian_filter(RNG.normal(size=(h, w)), size, mode="wrap" if wrap else "nearest")
    return (field - field.min()) / (np.ptp(field) + 1e-9)


def save(path: Path, values: np.ndarray, **more) -> Path:
    """Write a picture of 8 bits from shares."""
    path.parent.mkdir(parents=True, exist_ok=True)
    Image.fromarray((np.clip(values, 0, 1) * 255 + 0.5).astype(np.uint8)).save(path, **more)
    return path


def save_range(path: Path, values: np.ndarray) -> Path:
    """Write an EXR or HDR."""
    import OpenImageIO as oiio

    path.parent.mkdir(parents=True, exist_ok=True)
    spec = oiio.ImageSpec(values.shape[1], values.shape[0], values.shape[2], "half" if path.suffix == ".exr" else "float")
    if values.shape[2] == 4:
        spec.channelnames = ("R", "G", "B", "A")
        spec.alpha_channel = 3
    out = oiio.ImageOutput.create(str(path))
    assert out.open(str(path), spec) and out.write_image(np.ascontiguousarray(values, np.float32))
    out.close()
    return path


def sky(h: int, sun: tuple[float, float] | None, tint=(0.4, 0.6, 1.0), sun_light: float = 4000.0) -> np.ndarray:
    """A sphere of sky above ground, with a sun at (column share, elevation)."""
    up = np.linspace(90, -90, h)[:, None, None] * np.ones((1, 2 * h, 1))
    light = np.where(up > 0, np.array(tint) * (1 + 0.6 * np.cos(np.radians(up))), np.array([0.18, 0.16, 0.12]))
    light = light * (1 + 0.1 * noise(h, 2 * h, 5)[..., None])
    if sun is not None:
        y, x = np.mgrid[0:h, 0 : 2 * h]
        d = np.hypot((x - sun[0] * 2 * h) * np.cos(np.radians(sun[1])), y - (90 - sun[1]) / 180 * h)
        light = light + sun_light * (d < max(1.0, h / 128))[..., None]
    return light


def room(h: int, tint=(1.0, 0.9, 0.8)) -> np.ndarray:
    """A sphere of a room with three windows."""
    light = 0.2 * np.ones((h, 2 * h, 3)) * np.array(tint)
    light[h // 3 : 2 * h // 3, h // 6 : h // 3] = 5
    light[h // 3 : 2 * h // 3, h : h + h // 4] = 7
    light[h // 3 : 2 * h // 3, 3 * h // 2 : 3 * h // 2 + h // 6] = 6
    light[2 * h // 3 :] *= 0.6
    return light * (1 + 0.05 * noise(h, 2 * h, 3)[..., None])


def lit_box(side: int, shape: str, tint=(1.0, 0.97, 0.94)) -> np.ndarray:
    """A photographed light before black."""
    y, x = np.mgrid[-1 : 1 : side * 1j, -1 : 1 : side * 1j]
    fall = 0.55 + 0.45 * np.exp(-1.5 * (x**2 + y**2))
    on = {"box": (np.abs(x) < 0.8) & (np.abs(y) < 0.7), "round": np.hypot(x, y) < 0.8, "strip": (np.abs(x) < 0.22) & (np.abs(y) < 0.9), "ring": (np.hypot(x, y) < 0.85) & (np.hypot(x, y) > 0.5)}[shape]
    soft = gaussian_filter(on.astype(float), side / 100)
    return (soft * fall)[..., None] * np.array(tint)


def photograph(h: int, w: int) -> np.ndarray:
    """Something with a horizon, things on a table, and grain; it goes nowhere on into itself."""
    y = np.linspace(0, 1, h)[:, None, None]
    light = (1 - y) * np.array([0.7, 0.75, 0.8]) + y * np.array([0.35, 0.25, 0.18])
    light = light * (0.55 + 0.75 * np.linspace(0, 1, w)[None, :, None])
    for _ in range(9):
        cx, cy, r = RNG.uniform(0.1, 0.9) * w, RNG.uniform(0.4, 0.9) * h, RNG.uniform(0.03, 0.12) * w
        yy, xx = np.mgrid[0:h, 0:w]
        d = np.hypot(xx - cx, yy - cy) / r
        shade = np.clip(1.2 - d, 0, 1)[..., None] * (0.4 + 0.6 * noise(h, w, 9, False)[..., None])
        light = np.where(d[..., None] < 1, shade * RNG.uniform(0.2, 0.9, 3), light)
    return np.clip(light + 0.03 * RNG.normal(size=(h, w, 1)) + 0.05 * noise(h, w, 30, False)[..., None], 0, 1)


def weave(side: int, tint) -> np.ndarray:
    """A cloth that goes on into itself."""
    y, x = np.mgrid[0:side, 0:side] / side * 2 * np.pi
    threads = 0.6 + 0.2 * np.sin(16 * x) * np.cos(16 * y) + 0.2 * noise(side, side, 2)
    return threads[..., None] * np.array(tint)


def normal(side: int) -> np.ndarray:
    """A normal map."""
    height = noise(side, side, 4) * 6
    dy, dx = np.gradient(height)
    n = np.stack([-dx, dy, np.ones_like(dx)], -1)
    return n / np.linalg.norm(n, axis=2, keepdims=True) * 0.5 + 0.5


def logo(w: int, h: int, colours, cut: bool) -> np.ndarray:
    """Drawn letters and a ring, on nothing or on white."""
    image = Image.new("RGBA", (w, h), (255, 255, 255, 0 if cut else 255))
    draw = ImageDraw.Draw(image)
    draw.ellipse((0.08 * w, 0.15 * h, 0.4 * w, 0.15 * h + 0.32 * w), outline=colours[0], width=max(3, w // 24))
    draw.rectangle((0.5 * w, 0.3 * h, 0.92 * w, 0.42 * h), fill=colours[-1])
    draw.rectangle((0.5 * w, 0.52 * h, 0.8 * w, 0.62 * h), fill=colours[0])
    values = np.asarray(image) / 255
    return values if cut else values[..., :3]


SVG = '<svg xmlns="http://www.w3.org/2000/svg" width="60mm" height="40mm" viewBox="0 0 60 40">%s</svg>'
DIELINE = SVG % (
    '<g id="cut" fill="none" stroke="#000"><path d="M5 5H45V35H5Z"/></g><g id="crease" fill="none" stroke="#f00"><path d="M15 5V35"/><path d="M35 5V35"/></g>'
)
IES = "IESNA:LM-63-2002\n[TEST] made up\nTILT=NONE\n1 1000 1 5 1 1 2 0 0 0\n1 1 20\n0 22.5 45 67.5 90\n0\n500 430 260 90 0\n"
DXF = "0\nSECTION\n2\nENTITIES\n0\nLINE\n8\ncut\n10\n0\n20\n0\n11\n100\n21\n0\n0\nENDSEC\n0\nEOF\n"
STL = "solid a\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 0\nendloop\nendfacet\nendsolid a\n"


def make(folder: Path) -> dict[Path, str]:
    """Write them all below a folder; returns the kind that each file should be taken for. Of a set of pictures only that of colour is named."""
    from aulmo.finish.presets import save_preset
    from aulmo.light import set_ups
    from aulmo.prepare import pieces
    from aulmo.prepare.carton.boards import OURS
    from aulmo.shelf import keeping, props
    from aulmo.surface.library import save_swatch
    from aulmo.surface.materialx_out import save_material

    want: dict[Path, str] = {}
    f = folder
    # domes
    want[save_range(f / "domes/quay_1740.exr", sky(64, (0.3, 12)))] = "dome"
    want[save_range(f / "domes/noon.hdr", sky(64, (0.6, 62)))] = "dome"
    want[save_range(f / "domes/grey day.exr", sky(128, None, (0.8, 0.85, 0.9)))] = "dome"
    want[save_range(f / "domes/loft.hdr", room(64))] = "dome"
    want[save_range(f / "domes/studio_small.exr", room(40, (1, 1, 1)))] = "dome"
    want[save_range(f / "domes/night street.exr", 0.02 * room(64, (0.6, 0.7, 1)))] = "dome"
    want[save(f / "domes/pano_display.jpg", np.clip(sky(512, None), 0, 1), quality=90)] = "dome"
    want[save(f / "domes/meadow_panorama.png", np.clip(0.7 * sky(512, (0.2, 40), sun_light=3), 0, 1))] = "dome"
    # light pictures
    for shape in ("box", "round", "strip", "ring"):
        want[save_range(f / f"lights/{shape}.exr", 4 * lit_box(128, shape))] = "light picture"
        want[save(f / f"lights/{shape}.jpg", lit_box(300, shape) ** 0.45, quality=92)] = "light picture"
    want[save(f / "lights/octabox.png", lit_box(256, "round", (1, 1, 1)) ** 0.45)] = "light picture"
    want[save(f / "lights/A 017.png", lit_box(200, "strip", (0.9, 0.95, 1)) ** 0.45)] = "light picture"
    box = lit_box(200, "box") ** 0.45
    want[save(f / "lights/cut box.png", np.concatenate([box, (box[..., :1] > 0.3).astype(float)], 2))] = "light picture"
    umbrella = lit_box(160, "round")
    want[save_range(f / "lights/umbrella.exr", np.concatenate([umbrella, (umbrella[..., :1] > 0.2).astype(float)], 2))] = "light picture"
    want[save_range(f / "lights/scrim large.exr", 0.5 + 0.5 * noise(100, 140, 30)[..., None] * np.ones(3))] = "light picture"
    # artwork
    for name, colours, cut in (
        ("emblem", [(20, 60, 140)], True), ("mark white", [(255, 255, 255)], True), ("two inks", [(180, 30, 30), (20, 20, 20)], True), ("on white", [(10, 90, 60)], False),
        ("seal", [(150, 120, 60), (0, 0, 0)], False),
    ):  # fmt: skip
        want[save(f / f"artwork/{name}.png", logo(640, 400, colours, cut))] = "artwork"
    want[save(f / "artwork/stamp.webp", logo(500, 500, [(90, 20, 90)], True))] = "artwork"
    want[save(f / "artwork/label.tif", logo(700, 420, [(200, 90, 20), (30, 30, 30)], True))] = "artwork"
    want[save(f / "artwork/old logo.gif", logo(320, 200, [(0, 0, 160)], False))] = "artwork"
    want[save(f / "artwork/print scan.jpg", logo(900, 560, [(10, 10, 10)], False), quality=95)] = "artwork"
    for name, body in (("odrel", '<path fill="#123456" d="M5 5h30v20h-30z"/>'), ("lines only", '<path fill="none" stroke="#000" d="M5 5L50 30"/>'), ("two", '<circle cx="20" cy="20" r="9" fill="red"/><rect x="30" y="5" width="9" height="9" fill="blue"/>')):
        path = f / f"artwork/{name}.svg"
        path.write_text(SVG % body)
        want[path] = "artwork"
    path = f / "artwork/sheet.pdf"
    Image.new("RGB", (300, 200), (240, 240, 240)).save(path)
    want[path] = "artwork"
    # photographs
    exif = Image.Exif()
    exif[271], exif[272] = "Odrel optics", "K 1"
    for name, size, more in (
        ("IMG_0412.jpg", (600, 900), {"exif": exif}), ("table top.jpg", (600, 800), {}), ("P1040012.jpg", (900, 1350), {}), ("harbour backdrop.png", (675, 1200), {}),
        ("room_01.webp", (720, 1080), {}), ("scan of a street.tif", (900, 1200), {}), ("kitchen.jpg", (1000, 800), {}), ("square.jpg", (700, 700), {"exif": exif}),
    ):  # fmt: skip
        want[save(f / "photographs" / name, photograph(*size), **more)] = "photograph"
    want[save_range(f / "photographs/plate.exr", photograph(300, 450))] = "photograph"
    want[save_range(f / "photographs/terrace.hdr", 2 * photograph(240, 360))] = "photograph"
    want[save(f / "photographs/light_table.jpg", photograph(800, 1200))] = "photograph"
    # pictures for surfaces, one by one
    for name, values in (
        ("linen.png", weave(256, (0.8, 0.75, 0.6))), ("concrete.jpg", noise(300, 300, 3)[..., None] * np.ones(3)), ("grit.png", noise(256, 256, 1)), ("felt.tif", weave(256, (0.4, 0.4, 0.45))),
        ("rust spots.png", (noise(256, 256, 5) > 0.6)[..., None] * np.array([0.5, 0.25, 0.1]) + 0.2 * noise(256, 256, 2)[..., None]), ("planks.webp", weave(512, (0.5, 0.35, 0.2))), ("moss_diffuse.bmp", weave(128, (0.2, 0.4, 0.1))), ("dents.png", normal(256)),
        ("scratches_roughness.png", noise(256, 256, 1)), ("hammered_normal.png", normal(200)), ("waves_height.exr", None), ("holes_opacity.png", (noise(200, 200, 6) > 0.5).astype(float)),
    ):  # fmt: skip
        path = f / "pictures" / name
        want[save_range(path, noise(100, 100, 8)[..., None] * np.ones(3)) if values is None else save(path, values)] = "picture"
    # sets
    for stem, roles, ending in (
        ("oak", ("color", "rough", "normal"), ".png"), ("Brick_Wall_2K", ("BaseColor", "Roughness", "Normal", "Height"), ".jpg"), ("tin-01", ("albedo", "metalness", "gloss"), ".png"),
        ("LeatherBlack", ("_diff", "_nrm_gl", "_ao"), ".png"),
    ):  # fmt: skip
        for number, role in enumerate(roles):
            values = weave(128, (0.6, 0.4, 0.3)) if not number else normal(128) if "nrm" in role.lower() or role.lower() == "normal" else noise(128, 128, 2)
            path = save(f / "sets" / stem / (f"{stem}{'' if role.startswith('_') else '_'}{role}{ending}"), values)
            if not number:
                want[path] = "picture set"
    # what Aulmo writes
    assets = AssetStore()
    document = Document(name="Odrel things", materials={})
    copper = replace(swatches.material("Copper"), id="copper")
    document = replace(document, materials={"copper": copper})
    want[save_swatch(document, assets, "copper", f / "mine", ["warm", "pipe"])] = "swatch"
    (f / "mine").mkdir(exist_ok=True)
    save_material(replace(swatches.material("Slate"), name="Slate tile"), assets, f / "mine/slate.mtlx")
    want[f / "mine/slate.mtlx"] = "swatch"
    save_material(swatches.material("Amber glass"), assets, f / "mine/amber.zip")
    want[f / "mine/amber.zip"] = "swatch"
    lit = replace(document, environment=Environment(kind="colour", softboxes=(Softbox("a", "Key"), Softbox("b", "Rim", azimuth=120))))
    set_ups.save(lit, assets, f / "mine/two boxes.aulmolight")
    want[f / "mine/two boxes.aulmolight"] = "light set"
    lamps = Document(lamps={"l": Lamp(id="l", name="Key spot", kind="spot")}, environment=Environment(kind="colour"))
    set_ups.save(lamps, assets, f / "mine/lamps.aulmolight")
    want[f / "mine/lamps.aulmolight"] = "light set"
    held, part = pieces.add_piece(document, pieces.set_piece("cylinder", radius=40, height=90))
    held = replace(held, parts={**held.parts, part: replace(held.parts[part], material="copper", name="Cup", set_piece=held.parts[part].set_piece)})
    props.keep_prop(held, assets, [part], f / "mine/cup.aulmoprop")
    want[f / "mine/cup.aulmoprop"] = "prop"
    group = replace(held, parts={**held.parts, "g": Part(id="g", name="Table set", children=(part,)), part: replace(held.parts[part], parent="g")}, roots=("g",))
    props.keep_prop(group, assets, ["g"], f / "mine/table set.aulmoprop")
    want[f / "mine/table set.aulmoprop"] = "prop"
    loose = replace(held, parts={part: replace(held.parts[part], set_piece=None, mesh=assets.add_mesh(assets.mesh(held.parts[part].mesh)))})
    project_file.save(loose, assets, f / "mine/last year.aulmo")
    want[f / "mine/last year.aulmo"] = "prop"
    project_file.save(lit, assets, f / "mine/only light.aulmo")
    want[f / "mine/only light.aulmo"] = "light set"
    keeping.keep_lamp(lamps, assets, "l", f / "mine/spot.aulmolamp")
    want[f / "mine/spot.aulmolamp"] = "lamp"
    stuck = replace(held, decals={"d": Decal(id="d", name="Badge", artwork="text", text="Odrel", parts=(part,))})
    keeping.keep_decal(stuck, assets, "d", f / "mine/badge.aulmodecal")
    want[f / "mine/badge.aulmodecal"] = "artwork"
    want[save_preset(f / "mine", "Warm evening", Finish(id="f", name="Warm evening"), assets)] = "finish"
    import msgspec

    (f / "mine/thick.json").write_bytes(msgspec.json.encode(replace(OURS["Kraft board"], name="Thick kraft")))
    want[f / "mine/thick.json"] = "board"
    # the rest
    for name, text, kind in (
        ("wall washer.ies", IES, "lamp"), ("downlight.IES", IES, "lamp"), ("flat.dxf", DXF, "carton"), ("sleeve.svg", DIELINE, "carton"), ("plate.stl", STL, "model"),
        ("bolt.obj", "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n", "model"), ("case.step", "ISO-10303-21;\nEND-ISO-10303-21;\n", "model"), ("view.cube", "LUT_3D_SIZE 2\n" + "0 0 0\n" * 8, "colour table"),
        ("scene.usda", "#usda 1.0\n", "model"), ("part.gltf", "{}", "model"), ("spin.mp4", "\0\0\0 ftypisom", "film"), ("table.igs", "S      1\n", "model"),
    ):  # fmt: skip
        path = f / "other" / name
        path.parent.mkdir(exist_ok=True)
        path.write_text(text)
        want[path] = kind
    # broken ones, as what their names say
    for name, kind in (("gone.exr", "picture"), ("half.png", "picture"), ("empty.aulmoprop", "prop"), ("torn.svg", "artwork"), ("bad.ies", "lamp"), ("no.finish.json", "finish")):
        path = f / "broken" / name
        path.parent.mkdir(exist_ok=True)
        path.write_bytes(b"" if "empty" in name else b"this is no such file")
        want[path] = kind
    # what has no place there
    for name in ("notes.txt", "settings.json", "archive.zip", ".hidden.png", "Thumbs.db"):
        path = f / "aside" / name
        path.parent.mkdir(exist_ok=True)
        if name.endswith(".zip"):
            with zipfile.ZipFile(path, "w") as archive:
                archive.writestr("a.txt", "a")
        else:
            path.write_text(json.dumps({"a": 1}))
        want[path] = ""
    return want
