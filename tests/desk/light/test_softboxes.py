"""Softboxes, aiming and the light check through the real window: from black to a lit product."""

import numpy as np
import pytest
from msgspec.structs import replace
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QInputDialog

from aulmo.document import edits
from aulmo.document.records import Lamp
from aulmo.frame.camera import ray_through
from aulmo.light.dome_map import direction
from aulmo.light.light_check import check
from aulmo.light.softbox import frame
from aulmo.light.staying import heading
from desk_tools import drag, drop, file_mime, point_of, settle, type_into

LEFT = Qt.MouseButton.LeftButton
NONE, SHIFT, CTRL, ALT = (
    Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.AltModifier,
)  # fmt: skip


def boxes(window):
    return window.session.document.environment.softboxes


def dome(window):
    return window.bench._all["Light"]["Dome"]


def press(window, name):
    window.registry.actions[name].trigger()


@pytest.fixture
def dark(window, qtbot):
    """The window in Light, all lights off, the ball polished."""
    session = window.session
    session.set_stage("Light")
    press(window, "lights_off")
    session.apply("Polished", edits.change_surface(session.document, "m", specular_roughness=0.05, coat_weight=1.0))
    settle(qtbot, window)
    return window


def click(window, at, modifiers=NONE):
    QTest.mouseMove(window.picture, at)
    QTest.mouseClick(window.picture, LEFT, modifiers, at)


def mirrored_on_ball(window, at):
    """The direction that the ball about (0, 0, 20) mirrors at a point of the widget, worked out by hand."""
    picture = window.picture
    origin, d = ray_through(picture.wide_camera(), at.x() + 0.5, at.y() + 0.5, picture.width(), picture.height())
    away = origin - [0.0, 0.0, 20.0]
    b = away @ d
    n = (away + (-b - np.sqrt(b * b - (away @ away - 400.0))) * d) / 20.0
    return d - 2 * (d @ n) * n


def test_all_lights_off_is_black_and_one_step(window, qtbot):
    session = window.session
    session.apply("Lamp", edits.put_lamp(session.document, Lamp("l", "Lamp")))
    before = session.document
    press(window, "lights_off")
    environment = session.document.environment
    assert environment.kind == "colour" and environment.colour == (0.0, 0.0, 0.0) and not session.document.lamps["l"].on
    session.undo()
    assert session.document is before


def test_aiming_from_black_puts_a_new_softbox_where_it_mirrors_and_undoes_in_one_step(dark, qtbot):
    before = dark.session.document
    QTest.keyClick(dark.picture, Qt.Key.Key_A)
    if dark.session.tool != "aim":  # offscreen, shortcuts go to the window that is up
        press(dark, "aim")
    at = point_of(dark, "ball") + QPoint(-8, -12)
    click(dark, at)
    (box,) = boxes(dark)
    assert frame(box)[0] @ mirrored_on_ball(dark, at) > 0.9995
    assert dark.session.softbox == box and dark.parts.item_of(f"softboxes/{box.id}").isSelected()
    title, text = dark.picture._label
    assert title == "Highlight on the Ball" and text.startswith(f"azimuth {box.azimuth:.0f}°") and "px here" in text
    assert dark.details.stack.currentWidget() is dark.details.subjects["softboxes"]
    dark.session.undo()
    assert dark.session.document is before


def test_from_black_to_lit_by_aiming_alone(dark, qtbot):
    """Three clicks and a stroke: key, fill and top as highlights, a rim along the edge; the light check says what they did."""
    watch = dark.built["Light"].commands.watch
    dark.picture.set_traced(True)
    qtbot.waitUntil(lambda: watch.found is not None, timeout=60000)
    black = watch.found
    assert black.underlit > 0.95
    middle = point_of(dark, "ball")
    for dx, dy, modifiers in ((-14, -12, NONE), (12, -4, NONE), (0, -18, SHIFT)):
        dark.session.select(())
        press(dark, "aim")
        click(dark, middle + QPoint(dx, dy), modifiers)
        dark.session.set_tool("")
    assert len(boxes(dark)) == 3 and len({round(b.azimuth) for b in boxes(dark)}) == 3
    document = dark.session.document
    qtbot.waitUntil(lambda: watch.found is not black and watch._request.document is dark.session.shown, timeout=60000)
    assert watch.found.underlit < 0.5 * black.underlit and watch.found.rim >= black.rim
    for _ in range(3):
        dark.session.undo()
    assert not boxes(dark) and document.environment.softboxes


