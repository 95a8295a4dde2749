"""What goes to a client, a workshop or an archive: a list of the parts, and everything in one folder."""

from pathlib import Path
from typing import Any

from PySide6.QtWidgets import QFileDialog

from aulmo.deliver.collect import KINDS, gathered
from aulmo.desk.shell.question import ask
from aulmo.desk.shell.stage import Desk
from aulmo.document.file_names import file_name, free_in
from aulmo.document.quantity import counted


def choose_parts_list(desk: Desk) -> None:
    """Ask where the list of parts goes."""
    name = str(Path(desk.folder()) / f"{file_name(desk.session.document.name)} parts.pdf")
    path, _ = QFileDialog.getSaveFileName(desk.window, "List of parts", name, "To print (*.pdf);;Table (*.csv)")
    if path:
        write_list(desk, Path(path))


def write_list(desk: Desk, path: Path) -> None:
    """Write the list of the parts that are seen, of the variant that is."""
    session = desk.session
    document, assets, picks = session.document, session.assets, dict(session.picks)

    def work(task: Any) -> int:
        from aulmo.deliver.job import by_names
        from aulmo.deliver.parts_list import write_parts_list

        return write_parts_list(document, assets, path, by_names(document, picks) or None)

    session.start_task(f"Parts {path.name}", work, lambda count: session.hint.emit(f"Wrote {path.name}: {counted(count, 'line')}"))


SHOWN = 12  # files that are named before they go along


def choose_collect(desk: Desk) -> None:
    """Show what would go along, then ask where to."""
    going, left = gathered(desk.session.document, desk.session.assets)
    lines = [f"{KINDS[one.where]}: {one.source or one.name}" for one in going]
    text = "The project, its materials and a list of its parts go into one folder" + (f", and {counted(len(lines), 'file')}:" if lines else ".")
    more = [f"and {len(lines) - SHOWN} more"] if len(lines) > SHOWN else []
    text = "\n".join([text, *lines[:SHOWN], *more, *([""] if left else []), *left[:SHOWN]])
    if ask(desk.window, "Collect in a folder", text, {"go": "Choose the folder", "stay": "Cancel"}) == "stay":
        return
    found = QFileDialog.getExistingDirectory(desk.window, "Collect the project in a folder of this one", desk.folder())
    if found:
        collect_in(desk, Path(found))


def collect_in(desk: Desk, where: Path) -> None:
    """Collect the project in a new folder of another one."""
    session = desk.session
    document, assets = session.document, session.assets
    folder = free_in(where, document.name, "", otherwise="project")

    def work(task: Any) -> list[str]:
        from aulmo.deliver.collect import collect

        return collect(document, assets, folder, lambda share: task.tell(f"Collecting {folder.name}", share))

    def done(notes: list[str]) -> None:
        more = f"; {counted(len(notes), 'thing')} to know: {notes[0]}" if notes else ""
        session.hint.emit(f"Collected {folder.name}{more}")

    session.start_task(f"Collecting {folder.name}", work, done)
