"""Light's bench, the lamps: all of them in a list that is searched, switched, heard alone and grouped; new ones beside it."""

from msgspec.structs import replace
from PySide6.QtCore import QSize, Qt
from PySide6.QtWidgets import QApplication, QHBoxLayout, QLineEdit, QListWidget, QListWidgetItem, QTreeWidget, QTreeWidgetItem, QVBoxLayout, QWidget

from aulmo.desk.light.page_lamp import UNITS
from aulmo.desk.light.room_tools import HUNG_KINDS
from aulmo.desk.shell import theme
from aulmo.desk.shell.bench import BenchHead, under_head
from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.fields import button, label, show_as_pictures
from aulmo.document import edits
from aulmo.document.property_table import LAMP_KINDS
from aulmo.document.quantity import show

ID = Qt.ItemDataRole.UserRole
ICONS = {
    "rectangle": "rectangle", "disc": "circle", "ring": "circle-dashed", "sphere": "globe-simple", "tube": "minus", "point": "asterisk",
    "spot": "flashlight", "distant": "arrow-down", "sun": "sun", "photometric": "chart-pie-slice", "portal": "frame-corners",
}  # fmt: skip


class LampsBench(QWidget):
    """Every lamp; the first column switches it, the second lets it shine alone."""

    def __init__(self, session: Session, new_lamp, furnish, hang) -> None:
        super().__init__()
        self.session = session
        self.head = BenchHead("Lamps")
        self.words = label("")
        self.head.addWidget(self.words)
        self.head.addStretch(1)
        self.search = QLineEdit()
        self.search.setPlaceholderText("Find by name, kind or group")
        self.search.setClearButtonEnabled(True)
        self.search.setFixedWidth(190)
        self.search.textChanged.connect(lambda _: self._filter())
        self.head.addWidget(self.search)
        self.list = QTreeWidget()
        self.list.setHeaderLabels(["", "", "Lamp", "Kind", "Light", "Group"])
        self.list.setRootIsDecorated(False)
        self.list.setSortingEnabled(False)
        self.list.setSelectionMode(QTreeWidget.SelectionMode.ExtendedSelection)
        self.list.setAccessibleName("Lamps")
        self.list.setIconSize(QSize(14, 14))
        for number, width in enumerate((24, 24, 130, 80, 76)):
            self.list.setColumnWidth(number, width)
        self.list.itemClicked.connect(self._clicked)
        self.shelf = QListWidget()
        show_as_pictures(self.shelf, "New lamps", QSize(26, 26), QSize(76, 52))
        for kind, title in LAMP_KINDS.items():
            self._add(kind, title, ICONS[kind])
        for kind, (title, icon) in furnish.kinds().items():
            self._add(f"set:{kind}", title, icon)

        def make(item: QListWidgetItem) -> None:
            kind = item.data(ID)
            if kind.startswith("set:"):
                furnish.take(kind[4:])
            elif kind in HUNG_KINDS and QApplication.keyboardModifiers() & Qt.KeyboardModifier.ControlModifier:
                hang(kind)
            else:
                new_lamp(kind)

        self.shelf.itemClicked.connect(make)
        buttons = QHBoxLayout()
        for text, run, tip in (
            ("On or off", self.switch, "The lamps that are chosen"), ("Solo", self.solo, "Only the lamps that are chosen"),
            ("One group", self.group, "One light group for the lamps that are chosen: they come out as one pass"),
        ):  # fmt: skip
            buttons.addWidget(button(text, run, "link", tip))
        buttons.addStretch(1)
        column = QVBoxLayout()
        column.setSpacing(2)
        column.addWidget(self.list, 1)
        column.addLayout(buttons)
        line = QHBoxLayout()
        line.setContentsMargins(8, 0, 8, 4)
        line.setSpacing(8)
        line.addLayout(column, 3)
        line.addWidget(self.shelf, 2)
        layout = under_head(self)
        layout.addLayout(line, 1)
        session.changed.connect(lambda old, new: (old.lamps is not new.lamps or old.environment is not new.environment) and self.refresh())
        session.opened.connect(self.refresh)
        session.selection_changed.connect(self._mark)
        self._rows: dict[str, QTreeWidgetItem] = {}
        self.refresh()

    def _add(self, kind: str, title: str, icon: str) -> None:
        item = QListWidgetItem(theme.icon(icon, None, 26), title)
        item.setData(ID, kind)
        tip = f"New {title.lower()}" + (" · Ctrl-click: put up by the next click" if kind in HUNG_KINDS else "")
        item.setToolTip(f"{title}: click, then click where it stands or hangs" if kind.startswith("set:") else tip)
        item.setTextAlignment(Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignBottom)
        item.setSizeHint(QSize(74, 50))
        self.shelf.addItem(item)

    def refresh(self) -> None:
        """The lamps as they are; rows that are still right are kept."""
        lamps = self.session.document.lamps
        if list(self._rows) != list(lamps):
            self.list.clear()
            self._rows = {i: QTreeWidgetItem() for i in lamps}
            self.list.addTopLevelItems(list(self._rows.values()))
        t = theme.current()
        for lamp_id, lamp in lamps.items():
            row = self._rows[lamp_id]
            amount = f"{show(lamp.power * 2.0**lamp.stops, '', 0)} {UNITS[lamp.unit]}" if lamp.kind != "portal" else ""
            words = ["", "", lamp.name + (f" × {lamp.copies.count}" if lamp.copies is not None else ""), LAMP_KINDS[lamp.kind], amount, lamp.group]
            for column, text in enumerate(words):
                if row.text(column) != text:
                    row.setText(column, text)
            row.setData(0, ID, lamp_id)
            row.setIcon(0, theme.icon("eye" if lamp.on else "eye-slash", t.quiet))
            row.setIcon(1, theme.icon("headphones", t.accent_text if lamp.solo else t.line))
        on = sum(lamp.on for lamp in lamps.values())
        self.words.setText(f"{on} of {len(lamps)} on" if lamps else "No lamps yet; the shelf makes some")
        self._filter()
        self._mark()

    def _filter(self) -> None:
        wanted = self.search.text().strip().lower()
        for row in self._rows.values():
            row.setHidden(bool(wanted) and not any(wanted in row.text(c).lower() for c in (2, 3, 5)))

    def _mark(self) -> None:
        for lamp_id, row in self._rows.items():
            chosen = self.session.subject == f"lamps/{lamp_id}"
            if chosen and not row.isSelected():
                self.list.clearSelection()
                row.setSelected(True)

    def _clicked(self, row: QTreeWidgetItem, column: int) -> None:
        lamp = self.session.document.lamps[row.data(0, ID)]
        if column == 0:
            self.session.put({f"lamps/{lamp.id}/on": not lamp.on}, told=f"Switched {'off' if lamp.on else 'on'} {lamp.name}")
        elif column == 1:
            self.session.put({f"lamps/{lamp.id}/solo": not lamp.solo}, told=f"All lights again: {lamp.name}" if lamp.solo else f"Only {lamp.name}")
        else:
            self.session.select((), f"lamps/{lamp.id}")

    def chosen(self) -> list[str]:
        """The lamps that are chosen and seen in the list."""
        return [row.data(0, ID) for row in self.list.selectedItems() if not row.isHidden()]

    def switch(self) -> None:
        """On, or all off when all are on."""
        lamps, chosen = self.session.document.lamps, self.chosen()
        on = not all(lamps[i].on for i in chosen)
        if chosen:
            self.session.put({f"lamps/{i}/on": on for i in chosen}, told=f"Switched {'on' if on else 'off'} {len(chosen)} lamps")

    def solo(self) -> None:
        """Only these, or all again."""
        lamps, chosen = self.session.document.lamps, set(self.chosen())
        alone = bool(chosen) and all(lamp.solo == (i in chosen) for i, lamp in lamps.items())
        if lamps:
            values = {i: replace(lamp, solo=i in chosen and not alone) for i, lamp in lamps.items()}
            told = "All lamps again" if alone or not chosen else f"Only {len(chosen)} lamps"
            self.session.apply(told, replace(self.session.document, lamps=values))

    def group(self) -> None:
        """One light group for them, named after the first."""
        lamps, chosen = self.session.document.lamps, self.chosen()
        if chosen:
            name = edits.free_name(lamps[chosen[0]].name, {lamp.group for i, lamp in lamps.items() if i not in chosen})
            self.session.put({f"lamps/{i}/group": name for i in chosen}, told=f"Light group {name}")
