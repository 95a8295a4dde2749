"""What light is made of: the dome and its softboxes, sun and sky, lamps (Light)."""

from typing import Annotated, Literal

from aulmo.document import property as say
from aulmo.document.part_records import Copies
from aulmo.document.record_base import AssetName, EnvironmentName, Follow, PartId, Record, Triple
from aulmo.document.surface_records import Stop


class Sky(Record):
    """Daylight instead of an environment picture: where the sun stands, and how hazy the air is.

    With `by_place` the sun's direction follows from date, hour and place (degrees north and east, hours of local clock time with
    `utc_offset`), else from `azimuth` (clockwise from +y, seen from above) and `elevation`. `sun_stops` and `sky_stops` brighten one of the two.
    """

    turbidity: Annotated[float, say.number("Haze", 1.7, 10, "", 1, tip="Turbidity: 2 very clear, 3 clear, 6 hazy")] = 3.0
    azimuth: Annotated[float, say.number("Sun azimuth", 0, 360, "°", 1, -36000, 36000, change="shorter way")] = 220.0
    elevation: Annotated[float, say.number("Elevation", -10, 90, "°", 1, -90, 90)] = 35.0
    by_place: Annotated[bool, say.choice("Sun", {False: "By angles", True: "By place"})] = False
    latitude: Annotated[float, say.number("Latitude", -90, 90, "°", 2)] = 48.0
    longitude: Annotated[float, say.number("Longitude", -180, 180, "°", 2, -360, 360)] = 11.0
    date: Annotated[str, say.text("Date")] = "2026-06-21"
    hour: Annotated[float, say.number("Hour", 0, 24, "h", 2)] = 15.0
    utc_offset: Annotated[float, say.number("Clock vs UTC", -12, 14, "h", 1)] = 2.0
    north: Annotated[float, say.number("North", -180, 180, "°", 1, -36000, 36000, change="shorter way")] = 0.0
    sun: Annotated[bool, say.yes("Direct sun")] = True
    sun_stops: Annotated[float, say.number("Sun’s strength", -6, 6, "stops", 1, -60, 60, tip="Of the sun alone; 0 is as it is")] = 0.0
    sky_stops: Annotated[float, say.number("Sky’s strength", -6, 6, "stops", 1, -60, 60, tip="Of the sky alone; 0 is as it is")] = 0.0


class GradeStop(Record):
    """Brightness (stops from the softbox's own) and colour of a graded softbox at a share 0..1 of its way."""

    at: Annotated[float, say.number("At", 0, 1, "", 2)] = 0.0
    stops: Annotated[float, say.number("Brightness", -6, 6, "stops", 1, -60, 60)] = 0.0
    colour: Annotated[Triple, say.colour("Colour")] = (1.0, 1.0, 1.0)


