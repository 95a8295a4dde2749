"""Rows of a page bound to properties by address: label, unit, range, default, mark and undo sentence come from the table of properties."""

from typing import Any, Callable

from PySide6.QtCore import QMimeData, Qt
from PySide6.QtWidgets import QCheckBox, QCompleter, QHBoxLayout, QLabel, QLineEdit, QMenu, QVBoxLayout, QWidget

from aulmo.desk.shelf.taker import thing_of
from aulmo.desk.shell import theme
from aulmo.desk.shell.addressing import addresses, sample
from aulmo.desk.shell.session import Session
from aulmo.desk.widgets.colour_field import ColourRow
from aulmo.desk.widgets.fields import Choice, Dot, KeyMark, NumberField, Segments, SliderRow, row
from aulmo.document import colours
from aulmo.document.properties import about, keyed, owner_of, put_many, sentence
from aulmo.document.property import Property
from aulmo.document.records import ProjectColour
from aulmo.errors import BadValue
from aulmo.motion.keys import keyable, near, remove_keys
from aulmo.surface import refraction


class Bound:
    """One row. `template` is an address with what is worked on in braces, as "cameras/{camera}/iso"; several addresses are set together.

    `widget` is what stands in the page, `field` what is typed into or clicked. Subclasses show a value and tell one.
    """

    known: Property | None = None  # where more is known of a property than its address tells

    def __init__(self, session: Session, template: str, title: str = "", default: Any = None) -> None:
        self.session, self.template = session, template
        self.about: Property = self.known or about(sample(template))
        self.title = title or self.about.label
        self.default = self.about.default if default is None else default
        self.dot = Dot()
        self.dot.clicked.connect(self.restore)
        self.mark: KeyMark | None = None
        self.widget: QWidget
        self.field: Any

    def addresses(self) -> list[str]:
        """The properties this row stands for now."""
        return addresses(self.session, self.template)

    def refresh(self, found: list[str] | None = None) -> None:
        """Show the value as it is; `found` are the addresses where they are known already."""
        found = self.addresses() if found is None else found
        if not found:
            return
        try:
            value = self.session.value(found[0])
        except BadValue:
            if self.default is None:
                return
            value = self.default  # an input that a node does not name has its default
        self.show(value)
        self._show_mark(found[0])
        if keyed(self.session.document, found[0]):
            self.dot.set_mark("keyed")
        elif self.session.overridden(found[0]):
            self.dot.set_mark("own")
        elif self.session.picks and self.session.own_of(found[0]):
            self.dot.set_mark("choice")
        else:
            self.dot.set_mark("changed" if self.differs(value) else "")

    def _show_mark(self, address: str) -> None:
        """The mark after the field, where films are made and wherever keys hold the value."""
        session = self.session
        held = session.document.keys.get(address, ())
        wanted = bool(held) or session.recording or session.stage == session.film_stage
        if self.mark is None:
            line = self.widget.layout() if wanted and keyable(address) else None
            if not isinstance(line, QHBoxLayout):
                return
            self.mark = KeyMark()
            self.mark.setAccessibleName(f"Key of {self.title}")
            self.mark.clicked.connect(self.turn_key)
            line.addWidget(self.mark)
        if self.mark.isHidden() == wanted:
            self.mark.setVisible(wanted)
        self.mark.set_state("here" if near(held, session.time) is not None else "held" if held else "")

    def turn_key(self) -> None:
        """Set a key at the present time, or remove the one that stands there."""
        session = self.session
        found = self.addresses()
        if not found:
            return
        told = sentence(session.document, found[0])
        if all(near(session.document.keys.get(a, ()), session.time) is not None for a in found) and not any(a in session.loose for a in found):
            session.apply(f"Removed a key: {told}", remove_keys(session.document, [(a, session.time) for a in found]))
        else:
            session.keep_keys({a: session.as_keyed(a) for a in found}, f"Key: {told}")

    def differs(self, value: Any) -> bool:
        """Whether a value is another than the default."""
        if self.default is None or self.about.kind in ("text", "link", "choice"):
            return False
        if isinstance(value, float):
            return abs(value - self.default) > 1e-9 + 1e-6 * abs(self.default)
        return value != self.default

    def restore(self) -> None:
        """The default again, or the project's value where the shot or the choice that is seen has its own."""
        found = self.addresses()
        own = found and (self.session.overridden(found[0]) or (self.session.picks and self.session.own_of(found[0])))
        if own and not keyed(self.session.document, found[0]):
            for address in found:
                self.session.as_in_project(address)
        elif self.default is not None:
            self.put(self.default)

    def put(self, value: Any, busy: bool = False) -> None:
        """Set the property, or say why not."""
        found = self.addresses()
        if found and not self.session.put({address: value for address in found}, busy):
            self.refresh()

    def show(self, value: Any) -> None:
        """Show a value without telling anybody."""
        raise NotImplementedError

    def set_visible(self, on: bool) -> None:
        """Show or hide the whole row."""
        if self.widget.isHidden() == on:
            self.widget.setVisible(on)


