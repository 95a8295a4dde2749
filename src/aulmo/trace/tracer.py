"""Running the kernels: tiles over threads, progress, cancelling, noise, prediction."""

import os
import threading
import time
from concurrent.futures import ThreadPoolExecutor
from typing import Callable, NamedTuple

import numpy as np

from aulmo.document.assets import AssetStore
from aulmo.document.records import Document, RenderSettings, Shot
from aulmo.surface.colour import ACESCG_TO_SRGB
from aulmo.trace import arrays as a
from aulmo.trace import draft as draft_kernels
from aulmo.trace.denoise import denoise
from aulmo.trace.embree import coherent_arguments
from aulmo.trace.film import new_film, resolve, shadow_alpha, tile_noise
from aulmo.trace.path import MATTE_SLOTS, trace_tile
from aulmo.trace.scene import Scene, SceneBuilder, backdrop_of, camera_row, options_row, white_nits

TILE = 32
_NO_RECORD = np.zeros((0, 11), np.float32)


def core_count() -> int:
    """Processors this process may use."""
    return len(os.sched_getaffinity(0))


_pool = ThreadPoolExecutor(core_count(), thread_name_prefix="trace")


class Frame(NamedTuple):
    """Resolved light of a film: nits of ACEScg, coverage, guides."""

    rgb: np.ndarray
    alpha: np.ndarray
    albedo: np.ndarray
    normal: np.ndarray


class Tracer:
    """Path tracing of one scene through one camera onto a film.

    `step` traces one cell for each step x step block of pixels, for a coarse first picture.
    """

    def __init__(self, scene: Scene, camera: np.ndarray, options: np.ndarray, width: int, height: int, step: int = 1) -> None:
        self.scene, self.camera, self.options = scene, np.atleast_2d(camera), options
        self.width, self.height, self.step = width, height, step
        planes = a.PLANE_GROUPS + 3 * int(options[a.OPT_GROUPS]) if options[a.OPT_PASSES] > 0 else a.PLANES
        self.film = new_film(-(-width // step), -(-height // step), planes)
        self.mattes = np.zeros((*self.film.shape[:2], 2, MATTE_SLOTS, 2) if options[a.OPT_PASSES] > 0 else (0, 0, 2, MATTE_SLOTS, 2), np.float32)
        self.samples = 0
        self.stop = np.zeros(1, np.int32)
        rows, columns = self.film.shape[:2]
        self.tiles = [(x, y, min(columns, x + TILE), min(rows, y + TILE)) for y in range(0, rows, TILE) for x in range(0, columns, TILE)]
        middle = (columns / 2, rows / 2)
        self.tiles.sort(key=lambda t: (t[0] + TILE / 2 - middle[0]) ** 2 + (t[1] + TILE / 2 - middle[1]) ** 2)
        self.tile_noise = np.full(len(self.tiles), np.inf)
        self.tile_samples = np.zeros(len(self.tiles), np.int64)

    def cancel(self) -> None:
        """Make the running pass end within a row of pixels."""
        self.stop[0] = 1

    def run(self, count: int, threads: int | None = None, noise: float = 0.0, after_tile: Callable[[], None] | None = None) -> bool:
        """Add `count` samples to every pixel of every tile noisier than `noise`. False when cancelled."""
        waiting = iter([k for k in range(len(self.tiles)) if self.tile_noise[k] > noise or self.tile_samples[k] < 8])
        lock = threading.Lock()
        white = self.options[a.OPT_WHITE]
        recorded = np.zeros(1, np.int64)
        coherent = coherent_arguments()

        def work() -> None:
            os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), 5)
            while self.stop[0] == 0:
                with lock:
                    k = next(waiting, None)
                if k is None:
                    return
                x0, y0, x1, y1 = self.tiles[k]
                trace_tile(
                    self.scene.arrays, self.camera, self.options, self.film, self.mattes, x0, y0, x1, y1, self.width, self.height,
                    self.step, int(self.tile_samples[k]), count, self.stop, _NO_RECORD, recorded, coherent,
                )  # fmt: skip
                self.tile_samples[k] += count
                self.tile_noise[k] = tile_noise(self.film, x0, y0, x1, y1, white)
                if after_tile:
                    after_tile()

        futures = [_pool.submit(work) for _ in range(threads or core_count())]
        for future in futures:
            future.result()
        if self.stop[0]:
            return False
        self.samples += count
        return True

    def noise(self) -> float:
        """Mean relative error over the frame, 0.02 for two percent."""
        known = self.tile_noise[np.isfinite(self.tile_noise) & (self.tile_noise < 1e8)]
        return float(known.mean()) if len(known) else float("inf")

    def frame(self) -> Frame:
        """What the film amounts to so far."""
        h, w = self.film.shape[:2]
        frame = Frame(*(np.zeros((h, w, 3) if k != 1 else (h, w), np.float32) for k in range(4)))
        resolve(self.film, frame.rgb, frame.alpha, frame.albedo, frame.normal)
        if self.options[a.OPT_BACKDROP] == a.BACKDROP_TRANSPARENT:
            shadow_alpha(self.film, frame.alpha)
        return frame


