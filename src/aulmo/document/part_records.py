"""What parts are made of: where they stand, what they are made from, copies, cuts, and the files that they came from (Prepare)."""

from typing import Annotated, Literal

from aulmo.document import property as say
from aulmo.document.carton_records import Carton
from aulmo.document.record_base import AssetName, FaceNumber, MaterialId, PartId, PathId, Point, Record, Triple, within

MOST_COPIES = 1_000_000
MOST_PARTS = 500_000


class Placement(Record):
    """Where a part sits in its parent: scaled, then turned about x, y, z in that order, then moved."""

    position: Annotated[Triple, say.vector("Position")] = (0.0, 0.0, 0.0)
    turn: Annotated[Triple, say.vector("Turn", "°", 1e6, change="turns")] = (0.0, 0.0, 0.0)
    scale: Annotated[Triple, say.vector("Scale", "", 1e6, 3, nonzero=True)] = (1.0, 1.0, 1.0)


class Finesse(Record):
    """How closely triangles follow an exact shape: largest gap in mm and largest angle between neighbours."""

    chord_mm: Annotated[float, say.number("Gap", 1e-4, 1, "mm", 4, 1e-6, 1e4, tip="Largest distance between triangles and the exact shape")] = 0.05
    angle: Annotated[float, say.number("Angle", 1, 90, "°", 1, 0.1, 120, tip="Largest angle between neighbouring triangles")] = 10.0


class FaceSet(Record):
    """Faces of a part, by the numbers that its triangles carry, which wear a material of their own."""

    id: str
    name: Annotated[str, say.text("Name")]
    faces: Annotated[tuple[FaceNumber, ...], say.many("Faces")] = ()
    material: Annotated[MaterialId | None, say.reference("Material")] = None


class SetPiece(Record):
    """A thing to stand on or before, made from its sizes in mm: see `made.set_pieces` for which of them each kind has.

    `wind` is in metres a second, `wave` the length of the longest waves.
    """

    kind: Annotated[
        Literal["floor", "wall", "cove", "plinth", "shelf", "turntable", "block", "cylinder", "cone", "tube", "sphere", "torus", "text", "water"],
        say.choice("Kind", "Floor", "Wall", "Cove", "Plinth", "Shelf", "Turntable", "Block", "Cylinder", "Cone", "Tube", "Sphere", "Torus", "Text",
            "Water"),
    ] = "block"
    width: Annotated[float, say.size("Width", 2000)] = 100.0
    depth: Annotated[float, say.size("Depth", 2000)] = 100.0
    height: Annotated[float, say.size("Height", 1000)] = 100.0
    radius: Annotated[float, say.size("Radius", 500)] = 50.0
    radius_top: Annotated[float, say.size("Top radius", 500, least=0.0)] = 0.0
    thickness: Annotated[float, say.size("Thickness", 100)] = 10.0
    bevel: Annotated[float, say.size("Bevel", 20, least=0.0)] = 0.0
    text: Annotated[str, say.text("Letters")] = "Odrel"
    wind: Annotated[float, say.number("Wind", 0, 12, "m/s", 1, 0, 60, tip="How strongly the water is stirred")] = 3.0
    wave: Annotated[float, say.size("Wave length", 1000)] = 100.0
    seed: Annotated[int, say.whole("Pattern", 0, 100, 0, 2_000_000_000, tip="Another number, other waves")] = 0


