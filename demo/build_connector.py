"""Build the Odrel Link connector as one STEP product of many solids with coloured faces: `python demo/build_connector.py demo/connector.step [PINS]`.

Millimetres, z up, the mating side toward -y. Two rows of bent pins in a shrouded housing with latches, lock screws and a clip.
"""

import math
import sys
from pathlib import Path

from OCP.BRep import BRep_Builder
from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut, BRepAlgoAPI_Fuse
from OCP.BRepBuilderAPI import (
    BRepBuilderAPI_MakeFace,
    BRepBuilderAPI_MakePolygon,
    BRepBuilderAPI_Transform,
)
from OCP.BRepFilletAPI import BRepFilletAPI_MakeFillet
from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox, BRepPrimAPI_MakeCylinder, BRepPrimAPI_MakePrism
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt, gp_Trsf, gp_Vec
from OCP.Interface import Interface_Static
from OCP.Quantity import Quantity_Color, Quantity_TOC_sRGB
from OCP.STEPCAFControl import STEPCAFControl_Writer
from OCP.STEPControl import STEPControl_AsIs
from OCP.TCollection import TCollection_ExtendedString
from OCP.TDataStd import TDataStd_Name
from OCP.TDocStd import TDocStd_Document
from OCP.TopAbs import TopAbs_EDGE, TopAbs_FACE, TopAbs_SOLID
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS, TopoDS_Compound
from OCP.XCAFApp import XCAFApp_Application
from OCP.XCAFDoc import XCAFDoc_ColorSurf, XCAFDoc_DocumentTool

PITCH = 2.54
BLACK, RED, CREAM, GOLD, TIN, STEEL = (
    (0.05, 0.05, 0.055),
    (0.55, 0.08, 0.05),
    (0.91, 0.88, 0.8),
    (0.86, 0.72, 0.36),
    (0.77, 0.78, 0.8),
    (0.62, 0.62, 0.62),
)
FRONT, BACK, LOW, HIGH = -8.0, 4.0, 1.0, 10.6


def box(x0, y0, z0, x1, y1, z1):
    return BRepPrimAPI_MakeBox(gp_Pnt(x0, y0, z0), gp_Pnt(x1, y1, z1)).Shape()


def cut(a, b):
    return BRepAlgoAPI_Cut(a, b).Shape()


def fuse(a, b):
    return BRepAlgoAPI_Fuse(a, b).Shape()


def prism(points, vector):
    """Solid between a polygon and the same moved along a vector."""
    polygon = BRepBuilderAPI_MakePolygon()
    for p in points:
        polygon.Add(gp_Pnt(*p))
    polygon.Close()
    return BRepPrimAPI_MakePrism(BRepBuilderAPI_MakeFace(polygon.Wire()).Face(), gp_Vec(*vector)).Shape()


def rounded(shape, radius, chosen):
    """The shape with the edges rounded that `chosen` picks by their box (x0, y0, z0, x1, y1, z1)."""
    from OCP.Bnd import Bnd_Box
    from OCP.BRepBndLib import BRepBndLib

    maker = BRepFilletAPI_MakeFillet(shape)
    seen = set()
    explorer = TopExp_Explorer(shape, TopAbs_EDGE)
    count = 0
    while explorer.More():
        edge = TopoDS.Edge_s(explorer.Current())
        explorer.Next()
        bounds = Bnd_Box()
        BRepBndLib.AddOptimal_s(edge, bounds, False, False)
        key = tuple(round(v, 3) for v in bounds.Get())
        if key not in seen and chosen(*key):
            seen.add(key)
            maker.Add(radius, edge)
            count += 1
    if not count:
        return shape
    maker.Build()
    return maker.Shape() if maker.IsDone() else shape


