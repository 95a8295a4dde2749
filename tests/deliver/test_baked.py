"""Pictures of what parts wear, for formats without nodes and decals: where they lie, what is in them, and that readers of another make find them."""

import io
import json
import struct

import numpy as np
import pytest
from msgspec.structs import replace
from PIL import Image

from aulmo import script
from aulmo.deliver.baked import Baker, baked_meshes, rasterized, wants_baking
from aulmo.deliver.gltf_out import export_gltf
from aulmo.deliver.usd_out import export_usd
from aulmo.document.records import Decal, Floor, Material, Node, Surface
from aulmo.surface.colour import ACESCG_TO_SRGB, encode_srgb
from shapes import box_mesh, one_part

MIDDLE, FRONT = 0.0, (0.0, -10.0, 0.0)  # of the box that is painted
RED, GREEN = (0.6, 0.05, 0.05), (0.05, 0.5, 0.1)


def painted(*, decal: bool = False, nodes: bool = True):
    """A box of 20 mm; with nodes it is red below half of its height and green above; a decal of blue ink, 8 x 8 mm, lies on its front."""
    document, assets = one_part(box_mesh(20), Surface(base_color=(0.5, 0.5, 0.5), specular_roughness=0.4))
    material = document.materials["m"]
    if nodes:
        split = (
            Node("at", "position", {}), Node("z", "extract", {"in": "@at"}, choices={"index": "2"}),
            Node("pick", "ifgreater", {"value1": "@z", "value2": MIDDLE, "in1": GREEN, "in2": RED}),
        )  # fmt: skip
        material = replace(material, nodes=split, wires={"base_color": "@pick"})
    document = replace(document, materials={**document.materials, "m": material}, floor=Floor(kind="none"))
    if decal:
        ink = Material("ink", "Blue ink", surface=Surface(base_color=(0.02, 0.05, 0.6), specular_roughness=0.8))
        stuck = Decal(
            "d", "Square", artwork="shape", shape="rectangle", material="ink", parts=("ball",), position=FRONT, turn=(90.0, 0.0, 0.0),
            width_mm=8.0, height_mm=8.0, keep_shape=False, colouring="one", colour=(0.02, 0.05, 0.6),
        )  # fmt: skip
        document = replace(document, materials={**document.materials, "ink": ink}, decals={"d": stuck})
    return document, assets


def shown(colour) -> np.ndarray:
    """An ACEScg colour in the codes of a picture."""
    return np.rint(encode_srgb(np.clip(ACESCG_TO_SRGB @ np.array(colour), 0, 1)) * 255)


def places(assets, document, side: int):
    """Of each pixel of the part's picture: its place in the part, and whether it is of it."""
    baker = Baker(assets)
    cut, mesh = baker.unwrapped(document.parts["ball"].mesh), assets.mesh(document.parts["ball"].mesh)
    triangle, weights = rasterized(cut, side)
    corners = mesh.vertices[mesh.triangles[np.maximum(triangle, 0)]]
    return (corners * weights[..., None]).sum(2), triangle >= 0


def test_a_mesh_is_laid_flat_without_overlaps_and_in_its_order():
    document, assets = painted()
    baker = Baker(assets)
    mesh, cut = assets.mesh(document.parts["ball"].mesh), baker.unwrapped(document.parts["ball"].mesh)
    np.testing.assert_array_equal(cut.vertices[cut.triangles.astype(int)], mesh.triangles)
    e, f = (cut.uv[cut.triangles[:, k]] - cut.uv[cut.triangles[:, 0]] for k in (1, 2))
    area = 0.5 * np.abs(e[:, 0] * f[:, 1] - e[:, 1] * f[:, 0]).sum()
    triangle, weights = rasterized(cut, 256)
    assert (triangle >= 0).mean() == pytest.approx(area, rel=0.05) and area > 0.3  # were there overlaps, fewer pixels would be covered
    np.testing.assert_allclose(weights[triangle >= 0].sum(-1), 1.0)
    assert set(np.unique(triangle)) == {-1, *range(len(mesh.triangles))}


def test_what_nodes_colour_lies_where_it_is_on_the_part():
    document, assets = painted()
    plain = painted(nodes=False)[0]
    assert wants_baking(document, document.parts["ball"]) and not wants_baking(plain, plain.parts["ball"])
    made = Baker(assets).pictures(document, document.parts["ball"])
    with Image.open(io.BytesIO(made.colour)) as image:
        assert image.mode == "RGB" and made.opaque and not made.clear
        pixels = np.asarray(image).astype(float)
    at, there = places(assets, document, len(pixels))
    above = at[..., 2] > MIDDLE + 1
    below = at[..., 2] < MIDDLE - 1
    assert np.abs(pixels[there & above] - shown(GREEN)).max() <= 1
    assert np.abs(pixels[there & below] - shown(RED)).max() <= 1
    with Image.open(io.BytesIO(made.rough_metal)) as image:
        both = np.asarray(image)[there]
    assert np.abs(both[:, 1] / 255 - 0.4).max() < 0.01 and both[:, 2].max() == 0


