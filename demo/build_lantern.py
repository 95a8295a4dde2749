"""Build the Odrel Wick lantern as a STEP assembly: `python demo/build_lantern.py demo/wick.step`.

Millimetres, z up, front toward -y. Every profile is rounded where a real one would be.
"""

import math
import sys
from pathlib import Path

from OCP.BRepAlgoAPI import BRepAlgoAPI_Common, BRepAlgoAPI_Cut, BRepAlgoAPI_Fuse
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeEdge, BRepBuilderAPI_MakeFace, BRepBuilderAPI_MakeWire, BRepBuilderAPI_Transform
from OCP.BRepFilletAPI import BRepFilletAPI_MakeFillet
from OCP.BRepOffsetAPI import BRepOffsetAPI_MakePipe
from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox, BRepPrimAPI_MakeCylinder, BRepPrimAPI_MakePrism, BRepPrimAPI_MakeRevol
from OCP.GC import GC_MakeArcOfCircle
from OCP.GeomAPI import GeomAPI_PointsToBSpline
from OCP.gp import gp_Ax1, gp_Ax2, gp_Circ, gp_Dir, gp_Pnt, gp_Trsf, gp_Vec
from OCP.Quantity import Quantity_Color, Quantity_TOC_sRGB
from OCP.STEPCAFControl import STEPCAFControl_Writer
from OCP.STEPControl import STEPControl_AsIs
from OCP.TColgp import TColgp_Array1OfPnt
from OCP.TCollection import TCollection_ExtendedString
from OCP.TDataStd import TDataStd_Name
from OCP.TDocStd import TDocStd_Document
from OCP.TopAbs import TopAbs_EDGE
from OCP.TopExp import TopExp_Explorer
from OCP.TopLoc import TopLoc_Location
from OCP.TopoDS import TopoDS
from OCP.XCAFApp import XCAFApp_Application
from OCP.XCAFDoc import XCAFDoc_ColorGen, XCAFDoc_DocumentTool

AXIS = gp_Ax1(gp_Pnt(0, 0, 0), gp_Dir(0, 0, 1))


def point(r: float, z: float) -> gp_Pnt:
    return gp_Pnt(r, 0, z)


def rounded_wire(corners):
    """Closed wire of (r, z, rounding) corners in the xz plane, each corner replaced by a tangent arc."""
    n = len(corners)
    starts, ends, middles = [], [], []
    for k, (r, z, rounding) in enumerate(corners):
        (pr, pz, _), (nr, nz, _) = corners[k - 1], corners[(k + 1) % n]
        a, b = (pr - r, pz - z), (nr - r, nz - z)
        la, lb = math.hypot(*a), math.hypot(*b)
        a, b = (a[0] / la, a[1] / la), (b[0] / lb, b[1] / lb)
        half = math.acos(max(-1.0, min(1.0, a[0] * b[0] + a[1] * b[1]))) / 2
        if rounding <= 0 or half > 1.55:
            starts.append((r, z)), ends.append((r, z)), middles.append(None)
            continue
        back = min(rounding / math.tan(half), 0.49 * la, 0.49 * lb)
        radius = back * math.tan(half)
        m = (a[0] + b[0], a[1] + b[1])
        lm = math.hypot(*m)
        to_arc = radius / math.sin(half) - radius
        starts.append((r + a[0] * back, z + a[1] * back))
        ends.append((r + b[0] * back, z + b[1] * back))
        middles.append((r + m[0] / lm * to_arc, z + m[1] / lm * to_arc))
    wire = BRepBuilderAPI_MakeWire()
    for k in range(n):
        if middles[k]:
            wire.Add(BRepBuilderAPI_MakeEdge(GC_MakeArcOfCircle(point(*starts[k]), point(*middles[k]), point(*ends[k])).Value()).Edge())
        following = starts[(k + 1) % n]
        if math.dist(ends[k], following) > 1e-6:
            wire.Add(BRepBuilderAPI_MakeEdge(point(*ends[k]), point(*following)).Edge())
    return wire.Wire()


def turned(corners):
    """Solid of revolution about z from (r, z, rounding) corners."""
    return BRepPrimAPI_MakeRevol(BRepBuilderAPI_MakeFace(rounded_wire(corners)).Face(), AXIS).Shape()


def spline(points):
    array = TColgp_Array1OfPnt(1, len(points))
    for k, p in enumerate(points):
        array.SetValue(k + 1, p if isinstance(p, gp_Pnt) else point(*p))
    return GeomAPI_PointsToBSpline(array, 3, 8).Curve()


