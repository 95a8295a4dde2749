"""What goes out of the house: no name runs anything, leads anywhere, or takes a file along that nobody brought in."""

import csv
import io
import json
import re
from pathlib import Path
from types import SimpleNamespace

import pytest
from msgspec.structs import replace

from aulmo.command.main import main
from aulmo.deliver.collect import gathered
from aulmo.deliver.finished import file_of
from aulmo.deliver.naming import Named, file_names
from aulmo.deliver.page import page_of
from aulmo.deliver.parts_list import table
from aulmo.document import edits, project_file
from aulmo.document.meshes import digest_of_file
from aulmo.document.records import RenderSettings, Shot, Source
from shapes import box_mesh, one_part

EVIL = (
    "</script><script>alert(1)</script>", "%ABOUT%", "%TITLE%", "{{ policy }}", "{% include 'hand.js' %}", "<!--<script>", "\u2028'\"&", "%POLICY%",
)


@pytest.mark.parametrize("name", EVIL)
@pytest.mark.parametrize("page", ["turntable", "sphere"])
def test_a_name_stays_a_name_in_a_page(page, name):
    about = {"axes": [{"name": name, "choices": [name]}], "variants": [{"picks": {name: name}, "files": [["a.jpg"]]}], "picture": name, "rows": [0]}
    text = page_of(page, name, about, {"background": "#202020", "ink": "#f2f2f2"})
    assert text.count("<script") == 1 and text.count("</script") == 1 and text.count("<!--") == 0
    assert json.loads(text.split("const about = ")[1].split(";\n")[0]) == about
    policy = re.search(r'Content-Security-Policy" content="([^"]+)"', text)[1]
    assert "default-src 'none'" in policy and "unsafe" not in policy and "script-src 'sha256-" in policy


def test_a_table_runs_nothing():
    cells = ["=cmd|' /C calc'!A0", "+1+1", "-2+3", "@SUM(A1)", "\t=1", "Plain", "-12.5", "1e-3"]
    (found,) = csv.reader(io.StringIO(table([cells]).decode("utf-8-sig")))
    assert [cell[:1] for cell in found[:5]] == ["'"] * 5 and found[5:] == cells[5:]


def named(project: str, *shots: str):
    document, assets = one_part(box_mesh())
    document = replace(document, name=project, shots=())
    for k, name in enumerate(shots):
        document = edits.put_shot(document, Shot(f"s{k}", name, "c", 16, 12))
    return document, assets


@pytest.mark.parametrize("project", ["../../evil", "/tmp/evil", "a\0b", "..", ""])
def test_whatever_a_project_is_called_its_pictures_lie_in_the_folder(tmp_path, project):
    document, _ = named(project, "A/B", "A:B", "../A", "Hero", "Hero")
    files = [file_of(document, shot, tmp_path, RenderSettings()) for shot in document.shots]
    assert len({str(f).casefold() for f in files}) == 5 and all(f.resolve().parent == tmp_path.resolve() for f in files)
    names = file_names("{project} {shot} {number}", [Named(document, s, {}, (8, 6), number=k) for k, s in enumerate(document.shots)], ".png")
    assert all((tmp_path / name).resolve().parent == tmp_path.resolve() for name in names)


def test_shots_that_differ_in_signs_alone_are_finished_into_files_of_their_own(tmp_path, capsys):
    document, assets = named("../evil", "A/B", "A:B")
    document = replace(document, render=RenderSettings(stop="samples", samples=1, denoise=False))
    (tmp_path / "in").mkdir()
    project_file.save(document, assets, tmp_path / "in" / "p.aulmo")
    (tmp_path / "in" / "out").mkdir()
    assert main(["finish", str(tmp_path / "in" / "p.aulmo"), "--all", "--out", str(tmp_path / "in" / "out")]) == 0
    assert len(list((tmp_path / "in" / "out").iterdir())) == 2 and [p.name for p in tmp_path.iterdir()] == ["in"]


def test_only_what_was_read_is_collected(tmp_path):
    document, assets = named("P", "Hero")
    key, model, other = tmp_path / "id_key", tmp_path / "a.step", tmp_path / "b.step"
    for path in (key, model, other):
        path.write_text(f"contents of {path.name}")
    sources = {
        "k": Source("k", "id_key", str(key), digest=digest_of_file(key)), "m": Source("m", "a.step", str(model), digest=digest_of_file(model)),
        "o": Source("o", "b.step", str(other)), "c": Source("c", "a.step", str(model), digest="0" * 64),
    }  # fmt: skip
    going, notes = gathered(replace(document, sources=sources), assets)
    assert [one.source for one in going] == [model]
    assert sum("left out" in note for note in notes) == 3


# films lie beside folders that are somebody's own




def test_a_film_leaves_a_folder_of_its_frames_name_as_it_was(tmp_path):
    from aulmo.deliver.film import plan, render_film

    document, assets = named("P", "Hero")
    theirs = tmp_path / "a.gif.frames"
    theirs.mkdir()
    (theirs / "frame-00000.png").write_bytes(b"precious")
    few = RenderSettings(stop="samples", samples=1, denoise=False)
    made = render_film(document, assets, plan(document, numbers=(0, 1)), (16, 12), few, tmp_path / "a.gif")
    assert made.made == 2 and (tmp_path / "a.gif").stat().st_size > 100
    assert (theirs / "frame-00000.png").read_bytes() == b"precious" and sorted(p.name for p in tmp_path.iterdir()) == ["a.gif", "a.gif.frames"]
    from aulmo.errors import CannotWrite

    with pytest.raises(CannotWrite, match="frame-00000.png is in .* already"):
        render_film(document, assets, plan(document, numbers=(0, 1)), (16, 12), few, theirs)
    assert (theirs / "frame-00000.png").read_bytes() == b"precious"


