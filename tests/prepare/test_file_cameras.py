"""Cameras that a file holds come in once, stand where they stood to the parts, and are told of when a revision moves them."""

import math
import re

import numpy as np
import pytest

import reading_here
from aulmo import script
from aulmo.document.placement import world_matrix
from engineering import machine, send
from gltf_files import SQUARE, Gltf


@pytest.fixture(scope="module", autouse=True)
def _here():
    with reading_here.in_this_process():
        yield


def file(path, at=(0.1, 0.3, 0.6), second=False):
    made = Gltf()
    place = made.accessor(SQUARE), made.accessor(np.array([0, 1, 2, 0, 2, 3], np.uint32))
    made.part([{"attributes": {"POSITION": place[0]}, "indices": place[1]}], "Plate", translation=[0.2, 0.1, 0.0])
    made.json["cameras"] = [
        {"type": "perspective", "perspective": {"yfov": 2 * math.atan(12 / 50), "aspectRatio": 1.5, "znear": 0.1}},
        {"type": "orthographic", "orthographic": {"xmag": 0.15, "ymag": 0.1, "znear": 0.1, "zfar": 9.0}},
    ]
    cameras = [{"name": "Front", "camera": 0, "translation": list(at)}] + [{"name": "Flat", "camera": 1, "translation": [0, 0, 2]}] * second
    for node in cameras:
        made.json["nodes"].append(node)
        made.json["scenes"][0]["nodes"].append(len(made.json["nodes"]) - 1)
    return made.write(path)


def named(document, name):
    return next(c for c in document.cameras.values() if c.name == name)


def test_a_camera_stands_to_the_part_as_it_did_in_the_file(tmp_path):
    document, assets = script.import_model(file(tmp_path / "a.gltf"))
    plate = next(p for p in document.parts.values() if p.mesh)
    corner = world_matrix(document, plate.id)[:3, 3]
    camera = named(document, "Front")
    # in the file the camera stands at (0.1, 0.3, 0.6) m, the plate's corner at (0.2, 0.1, 0), y up: in mm with z up
    assert np.array(camera.position) - corner == pytest.approx([-100, -600, 200], abs=1e-3)
    ahead = np.array(camera.target) - np.array(camera.position)
    assert ahead / np.linalg.norm(ahead) == pytest.approx([0, 1, 0], abs=1e-6)
    assert camera.focal_length_mm == pytest.approx(50.0, rel=1e-4) and camera.roll == pytest.approx(0.0, abs=1e-6)


def test_a_parallel_camera_shows_as_much_as_in_the_file(tmp_path):
    document, _ = script.import_model(file(tmp_path / "a.gltf", second=True))
    assert named(document, "Flat").projection == "parallel" and named(document, "Flat").span_mm == pytest.approx(300.0)


def test_a_revision_brings_new_cameras_once_and_tells_of_moved_ones(tmp_path):
    path = file(tmp_path / "a.gltf")
    document, assets = script.import_model(path)
    before = named(document, "Front")
    file(path, at=(0.4, 0.3, 0.6), second=True)
    made, report = script.relink(document, assets, path)
    assert named(made, "Front") == before and named(made, "Flat").projection == "parallel"
    assert any("Front stands elsewhere" in n for n in report["notes"]) and any("Flat came along" in n for n in report["notes"])
    again, report = script.relink(made, assets, path)
    assert len(again.cameras) == len(made.cameras) and not any("elsewhere" in n or "came along" in n for n in report["notes"])


def test_a_camera_of_a_usd_stage_comes_along(tmp_path):
    from pxr import Gf, Usd, UsdGeom

    stage = Usd.Stage.CreateNew(str(tmp_path / "a.usda"))
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.z)
    UsdGeom.SetStageMetersPerUnit(stage, 0.001)
    UsdGeom.Cube.Define(stage, "/Box").CreateSizeAttr(20.0)
    camera = UsdGeom.Camera.Define(stage, "/Seen")
    camera.CreateHorizontalApertureAttr(36.0)
    camera.CreateFocalLengthAttr(85.0)
    UsdGeom.Xformable(camera).AddTransformOp().Set(Gf.Matrix4d(1.0).SetTranslate(Gf.Vec3d(0, 0, 500)))
    stage.Save()
    document, _ = script.import_model(tmp_path / "a.usda")
    found = named(document, "Seen")
    assert found.focal_length_mm == pytest.approx(85.0, rel=1e-4) and np.subtract(found.target, found.position)[2] < 0


