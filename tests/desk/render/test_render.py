"""Renders through the real widgets; and what the files then say."""

import numpy as np
from msgspec.structs import replace
from PIL import Image
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from aulmo.command.main import describe
from aulmo.document import edits
from aulmo.surface.colour import from_hex
from desk_tools import drag, drop, key, point_of, settle, swatch_mime, type_into

LEFT, RIGHT = Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton
NONE, ALT = Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.AltModifier


def test_a_render_goes_on_while_the_artist_works_and_the_file_says_so(window, qtbot, tmp_path):
    window.session.set_stage("Render")
    page = window.details.pages["Render"]
    type_into(page.width_, "96")
    assert window.session.shot.height == 72
    page.stop.field.buttons["samples"].click()
    type_into(page.samples.field, "6")
    page.go.click()
    (card,) = window.bench.faces["Render"].rows
    window.session.apply("Repainted", edits.change_surface(window.session.document, "m", base_color=from_hex("#000000")))  # too late for the snapshot
    qtbot.waitUntil(lambda: card.outcome == "done", timeout=120000)
    with Image.open(card.job.record.out) as image:
        assert image.size == (96, 72)
        pixels = np.asarray(image).astype(int)
    red = (pixels[..., 0] > 1.5 * pixels[..., 2]) & (pixels[..., 0] > 60)
    assert red.any(), "the file shows the ball as it was when the render began"
    assert "6 samples" in card.words.text() and card.open.isVisible() and not card.picture.pixmap().isNull()
    card.again.click()
    assert len(window.bench.faces["Render"].rows) == 2
    again = window.bench.faces["Render"].rows[0]
    qtbot.waitUntil(lambda: again.outcome == "done", timeout=120000)
    assert again.job.record.out != card.job.record.out


def test_a_render_can_be_cancelled(window, qtbot):
    window.session.set_stage("Render")
    window.session.put({"shots/s/width": 2400, "shots/s/height": 1800}, told="Large")
    window.session.apply("Many", replace(window.session.document, render=replace(window.session.document.render, samples=5000)))
    card = window.bench.faces["Render"].start()
    qtbot.waitUntil(lambda: bool(card.job.state()), timeout=90000)
    assert card.bar.isVisible()
    card.cancel.click()
    qtbot.waitUntil(lambda: card.outcome == "cancelled", timeout=60000)
    assert "Stopped" in card.words.text()


def test_the_time_is_predicted_before_starting(window, qtbot):
    window.session.set_stage("Render")
    page = window.details.pages["Render"]
    page.measure.click()
    qtbot.waitUntil(lambda: page.prediction.text().startswith("About"), timeout=120000)
    assert "8 samples" in page.prediction.text()
    window.session.apply("Moved", edits.change_part(window.session.document, "ball", name="Moved"))
    assert "changed" in page.prediction.text()


def test_a_folder_that_is_gone_gets_a_sentence(window):
    window.session.set_stage("Render")
    window.session.apply("Folder", replace(window.session.document, render=replace(window.session.document.render, folder="/no/such/place")))
    assert window.bench.faces["Render"].start() is None
    assert "/no/such/place" in window.hint_line.text.text()


def test_from_drop_to_reopened_file(window, qtbot, tmp_path):
    """The whole slice: swatch by drop, undo, light turned, lens set, rendered, saved, opened again; and the file says so."""
    window.session.set_stage("Surface")
    drop(window.picture, swatch_mime("Polished brass"), point_of(window, "ball"))
    drop(window.picture, swatch_mime("Slate"), point_of(window, "ball"))
    window.session.undo()
    window.session.set_stage("Light")
    type_into(window.details.pages["Light"].turn.field, "33")
    window.session.set_stage("Frame")
    type_into(window.details.pages["Frame"].focal.field, "50")
    assert window.session.save(tmp_path / "end.aulmo", window.files.thumbnail())
    window.files.open_project(tmp_path / "end.aulmo")
    settle(qtbot, window)
    about = describe(tmp_path / "end.aulmo")
    assert {p["name"]: p["material"] for p in about["parts"]}["Ball"] == "Polished brass"
    assert about["lights"][0]["turn"] == 33 and about["cameras"][0]["focal_length_mm"] == 50
    window.session.apply("Small", edits.put_shot(window.session.document, replace(window.session.shot, width=40, height=30)))
    card = window.bench.faces["Render"].start()
    qtbot.waitUntil(lambda: card.outcome == "done", timeout=120000)
    with Image.open(card.job.record.out) as image:
        assert image.size == (40, 30)


