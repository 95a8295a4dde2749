"""Triangles of simple solids, with exact normals and a face number for every smooth side."""

import math
from typing import NamedTuple, Sequence

import numpy as np

from aulmo.document.meshes import Mesh, joined

ARC_STEPS = 6  # of a rounded edge
FINEST_MM, FEWEST, MOST = 0.02, 48, 256  # chord of a circle and how many sides it has


class Line(NamedTuple):
    """A stretch of a profile: points (n, 2) as radius and height, normals (n, 2), the number of its face."""

    points: np.ndarray
    normals: np.ndarray
    face: int


def sides_of(radius: float) -> int:
    """How many sides a circle of a radius in mm needs."""
    step = 2.0 * math.acos(max(-1.0, 1.0 - FINEST_MM / max(radius, FINEST_MM)))
    return int(min(MOST, max(FEWEST, 4 * math.ceil(0.5 * math.pi / max(step, 1e-3)))))


def grid(points: np.ndarray, normals: np.ndarray, face: int) -> Mesh:
    """The mesh of (rows, columns, 3) points; triangles face as (row, column) turns. Those without an area are left out."""
    rows, columns = points.shape[:2]
    i = (np.arange(rows - 1)[:, None] * columns + np.arange(columns - 1)).reshape(-1)
    triangles = np.concatenate([np.stack([i, i + columns, i + columns + 1], 1), np.stack([i, i + columns + 1, i + 1], 1)])
    flat = points.reshape(-1, 3)
    p = flat[triangles]
    area = np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1)
    triangles = triangles[area > 1e-9]
    return Mesh(
        flat.astype(np.float32), normals.reshape(-1, 3).astype(np.float32), triangles.astype(np.uint32), np.full(len(triangles), face, np.int32)
    )


def sheet(width: float, depth: float, face: int = 0) -> Mesh:
    """A flat rectangle that faces up."""
    x, y = np.array([-width / 2, width / 2]), np.array([-depth / 2, depth / 2])
    points = np.stack([*np.meshgrid(x, y, indexing="ij"), np.zeros((2, 2))], -1)
    return grid(points, np.broadcast_to([0.0, 0.0, 1.0], points.shape), face)


def box(width: float, depth: float, height: float, bevel: float = 0.0) -> Mesh:
    """A block about its middle, its edges rounded by `bevel`: faces 0..5 are -x, +x, -y, +y, -z, +z."""
    half = np.array([width, depth, height]) / 2
    bevel = _worth_it(min(bevel, float(half.min())), float(2 * half.max()))
    arc = bevel * np.tan(np.linspace(math.pi / 4, 0, ARC_STEPS + 1)) if bevel > 0 else np.zeros(1)
    lines = []
    for h in half:  # even angles along a rounded edge, then across the flat
        low = -(h - bevel) - arc
        lines.append(np.concatenate([low, -low[::-1]]) if bevel < h else np.concatenate([low, -low[-2::-1]]))
    pieces = []
    for axis in range(3):
        u, v = (axis + 1) % 3, (axis + 2) % 3
        for sign in (-1.0, 1.0):
            a, b = lines[u], lines[v] if sign > 0 else lines[v][::-1]
            p = np.zeros((len(a), len(b), 3))
            p[..., u], p[..., v], p[..., axis] = a[:, None], b[None, :], sign * half[axis]
            inner = np.clip(p, -(half - bevel), half - bevel)
            n = p - inner
            if bevel > 0:
                n /= np.linalg.norm(n, axis=-1, keepdims=True)
                p = inner + bevel * n
            else:
                n[..., axis] = sign
            pieces.append(grid(p, n, 2 * axis + (sign > 0)))
    return joined(pieces)


def _worth_it(bevel: float, size: float) -> float:
    """A rounding that can be told from a sharp edge on something of a size, in single precision too, or none."""
    return bevel if bevel > max(1e-3, 1e-5 * size) else 0.0


def arc(radius: float, at: tuple[float, float], start: float, end: float, face: int) -> Line:
    """A round stretch of a profile: degrees from the radius axis upward."""
    t = np.radians(np.linspace(start, end, ARC_STEPS + 1))
    way = np.stack([np.cos(t), np.sin(t)], 1)
    return Line(np.array(at) + radius * way, way, face)


def straight(a: tuple[float, float], b: tuple[float, float], face: int) -> Line:
    """A straight stretch of a profile; outward is to the right of the way from a to b."""
    way = np.array(b, float) - np.array(a, float)
    length = float(np.hypot(*way))
    normal = np.array([way[1], -way[0]]) / max(length, 1e-30)
    return Line(np.array([a, b], float), np.tile(normal, (2, 1)), face)


