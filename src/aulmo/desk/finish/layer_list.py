"""The stack as a list, top first: dragged into another order and into groups, switched, shown alone, faded."""

from typing import Any

from PySide6.QtCore import QSize, Qt
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QTreeWidget, QTreeWidgetItem

from aulmo.desk.finish.finish_desk import FinishDesk
from aulmo.desk.shell import theme
from aulmo.document.finish_records import Layer
from aulmo.document.quantity import parse, show
from aulmo.errors import AulmoError
from aulmo.finish import layers as layer_edits

ID = Qt.ItemDataRole.UserRole
EYE, SOLO, NAME, WHAT, OPACITY = range(5)


class LayerList(QTreeWidget):
    """Layers, the topmost first. The first column switches one, the second shows it alone; a double click renames, or types its opacity."""

    def __init__(self, desk: FinishDesk) -> None:
        super().__init__()
        self.desk = desk
        self.setAccessibleName("Layers")
        self.setHeaderLabels(["", "", "Layer", "What", "Opacity"])
        self.setHeaderHidden(True)
        self.setRootIsDecorated(False)
        self.setIndentation(14)
        self.setIconSize(QSize(14, 14))
        self.setDragDropMode(QAbstractItemView.DragDropMode.InternalMove)
        self.setDefaultDropAction(Qt.DropAction.MoveAction)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setUniformRowHeights(True)
        self.header().setMinimumSectionSize(20)
        self.header().setStretchLastSection(False)
        self.header().setSectionResizeMode(WHAT, QHeaderView.ResizeMode.Stretch)
        for column, width in ((EYE, 24), (SOLO, 24), (NAME, 132), (OPACITY, 50)):
            self.setColumnWidth(column, width)
        self.setTreePosition(NAME)
        self._rows: dict[str, QTreeWidgetItem] = {}
        self._busy = False
        self.itemClicked.connect(self._clicked)
        self.itemDoubleClicked.connect(self._opened)
        self.itemChanged.connect(self._typed)
        desk.changed.connect(self.refresh)
        desk.made.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """The layers as they are; rows that are still right are kept."""
        layers = self.desk.finish.layers
        faults = self.desk.seen.faults if self.desk.seen is not None else {}
        shape = [(x.id, x.inside) for x in layers]
        self._busy = True
        if shape != [(i, self._inside(r)) for i, r in self._rows.items()]:
            self.clear()
            self._rows = {}
            groups: dict[str, QTreeWidgetItem] = {}
            made = {x.id: QTreeWidgetItem() for x in layers}
            for layer in reversed(layers):  # the topmost first; a group comes before what is in it
                row = made[layer.id]
                row.setData(0, ID, layer.id)
                (groups[layer.inside].addChild if layer.inside in groups else self.addTopLevelItem)(row)
                if layer.kind == "stack":
                    groups[layer.id] = row
                    row.setExpanded(True)
            self._rows = {x.id: made[x.id] for x in layers}
        for layer in layers:
            self._fill(self._rows[layer.id], layer, faults.get(layer.id, ""))
        chosen = self.desk.layer
        for layer_id, row in self._rows.items():
            row.setSelected(chosen is not None and chosen.id == layer_id)
        self._busy = False

    def _inside(self, row: QTreeWidgetItem) -> str:
        parent = row.parent()
        return str(parent.data(0, ID)) if parent is not None else ""

    def _fill(self, row: QTreeWidgetItem, layer: Layer, fault: str) -> None:
        t = theme.current()
        words = {NAME: layer.name, WHAT: fault or layer_edits.told(layer), OPACITY: show(100 * layer.opacity, "%", 0)}
        for column, text in words.items():
            if row.text(column) != text:
                row.setText(column, text)
        chosen = self.desk.layer is not None and self.desk.layer.id == layer.id
        state = (layer.on, self.desk.solo == layer.id, bool(fault), layer.kind, t, chosen)
        quiet = "#ffffff" if chosen else t.quiet
        if row.data(1, ID) == str(state):
            return
        row.setData(1, ID, str(state))
        flags = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable | Qt.ItemFlag.ItemIsDragEnabled | Qt.ItemFlag.ItemIsEditable
        row.setFlags(flags | (Qt.ItemFlag.ItemIsDropEnabled if layer.kind == "stack" else Qt.ItemFlag.NoItemFlags))
        row.setIcon(EYE, theme.icon("eye" if layer.on else "eye-slash", quiet))
        ink = quiet if chosen else t.accent_text if state[1] else t.line
        row.setIcon(SOLO, theme.icon("warning", t.caution) if fault else theme.icon("headphones", ink))
        row.setToolTip(SOLO, fault or "Alone over the render")
        row.setToolTip(WHAT, fault)
        row.setToolTip(EYE, "On or off")

    def _clicked(self, row: QTreeWidgetItem, column: int) -> None:
        desk, layer = self.desk, self._layer(row)
        if layer is None:
            return
        if column == EYE:
            desk.session.put({f"{desk.address(layer)}/on": not layer.on}, told=f"{layer.name} {'off' if layer.on else 'on'}")
        elif column == SOLO:
            desk.solo = "" if desk.solo == layer.id else layer.id
            desk.refresh()
        else:
            desk.choose(layer.id)

    def _layer(self, row: QTreeWidgetItem) -> Layer | None:
        return next((x for x in self.desk.finish.layers if x.id == row.data(0, ID)), None)

    def _opened(self, row: QTreeWidgetItem, column: int) -> None:
        if column in (NAME, OPACITY):
            self.editItem(row, column)

    def _typed(self, row: QTreeWidgetItem, column: int) -> None:
        layer = self._layer(row)
        if self._busy or layer is None:
            return
        text, address = row.text(column).strip(), self.desk.address(layer)
        if column == NAME and text and text != layer.name:
            self.desk.session.put({f"{address}/name": text}, told=f"Renamed {layer.name} {text}")
        elif column == OPACITY:
            try:
                share = parse(text, "%", 0, 100) / 100
            except AulmoError as error:
                self.desk.session.trouble.emit(str(error))
            else:
                if abs(share - layer.opacity) > 1e-6:
                    self.desk.session.put({f"{address}/opacity": share}, told=f"{layer.name} at {show(100 * share, '%', 0)}")
        self.refresh()

    def dropEvent(self, event: Any) -> None:  # noqa: N802
        """The order as the artist leaves it."""
        if event.source() is not self:
            event.ignore()
            return
        row = self.itemAt(event.position().toPoint())
        place = self.dropIndicatorPosition()
        moved = next((i for i, r in self._rows.items() if r.isSelected()), None)
        event.setDropAction(Qt.DropAction.IgnoreAction)  # the list is made anew from the document
        event.accept()
        if moved is not None:
            self.move_layer(moved, str(row.data(0, ID)) if row is not None else "", place)

    def move_layer(self, layer_id: str, target: str, place: QAbstractItemView.DropIndicatorPosition) -> None:
        """Put a layer above, below or into another; beyond the last to the bottom."""
        finish = self.desk.finish
        held = {x.id: x for x in finish.layers}
        if layer_id == target or layer_id not in held:
            return
        one = held[layer_id]
        order = [(x.id, x.inside) for x in finish.layers if x.id != layer_id and x.inside != layer_id]
        own = [(x.id, x.inside) for x in finish.layers if x.inside == layer_id]
        if target not in held or (target, held[target].inside) not in order:
            order = [*own, (layer_id, ""), *order]
        else:
            at = order.index((target, held[target].inside))
            inside = held[target].inside if one.kind != "stack" else ""
            if place == QAbstractItemView.DropIndicatorPosition.OnItem and held[target].kind == "stack" and one.kind != "stack":
                inside = target
            elif place == QAbstractItemView.DropIndicatorPosition.BelowItem:
                pass
            else:
                at += 1
            order[at:at] = [*own, (layer_id, inside)]
        self.desk.put(f"Moved {one.name}", layer_edits.moved(finish, order))
