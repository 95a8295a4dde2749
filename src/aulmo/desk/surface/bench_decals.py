"""Surface's bench, the face for decals: what to put on, and all there are in order."""

import functools

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QIcon, QImage, QPixmap
from PySide6.QtWidgets import QHBoxLayout, QListWidget, QListWidgetItem, QWidget

from aulmo.desk.shell import theme
from aulmo.desk.shell.bench import BenchHead, under_head
from aulmo.desk.shell.session import Session
from aulmo.desk.surface.decal_commands import DecalCommands
from aulmo.desk.surface.on_top import DecalList
from aulmo.desk.widgets.fields import label, show_as_pictures
from aulmo.document.assets import AssetStore
from aulmo.document.properties import about
from aulmo.document.records import Decal
from aulmo.surface import artwork

KIND = Qt.ItemDataRole.UserRole
SIDE = 58
HINT = "Click one, then where it goes; or drop artwork on a part"


@functools.cache
def _shape_icon(shape) -> QIcon:
    """A plain shape, drawn once."""
    codes = artwork.pixels_of(Decal(id="", name="", artwork="shape", shape=shape, width_mm=20.0, height_mm=20.0), AssetStore()).codes
    image = QImage(codes.data, codes.shape[1], codes.shape[0], 4 * codes.shape[1], QImage.Format.Format_RGBA8888)
    return QIcon(QPixmap.fromImage(image).scaled(84, SIDE, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation))


class DecalsBench(QWidget):
    """A click takes something in hand, the next click in the picture puts it on; beside it all decals, the topmost first."""

    def __init__(self, session: Session, commands: DecalCommands) -> None:
        super().__init__()
        self.session, self.commands = session, commands
        self.head = BenchHead("Decals")
        self.words = label(HINT)
        self.head.addWidget(self.words)
        self.head.addStretch(1)
        self.shelf = QListWidget()
        show_as_pictures(self.shelf, "To put on", QSize(84, SIDE), QSize(98, 92))
        self.shelf.itemClicked.connect(lambda item: self.take(item.data(KIND)))
        self.list = DecalList(session, "Decals in order")
        self.list.setFixedWidth(230)
        self.empty = label("No decals yet. They are listed here, the topmost first; drag to change what lies on what.", wrap=True)
        self.empty.setFixedWidth(230)
        self.empty.setAlignment(Qt.AlignmentFlag.AlignTop)
        line = QHBoxLayout()
        line.setContentsMargins(0, 0, 10, 6)
        line.setSpacing(8)
        line.addWidget(self.shelf, 1)
        line.addWidget(self.list)
        line.addWidget(self.empty)
        layout = under_head(self)
        layout.addLayout(line)
        session.changed.connect(lambda old, new: (old.decals is not new.decals or old.parts is not new.parts) and self.refresh())
        session.opened.connect(self.refresh)
        session.selection_changed.connect(self.refresh)
        session.tool_changed.connect(self._tool_changed)
        self.refresh()

    def showEvent(self, event) -> None:  # noqa: N802
        """What can be put on is drawn when it is looked at for the first time."""
        super().showEvent(event)
        if not self.shelf.count():
            self._fill()

    def _fill(self) -> None:
        shapes = about("decals/x/shape").choices
        kinds = [("picture", "Picture…", theme.icon("image", None, SIDE)), ("text", "Letters", theme.icon("text-t", None, SIDE))]
        for shape, title in shapes.items():
            icon = _shape_icon(shape) if shape != "rectangle" else theme.icon("square", None, SIDE)
            kinds.append((shape, title, icon))
        for kind, title, icon in kinds:
            item = QListWidgetItem(icon, title)
            item.setData(KIND, kind)
            item.setToolTip(f"{title}: click, then click on a part")
            item.setTextAlignment(Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignTop)
            self.shelf.addItem(item)

    def take(self, kind: str) -> None:
        """Take a kind in hand."""
        if kind == "picture":
            self.commands.choose_picture()
        elif kind == "text":
            self.commands.take_text()
        else:
            self.commands.take_shape(kind, about("decals/x/shape").choices[kind])
        if self.session.tool == "stick":
            self.words.setText(f"{self.commands.stick.title}: click on a part")

    def refresh(self) -> None:
        """All decals of the project, the topmost first."""
        document = self.session.document
        self.empty.setVisible(not document.decals)
        self.list.setVisible(bool(document.decals))
        self.list.show_decals(list(reversed(document.decals.values())), document)

    def _tool_changed(self, tool: str) -> None:
        if tool != "stick":
            self.shelf.clearSelection()
            self.words.setText(HINT)
