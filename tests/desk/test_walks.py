"""The walks of the manual's pages, each from its first click to what the artist has then, with its deeds counted."""

import re

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QPoint, Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from aulmo.desk.shelf.keep import TAGS, AboutBox
from aulmo.desk.shelf.taker import mime_of
from aulmo.desk.widgets.painting import image_of
from aulmo.document.finish_records import Finish, Grade, Layer
from aulmo.document.project_file import load
from aulmo.document.records import Environment
from aulmo.finish.edits import put_finish
from conftest import ROOT
from desk_tools import answering, drag, drop, file_mime, point_of, settle, type_into
from rooms import room
from shapes import to_show

LEFT, RIGHT, NONE = Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton, Qt.KeyboardModifier.NoModifier


class Hand:
    """What the artist does, counted: a command from a menu, a click, a drag, a key, words that are typed."""

    def __init__(self, window) -> None:
        self.window, self.deeds = window, 0

    def run(self, command: str) -> None:
        self.deeds += 1
        assert self.window.registry.actions[command].isEnabled(), command
        self.window.registry.actions[command].trigger()

    def click(self, where, at: QPoint | None = None) -> None:
        self.deeds += 1
        QTest.mouseClick(where, LEFT, NONE, at if at is not None else where.rect().center())

    def key(self, where, key: Qt.Key) -> None:
        self.deeds += 1
        QTest.keyClick(where, key)

    def turn_view(self, by: int) -> None:
        self.deeds += 1
        drag(self.window.picture, QPoint(300, 200), QPoint(300 + by, 200), RIGHT)

    def type(self, field, text: str) -> None:
        self.deeds += 1
        type_into(field, text)


def steps_of(page: str, walk: str) -> int:
    """How many steps the manual's page tells for a walk."""
    text = (ROOT / "docs" / "manual" / page).read_text()
    part = text.split(f"### A walk: {walk}\n")[1].split("\n#")[0]
    return len(re.findall(r"^\d+\. ", part, re.MULTILINE))


def test_a_room_by_noon(window, qtbot):
    assert steps_of("light.md", "a room by noon") == 4
    document, assets = room()
    session, picture, hand = window.session, window.picture, Hand(window)
    session.open_document(replace(document, environment=Environment(kind="sky")), assets, None)
    session.set_stage("Light")
    settle(qtbot, window)
    at = lambda *point: picture.place_on_screen(np.array(point, float))  # noqa: E731
    hand.run("hang_spot")
    hand.click(picture, at(2600, 3600, 2600))
    assert hand.deeds == 2 and session.lamp.kind == "spot" and session.lamp.position[2] > 2500
    hand.run("portals")
    qtbot.waitUntil(lambda: sum(x.kind == "portal" for x in session.document.lamps.values()) == 7, timeout=30000)
    assert hand.deeds == 3
    hand.run("sun_through")
    hand.click(picture, at(2400, 3600, 0))
    hand.click(picture, at(3300, 4210, 1900))
    assert hand.deeds == 6 and not session.document.environment.sky.by_place
    told = session.document
    for wears in ("gloss", "matt", ""):
        hand.key(picture, Qt.Key.Key_Q)
        assert session.stand_in == wears and session.document is told
    assert hand.deeds == 9


def test_a_cameras_way_from_one_hand(window, qtbot):
    assert steps_of("move.md", "a camera's way from one hand") == 4
    session, hand = window.session, Hand(window)
    film = replace(session.document.film, end=4.0, play_end=4.0)
    session.open_document(replace(session.document, film=film, frames_per_second=24.0), session.assets, None)
    session.set_stage("Move")
    commands = window.built["Move"].commands
    began = session.camera
    hand.click(commands.bench.record)
    hand.type(commands.bench.time, "2")
    hand.turn_view(90)
    seen = session.camera
    hand.type(commands.bench.time, "3")
    hand.turn_view(-160)
    hand.click(commands.bench.record)
    times = lambda: [k.time for k in session.document.keys["cameras/c/position"]]  # noqa: E731
    assert times() == [0.0, 2.0, 3.0] and hand.deeds == 6, "two movements are all keys of the camera"
    commands.film.choose([(f"cameras/c/{f}", 2.0) for f in ("position", "target", "focal_length_mm")])
    hand.run("copy")
    hand.type(commands.bench.time, "0:03:12")
    hand.run("paste")
    assert times() == [0.0, 2.0, 3.0, 3.5] and np.allclose(session.camera.position, seen.position)
    hand.run("pace")
    qtbot.waitUntil(lambda: any(k.rest for k in session.document.keys["cameras/c/position"]), timeout=20000)
    assert hand.deeds == 10
    session.set_time(0.0)
    assert np.allclose(session.camera.position, began.position)