class Copies(Record):
    """A rule that makes `count` copies of the parts in its group; they stand for them. See `made.copies` for what each kind reads.

    Lengths in the group's own mm. `shares` says how often each of several sources is taken, in their order; empty takes all alike.
    `anchor` is the point of a source that is put where the rule says. `apart` keeps scattered ones at least so far from each other;
    `steepest` is how many degrees from straight up a surface may face to get any.
    `jitter_size` is the largest share of a copy's size. `hidden` names single copies by their number.
    """

    kind: Annotated[
        Literal["row", "ring", "grid", "path", "box", "ball", "surface"],
        say.choice("Rule", "Row", "Ring", "Grid", "Along a path", "In a box", "In a ball", "Over a surface"),
    ] = "row"
    count: Annotated[int, say.whole("Count", 1, 200, 1, MOST_COPIES)] = 5
    step: Annotated[Triple, say.vector("Step", decimals=1)] = (100.0, 0.0, 0.0)
    columns: Annotated[int, say.whole("Columns", 1, 20, 1, MOST_COPIES)] = 3
    rows: Annotated[int, say.whole("Rows", 1, 20, 1, MOST_COPIES)] = 3
    centre: Annotated[Triple, say.vector("Centre", decimals=1)] = (0.0, 0.0, 0.0)
    axis: Annotated[Literal["x", "y", "z"], say.choice("Axis", "X", "Y", "Z")] = "z"
    radius: Annotated[float, say.number("Radius", 0, 500, "mm", 1, 0, 1e7, curve=2, tip="0 keeps the distance that the source has")] = 0.0
    sweep: Annotated[float, say.number("Sweep", 0, 360, "°", 1, -36000, 36000)] = 360.0
    turned: Annotated[bool, say.yes("Turns with it", "Each copy turns as the ring or the path turns; off keeps them all alike")] = True
    path: Annotated[PathId | None, say.reference("Path")] = None
    box: Annotated[Triple, say.vector("Box", decimals=1)] = (200.0, 200.0, 200.0)
    on: Annotated[tuple[PartId, ...], say.many("On")] = ()
    apart: Annotated[
        float,
        say.number("Apart", 0, 200, "mm", 1, 0, 1e7, curve=2, tip="Least distance between two copies; fewer are made where there is no room"),
    ] = 0.0
    upright: Annotated[bool, say.yes("Upright", "Copies stand straight; off lets them stand square to the surface")] = False
    steepest: Annotated[float, say.number("Slope up to", 0, 180, "°", 0, tip="How far from straight up a surface may face to get copies")] = 180.0
    anchor: Annotated[Literal["base", "middle", "origin"], say.choice("Put by its", "Base", "Middle", "Origin")] = "base"
    jitter_place: Annotated[Triple, say.vector("Place varies", decimals=1)] = (0.0, 0.0, 0.0)
    jitter_turn: Annotated[Triple, say.vector("Turn varies", "°", 3600, 0)] = (0.0, 0.0, 0.0)
    jitter_size: Annotated[float, say.number("Size varies", 0, 0.9, "", 2, 0, 0.95)] = 0.0
    seed: Annotated[int, say.whole("Pattern", 0, 100, 0, 2_000_000_000)] = 0
    shares: Annotated[tuple[Annotated[float, within(0.0, 1e9)], ...], say.many("Shares")] = ()
    hidden: Annotated[tuple[Annotated[int, within(0, 10_000_000)], ...], say.many("Hidden")] = ()


class Slice(Record):
    """A cut by a plane through `point` in a part's own axes: what lies on the side that `normal` points to is kept, and closed."""

    point: Annotated[Triple, say.vector("Point")] = (0.0, 0.0, 0.0)
    normal: Annotated[Triple, say.vector("Direction", "", 1e6, 3)] = (0.0, 0.0, 1.0)


class Piece(Record):
    """What of its exact shape a part is: some of its faces (all when there are none), cut by planes in order."""

    faces: Annotated[tuple[FaceNumber, ...], say.many("Faces")] = ()
    slices: Annotated[tuple[Slice, ...], say.many("Cuts")] = ()


class Mend(Record):
    """What was mended on a part's mesh: the kind of flaw, where in the part's own axes, its size in mm, and how an opening was closed. Where the mesh
    is made anew, of another finesse or of a new revision, it is mended again by these."""

    kind: Annotated[
        Literal["flipped", "open", "hole", "coincident", "sliver", "fine"],
        say.choice("Mended", "Turned faces", "A gap", "A hole", "Double faces", "Slivers", "Finer than the shots show"),
    ] = "hole"
    at: Annotated[Triple, say.vector("Where", decimals=2)] = (0.0, 0.0, 0.0)
    size: Annotated[float, say.number("Size", 0, 1000, "mm", 3, most=1e9)] = 0.0
    how: Annotated[Literal["flat", "smooth", "rim"], say.choice("Closed", "Flat", "Smooth", "Along the rim")] = "flat"


