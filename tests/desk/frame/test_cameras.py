"""White, levelling, looking at, guides, what stands between, comparing and the contact sheet through the real widgets."""

import numpy as np
import pytest
from msgspec.structs import replace
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from aulmo.document import edits
from aulmo.document.records import Placement
from aulmo.frame.camera import camera_axes, project
from aulmo.frame.sharpness import field_of_view
from desk_tools import drag, hover, point_of, settle, type_into

LEFT, RIGHT, NONE = Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton, Qt.KeyboardModifier.NoModifier


def page_of(window):
    window.session.set_stage("Frame")
    return window.details.pages["Frame"]


def test_the_field_of_view_is_typed_as_well(window):
    page = page_of(window)
    type_into(page.angle, "40°")
    assert field_of_view(window.session.camera) == pytest.approx(40.0, abs=0.01)
    assert window.session.camera.focal_length_mm == pytest.approx(18 / np.tan(np.radians(20)), rel=1e-4)


def test_a_click_on_something_grey_makes_it_neutral(window, qtbot):
    page = page_of(window)
    window.session.put({"cameras/c/kelvin": 3000.0})
    settle(qtbot, window)
    qtbot.wait(100)
    at = point_of(window, "ball") + QPoint(0, 0)
    document = edits.change_surface(window.session.document, window.session.document.parts["ball"].material, base_color=(0.4, 0.4, 0.4))
    window.session.apply("Grey ball", document)
    settle(qtbot, window)
    before = np.array(window.picture.pixel_at(at), float)
    window.session.set_tool("white")
    QTest.mouseClick(window.picture, LEFT, NONE, at)
    settle(qtbot, window)
    after = np.array(window.picture.pixel_at(at), float)
    assert window.session.tool == "" and window.session.camera.kelvin != 3000.0
    assert np.ptp(after) < 8 < np.ptp(before)
    assert page.white.field.value() == pytest.approx(window.session.camera.kelvin, abs=1)


def test_exposure_of_its_own_in_one_shot(window):
    page = page_of(window)
    window.built["Frame"].commands.duplicate()
    first, second = window.session.document.shots
    window.session.put({f"shots/{second.id}/camera": first.camera})
    window.session.set_shot(second.id)
    page.own.click()
    type_into(page.stops.field, "1.5")
    assert window.session.camera.exposure_stops == 1.5
    window.session.set_shot(first.id)
    assert window.session.camera.exposure_stops == 0.0
    window.session.set_shot(second.id)
    page.own.click()
    assert window.session.camera.exposure_stops == 0.0


def test_level_makes_uprights_upright_and_keeps_what_is_looked_at(window):
    page = page_of(window)
    camera = window.session.camera
    size = window.session.shot.width, window.session.shot.height
    before = project(camera, np.array([camera.target]), *size)[0, :2]
    page.level.click()
    made = window.session.camera
    assert abs(camera_axes(made)[2][2]) < 1e-9
    seen = project(made, np.array([[10.0, 0, 0], [10.0, 0, 60.0]]), *size)
    assert seen[0, 0] == pytest.approx(seen[1, 0], abs=1e-6)
    assert project(made, np.array([camera.target]), *size)[0, :2] == pytest.approx(before, abs=0.01)
    said = []
    window.session.trouble.connect(said.append)
    window.session.change_camera("Down", replace(made, position=(0.0, -1.0, 500.0), target=(0.0, 0.0, 0.0)))
    page.level.click()
    assert "too steeply" in said[0]


def test_the_camera_keeps_looking_at_what_was_clicked_when_it_is_moved(window, qtbot):
    page = page_of(window)
    page.look.click()
    QTest.mouseClick(window.picture, LEFT, NONE, point_of(window, "left"))
    target = window.session.camera.target
    assert target[0] < -30 and window.session.camera.keeps_target
    settle(qtbot, window)
    middle = window.picture.rect().center()
    drag(window.picture, middle, middle + QPoint(50, 10), Qt.MouseButton.MiddleButton)
    assert window.session.camera.target == target and window.session.tool == ""


def test_guides_and_safe_areas_are_drawn_over_the_frame(window, qtbot):
    page = page_of(window)
    settle(qtbot, window)
    seen = []
    for kind in ("none", "thirds", "golden", "diagonal", "centre"):
        page.guides.field.chosen.emit(kind)
        assert window.session.shot.guides == kind
        seen.append(_pixels(window))
    page.safe.field.click()
    seen.append(_pixels(window))
    for one, other in zip(seen, seen[1:]):
        assert (one != other).any()


