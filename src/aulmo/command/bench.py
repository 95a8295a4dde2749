"""`aulmo bench`: speed, each figure beside what it is compared to in the same run."""

import os
import resource
import subprocess
import sys
import tempfile
import threading
import time
from pathlib import Path

import numpy as np
from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.assets import AssetStore, Mesh
from aulmo.document.project_file import load
from aulmo.document.records import Camera, Document, Floor, Part, Placement, Shot
from aulmo.surface import swatches
from aulmo.trace import draft, path, tracer
from aulmo.trace.embree import coherent_arguments
from aulmo.trace.replay import replay
from aulmo.trace.scene import SceneBuilder, backdrop_of, camera_row, options_row

SIZE = (704, 560)


def _figure(name: str, value: float, unit: str, compared_to: str, bar: str, met: bool | None) -> dict:
    verdict = "" if met is None else ("met" if met else "NOT met")
    print(f"{name:<54} {value:>9.3g} {unit:<10} {compared_to:<52} bar {bar:<10} {verdict}", flush=True)
    return {"name": name, "value": round(float(value), 5), "unit": unit, "compared_to": compared_to, "bar": bar, "met": met}


def demo_project() -> tuple[Document, AssetStore]:
    """The lantern."""
    return load(Path(__file__).parents[3] / "demo" / "wick.aulmo")


def million() -> tuple[Document, AssetStore]:
    """A made-up scene of one million unique triangles: a rippled sheet on the floor."""
    n = 708
    u, v = np.meshgrid(np.linspace(-1, 1, n), np.linspace(-1, 1, n), indexing="ij")
    z = 12 * np.sin(14 * u) * np.cos(11 * v) + 2 * np.sin(140 * u * v) + 40
    points = np.stack([u * 150, v * 150, z], -1).reshape(-1, 3)
    i = (np.arange(n - 1)[:, None] * n + np.arange(n - 1)).reshape(-1)
    triangles = np.concatenate([np.stack([i, i + n, i + n + 1], 1), np.stack([i, i + n + 1, i + 1], 1)])
    gu, gv = np.gradient(points.reshape(n, n, 3), axis=(0, 1))
    normals = np.cross(gu, gv).reshape(-1, 3)
    normals /= np.linalg.norm(normals, axis=1, keepdims=True)
    assets = AssetStore()
    mesh = assets.add_mesh(Mesh(points.astype(np.float32), normals.astype(np.float32), triangles.astype(np.uint32), np.zeros(0, np.int32)))
    material = swatches.material("Satin brass")
    camera = Camera(id="camera", name="Camera", position=(200, -420, 260), target=(0, 0, 30), focal_length_mm=50, shutter=1 / 15)
    document = edits.put_material(Document(), material)
    document = edits.add_parts(document, [Part(id="sheet", name="Sheet", mesh=mesh, material=material.id)], ["sheet"])
    document = edits.put_shot(edits.put_camera(document, camera), Shot(id="shot", name="Shot", camera="camera"))
    return replace(document, floor=Floor(kind="plain")), assets


def _set_up(document: Document, assets: AssetStore):
    shot = document.shots[0]
    builder = SceneBuilder(assets)
    scene = builder.build(document, shot)
    camera = document.cameras[shot.camera]
    options = options_row(scene, document, camera, backdrop_of(document, shot), document.render, False)
    return builder, scene, camera_row(camera, *SIZE)[None], options


def _both(work) -> float:
    """Seconds for `work(k)` on as many threads as there are cores."""
    threads = [threading.Thread(target=work, args=(k,)) for k in range(tracer.core_count())]
    started = time.perf_counter()
    for t in threads:
        t.start()
    for t in threads:
        t.join()
    return time.perf_counter() - started


