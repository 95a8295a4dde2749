"""The list of renders: its order, what is wanted of it, and that nothing is lost whatever happens to it."""

import json
import os
import signal
import time
from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace
from PIL import Image

from aulmo import script
from aulmo.deliver import runner, waking
from aulmo.deliver.job import Job, add, estimate, film_record, jobs, move, range_record, reserved
from aulmo.deliver.stills import plan, render_stills
from aulmo.document import variants
from aulmo.document.locks import claimed
from aulmo.document.records import RenderSettings, Surface
from aulmo.errors import BadValue
from shapes import one_part, sphere_mesh

FEW = RenderSettings(stop="samples", samples=2, denoise=False)


def scene():
    """A ball in two colours and two sizes."""
    document, assets = one_part(sphere_mesh(), Surface(base_color=(0.7, 0.2, 0.1)), floor="plain")
    document = script.add_choice(document, "Colour", "Red", {})
    document = script.add_choice(document, "Colour", "Green", {"materials/m/surface/base_color": (0.05, 0.5, 0.1)})
    document = script.add_choice(document, "Size", "Whole", {})
    return script.add_choice(document, "Size", "Small", {"parts/ball/placement/scale": (0.5, 0.5, 0.5)}), assets


def queued(tmp_path: Path, name: str = "a", settings: RenderSettings = FEW, size=(48, 36), **more) -> Job:
    document, assets = scene()
    return Job.start(document, assets, document.shots[0], size, settings, tmp_path / f"{name}.png", tmp_path / "jobs", wake=False, **more)


def until(holds, seconds: float = 90.0) -> None:
    deadline = time.monotonic() + seconds
    while not holds() and time.monotonic() < deadline:
        time.sleep(0.02)
    assert holds()


def pixels(path: Path) -> np.ndarray:
    with Image.open(path) as image:
        return np.asarray(image)[..., :3].astype(int)


def test_jobs_are_taken_in_the_order_that_the_hand_gave_them(tmp_path):
    one, two, three = (queued(tmp_path, name) for name in "abc")
    two.pause()
    move(three, -2)
    assert [j.name for j in jobs(tmp_path / "jobs")] == [three.name, one.name, two.name]
    runner.run(tmp_path / "jobs")
    assert [j.outcome for j in (one, two, three)] == ["done", "paused", "done"]
    assert (three.folder / "done.json").stat().st_mtime_ns < (one.folder / "done.json").stat().st_mtime_ns
    assert not (tmp_path / "b.png").exists() and reserved(tmp_path / "jobs") == {tmp_path / "b.png"}
    with pytest.raises(BadValue, match="waits"):
        move(one, 1)
    two.go_on(wake=False)
    runner.run(tmp_path / "jobs")
    assert two.outcome == "done" and two.result()["samples"] == 2


def test_what_waits_is_changed_and_begins_not_before_its_hour(tmp_path):
    job = queued(tmp_path)
    job.change(width=40, height=30, settings={"samples": 3})
    job.want(not_before=time.time() + 1.5)
    began = time.monotonic()
    runner.run(tmp_path / "jobs")
    assert time.monotonic() - began > 1.4 and job.outcome == "done"
    assert pixels(tmp_path / "a.png").shape == (30, 40, 3) and job.result()["samples"] == 3
    with pytest.raises(BadValue, match="not begun"):
        job.change(width=10)


def test_a_list_halts_after_what_is_under_way_and_a_second_runner_leaves_it_alone(tmp_path):
    job = queued(tmp_path)
    waking.set_rules(tmp_path / "jobs", waking.Rules(halt=True))
    runner.run(tmp_path / "jobs")
    assert job.outcome == "waiting"
    waking.set_rules(tmp_path / "jobs", waking.Rules())
    lock = claimed(tmp_path / "jobs" / "runner.lock")
    assert waking.is_awake(tmp_path / "jobs")
    runner.run(tmp_path / "jobs")  # another holds the list
    assert job.outcome == "waiting"
    lock.close()
    with pytest.raises(BadValue, match="at once"):
        waking.set_rules(tmp_path / "jobs", waking.Rules(at_once=0))


