"""Which part of a new revision is which part of the one before: by name, by shape, by place and by what stands next to it."""

import re
from typing import Callable, NamedTuple, Sequence

import numpy as np

from aulmo.prepare.revision.state import Node, Said, Shape, world_boxes

MOST_ASSIGNED = 1500  # parts of one name or shape that are given out as near to one another as can be; more are in order of place
NEAR = 0.6  # of two parts' sizes: those without name or shape in common that stand as near may be the same
LIKE_SIZE = 0.5  # share of the larger of two sizes that the smaller has at least


class Pairs(NamedTuple):
    """By the id of a new part, that of the old one; pairs that somebody has to decide, with why they may be one and whether that is likely; new ones
    and old ones alone."""

    same: dict[str, str]
    doubtful: dict[str, tuple[str, str, bool]]
    new: tuple[str, ...]
    gone: tuple[str, ...]


class _Side:
    """One of the two revisions, made ready for looking up."""

    def __init__(self, said: Said) -> None:
        self.said = said
        self.nodes: dict[str, Node] = said.by_id
        self.boxes = world_boxes(said)
        self.leaves = [n.id for n in said.nodes if n.shape]
        self.groups = [n.id for n in said.nodes if not n.shape]
        self.below: dict[str, list[str]] = {}
        self.path: dict[str, tuple[str, ...]] = {}
        for node in said.nodes:
            self.below.setdefault(node.parent, []).append(node.id)
            above = self.path.get(node.parent, ())
            self.path[node.id] = (*above, plain(node.name)) if node.parent in self.path or node.parent else ("",)

    def shape(self, part_id: str) -> Shape:
        """A leaf's shape."""
        return self.said.shapes[self.nodes[part_id].shape]


def plain(name: str) -> str:
    """A name without the number that tells it from its namesakes, in small letters."""
    return re.sub(r"[\s_.:#-]*\(?\d*\)?$", "", name).strip().lower() or name.lower()


def pair(old: Said, new: Said) -> Pairs:
    """Pair the parts of two revisions of a file."""
    one, two = _Side(old), _Side(new)
    same: dict[str, str] = {}
    doubtful: dict[str, tuple[str, str, bool]] = {}
    left_old, left_new = dict.fromkeys(one.leaves), dict.fromkeys(two.leaves)

    def take(found: Sequence[tuple[str, str]]) -> None:
        for a, b in found:
            same[b] = a
            del left_old[a], left_new[b]

    alike = _Alike(one, two)
    for key in (lambda s, i: s.path[i], lambda s, i: s.path[i][-1:]):
        for a, b in _shared(one, two, left_old, left_new, key):
            take([p for p in _nearest(one, two, a, b) if alike(*p)])
    for a, b in _shared(one, two, left_old, left_new, lambda s, i: s.path[i]):
        take(_nearest(one, two, a, b))
    for a, b in _shared(one, two, left_old, left_new, lambda s, i: _kind(s.shape(i))):
        several = len(a) > 1 or len(b) > 1
        for x, y in _nearest(one, two, a, b):
            if not alike(x, y):
                continue
            if several and _distance(one, two, x, y) > NEAR:
                doubtful[y] = (x, "of the same shape, under another name, elsewhere", True)
                del left_old[x], left_new[y]
            else:
                take([(x, y)])
    for a, b in _shared(one, two, left_old, left_new, lambda s, i: s.path[i][-1:]):
        if len(a) == len(b) == 1:
            take([(a[0], b[0])])
        else:
            for x, y in _nearest(one, two, a, b):
                doubtful[y] = (x, "of the same name, elsewhere, shaped otherwise", True)
                del left_old[x], left_new[y]
    for x, y in _nearest(one, two, list(left_old), list(left_new)):
        sizes = [float(s.shape(i).size.max()) for s, i in ((one, x), (two, y))]
        if _distance(one, two, x, y) < NEAR and min(sizes) > LIKE_SIZE * max(sizes):
            doubtful[y] = (x, "where the other one stood, under another name and shaped otherwise", False)
            del left_old[x], left_new[y]
    groups = _groups(one, two, same)
    same.update(groups)
    alone_old = [i for i in one.groups if i not in set(groups.values())]
    alone_new = [i for i in two.groups if i not in groups]
    return Pairs(same, doubtful, (*left_new, *alone_new), (*left_old, *alone_old))


