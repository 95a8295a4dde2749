"""The tree of what is in the scene: the assembly, the set, the lamps, the cameras."""

from msgspec.structs import replace
from PySide6.QtCore import QEvent, QItemSelectionModel, QMimeData, QSize, Qt, Signal
from PySide6.QtGui import QColor, QPainter
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QLineEdit,
    QMenu,
    QStyledItemDelegate,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from aulmo.desk.picture.drops import SWATCH_MIME, drop_swatch, swatch_targets
from aulmo.desk.shell import theme
from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.fields import label
from aulmo.document import edits
from aulmo.document.records import Document, Lamp

_ID = Qt.ItemDataRole.UserRole
_KIND = Qt.ItemDataRole.UserRole + 1
EYE = 26


class _Row(QStyledItemDelegate):
    """Draws a row's name and, at the right, its eye and lock."""

    def paint(self, painter: QPainter, option, index) -> None:
        """Draw."""
        super().paint(painter, option, index)
        if index.data(_KIND) not in ("part", "lamp"):
            return
        t = theme.current()
        chosen = bool(option.state & option.state.State_Selected)
        item = index.data(Qt.ItemDataRole.UserRole + 2) or "eye"
        for k, name in enumerate(item.split()):
            colour = t.on_accent if chosen else (t.text if name != "eye" else t.quiet)
            right = option.rect.right() - 20 - 18 * k
            painter.drawPixmap(right, option.rect.top() + 4, theme.icon(name, colour).pixmap(QSize(15, 15)))

    def sizeHint(self, option, index) -> QSize:  # noqa: N802
        """Even rows."""
        return QSize(0, 23)


class Tree(QTreeWidget):
    """The tree itself."""

    eye_clicked = Signal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setHeaderHidden(True)
        self.setIndentation(14)
        self.setItemDelegate(_Row(self))
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setEditTriggers(QAbstractItemView.EditTrigger.EditKeyPressed)
        self.setAcceptDrops(True)
        self.setAccessibleName("Parts")
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)

    def drawBranches(self, painter: QPainter, rect, index) -> None:  # noqa: N802
        """A small caret where something can be unfolded."""
        item = self.itemFromIndex(index)
        t = theme.current()
        if item.isSelected():
            painter.fillRect(rect, QColor(t.accent))
        if item.childCount():
            name = "caret-down" if item.isExpanded() else "caret-right"
            colour = t.on_accent if item.isSelected() else t.quiet
            painter.drawPixmap(rect.right() - 12, rect.top() + 6, theme.icon(name, colour).pixmap(QSize(11, 11)))

    def mousePressEvent(self, event) -> None:  # noqa: N802
        """The eye hides and shows; elsewhere select."""
        item = self.itemAt(event.position().toPoint())
        if item and item.data(0, _KIND) in ("part", "lamp") and event.position().x() > self.viewport().width() - EYE:
            self.eye_clicked.emit(item.data(0, _ID))
            return
        super().mousePressEvent(event)

    def mouseDoubleClickEvent(self, event) -> None:  # noqa: N802
        """Rename where one can."""
        item = self.itemAt(event.position().toPoint())
        if item and item.flags() & Qt.ItemFlag.ItemIsEditable and event.position().x() <= self.viewport().width() - EYE:
            self.editItem(item, 0)
            return
        super().mouseDoubleClickEvent(event)

    def dragEnterEvent(self, event) -> None:  # noqa: N802
        """Swatches may come."""
        if event.mimeData().hasFormat(SWATCH_MIME):
            event.acceptProposedAction()

    def dragMoveEvent(self, event) -> None:  # noqa: N802
        """Only on parts."""
        item = self.itemAt(event.position().toPoint())
        if item and item.data(0, _KIND) == "part" and event.mimeData().hasFormat(SWATCH_MIME):
            self.session.hint.emit(f"Drop on {item.text(0)}")
            event.acceptProposedAction()
        else:
            event.ignore()

    def dropEvent(self, event) -> None:  # noqa: N802
        """Dress the part, or everything in the group."""
        item = self.itemAt(event.position().toPoint())
        mime: QMimeData = event.mimeData()
        if not item or item.data(0, _KIND) != "part" or not mime.hasFormat(SWATCH_MIME):
            return
        part_id = item.data(0, _ID)
        alone = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        is_group = self.session.document.parts[part_id].mesh is None
        targets = edits.leaves(self.session.document, [part_id]) if is_group else swatch_targets(self.session, part_id, alone)
        if targets:
            drop_swatch(self.session, bytes(mime.data(SWATCH_MIME).data()).decode(), targets)
        event.acceptProposedAction()