def turned_shell(outer, thickness):
    """Solid of revolution between a smooth outer curve and the same curve moved inward."""
    inner = []
    for k, (r, z) in enumerate(outer):
        before, after = outer[max(0, k - 1)], outer[min(len(outer) - 1, k + 1)]
        t = (after[0] - before[0], after[1] - before[1])
        length = math.hypot(*t)
        inner.append((r - t[1] / length * thickness, z + t[0] / length * thickness))
    wire = BRepBuilderAPI_MakeWire()
    wire.Add(BRepBuilderAPI_MakeEdge(spline(outer)).Edge())
    wire.Add(BRepBuilderAPI_MakeEdge(rim_arc(outer[-1], inner[-1], outer[-2])).Edge())
    wire.Add(BRepBuilderAPI_MakeEdge(spline(inner[::-1])).Edge())
    wire.Add(BRepBuilderAPI_MakeEdge(rim_arc(inner[0], outer[0], outer[1])).Edge())
    return BRepPrimAPI_MakeRevol(BRepBuilderAPI_MakeFace(wire.Wire()).Face(), AXIS).Shape()


def rim_arc(a, b, inside):
    """Half round between two curve ends, bulging away from the curve."""
    m = ((a[0] + b[0]) / 2, (a[1] + b[1]) / 2)
    radius = math.dist(a, b) / 2
    away = (m[0] - inside[0], m[1] - inside[1])
    across = (b[0] - a[0], b[1] - a[1])
    normal = (-across[1], across[0])
    if normal[0] * away[0] + normal[1] * away[1] < 0:
        normal = (-normal[0], -normal[1])
    length = math.hypot(*normal)
    return GC_MakeArcOfCircle(point(*a), point(m[0] + normal[0] / length * radius, m[1] + normal[1] / length * radius), point(*b)).Value()


def wire_rod(points, radius):
    """Round wire along a smooth path."""
    curve = spline(points)
    start, tangent = gp_Pnt(), gp_Vec()
    curve.D1(curve.FirstParameter(), start, tangent)
    circle = gp_Circ(gp_Ax2(start, gp_Dir(tangent)), radius)
    face = BRepBuilderAPI_MakeFace(BRepBuilderAPI_MakeWire(BRepBuilderAPI_MakeEdge(circle).Edge()).Wire()).Face()
    return BRepOffsetAPI_MakePipe(BRepBuilderAPI_MakeWire(BRepBuilderAPI_MakeEdge(curve).Edge()).Wire(), face).Shape()


def filleted(shape, radius):
    """The shape with all its edges rounded; as it was when the kernel cannot."""
    maker = BRepFilletAPI_MakeFillet(shape)
    explorer = TopExp_Explorer(shape, TopAbs_EDGE)
    while explorer.More():
        maker.Add(radius, TopoDS.Edge_s(explorer.Current()))
        explorer.Next()
    try:
        maker.Build()
        return maker.Shape() if maker.IsDone() else shape
    except Exception:
        return shape


def cut(a, b):
    return BRepAlgoAPI_Cut(a, b).Shape()


def moved(shape, trsf):
    return BRepBuilderAPI_Transform(shape, trsf, True).Shape()


def place(x=0.0, y=0.0, z=0.0, turn_z=0.0):
    """Location: turned about z, then moved."""
    t = gp_Trsf()
    t.SetTranslation(gp_Vec(x, y, z))
    return t * orbit(turn_z)


def lay_front(azimuth, radius, z):
    """Location that lays a part's z axis outward from the lantern at an azimuth (0 = front, positive to the right)."""
    tip = gp_Trsf()
    tip.SetRotation(gp_Ax1(gp_Pnt(0, 0, 0), gp_Dir(1, 0, 0)), math.radians(90))
    out = gp_Trsf()
    out.SetTranslation(gp_Vec(0, -radius, z))
    turn = gp_Trsf()
    turn.SetRotation(AXIS, math.radians(azimuth))
    return turn * out * tip


def cylinder(radius, height, z=0.0):
    return BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(0, 0, z), gp_Dir(0, 0, 1)), radius, height).Shape()


