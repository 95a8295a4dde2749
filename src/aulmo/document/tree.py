"""Edits of the tree of parts: what hangs where, in which order, under which names. Nothing moves in the world."""

import re
from typing import Iterable

import numpy as np
from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.placement import from_matrix, world_matrix
from aulmo.document.records import Document
from aulmo.errors import BadValue


def move_into(document: Document, part_ids: Iterable[str], parent: str | None, before: str | None = None) -> Document:
    """Hang parts below another one, or at the top with None, where they stay in their places in the world; at the end, or before a sibling.

    Raises BadValue for a part that would hang below itself and for a parent that has geometry.
    """
    chosen = edits.topmost(document, [i for i in dict.fromkeys(part_ids) if i in document.parts])
    if parent is not None:
        if document.parts[parent].mesh is not None:
            raise BadValue(f"{document.parts[parent].name} is no group.")
        above: str | None = parent
        while above is not None:
            if above in chosen:
                raise BadValue(f"{document.parts[above].name} cannot be put into itself.")
            above = document.parts[above].parent
    worlds = {i: world_matrix(document, i) for i in chosen}
    inside = world_matrix(document, parent)
    parts, moving = dict(document.parts), set(chosen)
    for old in {document.parts[i].parent for i in chosen}:
        if old is not None:
            parts[old] = replace(parts[old], children=tuple(c for c in parts[old].children if c not in moving))
    roots = [r for r in document.roots if r not in moving]
    siblings = list(parts[parent].children) if parent is not None else roots
    at = siblings.index(before) if before in siblings else len(siblings)
    siblings[at:at] = chosen
    if parent is not None:
        parts[parent] = replace(parts[parent], children=tuple(siblings))
    for i in chosen:
        part = parts[i]
        same = part.parent == parent
        placement = part.placement if same else from_matrix(np.linalg.solve(inside, worlds[i]))
        parts[i] = replace(part, parent=parent, placement=placement)
    return replace(document, parts=parts, roots=tuple(siblings if parent is None else roots))


def ungroup(document: Document, group_ids: Iterable[str]) -> tuple[Document, list[str]]:
    """Dissolve groups: what is in them comes up a level where it stands. Returns the document and the ids that came up. Raises BadValue."""
    freed: list[str] = []
    for group in group_ids:
        held = document.parts[group]
        if held.mesh is not None or not held.children:
            raise BadValue(f"{held.name} is no group with anything in it.")
        if held.copies is not None:
            raise BadValue(f"{held.name} is made by a copies rule; make its copies separate first.")
        document = move_into(document, held.children, held.parent, before=group)
        freed += held.children
        document = edits.delete_parts(edits.change_part(document, group, locked=False), [group])
    if not freed:
        raise BadValue("Choose a group to take apart.")
    return document, freed


def rename_parts(document: Document, part_ids: Iterable[str], pattern: str) -> Document:
    """Give parts names by a pattern in which # is a running number: "Screw #". Several # make it as many digits. Raises BadValue."""
    wanted = pattern.strip()
    if not wanted:
        raise BadValue("A name needs at least one letter.")
    chosen = [i for i in dict.fromkeys(part_ids) if i in document.parts]
    if "#" not in wanted and len(chosen) > 1:
        wanted += " #"
    parts = {}
    for number, part_id in enumerate(chosen, 1):
        name = re.sub(r"#+", lambda found, n=number: str(n).zfill(len(found[0])), wanted)
        parts[part_id] = replace(document.parts[part_id], name=name)
    return replace(document, parts={**document.parts, **parts})


def sort_by_name(document: Document, group: str | None) -> Document:
    """Put what is right below a group, or at the top, in the order of names, numbers in names by their size."""

    def key(part_id: str) -> list:
        words = re.split(r"(\d+)", document.parts[part_id].name.lower())
        return [(1, int(w), "") if w.isdigit() else (0, 0, w) for w in words]

    if group is None:
        return replace(document, roots=tuple(sorted(document.roots, key=key)))
    return edits.change_part(document, group, children=tuple(sorted(document.parts[group].children, key=key)))
