"""The window under a hand: real clicks, drags, keys and drops."""

import numpy as np
import pytest
from msgspec.structs import replace
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QDesktopServices
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QPushButton

from aulmo.document import edits, project_file
from aulmo.frame.camera import camera_axes
from aulmo.prepare import arrange
from desk_tools import answering, drag, drop, file_mime, hover, key, point_of, settle, type_into, wheel
from shapes import box_mesh, one_part, sphere_mesh

LEFT, RIGHT, MIDDLE = Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton, Qt.MouseButton.MiddleButton
NONE, CTRL, ALT, SHIFT = (
    Qt.KeyboardModifier.NoModifier,
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.AltModifier,
    Qt.KeyboardModifier.ShiftModifier,
)


# selection


def test_a_click_selects_in_picture_and_tree_and_a_second_climbs(window, qtbot):
    picture, session = window.picture, window.session
    QTest.mouseClick(picture, LEFT, NONE, point_of(window, "left"))
    assert session.selection == ("left",)
    assert window.parts.item_of("left").isSelected()
    QTest.mouseClick(picture, LEFT, NONE, point_of(window, "left"))
    assert session.selection == ("pair",)
    QTest.mouseClick(picture, LEFT, NONE, QPoint(8, 8))
    assert session.selection == ()


def test_ctrl_adds_and_takes_away(window):
    picture, session = window.picture, window.session
    QTest.mouseClick(picture, LEFT, NONE, point_of(window, "left"))
    QTest.mouseClick(picture, LEFT, CTRL, point_of(window, "ball"))
    assert set(session.selection) == {"left", "ball"}
    QTest.mouseClick(picture, LEFT, CTRL, point_of(window, "left"))
    assert session.selection == ("ball",)


def test_a_row_of_the_tree_selects_in_the_picture_with_an_outline(window, qtbot):
    tree = window.parts.tree
    row = tree.visualItemRect(window.parts.item_of("right"))
    QTest.mouseClick(tree.viewport(), LEFT, NONE, QPoint(row.left() + 10, row.center().y()))
    assert window.session.selection == ("right",)
    assert window.picture._outline is not None


def test_a_box_on_nothing_selects_what_is_in_it(window):
    picture = window.picture
    drag(picture, QPoint(4, 4), QPoint(picture.width() - 4, picture.height() - 4))
    assert set(window.session.selection) == {"ball", "left", "right"}


def test_hovering_names_the_part(window):
    hover(window.picture, point_of(window, "ball"))
    assert window.picture._label[0] == "Ball"


# parts


def test_hide_show_and_isolate(window, qtbot):
    session = window.session
    session.select(["ball"])
    key(window, Qt.Key.Key_H)
    assert not session.document.parts["ball"].visible
    settle(qtbot, window)
    assert window.picture.screen_point("ball") is None
    key(window, Qt.Key.Key_H, SHIFT)
    assert session.document.parts["ball"].visible
    session.select(["left"])
    before = session.document
    key(window, Qt.Key.Key_I)
    qtbot.waitUntil(lambda: window.picture.draft_parts == ("left",), timeout=20000)
    assert session.document is before  # isolation is no part of the document, so no final can catch it
    key(window, Qt.Key.Key_I)
    qtbot.waitUntil(lambda: set(window.picture.draft_parts) == {"ball", "left", "right"}, timeout=20000)


def test_the_eye_in_the_tree_hides(window):
    tree = window.parts.tree
    row = tree.visualItemRect(window.parts.item_of("ball"))
    QTest.mouseClick(tree.viewport(), LEFT, NONE, QPoint(tree.viewport().width() - 12, row.center().y()))
    assert not window.session.document.parts["ball"].visible


def test_renaming_in_the_tree_and_in_details(window):
    item = window.parts.item_of("ball")
    item.setText(0, "Float")
    assert window.session.document.parts["ball"].name == "Float"
    window.session.select(["ball"])
    page = window.details.pages["Prepare"]
    page.name.field.setText("Buoy")
    page.name.field.editingFinished.emit()
    assert window.parts.item_of("ball").text(0) == "Buoy"


def test_the_search_leaves_what_fits_and_its_parents(window):
    window.parts.search.setText("right")
    assert not window.parts.item_of("right").isHidden() and not window.parts.item_of("pair").isHidden()
    assert window.parts.item_of("left").isHidden() and window.parts.item_of("ball").isHidden()
    window.parts.search.clear()
    assert not window.parts.item_of("left").isHidden()