TANK_OUTER = [(38, 79), (52, 76.5), (66, 69), (75.5, 56), (78.5, 40), (76.5, 24), (70, 12.5), (62, 8.5)]
WINDOW_AZIMUTH, WINDOW_Z, WINDOW_R = -27.0, 38.0, 14.0
PLATE_AZIMUTH, PLATE_Z = 26.0, 40.0


def tank_shell():
    wire = BRepBuilderAPI_MakeWire()
    wire.Add(BRepBuilderAPI_MakeEdge(spline(TANK_OUTER)).Edge())
    for a, b in (((62, 8.5), (60, 7)), ((60, 7), (0, 7)), ((0, 7), (0, 79)), ((0, 79), (38, 79))):
        wire.Add(BRepBuilderAPI_MakeEdge(point(*a), point(*b)).Edge())
    solid = BRepPrimAPI_MakeRevol(BRepBuilderAPI_MakeFace(wire.Wire()).Face(), AXIS).Shape()
    return cut(solid, moved(cylinder(WINDOW_R + 1.0, 40), lay_front(WINDOW_AZIMUTH, 63.4, WINDOW_Z)))


def oil():
    """The oil that stands in the window's well, two thirds up. It reaches a little into the glass, which has the higher priority, so
    that oil meets glass with no air between."""
    body = cylinder(WINDOW_R + 0.6, 10.6)
    level = BRepPrimAPI_MakeBox(gp_Pnt(-30, 6.0, -5), gp_Pnt(30, 40, 40)).Shape()
    return cut(body, level)


def knob():
    """Turned knob with a straight V knurl of 40 teeth and eased ends."""
    teeth, outer, inner, length = 40, 11.0, 10.1, 9.0
    wire = BRepBuilderAPI_MakeWire()
    ring = []
    for k in range(teeth):
        a, b, c = (2 * math.pi * (k + f) / teeth for f in (0.0, 0.32, 0.66))
        ring += [(outer, a - 0.012), (outer, a + 0.012), (inner, b + 0.02), (inner, c - 0.02)]
    pts = [gp_Pnt(r * math.cos(t), r * math.sin(t), 0) for r, t in ring]
    for k, p in enumerate(pts):
        wire.Add(BRepBuilderAPI_MakeEdge(p, pts[(k + 1) % len(pts)]).Edge())
    prism = BRepPrimAPI_MakePrism(BRepBuilderAPI_MakeFace(wire.Wire()).Face(), gp_Vec(0, 0, length)).Shape()
    eased = turned(
        [
            (0, 0, 0),
            (9.2, 0, 0.3),
            (11.2, 1.6, 0.4),
            (11.2, length - 1.6, 0.4),
            (9.4, length, 0.6),
            (6.5, length, 0.3),
            (5.5, length - 0.8, 0.4),
            (0, length - 0.8, 0),
        ]
    )
    return BRepAlgoAPI_Common(prism, eased).Shape()


def screw():
    """Slotted cheese-head screw, M3."""
    body = turned([(0, -6, 0), (1.5, -6, 0.3), (1.5, 0, 0), (2.9, 0, 0.15), (2.9, 1.5, 0.7), (0, 2.1, 0)])
    return cut(body, BRepPrimAPI_MakeBox(gp_Pnt(-4, -0.4, 1.1), gp_Pnt(4, 0.4, 3)).Shape())


def gallery():
    """Perforated ring that holds the globe."""
    ring = turned([(29, 97, 0.3), (37.5, 97, 0.6), (37.5, 107, 0.5), (36, 107, 0.5), (36, 100, 0.4), (29, 100, 0.3)])
    for k in range(20):
        t = gp_Trsf()
        t.SetRotation(AXIS, 2 * math.pi * k / 20)
        hole = moved(BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(30, 0, 103.2), gp_Dir(1, 0, 0)), 1.9, 12).Shape(), t)
        ring = cut(ring, hole)
    return ring


def flame(share=1.0, foot=128.0):
    """A drop of flame; a smaller share stands inside as its bright core."""
    shape = [(0.0, 0.0), (4.2, 3.0), (6.2, 9.0), (5.4, 17.0), (2.8, 27.0), (0.9, 34.0), (0.0, 37.0)]
    outer = [(r * share, foot + z * share) for r, z in shape]
    wire = BRepBuilderAPI_MakeWire()
    wire.Add(BRepBuilderAPI_MakeEdge(spline(outer)).Edge())
    wire.Add(BRepBuilderAPI_MakeEdge(point(*outer[-1]), point(*outer[0])).Edge())
    return BRepPrimAPI_MakeRevol(BRepBuilderAPI_MakeFace(wire.Wire()).Face(), AXIS).Shape()


