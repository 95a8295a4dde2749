"""Pictures and decals through the real widgets: dropped, told apart, laid, moved; stuck on, slid, ordered, given to regions."""

import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import QMimeData, QPoint, Qt, QUrl
from PySide6.QtTest import QTest

from aulmo.document import edits
from aulmo.document.placement import world_matrix
from aulmo.document.records import Placement
from aulmo.prepare import sticking
from desk_tools import drag, drop, file_mime, hover, key, point_of, settle, surface_page, type_into, worn

LEFT = Qt.MouseButton.LeftButton
SVG = '<svg xmlns="http://www.w3.org/2000/svg" width="12mm" height="6mm" viewBox="0 0 120 60"><rect width="120" height="60" fill="#c01010"/></svg>'


@pytest.fixture
def folder(tmp_path):
    """A set of four pictures and a label of 12 x 6 mm."""
    rng = np.random.default_rng(2)
    height = np.cumsum(rng.normal(size=(64, 64)), 0)
    gy, gx = np.gradient(height * 0.05)
    n = np.stack([-gx, gy, np.ones_like(gx)], -1)
    n /= np.linalg.norm(n, axis=-1, keepdims=True)
    made = tmp_path / "set"
    made.mkdir()
    for name, image in (
        ("scuffed_BaseColor.png", rng.integers(0, 255, (64, 64, 3))), ("scuffed_gloss.png", rng.integers(0, 255, (64, 64))),
        ("scuffed_normal.png", np.rint(255 * (0.5 + 0.5 * n))), ("scuffed_height.png", rng.integers(0, 255, (64, 64))),
    ):  # fmt: skip
        Image.fromarray(image.astype(np.uint8)).save(made / name)
    (tmp_path / "label.svg").write_text(SVG)
    return tmp_path


def card_of(window):
    return window.built["Surface"].commands.card


def offered(window, qtbot, paths, part="ball"):
    """Drop files on a part and wait for the card; returns what the cursor said."""
    mime = QMimeData()
    mime.setUrls([QUrl.fromLocalFile(str(p)) for p in paths])
    said = drop(window.picture, mime, point_of(window, part))
    qtbot.waitUntil(card_of(window).isVisible, timeout=10000)
    return said


def stuck(window, qtbot, folder, part="ball"):
    """A label dropped on a part as a decal."""
    offered(window, qtbot, [folder / "label.svg"], part)
    QTest.mouseClick(card_of(window).decal_button, LEFT)
    settle(qtbot, window)
    return next(reversed(window.session.document.decals.values()))


def middle(window) -> QPoint:
    tool = window.picture.tools["decal"]
    x, y = tool._handles(tool.decal())[2]
    return QPoint(round(x), round(y))


# sets of pictures


def test_a_folder_dropped_on_a_part_is_told_apart_and_wired_in_one_step(window, qtbot, folder):
    window.session.set_stage("Surface")
    before = window.session.document
    said = offered(window, qtbot, [folder / "set"])
    assert said == "set | drop: lay on Ball"
    card = card_of(window)
    assert {f.file: f.role for f in card.found} == {
        "scuffed_BaseColor.png": "colour", "scuffed_gloss.png": "gloss", "scuffed_normal.png": "normal", "scuffed_height.png": "height",
    }  # fmt: skip
    assert window.session.document is before  # nothing is taken before the card says so
    QTest.mouseClick(card.lay_button, LEFT)
    material = worn(window, "ball")
    assert set(material.wires) == {"base_color", "specular_roughness", "normal", "height"} and len(material.lays) == 1
    gloss = next(n for n in material.nodes if n.file == "scuffed_gloss.png")
    assert gloss.adjust.turned_over and gloss.lay == material.lays[0].id
    window.session.undo()
    assert window.session.document is before


def test_a_row_of_the_card_can_be_changed_before_it_is_taken(window, qtbot, folder):
    window.session.set_stage("Surface")
    offered(window, qtbot, [folder / "set"])
    card = card_of(window)
    row = next(k for k, f in enumerate(card.found) if f.role == "height")
    card.rows[row][0].setFocus()
    card.rows[row][0].setCurrentIndex(card.rows[row][0].findData("none"))
    card.rows[row][0].activated.emit(card.rows[row][0].currentIndex())
    type_into(card.width_field, "25 mm")
    QTest.mouseClick(card.lay_button, LEFT)
    material = worn(window, "ball")
    assert "height" not in material.wires and material.lays[0].width_mm == 25.0


