"""The face sets of a part: a row for its body and for each set, with what they wear. A click shows the faces in the picture."""

from msgspec.structs import replace
from PySide6.QtCore import QRect, QSize, Qt
from PySide6.QtGui import QColor, QIcon, QPainter, QPixmap
from PySide6.QtWidgets import QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from aulmo.desk.shell import theme
from aulmo.desk.shell.session import Session
from aulmo.document import edits
from aulmo.document.quantity import counted
from aulmo.document.records import Part
from aulmo.surface.colour import to_hex

ADDRESS = Qt.ItemDataRole.UserRole
ROW = 24


class FaceSets(QWidget):
    """The list."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.list = QListWidget()
        self.list.setAccessibleName("Face sets")
        self.list.setIconSize(QSize(14, 14))
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.itemSelectionChanged.connect(self._chosen)
        self.list.itemChanged.connect(self._renamed)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(6, 0, 0, 0)
        layout.addWidget(self.list)
        self._busy = False
        self._shown: tuple = ()

    def show_part(self, part: Part) -> None:
        """A part's rows."""
        materials = self.session.document.materials
        rows = [(f"parts/{part.id}", "Body", part.material, 0)]
        rows += [(f"parts/{part.id}/face_sets/{s.id}", s.name, s.material, len(s.faces)) for s in part.face_sets]
        seen = tuple((address, name, count, materials.get(worn or "")) for address, name, worn, count in rows)
        self._busy = True
        if seen != self._shown:
            self._shown = seen
            self.list.clear()
            for address, name, count, material in seen:
                item = QListWidgetItem(_chip(to_hex(material.surface.base_color) if material else "#808080"), name)
                item.setData(ADDRESS, address)
                worn = material.name if material else "bare"
                item.setToolTip(f"{name} wears {worn}" + (f": {counted(count, 'face')}" if count else "") + "\nDrop a swatch on it in the picture")
                if count:
                    item.setFlags(item.flags() | Qt.ItemFlag.ItemIsEditable)
                item.setSizeHint(QSize(0, ROW))
                self.list.addItem(item)
            self.list.setFixedHeight(ROW * min(10, len(seen)) + 6)
        for k in range(self.list.count()):
            self.list.item(k).setSelected(self.list.item(k).data(ADDRESS) == self.session.subject)
        self._busy = False

    def _chosen(self) -> None:
        if self._busy:
            return
        chosen = self.list.selectedItems()
        if chosen:
            address = chosen[0].data(ADDRESS)
            self.session.select([address.split("/")[1]], address if "/face_sets/" in address else "")

    def _renamed(self, item: QListWidgetItem) -> None:
        if self._busy or "/face_sets/" not in item.data(ADDRESS):
            return
        _, part_id, _, set_id = item.data(ADDRESS).split("/")
        part = self.session.document.parts[part_id]
        found = next(s for s in part.face_sets if s.id == set_id)
        name = item.text().strip()
        if name and name != found.name:
            document = edits.put_face_set(self.session.document, part_id, replace(found, name=name))
            self.session.apply(f"Renamed {found.name} to {name}", document)
        elif not name:
            self._shown = ()
            self.show_part(part)


def _chip(colour: str) -> QIcon:
    pixmap = QPixmap(14, 14)
    pixmap.fill(Qt.GlobalColor.transparent)
    painter = QPainter(pixmap)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setBrush(QColor(colour))
    painter.setPen(QColor(theme.current().quiet))
    painter.drawRoundedRect(QRect(1, 1, 12, 12), 3, 3)
    painter.end()
    icon = QIcon()
    for mode in (QIcon.Mode.Normal, QIcon.Mode.Selected, QIcon.Mode.Active):
        icon.addPixmap(pixmap, mode)
    return icon
