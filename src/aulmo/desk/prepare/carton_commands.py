"""What makes cartons: from a drawing that is chosen or dropped; put things inside one."""

from pathlib import Path

from PySide6.QtCore import QSettings
from PySide6.QtWidgets import QFileDialog

from aulmo.desk.prepare.bench_carton import CartonBench
from aulmo.desk.shell.stage import Desk, FileKind
from aulmo.document.assets import AssetStore
from aulmo.document.flat import SUFFIX
from aulmo.document.quantity import counted
from aulmo.document.records import Document
from aulmo.prepare.carton import make
from aulmo.prepare.carton.drawing import FILES
from aulmo.prepare.carton.inside import put_inside


class CartonCommands:
    """The commands of the face Carton."""

    def __init__(self, desk: Desk, read_paths) -> None:
        self.desk, self.session = desk, desk.session
        self.read_paths = read_paths
        self.bench: CartonBench | None = None
        add = desk.registry.add
        add("carton", "Carton from a drawing…", "Set", "", self.choose, desk.working, True)
        add("carton_inside", "Put inside the carton", "Arrange", "", self.inside, lambda: bool(desk.working() and self._inside()))
        add("carton_round", "Lay the label round the body", "Arrange", "", self.round_body, lambda: bool(desk.working() and self._inside()))
        self.look_from_front = lambda: desk.registry.run("side_front")
        desk.kinds.append(FileKind(FILES, "fold it as a carton, or make its lines paths", self.take))

    def choose(self) -> None:
        """Ask for a drawing."""
        name, _ = QFileDialog.getOpenFileName(
            self.desk.window, "Carton from a drawing", self.desk.folder(), f"Flat drawings ({' '.join('*' + e for e in FILES)})"
        )
        if name:
            QSettings().setValue("folder", str(Path(name).parent))
            self.make(Path(name))

    def take(self, files: list[Path]) -> None:
        """Dropped drawings: a carton while one works on cartons, and whenever it is a PDF; else paths."""
        if self.session.stage == "Prepare" and self.bench is not None and self.bench.isVisible() or files[0].suffix.lower() == ".pdf":
            for file in files:
                self.make(file)
        else:
            self.read_paths(files)

    def make(self, path: Path) -> None:
        """Fold a drawing."""
        session = self.session

        def work(task) -> tuple[Document, AssetStore]:
            assets = AssetStore()
            return make.every_carton(assets, path)[0], assets

        def done(found: tuple[Document, AssetStore]) -> None:
            made, assets = found
            document, fresh = session.document, []
            for part in made.roots:
                flat = make.carton_of(made, part).flat
                session.assets.add(assets.get(flat), SUFFIX)
                document, part_id = make.brought_in(document, made, part)
                fresh.append(part_id)
            name = document.parts[fresh[0]].name
            session.apply(f"Made the carton {name}" if len(fresh) == 1 else f"Made {counted(len(fresh), 'carton')}", document)
            session.select(fresh[:1])
            session.face_wanted.emit("Carton")

        if session.stage != "Prepare":
            session.set_stage("Prepare")
        session.start_task(f"Folding {path.name}", work, done)

    def _inside(self) -> tuple[str, list[str]] | None:
        """The carton and what is to stand in it: of those chosen the last carton holds the others."""
        document = self.session.document
        chosen = list(self.session.selection)
        cartons = [i for i in chosen if i in document.parts and document.parts[i].carton is not None]
        if cartons and len(chosen) > 1:
            return cartons[-1], [i for i in chosen if i != cartons[-1]]
        there = [p.id for p in document.parts.values() if p.carton is not None]
        return (there[0], chosen) if len(there) == 1 and chosen and there[0] not in chosen else None

    def inside(self) -> None:
        """Stand what is chosen on the bottom of the carton, in the middle."""
        session, found = self.session, self._inside()
        if found is None:
            session.trouble.emit("Choose what is to stand inside, and last, with Ctrl, the carton.")
            return
        made = session.attempt(lambda: put_inside(session.document, session.assets, found[0], found[1]))
        if made is not None:
            session.apply(f"Put inside {session.document.parts[found[0]].name}", made)

    def round_body(self) -> None:
        """Lay the chosen flat round the other chosen part."""
        session, found = self.session, self._inside()
        if found is None:
            session.trouble.emit("Choose the body, and last, with Ctrl, the flat label.")
            return
        made = session.attempt(lambda: make.round_body(session.document, session.assets, found[0], found[1][0]))
        if made is not None:
            session.apply(f"Laid round {session.document.parts[found[1][0]].name}", made)
            session.select([found[0]])
