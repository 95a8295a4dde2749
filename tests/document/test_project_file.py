"""Saving is all or nothing; what is read is sound or gets one sentence."""

import os
import signal
import subprocess
import sys
import time
import zipfile

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from aulmo.document import edits, project_file
from aulmo.document.assets import AssetStore, pack_mesh, unpack_mesh
from aulmo.errors import BadFile, CannotWrite
from shapes import box_mesh, one_part


def test_a_project_comes_back_as_it_was(tmp_path):
    document, assets = one_part(box_mesh())
    project_file.save(document, assets, tmp_path / "a.aulmo", b"picture")
    again, store = project_file.load(tmp_path / "a.aulmo")
    assert again == document
    np.testing.assert_array_equal(store.mesh(again.parts["ball"].mesh).vertices, assets.mesh(document.parts["ball"].mesh).vertices)
    assert project_file.read_thumbnail(tmp_path / "a.aulmo") == b"picture"


def test_only_what_is_used_is_stored(tmp_path):
    document, assets = one_part(box_mesh())
    assets.add(b"left over", ".bin")
    project_file.save(document, assets, tmp_path / "a.aulmo")
    with zipfile.ZipFile(tmp_path / "a.aulmo") as archive:
        assert sorted(archive.namelist()) == sorted(["document.json", "assets/" + document.parts["ball"].mesh])


def test_the_same_mesh_is_stored_once():
    assets = AssetStore()
    assert assets.add_mesh(box_mesh()) == assets.add_mesh(box_mesh())


@pytest.mark.parametrize(
    ("content", "words"),
    [(b"", "not an Aulmo project"), (b"not a zip at all", "not an Aulmo project"), (b"PK\x03\x04broken", "not an Aulmo project")],
)
def test_what_is_no_project_gets_a_sentence(tmp_path, content, words):
    (tmp_path / "bad.aulmo").write_bytes(content)
    with pytest.raises(BadFile, match=words):
        project_file.load(tmp_path / "bad.aulmo")


def rewrite(path, change) -> None:
    """Change the document.json inside a project."""
    with zipfile.ZipFile(path) as archive:
        members = {n: archive.read(n) for n in archive.namelist()}
    members["document.json"] = change(members["document.json"])
    with zipfile.ZipFile(path, "w") as archive:
        for name, blob in members.items():
            archive.writestr(name, blob)


@pytest.mark.parametrize(
    ("old", "new", "words"),
    [
        (b'"roots": [\n  "ball"\n ]', b'"roots": [\n  "gone"\n ]', "tree"),
        (b'"camera": "c"', b'"camera": "q"', "no camera"),
        (b'"material": "m"', b'"material": "q"', "wears a material"),
        (b'"width": 80', b'"width": -1', "frame size"),
        (b'"name": "Odrel test"', b'"name": 5', "damaged"),
    ],
)
def test_a_project_whose_links_are_broken_gets_a_sentence(tmp_path, old, new, words):
    document, assets = one_part(box_mesh())
    path = tmp_path / "a.aulmo"
    project_file.save(document, assets, path)

    def change(text):
        assert old in text, text[:1500]
        return text.replace(old, new)

    rewrite(path, change)
    with pytest.raises(BadFile, match=words):
        project_file.load(path)


def test_a_newer_format_says_so(tmp_path):
    document, assets = one_part(box_mesh())
    project_file.save(replace(document, schema_version=1), assets, tmp_path / "a.aulmo")
    rewrite(tmp_path / "a.aulmo", lambda text: text.replace(b"{", b'{"schema_version": 99,', 1))
    with pytest.raises(BadFile, match="newer Aulmo"):
        project_file.load(tmp_path / "a.aulmo")


def test_a_missing_mesh_gets_a_sentence(tmp_path):
    document, assets = one_part(box_mesh())
    project_file.save(document, assets, tmp_path / "a.aulmo")
    with zipfile.ZipFile(tmp_path / "a.aulmo") as archive:
        text = archive.read("document.json")
    with zipfile.ZipFile(tmp_path / "b.aulmo", "w") as archive:
        archive.writestr("document.json", text)
    with pytest.raises(BadFile, match="1 of the files"):
        project_file.load(tmp_path / "b.aulmo")


@given(place=st.integers(0, 4000), value=st.integers(0, 255), cut=st.integers(0, 3000))
@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_a_damaged_project_never_crashes(tmp_path, place, value, cut):
    document, assets = one_part(box_mesh())
    path = tmp_path / "fuzz.aulmo"
    project_file.save(document, assets, path)
    blob = bytearray(path.read_bytes())
    blob[place % len(blob)] = value
    path.write_bytes(bytes(blob[: len(blob) - cut % len(blob) if cut % 3 == 0 else len(blob)]))
    try:
        project_file.load(path)
    except BadFile as error:
        assert str(error).endswith(".")


