"""Hands for the window: where things are seen, drops, waiting."""

import time

from PySide6.QtCore import QEvent, QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QDragEnterEvent, QDragMoveEvent, QDropEvent
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
        return state is not None and state.draft is not None and state.request.document is window.session.shown_document()

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
    from aulmo.desk.drops import SWATCH_MIME

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
