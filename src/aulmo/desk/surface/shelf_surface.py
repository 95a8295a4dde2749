"""What Surface does with things of the shelf: swatches, pictures, artwork, the project's colours."""

from pathlib import Path
from typing import Any

from msgspec.structs import replace
from PySide6.QtCore import QPoint

from aulmo.desk.picture.drops import drop_swatch, told
from aulmo.desk.shelf.taker import Taken, swatch_payload
from aulmo.desk.shell.stage import Desk
from aulmo.desk.surface.decal_tool import stick_at
from aulmo.document import edits
from aulmo.document.colours import FOLLOW
from aulmo.document.properties import get, put_many
from aulmo.document.records import Document
from aulmo.shelf import keeping
from aulmo.shelf.telling import DECAL
from aulmo.shelf.things import Thing


class ShelfSurface:
    """Words, tries and deeds for each kind."""

    def __init__(self, desk: Desk, drops: Any, decals: Any) -> None:
        self.desk, self.session, self.picture = desk, desk.session, desk.picture
        self.drops, self.decals = drops, decals

    def register(self) -> None:
        """Let the picture know."""
        shelf, here = self.picture.shelf, ("Surface",)
        shelf["swatch"] = Taken(lambda thing, at: (thing.name, "drop it on a part"), self.take_swatch, here)
        for kind in ("picture", "picture set", "film"):
            shelf[kind] = Taken(self.lay_words, self.lay, here)
        shelf["artwork"] = Taken(self.stick_words, self.stick, here)
        shelf["colour"] = Taken(self.colour_words, self.take_colour, ("Surface", "Light"), self.try_colour, lambda at: self._surface(at))

    def _surface(self, at: QPoint) -> str | None:
        part = self.picture.part_at(at)
        return self.picture.surface_at(at, part) if part in self.session.document.parts else None

    def take_swatch(self, thing: Thing, at: QPoint | None) -> None:
        """Dress what is selected."""
        targets = self.session.surfaces
        if not targets:
            self.session.hint.emit("Select a part first, or drag the swatch onto one")
            return
        drop_swatch(self.session, swatch_payload(thing), targets)

    # pictures

    def lay_words(self, thing: Thing, at: QPoint) -> tuple[str, str]:
        """What the cursor says while pictures are held."""
        surface = self._surface(at)
        return thing.name, f"release lays it on {told(self.session.document, [surface])}" if surface else "needs a part to lie on"

    def lay(self, thing: Thing, at: QPoint | None) -> None:
        """Offer the card of a picture, or a set, for what is under the cursor or selected."""
        surface = self._surface(at) if at is not None else None
        surfaces = [surface] if surface else self.session.surfaces if at is None else []
        if not surfaces:
            self.session.hint.emit("Drop a picture on a part, or select one first")
            return
        self.session.set_stage("Surface")
        middle = QPoint(self.picture.width() // 2, self.picture.height() // 3)
        self.drops.look_at([Path(f) for f in thing.files or (thing.path,)], surfaces, at if at is not None else middle)

    # artwork

    def stick_words(self, thing: Thing, at: QPoint) -> tuple[str, str]:
        """What the cursor says while artwork is held."""
        part = self.session.document.parts.get(self.picture.part_at(at) or "")
        decal = self.picture.decal_at(at)
        if decal and not thing.path.endswith(DECAL):
            return thing.name, f"release puts it in the place of {self.session.document.decals[decal].name}"
        if part is not None and part.carton is not None:
            return thing.name, f"release prints it over {part.name}"
        return thing.name, f"release sticks it on {part.name}" if part is not None else "needs a part to lie on"

    def stick(self, thing: Thing, at: QPoint | None) -> None:
        """A decal where it is dropped; taken in hand where it is not. A kept decal brings what it is made of and its size."""
        path, session = Path(thing.path), self.session
        if not path.name.endswith(DECAL):
            part = session.document.parts.get(self.picture.part_at(at) or "") if at is not None else None
            decal = self.picture.decal_at(at) if at is not None else ""
            if decal:
                self._exchange(decal, path)
            elif part is not None and part.carton is not None:
                self.picture.files_dropped.emit([path], at)
            elif at is not None:
                self.decals.drop_picture(path, at)
            else:
                session.set_stage("Surface")
                self.decals.take_picture(path)
            return
        found = session.attempt(lambda: keeping.decal_in(session.assets, path))
        if found is None:
            return
        decal = next(iter(found.decals.values()))
        fields = {
            name: getattr(decal, name) for name in decal.__struct_fields__
            if name not in ("id", "name", "parts", "position", "turn", "stood", "belongs", "frame", "group", "depth_mm", "material", "wrap",
                "radius_mm", "follows")
        }  # fmt: skip
        session.set_stage("Surface")
        if at is None:
            self.decals.stick.carry(thing.name, **fields)
            return
        if stick_at(self.picture, at, thing.name, fields) and decal.material in found.materials and session.decal is not None:
            material = replace(found.materials[decal.material], id=edits.new_id())
            document = edits.put_material(session.document, material)
            made = replace(document.decals[session.decal.id], material=material.id)
            session.apply(f"{thing.name} is made of {material.name}", replace(document, decals={**document.decals, made.id: made}))

    def _exchange(self, decal_id: str, path: Path) -> None:
        """Other artwork on a decal, as wide as it was."""
        fields = self.decals.picture_fields(path)
        if fields is not None:
            decal = replace(self.session.document.decals[decal_id], artwork="picture", picture=fields["picture"], file=fields["file"])
            decals = {**self.session.document.decals, decal_id: decal}
            self.session.apply(f"{path.stem} in the place of {decal.name}", replace(self.session.document, decals=decals))

    # colours

    def _addresses(self, at: QPoint | None) -> list[str]:
        """The colours that would follow: of the material under the cursor, or of what is selected."""
        session = self.session
        if at is None:
            if session.softbox is not None:
                return [f"environment/softboxes/{session.softbox.id}/colour"]
            if session.lamp is not None:
                return [f"lamps/{session.lamp.id}/colour"]
            if session.decal is not None:
                return [f"decals/{session.decal.id}/colour"]
            if session.subject == "backdrop":
                return ["backdrop/top", "backdrop/bottom"]
            surfaces = session.surfaces
        else:
            surface = self._surface(at)
            surfaces = [surface] if surface else []
        ids = dict.fromkeys(get(session.document, f"{s}/material") for s in surfaces)
        return [f"materials/{i}/surface/{self._main(i)}" for i in ids if i in session.document.materials]

    def _main(self, material_id: str) -> str:
        surface = self.session.document.materials[material_id].surface
        if surface.emission_luminance > 0:
            return "emission_color"
        return "transmission_color" if surface.transmission_weight > 0.5 else "base_color"

    def colour_words(self, thing: Thing, at: QPoint) -> tuple[str, str]:
        """What the cursor says while a colour of the project is held."""
        found = self._addresses(at)
        if not found:
            return thing.name, "needs a part that wears something"
        return thing.name, f"release lets {self.session.document.materials[found[0].split('/')[1]].name} follow it"

    def _following(self, thing: Thing, addresses: list[str]) -> Document | None:
        return put_many(self.session.document, {a: f"{FOLLOW}{thing.inside}" for a in addresses}) if addresses else None

    def try_colour(self, thing: Thing, at: QPoint) -> Document | None:
        """The document in which what is under the cursor has the colour."""
        return self._following(thing, self._addresses(at))

    def take_colour(self, thing: Thing, at: QPoint | None) -> None:
        """Let it follow."""
        session, addresses = self.session, self._addresses(at)
        if not addresses:
            session.hint.emit("Drop a colour on a part, or select what is to follow it")
            return
        made = session.attempt(lambda: self._following(thing, addresses))
        if made is not None:
            values = {a: f"{FOLLOW}{thing.inside}" for a in addresses if a.startswith("decals/")}
            if values:  # a decal shows its own colour alone when it is of one colour
                made = put_many(made, {a.rsplit("/", 1)[0] + "/colouring": "one" for a in values})
            session.apply(f"Follows {thing.name}", made)
