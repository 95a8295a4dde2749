"""Materials that come with mesh files, whole: pictures, factors, cut-outs, transforms; by glTF, OBJ and USD."""

import io

import numpy as np
import pytest
from msgspec.structs import replace
from PIL import Image

from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.records import Camera, Document, Floor, Shot
from aulmo.prepare import arrange
from aulmo.prepare.import_file import import_file
from gltf_files import SQUARE, Gltf
from tracing import NITS, UniformDome, trace

QUARTERS = np.zeros((2, 2, 4), np.uint8)
QUARTERS[0, 0], QUARTERS[0, 1], QUARTERS[1, 0], QUARTERS[1, 1] = (255, 0, 0, 255), (0, 255, 0, 255), (0, 0, 255, 255), (255, 255, 255, 0)


def large(image) -> np.ndarray:
    return np.kron(np.asarray(image), np.ones((16, 16, 1))).astype(np.uint8)


def png(image) -> bytes:
    out = io.BytesIO()
    Image.fromarray(large(image)).save(out, "PNG")
    return out.getvalue()


def label(material: dict, pictures: list[bytes], tmp_path):
    """A square with a material, read from a glTF file."""
    made = Gltf()
    views = [made.json["accessors"][made.accessor(np.frombuffer(p, np.uint8))]["bufferView"] for p in pictures]
    made.json["images"] = [{"bufferView": view, "mimeType": "image/png"} for view in views]
    made.json["textures"] = [{"source": k} for k in range(len(pictures))]
    made.json["materials"] = [{"name": "Print", **material}]
    uv = np.array([[0, 1], [1, 1], [1, 0], [0, 0]], np.float32)  # v downward, as the standard has it
    names = {"POSITION": made.accessor(SQUARE), "TEXCOORD_0": made.accessor(uv)}
    made.part([{"attributes": names, "mode": 6, "material": 0}], "Label")
    return taken(made.write(tmp_path / "label.glb"))


def taken(path):
    """A file's document, assets, material and part."""
    assets = AssetStore()
    result = import_file(Document(name="L"), assets, path)
    part = next(p for p in result.document.parts.values() if p.mesh)
    return result, assets, result.document.materials[part.material], part


def seen(result, assets, part, size=(40, 40)):
    """The square looked at straight on, as shares of the dome's light."""
    low, high = arrange.bounds(result.document, assets, [part.id])
    middle, flat = 0.5 * (low + high), int(np.argmin(high - low))
    way = np.eye(3)[flat] * (-1.0 if flat == 1 else 1.0)
    span = float(max(high - low))
    camera = Camera(id="c", name="C", position=tuple(middle + way * 4 * span), target=tuple(middle), projection="parallel", span_mm=span)
    document = replace(edits.put_camera(result.document, camera), shots=(Shot(id="s", name="S", camera="c"),), floor=Floor(kind="none"))
    frame, _ = trace(document, assets, size, 16, UniformDome)
    return frame.rgb / NITS


def corners(shown):
    h, w = shown.shape[:2]
    return [shown[int(h * y), int(w * x)] for y, x in ((0.25, 0.25), (0.25, 0.75), (0.75, 0.25), (0.75, 0.75))]


def test_a_colour_picture_lies_as_the_file_has_it(tmp_path):
    body = {"baseColorTexture": {"index": 0}, "metallicFactor": 0.0, "roughnessFactor": 1.0}
    result, assets, material, part = label({"pbrMetallicRoughness": body}, [png(QUARTERS)], tmp_path)
    assert material.lays[0].projection == "uv" and material.wires["base_color"]
    red, green, blue, white = corners(seen(result, assets, part))
    assert red[0] > 2 * red[2] and green[1] > 1.5 * green[2] and blue[2] > 2 * blue[1] and white.min() > 0.5  # alpha is for nothing


def test_a_transform_of_the_coordinates_is_followed(tmp_path):
    """Half of it across, shifted by a half: the right half of the picture over the whole square."""
    info = {"index": 0, "extensions": {"KHR_texture_transform": {"offset": [0.5, 0.0], "scale": [0.5, 1.0]}}}
    body = {"baseColorTexture": info, "metallicFactor": 0.0, "roughnessFactor": 1.0}
    result, assets, _, part = label({"pbrMetallicRoughness": body}, [png(QUARTERS)], tmp_path)
    upper_left, upper_right, low_left, low_right = corners(seen(result, assets, part))
    assert upper_left[1] > 1.3 * upper_left[0] and upper_right[1] > 1.3 * upper_right[0] and low_left.min() > 0.5 and low_right.min() > 0.5


@pytest.mark.parametrize(("mode", "gone"), [("OPAQUE", False), ("MASK", True), ("BLEND", True)])
def test_alpha_is_for_what_the_file_says(tmp_path, mode, gone):
    body = {"baseColorTexture": {"index": 0}, "metallicFactor": 0.0, "roughnessFactor": 1.0, "baseColorFactor": [0.5, 0.5, 0.5, 1.0]}
    result, assets, material, part = label({"pbrMetallicRoughness": body, "alphaMode": mode}, [png(QUARTERS)], tmp_path)
    shown = corners(seen(result, assets, part))[3].mean()
    assert shown == pytest.approx(1.0, abs=0.02) if gone else shown < 0.8
    assert ("geometry_opacity" in material.wires) is gone


