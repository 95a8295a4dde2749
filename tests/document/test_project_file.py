"""Saving is all or nothing; what is read is sound or gets one sentence."""

import io
import os
import signal
import subprocess
import sys
import time
import zipfile
from pathlib import Path

import msgspec
import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings, strategies as st
from msgspec.structs import replace

from aulmo.document import edits, project_file
from aulmo.document.assets import AssetStore
from aulmo.document.carry import carried
from aulmo.document.meshes import pack_mesh, unpack_mesh
from aulmo.document.records import Document
from aulmo.document.schema import schema
from aulmo.document.writing import write_atomically
from aulmo.errors import BadFile, CannotWrite
from document_saver import saver
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
        assert sorted(archive.namelist()) == sorted(["document.json", "saved.json", "assets/" + document.parts["ball"].mesh])


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
        (b'"name": "Odrel test"', b'"name": 5', "damaged at name"),
        (b'"schema_version": 10', b'"schema_version": 0', "damaged at schema_version"),
        (b'"position": [\n    0.0,\n    -200.0,', b'"position": [\n    0.0,\n    -1e300,', "position of Camera 1 has to lie between"),
        (b'"shutter":', b'"focal_length_mm": 0, "shutter":', "focal length of Camera 1 has to lie between 1 and 10000 mm"),
        (b'"shutter":', b'"f_stop": -2, "shutter":', "f-stop of Camera 1"),
        (b'"shutter": 0.06666666666666667', b'"shutter": 0', "shutter of Camera 1"),
        (b'"shutter":', b'"exposure_stops": 1e6, "shutter":', "exposure of Camera 1"),
        (b'"kind": "none"', b'"kind": "none", "material": "q"', "the floor wears a material"),
        (b'"kind": "none"', b'"kind": "none"}, "render": {"bounces": -1', "in all of the render"),
        (b'"kind": "none"', b'"kind": "none"}, "render": {"passes": ["magic"]', "damaged at render/passes"),
        (b'"surface": {}', b'"surface": {"specular_ior": 0}', "refraction of Plain"),
        (b'"name": "Plain"', b'"name": "Plain", "displacement_step": 1e-9', "cut of Plain"),
        (b'"name": "Ball"', b'"name": "Ball", "placement": {"scale": [0, 1, 1]}', "scale of Ball cannot be nothing"),
        (b'"kind": "none"', b'"kind": "none"}, "keys": {"cameras/c/colour": [{"time": 0, "value": 1}]', "no property cameras/c/colour"),
        (b'"kind": "none"', b'"kind": "none"}, "keys": {"cameras/c/roll": [{"time": 1, "value": 1}, {"time": 0, "value": 2}]', "order of time"),
        (b'"camera": "c"', b'"camera": "c", "overrides": {"floor/height": "high"}', "has to be a number"),
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
    project_file.save(document, assets, tmp_path / "a.aulmo")
    rewrite(tmp_path / "a.aulmo", lambda text: text.replace(b'"schema_version": 10', b'"schema_version": 109'))
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
        write_atomically(path, full)
    assert path.read_bytes() == before
    assert [p.name for p in tmp_path.iterdir()] == ["a.aulmo"]


def test_a_kill_during_saving_loses_nothing(tmp_path):
    target = tmp_path / "a.aulmo"
    for delay in (0.0, 0.05, 0.13, 0.21):
        child = saver(target)
        time.sleep(delay)
        child.send_signal(signal.SIGKILL)
        child.wait()
        document, assets = project_file.load(target)
        assert document.parts["ball"].name.startswith("Ball ")
        assert len(assets.mesh(document.parts["ball"].mesh).triangles) > 100_000


def test_the_schema_in_the_docs_is_the_records_own():
    import json
    from pathlib import Path

    written = json.loads((Path(__file__).parents[2] / "docs" / "file-format.schema.json").read_text())
    assert written == json.loads(json.dumps(schema()))


