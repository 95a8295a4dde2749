"""A photograph behind the shot, from the drop to the matched patch, through the real window."""

import numpy as np
import pytest
from msgspec.structs import replace
from PIL import Image, ImageDraw
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from aulmo.document.records import Camera
from aulmo.frame.camera import camera_axes, project
from aulmo.frame.photograph_light import toward
from desk_tools import drag, drop, file_mime, hover, key, settle, type_into, wheel

LEFT = Qt.MouseButton.LeftButton
NONE, SHIFT, CONTROL, ALT = (getattr(Qt.KeyboardModifier, f"{n}Modifier") for n in ("No", "Shift", "Control", "Alt"))
SIZE = (800, 600)
TRUE = Camera(id="t", name="True", position=(260.0, -620.0, 330.0), target=(0.0, 0.0, 30.0), focal_length_mm=42.0)
SUN = (230.0, 38.0)


def pixels(*points) -> np.ndarray:
    """Where the true camera sees points of its world."""
    return project(TRUE, np.array(points, float), *SIZE)[:, :2]


@pytest.fixture
def taken(tmp_path):
    """A photograph of a grey table with a box, a stick with its shadow and a grey patch, drawn by a camera that is known."""
    image = Image.new("RGB", SIZE, (176, 164, 150))
    draw = ImageDraw.Draw(image)
    draw.polygon([tuple(p) for p in pixels((-200, -150, 0), (200, -150, 0), (200, 200, 0), (-200, 200, 0))], fill=(120, 96, 70))
    draw.polygon([tuple(p) for p in pixels((-150, -100, 0), (-90, -100, 0), (-90, -60, 0), (-150, -60, 0))], fill=(118, 118, 118))
    draw.line([tuple(p) for p in pixels((120, 80, 0), (120, 80, 120))], fill=(30, 30, 30), width=5)
    path = tmp_path / "table.png"
    image.save(path)
    return path


@pytest.fixture
def photographed(window, qtbot, taken):
    """The window with that photograph dropped on the picture."""
    window.session.set_stage("Frame")
    said = drop(window.picture, file_mime(taken), QPoint(300, 200))
    assert "behind" in said
    qtbot.waitUntil(lambda: window.session.shot.photograph is not None, timeout=20000)
    qtbot.waitUntil(lambda: photo_of(window).codes() is not None, timeout=20000)
    settle(qtbot, window)
    return window


def photo_of(window):
    """What the photograph's bench, page and tools share."""
    return window.bench.faces["Frame"].photo


def at(window, *point) -> QPoint:
    """Where a point of the true world lies on the screen."""
    x, y = photo_of(window).to_screen(pixels(point))[0]
    return QPoint(round(x), round(y))


def line(window, one, other, modifiers=NONE) -> None:
    """Draw a sight line between two points of the true world, without sticking."""
    drag(window.picture, at(window, *one), at(window, *other), LEFT, modifiers | ALT)


def draw_five(window) -> None:
    """Two lines each way along the table, one of them upright."""
    page = window.details.page()
    page.draw.click()
    assert window.session.tool == "sight line"
    line(window, (-200, -150, 0), (200, -150, 0))
    line(window, (-200, 200, 0), (200, 200, 0))
    line(window, (-200, -150, 0.0), (-200, 200, 0), SHIFT)
    line(window, (200, -140, 0), (200, 195, 0), SHIFT)
    line(window, (120, 80, 2), (120, 80, 119), CONTROL)


def test_a_dropped_picture_stands_behind_and_the_frame_takes_its_shape(photographed):
    window = photographed
    shot = window.session.shot
    assert shot.photograph.file == "table.png" and abs(shot.width / shot.height - 4 / 3) < 0.01
    assert window.session.resolved.floor.kind == "shadow" and window.session.document.floor.kind == "plain"
    corner = window.picture.frame_rect().topLeft() + QPoint(20, 20)
    assert np.abs(np.array(window.picture.pixel_at(corner)) - (176, 164, 150)).max() <= 2
    window.session.undo()
    assert window.session.shot.photograph is None