def test_typed_numbers_move_turn_and_scale_with_sums_and_units(window):
    window.session.select(["ball"])
    page = window.details.pages["Prepare"]
    type_into(page.fields["position"][0], "2*35 mm")
    assert window.session.document.parts["ball"].placement.position[0] == pytest.approx(70)
    type_into(page.fields["position"][1], "1/2 in")
    assert window.session.document.parts["ball"].placement.position[1] == pytest.approx(12.7)
    type_into(page.fields["turn"][2], "90/2")
    type_into(page.fields["scale"][0], "1.5")
    assert window.session.document.parts["ball"].placement.turn[2] == 45
    assert window.session.document.parts["ball"].placement.scale[0] == 1.5
    before = window.session.document
    type_into(page.fields["position"][2], "banana")
    assert window.session.document is before
    assert page.fields["position"][2].property("wrong")
    assert "banana" in window.hint_line.text.text()


def test_rest_on_floor_and_centre(window):
    session = window.session
    session.apply("Lifted", edits.place_parts(session.document, {"ball": replace(session.document.parts["ball"].placement, position=(40, 5, 300))}))
    session.select(["ball"])
    key(window, Qt.Key.Key_G)
    low, _ = arrange.bounds(session.document, session.assets, ["ball"])
    assert low[2] == pytest.approx(0, abs=1e-6)
    window.registry.run("centre")
    low, high = arrange.bounds(session.document, session.assets, ["ball"])
    assert (low + high)[:2] == pytest.approx([0, 0], abs=1e-6)


def test_the_size_is_read_out(window):
    window.session.select(["left"])
    page = window.details.pages["Prepare"]
    assert page.size_text.text() == "30 × 30 × 30 mm"
    assert page.count.text() == "12 in 1 part"


def test_a_handle_moves_along_its_axis_and_undo_is_one_step(window, qtbot):
    session, picture = window.session, window.picture
    session.select(["ball"])
    key(window, Qt.Key.Key_T)
    handles = picture.tools["handles"].handles()
    centre, tip = handles.centre[:2], handles.tips[0, :2]
    start = QPoint(*(int(v) for v in centre + (tip - centre) * 0.8))
    before = session.document
    drag(picture, start, start + QPoint(60, 0))
    moved = session.document.parts["ball"].placement.position
    assert moved[0] == pytest.approx(60 * handles.mm_per_pixel, rel=0.1)
    assert moved[1:] == pytest.approx((0, 20), abs=1e-6)
    session.undo()
    assert session.document is before


def test_typing_takes_over_while_a_handle_is_pulled(window):
    session, picture = window.session, window.picture
    session.select(["ball"])
    key(window, Qt.Key.Key_T)
    handles = picture.tools["handles"].handles()
    start = QPoint(*(int(v) for v in handles.centre[:2] + (handles.tips[0, :2] - handles.centre[:2]) * 0.8))
    QTest.mousePress(picture, LEFT, NONE, start)
    picture.setFocus()
    QTest.keyClicks(picture, "-12.5")
    QTest.keyClick(picture, Qt.Key.Key_Return)
    assert session.document.parts["ball"].placement.position[0] == pytest.approx(-12.5)
    assert session.stage == "Prepare"  # the digits were no stage keys


def test_a_ring_turns_about_its_axis(window):
    session, picture = window.session, window.picture
    session.select(["left"])
    key(window, Qt.Key.Key_T)
    ring = picture.tools["handles"].handles().ring(2)
    grip = next(p for p in ring if (g := picture.tools["handles"].handles().grip_at(*p)) and g.kind == "turn" and g.axis == 2)
    start = QPoint(int(grip[0]), int(grip[1]))
    drag(picture, start, start + QPoint(18, 10))
    turn = session.document.parts["left"].placement.turn
    assert abs(turn[2]) > 1 and turn[:2] == pytest.approx((0, 0), abs=1e-6)


def test_delete_and_undo(window):
    window.session.select(["pair"])
    key(window, Qt.Key.Key_Delete)
    assert set(window.session.document.parts) == {"ball"}
    key(window, Qt.Key.Key_Z, CTRL)
    assert set(window.session.document.parts) == {"ball", "pair", "left", "right"}
    key(window, Qt.Key.Key_Z, CTRL | SHIFT)
    assert set(window.session.document.parts) == {"ball"}


