"""Flaws of one mesh, whoever wears it: faces turned the wrong way, gaps, holes, triangles twice or nearly nothing. All in the mesh's own mm."""

from typing import NamedTuple

import numpy as np

from aulmo.document.meshes import Mesh
from aulmo.prepare.faces import pieces_between
from aulmo.prepare.health.rays import Rays
from aulmo.prepare.health.skin import WELD, Skin

GAP = 0.025  # of a mesh's size: wider openings between two rims are no gaps
SLIT = 0.06  # breadth of an opening to its length, below which it is a gap, not a hole
FACE = 4  # edges of a rim up to which a face is missing, however narrow it was
MOSTLY = 0.5  # share of a rim that has to lie beside another for it to be a gap
SHEET = 0.6  # share of a piece's area that its outline's own flat area has, from which on the outline is no hole
MOST_PIECES = 400  # closed pieces of one mesh that are looked at for lying in one another
VOTES = 48  # places from which an open piece is looked at
CLEARLY = 0.2  # by how much more of the sky the back of a triangle has to see for it to count as turned


class Flaw(NamedTuple):
    """One place of a mesh: its kind, size in mm, the triangles that it is about, and the points (n, 3) of a rim or of an outline, in order."""

    kind: str
    size: float
    cells: np.ndarray
    points: np.ndarray
    closed: bool = True


NONE = np.zeros(0, np.int64)


def flaws(mesh: Mesh, skin: Skin, around: Rays | None = None) -> list[Flaw]:
    """All flaws of a mesh. `around` is what stands about it in its own axes, the mesh itself among it: what of an open surface is seen from outside
    tells which way it ought to face."""
    out: list[Flaw] = []
    turned = turned_cells(skin, around)
    if len(turned):
        out.extend(Flaw("flipped", extent(skin.points[skin.cells[c]]), c, NONE.reshape(0, 3).astype(float)) for c in _connected(skin, turned))
    if len(skin.rims):
        wrong = np.isin(skin.rim_cells, turned)
        out.extend(_openings(skin._replace(rims=np.where(wrong[:, None], skin.rims[:, ::-1], skin.rims))))
    if len(skin.doubles):
        out.append(Flaw("coincident", extent(skin.points[skin.cells[skin.doubles]]), skin.doubles, _no_points()))
    if len(skin.slivers):
        sides = skin.points[skin.cells[skin.slivers]]
        longest = float(np.linalg.norm(sides - sides[:, [1, 2, 0]], axis=2).max())
        out.append(Flaw("sliver", longest, skin.slivers, _no_points()))
    return out


def _no_points() -> np.ndarray:
    return np.zeros((0, 3))


def extent(points: np.ndarray) -> float:
    """The longest side of the box round points (..., 3)."""
    flat = points.reshape(-1, 3)
    return float(np.ptp(flat, axis=0).max()) if len(flat) else 0.0


# which way faces face


def turned_cells(skin: Skin, around: Rays | None = None) -> np.ndarray:
    """Triangles that face the wrong way: inward on a closed piece, outward in a hollow of one, away from whoever looks on an open one."""
    simple = not skin.crooked and skin.closed.all()
    if simple and len(skin.closed) == 1:
        return np.arange(len(skin.cells)) if skin.volumes[0] < 0 else NONE
    order = np.argsort(skin.piece, kind="stable")
    begins = np.searchsorted(skin.piece[order], np.arange(len(skin.closed) + 1))
    hollow = _hollows(skin, order, begins)
    found = []
    for k in range(len(skin.closed)):
        own = order[begins[k] : begins[k + 1]]
        if simple:
            if (skin.volumes[k] < 0) != bool(hollow[k]):
                found.append(own)
            continue
        for sheet in _sheets(skin.cells, own):
            cells, side, is_closed = sheet
            right = _right_side(skin, cells, side, is_closed, bool(hollow[k]), around)
            if right:
                found.append(cells[side != right])
    return np.sort(np.concatenate(found)) if found else NONE


