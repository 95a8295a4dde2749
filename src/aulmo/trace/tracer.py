"""Running the kernels: tiles over threads, progress, cancelling, noise, prediction."""

import hashlib
import os
import threading
import time
import zipfile
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any, Callable, NamedTuple, Sequence, cast

import msgspec
import numpy as np
from msgspec.structs import replace

from aulmo.document.assets import AssetStore
from aulmo.document.moments import Moments
from aulmo.document.writing import write_atomically
from aulmo.document.records import Camera, Document, Film, RenderSettings, Shot
from aulmo.errors import BadFile
from aulmo.frame.photograph import whole_photographs
from aulmo.surface.colour import ACESCG_TO_SRGB
from aulmo.trace.compile import arrays as a, kernel_cache
from aulmo.trace import draft as draft_kernels
from aulmo.trace import plan
from aulmo.trace.denoise import cleaned_guides, denoise
from aulmo.trace.shape.embree import coherent_arguments
from aulmo.trace.path.film import develop, new_film, photo_share, shadow_alpha, tile_noise
from aulmo.trace.plate import Plate, Under, cut_out, mixed
from aulmo.trace.path.tile import trace_tile
from aulmo.trace.path.path_state import MATTE_SLOTS
from aulmo.trace.passes import Passes, collect, motion_vectors
from aulmo.trace.passes import check as check_passes
from aulmo.frame.exposure import white_nits
from aulmo.trace.camera_rows import camera_rows, cameras_of
from aulmo.trace.options import options_row
from aulmo.trace.scene import Scene, SceneBuilder, is_timed
from aulmo.trace.shade import NONE as NO_SHADE
from aulmo.trace.shade import Shade

TILE = 32
DRAFT_LAMPS = 8
PILOT = 16  # samples that only plan a render to a noise target
LONGEST = 16384
# seconds until a render's state is first written (sooner where tests kill renders), and between two writings
KEEP_FIRST, KEEP_EVERY = float(os.environ.get("AULMO_KEEP_FIRST", "3")), 20.0
_NO_RECORD = np.zeros((0, 11), np.float32)


def core_count() -> int:
    """Processors this process may use."""
    return len(os.sched_getaffinity(0))


def step_back() -> None:
    """Let the window's thread go before the one that calls: a picture that comes a little later is not felt, a click is."""
    try:
        mine = threading.get_native_id()
        os.setpriority(os.PRIO_PROCESS, mine, max(2, os.getpriority(os.PRIO_PROCESS, mine)))
    except OSError:
        pass  # not every system lets threads differ


_pool = ThreadPoolExecutor(core_count(), thread_name_prefix="trace", initializer=step_back)


