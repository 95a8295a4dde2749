"""A test patch: a few pixels of a final picture traced alone, to see noise settle and know what the whole will take. It leaves nothing behind."""

import time
from typing import Callable, NamedTuple

import numpy as np

from aulmo.document.assets import AssetStore
from aulmo.document.records import Document, RenderSettings, Shot
from aulmo.errors import BadValue
from aulmo.frame.photograph import whole_photographs
from aulmo.trace.camera_rows import camera_rows, cameras_of
from aulmo.trace.compile.arrays import BACKDROP_PHOTOGRAPH, OPT_BACKDROP, OPT_WHITE
from aulmo.trace.denoise import denoise
from aulmo.trace.plate import Under, mixed, shown_with
from aulmo.trace.scene import SceneBuilder
from aulmo.trace.tracer import Tracer, exposure_of, prepare, tile_noise

LARGEST = 16_000_000  # pixels of a frame that is held whole; beyond it a smaller one tells the same of noise
STEPS = (1, 2, 4, 8, 16, 32, 64, 96, 128, 192, 256, 384, 512, 768, 1024, 1536, 2048, 4096)


class PatchState(NamedTuple):
    """What a patch has come to: its picture (h, w, 3) uint8 in the shot's view, samples a pixel, its noise (0.02 for two percent), and the seconds
    that the whole frame would take at that."""

    picture: np.ndarray
    samples: int
    noise: float
    whole_seconds: float


def trace_patch(
    document: Document, assets: AssetStore, shot: Shot, size: tuple[int, int], box: tuple[float, float, float, float], settings: RenderSettings,
    tell: Callable[[PatchState], bool], builder: SceneBuilder | None = None, time_: float = 0.0,
) -> None:  # fmt: skip
    """Trace the part of a frame that `box` (left, top, right, bottom, as shares of it) covers, sample upon sample, until `tell` returns False.

    Raises BadValue for a patch of no size.
    """
    f = min(1.0, (LARGEST / (size[0] * size[1])) ** 0.5)
    width, height = max(8, round(size[0] * f)), max(8, round(size[1] * f))
    x0, x1 = (int(np.clip(round(v * width), 0, width)) for v in (box[0], box[2]))
    y0, y1 = (int(np.clip(round(v * height), 0, height)) for v in (box[1], box[3]))
    if x1 - x0 < 4 or y1 - y0 < 4:
        raise BadValue("Draw the patch a little larger.")
    builder = builder or SceneBuilder(assets)
    moments = exposure_of(whole_photographs(document), shot, time_)
    scene, camera, options = prepare(moments, assets, shot, settings, builder)
    tracer = Tracer(scene, camera_rows(cameras_of(moments, camera), width, height), options, width, height)
    if options[OPT_BACKDROP] == BACKDROP_PHOTOGRAPH:
        tracer.plate = builder.plates.plate(moments.first, camera, width, height)
    white = float(options[OPT_WHITE])
    spent, traced = 0.0, 0
    state = PatchState(np.zeros((y1 - y0, x1 - x0, 3), np.uint8), 0, float("inf"), float("inf"))
    for count in STEPS:
        began = time.perf_counter()

        def still_wanted(began: float = began, state: PatchState = state) -> None:
            if time.perf_counter() - began > 0.3 and not tell(state):
                tracer.cancel()

        if not tracer.run_within((x0, y0, x1, y1), count, still_wanted):
            return
        if count > 1:  # the first sample may have been compiled for
            spent, traced = spent + time.perf_counter() - began, traced + count - _before(count)
        frame = tracer.frame()
        cut = lambda plane: np.ascontiguousarray(plane[y0:y1, x0:x1])  # noqa: E731
        rgb = cut(frame.rgb)
        if settings.denoise and count >= 4:
            rgb = denoise(rgb, cut(frame.albedo), cut(frame.normal), "balanced")
        under = None
        if tracer.plate is not None and frame.share is not None:
            under = Under(tracer.plate.cut(x0, y0, x1, y1), cut(frame.share))
            rgb = mixed(rgb, under, white)
        picture = (np.clip(shown_with(rgb, under, white, shot.view, exact=True), 0, 1) * 255 + 0.5).astype(np.uint8)
        noise = float(tile_noise(tracer.film, x0, y0, x1, y1, white))
        each = spent / traced / ((x1 - x0) * (y1 - y0)) if traced else float("inf")
        state = PatchState(picture, count, noise, each * count * size[0] * size[1])
        if not tell(state):
            return


def _before(count: int) -> int:
    return STEPS[STEPS.index(count) - 1]
