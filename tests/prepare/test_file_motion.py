"""Movement that comes with glTF and USD files becomes keys of the parts."""

import numpy as np
import pytest

from aulmo.document.assets import AssetStore
from aulmo.document.placement import world_matrix
from aulmo.document.properties import resolve
from aulmo.document.records import Document
from aulmo.prepare.import_file import import_file
from gltf_files import SQUARE, Gltf


def read(path):
    assets = AssetStore()
    return import_file(Document(), assets, path)


def square(file: Gltf) -> dict:
    return {"attributes": {"POSITION": file.accessor(SQUARE)}, "indices": file.accessor(np.array([0, 1, 2, 0, 2, 3], np.uint32))}


def part(document, name):
    return next(p.id for p in document.parts.values() if p.name == name)


def moved(document, name, time):
    """What a part has moved by since the beginning, in the world."""
    one, other = (world_matrix(resolve(document, {}, t), part(document, name)) for t in (0.0, time))
    return other @ np.linalg.inv(one)


@pytest.mark.parametrize("ending", ["glb", "gltf"])
def test_a_gltf_that_slides_and_turns(tmp_path, ending):
    file = Gltf()
    file.part([square(file)], "Door")
    file.part([square(file)], "Frame", translation=[0.0, 0.0, -0.02])
    times = file.accessor(np.array([0.0, 1.0, 3.0], np.float32))
    half = np.sqrt(0.5)
    turns = file.accessor(np.array([[0, 0, 0, 1], [0, half, 0, half], [0, 1, 0, 0]], np.float32))
    slides = file.accessor(np.array([[0, 0, 0], [0.1, 0, 0], [0.1, 0, 0]], np.float32))
    file.json["animations"] = [{
        "samplers": [{"input": times, "output": turns}, {"input": times, "output": slides}],
        "channels": [{"sampler": 0, "target": {"node": 0, "path": "rotation"}}, {"sampler": 1, "target": {"node": 0, "path": "translation"}}],
    }]  # fmt: skip
    made = read(file.write(tmp_path / f"door.{ending}"))
    document = made.document
    assert any("1 part of the file moves" in n for n in made.notes) and document.film.end == 3.0
    turn = moved(document, "Door", 0.5)
    assert np.degrees(np.arccos((np.trace(turn[:3, :3]) - 1) / 2)) == pytest.approx(45.0, abs=1e-3)
    half_way, start = (world_matrix(d, part(document, "Door"))[0, 3] for d in (resolve(document, {}, 0.5), document))
    assert half_way - start == pytest.approx(50.0)
    assert np.degrees(np.arccos((np.trace(moved(document, "Door", 2.0)[:3, :3]) - 1) / 2)) == pytest.approx(135.0, abs=1e-3)
    assert moved(document, "Frame", 2.0) == pytest.approx(np.eye(4))


def test_steps_are_held_and_curves_bend(tmp_path):
    file = Gltf()
    file.part([square(file)], "Step")
    file.part([square(file)], "Curve")
    times = file.accessor(np.array([0.0, 1.0], np.float32))
    steps = file.accessor(np.array([[0, 0, 0], [0.2, 0, 0]], np.float32))
    spline = file.accessor(np.array([[0, 0, 0], [0, 0, 0], [0, 0, 0], [0, 0, 0], [0.2, 0, 0], [0, 0, 0]], np.float32))
    file.json["animations"] = [{
        "samplers": [{"input": times, "output": steps, "interpolation": "STEP"}, {"input": times, "output": spline, "interpolation": "CUBICSPLINE"}],
        "channels": [{"sampler": k, "target": {"node": k, "path": "translation"}} for k in (0, 1)],
    }]  # fmt: skip
    document = read(file.write(tmp_path / "two.glb")).document
    assert moved(document, "Step", 0.99)[0, 3] == pytest.approx(0.0) and moved(document, "Step", 1.0)[0, 3] == pytest.approx(200.0, rel=1e-5)
    assert moved(document, "Curve", 0.25)[0, 3] == pytest.approx(200 * (3 * 0.25**2 - 2 * 0.25**3), abs=0.3)


@pytest.mark.parametrize("harm", [{"input": 999}, {"output": None}, {"input": "x"}])
def test_a_damaged_animation_leaves_the_part_where_it_is(tmp_path, harm):
    file = Gltf()
    file.part([square(file)], "Door")
    sampler = {"input": file.accessor(np.array([0.0, 1.0], np.float32)), "output": file.accessor(np.zeros((2, 3), np.float32))}
    file.json["animations"] = [{"samplers": [{**sampler, **harm}], "channels": [{"sampler": 0, "target": {"node": 0, "path": "translation"}}]}, 7]
    document = read(file.write(tmp_path / "door.glb")).document
    assert not document.keys and document.parts


def test_time_samples_of_usd(tmp_path):
    from pxr import Gf, Usd, UsdGeom

    stage = Usd.Stage.CreateNew(str(tmp_path / "cart.usda"))
    UsdGeom.SetStageMetersPerUnit(stage, 0.01)
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.z)
    stage.SetTimeCodesPerSecond(24)
    stage.SetStartTimeCode(24)
    stage.SetEndTimeCode(72)
    for name in ("Cart", "Ground"):
        mesh = UsdGeom.Mesh.Define(stage, f"/World/{name}")
        mesh.CreatePointsAttr([Gf.Vec3f(*map(float, p * 100)) for p in SQUARE])
        mesh.CreateFaceVertexCountsAttr([4])
        mesh.CreateFaceVertexIndicesAttr([0, 1, 2, 3])
    move = UsdGeom.Xformable(stage.GetPrimAtPath("/World/Cart")).AddTranslateOp()
    move.Set(Gf.Vec3d(0, 0, 0), 24)
    move.Set(Gf.Vec3d(10, 0, 0), 72)
    stage.GetRootLayer().Save()
    document = read(tmp_path / "cart.usda").document
    assert moved(document, "Cart", 1.0)[0, 3] == pytest.approx(50.0) and document.film.end == 2.0
    assert moved(document, "Ground", 1.0) == pytest.approx(np.eye(4))