class Draft(NamedTuple):
    """A draft picture with what lies under each pixel."""

    picture: np.ndarray
    parts: np.ndarray
    depth: np.ndarray


def draw_draft(scene: Scene, camera: np.ndarray, options: np.ndarray, maps: np.ndarray, width: int, height: int) -> Draft:
    """One draft picture of width x height pixels."""
    draft = Draft(np.empty((height, width, 4), np.uint8), np.empty((height, width), np.int32), np.empty((height, width), np.float32))
    to_srgb = np.ascontiguousarray(ACESCG_TO_SRGB)
    curve = draft_kernels.display_curve()
    sharp = np.atleast_2d(camera)[0].copy()
    sharp[a.CAM_LENS_RADIUS] = 0.0
    coherent = coherent_arguments()
    bands = list(range(0, height, 16))
    lock, waiting = threading.Lock(), iter(bands)

    def work() -> None:
        while True:
            with lock:
                row = next(waiting, None)
            if row is None:
                return
            draft_kernels.draft_rows(
                scene.arrays,
                sharp,
                options,
                maps,
                to_srgb,
                curve,
                draft.picture,
                draft.parts,
                draft.depth,
                row,
                min(height, row + 16),
                width,
                height,
                coherent,
            )

    for future in [_pool.submit(work) for _ in range(core_count())]:
        future.result()
    return draft


class Progress(NamedTuple):
    """How far a final render is."""

    share: float
    samples: int
    noise: float
    seconds: float
    seconds_left: float


class Picture(NamedTuple):
    """A finished render: light in nits of ACEScg, coverage, and what it took."""

    rgb: np.ndarray
    alpha: np.ndarray
    raw: np.ndarray
    albedo: np.ndarray
    normal: np.ndarray
    white: float
    view: str
    samples: int
    noise: float
    seconds: float


class Prediction(NamedTuple):
    """What a render will take, measured on a small copy of it."""

    samples: int
    seconds: float
    noise: float
    seconds_per_sample: float


def _prepare(document: Document, assets: AssetStore, shot: Shot, settings: RenderSettings, builder: SceneBuilder | None):
    scene = (builder or SceneBuilder(assets)).build(document, shot)
    camera = document.cameras[shot.camera]
    backdrop = backdrop_of(document, shot)
    transparent = settings.transparent or backdrop.kind == "transparent"
    return scene, camera, options_row(scene, document, camera, backdrop, settings, transparent)