def test_a_camera_that_cannot_be_is_left_out(tmp_path):
    path = file(tmp_path / "a.gltf")
    path.write_text(path.read_text().replace('"yfov": ', '"yfov": -'))
    document, _ = script.import_model(path)
    assert all(c.name != "Front" for c in document.cameras.values())


def with_views(path):
    """A STEP file with two saved views, as AP242 has them: one from the front, seen from above, and a parallel one from the right, rolled by 90°."""
    text = send(path, machine()).read_text()
    context = re.search(r"#(\d+) = \( GEOMETRIC_REPRESENTATION_CONTEXT", text)[1]
    last = max(int(n) for n in re.findall(r"#(\d+) *=", text))
    lines = [
        "CARTESIAN_POINT('',(10.,-20.,60.))", "DIRECTION('',(0.,-0.8,0.6))", "DIRECTION('',(1.,0.,0.))", "AXIS2_PLACEMENT_3D('',#1,#2,#3)",
        "CARTESIAN_POINT('',(0.,0.,200.))", "CARTESIAN_POINT('',(-40.,-30.,0.))", "AXIS2_PLACEMENT_3D('',#6,$,$)", "PLANAR_BOX('',80.,60.,#7)",
        "VIEW_VOLUME(.CENTRAL.,#5,0.,0.,.F.,0.,.F.,.F.,#8)", "CAMERA_MODEL_D3('Front, from above',#4,#9)",
        "CARTESIAN_POINT('',(300.,0.,20.))", "DIRECTION('',(1.,0.,0.))", "DIRECTION('',(0.,0.,1.))", "AXIS2_PLACEMENT_3D('',#11,#12,#13)",
        "CARTESIAN_POINT('',(0.,0.,0.))", "VIEW_VOLUME(.PARALLEL.,#15,0.,0.,.F.,0.,.F.,.F.,#8)", "CAMERA_MODEL_D3('From the right',#14,#16)",
        "CAMERA_MODEL_D3('Broken',#14,$)", f"DRAUGHTING_MODEL('',(#10,#17,#18),@{context})",
    ]  # fmt: skip
    told = [re.sub(r"#(\d+)", lambda m: f"#{int(m[1]) + last}", line).replace("@", "#") for line in lines]
    more = "".join(f"#{last + k} = {line};\n" for k, line in enumerate(told, 1))
    head, _, tail = text.rpartition("ENDSEC;")
    path.write_text(f"{head}{more}ENDSEC;{tail}")
    return path


def test_saved_views_of_a_step_file_come_in_as_cameras(tmp_path):
    document, _ = script.import_model(with_views(tmp_path / "views.step"))
    base = next(p for p in document.parts.values() if p.name == "Base")
    origin = world_matrix(document, base.id)[:3, 3]
    front, right = named(document, "Front, from above"), named(document, "From the right")
    assert len(document.cameras) == 2 + len(script.import_model(send(tmp_path / "bare.step", machine()))[0].cameras)
    assert np.array(front.position) - origin == pytest.approx([10, -20 - 160, 60 + 120], abs=1e-3)  # 200 mm before the view plane
    ahead = np.array(front.target) - np.array(front.position)
    assert ahead / np.linalg.norm(ahead) == pytest.approx([0, 0.8, -0.6], abs=1e-6) and front.roll == pytest.approx(0, abs=1e-6)
    assert front.focal_length_mm == pytest.approx(front.sensor_mm * 200 / 80, rel=1e-5)
    assert right.projection == "parallel" and right.span_mm == pytest.approx(80) and abs(abs(right.roll) - 90) < 1e-4
