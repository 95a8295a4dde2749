"""The bench of films: what a moment costs, how the draft plays, what a frame costs beside its still, how still a still film is."""

import statistics
import tempfile
import time
from pathlib import Path

import numpy as np
from msgspec.structs import replace

from aulmo.command.pace import Figures, paced
from aulmo.deliver.film import plan, render_film
from aulmo.document.assets import AssetStore
from aulmo.document.project_file import load
from aulmo.document.properties import resolve
from aulmo.document.records import Document
from aulmo.trace import tracer
from aulmo.trace.camera_rows import camera_row
from aulmo.trace.compile.arrays import OPT_ENV_SCALE
from aulmo.trace.draft import DomeMaps
from aulmo.trace.options import options_row
from aulmo.trace.scene import SceneBuilder
from aulmo.trace.shade import Shades

DEMO = Path(__file__).parents[3] / "demo"
SIZE, TRACED = (704, 424), (320, 180)


def wick() -> tuple[Document, AssetStore]:
    """The lantern's film."""
    return load(DEMO / "wick-film.aulmo")


def barrow() -> tuple[Document, AssetStore]:
    """The cart's film."""
    return load(DEMO / "barrow-film.aulmo")


def playback_rate(document: Document, assets: AssetStore, count: int = 24) -> float:
    """Frames a second of a film drawn as drafts, moments resolved and scenes built included."""
    builder, maps, shades, shot = SceneBuilder(assets), DomeMaps(), Shades(), document.shots[0]
    film = document.film

    def frame(k: int) -> None:
        now = resolve(document, {"shot": shot.id}, film.start + (film.end - film.start) * (k + 0.5) / count)
        camera = now.cameras[shot.camera]
        scene = builder.build(now, tables=False, camera=camera)
        options = options_row(scene, now, camera, now.render)
        dome = maps.of(scene.arrays, options[OPT_ENV_SCALE])
        shades.take_first(scene)
        tracer.draw_draft(scene, camera_row(camera, *SIZE), options, dome, *SIZE, True, shades.under(dome, scene.arrays.env_turn))

    frame(0)
    frame(1)
    started = time.perf_counter()
    for k in range(count):
        frame(k)
    return count / (time.perf_counter() - started)


def frame_overhead(document: Document, assets: AssetStore, count: int = 3) -> float:
    """A film's seconds for each frame, files and all, as a ratio to the same stills one after the other with a scene that is kept."""
    settings = replace(document.render, stop="samples", samples=16, finished=False)
    planned = [f for f in plan(document) if 0.4 < f.time < 2.4][:: max(1, round(50 / count))][:count]
    builder = SceneBuilder(assets)
    size = TRACED

    def stills() -> float:
        started = time.perf_counter()
        for frame in planned:
            tracer.render(document, assets, frame.seen[0].shot, size, settings, None, builder, None, frame.time)
        return time.perf_counter() - started

    def film() -> float:
        with tempfile.TemporaryDirectory() as folder:
            started = time.perf_counter()
            render_film(document, assets, planned, size, settings, Path(folder) / "out", builder=builder)
            return time.perf_counter() - started

    stills()
    ratios = [film() / stills() for _ in range(2)]
    return statistics.mean(ratios)


def flicker(document: Document, assets: AssetStore, linked: bool, count: int = 3) -> float:
    """How much a film of something still changes from frame to frame: the mean over pixels of the standard deviation over time, in shares of white.
    The camera drifts by less than a pixel so that no two frames are the very same. Unlinked frames have patterns of samples of their own."""
    shot = document.shots[0]
    bare = replace(document, keys={}, motions={})
    camera = bare.cameras[shot.camera]
    pictures = []
    builder = SceneBuilder(assets)
    for k in range(count):
        moved = replace(camera, position=(camera.position[0] + 0.02 * k, *camera.position[1:]))
        now = replace(bare, cameras={**bare.cameras, camera.id: moved})
        settings = replace(document.render, stop="samples", samples=16, seed=0 if linked else 1000 + k)
        made = tracer.render(now, assets, shot, TRACED, settings, None, builder)
        assert made is not None
        pictures.append(np.minimum(made.rgb / made.white, 1.0))
    return float(np.std(pictures, axis=0).mean())


def run(figures: Figures) -> None:
    """Measure films and tell the figures."""
    for name, opened in (("cart", barrow), ("lantern", wick)):
        document, assets = opened()
        rate, speed = paced(lambda: playback_rate(document, assets))
        told = f"at full pace, {SIZE[0]}x{SIZE[1]}; {rate:.3g} here at {speed:.2f} of it, resolving and building included"
        figures.add(f"A film played in the draft, {name}", rate / speed, "frames/s", told, ">= 12", rate / speed >= 12)
    dearer = frame_overhead(document, assets)
    figures.add("A film's frame against the same still", dearer, "x", "320x180, 16 samples, cleaned, written", "<= 1.1", dearer <= 1.1)
    held, free = flicker(document, assets, True), flicker(document, assets, False)
    told = f"deviation over time {1e4 * held:.2f} against {1e4 * free:.2f} of 10,000"
    figures.add("Flicker of a still film, of unlinked frames'", held / free, "x", told, "<= 0.5", held <= 0.5 * free)