class Frame(NamedTuple):
    """Resolved light of a film: nits of ACEScg balanced to the camera's white, coverage, guides, and how much of a photograph shows, by colour."""

    rgb: np.ndarray
    alpha: np.ndarray
    albedo: np.ndarray
    normal: np.ndarray
    share: np.ndarray | None = None


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
        self.done = np.zeros((rows, columns), np.int32)
        self.goal = np.full((rows, columns), np.iinfo(np.int32).max, np.int32)
        self.share = np.ones((rows, columns))  # of samples, where `run_to` puts more than the mean
        self.plate: Plate | None = None  # the photograph that is laid under the picture

    def cancel(self) -> None:
        """Make the running pass end within a few pixels."""
        self.stop[0] = 1

    def run(self, count: int, threads: int | None = None, after_tile: Callable[[], None] | None = None) -> bool:
        """Add up to `count` samples to every pixel below its goal. False when cancelled."""
        whole = self._trace(count, threads, after_tile)
        if whole:
            self.samples += count
        return whole

    def run_to(self, mean: int, after_tile: Callable[[], None] | None = None) -> bool:
        """Bring every pixel to its share of `mean` samples. False when cancelled."""
        self.goal = np.maximum(1, np.rint(self.share * mean)).astype(np.int32)
        whole = self._trace(int(self.goal.max()), None, after_tile)
        if whole:
            self.samples = mean
        return whole

    def run_tiles(self, tiles: Sequence[int], mean: int, after_tile: Callable[[], None] | None = None) -> bool:
        """Bring the pixels of some of the `tiles` to their shares of `mean` samples, and no others: to the same sums as `run_to`. False when
        cancelled."""
        wanted = np.maximum(1, np.rint(self.share * mean)).astype(np.int32)
        self.goal[...] = 0
        for x0, y0, x1, y1 in (self.tiles[k] for k in tiles):
            self.goal[y0:y1, x0:x1] = wanted[y0:y1, x0:x1]
        return self._trace(int(self.goal.max()), None, after_tile)

    def open_tiles(self, mean: int) -> list[int]:
        """The tiles with pixels that have not yet got their shares of `mean` samples."""
        below = self.done < np.maximum(1, np.rint(self.share * mean))
        return [k for k, (x0, y0, x1, y1) in enumerate(self.tiles) if below[y0:y1, x0:x1].any()]

    def run_within(self, box: tuple[int, int, int, int], samples: int, after_tile: Callable[[], None] | None = None) -> bool:
        """Bring the pixels of a box (left, top, right, bottom) to so many samples, and no others. False when cancelled."""
        self.goal[...] = 0
        self.goal[box[1] : box[3], box[0] : box[2]] = samples
        whole = self._trace(samples, None, after_tile)
        if whole:
            self.samples = samples
        return whole

    def _trace(self, count: int, threads: int | None, after_tile: Callable[[], None] | None) -> bool:
        below = self.done < self.goal
        waiting = iter([k for k, (x0, y0, x1, y1) in enumerate(self.tiles) if below[y0:y1, x0:x1].any()])
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
                    self.scene.block.words, self.camera, self.options, self.film, self.mattes, self.done, self.goal, x0, y0, x1, y1,
                    self.width, self.height, self.step, count, self.stop, _NO_RECORD, recorded, coherent,
                )  # fmt: skip
                self.tile_noise[k] = tile_noise(self.film, x0, y0, x1, y1, white)
                if after_tile:
                    after_tile()

        futures = [_pool.submit(work) for _ in range(threads or core_count())]
        for future in futures:
            future.result()
        return not self.stop[0]

    def noise(self) -> float:
        """Mean relative error over the frame, 0.02 for two percent."""
        known = self.tile_noise[np.isfinite(self.tile_noise) & (self.tile_noise < 1e8)]
        return float(known.mean()) if len(known) else float("inf")

    def state(self) -> dict[str, np.ndarray]:
        """What has to be kept to go on later as if nothing had happened."""
        kept = {"film": self.film, "mattes": self.mattes, "done": self.done, "share": self.share}
        return {**kept, "tile_noise": self.tile_noise, "samples": np.array(self.samples)}

    def take_state(self, state) -> None:
        """Go on from a kept state. Raises BadFile when it belongs to another frame."""
        if any(state[k].shape != getattr(self, k).shape for k in ("film", "mattes", "done")):
            raise BadFile("The kept render state belongs to another frame size or other passes.")
        self.film, self.mattes = np.ascontiguousarray(state["film"]), np.ascontiguousarray(state["mattes"])
        self.done, self.share = state["done"].copy(), state["share"].copy()
        self.tile_noise, self.samples = state["tile_noise"].copy(), int(state["samples"])

    def frame(self) -> Frame:
        """What the film amounts to so far."""
        h, w = self.film.shape[:2]
        three = [np.zeros((h, w, 3), np.float32) for _ in range(3)]
        frame = Frame(three[0], np.zeros((h, w), np.float32), three[1], three[2])
        develop(self.film, frame.rgb, frame.alpha, frame.albedo, frame.normal)
        balance = self.options[a.OPT_BALANCE : a.OPT_BALANCE + 3]
        if balance.any():
            frame.rgb[...] *= np.exp2(balance).astype(np.float32)
        if self.options[a.OPT_BACKDROP] == a.BACKDROP_TRANSPARENT:
            shadow_alpha(self.film, frame.alpha)
        if self.options[a.OPT_BACKDROP] == a.BACKDROP_PHOTOGRAPH:
            return frame._replace(alpha=np.ones_like(frame.alpha), share=photo_share(self.film))
        return frame

    def passes(self, wanted: tuple[str, ...]) -> Passes:
        """The sets of passes that the film was made with, light in them white-balanced as the picture is."""
        passes = collect(wanted, self.film, self.mattes, self.scene)
        balance = np.exp2(self.options[a.OPT_BALANCE : a.OPT_BALANCE + 3]).astype(np.float32)
        passes.planes.update({name: plane * balance for name, plane in passes.light().items()})
        return passes


