"""Picture files read back by an independent reader; jobs that run, stop and tell."""

import json
import os
import signal
import time
from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace
from PIL import Image

from aulmo.deliver.encoding import display_picture, small_png
from aulmo.deliver.job import Job, file_name, free_path, past_jobs, reserved
from aulmo.deliver.picture_file import FILE_TYPES, type_of, write_picture
from aulmo.document.records import Backdrop, RenderSettings, Surface
from aulmo.errors import BadValue, CannotWrite
from aulmo.trace.tracer import render
from shapes import one_part, sphere_mesh


def picture(transparent: bool = False):
    """A small finished picture."""
    document, assets = one_part(sphere_mesh(), Surface(base_color=(0.7, 0.2, 0.1)))
    backdrop = Backdrop(kind="transparent") if transparent else Backdrop(kind="colour", top=(0.4, 0.4, 0.4))
    return render(replace(document, backdrop=backdrop), assets, document.shots[0], (80, 60), RenderSettings(stop="samples", samples=16))


def test_png_holds_the_view(tmp_path):
    made = picture()
    write_picture(made, tmp_path / "a.png")
    with Image.open(tmp_path / "a.png") as image:
        assert image.size == (80, 60) and image.mode == "RGB"
        got = np.asarray(image) / 255
    assert np.abs(got - display_picture(made)[..., :3]).max() < 1.6 / 255


def test_alpha_is_straight_and_only_there_when_wanted(tmp_path):
    write_picture(picture(True), tmp_path / "a.png")
    with Image.open(tmp_path / "a.png") as image:
        assert image.mode == "RGBA"
        pixels = np.asarray(image)
    assert pixels[0, 0, 3] == 0
    assert pixels[30, 40, 3] == 255
    edge = (pixels[..., 3] > 60) & (pixels[..., 3] < 200)
    assert edge.any()
    # straight alpha: the rim keeps the ball's red instead of fading to black
    assert pixels[edge][:, 0].astype(int).mean() > 1.2 * pixels[edge][:, 2].astype(int).mean()


def test_sixteen_bits_hold_more_than_eight(tmp_path):
    import OpenImageIO as oiio

    for name in ("a.tif", "b.png"):
        write_picture(picture(), tmp_path / name, "png16" if name.endswith("png") else None)
        source = oiio.ImageInput.open(str(tmp_path / name))
        assert str(source.spec().format) == "uint16"
        assert len(np.unique(source.read_image("uint16"))) > 400
        source.close()


def test_exr_holds_the_light_itself_with_its_layers(tmp_path):
    import OpenImageIO as oiio

    made = picture()
    for kind, depth in (("exr", "half"), ("exr32", "float")):
        write_picture(made, tmp_path / "a.exr", kind)
        source = oiio.ImageInput.open(str(tmp_path / "a.exr"))
        spec = source.spec()
        pixels = source.read_image("float")
        names = list(spec.channelnames)
        source.close()
        assert str(spec.format) == depth
        assert {"R", "G", "B", "A", "raw.R", "albedo.G", "normal.Z"} <= set(names)
        np.testing.assert_allclose(pixels[..., names.index("G")], made.rgb[..., 1] / made.white, rtol=2e-3, atol=1e-4)
        assert spec.getattribute("chromaticities")[0] == pytest.approx(0.713)


def test_jpeg_has_no_alpha(tmp_path):
    write_picture(picture(True), tmp_path / "a.jpg")
    with Image.open(tmp_path / "a.jpg") as image:
        assert image.mode == "RGB"


def test_a_name_without_a_picture_suffix_says_so(tmp_path):
    with pytest.raises(BadValue, match="should end in"):
        type_of(tmp_path / "a.doc")
    assert type_of(Path("a.PNG"), "png16") == "png16"
    assert type_of(Path("a.tiff")) == "tif"


def test_a_folder_that_is_not_there_says_so(tmp_path):
    with pytest.raises(CannotWrite, match="could not be written"):
        write_picture(picture(), tmp_path / "no" / "a.png")


def test_a_thumbnail_keeps_the_shape(tmp_path):
    (tmp_path / "t.png").write_bytes(small_png(np.full((300, 900, 3), 0.5, np.float32), 320))
    with Image.open(tmp_path / "t.png") as image:
        assert max(image.size) <= 320 and image.size[0] == pytest.approx(3 * image.size[1], abs=2)


def test_names_never_overwrite(tmp_path):
    document, _ = one_part(sphere_mesh())
    settings = RenderSettings(folder=str(tmp_path), file_type="tif")
    first = file_name(document, document.shots[0], settings)
    assert first.name == "Odrel test Shot 1.tif"
    first.touch()
    assert file_name(document, document.shots[0], settings).name == "Odrel test Shot 1 2.tif"
    assert {known.ending for known in FILE_TYPES.values()} == {".png", ".tif", ".jpg", ".webp", ".exr", ".ora"}


def wait_for(job: Job, seconds: float = 90.0) -> None:
    """Until the job is no longer waiting or under way."""
    deadline = time.monotonic() + seconds
    while job.outcome in ("waiting", "running") and time.monotonic() < deadline:
        time.sleep(0.05)
    assert job.outcome not in ("waiting", "running")


def wait_until(holds, seconds: float = 90.0) -> None:
    """Until something holds."""
    deadline = time.monotonic() + seconds
    while not holds() and time.monotonic() < deadline:
        time.sleep(0.02)
    assert holds()


