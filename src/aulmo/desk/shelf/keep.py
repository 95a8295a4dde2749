"""Keeping things on the shelf: what is selected, or dragged there, with a name, tags and a note."""

from pathlib import Path
from typing import Any, Callable, NamedTuple

from msgspec.structs import replace
from PySide6.QtCore import QObject
from PySide6.QtWidgets import QWidget

from aulmo.desk.picture.drops import SWATCH_MIME
from aulmo.desk.shell.parts_tree import OTHER_MIME, PARTS_MIME
from aulmo.desk.shell.question import Asked, ask
from aulmo.desk.shell.session import Session
from aulmo.desk.shell.swatch_folder import swatch_folder
from aulmo.document import project_file
from aulmo.document.project_file import About
from aulmo.shelf import keeping, props, shelves, thumbnails
from aulmo.shelf.things import Thing


class Wanted(NamedTuple):
    """What is to be kept: its kind, its name and tags as they are, and for which address or parts."""

    kind: str
    name: str
    tags: tuple[str, ...]
    what: Any


NAME, TAGS, NOTE = "Name", "Tags, with commas between", "Note"


class AboutBox(Asked):
    """Name, tags and note of a thing."""

    def __init__(self, parent: QWidget, title: str, told: About) -> None:
        super().__init__(parent, title, {NAME: told.name, TAGS: ", ".join(told.tags), NOTE: told.note})

    def told(self) -> About:
        """What was typed. Raises BadValue without a name."""
        return keeping.about(self.lines[NAME].text(), self.lines[TAGS].text().split(","), self.lines[NOTE].text())


