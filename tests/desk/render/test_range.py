"""Variants through the real window: axes made, a choice in hand, the sheet looked at and ticked, two cells rendered, stopped and taken up."""

import numpy as np
import pytest
from msgspec.structs import replace
from PIL import Image
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QPushButton

from aulmo import script
from aulmo.deliver import contact_sheet, sphere_film
from aulmo.desk.render.range_sheet import key_of
from aulmo.desk.render.sphere_dialog import SphereDialog
from aulmo.desk.render.turntable_dialog import TurntableDialog
from aulmo.document import variants
from aulmo.document.properties import get, resolve
from desk_tools import drop, point_of, settle, swatch_mime, type_into

LEFT, NONE = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
COLOUR = "materials/m/surface/base_color"


@pytest.fixture
def ranged(window):
    """The window on Render's range sheet, with two colours and two places."""
    session = window.session
    document = script.add_choice(session.document, "Colour", "Red", {})
    document = script.add_choice(document, "Colour", "Green", {COLOUR: (0.05, 0.5, 0.1)})
    document = script.add_choice(document, "Place", "Low", {})
    document = script.add_choice(document, "Place", "High", {"parts/ball/placement/position/z": 40.0})
    session.open_document(document, session.assets, None)
    session.set_stage("Render")
    window.bench.show_face("Range sheet")
    return window


def face(window):
    return window.bench.faces["Render"]


def press(within, text: str) -> None:
    QTest.mouseClick(next(b for b in within.findChildren(QPushButton) if b.text() == text and b.isVisible()), LEFT)


def cell(window, row: int, column: int, tick: bool = False) -> None:
    """A click on a cell, or on its tick."""
    sheet = face(window).sheet
    place = sheet.tick_place(row, column) if tick else sheet.place(row, column)
    sheet.horizontalScrollBar().setValue(0)
    at = place.center() if tick else QPoint(place.left() + 20, place.center().y())
    QTest.mouseClick(sheet.viewport(), LEFT, NONE, at)


def of(window, name):
    return next(c.id for a in window.session.document.axes for c in a.choices if c.name == name)


def test_an_axis_is_made_a_choice_taken_in_hand_and_every_change_lands_in_it(window, qtbot):
    session = window.session
    assert window.strip.variant.isHidden()
    session.set_stage("Render")
    window.bench.show_face("Range sheet")
    press(face(window), "New axis")
    press(face(window), "New choice")
    assert [c.name for c in session.document.axes[0].choices] == ["Standard", "Colour 2"]
    made = session.document.axes[0].choices[1].id
    assert session.hand == made and "In hand" in window.strip.variant.text() and window.strip.variant.isVisible()
    session.set_stage("Surface")
    before = session.document.parts["ball"].material
    drop(window.picture, swatch_mime("Polished brass"), point_of(window, "ball"))
    own = resolve(session.document, {"Colour": "Colour 2"}).parts["ball"].material
    assert session.document.parts["ball"].material == before and session.document.materials[own].name == "Polished brass"
    assert session.document.materials[own].made_for == made
    assert "lands in Colour: Colour 2" in window.hint_line.text.text()
    swatches = window.bench.faces["Surface"]
    swatches.buttons["In this project"].click()
    listed = lambda: {swatches.shelf.item(k).text() for k in range(swatches.shelf.count())}  # noqa: E731
    assert "Polished brass" in listed()
    session.see({})
    session.take_in_hand("")
    assert "Polished brass" not in listed() and "Box blue" in listed()  # what was made for a choice does not clutter the base
    session.take_in_hand(made)
    assert "Polished brass" in listed()
    # a number of a field too, which is then marked and taken back by its mark
    session.set_stage("Light")
    page = window.details.pages["Light"]
    type_into(page.turn.field, "33")
    assert session.document.environment.turn == 0.0 and session.resolved.environment.turn == 33.0 and page.turn.dot.mark == "choice"
    QTest.mouseClick(page.turn.dot, LEFT)
    assert session.resolved.environment.turn == 0.0 and page.turn.dot.mark == ""
    session.undo()
    assert session.resolved.environment.turn == 33.0
    # put down: the base is changed again
    window.strip.variant.open()
    _, hand = window.strip.variant.panel.rows[session.document.axes[0].id]
    assert hand.text() == "Put down"
    QTest.mouseClick(hand, LEFT)
    assert not session.hand
    session.put({"environment/exposure": 1.0})
    assert session.document.environment.exposure == 1.0


