"""`aulmo bench`: speed, each figure beside what it is compared to in the same run.

Ratios and costs are taken in processor time, which other work on a shared machine does not enter; what the artist waits for, in wall clock,
and beside it what the same would be at the pace of the free machine on which the bars were set: a plain loop is timed before and after.
"""

import os
import resource
import shutil
import subprocess
import sys
import tempfile
import threading
import time
from pathlib import Path
from typing import Callable, Sequence

import numpy as np
from msgspec.structs import replace

from aulmo.command import (
    bench_decals,
    bench_desk,
    bench_film,
    bench_finish,
    bench_light,
    bench_lines,
    bench_nodes,
    bench_prepare,
    bench_scenes as scenes,
    bench_shelf,
)
from aulmo.command.pace import Figures, paced
from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.properties import resolve
from aulmo.document.records import Document, Placement, RenderSettings
from aulmo.errors import BadValue
from aulmo.surface.colour import decode_srgb
from aulmo.trace import draft, tracer
from aulmo.trace.camera_rows import camera_row
from aulmo.trace.compile import arrays as a, kernel_cache
from aulmo.trace.compile.arrays import OPT_ENV_SCALE, OPT_WHITE, PLANES
from aulmo.trace.denoise import denoise
from aulmo.trace.options import options_row
from aulmo.trace.path import tile
from aulmo.trace.path.replay import replay
from aulmo.trace.scene import SceneBuilder
from aulmo.trace.shade import Shades
from aulmo.trace.shape.embree import coherent_arguments
from aulmo.trace.view import show

SIZE = (704, 560)


demo_project = scenes.lantern
million = scenes.sheet


def _set_up(document: Document, assets: AssetStore):
    shot = document.shots[0]
    builder = SceneBuilder(assets)
    scene = builder.build(document)
    camera = document.cameras[shot.camera]
    options = options_row(scene, document, camera, document.render)
    return builder, scene, camera_row(camera, *SIZE)[None], options


def _both(work) -> float:
    """Processor seconds, over the cores, for `work(k)` on as many threads as there are cores."""
    threads = [threading.Thread(target=work, args=(k,)) for k in range(tracer.core_count())]
    started = time.process_time()
    for t in threads:
        t.start()
    for t in threads:
        t.join()
    return (time.process_time() - started) / tracer.core_count()


