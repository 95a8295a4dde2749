"""The tree of what is in the scene: the assembly, the set, the lamps, the cameras."""

from typing import Callable

from msgspec.structs import replace
from PySide6.QtCore import QEvent, QItemSelection, QItemSelectionModel, QItemSelectionRange, QModelIndex, Qt, Signal
from PySide6.QtGui import QColor
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLineEdit,
    QMenu,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from aulmo.desk.shell import theme
from aulmo.desk.shell.parts_tree import GROUPS, ID, KIND, MARKS, RUN, Other, Tree, base_name, parts_of, runs
from aulmo.desk.shell.session import Session
from aulmo.document import edits
from aulmo.document.decals import group_members
from aulmo.document.records import Decal, Document, Part


class PartsPanel(QWidget):
    """Search over the tree; selection goes both ways with the picture."""

    menu_wanted = Signal(object, object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.moves: list[Callable[[list[str], str | None, str | None], None]] = []  # who hangs parts elsewhere when they are dropped
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.search = QLineEdit()
        self.search.setPlaceholderText("Find")
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(self._filter)
        self.tree = Tree(session)
        top = QHBoxLayout()
        top.setContentsMargins(10, 2, 8, 6)
        top.addWidget(self.search, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addLayout(top)
        layout.addWidget(self.tree, 1)
        self._items: dict[str, QTreeWidgetItem] = {}
        self._runs: dict[str, QTreeWidgetItem] = {}
        self._others: dict[str, list[Other]] = {}
        self._busy = False
        self.tree.itemSelectionChanged.connect(self._selected_here)
        self.tree.itemChanged.connect(self._renamed)
        self.tree.eye_clicked.connect(self._toggle_eye)
        self.tree.put_wanted.connect(lambda ids, parent, before: [move(ids, parent, before) for move in self.moves])
        self.tree.customContextMenuRequested.connect(self._menu)
        session.changed.connect(self._changed)
        session.opened.connect(self.rebuild)
        session.selection_changed.connect(self._selected_there)
        session.shot_changed.connect(lambda: self._items and self._fill_groups())

    def reset(self) -> None:
        """Nothing looked for, nothing folded."""
        self.search.clear()
        self._items, self._runs = {}, {}
        self.rebuild()

    def rebuild(self) -> None:
        """Build the whole tree."""
        folded = {i for i, item in self._items.items() if item.childCount() and not item.isExpanded()}
        unfolded = {key for key, item in self._runs.items() if item.isExpanded()}
        self._runs = {}
        self._busy = True
        self.tree.setUpdatesEnabled(False)
        self.tree.clear()
        self._items = {}
        document = self.session.document
        tops: list[QTreeWidgetItem] = []
        stack: list[tuple[tuple[str, ...], QTreeWidgetItem | None]] = [(document.roots, None)]
        while stack:  # no recursion: an assembly may be deep
            siblings, above = stack.pop()
            lines = []
            for run in runs(document, siblings):
                made = [self._part_item(document.parts[i]) for i in run]
                stack.extend((document.parts[i].children, item) for i, item in zip(run, made) if document.parts[i].children)
                lines.append(self._run_item(document, run, made) if len(run) > 1 else made[0])
            if above is None:
                tops = lines
            else:
                above.addChildren(lines)
        self.tree.addTopLevelItems(tops)
        for key, title in GROUPS.items():
            head = QTreeWidgetItem(self.tree, [title])
            head.setFlags(Qt.ItemFlag.ItemIsEnabled)
            self._items[key] = head
        self._others = {}
        self._fill_groups()
        self.tree.expandAll()
        for key, item in self._runs.items():
            item.setExpanded(key in unfolded)
        for item_id in folded & set(self._items):
            self._items[item_id].setExpanded(False)
        self.tree.setUpdatesEnabled(True)
        self._busy = False
        self._selected_there()
        if self.search.text():
            self._filter(self.search.text())

    def _group_rows(self) -> dict[str, list[Other]]:
        """The rows of set, lamps and cameras as they should be."""
        document = self.session.resolved
        worn = {m for p in document.parts.values() for m in edits.surfaces_of(p)}
        glowing = [m for m in document.materials.values() if m.surface.emission_luminance > 0 and m.id in worn]
        environment = document.environment
        dome = {"sky": "sun and sky", "colour": "one colour", "gradient": "gradient"}.get(environment.kind, "")
        dome = dome or (environment.image if environment.shipped else "own file")
        told = lambda b: f"{b.name}: {b.kind} softbox on the dome"  # noqa: E731
        boxes = [Other(f"softboxes/{b.id}", b.name, "softbox", b.on, told(b)) for b in reversed(environment.softboxes)]
        lamps = [Other(f"lamps/{x.id}", x.name, "lamp", x.on, f"{x.name}: {x.kind} lamp in the group {x.group}") for x in document.lamps.values()]
        decals = [Other(f"decals/{d.id}", d.name, "decal", d.visible, _told(document, d)) for d in reversed(document.decals.values())]
        return {
            "decals": decals,
            "set": [Other("floor", f"Floor: {document.floor.kind}"), *(Other(f"paths/{p.id}", p.name) for p in document.paths.values())],
            "lamps": [Other("environment", f"Dome: {dome}"), *boxes, *(Other(f"materials/{m.id}", m.name) for m in glowing), *lamps],
            "cameras": [Other(f"cameras/{c.id}", c.name + (" (locked)" if c.locked else "")) for c in document.cameras.values()],
        }

    def _fill_groups(self) -> None:
        """Bring the rows that are no parts up to date; only groups that changed are made anew."""
        self._busy = True
        wanted_selection = self.session.subject
        for group, rows in self._group_rows().items():
            if self._others.get(group) == rows:
                continue
            head = self._items[group]
            same = [r.address for r in self._others.get(group, [])] == [r.address for r in rows]
            if not same:
                for gone in self._others.get(group, []):
                    self._items.pop(gone.address, None)
                head.takeChildren()
            for row in rows:
                if not same:
                    item = QTreeWidgetItem(head, [row.text])
                    item.setData(0, ID, row.address)
                    item.setData(0, KIND, row.kind)
                    held = row.kind in ("lamp", "softbox", "decal")
                    more = Qt.ItemFlag.ItemIsEditable | Qt.ItemFlag.ItemIsDragEnabled if held else Qt.ItemFlag.NoItemFlags
                    item.setFlags(Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable | more)
                    self._items[row.address] = item
                    item.setSelected(row.address == wanted_selection)
                self._show_other(self._items[row.address], row)
            self._others[group] = rows
        self._busy = False

    def _show_other(self, item: QTreeWidgetItem, row: Other) -> None:
        if item.text(0) != row.text:
            item.setText(0, row.text)
        item.setToolTip(0, row.tip)
        if row.kind in ("lamp", "softbox", "decal"):
            item.setData(0, MARKS, "eye" if row.on else "eye-slash")
            item.setForeground(0, QColor(theme.current().text if row.on else theme.current().quiet))

    def _part_item(self, part: Part) -> QTreeWidgetItem:
        item = QTreeWidgetItem([part.name])
        item.setData(0, ID, part.id)
        item.setData(0, KIND, "part")
        flag = Qt.ItemFlag
        item.setFlags(flag.ItemIsEnabled | flag.ItemIsSelectable | flag.ItemIsEditable | flag.ItemIsDragEnabled | flag.ItemIsDropEnabled)
        self._items[part.id] = item
        self._dress(item, part)
        return item

    def _run_item(self, document: Document, run: list[str], made: list[QTreeWidgetItem]) -> QTreeWidgetItem:
        """The line that parts of like names are folded into."""
        name = base_name(document.parts[run[0]].name)
        item = QTreeWidgetItem([f"{name} × {len(run)}"])
        item.setData(0, ID, f"run/{run[0]}")
        item.setData(0, KIND, "run")
        item.setData(0, RUN, run)
        item.setFlags(Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable | Qt.ItemFlag.ItemIsDragEnabled | Qt.ItemFlag.ItemIsDropEnabled)
        item.addChildren(made)
        self._runs[run[0]] = item
        self._mark_run(item)
        return item

    def _mark_run(self, item: QTreeWidgetItem) -> None:
        seen = any(self.session.document.parts[i].visible for i in parts_of(item))
        item.setData(0, MARKS, "eye" if seen else "eye-slash")
        item.setForeground(0, QColor(theme.current().text if seen else theme.current().quiet))

    def _dress(self, item: QTreeWidgetItem, part: Part) -> None:
        marks = ["eye" if part.visible else "eye-slash"] + (["lock"] if part.locked else []) + (["stack"] if part.copies is not None else [])
        item.setData(0, MARKS, " ".join(marks))
        item.setForeground(0, QColor(theme.current().text if part.visible else theme.current().quiet))
        item.setToolTip(0, part.name)
        if item.text(0) != part.name:
            item.setText(0, part.name)

    def _changed(self, old: Document, new: Document) -> None:
        if old.parts is not new.parts or old.roots != new.roots:
            tree_same = old.roots == new.roots and len(old.parts) == len(new.parts)
            changed = []
            if tree_same:
                for part_id, part in new.parts.items():
                    before = old.parts.get(part_id)
                    if before is part:
                        continue
                    if before is None or (before.children is not part.children and before.children != part.children):
                        tree_same = False
                        break
                    if before.name != part.name and base_name(before.name) != base_name(part.name):
                        tree_same = False  # it may leave a line of like names, or join one
                        break
                    marked = lambda p: (p.name, p.visible, p.locked, p.copies is not None, p.catches)  # noqa: E731
                    if marked(before) != marked(part):
                        changed.append(part)
            if not tree_same:
                self.rebuild()
                return
            self._busy = True
            for part in changed:
                self._dress(self._items[part.id], part)
            above = {id(item): item for item in (self._items[p.id].parent() for p in changed) if item is not None}
            for item in above.values():
                if item.data(0, KIND) == "run":
                    self._mark_run(item)
            self._busy = False
        self._fill_groups()

    def _selected_here(self) -> None:
        if self._busy:
            return
        chosen = self.tree.selectedItems()
        parts = [i.data(0, ID) for i in chosen if i.data(0, KIND) == "part"]
        parts += [i for line in chosen if line.data(0, KIND) == "run" for i in parts_of(line)]
        subjects = [i.data(0, ID) for i in chosen if i.data(0, KIND) in ("other", "lamp", "softbox", "decal")]
        self.session.select(parts, "" if parts else (subjects[0] if subjects else ""))

    def _selected_there(self) -> None:
        self._busy = True
        rows: dict[int, tuple[QModelIndex, list[int]]] = {}  # by parent: thousands of rows are chosen as a few ranges
        chosen = set(self.session.selection)
        whole = [r for r in self._runs.values() if r.childCount() <= len(chosen) and not r.isExpanded() and chosen.issuperset(parts_of(r))]
        within = {i for r in whole for i in parts_of(r)}  # a folded line stands for what is in it
        items = [self._items[i] for i in (*self.session.selection, self.session.subject) if i in self._items and i not in within]
        for item in [*items, *whole]:
            index = self.tree.indexFromItem(item)
            rows.setdefault(index.parent().internalId() if index.parent().isValid() else -1, (index.parent(), []))[1].append(index.row())
        wanted = QItemSelection()
        model = self.tree.model()
        for parent, numbers in rows.values():
            numbers.sort()
            start = 0
            for k in range(1, len(numbers) + 1):
                if k == len(numbers) or numbers[k] != numbers[k - 1] + 1:
                    wanted.append(QItemSelectionRange(model.index(numbers[start], 0, parent), model.index(numbers[k - 1], 0, parent)))
                    start = k
        self.tree.selectionModel().select(wanted, QItemSelectionModel.SelectionFlag.ClearAndSelect)
        first = whole[0] if whole else next((self._items[i] for i in self.session.selection if i in self._items), None)
        if first and not self.tree.hasFocus():
            chooser = self.tree.selectionModel()
            chooser.setCurrentIndex(self.tree.indexFromItem(first), QItemSelectionModel.SelectionFlag.NoUpdate)
            self.tree.scrollToItem(first)
        self._busy = False

    def _renamed(self, item: QTreeWidgetItem) -> None:
        if self._busy or item.data(0, KIND) not in ("part", "lamp", "softbox", "decal"):
            return
        if item.data(0, KIND) != "part":
            self._rename_other(item)
            return
        part = self.session.document.parts[item.data(0, ID)]
        name = item.text(0).strip()
        if not name or name == part.name:
            self._busy = True
            item.setText(0, part.name)
            self._busy = False
            return
        self.session.apply(f"Renamed {part.name} to {name}", edits.change_part(self.session.document, part.id, name=name))

    def _rename_other(self, item: QTreeWidgetItem) -> None:
        """A lamp, a softbox or a decal."""
        held = item.data(0, ID)
        address = f"environment/{held}/name" if held.startswith("softboxes/") else f"{held}/name"
        old, name = self.session.value(address), item.text(0).strip()
        if name and name != old:
            self.session.put({address: name}, told=f"Renamed {old} to {name}")
        elif not name:
            self._busy = True
            item.setText(0, old)
            self._busy = False

    def _toggle_eye(self, part_id: str) -> None:
        if part_id.startswith("lamps/"):
            lamp = self.session.document.lamps[part_id[6:]]
            self.session.change_lamp(f"Switched {'off' if lamp.on else 'on'} {lamp.name}", replace(lamp, on=not lamp.on))
            return
        if part_id.startswith("softboxes/"):
            on, name = self.session.value(f"environment/{part_id}/on"), self.session.value(f"environment/{part_id}/name")
            self.session.put({f"environment/{part_id}/on": not on}, told=f"Switched {'off' if on else 'on'} {name}")
            return
        if part_id.startswith("decals/"):
            seen, name = self.session.value(f"{part_id}/visible"), self.session.value(f"{part_id}/name")
            members = group_members(self.session.document, part_id[7:])
            self.session.put({f"decals/{i}/visible": not seen for i in members}, told=f"{'Hid' if seen else 'Showed'} {name}")
            return
        if part_id.startswith("run/"):
            self._toggle_run(self._runs[part_id[4:]])
            return
        part = self.session.document.parts[part_id]
        ids = self.session.selection if part_id in self.session.selection else (part_id,)
        verb = "Hid" if part.visible else "Showed"
        self.session.apply(f"{verb} {part.name}", edits.change_parts(self.session.document, ids, visible=not part.visible))

    def _toggle_run(self, item: QTreeWidgetItem) -> None:
        ids = parts_of(item)
        seen = any(self.session.document.parts[i].visible for i in ids)
        self.session.apply(f"{'Hid' if seen else 'Showed'} {item.text(0)}", edits.change_parts(self.session.document, ids, visible=not seen))

    def _filter(self, text: str) -> None:
        wanted = text.strip().lower()

        order, stack = [], [self.tree.invisibleRootItem()]
        while stack:
            item = stack.pop()
            order.append(item)
            stack.extend(item.child(k) for k in range(item.childCount()))
        fitting: set[int] = set()  # children come after their parents in the order
        for item in reversed(order[1:]):
            above = item.parent()
            if not wanted or wanted in item.text(0).lower() or id(item) in fitting:
                fitting.add(id(above))
                item.setHidden(False)
            else:
                item.setHidden(True)

    def rename_current(self) -> None:
        """Begin renaming the selected part."""
        if self.session.selection:
            self.tree.editItem(self._items[self.session.selection[0]], 0)
        elif self.session.lamp is not None or self.session.softbox is not None or self.session.decal is not None:
            self.tree.editItem(self._items[self.session.subject], 0)

    def _menu(self, at) -> None:
        menu = QMenu(self)
        self.menu_wanted.emit(menu, self.tree.itemAt(at))
        if menu.actions():
            menu.exec(self.tree.viewport().mapToGlobal(at))

    def item_of(self, part_id: str) -> QTreeWidgetItem:
        """The row of a part."""
        return self._items[part_id]

    def changeEvent(self, event) -> None:  # noqa: N802
        """A new theme wants new colours."""
        if event.type() == QEvent.Type.StyleChange and self._items:
            self._changed_theme()
        super().changeEvent(event)

    def _changed_theme(self) -> None:
        self._busy = True
        for part_id, part in self.session.document.parts.items():
            if part_id in self._items:
                self._dress(self._items[part_id], part)
        for rows in self._others.values():
            for row in rows:
                self._show_other(self._items[row.address], row)
        self._busy = False


def _told(document: Document, decal: Decal) -> str:
    """What a decal lies on, in words."""
    part = document.parts.get(decal.parts[0]) if decal.parts else None
    where = part.name if part is not None else "nothing"
    words = {"part": f"on {where}", "alike": f"on every part like {where}", "region": "across several parts"}[decal.belongs]
    return f"{decal.name}: {words}" + (f", in the group {decal.group}" if decal.group else "")
