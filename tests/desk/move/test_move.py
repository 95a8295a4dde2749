"""Move through the real window: keys, recording, lanes under the hand, motions, the camera's way, cuts, playing, a preview."""

import threading

import numpy as np
import pytest
from msgspec.structs import replace
from PySide6.QtCore import QModelIndex, QPoint, QPointF, Qt
from PySide6.QtGui import QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QPushButton

from aulmo import script
from aulmo.deliver.movie import read_movie
from aulmo.document import edits
from aulmo.document.properties import resolve
from aulmo.document.records import Camera, GuidePath, Shot
from aulmo.motion import keys, reel
from desk_tools import drag, film_bench, hover, key, pause, point_of, settle, type_into

LEFT, NONE = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
PLACE = "parts/ball/placement/position"


def lanes_of(window):
    return film_bench(window).lanes


def press(within, text: str) -> None:
    """A click on a button by its words."""
    QTest.mouseClick(next(b for b in within.findChildren(QPushButton) if b.text() == text), LEFT)


def times(window, address=PLACE):
    return [k.time for k in window.session.document.keys.get(address, ())]


def ring(window, title: str, time: float) -> QPoint:
    """Where a ring of a lane lies."""
    lanes = lanes_of(window)
    for lane, row in lanes.rows():
        if lane.title == title:
            for at, place in lanes.ring_places(lane, row):
                if abs(at - time) < 1e-3:
                    return place.toPoint()
    raise AssertionError(f"no ring of {title} at {time}")


def bar(window, title: str, k: int = 0):
    lanes = lanes_of(window)
    lane, row = next((lane, row) for lane, row in lanes.rows() if lane.title == title)
    return lanes.bars(lane, row)[k][1]


def at_time(window, time: float) -> int:
    return round(lanes_of(window).x_of(time))


def pull(window, start: QPoint, end: QPoint, modifiers=NONE) -> None:
    drag(lanes_of(window).viewport(), start, end, modifiers=modifiers)


def keyed_ball(window, *held) -> None:
    document = window.session.document
    made = keys.put_keys(document, PLACE, [keys.Key(float(t), (0.0, 0.0, float(z)), after="eased", before="eased") for t, z in held])
    window.session.history.apply("Keyed", made)


def test_recording_by_moving_a_part_sets_keys_where_the_time_stands(move, qtbot):
    session, bench = move.session, film_bench(move)
    session.select(["ball"])
    QTest.mouseClick(bench.record, LEFT)
    assert session.recording
    type_into(bench.time, "2")
    assert session.time == 2.0
    key(move, Qt.Key.Key_T)
    settle(qtbot, move)
    handles = move.picture.tool.handles()
    start = QPoint(*(round(float(v)) for v in 0.25 * handles.centre[:2] + 0.75 * handles.tips[2, :2]))
    assert (grip := handles.grip_at(start.x(), start.y())) is not None and (grip.kind, grip.axis) == ("move", 2)
    drag(move.picture, start, start + QPoint(0, -60))
    assert times(move) == [0.0, 2.0]
    high = resolve(session.document, {}, 2.0).parts["ball"].placement.position[2]
    assert high > 25 and resolve(session.document, {}, 0.0).parts["ball"].placement.position[2] == 20.0
    assert session.document.parts["ball"].placement.position[2] == 20.0  # what is stored stays


