"""The flat of a carton: its lines with their kinds, its panels, the creases between them. It lies in the project as a file of its own and is never
changed in place."""

import functools
from typing import Literal, Sequence

import msgspec
import numpy as np

from aulmo.document.stores import store_of
from aulmo.errors import BadFile

SUFFIX = ".flat"
Kind = Literal["cut", "crease", "half", "perforation", "window", "left"]
KINDS: dict[str, str] = {
    "cut": "cut", "crease": "crease", "half": "half-cut", "perforation": "perforation", "window": "window", "left": "left out",
}  # fmt: skip
FOLDING = ("crease", "half", "perforation")
At = tuple[float, float]


class FlatLine(msgspec.Struct, frozen=True, gc=False, omit_defaults=True):
    """A line between two knots, mm: its kind, whether that is a guess, what the file said of it, the panels to its left and right (-1: none)."""

    points: tuple[At, ...]
    kind: Kind
    unsure: bool = False
    layer: str = ""
    colour: str = ""
    dashes: str = ""
    name: str = ""
    panels: tuple[int, int] = (-1, -1)


class FlatPanel(msgspec.Struct, frozen=True, gc=False, omit_defaults=True):
    """A panel: its outline against the clock, then the holes in it; and slits that run into it."""

    rings: tuple[tuple[At, ...], ...]
    slits: tuple[tuple[At, ...], ...] = ()


class FlatCrease(msgspec.Struct, frozen=True, gc=False, omit_defaults=True):
    """A crease between two panels, perhaps in several pieces along one line, in the direction in which the first panel lies to its left. One that
    is `loose` closes a ring of panels: it is not folded but glued."""

    id: str
    panels: tuple[int, int]
    kind: Kind
    pieces: tuple[tuple[At, ...], ...]
    loose: bool = False


class FlatWindow(msgspec.Struct, frozen=True, gc=False, omit_defaults=True):
    """A window: its outline, and the panels that it is cut from."""

    ring: tuple[At, ...]
    panels: tuple[int, ...]


class FlatOdd(msgspec.Struct, frozen=True, gc=False, omit_defaults=True):
    """Something odd about the drawing: in words, where, its size in mm."""

    words: str
    at: At
    size_mm: float = 0.0


class Flat(msgspec.Struct, frozen=True, gc=False, omit_defaults=True):
    """A carton lying flat. `page` is the sheet (left, bottom, right, top) that the drawing lay on, where its file had one."""

    lines: tuple[FlatLine, ...]
    panels: tuple[FlatPanel, ...]
    creases: tuple[FlatCrease, ...]
    windows: tuple[FlatWindow, ...] = ()
    odd: tuple[FlatOdd, ...] = ()
    scale: str = ""
    page: tuple[float, float, float, float] | None = None

    @property
    def box(self) -> tuple[float, float, float, float]:
        """Left, bottom, right and top of all panels, mm: where artwork lies from 0 to 1."""
        corners = [at for panel in self.panels for at in panel.rings[0]]
        x, y = [a for a, _ in corners], [b for _, b in corners]
        return min(x), min(y), max(x), max(y)

    @property
    def cuts(self) -> int:
        """How many lines are cut, windows among them."""
        return sum(line.kind in ("cut", "window") for line in self.lines)


def ring_area(ring: Sequence[At]) -> float:
    """The area within a ring in mm², below zero with the clock."""
    x, y = np.array(ring).T
    return 0.5 * float(x @ np.roll(y, -1) - y @ np.roll(x, -1))


def pack_flat(flat: Flat) -> bytes:
    """A flat as the blob that the project keeps."""
    return msgspec.json.encode(flat)


@functools.lru_cache(maxsize=32)
def flat_of(name: str) -> Flat:
    """The flat of an asset's name, from whichever store holds it. Raises BadFile."""
    try:
        flat = msgspec.json.decode(store_of(name).get(name), type=Flat)
    except msgspec.MsgspecError as error:
        raise BadFile("A carton's drawing stored in the project is damaged.") from error
    if not _sound(flat):
        raise BadFile("A carton's drawing stored in the project is damaged.")
    return flat


def _sound(flat: Flat) -> bool:
    count = len(flat.panels)
    if not count or any(not panel.rings or any(len(ring) < 3 for ring in panel.rings) for panel in flat.panels):
        return False
    if any(not crease.pieces or any(len(p) < 2 for p in crease.pieces) or crease.panels[0] == crease.panels[1] for crease in flat.creases):
        return False
    if any(crease.pieces[0][0] == crease.pieces[-1][-1] for crease in flat.creases) or len({c.id for c in flat.creases}) != len(flat.creases):
        return False
    numbers = [n for crease in flat.creases for n in crease.panels] + [n for window in flat.windows for n in window.panels]
    points = [at for panel in flat.panels for ring in panel.rings for at in ring] + [at for c in flat.creases for p in c.pieces for at in p]
    return all(0 <= n < count for n in numbers) and all(abs(x) < 1e7 and abs(y) < 1e7 for x, y in points)
