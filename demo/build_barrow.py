"""Build the Odrel Barrow, a folding pull cart, as a STEP assembly: `python demo/build_barrow.py demo/barrow.step`.

With `first` before the file it is its first revision, untidy as engineering's models are: two faces of the short wall look inward, the bed's upper face
stands 0.8 mm off, a hub screw is there twice, a trial block was left within the yoke; the grip is shorter, the collar is called Stop ring, and the
posts have no caps yet.

Millimetres, z up, its handle toward -x. Tyres are plain revolved solids; their tread comes later.
"""

import math
import sys
from functools import partial
from pathlib import Path

from build_lantern import cut, exchange, filleted, place, turned, wire_rod, write
from OCP.Bnd import Bnd_Box
from OCP.BRep import BRep_Builder
from OCP.BRepAlgoAPI import BRepAlgoAPI_Fuse
from OCP.BRepBndLib import BRepBndLib
from OCP.BRepBuilderAPI import (
    BRepBuilderAPI_Copy,
    BRepBuilderAPI_MakeEdge,
    BRepBuilderAPI_MakeFace,
    BRepBuilderAPI_MakeWire,
    BRepBuilderAPI_Transform,
)
from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox, BRepPrimAPI_MakeCylinder, BRepPrimAPI_MakePrism
from OCP.GeomAPI import GeomAPI_PointsToBSpline
from OCP.gp import gp_Ax1, gp_Ax2, gp_Dir, gp_Pnt, gp_Trsf, gp_Vec
from OCP.TColgp import TColgp_Array1OfPnt
from OCP.TopAbs import TopAbs_FACE
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS_Shell

RUBBER, STEEL, GRAPHITE, CANVAS = (0.09, 0.09, 0.09), (0.72, 0.72, 0.72), (0.24, 0.25, 0.26), (0.55, 0.51, 0.36)
HEM, WOOD, BRASS = (0.36, 0.33, 0.24), (0.72, 0.52, 0.32), (0.8, 0.68, 0.36)
LONG, WIDE, LOW, HIGH = 760.0, 400.0, 205.0, 430.0  # of the bed
AXLE_X, AXLE_Z, TRACK = 275.0, 115.0, 252.0  # of the wheels
WHEEL, TUBE = 115.0, 11.0


def moved(shape, trsf):
    return BRepBuilderAPI_Transform(shape, trsf, True).Shape()


def fused(*shapes):
    made = shapes[0]
    for other in shapes[1:]:
        made = BRepAlgoAPI_Fuse(made, other).Shape()
    return made


def rod(a, b, radius, ease=1.0):
    """A round bar between two points with eased ends."""
    way = gp_Vec(gp_Pnt(*a), gp_Pnt(*b))
    length = way.Magnitude()
    bar = turned([(0, 0, 0), (radius, 0, ease), (radius, length, ease), (0, length, 0)])
    turn = gp_Trsf()
    up, to = gp_Dir(0, 0, 1), gp_Dir(way)
    if abs(up.Dot(to)) < 0.999999:
        turn.SetRotation(gp_Ax1(gp_Pnt(0, 0, 0), up.Crossed(to)), up.Angle(to))
    elif up.Dot(to) < 0:
        turn.SetRotation(gp_Ax1(gp_Pnt(0, 0, 0), gp_Dir(1, 0, 0)), math.pi)
    return moved(moved(bar, turn), place(*a))


def wheel_place(x, y):
    """Where a wheel stands: its axis along y, its outer side away from the cart."""
    turn = gp_Trsf()
    turn.SetRotation(gp_Ax1(gp_Pnt(0, 0, 0), gp_Dir(1, 0, 0)), math.radians(-90 if y > 0 else 90))
    return place(x, y, AXLE_Z) * turn


def tyre():
    r, w = WHEEL, 25.0
    return turned([(r - 30, -15, 3), (r - 24, -20, 4), (r - 10, -w, 9), (r, -13, 9), (r, 13, 9), (r - 10, w, 9), (r - 24, 20, 4), (r - 30, 15, 3)])


