"""Building the set in the real window: pieces, standing, handles, snapping, copies, paths, cutting, choosing, measuring, the tree."""

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from aulmo.desk.shell.parts_tree import PARTS_MIME
from aulmo.document import edits
from aulmo.document.made import copies
from aulmo.document.placement import world_matrix
from aulmo.prepare import arrange
from desk_tools import drag, drop, hover, key, point_of, settle, type_into

LEFT, CTRL, SHIFT, ALT = (
    Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.AltModifier,
)  # fmt: skip
NONE = Qt.KeyboardModifier.NoModifier


def named(window, name: str) -> str:
    return next(i for i, p in window.session.document.parts.items() if p.name == name)


def face(window, name: str):
    window.session.set_stage("Prepare")
    window.bench.show_face(name)
    return window.bench.faces["Prepare"]


def click(window, at: QPoint, modifiers=NONE) -> None:
    QTest.mouseClick(window.picture, LEFT, modifiers, at)


def button(widget, text: str):
    from PySide6.QtWidgets import QPushButton

    return next(b for b in widget.findChildren(QPushButton) if b.text() == text or b.accessibleName() == text)


def box(window, *ids):
    return arrange.bounds(window.session.document, window.session.assets, ids)


def floor_point(window, x: float, y: float) -> QPoint:
    return window.picture.place_on_screen(np.array([x, y, 0.0]))


# pieces


def test_a_piece_stands_where_one_clicks_and_is_changed_by_its_numbers(window, qtbot):
    bench = face(window, "Set")
    item = next(bench.shelf.item(k) for k in range(bench.shelf.count()) if bench.shelf.item(k).text() == "Cylinder")
    QTest.mouseClick(bench.shelf.viewport(), LEFT, pos=bench.shelf.visualItemRect(item).center())
    assert window.session.tool == "place"
    at = floor_point(window, 20.0, -60.0)
    hover(window.picture, at)
    assert window.picture._label == ("Cylinder", "on the floor")
    click(window, at)
    made = named(window, "Cylinder")
    low, high = box(window, made)
    assert window.session.selection == (made,) and window.session.tool == ""
    assert abs(0.5 * (low[0] + high[0]) - 20) < 2 and abs(0.5 * (low[1] + high[1]) + 60) < 3 and low[2] == pytest.approx(0, abs=0.1)
    rows = window.details.pages["Prepare"].set_piece.rows
    assert [n for n, r in rows.items() if not r.widget.isHidden()] == ["height", "radius", "bevel"]
    type_into(rows["radius"].field, "2*12")
    assert box(window, made)[1][0] - box(window, made)[0][0] == pytest.approx(48, abs=0.1)
    window.session.undo()
    window.session.undo()
    assert "Cylinder" not in {p.name for p in window.session.document.parts.values()}


def test_every_piece_is_a_command_and_return_puts_it_at_the_origin(window, qtbot):
    for kind in ("torus", "text", "water"):
        window.registry.run(f"piece_{kind}")
        key(window, Qt.Key.Key_Return)
    assert {"Torus", "Text", "Water"} <= {p.name for p in window.session.document.parts.values()}
    text = window.session.document.parts[named(window, "Text")]
    window.session.select([text.id])
    field = window.details.pages["Prepare"].set_piece.rows["text"].field
    said = []
    window.session.trouble.connect(said.append)
    type_into(field, "Wick")
    assert window.session.document.parts[text.id].set_piece.text == "Wick"
    window.session.put({f"parts/{text.id}/set_piece/text": " "})
    assert said and "letter" in said[0] and window.session.document.parts[text.id].set_piece.text == "Wick"


def test_a_part_catches_shadow_by_a_choice_in_details(window, qtbot):
    window.session.set_stage("Prepare")
    window.session.select([named(window, "Left box")])
    row = window.details.pages["Prepare"].catches
    row.field.setCurrentIndex(2)
    row.field.activated.emit(2)
    assert window.session.document.parts[named(window, "Left box")].catches == "reflection"
    settle(qtbot, window)
    assert window.picture.part_at(point_of(window, "left")) == "left"  # it can still be taken by the hand


# standing and handles


