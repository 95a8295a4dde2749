"""Bringing files in through the real window: framing, choices made, face sets, folded lines, saved selections, layers."""

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QSettings, Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QMenu

import reading_here
from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.records import Document
from aulmo.frame.camera import project
from aulmo.prepare import arrange
from aulmo.prepare.cad_mesh import compound
from cad_files import BLACK, GREEN, RED, Cad, box, moved, rod, top_face
from desk_tools import drop, file_mime, pause, point_of, settle, surface_page, swatch_mime, type_into

ALT = Qt.KeyboardModifier.AltModifier
LEFT = Qt.MouseButton.LeftButton


@pytest.fixture(autouse=True)
def _here(request):
    if request.node.get_closest_marker("processes"):
        yield
        return
    with reading_here.in_this_process():
        yield


@pytest.fixture
def empty(window):
    """The window on a new project without parts."""
    assets = AssetStore()
    window.session.open_document(arrange.first_shot(Document(), assets), assets, None)
    return window


@pytest.fixture
def kit(tmp_path):
    """A product of a plate with a red top and a black rim, and six equal rods."""
    plate = box(60, 30, 4)
    rods = [moved(rod(2, 12), x=5 + 10 * k, y=15, z=4) for k in range(6)]
    cad = Cad()
    product = cad.product("Rack", compound([plate, *rods]), GREEN)
    cad.within(product, plate, BLACK, "Plate")
    for k, one in enumerate(rods):
        cad.within(product, one, None, f"Rod {k + 1}")
    cad.within(product, top_face(plate), RED)
    cad.write(tmp_path / "rack.step")
    return tmp_path / "rack.step"


def bring(qtbot, window, *paths):
    window.files.take_files(list(paths))
    qtbot.waitUntil(lambda: bool(window.session.document.parts) and not window.session.tasks, timeout=60000)
    settle(qtbot, window)


def named(window, name: str) -> str:
    return next(i for i, p in window.session.document.parts.items() if p.name == name)


def fill_of(window) -> float:
    """Share of the frame's tighter side that the product takes in the shot's own camera."""
    session = window.session
    points = arrange.points_of(session.document, session.assets, session.document.roots)
    seen = project(session.camera, points, session.shot.width, session.shot.height)
    return max(np.ptp(seen[:, 0]) / session.shot.width, np.ptp(seen[:, 1]) / session.shot.height)


@pytest.mark.parametrize("sides", [(60, 40, 30), (8, 8, 200), (300, 200, 2), (400, 3, 3)])
def test_a_first_import_fills_the_frame_whatever_its_shape(empty, qtbot, tmp_path, sides):
    cad = Cad()
    cad.product("Thing", box(*sides))
    cad.write(tmp_path / "thing.step")
    bring(qtbot, empty, tmp_path / "thing.step")
    assert 0.60 <= fill_of(empty) <= 0.75
    camera = empty.session.camera
    assert camera.position[2] > camera.target[2] and camera.position[0] > camera.target[0] and camera.position[1] < camera.target[1]


def test_what_was_decided_is_told_and_can_be_decided_otherwise_with_one_click(empty, qtbot, kit):
    bring(qtbot, empty, kit)
    page = empty.details.pages["Prepare"]
    (row,) = page.source_rows
    assert "7 parts share 2 shapes" in page.note_text.text() and row.whole_row.isVisible()
    leaves = edits.leaves(empty.session.document, empty.session.document.roots)
    assert len(leaves) == 7
    QTest.mouseClick(row.colours.buttons["plain"], LEFT)
    assert all(m.surface.base_metalness == 0 for m in empty.session.document.materials.values())
    assert empty.session.history.undo_sentence.startswith("Colours of rack.step plain")
    before = arrange.size_of(empty.session.document, empty.session.assets, leaves)
    QTest.mouseClick(row.up.buttons["y"], LEFT)
    after = arrange.size_of(empty.session.document, empty.session.assets, leaves)
    assert after == pytest.approx((before[0], before[2], before[1]), abs=1e-3)
    QTest.mouseClick(row.whole.buttons["one"], LEFT)
    qtbot.waitUntil(lambda: len(empty.session.document.parts) == 1, timeout=60000)
    (part,) = empty.session.document.parts.values()
    assert part.name == "Rack" and part.face_sets
    empty.session.undo()
    assert len(edits.leaves(empty.session.document, empty.session.document.roots)) == 7


