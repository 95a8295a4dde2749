"""What a project is made of: small frozen records in one tree.

Lengths in millimetres, angles in degrees, z up; colours are linear ACEScg; light in nits, exposure in EV100.
Dictionaries inside records are never changed in place; an edit makes a new one (see `edits`).
"""

from typing import Annotated, Literal

from aulmo.document.film_records import Cut as Cut
from aulmo.document.film_records import Film as Film
from aulmo.document.film_records import Footage as Footage
from aulmo.document.film_records import Key as Key
from aulmo.document.film_records import LaneGroup as LaneGroup
from aulmo.document.film_records import Marker as Marker
from aulmo.document.film_records import Motion as Motion
from aulmo.document.finish_records import Balance as Balance
from aulmo.document.finish_records import Finish as Finish
from aulmo.document.finish_records import Grade as Grade
from aulmo.document.finish_records import HueBand as HueBand
from aulmo.document.finish_records import Layer as Layer
from aulmo.document.finish_records import Mask as Mask
from aulmo.document.record_base import AssetName as AssetName
from aulmo.document.record_base import CameraId as CameraId
from aulmo.document.record_base import DecalId as DecalId
from aulmo.document.record_base import EnvironmentName as EnvironmentName
from aulmo.document.record_base import FaceNumber as FaceNumber
from aulmo.document.record_base import Mark as Mark
from aulmo.document.record_base import MaterialId as MaterialId
from aulmo.document.record_base import Pair as Pair
from aulmo.document.record_base import PartId as PartId
from aulmo.document.record_base import PathId as PathId
from aulmo.document.record_base import Place as Place
from aulmo.document.record_base import Point as Point
from aulmo.document.record_base import Record as Record
from aulmo.document.record_base import Triple as Triple
from aulmo.document.record_base import Value as Value
from aulmo.document.record_base import within as within
from aulmo.document.variant_records import Axis as Axis
from aulmo.document.variant_records import Choice as Choice
from aulmo.document.variant_records import Refused as Refused

SCHEMA_VERSION = 9

class Placement(Record):
    """Where a part sits in its parent: scaled, then turned about x, y, z in that order, then moved."""

    position: Triple = (0.0, 0.0, 0.0)
    turn: Triple = (0.0, 0.0, 0.0)
    scale: Triple = (1.0, 1.0, 1.0)


class Finesse(Record):
    """How closely triangles follow an exact shape: largest gap in mm and largest angle between neighbours."""

    chord_mm: float = 0.05
    angle: float = 10.0


class FaceSet(Record):
    """Faces of a part, by the numbers that its triangles carry, which wear a material of their own."""

    id: str
    name: str
    faces: tuple[FaceNumber, ...] = ()
    material: MaterialId | None = None


class SetPiece(Record):
    """A thing to stand on or before, made from its sizes in mm: see `made.set_pieces` for which of them each kind has.

    `wind` is in metres a second, `wave` the length of the longest waves.
    """

    kind: Literal[
        "floor", "wall", "cove", "plinth", "shelf", "turntable", "block", "cylinder", "cone", "tube", "sphere", "torus", "text", "water"
    ] = "block"
    width: float = 100.0
    depth: float = 100.0
    height: float = 100.0
    radius: float = 50.0
    radius_top: float = 0.0
    thickness: float = 10.0
    bevel: float = 0.0
    text: str = "Odrel"
    wind: float = 3.0
    wave: float = 100.0
    seed: int = 0