class Draft(NamedTuple):
    """A draft picture with what lies under each pixel: its instance's part, how far it is, which triangle of the mesh."""

    picture: np.ndarray
    parts: np.ndarray
    depth: np.ndarray
    triangles: np.ndarray


def _brightest_lamps(scene: Scene) -> np.ndarray:
    """(k,) int32 rows of the lamps that matter most to a draft."""
    lamps = scene.arrays.lamps
    kinds = lamps[:, a.LAMP_KIND].astype(int)
    wanted = np.flatnonzero(~np.isin(kinds, (a.MESH, a.PORTAL, a.SOFTBOX)))
    if len(wanted) <= DRAFT_LAMPS:
        return wanted.astype(np.int32)
    middle = 0.5 * (scene.low + scene.high)
    away = np.linalg.norm(lamps[wanted, a.LAMP_POSITION : a.LAMP_POSITION + 3] - middle, axis=1)
    light = lamps[wanted, a.LAMP_RGB : a.LAMP_RGB + 3].sum(1) * np.where(lamps[wanted, a.LAMP_AREA] > 0, lamps[wanted, a.LAMP_AREA], 1e6)
    return wanted[np.argsort(-light / np.maximum(away, 1.0) ** 2)[:DRAFT_LAMPS]].astype(np.int32)


def draw_draft(
    scene: Scene, camera: np.ndarray, options: np.ndarray, maps: np.ndarray, width: int, height: int, waits: bool = True, shade: Shade = NO_SHADE,
    shadows: int = 0, go_on: Callable[[], bool] = lambda: True,
) -> Draft:  # fmt: skip
    """One draft picture of width x height pixels, with the shade of its parts where that is given, and shadows of the strongest lamps. Unless it
    `waits` for all that a draft shows to be compiled, pictures, decals and panoramas are left out while that is not there. It is left half done when
    `go_on` says no."""
    draw = draft_kernels.draft_rows if waits else draft_kernels.draft_rows.as_it_is
    sides = (height, width)
    draft = Draft(np.empty((*sides, 4), np.uint8), np.empty(sides, np.int32), np.empty(sides, np.float32), np.empty(sides, np.int32))
    to_srgb = np.ascontiguousarray(ACESCG_TO_SRGB)
    curve = draft_kernels.display_curve()
    sharp = np.atleast_2d(camera)[0].copy()
    sharp[a.CAM_LENS_RADIUS] = 0.0
    coherent = coherent_arguments()
    chosen = _brightest_lamps(scene)
    bands = list(range(0, height, 16))
    lock, waiting = threading.Lock(), iter(bands)

    def work() -> None:
        while True:
            with lock:
                row = next(waiting, None)
            if row is None or not go_on():
                return
            draw(
                scene.block.words,
                sharp,
                options,
                maps,
                *shade,
                chosen,
                shadows,
                to_srgb,
                curve,
                draft.picture,
                draft.parts,
                draft.depth,
                draft.triangles,
                row,
                min(height, row + 16),
                width,
                height,
                coherent,
            )

    for future in [_pool.submit(work) for _ in range(core_count())]:
        future.result()
    return draft


