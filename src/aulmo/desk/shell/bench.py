"""The bench: the stage's own working surface under the picture."""

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QStackedWidget, QToolButton, QVBoxLayout, QWidget

from aulmo.desk.shell.session import Session


class BenchHead(QHBoxLayout):
    """The line on top of a bench: its name, and room for chips and buttons."""

    def __init__(self, title: str) -> None:
        super().__init__()
        self.setContentsMargins(12, 6, 12, 4)
        self.setSpacing(6)
        tab = QToolButton()
        tab.setText(title)
        tab.setObjectName("benchTab")
        tab.setCheckable(True)
        tab.setChecked(True)
        tab.clicked.connect(lambda: tab.setChecked(True))
        tab.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.addWidget(tab)
        self.addSpacing(18)


class Bench(QWidget):
    """One face for each stage."""

    def __init__(self, session: Session, faces: dict[str, QWidget]) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.faces = faces
        self.stack = QStackedWidget()
        for face in faces.values():
            self.stack.addWidget(face)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self.stack)
        session.stage_changed.connect(lambda stage: self.stack.setCurrentWidget(faces[stage]))