class Copies(Record):
    """A rule that makes `count` copies of the parts in its group; they stand for them. See `made.copies` for what each kind reads.

    Lengths in the group's own mm. `shares` says how often each of several sources is taken, in their order; empty takes all alike.
    `anchor` is the point of a source that is put where the rule says. `apart` keeps scattered ones at least so far from each other;
    `steepest` is how many degrees from straight up a surface may face to get any.
    `jitter_size` is the largest share of a copy's size. `hidden` names single copies by their number.
    """

    kind: Literal["row", "ring", "grid", "path", "box", "ball", "surface"] = "row"
    count: int = 5
    step: Triple = (100.0, 0.0, 0.0)
    columns: int = 3
    rows: int = 3
    centre: Triple = (0.0, 0.0, 0.0)
    axis: Literal["x", "y", "z"] = "z"
    radius: float = 0.0
    sweep: float = 360.0
    turned: bool = True
    path: PathId | None = None
    box: Triple = (200.0, 200.0, 200.0)
    on: tuple[PartId, ...] = ()
    apart: float = 0.0
    upright: bool = False
    steepest: float = 180.0
    anchor: Literal["base", "middle", "origin"] = "base"
    jitter_place: Triple = (0.0, 0.0, 0.0)
    jitter_turn: Triple = (0.0, 0.0, 0.0)
    jitter_size: float = 0.0
    seed: int = 0
    shares: tuple[Annotated[float, within(0.0, 1e9)], ...] = ()
    hidden: tuple[Annotated[int, within(0, 10_000_000)], ...] = ()


class Slice(Record):
    """A cut by a plane through `point` in a part's own axes: what lies on the side that `normal` points to is kept, and closed."""

    point: Triple = (0.0, 0.0, 0.0)
    normal: Triple = (0.0, 0.0, 1.0)


class Piece(Record):
    """What of its exact shape a part is: some of its faces (all when there are none), cut by planes in order."""

    faces: tuple[FaceNumber, ...] = ()
    slices: tuple[Slice, ...] = ()


class Part(Record):
    """A node of the assembly: a group when `mesh` is None. Sharp edges look rounded by `edge_radius` mm when it is above zero.

    `material` is the body's; `face_sets` wear others, a later one over an earlier where both hold a face. A part that `catches` shadow lets
    the backdrop through but for the shadow that falls on it, and its reflections of the product where that is wanted too. `pivot` is the
    point, in the part's own axes, that handles turn and scale about; None for the middle of its box. `set_piece` is what the mesh is made
    from, `copies` the rule of a group, `piece` what of `shape` the part is. `unseen` leaves it out of the camera's sight, always or while it stands
    between the camera and what that looks at, and yet it lights and shades. What catches and `gives_back` sends light of its colour to the product.
    `opacity` fades whatever it and all below it wear, `glow` brightens what glows there by so many stops.
    """

    id: str
    name: str
    parent: PartId | None = None
    children: tuple[PartId, ...] = ()
    placement: Placement = Placement()
    mesh: AssetName | None = None
    shape: AssetName | None = None
    finesse: Finesse = Finesse()
    material: MaterialId | None = None
    visible: bool = True
    locked: bool = False
    edge_radius: float = 0.0
    source_key: str = ""
    face_sets: tuple[FaceSet, ...] = ()
    catches: Literal["nothing", "shadow", "reflection"] = "nothing"
    gives_back: bool = False
    unseen: Literal["never", "between", "always"] = "never"
    pivot: Triple | None = None
    set_piece: SetPiece | None = None
    copies: Copies | None = None
    piece: Piece | None = None
    opacity: float = 1.0
    glow: float = 0.0


class GuidePath(Record):
    """A line in the world through `points`, straight or smooth, open or closed: copies stand along it, things move along it."""

    id: str
    name: str
    points: tuple[Point, ...] = ()
    smooth: bool = True
    closed: bool = False


class Selection(Record):
    """Parts chosen together under a name, as a layer of a file or by hand."""

    id: str
    name: str
    parts: tuple[PartId, ...] = ()


class Source(Record):
    """A file that was brought in, and what was decided: its unit in mm, which of its axes is up, whether a product of several solids stayed one
    part, whether its colours became materials that look made of something. `offered` is a likelier unit in mm, 0 for none. `digest` is the SHA-256 of
    the file as it was read.
    """

    id: str
    name: str
    path: str = ""
    roots: tuple[PartId, ...] = ()
    unit_mm: float = 1.0
    offered: float = 0.0
    up: Literal["x", "y", "z"] = "z"
    whole: bool = False
    dressed: bool = True
    solids: int = 0
    digest: str = ""


