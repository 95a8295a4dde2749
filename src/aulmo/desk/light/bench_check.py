"""Light's bench, the light check: shares for the shot and by part, what is found in words, and what can be done about it."""

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QPushButton, QScrollArea, QTreeWidget, QTreeWidgetItem, QVBoxLayout, QWidget

from aulmo.desk.light.check_watch import OVERLAYS, CheckWatch
from aulmo.desk.shell import theme
from aulmo.desk.shell.bench import BenchHead, under_head
from aulmo.desk.widgets.fields import button, label
from aulmo.light.light_check import Finding


class CheckBench(QWidget):
    """Findings, the gravest first, each with "Show me" and, where it can be solved, "Aim a strip here"."""

    def __init__(self, watch: CheckWatch, solve) -> None:
        super().__init__()
        self.watch, self._solve = watch, solve
        self.head = BenchHead("Light check")
        self.words = label("")
        self.head.addWidget(self.words)
        self.head.addStretch(1)
        self.overlays = QButtonGroup(self)
        self.buttons: dict[str, QPushButton] = {}
        for key, text in OVERLAYS.items():
            made = self.buttons[key] = QPushButton(text)
            made.setObjectName("chip")
            made.setCheckable(True)
            made.clicked.connect(lambda _=False, k=key: watch.show_overlay(k))
            self.overlays.addButton(made)
            self.head.addWidget(made)
        self.findings = QVBoxLayout()
        self.findings.setContentsMargins(12, 0, 4, 8)
        self.findings.setSpacing(3)
        inner = QWidget()
        inner.setLayout(self.findings)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setWidget(inner)
        self.table = QTreeWidget()
        self.table.setHeaderLabels(["Part", "Clipped", "Under-lit", "Flat"])
        self.table.setRootIsDecorated(False)
        self.table.setAccessibleName("Light by part")
        self.table.setSortingEnabled(True)
        self.table.setColumnWidth(0, 92)
        for column in (1, 2, 3):
            self.table.setColumnWidth(column, 62)
        self.table.setFixedWidth(300)
        line = QHBoxLayout()
        line.setContentsMargins(0, 0, 8, 8)
        line.setSpacing(8)
        line.addWidget(scroll, 1)
        line.addWidget(self.table)
        layout = under_head(self)
        layout.addLayout(line, 1)
        watch.changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """What was found last."""
        self.buttons[self.watch.overlay].setChecked(True)
        while self.findings.count():
            item = self.findings.takeAt(0)
            old = item.widget() if item is not None else None
            if old is not None:
                old.deleteLater()
        found = self.watch.found
        if found is None:
            self.words.setText("Comes with the traced picture (D)")
            self.table.clear()
            self.findings.addStretch(1)
            return
        self.words.setText(f"Rim reads {100 * found.rim:.0f} %")
        if not found.findings:
            self.findings.addWidget(label("Nothing to mend: the form reads everywhere.", ""))
        for finding in found.findings:
            self.findings.addWidget(self._row(finding))
        self.findings.addStretch(1)
        self.table.setSortingEnabled(False)
        self.table.clear()
        for name, shares in found.by_part.items():
            row = QTreeWidgetItem([name, *(f"{100 * shares[k]:3.0f} %" for k in ("clipped", "underlit", "flat"))])
            for column in (1, 2, 3):
                row.setTextAlignment(column, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            self.table.addTopLevelItem(row)
        self.table.setSortingEnabled(True)

    def _row(self, finding: Finding) -> QWidget:
        made = QWidget()
        line = QHBoxLayout(made)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(6)
        mark = label("", "")
        icon = {"clipped": "sun", "underlit": "moon", "flat": "equals", "rim": "selection"}[finding.kind]
        mark.setPixmap(theme.icon(icon, theme.current().caution).pixmap(14, 14))
        line.addWidget(mark)
        text = label(finding.words, "", wrap=True)
        line.addWidget(text, 1)
        line.addWidget(button("Show me", lambda: self.watch.show_finding(finding), "link"))
        if finding.kind == "rim":
            line.addWidget(button("Aim a strip here", lambda: self._solve(finding), "link"))
        elif finding.kind == "underlit":
            line.addWidget(button("Aim a softbox here", lambda: self._solve(finding), "link"))
        return made