def housing(half):
    """A box with a cavity, a keying slot, a red band and a marked first pin."""
    body = box(-half, FRONT, LOW, half, BACK, HIGH)
    body = rounded(body, 0.5, lambda x0, y0, z0, x1, y1, z1: z1 - z0 > 5 or (abs(z0 - HIGH) < 0.01 and abs(z1 - HIGH) < 0.01))
    body = cut(body, box(-half + 1.6, FRONT - 1, LOW + 1.2, half - 1.6, 0.6, HIGH - 1.2))  # the cavity
    body = cut(body, box(-2.25, FRONT - 1, HIGH - 1.5, 2.25, -2.0, HIGH + 1))  # the key
    body = cut(body, box(8.0, -6.6, HIGH - 0.25, half - 8.0, -3.0, HIGH + 1))  # the band's bed
    first = -half + 5.0
    body = cut(body, prism([(first - 1.2, -6.4, HIGH - 0.25), (first + 1.2, -6.4, HIGH - 0.25), (first, -4.2, HIGH - 0.25)], (0, 0, 1.0)))
    return rounded(body, 0.25, lambda x0, y0, z0, x1, y1, z1: abs(y0 - FRONT) < 0.02 and abs(y1 - FRONT) < 0.02)


def pin(x, z, reach):
    """A bent pin of square wire: the mating leg toward -y with a chamfered tip, the tail down through the board."""
    w = 0.32
    leg = box(x - w, -6.2, z - w, x + w, 1.2, z + w)
    tip = prism([(x - w, -6.2, z - w), (x + w, -6.2, z - w), (x + w, -6.2, z + w), (x - w, -6.2, z + w)], (0, -0.8, 0))
    for sign in (1, -1):
        tip = cut(tip, prism([(x - 1, -6.2, z + sign * w), (x - 1, -7.1, z + sign * w), (x - 1, -7.1, z + sign * 0.1)], (2, 0, 0)))
        tip = cut(tip, prism([(x + sign * w, -6.2, z - 1), (x + sign * w, -7.1, z - 1), (x + sign * 0.1, -7.1, z - 1)], (0, 0, 2)))
    bend_y = reach
    shank = box(x - w, 1.2, z - w, x + w, bend_y + w, z + w)
    tail = box(x - w, bend_y - w, -3.0, x + w, bend_y + w, z + w)
    back = rounded(
        fuse(shank, tail), 0.6,
        lambda x0, y0, z0, x1, y1, z1: x1 - x0 > 0.5 and abs(y0 - bend_y - w) < 0.02 and abs(z0 - z - w) < 0.02 and abs(z1 - z - w) < 0.02,
    )  # fmt: skip
    return fuse(fuse(leg, tip), back)


def latch(side, half):
    """A lever at the end of the housing."""
    x = side * half
    out = side * 3.4
    shape = prism(
        [(x, FRONT + 1.5, LOW), (x + out, FRONT + 1.5, LOW), (x + out, FRONT + 1.5, 12.0), (x + out * 0.35, FRONT + 1.5, 14.6), (x, FRONT + 1.5, 14.6)],
        (0, 4.2, 0),
    )  # fmt: skip
    shape = cut(shape, box(min(x - 1, x + out + 1), FRONT + 2.6, 4.0, max(x - 1, x + out + 1), FRONT + 4.6, 9.0))
    return rounded(shape, 0.45, lambda x0, y0, z0, x1, y1, z1: z1 > 11.5)


def screw(x):
    """A lock screw with a slotted head."""
    head = BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(x, 1.6, HIGH), gp_Dir(0, 0, 1)), 2.1, 1.5).Shape()
    head = rounded(head, 0.3, lambda x0, y0, z0, x1, y1, z1: abs(z0 - HIGH - 1.5) < 0.01 and abs(z1 - HIGH - 1.5) < 0.01)
    head = cut(head, box(x - 3, 1.6 - 0.28, HIGH + 0.8, x + 3, 1.6 + 0.28, HIGH + 3))
    return fuse(head, BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(x, 1.6, -2.5), gp_Dir(0, 0, 1)), 1.2, 2.5 + HIGH).Shape())


def clip(half):
    """A sheet that spans the back."""
    return rounded(
        fuse(box(-half, BACK, 2.0, half, BACK + 0.4, HIGH - 2.0), box(-half, BACK, 2.0, half, BACK + 3.0, 2.4)),
        0.25, lambda x0, y0, z0, x1, y1, z1: x1 - x0 > 10 and abs(z1 - HIGH + 2.0) < 0.01,
    )  # fmt: skip


