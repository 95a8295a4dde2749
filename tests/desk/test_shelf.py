"""The shelf through the real widgets: found, tried on, taken, kept, tied; the project's colours; refraction by name."""

import numpy as np
import pytest
from msgspec.structs import replace
from PIL import Image
from PySide6.QtCore import QMimeData, QPoint, Qt, QTimer
from PySide6.QtGui import QDragEnterEvent, QDragLeaveEvent, QDragMoveEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from aulmo import script
from aulmo.desk.shelf.cards import ICONS
from aulmo.desk.shelf.keep import AboutBox
from aulmo.desk.shelf.shelf_model import THING
from aulmo.desk.shelf.taker import mime_of
from aulmo.desk.shell import theme
from aulmo.desk.shell.parts_tree import OTHER_MIME, PARTS_MIME
from aulmo.document import edits
from aulmo.document.records import Decal, Lamp
from aulmo.shelf import own, shelves
from aulmo.shelf.things import KINDS, Thing
from desk_tools import answering, drop, key, point_of, settle, surface_page, type_into, worn

LEFT, NONE = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier


@pytest.fixture
def shelf(window, qtbot, tmp_path, monkeypatch):
    """The shelf of a window, up and empty but for what ships."""
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    window.shelf.reset()
    window.session.set_stage("Surface")
    window.registry.run("shelf")
    qtbot.waitUntil(lambda: window.shelf.model.rowCount() > 0)
    yield window.shelf
    window.shelf.reset()


def ours(name: str, kind: str = "") -> Thing:
    """A thing that ships."""
    return next(t for t in own.things() if t.name == name and kind in ("", t.kind))


def names(panel) -> list[str]:
    """What is seen on the shelf, in order."""
    return [panel.model.index(k).data() for k in range(panel.model.rowCount())]


def held_over(widget, mime: QMimeData, at: QPoint) -> str:
    """Hold something over a widget; what the cursor says."""
    QApplication.sendEvent(widget, QDragEnterEvent(at, Qt.DropAction.CopyAction, mime, LEFT, NONE))
    QApplication.sendEvent(widget, QDragMoveEvent(at, Qt.DropAction.CopyAction, mime, LEFT, NONE))
    return " | ".join(widget._label) if widget._label else ""


def telling(**lines: str) -> None:
    """Fill in what the next box asks, and keep."""

    def fill() -> None:
        box = QApplication.activeModalWidget()
        if not isinstance(box, AboutBox):
            QTimer.singleShot(20, fill)
            return
        for name, text in lines.items():
            next(line for words, line in box.lines.items() if words.startswith(name)).setText(text)
        box.fine.click()

    QTimer.singleShot(0, fill)


def test_s_goes_to_the_shelf_typing_searches_and_return_takes(window, shelf, qtbot):
    assert window.left.face == "Shelf" and shelf.search.hasFocus()
    QTest.keyClicks(shelf.search, "rough black plastic")
    qtbot.waitUntil(lambda: "Black rubber" in names(shelf) and "Copper" not in names(shelf))
    window.session.select(["left"])
    QTest.keyClick(shelf.search, Qt.Key.Key_Return)
    assert shelf.list.hasFocus() and shelf.list.thing() is not None
    wanted = shelf.list.thing().name
    QTest.keyClick(shelf.list, Qt.Key.Key_Return)
    assert worn(window, "left").name == wanted
    QTest.keyClicks(shelf.list, "x")
    assert shelf.search.hasFocus() and shelf.search.text().endswith("x")
    QTest.keyClick(shelf.search, Qt.Key.Key_Escape)
    QTest.keyClick(shelf.search, Qt.Key.Key_Escape)
    assert shelf.search.text() == "" and window.picture.hasFocus()
    key(window, Qt.Key.Key_S)
    assert window.left.face == "Parts"


