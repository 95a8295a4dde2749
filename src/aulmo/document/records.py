"""What a project is made of: small frozen records in one tree.

Lengths in millimetres, angles in degrees, z up; colours are linear ACEScg; light in nits, exposure in EV100.
Dictionaries inside records are never changed in place; an edit makes a new one (see `edits`).
"""

from typing import Annotated

from aulmo.document import property as say
from aulmo.document.decal_records import (
    Decal as Decal,
)
from aulmo.document.decal_records import (
    Stood as Stood,
)
from aulmo.document.decal_records import (
    Swap as Swap,
)
from aulmo.document.film_records import (
    Cut as Cut,
)
from aulmo.document.film_records import (
    Film as Film,
)
from aulmo.document.film_records import (
    Footage as Footage,
)
from aulmo.document.film_records import (
    Key as Key,
)
from aulmo.document.film_records import (
    LaneGroup as LaneGroup,
)
from aulmo.document.film_records import (
    Marker as Marker,
)
from aulmo.document.film_records import (
    Motion as Motion,
)
from aulmo.document.finish_records import (
    Balance as Balance,
)
from aulmo.document.finish_records import (
    Finish as Finish,
)
from aulmo.document.finish_records import (
    Grade as Grade,
)
from aulmo.document.finish_records import (
    HueBand as HueBand,
)
from aulmo.document.finish_records import (
    Layer as Layer,
)
from aulmo.document.finish_records import (
    Mask as Mask,
)
from aulmo.document.finish_records import (
    Stroke as Stroke,
)
from aulmo.document.frame_records import (
    Backdrop as Backdrop,
)
from aulmo.document.frame_records import (
    Camera as Camera,
)
from aulmo.document.frame_records import (
    Cutout as Cutout,
)
from aulmo.document.frame_records import (
    Floor as Floor,
)
from aulmo.document.frame_records import (
    GreyPatch as GreyPatch,
)
from aulmo.document.frame_records import (
    Photograph as Photograph,
)
from aulmo.document.frame_records import (
    ShadowStick as ShadowStick,
)
from aulmo.document.frame_records import (
    Shot as Shot,
)
from aulmo.document.frame_records import (
    SightLine as SightLine,
)
from aulmo.document.light_records import (
    Environment as Environment,
)
from aulmo.document.light_records import (
    GradeStop as GradeStop,
)
from aulmo.document.light_records import (
    Lamp as Lamp,
)
from aulmo.document.light_records import (
    Sky as Sky,
)
from aulmo.document.light_records import (
    Softbox as Softbox,
)
from aulmo.document.part_records import (
    Copies as Copies,
)
from aulmo.document.part_records import (
    FaceSet as FaceSet,
)
from aulmo.document.part_records import (
    Finesse as Finesse,
)
from aulmo.document.part_records import (
    GuidePath as GuidePath,
)
from aulmo.document.part_records import (
    Part as Part,
)
from aulmo.document.part_records import (
    Piece as Piece,
)
from aulmo.document.part_records import (
    Placement as Placement,
)
from aulmo.document.part_records import (
    Selection as Selection,
)
from aulmo.document.part_records import (
    SetPiece as SetPiece,
)
from aulmo.document.part_records import (
    Slice as Slice,
)
from aulmo.document.part_records import (
    Source as Source,
)
from aulmo.document.record_base import (
    AssetName as AssetName,
)
from aulmo.document.record_base import (
    CameraId as CameraId,
)
from aulmo.document.record_base import (
    DecalId as DecalId,
)
from aulmo.document.record_base import (
    EnvironmentName as EnvironmentName,
)
from aulmo.document.record_base import (
    FaceNumber as FaceNumber,
)
from aulmo.document.record_base import (
    Mark as Mark,
)
from aulmo.document.record_base import (
    MaterialId as MaterialId,
)
from aulmo.document.record_base import (
    Pair as Pair,
)
from aulmo.document.record_base import (
    PartId as PartId,
)
from aulmo.document.record_base import (
    PathId as PathId,
)
from aulmo.document.record_base import (
    Place as Place,
)
from aulmo.document.record_base import (
    Point as Point,
)
from aulmo.document.record_base import (
    Record as Record,
)
from aulmo.document.record_base import (
    Triple as Triple,
)
from aulmo.document.record_base import (
    Value as Value,
)
from aulmo.document.record_base import (
    within as within,
)
from aulmo.document.render_records import (
    RenderSettings as RenderSettings,
)
from aulmo.document.surface_records import (
    Adjust as Adjust,
)
from aulmo.document.surface_records import (
    Lay as Lay,
)
from aulmo.document.surface_records import (
    Material as Material,
)
from aulmo.document.surface_records import (
    Node as Node,
)
from aulmo.document.surface_records import (
    NodeGroup as NodeGroup,
)
from aulmo.document.surface_records import (
    Stop as Stop,
)
from aulmo.document.surface_records import (
    Surface as Surface,
)
from aulmo.document.surface_records import (
    SurfaceLayer as SurfaceLayer,
)
from aulmo.document.variant_records import (
    Axis as Axis,
)
from aulmo.document.variant_records import (
    Choice as Choice,
)
from aulmo.document.variant_records import (
    Refused as Refused,
)

SCHEMA_VERSION = 9


class Moved(Record):
    """What resolving tells of a moment and never a file: the parts as they are when nothing moves, by which a floor is laid, and the matrix,
    sixteen numbers row by row, by which a motion carries the light of the scene; none where it does not."""

    at_rest: Annotated[dict[str, Part], say.many("At rest")] = {}
    carried: Annotated[tuple[Place, ...], say.many("Carried")] = ()


class Document(Record):
    """A whole project. `keys` holds, by the address of a property, its values in the order of time; `motions` come on top of them, in the order in
    which they act on one thing. `axes` are what the product may be had in several of, `refused` the combinations that are not offered. `moved` is set
    by resolving alone."""

    schema_version: int = SCHEMA_VERSION
    name: Annotated[str, say.text("Name")] = "Untitled"
    parts: dict[str, Part] = {}
    roots: tuple[str, ...] = ()
    selections: dict[str, Selection] = {}
    sources: dict[str, Source] = {}
    paths: dict[str, GuidePath] = {}
    materials: dict[str, Material] = {}
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
    frames_per_second: Annotated[float, say.number("Frames per second", 1, 60, "", 2, 0.01, 10000)] = 25.0
    notes: Annotated[tuple[str, ...], say.many("Choices made")] = ()
    moved: Moved = Moved()