def test_the_choices_of_aiming_are_the_tools(dark, qtbot):
    press(dark, "softbox_plain")
    one, other = dark.details.subjects["softboxes"].aim, dark.details.subjects["lamps"].aim
    one.relief.click()
    one.for_shot.click()
    tool = dark.picture.tools["aim"]
    assert (tool.relief, tool.for_shot) == (False, False) and not other.relief.isChecked()
    other.keeps.buttons["height"].click()
    assert tool.keeps == "height"


def test_a_drag_slides_the_highlight_along_and_is_one_step(dark, qtbot):
    press(dark, "softbox_plain")
    before = dark.session.document
    press(dark, "aim")
    start = point_of(dark, "ball") + QPoint(-10, 0)
    QTest.mousePress(dark.picture, LEFT, NONE, start)
    seen = []
    for k in range(5):
        QTest.mouseMove(dark.picture, start + QPoint(4 * k, -2 * k))
        seen.append(boxes(dark)[0].azimuth)
    QTest.mouseRelease(dark.picture, LEFT, NONE, start + QPoint(16, -8))
    assert len(set(seen)) > 3
    assert frame(boxes(dark)[0])[0] @ mirrored_on_ball(dark, start + QPoint(16, -8)) > 0.999
    dark.session.undo()
    assert dark.session.document is before


def test_facing_shade_and_what_cannot_be_aimed_at(dark, qtbot):
    press(dark, "softbox_plain")
    press(dark, "aim")
    at = point_of(dark, "right")
    click(dark, at, SHIFT)
    hit = dark.picture.pick(at)
    assert frame(boxes(dark)[0])[0] @ hit.normal == pytest.approx(1.0, abs=1e-3)
    before = dark.session.document
    told = []
    dark.session.hint.connect(told.append)
    click(dark, QPoint(6, 6))
    assert dark.session.document is before and any("nothing of the product" in t or "mirror" in t for t in told)
    floor = dark.picture.place_on_screen((30.0, -40.0, 0.0))
    click(dark, floor, CTRL)
    assert dark.picture._label[0].startswith("In the shadow of the")


@pytest.mark.fresh
def test_a_lamp_is_aimed_at_its_distance(dark, qtbot):
    press(dark, "lamp_rectangle")
    settle(qtbot, dark)
    at = point_of(dark, "ball") + QPoint(10, -10)
    press(dark, "aim")
    before = dark.session.lamp
    click(dark, at)
    lamp = dark.session.lamp
    assert lamp.id == before.id and lamp.position != before.position
    point = dark.picture.pick(at).point
    away = np.array(lamp.position) - point
    assert np.linalg.norm(away) == pytest.approx(np.linalg.norm(np.array(before.position) - point), rel=0.01)
    assert away / np.linalg.norm(away) @ mirrored_on_ball(dark, at) > 0.999