def predict(
    document: Document, assets: AssetStore, shot: Shot, size: tuple[int, int], settings: RenderSettings, builder: SceneBuilder | None = None
) -> Prediction:
    """Trace a sparse copy of the frame and scale up: samples and seconds until the settings' stopping rule is met."""
    scene, camera, options = _prepare(document, assets, shot, settings, builder)
    step = max(2, int(max(size) / 160))
    tracer = Tracer(scene, camera_row(camera, *size), options, size[0], size[1], step)
    tracer.run(1)
    started = time.perf_counter()
    tracer.run(7)
    cells = tracer.film.shape[0] * tracer.film.shape[1]
    per_sample = (time.perf_counter() - started) / 7 * size[0] * size[1] / cells
    noise_at_one = tracer.noise() * np.sqrt(8)
    if settings.stop == "samples":
        samples = settings.samples
    elif settings.stop == "time":
        samples = max(1, int(settings.seconds / per_sample))
    else:
        samples = max(8, int(np.ceil((noise_at_one / (settings.noise_percent / 100)) ** 2)))
    return Prediction(samples, samples * per_sample, float(noise_at_one / np.sqrt(samples)), per_sample)


def render(
    document: Document, assets: AssetStore, shot: Shot, size: tuple[int, int], settings: RenderSettings,
    progress: Callable[[Progress, "Tracer"], bool] | None = None, builder: SceneBuilder | None = None,
) -> Picture | None:  # fmt: skip
    """Render a shot until its stopping rule is met.

    `progress` is called about four times a second and may return False to cancel; then None is returned.
    """
    scene, camera, options = _prepare(document, assets, shot, settings, builder)
    tracer = Tracer(scene, camera_row(camera, *size), options, *size)
    started = time.perf_counter()
    target = settings.noise_percent / 100 if settings.stop == "noise" else 0.0
    limit = settings.samples if settings.stop == "samples" else 16384
    state = {"told": 0.0}

    def share_done(now: float) -> float:
        done = float(tracer.tile_samples.mean())
        if settings.stop == "time":
            return min(1.0, now / settings.seconds)
        if settings.stop == "samples":
            return min(1.0, done / limit)
        noise = tracer.noise()
        return 0.0 if not np.isfinite(noise) else min(1.0, (target / max(1e-9, noise)) ** 2)

    def tell() -> None:
        now = time.perf_counter() - started
        if progress is None or now - state["told"] < 0.25:
            if settings.stop == "time" and now > settings.seconds and tracer.samples >= 1:
                tracer.cancel()
            return
        state["told"] = now
        share = share_done(now)
        left = now * (1 - share) / share if share > 0.005 else float("inf")
        if progress(Progress(share, int(tracer.tile_samples.mean()), tracer.noise(), now, left), tracer) is False:
            state["cancelled"] = True
            tracer.cancel()

    while tracer.samples < limit:
        count = min(1 if tracer.samples < 2 else 4 if tracer.samples < 32 else 8, limit - tracer.samples)
        whole = tracer.run(count, noise=target, after_tile=tell)
        if state.get("cancelled"):
            return None
        if not whole:
            break
        now = time.perf_counter() - started
        if settings.stop == "noise" and tracer.samples >= 16 and bool((tracer.tile_noise <= target).all()):
            break
        if settings.stop == "time" and now >= settings.seconds:
            break
    frame = tracer.frame()
    rgb, alpha = frame.rgb, frame.alpha
    if settings.denoise:
        rgb = denoise(frame.rgb, frame.albedo, frame.normal)
        if options[a.OPT_BACKDROP] == a.BACKDROP_TRANSPARENT:
            clean = np.clip(denoise(np.repeat(alpha[..., None], 3, 2), frame.albedo, frame.normal)[..., 0], 0, 1)
            # what every sample agreed on stays exact
            alpha = np.where(frame.alpha >= 0.9999, np.float32(1), np.where(frame.alpha <= 0.0, np.float32(0), clean))
    return Picture(
        rgb, alpha, frame.rgb, frame.albedo, frame.normal, white_nits(camera), shot.view,
        int(tracer.tile_samples.mean()), tracer.noise(), time.perf_counter() - started,
    )  # fmt: skip
