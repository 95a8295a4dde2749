"""Choosing parts by a rule: every condition that is given has to hold."""

import fnmatch
import math
from typing import Iterable

import msgspec
import numpy as np

from aulmo.document import edits
from aulmo.document.assets import AssetStore
from aulmo.document.placement import world_matrices
from aulmo.document.records import Document
from aulmo.errors import BadValue


class Rule(msgspec.Struct, frozen=True):
    """What parts are to be like; what is None or empty does not matter.

    `name` may hold * and ?, and is looked for anywhere in a name without them. `twin_of` names parts whose shape is meant; sizes are the longest
    side in the world in mm; `within` names a saved selection, such as a layer of a file.
    """

    name: str = ""
    material: str | None = None
    twin_of: tuple[str, ...] = ()
    size_from: float | None = None
    size_to: float | None = None
    within: str | None = None
    hidden: bool | None = None
    locked: bool | None = None
    triangles_over: int | None = None


def sizes(document: Document, assets: AssetStore, part_ids: list[str]) -> np.ndarray:
    """(n,) longest side of each part's box in its own turn, in mm of the world."""
    if not part_ids:
        return np.zeros(0)
    worlds = world_matrices(document)
    boxes = {name: np.subtract(*reversed(assets.box(name))) for name in {document.parts[i].mesh or "" for i in part_ids}}
    own = np.array([boxes[document.parts[i].mesh or ""] for i in part_ids])
    scale = np.linalg.norm(np.array([worlds[i][:3, :3] for i in part_ids]), axis=1)
    return (own * scale).max(1)


def chosen(document: Document, assets: AssetStore, rule: Rule) -> list[str]:
    """Ids of the parts with geometry that a rule fits, in tree order. Raises BadValue for numbers that make no sense."""
    for number in (rule.size_from, rule.size_to, rule.triangles_over):
        if number is not None and not (math.isfinite(number) and number >= 0):
            raise BadValue("Sizes and counts are numbers from 0 up.")
    if rule.size_from is not None and rule.size_to is not None and rule.size_from > rule.size_to:
        raise BadValue("The smallest size is larger than the largest.")
    parts = document.parts
    found = [i for i in edits.tree_order(document) if parts[i].mesh is not None]
    wanted = rule.name.strip().lower()
    if wanted:
        pattern = wanted if any(c in wanted for c in "*?") else f"*{wanted}*"
        found = [i for i in found if fnmatch.fnmatchcase(parts[i].name.lower(), pattern)]
    if rule.material is not None:
        found = [i for i in found if rule.material in edits.surfaces_of(parts[i])]
    if rule.twin_of:
        shapes = {(parts[i].shape or parts[i].mesh, parts[i].piece) for i in edits.leaves(document, [i for i in rule.twin_of if i in parts])}
        found = [i for i in found if (parts[i].shape or parts[i].mesh, parts[i].piece) in shapes]
    if rule.within is not None:
        held = document.selections.get(rule.within)
        inside = set(edits.leaves(document, held.parts)) if held is not None else set()
        found = [i for i in found if i in inside]
    if rule.hidden is not None:
        seen = set(edits.shown_parts(document))
        found = [i for i in found if (i not in seen) == rule.hidden]
    if rule.locked is not None:
        found = [i for i in found if parts[i].locked == rule.locked]
    if rule.triangles_over is not None:
        counts = {name: len(assets.mesh(name).triangles) for name in {parts[i].mesh or "" for i in found}}
        found = [i for i in found if counts[parts[i].mesh or ""] > rule.triangles_over]
    if rule.size_from is not None or rule.size_to is not None:
        size = sizes(document, assets, found)
        low, high = rule.size_from or 0.0, math.inf if rule.size_to is None else rule.size_to
        found = [i for i, s in zip(found, size) if low <= s <= high]
    return found


def combined(before: Iterable[str], found: Iterable[str], how: str) -> list[str]:
    """A selection after a rule: "only" what was found, "add" it, "remove" it, or "keep" only what is in both."""
    before, found = list(before), list(found)
    if how == "only":
        return found
    if how == "add":
        return [*before, *(i for i in found if i not in set(before))]
    if how == "remove":
        return [i for i in before if i not in set(found)]
    if how == "keep":
        return [i for i in before if i in set(found)]
    raise BadValue("A rule's parts can be taken alone, added, removed or kept.")
