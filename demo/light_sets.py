"""Three set-ups for the lantern, each built up from black: a hero with four softboxes, a dark one of rims, a bright one in white."""

from msgspec.structs import replace

from aulmo.document import edits
from aulmo.document.records import Backdrop, Document, Environment, Floor, GradeStop, Softbox, Stop
from aulmo.surface.colour import from_hex

HERO = (
    Softbox(
        "key", "Window left", kind="picture", picture="Scrim", azimuth=-52, elevation=30, width=44, height=64, corner=0.03, edge=0.03, hot=0.0,
        stops=3.0, kelvin=6300,
    ),
    Softbox(
        "fill", "Strip right", kind="graded", grades=(GradeStop(0, -2.2), GradeStop(1, 0)), azimuth=74, elevation=22, width=17, height=76, corner=0.1,
        edge=0.06, hot=0.0, stops=2.1, kelvin=5900,
    ),
    Softbox("top", "Top", azimuth=-160, elevation=58, width=84, height=24, corner=0.2, edge=0.2, stops=2.6, kelvin=6400),
    Softbox("rim", "Rim right", azimuth=132, elevation=16, width=9, height=72, corner=0.2, edge=0.1, hot=0.2, stops=3.2, kelvin=6900),
)  # fmt: skip
DARK = (
    Softbox("left", "Rim left", azimuth=-112, elevation=22, width=16, height=92, corner=0.3, edge=0.1, hot=0.2, stops=4.3, kelvin=6700),
    Softbox("right", "Rim right", azimuth=140, elevation=22, width=16, height=92, corner=0.3, edge=0.1, hot=0.2, stops=4.3, kelvin=6700),
    Softbox("back", "Back top", azimuth=-165, elevation=60, width=70, height=14, corner=0.3, edge=0.2, hot=0.2, stops=3.4, kelvin=6500),
    Softbox(
        "sliver", "Sliver", kind="graded", grades=(GradeStop(0, -3), GradeStop(1, 0)), azimuth=-34, elevation=30, width=7, height=62, corner=0.5,
        edge=0.3, hot=0.0, stops=2.4, kelvin=5600,
    ),
)  # fmt: skip
WHITE = (
    Softbox(
        "left", "Wall left", kind="picture", picture="Creased silk", azimuth=-58, elevation=26, width=84, height=84, corner=0.05, edge=0.25, hot=0.0,
        stops=2.3,
    ),
    Softbox(
        "right", "Wall right", kind="graded", grade="across", grades=(GradeStop(0, -1.2), GradeStop(1, 0)), azimuth=80, elevation=24, width=70,
        height=80, corner=0.05, edge=0.25, hot=0.0, stops=1.7, kelvin=6400,
    ),
    Softbox("ceiling", "Ceiling", azimuth=12, elevation=86, width=110, height=90, corner=0.3, edge=0.4, hot=0.2, stops=1.9),
    Softbox("flag-left", "Flag left", blend="flag", azimuth=-108, elevation=8, width=10, height=70, corner=0.1, edge=0.4, opacity=0.92),
    Softbox("flag-right", "Flag right", blend="flag", azimuth=122, elevation=8, width=10, height=70, corner=0.1, edge=0.4, opacity=0.92),
)  # fmt: skip


def lit(document: Document, boxes: tuple[Softbox, ...], below: float, horizon: float, above: float, exposure: float) -> Document:
    """A document under softboxes on a plain grey gradient, its hero camera exposed by so many stops more."""
    marks = tuple(Stop(at, (v, 0.985 * v, 0.96 * v)) for at, v in ((0.0, below), (0.5, horizon), (1.0, above)))
    camera = replace(document.cameras["hero-camera"], exposure_stops=exposure)
    environment = Environment(kind="gradient", stops=marks, softboxes=boxes)
    return replace(document, environment=environment, cameras={**document.cameras, camera.id: camera})


def papered(document: Document, colour: str, **surface) -> Document:
    """The cove's paper in another colour."""
    paper = next(m for m in document.materials.values() if m.name == "Cove paper")
    return edits.put_material(document, replace(paper, surface=replace(paper.surface, base_color=from_hex(colour), **surface)))


def hero(document: Document) -> Document:
    """Warm grey, a window at the left, a strip at the right, two lights from behind."""
    return lit(document, HERO, 0.06, 0.11, 0.2, 0.6)


def dark(document: Document) -> Document:
    """Nearly black: rims from behind, a sliver down the front."""
    document = papered(document, "#2b2a2b", specular_weight=0.6, specular_roughness=0.4)
    floor = Floor(kind="plain", material=document.floor.material)
    backdrop = Backdrop(kind="gradient", top=(0.012, 0.012, 0.013), bottom=(0.05, 0.049, 0.05))
    return replace(lit(document, DARK, 0.01, 0.02, 0.03, 0.45), floor=floor, backdrop=backdrop)


def white(document: Document) -> Document:
    """All bright, two flags drawing the edges."""
    return lit(papered(document, "#dad7d2"), WHITE, 0.5, 0.85, 1.1, -0.6)