@given(st.binary(max_size=200))
@settings(max_examples=40, deadline=None)
def test_a_damaged_mesh_never_crashes(noise):
    blob = pack_mesh(box_mesh())
    with pytest.raises(BadFile):
        unpack_mesh(noise)
    with pytest.raises(BadFile):
        unpack_mesh(blob[: len(blob) // 2] + noise)


def test_a_folder_that_cannot_be_written_leaves_the_old_file(tmp_path):
    document, assets = one_part(box_mesh())
    with pytest.raises(CannotWrite, match="could not be written"):
        project_file.save(document, assets, tmp_path / "nowhere" / "a.aulmo")


def test_a_full_disk_leaves_the_old_file(tmp_path):
    document, assets = one_part(box_mesh())
    path = tmp_path / "a.aulmo"
    project_file.save(document, assets, path)
    before = path.read_bytes()

    def full(file):
        file.write(b"half")
        raise OSError(28, "No space left on device")

    with pytest.raises(CannotWrite, match="No space left"):
        project_file.write_atomically(path, full)
    assert path.read_bytes() == before
    assert [p.name for p in tmp_path.iterdir()] == ["a.aulmo"]


SAVER = """
import sys
sys.path[:0] = {paths!r}
from shapes import one_part, sphere_mesh
from aulmo.document import edits, project_file
from pathlib import Path
document, assets = one_part(sphere_mesh(20, 200))
print("ready", flush=True)
k = 0
while True:
    k += 1
    project_file.save(edits.change_part(document, "ball", name=f"Ball {{k}}"), assets, Path({target!r}))
"""


def test_a_kill_during_saving_loses_nothing(tmp_path):
    target = tmp_path / "a.aulmo"
    paths = [str(p) for p in (os.path.dirname(os.path.dirname(__file__)), *sys.path)]
    for delay in (0.0, 0.05, 0.13, 0.21):
        child = subprocess.Popen([sys.executable, "-c", SAVER.format(paths=paths, target=str(target))], stdout=subprocess.PIPE, text=True)
        child.stdout.readline()
        deadline = time.monotonic() + 20
        while not target.exists() and time.monotonic() < deadline:
            time.sleep(0.005)
        time.sleep(delay)
        child.send_signal(signal.SIGKILL)
        child.wait()
        document, assets = project_file.load(target)
        assert document.parts["ball"].name.startswith("Ball ")
        assert len(assets.mesh(document.parts["ball"].mesh).triangles) > 100_000


JOURNALLER = """
import sys
sys.path[:0] = {paths!r}
from shapes import one_part, box_mesh
from aulmo.document import edits, project_file
from pathlib import Path
import os, signal
document, assets = one_part(box_mesh())
journal = project_file.Journal(Path({folder!r}))
journal.note(edits.change_part(document, "ball", name="Unsaved"), assets, Path("/somewhere/a.aulmo"))
os.kill(os.getpid(), signal.SIGKILL)
"""


def test_unsaved_work_is_found_again_after_a_kill(tmp_path):
    paths = [str(p) for p in (os.path.dirname(os.path.dirname(__file__)), *sys.path)]
    done = subprocess.run([sys.executable, "-c", JOURNALLER.format(paths=paths, folder=str(tmp_path))])
    assert done.returncode == -signal.SIGKILL
    (found,) = project_file.left_behind(tmp_path)
    document, assets, path = project_file.recover(found)
    assert document.parts["ball"].name == "Unsaved"
    assert len(assets.mesh(document.parts["ball"].mesh).triangles) == 12
    assert str(path) == "/somewhere/a.aulmo"
    project_file.discard(found)
    assert project_file.left_behind(tmp_path) == []


def test_a_journal_that_was_closed_is_not_offered(tmp_path):
    document, assets = one_part(box_mesh())
    journal = project_file.Journal(tmp_path)
    journal.note(document, assets, None)
    assert project_file.left_behind(tmp_path) == []  # this process still runs
    journal.close()
    assert not list(tmp_path.iterdir())


def test_the_schema_in_the_docs_is_the_records_own():
    import json
    from pathlib import Path

    import msgspec

    written = json.loads((Path(__file__).parents[2] / "docs" / "file-format.schema.json").read_text())
    assert written == json.loads(json.dumps(msgspec.json.schema(edits.Document)))
