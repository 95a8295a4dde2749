"""Writing pictures: PNG, TIFF, JPEG, WebP with the view applied; EXR with the light itself and its guides; layered files for image editors."""

import io
import os
import tempfile
from pathlib import Path
from typing import NamedTuple

import numpy as np

from aulmo import __version__
from aulmo.deliver.encoding import display_picture, encode, light_spec
from aulmo.deliver.openraster import open_raster
from aulmo.deliver.profiles import in_space, profile
from aulmo.document.records import Document, RenderSettings
from aulmo.document.writing import write_atomically
from aulmo.errors import BadValue
from aulmo.trace.tracer import OF_FILES, Picture


class FileType(NamedTuple):
    """What is known of a type of picture file, beside its words (of `RenderSettings.file_type`): its ending, the depth of its numbers, which of a
    render's settings it heeds, about how many bytes a pixel takes, whether it can hold light itself, and whether it holds passes."""

    ending: str
    depth: str
    heeds: tuple[str, ...]
    bytes_a_pixel: int
    light: bool = False
    layered: bool = False


_SHOWN, _TIFF = ("profile", "dpi"), ("profile", "dpi", "alpha")
FILE_TYPES = {
    "png": FileType(".png", "uint8", _SHOWN, 4),
    "png16": FileType(".png", "uint16", _SHOWN, 8),
    "tif8": FileType(".tif", "uint8", _TIFF, 4),
    "tif": FileType(".tif", "uint16", _TIFF, 8),
    "tif32": FileType(".tif", "float", _TIFF, 16, light=True),
    "jpg": FileType(".jpg", "uint8", (*_SHOWN, "quality"), 2),
    "webp": FileType(".webp", "uint8", ("profile", "quality"), 2),
    "exr": FileType(".exr", "half", ("exr_parts",), 16, light=True, layered=True),
    "exr32": FileType(".exr", "float", ("exr_parts",), 32, light=True, layered=True),
    "ora": FileType(".ora", "uint8", ("dpi",), 8, layered=True),
}
LAYERED = tuple(name for name, kind in FILE_TYPES.items() if kind.layered)  # that hold passes


def type_of(path: Path, preferred: str | None = None) -> str:
    """The file type of a name. Raises BadValue for a suffix no picture has."""
    suffix = path.suffix.lower().replace(".tiff", ".tif").replace(".jpeg", ".jpg")
    if preferred and FILE_TYPES[preferred].ending == suffix:
        return preferred
    found = next((name for name, known in FILE_TYPES.items() if known.ending == suffix), None)
    if found is None:
        *first, last = dict.fromkeys(known.ending for known in FILE_TYPES.values())
        raise BadValue(f"{path.name} should end in {', '.join(first)} or {last}.")
    return "tif" if found == "tif8" else found


def write_picture(
    picture: Picture, path: Path, file_type: str | None = None, about: dict[str, str] | None = None, settings: RenderSettings | None = None
) -> None:  # fmt: skip
    """Write a picture. Raises BadValue or CannotWrite; a file already there is then as it was.

    EXR holds linear ACEScg with display white at 1.0, premultiplied alpha, and albedo, normal and the raw light as layers, of one part or several.
    TIFF in float and in ACEScg holds the same light. All others hold the shot's view, in the colours of the profile that lies in them, with straight
    alpha but where a TIFF is told to have it premultiplied.
    """
    path = Path(path)
    kind = type_of(path, file_type)
    settings = settings or RenderSettings()
    about = dict(about or {})
    if kind.startswith("exr"):
        blob = _exr(picture, kind, about, settings)
    elif kind == "ora":
        blob = open_raster(picture, settings.dpi)
    else:
        blob = _flat(picture, kind, path.suffix.lower(), about, settings)
    write_atomically(path, lambda file: file.write(blob))


def signed(document: Document, what: str) -> dict[str, str]:
    """What a file says of itself: who made it, of which project and `what` of it."""
    return {"Software": f"Aulmo {__version__}", "ImageDescription": f"{document.name}: {what}"}


def file_key(kind: str, settings: RenderSettings) -> str:
    """All of a picture's file that is not the picture."""
    return "/".join((kind, *(str(getattr(settings, f)) for f in OF_FILES)))


def check_file(kind: str, settings: RenderSettings) -> None:
    """Raise BadValue where a file type cannot hold what is asked of it."""
    if settings.profile == "ACEScg" and not FILE_TYPES[kind].light:
        raise BadValue("ACEScg is light itself and needs TIFF float or EXR; choose sRGB or Display P3 for this type.")


def _exr(picture: Picture, kind: str, about: dict[str, str], settings: RenderSettings) -> bytes:
    scale = np.float32(1.0 / picture.white)
    planes = [picture.rgb * scale, picture.alpha[..., None], picture.raw * scale, picture.albedo, picture.normal]
    names = ["R", "G", "B", "A", "raw.R", "raw.G", "raw.B", "albedo.R", "albedo.G", "albedo.B", "normal.X", "normal.Y", "normal.Z"]
    depths = [FILE_TYPES[kind].depth] * len(names)
    if picture.passes is not None:
        light = picture.passes.light()
        for name, plane in picture.passes.planes.items():
            planes.append(plane * scale if name in light else plane)
            channels = _channels(name, plane.shape[2])
            names += channels
            # ids are bits, not light, and far positions need every digit: these stay full floats
            exact = name.startswith(("Matte", "position", "depth", "motion"))
            depths += ["float" if exact else depths[0]] * len(channels)
        about |= picture.passes.header
    whole = np.concatenate(planes, 2).astype(np.float32)
    if settings.exr_parts:
        return _exr_parts(whole, names, depths, about)
    return encode(whole, ".exr", depths, names, about)