def draw_at_rest(
    scene: Scene, camera: np.ndarray, options: np.ndarray, maps: np.ndarray, width: int, height: int, shade: Shade, go_on: Callable[[], bool]
) -> np.ndarray | None:
    """(height, width, 4) uint8 BGRA: a draft as it is when the hand rests, smooth along edges and with the shadows of lamps; None when `go_on`
    said no on the way. `camera` is that of a picture twice as large each way."""
    large = draw_draft(scene, camera, options, maps, 2 * width, 2 * height, True, shade, DRAFT_LAMPS, go_on).picture
    if not go_on():
        return None
    sums = large.reshape(height, 2, width, 2, 4).astype(np.uint16).sum((1, 3))
    return np.ascontiguousarray(((sums + 2) >> 2).astype(np.uint8))


class Progress(NamedTuple):
    """How far a final render is."""

    share: float
    samples: int
    noise: float
    seconds: float
    seconds_left: float


class Picture(NamedTuple):
    """A finished render: light in nits of ACEScg, coverage, what it took, the photograph that is in it already, and tables that its display values go
    through, each with its strength."""

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
    passes: Passes | None = None
    under: Under | None = None
    tables: tuple[tuple[np.ndarray, float], ...] = ()


class Prediction(NamedTuple):
    """What a render will take, measured on a small copy of it."""

    samples: int
    seconds: float
    noise: float
    seconds_per_sample: float


def exposure_of(document: Document, shot: Shot, time: float = 0.0) -> Moments:
    """What a shot's camera sees while its shutter is open for the frame at a time in seconds."""
    return Moments(document, {"shot": shot.id} if shot in document.shots else None, time, shot.camera)


def prepare(moments: Moments, assets: AssetStore, shot: Shot, settings: RenderSettings, builder: SceneBuilder | None):
    """The scene of an exposure, the camera, and the renderer's options for a shot. Raises BadValue or BadFile."""
    document = moments.first
    camera = document.cameras[shot.camera]
    scene = (builder or SceneBuilder(assets)).build(moments, camera=camera)
    options = options_row(scene, document, camera, settings, settings.transparent, moments.lasting)
    if settings.passes:
        check_passes(settings.passes)
        options[a.OPT_PASSES], options[a.OPT_GROUPS] = 1.0, len(scene.groups)
        if "occlusion" in settings.passes:
            options[a.OPT_OCCLUSION] = settings.occlusion_mm or 0.2 * float(np.linalg.norm(scene.high - scene.low))
    return scene, camera, options


def predict(
    document: Document, assets: AssetStore, shot: Shot, size: tuple[int, int], settings: RenderSettings, builder: SceneBuilder | None = None
) -> Prediction:
    """Trace a sparse copy of the frame and scale up: samples and seconds until the settings' stopping rule is met."""
    moments = exposure_of(document, shot)
    scene, camera, options = prepare(moments, assets, shot, settings, builder)
    step = max(2, int(max(size) / 160))
    rows = camera_rows(cameras_of(moments, camera), *size)
    tracer = Tracer(scene, rows, options, size[0], size[1], step)
    tracer.run(1)  # may compile
    samples = settings.samples
    if settings.stop == "noise":
        tracer.run(7)
        pilot, tracer = tracer, Tracer(scene, rows, options, size[0], size[1], step)
        tracer.share, samples = _plan(pilot, settings)
    before = tracer.samples
    started = time.perf_counter()
    tracer.run_to(8)
    cells = tracer.film.shape[0] * tracer.film.shape[1]
    per_sample = (time.perf_counter() - started) / (8 - before) * size[0] * size[1] / cells
    if settings.stop == "time":
        samples = max(1, int(settings.seconds / per_sample))
    return Prediction(samples, samples * per_sample, float(tracer.noise() * np.sqrt(8 / samples)), per_sample)