class Surface(Record):
    """The parameters of OpenPBR Surface under the specification's own names, with two of ours at the end.

    Lengths in mm but for `thin_film_thickness`, which is in micrometres as the specification has it. `geometry_tangent_turn` turns the
    stretch of highlights, in degrees, away from running round the part's own z axis. Where clear solids overlap, the higher
    `nesting_priority` is what is really there.
    """

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
    transmission_scatter: Triple = (0.0, 0.0, 0.0)
    transmission_scatter_anisotropy: float = 0.0
    transmission_dispersion_scale: float = 0.0
    transmission_dispersion_abbe_number: float = 20.0
    subsurface_weight: float = 0.0
    subsurface_color: Triple = (0.8, 0.8, 0.8)
    subsurface_radius: float = 1.0
    subsurface_radius_scale: Triple = (1.0, 0.5, 0.25)
    subsurface_scatter_anisotropy: float = 0.0
    coat_weight: float = 0.0
    coat_color: Triple = (1.0, 1.0, 1.0)
    coat_roughness: float = 0.0
    coat_roughness_anisotropy: float = 0.0
    coat_ior: float = 1.6
    coat_darkening: float = 1.0
    fuzz_weight: float = 0.0
    fuzz_color: Triple = (1.0, 1.0, 1.0)
    fuzz_roughness: float = 0.5
    thin_film_weight: float = 0.0
    thin_film_thickness: float = 0.5
    thin_film_ior: float = 1.4
    emission_luminance: float = 0.0
    emission_color: Triple = (1.0, 1.0, 1.0)
    geometry_opacity: float = 1.0
    geometry_thin_walled: bool = False
    geometry_tangent_turn: float = 0.0
    nesting_priority: int = 0


class Adjust(Record):
    """How a picture's values are changed before they are used: levels first, then turned over, contrast, and of colours their look.

    `low`, `high` : the values that become 0 and 1, as a display has them; `middle` the power that lifts what lies between. `brightness` is in
    stops, `hue` in degrees, `tint` multiplies.
    """

    brightness: float = 0.0
    contrast: float = 1.0
    saturation: float = 1.0
    hue: float = 0.0
    tint: Triple = (1.0, 1.0, 1.0)
    turned_over: bool = False
    low: float = 0.0
    high: float = 1.0
    middle: float = 1.0


class Lay(Record):
    """How pictures of a material are laid on its parts, shared by all that name it. Lengths in mm of the part's own axes.

    The projector stands at `position`, turned by `turn`; it looks down its own z, which is also the axis of cylinder, ball and "axis" (round an
    axis, by the distance that the surface has from it); `radius_mm` is that of cylinder and ball, 0 for the surface's own. `rotate` turns the
    picture in its plane. `height_mm` counts where `keep_shape` is off. `depth_mm` is how far from its plane a flat one reaches, 0 without
    end. `blend` softens the seams of a box. By "uv" the file's own coordinates lead, `repeat` times, shifted by shares.
    """

    id: str
    name: str = "Lay"
    projection: Literal["flat", "box", "cylinder", "sphere", "axis", "uv"] = "box"
    position: Triple = (0.0, 0.0, 0.0)
    turn: Triple = (0.0, 0.0, 0.0)
    width_mm: float = 100.0
    height_mm: float = 100.0
    keep_shape: bool = True
    rotate: float = 0.0
    offset_x_mm: float = 0.0
    offset_y_mm: float = 0.0
    gap_x_mm: float = 0.0
    gap_y_mm: float = 0.0
    tile: Literal["both", "across", "down", "none"] = "both"
    mirror: bool = False
    depth_mm: float = 0.0
    blend: float = 0.0
    radius_mm: float = 0.0
    repeat_x: float = 1.0
    repeat_y: float = 1.0
    shift_x: float = 0.0
    shift_y: float = 0.0


class Stop(Record):
    """A colour of a gradient, and where it stands: in mm or as a share of the way, as the gradient has it."""

    at: float = 0.0
    colour: Triple = (1.0, 1.0, 1.0)


