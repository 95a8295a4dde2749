"""A key in Details: when it stands and how long it rests, how the way comes and goes, its value, how fast it is."""

from typing import Any

from PySide6.QtWidgets import QCheckBox

from aulmo.desk.move.film_desk import FilmDesk
from aulmo.desk.shell.details import Page
from aulmo.desk.widgets.fields import Choice, NumberField, button, button_row, label, row
from aulmo.document.moving.tracks import track
from aulmo.document.properties import about, sentence
from aulmo.document.quantity import counted, show
from aulmo.document.records import Key
from aulmo.motion import keys

BEFORE = {"even": "Even", "eased": "Eased", "smooth": "Smooth"}
AFTER = {"even": "Even", "eased": "Eased", "smooth": "Smooth", "held": "Held", "sprung": "Sprung", "bent": "Bent"}


class KeyPage(Page):
    """The keys that are chosen; the last one's values are shown, all are changed."""

    def __init__(self, desk: FilmDesk) -> None:
        session = desk.session
        super().__init__(session)
        self.desk = desk
        self.which = label("")
        self.which.setContentsMargins(9, 0, 0, 0)
        self.body.addWidget(self.which)
        when = self.section("When", "move/when")
        self.time = self._number("Time", "s", -1e5, 1e5, 2)
        self.time.edited.connect(self._move)
        when.add(row("Time", self.time))
        self.rest = self._number("Rests", "s", 0, 1e4, 2)
        self.rest.edited.connect(lambda v: desk.change_keys(f"Rests {show(v, 's', 2)}", rest=v))
        when.add(row("Rests", self.rest))
        goes = self.section("Way", "move/way")
        self.before, self.after = Choice(), Choice()
        self.before.setAccessibleName("Before")
        self.after.setAccessibleName("After")
        self.before.chosen.connect(lambda v: desk.change_keys(f"{BEFORE[v]} before", before=v))
        self.after.chosen.connect(lambda v: desk.change_keys(f"{AFTER[v]} after", after=v))
        goes.add(row("Before", self.before))
        goes.add(row("After", self.after))
        self.way = Choice()
        self.way.setAccessibleName("Way through space")
        self.way.chosen.connect(lambda v: desk.change_keys("Along an arc" if v == "arc" else "Straight", way=v, via=None))
        self.way_row = row("Goes", self.way)
        goes.add(self.way_row)
        self.numbers = QCheckBox("Counts whole turns")
        self.numbers.clicked.connect(lambda on: desk.change_keys("Whole turns", by_numbers=on))
        self.numbers_row = row("", self.numbers)
        goes.add(self.numbers_row)
        here = self.section("Here", "move/here")
        self.values = [self._number(f"Value {axis}".strip(), "", -1e9, 1e9, 3) for axis in ("", "y", "z")]
        for k, field in enumerate(self.values):
            field.edited.connect(lambda v, axis=k: self._value(axis, v))
        self.value_row = row("Value", *self.values)
        here.add(self.value_row)
        speed = self.section("Speed", "move/speed")
        self.arrives, self.leaves = label(""), label("")
        speed.add(row("Arrives", self.arrives))
        speed.add(row("Leaves", self.leaves))
        even = button("Same speed throughout", lambda: desk.arrange("even"), "link", "Moves the keys in time so that it goes at one pace")
        speed.add(button_row(even))
        together = self.section("Together", "move/together")
        together.add(
            button_row(
                button("Turn round", lambda: desk.arrange("reverse"), "link", "The chosen keys backward in time"),
                button("There and back", lambda: desk.arrange("mirror"), "link", "The chosen keys, and then again backward"),
            )
        )
        together.add(
            button_row(
                button("Align here", lambda: desk.arrange("align"), "link", "The first chosen key of each property at the present moment"),
                button("Delete", desk.delete, "link", "Del"),
            )
        )
        self.stretch = self._number("Stretch", "", 1e-3, 1e4, 3)
        self.stretch.edited.connect(self._stretch)
        together.add(row("Stretch by", self.stretch))
        self.ripple = self._number("Follows later by", "s", -1e4, 1e4, 2)
        self.ripple.edited.connect(self._ripple)
        together.add(row("Later by", self.ripple, tip="All that follows the present moment moves along"))
        self.body.addStretch(1)

    def _number(self, name: str, unit: str, low: float, high: float, decimals: int) -> NumberField:
        made = NumberField(unit, low, high, decimals)
        made.setAccessibleName(name)
        made.trouble.connect(self.session.trouble)
        return made

    def key(self) -> tuple[str, Key] | None:
        """The key that is shown: the last one chosen."""
        if not self.desk.chosen:
            return None
        address, time = self.desk.chosen[-1]
        found = keys.near(self.session.document.keys.get(address, ()), time)
        return (address, found) if found is not None else None

    def _move(self, time: float) -> None:
        held = self.key()
        if held is not None:
            self.desk.move(self.session.document, self.desk.chosen, time - held[1].time, False, None)
            self.session.history.end_merge()

    def _value(self, axis: int, value: float) -> None:
        held = self.key()
        if held is None:
            return
        address, key = held
        made: Any = value
        if isinstance(key.value, tuple):
            numbers = list(key.value)
            numbers[axis] = value
            made = tuple(numbers)
        elif about(address).kind == "whole":
            made = round(value)
        self.desk.run(f"Key: {sentence(self.session.document, address)}", lambda: keys.set_value(self.session.document, address, key.time, made))

    def _stretch(self, factor: float) -> None:
        chosen = self.desk.chosen
        if chosen:
            first = min(t for _, t in chosen)
            self.desk.run(f"Stretched {counted(len(chosen), 'key')}", lambda: keys.stretch(self.session.document, chosen, first, factor))
            self.stretch.set_value(1.0)

    def _ripple(self, by: float) -> None:
        self.desk.ripple(by)
        self.ripple.set_value(0.0)

    def show_document(self) -> None:
        """Bring it up to date."""
        held = self.key()
        if held is None:
            self.title.setText("No key")
            return
        address, key = held
        document, known = self.session.document, about(address)
        all_keys = document.keys[address]
        self.title.setText(sentence(document, address))
        number = all_keys.index(key) + 1
        many = f" · {len(self.desk.chosen)} chosen" if len(self.desk.chosen) > 1 else ""
        self.which.setText(f"Key {number} of {len(all_keys)} at {show(key.time, 's', 2)}{many}")
        self.time.set_value(key.time)
        self.rest.set_value(key.rest)
        self.stretch.set_value(1.0)
        self.ripple.set_value(0.0)
        self.before.fill([(v, k) for k, v in BEFORE.items()], key.before)
        self.after.fill([(v, k) for k, v in AFTER.items()], key.after)
        is_place = known.kind == "vector" and known.unit == "mm"
        self.way_row.setVisible(is_place)
        bent = [("Bent by hand", "via")] if key.via else []
        self.way.fill([("Straight", "straight"), ("Along an arc", "arc"), *bent], "via" if key.via else key.way)
        self.numbers_row.setVisible(known.unit == "°")
        self.numbers.setChecked(key.by_numbers)
        vector = isinstance(key.value, tuple)
        plain = vector or (isinstance(key.value, (int, float)) and not isinstance(key.value, bool))
        self.value_row.setVisible(plain)
        for k, field in enumerate(self.values):
            field.setVisible(plain and (vector or k == 0))
            if plain and (vector or k == 0):
                field.unit, field.decimals, field.bare = known.unit, (0 if is_place else known.decimals), vector
                field.set_value(float(key.value[k] if vector else key.value))  # type: ignore[index,arg-type]
        goes = track(address, all_keys)
        unit = "mm" if is_place else known.unit
        frame = 0.5 / document.frames_per_second
        arrives = abs(goes.speed(key.time - frame)) if number > 1 else 0.0
        leaves = abs(goes.speed(key.time + key.rest + frame)) if number < len(all_keys) else 0.0
        self.arrives.setText(f"{show(arrives, unit, 1)}/s" if plain else "")
        self.leaves.setText(f"{show(leaves, unit, 1)}/s" if plain else "")
