"""What a picture is framed by: cameras, shots, the photograph behind, what the product stands on (Frame)."""

from typing import Annotated, Literal

from aulmo.document import property as say
from aulmo.document.record_base import AssetName, CameraId, Follow, Mark, MaterialId, PartId, Place, Record, Triple, Value


class Backdrop(Record):
    """What the camera sees behind everything. `shot` names the one whose photograph it is; only resolving sets it, and the kind "photograph".
    `follows` names colours of the project, as in a material."""

    kind: Annotated[
        Literal["environment", "colour", "gradient", "transparent", "photograph"],
        say.choice("Kind", "The light set", "One colour", "Gradient", "Transparent"),
    ] = "environment"
    top: Annotated[Triple, say.colour("Top")] = (0.35, 0.35, 0.35)
    bottom: Annotated[Triple, say.colour("Bottom")] = (0.12, 0.12, 0.12)
    shot: Annotated[str, say.reference("Photograph of")] = ""
    follows: tuple[Follow, ...] = ()


class Floor(Record):
    """What the product stands on: a plain surface, a cove that curves up behind, only its shadow, or nothing.

    Of a shadow: how strong it is, how far from the middle of the set it reaches (0: endlessly), how much darker it grows where things touch the
    floor, within `contact_mm`, whether what stands there is mirrored in it, blurred by `roughness`, and whether it `gives_back` light of the
    `tone` that the photograph has there.
    """

    kind: Annotated[Literal["none", "plain", "cove", "shadow"], say.choice("Floor", "None", "Plain", "Cove", "Shadow")] = "plain"
    material: Annotated[MaterialId | None, say.reference("Material")] = None
    height: Annotated[float, say.number("Height", -200, 200, "mm", 1, -1e8, 1e8)] = 0.0
    turn: Annotated[float, say.number("Turn", -180, 180, "°", 0, -36000, 36000)] = 0.0
    shadow: Annotated[float, say.number("Strength", 0, 1)] = 1.0
    size_mm: Annotated[float, say.number("Size", 0, 2000, "mm", 0, 0, 1e8, curve=2, tip="Where it has faded; 0 never")] = 0.0
    contact: Annotated[float, say.number("Contact", 0, 1, tip="Darker where things touch the floor")] = 0.0
    contact_mm: Annotated[float, say.number("Within", 1, 200, "mm", 0, 0.01, 1e6, curve=2)] = 30.0
    reflects: Annotated[bool, say.yes("Mirrors the product")] = False
    roughness: Annotated[float, say.number("Roughness", 0, 1)] = 0.2
    gives_back: Annotated[bool, say.yes("Gives its tone back", "The product is lit from below by the photograph's tone there")] = False
    tone: Annotated[Triple, say.colour("Tone")] = (0.18, 0.18, 0.18)


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
    name: Annotated[str, say.text("Name")]
    position: Annotated[Triple, say.vector("Position")] = (0.0, -800.0, 300.0)
    target: Annotated[Triple, say.vector("Target")] = (0.0, 0.0, 100.0)
    roll: Annotated[float, say.number("Roll", -45, 45, "°", 1, -36000, 36000)] = 0.0
    focal_length_mm: Annotated[float, say.number("Focal length", 14, 200, "mm", 1, 1, 10000, change="stops")] = 85.0
    sensor_mm: Annotated[float, say.number("Sensor", 5, 100, "mm", 1, 0.1, 10000)] = 36.0
    shift_x: Annotated[float, say.number("Shift right", -0.5, 0.5, "", 3, -5, 5)] = 0.0
    shift_y: Annotated[float, say.number("Shift up", -0.5, 0.5, "", 3, -5, 5)] = 0.0
    f_stop: Annotated[float, say.number("F-stop", 1, 22, "", 1, 0.1, 1024, change="stops")] = 8.0
    shutter: Annotated[float, say.number("Shutter", 1e-4, 1, "s", 4, 1e-9, 1e6, change="stops")] = 1.0 / 60.0
    iso: Annotated[float, say.number("ISO", 25, 6400, "", 0, 1e-3, 1e9, change="stops")] = 100.0
    exposure_stops: Annotated[float, say.number("Exposure", -6, 6, "stops", 1, -60, 60)] = 0.0
    focus: Annotated[float, say.number("Focus", 0, 2000, "mm", 1, 0, 1e9)] = 0.0
    depth_of_field: Annotated[bool, say.yes("Depth of field")] = False
    blades: Annotated[int, say.whole("Blades", 0, 12, 0, 100, "0 is a round opening")] = 0
    blade_turn: Annotated[float, say.number("Blade turn", -180, 180, "°", 1, -36000, 36000)] = 0.0
    cats_eye: Annotated[
        float,
        say.number("Cat’s eye", 0, 1, "", 2, 0, 4, tip="How much the rim of the lens cuts into blurred highlights near the frame’s edge"),
    ] = 0.0
    kelvin: Annotated[
        float,
        say.number("White", 2000, 12000, "K", 0, 1000, 40000, curve=1.5, tip="The colour of light that is shown as white"),
    ] = 6500.0
    tint: Annotated[float, say.number("Tint", -100, 100, "", 1, -1000, 1000, tip="Green light is taken for white above 0, magenta below")] = 0.0
    bend: Annotated[float, say.number("Lens bend", -0.5, 0.5, "", 3, -50, 50, tip="Below 0 a barrel, above 0 a cushion turned outward")] = 0.0
    near_mm: Annotated[
        float,
        say.number("Near cut", 0, 3000, "mm", 0, 0, 1e8, curve=2, tip="Nothing nearer to the camera than this is seen; 0 cuts nothing"),
    ] = 0.0
    eye_mm: Annotated[
        float,
        say.number("Eye to the right", -100, 100, "mm", 0, -1e4, 1e4, tip="Of a panorama: how far the eye lies beside the middle of the head"),
    ] = 0.0
    keeps_target: Annotated[bool, say.yes("Keeps its target", "When the camera is moved it turns toward the same point")] = False
    projection: Annotated[
        Literal["perspective", "parallel", "panorama"],
        say.choice("Projection", "Perspective", "Parallel", "Full sphere"),
    ] = "perspective"
    span_mm: Annotated[float, say.number("Shows", 10, 2000, "mm", 1, 1e-4, 1e9, curve=2)] = 300.0
    motion_blur: Annotated[bool, say.yes("Blur what moves")] = False
    shutter_angle: Annotated[
        float,
        say.number("Shutter angle", 0, 360, "°", 0, most=36000, tip="Of a frame's time; 0 takes the exposure's shutter time"),
    ] = 0.0
    looks_at: Annotated[PartId | None, say.reference("Looks at")] = None
    look_point: Annotated[Triple, say.vector("Point looked at")] = (0.0, 0.0, 0.0)
    focus_on: Annotated[PartId | None, say.reference("Sharp on")] = None
    focus_point: Annotated[Triple, say.vector("Point in focus")] = (0.0, 0.0, 0.0)
    locked: Annotated[bool, say.yes("Locked")] = False