class Node(Record):
    """One step of a surface program; kinds and their inputs are in `node_table`. Lengths are mm of the part's own axes.

    `inputs` holds numbers, colours, directions, or "@id" of another node; "@id:red" (green, blue, luminance) reads one number of a colour. `choices`
    holds what is one of a few, or a text, by name.

    `image` is an asset and `file` the file it came from; an image without asset is missing, and what it leads stays as it is without.
    `as_colour` says whether its values are colours of a display or plain data, `channel` what of it is read ("solid" is the
    colour without regard to alpha), `lay` how it is laid (its own inputs,
    projection and axis where that is empty). `green_down` is for normal maps whose green points down. `axis` is that of a projection, gradient or
    stripes, along which noise is stretched, or along which the trunk of wood grew. `stops` are those of a gradient.

    `name` is the artist's own, `place` where its card lies on the bench (None: nowhere yet), `group` the card that it is gathered in.
    """

    id: str
    kind: str
    inputs: dict[str, float | Triple | str] = {}
    image: AssetName | None = None
    file: str = ""
    as_colour: bool = True
    channel: Literal["colour", "solid", "red", "green", "blue", "alpha"] = "colour"
    green_down: bool = False
    lay: str = ""
    adjust: Adjust = Adjust()
    projection: Literal["flat", "box", "cylinder", "sphere"] = "box"
    axis: Literal["x", "y", "z"] = "z"
    choices: dict[str, str] = {}
    stops: tuple[Stop, ...] = ()
    name: str = ""
    place: Mark | None = None
    group: str = ""


class NodeGroup(Record):
    """Nodes gathered in one card. `inputs` names those of its members' inputs that the card shows, as "node/input"."""

    id: str
    name: str = "Group"
    inputs: dict[str, str] = {}
    place: Mark | None = None


class SurfaceLayer(Record):
    """A whole surface that lies over the one below where its mask says: 0 shows what is below, 1 the layer. `mask` is "@id" of a node or a number;
    `wires` lead nodes of the material to the layer's own parameters."""

    id: str
    name: str = "Layer"
    surface: Surface = Surface()
    wires: dict[str, str] = {}
    mask: float | str = 1.0
    place: Mark | None = None


class Material(Record):
    """A named surface, shared by every part that refers to it.

    `wires` lead nodes to parameters of the surface, to `height` (bump, mm), `normal` (a normal map), the same of the coat
    (`coat_height`, `coat_normal`) or `displacement` (mm, built into the mesh with triangles no longer than `displacement_step` mm).
    A wire may read one number of a colour, as "id:red". `pictures` keeps those that came with a file, by what they are for. `layers` lie over
    the surface, the lowest first; `groups` gather nodes in cards. `swatch` is the file of the artist's library that it was taken from, `tags` what
    it is found by there. `made_for` is the choice that it was made for, when the base has no use for it.
    """

    id: str
    name: str
    kind: str = "Plastic"
    surface: Surface = Surface()
    nodes: tuple[Node, ...] = ()
    wires: dict[str, str] = {}
    displacement_step: float = 1.0
    pictures: dict[str, AssetName] = {}
    lays: tuple[Lay, ...] = ()
    layers: tuple[SurfaceLayer, ...] = ()
    groups: tuple[NodeGroup, ...] = ()
    swatch: str = ""
    tags: tuple[str, ...] = ()
    made_for: str = ""


class Swap(Record):
    """One of an artwork's main colours and what it becomes; ACEScg."""

    old: Triple
    new: Triple


class Stood(Record):
    """Where a part stood when something was placed across it: the twelve numbers of its matrix in the world, row by row."""

    part: PartId
    place: tuple[Place, ...]


