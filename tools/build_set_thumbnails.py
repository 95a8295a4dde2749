"""Render the pictures of set pieces for Prepare's shelf into `src/aulmo/desk/thumbnails`. Run with PYTHONPATH=src; kinds as arguments make only
those."""

import sys
from pathlib import Path

import numpy as np
from msgspec.structs import replace

from aulmo.deliver.encoding import encode
from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.made import set_pieces
from aulmo.document.records import Backdrop, Camera, Document, Environment, Floor, Material, Part, RenderSettings, Shot, Surface
from aulmo.prepare import arrange
from aulmo.trace.tracer import render
from aulmo.trace.view import dither, show

OUT = Path("src/aulmo/desk/thumbnails")
GREY = Material(id="m", name="m", surface=Surface(base_color=(0.36, 0.36, 0.36), specular_roughness=0.35))
# shapes that read well at the size of a stamp
OWN = {
    "floor": {"width": 400.0, "depth": 300.0, "thickness": 14.0, "bevel": 2.0}, "wall": {"width": 300.0, "height": 200.0, "thickness": 16.0},
    "cove": {"width": 300.0, "depth": 240.0, "height": 200.0, "radius": 90.0}, "plinth": {"width": 90.0, "depth": 90.0, "height": 130.0, "bevel": 2.0},
    "shelf": {"width": 240.0, "depth": 90.0, "thickness": 14.0}, "text": {"text": "Aa", "bevel": 3.0, "thickness": 22.0},
    "water": {"width": 300.0, "depth": 220.0, "wave": 120.0}, "tube": {"thickness": 12.0},
}  # fmt: skip


def main() -> None:
    """One picture for each kind."""
    for kind in sys.argv[1:] or set_pieces.SIZES:
        assets = AssetStore()
        piece = replace(set_pieces.starting(kind), **OWN.get(kind, {}))
        document = Document(
            environment=Environment(image="Loft", exposure=0.4), backdrop=Backdrop(kind="colour", top=(0.061, 0.061, 0.061)),
            floor=Floor(kind="none"), materials={"m": GREY},
        )  # fmt: skip
        document = edits.add_parts(document, [Part(id="p", name="p", mesh=set_pieces.name_of_mesh(piece), set_piece=piece, material="m")], ["p"])
        camera = arrange.framed(document, assets, Camera(id="c", name="c", focal_length_mm=70, shutter=1 / 15), 168 / 116)
        document = edits.put_shot(edits.put_camera(document, camera), Shot(id="s", name="s", camera="c"))
        picture = render(document, assets, document.shots[0], (168, 116), RenderSettings(stop="samples", samples=128))
        assert picture is not None
        pixels = np.empty((116, 168, 4), np.uint8)
        dither(show(picture.rgb, picture.white, "Product neutral", exact=True), np.ones((116, 168), np.float32), pixels)
        (OUT / f"set-{kind}.png").write_bytes(encode(np.ascontiguousarray(pixels[:, :, 2::-1] / np.float32(255)), ".png", "uint8"))
        print(kind, flush=True)


main()