def _plan(pilot: Tracer, settings: RenderSettings) -> tuple[np.ndarray, int]:
    """(h, w) share of each pixel in the samples, and how many there are on average, for a noise target."""
    need = plan.samples_for(pilot.film, float(pilot.options[a.OPT_WHITE]), settings.noise_percent / 100, LONGEST)
    mean = max(1, int(np.ceil(need.mean())))
    return need / mean, mean


def begun(
    document: Document, shot: Shot, size: tuple[int, int], settings: RenderSettings, builder: SceneBuilder, time_: float = 0.0
) -> tuple[Moments, Camera, Tracer]:
    """The film of a final render before its first sample, and what it is of."""
    document = whole_photographs(document)
    moments = exposure_of(document, shot, time_)
    scene, camera, options = prepare(moments, builder.assets, shot, settings, builder)
    tracer = Tracer(scene, camera_rows(cameras_of(moments, camera), *size), options, *size)
    tracer.plate = builder.plates.plate(moments.first, camera, *size, final=True) if options[a.OPT_BACKDROP] == a.BACKDROP_PHOTOGRAPH else None
    return moments, camera, tracer


# Traces the tiles that are open up to a mean of samples, telling after each how it goes, and returns False when it was cancelled
Hands = Callable[["Tracer", int, Callable[[], bool]], bool]


def render(
    document: Document, assets: AssetStore, shot: Shot, size: tuple[int, int], settings: RenderSettings,
    progress: Callable[[Progress, "Tracer"], bool] | None = None, builder: SceneBuilder | None = None, kept: Path | None = None,
    time_: float = 0.0, hands: Hands | None = None,
) -> Picture | None:  # fmt: skip
    """Render a shot, at a time of its film in seconds, until its stopping rule is met.

    `progress` is called about four times a second and may return False to cancel; then None is returned. With `kept` the state of the
    render is kept in that file, and a render that finds one goes on from it: the picture is the same to the last bit. `hands` trace it tile by
    tile on several machines; a render that stops by time has to be of one.
    """
    builder = builder or SceneBuilder(assets)
    moments, camera, tracer = begun(document, shot, size, settings, builder, time_)
    about = digest_of(document, shot, size, settings, time_) if kept is not None else ""
    started = time.perf_counter()
    state = {"told": 0.0, "kept": 0.0}
    limit = settings.samples if settings.stop == "samples" else LONGEST
    pilot: Tracer | None = None
    if kept is not None and kept.exists():
        limit = _read_state(kept, tracer, about)
    elif settings.stop == "noise":
        pilot = Tracer(tracer.scene, tracer.camera, tracer.options.copy(), *size)
        pilot.options[a.OPT_SEED] += 7919
        pilot.plate = tracer.plate

    def share_done(now: float) -> float:
        if settings.stop == "time":
            return min(1.0, now / settings.seconds)
        return float(tracer.done.sum() / max(1.0, tracer.share.sum() * limit))

    def late(now: float) -> bool:
        return settings.stop == "time" and now > settings.seconds

    def tell(of: Tracer) -> None:
        now = time.perf_counter() - started
        if progress is None or now - state["told"] < 0.25:
            if late(now) and tracer.samples >= 1:
                tracer.cancel()
            return
        state["told"] = now
        share = share_done(now)
        left = now * (1 - share) / share if share > 0.005 else float("inf")
        if progress(Progress(share, int(tracer.done.mean()), of.noise(), now, left), of) is False:
            state["cancelled"] = True
            of.cancel()

    if pilot is not None:
        for count in (4, PILOT - 4):
            pilot.run(count, after_tile=lambda: tell(pilot))
        if state.get("cancelled"):
            return None
        tracer.share, limit = _plan(pilot, settings)

    def as_it_is() -> dict[str, np.ndarray]:
        return {name: np.array(array) for name, array in tracer.state().items()} | {"limit": np.array(limit), "about": np.array(about)}

    if hands is not None and settings.stop != "time" and tracer.samples < limit:

        def go_on() -> bool:
            tell(tracer)
            now = time.perf_counter() - started
            if kept is not None and now - state["kept"] > KEEP_EVERY:
                state["kept"] = now
                _write_state(kept, as_it_is())
            return not state.get("cancelled")

        if not hands(tracer, limit, go_on):
            if kept is not None:
                _write_state(kept, as_it_is())
            return None
        tracer.samples = limit
    snapshot: dict[str, np.ndarray] = {}  # as after the last whole pass: a pass broken off within is not kept
    while tracer.samples < limit:
        count = 1 if tracer.samples < 2 else 4 if tracer.samples < 32 else 8
        whole = tracer.run_to(min(limit, tracer.samples + count), after_tile=lambda: tell(tracer))
        if state.get("cancelled"):
            if kept is not None and snapshot:
                _write_state(kept, snapshot)
            return None
        if not whole:
            break
        now = time.perf_counter() - started
        if kept is not None:
            snapshot = as_it_is()
            if now - state["kept"] > (KEEP_EVERY if state["kept"] else KEEP_FIRST):
                state["kept"] = now
                _write_state(kept, snapshot)
        if late(now):
            break
    return _finish(moments, shot, settings, tracer, camera, started)


