"""The shelf: all that one owns, what fits the stage first, found in words, dragged out and in."""

from pathlib import Path
from typing import Any, Callable

from PySide6.QtCore import QEvent, QModelIndex, QPoint, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QDrag, QKeyEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QButtonGroup,
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QListView,
    QMenu,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from aulmo.desk.shelf.cards import HIGH, LEAST, Cards
from aulmo.desk.shelf.shelf_model import THING, ShelfModel
from aulmo.desk.shelf.small_pictures import SmallPictures
from aulmo.desk.shelf.taker import Taken
from aulmo.desk.shelf.watch import ShelfWatch
from aulmo.desk.shell import theme
from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.fields import button, label
from aulmo.desk.widgets.flow import Flow
from aulmo.document.quantity import counted
from aulmo.document.records import Document
from aulmo.errors import AulmoError
from aulmo.shelf import own, shelves, used, words
from aulmo.shelf.things import KINDS, Thing, lab

GROUPS = {
    "Fits here": (), "Light": ("light set", "dome", "light picture", "lamp"), "Swatches": ("swatch", "colour", "board"),
    "Props": ("prop", "model", "carton"),
    "Pictures": ("picture", "picture set", "artwork", "photograph", "film", "finish", "colour table"),
}  # fmt: skip
ALIKE = "like "


def _is_letter(event: QKeyEvent) -> bool:
    """Whether a key writes something, and is no command."""
    held = event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier)
    return event.text().isprintable() and bool(event.text().strip()) and not held


