"""What a folded carton is made from (Prepare)."""

from typing import Annotated, Literal

from aulmo.document import property as say
from aulmo.document.record_base import AssetName, FaceNumber, Place, Record, Triple, within

MOST_PANELS = 2000


class Crease(Record):
    """One crease of a carton's flat, by its id there: how far it is folded when the carton is closed (above 0 the print lies outside), its group, and
    between which shares of the way from flat to closed it moves. It goes `over` by so many degrees and comes back between two later shares, as a
    tuck that is led past an edge."""

    id: str
    group: Annotated[str, say.text("Group")] = ""
    angle: Annotated[float, say.number("Angle", 0, 180, "°", 1, -180, 180)] = 90.0
    start: Annotated[float, say.number("Moves from", 0, 1, "", 2)] = 0.0
    end: Annotated[float, say.number("Moves to", 0, 1, "", 2)] = 1.0
    over: Annotated[float, say.number("Over", -60, 60, "°", 1, -180, 180)] = 0.0
    back_from: Annotated[float, say.number("Back from", 0, 1, "", 2)] = 1.0
    back_to: Annotated[float, say.number("Back at", 0, 1, "", 2)] = 1.0


class Print(Record):
    """A plate laid over the flat: on which side, what it does, the file it was made of (`artwork`) and where that lies on the flat (left, bottom,
    right, top in mm; `by_hand` when the artist put it there), the plate itself, how high relief or varnish stands, the tone of foil; ACEScg."""

    id: str
    side: Annotated[Literal["front", "back"], say.choice("Side", "Front", "Back")] = "front"
    role: Annotated[
        Literal["print", "foil", "emboss", "deboss", "varnish", "white", "soft"],
        say.choice("Does", "Print", "Foil", "Emboss", "Deboss", "Spot varnish", "White", "Soft touch"),
    ] = "print"
    artwork: Annotated[AssetName | None, say.reference("Artwork")] = None
    file: Annotated[str, say.text("File")] = ""
    box: Annotated[tuple[Place, Place, Place, Place] | None, say.many("Lies at")] = None
    by_hand: Annotated[bool, say.yes("Placed by hand")] = False
    plate: Annotated[AssetName | None, say.reference("Plate")] = None
    mm: Annotated[float, say.number("Height", 0, 1, "mm", 3, 0, 10)] = 0.0
    tone: Annotated[Triple, say.colour("Foil")] = (0.9, 0.66, 0.3)


class Carton(Record):
    """A carton folded from a flat. `folded` leads all creases from flat (0) to their angles (1), each in its own time. `names` are those of the
    panels, in their order. The `front` stays where it is and all others fold about it; whichever way it `rests`, its lowest point is at z = 0.
    A `fluted` board shows its waves at cut edges, `pitch_mm` from one to the next, running along the drawing's x or y. `film_mm` thick film lies
    behind windows; 0 leaves them open. `weight` is in grams a square metre. In another `form`
    nothing is folded: a label lies round a body of so many `radii`, from its foot to `body_mm`; a pouch is a tube."""

    flat: Annotated[AssetName, say.reference("Drawing")]
    file: Annotated[str, say.text("File")] = ""
    front: Annotated[FaceNumber, say.whole("Front", 0, 100, 0, MOST_PANELS)] = 0
    names: Annotated[tuple[str, ...], say.many("Panels")] = ()
    creases: tuple[Crease, ...] = ()
    folded: Annotated[float, say.number("All", 0, 1, "", 3, tip="From flat to closed, each crease in its own time")] = 1.0
    board: Annotated[str, say.text("Board")] = ""
    thickness: Annotated[float, say.number("Thickness", 0.05, 8, "mm", 2, 0.01, 50, curve=2)] = 0.4
    weight: Annotated[float, say.number("Weight", 0, 2000, "g/m²", 0, 0, 20000)] = 0.0
    rests: Annotated[
        Literal["upright", "face up", "face down"],
        say.choice("Rests", "Front upright", "Front lies face up", "Front lies face down"),
    ] = "upright"
    fluted: Annotated[Literal["no", "x", "y"], say.choice("Flutes", "None", "Across the drawing", "Up the drawing")] = "no"
    pitch_mm: Annotated[float, say.number("Flute", 1, 10, "mm", 1, 0.2, 100)] = 6.5
    film_mm: Annotated[float, say.number("Film in windows", 0, 0.3, "mm", 3, 0, 5)] = 0.0
    prints: tuple[Print, ...] = ()
    form: Annotated[Literal["folded", "round", "pouch"], say.choice("Form", "Folded", "Round a body", "A pouch")] = "folded"
    radii: Annotated[tuple[Annotated[float, within(0.0, 1e6)], ...], say.many("Radii")] = ()
    body_mm: Annotated[float, say.number("Body", 0, 1000, "mm", 1, 0, 1e6)] = 0.0
    rise: Annotated[float, say.number("Stands at", 0, 300, "mm", 2, 0, 1e6, tip="How high on its body a label begins")] = 0.0
    fullness: Annotated[float, say.number("Full", 0, 1, tip="How far a pouch is filled")] = 0.5
    seals: Annotated[Literal["both", "bottom", "none"], say.choice("Sealed", "At both ends", "At the bottom", "Nowhere")] = "both"
