"""Frame's bench, the photograph: its lines with how far each is off, and what they tell."""

import math

from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QIcon, QPixmap
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QHeaderView, QTreeWidget, QTreeWidgetItem, QWidget

from aulmo.desk.frame.page_photograph import found_words
from aulmo.desk.frame.photo_commands import PhotographCommands
from aulmo.desk.frame.photo_desk import SUBJECT, PhotoDesk
from aulmo.desk.frame.photo_marks import colour_of
from aulmo.desk.shell import theme
from aulmo.desk.shell.bench import BenchHead, under_head
from aulmo.desk.widgets.fields import button, label
from aulmo.document.records import SightLine
from aulmo.frame import matching

MOST_WORDS = 6


def _chip(direction: int) -> QIcon:
    """A small square in a direction's colour."""
    chip = QPixmap(9, 9)
    chip.fill(colour_of(direction))
    return QIcon(chip)


class PhotographBench(QWidget):
    """Lines on the left, what was found on the right."""

    def __init__(self, photo: PhotoDesk, commands: PhotographCommands) -> None:
        super().__init__()
        self.photo, self.session = photo, photo.session
        self.head = BenchHead("Photograph")
        self.words = label("")
        self.head.addWidget(self.words)
        self.head.addStretch(1)
        self.draw = button("Draw a line", lambda: commands.take("sight line"), "link")
        self.clear = button("Clear", commands.clear, "link", "All lines away")
        for made in (self.draw, self.clear):
            self.head.addWidget(made)
        self.list = QTreeWidget()
        self.list.setAccessibleName("Sight lines")
        self.list.setHeaderHidden(True)
        self.list.setRootIsDecorated(False)
        self.list.setColumnCount(3)
        self.list.header().setStretchLastSection(False)
        for k, mode in enumerate((QHeaderView.ResizeMode.Stretch, QHeaderView.ResizeMode.Stretch, QHeaderView.ResizeMode.ResizeToContents)):
            self.list.header().setSectionResizeMode(k, mode)
        self.list.itemClicked.connect(self._clicked)
        self._rows = ""
        self.empty = label("", wrap=True)
        self.facts = QGridLayout()
        self.facts.setHorizontalSpacing(12)
        self.facts.setVerticalSpacing(4)
        self.facts.setColumnStretch(1, 1)
        self._words = [(label(""), label("", "", wrap=True)) for _ in range(MOST_WORDS)]
        for k, (word, told) in enumerate(self._words):
            self.facts.addWidget(word, k, 0, Qt.AlignmentFlag.AlignTop)
            self.facts.addWidget(told, k, 1)
        self.facts.setRowStretch(MOST_WORDS, 1)
        line = QHBoxLayout()
        line.setContentsMargins(12, 0, 12, 8)
        line.setSpacing(16)
        line.addWidget(self.list, 5)
        line.addWidget(self.empty, 5)
        line.addLayout(self.facts, 4)
        layout = under_head(self)
        layout.addLayout(line, 1)
        photo.changed.connect(self.refresh)
        self.session.selection_changed.connect(self.refresh)

    def _clicked(self, item: QTreeWidgetItem) -> None:
        """A line chosen in the list: its rows stand in Details."""
        self.photo.choose(item.data(0, Qt.ItemDataRole.UserRole))
        self.session.select((), SUBJECT)

    def refresh(self) -> None:
        """The lines as they are."""
        photo = self.photo.photo
        held = photo.lines if photo is not None else ()
        self.words.setText(f"{photo.file}, {photo.width} × {photo.height}" if photo is not None else "")
        self.list.setVisible(bool(held))
        self.empty.setVisible(not held)
        self.empty.setText(
            "Drop a photograph on the picture: it stands behind this shot." if photo is None
            else "Draw a line: drag along an edge. Two or more that are parallel in reality, then some in another direction, then uprights."
        )  # fmt: skip
        self.draw.setEnabled(photo is not None)
        self.clear.setEnabled(bool(held))
        self._fill(held)
        told = found_words(self.photo)
        for k, (word, text) in enumerate(self._words):
            there = k < len(told) and photo is not None
            word.setText(told[k][0] if there else "")
            text.setText(told[k][1] if there else "")
            word.setVisible(there)
            text.setVisible(there)

    def _fill(self, held: tuple[SightLine, ...]) -> None:
        """A row for each line; rows stay while nothing of them has changed, so that a click may choose among them."""
        photo = self.photo.photo
        known = f" · {photo.known_mm:.0f} mm" if photo is not None and photo.known_mm else ""
        named = lambda x: x.name + (known if photo is not None and photo.known == x.id else "")  # noqa: E731
        rows = [(x.id, named(x), x.direction, self.photo.residual(x.id), self.photo.is_bad(x.id)) for x in held]
        shown = repr(rows)
        if shown != self._rows:
            self._rows = shown
            self.list.clear()
            for line_id, name, direction, off, bad in rows:
                item = QTreeWidgetItem([name, matching.DIRECTIONS[direction], "" if math.isnan(off) else f"{off:.1f} px"])
                item.setData(0, Qt.ItemDataRole.UserRole, line_id)
                item.setTextAlignment(2, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                item.setIcon(0, _chip(direction))
                if bad:
                    item.setForeground(2, QColor(theme.current().caution))
                    item.setToolTip(2, "Fits much worse than the others: another kind of line, or not straight in reality")
                self.list.addTopLevelItem(item)
        for k in range(self.list.topLevelItemCount()):
            row = self.list.topLevelItem(k)
            if row is not None:
                row.setSelected(row.data(0, Qt.ItemDataRole.UserRole) == self.photo.chosen)

    def showEvent(self, event) -> None:  # noqa: N802
        """Its page goes with it."""
        super().showEvent(event)
        if self.session.stage == "Frame" and not self.session.selection:
            self.session.select((), SUBJECT)
        self.refresh()

    def hideEvent(self, event) -> None:  # noqa: N802
        """Its page goes away with it."""
        super().hideEvent(event)
        if self.session.subject == SUBJECT:
            self.session.select(())
        if self.session.tool in self.photo.tools:
            self.session.set_tool("")
