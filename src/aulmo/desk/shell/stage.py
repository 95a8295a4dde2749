"""What a stage is to the window: a name, an icon, a hint, and how its bench, pages, tools and commands are made."""

from pathlib import Path
from typing import Any, Callable, NamedTuple

from PySide6.QtWidgets import QMenu, QWidget

from aulmo.desk.shell.commands import Registry
from aulmo.desk.shell.session import Session


class FileKind(NamedTuple):
    """What is done with a kind of file: by its endings, what the cursor says before it is dropped, and the deed."""

    endings: tuple[str, ...]
    words: str
    take: Callable[[list[Path]], None]


class Desk(NamedTuple):
    """What a stage is built upon. `picture` is the picture (`picture.picture.Picture`), `kinds` the files the window takes, `working` tells
    whether a project is on the desk, `folder` where a file box opens; `menus` add to the menu of the parts tree, `moves` hang
    parts of it elsewhere: which, below what, before which."""

    window: QWidget
    session: Session
    registry: Registry
    picture: Any
    kinds: list[FileKind]
    working: Callable[[], bool]
    folder: Callable[[], str]
    files: Any
    menus: list[Callable[[QMenu], None]]
    moves: list[Callable[[list[str], str | None, str | None], None]]


class Built(NamedTuple):
    """A stage as it stands in the window: the faces of its bench by their tabs, its Details page, pages for other subjects by the first step
    of their address, and its commands' object for those who call it."""

    faces: dict[str, QWidget]
    page: Any
    subjects: dict[str, Any]
    commands: Any


class Stage(NamedTuple):
    """A stage of the work. `alone` keeps its own page in Details whatever is selected, `own` all but what are subjects of its own."""

    name: str
    icon: str
    hint: str
    build: Callable[[Desk], Built]
    alone: bool = False
    own: bool = False