def test_frames_are_finished_in_the_folder_they_lie_in(tmp_path):
    from aulmo.deliver.film import plan, render_film
    from aulmo.deliver.finished import finish_frames

    document, assets = named("P", "Hero")
    few = RenderSettings(stop="samples", samples=1, denoise=False, file_type="exr")
    folder = tmp_path / "F"
    render_film(document, assets, plan(document, numbers=(0, 1)), (16, 12), few, folder, "exr")
    listed = (folder / "film.json").read_bytes()
    made = finish_frames(document, assets, folder, folder, RenderSettings())
    assert made.made == 2 and (folder / "film.json").read_bytes() == listed
    assert finish_frames(document, assets, folder, folder, RenderSettings()).kept == 2
    again = render_film(document, assets, plan(document, numbers=(0, 1)), (16, 12), few, folder, "exr")
    assert (again.made, again.kept) == (0, 2)
    assert sorted(p.suffix for p in folder.iterdir()) == [".exr", ".exr", ".json", ".json", ".png", ".png"]


# jobs that cannot be begun


def test_a_job_that_cannot_be_begun_waits_longer_each_time_and_holds_up_no_other(tmp_path, monkeypatch):
    from aulmo.deliver import runner, troubles
    from aulmo.deliver.job import Job

    document, assets = named("P", "Hero")
    few = RenderSettings(stop="samples", samples=1, denoise=False)
    bad, good = (
        Job.start(document, assets, document.shots[0], (16, 12), few, tmp_path / f"{n}.png", tmp_path / "jobs", wake=False) for n in ("bad", "good")
    )
    began: list[str] = []

    def begin(job):
        began.append(job.name)
        if job.name == bad.name:
            raise OSError(30, "Read-only file system")
        return real(job)

    real = runner.begin
    monkeypatch.setattr(runner, "begin", begin)
    monkeypatch.setattr(troubles, "FIRST_WAIT", 3600.0)
    import threading

    at_work = threading.Thread(target=runner.run, args=(tmp_path / "jobs",), daemon=True)
    at_work.start()
    import time

    until = time.monotonic() + 150
    while good.outcome != "done" and time.monotonic() < until:
        time.sleep(0.05)
    assert good.outcome == "done" and began.count(bad.name) == 1 and bad.outcome == "waiting"
    assert "Read-only file system" in bad.trouble.sentence
    bad.cancel()
    at_work.join(20)
    first = troubles.note(bad.folder, "again")
    assert first.times == 2 and first.again > troubles.note(bad.folder, "again").again - 2 * 3600 * 2
    assert troubles.told(bad.trouble).startswith("Tried 3 times, again at") and "Read-only" not in troubles.told(bad.trouble)
    troubles.forget(bad.folder)
    assert bad.trouble is None


def test_what_keeps_a_job_from_beginning_is_told_when_its_folder_takes_no_files(tmp_path, monkeypatch):
    from aulmo.deliver import troubles

    monkeypatch.setattr("tempfile.tempdir", str(tmp_path))
    job = tmp_path / "gone" / "job"  # where nothing can be written
    assert troubles.note(job, "The disk is full.").times == 1
    assert troubles.trouble_of(job).sentence == "The disk is full." and not job.exists()
    assert list(Path(tmp_path).glob("aulmo-troubles-*/*.json"))


@pytest.mark.processes
def test_a_runner_that_fails_is_started_again_after_ever_longer_waits_and_one_that_is_done_at_once(tmp_path, monkeypatch):
    from aulmo.deliver import runner, waking

    now, started = [0.0], []
    monkeypatch.setattr(runner.time, "monotonic", lambda: now[0])

    def begun(code):
        monkeypatch.setattr(runner.subprocess, "Popen", lambda words, **more: started.append(now[0]) or SimpleNamespace(poll=lambda: code))

    begun(2)
    for tenth in range(300):  # half a minute of a window that looks ten times a second
        now[0] = tenth / 10
        waking.wake(tmp_path)
    assert started == [0.0, 1.0, 3.0, 7.0, 15.0]
    now[0] = 1000.0
    begun(0)
    for _ in range(3):  # each did all there was to do
        waking.wake(tmp_path)
    assert started[5:] == [1000.0] * 3


# films that are none


def test_a_session_description_called_a_film_opens_no_port(tmp_path):
    import socket

    from aulmo.document.moving.footage import about_blob
    from aulmo.errors import BadFile

    ear = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
    ear.bind(("127.0.0.1", 0))
    said = f"v=0\no=- 0 0 IN IP4 127.0.0.1\ns=x\nc=IN IP4 127.0.0.1\nt=0 0\nm=video {ear.getsockname()[1]} RTP/AVP 96\na=rtpmap:96 H264/90000\n"
    playlist = "#EXTM3U\n#EXTINF:1,\nhttp://127.0.0.1:1/a.ts\n"
    for blob in (said.encode(), playlist.encode(), b"ffconcat version 1.0\nfile /etc/passwd\n"):
        with pytest.raises(BadFile, match="^a.mp4 cannot be read as a film"):
            about_blob(blob, "a.mp4")
