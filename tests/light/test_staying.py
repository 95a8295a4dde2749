"""What light goes along with: camera, part, scene."""

import numpy as np
import pytest
from hypothesis import given, settings, strategies as st
from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.records import Camera, Document, Environment, Lamp, Part, Placement, Softbox
from aulmo.light.dome_map import angles, direction
from aulmo.light.place_lamp import aim_of
from aulmo.light.softbox import frame, mirrored, waste
from aulmo.light.staying import axes_followed, box_stays, dome_stays, heading, in_world, lamp_in_world, lamp_stays, standing

CAMERA = Camera("c", "Camera", position=(300.0, -500.0, 200.0), target=(10.0, 5.0, 80.0))
LAMP = Lamp("l", "Key", position=(-200.0, 100.0, 300.0), turn=(40.0, 0.0, 120.0))
BOX = Softbox("b", "Box", azimuth=50.0, elevation=20.0, turn=15.0)


def document(turn=0.0, **more):
    part = Part("p", "Product", placement=Placement(position=(20.0, 30.0, 0.0), turn=(0.0, 0.0, turn)))
    lit = Document(parts={"p": part}, roots=("p",), lamps={"l": LAMP}, environment=Environment(softboxes=(BOX,)))
    return replace(lit, **more)


def test_nothing_changes_when_nothing_goes_along():
    made = document()
    got = standing(made, CAMERA)
    assert got.environment is made.environment and got.lamps is made.lamps
    assert axes_followed(made, CAMERA) == ()


@pytest.mark.parametrize("with_", ["camera", "part"])
def test_choosing_what_it_stays_with_moves_nothing(with_):
    made = document(turn=35.0)
    box, lamp = box_stays(made, BOX, with_, "p", CAMERA), lamp_stays(made, LAMP, with_, "p", CAMERA)
    for one, other in zip(frame(in_world(made, box, CAMERA)), frame(BOX)):
        np.testing.assert_allclose(one, other, atol=1e-6)
    back = lamp_in_world(made, lamp, CAMERA)
    np.testing.assert_allclose(back.position, LAMP.position, atol=1e-6)
    np.testing.assert_allclose(aim_of(back), aim_of(LAMP), atol=1e-6)
    domed = dome_stays(made, with_, "p", CAMERA)
    for one, other in zip(frame(standing(domed, CAMERA).environment.softboxes[0]), frame(BOX)):
        np.testing.assert_allclose(one, other, atol=1e-6)


def test_a_product_that_turns_takes_its_light_along_and_leaves_the_rest():
    made = document()
    made = replace(made, environment=replace(made.environment, softboxes=(BOX, replace(box_stays(made, BOX, "part", "p", CAMERA), id="w"))))
    turned = edits.change_part(made, "p", placement=Placement(position=(20.0, 30.0, 0.0), turn=(0.0, 0.0, 90.0)))
    still, along = standing(turned, CAMERA).environment.softboxes
    assert (still.azimuth, still.elevation) == (50.0, 20.0)
    assert (along.azimuth, along.elevation) == (pytest.approx(140.0), pytest.approx(20.0))


@given(st.floats(-180, 180), st.floats(50, 500))
@settings(max_examples=30, deadline=None)
def test_light_that_stays_with_the_camera_keeps_its_side_of_it(around, height):
    made = document()
    box = box_stays(made, BOX, "camera", None, CAMERA)
    away = 600 * direction(around, 0)
    moved = replace(CAMERA, position=tuple((away + [10.0, 5.0, height]).tolist()))
    at = in_world(made, box, moved)
    difference = (at.azimuth - heading(moved) - (50.0 - heading(CAMERA)) + 180) % 360 - 180
    assert difference == pytest.approx(0.0, abs=1e-6)
    assert at.elevation == pytest.approx(20.0, abs=1e-6)


def test_a_lamp_on_a_part_is_moved_with_it():
    made = document()
    lamp = lamp_stays(made, LAMP, "part", "p", CAMERA)
    moved = edits.change_part(made, "p", placement=Placement(position=(120.0, 30.0, 5.0)))
    np.testing.assert_allclose(lamp_in_world(moved, lamp, CAMERA).position, np.add(LAMP.position, (100.0, 0.0, 5.0)), atol=1e-6)


def test_a_part_that_is_gone_holds_nothing_up():
    made = document()
    lamp = replace(lamp_stays(made, LAMP, "part", "p", CAMERA), part="gone")
    assert lamp_in_world(replace(made, parts={}, roots=()), lamp, CAMERA).position == lamp.position


def test_mirroring_goes_to_the_other_side_of_the_camera():
    other = mirrored(BOX, heading=20.0)
    assert (other.azimuth, other.elevation, other.turn) == (-10.0, 20.0, -15.0)
    assert mirrored(other, 20.0) == BOX
    assert angles(frame(other)[0])[0] == pytest.approx(-10.0)


def test_an_overlap_that_wastes_light_is_told_of_what_is_hidden_alone():
    over = Softbox("o", "Big", azimuth=45, elevation=20, width=90, height=90)
    told = waste((BOX, over))
    assert list(told) == ["b"] and "Big hides" in told["b"]
    assert waste((replace(over, width=150, height=150), BOX)) == {} and waste((BOX, replace(over, blend="add"))) == {}
