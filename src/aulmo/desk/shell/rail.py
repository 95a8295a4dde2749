"""The rail: the stages in working order."""

from PySide6.QtCore import QSize, Qt
from PySide6.QtWidgets import QButtonGroup, QToolButton, QVBoxLayout, QWidget

from aulmo.desk.shell import theme
from aulmo.desk.shell.session import Session
from aulmo.desk.shell.stage import Stage


class Rail(QWidget):
    """One button for each stage that works."""

    def __init__(self, session: Session, stages: tuple[Stage, ...]) -> None:
        super().__init__()
        self.setObjectName("rail")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(60)
        self.session = session
        self._icons = {stage.name: stage.icon for stage in stages}
        self.buttons: dict[str, QToolButton] = {}
        group = QButtonGroup(self)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(2, 8, 2, 8)
        layout.setSpacing(4)
        for number, stage in enumerate(self._icons, 1):
            made = QToolButton()
            made.setObjectName("stage")
            made.setText(stage)
            made.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
            made.setIconSize(QSize(22, 22))
            made.setFixedSize(56, 54)
            made.setCheckable(True)
            made.setToolTip(f"{stage}  ({number})")
            made.setAccessibleName(stage)
            made.clicked.connect(lambda _=False, s=stage: session.set_stage(s))
            group.addButton(made)
            layout.addWidget(made)
            self.buttons[stage] = made
        layout.addStretch(1)
        session.stage_changed.connect(lambda _: self.refresh())
        self.refresh()

    def refresh(self) -> None:
        """Light the stage's button."""
        for stage, made in self.buttons.items():
            on = stage == self.session.stage
            made.setChecked(on)
            made.setIcon(theme.icon(self._icons[stage], theme.current().text if on else theme.current().quiet, 22))