class Part(Record):
    """A node of the assembly: a group when `mesh` is None. Sharp edges look rounded by `edge_radius` mm when it is above zero.

    `material` is the body's; `face_sets` wear others, a later one over an earlier where both hold a face. A part that `catches` shadow lets the
    backdrop through but for the shadow that falls on it, and its reflections of the product where that is wanted too. `pivot` is the point, in the
    part's own axes, that handles turn and scale about; None for the middle of its box. `set_piece` is what the mesh is made from, `carton` a fold,
    `copies` the rule of a group, `piece` what of `shape` the part is, `mends` what was put right on its mesh. `unseen` leaves it out of the
    camera's sight, always or while it stands between the camera and what that looks at, and yet it lights and shades. What catches and `gives_back`
    sends light of its colour to the product. `opacity` fades whatever it and all below it wear, `glow` brightens what glows there by so many stops.
    """

    id: str
    name: Annotated[str, say.text("Name")]
    parent: PartId | None = None
    children: tuple[PartId, ...] = ()
    placement: Placement = Placement()
    mesh: Annotated[AssetName | None, say.reference("Triangles")] = None
    shape: Annotated[AssetName | None, say.reference("Exact shape")] = None
    finesse: Finesse = Finesse()
    material: Annotated[MaterialId | None, say.reference("Material")] = None
    visible: Annotated[bool, say.yes("Visible")] = True
    locked: Annotated[bool, say.yes("Locked")] = False
    edge_radius: Annotated[
        float,
        say.number("Softened", 0, 2, "mm", 3, most=1e4, curve=2, tip="Sharp edges look rounded by this much; 0 is off"),
    ] = 0.0
    source_key: Annotated[str, say.text("Came from")] = ""
    face_sets: tuple[FaceSet, ...] = ()
    catches: Annotated[Literal["nothing", "shadow", "reflection"], say.choice("Catches", "Nothing", "Shadow", "Shadow and reflection")] = "nothing"
    gives_back: Annotated[bool, say.yes("Gives its colour back", "What stands there is lit by it")] = False
    unseen: Annotated[Literal["never", "between", "always"], say.choice("In shots", "Always", "Unless it stands between", "Never")] = "never"
    pivot: Annotated[Triple | None, say.vector("Pivot")] = None
    set_piece: SetPiece | None = None
    copies: Copies | None = None
    carton: Carton | None = None
    piece: Piece | None = None
    mends: tuple[Mend, ...] = ()
    opacity: Annotated[float, say.number("Opacity", 0, 1, tip="Of it and all below it, whatever they wear")] = 1.0
    glow: Annotated[float, say.number("Glow", -6, 6, "stops", 2, -60, 60, tip="How much brighter what glows there is")] = 0.0


class GuidePath(Record):
    """A line in the world through `points`, straight or smooth, open or closed: copies stand along it, things move along it. Of a smooth one the
    pieces in `straights`, by the number of the point that they begin at, are straight, and what is bent goes on from them without a corner."""

    id: str
    name: Annotated[str, say.text("Name")]
    points: Annotated[tuple[Point, ...], say.many("Points")] = ()
    smooth: Annotated[bool, say.choice("Drawn", {True: "Smooth", False: "Straight"})] = True
    closed: Annotated[bool, say.choice("Ends", {False: "Open", True: "Closed"})] = False
    straights: Annotated[tuple[FaceNumber, ...], say.many("Straight pieces")] = ()


class Selection(Record):
    """Parts chosen together under a name, as a layer of a file or by hand."""

    id: str
    name: Annotated[str, say.text("Name")]
    parts: Annotated[tuple[PartId, ...], say.many("Parts")] = ()


class Source(Record):
    """A file that was brought in, and what was decided: its unit in mm, which of its axes is up, whether a product of several solids stayed one
    part, whether its colours became materials that look made of something. `offered` is a likelier unit in mm, 0 for none. `digest` is the SHA-256 of
    the file as it was read, `said` what was in it, `aside` tells in sentences what a revision of it could not keep, until that is dismissed.
    """

    id: str
    name: Annotated[str, say.text("Name")]
    path: Annotated[str, say.text("File")] = ""
    roots: Annotated[tuple[PartId, ...], say.many("Parts")] = ()
    unit_mm: Annotated[float, say.number("Unit", 1e-3, 1e6, "mm", 3, 1e-6, 1e9)] = 1.0
    offered: Annotated[float, say.number("Likelier unit", 0, 1e6, "mm", 3, most=1e9)] = 0.0
    up: Annotated[Literal["z", "y", "x"], say.choice("Up", "Z", "Y", "X")] = "z"
    whole: Annotated[bool, say.choice("Several solids", {False: "A group", True: "One part"})] = False
    dressed: Annotated[bool, say.choice("Colours", {True: "Plastic and metal", False: "Plain"})] = True
    solids: Annotated[int, say.whole("Solids", 0, 1000, 0, 10_000_000)] = 0
    digest: Annotated[str, say.text("Content")] = ""
    said: Annotated[AssetName | None, say.reference("What it said")] = None
    aside: Annotated[tuple[str, ...], say.many("Not kept")] = ()


class Prop(Record):
    """Something kept that stands in the project: the file it was taken from, what that held then (`stamp`, see `project_file.stamp_of`), and its
    `roots` here. When it is `tied` the project tells when the file holds something else."""

    id: str
    name: Annotated[str, say.text("Name")]
    path: Annotated[str, say.text("File")] = ""
    stamp: Annotated[str, say.text("Content")] = ""
    roots: Annotated[tuple[PartId, ...], say.many("Parts")] = ()
    tied: Annotated[bool, say.yes("Tied", "Tells when the kept one has changed")] = False
