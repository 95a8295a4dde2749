"""Drives a turntable's page, or one to look around in, in a real browser engine (Chromium, as PySide6-Addons has it) and prints what it came to: run
by `test_web_pages`."""

import json
import os
import sys

os.environ["QT_QPA_PLATFORM"] = "offscreen"
os.environ["QTWEBENGINE_CHROMIUM_FLAGS"] = "--no-sandbox --disable-gpu --enable-unsafe-swiftshader --touch-events=enabled"

from PySide6.QtCore import QEventLoop, QPoint, Qt, QTimer, QUrl
from PySide6.QtTest import QTest
from PySide6.QtWebEngineCore import QWebEnginePage
from PySide6.QtWebEngineWidgets import QWebEngineView
from PySide6.QtWidgets import QApplication

application = QApplication(sys.argv)
complaints: list[str] = []


class Page(QWebEnginePage):
    """A page whose complaints are kept."""

    def javaScriptConsoleMessage(self, level, message, line, source):  # noqa: N802
        """Keep what the console says."""
        complaints.append(f"{line}: {message}")


view = QWebEngineView()
page = Page(view)
view.setPage(page)
view.resize(700, 820)
view.show()


def wait(milliseconds: int) -> None:
    loop = QEventLoop()
    QTimer.singleShot(milliseconds, loop.quit)
    loop.exec()


def asked(code: str):
    out, loop = [], QEventLoop()
    page.runJavaScript(code, lambda found: (out.append(found), loop.quit()))
    QTimer.singleShot(8000, loop.quit)
    loop.exec()
    return out[0] if out else None


def state() -> dict:
    return json.loads(asked("JSON.stringify(document.getElementById('stage').dataset)") or "{}")


def pull(start: QPoint, end: QPoint) -> None:
    hand = view.focusProxy() or view
    QTest.mousePress(hand, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, start)
    for k in range(1, 9):
        QTest.mouseMove(hand, start + (end - start) * k / 8)
        wait(30)
    QTest.mouseRelease(hand, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, end)
    wait(900)


# the colour in the middle of the stage's height, at a share of its width
MIDDLE = """(x) => { const c = document.getElementById('canvas'), held = document.createElement('canvas');
  held.width = c.width; held.height = c.height; const pen = held.getContext('2d'); pen.drawImage(c, 0, 0);
  return [...pen.getImageData(Math.round(x * c.width), c.height >> 1, 1, 1).data]; }"""
PINCH = """const s = document.getElementById('stage'); s.setPointerCapture = () => {};
const f = (kind, id, x, y) => s.dispatchEvent(new PointerEvent(kind, {pointerId: id, clientX: x, clientY: y, bubbles: true, pointerType: 'touch'}));
f('pointerdown', 11, 300, 300); f('pointerdown', 12, 340, 300); f('pointermove', 12, 345, 300); f('pointermove', 12, 430, 300);
f('pointerup', 12, 430, 300); f('pointerup', 11, 300, 300)"""

view.load(QUrl.fromLocalFile(sys.argv[1]))
for _ in range(150):
    wait(200)
    if asked("document.documentElement.dataset.loaded") == "all":
        break
found: dict = {"loaded": asked("document.documentElement.dataset.loaded"), "first": state()}


def turned() -> None:
    """What a hand does with a turntable."""
    pull(QPoint(300, 300), QPoint(420, 300))
    found["pulled"] = state()
    pull(QPoint(300, 300), QPoint(300, 200))
    found["up"] = state()
    asked("document.getElementById('stage').dispatchEvent(new WheelEvent('wheel', {deltaY: -400, clientX: 350, clientY: 300, cancelable: true}))")
    wait(300)
    found["wheel"] = state()
    asked(f"[...document.querySelectorAll('button')].find(b => b.textContent === {json.dumps(sys.argv[2])}).click()")
    wait(1500)
    found["chosen"] = state()
    asked("document.getElementById('stage').focus()")
    QTest.keyClick(view.focusProxy() or view, Qt.Key.Key_Right)
    wait(300)
    found["key"] = state()
    asked("document.getElementById('stage').dispatchEvent(new MouseEvent('dblclick'))")
    asked(PINCH)
    wait(300)
    found["pinched"] = state()


def looked() -> None:
    """What a hand does in a full sphere; colours are read in the middle of the stage, and of its halves."""
    colour = lambda x: asked(f"JSON.stringify(({MIDDLE})({x}))")  # noqa: E731
    found["ahead"] = colour(0.5)
    pull(QPoint(300, 300), QPoint(100, 300))
    found["pulled"] = state()
    asked("Object.assign(at, {turn: 90, height: 0}); draw()")
    found["right"] = colour(0.5)
    asked("document.getElementById('stage').dispatchEvent(new WheelEvent('wheel', {deltaY: -200, cancelable: true}))")
    wait(200)
    found["wheel"] = state()
    asked("document.getElementById('stage').focus()")
    QTest.keyClick(view.focusProxy() or view, Qt.Key.Key_Up)
    wait(200)
    found["key"] = state()
    QTest.keyClick(view.focusProxy() or view, Qt.Key.Key_Home)
    wait(200)
    asked(f"[...document.querySelectorAll('button')].find(b => b.textContent === {json.dumps(sys.argv[2])}).click()")
    wait(200)
    found["both"] = state()
    found["eyes"] = [colour(0.25), colour(0.75)]
    asked(PINCH)
    wait(300)
    found["pinched"] = state()


looked() if sys.argv[2] == "Both eyes" else turned()
if len(sys.argv) > 3:
    view.grab().save(sys.argv[3])
found["outside"] = asked("performance.getEntriesByType('resource').filter(e => !e.name.startsWith('file:')).length")
found["complaints"] = complaints
print(json.dumps(found))
sys.stdout.flush()