class Decal(Record):
    """Something printed or stuck on what lies below it. Later ones of a document lie on top.

    `artwork` is a picture, a text, a plain shape, or nothing but the surface in that shape; `material` is what it is made of. It `belongs` to
    `parts` (the first is the one it was put on), to every part alike (by `alike`: of the same shape, or of the same material), or to a region: all
    that lies in its projector. `position`, `turn` : its middle and its axes (x right, y up, z off the surface), in the part's own axes, of a region
    in the world. `width_mm`, `height_mm` and `radius_mm` in the same measure; the radius is positive where the surface bulges.
    `wrap` says what it is bent round: with "cylinder" the axis runs along its own y turned by `bend`. `depth_mm` is how far below and above it
    reaches, `facing` how far from it a surface may be turned away, in degrees. `rotate` turns the artwork, `flip_x` and `flip_y` mirror it.

    `colouring` keeps the artwork's colours, takes the surface's alone, or those of `swaps`. `roughness` replaces the surface's when it is not
    below 0. `edge_mm` is how high the edge stands, `raised_mm` how far light artwork stands out (below 0: in), `ground` the share of the relief below
    that shows through. `frame` names another decal that this one is seen within. `stood` : of a region, where each part stood when it was
    placed; with `slips` parts that move slip away under it.
    """

    id: str
    name: str
    artwork: Literal["picture", "text", "shape", "surface"] = "picture"
    picture: AssetName | None = None
    file: str = ""
    text: str = "Odrel"
    shape: Literal["rectangle", "rounded", "round", "ring", "triangle", "hexagon", "star"] = "rectangle"
    material: MaterialId | None = None
    belongs: Literal["part", "alike", "region"] = "part"
    alike: Literal["shape", "material"] = "shape"
    parts: tuple[PartId, ...] = ()
    position: Triple = (0.0, 0.0, 0.0)
    turn: Triple = (0.0, 0.0, 0.0)
    width_mm: float = 40.0
    height_mm: float = 40.0
    keep_shape: bool = True
    rotate: float = 0.0
    flip_x: bool = False
    flip_y: bool = False
    wrap: Literal["flat", "cylinder", "ball"] = "flat"
    radius_mm: float = 0.0
    bend: float = 0.0
    depth_mm: float = 1.0
    facing: float = 80.0
    opacity: float = 1.0
    roughness: float = -1.0
    edge_mm: float = 0.0
    raised_mm: float = 0.0
    ground: float = 0.0
    colouring: Literal["artwork", "one", "swaps"] = "artwork"
    colour: Triple = (0.02, 0.02, 0.02)
    swaps: tuple[Swap, ...] = ()
    adjust: Adjust = Adjust()
    frame: DecalId | None = None
    group: str = ""
    visible: bool = True
    slips: bool = False
    stood: tuple[Stood, ...] = ()


class Sky(Record):
    """Daylight instead of an environment picture: where the sun stands, and how hazy the air is.

    With `by_place` the sun's direction follows from date, hour and place (degrees north and east, hours of local clock time with
    `utc_offset`), else from `azimuth` (clockwise from +y, seen from above) and `elevation`.
    """

    turbidity: float = 3.0
    azimuth: float = 220.0
    elevation: float = 35.0
    by_place: bool = False
    latitude: float = 48.0
    longitude: float = 11.0
    date: str = "2026-06-21"
    hour: float = 15.0
    utc_offset: float = 2.0
    north: float = 0.0
    sun: bool = True


class GradeStop(Record):
    """Brightness (stops from the softbox's own) and colour of a graded softbox at a share 0..1 of its way."""

    at: float = 0.0
    stops: float = 0.0
    colour: Triple = (1.0, 1.0, 1.0)


