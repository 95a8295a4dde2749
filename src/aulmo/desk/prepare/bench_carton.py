"""Prepare's bench, the face Carton: the flat drawing with its panels and kinds of lines, live with the picture."""

from typing import Any, Callable

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QIcon, QPainter, QPainterPath, QPixmap
from PySide6.QtWidgets import QHBoxLayout, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from aulmo.desk.prepare.flat_view import FlatView, draw_line
from aulmo.desk.shell.bench import BenchHead, under_head
from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.fields import button, label
from aulmo.document.flat import KINDS, Flat, FlatOdd, flat_of
from aulmo.document.made import carton as folding
from aulmo.document.quantity import counted, show
from aulmo.document.records import Carton, Document
from aulmo.prepare.carton import make

ROLE = Qt.ItemDataRole.UserRole
SAMPLE = QSize(34, 12)


def sample(kind: str) -> QIcon:
    """How a kind of line is drawn."""
    pixmap = QPixmap(SAMPLE)
    pixmap.fill(Qt.GlobalColor.transparent)
    painter = QPainter(pixmap)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    path = QPainterPath()
    path.moveTo(1, SAMPLE.height() / 2)
    path.lineTo(SAMPLE.width() - 1, SAMPLE.height() / 2)
    draw_line(painter, kind, path)
    painter.end()
    return QIcon(pixmap)


