"""Finding a node by typing: a small list at the cursor of the kinds that fit."""

from typing import Any, Callable

from PySide6.QtCore import QEvent, QObject, QPoint, Qt
from PySide6.QtWidgets import QFrame, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from aulmo.desk.shell import theme
from aulmo.document.node_table import FAMILIES, KINDS


class NodeFinder(QFrame):
    """A panel over the bench; Return takes the first, Escape gives up."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self._bench = parent
        self.setObjectName("card")
        self.setFixedSize(250, 300)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(8, 8, 8, 8)
        layout.setSpacing(6)
        self.entry = QLineEdit()
        self.entry.setPlaceholderText("Find a node")
        self.entry.setAccessibleName("Find a node")
        self.entry.textChanged.connect(self._fill)
        self.entry.installEventFilter(self)
        self.list = QListWidget()
        self.list.itemClicked.connect(self._take)
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        layout.addWidget(self.entry)
        layout.addWidget(self.list)
        self._kinds: list[str] = []
        self._chosen: Callable[[str], Any] = lambda _: None
        self.hide()

    def open_at(self, at: QPoint, kinds: list[str], chosen: Callable[[str], Any]) -> None:
        """Show the kinds that fit beside a point of the bench."""
        parent = self._bench
        self.setFixedHeight(min(300, parent.height() - 8))
        self.move(max(0, min(at.x(), parent.width() - self.width() - 4)), max(0, min(at.y(), parent.height() - self.height() - 4)))
        self.setStyleSheet(f"QFrame#card {{ border: 1px solid {theme.current().line}; }} QListWidget {{ background: transparent; border: none; }}")
        self._kinds, self._chosen = kinds, chosen
        self.entry.clear()
        self._fill("")
        self.show()
        self.raise_()
        self.entry.setFocus()

    def _fill(self, text: str) -> None:
        self.list.clear()
        wanted = text.lower().split()
        fit = [KINDS[k] for k in self._kinds if all(w in f"{KINDS[k].label} {k} {KINDS[k].tip}".lower() for w in wanted)]
        fit.sort(key=lambda k: (not k.label.lower().startswith(text.lower()) if text else False, FAMILIES.index(k.family)))
        family = ""
        for kind in fit:
            if kind.family != family and not wanted:
                family = kind.family
                heading = QListWidgetItem(family, self.list)
                heading.setFlags(Qt.ItemFlag.NoItemFlags)
            item = QListWidgetItem(("    " if not wanted else "") + kind.label + ("" if kind.standard else "  ·  Aulmo's own"), self.list)
            item.setData(Qt.ItemDataRole.UserRole, kind.name)
            item.setToolTip(kind.tip or kind.label)
        first = next((k for k in range(self.list.count()) if self.list.item(k).data(Qt.ItemDataRole.UserRole)), -1)
        self.list.setCurrentRow(first)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:  # noqa: N802
        """Arrows go through the list, Return takes, Escape gives up."""
        by_hand = (Qt.FocusReason.MouseFocusReason, Qt.FocusReason.TabFocusReason, Qt.FocusReason.BacktabFocusReason)
        if event.type() == QEvent.Type.FocusOut and self.isVisible() and event.reason() in by_hand:  # type: ignore[attr-defined]
            self.hide()
        if event.type() == QEvent.Type.KeyPress:
            key = event.key()  # type: ignore[attr-defined]
            if key == Qt.Key.Key_Escape:
                self._close()
                return True
            if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                item = self.list.currentItem()
                if item is not None:
                    self._take(item)
                return True
            if key in (Qt.Key.Key_Down, Qt.Key.Key_Up):
                self._step(1 if key == Qt.Key.Key_Down else -1)
                return True
        return super().eventFilter(watched, event)

    def _step(self, by: int) -> None:
        row = self.list.currentRow() + by
        while 0 <= row < self.list.count():
            if self.list.item(row).data(Qt.ItemDataRole.UserRole):
                self.list.setCurrentRow(row)
                return
            row += by

    def _take(self, item: QListWidgetItem) -> None:
        kind = item.data(Qt.ItemDataRole.UserRole)
        if kind:
            self._close()
            self._chosen(kind)

    def _close(self) -> None:
        self.hide()
        self._bench.setFocus()
