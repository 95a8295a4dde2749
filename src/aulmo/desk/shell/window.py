"""The window: everything in its place, and the commands that no stage owns. It learns the stages from one list and knows none by name."""

from pathlib import Path
from typing import Callable

from PySide6.QtCore import QPoint, QSize, Qt, QTimer
from PySide6.QtGui import QCloseEvent
from PySide6.QtWidgets import QApplication, QHBoxLayout, QMainWindow, QMenu, QSplitter, QStackedWidget, QVBoxLayout, QWidget

from aulmo import __version__
from aulmo.desk.picture.compass import SIDES, Compass, from_side
from aulmo.desk.picture.picture import Picture
from aulmo.desk.shelf.keep import Keeping
from aulmo.desk.shelf.panel import ShelfPanel
from aulmo.desk.shell.bench import Bench
from aulmo.desk.shell.commands import Command, Registry
from aulmo.desk.shell.details import Details
from aulmo.desk.shell.edit_commands import EditCommands
from aulmo.desk.shell.file_commands import FileCommands
from aulmo.desk.shell.finder import Finder
from aulmo.desk.shell.hint_line import HintLine
from aulmo.desk.shell.left_panel import PARTS, SHELF, LeftPanel
from aulmo.desk.shell.parts_panel import PartsPanel
from aulmo.desk.shell.preferences import Preferences
from aulmo.desk.shell.question import ask
from aulmo.desk.shell.rail import Rail
from aulmo.desk.shell.session import Session
from aulmo.desk.shell.showing import Showing
from aulmo.desk.shell.stage import Built, Desk, FileKind
from aulmo.desk.shell.start_page import StartPage
from aulmo.desk.shell.strip import Strip
from aulmo.desk.stages import STAGES
from aulmo.document.quantity import shortened

LAMP_MENU = ("rename", "duplicate", "softbox_solo", "softbox_mirror", "softbox_lamp", "aim", "lamp_here", "delete")
DECAL_MENU = ("rename", "duplicate", "copy", "paste", "decal_up", "decal_down", "decal_left", "decal_right", "decal_depth", "delete")
LAST = ("start", "quit")  # in their menu, whatever the stages add
PART_MENU = (
    "rename", "hide", "isolate", "show_all", "lock", "stand", "floor", "group", "ungroup", "rename_pattern", "sort_names", "same_material",
    "same_shape", "keep_selection", "copy", "paste", "delete",
)  # fmt: skip


