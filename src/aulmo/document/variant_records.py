"""What a range is made of: axes with named choices, each holding only what differs from the base."""

from typing import Annotated

from aulmo.document import property as say
from aulmo.document.record_base import Record, Value


class Choice(Record):
    """One of the ways that a product comes in along an axis: by address, what is otherwise than in the base. It may have a `shot` of its own."""

    id: str
    name: Annotated[str, say.text("Name")]
    overrides: dict[str, Value] = {}
    shot: Annotated[str, say.reference("Shot")] = ""


class Axis(Record):
    """Something that a product may be had in several of, as a colour or a trim, with its choices in their order."""

    id: str
    name: Annotated[str, say.text("Name")]
    choices: tuple[Choice, ...] = ()


class Refused(Record):
    """A combination that is not offered: by the id of an axis, that of the choice."""

    picks: Annotated[dict[str, str], say.many("Combination")] = {}