# settings of the file that a picture is put in, and not of the picture
OF_FILES = ("quality", "profile", "dpi", "alpha", "exr_parts", "finished", "negative")
OF_OTHERS = ("film", "preview", "live_noise_percent")  # and those of pictures of another use


def digest_of(document: Document, shot: Shot, size: tuple[int, int], settings: RenderSettings, time_: float = 0.0) -> str:
    """What a picture depends on: the moments that it is made of, shot, size, settings and kernels; not names, nor what else is in the film."""
    moments = exposure_of(document, shot, time_)
    told = replace(settings, folder="", file_type="png", **{f: getattr(RenderSettings(), f) for f in (*OF_FILES, *OF_OTHERS)})
    shares = (0.0, 0.25, 0.5, 0.75, 1.0) if moments.lasting else (0.0,)
    after = moments.around() if "motion" in settings.passes else ()
    seen = [replace(m, render=told, notes=(), name="", film=Film(), shots=(), finishes={}, remarks={}) for m in (*map(moments.at, shares), *after)]
    when = round(time_, 9) if after or is_timed(moments.first) else None
    about = msgspec.json.encode((seen, when, replace(shot, name="", guides="none", safe=False, picks={}, finish=""), size, told))
    return hashlib.sha256(about + kernel_cache.build().encode()).hexdigest()[:32]


