"""A file that comes again, in the window: the strip says so, nothing happens before it is taken, and taken it can be undone."""

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

import reading_here
from aulmo.document import edits
from aulmo.document.records import Material, Node, Surface
from desk_tools import answering, drag, settle
from engineering import at, box, drilled, machine, rod, send

LEFT = Qt.MouseButton.LeftButton


@pytest.fixture(scope="module", autouse=True)
def _here():
    with reading_here.in_this_process():
        yield


@pytest.fixture(scope="module")
def came(tmp_path_factory):
    """The machine's file as it came first, and what the project made of it."""
    from aulmo.document.assets import AssetStore
    from aulmo.document.records import Document
    from aulmo.prepare.arrange import first_shot
    from aulmo.prepare.import_file import import_file

    path = send(tmp_path_factory.mktemp("engineer") / "machine.step", machine())
    assets = AssetStore()
    document = first_shot(import_file(Document(name="Machine"), assets, path).document, assets)
    document = edits.put_material(document, Material(id="brass", name="Brass", surface=Surface(base_metalness=1.0)))
    return document, assets, path, path.read_bytes()


@pytest.fixture
def revision(window, qtbot, came):
    """The face Revision, the machine on the desk as it came first."""
    document, assets, path, blob = came
    path.write_bytes(blob)
    session = window.session
    session.open_document(document, assets, None)
    session.set_stage("Prepare")
    window.bench.show_face("Revision")
    settle(qtbot, window)
    bench = window.bench.faces["Prepare"]
    bench.watch._timer.setInterval(100)
    yield bench
    bench.watch._timer.setInterval(1000)


def revised(path):
    groups = machine()
    groups["Head"] = [(n, rod(12, 44) if n == "Lens" else s, c, p if n != "Knob" else [at(36.4, 0, 8)]) for n, s, c, p in groups["Head"]]
    groups["Stand"] = [(n, drilled(box(60, 40, 12), 3, 15) if n == "Base" else s, c, p) for n, s, c, p in groups["Stand"] if n != "Plate"]
    send(path, groups)


def rows(bench):
    return [bench.tree.topLevelItem(k) for k in range(bench.tree.topLevelItemCount())]


def looked_at(window, qtbot, bench):
    qtbot.waitUntil(lambda: bool(bench.watch.news), timeout=20000)
    assert window.strip.notice.isVisible() and window.strip.notice.text() == "machine.step changed"
    QTest.mouseClick(window.strip.notice, LEFT)
    qtbot.waitUntil(lambda: bench.trial is not None and not window.session.tasks, timeout=60000)


def test_from_the_strip_to_the_taken_revision_and_back(window, qtbot, revision, came):
    session, start = window.session, window.session.document
    assert not window.strip.notice.isVisible() and "No file has changed" in revision.empty.text()
    revised(came[2])
    looked_at(window, qtbot, revision)
    assert session.document is start, "nothing happens before it is taken"
    told = [(r.text(0)[3:], r.text(1), r.text(2), r.text(3)) for r in rows(revision)]
    assert told == [
        ("gone", "Plate", "", "nothing hangs on it"), ("reshaped", "Base", "1 face more", "kept"), ("reshaped", "Lens", "14 mm taller", "kept"),
        ("moved", "Knob", "2.4 mm along x", "kept"),
    ]  # fmt: skip
    assert revision.summary.text() == "4 changes"
    knob = rows(revision)[3]
    tick = revision.tree.visualItemRect(knob)
    QTest.mouseClick(revision.tree.viewport(), LEFT, pos=QPoint(tick.left() + 12, tick.center().y()))
    assert knob.checkState(0) == Qt.CheckState.Unchecked
    qtbot.waitUntil(lambda: not session.tasks, timeout=20000)
    QTest.mouseClick(revision.take_it, LEFT)
    qtbot.waitUntil(lambda: session.document is not start and not session.tasks, timeout=30000)
    part = {p.name: p for p in session.document.parts.values()}
    assert "Plate" not in part and np.ptp(session.assets.mesh(part["Lens"].mesh).vertices[:, 2]) == pytest.approx(44, abs=0.01)
    assert part["Knob"].placement.position[0] == pytest.approx(34) and session.history.undo_sentence == "Took machine.step: 3 changes"
    qtbot.waitUntil(lambda: not window.strip.notice.isVisible(), timeout=5000)
    window.registry.run("undo")
    assert session.document is start