def test_duplicate_and_group(window):
    session = window.session
    session.select(["left"])
    key(window, Qt.Key.Key_D, CTRL)
    (copy,) = session.selection
    assert session.document.parts[copy].name == "Left box 2" and session.document.parts[copy].parent == "pair"
    assert session.document.parts[copy].mesh == session.document.parts["left"].mesh
    session.select(["left", "right"])
    key(window, Qt.Key.Key_G, CTRL)
    (group,) = session.selection
    assert session.document.parts[group].children == ("left", "right")
    project_file.check_links(session.document, "test")


# looking


def test_right_drag_turns_about_the_point_under_the_cursor(window, qtbot):
    picture, session = window.picture, window.session
    at = point_of(window, "left")
    point = picture.point_at(at)
    drag(picture, at, at + QPoint(80, 30), RIGHT)
    assert session.free_view is not None
    assert session.camera == session.document.cameras["c"]  # outside Frame the shot's camera stays
    pivot = picture.place_on_screen(point)
    assert (pivot - at).manhattanLength() <= 3
    key(window, Qt.Key.Key_0)
    assert session.free_view is None


def test_middle_drag_slides_what_is_under_the_cursor_with_the_hand(window):
    picture = window.picture
    at = point_of(window, "ball")
    point = picture.point_at(at)
    drag(picture, at, at + QPoint(50, -20), MIDDLE)
    assert (picture.place_on_screen(point) - at - QPoint(50, -20)).manhattanLength() <= 4


def test_the_wheel_goes_toward_the_cursor(window):
    picture, session = window.picture, window.session
    at = point_of(window, "right")
    point = picture.point_at(at)
    before = np.linalg.norm(np.array(session.view.position) - point)
    wheel(picture, at, 3)
    assert np.linalg.norm(np.array(session.view.position) - point) == pytest.approx(before * 0.9**3, rel=1e-3)
    assert (picture.place_on_screen(point) - at).manhattanLength() <= 3


def test_alt_and_wheel_change_the_lens_and_keep_the_size(window):
    picture, session = window.picture, window.session
    target = np.array(session.view.target)
    right, _, _ = camera_axes(session.view)
    across = lambda: (picture.place_on_screen(target + 20 * right) - picture.place_on_screen(target - 20 * right)).x()  # noqa: E731
    before, focal = across(), session.view.focal_length_mm
    wheel(picture, QPoint(200, 200), 4, ALT)
    assert session.view.focal_length_mm == pytest.approx(focal * 1.06**4, rel=1e-3)
    assert across() == pytest.approx(before, abs=2)


def test_f_frames_the_selection(window):
    window.session.select(["right"])
    key(window, Qt.Key.Key_F)
    assert window.session.view.target == pytest.approx((55, 0, 15), abs=1e-3)


def test_keys_choose_stages_and_nothing_else_changes(window):
    before = window.session.document
    for number, stage in enumerate(("Prepare", "Surface", "Light", "Frame", "Move", "Render"), 1):
        key(window, getattr(Qt.Key, f"Key_{number}"))
        assert window.session.stage == stage
        assert window.rail.buttons[stage].isChecked()
        assert window.bench.stack.currentWidget() is window.bench.faces[stage]
    assert window.session.document is before


def test_d_switches_draft_and_traced(window, qtbot):
    key(window, Qt.Key.Key_D)
    assert window.picture.traced
    window.picture.live._path_ready.set()
    window.picture.refresh()
    qtbot.waitUntil(lambda: window.picture.state is not None and window.picture.state.traced, timeout=120000)
    key(window, Qt.Key.Key_D)
    qtbot.waitUntil(lambda: not window.picture.state.traced, timeout=30000)


def test_f9_folds_both_panels(window):
    key(window, Qt.Key.Key_F9)
    assert not window.parts.isVisible() and not window.details.isVisible()
    key(window, Qt.Key.Key_F9)
    assert window.parts.isVisible() and window.details.isVisible()


def test_the_finder_finds_and_runs(window):
    key(window, Qt.Key.Key_K, CTRL)
    assert window.finder.isVisible()
    QTest.keyClicks(window.finder.entry, "thirds")
    assert window.finder.list.count() == 1
    QTest.keyClick(window.finder.entry, Qt.Key.Key_Return)
    assert window.session.shot.guides == "thirds" and not window.finder.isVisible()