def test_the_strip_picks_a_variant_and_the_shot_keeps_it(ranged, qtbot):
    session = ranged.session
    settle(qtbot, ranged)
    before = ranged.picture._pixels.copy()
    ranged.strip.variant.open()
    pick, _ = ranged.strip.variant.panel.rows[session.document.axes[0].id]
    pick.setCurrentIndex(pick.findText("Green"))
    pick.activated.emit(pick.currentIndex())
    assert session.variant == {"Colour": "Green"} and ranged.strip.variant.text() == "Green"
    assert get(session.resolved, COLOUR) == (0.05, 0.5, 0.1)
    settle(qtbot, ranged)
    assert np.abs(ranged.picture._pixels.astype(int) - before.astype(int)).max() > 40
    press(ranged.strip.variant.panel, "The shot keeps this variant")
    assert session.shot.picks == {session.document.axes[0].id: of(ranged, "Green")}
    session.pick(session.document.axes[0].id, "")
    assert get(session.resolved, COLOUR) != (0.05, 0.5, 0.1)
    session.set_shot(session.shot.id)
    assert session.variant == {"Colour": "Green"}


def test_the_sheet_shows_looks_at_and_ticks_cells(ranged, qtbot):
    bench, session = face(ranged), ranged.session
    assert bench.words.text() == "4 variants, 0 ticked" and not bench.go.isEnabled()
    qtbot.waitUntil(lambda: len(bench.sheet.pictures) == 4, timeout=60000)
    cell(ranged, 1, 1)
    assert session.variant == {"Colour": "Green", "Place": "High"}
    cell(ranged, 0, 0, tick=True)
    cell(ranged, 1, 1, tick=True)
    assert bench.words.text() == "4 variants, 2 ticked" and bench.go.isEnabled()
    bench.sheet.setFocus()
    QTest.keyClick(bench.sheet, Qt.Key.Key_Space)
    assert bench.words.text() == "4 variants, 1 ticked"
    type_into(bench.pattern, "{Colour}-{Place}")
    assert "“Red-Low”" in bench.example.text()
    type_into(bench.pattern, "{Nothing}")
    assert "means nothing here" in bench.example.text()
    # a combination that is not offered
    sheet = bench.sheet
    picks = sheet.cell(1, 0)
    next(a for a in bench.cell_menu(picks).actions() if a.text() == "Do not offer it").trigger()
    assert bench.words.text().startswith("3 variants") and variants.is_refused(session.document, picks)
    sheet.tick(picks)
    assert "is not offered" in ranged.hint_line.text.text() and key_of(picks) not in sheet.wanted
    lines = bench.compare_with(sheet.cell(0, 1))
    assert any("Colour" in line for line in lines)


def test_a_table_ticks_cells_and_the_sheet_goes_to_a_file(ranged, qtbot, tmp_path, monkeypatch):
    monkeypatch.setattr(contact_sheet, "SAMPLES", 2)
    bench = face(ranged)
    (tmp_path / "wanted.csv").write_text("Colour,Place\nGreen,High\nRed,Low\n")
    bench.take_table(tmp_path / "wanted.csv")
    assert bench.words.text() == "4 variants, 2 ticked"
    (tmp_path / "odd.csv").write_text("Colour\nMauve\n")
    bench.take_table(tmp_path / "odd.csv")
    assert "Line 2" in ranged.hint_line.text.text() and bench.words.text() == "4 variants, 2 ticked"
    bench.write_sheet(tmp_path / "sheet.png")
    qtbot.waitUntil(lambda: (tmp_path / "sheet.png").exists(), timeout=60000)
    with Image.open(tmp_path / "sheet.png") as image:
        assert image.size[0] > 400


