"""Hands for the window: where things are seen, drops, waiting."""

import time

from PySide6.QtCore import QEvent, QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QDragEnterEvent, QDragMoveEvent, QDropEvent, QMouseEvent, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication


def point_of(window, part_id: str) -> QPoint:
    """Where a part is seen in the picture."""
    found = window.picture.screen_point(part_id)
    assert found is not None, f"{part_id} is not seen"
    return found


def settle(qtbot, window) -> None:
    """Until the draft shows the document as it is."""

    def current() -> bool:
        state = window.picture.state
        return state is not None and state.draft is not None and state.request.document is window.session.shown

    qtbot.waitUntil(current, timeout=30000)


def drop(widget, mime: QMimeData, at: QPoint, modifiers=Qt.KeyboardModifier.NoModifier) -> str:
    """Enter, move and drop; returns what the label at the cursor said before the drop."""
    enter = QDragEnterEvent(at, Qt.DropAction.CopyAction, mime, Qt.MouseButton.LeftButton, modifiers)
    QApplication.sendEvent(widget, enter)
    QApplication.sendEvent(widget, QDragMoveEvent(at, Qt.DropAction.CopyAction, mime, Qt.MouseButton.LeftButton, modifiers))
    label = getattr(widget, "_label", None)
    QApplication.sendEvent(widget, QDropEvent(QPointF(at), Qt.DropAction.CopyAction, mime, Qt.MouseButton.LeftButton, modifiers, QEvent.Type.Drop))
    return " | ".join(label) if label else ""


def file_mime(path) -> QMimeData:
    """A dragged file."""
    mime = QMimeData()
    mime.setUrls([QUrl.fromLocalFile(str(path))])
    return mime


def swatch_mime(name: str) -> QMimeData:
    """A dragged swatch."""
    from aulmo.desk.picture.drops import SWATCH_MIME

    mime = QMimeData()
    mime.setData(SWATCH_MIME, f"swatch\n{name}\n{name}".encode())
    return mime


def pause(qtbot, seconds: float) -> None:
    """Let the window work for a moment."""
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        qtbot.wait(20)


def type_into(field, text: str) -> None:
    """Type into a field and press Return."""
    field.setFocus()
    field.selectAll()
    QTest.keyClicks(field, text)
    QTest.keyClick(field, Qt.Key.Key_Return)


def hover(widget, at: QPoint, button=Qt.MouseButton.NoButton, modifiers=Qt.KeyboardModifier.NoModifier) -> None:
    """Move the cursor, with a button held or none."""
    event = QMouseEvent(QMouseEvent.Type.MouseMove, QPointF(at), widget.mapToGlobal(QPointF(at)), Qt.MouseButton.NoButton, button, modifiers)
    QApplication.sendEvent(widget, event)


def drag(widget, start: QPoint, end: QPoint, button=Qt.MouseButton.LeftButton, modifiers=Qt.KeyboardModifier.NoModifier, steps=5) -> None:
    """Press, move in steps, release."""
    QTest.mousePress(widget, button, modifiers, start)
    for k in range(1, steps + 1):
        at = start + (end - start) * k / steps
        hover(widget, at, button, modifiers)
    QTest.mouseRelease(widget, button, modifiers, end)


def wheel(widget, at: QPoint, steps: int, modifiers=Qt.KeyboardModifier.NoModifier) -> None:
    """Turn the wheel."""
    delta = QPoint(0, 120 * steps)
    event = QWheelEvent(
        QPointF(at), widget.mapToGlobal(QPointF(at)), QPoint(), delta, Qt.MouseButton.NoButton, modifiers, Qt.ScrollPhase.NoScrollPhase, False
    )
    QApplication.sendEvent(widget, event)


def key(window, keys, modifiers=Qt.KeyboardModifier.NoModifier) -> None:
    """Press a key in the picture."""
    window.picture.setFocus()
    QTest.keyClick(window.picture, keys, modifiers)


def answering(key: str, asked: list | None = None) -> None:
    """Press a key in the question that comes next."""
    from PySide6.QtCore import QTimer

    from aulmo.desk.shell.question import Question

    def press() -> None:
        box = QApplication.activeModalWidget()
        if isinstance(box, Question):
            if asked is not None:
                asked.append(box.text.text())
            QTest.keyClick(box, key)
        else:
            QTimer.singleShot(20, press)

    QTimer.singleShot(0, press)


def surface_page(window):
    """The Surface stage's page."""
    window.session.set_stage("Surface")
    return window.details.pages["Surface"]


def worn(window, part: str):
    """What a part wears."""
    return window.session.document.materials[window.session.document.parts[part].material]


def film_bench(window):
    """Move's bench."""
    return window.built["Move"].commands.bench
