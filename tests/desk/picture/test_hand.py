"""The hand in the picture: the other ways to turn and slide, handles under doubt, what the cursor says, sharpness and sizes of fields."""

import numpy as np
import pytest
from msgspec.structs import replace
from PySide6.QtCore import QEvent, QPoint, QSettings, Qt, QTimer
from PySide6.QtGui import QContextMenuEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QMenu

from aulmo.document import edits
from aulmo.document.records import Lamp, Placement
from aulmo.surface.colour import to_hex
from desk_tools import drag, hover, key, point_of, settle, type_into, wheel

LEFT, RIGHT, MIDDLE = Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton, Qt.MouseButton.MiddleButton
NONE, ALT, SHIFT = Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.AltModifier, Qt.KeyboardModifier.ShiftModifier


def hints_of(window) -> list[str]:
    """Everything the hint line is told from here on."""
    said: list[str] = []
    window.session.hint.connect(said.append)
    return said


def sky_point(window) -> QPoint:
    """A point of the picture where no part is."""
    found = QPoint(window.picture.width() // 2, 6)
    assert window.picture.part_at(found) is None
    return found


# turning and sliding


def test_on_a_trackpad_alt_turns_and_alt_shift_slides(window):
    QSettings().setValue("navigation", "trackpad")
    picture, session = window.picture, window.session
    at = point_of(window, "ball")
    point = picture.point_at(at)
    before = session.view
    drag(picture, at, at + QPoint(70, 0), LEFT, ALT)
    assert np.linalg.norm(np.array(session.view.position) - np.array(before.position)) > 10
    assert (picture.place_on_screen(point) - at).manhattanLength() <= 3  # about what is under the cursor
    session.set_view(before)
    drag(picture, at, at + QPoint(30, 20), LEFT, ALT | SHIFT)
    moved = picture.place_on_screen(point) - at
    assert moved.x() > 4 and moved.y() > 2  # with the hand; Shift makes it slow
    assert session.selection == ()


def test_without_alt_a_trackpad_still_selects(window):
    QSettings().setValue("navigation", "trackpad")
    QTest.mouseClick(window.picture, LEFT, NONE, point_of(window, "ball"))
    assert window.session.selection == ("ball",)


def test_turning_over_nothing_turns_about_the_selection(window):
    picture, session = window.picture, window.session
    session.select(["left"])
    middle = np.array([-55.0, 0.0, 15.0])
    before = picture.place_on_screen(middle)
    start = sky_point(window)
    drag(picture, start, start + QPoint(90, 0), RIGHT)
    assert session.view.position != session.camera.position
    assert (picture.place_on_screen(middle) - before).manhattanLength() <= 3


def test_shift_turns_a_quarter_as_far(window):
    session, picture = window.session, window.picture
    at = point_of(window, "ball")
    start = np.array(session.view.position)
    drag(picture, at, at + QPoint(80, 0), RIGHT)
    far = np.linalg.norm(np.array(session.view.position) - start)
    key(window, Qt.Key.Key_0)
    drag(picture, at, at + QPoint(80, 0), RIGHT, SHIFT)
    assert np.linalg.norm(np.array(session.view.position) - start) == pytest.approx(far / 4, rel=0.1)


def test_a_locked_camera_stays_and_says_so(window):
    window.session.set_stage("Frame")
    window.registry.actions["lock_camera"].trigger()
    said = hints_of(window)
    locked = window.session.camera
    at = point_of(window, "ball")
    drag(window.picture, at, at + QPoint(60, 0), RIGHT)
    assert window.session.camera == locked and window.session.free_view is not None
    assert any("locked" in s for s in said)
    assert "locked" in window.picture.hint()
    key(window, Qt.Key.Key_0)
    assert window.session.free_view is None


def test_a_wheel_without_steps_changes_nothing(window):
    before = window.session.view
    wheel(window.picture, point_of(window, "ball"), 0)
    assert window.session.view == before


# handles


def pull_x(window) -> QPoint:
    """Take hold of the ball's x arrow; where."""
    window.session.select(["ball"])
    key(window, Qt.Key.Key_T)
    handles = window.picture.tools["handles"].handles()
    start = QPoint(*(int(v) for v in handles.centre[:2] + (handles.tips[0, :2] - handles.centre[:2]) * 0.8))
    hover(window.picture, start)
    assert window.picture.tools["handles"].hot is not None and window.picture.tools["handles"].hot.axis == 0  # lit up under the cursor
    QTest.mousePress(window.picture, LEFT, NONE, start)
    window.picture.setFocus()
    return start


def test_a_typed_number_can_be_corrected_and_a_wrong_one_does_nothing(window):
    session, picture = window.session, window.picture
    pull_x(window)
    QTest.keyClicks(picture, "257")
    QTest.keyClick(picture, Qt.Key.Key_Backspace)
    assert session.document.parts["ball"].placement.position[0] == pytest.approx(25)
    QTest.keyClicks(picture, "*")
    assert session.document.parts["ball"].placement.position[0] == pytest.approx(25)  # an unfinished sum waits
    assert "25*" in picture._label[0]
    QTest.keyClicks(picture, "2")
    assert session.document.parts["ball"].placement.position[0] == pytest.approx(50)
    QTest.keyClick(picture, Qt.Key.Key_Return)
    session.undo()
    assert session.document.parts["ball"].placement.position[0] == 0  # all of it was one step


def test_escape_puts_a_pulled_part_back(window):
    before = window.session.document.parts["ball"].placement
    start = pull_x(window)
    hover(window.picture, start + QPoint(50, 0), LEFT)
    assert window.session.document.parts["ball"].placement.position[0] > 5
    QTest.keyClick(window.picture, Qt.Key.Key_Escape)
    assert window.session.document.parts["ball"].placement == before
    QTest.mouseRelease(window.picture, LEFT, NONE, start)
    QTest.keyClick(window.picture, Qt.Key.Key_Escape)
    assert window.session.tool == ""
    QTest.keyClick(window.picture, Qt.Key.Key_Escape)
    assert window.session.selection == ()


# what the cursor says


def test_the_cursor_names_lamps_materials_and_what_would_be_sharp(window, qtbot):
    session, picture = window.session, window.picture
    session.set_stage("Surface")
    hover(picture, point_of(window, "left"))
    assert picture._label == ("Left box", "Box blue")
    session.set_stage("Light")
    session.change_lamp("New", Lamp(id="l", name="Key light", kind="disc", position=(0.0, 0.0, 70.0), width=15))
    settle(qtbot, window)
    marks = next(o for o in picture.overlays if hasattr(o, "now")).now()
    x, y, _ = marks.dot(marks.places[0])
    hover(picture, QPoint(round(x), round(y)))
    assert picture._label[0] == "Key light" and "disc" in picture._label[1]
    session.set_stage("Frame")
    session.set_tool("focus")
    hover(picture, point_of(window, "right"))
    assert picture._label[0] == "Sharp here" and picture._label[1].startswith("Right box · ")
    session.set_tool("")
    hover(picture, sky_point(window))
    assert picture._label is None
    hover(picture, point_of(window, "ball"))
    QApplication.sendEvent(picture, QEvent(QEvent.Type.Leave))
    assert picture._label is None


def test_nothing_to_be_sharp_gets_a_sentence(window):
    window.session.set_stage("Frame")
    said = hints_of(window)
    before = window.session.document
    window.session.set_tool("focus")
    QTest.mouseClick(window.picture, LEFT, NONE, QPoint(window.picture.width() // 2, 3))
    assert window.session.document is before and window.session.tool == "focus"
    assert any("nothing to be sharp" in s for s in said)


def test_what_lies_behind_the_shots_camera_cannot_be_sharp(window, qtbot):
    session = window.session
    session.set_stage("Frame")
    behind = replace(session.camera, position=(0.0, 30.0, 40.0), target=(0.0, 400.0, 40.0))
    session.change_camera("Turned away", behind)
    session.set_view(replace(behind, position=(0.0, -420.0, 90.0), target=(0.0, 0.0, 22.0)))
    settle(qtbot, window)
    said = hints_of(window)
    session.set_tool("focus")
    QTest.mouseClick(window.picture, LEFT, NONE, point_of(window, "ball"))
    assert any("behind" in s for s in said) and not session.camera.depth_of_field


# fields


def test_arrows_step_a_number_and_escape_gives_up(window):
    window.session.select(["ball"])
    field = window.details.pages["Prepare"].fields["position"][0]
    value = field.value()
    field.setFocus()
    QTest.keyClick(field, Qt.Key.Key_Up)
    one = field.value() - value
    assert one > 0
    QTest.keyClick(field, Qt.Key.Key_Up, SHIFT)
    assert field.value() - value == pytest.approx(11 * one)
    QTest.keyClick(field, Qt.Key.Key_Down)
    assert field.value() - value == pytest.approx(10 * one)
    kept = field.value()
    field.setFocus()
    field.selectAll()
    QTest.keyClicks(field, "999")
    QTest.keyClick(field, Qt.Key.Key_Escape)
    assert field.value() == kept and "999" not in field.text()


def test_the_colour_plane_and_strip_are_pulled_and_a_well_remembers(window):
    window.session.set_stage("Surface")
    window.session.select(["ball"])
    row = window.details.pages["Surface"].rows["base_color"].field
    row.chip.click()
    picker = row._picker
    plane = picker.plane

    def surface():
        return window.session.document.materials[window.session.document.parts["ball"].material].surface

    before = window.session.document
    drag(plane, QPoint(219, 10), QPoint(219, 93))  # the strip: toward blue
    drag(plane, QPoint(20, 20), QPoint(180, 14))  # strong and bright
    r, g, b = surface().base_color
    assert b > 2 * r and b > 2 * g
    well = picker.wells[2]
    QApplication.sendEvent(well, QContextMenuEvent(QContextMenuEvent.Reason.Mouse, QPoint(3, 3), well.mapToGlobal(QPoint(3, 3))))
    assert to_hex(picker.wells[2].colour) == to_hex(surface().base_color)
    window.session.undo()
    window.session.undo()
    assert window.session.document is before
    picker.close()


def test_sliders_say_softer_edges_and_undo_takes_them_back(window):
    window.session.select(["left", "right"])
    page = window.details.pages["Prepare"]
    before = window.session.document
    type_into(page.edge_radius.field, "1.5")
    assert {window.session.document.parts[i].edge_radius for i in ("left", "right")} == {1.5}
    window.session.undo()
    assert window.session.document is before


def test_a_part_is_not_scaled_to_nothing(window):
    window.session.select(["left"])
    page = window.details.pages["Prepare"]
    trouble: list[str] = []
    window.session.trouble.connect(trouble.append)
    before = window.session.document
    type_into(page.fields["scale"][0], "0")
    assert window.session.document is before
    assert trouble and "nothing" in trouble[0]


# the lamp's page


@pytest.fixture
def lamp(window, qtbot):
    """A rectangle, selected in Light."""
    window.registry.actions["lamp_rectangle"].trigger()
    settle(qtbot, window)
    return window


@pytest.mark.parametrize("kind", ["disc", "ring", "sphere", "tube", "spot", "point", "distant", "photometric", "portal"])
def test_every_kind_of_lamp_shows_what_it_has_and_a_mark(lamp, kind):
    page = lamp.details.subjects["lamps"]
    page.set_kind(kind)
    assert lamp.session.lamp.kind == kind
    rows = {name: getattr(page, name) for name in ("cone", "angle", "profile_row", "seen", "kelvin")}
    shown = {name: not getattr(made, "widget", made).isHidden() for name, made in rows.items()}
    assert shown["cone"] == (kind == "spot")
    assert shown["angle"] == (kind == "distant")
    assert shown["profile_row"] == (kind == "photometric")
    assert shown["kelvin"] == (kind != "portal")
    assert lamp.session.lamp.unit == ("lux" if kind == "distant" else "lumen")
    from aulmo.desk.light.marks import outlines

    lines = outlines(lamp.session.lamp, 20.0)
    assert all(np.isfinite(line).all() and len(line) > 1 for line in lines)
    lamp.picture.grab()  # draws the mark
    lamp.session.undo()
    assert lamp.session.lamp.kind == "rectangle"


def test_a_lamp_is_named_aimed_and_put_where_the_view_is(lamp):
    from aulmo.light.place_lamp import aim_of

    page = lamp.details.subjects["lamps"]
    type_into(page.name.field, "Rim")
    assert lamp.session.lamp.name == "Rim"
    lamp.session.change_lamp("Away", replace(lamp.session.lamp, turn=(0.0, 0.0, 0.0)))
    page.point_at_product()
    box_middle = np.array([0.0, 0.0, 20.0])
    toward = box_middle - np.array(lamp.session.lamp.position)
    assert aim_of(lamp.session.lamp) @ toward / np.linalg.norm(toward) > 0.98
    page.put_at_view()
    assert lamp.session.lamp.position == lamp.session.view.position


def test_only_without_a_selection_asks_for_one(lamp):
    said = hints_of(lamp)
    lamp.session.last_selection = ()
    before = lamp.session.document
    lamp.details.subjects["lamps"].light_only()
    assert lamp.session.document is before and any("Select parts first" in s for s in said)


# the tree and its menu


def test_the_menu_of_a_part_and_of_a_lamp(lamp):
    offered: list[list[str]] = []

    def look() -> None:
        menu = QApplication.activePopupWidget()
        if isinstance(menu, QMenu):
            offered.append([a.text() for a in menu.actions()])
            menu.close()
        else:
            QTimer.singleShot(20, look)

    tree = lamp.parts.tree
    for choose in (lambda: None, lambda: lamp.session.select(["left"])):
        choose()
        name = lamp.session.subject or "left"
        QTimer.singleShot(20, look)
        lamp.parts._menu(tree.visualItemRect(lamp.parts.item_of(name)).center())
    assert len(offered) == 2 and offered[0] != offered[1]
    assert any("Duplicate" in t for t in offered[0]) and any("Isolate" in t for t in offered[1])


def test_the_same_material_and_the_same_shape_are_found(window):
    session = window.session
    document = edits.place_parts(session.document, {"right": Placement((70, 0, 15))})
    session.apply("Moved", document)
    session.select(["left"])
    window.registry.actions["same_material"].trigger()
    assert set(session.selection) == {"left", "right"}
    session.select(["ball"])
    window.registry.actions["same_shape"].trigger()
    assert set(session.selection) == {"ball"}


def test_a_material_is_copied_and_pasted_and_asks_first(window):
    session = window.session
    said = hints_of(window)
    session.select(["ball"])
    window.built["Surface"].commands.paste()
    assert any("Copy a material first" in s for s in said)
    session.select(["left"])
    window.registry.actions["copy"].trigger()
    session.select(["ball"])
    window.registry.actions["paste"].trigger()
    assert session.document.parts["ball"].material == "b"
    assert any("Copied Box blue" in s for s in said)
