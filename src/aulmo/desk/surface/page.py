"""Surface: the material of what is selected, how many parts share it, and every parameter it has."""

from typing import Callable

from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QWidget

from aulmo.desk.shell import theme
from aulmo.desk.shell.bound import Bound, BoundSlider
from aulmo.desk.shell.details import Page
from aulmo.desk.shell.session import Session
from aulmo.desk.surface.commands import SurfaceCommands
from aulmo.desk.surface.on_top import DecalList
from aulmo.desk.surface.page_grain import GrainSection
from aulmo.desk.surface.page_pictures import LEADS, PicturesSection
from aulmo.desk.widgets.fields import Choice, Section, button, label, row
from aulmo.document import edits
from aulmo.document.decals import decals_on
from aulmo.document.node_table import source_of
from aulmo.document.properties import get
from aulmo.document.property_table import sections
from aulmo.document.quantity import counted
from aulmo.document.records import Material, Surface
from aulmo.surface import metals
from aulmo.surface.node_edits import label_of
from aulmo.surface.program import MULTIPLIED, RELIEF

SECTIONS = sections(Surface)
# What each kind of material is about; the other sections come folded after it
FIRST: dict[str, tuple[str, ...]] = {
    "": ("Body", "Shine", "Clear coat"),
    "Metal": ("Body", "Shine", "Thin film"),
    "Enamel & paint": ("Body", "Clear coat", "Shine"),
    "Plastic": ("Body", "Shine"),
    "Glass & liquid": ("Clear", "Shine", "Body"),
    "Wood & stone": ("Body", "Shine", "Clear coat"),
    "Wax & cloth": ("Below the surface", "Fuzz", "Body", "Shine"),
    "Glow": ("Glow", "Body"),
}  # fmt: skip


class LedRow(QWidget):
    """What leads a parameter, with its name as a link that goes there."""

    def __init__(self, title: str, go: Callable[[str], None]) -> None:
        super().__init__()
        self._go, self._node = go, ""
        self.link = button("", lambda: self._go(self._node), "link", "Go to what leads it")
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.addWidget(row(title, self.link))
        self.hide()

    def show_lead(self, material: Material, reference: str | None) -> None:
        """The node that a wire comes from; away without one."""
        node = next((n for n in material.nodes if reference is not None and n.id == source_of(reference)[0]), None)
        if self.isHidden() != (node is None):
            self.setVisible(node is not None)
        if node is not None:
            self._node = node.group or node.id
            self.link.setText(f"← {label_of(node)}")