def rim():
    r = WHEEL - 29
    return turned(
        [
            (r - 9, -17, 1.2),
            (r + 3, -19, 1.5),
            (r + 3, -15, 1),
            (r - 3, -9, 4),
            (r - 3, 9, 4),
            (r + 3, 15, 1),
            (r + 3, 19, 1.5),
            (r - 9, 17, 1.2),
            (r - 6, 9, 4),
            (r - 6, -9, 4),
        ]
    )


def hub():
    return turned(
        [
            (6.2, -24, 0.4),
            (14, -24, 1.5),
            (14, -17, 1.5),
            (20, -15, 2),
            (20, -10, 2),
            (13, -6, 4),
            (13, 6, 4),
            (20, 10, 2),
            (20, 15, 2),
            (14, 17, 1.5),
            (14, 24, 1.5),
            (6.2, 24, 0.4),
        ]
    )


def spokes():
    """Ten round bars from hub to rim, held by a ring: one part."""
    made = turned([(11.0, -10, 0.5), (14.0, -10, 0.5), (14.0, 10, 0.5), (11.0, 10, 0.5)])
    for k in range(10):
        turn = gp_Trsf()
        turn.SetRotation(gp_Ax1(gp_Pnt(0, 0, 0), gp_Dir(0, 0, 1)), math.radians(36 * k))
        side = 5.0 if k % 2 else -5.0
        blade = moved(rod((0, 11.5, side * 1.4), (0, WHEEL - 33.5, side * 0.35), 3.2, 0.4), turn)
        made = fused(made, blade)
    return made


def cap():
    return turned([(0, 22, 0), (11.5, 22, 0.4), (11.5, 28, 1.2), (8.5, 32, 2.5), (0, 33, 0)])


def screw():
    """A hexagon socket screw that stands on z = 0."""
    head = turned([(0, 0, 0), (4.6, 0, 0.3), (4.6, 3.6, 1.0), (0, 4.0, 0)])
    wire = BRepBuilderAPI_MakeWire()
    corners = [gp_Pnt(2.3 * math.cos(math.radians(60 * k)), 2.3 * math.sin(math.radians(60 * k)), 1.6) for k in range(6)]
    for k, corner in enumerate(corners):
        wire.Add(BRepBuilderAPI_MakeEdge(corner, corners[(k + 1) % 6]).Edge())
    return cut(head, BRepPrimAPI_MakePrism(BRepBuilderAPI_MakeFace(wire.Wire()).Face(), gp_Vec(0, 0, 5)).Shape())


def curve(points):
    array = TColgp_Array1OfPnt(1, len(points))
    for k, p in enumerate(points):
        array.SetValue(k + 1, gp_Pnt(*p))
    return GeomAPI_PointsToBSpline(array, 3, 8).Curve()


def bulge(length, out, n=13):
    """Points of a canvas edge between two posts that gives way a little between them."""
    ts = [k / (n - 1) for k in range(n)]
    return [(-length / 2 + length * t, out * math.sin(math.pi * t) ** 0.9 if 0 < t < 1 else 0.0) for t in ts]


def panel(length, height, out, thick=2.6):
    """A canvas wall along x about the origin, bulging toward +y, standing on z = 0."""
    outer = [(x, y, 0.0) for x, y in bulge(length, out)]
    inner = [(x, y - thick, 0.0) for x, y in bulge(length, out)][::-1]
    wire = BRepBuilderAPI_MakeWire()
    wire.Add(BRepBuilderAPI_MakeEdge(curve(outer)).Edge())
    wire.Add(BRepBuilderAPI_MakeEdge(gp_Pnt(*outer[-1]), gp_Pnt(*inner[0])).Edge())
    wire.Add(BRepBuilderAPI_MakeEdge(curve(inner)).Edge())
    wire.Add(BRepBuilderAPI_MakeEdge(gp_Pnt(*inner[-1]), gp_Pnt(*outer[0])).Edge())
    return BRepPrimAPI_MakePrism(BRepBuilderAPI_MakeFace(wire.Wire()).Face(), gp_Vec(0, 0, height)).Shape()


