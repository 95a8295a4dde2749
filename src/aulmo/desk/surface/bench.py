"""Surface's bench: the shelf of swatches, and the materials of this project."""

from importlib.resources import files
from pathlib import Path

from PySide6.QtCore import QByteArray, QMimeData, QPoint, QSize, Qt
from PySide6.QtGui import QColor, QDrag, QIcon, QPixmap
from PySide6.QtWidgets import QAbstractItemView, QButtonGroup, QLineEdit, QListWidget, QListWidgetItem, QMenu, QPushButton, QVBoxLayout, QWidget

from aulmo.desk.picture.drops import SWATCH_MIME, drop_swatch
from aulmo.desk.shell import theme
from aulmo.desk.shell.bench import BenchHead
from aulmo.desk.shell.session import Session
from aulmo.desk.shell.swatch_folder import swatch_folder
from aulmo.desk.surface.balls import Balls
from aulmo.desk.surface.library_commands import LibraryCommands
from aulmo.desk.widgets.fields import label, show_as_pictures
from aulmo.desk.widgets.texts import Button
from aulmo.document import edits
from aulmo.document.properties import get
from aulmo.document.quantity import counted
from aulmo.document.records import Material
from aulmo.surface import library, swatches

_PAYLOAD = Qt.ItemDataRole.UserRole
MINE = "My swatches"
THUMBNAILS = files("aulmo.desk") / "thumbnails"


class Shelf(QListWidget):
    """Swatches that can be dragged onto parts."""

    def __init__(self) -> None:
        super().__init__()
        show_as_pictures(self, "Swatches", QSize(84, 46), QSize(98, 96))
        self.setDragEnabled(True)
        self.setUniformItemSizes(True)
        self.setWordWrap(True)  # no name is cut
        self.setTextElideMode(Qt.TextElideMode.ElideRight)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)

    def mimeData(self, items) -> QMimeData:  # noqa: N802
        """What a drag carries."""
        mime = QMimeData()
        if items:
            mime.setData(SWATCH_MIME, QByteArray(items[0].data(_PAYLOAD).encode()))
        return mime

    def startDrag(self, actions) -> None:  # noqa: N802
        """Drag the ball under the hand."""
        item = self.currentItem()
        if item is None:
            return
        drag = QDrag(self)
        drag.setMimeData(self.mimeData([item]))
        ball = item.icon().pixmap(QSize(56, 40))
        drag.setPixmap(ball)
        drag.setHotSpot(QPoint(ball.width() + 8, ball.height() + 8))  # above and left of the cursor: the label says at its right what will happen
        drag.exec(Qt.DropAction.CopyAction)