def test_toward_a_picture(window, qtbot, tmp_path):
    assert steps_of("finish-matching.md", "toward a picture") == 4
    session, picture, hand = window.session, window.picture, Hand(window)
    document = replace(
        session.document, environment=Environment(kind="colour", colour=(0.6, 0.6, 0.6)),
        render=replace(session.document.render, live_noise_percent=40.0),
    )
    dark = Finish("f", "Dark", layers=(Layer("g", "Dark", grade=Grade(exposure=-1.0)),))
    session.open_document(put_finish(document, document.shots[0], dark), session.assets, None)
    session.set_stage("Finish")
    finish = window.built["Finish"].commands.finish
    path = tmp_path / "brief.png"
    image_of(np.full((60, 80, 3), (0.2, 0.25, 0.5), np.float32)).save(str(path))
    drop(picture, file_mime(path), QPoint(200, 150))
    hand.deeds += 1
    qtbot.waitUntil(lambda: finish.reference is not None, timeout=10000)
    hand.run("stage_Light")
    assert finish.against == "beside", "it is beside in Light too"
    hand.click(window.strip.mode.buttons["finished"])
    whole = lambda: picture.state is not None and picture.state.traced and picture.state.samples >= 1 and picture._image is not None  # noqa: E731
    qtbot.waitUntil(whole, timeout=60000)
    hand.click(picture, point_of(window, "ball"))
    assert session.selection == ("ball",) and hand.deeds == 4
    marks = next(o for o in picture.overlays if type(o).__name__ == "ReferenceMarks")
    qtbot.waitUntil(lambda: "ball" in marks._seen, timeout=30000)
    session.put({"environment/colour": (0.3, 0.45, 0.9)})
    qtbot.waitUntil(lambda: marks.told is not None, timeout=60000)
    assert marks.told.now.colour < marks.told.before.colour and "colour" in marks.told.words() and "nearer" in marks.told.words()
    middle = lambda: picture.grab().toImage().pixelColor(point_of(window, "ball")).lightness()  # noqa: E731
    with_it = middle()
    QTest.keyPress(picture, Qt.Key.Key_B)
    qtbot.waitUntil(lambda: middle() > with_it + 10, timeout=10000)
    QTest.keyRelease(picture, Qt.Key.Key_B)


def test_an_approval(window, qtbot, tmp_path):
    assert steps_of("shown.md", "an approval") == 3
    session, hand = window.session, Hand(window)
    document = to_show(session.document)
    session.open_document(document, session.assets, None)
    hand.run("shown")
    view = window.showing.view
    hand.key(view, Qt.Key.Key_Right)
    hand.key(view, Qt.Key.Key_Down)
    assert session.shot.id == "s2" and set(session.picks) == {a.id for a in document.axes}
    qtbot.waitUntil(lambda: view.pixels() is not None, timeout=60000)
    hand.click(view, view.frame().center())
    QTest.keyClicks(view.entry, "Matt, as the sample")
    hand.key(view.entry, Qt.Key.Key_Return)
    hand.key(view, Qt.Key.Key_Escape)
    (one,) = session.document.remarks.values()
    session.set_shot(document.shots[0].id)
    hand.run("remarks")
    tree = window.showing.list.tree
    hand.click(tree.viewport(), tree.visualItemRect(tree.topLevelItem(0)).center())
    assert session.shot.id == "s2" and session.selection == (one.pinned,) and hand.deeds == 8
    tree.topLevelItem(0).setCheckState(0, Qt.CheckState.Checked)
    assert session.save(tmp_path / "approved.aulmo", None)
    kept, _ = load(tmp_path / "approved.aulmo")
    assert [(r.text, r.done, r.shot) for r in kept.remarks.values()] == [("Matt, as the sample", True, "s2")]
    window.showing.list.close()


def test_last_years_lantern_in_this_years_light(window, qtbot, tmp_path, monkeypatch):
    assert steps_of("shelf.md", "last year's lantern in this year's light") == 4
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    session, shelf, hand = window.session, window.shelf, Hand(window)
    shelf.reset()
    session.set_stage("Surface")
    hand.run("shelf")
    QTest.keyClicks(shelf.search, "tyre rubber")
    hand.key(shelf.search, Qt.Key.Key_Down)
    assert shelf.list.thing().name == "Tyre rubber"
    drop(window.picture, mime_of(shelf.list.thing()), point_of(window, "ball"))
    assert session.document.materials[session.document.parts["ball"].material].name == "Tyre rubber"
    session.set_stage("Light")
    shelf.search.clear()
    shelf.fill()
    window_light = next(t for t in shelf.model.things if t.name == "Window light")
    drop(window.picture, mime_of(window_light), point_of(window, "ball"))
    assert [b.name for b in session.document.environment.softboxes] == ["Window", "Second window", "Room"]
    hand.run("undo")
    assert session.document.environment.softboxes == ()
    session.select(["ball"])

    def keep() -> None:
        box = QApplication.activeModalWidget()
        if isinstance(box, AboutBox):
            box.lines[TAGS].setText("2026")
            box.fine.click()
        else:
            QTimer.singleShot(20, keep)

    QTimer.singleShot(0, keep)
    hand.run("keep")
    qtbot.waitUntil(lambda: any("2026" in t.tags for t in shelf.model.things), timeout=60000)
    answering("d")
    hand.run("new")
    assert not session.document.parts
    shelf.search.setFocus()
    QTest.keyClicks(shelf.search, "2026")
    hand.key(shelf.search, Qt.Key.Key_Return)
    hand.key(shelf.list, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: len(session.document.parts) == 1, timeout=30000)
    (part,) = session.document.parts.values()
    assert session.document.materials[part.material].name == "Tyre rubber"
    shelf.reset()


def test_every_walk_of_the_manual_is_walked():
    """A walk that is added to a page has to be walked here, or in its stage's own tests."""
    pages = "".join(p.read_text() for p in (ROOT / "docs" / "manual").glob("*.md"))
    walked = {"a room by noon", "a camera's way from one hand", "toward a picture", "an approval", "the Odrel Barrow",
        "last year's lantern in this year's light"}
    assert set(re.findall(r"^#+ A walk: (.+)$", pages, re.MULTILINE)) == walked