def test_five_lines_find_the_camera_and_each_tells_how_far_it_is_off(photographed):
    window = photographed
    draw_five(window)
    kinds = [x.direction for x in window.session.shot.photograph.lines]
    assert kinds == [1, 1, 2, 2, 3]
    camera = window.session.camera
    assert camera.focal_length_mm / camera.sensor_mm == pytest.approx(TRUE.focal_length_mm / TRUE.sensor_mm, rel=0.05)
    assert camera.locked
    bench = window.bench.faces["Frame"]
    rows = [bench.list.topLevelItem(k) for k in range(5)]
    assert all(r.text(2).endswith("px") and float(r.text(2).split()[0]) < 1.5 for r in rows)
    assert any("Lens found" == word.text() for word, _ in bench._words)
    # a known length sets the scale: the whole near edge is 400 mm long
    photo_of(window).choose(window.session.shot.photograph.lines[0].id)
    type_into(window.details.page().known, "400")
    assert np.linalg.norm(window.session.camera.position) == pytest.approx(np.linalg.norm(np.array(TRUE.position) - _seen_origin(window)), rel=0.05)


def _seen_origin(window) -> np.ndarray:
    """Where, in the true world, the origin of the found one lies: the floor's point at the pixel where the found camera sees its own origin."""
    from aulmo.frame.shadow_stick import on_plane

    photo = photo_of(window)
    x, y = project(photo.camera(), np.zeros((1, 3)), *SIZE)[0, :2]
    return on_plane(TRUE, SIZE, (x, y))


def test_the_product_stands_where_it_is_clicked_the_stick_tells_the_sun_and_the_patch_the_exposure(photographed, qtbot):
    window = photographed
    draw_five(window)
    page = window.details.page()
    photo_of(window).choose(window.session.shot.photograph.lines[0].id)
    type_into(page.known, "400")
    page.stand.click()
    QTest.mouseClick(window.picture, LEFT, NONE, at(window, 0, 0, 0))
    camera, shot = window.session.camera, window.session.shot
    seen = project(camera, np.zeros((1, 3)), shot.width, shot.height)[0, :2]
    assert seen == pytest.approx(pixels((0, 0, 0))[0] * window.session.shot.width / SIZE[0], abs=2.0)
    # the stick: foot, top, tip
    way = toward(*SUN)
    tip = np.array([120.0, 80.0, 120.0]) - way * 120.0 / way[2]
    page.stick.click()
    for point in ((120, 80, 0), (120, 80, 120), tuple(tip)):
        QTest.mouseClick(window.picture, LEFT, NONE, at(window, *point))
    sun = window.built["Frame"].commands.photographs.sun()
    found, a, b = toward(sun.azimuth, sun.elevation), camera_axes(window.session.camera), camera_axes(TRUE)
    # seen from the camera, whichever way the world is named
    assert np.degrees(np.arccos(np.clip(np.array(a) @ found @ (np.array(b) @ way), -1, 1))) < 4.0
    assert f"{sun.elevation:.0f}° high" in page.sun_words.text()
    before = window.session.document.environment
    page.turn.click()
    qtbot.waitUntil(lambda: window.session.document.environment is not before, timeout=20000)
    page.sun.click()
    assert any(x.kind == "distant" for x in window.session.document.lamps.values())
    window.session.undo()
    # the patch
    stops = window.session.camera.exposure_stops
    page.patch.click()
    drag(window.picture, at(window, -145, -95, 0), at(window, -96, -66, 0))
    qtbot.waitUntil(lambda: window.session.camera.exposure_stops != stops, timeout=120000)
    assert window.session.tool == "" and window.session.shot.photograph.patch.value == 0.18
    held = window.session.camera
    assert abs(_tone_of_card(window) - 118) < 6, (held.exposure_stops, held.kelvin)


