"""The list of renders under a hundred kills, and what a range costs beside its stills."""

import os
import random
import signal
import statistics
import time
from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace
from PIL import Image

from aulmo import script
from aulmo.deliver import runner, waking
from aulmo.deliver.job import Job, add, film_record, jobs
from aulmo.deliver.stills import plan, render_stills
from aulmo.document import project_file, variants
from aulmo.document.records import RenderSettings, Surface
from aulmo.trace.scene import SceneBuilder
from aulmo.trace.tracer import render
from shapes import one_part, sphere_mesh

pytestmark = pytest.mark.long
KILLS = 100
DEMO = Path(__file__).parents[2] / "demo"


def pixels(path: Path) -> np.ndarray:
    with Image.open(path) as image:
        return np.asarray(image)


def killed_now_and_then(job: Job, kills: int, chance: random.Random) -> int:
    """Kill a job's process so many times at random moments, now and then with its runner; returns how many there were."""
    done = 0
    deadline = time.monotonic() + 1800
    while job.outcome != "done" and time.monotonic() < deadline:
        waking.wake(job.folder.parent)
        if job.outcome in ("failed", "cancelled"):
            job.go_on()
        wait = time.monotonic() + 20
        while not job.pid() and job.outcome not in ("done", "failed") and time.monotonic() < wait:
            time.sleep(0.02)
        if done < kills and job.pid():
            time.sleep(chance.uniform(1.2, 5.0))
            process = job.pid()
            if process:
                if chance.random() < 0.3:
                    for held in Path("/proc").iterdir():
                        if held.name.isdigit() and _is_runner(held, job.folder.parent):
                            os.kill(int(held.name), signal.SIGKILL)
                try:
                    os.kill(process, signal.SIGKILL)
                    done += 1
                except ProcessLookupError:
                    pass
        else:
            time.sleep(0.2)
    return done


def _is_runner(process: Path, folder: Path) -> bool:
    try:
        words = (process / "cmdline").read_bytes()
    except OSError:
        return False
    return b"aulmo.deliver.runner" in words and str(folder).encode() in words


def test_a_hundred_kills_of_stills_and_films_change_no_bit(tmp_path):
    document, assets = one_part(sphere_mesh(), Surface(base_color=(0.7, 0.2, 0.1)), floor="plain")
    document = replace(document, frames_per_second=10.0)
    document = script.add_key(script.add_key(document, "parts/ball/placement/position/x", 0.0, 0.0), "parts/ball/placement/position/x", 1.0, 40.0)
    settings, shot = RenderSettings(stop="samples", samples=600, denoise=False), document.shots[0]
    chance, kills = random.Random(20), 0
    whole = Job.start(document, assets, shot, (320, 240), settings, tmp_path / "whole.png", tmp_path / "jobs", wake=False)
    runner.run(tmp_path / "jobs")
    assert whole.outcome == "done"
    round_ = 0
    while kills < KILLS // 2:
        job = Job.start(document, assets, shot, (320, 240), settings, tmp_path / f"still {round_}.png", tmp_path / "jobs")
        kills += killed_now_and_then(job, 10, chance)
        assert job.outcome == "done", job.complaint()
        np.testing.assert_array_equal(pixels(Path(job.record.out)), pixels(tmp_path / "whole.png"))
        round_ += 1
        print(f"{kills} kills, {round_} renders", flush=True)
    few = replace(settings, samples=160)
    straight = add(document, assets, film_record(document, shot, (160, 120), few, tmp_path / "whole", (0.0, 1.0)), tmp_path / "jobs")
    killed_now_and_then(straight, 0, chance)
    assert straight.outcome == "done", straight.complaint()
    while kills < KILLS:
        job = add(document, assets, film_record(document, shot, (160, 120), few, tmp_path / f"film {round_}", (0.0, 1.0)), tmp_path / "jobs")
        kills += killed_now_and_then(job, 10, chance)
        assert job.outcome == "done", job.complaint()
        for k in range(10):
            frame = f"frame-{k:05d}.png"
            np.testing.assert_array_equal(pixels(tmp_path / f"film {round_}" / frame), pixels(tmp_path / "whole" / frame))
        round_ += 1
        print(f"{kills} kills, {round_} renders", flush=True)
    print(f"{kills} kills over {round_} renders: every picture to the bit; {len(jobs(tmp_path / 'jobs'))} jobs in the list")


def test_a_range_costs_what_its_stills_are_traced_for(tmp_path):
    document, assets = project_file.load(DEMO / "wick-range.aulmo")
    rows = variants.every(document, ["Colour", "Trim", "Set"])
    settings, size = replace(document.render, stop="samples", samples=16), (240, 300)
    ratios = []
    for k in range(2):
        builder = SceneBuilder(assets)
        seconds = {"range": 0.0, "stills": 0.0}

        def stills(builder=builder) -> None:
            for row in rows:
                of = variants.chosen(document, row)
                render(of, assets, of.shots[0], size, settings, builder=builder)

        def ranged(k=k) -> None:
            folder = tmp_path / str(k)
            folder.mkdir()
            wanted = plan(document, rows, "{Colour} {Trim} {Set}", folder, "png", size)
            assert render_stills(document, assets, wanted, size, settings).made == 12

        stills()
        for name, run in (("stills", stills), ("range", ranged)) if k else (("range", ranged), ("stills", stills)):
            began = time.perf_counter()
            run()
            seconds[name] = time.perf_counter() - began
        ratios.append(seconds["range"] / seconds["stills"])
    print(f"a range of 12 cells: {statistics.mean(ratios):.3f} times its twelve stills with a scene that is kept {ratios}")