@pytest.mark.processes
def test_a_job_renders_its_snapshot_in_its_own_process(tmp_path):
    document, assets = one_part(sphere_mesh(), floor="plain")
    out = tmp_path / "done.png"
    job = Job.start(document, assets, document.shots[0], (64, 48), RenderSettings(stop="samples", samples=24), out, tmp_path / "jobs")
    assert job.outcome in ("waiting", "running")
    wait_for(job)
    assert job.outcome == "done", job.complaint()
    assert job.result()["samples"] == 24
    assert job.picture_path().name == "thumbnail.png"
    with Image.open(out) as image:
        assert image.size == (64, 48)
    (again,) = past_jobs(tmp_path / "jobs")
    assert again.record.settings["samples"] == 24 and again.outcome == "done"


def test_a_job_can_be_cancelled_and_leaves_no_file(tmp_path):
    document, assets = one_part(sphere_mesh(), floor="plain")
    out = tmp_path / "never.png"
    job = Job.start(document, assets, document.shots[0], (1600, 1200), RenderSettings(stop="samples", samples=16000), out, tmp_path / "jobs")
    deadline = time.monotonic() + 60
    while not job.state() and time.monotonic() < deadline:
        time.sleep(0.1)
    state = job.state()
    assert 0 <= state["share"] < 0.5
    job.cancel()
    wait_for(job)
    assert job.outcome == "cancelled"
    assert not out.exists()


def test_a_job_that_fails_says_why(tmp_path):
    document, assets = one_part(sphere_mesh())
    (tmp_path / "away").mkdir()
    job = Job.start(
        document, assets, document.shots[0], (16, 12), RenderSettings(stop="samples", samples=1), tmp_path / "away" / "a.png", tmp_path / "jobs"
    )
    (tmp_path / "away").rmdir()
    wait_for(job)
    assert job.outcome == "failed"
    assert "away" in job.complaint()
    with pytest.raises(BadValue, match="no folder"):
        Job.start(document, assets, document.shots[0], (16, 12), RenderSettings(), tmp_path / "away" / "a.png", tmp_path / "jobs")


def test_damaged_job_folders_are_passed_over(tmp_path):
    (tmp_path / "x").mkdir()
    (tmp_path / "x" / "job.json").write_text("{")
    (tmp_path / "y").mkdir()
    (tmp_path / "y" / "job.json").write_text(json.dumps({"odd": 1}))
    assert past_jobs(tmp_path) == []


def test_a_stopped_render_goes_on_and_ends_in_the_same_picture(tmp_path):
    document, assets = one_part(sphere_mesh(), Surface(base_color=(0.7, 0.2, 0.1)), floor="plain")
    settings = RenderSettings(stop="samples", samples=60, denoise=False)
    shot, size = document.shots[0], (160, 120)
    job = Job.start(document, assets, shot, size, settings, tmp_path / "a.png", tmp_path / "jobs")
    deadline = time.monotonic() + 120
    while job.state().get("samples", 0) < 6 and time.monotonic() < deadline:
        time.sleep(0.05)
    job.cancel()
    wait_for(job)
    assert job.outcome == "cancelled" and job.can_go_on and not (tmp_path / "a.png").exists()
    job.go_on()
    wait_for(job)
    assert job.outcome == "done" and not job.can_go_on
    whole = Job.start(document, assets, shot, size, settings, tmp_path / "b.png", tmp_path / "jobs")
    wait_for(whole)
    with Image.open(tmp_path / "a.png") as one, Image.open(tmp_path / "b.png") as other:
        np.testing.assert_array_equal(np.asarray(one), np.asarray(other))


def started(tmp_path, samples=100_000):
    """A long render under way, as its own window has it."""
    document, assets = one_part(sphere_mesh(), Surface(base_color=(0.7, 0.2, 0.1)), floor="plain")
    settings = RenderSettings(stop="samples", samples=samples, denoise=False)
    job = Job.start(document, assets, document.shots[0], (200, 150), settings, tmp_path / "a.png", tmp_path / "jobs")
    deadline = time.monotonic() + 120
    while job.state().get("samples", 0) < 4 and time.monotonic() < deadline:
        time.sleep(0.05)
    return job, document, assets


def test_a_render_of_an_earlier_window_is_seen_under_way_and_not_started_twice(tmp_path):
    job, document, _ = started(tmp_path)
    (seen,) = past_jobs(tmp_path / "jobs")  # another window, which has no handle on the process
    assert seen.is_running and seen.outcome == "running" and not seen.can_go_on
    with pytest.raises(BadValue, match="under way already"):
        seen.go_on()
    settings = RenderSettings(folder=str(tmp_path))
    taken = reserved(tmp_path / "jobs")
    assert taken == {tmp_path / "a.png"}
    assert free_path(tmp_path / "a.png", taken) == tmp_path / "a 2.png"
    assert file_name(document, document.shots[0], settings, None, taken) not in taken
    seen.cancel()  # the word reaches the process whoever started it
    wait_for(job)
    assert seen.outcome == "cancelled"


@pytest.mark.processes
def test_a_killed_render_says_what_can_be_done_and_is_taken_up(tmp_path, monkeypatch):
    monkeypatch.setenv("AULMO_KEEP_FIRST", "0.2")
    job, _, _ = started(tmp_path, 300)
    deadline = time.monotonic() + 60
    while not list((job.folder / "keep").glob("*.state")) and time.monotonic() < deadline:
        time.sleep(0.05)
    os.kill(job.pid(), signal.SIGKILL)
    wait_for(job)
    (seen,) = past_jobs(tmp_path / "jobs")
    assert seen.outcome == "failed" and seen.can_go_on
    assert "ended from outside" in seen.complaint() and "Go on" in seen.complaint()
    seen.go_on()
    wait_until(lambda: job.is_running)
    with pytest.raises(BadValue, match="under way already"):
        job.go_on()
    seen.cancel()
    wait_for(seen)
