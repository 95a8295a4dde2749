"""A file brings along what lies beside it or below it, and nothing else unless the artist says so."""

import base64
import json

import numpy as np
import pytest
from PIL import Image

from aulmo.document import beside
from aulmo.document.assets import AssetStore
from aulmo.errors import BadFile
from aulmo.prepare import gltf_reader, obj_reader, usd_reader
from aulmo.surface.materialx_in import read_materials

MTLX = """<?xml version="1.0"?><materialx version="1.39"><image name="i" type="color3"><input name="file" type="filename" value="{}"/></image>
<open_pbr_surface name="s" type="surfaceshader"><input name="base_color" type="color3" nodename="i"/></open_pbr_surface>
<surfacematerial name="M" type="material"><input name="surfaceshader" type="surfaceshader" nodename="s"/></surfacematerial></materialx>"""


@pytest.fixture
def work(tmp_path):
    """A model's folder, a picture below it, and one elsewhere that is nobody's business."""
    (tmp_path / "model" / "maps").mkdir(parents=True)
    for place, colour in ((tmp_path / "model" / "maps" / "own.png", 10), (tmp_path / "private.png", 200)):
        Image.fromarray(np.full((4, 4, 3), colour, np.uint8)).save(place)
    (tmp_path / "model" / "link.png").symlink_to(tmp_path / "private.png")
    return tmp_path / "model"


WAYS = ("../private.png", "{above}/private.png", "link.png", "maps/../../private.png")


def named(work, way: str) -> str:
    return way.format(above=work.parent)


def say(text, share):
    pass


def gltf(work, picture: str):
    points = np.array([(0, 0, 0), (1, 0, 0), (0, 1, 0)], np.float32).tobytes()
    told = {
        "asset": {"version": "2.0"}, "scene": 0, "scenes": [{"nodes": [0]}], "nodes": [{"mesh": 0}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "material": 0}]}],
        "accessors": [{"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3"}], "bufferViews": [{"buffer": 0, "byteLength": 36}],
        "buffers": [{"uri": "data:;base64," + base64.b64encode(points).decode(), "byteLength": 36}], "images": [{"uri": picture}],
        "textures": [{"source": 0}], "materials": [{"pbrMetallicRoughness": {"baseColorTexture": {"index": 0}}}],
    }  # fmt: skip
    (work / "a.gltf").write_text(json.dumps(told))
    return gltf_reader.read(work / "a.gltf", say)["images"]


def obj(work, picture: str):
    (work / "a.mtl").write_text(f"newmtl m\nKd 1 1 1\nmap_Kd {picture}\n")
    (work / "a.obj").write_text("mtllib a.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\nusemtl m\nf 1/1 2/2 3/3\n")
    return obj_reader.read(work / "a.obj", say)["images"]


def mtlx(work, picture: str):
    (work / "a.mtlx").write_text(MTLX.format(picture))
    assets = AssetStore()
    read_materials(work / "a.mtlx", assets)
    return list(assets.held().values())


@pytest.mark.parametrize("read", [gltf, obj, mtlx])
def test_a_picture_below_is_taken_and_one_elsewhere_is_not(work, read, monkeypatch):
    assert [len(blob) > 0 for blob in read(work, "maps/own.png")] == [True]
    for way in WAYS:
        assert read(work, named(work, way)) == [], way
    monkeypatch.setattr(beside, "anywhere", True)
    assert read(work, "../private.png") == [(work.parent / "private.png").read_bytes()]


def test_a_stage_that_wants_another_from_elsewhere_is_told(work):
    (work.parent / "secret.usda").write_text('#usda 1.0\ndef Mesh "M" {\n}\n')
    (work / "a.usda").write_text('#usda 1.0\n(subLayers = [@../secret.usda@])\n')
    with pytest.raises(BadFile, match="secret.usda, which does not lie beside it"):
        usd_reader.read(work / "a.usda", say)


def test_names_are_no_patterns(work):
    for name in ("*.png", "[a-z]*", "maps/?wn.png", "**"):
        assert beside.beside(work, name) is None and beside.beside(work, name, below=True) is None
    assert beside.beside(work, "own.png", below=True) == work / "maps" / "own.png"
