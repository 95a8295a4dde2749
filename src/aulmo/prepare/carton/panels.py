"""A flat made of lines whose kinds are known: panels, the creases between them as a tree, windows, and what is odd about it."""

from typing import Sequence

import numpy as np
from msgspec.structs import replace

from aulmo.document.flat import FOLDING, At, Flat, FlatCrease, FlatLine, FlatOdd, FlatPanel, FlatWindow
from aulmo.errors import BadFile
from aulmo.prepare.carton.clean import Line, Net
from aulmo.prepare.carton.faces import Faces, faces_of

IN_LINE_MM = 0.3  # how far pieces of one crease may lie off each other's line
LOOSE_MM2 = 4.0  # a piece with less is dust
DECIMALS = 5
NOT_IN_LINE = "Two creases between the same panels do not lie in one line; this one is left flat"


def net_of(lines: Sequence[FlatLine]) -> Net:
    """The net that lines make: points of the same coordinates are one."""
    number: dict[At, int] = {}
    made = [Line(tuple(number.setdefault(at, len(number)) for at in line.points), k) for k, line in enumerate(lines)]
    return Net(np.array(list(number), float).reshape(-1, 2), made, [])


def flat_of_lines(
    lines: Sequence[FlatLine], odd: Sequence[FlatOdd] = (), scale: str = "", page: tuple[float, float, float, float] | None = None,
    before: Flat | None = None,
) -> Flat:  # fmt: skip
    """A flat with the panels that its lines make. Creases where `before` had some keep their ids. Raises BadFile when no panel is closed."""
    shown = [k for k, line in enumerate(lines) if line.kind != "left"]
    net = net_of([lines[k] for k in shown])
    faces = faces_of(net) if net.lines else None
    if faces is None or not faces.rings:
        raise BadFile("The drawing has no closed panel: " + _where_open(net))
    kinds = [lines[k].kind for k in shown]
    chosen, windows, loose = _sorted_out(faces, kinds)
    number = {face: k for k, face in enumerate(chosen)}
    told = list(odd) + loose
    creases, more = _creases(faces, kinds, number, before)
    told += more
    panels = tuple(_panel(faces, face, kinds) for face in chosen)
    sides = [tuple(number.get(face, -1) for face in pair) for pair in faces.sides]
    made = list(lines)
    for k, line in enumerate(lines):
        made[k] = replace(line, panels=(-1, -1))
    for k, pair in zip(shown, sides):
        made[k] = replace(made[k], panels=(pair[0], pair[1]))
    found = tuple(
        FlatWindow(_ring(net, faces.rings[face][0]), tuple(sorted({number[o] for o in _neighbours(faces, face) if o in number}))) for face in windows
    )
    return Flat(tuple(made), panels, creases, tuple(w for w in found if w.panels), tuple(told), scale, page)


def _where_open(net: Net) -> str:
    """The end of the sentence on a drawing without panels: where the outline is open, if it is one."""
    degree: dict[int, int] = {}
    for line in net.lines:
        for v in (line.points[0], line.points[-1]):
            degree[v] = degree.get(v, 0) + 1
    free = [v for v, n in degree.items() if n == 1]
    if len(free) < 2:
        return "its lines close round nothing."
    pairs = [(float(np.hypot(*(net.points[a] - net.points[b]))), a) for k, a in enumerate(free[:400]) for b in free[:k]]
    width, end = min(pairs)
    return f"its outline is open by {width:.1f} mm at {_place(net.points[end])}."


def _place(at: Sequence[float]) -> str:
    return f"{at[0]:.0f}, {at[1]:.0f} mm"


def _ring(net: Net, ring: Sequence[int]) -> tuple[At, ...]:
    return tuple((float(x), float(y)) for x, y in net.points[list(ring)])


def _neighbours(faces: Faces, face: int) -> set[int]:
    found = set()
    for left, right in faces.sides:
        if face in (left, right):
            found |= {left, right}
    if found - {face, -1}:
        return found - {face, -1}
    rim = faces.polygon(face).boundary
    return {k for k in range(len(faces.rings)) if k != face and faces.polygon(k).buffer(0.1).covers(rim)}


def _sorted_out(faces: Faces, kinds: Sequence[str]) -> tuple[list[int], list[int], list[FlatOdd]]:
    """The faces that hang together by creases, those that are cut out of them, and what is told of the rest."""
    import networkx

    graph = networkx.Graph()
    graph.add_nodes_from(range(len(faces.rings)))
    windowed = {face for pair, kind in zip(faces.sides, kinds) if kind == "window" for face in pair}
    solid = {face for face in range(len(faces.rings)) if face not in windowed or _folds(faces, kinds, face)}
    for (left, right), kind in zip(faces.sides, kinds):
        if kind in FOLDING and left >= 0 and right >= 0 and left != right:
            graph.add_edge(left, right)
    outside = {left if right < 0 else right for left, right in faces.sides if (left < 0) != (right < 0)}
    best = max(networkx.connected_components(graph), key=lambda c: (len(c) > 1, sum(faces.areas[k] for k in c if k in solid or len(c) > 1)))
    if len(best) == 1:  # nothing is creased: the largest, with its windows cut out
        best = {max(range(len(faces.rings)), key=lambda k: faces.areas[k])}
    windows, odd = [], []
    for face in range(len(faces.rings)):
        if face in best:
            continue
        if face in outside:
            if faces.areas[face] > LOOSE_MM2:
                at = faces.polygon(face).representative_point()
                odd.append(FlatOdd("A cut runs right through: this piece hangs on nothing", (at.x, at.y), faces.areas[face] ** 0.5))
        else:
            windows.append(face)
    return sorted(best, key=lambda k: _order(faces, k)), windows, odd


