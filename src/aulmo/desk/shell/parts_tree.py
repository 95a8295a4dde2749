"""The tree widget of the Parts panel: rows with an eye, lines that fold parts of like names, drops of swatches and of parts."""

import re
from typing import NamedTuple

from PySide6.QtCore import QMimeData, QSize, Qt, Signal
from PySide6.QtGui import QColor, QPainter
from PySide6.QtWidgets import QAbstractItemView, QStyledItemDelegate, QStyleOptionViewItem, QToolTip, QTreeWidget, QTreeWidgetItem

from aulmo.desk.picture.drops import SWATCH_MIME, drop_swatch, make_decal_of, swatch_targets
from aulmo.desk.shell import theme
from aulmo.desk.shell.session import Session
from aulmo.document import edits
from aulmo.document.records import Document

ID = Qt.ItemDataRole.UserRole
KIND = Qt.ItemDataRole.UserRole + 1
MARKS = Qt.ItemDataRole.UserRole + 2
RUN = Qt.ItemDataRole.UserRole + 3
EYE = 26
EYED = ("part", "lamp", "softbox", "decal", "run")
PARTS_MIME = "application/x-aulmo-parts"
OTHER_MIME = "application/x-aulmo-other"  # the address of a lamp, a softbox, a decal
LONGEST_RUN = 3  # siblings of like names in a row, from which on they are folded into one line
GROUPS = {"decals": "Decals", "set": "Set", "lamps": "Lamps", "cameras": "Cameras"}


def base_name(name: str) -> str:
    """A name without the number at its end: "Screw 12" is a Screw."""
    return re.sub(r"[ _.\-#]*\d+$", "", name) or name


def runs(document: Document, siblings: tuple[str, ...]) -> list[list[str]]:
    """Siblings in order, those of like names and kinds that stand together in one list."""
    found: list[list[str]] = []
    last: tuple = ()
    for part_id in siblings:
        part = document.parts[part_id]
        like = (base_name(part.name), part.mesh is None)
        if found and like == last:
            found[-1].append(part_id)
        else:
            found.append([part_id])
        last = like
    return [chunk for run in found for chunk in ([run] if len(run) >= LONGEST_RUN else [[i] for i in run])]


class Other(NamedTuple):
    """A row that is no part: the address of what it stands for, its words, "other" (or "lamp", "softbox", "decal", with an eye), whether it is on."""

    address: str
    text: str
    kind: str = "other"
    on: bool = True
    tip: str = ""


class _Row(QStyledItemDelegate):
    """Draws a row's name and, at the right, its eye and lock."""

    def paint(self, painter: QPainter, option, index) -> None:
        """Draw."""
        t = theme.current()
        chosen = bool(option.state & option.state.State_Selected)
        item = (index.data(MARKS) or "eye") if index.data(KIND) in EYED else ""
        if chosen:
            painter.fillRect(option.rect, QColor(t.accent))
        super().paint(painter, self._for_name(option, index), index)
        for k, name in enumerate(item.split()):
            colour = t.on_accent if chosen else (t.text if name != "eye" else t.quiet)
            right = option.rect.right() - 20 - 18 * k
            painter.drawPixmap(right, option.rect.top() + 4, theme.icon(name, colour).pixmap(QSize(15, 15)))

    def _for_name(self, option, index) -> QStyleOptionViewItem:
        """The room that is left of the eye and the lock."""
        marks = len((index.data(MARKS) or "eye").split()) if index.data(KIND) in EYED else 0
        narrow = QStyleOptionViewItem(option)
        narrow.rect = option.rect.adjusted(0, 0, -4 - 18 * marks - (4 if marks else 0), 0)
        return narrow

    def helpEvent(self, event, view, option, index) -> bool:  # noqa: N802
        """The whole of a name that there is no room for."""
        text = str(index.data(Qt.ItemDataRole.DisplayRole) or "")
        room = self._for_name(option, index).rect.width() - 6
        if not index.data(Qt.ItemDataRole.ToolTipRole) and view.fontMetrics().horizontalAdvance(text) > room:
            QToolTip.showText(event.globalPos(), text, view)
            return True
        return super().helpEvent(event, view, option, index)

    def sizeHint(self, option, index) -> QSize:  # noqa: N802
        """Even rows."""
        return QSize(0, 23)


