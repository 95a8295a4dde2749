"""Set pieces are true solids of the sizes they were given."""

import math

import numpy as np
import pytest
from hypothesis import given, settings, strategies as st
from msgspec.structs import replace

from aulmo import script
from aulmo.document.assets import AssetStore
from aulmo.document.made import set_pieces
from aulmo.document.project_file import load, save
from aulmo.document.properties import put, resolve
from aulmo.document.records import Document
from aulmo.document.stores import store_of
from aulmo.errors import BadValue

CLOSED = {
    "floor": lambda p: p.width * p.depth * p.thickness, "wall": lambda p: p.width * p.height * p.thickness,
    "block": lambda p: p.width * p.depth * p.height, "plinth": lambda p: p.width * p.depth * p.height,
    "shelf": lambda p: p.width * p.depth * p.thickness, "turntable": lambda p: math.pi * p.radius**2 * p.height,
    "cylinder": lambda p: math.pi * p.radius**2 * p.height,
    "cone": lambda p: math.pi * p.height * (p.radius**2 + p.radius * p.radius_top + p.radius_top**2) / 3,
    "tube": lambda p: math.pi * (p.radius**2 - (p.radius - p.thickness) ** 2) * p.height, "sphere": lambda p: 4 / 3 * math.pi * p.radius**3,
    "torus": lambda p: 2 * math.pi**2 * p.radius * (p.thickness / 2) ** 2,
}  # fmt: skip


def volume(mesh) -> float:
    """By the divergence theorem; negative for a solid that is inside out."""
    p = mesh.vertices.astype(float)[mesh.triangles]
    return float((p[:, 0] * np.cross(p[:, 1], p[:, 2])).sum() / 6)


def agreement(mesh) -> float:
    """Share of triangles that face as their normals do."""
    p = mesh.vertices.astype(float)[mesh.triangles]
    flat = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    return float(((flat * mesh.normals[mesh.triangles].mean(1)).sum(1) > 0).mean())


@pytest.mark.parametrize("kind", CLOSED)
def test_a_solid_has_the_volume_of_its_formula(kind):
    piece = replace(set_pieces.starting(kind), bevel=0.0)
    mesh = set_pieces.make(piece)
    assert volume(mesh) == pytest.approx(CLOSED[kind](piece), rel=6e-3)
    assert agreement(mesh) == 1.0


@settings(max_examples=30, deadline=None)
@given(st.tuples(*[st.floats(0.5, 3000)] * 3), st.floats(0, 40))
def test_a_rounded_block_keeps_its_sizes_and_its_normals(sides, bevel):
    piece = replace(set_pieces.starting("block"), width=sides[0], depth=sides[1], height=sides[2], bevel=bevel)
    mesh = set_pieces.make(piece)
    np.testing.assert_allclose(np.ptp(mesh.vertices, axis=0), sides, rtol=1e-4)
    np.testing.assert_allclose(np.linalg.norm(mesh.normals, axis=1), 1, atol=1e-5)
    assert agreement(mesh) > 0.999 and sorted(set(mesh.faces.tolist())) == [0, 1, 2, 3, 4, 5]


def test_a_cove_runs_smoothly_from_floor_to_wall():
    mesh = set_pieces.make(replace(set_pieces.starting("cove"), radius=400.0))
    steep = np.degrees(np.arccos(np.clip(mesh.normals[:, 2], -1, 1)))
    assert steep.min() == 0 and steep.max() == pytest.approx(90, abs=1e-3)
    angles = np.unique(np.round(steep, 3))
    assert np.diff(angles).max() < 2  # no crease
    bend = mesh.vertices[np.unique(mesh.triangles[mesh.faces == 1])]
    centre = np.array([bend[:, 1].min(), 400.0])
    np.testing.assert_allclose(np.hypot(bend[:, 1] - centre[0], bend[:, 2] - centre[1]), 400, rtol=1e-4)


