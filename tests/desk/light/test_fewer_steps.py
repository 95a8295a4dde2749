"""Light in fewer steps: the gloss check, what aiming offers instead, a picture dropped on the dome, furnished lamps in a row, measured views."""

import numpy as np
import pytest
from msgspec.structs import replace
from PIL import Image
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QPushButton

from aulmo import script
from aulmo.document import edits
from aulmo.document.properties import resolve
from aulmo.document.records import Copies, Part, Placement, Surface
from aulmo.errors import BadValue
from aulmo.light.staying import lamp_in_world
from aulmo.prepare import furnished
from aulmo.trace.aim_instead import CannotAim
from aulmo.trace.view import show
from desk_tools import drop, file_mime, settle
from shapes import box_mesh, one_part


def test_q_wears_neutral_gloss_then_matt_and_nothing_is_changed(window, qtbot):
    session = window.session
    session.set_stage("Light")
    before = session.document
    QTest.keyClick(window.picture, Qt.Key.Key_Q)
    assert session.stand_in == "gloss" and session.document is before
    worn = session.shown.materials
    assert worn["m"].surface.base_color == worn["b"].surface.base_color == (0.35, 0.35, 0.35) and worn["m"].surface.specular_roughness < 0.1
    settle(qtbot, window)
    QTest.keyClick(window.picture, Qt.Key.Key_Q)
    assert session.shown.materials["m"].surface.specular_roughness == 1.0
    QTest.keyClick(window.picture, Qt.Key.Key_Q)
    assert session.shown is session.resolved


def mirror():
    """A chrome block on a plain floor, seen a little from above: its front mirrors the floor before it."""
    document, assets = one_part(
        box_mesh(40.0), Surface(base_metalness=1.0, specular_roughness=0.05), floor="plain", position=(0.0, -300.0, 60.0), target=(0.0, 0.0, 0.0)
    )  # fmt: skip
    return edits.place_parts(document, {"ball": Placement((0.0, 0.0, 20.0))}), assets


def test_where_a_highlight_cannot_be_it_is_told_what_is_mirrored_and_where_it_can_be():
    document, assets = mirror()
    with pytest.raises(CannotAim, match="The Ball mirrors the floor there, [0-9]+ mm away") as caught:
        script.aim(document, assets, "Shot 1", (40, 26), None)
    place = caught.value.place
    assert place is not None
    made, _ = script.aim(document, assets, "Shot 1", place, None)
    assert len(made.environment.softboxes) == 1
    assert isinstance(caught.value, BadValue)


def test_a_key_puts_a_lamp_or_a_card_where_it_is_mirrored(window, qtbot):
    document, assets = mirror()
    shot = replace(document.shots[0], width=160, height=120)
    window.session.open_document(edits.put_shot(document, shot), assets, None)
    window.session.set_stage("Light")
    settle(qtbot, window)
    picture, session = window.picture, window.session
    window.registry.actions["aim"].trigger()
    at = picture.place_on_screen((0.0, -20.0, 12.0))
    QTest.mouseClick(picture, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at)
    assert "mirrors the floor" in picture._label[1] and "1 a lamp there" in picture._label[1]
    QTest.keyClick(picture, Qt.Key.Key_1)
    lamp = session.lamp
    assert lamp is not None and lamp.name == "Mirrored lamp" and 0 < lamp.position[2] < 20 and lamp.position[1] < -20
    settle(qtbot, window)
    session.select(())
    window.registry.actions["aim"].trigger()
    window.registry.actions["aim"].trigger()
    QTest.mouseClick(picture, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, picture.place_on_screen((12.0, -20.0, 12.0)))
    if "2 a white card there" in picture._label[1]:
        QTest.keyClick(picture, Qt.Key.Key_2)
        assert session.document.parts[session.selection[0]].name == "White card"


def test_a_picture_dropped_on_the_domes_map_is_a_light_there(window, qtbot, tmp_path):
    session = window.session
    session.set_stage("Light")
    path = tmp_path / "window frame.png"
    Image.fromarray(np.full((30, 60, 3), 200, np.uint8)).save(path)
    dome = window.bench.stack.currentWidget().map
    at = QPoint(dome.width() // 2 + 30, dome.height() // 2 - 20)
    azimuth, elevation = dome._angles(at.x(), at.y())
    drop(dome, file_mime(path), at)
    qtbot.waitUntil(lambda: session.softbox is not None, timeout=10000)
    box = session.softbox
    assert box.kind == "picture" and not box.shipped and (box.azimuth, box.elevation) == pytest.approx((azimuth, elevation), abs=0.01)
    assert box.width == pytest.approx(2 * box.height) and box.name == "window frame"


def test_copies_of_a_furnished_lamp_shine_by_one_setting(window):
    session = window.session
    document, group = furnished.furnish(session.document, session.assets, "pendant", (0.0, 0.0, 2400.0), (0.0, 0.0, -1.0))
    session.apply("Hung", document)
    session.select([group])
    window.registry.run("duplicate")
    twin = session.selection[0]
    lamps = [x for x in session.document.lamps.values() if x.part in (group, twin)]
    assert len(lamps) == 2 and lamps[0].profile == lamps[1].profile and len({x.id for x in lamps}) == 2
    row = Part("row", "Row", children=(group,), copies=Copies(kind="row", count=4, step=(600.0, 0.0, 0.0)))
    parts = {**document.parts, "row": row, group: replace(document.parts[group], parent="row")}
    rowed = replace(document, parts=parts, roots=tuple("row" if i == group else i for i in document.roots))
    seen = resolve(rowed)
    shining = [lamp_in_world(seen, x, None) for x in seen.lamps.values() if x.on]
    assert len(shining) == 4 and np.ptp([x.position[0] for x in shining]) == pytest.approx(1800.0)
    (lamp,) = rowed.lamps.values()
    dimmed = resolve(replace(rowed, lamps={lamp.id: replace(lamp, power=1.0)}))
    assert {x.power for x in dimmed.lamps.values()} == {1.0}, "one setting for the row"


def test_the_crisp_view_has_more_contrast_and_keeps_middle_grey():
    ramp = np.geomspace(0.02, 0.7, 12, dtype=np.float32)[None, :, None] * np.ones(3, np.float32)
    plain, crisp = (show(np.ascontiguousarray(ramp), 1.0, v)[0, :, 1] for v in ("Product neutral", "Crisp"))
    assert crisp[0] < plain[0] and crisp[-1] > plain[-1] and (np.diff(crisp) > 0).all()
    grey = show(np.full((1, 1, 3), 0.18, np.float32), 1.0, "Crisp")
    assert np.abs(grey - show(np.full((1, 1, 3), 0.18, np.float32), 1.0, "Product neutral")).max() < 2e-3


def test_an_exposure_is_proposed_by_a_click_and_is_one_step(window, qtbot):
    session, said = window.session, []
    session.hint.connect(said.append)
    session.set_stage("Light")
    session.select(())
    before = session.document
    expose = next(b for b in window.details.findChildren(QPushButton) if b.text() == "Propose an exposure" and b.isVisible())
    expose.click()
    qtbot.waitUntil(lambda: session.document is not before, timeout=30000)
    camera = session.resolved.cameras[session.shot.camera]
    assert camera.exposure_stops != before.cameras[camera.id].exposure_stops and any("middle tone" in words for words in said)
    window.registry.run("undo")
    assert session.document is before
    session.hint.disconnect(said.append)
