"""What is done with materials: copied and pasted; their pictures chosen, moved on the picture, fitted."""

from pathlib import Path

import numpy as np
from PySide6.QtCore import QPoint, QSettings
from PySide6.QtWidgets import QFileDialog

from aulmo.desk.picture.drops import told
from aulmo.desk.shell.stage import Desk
from aulmo.desk.surface.decal_commands import PICTURES
from aulmo.desk.surface.lay_tool import LayTool
from aulmo.desk.surface.picture_drops import PictureDrops
from aulmo.desk.surface.set_card import SetCard
from aulmo.document import edits
from aulmo.errors import BadValue
from aulmo.prepare.faces import faces_of_asset
from aulmo.prepare.roundness import bend_at
from aulmo.surface import laying


class SurfaceCommands:
    """The commands on materials. `card` and `drops` are what the stage is built with."""

    card: SetCard
    drops: PictureDrops

    def __init__(self, desk: Desk, lay: LayTool) -> None:
        self.desk, self.session, self.lay = desk, desk.session, lay
        desk.session.selection_changed.connect(self._hold)
        desk.session.stage_changed.connect(lambda _: self._hold())
        desk.session.changed.connect(lambda old, new: old.decals is not new.decals and self._hold())
        chosen = lambda: desk.working() and bool(self.session.selection)  # noqa: E731
        desk.registry.handle("copy", chosen, self.copy)
        desk.registry.handle("paste", lambda: chosen() and self.session.copied_material is not None, self.paste)

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

    def _hold(self) -> None:
        """A decal that is selected is in the hand."""
        session = self.session
        chosen = session.stage == "Surface" and session.decal is not None
        if chosen and session.tool in ("", "stick", "lay", "handles"):
            session.set_tool("decal")
        elif not chosen and session.tool == "decal":
            session.set_tool("")

    # pictures of the material

    def choose_pictures(self) -> None:
        """Ask for pictures for what is selected, then offer the card."""
        surfaces = self.session.surfaces
        if not surfaces:
            self.session.hint.emit("Select a part first, or drop pictures on one")
            return
        start = str(QSettings().value("artwork", self.desk.folder()))
        names, _ = QFileDialog.getOpenFileNames(self.desk.window, "Pictures of one set", start, PICTURES)
        if names:
            QSettings().setValue("artwork", str(Path(names[0]).parent))
            picture = self.desk.picture
            at = picture.screen_point(surfaces[0].split("/")[1]) or QPoint(picture.width() // 2, picture.height() // 2)
            self.drops.look_at([Path(n) for n in names], surfaces[:1], at)

    def move_lay(self, lay_id: str) -> None:
        """Take a lay in hand, or put it away."""
        again = self.session.tool == "lay" and self.lay.lay_id == lay_id
        self.session.set_tool("")
        if not again:
            self.lay.lay_id = lay_id
            self.session.set_tool("lay")

    def fit(self, lay_id: str, to: str, along: str) -> None:
        """Fit a lay to the part, its group, the selection, or the face that is picked."""
        session = self.session
        material_id = session.material_id

        def run() -> None:
            if material_id is None:
                raise BadValue("Select a part that wears the picture.")
            document = session.document
            lay = next(one for one in document.materials[material_id].lays if one.id == lay_id)
            parts = edits.leaves(document, session.selection) or edits.users_of(document, material_id)
            if to == "face":
                made = self._round_face(lay)
            else:
                if to == "part":
                    parts = parts[:1]
                elif to == "group" and parts:
                    above = document.parts[parts[0]].parent
                    parts = [above] if above is not None else list(document.roots)
                made = laying.fitted(document, session.assets, lay, parts, along)
            session.apply("Fitted the picture", laying.put_lay(document, material_id, made))

        session.attempt(run)

    def _round_face(self, lay):
        """A lay round the axis of the cylinder that is picked."""
        session = self.session
        part_id, faces = session.picked
        if not part_id:
            raise BadValue("Pick a round face first: on Prepare's Cut bench, click one.")
        name = session.document.parts[part_id].mesh or ""
        mesh = faces_of_asset(session.assets, name).counted
        triangle = int(np.flatnonzero(np.isin(mesh.faces, faces))[0])
        corners = mesh.triangles[triangle].astype(int)
        normal = mesh.normals[corners[0]].astype(float)
        bend = bend_at(mesh, triangle, mesh.vertices[corners[0]].astype(float), normal, 1e9)
        if not np.isfinite(bend.radius):
            raise BadValue("That face is flat: it has no axis.")
        return laying.round_axis(lay, bend.centre, bend.other_way, bend.radius)