def test_choices_are_renamed_in_the_tree_and_what_differs_goes_into_the_base(ranged):
    bench, session = face(ranged), ranged.session
    item = bench.tree.topLevelItem(0).child(1)
    item.setText(0, "Pine")
    assert session.document.axes[0].choices[1].name == "Pine"
    bench._choose("choice", of(ranged, "Pine"))
    menu = bench.menu()
    own = next(a.menu() for a in menu.actions() if a.text() == "What differs (1)")
    next(a for a in own.actions()[0].menu().actions() if "base’s" in a.text()).trigger()
    assert get(session.document, COLOUR) == (0.05, 0.5, 0.1) and not session.document.axes[0].choices[1].overrides
    session.undo()
    bench._choose("choice", of(ranged, "Pine"))
    next(a for a in bench.menu().actions() if a.text() == "Duplicate").trigger()
    assert [c.name for c in session.document.axes[0].choices] == ["Red", "Pine", "Pine 2"]
    bench._choose("choice", session.document.axes[0].choices[2].id)
    next(a for a in bench.menu().actions() if a.text() == "Delete choice").trigger()
    assert [c.name for c in session.document.axes[0].choices] == ["Red", "Pine"]


def test_two_cells_are_rendered_stopped_and_taken_up(ranged, qtbot, tmp_path):
    session = ranged.session
    session.apply("Settings", replace(session.document, render=replace(session.document.render, stop="samples", samples=80, folder=str(tmp_path))))
    session.put({"shots/s/width": 120, "shots/s/height": 90}, told="Small")
    bench = face(ranged)
    cell(ranged, 0, 0, tick=True)
    cell(ranged, 1, 1, tick=True)
    type_into(bench.pattern, "{Colour} {Place}")
    QTest.mouseClick(bench.go, LEFT)
    renders = face(ranged)
    assert type(renders).__name__ == "RenderBench"
    (row,) = renders.rows
    assert "2 variants" in row.name.text()
    qtbot.waitUntil(lambda: row.job.state().get("share", 0) > 0.02, timeout=90000)
    QTest.mouseClick(row.cancel, LEFT)
    qtbot.waitUntil(lambda: row.outcome == "cancelled", timeout=60000)
    assert row.go_on.isVisible() and "Stopped" in row.words.text()
    QTest.mouseClick(row.go_on, LEFT)
    qtbot.waitUntil(lambda: renders.rows[0].outcome == "done", timeout=120000)
    with Image.open(tmp_path / "Red Low.png") as one, Image.open(tmp_path / "Green High.png") as other:
        assert one.size == other.size == (120, 90)
        assert np.abs(np.asarray(one).astype(int) - np.asarray(other).astype(int)).max() > 60
    assert sorted(p.name for p in tmp_path.glob("*.png")) == ["Green High.png", "Red Low.png"]


def test_the_list_is_put_in_order_paused_and_changed_by_hand(ranged, qtbot, tmp_path):
    session = ranged.session
    session.apply("Settings", replace(session.document, render=replace(session.document.render, stop="samples", samples=2, folder=str(tmp_path))))
    session.put({"shots/s/width": 48, "shots/s/height": 36}, told="Small")
    ranged.bench.show_face("Renders")
    renders = face(ranged)
    renders.halt.click()
    first, second = renders.start().job, renders.start().job
    assert [r.outcome for r in renders.rows] == ["waiting", "waiting"] and "2 waiting" in renders.words.text()
    rows = {r.job.name: r for r in renders.rows}
    rows[second.name].pulled.emit(-1)
    assert [r.job.name for r in renders.rows] == [second.name, first.name]
    QTest.mouseClick(rows[first.name].pause, LEFT)
    dialog = renders.change(second)
    type_into(dialog.pixels, "nonsense x 3")  # Return changes it, or says what is wrong
    assert dialog.isVisible() and dialog.trouble.text() == "That is no number."
    dialog.pixels.setText("40 x 30")
    type_into(dialog.at, "25:00")
    assert "write it as 18:30" in dialog.trouble.text()
    dialog.at.setText("")
    type_into(dialog.pixels, "40 x 30")
    assert second.outcome == "waiting"
    renders.halt.click()
    qtbot.waitUntil(lambda: second.outcome == "done", timeout=90000)
    assert first.outcome == "paused"
    with Image.open(second.record.out) as image:
        assert image.size == (40, 30)
    renders.refresh()
    row = next(r for r in renders.rows if r.job.name == second.name)
    next(a for a in row.menu().actions() if "as it was" in a.text()).trigger()
    assert session.document.name == "Odrel test" and session.path is None
    renders.clear_ended()
    assert [r.job.name for r in renders.rows] == [first.name]


