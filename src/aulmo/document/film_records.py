"""What a film is made of: keys, motions, the reel that says which shot is seen when. Times in seconds."""

from typing import Annotated, Literal

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
    its `leader`. A wheel turns by what its hub travels over `radius_mm`. A ride sways `swings` times a second, by `dive` and `lean` degrees for one
    gravity. A shake is `amount_mm` and `amount_degrees` wide, `swings` a second. `lens_mm` is where a zoom goes; `cameras` are flown
    through. `carries` says what the light stays with: the "set", the "camera" or the "product". A `pace` are shares of the way at even times, as
    it was driven by hand, in the place of an ease.
    """

    id: str
    name: str = ""
    kind: Literal[
        "spin", "slide", "lift", "swing", "fade", "glow", "turntable", "orbit", "dolly", "zoom", "fly", "follow", "roll", "steer", "ride", "shake"
    ] = "spin"
    wears: tuple[str, ...] = ()
    start: float = 0.0
    length: float = 2.0
    before: Literal["even", "eased"] = "eased"
    after: Literal["even", "eased"] = "eased"
    repeats: float = 1.0
    back: bool = False
    hold_before: bool = True
    hold_after: bool = True
    degrees: float = 360.0
    axis: Triple = (0.0, 0.0, 1.0)
    axis_of: Literal["own", "world"] = "own"
    centre: Triple | None = None
    distance_mm: float = 100.0
    from_: float = 1.0
    to: float = 0.0
    path: PathId | None = None
    leader: PartId | None = None
    faces: bool = True
    bank: float = 0.0
    offset: Triple = (0.0, 0.0, 0.0)
    radius_mm: float = 0.0
    swings: float = 1.6
    damping: float = 0.3
    dive: float = 4.0
    lean: float = 4.0
    amount_mm: float = 2.0
    amount_degrees: float = 0.3
    seed: int = 0
    lens_mm: float = 85.0
    cameras: tuple[CameraId, ...] = ()
    carries: Literal["set", "camera", "product"] = "set"
    pace: tuple[Annotated[float, within(-1e6, 1e6)], ...] = ()
    on: bool = True


class Cut(Record):
    """From `start` on the film shows a shot, over which the one before fades out for `dissolve` seconds."""

    id: str
    shot: str
    start: float = 0.0
    dissolve: float = 0.0


class Marker(Record):
    """A moment with a name."""

    id: str
    name: str
    time: float = 0.0


class LaneGroup(Record):
    """Lanes gathered under a name, with a stripe of colour (linear); `lanes` are what they are of, as "parts/<id>"."""

    id: str
    name: str
    lanes: tuple[str, ...] = ()
    colour: Triple = (0.35, 0.35, 0.35)
    folded: bool = False


class Footage(Record):
    """How moving pictures run: from when on in the film, how many times as fast, and what comes after their end."""

    start: float = 0.0
    speed: float = 1.0
    ends: Literal["loop", "hold", "back"] = "loop"


class Film(Record):
    """How long the film is, what of it is played, its reel, its names for moments, and how its moving pictures run, by their stored names."""

    start: float = 0.0
    end: float = 8.0
    play_start: float = 0.0
    play_end: float = 8.0
    reel: tuple[Cut, ...] = ()
    markers: tuple[Marker, ...] = ()
    groups: tuple[LaneGroup, ...] = ()
    footage: dict[str, Footage] = {}