class Softbox(Record):
    """A light on the dome: at `azimuth` and `elevation` (from the camera's side, and from the horizon up), `width` x `height` degrees, turned.

    `corner`, `edge` and `hot_size` are shares of half the smaller side, `inner` of a ring's radius. A `hot` spot leaves the middle as it is and
    darkens toward the outline by that share. `bent`: its long side runs along a great circle, up to all round. `stops` is above white
    (`light.softbox.WHITE_NITS`). It lies over what is below, is added to it, or takes light away ("flag"). `grade` says how the `grades` run.
    `picture` is an asset or, when `shipped`, the name of one that comes with Aulmo. An empty `group` is one of its own. `stays_with` "dome" is
    what the dome stays with; `part` is whom it follows with "part"; `follows` names colours of the project, as in a material.
    """

    id: str
    name: Annotated[str, say.text("Name")]
    kind: Annotated[Literal["plain", "graded", "picture"], say.choice("Kind", "Plain", "Graded", "Picture")] = "plain"
    shape: Annotated[
        Literal["rectangle", "round", "ring", "half", "polygon"],
        say.choice("Shape", "Rectangle", "Round", "Ring", "Half round", "Polygon"),
    ] = "rectangle"
    azimuth: Annotated[
        float,
        say.number("Azimuth", -180, 180, "°", 1, -36000, 36000, change="shorter way", tip="From the camera's side; right is above 0"),
    ] = 0.0
    elevation: Annotated[float, say.number("Elevation", -90, 90, "°", 1, -90, 90)] = 30.0
    turn: Annotated[float, say.number("Turn", -180, 180, "°", 1, -36000, 36000, change="shorter way")] = 0.0
    width: Annotated[float, say.number("Width", 1, 180, "°", 1, 0.05, 360, curve=1.5)] = 40.0
    height: Annotated[float, say.number("Height", 1, 180, "°", 1, 0.05, 360, curve=1.5)] = 60.0
    corner: Annotated[float, say.number("Corner", 0, 1)] = 0.15
    inner: Annotated[float, say.number("Hole", 0, 0.98, "", 2, 0, 0.999)] = 0.6
    sides: Annotated[int, say.whole("Sides", 3, 12, 3, 64)] = 6
    bent: Annotated[bool, say.yes("Follows a great circle", "Its long side is bent round the dome, as far as it reaches")] = False
    edge: Annotated[float, say.number("Soft edge", 0, 1)] = 0.08
    hot_size: Annotated[float, say.number("Hot spot size", 0.1, 2, "", 2, 0.01, 20)] = 1.0
    hot: Annotated[float, say.number("Hot spot", 0, 1)] = 0.3
    stops: Annotated[float, say.number("Brightness", -4, 8, "stops", 1, -60, 30, tip="Above white: the light of a white card in 3000 lux")] = 2.5
    kelvin: Annotated[float, say.number("Temperature", 1700, 12000, "K", 0, 1000, 40000)] = 6500.0
    colour: Annotated[Triple, say.colour("Filter")] = (1.0, 1.0, 1.0)
    opacity: Annotated[float, say.number("Opacity", 0, 1)] = 1.0
    blend: Annotated[Literal["over", "add", "flag"], say.choice("Lies", "Over", "Added", "Flag")] = "over"
    grade: Annotated[Literal["along", "across", "round"], say.choice("Graded", "Along", "Across", "Round")] = "along"
    grades: Annotated[tuple[GradeStop, ...], say.many("Grades")] = (GradeStop(0.0, -3.0), GradeStop(1.0, 0.0))
    picture: Annotated[EnvironmentName, say.reference("Picture")] = "Creased silk"
    shipped: Annotated[bool, say.yes("Comes with Aulmo")] = True
    on: Annotated[bool, say.yes("On")] = True
    solo: Annotated[bool, say.yes("Solo")] = False
    locked: Annotated[bool, say.yes("Locked")] = False
    group: Annotated[str, say.text("Light group")] = ""
    stays_with: Annotated[
        Literal["dome", "scene", "camera", "part"],
        say.choice("Stays with", "The dome", "The scene", "The camera", "The product"),
    ] = "dome"
    part: Annotated[PartId | None, say.reference("Follows")] = None
    follows: tuple[Follow, ...] = ()


class Environment(Record):
    """The light around the set: a ground (a picture, one colour, a gradient, sun and sky), and on it softboxes, the lowest first.

    `image` is a shipped set's name or an asset name. `kelvin` is the white it is warmed or cooled to, `blur` in degrees. A dome of `radius_mm`
    stands round `centre` (0: endlessly far), its lower half `on_floor` when wanted. `colour` and the `stops` of a gradient (from straight
    down at 0 to straight up at 1) are shares of white. Both the ground and all softboxes that say so go with what the dome `stays_with`.
    """

    kind: Annotated[
        Literal["picture", "colour", "gradient", "sky"],
        say.choice("Ground", "Picture", "One colour", "Gradient", "Sun and sky"),
    ] = "picture"
    image: Annotated[EnvironmentName, say.reference("Set")] = "Loft"
    shipped: Annotated[bool, say.yes("Comes with Aulmo")] = True
    turn: Annotated[float, say.number("Turn", -180, 180, "°", 1, -36000, 36000)] = 0.0
    tilt: Annotated[float, say.number("Tilt", -90, 90, "°", 1, -3600, 3600)] = 0.0
    exposure: Annotated[float, say.number("Exposure", -6, 6, "stops", 2, -60, 60)] = 0.0
    saturation: Annotated[float, say.number("Saturation", 0, 2, "", 2, 0, 10)] = 1.0
    kelvin: Annotated[float, say.number("White", 2500, 12000, "K", 0, 1700, 25000, tip="6500 K leaves the picture as it is")] = 6500.0
    blur: Annotated[float, say.number("Blur", 0, 60, "°", 1, 0, 180, curve=2)] = 0.0
    radius_mm: Annotated[float, say.number("Size", 0, 20000, "mm", 0, 0, 1e9, curve=3, tip="How far away the walls are; 0 is endlessly far")] = 0.0
    centre: Annotated[Triple, say.vector("Seen from", decimals=0)] = (0.0, 0.0, 500.0)
    on_floor: Annotated[
        bool,
        say.yes("Lower half on the floor", "What is below the horizon lies flat, so that the product stands in the place"),
    ] = False
    colour: Annotated[Triple, say.colour("Colour", "1 is white in 3000 lux; black is all lights off")] = (0.0, 0.0, 0.0)
    stops: Annotated[
        tuple[Stop, ...],
        say.many("Gradient"),
    ] = (Stop(0.0, (0.05, 0.05, 0.05)), Stop(0.5, (0.12, 0.12, 0.12)), Stop(1.0, (0.5, 0.5, 0.5)))
    sky: Sky = Sky()
    softboxes: tuple[Softbox, ...] = ()
    stays_with: Annotated[Literal["scene", "camera", "part"], say.choice("Stays with", "The scene", "The camera", "The product")] = "scene"
    part: Annotated[PartId | None, say.reference("Follows")] = None


