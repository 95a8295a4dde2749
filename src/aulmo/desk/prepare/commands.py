"""What can be done to the selected parts, lamp, camera or shot."""

from msgspec.structs import replace

from aulmo.desk.frame.bench import FrameBench
from aulmo.desk.picture.picture import Picture
from aulmo.desk.shell.hint_line import HintLine
from aulmo.desk.shell.session import Session
from aulmo.document import edits
from aulmo.prepare import arrange


class PartCommands:
    """The window's commands on a selection."""

    session: Session
    picture: Picture
    hint_line: HintLine
    frame_bench: FrameBench

    def _selected_name(self) -> str:
        chosen = self.session.selection
        return self.session.document.parts[chosen[0]].name if len(chosen) == 1 else f"{len(chosen)} parts"

    def _visible(self, on: bool) -> None:
        self.session.apply(f"Hid {self._selected_name()}", edits.change_parts(self.session.document, self.session.selection, visible=on))

    def show_all(self) -> None:
        """Every part visible again, nothing isolated."""
        hidden = [i for i, p in self.session.document.parts.items() if not p.visible]
        self._set_isolated(())
        if hidden:
            self.session.apply("Showed all", edits.change_parts(self.session.document, hidden, visible=True))

    def isolate(self) -> None:
        """Only the selection, or everything again. Never part of the document, so it cannot leak into a final."""
        self._set_isolated(() if self.session.isolated else self.session.selection)

    def _set_isolated(self, chosen: tuple[str, ...]) -> None:
        self.session.isolated = chosen
        self.picture.refresh()
        self.hint_line.refresh_facts()

    def rest_on_floor(self) -> None:
        """Lower or lift the selection onto the floor."""
        self.session.apply(
            f"Rested {self._selected_name()}", arrange.rest_on_floor(self.session.document, self.session.assets, self.session.selection)
        )

    def centre(self) -> None:
        """Centre the selection."""
        self.session.apply(f"Centred {self._selected_name()}", arrange.centre(self.session.document, self.session.assets, self.session.selection))

    def group(self) -> None:
        """Group siblings."""

        def run() -> None:
            document, group = edits.group_parts(self.session.document, list(self.session.selection), "Group")
            self.session.apply("Grouped", document)
            self.session.select([group])

        self.session.attempt(run)

    def duplicate(self) -> None:
        """The selected parts again, or the shot in Frame."""
        session = self.session
        if session.stage == "Frame" and session.lamp is None:
            self.frame_bench.duplicate()
            return
        if session.lamp is not None:
            names = (lamp.name for lamp in session.document.lamps.values())
            x, y, z = session.lamp.position
            copy = replace(session.lamp, id=edits.new_id(), name=edits.free_name(session.lamp.name, names), position=(x + session.lamp.width, y, z))
            session.change_lamp(f"Duplicated {session.lamp.name}", copy)
            session.select((), f"lamp:{copy.id}")
            return
        if not session.selection:
            return
        document, copies = edits.duplicate_parts(session.document, session.selection)
        session.apply(f"Duplicated {self._selected_name()}", document)
        session.select(copies)

    def delete(self) -> None:
        """The selected parts, camera or shot."""
        session = self.session
        if session.lamp is not None:
            session.apply(f"Deleted {session.lamp.name}", edits.delete_lamp(session.document, session.lamp.id))
        elif session.subject.startswith("camera:"):
            session.attempt(lambda: session.apply("Deleted the camera", edits.delete_camera(session.document, session.subject[7:])))
        elif session.selection:
            session.apply(f"Deleted {self._selected_name()}", edits.drop_unused_materials(edits.delete_parts(session.document, session.selection)))
        elif session.stage == "Frame":
            self.frame_bench.delete()

    def select_same_material(self) -> None:
        """Everything that wears the same material."""
        document = self.session.document
        worn = {document.parts[i].material for i in edits.leaves(document, self.session.selection)}
        self.session.select([i for i, p in document.parts.items() if p.mesh and p.material in worn])

    def select_same_shape(self) -> None:
        """Everything with the same mesh."""
        document = self.session.document
        shapes = {document.parts[i].mesh for i in edits.leaves(document, self.session.selection)}
        self.session.select([i for i, p in document.parts.items() if p.mesh in shapes])

    def copy_material(self) -> None:
        """Remember the selection's material."""
        leaves = edits.leaves(self.session.document, self.session.selection)
        worn = self.session.document.parts[leaves[0]].material if leaves else None
        if worn:
            self.session.copied_material = worn
            self.session.hint.emit(f"Copied {self.session.document.materials[worn].name}")

    def paste_material(self) -> None:
        """Dress the selection in the remembered material."""
        session, worn = self.session, self.session.copied_material
        if worn not in session.document.materials:
            session.hint.emit("Copy a material first")
            return
        document = edits.assign_material(session.document, session.selection, worn)
        session.apply(f"{session.document.materials[worn].name} on {self._selected_name()}", edits.drop_unused_materials(document))
