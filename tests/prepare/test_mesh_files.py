"""Mesh files as they really come: strips, fans, packed and quantized glTF, broken pieces, odd OBJ, 3MF, USD."""

import base64
import zipfile
from pathlib import Path

import numpy as np
import pytest

import reading_here
from aulmo.document import edits, project_file
from aulmo.document.assets import AssetStore
from aulmo.document.placement import world_matrices
from aulmo.document.records import Document
from aulmo.document.references import references
from aulmo.errors import BadFile
from aulmo.prepare import arrange
from aulmo.prepare.import_file import import_file, import_files
from aulmo.surface.colour import to_hex
from gltf_files import SQUARE, Gltf

HERE = Path(__file__).parent
PNG = base64.b64decode("iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mP8z8BQDwAEhQGAhKmMIQAAAABJRU5ErkJggg==")


@pytest.fixture(autouse=True)
def _here(monkeypatch):
    """Read in this process; that the other one does the same is seen in `test_import`."""
    monkeypatch.setattr("aulmo.prepare.import_file.read_file", reading_here.read_file)


def read(path: Path, **how):
    assets = AssetStore()
    result = import_file(Document(), assets, path, **how)
    return result, assets, {p.name: p for p in result.document.parts.values()}


def area(assets: AssetStore, part) -> float:
    mesh = assets.mesh(part.mesh)
    p = mesh.vertices[mesh.triangles].astype(float)
    return float(0.5 * np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1).sum())


STRIP = np.array([0, 1, 3, 2], np.uint16)


@pytest.mark.parametrize(("mode", "indices"), [(4, [0, 1, 2, 0, 2, 3]), (5, [0, 1, 3, 2]), (6, [0, 1, 2, 3]), (5, None), (6, None)])
def test_triangles_strips_and_fans_with_and_without_indices(tmp_path, mode, indices):
    made = Gltf()
    points = SQUARE if indices or mode == 6 else SQUARE[STRIP]
    primitive = {"attributes": {"POSITION": made.accessor(points)}, "mode": mode}
    if indices:
        primitive["indices"] = made.accessor(np.array(indices, np.uint16))
    made.part([primitive], "Square")
    result, assets, parts = read(made.write(tmp_path / "square.glb"))
    assert area(assets, parts["Square"]) == pytest.approx(50 * 50, rel=1e-4)
    mesh = assets.mesh(parts["Square"].mesh)
    p = mesh.vertices[mesh.triangles]
    assert (np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])[:, 2] > 0).all()  # every triangle of a strip looks the same way
    assert arrange.size_of(result.document, assets, result.roots) == pytest.approx((50, 0, 50), abs=1e-3)  # y up became z up


def test_a_tree_of_nodes_keeps_its_places_and_names(tmp_path):
    made = Gltf()
    primitive = {"attributes": {"POSITION": made.accessor(SQUARE)}, "indices": made.accessor(np.array([0, 1, 2, 0, 2, 3], np.uint16))}
    made.part([primitive], "Base")
    made.part([primitive], "Arm", translation=[0.0, 0.3, 0.0], rotation=[0, 0, 0.70710678, 0.70710678])
    made.json["nodes"].append({"name": "Hand", "mesh": 0, "translation": [0.1, 0, 0]})
    made.json["nodes"][1]["children"] = [2]
    result, _, parts = read(made.write(tmp_path / "arm.gltf"))
    assert edits.part_path(result.document, parts["Hand"].id) == "arm/Arm/Hand"
    worlds = world_matrices(result.document)
    away = worlds[parts["Hand"].id][:3, 3] - worlds[parts["Arm"].id][:3, 3]
    assert away == pytest.approx([0, 0, 100], abs=1e-3)  # along its parent's x, which points up


