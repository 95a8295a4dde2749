"""Pictures as bytes: what a display shows of a picture, and files of it in memory."""

import os
import tempfile
from pathlib import Path
from typing import Any

import numpy as np

from aulmo.finish.grading import looked_up
from aulmo.trace.plate import shown_with
from aulmo.trace.tracer import Picture


def display_picture(picture: Picture) -> np.ndarray:
    """(h, w, 4) display values 0..1 with straight alpha, through the exact view."""
    rgb = picture.rgb
    alpha = np.clip(picture.alpha, 0, 1)[..., None]
    if float(alpha.min()) < 0.999:
        rgb = np.where(alpha > 1e-4, rgb / np.maximum(alpha, 1e-4), 0.0).astype(np.float32)
    shown = shown_with(np.ascontiguousarray(rgb, np.float32), picture.under, picture.white, picture.view, exact=True)
    for table, strength in picture.tables:
        shown = looked_up(shown, table, strength)
    return np.concatenate([shown, alpha], 2)


def encode(
    pixels: np.ndarray, suffix: str, depth: str | list[str], names: list[str] | None = None, about: dict[str, str] | None = None,
    more: dict[str, Any] | None = None,
) -> bytes:  # fmt: skip
    """Pixels as the bytes of a picture file; `depth` may be one for each channel. `more` may hold "ICCProfile" (bytes), "premultiplied", "dpi" and
    the "quality" of a JPEG."""
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
            light_spec(spec)
        else:
            more = more or {}
            spec.attribute("oiio:ColorSpace", "sRGB")
            spec.attribute("oiio:UnassociatedAlpha", 0 if more.get("premultiplied") else 1)
            spec.attribute("compression", f"jpeg:{more.get('quality', 95)}" if suffix in (".jpg", ".jpeg") else "zip")
            if more.get("ICCProfile"):
                held = np.frombuffer(more["ICCProfile"], np.uint8)
                spec.attribute("ICCProfile", oiio.TypeDesc(f"uint8[{len(held)}]"), held)
            if more.get("dpi"):
                spec.attribute("XResolution", float(more["dpi"]))
                spec.attribute("YResolution", float(more["dpi"]))
                spec.attribute("ResolutionUnit", "in")
        for key, value in (about or {}).items():
            spec.attribute(key, value)
        out = oiio.ImageOutput.create(temporary)
        if out is None or not out.open(temporary, spec) or not out.write_image(np.ascontiguousarray(pixels, np.float32)):
            raise OSError(oiio.geterror() or "the picture could not be encoded")
        out.close()
        return Path(temporary).read_bytes()
    finally:
        os.unlink(temporary)


def light_spec(spec: Any) -> None:
    """Say of a file that it holds ACEScg light."""
    import OpenImageIO as oiio

    spec.attribute("compression", "zip")
    # ACES AP1 primaries and white, so that other programs know what the numbers are
    spec.attribute("chromaticities", oiio.TypeDesc("float[8]"), (0.713, 0.293, 0.165, 0.830, 0.128, 0.044, 0.32168, 0.33767))
    spec.attribute("oiio:ColorSpace", "ACEScg")


def small_png(display: np.ndarray, longest: int) -> bytes:
    """A thumbnail of display values (h, w, 3 or 4), no side longer than `longest`."""
    step = max(1, int(np.ceil(max(display.shape[:2]) / longest)))
    h, w = display.shape[0] // step * step, display.shape[1] // step * step
    small = display[:h, :w].reshape(h // step, step, w // step, step, -1).mean((1, 3))
    return encode(np.clip(small, 0, 1).astype(np.float32), ".png", "uint8")
