"""Prepare's page for a carton: its drawing, how it is folded, its board."""

from typing import Any

import numpy as np
from msgspec.structs import replace
from PySide6.QtWidgets import QLineEdit

from aulmo.desk.prepare.bench_carton import CartonBench
from aulmo.desk.shell.bound import BoundSlider
from aulmo.desk.shell.details import Page
from aulmo.desk.shell.question import ask_text
from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.fields import Choice, NumberField, SliderRow, button, button_row, label, row
from aulmo.document.flat import flat_of
from aulmo.document.made import carton as folding
from aulmo.document.quantity import counted, show
from aulmo.document.records import Carton, Document, Part
from aulmo.prepare.carton import boards, make
from aulmo.prepare.carton.meeting import meetings
from aulmo.prepare.carton.order import find_order

MOST_GROUPS = 14


class CartonSection:
    """The sections of a carton; they follow the panel that is chosen on the bench."""

    def __init__(self, page: Page, session: Session, bench: CartonBench) -> None:
        self.session, self.bench = session, bench
        self.part_id = ""
        self._told_of: tuple[Any, ...] = ()
        self.drawing = page.section("Drawing")
        self.file, self.scale = label(""), label("")
        self.front = Choice()
        self.front.setAccessibleName("Front")
        self.front.chosen.connect(self._put_front)
        self.drawing.add(row("File", self.file))
        self.drawing.add(row("Scale", self.scale))
        self.drawing.add(row("Front", self.front))
        self.rests = page.add(self.drawing, "parts/{part}/carton/rests")
        self.form = Choice()
        self.form.setAccessibleName("Form")
        self.form.chosen.connect(lambda form: self._apply("Form", lambda: make.as_form(self.session.document, self.part_id, form)))
        self.drawing.add(row("Form", self.form))
        self.rise = page.add(self.drawing, "parts/{part}/carton/rise", kind=BoundSlider)
        self.fullness = page.add(self.drawing, "parts/{part}/carton/fullness", kind=BoundSlider)
        self.seals = page.add(self.drawing, "parts/{part}/carton/seals")
        self.fold = page.section("Fold")
        self.all = page.add(self.fold, "parts/{part}/carton/folded", kind=BoundSlider)
        self.groups: list[SliderRow] = []
        for number in range(MOST_GROUPS):
            made = SliderRow("", 0, 180, "°", None, 1, -180, 180)
            made.trouble.connect(session.trouble)
            made.changed.connect(lambda value, busy, k=number: self._put_group(k, value, busy))
            self.groups.append(made)
            self.fold.add(made)
        self.single = SliderRow("This crease", 0, 180, "°", None, 1, -180, 180, tip="The crease that the chosen panel hangs on")
        self.single.trouble.connect(session.trouble)
        self.single.changed.connect(self._put_single)
        self.fold.add(self.single)
        self.steps = QLineEdit()
        self.steps.setAccessibleName("Steps")
        self.steps.setToolTip("Groups in the order in which they fold; those joined by + fold together")
        self.steps.editingFinished.connect(self._put_steps)
        self.fold.add(row("Steps", self.steps))
        self.told = label("", wrap=True)
        self.told.setContentsMargins(9, 0, 0, 2)
        self.fold.add(self.told)
        self.fold.add(button_row(button("Find an order", self.find_order, "", "Steps in which no panel passes through another")))
        self.board = page.section("Board")
        self.boards = Choice()
        self.boards.setAccessibleName("Board")
        self.boards.chosen.connect(self._put_board)
        self.board.add(row("Board", self.boards))
        self.thickness = page.add(self.board, "parts/{part}/carton/thickness")
        self.weight = NumberField("g/m²", 1, 20000, 0)
        self.weight.setAccessibleName("Weight")
        self.weight.setFixedWidth(86)
        self.weight.edited.connect(self._put_weight)
        self.weight.trouble.connect(session.trouble)
        self.board.add(row("Weight", self.weight, tip="The thickness follows from it, by the density of the board"))
        self.fluted = page.add(self.board, "parts/{part}/carton/fluted")
        self.pitch = page.add(self.board, "parts/{part}/carton/pitch_mm")
        self.film = SliderRow("Film in windows", 0, 0.3, "mm", 0.0, 3, 0, 5, tip="Clear film behind what is cut out; 0 leaves it open")
        self.film.trouble.connect(session.trouble)
        self.film.changed.connect(self._put_film)
        self.board.add(self.film)
        self.board.add(button_row(button("Keep this board…", self.keep_board, "", "On your own list of boards, with its materials")))
        self.sections = (self.drawing, self.fold, self.board)
        bench.panel_changed.connect(page.refresh)

    def show_part(self, part: Part | None) -> None:
        """Rows of what is selected."""
        carton = part.carton if part is not None else None
        for section in self.sections:
            section.setVisible(carton is not None)
        if carton is None or part is None:
            self.part_id = ""
            return
        self.part_id = part.id
        flat = flat_of(carton.flat)
        self.file.setText(carton.file)
        self.file.setToolTip(carton.file)
        left, bottom, right, top = flat.box
        self.scale.setText(f"1 : 1 · {flat.scale}" if len(flat.scale) < 6 else flat.scale)
        self.front.fill([(name, k) for k, name in enumerate(carton.names)], carton.front)
        self.form.fill([("Folded", "folded"), ("Round a body", "round"), ("A pouch", "pouch")], carton.form)
        self.fold.setVisible(carton.form == "folded")
        self.rests.set_visible(carton.form == "folded")
        self.rise.set_visible(carton.form == "round")
        self.fullness.set_visible(carton.form == "pouch")
        self.seals.set_visible(carton.form == "pouch")
        groups = self._group_names(carton)
        for number, made in enumerate(self.groups):
            made.setVisible(number < len(groups))
            if number < len(groups):
                made.set_title(groups[number])
                made.set_value(next(c.angle for c in carton.creases if c.group == groups[number]))
        crease = self._crease(carton)
        self.single.setVisible(crease is not None)
        if crease is not None:
            self.single.set_value(crease.angle)
        if not self.steps.hasFocus():
            self.steps.setText(" · ".join(" + ".join(step) for step in make.steps_of(carton)))
            self.steps.setCursorPosition(0)
        names = list(boards.boards())
        self.boards.fill([(n, n) for n in dict.fromkeys([*names, carton.board]) if n], carton.board)
        self.weight.set_value(carton.weight)
        self.pitch.set_visible(carton.fluted != "no")
        self.film.setVisible(bool(flat.windows))
        self.film.set_value(carton.film_mm)
        self._tell(carton)

    def _tell(self, carton: Carton) -> None:
        """What goes into what when it is closed."""
        fold = folding.fold_of(carton)
        key = (fold.flat, fold.front, fold.thickness, fold.closed)
        if self._told_of == key:
            return
        self._told_of = key
        made = folding.ready_of(carton)
        shifts = folding.shifts_of(*key)
        met = meetings(made, folding.placed(made, np.array(fold.closed), shifts), 0.3)
        steps = len(make.steps_of(carton))
        if met:
            one = met[0]
            more = f", and {len(met) - 1} more" if len(met) > 1 else ""
            a, b = (carton.names[p] for p in one.panels)
            self.told.setText(f"{counted(steps, 'step')} · closed, {a} goes {show(one.depth_mm, 'mm', 2)} into {b}{more}")
        else:
            self.told.setText(f"{counted(steps, 'step')}, nothing passes through when closed")

    def _group_names(self, carton: Carton) -> list[str]:
        return list(dict.fromkeys(c.group for c in sorted(carton.creases, key=lambda c: c.start)))[:MOST_GROUPS]

    def _crease(self, carton: Carton):
        made = folding.ready_of(carton)
        hinge = next((h for h in made.hinges if h.child == self.bench.panel), None) if self.bench.part() == self.part_id else None
        return next(c for c in carton.creases if c.id == made.flat.creases[hinge.crease].id) if hinge is not None else None

    def _carton(self) -> Carton:
        return make.carton_of(self.session.document, self.part_id)

    # changes

    def _put_front(self, panel: int) -> None:
        self.bench.choose(panel)
        self.bench.make_front()

    def _put_group(self, number: int, value: float, busy: bool) -> None:
        carton = self._carton()
        group = self._group_names(carton)[number]
        values = {f"parts/{self.part_id}/carton/creases/{c.id}/angle": value for c in carton.creases if c.group == group}
        self.session.put(values, busy, f"Angle of {group}")

    def _put_single(self, value: float, busy: bool) -> None:
        crease = self._crease(self._carton())
        if crease is not None:
            self.session.put({f"parts/{self.part_id}/carton/creases/{crease.id}/angle": value}, busy)

    def _put_steps(self) -> None:
        if not self.steps.isModified():
            return
        self.steps.setModified(False)
        wanted = [[g.strip() for g in step.split("+") if g.strip()] for step in self.steps.text().replace(",", "·").split("·") if step.strip()]
        session = self.session
        made = session.attempt(lambda: make.reordered(session.document, self.part_id, wanted))
        if made is not None:
            session.apply("Order of folding", made)
        else:
            self.steps.setText(" · ".join(" + ".join(step) for step in make.steps_of(self._carton())))

    def find_order(self) -> None:
        """Steps in which nothing passes through."""
        session, part, base = self.session, self.part_id, self.session.document
        carton = self._carton()

        def done(found) -> None:
            if session.document is not base:
                return
            session.apply("Order of folding", make.with_carton(base, part, replace(carton, creases=found.creases)))
            if found.through:
                share, met = found.through[0]
                a, b = (carton.names[p] for p in met.panels)
                session.hint.emit(f"No order is free of it: at {100 * share:.0f} % {a} passes {show(met.depth_mm, 'mm', 1)} through {b}")
            else:
                session.hint.emit(f"{counted(len(found.steps), 'step')}, nothing passes through")

        session.start_task("Finding an order", lambda task: find_order(carton), done)

    def _apply(self, told: str, change) -> None:
        session = self.session
        made: Document | None = session.attempt(change)
        if made is not None:
            session.apply(told, made)

    def _put_board(self, name: str) -> None:
        self._apply(f"Board: {name}", lambda: make.with_board(self.session.document, self.part_id, boards.board_named(name)))

    def _put_weight(self, weight: float) -> None:
        carton = self._carton()
        board = boards.boards().get(carton.board, boards.OURS["Folding boxboard"])
        thick = round(boards.thickness_of(board, weight), 4)
        self.session.put({f"parts/{self.part_id}/carton/weight": weight, f"parts/{self.part_id}/carton/thickness": thick})

    def _put_film(self, value: float, busy: bool) -> None:
        if busy:
            self.session.put({f"parts/{self.part_id}/carton/film_mm": value}, True)
        else:
            self._apply("Film in windows", lambda: make.with_film(self.session.document, self.part_id, value))

    def keep_board(self) -> None:
        """This board, on the artist's own list."""
        session, carton = self.session, self._carton()
        name = ask_text(self.fold.window(), "Keep this board", "Name", carton.board)
        if not name:
            return

        def keep() -> Document:
            boards.keep(make.board_of(session.document, self.part_id, name))
            return make.with_carton(session.document, self.part_id, replace(carton, board=name))

        self._apply(f"Kept the board {name}", keep)