def test_several_materials_of_a_mesh_are_face_sets(tmp_path):
    made = Gltf()
    made.json["materials"] = [
        {"name": "Cork", "pbrMetallicRoughness": {"baseColorFactor": [0.5, 0.25, 0.1, 1.0], "metallicFactor": 0.0, "roughnessFactor": 0.8}},
        {"name": "Glass", "extensions": {"KHR_materials_transmission": {"transmissionFactor": 1.0}, "KHR_materials_ior": {"ior": 1.33}}},
        {"name": "Glow", "emissiveFactor": [1, 0.5, 0.1], "extensions": {"KHR_materials_emissive_strength": {"emissiveStrength": 4.0}}},
    ]
    pieces = []
    for number in range(3):
        points = made.accessor(SQUARE + np.float32([0, 0, 0.02 * number]))
        pieces.append({"attributes": {"POSITION": points}, "mode": 6, "material": number})
    made.part(pieces, "Bottle")
    result, assets, parts = read(made.write(tmp_path / "bottle.glb"))
    bottle = parts["Bottle"]
    worn = [result.document.materials[m] for m in edits.surfaces_of(bottle)]
    assert [m.name for m in worn] == ["Cork", "Glass", "Glow"] and [s.name for s in bottle.face_sets] == ["Glass", "Glow"]
    assert worn[0].surface.specular_roughness == pytest.approx(0.8) and worn[0].surface.base_metalness == 0.0
    assert (worn[1].surface.transmission_weight, worn[1].surface.specular_ior) == (1.0, 1.33)
    assert worn[2].surface.emission_luminance == pytest.approx(4000)
    mesh = assets.mesh(bottle.mesh)
    low = mesh.vertices[mesh.triangles[mesh.faces == bottle.face_sets[1].faces[0]]][..., 2]
    assert low == pytest.approx(40.0, abs=1e-3)


def test_quantized_numbers_and_normals(tmp_path):
    made = Gltf()
    whole = np.array([[0, 0, 0], [100, 0, 0], [100, 100, 0], [0, 100, 0]], np.int16)
    up = np.tile(np.array([[0, 0, 127]], np.int8), (4, 1))
    names = {"POSITION": made.accessor(np.pad(whole, ((0, 0), (0, 0)))), "NORMAL": made.accessor(up, normalized=True)}
    made.part([{"attributes": names, "mode": 6}], "Square", scale=[0.0005, 0.0005, 0.0005])
    result, assets, parts = read(made.write(tmp_path / "square.glb"))
    assert arrange.size_of(result.document, assets, result.roots) == pytest.approx((50, 0, 50), abs=1e-3)
    assert assets.mesh(parts["Square"].mesh).normals == pytest.approx(np.tile([0, 0, 1], (4, 1)), abs=1e-3)


def test_a_sparse_accessor_moves_single_points(tmp_path):
    made = Gltf()
    base = made.accessor(SQUARE)
    where, what = made.accessor(np.array([2], np.uint16)), made.accessor(np.array([[0.1, 0.1, 0]], np.float32))
    views = [made.json["accessors"][k]["bufferView"] for k in (where, what)]
    made.json["accessors"][base]["sparse"] = {
        "count": 1, "indices": {"bufferView": views[0], "componentType": 5123}, "values": {"bufferView": views[1]},
    }  # fmt: skip
    made.part([{"attributes": {"POSITION": base}, "mode": 6}], "Kite")
    result, assets, _ = read(made.write(tmp_path / "kite.glb"))
    assert arrange.size_of(result.document, assets, result.roots) == pytest.approx((100, 0, 100), abs=1e-3)


def test_draco(tmp_path):
    import DracoPy

    made = Gltf()
    cells = np.array([[0, 1, 2], [0, 2, 3]], np.uint32)
    blob = DracoPy.encode(SQUARE.astype(np.float64), cells, quantization_bits=14)
    view = made.json["accessors"][made.accessor(np.frombuffer(blob, np.uint8))]["bufferView"]
    packed = {"bufferView": view, "attributes": {"POSITION": 0}}
    made.part([{"attributes": {"POSITION": 0}, "extensions": {"KHR_draco_mesh_compression": packed}}], "Square")
    _, assets, parts = read(made.write(tmp_path / "square.glb"))
    assert area(assets, parts["Square"]) == pytest.approx(2500, rel=1e-3)


