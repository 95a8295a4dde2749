"""The window: everything in its place, and every command."""

from pathlib import Path

from msgspec.structs import replace
from PySide6.QtCore import QSize, Qt, QTimer
from PySide6.QtGui import QCloseEvent
from PySide6.QtWidgets import QHBoxLayout, QMainWindow, QMenu, QMessageBox, QSplitter, QStackedWidget, QVBoxLayout, QWidget

from aulmo import __version__
from aulmo.desk.frame.bench import FrameBench
from aulmo.desk.frame.page import FramePage
from aulmo.desk.light.bench import LightBench
from aulmo.desk.light.page import LightPage
from aulmo.desk.light.page_lamp import LampPage, add_lamp
from aulmo.desk.picture.picture import Picture
from aulmo.desk.prepare.bench import PrepareBench
from aulmo.desk.prepare.commands import PartCommands
from aulmo.desk.prepare.page import PreparePage
from aulmo.desk.render.bench import RenderBench
from aulmo.desk.render.page import RenderPage
from aulmo.desk.shell.bench import Bench
from aulmo.desk.shell.commands import Registry
from aulmo.desk.shell.details import Details
from aulmo.desk.shell.file_commands import FileCommands
from aulmo.desk.shell.finder import Finder
from aulmo.desk.shell.hint_line import HintLine
from aulmo.desk.shell.parts_panel import PartsPanel
from aulmo.desk.shell.preferences import Preferences
from aulmo.desk.shell.rail import Rail
from aulmo.desk.shell.session import STAGES, Session
from aulmo.desk.shell.start_page import StartPage
from aulmo.desk.shell.strip import Strip
from aulmo.desk.surface.bench import SurfaceBench
from aulmo.desk.surface.page import SurfacePage
from aulmo.document import edits
from aulmo.light.place_lamp import KINDS


