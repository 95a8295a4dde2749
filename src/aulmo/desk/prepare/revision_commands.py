"""Finding, reading and telling of new revisions of files."""

import atexit
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

from PySide6.QtCore import QSettings
from PySide6.QtWidgets import QFileDialog

from aulmo.desk.prepare.bench_revision import RevisionBench
from aulmo.desk.prepare.source_watch import SourceWatch
from aulmo.desk.shell.question import ask
from aulmo.desk.shell.session import DEMO
from aulmo.desk.shell.stage import Desk
from aulmo.document.quantity import shortened
from aulmo.document.records import Source
from aulmo.errors import BadFile
from aulmo.prepare.revision.compare import source_for


class RevisionCommands:
    """The commands on files that came again."""

    def __init__(self, desk: Desk, watch: SourceWatch, bench: RevisionBench) -> None:
        self.desk, self.session, self.watch, self.bench = desk, desk.session, watch, bench
        has_sources = lambda: desk.working() and bool(desk.session.document.sources or desk.session.assets.origins)  # noqa: E731
        desk.registry.add("revision", "Revision…", "File", "", self.show, has_sources)
        there = lambda: desk.working() and self._lantern() is not None  # noqa: E731
        desk.registry.add("engineer", "The lantern comes again (demo)", "File", "", self.engineer, there)
        bench.other_file.clicked.connect(self.choose)
        watch.changed.connect(self._tell)

    def _tell(self) -> None:
        """The strip says which file has changed."""
        names = self.bench.changed_files()
        words = "" if not names else f"{shortened(names[0], 22)} changed" if len(names) == 1 else f"{len(names)} files changed"
        self.session.notice.emit(words, "revision")

    def show(self) -> None:
        """The face Revision; what has changed is read."""
        self.session.set_stage("Prepare")
        self.session.face_wanted.emit("Revision")
        if self.watch.news and self.bench.trial is None:
            self.bench.read_next()

    def choose(self) -> None:
        """A revision that lies in another place, or has another name."""
        source = self._source()
        if source is None:
            return
        name, _ = QFileDialog.getOpenFileName(self.desk.window, f"A new revision of {source.name}", str(Path(source.path).parent))
        if name:
            QSettings().setValue("folder", str(Path(name).parent))
            self.bench.read(source.id, Path(name))

    def _lantern(self) -> Source | None:
        """The demo's lantern among the files of the project."""
        return next((s for s in self.session.document.sources.values() if s.name == "wick.step"), None)

    def engineer(self) -> None:
        """The stand-in for the engineer's station writes a new revision of the lantern, which is looked at."""
        source = self._lantern()
        if source is None:
            return
        folder = tempfile.mkdtemp(prefix="aulmo-engineer-")
        atexit.register(shutil.rmtree, folder, True)
        out = Path(folder) / source.name

        def work(task) -> Path:
            task.tell("The engineer changes the lantern", 0.1)
            made = subprocess.run([sys.executable, str(DEMO / "engineer.py"), str(out)], capture_output=True, text=True)
            if made.returncode or not out.is_file():
                raise BadFile("The stand-in for the engineer's station could not write its file.")
            return out

        def done(path: Path) -> None:
            self.session.set_stage("Prepare")
            self.session.face_wanted.emit("Revision")
            self.bench.read(source.id, path)

        self.session.start_task("The engineer changes the lantern", work, done)

    def _source(self) -> Source | None:
        """The file that the selection came from, else the first."""
        sources = list(self.session.document.sources.values())
        part = self.session.document.parts.get(self.session.selection[0]) if self.session.selection else None
        while part is not None:
            for source in sources:
                if part.id in source.roots:
                    return source
            part = self.session.document.parts.get(part.parent or "")
        return sources[0] if sources else None

    def is_revision(self, paths: list[Path]) -> bool:
        """Whether files that are brought in were taken as a revision of one that is there, which is asked. True as well when all is given up."""
        document = self.session.document
        if len(paths) != 1 or not self.desk.working() or not document.parts:
            return False
        source = source_for(document, paths[0])
        same = source is not None and (source.path == str(paths[0].resolve()) or source.name.lower() == paths[0].name.lower())
        if source is None or not same:
            return False
        text = f"{paths[0].name} is in this project already. Is it a new revision, which keeps what was done, or does it come in beside?"
        answer = ask(self.desk.window, "There already", text, {"revision": "New revision", "beside": "Beside it", "": "Cancel"})
        if answer == "revision":
            self.session.set_stage("Prepare")
            self.session.face_wanted.emit("Revision")
            self.bench.read(source.id, paths[0])
        return answer != "beside"
