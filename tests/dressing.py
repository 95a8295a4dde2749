"""Parts in programmed materials, and pictures of numbers."""

import io

import numpy as np
from msgspec.structs import replace
from PIL import Image

from aulmo.document import edits
from aulmo.document.records import Surface
from shapes import one_part

MATT = Surface(base_color=(0.5, 0.5, 0.5), specular_weight=0.0)


def dressed(mesh, surface=MATT, nodes=(), wires=None, image=None, **more):
    """One part in a programmed material; `image` (h, w, 3) 0..1 is kept as a picture and given to the image nodes."""
    document, assets = one_part(mesh, surface)
    if image is not None:
        name = assets.add(png(image), ".png")
        nodes = tuple(replace(n, image=name) if n.kind == "image" else n for n in nodes)
    material = replace(document.materials["m"], nodes=tuple(nodes), wires=wires or {}, **more)
    return edits.put_material(document, material), assets


def png(image) -> bytes:
    out = io.BytesIO()
    Image.fromarray(np.rint(np.asarray(image) * 255).astype(np.uint8)).save(out, "PNG")
    return out.getvalue()