def test_stood_on_another_it_comes_to_rest_there(window, qtbot):
    window.session.set_stage("Prepare")
    window.session.select(["ball"])
    window.registry.run("stand")
    at = point_of(window, "left")
    top = window.picture.place_on_screen(np.array([-55.0, 0.0, 30.0]))
    hover(window.picture, top)
    assert window.picture._label[0] == "Ball stands here" and "Left box" in window.picture._label[1]
    click(window, top)
    low, high = box(window, "ball")
    assert low[2] == pytest.approx(30, abs=0.01) and abs(0.5 * (low[0] + high[0]) + 55) < 2
    assert window.session.tool == "" and at is not None
    window.session.undo()
    assert box(window, "ball")[0][2] == pytest.approx(0, abs=0.1)


def test_knobs_scale_evenly_and_along_an_axis_and_take_typed_numbers(window, qtbot):
    window.session.set_stage("Prepare")
    window.session.select(["ball"])
    window.session.set_tool("handles")
    tool = window.picture.tools["handles"]
    handles = tool.handles()
    at = QPoint(*[int(v) for v in handles.centre[:2] + [30, 30]])
    QTest.mousePress(window.picture, LEFT, NONE, at)
    hover(window.picture, at + QPoint(20, 20), LEFT)
    for letter in "2":
        QTest.keyClicks(window.picture, letter)
    QTest.keyClick(window.picture, Qt.Key.Key_Return)
    assert window.session.document.parts["ball"].placement.scale == pytest.approx((2, 2, 2))
    handles = tool.handles()
    knob = QPoint(*[round(float(v)) for v in handles.knobs[0, :2]])
    drag(window.picture, knob, knob + (knob - QPoint(*[round(float(v)) for v in handles.centre[:2]])) / 2)
    scale = window.session.document.parts["ball"].placement.scale
    assert scale[0] > 2.6 and scale[1] == scale[2] == pytest.approx(2)


def test_pulled_with_ctrl_the_pivot_is_caught_by_a_corner(window, qtbot):
    window.session.set_stage("Prepare")
    window.session.select(["ball"])
    window.session.set_tool("handles")
    tool = window.picture.tools["handles"]
    start = QPoint(*[round(float(v)) for v in tool.handles().centre[:2]])
    corner = np.array([-40.0, -15.0, 30.0])
    end = window.picture.place_on_screen(corner) + QPoint(-2, 2)
    QTest.mousePress(window.picture, LEFT, NONE, start)
    hover(window.picture, end, LEFT, CTRL)
    assert window.picture._label[0] == "corner"
    QTest.mouseRelease(window.picture, LEFT, CTRL, end)
    low, high = box(window, "ball")
    np.testing.assert_allclose(0.5 * (low + high), corner, atol=1e-3)


def test_handles_follow_the_parents_or_the_parts_own_axes(window, qtbot):
    session = window.session
    session.set_stage("Prepare")
    session.put({"parts/pair/placement/turn": (0.0, 0.0, 30.0)})
    settle(qtbot, window)
    session.select(["left"])
    session.set_tool("handles")
    bench = face(window, "Arrange")
    bench.axes.buttons["parent"].click()
    handles = window.picture.tools["handles"].handles()
    np.testing.assert_allclose(handles.axes[:, 0], (np.cos(np.pi / 6), 0.5, 0), atol=1e-9)
    before = session.document.parts["left"].placement.position
    tip, centre = (QPoint(*[round(float(v)) for v in p[:2]]) for p in (handles.tips[0], handles.centre))
    on_arrow = centre + (tip - centre) * 3 / 4
    drag(window.picture, on_arrow, on_arrow + (tip - centre) / 3)
    after = session.document.parts["left"].placement.position
    assert abs(after[0] - before[0]) > 3 and after[1:] == pytest.approx(before[1:], abs=1e-6)


