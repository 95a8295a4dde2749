"""Widgets in lines, broken where there is no more room."""

from PySide6.QtCore import QPoint, QRect, QSize, Qt
from PySide6.QtWidgets import QLayout, QLayoutItem, QSizePolicy, QWidget


class Flow(QLayout):
    """A layout that goes on in the next line."""

    def __init__(self, gap: int) -> None:
        super().__init__()
        self._items: list[QLayoutItem] = []
        self._gap = gap
        self.setContentsMargins(0, 0, 0, 0)

    def holder(self) -> QWidget:
        """A widget that is as high as its lines need."""
        held = QWidget()
        held.setLayout(self)
        policy = QSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Preferred)
        policy.setHeightForWidth(True)
        held.setSizePolicy(policy)
        return held

    def addItem(self, item: QLayoutItem) -> None:  # noqa: N802
        """One more."""
        self._items.append(item)

    def count(self) -> int:
        """How many."""
        return len(self._items)

    def itemAt(self, index: int) -> QLayoutItem | None:  # type: ignore[override]  # noqa: N802
        """One of them."""
        return self._items[index] if 0 <= index < len(self._items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:  # type: ignore[override]  # noqa: N802
        """Without one."""
        return self._items.pop(index) if 0 <= index < len(self._items) else None

    def expandingDirections(self) -> Qt.Orientation:  # noqa: N802
        """It wants no more than it needs."""
        return Qt.Orientation(0)

    def hasHeightForWidth(self) -> bool:  # noqa: N802
        """The narrower, the more lines."""
        return True

    def heightForWidth(self, width: int) -> int:  # noqa: N802
        """How high its lines are at a width."""
        return self._lay(QRect(0, 0, width, 0), False)

    def sizeHint(self) -> QSize:  # noqa: N802
        """At least its widest."""
        return self.minimumSize()

    def minimumSize(self) -> QSize:  # noqa: N802
        """The widest of them."""
        size = QSize()
        for item in self._items:
            size = size.expandedTo(item.minimumSize())
        return size

    def setGeometry(self, rect: QRect) -> None:  # noqa: N802
        """Place them."""
        super().setGeometry(rect)
        self._lay(rect, True)

    def _lay(self, rect: QRect, place: bool) -> int:
        x, y, high = rect.x(), rect.y(), 0
        for item in self._items:
            size = item.sizeHint()
            if x > rect.x() and x + size.width() > rect.right() + 1:
                x, y, high = rect.x(), y + high + self._gap, 0
            if place:
                item.setGeometry(QRect(QPoint(x, y), size))
            x, high = x + size.width() + self._gap, max(high, size.height())
        return y + high - rect.y()
