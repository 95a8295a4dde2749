"""Full spheres: all that is seen from where a camera stands, as one picture of twice its height, for one eye or two, as the six faces of a cube, or
as a page to look around in."""

import base64
import struct
from pathlib import Path
from typing import Callable, Literal

import numpy as np
from msgspec.structs import replace

from aulmo import __version__
from aulmo.deliver import page
from aulmo.deliver.encoding import display_picture
from aulmo.deliver.picture_file import type_of, write_picture
from aulmo.document.assets import AssetStore
from aulmo.document.records import Camera, Document, RenderSettings, Shot
from aulmo.document.writing import write_atomically
from aulmo.errors import BadValue
from aulmo.trace import tracer
from aulmo.trace.scene import SceneBuilder
from aulmo.trace.tracer import Picture, Progress, Tracer

FACES = ("front", "right", "back", "left", "up", "down")
# what programs that show full spheres look for in a picture (XMP, the GPano words)
XMP = (
    '<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#"><rdf:Description rdf:about="" '
    'xmlns:GPano="http://ns.google.com/photos/1.0/panorama/" GPano:ProjectionType="equirectangular" GPano:UsePanoramaViewer="True" '
    'GPano:FullPanoWidthPixels="{w}" GPano:FullPanoHeightPixels="{h}" GPano:CroppedAreaImageWidthPixels="{w}" '
    'GPano:CroppedAreaImageHeightPixels="{h}" GPano:CroppedAreaLeftPixels="0" GPano:CroppedAreaTopPixels="0" '
    'GPano:PoseHeadingDegrees="0.0"{more}/></rdf:RDF></x:xmpmeta>'
)


Layout = Literal["", "top-bottom", "left-right"]  # of the two eyes in one picture; the left one is above, or left
PAGES = (".html", ".htm")
WIDEST_PAGE = 8192  # pixels round that a page carries at most


def level(camera: Camera) -> Camera:
    """A camera that sees the whole sphere from its place, upright, the way it faced in the middle."""
    x, y, _ = camera.position
    tx, ty, _ = camera.target
    away = np.array([tx - x, ty - y])
    if float(np.linalg.norm(away)) < 1e-9:
        away = np.array([0.0, 1.0])
    target = (x + float(away[0]), y + float(away[1]), camera.position[2])
    return replace(
        camera, projection="panorama", target=target, roll=0.0, shift_x=0.0, shift_y=0.0, depth_of_field=False, looks_at=None, focus_on=None, bend=0.0
    )  # fmt: skip


def check_eyes(width: int, layout: Layout, eyes_mm: float) -> None:
    """Raises BadValue where no sphere is so wide, or no eyes are so far from each other."""
    if width < 8 or width % 2:
        raise BadValue("A full sphere is an even number of pixels wide, and half as high.")
    if layout and not 0.0 < eyes_mm < 1e4:
        raise BadValue("The eyes are some millimetres from each other; people’s are about 64.")


def _check_cube(out: Path) -> None:
    if out.suffix.lower() not in (".png", ".jpg"):
        raise BadValue(f"{out.name} should end in .png or .jpg for the faces of a cube.")


def check(width: int, out: Path, layout: Layout, eyes_mm: float, cube: bool) -> None:
    """Raises BadValue where a full sphere cannot be made so."""
    check_eyes(width, layout, eyes_mm)
    if cube and layout:
        raise BadValue("The faces of a cube are for one eye.")
    if cube:
        _check_cube(out)
    if out.suffix.lower() not in PAGES:
        type_of(out)