def test_roughness_metalness_occlusion_and_their_factors_come_from_their_channels(tmp_path):
    packed = np.tile(np.array([128, 200, 60], np.uint8), (2, 2, 1))
    material = {
        "pbrMetallicRoughness": {"metallicRoughnessTexture": {"index": 0}, "roughnessFactor": 0.5, "metallicFactor": 1.0},
        "occlusionTexture": {"index": 0, "strength": 0.4}, "normalTexture": {"index": 1, "scale": 0.7},
        "emissiveTexture": {"index": 0}, "emissiveFactor": [1, 1, 1],
        "extensions": {"KHR_materials_clearcoat": {"clearcoatFactor": 0.8, "clearcoatTexture": {"index": 0}},
                       "KHR_materials_transmission": {"transmissionFactor": 0.5, "transmissionTexture": {"index": 0}}},
    }  # fmt: skip
    flat = np.tile(np.array([128, 128, 255], np.uint8), (2, 2, 1))
    _, _, made, _ = label(material, [png(packed), png(flat)], tmp_path)
    by_id = {n.id: n for n in made.nodes}
    assert by_id["specular-roughness"].channel == "green" and by_id["base-metalness"].channel == "blue" and by_id["base-weight"].channel == "red"
    assert by_id["specular-roughness-times"].inputs["in2"] == pytest.approx(0.5) and "base-metalness-times" not in by_id
    assert by_id["base-weight-range"].inputs["outlow"] == pytest.approx(0.6)
    assert by_id["normal"].inputs["strength"] == pytest.approx(0.7) and not by_id["normal"].as_colour
    assert {"coat_weight", "transmission_weight", "emission_color", "normal"} <= set(made.wires)
    assert all(n.lay for n in made.nodes if n.kind == "image") and made.surface.emission_luminance > 0


def test_a_damaged_picture_leaves_the_rest_as_it_is(tmp_path):
    material = {"pbrMetallicRoughness": {"baseColorTexture": {"index": 0}}, "normalTexture": {"index": 1}}
    result, assets, made, part = label(material, [png(QUARTERS)[:60], png(QUARTERS[..., :3])], tmp_path)
    assert any("cannot be read" in n for n in result.notes)
    assert [n.image is None for n in made.nodes] == [True, False]
    assert seen(result, assets, part).mean() > 0.2  # it is drawn without it


def test_an_obj_brings_its_pictures_with_their_options(tmp_path):
    Image.fromarray(large(QUARTERS[..., :3])).save(tmp_path / "my print.png")
    Image.new("L", (8, 8), 100).save(tmp_path / "bumps.png")
    (tmp_path / "card.mtl").write_text("newmtl Card\nKd 0.8 0.8 0.8\nKs 0 0 0\nmap_Kd -s 2 1 1 my print.png\nmap_Bump -bm 0.5 bumps.png\n")
    (tmp_path / "card.obj").write_text(
        "mtllib card.mtl\nusemtl Card\nv 0 0 0\nv 40 0 0\nv 40 0 40\nv 0 0 40\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nf 1/1 2/2 3/3 4/4\n"
    )
    result, assets, made, part = taken(tmp_path / "card.obj")
    assert set(made.wires) == {"base_color", "height"} and {n.file for n in made.nodes if n.kind == "image"} == {"my print.png", "bumps.png"}
    shown = seen(result, assets, part)
    left, right = shown[10, 5], shown[10, 15]  # twice across: red and green within the first half
    assert left[0] > 1.5 * left[1] and right[1] > 1.3 * right[0] and shown[30, 5][2] > 1.5 * shown[30, 5][1]


def test_usd_brings_its_pictures(tmp_path):
    from pxr import Sdf, Usd, UsdGeom, UsdShade

    Image.fromarray(large(QUARTERS[..., :3])).save(tmp_path / "print.png")
    stage = Usd.Stage.CreateNew(str(tmp_path / "card.usda"))
    UsdGeom.SetStageUpAxis(stage, "Z")
    UsdGeom.SetStageMetersPerUnit(stage, 0.001)
    mesh = UsdGeom.Mesh.Define(stage, "/Card")
    mesh.CreatePointsAttr([(0, 0, 0), (40, 0, 0), (40, 0, 40), (0, 0, 40)])
    mesh.CreateFaceVertexCountsAttr([4])
    mesh.CreateFaceVertexIndicesAttr([0, 1, 2, 3])
    UsdGeom.PrimvarsAPI(mesh).CreatePrimvar("st", Sdf.ValueTypeNames.TexCoord2fArray, "vertex").Set([(0, 0), (1, 0), (1, 1), (0, 1)])
    material = UsdShade.Material.Define(stage, "/M")
    shader = UsdShade.Shader.Define(stage, "/M/S")
    shader.CreateIdAttr("UsdPreviewSurface")
    picture = UsdShade.Shader.Define(stage, "/M/T")
    picture.CreateIdAttr("UsdUVTexture")
    picture.CreateInput("file", Sdf.ValueTypeNames.Asset).Set("./print.png")
    picture.CreateOutput("rgb", Sdf.ValueTypeNames.Float3)
    shader.CreateInput("diffuseColor", Sdf.ValueTypeNames.Color3f).ConnectToSource(picture.ConnectableAPI(), "rgb")
    shader.CreateInput("roughness", Sdf.ValueTypeNames.Float).Set(1.0)
    material.CreateSurfaceOutput().ConnectToSource(shader.ConnectableAPI(), "surface")
    UsdShade.MaterialBindingAPI.Apply(mesh.GetPrim()).Bind(material)
    stage.Save()
    result, assets, _, part = taken(tmp_path / "card.usda")
    red, green, blue, _ = corners(seen(result, assets, part))
    assert red[0] > 1.5 * red[1] and green[1] > 1.3 * green[0] and blue[2] > 1.5 * blue[1]