class Softbox(Record):
    """A light on the dome: at `azimuth` and `elevation` (from the camera's side, and from the horizon up), `width` x `height` degrees, turned.

    `corner`, `edge` and `hot_size` are shares of half the smaller side, `inner` of a ring's radius. A `hot` spot leaves the middle as it is and
    darkens toward the outline by that share. `bent`: its long side runs along a great circle, up to all round. `stops` is above white
    (`light.softbox.WHITE_NITS`). It lies over what is below, is added to it, or takes light away ("flag"). `grade` says how the `grades` run.
    `picture` is an asset or, when `shipped`, the name of one that comes with Aulmo. An empty `group` is one of its own. `stays_with` "dome" is
    what the dome stays with; `part` is whom it follows with "part".
    """

    id: str
    name: str
    kind: Literal["plain", "graded", "picture"] = "plain"
    shape: Literal["rectangle", "round", "ring", "half", "polygon"] = "rectangle"
    azimuth: float = 0.0
    elevation: float = 30.0
    turn: float = 0.0
    width: float = 40.0
    height: float = 60.0
    corner: float = 0.15
    inner: float = 0.6
    sides: int = 6
    bent: bool = False
    edge: float = 0.08
    hot_size: float = 1.0
    hot: float = 0.3
    stops: float = 2.5
    kelvin: float = 6500.0
    colour: Triple = (1.0, 1.0, 1.0)
    opacity: float = 1.0
    blend: Literal["over", "add", "flag"] = "over"
    grade: Literal["along", "across", "round"] = "along"
    grades: tuple[GradeStop, ...] = (GradeStop(0.0, -3.0), GradeStop(1.0, 0.0))
    picture: EnvironmentName = "Creased silk"
    shipped: bool = True
    on: bool = True
    solo: bool = False
    locked: bool = False
    group: str = ""
    stays_with: Literal["dome", "scene", "camera", "part"] = "dome"
    part: PartId | None = None


class Environment(Record):
    """The light around the set: a ground (a picture, one colour, a gradient, sun and sky), and on it softboxes, the lowest first.

    `image` is a shipped set's name or an asset name. `kelvin` is the white it is warmed or cooled to, `blur` in degrees. A dome of `radius_mm`
    stands round `centre` (0: endlessly far), its lower half `on_floor` when wanted. `colour` and the `stops` of a gradient (from straight
    down at 0 to straight up at 1) are shares of white. Both the ground and all softboxes that say so go with what the dome `stays_with`.
    """

    kind: Literal["picture", "colour", "gradient", "sky"] = "picture"
    image: EnvironmentName = "Loft"
    shipped: bool = True
    turn: float = 0.0
    tilt: float = 0.0
    exposure: float = 0.0
    saturation: float = 1.0
    kelvin: float = 6500.0
    blur: float = 0.0
    radius_mm: float = 0.0
    centre: Triple = (0.0, 0.0, 500.0)
    on_floor: bool = False
    colour: Triple = (0.0, 0.0, 0.0)
    stops: tuple[Stop, ...] = (Stop(0.0, (0.05, 0.05, 0.05)), Stop(0.5, (0.12, 0.12, 0.12)), Stop(1.0, (0.5, 0.5, 0.5)))
    sky: Sky = Sky()
    softboxes: tuple[Softbox, ...] = ()
    stays_with: Literal["scene", "camera", "part"] = "scene"
    part: PartId | None = None


class Backdrop(Record):
    """What the camera sees behind everything. `shot` names the one whose photograph it is; only resolving sets it, and the kind "photograph"."""

    kind: Literal["environment", "colour", "gradient", "transparent", "photograph"] = "environment"
    top: Triple = (0.35, 0.35, 0.35)
    bottom: Triple = (0.12, 0.12, 0.12)
    shot: str = ""


class Floor(Record):
    """What the product stands on: a plain surface, a cove that curves up behind, only its shadow, or nothing.

    Of a shadow: how strong it is, how far from the middle of the set it reaches (0: endlessly), how much darker it grows where things touch the
    floor, within `contact_mm`, whether what stands there is mirrored in it, blurred by `roughness`, and whether it `gives_back` light of the
    `tone` that the photograph has there.
    """

    kind: Literal["none", "plain", "cove", "shadow"] = "plain"
    material: MaterialId | None = None
    height: float = 0.0
    turn: float = 0.0
    shadow: float = 1.0
    size_mm: float = 0.0
    contact: float = 0.0
    contact_mm: float = 30.0
    reflects: bool = False
    roughness: float = 0.2
    gives_back: bool = False
    tone: Triple = (0.18, 0.18, 0.18)