def test_both_states_are_wiped_over_each_other_and_the_line_is_pulled(window, qtbot, revision, came):
    picture = window.picture
    revised(came[2])
    looked_at(window, qtbot, revision)
    marks = next(o for o in picture.overlays if type(o).__name__ == "RevisionMarks")
    qtbot.waitUntil(lambda: marks._image is not None and not window.session.tasks, timeout=30000)
    assert revision.mode.value() == "wipe"
    frame = picture.frame_rect()
    drag(picture, QPoint(int(marks._cut()), frame.center().y()), QPoint(frame.left() + frame.width() // 4, frame.center().y()))
    assert marks.share == pytest.approx(0.25, abs=0.02)
    lens = next(r for r in rows(revision) if r.text(1) == "Lens")
    revision.tree.setCurrentItem(lens)
    assert window.session.selection == (next(i for i, p in window.session.document.parts.items() if p.name == "Lens"),)
    QTest.mouseClick(revision.mode.buttons["blink"], LEFT)
    assert marks._blink.isActive()
    QTest.mouseClick(revision.mode.buttons[""], LEFT)
    assert not marks._blink.isActive()


def test_left_is_left_until_the_file_changes_again(window, qtbot, revision, came):
    revised(came[2])
    looked_at(window, qtbot, revision)
    QTest.mouseClick(revision.leave, LEFT)
    assert revision.revision is None and not window.strip.notice.isVisible()
    qtbot.wait(500)
    assert not revision.watch.news
    send(came[2], {**machine(), "More": [("Pin", rod(2, 9), (0.5, 0.5, 0.5), [at(20, 0, 12)])]})
    qtbot.waitUntil(lambda: bool(revision.watch.news), timeout=20000)


def test_bringing_in_what_is_there_asks_whether_it_is_a_revision(window, qtbot, revision, came):
    session, start = window.session, window.session.document
    revised(came[2])
    asked: list = []
    answering("n", asked)
    window.built["Prepare"].commands.bring_in([came[2]])
    qtbot.waitUntil(lambda: revision.trial is not None and not session.tasks, timeout=60000)
    assert session.document is start and len(rows(revision)) == 4
    answering("b", asked)
    window.built["Prepare"].commands.bring_in([came[2]])
    qtbot.waitUntil(lambda: session.document is not start and not session.tasks, timeout=60000)
    assert len(session.document.sources) == 2


def test_what_could_not_be_kept_is_told_until_it_is_dismissed(window, qtbot, revision, came):
    from aulmo import script

    session = window.session
    plate = next(i for i, p in session.document.parts.items() if p.name == "Plate")
    session.apply("Keyed", script.add_key(session.document, f"parts/{plate}/placement/position", 0.0, (0.0, -21.0, 2.0)))
    revised(came[2])
    looked_at(window, qtbot, revision)
    gone = rows(revision)[0]
    assert gone.text(3) == "is gone: 1 key kept aside" and "1 to look at" in revision.summary.text()
    QTest.mouseClick(revision.take_it, LEFT)
    qtbot.waitUntil(lambda: revision.put_away.isVisible() and not session.tasks, timeout=30000)
    assert "Plate is gone: 1 key kept aside" in revision.empty.text() and plate in session.document.parts
    QTest.mouseClick(revision.put_away, LEFT)
    assert plate not in session.document.parts and not revision.put_away.isVisible()


def test_a_picture_that_changed_is_told_seen_and_taken(window, qtbot, revision, tmp_path):
    from PIL import Image

    from aulmo.surface.picture_set import load_picture

    session = window.session
    path = tmp_path / "label.png"
    Image.new("RGB", (40, 20), (200, 0, 0)).save(path)
    label = load_picture(session.assets, path)
    session.apply("A label", edits.put_material(session.document, Material(id="brass", name="Brass", nodes=(Node("n", "image", image=label),))))
    before = session.document
    revision.watch.look()
    qtbot.wait(400)
    assert not revision.watch.news
    Image.new("RGB", (64, 64), (0, 0, 200)).save(path)
    qtbot.waitUntil(lambda: bool(revision.watch.news), timeout=20000)
    assert window.strip.notice.text() == "label.png changed"
    QTest.mouseClick(window.strip.notice, LEFT)
    qtbot.waitUntil(lambda: revision.trial is not None and not session.tasks, timeout=20000)
    assert [[r.text(k) for k in range(4)] for r in rows(revision)] == [["▣  picture", "label.png", "64 × 64", "on Brass"]]
    assert session.document is before and revision.trial.materials["brass"].nodes[0].image != label
    QTest.mouseClick(revision.take_it, LEFT)
    assert session.document.materials["brass"].nodes[0].image != label and session.history.undo_sentence == "Took label.png"
    qtbot.wait(400)
    assert not revision.watch.news and not window.strip.notice.isVisible()
    window.registry.run("undo")
    assert session.document is before