def test_a_turntable_is_asked_for_and_put_in_the_list(ranged, qtbot, tmp_path):
    session = ranged.session
    session.apply("Settings", replace(session.document, render=replace(session.document.render, stop="samples", samples=1, folder=str(tmp_path))))
    session.put({"shots/s/width": 40, "shots/s/height": 30}, told="Small")
    ranged.registry.run("turntable")
    dialog = next(w for w in ranged.findChildren(TurntableDialog) if w.isVisible())
    dialog.axes["Colour"].setChecked(True)
    type_into(dialog.heights, "high")
    assert dialog.isVisible() and "no number" in dialog.trouble.text()
    dialog.heights.setText("0")
    dialog.background.setText("red")
    type_into(dialog.frames, "3")
    assert dialog.isVisible() and "no colour" in ranged.hint_line.text.text()
    type_into(dialog.background, "#eeeeee")
    ranged.bench.show_face("Renders")
    (row,) = face(ranged).rows
    assert "turntable" in row.name.text()
    qtbot.waitUntil(lambda: row.job.outcome == "done", timeout=120000)
    page = tmp_path / "Odrel test turntable" / "index.html"
    assert "#eeeeee" in page.read_text() and len(list((page.parent / "pictures").iterdir())) == 6
    row.refresh()
    assert "6 files" in row.words.text() and not row.picture.pixmap().isNull()


def test_a_full_sphere_is_asked_for_and_put_in_the_list(ranged, qtbot, tmp_path):
    session = ranged.session
    session.apply("Settings", replace(session.document, render=replace(session.document.render, stop="samples", samples=1, folder=str(tmp_path))))
    ranged.registry.run("sphere")
    dialog = next(w for w in ranged.findChildren(SphereDialog) if w.isVisible())
    assert not dialog.apart.isEnabled()
    dialog.eyes.setCurrentIndex(1)
    dialog.eyes.activated.emit(1)
    assert dialog.apart.isEnabled()
    type_into(dialog.width_field, "wide")
    assert dialog.isVisible() and "no number" in dialog.trouble.text()
    type_into(dialog.width_field, "33")
    assert dialog.isVisible() and "even number of pixels" in ranged.hint_line.text.text()
    type_into(dialog.width_field, "32")
    ranged.bench.show_face("Renders")
    (row,) = face(ranged).rows
    assert "full sphere" in row.name.text()
    qtbot.waitUntil(lambda: row.job.outcome == "done", timeout=120000)
    assert "top-bottom" in (tmp_path / "Odrel test sphere.html").read_text()
    row.refresh()
    assert not row.picture.pixmap().isNull()
    # and a sphere for each frame of the film
    session.apply("Short", replace(session.document, frames_per_second=2.0, film=replace(session.document.film, end=0.5)))
    ranged.registry.run("sphere")
    dialog = next(w for w in ranged.findChildren(SphereDialog) if w.isVisible())
    at = dialog.kind.findData(".mp4")
    dialog.kind.setCurrentIndex(at)
    dialog.kind.activated.emit(at)
    assert dialog.out.text().endswith(".mp4")
    type_into(dialog.width_field, "32")
    row = face(ranged).rows[0]
    qtbot.waitUntil(lambda: row.job.outcome == "done", timeout=120000)
    assert sphere_film.said_of(tmp_path / "Odrel test sphere.mp4") == ""


def test_a_project_is_exported_for_other_programs(ranged, qtbot, tmp_path, monkeypatch):
    from aulmo.desk.render import export_file

    for name in ("a.glb", "a.usdz"):
        monkeypatch.setattr(export_file.QFileDialog, "getSaveFileName", lambda *a, n=name: (str(tmp_path / n), ""))
        ranged.registry.run("export")
        qtbot.waitUntil(lambda n=name: (tmp_path / n).exists(), timeout=60000)
        qtbot.waitUntil(lambda n=name: f"Wrote {n}" in ranged.hint_line.text.text(), timeout=60000)
    monkeypatch.setattr(export_file.QFileDialog, "getSaveFileName", lambda *a: (str(tmp_path / "a.obj"), ""))
    ranged.registry.run("export")
    qtbot.waitUntil(lambda: "should end in .glb" in ranged.hint_line.text.text(), timeout=60000)