def _hollows(skin: Skin, order: np.ndarray, begins: np.ndarray) -> np.ndarray:
    """For each piece, whether it lies within the matter of another closed piece of the mesh, and so ought to face inward."""
    count = len(skin.closed)
    out = np.zeros(count, bool)
    if not 1 < count <= MOST_PIECES:
        return out
    low = np.minimum.reduceat(skin.points[skin.cells[order]].min(1), begins[:-1])
    high = np.maximum.reduceat(skin.points[skin.cells[order]].max(1), begins[:-1])
    for k in range(count):
        others = np.flatnonzero(skin.closed & (low < low[k]).all(1) & (high > high[k]).all(1))
        if len(others):
            start = skin.points[skin.cells[order[begins[k]], 0]]
            within = [_crossings(skin, order[begins[j] : begins[j + 1]], start) % 2 for j in others]
            out[k] = sum(within) % 2 == 1
    return out


def _crossings(skin: Skin, cells: np.ndarray, start: np.ndarray, along=(0.36, 0.48, 0.8)) -> int:
    """How often a ray from a place goes through triangles."""
    p = skin.points[skin.cells[cells]]
    d = np.array(along)
    e1, e2 = p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]
    h = np.cross(d, e2)
    a = (e1 * h).sum(1)
    f = np.divide(1.0, a, out=np.zeros_like(a), where=a != 0)
    s = start - p[:, 0]
    u = f * (s * h).sum(1)
    q = np.cross(s, e1)
    v = f * (q @ d)
    t = f * (e2 * q).sum(1)
    return int(((a != 0) & (u >= 0) & (v >= 0) & (u + v <= 1) & (t > 0)).sum())


