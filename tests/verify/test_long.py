"""Proofs that take long; `./aulmo verify` runs them and prints their figures."""

import os
import signal
import subprocess
import sys
import time

import numpy as np
import pytest
from msgspec.structs import replace

from aulmo.document import edits, project_file, soundness
from aulmo.document.assets import AssetStore
from aulmo.document.records import Document, RenderSettings, Surface
from aulmo.errors import BadFile
from aulmo.prepare.import_file import import_file
from aulmo.surface import swatches
from aulmo.trace.tracer import render
from lobes import furnace, row_of
from shapes import one_part, sphere_mesh

pytestmark = pytest.mark.long


def test_two_hundred_random_materials_keep_their_energy():
    rng = np.random.default_rng(11)
    worst = 0.0
    for _ in range(200):
        u = rng.random(14)
        surface = Surface(
            base_color=(1, 1, 1), base_metalness=float(u[0] > 0.5) * u[1], specular_roughness=u[2], specular_ior=1.1 + u[3],
            transmission_weight=float(u[4] > 0.5) * u[5], coat_weight=float(u[6] > 0.5) * u[7], coat_roughness=u[8], base_diffuse_roughness=u[9],
            fuzz_weight=float(u[10] > 0.6) * u[11], fuzz_roughness=u[12], specular_roughness_anisotropy=float(u[13] > 0.7) * u[13],
        )  # fmt: skip
        row, table, films = row_of(surface)
        for mu in (0.2, 0.6, 0.95):
            worst = max(worst, abs(furnace(row, table, films, mu, False, 1 << 15) - 1.0))
    print(f"largest energy error of 200 random white materials: {100 * worst:.2f} %")
    assert worst < 0.03


@pytest.mark.parametrize("name", swatches.names())
def test_no_swatch_gives_back_more_than_it_got(name):
    surface = replace(swatches.material(name).surface, emission_luminance=0.0)
    row, table, films = row_of(surface)
    for mu in (0.1, 0.4, 0.9):
        assert furnace(row, table, films, mu, False, 1 << 14) < 1.035


def test_noise_on_the_lantern_falls_with_the_root_of_the_samples(lantern_project):
    document, assets = project_file.load(lantern_project)
    shot = document.shots[0]
    noise = []
    for samples in (32, 128, 512):
        done = render(document, assets, shot, (160, 200), RenderSettings(stop="samples", samples=samples, denoise=False))
        noise.append(done.noise)
    slope = np.polyfit(np.log([32, 128, 512]), np.log(noise), 1)[0]
    print(f"noise {', '.join(f'{100 * n:.1f} %' for n in noise)} at 32, 128, 512 samples; exponent {slope:.2f}")
    assert -0.62 < slope < -0.42


def test_denoised_error_against_a_long_reference(lantern_project):
    document, assets = project_file.load(lantern_project)
    shot = document.shots[0]
    truth = render(document, assets, shot, (140, 175), RenderSettings(stop="samples", samples=2000, denoise=False))
    quick = render(document, assets, shot, (140, 175), RenderSettings(stop="samples", samples=48))
    white = truth.white
    error = lambda a: float(np.mean(np.abs(np.minimum(a, white) - np.minimum(truth.rgb, white))) / np.mean(np.minimum(truth.rgb, white)))  # noqa: E731
    raw, clean = error(quick.raw), error(quick.rgb)
    print(f"lantern at 48 samples: mean error {100 * raw:.2f} % raw, {100 * clean:.2f} % denoised")
    assert clean < 0.5 * raw
    # no fireflies are left: no pixel stands far over all its neighbours
    light = quick.rgb.max(-1)
    around = np.max([np.roll(light, (dy, dx), (0, 1)) for dy in (-1, 0, 1) for dx in (-1, 0, 1) if dx or dy], axis=0)
    assert (light[2:-2, 2:-2] > 4 * around[2:-2, 2:-2] + 0.2 * white).sum() == 0


