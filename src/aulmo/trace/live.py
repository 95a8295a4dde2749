"""The live picture: a thread that always works on the newest document, coarse first, and can drop what it does at once."""

import threading
import time
from typing import Any, Callable, Mapping, NamedTuple

import numpy as np
from msgspec.structs import replace

from aulmo.document.assets import AssetStore
from aulmo.document.moments import Moments, still
from aulmo.document.records import Camera, Document, Shot
from aulmo.frame.photograph import photographed, without_what_is_missing
from aulmo.trace.compile import kernel_cache
from aulmo.trace.compile.arrays import OPT_ENV_SCALE, OPT_GRADIENT_SPAN, OPT_GROUPS, OPT_PASSES, OPT_WHITE
from aulmo.trace.compile.unit import all_units, put_in_place
from aulmo.trace.denoise import denoise
from aulmo.trace.draft import DomeMaps, draft_rows
from aulmo.trace.camera_rows import camera_rows, cameras_of
from aulmo.trace.options import options_row
from aulmo.trace.scene import Scene, SceneBuilder
from aulmo.trace.shade import Shades
from aulmo.trace.newest import Newest
from aulmo.trace.plate import Under, mixed, shown_with
from aulmo.trace.tracer import (
    Draft,
    Frame,
    Picture,
    Tracer,
    cleaned_share,
    draw_at_rest,
    draw_draft,
    hidden_by_cutouts,
    nothing_where_nothing_is,
    step_back,
)
from aulmo.trace.view import dither, show
from aulmo.trace.warm_up import Compiling

COARSEST = 8
SHARED_UNTIL = 16  # samples until which the lights of a picture are cleaned by their shares of it
UNTIL_REST = 0.15  # seconds without a change until the hand counts as resting
_STEPS = (8, 4, 2)


class Request(NamedTuple):
    """What to show: a resolved document through a camera in a frame of pixels; `moments` when things move while the shutter is open. `passes` are
    the sets that are wanted of a traced picture, by whoever works on its lights (`measured`) and by its `finish`, which gives the display values
    (h, w, 3) of a picture. One that is `covered` need not become better."""

    document: Document
    shot: Shot | None
    camera: Camera
    width: int
    height: int
    traced: bool
    transparent: bool = False
    gradient_span: float = 1.0
    moments: Moments | None = None
    passes: tuple[str, ...] = ()
    project: int = 0  # which of the projects that were opened one after another it is of
    measured: bool = False
    finish: Callable[[Any, Picture], np.ndarray] | None = None
    covered: bool = False

    def goes_on(self, other: "Request") -> bool:
        """Whether another asks for the very same light, and only for more or less to be made of it."""
        same = all(getattr(self, f) is getattr(other, f) for f in ("document", "moments"))
        return same and all(getattr(self, f) == getattr(other, f) for f in _SAME)


_SAME = ("camera", "width", "height", "transparent", "gradient_span", "project")


class _Going(NamedTuple):
    """A picture that is being traced, to be gone on with when the same light is asked for again: for whom, of what, and when it is cleaned next."""

    request: Request
    scene: Scene
    tracer: Tracer
    spent: float
    next_clean: int


class Shown(NamedTuple):
    """A new state of the picture. `picture` is BGRA and may be smaller than the frame; `draft` is given when it changed, `scene` is what it was
    drawn of, `light` the clean picture in nits where it is whole, for those who measure it, and `lights` what there is of that picture with the
    passes that are wanted; `plain` is the picture without its finish, where that is on it."""

    request: Request
    picture: np.ndarray
    draft: Draft | None
    scene: Scene
    samples: int
    noise: float
    seconds_left: float
    denoised: bool
    traced: bool
    light: np.ndarray | None = None
    lights: Picture | None = None
    plain: np.ndarray | None = None

    @property
    def part_ids(self) -> tuple[str, ...]:
        """The parts that the numbers of the draft stand for."""
        return self.scene.part_ids


def live_noise(document: Document) -> float:
    """The noise, as a share, at which the live picture stops."""
    return document.render.live_noise_percent / 100


def _in_bytes(display: np.ndarray) -> np.ndarray:
    """(h, w, 4) uint8 BGRA of display values."""
    picture = np.empty((*display.shape[:2], 4), np.uint8)
    dither(np.ascontiguousarray(display, np.float32), np.ones(display.shape[:2], np.float32), picture)
    return picture


