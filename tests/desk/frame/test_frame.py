"""Cameras and shots through the real widgets."""

import math

import numpy as np
import pytest
from msgspec.structs import replace
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from aulmo.frame.camera import camera_axes
from aulmo.frame.exposure import ev100
from desk_tools import drag, point_of, type_into

LEFT, RIGHT = Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton
NONE, ALT = Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.AltModifier


def frame_page(window):
    """The Frame stage's page."""
    window.session.set_stage("Frame")
    return window.details.pages["Frame"]


def test_lens_exposure_and_place_are_typed(window):
    page = frame_page(window)
    type_into(page.focal.field, "35 mm")
    type_into(page.f_stop.field, "f/5.6")
    type_into(page.shutter, "1/125")
    type_into(page.iso.field, "200")
    type_into(page.roll.field, "3°")
    type_into(page.distance.field, "0.6 m")
    type_into(page.stands_at.field, "150")
    camera = window.session.camera
    assert (camera.focal_length_mm, camera.f_stop, camera.iso, camera.roll) == (35, 5.6, 200, 3)
    assert camera.shutter == pytest.approx(1 / 125)
    assert ev100(camera) == pytest.approx(math.log2(5.6**2 * 125) - 1, abs=1e-6)
    assert camera.position[2] == 150
    before = window.session.document
    type_into(page.shutter, "quick")
    assert window.session.document is before


def test_right_drag_in_frame_moves_the_shots_camera_unless_locked(window):
    page = frame_page(window)
    at = point_of(window, "ball")
    start = window.session.camera

    drag(window.picture, at, at + QPoint(60, 0), RIGHT)
    assert window.session.camera.position != start.position and window.session.free_view is None
    window.session.undo()
    assert window.session.camera == start
    page.locked.field.click()
    drag(window.picture, at, at + QPoint(60, 0), RIGHT)
    assert window.session.camera.position == start.position
    assert window.session.free_view is not None
    assert "locked" in window.hint_line.text.text()


def test_a_click_says_what_is_sharp(window, qtbot):
    page = frame_page(window)
    page.pick.click()
    at = point_of(window, "right")
    point = window.picture.point_at(at)
    QTest.mouseClick(window.picture, LEFT, NONE, at)
    camera = window.session.camera
    _, _, forward = camera_axes(camera)
    assert camera.depth_of_field
    assert camera.focus == pytest.approx(float((point - np.array(camera.position)) @ forward), abs=0.01)
    assert "mm" in page.range.text()
    assert window.session.tool == ""


def test_the_sharp_range_is_the_textbooks():
    from aulmo.document.records import Camera
    from aulmo.frame.sharpness import sharp_range

    near, far = sharp_range(Camera(id="c", name="c", focal_length_mm=50, f_stop=8, focus=3000, sensor_mm=36))
    circle = 36 * 1.2 / 1500
    hyperfocal = 50**2 / (8 * circle) + 50
    assert near == pytest.approx(3000 * (hyperfocal - 50) / (hyperfocal + 3000 - 100))
    assert far == pytest.approx(3000 * (hyperfocal - 50) / (hyperfocal - 3000))
    assert sharp_range(Camera(id="c", name="c", focal_length_mm=20, f_stop=16, focus=3000))[1] == math.inf


def test_ratio_and_size_change_the_mask(window):
    page = frame_page(window)
    page.ratio.setCurrentText("1:1")
    page.ratio.activated.emit(page.ratio.currentIndex())
    shot = window.session.shot
    assert shot.width == shot.height
    frame = window.picture.frame_rect()
    assert frame.width() == pytest.approx(frame.height(), abs=1)
    type_into(page.width_, "400")
    type_into(page.height_, "100")
    frame = window.picture.frame_rect()
    assert frame.width() / frame.height() == pytest.approx(4, rel=0.02)


def test_shots_are_made_duplicated_renamed_and_deleted(window, qtbot):
    page, bench, commands = frame_page(window), window.bench.faces["Frame"], window.built["Frame"].commands
    commands.new_shot()
    assert [s.name for s in window.session.document.shots] == ["Shot 1", "Shot"]
    assert len(window.session.document.cameras) == 2
    page.shot_name.setText("Close")
    page.shot_name.editingFinished.emit()
    assert window.session.shot.name == "Close"
    page.shot_name.setText("Shot 1")
    page.shot_name.editingFinished.emit()
    assert "already a shot" in window.hint_line.text.text()
    QTest.keyClick(window.picture, Qt.Key.Key_D, Qt.KeyboardModifier.ControlModifier)
    assert len(window.session.document.shots) == 3 and len(window.session.document.cameras) == 3
    commands.delete()
    assert len(window.session.document.shots) == 2 and len(window.session.document.cameras) == 2
    qtbot.waitUntil(lambda: not bench.sheet.item(0).icon().isNull(), timeout=30000)
    bench.sheet.itemClicked.emit(bench.sheet.item(0))
    assert window.session.shot.name == "Shot 1"
    window.session.undo()


def test_the_last_shot_stays(window):
    frame_page(window)
    window.built["Frame"].commands.delete()
    assert len(window.session.document.shots) == 1
    assert "at least one shot" in window.hint_line.text.text()


def test_a_free_view_can_be_given_to_the_camera(window):
    window.session.set_view(replace(window.session.camera, position=(0.0, -333.0, 44.0)))
    page = frame_page(window)
    assert page.free.isVisible()
    page.take_view()
    assert window.session.camera.position == (0.0, -333.0, 44.0) and window.session.free_view is None