def test_a_size_that_cannot_be_right_offers_the_likelier_unit(empty, qtbot, tmp_path):
    (tmp_path / "tiny.obj").write_text("v 0 0 0\nv 0.3 0 0\nv 0 0 0.3\nv 0 0.3 0\nf 1 2 3\nf 1 3 4\n")
    bring(qtbot, empty, tmp_path / "tiny.obj")
    (row,) = empty.details.pages["Prepare"].source_rows
    assert row.offer.isVisible() and row.take.text() == "Yes, metres"
    assert arrange.size_of(empty.session.document, empty.session.assets, empty.session.document.roots)[0] == pytest.approx(0.3)
    row.take.click()
    qtbot.waitUntil(lambda: not empty.session.tasks and not row.offer.isVisible(), timeout=30000)
    assert arrange.size_of(empty.session.document, empty.session.assets, empty.session.document.roots)[0] == pytest.approx(300)
    empty.session.undo()
    row.keep.click()
    assert not row.offer.isVisible()
    assert arrange.size_of(empty.session.document, empty.session.assets, empty.session.document.roots)[0] == pytest.approx(0.3)


def test_several_files_dropped_at_once_are_one_step_and_a_broken_one_is_told(empty, qtbot, tmp_path):
    for name in ("a", "b"):
        (tmp_path / f"{name}.obj").write_text("v 0 0 0\nv 30 0 0\nv 0 0 30\nv 0 30 0\nf 1 2 3\nf 1 3 4\n")
    (tmp_path / "bad.obj").write_text("nothing")
    told = []
    empty.session.trouble.connect(told.append)
    bring(qtbot, empty, tmp_path / "a.obj", tmp_path / "bad.obj", tmp_path / "b.obj")
    assert {p.name for p in empty.session.document.parts.values()} == {"a", "b"}
    assert len(told) == 1 and told[0].startswith("bad.obj could not be read")
    empty.session.undo()
    assert not empty.session.document.parts


def test_equal_names_are_folded_into_a_line_that_unfolds(empty, qtbot, kit):
    bring(qtbot, empty, kit)
    tree = empty.parts.tree
    line = empty.parts.item_of(named(empty, "Rod 1")).parent()
    assert line.text(0) == "Rod × 6" and not line.isExpanded()
    QTest.mouseClick(tree.viewport(), LEFT, pos=tree.visualItemRect(line).center())
    assert len(empty.session.selection) == 6 and not line.isExpanded() and line.isSelected()
    eye = QPoint(tree.viewport().width() - 12, tree.visualItemRect(line).center().y())
    QTest.mouseClick(tree.viewport(), LEFT, pos=eye)
    assert not any(empty.session.document.parts[i].visible for i in empty.session.selection)
    empty.session.undo()
    drop(tree.viewport(), swatch_mime("Copper"), tree.visualItemRect(line).center())
    worn = {empty.session.document.parts[i].material for i in empty.session.selection}
    assert [empty.session.document.materials[m].name for m in worn] == ["Copper"]
    empty.picture.setFocus()
    empty.session.select([named(empty, "Rod 3")])  # from the picture, say: the line opens where it is
    assert line.isExpanded() and empty.parts.item_of(named(empty, "Rod 3")).isSelected()
    empty.parts.tree.setFocus()
    type_into(empty.details.pages["Prepare"].name.field, "Axle")
    assert empty.parts.item_of(named(empty, "Axle")).parent().text(0) == "Rack"  # it left the line


def test_a_click_on_a_face_set_shows_its_faces(empty, qtbot, kit):
    bring(qtbot, empty, kit)
    plate = named(empty, "Plate")
    empty.session.select([plate])
    page = empty.details.pages["Prepare"]
    rows = page.face_sets.list
    assert [rows.item(k).text() for k in range(rows.count())] == ["Body", "Red faces"]
    QTest.mouseClick(rows.viewport(), LEFT, pos=rows.visualItemRect(rows.item(1)).center())
    assert empty.session.face_set is not None and empty.session.selection == (plate,)
    part = empty.session.document.parts[plate]
    mask = empty.picture.draft.parts == empty.picture.draft_parts.index(plate)
    inside = empty.picture._in_faces(mask, part.face_sets[0].faces)
    assert 0 < inside.sum() < mask.sum()
    page = surface_page(empty)
    assert page.title.text().startswith("Satin red") and page.shared_text.text() == "Only on these faces"
    empty.registry.run("delete")  # of the faces, not of the part
    assert plate in empty.session.document.parts and not empty.session.document.parts[plate].face_sets
    empty.session.undo()
    assert empty.session.document.parts[plate].face_sets


