"""What hangs below what, and what of it is seen; names and ids that are still free."""

import uuid
from typing import Iterable

from aulmo.document.records import Document


def new_id() -> str:
    """A short id that no other part, material, camera or shot has."""
    return uuid.uuid4().hex[:12]


def free_name(wanted: str, taken: Iterable[str]) -> str:
    """`wanted`, or the first of "wanted 2", "wanted 3" that is free."""
    names = set(taken)
    if wanted not in names:
        return wanted
    number = 2
    while f"{wanted} {number}" in names:
        number += 1
    return f"{wanted} {number}"


def free_id(wanted: str, taken: Iterable[str]) -> str:
    """The same for what is named within a file: without spaces, and without what references are written with."""
    name = free_name(wanted, taken)
    return name.translate(str.maketrans(" :/", "---"))


def below(document: Document, part_id: str) -> list[str]:
    """A part and everything under it, in tree order."""
    result, stack = [], [part_id]
    while stack:
        current = stack.pop()
        result.append(current)
        stack.extend(reversed(document.parts[current].children))
    return result


def leaves(document: Document, part_ids: Iterable[str]) -> list[str]:
    """The parts with geometry among the given ones and those below them, each once."""
    seen: dict[str, None] = {}
    for part_id in part_ids:
        if document.parts[part_id].children:
            seen.update((under, None) for under in below(document, part_id) if document.parts[under].mesh is not None)
        elif document.parts[part_id].mesh is not None:
            seen[part_id] = None
    return list(seen)


def topmost(document: Document, part_ids: Iterable[str]) -> list[str]:
    """The given parts without those that hang below another of them."""
    chosen = set(part_ids)

    def covered(part_id: str) -> bool:
        above = document.parts[part_id].parent
        while above is not None:
            if above in chosen:
                return True
            above = document.parts[above].parent
        return False

    return [i for i in part_ids if not covered(i)]


def tree_order(document: Document) -> list[str]:
    """Every part, parents before children."""
    return [part for root in document.roots for part in below(document, root)]


def shown_parts(document: Document) -> list[str]:
    """The parts with geometry that are seen, in the document's order: neither hidden nor below something hidden."""
    hidden: set[str] = set()
    for part_id, part in document.parts.items():
        if not part.visible and part_id not in hidden:
            hidden.update(below(document, part_id))
    return [i for i, p in document.parts.items() if p.mesh is not None and i not in hidden]


def is_shown(document: Document, part_id: str) -> bool:
    """True when neither the part nor anything above it is hidden."""
    current: str | None = part_id
    while current is not None:
        part = document.parts[current]
        if not part.visible:
            return False
        current = part.parent
    return True