def _finish(moments: Moments, shot: Shot, settings: RenderSettings, tracer: Tracer, camera: Camera, started: float) -> Picture:
    """Denoise and gather the passes."""
    options = tracer.options
    frame = tracer.frame()
    rgb, alpha = frame.rgb, frame.alpha
    passes = None
    if settings.passes:
        passes = tracer.passes(settings.passes)
        if "motion" in settings.passes:
            passes.planes["motion"] = motion_vectors(moments, tracer.scene, camera, tracer.film, tracer.mattes)
    share = frame.share
    if settings.denoise:
        albedo, normal = cleaned_guides(frame.albedo, frame.normal)
        rgb = nothing_where_nothing_is(denoise(frame.rgb, albedo, normal, clean_guides=True), frame)
        if options[a.OPT_BACKDROP] == a.BACKDROP_TRANSPARENT:
            clean = np.clip(denoise(np.repeat(alpha[..., None], 3, 2), albedo, normal, clean_guides=True)[..., 0], 0, 1)
            # what every sample agreed on stays exact
            alpha = np.where(frame.alpha >= 0.9999, np.float32(1), np.where(frame.alpha <= 0.0, np.float32(0), clean))
        if share is not None:
            share = cleaned_share(share, albedo, normal)
        if passes is not None and settings.denoise_groups:
            for name in [n for n in passes.planes if n.startswith("group.")]:
                passes.planes[name + ".denoised"] = denoise(passes.planes[name], albedo, normal, clean_guides=True)
    raw, under, white = frame.rgb, None, white_nits(camera)
    plate = tracer.plate
    if plate is not None and share is not None and frame.share is not None:
        rgb, share = hidden_by_cutouts(moments.first, shot, camera, rgb, share)
        raw, noisy = hidden_by_cutouts(moments.first, shot, camera, raw, frame.share)
        under, raw_under = Under(plate, share), Under(plate, noisy)
        rgb, raw = mixed(rgb, under, white), mixed(raw, raw_under, white)
        for name in ("path.background", "group.Environment"):
            if passes is not None and name in passes.planes:
                passes.planes[name] = mixed(passes.planes[name], raw_under, white)
    return Picture(
        rgb, alpha, raw, frame.albedo, frame.normal, white, shot.view,
        round(float(tracer.done.mean())), tracer.noise(), time.perf_counter() - started, passes, under,
    )  # fmt: skip


def nothing_where_nothing_is(clean: np.ndarray, frame: Frame) -> np.ndarray:
    """Denoised light without what the network let run over into a photograph: nothing where no sample met anything."""
    if frame.share is None:
        return clean
    return np.where(((frame.share >= 0.9999) & (frame.rgb == 0)).all(-1, keepdims=True), np.float32(0), clean)


def cleaned_share(share: np.ndarray, albedo: np.ndarray, normal: np.ndarray, quality: str = "high", clean_guides: bool = True) -> np.ndarray:
    """How much of a photograph shows, without the noise of the shadows on it; what all samples thereabouts agreed on stays exact."""
    from scipy.ndimage import maximum_filter, minimum_filter

    clean = np.clip(denoise(share, albedo, normal, quality, clean_guides), 0, 1)
    agreed = (minimum_filter(share.min(-1), 13) >= 0.9999) | (maximum_filter(share.max(-1), 13) <= 0.0)
    return np.where(agreed[..., None], share, clean).astype(np.float32)


def hidden_by_cutouts(
    document: Document, shot: Shot, camera: Camera, rgb: np.ndarray, share: np.ndarray
) -> tuple[np.ndarray, np.ndarray]:  # fmt: skip
    """Light and share of the photograph (h, w, 3) where things in it stand before the product."""
    hidden = cut_out(shot.photograph, document, shot, camera, rgb.shape[1], rgb.shape[0]) if shot.photograph is not None else None
    if hidden is None:
        return rgb, share
    left = 1 - hidden[..., None]
    return rgb * left, share * left + hidden[..., None]


def _write_state(path: Path, state: dict[str, np.ndarray]) -> None:
    write_atomically(path, lambda file: np.savez(file, **cast(Any, state)))


def _read_state(path: Path, tracer: Tracer, about: str) -> int:
    """Let a tracer go on from a kept state; returns how many samples a pixel it was meant to reach. Raises BadFile when it belongs to
    another document, shot, frame or build."""
    try:
        with np.load(path, allow_pickle=False) as data:
            state = {k: data[k] for k in ("film", "mattes", "done", "share", "tile_noise", "samples", "limit", "about")}
    except (OSError, ValueError, KeyError, EOFError, zipfile.BadZipFile) as error:
        raise BadFile(f"{path.name} is not a kept render state, or it is damaged.") from error
    tracer.take_state(state)
    if str(state["about"]) != about:
        raise BadFile(f"{path.name} was kept by a render of something else, or by another Aulmo; it cannot go on.")
    return int(state["limit"])