class CartonBench(QWidget):
    """The drawing on the left, what its lines are and what was odd about it on the right."""

    pointed = Signal()  # another panel is lit
    panel_changed = Signal()
    turned = Signal()  # another panel is the front

    def __init__(self, session: Session, choose_drawing: Callable[[], Any]) -> None:
        super().__init__()
        self.session = session
        self.panel = -1
        self._busy = False
        self.head = BenchHead("Carton")
        self.words = label("", wrap=True)
        self.head.addStretch(1)
        self.to_front = button("Make it the front", self.make_front, "link", "This panel faces the viewer; the others fold about it")
        self.new = button("From a drawing…", choose_drawing, "", "A carton from a DXF, SVG or PDF file")
        self.head.addWidget(self.new)
        self.view = FlatView()
        self.view.chosen.connect(self._lines_chosen)
        self.view.pointed.connect(lambda _: self.pointed.emit())
        self.view.panel_clicked.connect(self.choose)
        self.kinds = QListWidget()
        self.kinds.setAccessibleName("Kinds of lines")
        self.kinds.setIconSize(SAMPLE)
        self.kinds.itemClicked.connect(lambda item: self._kind_clicked(str(item.data(ROLE))))
        self.odd = QListWidget()
        self.odd.setAccessibleName("What was odd")
        self.odd.setWordWrap(True)
        self.odd.itemClicked.connect(lambda item: self._show_odd(item.data(ROLE)))
        self.told = label("", wrap=True)
        self.side = QWidget()
        side = QHBoxLayout(self.side)
        side.setContentsMargins(0, 0, 10, 6)
        side.setSpacing(8)
        middle, right = QVBoxLayout(), QVBoxLayout()
        middle.addWidget(self.kinds, 1)
        middle.addWidget(self.to_front)
        right.addWidget(self.words)
        right.addWidget(self.told)
        right.addWidget(self.odd, 1)
        right.addStretch(0)
        self.kinds.setFixedWidth(148)
        self.odd.setFixedWidth(190)
        side.addLayout(middle)
        side.addLayout(right)
        self.side.setFixedWidth(356)
        self.empty = label("A packaging designer's flat drawing becomes a carton: choose a DXF, SVG or PDF file, or drop one here.", wrap=True)
        self.empty.setContentsMargins(14, 8, 14, 0)
        line = QHBoxLayout()
        line.setContentsMargins(10, 0, 0, 4)
        line.addWidget(self.view, 1)
        line.addWidget(self.side)
        layout = under_head(self)
        layout.addWidget(self.empty)
        layout.addLayout(line, 1)
        session.selection_changed.connect(self.refresh)
        session.changed.connect(self._changed)
        session.opened.connect(self.refresh)
        self.refresh()

    # what is looked at

    def part(self) -> str:
        """The carton that is selected, else the only one there is; "" for none."""
        document = self.session.document
        chosen = [i for i in self.session.selection if i in document.parts and document.parts[i].carton is not None]
        if chosen:
            return chosen[0]
        there = [p.id for p in document.parts.values() if p.carton is not None]
        return there[0] if len(there) == 1 and not self.session.selection else ""

    def carton(self) -> Carton | None:
        """The record of that carton."""
        return self.session.document.parts[self.part()].carton if self.part() else None

    def _changed(self, old: Document, new: Document) -> None:
        if old.parts is not new.parts:
            self.refresh()

    def refresh(self) -> None:
        """Show the carton that is selected."""
        carton = self.carton()
        flat = flat_of(carton.flat) if carton is not None else None
        self.view.setVisible(flat is not None)
        self.side.setVisible(flat is not None)
        self.empty.setVisible(flat is None)
        if carton is None or flat is None:
            self.words.setText("")
            self.to_front.hide()
            self.view.show_flat(None)
            self._choose(-1)
            return
        if self.view.flat is not flat:
            self.panel = -1
            self._fill(flat)
        if self.panel >= len(flat.panels):
            self.panel = -1
        self.view.panel = self.panel
        fold = folding.fold_of(carton)
        shifts = folding.shifts_of(fold.flat, fold.front, fold.thickness, fold.closed)
        glued = frozenset(int(h.child) for h in folding.ready_of(carton).hinges
                          if shifts[h.child] > 0 and carton.names[h.child].startswith("Glue"))  # fmt: skip
        self.view.show_flat(flat, carton.names, carton.front, glued)
        left, bottom, right, top = flat.box
        self.words.setText(f"{counted(len(flat.panels), 'panel')} · {show(right - left, '', 1)} × {show(top - bottom, 'mm', 1)} · {flat.scale}")
        self.to_front.setVisible(self.panel >= 0 and self.panel != carton.front)
        self._lines_chosen()

    def _fill(self, flat: Flat) -> None:
        self.kinds.clear()
        for kind, word in KINDS.items():
            number = sum(line.kind == kind for line in flat.lines)
            item = QListWidgetItem(sample(kind), f"{word}   {number}")
            item.setData(ROLE, kind)
            item.setSizeHint(QSize(0, 20))
            item.setToolTip(f"A click makes the chosen lines {word}, or chooses all that are")
            self.kinds.addItem(item)
        self.odd.clear()
        unsure = [k for k, line in enumerate(flat.lines) if line.unsure]
        if unsure:
            item = QListWidgetItem(f"? {counted(len(unsure), 'line')} unsure")
            item.setData(ROLE, unsure)
            self.odd.addItem(item)
        for one in flat.odd:
            size = f" · {show(one.size_mm, 'mm', 2)}" if one.size_mm else ""
            item = QListWidgetItem(one.words + size)
            item.setToolTip(item.text())
            item.setData(ROLE, one)
            self.odd.addItem(item)
        self.odd.setVisible(self.odd.count() > 0)

    # choosing

    def choose(self, panel: int) -> None:
        """Choose a panel, from the drawing or from the picture; the carton is selected with it."""
        part = self.part()
        if part and self.session.selection != (part,):
            self.session.select([part])
        self._choose(panel)

    def _choose(self, panel: int) -> None:
        if panel != self.panel:
            self.panel = self.view.panel = panel
            self.view.update()
            carton = self.carton()
            self.to_front.setVisible(carton is not None and panel >= 0 and panel != carton.front)
            self.panel_changed.emit()

    def point_at(self, panel: int) -> None:
        """Light a panel that the cursor is over in the picture."""
        self.view.point_at(panel)

    def _lines_chosen(self) -> None:
        number = len(self.view.lines)
        if number == 1 and (crease := self.view.crease_of(next(iter(self.view.lines)))):
            flat = self.view.flat
            carton = self.carton()
            if flat is not None and carton is not None:
                pair = next(c for c in flat.creases if c.id == crease).panels
                hinges = folding.ready_of(carton).hinges
                self._choose(next((h.child for h in hinges if {h.parent, h.child} == set(pair)), self.panel))
        self.told.setText(f"{counted(number, 'line')} chosen: click what {'it is' if number == 1 else 'they are'}" if number else
                          "Click a line, or drag a box over several")  # fmt: skip

    def _kind_clicked(self, kind: str) -> None:
        flat = self.view.flat
        if flat is None:
            return
        if not self.view.lines:
            self.view.lines = {k for k, line in enumerate(flat.lines) if line.kind == kind}
            self.view.update()
            self._lines_chosen()
            return
        self.set_kind(kind)

    def set_kind(self, kind: str) -> None:
        """Make the chosen lines of a kind; panels follow."""
        session, part, lines = self.session, self.part(), sorted(self.view.lines)
        base, assets = session.document, session.assets
        if self._busy or not part or not lines:
            return
        self._busy = True

        def done(made: Document) -> None:
            self._busy = False
            if session.document is base:
                session.apply(f"{counted(len(lines), 'line')} {KINDS[kind]}", made)

        def failed(_: str) -> None:
            self._busy = False

        session.start_task("Finding panels", lambda task: make.set_kinds(base, assets, part, lines, kind), done).failed.connect(failed)

    def make_front(self) -> None:
        """The chosen panel becomes the front."""
        session, part, panel = self.session, self.part(), self.panel
        base = session.document

        def done(made: Document) -> None:
            if session.document is base:
                session.apply("Front of the carton", made)
                session.select([part])
                self.turned.emit()

        if part and panel >= 0:
            session.start_task("Finding an order", lambda task: make.set_front(base, part, panel), done)

    def _show_odd(self, what: FlatOdd | list[int]) -> None:
        if isinstance(what, list):
            self.view.lines = set(what)
            self._lines_chosen()
        else:
            self.view.mark = what.at
        self.view.update()
