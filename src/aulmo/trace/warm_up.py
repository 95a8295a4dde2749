"""Making the renderer ready on a new machine: all kernels compiled once, told how far, and begun while packages are still being installed.

`python -m aulmo.trace.warm_up` compiles them, in two processes where there are two cores (threads would share Numba's lock): each takes the next
unit that nobody has taken. The launcher starts it as soon as the few packages it needs are there, the window where it finds none at work.
"""

import os
import subprocess
import sys
import threading
import time
from contextlib import contextmanager
from pathlib import Path
from typing import Callable, Iterator

from aulmo.trace.compile import kernel_cache

# Seconds that compiling all kernels takes for one of a plain loop's second on the same machine: the only way to tell how long before it is done
LOOPS, SECONDS_PER_LOOP_SECOND = 400_000, 1100.0
# units in the order they are taken: what a draft shows first, then the longest
FIRST = ("as_drafted", "camera_ray", "photo_light", "run", "more", "image", "laid", "look_up", "each", "colour_node", "place_node", "relief_node")


def _note() -> Path:
    return kernel_cache.cache_folder() / "compiling"


def expected_seconds() -> float:
    """How long compiling all kernels should take at the pace of this machine just now."""
    started, total = time.perf_counter(), 0
    for k in range(LOOPS):
        total += k
    return SECONDS_PER_LOOP_SECOND * (time.perf_counter() - started)


def other_compiler() -> float | None:
    """Since when (seconds of the clock) another process has been compiling these kernels; None when none does."""
    try:
        pid, since = _note().read_text().split()
        if int(pid) != os.getpid() and Path(f"/proc/{pid}").exists():
            return float(since)
    except (OSError, ValueError):
        pass
    return None


@contextmanager
def noted() -> Iterator[None]:
    """Note meanwhile that this process compiles all kernels."""
    _note().parent.mkdir(parents=True, exist_ok=True)
    _note().write_text(f"{os.getpid()} {time.time()}")
    try:
        yield
    finally:
        _note().unlink(missing_ok=True)


class Compiling:
    """Kernels being compiled by processes of their own, for a window that needs them. `told` is called twice a second with how far that is (0..1)
    and how many seconds are left, `ready` when all are kept on the disk, `failed` with a sentence where that did not come about."""

    def __init__(self, told: Callable[[float, float], None], ready: Callable[[], None], failed: Callable[[str], None]) -> None:
        self._told, self._ready, self._failed = told, ready, failed
        self._began, self._expected = time.time(), expected_seconds()
        self._processes: list[subprocess.Popen] = []
        self._closed = threading.Event()
        self._room = threading.Event()
        if other_compiler() is None:
            self._begin("--units")
        self._thread = threading.Thread(target=self._watch, name="how far compiling is", daemon=True)
        self._thread.start()

    def _begin(self, *words: str) -> None:
        quiet = {"stdin": subprocess.DEVNULL, "stdout": subprocess.DEVNULL}
        self._processes.append(subprocess.Popen([sys.executable, "-m", "aulmo.trace.warm_up", *words], stderr=subprocess.PIPE, **quiet))  # type: ignore[call-overload]

    def use_all_cores(self) -> None:
        """The first picture stands: from now on nothing needs a core more."""
        self._room.set()

    def close(self) -> None:
        """Stop; what has been compiled is kept."""
        self._closed.set()
        for process in self._processes:
            process.terminate()
        for process in self._processes:
            process.wait()

    def _watch(self) -> None:
        whole = False
        while not self._closed.wait(0.5):
            spent = time.time() - (other_compiler() or self._began)
            self._told(min(0.97, spent / self._expected), max(2.0, self._expected - spent))
            running = [p for p in self._processes if p.poll() is None]
            bad = next((p for p in self._processes if p.poll()), None)
            if kernel_cache.is_warm() and not running:
                self._told(1.0, 0.0)
                self._ready()
                return
            if bad is not None:
                words = (bad.stderr.read() if bad.stderr else b"").decode(errors="replace").strip().splitlines()
                self._failed(words[-1] if words else f"the compiler ended with {bad.returncode}")
                return
            if other_compiler() is None and not whole and (self._room.is_set() or not running):
                whole = True
                self._begin("--one")