def turned(profile: Sequence[Line], sides: int) -> Mesh:
    """A profile turned about the z axis. It runs so that outward is to its right."""
    angle = np.linspace(0, 2 * np.pi, sides + 1)
    c, s = np.cos(angle), np.sin(angle)
    pieces = []
    for line in profile:
        if np.abs(np.diff(line.points, axis=0)).max(initial=0.0) < 1e-9:
            continue
        r, z = line.points[:, 0], line.points[:, 1]
        nr, nz = line.normals[:, 0], line.normals[:, 1]
        points = np.stack([np.outer(c, r), np.outer(s, r), np.tile(z, (sides + 1, 1))], -1)
        normals = np.stack([np.outer(c, nr), np.outer(s, nr), np.tile(nz, (sides + 1, 1))], -1)
        pieces.append(grid(points, normals, line.face))
    return joined(pieces)


def cylinder(radius: float, height: float, bevel: float = 0.0) -> Mesh:
    """Standing on z = 0: faces 0 bottom, 1 side, 2 top, 3 and 4 its rounded edges."""
    b = _worth_it(min(bevel, radius, height / 2), max(2 * radius, height))
    lines = [straight((0, 0), (radius - b, 0), 0)]
    if b > 0:
        lines.append(arc(b, (radius - b, b), -90, 0, 3))
    lines.append(straight((radius, b), (radius, height - b), 1))
    if b > 0:
        lines.append(arc(b, (radius - b, height - b), 0, 90, 4))
    lines.append(straight((radius - b, height), (0, height), 2))
    return turned(lines, sides_of(radius))


def cone(radius: float, top: float, height: float) -> Mesh:
    """Standing on z = 0, narrowing to `top`: faces 0 bottom, 1 side, 2 top."""
    lines = [straight((0, 0), (radius, 0), 0), straight((radius, 0), (top, height), 1)]
    if top > 0:
        lines.append(straight((top, height), (0, height), 2))
    return turned(lines, sides_of(max(radius, top)))


def tube(radius: float, thickness: float, height: float, bevel: float = 0.0) -> Mesh:
    """A pipe on z = 0: faces 0 bottom, 1 outside, 2 top, 3 inside, 4 to 7 its rounded edges."""
    wall = min(thickness, 0.999 * radius)
    inner = radius - wall
    b = _worth_it(min(bevel, wall / 2, height / 2), max(2 * radius, height))
    lines = [straight((inner + b, 0), (radius - b, 0), 0)]
    if b > 0:
        lines.append(arc(b, (radius - b, b), -90, 0, 4))
    lines.append(straight((radius, b), (radius, height - b), 1))
    if b > 0:
        lines.append(arc(b, (radius - b, height - b), 0, 90, 5))
    lines.append(straight((radius - b, height), (inner + b, height), 2))
    if b > 0:
        lines.append(arc(b, (inner + b, height - b), 90, 180, 6))
    lines.append(straight((inner, height - b), (inner, b), 3))
    if b > 0:
        lines.append(arc(b, (inner + b, b), 180, 270, 7))
    return turned(lines, sides_of(radius))


def sphere(radius: float) -> Mesh:
    """Standing on z = 0."""
    t = np.radians(np.linspace(-90, 90, sides_of(radius) // 2 + 1))
    way = np.stack([np.cos(t), np.sin(t)], 1)
    way[0], way[-1] = (0, -1), (0, 1)
    return turned([Line(way * radius + [0, radius], way, 0)], sides_of(radius))


def torus(radius: float, thickness: float) -> Mesh:
    """A ring that lies on z = 0: `radius` to the middle of its round section, which is `thickness` across."""
    r = min(thickness / 2, 0.999 * radius)
    t = np.linspace(0, 2 * np.pi, sides_of(r) + 1)
    way = np.stack([np.cos(t), np.sin(t)], 1)
    return turned([Line(way * r + [radius, r], way, 0)], sides_of(radius + r))


def cove(width: float, depth: float, height: float, bend: float) -> Mesh:
    """A floor that curves up into a wall at the back (+y): faces 0 floor, 1 bend, 2 wall. The floor's middle is at the origin."""
    bend = min(bend, depth, height)
    back = depth / 2
    t = np.linspace(0, np.pi / 2, 65)
    runs = [
        (np.array([[-back, 0.0], [back - bend, 0.0]]), np.tile([0.0, 1.0], (2, 1))),
        (np.stack([back - bend + bend * np.sin(t), bend - bend * np.cos(t)], 1), np.stack([-np.sin(t), np.cos(t)], 1)),
        (np.array([[back, bend], [back, height]]), np.tile([-1.0, 0.0], (2, 1))),
    ]
    pieces = []
    for face, (line, normal) in enumerate(runs):
        if np.abs(line[-1] - line[0]).max() < 1e-9:
            continue
        points = np.stack([np.stack([np.full(len(line), x), line[:, 0], line[:, 1]], 1) for x in (-width / 2, width / 2)])
        normals = np.tile(np.stack([np.zeros(len(line)), normal[:, 0], normal[:, 1]], 1), (2, 1, 1))
        pieces.append(grid(points, normals, face))
    return joined(pieces)


def moved(mesh: Mesh, x: float = 0.0, y: float = 0.0, z: float = 0.0) -> Mesh:
    """A mesh elsewhere."""
    return mesh._replace(vertices=(mesh.vertices + np.array([x, y, z], np.float32)).astype(np.float32))
