"""The command finder: type a few letters, press Return."""

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from aulmo.desk.shell import theme
from aulmo.desk.shell.commands import Registry


class Finder(QFrame):
    """A small panel over the top of the picture."""

    def __init__(self, parent: QWidget, registry: Registry) -> None:
        super().__init__(parent)
        self.registry, self._over = registry, parent
        self.setObjectName("card")
        self.setFixedSize(460, 330)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 10, 10, 10)
        self.entry = QLineEdit()
        self.entry.setPlaceholderText("Find a command")
        self.entry.textChanged.connect(self._fill)
        self.entry.installEventFilter(self)
        self.list = QListWidget()
        self.list.itemActivated.connect(self._run)
        self.list.itemClicked.connect(self._run)
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        layout.addWidget(self.entry)
        layout.addWidget(self.list)
        self.hide()

    def open(self) -> None:
        """Show it, empty, with the cursor in it."""
        self.setStyleSheet(f"QFrame#card {{ border: 1px solid {theme.current().line}; }} QListWidget {{ background: transparent; border: none; }}")
        self.move((self._over.width() - self.width()) // 2, 90)
        self.entry.clear()
        self._fill("")
        self.show()
        self.raise_()
        self.entry.setFocus()

    def _fill(self, text: str) -> None:
        self.list.clear()
        for command in self.registry.find(text):
            if not command.can():
                continue
            item = QListWidgetItem(self.list)
            item.setData(Qt.ItemDataRole.UserRole, command.id)
            line = QWidget()
            layout = QHBoxLayout(line)
            layout.setContentsMargins(8, 0, 8, 0)
            layout.addWidget(QLabel(command.title.rstrip("…")))
            layout.addStretch(1)
            keys = QLabel(command.keys.split(" or ")[0])
            keys.setObjectName("quiet")
            layout.addWidget(keys)
            item.setSizeHint(line.sizeHint().expandedTo(item.sizeHint()))
            self.list.setItemWidget(item, line)
        self.list.setCurrentRow(0)

    def _run(self, item: QListWidgetItem) -> None:
        self.hide()
        self._over.setFocus()
        self.registry.run(item.data(Qt.ItemDataRole.UserRole))

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:  # noqa: N802
        """Arrows walk the list, Return runs, Esc closes."""
        if event.type() == QEvent.Type.KeyPress:
            key = event.key()  # type: ignore[attr-defined]
            if key in (Qt.Key.Key_Down, Qt.Key.Key_Up):
                step = 1 if key == Qt.Key.Key_Down else -1
                self.list.setCurrentRow(max(0, min(self.list.count() - 1, self.list.currentRow() + step)))
                return True
            if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                if self.list.currentItem():
                    self._run(self.list.currentItem())
                return True
            if key == Qt.Key.Key_Escape:
                self.hide()
                self._over.setFocus()
                return True
        elif event.type() == QEvent.Type.FocusOut:
            self.hide()
        return super().eventFilter(watched, event)
