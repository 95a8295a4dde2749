"""The softboxes in their order, the topmost first: dragged into another one, switched off, heard alone."""

from PySide6.QtCore import QRect, QSize, Qt
from PySide6.QtGui import QColor, QPainter
from PySide6.QtWidgets import QAbstractItemView, QListWidget, QListWidgetItem, QStyledItemDelegate

from aulmo.desk.shell import theme
from aulmo.desk.shell.session import Session
from aulmo.document.records import Softbox
from aulmo.light.softbox import waste, with_softboxes

ID, MARKS, WORDS = Qt.ItemDataRole.UserRole, Qt.ItemDataRole.UserRole + 1, Qt.ItemDataRole.UserRole + 2
EYE = 24


class _Row(QStyledItemDelegate):
    """Name, kind, brightness, a mark for what is wasted, and the eye."""

    def paint(self, painter: QPainter, option, index) -> None:
        """Draw."""
        t, rect = theme.current(), option.rect
        chosen = bool(option.state & option.state.State_Selected)
        if chosen:
            painter.fillRect(rect, QColor(t.accent))
        kind, stops, on, marks = index.data(WORDS)
        text, quiet = (t.on_accent, t.on_accent) if chosen else (t.text if on else t.quiet, t.quiet)
        x = rect.left() + 8
        right = rect.right() - EYE
        for name in marks:
            right -= 17
            colour = {"warning": t.caution}.get(name, quiet)
            painter.drawPixmap(right, rect.top() + 5, theme.icon(name, t.on_accent if chosen else colour).pixmap(QSize(13, 13)))
        painter.setPen(QColor(text))
        metrics = painter.fontMetrics()
        painter.drawText(QRect(right - 42, rect.top(), 38, rect.height()), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, stops)
        painter.setPen(QColor(quiet))
        painter.drawText(QRect(right - 96, rect.top(), 52, rect.height()), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, kind)
        painter.setPen(QColor(text))
        room = right - 100 - x
        name = metrics.elidedText(index.data(Qt.ItemDataRole.DisplayRole), Qt.TextElideMode.ElideRight, room)
        painter.drawText(QRect(x, rect.top(), room, rect.height()), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, name)
        painter.drawPixmap(rect.right() - 19, rect.top() + 4, theme.icon("eye" if on else "eye-slash", quiet).pixmap(QSize(15, 15)))

    def sizeHint(self, option, index) -> QSize:  # noqa: N802
        """Even rows."""
        return QSize(0, 23)


class SoftboxList(QListWidget):
    """A click selects, a click on the eye switches, a drag changes what lies on what."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setAccessibleName("Softboxes in order")
        self.setItemDelegate(_Row(self))
        self.setDragDropMode(QAbstractItemView.DragDropMode.InternalMove)
        self.setDefaultDropAction(Qt.DropAction.MoveAction)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.itemClicked.connect(lambda item: self.session.select((), f"softboxes/{item.data(ID)}"))
        self.model().rowsMoved.connect(lambda *_: self._reordered())
        self._busy = False
        self._shown: tuple = ()

    def refresh(self) -> None:
        """The softboxes of the shot, the topmost first."""
        boxes = self.session.resolved.environment.softboxes
        told = waste(boxes)
        if (boxes, told) != self._shown:
            self._shown, self._busy = (boxes, told), True
            while self.count() > len(boxes):
                self.takeItem(self.count() - 1)
            for k, box in enumerate(reversed(boxes)):
                item = self.item(k) or QListWidgetItem()
                if item.listWidget() is None:
                    self.addItem(item)
                self._fill(item, box, told.get(box.id, ""))
            self._busy = False
        chosen = self.session.softbox
        for k in range(self.count()):
            item = self.item(k)
            item.setSelected(chosen is not None and item.data(ID) == chosen.id)

    def _fill(self, item: QListWidgetItem, box: Softbox, wasted: str) -> None:
        marks = [*(["warning"] if wasted else []), *(["lock"] if box.locked else []), *(["headphones"] if box.solo else [])]
        item.setText(box.name)
        item.setData(ID, box.id)
        item.setData(WORDS, ("flag" if box.blend == "flag" else box.kind, "" if box.blend == "flag" else f"{box.stops:+.1f}", box.on, marks))
        item.setToolTip(wasted or "Drag to change what lies on what")

    def mousePressEvent(self, event) -> None:  # noqa: N802
        """The eye switches; elsewhere select."""
        item = self.itemAt(event.position().toPoint())
        if item is not None and event.position().x() > self.viewport().width() - EYE:
            at, on = f"environment/softboxes/{item.data(ID)}/on", item.data(WORDS)[2]
            self.session.put({at: not on}, told=f"Switched {'off' if on else 'on'} {item.text()}")
            return
        super().mousePressEvent(event)

    def _reordered(self) -> None:
        if self._busy:
            return
        order = [self.item(k).data(ID) for k in range(self.count())][::-1]
        document = self.session.document
        held = {box.id: box for box in document.environment.softboxes}
        wanted = [held[i] for i in order if i in held]
        self._shown = ()
        if wanted != list(document.environment.softboxes) and len(wanted) == len(held):
            self.session.apply("What lies on what on the dome", with_softboxes(document, wanted))