def test_meshopt():
    """A ball written by another program's packer: positions as whole numbers, normals by the octahedral filter, indices of triangles."""
    _, assets, parts = read(HERE / "data" / "packed-ball.glb")
    mesh = assets.mesh(parts["Ball"].mesh)
    away = np.linalg.norm(mesh.vertices, axis=1)
    assert away == pytest.approx(np.full(len(away), 50.0), rel=2e-3) and len(mesh.triangles) == 1280
    assert (mesh.normals * mesh.vertices / away[:, None]).sum(1).min() > 0.995


def test_what_is_good_is_taken_and_what_is_not_is_told(tmp_path):
    made = Gltf()
    good = made.accessor(SQUARE)
    bad = made.accessor(np.where(np.arange(12).reshape(4, 3) == 3, np.nan, SQUARE).astype(np.float32))
    cells = made.accessor(np.array([0, 1, 2, 0, 2, 3, 0, 1, 999], np.uint16))
    made.part([{"attributes": {"POSITION": good}, "indices": cells}], "Good")
    made.part([{"attributes": {"POSITION": bad}, "mode": 6}], "Half")
    made.part([{"attributes": {"POSITION": 77}}], "Lost")
    made.part([{"attributes": {"POSITION": good}, "mode": 1}], "Lines")
    result, assets, parts = read(made.write(tmp_path / "odd.gltf"))
    assert {"Good", "Half"} == {n for n, p in parts.items() if p.mesh}
    assert area(assets, parts["Good"]) == pytest.approx(2500, rel=1e-4) and area(assets, parts["Half"]) == pytest.approx(1250, rel=1e-4)
    assert any("2 broken triangles were left out" in n for n in result.notes) and any("1 broken piece was" in n for n in result.notes)


def test_pictures_are_kept_and_missing_ones_told(tmp_path):
    made = Gltf()
    view = made.json["accessors"][made.accessor(np.frombuffer(PNG, np.uint8))]["bufferView"]
    made.json["images"] = [{"bufferView": view, "mimeType": "image/png"}, {"uri": "gone.png"}]
    made.json["textures"] = [{"source": 0}, {"source": 1}]
    made.json["materials"] = [{"name": "Print", "pbrMetallicRoughness": {"baseColorTexture": {"index": 0}}, "normalTexture": {"index": 1}}]
    names = {"POSITION": made.accessor(SQUARE), "TEXCOORD_0": made.accessor(np.array([[0, 1], [1, 1], [1, 0], [0, 0]], np.float32))}
    made.part([{"attributes": names, "mode": 6, "material": 0}], "Label")
    result, assets, parts = read(made.write(tmp_path / "label.glb"))
    worn = result.document.materials[parts["Label"].material]
    assert list(worn.pictures) == ["base_color"] and assets.get(worn.pictures["base_color"]) == PNG
    assert any("1 of its pictures is missing" in n for n in result.notes)
    mesh = assets.mesh(parts["Label"].mesh)
    corner = np.argmin(mesh.vertices.sum(1))
    assert len(mesh.uv) == len(mesh.vertices) and mesh.uv[corner] == pytest.approx([0, 0])  # v upward: the lower left corner
    project_file.save(result.document, assets, tmp_path / "kept.aulmo")
    again, held = project_file.load(tmp_path / "kept.aulmo")
    assert worn.pictures["base_color"] in references(again, "assets") and held.get(worn.pictures["base_color"]) == PNG
    assert held.mesh(parts["Label"].mesh).uv == pytest.approx(mesh.uv)


@pytest.mark.parametrize("mode", [0, 1, 3])
def test_points_and_lines_alone_are_a_sentence(tmp_path, mode):
    made = Gltf()
    made.part([{"attributes": {"POSITION": made.accessor(SQUARE)}, "mode": mode}], "Dots")
    with pytest.raises(BadFile, match="points and lines alone"):
        read(made.write(tmp_path / "dots.glb"))
    (tmp_path / "dots.obj").write_text("v 0 0 0\nv 1 0 0\nl 1 2\n")
    with pytest.raises(BadFile, match="lines alone"):
        read(tmp_path / "dots.obj")


# OBJ

