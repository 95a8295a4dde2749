"""What light of the scene a small grey card would send back where it lies: what a grey patch of a photograph is matched to."""

import numpy as np
from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.made import set_pieces
from aulmo.document.records import Backdrop, Camera, Document, Material, Part, Placement, Surface
from aulmo.trace.camera_rows import camera_row
from aulmo.trace.options import options_row
from aulmo.trace.scene import SceneBuilder
from aulmo.trace.tracer import Tracer

CARD_MM, SIDE = 6.0, 8


def light_on_card(
    document: Document, assets: AssetStore, point, reflects: float, samples: int = 96, builder: SceneBuilder | None = None
) -> np.ndarray:  # fmt: skip
    """(3,) ACEScg nits that a matt card reflects which lies level at a world point, mm, of a document that is resolved, with all its shadows.

    reflects : its share of the light, 0..1.
    """
    grey = Material(id="grey card", name="Grey card", surface=Surface(base_color=(reflects,) * 3, specular_weight=0.0))
    piece = replace(set_pieces.starting("block"), width=CARD_MM, depth=CARD_MM, height=0.1)
    at = (float(point[0]), float(point[1]), float(point[2]) + 0.02)
    card = Part(
        id="grey card", name="Grey card", mesh=set_pieces.name_of_mesh(piece), set_piece=piece, material=grey.id, placement=Placement(position=at)
    )  # fmt: skip
    made = edits.put_material(edits.add_parts(document, [card], [card.id]), grey)
    made = replace(made, backdrop=Backdrop(kind="colour", top=(0.0, 0.0, 0.0), bottom=(0.0, 0.0, 0.0)))
    above = Camera(
        id="above", name="Above", position=(at[0], at[1], at[2] + 0.6), target=(at[0], at[1], at[2]), projection="parallel", span_mm=0.5 * CARD_MM
    )  # fmt: skip
    builder = builder or SceneBuilder(assets)
    scene = builder.build(made, camera=next(iter(document.cameras.values()), above))
    options = options_row(scene, made, above, made.render)
    tracer = Tracer(scene, camera_row(above, SIDE, SIDE), options, SIDE, SIDE)
    tracer.run(samples)
    return tracer.frame().rgb.reshape(-1, 3).astype(float).mean(0)
