"""Labels round bodies, and pouches: what is not folded keeps its lengths too."""

import numpy as np
import pytest

import flats
from aulmo import script
from aulmo.document.assets import AssetStore
from aulmo.document.properties import put
from aulmo.document.records import Document
from aulmo.errors import BadValue
from aulmo.prepare.carton import make


def label(tmp_path, wide=120.0, high=40.0) -> tuple[Document, AssetStore, str]:
    """A plain rectangle of paper 0.1 mm thick."""
    ring = [(0.0, 0.0), (wide, 0.0), (wide, high), (0.0, high), (0.0, 0.0)]
    assets = AssetStore()
    document, part = script.make_carton(Document(name="Made up"), assets, flats.write_dxf(tmp_path / "label.dxf", [flats.Drawn("cut", ring)]), 0.1)
    return document, assets, part


def area(mesh, shows: int) -> float:
    """The area of one side."""
    corners = mesh.vertices.astype(float)[mesh.triangles[mesh.faces % 4 == shows]]
    return float(0.5 * np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1).sum())


def test_a_label_lies_on_a_cylinder_as_long_as_it_is_drawn(tmp_path):
    document, assets, part = label(tmp_path)
    document, body = script.add_piece(document, "cylinder", radius=50.0, height=100.0)
    wrapped = make.round_body(document, assets, part, body)
    mesh = assets.mesh(wrapped.parts[part].mesh)
    radius = np.hypot(mesh.vertices[:, 0], mesh.vertices[:, 1])
    assert 49.9 < radius.min() and radius.max() < 50.2
    assert np.allclose(np.array(assets.box(wrapped.parts[part].mesh))[:, 2], [30.0, 70.0], atol=0.01)
    angle = np.arctan2(mesh.vertices[:, 0], -mesh.vertices[:, 1])
    assert np.ptp(angle) * 50.0 == pytest.approx(120.0, abs=0.1)
    higher = put(wrapped, f"parts/{part}/carton/rise", 10.0)
    assert assets.box(higher.parts[part].mesh)[0][2] == pytest.approx(10.0, abs=0.01)


def test_a_label_on_a_cone_keeps_its_area_and_curves(tmp_path):
    document, assets, part = label(tmp_path, 80.0, 30.0)
    document, body = script.add_piece(document, "cone", radius=60.0, radius_top=30.0, height=90.0)
    wrapped = make.round_body(document, assets, part, body)
    mesh = assets.mesh(wrapped.parts[part].mesh)
    assert area(mesh, 0) == pytest.approx(80.0 * 30.0, rel=0.01)
    foot = mesh.vertices[mesh.faces.size and np.argsort(mesh.uv[:, 1])[:200]]
    assert np.ptp(foot[:, 2]) > 2.0  # its lower edge does not run level: paper on a cone
    reach = np.hypot(mesh.vertices[:, 0], mesh.vertices[:, 1]) - (60.0 - mesh.vertices[:, 2] / 3.0)
    assert -0.3 < reach.min() and reach.max() < 0.5


def test_a_label_needs_a_round_body(tmp_path):
    document, assets, part = label(tmp_path)
    document, body = script.add_piece(document, "block", width=50.0, depth=20.0, height=80.0)
    with pytest.raises(BadValue, match="round"):
        make.round_body(document, assets, part, body)
    with pytest.raises(BadValue, match="body"):
        make.as_form(document, part, "round")


@pytest.mark.parametrize("seals", ["both", "bottom", "none"])
def test_a_pouch_is_a_tube_whose_way_round_stays(tmp_path, seals):
    document, assets, part = label(tmp_path, 200.0, 150.0)
    bag = put(put(make.as_form(document, part, "pouch"), f"parts/{part}/carton/fullness", 0.6), f"parts/{part}/carton/seals", seals)
    mesh = assets.mesh(bag.parts[part].mesh)
    middle = np.abs(mesh.vertices[:, 2] - 75.0) < 2.0
    foot = mesh.vertices[:, 2] < 3.0
    assert np.ptp(mesh.vertices[middle][:, 1]) > 40
    assert (np.ptp(mesh.vertices[foot][:, 1]) < 5) == (seals != "none")
    ring = mesh.vertices[(np.abs(mesh.uv[:, 1] - 0.5) < 1e-4) & (mesh.normals[:, 2] < 2)]
    order = np.argsort(np.arctan2(ring[:, 0], ring[:, 1]))
    way = np.linalg.norm(np.diff(ring[np.append(order, order[0])], axis=0), axis=1)
    assert 190 < way[way < 20].sum()
