"""The views that a camera flies through, in their order: pulled up and down, taken away, added."""

from typing import Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QAbstractItemView, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from aulmo.desk.widgets.fields import Choice, button, button_row, row


class ViewsList(QWidget):
    """Cameras by their names. `changed` gives the ids in their new order, `here_wanted` asks for what is seen now as one more."""

    changed = Signal(tuple)
    here_wanted = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.items = QListWidget()
        self.items.setAccessibleName("Flies through")
        self.items.setToolTip("Pull a view up or down")
        self.items.setDragDropMode(QAbstractItemView.DragDropMode.InternalMove)
        self.items.model().rowsMoved.connect(lambda *_: self.changed.emit(self.ids()))
        self.items.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.more = Choice()
        self.more.setAccessibleName("Add a view")
        self.more.chosen.connect(self._add)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(2)
        layout.addWidget(self.items)
        layout.addWidget(row("Add a view", self.more))
        layout.addWidget(
            button_row(
                button("Add what is seen", self.here_wanted.emit, "link", "The present view as one more to fly through"),
                button("Take out", self._remove, "link", "The chosen view; its camera stays"),
            )
        )

    def fill(self, views: Sequence[tuple[str, str]], others: Sequence[tuple[str, str]]) -> None:
        """Show views, and what may be added, each as (id, name)."""
        if [(self.items.item(k).data(Qt.ItemDataRole.UserRole), self.items.item(k).text()) for k in range(self.items.count())] != list(views):
            at = self.items.currentRow()
            self.items.clear()
            for camera_id, name in views:
                item = QListWidgetItem(name)
                item.setData(Qt.ItemDataRole.UserRole, camera_id)
                self.items.addItem(item)
            self.items.setCurrentRow(min(at, len(views) - 1))
        self.items.setFixedHeight(max(2, min(len(views), 8)) * 22 + 6)
        self.more.fill([("Choose…", None), *((name, camera_id) for camera_id, name in others)], None)

    def ids(self) -> tuple[str, ...]:
        """The cameras in their order."""
        return tuple(self.items.item(k).data(Qt.ItemDataRole.UserRole) for k in range(self.items.count()))

    def _add(self, camera_id: str | None) -> None:
        if camera_id is not None:
            self.changed.emit((*self.ids(), camera_id))

    def _remove(self) -> None:
        at = self.items.currentRow()
        if at >= 0:
            held = self.ids()
            self.changed.emit(held[:at] + held[at + 1 :])