def _tone_of_card(window) -> float:
    """The middle grey value that a card at the patch is shown with by the camera as it is now."""
    from aulmo.frame.exposure import white_gains, white_nits
    from aulmo.frame.shadow_stick import on_plane
    from aulmo.trace.patch_light import light_on_card
    from aulmo.trace.view import show

    photo, session = photo_of(window), window.session
    box = photo.photo.patch.box
    point = on_plane(photo.camera(), photo.size(), (0.5 * (box[0] + box[2]), 0.5 * (box[1] + box[3])))
    light = light_on_card(session.resolved, session.assets, point, 0.18) * white_gains(session.camera)
    shown = show(light.reshape(1, 1, 3).astype(np.float32), white_nits(session.camera), "Product neutral", exact=True)
    return float(np.median(shown) * 255)


def test_ends_are_pulled_lines_deleted_and_all_is_taken_back(photographed):
    window = photographed
    draw_five(window)
    before = window.session.document
    focal = window.session.camera.focal_length_mm
    QTest.mouseClick(window.picture, LEFT, NONE, at(window, 0, -150, 0))
    start = at(window, 200, -150, 0)
    drag(window.picture, start, start + QPoint(-20, 14), LEFT, ALT)
    assert window.session.camera.focal_length_mm != focal
    window.session.undo()
    assert window.session.document == before
    QTest.mouseClick(window.picture, LEFT, NONE, at(window, 0, 200, 0))
    assert photo_of(window).line.name == "First 2"
    key(window, Qt.Key.Key_Delete)
    assert len(window.session.shot.photograph.lines) == 4


def test_an_end_sticks_to_an_edge_nearby(photographed):
    window = photographed
    window.details.page().draw.click()
    drag(window.picture, at(window, -180, -150, 0) + QPoint(0, 4), at(window, 180, -150, 0) + QPoint(0, 4))
    (x0, y0), (x1, y1) = window.session.shot.photograph.lines[0].points
    one, other = pixels((-200, -150, 0), (200, -150, 0))
    away = lambda x, y: abs(np.cross(other - one, np.array([x, y]) - one)) / np.linalg.norm(other - one)  # noqa: E731
    assert away(x0, y0) < 0.7 and away(x1, y1) < 0.7


def test_lines_that_tell_nothing_leave_the_camera_and_say_why(photographed):
    window, said = photographed, []
    window.session.trouble.connect(said.append)
    camera = window.session.camera
    window.details.page().draw.click()
    line(window, (-200, -150, 0), (200, -150, 0))
    assert window.session.camera == camera and not said
    line(window, (-200, 200, 0), (200, 200, 0))
    line(window, (-190, -120, 0), (195, -120, 0), SHIFT)
    line(window, (-190, 120, 0), (195, 120, 0), SHIFT)
    assert window.session.camera == camera
    assert any("same way" in s for s in said)


def test_the_grid_nudges_the_camera_though_it_is_locked(photographed):
    window = photographed
    draw_five(window)
    window.details.page().nudge.click()
    camera = window.session.camera
    middle = at(window, 0, -60, 0)
    drag(window.picture, middle, middle + QPoint(30, 0))
    moved = window.session.camera
    assert moved.position != camera.position and moved.position[2] == pytest.approx(camera.position[2])
    drag(window.picture, middle, middle + QPoint(40, 0), LEFT, CONTROL)
    assert window.session.camera.position != moved.position
    before = window.session.camera.focal_length_mm
    wheel(window.picture, middle, 3)
    assert window.session.camera.focal_length_mm == pytest.approx(before * 1.03**3, rel=1e-3)


