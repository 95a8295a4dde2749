"""Where a lamp goes that is put up by a click: hung from a ceiling, mounted on a wall, stood on a floor."""

from typing import Any

import numpy as np
from msgspec.structs import replace

from aulmo.document.records import Camera, Lamp
from aulmo.light.place_lamp import AWAY, WIDTH, aimed_turn, new_lamp, size_of, studio_candela

LEVEL = 0.7  # how far up or down a surface faces from which on it is a floor or a ceiling
STAND = 1.2  # of what stands there, how high a lamp on a stand is
GAP = 2.0  # mm between a lamp and what it hangs from
WIDE = 0.25  # of the way to what it lights: no wider is a lamp that hangs in a room or is mounted there
OF_WHITE = 0.4  # what a white card is shown as that it lights, of the view's white: a room adds what its walls give back


def where_words(normal) -> str:
    """What a click on a surface that faces `normal` (3,) means."""
    up = float(np.asarray(normal, float)[2])
    return "hung from here" if up < -LEVEL else "stood here" if up > LEVEL else "mounted here"


def hung(kind: Any, name: str, lamp_id: str, point, normal, box, aims_at, camera: Camera, white_nits: float) -> Lamp:
    """A lamp of a kind at a point of a surface that faces `normal`: under a ceiling and before a wall it shines straight away from them, on a floor
    it stands on a stand and shines at `aims_at`. Its size follows `box`, that of the set; it is as bright as suits a view whose white has so many
    nits, at the distance of the floor below it or of `aims_at`."""
    point, normal = np.asarray(point, float), np.asarray(normal, float)
    normal = normal / max(1e-12, float(np.linalg.norm(normal)))
    low, high = (np.asarray(b, float) for b in box)
    size, made = size_of(low, high), new_lamp(kind, name, lamp_id, low, high, camera)
    aims_at = np.asarray(aims_at, float)
    far = float(point[2] - low[2]) if normal[2] < -LEVEL else float(np.linalg.norm(aims_at - point))
    if normal[2] <= LEVEL:
        less = min(1.0, WIDE * max(far, 100.0) / (WIDTH * size))
        made = replace(made, width=float(f"{made.width * less:.2g}"), height=float(f"{made.height * less:.2g}"))
    body = 0.5 * made.width if kind in ("sphere", "point", "tube") else 0.0
    if normal[2] > LEVEL:
        up = max(100.0, STAND * float(aims_at[2] - point[2]), 0.6 * float(high[2] - low[2]))
        place = point + [0.0, 0.0, up]
        target, far = aims_at, float(np.linalg.norm(aims_at - place))
        if np.linalg.norm((target - place)[:2]) < 1e-6:
            target = target + [0.0, 1e-3, 0.0]
    else:
        place = point + normal * (body + GAP)
        target = place + normal * 100.0
    x, y, z = place.round(4).tolist()
    turn = aimed_turn(place, target)
    if kind == "tube":  # it lies along the wall or the ceiling, level
        along = np.cross(normal, [0.0, 0.0, 1.0]) if abs(normal[2]) < LEVEL else np.array([1.0, 0.0, 0.0])
        turn = (0.0, 0.0, float(np.degrees(np.arctan2(along[1], along[0]))))
    wanted = OF_WHITE * np.pi * white_nits * (max(far, 100.0) / 1000.0) ** 2  # candela: lux on a white card, over its distance squared
    return replace(made, position=(x, y, z), turn=turn, power=float(f"{made.power * wanted / studio_candela(size * AWAY):.2g}"))