class SurfacePage(Page):
    """One material."""

    def __init__(self, session: Session, commands: SurfaceCommands) -> None:
        super().__init__(session)
        self.shared = QFrame()
        self.shared.setObjectName("card")
        line = QHBoxLayout(self.shared)
        line.setContentsMargins(8, 3, 6, 3)
        self.mark = QLabel()
        self.shared_text = label("", "")
        line.addWidget(self.mark)
        line.addWidget(self.shared_text)
        line.addStretch(1)
        self.unique = button("Make unique", self._make_unique, "link")
        line.addWidget(self.unique)
        self.body.addWidget(self.shared)
        self.name = self.add(None, "materials/{material}/name")
        self.name.field.setAccessibleName("Material name")
        self.rows: dict[str, Bound] = {}
        self.leads: dict[str, LedRow] = {}
        self.sections: list[Section] = []
        self.metal = Choice()
        self.metal.setAccessibleName("Measured metal")
        self.metal.chosen.connect(self._measured)
        self.metal_row = row("Measured", self.metal, tip="Take the colour of a real metal from its optical constants")
        self.grain = GrainSection(session)
        self.pictures = PicturesSection(session, commands.move_lay, commands.fit)
        self.add_pictures = button("Add pictures…", commands.choose_pictures, "link", "A set of pictures, or one; or drop them on the part")
        self.on_top = Section("On top", "surface/On top")
        self.decals = DecalList(session, "On top of this part")
        self.on_top.add(self.decals)
        self.body.addWidget(self.on_top)
        self.body.addWidget(self.add_pictures, 0, Qt.AlignmentFlag.AlignLeft)
        self.body.addWidget(self.pictures)
        for title, parameters in SECTIONS.items():
            section = self.section(title, f"surface/{title}")
            self.sections.append(section)
            for key in parameters:
                kind = BoundSlider if key == "nesting_priority" else None
                self.rows[key] = self.add(section, f"materials/{{material}}/surface/{key}", kind=kind)
                self.leads[key] = LedRow(self.rows[key].title, self._go_to)
                section.add(self.leads[key])
                if key == "base_metalness":
                    section.add(self.metal_row)
            if title == "Body":
                self.body.addWidget(self.grain)
        self.relief_section = Section("Relief", "surface/Relief")
        self.relief = {key: LedRow(LEADS[key], self._go_to) for key in RELIEF}
        for lead in self.relief.values():
            self.relief_section.add(lead)
        self.body.addWidget(self.relief_section)
        self._kind = ""
        self.body.addStretch(1)
        self._worn: tuple | None = None
        self._metals = {metals.openpbr_colours(n)[0]: n for n in metals.names()}

    def show_document(self) -> None:
        """Whose material it is, what leads it."""
        session = self.session
        document = session.document
        material = document.materials.get(session.material_id or "")
        for widget in (*self.sections, self.shared, self.name.widget):
            if widget.isHidden() == (material is not None):
                widget.setVisible(material is not None)
        self.grain.show_material(material)
        self.pictures.show_material(material)
        leaves = edits.leaves(document, session.selection)
        lying = decals_on(document, leaves[0]) if document.decals and len(leaves) == 1 else []
        self.on_top.setVisible(bool(lying))
        self.decals.show_decals(lying, document)
        self.decals.setFixedHeight(42 * min(4, max(1, len(lying))) + 6)
        self.add_pictures.setVisible(material is not None)
        if material is None:
            self.relief_section.hide()
            self.title.setText("Click a part to see its material")
            return
        self.title.setText(material.name)
        if self._worn is None or self._worn[0] is not document.parts or self._worn[1] != material.id:  # parts are many, and change seldom
            self._worn = (document.parts, material.id, edits.wearers(document, material.id), edits.users_of(document, material.id))
        wearers, users = self._worn[2:]
        chosen = set(session.surfaces)
        shared = len(wearers) > 1
        t = theme.current()
        self.mark.setPixmap(theme.icon("link-simple" if shared else "check", t.caution if shared else t.fine).pixmap(15, 15))
        if shared:
            faces = sum("/face_sets/" in w for w in wearers)
            self.shared_text.setText(
                f"Shared by {counted(len(users), 'part')}" if not faces else f"On {counted(len(users), 'part')}, {counted(faces, 'face set')}"
            )
        else:
            only = "these faces" if wearers and "/face_sets/" in wearers[0] else "this part"
            self.shared_text.setText(f"Only on {only}" if users else "On no part")
        self.unique.setVisible(shared and bool(chosen) and not set(wearers) <= chosen)
        for key, made in self.rows.items():
            led = key in material.wires and key not in MULTIPLIED
            if made.widget.isHidden() != led:
                made.widget.setVisible(not led)
            self.leads[key].show_lead(material, material.wires.get(key))
        for key, lead in self.relief.items():
            lead.show_lead(material, material.wires.get(key))
        self.relief_section.setVisible(any(key in material.wires for key in self.relief))
        self._by_kind(material.kind)
        self.metal.fill([("None", None), *((n, n) for n in metals.names())], self._metals.get(tuple(material.surface.base_color)))

    def _go_to(self, node_id: str) -> None:
        """Turn the bench to the nodes, with the one that leads chosen."""
        material = self.session.document.materials.get(self.session.material_id or "")
        if material is not None:
            self.session.face_wanted.emit("Nodes")
            self.session.select(self.session.selection, f"nodes/{material.id}/{node_id}")

    def _by_kind(self, kind: str) -> None:
        """What this kind of material is about comes first and is open; the rest is folded after it, never missing."""
        if kind == self._kind:
            return
        self._kind = kind
        first = FIRST.get(kind, FIRST[""])
        titles = list(SECTIONS)
        start = min(self.body.indexOf(section) for section in (*self.sections, self.grain))  # whichever came first until now
        for section in (*self.sections, self.grain):
            self.body.removeWidget(section)
        order = [*first, *(t for t in titles if t not in first)]
        at = start
        for title in order:
            section = self.sections[titles.index(title)]
            self.body.insertWidget(at, section)
            section.turn_to(f"surface/{kind}/{title}", title in first)
            at += 1
            if title == first[0]:
                self.body.insertWidget(at, self.grain)
                at += 1

    def _measured(self, name: str | None) -> None:
        material_id = self.session.material_id
        if material_id is None or name is None:
            return
        base, edge = metals.openpbr_colours(name)
        document = edits.change_surface(self.session.document, material_id, base_color=base, specular_color=edge, base_metalness=1.0)
        self.session.apply(f"{name} on {self.session.document.materials[material_id].name}", document)

    def _make_unique(self) -> None:
        def run() -> None:
            session = self.session
            if session.subject == "floor":  # the floor gets a copy of its own
                material = session.document.materials[session.material_id or ""]
                name = edits.free_name(material.name, (m.name for m in session.document.materials.values()))
                copy = replace(material, id=edits.new_id(), name=name)
                session.apply("Made the material unique", edits.put_material(session.document, copy))
                session.put({"floor/material": copy.id})
                return
            worn = session.material_id
            surfaces = [s for s in session.surfaces if get(session.document, f"{s}/material") == worn]
            document, _ = edits.make_unique_on(session.document, surfaces)
            session.apply("Made the material unique", document)

        self.session.attempt(run)
