"""Surface through the real widgets: swatches, sharing, every parameter, grain."""

import pytest
from msgspec.structs import replace
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from aulmo.desk.surface import page as page_module
from aulmo.document import edits
from aulmo.surface import swatches
from aulmo.surface.colour import to_hex
from desk_tools import drag, drop, point_of, settle, surface_page, swatch_mime, type_into, worn

LEFT, RIGHT = Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton
NONE, ALT = Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.AltModifier


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
    assert set(page.rows) == set(worn(window, "ball").surface.__struct_fields__)
    rough = page.rows["specular_roughness"]
    type_into(rough.field, "0.62")
    assert worn(window, "ball").surface.specular_roughness == pytest.approx(0.62)
    assert rough.dot.is_on
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
    slider = page.rows["coat_weight"].widget.slider
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
    row = page.rows["base_color"].field
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
    page.name.field.setText("Harbour red")
    page.name.field.editingFinished.emit()
    assert worn(window, "ball").name == "Harbour red"


def test_the_shelf_filters_by_kind_and_word_and_double_click_dresses(window):
    bench = window.bench.faces["Surface"]
    window.session.set_stage("Surface")
    assert bench.shelf.count() == len(swatches.shelf()) >= 30
    assert not bench.shelf.item(0).icon().isNull()
    bench.buttons["Glass & liquid"].click()
    assert 6 <= bench.shelf.count() < 50
    bench.search.setText("lamp o")
    assert [bench.shelf.item(k).text() for k in range(bench.shelf.count())] == ["Lamp oil"]
    window.session.select(["ball"])
    bench.shelf.itemDoubleClicked.emit(bench.shelf.item(0))
    assert worn(window, "ball").name == "Lamp oil"
    bench.search.clear()
    bench.buttons["In this project"].click()
    assert {bench.shelf.item(k).text() for k in range(bench.shelf.count())} == {"Lamp oil", "Box blue"}


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
    axis = page.grain.rows["wood", "axis"].field
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
    slider = page.grain.rows["cloth", "size_mm"].widget.slider
    page.ensureWidgetVisible(slider)
    grip = QPoint(5 + round(slider.value() / 1000 * (slider.width() - 11)), slider.height() // 2)
    drag(slider, grip, grip + QPoint(30, 0))
    assert next(n for n in worn(window, "ball").nodes if n.id == "cloth").inputs["size_mm"] > 1.2
    window.session.undo()
    assert window.session.document is before


def test_what_the_grain_leads_cannot_be_set_by_hand_and_what_it_tints_can(window):
    page = dressed_in(window, "White marble")
    assert page.rows["subsurface_color"].widget.isHidden() and not page.leads["subsurface_color"].isHidden()
    assert page.leads["subsurface_color"].link.text() == "← Mix"
    dressed_in(window, "Dark walnut")
    assert page.rows["subsurface_color"].widget.isEnabled() and page.rows["base_color"].widget.isEnabled()
    page.rows["base_color"].field.changed.emit((0.2, 0.3, 0.1), False)
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


def test_a_dragged_swatch_leaves_the_label_at_the_cursor_free(window, monkeypatch):
    """The label stands right of and below the cursor; the ball that is dragged stays above and left of it."""
    from PySide6.QtGui import QDrag

    hung = []
    monkeypatch.setattr(QDrag, "exec", lambda drag, *_: hung.append((drag.hotSpot(), drag.pixmap().deviceIndependentSize())))
    window.session.set_stage("Surface")
    shelf = window.bench.faces["Surface"].shelf
    shelf.setCurrentRow(0)
    shelf.startDrag(None)
    ((spot, size),) = hung
    assert size.width() > 10 and spot.x() > size.width() and spot.y() > size.height()


@pytest.mark.fresh
def test_every_name_on_the_shelf_stands_within_its_tile(window, qtbot):
    window.session.set_stage("Surface")
    shelf = window.bench.faces["Surface"].shelf
    qtbot.wait(50)
    metrics = shelf.fontMetrics()
    assert shelf.count() > 50
    for k in range(shelf.count()):
        item = shelf.item(k)
        tile = shelf.visualItemRect(item)
        room = metrics.boundingRect(0, 0, tile.width() - 12, 1000, Qt.AlignmentFlag.AlignHCenter | Qt.TextFlag.TextWordWrap, item.text())
        below_the_ball = tile.height() - shelf.iconSize().height() - 8  # its frame and margins
        assert room.height() <= below_the_ball and room.width() <= tile.width() - 8, item.text()


def test_what_a_kind_is_about_comes_first_whatever_was_seen_before(window, qtlog):
    window.session.set_stage("Surface")
    page = surface_page(window)
    parts = (*page.sections, page.grain)
    began = min(page.body.indexOf(s) for s in parts)
    titles = list(page_module.SECTIONS)
    for kind in ("Glass & liquid", "Wax & cloth", "Glow", "Metal"):
        page._by_kind(kind)
        first = [page.sections[titles.index(t)] for t in page_module.FIRST[kind]]
        places = [page.body.indexOf(s) for s in first]
        assert places[0] == began and page.body.indexOf(page.grain) == began + 1 and places[1:] == list(range(began + 2, began + 1 + len(first)))
        assert sorted(page.body.indexOf(s) for s in parts) == list(range(began, began + len(parts)))
    assert not [r for r in qtlog.records if "index" in r.message]