class Window(QMainWindow):
    """The main window."""

    def __init__(self) -> None:
        super().__init__()
        self.menu_fillers: list[Callable[[QMenu], None]] = []
        self.setWindowTitle("Aulmo")
        self.resize(1280, 800)
        self.setAcceptDrops(True)
        self._sized, self._before_draft = False, "finished"
        self.session = session = Session((stage.name for stage in STAGES), self)
        self.registry = Registry(self)
        self.kinds: list[FileKind] = []
        self.picture = Picture(session, STAGES)
        self.picture.kinds = self.kinds
        self.files = FileCommands(self, session, self.picture, self.kinds)
        self.start_page = StartPage(session)
        self.compass = Compass(self.picture, (STAGES[0].name,))
        self.picture.overlays.append(self.compass)
        self.parts = PartsPanel(session)
        self.shelf = ShelfPanel(session, self.picture.shelf)
        self.left = LeftPanel(self.parts, self.shelf)
        self.keeping = Keeping(self, session, self.shelf)
        self.built = self._build_stages()
        self.strip = Strip(session, self.picture, self.registry.run)
        self.rail = Rail(session, STAGES)
        self.bench = Bench(session, self.built)
        self.details = Details(session, STAGES, self.built)
        self.hint_line = HintLine(session, self._standing_hint)
        self._lay_out()
        self.finder = Finder(self, self.registry)
        self.showing = Showing(self, session, self.picture, self.registry)
        self._build_menus()
        self.parts.menu_wanted.connect(self._part_menu)
        self.picture.files_dropped.connect(self._take_files)
        self.start_page.files_dropped.connect(self.files.take_files)
        self.start_page.open_wanted.connect(lambda path: self.files.open_project(path) if path else self.files.choose_project())
        self.start_page.import_wanted.connect(lambda: self.registry.run("import"))
        session.opened.connect(self._opened)
        session.changed.connect(lambda old, new: old.name != new.name and self._name())
        self.show_start()

    def _take_files(self, files: list[Path], at: QPoint) -> None:
        """A stage's own takers first, then whoever takes the kind of file."""
        if not any(taker.take(files, at) for taker in self.picture.takers):
            self.files.take_files(files)

    def _working(self) -> bool:
        return hasattr(self, "pages") and self.pages.currentWidget() is self.work

    def _lay_out(self) -> None:
        self.middle = QSplitter(Qt.Orientation.Vertical)
        seen = QSplitter(Qt.Orientation.Horizontal)
        seen.setHandleWidth(4)
        seen.setChildrenCollapsible(False)
        for pane in self.picture.panes:
            seen.addWidget(pane)
        seen.addWidget(self.picture)
        for k in range(seen.count()):
            seen.setStretchFactor(k, 1)
        self.middle.addWidget(seen)
        self.middle.addWidget(self.bench)
        self.middle.setStretchFactor(0, 1)
        self.middle.setHandleWidth(4)
        self.middle.setSizes([520, 196])
        self.middle.handle(1).setToolTip("Drag for more bench; double-click for half the window")
        self.middle.handle(1).installEventFilter(self)
        self.across = QSplitter(Qt.Orientation.Horizontal)
        for widget in (self.left, self.middle, self.details):
            self.across.addWidget(widget)
        self.across.setStretchFactor(1, 1)
        self.across.setHandleWidth(2)
        self.across.setSizes([212, 716, 292])
        self.across.setChildrenCollapsible(False)
        self.left.setMinimumWidth(172)
        self.across.setStretchFactor(2, 0)
        body = QWidget()
        line = QHBoxLayout(body)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(0)
        line.addWidget(self.rail)
        line.addWidget(self.across, 1)
        self.work = QWidget()
        column = QVBoxLayout(self.work)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.strip)
        column.addWidget(body, 1)
        self.pages = QStackedWidget()
        self.pages.addWidget(self.start_page)
        self.pages.addWidget(self.work)
        whole = QWidget()
        outer = QVBoxLayout(whole)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        outer.addWidget(self.pages, 1)
        outer.addWidget(self.hint_line)
        self.setCentralWidget(whole)

    def eventFilter(self, watched, event) -> bool:  # noqa: N802
        """A double click on the bench's edge gives it half the window."""
        if event.type() == event.Type.MouseButtonDblClick:
            total = sum(self.middle.sizes())
            big = self.middle.sizes()[1] > 0.4 * total
            self.middle.setSizes([total - 196, 196] if big else [total // 2, total // 2])
            return True
        return super().eventFilter(watched, event)

    def _standing_hint(self) -> str:
        if hasattr(self, "pages") and not self._working():
            return "Drop a CAD file, an Aulmo project, or choose one of the demo sets · Ctrl+K finds a command"
        return self.picture.hint()

    # commands

    def _build_stages(self) -> dict[str, Built]:
        """The commands in the order of the menus, the stages' own among them."""
        add, s, working, files = self.registry.add, self.session, self._working, self.files
        add("new", "New project", "File", "Ctrl+N", files.new_project)
        add("open", "Open project…", "File", "Ctrl+O", files.choose_project)
        add("save", "Save", "File", "Ctrl+S", files.save, working, break_before=True)
        add("save_as", "Save as…", "File", "Ctrl+Shift+S", files.save_as, working)
        add("start", "Start page", "File", "", self.show_start, break_before=True)
        add("quit", "Quit", "File", "Ctrl+Q", self.close, break_before=True)
        add("undo", "Undo", "Edit", "Ctrl+Z", s.undo, working)
        add("redo", "Redo", "Edit", "Ctrl+Shift+Z or Ctrl+Y", s.redo, working)
        self.registry.add_shared("duplicate", "Duplicate", "Edit", "Ctrl+D", break_before=True)
        self.registry.add_shared("delete", "Delete", "Edit", "Del")
        self.registry.add_shared("copy", "Copy", "Edit", "Ctrl+C", break_before=True)
        self.registry.add_shared("paste", "Paste", "Edit", "Ctrl+V")
        chosen = lambda: working() and (bool(s.selection) or s.lamp is not None or s.softbox is not None or s.decal is not None)  # noqa: E731
        add("rename", "Rename", "Edit", "F2", self.parts.rename_current, chosen)
        edit = EditCommands(s, self.registry, working)
        desk = Desk(self, s, self.registry, self.picture, self.kinds, working, files.folder, files, self.menu_fillers, self.parts.moves)
        built = {stage.name: stage.build(desk) for stage in STAGES}
        self.registry.handle("duplicate", lambda: working() and bool(s.selection), edit.duplicate_parts)
        add("keep", "Keep on the shelf…", "Edit", "", self.keeping.keep_selected, working, break_before=True)
        add("preferences", "Preferences…", "Edit", "Ctrl+,", self.preferences, break_before=True)
        add("draft", "Draft or traced", "View", "D", self.toggle_traced, working)
        add("finished", "With or without the finish", "View", "Shift+D", self.next_look, working)
        for side, (_, keys) in SIDES.items():
            words = f"See it {from_side(side)}"
            add(f"side_{side}", words, "View/From a side", keys, lambda x=side: self.compass.look(x), working, short=side.capitalize())
        add("frame", "Frame the selection", "View", "F", self.picture.frame_selection, working)
        add("probe", "Probe a pixel", "View", "P", lambda: s.toggle_tool("probe"), working)
        add("patch", "Test patch", "View", "X", lambda: s.toggle_tool("patch"), working)
        add("shelf", "Shelf: all that you own, or the parts", "View", "S", self.turn_left_panel, working)
        add("shown", "Shown: full screen, nothing but the picture", "View", "F11", lambda: self.showing.show_full(), working, break_before=True)
        add("remarks", "Remarks…", "View", "", lambda: self.showing.show_list(), working)
        add("follow", "Let a colleague follow…", "View", "", lambda: self.showing.follow(), working)
        add("fold", "Fold both side panels", "View", "F9", self.fold, working, break_before=True)
        for number, stage in enumerate(STAGES, 1):
            add(f"stage_{stage.name}", stage.name, "Stage", str(number), lambda x=stage.name: s.set_stage(x), working)
        add("find", "Find a command", "Help", "Ctrl+K", self.open_finder)
        add("about", "About Aulmo", "Help", "", self.about)
        return built

    def _build_menus(self) -> None:
        bar = self.menuBar()
        commands = self.registry.commands.values()
        own = [name for name in dict.fromkeys(c.menu.partition("/")[0] for c in commands) if name not in ("File", "Edit", "View", "Stage", "Help")]
        menus: dict[str, QMenu] = {}
        for name in ("File", "Edit", *own, "View", "Stage", "Help"):
            menu = menus[name] = bar.addMenu(name)
            menu.aboutToShow.connect(self._refresh_menus)
            menu.aboutToHide.connect(self._enable_all)
        stages = {f"stage_{stage.name}" for stage in STAGES}
        order = lambda c: -1 if c.id in stages else 1 if c.id in LAST else 0  # noqa: E731, the stages stand first in their menu
        for command in sorted(commands, key=order):
            menu = self._menu(menus, command)
            if command.break_before and menu.actions():
                menu.addSeparator()
            menu.addAction(self.registry.actions[command.id])
            if command.id == "open":
                self.recent = menu.addMenu("Open recent")
                self.recent.setToolTipsVisible(True)
                menu.aboutToShow.connect(self._fill_recent)

    def _menu(self, menus: dict[str, QMenu], command: Command) -> QMenu:
        """The menu a command stands in, one within another where its path says so."""
        if command.menu not in menus:
            above, _, name = command.menu.partition("/")
            if command.break_before:
                menus[above].addSeparator()
            menus[command.menu] = menus[above].addMenu(name)
        return menus[command.menu]

    def _fill_recent(self) -> None:
        """The projects that were opened last, by name; two of one name with their folders."""
        self.recent.clear()
        known = self.session.recent()
        names = [path.stem for path in known]
        for path in known:
            name = path.stem if names.count(path.stem) < 2 else f"{path.stem} · {path.parent.name}"
            action = self.recent.addAction(shortened(name, 48).replace("&", "&&"), lambda p=path: self.files.open_project(p))
            action.setToolTip(str(path))
        self.recent.setEnabled(bool(known))

    def _enable_all(self) -> None:
        """What a menu shows as not to be had may be had a moment later, by its key."""
        for action in self.registry.actions.values():
            action.setEnabled(True)

    def _refresh_menus(self) -> None:
        for command in self.registry.commands.values():
            self.registry.actions[command.id].setEnabled(command.can())
        undo, redo = self.session.history.undo_sentence, self.session.history.redo_sentence
        self.registry.actions["undo"].setText(f"Undo: {undo}" if undo else "Undo")
        self.registry.actions["redo"].setText(f"Redo: {redo}" if redo else "Redo")

    def _part_menu(self, menu: QMenu, item) -> None:
        self._refresh_menus()
        menu.aboutToHide.connect(self._enable_all)
        s = self.session
        lit = s.lamp is not None or s.softbox is not None
        for name in LAMP_MENU if lit else DECAL_MENU if s.decal is not None else PART_MENU:
            menu.addAction(self.registry.actions[name])
        for fill in self.menu_fillers:
            fill(menu)

    # projects

    def show_start(self) -> None:
        """The start page."""
        if self.start_page.inner.count():
            self.start_page.rebuild()
        self.pages.setCurrentWidget(self.start_page)
        self.hint_line.refresh()

    def reset(self) -> None:
        """As it was when it was new, but for the start page: first stage, the first face of each bench, plain panels, nothing in hand, an empty
        project."""
        for box in QApplication.topLevelWidgets():
            if box is not self and box.isVisible():
                box.close()
        self.session.reset()
        self.showing.stop()
        self._enable_all()
        self.bench.reset()
        self.details.reset()
        self.picture.reset()
        self.parts.reset()
        self.shelf.reset()
        self.left.show_face(PARTS)
        self.left.setVisible(True)
        self.details.setVisible(True)
        self.middle.setSizes([520, 196])
        self._sized, self._before_draft = False, "finished"
        self.strip.refresh()

    def _name(self) -> None:
        self.setWindowTitle(f"{self.session.document.name} · Aulmo")

    def _opened(self) -> None:
        self._name()
        self.pages.setCurrentWidget(self.work)
        if not self._sized:
            self._sized = True
            QTimer.singleShot(0, lambda: self.across.setSizes([212, max(300, self.across.width() - 504), 292]))
        self.hint_line.refresh()
        self.picture.setFocus()

    # view

    def toggle_traced(self) -> None:
        """Draft, or what it was before: traced or finished."""
        if self.picture.traced:
            self._before_draft = self.picture.look
        self.picture.set_look("draft" if self.picture.traced else self._before_draft)
        self.strip.refresh()

    def next_look(self) -> None:
        """Traced and finished by turns."""
        self.picture.set_look("traced" if self.picture.look == "finished" else "finished")
        self.strip.refresh()

    def fold(self) -> None:
        """Both side panels away, or back."""
        on = self.left.isVisible()
        self.left.setVisible(not on)
        self.details.setVisible(not on)

    def turn_left_panel(self) -> None:
        """The shelf, ready to be searched; or the parts again."""
        if self.left.face == SHELF and self.left.isVisible():
            self.left.show_face(PARTS)
            self.picture.setFocus()
            return
        self.left.setVisible(True)
        self.left.show_face(SHELF)
        self.shelf.search.setFocus()
        self.shelf.search.selectAll()

    def open_finder(self) -> None:
        """Find a command."""
        self.finder.open()

    def preferences(self) -> None:
        """Theme, navigation, units."""
        Preferences(self, self.session, self._preferences_changed).show()

    def _preferences_changed(self) -> None:
        self.picture.keep_pictures()
        self.rail.refresh()
        self.parts.rebuild()
        self.details.refresh()
        self.hint_line.refresh_facts()
        self.start_page.rebuild()
        self.picture.outline()

    def about(self) -> None:
        """Version and licences."""
        text = f"Version {__version__}\n\nIBM Plex Sans under the SIL Open Font License.\nIcons: Phosphor, MIT licence, through QtAwesome."
        ask(self, "Aulmo", text, {"close": "Close"})

    def dragEnterEvent(self, event) -> None:  # noqa: N802
        """Files may be dropped anywhere."""
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event) -> None:  # noqa: N802
        """Take them."""
        self.files.take_files([Path(u.toLocalFile()) for u in event.mimeData().urls() if u.isLocalFile()])

    def closeEvent(self, event: QCloseEvent) -> None:  # noqa: N802
        """Ask, then leave nothing running but the renders."""
        if not self.files.may_leave():
            event.ignore()
            return
        if self.showing.view is not None:
            self.showing.view.close()
        self.session.close()
        self.picture.live.close()
        event.accept()

    def sizeHint(self) -> QSize:  # noqa: N802
        """A comfortable size."""
        return QSize(1280, 800)
