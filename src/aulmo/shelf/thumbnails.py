"""Small pictures of things as they will be used: a surface on a ball, a dome on two balls, a light on its stand, a light set on three forms, a prop
as it stands. They are made once and kept until the thing changes."""

import functools
import hashlib
from pathlib import Path

import numpy as np
import platformdirs
from msgspec.structs import replace

from aulmo.document.apart import apart
from aulmo.document.assets import AssetStore
from aulmo.document.records import Backdrop, Camera, Document, Environment, Floor, Material, RenderSettings, Shot, Softbox, Surface
from aulmo.document.writing import write_atomically
from aulmo.errors import AulmoError, BadFile
from aulmo.light.dome_map import map_directions
from aulmo.shelf import looks, own
from aulmo.shelf.things import OWN, Thing
from aulmo.surface.colour import ACESCG_TO_SRGB, LUMINANCE, decode_srgb, encode_srgb

VERSION = 1
WIDTH, HEIGHT = 136, 104
SET_EVEN = 0.6  # how far light sets are brought to one exposure: a dark one should look dark
GROUND = decode_srgb(np.array([0.22, 0.22, 0.225]))


def kept_at(thing: Thing) -> Path | None:
    """The file of a thing's small picture, whether it is there or not; of what ships it comes along. None for what has no file to follow."""
    shipped = own.thumbnail_file(thing)
    if shipped is not None:
        return shipped
    if thing.path.startswith(OWN):
        name = f"{VERSION}\n{thing.key}"
    else:
        try:
            stat = Path(thing.path).stat()
        except OSError:
            return None
        name = f"{VERSION}\n{thing.key}\n{stat.st_mtime_ns}\n{stat.st_size}\n{len(thing.files)}"
    return Path(platformdirs.user_cache_dir("aulmo")) / "shelf" / "pictures" / f"{hashlib.sha256(name.encode()).hexdigest()[:32]}.png"


def make(thing: Thing) -> Path | None:
    """The file of a thing's small picture, made where it is not there; None where it cannot be."""
    path = kept_at(thing)
    if path is None or path.exists():
        return path
    try:
        pixels = picture_of(thing)
        if pixels is None:
            return None
        path.parent.mkdir(parents=True, exist_ok=True)
        write_atomically(path, lambda file: file.write(png(pixels)))
    except (AulmoError, OSError):
        return None
    return path


def png(pixels: np.ndarray) -> bytes:
    """(h, w, 3) uint8 as the bytes of a PNG."""
    import io

    from PIL import Image

    held = io.BytesIO()
    Image.fromarray(pixels).save(held, "PNG", optimize=True)
    return held.getvalue()


def picture_of(thing: Thing) -> np.ndarray | None:
    """(HEIGHT, WIDTH, 3) uint8 of a thing as it will be used; None for kinds that have no picture. Raises BadFile."""
    path = Path(thing.path)
    if thing.trouble:
        return None
    if thing.kind == "swatch":
        return _swatch(thing)
    if thing.kind == "dome":
        return _of_pixels("dome", path)
    if thing.kind == "light picture":
        return _of_pixels("light", path)
    if thing.kind == "light set":
        return _light_set(path)
    if thing.kind == "prop":
        return _prop(thing)
    if thing.kind == "picture set":
        return _set(thing)
    if thing.kind in ("picture", "photograph"):
        return _of_pixels("plain", path)
    if thing.kind == "artwork":
        return _decal(path) if path.suffix == ".aulmodecal" else _of_pixels("artwork", path)
    if thing.kind == "lamp":
        return _measured(path) if path.suffix.lower() == ".ies" else _stored(path)
    if thing.kind == "board":
        return _board(thing)
    return _stored(path) if path.suffix.startswith(".aulmo") else None


def _shown(light: np.ndarray) -> np.ndarray:
    """Linear Rec.709 light as a display has it, what is bright rolled off."""
    light = np.maximum(light, 0.0)
    bright = light.max(2, keepdims=True)
    scale = np.where(bright > 0.7, (0.7 + 0.3 * (1 - np.exp(-(bright - 0.7) / 0.6))) / np.maximum(bright, 1e-9), 1.0)
    return (encode_srgb(light * scale) * 255 + 0.5).astype(np.uint8)