def shared_out(clean: np.ndarray, planes: Mapping[str, np.ndarray], samples: int) -> dict[str, np.ndarray]:
    """The light of each group without noise, as a share of the picture without noise: quicker than to clean each by itself. The share is that of
    the group's own light in that of all about a pixel, whose noise is mostly one and the same; the more samples there are, the less around it."""
    from scipy.ndimage import uniform_filter

    names = [n for n in planes if n.startswith("group.")]
    if not names:
        return {}
    width = 5 if samples < 8 else 3 if samples < 64 else 1
    soft = {n: uniform_filter(planes[n], (width, width, 0), mode="nearest") if width > 1 else planes[n] for n in names}
    total = np.maximum(np.sum(list(soft.values()), 0), 1e-9)
    return {f"{n}.denoised": clean * (soft[n] / total) for n in names}


def bare(document: Document) -> Document:
    """A document without nodes, layers and decals: what can be drawn while nothing that runs those has been compiled."""
    plain = {i: replace(m, nodes=(), wires={}, layers=()) for i, m in document.materials.items()}
    parts = {i: replace(p, edge_radius=0.0) if p.edge_radius else p for i, p in document.parts.items()}
    return replace(document, materials=plain, decals={}, parts=parts)


class _Made(NamedTuple):
    """A frame's light and display values, (h, w, 3), before any finish; how it was cleaned, and the photograph under it."""

    frame: Frame
    rgb: np.ndarray
    raw: np.ndarray
    display: np.ndarray
    under: Under | None
    how: str