class _Alike:
    """Whether two leaves have the same shape; remembered by the shapes."""

    def __init__(self, one: _Side, two: _Side) -> None:
        self.one, self.two = one, two
        self.known: dict[tuple[str, str], bool] = {}

    def __call__(self, a: str, b: str) -> bool:
        key = (self.one.nodes[a].shape, self.two.nodes[b].shape)
        if key not in self.known:
            x, y = self.one.shape(a), self.two.shape(b)
            self.known[key] = key[0] == key[1] or x.like(y) or x.turned_like(y)
        return self.known[key]


def _kind(shape: Shape) -> tuple:
    """What shapes that are alike have in common, roughly enough that none of them falls between two steps: the count of faces."""
    return (len(shape.faces), round(np.log(max(shape.area, 1e-9)) * 20))


def _shared(
    one: _Side, two: _Side, left_old: dict, left_new: dict, key: Callable[[_Side, str], tuple]
) -> list[tuple[list[str], list[str]]]:  # fmt: skip
    """Old and new leaves that are left, by what they have in common."""
    olds: dict[tuple, list[str]] = {}
    news: dict[tuple, list[str]] = {}
    for side, left, into in ((one, left_old, olds), (two, left_new, news)):
        for i in left:
            into.setdefault(key(side, i), []).append(i)
    return [(olds[k], news[k]) for k in olds if k in news]


def _distance(one: _Side, two: _Side, a: str, b: str) -> float:
    """How far two parts are apart, of their size."""
    size = max(float(one.boxes[a][2].max()), float(two.boxes[b][2].max()), 1e-9)
    return float(np.linalg.norm(one.boxes[a][1] - two.boxes[b][1])) / size


def _nearest(one: _Side, two: _Side, a: list[str], b: list[str]) -> list[tuple[str, str]]:
    """Pairs so that all stand as near to one another as can be, those of one whole name and size first."""
    if not a or not b:
        return []
    if len(a) == len(b) == 1:
        return [(a[0], b[0])]
    if max(len(a), len(b)) > MOST_ASSIGNED:
        by_place = lambda s: lambda i: tuple(np.round(s.boxes[i][1], 3))  # noqa: E731
        return list(zip(sorted(a, key=by_place(one)), sorted(b, key=by_place(two))))
    from scipy.optimize import linear_sum_assignment

    middles = [np.array([s.boxes[i][1] for i in ids]) for s, ids in ((one, a), (two, b))]
    sizes = [np.array([s.boxes[i][2] for i in ids]) for s, ids in ((one, a), (two, b))]
    scale = max(float(sizes[0].max()), float(sizes[1].max()), 1e-9)
    cost = np.linalg.norm(middles[0][:, None] - middles[1][None], axis=2) / scale
    cost = np.minimum(cost, 50.0) + np.abs(sizes[0][:, None] - sizes[1][None]).max(2) / scale
    names = [np.array([s.nodes[i].name for i in ids]) for s, ids in ((one, a), (two, b))]
    cost += 0.02 * (names[0][:, None] != names[1][None])
    rows, columns = linear_sum_assignment(cost)
    return [(a[r], b[c]) for r, c in zip(rows, columns)]


def _groups(one: _Side, two: _Side, same: dict[str, str]) -> dict[str, str]:
    """By the id of a new group that of the old one: the one that holds most of the same, else of the same name and place in the tree."""
    out: dict[str, str] = {}
    taken: set[str] = set()
    votes: dict[str, dict[str, int]] = {}
    paired = dict(same)
    for i in reversed(two.groups):  # from below
        for c in two.below.get(i, ()):
            above = one.nodes[paired[c]].parent if c in paired else ""
            if above in one.nodes:
                held = votes.setdefault(i, {})
                held[above] = held.get(above, 0) + 1
        own = votes.get(i, {})
        for above in sorted(own, key=lambda g: (-own[g], plain(one.nodes[g].name) != plain(two.nodes[i].name))):
            if above not in taken:
                out[i] = paired[i] = above
                taken.add(above)
                break
    by_path: dict[tuple, list[str]] = {}
    for g in one.groups:
        if g not in taken:
            by_path.setdefault(one.path[g], []).append(g)
    for i in two.groups:
        if i not in out and by_path.get(two.path[i]):
            out[i] = by_path[two.path[i]].pop(0)
    return out