def _exr_parts(pixels: np.ndarray, names: list[str], depths: list[str], about: dict[str, str]) -> bytes:
    """An EXR of several parts: one for the picture, and one for each layer, by its name."""
    import OpenImageIO as oiio

    groups: dict[str, list[int]] = {}
    for k, name in enumerate(names):
        groups.setdefault(name.rpartition(".")[0] or "rgba", []).append(k)
    specs = []
    for part, held in groups.items():
        spec = oiio.ImageSpec(pixels.shape[1], pixels.shape[0], len(held), depths[held[0]])
        spec.channelformats = tuple(oiio.TypeDesc(depths[k]) for k in held)
        spec.channelnames = tuple(names[k] for k in held)
        light_spec(spec)
        spec.attribute("oiio:subimagename", part)
        for key, value in about.items() if part == "rgba" else ():
            spec.attribute(key, value)
        specs.append(spec)
    handle, temporary = tempfile.mkstemp(suffix=".exr")
    os.close(handle)
    try:
        out = oiio.ImageOutput.create(temporary)
        assert out is not None
        for number, (spec, held) in enumerate(zip(specs, groups.values())):
            opened = out.open(temporary, tuple(specs)) if number == 0 else out.open(temporary, spec, "AppendSubimage")
            if not opened or not out.write_image(np.ascontiguousarray(pixels[..., held])):
                raise OSError(out.geterror() or "the picture could not be encoded")
        out.close()
        return Path(temporary).read_bytes()
    finally:
        os.unlink(temporary)


def _flat(picture: Picture, kind: str, suffix: str, about: dict[str, str], settings: RenderSettings) -> bytes:
    """A picture of one layer."""
    check_file(kind, settings)
    if settings.profile != "ACEScg":
        return shown_file(display_picture(picture), kind, suffix, about, settings)
    transparent = float(picture.alpha.min()) < 0.999
    pixels = np.concatenate([picture.rgb * np.float32(1.0 / picture.white), picture.alpha[..., None]], 2)  # the light itself
    premultiplied = settings.alpha == "premultiplied" and "alpha" in FILE_TYPES[kind].heeds
    if not premultiplied:
        pixels[..., :3] /= np.maximum(pixels[..., 3:], 1e-4)
    return _flat_file(pixels, transparent, premultiplied, kind, suffix, about, settings)


def shown_file(pixels: np.ndarray, kind: str, suffix: str, about: dict[str, str], settings: RenderSettings) -> bytes:
    """A file of display values (h, w, 4), with straight alpha, in the colours and as the settings want it."""
    transparent = float(pixels[..., 3].min()) < 0.999 and kind != "jpg"
    premultiplied = settings.alpha == "premultiplied" and "alpha" in FILE_TYPES[kind].heeds
    pixels = pixels.copy()
    pixels[..., :3] = in_space(pixels[..., :3], settings.profile)
    if premultiplied:
        pixels[..., :3] *= pixels[..., 3:]
    return _flat_file(pixels, transparent, premultiplied, kind, suffix, about, settings)


def _flat_file(
    pixels: np.ndarray, transparent: bool, premultiplied: bool, kind: str, suffix: str, about: dict[str, str], settings: RenderSettings
) -> bytes:  # fmt: skip
    """Pixels as they go into the file, dithered where they lose steps."""
    if transparent:
        about["Alpha"] = "premultiplied" if premultiplied else "straight"
    else:
        pixels = pixels[..., :3]
    depth = FILE_TYPES[kind].depth
    if depth == "uint8":
        rng = np.random.default_rng(1)  # a fixed dither keeps dark gradients from banding
        pixels[..., :3] += (rng.random(pixels.shape[:2] + (1,), np.float32) - 0.5) / 255
    if depth != "float":
        pixels = np.clip(pixels, 0, 1)
    if kind == "webp":
        return _webp(pixels, about, settings)
    more = {"ICCProfile": profile(settings.profile), "premultiplied": premultiplied, "dpi": settings.dpi, "quality": settings.quality}
    return encode(pixels, suffix, depth, None, about, more)


def _webp(pixels: np.ndarray, about: dict[str, str], settings: RenderSettings) -> bytes:
    from PIL import Image

    out = io.BytesIO()
    codes = np.rint(np.clip(pixels, 0, 1) * 255).astype(np.uint8)
    exif = Image.Exif()
    exif[0x010E], exif[0x0131] = about.get("ImageDescription", ""), about.get("Software", "")
    Image.fromarray(codes).save(out, "WEBP", quality=settings.quality, method=5, icc_profile=profile(settings.profile), exif=exif)
    return out.getvalue()


def _channels(name: str, count: int) -> list[str]:
    """Channel names of a layer as EXR readers expect them."""
    if name == "depth":
        return ["depth.Z"]
    if name in ("normal_first", "position"):
        return [f"{name}.{c}" for c in "XYZ"]
    letters = {1: "Y", 2: "XY", 3: "RGB", 4: "RGBA"}[count]
    return [f"{name}.{c}" for c in letters]