def test_what_fits_the_stage_comes_first_and_chips_narrow(window, shelf):
    assert shelf.model.things[0].kind == "swatch"
    window.session.set_stage("Light")
    assert shelf.model.things[0].kind == "light set"
    window.session.set_stage("Prepare")
    assert shelf.model.things[0].kind == "prop"
    shelf.buttons["Pictures"].click()
    assert {t.kind for t in shelf.model.things} == {"picture"}
    shelf.buttons["Light"].click()
    assert {t.kind for t in shelf.model.things} == {"light set", "dome", "light picture"}


def test_a_dome_is_tried_on_while_it_is_held_and_taken_when_it_is_dropped(window, shelf):
    session, before = window.session, window.session.document
    session.set_stage("Light")
    mime = mime_of(ours("Meadow, dusk"))
    said = held_over(window.picture, mime, point_of(window, "ball"))
    assert said.startswith("Meadow, dusk | tried on") and session.document is before
    assert session.shown.environment.image == "Meadow, dusk" and session.shown.environment.softboxes == before.environment.softboxes
    QApplication.sendEvent(window.picture, QDragLeaveEvent())
    assert session.shown.environment.image == before.environment.image
    drop(window.picture, mime, point_of(window, "ball"))
    assert session.document.environment.image == "Meadow, dusk" and session.document.environment.shipped
    assert session.tried_whole is None
    session.undo()
    assert session.document is before


def test_a_swatch_is_tried_on_what_it_is_held_over(window, shelf):
    session = window.session
    mime = mime_of(ours("Copper"))
    held_over(window.picture, mime, point_of(window, "left"))
    seen = session.shown
    assert seen.materials[seen.parts["left"].material].name == "Copper" and worn(window, "left").name == "Box blue"
    held_over(window.picture, mime, point_of(window, "ball"))
    seen = session.shown
    assert seen.materials[seen.parts["ball"].material].name == "Copper" and seen.materials[seen.parts["left"].material].name == "Box blue"
    held_over(window.picture, mime, QPoint(4, 4))
    assert session.shown.materials[session.shown.parts["ball"].material].name != "Copper"


def test_light_sets_pictures_and_lamps_come_to_the_scene(window, shelf, tmp_path, qtbot):
    session = window.session
    session.set_stage("Light")
    said = drop(window.picture, mime_of(ours("Table top", "light set")), point_of(window, "ball"))
    assert said.startswith("Table top | tried on")
    assert [b.name for b in session.document.environment.softboxes] == ["Scrim above", "Fill left", "Fill right", "Rim"]
    said = drop(window.picture, mime_of(ours("Octabox")), point_of(window, "ball"))
    assert "mirrors it here" in said
    box = session.softbox
    assert box is not None and box.picture == "Octabox" and box.shipped and box.kind == "picture"
    from aulmo.shelf import keeping

    lamp = Lamp(id="k", name="Key spot", kind="spot", position=(10.0, 0.0, 500.0))
    keeping.keep_lamp(edits.put_lamp(session.document, lamp), session.assets, "k", tmp_path / "key.aulmolamp")
    shelf.take(Thing("Key spot", "lamp", str(tmp_path / "key.aulmolamp")))
    assert session.lamp.name == "Key spot" and session.lamp.position == (10.0, 0.0, 500.0)


