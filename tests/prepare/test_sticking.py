"""Decals: where they lie, how they are bent, how deep they are, whose they are."""

import math

import numpy as np
import pytest
from msgspec.structs import replace
from PIL import Image

from aulmo import script
from aulmo.document import edits
from aulmo.document.decals import alike_parts, decals_on, lies_on, moved_in_order
from aulmo.document.records import Part, Placement
from aulmo.errors import BadFile, BadValue
from aulmo.prepare import pieces, sticking
from aulmo.prepare.cutting import split_by_plane
from aulmo.prepare.decal_surface import mapped
from shapes import box_mesh, one_part, sphere_mesh


@pytest.fixture
def label(tmp_path):
    path = tmp_path / "label.png"
    Image.new("RGB", (80, 40), (200, 30, 30)).save(path, dpi=(254, 254))
    return path


def cylinder(radius=20.0, height=60.0):
    """A document with one solid cylinder standing at the origin."""
    document, assets = one_part(box_mesh(1.0))
    document, made = pieces.add_piece(document, pieces.set_piece("cylinder", radius=radius, height=height))
    return document, assets, made


def test_a_decal_keeps_its_shape_and_its_true_size(label):
    document, assets = one_part(box_mesh(50.0))
    document, decal_id = script.add_decal(document, assets, label, "ball", (0, -25, 0), (0, -1, 0), 30.0)
    decal = document.decals[decal_id]
    assert (decal.width_mm, decal.height_mm) == pytest.approx((30.0, 15.0))
    place, scale = sticking.world_place(document, decal)
    np.testing.assert_allclose(place[:3, 3], (0, -25, 0), atol=1e-6)
    np.testing.assert_allclose(place[:3, :3], np.array([[1, 0, 0], [0, 0, 1], [0, -1, 0]]).T, atol=1e-6)


def test_a_decal_on_a_flat_face_is_hardly_deep(label):
    document, assets = one_part(box_mesh(50.0))
    document, decal_id = script.add_decal(document, assets, label, "ball", (0, -25, 0), (0, -1, 0), 30.0)
    assert document.decals[decal_id].depth_mm < 0.2


def test_flat_on_a_cylinder_a_decal_is_as_deep_as_the_cylinder_falls_off(label):
    document, assets, made = cylinder()
    document, decal_id = script.add_decal(document, assets, label, made, (0, -20, 30), (0, -1, 0), 20.0)
    falls = 20.0 - math.sqrt(20.0**2 - 10.0**2)
    assert falls <= document.decals[decal_id].depth_mm < 1.1 * falls + 0.3


def test_round_a_cylinder_the_radius_and_the_axis_come_from_its_face(label):
    document, assets, made = cylinder()
    document, decal_id = script.add_decal(document, assets, label, made, (0, -20, 30), (0, -1, 0), 30.0, wrap="cylinder")
    decal = document.decals[decal_id]
    assert decal.wrap == "cylinder" and decal.radius_mm == pytest.approx(20.0, rel=1e-3) and abs(decal.bend) < 0.1
    assert decal.depth_mm < 0.5


def test_a_cylinder_that_lies_turns_the_axis_and_not_the_artwork(label):
    document, assets, made = cylinder()
    document = edits.change_part(document, made, placement=Placement(turn=(0.0, 90.0, 0.0)))
    document, decal_id = script.add_decal(document, assets, label, made, (30, -20, 0), (0, -1, 0), 20.0, wrap="cylinder")
    decal = document.decals[decal_id]
    place, _ = sticking.world_place(document, decal)
    assert abs(abs(decal.bend) - 90.0) < 0.1 and place[2, 1] == pytest.approx(1.0, abs=1e-6)  # its own up is still the world's
    laid, _ = mapped(decal, np.array([[5.0, 0.0, 0.0], [0.0, 0.0, 0.0]]))
    np.testing.assert_allclose(laid[0, :2], (5.0, 0.0), atol=0.01)


def test_on_a_ball_a_decal_is_bent_both_ways(label):
    document, assets = one_part(sphere_mesh(30.0))
    document, decal_id = script.add_decal(document, assets, label, "ball", (0, -30, 0), (0, -1, 0), 20.0, wrap="ball")
    decal = document.decals[decal_id]
    assert decal.wrap == "ball" and decal.radius_mm == pytest.approx(30.0, rel=0.02)


def test_in_a_scaled_part_a_decal_still_has_its_size_in_the_world(label):
    document, assets = one_part(box_mesh(50.0))
    document = edits.change_part(document, "ball", placement=Placement(scale=(2.0, 2.0, 2.0)))
    document, decal_id = script.add_decal(document, assets, label, "ball", (0, -50, 0), (0, -1, 0), 30.0)
    decal = document.decals[decal_id]
    assert decal.width_mm == pytest.approx(15.0)
    place, scale = sticking.world_place(document, decal)
    assert scale == pytest.approx(2.0) and place[1, 3] == pytest.approx(-50.0)


def three_blocks():
    document, assets = one_part(box_mesh(20.0))
    mesh = document.parts["ball"].mesh
    more = [Part(id=i, name=i, mesh=mesh, placement=Placement(position=(x, 0, 0))) for i, x in (("left", -20.0), ("right", 20.0))]
    return edits.add_parts(document, more, [p.id for p in more]), assets


def test_a_region_remembers_where_the_parts_in_its_reach_stood(label):
    document, assets = three_blocks()
    document = edits.add_parts(
        document, [Part(id="far", name="Far", mesh=document.parts["ball"].mesh, placement=Placement(position=(200, 0, 0)))], ["far"]
    )
    document, decal_id = script.add_decal(document, assets, label, "ball", (0, -10, 0), (0, -1, 0), 50.0, belongs="region")
    assert set(lies_on(document, document.decals[decal_id])) == {"ball", "left", "right"}


