"""Views from the sides, by keys and from the compass; the scene from outside with the shot beside it, in every stage."""

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from aulmo.desk.picture.compass import SIDES
from aulmo.desk.stages import STAGES
from aulmo.frame.camera import camera_axes
from desk_tools import hover, settle

KEYS = {
    "front": Qt.Key.Key_Home, "back": Qt.Key.Key_End, "right": Qt.Key.Key_Right, "left": Qt.Key.Key_Left, "top": Qt.Key.Key_Up,
    "below": Qt.Key.Key_Down,
}  # fmt: skip


@pytest.mark.parametrize("side", list(SIDES))
def test_a_key_shows_a_side_in_parallel_with_all_of_it_in_the_frame(window, side):
    QTest.keyClick(window.picture, KEYS[side], Qt.KeyboardModifier.AltModifier)
    view = window.session.free_view
    assert view is not None and view.projection == "parallel" and np.allclose(camera_axes(view)[2], -np.array(SIDES[side][0]), atol=1e-9)
    frame = window.picture.frame_rect()
    corners = np.array([(x, y, z) for x in (-70, 70) for y in (-15, 15) for z in (0, 40)], float)
    places = window.picture.places_on_screen(corners)
    assert (places[:, 0] > frame.left()).all() and (places[:, 0] < frame.right()).all()
    assert (places[:, 1] > frame.top()).all() and (places[:, 1] < frame.bottom()).all()
    QTest.keyClick(window.picture, Qt.Key.Key_0)
    assert window.session.free_view is None


def test_an_end_of_the_compass_is_a_view(window, qtbot):
    window.session.set_stage("Prepare")
    compass = window.compass
    side, at, _ = next(e for e in compass.ends() if e[0] == "top")
    hover(window.picture, at.toPoint())
    assert window.picture._label == ("From the top", "Alt+Up")
    QTest.mouseClick(window.picture, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at.toPoint())
    settle(qtbot, window)
    assert window.session.free_view.name == "From the top"
    window.session.set_view(None)
    window.session.set_stage("Light")
    assert not compass.shown()


@pytest.mark.parametrize("stage", [s.name for s in STAGES])
def test_the_scene_from_outside_has_the_shot_beside_it_in_every_stage(window, stage):
    session = window.session
    session.set_stage(stage)
    beside = window.built["Move"].commands.beside
    window.registry.run("outside")
    assert session.free_view is not None and session.outside and not beside.isHidden()
    window.registry.run("outside")
    assert session.free_view is None and beside.isHidden()