OBJ = """# a box without a lid
mtllib box.mtl
o Box
v 0 0 0\nv 30 0 0\nv 30 30 0\nv 0 30 0\nv 0 0 30\nv 30 0 30\nv 30 30 30\nv 0 30 30
usemtl Card
f 4 3 2 1
f 1 2 6 5
f -6 -5 -1 -2
usemtl Foil
f 4 1 5 8
"""
MTL = "newmtl Card\nKd 0.8 0.6 0.4\nNs 10\n\nnewmtl Foil\nKd 0.9 0.8 0.3\nPm 1.0\nPr 0.2\nd 1.0\n"


@pytest.mark.parametrize("encoding", ["utf-8", "utf-16", "cp1252"])
def test_obj_with_groups_and_materials_in_any_encoding(tmp_path, encoding):
    text = OBJ.replace("o Box", "o Schachtel für Öl")
    (tmp_path / "box.obj").write_bytes(text.encode(encoding))
    (tmp_path / "box.mtl").write_text(MTL)
    result, assets, parts = read(tmp_path / "box.obj")
    box = parts["Schachtel für Öl"]
    worn = [result.document.materials[m] for m in edits.surfaces_of(box)]
    assert [m.name for m in worn] == ["Card", "Foil"]
    assert to_hex(worn[0].surface.base_color).lower() == "#cc9966" and worn[1].surface.base_metalness == 1.0
    assert area(assets, box) == pytest.approx(4 * 900, rel=1e-5)
    assert worn[1].surface.specular_roughness == pytest.approx(0.2)


def test_odd_numbers_and_broken_lines_in_an_otherwise_good_file(tmp_path):
    text = "v 0,0 0 0\nv 30.0f 0d0 0\nv 3d1 30 0 1.0\nv 1.#QNAN 0 0\nv\n v 0 3.0E+1 0\nf 1 2 3 # fine\nf 1 2 banana\nf 1 3 6\nf 1 2 4\nf 1 2\nvn\n"
    (tmp_path / "odd.obj").write_text(text)
    result, assets, parts = read(tmp_path / "odd.obj")
    assert area(assets, parts["odd"]) == pytest.approx(900, rel=1e-5)
    assert any("3 broken triangles were left out" in n for n in result.notes)


def test_texture_coordinates_of_an_obj_survive_creases(tmp_path):
    text = "v 0 0 0\nv 30 0 0\nv 30 30 0\nv 0 30 0\nv 0 0 30\nv 30 0 30\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nf 1/1 2/2 3/3 4/4\nf 2/1 1/2 5/3 6/4\n"
    (tmp_path / "bent.obj").write_text(text)
    _, assets, parts = read(tmp_path / "bent.obj")
    mesh = assets.mesh(parts["bent"].mesh)
    seen = {(*np.round(v, 3), *np.round(t, 3)) for v, t in zip(mesh.vertices.tolist(), mesh.uv.tolist())}
    assert (0.0, 0.0, 0.0, 0.0, 0.0) in seen and (0.0, 0.0, 0.0, 1.0, 0.0) in seen and (30.0, 30.0, 0.0, 1.0, 1.0) in seen


# 3MF and USD


def write_3mf(path: Path, model: str) -> Path:
    with zipfile.ZipFile(path, "w") as archive:
        archive.writestr(
            "_rels/.rels", '<R><Relationship Target="/3D/m.model" Type="http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel"/></R>'
        )
        archive.writestr("3D/m.model", model)
    return path


TETRA = (
    '<mesh><vertices><vertex x="0" y="0" z="0"/><vertex x="2" y="0" z="0"/><vertex x="0" y="2" z="0"/><vertex x="0" y="0" z="2"/></vertices>'
    '<triangles><triangle v1="0" v2="2" v3="1" {0}/><triangle v1="0" v2="1" v3="3"/><triangle v1="1" v2="2" v3="3"/>'
    '<triangle v1="0" v2="3" v3="2"/><triangle v1="0" v2="3" v3="9"/></triangles></mesh>'
)