def hem(length, out):
    """The seam along a wall's upper edge."""
    return wire_rod([gp_Pnt(x, y - 1.3, 0.0) for x, y in bulge(length, out)], 5.2)


def side(y_sign):
    """Places of a long wall: at +y or -y, bulging outward."""
    turn = gp_Trsf()
    if y_sign < 0:
        turn.SetRotation(gp_Ax1(gp_Pnt(0, 0, 0), gp_Dir(0, 0, 1)), math.pi)
    return place(0, y_sign * WIDE / 2, LOW) * turn


def end(x_sign):
    turn = gp_Trsf()
    turn.SetRotation(gp_Ax1(gp_Pnt(0, 0, 0), gp_Dir(0, 0, 1)), math.radians(-90 if x_sign > 0 else 90))
    return place(x_sign * LONG / 2, 0, LOW) * turn


def up(trsf, z):
    return place(0, 0, z) * trsf


def parts():
    """Groups of (name, shape, sRGB colour, places)."""
    here = [place()]
    t, r, h, s, c = tyre(), rim(), hub(), spokes(), cap()
    groups = {}
    for name, x, y in (
        ("Wheel front left", -AXLE_X, TRACK),
        ("Wheel front right", -AXLE_X, -TRACK),
        ("Wheel rear left", AXLE_X, TRACK),
        ("Wheel rear right", AXLE_X, -TRACK),
    ):
        at = [wheel_place(x, y)]
        groups[name] = [("Tyre", t, RUBBER, at), ("Rim", r, GRAPHITE, at), ("Spokes", s, STEEL, at), ("Hub", h, STEEL, at), ("Hub cap", c, BRASS, at)]
    axle = rod((0, -TRACK - 20, 0), (0, TRACK + 20, 0), 6.0)
    post = rod((0, 0, LOW - 22), (0, 0, HIGH + 4), TUBE, 2.0)
    post_cap = turned([(0, 0, 0), (TUBE + 1.4, 0, 0.5), (TUBE + 1.4, 5, 1.5), (0, 8, 0)])
    posts = [place(x * (LONG / 2 + 6), y * (WIDE / 2 + 6)) for x in (-1, 1) for y in (-1, 1)]
    rail_z = LOW - 14
    rail, cross = rod((-LONG / 2, 0, 0), (LONG / 2, 0, 0), TUBE, 2.0), rod((0, -WIDE / 2, 0), (0, WIDE / 2, 0), TUBE - 1, 2.0)
    brace = rod((0, -WIDE / 2 - 4, AXLE_Z + 26), (0, WIDE / 2 + 4, rail_z - 4), 7.0, 1.5)
    brace_back = rod((0, WIDE / 2 + 4, AXLE_Z + 26), (0, -WIDE / 2 - 4, rail_z - 4), 7.0, 1.5)
    pivot = moved(
        turned([(0, -14, 0), (10, -14, 1), (10, -10, 1), (5, -10, 0.4), (5, 10, 0.4), (10, 10, 1), (10, 14, 1), (0, 14, 0)]), place(0, 0, 0)
    )
    lay = gp_Trsf()
    lay.SetRotation(gp_Ax1(gp_Pnt(0, 0, 0), gp_Dir(0, 1, 0)), math.radians(90))
    middle = 0.5 * (AXLE_Z + 26 + rail_z - 4)
    leg = rod((0, 0, AXLE_Z - 4), (0, 0, rail_z + 4), 8.0, 1.5)
    bracket = filleted(BRepPrimAPI_MakeBox(gp_Pnt(-16, -13, -16), gp_Pnt(16, 13, 16)).Shape(), 3.0)
    groups["Frame"] = [
        ("Axle", axle, STEEL, [place(-AXLE_X, 0, AXLE_Z), place(AXLE_X, 0, AXLE_Z)]),
        ("Axle bracket", bracket, GRAPHITE, [place(x, y, AXLE_Z) for x in (-AXLE_X, AXLE_X) for y in (-WIDE / 2, WIDE / 2)]),
        ("Leg", leg, GRAPHITE, [place(x, y) for x in (-AXLE_X, AXLE_X) for y in (-WIDE / 2, WIDE / 2)]),
        ("Rail", rail, GRAPHITE, [place(0, -WIDE / 2, rail_z), place(0, WIDE / 2, rail_z)]),
        ("Cross tube", cross, GRAPHITE, [place(x, 0, rail_z) for x in (-LONG / 2, 0, LONG / 2)]),
        ("Folding brace", brace, GRAPHITE, [place(-AXLE_X + 9), place(AXLE_X - 9)]),
        ("Folding brace back", brace_back, GRAPHITE, [place(-AXLE_X - 9 + 32), place(AXLE_X + 9 - 32)]),
        ("Pivot", pivot, STEEL, [place(x, 0, middle) * lay for x in (-AXLE_X + 16, AXLE_X - 16)]),
        ("Post", post, GRAPHITE, posts),
        ("Post cap", post_cap, RUBBER, [up(p, HIGH + 3) for p in posts]),
    ]
    long_wall, short_wall = panel(LONG, HIGH - LOW, 13.0), panel(WIDE, HIGH - LOW, 8.0)
    floor = filleted(BRepPrimAPI_MakeBox(gp_Pnt(-LONG / 2 + 2, -WIDE / 2 + 2, LOW - 3), gp_Pnt(LONG / 2 - 2, WIDE / 2 - 2, LOW + 3)).Shape(), 2.5)
    groups["Bed"] = [
        ("Bed floor", floor, CANVAS, here),
        ("Long wall", long_wall, CANVAS, [side(1), side(-1)]),
        ("Short wall", short_wall, CANVAS, [end(1), end(-1)]),
        ("Long hem", hem(LONG, 13.0), HEM, [up(side(1), HIGH - LOW), up(side(-1), HIGH - LOW)]),
        ("Short hem", hem(WIDE, 8.0), HEM, [up(end(1), HIGH - LOW), up(end(-1), HIGH - LOW)]),
    ]
    foot, top = (-LONG / 2 - 26.0, AXLE_Z + 44.0), (-LONG / 2 - 430.0, 640.0)
    way = (top[0] - foot[0], top[1] - foot[1])
    length = math.hypot(*way)
    lean = gp_Trsf()
    lean.SetRotation(gp_Ax1(gp_Pnt(0, 0, 0), gp_Dir(0, 1, 0)), math.atan2(way[0], way[1]))
    along = place(foot[0], 0, foot[1]) * lean
    yoke = fused(
        BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(0, -30, 0), gp_Dir(0, 1, 0)), 13.0, 60.0).Shape(),
        filleted(BRepPrimAPI_MakeBox(gp_Pnt(-2, -11, -11), gp_Pnt(60, 11, 11)).Shape(), 3.0),
    )
    shaft = turned([(0, 0, 0), (9.5, 0, 1), (9.5, length, 1), (0, length, 0)])
    lower = turned([(9.6, 18, 0.3), (13.5, 18, 1.5), (13.5, 0.55 * length, 1.5), (9.6, 0.55 * length, 0.3)])
    collar = turned([(9.6, 0.55 * length - 6, 0.3), (17, 0.55 * length - 6, 2), (17, 0.55 * length + 20, 3), (9.6, 0.55 * length + 20, 0.3)])
    loop = wire_rod([gp_Pnt(0, y, z) for y, z in ((0, -4), (-26, 6), (-58, 34), (-62, 62), (-56, 78))], 6.5)
    loop_back = wire_rod([gp_Pnt(0, y, z) for y, z in ((0, -4), (26, 6), (58, 34), (62, 62), (56, 78))], 6.5)
    grip = rod((0, -62, 82), (0, 62, 82), 14.0, 5.0)
    at_top = along * place(0, 0, length)
    groups["Handle"] = [
        ("Yoke", yoke, GRAPHITE, [place(foot[0] - 2, 0, foot[1] - 2)]),
        ("Shaft", shaft, STEEL, [along]),
        ("Sleeve", lower, GRAPHITE, [along]),
        ("Collar", collar, RUBBER, [along]),
        ("Bow", fused(loop, loop_back), GRAPHITE, [at_top]),
        ("Grip", grip, WOOD, [at_top]),
    ]
    outward = gp_Trsf()
    outward.SetRotation(gp_Ax1(gp_Pnt(0, 0, 0), gp_Dir(1, 0, 0)), math.radians(90))
    groups["Hub screw"] = [("Hub screw", screw(), STEEL, [wheel_place(-AXLE_X, -TRACK) * place(0, 16.6, 15.0)])]
    return groups