LETTERS = {
    "O": [[(0, 0), (0, 6), (4, 6), (4, 0), (0, 0)]],
    "D": [[(0, 0), (0, 6), (2.8, 6), (4, 4.8), (4, 1.2), (2.8, 0), (0, 0)]],
    "R": [[(0, 0), (0, 6), (4, 6), (4, 3), (0, 3)], [(1.8, 3), (4, 0)]],
    "E": [[(4, 0), (0, 0), (0, 6), (4, 6)], [(0, 3), (3.2, 3)]],
    "L": [[(0, 6), (0, 0), (3.8, 0)]],
}


def letters(text, height):
    """Raised strokes of a plain engraver's alphabet, centred, on z = 0."""
    scale, gap, stroke = height / 6.0, 1.9, 0.5
    width = (len(text) * 4 + (len(text) - 1) * gap) * scale
    result = None
    for k, letter in enumerate(text):
        for line in LETTERS[letter]:
            for (x0, y0), (x1, y1) in zip(line, line[1:]):
                ax, ay = -width / 2 + (k * (4 + gap) + x0) * scale, (y0 - 3) * scale
                bx, by = -width / 2 + (k * (4 + gap) + x1) * scale, (y1 - 3) * scale
                length, angle = math.hypot(bx - ax, by - ay), math.atan2(by - ay, bx - ax)
                bar = BRepPrimAPI_MakeBox(gp_Pnt(-stroke, -stroke, -0.6), gp_Pnt(length + stroke, stroke, 0.45)).Shape()
                t, r = gp_Trsf(), gp_Trsf()
                t.SetTranslation(gp_Vec(ax, ay, 0))
                r.SetRotation(AXIS, angle)
                bar = moved(bar, t * r)
                result = bar if result is None else BRepAlgoAPI_Fuse(result, bar).Shape()
    return result


def plate():
    return filleted(BRepPrimAPI_MakeBox(gp_Pnt(-22, -8, -6), gp_Pnt(22, 8, 1.2)).Shape(), 0.9)


def plate_rim():
    outer = filleted(BRepPrimAPI_MakeBox(gp_Pnt(-23.4, -9.4, -6), gp_Pnt(23.4, 9.4, 1.7)).Shape(), 0.7)
    return cut(outer, BRepPrimAPI_MakeBox(gp_Pnt(-21.9, -7.9, -9), gp_Pnt(21.9, 7.9, 9)).Shape())


def bail_points():
    left = [(-61, 214), (-62.5, 232), (-63, 262), (-58, 292), (-44, 314), (-24, 325)]
    xs = left + [(0, 327.5)] + [(-x, z) for x, z in reversed(left)]
    return [gp_Pnt(x, 0, z) for x, z in xs]


def grip():
    """Turned wooden grip along x."""
    body = turned(
        [(2.4, -30, 0.3), (6.4, -30, 1.5), (8.6, -24, 2.5), (7.2, -17, 3), (8.8, 0, 30), (7.2, 17, 3), (8.6, 24, 2.5), (6.4, 30, 1.5), (2.4, 30, 0.3)]
    )
    t = gp_Trsf()
    t.SetRotation(gp_Ax1(gp_Pnt(0, 0, 0), gp_Dir(0, 1, 0)), math.radians(90))
    return moved(body, t)


def ear():
    """Bail ear: a lug with a pin, outward along x."""
    lug = filleted(BRepPrimAPI_MakeBox(gp_Pnt(50, -4.5, 205), gp_Pnt(58.5, 4.5, 219)).Shape(), 1.6)
    pin = turned([(0, 54, 0), (3.6, 54, 0), (3.6, 63.5, 0.4), (4.6, 63.5, 0.3), (4.6, 65.5, 1.0), (0, 66, 0)])
    t, lift = gp_Trsf(), gp_Trsf()
    t.SetRotation(gp_Ax1(gp_Pnt(0, 0, 0), gp_Dir(0, 1, 0)), math.radians(90))
    lift.SetTranslation(gp_Vec(0, 0, 213))
    return BRepAlgoAPI_Fuse(lug, moved(pin, lift * t)).Shape()