def test_every_command_has_words_and_no_two_share_keys(window):
    seen: dict[str, str] = {}
    for command in window.registry.commands.values():
        assert command.title and command.menu
        for shortcut in filter(None, command.keys.split(" or ")):
            assert shortcut not in seen, f"{command.id} and {seen.get(shortcut)} share {shortcut}"
            seen[shortcut] = command.id
    menus = [a.text() for a in window.menuBar().actions()]
    assert menus == ["File", "Edit", "Parts", "Arrange", "Set", "Materials", "Decal", "Light", "Film", "Picture", "View", "Stage", "Help"]


def test_the_probe_reads_a_pixel(window):
    key(window, Qt.Key.Key_P)
    QTest.mouseClick(window.picture, LEFT, NONE, point_of(window, "ball"))
    title, text = window.picture._label
    r, g, b = (int(v) for v in title.split()[:3])
    assert r > g and r > b
    assert text.startswith("Ball")


def test_the_theme_and_units_act_at_once(window):
    from aulmo.desk.shell import theme
    from aulmo.desk.shell.preferences import Preferences

    window.preferences()
    dialog = window.findChildren(Preferences)[0]
    dialog.theme.buttons["Daylight"].click()
    assert theme.current() is theme.DAYLIGHT
    dialog.units.buttons["cm"].click()
    window.session.select(["left"])
    assert window.details.pages["Prepare"].size_text.text() == "3 × 3 × 3 cm"
    type_into(window.details.pages["Prepare"].fields["position"][0], "2")
    assert window.session.document.parts["left"].placement.position[0] == pytest.approx(20)
    dialog.theme.buttons["Dusk"].click()
    dialog.units.buttons["mm"].click()
    assert theme.current() is theme.DUSK


def contrast(a: str, b: str) -> float:
    """WCAG 2 contrast ratio."""
    from aulmo.surface.colour import decode_srgb

    def light(code):
        r, g, b = decode_srgb(np.array([int(code[i : i + 2], 16) for i in (1, 3, 5)]) / 255)
        return 0.2126 * r + 0.7152 * g + 0.0722 * b

    hi, lo = sorted((light(a), light(b)), reverse=True)
    return (hi + 0.05) / (lo + 0.05)


def test_text_passes_wcag_aa_in_both_themes():
    from aulmo.desk.shell import theme

    for t in theme.THEMES.values():
        for back in (t.window, t.panel, t.field):
            for text in (t.text, t.quiet, t.accent_text):
                assert contrast(text, back) >= 4.5, (text, back)
        assert contrast(t.on_accent, t.accent) >= 4.5
        for neutral in (t.window, t.panel, t.field, t.line, t.raised, t.text, t.quiet, t.surround):
            assert neutral[1:3] == neutral[3:5] == neutral[5:7]


def test_no_button_is_dead(window, qtbot, monkeypatch):
    """A click on any button that is shown changes something the artist can see: the document, the tool, the view, a text, a window."""
    from PySide6.QtWidgets import QFileDialog

    opened: list[str] = []
    nothing = {"getOpenFileName": ("", ""), "getOpenFileNames": ([], ""), "getSaveFileName": ("", ""), "getExistingDirectory": ""}
    for name, answer in nothing.items():
        monkeypatch.setattr(QFileDialog, name, lambda *a, n=name, x=answer, **k: opened.append(n) or x)
    monkeypatch.setattr(QDesktopServices, "openUrl", lambda url: opened.append(url.toString()))
    said: list[str] = []
    window.session.hint.connect(said.append)
    window.session.trouble.connect(said.append)
    window.session.task_started.connect(lambda task: said.append(task.title))

    def seen() -> tuple:
        session = window.session
        return (
            session.document, session.tool, session.free_view, session.shot, session.selection, len(opened), len(said),
            tuple((r.job.name, r.job.wish.wish, r.words.text()) for r in window.built["Render"].commands.rows), len(session.tasks),
            tuple(b.isChecked() for b in window.findChildren(QPushButton)),
            QApplication.activePopupWidget() is None, tuple(b.widget.isVisible() for b in window.details.page().bound), window.picture.traced,
            getattr(window.details.page(), "prediction", window.strip.noise).text(),
        )  # fmt: skip

    for stage in window.session.stages:
        window.session.set_stage(stage)
        window.session.select(["ball"])
        names = [made.text() for made in window.findChildren(QPushButton) if made.isVisible() and made.isEnabled()]
        for name in names:
            made = next((b for b in window.findChildren(QPushButton) if b.isVisible() and b.isEnabled() and b.text() == name), None)
            if made is None or made.isChecked() or name in ("", "Cancel"):
                continue
            before = seen()
            made.click()
            qtbot.wait(1)
            if QApplication.activePopupWidget():
                opened.append("a menu")
                QApplication.activePopupWidget().close()
            idle = {"Rest on floor", "Centre"}  # may find everything in its place
            assert seen() != before or name in idle, f"{name} in {stage} does nothing"
            window.session.set_stage(stage)
            window.session.select(["ball"])
    for row in window.built["Render"].commands.running():
        row.job.cancel()


