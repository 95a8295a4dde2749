"""What keeps the window alive for a day: no call loses a reference, and no click, drag or key at random raises anything."""

import sys

import pytest
from PySide6.QtCore import QPoint, QRect, QTimer
from PySide6.QtWidgets import QLabel, QWidget

from wandering import wander


def test_ten_thousand_calls_lose_no_reference_to_none(qtbot):
    """A binding that forgets to hold None for what returns nothing ends the program after a minute of moving the mouse."""
    widget, timer = QWidget(), QTimer()
    text, rect, point = QLabel(), QRect(0, 0, 4, 4), QPoint(1, 1)
    qtbot.addWidget(widget)
    qtbot.addWidget(text)
    before = sys.getrefcount(None)
    for k in range(2000):
        widget.update()
        widget.setToolTip("word")
        text.setText("word")
        rect.translate(1, 0)
        timer.setInterval(k + 1)
        point.setX(k)
    after = sys.getrefcount(None)
    assert after > before - 500


def test_a_hand_that_does_anything_raises_nothing(window, monkeypatch):
    raised: list[str] = []
    monkeypatch.setattr(sys, "excepthook", lambda kind, error, _: raised.append(f"{kind.__name__}: {error}"))
    found = wander(window, 150, 3, 1000, monkeypatch)
    assert not raised and len(found.slowest) == 10


@pytest.mark.long
def test_an_hour_of_random_use_neither_breaks_nor_stops_nor_grows(window, monkeypatch):
    """Ten thousand seeded actions; the project is opened anew every thousand, and the memory is read then."""
    raised: list[str] = []
    monkeypatch.setattr(sys, "excepthook", lambda kind, error, _: raised.append(f"{kind.__name__}: {error}"))
    found = wander(window, 10_000, 11, 1000, monkeypatch)
    print("slowest events: " + ", ".join(f"{told} {seconds:.2f} s" for seconds, told in found.slowest[:5]))
    print("memory at each thousand: " + ", ".join(f"{held:.0f}" for held in found.memory) + " MB")
    assert not raised
    assert found.slowest[0][0] < 0.5
    settled = found.memory[1:]  # in the first thousand every page, picture and curve is made that is kept
    half = len(settled) // 2
    assert min(settled[half:]) < 1.1 * min(settled[:half])  # what is held at rest; between, pictures come and go
