"""A light check of a shot: traced small, cleaned, and looked at."""

import numpy as np
from msgspec.structs import replace

from aulmo.document.assets import AssetStore
from aulmo.document.moments import still
from aulmo.document.properties import resolve
from aulmo.document.records import Document, Shot
from aulmo.light.light_check import LightCheck, check
from aulmo.frame.exposure import white_nits
from aulmo.trace.camera_rows import camera_rows
from aulmo.trace.compile import arrays as a
from aulmo.trace.denoise import denoise
from aulmo.trace.options import options_row
from aulmo.trace.plate import Under, mixed
from aulmo.trace.scene import SceneBuilder
from aulmo.trace.tracer import Tracer
from aulmo.trace.view import show

SIDE = 420  # pixels of the longer side of what is traced for a check


def product_names(document: Document, part_ids: tuple[str, ...]) -> dict[int, str]:
    """Names of the parts that are the product, by their number in a scene: all that are no set pieces, catch no shadow and do not glow."""
    found = {}
    for number, part_id in enumerate(part_ids):
        part = document.parts.get(part_id)
        if part is None or part.set_piece is not None or part.catches != "nothing":
            continue
        worn = document.materials.get(part.material or "")
        if worn is None or worn.surface.emission_luminance <= 0:
            found[number] = part.name
    return found


def check_shot(document: Document, assets: AssetStore, shot: Shot, samples: int = 48, builder: SceneBuilder | None = None) -> LightCheck:
    """Trace a shot small and check its light. Raises BadValue or BadFile with a sentence."""
    seen = resolve(document, {"shot": shot.id} if shot in document.shots else None)
    camera = seen.cameras[shot.camera]
    share = min(1.0, SIDE / max(shot.width, shot.height))
    width, height = max(16, round(shot.width * share)), max(16, round(shot.height * share))
    builder = builder or SceneBuilder(assets)
    scene = builder.build(still(seen), camera=camera)
    settings = replace(seen.render, transparent=False)
    options = options_row(scene, seen, camera, settings)
    options[a.OPT_PASSES] = 1.0
    tracer = Tracer(scene, camera_rows(camera, width, height), options, width, height)
    tracer.run(samples)
    frame = tracer.frame()
    light = denoise(frame.rgb, frame.albedo, frame.normal, "balanced")
    white = white_nits(camera)
    plate = builder.plates.plate(seen, camera, width, height) if frame.share is not None else None
    if plate is not None and frame.share is not None:  # what it stands before counts for its rim
        light = mixed(light, Under(plate, frame.share), white)
    counts = tracer.mattes[:, :, 0, :, 1]
    most = np.take_along_axis(tracer.mattes[:, :, 0, :, 0], counts.argmax(2)[..., None], 2)[..., 0]
    parts = np.where(counts.max(2) >= 0.5 * samples, most, -9).astype(int)
    return check(light, show(light, white, shot.view), white, parts, product_names(seen, scene.part_ids))
