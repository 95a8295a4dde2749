"""One softbox: what it is, how bright, where it lies, what it stays with."""

from typing import Any

from msgspec.structs import replace
from PySide6.QtCore import QPoint, Signal
from PySide6.QtGui import QColor, QLinearGradient, QPainter, QPen
from PySide6.QtWidgets import QHBoxLayout, QWidget

from aulmo.desk.light.aim_choices import AimChoices
from aulmo.desk.light.softbox_commands import SoftboxCommands
from aulmo.desk.light.stays import StaysWith, product_of
from aulmo.desk.shell import theme
from aulmo.desk.shell.bound import BoundSegments
from aulmo.desk.shell.details import Page
from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.colour_field import ColourRow
from aulmo.desk.widgets.fields import Choice, SliderRow, button, label, row
from aulmo.desk.widgets.painting import painted
from aulmo.document.records import GradeStop, Softbox
from aulmo.light.light_pictures import PICTURES
from aulmo.light.softbox import WIDEST_FLAT, put_softbox, waste
from aulmo.light.staying import box_stays
from aulmo.surface.colour import ACESCG_TO_SRGB, encode_srgb

AT = "environment/softboxes/{softbox}"
OWN = "own file"


class GradeBar(QWidget):
    """The grade as it runs: marks are dragged, a click between them makes one, a drag off the bar takes one away."""

    changed = Signal(object, bool)
    chosen_changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(36)
        self.setAccessibleName("Grade")
        self.grades: tuple[GradeStop, ...] = ()
        self.chosen = 0
        self._held = -1

    def show_grades(self, grades: tuple[GradeStop, ...]) -> None:
        """Show a grade."""
        if grades != self.grades:
            self.grades = grades
            self.chosen = min(self.chosen, len(grades) - 1)
            self.update()

    def _x(self, at: float) -> float:
        return 7 + at * (self.width() - 14)

    def _at(self, x: float) -> float:
        return min(1.0, max(0.0, (x - 7) / max(1, self.width() - 14)))

    @painted
    def paintEvent(self, painter) -> None:  # noqa: N802
        """Draw."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        marks = sorted(self.grades, key=lambda g: g.at)
        most = max((g.stops for g in marks), default=0.0)
        run = QLinearGradient(7, 0, self.width() - 7, 0)
        for g in marks:
            shown = encode_srgb((ACESCG_TO_SRGB @ [c * 2.0 ** (g.stops - most) for c in g.colour]).clip(0, 1))
            run.setColorAt(g.at, QColor.fromRgbF(*(float(v) for v in shown)))
        painter.setPen(QPen(QColor(theme.current().line), 1))
        painter.setBrush(run)
        painter.drawRect(7, 2, self.width() - 14, 18)
        for k, g in enumerate(self.grades):
            painter.setPen(QPen(QColor(theme.current().accent_hover if k == self.chosen else theme.current().text), 1.5))
            painter.setBrush(QColor(theme.current().panel))
            painter.drawEllipse(QPoint(round(self._x(g.at)), 27), 5, 5)

    def mousePressEvent(self, event) -> None:  # noqa: N802
        """Take a mark, or make one."""
        x = event.position().x()
        near = [(abs(self._x(g.at) - x), k) for k, g in enumerate(self.grades)]
        if near and min(near)[0] < 9:
            self._held = self.chosen = min(near)[1]
        else:
            at = self._at(x)
            below = max((g for g in self.grades if g.at <= at), key=lambda g: g.at, default=self.grades[0] if self.grades else GradeStop())
            self.grades = (*self.grades, replace(below, at=round(at, 3)))
            self._held = self.chosen = len(self.grades) - 1
            self.changed.emit(self.grades, False)
        self.chosen_changed.emit()
        self.update()

    def mouseMoveEvent(self, event) -> None:  # noqa: N802
        """Move it."""
        if self._held < 0:
            return
        if abs(event.position().y() - self.height() / 2) > 60 and len(self.grades) > 2:
            self.grades = tuple(g for k, g in enumerate(self.grades) if k != self._held)
            self._held, self.chosen = -1, 0
        else:
            moved = replace(self.grades[self._held], at=round(self._at(event.position().x()), 3))
            self.grades = tuple(moved if k == self._held else g for k, g in enumerate(self.grades))
        self.changed.emit(self.grades, True)
        self.update()

    def mouseReleaseEvent(self, event) -> None:  # noqa: N802
        """Let go."""
        self._held = -1
        self.changed.emit(self.grades, False)


class SoftboxPage(Page):
    """The selected softbox."""

    def __init__(self, session: Session, commands: SoftboxCommands, aim) -> None:
        super().__init__(session)
        self.commands = commands
        self.name = self.add(None, f"{AT}/name", "Softbox")
        self.name.field.setAccessibleName("Softbox name")
        self.on, self.solo, self.locked = self.add_ticks(AT, ("on", "solo", "locked"))
        self.wasted = label("", wrap=True)
        self.body.addWidget(self.wasted)
        light = self.section("Light", "softbox/light")
        self.kind = self.add(light, f"{AT}/kind", kind=BoundSegments)
        self.stops, self.kelvin, self.colour = (self.add(light, f"{AT}/{key}") for key in ("stops", "kelvin", "colour"))
        self.picture = Choice()
        self.picture.setAccessibleName("Picture light")
        self.picture.chosen.connect(commands.shipped_picture)
        self.picture_row = row("Picture", self.picture)
        self.picture_button = row("", button("Open a picture…", commands.choose_picture))
        light.add(self.picture_row)
        light.add(self.picture_button)
        self.grade = self.add(light, f"{AT}/grade", kind=BoundSegments)
        self.bar = GradeBar()
        self.bar.changed.connect(self._graded)
        self.bar.chosen_changed.connect(self._show_mark)
        light.add(self.bar)
        self.mark_stops = SliderRow("Of this mark", -6, 6, "stops", 0.0, 1, hard_low=-60, hard_high=60)
        self.mark_stops.changed.connect(lambda value, busy: self._mark(stops=value, busy=busy))
        self.mark_colour = ColourRow("Its colour", (1.0, 1.0, 1.0))
        self.mark_colour.changed.connect(lambda colour, busy: self._mark(colour=tuple(float(c) for c in colour), busy=busy))
        light.add(self.mark_stops)
        light.add(self.mark_colour)
        self.blend = self.add(light, f"{AT}/blend", kind=BoundSegments)
        self.opacity = self.add(light, f"{AT}/opacity")
        self.hot, self.hot_size = (self.add(light, f"{AT}/{key}") for key in ("hot", "hot_size"))
        shape = self.section("Shape", "softbox/shape")
        self.outline, self.width_, self.height_, self.corner, self.inner, self.sides, self.edge, self.bent = (
            self.add(shape, f"{AT}/{key}") for key in ("shape", "width", "height", "corner", "inner", "sides", "edge", "bent")
        )
        place = self.section("Where", "softbox/where")
        self.azimuth, self.elevation, self.turn = (self.add(place, f"{AT}/{key}") for key in ("azimuth", "elevation", "turn"))
        self.stays = StaysWith("Softbox", f"{AT}/stays_with", self.set_stays)
        place.add(row("Stays with", self.stays))
        self.aim = AimChoices(aim, False)
        place.add(self.aim)
        buttons = QWidget()
        line = QHBoxLayout(buttons)
        line.setContentsMargins(9, 2, 0, 2)
        for text, run, tip in (
            ("Mirror", commands.mirror, "A twin on the other side of the camera"), ("Duplicate", commands.duplicate, "Ctrl+D"),
            ("To a lamp", commands.exchange, "A lamp in the scene that looks the same from the product"),
        ):  # fmt: skip
            line.addWidget(button(text, run, "small", tip))
        line.addStretch(1)
        place.add(buttons)
        group = self.section("Light group", "softbox/group")
        self.group = self.add(group, f"{AT}/group")
        self.group.field.setPlaceholderText("Its own, by its name")
        self.body.addStretch(1)

    def show_document(self) -> None:
        """What this kind of softbox has."""
        box = self.session.softbox
        if box is None:
            return
        self.title.setText(box.name)
        flag, graded = box.blend == "flag", box.kind == "graded" and box.blend != "flag"
        told = waste(self.session.resolved.environment.softboxes).get(box.id, "")
        self.wasted.setText(told)
        self.wasted.setVisible(bool(told))
        items = [(name, name) for name in PICTURES]
        if not box.shipped:
            items.append(("Own file", OWN))
        self.picture.fill(items, box.picture if box.shipped else OWN)
        for widget, on in (
            (self.picture_row, box.kind == "picture" and not flag), (self.picture_button, box.kind == "picture" and not flag),
            (self.bar, graded), (self.mark_stops, graded), (self.mark_colour, graded),
        ):  # fmt: skip
            widget.setVisible(on)
        rows: list[tuple[Any, bool]] = [
            (self.kind, not flag), (self.stops, not flag), (self.kelvin, not flag), (self.colour, not flag), (self.grade, graded),
            (self.hot, not flag), (self.hot_size, not flag and box.hot > 0), (self.corner, box.shape == "rectangle"),
            (self.inner, box.shape == "ring"), (self.sides, box.shape == "polygon"),
            (self.bent, box.shape == "rectangle" and max(box.width, box.height) <= WIDEST_FLAT),
        ]  # fmt: skip
        for bound, on in rows:
            bound.set_visible(on)
        self.bar.show_grades(box.grades)
        self._show_mark()
        self.stays.show_value(box.stays_with)

    def _show_mark(self) -> None:
        if 0 <= self.bar.chosen < len(self.bar.grades):
            mark = self.bar.grades[self.bar.chosen]
            self.mark_stops.set_value(mark.stops)
            self.mark_colour.set_value(mark.colour)

    def _graded(self, grades: tuple[GradeStop, ...], busy: bool) -> None:
        box = self.session.softbox
        if box is not None and not box.locked:
            made = put_softbox(self.session.document, replace(box, grades=grades))
            self.session.apply(f"Grade of {box.name}", made, ("grade", box.id))
            if not busy:
                self.session.history.end_merge()

    def _mark(self, busy: bool, **changes) -> None:
        if 0 <= self.bar.chosen < len(self.bar.grades):
            grades = tuple(replace(g, **changes) if k == self.bar.chosen else g for k, g in enumerate(self.bar.grades))
            self._graded(grades, busy)

    def set_stays(self, stays_with: str) -> None:
        """Stay with something else, without moving now."""
        session, box = self.session, self.session.softbox
        if box is not None and stays_with != box.stays_with:
            part = product_of(session) if stays_with == "part" else None
            made: Softbox = box_stays(session.resolved, box, stays_with, part, session.camera)
            session.apply(self.stays.told(box.name, stays_with), put_softbox(session.document, made))