# files


def test_a_cad_file_dropped_on_the_start_page_is_on_screen_lit_and_framed(window, qtbot, tmp_path):
    import trimesh

    mesh = box_mesh(60)
    trimesh.Trimesh(mesh.vertices, mesh.triangles.astype(int), process=False).export(tmp_path / "crate.stl")
    window.session._saved_document = window.session.document
    window.show_start()
    drop(window.start_page, file_mime(tmp_path / "crate.stl"), QPoint(50, 50))
    qtbot.waitUntil(lambda: bool(window.session.document.parts), timeout=60000)
    document = window.session.document
    low, _ = arrange.bounds(document, window.session.assets, document.roots)
    assert low[2] == pytest.approx(0, abs=1e-4)
    assert window.pages.currentWidget() is window.work
    assert [s.name for s in document.shots] == ["Shot 1"]
    settle(qtbot, window)
    (part,) = [p.id for p in document.parts.values() if p.mesh]
    assert window.picture.screen_point(part) is not None
    assert "Choices made" in window.details.pages["Prepare"].notes.heading.text()
    assert "millimetres" in window.details.pages["Prepare"].note_text.text()


def test_a_file_dropped_on_the_picture_is_announced_and_joins_the_scene(window, qtbot, tmp_path):
    import trimesh

    mesh = box_mesh(20)
    trimesh.Trimesh(mesh.vertices, mesh.triangles.astype(int), process=False).export(tmp_path / "extra.obj")
    said = drop(window.picture, file_mime(tmp_path / "extra.obj"), QPoint(100, 100))
    assert "extra.obj" in said and "resting on the floor" in said
    qtbot.waitUntil(lambda: len(window.session.document.roots) == 3, timeout=60000)
    assert "ball" in window.session.document.parts
    window.session.undo()
    assert len(window.session.document.roots) == 2


def test_a_broken_file_gets_a_sentence_and_changes_nothing(window, qtbot, tmp_path):
    (tmp_path / "bad.step").write_text("nothing of use")
    before = window.session.document
    with qtbot.waitSignal(window.session.trouble, timeout=60000) as caught:
        drop(window.picture, file_mime(tmp_path / "bad.step"), QPoint(100, 100))
    assert "bad.step" in caught.args[0]
    assert window.session.document is before
    assert "bad.step" in window.hint_line.text.text()
    drop(window.picture, file_mime(tmp_path / "notes.docx"), QPoint(100, 100))
    assert "notes.docx" in window.hint_line.text.text()


def test_saving_and_opening_again(window, qtbot, tmp_path):
    window.session.apply("Renamed", edits.change_part(window.session.document, "ball", name="Saved ball"))
    assert "not saved" in window.strip.saved.text()
    assert window.session.save(tmp_path / "mine.aulmo", window.files.thumbnail())
    assert window.strip.saved.text() == "· saved"
    assert project_file.load(tmp_path / "mine.aulmo")[0] == window.session.document
    window.files.open_project(tmp_path / "mine.aulmo")
    assert window.session.document.parts["ball"].name == "Saved ball"
    window.show_start()
    names = [b.accessibleName() for b in window.start_page.findChildren(QPushButton)]
    assert "mine" in names


