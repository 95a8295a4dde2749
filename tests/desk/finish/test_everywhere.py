"""The look and the reference in every stage: what is finished, what is told, and that nothing begins anew."""

import numpy as np
import pytest
from msgspec.structs import replace
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from aulmo.desk.stages import STAGES
from aulmo.desk.widgets.painting import image_of
from aulmo.document.finish_records import Finish, Grade, Layer
from aulmo.document.records import Environment
from aulmo.finish.edits import finished_of, put_finish
from aulmo.finish.nearness import compared
from desk_tools import drag, point_of


@pytest.fixture
def graded(window, qtbot):
    """The window traced, on a project whose finish makes everything darker and bluer; its picture is small, which is quicker."""
    session, sizes = window.session, window.middle.sizes()
    window.middle.setSizes([220, sum(sizes) - 220])
    document = replace(
        session.document, environment=Environment(kind="colour", colour=(0.7, 0.7, 0.7)),
        render=replace(session.document.render, live_noise_percent=30.0),
    )
    finish = Finish("f", "Night", layers=(Layer("g", "Dark", grade=Grade(exposure=-1.5, kelvin=4000.0)),))
    session.apply("Graded", put_finish(document, document.shots[0], finish))
    window.strip.mode.buttons["finished"].click()
    whole(qtbot, window)
    yield window
    window.middle.setSizes(sizes)


def whole(qtbot, window, more: int = 1):
    """Until a whole picture of the document as it is has come."""
    def there() -> bool:
        state = window.picture.state
        return state is not None and state.traced and state.samples >= more and window.picture._image is not None

    qtbot.waitUntil(there, timeout=60000)


def pixel(image, window, at) -> np.ndarray:
    colour = image.pixelColor(round(at.x() * image.width() / window.picture.width()), round(at.y() * image.height() / window.picture.height()))
    return np.array([colour.red(), colour.green(), colour.blue()], float)


def test_the_finish_is_on_the_picture_in_every_stage_and_held_b_shows_it_without(graded, qtbot):
    window, picture = graded, graded.picture
    at = point_of(window, "ball")
    for stage in ("Prepare", "Surface", "Light", "Frame", "Move", "Render"):
        window.session.set_stage(stage)
        qtbot.waitUntil(lambda: picture._plain is not None, timeout=30000)
        assert pixel(picture._image, window, at).mean() < 0.75 * pixel(picture._plain, window, at).mean(), stage
    shown = picture.grab().toImage()
    QTest.keyPress(picture, Qt.Key.Key_B)
    held = picture.grab().toImage()
    QTest.keyRelease(picture, Qt.Key.Key_B)
    assert pixel(held, window, at).mean() > 1.2 * pixel(shown, window, at).mean()
    assert np.allclose(pixel(picture.grab().toImage(), window, at), pixel(shown, window, at), atol=12)
    window.strip.mode.buttons["traced"].click()
    qtbot.waitUntil(lambda: picture._plain is None, timeout=30000)
    assert pixel(picture._image, window, at).mean() > 1.2 * pixel(shown, window, at).mean()


def test_the_first_look_is_finished_too(graded, qtbot):
    """Of all pictures that come after a change, the coarse first ones as well, none is without the finish."""
    seen = []
    note = lambda state: state.picture.size and seen.append((state.samples, state.plain is not None))  # noqa: E731
    graded.picture.shown.connect(note)
    graded.session.put({"environment/colour": (0.5, 0.5, 0.5)})
    qtbot.waitUntil(lambda: any(samples for samples, _ in seen), timeout=60000)
    graded.picture.shown.disconnect(note)
    assert [s for s, _ in seen].count(0) >= 2 and all(finished for _, finished in seen)


def test_the_picture_is_the_one_the_command_line_delivers(graded, qtbot):
    """The frame's finished pixels are those that finishing the same light gives."""
    session, picture = graded.session, graded.picture
    lights = []
    original = picture.finisher()
    found = picture.finisher
    picture.finisher = lambda: lambda request, light: (lights.append(light), original(request, light))[1]
    picture.refresh()
    qtbot.waitUntil(lambda: bool(lights) and lights[-1].rgb.shape[1] == picture.width(), timeout=30000)
    picture.finisher, light = found, lights[-1]
    frame = picture.frame_rect()
    w, h = picture.width(), picture.height()
    box = (frame.left() / w, frame.top() / h, (frame.right() + 1) / w, (frame.bottom() + 1) / h)
    from aulmo.finish.planes import cut, of_picture

    wanted, _, _ = finished_of(session.document, session.assets, session.shot.name, cut(of_picture(light), box))
    got = original(None, light)[frame.top() : frame.bottom() + 1, frame.left() : frame.right() + 1]
    assert np.abs(wanted - got).max() < 1e-5


