"""Shown: full screen, arrows, blanking, remarks that come back as a list and are kept; a page that a colleague follows."""

import json
import urllib.error
import urllib.parse
import urllib.request

import numpy as np
import pytest
from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from aulmo.deliver.show_server import ShowServer
from aulmo.document import edits, remarks
from aulmo.document.project_file import load
from shapes import to_show

LEFT, NONE = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier


@pytest.fixture
def shown(window, qtbot):
    """The window shown full screen, on two shots and an axis of two choices."""
    session = window.session
    session.open_document(to_show(session.document), session.assets, None)
    window.registry.actions["shown"].trigger()
    view = window.showing.view
    qtbot.waitUntil(lambda: view.pixels() is not None, timeout=60000)
    yield window
    if window.showing.view is not None:
        window.showing.view.close()


def test_arrows_go_through_shots_and_choices_and_a_dot_blanks(shown, qtbot):
    session, view = shown.session, shown.showing.view
    first = session.shot.id
    QTest.keyClick(view, Qt.Key.Key_Right)
    assert session.shot.id != first
    QTest.keyClick(view, Qt.Key.Key_Left)
    assert session.shot.id == first
    QTest.keyClick(view, Qt.Key.Key_Down)
    assert session.variant == {"Colour": "Red"}
    QTest.keyClick(view, Qt.Key.Key_Down)
    assert session.variant == {"Colour": "Pine"}
    QTest.keyClick(view, Qt.Key.Key_Up)
    assert session.variant == {"Colour": "Red"}
    qtbot.waitUntil(lambda: view.state is not None and view.state.request.document is session.resolved, timeout=30000)
    QTest.keyClick(view, Qt.Key.Key_Period)
    assert view.blank and view.pixels() is None
    grey = view.grab().toImage().pixelColor(view.width() // 2, view.height() // 2)
    assert grey.lightness() < 20
    QTest.keyClick(view, Qt.Key.Key_Period)
    assert not view.blank
    QTest.keyClick(view, Qt.Key.Key_Escape)
    assert shown.showing.view is None and not shown.picture._asleep


def test_a_click_pins_a_remark_to_the_part_and_it_comes_back_as_a_list(shown, qtbot, tmp_path):
    session, view = shown.session, shown.showing.view
    frame = view.frame()
    QTest.mouseClick(view, LEFT, NONE, frame.center())
    assert view.entry.isVisible()
    QTest.keyClicks(view.entry, "Warmer here, please")
    QTest.keyClick(view.entry, Qt.Key.Key_Return)
    (one,) = session.document.remarks.values()
    assert one.pinned == "ball" and one.text == "Warmer here, please" and one.shot == session.shot.id
    moved = edits.place_parts(session.document, {"ball": replace(session.document.parts["ball"].placement, position=(40.0, 0.0, 20.0))})
    away = remarks.place_of(moved, one) - remarks.place_of(session.document, one)
    assert np.allclose(away, (40.0, 0.0, 0.0), atol=1e-3), "the pin goes where the part goes"
    QTest.keyClick(view, Qt.Key.Key_Escape)
    session.set_shot("s2")
    shown.registry.actions["remarks"].trigger()
    items = shown.showing.list.tree
    assert items.topLevelItemCount() == 1 and items.topLevelItem(0).text(2) == "Ball"
    shown.showing.list.go_to(one.id)
    assert session.shot.id == one.shot and session.selection == ("ball",)
    items.topLevelItem(0).setCheckState(0, Qt.CheckState.Checked)
    assert session.document.remarks[one.id].done and "0 open" in shown.showing.list.words.text()
    assert session.save(tmp_path / "p.aulmo", None)
    kept, _ = load(tmp_path / "p.aulmo")
    assert kept.remarks == session.document.remarks
    assert edits.delete_parts(kept, ["ball"]).remarks, "a remark outlives its part"
    shown.showing.list.close()


def ask(address, path, word="", **fields):
    body = urllib.parse.urlencode(fields).encode() if fields else None
    request = urllib.request.Request(address + path, body, {"X-Word": word})
    with urllib.request.urlopen(request, timeout=5) as answer:
        return answer.read()


def test_a_colleague_follows_by_a_page_and_remarks(shown, qtbot):
    showing = shown.showing
    shown.registry.actions["follow"].trigger()
    dialog = showing.dialog
    assert showing.server is None, "off by default"
    dialog.go.click()
    address, word = dialog.address.text(), dialog.word.text()
    assert address.startswith("http://127.0.0.1:") and not dialog.house.isChecked(), "this machine alone unless asked"
    with pytest.raises(urllib.error.HTTPError) as refused:
        ask(address, "picture", "guess")
    assert refused.value.code == 403
    qtbot.waitUntil(lambda: not json.loads(ask(address, "state", word))["blank"], timeout=10000)
    assert ask(address, "picture", word)[:2] == b"\xff\xd8"
    ask(address, "remark", word, text="Can the ball be matt?", by="Ada", x="0.5", y="0.5")
    qtbot.waitUntil(lambda: bool(shown.session.document.remarks), timeout=10000)
    (one,) = shown.session.document.remarks.values()
    assert (one.text, one.by, one.pinned) == ("Can the ball be matt?", "Ada", "ball")
    dialog.go.click()
    assert showing.server is None
    with pytest.raises(urllib.error.URLError):
        ask(address, "state", word)
    dialog.close()


def test_the_page_gives_nothing_away_and_takes_no_rubbish():
    server = ShowServer("word")
    try:
        assert b"Shown with Aulmo" in ask(server.address, "")
        for path, code in (("../etc/passwd", 404), ("state", 403)):
            with pytest.raises(urllib.error.HTTPError) as answer:
                ask(server.address, path, "wrong")
            assert answer.value.code == code
        for fields, code in (({"text": " "}, 400), ({"text": "a", "x": "7", "y": "0"}, 400), ({"text": "a" * 9000}, 413)):
            with pytest.raises(urllib.error.HTTPError) as answer:
                ask(server.address, "remark", "word", **fields)
            assert answer.value.code == code
        assert server.said.empty()
        for _ in range(60):
            server.may_enter("guess")
        assert not server.may_enter("word"), "after many wrong words nobody enters for a while"
    finally:
        server.close()