def test_things_are_dropped_on_the_map_of_the_dome_and_on_a_colours_row(window, shelf):
    session = window.session
    session.set_stage("Light")
    map_ = window.bench.faces["Light"].map
    drop(map_, mime_of(ours("Blinds")), QPoint(map_.width() // 2, map_.height() // 3))
    box = session.softbox
    assert box.picture == "Blinds" and box.shipped and 0 < box.elevation < 70
    drop(map_, mime_of(ours("Workshop hall")), QPoint(60, 40))
    assert session.document.environment.image == "Workshop hall" and session.document.environment.shipped
    document, colour = script.add_colour(session.document, "Odrel red", (0.4, 0.02, 0.02))
    session.apply("colour", document)
    page = surface_page(window)
    session.select(["ball"])
    row = next(b for b in page.bound if b.template.endswith("surface/base_color"))
    drop(row.field, mime_of(next(t for t in shelf.colours())), QPoint(5, 5))
    assert row.followed().id == colour and worn(window, "ball").surface.base_color == (0.4, 0.02, 0.02)


def test_parts_are_kept_by_dropping_them_on_the_shelf_and_stand_where_they_are_dropped(window, shelf, qtbot):
    session = window.session
    mime = QMimeData()
    mime.setData(PARTS_MIME, b"pair")
    telling(Name="Two boxes", Tags="Blue, pair", Note="for tests")
    drop(shelf.list.viewport(), mime, QPoint(40, 40))
    qtbot.waitUntil(lambda: "Two boxes" in names(shelf), timeout=60000)
    assert (shelves.home() / "Two boxes.aulmoprop").exists()
    thing = next(t for t in shelf.model.things if t.name == "Two boxes")
    assert thing.kind == "prop" and thing.tags == ("blue", "pair") and thing.note == "for tests" and thing.told == "2 parts"
    count = len(session.document.parts)
    drop(window.picture, mime_of(thing), point_of(window, "ball") + QPoint(0, 60))
    qtbot.waitUntil(lambda: len(session.document.parts) == count + 3)
    root = session.selection[0]
    assert session.document.parts[root].name == "Pair 2" and len(session.document.materials) == 2
    shelf.list.setCurrentIndex(shelf.model.index(shelf.model.row_of(thing.key)))
    shelf._say()
    assert shelf.said.text().startswith("Here: Pair 2.") and "for tests" in shelf.said.text()
    assert next(a for a in shelf.menu_of(thing).actions() if a.text().startswith("Select what uses")).isEnabled()


def test_a_lamp_a_decal_and_a_material_are_kept_too(window, shelf, qtbot):
    session = window.session
    session.apply("lamp", edits.put_lamp(session.document, Lamp(id="l", name="Side")))
    session.apply("decal", replace(session.document, decals={"d": Decal(id="d", name="Badge", artwork="text", parts=("ball",))}))
    for address, name in (("lamps/l", "Side lamp"), ("decals/d", "Badge text")):
        mime = QMimeData()
        mime.setData(OTHER_MIME, address.encode())
        telling(Name=name)
        drop(shelf.list.viewport(), mime, QPoint(40, 40))
        qtbot.waitUntil(lambda n=name: n in names(shelf), timeout=60000)
    row = window.parts.item_of("decals/d")
    drop(window.parts.tree.viewport(), mime_of(ours("Gold leaf")), window.parts.tree.visualItemRect(row).center())
    assert session.document.materials[session.document.decals["d"].material].name == "Gold leaf"
    session.select((), "materials/b")
    telling(Name="Odrel blue", Tags="brand")
    window.registry.run("keep")
    qtbot.waitUntil(lambda: "Odrel blue" in names(shelf), timeout=60000)
    lamp = next(t for t in shelf.model.things if t.name == "Side lamp")
    answering("t")
    next(a for a in shelf.menu_of(lamp).actions() if a.text().startswith("Throw away")).trigger()
    qtbot.waitUntil(lambda: "Side lamp" not in names(shelf), timeout=60000)
    blue = next(t for t in shelf.model.things if t.name == "Odrel blue")
    assert blue.kind == "swatch" and "brand" in blue.tags
    window.session.select(["ball"])
    shelf.take(blue)
    assert worn(window, "ball").surface.base_color == pytest.approx((0.1, 0.2, 0.6), abs=1e-5)


def test_a_tied_prop_says_that_it_has_changed_and_is_taken_or_not(window, shelf, qtbot, tmp_path):
    session = window.session
    path = tmp_path / "box.aulmoprop"
    script.keep_prop(session.document, session.assets, "left", path)
    window.keeping.take_tied(Thing("Left box", "prop", str(path)))
    qtbot.waitUntil(lambda: len(session.document.props) == 1)
    (prop,) = session.document.props.values()
    assert prop.tied
    script.keep_prop(session.document, session.assets, "ball", path)
    told: list = []
    session.notice.connect(lambda words, command: told.append((words, command)))
    said = window.built["Prepare"].commands.shelf
    said.look()
    session.notice.disconnect()
    assert told == [("Left box has changed on the shelf", "props_changed")]
    mesh = session.document.parts[prop.roots[0]].mesh
    answering("t")
    window.registry.run("props_changed")
    (fresh,) = session.document.props[prop.id].roots
    assert session.document.parts[fresh].mesh != mesh and session.document.parts[fresh].name == "Left box 2"


def test_folders_are_added_watched_and_what_is_broken_stands_there_grey(window, shelf, qtbot, tmp_path):
    folder = tmp_path / "pictures of all kinds"
    folder.mkdir()
    Image.fromarray((np.random.default_rng(1).random((64, 64, 3)) * 255).astype(np.uint8)).save(folder / "speckle.png")
    (folder / "torn.exr").write_bytes(b"nothing of the kind")
    shelf.add_folder(folder)
    qtbot.waitUntil(lambda: {"speckle", "torn"} <= set(names(shelf)), timeout=60000)
    torn = next(t for t in shelf.model.things if t.name == "torn")
    assert torn.trouble and not shelf.model.flags(shelf.model.index(shelf.model.row_of(torn.key))) & Qt.ItemFlag.ItemIsDragEnabled
    said: list = []
    window.session.trouble.connect(said.append)
    shelf.take(torn)
    window.session.trouble.disconnect(said.append)
    assert said == [torn.trouble]
    (folder / "torn.exr").unlink()
    shelf.watch.look()
    qtbot.waitUntil(lambda: "torn" not in names(shelf), timeout=60000)
    assert "2 folders" in shelf.count.text()
    mine = next(a.menu() for a in shelf.folders_menu().actions() if a.menu() is not None)
    mine.actions()[0].trigger()
    qtbot.waitUntil(lambda: "speckle" not in names(shelf), timeout=60000)


def test_small_pictures_come_and_like_this_one_shows_what_looks_like_it(window, shelf, qtbot):
    thing = ours("Satin brass")
    qtbot.waitUntil(lambda: shelf.pictures.of(thing) is not None, timeout=30000)
    shelf.like(thing)
    assert names(shelf)[0] == "Satin brass" and "Turned brass" in names(shelf)[:6]
    shelf.search.clear()
    qtbot.waitUntil(lambda: shelf.model.rowCount() > 200)
    assert shelf.model.index(0).data(Qt.ItemDataRole.ToolTipRole) and isinstance(shelf.model.index(0).data(THING), Thing)


def test_long_names_and_thousands_of_things_stay_in_their_cards(window, shelf):
    many = [Thing(f"Housing_assembly_rev_{k:06}_final_version_for_the_customer_in_two_colours", "swatch", f"/x/{k}",
        told="plastic · satin") for k in range(5000)]
    shelf.model.show_things(many)
    lines = shelf.list.cards._name(many[0].name, shelf.font(), shelf.fontMetrics(), 78)
    assert 1 <= len(lines) <= 2 and all(shelf.fontMetrics().horizontalAdvance(line) <= 84 for line in lines)
    shelf.list.scrollTo(shelf.model.index(4000))
    shelf.list.grab()
    assert shelf.list.indexAt(QPoint(20, 20)).row() > 3000


def test_a_colour_of_the_project_is_made_dragged_and_changed_once_for_all(window, shelf, qtbot):
    session = window.session
    session.select(["left"])
    window.registry.run("colour_new")
    page = window.details.page()
    (colour,) = session.document.colours.values()
    assert colour.name == "Box blue colour" and names(shelf)[0] != "" and "Box blue colour" in names(shelf)
    thing = next(t for t in shelf.model.things if t.kind == "colour")
    for part in ("left", "ball"):
        said = drop(window.picture, mime_of(thing), point_of(window, part))
        assert "follow it" in said
    assert len(page.followers()) == 2
    type_into(page.fields["Hue"], "10")
    assert worn(window, "left").surface.base_color == worn(window, "ball").surface.base_color
    assert worn(window, "left").surface.base_color[0] > 2 * worn(window, "left").surface.base_color[2]
    type_into(page.fields["L*"], "20")
    qtbot.waitUntil(lambda: page.rows_told()[1::2] != [] and "apart" in page.rows_told()[1], timeout=30000)
    assert set(page.rows_told()[::2]) == {"Box blue", "Plain"}
    surface = surface_page(window)
    session.select(["ball"])
    row = next(b for b in surface.bound if b.template.endswith("surface/base_color"))
    assert row.followed().name == colour.name and colour.name in row.field.hex.toolTip()
    next(a for a in row.menu().actions() if a.text() == "Follow no longer").trigger()
    assert row.followed() is None and len(page.followers()) == 1 or len(session.document.colours) == 1


def test_refraction_is_typed_by_the_name_of_what_it_is(window):
    page = surface_page(window)
    window.session.select(["ball"])
    row = next(b for b in page.bound if b.template.endswith("surface/specular_ior"))
    type_into(row.field, "diamond")
    assert worn(window, "ball").surface.specular_ior == pytest.approx(2.417)
    assert row.field.toolTip().startswith("Diamond: ")
    gems = next(a.menu() for a in row.menu().actions() if a.text() == "Gems")
    next(a for a in gems.actions() if a.text().startswith("Sapphire")).trigger()
    assert worn(window, "ball").surface.specular_ior == pytest.approx(1.768)


def test_every_kind_has_an_icon_for_when_it_has_no_picture(window, shelf):
    assert set(ICONS) | {"colour"} == set(KINDS)
    shelf.model.show_things([Thing(f"A {kind}", kind, f"/nowhere/{kind}") for kind in KINDS])
    for name in ICONS.values():
        assert not theme.icon(name, "#ffffff", 22).isNull()
    assert not shelf.list.grab().isNull()


def test_swatches_and_artwork_are_dropped_on_a_decal_in_the_picture(window, shelf, qtbot, tmp_path):
    session = window.session
    decal = Decal(id="d", name="Badge", artwork="text", parts=("ball",), position=(0, -20, 0), turn=(90, 0, 0), width_mm=14, height_mm=14,
        keep_shape=False)
    session.apply("decal", replace(session.document, decals={"d": decal}))
    settle(qtbot, window)
    at = window.picture.place_on_screen(np.array([0.0, -20.0, 20.0]))
    assert window.picture.decal_at(at) == "d"
    before = worn(window, "ball")
    said = drop(window.picture, mime_of(ours("Gold leaf")), at)
    assert said == "Badge | drop: it is made of Gold leaf" and worn(window, "ball") == before
    assert session.document.materials[session.document.decals["d"].material].name == "Gold leaf"
    Image.new("RGBA", (40, 20), (255, 0, 0, 128)).save(tmp_path / "seal.png")
    said = drop(window.picture, mime_of(Thing("seal", "artwork", str(tmp_path / "seal.png"))), at)
    assert "in the place of Badge" in said
    held = session.document.decals["d"]
    assert held.artwork == "picture" and held.file == "seal.png" and session.assets.has(held.picture)


def test_a_finish_is_kept_from_its_stage(window, shelf, qtbot, tmp_path):
    window.session.set_stage("Finish")
    window.built["Finish"].commands.add_layer("grade")
    assert window.keeping.wanted().kind == "finish"
    telling(Name="Warm evening")
    window.registry.run("keep")
    assert (tmp_path / "presets" / "Warm evening.finish.json").exists()
