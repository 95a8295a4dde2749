"""Prepare's bench: the health of every mesh, worst first."""

from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from aulmo.desk.shell import theme
from aulmo.desk.shell.bench import BenchHead
from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.fields import label
from aulmo.document.quantity import counted
from aulmo.document.records import Document
from aulmo.prepare.health import Health, examine


class PrepareBench(QWidget):
    """A row for each mesh: triangles, open edges, slivers, facing. A click selects the parts."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._known: dict[str, Health] = {}
        self._asked: set[str] = set()
        self.head = head = BenchHead("Health")
        self.summary = label("")
        head.addWidget(self.summary)
        head.addStretch(1)
        self.table = QTableWidget(0, 6)
        self.table.setHorizontalHeaderLabels(["Part", "Copies", "Triangles", "Open edges", "Slivers", "Facing"])
        self.table.verticalHeader().hide()
        self.table.verticalHeader().setDefaultSectionSize(22)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setShowGrid(False)
        self.table.setAccessibleName("Health")
        self.table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        self.table.horizontalHeader().setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        self.table.horizontalHeader().setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        self.table.itemSelectionChanged.connect(self._select)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addLayout(head)
        layout.addWidget(self.table)
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(1500)
        self._later.timeout.connect(self._examine)
        session.opened.connect(self._opened)
        session.changed.connect(self._changed)

    def _opened(self) -> None:
        self._asked, self._known = set(), {}
        self._later.start()

    def _changed(self, old: Document, new: Document) -> None:
        if old.parts is new.parts:
            return
        if len(old.parts) != len(new.parts) or {p.mesh for p in old.parts.values()} != {p.mesh for p in new.parts.values()}:
            self._later.start()

    def _examine(self) -> None:
        if not self.session.pictured:  # nobody looks at meshes before there is a picture of them
            self._later.start()
            return
        wanted = {p.mesh for p in self.session.document.parts.values() if p.mesh} - set(self._known) - self._asked
        assets = self.session.assets
        if not wanted:
            self._fill()
            return
        self._asked |= wanted

        def work(task) -> dict[str, Health]:
            found = {}
            for number, name in enumerate(sorted(wanted)):
                if not task.tell("Checking meshes", number / len(wanted)):
                    break
                found[name] = examine(assets.mesh(name))
            return found

        def done(found: dict[str, Health]) -> None:
            self._known.update(found)
            self._asked -= wanted
            self._fill()

        self.session.start_task("Checking meshes", work, done)

    def _fill(self) -> None:
        users: dict[str, list] = {}
        for part in self.session.document.parts.values():
            if part.mesh in self._known:
                users.setdefault(part.mesh, []).append(part)
        order = sorted(users, key=lambda m: (-self._known[m].inside_out, -self._known[m].open_edges, -self._known[m].slivers, users[m][0].name))
        self.table.blockSignals(True)
        self.table.setRowCount(len(order))
        t = theme.current()
        trouble = 0
        for row, mesh in enumerate(order):
            health, parts = self._known[mesh], users[mesh]
            trouble += bool(health.open_edges or health.inside_out)
            facing = "inside out" if health.inside_out else "outward" if not health.open_edges else "open"
            cells = [parts[0].name, str(len(parts)), f"{health.triangles:,}".replace(",", " "), str(health.open_edges), str(health.slivers), facing]
            for column, text in enumerate(cells):
                item = QTableWidgetItem(text)
                item.setData(Qt.ItemDataRole.UserRole, [p.id for p in parts])
                if column == 0:
                    bad = health.inside_out or health.open_edges
                    item.setIcon(theme.icon("warning" if bad else "check", t.caution if bad else t.fine))
                self.table.setItem(row, column, item)
        self.table.blockSignals(False)
        if not order:
            self.summary.setText("Nothing to check yet")
        else:
            self.summary.setText(
                f"{counted(len(order), 'mesh', 'meshes')}, {'closed' if len(order) == 1 else 'all closed'} and facing outward"
                if not trouble
                else f"{trouble} of {counted(len(order), 'mesh', 'meshes')} {'needs' if trouble == 1 else 'need'} a look"
            )

    def _select(self) -> None:
        ids = [i for item in self.table.selectedItems() if item.column() == 0 for i in item.data(Qt.ItemDataRole.UserRole)]
        if ids:
            self.session.select(ids)
