"""The light sets that ship: softboxes on a dome, each of which can be moved, changed and deleted."""

from typing import NamedTuple

from aulmo.document.records import Backdrop, Document, Environment, GradeStop, Sky, Softbox, Stop


class LitSet(NamedTuple):
    """A set's name, words that find it, a note, and its document."""

    name: str
    tags: tuple[str, ...]
    note: str
    document: Document


def _box(name: str, azimuth: float, elevation: float, width: float, height: float, stops: float, **more) -> Softbox:
    more = {"corner": 0.06, "edge": 0.06, "hot": 0.2, **more}
    return Softbox(name.lower().replace(" ", "-"), name, azimuth=azimuth, elevation=elevation, width=width, height=height, stops=stops, **more)


def _graded(name: str, azimuth: float, elevation: float, width: float, height: float, stops: float, low: float = -3.0, how: str = "along", **more) -> Softbox:
    grades = (GradeStop(0.0, low), GradeStop(1.0, 0.0))
    return _box(name, azimuth, elevation, width, height, stops, kind="graded", grade=how, grades=grades, hot=0.0, **more)


def _pictured(name: str, picture: str, azimuth: float, elevation: float, width: float, height: float, stops: float, **more) -> Softbox:
    return _box(name, azimuth, elevation, width, height, stops, kind="picture", picture=picture, hot=0.0, **more)


def _flag(name: str, azimuth: float, elevation: float, width: float, height: float, opacity: float = 0.95) -> Softbox:
    return _box(name, azimuth, elevation, width, height, 0.0, blend="flag", edge=0.4, opacity=opacity)


def _set(name: str, tags: str, note: str, grounds: tuple[float, float, float], boxes: tuple[Softbox, ...], warm: tuple[float, float, float] = (1.0, 1.0, 1.0), behind: tuple | None = None) -> LitSet:
    stops = tuple(Stop(at, tuple(v * w for w in warm)) for at, v in zip((0.0, 0.5, 1.0), grounds))
    backdrop = Backdrop(kind="gradient", top=behind[0], bottom=behind[1]) if behind is not None else Backdrop()
    document = Document(name=name, environment=Environment(kind="gradient", stops=stops, softboxes=boxes), backdrop=backdrop)
    return LitSet(name, tuple(tags.split()), note, document)


