"""Making the renderer ready on a new machine: all kernels compiled once, told how far, and begun while packages are still being installed.

`python -m aulmo.trace.warm_up` compiles them in a process of its own; the launcher starts it as soon as the few packages it needs are there.
"""

import os
import threading
import time
from contextlib import contextmanager
from pathlib import Path
from typing import Callable, Iterator

from aulmo.trace.compile import kernel_cache

# Seconds that compiling all kernels takes for one of a plain loop's second on the same machine: the only way to tell how long before it is done
LOOPS, SECONDS_PER_LOOP_SECOND = 400_000, 3700.0


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
def telling(told: Callable[[float, float], None], began: float | None = None) -> Iterator[None]:
    """While kernels are compiled within, tell twice a second how far that is (0..1) and how many seconds are left; wait first for another
    process that is at it already. `began`: since when (seconds of the clock), when the first kernels were compiled before."""
    expected = expected_seconds()
    began, done = began or time.time(), threading.Event()

    def tell(since: float) -> None:
        spent = time.time() - since
        share = min(0.97, spent / expected)
        told(share, max(2.0, expected - spent))

    while (since := other_compiler()) is not None:
        tell(since)
        time.sleep(0.5)
    folder = kernel_cache.cache_folder()
    folder.mkdir(parents=True, exist_ok=True)
    _note().write_text(f"{os.getpid()} {began}")

    def pulse() -> None:
        while not done.wait(0.5):
            tell(began)

    threading.Thread(target=pulse, name="how far compiling is", daemon=True).start()
    try:
        yield
    finally:
        done.set()
        _note().unlink(missing_ok=True)
    told(1.0, 0.0)


def compile_all() -> None:
    """Every kernel that a draft, a traced picture or the pictures of nodes need."""
    import numpy as np

    from aulmo.document.assets import AssetStore, Mesh
    from aulmo.document.records import Camera, Document, Environment, Material, Node, Part, RenderSettings, Shot, Softbox
    from aulmo.trace import draft, tracer
    from aulmo.trace.camera_rows import camera_rows
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
        parts={"p": Part(id="p", name="Part", mesh=mesh)}, roots=("p",), cameras={"c": camera}, shots=(Shot(id="s", name="Shot", camera="c"),),
        environment=Environment(kind="colour", colour=(0.5, 0.5, 0.5), softboxes=(Softbox("b", "B"),)),
    )  # fmt: skip
    of_the_mesh = Material("m", "M", nodes=(Node("n", "curvature"),))
    NodePictures(assets).take(of_the_mesh, assets.mesh(mesh), 4)
    scene = SceneBuilder(assets).build(document)
    options = options_row(scene, document, camera, RenderSettings())
    rows = camera_rows(camera, 16, 12)
    tracer.draw_draft(scene, rows, options, draft.maps_of(scene.arrays, 1.0), 16, 12)
    run = tracer.Tracer(scene, rows, options, 16, 12)
    run.run(1)
    Sight(scene, camera, options, 16, 12, relief=False).ways(8.0, 6.0)
    shown = show(run.frame().rgb, 1000.0, "Product neutral")
    dither(shown, np.ones(shown.shape[:2], np.float32), np.empty((*shown.shape[:2], 4), np.uint8))


if __name__ == "__main__":
    while other_compiler() is not None:
        time.sleep(0.5)
    if not kernel_cache.is_warm():
        with telling(lambda share, left: None):
            compile_all()
