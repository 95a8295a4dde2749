"""Fewer steps in Move: the view as a key, keys by keys, times as they are typed, followers by a click, a pace that is typed."""

import numpy as np
import pytest
from msgspec.structs import replace
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QInputDialog

from aulmo.document.properties import resolve
from aulmo.motion import keys
from desk_tools import drag, film_bench, hover, point_of, settle, type_into

PLACE = "parts/ball/placement/position"
LEFT, RIGHT, NONE = Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton, Qt.KeyboardModifier.NoModifier
VIEW = ("position", "target", "focal_length_mm")


def times(window, address=PLACE):
    return [k.time for k in window.session.document.keys.get(address, ())]


def camera_keys(window):
    return {f: [k.time for k in window.session.document.keys.get(f"cameras/c/{f}", ())] for f in VIEW}


def test_turning_the_view_while_recording_is_a_key_of_place_aim_and_lens(move, qtbot):
    session, picture = move.session, move.picture
    QTest.mouseClick(film_bench(move).record, LEFT)
    session.set_time(2.0)
    before = session.camera
    drag(picture, QPoint(300, 200), QPoint(380, 200), RIGHT)
    assert session.free_view is None and all(2.0 in held for held in camera_keys(move).values())
    assert camera_keys(move)["position"] == [0.0, 2.0], "it rests until the hand was there"
    session.set_time(0.0)
    assert np.allclose(session.camera.position, before.position)
    session.set_time(2.0)
    assert not np.allclose(session.camera.position, before.position)
    session.undo()
    assert not any(camera_keys(move).values()), "one movement is one step"


def test_k_takes_a_free_view_as_it_is(move):
    session = move.session
    session.set_time(1.0)
    drag(move.picture, QPoint(300, 200), QPoint(420, 230), RIGHT)
    view = session.free_view
    assert view is not None
    QTest.keyClick(move.picture, Qt.Key.Key_K)
    assert session.free_view is None and all(held == [1.0] for held in camera_keys(move).values())
    assert np.allclose(session.camera.position, view.position) and np.allclose(session.camera.target, view.target)


def test_a_thing_recorded_later_does_not_creep_from_the_beginning(move, qtbot):
    session = move.session
    session.set_time(2.0)
    QTest.mouseClick(film_bench(move).record, LEFT)
    session.set_time(3.0)
    session.put({PLACE: (30.0, 0.0, 20.0)})
    assert times(move) == [2.0, 3.0]
    assert resolve(session.document, {}, 1.9).parts["ball"].placement.position == (0.0, 0.0, 20.0)
    session.set_time(3.5)
    session.put({"parts/left/placement/position": (-80.0, 0.0, 15.0)})
    assert times(move, "parts/left/placement/position") == [3.0, 3.5], "it rests until the last thing was moved"


def test_keys_are_copied_cut_and_pasted_by_keys_and_no_material_is(move):
    session, film = move.session, move.built["Move"].commands.film
    for time, x in ((0.0, 0.0), (1.0, 40.0)):
        session.apply("Key", keys.set_value(session.document, PLACE, time, (x, 0.0, 20.0)))
    film.choose([(PLACE, 0.0), (PLACE, 1.0)])
    move.registry.run("copy")
    assert session.copied_material is None
    session.set_time(2.0)
    film.choose([(PLACE, 0.0)])
    move.registry.run("paste")
    assert times(move) == [0.0, 1.0, 2.0, 3.0]
    session.select(["left"])
    session.set_time(0.5)
    move.registry.run("paste")
    assert times(move, "parts/left/placement/position") == [0.5, 1.5] and session.document.parts["left"].material == "b"
    film.choose([(PLACE, 2.0), (PLACE, 3.0)])
    move.registry.run("cut")
    assert times(move) == [0.0, 1.0]
    session.set_time(1.0)
    film.choose([(PLACE, 1.0)])
    move.registry.run("paste")
    assert times(move) == [0.0, 1.0, 2.0]


def test_chosen_keys_are_spaced_given_one_length_and_shifted(move, monkeypatch):
    session, film = move.session, move.built["Move"].commands.film
    for time in (0.0, 0.2, 2.0):
        session.apply("Key", keys.set_value(session.document, PLACE, time, (time, 0.0, 20.0)))
    film.choose([(PLACE, t) for t in (0.0, 0.2, 2.0)])
    move.registry.run("keys_space")
    assert times(move) == [0.0, 1.0, 2.0]
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("40 f", True))
    move.registry.run("keys_length")
    assert times(move) == [0.0, 2.0, 4.0]
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("0:05", True))
    move.registry.run("keys_shift")
    assert times(move) == [0.5, 2.5, 4.5]


@pytest.mark.parametrize(("text", "seconds"), [("1.5", 1.5), ("20 f", 2.0), ("1:05", 1.5), ("0:03:02", 3.2)])
def test_the_time_field_takes_seconds_frames_and_timecode(move, text, seconds):
    type_into(film_bench(move).time, text)
    assert move.session.time == pytest.approx(seconds)