class BoundSlider(Bound):
    """A number with a track."""

    def __init__(self, session: Session, template: str, title: str = "", default: Any = None) -> None:
        super().__init__(session, template, title, default)
        a = self.about
        limits = {"hard_low": a.least, "hard_high": a.most}
        self.widget = made = SliderRow(self.title, a.low, a.high, a.unit, self.default, a.decimals, curve=a.curve, tip=a.tip, dot=self.dot, **limits)
        self.field = made.field
        self._set = made.set_value
        made.trouble.connect(session.trouble)
        made.changed.connect(lambda value, busy: self.put(self._whole(value), busy))

    def _whole(self, value: float) -> float | int:
        return round(value) if self.about.kind == "whole" else value

    def show(self, value: Any) -> None:
        """Show a value without telling anybody."""
        self._set(value)


class BoundRefraction(BoundSlider):
    """How strongly something bends light: by its number, or by the name of what it is, typed or chosen from a list."""

    def __init__(self, session: Session, template: str, title: str = "", default: Any = None) -> None:
        super().__init__(session, template, title, default)
        self.field.named = self._meant
        self.field.setProperty("listed", True)
        action = self.field.addAction(theme.icon("list", theme.current().quiet, 12), QLineEdit.ActionPosition.TrailingPosition)
        action.setToolTip("By the name of what it is")
        action.triggered.connect(lambda: self.menu().exec(self.field.mapToGlobal(self.field.rect().bottomLeft())))
        completer = QCompleter([k.name for k in refraction.LIST], self.field)
        completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        completer.setFilterMode(Qt.MatchFlag.MatchContains)
        if (listed := completer.popup()) is not None:
            listed.setMinimumWidth(190)
        self.field.setCompleter(completer)
        completer.activated.connect(self.choose)

    @staticmethod
    def _meant(text: str) -> float | None:
        found = refraction.by_name(text)
        return found.ior if found is not None else None

    def choose(self, name: str) -> None:
        """What something of the list has."""
        found = refraction.by_name(name)
        if found is not None:
            self.field.setModified(False)
            self.field.set_value(found.ior)
            self.put(found.ior)
            self.session.hint.emit(f"{found.name}: {found.ior:.4g} ({found.source})")

    def menu(self) -> QMenu:
        """All of the list by kinds, each with its source."""
        menu = QMenu(self.field)
        menu.setToolTipsVisible(True)
        for kind in dict.fromkeys(k.kind for k in refraction.LIST):
            below = menu.addMenu(f"{kind.capitalize()}s" if kind != "glass" else "Glasses")
            below.setToolTipsVisible(True)
            for known in (k for k in refraction.LIST if k.kind == kind):
                action = below.addAction(f"{known.name}\t{known.ior:.3f}", lambda n=known.name: self.choose(n))
                action.setToolTip(known.source)
        return menu

    def show(self, value: Any) -> None:
        """Show a value, and what has it."""
        super().show(value)
        name = refraction.named(float(value))
        self.field.setToolTip(f"{name}: {refraction.by_name(name).source}" if name else self.about.tip)  # type: ignore[union-attr]