def test_stages_selections_and_hovers_never_begin_the_tracing_anew(graded, qtbot):
    window, picture, session = graded, graded.picture, graded.session
    session.put({"render/live_noise_percent": 0.05})
    qtbot.waitUntil(lambda: picture.state.request.document is picture.seen_document() and picture.state.samples >= 1, timeout=30000)
    counted = []
    note = lambda state: counted.append(state.samples)  # noqa: E731
    picture.shown.connect(note)
    for stage in [s.name for s in STAGES] + ["Light"]:
        session.set_stage(stage)
        session.select(("ball",) if stage != "Finish" else ())
        picture._name(point_of(window, "ball"))
        qtbot.wait(60)
    qtbot.waitUntil(lambda: len(counted) > 2, timeout=30000)
    picture.shown.disconnect(note)
    assert min(counted) >= 1 and counted == sorted(counted), counted
    session.set_stage("Finish")
    assert window.built["Finish"].commands.finish.measures()


def test_the_scopes_show_the_first_look(graded, qtbot):
    window = graded
    window.session.set_stage("Finish")
    finish = window.built["Finish"].commands.finish
    qtbot.waitUntil(lambda: finish.seen is not None and finish.seen.scopes.tones.sum() > 0, timeout=30000)
    seen = []
    note = lambda state: seen.append((state.samples, finish.whole is not None and finish.whole.rgb.shape[0]))  # noqa: E731
    window.picture.shown.connect(note)
    window.session.put({"environment/colour": (0.5, 0.5, 0.5)})
    qtbot.waitUntil(lambda: any(samples for samples, _ in seen), timeout=30000)
    window.picture.shown.disconnect(note)
    assert any(samples == 0 and rows < window.picture.frame_rect().height() / 2 for samples, rows in seen), "before the first whole sample"


def brief(tmp_path, window, colour=(0.2, 0.25, 0.5)):
    path = tmp_path / "brief.png"
    frame = window.picture.frame_rect()
    image_of(np.broadcast_to(np.array(colour, np.float32), (frame.height() // 2, frame.width() // 2, 3)).copy()).save(str(path))
    return path


def test_r_holds_the_reference_against_the_picture_in_light(graded, qtbot, tmp_path):
    window, picture = graded, graded.picture
    finish = window.built["Finish"].commands.finish
    marks = next(o for o in picture.overlays if type(o).__name__ == "ReferenceMarks")
    window.session.set_stage("Light")
    assert finish.set_reference(brief(tmp_path, window))
    qtbot.waitUntil(lambda: finish.reference is not None, timeout=10000)
    assert finish.against == "beside" and marks.pane.isVisible()
    qtbot.waitUntil(lambda: picture.width() < 600, timeout=5000)  # beside, in room of its own
    blue = lambda at: np.abs(pixel(picture.grab().toImage(), window, at) - (51, 64, 128)).max() < 8  # noqa: E731
    picture.setFocus()
    QTest.keyClick(picture, Qt.Key.Key_R)
    assert finish.against == "split" and not marks.pane.isVisible()
    qtbot.wait(30)
    frame = picture.frame_rect()
    left, right = QPoint(frame.left() + frame.width() // 4, frame.center().y()), QPoint(frame.left() + 3 * frame.width() // 4, frame.center().y())
    assert blue(left) and not blue(right)
    QTest.keyClick(picture, Qt.Key.Key_R)
    assert finish.against == "wipe"
    drag(picture, QPoint(frame.center().x(), frame.center().y()), QPoint(frame.right() - 20, frame.center().y()))
    assert finish.wipe > 0.9 and blue(right)
    QTest.keyClick(picture, Qt.Key.Key_R)
    assert finish.against == "blink"
    qtbot.waitUntil(lambda: finish.blinks, timeout=3000)
    QTest.keyClick(picture, Qt.Key.Key_R)
    QTest.keyClick(picture, Qt.Key.Key_R)
    assert finish.against == "pinned"
    assert blue(QPoint(picture.width() - 40, 40)) and not blue(left)


def test_nearness_is_nothing_where_picture_and_reference_are_one():
    picture = np.random.default_rng(3).random((40, 60, 3)).astype(np.float32)
    mask = np.zeros((40, 60), bool)
    mask[10:20, 10:30] = True
    same = compared(picture, mask, (0.0, 0.0, 1.0, 1.0), picture)
    assert same.tone < 1e-6 and same.colour < 1e-6
    darker = compared(picture * 0.8, mask, (0.0, 0.0, 1.0, 1.0), picture)
    assert darker.tone > 2 and compared(picture, np.zeros_like(mask), (0.0, 0.0, 1.0, 1.0), picture) is None


@pytest.mark.parametrize("stage", ["Frame", "Finish", "Render"])
def test_details_show_the_stages_own_subject(window, stage):
    window.registry.actions["softbox_plain"].trigger()
    assert window.details.page() is window.details.subjects["softboxes"]
    window.session.set_stage(stage)
    assert window.session.softbox is not None and window.details.page() is window.details.pages[stage]