class SurfaceBench(QWidget):
    """Shelves as chips, swatches below."""

    def __init__(self, session: Session, commands: LibraryCommands) -> None:
        super().__init__()
        self.session, self.commands = session, commands
        commands.changed.connect(self._look_again)
        self.balls = Balls(session, 84, 58, 24)
        self.balls.came.connect(lambda: self.current() == "In this project" and self.fill())
        self._shown: tuple[str, str, theme.Theme] | None = None  # the search, the chip and the theme of what lies on the shelf
        self._mine: tuple[list[library.Swatch], dict[Path, str]] | None = None  # what lies in the library's folder, None until it is looked at
        self.head = head = BenchHead("Swatches")
        self.chips = QButtonGroup(self)
        self.buttons: dict[str, QPushButton] = {}
        for name in ("All", *swatches.SHELVES, "In this project", MINE):
            short = {"In this project": "Project", MINE: "Mine", "Enamel & paint": "Paint"}.get(name, name.split(" &")[0])
            chip = Button(short)
            chip.setToolTip(name)
            chip.setObjectName("chip")
            chip.setCheckable(True)
            chip.clicked.connect(self._look_again)
            self.chips.addButton(chip)
            self.buttons[name] = chip
            head.addWidget(chip)
        self.buttons["All"].setChecked(True)
        head.setSpacing(2)
        head.addStretch(1)
        self.search = QLineEdit()
        self.search.setPlaceholderText("Find")
        self.search.setFixedWidth(52)
        self.search.textChanged.connect(self.fill)
        head.addWidget(self.search)
        self.shelf = Shelf()
        self.shelf.itemDoubleClicked.connect(self._use)
        self.shelf.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.shelf.customContextMenuRequested.connect(self._menu)
        self.empty = label("", wrap=True)
        self.empty.setContentsMargins(14, 8, 14, 0)
        self.empty.hide()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addLayout(head)
        layout.addWidget(self.empty)
        layout.addWidget(self.shelf)
        self.shelf.setContentsMargins(8, 0, 8, 0)
        session.opened.connect(self.fill)
        session.changed.connect(lambda old, new: old.materials is not new.materials and self.current() == "In this project" and self.fill())
        session.variant_changed.connect(lambda: self.current() == "In this project" and self.fill())
        session.selection_changed.connect(self._mark)
        self.fill()

    def reset(self) -> None:
        """All swatches."""
        self.buttons["All"].setChecked(True)
        self.search.clear()
        self._look_again()

    def _look_again(self) -> None:
        self._mine = None
        self.fill()

    def current(self) -> str:
        """The chip that is on."""
        return next(n for n, b in self.buttons.items() if b.isChecked())

    def fill(self) -> None:
        """Show the swatches of the shelf that fit the search."""
        wanted, name = self.search.text().strip().lower(), self.current()
        shown = (wanted, name, theme.current())
        if name in ("All", *swatches.SHELVES) and shown == self._shown:  # what ships does not change
            self._mark()
            return
        self._shown = shown
        self.shelf.clear()
        self.empty.setVisible(False)
        if name == MINE:
            self._fill_mine()
        elif name == "In this project":
            seen = {"", self.session.hand, *self.session.picks.values()}  # what was made for a choice is there with it, or when it is asked for
            for material in self.session.document.materials.values():
                if wanted in material.name.lower() and (wanted or material.made_for in seen):
                    count = len(edits.users_of(self.session.document, material.id))
                    payload = f"material\n{material.id}\n{material.name}"
                    self._add(material.name, payload, self._icon(material), f"{material.name}: {counted(count, 'part')}")
        else:
            for kind, swatch, _ in swatches.shelf():
                if name in ("All", kind) and wanted in swatch.lower():
                    path = THUMBNAILS / f"{swatches.slug(swatch)}.png"
                    self._add(
                        swatch,
                        f"swatch\n{swatch}\n{swatch}",
                        theme.picture_icon(QPixmap(str(path))),
                        f"{swatch} · drag onto a part, or double-click for what is selected",
                    )
        self._mark()

    def _fill_mine(self) -> None:
        """The artist's own swatches; of what is none of them it is said so."""
        folder = swatch_folder()
        if self._mine is None:
            self._mine = (self.session.attempt(lambda: library.swatches_in(folder)) if folder.is_dir() else None) or ([], {})
        found, trouble = self._mine
        for swatch in library.searched(found, self.search.text()):
            picture = QPixmap()
            picture.loadFromData(swatch.thumbnail)
            tags = f" · {', '.join(swatch.tags)}" if swatch.tags else ""
            self._add(swatch.name, f"library\n{swatch.path}\n{swatch.name}", theme.picture_icon(picture), f"{swatch.name} · {swatch.kind}{tags}")
        if not found:
            self.empty.setText(f"Nothing here yet: right-click a material of the project and keep it. Your swatches lie in {folder}.")
        self.empty.setVisible(not found)
        for path, sentence in trouble.items():  # in its place, grey, with its sentence: it hides nothing else
            if self.search.text().strip().lower() in path.name.lower():
                self._add(path.name, "none\n", theme.icon("warning", theme.current().quiet), sentence)
                item = self.shelf.item(self.shelf.count() - 1)
                item.setFlags(Qt.ItemFlag.NoItemFlags)
                item.setForeground(QColor(theme.current().quiet))

    def _icon(self, material: Material) -> QIcon:
        ball = self.balls.of(material)
        return theme.picture_icon(ball) if ball is not None else QIcon()

    def _menu(self, at: QPoint) -> None:
        item = self.shelf.itemAt(at)
        menu = QMenu(self)
        self.commands.menu(item.data(_PAYLOAD) if item is not None else "none\n", menu)
        menu.exec(self.shelf.mapToGlobal(at))

    def _add(self, name: str, payload: str, icon: QIcon, tip: str) -> None:
        item = QListWidgetItem(icon, name)
        item.setData(_PAYLOAD, payload)
        item.setToolTip(tip)
        item.setTextAlignment(Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignTop)
        item.setSizeHint(QSize(96, 94))
        self.shelf.addItem(item)

    def _mark(self) -> None:
        document = self.session.document
        ids = {get(document, f"{address}/material") for address in self.session.surfaces}
        worn = {document.materials[i].name for i in ids if i in document.materials}
        for k in range(self.shelf.count()):
            item = self.shelf.item(k)
            item.setSelected(item.text() in worn)

    def _use(self, item: QListWidgetItem) -> None:
        targets = self.session.surfaces
        if not targets:
            self.session.hint.emit("Select a part first, or drag the swatch onto one")
            return
        drop_swatch(self.session, item.data(_PAYLOAD), targets)
