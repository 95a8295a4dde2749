"""Carton in the window: a drawing becomes a carton, its panels are lit in both, folded by hand and by number, its lines changed, artwork laid on."""

import numpy as np
import pytest
from PySide6.QtCore import QEvent, QPoint, QPointF, Qt
from PySide6.QtGui import QMouseEvent
from PySide6.QtTest import QTest

import flats
from aulmo.desk.shell.session import DEMO
from aulmo.document.apart import here
from aulmo.document.flat import flat_of
from aulmo.prepare.carton import artwork, drawing, lay_out, make, plates
from desk_tools import drop, file_mime, type_into

LEFT = Qt.MouseButton.LeftButton


@pytest.fixture
def bench(window, monkeypatch, tmp_path, qtbot):
    """The face, with a carton made of a drawing that was brought in as a dropped file is."""
    read = here(drawing.read_drawing)
    monkeypatch.setattr(drawing, "read_drawing", read)
    monkeypatch.setattr(lay_out, "read_drawing", read)
    monkeypatch.setattr(plates, "read_plates", here(plates.read_plates))
    monkeypatch.setattr(artwork, "DOTS_PER_MM", 2.0)
    session = window.session
    session.set_stage("Prepare")
    window.bench.show_face("Carton")
    found = window.built["Prepare"].faces["Carton"]
    before = session.document
    window.files.take_files([flats.write_dxf(tmp_path / "wick-carton.dxf", flats.tuck_box(window=12.0))])
    qtbot.waitUntil(lambda: session.document is not before, timeout=30000)
    assert session.history.undo_sentence == "Made the carton wick-carton" and not found.view.isHidden()
    found.view.resize(420, 170)
    return found


def carton(bench):
    return make.carton_of(bench.session.document, bench.part())


def at_flat(bench, x, y) -> QPoint:
    place = bench.view.to_screen(np.array([[x, y]]))[0]
    return QPoint(round(place[0]), round(place[1]))


def click_flat(bench, x, y, modifiers=Qt.KeyboardModifier.NoModifier):
    QTest.mouseClick(bench.view, LEFT, modifiers, at_flat(bench, x, y))


def middle_of(bench, name):
    ring = np.array(flat_of(carton(bench).flat).panels[carton(bench).names.index(name)].rings[0])
    return ring.mean(0)


def test_a_panel_is_lit_in_both_and_folded_by_its_handle(bench, window, qtbot):
    session, picture = window.session, window.picture
    session.select([bench.part()])
    picture.frame_selection()
    click_flat(bench, *middle_of(bench, "Top lid"))
    assert bench.panel == carton(bench).names.index("Top lid")
    overlay = next(o for o in picture.overlays if type(o).__name__ == "CartonMarks")
    assert overlay.shown()
    picture.grab()
    assert overlay._knob is not None
    start = QPoint(round(overlay._knob[0]), round(overlay._knob[1]))
    crease = next(c for c in carton(bench).creases if c.group == "top lid")
    assert crease.angle == 90.0
    places = overlay._now()[1]
    hinge = overlay._hinge(carton(bench), bench.panel)
    to = picture.places_on_screen(overlay._arc(carton(bench), places, hinge, np.array([40.0])))[0]
    QTest.mousePress(picture, LEFT, Qt.KeyboardModifier.NoModifier, start)
    for share in (0.5, 1.0):
        x, y = start.x() + share * (to[0] - start.x()), start.y() + share * (to[1] - start.y())
        picture.mouseMoveEvent(QMouseEvent(QEvent.Type.MouseMove, QPointF(x, y), QPointF(x, y), LEFT, LEFT, Qt.KeyboardModifier.NoModifier))
    QTest.mouseRelease(picture, LEFT, Qt.KeyboardModifier.NoModifier, QPoint(round(to[0]), round(to[1])))
    angle = next(c for c in carton(bench).creases if c.id == crease.id).angle
    assert abs(angle - 40.0) < 6
    title, words = overlay._told(carton(bench), bench.panel)
    assert title.startswith("Top lid · ") and "folds with top lid" in words and "clears" in words
    window.registry.run("undo")
    assert next(c for c in carton(bench).creases if c.id == crease.id).angle == 90.0


