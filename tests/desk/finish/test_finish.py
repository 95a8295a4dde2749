"""Finish through the real window: a render is opened, balanced, graded, masked, held against a reference, matched, saved; and what the files say."""

import numpy as np
import pytest
from msgspec.structs import replace
from PIL import Image
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractItemView

from aulmo import script
from aulmo.deliver.picture_file import write_picture
from aulmo.desk.widgets.painting import image_of
from aulmo.document.records import Environment, Lamp
from aulmo.finish.planes import read_planes
from aulmo.trace.tracer import render
from desk_tools import drag, drop, file_mime, type_into, wheel

LEFT = Qt.MouseButton.LeftButton
NONE = Qt.KeyboardModifier.NoModifier
SIZE = (160, 120)
_rendered: dict = {}


def lit(document):
    """The window's project in two lamps' light."""
    lamps = {
        "k": Lamp("k", "Key", position=(-200.0, -300.0, 300.0), power=3000.0, group="Key"),
        "r": Lamp("r", "Rim", position=(300.0, 100.0, 200.0), power=2000.0, group="Rim"),
    }
    shot = replace(document.shots[0], width=SIZE[0], height=SIZE[1])
    return replace(document, lamps=lamps, shots=(shot,), environment=Environment(kind="colour", colour=(0.05, 0.05, 0.05)))


@pytest.fixture
def finish(window, qtbot, tmp_path):
    """The window in Finish, working on a render with its passes."""
    session = window.session
    session.apply("Lit", lit(session.document))
    if "picture" not in _rendered:
        settings = replace(session.document.render, samples=16, passes=("groups", "mattes", "surface", "shadow"))
        _rendered["picture"] = render(session.document, session.assets, session.shot, SIZE, settings)
    path = tmp_path / "render.exr"
    write_picture(_rendered["picture"], path, "exr32")
    session.set_stage("Finish")
    window.finish = window.built["Finish"].commands.finish
    drop(window.picture, file_mime(path), QPoint(200, 200))
    qtbot.waitUntil(lambda: window.finish.path == path and window.finish.seen is not None, timeout=30000)
    return window


def settled(qtbot, window) -> np.ndarray:
    """The finished picture of the document as it is."""
    qtbot.waitUntil(lambda: not window.finish.busy, timeout=30000)
    return window.finish.seen.display


def bench(window):
    return window.bench.stack.currentWidget()


def row_of(window, name):
    (found,) = [r for r in bench(window).list._rows.values() if r.text(2) == name]
    return found


def at(window, x: float, y: float) -> QPoint:
    point = window.built["Finish"].commands.marks.point_of(x, y)
    return QPoint(round(point.x()), round(point.y()))


