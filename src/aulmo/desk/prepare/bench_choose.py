"""Prepare's bench, the face for choosing parts by a rule: it counts as it is typed."""

from typing import Any

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLineEdit, QWidget

from aulmo.desk.shell.bench import BenchBody, BenchHead, under_head
from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.fields import Choice, NumberField, button, label
from aulmo.document.quantity import counted
from aulmo.document.records import Document
from aulmo.errors import AulmoError
from aulmo.prepare.choosing import Rule, chosen, combined

WAYS = {"only": "Choose these", "add": "Add", "remove": "Take away", "keep": "Keep only these"}


class ChooseBench(QWidget):
    """Conditions, how many parts they fit, and what is done with them."""

    def __init__(self, session: Session, keep) -> None:
        super().__init__()
        self.session = session
        self.head = BenchHead("Choose")
        self.count = label("", "")
        self.head.addWidget(self.count)
        self.head.addStretch(1)
        self.buttons = {}
        take = QHBoxLayout()
        take.setSpacing(5)
        for way, words in WAYS.items():
            self.buttons[way] = button(words, lambda w=way: self.take(w), "main" if way == "only" else "small")
            take.addWidget(self.buttons[way])
        take.addWidget(button("Save selection…", keep, "link", "Keep what is selected under a name"))
        take.addWidget(button("Clear", self.clear, "link", "No conditions"))
        take.addStretch(1)
        self.name = QLineEdit()
        self.name.setPlaceholderText("any")
        self.name.setToolTip("* and ? stand for any letters")
        self.name.setAccessibleName("Name is like")
        self.name.setMinimumWidth(130)
        self.material, self.within, self.seen, self.locked = Choice(), Choice(), Choice(), Choice()
        for field, words in ((self.material, "Wears"), (self.within, "In selection"), (self.seen, "Shown"), (self.locked, "Lock")):
            field.setAccessibleName(words)
            field.setMinimumWidth(112)
            field.chosen.connect(lambda _, f=field: self._chosen(f))
        self.low, self.high = NumberField("mm", 0.0, 1e9, 1), NumberField("mm", 0.0, 1e9, 1)
        self.triangles = NumberField("", 0.0, 1e12, 0)
        for number, words in ((self.low, "Size from"), (self.high, "Size to"), (self.triangles, "Triangles above")):
            number.setAccessibleName(words)
            number.setFixedWidth(66)
            number.optional = True
            number.setText("")
            number.textChanged.connect(self._later)
        self.twins = button("As selected", self._twins, "", "Only parts of the same shape as what is selected now")
        self.twins.setCheckable(True)
        self._twin_of: tuple[str, ...] = ()
        self._values: dict[int, Any] = {}
        grid = QGridLayout()
        grid.setContentsMargins(14, 4, 14, 8)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(6)
        cells: list[tuple[int, int, str, QWidget]] = [
            (0, 0, "Name is like", self.name), (1, 0, "Wears", self.material), (2, 0, "In selection", self.within),
            (0, 2, "Shown", self.seen), (1, 2, "Lock", self.locked), (2, 2, "Shape", self.twins),
        ]  # fmt: skip
        for row, column, words, widget in cells:
            grid.addWidget(label(words), row, column)
            grid.addWidget(widget, row, column + 1)
        size = QHBoxLayout()
        size.addWidget(self.low)
        size.addWidget(label("to"))
        size.addWidget(self.high)
        size.addStretch(1)
        grid.addWidget(label("Longest side"), 0, 4)
        grid.addLayout(size, 0, 5)
        grid.addWidget(label("Triangles above"), 1, 4)
        grid.addWidget(self.triangles, 1, 5)
        grid.addLayout(take, 3, 0, 1, 6)
        grid.setColumnStretch(6, 1)
        layout = under_head(self)
        layout.addWidget(BenchBody(grid), 1)
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(60)
        self._timer.timeout.connect(self.refresh)
        self.name.textChanged.connect(self._later)
        session.changed.connect(self._changed)
        session.opened.connect(self.clear)
        self.clear()

    def showEvent(self, event) -> None:  # noqa: N802
        """What can be chosen may have changed."""
        self._fill()
        self.refresh()

    def _changed(self, old: Document, new: Document) -> None:
        if self.isVisible() and (old.parts is not new.parts or old.materials is not new.materials or old.selections is not new.selections):
            self._fill()
            self._later()

    def _later(self) -> None:
        self._timer.start()

    def _chosen(self, field: Choice) -> None:
        self._values[id(field)] = field.currentData()
        self._later()

    def _fill(self) -> None:
        document = self.session.document
        wearable = [(m.name, m.id) for m in document.materials.values()]
        held: list[tuple[Choice, str, list[tuple[str, Any]]]] = [(self.material, "any", wearable)]
        held.append((self.within, "any", [(s.name, s.id) for s in document.selections.values()]))
        held.append((self.seen, "any", [("shown", False), ("hidden", True)]))
        held.append((self.locked, "any", [("locked", True), ("not locked", False)]))
        for field, words, items in held:
            field.fill([(words, None), *items], self._values.get(id(field)))

    def clear(self) -> None:
        """No conditions."""
        self._values, self._twin_of = {}, ()
        self.twins.setChecked(False)
        for field in (self.name, self.low, self.high, self.triangles):
            field.setText("")
        self._fill()
        self.refresh()

    def _twins(self) -> None:
        self._twin_of = self.session.selection if self.twins.isChecked() else ()
        if self.twins.isChecked() and not self._twin_of:
            self.twins.setChecked(False)
            self.session.hint.emit("Select a part first whose shape is meant")
        self.refresh()

    def rule(self) -> Rule:
        """The conditions as they stand. Raises BadValue for a number that is none."""
        low, high, over = (f.typed() if f.text().strip() else None for f in (self.low, self.high, self.triangles))
        values = self._values
        return Rule(
            self.name.text(),
            values.get(id(self.material)),
            self._twin_of,
            low,
            high,
            values.get(id(self.within)),
            values.get(id(self.seen)),
            values.get(id(self.locked)),
            None if over is None else int(over),
        )

    def found(self) -> list[str] | None:
        """The parts they fit; None while something makes no sense."""
        try:
            return chosen(self.session.document, self.session.assets, self.rule())
        except AulmoError as error:
            self.count.setText(str(error))
            return None

    def refresh(self) -> None:
        """Count."""
        found = self.found()
        if found is not None:
            total = sum(1 for p in self.session.document.parts.values() if p.mesh)
            self.count.setText(f"{counted(len(found), 'part')} of {total}")

    def take(self, way: str) -> None:
        """Do it with the selection."""
        found = self.found()
        if found is not None:
            self.session.select(combined(self.session.selection, found, way))