def test_a_swatch_dropped_on_a_face_set_dresses_it_alone_and_with_alt_the_whole_part(empty, qtbot, kit):
    bring(qtbot, empty, kit)
    plate = named(empty, "Plate")
    empty.session.set_stage("Surface")
    empty.session.set_isolated((plate,))
    settle(qtbot, empty)
    at = point_of(empty, plate)
    assert empty.picture.surface_at(at, plate).endswith(empty.session.document.parts[plate].face_sets[0].id)
    said = drop(empty.picture, swatch_mime("Copper"), at)
    assert said == "Plate | drop: Copper on Red faces"
    names = [empty.session.document.materials[m].name for m in edits.surfaces_of(empty.session.document.parts[plate])]
    assert names == ["Satin black plastic", "Copper"]
    drop(empty.picture, swatch_mime("Slate"), at, ALT)
    names = [empty.session.document.materials[m].name for m in edits.surfaces_of(empty.session.document.parts[plate])]
    assert names == ["Slate", "Slate"]


def test_a_click_in_surface_takes_the_faces_under_the_hand_and_copy_and_paste_know_them(empty, qtbot, kit):
    bring(qtbot, empty, kit)
    plate, one = named(empty, "Plate"), named(empty, "Rod 1")
    empty.session.set_stage("Surface")
    empty.session.select([one])
    empty.registry.commands["copy"].run()
    empty.session.set_isolated((plate,))
    settle(qtbot, empty)
    QTest.mouseClick(empty.picture, LEFT, pos=point_of(empty, plate))
    assert empty.session.face_set is not None and empty.session.face_set.name == "Red faces"
    empty.registry.commands["paste"].run()
    body, top = edits.surfaces_of(empty.session.document.parts[plate])
    assert top == empty.session.document.parts[one].material != body
    assert "face set" in empty.details.pages["Surface"].shared_text.text()
    QTest.mouseClick(empty.picture, LEFT, pos=point_of(empty, plate))  # again: the group
    assert empty.session.face_set is None


def test_a_selection_is_kept_under_a_name_and_found_in_the_trees_menu(empty, qtbot, kit):
    bring(qtbot, empty, kit)
    rods = [named(empty, f"Rod {k}") for k in (1, 2)]
    empty.session.select(rods)

    def answer() -> None:
        box_ = QApplication.activeModalWidget()
        box_.line.setText("Front rods")
        box_.fine.click()

    QTimer.singleShot(50, answer)
    empty.registry.commands["keep_selection"].run()
    empty.session.select([])
    menu = QMenu()
    for fill in empty.menu_fillers:
        fill(menu)
    held = next(a.menu() for a in menu.actions() if a.text() == "Saved selections")
    (action,) = [a for a in held.actions() if a.text().startswith("Front rods")]
    assert action.text().endswith("2 parts")
    action.trigger()
    assert set(empty.session.selection) == set(rods)


def test_one_part_for_several_solids_is_a_preference(empty, qtbot, kit):
    from aulmo.desk.shell.preferences import Preferences

    box_ = Preferences(empty, empty.session, lambda: None)
    QTest.mouseClick(box_.solids.buttons["one"], LEFT)
    assert QSettings().value("solids") == "one"
    bring(qtbot, empty, kit)
    assert [p.name for p in empty.session.document.parts.values()] == ["Rack"]
    box_.deleteLater()


@pytest.mark.processes
def test_files_dropped_on_the_picture_come_in_while_the_work_goes_on(window, qtbot, kit):
    said = drop(window.picture, file_mime(kit), QPoint(200, 200))
    assert said.endswith("bring it in, resting on the floor")
    window.session.select(["ball"])
    window.session.apply("Renamed", edits.change_part(window.session.document, "ball", name="Globe"))
    qtbot.waitUntil(lambda: any(p.name == "Rack" for p in window.session.document.parts.values()), timeout=60000)
    assert window.session.document.parts["ball"].name == "Globe"
    assert len(window.session.document.sources) == 1
    pause(qtbot, 0.1)


@pytest.mark.processes
def test_an_import_is_given_up_within_a_second(empty, qtbot, lantern_step):
    import time

    empty.files.take_files([lantern_step])
    qtbot.waitUntil(lambda: bool(empty.session.tasks), timeout=5000)
    pause(qtbot, 1.0)
    (task,) = empty.session.tasks
    begun = time.monotonic()
    task.cancelled = True  # what the Cancel beside the progress does
    qtbot.waitUntil(lambda: not empty.session.tasks, timeout=5000)
    assert time.monotonic() - begun < 2.5 and not empty.session.document.parts  # a second, and room for a busy machine
