"""What Prepare does with things of the shelf: props, models, cartons, boards; and tied props that have changed."""

from pathlib import Path
from typing import Any

from PySide6.QtCore import QPoint, QTimer

from aulmo.desk.shelf.taker import Taken
from aulmo.desk.shell.question import ask
from aulmo.desk.shell.stage import Desk
from aulmo.document import edits
from aulmo.prepare import arrange
from aulmo.prepare.carton import boards, make
from aulmo.shelf import own, props
from aulmo.shelf.things import Thing

LOOK = 4000  # ms between two looks at the files of tied props


class ShelfProps:
    """Words and deeds for each kind."""

    def __init__(self, desk: Desk) -> None:
        self.desk, self.session, self.picture = desk, desk.session, desk.picture
        self._said: set[tuple[str, bool]] = set()
        self._timer = QTimer(desk.window)
        self._timer.setInterval(LOOK)
        self._timer.timeout.connect(self.look)
        self.session.opened.connect(self._opened)
        self.session.closed.connect(self._timer.stop)

    def register(self) -> None:
        """Let the picture know, and the commands."""
        shelf, here = self.picture.shelf, ("Prepare", "Move")
        shelf["prop"] = Taken(lambda thing, at: (thing.name, "release stands it here, at its size"), self.take, here)
        for kind in ("model", "carton"):
            shelf[kind] = Taken(lambda thing, at: (thing.name, self.picture.file_words(Path(thing.path))), self.bring_in, here)
        shelf["board"] = Taken(self.board_words, self.take_board, here)
        tied = lambda: self.desk.working() and any(p.tied for p in self.session.document.props.values())  # noqa: E731
        self.desk.registry.add("props_changed", "Tied props that have changed…", "Parts", "", self.ask_about_changed, tied)
        keeping = getattr(self.desk.window, "keeping", None)
        if keeping is not None:
            keeping.tied = lambda thing: self.take(thing, None, True)

    # taking

    def take(self, thing: Thing, at: QPoint | None, tied: bool = False) -> None:
        """Stand a prop on what is seen at a point, or beside what there is."""
        session, path = self.session, Path(thing.path)
        point = self.picture.point_at(at) if at is not None else None
        document, assets = session.document, session.assets
        x, y, z = point.tolist() if point is not None else (0.0, 0.0, 0.0)
        place = (x, y, z) if point is not None else self._beside()

        def work(task: Any) -> tuple:
            task.tell(f"Reading {path.name}", 0.2)
            return props.load(path, thing.inside)

        def done(found: tuple) -> None:
            held, theirs = found
            if place is None and session.document is document and not document.parts:
                made, ids = props.taken_in(document, assets, held, theirs, path, tied=tied)
            else:
                made, ids = props.taken_in(session.document, assets, held, theirs, path, place, tied)
            if not made.shots:
                made = arrange.first_shot(made, assets)
            session.apply(f"Prop {thing.name}", made)
            session.select(ids)
            session.hint.emit(f"{thing.name} stands in the scene{', tied to the kept one' if tied else ''}")

        session.start_task(f"Reading {path.name}", work, done)

    def _beside(self) -> tuple[float, float, float] | None:
        """On the floor at the right of the product; None where there is nothing yet."""
        document = self.session.document
        box = arrange.product_bounds(document, self.session.assets) if document.parts else None
        if box is None:
            return None
        low, high = box
        return (float(high[0] + 0.25 * (high[0] - low[0]) + 20.0), float(0.5 * (low[1] + high[1])), document.floor.height)

    def bring_in(self, thing: Thing, at: QPoint | None) -> None:
        """A model or a flat drawing, as if it had been dropped as a file."""
        middle = QPoint(self.picture.width() // 2, self.picture.height() // 2)
        self.picture.files_dropped.emit([Path(thing.path)], at if at is not None else middle)

    # boards

    def _carton(self, at: QPoint | None) -> str | None:
        parts = self.session.document.parts
        held = [self.picture.part_at(at)] if at is not None else list(edits.leaves(self.session.document, self.session.selection))
        return next((i for i in held if i in parts and parts[i].carton is not None), None)

    def board_words(self, thing: Thing, at: QPoint) -> tuple[str, str]:
        """What the cursor says while a board is held."""
        part = self._carton(at)
        return thing.name, f"release makes {self.session.document.parts[part].name} of it" if part else "needs a carton"

    def take_board(self, thing: Thing, at: QPoint | None) -> None:
        """Make a carton of a board."""
        part, session = self._carton(at), self.session
        if part is None:
            session.hint.emit("A board needs a carton: drop it on one, or select one")
            return
        def run() -> None:
            board = boards.OURS[thing.name] if own.is_own(thing) else boards.read(Path(thing.path))
            session.apply(f"Board: {thing.name}", make.with_board(session.document, part, board))

        session.attempt(run)

    # tied ones

    def _opened(self) -> None:
        self._said = set()
        self._timer.start()

    def look(self) -> None:
        """Tell of tied props whose files hold something else now."""
        document = self.session.document
        if not any(p.tied for p in document.props.values()):
            return
        for found in props.changed_props(document):
            key = (document.props[found.prop].stamp, found.gone)
            if key not in self._said:
                self._said.add(key)
                words = "is no longer where it was kept" if found.gone else "has changed on the shelf"
                self.session.notice.emit(f"{found.name} {words}", "props_changed")

    def ask_about_changed(self) -> None:
        """Ask of each tied prop that has changed whether it is taken."""
        found = props.changed_props(self.session.document)
        if not found:
            self.session.hint.emit("All tied props are as they are kept")
        for one in found:
            path = self.session.document.props[one.prop].path
            if one.gone:
                text = f"{path} is gone, or cannot be read. What stands here stays as it is."
                if ask(self.desk.window, f"{one.name} is gone from the shelf", text, {"loose": "Untie it", "stay": "Leave it"}) == "loose":
                    self.session.apply(f"Untied {one.name}", props.tie(self.session.document, one.prop, False))
                continue
            text = f"{Path(path).name} holds something else than when it was taken. Taking it keeps its place and its name."
            answer = ask(self.desk.window, f"{one.name} has changed", text, {"take": "Take it", "keep": "Keep mine", "later": "Later"})
            if answer == "take":
                self.update(one.prop)
            elif answer == "keep":
                self.session.apply(f"Kept {one.name} as it is", props.passed_over(self.session.document, one.prop))

    def update(self, prop_id: str) -> None:
        """A tied prop as its file has it now."""
        session = self.session
        made = session.attempt(lambda: props.updated(session.document, session.assets, prop_id))
        if made is not None:
            session.apply(f"Brought {made.props[prop_id].name} up to date", made)
            session.select(made.props[prop_id].roots)