def test_a_test_patch_settles_tells_and_never_gets_into_a_render(window, qtbot, tmp_path):
    session = window.session
    settings = replace(session.document.render, stop="samples", samples=6, folder=str(tmp_path), denoise=False)
    session.apply("Few", replace(session.document, render=settings))
    session.put({"shots/s/width": 120, "shots/s/height": 90}, told="Small")
    session.set_stage("Render")
    bench = window.bench.faces["Render"]
    before = bench.start().job
    settle(qtbot, window)
    key(window, Qt.Key.Key_X)
    tool = window.picture.tools["patch"]
    assert session.tool == "patch"
    frame = window.picture.frame_rect()
    drag(window.picture, frame.center() + QPoint(-30, -20), frame.center() + QPoint(50, 40))
    qtbot.waitUntil(lambda: tool.state is not None and tool.state.samples >= 32, timeout=90000)
    assert "samples · noise" in tool.words() and "the whole picture" in tool.words()
    seen = tool.state.picture
    assert seen.std() > 2 and abs(seen.shape[1] / 120 - 81 / frame.width()) < 0.03
    noisy, clean = tool.state.noise, tool.state.samples
    qtbot.waitUntil(lambda: tool.state.samples >= 4 * clean or tool.state.samples == 4096, timeout=90000)
    assert tool.state.noise < noisy
    after = bench.start().job  # with the patch in the hand
    qtbot.waitUntil(lambda: before.outcome == "done" and after.outcome == "done", timeout=120000)
    with Image.open(before.record.out) as one, Image.open(after.record.out) as other:
        np.testing.assert_array_equal(np.asarray(one), np.asarray(other))
    document = session.document
    QTest.mouseClick(window.picture, LEFT, NONE, tool._link.center().toPoint())
    assert session.document.render.samples == tool.state.samples and session.document is not document
    key(window, Qt.Key.Key_Escape)
    assert tool.box is None and session.tool == ""


def test_what_is_odd_is_said_before_a_render_begins(window, qtbot, tmp_path):
    session = window.session
    session.set_stage("Render")
    page = window.details.pages["Render"]
    session.put({"shots/s/width": 800, "shots/s/height": 600}, told="Size")
    session.apply("Good", replace(session.document, render=replace(session.document.render, stop="noise", noise_percent=3.0, folder=str(tmp_path))))
    qtbot.waitUntil(lambda: page.odd.isHidden() or not page.odd.text(), timeout=5000)
    session.put({"render/stop": "samples", "render/samples": 2})
    session.apply("Hidden", edits.change_part(session.document, "ball", visible=False))
    qtbot.waitUntil(lambda: "1 part hidden" in page.odd.text(), timeout=5000)
    assert "2 samples is a test value" in page.odd.text() and page.odd.isVisible()
    session.set_view(replace(session.camera, position=(0.0, -900.0, 10.0)))
    qtbot.waitUntil(lambda: "not the shot’s" in page.odd.text(), timeout=5000)
    session.put({"render/folder": str(tmp_path / "gone")})
    qtbot.waitUntil(lambda: "no folder" in page.odd.text().lower(), timeout=5000)


def test_stills_films_and_previews_have_each_their_own_quality(window):
    session = window.session
    session.set_stage("Render")
    page = window.details.pages["Render"]
    page.which.buttons["film"].click()
    assert page.stop.widget.isHidden() and page.others["film"]["scale_percent"].widget.isHidden()
    page.others["film"]["own"].put(True)
    page.refresh()
    assert not page.others["film"]["scale_percent"].widget.isHidden()
    page.others["film"]["scale_percent"].put(50.0)
    shot = session.shot
    assert page.pixels.text() == f"{shot.width // 2} × {shot.height // 2} pixels"
    page.which.buttons["still"].click()
    assert not page.stop.widget.isHidden() and session.document.render.film.scale_percent == 50.0
    page.live.put(9.0)
    assert session.document.render.live_noise_percent == 9.0


def test_done_by_a_time_measures_and_says_what_it_gives(window, qtbot):
    session = window.session
    session.set_stage("Render")
    page = window.details.pages["Render"]
    type_into(page.by, "in 1 h")
    qtbot.waitUntil(lambda: not page.by_words.isHidden(), timeout=60000)
    assert "noise" in page.by_words.text() and "done at" in page.by_words.text() and session.document.render.stop == "noise"
    said = []
    session.trouble.connect(said.append)
    type_into(page.by, "whenever")
    assert "no time to be done by" in said[-1]