def ray_share(document: Document, assets: AssetStore) -> tuple[float, float]:
    """Path tracing as a share of replaying the very same rays through Embree alone; and million rays a second, bare."""
    _, scene, camera, options = _set_up(document, assets)
    cores = tracer.core_count()
    films = [np.zeros((SIZE[1], SIZE[0], 17), np.float32) for _ in range(cores)]
    no_mattes = np.zeros((0, 0, 2, 1, 2), np.float32)
    stop, none = np.zeros(1, np.int32), np.zeros((0, 11), np.float32)
    counts = [np.zeros(1, np.int64) for _ in range(cores)]
    rows = [(k * SIZE[1] // 48, (k + 1) * SIZE[1] // 48) for k in range(48)]

    def trace(k: int, record) -> None:
        for top, bottom in rows[k::cores]:
            path.trace_tile(
                scene.arrays,
                camera,
                options,
                films[k],
                no_mattes,
                0,
                top,
                SIZE[0],
                bottom,
                *SIZE,
                1,
                0,
                1,
                stop,
                record,
                counts[k],
                coherent_arguments(),
            )

    records = [np.zeros((9_000_000, 11), np.float32) for _ in range(cores)]
    _both(lambda k: trace(k, records[k]))
    total = sum(int(c[0]) for c in counts)
    shares, speeds = [], []
    for _ in range(3):
        traced = _both(lambda k: trace(k, none))
        bare = _both(lambda k: replay(scene.arrays.top, records[k], int(counts[k][0])))
        shares.append(bare / traced)
        speeds.append(total / bare / 1e6)
    return float(np.median(shares)), float(np.median(speeds))


def draft_rate(document: Document, assets: AssetStore) -> float:
    """Draft pictures a second."""
    _, scene, camera, options = _set_up(document, assets)
    maps = draft.blur_environment(scene.arrays.env)
    tracer.draw_draft(scene, camera, options, maps, *SIZE)
    started, count = time.perf_counter(), 0
    while time.perf_counter() - started < 2.0:
        tracer.draw_draft(scene, camera, options, maps, *SIZE)
        count += 1
    return count / (time.perf_counter() - started)


def first_pixels(document: Document, assets: AssetStore) -> dict[str, float]:
    """Seconds from an edit to the first new traced pixels of the whole frame, coarse, as the live picture does it."""
    from aulmo.trace.live import COARSEST

    builder, scene, camera, options = _set_up(document, assets)
    shot = document.shots[0]
    part = next(p for p in document.parts.values() if p.mesh and p.material)
    material = part.material or ""
    results = {}
    for name in ("colour", "transform", "light"):
        times = []
        for k in range(5):
            if name == "colour":
                document = edits.change_surface(document, material, base_color=(0.1 * k + 0.05, 0.2, 0.3))
            elif name == "transform":
                document = edits.place_parts(document, {part.id: Placement(position=(float(k), 0, 0))})
            else:
                document = replace(document, environment=replace(document.environment, turn=20.0 * k + 5))
            started = time.perf_counter()
            scene = builder.build(document, shot)
            options = options_row(scene, document, document.cameras[shot.camera], backdrop_of(document, shot), document.render, False)
            tracer.Tracer(scene, camera, options, *SIZE, step=COARSEST).run(1)
            times.append(time.perf_counter() - started)
        results[name] = float(np.median(times))
    return results


def memory_per_million() -> float:
    """Megabytes of this process for one million unique triangles, all told, measured in a fresh process."""
    code = (
        "import resource;from aulmo.command import bench as b;from aulmo.trace.scene import SceneBuilder;"
        "import gc,os;rss=lambda:int(open('/proc/self/statm').read().split()[1])*os.sysconf('SC_PAGE_SIZE')/1e6;"
        "d,a=b.demo_project();s=SceneBuilder(a).build(d,d.shots[0]);del s,d,a;gc.collect();r0=rss();"
        "d,a=b.million();a._blobs.clear();s=SceneBuilder(a).build(d,d.shots[0]);gc.collect();print((rss()-r0)/s.triangle_count*1e6)"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    return float(done.stdout.split()[-1])


def window_seconds(cold: bool) -> float:
    """Seconds from starting a process to its window with a draft picture; `cold` with an empty kernel cache."""
    with tempfile.TemporaryDirectory() as folder:
        settings = {**os.environ, "QT_QPA_PLATFORM": "offscreen", "AULMO_LEAVE_AFTER_DRAFT": "1"}
        if cold:
            settings["XDG_CACHE_HOME"] = folder
        started = time.perf_counter()
        subprocess.run([sys.executable, "-m", "aulmo", "demo"], env=settings, check=True, capture_output=True)
        return time.perf_counter() - started


def run() -> list[dict]:
    """Measure everything, print it, and return it."""
    figures = []
    lantern, sheet = demo_project(), million()
    for name, scene in (("lantern", lantern), ("million triangles", sheet)):
        share, speed = ray_share(*scene)
        figures.append(
            _figure(f"Path tracing share, {name}", share, "", f"the same rays through Embree alone, {speed:.2f} M/s", ">= 0.5", share >= 0.5)
        )
    for name, scene in (("lantern", lantern), ("million triangles", sheet)):
        rate = draft_rate(*scene)
        figures.append(_figure(f"Draft picture 704x560, {name}", rate, "frames/s", "wall clock, 2 s of frames", ">= 20", rate >= 20))
    for name, seconds in first_pixels(*lantern).items():
        figures.append(_figure(f"Edit to first new pixels, {name}", seconds, "s", "wall clock, median of 5", "<= 0.1", seconds <= 0.1))
    warm = min(window_seconds(False) for _ in range(2))
    figures.append(_figure("Window up on the demo, warm", warm, "s", "process start to draft picture and exit", "<= 2.5", warm <= 2.5))
    cold = window_seconds(True)
    figures.append(_figure("First start ever, to a draft picture", cold, "s", "the same with an empty kernel cache", "<= 15", cold <= 15))
    memory = memory_per_million()
    figures.append(_figure("Memory for each million unique triangles", memory, "MB", "resident memory before and after", "<= 200", memory <= 200))
    print(f"Peak memory of this run {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6:.1f} GB, {tracer.core_count()} cores")
    return figures