ENAMEL, BRASS, STEEL, GLASS = (0.55, 0.13, 0.08), (0.78, 0.62, 0.30), (0.62, 0.62, 0.61), (0.86, 0.92, 0.90)
RUBBER, WOOD, CREAM, OIL, COTTON, FIRE = (
    (0.05, 0.05, 0.05),
    (0.50, 0.34, 0.20),
    (0.87, 0.82, 0.72),
    (0.85, 0.62, 0.2),
    (0.9, 0.88, 0.8),
    (1.0, 0.75, 0.4),
)


def orbit(degrees):
    t = gp_Trsf()
    t.SetRotation(AXIS, math.radians(degrees))
    return t


def parts():
    """The assembly: {group: [(name, shape, colour, [locations])]}."""
    here = [gp_Trsf()]
    globe = [(32, 104), (36, 108), (45, 122), (52.5, 142), (53.5, 160), (48, 180), (38, 197), (32.5, 206)]
    knob_at = lay_front(76, 50, 89)
    return {
        "Tank": [
            ("Tank shell", tank_shell(), ENAMEL, here),
            ("Foot ring", turned([(50, 0, 1.2), (63, 0, 2.5), (65.5, 5, 2.0), (63, 9.5, 1.0), (50, 9.5, 0.5)]), RUBBER, here),
            ("Window bezel", turned([(13.2, 0, 0.5), (18.2, 0, 0.6), (17.6, 5.2, 1.4), (14.6, 6.0, 0.9), (13.2, 4.0, 0.5)]), BRASS, [lay_front(WINDOW_AZIMUTH, 74.5, WINDOW_Z)]),
            ("Oil window", turned([(0, 0, 0), (WINDOW_R - 0.9, 0, 0.4), (WINDOW_R - 0.9, 2.6, 0.8), (0, 3.4, 0)]), GLASS, [lay_front(WINDOW_AZIMUTH, 75.2, WINDOW_Z)]),
            ("Lamp oil", oil(), OIL, [lay_front(WINDOW_AZIMUTH, 65.4, WINDOW_Z)]),
            ("Window well", turned([(0, 0, 0), (WINDOW_R + 0.95, 0, 0), (WINDOW_R + 0.95, 10.5, 0), (WINDOW_R + 0.75, 10.5, 0), (WINDOW_R + 0.75, 0.6, 0), (0, 0.6, 0)]), CREAM, [lay_front(WINDOW_AZIMUTH, 63.6, WINDOW_Z)]),
            ("Filler cap", turned([(0, 0, 0), (11, 0, 0.4), (11, 2.5, 0.5), (9.6, 3.4, 0.5), (9.6, 9, 1.2), (3.4, 10.4, 1.0), (3.2, 13, 1.0), (0, 13.6, 0)]), BRASS, [orbit(-128) * place(0, -57, 72.0)]),
            ("Maker's plate", plate(), CREAM, [lay_front(PLATE_AZIMUTH, 78.2, PLATE_Z)]),
            ("Plate rim", plate_rim(), BRASS, [lay_front(PLATE_AZIMUTH, 78.2, PLATE_Z)]),
            ("Plate letters", letters("ODREL", 6.4), ENAMEL, [lay_front(PLATE_AZIMUTH, 79.4, PLATE_Z)]),
        ],
        "Burner": [
            ("Collar", turned([(26, 77, 0), (47, 77, 0), (47, 80.5, 0.9), (36.5, 81.5, 1.2), (34.5, 84, 0.8), (34.5, 94, 0.8), (38.5, 95.5, 0.6), (38.5, 98, 0.8), (26, 98, 0.4)]), BRASS, here),
            ("Gallery", gallery(), BRASS, here),
            ("Burner cone", turned([(10, 98, 0), (27.5, 98, 0.5), (26.5, 103, 1.0), (13, 117, 2), (10.5, 120, 0.5), (10, 117, 0.3)]), BRASS, here),
            ("Wick tube", filleted(BRepPrimAPI_MakeBox(gp_Pnt(-8, -2.6, 92), gp_Pnt(8, 2.6, 124)).Shape(), 0.7), BRASS, here),
            ("Wick", filleted(BRepPrimAPI_MakeBox(gp_Pnt(-6.4, -1.3, 118), gp_Pnt(6.4, 1.3, 129)).Shape(), 0.6), COTTON, here),
            ("Flame", flame(), FIRE, here),
            ("Flame core", flame(0.62, 131.0), FIRE, here),
            ("Knob", knob(), BRASS, [knob_at]),
            ("Knob shaft", turned([(0, -22, 0), (2.2, -22, 0), (2.2, 0, 0), (4.6, 0, 0.4), (4.6, 1.4, 0.4), (0, 1.4, 0)]), STEEL, [lay_front(76, 48.6, 89)]),
            ("Screw", screw(), STEEL, [orbit(22.5 + 45 * k) * place(0, -42, 80.95, 17 * k * k) for k in range(8)]),
        ],
        "Globe": [("Globe", turned_shell(globe, 3.0), GLASS, here)],
        "Hood": [
            ("Crown ring", turned([(28.5, 203, 0.5), (39, 203, 0.8), (39, 209, 0.8), (31, 211, 0.8), (28.5, 211, 0.5)]), BRASS, here),
            ("Hood skirt", turned([(33, 206, 0.3), (55, 204.5, 0.6), (56.5, 206, 0.7), (54, 219, 3.0), (44, 226, 6), (26, 240, 4), (22, 250, 0.8), (20, 250, 0.6), (22, 240, 3), (40, 226, 6), (51, 217, 3), (53, 208, 0.8), (33, 208, 0.3)]), ENAMEL, here),
            ("Chimney band", turned([(18.5, 247, 0.3), (23.6, 247, 0.6), (23.6, 252.5, 0.8), (18.5, 252.5, 0.4)]), BRASS, here),
            ("Chimney cap", turned([(0, 252, 0), (22, 252, 0.4), (27, 256, 1.0), (26, 259, 1.2), (14, 267, 3), (6.5, 271, 1.5), (0, 271.5, 0)]), ENAMEL, here),
            ("Finial", turned([(0, 269, 0), (4.2, 269, 0.4), (3.2, 274, 1.2), (5.4, 278, 2.2), (4.2, 282.5, 2.0), (0, 284, 0)]), BRASS, here),
            ("Guard wire", wire_rod([gp_Pnt(r, 0, z) for r, z in ((60, 71), (62.5, 84), (63.2, 110), (63.2, 150), (61.5, 185), (55, 207.5))], 1.5), STEEL, [orbit(45 + 90 * k) for k in range(4)]),
        ],
        "Bail": [
            ("Bail wire", wire_rod(bail_points(), 1.9), STEEL, here),
            ("Grip", grip(), WOOD, [place(0, 0, 327.5)]),
            ("Bail ear", ear(), STEEL, [orbit(0), orbit(180)]),
        ],
    }  # fmt: skip