def _sheets(cells: np.ndarray, own: np.ndarray) -> list[tuple[np.ndarray, np.ndarray, bool]]:
    """What of a piece hangs together by edges with two triangles: its triangles, 1 or -1 for each by which way it faces, whether it has no rim."""
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import breadth_first_order

    local = cells[own]
    count = len(own)
    a, b = local[:, [0, 1, 2]].ravel(), local[:, [1, 2, 0]].ravel()
    low, high = np.minimum(a, b), np.maximum(a, b)
    key = low * (int(local.max()) + 1) + high
    order = np.argsort(key, kind="stable")
    begins = np.flatnonzero(np.concatenate([[True], key[order][1:] != key[order][:-1]]))
    many = np.diff(np.concatenate([begins, [len(order)]]))
    pairs = begins[(many == 2)]
    first, second = order[pairs], order[pairs + 1]
    proper = low[first] != high[first]
    first, second = first[proper], second[proper]
    alike = np.where(a[first] == a[second], -1, 1)
    t1, t2 = first // 3, second // 3
    graph = coo_matrix((np.ones(2 * len(t1), np.int8), (np.concatenate([t1, t2]), np.concatenate([t2, t1]))), (count, count)).tocsr()
    label = pieces_between(count, t1, t2)
    groups = int(label.max()) + 1
    signs = coo_matrix((np.concatenate([alike, alike]), (np.concatenate([t1, t2]), np.concatenate([t2, t1]))), (count, count)).tocsr()
    side = np.ones(count, np.int64)
    odd_edges = np.concatenate([order[begins[many == 1]], order[np.repeat(many > 2, many)]])
    rimmed = np.zeros(groups, bool)
    rimmed[label[odd_edges // 3]] = True
    out = []
    sorted_cells = np.argsort(label, kind="stable")
    starts = np.searchsorted(label[sorted_cells], np.arange(groups + 1))
    for g in range(groups):
        members = sorted_cells[starts[g] : starts[g + 1]]
        if (alike < 0).any() and len(members) > 1:
            reached, before = breadth_first_order(graph, int(members[0]), directed=False)
            for cell in reached[1:]:
                side[cell] = side[before[cell]] * (1 if signs[cell, before[cell]] > 0 else -1)
        out.append((own[members], side[members], not rimmed[g]))
    return out


def _right_side(skin: Skin, cells: np.ndarray, side: np.ndarray, is_closed: bool, hollow: bool, around: Rays | None) -> int:
    """Which of the two sides, 1 or -1, faces as it ought; 0 when nobody can tell and all are alike."""
    p = skin.points[skin.cells[cells]]
    cross = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    if is_closed:
        volume = float(((p[:, 0] - p[0, 0]) * cross).sum(1) @ side)
        if abs(volume) > 1e-9 * skin.size**3:
            return 1 if (volume > 0) != hollow else -1
    area = np.linalg.norm(cross, axis=1)
    if around is not None and area.sum() > 0:
        seen = _seen_more(p, cross, area, side, around)
        if seen:
            return seen
    inside = float(area[side > 0].sum()) - float(area[side < 0].sum())
    return (1 if inside > 0 else -1) if (side < 0).any() and abs(inside) > 1e-9 * area.sum() else 0


def _seen_more(p: np.ndarray, cross: np.ndarray, area: np.ndarray, side: np.ndarray, around: Rays) -> int:
    """The side that sees clearly more of the sky: 1 or -1, else 0."""
    generator = np.random.default_rng(7)
    chosen = generator.choice(len(p), VOTES, p=area / area.sum())
    weights = generator.dirichlet((1.0, 1.0, 1.0), VOTES)
    at = (p[chosen] * weights[:, :, None]).sum(1)
    normal = cross[chosen] / np.maximum(np.linalg.norm(cross[chosen], axis=1, keepdims=True), 1e-30) * side[chosen][:, None]
    open_front = around.sees_sky(at, normal, generator, 8)
    open_back = around.sees_sky(at, -normal, generator, 8)
    more = float(open_front.mean() - open_back.mean())
    return 1 if more > CLEARLY else -1 if more < -CLEARLY else 0


def _connected(skin: Skin, cells: np.ndarray) -> list[np.ndarray]:
    """Triangles by which of them touch one another."""
    if len(cells) == len(skin.cells) and len(skin.closed) == 1:
        return [cells]
    _, flat = np.unique(skin.cells[cells], return_inverse=True)
    corner = flat.reshape(-1, 3)
    label = pieces_between(int(corner.max()) + 1, corner[:, [0, 1]].ravel(), corner[:, [1, 2]].ravel())[corner[:, 0]]
    return [cells[label == k] for k in np.unique(label)]


# rims


def _openings(skin: Skin) -> list[Flaw]:
    """Gaps between rims, and holes: what is left of the rims when gaps, flat sheets and outlines are taken out."""
    lines = chains(skin.rims)
    ends = skin.points[skin.rims]
    widths, beside = _gap_widths(skin, ends)
    edge_at = {(int(a), int(b)): k for k, (a, b) in enumerate(skin.rims)}
    lengths = np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1)
    edges_of = [
        np.array([edge_at[(int(a), int(b))] for a, b in zip(line, np.roll(line, -1) if closed else line[1:]) if (int(a), int(b)) in edge_at], int)
        for line, closed in lines
    ]
    whose = np.full(len(skin.rims), -1)
    for k, edges in enumerate(edges_of):
        whose[edges] = k
    for k, ((_, closed), edges) in enumerate(zip(lines, edges_of)):  # a hole that is narrow somewhere is a hole, and so is where a face is missing
        near = np.isfinite(widths[edges])
        own = near & (whose[beside[edges]] == k)
        if closed and (own.any() and len(edges) <= FACE or lengths[edges][near].sum() < MOSTLY * lengths[edges].sum()):
            widths[edges] = np.inf
    out: list[Flaw] = []
    taken = np.zeros(len(skin.rims), bool)
    gaps = np.flatnonzero(np.isfinite(widths))
    for run in _runs(skin, gaps):
        width = float(widths[run].max())
        taken[run] = True
        if width > 2 * WELD * skin.size:
            out.append(Flaw("open", width, np.unique(skin.rim_cells[run]), skin.points[skin.rims[run]].reshape(-1, 3), False))
    for (line, closed), edges in zip(lines, edges_of):
        if not len(edges) or taken[edges].any() or not closed:
            continue
        points = skin.points[line]
        kind, size = _kind_of_loop(skin, points, edges)
        if kind:
            out.append(Flaw(kind, size, skin.rim_cells[edges], points))
    return out


def chains(rims: np.ndarray) -> list[tuple[np.ndarray, bool]]:
    """Edges (k, 2) as lines of points, each with whether it comes back to where it began. At a point with several ways on, each way is one line."""
    after: dict[int, list[int]] = {}
    for a, b in rims.tolist():
        after.setdefault(a, []).append(b)
    incoming: dict[int, int] = {}
    for _, b in rims.tolist():
        incoming[b] = incoming.get(b, 0) + 1
    out = []
    begins = [a for a in after if incoming.get(a, 0) == 0] + list(after)
    for begin in begins:
        while after.get(begin):
            line, place = [begin], {begin: 0}
            at = begin
            while after.get(at):
                at = after[at].pop()
                if at in place:  # a loop closes: it is one line, what led to it goes on
                    loop = line[place[at] :]
                    out.append((np.array(loop), True))
                    for gone in loop[1:]:
                        del place[gone]
                    line = line[: place[at] + 1]
                    continue
                place[at] = len(line)
                line.append(at)
            if len(line) > 1:
                out.append((np.array(line), False))
    return out


def _gap_widths(skin: Skin, ends: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """(k,) how far each rim edge is from another that runs the other way beside it, mm, infinite where there is none near; and which that is."""
    from scipy.spatial import cKDTree

    middle = ends.mean(1)
    along = ends[:, 1] - ends[:, 0]
    length = np.linalg.norm(along, axis=1)
    along = along / np.maximum(length, 1e-30)[:, None]
    reach = GAP * skin.size
    step = max(reach, float(np.median(length)) / 2, 1e-12)
    # points along every edge, so that edges of unlike lengths find one another
    counts = np.minimum(64, np.maximum(1, np.ceil(length / step).astype(int)))
    owner = np.repeat(np.arange(len(ends)), counts)
    share = (np.arange(len(owner)) - np.repeat(np.cumsum(counts) - counts, counts) + 0.5) / np.repeat(counts, counts)
    places = ends[owner, 0] + share[:, None] * (ends[owner, 1] - ends[owner, 0])
    tree = cKDTree(places)
    widths, beside = np.full(len(ends), np.inf), np.arange(len(ends))
    near = tree.query_ball_point(middle, reach + step)
    for k, candidates in enumerate(near):
        others = np.unique(owner[candidates])
        others = others[(others != k) & ~np.isin(skin.rims[others], skin.rims[k]).any(1)]
        others = others[(along[others] @ along[k]) < -0.7]
        if len(others):
            t = np.clip(((middle[k] - ends[others, 0]) * along[others]).sum(1), 0, length[others])
            distance = np.linalg.norm(ends[others, 0] + t[:, None] * along[others] - middle[k], axis=1)
            best = int(distance.argmin())
            if distance[best] <= reach:
                widths[k], beside[k] = distance[best], others[best]
    return widths, beside


def _runs(skin: Skin, edges: np.ndarray) -> list[np.ndarray]:
    """Gap edges by which gap they belong to: those that touch, and those that lie opposite."""
    if not len(edges):
        return []
    from scipy.spatial import cKDTree

    ends = skin.points[skin.rims[edges]]
    length = np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1)
    points = np.concatenate([ends[:, 0], ends[:, 1], ends.mean(1)])
    owner = np.tile(np.arange(len(edges)), 3)
    pairs = cKDTree(points).query_pairs(GAP * skin.size + float(length.max()) * 0.5, output_type="ndarray")
    links = owner[pairs] if len(pairs) else np.zeros((0, 2), np.int64)
    label = pieces_between(len(edges), links[:, 0], links[:, 1])
    return [edges[label == k] for k in range(label.max() + 1)]


def loop_area(points: np.ndarray) -> tuple[float, np.ndarray, float]:
    """Area of a loop's flat shape, the unit vector square to it (against the sense of the rim, as a lid would face), and how far it is from flat."""
    middle = points.mean(0)
    around = np.roll(points, -1, 0) - middle
    vector = np.cross(points - middle, around).sum(0) / 2
    area = float(np.linalg.norm(vector))
    normal = -vector / max(area, 1e-30)
    return area, normal, float(np.abs((points - middle) @ normal).max())


def _kind_of_loop(skin: Skin, points: np.ndarray, edges: np.ndarray) -> tuple[str, float]:
    """Whether a loop is a hole, a gap or nothing to speak of, and its size."""
    area, normal, off = loop_area(points)
    around = float(np.linalg.norm(np.roll(points, -1, 0) - points, axis=1).sum())
    if around <= 0:
        return "", 0.0
    own = skin.piece == skin.piece[skin.rim_cells[edges[0]]]
    p = skin.points[skin.cells[own]]
    flat = np.abs((p.reshape(-1, 3) - points.mean(0)) @ normal).max() < 1e-3 * skin.size
    if flat or area > SHEET * float(skin.areas[own].sum()):
        return "", 0.0  # a sheet has an outline, and its windows are meant
    breadth = 2 * area / around  # half the breadth of a long opening goes on each side
    if area < 1e-12 * skin.size**2:
        return "", 0.0
    if len(points) > FACE and 2 * breadth < SLIT * around and breadth < GAP * skin.size:
        return "open", breadth
    return "hole", extent(points)
