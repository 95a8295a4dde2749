"""Writing pictures: PNG, TIFF, JPEG with the view applied; EXR with the light itself and its guides."""

import os
import tempfile
from pathlib import Path

import numpy as np

from aulmo.document.project_file import write_atomically
from aulmo.errors import BadValue
from aulmo.trace.plate import shown_with
from aulmo.trace.tracer import Picture

FILE_TYPES = {
    "png": ("PNG 8 bit", ".png"),
    "png16": ("PNG 16 bit", ".png"),
    "tif": ("TIFF 16 bit", ".tif"),
    "jpg": ("JPEG", ".jpg"),
    "exr": ("EXR half", ".exr"),
    "exr32": ("EXR full", ".exr"),
}


def type_of(path: Path, preferred: str | None = None) -> str:
    """The file type of a name. Raises BadValue for a suffix no picture has."""
    suffix = path.suffix.lower().replace(".tiff", ".tif").replace(".jpeg", ".jpg")
    if preferred and FILE_TYPES[preferred][1] == suffix:
        return preferred
    for name, (_, ending) in FILE_TYPES.items():
        if ending == suffix:
            return name
    raise BadValue(f"{path.name} should end in .png, .tif, .jpg or .exr.")


def display_picture(picture: Picture) -> np.ndarray:
    """(h, w, 4) display values 0..1 with straight alpha, through the exact view."""
    rgb = picture.rgb
    alpha = np.clip(picture.alpha, 0, 1)[..., None]
    if float(alpha.min()) < 0.999:
        rgb = np.where(alpha > 1e-4, rgb / np.maximum(alpha, 1e-4), 0.0).astype(np.float32)
    return np.concatenate([shown_with(np.ascontiguousarray(rgb, np.float32), picture.under, picture.white, picture.view, exact=True), alpha], 2)


def write_picture(picture: Picture, path: Path, file_type: str | None = None, about: dict[str, str] | None = None) -> None:
    """Write a picture. Raises BadValue or CannotWrite; a file already there is then as it was.

    EXR holds linear ACEScg with display white at 1.0, premultiplied alpha, and albedo, normal and the raw light as layers.
    """
    path = Path(path)
    kind = type_of(path, file_type)
    transparent = float(picture.alpha.min()) < 0.999
    if kind.startswith("exr"):
        scale = np.float32(1.0 / picture.white)
        planes = [picture.rgb * scale, picture.alpha[..., None], picture.raw * scale, picture.albedo, picture.normal]
        names = ["R", "G", "B", "A", "raw.R", "raw.G", "raw.B", "albedo.R", "albedo.G", "albedo.B", "normal.X", "normal.Y", "normal.Z"]
        depths = ["half" if kind == "exr" else "float"] * len(names)
        header = dict(about or {})
        if picture.passes is not None:
            light = picture.passes.light()
            for name, plane in picture.passes.planes.items():
                planes.append(plane * scale if name in light else plane)
                channels = _channels(name, plane.shape[2])
                names += channels
                # ids are bits, not light, and far positions need every digit: these stay full floats
                exact = name.startswith(("Matte", "position", "depth", "motion"))
                depths += ["float" if exact else depths[0]] * len(channels)
            header |= picture.passes.header
        blob = encode(np.concatenate(planes, 2).astype(np.float32), ".exr", depths, names, header)
    else:
        pixels = display_picture(picture)
        if not transparent or kind == "jpg":
            pixels = pixels[..., :3]
        depth = "uint16" if kind in ("png16", "tif") else "uint8"
        if depth == "uint8":
            rng = np.random.default_rng(1)  # a fixed dither keeps dark gradients from banding
            pixels[..., :3] += (rng.random(pixels.shape[:2] + (1,), np.float32) - 0.5) / 255
        blob = encode(np.clip(pixels, 0, 1), path.suffix.lower(), depth, None, about)
    write_atomically(path, lambda file: file.write(blob))


def _channels(name: str, count: int) -> list[str]:
    """Channel names of a layer as EXR readers expect them."""
    if name == "depth":
        return ["depth.Z"]
    if name in ("normal_first", "position"):
        return [f"{name}.{c}" for c in "XYZ"]
    letters = {1: "Y", 2: "XY", 3: "RGB", 4: "RGBA"}[count]
    return [f"{name}.{c}" for c in letters]


def encode(
    pixels: np.ndarray, suffix: str, depth: str | list[str], names: list[str] | None = None, about: dict[str, str] | None = None
) -> bytes:  # fmt: skip
    """Pixels as the bytes of a picture file; `depth` may be one for each channel."""
    import OpenImageIO as oiio

    handle, temporary = tempfile.mkstemp(suffix=suffix)
    os.close(handle)
    try:
        height, width, channels = pixels.shape
        spec = oiio.ImageSpec(width, height, channels, depth if isinstance(depth, str) else depth[0])
        if not isinstance(depth, str):
            spec.channelformats = tuple(oiio.TypeDesc(d) for d in depth)
        if names:
            spec.channelnames = tuple(names)
            spec.attribute("compression", "zip")
            # ACES AP1 primaries and white, so that other programs know what the numbers are
            spec.attribute("chromaticities", oiio.TypeDesc("float[8]"), (0.713, 0.293, 0.165, 0.830, 0.128, 0.044, 0.32168, 0.33767))
            spec.attribute("oiio:ColorSpace", "ACEScg")
        else:
            spec.attribute("oiio:ColorSpace", "sRGB")
            spec.attribute("oiio:UnassociatedAlpha", 1)
            spec.attribute("compression", "jpeg:95" if suffix in (".jpg", ".jpeg") else "zip")
        for key, value in (about or {}).items():
            spec.attribute(key, value)
        out = oiio.ImageOutput.create(temporary)
        if out is None or not out.open(temporary, spec) or not out.write_image(np.ascontiguousarray(pixels, np.float32)):
            raise OSError(oiio.geterror() or "the picture could not be encoded")
        out.close()
        return Path(temporary).read_bytes()
    finally:
        os.unlink(temporary)


def small_png(display: np.ndarray, longest: int) -> bytes:
    """A thumbnail of display values (h, w, 3 or 4), no side longer than `longest`."""
    step = max(1, int(np.ceil(max(display.shape[:2]) / longest)))
    h, w = display.shape[0] // step * step, display.shape[1] // step * step
    small = display[:h, :w].reshape(h // step, step, w // step, step, -1).mean((1, 3))
    return encode(np.clip(small, 0, 1).astype(np.float32), ".png", "uint8")
