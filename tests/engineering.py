"""A made-up assembly as an engineer writes it to a STEP file, and changes it."""

import sys
from pathlib import Path

from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut
from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox, BRepPrimAPI_MakeCylinder, BRepPrimAPI_MakeSphere
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt, gp_Trsf, gp_Vec

sys.path.insert(0, str(Path(__file__).parents[1] / "demo"))

from build_barrow import loose_faces as loose_faces  # noqa: E402
from build_lantern import write  # noqa: E402

RED, GREY, GLASS = (0.6, 0.05, 0.05), (0.5, 0.5, 0.52), (0.8, 0.85, 0.9)


def at(x=0.0, y=0.0, z=0.0) -> gp_Trsf:
    """A place."""
    out = gp_Trsf()
    out.SetTranslation(gp_Vec(x, y, z))
    return out


def box(x, y, z):
    """A box that stands on its middle."""
    return BRepPrimAPI_MakeBox(gp_Pnt(-x / 2, -y / 2, 0), gp_Pnt(x / 2, y / 2, z)).Shape()


def rod(radius, height):
    """A cylinder that stands."""
    return BRepPrimAPI_MakeCylinder(radius, height).Shape()


def ball(radius):
    """A ball."""
    return BRepPrimAPI_MakeSphere(radius).Shape()


def drilled(shape, radius, x=0.0):
    """A shape with a hole from front to back, 6 mm high."""
    hole = BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(x, -500, 6), gp_Dir(0, 1, 0)), radius, 1000).Shape()
    return BRepAlgoAPI_Cut(shape, hole).Shape()


def machine() -> dict:
    """Two groups: a stand of a base, four feet and a plate, and a head of a lens and a knob."""
    return {
        "Stand": [
            ("Base", box(60, 40, 12), RED, [at()]),
            ("Foot", rod(4, 5), GREY, [at(x, y, -5) for x in (-24, 24) for y in (-14, 14)]),
            ("Plate", box(20, 2, 8), GREY, [at(0, -21, 2)]),
        ],
        "Head": [("Lens", rod(12, 30), GLASS, [at(0, 0, 12)]), ("Knob", ball(5), GREY, [at(34, 0, 8)])],
    }


def send(path: Path, groups: dict, name: str = "Machine") -> Path:
    """Write the assembly."""
    write(path, name, groups)
    return path
