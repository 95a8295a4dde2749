"""Films: blur along true arcs against many stills, a film that is killed goes on at its sample, the demo films and what they promise."""

import json
import math
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace
from PIL import Image

from aulmo import script
from aulmo.command.bench_film import flicker, frame_overhead, wick
from aulmo.document import project_file
from aulmo.document.moving.movers import mover_of
from aulmo.document.moving.rolling import rolled
from aulmo.document.placement import world_matrix
from aulmo.document.properties import put_many, resolve
from aulmo.document.records import RenderSettings, Surface
from aulmo.motion.reel import frames, seen_at
from aulmo.motion.ways import camera_at
from aulmo.trace.scene import SceneBuilder
from aulmo.trace.tracer import render
from shapes import box_mesh, one_part

pytestmark = pytest.mark.long
DEMO = Path(__file__).parents[2] / "demo"


def test_blur_runs_along_the_arc_that_sixty_four_stills_show():
    document, assets = one_part(box_mesh(16.0), Surface(base_color=(0.7, 0.3, 0.1)))
    document = put_many(document, {"parts/ball/placement/position": (40.0, 0.0, 0.0), "cameras/c/shutter": 1.0, "cameras/c/motion_blur": True,
                                   "cameras/c/position": (0.0, 0.0, 260.0), "backdrop/kind": "colour"})  # fmt: skip
    document, _ = script.add_motion(document, "ball", "spin", length=1.0, degrees=150.0, axis="z", centre=(-40.0, 0.0, 0.0), ease="even")
    settings = RenderSettings(stop="samples", samples=512, denoise=False)
    shot, builder = document.shots[0], SceneBuilder(assets)
    blurred = render(document, assets, shot, (96, 72), settings, None, builder)
    sharp = put_many(document, {"cameras/c/motion_blur": False})
    few = replace(settings, samples=64)
    stills = [render(sharp, assets, shot, (96, 72), replace(few, seed=k), None, builder, None, (k + 0.5) / 64) for k in range(64)]
    mean = np.mean([s.rgb for s in stills], axis=0) / stills[0].white
    off = float(np.abs(blurred.rgb / blurred.white - mean).mean() / mean.mean())
    chord = render(put_many(document, {}), assets, shot, (96, 72), settings, None, builder, None, 0.0)
    print(f"blur against 64 stills: {100 * off:.2f} % of the mean light; alpha {float(chord.alpha.mean()):.3f}")
    assert off < 0.02


def test_a_film_that_is_killed_goes_on_and_is_the_same(tmp_path):
    document, assets = one_part(box_mesh(30.0), Surface(base_color=(0.6, 0.1, 0.1)), floor="plain")
    document = replace(document, frames_per_second=4.0, film=replace(document.film, end=1.0, play_end=1.0))
    document, _ = script.add_motion(document, "ball", "slide", length=1.0, distance_mm=40.0, axis="x")
    project_file.save(document, assets, tmp_path / "p.aulmo")

    def words(out: str) -> list[str]:
        more = ["--size", "160x120", "--samples", "400", "--raw", "--out", str(tmp_path / out)]
        return [sys.executable, "-m", "aulmo", "film", str(tmp_path / "p.aulmo"), *more]

    subprocess.run(words("whole"), check=True, capture_output=True)
    killed = 0
    for _ in range(40):
        process = subprocess.Popen(words("killed"), stdout=subprocess.PIPE, stderr=subprocess.PIPE)
        time.sleep(6.0)
        if process.poll() is not None:
            assert process.returncode == 0, process.stderr.read()
            break
        os.kill(process.pid, signal.SIGKILL)
        process.wait()
        killed += 1
    print(f"killed {killed} times")
    assert killed > 0
    for k in range(4):
        one, other = (np.asarray(Image.open(tmp_path / n / f"frame-{k:05d}.png")) for n in ("whole", "killed"))
        assert (one == other).all()
    assert len(json.loads((tmp_path / "killed" / "film.json").read_text())["frames"]) == 4


def test_the_lanterns_film_keeps_its_promises():
    document, assets = project_file.load(DEMO / "wick-film.aulmo")
    times = frames(document)
    assert len(times) == 200 and times[-1] == pytest.approx(7.96)
    assert {s.shot.name for t in times for s in seen_at(document, t)} == {"Hero", "Oil window"}
    assert any(len(seen_at(document, t)) == 2 for t in times)
    globe = next(p.id for p in document.parts.values() if p.name == "Globe")
    heights = [world_matrix(resolve(document, {}, t), globe)[2, 3] for t in times]
    assert heights[0] == heights[-1] and max(heights) > heights[0] + 40
    flame = next(p.id for p in document.parts.values() if p.name == "Flame")
    bright = [resolve(document, {}, t) for t in (0.0, 5.0)]
    glow = [d.materials[d.parts[flame].material].surface.emission_luminance for d in bright]
    assert glow[1] > 8 * glow[0]
    # nothing jerks: from frame to frame the camera never changes its pace by more than a few millimetres
    places = np.array([camera_at(document, "hero-camera", t).position for t in times])
    jerk = np.linalg.norm(np.diff(places, n=3, axis=0), axis=1)
    print(f"camera: {np.linalg.norm(np.diff(places, axis=0), axis=1).max():.1f} mm a frame at most, jerk {jerk.max():.2f} mm")
    assert jerk.max() < 3.0


def test_the_cart_rolls_without_slipping_and_its_axle_steers():
    document, _ = project_file.load(DEMO / "barrow-film.aulmo")
    mover = mover_of(document)
    for motion in [m for m in document.motions.values() if m.kind == "roll"]:
        wheel = motion.wears[0][6:]
        hub = np.array(motion.centre)
        places = []
        for t in np.linspace(0, 6, 3001):
            matrix = mover.world(document.parts[wheel].parent, float(t)) @ mover.local(wheel, float(t), before=motion)
            places.append(matrix[:3, :3] @ hub + matrix[:3, 3])
        fine, coarse = (np.linalg.norm(np.diff(np.array(places)[::k], axis=0), axis=1).sum() for k in (1, 2))
        run = (4 * fine - coarse) / 3
        angle = math.radians(rolled(mover, motion, wheel, 6.0))
        print(f"{document.parts[wheel].name}: {run:.3f} mm, slip {abs(abs(angle) * motion.radius_mm - run) / run:.1e}")
        assert abs(angle) * motion.radius_mm == pytest.approx(run, rel=5e-6)  # what front wheels scrub sideways counts in the run
    axle = next(p.id for p in document.parts.values() if p.name == "Front axle")
    turns = [resolve(document, {}, t).parts[axle].placement.turn[2] for t in np.linspace(0.2, 5.8, 29)]
    assert 2.0 < max(abs(v) for v in turns) < 15.0 and np.abs(np.diff(turns)).max() < 2.0


def test_a_frame_costs_its_still_and_a_still_film_is_still():
    document, assets = wick()
    dearer = frame_overhead(document, assets)
    held, free = flicker(document, assets, True), flicker(document, assets, False)
    print(f"a frame against its still {dearer:.3f}; flicker {1e4 * held:.2f} against {1e4 * free:.2f} of 10,000")
    assert held <= 0.5 * free