def test_the_pivot_is_put_on_a_corner_and_turning_goes_about_it(window, qtbot):
    session = window.session
    session.set_stage("Prepare")
    session.select(["left"])
    window.registry.run("pivot")
    corner = np.array([-40.0, -15.0, 30.0])
    click(window, window.picture.place_on_screen(corner) + QPoint(-2, 1))
    assert session.tool == "handles"
    np.testing.assert_allclose(window.picture.tools["handles"].handles().pivot, corner, atol=1e-3)
    before = world_matrix(session.document, "left")
    session.apply("Turned", arrange.turn_in_world(session.document, ["left"], (0, 0, 1), 90, window.picture.tools["handles"].handles().pivot))
    own = np.linalg.solve(before, [*corner, 1.0])
    np.testing.assert_allclose((world_matrix(session.document, "left") @ own)[:3], corner, atol=1e-6)
    window.registry.run("pivot_middle")
    assert session.document.parts["left"].pivot is None


def test_lining_up_spacing_and_mirroring_are_one_click_each(window, qtbot):
    bench = face(window, "Arrange")
    session = window.session
    session.select(["ball", "left", "right"])
    QTest.mouseClick(button(bench, "Align high z"), LEFT)
    assert {round(float(box(window, i)[1][2]), 3) for i in ("ball", "left", "right")} == {40.0}
    session.put({"parts/ball/placement/position/x": 12.0})
    QTest.mouseClick(button(bench, "Space x"), LEFT)
    assert box(window, "ball")[0][0] - box(window, "left")[1][0] == pytest.approx(box(window, "right")[0][0] - box(window, "ball")[1][0])
    session.select(["left"])
    QTest.mouseClick(button(bench, "Mirror x"), LEFT)
    assert np.linalg.det(world_matrix(session.document, "left")[:3, :3]) < 0
    said = []
    session.trouble.connect(said.append)
    bench_words = session.document
    QTest.mouseClick(button(bench, "Space y"), LEFT)
    assert said and "three parts" in said[0] and session.document is bench_words


# copies


def test_a_ring_is_made_changed_and_edited_through_its_source(window, qtbot):
    session = window.session
    bench = face(window, "Copies")
    session.select(["left"])
    QTest.mouseClick(bench.buttons["ring"], LEFT)
    group = session.selection[0]
    assert session.document.parts[group].copies.kind == "ring" and bench.table.rowCount() == 1
    settle(qtbot, window)
    assert {i for i in window.picture.draft_parts if i.startswith(group)} == {
        f"{group}:{k}" for k in range(5)
    } and "left" not in window.picture.draft_parts
    page = window.details.pages["Prepare"].copies
    type_into(page.rows["count"].field, "12")
    settle(qtbot, window)
    assert sum(1 for i in window.picture.draft_parts if i.startswith(group)) == 12 and bench.table.item(0, 2).text() == "12"
    rebuilt = session.document
    session.put({"parts/left/edge_radius": 1.0})
    assert {session.resolved.parts[f"{group}:{k}"].edge_radius for k in range(12)} == {1.0}
    session.undo()
    assert session.document is rebuilt or session.document == rebuilt


def test_a_clicked_copy_means_its_rule_and_can_be_hidden_alone(window, qtbot):
    session = window.session
    session.set_stage("Prepare")
    session.select(["ball"])
    window.registry.run("copies_row")
    group = session.selection[0]
    session.put(
        {f"parts/{group}/copies/count": 3, f"parts/{group}/copies/step": (0.0, 60.0, 0.0), f"parts/{group}/placement/position": (0.0, -60.0, 0.0)}
    )
    session.select(())
    settle(qtbot, window)
    where = next(k for k, i in enumerate(window.picture.draft_parts) if i == f"{group}:0")
    rows, columns = np.nonzero(window.picture.draft.parts == where)
    h, w = window.picture.draft.parts.shape
    at = QPoint(int((columns.mean() + 0.5) * window.picture.width() / w), int((rows.mean() + 0.5) * window.picture.height() / h))
    hover(window.picture, at)
    assert window.picture._label[0] == "Ball"
    click(window, at)
    assert session.selection == (group,) and session.copy == f"{group}:0"
    page = window.details.pages["Prepare"].copies
    assert "Copy 1 of 3" in page.trouble.text()
    QTest.mouseClick(page.hide, LEFT)
    settle(qtbot, window)
    assert session.document.parts[group].copies.hidden == (0,) and f"{group}:0" not in window.picture.draft_parts
    window.registry.run("separate")
    assert session.document.parts[group].copies is None and len(session.document.parts[group].children) == 2


