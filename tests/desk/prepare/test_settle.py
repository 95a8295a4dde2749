"""Settle in the window: let fall, look at a moment, keep it."""

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from aulmo.document import edits
from aulmo.document.apart import here
from aulmo.document.placement import world_matrix
from aulmo.prepare import arrange
from aulmo.prepare.settle import physics

LEFT = Qt.MouseButton.LeftButton


@pytest.fixture
def bench(window, monkeypatch):
    """The face, with two parts lifted and chosen."""
    for name in ("convex_pieces", "begin", "more"):
        monkeypatch.setattr(physics, name, here(getattr(physics, name)))
    session = window.session
    session.set_stage("Prepare")
    window.bench.show_face("Settle")
    session.apply("Lifted", arrange.move_in_world(session.document, ["left", "right"], (0, 0, 30)))
    session.select(["left", "right"])
    yield window.built["Prepare"].faces["Settle"]
    physics.end_here()


def fallen(bench, qtbot):
    QTest.mouseClick(bench.go, LEFT)
    qtbot.waitUntil(lambda: bench.fall is not None, timeout=30000)


def height(document, part_id):
    return world_matrix(document, part_id)[2, 3]


def test_a_moment_is_seen_and_only_what_is_kept_changes_the_project(bench, window, qtbot):
    session = window.session
    start = session.document
    assert bench.words.text() == "2 things would fall" and bench.keep.isHidden()
    fallen(bench, qtbot)
    assert session.document is start and "rest" in bench.told.text()
    low = height(session.resolved, "left")
    assert low < height(start, "left") - 5
    bench.moment.setValue(0)
    assert height(session.resolved, "left") == height(start, "left")
    window.bench.show_face("Arrange")  # elsewhere the project is seen as it is
    bench.moment.setValue(bench.moment.maximum())
    assert session.resolved.parts["left"] is start.parts["left"]
    window.bench.show_face("Settle")
    assert height(session.resolved, "left") == low
    QTest.mouseClick(bench.keep, LEFT)
    assert height(session.document, "left") == low and session.history.undo_sentence == "Settled 2 things"
    assert bench.fall is None and not session.tried
    window.registry.run("undo")
    assert session.document is start


def test_another_seed_falls_otherwise_and_the_fall_becomes_a_motion(bench, window, qtbot):
    session = window.session
    start = session.document
    fallen(bench, qtbot)
    first = bench.fall
    QTest.mouseClick(next(b for b in bench.findChildren(type(bench.keep)) if b.text() == "Another"), LEFT)
    qtbot.waitUntil(lambda: bench.fall is not first, timeout=30000)
    assert bench.seed.value() == 2
    QTest.mouseClick(bench.film, LEFT)
    assert set(session.document.keys) == {f"parts/{i}/placement/{f}" for i in ("left", "right") for f in ("position", "turn")}
    assert session.document.parts is start.parts
    session.set_time(session.document.keys["parts/left/placement/position"][-1].time)
    assert height(session.resolved, "left") < height(start, "left") - 5


def test_a_change_ends_what_is_looked_at_and_takes_nothing_of_it(bench, window, qtbot):
    session = window.session
    fallen(bench, qtbot)
    session.apply("Renamed", edits.change_part(session.as_now, "right", name="Other"))
    assert height(session.document, "left") == height(session.resolved, "left") > 25 and bench.fall is None
