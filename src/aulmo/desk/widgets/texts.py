"""Texts that keep to the room they have: long names lose their middle and say it all in a tip, sentences break wherever they must."""

import re

from PySide6.QtCore import QEvent, QSize, Qt
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QLabel, QPushButton, QStyle, QStyleOptionButton, QStylePainter, QToolTip

from aulmo.desk.widgets.painting import painted

LEAST = 28  # pixels that a text may be pushed together to
MIDDLE = Qt.TextElideMode.ElideMiddle
_BREAKS = re.compile(r"(?<=[_\-./\\:,;])(?=\w)|(?<=\w{14})(?=\w)")
NOTHING = "\u200b"  # a place to break that takes no room


def breakable(text: str) -> str:
    """A text that can be broken within long words, after what parts them."""
    if max((len(word) for word in text.split()), default=0) <= 20:
        return text
    return " ".join(_BREAKS.sub(NOTHING, word) if len(word) > 20 else word for word in text.split(" "))


class Elided:
    """What leaves out the middle of its text where there is no room, and says all of it in the tip."""

    elided = True

    def event(self, event: QEvent) -> bool:
        """All of it in the tip, where there was no room."""
        if event.type() == QEvent.Type.ToolTip and not self.toolTip() and self._shown() != self.text():  # type: ignore[attr-defined]
            QToolTip.showText(event.globalPos(), self.text(), self)  # type: ignore[attr-defined, arg-type]
            return True
        return bool(super().event(event))  # type: ignore[misc]


class Line(Elided, QLabel):
    """A line of text that is as long as its room, its middle left out."""

    def minimumSizeHint(self) -> QSize:  # noqa: N802
        """Little."""
        wanted = super().minimumSizeHint()
        return QSize(min(LEAST, wanted.width()), wanted.height())

    def _shown(self) -> str:
        room = self.contentsRect().width() - 2 * self.margin()
        return self.fontMetrics().elidedText(self.text(), MIDDLE, max(1, room + 1)) if self.text() else ""

    @painted
    def paintEvent(self, painter: QPainter) -> None:  # noqa: N802
        """Draw what there is room for."""
        self.style().drawItemText(
            painter, self.contentsRect(), int(self.alignment()) | Qt.TextFlag.TextSingleLine, self.palette(), self.isEnabled(), self._shown(),
            self.foregroundRole(),
        )  # fmt: skip


class Sentence(QLabel):
    """A text of several lines that breaks within long names too."""

    def __init__(self, text: str = "") -> None:
        super().__init__()
        self._text = ""
        self.setWordWrap(True)
        self.setText(text)

    def setText(self, text: str) -> None:  # noqa: N802
        """Say something."""
        if text != self._text or not super().text():
            self._text = text
            super().setText(breakable(text))

    def text(self) -> str:
        """What it says."""
        return self._text

    def minimumSizeHint(self) -> QSize:  # noqa: N802
        """As high as it wants, and little wide."""
        return QSize(LEAST, super().minimumSizeHint().height())


class Button(Elided, QPushButton):
    """A button whose words lose their middle where there is no room."""

    def minimumSizeHint(self) -> QSize:  # noqa: N802
        """Little."""
        wanted = super().minimumSizeHint()
        return QSize(min(wanted.width(), LEAST + 20), wanted.height())

    def _shown(self) -> str:
        option = QStyleOptionButton()
        self.initStyleOption(option)
        room = self.style().subElementRect(QStyle.SubElement.SE_PushButtonContents, option, self).width()
        room -= self.iconSize().width() + 4 if not self.icon().isNull() else 0
        return self.fontMetrics().elidedText(self.text(), MIDDLE, max(1, room + 2))

    def paintEvent(self, event) -> None:  # noqa: N802
        """Draw what there is room for."""
        painter = QStylePainter(self)
        try:
            option = QStyleOptionButton()
            self.initStyleOption(option)
            option.text = self._shown()  # type: ignore[attr-defined]
            painter.drawControl(QStyle.ControlElement.CE_PushButton, option)
        finally:
            painter.end()
