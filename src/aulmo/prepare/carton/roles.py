"""What the panels of a carton are for: its front, the body round it, lids, dust flaps, tucks, glue flaps; their names, groups and closed angles."""

from typing import NamedTuple

import numpy as np

from aulmo.document.flat import Flat, ring_area
from aulmo.document.made.carton import placed
from aulmo.document.made.carton_bend import frame_at
from aulmo.document.made.carton_flat import Board, Ready, made_ready
from aulmo.document.made.carton_hinge import Hinge

PARALLEL = 0.02
NARROW = 0.5  # of a flap's neighbour: what is glued is narrower
IN_MIDDLE = 0.8  # of the largest panel's area: of those the one in the middle is the front


class Roles(NamedTuple):
    """Of a flat with its front: the names of panels; of each crease its group and its angle when closed; what ranks panels by."""

    names: tuple[str, ...]
    groups: tuple[str, ...]
    angles: tuple[float, ...]


def sizes(flat: Flat) -> np.ndarray:
    """(panels,) areas in mm², windows not counted."""
    return np.array([sum(ring_area(ring) for ring in panel.rings) for panel in flat.panels])


def likely_front(flat: Flat) -> int:
    """The largest panel in the middle."""
    size = sizes(flat)
    left, bottom, right, top = flat.box
    middle = np.array([(left + right) / 2, (bottom + top) / 2])
    large = [k for k in range(len(size)) if size[k] >= IN_MIDDLE * size.max()]
    return min(large, key=lambda k: float(np.hypot(*(np.array(flat.panels[k].rings[0]).mean(0) - middle))))


def body_of(made: Ready) -> tuple[list[int], np.ndarray]:
    """The chain of panels that makes the body, in order, through parallel creases, and the direction of those; the front alone when there is none."""
    beside: dict[int, list[tuple[Hinge, int]]] = {}
    for hinge in made.hinges:
        beside.setdefault(hinge.parent, []).append((hinge, hinge.child))
        beside.setdefault(hinge.child, []).append((hinge, hinge.parent))
    ways: list[np.ndarray] = []
    for hinge, _ in beside.get(made.front, ()):
        if all(abs(_cross(hinge.along, way)) > PARALLEL for way in ways):
            ways.append(hinge.along)
    best: tuple[float, list[int], np.ndarray] = (-1.0, [made.front], np.array([0.0, 1.0]))
    for way in ways:
        chain = [made.front]
        for end in (-1, 0):
            while True:
                here = chain[end]
                nexts = [child for hinge, child in beside.get(here, ()) if child not in chain and abs(_cross(hinge.along, way)) <= PARALLEL]
                if not nexts or (here == made.front and end == 0 and len(chain) == 1):
                    break
                chain = [*chain, nexts[0]] if end == -1 else [nexts[0], *chain]
        branches = sum(1 for panel in chain for hinge, child in beside.get(panel, ()) if child not in chain)
        score = branches + 0.01 * len(chain)
        if len(chain) > 1 and score > best[0]:
            best = (score, chain, way)
    return best[1], best[2]


def _cross(a: np.ndarray, b: np.ndarray) -> float:
    return float(a[0] * b[1] - a[1] * b[0])


def ring_angles(widths: np.ndarray) -> np.ndarray:
    """Degrees by which the sides of a polygon that lies in a circle turn at their corners, each after its side: for four sides of a box 90 each.
    The radius is found by halving: the sides' central angles, 2 asin(w / 2r), add up to a whole turn (or the longest one fills the rest)."""
    if len(widths) == 2:
        return np.array([180.0, 180.0])
    longest = int(np.argmax(widths))
    low, high = widths.max() / 2, 1e3 * widths.sum()
    central = lambda r: 2 * np.arcsin(np.clip(widths / (2 * r), 0, 1))  # noqa: E731
    outside = central(low).sum() < 2 * np.pi  # the middle lies beyond the longest side
    if outside:
        for _ in range(200):
            r = 0.5 * (low + high)
            angles = central(r)
            if angles.sum() - 2 * angles[longest] < 0:
                low = r
            else:
                high = r
        angles = central(high)
        angles[longest] = 2 * np.pi - angles[longest]
    else:
        for _ in range(200):
            r = 0.5 * (low + high)
            low, high = (r, high) if central(r).sum() > 2 * np.pi else (low, r)
        angles = central(high)
    return np.degrees(0.5 * (angles + np.roll(angles, -1)))


