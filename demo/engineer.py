"""The engineer's station, in small: writes a new revision of the lantern, as it comes from next week on.

`python demo/engineer.py OUT.step` makes every change; naming some makes those alone:
globe (14 mm taller), knob (renamed Regulator, 2.4 mm further out), springs (two parts more), rim (Plate rim gone), collar (one face more),
ring (Foot ring recoloured), order (everything renumbered).
"""

import sys
from functools import partial
from pathlib import Path

from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox, BRepPrimAPI_MakeTorus
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt

sys.path.insert(0, str(Path(__file__).parent))

from build_lantern import STEEL, cut, exchange, lay_front, parts, place, turned_shell, write

CHANGES = ("globe", "knob", "springs", "rim", "collar", "ring", "order")
TALLER = 14.0  # mm
FURTHER = 2.4  # mm
NAVY = (0.05, 0.09, 0.22)


def revised(changes=CHANGES) -> dict:
    """The lantern's assembly with some of the changes; raises ValueError for one that there is not."""
    unknown = set(changes) - set(CHANGES)
    if unknown:
        raise ValueError(f"no change is called {', '.join(sorted(unknown))}; there are {', '.join(CHANGES)}")
    groups = {group: list(members) for group, members in parts().items()}

    change = partial(exchange, groups)
    if "globe" in changes:
        longer = [(32, 104), (36, 108), (45, 122), (52.5, 142), (53.5, 160 + TALLER / 2), (48, 180 + TALLER), (38, 197 + TALLER), (32.5, 206 + TALLER)]
        change("Globe", "Globe", lambda name, shape, colour, places: (name, turned_shell(longer, 3.0), colour, places))
        groups["Hood"] = [(n, s, c, [place(0, 0, TALLER) * p for p in at]) if n != "Guard wire" else (n, s, c, at) for n, s, c, at in groups["Hood"]]
    if "knob" in changes:
        change("Burner", "Knob", lambda name, shape, colour, places: ("Regulator", shape, colour, [lay_front(76, 50 + FURTHER, 89)]))
    if "springs" in changes:
        spring = BRepPrimAPI_MakeTorus(gp_Ax2(gp_Pnt(0, 0, 0), gp_Dir(0, 0, 1)), 3.0, 0.6).Shape()
        groups["Hood"].append(("Spring", spring, STEEL, [place(12, 0, 244.0), place(-12, 0, 244.0)]))
    if "rim" in changes:
        change("Tank", "Plate rim", lambda *member: None)
    if "collar" in changes:
        notch = BRepPrimAPI_MakeBox(gp_Pnt(46.6, -60, 70), gp_Pnt(60, 60, 100)).Shape()  # a flat on its rim
        change("Burner", "Collar", lambda name, shape, colour, places: (name, cut(shape, notch), colour, places))
    if "ring" in changes:
        change("Tank", "Foot ring", lambda name, shape, colour, places: (name, shape, NAVY, places))
    if "order" in changes:
        groups = {group: members[::-1] for group, members in reversed(list(groups.items()))}
    return groups


def main() -> None:
    """Write the revision."""
    if len(sys.argv) < 2:
        print(__doc__)
        raise SystemExit(2)
    try:
        groups = revised(tuple(sys.argv[2:]) or CHANGES)
    except ValueError as error:
        raise SystemExit(str(error)) from None
    print(f"{write(Path(sys.argv[1]), 'Odrel Wick', groups)} parts written to {sys.argv[1]}")


if __name__ == "__main__":
    main()
