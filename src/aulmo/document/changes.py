"""What differs between two documents, by address."""

from typing import Any, Callable, Iterable

import msgspec

from aulmo.document.records import Document


def changes(one: Document, other: Document, roots: Iterable[str], wanted: Callable[[str], bool]) -> dict[str, Any]:
    """By address, the values of the other document that differ, of things that both have, below some roots; addresses that are not `wanted` are
    left out."""
    found: dict[str, Any] = {}
    for root in roots:
        before, after = getattr(one, root), getattr(other, root)
        if before is after:
            continue
        if isinstance(before, dict):
            for key in (k for k in before if k in after):
                _walk(f"{root}/{key}", before[key], after[key], found, wanted)
        else:
            _within(root, before, after, found, wanted)
    return found


def _within(address: str, before: Any, after: Any, found: dict[str, Any], wanted: Callable[[str], bool]) -> None:
    """What differs in a record, or in the members of the same ids of two tuples of records; anything else is a value."""
    if isinstance(before, msgspec.Struct) and type(before) is type(after):
        _walk(address, before, after, found, wanted)
    elif isinstance(before, tuple) and before and isinstance(before[0], msgspec.Struct):
        now = {getattr(m, "id", None): m for m in after}
        for member in before:
            held = now.get(getattr(member, "id", ""))
            if held is not None:
                _walk(f"{address}/{member.id}", member, held, found, wanted)
    elif wanted(address):
        found[address] = after


def _walk(prefix: str, one: Any, other: Any, found: dict[str, Any], wanted: Callable[[str], bool]) -> None:
    if one is other:
        return
    for field in one.__struct_fields__:
        before, after = getattr(one, field), getattr(other, field)
        if before is after or before == after:
            continue
        address = f"{prefix}/{field}"
        if isinstance(before, dict) and field == "inputs":
            for key, value in after.items():
                if key in before and before[key] != value and wanted(f"{address}/{key}"):
                    found[f"{address}/{key}"] = value
        else:
            _within(address, before, after, found, wanted)