class BoundNumber(Bound):
    """A number without a track."""

    def __init__(self, session: Session, template: str, title: str = "", default: Any = None) -> None:
        super().__init__(session, template, title, default)
        self.field = number_field(session, self.template, self.title)
        self.field.edited.connect(lambda value: self.put(round(value) if self.about.kind == "whole" else value))
        self.widget = row(self.title, self.field, dot=self.dot, tip=self.about.tip)

    def show(self, value: Any) -> None:
        """Show a value without telling anybody."""
        self.field.set_value(value)


class BoundColour(Bound):
    """A colour."""

    def __init__(self, session: Session, template: str, title: str = "", default: Any = None) -> None:
        super().__init__(session, template, title, default)
        self.widget = self.field = made = ColourRow(self.title, self.default, self.dot)
        made.setToolTip(self.about.tip)
        made.trouble.connect(session.trouble)
        made.changed.connect(lambda colour, busy: self.put(tuple(float(c) for c in colour), busy))
        made.menu_wanted.connect(lambda at: self.menu().exec(at))
        made.takes = self._takes

    def _takes(self, mime: QMimeData, drop: bool) -> bool:
        """A colour of the project that is dragged from the shelf is followed where it is dropped."""
        thing = thing_of(mime)
        if thing is None or thing.kind != "colour" or thing.inside not in self.session.document.colours:
            return False
        if drop:
            self.follow(thing.inside)
        return True

    def followed(self) -> ProjectColour | None:
        """The colour of the project that it follows."""
        found = self.addresses()
        return colours.followed_at(self.session.document, found[0]) if found else None

    def menu(self) -> QMenu:
        """The project's colours to follow, a new one of this, or none any more."""
        menu, document, now = QMenu(self.field), self.session.document, self.followed()
        found = self.addresses()
        may = bool(found) and colours.holder_of(document, found[0]) is not None
        for colour in document.colours.values():
            action = menu.addAction(f"Follow {colour.name}", lambda i=colour.id: self.follow(i))
            action.setCheckable(True)
            action.setChecked(now is not None and now.id == colour.id)
            action.setEnabled(may)
        menu.addSeparator()
        menu.addAction("Make it a colour of the project", self.make_colour).setEnabled(may)
        if now is not None:
            menu.addAction(f"Change {now.name}…", lambda: self.session.select((), f"colours/{now.id}"))
            menu.addAction("Follow no longer", lambda: self.put(self.session.value(found[0])))
        return menu

    def follow(self, colour_id: str) -> None:
        """Follow a colour of the project."""
        name = self.session.document.colours[colour_id].name
        self.session.put({a: f"{colours.FOLLOW}{colour_id}" for a in self.addresses()}, told=f"{self.title} follows {name}")

    def make_colour(self) -> None:
        """A colour of the project of what stands here, which follows it."""
        session, found = self.session, self.addresses()
        name = f"{owner_of(session.document, found[0])} {self.title.lower()}"
        made, colour_id = colours.add_colour(session.document, name, session.value(found[0]))
        made = put_many(made, {a: f"{colours.FOLLOW}{colour_id}" for a in found})
        session.apply(f"New colour {made.colours[colour_id].name}", made)

    def show(self, value: Any) -> None:
        """Show a value without telling anybody."""
        self.field.set_value(value if isinstance(value, tuple) else (value, value, value))
        colour = self.followed()
        self.field.set_name(colour.name if colour is not None else "")


class BoundYes(Bound):
    """A box to tick."""

    def __init__(self, session: Session, template: str, title: str = "", default: Any = None) -> None:
        super().__init__(session, template, title, default)
        self.field = QCheckBox(self.title)
        self.field.setToolTip(self.about.tip)
        self.field.clicked.connect(lambda on: self.put(on))
        self.widget = row("", self.field, dot=self.dot)

    def refresh(self, found: list[str] | None = None) -> None:
        """Ticked when all of them are."""
        found = self.addresses() if found is None else found
        super().refresh(found)
        if len(found) > 1:
            self.show(all(self.session.value(a) for a in found))

    def show(self, value: Any) -> None:
        """Show a value without telling anybody."""
        if self.field.isChecked() != value:
            self.field.setChecked(value)