def _folds(faces: Faces, kinds: Sequence[str], face: int) -> bool:
    return any(face in pair and kind in FOLDING for pair, kind in zip(faces.sides, kinds))


def _order(faces: Faces, face: int) -> tuple[float, float]:
    x, y = faces.net.points[faces.rings[face][0]].mean(0)
    return round(float(x), 1), round(float(y), 1)


def _panel(faces: Faces, face: int, kinds: Sequence[str]) -> FlatPanel:
    import shapely

    slits = []
    shape = faces.polygon(face)
    shapely.prepare(shape)
    for line, pair, kind in zip(faces.net.lines, faces.sides, kinds):
        if kind == "cut" and (pair == (face, face) or pair == (-1, -1)):
            x, y = faces.net.points[list(line.points)].mean(0)
            if pair == (face, face) or shapely.contains_xy(shape, x, y):
                slits.append(_ring(faces.net, line.points))
    return FlatPanel(tuple(_ring(faces.net, ring) for ring in faces.rings[face]), tuple(slits))


def _creases(faces: Faces, kinds: Sequence[str], number: dict[int, int], before: Flat | None) -> tuple[tuple[FlatCrease, ...], list[FlatOdd]]:
    """The creases between panels; of those that close a ring all but the least are kept for folding."""
    import networkx

    net = faces.net
    between: dict[tuple[int, int], list[int]] = {}
    for k, ((left, right), kind) in enumerate(zip(faces.sides, kinds)):
        if kind in FOLDING and left in number and right in number and left != right:
            a, b = number[left], number[right]
            between.setdefault((min(a, b), max(a, b)), []).append(k)
    odd: list[FlatOdd] = []
    graph = networkx.Graph()
    held: dict[tuple[int, int], list[list[int]]] = {}
    areas = {number[f]: faces.areas[f] for f in number}
    for pair, lines in between.items():
        pieces = [list(net.lines[k].points)[:: 1 if number[faces.sides[k][0]] == pair[0] else -1] for k in lines]
        sizes = [_length(net, piece) for piece in pieces]
        main = pieces[int(np.argmax(sizes))]
        held[pair] = [p for p in pieces if _in_line(net, main, p)]
        for other in pieces:
            if other not in held[pair]:
                odd.append(FlatOdd(NOT_IN_LINE, _middle(net, other), _length(net, other)))
        graph.add_edge(*pair, weight=min(areas[pair[0]], areas[pair[1]]) + 1e-3 * max(sizes))
    tree = networkx.maximum_spanning_tree(graph)
    for a, b in graph.edges:
        if not tree.has_edge(a, b):
            pair = (min(a, b), max(a, b))
            at = _middle(net, held[pair][0])
            odd.append(FlatOdd("Panels hang together in a ring; this crease is taken for glue", at, _length(net, held[pair][0])))
    odd += _crossings(faces, kinds)
    taken: set[str] = set()
    found: list[FlatCrease] = []
    for pair in sorted(held):
        pieces = sorted(held[pair], key=lambda p: float(net.points[p[0]] @ (net.points[held[pair][0][-1]] - net.points[held[pair][0][0]])))
        path = tuple(_ring(net, piece) for piece in pieces)
        kind = kinds[next(k for k in between[pair] if sorted(net.lines[k].points) == sorted(pieces[0]))]
        found.append(FlatCrease(_known(path, before, taken), pair, kind, path, not tree.has_edge(*pair)))  # type: ignore[arg-type]
    fresh = iter(f"c{n}" for n in range(1, 100_000) if f"c{n}" not in taken)
    return tuple(crease if crease.id else replace(crease, id=next(fresh)) for crease in found), odd


def _known(path: tuple[tuple[At, ...], ...], before: Flat | None, taken: set[str]) -> str:
    """The id that a crease had at this place."""
    middle = np.array(path[0]).mean(0)
    for old in before.creases if before is not None else ():
        if old.id not in taken and min(float(np.hypot(*(np.array(piece).mean(0) - middle))) for piece in old.pieces) < 0.5:
            taken.add(old.id)
            return old.id
    return ""


def _length(net: Net, piece: Sequence[int]) -> float:
    return float(np.hypot(*np.diff(net.points[list(piece)], axis=0).T).sum())


def _middle(net: Net, piece: Sequence[int]) -> At:
    x, y = net.points[list(piece)].mean(0)
    return float(x), float(y)


def _in_line(net: Net, main: Sequence[int], piece: Sequence[int]) -> bool:
    if piece is main:
        return True
    a, b = net.points[main[0]], net.points[main[-1]]
    way = (b - a) / max(1e-9, float(np.hypot(*(b - a))))
    off = (net.points[list(piece)] - a) @ [-way[1], way[0]]
    along = net.points[piece[-1]] - net.points[piece[0]]
    return bool(np.abs(off).max() <= IN_LINE_MM) and float(along @ way) > 0


def _crossings(faces: Faces, kinds: Sequence[str]) -> list[FlatOdd]:
    at: dict[int, int] = {}
    other: set[int] = set()
    for line, kind in zip(faces.net.lines, kinds):
        for v in (line.points[0], line.points[-1]):
            if kind in FOLDING:
                at[v] = at.get(v, 0) + 1
            else:
                other.add(v)
    places = [faces.net.points[v] for v, n in at.items() if n >= 4 and v not in other]
    return [FlatOdd("Creases cross", (float(x), float(y))) for x, y in places]
