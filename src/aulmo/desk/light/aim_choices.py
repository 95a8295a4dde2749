"""How the aim tool aims: whether bumps and decals count, for whose camera, and what a lamp keeps."""

from typing import Any

from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QVBoxLayout, QWidget

from aulmo.desk.widgets.fields import Segments, button


class AimChoices(QWidget):
    """A button that takes the tool in hand, and its choices below; two of these always show the same."""

    def __init__(self, tool: Any, for_lamps: bool) -> None:
        super().__init__()
        self.tool = tool
        session = tool.session
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 2, 0, 2)
        column.setSpacing(3)
        column.addWidget(button("Aim at a highlight", lambda: session.toggle_tool("aim"), "main", "A"))
        self.relief, self.for_shot = QCheckBox("Bumps and decals count"), QCheckBox("For the shot, from a free view")
        self.relief.setToolTip("Aim by the very normal of the picture; off by the form below bumps and decals")
        self.for_shot.setToolTip("From a free view, aim for the shot's camera; off for what the view sees")
        self.relief.clicked.connect(lambda on: self._set("relief", on))
        self.for_shot.clicked.connect(lambda on: self._set("for_shot", on))
        for box in (self.relief, self.for_shot):
            line = QHBoxLayout()
            line.setContentsMargins(9, 0, 0, 0)
            line.addWidget(box)
            column.addLayout(line)
        self.keeps = Segments({"distance": "Keeps its distance", "height": "Its height"})
        self.keeps.chosen.connect(lambda word: self._set("keeps", word))
        self.keeps.setVisible(for_lamps)
        column.addWidget(self.keeps)
        tool.choices.append(self)
        self.refresh()

    def _set(self, name: str, value: Any) -> None:
        setattr(self.tool, name, value)
        for other in self.tool.choices:
            other.refresh()

    def refresh(self) -> None:
        """As the tool has it."""
        self.relief.setChecked(self.tool.relief)
        self.for_shot.setChecked(self.tool.for_shot)
        self.keeps.set_value(self.tool.keeps)