def test_a_decal_is_baked_where_it_is_stuck():
    document, assets = painted(decal=True, nodes=False)
    made = Baker(assets).pictures(document, document.parts["ball"])
    with Image.open(io.BytesIO(made.colour)) as image:
        pixels = np.asarray(image).astype(float)
    at, there = places(assets, document, len(pixels))
    away = at - np.array(FRONT)
    on = there & (np.abs(away[..., 1]) < 0.05) & (np.abs(away[..., 0]) < 3.6) & (np.abs(away[..., 2]) < 3.6)
    off = there & ((np.abs(away[..., 1]) > 1.5) | (np.abs(away[..., 0]) > 4.5) | (np.abs(away[..., 2]) > 4.5))
    assert on.sum() > 100
    assert np.abs(pixels[on] - shown((0.02, 0.05, 0.6))).max() <= 2
    assert np.abs(pixels[off] - shown((0.5, 0.5, 0.5))).max() <= 1
    moved = replace(document, decals={"d": replace(document.decals["d"], visible=False)})
    assert Baker(assets).pictures(moved, moved.parts["ball"]) is None and baked_meshes([document]) == {document.parts["ball"].mesh}


def test_glass_stays_clear_beneath_what_is_printed_on_it():
    document, assets = painted(decal=True, nodes=False)
    glass = replace(document.materials["m"], surface=Surface(transmission_weight=1.0, specular_roughness=0.0))
    document = replace(document, materials={**document.materials, "m": glass})
    made = Baker(assets).pictures(document, document.parts["ball"])
    with Image.open(io.BytesIO(made.clear)) as image:
        clear = np.asarray(image)[..., 0]
    at, there = places(assets, document, len(clear))
    away = at - np.array(FRONT)
    on = there & (np.abs(away[..., 1]) < 0.05) & (np.abs(away[..., 0]) < 3.6) & (np.abs(away[..., 2]) < 3.6)
    assert clear[on].max() < 60 and np.median(clear[there]) == 255


def gltf_of(path):
    blob = path.read_bytes()
    count = struct.unpack("<I", blob[12:16])[0]
    return json.loads(blob[20 : 20 + count]), blob[28 + count :]


def test_a_glb_holds_the_pictures_each_once_and_variants_have_their_own(tmp_path):
    document, assets = painted()
    top = document.materials["m"].nodes[2]
    blue = replace(top, inputs={**top.inputs, "in1": (0.05, 0.05, 0.5)})
    other = replace(document.materials["m"], id="n", name="Blue top", nodes=(*document.materials["m"].nodes[:2], blue))
    document = replace(document, materials={**document.materials, "n": other})
    document = script.add_choice(script.add_choice(document, "Colour", "Green", {}), "Colour", "Blue", {"parts/ball/material": "n"})
    notes = export_gltf(document, assets, tmp_path / "a.glb")
    gltf, blob = gltf_of(tmp_path / "a.glb")
    assert not any("left out; the values" in note for note in notes)
    assert len(gltf["images"]) == len(gltf["textures"]) == 3  # two colours, and what is rough, which is the same
    views = [gltf["bufferViews"][image["bufferView"]] for image in gltf["images"]]
    for view in views:
        with Image.open(io.BytesIO(blob[view["byteOffset"] : view["byteOffset"] + view["byteLength"]])) as image:
            image.verify()
    (mesh,) = gltf["meshes"]
    (primitive,) = mesh["primitives"]
    assert "TEXCOORD_0" in primitive["attributes"]
    assert len(primitive["extensions"]["KHR_materials_variants"]["mappings"]) == 2
    import trimesh

    (shape,) = trimesh.load(tmp_path / "a.glb", force="scene").geometry.values()
    assert shape.visual.uv.shape == (len(shape.vertices), 2) and shape.visual.material.baseColorTexture is not None


def test_usd_lays_them_on_and_brings_them_along(tmp_path):
    from pxr import Usd, UsdShade, UsdValidation

    document, assets = painted(decal=True)
    export_usd(document, assets, tmp_path / "a.usda")
    files = list((tmp_path / "a_textures").iterdir())
    assert len(files) == 2
    registry = UsdValidation.ValidationRegistry()
    for name in ("a.usda", "b.usdz"):
        if name == "b.usdz":
            export_usd(document, assets, tmp_path / name)
        stage = Usd.Stage.Open(str(tmp_path / name))
        shaders = [UsdShade.Shader(p) for p in stage.Traverse() if p.GetTypeName() == "Shader"]
        textures = [s for s in shaders if s.GetIdAttr().Get() == "UsdUVTexture"]
        assert len(textures) == 2
        for texture in textures:
            assert texture.GetInput("file").Get().resolvedPath
        found = UsdValidation.ValidationContext(registry.GetOrLoadAllValidators()).Validate(stage)
        assert [e.GetMessage() for e in found] == []