class SightLine(Record):
    """An edge in a photograph that runs in one of three directions, 1 and 2 level, 3 upright: two or more points along it, in pixels."""

    id: str
    name: Annotated[str, say.text("Name")]
    direction: Annotated[Literal[1, 2, 3], say.choice("Direction", "First", "Second", "Upright")] = 1
    points: Annotated[tuple[Mark, ...], say.many("Points")] = ()


class ShadowStick(Record):
    """Something upright in a photograph and its shadow: foot, top, and the shadow's tip, in pixels. `wall` is where the wall that the tip lies
    on meets the floor, `penumbra` where the shadow's edge begins and ends."""

    id: str
    foot: Annotated[Mark, say.many("Foot")]
    top: Annotated[Mark, say.many("Top")]
    tip: Annotated[Mark, say.many("Tip")]
    wall: Annotated[tuple[Mark, Mark] | None, say.many("Wall")] = None
    penumbra: Annotated[tuple[Mark, Mark] | None, say.many("Edge")] = None


class GreyPatch(Record):
    """A rectangle of a photograph, left, top, right, bottom in pixels, that is known to be grey and to reflect that share of light."""

    box: Annotated[tuple[Place, Place, Place, Place], say.many("Patch")]
    value: Annotated[float, say.number("It reflects", 0.02, 1, "", 2, 0.001, 1, curve=2)] = 0.18


class Cutout(Record):
    """The outline, in the photograph's pixels, of something in it that stands before the product."""

    id: str
    name: Annotated[str, say.text("Name")]
    points: Annotated[tuple[Mark, ...], say.many("Outline")] = ()