def test_3mf_brings_units_places_instances_and_colours(tmp_path):
    cream = 'pid="1" p1="1"'
    model = (
        '<?xml version="1.0"?><model unit="centimeter" xmlns="http://schemas.microsoft.com/3dmanufacturing/core/2015/02"><resources>'
        '<basematerials id="1"><base name="Rust" displaycolor="#B03020"/><base name="Cream" displaycolor="#F0E8D0FF"/></basematerials>'
        f'<object id="2" name="Foot" pid="1" pindex="0">{TETRA.format(cream)}</object>'
        '<object id="3" name="Stand"><components><component objectid="2"/>'
        '<component objectid="2" transform="1 0 0 0 1 0 0 0 1 5 0 0"/></components></object>'
        '</resources><build><item objectid="3" transform="1 0 0 0 1 0 0 0 1 0 0 7"/></build></model>'
    )
    result, assets, parts = read(write_3mf(tmp_path / "stand.3mf", model))
    assert arrange.size_of(result.document, assets, result.roots) == pytest.approx((70, 20, 20), abs=1e-3)
    assert parts["Foot"].mesh == parts["Foot 2"].mesh and result.document.parts[parts["Foot"].parent].name == "Stand"
    worn = [result.document.materials[m] for m in edits.surfaces_of(parts["Foot"])]
    assert {m.name for m in worn} == {"Rust", "Cream"} and {to_hex(m.surface.base_color).lower() for m in worn} == {"#b03020", "#f0e8d0"}
    assert any("centimetres" in n for n in result.notes) and any("1 broken triangle was" in n for n in result.notes)


def test_usd_brings_units_places_instances_materials_and_face_sets(tmp_path):
    from pxr import Gf, Sdf, Usd, UsdGeom, UsdShade

    stage = Usd.Stage.CreateNew(str(tmp_path / "lamp.usda"))
    UsdGeom.SetStageMetersPerUnit(stage, 0.01)
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.y)
    UsdGeom.Xform.Define(stage, "/Lamp")
    mesh = UsdGeom.Mesh.Define(stage, "/Lamp/Shade")
    mesh.CreatePointsAttr([(0, 0, 0), (4, 0, 0), (4, 6, 0), (0, 6, 0), (8, 0, 0), (8, 6, 0)])
    mesh.CreateFaceVertexCountsAttr([4, 4])
    mesh.CreateFaceVertexIndicesAttr([0, 1, 2, 3, 1, 4, 5, 2])
    for name, colour in (("Cream", (0.8, 0.7, 0.5)), ("Brass", (0.8, 0.5, 0.2))):
        material = UsdShade.Material.Define(stage, f"/Looks/{name}")
        shader = UsdShade.Shader.Define(stage, f"/Looks/{name}/Surface")
        shader.CreateIdAttr("UsdPreviewSurface")
        shader.CreateInput("diffuseColor", Sdf.ValueTypeNames.Color3f).Set(Gf.Vec3f(*colour))
        shader.CreateInput("metallic", Sdf.ValueTypeNames.Float).Set(1.0 if name == "Brass" else 0.0)
        material.CreateSurfaceOutput().ConnectToSource(shader.ConnectableAPI(), "surface")
    bound = UsdShade.MaterialBindingAPI.Apply(mesh.GetPrim())
    bound.Bind(UsdShade.Material.Get(stage, "/Looks/Cream"))
    subset = bound.CreateMaterialBindSubset("rim", [1])
    UsdShade.MaterialBindingAPI.Apply(subset.GetPrim()).Bind(UsdShade.Material.Get(stage, "/Looks/Brass"))
    ball = UsdGeom.Sphere.Define(stage, "/Lamp/Knob")
    ball.CreateRadiusAttr(1.0)
    UsdGeom.XformCommonAPI(ball).SetTranslate((0, 10, 0))
    stage.GetRootLayer().Save()
    result, assets, parts = read(tmp_path / "lamp.usda")
    worn = [result.document.materials[m] for m in edits.surfaces_of(parts["Shade"])]
    assert [m.name for m in worn] == ["Cream", "Brass"] and [m.surface.base_metalness for m in worn] == [0.0, 1.0]
    assert arrange.size_of(result.document, assets, [parts["Shade"].id]) == pytest.approx((80, 0, 60), abs=1e-3)
    assert world_matrices(result.document)[parts["Knob"].id][2, 3] - world_matrices(result.document)[parts["Shade"].id][2, 3] == pytest.approx(100)
    assert arrange.size_of(result.document, assets, [parts["Knob"].id]) == pytest.approx((20, 20, 20), abs=0.1)