def test_a_project_of_version_1_is_carried_over(tmp_path):
    """A file kept from version 1: timed placements and views became keys, a shot's own floor and backdrop what differs in it."""
    from aulmo.document.properties import resolve

    document, assets = project_file.load(Path(__file__).parent / "kept" / "version-1.aulmo")
    assert document.name == "Kept from version 1" and document.parts["ball"].edge_radius == 0.4
    half = resolve(document, {}, 1.0)
    assert half.parts["ball"].placement.position == (20.0, 0.0, 15.0) and half.parts["ball"].placement.turn == (0.0, 0.0, 45.0)
    assert half.cameras["c"].position == (25.0, -200.0, 10.0) and half.cameras["c"].roll == 2.5
    night = resolve(document, {"shot": "s2"})
    assert night.floor.kind == "plain" and night.floor.height == 2.0 and document.materials[night.floor.material].name == "Oiled ash"
    assert night.backdrop.top == (0.02, 0.02, 0.03) and night.backdrop.kind == "colour"
    assert resolve(document, {"shot": "s"}).floor.kind == "cove"
    assert assets.get(document.lamps["l"].profile).startswith(b"IESNA")
    project_file.save(document, assets, tmp_path / "today.aulmo")
    again, _ = project_file.load(tmp_path / "today.aulmo")
    assert again == document and again.schema_version == 10


def test_nodes_of_version_2_take_the_names_of_the_standard():
    """What they give stays the same, with the values they had where they said nothing."""
    nodes = [
        {"id": "a", "kind": "noise", "inputs": {"size_mm": 4.0}},
        {"id": "b", "kind": "remap", "inputs": {"value": "@a", "in_low": 0.2, "out_high": 3.0}},
        {"id": "c", "kind": "mix", "inputs": {"first": 0.25, "amount": "@b"}},
        {"id": "d", "kind": "multiply", "inputs": {"second": "@c"}},
        {"id": "e", "kind": "facing", "inputs": {"power": 2.0}},
        {"id": "f", "kind": "add", "inputs": {"first": "@d", "second": "@e"}},
    ]
    raw = {"materials": {"m": {"id": "m", "name": "M", "nodes": nodes, "wires": {"base_color": "f"}}}}
    found = {n.id: n for n in msgspec.convert(carried(raw, 2, 3), Document).materials["m"].nodes}
    assert found["b"].kind == "range" and found["b"].inputs == {"in": "@a", "inlow": 0.2, "outhigh": 3.0}
    assert found["c"].inputs == {"bg": 0.25, "fg": (1.0, 1.0, 1.0), "mix": "@b"} and found["d"].inputs == {"in1": (1.0, 1.0, 1.0), "in2": "@c"}
    assert found["e"].kind == "facingratio" and found["f"].inputs == {"in1": "@d", "in2": "@e"}


def test_deleted_saved_taken_back_and_saved_again(tmp_path):
    """The file on disk no longer holds what was deleted; undo brings it back, and the next save has to find it."""
    document, assets = one_part(box_mesh())
    path = tmp_path / "a.aulmo"
    project_file.save(document, assets, path)
    document, assets = project_file.load(path)
    assets._blobs.clear()  # as when nobody has looked at it yet
    project_file.save(edits.delete_parts(document, ["ball"]), assets, path)
    project_file.save(document, assets, path)
    again, store = project_file.load(path)
    assert len(store.mesh(again.parts["ball"].mesh).triangles) == 12


