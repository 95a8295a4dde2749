"""A decal: what it shows, whose it is, where it lies and how large, how it stands out."""

from pathlib import Path

from msgspec.structs import replace
from PySide6.QtWidgets import QFileDialog, QFrame, QHBoxLayout, QVBoxLayout, QWidget

from aulmo.desk.shell import theme
from aulmo.desk.shell.bound import BoundSlider
from aulmo.desk.shell.details import Page
from aulmo.desk.shell.session import Session
from aulmo.desk.surface.decal_commands import PICTURES, DecalCommands
from aulmo.desk.surface.page_pictures import ADJUST_ROWS
from aulmo.desk.widgets.colour_field import ColourRow
from aulmo.desk.widgets.fields import Choice, Segments, button, label, row
from aulmo.document import edits
from aulmo.document.decals import lies_on, put_decal
from aulmo.document.quantity import counted
from aulmo.document.records import Decal, Swap
from aulmo.prepare import sticking
from aulmo.surface import artwork, swatches

OWN_INK = "Plain ink"


class DecalPage(Page):
    """Details of the decal that is selected."""

    def __init__(self, session: Session, commands: DecalCommands) -> None:
        super().__init__(session)
        self.commands = commands
        self._made = False

    def refresh(self) -> None:
        """Its rows are made when a decal is first looked at: a window without one opens the sooner."""
        if not self._made:
            self._made = True
            self._make_rows()
        super().refresh()

    def _make_rows(self) -> None:
        commands = self.commands
        card = QFrame()
        card.setObjectName("card")
        line = QHBoxLayout(card)
        line.setContentsMargins(8, 4, 6, 4)
        self.mark, self.whose = label("", ""), label("", "", wrap=True)
        line.addWidget(self.mark)
        line.addWidget(self.whose, 1)
        self.body.addWidget(card)
        self.belongs = Segments({"part": "This part", "alike": "Alike", "region": "Region"})
        self.belongs.chosen.connect(commands.give)
        self.body.addWidget(self.belongs)
        self.alike = self.add(None, "decals/{decal}/alike")
        self.slips = self.add(None, "decals/{decal}/slips")
        self.name = self.add(None, "decals/{decal}/name")
        self._add_artwork()
        self._add_place()
        self._add_surface()
        stands = self.section("Relief", "decal/Relief")
        for key in ("edge_mm", "raised_mm", "ground"):
            self.add(stands, f"decals/{{decal}}/{key}")
        self.adjust = self.section("Artwork’s colours", "decal/Adjust")
        for key in ADJUST_ROWS:
            self.add(self.adjust, f"decals/{{decal}}/adjust/{key}")
        self.body.addStretch(1)

    def _add_artwork(self) -> None:
        section = self.section("Artwork", "decal/Artwork")
        self.picture = button("", self._replace, "link", "Another picture in the same place")
        self.picture_row = section.add(row("Picture", self.picture))
        self.text = self.add(section, "decals/{decal}/text")
        self.shape = self.add(section, "decals/{decal}/shape")
        self.colouring = self.add(section, "decals/{decal}/colouring")
        self.colour = self.add(section, "decals/{grouped}/colour")
        self.swaps = QWidget()
        self._swap_rows = QVBoxLayout(self.swaps)
        self._swap_rows.setContentsMargins(0, 0, 0, 0)
        self._swap_rows.setSpacing(3)
        section.add(self.swaps)
        self.add(section, "decals/{decal}/opacity")
        turns = QWidget()
        line = QHBoxLayout(turns)
        line.setContentsMargins(9, 2, 0, 2)
        line.setSpacing(4)
        for text, tip, run in (
            ("↺", "Quarter turn to the left", lambda: self.commands.desk.registry.run("decal_left")),
            ("↻", "Quarter turn to the right", lambda: self.commands.desk.registry.run("decal_right")),
            ("⇋", "Mirror across", lambda: self.commands.change("Mirrored", lambda d: replace(d, flip_x=not d.flip_x))),
            ("⇅", "Upside down", lambda: self.commands.change("Turned over", lambda d: replace(d, flip_y=not d.flip_y))),
        ):
            line.addWidget(button(text, run, "small", tip))
        line.addStretch(1)
        section.add(turns)

    def _add_place(self) -> None:
        section = self.section("Place and size", "decal/Place")
        self.across = self.add(section, "decals/{decal}/width_mm")
        self.upward = self.add(section, "decals/{decal}/height_mm")
        for made, key in ((self.across, "width_mm"), (self.upward, "height_mm")):
            made.put = lambda value, busy=False, key=key: self._sized(key, value, busy)
        self.keep = self.add(section, "decals/{decal}/keep_shape")
        self.add(section, "decals/{decal}/position")
        self.add(section, "decals/{decal}/turn")
        self.add(section, "decals/{decal}/rotate")
        self.wrap = Segments({"flat": "Flat", "cylinder": "Cylinder", "ball": "Ball"})
        self.wrap.chosen.connect(self.commands.wrap)
        section.add(row("Lies", self.wrap))
        self.radius = self.add(section, "decals/{decal}/radius_mm")
        self.add(section, "decals/{decal}/depth_mm")
        self.add(section, "decals/{decal}/facing")
        deep = QWidget()
        line = QHBoxLayout(deep)
        line.setContentsMargins(9, 0, 0, 0)
        line.addWidget(button("Just deep enough", self.commands.just_deep, "link", "Covers the surface under it and no more"))
        line.addStretch(1)
        section.add(deep)
        self.beside = Choice()
        self.beside.setAccessibleName("Align to")
        self.beside.chosen.connect(self._align)
        self.aligned = Choice()
        self.aligned.setAccessibleName("What is aligned")
        self.aligned.fill([(text, how) for how, text in sticking.ALIGNED.items()], "middle")
        section.add(row("Align", self.aligned, self.beside, tip="Put its middle or an edge where another decal's is"))

    def _add_surface(self) -> None:
        section = self.section("Surface", "decal/Surface")
        self.material = Choice()
        self.material.setAccessibleName("Made of")
        self.material.chosen.connect(self._made_of)
        section.add(row("Made of", self.material, tip="Any swatch of the shelf, or a material of this project: ink, foil, chrome, varnish"))
        self.roughness = self.add(section, "decals/{decal}/roughness", kind=BoundSlider)
        self.within = Choice()
        self.within.setAccessibleName("Seen within")
        self.within.chosen.connect(self._framed)
        section.add(row("Seen within", self.within, tip="Only where another decal's artwork is"))
        self.add(section, "decals/{decal}/group", "Group")

    def decal(self) -> Decal | None:
        """The decal that is selected."""
        return self.commands.decal

    def show_document(self) -> None:
        """Whose it is, what it shows."""
        decal, document = self.decal(), self.session.document
        if decal is None:
            return
        self.title.setText(decal.name)
        t = theme.current()
        part = document.parts.get(decal.parts[0]) if decal.parts else None
        where = part.name if part is not None else "nothing"
        count = len(lies_on(document, decal))
        words = {"part": f"On {where}", "alike": f"On every part like {where}: {count}", "region": f"Across {counted(count, 'part')}, as they stood"}
        self.whose.setText(words[decal.belongs] if decal.belongs != "part" or count < 2 else f"On {where} and {counted(count - 1, 'piece')} of it")
        icon = {"part": "sticker", "alike": "copy", "region": "selection-all"}[decal.belongs]
        self.mark.setPixmap(theme.icon(icon, t.fine if decal.belongs == "part" else t.caution).pixmap(15, 15))
        self.belongs.set_value(decal.belongs)
        self.alike.set_visible(decal.belongs == "alike")
        self.slips.set_visible(decal.belongs == "region")
        self.picture_row.setVisible(decal.artwork == "picture")
        self.picture.setText(decal.file or "Choose…")
        self.text.set_visible(decal.artwork == "text")
        self.shape.set_visible(decal.artwork in ("shape", "surface"))
        self.colouring.set_visible(decal.artwork == "picture")
        self.colour.set_visible(decal.colouring == "one" and decal.artwork != "surface")
        self.adjust.setVisible(decal.artwork == "picture")
        self._show_swaps(decal)
        self.wrap.set_value(decal.wrap)
        self.radius.set_visible(decal.wrap != "flat")
        own = [("Nothing", None), *((d.name, d.id) for d in document.decals.values() if d.id != decal.id)]
        self.within.fill(own, decal.frame)
        self.beside.fill([("Choose…", None), *own[1:]], None)
        mine = [(m.name, m.id) for m in document.materials.values()]
        shelf = [(f"{name} (shelf)", f"swatch\n{name}") for _, name, _ in swatches.shelf()]
        self.material.fill([(OWN_INK, None), *mine, *shelf], decal.material)

    def _show_swaps(self, decal: Decal) -> None:
        on = decal.artwork == "picture" and decal.colouring == "swaps" and decal.picture is not None
        self.swaps.setVisible(on)
        if not on:
            return
        if not decal.swaps:
            pixels = self.session.attempt(lambda: artwork.pixels_of(replace(decal, colouring="artwork"), self.session.assets))
            found = artwork.main_colours(pixels) if pixels is not None else []
            if found:
                self.commands.change("Colours of", lambda d: replace(d, swaps=tuple(Swap(old=c, new=c) for c in found)))
            return
        while self._swap_rows.count() > len(decal.swaps):
            item = self._swap_rows.takeAt(self._swap_rows.count() - 1)
            gone = item.widget() if item is not None else None
            if gone is not None:
                gone.deleteLater()
        for k, swap in enumerate(decal.swaps):
            if k == self._swap_rows.count():
                made = ColourRow(f"Colour {k + 1}", swap.old)
                made.changed.connect(lambda colour, busy, k=k: self._swapped(k, colour, busy))
                made.trouble.connect(self.session.trouble)
                self._swap_rows.addWidget(made)
            held = self._swap_rows.itemAt(k)
            field = held.widget() if held is not None else None
            if isinstance(field, ColourRow):
                field.set_value(swap.new)

    def _swapped(self, number: int, colour, busy: bool) -> None:
        decal = self.decal()
        if decal is not None and number < len(decal.swaps):
            new = tuple(float(c) for c in colour)
            swaps = tuple(replace(s, new=new) if k == number else s for k, s in enumerate(decal.swaps))
            document = put_decal(self.session.document, replace(decal, swaps=swaps))
            self.session.apply(f"Colours of {decal.name}", document, ("swap", decal.id, number) if busy else None)

    def _sized(self, key: str, value: float, busy: bool) -> None:
        """A width takes the height along while the shape is kept, and the depth follows."""
        decal = self.decal()
        if decal is None:
            return
        values = {key: value}
        if decal.keep_shape:
            other = "height_mm" if key == "width_mm" else "width_mm"
            values[other] = getattr(decal, other) * value / getattr(decal, key)
        self.session.put({f"decals/{decal.id}/{k}": v for k, v in values.items()}, busy, f"Sized {decal.name}")

    def _replace(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Artwork", self.commands.desk.folder(), PICTURES)
        if name:
            self.replace_picture(Path(name))

    def replace_picture(self, path: Path) -> None:
        """Other artwork in the same place, as wide as the old one."""
        own = self.commands.picture_fields(path)
        decal = self.decal()
        if own is None or decal is None:
            return

        def changed(d: Decal) -> Decal:
            made = replace(d, picture=own["picture"], file=own["file"], swaps=())
            return replace(made, height_mm=made.width_mm * artwork.shape_of(made, self.session.assets)) if made.keep_shape else made

        self.commands.change("Artwork of", changed)

    def _made_of(self, material_id: str | None) -> None:
        decal, session = self.decal(), self.session
        if decal is None:
            return
        document = session.document
        if material_id is not None and material_id.startswith("swatch\n"):
            fresh = swatches.material(material_id.split("\n")[1])
            same = [m for m in document.materials.values() if m.name == fresh.name and m.surface == fresh.surface]
            material = same[0] if same else replace(fresh, name=edits.free_name(fresh.name, (m.name for m in document.materials.values())))
            document, material_id = edits.put_material(document, material), material.id
        document = put_decal(document, replace(decal, material=material_id))
        name = document.materials[material_id].name if material_id else OWN_INK
        session.apply(f"{decal.name} of {name}", edits.drop_unused_materials(document))

    def _framed(self, other: str | None) -> None:
        self.commands.change("Framed", lambda d: replace(d, frame=other))

    def _align(self, other: str | None) -> None:
        document = self.session.document
        if other is None or other not in document.decals:
            return
        how = self.aligned.currentData() or "middle"

        def aligned(d: Decal) -> Decal:
            return sticking.aligned(document, self.session.assets, d, document.decals[other], how)

        self.commands.change("Aligned", aligned)