@pytest.mark.parametrize("seed", range(24))
def test_a_damaged_lantern_never_gets_past_the_reader(lantern_step, tmp_path, seed):
    rng = np.random.default_rng(seed)
    blob = bytearray(lantern_step.read_bytes())
    start = len(blob) - 200_000 if seed % 2 else 0
    for place in rng.integers(start, len(blob), 2 ** (seed % 12)):
        blob[place] = rng.integers(1, 255)
    if seed % 5 == 0:
        del blob[int(len(blob) * rng.random()) :]
    (tmp_path / "bad.step").write_bytes(bytes(blob))
    from aulmo.document.records import Finesse

    try:
        result = import_file(Document(), AssetStore(), tmp_path / "bad.step", Finesse(0.5, 30.0))
        soundness.check_links(result.document, "damaged")
    except BadFile as error:
        assert "bad.step" in str(error) and "\n" not in str(error)


def test_a_killed_render_leaves_no_half_picture(tmp_path):
    from aulmo.deliver.job import Job, past_jobs

    document, assets = one_part(sphere_mesh(), floor="plain")
    out = tmp_path / "a.png"
    for delay in (0.5, 2.0, 4.0):
        settings = RenderSettings(stop="samples", samples=100_000)
        job = Job.start(document, assets, document.shots[0], (800, 600), settings, out, tmp_path / "jobs")
        while not job.pid():
            time.sleep(0.05)
        time.sleep(delay)
        os.kill(job.pid(), signal.SIGKILL)
        while job.outcome in ("waiting", "running"):
            time.sleep(0.05)
        assert job.outcome == "failed" and not out.exists()
    assert len(past_jobs(tmp_path / "jobs")) == 3
    again, _ = project_file.load(job.folder / "project.aulmo")
    assert again.parts == document.parts  # the snapshot can be rendered again


def test_the_first_start_on_a_machine_shows_a_draft_soon(tmp_path):
    settings = {**os.environ, "QT_QPA_PLATFORM": "offscreen", "XDG_CACHE_HOME": str(tmp_path), "AULMO_LEAVE_AFTER_DRAFT": "1"}
    started = time.perf_counter()
    subprocess.run([sys.executable, "-m", "aulmo", "demo"], env=settings, check=True, timeout=120)
    print(f"first start with an empty kernel cache: {time.perf_counter() - started:.1f} s to a draft picture")
    subprocess.run([sys.executable, "-m", "aulmo", "demo"], env=settings, check=True, timeout=120)


def test_ten_thousand_copies_draw_as_fast_as_thirty_parts(tmp_path):
    """Draft frames per second of 10,000 instances in view against 30 separate parts."""
    from aulmo.document.records import Camera, Part, Placement, Shot
    from aulmo.trace import draft, tracer
    from aulmo.trace.camera_rows import camera_rows
    from aulmo.trace.options import options_row
    from aulmo.trace.scene import SceneBuilder

    rates = {}
    for count in (30, 10_000):
        document, assets = one_part(sphere_mesh(1.0, 16))
        mesh, side = document.parts["ball"].mesh, int(np.ceil(np.sqrt(count)))
        place = lambda k: Placement((300 / side * (k % side - side / 2), 300 / side * (k // side - side / 2), 0), scale=(60 / side,) * 3)  # noqa: E731
        copies = [Part(id=f"p{k}", name=f"P{k}", mesh=mesh, material="m", placement=place(k)) for k in range(count)]
        document = edits.add_parts(replace(document, parts={}, roots=()), copies, [c.id for c in copies])
        camera = Camera(id="c", name="c", position=(0, -380, 300), target=(0, 0, 0), focal_length_mm=50)
        document = edits.put_shot(edits.put_camera(document, camera), Shot(id="s", name="Shot 1", camera="c"))
        scene = SceneBuilder(assets).build(document)
        options = options_row(scene, document, camera, document.render)
        maps = draft.blur_environment(scene.arrays.env)
        row = camera_rows(camera, 704, 560)
        tracer.draw_draft(scene, row, options, maps, 704, 560)
        started = time.perf_counter()
        for _ in range(12):
            tracer.draw_draft(scene, row, options, maps, 704, 560)
        rates[count] = 12 / (time.perf_counter() - started)
    print(f"draft: {rates[30]:.1f} frames/s with 30 parts, {rates[10_000]:.1f} with 10,000 copies")
