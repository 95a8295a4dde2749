"""The live picture: a thread that always works on the newest document, coarse first, and can drop what it does at once."""

import threading
import time
from typing import Callable, NamedTuple

import numpy as np

from aulmo.document.assets import AssetStore
from aulmo.document.records import Camera, Document, Shot
from aulmo.errors import AulmoError
from aulmo.trace.compile import kernel_cache
from aulmo.trace.compile.arrays import OPT_GRADIENT_SPAN, OPT_WHITE
from aulmo.trace.denoise import denoise
from aulmo.trace.draft import blur_environment
from aulmo.trace.camera_rows import camera_rows, shutter_of
from aulmo.trace.options import options_row
from aulmo.trace.scene import Scene, SceneBuilder, backdrop_of
from aulmo.trace.tracer import Draft, Tracer, draw_draft
from aulmo.trace.view import dither, show

COARSEST = 8
_STEPS = (8, 4, 2)


class Request(NamedTuple):
    """What to show: a document through a camera in a frame of pixels."""

    document: Document
    shot: Shot | None
    camera: Camera
    width: int
    height: int
    traced: bool
    transparent: bool = False
    gradient_span: float = 1.0


class Shown(NamedTuple):
    """A new state of the picture. `picture` is BGRA and may be smaller than the frame; `draft` is given when it changed."""

    request: Request
    picture: np.ndarray
    draft: Draft | None
    part_ids: tuple[str, ...]
    samples: int
    noise: float
    seconds_left: float
    denoised: bool
    traced: bool


