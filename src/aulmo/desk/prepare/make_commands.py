"""What makes parts of parts: set pieces, copies rules, paths, splitting and joining, finesse for a shot."""

from pathlib import Path
from typing import Any

from msgspec.structs import replace
from PySide6.QtCore import QSettings
from PySide6.QtWidgets import QFileDialog

from aulmo.desk.prepare.arrange_commands import plane_at
from aulmo.desk.shell.question import ask
from aulmo.desk.shell.stage import Desk
from aulmo.document import edits
from aulmo.document.property_table import COPY_KINDS, PIECE_KINDS
from aulmo.document.quantity import counted, grouped, show
from aulmo.document.records import Document
from aulmo.prepare import copying, cutting, fine_enough
from aulmo.prepare.import_file import change_each_finesse
from aulmo.prepare.path_files import DRAWINGS, read_paths
from aulmo.prepare.unwrap import SIDE, unwrap_parts


class MakeCommands:
    """The commands of Prepare's faces for the set, copies and cutting."""

    def __init__(self, desk: Desk, place_tool) -> None:
        self.desk, self.session, self.place_tool = desk, desk.session, place_tool
        s, add = desk.session, desk.registry.add
        chosen = lambda: desk.working() and bool(s.selection)  # noqa: E731
        one = lambda: desk.working() and len(s.selection) == 1  # noqa: E731
        for kind, name in PIECE_KINDS.items():
            add(f"piece_{kind}", name, "Set/Add piece", "", lambda k=kind: self.take_piece(k), desk.working)
        add("draw_path", "Draw a path", "Set", "", self.draw_path, desk.working, True)
        add("paths", "Paths from a drawing…", "Set", "", self.choose_drawing, desk.working)
        for kind, name in COPY_KINDS.items():
            add(f"copies_{kind}", f"Copies: {name.lower()}", "Arrange/Copies", "", lambda k=kind: self.make_copies(k), chosen, kind == "row", name)
        add("copies_centre", "Centre of the copies…", "Arrange", "", lambda: s.set_tool("centre"), lambda: bool(self._rule()))
        add("hide_copy", "Hide this copy", "Arrange", "", self.hide_copy, lambda: bool(desk.working() and s.copy))
        add("show_copies", "Show hidden copies", "Arrange", "", self.show_copies, lambda: bool(self._rule()))
        add("separate", "Make copies separate", "Arrange", "", self.separate, lambda: bool(self._rule()))
        add("pick_faces", "Pick faces", "Parts", "", lambda: s.toggle_tool("faces"), desk.working, True)
        add("split_faces", "Take picked faces off as a part", "Parts", "", self.split_faces, lambda: bool(desk.working() and s.picked[1]))
        add("dress_faces", "Make a face set of picked faces", "Parts", "", self.dress_faces, lambda: bool(desk.working() and s.picked[1]))
        add("split_loose", "Split into loose pieces", "Parts", "", self.split_connected, one)
        add("split_angle", "Split at sharp edges", "Parts", "", lambda: self.split_angle(30.0), one)
        add("join", "Join parts", "Parts", "", self.join, lambda: desk.working() and len(s.selection) > 0)
        add("finesse_shot", "Finesse for the shots’ size…", "Parts", "", self.finesse_for_shots, lambda: bool(desk.working() and s.document.parts))
        add("unwrap", "Unwrap", "Parts", "", self.unwrap, chosen)
        checker = lambda: s.set_stand_in("" if s.stand_in == "checker" else "checker")  # noqa: E731
        add("checker", "Checker by their coordinates", "Parts", "", checker, desk.working)
        desk.registry.handle("delete", lambda: desk.working() and s.subject.startswith("paths/"), self.delete_path)

    def unwrap(self) -> None:
        """Coordinates for pictures and painting that no two places of a part share."""
        session = self.session
        base, assets, chosen = session.document, session.assets, session.selection
        told = f"Unwrapped {session.selected_name()}"

        def done(found: tuple) -> None:
            document, made = found
            if session.document is not base:
                session.trouble.emit("The project changed meanwhile; nothing was unwrapped. Do it again.")
                return
            session.apply(told, document)
            pieces = sum(one.pieces for one in made)
            least = min(one.texels_per_mm for one in made)
            session.hint.emit(f"{counted(pieces, 'piece')}, {show(least, '', 1)} pixels to a mm in a picture of {SIDE}")
            session.set_stand_in("checker")

        session.start_task("Unwrapping", lambda task: unwrap_parts(base, assets, chosen, task.tell), done)

    # the set

    def take_piece(self, kind: str) -> None:
        """Take a set piece in hand."""
        if self.session.stage != "Prepare":
            self.session.set_stage("Prepare")
        self.place_tool.kind = kind
        self.session.set_tool("")
        self.session.set_tool("place")

    def draw_path(self) -> None:
        """Begin a new path."""
        self.session.select(())
        self.session.set_tool("")
        self.session.set_tool("path")

    def choose_drawing(self) -> None:
        """Ask for drawings."""
        names, _ = QFileDialog.getOpenFileNames(
            self.desk.window, "Paths from a drawing", self.desk.folder(), f"Drawings ({' '.join('*' + e for e in DRAWINGS)})"
        )
        if names:
            QSettings().setValue("folder", str(Path(names[0]).parent))
            self.read_drawings([Path(n) for n in names])

    def read_drawings(self, files: list[Path]) -> None:
        """Lines of drawings as paths on the floor."""
        session = self.session

        def done(made: list) -> None:
            document = session.document
            for path in made:
                free = edits.free_name(path.name, (p.name for p in document.paths.values()))
                document = edits.put_path(document, replace(path, name=free))
            session.apply(f"Read {counted(len(made), 'path')}", document)
            session.select((), f"paths/{made[0].id}")

        session.start_task(f"Reading {files[0].name}", lambda task: [p for f in files for p in read_paths(f)], done)

    def delete_path(self) -> None:
        """The selected path, when nothing stands along it."""
        session = self.session
        name = session.document.paths[session.subject[6:]].name
        session.attempt(lambda: session.apply(f"Deleted {name}", edits.delete_path(session.document, session.subject[6:])))

    # copies

    def _rule(self) -> str:
        """The group with a rule that is selected, or nothing."""
        s = self.session
        return next((i for i in s.selection if s.document.parts[i].copies is not None), "")

    def make_copies(self, kind: str) -> None:
        """A rule for the selection. Over a surface the last one chosen is what they lie on."""
        session = self.session
        chosen = list(session.selection)
        numbers: dict[str, Any] = {}
        if kind == "surface":
            if len(chosen) < 2:
                session.trouble.emit("Choose what is to be copied, and last, with Ctrl, the part that the copies are to lie on.")
                return
            numbers = {"on": (chosen[-1],), "count": 30, "steepest": 75.0}
            chosen = chosen[:-1]

        def run() -> None:
            document, group = copying.make_copies(session.document, chosen, kind, **numbers)
            session.apply(f"Made {document.parts[group].name}", document)
            session.select([group])
            session.face_wanted.emit("Copies")

        session.attempt(run)

    def hide_copy(self) -> None:
        """Leave the copy that was clicked out."""
        session = self.session
        if session.copy:
            session.apply(f"Hid a copy of {session.selected_name()}", copying.hide_copies(session.document, [session.copy]))

    def show_copies(self) -> None:
        """All copies again."""
        session, group = self.session, self._rule()
        rule = session.document.parts[group].copies
        if rule is not None and rule.hidden:
            session.put({f"parts/{group}/copies/hidden": ()}, told=f"Showed all of {session.selected_name()}")

    def separate(self) -> None:
        """Parts of their own."""
        session, group = self.session, self._rule()

        def run() -> None:
            document = copying.make_separate(session.document, group)
            session.apply(f"Made {session.document.parts[group].name} separate", document)
            session.select([group])

        session.attempt(run)

    # cutting

    def split_faces(self) -> None:
        """The picked faces as a part."""
        session = self.session
        part_id, faces = session.picked

        def run() -> None:
            document, made = cutting.split_by_faces(session.document, session.assets, part_id, faces)
            session.apply(f"Took {counted(len(faces), 'face')} off {session.document.parts[part_id].name}", document)
            session.pick_faces("", ())
            session.select([made])

        session.attempt(run)

    def dress_faces(self) -> None:
        """The picked faces as a face set, selected so that a swatch can be dropped on it."""
        session = self.session
        part_id, faces = session.picked

        def run() -> None:
            document, made = cutting.dress_faces(session.document, session.assets, part_id, faces)
            session.apply(f"Face set of {session.document.parts[part_id].name}", document)
            session.pick_faces("", ())
            session.select([part_id], f"parts/{part_id}/face_sets/{made}")

        session.attempt(run)

    def _split(self, told: str, make) -> None:
        session = self.session
        if len(session.selection) != 1:
            session.trouble.emit("Choose one part to split.")
            return
        part_id = session.selection[0]

        def run() -> None:
            document, made = make(session.document, part_id)
            session.apply(f"{told} {session.document.parts[part_id].name}", document)
            session.select([part_id, *([made] if isinstance(made, str) else made)])

        session.attempt(run)

    def split_connected(self) -> None:
        """Into what hangs together."""
        self._split("Took apart", lambda d, i: cutting.split_connected(d, self.session.assets, i))

    def split_angle(self, angle: float) -> None:
        """At edges sharper than an angle."""
        self._split("Split", lambda d, i: cutting.split_by_angle(d, self.session.assets, i, angle))

    def split_plane(self, axis: str) -> None:
        """In two, by a plane through the pivot."""
        s = self.session
        self._split("Cut", lambda d, i: cutting.split_by_plane(d, s.assets, i, *plane_at(s.resolved, s.assets, i, axis)))

    def join(self) -> None:
        """One part of those chosen."""
        session = self.session
        base, chosen = session.document, list(session.selection)
        leaves = edits.leaves(base, chosen)
        if any(base.parts[i].shape is None for i in leaves) or len(leaves) < 2:
            session.attempt(lambda: self._joined(base, cutting.join_parts(base, session.assets, chosen)))
            return
        session.start_task(
            "Joining parts", lambda task: cutting.join_parts(base, session.assets, chosen, task.tell), lambda made: self._joined(base, made)
        )

    def _joined(self, base: Document, made: tuple[Document, str]) -> None:
        session = self.session
        if session.document is not base:
            session.trouble.emit("The project changed meanwhile; nothing was done. Do it again.")
            return
        session.apply(f"Joined {made[0].parts[made[1]].name}", made[0])
        session.select([made[1]])

    # finesse

    def finesse_for_shots(self) -> None:
        """As fine as the shots' cameras can show; what it costs is told before."""
        session = self.session
        base, assets, chosen = session.document, session.assets, list(session.selection or session.document.roots)
        wanted = session.attempt(lambda: fine_enough.for_shots(base, assets, chosen, base.shots))
        if wanted is None:
            return
        before = fine_enough.triangles(base, assets, chosen)

        def done(made: Document) -> None:
            after = fine_enough.triangles(made, assets, chosen)
            lowest, highest = min(f.chord_mm for f in wanted.values()), max(f.chord_mm for f in wanted.values())
            gap = f"{lowest:.3g} mm" if lowest == highest else f"{lowest:.3g} to {highest:.3g} mm"
            words = f"Gaps of {gap} are below a third of a pixel in every shot. That takes {grouped(after)} triangles instead of {grouped(before)}."
            if ask(self.desk.window, "Finesse for the shots’ size", words, {"take": "Take it", "leave": "Leave it"}) == "take":
                if session.document is not base:
                    session.trouble.emit("The project changed meanwhile; nothing was done. Do it again.")
                    return
                session.apply("Finesse for the shots’ size", made)

        session.start_task("Tessellating", lambda task: change_each_finesse(base, assets, wanted, task.tell), done)
