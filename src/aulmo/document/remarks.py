"""Remarks on a project: pinned, taken care of, taken away; and where a pin lies now."""

import datetime

import numpy as np
from msgspec.structs import replace

from aulmo.document.branches import new_id
from aulmo.document.placement import world_matrix
from aulmo.document.records import Document, Remark
from aulmo.errors import BadValue

MOST_LETTERS = 2000


def pinned(
    document: Document, seen: Document, text: str, part: str | None, point, shot: str = "", time: float = 0.0, by: str = ""
) -> tuple[Document, str]:
    """The document with a remark on a part of it as it is `seen` (resolved), at a world point (3,). Returns it and the remark's id. Raises BadValue
    for one that says nothing."""
    text = " ".join(text.split())[:MOST_LETTERS]
    if not text:
        raise BadValue("A remark wants a word or two.")
    place = np.asarray(point, float)
    if part is not None and part in seen.parts:
        own = np.linalg.inv(world_matrix(seen, part)) @ np.append(place, 1.0)
        place = own[:3]
    else:
        part = ""
    x, y, z = (float(v) for v in place.round(4))
    made = Remark(new_id(), text, part or "", (x, y, z), shot, float(time), by[:80], datetime.datetime.now().strftime("%Y-%m-%d %H:%M"))
    return replace(document, remarks={**document.remarks, made.id: made}), made.id


def place_of(seen: Document, remark: Remark) -> np.ndarray | None:
    """(3,) world point of a remark's pin in a resolved document; None where its part has gone."""
    if not remark.pinned:
        return np.array(remark.point)
    if remark.pinned not in seen.parts:
        return None
    return (world_matrix(seen, remark.pinned) @ np.append(remark.point, 1.0))[:3]


def with_done(document: Document, remark_id: str, done: bool) -> Document:
    """A remark taken care of, or open again."""
    held = document.remarks[remark_id]
    return replace(document, remarks={**document.remarks, remark_id: replace(held, done=done)})


def without(document: Document, remark_id: str) -> Document:
    """The document without a remark."""
    return replace(document, remarks={i: r for i, r in document.remarks.items() if i != remark_id})


def numbered(document: Document) -> list[tuple[int, Remark]]:
    """All remarks in the order in which they were made, from 1."""
    return list(enumerate(document.remarks.values(), 1))
