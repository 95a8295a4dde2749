"""What can be done with projects and files: saved, opened, asked about, brought in; dropped or chosen in a dialog."""

from pathlib import Path

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QSettings
from PySide6.QtWidgets import QFileDialog, QMessageBox, QStackedWidget

from aulmo.deliver.picture_file import small_png
from aulmo.desk.light.page_lamp import add_lamp, read_profile
from aulmo.desk.picture.picture import Picture
from aulmo.desk.shell.session import Session
from aulmo.desk.shell.start_page import DEMO, StartPage
from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.records import Document
from aulmo.errors import AulmoError
from aulmo.light.environment_image import from_blob
from aulmo.prepare import arrange
from aulmo.prepare.import_file import READABLE, import_file


class FileCommands:
    """The window's commands on projects and files; the window itself is the parent of every dialog."""

    session: Session
    picture: Picture
    pages: QStackedWidget
    start_page: StartPage

    def _may_leave(self) -> bool:
        """Ask before unsaved work is left."""
        if self.session.is_saved or not self.session.document.parts:
            return True
        box = QMessageBox(self)
        box.setWindowTitle("Unsaved work")
        box.setText(f"Save the changes to {self.session.document.name}?")
        box.setStandardButtons(QMessageBox.StandardButton.Save | QMessageBox.StandardButton.Discard | QMessageBox.StandardButton.Cancel)
        answer = box.exec()
        if answer == QMessageBox.StandardButton.Save:
            return self.save()
        return answer == QMessageBox.StandardButton.Discard

    def new_project(self) -> None:
        """An empty set."""
        if self._may_leave():
            assets = AssetStore()
            self.session.open_document(arrange.first_shot(Document(), assets), assets, None)

    def open_project(self, path: Path) -> None:
        """Open a project file; the demo opens as a copy that asks for a name."""
        if self._may_leave():
            self.session.load(path)

    def choose_project(self) -> None:
        """Ask which project to open."""
        name, _ = QFileDialog.getOpenFileName(self, "Open project", self._folder(), "Aulmo projects (*.aulmo)")
        if name:
            self.open_project(Path(name))

    def _folder(self) -> str:
        return str(self.session.path.parent if self.session.path else QSettings().value("folder", str(Path.home())))

    def save(self) -> bool:
        """Save where the project lies, or ask."""
        path = self.session.path
        if path is None or path.parent == DEMO:
            return self.save_as()
        return self.session.save(path, self.thumbnail())

    def save_as(self) -> bool:
        """Ask where to save."""
        name, _ = QFileDialog.getSaveFileName(
            self, "Save project", str(Path(self._folder()) / f"{self.session.document.name}.aulmo"), "Aulmo projects (*.aulmo)"
        )
        if not name:
            return False
        path = Path(name).with_suffix(".aulmo")
        self.session.apply("Named the project", replace(self.session.document, name=path.stem))
        QSettings().setValue("folder", str(path.parent))
        return self.session.save(path, self.thumbnail())

    def thumbnail(self) -> bytes | None:
        """The picture as it is, small."""
        pixels = self.picture._pixels
        if pixels is None:
            return None
        return small_png(pixels[:, :, [2, 1, 0]].astype(np.float32) / 255, 320)

    # files

    def take_files(self, files: list[Path]) -> None:
        """Do with dropped files what their kind says."""
        for path in files:
            suffix = path.suffix.lower()
            if suffix == ".aulmo":
                self.open_project(path)
                return
            if suffix in READABLE:
                self.bring_in(path)
            elif suffix in (".hdr", ".exr"):
                self.use_environment(path)
            elif suffix == ".ies":
                self.use_profile(path)
            else:
                self.session.trouble.emit(f"{path.name} is not a kind of file Aulmo can use here.")

    def bring_in(self, path: Path) -> None:
        """Import a CAD or mesh file, resting, lit and framed, without a question."""
        session = self.session
        fresh = self.pages.currentWidget() is self.start_page or not session.document.parts
        if self.pages.currentWidget() is self.start_page:
            session.open_document(Document(name=path.stem), AssetStore(), None, unsaved=True)
        base, assets = session.document, session.assets

        def work(task):
            return import_file(base, assets, path, progress=task.tell)

        def done(result) -> None:
            notes = tuple(result.notes)
            now = session.document
            if now is not base:
                added = {i: p for i, p in result.document.parts.items() if i not in base.parts}
                now = replace(
                    now, parts={**now.parts, **added}, roots=now.roots + result.roots,
                    materials={**now.materials, **{i: m for i, m in result.document.materials.items() if i not in base.materials}},
                )  # fmt: skip
            else:
                now = result.document
            if fresh and not session.document.shots:
                now = arrange.first_shot(now, assets)
                notes += ("Lit with the set Loft, seen from the front right with an 85 mm lens",)
            now = replace(now, notes=notes, name=path.stem if fresh and now.name == "Untitled" else now.name)
            session.apply(f"Brought in {path.name}", now)
            session.shot_changed.emit()
            session.select(())
            if fresh and now.shots and base.shots:
                self.picture.frame_selection()
            self.setWindowTitle(f"{now.name} · Aulmo")
            session.hint.emit(f"{path.name}: {len(edits.leaves(now, result.roots))} parts")

        session.start_task(f"Reading {path.name}", work, done)

    def choose_import(self) -> None:
        """Ask what to bring in."""
        kinds = " ".join(f"*{s} *{s.upper()}" for s in READABLE)
        names, _ = QFileDialog.getOpenFileNames(self, "Bring in CAD or mesh", self._folder(), f"Models ({kinds})")
        for name in names:
            QSettings().setValue("folder", str(Path(name).parent))
            self.bring_in(Path(name))

    def use_environment(self, path: Path) -> None:
        """Light the set with an HDR or EXR file, kept inside the project."""
        session = self.session

        def work(task):
            task.tell(f"Reading {path.name}", 0.2)
            try:
                blob = path.read_bytes()
            except OSError as error:
                raise AulmoError(f"{path.name} could not be read: {error.strerror}.") from error
            name = session.assets.add(blob, path.suffix.lower())
            try:
                from_blob(blob, path.name)
            except AulmoError as error:
                raise AulmoError(str(error)) from error
            return name

        def done(name: str) -> None:
            environment = replace(session.document.environment, image=name, shipped=False, sky=None)
            session.apply(f"Lit with {path.name}", replace(session.document, environment=environment))

        session.start_task(f"Reading {path.name}", work, done)

    def choose_environment(self) -> None:
        """Ask for an environment."""
        name, _ = QFileDialog.getOpenFileName(self, "Open environment", self._folder(), "Environments (*.hdr *.HDR *.exr *.EXR)")
        if name:
            self.use_environment(Path(name))

    def use_profile(self, path: Path) -> None:
        """Give a measured light to the selected photometric lamp, or make one."""
        session = self.session

        def run() -> None:
            name = read_profile(session, path)
            if session.lamp is not None and session.lamp.kind == "photometric":
                session.change_lamp(f"Measured light of {path.name}", replace(session.lamp, profile=name))
            else:
                session.set_stage("Light")
                add_lamp(session, "photometric", name=path.stem, profile=name)

        session.attempt(run)

    def choose_profile(self) -> None:
        """Ask for a photometric file."""
        name, _ = QFileDialog.getOpenFileName(self, "Open photometric file", self._folder(), "Photometric files (*.ies *.IES)")
        if name:
            self.use_profile(Path(name))
