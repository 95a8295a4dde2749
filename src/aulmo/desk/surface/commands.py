"""Copying and pasting materials."""

from aulmo.desk.picture.drops import told
from aulmo.desk.shell.stage import Desk
from aulmo.document import edits


class SurfaceCommands:
    """The commands on materials."""

    def __init__(self, desk: Desk) -> None:
        self.session = desk.session
        chosen = lambda: desk.working() and bool(self.session.selection)  # noqa: E731
        desk.registry.add("copy", "Copy material", "Edit", "Ctrl+C", self.copy, chosen, break_before=True)
        desk.registry.add("paste", "Paste material", "Edit", "Ctrl+V", self.paste, chosen)

    def copy(self) -> None:
        """Remember the selection's material."""
        worn = self.session.material_id
        if worn:
            self.session.copied_material = worn
            self.session.hint.emit(f"Copied {self.session.document.materials[worn].name}")

    def paste(self) -> None:
        """Dress the selection in the remembered material."""
        session, worn = self.session, self.session.copied_material
        if worn not in session.document.materials:
            session.hint.emit("Copy a material first")
            return
        surfaces = session.surfaces
        document = edits.dress(session.document, surfaces, worn)
        session.apply(f"{session.document.materials[worn].name} on {told(document, surfaces)}", edits.drop_unused_materials(document))
