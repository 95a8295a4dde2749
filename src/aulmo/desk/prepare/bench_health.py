"""Prepare's bench, the face Health: everything that is wrong with the parts, shown where it is, mended one by one, by kind, or all at once."""

from typing import Any

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QAbstractItemView, QHBoxLayout, QHeaderView, QTreeWidget, QTreeWidgetItem, QWidget

from aulmo.desk.shell import theme
from aulmo.desk.shell.bench import BenchHead, under_head
from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.fields import Choice, button, label
from aulmo.document.meshes import corners_of
from aulmo.document.quantity import counted, grouped, show
from aulmo.document.records import Document
from aulmo.prepare import arrange
from aulmo.prepare.health.apart import examined
from aulmo.prepare.health.findings import KINDS, Finding
from aulmo.prepare.health.leaks import Leak, closed, leaks
from aulmo.prepare.health.mend import mend

NAMES = {
    "flipped": ("Faces turned the wrong way", "Turn"), "open": ("Gaps", "Close"), "hole": ("Holes", "Close"),
    "overlap": ("Solids that overlap", "Cut"),
    "coincident": ("Faces in one place", "Part"), "doubled": ("Parts there twice", "Delete"), "scale": ("Sizes that cannot be", "Rescale"),
    "coarse": ("Rounds too coarse for a shot", "Make round"), "unseen": ("Never seen", "Hide"), "sliver": ("Slivers", "Clear"),
    "fine": ("Finer than any shot shows", "Simplify"),
}  # fmt: skip
WHAT, SIZE, WORDS, SHOW, MEND = range(5)
FOLDED = 8  # findings of a kind from which on they are folded
LEAKS = "Light leaks"
LATER = 1500  # ms after an edit


def _place(at: tuple[float, float, float]) -> str:
    """A place in words."""
    return " · ".join(f"{axis} {v:.0f}" for axis, v in zip("xyz", at))


