"""The left panel: what is in the scene, and its second face, the shelf of all that one owns."""

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QStackedWidget, QToolButton, QVBoxLayout, QWidget

PARTS, SHELF = "Parts", "Shelf"


class LeftPanel(QWidget):
    """Two faces with their tabs."""

    turned = Signal(str)

    def __init__(self, parts: QWidget, shelf: QWidget) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.faces = {PARTS: parts, SHELF: shelf}
        self.stack = QStackedWidget()
        self.tabs: dict[str, QToolButton] = {}
        head = QHBoxLayout()
        head.setContentsMargins(10, 8, 8, 4)
        head.setSpacing(14)
        for name, face in self.faces.items():
            tab = QToolButton()
            tab.setText(name)
            tab.setObjectName("benchTab")
            tab.setCheckable(True)
            tab.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            tab.clicked.connect(lambda _=False, n=name: self.show_face(n))
            self.tabs[name] = tab
            head.addWidget(tab)
            self.stack.addWidget(face)
        self.tabs[SHELF].setToolTip("All that you own, in every stage (S)")
        head.addStretch(1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addLayout(head)
        layout.addWidget(self.stack, 1)
        self.show_face(PARTS)

    @property
    def face(self) -> str:
        """The one that is up."""
        return next(n for n, f in self.faces.items() if f is self.stack.currentWidget())

    def show_face(self, name: str) -> None:
        """Turn to a face."""
        self.stack.setCurrentWidget(self.faces[name])
        for tab_name, tab in self.tabs.items():
            tab.setChecked(tab_name == name)
        self.turned.emit(name)
