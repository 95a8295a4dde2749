"""Lamps through the real window: new by menu, picked by the dot, pulled by handles, edited, lit by file, undone, saved."""

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from aulmo.document.project_file import load
from aulmo.light.photometry import read_ies
from desk_tools import drop, file_mime, settle, type_into
from rooms import IES


def lamp_dot(window) -> QPoint:
    place = next(o for o in window.picture.overlays if hasattr(o, "now")).now()
    x, y, _ = place.dot(place.places[0])
    return QPoint(round(x), round(y))


@pytest.fixture
def lit(window, qtbot):
    """The window in Light with one new rectangle."""
    window.registry.actions["lamp_rectangle"].trigger()
    settle(qtbot, window)
    return window


def test_a_new_lamp_is_selected_shown_in_the_tree_and_lights(lit):
    lamp = lit.session.lamp
    assert lamp.kind == "rectangle" and lit.session.stage == "Light"
    assert lit.parts.item_of(f"lamps/{lamp.id}").isSelected()
    assert lit.details.stack.currentWidget() is lit.details.subjects["lamps"]
    # it shines at the product: its axis passes the middle of the set
    from aulmo.light.place_lamp import aim_of
    from aulmo.prepare import arrange

    low, high = arrange.bounds(lit.session.document, lit.session.assets, lit.session.document.roots)
    toward = 0.5 * (low + high) - np.array(lamp.position)
    assert aim_of(lamp) @ toward / np.linalg.norm(toward) == pytest.approx(1.0, abs=1e-6)
    lit.registry.actions["undo"].trigger()
    assert not lit.session.document.lamps and lit.session.lamp is None


