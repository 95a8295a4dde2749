"""Full spheres: all that is seen from where a camera stands, as one picture of twice its height, or as the six faces of a cube."""

import struct
from pathlib import Path
from typing import Callable

import numpy as np
from msgspec.structs import replace

from aulmo import __version__
from aulmo.deliver.picture_file import display_picture, type_of, write_picture
from aulmo.document.assets import AssetStore
from aulmo.document.project_file import write_atomically
from aulmo.document.records import Camera, Document, RenderSettings, Shot
from aulmo.errors import BadValue
from aulmo.trace import tracer
from aulmo.trace.tracer import Picture

FACES = ("front", "right", "back", "left", "up", "down")
# what programs that show full spheres look for in a picture (XMP, the GPano words)
XMP = (
    '<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#"><rdf:Description rdf:about="" '
    'xmlns:GPano="http://ns.google.com/photos/1.0/panorama/" GPano:ProjectionType="equirectangular" GPano:UsePanoramaViewer="True" '
    'GPano:FullPanoWidthPixels="{w}" GPano:FullPanoHeightPixels="{h}" GPano:CroppedAreaImageWidthPixels="{w}" '
    'GPano:CroppedAreaImageHeightPixels="{h}" GPano:CroppedAreaLeftPixels="0" GPano:CroppedAreaTopPixels="0" '
    'GPano:PoseHeadingDegrees="0.0"/></rdf:RDF></x:xmpmeta>'
)


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


def sphere(
    document: Document, assets: AssetStore, shot: Shot, width: int, settings: RenderSettings, progress: Callable | None = None, time_: float = 0.0
) -> Picture | None:
    """The full sphere from a shot's camera, `width` pixels round. Raises BadValue."""
    if width < 8 or width % 2:
        raise BadValue("A full sphere is an even number of pixels wide, and half as high.")
    seen = level(document.cameras[shot.camera])
    document = replace(document, cameras={**document.cameras, seen.id: seen})
    own = replace(shot, width=width, height=width // 2, photograph=None)
    document = replace(document, shots=tuple(own if s.id == shot.id else s for s in document.shots))
    return tracer.render(document, assets, own, (width, width // 2), replace(settings, passes=()), progress, None, None, time_)


def write_sphere(picture: Picture, path: Path, about: dict[str, str] | None = None, settings: RenderSettings | None = None) -> None:
    """Write a full sphere; a JPEG says of itself that it is one. Raises BadValue or CannotWrite."""
    path = Path(path)
    told = {"Software": f"Aulmo {__version__}", "ImageDescription": "Full sphere, equirectangular", **(about or {})}
    write_picture(picture, path, type_of(path), told, settings)
    if path.suffix.lower() in (".jpg", ".jpeg"):
        blob = path.read_bytes()
        h, w = picture.rgb.shape[:2]
        block = b"http://ns.adobe.com/xap/1.0/\0" + XMP.format(w=w, h=h).encode()
        marked = blob[:2] + b"\xff\xe1" + struct.pack(">H", len(block) + 2) + block + blob[2:]
        write_atomically(path, lambda file: file.write(marked))


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
    from aulmo.deliver.picture_file import encode

    path = Path(path)
    if path.suffix.lower() not in (".png", ".jpg"):
        raise BadValue(f"{path.name} should end in .png or .jpg for the faces of a cube.")
    display = np.clip(display_picture(picture)[..., :3], 0, 1)
    size = max(4, picture.rgb.shape[1] // 4)
    found = []
    for face in FACES:
        blob = encode(np.ascontiguousarray(cube_face(display, face, size), np.float32), path.suffix.lower(), "uint8")
        out = path.with_stem(f"{path.stem} {face}")
        write_atomically(out, lambda file, blob=blob: file.write(blob))
        found.append(out)
    return found