class LivePicture:
    """Runs the thread. `on_shown`, `on_trouble` and `on_preparing` are called from it; the last with how far the renderer's kernels are made
    (0..1) and the seconds that are left, the one time that is needed."""

    def __init__(
        self,
        assets: AssetStore,
        on_shown: Callable[[Shown], None],
        on_trouble: Callable[[str], None],
        on_preparing: Callable[[float, float], None] = lambda share, left: None,
    ) -> None:
        self._builder = SceneBuilder(assets)
        self._on_shown, self._on_trouble, self._on_preparing = on_shown, on_trouble, on_preparing
        self._last: Request | None = None
        self._tracer: Tracer | None = None
        self._compiling: Compiling | None = None
        self._tries = 0
        self._told: set[str] = set()  # sentences on what is missing, each said once
        self._maps, self._shades = DomeMaps(), Shades()
        self._stands = self._tables = False  # whether this project was drawn yet, and whether its scene has what tracing needs
        self.rests = True  # whether a draft becomes better while nothing changes
        self._going: _Going | None = None
        self._sent: tuple[tuple, _Made] | None = None
        self._path_ready = threading.Event()
        if kernel_cache.is_warm():
            self._path_ready.set()
        self._newest: Newest[Request] = Newest(
            "live picture", self._work, lambda request, words: self._on_trouble(words),
            "There is not enough memory to show this scene; hide some parts.", "This picture could not be drawn", step_back,
        )  # fmt: skip

    def use_assets(self, assets: AssetStore) -> None:
        """Another project was opened."""
        most = self._builder.picture_bytes
        self._shades.forget()
        self._stands = self._tables = False
        self._going = self._sent = None
        self._builder = SceneBuilder(assets)
        self._builder.picture_bytes = most

    def keep_pictures_within(self, most_bytes: int) -> None:
        """What the pictures of a project may take in memory; beyond it the largest lose their finest copies when the scene is built next."""
        self._builder.picture_bytes = most_bytes

    def show(self, request: Request) -> None:
        """Work on this from now on; what was being traced is dropped, unless it is the same light that is asked for: that is gone on with."""
        with self._newest.lock:
            self._newest.ask(request)
            if self._tracer:
                self._tracer.cancel()

    def close(self) -> None:
        """End the thread."""
        if self._tracer:
            self._tracer.cancel()
        if self._compiling is not None:
            self._compiling.close()
        self._newest.close()

    def _warm_up(self) -> None:
        """Have the kernels compiled by other processes the one time that is needed; the draft picture stays in use meanwhile."""
        self._tries += 1
        self._compiling = Compiling(self._tell_preparing, self._kernels_are_there, self._kernels_are_not_there)

    def _tell_preparing(self, share: float, left: float) -> None:
        self._on_preparing(share, left)
        kept = all(unit.is_kept() for unit in draft_rows.needs())
        if kept and not all(unit.is_in_place for unit in draft_rows.needs()):
            put_in_place(draft_rows.needs())
            self._again()

    def _kernels_are_there(self) -> None:
        put_in_place(all_units())
        self._path_ready.set()
        self._again()

    def _kernels_are_not_there(self, why: str) -> None:
        self._compiling = None
        self._on_preparing(1.0, 0.0)
        self._on_trouble(f"The renderer could not be made ready on this machine ({why}); the draft stays in use.")

    def _again(self) -> None:
        """Draw the last picture anew: there is more to draw it with."""
        if self._last is not None:
            self._newest.ask(self._last, yields=True)

    def _work(self, request: Request) -> None:
        self._last = request
        going = self._going
        if going is not None and going.request.goes_on(request):
            if request.traced:
                self._go_on(going._replace(request=request), fresh=False)
                return
            if request.covered and self._stands:
                return
        ready = self._path_ready.is_set()
        if not ready and self._compiling is None and self._tries < 3:
            self._warm_up()
        whole, missing = without_what_is_missing(request.document, self._builder.assets)
        if missing and missing not in self._told:
            self._told.add(missing)
            self._on_trouble(missing)
        full = ready or all(unit.is_in_place for unit in draft_rows.needs())
        moments = still(bare(whole)) if not full else request.moments if request.moments is not None and not missing else still(whole)
        traced = request.traced and ready
        first, self._stands = not self._stands, True
        self._tables = self._tables or (traced and not first)
        scene, options = self._scene(request, moments)
        width, height = request.width, request.height
        camera = camera_rows(cameras_of(moments, request.camera), width, height)

        if not traced or first:  # a project is seen at once as a draft, which needs less of it
            maps = self._maps.of(scene.arrays, options[OPT_ENV_SCALE], ready)
            shade = self._shades.under(maps, scene.arrays.env_turn)
            draft = draw_draft(scene, camera, options, maps, width, height, full, shade)
            self._on_shown(Shown(request, draft.picture, draft, scene, 0, float("inf"), float("inf"), False, False))
            if self._compiling is not None:
                self._compiling.use_all_cores()
            if not traced:
                if full and self.rests:
                    self._rest(request, moments, scene, options, maps)
                return
            if self._newest.newer:
                return
            self._tables = True
            scene, options = self._scene(request, moments)
        draft_: Draft | None = None
        for step in _STEPS:
            tracer = Tracer(scene, camera, options, width, height, step)
            if not self._run(tracer, 1 if step > 2 else 2):
                return
            if step > 4:
                self._send(request, tracer, None, scene, False, 0.0)
                draft_ = draw_draft(scene, camera, options, self._maps.of(scene.arrays, options[OPT_ENV_SCALE]), width, height)
            else:
                self._send(request, tracer, draft_, scene, True, 0.0)
                draft_ = None
            if self._newest.newer:
                return
        self._go_on(_Going(request, scene, Tracer(scene, camera, options, width, height), 0.0, 1))

    def _go_on(self, going: _Going, fresh: bool = True) -> None:
        """Trace a whole picture until it is as clean as is wanted while working; one that was begun before is shown first as it is."""
        request, scene, tracer, before, next_clean = going
        started, target = time.perf_counter(), live_noise(request.document)
        self._going, tracer.stop[0] = going, 0
        left = lambda noise, spent: 0.0 if noise <= target else spent * ((noise / target) ** 2 - 1)  # noqa: E731
        if not fresh and tracer.samples:
            if not request.covered:
                self._send(request, tracer, None, scene, True, left(tracer.noise(), before))
            if request.covered or (tracer.samples >= 16 and tracer.noise() <= target):
                return
        while tracer.samples < 4096 and not self._newest.newer:
            done = self._run(tracer, 1 if tracer.samples < 4 else 2 if tracer.samples < 16 else 4)
            noise, spent = tracer.noise(), before + time.perf_counter() - started
            if not done:  # what was begun of a pass counts for the pixels that have it
                self._going = going._replace(spent=spent, next_clean=next_clean)
                return
            finished = tracer.samples >= 16 and noise <= target
            if finished or tracer.samples >= next_clean:
                next_clean = max(tracer.samples * 2, tracer.samples + 4)
                self._send(request, tracer, None, scene, True, left(noise, spent))
            else:
                self._tell(request, tracer, scene, left(noise, spent))
            self._going = going._replace(spent=spent, next_clean=next_clean)
            if finished:
                return

    def _scene(self, request: Request, moments: Moments) -> tuple[Scene, np.ndarray]:
        """The scene of a request, with all that tracing needs once something is traced; and the settings of its picture."""
        scene = self._builder.build(moments, self._tables, request.camera)
        options = options_row(scene, moments.first, request.camera, moments.first.render, request.transparent, moments.lasting)
        options[OPT_GRADIENT_SPAN] = request.gradient_span
        options[OPT_PASSES], options[OPT_GROUPS] = 1.0, len(scene.groups)  # always: a finish may be wanted at any time
        return scene, options

    def _rest(self, request: Request, moments: Moments, scene: Scene, options: np.ndarray, maps: np.ndarray) -> None:
        """The hand may rest: work out the shade, then draw smooth edges and shadows, until something newer is wanted."""
        if not self._newest.rests(UNTIL_REST):
            return
        go_on = lambda: not self._newest.newer  # noqa: E731
        self._shades.take(scene, go_on)
        camera = camera_rows(cameras_of(moments, request.camera), 2 * request.width, 2 * request.height)
        shade = self._shades.under(maps, scene.arrays.env_turn)
        picture = draw_at_rest(scene, camera, options, maps, request.width, request.height, shade, go_on) if go_on() else None
        if picture is not None:
            self._on_shown(Shown(request, picture, None, scene, 0, float("inf"), float("inf"), False, False))

    def _run(self, tracer: Tracer, count: int) -> bool:
        with self._newest.lock:
            if self._newest.newer:
                return False
            self._tracer = tracer
        done = tracer.run(count)
        return done and not self._newest.newer

    def _made(self, request: Request, tracer: Tracer, clean: bool) -> "_Made":
        """What the samples so far come to; made once for the same samples and the same view."""
        key = (tracer, tracer.samples, clean, request.shot.view if request.shot else "")
        if self._sent is None or self._sent[0] != key:
            self._sent = (key, self._developed(request, tracer, clean))
        return self._sent[1]

    def _developed(self, request: Request, tracer: Tracer, clean: bool) -> "_Made":
        frame = tracer.frame()
        rgb, raw, how = frame.rgb, frame.rgb, "fast" if tracer.samples < 32 else "balanced"
        if clean:
            rgb = nothing_where_nothing_is(denoise(rgb, frame.albedo, frame.normal, how), frame)
        view, white = request.shot.view if request.shot else "Product neutral", float(tracer.options[OPT_WHITE])
        under = None
        plate = None if frame.share is None else self._builder.plates.plate(request.document, request.camera, rgb.shape[1], rgb.shape[0])
        if plate is not None and frame.share is not None:
            share = cleaned_share(frame.share, frame.albedo, frame.normal, how, False) if clean and tracer.step == 1 else frame.share
            shot = photographed(request.document)
            assert shot is not None
            rgb, share = hidden_by_cutouts(request.document, shot, request.camera, rgb, share)
            under = Under(plate, share)
            rgb = mixed(rgb, under, white)
        display = shown_with(rgb, under, white, view)
        alpha = frame.alpha
        if float(alpha.min()) < 0.999:
            h, w = alpha.shape
            cell = max(1, 8 // tracer.step)
            check = ((np.arange(h)[:, None] // cell + np.arange(w) // cell) & 1) * 0.1 + 0.42
            straight = show(np.ascontiguousarray(rgb / np.maximum(alpha, 1e-3)[..., None]), float(tracer.options[OPT_WHITE]), view)
            cover = np.clip(alpha, 0, 1)[..., None]
            display = (straight * cover + check[..., None] * (1 - cover)).astype(np.float32)
        return _Made(frame, rgb, raw, display, under, how)

    def _send(self, request: Request, tracer: Tracer, draft: Draft | None, scene: Scene, clean: bool, left: float) -> None:
        made = self._made(request, tracer, clean)
        frame, rgb, raw, how, under = made.frame, made.rgb, made.raw, made.how, made.under
        view, white, alpha = request.shot.view if request.shot else "Product neutral", float(tracer.options[OPT_WHITE]), made.frame.alpha
        picture = _in_bytes(made.display)
        whole = tracer.step == 1
        samples, light = tracer.samples if whole else 0, rgb if clean and whole else None
        lights, plain = None, None
        if request.measured or request.finish is not None:
            passes = tracer.passes(request.passes) if request.passes else None
            if clean and passes is not None:
                if request.measured and samples >= SHARED_UNTIL:
                    for name in [n for n in passes.planes if n.startswith("group.")]:
                        passes.planes[f"{name}.denoised"] = denoise(passes.planes[name], frame.albedo, frame.normal, how)
                else:
                    passes.planes.update(shared_out(rgb, passes.planes, samples))
            lights = Picture(rgb, alpha, raw, frame.albedo, frame.normal, white, view, samples, tracer.noise(), 0.0, passes, under)
        if request.finish is not None and lights is not None:
            picture, plain = _in_bytes(request.finish(request, lights)), picture
        seen = lights if request.measured else None
        self._on_shown(Shown(request, picture, draft, scene, samples, tracer.noise(), left, clean, True, light, seen, plain))

    def _tell(self, request: Request, tracer: Tracer, scene: Scene, left: float) -> None:
        self._on_shown(Shown(request, np.empty(0), None, scene, tracer.samples, tracer.noise(), left, False, True))