@pytest.mark.processes
def test_a_range_is_one_job_and_goes_on_after_a_kill_with_what_is_missing(tmp_path):
    document, assets = scene()
    rows = variants.every(document, ["Colour", "Size"])
    settings = RenderSettings(stop="samples", samples=40, denoise=False)
    (tmp_path / "out").mkdir()
    wanted = plan(document, rows, "{Colour} {Size}", tmp_path / "out", "png", (96, 72))
    job = add(document, assets, range_record(document, wanted, tmp_path / "out", (96, 72), settings), tmp_path / "jobs", wake=False)
    waking.wake(tmp_path / "jobs")
    until(lambda: job.state().get("done", 0) >= 1 and job.pid())
    first = (tmp_path / "out" / "Red Whole.png").stat().st_mtime_ns
    os.kill(job.pid(), signal.SIGKILL)
    until(lambda: job.outcome == "failed")
    assert "Go on" in job.complaint() and job.can_go_on
    job.go_on()
    until(lambda: job.outcome == "done")
    assert job.result()["files"] == 4 and (tmp_path / "out" / "Red Whole.png").stat().st_mtime_ns == first
    (tmp_path / "at once").mkdir()
    again = plan(document, rows, "{Colour} {Size}", tmp_path / "at once", "png", (96, 72))
    render_stills(document, assets, again, (96, 72), settings)
    for still in again:
        np.testing.assert_array_equal(pixels(still.out), pixels(tmp_path / "out" / still.out.name))
    assert np.abs(pixels(tmp_path / "out" / "Red Whole.png") - pixels(tmp_path / "out" / "Green Whole.png")).max() > 60


@pytest.mark.processes
def test_a_machine_that_was_switched_off_takes_up_what_was_under_way(tmp_path, monkeypatch):
    monkeypatch.setenv("AULMO_KEEP_FIRST", "0.2")
    job = queued(tmp_path, settings=replace(FEW, samples=80), size=(128, 96))
    waking.wake(tmp_path / "jobs")
    until(lambda: list((job.folder / "keep").glob("*.state")))
    job_process = job.pid()
    mine = [int(p.name) for p in Path("/proc").iterdir() if p.name.isdigit() and str(tmp_path / "jobs").encode() in _command(p)]
    for process in {*mine, job_process}:  # runner and job at once, as when the power goes
        os.kill(process, signal.SIGKILL)
    until(lambda: not job.is_running and not waking.is_awake(tmp_path / "jobs"))  # a dead process holds its locks until its last thread has gone
    assert job.outcome == "waiting"
    runner.run(tmp_path / "jobs")
    assert job.outcome == "done"
    whole = queued(tmp_path, "b", replace(FEW, samples=80), (128, 96))
    runner.run(tmp_path / "jobs")
    assert whole.outcome == "done"
    np.testing.assert_array_equal(pixels(tmp_path / "a.png"), pixels(tmp_path / "b.png"))


def _command(process: Path) -> bytes:
    try:
        return (process / "cmdline").read_bytes()
    except OSError:
        return b""


def test_a_still_of_a_variant_and_a_film_are_jobs_too(tmp_path):
    document, assets = scene()
    document = script.add_key(script.add_key(document, "parts/ball/placement/position/x", 0.0, 0.0), "parts/ball/placement/position/x", 0.2, 30.0)
    document = replace(document, frames_per_second=10.0)
    shot = document.shots[0]
    record = film_record(document, shot, (48, 36), FEW, tmp_path / "film", (0.0, 0.2), {"Colour": "Green"})
    film = add(document, assets, record, tmp_path / "jobs", wake=False)
    still = Job.start(document, assets, shot, (48, 36), FEW, tmp_path / "still.png", tmp_path / "jobs", 0.1, {"Colour": "Green"}, wake=False)
    runner.run(tmp_path / "jobs")
    assert film.outcome == still.outcome == "done", film.complaint() + still.complaint()
    np.testing.assert_array_equal(pixels(tmp_path / "film" / "frame-00001.png"), pixels(tmp_path / "still.png"))
    assert film.result()["files"] == 2 and film.picture_path() is not None
    assert estimate(replace_width(still, 96), jobs(tmp_path / "jobs")) == pytest.approx(2 * still.result()["seconds"], rel=1e-6)