class PartsPanel(QWidget):
    """Search over the tree; selection goes both ways with the picture."""

    menu_wanted = Signal(object, object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.search = QLineEdit()
        self.search.setPlaceholderText("Find")
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(self._filter)
        self.tree = Tree(session)
        top = QHBoxLayout()
        top.setContentsMargins(12, 8, 8, 6)
        top.setSpacing(14)
        top.addWidget(label("Parts", "heading"))
        top.addWidget(self.search, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addLayout(top)
        layout.addWidget(self.tree, 1)
        self._items: dict[str, QTreeWidgetItem] = {}
        self._busy = False
        self.tree.itemSelectionChanged.connect(self._selected_here)
        self.tree.itemChanged.connect(self._renamed)
        self.tree.eye_clicked.connect(self._toggle_eye)
        self.tree.customContextMenuRequested.connect(self._menu)
        session.changed.connect(self._changed)
        session.opened.connect(self.rebuild)
        session.selection_changed.connect(self._selected_there)

    def rebuild(self) -> None:
        """Build the whole tree."""
        folded = {i for i, item in self._items.items() if item.childCount() and not item.isExpanded()}
        self._busy = True
        self.tree.clear()
        self._items = {}
        document = self.session.document
        for root in document.roots:
            self._add(document, root, None)
        self._group("set", "Set", [("floor", f"Floor: {document.floor.kind}")])
        glowing = [m.name for m in document.materials.values() if m.surface.emission_luminance > 0 and edits.users_of(document, m.id)]
        self._group("lamps", "Lamps", [("environment", f"Dome: {self._environment_name(document)}")] + [(f"glow:{n}", n) for n in glowing])
        for lamp in document.lamps.values():
            self._add_lamp(lamp)
        self._group("cameras", "Cameras", [(f"camera:{c.id}", c.name + (" (locked)" if c.locked else "")) for c in document.cameras.values()])
        for item_id, item in self._items.items():
            item.setExpanded(item_id not in folded)
        self._busy = False
        self._selected_there()
        self._filter(self.search.text())

    @staticmethod
    def _environment_name(document: Document) -> str:
        if document.environment.sky is not None:
            return "sky"
        return document.environment.image if document.environment.shipped else "own file"

    def _group(self, key: str, title: str, members: list[tuple[str, str]]) -> None:
        head = QTreeWidgetItem(self.tree, [title])
        head.setFlags(Qt.ItemFlag.ItemIsEnabled)
        self._items[key] = head
        for member, text in members:
            item = QTreeWidgetItem(head, [text])
            item.setData(0, _ID, member)
            item.setData(0, _KIND, "subject")
            item.setFlags(Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable)
            self._items[member] = item

    def _add_lamp(self, lamp: Lamp) -> None:
        item = QTreeWidgetItem(self._items["lamps"], [lamp.name])
        item.setData(0, _ID, f"lamp:{lamp.id}")
        item.setData(0, _KIND, "lamp")
        item.setToolTip(0, f"{lamp.name}: {lamp.kind} lamp in the group {lamp.group}")
        item.setFlags(Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable | Qt.ItemFlag.ItemIsEditable)
        item.setData(0, Qt.ItemDataRole.UserRole + 2, "eye" if lamp.on else "eye-slash")
        item.setForeground(0, QColor(theme.current().text if lamp.on else theme.current().quiet))
        self._items[f"lamp:{lamp.id}"] = item

    def _add(self, document: Document, part_id: str, above: QTreeWidgetItem | None) -> None:
        part = document.parts[part_id]
        item = QTreeWidgetItem(above or self.tree, [part.name]) if above is None else QTreeWidgetItem(above, [part.name])
        item.setData(0, _ID, part_id)
        item.setData(0, _KIND, "part")
        item.setToolTip(0, part.name)
        item.setFlags(Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable | Qt.ItemFlag.ItemIsEditable | Qt.ItemFlag.ItemIsDropEnabled)
        self._items[part_id] = item
        self._dress(item, part)
        for child in part.children:
            self._add(document, child, item)

    def _dress(self, item: QTreeWidgetItem, part) -> None:
        marks = ["eye" if part.visible else "eye-slash"] + (["lock"] if part.locked else [])
        item.setData(0, Qt.ItemDataRole.UserRole + 2, " ".join(marks))
        item.setForeground(0, QColor(theme.current().text if part.visible else theme.current().quiet))
        if item.text(0) != part.name:
            item.setText(0, part.name)

    def _changed(self, old: Document, new: Document) -> None:
        tree_same = (
            old.roots == new.roots
            and len(old.parts) == len(new.parts)
            and all(i in old.parts and old.parts[i].children == p.children for i, p in new.parts.items())
        )
        rest_same = old.cameras is new.cameras and old.floor is new.floor and old.environment is new.environment and old.materials is new.materials
        rest_same = rest_same and [(x.id, x.name, x.on, x.kind, x.group) for x in old.lamps.values()] == [
            (x.id, x.name, x.on, x.kind, x.group) for x in new.lamps.values()
        ]
        if not tree_same or not rest_same:
            self.rebuild()
            return
        self._busy = True
        for part_id, part in new.parts.items():
            if old.parts[part_id] is not part:
                self._dress(self._items[part_id], part)
        self._busy = False

    def _selected_here(self) -> None:
        if self._busy:
            return
        chosen = self.tree.selectedItems()
        parts = [i.data(0, _ID) for i in chosen if i.data(0, _KIND) == "part"]
        subjects = [i.data(0, _ID) for i in chosen if i.data(0, _KIND) in ("subject", "lamp")]
        self.session.select(parts, "" if parts else (subjects[0] if subjects else ""))

    def _selected_there(self) -> None:
        self._busy = True
        wanted = {*self.session.selection, self.session.subject}
        for item_id, item in self._items.items():
            if item.isSelected() != (item_id in wanted):
                item.setSelected(item_id in wanted)
        first = next((self._items[i] for i in self.session.selection if i in self._items), None)
        if first and not self.tree.hasFocus():
            chooser = self.tree.selectionModel()
            chooser.setCurrentIndex(self.tree.indexFromItem(first), QItemSelectionModel.SelectionFlag.NoUpdate)
            self.tree.scrollToItem(first)
        self._busy = False

    def _renamed(self, item: QTreeWidgetItem) -> None:
        if self._busy or item.data(0, _KIND) not in ("part", "lamp"):
            return
        if item.data(0, _KIND) == "lamp":
            self._rename_lamp(item)
            return
        part = self.session.document.parts[item.data(0, _ID)]
        name = item.text(0).strip()
        if not name or name == part.name:
            self._busy = True
            item.setText(0, part.name)
            self._busy = False
            return
        self.session.apply(f"Renamed {part.name} to {name}", edits.change_part(self.session.document, part.id, name=name))

    def _rename_lamp(self, item: QTreeWidgetItem) -> None:
        lamp = self.session.document.lamps[item.data(0, _ID)[5:]]
        name = item.text(0).strip()
        if name and name != lamp.name:
            self.session.change_lamp(f"Renamed {lamp.name} to {name}", replace(lamp, name=name))

    def _toggle_eye(self, part_id: str) -> None:
        if part_id.startswith("lamp:"):
            lamp = self.session.document.lamps[part_id[5:]]
            self.session.change_lamp(f"Switched {'off' if lamp.on else 'on'} {lamp.name}", replace(lamp, on=not lamp.on))
            return
        part = self.session.document.parts[part_id]
        ids = self.session.selection if part_id in self.session.selection else (part_id,)
        verb = "Hid" if part.visible else "Showed"
        self.session.apply(f"{verb} {part.name}", edits.change_parts(self.session.document, ids, visible=not part.visible))

    def _filter(self, text: str) -> None:
        wanted = text.strip().lower()

        def visit(item: QTreeWidgetItem) -> bool:
            below = [visit(item.child(k)) for k in range(item.childCount())]
            fits = not wanted or wanted in item.text(0).lower() or any(below)
            item.setHidden(not fits)
            return fits

        for k in range(self.tree.topLevelItemCount()):
            visit(self.tree.topLevelItem(k))

    def rename_current(self) -> None:
        """Begin renaming the selected part."""
        if self.session.selection:
            self.tree.editItem(self._items[self.session.selection[0]], 0)
        elif self.session.lamp is not None:
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
        for part_id, part in self.session.document.parts.items():
            if part_id in self._items:
                self._busy = True
                self._dress(self._items[part_id], part)
                self._busy = False