def test_in_surface_a_copy_is_dressed_through_its_source(window, qtbot):
    session = window.session
    session.set_stage("Prepare")
    session.select(["left"])
    window.registry.run("copies_row")
    session.set_stage("Surface")
    session.select(())
    settle(qtbot, window)
    click(window, point_of(window, "left"))
    assert session.selection == ("left",) and window.picture._outline is not None


def test_what_cannot_be_copied_is_told_and_the_rule_that_breaks_says_so(window, qtbot):
    session = window.session
    bench = face(window, "Copies")
    said = []
    session.trouble.connect(said.append)
    session.select(["left"])
    before = session.document
    QTest.mouseClick(bench.buttons["surface"], LEFT)
    assert len(said) == 1 and "lie on" in said[0] and session.document is before
    QTest.mouseClick(bench.buttons["path"], LEFT)  # without a path, one is made
    assert len(session.document.paths) == 1 and len(said) == 1
    session.undo()
    assert session.document is before
    session.select(["left", "ball"])
    QTest.mouseClick(bench.buttons["surface"], LEFT)
    group = session.selection[0]
    page = window.details.pages["Prepare"].copies
    type_into(page.rows["count"].field, "3e6")
    assert session.document.parts[group].copies.count == 30
    session.apply("Hid", edits.change_parts(session.document, ["ball"], visible=False))
    assert "no area" in page.trouble.text() and "no area" in bench.table.item(0, 4).text()


# paths


def test_a_path_is_drawn_by_clicks_told_pulled_and_copied_along(window, qtbot):
    session = window.session
    session.set_stage("Prepare")
    window.registry.run("draw_path")
    places = [(-120.0, -90.0), (0.0, -130.0), (110.0, -80.0)]
    for place in places:
        click(window, floor_point(window, *place))
    key(window, Qt.Key.Key_Return)
    (path,) = session.document.paths.values()
    np.testing.assert_allclose(np.array(path.points)[:, :2], places, atol=2.5)
    assert session.subject == f"paths/{path.id}" and window.details.page().length.text().endswith("mm")
    assert window.parts._others["set"][1].text == "Path"
    session.set_tool("path")
    start = window.picture.place_on_screen(np.array(path.points[1]))
    drag(window.picture, start, floor_point(window, 0.0, -60.0))
    moved = session.document.paths[path.id]
    assert moved.points[1][1] == pytest.approx(-60, abs=3) and moved.points[0] == path.points[0]
    session.set_tool("")
    session.select(["ball"])
    window.registry.run("copies_path")
    assert session.document.parts[session.selection[0]].copies.path == path.id
    session.select((), f"paths/{path.id}")
    said = []
    session.trouble.connect(said.append)
    window.registry.run("delete")
    assert said and "stands along this path" in said[0] and path.id in session.document.paths


def test_a_path_of_one_point_is_refused_and_one_closes_on_its_first(window, qtbot):
    session = window.session
    session.set_stage("Prepare")
    said = []
    session.trouble.connect(said.append)
    window.registry.run("draw_path")
    click(window, floor_point(window, -100.0, -100.0))
    key(window, Qt.Key.Key_Return)
    assert said == ["A path needs at least two points."] and not session.document.paths
    window.registry.run("draw_path")
    for place in ((-100.0, -100.0), (100.0, -100.0), (60.0, -160.0), (-100.0, -100.0)):
        click(window, floor_point(window, *place))
    (path,) = session.document.paths.values()
    assert path.closed and len(path.points) == 3 and session.tool == ""


# cutting


