"""A bound row for an input of a node: a number with a track, or a colour, as its value is."""

from typing import Any

from msgspec.structs import replace

from aulmo.desk.shell.bound import Bound, BoundColour, BoundSlider
from aulmo.desk.shell.session import Session
from aulmo.document.node_table import Input
from aulmo.document.property_table import OF_NODES
from aulmo.document.records import Node


def is_coloured(node: Node, one: Input) -> bool:
    """Whether an input that no wire leads is a colour."""
    value = node.inputs.get(one.name, one.default)
    return one.takes == "colour" or (one.takes == "either" and isinstance(value, tuple))


def input_row(session: Session, node: Node, one: Input, title: str = "") -> Bound:
    """The row of an input that no wire leads."""
    coloured = is_coloured(node, one)
    default: Any = one.default
    if coloured and not isinstance(default, tuple):
        default = (default,) * 3
    if not coloured and isinstance(default, tuple):
        default = default[0]
    known = replace(OF_NODES[node.kind][one.name], kind="colour" if coloured else "number", default=default)
    made = type("InputRow", (BoundColour if coloured else BoundSlider,), {"known": known})
    return made(session, f"materials/{{material}}/nodes/{node.id}/inputs/{one.name}", title or one.label, default)