def _in_order() -> list:
    """The units, those first that a draft shows."""
    from aulmo.trace.compile import unit

    units = unit.all_units()
    return sorted(units, key=lambda u: FIRST.index(u.name) if u.name in FIRST else len(FIRST))


def compile_units() -> None:
    """Compile the units that nobody else has taken, one after another."""
    for one in _in_order():
        if not one.is_kept():
            one.put_if_free()


def compile_all() -> None:
    """Every kernel that a draft, a traced picture or the pictures of nodes need."""
    import numpy as np

    from aulmo.document.assets import AssetStore
    from aulmo.document.meshes import Mesh
    from aulmo.document.records import Camera, Document, Environment, Material, Node, Part, RenderSettings, Shot, Softbox
    from aulmo.trace import draft, tracer
    from aulmo.trace.camera_rows import camera_rows
    from aulmo.trace.compile.unit import all_units, put_in_place
    from aulmo.trace.node_pictures import NodePictures
    from aulmo.trace.options import options_row
    from aulmo.trace.scene import SceneBuilder
    from aulmo.trace.sight import Sight
    from aulmo.trace.view import dither, show

    assets = AssetStore()
    corners = np.array([[-10, -10, 0], [10, -10, 0], [0, 10, 0]], np.float32)
    up = np.tile(np.array([[0, 0, 1]], np.float32), (3, 1))
    mesh = assets.add_mesh(Mesh(corners, up, np.array([[0, 1, 2]], np.uint32), np.zeros(0, np.int32)))
    camera = Camera(id="c", name="Camera", position=(0.0, -100.0, 100.0), target=(0.0, 0.0, 0.0))
    document = Document(
        parts={"p": Part(id="p", name="Part", mesh=mesh, edge_radius=1.0)}, roots=("p",), cameras={"c": camera},
        shots=(Shot(id="s", name="Shot", camera="c"),),
        environment=Environment(kind="colour", colour=(0.5, 0.5, 0.5), softboxes=(Softbox("b", "B"),)),
    )  # fmt: skip
    scene = SceneBuilder(assets).build(document)
    options = options_row(scene, document, camera, RenderSettings())
    rows = camera_rows(camera, 16, 12)
    tracer.draw_draft(scene, rows, options, draft.maps_of(scene.arrays, 1.0), 16, 12)
    of_the_mesh = Material("m", "M", nodes=(Node("n", "curvature"),))
    NodePictures(assets).take(of_the_mesh, assets.mesh(mesh), 4)
    run = tracer.Tracer(scene, rows, options, 16, 12)
    run.run(1)
    Sight(scene, camera, options, 16, 12, relief=False).ways(8.0, 6.0)
    shown = show(run.frame().rgb, 1000.0, "Product neutral")
    dither(shown, np.ones(shown.shape[:2], np.float32), np.empty((*shown.shape[:2], 4), np.uint8))
    put_in_place(all_units())
    kernel_cache.note_warm()


def main(words: list[str]) -> None:
    """`--units`: help another process with the units; `--one`: all kernels, by this process alone."""
    if words == ["--units"]:
        compile_units()
        return
    while other_compiler() is not None:
        time.sleep(0.5)
    if kernel_cache.is_warm():
        return
    with noted():
        helper = None
        if words != ["--one"] and len(os.sched_getaffinity(0)) > 1:
            helper = subprocess.Popen([sys.executable, "-m", "aulmo.trace.warm_up", "--units"], stdin=subprocess.DEVNULL)
        compile_units()
        compile_all()
        if helper is not None:
            helper.wait()


if __name__ == "__main__":
    main(sys.argv[1:])