def solids(pins):
    """(name, solid, colour, {face test: colour}) of everything."""
    columns = math.ceil(pins / 2)
    half = columns * PITCH / 2 + 4.6
    marks = {
        lambda x0, y0, z0, x1, y1, z1: abs(z0 - HIGH + 0.25) < 0.01 and abs(z1 - HIGH + 0.25) < 0.01 and x1 - x0 > 5: RED,
        lambda x0, y0, z0, x1, y1, z1: abs(z0 - HIGH + 0.25) < 0.01 and abs(z1 - HIGH + 0.25) < 0.01 and x1 - x0 < 5: CREAM,
    }
    found = [("Housing", housing(half), BLACK, marks)]
    gold = {lambda x0, y0, z0, x1, y1, z1: y1 < 1.25: GOLD}
    far, near = pin(0, 7.1, 6.4), pin(0, 4.56, 3.86 + 1.2)
    for number in range(pins):
        column, upper = divmod(number, 2)
        x = (column - (columns - 1) / 2) * PITCH
        move = gp_Trsf()
        move.SetTranslation(gp_Vec(x, 0, 0))
        found.append((f"Pin {number + 1}", BRepBuilderAPI_Transform(far if upper else near, move, True).Shape(), TIN, gold))
    for side, word in ((-1, "left"), (1, "right")):
        found.append((f"Latch {word}", latch(side, half), RED, {}))
        found.append((f"Lock screw {word}", screw(side * (half - 2.6)), STEEL, {}))
    found.append(("Clip", clip(half - 6), STEEL, {}))
    return found


def colour(rgb):
    return Quantity_Color(*rgb, Quantity_TOC_sRGB)


def write(path, pins=54):
    """One product of all solids, with colours of solids and of faces."""
    from OCP.Bnd import Bnd_Box
    from OCP.BRepBndLib import BRepBndLib

    document = TDocStd_Document(TCollection_ExtendedString("XmlOcaf"))
    XCAFApp_Application.GetApplication_s().InitDocument(document)
    shapes, colours = XCAFDoc_DocumentTool.ShapeTool_s(document.Main()), XCAFDoc_DocumentTool.ColorTool_s(document.Main())
    together, builder = TopoDS_Compound(), BRep_Builder()
    builder.MakeCompound(together)
    made = []
    for name, shape, own, faces in solids(pins):
        inside = TopExp_Explorer(shape, TopAbs_SOLID)
        solid = TopoDS.Solid_s(inside.Current())
        builder.Add(together, solid)
        made.append((name, solid, own, faces))
    product = shapes.AddShape(together, False)
    TDataStd_Name.Set_s(product, TCollection_ExtendedString("Odrel Link"))
    for name, solid, own, faces in made:
        label = shapes.AddSubShape(product, solid)
        TDataStd_Name.Set_s(label, TCollection_ExtendedString(name))
        colours.SetColor(label, colour(own), XCAFDoc_ColorSurf)
        explorer = TopExp_Explorer(solid, TopAbs_FACE)
        while explorer.More() and faces:
            face = explorer.Current()
            explorer.Next()
            bounds = Bnd_Box()
            BRepBndLib.AddOptimal_s(face, bounds, False, False)
            for test, given in faces.items():
                if test(*bounds.Get()):
                    colours.SetColor(shapes.AddSubShape(product, face), colour(given), XCAFDoc_ColorSurf)
    shapes.UpdateAssemblies()
    writer = STEPCAFControl_Writer()
    Interface_Static.SetIVal_s("write.stepcaf.subshapes.name", 1)
    Interface_Static.SetCVal_s("write.step.unit", "MM")
    writer.SetColorMode(True)
    writer.SetNameMode(True)
    writer.Transfer(document, STEPControl_AsIs)
    writer.Write(str(path))


if __name__ == "__main__":
    write(Path(sys.argv[1]), int(sys.argv[2]) if len(sys.argv) > 2 else 54)
