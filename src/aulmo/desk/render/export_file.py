"""A project for other programs, as a file that is asked for."""

import subprocess
import sys
import tempfile
from pathlib import Path
from typing import Any

from PySide6.QtWidgets import QFileDialog

from aulmo.desk.shell.stage import Desk
from aulmo.document.project_file import save
from aulmo.document.quantity import counted
from aulmo.errors import BadValue, CannotWrite

KINDS = "glTF (*.glb);;USD (*.usdz *.usdc *.usda)"


def choose_export(desk: Desk) -> None:
    """Ask where it goes."""
    session = desk.session
    name = str(Path(desk.folder()) / f"{session.document.name}.glb")
    path, _ = QFileDialog.getSaveFileName(desk.window, "Export for other programs", name, KINDS)
    if path:
        write_export(desk, Path(path))


def write_export(desk: Desk, path: Path) -> None:
    """Write the project with all its variants, in a process of its own: libraries that write such files have threads that may wait for this one's."""
    session = desk.session
    document, assets = session.document, session.assets

    def work(task: Any) -> list[str]:
        if path.suffix.lower() not in (".glb", ".usda", ".usdc", ".usdz"):
            raise BadValue(f"{path.name} should end in .glb, .usda, .usdc or .usdz.")
        task.tell(f"Writing {path.name}", 0.2)
        with tempfile.TemporaryDirectory() as folder:
            save(document, assets, Path(folder) / "project.aulmo", squeeze=False)
            words = [sys.executable, "-m", "aulmo", "export", str(Path(folder) / "project.aulmo"), "--out", str(path)]
            process = subprocess.Popen(words, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
            while True:
                try:
                    told, wrong = process.communicate(timeout=0.3)
                    break
                except subprocess.TimeoutExpired:
                    if not task.tell(f"Writing {path.name}", 0.5):
                        process.kill()
        if process.returncode:
            raise CannotWrite((wrong.strip().splitlines() or ["The export was given up."])[-1].removeprefix("aulmo: "))
        return told.strip().splitlines()[:-1]

    def done(notes: list[str]) -> None:
        more = f"; {counted(len(notes), 'thing')} left out: {notes[0]}" if notes else ""
        session.hint.emit(f"Wrote {path.name}{more}")

    session.start_task(f"Export {path.name}", work, done)
