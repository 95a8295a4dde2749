"""What a film is made of: keys, motions, the reel that says which shot is seen when. Times in seconds."""

from typing import Annotated, Literal

from aulmo.document import property as say
from aulmo.document.record_base import CameraId, PartId, PathId, Point, Record, Second, Share, Triple, Value, within


class Key(Record):
    """The value of a property at a time, at which it `rest`s for a while before it goes on.

    `before` and `after` say how the way comes to the key and how it leaves: evenly, eased (from and to a stop), smoothly through without
    overshooting. The way to the next key may also be held back till then, sprung, or bent by hand: `bend` holds the two handles (x, y, x, y) of
    a curve of shares. A place goes straight or along an `arc` through its neighbours, or through a point `via`. An angle goes the shorter way unless
    `by_numbers`, which counts whole turns.
    """

    time: Second
    value: Value
    before: Literal["even", "eased", "smooth"] = "even"
    after: Literal["even", "eased", "smooth", "held", "sprung", "bent"] = "even"
    rest: Annotated[float, within(0.0, 1e6)] = 0.0
    bend: tuple[Share, Share, Share, Share] = (0.35, 0.0, 0.65, 1.0)
    way: Literal["straight", "arc"] = "straight"
    via: Point | None = None
    by_numbers: bool = False


class Motion(Record):
    """Something that moves, fades or shines without keys, from `start` for `length`: a bar in the film.

    `wears` names what it moves, as "parts/<id>", "cameras/<id>", "lamps/<id>", "softboxes/<id>" or "environment". It goes from nothing to the
    whole with `before` and `after` as its ends, `repeats` times, `back` again each time; it holds its ends before and after where it is told to.

    Turns go by `degrees` about an `axis` of the thing itself ("own") or of the world, through `centre` (in the same axes; None is the pivot);
    slides by `distance_mm` along it. Fades and glows go `from_` to `to`: an opacity, or stops. What follows a `path` runs from one share of
    its length to another, its own `axis` facing along where it `faces`, lying over by `bank` of what a bend asks for; or it follows a part,
    its `leader`. A wheel turns by what its hub travels over `radius_mm`, seen from its `ground` where that moves; None finds what moves below it. A
    ride sways `swings` times a second, by `dive` and `lean` degrees for one gravity. A shake is `amount_mm` and `amount_degrees` wide, `swings` a
    second. `lens_mm` is where a zoom goes; `cameras` are flown through. `carries` says what the light stays with: the "set", the "camera" or the
    "product". A `pace` are shares of the way at even times, as it was driven by hand, in the place of an ease.
    """

    id: str
    name: Annotated[str, say.text("Name")] = ""
    kind: Annotated[
        Literal["spin", "slide", "lift", "swing", "fade", "glow", "turntable", "orbit", "dolly", "zoom", "fly", "follow", "roll", "steer", "ride",
            "shake"],
        say.choice("Motion", "Spin", "Slide", "Lift", "Swing", "Fade", "Glow", "Turntable", "Orbit", "Dolly", "Zoom", "Fly through", "Follow a path",
            "Roll", "Steer", "Ride", "Shake"),
    ] = "spin"
    wears: Annotated[tuple[str, ...], say.many("Moves")] = ()
    start: Annotated[float, say.number("Start", 0, 20, "s", 2, -1e6, 1e6)] = 0.0
    length: Annotated[float, say.number("Length", 0.1, 20, "s", 2, 1e-4, 1e6, curve=1.5)] = 2.0
    before: Annotated[Literal["even", "eased"], say.choice("Begins", "Even", "Eased")] = "eased"
    after: Annotated[Literal["even", "eased"], say.choice("Ends", "Even", "Eased")] = "eased"
    repeats: Annotated[float, say.number("Times", 1, 20, "", 1, 0.01, 1e5)] = 1.0
    back: Annotated[bool, say.yes("There and back")] = False
    hold_before: Annotated[bool, say.yes("Holds before", "Until it begins the thing stands as at its beginning")] = True
    hold_after: Annotated[bool, say.yes("Holds after", "When it has ended the thing stays as it is then")] = True
    degrees: Annotated[float, say.number("Degrees", -720, 720, "°", 1, -1e7, 1e7)] = 360.0
    axis: Annotated[Triple, say.vector("Axis", "", 1e6, 3, nonzero=False)] = (0.0, 0.0, 1.0)
    axis_of: Annotated[Literal["own", "world"], say.choice("Axis of", "The part", "The world")] = "own"
    centre: Annotated[Triple | None, say.vector("Round")] = None
    distance_mm: Annotated[float, say.number("Distance", -500, 500, "mm", 1, -1e8, 1e8)] = 100.0
    from_: Annotated[float, say.number("From", -6, 6, "", 2, -60, 60)] = 1.0
    to: Annotated[float, say.number("To", -6, 6, "", 2, -60, 60)] = 0.0
    path: Annotated[PathId | None, say.reference("Path")] = None
    leader: Annotated[PartId | None, say.reference("Follows")] = None
    ground: Annotated[PartId | None, say.reference("Rolls on")] = None
    faces: Annotated[bool, say.yes("Faces along", "Turns with the path; off keeps the way it faces")] = True
    bank: Annotated[float, say.number("Lies over", 0, 1, "", 2, 0, 3)] = 0.0
    offset: Annotated[Triple, say.vector("Beside", decimals=1)] = (0.0, 0.0, 0.0)
    radius_mm: Annotated[float, say.number("Wheel radius", 0, 500, "mm", 2, 0, 1e7, curve=2, tip="From the part")] = 0.0
    swings: Annotated[float, say.number("Swings a second", 0.1, 12, "", 2, 0.001, 1000)] = 1.6
    damping: Annotated[float, say.number("Damping", 0, 1, "", 2, 0, 10)] = 0.3
    dive: Annotated[float, say.number("Dives", 0, 15, "°", 1, -180, 180, tip="For one gravity of braking")] = 4.0
    lean: Annotated[float, say.number("Leans", 0, 15, "°", 1, -180, 180, tip="For one gravity of bend")] = 4.0
    amount_mm: Annotated[float, say.number("Shakes by", 0, 20, "mm", 2, 0, 1e6, curve=2)] = 2.0
    amount_degrees: Annotated[float, say.number("Turns by", 0, 5, "°", 2, 0, 180, curve=2)] = 0.3
    seed: Annotated[int, say.whole("Pattern", 0, 100, 0, 2_000_000_000)] = 0
    lens_mm: Annotated[float, say.number("To lens", 14, 200, "mm", 1, 1, 10000)] = 85.0
    cameras: Annotated[tuple[CameraId, ...], say.many("Cameras")] = ()
    carries: Annotated[
        Literal["set", "camera", "product"],
        say.choice("Light", "Stays with the set", "Goes with the camera", "Goes with the product"),
    ] = "set"
    pace: Annotated[tuple[Annotated[float, within(-1e6, 1e6)], ...], say.many("Pace")] = ()
    on: Annotated[bool, say.yes("On")] = True