def test_a_field_held_by_keys_says_so_and_is_taken_back_without_recording(move):
    session, page = move.session, move.details.pages["Move"]
    keyed_ball(move, (0, 20), (2, 60))
    session.select(["ball"])
    row = next(b for b in page.bound if b.template.endswith("placement/position"))
    assert row.dot.mark == "keyed" and row.mark.state == "here"
    said = []
    session.hint.connect(said.append)
    session.set_time(1.0)
    assert row.mark.state == "held"
    type_into(row.fields[0], "33")
    assert session.resolved.parts["ball"].placement.position[0] == 33.0 and times(move) == [0.0, 2.0]
    assert any("taken back" in s for s in said) and "K keeps" in page.now.text()
    key(move, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert session.resolved.parts["ball"].placement.position[0] == 0.0 and times(move) == [0.0, 2.0]
    type_into(row.fields[0], "33")
    session.set_time(1.5)
    assert session.resolved.parts["ball"].placement.position[0] == 0.0


def test_k_keeps_what_was_changed_and_sets_and_removes(move):
    session, page = move.session, move.details.pages["Move"]
    keyed_ball(move, (0, 20), (2, 60))
    session.select(["ball"])
    session.set_time(1.0)
    row = next(b for b in page.bound if b.template.endswith("placement/position"))
    type_into(row.fields[0], "33")
    key(move, Qt.Key.Key_K)
    assert times(move) == [0.0, 1.0, 2.0] and session.document.keys[PLACE][1].value[0] == 33.0 and not session.loose
    session.set_time(3.0)
    key(move, Qt.Key.Key_K)
    assert times(move) == [0.0, 1.0, 2.0, 3.0] and "parts/ball/placement/turn" in session.document.keys
    key(move, Qt.Key.Key_K)
    assert times(move) == [0.0, 1.0, 2.0]


def test_a_mark_after_any_field_sets_a_key_and_takes_it_away(move):
    session = move.session
    session.select((), "cameras/c")
    row = next(b for b in move.details.pages["Move"].bound if b.template == "cameras/{looked}/focal_length_mm")
    session.set_time(1.0)
    QTest.mouseClick(row.mark, LEFT)
    assert times(move, "cameras/c/focal_length_mm") == [1.0] and row.mark.state == "here"
    QTest.mouseClick(row.mark, LEFT)
    assert times(move, "cameras/c/focal_length_mm") == []
    session.set_stage("Light")
    light = move.details.pages["Light"]
    assert not any(b.mark is not None and not b.mark.isHidden() for b in light.bound)  # elsewhere only where keys hold it
    session.history.apply("Key", keys.add_key(session.document, "environment/exposure", 0.0, 0.0))
    row = next(b for b in light.bound if b.template == "environment/exposure")
    assert row.mark is not None and not row.mark.isHidden()


def test_rings_are_pulled_copied_chosen_by_a_box_and_deleted(move):
    session = move.session
    keyed_ball(move, (0, 20), (1, 60), (2, 20))
    pull(move, ring(move, "Ball", 1.0), QPoint(at_time(move, 1.5), ring(move, "Ball", 1.0).y()))
    assert times(move) == [0.0, 1.5, 2.0]
    pull(move, ring(move, "Ball", 1.5), QPoint(at_time(move, 3.0), ring(move, "Ball", 1.5).y()), Qt.KeyboardModifier.AltModifier)
    assert times(move) == [0.0, 1.5, 2.0, 3.0]
    session.undo()
    assert times(move) == [0.0, 1.5, 2.0]
    row = next(row for lane, row in lanes_of(move).rows() if lane.title == "Ball")
    pull(move, QPoint(at_time(move, 0.9), round(row.top()) + 1), QPoint(at_time(move, 2.4), round(row.bottom()) - 1))
    assert sorted(t for _, t in move.built["Move"].commands.film.chosen) == [1.5, 2.0]
    move.registry.run("delete")
    assert times(move) == [0.0] and "ball" in session.document.parts


def test_a_pull_between_two_rings_bends_the_way(move):
    keyed_ball(move, (0, 20), (3, 60))
    lanes = lanes_of(move)
    lane, row = next((lane, row) for lane, row in lanes.rows() if lane.title == "Ball")
    one, other = ring(move, "Ball", 0.0), ring(move, "Ball", 3.0)
    middle = QPoint((one.x() + other.x()) // 2, (one.y() + other.y()) // 2)
    assert lanes.hit(QPointF(middle)).kind == "gap"
    pull(move, middle, middle + QPoint(0, 8))
    held = move.session.document.keys[PLACE][0]
    assert held.after == "bent"
    assert resolve(move.session.document, {}, 1.5).parts["ball"].placement.position[2] < 36


def test_scrubbing_stepping_and_the_next_key(move):
    session, lanes = move.session, lanes_of(move)
    keyed_ball(move, (0, 20), (1, 60), (3, 20))
    drag(lanes.viewport(), QPoint(at_time(move, 0.5), 8), QPoint(at_time(move, 2.0), 8))
    assert session.time == pytest.approx(2.0)
    key(move, Qt.Key.Key_Period)
    assert session.time == 3.0
    key(move, Qt.Key.Key_Comma)
    assert session.time == 1.0
    lanes.setFocus()
    QTest.keyClick(lanes, Qt.Key.Key_Right)
    assert session.time == pytest.approx(1.1)


def test_a_motion_is_added_pulled_sized_and_told_in_words(move):
    session, bench = move.session, film_bench(move)
    session.select(["ball"])
    action = next(a for a in bench.motion_menu().actions() if a.text() == "Spin")
    action.trigger()
    (motion,) = session.document.motions.values()
    assert motion.wears == ("parts/ball",) and session.subject == f"motions/{motion.id}"
    page = move.details.page()
    assert page.words.text() == "Turns 360° about its own z"
    assert not page.rows["degrees"].widget.isHidden() and page.rows["radius_mm"].widget.isHidden()
    where = bar(move, "Ball")
    pull(move, where.center().toPoint(), where.center().toPoint() + QPoint(at_time(move, 1.0) - at_time(move, 0.0), 0))
    assert session.document.motions[motion.id].start == pytest.approx(1.0)
    edge = QPoint(round(bar(move, "Ball").right()), round(bar(move, "Ball").center().y()))
    pull(move, edge, QPoint(at_time(move, 4.0), edge.y()))
    assert session.document.motions[motion.id].length == pytest.approx(3.0)
    type_into(page.rows["degrees"].field, "90")
    assert resolve(session.document, {}, 4.0).parts["ball"].placement.turn[2] == pytest.approx(90.0)
    assert page.start.field.value() == pytest.approx(1.0)
    move.registry.run("delete")
    assert not session.document.motions


def test_one_motion_worn_by_two_says_so_and_changes_both(move):
    session, film = move.session, move.built["Move"].commands.film
    session.select(["left", "right"])
    motion = film.add_motion("lift")
    page = move.details.page()
    assert set(session.document.motions[motion].wears) == {"parts/left", "parts/right"} and "changes all 2" in page.who.text()
    type_into(page.rows["distance_mm"].field, "40")
    seen = resolve(session.document, {}, 4.0)
    assert [seen.parts[i].placement.position[2] for i in ("left", "right")] == pytest.approx([55.0, 55.0])
    assert lanes_of(move).words(lanes_of(move).hit(bar(move, "Left box").center())).endswith("a change changes all")


def test_faults_are_told_in_one_sentence_and_change_nothing(move):
    session = move.session
    said = []
    session.trouble.connect(said.append)
    session.select(["ball"])
    before = session.document
    film = move.built["Move"].commands.film
    film.add_motion("follow")
    assert session.tool == "leader" and session.document is before, "without a path a part is asked for"
    session.set_tool("")
    session.select((), "cameras/c")
    film.add_motion("fly")
    assert "two saved cameras" in said[-1]
    session.select(["ball"])
    motion = film.add_motion("lift")
    page = move.details.page()
    type_into(page.length.field, "0")
    assert "Length" in said[-1] or page.length.field.property("wrong") or session.document.motions[motion].length > 0
    assert session.document.motions[motion].length > 0
    type_into(move.details.pages["Move"].rate, "0")
    assert session.document.frames_per_second == 10.0


def test_the_cameras_way_is_seen_from_outside_and_pulled(move, qtbot):
    session = move.session
    document = session.document
    for time, place in ((0.0, (-300.0, -420.0, 90.0)), (2.0, (0.0, -480.0, 90.0)), (4.0, (300.0, -420.0, 90.0))):
        document = keys.set_value(document, "cameras/c/position", time, place)
    session.history.apply("Camera", document)
    session.select((), "cameras/c")
    marks = next(o for o in move.picture.overlays if type(o).__name__ == "WayMarks")
    assert not marks.shown()  # through its own eye there is nothing to see
    move.registry.run("outside")
    settle(qtbot, move)
    assert marks.shown() and len(marks.ways()[0].rings) == 3
    place = move.picture.place_on_screen(marks.ways()[0].rings[1].place)
    hover(move.picture, place)
    assert "mm/s" in move.picture._label[1] or "/s" in move.picture._label[1]
    before = np.array(session.document.keys["cameras/c/position"][1].value)
    drag(move.picture, place, place + QPoint(0, -40))
    after = np.array(session.document.keys["cameras/c/position"][1].value)
    assert after[2] > before[2] + 5 and session.time == 2.0
    assert move.details.page().title.text() == "Position of Camera 1"
    # between two rings the way itself is pulled
    one = marks.ways()[0]
    k = len(one.times) // 4
    at = move.picture.place_on_screen(one.points[k])
    drag(move.picture, at, at + QPoint(0, -30))
    assert session.document.keys["cameras/c/position"][0].via is not None
    beside = move.built["Move"].commands.beside
    assert beside.isVisible()
    QTest.mouseClick(beside, LEFT)
    assert session.free_view is None and not beside.isVisible()


def two_shots(move) -> None:
    session = move.session
    side = Camera("side", "Side", position=(300.0, -100.0, 60.0), target=(0.0, 0.0, 20.0))
    document = edits.put_shot(edits.put_camera(session.document, side), Shot("t", "Side view", "side"))
    session.history.apply("Second", document)


def test_cuts_are_made_moved_and_dissolved(move):
    two_shots(move)
    session, lanes = move.session, lanes_of(move)
    session.set_time(2.0)
    menu = lanes.menu(lanes.hit(QPointF(at_time(move, 2.0), 36)), 2.0)
    next(a for a in menu.actions() if a.text() == "Cut to Side view here").trigger()
    assert [(c.shot, c.start) for c in session.document.film.reel] == [("s", 0.0), ("t", 2.0)]
    pull(move, QPoint(at_time(move, 2.0), 36), QPoint(at_time(move, 3.0), 36))
    assert session.document.film.reel[1].start == pytest.approx(3.0)
    page = move.details.page()
    assert page.title.text() == "Side view" and page.words.text() == "Seen from 3 s to 4 s"
    type_into(page.dissolve, "0.5")
    assert session.document.film.reel[1].dissolve == 0.5
    move.registry.run("delete")
    assert [c.shot for c in session.document.film.reel] == ["s"]


def test_a_dissolve_is_seen_while_scrubbing(move, qtbot):
    two_shots(move)
    session = move.session
    document, _ = reel.put_cut(session.document, "s", 0.0)
    document, _ = reel.put_cut(document, "t", 2.0, dissolve=1.0)
    session.history.apply("Cuts", document)
    over = next(o for o in move.picture.overlays if type(o).__name__ == "Dissolve")
    session.set_time(1.0)
    film_bench(move).desk.see_reel()
    assert session.shot.id == "s" and not over.shown()
    session.set_time(2.3)
    film_bench(move).desk.see_reel()
    assert session.shot.id == "t"
    qtbot.waitUntil(lambda: over.shown() and move.picture.state is not None, timeout=20000)
    assert over.going.shot.id == "s" and over.going.share == pytest.approx(0.7)
    settle(qtbot, move)
    both = np.array(move.picture.grab().toImage().convertToFormat(QImage.Format.Format_RGB32).bits()).astype(float)
    session.set_time(3.5)
    assert not over.shown()
    settle(qtbot, move)
    alone = np.array(move.picture.grab().toImage().convertToFormat(QImage.Format.Format_RGB32).bits()).astype(float)
    assert np.abs(both - alone).mean() > 2  # the going shot is there, and gone


def test_it_plays_at_its_pace_shows_what_the_reel_says_and_stops_on_a_frame(move, qtbot):
    two_shots(move)
    session = move.session
    film = move.built["Move"].commands.film
    session.set_time(2.0)
    film.cut_here("t")
    session.set_time(1.8)
    key(move, Qt.Key.Key_Space)
    player = move.built["Move"].commands.player
    assert player.playing
    qtbot.waitUntil(lambda: session.shot.id == "t", timeout=8000)
    pause(qtbot, 0.4)
    key(move, Qt.Key.Key_Space)
    assert not player.playing and not session.playing
    assert 2.0 <= session.time <= 4.0 and session.time * 10 == pytest.approx(round(session.time * 10))
    settle(qtbot, move)


def test_the_play_range_is_pulled_and_typed(move):
    session, lanes, page = move.session, lanes_of(move), move.details.pages["Move"]
    pull(move, QPoint(at_time(move, 4.0) - 2, 19), QPoint(at_time(move, 3.0), 19))
    assert session.document.film.play_end == pytest.approx(3.0)
    type_into(page.ends, "2")
    assert session.document.film.end == 2.0 and session.document.film.play_end == 2.0
    said = []
    session.trouble.connect(said.append)
    type_into(page.ends, "-1")
    assert said and session.document.film.end == 2.0
    assert lanes.x_of(2.0) > lanes.x_of(0.0)


def test_a_key_in_details(move):
    session, film = move.session, move.built["Move"].commands.film
    keyed_ball(move, (0, 20), (2, 60), (4, 20))
    QTest.mouseClick(lanes_of(move).viewport(), LEFT, NONE, ring(move, "Ball", 2.0))
    page = move.details.page()
    assert page.which.text() == "Key 2 of 3 at 2 s"
    type_into(page.rest, "0.5")
    type_into(page.values[2], "80")
    page.after.chosen.emit("held")
    held = session.document.keys[PLACE][1]
    assert (held.rest, held.value, held.after) == (0.5, (0.0, 0.0, 80.0), "held")
    type_into(page.time, "3")
    assert times(move) == [0.0, 3.0, 4.0] and film.chosen == ((PLACE, 3.0),)
    film.choose([(PLACE, t) for t in times(move)])
    film.arrange("reverse")
    assert times(move) == [0.0, 1.0, 4.0]


def test_a_camera_stays_on_a_part_that_moves(move):
    session = move.session
    session.select((), "cameras/c")
    page = move.details.pages["Move"]
    page.looks.chosen.emit("pair")
    page.sharp.chosen.emit("pair")
    assert session.document.cameras["c"].looks_at == "pair"
    session.select(["pair"])
    move.built["Move"].commands.film.add_motion("slide", start=0.0, distance_mm=50.0)
    assert resolve(session.document, {}, 4.0).cameras["c"].target[0] == pytest.approx(50.0, abs=1e-4)


def test_lanes_fold_are_found_and_gathered(move):
    session, bench, film = move.session, film_bench(move), move.built["Move"].commands.film
    keyed_ball(move, (0, 20), (2, 60))
    session.history.apply("Key", keys.add_key(session.document, "parts/ball/opacity", 1.0, 0.5))
    session.history.apply("Key", keys.add_key(session.document, "floor/height", 1.0, 0.0))
    lanes = lanes_of(move)
    row = next(row for lane, row in lanes.rows() if lane.title == "Ball")
    QTest.mouseClick(lanes.viewport(), LEFT, NONE, QPoint(10, round(row.center().y())))
    assert [lane.title for lane in film.lanes()] == ["Ball", "Position", "Opacity", "The floor"]
    bench.finder.setText("floor")
    assert [lane.title for lane in film.lanes()] == ["The floor"]
    bench.finder.setText("")
    session.select(["ball"])
    bench.only.click()
    assert [lane.title for lane in film.lanes()] == ["Ball", "Position", "Opacity"]
    bench.only.click()
    move.registry.run("group_lanes")
    assert film.lanes()[0].title == "Lanes" and session.document.film.groups[0].lanes == ("parts/ball",)


def test_a_preview_is_drawn_and_watched(move, qtbot, monkeypatch, tmp_path):
    from aulmo.desk.move import preview

    monkeypatch.setattr(preview, "FOLDER", tmp_path / "cache")
    keyed_ball(move, (0, 20), (1, 60))
    session = move.session
    session.put({"film/play_end": 0.6})
    made = move.built["Move"].commands.preview
    QTest.mouseClick(film_bench(move).preview, LEFT)
    qtbot.waitUntil(lambda: made.watch is not None, timeout=60000)
    pictures = read_movie(made.watch.path)
    assert len(pictures) == 6 and np.abs(pictures[0].astype(int) - pictures[5]).max() > 30
    qtbot.waitUntil(lambda: made.watch.shown > 2, timeout=5000)
    made.watch.keep_as(tmp_path / "kept.mp4")
    assert len(read_movie(tmp_path / "kept.mp4")) == 6
    made.watch.close()


def test_a_film_as_a_file_is_a_job_of_the_list(move, qtbot, tmp_path):
    keyed_ball(move, (0, 20), (1, 60))
    session = move.session
    session.put({"film/end": 0.3, "film/play_end": 0.3})
    session.put({"shots/s/width": 48, "shots/s/height": 36}, told="Small")
    session.apply("Few", replace(session.document, render=replace(session.document.render, stop="samples", samples=2)))
    commands = move.built["Move"].commands
    assert commands.write_film(tmp_path / "a.mov") is None and "should end in" in move.hint_line.text.text()
    job = commands.write_film(tmp_path / "a.gif")
    qtbot.waitUntil(lambda: job.outcome == "done", timeout=90000)
    assert (tmp_path / "a.gif").stat().st_size > 100 and not (tmp_path / "a.gif.frames").exists()
    session.set_stage("Render")
    assert [r.job.name for r in move.bench.faces["Render"].rows] == [job.name]


def test_a_flight_takes_the_views_that_are_chosen_in_their_order(move):
    two_shots(move)
    session = move.session
    session.select((), "cameras/c")
    made = film_bench(move).desk.add_motion("fly")
    session.select((), f"motions/{made}")
    page = move.details.page()
    assert page.views.isVisible() and page.views.ids() == ("c", "side")
    session.set_view(replace(session.camera, position=(0.0, -500.0, 200.0)))
    press(page.views, "Add what is seen")
    added = session.document.motions[made].cameras[-1]
    assert len(page.views.ids()) == 3 and session.document.cameras[added].position == (0.0, -500.0, 200.0)
    page.views.items.setCurrentRow(0)
    press(page.views, "Take out")
    assert session.document.motions[made].cameras == ("side", added)
    page.views.more.setCurrentIndex(page.views.more.findData("c"))
    page.views.more.chosen.emit("c")
    assert session.document.motions[made].cameras == ("side", added, "c")
    page.views.items.model().moveRow(QModelIndex(), 2, QModelIndex(), 0)
    assert session.document.motions[made].cameras == ("c", "side", added)
    session.undo()
    assert page.views.ids() == ("side", added, "c")


def test_rolling_is_seen_roughly_at_once_and_rightly_soon_after(move, qtbot, monkeypatch):
    from aulmo.desk.shell import looking

    looked, really = threading.Event(), looking.settle
    monkeypatch.setattr(looking, "settle", lambda document: looked.wait(20.0) and really(document))  # not before it was looked at
    session = move.session
    document = session.document
    path = GuidePath("way", "Way", ((0.0, 0.0, 0.0), (300.0, 80.0, 0.0), (700.0, -90.0, 0.0), (900.0, 0.0, 0.0)))
    document = replace(document, paths={"way": path})
    document, _ = script.add_motion(document, "ball", "follow", length=4.0, path="way")
    document, _ = script.add_motion(document, "ball", "roll", length=4.0, radius_mm=10.0, axis=(0.0, 1.0, 0.0))
    right = resolve(document, {}, 3.0).parts["ball"].placement.turn
    again = replace(document, motions=dict(document.motions))  # nothing is known of it
    session.history.apply("Rolling", again)
    session.set_time(3.0)
    seen = session.resolved.parts["ball"].placement.turn
    looked.set()
    qtbot.waitUntil(lambda: session._settling is None, timeout=20000)
    assert session.resolved.parts["ball"].placement.turn == right
    assert seen != right and np.allclose(seen, right, atol=8.0)


def test_a_cart_along_a_path_with_rolling_wheels_is_made_by_clicks(move):
    session, film = move.session, move.built["Move"].commands.film
    path = GuidePath("p", "Lane", points=((-100.0, 0.0, 15.0), (0.0, 40.0, 15.0), (100.0, 0.0, 15.0)))
    session.history.apply("Path", edits.put_path(session.document, path))
    session.select(["pair"])
    follow = film.add_motion("follow")
    assert session.document.motions[follow].path == "p"
    session.select(["left"])
    rolls = film.add_motion("roll")
    roll = session.document.motions[rolls]
    assert roll.radius_mm == pytest.approx(15.0) and (roll.start, roll.length) == (0.0, 4.0)
    turned = [resolve(session.document, {}, t).parts["left"].placement.turn for t in (0.0, 1.3)]
    assert np.abs(np.subtract(*turned)).max() > 5
    QApplication.processEvents()


def test_a_motion_turns_about_a_circle_that_is_clicked(move, qtbot):
    session, film = move.session, move.built["Move"].commands.film
    session.select(["left"])
    motion = film.add_motion("spin")
    QTest.mouseClick(move.details.page().pick, LEFT)
    assert session.tool == "motion axis"
    settle(qtbot, move)
    said = []
    session.hint.connect(said.append)
    QTest.mouseClick(move.picture, LEFT, NONE, point_of(move, "right"))
    assert "flat" in said[-1] and session.tool == "motion axis"
    QTest.mouseClick(move.picture, LEFT, NONE, point_of(move, "ball"))
    made = session.document.motions[motion]
    assert session.tool == "" and made.axis_of == "own"
    assert made.centre == pytest.approx((55.0, 0.0, 5.0), abs=0.5)  # the ball's middle, as the left box has it


def test_a_way_is_driven_by_hand_and_kept(move, qtbot):
    session, film = move.session, move.built["Move"].commands.film
    session.select(["pair"])
    move.registry.run("drive")
    tool = move.picture.tool
    tool._timer.stop()  # the test keeps the pace
    QTest.keyPress(move.picture, Qt.Key.Key_Up)
    for _ in range(60):
        tool.go()
    QTest.keyPress(move.picture, Qt.Key.Key_Left)
    for _ in range(60):
        tool.go()
    QTest.keyRelease(move.picture, Qt.Key.Key_Left)
    QTest.keyRelease(move.picture, Qt.Key.Key_Up)
    driven = list(tool.places)
    QTest.keyClick(move.picture, Qt.Key.Key_Return)
    (motion,) = session.document.motions.values()
    path = session.document.paths[motion.path]
    assert session.tool == "" and motion.kind == "follow" and len(path.points) > 3 and len(motion.pace) > 3
    assert motion.length == pytest.approx(2.4) and path.points[-1][1] > path.points[0][1] + 5  # it bent to the left
    # where it was driven at a time is where it is in the film
    for k in (30, 90, 119):
        mover = resolve(session.document, {}, k / 50)
        from aulmo.document.placement import world_matrix

        matrix = world_matrix(mover, "pair")
        rear = matrix[:3, :3] @ np.array(motion.centre) + matrix[:3, 3]
        assert rear[:2] == pytest.approx(driven[k], abs=0.05 * tool.base)
    assert film.lanes()[0].note == "follow a path"


def test_numbered_pictures_dropped_on_a_part_move_with_the_film(move, qtbot, tmp_path):
    from PIL import Image

    from aulmo.surface.picture_set import numbered

    session = move.session
    for k in range(5):
        Image.new("RGB", (16, 8), (40 + 50 * k,) * 3).save(tmp_path / f"screen{k:03d}.png")
    paths = sorted(tmp_path.glob("*.png"))
    assert numbered(paths) == paths and numbered([*paths, tmp_path / "other.png"]) == []
    session.set_stage("Surface")
    drops = next(t for t in move.picture.takers if type(t).__name__ == "PictureDrops")
    drops.look_at([tmp_path], ["parts/ball"], QPoint(100, 100))
    qtbot.waitUntil(lambda: drops.card.isVisible(), timeout=20000)
    assert "5 pictures" in drops.card.found[0].note or drops.card.found[0].file.endswith("4 more")
    drops.card.lay()
    session.set_stage("Move")
    page = move.details.pages["Move"]
    assert not page.moving.isHidden()
    type_into(page.runs[0], "1")
    page.then.chosen.emit("hold")
    (use,) = session.document.film.footage.values()
    assert (use.start, use.ends) == (1.0, "hold")
    worn = resolve(session.document, {}, 1.25).materials[session.document.parts["ball"].material]
    assert any(n.image and n.image.endswith("#2.png") for n in worn.nodes)
