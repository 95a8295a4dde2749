"""Render's range sheet: the axes and their choices, a picture of each combination, and what is done with those that are ticked."""

from pathlib import Path
from typing import Any

from PySide6.QtCore import QPoint, Qt, QTimer
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QLineEdit, QMenu, QSplitter, QTreeWidget, QTreeWidgetItem, QVBoxLayout, QWidget

from aulmo.deliver.contact_sheet import write_range
from aulmo.deliver.naming import Named, file_stem
from aulmo.deliver.stills import shot_of
from aulmo.desk.picture.compare import Compare
from aulmo.desk.render.range_sheet import RangeSheet, key_of
from aulmo.desk.shell import theme
from aulmo.desk.shell.bench import BenchHead, under_head
from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.fields import Choice, button, label
from aulmo.document import variants
from aulmo.document.file_names import file_name
from aulmo.document.properties import sentence, shown
from aulmo.document.quantity import counted
from aulmo.document.records import Document
from aulmo.document.variant_table import from_table
from aulmo.errors import AulmoError
from aulmo.trace.shot_drafts import ShotDrafts

ID = Qt.ItemDataRole.UserRole


class RangeBench(QWidget):
    """Axes on the left, the sheet on the right."""

    def __init__(self, session: Session, compare: Compare, render: Any) -> None:
        super().__init__()
        self.session, self.compare, self._render = session, compare, render
        self.head = BenchHead("Range sheet")
        self.words = label("")
        self.head.addWidget(self.words)
        self.head.addStretch(1)
        self.rows = Choice()
        self.rows.setAccessibleName("Rows")
        self.rows.setFixedWidth(120)
        self.rows.chosen.connect(self._set_rows)
        self.head.addWidget(label("Rows"))
        self.head.addWidget(self.rows)
        self.head.addWidget(button("All", self.tick_all, "link", "Tick all cells that are offered, or none"))
        self.head.addWidget(button("From a table…", self.choose_table, "link", "Tick the variants that a CSV file lists"))
        self.head.addWidget(button("Sheet…", self.choose_sheet, "link", "The sheet for the client, as PDF or PNG"))
        self.go = button("Render ticked", self.render_ticked, "", "One file for each cell that is ticked")
        self.head.addWidget(self.go)
        layout = under_head(self)
        split = QSplitter()
        split.addWidget(self._axes())
        self.sheet = RangeSheet(session)
        split.addWidget(self.sheet)
        split.setSizes([236, 700])
        split.setStretchFactor(1, 1)
        layout.addWidget(split, 1)
        self.pattern = QLineEdit("{project} {shot} {variant}")
        self.pattern.setAccessibleName("Names of files")
        self.pattern.setToolTip("{project}, {shot}, {variant}, {size}, {time}, {number}, {date}, and each axis by its name")
        self.pattern.setFixedWidth(300)
        self.pattern.textChanged.connect(lambda _: self._tell())
        self.example = label("")
        names = QHBoxLayout()
        names.setContentsMargins(10, 3, 10, 5)
        names.setSpacing(8)
        names.addWidget(label("Names of files"))
        names.addWidget(self.pattern)
        names.addWidget(self.example, 1)
        layout.addLayout(names)
        self.sheet.seen.connect(session.see)
        self.sheet.ticked.connect(self._tell)
        self.sheet.chosen.connect(self._cell_menu)
        self._drawn_for: dict[tuple, tuple] = {}
        self._drawing = False
        self._drafts: tuple[Any, ShotDrafts] | None = None
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(500)
        self._later.timeout.connect(self._draw)
        for bar in (self.sheet.horizontalScrollBar(), self.sheet.verticalScrollBar()):
            bar.valueChanged.connect(lambda _: self._later.start())
        session.opened.connect(self._opened)
        session.changed.connect(self._changed)
        for signal in (session.variant_changed, session.shot_changed):
            signal.connect(self.refresh)
        self.refresh()

    def _axes(self) -> QWidget:
        side = QWidget()
        layout = QVBoxLayout(side)
        layout.setContentsMargins(8, 0, 6, 6)
        layout.setSpacing(3)
        self.tree = QTreeWidget()
        self.tree.setAccessibleName("Axes and choices")
        self.tree.setHeaderHidden(True)
        self.tree.setColumnCount(2)
        self.tree.setIndentation(14)
        self.tree.header().setStretchLastSection(False)
        self.tree.header().setSectionResizeMode(0, self.tree.header().ResizeMode.Stretch)
        self.tree.header().setSectionResizeMode(1, self.tree.header().ResizeMode.ResizeToContents)
        self.tree.itemChanged.connect(self._renamed)
        self.tree.itemClicked.connect(self._clicked)
        self.tree.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.tree.customContextMenuRequested.connect(self._tree_menu)
        layout.addWidget(self.tree, 1)
        line = QHBoxLayout()
        line.setSpacing(2)
        self.new_axis = button("New axis", self.add_axis, "link", "Something that the product may be had in several of, as a colour")
        self.new_choice = button("New choice", self.add_choice, "link", "Along the chosen axis, as the base until it is taken in hand")
        self.more = button("More…", self._more, "link", "Rename, duplicate, put in another order, delete, what differs")
        for made in (self.new_axis, self.new_choice, self.more):
            line.addWidget(made)
        line.addStretch(1)
        layout.addLayout(line)
        return side

    # keeping up

    def _opened(self) -> None:
        self.sheet.wanted, self.sheet.pictures, self._drawn_for, self._drafts = set(), {}, {}, None
        self.sheet.rows_axis = ""
        self._drawing = False  # what was on its way for another project is dropped
        self.refresh()

    def _changed(self, old: Document, new: Document) -> None:
        if old.axes is not new.axes or old.refused is not new.refused or old.shots is not new.shots:
            self.refresh()
        if self.isVisible():
            self._later.start()

    def showEvent(self, event: Any) -> None:  # noqa: N802
        """Seen: its pictures should be right."""
        self.refresh()
        self._later.start(60)

    def refresh(self) -> None:
        """The axes, and the sheet."""
        document, sheet = self.session.document, self.sheet
        sheet.over = tuple(a.id for a in document.axes if a.choices)
        if sheet.rows_axis not in sheet.over:
            sheet.rows_axis = sheet.over[0] if sheet.over else ""
        self.rows.fill([(a.name, a.id) for a in document.axes if a.choices] or [("None yet", "")], sheet.rows_axis)
        self._fill_tree(document)
        sheet.refresh()
        self._tell()
        if self.isVisible():
            self._later.start()

    def _fill_tree(self, document: Document) -> None:
        t = theme.current()
        held = self.current()
        self.tree.blockSignals(True)
        self.tree.clear()
        for axis in document.axes:
            top = QTreeWidgetItem([axis.name, ""])
            top.setData(0, ID, ("axis", axis.id))
            top.setFlags(top.flags() | Qt.ItemFlag.ItemIsEditable)
            self.tree.addTopLevelItem(top)
            for choice in axis.choices:
                item = QTreeWidgetItem([choice.name, counted(len(choice.overrides), "change") if choice.overrides else "as the base"])
                item.setData(0, ID, ("choice", choice.id))
                item.setFlags(item.flags() | Qt.ItemFlag.ItemIsEditable)
                if self.session.hand == choice.id:
                    item.setIcon(0, theme.icon("pencil-simple", t.caution))
                elif self.session.picks.get(axis.id) == choice.id:
                    item.setIcon(0, theme.icon("eye", t.quiet))
                top.addChild(item)
                if held == ("choice", choice.id):
                    self.tree.setCurrentItem(item)
            top.setExpanded(True)
            if held == ("axis", axis.id):
                self.tree.setCurrentItem(top)
        self.tree.blockSignals(False)

    def _tell(self) -> None:
        """How many cells, what they would be called, and what Render would do."""
        session, document = self.session, self.session.document
        cells = self.sheet.cells()
        wanted = self._ticked_of(cells)
        self.words.setText(f"{counted(len(cells), 'variant')}, {len(wanted)} ticked" if cells else "One product, in all the ways it comes")
        self.go.setEnabled(bool(wanted))
        shot = session.shot
        try:
            if shot is None or not cells:
                self.example.setText("")
                return
            picks = (wanted or cells)[0]
            named = Named(document, shot_of(document, picks), picks, (shot.width, shot.height), session.time)
            self.example.setText(f"As “{file_stem(self.pattern.text(), named)}”")
        except AulmoError as error:
            self.example.setText(str(error))

    def ticked(self) -> list[dict[str, str]]:
        """The cells that are ticked, in the sheet's order."""
        return self._ticked_of(self.sheet.cells())

    def _ticked_of(self, cells: list[dict[str, str]]) -> list[dict[str, str]]:
        return [picks for picks in cells if key_of(picks) in self.sheet.wanted] if self.sheet.wanted else []

    # axes and choices

    def current(self) -> tuple[str, str]:
        """What is chosen in the tree: "axis" or "choice", and its id."""
        item = self.tree.currentItem()
        return tuple(item.data(0, ID)) if item is not None and item.data(0, ID) else ("", "")  # type: ignore[return-value]

    def _axis_here(self) -> str:
        kind, name = self.current()
        axes = self.session.document.axes
        if kind == "axis":
            return name
        if kind == "choice":
            return variants.find_choice(self.session.document, name)[0].id
        return axes[-1].id if axes else ""

    def _run(self, told: str, edit: Any) -> Any:
        """An edit of axes as one step; what it made besides the document."""
        made = self.session.attempt(edit)
        if made is None:
            self.refresh()
            return None
        document, rest = made if isinstance(made, tuple) else (made, True)
        self.session.apply(told, document)
        self.refresh()
        return rest

    def add_axis(self) -> str | None:
        """A new axis, with one choice that is as the base."""
        document = self.session.document
        taken = {a.name.lower() for a in document.axes}
        name = next((n for n in ("Colour", "Trim", "Set", "Camera", "Season") if n.lower() not in taken), f"Axis {len(taken) + 1}")

        def edit() -> Any:
            made, axis_id = variants.add_axis(document, name)
            return variants.add_choice(made, axis_id, "Standard")[0], axis_id

        axis_id = self._run(f"Axis {name}", edit)
        self._choose("axis", axis_id, edit=True)
        return axis_id

    def add_choice(self) -> str | None:
        """A new choice along the chosen axis, to be named at once; it is seen and in hand."""
        axis_id = self._axis_here()
        if not axis_id:
            self.session.hint.emit("Make an axis first")
            return None
        document = self.session.document
        axis = variants.axis_of(document, axis_id)
        names = {c.name for c in axis.choices}
        name = next(f"{axis.name} {k}" for k in range(len(names) + 1, len(names) + 100) if f"{axis.name} {k}" not in names)
        made = self._run(f"Choice {name}", lambda: variants.add_choice(document, axis_id, name))
        if made:
            self.session.take_in_hand(made)
            self._choose("choice", made, edit=True)
        return made

    def _choose(self, kind: str, name: str | None, edit: bool = False) -> None:
        for k in range(self.tree.topLevelItemCount()):
            top = self.tree.topLevelItem(k)
            below = [top.child(j) for j in range(top.childCount())] if top is not None else []
            for item in (top, *below):
                if item is not None and tuple(item.data(0, ID)) == (kind, name):
                    self.tree.setCurrentItem(item)
                    if edit and self.isVisible():
                        self.tree.editItem(item, 0)

    def _renamed(self, item: QTreeWidgetItem, column: int) -> None:
        kind, name = item.data(0, ID)
        text, document = item.text(0), self.session.document
        edit = variants.rename_axis if kind == "axis" else variants.rename_choice
        self._run(f"Renamed to {text}", lambda: edit(document, name, text))

    def _clicked(self, item: QTreeWidgetItem, column: int) -> None:
        kind, name = item.data(0, ID)
        if kind == "choice":
            self.session.pick(variants.find_choice(self.session.document, name)[0].id, name)

    def _more(self) -> None:
        menu = self.menu()
        if menu is not None:
            menu.popup(self.more.mapToGlobal(QPoint(0, self.more.height())))

    def _tree_menu(self, at: QPoint) -> None:
        menu = self.menu()
        if menu is not None:
            menu.popup(self.tree.viewport().mapToGlobal(at))

    def menu(self) -> QMenu | None:
        """What can be done with the chosen axis or choice."""
        kind, name = self.current()
        document, session = self.session.document, self.session
        if not kind:
            session.hint.emit("Choose an axis or a choice first")
            return None
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        if kind == "axis":
            axis = variants.axis_of(document, name)
            menu.addAction("Count before", lambda: self._run(f"{axis.name} in another place", lambda: variants.move_axis(document, name, -1)))
            menu.addAction("Count after", lambda: self._run(f"{axis.name} in another place", lambda: variants.move_axis(document, name, 1)))
            menu.addAction("Delete axis", lambda: self._run(f"Deleted {axis.name}", lambda: variants.remove_axis(document, name)))
            return menu
        _, choice = variants.find_choice(document, name)
        held = session.hand == name
        menu.addAction("Put down" if held else "Take in hand", lambda: (session.take_in_hand("" if held else name), self.refresh()))
        menu.addAction("Duplicate", lambda: self._run(f"Copy of {choice.name}", lambda: variants.duplicate_choice(document, name)))
        menu.addAction("Up", lambda: self._run(f"{choice.name} up", lambda: variants.move_choice(document, name, -1)))
        menu.addAction("Down", lambda: self._run(f"{choice.name} down", lambda: variants.move_choice(document, name, 1)))
        shots = menu.addMenu("Brings its shot")
        for shot_id, title in (("", "None"), *((s.id, s.name) for s in document.shots)):
            action = shots.addAction(title, lambda s=shot_id: self._bring(name, s))
            action.setCheckable(True)
            action.setChecked(choice.shot == shot_id)
        own = menu.addMenu(f"What differs ({len(choice.overrides)})")
        for address, value in list(choice.overrides.items())[:40]:
            one = own.addMenu(f"{sentence(document, address)}: {shown(address, value)}")
            one.addAction("As in the base", lambda a=address: self._run("As in the base", lambda: variants.take_back(document, name, [a])))
            one.addAction("Make it the base’s", lambda a=address: self._run("Into the base", lambda: variants.to_base(document, name, [a])))
        own.setEnabled(bool(choice.overrides))
        menu.addSeparator()
        menu.addAction("Delete choice", lambda: self._run(f"Deleted {choice.name}", lambda: variants.remove_choice(document, name)))
        return menu

    def _bring(self, choice_id: str, shot_id: str) -> None:
        from msgspec.structs import replace

        document = self.session.document
        axis, choice = variants.find_choice(document, choice_id)
        self._run(f"Shot of {choice.name}", lambda: variants.put_choice(document, axis.id, replace(choice, shot=shot_id)))

    # cells

    def _set_rows(self, axis_id: str) -> None:
        self.sheet.rows_axis = axis_id
        self.refresh()

    def _cell_menu(self, at: QPoint, picks: dict[str, str]) -> None:
        self.cell_menu(picks).popup(at)

    def cell_menu(self, picks: dict[str, str]) -> QMenu:
        """What can be done with a cell."""
        session, document = self.session, self.session.document
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.addAction("Look at it", lambda: session.see(picks))
        menu.addAction("Compare with what is seen", lambda: self.compare_with(picks))
        own = {a: c for a, c in picks.items() if a in self.sheet.over}
        refused = self.sheet.refused(picks)
        if len(own) > 1:
            words = "Offer it again" if refused else "Do not offer it"
            menu.addAction(words, lambda: self._run(words, lambda: _refused(document, own, not refused)))
        return menu

    def compare_with(self, picks: dict[str, str]) -> list[str]:
        """Lay a variant beside the one that is seen, and list what differs; returns the list."""
        session, document = self.session, self.session.document
        found = variants.differences(document, session.picks, picks)
        lines = [f"{sentence(document, a)}: {shown(a, one)} → {shown(a, other)}" for a, one, other in found]
        if session.shot is not None:
            self.compare.show(session.shot.id, picks)
        told = f"{variants.told(document, session.picks)} | {variants.told(document, picks)}"
        self.session.hint.emit(f"{told}: {counted(len(lines), 'difference')}. {' · '.join(lines[:3])}")
        self.words.setToolTip("\n".join(lines))
        return lines

    def tick_all(self) -> None:
        """All cells, or none where all are."""
        keys = {key_of(picks) for picks in self.sheet.cells()}
        self.sheet.wanted = set() if keys <= self.sheet.wanted else keys
        self.sheet.refresh()
        self._tell()

    def choose_table(self) -> None:
        """Ask for a table."""
        path, _ = QFileDialog.getOpenFileName(self, "A table of variants", str(Path.home()), "Tables (*.csv *.txt)")
        if path:
            self.take_table(Path(path))

    def take_table(self, path: Path) -> None:
        """Tick the variants that a table lists."""
        document = self.session.document

        def read() -> Any:
            try:
                text = path.read_text(encoding="utf-8-sig")
            except (OSError, UnicodeDecodeError) as error:
                raise AulmoError(f"{path.name} cannot be read: {getattr(error, 'strerror', None) or 'it is no text'}.") from None
            return from_table(document, text)

        rows = self.session.attempt(read)
        if rows is None:
            return
        wanted = set()
        for found in rows:
            picked = {axis.id: choice.id for axis, choice in variants.picked(document, {a: c for a, c in found.items() if a != "shot"})}
            wanted.add(key_of(picked))
        cells = {key_of(picks) for picks in self.sheet.cells()}
        self.sheet.wanted = wanted & cells
        left = len(wanted - cells)
        self.session.hint.emit(f"{path.name}: {counted(len(wanted & cells), 'variant')} ticked" + (f", {left} not on this sheet" if left else ""))
        self.sheet.refresh()
        self._tell()

    def choose_sheet(self) -> None:
        """Ask where the sheet goes."""
        name = str(Path.home() / f"{file_name(self.session.document.name)} range.pdf")
        path, _ = QFileDialog.getSaveFileName(self, "The sheet for the client", name, "PDF (*.pdf);;PNG (*.png)")
        if path:
            self.write_sheet(Path(path))

    def write_sheet(self, path: Path) -> None:
        """The sheet as a file."""
        session = self.session
        document, assets, shot = session.document, session.assets, session.shot
        wanted = self.ticked() or self.sheet.cells()

        def work(task: Any) -> int:
            assert shot is not None
            return write_range(document, assets, shot, wanted, path, lambda share: task.tell("Range sheet", share))

        if shot is not None and wanted:
            session.start_task("Range sheet", work, lambda count: session.hint.emit(f"{counted(count, 'variant')} on {path.name}") if count else None)

    def render_ticked(self) -> None:
        """Render all cells that are ticked, each to its file."""
        self._render(self.ticked(), self.pattern.text())

    # pictures

    def _draw(self) -> None:
        """Draw what is in sight and not drawn yet, one after the other, while the hand rests."""
        session = self.session
        shot = session.shot
        if not self.isVisible() or self._drawing or shot is None or not session.document.parts:
            return
        document, assets = session.document, session.assets
        stamp = (document, session.time)
        due = [picks for picks in self.sheet.in_sight()[:400] if not self.sheet.refused(picks) and not self._is_drawn(picks, stamp)][:6]
        if not due:
            return
        if self._drafts is None or self._drafts[0] is not assets:
            self._drafts = (assets, ShotDrafts(assets))
        drafts, at, cell = self._drafts[1], session.time, self.sheet.size_of_cell
        self._drawing = True

        def work(task: Any) -> list:
            found = []
            for picks in due:
                of = variants.chosen(document, variants.in_full(document, picks))
                own = variants.shot_for(document, picks) or shot
                f = min(cell.width() / own.width, cell.height() / own.height)
                size = (max(8, round(own.width * f)), max(8, round(own.height * f)))
                found.append((picks, drafts.draw(of, next(s for s in of.shots if s.id == own.id), at, size)))
            return found

        def done(found: list) -> None:
            self._drawing = False
            for picks, pixels in found:
                h, w = pixels.shape[:2]
                key = key_of(picks)
                self.sheet.pictures[key] = QImage(pixels.copy().data, w, h, w * 4, QImage.Format.Format_RGB32).copy()
                self._drawn_for[key] = stamp
            self.sheet.viewport().update()
            self._later.start(20)

        task = session.start_task("Drawing the range", work, done)
        task.failed.connect(self._stopped)

    def _stopped(self, words: str) -> None:
        self._drawing = False

    def _is_drawn(self, picks: dict[str, str], stamp: tuple) -> bool:
        held = self._drawn_for.get(key_of(picks))
        return held is not None and held[0] is stamp[0] and held[1] == stamp[1]


def _refused(document: Document, picks: dict[str, str], on: bool) -> Document:
    """Refuse a combination, or offer it again by taking away every refusal that it falls under."""
    from msgspec.structs import replace

    if on:
        return variants.refuse(document, picks)
    return replace(document, refused=tuple(r for r in document.refused if not all(picks.get(a) == c for a, c in r.picks.items())))


