"""A window that is put back is like a new one; and what is seen of a project before it is drawn."""

import time

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from aulmo.desk.shell.window import Window
from aulmo.document import project_file


def told(window: Window) -> dict:
    """What an artist sees of a window that has nothing open."""
    session = window.session
    return {
        "stage": session.stage, "tool": session.tool, "alone": session.node_alone,
        "faces": {stage: type(face).__name__ for stage, face in window.bench.faces.items()}, "parts": len(session.document.parts),
        "panels": (window.parts.isHidden(), window.details.isHidden()), "selection": session.selection, "traced": window.picture.traced,
        "looked for": window.parts.search.text(), "undo": session.history.undo_sentence,
        "actions": [name for name, action in window.registry.actions.items() if not action.isEnabled()],
    }  # fmt: skip


@pytest.mark.fresh
def test_a_window_that_is_put_back_is_like_a_new_one(window, qtbot):
    window.reset()
    new = told(window)
    window.session.set_stage("Surface")
    window.session.face_wanted.emit("Nodes")
    window.session.set_tool("probe")
    window.session.show_node_alone("m", "n")
    window.parts.search.setText("box")
    window.fold()
    window.toggle_traced()
    assert told(window) != new
    window.reset()
    assert told(window) == new


def test_a_kept_window_is_drawn_anew_for_every_document(window):
    assert window.session.document.name == "Odrel test" and window.picture.draft is not None
    assert set(window.picture.draft_parts) == {"ball", "left", "right"}


@pytest.mark.fresh
def test_keys_reach_a_window_after_a_menu_over_the_tree(window, qtbot):
    session = window.session
    session.select(["left"])
    from PySide6.QtWidgets import QMenu

    menu = QMenu(window)
    session.select([])
    window._part_menu(menu, None)
    menu.aboutToHide.emit()
    assert all(action.isEnabled() for action in window.registry.actions.values())


def test_a_project_opens_on_what_it_showed_last_and_says_so(window, qtbot, tmp_path, monkeypatch):
    session, picture = window.session, window.picture
    shot = session.shot
    red = np.zeros((60, 80, 3), np.uint8)
    red[..., 0] = 210
    project_file.save(session.document, session.assets, tmp_path / "p.aulmo")
    document, assets = project_file.load(tmp_path / "p.aulmo")
    assets.last_pictures.note(shot.id, red)
    monkeypatch.setattr(picture.live, "show", lambda request: None)  # nothing is drawn yet
    session.open_document(document, assets, None)
    picture.repaint()
    frame, seen = picture.frame_rect(), picture.grab().toImage()
    middle = seen.pixelColor(frame.center())
    assert middle.red() > 180 and middle.green() < 40
    words = picture._seen_earlier()
    assert words is not None and time.strftime("%-d %B") in words[1]
    assert not session.pictured


def test_what_the_shot_shows_is_saved_along(window, qtbot, tmp_path):
    path = tmp_path / "kept.aulmo"
    assert window.session.save(path, None)
    seen = project_file.load(path)[1].last_pictures.of(window.session.shot.id)
    assert seen is not None and len(seen.jpeg) < 120 << 10
    assert project_file.read_thumbnail(path) == seen.jpeg


def test_a_draft_gets_better_when_the_hand_rests(window, qtbot):
    picture = window.picture
    quick = picture.picture_pixels().copy()
    picture.live.rests = True
    picture.refresh()
    now = picture.picture_pixels
    qtbot.waitUntil(lambda: now().shape == quick.shape and np.abs(now().astype(int) - quick).max() > 12, timeout=30000)
    QTest.mouseMove(picture, QPoint(10, 10))
    assert picture.draft is not None and picture.state is not None and not picture.state.traced


def test_a_picture_of_the_project_that_was_open_before_is_dropped(window):
    picture = window.picture
    old = picture.state
    window.session.open_document(window.session.document, window.session.assets, None)
    picture._take(old)
    assert picture.state is None
    QTest.keyClick(picture, Qt.Key.Key_Escape)


def test_work_that_is_dropped_with_its_project_leaves_nobody_waiting(window):
    """A sheet that waits for one task at a time; opening another project drops that."""
    sheet = window.built["Render"].faces["Range sheet"]
    sheet._drawing = True
    window.session.open_document(window.session.document, window.session.assets, None)
    assert not sheet._drawing
