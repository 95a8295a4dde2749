"""What decals cost: while one is dragged, and in the picture."""

import time
from typing import Callable

import numpy as np
from msgspec.structs import replace

from aulmo.document.assets import AssetStore
from aulmo.document.decals import put_decal
from aulmo.document.records import Decal, Document
from aulmo.prepare import sticking
from aulmo.trace import draft, tracer
from aulmo.trace.camera_rows import camera_row
from aulmo.trace.options import options_row
from aulmo.trace.pick import pick
from aulmo.trace.scene import SceneBuilder

SIZE = (704, 560)


def stuck(document: Document, assets: AssetStore, count: int) -> tuple[Document, list[Decal], SceneBuilder]:
    """The demo lantern with so many labels round its tank and no other decals, the decals, and the builder that found their places."""
    document = replace(document, decals={})
    builder = SceneBuilder(assets)
    scene = builder.build(document, tables=False)
    made = []
    for k in range(count):
        turn = np.radians(-60.0 + 12.0 * k)
        hit = pick(scene, np.array([300 * np.sin(turn), -300 * np.cos(turn), 62.0]), np.array([-np.sin(turn), np.cos(turn), 0.0]))
        assert hit is not None and hit.part is not None
        spot = sticking.Spot(hit.part, hit.triangle, hit.point, hit.normal)
        made.append(sticking.new_decal(document, assets, spot, artwork="text", text=f"Odrel {k}", width_mm=24.0, colouring="one"))
    return replace(document, decals={d.id: d for d in made}), made, builder


def decal_drag(document: Document, assets: AssetStore) -> float:
    """Seconds from a pull of a decal along the surface to the draft that shows it: placing it, building, drawing."""
    document, made, builder = stuck(document, assets, 2)
    camera = document.cameras[document.shots[0].camera]
    rows = camera_row(camera, *SIZE)
    maps = draft.blur_environment(builder.build(document).arrays.env)
    times = []
    for k in range(7):
        scene = builder.build(document, tables=False)
        hit = pick(scene, np.array([20.0 + 3 * k, -300.0, 55.0]), np.array([0.0, 1.0, 0.0]))
        assert hit is not None and hit.part is not None
        started = time.perf_counter()
        moved = sticking.slid(document, assets, made[0], sticking.Spot(hit.part, hit.triangle, hit.point, hit.normal))
        document = put_decal(document, moved)
        scene = builder.build(document, tables=False)
        options = options_row(scene, document, camera, document.render)
        tracer.draw_draft(scene, rows, options, maps, *SIZE)
        times.append(time.perf_counter() - started)
    return float(np.median(times[2:]))


def decal_cost(document: Document, assets: AssetStore, picture_cost: Callable[..., float]) -> float:
    """By how much ten decals on the lantern's tank make its picture dearer: the mean of three pairs of measurements."""
    bare = replace(document, decals={})
    printed, _, _ = stuck(document, assets, 10)
    pairs = [(picture_cost(bare, assets), picture_cost(printed, assets)) for _ in range(3)]
    return float(np.mean([b for _, b in pairs]) / np.mean([a for a, _ in pairs]))