def test_without_a_path_a_click_says_what_is_followed(move, qtbot):
    session, film = move.session, move.built["Move"].commands.film
    session.select(["left"])
    film.add_motion("follow")
    assert session.tool == "leader"
    settle(qtbot, move)
    at = point_of(move, "ball")
    hover(move.picture, at)
    assert move.picture._label == ("Follows", "Ball")
    QTest.mouseClick(move.picture, LEFT, NONE, at)
    motion = film.motion
    assert session.tool == "" and motion.kind == "follow" and motion.leader == "ball" and motion.wears == ("parts/left",)
    session.select(["ball"])
    film.add_motion("slide", axis="x", distance_mm=60.0, start=0.0, length=2.0)
    session.set_time(2.0)
    settle(qtbot, move)
    assert resolve(session.document, {}, 2.0).parts["left"].placement.position[0] == pytest.approx(5.0, abs=1e-6)


def test_sixty_kilometres_an_hour_can_be_typed(move):
    session, film = move.session, move.built["Move"].commands.film
    session.select(["ball"])
    motion = film.add_motion("slide", axis="x", distance_mm=50000.0)
    page = move.details.page()
    type_into(page.pace, "60 km/h")
    assert session.document.motions[motion].length == pytest.approx(3.0, abs=1e-4) and page.pace.text() == "60 km/h"
    said = []
    session.trouble.connect(said.append)
    type_into(page.pace, "fast")
    assert "no pace" in said[-1] and session.document.motions[motion].length == pytest.approx(3.0, abs=1e-4)


def test_a_wheels_page_says_what_it_rolls_on(move):
    session, film = move.session, move.built["Move"].commands.film
    session.select(["ball"])
    motion = film.add_motion("roll", radius_mm=20.0)
    page = move.details.page()
    assert page.ground.currentText() == "By itself: what stands still"
    session.select(["left"])
    film.add_motion("slide", axis="x", distance_mm=60.0)
    session.select((), f"motions/{motion}")
    page.ground.chosen.emit("left")
    assert session.document.motions[motion].ground == "left"


def test_ghosts_and_speed_are_drawn_and_blur_is_told_before_it_is_traced(move, qtbot):
    session, picture = move.session, move.picture
    for time, x in ((0.0, -60.0), (1.0, 60.0), (4.0, 80.0)):
        session.apply("Key", keys.set_value(session.document, PLACE, time, (x, -40.0, 20.0)))
    session.select(["ball"])
    session.set_time(0.5)
    settle(qtbot, move)
    ways = next(o for o in picture.overlays if type(o).__name__ == "WayMarks")
    (one,) = ways.ways()
    assert one.pace.max() == pytest.approx(1.0) and one.pace[5] > 4 * one.pace[25], "quick first, slow then"
    before, after = ways._ghost("parts/ball", 0.0), ways._ghost("parts/ball", 1.0)
    assert before.boundingRect().center().x() < after.boundingRect().center().x() - 20
    assert picture.grab() is not None
    camera = session.document.cameras["c"]
    session.apply("Blur", replace(session.document, cameras={"c": replace(camera, motion_blur=True, shutter_angle=180.0)}))
    address = ways.at(*_middle_of(picture, one))
    words = ways.words(address)[1] if address.startswith("ways/") else ways._too_fast(one, 0.5)
    assert "blurs" in words and "px" in words
    session.set_stage("Frame")
    assert move.details.pages["Frame"].blurred.text().startswith("Ball blurs over")


def _middle_of(picture, one):
    x, y, _ = picture.places_on_screen(one.points)[5]
    return float(x), float(y)


def test_a_pace_is_proposed_from_what_each_key_shows(move, qtbot):
    session = move.session
    near, wide = ((0.0, -90.0, 30.0), (0.0, 0.0, 22.0)), ((0.0, -420.0, 90.0), (0.0, 0.0, 22.0))
    for time, (place, aim) in ((0.0, near), (1.0, ((1.0, -90.0, 30.0), (0.0, 0.0, 22.0))), (2.0, wide)):
        document = keys.set_value(session.document, "cameras/c/position", time, place)
        session.apply("Key", keys.set_value(document, "cameras/c/target", time, aim))
    move.registry.run("pace")
    qtbot.waitUntil(lambda: any(k.rest for k in session.document.keys["cameras/c/position"]), timeout=20000)
    held = session.document.keys["cameras/c/position"]
    assert [k.value for k in held] == [near[0], (1.0, -90.0, 30.0), wide[0]]
    assert held[1].rest < held[0].rest and held[2].rest > held[1].rest, "what shows nothing new rests least, two boxes are new at last"
    first, second = held[1].time - held[0].time - held[0].rest, held[2].time - held[1].time - held[1].rest
    assert 0 < first < second, "the longer way takes longer"
    assert [k.time for k in session.document.keys["cameras/c/target"]] == [k.time for k in held]
    session.undo()
    assert [k.time for k in session.document.keys["cameras/c/position"]] == [0.0, 1.0, 2.0]