class Tree(QTreeWidget):
    """The tree itself."""

    eye_clicked = Signal(str)
    put_wanted = Signal(list, object, object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setHeaderHidden(True)
        self.setIndentation(14)
        self.setTextElideMode(Qt.TextElideMode.ElideMiddle)
        self.setItemDelegate(_Row(self))
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setEditTriggers(QAbstractItemView.EditTrigger.EditKeyPressed)
        self.setAcceptDrops(True)
        self.setDragEnabled(True)
        self.setDropIndicatorShown(False)
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
        if item and item.data(0, KIND) in ("part", "lamp", "softbox", "decal", "run") and event.position().x() > self.viewport().width() - EYE:
            self.eye_clicked.emit(item.data(0, ID))
            return
        super().mousePressEvent(event)

    def mouseDoubleClickEvent(self, event) -> None:  # noqa: N802
        """Rename where one can."""
        item = self.itemAt(event.position().toPoint())
        if item and item.flags() & Qt.ItemFlag.ItemIsEditable and event.position().x() <= self.viewport().width() - EYE:
            self.editItem(item, 0)
            return
        super().mouseDoubleClickEvent(event)

    def mimeData(self, items) -> QMimeData:  # noqa: N802
        """Parts in the hand."""
        mime = QMimeData()
        ids = [i.data(0, ID) for i in items if i.data(0, KIND) == "part"] + [p for i in items if i.data(0, KIND) == "run" for p in parts_of(i)]
        if ids:
            mime.setData(PARTS_MIME, "\n".join(ids).encode())
        elif items:
            mime.setData(OTHER_MIME, str(items[0].data(0, ID) or "").encode())
        return mime

    def mimeTypes(self) -> list[str]:  # noqa: N802
        """Parts of this tree, and swatches."""
        return [PARTS_MIME, SWATCH_MIME]

    def _place_at(self, event) -> tuple[str | None, str | None, str]:
        """Where parts that are dropped would hang: below what, before which, and in words. Between two rows at the edge of a row, into a group in
        its middle."""
        at = event.position().toPoint()
        item = self.itemAt(at)
        parts = self.session.document.parts
        if item is None or item.data(0, KIND) != "part":
            return None, None, "to the top"
        part = parts[item.data(0, ID)]
        rect = self.visualItemRect(item)
        share = (at.y() - rect.top()) / max(1, rect.height())
        if part.mesh is None and 0.25 <= share:
            return part.id, None, f"into {part.name}"
        siblings = parts[part.parent].children if part.parent else self.session.document.roots
        after = siblings[siblings.index(part.id) + 1] if share > 0.5 and siblings.index(part.id) + 1 < len(siblings) else None
        before = part.id if share <= 0.5 else after
        return part.parent, before, f"{'before' if share <= 0.5 else 'after'} {part.name}"

    def dragEnterEvent(self, event) -> None:  # noqa: N802
        """Swatches may come, and parts of this tree."""
        if event.mimeData().hasFormat(SWATCH_MIME) or event.mimeData().hasFormat(PARTS_MIME):
            event.acceptProposedAction()

    def dragMoveEvent(self, event) -> None:  # noqa: N802
        """Swatches only on parts; parts anywhere."""
        if event.mimeData().hasFormat(PARTS_MIME):
            self.session.hint.emit(f"Drop {self._place_at(event)[2]}; it stays where it stands")
            event.acceptProposedAction()
            return
        item = self.itemAt(event.position().toPoint())
        if item and item.data(0, KIND) in ("part", "run", "decal") and event.mimeData().hasFormat(SWATCH_MIME):
            self.session.hint.emit(f"Drop on {item.text(0)}" if item.data(0, KIND) != "decal" else f"Drop: {item.text(0)} is made of it")
            event.acceptProposedAction()
        else:
            event.ignore()

    def dropEvent(self, event) -> None:  # noqa: N802
        """Dress the part, or everything in the group; hang parts elsewhere."""
        if event.mimeData().hasFormat(PARTS_MIME):
            ids = [i for i in bytes(event.mimeData().data(PARTS_MIME).data()).decode().split("\n") if i in self.session.document.parts]
            parent, before, _ = self._place_at(event)
            event.setDropAction(Qt.DropAction.CopyAction)
            event.accept()
            if before not in ids:
                self.put_wanted.emit(ids, parent, before)
            return
        item = self.itemAt(event.position().toPoint())
        mime: QMimeData = event.mimeData()
        if item and item.data(0, KIND) == "decal" and mime.hasFormat(SWATCH_MIME):
            make_decal_of(self.session, bytes(mime.data(SWATCH_MIME).data()).decode(), item.data(0, ID).partition("/")[2])
            event.acceptProposedAction()
            return
        if not item or item.data(0, KIND) not in ("part", "run") or not mime.hasFormat(SWATCH_MIME):
            return
        part_id = item.data(0, ID)
        alone = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        if item.data(0, KIND) == "run":
            targets = edits.every_surface(self.session.document, parts_of(item))
        elif self.session.document.parts[part_id].mesh is None:
            targets = edits.every_surface(self.session.document, [part_id])
        else:
            targets = swatch_targets(self.session, part_id, alone)
        if targets:
            drop_swatch(self.session, bytes(mime.data(SWATCH_MIME).data()).decode(), targets)
        event.acceptProposedAction()


def parts_of(run: QTreeWidgetItem) -> list[str]:
    """The ids of the parts that are folded into a line."""
    held: list[str] = run.data(0, RUN)
    return held