def member(path, name: str, blob: bytes) -> None:
    """Put something into a project file."""
    with zipfile.ZipFile(path, "a", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr(name, blob)


def test_a_file_made_to_fill_the_machine_gets_a_sentence(tmp_path):
    document, assets = one_part(box_mesh())
    path = tmp_path / "a.aulmo"
    project_file.save(document, assets, path)
    member(path, "assets/" + "0" * 32 + ".mesh", bytes(200 << 20))  # 200 MB of nothing in 200 KB
    with pytest.raises(BadFile, match="would unpack to 0.2 GB"):
        project_file.load(path)


def test_a_description_that_is_there_twice_gets_a_sentence(tmp_path):
    document, assets = one_part(box_mesh())
    path = tmp_path / "a.aulmo"
    project_file.save(document, assets, path)
    with pytest.warns(UserWarning):
        member(path, "document.json", project_file.encode(document))
    with pytest.raises(BadFile, match="document.json twice"):
        project_file.load(path)


@pytest.mark.parametrize("text", [b"[" * 6_000_000, b'{"parts":' * 200_000, b'{"notes": [' + b'"x",' * 10 + b"]}"])
def test_a_description_nested_without_end_gets_a_sentence(text):
    with pytest.raises(BadFile, match="description is damaged"):
        project_file.decode(text, "deep.aulmo")


def test_a_chain_of_parts_without_end_gets_a_sentence(tmp_path):
    document, assets = one_part(box_mesh())
    parts = {
        f"p{k}": edits.Part(id=f"p{k}", name="P", parent=f"p{k - 1}" if k else None, children=(f"p{k + 1}",) if k < 49_999 else ())
        for k in range(50_000)
    }
    project_file.save(replace(document, parts=parts, roots=("p0",)), assets, tmp_path / "a.aulmo")
    with pytest.raises(BadFile, match="200 levels"):
        project_file.load(tmp_path / "a.aulmo")


@pytest.mark.parametrize("path", ["/dev/zero", "/dev", "/dev/null"])
def test_what_is_no_file_is_not_read(path):
    with pytest.raises(BadFile, match="is not a file"):
        project_file.load(path)


def test_a_stored_file_whose_content_changed_gets_a_sentence(tmp_path):
    document, assets = one_part(box_mesh())
    path = tmp_path / "a.aulmo"
    project_file.save(document, assets, path)
    other = pack_mesh(box_mesh(31.0))
    with zipfile.ZipFile(path) as archive:
        members = {n: other if n.startswith("assets/") else archive.read(n) for n in archive.namelist()}
    with zipfile.ZipFile(path, "w") as archive:
        for name, blob in members.items():
            archive.writestr(name, blob)
    with pytest.raises(BadFile, match="is damaged"):
        project_file.load(path)


def as_blob(**arrays) -> bytes:
    out = io.BytesIO()
    np.savez(out, **(box_mesh()._asdict() | arrays))
    return out.getvalue()


@pytest.mark.parametrize(
    "wrong",
    [
        {"triangles": np.array([[0, 1, -2]], np.int64)},
        {"triangles": np.array([[0.0, 1.0, 2.0]])},
        {"triangles": np.array([[0, 1, 24]], np.uint32)},
        {"triangles": np.zeros((0, 3), np.uint32)},
        {"normals": np.full((24, 3), np.nan, np.float32)},
        {"vertices": np.full((24, 3), np.inf, np.float32)},
        {"faces": np.full(7, 10**6, np.int32)},
        {"faces": np.full(12, -1, np.int32)},
        {"faces": np.full(12, 2**30, np.int32)},
        {"faces": np.zeros(12, np.float32)},
    ],
)
def test_a_mesh_that_cannot_be_gets_a_sentence(wrong):
    assert len(unpack_mesh(as_blob()).triangles) == 12
    with pytest.raises(BadFile, match="damaged"):
        unpack_mesh(as_blob(**wrong))


def test_saving_follows_a_link_keeps_the_mode_and_leaves_read_only_files_alone(tmp_path):
    document, assets = one_part(box_mesh())
    real, link = tmp_path / "real.aulmo", tmp_path / "link.aulmo"
    project_file.save(document, assets, real)
    link.symlink_to(real)
    real.chmod(0o600)
    project_file.save(replace(document, name="Again"), assets, link)
    assert link.is_symlink() and real.stat().st_mode & 0o777 == 0o600
    assert project_file.load(real)[0].name == "Again"
    real.chmod(0o400)
    with pytest.raises(CannotWrite, match="read-only"):
        project_file.save(document, assets, real)
    assert project_file.load(real)[0].name == "Again"
    (tmp_path / "folder.aulmo").mkdir()
    with pytest.raises(CannotWrite, match="no file"):
        project_file.save(document, assets, tmp_path / "folder.aulmo")


def test_what_killed_saves_left_is_swept_and_what_others_write_is_not(tmp_path):
    document, assets = one_part(box_mesh())
    dead = subprocess.Popen([sys.executable, "-c", ""])
    dead.wait()
    (tmp_path / f".saving-{dead.pid}-abc").write_bytes(b"half")
    (tmp_path / f".saving-{os.getppid()}-abc").write_bytes(b"under way")
    (tmp_path / ".saving-old").write_bytes(b"of an earlier Aulmo")
    os.utime(tmp_path / ".saving-old", (0, 0))
    project_file.save(document, assets, tmp_path / "a.aulmo")
    assert sorted(p.name for p in tmp_path.iterdir()) == [f".saving-{os.getppid()}-abc", "a.aulmo"]


def test_a_sky_of_version_3_is_a_ground_of_the_dome(tmp_path):
    from aulmo.document.carry import carried

    sky = {"turbidity": 5.0, "elevation": 12.0}
    assert carried({"environment": {"sky": dict(sky)}}, 3, 4)["environment"] == {"kind": "sky", "sky": sky}
    assert carried({"environment": {"image": "Loft", "sky": None}}, 3, 4)["environment"] == {"image": "Loft"}