def test_groups_are_folded_by_numbers_and_the_slider_leads_all(bench, window):
    page = window.details.pages["Prepare"].carton
    window.session.select([bench.part()])
    titles = [row.isHidden() for row in page.groups]
    assert titles.count(False) == len({c.group for c in carton(bench).creases})
    groups = page._group_names(carton(bench))
    row = page.groups[groups.index("top tuck")]
    type_into(row.field, "35")
    assert [c.angle for c in carton(bench).creases if c.group == "top tuck"] == [35.0]
    type_into(page.all.field, "0")
    low, high = window.session.assets.box(window.session.document.parts[bench.part()].mesh)
    assert (high - low)[1] < 0.6
    assert "nothing passes through" in page.told.text()
    page.steps.setText("body + glue · top dust")
    page.steps.setModified(True)
    QTest.keyClick(page.steps, Qt.Key.Key_Return)
    assert "bottom dust" in page.steps.text()  # a step that lacks groups is refused, the line says what is


def test_lines_are_changed_by_a_click_and_a_box(bench, window, qtbot):
    session = window.session
    flat = flat_of(carton(bench).flat)
    assert (len(flat.panels), len(flat.creases), len(flat.windows)) == (13, 12, 1)
    click_flat(bench, 60.0, 50.0)
    assert len(bench.view.lines) == 1 and flat.lines[next(iter(bench.view.lines))].kind == "crease"
    before = session.document
    item = next(bench.kinds.item(k) for k in range(bench.kinds.count()) if bench.kinds.item(k).text().startswith("perforation"))
    QTest.mouseClick(bench.kinds.viewport(), LEFT, Qt.KeyboardModifier.NoModifier, bench.kinds.visualItemRect(item).center())
    qtbot.waitUntil(lambda: session.document is not before, timeout=20000)
    fresh = flat_of(carton(bench).flat)
    assert [c.kind for c in fresh.creases].count("perforation") == 1 and session.history.undo_sentence == "1 line perforation"
    a, b = at_flat(bench, 115.0, 35.0), at_flat(bench, 145.0, 65.0)
    QTest.mousePress(bench.view, LEFT, Qt.KeyboardModifier.NoModifier, a)
    for x, y in ((0.5 * (a.x() + b.x()), 0.5 * (a.y() + b.y())), (b.x(), b.y())):
        bench.view.mouseMoveEvent(QMouseEvent(QEvent.Type.MouseMove, QPointF(x, y), QPointF(x, y), LEFT, LEFT, Qt.KeyboardModifier.NoModifier))
    QTest.mouseRelease(bench.view, LEFT, Qt.KeyboardModifier.NoModifier, b)
    assert {fresh.lines[k].kind for k in bench.view.lines} == {"window"}
    before = session.document
    bench.set_kind("left")
    qtbot.waitUntil(lambda: session.document is not before, timeout=20000)
    assert not flat_of(carton(bench).flat).windows


def test_another_panel_becomes_the_front(bench, window, qtbot):
    session = window.session
    click_flat(bench, *middle_of(bench, "Right"))
    wanted = bench.panel
    before = session.document
    QTest.mouseClick(bench.to_front, LEFT)
    qtbot.waitUntil(lambda: session.document is not before, timeout=20000)
    assert carton(bench).front == wanted and carton(bench).names[wanted] == "Front"


