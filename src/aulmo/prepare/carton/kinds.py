"""What each line of a drawing is: by what its file says of it, and where that says nothing by how the lines lie."""

import re
from typing import NamedTuple, Sequence

import numpy as np

from aulmo.document.flat import FOLDING
from aulmo.prepare.carton.clean import Net
from aulmo.prepare.carton.faces import Faces
from aulmo.prepare.carton.strokes import Stroke

# words of the trade in the names of layers and lines; the first that is found counts
WORDS = (
    ("left", r"dim|measure|text|note|bleed|anno|title|frame|border|guide|safe|hatch|grain|flute|\bart|print|image|foil|embos|debos|varnish|legend"
             r"|regist|\bmarks?\b|logo|info|glue|adhesive|gum\b|beschnitt|mass|centre|center"),
    ("half", r"half|kiss|partial|part.?cut|ritz|anritz"),
    ("perforation", r"perf|tear|zip"),
    ("window", r"window|aperture|fenster"),
    ("crease", r"creas|fold|score|scoring|rill|bend|falz|biege|nut\b"),
    ("cut", r"cut|knife|stanz|schnitt|contour|outline|kontur|trim|through|slit"),
)  # fmt: skip
OUTLINE_SHARE, INSIDE_SHARE = 0.5, 0.12


class Told(NamedTuple):
    """The kind of each line, whether it is a guess, and the lines by which rings of panels are closed."""

    kinds: list[str]
    unsure: list[bool]


def word_kind(stroke: Stroke) -> str:
    """The kind that the names of a stroke say, or ""."""
    for words in (stroke.name, stroke.layer):
        for kind, pattern in WORDS:
            if words and re.search(pattern, words.lower()):
                return kind
    return ""


def told(net: Net, faces: Faces, strokes: Sequence[Stroke]) -> Told:
    """The kinds of a net's lines."""
    lengths = np.array([_length(net, k) for k in range(len(net.lines))])
    outline = np.array([(left < 0) != (right < 0) for left, right in faces.sides])
    named = [word_kind(strokes[line.stroke]) for line in net.lines]
    inner = np.array([left >= 0 and right >= 0 and left != right for left, right in faces.sides])
    if not any(kind in FOLDING for kind in named) and bool(inner[[k == "cut" for k in named]].any()):
        named = ["" if kind == "cut" else kind for kind in named]  # a layer that holds all lines tells none apart
    by_class = _by_class(net, strokes, named, outline, lengths)
    waste = faces.windows()
    kinds: list[str] = []
    unsure: list[bool] = []
    for k, (left, right) in enumerate(faces.sides):
        said = named[k] or by_class[k]
        if said == "left":
            kinds.append("left")
            unsure.append(False)
            continue
        if (left in waste or right in waste) and said not in FOLDING:
            kinds.append("window")
        elif outline[k] or left == right:
            kinds.append("half" if said == "half" and not outline[k] else "cut")
        else:
            kinds.append(said if said in (*FOLDING, "cut") else "?")
        unsure.append(bool(outline[k]) and said in FOLDING)
    for k in _ring_cuts(net, faces, kinds):
        kinds[k] = "cut"
        unsure[k] = True
    return Told(["crease" if kind == "?" else kind for kind in kinds], unsure)


def _length(net: Net, line: int) -> float:
    return float(np.hypot(*np.diff(net.points[list(net.lines[line].points)], axis=0).T).sum())


def _by_class(net: Net, strokes: Sequence[Stroke], named: list[str], outline: np.ndarray, lengths: np.ndarray) -> list[str]:
    """Lines that look alike are of one kind: what mostly bounds the whole is cut, what hardly ever does is crease. "" where looks tell nothing."""
    look = [strokes[line.stroke][1:4] for line in net.lines]
    classes: dict[tuple, list[int]] = {}
    for k, kind in enumerate(named):
        if not kind:
            classes.setdefault(look[k], []).append(k)
    result = [""] * len(net.lines)
    if len(classes) + len({n for n in named if n and n != "left"}) < 2:
        return result
    solid_creases = False
    inside: list[tuple[tuple, list[int]]] = []
    for one, members in classes.items():
        share = float(lengths[members][outline[members]].sum() / max(1e-9, lengths[members].sum()))
        if share >= OUTLINE_SHARE:
            for k in members:
                result[k] = "cut"
        elif share <= INSIDE_SHARE:
            inside.append((one, members))
            solid_creases |= one[2] == ""
    if not inside and len(classes) > 1:
        return [""] * len(net.lines)
    largest = max(inside, key=lambda c: float(lengths[c[1]].sum()), default=None)
    for one, members in inside:
        torn = largest is not None and one != largest[0] and one[2] in ("dash", "dot") and one[2] != largest[0][2]
        for k in members:
            result[k] = "perforation" if torn else "crease"
    return result


def _ring_cuts(net: Net, faces: Faces, kinds: list[str]) -> list[int]:
    """Of the lines whose kind is open ("?"), those that are cuts between neighbouring flaps, so that no panels hang together in a ring."""
    import networkx

    graph = networkx.MultiGraph()
    open_lines: dict[tuple[int, int], list[int]] = {}
    for k, kind in enumerate(kinds):
        left, right = faces.sides[k]
        if (kind == "?" or kind in FOLDING) and left >= 0 and right >= 0 and left != right:
            graph.add_edge(left, right, key=k)
            open_lines.setdefault((min(left, right), max(left, right)), []).append(k)
    outer = {v for k, line in enumerate(net.lines) if -1 in faces.sides[k] for v in line.points}
    cuts: list[int] = []

    def closing() -> list[int]:
        """The lines of one ring that may be cut."""
        try:
            ring = networkx.find_cycle(graph)
        except networkx.NetworkXNoCycle:
            return []
        return [key for _, _, key in ring]

    ends = {k: (net.lines[k].points[0], net.lines[k].points[-1]) for k in range(len(net.lines))}
    at: dict[int, list[int]] = {}
    for k in range(len(kinds)):
        for v in ends[k]:
            at.setdefault(v, []).append(k)
    for knot, lines in at.items():  # around a knot that no cut reaches everything would hang together
        there = [k for k in lines if graph.has_edge(*faces.sides[k], key=k)]
        if knot in outer or len(there) != len(lines) or len(there) < 3:
            continue
        free = [k for k in there if kinds[k] == "?"]
        reach = [k for k in free if (ends[k][0] if ends[k][1] == knot else ends[k][1]) in outer]
        if reach or free:
            worst = min(reach or free, key=lambda k: faces.areas[faces.sides[k][0]] + faces.areas[faces.sides[k][1]])
            cuts.append(worst)
            graph.remove_edge(*faces.sides[worst], key=worst)
    while ring := closing():
        free = [k for k in ring if kinds[k] == "?"]
        pairs = {faces.sides[k] if faces.sides[k][0] < faces.sides[k][1] else faces.sides[k][::-1] for k in ring}
        if not free or len(pairs) == 1:  # the file says so, or one crease in pieces
            for k in ring[:1]:
                graph.remove_edge(*faces.sides[k], key=k)
            continue
        worst = min(free, key=lambda k: faces.areas[faces.sides[k][0]] + faces.areas[faces.sides[k][1]])
        cuts.append(worst)
        graph.remove_edge(*faces.sides[worst], key=worst)
    return cuts