class BoundChoice(Bound):
    """One of a few."""

    def __init__(self, session: Session, template: str, title: str = "", default: Any = None) -> None:
        super().__init__(session, template, title, default)
        self.field = Choice()
        self.field.setAccessibleName(self.title)
        self.field.chosen.connect(self.put)
        self.widget = row(self.title, self.field, dot=self.dot, tip=self.about.tip)

    def show(self, value: Any) -> None:
        """Show a value without telling anybody."""
        self.field.fill([(text, key) for key, text in self.about.choices.items()], value)


class BoundSegments(Bound):
    """One of two or three, side by side."""

    def __init__(self, session: Session, template: str, title: str = "", default: Any = None) -> None:
        super().__init__(session, template, title, default)
        self._keys = {str(key): key for key in self.about.choices}
        self.field = Segments({str(key): text for key, text in self.about.choices.items()})
        self.field.chosen.connect(lambda word: self.put(self._keys[word]))
        self.widget = self.field
        self.dot.setParent(self.field)  # which has no room for it
        self.dot.hide()

    def show(self, value: Any) -> None:
        """Show a value without telling anybody."""
        self.field.set_value(str(value))


class BoundText(Bound):
    """A line of text."""

    def __init__(self, session: Session, template: str, title: str = "", default: Any = None) -> None:
        super().__init__(session, template, title, default)
        self.field = QLineEdit()
        self.field.setAccessibleName(self.title)
        self.field.editingFinished.connect(self._typed)
        self.widget = row(self.title, self.field, dot=self.dot, tip=self.about.tip)

    def _typed(self) -> None:
        found, text = self.addresses(), self.field.text().strip()
        if not found or text == self.session.value(found[0]):
            return
        if not text:
            self.show(self.session.value(found[0]))
            return
        self.put(text)

    def show(self, value: Any) -> None:
        """Show a value without telling anybody."""
        if not self.field.hasFocus() and self.field.text() != value:
            self.field.setText(value)


class BoundVector(Bound):
    """Three numbers in a row."""

    def __init__(self, session: Session, template: str, title: str = "", default: Any = None) -> None:
        super().__init__(session, template, title, default)
        self.fields = []
        for axis in "xyz":
            field = number_field(session, f"{template}/{axis}", f"{self.title} {axis}", self.about.unit == "mm")
            field.setStyleSheet("padding: 2px 3px;")
            field.edited.connect(lambda value, a=axis: self._typed(a, value))
            self.fields.append(field)
        self.field = self.fields
        self.widget = row(self.title, *self.fields, dot=self.dot)
        self.label = self.widget.findChildren(QLabel)[0]

    def _typed(self, axis: str, value: float) -> None:
        found = self.addresses()
        if found and not self.session.put({f"{address}/{axis}": value for address in found}):
            self.refresh()

    def differs(self, value: Any) -> bool:
        """Places and turns have no default worth going back to."""
        return False

    def show(self, value: Any) -> None:
        """Show a value without telling anybody."""
        for field, number in zip(self.fields, value):
            field.set_value(number)


def number_field(session: Session, template: str, name: str, bare: bool = False) -> NumberField:
    """A field for the property at an address, with its unit and limits; `bare` leaves the unit to the label."""
    known = about(sample(template))
    field = NumberField(known.unit, known.least, known.most, known.decimals)
    field.bare = bare
    field.setAccessibleName(name)
    field.setToolTip(known.tip)
    field.trouble.connect(session.trouble)
    return field


_ROWS: dict[str, Callable[..., Bound]] = {
    "number": BoundSlider, "whole": BoundNumber, "yes": BoundYes, "colour": BoundColour, "choice": BoundChoice, "text": BoundText,
    "vector": BoundVector,
}  # fmt: skip


def bound(session: Session, template: str, title: str = "", default: Any = None, kind: Callable[..., Bound] | None = None) -> Bound:
    """The row that a property asks for, or one of the kinds above."""
    usual = BoundRefraction if template.endswith("_ior") else _ROWS[about(sample(template)).kind]
    return (kind or usual)(session, template, title, default)


class Rows(QWidget):
    """A column of bound rows without a heading."""

    def __init__(self) -> None:
        super().__init__()
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 0, 0, 0)
        self.column.setSpacing(3)