def _pixels(window) -> np.ndarray:
    image = window.picture.grab().toImage()
    return np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), -1).copy()


def test_frame_sizes_are_chosen_by_name(window):
    page = page_of(window)
    page.sizes.chosen.emit((1920, 1080))
    assert (window.session.shot.width, window.session.shot.height) == (1920, 1080)
    assert page.sizes.currentText() == "Full HD 1920 × 1080"


def test_what_stands_between_is_hidden_and_shown_again(window, qtbot):
    page = page_of(window)
    document = edits.place_parts(window.session.document, {"left": Placement((0.0, -120.0, 30.0), scale=(1.0, 1.0, 2.0))})
    window.session.apply("In the way", document)
    settle(qtbot, window)
    wide = window.picture.wide_camera()
    ball = project(wide, np.array([[0.0, 0.0, 20.0]]), window.picture.width(), window.picture.height())[0]
    at = QPoint(round(ball[0]), round(ball[1]))
    assert window.picture.part_at(at) == "left"
    page.between.click()
    settle(qtbot, window)
    assert {i for i, p in window.session.document.parts.items() if p.unseen != "never"} == {"left"}
    assert window.picture.part_at(at) == "ball"
    window.registry.run("show_between")
    settle(qtbot, window)
    assert window.picture.part_at(at) == "left"


def test_the_shape_of_a_blurred_highlight_is_shown_and_what_is_sharp_is_hatched(window, qtbot):
    page = page_of(window)
    window.session.put({"cameras/c/depth_of_field": True, "cameras/c/focus": 300.0, "cameras/c/f_stop": 1.4, "cameras/c/blades": 6})
    settle(qtbot, window)
    plain = _pixels(window)
    page.pick.click()
    at = point_of(window, "ball")
    hover(window.picture, at)
    tool = window.picture.tools["focus"]
    assert tool._at is not None
    from aulmo.desk.frame.focus_tool import opening

    camera = window.session.camera
    whole, cut = opening(camera, 0.0, 0.0, 50.0, False).boundingRect(), opening(replace(camera, cats_eye=1.0), 1.0, 0.0, 50.0, False).boundingRect()
    assert cut.width() < 0.8 * whole.width()
    assert (_pixels(window) != plain).any()
    QTest.mouseClick(window.picture, LEFT, NONE, at)
    settle(qtbot, window)
    band = window.picture.overlays
    assert any(type(o).__name__ == "SharpBand" and o.shown() for o in band)


def test_two_shots_are_compared_side_by_side(window, qtbot):
    page_of(window)
    window.built["Frame"].commands.duplicate()
    window.session.put({f"cameras/{window.session.camera.id}/focal_length_mm": 20.0})
    bench = window.bench.faces["Frame"]
    settle(qtbot, window)
    before = _pixels(window)
    other = window.session.document.shots[0].id
    bench.beside.chosen.emit(other)
    qtbot.waitUntil(lambda: bench.compare._image is not None, timeout=30000)
    assert (_pixels(window) != before).any()
    bench.share.setValue(100)
    bench.beside.chosen.emit("")
    assert not bench.compare.shown()


@pytest.mark.parametrize("ending", ["pdf", "png"])
def test_a_contact_sheet_of_all_shots_is_written(window, qtbot, tmp_path, ending):
    page_of(window)
    commands = window.built["Frame"].commands
    commands.duplicate()
    commands.duplicate()
    for k, shot in enumerate(window.session.document.shots):
        window.session.put({f"shots/{shot.id}/width": 32, f"shots/{shot.id}/height": 24, f"cameras/{shot.camera}/focal_length_mm": 40.0 + 20 * k})
    path = tmp_path / f"sheet.{ending}"
    said = []
    window.session.trouble.connect(said.append)
    window.session.hint.connect(said.append)
    from aulmo.deliver import contact_sheet

    contact_sheet.LONGEST, kept = 60, contact_sheet.LONGEST
    commands.write_sheet(path)
    qtbot.waitUntil(lambda: path.exists() or any("sheet" in s for s in said), timeout=200000)
    contact_sheet.LONGEST = kept
    if ending == "png":
        from PIL import Image

        made = np.asarray(Image.open(path))
        assert made.shape[0] > 100 and len(np.unique(made.reshape(-1, 3), axis=0)) > 30
        return
    blob = path.read_bytes()
    assert blob.startswith(b"%PDF") and blob.count(b"/Subtype /Image") == 3 and b"IBMPlexSans" in blob
