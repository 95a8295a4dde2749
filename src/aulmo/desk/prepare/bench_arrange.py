"""Prepare's bench, the face for arranging: handles, pivot, lining up, spacing, sizes, mirroring, standing, measuring, order in the tree."""

from typing import Callable

from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from aulmo.desk.picture.tools.handles import AXES, HandlesTool
from aulmo.desk.shell.bench import BenchBody, BenchHead, under_head
from aulmo.desk.shell.commands import Registry
from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.fields import Segments, button, label

WHERE = {"low": "Low", "middle": "Mid", "high": "High"}


class ArrangeBench(QWidget):
    """Everything a hand does to place things, one click each."""

    def __init__(self, session: Session, registry: Registry, handles: HandlesTool, align: Callable, space: Callable, flip: Callable) -> None:
        super().__init__()
        self.session, self.registry = session, registry
        self.head = BenchHead("Arrange")
        self.words = label("")
        self.head.addWidget(self.words)
        self.head.addStretch(1)
        columns = QHBoxLayout()
        columns.setContentsMargins(14, 4, 14, 8)
        columns.setSpacing(18)
        columns.addLayout(self._handles(handles))
        columns.addLayout(self._line_up(align, space))
        columns.addLayout(self._more(flip))
        columns.addStretch(1)
        layout = under_head(self)
        layout.addWidget(BenchBody(columns), 1)
        session.selection_changed.connect(self.refresh)
        session.opened.connect(self.refresh)
        self.refresh()

    def _run(self, text: str, command: str, tip: str = "") -> QWidget:
        keys = self.registry.commands[command].keys
        return button(text, lambda: self.registry.run(command), "small", " · ".join(t for t in (tip, keys) if t))

    def _handles(self, handles: HandlesTool) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(5)
        column.addWidget(label("Handles follow"))
        self.axes = Segments(AXES)
        self.axes.set_value(handles.axes)
        self.axes.chosen.connect(handles.set_axes)
        column.addWidget(self.axes)
        line = QHBoxLayout()
        line.setSpacing(5)
        line.addWidget(self._run("Handles", "handles"))
        line.addWidget(self._run("Measure", "measure"))
        column.addLayout(line)
        line = QHBoxLayout()
        line.setSpacing(5)
        line.addWidget(self._run("Pivot…", "pivot", "Click a corner, an edge or a rim that it turns and scales about"))
        line.addWidget(self._run("Origin", "pivot_origin", "Pivot at the part's own origin"))
        line.addWidget(self._run("Middle", "pivot_middle", "Pivot in the middle of the box"))
        column.addLayout(line)
        column.addStretch(1)
        return column

    def _line_up(self, align: Callable, space: Callable) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(4)
        grid.setVerticalSpacing(4)
        grid.addWidget(label("Line up"), 0, 1, 1, 3)
        grid.addWidget(label("Space"), 0, 4)
        for row, axis in enumerate("xyz", 1):
            grid.addWidget(label(axis), row, 0)
            for column, (where, name) in enumerate(WHERE.items(), 1):
                ends = "middles" if where == "middle" else f"{where} ends"
                made = button(name, lambda a=axis, w=where: align(a, w), "small", f"Bring {ends} in line along {axis}")
                made.setAccessibleName(f"Align {where} {axis}")
                grid.addWidget(made, row, column)
            made = button("Evenly", lambda a=axis: space(a), "small", f"Like gaps along {axis}; the outermost stay")
            made.setAccessibleName(f"Space {axis}")
            grid.addWidget(made, row, 4)
        grid.setRowStretch(4, 1)
        return grid

    def _more(self, flip: Callable) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(5)
        column.addWidget(label("Stand and size"))
        line = QHBoxLayout()
        line.setSpacing(5)
        line.addWidget(self._run("Stand on…", "stand", "Click what it is to stand on"))
        line.addWidget(self._run("On floor", "floor"))
        line.addWidget(self._run("Centre", "centre_product", "The whole assembly over the origin, on the floor"))
        column.addLayout(line)
        line = QHBoxLayout()
        line.setSpacing(5)
        line.addWidget(self._run("Same size", "same_size", "As large as the first one chosen"))
        line.addWidget(label("Mirror"))
        for axis in "xyz":
            made = button(axis, lambda a=axis: flip(a), "small", f"At the pivot, along {axis}")
            made.setAccessibleName(f"Mirror {axis}")
            made.setFixedWidth(26)
            line.addWidget(made)
        line.addStretch(1)
        column.addLayout(line)
        line = QHBoxLayout()
        line.setSpacing(5)
        line.addWidget(self._run("Rename…", "rename_pattern", "Names with a running number"))
        line.addWidget(self._run("Sort by name", "sort_names"))
        line.addWidget(self._run("Ungroup", "ungroup"))
        column.addLayout(line)
        column.addStretch(1)
        return column

    def refresh(self) -> None:
        """Say what is meant."""
        count = len(self.session.selection)
        self.words.setText("Choose parts in the picture or the tree" if not count else self.session.selected_name())