class Photograph(Record):
    """What a shot's camera sees behind everything: a picture of `width` x `height` pixels that fills the frame from side to side.

    `stops` brightens it; at 0 its colours are shown as they are. `strength` and `in_front` hold while working, never in a render. `focal_mm` and
    `sensor_mm` are what the file says, 0 for nothing. `bend` is that of its lens; `straight` shows it without, else the render is bent alike.
    `mirrored` lets reflections and light see it too. Its lines give the camera; `known` names the one that is `known_mm` long, `known_below` says
    that it lies `surface_mm` below what the product stands on. `surface` names two lines of a top that the product stands on. `origin` is the pixel
    where the middle of the scene stands.
    """

    image: Annotated[AssetName, say.reference("Picture")]
    file: Annotated[str, say.text("File")] = ""
    width: Annotated[int, say.whole("Width", 1, 16384, 1, 65536)] = 1
    height: Annotated[int, say.whole("Height", 1, 16384, 1, 65536)] = 1
    stops: Annotated[float, say.number("Brightness", -3, 3, "stops", 1, -20, 20, tip="At 0 the photograph’s colours are shown as they are")] = 0.0
    strength: Annotated[float, say.number("Strength", 0, 1, "", 2, 0, 1, tip="While working; a render always shows it whole")] = 1.0
    in_front: Annotated[bool, say.choice("Shows", {False: "Behind all", True: "In front"})] = False
    focal_mm: Annotated[float, say.number("Focal length of the file", 0, 1000, "mm", 1, 0, 10000)] = 0.0
    sensor_mm: Annotated[float, say.number("Sensor of the file", 0, 100, "mm", 1, 0, 10000)] = 0.0
    bend: Annotated[float, say.number("Lens bend", -0.5, 0.5, "", 3, -50, 50, tip="Of the photograph’s lens, from lines that bow")] = 0.0
    straight: Annotated[bool, say.choice("Bent lines", {False: "Bend the render", True: "Straighten the photograph"})] = False
    mirrored: Annotated[bool, say.yes("Seen in reflections", "The dome shows the photograph where that lies; off, only the camera sees it")] = False
    lines: tuple[SightLine, ...] = ()
    known: Annotated[str, say.reference("Known line")] = ""
    known_mm: Annotated[float, say.number("Known length", 0, 3000, "mm", 0, 0, 1e8, curve=2, tip="Of the chosen line; 0 for none")] = 0.0
    known_below: Annotated[bool, say.yes("It lies on the floor", "The known length is on the floor, below what the product stands on")] = False
    surface: Annotated[tuple[str, ...], say.many("Top")] = ()
    surface_mm: Annotated[float, say.number("Height of the top", 0, 1500, "mm", 0, 0, 1e7)] = 0.0
    origin: Annotated[Mark | None, say.many("Stands at")] = None
    sticks: tuple[ShadowStick, ...] = ()
    patch: GreyPatch | None = None
    cutouts: tuple[Cutout, ...] = ()


class Shot(Record):
    """One picture to be made: a camera, a frame, and by address what differs in it from the rest of the project. `guides` are lines over the frame
    that help the eye, `safe` shows how near its edges what matters may come. `picks` is the variant that it shows, by the id of an axis, `finish` the
    id of what is made of its render, "" for nothing."""

    id: str
    name: Annotated[str, say.text("Name")]
    camera: Annotated[CameraId, say.reference("Camera")]
    width: Annotated[int, say.whole("Width", 1, 8192, 1, 65536)] = 1600
    height: Annotated[int, say.whole("Height", 1, 8192, 1, 65536)] = 1200
    view: Annotated[
        Literal["Product neutral", "Film", "Plain", "Crisp"], say.choice("View", "Product neutral", "Film", "Plain", "Crisp")
    ] = "Product neutral"
    photograph: Photograph | None = None
    guides: Annotated[
        Literal["none", "thirds", "golden", "diagonal", "centre"],
        say.choice("Guides", "None", "Thirds", "Golden", "Diagonals", "Centre"),
    ] = "none"
    safe: Annotated[bool, say.yes("Safe areas", "Lines a twentieth and a tenth within the frame")] = False
    overrides: dict[str, Value] = {}
    picks: dict[str, str] = {}
    finish: Annotated[str, say.text("Finish")] = ""