def exchange(groups, group, name, make):
    """Put what `make` gives for the members of a name in their place; nothing where it gives None."""
    groups[group] = [made for member in groups[group] for made in ([make(*member)] if member[0] == name else [member]) if made is not None]


def write(out: Path, title: str, groups: dict) -> int:
    """Write an assembly of groups of (name, shape, colour, places) as STEP; how many different parts it has."""
    document = TDocStd_Document(TCollection_ExtendedString("XmlOcaf"))
    XCAFApp_Application.GetApplication_s().InitDocument(document)
    shapes = XCAFDoc_DocumentTool.ShapeTool_s(document.Main())
    colours = XCAFDoc_DocumentTool.ColorTool_s(document.Main())

    def name(label, text):
        TDataStd_Name.Set_s(label, TCollection_ExtendedString(text))

    root = shapes.NewShape()
    name(root, title)
    known: dict = {}
    for group, members in groups.items():
        assembly = root
        if len(members) > 1:
            assembly = shapes.NewShape()
            name(assembly, group)
            shapes.AddComponent(root, assembly, TopLoc_Location())
        for part, shape, colour, locations in members:
            if id(shape) not in known:
                label = shapes.AddShape(shape, False)
                name(label, part)
                colours.SetColor(label, Quantity_Color(*colour, Quantity_TOC_sRGB), XCAFDoc_ColorGen)
                known[id(shape)] = label
            for location in locations:
                component = shapes.AddComponent(assembly, known[id(shape)], TopLoc_Location(location))
                name(component, part)
    shapes.UpdateAssemblies()
    writer = STEPCAFControl_Writer()
    writer.SetColorMode(True)
    writer.SetNameMode(True)
    writer.Transfer(document, STEPControl_AsIs)
    writer.Write(str(out))
    return len(known)


def main() -> None:
    """Write the STEP file."""
    out = Path(sys.argv[1])
    print(f"{write(out, 'Odrel Wick', parts())} parts written to {out}")


if __name__ == "__main__":
    main()