def replace_width(job: Job, width: int) -> Job:
    return Job(job.folder, replace(job.record, width=width))


def test_again_is_as_it_was_or_as_the_project_is_now(tmp_path):
    job = queued(tmp_path)
    document, assets = scene()
    document = replace(document, materials={**document.materials, "m": replace(document.materials["m"], surface=Surface(base_color=(0.0, 0.0, 0.9)))})
    runner.run(tmp_path / "jobs")
    then, now = job.again(), job.again(document, assets)
    until(lambda: then.outcome == now.outcome == "done")
    assert Path(then.record.out).name == "a 2.png" and Path(now.record.out).name == "a 3.png"
    np.testing.assert_array_equal(pixels(tmp_path / "a.png"), pixels(tmp_path / "a 2.png"))
    assert np.abs(pixels(tmp_path / "a.png") - pixels(tmp_path / "a 3.png")).max() > 60


def test_a_damaged_job_is_set_aside_with_a_sentence(tmp_path):
    job, other = queued(tmp_path), queued(tmp_path, "b")
    (job.folder / "job.json").write_text("{ nonsense")
    runner.run(tmp_path / "jobs")
    broken = next(j for j in jobs(tmp_path / "jobs") if j.name == job.name)
    assert broken.outcome == "broken" and "damaged" in broken.complaint() and other.outcome == "done"
    broken.remove()
    assert [j.name for j in jobs(tmp_path / "jobs")] == [other.name]


@pytest.mark.processes
def test_a_deleted_job_ends(tmp_path):
    long = queued(tmp_path, "c", replace(FEW, samples=100_000), (160, 120))
    waking.wake(tmp_path / "jobs")
    until(lambda: bool(long.state()))
    process = long.pid()
    import shutil

    shutil.rmtree(long.folder, ignore_errors=True)
    until(lambda: not Path(f"/proc/{process}").exists() or b"Z" in Path(f"/proc/{process}/stat").read_bytes()[:40])
    assert not (tmp_path / "c.png").exists()
    until(lambda: not waking.is_awake(tmp_path / "jobs"))


def test_a_variant_that_hides_everything_and_a_full_disk_are_sentences(tmp_path, monkeypatch):
    document, assets = scene()
    document = script.add_choice(document, "Show", "Nothing", {"parts/ball/visible": False})
    shot = document.shots[0]
    job = Job.start(document, assets, shot, (48, 36), FEW, tmp_path / "a.png", tmp_path / "jobs", variant={"Show": "Nothing"}, wake=False)
    runner.run(tmp_path / "jobs")
    assert job.outcome == "failed" and job.complaint() == "Nothing hides every part; there is nothing to render."
    wanted = plan(document, variants.every(document, ["Colour"]), "{Colour}", tmp_path, "png", (48, 36))
    monkeypatch.setattr("aulmo.deliver.stills.shutil.disk_usage", lambda path: type("Usage", (), {"free": 1000})())
    with pytest.raises(Exception, match="is full; make room"):
        render_stills(document, assets, wanted, (48, 36), FEW)


def test_the_state_files_are_plain_and_old_jobs_are_still_read(tmp_path):
    old = tmp_path / "jobs" / "20260101-000000-aaaa"
    old.mkdir(parents=True)
    record = {"shot": "Shot 1", "width": 10, "height": 10, "out": str(tmp_path / "x.png"), "settings": {}, "started": 1.0, "time": 0.0}
    (old / "job.json").write_text(json.dumps(record))
    (old / "done.json").write_text(json.dumps({"samples": 5, "noise": 0.1, "seconds": 3.0}))
    (job,) = jobs(tmp_path / "jobs")
    assert job.outcome == "done" and job.record.title == "Shot 1" and job.result()["samples"] == 5
