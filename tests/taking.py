"""Ways in which somebody else, or another window, takes a project's file away while it is open."""

import os
import shutil
import zipfile
from pathlib import Path


def _less(path: Path) -> None:
    """Saved over by another window that has no parts any more."""
    with zipfile.ZipFile(path.with_name("less.tmp"), "w") as archive:
        archive.writestr("document.json", '{"schema_version": 1}')
    os.replace(path.with_name("less.tmp"), path)


def _in_place(path: Path, blob: bytes) -> None:
    with open(path, "r+b") as file:
        file.truncate(0)
        file.write(blob)


def _folder_there(path: Path) -> None:
    path.unlink()
    path.mkdir()


def _moved_folder(path: Path) -> None:
    path.parent.rename(path.parent.with_name("elsewhere"))


def _swapped(path: Path) -> None:
    path.unlink()
    path.symlink_to("/dev/null")


SINGLE = {
    "deleted": Path.unlink, "moved": lambda p: p.rename(p.with_name("b.aulmo")), "saved over with less": _less,
    "emptied": lambda p: _in_place(p, b""),
    "written over": lambda p: _in_place(p, b"rubbish" * 1000), "cut in half": lambda p: os.truncate(p, p.stat().st_size // 2),
    "a folder in its place": _folder_there, "its folder deleted": lambda p: shutil.rmtree(p.parent), "its folder moved": _moved_folder,
    "made unreadable": lambda p: p.chmod(0), "a link to nothing": _swapped,
    "another zip": lambda p: shutil.copyfile(_zip_beside(p), p),
}  # fmt: skip


def _zip_beside(path: Path) -> Path:
    other = path.with_name("other.zip")
    with zipfile.ZipFile(other, "w") as archive:
        archive.writestr("a", "b")
    return other