def test_artwork_dropped_on_the_flat_is_printed_and_can_be_taken_off(bench, window, qtbot, tmp_path):
    session = window.session
    session.select([bench.part()])
    left, bottom, right, top = flat_of(carton(bench).flat).box
    (tmp_path / "wick-art.svg").write_text(
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{right - left}mm" height="{top - bottom}mm" viewBox="0 0 {right - left} {top - bottom}">'
        '<g id="art"><rect width="212" height="210" fill="#812"/></g><g id="foil"><circle cx="130" cy="100" r="12"/></g>'
        '<g id="emboss"><rect x="110" y="60" width="30" height="9"/></g></svg>'
    )
    before = session.document
    drop(bench.view, file_mime(tmp_path / "wick-art.svg"), QPoint(50, 50))
    qtbot.waitUntil(lambda: session.document is not before, timeout=30000)
    section = window.details.pages["Prepare"].artwork
    assert "wick-art.svg" in section.files["front"].toolTip() and "foil" in section.told["front"].text()
    row = section.rows["front-emboss"]
    assert not row.isHidden() and section.rows["back-emboss"].isHidden()
    type_into(row.field, "0.5")
    material = session.document.materials[session.document.parts[bench.part()].material]
    assert next(n for n in material.nodes if n.id == "print-emboss-high").inputs["in2"] == 0.5
    assert bench.view.artwork is not None
    QTest.mouseClick(section.off, LEFT)
    assert not carton(bench).prints and bench.view.artwork is None


def test_boards_and_film_from_details(bench, window):
    session = window.session
    session.select([bench.part()])
    page = window.details.pages["Prepare"].carton
    page._put_board("Corrugated, fine flute")
    assert carton(bench).fluted == "y" and not page.pitch.widget.isHidden()
    assert not page.film.isHidden()
    type_into(page.film.field, "0.1")
    assert carton(bench).film_mm == 0.1 and any(s.id == "film" for s in session.document.parts[bench.part()].face_sets)
    type_into(page.weight, "600")
    assert carton(bench).thickness == pytest.approx(1.6 * 600 / 390, abs=1e-3)


def test_a_drawing_that_cannot_be_folded_is_one_sentence(bench, window, qtbot, tmp_path):
    session = window.session
    said = []
    session.trouble.connect(said.append)
    before = session.document
    try:
        window.files.take_files([flats.write_dxf(tmp_path / "open.dxf", [line for line in flats.sleeve() if line.kind == "crease"])])
        qtbot.waitUntil(lambda: bool(said), timeout=20000)
    finally:
        session.trouble.disconnect(said.append)
    assert "no closed panel" in said[0] and session.document is before


def test_the_demo_files_become_the_demo_carton(bench, window, qtbot, tmp_path):
    """From the two files that a packaging designer sends to a carton half open, kept and opened again: it is the one of the demo."""
    session = window.session

    def waits(done):
        before = session.document
        done()
        qtbot.waitUntil(lambda: session.document is not before and not session.tasks, timeout=60000)

    waits(lambda: window.files.take_files([DEMO / "artwork/wick-carton.dxf"]))
    session.select([bench.part()])
    waits(lambda: drop(bench.view, file_mime(DEMO / "artwork/wick-carton.svg"), QPoint(50, 50)))
    page = window.details.pages["Prepare"].carton
    type_into(page.film.field, "0.12")
    type_into(page.all.field, "0.5")
    mine, part = carton(bench), bench.part()
    session.save(tmp_path / "mine.aulmo")
    qtbot.waitUntil(lambda: not session.tasks and (tmp_path / "mine.aulmo").exists(), timeout=30000)
    session.load(DEMO / "wick-carton.aulmo")
    theirs = next(p for p in session.document.parts.values() if p.name == "Carton").carton
    assert sorted(mine.names) == sorted(theirs.names) and {c.group: c.angle for c in mine.creases} == {c.group: c.angle for c in theirs.creases}
    assert [(p.side, p.role, p.file) for p in mine.prints] == [(p.side, p.role, p.file) for p in theirs.prints] and mine.film_mm == theirs.film_mm
    session.load(tmp_path / "mine.aulmo")
    kept = session.document.parts[part]
    assert kept.carton == mine and kept.carton.folded == 0.5
    low, high = session.assets.box(kept.mesh)
    assert (high - low).min() > 20  # neither flat nor of no body
