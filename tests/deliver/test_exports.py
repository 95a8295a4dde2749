"""What other programs get: glTF and USD read back, by a reader of another make where there is one."""

import json
import struct

import numpy as np
import pytest
from msgspec.structs import replace

from aulmo import script
from aulmo.command.main import main
from aulmo.deliver.gltf_out import export_gltf, quaternion
from aulmo.deliver.usd_out import export_usd
from aulmo.document import edits, project_file
from aulmo.document.placement import turn_matrix, world_matrix
from aulmo.document.properties import resolve
from aulmo.document.records import Camera, FaceSet, Lamp, Material, Part, Placement, Surface
from aulmo.errors import BadValue
from shapes import box_mesh, one_part

GREEN = (0.05, 0.4, 0.1)


def scene():
    """A group that is turned, two equal boxes in it, one of them moving; a lamp, two colours, a choice that hides one."""
    document, assets = one_part(box_mesh(), Surface(base_color=(0.6, 0.1, 0.1), coat_weight=1.0, specular_ior=1.6))
    ball = replace(document.parts["ball"], name="Box", parent="g", placement=Placement((30.0, 0.0, 5.0), (0.0, 0.0, 30.0), (1.0, 1.0, 2.0)))
    other = replace(ball, id="two", name="Box", placement=Placement((-40.0, 0.0, 0.0)))
    group = Part("g", "Group / one", children=("ball", "two"), placement=Placement((0.0, 100.0, 0.0), (20.0, 0.0, 45.0)))
    document = replace(document, parts={"g": group, "ball": ball, "two": other}, roots=("g",), frames_per_second=10.0)
    document = replace(document, film=replace(document.film, end=1.0, play_end=1.0))
    document = edits.put_lamp(document, Lamp("l", "Key", kind="spot", position=(0.0, -200.0, 300.0), power=500.0, unit="candela"))
    document = script.add_choice(script.add_choice(document, "Colour", "Red", {}), "Colour", "Green", {"materials/m/surface/base_color": GREEN})
    document = script.add_choice(script.add_choice(document, "Pair", "Two", {}), "Pair", "One", {"parts/two/visible": False})
    document, _ = script.add_motion(document, "two", "slide", length=1.0, distance_mm=50.0, axis="z", axis_of="own", ease="even")
    return document, assets


def opened(path):
    """The JSON and the binary of a .glb."""
    blob = path.read_bytes()
    assert blob[:4] == b"glTF" and struct.unpack_from("<II", blob, 4) == (2, len(blob))
    size, kind = struct.unpack_from("<I4s", blob, 12)
    assert kind == b"JSON"
    return json.loads(blob[20 : 20 + size]), blob[28 + size :]


def values(gltf, data, number):
    """An accessor's numbers."""
    one = gltf["accessors"][number]
    view = gltf["bufferViews"][one["bufferView"]]
    wide = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4}[one["type"]]
    kind = {5126: np.float32, 5123: np.uint16, 5125: np.uint32}[one["componentType"]]
    return np.frombuffer(data, kind, one["count"] * wide, view["byteOffset"]).reshape(one["count"], wide)