def roles_of(flat: Flat, front: int, thickness: float) -> Roles:
    """Names, groups and closed angles of a flat about its front."""
    made = made_ready(flat, front, Board(thickness))
    chain, axis = body_of(made)
    if axis[int(np.argmax(np.abs(axis)))] < 0:
        axis = -axis
    size = sizes(flat)
    angles = np.full(len(flat.creases), 90.0)
    groups = [""] * len(flat.creases)
    depth, below = _depths(made)
    across = np.array([axis[1], -axis[0]])
    wide = np.array([float(np.ptp(np.array(p.rings[0]) @ across)) for p in flat.panels])
    tall = np.array([float(np.ptp(np.array(p.rings[0]) @ axis)) for p in flat.panels])
    chain = sorted(chain, key=lambda k: float(np.array(flat.panels[k].rings[0]).mean(0) @ across))
    glue = next((k for k in (chain[0], chain[-1]) if len(chain) > 2 and wide[k] < NARROW * np.median(wide[chain]) and not below.get(k)), -1)
    body = [k for k in chain if k != glue]
    tube = len(body) >= 3 and float(np.ptp(tall[body])) < 0.1 * tall[front] or (glue >= 0 and len(body) == 2)
    by_pair = {frozenset((h.parent, h.child)): h for h in made.hinges}
    inside = {h.crease for h in made.hinges if h.parent in chain and h.child in chain}
    if tube and (len(body) != 4 or glue >= 0) and glue >= 0:
        turns = ring_angles(wide[body])
        order = body if glue == chain[-1] else body[::-1]
        for k, panel in enumerate(order):
            after = order[k + 1] if k + 1 < len(order) else glue
            angles[by_pair[frozenset((panel, after))].crease] = round(float(turns[k]), 3)
    _between_bent(made, angles)
    names = [""] * len(flat.panels)
    words = _body_words(made, body, front, angles) if tube else {front: "Base"}
    for panel, word in words.items():
        names[panel] = word
    if glue >= 0:
        names[glue] = "Glue flap"
    ends = ("Top", "Bottom") if abs(axis[1]) >= abs(axis[0]) else ("Right", "Left")
    reach: dict[int, str] = {}
    for hinge in made.hinges:
        if hinge.crease in inside and tube:
            groups[hinge.crease] = "glue" if glue in (hinge.parent, hinge.child) else "body"
        else:
            _name(flat, hinge, tube, ends, axis, size, below, depth, names, groups, reach)
    _lids(made, tube, groups, names, size, below)
    _unique(names, front)
    return Roles(tuple(names), tuple(g or "flaps" for g in groups), tuple(float(a) for a in angles))


def _between_bent(made: Ready, angles: np.ndarray) -> None:
    """Where panels are bent by curved creases, what joins them beside is folded by less: their sides lean toward one another already."""
    for hinge in made.hinges:
        middle = hinge.at + 0.5 * hinge.length * hinge.along
        for panel in (hinge.parent, hinge.child):
            bend = made.before.get(panel)
            if bend is not None and hinge.child not in made.beyond:
                facing = frame_at(bend, float(angles[bend.hinge.crease]), middle, False)[:3, 2]
                angles[hinge.crease] -= float(np.degrees(np.arccos(np.clip(facing[2], -1.0, 1.0))))


def _depths(made: Ready) -> tuple[dict[int, int], dict[int, list[int]]]:
    depth: dict[int, int] = {made.front: 0}
    below: dict[int, list[int]] = {}
    for hinge in made.hinges:
        depth[hinge.child] = depth[hinge.parent] + 1
        below.setdefault(hinge.parent, []).append(hinge.child)
    return depth, below


def _body_words(made: Ready, body: list[int], front: int, angles: np.ndarray) -> dict[int, str]:
    """Names of body panels by where they face when the carton is closed."""
    places = placed(made, angles, np.zeros(len(made.flat.panels)))
    words = {}
    for panel in body:
        x, _, z = places[panel][:3, 2]
        if panel == front or z > 0.7:
            words[panel] = "Front"
        elif z < -0.7:
            words[panel] = "Back"
        else:
            words[panel] = "Right" if x > 0 else "Left"
    return words


def _name(flat, hinge: Hinge, tube: bool, ends, axis, size, below, depth, names, groups, reach) -> None:
    away = float(hinge.out @ axis)
    if tube:
        end = reach.get(hinge.parent) or (ends[0] if away > 0 else ends[1])
        reach[hinge.child] = end
        if hinge.parent in reach:
            names[hinge.child], groups[hinge.crease] = f"{end} tuck", f"{end.lower()} tuck"
        else:
            names[hinge.child], groups[hinge.crease] = f"{end} dust", f"{end.lower()} dust"
        return
    side = ("Top" if hinge.out[1] > 0 else "Bottom") if abs(hinge.out[1]) > abs(hinge.out[0]) else ("Right" if hinge.out[0] > 0 else "Left")
    level = depth[hinge.child]
    if level == 1:
        names[hinge.child], groups[hinge.crease] = f"{side} wall", "walls"
    else:
        bends = abs(_cross(hinge.out, np.array([1.0, 0.0]) if side in ("Right", "Left") else np.array([0.0, 1.0]))) < PARALLEL
        above = names[hinge.parent]
        straight = bends and above.split(" ")[0] == side
        names[hinge.child] = f"{side} {'rim' if straight else 'corner'}"
        groups[hinge.crease] = "rims" if straight else "corners"


def _lids(made: Ready, tube: bool, groups: list[str], names: list[str], size: np.ndarray, below: dict[int, list[int]]) -> None:
    """Of the flaps at one end those are lids that have a tuck, or where none has the largest."""
    if not tube:
        return
    for end in ("top", "bottom", "right", "left"):
        flaps = [h for h in made.hinges if groups[h.crease] == f"{end} dust"]
        if not flaps:
            continue
        tucked = [h for h in flaps if below.get(h.child)]
        most = max(size[h.child] for h in flaps)
        for hinge in tucked or [h for h in flaps if size[h.child] > 0.97 * most and len(flaps) > 1]:
            groups[hinge.crease] = f"{end} lid"
            names[hinge.child] = f"{end.capitalize()} lid"


def _unique(names: list[str], front: int) -> None:
    """Give panels of one name numbers; the front keeps its own."""
    whole = [name or "Panel" for name in names]
    count = {whole[front]: 1} if whole.count(whole[front]) > 1 else {}
    for k, name in enumerate(whole):
        names[k] = name
        if whole.count(name) > 1 and k != front:
            count[name] = count.get(name, 0) + 1
            names[k] = f"{name} {count[name]}"