def test_letters_are_as_tall_as_asked_have_holes_and_stand():
    mesh = set_pieces.make(replace(set_pieces.starting("text"), text="O", height=70.0, thickness=10.0, bevel=0.0))
    assert mesh.vertices[:, 2].min() == 0 and np.ptp(mesh.vertices[:, 1]) == pytest.approx(10)
    assert np.ptp(mesh.vertices[:, 2]) == pytest.approx(70, rel=0.06)  # a round letter reaches a little over
    front = mesh.faces == 0
    p = mesh.vertices.astype(float)[mesh.triangles[front]]
    ink = 0.5 * np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1).sum()
    assert 0.2 < ink / np.prod(np.ptp(p.reshape(-1, 3)[:, [0, 2]], axis=0)) < 0.7
    assert volume(mesh) == pytest.approx(10 * ink, rel=1e-3) and agreement(mesh) == 1.0


@pytest.mark.parametrize("text", ["Odrel", "dab", "8&g%é", "W\nm"])
def test_a_rounded_edge_never_turns_a_letter_inside_out(text):
    mesh = set_pieces.make(replace(set_pieces.starting("text"), text=text, bevel=20.0))
    flat = mesh.faces < 2
    assert agreement(mesh._replace(triangles=mesh.triangles[flat])) == 1.0 and volume(mesh) > 0


def test_water_is_as_rough_as_the_wind_and_the_same_for_the_same_pattern():
    calm, breeze = (set_pieces.make(replace(set_pieces.starting("water"), wind=w, wave=300.0)) for w in (0.3, 2.0))
    other = set_pieces.make(replace(set_pieces.starting("water"), wind=2.0, wave=300.0, seed=1))
    again = set_pieces.make(replace(set_pieces.starting("water"), wind=2.0, wave=300.0))
    rough = [float(m.vertices[:, 2].std()) for m in (calm, breeze, other)]
    assert rough[0] < 0.2 * rough[1] and rough[2] == pytest.approx(rough[1], rel=0.35)
    np.testing.assert_array_equal(breeze.vertices, again.vertices)
    assert not np.array_equal(breeze.vertices, other.vertices)
    assert 4 * rough[1] == pytest.approx(300 / 14, rel=0.3)  # no steeper than waves of that length can be


def test_sizes_are_set_by_address_and_the_mesh_follows():
    document, made = script.add_piece(Document(), "cylinder", radius=20, height=50)
    taller = put(document, f"parts/{made}/set_piece/height", 80.0)
    box = store_of(taller.parts[made].mesh).box(taller.parts[made].mesh)
    np.testing.assert_allclose(box, [[-20, -20, 0], [20, 20, 80]], atol=1e-4)
    shot = replace(document, shots=())
    assert resolve(shot) is shot  # nothing to make anew


def test_set_pieces_are_saved_by_their_sizes_alone(tmp_path):
    document, made = script.add_piece(Document(name="Set"), "torus", radius=30, thickness=8)
    save(document, AssetStore(), tmp_path / "set.aulmo")
    again, assets = load(tmp_path / "set.aulmo")
    assert again == document and (tmp_path / "set.aulmo").stat().st_size < 4000
    assert len(assets.mesh(again.parts[made].mesh).triangles) > 1000


@pytest.mark.parametrize(
    "kind, sizes, words",
    [
        ("text", {"text": "  \n "}, "letter"), ("block", {"width": float("nan")}, "Width"), ("block", {"height": -3}, "Height"),
        ("sphere", {"width": 3}, "no size named width"), ("prism", {}, "no set piece"), ("cylinder", {"radius": "wide"}, "number"),
        ("cylinder", {"diameter": None}, "number"),
    ],
)  # fmt: skip
def test_nonsense_is_told_in_a_sentence(kind, sizes, words):
    with pytest.raises(BadValue, match=words):
        script.add_piece(Document(), kind, **sizes)
    document, made = script.add_piece(Document(), "text")
    with pytest.raises(BadValue, match="letter"):
        put(document, f"parts/{made}/set_piece/text", "")
