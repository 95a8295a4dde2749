"""Light by a click in a room, through the real window: lamps hung, portals laid, the sun sent through a window."""

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from aulmo.document.edits import replace
from aulmo.document.records import Environment
from aulmo.frame.exposure import white_nits
from aulmo.light.place_lamp import aim_of
from desk_tools import drop, file_mime, hover, settle
from rooms import IES, room


@pytest.fixture
def inside(window, qtbot):
    """The window looking into the room, lit by a sky."""
    document, assets = room()
    window.session.open_document(replace(document, environment=Environment(kind="sky")), assets, None)
    window.session.set_stage("Light")
    settle(qtbot, window)
    return window


def place(window, *point) -> QPoint:
    return window.picture.place_on_screen(np.array(point, float))


def test_a_lamp_hangs_from_the_ceiling_that_is_clicked_and_shines_down(inside):
    inside.registry.actions["hang_spot"].trigger()
    at = place(inside, 2600, 3600, 2600)
    hover(inside.picture, at)
    assert inside.picture._label[0] == "Spot hung from here"
    QTest.mouseClick(inside.picture, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at)
    lamp = inside.session.lamp
    assert lamp.kind == "spot" and lamp.position[2] == pytest.approx(2598, abs=0.1) and aim_of(lamp)[2] == pytest.approx(-1)
    assert inside.session.tool == ""
    on_the_floor = lamp.power / 2.6**2 / np.pi / white_nits(inside.session.camera)  # the floor's slab lies a little lower than what is walked on
    assert lamp.unit == "candela" and 0.3 < on_the_floor < 0.6, "as bright as suits the view, in a room as in a studio"
    inside.registry.actions["undo"].trigger()
    assert not inside.session.document.lamps


def test_a_lamp_is_mounted_on_a_wall_and_stood_on_the_floor(inside):
    inside.registry.actions["hang_rectangle"].trigger()
    QTest.mouseClick(inside.picture, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ShiftModifier, place(inside, 5200, 3300, 1500))
    wall = inside.session.lamp
    assert wall.width < 800 and aim_of(wall)[0] == pytest.approx(-1) and wall.position[0] == pytest.approx(5198, abs=0.1)
    QTest.mouseClick(inside.picture, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, place(inside, 4000, 3700, 0))
    stood = inside.session.lamp
    assert stood.id != wall.id and stood.position[2] > 500 and aim_of(stood)[2] < 0.2


def test_measured_light_dropped_on_the_ceiling_hangs_there(inside, tmp_path):
    path = tmp_path / "odrel-downlight.ies"
    path.write_text(IES)
    said = drop(inside.picture, file_mime(path), place(inside, 2600, 3600, 2600))
    assert said == "odrel-downlight.ies | a lamp with its measured light hung from here"
    lamp = inside.session.lamp
    assert lamp.kind == "photometric" and lamp.profile and lamp.position[2] > 2500 and lamp.name == "odrel-downlight"


def test_a_click_on_a_window_lays_its_portal_and_return_lays_all(inside, qtbot):
    inside.registry.actions["portal_at"].trigger()
    at = place(inside, 3400, 4210, 1800)
    hover(inside.picture, at)
    assert inside.picture._label[0] == "Portal 2500 × 2000 mm"
    hover(inside.picture, place(inside, 2600, 3600, 2600))
    assert inside.picture._label[0] == "No opening here"
    QTest.mouseClick(inside.picture, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at)
    portal = inside.session.lamp
    assert (portal.kind, round(portal.width), round(portal.height)) == ("portal", 2500, 2000) and inside.session.tool == ""
    inside.registry.actions["portals"].trigger()
    qtbot.waitUntil(lambda: len(inside.session.document.lamps) == 7, timeout=30000)
    assert portal.id in inside.session.document.lamps
    inside.registry.actions["undo"].trigger()
    assert list(inside.session.document.lamps) == [portal.id]


def test_two_clicks_send_the_sun_through_the_window(inside):
    told = []
    inside.session.hint.connect(told.append)
    inside.registry.actions["sun_through"].trigger()
    QTest.mouseClick(inside.picture, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, place(inside, 2400, 3600, 0))
    QTest.mouseClick(inside.picture, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, place(inside, 3300, 4210, 1900))
    sky = inside.session.document.environment.sky
    assert not sky.by_place and 45 < sky.elevation < 75 and "as on" in told[-1] or "comes nearest" in told[-1]
    assert inside.session.tool == ""
