"""Prepare's bench, the face for the set: a shelf of pieces to put up, and paths to draw."""

from pathlib import Path

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QIcon
from PySide6.QtWidgets import QListWidget, QListWidgetItem, QWidget

from aulmo.desk.prepare.place_tool import PlaceTool
from aulmo.desk.shell.bench import BenchHead, under_head
from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.fields import button, label, show_as_pictures
from aulmo.document.property_table import PIECE_KINDS

PICTURES = Path(__file__).parents[1] / "thumbnails"
KIND = Qt.ItemDataRole.UserRole


class SetBench(QWidget):
    """A click on a piece takes it in hand; the next click in the picture puts it up."""

    def __init__(self, session: Session, tool: PlaceTool, draw_path, import_paths) -> None:
        super().__init__()
        self.session, self.tool = session, tool
        self.head = BenchHead("Set")
        self.words = label("Click a piece, then where it stands")
        self.head.addWidget(self.words)
        self.head.addStretch(1)
        self.head.addWidget(button("Draw a path", draw_path, "link", "Copies can stand along it"))
        self.head.addWidget(button("Paths from a drawing…", import_paths, "link", "SVG or DXF"))
        self.shelf = QListWidget()
        show_as_pictures(self.shelf, "Set pieces", QSize(84, 58), QSize(98, 92))
        for kind, name in PIECE_KINDS.items():
            item = QListWidgetItem(QIcon(str(PICTURES / f"set-{kind}.png")), name)
            item.setData(KIND, kind)
            item.setToolTip(f"{name}: click, then click in the picture where it stands")
            self.shelf.addItem(item)
        self.shelf.itemClicked.connect(lambda item: self.take(item.data(KIND)))
        layout = under_head(self)
        layout.addWidget(self.shelf)
        session.tool_changed.connect(self._tool_changed)

    def take(self, kind: str) -> None:
        """Take a kind in hand."""
        self.tool.kind = kind
        self.session.set_tool("")
        self.session.set_tool("place")
        self.words.setText(f"{PIECE_KINDS[kind]}: click in the picture where it stands; Return puts it at the origin")

    def _tool_changed(self, tool: str) -> None:
        if tool != "place":
            self.shelf.clearSelection()
            self.words.setText("Click a piece, then where it stands")
