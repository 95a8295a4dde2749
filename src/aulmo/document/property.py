"""What is known of a property, said beside its field in the record: its words, unit and range, and how it goes from one value to another.

    focal_length_mm: Annotated[float, number("Focal length", 14, 200, "mm", 1, 1, 10000, change="stops")] = 85.0

The reader's checks, the window's fields, scripts, keys and the command line all follow from that (see `property_table`). `low` and `high` are the
useful range that a slider's track shows, `least` and `most` what makes sense at all.
"""

from typing import Any, Literal

import msgspec

Change = Literal["evenly", "stops", "shorter way", "turns", "step"]
Led = Literal["", "settled", "alone", "even"]


class Row(msgspec.Struct, frozen=True):
    """Where a page shows a property, beside what is known of it: see `row` and `led`."""

    section: str = ""
    small: bool = False
    led: Led = ""
    looks_about: bool = False


class Property(msgspec.Struct, frozen=True):
    """What is known of a property without looking at a document.

    `kind` tells what its value is ("either" one number or three); `unit` is the document's own. `curve` bends a slider's track. `change` says how
    it goes from one value to another: evenly, in stops (by equal ratios), round by the shorter way, as turns in space, or all at once. `words` are
    those of the choices in the order of the field's own; `choices` has them by value.
    """

    label: str
    kind: Literal["number", "whole", "yes", "colour", "vector", "either", "choice", "text", "link", "many"]
    unit: str = ""
    low: float = 0.0
    high: float = 1.0
    least: float = 0.0
    most: float = 1.0
    decimals: int = 2
    curve: float = 1.0
    change: Change = "evenly"
    choices: dict[Any, str] = {}
    tip: str = ""
    default: Any = None
    nonzero: bool = False
    words: tuple[str, ...] = ()
    row: Row = Row()


def number(
    label: str, low: float, high: float, unit: str = "", decimals: int = 2, least: float | None = None, most: float | None = None,
    curve: float = 1.0, tip: str = "", change: Change = "evenly", kind: Any = "number",
) -> Property:  # fmt: skip
    """A number that a slider shows from `low` to `high`, and that makes sense from `least` to `most` (the same unless told)."""
    return Property(label, kind, unit, low, high, low if least is None else least, high if most is None else most, decimals, curve, change, {}, tip)


def whole(label: str, low: int, high: int, least: int | None = None, most: int | None = None, tip: str = "") -> Property:
    """A whole number; it changes all at once."""
    return number(label, low, high, "", 0, least, most, tip=tip, change="step", kind="whole")


def size(label: str, high: float, least: float = 0.01) -> Property:
    """A length in mm that something is made in."""
    return number(label, 0, high, "mm", 1, least, 1e6, curve=2)


def yes(label: str, tip: str = "") -> Property:
    """On or off."""
    return Property(label, "yes", change="step", tip=tip)


def colour(label: str, tip: str = "", most: float = 1e6) -> Property:
    """A linear colour; what is out of its gamut may lie below 0."""
    return Property(label, "colour", most=most, tip=tip)


def vector(label: str, unit: str = "mm", reach: float = 1e8, decimals: int = 2, change: Change = "evenly", nonzero: bool = False) -> Property:
    """Three numbers, each from -`reach` to `reach`; with `nonzero` none may be nothing."""
    return Property(label, "vector", unit, -reach, reach, -reach, reach, decimals, 1.0, change, nonzero=nonzero)


def choice(label: str, *words: str | dict[bool, str]) -> Property:
    """One of a few: `words` for each value that the field's type names, in its order. Of a yes or no, both words by value in one dictionary."""
    if words and isinstance(words[0], dict):
        return Property(label, "choice", change="step", choices=words[0])
    return Property(label, "choice", change="step", words=tuple(str(w) for w in words))


def text(label: str) -> Property:
    """Letters."""
    return Property(label, "text", change="step")


def reference(label: str) -> Property:
    """The name of something else, or of nothing."""
    return Property(label, "link", change="step")


def many(label: str) -> Property:
    """Several values at once, as a list that a page shows in a way of its own."""
    return Property(label, "many", change="step")


def row(section: str, small: bool = False, looks_about: bool = False) -> Row:
    """In which section of its page a property has a row, in the order of the record; a `small` one is a number without a track. An effect that
    `looks_about` reads other pixels than its own, so that no table of colours can hold it."""
    return Row(section, small, looks_about=looks_about)


def led(section: str, how: Led = "settled") -> Row:
    """As `row`, of what nodes may lead: other numbers of the surface follow from it and are "settled" after it, or it stands "alone"; what is one
    value all through a body is "even" and gets the mean of what leads it."""
    return Row(section, led=how)