class Lamp(Record):
    """A lamp in the scene, shining along its own -z axis.

    `kind` says what it is; `width` is a rectangle's width, a disc's, ring's, sphere's, tube's, point's or spot's diameter; `height` a
    rectangle's or portal's height, a ring's inner diameter, a tube's length. `power` is read in `unit`: lumen in all, candela along the
    axis, nit of the surface, or lux of a distant light square on. A distant lamp's `angle` is how wide it looks; a spot's `cone` is its
    full angle and `softness` the share of it that fades. `lights` names the parts and groups it lights; empty means all. One that stays with
    "camera" or "part" stands in their axes: see `light.staying`. `copies` is a rule that it is repeated by.
    """

    id: str
    name: str
    kind: Literal["rectangle", "disc", "ring", "sphere", "tube", "point", "spot", "distant", "photometric", "sun", "portal"] = "rectangle"
    position: Triple = (0.0, 0.0, 500.0)
    turn: Triple = (0.0, 0.0, 0.0)
    width: float = 200.0
    height: float = 200.0
    power: float = 1000.0
    unit: Literal["lumen", "candela", "nit", "lux"] = "lumen"
    stops: float = 0.0
    kelvin: float = 6500.0
    colour: Triple = (1.0, 1.0, 1.0)
    angle: float = 0.5
    cone: float = 40.0
    softness: float = 0.2
    profile: AssetName | None = None
    on: bool = True
    seen: bool = False
    group: str = "Lamps"
    lights: tuple[PartId, ...] = ()
    solo: bool = False
    locked: bool = False
    stays_with: Literal["scene", "camera", "part"] = "scene"
    part: PartId | None = None
    copies: Copies | None = None


class Camera(Record):
    """A camera looking from `position` at `target`.

    `focus` is the distance of the sharp plane in mm; 0 keeps everything sharp. `sensor_mm` is the frame's width. `shift_x` and `shift_y`
    move the frame by shares of its width and height. A parallel projection shows `span_mm` across. With `motion_blur` the shutter is open
    for `shutter` seconds, or for `shutter_angle` degrees of a frame when that is above zero.

    The white of what it shows is that of light of `kelvin` and `tint` (green above 0, magenta below). A lens that bends shows at the distance r from
    its axis, in tangents, what a straight one shows at r (1 + `bend` r^2). `cats_eye` is how far its rim cuts into the opening 18 mm from the
    middle, in shares of the opening's radius. Nothing nearer than `near_mm` is seen. The eye of a panorama lies `eye_mm` to the right of `position`.
    One that `keeps_target` turns toward it when moved. A part that it `looks_at` gives the target, one it is `focus_on` the distance of what is
    sharp, by a point in the part's own axes.
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
    blade_turn: float = 0.0
    cats_eye: float = 0.0
    kelvin: float = 6500.0
    tint: float = 0.0
    bend: float = 0.0
    near_mm: float = 0.0
    eye_mm: float = 0.0
    keeps_target: bool = False
    projection: Literal["perspective", "parallel", "panorama"] = "perspective"
    span_mm: float = 300.0
    motion_blur: bool = False
    shutter_angle: float = 0.0
    looks_at: PartId | None = None
    look_point: Triple = (0.0, 0.0, 0.0)
    focus_on: PartId | None = None
    focus_point: Triple = (0.0, 0.0, 0.0)
    locked: bool = False


class SightLine(Record):
    """An edge in a photograph that runs in one of three directions, 1 and 2 level, 3 upright: two or more points along it, in pixels."""

    id: str
    name: str
    direction: Literal[1, 2, 3] = 1
    points: tuple[Mark, ...] = ()


class ShadowStick(Record):
    """Something upright in a photograph and its shadow: foot, top, and the shadow's tip, in pixels. `wall` is where the wall that the tip lies
    on meets the floor, `penumbra` where the shadow's edge begins and ends."""

    id: str
    foot: Mark
    top: Mark
    tip: Mark
    wall: tuple[Mark, Mark] | None = None
    penumbra: tuple[Mark, Mark] | None = None


class GreyPatch(Record):
    """A rectangle of a photograph, left, top, right, bottom in pixels, that is known to be grey and to reflect that share of light."""

    box: tuple[Place, Place, Place, Place]
    value: float = 0.18


class Cutout(Record):
    """The outline, in the photograph's pixels, of something in it that stands before the product."""

    id: str
    name: str
    points: tuple[Mark, ...] = ()