def test_unsaved_work_is_journalled_and_offered_after_a_crash(window, qtbot, tmp_path, monkeypatch):
    from aulmo.desk.shell import app, session as session_module

    window.session.apply("Renamed", edits.change_part(window.session.document, "ball", name="Precious"))
    qtbot.waitUntil(lambda: any((tmp_path / "recovery").glob("*/document.json")), timeout=10000)
    (folder,) = (tmp_path / "recovery").glob("*")
    folder.rename(tmp_path / "recovery" / "999999-dead")  # as another, dead process would have left it
    monkeypatch.setenv("AULMO_RECOVER", "1")
    window.session._saved_document = window.session.document
    window.files.new_project()
    answering("t")
    assert app.offer_recovery(window)
    assert window.session.document.parts["ball"].name == "Precious"
    assert not window.session.is_saved
    assert not list(session_module.RECOVERY.glob("999999-dead"))
    (again,) = session_module.RECOVERY.glob("*/document.json")  # what was taken up is noted anew
    assert b"Precious" in again.read_bytes()


def test_unsaved_work_that_cannot_be_read_is_kept_and_told(window, monkeypatch):
    from aulmo.desk.shell import app, session as session_module

    folder = session_module.RECOVERY / "999999-dead"
    folder.mkdir(parents=True)
    (folder / "document.json").write_bytes(b"half a descr")
    monkeypatch.setenv("AULMO_RECOVER", "1")
    assert not app.offer_recovery(window)
    (kept,) = session_module.RECOVERY.glob("unreadable-*")
    assert (kept / "document.json").read_bytes() == b"half a descr"
    assert str(kept) in window.hint_line.text.text()


def test_closing_asks_before_work_is_lost_and_a_letter_answers(window):
    asked: list[str] = []
    window.session.apply("Renamed", edits.change_part(window.session.document, "ball", name="X"))
    answering("c", asked)
    assert not window.close()
    assert "Save the changes" in asked[0]
    answering("d")
    assert window.close()


def test_the_window_never_stands_still_while_it_works(window, qtbot):
    """While a picture is traced and parts are moved, the window's own thread comes round often."""
    import time

    from PySide6.QtCore import QTimer

    window.picture.live._path_ready.set()
    window.picture.set_traced(True)
    qtbot.waitUntil(lambda: window.picture.state is not None and window.picture.state.traced, timeout=120000)
    session = window.session
    session.select(["ball"])
    key(window, Qt.Key.Key_T)
    handles = window.picture.tools["handles"].handles()
    start = QPoint(*(int(v) for v in handles.centre[:2] + (handles.tips[0, :2] - handles.centre[:2]) * 0.8))
    beats = []
    pulse = QTimer()
    pulse.timeout.connect(lambda: beats.append(time.perf_counter()))
    pulse.start(10)
    hover(window.picture, start)
    QTest.mousePress(window.picture, LEFT, NONE, start)
    places = set()
    for step in range(40):
        hover(window.picture, start + QPoint(2 * step, 0), LEFT)
        places.add(session.shown.parts["ball"].placement.position)
        qtbot.wait(40)
    QTest.mouseRelease(window.picture, LEFT, NONE, start + QPoint(78, 0))
    pulse.stop()
    assert len(places) > 30  # it was really on its way
    assert session.document.parts["ball"].placement.position[0] > 5
    assert len(beats) > 20


@pytest.mark.fresh
def test_a_window_built_in_its_dress_is_as_large_and_leaves_nothing_behind_when_it_is_closed(window, qtbot):
    """The application builds its window undressed, which is quicker; nothing of that is to be seen."""
    import gc
    import weakref

    from PySide6.QtCore import QEvent
    from shiboken6 import getCppPointer

    from aulmo.desk.shell.window import Window

    def opened_and_closed() -> weakref.ref:
        made = Window()
        document, assets = one_part(sphere_mesh(12, 16))
        made.picture.set_traced(False)
        made.show()
        qtbot.waitUntil(lambda: made.minimumSizeHint() == window.minimumSizeHint())  # once its start page has been laid out
        assert made.size() == window.size()
        made.session.open_document(document, assets, None)
        made.session.set_stage("Surface")
        qtbot.waitUntil(lambda: made.picture.draft is not None and not made.session.tasks, timeout=60000)
        made.close()
        qtbot.wait(30)
        made.deleteLater()
        QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
        return weakref.ref(made)

    there = lambda: {getCppPointer(w)[0] for w in QApplication.topLevelWidgets()}  # noqa: E731 (their wrappers come and go)
    before = there()
    gone = opened_and_closed()
    qtbot.waitUntil(lambda: gc.collect() >= 0 and gone() is None, timeout=5000)
    assert not there() - before
