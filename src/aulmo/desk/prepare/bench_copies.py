"""Prepare's bench, the face for copies: rules to be made of the selection, and those there are."""

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QAbstractItemView, QHBoxLayout, QHeaderView, QTableWidget, QTableWidgetItem, QWidget

from aulmo.desk.shell import theme
from aulmo.desk.shell.bench import BenchHead, under_head
from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.fields import button, label
from aulmo.document.made import copies
from aulmo.document.property_table import COPY_KINDS
from aulmo.document.quantity import grouped
from aulmo.document.records import Document

TIPS = {
    "row": "One after another", "ring": "Round an axis", "grid": "In columns, rows and layers", "path": "Evenly along a path",
    "box": "At random in a box", "ball": "At random in a ball", "surface": "At random over parts: choose what to copy, then add what it lies on",
}  # fmt: skip


class CopiesBench(QWidget):
    """A button for each rule; a row for each group that has one."""

    def __init__(self, session: Session, make) -> None:
        super().__init__()
        self.session = session
        self.head = BenchHead("Copies")
        self.head.addStretch(1)
        line = QHBoxLayout()
        line.setContentsMargins(14, 2, 14, 6)
        line.setSpacing(5)
        line.addWidget(label("Copy the selection"))
        self.buttons = {}
        for kind, name in COPY_KINDS.items():
            self.buttons[kind] = button(name, lambda k=kind: make(k), "small", TIPS[kind])
            line.addWidget(self.buttons[kind])
        line.addStretch(1)
        self.table = QTableWidget(0, 5)
        self.table.setHorizontalHeaderLabels(["Copies", "Rule", "Made", "Hidden", ""])
        self.table.verticalHeader().hide()
        self.table.verticalHeader().setDefaultSectionSize(22)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setShowGrid(False)
        self.table.setAccessibleName("Copies rules")
        self.table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        self.table.horizontalHeader().setSectionResizeMode(4, QHeaderView.ResizeMode.Stretch)
        self.table.horizontalHeader().setMinimumSectionSize(70)
        self.table.horizontalHeader().setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        self.table.itemSelectionChanged.connect(self._select)
        self.empty = label("No copies yet: choose a part, then how it is repeated. They stay one rule that can be changed at any time.", wrap=True)
        self.empty.setContentsMargins(14, 8, 14, 0)
        layout = under_head(self)
        layout.addLayout(line)
        layout.addWidget(self.empty)
        layout.addWidget(self.table)
        layout.addStretch(0)
        self._shown: tuple = ()
        session.changed.connect(self._changed)
        session.opened.connect(self.refresh)
        session.selection_changed.connect(self._mark)
        self.refresh()

    def _changed(self, old: Document, new: Document) -> None:
        if old.parts is not new.parts or old.paths is not new.paths:
            self.refresh()

    def refresh(self) -> None:
        """A row for each rule."""
        document = self.session.document
        groups = [p for p in document.parts.values() if p.copies is not None]
        wrong = copies.trouble(document) if groups else {}
        whole = copies.with_copies(document) if groups else document
        rows = []
        for part in groups:
            rule = part.copies
            assert rule is not None
            made = sum(1 for i in whole.parts[part.id].children if ":" in i)
            said = wrong.get(part.id, "" if made == rule.count else f"room for {grouped(made)} of {grouped(rule.count)}")
            rows.append(
                (part.id, part.name, COPY_KINDS[rule.kind], grouped(made), str(len(rule.hidden)) if rule.hidden else "", said, part.id in wrong)
            )
        self.empty.setVisible(not rows)
        self.table.setVisible(bool(rows))
        if tuple(rows) == self._shown:
            return
        self._shown = tuple(rows)
        self.table.blockSignals(True)
        self.table.setRowCount(len(rows))
        for number, (part_id, *cells, bad) in enumerate(rows):
            for column, text in enumerate(cells):
                item = QTableWidgetItem(text)
                item.setData(Qt.ItemDataRole.UserRole, part_id)
                if column == 0 and bad:
                    item.setIcon(theme.icon("warning", theme.current().caution))
                self.table.setItem(number, column, item)
        self.table.blockSignals(False)
        self._mark()

    def _select(self) -> None:
        ids = [item.data(Qt.ItemDataRole.UserRole) for item in self.table.selectedItems() if item.column() == 0]
        if ids:
            self.session.select(ids)

    def _mark(self) -> None:
        self.table.blockSignals(True)
        self.table.clearSelection()
        for row in range(self.table.rowCount()):
            item = self.table.item(row, 0)
            if item is not None and item.data(Qt.ItemDataRole.UserRole) in self.session.selection:
                self.table.selectRow(row)
        self.table.blockSignals(False)