class HealthBench(QWidget):
    """A tree of findings, by kind. A click draws the place on the picture, Return or *Show me* goes there."""

    marked = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.found: list[Finding] = []
        self.current: Finding | None = None
        self.leaks: list[Leak] = []
        self._probed = False
        self._seen: Any = None  # the parts that were looked at last
        self._before: int | None = None
        self._looking = False
        self.head = BenchHead("Health")
        self.summary = label("")
        self.head.addStretch(1)
        line = QHBoxLayout()
        line.setContentsMargins(14, 0, 10, 4)
        line.setSpacing(8)
        line.addWidget(self.summary, 1)
        self.how = Choice()
        self.how.setAccessibleName("Holes are closed")
        self.how.setToolTip("How a hole is closed")
        self.how.fill([("Close flat", "flat"), ("Close smoothly", "smooth"), ("Close along the rim", "rim")], "flat")
        self.sight = Choice()
        self.sight.setAccessibleName("Never seen from")
        self.sight.setToolTip("What counts as never seen")
        self.sight.fill([("From any side", "any"), ("From the shots", "shots")], "any")
        self.sight.chosen.connect(lambda _: self._look(True))
        for box in (self.how, self.sight):
            box.setFixedWidth(150)
            line.addWidget(box)
        self.probe = button("Light leaks", self.look_for_leaks, "small", "Where outside light comes into the space that the view stands in")
        line.addWidget(self.probe)
        self.mend_all = button("Mend all", lambda: self.mend(self.found), "small")
        self.head.addWidget(self.mend_all)
        self.tree = QTreeWidget()
        self.tree.setHeaderHidden(True)
        self.tree.setColumnCount(5)
        self.tree.setUniformRowHeights(True)
        self.tree.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.tree.setAccessibleName("Findings")
        self.tree.setTextElideMode(Qt.TextElideMode.ElideMiddle)
        header = self.tree.header()
        header.setStretchLastSection(False)
        header.setMinimumSectionSize(40)
        header.setSectionResizeMode(WHAT, QHeaderView.ResizeMode.Stretch)
        header.setSectionResizeMode(WORDS, QHeaderView.ResizeMode.Stretch)
        for column, width in ((SIZE, 96), (SHOW, 72), (MEND, 92)):
            header.setSectionResizeMode(column, QHeaderView.ResizeMode.Fixed)
            header.resizeSection(column, width)
        self.tree.currentItemChanged.connect(lambda item, _: self._choose(item))
        self.tree.itemClicked.connect(self._clicked)
        self.tree.itemActivated.connect(lambda item, _: self.show_place(item.data(0, Qt.ItemDataRole.UserRole)))
        self.empty = label("", wrap=True)
        self.empty.setContentsMargins(14, 8, 14, 0)
        layout = under_head(self)
        layout.addLayout(line)
        layout.addWidget(self.empty)
        layout.addWidget(self.tree, 1)
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(LATER)
        self._later.timeout.connect(lambda: self._look(False))
        session.opened.connect(self._opened)
        session.changed.connect(self._changed)
        self._fill()

    # looking

    def _opened(self) -> None:
        self._seen, self._before, self.found = None, None, []
        self._looking, self.leaks, self._probed = False, [], False
        self._choose(None)
        self._fill()
        self._later.start()

    def _changed(self, old: Document, new: Document) -> None:
        if old.parts is not new.parts or old.shots is not new.shots or old.cameras is not new.cameras:
            self._later.start()

    def showEvent(self, event) -> None:  # noqa: N802
        """What was left while nobody looked is done now."""
        super().showEvent(event)
        self._later.start()

    def _look(self, anew: bool) -> None:
        session = self.session
        if not session.pictured or self._looking:  # nobody looks at meshes before there is a picture of them
            self._later.start()
            return
        document, assets = session.document, session.assets
        seen = (document.parts, document.shots, document.cameras)
        if not self.isVisible() or (not anew and self._seen is not None and all(a is b for a, b in zip(self._seen, seen))):
            return
        from_shots = self.sight.currentData() == "shots"
        self._looking = True

        def done(found: list[Finding] | None) -> None:
            self._looking = False
            if found is None:
                return
            self._seen, self.found = seen, found
            if self._before is not None:
                words = f"{counted(self._before, 'finding')} before, {len(found) if found else 'none'} now"
                self._before = None
                session.hint.emit(words)
            self._fill()

        def failed(_: str) -> None:
            self._looking = False

        looked = session.start_task("Looking for what is wrong", lambda task: examined(document, assets, from_shots, task.tell), done)
        looked.failed.connect(failed)

    # showing

    def _fill(self) -> None:
        there = bool(self.found) or self._probed
        self.tree.blockSignals(True)
        self.tree.clear()
        t = theme.current()
        parts = self.session.document.parts
        for kind in KINDS:
            mine = [f for f in self.found if f.kind == kind]
            if not mine:
                continue
            title, deed = NAMES[kind]
            top = QTreeWidgetItem([f"{title} · {len(mine)}", "", self._about(kind, mine), "", f"{deed} all" if len(mine) > 1 else ""])
            top.setIcon(0, theme.icon("warning", t.caution))
            self._paint_links(top)
            self.tree.addTopLevelItem(top)
            for one in mine:
                name = parts[one.part].name if one.part in parts else ""
                row = QTreeWidgetItem([name, show(one.size_mm, "mm", 2 if one.size_mm < 10 else 1), one.words, "Show me", deed])
                row.setData(0, Qt.ItemDataRole.UserRole, one)
                row.setToolTip(0, name)
                row.setToolTip(WORDS, one.words)
                row.setTextAlignment(SIZE, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self._paint_links(row)
                top.addChild(row)
            top.setExpanded(len(mine) < FOLDED)
        if self._probed:
            self._fill_leaks()
        self.tree.blockSignals(False)
        if self.current is not None and self.current not in self.found:
            self._choose(None)
        self.tree.setVisible(there)
        self.mend_all.setVisible(bool(self.found))
        self.how.setVisible(any(f.kind in ("hole", "open") for f in self.found))
        if self._seen is None:
            self.empty.setText("Not looked at yet")
        else:
            self.empty.setText("Nothing is wrong: every mesh is closed and faces outward, nothing stands twice or within another.")
        self.empty.setVisible(not there)
        self.summary.setText(counted(len(self.found), "finding") if self.found else "")
        self.marked.emit()

    def _fill_leaks(self) -> None:
        told, deed = "" if self.leaks else "none: it is closed", "Patch all" if len(self.leaks) > 1 else ""
        top = QTreeWidgetItem([f"{LEAKS} · {len(self.leaks)}", "", told, "", deed])
        top.setIcon(0, theme.icon("sun", theme.current().caution if self.leaks else theme.current().fine))
        self._paint_links(top)
        self.tree.addTopLevelItem(top)
        for leak in self.leaks:
            words = f"{show(leak.length_mm, 'mm', 0)} long · click here if it is meant"
            row = QTreeWidgetItem([_place(leak.at), show(leak.size_mm, "mm", 2), words, "Show me", "Patch"])
            row.setData(0, Qt.ItemDataRole.UserRole, leak)
            row.setTextAlignment(SIZE, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            row.setToolTip(WORDS, "An opening that is meant, as a window, is not told again")
            self._paint_links(row)
            top.addChild(row)
        top.setExpanded(True)

    def _paint_links(self, row: QTreeWidgetItem) -> None:
        for column in (SHOW, MEND):
            row.setForeground(column, QColor(theme.current().accent_text))
        row.setForeground(WORDS, QColor(theme.current().quiet))

    def _about(self, kind: str, found: list[Finding]) -> str:
        """What hiding parts that nobody sees saves; which overlaps matter."""
        if kind == "overlap":
            return "clear ones first"
        if kind != "unseen":
            return ""
        document, assets = self.session.document, self.session.assets
        meshes = [assets.mesh(document.parts[f.part].mesh or "") for f in found if f.part in document.parts]
        triangles = sum(len(m.triangles) for m in meshes)
        size = sum(m.vertices.nbytes + m.normals.nbytes + m.triangles.nbytes for m in meshes)
        return f"hiding saves {grouped(triangles)} triangles, {show(size / 1e6, 'MB', 1)}"

    def _choose(self, item: QTreeWidgetItem | None) -> None:
        one = item.data(0, Qt.ItemDataRole.UserRole) if item is not None else None
        self.current = one
        if isinstance(one, Finding) and one.part in self.session.document.parts:
            self.session.select([one.part])
        self.marked.emit()

    def _clicked(self, item: QTreeWidgetItem, column: int) -> None:
        one = item.data(0, Qt.ItemDataRole.UserRole)
        if isinstance(one, Leak) or item.text(0).startswith(LEAKS):
            wanted = [one] if one is not None else self.leaks
            if column == SHOW and one is not None:
                self._look_at(np.array(one.at), max(one.length_mm, one.size_mm))
            elif column == MEND and item.text(MEND):
                self.patch(wanted)
            elif column == WORDS and one is not None:
                self._is_meant(one)
        elif column == SHOW and one is not None:
            self.show_place(one)
        elif column == MEND and item.text(MEND):
            title = item.text(0).partition(" · ")[0]
            self.mend([one] if one is not None else [f for f in self.found if NAMES[f.kind][0] == title])

    # light leaks

    def look_for_leaks(self) -> None:
        """Look for where outside light comes into the space that the view stands in."""
        session = self.session
        document, assets, place = session.document, session.assets, session.view.position
        meant = (*document.windows, *(lamp.position for lamp in document.lamps.values() if lamp.kind == "portal"))

        def done(found: list[Leak]) -> None:
            self.leaks, self._probed = found, True
            self._fill()
            session.hint.emit(f"{counted(len(found), 'opening')} lets light in" if len(found) == 1 else f"{len(found) or 'No'} openings let light in")

        session.start_task("Looking for light leaks", lambda task: leaks(document, assets, place, meant), done)

    def patch(self, wanted: list[Leak]) -> None:
        """Close openings, each with a patch of its own: one step of undo."""
        document = self.session.document
        for leak in wanted:
            document, _ = closed(document, leak)
        self.leaks = [leak for leak in self.leaks if leak not in wanted]
        self.session.apply(f"Patched {counted(len(wanted), 'leak')}", document)
        self._fill()

    def _is_meant(self, leak: Leak) -> None:
        document = self.session.document
        self.leaks = [other for other in self.leaks if other is not leak]
        self.session.apply("Remembered an opening that is meant", replace(document, windows=(*document.windows, leak.at)))
        self._fill()

    def show_place(self, one: Finding | Leak | None) -> None:
        """Look at where something is wrong, from where the view stands, from near."""
        if not isinstance(one, Finding):
            return
        self.current = one
        session = self.session
        size = max(one.size_mm, 1.0)
        part = session.document.parts.get(one.part)
        if part is not None:
            box = arrange.bounds(session.document, session.assets, [one.part])
            whole = float((box[1] - box[0]).max()) if box is not None else size
            size = min(max(2.5 * size, 0.3 * whole), 3 * whole)
        self._look_at(np.array(one.at), size)
        session.select([one.part])
        self.marked.emit()

    def _look_at(self, middle: np.ndarray, size: float) -> None:
        session = self.session
        view = session.view
        away = np.array(view.position) - np.array(view.target)
        corners = corners_of(middle - size / 2, middle + size / 2)
        start = replace(view, position=tuple(middle + away), target=tuple(middle))
        shot = session.shot
        ratio = shot.width / shot.height if shot is not None else 1.6
        session.set_view(arrange.frame_points(start, corners, ratio))

    # mending

    def mend(self, findings: list[Finding]) -> None:
        """Mend some of what was found: one step of undo."""
        session = self.session
        base, assets, how = session.document, session.assets, self.how.currentData()
        wanted = [f for f in findings if f.part in base.parts]
        if not wanted:
            return
        kinds = list(dict.fromkeys(f.kind for f in wanted))
        if len(wanted) == 1:
            told = f"Mended {base.parts[wanted[0].part].name}"
        else:
            told = f"Mended {counted(len(wanted), 'finding')}" + (f": {NAMES[kinds[0]][0].lower()}" if len(kinds) == 1 else "")
        before = len(self.found)

        def done(made: Document) -> None:
            if session.document is not base:
                session.trouble.emit("The project changed meanwhile; nothing was mended. Do it again.")
                return
            if made is base:
                session.trouble.emit("That cannot be mended here: the rims do not meet, or nothing would be left.")
                return
            self._before = before
            session.apply(told, made)
            self._later.start()

        session.start_task("Mending", lambda task: mend(base, assets, wanted, how, task.tell), done)