def test_numbers_take_another_way_and_stay_one_step(dark, qtbot):
    """Through a glass ball the box behind it is offered too; its number aims there instead."""
    session = dark.session
    glass = edits.change_surface(session.document, "m", transmission_weight=1.0, base_weight=0.0, specular_roughness=0.0, coat_weight=0.0)
    glass = edits.change_surface(glass, "b", base_metalness=1.0, specular_roughness=0.05)
    glass = edits.change_part(glass, "right", placement=replace(glass.parts["right"].placement, position=(8.0, 60.0, 25.0), turn=(15.0, 10.0, 30.0)))
    session.apply("Glass", glass)
    settle(qtbot, dark)
    before = session.document
    press(dark, "aim")
    tool = dark.picture.tools["aim"]
    middle = point_of(dark, "ball")
    for dx, dy in ((0, 0), (4, -4), (-6, 3), (8, 6), (-3, -9), (10, -3), (3, 8)):
        click(dark, middle + QPoint(dx, dy))
        if len(tool.ways) > 1:
            break
        session.undo()
    assert len(tool.ways) > 1 and session.stage == "Light"
    first = boxes(dark)[0]
    QTest.keyClick(dark.picture, Qt.Key.Key_2)
    assert session.stage == "Light"  # the number belonged to the list
    second = boxes(dark)[0]
    assert second.id == first.id and (second.azimuth, second.elevation) != (first.azimuth, first.elevation)
    assert frame(second)[0] @ tool.ways[1].direction > 0.9999
    session.undo()
    assert session.document is before


def test_a_stroke_along_an_edge_makes_a_strip_and_tells_its_cover(dark, qtbot):
    told = []
    dark.session.hint.connect(told.append)
    press(dark, "aim")
    middle = point_of(dark, "ball")
    radius = 0.85 * 20 * dark.picture.width() / dark.picture.wide_camera().sensor_mm * 60 / 420
    arc = [middle + QPoint(round(radius * np.cos(a)), round(radius * np.sin(a))) for a in np.radians(range(-50, 51, 10))]
    QTest.mousePress(dark.picture, LEFT, ALT, arc[0])
    for at in arc[1:]:
        QTest.mouseMove(dark.picture, at)
    QTest.mouseRelease(dark.picture, LEFT, ALT, arc[-1])
    (box,) = boxes(dark)
    assert box.bent and box.width > 1.5 * box.height
    assert any("of the stroke" in t and int(t.split("covers ")[1].split(" ")[0]) > 80 for t in told)


def test_from_a_free_view_it_is_aimed_for_the_shots_camera_or_for_the_view(dark, qtbot):
    session = dark.session
    session.set_view(replace(session.camera, position=(250.0, -330.0, 90.0)))
    settle(qtbot, dark)
    press(dark, "aim")
    tool, at = dark.picture.tools["aim"], point_of(dark, "ball") + QPoint(-14, -6)
    point = dark.picture.pick(at).point
    n = (point - [0.0, 0.0, 20.0]) / np.linalg.norm(point - [0.0, 0.0, 20.0])
    for tool.for_shot, camera in ((True, session.camera), (False, session.view)):
        click(dark, at)
        d = (point - camera.position) / np.linalg.norm(point - camera.position)
        assert frame(boxes(dark)[0])[0] @ (d - 2 * (d @ n) * n) > 0.999


def test_softboxes_are_pulled_sized_and_turned_on_the_map(dark, qtbot):
    from aulmo.desk.light import grips

    dome(dark).add_buttons["plain"].click()
    bench, (box,) = dome(dark), boxes(dark)
    chart = bench.map
    qtbot.waitUntil(lambda: chart._image is not None, timeout=10000)
    area = chart._rect()
    at = chart.place_of(box.id).toPoint()
    drag(chart, at, at + QPoint(30, 10))
    moved = boxes(dark)[0]
    assert moved.azimuth - box.azimuth == pytest.approx(30 / area.width() * 360, abs=1.0)
    assert moved.elevation - box.elevation == pytest.approx(-10 / area.height() * 180, abs=1.0)
    right = QPointF(*grips.grips(moved, chart)["right"]).toPoint()
    drag(chart, right, right + QPoint(8, 0))
    assert boxes(dark)[0].width > moved.width + 8 and boxes(dark)[0].height == moved.height
    knob = QPointF(*grips.grips(boxes(dark)[0], chart)["turn"]).toPoint()
    drag(chart, knob, knob + QPoint(14, 4))
    assert abs(boxes(dark)[0].turn) > 3
    before = dark.session.document
    drag(chart, QPoint(area.left() + 4, area.bottom() - 20), QPoint(area.left() + 40, area.bottom() - 20))  # the ground, not a softbox
    assert boxes(dark) == before.environment.softboxes and dark.session.softbox is None
    QTest.mouseDClick(chart, LEFT, NONE, QPoint(area.left() + 20, area.bottom() - 30))
    assert len(boxes(dark)) == 2


