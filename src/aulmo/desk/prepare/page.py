"""Prepare: name, place and size of what is selected; how finely it is tessellated; what the import decided."""

from msgspec.structs import replace
from PySide6.QtWidgets import QHBoxLayout, QWidget

from aulmo.desk.prepare.bench_carton import CartonBench
from aulmo.desk.prepare.face_sets import FaceSets
from aulmo.desk.prepare.page_artwork import ArtworkSection
from aulmo.desk.prepare.page_carton import CartonSection
from aulmo.desk.prepare.page_made import CopiesSection, PieceSection
from aulmo.desk.prepare.page_source import SourceChoices
from aulmo.desk.shell.bound import number_field
from aulmo.desk.shell.details import Page
from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.fields import button, label, length_unit, row
from aulmo.document import edits
from aulmo.document.made.copies import with_copies
from aulmo.document.quantity import counted, grouped, show
from aulmo.document.records import Finesse
from aulmo.prepare import arrange
from aulmo.prepare.import_file import change_finesse

MOST_FILES = 12  # whose choices are listed, the latest


class PreparePage(Page):
    """Where a part is and how it is built."""

    def __init__(self, session: Session, rest, centre, run, bench: CartonBench) -> None:
        super().__init__(session)
        self.name = self.add(None, "parts/{part}/name")
        self.place = self.section("Place")
        self.position, self.turn, self.scale = (self.add(self.place, f"parts/{{part}}/placement/{w}") for w in ("position", "turn", "scale"))
        self.fields = {"position": self.position.fields, "turn": self.turn.fields, "scale": self.scale.fields}
        tools = QWidget()
        line = QHBoxLayout(tools)
        line.setContentsMargins(9, 4, 0, 0)
        line.addWidget(button("Rest on floor", rest, tip="G"))
        line.addWidget(button("Centre", centre))
        line.addWidget(button("Handles", lambda: session.toggle_tool("handles"), tip="T"))
        self.place.add(tools)
        self.set_piece = PieceSection(self)
        self.copies = CopiesSection(self, session, run)
        self.carton = CartonSection(self, session, bench)
        self.artwork = ArtworkSection(self, session, bench)
        self.facts = self.section("Size and triangles")
        self.size_text, self.count = label(""), label("")
        self.facts.add(row("Size", self.size_text))
        self.facts.add(row("Triangles", self.count))
        self.finesse = self.section("Finesse")
        self.chord, self.angle = (number_field(session, f"parts/x/finesse/{w}", t) for w, t in (("chord_mm", "Gap"), ("angle", "Angle")))
        for field, title in ((self.chord, "Gap"), (self.angle, "Angle")):
            field.edited.connect(lambda _: self._retessellate())
            field.setFixedWidth(86)
            self.finesse.add(row(title, field, tip=field.toolTip()))
        self.for_shots = button("For the shots’ size…", lambda: run("finesse_shot"), "", "As fine as the shots’ cameras can show, and no finer")
        self.finesse.add(row("", self.for_shots))
        self.exact = label("Triangles only: this part came without an exact shape.", wrap=True)
        self.exact.setContentsMargins(9, 0, 0, 0)
        self.finesse.add(self.exact)
        self.faces = self.section("Face sets")
        self.face_sets = FaceSets(session)
        self.faces.add(self.face_sets)
        self.edges = self.section("Edges")
        self.edge_radius = self.add(self.edges, "parts/{solids}/edge_radius")
        self.states = self.section("State")
        self.visible = self.add(self.states, "parts/{parts}/visible")
        self.locked = self.add(self.states, "parts/{parts}/locked")
        self.catches = self.add(self.states, "parts/{solids}/catches")
        self.gives_back = self.add(self.states, "parts/{solids}/gives_back")
        self.unseen = self.add(self.states, "parts/{parts}/unseen")
        self.notes = self.section("Choices made")
        self.note_text = label("", wrap=True)
        self.note_text.setContentsMargins(9, 0, 0, 0)
        self.notes.add(self.note_text)
        self.source_rows: list[SourceChoices] = []
        self.body.addStretch(1)
        self._counted: tuple = ()

    def show_document(self) -> None:
        """What is there, and what of it can be changed."""
        document, chosen = self.session.document, self.session.selection
        one = document.parts[chosen[0]] if len(chosen) == 1 else None
        self.name.set_visible(one is not None)
        self.set_piece.show_part(one)
        self.carton.show_part(one)
        self.artwork.show_part(one)
        self.copies.show_part(one)
        for section in (self.place, self.edges, self.states):
            section.setVisible(bool(chosen))
        self.facts.setVisible(bool(document.parts))
        self.notes.setVisible(not chosen and bool(document.notes or document.sources))
        self.note_text.setText("\n".join("· " + n for n in document.notes))
        self.faces.setVisible(one is not None and bool(one.face_sets))
        if one is not None and one.face_sets:
            self.face_sets.show_part(one)
        if not chosen:
            self._show_sources()
        self.title.setText(one.name if one else counted(len(chosen), "part") if chosen else document.name)
        self._show_facts(chosen or document.roots)
        shapes = [document.parts[i] for i in edits.leaves(document, chosen)]
        self.finesse.setVisible(any(p.set_piece is None and p.carton is None for p in shapes))
        if not chosen:
            return
        for field in (f for fields in self.fields.values() for f in fields):
            field.setEnabled(one is not None and not one.locked)
        self.position.label.setText(f"Position {length_unit()[0]}")
        exact = next((document.parts[i] for i in edits.leaves(document, chosen) if document.parts[i].shape), None)
        finesse = exact.finesse if exact else Finesse()
        for field, value in ((self.chord, finesse.chord_mm), (self.angle, finesse.angle)):
            field.setEnabled(exact is not None)
            field.set_value(value)
        self.exact.setVisible(exact is None)
        self.for_shots.setVisible(exact is not None)
        solids = edits.leaves(document, chosen)
        self.gives_back.set_visible(any(document.parts[i].catches != "nothing" for i in solids))

    def _show_sources(self) -> None:
        sources = list(self.session.document.sources.values())[-MOST_FILES:]
        while len(self.source_rows) < len(sources):
            made = SourceChoices(self.session)
            self.source_rows.append(made)
            self.notes.add(made)
        for made, source in zip(self.source_rows, sources):
            made.show_source(source, len(sources) > 1)
        for number, made in enumerate(self.source_rows):
            made.setVisible(number < len(sources))

    def _show_facts(self, part_ids) -> list[str]:
        document, assets = self.session.document, self.session.assets
        unit, factor = length_unit()
        if not (self._counted and self._counted[0] is document.parts and self._counted[1] == (part_ids, unit)):
            size = arrange.size_of(document, assets, part_ids)
            leaves = arrange.counted_parts(document, part_ids)
            parts = with_copies(document).parts
            count = sum(len(assets.mesh(parts[i].mesh or "").triangles) for i in leaves)
            self._counted = (document.parts, (part_ids, unit), leaves)
            self.size_text.setText(" × ".join(show(v / factor, "", 1 if factor == 1 else 2) for v in size) + f" {unit}")
            self.count.setText(f"{grouped(count)} in {counted(len(leaves), 'part')}")
        return self._counted[2]

    def _retessellate(self) -> None:
        chosen, wanted = self.session.selection, Finesse(self.chord.value(), self.angle.value())
        document, assets = self.session.document, self.session.assets

        def work(task):
            return change_finesse(document, assets, list(chosen), wanted, task.tell)

        def done(result) -> None:
            fresh = {i: p for i, p in result.parts.items() if document.parts[i] is not p}
            now = self.session.document
            parts = {i: replace(p, mesh=fresh[i].mesh, finesse=wanted) if i in fresh else p for i, p in now.parts.items()}
            self.session.apply(f"Finesse {wanted.chord_mm:g} mm", replace(now, parts=parts))

        self.session.start_task("Tessellating", work, done)
