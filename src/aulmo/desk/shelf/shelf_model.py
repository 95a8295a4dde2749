"""The things that are seen on the shelf, in their order."""

from typing import Any

from PySide6.QtCore import QAbstractListModel, QMimeData, QModelIndex, QObject, QPersistentModelIndex, Qt

from aulmo.desk.shelf.small_pictures import SmallPictures
from aulmo.desk.shelf.taker import mime_of
from aulmo.shelf.things import Thing

THING = Qt.ItemDataRole.UserRole
Index = QModelIndex | QPersistentModelIndex


class ShelfModel(QAbstractListModel):
    """Things for a list; thousands cost nothing until they are seen."""

    def __init__(self, parent: QObject, pictures: SmallPictures, session: Any) -> None:
        super().__init__(parent)
        self.things: list[Thing] = []
        self.pictures, self.session = pictures, session
        self._rows: dict[str, int] = {}
        pictures.came.connect(self._came)

    def show_things(self, things: list[Thing]) -> None:
        """Show others."""
        if things == self.things:
            return
        self.beginResetModel()
        self.things = things
        self._rows = {t.key: k for k, t in enumerate(things)}
        self.endResetModel()

    def row_of(self, key: str) -> int:
        """Where a thing stands, -1 for one that is not seen."""
        return self._rows.get(key, -1)

    def rgb_of(self, thing: Thing) -> tuple[float, float, float]:
        """What one of the project's colours is now."""
        colour = self.session.document.colours.get(thing.inside)
        return colour.rgb if colour is not None else (0.5, 0.5, 0.5)

    def _came(self, key: str) -> None:
        row = self._rows.get(key)
        if row is not None:
            index = self.index(row)
            self.dataChanged.emit(index, index, [Qt.ItemDataRole.DecorationRole])

    def rowCount(self, parent: Index = QModelIndex()) -> int:  # noqa: N802
        """How many."""
        return 0 if parent.isValid() else len(self.things)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """The thing itself, its name, and for who looks or listens closer all that is told of it."""
        if not index.isValid():
            return None
        thing = self.things[index.row()]
        if role == THING:
            return thing
        if role == Qt.ItemDataRole.DisplayRole:
            return thing.name
        if role in (Qt.ItemDataRole.ToolTipRole, Qt.ItemDataRole.AccessibleDescriptionRole):
            return told(thing)
        if role == Qt.ItemDataRole.AccessibleTextRole:
            return f"{thing.name}, {thing.kind}"
        return None

    def flags(self, index: Index) -> Qt.ItemFlag:
        """What cannot be used can be looked at."""
        held = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        return held | Qt.ItemFlag.ItemIsDragEnabled if index.isValid() and not self.things[index.row()].trouble else held

    def mimeTypes(self) -> list[str]:  # noqa: N802
        """What a drag carries is made by hand."""
        return []

    def mimeData(self, indexes: Any) -> QMimeData:  # noqa: N802
        """The thing that is dragged."""
        return mime_of(self.things[indexes[0].row()]) if indexes else QMimeData()


def told(thing: Thing) -> str:
    """All that is told of a thing, in lines."""
    if thing.trouble:
        return thing.trouble
    said = [thing.name, " · ".join(w for w in (thing.kind, thing.told) if w)]
    said += [", ".join(thing.tags)] if thing.tags else []
    said += [thing.note] if thing.note else []
    return "\n".join(said + ([] if thing.path.startswith(("aulmo:", "project:")) else [thing.path]))