def test_a_set_on_a_shared_material_goes_on_all_or_on_this_part_alone(window, qtbot, folder):
    window.session.set_stage("Surface")
    offered(window, qtbot, [folder / "set"], "left")
    assert "not on all 2" in card_of(window).only.text()
    QTest.mouseClick(card_of(window).only, LEFT, pos=QPoint(8, card_of(window).only.height() // 2))
    QTest.mouseClick(card_of(window).lay_button, LEFT)
    assert worn(window, "left").wires and not worn(window, "right").wires


def test_the_laid_picture_is_seen_in_the_draft_and_adjusted_beside_it(window, qtbot, folder):
    Image.new("RGB", (16, 16), (10, 200, 10)).save(folder / "grass_color.png")
    page = surface_page(window)
    offered(window, qtbot, [folder / "grass_color.png"])
    QTest.mouseClick(card_of(window).lay_button, LEFT)
    settle(qtbot, window)
    at = point_of(window, "ball")
    b, g, r = window.picture.draft.picture[at.y(), at.x(), :3].astype(int)
    assert g > 1.5 * r and g > 1.5 * b
    node = worn(window, "ball").nodes[0].id
    type_into(page.pictures.rows[node, "saturation"].field, "0")
    settle(qtbot, window)
    b, g, r = window.picture.draft.picture[at.y(), at.x(), :3].astype(int)
    assert abs(g - r) < 12


def test_a_picture_grabbed_on_the_part_follows_the_hand(window, qtbot, folder):
    """What lay under the cursor when it was grabbed lies under it when it is let go."""
    surface_page(window)
    half = np.zeros((64, 64, 3), np.uint8)
    half[:, :32] = (220, 20, 20)
    Image.fromarray(half).save(folder / "half_color.png", dpi=(25.4, 25.4))  # 64 mm wide
    offered(window, qtbot, [folder / "half_color.png"])
    card_of(window).laid.setCurrentIndex(card_of(window).laid.findData("flat"))
    QTest.mouseClick(card_of(window).lay_button, LEFT)
    commands = window.built["Surface"].commands
    lay = worn(window, "ball").lays[0]
    window.session.put({f"materials/m/lays/{lay.id}/turn": (90.0, 0.0, 0.0)})  # it looks from the front
    settle(qtbot, window)
    commands.move_lay(lay.id)
    tool = window.picture.tools["lay"]
    steps = [QPoint(x, y) for x in (30, 24, 18, 12) for y in (-20, -10, 10, 20)]
    at = next(p for p in (point_of(window, "ball") + s for s in steps) if tool._grip_at(p) is None and tool._place(p) is not None)
    start = tool._place(at)[1]
    drag(window.picture, at, at + QPoint(-15, -9))
    moved = worn(window, "ball").lays[0]
    there = tool._place(at + QPoint(-15, -9))[1]
    np.testing.assert_allclose(
        there - [moved.offset_x_mm, moved.offset_y_mm], start - [lay.offset_x_mm, lay.offset_y_mm], atol=1e-4
    )  # fmt: skip
    assert abs(moved.offset_x_mm) > 1.0


def test_fitting_covers_the_part_once(window, qtbot, folder):
    surface_page(window)
    offered(window, qtbot, [folder / "set"])
    QTest.mouseClick(card_of(window).lay_button, LEFT)
    lay = worn(window, "ball").lays[0]
    window.session.put({f"materials/m/lays/{lay.id}/projection": "flat"})
    window.session.select(["ball"])
    window.built["Surface"].commands.fit(lay.id, "part", "y")
    fitted = worn(window, "ball").lays[0]
    assert fitted.width_mm == pytest.approx(40.0, rel=1e-3) and fitted.position == pytest.approx((0, 0, 0), abs=1e-3)


def test_missing_pictures_are_listed_and_found_again_by_folder(window, qtbot, folder):
    from msgspec.structs import replace

    surface_page(window)
    offered(window, qtbot, [folder / "set"])
    QTest.mouseClick(card_of(window).lay_button, LEFT)
    material = worn(window, "ball")
    nodes = tuple(replace(n, image=None) if n.file == "scuffed_gloss.png" else n for n in material.nodes)
    window.session.apply("lost", edits.put_material(window.session.document, replace(material, nodes=nodes)))
    bench = window.bench._all["Surface"]["Pictures"]
    window.bench.show_face("Pictures", "Surface")
    assert bench.words.text() == "1 missing" and bench.search.isVisible()
    assert [u.file for u in bench.shown if u.asset is None] == ["scuffed_gloss.png"]
    settle(qtbot, window)  # the picture goes on without it
    bench.look_in(folder)
    qtbot.waitUntil(lambda: bench.words.text() == "", timeout=10000)
    assert all(n.image for n in worn(window, "ball").nodes if n.kind == "image")


def test_a_file_that_is_no_picture_is_a_sentence_and_nothing_changes(window, qtbot, folder):
    window.session.set_stage("Surface")
    (folder / "torn.png").write_bytes((folder / "set" / "scuffed_BaseColor.png").read_bytes()[:400])
    before, told = window.session.document, []
    window.session.trouble.connect(told.append)
    drop(window.picture, file_mime(folder / "torn.png"), point_of(window, "ball"))
    qtbot.waitUntil(lambda: bool(told), timeout=10000)
    assert "torn.png" in told[0] and "Traceback" not in told[0]
    assert window.session.document is before and not card_of(window).isVisible()


# decals


def test_artwork_dropped_as_a_decal_has_its_true_size_and_is_in_the_tree(window, qtbot, folder):
    window.session.set_stage("Surface")
    decal = stuck(window, qtbot, folder)
    assert (decal.width_mm, decal.height_mm) == pytest.approx((12.0, 6.0), rel=1e-2) and decal.parts == ("ball",)
    assert window.session.subject == f"decals/{decal.id}" and window.session.tool == "decal"
    assert window.parts.item_of(f"decals/{decal.id}").text(0) == "label"
    page = window.details.page()
    assert page.whose.text() == "On Ball" and page.across.field.value() == pytest.approx(12.0, rel=1e-2)
    b, g, r = window.picture.draft.picture[middle(window).y() + 4, middle(window).x(), :3].astype(int)
    assert r > 1.5 * g


def test_a_decal_slides_along_the_surface_and_over_to_another_part(window, qtbot, folder):
    window.session.set_stage("Surface")
    decal = stuck(window, qtbot, folder, "left")
    assert decal.wrap == "flat"
    before = window.session.document
    start = middle(window)
    drag(window.picture, start, start + QPoint(8, -10))
    moved = window.session.document.decals[decal.id]
    assert moved.parts == ("left",) and moved.position != decal.position and moved.width_mm == decal.width_mm
    now = middle(window)
    assert abs(now.x() - start.x() - 8) <= 1 and abs(now.y() - start.y() + 10) <= 1
    drag(window.picture, now, point_of(window, "ball"))
    over = window.session.document.decals[decal.id]
    assert over.parts == ("ball",) and over.wrap != "flat" and abs(over.radius_mm) == pytest.approx(20.0, rel=0.05)
    window.session.undo()
    window.session.undo()
    assert window.session.document is before  # each pull one step


def test_corners_size_it_and_the_knob_turns_it_to_the_number(window, qtbot, folder):
    window.session.set_stage("Surface")
    decal = stuck(window, qtbot, folder, "left")
    tool = window.picture.tools["decal"]
    corners, knob, centre = tool._handles(tool.decal())
    corner = QPoint(round(corners[1][0]), round(corners[1][1]))
    drag(window.picture, corner, corner + (corner - QPoint(round(centre[0]), round(centre[1]))))
    grown = window.session.document.decals[decal.id]
    assert grown.width_mm == pytest.approx(2 * decal.width_mm, rel=0.12)
    assert grown.height_mm / grown.width_mm == pytest.approx(decal.height_mm / decal.width_mm)
    _, knob, _ = tool._handles(tool.decal())
    at = QPoint(round(knob[0]), round(knob[1]))
    QTest.mousePress(window.picture, LEFT, pos=at)
    hover(window.picture, at + QPoint(9, 2), LEFT)
    for letter in "30":
        QTest.keyClicks(window.picture, letter)
    key(window, Qt.Key.Key_Return)
    QTest.mouseRelease(window.picture, LEFT, pos=at)
    assert window.session.document.decals[decal.id].rotate == pytest.approx(30.0)


def test_numbers_in_details_are_exact_and_keep_the_shape(window, qtbot, folder):
    window.session.set_stage("Surface")
    decal = stuck(window, qtbot, folder, "left")
    page = window.details.page()
    type_into(page.across.field, "2 cm")
    made = window.session.document.decals[decal.id]
    assert made.width_mm == pytest.approx(20.0) and made.height_mm == pytest.approx(20.0 * decal.height_mm / decal.width_mm)


def test_it_becomes_a_region_a_part_moves_and_takes_its_piece_or_slips(window, qtbot, folder):
    window.session.set_stage("Surface")
    decal = stuck(window, qtbot, folder, "left")
    page = window.details.page()
    QTest.mouseClick(page.belongs.buttons["region"], LEFT)
    region = window.session.document.decals[decal.id]
    assert region.belongs == "region" and [s.part for s in region.stood] == ["left"]
    assert "Across 1 part" in page.whose.text()
    settle(qtbot, window)

    def red(at) -> bool:
        b, g, r = window.picture.draft.picture[at.y(), at.x(), :3].astype(int)
        return r > 1.5 * b

    here = middle(window) + QPoint(0, 4)
    assert red(here)
    document = edits.place_parts(window.session.document, {"left": Placement((-55, 0, 27))})
    window.session.apply("up", document)
    settle(qtbot, window)
    world = world_matrix(document, "left")
    matrix, _ = sticking.world_place(document, region)
    raised = window.picture.place_on_screen(matrix[:3, 3] + [0, 0, 12]) + QPoint(0, 4)
    assert world[2, 3] == 27 and red(raised) and not red(here)
    window.session.put({f"decals/{decal.id}/slips": True})
    settle(qtbot, window)
    assert not red(raised)


def test_alike_parts_all_show_it(window, qtbot, folder):
    window.session.set_stage("Surface")
    decal = stuck(window, qtbot, folder, "left")
    QTest.mouseClick(window.details.page().belongs.buttons["alike"], LEFT)
    settle(qtbot, window)
    assert "2" in window.details.page().whose.text()
    matrix, _ = sticking.world_place(window.session.document, window.session.document.decals[decal.id])
    there = window.picture.place_on_screen(matrix[:3, 3] + [110, 0, 0])
    b, g, r = window.picture.draft.picture[there.y(), there.x(), :3].astype(int)
    assert r > 1.5 * b


def test_dragging_in_the_list_changes_what_lies_on_what(window, qtbot, folder):
    window.session.set_stage("Surface")
    first, second = stuck(window, qtbot, folder, "left"), None
    window.session.select(["left"])
    second = stuck(window, qtbot, folder, "left")
    bench = window.bench._all["Surface"]["Decals"]
    window.bench.show_face("Decals", "Surface")
    assert [bench.list.item(k).text().split("\n")[0] for k in range(2)] == ["label 2", "label"]
    assert bench.list.model().moveRow(bench.list.rootIndex(), 0, bench.list.rootIndex(), 2)
    assert list(window.session.document.decals) == [second.id, first.id]
    QTest.keyClick(window, Qt.Key.Key_BracketRight, Qt.KeyboardModifier.ControlModifier)
    assert list(window.session.document.decals) == [first.id, second.id]


def test_copied_and_pasted_on_another_part_it_keeps_its_place(window, qtbot, folder):
    window.session.set_stage("Surface")
    decal = stuck(window, qtbot, folder, "left")
    window.registry.run("copy")
    window.session.select(["right"])
    window.registry.run("paste")
    pasted = next(d for d in window.session.document.decals.values() if d.id != decal.id)
    assert pasted.parts == ("right",) and pasted.position == decal.position and pasted.name == "label 2"
    window.session.select((), f"decals/{decal.id}")
    window.registry.run("delete")
    assert list(window.session.document.decals) == [pasted.id]


def test_letters_are_put_on_with_a_click_and_rewritten(window, qtbot):
    window.session.set_stage("Surface")
    window.bench.show_face("Decals", "Surface")
    window.bench._all["Surface"]["Decals"].take("text")
    assert window.session.tool == "stick"
    QTest.mouseClick(window.picture, LEFT, pos=point_of(window, "left"))
    (decal,) = window.session.document.decals.values()
    page = window.details.page()
    type_into(page.text.field, "Nº 0417")
    assert window.session.document.decals[decal.id].text == "Nº 0417"
    settle(qtbot, window)


def test_another_picture_keeps_the_place(window, qtbot, folder):
    window.session.set_stage("Surface")
    decal = stuck(window, qtbot, folder, "left")
    Image.new("RGB", (40, 40), (10, 10, 200)).save(folder / "blue.png")
    window.details.page().replace_picture(folder / "blue.png")
    made = window.session.document.decals[decal.id]
    assert made.file == "blue.png" and made.position == decal.position and made.height_mm == made.width_mm == decal.width_mm


def test_the_colours_of_artwork_are_replaced_one_by_one(window, qtbot, folder):
    window.session.set_stage("Surface")
    decal = stuck(window, qtbot, folder, "left")
    window.session.put({f"decals/{decal.id}/colouring": "swaps"})
    made = window.session.document.decals[decal.id]
    assert len(made.swaps) == 1
    window.details.page()._swapped(0, (0.0, 0.0, 0.5), False)
    settle(qtbot, window)
    at = middle(window) + QPoint(0, 4)
    b, g, r = window.picture.draft.picture[at.y(), at.x(), :3].astype(int)
    assert b > 1.5 * r


def test_a_deleted_part_takes_its_decal_and_undo_brings_both(window, qtbot, folder):
    window.session.set_stage("Surface")
    stuck(window, qtbot, folder, "ball")
    before = window.session.document
    window.session.select(["ball"])
    window.registry.run("delete")
    assert not window.session.document.decals and "ball" not in window.session.document.parts
    window.session.undo()
    assert window.session.document is before


def test_a_click_in_the_picture_takes_the_decal_and_beside_it_the_part(window, qtbot, folder):
    window.session.set_stage("Surface")
    decal = stuck(window, qtbot, folder, "left")
    at = middle(window)
    window.session.select(["ball"])
    hover(window.picture, at)
    assert window.picture._label[0] == "label"
    QTest.mouseClick(window.picture, LEFT, pos=at)
    assert window.session.subject == f"decals/{decal.id}"
    QTest.mouseClick(window.picture, LEFT, pos=at + QPoint(0, 26))
    assert window.session.selection == ("left",)


def test_decals_of_a_group_are_recoloured_hidden_and_moved_together(window, qtbot, folder):
    window.session.set_stage("Surface")
    first = stuck(window, qtbot, folder, "left")
    window.registry.run("duplicate")
    second = next(d for d in window.session.document.decals.values() if d.id != first.id)
    ids = (first.id, second.id)
    window.session.put({f"decals/{i}/group": "Labels" for i in ids} | {f"decals/{i}/colouring": "one" for i in ids})
    window.details.page().colour.put((0.0, 0.3, 0.0))
    assert [window.session.document.decals[i].colour for i in ids] == [(0.0, 0.3, 0.0)] * 2
    window.parts._toggle_eye(f"decals/{first.id}")
    assert not any(window.session.document.decals[i].visible for i in ids)
    window.session.undo()
    settle(qtbot, window)
    before = [window.session.document.decals[i].position for i in ids]
    start = middle(window)
    drag(window.picture, start, start + QPoint(0, 8))
    after = [window.session.document.decals[i].position for i in ids]
    steps = [np.subtract(b, a) for a, b in zip(before, after)]
    np.testing.assert_allclose(steps[0], steps[1], atol=0.5)
    assert np.linalg.norm(steps[0]) > 1.0


def test_an_edge_is_aligned_to_another_decals(window, qtbot, folder):
    window.session.set_stage("Surface")
    first = stuck(window, qtbot, folder, "left")
    window.registry.run("duplicate")
    page = window.details.page()
    second = window.session.document.decals[window.session.subject[7:]]
    window.session.put({f"decals/{second.id}/width_mm": 6.0, f"decals/{second.id}/height_mm": 3.0})
    for how, want in (("left", -3.0), ("right", 3.0), ("middle", 0.0)):
        page.aligned.setCurrentIndex(page.aligned.findData(how))
        page._align(first.id)
        moved = window.session.document.decals[second.id]
        one, other = (sticking.world_place(window.session.document, d)[0] for d in (window.session.document.decals[first.id], moved))
        assert (np.linalg.inv(one) @ other)[0, 3] == pytest.approx(want, abs=0.05)
