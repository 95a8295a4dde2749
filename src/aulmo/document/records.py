"""What a project is made of: small frozen records in one tree.

Lengths in millimetres, angles in degrees, z up; colours are linear ACEScg; light in nits, exposure in EV100.
Dictionaries inside records are never changed in place; an edit makes a new one (see `edits`).
"""

from typing import Annotated

from aulmo.document import property as say
from aulmo.document.carton_records import Carton as Carton, Crease as Crease, Print as Print
from aulmo.document.colour_records import ProjectColour as ProjectColour
from aulmo.document.decal_records import (
    Decal as Decal,
    Stood as Stood,
    Swap as Swap,
)
from aulmo.document.film_records import (
    Cut as Cut,
    Film as Film,
    Footage as Footage,
    Key as Key,
    LaneGroup as LaneGroup,
    Marker as Marker,
    Motion as Motion,
)
from aulmo.document.finish_records import (
    Balance as Balance,
    Finish as Finish,
    Grade as Grade,
    HueBand as HueBand,
    Layer as Layer,
    Mask as Mask,
    Stroke as Stroke,
)
from aulmo.document.frame_records import (
    Backdrop as Backdrop,
    Camera as Camera,
    Cutout as Cutout,
    Floor as Floor,
    GreyPatch as GreyPatch,
    Photograph as Photograph,
    ShadowStick as ShadowStick,
    Shot as Shot,
    SightLine as SightLine,
)
from aulmo.document.light_records import (
    Environment as Environment,
    GradeStop as GradeStop,
    Lamp as Lamp,
    Sky as Sky,
    Softbox as Softbox,
)
from aulmo.document.part_records import (
    Copies as Copies,
    FaceSet as FaceSet,
    Finesse as Finesse,
    GuidePath as GuidePath,
    Mend as Mend,
    Part as Part,
    Piece as Piece,
    Placement as Placement,
    Prop as Prop,
    Selection as Selection,
    SetPiece as SetPiece,
    Slice as Slice,
    Source as Source,
)
from aulmo.document.record_base import (
    AssetName as AssetName,
    CameraId as CameraId,
    ColourId as ColourId,
    DecalId as DecalId,
    EnvironmentName as EnvironmentName,
    FaceNumber as FaceNumber,
    Follow as Follow,
    Mark as Mark,
    MaterialId as MaterialId,
    Pair as Pair,
    PartId as PartId,
    PathId as PathId,
    Place as Place,
    Point as Point,
    Record as Record,
    Triple as Triple,
    Value as Value,
    within as within,
)
from aulmo.document.remark_records import (
    Remark as Remark,
)
from aulmo.document.render_records import (
    Quality as Quality,
    RenderSettings as RenderSettings,
)
from aulmo.document.surface_records import (
    Adjust as Adjust,
    Lay as Lay,
    Material as Material,
    Node as Node,
    NodeGroup as NodeGroup,
    Stop as Stop,
    Surface as Surface,
    SurfaceLayer as SurfaceLayer,
)
from aulmo.document.variant_records import (
    Axis as Axis,
    Choice as Choice,
    Refused as Refused,
)

SCHEMA_VERSION = 10


class Moved(Record):
    """What resolving tells of a moment and never a file: the parts as they are when nothing moves, by which a floor is laid, and the matrix,
    sixteen numbers row by row, by which a motion carries the light of the scene; none where it does not."""

    at_rest: Annotated[dict[str, Part], say.many("At rest")] = {}
    carried: Annotated[tuple[Place, ...], say.many("Carried")] = ()


class Document(Record):
    """A whole project. `keys` holds, by the address of a property, its values in the order of time; `motions` come on top of them, in the order in
    which they act on one thing. `axes` are what the product may be had in several of, `refused` the combinations that are not offered. `remarks` are
    what was said of its pictures. `moved` is set by resolving alone."""

    schema_version: int = SCHEMA_VERSION
    name: Annotated[str, say.text("Name")] = "Untitled"
    parts: dict[str, Part] = {}
    roots: tuple[str, ...] = ()
    selections: dict[str, Selection] = {}
    sources: dict[str, Source] = {}
    props: dict[str, Prop] = {}
    paths: dict[str, GuidePath] = {}
    materials: dict[str, Material] = {}
    colours: dict[str, ProjectColour] = {}
    decals: dict[str, Decal] = {}
    environment: Environment = Environment()
    backdrop: Backdrop = Backdrop()
    floor: Floor = Floor()
    lamps: dict[str, Lamp] = {}
    cameras: dict[str, Camera] = {}
    shots: tuple[Shot, ...] = ()
    render: RenderSettings = RenderSettings()
    keys: dict[str, tuple[Key, ...]] = {}
    motions: dict[str, Motion] = {}
    film: Film = Film()
    axes: tuple[Axis, ...] = ()
    refused: tuple[Refused, ...] = ()
    finishes: dict[str, Finish] = {}
    remarks: dict[str, Remark] = {}
    windows: Annotated[tuple[Point, ...], say.many("Openings that are meant")] = ()
    frames_per_second: Annotated[float, say.number("Frames per second", 1, 60, "", 2, 0.01, 10000)] = 25.0
    notes: Annotated[tuple[str, ...], say.many("Choices made")] = ()
    moved: Moved = Moved()
