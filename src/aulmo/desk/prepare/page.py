"""Prepare: name, place and size of what is selected; how finely it is tessellated; what the import decided."""

from msgspec.structs import replace
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QLabel, QLineEdit, QWidget

from aulmo.desk.shell.details import Page
from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.fields import NumberField, Section, SliderRow, button, label, length_unit, row
from aulmo.document import edits
from aulmo.document.quantity import show
from aulmo.document.records import Finesse
from aulmo.prepare import arrange
from aulmo.prepare.import_file import change_finesse


class PreparePage(Page):
    """Where a part is and how it is built."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.name = QLineEdit()
        self.name.setAccessibleName("Name")
        self.name.editingFinished.connect(self._rename)
        self.name_row = row("Name", self.name)
        self.body.addWidget(self.name_row)
        self.place = Section("Place")
        self.fields: dict[str, list[NumberField]] = {}
        for what, title, unit, low in (("position", "Position", "mm", -1e7), ("turn", "Turn", "°", -36000.0), ("scale", "Scale", "", -1e4)):
            fields = []
            for axis in range(3):
                field = NumberField(unit if what != "position" else "mm", low, -low, 3 if what == "scale" else 2)
                field.setAccessibleName(f"{title} {'xyz'[axis]}")
                field.bare = what == "position"  # three in a row: the unit stands in the label
                field.setStyleSheet("padding: 2px 3px;")
                field.edited.connect(lambda value, w=what, a=axis: self._placed(w, a, value))
                self.watch(field)
                fields.append(field)
            self.fields[what] = fields
            labelled = row(title, *fields)
            self.place.add(labelled)
            if what == "position":
                self._position_label = labelled.findChildren(QLabel)[0]
        tools = QWidget()
        line = QHBoxLayout(tools)
        line.setContentsMargins(9, 4, 0, 0)
        line.addWidget(button("Rest on floor", self._rest, tip="G"))
        line.addWidget(button("Centre", self._centre))
        line.addWidget(button("Handles", lambda: session.set_tool("" if session.tool == "handles" else "handles"), tip="T"))
        self.place.add(tools)
        self.body.addWidget(self.place)
        self.facts = Section("Size and triangles")
        self.size = label("")
        self.count = label("")
        self.facts.add(row("Size", self.size))
        self.facts.add(row("Triangles", self.count))
        self.body.addWidget(self.facts)
        self.finesse = Section("Finesse")
        self.chord = NumberField("mm", 1e-4, 100, 4)
        self.angle = NumberField("°", 1, 90, 1)
        self.chord.setAccessibleName("Gap")
        self.angle.setAccessibleName("Angle")
        for field in (self.chord, self.angle):
            self.watch(field)
            field.edited.connect(lambda _: self._retessellate())
            field.setFixedWidth(86)
        self.finesse.add(row("Gap", self.chord, tip="Largest distance between triangles and the exact shape"))
        self.finesse.add(row("Angle", self.angle, tip="Largest angle between neighbouring triangles"))
        self.exact = label("", wrap=True)
        self.exact.setContentsMargins(9, 0, 0, 0)
        self.finesse.add(self.exact)
        self.body.addWidget(self.finesse)
        self.edges = Section("Edges")
        self.edge_radius = SliderRow("Softened", 0, 2, "mm", 0.0, 3, curve=2, hard_high=1e4, tip="Sharp edges look rounded by this much; 0 is off")
        self.edge_radius.changed.connect(self._soften)
        self.edges.add(self.watch(self.edge_radius))
        self.body.addWidget(self.edges)
        self.states = Section("State")
        self.visible = QCheckBox("Visible")
        self.locked = QCheckBox("Locked")
        self.visible.clicked.connect(lambda on: self._set("Showed" if on else "Hid", visible=on))
        self.locked.clicked.connect(lambda on: self._set("Locked" if on else "Unlocked", locked=on))
        self.states.add(row("", self.visible, self.locked))
        self.body.addWidget(self.states)
        self.notes = Section("Choices made")
        self.note_text = label("", wrap=True)
        self.note_text.setContentsMargins(9, 0, 0, 0)
        self.notes.add(self.note_text)
        self.body.addWidget(self.notes)
        self.body.addStretch(1)

    def show_document(self) -> None:
        """Bring every row up to date."""
        document, chosen = self.session.document, self.session.selection
        one = document.parts[chosen[0]] if len(chosen) == 1 else None
        self.name_row.setVisible(one is not None)
        for section in (self.place, self.finesse, self.edges, self.states):
            section.setVisible(bool(chosen))
        self.facts.setVisible(bool(document.parts))
        self.notes.setVisible(not chosen and bool(document.notes))
        self.note_text.setText("\n".join("· " + n for n in document.notes))
        if not chosen:
            self.title.setText(document.name)
            self._show_facts(document.roots)
            return
        self.title.setText(one.name if one else f"{len(chosen)} parts")
        first = document.parts[chosen[0]]
        if one and not self.name.hasFocus():
            self.name.setText(one.name)
        for what, fields in self.fields.items():
            for axis, field in enumerate(fields):
                field.set_value(getattr(first.placement, what)[axis])
                field.setEnabled(one is not None and not first.locked)
        self._position_label.setText(f"Position {length_unit()[0]}")
        leaves = self._show_facts(chosen)
        exact = [document.parts[i] for i in leaves if document.parts[i].shape]
        self.chord.setEnabled(bool(exact))
        self.angle.setEnabled(bool(exact))
        finesse = exact[0].finesse if exact else Finesse()
        solid = edits.leaves(self.session.document, self.session.selection)
        self.edge_radius.set_value(self.session.document.parts[solid[0]].edge_radius if solid else 0.0)
        self.chord.set_value(finesse.chord_mm)
        self.angle.set_value(finesse.angle)
        self.exact.setVisible(not exact)
        self.exact.setText("" if exact else "Triangles only: this part came without an exact shape.")
        self.visible.setChecked(all(document.parts[i].visible for i in chosen))
        self.locked.setChecked(all(document.parts[i].locked for i in chosen))

    def _soften(self, radius: float, busy: bool) -> None:
        document = self.session.document
        parts = edits.leaves(document, self.session.selection)
        if parts:
            self.session.apply("Softened edges", edits.change_parts(document, parts, edge_radius=radius), self.merge("edges", busy))
            if not busy:
                self.session.history.end_merge()

    def _show_facts(self, part_ids) -> list[str]:
        document, assets = self.session.document, self.session.assets
        unit, factor = length_unit()
        size = arrange.size_of(document, assets, part_ids)
        self.size.setText(" × ".join(show(v / factor, "", 1 if factor == 1 else 2) for v in size) + f" {unit}")
        leaves = edits.leaves(document, part_ids)
        count = sum(len(assets.mesh(document.parts[i].mesh or "").triangles) for i in leaves)
        self.count.setText(f"{count:,}".replace(",", " ") + f" in {len(leaves)} parts")
        return leaves

    def _rename(self) -> None:
        chosen = self.session.selection
        name = self.name.text().strip()
        if len(chosen) == 1 and name and name != self.session.document.parts[chosen[0]].name:
            self.session.apply(f"Renamed to {name}", edits.change_part(self.session.document, chosen[0], name=name))

    def _placed(self, what: str, axis: int, value: float) -> None:
        chosen = self.session.selection
        if len(chosen) != 1:
            return
        part = self.session.document.parts[chosen[0]]
        if what == "scale" and abs(value) < 1e-6:
            self.session.trouble.emit("A part cannot be scaled to nothing.")
            self.show_document()
            return
        numbers = list(getattr(part.placement, what))
        numbers[axis] = value
        placement = replace(part.placement, **{what: tuple(numbers)})
        verb = {"position": "Moved", "turn": "Turned", "scale": "Scaled"}[what]
        self.session.apply(f"{verb} {part.name}", edits.place_parts(self.session.document, {part.id: placement}))

    def _rest(self) -> None:
        document = arrange.rest_on_floor(self.session.document, self.session.assets, self.session.selection)
        self.session.apply("Rested on the floor", document)

    def _centre(self) -> None:
        self.session.apply("Centred", arrange.centre(self.session.document, self.session.assets, self.session.selection))

    def _set(self, verb: str, **changes) -> None:
        chosen = self.session.selection
        names = self.session.document.parts[chosen[0]].name if len(chosen) == 1 else f"{len(chosen)} parts"
        self.session.apply(f"{verb} {names}", edits.change_parts(self.session.document, chosen, **changes))

    def _retessellate(self) -> None:
        chosen, wanted = self.session.selection, Finesse(self.chord.value(), self.angle.value())
        document, assets = self.session.document, self.session.assets

        def work(task):
            task.tell("Tessellating", 0.1)
            return change_finesse(document, assets, list(chosen), wanted)

        def done(result) -> None:
            fresh = {i: p for i, p in result.parts.items() if document.parts[i] is not p}
            now = self.session.document
            parts = {i: replace(p, mesh=fresh[i].mesh, finesse=wanted) if i in fresh else p for i, p in now.parts.items()}
            self.session.apply(f"Finesse {wanted.chord_mm:g} mm", replace(now, parts=parts))

        self.session.start_task("Tessellating", work, done)
