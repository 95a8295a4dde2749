"""A hand that does anything: seeded clicks, drags, wheel, keys, buttons, stage changes, undo and redo in the real window."""

import gc
import os
import sys
import threading
import time
import traceback
from typing import NamedTuple

import numpy as np
from PySide6.QtCore import QEventLoop, QPoint, Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QApplication, QFileDialog, QLineEdit

from desk_tools import drop, hover, swatch_mime, wheel

BUTTONS = (Qt.MouseButton.LeftButton, Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton, Qt.MouseButton.MiddleButton)
HELD = (Qt.KeyboardModifier.NoModifier,) * 3 + (
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.AltModifier,
)
KEYS = [getattr(Qt.Key, f"Key_{c}") for c in "ABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789"] + [
    Qt.Key.Key_Escape, Qt.Key.Key_Return, Qt.Key.Key_Delete, Qt.Key.Key_Tab, Qt.Key.Key_Space, Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_F9,
]  # fmt: skip
SWATCHES = ("Satin brass", "Oiled ash", "Gloss black plastic")
TYPED = ("12", "1/2 in", "banana", "-4", "1e9", "", "0.3", "nan")


class Wandered(NamedTuple):
    """Seconds of the slowest events with what they were, and megabytes held by the process at each look."""

    slowest: list[tuple[float, str]]
    memory: list[float]


def held_megabytes() -> float:
    """Resident memory of this process."""
    gc.collect()
    with open("/proc/self/statm") as file:
        return int(file.read().split()[1]) * os.sysconf("SC_PAGE_SIZE") / 1e6


def pause_for(milliseconds: int) -> None:
    """Let the window and its threads work."""
    loop = QEventLoop()
    QTimer.singleShot(milliseconds, loop.quit)
    loop.exec()


def wander(window, actions: int, seed: int, look_every: int, monkeypatch) -> Wandered:
    """Do `actions` things at random; every `look_every` of them the project is opened anew and the memory read."""
    for name, answer in {"getOpenFileName": ("", ""), "getOpenFileNames": ([], ""), "getSaveFileName": ("", ""), "getExistingDirectory": ""}.items():
        monkeypatch.setattr(QFileDialog, name, lambda *a, x=answer, **k: x)
    rng = np.random.default_rng(seed)
    session, application = window.session, QApplication.instance()
    first, assets = session.document, session.assets
    slowest: list[tuple[float, str]] = []
    memory: list[float] = []
    begun = [0.0]

    def shut() -> None:
        """Menus and questions are looked at for a moment and put away."""
        for box in (QApplication.activePopupWidget(), QApplication.activeModalWidget()):
            if box is not None:
                QTest.keyClick(box, Qt.Key.Key_Escape)

    # where the window goes on to draw, nothing hangs
    pulse = QTimer()
    pulse.timeout.connect(lambda: note("between two beats"))
    pulse.start(20)
    over = threading.Event()

    def watch() -> None:
        """What the window's thread was at when it took long."""
        ours = threading.main_thread().ident
        told_at = 0.0
        while not over.wait(0.05):
            if time.perf_counter() - begun[0] > 0.3 and told_at != begun[0]:
                told_at = begun[0]
                print("slow at: " + " < ".join(f"{f.name}:{f.lineno}" for f in reversed(traceback.extract_stack(sys._current_frames()[ours])[-7:])))

    threading.Thread(target=watch, daemon=True).start()
    closer = QTimer()
    closer.timeout.connect(shut)
    closer.start(40)

    def some(things):
        return things[int(rng.integers(len(things)))]

    def place(widget) -> QPoint:
        return QPoint(int(rng.integers(max(1, widget.width()))), int(rng.integers(max(1, widget.height()))))

    def at_once(run, words: str) -> None:
        """One event and what it brings about, timed by itself."""
        begun[0] = time.perf_counter()
        run()
        application.processEvents()
        note(words)

    def note(words: str) -> None:
        taken = time.perf_counter() - begun[0]
        slowest.append((taken, words))
        slowest.sort(reverse=True)
        del slowest[10:]
        begun[0] = time.perf_counter()

    def act() -> str:
        picture, kind = window.picture, rng.random()
        if kind < 0.22:
            button, held = some(BUTTONS), some(HELD)
            QTest.mouseClick(picture, button, held, place(picture))
            return f"click {button.name} {held.name}"
        if kind < 0.40:
            button, held, start, end = some(BUTTONS), some(HELD), place(picture), place(picture)
            words = f"drag {button.name} {held.name}"
            at_once(lambda: QTest.mousePress(picture, button, held, start), words)
            for k in range(1, 6):
                at_once(lambda k=k: hover(picture, start + (end - start) * k / 5, button, held), words)
            QTest.mouseRelease(picture, button, held, end)
            return words
        if kind < 0.46:
            wheel(picture, place(picture), int(rng.integers(-3, 4)), some(HELD))
            return "wheel"
        if kind < 0.52:
            hover(picture, place(picture))
            return "hover"
        if kind < 0.66:
            key, held = some(KEYS), some(HELD)
            if held == Qt.KeyboardModifier.ControlModifier and key in (Qt.Key.Key_Q, Qt.Key.Key_W, Qt.Key.Key_N, Qt.Key.Key_O):
                return "kept"  # leaving ends the walk
            QTest.keyClick(picture, key, held)
            return f"key {key.name} {held.name}"
        if kind < 0.72:
            session.set_stage(some(list(session.stages)))
            return f"stage {session.stage}"
        if kind < 0.80:
            (session.undo if rng.random() < 0.7 else session.redo)()
            return "undo"
        if kind < 0.86:
            ids = list(session.document.parts)
            session.select([some(ids)] if ids else [])
            return "select"
        if kind < 0.90:
            fields = [f for f in window.findChildren(QLineEdit) if f.isVisible() and f.isEnabled()]
            if fields:
                field, text = some(fields), some(TYPED)
                field.selectAll()
                QTest.keyClicks(field, text)
                QTest.keyClick(field, Qt.Key.Key_Return)
            return "type"
        if kind < 0.92:
            drop(picture, swatch_mime(some(SWATCHES)), place(picture))
            return "drop a swatch"
        shown = [b for b in window.findChildren(QAbstractButton) if b.isVisible() and b.isEnabled()]
        pressed = some(shown)
        words = f"button {pressed.text() or pressed.toolTip()} in {session.stage}"
        pressed.click()
        return words

    for k in range(actions):
        if k and k % look_every == 0:
            for card in window.built["Render"].commands.running():
                card.job.cancel()
            session._saved_document = session.document
            session.open_document(first, assets, None)
            window.pages.setCurrentWidget(window.work)
            pause_for(200)
            memory.append(held_megabytes())
        begun[0] = time.perf_counter()
        told = act()
        application.processEvents()
        note(f"{told} ({k})")
    closer.stop()
    pulse.stop()
    over.set()
    for card in window.built["Render"].commands.running():
        card.job.cancel()
    memory.append(held_megabytes())
    return Wandered(slowest, memory)
