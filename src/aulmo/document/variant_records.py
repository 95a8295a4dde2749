"""What a range is made of: axes with named choices, each holding only what differs from the base."""

from aulmo.document.record_base import Record, Value


class Choice(Record):
    """One of the ways that a product comes in along an axis: by address, what is otherwise than in the base. It may have a `shot` of its own."""

    id: str
    name: str
    overrides: dict[str, Value] = {}
    shot: str = ""


class Axis(Record):
    """Something that a product may be had in several of, as a colour or a trim, with its choices in their order."""

    id: str
    name: str
    choices: tuple[Choice, ...] = ()


class Refused(Record):
    """A combination that is not offered: by the id of an axis, that of the choice."""

    picks: dict[str, str] = {}
