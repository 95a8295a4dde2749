"""Finish's own page: what is worked on, the finish, the reference, presets, and the way out."""

from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QLineEdit

from aulmo.desk.finish.finish_desk import REFERENCES, FinishDesk
from aulmo.desk.finish.marks import FinishMarks
from aulmo.desk.shell.details import Page
from aulmo.desk.widgets.fields import Choice, button, button_row, label, row
from aulmo.document.property_table import TABLE
from aulmo.document.records import Finish

PICTURES = "Pictures (*.png *.jpg *.jpeg *.tif *.tiff *.webp *.exr *.hdr)"


class FinishPage(Page):
    """Nothing of the stack in hand."""

    def __init__(self, desk: FinishDesk, marks: FinishMarks, commands) -> None:
        super().__init__(desk.session)
        self.desk, self.marks, self.commands = desk, marks, commands
        source = self.section("Works on", "finish/source")
        self.source = label("", "quiet", True)
        self.source.setContentsMargins(9, 0, 0, 0)
        source.add(self.source)
        self.live = button("Live picture", desk.work_live, "link", "What is traced now, while lights are still moved")
        source.add(button_row(
            button("Last render", commands.open_last, "link", "The newest render of this shot"), button("A file…", self._choose_render, "link"),
            self.live,
        ))  # fmt: skip
        held = self.section("Finish", "finish/held")
        self.name = QLineEdit()
        self.name.setAccessibleName("Name of the finish")
        self.name.editingFinished.connect(self._renamed)
        held.add(row("Name", self.name))
        self.shared = Choice()
        self.shared.setAccessibleName("Finish of this shot")
        self.shared.chosen.connect(commands.share)
        held.add(row("This shot has", self.shared, tip="Shots may share a finish: a change then reaches all of them"))
        self.wearers = label("", "quiet", True)
        self.wearers.setContentsMargins(9, 0, 0, 0)
        held.add(self.wearers)
        self.view = Choice()
        self.view.setAccessibleName("Shown as")
        self.view.chosen.connect(lambda v: desk.change("Shown another way", view=v))
        held.add(row("Shown as", self.view, tip="How light becomes what a screen shows"))
        self.presets = Choice()
        self.presets.setAccessibleName("Presets")
        self.presets.chosen.connect(commands.take_preset)
        held.add(row("Presets", self.presets))
        self.nothing = button("Nothing done", commands.clear, "link", "The render as it is")
        keep = button("Keep as a preset", commands.save_preset, "link", "Its layers, under its name, for other projects")
        held.add(button_row(keep, self.nothing))
        other = self.section("Reference", "finish/reference")
        self.reference = label("", "quiet", True)
        self.reference.setContentsMargins(9, 0, 0, 0)
        other.add(self.reference)
        self.against = Choice()
        self.against.setAccessibleName("Held against the picture")
        self.against.chosen.connect(desk.hold_against)
        other.add(row("Held", self.against, tip="R goes from one to the next"))
        self.none = button("None", self._no_reference, "link")
        self.choose = button("Choose…", self._choose_reference, "link", "Or drop a picture on the picture; with Alt held it becomes a layer")
        other.add(button_row(
            self.choose, self.none,
            button("Compare places", lambda: self.session.toggle_tool("finish_pair"), "link", "Click here and there and see the difference"),
        ))  # fmt: skip
        out = self.section("Out", "finish/out")
        self.save = button("Save finished picture…", commands.export, "main")
        out.add(button_row(self.save))
        out.add(button_row(
            button("Before and after…", commands.export_both, "link", "Both side by side, as one PNG"),
            button("All shots…", commands.export_all, "link", "Every shot that has a render, into a folder"),
        ))  # fmt: skip
        out.add(button_row(button("Render finished", commands.render, "link", "Render this shot, lay the finish on, write the file: as one job")))
        self.body.addStretch(1)

    def _choose_render(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self.window(), "A render, or any picture", "", PICTURES)
        if path:
            self.desk.open_render(Path(path))

    def _choose_reference(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self.window(), "The reference", "", PICTURES)
        if path:
            self.desk.set_reference(Path(path))

    def _no_reference(self) -> None:
        if self.desk.finish.reference is not None:
            self.desk.hold_against("")
            self.desk.change("No reference", reference=None, reference_file="")

    def _renamed(self) -> None:
        name = self.name.text().strip()
        if name and self.desk.finish.id and name != self.desk.finish.name:
            self.desk.change(f"Renamed the finish {name}", name=name)

    def show_document(self) -> None:
        """Bring it up to date."""
        desk, document, finish = self.desk, self.session.document, self.desk.finish
        shot = self.session.shot
        self.title.setText(finish.name if finish.id else "Finish")
        if desk.path is not None and desk.whole is not None:
            h, w = desk.whole.alpha.shape
            self.source.setText(f"{desk.path.name} · {w} × {h}" + (f" · {len(desk.whole.groups)} lights" if desk.whole.groups else ""))
            self.source.setToolTip(str(desk.path))
        else:
            self.source.setText("The live picture" + ("" if self.desk.picture.traced else ", once it is traced (D)"))
        if not self.name.hasFocus():
            self.name.setText(finish.name if finish.id else "")
        self.name.setEnabled(bool(finish.id))
        self.shared.fill([("None yet" if not finish.id else "None", ""), *[(f.name, f.id) for f in document.finishes.values()]], finish.id)
        wearers = [s.name for s in document.shots if finish.id and s.finish == finish.id and shot is not None and s.id != shot.id]
        self.wearers.setText(f"Also of {', '.join(wearers)}: they change with it" if wearers else "")
        self.wearers.setVisible(bool(wearers))
        self.view.fill([(text, key) for key, text in TABLE[Finish]["view"].choices.items()], finish.view)
        self.presets.fill([("Choose one", ""), *[(n, n) for n in self.commands.presets()]], "")
        self.reference.setText(finish.reference_file or ("A picture" if finish.reference else "None"))
        self.against.fill([(text, key) for key, text in REFERENCES.items()], desk.against)
        self.save.setEnabled(desk.whole is not None)
        self.live.setEnabled(desk.path is not None)
        self.nothing.setEnabled(bool(finish.layers or finish.balance))
        self.none.setEnabled(finish.reference is not None)
