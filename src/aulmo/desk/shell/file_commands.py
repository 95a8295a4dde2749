"""What can be done with projects: saved, opened, asked about; and dropped files handed to whoever takes their kind."""

from pathlib import Path

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QSettings
from PySide6.QtWidgets import QFileDialog, QWidget

from aulmo.deliver.encoding import small_png
from aulmo.deliver.job import free_path
from aulmo.desk.shell.question import ask
from aulmo.desk.shell.session import Session
from aulmo.desk.shell.stage import FileKind
from aulmo.document.assets import AssetStore
from aulmo.document.file_names import file_name
from aulmo.document.project_file import Changed
from aulmo.document.records import Document
from aulmo.prepare import arrange

_PROJECTS = "Aulmo projects (*.aulmo)"


class FileCommands:
    """The commands on projects. `window` is the parent of every dialog, `kinds` what is done with which files."""

    def __init__(self, window: QWidget, session: Session, picture, kinds: list[FileKind]) -> None:
        self.window, self.session, self.picture, self.kinds = window, session, picture, kinds
        kinds.append(FileKind((".aulmo",), "open this project", lambda paths: self.open_project(paths[0])))

    def may_leave(self) -> bool:
        """Ask before unsaved work is left."""
        if self.session.is_saved or not self.session.document.parts:
            return True
        answers = {"save": "Save", "leave": "Don’t save", "stay": "Cancel"}
        answer = ask(self.window, "Unsaved work", f"Save the changes to {self.session.document.name}?", answers)
        return self.save() if answer == "save" else answer == "leave"

    def new_project(self) -> None:
        """An empty set."""
        if self.may_leave():
            assets = AssetStore()
            self.session.set_stage(self.session.stages[0])
            self.session.open_document(arrange.first_shot(Document(), assets), assets, None)

    def open_project(self, path: Path) -> None:
        """Open a project file; the demo opens as a copy that asks for a name."""
        if self.may_leave():
            self.session.load(path)

    def choose_project(self) -> None:
        """Ask which project to open."""
        name, _ = QFileDialog.getOpenFileName(self.window, "Open project", self.folder(), _PROJECTS)
        if name:
            self.open_project(Path(name))

    def folder(self) -> str:
        """Where a file box opens."""
        return str(self.session.path.parent if self.session.path else QSettings().value("folder", str(Path.home())))

    def save(self) -> bool:
        """Save where the project lies, or ask."""
        path = self.session.own_path
        if path is None:
            return self.save_as()
        return self._saved(path)

    def _saved(self, path: Path) -> bool:
        """Save to a file, or ask what becomes of it when somebody else has changed it."""
        try:
            return self.session.save(path, self.thumbnail())
        except Changed as other:
            text = (
                f"{path.name} was saved by {other.by} on {other.at}, after it was opened here. What you did since is not in it; taking theirs "
                "gives yours up."
            )
            answers = {"beside": "Save beside it", "theirs": "Take theirs", "over": "Save over it", "stay": "Cancel"}
            answer = ask(self.window, "Changed by somebody else", text, answers)
            self.session.hint.emit("Not saved")
        if answer == "beside":
            return self.session.save(free_path(path, set(), overwrites=False), self.thumbnail())
        if answer == "theirs":
            return self.session.load(path)
        return answer == "over" and self.session.save(path, self.thumbnail(), over=True)

    def save_as(self) -> bool:
        """Ask where to save."""
        name, _ = QFileDialog.getSaveFileName(
            self.window, "Save project", str(Path(self.folder()) / f"{file_name(self.session.document.name)}.aulmo"), _PROJECTS
        )
        if not name:
            return False
        path = Path(name).with_suffix(".aulmo")
        self.session.apply("Named the project", replace(self.session.document, name=path.stem))
        QSettings().setValue("folder", str(path.parent))
        return self._saved(path)

    def thumbnail(self) -> bytes | None:
        """The picture as it is, small."""
        pixels = self.picture.picture_pixels()
        return None if pixels is None else small_png(pixels.astype(np.float32) / 255, 320)

    def take_files(self, files: list[Path]) -> None:
        """Do with dropped files what their kind says."""
        taken: dict[int, list[Path]] = {}
        for path in files:
            number = next((k for k, kind in enumerate(self.kinds) if path.suffix.lower() in kind.endings), None)
            if number is None:
                self.session.trouble.emit(f"{path.name} is not a kind of file Aulmo can use here.")
            else:
                taken.setdefault(number, []).append(path)
        for number, paths in taken.items():
            self.kinds[number].take(paths)
