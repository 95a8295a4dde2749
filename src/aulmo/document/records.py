"""What a project is made of: small frozen records in one tree.

Lengths in millimetres, angles in degrees, z up; colours are linear ACEScg; light in nits, exposure in EV100.
Dictionaries inside records are never changed in place; an edit makes a new one (see `edits`).
"""

from typing import Literal

import msgspec

SCHEMA_VERSION = 1

Triple = tuple[float, float, float]


class Record(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """Base of all records."""


class Placement(Record):
    """Where a part sits in its parent: scaled, then turned about x, y, z in that order, then moved."""

    position: Triple = (0.0, 0.0, 0.0)
    turn: Triple = (0.0, 0.0, 0.0)
    scale: Triple = (1.0, 1.0, 1.0)


class Finesse(Record):
    """How closely triangles follow an exact shape: largest gap in mm and largest angle between neighbours."""

    chord_mm: float = 0.05
    angle: float = 10.0


class Part(Record):
    """A node of the assembly: a group when `mesh` is None."""

    id: str
    name: str
    parent: str | None = None
    children: tuple[str, ...] = ()
    placement: Placement = Placement()
    mesh: str | None = None
    shape: str | None = None
    finesse: Finesse = Finesse()
    material: str | None = None
    visible: bool = True
    locked: bool = False
    source_key: str = ""


class Surface(Record):
    """The parameters of OpenPBR Surface that Aulmo renders today, under the specification's own names."""

    base_weight: float = 1.0
    base_color: Triple = (0.8, 0.8, 0.8)
    base_diffuse_roughness: float = 0.0
    base_metalness: float = 0.0
    specular_weight: float = 1.0
    specular_color: Triple = (1.0, 1.0, 1.0)
    specular_roughness: float = 0.3
    specular_ior: float = 1.5
    specular_roughness_anisotropy: float = 0.0
    transmission_weight: float = 0.0
    transmission_color: Triple = (1.0, 1.0, 1.0)
    transmission_depth: float = 0.0
    coat_weight: float = 0.0
    coat_color: Triple = (1.0, 1.0, 1.0)
    coat_roughness: float = 0.0
    coat_ior: float = 1.6
    coat_darkening: float = 1.0
    emission_luminance: float = 0.0
    emission_color: Triple = (1.0, 1.0, 1.0)
    geometry_opacity: float = 1.0
    geometry_thin_walled: bool = False


class Material(Record):
    """A named surface, shared by every part that refers to it."""

    id: str
    name: str
    kind: str = "Plastic"
    surface: Surface = Surface()


class Environment(Record):
    """The light around the set. `image` is a shipped set's name or an asset name."""

    image: str = "Loft"
    shipped: bool = True
    turn: float = 0.0
    tilt: float = 0.0
    exposure: float = 0.0
    saturation: float = 1.0


class Backdrop(Record):
    """What the camera sees behind everything."""

    kind: Literal["environment", "colour", "gradient", "transparent"] = "environment"
    top: Triple = (0.35, 0.35, 0.35)
    bottom: Triple = (0.12, 0.12, 0.12)


class Floor(Record):
    """What the product stands on: a plain surface, a cove that curves up behind, only its shadow, or nothing."""

    kind: Literal["none", "plain", "cove", "shadow"] = "plain"
    material: str | None = None
    height: float = 0.0
    turn: float = 0.0


class Camera(Record):
    """A camera looking from `position` at `target`.

    `focus` is the distance of the sharp plane in mm; 0 keeps everything sharp. `sensor_mm` is the frame's width.
    """

    id: str
    name: str
    position: Triple = (0.0, -800.0, 300.0)
    target: Triple = (0.0, 0.0, 100.0)
    roll: float = 0.0
    focal_length_mm: float = 85.0
    sensor_mm: float = 36.0
    shift_x: float = 0.0
    shift_y: float = 0.0
    f_stop: float = 8.0
    shutter: float = 1.0 / 60.0
    iso: float = 100.0
    exposure_stops: float = 0.0
    focus: float = 0.0
    depth_of_field: bool = False
    blades: int = 0
    locked: bool = False


class Shot(Record):
    """One picture to be made: a camera, a frame, and what stands behind."""

    id: str
    name: str
    camera: str
    width: int = 1600
    height: int = 1200
    view: str = "Product neutral"
    backdrop: Backdrop | None = None
    floor: Floor | None = None


class RenderSettings(Record):
    """How a final picture is made."""

    stop: Literal["samples", "noise", "time"] = "noise"
    samples: int = 256
    noise_percent: float = 2.0
    seconds: float = 120.0
    denoise: bool = True
    transparent: bool = False
    file_type: Literal["png", "png16", "tif", "jpg", "exr", "exr32"] = "png"
    folder: str = ""
    straight_glass: bool = True
    bounces: int = 12
    clamp_stops: float = 5.0


class Document(Record):
    """A whole project."""

    schema_version: int = SCHEMA_VERSION
    name: str = "Untitled"
    parts: dict[str, Part] = {}
    roots: tuple[str, ...] = ()
    materials: dict[str, Material] = {}
    environment: Environment = Environment()
    backdrop: Backdrop = Backdrop()
    floor: Floor = Floor()
    cameras: dict[str, Camera] = {}
    shots: tuple[Shot, ...] = ()
    render: RenderSettings = RenderSettings()
    notes: tuple[str, ...] = ()
