"""What lies on top of a part: its decals, the topmost first, to be dragged into another order, hidden, chosen."""

from PySide6.QtCore import QSize, Qt
from PySide6.QtWidgets import QAbstractItemView, QListWidget, QListWidgetItem

from aulmo.desk.shell import theme
from aulmo.desk.shell.session import Session
from aulmo.document import decals
from aulmo.document.records import Decal, Document

ID = Qt.ItemDataRole.UserRole


class DecalList(QListWidget):
    """Decals in order. A click selects, a drag changes the order, the box before the name shows and hides."""

    def __init__(self, session: Session, name: str) -> None:
        super().__init__()
        self.session = session
        self.setAccessibleName(name)
        self.setObjectName("decals")
        self.setDragDropMode(QAbstractItemView.DragDropMode.InternalMove)
        self.setDefaultDropAction(Qt.DropAction.MoveAction)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setIconSize(QSize(16, 16))
        self.itemClicked.connect(self._clicked)
        self.itemChanged.connect(self._ticked)
        self.model().rowsMoved.connect(lambda *_: self._reordered())
        self._busy = False
        self._shown: tuple = ()

    def show_decals(self, found: list[Decal], document: Document) -> None:
        """The decals to show, the topmost first."""
        scale = {d.id: f"{d.width_mm:.3g} × {d.height_mm:.3g} mm" for d in found}
        shown = tuple((d.id, d.name, d.visible, scale[d.id], d.belongs, d.group) for d in found)
        if shown != self._shown:
            self._shown = shown
            self._busy = True
            self.clear()
            for d in found:
                belongs = {"part": "", "alike": " · every alike part", "region": " · region"}[d.belongs]
                item = QListWidgetItem(
                    theme.icon("sticker", theme.current().quiet), f"{d.name}\n{scale[d.id]}{belongs}" + (f" · {d.group}" if d.group else "")
                )
                item.setData(ID, d.id)
                item.setCheckState(Qt.CheckState.Checked if d.visible else Qt.CheckState.Unchecked)
                item.setToolTip("Drag to change what lies on what; untick to hide")
                item.setSizeHint(QSize(120, 38))
                self.addItem(item)
            self._busy = False
        self._busy = True
        for k in range(self.count()):
            item = self.item(k)
            item.setSelected(self.session.subject == f"decals/{item.data(ID)}")
        self._busy = False

    def _clicked(self, item: QListWidgetItem) -> None:
        if self.session.stage != "Surface":
            self.session.set_stage("Surface")
        self.session.select((), f"decals/{item.data(ID)}")

    def _ticked(self, item: QListWidgetItem) -> None:
        if not self._busy:
            on = item.checkState() == Qt.CheckState.Checked
            name = self.session.value(f"decals/{item.data(ID)}/name")
            self.session.put({f"decals/{item.data(ID)}/visible": on}, told=f"{'Showed' if on else 'Hid'} {name}")

    def _reordered(self) -> None:
        """Those that are shown change places among themselves; others keep theirs."""
        if self._busy:
            return
        order = [self.item(k).data(ID) for k in range(self.count())][::-1]
        document = self.session.document
        mine = iter(order)
        wanted = [next(mine) if i in order else i for i in document.decals]
        self._shown = ()
        if wanted != list(document.decals):
            self.session.apply("What lies on what", decals.in_order(document, wanted))
