"""Surface, Light, Frame and Render through the real widgets; and what the files then say."""

import math

import numpy as np
import pytest
from msgspec.structs import replace
from PIL import Image
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from aulmo.command.main import describe
from aulmo.document import edits, project_file
from aulmo.surface import swatches
from aulmo.surface.colour import from_hex, to_hex
from aulmo.trace.camera_rows import camera_axes, ev100
from desk_tools import drag, drop, file_mime, point_of, settle, swatch_mime, type_into

LEFT, RIGHT = Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton
NONE, ALT = Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.AltModifier


def surface_page(window):
    """The Surface stage's page."""
    window.session.set_stage("Surface")
    return window.details.pages["Surface"]


def worn(window, part: str):
    """What a part wears."""
    return window.session.document.materials[window.session.document.parts[part].material]


# surface


def test_a_swatch_dropped_on_a_part_dresses_all_that_share_and_undo_takes_it_back(window, qtbot):
    window.session.set_stage("Surface")
    before = window.session.document
    said = drop(window.picture, swatch_mime("Copper"), point_of(window, "left"))
    assert said == "Left box | drop: Copper on 2 parts"
    assert worn(window, "left").name == worn(window, "right").name == "Copper"
    assert worn(window, "ball").name == "Plain"
    settle(qtbot, window)
    b, g, r = window.picture.draft.picture[point_of(window, "left").y(), point_of(window, "left").x(), :3].astype(int)
    assert r > b
    window.session.undo()
    assert window.session.document is before


def test_alt_drops_on_one_part_only(window):
    window.session.set_stage("Surface")
    said = drop(window.picture, swatch_mime("Copper"), point_of(window, "left"), ALT)
    assert said.endswith("on 1 part")
    assert worn(window, "left").name == "Copper" and worn(window, "right").name == "Box blue"


def test_a_swatch_dropped_on_a_group_in_the_tree_dresses_the_group(window):
    tree = window.parts.tree
    at = tree.visualItemRect(window.parts.item_of("pair")).center()
    drop(tree.viewport(), swatch_mime("Slate"), at)
    assert worn(window, "left").name == worn(window, "right").name == "Slate"


def test_a_swatch_dropped_on_nothing_changes_nothing(window):
    before = window.session.document
    said = drop(window.picture, swatch_mime("Copper"), QPoint(5, 5))
    assert said.startswith("No part here")
    assert window.session.document is before


def test_how_many_share_is_seen_and_made_unique_in_one_step(window):
    page = surface_page(window)
    window.session.select(["left"])
    assert page.shared_text.text() == "Shared by 2 parts" and page.unique.isVisible()
    page.unique.click()
    assert worn(window, "left").id != worn(window, "right").id
    assert page.shared_text.text() == "Only on this part" and not page.unique.isVisible()


def test_every_parameter_shows_and_sets_with_its_dot(window):
    page = surface_page(window)
    window.session.select(["ball"])
    assert set(page.rows) | {"geometry_thin_walled"} == set(worn(window, "ball").surface.__struct_fields__)
    rough = page.rows["specular_roughness"]
    type_into(rough.field, "0.62")
    assert worn(window, "ball").surface.specular_roughness == pytest.approx(0.62)
    assert rough.dot._on
    QTest.mouseClick(rough.dot, LEFT, NONE, QPoint(3, 9))
    assert worn(window, "ball").surface.specular_roughness == pytest.approx(0.3)
    type_into(page.rows["transmission_depth"].field, "1 cm")
    assert worn(window, "ball").surface.transmission_depth == pytest.approx(10)
    before = window.session.document
    type_into(rough.field, "7")
    assert window.session.document is before


def test_sliding_is_one_undo_step(window):
    page = surface_page(window)
    window.session.select(["ball"])
    before = window.session.document
    slider = page.rows["coat_weight"].slider
    slider.setSliderDown(True)
    for value in (200, 500, 900):
        slider.setValue(value)
    slider.setSliderDown(False)
    assert worn(window, "ball").surface.coat_weight == pytest.approx(0.9)
    window.session.undo()
    assert window.session.document is before


def test_a_colour_is_typed_or_picked(window):
    page = surface_page(window)
    window.session.select(["ball"])
    row = page.rows["base_color"]
    type_into(row.hex, "#2b5378")
    assert to_hex(worn(window, "ball").surface.base_color) == "#2b5378"
    before = window.session.document
    type_into(row.hex, "reddish")
    assert window.session.document is before and row.hex.text() == "#2b5378"
    row.chip.click()
    picker = row._picker
    assert picker.isVisible() and len(picker.wells) == 16
    picker.wells[5].click()
    assert to_hex(worn(window, "ball").surface.base_color) == "#7a1f14"
    type_into(picker.temperature, "2700")
    r, _, b = worn(window, "ball").surface.base_color
    assert r > 2 * b
    picker.close()