def test_faces_are_picked_outlined_and_taken_off(window, qtbot):
    session = window.session
    bench = face(window, "Cut")
    QTest.mouseClick(bench.pick, LEFT)
    front = window.picture.place_on_screen(np.array([-55.0, -15.0, 12.0]))
    click(window, front)
    assert session.picked[0] == "left" and len(session.picked[1]) == 1 and session.selection == ("left",)
    assert "1 face of Left box" in bench.words.text() and window.picture._outline is not None
    top = window.picture.place_on_screen(np.array([-55.0, 0.0, 30.0]))
    click(window, top)
    assert len(session.picked[1]) == 2
    click(window, top)
    assert len(session.picked[1]) == 1
    bench.grow.buttons["alike"].click()
    click(window, top)
    assert len(session.picked[1]) == 6
    said = []
    session.trouble.connect(said.append)
    QTest.mouseClick(bench.split, LEFT)
    assert said and "leave nothing" in said[0]
    QTest.mouseClick(bench.none, LEFT)
    bench.grow.buttons["one"].click()
    click(window, top)
    count = len(session.document.parts)
    QTest.mouseClick(bench.split, LEFT)
    made = session.selection[0]
    assert len(session.document.parts) == count + 1 and session.document.parts[made].name == "Left box faces"
    low, high = box(window, made)
    assert low[2] == high[2] == pytest.approx(30)
    session.undo()
    assert len(session.document.parts) == count


def test_a_box_picks_the_faces_it_holds_and_they_become_a_face_set(window, qtbot):
    session = window.session
    bench = face(window, "Cut")
    session.set_tool("faces")
    middle = window.picture.place_on_screen(np.array([-55.0, -5.0, 15.0]))
    drag(window.picture, middle - QPoint(80, 80), middle + QPoint(60, 60))
    assert session.picked[0] == "left" and 2 <= len(session.picked[1]) <= 3
    QTest.mouseClick(bench.dress, LEFT)
    assert session.face_set is not None and session.face_set.faces and len(session.document.parts["left"].face_sets) == 1


def test_splitting_by_plane_and_joining_are_one_step_each(window, qtbot):
    session = window.session
    bench = face(window, "Cut")
    session.select(["ball"])
    QTest.mouseClick(button(bench, "Cut z"), LEFT)
    assert len(session.selection) == 2
    low, high = box(window, session.selection[1])
    assert high[2] == pytest.approx(20, abs=0.01) and low[2] == pytest.approx(0, abs=0.1)
    QTest.mouseClick(button(bench, "Join"), LEFT)
    assert session.selection == ("ball",) and [p.name for p in session.document.parts.values()].count("Ball") == 1
    type_into(bench.angle, "60")
    session.select(["right"])
    QTest.mouseClick(button(bench, "Edges sharper than"), LEFT)
    assert len(session.selection) == 6


# choosing, measuring, the tree


def test_the_rule_counts_as_it_is_typed_and_takes_what_it_fits(window, qtbot):
    session = window.session
    bench = face(window, "Choose")
    QTest.keyClicks(bench.name, "box")
    qtbot.waitUntil(lambda: bench.count.text() == "2 parts of 3")
    QTest.mouseClick(bench.buttons["only"], LEFT)
    assert session.selection == ("left", "right")
    QTest.keyClicks(bench.low, "35")
    qtbot.waitUntil(lambda: bench.count.text().startswith("0 parts"))
    bench.clear()
    QTest.keyClicks(bench.low, "35")
    QTest.mouseClick(bench.buttons["add"], LEFT)
    assert session.selection == ("left", "right", "ball")
    bench.clear()
    QTest.keyClicks(bench.name, "left")
    QTest.mouseClick(bench.buttons["remove"], LEFT)
    assert session.selection == ("right", "ball")


def test_measured_distances_stay_and_a_click_copies_a_number(window, qtbot):
    session = window.session
    session.set_stage("Prepare")
    key(window, Qt.Key.Key_M)
    tool = window.picture.tools["measure"]
    assert session.tool == "measure"
    corners = [np.array([-70.0, -15.0, 30.0]), np.array([-40.0, -15.0, 30.0]), np.array([-40.0, -15.0, 0.0])]
    for corner, nudge in zip(corners, (QPoint(2, 2), QPoint(-2, 2), QPoint(-2, -2))):
        click(window, window.picture.place_on_screen(corner) + nudge)
    assert [r.kind for r in tool.readings] == ["distance", "angle"]
    assert tool.readings[0].numbers == ("30 mm", "x 30 mm", "y 0 mm", "z 0 mm") and tool.readings[1].numbers == ("90°",)
    window.picture.grab()
    spot, words = next((b, w) for b, w in tool._labels if w == "x 30 mm")
    click(window, spot.center().toPoint())
    assert QApplication.clipboard().text() == "30 mm" and words and len(tool.readings) == 2
    key(window, Qt.Key.Key_Escape)
    assert session.tool == "" and not tool.readings