def test_what_stands_before_the_product_is_outlined_and_a_box_is_fitted(photographed, qtbot):
    window = photographed
    draw_five(window)
    page = window.details.page()
    page.cut.click()
    middle = window.picture.frame_rect().center()
    for dx, dy in ((-60, -60), (60, -60), (60, 60), (-60, 60)):
        QTest.mouseClick(window.picture, LEFT, NONE, middle + QPoint(dx, dy))
    key(window, Qt.Key.Key_Return)
    assert len(window.session.shot.photograph.cutouts[0].points) == 4 and window.session.tool == ""
    parts = set(window.session.document.parts)
    page.box.click()
    drag(window.picture, at(window, -150, -100, 0), at(window, -60, 0, 0))
    hover(window.picture, at(window, -60, 0, 60))
    QTest.mouseClick(window.picture, LEFT, NONE, at(window, -60, 0, 60))
    made = window.session.document.parts[(set(window.session.document.parts) - parts).pop()]
    assert made.catches == "shadow"
    wide, deep, high = made.set_piece.width, made.set_piece.depth, made.set_piece.height
    assert sorted((wide / high, deep / high)) == pytest.approx([90 / 60, 100 / 60], rel=0.1)
    photo_of(window).choose(window.session.shot.photograph.lines[1].id)
    page.wall.click()
    assert any(p.name.startswith("Wall of the photograph") for p in window.session.document.parts.values())


@pytest.mark.parametrize("kind, words", [("round", "panorama"), ("cut", "damaged"), ("words", "cannot be read")])
def test_files_that_are_no_photograph_get_a_sentence(window, qtbot, tmp_path, kind, words):
    window.session.set_stage("Frame")
    said = []
    window.session.trouble.connect(said.append)
    path = tmp_path / "wrong.png"
    x = np.linspace(0, 2 * np.pi, 512, endpoint=False)
    y = np.linspace(0, np.pi, 256)
    around = np.stack([128 + 90 * np.sin(np.outer(np.sin(y), np.sin(x) + 0 * k)) for k in range(3)], -1)
    Image.fromarray(around.astype(np.uint8)).save(path)
    if kind == "cut":
        path.write_bytes(path.read_bytes()[: path.stat().st_size // 2])
    if kind == "words":
        path.write_bytes(b"this is no picture")
    before = window.session.document
    drop(window.picture, file_mime(path), QPoint(300, 200))
    qtbot.waitUntil(lambda: bool(said), timeout=20000)
    assert words in said[0] and window.session.document is before


def test_strength_and_in_front_hold_while_working_alone(photographed, qtbot):
    window = photographed
    page = window.details.page()
    type_into(page.strength.field, "0.4")
    page.shows.field.chosen.emit("True")
    settle(qtbot, window)
    assert window.session.shot.photograph.in_front
    from aulmo.frame.photograph import whole_photographs

    final = whole_photographs(window.session.document).shots[0].photograph
    assert final.strength == 1.0 and not final.in_front
    assert replace(final, strength=0.4, in_front=True) == window.session.shot.photograph


def test_a_project_whose_photograph_is_missing_opens_says_so_and_is_saved_again(photographed, qtbot, tmp_path):
    """The camera stays where it was, and the picture shows the product before plain grey."""
    from zipfile import ZipFile

    from aulmo.frame import photograph

    window = photographed
    draw_five(window)
    assert window.session.save(tmp_path / "whole.aulmo")
    image, camera = window.session.shot.photograph.image, window.session.camera
    with ZipFile(tmp_path / "whole.aulmo") as whole, ZipFile(tmp_path / "less.aulmo", "w") as less:
        for name in whole.namelist():
            if name != f"assets/{image}":
                less.writestr(name, whole.read(name))
    photograph._kept.clear()
    said = []
    window.session.trouble.connect(said.append)
    window.session.set_tool("")
    assert window.session.load(tmp_path / "less.aulmo")
    settle(qtbot, window)
    qtbot.waitUntil(lambda: bool(said), timeout=20000)
    assert "table.png is missing" in said[0] and len(said) == 1
    assert window.session.camera == camera
    assert window.session.save(tmp_path / "again.aulmo")