class ThingsList(QListView):
    """The cards. `wanted` is a thing that Return or a double click takes, `kept` what is dropped to be kept."""

    wanted = Signal(object)
    kept = Signal(object)
    typed = Signal(str)

    def __init__(self, model: ShelfModel) -> None:
        super().__init__()
        self.cards = Cards(model)
        self.setModel(model)
        self.setItemDelegate(self.cards)
        self.setObjectName("shelf")
        self.setAccessibleName("Shelf")
        self.setViewMode(QListView.ViewMode.IconMode)
        self.setMovement(QListView.Movement.Static)
        self.setResizeMode(QListView.ResizeMode.Adjust)
        self.setUniformItemSizes(True)
        self.setLayoutMode(QListView.LayoutMode.SinglePass)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOn)
        self.setDragEnabled(True)
        self.setAcceptDrops(True)
        self.viewport().setAcceptDrops(True)  # which a list that does not move its cards takes back
        self.setMouseTracking(True)
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.doubleClicked.connect(lambda index: self.wanted.emit(index.data(THING)))
        self.may_keep: Callable[[Any], str] = lambda mime: ""

    def resizeEvent(self, event) -> None:  # noqa: N802
        """As many cards in a row as there is room for, and no room left over."""
        super().resizeEvent(event)
        wide = self.viewport().width() - 2
        columns = max(1, wide // (LEAST + 2))
        self.cards.size = QSize(wide // columns, HIGH)
        self.setGridSize(self.cards.size)

    def thing(self) -> Thing | None:
        """The one that is selected."""
        index = self.currentIndex()
        return index.data(THING) if index.isValid() and self.selectionModel().isSelected(index) else None

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        """Return takes; letters are for the search."""
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            if self.thing() is not None:
                self.wanted.emit(self.thing())
        elif _is_letter(event):
            self.typed.emit(event.text())
        else:
            super().keyPressEvent(event)

    def event(self, event: QEvent) -> bool:
        """While the list has the keyboard, letters search: they are no shortcuts, but for the one that brought the shelf."""
        if event.type() == QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent):
            if _is_letter(event) and event.text() not in "sS0123456789":
                event.accept()
                return True
        return super().event(event)

    def startDrag(self, actions) -> None:  # noqa: N802
        """The thing under the hand, its picture above and left of the cursor: the label says at its right what will happen."""
        thing = self.thing()
        if thing is None or thing.trouble:
            return
        drag = QDrag(self)
        drag.setMimeData(self.model().mimeData([self.currentIndex()]))
        picture = self.cards.model.pictures.of(thing) if thing.kind != "colour" else None
        if picture is not None:
            small = picture.scaledToHeight(52, Qt.TransformationMode.SmoothTransformation)
            drag.setPixmap(small)
            drag.setHotSpot(QPoint(small.width() + 8, small.height() + 8))
        drag.exec(Qt.DropAction.CopyAction)

    def dragEnterEvent(self, event) -> None:  # noqa: N802
        """What can be kept may come."""
        if event.source() is not self and self.may_keep(event.mimeData()):
            event.acceptProposedAction()

    def dragMoveEvent(self, event) -> None:  # noqa: N802
        """It will be kept."""
        if event.source() is not self and self.may_keep(event.mimeData()):
            event.acceptProposedAction()
        else:
            event.ignore()

    def dropEvent(self, event) -> None:  # noqa: N802
        """Keep it."""
        event.acceptProposedAction()
        self.kept.emit(event.mimeData())


class ShelfPanel(QWidget):
    """Search, chips, cards; what is selected, below; the folders. `takers` are what stages do with things, by their kinds."""

    def __init__(self, session: Session, takers: dict[str, Taken]) -> None:
        super().__init__()
        self.session, self.takers = session, takers
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.watch = ShelfWatch(self, session.recent)
        self.pictures = SmallPictures(self)
        self.model = ShelfModel(self, self.pictures, session)
        self.search = QLineEdit()
        self.search.setPlaceholderText("red rubber, sun 12, 2 m")
        self.search.setAccessibleName("Find on the shelf")
        self.search.setClearButtonEnabled(True)
        self._waiting = QTimer(self)
        self._waiting.setSingleShot(True)
        self._waiting.setInterval(60)
        self._waiting.timeout.connect(self.fill)
        self.search.textChanged.connect(lambda _: self._waiting.start())
        self.search.returnPressed.connect(self._to_list)
        self.search.installEventFilter(self)
        self.chips = QButtonGroup(self)
        self.buttons: dict[str, QPushButton] = {}
        chips = Flow(4)
        for name in GROUPS:
            chip = QPushButton(name)
            chip.setObjectName("chip")
            chip.setCheckable(True)
            kinds = ", ".join(KINDS[k] for k in GROUPS[name])
            chip.setToolTip(kinds or "Everything, what fits this stage first")
            chip.clicked.connect(self.fill)
            self.chips.addButton(chip)
            self.buttons[name] = chip
            chips.addWidget(chip)
        self.buttons["Fits here"].setChecked(True)
        self.list = ThingsList(self.model)
        self.list.wanted.connect(self.take)
        self.list.typed.connect(self._type)
        self.list.customContextMenuRequested.connect(self._menu)
        self.list.selectionModel().selectionChanged.connect(lambda *_: self._say())
        self.model.modelReset.connect(self._say)
        self.said = label("", wrap=True)
        self.said.setContentsMargins(10, 4, 8, 2)
        self.said.hide()
        self.empty = label("", wrap=True)
        self.empty.setContentsMargins(12, 8, 10, 0)
        self.empty.hide()
        self.add = button("Add a folder…", self.choose_folder, "link", "Shelve any folder on the disk; nothing in it is copied until it is used")
        self.count = QPushButton("")
        self.count.setObjectName("link")
        self.count.setStyleSheet(f"color: {theme.current().quiet};")
        self.count.setToolTip("The folders on the shelf")
        self.count.clicked.connect(self._folders_menu)
        top = QVBoxLayout()
        top.setContentsMargins(10, 2, 8, 6)
        top.setSpacing(6)
        top.addWidget(self.search)
        top.addWidget(chips.holder())
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addLayout(top)
        layout.addWidget(self.empty)
        layout.addWidget(self.list, 1)
        layout.addWidget(self.said)
        foot = QHBoxLayout()
        foot.setContentsMargins(8, 0, 8, 0)
        foot.addWidget(self.add)
        foot.addStretch(1)
        layout.addLayout(foot)
        feet = QHBoxLayout()
        feet.setContentsMargins(8, 0, 8, 6)
        feet.addWidget(self.count)
        feet.addStretch(1)
        layout.addLayout(feet)
        self.list.setContentsMargins(8, 0, 0, 0)
        self._all: list[Thing] = []
        self._one: Thing | None = None  # whose likes are seen
        self._used: dict[str, str] = {}
        self._used_of: object = None
        self._progress = ""
        self.watch.changed.connect(self._changed)
        self.watch.told.connect(self._tell)
        session.stage_changed.connect(lambda _: self.isVisible() and self.fill())
        session.opened.connect(lambda: self.isVisible() and self.fill())
        session.changed.connect(self._document_changed)
        session.closed.connect(self.end)
        self.destroyed.connect(self.watch.end)
        self.keeping: Any = None  # what is dropped here to be kept: see `keep.Keeping`

    # what is seen

    def showEvent(self, event) -> None:  # noqa: N802
        """What was known at once, then a look through the folders."""
        self._load()
        self.fill()
        self.watch.seen(True)

    def hideEvent(self, event) -> None:  # noqa: N802
        """Out of sight it rests."""
        self.watch.seen(False)

    def end(self) -> None:
        """The window goes."""
        self.watch.end()
        self.pictures.end()

    def reset(self) -> None:
        """Nothing looked for."""
        self.search.clear()
        self._one, self._all = None, []
        self.buttons["Fits here"].setChecked(True)
        self.watch.reset()

    def _load(self) -> None:
        self._all = self.watch.open().things()

    def _changed(self) -> None:
        before = {t.key: t for t in self._all}
        self._load()
        self.pictures.forget({t.key for t in self._all if before.get(t.key) is not None and before[t.key] is not t and before[t.key] != t})
        if self.isVisible():
            self.fill()

    def _document_changed(self, old: Document, new: Document) -> None:
        if self.isVisible() and old.colours is not new.colours:
            self.fill()

    def _tell(self, said: str) -> None:
        self._progress = said
        self._foot()

    def colours(self) -> list[Thing]:
        """The project's colours as things."""
        return [
            Thing(c.name, "colour", f"project:colour/{c.id}", c.id, told=f"±{c.tolerance:g}", tags=("project",), colours=(lab(c.rgb),))
            for c in self.session.document.colours.values()
        ]

    def current(self) -> str:
        """The chip that is on."""
        return next(n for n, b in self.buttons.items() if b.isChecked())

    def fill(self) -> None:
        """Show what fits the words, the chip, and the stage."""
        self._waiting.stop()
        if not self._all:
            self._load()
        text, group = self.search.text().strip(), GROUPS[self.current()]
        things = [*self.colours(), *self._all]
        if text.startswith(ALIKE) and self._one is not None:
            found = [self._one, *words.alike(things, self._one)]
        else:
            self._one = None
            found = words.found(things, text, self.uses() if "use" in text else {}) if text else things
        if group:
            found = [t for t in found if t.kind in group]
        elif not (text and words.read(text).words):
            fits = {kind for kind, taken in self.takers.items() if self.session.stage in taken.stages}
            order = [k for k in KINDS if k in fits] + [k for k in KINDS if k not in fits]
            place = {k: n for n, k in enumerate(order)}
            found = sorted(found, key=lambda t: place.get(t.kind, 99))
        chosen = self.list.thing()
        self.model.show_things(found)
        if chosen is not None and (row := self.model.row_of(chosen.key)) >= 0:
            self.list.setCurrentIndex(self.model.index(row))
        self.empty.setVisible(not found)
        if not found:
            nothing = "Nothing of this kind yet: add a folder, or drag something here."
            self.empty.setText("Nothing on the shelf has all these words." if text else nothing)
        self._foot()

    def _foot(self) -> None:
        shelf = self.watch.open()
        if self._progress:
            self.count.setText(self.count.fontMetrics().elidedText(self._progress, Qt.TextElideMode.ElideMiddle, max(120, self.width() - 24)))
            self.count.setToolTip(self._progress)
            return
        folders = counted(len(shelf.folders()) + 1, "folder")
        text = f"{folders} · {counted(len(self._all) + len(self.session.document.colours), 'thing')}"
        trouble = " ".join(shelf.trouble.values())
        self.count.setText(f"{text} · {counted(len(shelf.trouble), 'trouble')}" if trouble else text)
        self.count.setToolTip(trouble or "The folders on the shelf")

    def uses(self) -> dict[str, str]:
        """Who uses what, in this project, by the keys of things."""
        if self._used_of is not self.session.document:
            self._used_of = self.session.document
            self._used = used.uses(self.session.document, self.session.assets)
        return self._used

    def _say(self) -> None:
        """What is told of the thing that is selected, and who uses it."""
        thing = self.list.thing()
        if thing is None:
            self.said.hide()
            return
        lines = [thing.trouble] if thing.trouble else []
        here = used.of(thing, self.uses())
        if here:
            lines.append(f"Here: {here}.")
        elsewhere = used.in_projects(thing, [p for p in self.session.recent() if p != self.session.path], learnt=True)
        if elsewhere:
            lines.append(f"Also in {', '.join(elsewhere[:4])}.")
        if thing.note:
            lines.append(thing.note)
        if not lines:
            lines = [f"{thing.kind}{' · ' + thing.told if thing.told else ''}. Not used yet."]
        self.said.setText(" ".join(lines)[:260])
        self.said.show()

    # by hand

    def eventFilter(self, watched, event) -> bool:  # noqa: N802
        """Down leads from the search into the cards, Esc clears it, then gives the keyboard back to the picture."""
        if event.type() == QEvent.Type.KeyPress and watched is self.search:
            if event.key() == Qt.Key.Key_Down:
                self._to_list()
                return True
            if event.key() == Qt.Key.Key_Escape:
                if self.search.text():
                    self.search.clear()
                else:
                    self.window().picture.setFocus()  # type: ignore[attr-defined]
                return True
        return super().eventFilter(watched, event)

    def _to_list(self) -> None:
        if self._waiting.isActive():
            self.fill()
        if self.model.rowCount():
            self.list.setFocus()
            if self.list.thing() is None:
                self.list.setCurrentIndex(self.model.index(0))

    def _type(self, text: str) -> None:
        self.search.setFocus()
        self.search.setText(self.search.text() + text)

    def take(self, thing: Thing) -> None:
        """Use a thing where it is wanted: on what is selected, or in the scene."""
        taken = self.takers.get(thing.kind)
        if thing.trouble:
            self.session.trouble.emit(thing.trouble)
        elif taken is None:
            self.session.hint.emit(f"Drag it to where it is wanted: {thing.name} is {'an' if thing.kind[0] in 'aeio' else 'a'} {thing.kind}")
        else:
            taken.take(thing, None)
            self._say()

    def like(self, thing: Thing) -> None:
        """Show what looks like one."""
        self._one = thing
        self.search.setText(f"{ALIKE}{thing.name}")
        self.fill()

    def _menu(self, at: QPoint) -> None:
        index: QModelIndex = self.list.indexAt(at)
        if index.isValid():
            menu = self.menu_of(index.data(THING))
            menu.exec(self.list.mapToGlobal(at))

    def menu_of(self, thing: Thing) -> QMenu:
        """What can be done with a thing."""
        menu = QMenu(self)
        if not thing.trouble:
            menu.addAction("Take it", lambda: self.take(thing))
            if thing.kind == "prop" and self.keeping is not None:
                menu.addAction("Take it tied: tell when it changes", lambda: self.keeping.take_tied(thing))
            if thing.look:
                menu.addAction("Like this one", lambda: self.like(thing))
            here = used.parts_of(thing, self.session.document, self.session.assets)
            menu.addAction("Select what uses it here", lambda: self.session.select(here)).setEnabled(bool(here))
        if thing.kind == "colour":
            menu.addAction("Change it…", lambda: self.session.select((), f"colours/{thing.inside}"))
        elif not own.is_own(thing):
            menu.addSeparator()
            if self.keeping is not None and self.keeping.may_tell(thing):
                menu.addAction("Name, tags, note…", lambda: self.keeping.ask_about(thing))
            if self.keeping is not None and self.keeping.is_kept(thing):
                menu.addAction("Throw away…", lambda: self.keeping.throw_away(thing))
            menu.addAction(f"In {Path(thing.path).parent.name}: look only there", lambda: self.search.setText(Path(thing.path).parent.name))
        return menu

    # folders

    def choose_folder(self) -> None:
        """Ask which folder to shelve."""
        path = QFileDialog.getExistingDirectory(self, "Add a folder to the shelf", str(Path.home()))
        if path:
            self.add_folder(Path(path))

    def add_folder(self, folder: Path) -> None:
        """Shelve a folder."""
        try:
            shelves.add_folder(folder)
        except AulmoError as error:
            self.session.trouble.emit(str(error))
            return
        self.watch.look()

    def _folders_menu(self) -> None:
        self.folders_menu().exec(self.count.mapToGlobal(QPoint(0, -8)))

    def folders_menu(self) -> QMenu:
        """The folders on the shelf, with what is wrong with them; those that were added can be taken off."""
        menu = QMenu(self)
        shelf = self.watch.open()
        mine = {p.resolve() for p in shelves.added()}
        menu.addAction("Aulmo’s own things").setEnabled(False)
        for folder in shelf.folders():
            title = f"{folder.name} · {counted(len(shelf.indexes[folder].things) if folder in shelf.indexes else 0, 'thing')}"
            if folder in shelf.trouble:
                title += f" · {shelf.trouble[folder]}"
            if folder in mine:
                held = menu.addMenu(title)
                held.addAction("Take it off the shelf", lambda f=folder: self.take_off(f))
                held.addAction(str(folder)).setEnabled(False)
            else:
                menu.addAction(title).setEnabled(False)
        return menu

    def take_off(self, folder: Path) -> None:
        """A folder is no longer on the shelf; what is in it stays."""
        shelves.take_off(folder)
        self._changed()
        self.watch.look()