def test_the_map_shows_a_softbox_where_it_lies(dark, qtbot):
    press(dark, "softbox_plain")
    chart, box = dome(dark).map, boxes(dark)[0]
    qtbot.waitUntil(lambda: chart._image is not None, timeout=10000)
    area, place = chart._rect(), chart.place_of(box.id)

    def shade(x, y):
        fx, fy = chart._image.width() / area.width(), chart._image.height() / area.height()
        return chart._image.pixelColor(int((x - area.left()) * fx), int((y - area.top()) * fy)).value()

    qtbot.waitUntil(lambda: shade(place.x(), place.y()) > 150, timeout=5000)
    assert shade(place.x(), area.bottom() - 8) < 20


def test_numbers_and_choices_in_details_reach_the_softbox(dark, qtbot):
    press(dark, "softbox_graded")
    page = dark.details.subjects["softboxes"]
    assert page.bar.isVisible() and not page.picture_row.isVisible()
    for field, text in ((page.stops.field, "3 stops"), (page.azimuth.field, "-48"), (page.width_.field, "2*20 deg"), (page.kelvin.field, "4200 K")):
        type_into(field, text)
    box = boxes(dark)[0]
    assert (box.stops, box.azimuth, box.width, box.kelvin) == (3.0, -48.0, 40.0, 4200.0)
    page.kind.field.buttons["picture"].click()
    assert page.picture_row.isVisible() and boxes(dark)[0].kind == "picture"
    page.picture.setCurrentIndex(page.picture.findData("Window"))
    page.picture.activated.emit(page.picture.currentIndex())
    assert boxes(dark)[0].picture == "Window"
    page.outline.field.setCurrentIndex(page.outline.field.findData("ring"))
    page.outline.field.activated.emit(page.outline.field.currentIndex())
    assert page.inner.widget.isVisible() and not page.corner.widget.isVisible()
    page.blend.field.buttons["flag"].click()
    assert boxes(dark)[0].blend == "flag" and not page.stops.widget.isVisible()
    page.on.field.click()
    assert not boxes(dark)[0].on
    troubles = []
    dark.session.trouble.connect(troubles.append)
    type_into(page.width_.field, "400")
    assert troubles and boxes(dark)[0].width == 40.0


def test_a_grade_is_drawn_with_its_marks(dark, qtbot):
    press(dark, "softbox_graded")
    bar = dark.details.subjects["softboxes"].bar
    x = lambda at: round(7 + at * (bar.width() - 14))  # noqa: E731
    QTest.mouseClick(bar, LEFT, NONE, QPoint(x(0.5), 10))
    assert sorted(g.at for g in boxes(dark)[0].grades)[1] == pytest.approx(0.5, abs=0.02)
    drag(bar, QPoint(x(0.5), 27), QPoint(x(0.8), 27))
    assert sorted(g.at for g in boxes(dark)[0].grades)[1] == pytest.approx(0.8, abs=0.03)