def _fitted(pixels: np.ndarray, width: int, height: int) -> np.ndarray:
    """Pixels scaled by averaging or between, to a size."""
    from PIL import Image

    planes = [Image.fromarray(np.ascontiguousarray(pixels[..., k], np.float32)) for k in range(pixels.shape[2])]
    return np.stack([np.asarray(p.resize((width, height), Image.Resampling.BILINEAR, reducing_gap=2.0)) for p in planes], 2)


# pictures


@apart(seconds=60, gigabytes=8, process="shelf")
def _of_pixels(how: str, path: Path) -> np.ndarray:
    """A picture file shown as a dome, a light, artwork, or as it is."""
    if path.suffix.lower() in (".svg", ".pdf"):
        from aulmo.shelf.telling import drawn

        found = drawn(path)
        if found is None:
            raise BadFile(f"{path.name} cannot be drawn.")
        look = found
    else:
        look = looks.look_at(path)
    if how == "dome":
        return _dome(look)
    if how == "light":
        return _light(look)
    return _artwork(look) if how == "artwork" else _plain(look)


def _dome(look: looks.Look) -> np.ndarray:
    """What the dome does to a mirror ball and a grey one, and a strip of itself behind."""
    light = look.light / max(1e-6, float(np.quantile(look.light @ LUMINANCE, 0.7))) * 0.32
    h, w = light.shape[:2]
    out = np.zeros((HEIGHT, WIDTH, 3))
    strip = _fitted(light, 2 * WIDTH, WIDTH)
    out[:] = strip[WIDTH // 2 - HEIGHT // 2 : WIDTH // 2 - HEIGHT // 2 + HEIGHT, WIDTH // 2 : WIDTH // 2 + WIDTH] * 0.55
    small = _fitted(light, 32, 16)
    directions = map_directions(32, 16).reshape(-1, 3)
    solid = (np.sin((np.arange(16) + 0.5) / 16 * np.pi)[:, None] * np.ones((1, 32))).reshape(-1) * 2 * np.pi / 32 * np.pi / 16
    total = light.reshape(-1, 3).mean(0) / np.maximum(small.reshape(-1, 3).mean(0), 1e-9)
    lamps = small.reshape(-1, 3) * total * solid[:, None]
    radius = 0.36 * HEIGHT
    for centre, mirror in ((WIDTH * 0.28, True), (WIDTH * 0.73, False)):
        y, x = np.mgrid[0:HEIGHT, 0:WIDTH]
        nx, nz = (x + 0.5 - centre) / radius, -(y + 0.5 - HEIGHT * 0.54) / radius
        inside = nx**2 + nz**2 < 1
        ny = -np.sqrt(np.maximum(0.0, 1 - nx**2 - nz**2))
        normal = np.stack([nx, ny, nz], 2)
        if mirror:
            toward = np.array([0.0, 1.0, 0.0])
            bounced = toward - 2 * (normal @ toward)[..., None] * normal
            across = np.arctan2(bounced[..., 0], bounced[..., 1]) / (2 * np.pi) + 0.5
            down = np.arccos(np.clip(bounced[..., 2], -1, 1)) / np.pi
            ball = light[np.clip((down * h).astype(int), 0, h - 1), np.clip((across * w).astype(int), 0, w - 1)] * 0.9
        else:
            ball = np.maximum(normal.reshape(-1, 3) @ directions.T, 0) @ lamps / np.pi * 0.5
            ball = ball.reshape(HEIGHT, WIDTH, 3)
        edge = np.clip((1 - np.sqrt(nx**2 + nz**2)) * radius, 0, 1)[..., None] * inside[..., None]
        out = out * (1 - edge) + ball * edge
    return _shown(out)


def _light(look: looks.Look) -> np.ndarray:
    """A light as it hangs in the dark, with its glow, and below it how a glossy table gives it back."""
    cover = look.cover if look.cover is not None else np.ones(look.light.shape[:2], np.float32)
    white = max(1e-6, float(np.quantile(look.light @ LUMINANCE, 0.98)))
    fit = min(0.62 * HEIGHT / look.height, 0.8 * WIDTH / look.width)
    wide, high = max(4, round(fit * look.width)), max(4, round(fit * look.height))
    small = _fitted(np.concatenate([look.light / white * cover[..., None], cover[..., None]], 2), wide, high)
    out = np.ones((HEIGHT, WIDTH, 3)) * GROUND * 0.25
    x, y = (WIDTH - wide) // 2, max(2, round(0.06 * HEIGHT))
    lit = np.zeros((HEIGHT, WIDTH, 4))
    lit[y : y + high, x : x + wide] = small
    room = min(high, HEIGHT - (y + high) - 3)
    if room > 2:
        lit[y + high + 3 : y + high + 3 + room, x : x + wide] = small[::-1][:room] * np.linspace(0.32, 0.02, room)[:, None, None]
    from scipy.ndimage import gaussian_filter

    glow = gaussian_filter(lit[..., :3], (7, 7, 0))
    out = out * (1 - np.clip(lit[..., 3:], 0, 1)) + lit[..., :3] * 1.1 + 0.22 * glow
    return _shown(out)


def _plain(look: looks.Look) -> np.ndarray:
    """The picture, cut to the shape of its place."""
    light = look.light / max(1.0, float(np.quantile(look.light, 0.97)))
    h, w = light.shape[:2]
    wanted = WIDTH / HEIGHT
    if w / h > wanted:
        keep = max(1, round(h * wanted))
        light = light[:, (w - keep) // 2 : (w - keep) // 2 + keep]
    else:
        keep = max(1, round(w / wanted))
        light = light[(h - keep) // 2 : (h - keep) // 2 + keep]
    return _shown(_fitted(light, WIDTH, HEIGHT))


def _artwork(look: looks.Look) -> np.ndarray:
    """The whole of it on grey, dark or light, whichever shows it better."""
    cover = look.cover if look.cover is not None else np.ones(look.light.shape[:2], np.float32)
    fit = min(0.84 * HEIGHT / look.height, 0.84 * WIDTH / look.width)
    wide, high = max(2, round(fit * look.width)), max(2, round(fit * look.height))
    small = _fitted(np.concatenate([look.light * cover[..., None], cover[..., None]], 2), wide, high)
    own_light = float((small[..., :3] @ LUMINANCE).sum() / max(1e-6, float(small[..., 3].sum())))
    ground = 0.09 if own_light > 0.2 else 0.5
    out = np.ones((HEIGHT, WIDTH, 3)) * ground
    x, y = (WIDTH - wide) // 2, (HEIGHT - high) // 2
    out[y : y + high, x : x + wide] = out[y : y + high, x : x + wide] * (1 - small[..., 3:]) + small[..., :3]
    return _shown(out)


def _decal(path: Path) -> np.ndarray | None:
    from aulmo.document import project_file

    document, assets = project_file.load(path)
    decal = next(iter(document.decals.values()), None)
    if decal is None:
        return None
    if decal.picture:
        from aulmo.light.environment_image import in_file

        return in_file(assets.get(decal.picture), decal.picture, lambda file: _of_pixels("artwork", file))
    return _stored(path)


def _stored(path: Path) -> np.ndarray | None:
    """The picture that a file was kept with."""
    from aulmo.document.project_file import read_thumbnail

    blob = read_thumbnail(path)
    return _of_blob(blob) if blob is not None else None


def _of_blob(blob: bytes) -> np.ndarray | None:
    """A picture that was kept as a PNG or JPEG; None where it is damaged, as if there were none."""
    import io

    from PIL import Image

    try:
        with Image.open(io.BytesIO(blob)) as image:
            values = np.asarray(image.convert("RGB"), np.float32) / 255
    except Exception:  # noqa: BLE001 (whatever a damaged picture makes of the library)
        return None
    return _plain(looks.Look(decode_srgb(values).astype(np.float32), None, False, values.shape[1], values.shape[0], 0.0, False))


def _measured(path: Path) -> np.ndarray:
    """A wall washed by a measured lamp."""
    from aulmo.light.photometry import read_ies

    try:
        profile = read_ies(path.read_bytes(), path.name)
    except OSError as error:
        raise BadFile(f"{path.name} could not be read: {error.strerror}.") from None
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH]
    across, down, away = (x + 0.5 - WIDTH / 2) / HEIGHT, (y + 0.5) / HEIGHT - 0.06, 0.28
    distance = np.sqrt(across**2 + down**2 + away**2)
    angle = np.degrees(np.arccos(np.clip(down / distance, -1, 1)))
    round_ = np.degrees(np.arctan2(across, away)) % 360
    candela = profile.candela[np.clip(angle.round().astype(int), 0, 180), np.clip(round_.round().astype(int), 0, 360)]
    lit = candela * away / distance**3
    lit = lit / max(1e-9, float(np.quantile(lit, 0.99))) * 0.9
    return _shown(lit[..., None] * np.array([1.0, 0.88, 0.72]) + 0.012)


def _board(thing: Thing) -> np.ndarray:
    """A sheet lying over another one, its back turned up at a corner."""
    from aulmo.prepare.carton import boards

    board = boards.board_named(thing.name) if thing.path.startswith(OWN) else boards.read(Path(thing.path))
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH]
    out = np.ones((HEIGHT, WIDTH, 3)) * GROUND * 0.8
    colours = [np.maximum(ACESCG_TO_SRGB @ np.array(s.base_color), 0) for s in (board.front, board.back, board.core)]
    edge = max(2, round(min(14.0, board.thickness_mm * 3.0)))
    sheet = (x > 14) & (x < WIDTH - 14) & (y > 16) & (y < HEIGHT - 22)
    side = (x > 14) & (x < WIDTH - 14) & (y >= HEIGHT - 22) & (y < HEIGHT - 22 + edge)
    out[side] = colours[2] * 0.75
    out[sheet] = colours[0] * (1.05 - 0.25 * (x[sheet] / WIDTH))[:, None]
    if board.pitch_mm:
        wave = side & (np.sin(x / max(3.0, board.pitch_mm) * 2 * np.pi / 1.4) > 0)
        out[wave] *= 0.5
    fold = x + (HEIGHT - y) > WIDTH + HEIGHT - 62
    out[sheet & fold] = colours[1] * 0.9
    return _shown(out)


# rendered


def ball(material: Material, assets: AssetStore, samples: int = 48) -> np.ndarray:
    """(HEIGHT, WIDTH, 3) uint8 of a material on a ball."""
    from aulmo.trace.swatch_ball import swatch_picture

    return np.ascontiguousarray(swatch_picture(material, WIDTH, HEIGHT, samples, assets)[..., 2::-1])


def rendered(document: Document, assets: AssetStore, samples: int, even: float = 1.0) -> np.ndarray:
    """(HEIGHT, WIDTH, 3) uint8 of a document's shot, exposed so that what is bright in it is not blown out and all else is seen; with `even` below 1
    only so far, and what is dark stays darker."""
    from aulmo.trace.tracer import render
    from aulmo.trace.view import dither, show

    picture = render(document, assets, document.shots[0], (WIDTH, HEIGHT), RenderSettings(stop="samples", samples=samples))
    assert picture is not None  # only a progress callback cancels
    bright = np.maximum(picture.rgb[..., :3], 0) @ LUMINANCE.astype(np.float32) / picture.white
    scale = float(np.clip(0.5 / max(1e-6, 0.5 * float(np.quantile(bright, 0.9)) + 0.5 * float(bright.mean())), 0.05, 20.0)) ** even
    out = np.empty((HEIGHT, WIDTH, 4), np.uint8)
    dither(show(picture.rgb, picture.white / scale, "Product neutral", exact=True), np.ones((HEIGHT, WIDTH), np.float32), out)
    return np.ascontiguousarray(out[..., 2::-1])


def _swatch(thing: Thing) -> np.ndarray | None:
    from aulmo.surface import library, swatches
    from aulmo.surface.materialx_in import read_materials

    assets = AssetStore()
    if thing.path.startswith(OWN):
        material: Material | None = swatches.material(own.shipped_name(thing))
    else:
        path = Path(thing.path)
        if path.suffix.lower() == ".zip":
            try:
                blob = library.about(path).thumbnail
            except Exception:  # noqa: BLE001 (then it is pictured)
                blob = b""
            if blob and (kept := _of_blob(blob)) is not None:
                return kept
        held = read_materials(path, assets).materials
        material = next((m for m in held if m.name == thing.inside), held[0] if held else None)
    if material is None:
        return None
    return ball(material, assets, 32)


def _set(thing: Thing) -> np.ndarray | None:
    """A set of pictures as a surface on a ball."""
    from aulmo.document.records import Lay
    from aulmo.surface.laying import with_set
    from aulmo.surface.picture_set import recognised

    assets = AssetStore()
    found, _ = recognised(assets, [Path(f) for f in thing.files])
    material = with_set(Material(id="set", name=thing.name), found, Lay(id="lay", width_mm=40.0, height_mm=40.0))
    return ball(material, assets, 24)


@functools.cache
def forms() -> tuple[Document, AssetStore]:
    """Three forms that show what light does: a glossy dark block, a matt ball, a satin cylinder of metal; on a floor, with a shot."""
    from aulmo.prepare import pieces

    assets = AssetStore()
    document = Document(name="Forms")
    worn = (
        ("block", Surface(base_color=(0.02, 0.02, 0.022), specular_roughness=0.06), {"width": 46, "depth": 46, "height": 64, "bevel": 4}, (-58, 8)),
        ("sphere", Surface(base_color=(0.5, 0.5, 0.5), specular_roughness=0.6, specular_weight=0.4), {"radius": 27}, (0, -6)),
        ("cylinder", Surface(base_color=(0.9, 0.88, 0.85), base_metalness=1.0, specular_roughness=0.12), {"radius": 21, "height": 84, "bevel": 4},
            (56, 10)),
    )  # fmt: skip
    for number, (kind, surface, sizes, (x, y)) in enumerate(worn):
        document, part = pieces.add_piece(document, pieces.set_piece(kind, **sizes))
        held = document.parts[part]
        place = replace(held.placement, position=(float(x), float(y), held.placement.position[2]), turn=(0.0, 0.0, 28.0 if kind == "block" else 0.0))
        material = Material(id=f"form{number}", name=f"Form {number}", surface=surface)
        document = replace(
            document, materials={**document.materials, material.id: material},
            parts={**document.parts, part: replace(held, material=material.id, placement=place)},
        )  # fmt: skip
    paper = Material(id="paper", name="Paper", surface=Surface(base_color=(0.16, 0.16, 0.16), specular_weight=0.6, specular_roughness=0.35))
    camera = Camera(id="c", name="c", position=(0, -430, 104), target=(0, 0, 36), focal_length_mm=98)
    return replace(
        document, materials={**document.materials, "paper": paper}, floor=Floor(kind="cove", material="paper"), cameras={"c": camera},
        shots=(Shot(id="s", name="s", camera="c"),),
    ), assets  # fmt: skip


def lit_forms(light: Document, theirs: AssetStore) -> tuple[Document, AssetStore]:
    """The three forms in a document's light."""
    from aulmo.document.references import references

    document, _ = forms()
    held = AssetStore()
    held.take_from(theirs, references(light, "assets"))
    document = replace(document, environment=light.environment, lamps=light.lamps, backdrop=light.backdrop)
    return document, held


def _light_set(path: Path) -> np.ndarray:
    from aulmo.document import project_file
    from aulmo.light.set_ups import light_of

    kept = _stored(path)
    if kept is not None:
        return kept
    found, theirs = project_file.load(path)
    document, assets = lit_forms(light_of(found), theirs)
    return rendered(document, assets, 48, SET_EVEN)


STUDIO = Environment(
    kind="gradient",
    softboxes=(
        Softbox("key", "Key", azimuth=-48, elevation=34, width=46, height=60, stops=2.9, edge=0.1),
        Softbox("rim", "Rim", azimuth=118, elevation=20, width=14, height=76, stops=3.0, edge=0.1),
    ),
)  # fmt: skip


def _prop(thing: Thing) -> np.ndarray:
    from aulmo.shelf import props

    path = Path(thing.path)
    if not thing.inside and path.suffix == props.SUFFIX and (kept := _stored(path)) is not None:
        return kept
    found, theirs = props.load(path, thing.inside)
    return rendered(*prop_scene(found, theirs), 40)


def prop_scene(found: Document, assets: AssetStore) -> tuple[Document, AssetStore]:
    """A prop on a floor in a plain studio, seen from a little above."""
    from aulmo.prepare import arrange

    box = arrange.bounds(found, assets, found.roots)
    assert box is not None
    centre, size = 0.5 * (box[0] + box[1]), float(np.linalg.norm(box[1] - box[0]))
    away = np.array([0.42, -1.0, 0.42]) / np.linalg.norm([0.42, -1.0, 0.42])
    camera = Camera(
        id="c", name="c", position=tuple((centre + away * 2.55 * size).tolist()), target=tuple((centre - [0, 0, 0.02 * size]).tolist()),
            focal_length_mm=70, exposure_stops=0.3
    )  # fmt: skip
    paper = Material(id="paper", name="Paper", surface=Surface(base_color=(0.3, 0.3, 0.3), specular_weight=0.3, specular_roughness=0.6))
    return replace(
        found, environment=STUDIO, backdrop=Backdrop(kind="colour", top=(0.061, 0.061, 0.061)), floor=Floor(kind="cove", material="paper"),
        materials={**found.materials, "paper": paper}, cameras={"c": camera}, shots=(Shot(id="s", name="s", camera="c"),),
    ), assets  # fmt: skip