def part_at(window, part: str) -> QPoint:
    """A point of the finished picture where a part is seen."""
    names = {p.id: p.name for p in window.session.document.parts.values()}
    matte = window.finish.whole.matte("part", names[part])
    y, x = np.argwhere(matte > 0.99)[len(np.argwhere(matte > 0.99)) // 2]
    return at(window, (x + 0.5) / SIZE[0], (y + 0.5) / SIZE[1])


def test_from_a_dropped_render_to_the_saved_file(finish, qtbot, tmp_path):
    window, session = finish, finish.session
    before = settled(qtbot, window).copy()
    # a light two stops brighter, by its field
    session.face_wanted.emit("Light balance")
    balance = bench(window)
    row = next(r for r in balance.rows if r.name == "Rim")
    type_into(row.field, "2 stops")
    brighter = settled(qtbot, window)
    assert brighter.mean() > before.mean() + 0.01 and balance.words.text().startswith("1 of")
    # a grade, by the slider of its page
    session.face_wanted.emit("Layers")
    bench(window)._layer("grade")
    page = window.details.page()
    assert page.title.text() == "Grade" and bench(window).list.isVisible()
    exposure = next(b for b in page.bound if b.template.endswith("grade/exposure"))
    type_into(exposure.field, "-1")
    assert settled(qtbot, window).mean() < brighter.mean()
    # another, for the part that is clicked in the picture
    QTest.mouseClick(window.picture, LEFT, NONE, part_at(window, "left"))
    assert session.selection == ("left",)
    bench(window)._layer("grade")
    QTest.mouseClick(window.picture, LEFT, NONE, part_at(window, "left"))
    plain = settled(qtbot, window).copy()
    bench(window)._mask("part")
    saturation = next(b for b in page.bound if b.template.endswith("grade/saturation"))
    type_into(saturation.field, "-1")
    masked = settled(qtbot, window)
    changed = np.abs(masked - plain).max(-1) > 0.02
    matte = window.finish.small.matte("part", "Left box")
    assert changed.any() and not changed[matte < 0.01].any() and row_of(window, "Grade 2").text(3) == "grade · mask: Left box"
    # held B shows the picture before
    window.picture.setFocus()
    QTest.keyPress(window.picture, Qt.Key.Key_B)
    assert window.finish.before
    QTest.keyRelease(window.picture, Qt.Key.Key_B)
    assert not window.finish.before
    # saved, the file is what the library makes of it
    out = tmp_path / "out.png"
    window.built["Finish"].commands.export(str(out))
    qtbot.waitUntil(out.exists, timeout=30000)
    with Image.open(out) as image:
        pixels = np.asarray(image.convert("RGB")).astype(float)
    wanted = script.finish_array(session.document, session.assets, session.shot.name, read_planes(window.finish.path))
    assert pixels.shape == (SIZE[1], SIZE[0], 3) and np.abs(pixels - 255 * wanted).max() < 1.01
    both = tmp_path / "both.png"
    window.built["Finish"].commands.export_both(str(both))
    qtbot.waitUntil(both.exists, timeout=30000)
    with Image.open(both) as image:
        assert image.size == (2 * SIZE[0] + 1, SIZE[1])
    # all of it is taken back step by step
    for _ in range(40):
        if session.document.finishes == {}:
            break
        session.undo()
    assert session.document.finishes == {} and np.abs(settled(qtbot, window) - before).max() < 1e-6


def test_a_reference_is_dropped_held_and_matched(finish, qtbot, tmp_path):
    window, commands = finish, finish.built["Finish"].commands
    desk = window.finish
    target = np.clip(settled(qtbot, window) * np.array([1.25, 1.1, 0.85]), 0, 1)
    image_of(target).save(str(tmp_path / "brief.png"))
    said = drop(window.picture, file_mime(tmp_path / "brief.png"), QPoint(200, 200))
    assert "reference" in said
    qtbot.waitUntil(lambda: desk.reference is not None, timeout=10000)
    assert desk.against == "beside" and desk.finish.reference_file == "brief.png"
    here, there = commands.marks.areas()
    assert there is not None and there.right() < here.left()
    for wanted in ("split", "wipe", "blink", "", "pinned", "beside"):
        window.registry.run("finish_reference")
        assert desk.against == wanted
    bench(window)._layer("grade")
    apart_before = np.abs(settled(qtbot, window).mean((0, 1)) - target.mean((0, 1))).max()
    page = window.details.page()
    page.suggest.click()
    qtbot.waitUntil(lambda: commands.suggestion_words != "", timeout=30000)
    assert np.abs(settled(qtbot, window).mean((0, 1)) - target.mean((0, 1))).max() < 0.45 * apart_before
    grade = desk.layer.grade
    assert grade.kelvin != 6500 and "White" in page.told.text() or "white" in page.told.text()
    exposure = next(b for b in page.bound if b.template.endswith("grade/exposure"))
    assert exposure.field.value() == pytest.approx(grade.exposure)
    # two places against one another
    window.registry.run("finish_pair")
    QTest.mouseClick(window.picture, LEFT, NONE, at(window, 0.3, 0.5))
    point = commands.marks.point_of(0.3, 0.5, True)
    QTest.mouseClick(window.picture, LEFT, NONE, QPoint(round(point.x()), round(point.y())))
    assert len(commands.marks.pairs) == 1 and "stops" in window.picture._label[1]
    assert "By 1 pair" in page.told.text() or not page.isVisible()


def test_shapes_are_pulled_painted_and_shown(finish, qtbot):
    window, desk, session = finish, finish.finish, finish.session
    marks = window.built["Finish"].commands.marks
    bench(window)._layer("grade")
    bench(window)._mask("ellipse")
    steps = len(session.history._past) if hasattr(session.history, "_past") else None
    handles = marks.handles()
    drag(window.picture, handles["move"].toPoint(), at(window, 0.3, 0.4))
    assert (desk.mask.across, desk.mask.down) == (pytest.approx(0.3, abs=0.01), pytest.approx(0.4, abs=0.01))
    width = marks.handles()["width"]
    drag(window.picture, width.toPoint(), (width + QPointF(30, 0)).toPoint())
    assert desk.mask.width > 0.55
    feather = marks.handles()["feather"]
    drag(window.picture, feather.toPoint(), (feather + QPointF(20, 0)).toPoint())
    assert desk.mask.feather > 70
    if steps is not None:
        assert len(session.history._past) - steps == 3, "a pull is one step"
    session.undo()
    assert desk.mask.feather == pytest.approx(60)
    settled(qtbot, window)
    assert desk.seen.mask is not None and desk.seen.mask.max() > 0.9
    plain = window.picture.grab().toImage()
    window.details.page().stripes.click()
    assert window.picture.grab().toImage() != plain
    # the brush
    bench(window)._mask("brush")
    assert session.tool == "finish_brush"
    drag(window.picture, at(window, 0.6, 0.6), at(window, 0.8, 0.6))
    (stroke,) = desk.mask.strokes
    assert stroke.points[0] == (pytest.approx(0.6, abs=0.01), pytest.approx(0.6, abs=0.01)) and len(stroke.points) > 1
    size = window.picture.tools["finish_brush"].size
    wheel(window.picture, at(window, 0.5, 0.5), 1)
    assert window.picture.tools["finish_brush"].size > size
    session.set_tool("")
    # a polygon
    bench(window)._mask("polygon")
    for corner in ((0.1, 0.1), (0.3, 0.1), (0.2, 0.3)):
        QTest.mouseClick(window.picture, LEFT, NONE, at(window, *corner))
    QTest.keyClick(window.picture, Qt.Key.Key_Return)
    assert len(desk.mask.points) == 3 and session.tool == ""
    assert len(desk.layer.masks) == 3
    window.registry.run("delete")
    assert len(desk.layer.masks) == 2


def test_the_stack_is_reordered_grouped_switched_and_shown_alone(finish, qtbot):
    window, desk = finish, finish.finish
    for kind in ("grade", "text", "stack"):
        bench(window)._layer(kind)
    names = [x.name for x in desk.finish.layers]
    assert names == ["Grade", "Text", "Group"]
    rows = bench(window).list
    above = QAbstractItemView.DropIndicatorPosition.AboveItem
    rows.move_layer(desk.finish.layers[0].id, desk.finish.layers[2].id, QAbstractItemView.DropIndicatorPosition.OnItem)
    assert [(x.name, bool(x.inside)) for x in desk.finish.layers] == [("Text", False), ("Grade", True), ("Group", False)]
    assert row_of(window, "Grade").parent() is row_of(window, "Group")
    rows.move_layer(desk.finish.layers[0].id, desk.finish.layers[2].id, above)
    assert [x.name for x in desk.finish.layers] == ["Grade", "Group", "Text"]
    shown = settled(qtbot, window).copy()
    rows.itemClicked.emit(row_of(window, "Text"), 0)
    assert not desk.finish.layers[2].on and np.abs(settled(qtbot, window) - shown).max() > 0.05
    rows.itemClicked.emit(row_of(window, "Text"), 0)
    row = row_of(window, "Text")
    row.setText(4, "40 %")
    assert desk.finish.layers[2].opacity == pytest.approx(0.4)
    rows.itemClicked.emit(row_of(window, "Text"), 2)
    window.registry.run("duplicate")
    assert [x.name for x in desk.finish.layers][-1] == "Text 2"
    rows.itemClicked.emit(row_of(window, "Grade"), 1)
    assert desk.solo and bench(window).words.text() == "One layer alone"
    rows.itemClicked.emit(row_of(window, "Grade"), 1)


def test_greys_blacks_curves_hues_and_tables(finish, qtbot, tmp_path):
    window, desk, session = finish, finish.finish, finish.session
    bench(window)._layer("grade")
    page = window.details.page()
    session.toggle_tool("finish_grey")
    QTest.mouseClick(window.picture, LEFT, NONE, part_at(window, "ball"))  # red, taken for grey
    assert session.tool == "" and desk.layer.grade.kelvin < 4000
    value = settled(qtbot, window)
    matte = desk.small.matte("part", "Ball")
    red, blue = (value[..., c][matte > 0.99].mean() for c in (0, 2))
    assert red < 1.6 * blue
    page.curve.show()
    box = page.curve._box()
    QTest.mouseClick(page.curve, LEFT, NONE, QPoint(round(box.center().x()), round(box.top() + 0.3 * box.height())))
    assert desk.layer.grade.curve[0][1] == pytest.approx(0.7, abs=0.03)
    bar = page.hues
    QTest.mouseClick(bar, LEFT, NONE, QPoint(20, 13))
    assert len(desk.layer.grade.hues) == 1
    type_into(page.band["saturation"], "-1")
    assert desk.layer.grade.hues[0].saturation == -1
    page.no_band.click()
    assert desk.layer.grade.hues == ()
    (tmp_path / "bad.cube").write_text("LUT_3D_SIZE 4\n0 0 0\n")
    troubles = []
    session.trouble.connect(troubles.append)
    drop(window.picture, file_mime(tmp_path / "bad.cube"), QPoint(200, 200))
    assert "cut short" in troubles[-1] and desk.layer.grade.lut is None
    window.built["Finish"].commands.save_cube(str(tmp_path / "look.cube"))
    assert (tmp_path / "look.cube").read_text().startswith("TITLE")
    drop(window.picture, file_mime(tmp_path / "look.cube"), QPoint(200, 200))
    assert desk.layer.grade.lut is not None and "look.cube" in page.lut.text()
    # presets
    commands = window.built["Finish"].commands
    commands.save_preset("Mine")
    commands.clear()
    assert desk.finish.layers == ()
    commands.take_preset("Mine")
    assert desk.finish.layers[0].grade.lut is not None and commands.presets() == ["Mine"]


def test_lights_come_on_by_keys_and_k_keys_the_layer_in_hand(finish, qtbot):
    window, desk, session = finish, finish.finish, finish.session
    session.face_wanted.emit("Light balance")
    row = next(r for r in bench(window).rows if r.name == "Key")
    type_into(row.field, "-8 stops")
    QTest.mouseClick(row.mark, LEFT, NONE, QPoint(6, 9))
    assert row.mark.state == "here"
    session.set_time(1.0)
    row = next(r for r in bench(window).rows if r.name == "Key")
    session.set_recording(True)
    type_into(row.field, "0 stops")
    session.set_recording(False)
    address = f"finishes/{desk.finish.id}/balance/Key/stops"
    assert [(k.time, k.value) for k in session.document.keys[address]] == [(0.0, -8.0), (1.0, 0.0)]
    bright = settled(qtbot, window).mean()
    session.set_time(0.25)
    assert settled(qtbot, window).mean() < bright - 0.02 and row.field.value() == pytest.approx(-6.0, abs=0.8)
    session.face_wanted.emit("Layers")
    bench(window)._layer("grade")
    desk.set_grade("Brighter", exposure=1.0)
    window.picture.setFocus()
    window.registry.run("key")
    layer = desk.address()
    assert {a for a in session.document.keys if a.startswith(layer)} == {f"{layer}/opacity", f"{layer}/grade/exposure"}
    assert not any(a.startswith("cameras/") for a in session.document.keys)


def test_what_cannot_be_made_is_marked_and_the_rest_is_shown(finish, qtbot, tmp_path):
    window, desk, session = finish, finish.finish, finish.session
    desk.add_layer("group", "Moonlight", source="Moon")
    settled(qtbot, window)
    assert "no pass group.Moon" in row_of(window, "Moonlight").text(3) and bench(window).words.text() == "1 left out"
    assert "Left out" in window.details.page().words.text()
    troubles = []
    session.trouble.connect(troubles.append)
    (tmp_path / "broken.exr").write_bytes(b"v/1\x01 nothing")
    drop(window.picture, file_mime(tmp_path / "broken.exr"), QPoint(200, 200))
    qtbot.waitUntil(lambda: bool(troubles), timeout=10000)
    assert "broken.exr" in troubles[-1] and desk.path.name == "render.exr"
    session.face_wanted.emit("Passes")
    passes = bench(window)
    qtbot.waitUntil(lambda: passes.list.count() > 5, timeout=20000)
    titles = [passes.list.item(k).text() for k in range(passes.list.count())]
    assert {"Key", "Rim", "depth", "shadow"} <= set(titles)
    passes.list.setCurrentRow(titles.index("Rim"))
    passes.lay.click()
    assert desk.layer.kind == "group" and desk.layer.source == "Rim"


def test_the_live_picture_is_finished_while_it_is_traced(window, qtbot):
    session = window.session
    session.apply("Lit", lit(session.document))
    desk = window.built["Finish"].commands.finish
    window.picture.set_traced(True)
    session.set_stage("Finish")
    qtbot.waitUntil(lambda: desk.seen is not None and desk.whole is not None and "Rim" in desk.whole.groups, timeout=180000)
    state = window.picture.state
    desk.put_balance("Rim", stops=2.0)
    desk.add_layer("grade")
    before = desk.seen.display.mean()
    desk.set_grade("Brighter", exposure=1.0)
    qtbot.waitUntil(lambda: desk.seen.display.mean() > before + 0.02, timeout=30000)
    assert window.picture.state.request is state.request, "a finish does not begin the tracing anew"
    session.face_wanted.emit("Light balance")
    bench(window).send.click()
    assert session.document.lamps["r"].stops == 2.0 and desk.finish.balance == {}


def test_a_render_is_finished_as_one_job_and_opened_again(window, qtbot, tmp_path):
    session = window.session
    session.apply("Lit", lit(session.document))
    document = script.add_grade(session.document, session.shot.name, exposure=-2.0)
    session.apply("Graded", script.add_grade(document, session.shot.name, "Left box", saturation=-1.0))
    session.set_stage("Render")
    card = window.bench.faces["Render"].start()
    qtbot.waitUntil(lambda: card.outcome == "done", timeout=120000)
    desk = window.built["Finish"].commands.finish
    action = next(a for a in card.menu().actions() if a.text() == "Open in Finish")
    action.trigger()
    qtbot.waitUntil(lambda: desk.path is not None and desk.seen is not None, timeout=30000)
    assert session.stage == "Finish" and desk.path.name == "negative.exr"
    with Image.open(card.job.record.out) as image:
        made = np.asarray(image.convert("RGB")).astype(float) / 255
    wanted = script.finish_array(session.document, session.assets, session.shot.name, desk.path)
    assert np.abs(made - wanted).mean() < 1.5 / 255  # the light is kept in half floats
    plain = script.finish_array(lit(session.document), session.assets, session.shot.name, desk.path)
    assert plain.mean() > 0 and not desk.seen.faults


def test_black_is_clicked_and_light_parts_say_that_they_cannot_be(finish, qtbot):
    window, desk, session = finish, finish.finish, finish.session
    bench(window)._layer("grade")
    display = settled(qtbot, window)
    y, x = np.unravel_index(int(np.argmin(display.sum(-1))), display.shape[:2])
    light, column = np.unravel_index(int(np.argmax(display.sum(-1))), display.shape[:2])
    said = []
    session.hint.connect(said.append)
    session.set_tool("finish_black")
    QTest.mouseClick(window.picture, LEFT, NONE, at(window, (column + 0.5) / display.shape[1], (light + 0.5) / display.shape[0]))
    assert "too light" in said[-1] and desk.layer.grade.blacks == 0
    desk.set_grade("Darker", exposure=-4.0)
    before = settled(qtbot, window)[y, x].copy()
    QTest.mouseClick(window.picture, LEFT, NONE, at(window, (x + 0.5) / display.shape[1], (y + 0.5) / display.shape[0]))
    assert desk.layer.grade.blacks < 0 and session.tool == ""
    assert settled(qtbot, window)[y, x].sum() < before.sum()


def test_tones_are_pulled_where_they_lie_and_hues_on_their_bar(finish, qtbot):
    window, desk = finish, finish.finish
    bench(window)._layer("grade")
    page = window.details.page()
    bar = page.tones
    settled(qtbot, window)
    assert bar.tones is not None and bar.tones[3].sum() > 0.5
    spots = [bar.place(f).x() for f in ("blacks", "shadows", "middle", "highlights", "whites")]
    assert spots == sorted(spots)
    before = settled(qtbot, window).copy()
    at = bar.place("middle").toPoint()
    drag(bar, at, at - QPoint(0, 12))
    assert desk.layer.grade.middle == pytest.approx(0.5, abs=0.02) and page.rows["middle"].field.value() == desk.layer.grade.middle
    after = settled(qtbot, window)
    grey = np.abs(before.mean(-1) - 0.46) < 0.08
    assert (after.mean(-1) - before.mean(-1))[grey].mean() > 0.03
    session = window.session
    session.undo()
    assert desk.layer.grade.middle == 0.0, "one pull is one step"
    type_into(page.rows["whites"].field, "0.3")
    assert desk.layer.grade.whites == 0.3
    QTest.mouseDClick(bar, LEFT, NONE, bar.place("whites").toPoint())
    assert desk.layer.grade.whites == 0.0
    hues = page.hues
    QTest.mouseClick(hues, LEFT, NONE, QPoint(40, 10))
    drag(hues, QPoint(40, 48), QPoint(40, 36))
    assert len(desk.layer.grade.hues) == 1 and desk.layer.grade.hues[0].saturation == pytest.approx(0.5, abs=0.03)
    QTest.mouseClick(bar, Qt.MouseButton.RightButton, NONE, bar.place("middle").toPoint())
    assert f"{desk.address()}/grade/middle" in session.document.keys and "middle" in bar.keyed
