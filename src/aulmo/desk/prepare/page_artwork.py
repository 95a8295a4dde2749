"""Prepare's page for a carton, the section for its artwork: files on front and back, what their plates do."""

import io
from pathlib import Path
from typing import Any

import numpy as np
from PySide6.QtCore import QSettings, Qt
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QColorDialog, QFileDialog, QPushButton

from aulmo.desk.prepare.bench_carton import CartonBench
from aulmo.desk.shell.details import Page
from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.fields import Choice, SliderRow, button, button_row, label, row
from aulmo.document.records import Carton, Document, Part
from aulmo.prepare.carton import artwork
from aulmo.prepare.carton.plates import FILES, ROLES

SIDES = ("front", "back")
RAISED = ("emboss", "deboss", "varnish")
SHOWN = 1600  # pixels of the artwork under the flat drawing


class ArtworkSection:
    """What is printed on a carton."""

    def __init__(self, page: Page, session: Session, bench: CartonBench) -> None:
        self.session, self.bench = session, bench
        self.part_id = ""
        self._busy = False
        self._image_of: tuple[Any, ...] = ()
        self.section = page.section("Artwork")
        self.files: dict[str, QPushButton] = {}
        self.rows: dict[str, SliderRow] = {}
        self.told: dict[str, Any] = {}
        for side in SIDES:
            chosen = QPushButton("None")
            chosen.setObjectName("flatChoice")
            chosen.setAccessibleName(f"Artwork on the {side}")
            chosen.setToolTip("Choose a file: PDF, SVG, PNG, TIFF; it is laid over the whole flat")
            chosen.clicked.connect(lambda _=False, s=side: self.choose(s))
            self.files[side] = chosen
            self.section.add(row(side.capitalize(), chosen))
            words = label("", wrap=True)
            words.setContentsMargins(9, 0, 0, 0)
            self.told[side] = words
            self.section.add(words)
            for role in RAISED:
                title = ROLES[role] if side == "front" else f"{ROLES[role]}, back"
                made = SliderRow(title, 0, 0.1 if role == "varnish" else 1, "mm", None, 3, 0, 10)
                made.trouble.connect(session.trouble)
                made.changed.connect(lambda value, busy, i=f"{side}-{role}": self._put_height(i, value, busy))
                self.rows[f"{side}-{role}"] = made
                self.section.add(made)
        self.plate = Choice()
        self.plate.setAccessibleName("Plate from a colour")
        self.plate.fill([("From a colour…", ""), *[(word, role) for role, word in ROLES.items() if role != "print"]], "")
        self.plate.chosen.connect(self._plate_chosen)
        self.plate_row = row("Plate", self.plate, tip="Wherever the print has a colour there is foil, relief or varnish")
        self.section.add(self.plate_row)
        self.move = QPushButton("Move on the flat")
        self.move.setObjectName("chip")
        self.move.setCheckable(True)
        self.move.setToolTip("Pull the artwork on the flat drawing")
        self.move.toggled.connect(self._move)
        self.off = button("Take off", self._take_off, "link", "The board is bare again")
        self.section.add(button_row(self.move, self.off))
        bench.view.artwork_moved.connect(self._moved)
        bench.view.dropped.connect(self._dropped)

    def show_part(self, part: Part | None) -> None:
        """What is printed on the carton that is selected."""
        carton = part.carton if part is not None else None
        self.section.setVisible(carton is not None)
        self.part_id = part.id if part is not None and carton is not None else ""
        if carton is None:
            self.bench.view.artwork = None
            return
        for side in SIDES:
            held = [p for p in carton.prints if p.side == side]
            files = list(dict.fromkeys(p.file for p in held))
            self.files[side].setText(self.files[side].fontMetrics().elidedText(", ".join(files) or "None", Qt.TextElideMode.ElideMiddle, 150))
            self.files[side].setToolTip(", ".join(files) or "Choose a file: PDF, SVG, PNG, TIFF; it is laid over the whole flat")
            extra = [ROLES[p.role].lower() for p in held if p.role not in RAISED]
            self.told[side].setText(" · ".join(extra))
            self.told[side].setVisible(len(extra) > 0)
            for role in RAISED:
                one = next((p for p in held if p.role == role), None)
                self.rows[f"{side}-{role}"].setVisible(one is not None)
                if one is not None:
                    self.rows[f"{side}-{role}"].set_value(one.mm)
        printed = any(p.role == "print" for p in carton.prints)
        for widget in (self.move, self.off):
            widget.setVisible(bool(carton.prints))
        self.plate_row.setVisible(printed)
        self._show_image(carton)

    def _show_image(self, carton: Carton) -> None:
        """The print under the drawing on the bench."""
        from PIL import Image

        held = next((p for p in carton.prints if p.role == "print" and p.side == "front" and p.plate), None)
        key = (held.plate if held is not None else None, carton.flat)
        if key == self._image_of:
            return
        self._image_of = key
        view = self.bench.view
        view.artwork = None
        if held is not None and held.plate is not None and view.flat is not None:
            picture = Image.open(io.BytesIO(self.session.assets.get(held.plate))).convert("RGBA")
            picture.thumbnail((SHOWN, SHOWN))
            pixels = np.ascontiguousarray(np.asarray(picture))
            image = QImage(pixels.data, picture.width, picture.height, 4 * picture.width, QImage.Format.Format_RGBA8888).copy()
            view.artwork = (image, view.flat.box)
        view.update()

    # deeds

    def _run(self, told: str, title: str, work) -> None:
        session = self.session
        base = session.document
        if self._busy or not self.part_id:
            return
        self._busy = True

        def done(made: Document) -> None:
            self._busy = False
            if session.document is base:
                session.apply(told, made)
            else:
                session.trouble.emit("The project changed meanwhile; nothing was printed. Do it again.")

        def failed(_: str) -> None:
            self._busy = False

        session.start_task(title, lambda task: work(base), done).failed.connect(failed)

    def choose(self, side: str) -> None:
        """Ask for a file of artwork."""
        kinds = f"Artwork ({' '.join('*' + e for e in FILES)})"
        name, _ = QFileDialog.getOpenFileName(self.section.window(), f"Artwork on the {side}", str(QSettings().value("folder", "")), kinds)
        if name:
            QSettings().setValue("folder", str(Path(name).parent))
            self.lay(Path(name), side)

    def lay(self, path: Path, side: str) -> None:
        """Print a file on a side."""
        part, assets = self.part_id, self.session.assets
        self._run(f"Printed {path.name}", f"Printing {path.name}", lambda base: artwork.print_carton(base, assets, part, path, side))

    def _dropped(self, files: list[Path]) -> None:
        wanted = [f for f in files if f.suffix.lower() in FILES]
        if wanted:
            self.lay(wanted[0], "front")
        elif files:
            self.session.trouble.emit(f"{files[0].name} is no artwork that can be printed.")

    def _put_height(self, print_id: str, value: float, busy: bool) -> None:
        session = self.session
        made = session.attempt(lambda: artwork.with_height(session.document, self.part_id, print_id, value))
        if made is not None:
            session.apply("Height of a plate", made, ("plate", print_id) if busy else None)

    def _plate_chosen(self, role: str) -> None:
        if not role:
            return
        self.plate.fill([("From a colour…", ""), *[(word, r) for r, word in ROLES.items() if r != "print"]], "")
        colour = QColorDialog.getColor(parent=self.section.window(), title=f"{ROLES[role]} wherever the print has this colour")
        if colour.isValid():
            rgb = (colour.red(), colour.green(), colour.blue())
            part, assets = self.part_id, self.session.assets
            self._run(f"{ROLES[role]} from a colour", "Making a plate", lambda base: artwork.plate_of_colour(base, assets, part, "front", role, rgb))

    def _move(self, on: bool) -> None:
        self.bench.view.moving = on

    def _moved(self, x: float, y: float) -> None:
        part, assets = self.part_id, self.session.assets
        self._run("Moved the artwork", "Printing", lambda base: artwork.moved_print(base, assets, part, "front", (x, y)))

    def _take_off(self) -> None:
        session = self.session
        document = session.document
        for side in SIDES:
            document = artwork.drop_print(document, self.part_id, side)
        session.apply("Took the artwork off", document)