def test_numbers_in_details_reach_the_lamp(lit):
    page = lit.details.subjects["lamps"]
    type_into(page.power.field, "2*400")
    type_into(page.kelvin.field, "3200")
    type_into(page.position.fields[2], "500 mm")
    type_into(page.group.field, "Key")
    lamp = lit.session.lamp
    assert (lamp.power, lamp.kelvin, lamp.position[2], lamp.group) == (800.0, 3200.0, 500.0, "Key")
    QTest.mouseClick(page.seen.field, Qt.MouseButton.LeftButton, pos=QPoint(8, page.seen.field.height() // 2))
    assert lit.session.lamp.seen


def test_another_unit_keeps_the_light(lit):
    from aulmo.trace.compile.arrays import LAMP_RGB
    from aulmo.trace.lamp.lamp_rows import lamp_row

    before = lamp_row(lit.session.lamp)[LAMP_RGB]
    for unit in ("candela", "nit", "lumen"):
        lit.details.subjects["lamps"].set_unit(unit)
        assert lit.session.lamp.unit == unit
        assert lamp_row(lit.session.lamp)[LAMP_RGB] == pytest.approx(before, rel=1e-5)


def test_a_click_on_the_dot_takes_the_lamp_and_its_handles_move_it(lit, qtbot):
    session, picture = lit.session, lit.picture
    lamp = session.lamp
    session.change_lamp("Nearer", type(lamp)(id=lamp.id, name=lamp.name, position=(0.0, 0.0, 60.0), width=20, height=20))
    settle(qtbot, lit)
    session.select(())
    QTest.mouseClick(picture, Qt.MouseButton.LeftButton, pos=lamp_dot(lit))
    assert session.lamp is not None and session.lamp.id == lamp.id
    QTest.keyClick(picture, Qt.Key.Key_T)
    assert session.tool == "handles"
    handles = picture.tools["handles"].handles()
    tip = handles.tips[2, :2]
    start = QPoint(round(tip[0]), round(tip[1]))
    QTest.mousePress(picture, Qt.MouseButton.LeftButton, pos=start)
    QTest.mouseMove(picture, start + QPoint(0, -30))
    QTest.mouseRelease(picture, Qt.MouseButton.LeftButton, pos=start + QPoint(0, -30))
    assert session.lamp.position[2] > 61.0
    assert session.lamp.position[:2] == pytest.approx((0.0, 0.0), abs=1e-6)
    session.undo()
    assert session.lamp.position[2] == 60.0


def test_the_eye_switches_a_lamp_off_and_double_click_renames_it(lit):
    tree = lit.parts.tree
    item = lit.parts.item_of(f"lamps/{lit.session.lamp.id}")
    box = tree.visualItemRect(item)
    if not tree.viewport().rect().contains(box.center()):
        tree.scrollToItem(item)
        box = tree.visualItemRect(item)
    QTest.mouseClick(tree.viewport(), Qt.MouseButton.LeftButton, pos=QPoint(tree.viewport().width() - 10, box.center().y()))
    assert not lit.session.lamp.on
    item = lit.parts.item_of(f"lamps/{lit.session.lamp.id}")
    item.setText(0, "Window side")
    assert lit.session.lamp.name == "Window side"


def test_a_dropped_photometric_file_becomes_a_lamp_and_a_bad_one_a_sentence(window, qtbot, tmp_path):
    good, bad = tmp_path / "downlight.ies", tmp_path / "broken.ies"
    good.write_text(IES)
    bad.write_text(IES[:80])
    settle(qtbot, window)
    said = drop(window.picture, file_mime(good), QPoint(100, 100))
    assert "measured light" in said
    lamp = window.session.lamp
    assert lamp.kind == "photometric" and lamp.name == "downlight"
    assert read_ies(window.session.assets.get(lamp.profile), "x").candela[0, 0] == 900
    troubles = []
    window.session.trouble.connect(troubles.append)
    before = window.session.document
    drop(window.picture, file_mime(bad), QPoint(100, 100))
    assert len(troubles) == 1 and "broken.ies" in troubles[0]
    assert window.session.document is before


def test_lamps_and_their_files_are_saved_and_come_back(window, qtbot, tmp_path):
    ies = tmp_path / "lamp.ies"
    ies.write_text(IES)
    window.built["Light"].commands.use_profile(ies)
    assert window.session.save(tmp_path / "a.aulmo")
    document, assets = load(tmp_path / "a.aulmo")
    lamp = next(iter(document.lamps.values()))
    assert lamp == window.session.lamp
    assert assets.get(lamp.profile) == IES.encode()


def test_duplicate_delete_and_solo(lit):
    session = lit.session
    lit.registry.actions["duplicate"].trigger()
    assert len(session.document.lamps) == 2
    lit.registry.actions["softbox_solo"].trigger()
    assert [lamp.solo for lamp in session.document.lamps.values()] == [False, True]
    lit.registry.actions["softbox_solo"].trigger()
    assert not any(lamp.solo for lamp in session.document.lamps.values())
    lit.registry.actions["delete"].trigger()
    assert len(session.document.lamps) == 1 and session.lamp is None


def test_only_chosen_parts_are_lit(lit):
    session = lit.session
    lamp = session.lamp
    part = next(i for i, p in session.document.parts.items() if p.mesh)
    session.select([part])
    session.select((), f"lamps/{lamp.id}")
    QTest.mouseClick(lit.details.subjects["lamps"].only, Qt.MouseButton.LeftButton)
    assert session.lamp.lights == (part,)
    assert session.document.parts[part].name in lit.details.subjects["lamps"].lights.text()
    QTest.mouseClick(lit.details.subjects["lamps"].everything, Qt.MouseButton.LeftButton)
    assert session.lamp.lights == ()


def test_sun_and_sky_keep_the_exposure_and_follow_the_place(window, qtbot):
    from aulmo.light import daylight, environment_image
    from aulmo.surface.colour import luminance

    window.session.set_stage("Light")
    page = window.details.pages["Light"]
    page.ground.setCurrentIndex(page.ground.findData("sky"))
    page.ground.activated.emit(page.ground.currentIndex())
    environment = window.session.document.environment
    falling = environment_image.level(daylight.sky_map(environment.sky)) + 0.5 * luminance(daylight.sun_light(environment.sky))
    assert falling * 2**environment.exposure == pytest.approx(3000.0, rel=0.05)
    page.by.field.buttons["True"].click()
    type_into(page.hour.field, "9")
    morning = daylight.sun_place(window.session.document.environment.sky)
    assert 60 < morning[0] < 130
    page.date.setText("not a day")
    page.date.setModified(True)
    troubles = []
    window.session.trouble.connect(troubles.append)
    page.date.editingFinished.emit()
    assert troubles and "is not a date" in troubles[0]
    window.session.undo()
    window.session.undo()
    window.session.undo()
    assert window.session.document.environment.kind == "picture"