def sphere(
    document: Document, assets: AssetStore, shot: Shot, width: int, settings: RenderSettings, progress: Callable | None = None, time_: float = 0.0,
    layout: Layout = "", eyes_mm: float = 64.0, keep: Path | None = None, builder: SceneBuilder | None = None,
) -> Picture | None:  # fmt: skip
    """The full sphere from a shot's camera, `width` pixels round; with a `layout` for two eyes, `eyes_mm` from each other, in one picture. With a
    folder to `keep` how far it is, one that was stopped goes on. `progress` is told as by `tracer.render`. Raises BadValue."""
    check_eyes(width, layout, eyes_mm)
    seen = level(document.cameras[shot.camera])
    own = replace(shot, width=width, height=width // 2, photograph=None)
    document = replace(document, shots=tuple(own if s.id == shot.id else s for s in document.shots))
    builder = builder or SceneBuilder(assets)
    eyes: list[Picture] = []
    of = 2 if layout else 1

    def tell(p: Progress, by: Tracer) -> bool:
        share = (len(eyes) + p.share) / of
        left = p.seconds_left * (1 + (of - 1 - len(eyes)) / max(1e-3, 1 - p.share)) if of > 1 else p.seconds_left
        return progress is None or progress(p._replace(share=share, seconds_left=left), by)

    for beside in (-0.5 * eyes_mm, 0.5 * eyes_mm) if layout else (0.0,):
        of_eye = replace(document, cameras={**document.cameras, seen.id: replace(seen, eye_mm=beside)})
        state = keep / f"{len(eyes)}.state" if keep is not None else None
        made = tracer.render(of_eye, assets, own, (width, width // 2), replace(settings, passes=()), tell, builder, state, time_)
        if made is None:
            return None
        eyes.append(made)
    return eyes[0] if not layout else joined(eyes[0], eyes[1], layout)


def joined(left: Picture, right: Picture, layout: Layout) -> Picture:
    """Two eyes' pictures as one."""
    axis = 0 if layout == "top-bottom" else 1
    both = lambda a, b: np.concatenate((a, b), axis)  # noqa: E731
    return left._replace(
        rgb=both(left.rgb, right.rgb), alpha=both(left.alpha, right.alpha), raw=both(left.raw, right.raw), albedo=both(left.albedo, right.albedo),
        normal=both(left.normal, right.normal), noise=max(left.noise, right.noise), seconds=left.seconds + right.seconds,
    )  # fmt: skip


def write_sphere(
    picture: Picture, path: Path, about: dict[str, str] | None = None, settings: RenderSettings | None = None, layout: Layout = ""
) -> None:
    """Write a full sphere; a JPEG says of itself that it is one, and how the eyes lie in it. A path that ends in .html becomes a page to look around
    in. Raises BadValue or CannotWrite."""
    path = Path(path)
    if path.suffix.lower() in PAGES:
        write_page(picture, path, (about or {}).get("ImageDescription", path.stem), layout)
        return
    name = f"{(about or {}).get('ImageDescription', path.stem)}, full sphere, equirectangular" + (f", two eyes {layout}" if layout else "")
    told = {"Software": f"Aulmo {__version__}", **(about or {}), "ImageDescription": name}
    write_picture(picture, path, type_of(path), told, settings)
    if path.suffix.lower() in (".jpg", ".jpeg"):
        blob = path.read_bytes()
        h, w = picture.rgb.shape[:2]
        more = f' xmlns:GSpherical="http://ns.google.com/videos/1.0/spherical/" GSpherical:StereoMode="{layout}"' if layout else ""
        block = b"http://ns.adobe.com/xap/1.0/\0" + XMP.format(w=w, h=h, more=more).encode()
        marked = blob[:2] + b"\xff\xe1" + struct.pack(">H", len(block) + 2) + block + blob[2:]
        write_atomically(path, lambda file: file.write(marked))


def write_page(picture: Picture, path: Path, title: str, layout: Layout = "") -> None:
    """Write a page of one file, without anything from outside, in which one looks around: by hand, finger, wheel or keys; with two eyes for a viewer
    that is held before them, too. Raises CannotWrite."""
    from aulmo.deliver.encoding import encode

    display = np.clip(display_picture(picture)[..., :3], 0, 1)
    round_ = display.shape[1] // 2 if layout == "left-right" else display.shape[1]
    fold = -(-round_ // WIDEST_PAGE)
    if fold > 1:
        h, w = (n // fold for n in display.shape[:2])
        display = display[: h * fold, : w * fold].reshape(h, fold, w, fold, 3).mean((1, 3))
    blob = encode(np.ascontiguousarray(display, np.float32), ".jpg", "uint8")
    about = {"picture": "data:image/jpeg;base64," + base64.b64encode(blob).decode(), "layout": layout}
    page.write_page(path, "sphere", title, about)


def directions(face: str, size: int) -> np.ndarray:
    """(size, size, 3) unit directions (right, up, ahead) through the pixels of a cube's face, as it is seen from inside."""
    u = (np.arange(size) + 0.5) / size * 2 - 1
    x, y = np.meshgrid(u, -u)
    one = np.ones_like(x)
    seen = {
        "front": (x, y, one), "right": (one, y, -x), "back": (-x, y, -one), "left": (-one, y, x), "up": (x, one, -y), "down": (x, -one, y),
    }[face]  # fmt: skip
    way = np.stack(seen, -1)
    return way / np.linalg.norm(way, axis=-1, keepdims=True)


def cube_face(display: np.ndarray, face: str, size: int) -> np.ndarray:
    """(size, size, c) of a cube's face out of a full sphere (h, 2 h, c), read between its pixels and round its seam."""
    from scipy.ndimage import map_coordinates

    h, w = display.shape[:2]
    way = directions(face, size)
    column = (np.arctan2(way[..., 0], way[..., 2]) / (2 * np.pi) + 0.5) * w - 0.5
    row = (0.5 - np.arcsin(np.clip(way[..., 1], -1, 1)) / np.pi) * h - 0.5
    wide = np.concatenate([display[:, -2:], display, display[:, :2]], 1)  # round the seam
    place = [np.clip(row, 0, h - 1), column + 2]
    return np.stack([map_coordinates(wide[..., c], place, order=1, mode="nearest") for c in range(display.shape[2])], -1)


def write_cube(picture: Picture, path: Path) -> list[Path]:
    """Write the six faces of a cube as "name front.png" and so on; returns the files. Raises BadValue or CannotWrite."""
    from aulmo.deliver.encoding import encode

    path = Path(path)
    _check_cube(path)
    display = np.clip(display_picture(picture)[..., :3], 0, 1)
    size = max(4, picture.rgb.shape[1] // 4)
    found = []
    for face in FACES:
        blob = encode(np.ascontiguousarray(cube_face(display, face, size), np.float32), path.suffix.lower(), "uint8")
        out = path.with_stem(f"{path.stem} {face}")
        write_atomically(out, lambda file, blob=blob: file.write(blob))
        found.append(out)
    return found