def ray_share(document: Document, assets: AssetStore) -> tuple[float, float]:
    """Path tracing as a share of replaying the very same rays through Embree alone; and million rays a second, bare."""
    _, scene, camera, options = _set_up(document, assets)
    cores = tracer.core_count()
    films = [np.zeros((SIZE[1], SIZE[0], PLANES), np.float32) for _ in range(cores)]
    no_mattes = np.zeros((0, 0, 2, 1, 2), np.float32)
    goal = np.full((SIZE[1], SIZE[0]), 4, np.int32)
    done = [np.zeros_like(goal) for _ in range(cores)]
    stop, none = np.zeros(1, np.int32), np.zeros((0, 11), np.float32)
    counts = [np.zeros(1, np.int64) for _ in range(cores)]
    rows = [(k * SIZE[1] // 48, (k + 1) * SIZE[1] // 48) for k in range(48)]

    def trace(k: int, record) -> None:
        done[k][:] = 0
        for top, bottom in rows[k::cores]:
            tile.trace_tile(
                scene.block.words,
                camera,
                options,
                films[k],
                no_mattes,
                done[k],
                goal,
                0,
                top,
                SIZE[0],
                bottom,
                *SIZE,
                1,
                4,  # samples at a time, as a render takes them
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


def draft_rate(document: Document, assets: AssetStore) -> tuple[float, float]:
    """Draft pictures a second as the live picture makes them: (while the camera turns, while a part is pulled), each with its build."""
    builder, scene, _, _ = _set_up(document, assets)
    shot = document.shots[0]
    camera = document.cameras[shot.camera]
    maps = draft.blur_environment(scene.arrays.env)
    shades = Shades()
    shades.take(scene)
    shade = shades.under(maps, scene.arrays.env_turn)
    part = next(p for p in document.parts.values() if p.mesh)

    def turned(k: int) -> Document:
        return edits.put_camera(document, replace(camera, position=tuple(np.add(camera.position, (0.1 * k, 0, 0)).tolist())))

    def pulled(k: int) -> Document:
        x, y, z = part.placement.position
        return edits.place_parts(document, {part.id: replace(part.placement, position=(x + 0.1 * k, y, z))})

    rates = []
    for edit in (turned, pulled):
        started, count = time.perf_counter(), 0
        while time.perf_counter() - started < 2.0 or not count:
            changed = edit(count)
            scene = builder.build(changed)
            seen = changed.cameras[shot.camera]
            tracer.draw_draft(scene, camera_row(seen, *SIZE)[None], options_row(scene, changed, seen, changed.render), maps, *SIZE, True, shade)
            count += 1
        rates.append(count / (time.perf_counter() - started))
    return rates[0], rates[1]


def draft_beside_traced(document: Document, assets: AssetStore, size: tuple[int, int] = (352, 280), samples: int = 32) -> tuple[float, float]:
    """Mean difference of luminance between a draft at rest and the traced picture of the same view, both as shown, 0..1; and that of a draft without
    shade, as it was."""
    shot = document.shots[0]
    now = resolve(document, {"shot": shot.id}, document.film.start)
    camera = now.cameras[shot.camera]
    scene = SceneBuilder(assets).build(now, camera=camera)
    options = options_row(scene, now, camera, now.render)
    maps = draft.maps_of(scene.arrays, options[OPT_ENV_SCALE])
    run = tracer.Tracer(scene, camera_row(camera, *size), options, *size)
    run.run(samples)
    frame = run.frame()
    shown = show(denoise(frame.rgb, frame.albedo, frame.normal, "balanced"), float(options[OPT_WHITE]), shot.view)
    shades = Shades()
    shades.take(scene)
    row = camera_row(camera, 2 * size[0], 2 * size[1])[None]
    resting = tracer.draw_at_rest(scene, row, options, maps, *size, shades.under(maps, scene.arrays.env_turn), lambda: True)
    plain = tracer.draw_draft(scene, camera_row(camera, *size)[None], options, maps, *size).picture
    assert resting is not None
    truth = _luminance(np.clip(shown, 0.0, 1.0))
    return tuple(float(np.abs(_luminance(p[..., 2::-1] / 255.0) - truth).mean()) for p in (resting, plain))  # type: ignore[return-value]


def _luminance(display: np.ndarray) -> np.ndarray:
    """Luminance of sRGB display values (IEC 61966-2-1)."""
    return decode_srgb(display) @ np.array([0.2126, 0.7152, 0.0722])


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
            scene = builder.build(document)
            options = options_row(scene, document, document.cameras[shot.camera], document.render)
            tracer.Tracer(scene, camera, options, *SIZE, step=COARSEST).run(1)
            times.append(time.perf_counter() - started)
        results[name] = float(np.median(times))
    return results


def _grown(before: str, after: str) -> float:
    """Megabytes by which a fresh process grows from one scene to another, each the source of (document, assets) from `bench`."""
    code = (
        "from aulmo.command import bench as b;from aulmo.trace.scene import SceneBuilder;"
        "import gc,os;rss=lambda:int(open('/proc/self/statm').read().split()[1])*os.sysconf('SC_PAGE_SIZE')/1e6;"
        f"d,a={before};s=SceneBuilder(a).build(d);del s,d,a;gc.collect();r0=rss();"
        f"d,a={after};s=SceneBuilder(a).build(d);gc.collect();print(rss()-r0)"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    return float(done.stdout.split()[-1])


def memory_per_million() -> float:
    """Megabytes for one million unique triangles, all told."""
    return _grown("b.demo_project()", "b.million()")


def memory_of_copies() -> float:
    """Megabytes that 10,000 copies of one part add to what nine of them take: document, matrices and tree."""
    return _grown("b.scenes.balls(9)", "b.scenes.balls(10_000)")


def picture_cost(document: Document, assets: AssetStore, size: tuple[int, int] = (352, 280), samples: int = 2) -> float:
    """Nanoseconds, over the cores, for one sample of one pixel: processor time, the best of three passes of `samples` each."""
    shot = document.shots[0]
    scene = SceneBuilder(assets).build(document)
    camera = document.cameras[shot.camera]
    options = options_row(scene, document, camera, document.render)
    run = tracer.Tracer(scene, camera_row(camera, *size), options, *size)
    run.run(1)
    best = float("inf")
    for _ in range(3):
        started = time.process_time()
        run.run(samples)
        best = min(best, time.process_time() - started)
    return best / tracer.core_count() / samples / size[0] / size[1] * 1e9


def variance_at_equal_time(document: Document, assets: AssetStore, samples: int, runs: int = 4) -> dict[str, float]:
    """How much lower the variance is than the plain estimator's in the same time: no light sampling, even choice, random numbers.

    Variance is the mean over pixels and channels of what `runs` independent pictures differ by, time the processor's. Returns by name:
    "ratio"; "wiser", against a plain estimator that may choose among lobes as we do; "error" and "plain error", standard deviations over
    white.
    """
    size = (128, 104)
    shot = document.shots[0]
    scene = SceneBuilder(assets).build(document)
    camera = camera_row(document.cameras[shot.camera], *size)
    settings = replace(document.render, clamp_stops=0.0)
    options = options_row(scene, document, document.cameras[shot.camera], settings)
    white = float(options[a.OPT_WHITE])

    def traced(kind: str, seed: int):
        row = options.copy()
        row[a.OPT_SEED], row[a.OPT_PLAIN], row[a.OPT_UNIFORM_CHOICE] = seed, kind in ("plain", "wiser"), kind == "plain"
        run = tracer.Tracer(scene, camera, row, *size)
        started = time.process_time()
        run.run(samples)
        return run.frame().rgb.astype(float) / white, time.process_time() - started

    traced("ours", 1)
    kinds = ("ours", "plain", "wiser")
    pictures: dict[str, list] = {kind: [] for kind in kinds}
    for seed in range(runs):  # by turns, since a shared machine's speed changes
        for kind in kinds:
            pictures[kind].append(traced(kind, 5 + seed))
    variance = {kind: float(np.var([image for image, _ in made], axis=0, ddof=1).mean()) for kind, made in pictures.items()}
    cost = {kind: variance[kind] * sum(seconds for _, seconds in made) for kind, made in pictures.items()}
    return {
        "ratio": cost["plain"] / cost["ours"],
        "wiser": cost["wiser"] / cost["ours"],
        "error": variance["ours"] ** 0.5,
        "plain error": variance["plain"] ** 0.5,
    }


def kernel_seconds() -> dict[str, float]:
    """Of all kernels on a new machine: seconds until they are there (`wall`) and processor time in all processes (`compiled`); seconds to bring them
    into memory afterwards (`loaded`); and processor time after an edit of a lobe and of a node (`lobe`, `node`)."""
    package = Path(kernel_cache.PACKAGE)
    load = "import time;from aulmo.trace.compile import unit;s=time.perf_counter();unit.put_in_place(unit.all_units());print(time.perf_counter()-s)"
    found: dict[str, float] = {}
    with tempfile.TemporaryDirectory() as folder:
        copy = Path(folder) / "aulmo"
        shutil.copytree(package, copy, ignore=shutil.ignore_patterns("__pycache__", "thumbnails", "fonts"))
        settings = {**os.environ, "XDG_CACHE_HOME": f"{folder}/cache", "PYTHONPATH": folder}

        def compiled() -> tuple[float, float]:
            before, started = resource.getrusage(resource.RUSAGE_CHILDREN), time.perf_counter()
            subprocess.run([sys.executable, "-m", "aulmo.trace.warm_up"], check=True, capture_output=True, env=settings)
            after = resource.getrusage(resource.RUSAGE_CHILDREN)
            return time.perf_counter() - started, after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime

        found["wall"], found["compiled"] = compiled()
        done = subprocess.run([sys.executable, "-c", load], capture_output=True, text=True, check=True, env=settings)
        found["loaded"] = float(done.stdout.split()[-1])
        for name, file in (("lobe", "trace/material/openpbr.py"), ("node", "trace/pattern/nodes/colours.py")):
            with open(copy / file, "a") as source:
                source.write("\nONE_MORE = 1\n")
            found[name] = compiled()[1]
    return found


def clean_picture(document: Document, assets: AssetStore, samples: int = 24, truth_samples: int = 128) -> tuple[float, float, float, float]:
    """Seconds to a denoised 1280x720 picture, its mean error, the raw one's, and how long the raw one would take to that error."""
    size = (1280, 720)
    shot = document.shots[0]
    truth = tracer.render(document, assets, shot, size, RenderSettings(stop="samples", samples=truth_samples, denoise=False, seed=9))
    made = tracer.render(document, assets, shot, size, RenderSettings(stop="samples", samples=samples))
    assert truth is not None and made is not None
    floor = np.minimum(truth.raw, 4 * truth.white) + 0.05 * truth.white
    clean, raw = (float((np.abs(image - truth.raw) / floor).mean()) for image in (made.rgb, made.raw))
    return made.seconds, clean, raw, made.seconds * (raw / clean) ** 2


def window_seconds(cold: bool) -> float:
    """Seconds from starting a process to its window with a draft picture; `cold` with an empty kernel cache."""
    with tempfile.TemporaryDirectory() as folder:
        settings = {**os.environ, "QT_QPA_PLATFORM": "offscreen", "AULMO_LEAVE_AFTER_DRAFT": "1"}
        settings.pop("PYTHONDONTWRITEBYTECODE", None)  # no artist's machine has it, and it compiles every source at every start
        if cold:
            settings["XDG_CACHE_HOME"] = folder
        started = time.perf_counter()
        subprocess.run([sys.executable, "-m", "aulmo", "demo"], env=settings, check=True, capture_output=True)
        return time.perf_counter() - started


def _shares(told: Figures) -> None:
    for name, scene, least in (
        ("lantern", demo_project(), 0.40), ("million triangles", million(), 0.40), ("enclosed room", scenes.room(), 0.22),
    ):  # fmt: skip
        share, speed = ray_share(*scene)
        told.add(f"Path tracing share, {name}", share, "", f"the same rays through Embree alone, {speed:.2f} M/s", f">= {least:.2f}", share >= least)
    noded, hut = bench_nodes.share(*demo_project(), ray_share), ray_share(*scenes.room())[0]
    told.add("Path tracing share, thirty nodes on the tank", noded, "", f"the same rays through Embree alone; the hut has {hut:.2f}", "", None)


def _draft(told: Figures) -> None:
    for name, scene in (("lantern", demo_project()), ("million triangles", million())):
        rates, speed = paced(lambda scene=scene: draft_rate(*scene))
        for rate, hand in zip(rates, ("camera turned", "part pulled"), strict=True):
            words = f"at full pace; {rate:.3g} here at {speed:.2f} of it, build included"
            told.add(f"Draft 704x560, {name}, {hand}", rate / speed, "frames/s", words, ">= 20", rate / speed >= 20)
    for name, scene in (("lantern", demo_project()), ("cart", scenes.cart()), ("hut", scenes.room())):
        apart, before = draft_beside_traced(*scene)
        words = f"mean difference of luminance from a traced picture, shadows and shade; {before:.2f} without"
        told.add(f"Draft at rest beside the traced, {name}", apart, "", words, "< 0.1", apart < 0.1)


def _edits(told: Figures) -> None:
    lantern = demo_project()
    edits_, speed = paced(lambda: first_pixels(*lantern))
    for name, seconds in edits_.items():
        told.waited(f"Edit to first new pixels, {name}", seconds, speed, "median of 5", 0.1)
    solved, speed = paced(bench_lines.solve_seconds)
    told.waited("Camera found by twelve sight lines", solved, speed, "a pixel of noise on every end", 0.02)
    dragged, speed = paced(lambda: bench_decals.decal_drag(*lantern))
    told.waited("Decal dragged on a part, to the draft", dragged, speed, "704x560, placing and building included", 0.1)
    dearer = bench_decals.decal_cost(*lantern, picture_cost)
    told.add("Ten decals on the lantern's tank", dearer, "x", "a sample's cost against none", "<= 1.1", dearer <= 1.1)
    pictured, speed = paced(lambda: bench_nodes.preview_seconds(*lantern))
    told.waited("Pictures of thirty nodes after an edit", pictured, speed, "64 px each, on the lantern's tank", 0.1)
    for name, seconds in bench_light.drag_seconds(*demo_project()).items():
        words = f"{SIZE[0]}x{SIZE[1]}"
        told.add(f"One of ten softboxes dragged to first pixels, {name}", seconds, "s", words, "<= 0.1", seconds <= 0.1)


def _first(told: Figures) -> None:
    warm, speed = min((paced(lambda: window_seconds(False)) for _ in range(2)), key=lambda found: found[0])
    told.waited("Window up on the demo, warm", warm, speed, "process start to draft picture and exit", 2.5)
    cold, speed = paced(lambda: window_seconds(True))
    told.waited("First start ever, to a draft picture", cold, speed, "the same with an empty kernel cache", 15)
    found, speed = paced(kernel_seconds)
    words = f"empty cache, two processes; there after {found['wall']:.0f} s"
    told.waited("All kernels compiled on a new machine, processor time", found["compiled"], speed, words, 90)
    told.add("All kernels loaded from the cache", found["loaded"], "s", "the same a second time", "<= 2", found["loaded"] <= 2)
    for name in ("lobe", "node"):
        told.waited(f"Kernels compiled again after an edit of one {name}", found[name], speed, "processor time, both processes", 30)


def _memory(told: Figures) -> None:
    memory = memory_per_million()
    told.add("Memory for each million unique triangles", memory, "MB", "resident memory before and after", "<= 200", memory <= 200)
    copies = memory_of_copies()
    own = 10_000 * 4_600 / 1e6 * memory
    told.add("Memory of 10,000 copies of a part", copies, "MB", f"{own:.0f} MB if each had a mesh of its own", "", None)


def _noise(told: Figures) -> None:
    lantern = demo_project()
    for name, scene in (
        ("studio", scenes.studio()), ("glass", lantern), ("many lamps", scenes.lamp_field(200)), ("enclosed room", scenes.room()),
    ):  # fmt: skip
        found = variance_at_equal_time(*scene, 256)
        compared = f"plain estimator; error {found['error']:.3f}, {found['plain error']:.3f} of white; 256 samples"
        told.add(f"Variance at equal time, {name}", found["ratio"], "x lower", compared, ">= 10", found["ratio"] >= 10)
        told.add(f"The same, {name}", found["wiser"], "x lower", "plain estimator that chooses lobes as we do", "", None)
        few = variance_at_equal_time(*scene, 64)
        told.add(f"The same, {name}", few["ratio"], "x lower", "at 64 samples", "", None)
    seconds, clean, raw, raw_seconds = clean_picture(*lantern)
    told.add("Lantern 1280x720, 24 samples denoised", seconds, "s", f"error {100 * clean:.1f} % of 128 samples; raw {100 * raw:.1f} %", "", None)
    told.add("The same error without the denoiser", raw_seconds, "s", "scaled by the square of the error", "", None)
    for count in (4, 10):
        better, slower = bench_light.noise_beside_map(*demo_project(), count)
        words = f"at equal time; a sample costs {slower:.2f} x"
        told.add(f"Noise of {count} softboxes beside a baked 4k map", better, "x", words, ">= 1", better >= 1)


# by what each is asked for alone
GROUPS: dict[str, Callable[[Figures], None]] = {
    "share": _shares, "draft": _draft, "import": bench_desk.imports, "edit": _edits, "desk": bench_desk.run, "film": bench_film.run,
    "finish": bench_finish.run, "shelf": bench_shelf.run,
    "prepare": bench_prepare.run, "first": _first, "memory": _memory, "noise": _noise, "cost": lambda told: _costs(told.add),
}  # fmt: skip


def run(groups: Sequence[str] = (), kept: Path | None = None) -> list[dict]:
    """Measure some groups, or everything; print the figures, keep them as they are taken, and return them. Raises BadValue for no such group."""
    for name in groups:
        if name not in GROUPS:
            raise BadValue(f"There is no group {name} to measure; there are {', '.join(GROUPS)}.")
    told = Figures(kept)
    for name in groups or GROUPS:
        GROUPS[name](told)
    print(f"Peak memory of this run {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6:.1f} GB, {tracer.core_count()} cores")
    return told.taken


def _costs(add) -> None:
    """What a sample costs as scenes grow."""
    costs = {n: picture_cost(*scenes.sheet(n)) for n in (1_000, 10_000, 100_000, 1_000_000, 10_000_000)}
    for n, cost in costs.items():
        add(f"A pixel's sample with {n:,} triangles", cost, "ns", "all cores together", "", None)
    growth = costs[10_000_000] / costs[1_000]
    add("Cost of 10,000 times the triangles", growth, "x", "logarithm grows 2.33 x", "<= 2.33", growth <= 2.33)
    lit = {n: picture_cost(*scenes.lamp_field(n)) for n in (1, 10, 100, 1000)}
    for n, cost in lit.items():
        add(f"A pixel's sample with {n:,} lamps", cost, "ns", "all cores together", "", None)
    growth = lit[1000] / lit[1]
    add("Cost of 1000 times the lamps", growth, "x", "logarithm grows 10 x (base two)", "<= 10", growth <= 10)
    for size in ((176, 140), (352, 280), (704, 560), (1408, 1120)):
        add(f"A pixel's sample at {size[0]}x{size[1]}", picture_cost(*scenes.studio(), size=size), "ns", "all cores together", "", None)
    for count in (1, 4, 16, 64):
        add(f"A pixel's sample with {count} samples", picture_cost(*scenes.studio(), samples=count), "ns", "all cores together", "", None)
    few, copies = picture_cost(*scenes.balls(30)), picture_cost(*scenes.balls(10_000))
    add("A pixel's sample with 10,000 copies", copies, "ns", f"{few:.0f} ns with 30 parts", "", None)