class Keeping(QObject):
    """Keeps things. `more` are stages' own: what else is worked on, tried before what is selected."""

    def __init__(self, window: QWidget, session: Session, panel: Any) -> None:
        super().__init__(window)
        self.window, self.session, self.panel = window, session, panel
        self.more: list[Callable[[], Wanted | None]] = []
        self.ways: dict[str, Callable[[Wanted, About], None]] = {}
        self.tied: Callable[[Thing], None] | None = None  # what takes a prop that stays tied to its file
        panel.keeping = self
        panel.list.may_keep = lambda mime: self.wanted_of(mime) is not None
        panel.list.kept.connect(self.drop)

    # what

    def wanted(self) -> Wanted | None:
        """What is selected and can be kept."""
        session = self.session
        for more in self.more:
            if (found := more()) is not None:
                return found
        if session.selection:
            return self._parts(list(session.selection))
        return self._subject(session.subject)

    def _parts(self, ids: list[str]) -> Wanted | None:
        ids = [i for i in ids if i in self.session.document.parts]
        if not ids:
            return None
        name = self.session.document.parts[ids[0]].name if len(ids) == 1 else self.session.document.name
        return Wanted("prop", name, (), ids)

    def _subject(self, subject: str) -> Wanted | None:
        document, (root, _, rest) = self.session.document, subject.partition("/")
        if root == "lamps" and rest in document.lamps:
            return Wanted("lamp", document.lamps[rest].name, (), rest)
        if root == "decals" and rest in document.decals:
            return Wanted("artwork", document.decals[rest].name, (), rest)
        if root == "materials" and rest in document.materials:
            return Wanted("swatch", document.materials[rest].name, document.materials[rest].tags, rest)
        if root in ("environment", "softboxes"):
            return Wanted("light set", f"Light of {document.name}", (), None)
        return None

    def wanted_of(self, mime: Any) -> Wanted | None:
        """What is dragged and can be kept: parts and rows of the tree, materials of the project."""
        if mime.hasFormat(PARTS_MIME):
            return self._parts(bytes(mime.data(PARTS_MIME).data()).decode().split("\n"))
        if mime.hasFormat(OTHER_MIME):
            return self._subject(bytes(mime.data(OTHER_MIME).data()).decode())
        if mime.hasFormat(SWATCH_MIME):
            kind, name, *_ = bytes(mime.data(SWATCH_MIME).data()).decode().split("\n")
            return self._subject(f"materials/{name}") if kind == "material" else None
        return None

    def drop(self, mime: Any) -> None:
        """Keep what was dropped on the shelf."""
        wanted = self.wanted_of(mime)
        if wanted is not None:
            self.ask(wanted)

    def keep_selected(self) -> None:
        """Keep what is selected."""
        wanted = self.wanted()
        if wanted is None:
            self.session.hint.emit("Select what is to be kept: parts, a lamp, a decal, or the dome for all its light")
        else:
            self.ask(wanted)

    # how

    def ask(self, wanted: Wanted) -> None:
        """Ask for name, tags and note, then keep it."""
        told = self.ask_for(f"Keep this {wanted.kind} on the shelf", About(wanted.name, wanted.tags))
        if told is not None:
            self.keep(wanted, told)

    def ask_for(self, title: str, told: About) -> About | None:
        """What was typed, None when the box was closed."""
        box = AboutBox(self.window, title, told)
        found = self.session.attempt(box.told) if box.exec() else None
        box.deleteLater()
        return found

    def keep(self, wanted: Wanted, told: About) -> None:
        """Write it beside the work, with a picture of it."""
        if wanted.kind in self.ways:
            self.ways[wanted.kind](wanted, told)
            return
        document, assets, home = self.session.as_now, self.session.assets, shelves.home()

        def work(task: Any) -> Path:
            task.tell(f"Keeping {told.name}", 0.1)
            if wanted.kind == "swatch":
                from aulmo.surface import library

                home_ = swatch_folder()
                blob = thumbnails.png(thumbnails.ball(document.materials[wanted.what], assets))
                return library.save_swatch(document, assets, wanted.what, home_, told.tags, blob, told.note, told.name)
            path = keeping.free_path(home, told.name, keeping.ENDINGS[wanted.kind])
            if wanted.kind == "prop":
                kept = props.prop_of(document, assets, wanted.what)
                picture = thumbnails.png(thumbnails.rendered(*thumbnails.prop_scene(kept, assets), 40))
                keeping.keep_parts(document, assets, wanted.what, path, told, picture)
            elif wanted.kind == "lamp":
                keeping.keep_lamp(document, assets, wanted.what, path, told)
            elif wanted.kind == "artwork":
                keeping.keep_decal(document, assets, wanted.what, path, told)
            else:
                from aulmo.light.set_ups import light_of

                picture = thumbnails.png(thumbnails.rendered(*thumbnails.lit_forms(light_of(document), assets), 48, thumbnails.SET_EVEN))
                keeping.keep_light(document, assets, path, told, picture)
            return path

        def done(path: Path) -> None:
            self.session.hint.emit(f"{told.name} is kept on the shelf as {path.name}")
            self.panel.watch.look()

        self.session.start_task(f"Keeping {told.name}", work, done)

    # what is kept already

    def may_tell(self, thing: Thing) -> bool:
        """Whether a thing's file can hold another name, tags and a note."""
        return thing.path.endswith((props.SUFFIX, *keeping.ENDINGS.values())) and not thing.inside

    def ask_about(self, thing: Thing) -> None:
        """Ask for another name, tags, note."""
        path = Path(thing.path)
        told = self.ask_for(f"About {thing.name}", replace(project_file.read_about(path), name=thing.name))
        if told is not None and self.session.attempt(lambda: keeping.tell(path, told)) is not None:
            self.panel.watch.look()

    def is_kept(self, thing: Thing) -> bool:
        """Whether it lies where Aulmo keeps things, and not in a folder of the artist's own making."""
        return not thing.inside and Path(thing.path).parent in (shelves.home(), swatch_folder())

    def throw_away(self, thing: Thing) -> None:
        """Take a kept thing's file away, once asked; projects that took it have their own."""
        text = f"{Path(thing.path).name} goes from the shelf and from the disk. Projects that have taken it keep what they have."
        if ask(self.window, f"Throw {thing.name} away", text, {"throw": "Throw away", "stay": "Keep it"}) != "throw":
            return
        try:
            Path(thing.path).unlink()
        except OSError as error:
            self.session.trouble.emit(f"{Path(thing.path).name} could not be taken away: {error.strerror}.")
        self.panel.watch.look()

    def take_tied(self, thing: Thing) -> None:
        """Take a prop that tells when the kept one changes."""
        if self.tied is not None:
            self.tied(thing)
