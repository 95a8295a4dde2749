"""Boards that cartons are made of: how thick, how heavy, and what their front, back and cut edge are made of; and the artist's own list of them."""

from pathlib import Path
from typing import Literal

import msgspec
import platformdirs

from aulmo.document.records import Surface
from aulmo.document.writing import write_atomically
from aulmo.errors import BadFile, BadValue

MOST = 200


class Board(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A board: thickness in mm; weight in g/m² at that thickness; surfaces; whether it has flutes, and their pitch in mm."""

    name: str
    thickness_mm: float
    weight: float
    front: Surface
    back: Surface
    core: Surface
    pitch_mm: float = 0.0
    kind: Literal["board", "corrugated", "rigid", "film"] = "board"


_COATED = Surface(base_color=(0.82, 0.82, 0.8), specular_roughness=0.38, specular_weight=0.7)
_GREY = Surface(base_color=(0.42, 0.4, 0.37), specular_roughness=0.75, specular_weight=0.3, base_diffuse_roughness=0.4)
_PALE = Surface(base_color=(0.72, 0.67, 0.57), specular_roughness=0.7, specular_weight=0.3, base_diffuse_roughness=0.4)
_KRAFT = Surface(base_color=(0.43, 0.31, 0.2), specular_roughness=0.68, specular_weight=0.3, base_diffuse_roughness=0.5)
_CLEAR = Surface(
    base_weight=0.0, transmission_weight=1.0, specular_roughness=0.04, specular_ior=1.57, geometry_thin_walled=True
)  # fmt: skip

OURS: dict[str, Board] = {
    b.name: b
    for b in (
        Board("Folding boxboard", 0.4, 270.0, _COATED, _PALE, _PALE),
        Board("Grey-backed board", 0.45, 350.0, _COATED, _GREY, _GREY),
        Board("Kraft board", 0.45, 320.0, _KRAFT, _KRAFT, _KRAFT),
        Board("Corrugated, fine flute", 1.6, 390.0, _COATED, _KRAFT, _KRAFT, 3.3, "corrugated"),
        Board("Corrugated, coarse flute", 4.0, 540.0, _KRAFT, _KRAFT, _KRAFT, 7.9, "corrugated"),
        Board("Rigid board", 1.8, 1150.0, _COATED, _COATED, _GREY, 0.0, "rigid"),
        Board("Clear film", 0.3, 400.0, _CLEAR, _CLEAR, _CLEAR, 0.0, "film"),
    )
}


def thickness_of(board: Board, weight: float) -> float:
    """The thickness in mm of a board of its kind with so many g/m²: as dense as the one that is known."""
    return board.thickness_mm * weight / board.weight


def weight_of(board: Board, thickness_mm: float) -> float:
    """The weight in g/m² of a board of its kind that is so thick."""
    return board.weight * thickness_mm / board.thickness_mm


def folder() -> Path:
    """Where the artist's own boards lie."""
    return Path(platformdirs.user_data_dir("aulmo")) / "boards"


def boards() -> dict[str, Board]:
    """All boards by name, the artist's own after ours. A file that is damaged is passed over."""
    found = dict(OURS)
    for path in sorted(folder().glob("*.json")) if folder().is_dir() else []:
        try:
            one = msgspec.json.decode(path.read_bytes(), type=Board)
            check(one)
        except (OSError, msgspec.MsgspecError, BadValue):
            continue
        found[one.name] = one
    return found


def read(path: Path) -> Board:
    """A board's file. Raises BadFile, BadValue."""
    try:
        found = msgspec.json.decode(path.read_bytes(), type=Board)
    except (OSError, msgspec.MsgspecError):
        raise BadFile(f"{path.name} is no board, or it is damaged.") from None
    check(found)
    return found


def check(board: Board) -> None:
    """Raise BadValue when a board cannot be."""
    if not board.name.strip() or "/" in board.name or len(board.name) > 80:
        raise BadValue("A board needs a name of up to 80 letters.")
    if not (0.01 <= board.thickness_mm <= 50 and 1 <= board.weight <= 20000):
        raise BadValue("A board is between 0.01 and 50 mm thick and weighs between 1 and 20000 g/m².")


def keep(board: Board) -> None:
    """Put a board on the artist's own list, over one of its name. Raises BadValue, CannotWrite."""
    check(board)
    if board.name in OURS:
        raise BadValue(f"{board.name} is a board of Aulmo's own; give yours another name.")
    if len(boards()) > MOST:
        raise BadValue(f"The list of boards is full with {MOST}; take some away first.")
    folder().mkdir(parents=True, exist_ok=True)
    write_atomically(folder() / f"{board.name}.json", lambda file: file.write(msgspec.json.encode(board)))


def take_away(name: str) -> None:
    """Take one of the artist's own boards off the list. Raises BadValue."""
    path = folder() / f"{name}.json"
    if name in OURS or not path.is_file():
        raise BadValue(f"There is no board of your own named {name}.")
    path.unlink()


def board_named(name: str) -> Board:
    """A board by its name. Raises BadFile for one that is not on the list."""
    found = boards().get(name)
    if found is None:
        raise BadFile(f"There is no board named {name}.")
    return found