@pytest.mark.parametrize(
    ("name", "blob"),
    [
        ("a.3mf", b"PK\x03\x04 nothing"), ("a.usda", b"#usda 1.0\n(garbage"), ("a.usdc", b"PXR-USDC" + b"\xff" * 90), ("a.usdz", b"PK\x05\x06"),
        ("a.gltf", b'{"asset":{"version":"2.0"},"meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}],"nodes":[{"mesh":0,"children":[0]}]}'),
    ],
)  # fmt: skip
def test_damaged_packages_are_a_sentence(tmp_path, name, blob):
    (tmp_path / name).write_bytes(blob)
    with pytest.raises(BadFile) as caught:
        read(tmp_path / name)
    assert name in str(caught.value) and "\n" not in str(caught.value) and "Error" not in str(caught.value)


# several at once


def test_files_of_one_set_keep_their_places_and_strangers_come_side_by_side(tmp_path):
    corner = "v {0} 0 0\nv {1} 0 0\nv {1} 0 30\nv {0} 0 30\nv {0} 30 0\nf 1 2 3 4\nf 1 2 5\n"
    for name, low in (("left", 0), ("right", 40), ("other", 2)):
        (tmp_path / f"{name}.obj").write_text(corner.format(low, low + 30))
    assets = AssetStore()
    two = import_files(Document(), assets, [tmp_path / "left.obj", tmp_path / "right.obj"])
    names = {p.name: p.id for p in two.document.parts.values()}
    boxes = {n: arrange.bounds(two.document, assets, [i]) for n, i in names.items()}
    assert boxes["right"][0][0] - boxes["left"][0][0] == pytest.approx(40, abs=1e-3)
    both = import_files(Document(), assets, [tmp_path / "left.obj", tmp_path / "other.obj"])
    names = {p.name: p.id for p in both.document.parts.values()}
    boxes = {n: arrange.bounds(both.document, assets, [i]) for n, i in names.items()}
    assert boxes["other"][0][0] >= boxes["left"][1][0] + 1


def test_one_broken_file_of_several_is_told_and_the_others_come(tmp_path):
    (tmp_path / "good.obj").write_text("v 0 0 0\nv 30 0 0\nv 0 30 0\nf 1 2 3\n")
    (tmp_path / "bad.obj").write_text("f 1 2 3\n")
    found = import_files(Document(), AssetStore(), [tmp_path / "bad.obj", tmp_path / "good.obj"])
    assert [p.name for p in found.document.parts.values()] == ["good"]
    assert len(found.failures) == 1 and "bad.obj could not be read" in found.failures[0]
    (tmp_path / "fine.obj").write_text("v 0 0 0\nv 20 0 0\nv 0 20 0\nf 1 2 3\n")
    both = import_files(Document(), AssetStore(), [tmp_path / f"{name}.obj" for name in ("bad", "good", "fine")])
    assert {note.partition(":")[0] for note in both.notes} == {"good.obj", "fine.obj"}  # each note under its own file
    with pytest.raises(BadFile, match="bad.obj"):
        import_files(Document(), AssetStore(), [tmp_path / "bad.obj"])


# STL


def test_a_damaged_stl_gives_the_triangles_that_are_whole(tmp_path):
    import trimesh

    ball = trimesh.creation.icosphere(1, 20.0)
    blob = ball.export(file_type="stl")
    (tmp_path / "short.stl").write_bytes(blob[: 84 + 50 * 60 + 17])
    result, assets, parts = read(tmp_path / "short.stl")
    assert len(assets.mesh(parts["short"].mesh).triangles) == 60 and any("20 broken triangles were left out" in n for n in result.notes)
    text = trimesh.exchange.stl.export_stl_ascii(ball).replace("vertex", "vertex ouch", 1).replace("endfacet", "", 2)
    (tmp_path / "odd.stl").write_text(text)
    result, assets, parts = read(tmp_path / "odd.stl")
    assert len(assets.mesh(parts["odd"].mesh).triangles) == 79 and any("1 broken triangle was" in n for n in result.notes)