def test_duplicate_mirror_solo_lock_order_and_delete(dark, qtbot):
    session = dark.session
    press(dark, "softbox_plain")
    first = boxes(dark)[0]
    press(dark, "softbox_mirror")
    twin = boxes(dark)[1]
    camera = heading(session.camera)
    assert (first.azimuth - camera) == pytest.approx(-(twin.azimuth - camera)) and session.softbox.id == twin.id
    press(dark, "duplicate")
    assert len(boxes(dark)) == 3 and session.softbox.name != twin.name
    press(dark, "softbox_solo")
    assert [b.solo for b in boxes(dark)] == [False, False, True]
    rows = dome(dark).list
    assert [rows.item(k).text() for k in range(3)] == [b.name for b in reversed(boxes(dark))]
    rows.model().moveRow(rows.rootIndex(), 0, rows.rootIndex(), 3)
    assert boxes(dark)[0].solo
    session.select((), f"softboxes/{first.id}")
    dark.details.subjects["softboxes"].locked.field.click()
    before = session.document
    type_into(dark.details.subjects["softboxes"].azimuth.field, "5")
    assert session.document is before
    session.select((), f"softboxes/{twin.id}")
    press(dark, "delete")
    assert twin.id not in {b.id for b in boxes(dark)} and len(boxes(dark)) == 2


def test_a_softbox_becomes_a_lamp_and_comes_back(dark, qtbot):
    press(dark, "softbox_plain")
    box = boxes(dark)[0]
    press(dark, "softbox_lamp")
    assert not boxes(dark) and dark.session.lamp.kind == "rectangle"
    press(dark, "softbox_lamp")
    back = boxes(dark)[0]
    assert not dark.session.document.lamps
    for one, other in zip(frame(back), frame(box)):
        np.testing.assert_allclose(one, other, atol=1e-3)
    for name in ("width", "height", "stops"):
        assert getattr(back, name) == pytest.approx(getattr(box, name), abs=0.1)


def test_what_it_stays_with_is_chosen_without_a_move(dark, qtbot):
    press(dark, "softbox_plain")
    page, before = dark.details.subjects["softboxes"], dome(dark).map.place_of(boxes(dark)[0].id)
    page.stays.setCurrentIndex(page.stays.findData("camera"))
    page.stays.activated.emit(page.stays.currentIndex())
    assert boxes(dark)[0].stays_with == "camera"
    after = dome(dark).map.place_of(boxes(dark)[0].id)
    assert (after.x(), after.y()) == (pytest.approx(before.x(), abs=0.1), pytest.approx(before.y(), abs=0.1))
    dark.session.set_view(replace(dark.session.camera, position=(420.0, 0.0, 90.0)))
    assert dome(dark).map.place_of(boxes(dark)[0].id).x() - before.x() == pytest.approx(dome(dark).map._rect().width() / 4, abs=1.0)


def test_softboxes_are_pulled_in_the_picture_behind_the_product(dark, qtbot):
    session = dark.session
    picture = dark.picture
    origin, d = ray_through(picture.wide_camera(), 120.0, 90.0, picture.width(), picture.height())
    azimuth, elevation = np.degrees(np.arctan2(d[0], -d[1])), np.degrees(np.arcsin(d[2]))
    dark.built["Light"].commands.softboxes.new("plain", float(azimuth), float(elevation), width=6, height=4)
    press(dark, "handles")
    assert session.tool == "softbox"
    drag(picture, QPoint(120, 90), QPoint(200, 120))
    box = boxes(dark)[0]
    expected = ray_through(picture.wide_camera(), 200.0, 120.0, picture.width(), picture.height())[1]
    assert direction(box.azimuth, box.elevation) @ expected > 0.9999
    assert picture.subject_at(QPoint(201, 121)) == f"softboxes/{box.id}"


def test_set_ups_and_pictures_come_by_drop(dark, qtbot, tmp_path):
    from aulmo import script

    document, _ = script.add_softbox(dark.session.document, name="Kept")
    script.save_set_up(document, dark.session.assets, tmp_path / "kept.aulmolight")
    said = drop(dark.picture, file_mime(tmp_path / "kept.aulmolight"), QPoint(40, 40))
    assert "set-up" in said
    qtbot.waitUntil(lambda: [b.name for b in boxes(dark)] == ["Kept"], timeout=5000)


