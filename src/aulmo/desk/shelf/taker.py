"""What is dragged from the shelf, and what stages do with it."""

from pathlib import Path
from typing import Callable, NamedTuple

import msgspec
from PySide6.QtCore import QMimeData, QPoint, QUrl

from aulmo.desk.picture.drops import SWATCH_MIME
from aulmo.document.records import Document
from aulmo.shelf import own
from aulmo.shelf.things import OWN, Thing

SHELF_MIME = "application/x-aulmo-thing"


class Taken(NamedTuple):
    """What a stage does with a kind of thing. `words` : what the cursor says before it is dropped at a point of the picture. `take` : drop it there,
    or where it is wanted with None. `tried` : the document as it would be, None where that is not known yet; `spot` tells the points apart at
    which it would be another. `stages` : where it fits."""

    words: Callable[[Thing, QPoint], tuple[str, str]]
    take: Callable[[Thing, QPoint | None], None]
    stages: tuple[str, ...]
    tried: Callable[[Thing, QPoint], Document | None] | None = None
    spot: Callable[[QPoint], object] = lambda at: None


def mime_of(thing: Thing) -> QMimeData:
    """A thing in the hand: as what it is, as a swatch where it is one, and as its file for whatever takes files."""
    mime = QMimeData()
    mime.setData(SHELF_MIME, msgspec.msgpack.encode(thing))
    if thing.kind == "swatch":
        mime.setData(SWATCH_MIME, swatch_payload(thing).encode())
    if not thing.path.startswith(OWN) and Path(thing.path).is_file():
        mime.setUrls([QUrl.fromLocalFile(p) for p in (thing.files or (thing.path,))])
    return mime


def swatch_payload(thing: Thing) -> str:
    """A swatch as the picture and the parts take it."""
    if thing.path.startswith(OWN):
        return f"swatch\n{own.shipped_name(thing)}\n{thing.name}"
    return f"library\n{thing.path}\n{thing.inside or thing.name}"


def thing_of(mime: QMimeData) -> Thing | None:
    """The thing that is dragged, None for anything else."""
    if not mime.hasFormat(SHELF_MIME):
        return None
    try:
        return msgspec.msgpack.decode(bytes(mime.data(SHELF_MIME).data()), type=Thing)
    except msgspec.MsgspecError:
        return None