def test_a_measured_metal_brings_its_constants(window):
    page = surface_page(window)
    window.session.select(["ball"])
    page.metal.setCurrentText("Gold")
    page.metal.activated.emit(page.metal.currentIndex())
    surface = worn(window, "ball").surface
    assert surface.base_metalness == 1 and surface.base_color[0] > surface.base_color[2]


def test_copy_paste_and_rename_of_materials(window):
    session = window.session
    session.select(["ball"])
    QTest.keyClick(window.picture, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
    session.select(["left"])
    QTest.keyClick(window.picture, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    assert worn(window, "left").name == "Plain" and worn(window, "right").name == "Box blue"
    page = surface_page(window)
    page.name.setText("Harbour red")
    page.name.editingFinished.emit()
    assert worn(window, "ball").name == "Harbour red"


def test_the_shelf_filters_by_kind_and_word_and_double_click_dresses(window):
    bench = window.bench.faces["Surface"]
    window.session.set_stage("Surface")
    assert bench.shelf.count() == len(swatches.shelf()) >= 30
    assert not bench.shelf.item(0).icon().isNull()
    bench.buttons["Glass & liquid"].click()
    assert 6 <= bench.shelf.count() < 15
    bench.search.setText("oil")
    assert [bench.shelf.item(k).text() for k in range(bench.shelf.count())] == ["Lamp oil"]
    window.session.select(["ball"])
    bench.shelf.itemDoubleClicked.emit(bench.shelf.item(0))
    assert worn(window, "ball").name == "Lamp oil"
    bench.search.clear()
    bench.buttons["In this project"].click()
    assert {bench.shelf.item(k).text() for k in range(bench.shelf.count())} == {"Lamp oil", "Box blue"}


# light


def test_dragging_the_dome_turns_the_light(window, qtbot):
    window.session.set_stage("Light")
    dome = window.bench.faces["Light"].map
    qtbot.waitUntil(lambda: dome._image is not None, timeout=10000)
    area = dome._rect()
    start = area.center()
    before = window.session.document
    drag(dome, start, start + QPoint(40, 0))
    turned = window.session.document.environment.turn
    assert turned == pytest.approx(-40 / area.width() * 360, abs=1)
    assert window.details.pages["Light"].turn.field.value() == pytest.approx(turned)
    window.session.undo()
    assert window.session.document is before


def test_the_map_moves_with_the_hand(window):
    """A softbox drawn at the left of the map moves right when the dome is dragged right."""
    from aulmo.desk.light.bench import flat_map
    from aulmo.document.records import Environment
    from aulmo.light.softbox import Softbox, paint

    image = paint([Softbox(-90, 0, 30, 30, 3000)], 256, 128)
    column = lambda turn: int(flat_map(image, Environment(turn=turn), 360, 180)[90, :, 1].argmax())  # noqa: E731
    assert column(0) == pytest.approx(90, abs=16)  # azimuth -90 is left of the camera in the middle
    assert column(-40) == pytest.approx(column(0) + 40, abs=3)


def test_light_settings_and_sets(window):
    window.session.set_stage("Light")
    page, bench = window.details.pages["Light"], window.bench.faces["Light"]
    type_into(page.exposure.field, "1.5 stops")
    type_into(page.saturation.field, "0.5")
    type_into(page.tilt.field, "12 deg")
    environment = window.session.document.environment
    assert (environment.exposure, environment.saturation, environment.tilt) == (1.5, 0.5, 12)
    names = [bench.sets.item(k).text() for k in range(bench.sets.count())]
    assert len(names) >= 6
    bench.sets.itemClicked.emit(bench.sets.item(names.index("Clear sky")))
    assert window.session.document.environment.image == "Clear sky"
    assert page.set.currentText() == "Clear sky"
    page.floor_kind.buttons["shadow"].click()
    assert window.session.document.floor.kind == "shadow"
    page.kind.setCurrentIndex(page.kind.findData("gradient"))
    page.kind.activated.emit(page.kind.currentIndex())
    assert window.session.document.backdrop.kind == "gradient"
    assert page.bottom.isVisible()


def test_an_hdr_dropped_lights_the_set_and_stays_with_it_when_saved(window, qtbot, tmp_path):
    from aulmo.deliver.picture_file import encode

    (tmp_path / "room.exr").write_bytes(encode(np.random.default_rng(1).random((32, 64, 3)).astype(np.float32), ".exr", "float"))
    said = drop(window.picture, file_mime(tmp_path / "room.exr"), QPoint(50, 50))
    assert "light the set" in said
    qtbot.waitUntil(lambda: not window.session.document.environment.shipped, timeout=20000)
    assert window.session.save(tmp_path / "lit.aulmo")
    (tmp_path / "room.exr").unlink()
    document, assets = project_file.load(tmp_path / "lit.aulmo")
    assert assets.get(document.environment.image)
    before = window.session.document
    (tmp_path / "bad.hdr").write_bytes(b"#?RADIANCE\nnonsense")
    with qtbot.waitSignal(window.session.trouble, timeout=20000):
        drop(window.picture, file_mime(tmp_path / "bad.hdr"), QPoint(50, 50))
    assert window.session.document is before


# frame


def frame_page(window):
    """The Frame stage's page."""
    window.session.set_stage("Frame")
    return window.details.pages["Frame"]


def test_lens_exposure_and_place_are_typed(window):
    page = frame_page(window)
    type_into(page.focal.field, "35 mm")
    type_into(page.f_stop, "f/5.6")
    type_into(page.shutter, "1/125")
    type_into(page.iso, "200")
    type_into(page.roll.field, "3°")
    type_into(page.distance.field, "0.6 m")
    type_into(page.height.field, "150")
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
    page.locked.click()
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
    from aulmo.desk.frame.page import sharp_range
    from aulmo.document.records import Camera

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
    page, bench = frame_page(window), window.frame_bench
    bench.new_shot()
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
    bench.delete()
    assert len(window.session.document.shots) == 2 and len(window.session.document.cameras) == 2
    qtbot.waitUntil(lambda: not bench.sheet.item(0).icon().isNull(), timeout=30000)
    bench.sheet.itemClicked.emit(bench.sheet.item(0))
    assert window.session.shot.name == "Shot 1"
    window.session.undo()


def test_the_last_shot_stays(window):
    frame_page(window)
    window.frame_bench.delete()
    assert len(window.session.document.shots) == 1
    assert "at least one shot" in window.hint_line.text.text()


def test_a_free_view_can_be_given_to_the_camera(window):
    window.session.set_view(replace(window.session.camera, position=(0.0, -333.0, 44.0)))
    page = frame_page(window)
    assert page.free.isVisible()
    page.take_view()
    assert window.session.camera.position == (0.0, -333.0, 44.0) and window.session.free_view is None


# render


def test_a_render_goes_on_while_the_artist_works_and_the_file_says_so(window, qtbot, tmp_path):
    window.session.set_stage("Render")
    page = window.details.pages["Render"]
    type_into(page.width_, "96")
    assert window.session.shot.height == 72
    page.stop.buttons["samples"].click()
    type_into(page.samples, "6")
    page.go.click()
    (card,) = window.render_bench.cards
    window.session.apply("Repainted", edits.change_surface(window.session.document, "m", base_color=from_hex("#000000")))  # too late for the snapshot
    qtbot.waitUntil(lambda: card.outcome == "done", timeout=120000)
    with Image.open(card.job.record.out) as image:
        assert image.size == (96, 72)
        pixels = np.asarray(image).astype(int)
    red = (pixels[..., 0] > 1.5 * pixels[..., 2]) & (pixels[..., 0] > 60)
    assert red.any(), "the file shows the ball as it was when the render began"
    assert "6 samples" in card.words.text() and card.open.isVisible() and not card.picture.pixmap().isNull()
    card.again.click()
    assert len(window.render_bench.cards) == 2
    again = window.render_bench.cards[0]
    qtbot.waitUntil(lambda: again.outcome == "done", timeout=120000)
    assert again.job.record.out != card.job.record.out


def test_a_render_can_be_cancelled(window, qtbot):
    window.session.set_stage("Render")
    window.session.change_shot("Large", width=2400, height=1800)
    window.session.apply("Many", replace(window.session.document, render=replace(window.session.document.render, samples=5000)))
    card = window.render_bench.start()
    qtbot.waitUntil(lambda: bool(card.job.state()), timeout=90000)
    assert card.bar.isVisible()
    card.cancel.click()
    qtbot.waitUntil(lambda: card.outcome == "cancelled", timeout=60000)
    assert "Cancelled" in card.words.text()


def test_the_time_is_predicted_before_starting(window, qtbot):
    window.session.set_stage("Render")
    page = window.details.pages["Render"]
    page.measure.click()
    qtbot.waitUntil(lambda: page.prediction.text().startswith("About"), timeout=120000)
    assert "8 samples" in page.prediction.text()
    window.session.apply("Moved", edits.change_part(window.session.document, "ball", name="Moved"))
    assert "changed" in page.prediction.text()


def test_a_folder_that_is_gone_gets_a_sentence(window):
    window.session.set_stage("Render")
    window.session.apply("Folder", replace(window.session.document, render=replace(window.session.document.render, folder="/no/such/place")))
    assert window.render_bench.start() is None
    assert "/no/such/place" in window.hint_line.text.text()


def test_from_drop_to_reopened_file(window, qtbot, tmp_path):
    """The whole slice: swatch by drop, undo, light turned, lens set, rendered, saved, opened again; and the file says so."""
    window.session.set_stage("Surface")
    drop(window.picture, swatch_mime("Polished brass"), point_of(window, "ball"))
    drop(window.picture, swatch_mime("Slate"), point_of(window, "ball"))
    window.session.undo()
    window.session.set_stage("Light")
    type_into(window.details.pages["Light"].turn.field, "33")
    window.session.set_stage("Frame")
    type_into(window.details.pages["Frame"].focal.field, "50")
    assert window.session.save(tmp_path / "end.aulmo", window.thumbnail())
    window.open_project(tmp_path / "end.aulmo")
    settle(qtbot, window)
    about = describe(tmp_path / "end.aulmo")
    assert {p["name"]: p["material"] for p in about["parts"]}["Ball"] == "Polished brass"
    assert about["lights"][0]["turn"] == 33 and about["cameras"][0]["focal_length_mm"] == 50
    window.session.apply("Small", edits.put_shot(window.session.document, replace(window.session.shot, width=40, height=30)))
    card = window.render_bench.start()
    qtbot.waitUntil(lambda: card.outcome == "done", timeout=120000)
    with Image.open(card.job.record.out) as image:
        assert image.size == (40, 30)


# grain


def dressed_in(window, swatch: str):
    """The ball in a swatch, chosen, and the Surface page."""
    page = surface_page(window)
    drop(window.picture, swatch_mime(swatch), point_of(window, "ball"))
    window.session.select(["ball"])
    return page


def test_the_grain_of_wood_is_changed_by_its_rows_and_taken_back(window, qtbot):
    page = dressed_in(window, "Oiled ash")
    assert page.grain.isVisible()
    before = window.session.document
    type_into(page.grain.rows["wood", "ring_mm"].field, "5.5")
    node = next(n for n in worn(window, "ball").nodes if n.id == "wood")
    assert node.inputs["ring_mm"] == 5.5
    axis = page.grain.rows["wood", "axis"]
    axis.setCurrentIndex(axis.findData("x"))
    axis.activated.emit(axis.currentIndex())
    assert next(n for n in worn(window, "ball").nodes if n.id == "wood").axis == "x"
    settle(qtbot, window)
    window.session.undo()
    window.session.undo()
    assert window.session.document is before
    assert page.grain.rows["wood", "ring_mm"].field.text().startswith("2.6")
    assert axis.currentData() == "z"


def test_dragging_a_grain_slider_is_one_step_back(window):
    page = dressed_in(window, "Canvas")
    before = window.session.document
    slider = page.grain.rows["cloth", "size_mm"].slider
    page.ensureWidgetVisible(slider)
    grip = QPoint(5 + round(slider.value() / 1000 * (slider.width() - 11)), slider.height() // 2)
    drag(slider, grip, grip + QPoint(30, 0))
    assert next(n for n in worn(window, "ball").nodes if n.id == "cloth").inputs["size_mm"] > 1.2
    window.session.undo()
    assert window.session.document is before


def test_what_the_grain_leads_cannot_be_set_by_hand_and_what_it_tints_can(window):
    page = dressed_in(window, "White marble")
    assert not page.rows["subsurface_color"].isEnabled() and page.rows["subsurface_color"].toolTip() == "Led by the grain"
    dressed_in(window, "Dark walnut")
    assert page.rows["subsurface_color"].isEnabled() and page.rows["base_color"].isEnabled()
    page.rows["base_color"].changed.emit((0.2, 0.3, 0.1), False)
    assert worn(window, "ball").surface.base_color == (0.2, 0.3, 0.1) and worn(window, "ball").nodes


def test_a_material_without_nodes_has_no_grain(window):
    page = dressed_in(window, "Copper")
    assert not page.grain.isVisible()


def test_the_project_shelf_pictures_grain(window, qtbot):
    """Two materials of one surface, with and without grain, look different on the shelf."""
    dressed_in(window, "Dark walnut")
    bare = replace(worn(window, "ball"), id="bare", name="Bare walnut", nodes=(), wires={})
    document = edits.assign_material(edits.put_material(window.session.document, bare), ["left", "right"], "bare")
    window.session.apply("Bare walnut on both boxes", document)
    bench = window.bench.faces["Surface"]
    bench.buttons["In this project"].click()
    size = bench.shelf.iconSize()

    def pictured() -> list:
        items = [bench.shelf.item(k) for k in range(bench.shelf.count())]
        return [i.icon().pixmap(size).toImage() for i in items if "walnut" in i.text() and not i.icon().isNull()]

    qtbot.waitUntil(lambda: len(pictured()) == 2, timeout=120000)
    one, other = pictured()
    assert one != other