class LivePicture:
    """Runs the thread. `on_shown` and `on_trouble` are called from it."""

    def __init__(
        self,
        assets: AssetStore,
        on_shown: Callable[[Shown], None],
        on_trouble: Callable[[str], None],
        on_note: Callable[[str], None] = lambda text: None,
    ) -> None:
        self._builder = SceneBuilder(assets)
        self._on_shown, self._on_trouble, self._on_note = on_shown, on_trouble, on_note
        self._condition = threading.Condition()
        self._wanted: Request | None = None
        self._tracer: Tracer | None = None
        self._paused = self._closed = False
        self._maps_for: object = None
        self._maps: np.ndarray | None = None
        self._warm = kernel_cache.is_warm()
        self._path_ready = threading.Event()
        if self._warm:
            self._path_ready.set()
        self._thread = threading.Thread(target=self._loop, name="live picture", daemon=True)
        self._thread.start()

    def use_assets(self, assets: AssetStore) -> None:
        """Another project was opened."""
        self._builder = SceneBuilder(assets)

    def show(self, request: Request) -> None:
        """Work on this from now on; what was being traced is dropped."""
        with self._condition:
            self._wanted = request
            if self._tracer:
                self._tracer.cancel()
            self._condition.notify()

    def close(self) -> None:
        """End the thread."""
        with self._condition:
            self._closed = True
            if self._tracer:
                self._tracer.cancel()
            self._condition.notify()
        self._thread.join(5.0)

    def _newer(self) -> bool:
        return self._wanted is not None or self._closed

    def _loop(self) -> None:
        while True:
            with self._condition:
                while self._wanted is None and not self._closed:
                    self._condition.wait()
                if self._closed:
                    return
                request, self._wanted = self._wanted, None
            if request is None:
                continue
            try:
                self._work(request)
            except AulmoError as error:
                self._on_trouble(str(error))
            except MemoryError:
                self._on_trouble("There is not enough memory to show this scene; hide some parts.")

    def _environment_maps(self, scene: Scene) -> np.ndarray:
        if self._maps is None or self._maps_for is not scene.arrays.env:
            self._maps, self._maps_for = blur_environment(scene.arrays.env), scene.arrays.env
        return self._maps

    def _warm_up(self, scene: Scene, camera: np.ndarray, options: np.ndarray) -> None:
        """Compile the path tracer in a thread of its own the one time that is needed; the draft picture stays in use meanwhile."""

        def compile_kernels() -> None:
            Tracer(scene, camera, options, 16, 16, 8).run(1)
            self._path_ready.set()
            with self._condition:
                if self._wanted is None and self._last is not None:
                    self._wanted = self._last
                    self._condition.notify()

        self._on_note("Preparing the renderer for this machine; this happens once and takes about a minute")
        threading.Thread(target=compile_kernels, name="compile kernels", daemon=True).start()

    _last: Request | None = None
    _compiling = False

    def _work(self, request: Request) -> None:
        self._last = request
        shutter = shutter_of(request.camera, request.document)
        scene = self._builder.build(request.document, request.shot, shutter, self._path_ready.is_set())
        backdrop = backdrop_of(request.document, request.shot)
        transparent = request.transparent or backdrop.kind == "transparent"
        options = options_row(scene, request.document, request.camera, backdrop, request.document.render, transparent)
        options[OPT_GRADIENT_SPAN] = request.gradient_span
        width, height = request.width, request.height
        camera = camera_rows(request.camera, width, height, shutter)
        traced = request.traced and self._path_ready.is_set()

        def drafted(picture: np.ndarray | None) -> Draft:
            draft = draw_draft(scene, camera, options, self._environment_maps(scene), width, height)
            if picture is None:
                self._on_shown(Shown(request, draft.picture, draft, scene.part_ids, 0, float("inf"), float("inf"), False, False))
            return draft

        if not traced:
            drafted(None)
            if not self._path_ready.is_set() and not self._compiling:
                self._compiling = True
                self._warm_up(scene, camera, options)
            return
        draft: Draft | None = None
        for step in _STEPS:
            tracer = Tracer(scene, camera, options, width, height, step)
            if not self._run(tracer, 1 if step > 2 else 2):
                return
            if step > 4:
                self._send(request, tracer, None, scene, False, 0.0)
                draft = drafted(np.empty(0))
                if self._newer():
                    return
            else:
                self._send(request, tracer, draft, scene, True, 0.0)
                draft = None
            if self._newer():
                return
        tracer = Tracer(scene, camera, options, width, height)
        started = time.perf_counter()
        target = request.document.render.noise_percent / 100
        next_clean = 1
        while tracer.samples < 4096:
            if not self._run(tracer, 1 if tracer.samples < 4 else 2 if tracer.samples < 16 else 4):
                return
            noise, now = tracer.noise(), time.perf_counter() - started
            left = 0.0 if noise <= target else now * ((noise / target) ** 2 - 1)
            clean = tracer.samples >= next_clean
            if clean:
                next_clean = max(tracer.samples * 2, tracer.samples + 4)
                self._send(request, tracer, None, scene, True, left)
            else:
                self._tell(request, tracer, scene, left)
            if self._newer():
                return
            if tracer.samples >= 16 and noise <= target:
                self._send(request, tracer, None, scene, True, 0.0)
                return

    def _run(self, tracer: Tracer, count: int) -> bool:
        with self._condition:
            if self._newer():
                return False
            self._tracer = tracer
        done = tracer.run(count)
        return done and not self._newer()

    def _send(self, request: Request, tracer: Tracer, draft: Draft | None, scene: Scene, clean: bool, left: float) -> None:
        frame = tracer.frame()
        rgb = frame.rgb
        if clean:
            rgb = denoise(rgb, frame.albedo, frame.normal, "fast" if tracer.samples < 32 else "balanced")
        view = request.shot.view if request.shot else "Product neutral"
        display = show(rgb, float(tracer.options[OPT_WHITE]), view)
        alpha = frame.alpha
        if float(alpha.min()) < 0.999:
            h, w = alpha.shape
            cell = max(1, 8 // tracer.step)
            check = ((np.arange(h)[:, None] // cell + np.arange(w) // cell) & 1) * 0.1 + 0.42
            straight = show(np.ascontiguousarray(rgb / np.maximum(alpha, 1e-3)[..., None]), float(tracer.options[OPT_WHITE]), view)
            cover = np.clip(alpha, 0, 1)[..., None]
            display = (straight * cover + check[..., None] * (1 - cover)).astype(np.float32)
        picture = np.empty((*display.shape[:2], 4), np.uint8)
        dither(display, np.ones(display.shape[:2], np.float32), picture)
        self._on_shown(Shown(request, picture, draft, scene.part_ids, tracer.samples if tracer.step == 1 else 0, tracer.noise(), left, clean, True))

    def _tell(self, request: Request, tracer: Tracer, scene: Scene, left: float) -> None:
        self._on_shown(Shown(request, np.empty(0), None, scene.part_ids, tracer.samples, tracer.noise(), left, False, True))
