"""The faces of a net: what its lines close round, which lies on either side of each line, and which are windows."""

from typing import NamedTuple

import numpy as np

from aulmo.prepare.carton.clean import Net

SMALLEST_MM2 = 0.5  # a face with less is none


class Faces(NamedTuple):
    """Of a net: each face's rings (the outer one against the clock, then holes) by the numbers of points, areas in mm², its piece of the net; the
    faces left and right of each line, -1 for none; and the piece of the net that each line belongs to."""

    net: Net
    rings: list[list[list[int]]]
    areas: list[float]
    part: list[int]
    sides: list[tuple[int, int]]
    line_part: list[int]

    def polygon(self, face: int):
        """A face as a shapely polygon."""
        from shapely import Polygon

        outer, *holes = (self.net.points[ring] for ring in self.rings[face])
        return Polygon(outer, holes)

    def windows(self) -> set[int]:
        """Faces that are cut out: what lies wholly within another piece of the drawing, and what creases run across to go on beyond."""
        inner = {part for part, face in _holders(self).items() if face >= 0}
        found = {k for k, part in enumerate(self.part) if part in inner}
        return found | {k for k in range(len(self.rings)) if k not in found and self._run_across(k)}

    def _run_across(self, face: int) -> bool:
        """Whether a line between two panels that ends at the face's rim goes on, straight across it, between the same two."""
        from shapely import LineString

        mine = self.rings[face][0]
        on = set(mine)
        edge = {frozenset(pair) for pair in zip(mine, [*mine[1:], mine[0]])}
        arriving = []
        for line, sides in zip(self.net.lines, self.sides):
            for a, b in ((line.points[0], line.points[1]), (line.points[-1], line.points[-2])) if -1 not in sides else ():
                if a in on and frozenset((a, b)) not in edge:
                    way = self.net.points[a] - self.net.points[b]
                    arriving.append((a, way / max(1e-12, float(np.hypot(*way))), frozenset(sides)))
        if len(arriving) < 2:
            return False
        shape = None
        for k, (a, u, between) in enumerate(arriving):
            for b, v, others in arriving[:k]:
                if between != others:
                    continue
                to = self.net.points[b] - self.net.points[a]
                length = float(np.hypot(*to))
                if a == b or length < 1.0 or float(u @ v) > -0.9998 or float(to @ u) < 0.9998 * length:
                    continue
                shape = shape if shape is not None else self.polygon(face).buffer(-0.05)
                if shape.covers(LineString([self.net.points[a] + 0.1 * to, self.net.points[b] - 0.1 * to])):
                    return True
        return False


def faces_of(net: Net) -> Faces:
    """The faces of a net."""
    import shapely

    edges = [(a, b) for line in net.lines for a, b in zip(line.points, line.points[1:])]
    used = sorted({v for pair in edges for v in pair})
    part = _parts(net)
    number = {tuple(net.points[v].tolist()): v for v in used}
    found = shapely.polygonize(shapely.linestrings(net.points[np.array(edges)]))
    rings: list[list[list[int]]] = []
    areas: list[float] = []
    left: dict[tuple[int, int], int] = {}
    for polygon in shapely.get_parts(found):
        polygon = shapely.orient_polygons(polygon)
        if polygon.area < SMALLEST_MM2:
            continue
        own = [[number[tuple(p)] for p in shapely.get_coordinates(ring).tolist()[:-1]] for ring in (polygon.exterior, *polygon.interiors)]
        for ring in own:
            for a, b in zip(ring, [*ring[1:], ring[0]]):
                left[a, b] = len(rings)
        rings.append(own)
        areas.append(float(polygon.area))
    sides = [(left.get((line.points[0], line.points[1]), -1), left.get((line.points[1], line.points[0]), -1)) for line in net.lines]
    return Faces(net, rings, areas, [part[ring[0][0]] for ring in rings], sides, [part[line.points[0]] for line in net.lines])


def _parts(net: Net) -> dict[int, int]:
    """The piece of the net that each point hangs together with."""
    above: dict[int, int] = {}

    def top(v: int) -> int:
        while above.setdefault(v, v) != v:
            above[v] = above[above[v]]
            v = above[v]
        return v

    for line in net.lines:
        first = top(line.points[0])
        for v in line.points[1:]:
            above[top(v)] = first
    return {v: top(v) for v in list(above)}


def _holders(faces: Faces) -> dict[int, int]:
    """For each piece of the net the face of another piece that it lies in, or -1."""
    from shapely import Point, STRtree, get_exterior_ring, polygons

    shapes = [faces.polygon(k) for k in range(len(faces.rings))]
    if not shapes:
        return {}
    filled = polygons([get_exterior_ring(s) for s in shapes])
    tree = STRtree(filled)
    places: dict[int, np.ndarray] = {}
    for line, part in zip(faces.net.lines, faces.line_part):
        places.setdefault(part, faces.net.points[line.points[0]])
    found = {}
    for part, place in places.items():
        inside = [int(k) for k in tree.query(Point(place), predicate="within") if faces.part[int(k)] != part]
        found[part] = min(inside, key=lambda k: filled[k].area, default=-1)
    return found


def pieces_of(faces: Faces) -> tuple[list[set[int]], set[int]]:
    """The drawings of a file, the largest first, each as the pieces of the net that belong to it; and the pieces that are a frame round them. What
    closes round nothing and stands alone belongs to none."""
    holders = _holders(faces)
    count: dict[int, int] = {}
    area: dict[int, float] = {}
    for k, part in enumerate(faces.part):
        count[part] = count.get(part, 0) + 1
        area[part] = area.get(part, 0.0) + faces.areas[k]
    frames: set[int] = set()
    while True:
        inner: dict[int, list[int]] = {}
        for part, face in holders.items():
            if face >= 0 and faces.part[face] not in frames:
                inner.setdefault(faces.part[face], []).append(part)
        fresh = {p for p, held in inner.items() if p not in frames and any(count.get(h, 0) > max(2, count.get(p, 0)) for h in held)}
        if not fresh:
            break
        frames |= fresh

    def outermost(part: int) -> int:
        face = holders.get(part, -1)
        while face >= 0:
            owner = faces.part[face]
            if owner in frames:
                return part
            part, face = owner, holders.get(owner, -1)
        return part

    groups: dict[int, set[int]] = {}
    for part in holders:
        if part not in frames:
            groups.setdefault(outermost(part), set()).add(part)
    found = [(area.get(top, 0.0), parts) for top, parts in groups.items() if count.get(top, 0) > 0]
    return [parts for _, parts in sorted(found, key=lambda one: -one[0])], frames