def loose_faces(shape, change):
    """A shape as a shell whose faces share no edges, each as `change` of its number and itself gives it."""
    shell, builder = TopoDS_Shell(), BRep_Builder()
    builder.MakeShell(shell)
    explorer, number = TopExp_Explorer(shape, TopAbs_FACE), 0
    while explorer.More():
        builder.Add(shell, change(number, BRepBuilderAPI_Copy(explorer.Current()).Shape()))
        explorer.Next()
        number += 1
    return shell


def box_of(face):
    """Low and high corner of the box round a face."""
    box = Bnd_Box()
    BRepBndLib.Add_s(face, box)
    return box.CornerMin(), box.CornerMax()


def is_level(face, height):
    """Whether a face lies flat at a height."""
    return all(abs(corner.Z() - height) < 0.01 for corner in box_of(face))


def is_wide(face, wide):
    """Whether a face reaches as far both ways as it would on a wall."""
    low, high = box_of(face)
    return high.X() - low.X() > wide and high.Z() - low.Z() > wide / 2


def first():
    """The same as engineering sent it first."""
    groups = {group: list(members) for group, members in parts().items()}

    change = partial(exchange, groups)
    inward = lambda n, face: face.Reversed() if is_wide(face, WIDE / 2) else face  # noqa: E731
    change("Bed", "Short wall", lambda n, shape, colour, at: (n, loose_faces(shape, inward), colour, at))
    off = lambda n, face: moved(face, place(0, 0, 0.8)) if is_level(face, LOW + 3) else face  # noqa: E731
    change("Bed", "Bed floor", lambda n, shape, colour, at: (n, loose_faces(shape, off), colour, at))
    change("Hub screw", "Hub screw", lambda n, shape, colour, at: (n, shape, colour, at * 2))
    yoke = next(member for member in groups["Handle"] if member[0] == "Yoke")
    block = BRepPrimAPI_MakeBox(gp_Pnt(-5, -9, -5), gp_Pnt(5, 9, 5)).Shape()
    groups["Handle"].append(("Trial block", block, STEEL, yoke[3]))
    change("Handle", "Collar", lambda n, shape, colour, at: ("Stop ring", shape, colour, at))
    change("Handle", "Grip", lambda n, shape, colour, at: (n, rod((0, -54, 82), (0, 54, 82), 14.0, 5.0), colour, at))
    change("Frame", "Post cap", lambda *member: None)
    return groups


def main() -> None:
    """Write the STEP file."""
    out = Path(sys.argv[-1])
    print(f"{write(out, 'Odrel Barrow', first() if sys.argv[1] == 'first' else parts())} different parts written to {out}")


if __name__ == "__main__":
    main()
