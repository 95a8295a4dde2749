"""Health in the window: what is wrong is listed, shown where it is, and mended by a click."""

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from aulmo.desk.prepare.bench_health import MEND, SHOW
from aulmo.document import edits
from aulmo.document.placement import world_matrix
from aulmo.document.records import Camera
from desk_tools import settle
from rooms import PLACE, hall
from shapes import box_mesh

LEFT = Qt.MouseButton.LeftButton


@pytest.fixture
def health(window, qtbot):
    """Health of a ball, a box without its lid, and one with a face turned."""
    session, assets = window.session, window.session.assets
    box = box_mesh(30)
    lidless = assets.add_mesh(box._replace(triangles=box.triangles[:-2]))
    turned = assets.add_mesh(box._replace(triangles=np.concatenate([box.triangles[:-2], box.triangles[-2:, ::-1]])))
    document = edits.change_part(edits.change_part(session.document, "left", mesh=lidless), "right", mesh=turned)
    session.set_stage("Prepare")
    session.apply("Damaged", document)
    settle(qtbot, window)
    bench = window.bench.faces["Prepare"]
    bench._later.setInterval(50)
    bench._later.start()
    qtbot.waitUntil(lambda: len(bench.found) == 2 and not session.tasks, timeout=30000)
    yield bench
    bench._later.setInterval(1500)


def rows(bench):
    tops = [bench.tree.topLevelItem(k) for k in range(bench.tree.topLevelItemCount())]
    return tops, [top.child(k) for top in tops for k in range(top.childCount())]


def click(bench, item, column):
    bench.tree.scrollToItem(item)
    box = bench.tree.visualItemRect(item)
    x = bench.tree.columnViewportPosition(column) + bench.tree.columnWidth(column) // 2
    QTest.mouseClick(bench.tree.viewport(), LEFT, pos=QPoint(x, box.center().y()))


def test_findings_are_listed_with_kind_part_and_size_and_a_click_selects(health, window):
    tops, found = rows(health)
    assert [t.text(0) for t in tops] == ["Faces turned the wrong way · 1", "Holes · 1"]
    assert [(f.text(0), f.text(1)) for f in found] == [("Right box", "30 mm"), ("Left box", "30 mm")]
    click(health, found[1], 0)
    assert window.session.selection == ("left",) and health.current.kind == "hole"
    assert health.summary.text() == "2 findings"


def test_show_me_goes_there_and_draws_the_place(health, window, qtbot):
    picture = window.picture
    _, found = rows(health)
    click(health, found[0], SHOW)
    settle(qtbot, window)
    at = picture.place_on_screen(world_matrix(window.session.document, "right")[:3, 3])
    assert abs(at.x() - picture.width() / 2) < 0.2 * picture.width() and abs(at.y() - picture.height() / 2) < 0.25 * picture.height()

    def hatched() -> int:
        image = picture.grab().toImage()
        marks = health.found
        with_marks = np.array(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine() // 4, 4)[:, : image.width()].astype(int)
        health.found = []
        image = picture.grab().toImage()
        health.found = marks
        bare = np.array(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine() // 4, 4)[:, : image.width()].astype(int)
        return int((np.abs(with_marks - bare).max(2) > 12).sum())

    assert hatched() > 200


def test_one_is_mended_and_the_next_by_a_click_on_its_rim_and_both_are_undone(health, window, qtbot):
    session, picture = window.session, window.picture
    said: list[str] = []
    session.hint.connect(said.append)
    start = session.document
    _, found = rows(health)
    click(health, found[0], MEND)
    qtbot.waitUntil(lambda: len(health.found) == 1 and not session.tasks, timeout=30000)
    assert "2 findings before, 1 now" in said and session.history.undo_sentence == "Mended Right box"
    hole = health.found[0]
    health.show_place(hole)
    settle(qtbot, window)
    seen = picture.places_on_screen(np.array(hole.points))
    edge = QPoint(*(0.5 * (seen[0, :2] + seen[1, :2])).astype(int).tolist())
    QTest.mouseMove(picture, edge)
    QTest.mouseClick(picture, LEFT, pos=edge)
    qtbot.waitUntil(lambda: not health.found and not session.tasks, timeout=30000)
    assert "Nothing is wrong" in health.empty.text() and session.history.undo_sentence == "Mended Left box"
    window.registry.run("undo")
    window.registry.run("undo")
    assert session.document is start
    session.hint.disconnect(said.append)


def test_all_are_mended_in_one_step(health, window, qtbot):
    session = window.session
    start = session.document
    QTest.mouseClick(health.mend_all, LEFT)
    qtbot.waitUntil(lambda: not health.found and not session.tasks, timeout=30000)
    window.registry.run("undo")
    assert session.document is start


def test_light_leaks_of_a_room_are_listed_patched_and_told_apart_from_windows(window, qtbot):
    document, assets = hall([(3, 1500.0, 1506.0, 800.0, 1300.0), (5, 1000.0, 1008.0, 900.0, 1300.0)])
    session = window.session
    session.open_document(document, assets, None)
    session.set_stage("Prepare")
    settle(qtbot, window)
    session.set_view(Camera(id="", name="Within", position=PLACE, target=(4000.0, 1500.0, 1000.0), focal_length_mm=24.0))
    bench = window.bench.faces["Prepare"]
    QTest.mouseClick(bench.probe, LEFT)
    qtbot.waitUntil(lambda: len(bench.leaks) == 2 and not session.tasks, timeout=30000)
    tops, found = rows(bench)
    mine = [f for f in found if f.text(4) == "Patch"]
    assert tops[-1].text(0) == "Light leaks · 2" and [f.text(1) for f in mine] == ["8 mm", "6 mm"]
    click(bench, mine[0], 2)
    assert len(session.document.windows) == 1 and len(bench.leaks) == 1
    click(bench, rows(bench)[1][-1], MEND)
    assert not bench.leaks and any(p.name == "Patch" for p in session.document.parts.values())
    QTest.mouseClick(bench.probe, LEFT)
    qtbot.waitUntil(lambda: bench._probed and not session.tasks, timeout=30000)
    assert not bench.leaks
