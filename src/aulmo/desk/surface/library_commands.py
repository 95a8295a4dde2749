"""What is done with whole materials: kept in the artist's library and taken from it, written and read as MaterialX, tidied among themselves."""

from pathlib import Path

from PySide6.QtCore import QBuffer, QIODevice, QObject, Signal
from PySide6.QtWidgets import QFileDialog, QInputDialog, QMenu

from aulmo.desk.shell.stage import Desk, FileKind
from aulmo.desk.shell.swatch_folder import set_swatch_folder, swatch_folder
from aulmo.desk.surface.balls import ball_image
from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.file_names import file_name
from aulmo.document.quantity import counted
from aulmo.document.records import Document, Material
from aulmo.surface import library
from aulmo.surface.colour import to_hex
from aulmo.surface.materialx_in import add_materials, read_materials
from aulmo.surface.materialx_out import save_material

FILES = "MaterialX (*.mtlx *.zip)"


def picture_of(material: Material, assets: AssetStore) -> bytes:
    """The PNG of a material on a ball, as the library keeps it."""
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    ball_image(material, 168, 116, 48, assets).save(buffer, "PNG")  # type: ignore[call-overload]
    return bytes(buffer.data().data())


class LibraryCommands(QObject):
    """The commands on whole materials. `changed` tells that the library's folder is another, or holds something else."""

    changed = Signal()

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk.window)
        self.desk, self.session = desk, desk.session
        desk.kinds.append(FileKind((".mtlx",), "read its materials", self.read))
        add = desk.registry.add
        one = lambda: desk.working() and self.material is not None  # noqa: E731
        add("swatch_save", "Keep in my swatches…", "Materials", "", self.ask_save, one)
        add("swatch_folder", "Folder of my swatches…", "Materials", "", self.choose_folder)
        add("swatch_update", "Bring up to date from my swatches…", "Materials", "", self.update, desk.working)
        add("swatch_tie", "Tie to this appearance of CAD files…", "Materials", "", self.ask_tie, one)
        add("material_read", "Read MaterialX…", "Materials", "", self.choose_read, desk.working, break_before=True)
        add("material_write", "Write MaterialX…", "Materials", "", self.choose_write, one)
        add("material_where", "Where it is worn", "Materials", "", self.where, one, break_before=True)
        add("material_surface", "Paste the surface only", "Materials", "", self.paste_surface, lambda: one() and self._copied() is not None)
        add("material_merge", "Make equal materials one", "Materials", "", self.merge, desk.working)
        add("material_tidy", "Take out what nothing wears", "Materials", "", self.tidy, desk.working)

    @property
    def material(self) -> Material | None:
        """The material that is worked on."""
        return self.session.document.materials.get(self.session.material_id or "")

    def _copied(self) -> Material | None:
        return self.session.document.materials.get(self.session.copied_material or "")

    # the library

    def ask_save(self) -> None:
        """Ask for tags, then keep the material."""
        material = self.material
        if material is None:
            return
        tags, good = QInputDialog.getText(
            self.desk.window, "Keep in my swatches", f"{material.name}\nTags, with commas between:", text=", ".join(material.tags)
        )
        if good:
            self.save(material.id, tags.split(","))

    def save(self, material_id: str, tags: list[str]) -> None:
        """Keep a material in the library, with a picture of it."""
        document, assets, folder = self.session.document, self.session.assets, swatch_folder()
        material = document.materials[material_id]

        def done(path: Path) -> None:
            self.session.hint.emit(f"{material.name} is kept as {path.name} in {path.parent}")
            self.changed.emit()

        def work(task):
            return library.save_swatch(document, assets, material_id, folder, tags, picture_of(material, assets))

        self.session.start_task("Keeping a swatch", work, done)

    def choose_folder(self) -> None:
        """Ask for the library's folder."""
        path = QFileDialog.getExistingDirectory(self.desk.window, "Folder of my swatches", str(swatch_folder()))
        if path:
            set_swatch_folder(Path(path))
            self.changed.emit()

    def use(self, path: Path, surfaces: list[str]) -> None:
        """Dress surfaces in a swatch of the library."""

        def run() -> None:
            document, material_id = library.take(self.session.document, self.session.assets, path)
            document = edits.drop_unused_materials(edits.dress(document, surfaces, material_id))
            self.session.apply(f"{document.materials[material_id].name} of my swatches", document)

        self.session.attempt(run)

    def put_in_place(self, path: Path) -> None:
        """A swatch of the library in the place of the material that is worked on, wherever it is worn."""
        material = self.material
        if material is not None:
            document = self.session.attempt(lambda: library.put_in_place(self.session.document, self.session.assets, material.id, path))
            if document is not None:
                self.session.apply(f"{path.stem} in the place of {material.name}", document)

    def update(self) -> None:
        """The materials that were taken from the library as they are there now; asked first."""
        session, folder = self.session, swatch_folder()
        old = session.attempt(lambda: library.outdated(session.document, session.assets, folder))
        if old is None:
            return
        if not old:
            session.hint.emit("Every material is as your swatches have it")
            return
        names = [session.document.materials[i].name for i in old]
        name, good = QInputDialog.getItem(
            self.desk.window, "Bring up to date", f"{counted(len(old), 'material')} of this project are otherwise in your swatches:",
            ["All of them", *names], 0, False,
        )  # fmt: skip
        if good:
            self.bring_up([i for i in old if name in ("All of them", session.document.materials[i].name)])

    def bring_up(self, material_ids: list[str]) -> None:
        """Materials as the library has them."""
        document = self.session.attempt(lambda: library.updated(self.session.document, self.session.assets, material_ids, swatch_folder()))
        if document is not None:
            self.session.apply(f"Brought {counted(len(material_ids), 'material')} up to date", document)

    def ask_tie(self) -> None:
        """Ask which swatch the material's name is tied to."""
        material = self.material
        found = self.session.attempt(lambda: library.swatches_in(swatch_folder()))
        if material is None or found is None:
            return
        if not found[0]:
            self.session.hint.emit("Keep a material in your swatches first")
            return
        names = [s.name for s in found[0]]
        code = to_hex(material.surface.base_color)
        choice, good = QInputDialog.getItem(
            self.desk.window, "Tie to an appearance", f"What a CAD file calls {material.name} (or colours {code}) wears from the next import on:",
            [*names, "Nothing any more"], 0, False,
        )  # fmt: skip
        if good:
            path = next((s.path.name for s in found[0] if s.name == choice), "")
            self.session.attempt(lambda: library.tie(swatch_folder(), material.name, path))

    # MaterialX

    def choose_read(self) -> None:
        """Ask for files of materials."""
        names, _ = QFileDialog.getOpenFileNames(self.desk.window, "Read MaterialX", self.desk.folder(), FILES)
        if names:
            self.read([Path(n) for n in names])

    def read(self, paths: list[Path]) -> None:
        """Materials of files into the project; the first is put on what is selected."""
        base, assets = self.session.document, self.session.assets
        surfaces = self.session.surfaces

        def work(task):
            materials, notes = [], []
            for path in paths:
                found = read_materials(path, assets)
                materials += found.materials
                notes += found.notes
            return materials, notes

        def done(found) -> None:
            materials, notes = found
            document, ids = add_materials(self.session.document, materials)
            if surfaces and self.session.document.parts is base.parts:
                document = edits.dress(document, surfaces, ids[0])
            self.session.apply(f"Read {counted(len(ids), 'material')}", document)
            if notes:
                self.session.trouble.emit(" ".join(notes[:4]) + (f" And {len(notes) - 4} more." if len(notes) > 4 else ""))
            else:
                self.session.hint.emit(f"Read {counted(len(ids), 'material')}")

        self.session.start_task("Reading materials", work, done)

    def choose_write(self) -> None:
        """Ask where the material is written."""
        material = self.material
        if material is None:
            return
        start = str(Path(self.desk.folder()) / f"{file_name(material.name, otherwise='material')}.mtlx")
        name, _ = QFileDialog.getSaveFileName(self.desk.window, "Write MaterialX", start, "MaterialX (*.mtlx);;MaterialX with pictures (*.zip)")
        if name:
            self.write(material, Path(name))

    def write(self, material: Material, path: Path) -> None:
        """Write a material as MaterialX."""
        path = path if path.suffix.lower() in (".mtlx", ".zip") else path.with_suffix(".mtlx")
        notes = self.session.attempt(lambda: save_material(material, self.session.assets, path))
        if notes is not None:
            self.session.hint.emit(f"Wrote {path.name}. {' '.join(notes)}".strip())

    # among themselves

    def where(self) -> None:
        """Select the parts that wear the material."""
        material = self.material
        if material is None:
            return
        users = edits.users_of(self.session.document, material.id)
        self.session.select(users, "" if users else f"materials/{material.id}")
        self.session.hint.emit(f"{material.name} is worn by {counted(len(users), 'part')}")

    def paste_surface(self) -> None:
        """The numbers of the copied material on this one, whose pictures and nodes stay."""
        source, target = self._copied(), self.material
        if source is not None and target is not None:
            document = library.surface_only(self.session.document, source.id, target.id)
            self.session.apply(f"The surface of {source.name} on {target.name}", document)

    def _count(self, document: Document, told: str) -> None:
        gone = len(self.session.document.materials) - len(document.materials)
        if gone:
            self.session.apply(f"{told} {counted(gone, 'material')}", document)
        self.session.hint.emit(f"{told} {counted(gone, 'material')}" if gone else "There was nothing to tidy")

    def merge(self) -> None:
        """Materials that look the same are one."""
        self._count(library.merged(self.session.document)[0], "Joined")

    def tidy(self) -> None:
        """Materials that nothing wears are gone."""
        self._count(edits.drop_unused_materials(self.session.document), "Took out")

    def menu(self, payload: str, menu: QMenu) -> None:
        """Fill the menu of a swatch on the bench."""
        kind, name = payload.split("\n")[:2]
        actions = self.desk.registry.actions
        if kind == "material":
            self.session.select((), f"materials/{name}")
            for key in ("swatch_save", "material_write", "material_where", "swatch_tie", "material_surface"):
                menu.addAction(actions[key])
        if kind == "library":
            path = Path(name)
            menu.addAction("Put on what is selected", lambda: self.use(path, self.session.surfaces)).setEnabled(bool(self.session.surfaces))
            menu.addAction("In the place of the selection's material", lambda: self.put_in_place(path)).setEnabled(self.material is not None)
        menu.addSeparator()
        for key in ("swatch_folder", "swatch_update", "material_read", "material_merge", "material_tidy"):
            menu.addAction(actions[key])
