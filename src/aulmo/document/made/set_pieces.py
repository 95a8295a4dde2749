"""Set pieces: what each kind is called, which sizes it has, and its mesh. A mesh is made when it is first wanted and is never stored: the name of
one says how it is made."""

import functools

import msgspec
from msgspec.structs import replace

from aulmo.document.made import solids
from aulmo.document.made.lettering import letters
from aulmo.document.made.water import water
from aulmo.document.meshes import MADE, Mesh
from aulmo.document.records import SetPiece
from aulmo.errors import BadFile, BadValue

# the sizes that count for each kind, with what they are to begin with
SIZES: dict[str, dict[str, float | int | str]] = {
    "floor": {"width": 2000.0, "depth": 2000.0, "thickness": 20.0, "bevel": 0.0},
    "wall": {"width": 2000.0, "height": 1200.0, "thickness": 40.0, "bevel": 0.0},
    "cove": {"width": 2400.0, "depth": 2000.0, "height": 1400.0, "radius": 500.0},
    "plinth": {"width": 200.0, "depth": 200.0, "height": 300.0, "bevel": 1.0},
    "shelf": {"width": 600.0, "depth": 200.0, "thickness": 24.0, "bevel": 1.0},
    "turntable": {"radius": 200.0, "height": 20.0, "bevel": 2.0},
    "block": {"width": 100.0, "depth": 100.0, "height": 100.0, "bevel": 0.0},
    "cylinder": {"radius": 50.0, "height": 100.0, "bevel": 0.0},
    "cone": {"radius": 50.0, "radius_top": 0.0, "height": 100.0},
    "tube": {"radius": 50.0, "thickness": 5.0, "height": 100.0, "bevel": 0.0},
    "sphere": {"radius": 50.0},
    "torus": {"radius": 50.0, "thickness": 20.0},
    "text": {"text": "Odrel", "height": 60.0, "thickness": 12.0, "bevel": 1.0},
    "water": {"width": 1000.0, "depth": 1000.0, "wind": 2.0, "wave": 150.0, "seed": 0},
}
MOST_LETTERS = 400


def starting(kind: str) -> SetPiece:
    """A set piece as it is made first. Raises BadValue for a kind there is not."""
    if kind not in SIZES:
        raise BadValue(f"There is no set piece named {kind}; there are {', '.join(SIZES)}.")
    return replace(SetPiece(), kind=kind, **SIZES[kind])


def check(piece: SetPiece) -> None:
    """Raise BadValue with a sentence when nothing can be made of it."""
    if piece.kind == "text":
        if not piece.text.strip():
            raise BadValue("A text needs at least one letter that can be seen.")
        if len(piece.text) > MOST_LETTERS:
            raise BadValue(f"A text may have up to {MOST_LETTERS} letters; this one has {len(piece.text)}.")


def name_of_mesh(piece: SetPiece) -> str:
    """The name of a set piece's mesh: what counts for its kind, written out."""
    kept = {"kind": piece.kind} | {name: getattr(piece, name) for name in SIZES[piece.kind]}
    return MADE + msgspec.json.encode(kept).decode()


@functools.lru_cache(maxsize=256)
def mesh_of_name(name: str) -> Mesh:
    """The mesh that a name of `name_of_mesh` stands for. Raises BadFile."""
    try:
        piece = msgspec.json.decode(name.removeprefix(MADE).encode(), type=SetPiece)
    except msgspec.MsgspecError as error:
        raise BadFile("A set piece of the project is damaged.") from error
    mesh = make(piece)
    for array in mesh:
        array.setflags(write=False)
    return mesh


def make(p: SetPiece) -> Mesh:
    """Triangles of a set piece, in mm. What things stand on has its upper side at z = 0, a wall and a shelf have their back or front at y = 0,
    everything else stands on z = 0. Raises BadValue."""
    check(p)
    if p.kind == "floor":
        return solids.moved(solids.box(p.width, p.depth, p.thickness, p.bevel), z=-p.thickness / 2)
    if p.kind == "wall":
        return solids.moved(solids.box(p.width, p.thickness, p.height, p.bevel), y=p.thickness / 2, z=p.height / 2)
    if p.kind == "cove":
        return solids.cove(p.width, p.depth, p.height, p.radius)
    if p.kind in ("plinth", "block"):
        return solids.moved(solids.box(p.width, p.depth, p.height, p.bevel), z=p.height / 2)
    if p.kind == "shelf":
        return solids.moved(solids.box(p.width, p.depth, p.thickness, p.bevel), y=-p.depth / 2, z=-p.thickness / 2)
    if p.kind in ("turntable", "cylinder"):
        return solids.cylinder(p.radius, p.height, p.bevel)
    if p.kind == "cone":
        return solids.cone(p.radius, p.radius_top, p.height)
    if p.kind == "tube":
        return solids.tube(p.radius, p.thickness, p.height, p.bevel)
    if p.kind == "sphere":
        return solids.sphere(p.radius)
    if p.kind == "torus":
        return solids.torus(p.radius, p.thickness)
    if p.kind == "text":
        return letters(p.text, p.height, p.thickness, p.bevel)
    return water(p.width, p.depth, p.wind, p.wave, p.seed)
