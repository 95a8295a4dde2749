"""Finish's bench, the layers: the stack with what adds to it, and the scopes beside."""

from typing import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QMenu, QVBoxLayout, QWidget

from aulmo.desk.finish.finish_desk import FinishDesk
from aulmo.desk.finish.layer_list import LayerList
from aulmo.desk.finish.scopes import Scopes
from aulmo.desk.shell.bench import BenchHead, under_head
from aulmo.desk.widgets.fields import button, label
from aulmo.document.property_table import TABLE
from aulmo.document.records import Layer, Mask

LAYER_ORDER = ("grade", "picture", "text", "shadow", "group", "pass", "render", "photograph", "colour", "gradient", "stack")
MASK_ORDER = (
    "part", "group", "material", "decal", "", "ellipse", "rectangle", "gradient", "polygon", "brush", "", "luminance", "hue", "depth", "facing",
    "shadow",
)  # fmt: skip


def popped(menu: QMenu, at: QWidget) -> None:
    """A menu under a button; it goes away by itself."""
    menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    menu.popup(at.mapToGlobal(at.rect().bottomLeft()))


class LayersBench(QWidget):
    """The stack."""

    def __init__(self, desk: FinishDesk, add_layer: Callable[[str], None], add_mask: Callable[[str], None]) -> None:
        super().__init__()
        self.desk, self._layer, self._mask = desk, add_layer, add_mask
        self.head = BenchHead("Layers")
        self.words = label("")
        self.head.addWidget(self.words)
        self.head.addStretch(1)
        self.add = button("Add layer", lambda: popped(self.layer_menu(), self.add), "link", "Over the layer in hand")
        tip = "To the layer in hand; a grade is made where none is"
        self.add_mask = button("Add mask", lambda: popped(self.mask_menu(), self.add_mask), "link", tip)
        self.head.addWidget(self.add)
        self.head.addWidget(self.add_mask)
        self.list = LayerList(desk)
        self.empty = label("The render as it is. “Add layer” grades it; everything stays editable.", "quiet", True)
        self.empty.setContentsMargins(6, 8, 6, 0)
        self.empty.setAlignment(Qt.AlignmentFlag.AlignTop)
        column = QVBoxLayout()
        column.setSpacing(0)
        column.addWidget(self.empty)
        column.addWidget(self.list, 1)
        column.addStretch(0)
        self.scopes = Scopes(desk)
        line = QHBoxLayout()
        line.setContentsMargins(8, 0, 4, 4)
        line.setSpacing(10)
        line.addLayout(column, 3)
        line.addWidget(self.scopes, 2)
        layout = under_head(self)
        layout.addLayout(line, 1)
        desk.changed.connect(self.refresh)
        desk.made.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """What is worked on, in words."""
        layers = self.desk.finish.layers
        self.empty.setVisible(not layers)
        self.list.setVisible(bool(layers))
        faults = len(self.desk.seen.faults) if self.desk.seen is not None else 0
        told = f"{faults} left out" if faults else ""
        if self.desk.solo:
            told = "One layer alone"
        self.words.setText(told)

    def layer_menu(self) -> QMenu:
        """The kinds of layers."""
        menu = QMenu(self)
        words = TABLE[Layer]["kind"].choices
        for kind in LAYER_ORDER:
            menu.addAction(words[kind], lambda k=kind: self._layer(k))
        return menu

    def mask_menu(self) -> QMenu:
        """The kinds of masks."""
        menu = QMenu(self)
        words = TABLE[Mask]["kind"].choices
        for kind in MASK_ORDER:
            if kind:
                menu.addAction(words[kind], lambda k=kind: self._mask(k))
            else:
                menu.addSeparator()
        return menu
