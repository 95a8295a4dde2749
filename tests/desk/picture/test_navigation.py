"""Turning and looking round where one could lose the product: over floor and backdrop, and in a closed room."""

import numpy as np
import pytest
from msgspec.structs import replace
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from aulmo.document import edits
from aulmo.document.records import Camera, Floor, Part, Placement
from aulmo.frame.camera import camera_axes
from desk_tools import drag, key, point_of, settle
from shapes import box_mesh

LEFT, RIGHT = Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton
NONE, CTRL = Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ControlModifier


def floor_point(window) -> QPoint:
    """A point of the picture where only the floor is."""
    picture = window.picture
    for y in range(picture.height() - 10, 0, -12):
        hit = picture.pick(QPoint(picture.width() // 12, y))
        if hit is not None and hit.part is None:
            return QPoint(picture.width() // 12, y)
    raise AssertionError("no floor is seen")


@pytest.mark.parametrize("where", ["floor", "backdrop"])
def test_a_turn_that_starts_beside_the_product_turns_about_it(window, qtbot, where):
    picture, session = window.picture, window.session
    start = floor_point(window) if where == "floor" else QPoint(picture.width() // 2, 6)
    middle = np.array([0.0, 0.0, 20.0])
    before, far = picture.place_on_screen(middle), np.linalg.norm(np.array(session.view.position) - middle)
    drag(picture, start, start + QPoint(260, 0), RIGHT)
    assert np.linalg.norm(np.array(session.view.position) - middle) == pytest.approx(far, rel=0.02)
    assert (picture.place_on_screen(middle) - before).manhattanLength() < 12
    settle(qtbot, window)
    assert all(picture.screen_point(p) is not None for p in ("ball", "left", "right"))


def test_with_ctrl_one_looks_round_from_where_one_stands(window):
    session, picture = window.session, window.picture
    at = point_of(window, "ball")
    place, before = session.view.position, camera_axes(session.view)[2]
    drag(picture, at, at + QPoint(120, 0), RIGHT, CTRL)
    assert session.view.position == pytest.approx(place)
    assert np.degrees(np.arccos(np.clip(camera_axes(session.view)[2] @ before, -1, 1))) > 5
    assert session.selection == ()


@pytest.fixture
def room(window, qtbot):
    """A box of four walls and a ceiling about the parts, and the shot's camera in it."""
    session = window.session
    panel = session.assets.add_mesh(box_mesh(1.0))
    material = session.document.parts["ball"].material
    walls = {
        "north": Placement((0, 300, 150), scale=(620, 8, 320)), "south": Placement((0, -300, 150), scale=(620, 8, 320)),
        "east": Placement((300, 0, 150), scale=(8, 620, 320)), "west": Placement((-300, 0, 150), scale=(8, 620, 320)),
        "ceiling": Placement((0, 0, 305), scale=(620, 620, 8)), "ground": Placement((0, 0, -5), scale=(620, 620, 8)),
    }  # fmt: skip
    parts = [Part(id=name, name=name.title(), mesh=panel, material=material, placement=place) for name, place in walls.items()]
    document = edits.add_parts(replace(session.document, floor=Floor(kind="none")), parts, list(walls))
    eye = Camera(id="c", name="Camera 1", position=(0.0, -240.0, 90.0), target=(0.0, 0.0, 20.0), focal_length_mm=24.0, shutter=1 / 15)
    session.open_document(edits.put_camera(document, eye), session.assets, None)
    settle(qtbot, window)
    return window


def test_a_room_is_known_by_its_walls_and_the_product_is_what_stands_in_it(room):
    around = room.picture.surroundings()
    assert around.walls == {"north", "south", "east", "west", "ceiling", "ground"}
    assert around.middle == pytest.approx([0, 0, 20], abs=6)


def test_in_a_room_a_turn_from_the_wall_keeps_the_product_and_stays_inside(room, qtbot):
    picture, session = room.picture, room.session
    start = QPoint(picture.width() // 2, 12)
    assert picture.pick(start).part in ("north", "ceiling")
    for _ in range(6):
        drag(picture, start, start + QPoint(220, 0), RIGHT)
        x, y, z = session.view.position
        assert abs(x) < 297 and abs(y) < 297 and 0 < z < 302
    settle(qtbot, room)
    assert picture.screen_point("ball") is not None


@pytest.mark.fresh
def test_a_wall_that_stands_between_is_not_drawn_in_a_free_view_but_in_the_shot(room, qtbot):
    picture, session = room.picture, room.session
    before = session.document
    session.set_view(replace(session.camera, position=(0.0, -900.0, 120.0)))
    qtbot.waitUntil(lambda: "south" not in picture.draft_parts, timeout=20000)
    assert "north" in picture.draft_parts and session.document is before
    settle_point = lambda: picture.screen_point("ball") is not None  # noqa: E731
    qtbot.waitUntil(settle_point, timeout=20000)
    QTest.mouseClick(picture, LEFT, NONE, picture.screen_point("ball"))
    assert session.selection == ("ball",)
    key(room, Qt.Key.Key_0)
    qtbot.waitUntil(lambda: "south" in picture.draft_parts, timeout=20000)


def test_a_window_is_no_way_out(room, qtbot):
    """One wall is taken down to a rim round a large opening: the turn ends where the wall was."""
    session, picture = room.session, room.picture
    rim = replace(session.document.parts["east"], placement=Placement((300, 0, 30), scale=(8, 620, 80)))
    lintel = replace(rim, id="lintel", name="Lintel", placement=Placement((300, 0, 250), scale=(8, 620, 110)))
    document = edits.add_parts(replace(session.document, parts={**session.document.parts, "east": rim}), [lintel], ["lintel"])
    session.open_document(document, session.assets, None)
    settle(qtbot, room)
    assert {"east", "lintel", "west"} <= picture.surroundings().walls
    session.set_view(replace(session.camera, position=(-240.0, 0.0, 130.0), target=(0.0, 0.0, 110.0)))
    settle(qtbot, room)
    start = QPoint(picture.width() // 2, 12)
    reached = []
    for _ in range(8):
        drag(picture, start, start + QPoint(150, 0), RIGHT)
        reached.append(session.view.position[0])
        assert all(abs(v) < 304 for v in session.view.position[:2])
    assert max(reached) > 100  # it did go round to that side