def matrix_of(node):
    """4x4 of a node."""
    x, y, z, w = node.get("rotation", (0, 0, 0, 1))
    turn = np.array([
        [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)], [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
        [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
    ])  # fmt: skip
    made = np.eye(4)
    made[:3, :3], made[:3, 3] = turn * np.array(node.get("scale", (1, 1, 1))), node.get("translation", (0, 0, 0))
    return made


def test_gltf_stands_in_metres_with_y_up_and_shares_equal_meshes(tmp_path):
    document, assets = scene()
    notes = export_gltf(document, assets, tmp_path / "a.glb")
    gltf, data = opened(tmp_path / "a.glb")
    nodes = {n["name"]: n for n in gltf["nodes"]}
    boxes = [n for n in gltf["nodes"] if n["name"] == "Box"]
    assert len(gltf["meshes"]) == 1 and [b["mesh"] for b in boxes] == [0, 0]
    root, group = gltf["nodes"][0], nodes["Group / one"]
    up = np.array([[1.0, 0, 0, 0], [0, 0, 1, 0], [0, -1, 0, 0], [0, 0, 0, 1]])
    want = up @ world_matrix(document, "ball")
    got = matrix_of(root) @ matrix_of(group) @ matrix_of(next(b for b in boxes if b.get("scale")))
    np.testing.assert_allclose(got[:3, :3], want[:3, :3], atol=1e-6)
    np.testing.assert_allclose(got[:3, 3], want[:3, 3] / 1000, atol=1e-8)
    primitive = gltf["meshes"][0]["primitives"][0]
    points = values(gltf, data, primitive["attributes"]["POSITION"])
    np.testing.assert_allclose(points, assets.mesh(document.parts["ball"].mesh).vertices / 1000, atol=1e-7)
    assert len(values(gltf, data, primitive["indices"])) == 36
    assert gltf["extensions"]["KHR_lights_punctual"]["lights"][0]["intensity"] == 500.0
    assert any("dome" in n for n in notes) and any("come and go" in n for n in notes)


def test_gltf_has_openpbr_as_far_as_it_goes_and_variants_by_name(tmp_path):
    document, assets = scene()
    export_gltf(document, assets, tmp_path / "a.glb")
    gltf, _ = opened(tmp_path / "a.glb")
    red = gltf["materials"][gltf["meshes"][0]["primitives"][0]["material"]]
    assert red["extensions"]["KHR_materials_ior"]["ior"] == 1.6 and red["extensions"]["KHR_materials_clearcoat"]["clearcoatFactor"] == 1.0
    assert red["pbrMetallicRoughness"]["baseColorFactor"][0] > 3 * red["pbrMetallicRoughness"]["baseColorFactor"][1]
    names = [v["name"] for v in gltf["extensions"]["KHR_materials_variants"]["variants"]]
    assert names == ["Red · Two", "Red · One", "Green · Two", "Green · One"]
    mappings = gltf["meshes"][0]["primitives"][0]["extensions"]["KHR_materials_variants"]["mappings"]
    green = next(m for m in mappings if names.index("Green · Two") in m["variants"])
    colour = gltf["materials"][green["material"]]["pbrMetallicRoughness"]["baseColorFactor"]
    assert colour[1] > 2 * colour[0] and sorted(k for m in mappings for k in m["variants"]) == [0, 1, 2, 3]
    export_gltf(document, assets, tmp_path / "b.glb", {"Colour": "Green", "Pair": "One"})
    one, _ = opened(tmp_path / "b.glb")
    assert "KHR_materials_variants" not in one["extensionsUsed"] and len([n for n in one["nodes"] if n["name"] == "Box"]) == 1
    assert one["materials"][0]["pbrMetallicRoughness"]["baseColorFactor"] == colour


def test_gltf_moves_as_the_film_does_and_comes_in_again(tmp_path):
    document, assets = scene()
    export_gltf(document, assets, tmp_path / "a.glb")
    gltf, data = opened(tmp_path / "a.glb")
    (film,) = gltf["animations"]
    (channel,) = film["channels"]
    sampler = film["samplers"][channel["sampler"]]
    times, places = values(gltf, data, sampler["input"])[:, 0], values(gltf, data, sampler["output"])
    np.testing.assert_allclose(times, np.arange(11) / 10, atol=1e-6)
    for k in (0, 4, 10):
        np.testing.assert_allclose(places[k] * 1000, resolve(document, {}, k / 10).parts["two"].placement.position, atol=1e-4)
    export_gltf(document, assets, tmp_path / "still.glb", moving=False)
    assert "animations" not in opened(tmp_path / "still.glb")[0]
    again, held = script.import_model(tmp_path / "a.glb")
    low, high = (np.array(v) for v in script_bounds(again, held))
    want = script_bounds(document, assets)
    np.testing.assert_allclose(high - low, np.array(want[1]) - np.array(want[0]), rtol=1e-3)


def script_bounds(document, assets):
    from aulmo.prepare.arrange import bounds

    return bounds(resolve(document, {}, 0.0), assets, document.roots)


def test_faces_that_wear_their_own_go_along(tmp_path):
    document, assets = scene()
    mesh = assets.mesh(document.parts["ball"].mesh)
    faces = mesh._replace(faces=np.arange(len(mesh.triangles), dtype=np.int32) // 2)
    name = assets.add_mesh(faces)
    document = edits.put_material(document, Material("n", "Lid", surface=Surface(base_metalness=1.0)))
    document = edits.change_part(document, "ball", mesh=name, face_sets=(FaceSet("f", "Lid", (0,), "n"),))
    export_gltf(document, assets, tmp_path / "a.glb")
    gltf, data = opened(tmp_path / "a.glb")
    primitives = next(m for m in gltf["meshes"] if len(m["primitives"]) == 2)["primitives"]
    assert sorted(len(values(gltf, data, p["indices"])) for p in primitives) == [6, 30]
    export_usd(document, assets, tmp_path / "a.usda")
    from pxr import Usd, UsdGeom, UsdShade

    stage = Usd.Stage.Open(str(tmp_path / "a.usda"))
    subsets = [UsdGeom.Subset(p) for p in stage.Traverse() if p.IsA(UsdGeom.Subset)]
    worn = {UsdShade.MaterialBindingAPI(s).ComputeBoundMaterial()[0].GetPrim().GetName(): len(s.GetIndicesAttr().Get()) for s in subsets}
    assert worn == {"Plain": 10, "Lid": 2}


def test_usd_stands_moves_and_varies_as_the_project_does(tmp_path):
    from pxr import Usd, UsdGeom, UsdShade, UsdValidation

    document, assets = scene()
    export_usd(document, assets, tmp_path / "a.usda")
    stage = Usd.Stage.Open(str(tmp_path / "a.usda"))
    assert UsdGeom.GetStageUpAxis(stage) == "Z" and UsdGeom.GetStageMetersPerUnit(stage) == 0.001
    root = stage.GetDefaultPrim()
    box = stage.GetPrimAtPath(f"{root.GetPath()}/Group___one/Box")
    two = stage.GetPrimAtPath(f"{root.GetPath()}/Group___one/Box_2")
    assert stage.GetPrimAtPath(f"{root.GetPath()}/Group___one").GetDisplayName() == "Group / one" and box.IsInstanceable() and two.IsInstance()
    place = np.array(UsdGeom.Xformable(box).ComputeLocalToWorldTransform(Usd.TimeCode.Default())).T
    np.testing.assert_allclose(place, world_matrix(document, "ball"), atol=1e-6)
    later = np.array(UsdGeom.Xformable(two).ComputeLocalToWorldTransform(Usd.TimeCode(10.0))).T
    np.testing.assert_allclose(later, world_matrix(resolve(document, {}, 1.0), "two"), atol=1e-6)
    assert stage.GetEndTimeCode() == 10 and stage.GetTimeCodesPerSecond() == 10

    def colour(prim):
        material = UsdShade.MaterialBindingAPI(prim).ComputeBoundMaterial()[0]
        return np.array(UsdShade.Shader(stage.GetPrimAtPath(f"{material.GetPath()}/Surface")).GetInput("diffuseColor").Get())

    assert colour(box)[0] > 3 * colour(box)[1]
    sets = root.GetVariantSets()
    assert sorted(sets.GetNames()) == ["Colour", "Pair"] and sets.GetVariantSet("Colour").GetVariantNames() == ["Green", "Red"]
    sets.GetVariantSet("Colour").SetVariantSelection("Green")
    sets.GetVariantSet("Pair").SetVariantSelection("One")
    assert colour(box)[1] > 2 * colour(box)[0] and UsdGeom.Imageable(two).ComputeVisibility() == "invisible"
    registry = UsdValidation.ValidationRegistry()
    for name in ("a.usda", "a.usdz"):
        export_usd(document, assets, tmp_path / name)
        found = UsdValidation.ValidationContext(registry.GetOrLoadAllValidators()).Validate(Usd.Stage.Open(str(tmp_path / name)))
        assert [e.GetMessage() for e in found] == []


def test_cameras_look_where_they_did(tmp_path):
    from pxr import Usd, UsdGeom

    document, assets = scene()
    camera = Camera("eye", "Eye", position=(100.0, -400.0, 250.0), target=(0.0, 0.0, 20.0), focal_length_mm=85.0)
    document = replace(document, cameras={"eye": camera}, shots=(replace(document.shots[0], camera="eye", width=160, height=80),))
    ahead = np.array(camera.target) - np.array(camera.position)
    ahead /= np.linalg.norm(ahead)
    export_gltf(document, assets, tmp_path / "a.glb")
    gltf, _ = opened(tmp_path / "a.glb")
    node = next(n for n in gltf["nodes"] if "camera" in n)
    np.testing.assert_allclose(-matrix_of(node)[:3, 2], [ahead[0], ahead[2], -ahead[1]], atol=1e-6)
    lens = gltf["cameras"][0]["perspective"]
    assert lens["aspectRatio"] == 2.0 and np.tan(lens["yfov"] / 2) == pytest.approx(0.5 * camera.sensor_mm / 85.0 / 2.0)
    export_usd(document, assets, tmp_path / "a.usda")
    stage = Usd.Stage.Open(str(tmp_path / "a.usda"))
    seen = next(UsdGeom.Camera(p).GetCamera(Usd.TimeCode.Default()) for p in stage.Traverse() if p.IsA(UsdGeom.Camera))
    np.testing.assert_allclose(-np.array(seen.transform)[2, :3], ahead, atol=1e-6)
    assert seen.horizontalAperture / seen.focalLength == pytest.approx(camera.sensor_mm / 85.0)


def test_turns_become_quaternions():
    rng = np.random.default_rng(5)
    for _ in range(50):
        turn = turn_matrix(tuple(rng.uniform(-180, 180, 3)))
        np.testing.assert_allclose(matrix_of({"rotation": quaternion(turn)})[:3, :3], turn, atol=1e-12)


def test_what_cannot_be_written_is_one_sentence(tmp_path, capsys):
    document, assets = scene()
    project_file.save(document, assets, tmp_path / "p.aulmo")
    for out, words in (("a.obj", "should end in .glb"), ("no/such/a.glb", "no folder"), ("no/such/a.usda", "no folder")):
        assert main(["export", str(tmp_path / "p.aulmo"), "--out", str(tmp_path / out)]) == 2
        assert words in capsys.readouterr().err
    assert main(["export", str(tmp_path / "p.aulmo"), "--variant", "Colour=Green", "--still", "--out", str(tmp_path / "a.usdz")]) == 0
    assert "Wrote" in capsys.readouterr().out and (tmp_path / "a.usdz").stat().st_size > 1000
    empty = replace(document, parts={}, roots=())
    for write, name in ((export_gltf, "e.glb"), (export_usd, "e.usda")):
        with pytest.raises(BadValue, match="nothing to write"):
            write(empty, assets, tmp_path / name)
        assert not (tmp_path / name).exists()