class Lamp(Record):
    """A lamp in the scene, shining along its own -z axis.

    `kind` says what it is; `width` is a rectangle's width, a disc's, ring's, sphere's, tube's, point's or spot's diameter; `height` a
    rectangle's or portal's height, a ring's inner diameter, a tube's length. `power` is read in `unit`: lumen in all, candela along the
    axis, nit of the surface, or lux of a distant light square on. A distant lamp's `angle` is how wide it looks; a spot's `cone` is its
    full angle and `softness` the share of it that fades. `lights` names the parts and groups it lights; empty means all. One that stays with
    "camera" or "part" stands in their axes: see `light.staying`. `copies` is a rule that it is repeated by; `follows` as a softbox has it.
    """

    id: str
    name: Annotated[str, say.text("Name")]
    kind: Annotated[
        Literal["rectangle", "disc", "ring", "sphere", "tube", "point", "spot", "distant", "sun", "photometric", "portal"],
        say.choice("Kind", "Rectangle", "Disc", "Ring", "Sphere", "Tube", "Point", "Spot", "Distant", "Sun", "Photometric", "Portal"),
    ] = "rectangle"
    position: Annotated[Triple, say.vector("Position", decimals=0)] = (0.0, 0.0, 500.0)
    turn: Annotated[Triple, say.vector("Turn", "°", 1e6, 0, change="turns")] = (0.0, 0.0, 0.0)
    width: Annotated[float, say.number("Width", 0, 1000, "mm", 1, most=1e8, curve=2)] = 200.0
    height: Annotated[float, say.number("Height", 0, 1000, "mm", 1, most=1e8, curve=2)] = 200.0
    power: Annotated[float, say.number("Power", 0, 5000, "", 1, most=1e12, change="stops")] = 1000.0
    unit: Annotated[Literal["lumen", "candela", "nit", "lux"], say.choice("Unit of power", "lm", "cd", "nits", "lux")] = "lumen"
    stops: Annotated[float, say.number("Brightness", -6, 6, "stops", 2, -60, 60)] = 0.0
    kelvin: Annotated[float, say.number("Temperature", 1700, 12000, "K", 0, 1000, 40000)] = 6500.0
    colour: Annotated[Triple, say.colour("Filter")] = (1.0, 1.0, 1.0)
    angle: Annotated[float, say.number("Looks wide", 0, 60, "°", 2, most=179, curve=2)] = 0.5
    cone: Annotated[float, say.number("Cone", 1, 170, "°", 1, 0.1, 179.9)] = 40.0
    softness: Annotated[float, say.number("Soft edge", 0, 1)] = 0.2
    profile: Annotated[AssetName | None, say.reference("Measured")] = None
    on: Annotated[bool, say.yes("On")] = True
    seen: Annotated[bool, say.yes("Seen by the camera")] = False
    group: Annotated[str, say.text("Group")] = "Lamps"
    lights: Annotated[tuple[PartId, ...], say.many("Lights")] = ()
    solo: Annotated[bool, say.yes("Solo")] = False
    locked: Annotated[bool, say.yes("Locked")] = False
    stays_with: Annotated[Literal["scene", "camera", "part"], say.choice("Stays with", "The scene", "The camera", "The product")] = "scene"
    part: Annotated[PartId | None, say.reference("Follows")] = None
    copies: Copies | None = None
    follows: tuple[Follow, ...] = ()
