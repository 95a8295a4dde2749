"""Which files another file may bring along: those that lie beside it or below it. A model from elsewhere can name any file of this machine, and what
it names would go into the project and out of the house with it."""

from pathlib import Path

anywhere = False  # the artist says that files may name others wherever they lie


def is_allowed(path: Path, folder: Path) -> bool:
    """Whether a file may be read on behalf of one in a folder, links followed."""
    try:
        return anywhere or path.resolve().is_relative_to(folder.resolve())
    except (OSError, ValueError, RuntimeError):
        return False


def beside(folder: Path, name: str, below: bool = False) -> Path | None:
    """The file that one in a folder calls by a name: a path from the folder, or with `below` a plain name in it or in a folder within it. None where
    there is none, or none that may be read."""
    places = [folder / name]
    if below:
        name = Path(name).name
        try:
            places = [folder / name, *(inner / name for inner in sorted(folder.iterdir()) if inner.is_dir())]
        except OSError:
            return None
    for path in places:
        try:
            if name and path.is_file() and is_allowed(path, folder):
                return path
        except (OSError, ValueError):
            continue
    return None