def test_a_dropped_photograph_lights_and_is_said_to_have_no_range(dark, qtbot, tmp_path):
    from PIL import Image

    Image.fromarray(np.full((16, 32, 3), 130, np.uint8)).save(tmp_path / "room.jpg")
    troubles = []
    dark.session.trouble.connect(troubles.append)
    dark.built["Light"].commands.use_environment(tmp_path / "room.jpg")
    qtbot.waitUntil(lambda: not dark.session.document.environment.shipped, timeout=10000)
    assert any("no range" in t for t in troubles)


def test_the_light_check_follows_the_traced_picture_and_a_finding_is_solved(dark, qtbot):
    """A dark product on a dark set: the rim is lost, and a strip aimed there brings it back."""
    session = dark.session
    press(dark, "softbox_plain")
    session.put({f"environment/softboxes/{boxes(dark)[0].id}/stops": -1.0})
    dark.picture.set_traced(True)
    watch, bench = dark.built["Light"].commands.watch, dark.bench._all["Light"]["Light check"]
    qtbot.waitUntil(lambda: watch.found is not None, timeout=60000)
    assert watch.found.by_part and bench.table.topLevelItemCount() == len(watch.found.by_part)
    bench.buttons["rim"].click()
    assert watch.shown() and watch.overlay == "rim"
    rim = [f for f in watch.found.findings if f.kind == "rim"]
    if rim:
        count = len(boxes(dark))
        bench._solve(rim[0])
        assert len(boxes(dark)) == count + 1 and boxes(dark)[-1].bent and boxes(dark)[-1].name.startswith("Rim of")
        session.undo()
        assert len(boxes(dark)) == count
    bench.buttons["tones"].click()
    assert watch.overlay == "tones"
    assert callable(check)


def test_lamps_are_found_switched_and_heard_alone_in_the_list(window, qtbot):
    session = window.session
    session.set_stage("Light")
    document = session.document
    for k in range(200):
        document = edits.put_lamp(document, Lamp(f"l{k}", f"Ceiling {k}" if k else "Key", group="Ceiling" if k else "Key"))
    session.apply("Many", document)
    window.bench.show_face("Lamps")
    bench = window.bench._all["Light"]["Lamps"]
    assert bench.list.topLevelItemCount() == 200
    bench.search.setText("key")
    shown = [bench.list.topLevelItem(k) for k in range(200) if not bench.list.topLevelItem(k).isHidden()]
    assert [row.text(2) for row in shown] == ["Key"]
    bench.list.itemClicked.emit(shown[0], 0)
    assert not session.document.lamps["l0"].on
    bench.list.itemClicked.emit(shown[0], 1)
    assert session.document.lamps["l0"].solo
    bench.search.clear()
    bench.list.selectAll()
    bench.group()
    assert len({lamp.group for lamp in session.document.lamps.values()}) == 1


def test_furnished_lamps_stand_and_hang_and_a_part_glows(window, qtbot, monkeypatch):
    session = window.session
    session.set_stage("Light")
    settle(qtbot, window)
    press(window, "furnish_table")
    assert session.tool == "furnish"
    at = window.picture.place_on_screen((20.0, -60.0, 0.0))
    QTest.mouseMove(window.picture, at)
    QTest.mouseClick(window.picture, LEFT, NONE, at)
    (group,) = session.selection
    (lamp,) = session.document.lamps.values()
    assert session.document.parts[group].name == "Table lamp" and (lamp.stays_with, lamp.part) == ("part", group)
    from aulmo.light.staying import lamp_in_world

    np.testing.assert_allclose(lamp_in_world(session.document, lamp, None).position[:2], (20.0, -60.0), atol=1.5)
    session.undo()
    assert not session.document.lamps and group not in session.document.parts
    monkeypatch.setattr(QInputDialog, "getDouble", lambda *a, **k: (1500.0, True))
    session.select(["left"])
    press(window, "glow")
    worn = session.document.materials[session.document.parts["left"].material]
    assert worn.surface.emission_luminance == 1500.0 and session.document.parts["right"].material == "b"
