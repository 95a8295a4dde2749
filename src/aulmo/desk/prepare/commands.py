"""What can be done to parts, and bringing CAD and meshes in."""

from pathlib import Path
from typing import Any

from msgspec.structs import replace
from PySide6.QtCore import QSettings
from PySide6.QtWidgets import QFileDialog, QMenu

from aulmo.desk.shell.question import ask_text
from aulmo.desk.shell.stage import Desk, FileKind
from aulmo.desk.shell.swatch_folder import swatch_folder
from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.quantity import counted
from aulmo.document.records import Document, Selection
from aulmo.prepare import arrange
from aulmo.prepare.import_file import READABLE, import_files
from aulmo.prepare.read_process import CAD, MESH
from aulmo.surface.library import dressed_by_ties


class PrepareCommands:
    """The commands on parts."""

    def __init__(self, desk: Desk) -> None:
        self.desk, self.session = desk, desk.session
        self.revisions: Any = None  # what asks whether a file that is there already is a revision
        self.shelf: Any = None
        s, add = desk.session, desk.registry.add
        chosen = lambda: desk.working() and bool(s.selection)  # noqa: E731
        desk.kinds.append(FileKind(READABLE, "bring it in, resting on the floor", self.bring_in))
        add("import", "Bring in CAD or mesh…", "File", "Ctrl+I", self.choose)
        add("hide", "Hide", "Parts", "H", lambda: self.set_visible(False), chosen)
        add("show_all", "Show all", "Parts", "Shift+H", self.show_all, desk.working)
        add("isolate", "Isolate", "Parts", "I", self.isolate, desk.working)
        add("floor", "Rest on floor", "Parts", "G", self.rest_on_floor, chosen, break_before=True)
        add("centre", "Centre", "Parts", "", self.centre, chosen)
        add("handles", "Move and turn handles", "Parts", "T", self.take_handles, desk.working)
        add("keep_selection", "Keep selection…", "Parts", "", self.keep_selection, chosen, break_before=True)
        desk.menus.append(self.fill_menu)
        add("same_material", "Select parts with the same material", "Parts", "", self.select_same_material, chosen, break_before=True)
        add("same_shape", "Select parts with the same shape", "Parts", "", self.select_same_shape, chosen)

    def take_handles(self) -> None:
        """Take what moves and turns the selection in hand, or put it away."""
        wanted = "softbox" if self.session.softbox is not None else "handles"
        self.session.toggle_tool(wanted)

    # parts

    def set_visible(self, on: bool) -> None:
        """Hide or show the selection."""
        session = self.session
        session.apply(f"{'Showed' if on else 'Hid'} {session.selected_name()}", edits.change_parts(session.document, session.selection, visible=on))

    def show_all(self) -> None:
        """Every part visible again, nothing isolated."""
        hidden = [i for i, p in self.session.document.parts.items() if not p.visible]
        self.session.set_isolated(())
        if hidden:
            self.session.apply("Showed all", edits.change_parts(self.session.document, hidden, visible=True))

    def isolate(self) -> None:
        """Only the selection, or everything again."""
        self.session.set_isolated(() if self.session.isolated else self.session.selection)

    def rest_on_floor(self) -> None:
        """Lower or lift the selection onto the floor that the shot stands on."""
        session = self.session
        document = arrange.rest_on_floor(session.as_now, session.assets, session.selection, session.resolved.floor.height)
        session.apply(f"Rested {session.selected_name()}", document)

    def centre(self) -> None:
        """Centre the selection."""
        session = self.session
        session.apply(f"Centred {session.selected_name()}", arrange.centre(session.as_now, session.assets, session.selection))

    def select_same_material(self) -> None:
        """Everything that wears the same material."""
        document = self.session.document
        worn = {m for i in edits.leaves(document, self.session.selection) for m in edits.surfaces_of(document.parts[i])}
        self.session.select([i for i, p in document.parts.items() if p.mesh and worn & set(edits.surfaces_of(p))])

    def select_same_shape(self) -> None:
        """Everything with the same mesh."""
        document = self.session.document
        shapes = {document.parts[i].mesh for i in edits.leaves(document, self.session.selection)}
        self.session.select([i for i, p in document.parts.items() if p.mesh in shapes])

    # saved selections

    def keep_selection(self) -> None:
        """Ask for a name and keep what is selected under it."""
        session = self.session
        name = ask_text(self.desk.window, "Keep selection", "Its name", session.selected_name())
        if name:
            free = edits.free_name(name, (s.name for s in session.document.selections.values()))
            made = Selection(id=edits.new_id(), name=free, parts=session.selection)
            session.apply(f"Kept the selection {free}", edits.put_selection(session.document, made))

    def fill_menu(self, menu: QMenu) -> None:
        """Saved selections, in the tree's own menu."""
        session = self.session
        held = session.document.selections
        if not held:
            return
        menu.addSeparator()
        inner = menu.addMenu("Saved selections")
        for selection in held.values():
            words = f"{selection.name}   {counted(len(selection.parts), 'part')}"
            inner.addAction(words, lambda s=selection: session.select(s.parts))
        inner.addSeparator()
        forget = inner.addMenu("Forget")
        for selection in held.values():
            told = f"Forgot the selection {selection.name}"
            forget.addAction(selection.name, lambda s=selection, t=told: session.apply(t, edits.drop_selection(session.document, s.id)))

    # bringing in

    def choose(self) -> None:
        """Ask what to bring in."""
        kinds = [("CAD and meshes", CAD + MESH), ("CAD", CAD), ("Meshes", MESH)]
        filters = ";;".join(f"{name} ({' '.join(f'*{e} *{e.upper()}' for e in endings)})" for name, endings in kinds)
        names, _ = QFileDialog.getOpenFileNames(
            self.desk.window, "Bring in CAD or mesh", self.desk.folder(), filters, options=QFileDialog.Option.HideNameFilterDetails
        )
        if names:
            QSettings().setValue("folder", str(Path(names[0]).parent))
            self.bring_in([Path(name) for name in names])

    def bring_in(self, paths: list[Path]) -> None:
        """Import files, resting, lit and framed, without a question."""
        if self.revisions is not None and self.revisions.is_revision(paths):
            return
        session, path = self.session, paths[0]
        title = path.name if len(paths) == 1 else counted(len(paths), "file")
        fresh = not self.desk.working() or not session.document.parts
        if not self.desk.working():
            session.open_document(Document(name=path.stem), AssetStore(), None, unsaved=True)
        base, assets = session.document, session.assets
        whole = str(QSettings().value("solids", "group")) == "one"

        mine = swatch_folder()

        def work(task):
            found = import_files(base, assets, paths, progress=task.tell, whole=whole)
            fresh_ones = [i for i in found.document.materials if i not in base.materials]
            document, told = dressed_by_ties(found.document, assets, fresh_ones, mine)
            return found._replace(document=document, notes=(*found.notes, *told))

        def done(result) -> None:
            notes = tuple(result.notes)
            now = session.document
            if now is not base:
                added = {i: p for i, p in result.document.parts.items() if i not in base.parts}
                now = replace(
                    now, parts={**now.parts, **added}, roots=now.roots + result.roots,
                    **{
                        many: {**getattr(now, many), **{i: v for i, v in getattr(result.document, many).items() if i not in getattr(base, many)}}
                        for many in ("materials", "selections", "sources", "cameras")
                    },
                )  # fmt: skip
            else:
                now = result.document
            if fresh:
                had = bool(now.shots)
                now = arrange.first_shot(now, assets) if not had else self._framed(now, assets)
                notes += ("Lit with the set Loft, seen from the front right with an 85 mm lens" if not had else "The shot’s camera frames it",)
            if fresh:
                session.set_stage(session.stages[0])
            now = replace(now, notes=notes, name=path.stem if fresh and now.name == "Untitled" else now.name)
            session.apply(f"Brought in {title}", now)
            session.set_view(None)
            session.shot_changed.emit()
            session.select(())
            session.hint.emit(f"{title}: {counted(len(edits.leaves(now, result.roots)), 'part')}")
            if result.failures:
                session.trouble.emit(" ".join(result.failures[:3]))
            elif any(s.offered for i, s in now.sources.items() if i not in base.sources):
                session.hint.emit(f"{title} has a strange size; see Choices made in Details")

        session.start_task(f"Reading {title}", work, done)

    def _framed(self, document: Document, assets: AssetStore) -> Document:
        """The first thing in a new project is seen by the shot's own camera, not just by a free view."""
        shot = self.session.shot or document.shots[0]
        camera = document.cameras[shot.camera]
        if camera.locked or arrange.bounds(document, assets, document.roots) is None:
            return document
        return edits.put_camera(document, arrange.framed(document, assets, camera, shot.width / shot.height))
