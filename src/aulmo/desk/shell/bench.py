"""The bench: the stage's own working surface under the picture."""

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QStackedWidget, QToolButton, QVBoxLayout, QWidget

from aulmo.desk.shell.session import Session
from aulmo.desk.shell.stage import Built


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
    """The faces of each stage's bench; a stage with several shows their tabs."""

    def __init__(self, session: Session, built: dict[str, Built]) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.faces: dict[str, QWidget] = {}
        self.stack = QStackedWidget()
        for name, made in built.items():
            face = next(iter(made.faces.values()))
            self.faces[name] = face
            self.stack.addWidget(face)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self.stack)
        session.stage_changed.connect(lambda stage: self.stack.setCurrentWidget(self.faces[stage]))