def test_the_rim_of_a_cylinder_tells_its_radius(window, qtbot):
    window.registry.run("piece_cylinder")
    key(window, Qt.Key.Key_Return)
    made = named(window, "Cylinder")
    window.session.put({f"parts/{made}/set_piece/radius": 25.0, f"parts/{made}/placement/position": (0.0, -100.0, 0.0)})
    window.session.apply("Away", edits.delete_parts(window.session.document, ["ball"]))
    settle(qtbot, window)
    window.session.set_tool("measure")
    rim = window.picture.place_on_screen(np.array([0.0, -125.0, 100.0]))
    hover(window.picture, rim + QPoint(0, 2))
    assert window.picture._label == ("Middle of the circle", "r 25 mm")
    QTest.keyClick(window.picture, Qt.Key.Key_R)
    assert window.picture.tools["measure"].readings[0].numbers == ("r 25 mm", "⌀ 50 mm")


def test_parts_dragged_into_a_group_stay_where_they_stand(window, qtbot):
    session = window.session
    before = world_matrix(session.document, "ball")
    session.put({"parts/pair/placement/turn": (0.0, 0.0, 40.0)})
    tree = window.parts.tree
    mime = tree.mimeData([window.parts.item_of("ball")])
    assert mime.hasFormat(PARTS_MIME)
    drop(tree.viewport(), mime, tree.visualItemRect(window.parts.item_of("pair")).center())
    assert session.document.parts["ball"].parent == "pair" and session.document.parts["pair"].children[-1] == "ball"
    np.testing.assert_allclose(world_matrix(session.document, "ball"), before, atol=1e-9)
    window.parts.tree.expandAll()
    session.select(["pair"])
    window.registry.run("ungroup")
    assert set(session.document.roots) == {"left", "right", "ball"}
    np.testing.assert_allclose(world_matrix(session.document, "ball"), before, atol=1e-6)


def test_locked_parts_stay_and_say_so(window, qtbot):
    session = window.session
    session.select(["ball"])
    window.registry.run("lock")
    assert session.document.parts["ball"].locked
    said = []
    session.trouble.connect(said.append)
    window.parts.moves[0](["ball"], "pair", None)
    window.registry.run("split_loose")
    assert len(said) == 2 and all("locked" in s for s in said) and session.document.parts["ball"].parent is None


def test_ten_thousand_copies_are_seen_soon_and_the_hand_still_finds_them(window, qtbot):
    session = window.session
    session.set_stage("Prepare")
    window.registry.run("piece_floor")
    key(window, Qt.Key.Key_Return)
    session.select(["ball", named(window, "Floor")])
    window.registry.run("copies_surface")
    group = session.selection[0]
    session.put({f"parts/{group}/copies/count": 10_000})
    settle(qtbot, window)
    assert len(copies.with_copies(session.document).parts[group].children) == 10_001
    assert window.picture.seen_at(window.picture.rect().center()) is not None
    assert "10" in window.details.pages["Prepare"].count.text()


def test_alt_click_makes_a_piece_of_a_path_straight_and_bent_again(window, qtbot):
    from aulmo.document import edits
    from aulmo.document.records import GuidePath

    session = window.session
    points = ((-80.0, -60.0, 0.0), (-20.0, -90.0, 0.0), (40.0, -60.0, 0.0), (90.0, -90.0, 0.0))
    session.apply("Path", edits.put_path(session.document, GuidePath("p", "Lane", points=points)))
    session.set_stage("Prepare")
    session.select((), "paths/p")
    session.set_tool("path")
    at = window.picture.place_on_screen((10.0, -75.0, 0.0))
    QTest.mouseClick(window.picture, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.AltModifier, at)
    assert session.document.paths["p"].straights == (1,)
    QTest.mouseClick(window.picture, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.AltModifier, at)
    assert session.document.paths["p"].straights == ()
