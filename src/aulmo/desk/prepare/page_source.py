"""Prepare, with nothing selected: what was decided for each file that was brought in, and deciding otherwise with one click."""

from pathlib import Path
from typing import Any, Callable

from PySide6.QtWidgets import QFrame, QHBoxLayout, QVBoxLayout, QWidget

from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.fields import Choice, Segments, button, label, row
from aulmo.document import edits
from aulmo.document.quantity import show
from aulmo.document.records import Document, Source
from aulmo.errors import BadFile
from aulmo.prepare import arrange, choices
from aulmo.prepare.import_file import import_file


class SourceChoices(QWidget):
    """The choices of one file."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.source: Source | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 6)
        layout.setSpacing(3)
        self.name = label("", "")
        self.name.setContentsMargins(9, 2, 0, 2)
        layout.addWidget(self.name)
        self.offer = QFrame()
        self.offer.setObjectName("card")
        inner = QVBoxLayout(self.offer)
        inner.setContentsMargins(8, 6, 8, 6)
        self.offer_words = label("", "", wrap=True)
        inner.addWidget(self.offer_words)
        line = QHBoxLayout()
        self.take = button("", self._take_offer, "main")
        self.keep = button("Keep the size", self._keep)
        line.addWidget(self.take)
        line.addWidget(self.keep)
        line.addStretch(1)
        inner.addLayout(line)
        layout.addWidget(self.offer)
        self.unit = Choice()
        self.unit.setAccessibleName("Unit of the file")
        self.unit.chosen.connect(self._set_unit)
        self.up = Segments({"x": "X", "y": "Y", "z": "Z"})
        self.up.chosen.connect(self._set_up)
        self.whole = Segments({"group": "A group", "one": "One part"})
        self.whole.chosen.connect(self._set_whole)
        self.colours = Segments({"made": "Materials", "plain": "Plain"})
        self.colours.chosen.connect(self._set_colours)
        layout.addWidget(row("Unit", self.unit, tip="What one of the file's numbers stands for"))
        layout.addWidget(row("Up", self.up, tip="Which of the file's axes points up"))
        self.whole_row = row("Several solids", self.whole, tip="A product of several solids comes in as a group of parts, or as one")
        layout.addWidget(self.whole_row)
        layout.addWidget(row("Colours", self.colours, tip="Colours become plastic, metal and clear plastic, or stay plain; what you changed stays"))

    def show_source(self, source: Source, titled: bool) -> None:
        """A file's choices as they are."""
        self.source = source
        self.name.setText(source.name)
        self.name.setVisible(titled)
        self.name.setToolTip(source.path)
        units = [(name[0].upper() + name[1:], value) for value, name in choices.UNITS.items()]
        if source.unit_mm not in choices.UNITS:
            units.append((choices.unit_name(source.unit_mm), source.unit_mm))
        self.unit.fill(units, source.unit_mm)
        self.up.set_value(source.up)
        self.whole_row.setVisible(source.solids > 0 or source.whole)
        self.whole.set_value("one" if source.whole else "group")
        self.colours.set_value("made" if source.dressed else "plain")
        self.offer.setVisible(source.offered > 0)
        if source.offered > 0:
            size = max(arrange.size_of(self.session.document, self.session.assets, source.roots))
            unit = choices.unit_name(source.offered)
            self.offer_words.setText(f"{show(size, 'mm', 2)} across is hardly a product. Are its numbers {unit}?")
            self.take.setText(f"Yes, {unit}")

    def _change(self, told: str, make: Callable[[Document], Document]) -> None:
        document = self.session.attempt(lambda: make(self.session.document))
        if document is not None:
            self.session.apply(told, document)

    def _set_up(self, up: str) -> None:
        source = self.source
        if source is not None and up != source.up:
            self._change(f"{up.upper()} is up in {source.name}", lambda d: choices.set_up(d, self.session.assets, source.id, up))

    def _set_colours(self, wanted: str) -> None:
        source = self.source
        if source is not None and (wanted == "made") != source.dressed:
            words = "made of something" if wanted == "made" else "plain"
            self._change(f"Colours of {source.name} {words}", lambda d: choices.set_dressed(d, source.id, wanted == "made"))

    def _keep(self) -> None:
        source = self.source
        if source is not None:
            self._change(f"Kept the size of {source.name}", lambda d: choices.keep_unit(d, source.id))

    def _take_offer(self) -> None:
        if self.source is not None:
            self._set_unit(self.source.offered)

    def _set_unit(self, unit_mm: Any) -> None:
        source, assets, base = self.source, self.session.assets, self.session.document
        if source is None or unit_mm == source.unit_mm:
            return
        self.session.start_task(
            f"Reading {source.name} in {choices.unit_name(unit_mm)}",
            lambda task: choices.set_unit(base, assets, source.id, unit_mm, task.tell),
            lambda made: self._replace(base, made, f"{source.name} in {choices.unit_name(unit_mm)}"),
        )

    def _replace(self, base: Document, made: Document, told: str) -> None:
        if self.session.document is not base:
            self.session.trouble.emit("The project changed meanwhile; nothing was done. Do it again.")
            return
        self.session.apply(told, made)
        self.session.set_view(None)

    def _set_whole(self, wanted: str) -> None:
        source, session = self.source, self.session
        if source is None or (wanted == "one") == source.whole:
            return
        base, assets = session.document, session.assets

        def work(task) -> Document:
            if not Path(source.path).is_file():
                raise BadFile(f"{source.path} is no longer there, and it has to be read again for that.")
            without = edits.delete_parts(base, source.roots)
            made = import_file(without, assets, Path(source.path), progress=task.tell, whole=wanted == "one", dressed=source.dressed)
            return edits.drop_unused_materials(made.document)

        words = "one part each" if wanted == "one" else "a group each"
        session.start_task(f"Reading {source.name}", work, lambda made: self._replace(base, made, f"Products of {source.name} are {words}"))
        self.whole.set_value("one" if source.whole else "group")