def test_a_decal_becomes_a_region_and_goes_back_without_moving(label):
    document, assets = three_blocks()
    document = edits.change_part(document, "ball", placement=Placement(turn=(0, 0, 90.0)))
    document, decal_id = script.add_decal(document, assets, label, "ball", (0, -10, 0), (0, -1, 0), 12.0)
    before = document.decals[decal_id]
    region = sticking.belonging(document, assets, before, "region")
    np.testing.assert_allclose(sticking.world_place(document, region)[0], sticking.world_place(document, before)[0], atol=1e-6)
    again = sticking.belonging(document, assets, region, "part")
    np.testing.assert_allclose(again.position, before.position, atol=1e-6)
    assert again.width_mm == pytest.approx(before.width_mm)


def test_every_alike_part_is_of_the_same_shape_or_of_the_same_material(label):
    document, assets = three_blocks()
    document, decal_id = script.add_decal(document, assets, label, "left", (-20, -10, 0), (0, -1, 0), 12.0, belongs="alike")
    decal = document.decals[decal_id]
    assert set(alike_parts(document, decal)) == {"left", "ball", "right"}
    assert alike_parts(document, replace(decal, alike="material")) == ["left", "right"]  # those that wear nothing, as it does


def test_pulled_to_another_part_a_decal_comes_over_and_is_bent_as_that_one(label):
    document, assets, made = cylinder()
    document = edits.change_part(document, "ball", mesh=assets.add_mesh(box_mesh(50.0)), placement=Placement(position=(100, 0, 0)))
    document, decal_id = script.add_decal(document, assets, label, "ball", (100, -25, 0), (0, -1, 0), 20.0)
    moved = sticking.slid(document, assets, document.decals[decal_id], sticking.spot_at(document, assets, made, (0, -20, 20), (0, -1, 0)))
    assert moved.parts == (made,) and moved.wrap == "cylinder" and moved.width_mm == pytest.approx(20.0)
    back = sticking.slid(document, assets, moved, sticking.spot_at(document, assets, "ball", (100, -25, 0), (0, -1, 0)))
    assert back.parts == ("ball",) and back.wrap == "flat"


def test_a_decal_of_a_deleted_part_goes_and_comes_back_with_it_and_an_alike_one_stays_on_the_others(label):
    document, assets = three_blocks()
    document, own = script.add_decal(document, assets, label, "left", (-20, -10, 0), (0, -1, 0), 12.0)
    document, alike = script.add_decal(document, assets, label, "left", (-20, -10, 0), (0, -1, 0), 12.0, belongs="alike")
    after = edits.delete_parts(document, ["left"])
    assert set(after.decals) == {alike} and after.decals[alike].parts[0] in ("ball", "right")
    assert set(document.decals) == {own, alike}


def test_a_decal_of_a_part_that_is_split_lies_on_both_pieces(label):
    document, assets = one_part(box_mesh(50.0))
    document, decal_id = script.add_decal(document, assets, label, "ball", (0, -25, 0), (0, -1, 0), 30.0)
    document, other = split_by_plane(document, assets, "ball", (0, 0, 0), (1, 0, 0))
    assert set(document.decals[decal_id].parts) == {"ball", other}
    assert [d.id for d in decals_on(document, other)] == [decal_id]


def test_a_duplicated_part_gets_a_decal_of_its_own(label):
    document, assets = one_part(box_mesh(50.0))
    document, decal_id = script.add_decal(document, assets, label, "ball", (0, -25, 0), (0, -1, 0), 30.0)
    document, (copy,) = edits.duplicate_parts(document, ["ball"])
    (other,) = [d for i, d in document.decals.items() if i != decal_id]
    assert other.parts == (copy,) and other.position == document.decals[decal_id].position


def test_what_lies_on_top_is_changed_by_order(label):
    document, assets = one_part(box_mesh(50.0))
    ids = []
    for _ in range(3):
        document, made = script.add_decal(document, assets, label, "ball", (0, -25, 0), (0, -1, 0), 30.0)
        ids.append(made)
    assert [d.id for d in decals_on(document, "ball")] == ids[::-1]
    document = moved_in_order(document, ids[2], ids[0])
    assert [d.id for d in decals_on(document, "ball")] == [ids[1], ids[0], ids[2]]


@pytest.mark.parametrize(
    ("changes", "words"),
    [({"width_mm": 0.0}, "above zero"), ({"width_mm": math.nan}, "above zero"), ({"normal": (0, 0, 0)}, "faces"),
     ({"wrap": "cone"}, "flat, cylinder, ball"),
     ({"belongs": "all"}, "part, alike, region"), ({"depth_mm": -1.0}, "depth"), ({"part_id": "nobody"}, "part"),
     ({"point": (math.inf, 0, 0)}, "numbers")],
)  # fmt: skip
def test_nonsense_is_told_in_a_sentence(label, changes, words):
    document, assets = one_part(box_mesh(50.0))
    given = {"part_id": "ball", "point": (0, -25, 0), "normal": (0, -1, 0), "width_mm": 30.0} | changes
    with pytest.raises(BadValue, match=words):
        script.add_decal(document, assets, label, **given)


def test_a_file_that_is_no_picture_is_told_in_a_sentence(tmp_path):
    document, assets = one_part(box_mesh(50.0))
    path = tmp_path / "label.png"
    path.write_bytes(b"not a picture at all")
    with pytest.raises(BadFile, match="label.png cannot be read"):
        script.add_decal(document, assets, path, "ball", (0, -25, 0), (0, -1, 0), 30.0)
