"""Surface's bench, the face for pictures: every picture the project uses, where, how large; missing ones found again."""

from pathlib import Path

from PySide6.QtCore import QSettings, Qt
from PySide6.QtWidgets import QAbstractItemView, QFileDialog, QHeaderView, QTableWidget, QTableWidgetItem, QWidget

from aulmo.desk.shell import theme
from aulmo.desk.shell.bench import BenchHead, under_head
from aulmo.desk.shell.session import Session
from aulmo.desk.surface.decal_commands import PICTURES
from aulmo.desk.widgets.fields import button, label
from aulmo.document import edits
from aulmo.document.quantity import counted
from aulmo.document.records import Document
from aulmo.surface.picture_list import Used, found_again, replaced, size_of, used_pictures
from aulmo.surface.picture_set import load_picture


class PicturesBench(QWidget):
    """A row for each picture; a click goes to what uses it."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.head = BenchHead("Pictures")
        self.words = label("")
        self.head.addWidget(self.words)
        self.head.addStretch(1)
        self.other = button("Replace…", self._choose_other, "link", "Another file wherever the chosen picture is used")
        self.search = button("Find missing in a folder…", self._choose_folder, "link", "Also in the folders within it, by the files' names")
        self.head.addWidget(self.other)
        self.head.addWidget(self.search)
        self.table = QTableWidget(0, 3)
        self.table.setHorizontalHeaderLabels(["Picture", "Size", "Used by"])
        self.table.verticalHeader().hide()
        self.table.verticalHeader().setDefaultSectionSize(22)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.table.setShowGrid(False)
        self.table.setAccessibleName("Pictures of this project")
        header = self.table.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        header.setSectionResizeMode(2, QHeaderView.ResizeMode.Stretch)
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        self.table.itemSelectionChanged.connect(self._go)
        self.empty = label("No pictures yet: drop an image, several of one set, or a folder of them on a part.", wrap=True)
        self.empty.setContentsMargins(14, 8, 14, 0)
        layout = under_head(self)
        layout.addWidget(self.empty)
        layout.addWidget(self.table)
        layout.addStretch(0)
        self._sizes: dict[str, str] = {}
        self.shown: list[Used] = []
        session.changed.connect(self._changed)
        session.opened.connect(self._opened)
        self.refresh()

    def _changed(self, old: Document, new: Document) -> None:
        if old.materials is not new.materials or old.decals is not new.decals:
            self.refresh()

    def _opened(self) -> None:
        self._sizes = {}
        self.refresh()

    def refresh(self) -> None:
        """A row for each picture."""
        found = used_pictures(self.session.document)
        missing = sum(u.asset is None for u in found)
        self.words.setText(f"{missing} missing" if missing else "")
        self.search.setVisible(missing > 0)
        self.empty.setVisible(not found)
        self.table.setVisible(bool(found))
        self.other.setVisible(bool(found))
        if found == self.shown:
            return
        self.shown = found
        self.table.blockSignals(True)
        self.table.setRowCount(len(found))
        for k, used in enumerate(found):
            known = self._sizes.get(used.asset or "", "missing" if used.asset is None else "…")
            for column, text in enumerate((used.file, known, ", ".join(used.by))):
                item = QTableWidgetItem(text)
                if column == 0 and used.asset is None:
                    item.setIcon(theme.icon("warning", theme.current().caution))
                self.table.setItem(k, column, item)
        self.table.blockSignals(False)
        self._measure([u for u in found if u.asset is not None and u.asset not in self._sizes])

    def _measure(self, wanted: list[Used]) -> None:
        if not wanted:
            return
        assets = self.session.assets
        for used in wanted:
            self._sizes[used.asset or ""] = "…"
        self.session.start_task("Measuring pictures", lambda task: {u.asset or "": size_of(assets, u) for u in wanted}, self._measured)

    def _measured(self, sizes: dict[str, str]) -> None:
        self._sizes |= sizes
        for k, used in enumerate(self.shown):
            item = self.table.item(k, 1)
            if item is not None and used.asset is not None:
                item.setText(self._sizes.get(used.asset, ""))

    def _chosen(self) -> Used | None:
        rows = self.table.selectionModel().selectedRows()
        return self.shown[rows[0].row()] if rows else None

    def _go(self) -> None:
        used = self._chosen()
        if used is None:
            return
        kind, owner = used.address.split("/")
        users = edits.users_of(self.session.document, owner) if kind == "materials" else []
        self.session.select(users[:1], "" if users else used.address)

    def _choose_folder(self) -> None:
        name = QFileDialog.getExistingDirectory(self, "Find missing pictures", str(QSettings().value("artwork", str(Path.home()))))
        if name:
            self.look_in(Path(name))

    def look_in(self, folder: Path) -> None:
        """Take missing pictures from a folder."""
        session = self.session
        document, assets = session.document, session.assets

        def done(result: tuple) -> None:
            made, count, left = result
            if session.document is not document:
                session.hint.emit("The project changed meanwhile; look again")
                return
            if count:
                session.apply(f"Found {counted(count, 'picture')} again", made)
            session.hint.emit(f"Found {counted(count, 'picture')}" + (f"; {left} still missing" if left else ""))

        session.start_task("Looking for pictures", lambda task: found_again(document, assets, folder), done)

    def _choose_other(self) -> None:
        used = self._chosen()
        if used is None or used.asset is None:
            self.session.hint.emit("Choose a picture in the list first")
            return
        name, _ = QFileDialog.getOpenFileName(self, "Another picture", str(QSettings().value("artwork", str(Path.home()))), PICTURES)
        if name:
            self.use_instead(used, Path(name))

    def use_instead(self, used: Used, path: Path) -> None:
        """Another file wherever a picture is used."""

        def run() -> None:
            new = load_picture(self.session.assets, path)
            self.session.apply(f"{path.name} instead of {used.file}", replaced(self.session.document, used.asset or "", new, path.name))

        self.session.attempt(run)
