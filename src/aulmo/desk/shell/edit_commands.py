"""What is done to whatever is selected: duplicate, delete, group, select all. Stages answer for things of their own."""

from msgspec.structs import replace

from aulmo.desk.shell.commands import Registry
from aulmo.desk.shell.session import Session
from aulmo.document import edits


class EditCommands:
    """The commands on a selection of parts, lamps and cameras."""

    def __init__(self, session: Session, registry: Registry, working) -> None:
        self.session = session
        chosen = lambda: working() and bool(session.selection)  # noqa: E731
        lamp = lambda: working() and session.lamp is not None  # noqa: E731
        registry.handle("duplicate", lamp, self.duplicate_lamp)
        registry.handle("delete", lamp, self.delete_lamp)
        registry.handle("delete", lambda: working() and session.subject.startswith("cameras/"), self.delete_camera)
        registry.handle("delete", lambda: working() and session.face_set is not None, self.delete_face_set)
        registry.handle("delete", chosen, self.delete_parts)
        registry.add("group", "Group", "Edit", "Ctrl+G", self.group, chosen)
        registry.add("select_all", "Select all", "Edit", "Ctrl+A", lambda: session.select(session.document.roots), working, break_before=True)

    def group(self) -> None:
        """Group siblings."""

        def run() -> None:
            document, group = edits.group_parts(self.session.document, list(self.session.selection), "Group")
            self.session.apply("Grouped", document)
            self.session.select([group])

        self.session.attempt(run)

    def duplicate_parts(self) -> None:
        """The selected parts again, beside them."""
        session = self.session
        document, copies = edits.duplicate_parts(session.document, edits.topmost(session.document, session.selection))
        session.apply(f"Duplicated {session.selected_name()}", document)
        session.select(copies)

    def duplicate_lamp(self) -> None:
        """The selected lamp again, beside it."""
        session = self.session
        assert session.lamp is not None
        names = (lamp.name for lamp in session.document.lamps.values())
        x, y, z = session.lamp.position
        copy = replace(session.lamp, id=edits.new_id(), name=edits.free_name(session.lamp.name, names), position=(x + session.lamp.width, y, z))
        session.change_lamp(f"Duplicated {session.lamp.name}", copy)
        session.select((), f"lamps/{copy.id}")

    def delete_parts(self) -> None:
        """The selected parts and what hangs below them."""
        session = self.session
        session.apply(f"Deleted {session.selected_name()}", edits.drop_unused_materials(edits.delete_parts(session.document, session.selection)))

    def delete_face_set(self) -> None:
        """Take the face set away: its faces wear what the part's body wears."""
        session = self.session
        found, part_id = session.face_set, session.subject.split("/")[1]
        if found is not None:
            document = edits.drop_face_set(session.document, part_id, found.id)
            session.apply(f"Deleted {found.name} of {session.document.parts[part_id].name}", edits.drop_unused_materials(document))

    def delete_lamp(self) -> None:
        """The selected lamp."""
        session = self.session
        assert session.lamp is not None
        session.apply(f"Deleted {session.lamp.name}", edits.delete_lamp(session.document, session.lamp.id))

    def delete_camera(self) -> None:
        """The selected camera, when no shot needs it."""
        session = self.session
        session.attempt(lambda: session.apply("Deleted the camera", edits.delete_camera(session.document, session.subject[8:])))
