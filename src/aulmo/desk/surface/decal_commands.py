"""What is done with decals: put on, copied, moved in order, grouped, given to other parts."""

from pathlib import Path
from typing import Any

from msgspec.structs import replace
from PySide6.QtCore import QPoint, QSettings
from PySide6.QtWidgets import QFileDialog

from aulmo.desk.shell.stage import Desk
from aulmo.desk.surface.decal_tool import StickTool, quarter, stick_at
from aulmo.document import decals, edits
from aulmo.document.placement import world_matrix
from aulmo.document.records import Decal
from aulmo.prepare import sticking
from aulmo.surface.picture import ENDINGS
from aulmo.surface.picture_set import loaded

PICTURES = f"Pictures ({' '.join('*' + e for e in ENDINGS)})"
SEEN_SHARE = 0.12  # of the frame's height: how large artwork without a size begins


class DecalCommands:
    """The commands on decals."""

    def __init__(self, desk: Desk, stick: StickTool) -> None:
        self.desk, self.session, self.picture, self.stick = desk, desk.session, desk.picture, stick
        self.copied: Decal | None = None
        there = lambda: desk.working() and self.decal is not None  # noqa: E731
        desk.registry.handle("delete", there, self.delete)
        desk.registry.handle("duplicate", there, self.duplicate)
        desk.registry.handle("copy", there, self.copy)
        desk.registry.handle("paste", lambda: desk.working() and self.copied is not None and self.session.copied_material is None, self.paste)
        add = desk.registry.add
        add("decal_picture", "Put a picture on…", "Decal", "", self.choose_picture, desk.working)
        add("decal_text", "Put letters on", "Decal", "", lambda: self.take_text(), desk.working)
        add("decal_up", "Bring forward", "Decal", "Ctrl+]", lambda: self.raise_by(1), there, break_before=True)
        add("decal_down", "Send back", "Decal", "Ctrl+[", lambda: self.raise_by(-1), there)
        add("decal_left", "Quarter turn to the left", "Decal", "", lambda: self.change("Turned", lambda d: quarter(d, 1)), there, break_before=True)
        add("decal_right", "Quarter turn to the right", "Decal", "", lambda: self.change("Turned", lambda d: quarter(d, -1)), there)
        add("decal_depth", "Just deep enough", "Decal", "", self.just_deep, there, break_before=True)

    @property
    def decal(self) -> Decal | None:
        """The decal that is selected."""
        return self.session.decal

    # making

    def width_for(self, dpi_width: float = 0.0) -> float:
        """The width a new decal begins with: its true one, else what looks right in the frame."""
        if dpi_width:
            return dpi_width
        middle = self.picture.surroundings().middle
        return float(round(SEEN_SHARE * self.picture.frame_rect().height() * self.picture.mm_per_pixel(middle), 1)) or 20.0

    def choose_picture(self) -> None:
        """Ask for artwork, then take it in hand."""
        name, _ = QFileDialog.getOpenFileName(self.desk.window, "Artwork", str(QSettings().value("artwork", self.desk.folder())), PICTURES)
        if name:
            QSettings().setValue("artwork", str(Path(name).parent))
            self.take_picture(Path(name))

    def picture_fields(self, path: Path) -> dict[str, Any] | None:
        """What a decal of a picture file is made with; a sentence and None when it cannot be read."""
        found = self.session.attempt(lambda: loaded(self.session.assets, path))
        if found is None:
            return None
        asset, pixels = found
        return {"picture": asset, "file": path.name, "width_mm": self.width_for(pixels.width_mm)}

    def take_picture(self, path: Path) -> None:
        """Take a picture file in hand as a decal."""
        own = self.picture_fields(path)
        if own is not None:
            self.stick.carry(path.stem, **own)

    def drop_picture(self, path: Path, at: QPoint) -> None:
        """Put a picture file on what is seen at a point."""
        own = self.picture_fields(path)
        if own is not None and stick_at(self.picture, at, path.stem, own):
            self.session.set_stage("Surface")
            self.session.set_tool("decal")

    def take_text(self) -> None:
        """Take letters in hand."""
        self.stick.carry("Letters", artwork="text", text="Odrel", width_mm=self.width_for() * 1.6, colouring="one")

    def take_shape(self, shape: str, title: str) -> None:
        """Take a plain shape in hand."""
        side = self.width_for()
        self.stick.carry(title, artwork="shape", shape=shape, width_mm=side, height_mm=side, colouring="one", colour=(0.35, 0.04, 0.03))

    # changing

    def change(self, verb: str, how: Any) -> None:
        """Change the decal that is selected by a function."""
        decal = self.decal
        if decal is not None:
            self.session.attempt(lambda: self.session.apply(f"{verb} {decal.name}", decals.put_decal(self.session.document, how(decal))))

    def delete(self) -> None:
        """Take it off."""
        decal = self.decal
        if decal is not None:
            document = edits.drop_unused_materials(decals.delete_decals(self.session.document, [decal.id]))
            self.session.apply(f"Took off {decal.name}", document)

    def duplicate(self) -> None:
        """Once more, a little beside it."""
        decal = self.decal
        if decal is None:
            return
        name = edits.free_name(decal.name, (d.name for d in self.session.document.decals.values()))
        x, y, z = decal.position
        step = decals.axes_of(decal)[:3, 0] * 0.25 * decal.width_mm
        copy = replace(decal, id=edits.new_id(), name=name, position=(x + float(step[0]), y + float(step[1]), z + float(step[2])))
        self.session.apply(f"Duplicated {decal.name}", decals.put_decal(self.session.document, copy))
        self.session.select((), f"decals/{copy.id}")

    def copy(self) -> None:
        """Remember it."""
        self.copied, self.session.copied_material = self.decal, None
        if self.copied is not None:
            self.session.hint.emit(f"Copied {self.copied.name} · select another part and paste: it keeps its place there")

    def paste(self) -> None:
        """On the selected part at the same place of its own axes; on the part it came from when nothing else is selected."""
        session, copied = self.session, self.copied
        if copied is None:
            return
        targets = edits.leaves(session.document, session.selection) or [i for i in copied.parts if i in session.document.parts]
        if not targets:
            session.hint.emit("Select the part it goes on")
            return

        def run() -> None:
            document = session.document
            for part_id in targets:
                name = edits.free_name(copied.name, (d.name for d in document.decals.values()))
                made = replace(copied, id=edits.new_id(), name=name, parts=(part_id,), frame=None)
                if copied.belongs == "region":
                    own = sticking.belonging(document, session.assets, copied, "part") if copied.parts[0] in document.parts else copied
                    made = replace(own, id=made.id, name=name, parts=(part_id,), frame=None, stood=())
                elif (
                    part_id not in copied.parts and document.parts[part_id].mesh != document.parts.get(copied.parts[0], document.parts[part_id]).mesh
                ):
                    made = self._where_it_is(document, copied, made, part_id)
                document = decals.put_decal(document, made)
            session.apply(f"Pasted {copied.name}", document)
            session.select((), f"decals/{made.id}")

        session.attempt(run)

    def _where_it_is(self, document, copied: Decal, made: Decal, part_id: str) -> Decal:
        """On a part of another shape: at the place of that part's axes that is nearest to it."""
        there = world_matrix(document, part_id) @ decals.axes_of(copied)
        spot = sticking.spot_at(document, self.session.assets, part_id, there[:3, 3], there[:3, 2])
        return sticking.with_depth(document, self.session.assets, sticking.stick(document, self.session.assets, made, spot))

    def raise_by(self, steps: int) -> None:
        """Higher or lower among all decals."""
        decal, document = self.decal, self.session.document
        if decal is None:
            return
        at = max(0, list(document.decals).index(decal.id) + steps)
        others = [i for i in document.decals if i != decal.id]
        made = decals.moved_in_order(document, decal.id, others[at] if at < len(others) else None)
        if list(made.decals) != list(document.decals):
            self.session.apply(f"{decal.name} {'forward' if steps > 0 else 'back'}", made)

    def just_deep(self) -> None:
        """As deep as it has to be."""
        document, assets = self.session.document, self.session.assets
        self.change("Depth of", lambda d: sticking.with_depth(document, assets, d))

    def give(self, belongs: str) -> None:
        """Let it belong to a part, to every alike one, or to a region."""
        document, assets = self.session.document, self.session.assets
        words = {"part": "one part", "alike": "every alike part", "region": "a region"}[belongs]
        self.change(f"{words.capitalize()}:", lambda d: sticking.belonging(document, assets, d, belongs))

    def wrap(self, how: str) -> None:
        """Let it lie flat, round a cylinder, on a ball."""
        document, assets = self.session.document, self.session.assets
        self.change("Bent", lambda d: sticking.wrapped(document, assets, d, how))