class Photograph(Record):
    """What a shot's camera sees behind everything: a picture of `width` x `height` pixels that fills the frame from side to side.

    `stops` brightens it; at 0 its colours are shown as they are. `strength` and `in_front` hold while working, never in a render. `focal_mm` and
    `sensor_mm` are what the file says, 0 for nothing. `bend` is that of its lens; `straight` shows it without, else the render is bent alike.
    `mirrored` lets reflections and light see it too. Its lines give the camera; `known` names the one that is `known_mm` long, `known_below` says
    that it lies `surface_mm` below what the product stands on. `surface` names two lines of a top that the product stands on. `origin` is the pixel
    where the middle of the scene stands.
    """

    image: AssetName
    file: str = ""
    width: int = 1
    height: int = 1
    stops: float = 0.0
    strength: float = 1.0
    in_front: bool = False
    focal_mm: float = 0.0
    sensor_mm: float = 0.0
    bend: float = 0.0
    straight: bool = False
    mirrored: bool = False
    lines: tuple[SightLine, ...] = ()
    known: str = ""
    known_mm: float = 0.0
    known_below: bool = False
    surface: tuple[str, ...] = ()
    surface_mm: float = 0.0
    origin: Mark | None = None
    sticks: tuple[ShadowStick, ...] = ()
    patch: GreyPatch | None = None
    cutouts: tuple[Cutout, ...] = ()


class Shot(Record):
    """One picture to be made: a camera, a frame, and by address what differs in it from the rest of the project. `guides` are lines over the frame
    that help the eye, `safe` shows how near its edges what matters may come. `picks` is the variant that it shows, by the id of an axis, `finish` the
    id of what is made of its render, "" for nothing."""

    id: str
    name: str
    camera: CameraId
    width: int = 1600
    height: int = 1200
    view: Literal["Product neutral", "Film", "Plain"] = "Product neutral"
    photograph: Photograph | None = None
    guides: Literal["none", "thirds", "golden", "diagonal", "centre"] = "none"
    safe: bool = False
    overrides: dict[str, Value] = {}
    picks: dict[str, str] = {}
    finish: str = ""


class RenderSettings(Record):
    """How a final picture is made. `finished` lays the shot's finish on what shows it, a `negative` is the light and its passes, kept beside it."""

    stop: Literal["samples", "noise", "time"] = "noise"
    samples: int = 256
    noise_percent: float = 2.0
    seconds: float = 120.0
    denoise: bool = True
    transparent: bool = False
    file_type: Literal["png", "png16", "tif8", "tif", "tif32", "jpg", "webp", "exr", "exr32", "ora"] = "png"
    quality: int = 95
    profile: Literal["sRGB", "Display P3", "ACEScg"] = "sRGB"
    dpi: int = 0
    alpha: Literal["straight", "premultiplied"] = "straight"
    exr_parts: bool = False
    folder: str = ""
    straight_glass: bool = True
    bounces: int = 12
    diffuse_bounces: int = 5
    specular_bounces: int = 12
    clear_bounces: int = 12
    scatters: int = 1024
    clamp_stops: float = 5.0
    seed: int = 0
    passes: tuple[Literal["paths", "groups", "surface", "shadow", "occlusion", "motion", "mattes", "noise"], ...] = ()
    denoise_groups: bool = False
    occlusion_mm: float = 0.0
    finished: bool = True
    negative: bool = True


class Moved(Record):
    """What resolving tells of a moment and never a file: the parts as they are when nothing moves, by which a floor is laid, and the matrix,
    sixteen numbers row by row, by which a motion carries the light of the scene; none where it does not."""

    at_rest: dict[str, Part] = {}
    carried: tuple[Place, ...] = ()


class Document(Record):
    """A whole project. `keys` holds, by the address of a property, its values in the order of time; `motions` come on top of them, in the order in
    which they act on one thing. `axes` are what the product may be had in several of, `refused` the combinations that are not offered. `moved` is set
    by resolving alone."""

    schema_version: int = SCHEMA_VERSION
    name: str = "Untitled"
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
    frames_per_second: float = 25.0
    notes: tuple[str, ...] = ()
    moved: Moved = Moved()