def sets() -> list[LitSet]:
    """All of them, in the order shown."""
    dark = ((0.010, 0.010, 0.011), (0.035, 0.035, 0.036))
    sun = Sky(turbidity=2.6, azimuth=232.0, elevation=13.0)
    evening = Document(
        name="Evening", environment=Environment(kind="sky", sky=sun, exposure=0.0, softboxes=(_box("Sky fill", 120, 30, 70, 60, 1.2, kelvin=9000, edge=0.5),)), backdrop=Backdrop()
    )  # fmt: skip
    return [
        _set("Table top", "product catalogue all-round", "One large box from above, two fills: shape without drama.", (0.10, 0.22, 0.4), (
            _pictured("Scrim above", "Scrim", 0, 76, 96, 72, 3.0), _box("Fill left", -78, 14, 20, 58, 1.5, edge=0.2), _box("Fill right", 80, 14, 20, 58, 0.9, edge=0.2),
            _box("Rim", 165, 30, 60, 14, 2.4, edge=0.2))),
        _set("Jewellery", "ring watch gems sparkle small", "A tent with dark bars in it: metal needs black to be seen.", (0.35, 0.6, 0.9), (
            _box("Tent left", -62, 30, 74, 84, 2.2, edge=0.3), _box("Tent right", 66, 30, 66, 84, 1.8, edge=0.3), _box("Sparkle", -24, 58, 5, 5, 6.4, shape="round"),
            _box("Sparkle back", 128, 48, 4, 4, 6.6, shape="round"), _flag("Bar left", -16, 22, 9, 90), _flag("Bar right", 24, 24, 7, 90), _flag("Bar back", 150, 10, 16, 90))),
        _set("Glass on white", "bottle bright field perfume drink", "Light from behind; black flags at both sides draw the edges.", (0.5, 0.7, 0.8), (
            _box("White behind", 180, 8, 120, 90, 2.4, edge=0.25), _graded("Face left", -50, 26, 12, 76, 1.0), _flag("Edge left", -112, 6, 16, 100), _flag("Edge right", 112, 6, 16, 100)),
            behind=((0.86, 0.86, 0.86), (0.80, 0.80, 0.80))),
        _set("Glass on black", "bottle dark field perfume drink", "Two strips from behind; the rest is dark.", (0.006, 0.01, 0.02), (
            _graded("Strip left", -128, 12, 12, 100, 3.6, -1.5), _graded("Strip right", 128, 12, 12, 100, 3.6, -1.5), _box("Top", 180, 68, 60, 18, 2.0, edge=0.3), _pictured("Kiss", "Gridded strip", -38, 30, 6, 54, 1.4)), behind=dark),
        _set("Black on black", "dark lacquer leather low-key", "Edges alone: two strips behind, a graded sliver in front.", (0.004, 0.008, 0.014), (
            _box("Rim left", -116, 20, 10, 96, 4.3), _box("Rim right", 120, 22, 8, 96, 4.0), _graded("Sliver", -32, 34, 7, 70, 2.6), _box("Hair", 178, 66, 76, 10, 3.0, edge=0.2)), behind=dark),
        _set("Car side", "vehicle long horizon gradient", "One long graded plane above, a dark horizon below it, a low kicker.", (0.02, 0.05, 0.10), (
            _graded("Long plane", 0, 52, 170, 30, 2.9, -2.2, "along", bent=True), _graded("Horizon", 0, 12, 170, 7, 1.8, -2.5, "along", bent=True), _box("Nose", -96, 18, 14, 40, 2.6, edge=0.2), _box("Tail", 98, 18, 14, 40, 2.2, edge=0.2),
            _flag("Dark line", 0, 26, 170, 8, 0.85)), behind=((0.03, 0.03, 0.032), (0.09, 0.09, 0.092))),
        _set("Tall bottle", "bottle wine cosmetics vertical", "Two tall strips, one broader: long even lines down both sides.", (0.06, 0.12, 0.2), (
            _graded("Broad left", -64, 18, 26, 116, 2.6, -1.6, "across"), _pictured("Strip right", "Hot tube", 74, 18, 9, 110, 2.7), _box("Top", 150, 62, 60, 20, 2.0, edge=0.2))),
        _set("Flat lay", "overhead from above knolling", "Soft and slanting from one side, a white wall on the other: short, clear shadows.", (0.2, 0.34, 0.5), (
            _pictured("Window left", "Seamed softbox", -84, 46, 54, 54, 3.3), _box("Wall right", 88, 26, 70, 80, 0.9, edge=0.5))),
        _set("Window light", "daylight home food kitchen", "One window and what the room gives back.", (0.08, 0.14, 0.18), (
            _pictured("Window", "Tall window", -72, 22, 46, 70, 4.2, kelvin=6000), _pictured("Second window", "Curtain", -122, 20, 34, 66, 2.4, kelvin=6000), _box("Room", 95, 20, 90, 90, -0.6, edge=0.6, kelvin=4800)), (1.0, 0.95, 0.88)),
        _set("Overcast", "outdoor soft cloudy", "A closed sky: bright above, darker to the horizon, no shadows.", (0.14, 0.5, 1.25), (_box("Brighter cloud", -40, 62, 90, 60, 1.4, edge=0.9, kelvin=6800),), (0.96, 1.0, 1.05)),
        LitSet("Evening", ("outdoor", "golden", "sunset", "warm"), "A low sun from the left and the sky's own fill.", evening),
        _set("Workshop", "garage tubes industrial tool", "Rows of tubes overhead, a bright door.", (0.06, 0.11, 0.09), (
            _pictured("Tubes", "Tube row", 0, 78, 86, 60, 2.8, kelvin=5200), _pictured("Tubes behind", "Tube row", 170, 52, 70, 26, 2.2, kelvin=5200), _pictured("Door", "Blinds", -96, 14, 40, 56, 3.1, kelvin=6600))),
        _set("Rim only", "outline silhouette teaser low-key", "Nothing from the front.", (0.002, 0.003, 0.005), (
            _box("Rim left", -142, 18, 8, 100, 4.6), _box("Rim right", 142, 18, 8, 100, 4.6), _box("Rim above", 180, 64, 90, 9, 4.0)), behind=((0.004, 0.004, 0.005), (0.012, 0.012, 0.013))),
        _set("High key", "white bright cosmetics clean", "All bright; two grey flags keep the edges.", (0.8, 1.0, 1.2), (
            _box("Wall left", -70, 24, 80, 90, 1.7, edge=0.4), _box("Wall right", 70, 24, 80, 90, 1.5, edge=0.4), _flag("Grey left", -108, 8, 10, 80, 0.7), _flag("Grey right", 110, 8, 10, 80, 0.7)), behind=((0.95, 0.95, 0.95), (0.9, 0.9, 0.9))),
        _set("Electronics", "phone laptop screen flat dark", "Graded planes for flat dark faces, a thin top line.", (0.02, 0.05, 0.09), (
            _graded("Plane", -30, 62, 110, 60, 2.3, -3.6, "along"), _graded("Side", 84, 20, 16, 84, 2.4, -2.0), _box("Line", 172, 36, 100, 5, 3.4, corner=0.5), _pictured("Low left", "Gridded strip", -98, 12, 12, 60, 1.8))),
    ]  # fmt: skip
