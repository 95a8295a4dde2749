"""Layered files for image editors: OpenRaster 0.0.6 (a zip of PNG layers and the order they lie in), what is on top first."""

import io
import json
import zipfile
from typing import NamedTuple
from xml.sax.saxutils import quoteattr

import numpy as np

from aulmo.deliver.encoding import display_picture, encode, small_png
from aulmo.trace.passes import Passes, matte_float
from aulmo.trace.tracer import Picture
from aulmo.trace.view import show

OVER, ADD, MULTIPLY = "svg:src-over", "svg:plus", "svg:multiply"
MOST_MATTES = 48


class Layer(NamedTuple):
    """One layer: display values (h, w, 4), its name, how it goes with what is below, and whether it is seen at first."""

    pixels: np.ndarray
    name: str
    mode: str = OVER
    seen: bool = True


def layers_of(picture: Picture) -> list[Layer]:
    """The layers of a picture, the topmost first: what was rendered, over the photograph or background where that is known apart; then, unseen at
    first, shadows, passes of light to be added, and mattes."""
    whole = display_picture(picture)
    found: list[Layer] = []
    passes = picture.passes
    if passes is not None:
        found += _mattes(passes)
        for name, plane in passes.light().items():
            if plane.shape[2] == 3 and not name.endswith(".denoised") and float(np.abs(plane).max()) > 0:
                found.append(Layer(_opaque(_shown(plane, picture)), name.replace(".", " "), ADD, False))
        for name in ("shadow", "occlusion"):
            held = passes.planes.get(name)
            if held is not None:
                left = 1.0 - held[..., :1] if name == "shadow" else held[..., :1]  # what the shadow leaves of the light
                grey = np.clip(np.broadcast_to(left, (*held.shape[:2], 3)), 0, 1)
                found.append(Layer(_opaque(grey.astype(np.float32)), name.capitalize(), MULTIPLY, False))
    found.append(Layer(whole, "Beauty"))
    if picture.under is not None:
        found.append(Layer(_opaque(picture.under.plate.codes), "Photograph"))
    return found


def _shown(plane: np.ndarray, picture: Picture) -> np.ndarray:
    return show(np.ascontiguousarray(plane, np.float32), picture.white, picture.view, True)


def _opaque(rgb: np.ndarray) -> np.ndarray:
    return np.concatenate([np.clip(rgb, 0, 1), np.ones((*rgb.shape[:2], 1), np.float32)], 2).astype(np.float32)


def _mattes(passes: Passes) -> list[Layer]:
    """A white layer for each part and material, seen through its matte."""
    found = []
    for name, cover in mattes_of(passes)[:MOST_MATTES]:
        white = np.ones((*cover.shape, 4), np.float32)
        white[..., 3] = np.clip(cover, 0, 1)
        found.append(Layer(white, name, OVER, False))
    return found


def mattes_of(passes: Passes) -> list[tuple[str, np.ndarray]]:
    """(name, coverage (h, w)) of every part and material that is seen, the largest first (Cryptomatte 1.2: ranked ids and coverages)."""
    found = []
    for key, told in passes.header.items():
        if not key.endswith("/manifest"):
            continue
        layer = passes.header[key.removesuffix("manifest") + "name"]
        ranks = [plane for name, plane in sorted(passes.planes.items()) if name.startswith(layer) and name[len(layer) :].isdigit()]
        for name in json.loads(told):
            wanted = np.float32(matte_float(name))
            cover = sum(np.where(plane[..., k] == wanted, plane[..., k + 1], 0) for plane in ranks for k in (0, 2))
            if isinstance(cover, np.ndarray) and float(cover.sum()) > 0.5:
                found.append((f"{'Part' if layer == 'MattePart' else 'Material'} {name}", cover.astype(np.float32)))
    return sorted(found, key=lambda pair: -float(pair[1].sum()))


def open_raster(picture: Picture, dpi: int = 0) -> bytes:
    """A picture as the bytes of an OpenRaster file."""
    layers = layers_of(picture)
    height, width = picture.rgb.shape[:2]
    stack, out = [], io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr(zipfile.ZipInfo("mimetype"), "image/openraster", zipfile.ZIP_STORED)
        for k, layer in enumerate(layers):
            archive.writestr(f"data/layer{k:03d}.png", encode(np.clip(layer.pixels, 0, 1), ".png", "uint8"), zipfile.ZIP_STORED)
            seen = "visible" if layer.seen else "hidden"
            stack.append(
                f'<layer name={quoteattr(layer.name)} src="data/layer{k:03d}.png" x="0" y="0" opacity="1.0" visibility="{seen}" '
                f'composite-op="{layer.mode}"/>'
            )
        place = f' xres="{dpi}" yres="{dpi}"' if dpi else ""
        xml = f'<?xml version="1.0" encoding="UTF-8"?>\n<image version="0.0.6" w="{width}" h="{height}"{place}>\n<stack>\n'
        archive.writestr("stack.xml", xml + "\n".join(stack) + "\n</stack>\n</image>\n", zipfile.ZIP_DEFLATED)
        whole = display_picture(picture)
        archive.writestr("mergedimage.png", encode(np.clip(whole, 0, 1), ".png", "uint8"), zipfile.ZIP_STORED)
        archive.writestr("Thumbnails/thumbnail.png", small_png(whole, 256), zipfile.ZIP_STORED)
    return out.getvalue()