class Window(QMainWindow, PartCommands, FileCommands):
    """The main window."""

    def __init__(self) -> None:
        super().__init__()
        self.setWindowTitle("Aulmo")
        self.resize(1280, 800)
        self.setAcceptDrops(True)
        self._sized = False
        self.session = session = Session()
        self.picture = Picture(session)
        self.render_bench = RenderBench(session)
        self.strip = Strip(session, self.picture, self.render)
        self.rail = Rail(session)
        self.parts = PartsPanel(session)
        self.frame_bench = FrameBench(session)
        self.frame_page = FramePage(session)
        self.bench = Bench(
            session,
            {
                "Prepare": PrepareBench(session),
                "Surface": SurfaceBench(session),
                "Light": LightBench(session),
                "Frame": self.frame_bench,
                "Render": self.render_bench,
            },
        )
        self.lamp_page = LampPage(session, self.choose_profile)
        self.details = Details(
            session,
            {
                "Prepare": PreparePage(session), "Surface": SurfacePage(session), "Light": LightPage(session, self.choose_environment),
                "Frame": self.frame_page, "Render": RenderPage(session, self.render), "Lamp": self.lamp_page,
            },
        )  # fmt: skip
        self.hint_line = HintLine(session, self._standing_hint)
        self.start_page = StartPage(session)
        self.registry = Registry(self)
        self._lay_out()
        self.finder = Finder(self, self.registry)
        self._add_commands()
        self._build_menus()
        self.parts.menu_wanted.connect(self._part_menu)
        self.picture.files_dropped.connect(lambda files, at: self.take_files(files))
        self.start_page.files_dropped.connect(self.take_files)
        self.start_page.open_wanted.connect(lambda path: self.open_project(path) if path else self.choose_project())
        self.start_page.import_wanted.connect(self.choose_import)
        session.opened.connect(self._opened)
        session.tool_changed.connect(lambda _: self.details.refresh())
        self.show_start()

    def _lay_out(self) -> None:
        self.middle = QSplitter(Qt.Orientation.Vertical)
        self.middle.addWidget(self.picture)
        self.middle.addWidget(self.bench)
        self.middle.setStretchFactor(0, 1)
        self.middle.setHandleWidth(4)
        self.middle.setSizes([520, 196])
        self.middle.handle(1).setToolTip("Drag for more bench; double-click for half the window")
        self.middle.handle(1).installEventFilter(self)
        self.across = QSplitter(Qt.Orientation.Horizontal)
        for widget in (self.parts, self.middle, self.details):
            self.across.addWidget(widget)
        self.across.setStretchFactor(1, 1)
        self.across.setHandleWidth(2)
        self.across.setSizes([212, 716, 292])
        self.across.setChildrenCollapsible(False)
        self.parts.setMinimumWidth(160)
        self.details.setMinimumWidth(250)
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
        if hasattr(self, "pages") and self.pages.currentWidget() is self.start_page:
            return "Drop a CAD file, an Aulmo project, or choose one of the demo sets · Ctrl+K finds a command"
        return self.picture.hint()

    # commands

    def _add_commands(self) -> None:
        add, s = self.registry.add, self.session
        working = lambda: self.pages.currentWidget() is self.work  # noqa: E731
        chosen = lambda: working() and bool(s.selection)  # noqa: E731
        add("new", "New project", "File", "Ctrl+N", self.new_project)
        add("open", "Open project…", "File", "Ctrl+O", self.choose_project)
        add("import", "Bring in CAD or mesh…", "File", "Ctrl+I", self.choose_import)
        add("environment", "Open environment…", "File", "", self.choose_environment, working)
        add("save", "Save", "File", "Ctrl+S", self.save, working)
        add("save_as", "Save as…", "File", "Ctrl+Shift+S", self.save_as, working)
        add("start", "Start page", "File", "", self.show_start)
        add("quit", "Quit", "File", "Ctrl+Q", self.close)
        add("undo", "Undo", "Edit", "Ctrl+Z", s.undo, working)
        add("redo", "Redo", "Edit", "Ctrl+Shift+Z or Ctrl+Y", s.redo, working)
        add("copy", "Copy material", "Edit", "Ctrl+C", self.copy_material, chosen)
        add("paste", "Paste material", "Edit", "Ctrl+V", self.paste_material, chosen)
        add("duplicate", "Duplicate", "Edit", "Ctrl+D", self.duplicate, working)
        add("delete", "Delete", "Edit", "Del", self.delete, working)
        add("rename", "Rename", "Edit", "F2", self.parts.rename_current, lambda: chosen() or (working() and s.lamp is not None))
        add("group", "Group", "Edit", "Ctrl+G", self.group, chosen)
        add("select_all", "Select all", "Edit", "Ctrl+A", lambda: s.select(s.document.roots), working)
        add("same_material", "Select parts with the same material", "Edit", "", self.select_same_material, chosen)
        add("same_shape", "Select parts with the same shape", "Edit", "", self.select_same_shape, chosen)
        add("preferences", "Preferences…", "Edit", "Ctrl+,", self.preferences)
        add("hide", "Hide", "Parts", "H", lambda: self._visible(False), chosen)
        add("show_all", "Show all", "Parts", "Shift+H", self.show_all, working)
        add("isolate", "Isolate", "Parts", "I", self.isolate, working)
        add("floor", "Rest on floor", "Parts", "G", self.rest_on_floor, chosen)
        add("centre", "Centre", "Parts", "", self.centre, chosen)
        add("handles", "Move and turn handles", "Parts", "T", lambda: s.set_tool("" if s.tool == "handles" else "handles"), working)
        for kind, title in KINDS.items():
            add(f"lamp_{kind}", f"New {title.lower()} lamp" if kind not in ("sun", "portal") else f"New {title.lower()}", "Light", "",
                lambda k=kind: self.new_lamp(k), working)  # fmt: skip
        has_lamp = lambda: working() and s.lamp is not None  # noqa: E731
        add("lamp_here", "Put the lamp where the view is", "Light", "", self.lamp_page.put_at_view, has_lamp)
        add("lamp_aim", "Point the lamp at the product", "Light", "", self.lamp_page.point_at_product, has_lamp)
        add("lamp_solo", "Only this lamp", "Light", "", self.solo_lamp, has_lamp)
        add("draft", "Draft or traced", "View", "D", self.toggle_traced, working)
        add("frame", "Frame the selection", "View", "F", self.picture.frame_selection, working)
        add("shot_view", "Shot’s camera", "View", "0", lambda: s.set_view(None), working)
        add("take_view", "Give this view to the shot’s camera", "View", "", self.frame_page.take_view, lambda: working() and s.free_view is not None)
        add("grid", "Thirds grid", "View", "", self.toggle_grid, working)
        add("focus", "Click what should be sharp", "View", "", self.focus_tool, working)
        add("probe", "Probe a pixel", "View", "P", lambda: s.set_tool("" if s.tool == "probe" else "probe"), working)
        add("fold", "Fold both side panels", "View", "F9", self.fold, working)
        for number, stage in enumerate(STAGES, 1):
            add(f"stage_{stage}", stage, "Stage", str(number), lambda x=stage: s.set_stage(x), working)
        add("new_shot", "New shot from this view", "Stage", "", self.frame_bench.new_shot, working)
        add("lock_camera", "Lock or unlock the shot’s camera", "Stage", "", self.lock_camera, working)
        add("render", "Render this shot", "Stage", "Ctrl+Return", self.render, working)
        add("find", "Find a command", "Help", "Ctrl+K", self.open_finder)
        add("about", "About Aulmo", "Help", "", self.about)

    def _build_menus(self) -> None:
        bar = self.menuBar()
        menus: dict[str, QMenu] = {}
        breaks = {"start", "copy", "select_all", "preferences", "frame", "floor", "save", "quit", "new_shot", "lamp_here"}
        for command in self.registry.commands.values():
            menu = menus.get(command.menu)
            if menu is None:
                menu = menus[command.menu] = bar.addMenu(command.menu)
                menu.aboutToShow.connect(self._refresh_menus)
                menu.aboutToHide.connect(lambda: [a.setEnabled(True) for a in self.registry.actions.values()])
            if command.id in breaks:
                menu.addSeparator()
            menu.addAction(self.registry.actions[command.id])

    def _refresh_menus(self) -> None:
        for command in self.registry.commands.values():
            self.registry.actions[command.id].setEnabled(command.can())
        undo, redo = self.session.history.undo_sentence, self.session.history.redo_sentence
        self.registry.actions["undo"].setText(f"Undo: {undo}" if undo else "Undo")
        self.registry.actions["redo"].setText(f"Redo: {redo}" if redo else "Redo")

    def _part_menu(self, menu: QMenu, item) -> None:
        self._refresh_menus()
        if self.session.lamp is not None:
            for name in ("rename", "duplicate", "lamp_solo", "lamp_aim", "lamp_here", "delete"):
                menu.addAction(self.registry.actions[name])
            return
        for name in ("rename", "hide", "isolate", "show_all", "floor", "group", "same_material", "same_shape", "copy", "paste", "delete"):
            menu.addAction(self.registry.actions[name])

    # projects

    def show_start(self) -> None:
        """The start page."""
        self.start_page.rebuild()
        self.pages.setCurrentWidget(self.start_page)
        self.hint_line.refresh()

    def _opened(self) -> None:
        self.setWindowTitle(f"{self.session.document.name} · Aulmo")
        self.pages.setCurrentWidget(self.work)
        if not self._sized:
            self._sized = True
            QTimer.singleShot(0, lambda: self.across.setSizes([212, max(300, self.across.width() - 504), 292]))
        self.hint_line.refresh()
        self.picture.setFocus()

    # lamps

    def new_lamp(self, kind: str) -> None:
        """A lamp of a kind, up on the camera's left; the Light stage shows it."""
        self.session.set_stage("Light")
        add_lamp(self.session, kind)

    def solo_lamp(self) -> None:
        """Every other lamp off, or all on again when it already is the only one."""
        session, lamp = self.session, self.session.lamp
        if lamp is None:
            return
        alone = all(other.on == (other.id == lamp.id) for other in session.document.lamps.values())
        lamps = {i: replace(other, on=alone or i == lamp.id) for i, other in session.document.lamps.items()}
        session.apply("All lamps on" if alone else f"Only {lamp.name}", replace(session.document, lamps=lamps))

    # view

    def toggle_traced(self) -> None:
        """Draft or traced."""
        self.picture.set_traced(not self.picture.traced)
        self.strip.refresh()

    def toggle_grid(self) -> None:
        """Thirds over the frame."""
        self.picture.grid = not self.picture.grid
        self.picture.update()

    def focus_tool(self) -> None:
        """Click what should be sharp."""
        self.session.set_stage("Frame")
        self.session.set_tool("focus")

    def fold(self) -> None:
        """Both side panels away, or back."""
        on = self.parts.isVisible()
        self.parts.setVisible(not on)
        self.details.setVisible(not on)

    def lock_camera(self) -> None:
        """Lock or unlock the shot's camera."""
        camera = self.session.camera
        self.session.apply(
            f"{'Unlocked' if camera.locked else 'Locked'} {camera.name}",
            edits.put_camera(self.session.document, replace(camera, locked=not camera.locked)),
        )

    def render(self) -> None:
        """Render the current shot in the background."""
        if self.render_bench.start():
            self.session.set_stage("Render")

    def open_finder(self) -> None:
        """Find a command."""
        self.finder.open()

    def preferences(self) -> None:
        """Theme, navigation, units."""
        Preferences(self, self.session, self._preferences_changed).show()

    def _preferences_changed(self) -> None:
        self.rail.refresh()
        self.parts.rebuild()
        self.details.refresh()
        self.hint_line.refresh_facts()
        self.start_page.rebuild()
        self.picture._outline_changed()

    def about(self) -> None:
        """Version and licences."""
        QMessageBox.about(
            self,
            "About Aulmo",
            f"Aulmo {__version__}\n\nIBM Plex Sans under the SIL Open Font License.\nIcons: Phosphor, MIT licence, through QtAwesome.",
        )

    def dragEnterEvent(self, event) -> None:  # noqa: N802
        """Files may be dropped anywhere."""
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event) -> None:  # noqa: N802
        """Take them."""
        self.take_files([Path(u.toLocalFile()) for u in event.mimeData().urls() if u.isLocalFile()])

    def closeEvent(self, event: QCloseEvent) -> None:  # noqa: N802
        """Ask, then leave nothing running but the renders."""
        if not self._may_leave():
            event.ignore()
            return
        self.session.close()
        self.picture.live.close()
        event.accept()

    def sizeHint(self) -> QSize:  # noqa: N802
        """A comfortable size."""
        return QSize(1280, 800)