class Cut(Record):
    """From `start` on the film shows a shot, over which the one before fades out for `dissolve` seconds."""

    id: str
    shot: Annotated[str, say.reference("Shot")]
    start: Annotated[float, say.number("From", 0, 20, "s", 2, -1e6, 1e6)] = 0.0
    dissolve: Annotated[float, say.number("Dissolve", 0, 3, "s", 2, 0, 1e4)] = 0.0


class Marker(Record):
    """A moment with a name."""

    id: str
    name: Annotated[str, say.text("Name")]
    time: Annotated[float, say.number("Time", 0, 20, "s", 2, -1e6, 1e6)] = 0.0


class LaneGroup(Record):
    """Lanes gathered under a name, with a stripe of colour (linear); `lanes` are what they are of, as "parts/<id>"."""

    id: str
    name: Annotated[str, say.text("Name")]
    lanes: Annotated[tuple[str, ...], say.many("Lanes")] = ()
    colour: Annotated[Triple, say.colour("Stripe")] = (0.35, 0.35, 0.35)
    folded: Annotated[bool, say.yes("Folded")] = False


class Footage(Record):
    """How moving pictures run: from when on in the film, how many times as fast, and what comes after their end."""

    start: Annotated[float, say.number("Begins at", 0, 20, "s", 2, -1e6, 1e6)] = 0.0
    speed: Annotated[float, say.number("Speed", 0, 4, "", 2, -100, 100)] = 1.0
    ends: Annotated[Literal["loop", "hold", "back"], say.choice("Then", "Again", "Held", "To and fro")] = "loop"


class Film(Record):
    """How long the film is, what of it is played, its reel, its names for moments, and how its moving pictures run, by their stored names."""

    start: Annotated[float, say.number("Begins", 0, 60, "s", 2, -1e5, 1e5)] = 0.0
    end: Annotated[float, say.number("Ends", 0, 60, "s", 2, -1e5, 1e5)] = 8.0
    play_start: Annotated[float, say.number("Plays from", 0, 60, "s", 2, -1e5, 1e5)] = 0.0
    play_end: Annotated[float, say.number("Plays to", 0, 60, "s", 2, -1e5, 1e5)] = 8.0
    reel: tuple[Cut, ...] = ()
    markers: tuple[Marker, ...] = ()
    groups: tuple[LaneGroup, ...] = ()
    footage: dict[str, Footage] = {}
