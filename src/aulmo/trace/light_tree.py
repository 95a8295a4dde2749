"""Choosing one lamp among many: a tree whose nodes promise how much light they can send to a point.

Reference: Conty Estevez & Kulla 2018, "Importance sampling of many lights with adaptive tree splitting" (bounding cones; here
without splitting, so a choice costs the logarithm of the number of lamps).
"""

import math

import numpy as np

from aulmo.surface.colour import LUMINANCE
from aulmo.trace import arrays as a
from aulmo.trace.arrays import (
    NODE_AXIS,
    NODE_CENTRE,
    NODE_LAMP,
    NODE_LEFT,
    NODE_POWER,
    NODE_RADIUS,
    NODE_REACH,
    NODE_RIGHT,
    NODE_SPREAD,
)
from aulmo.trace.jit import inlined, kernel


def _cone_of_both(one: tuple, other: tuple) -> tuple:
    """Smallest (axis, half angle) that holds two cones."""
    (axis, spread), (axis2, spread2) = (one, other) if one[1] >= other[1] else (other, one)
    between = math.acos(float(np.clip(axis @ axis2, -1.0, 1.0)))
    if min(between + spread2, math.pi) <= spread:
        return axis, spread
    half = 0.5 * (spread + between + spread2)
    if half >= math.pi:
        return axis, math.pi
    turn = half - spread
    across = axis2 - (axis @ axis2) * axis
    length = np.linalg.norm(across)
    if length < 1e-9:
        return axis, math.pi
    return axis * math.cos(turn) + across / length * math.sin(turn), half


def _leaf(row: np.ndarray, emit_corners: np.ndarray) -> tuple:
    """(low, high, power, (axis, spread), reach) of one lamp."""
    kind = int(row[a.LAMP_KIND])
    centre = row[a.LAMP_POSITION : a.LAMP_POSITION + 3]
    axis = row[a.LAMP_N : a.LAMP_N + 3].copy()
    size = row[a.LAMP_SIZE]
    bright = float(LUMINANCE @ row[a.LAMP_RGB : a.LAMP_RGB + 3])
    spread, reach = 0.0, 0.5 * math.pi
    if kind == a.MESH:
        corners = emit_corners[int(row[a.LAMP_FIRST]) : int(row[a.LAMP_LAST])].reshape(-1, 3)
        return corners.min(0), corners.max(0), bright * row[a.LAMP_AREA] * 2 * math.pi, (axis, math.pi), reach
    if kind == a.RECTANGLE:
        half = np.abs(row[a.LAMP_U : a.LAMP_U + 3]) * size + np.abs(row[a.LAMP_V : a.LAMP_V + 3]) * row[a.LAMP_SIZE_2]
    elif kind == a.DISC:
        half = size * np.sqrt(np.maximum(0.0, 1 - axis * axis))
    elif kind == a.TUBE:
        half = np.abs(axis) * row[a.LAMP_SIZE_2] + size
    else:
        half = np.full(3, size if kind == a.SPHERE else 0.0)
    power = bright * (math.pi * row[a.LAMP_AREA] if row[a.LAMP_AREA] > 0 else 4 * math.pi * 1e6)  # all in nits times square mm
    if kind in (a.SPHERE, a.TUBE, a.POINT):
        spread = math.pi
    if row[a.LAMP_COS_EDGE] > -1.0:
        spread, reach = 0.0, math.acos(row[a.LAMP_COS_EDGE])
    return centre - half, centre + half, power, (axis, spread), reach


def build_tree(lamps: np.ndarray, rows: list[int], emit_corners: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Tree over the lamps in `rows`.

    Returns
    -------
    nodes : (n, NODE_COLUMNS), the root first. trail : (l,) int64, one bit for each turn from the root to a lamp, 1 for right. depth : (l,)
    int32, -1 for lamps outside the tree.
    """
    trail, depth = np.zeros(len(lamps), np.int64), np.full(len(lamps), -1, np.int32)
    nodes: list[np.ndarray] = []
    leaves = {k: _leaf(lamps[k], emit_corners) for k in rows}

    def grow(which: list[int], bits: int, level: int) -> tuple:
        index = len(nodes)
        nodes.append(np.zeros(a.NODE_COLUMNS))
        if len(which) == 1:
            bound = leaves[which[0]]
            trail[which[0]], depth[which[0]] = bits, level
            nodes[index][NODE_LAMP] = which[0]
        else:
            centres = np.array([0.5 * (leaves[k][0] + leaves[k][1]) for k in which])
            axis = int(np.argmax(np.ptp(centres, axis=0)))
            order = np.argsort(centres[:, axis], kind="stable")
            half = len(which) // 2
            nodes[index][NODE_LAMP] = -1
            nodes[index][NODE_LEFT] = len(nodes)
            one = grow([which[k] for k in order[:half]], bits, level + 1)
            nodes[index][NODE_RIGHT] = len(nodes)
            other = grow([which[k] for k in order[half:]], bits | (1 << level), level + 1)
            bound = (
                np.minimum(one[0], other[0]), np.maximum(one[1], other[1]), one[2] + other[2],
                _cone_of_both(one[3], other[3]), max(one[4], other[4]),
            )  # fmt: skip
        low, high, power, (cone, spread), reach = bound
        node = nodes[index]
        node[NODE_CENTRE : NODE_CENTRE + 3] = 0.5 * (low + high)
        node[NODE_RADIUS] = 0.5 * float(np.linalg.norm(high - low))
        node[NODE_POWER], node[NODE_AXIS : NODE_AXIS + 3], node[NODE_SPREAD], node[NODE_REACH] = power, cone, math.cos(spread), math.cos(reach)
        return bound

    if rows:
        grow(list(rows), 0, 0)
    return np.array(nodes).reshape(-1, a.NODE_COLUMNS), trail, depth


@inlined
def _promise(nodes, k, px, py, pz, nx, ny, nz):
    """How much light a node can send to a point whose normal is n (zero when light may come from anywhere)."""
    x, y, z = nodes[k, NODE_CENTRE] - px, nodes[k, NODE_CENTRE + 1] - py, nodes[k, NODE_CENTRE + 2] - pz
    radius = nodes[k, NODE_RADIUS]
    d2 = x * x + y * y + z * z
    power = nodes[k, NODE_POWER]
    if d2 <= radius * radius or d2 < 1e-18:
        return power / max(1e-18, radius * radius)
    distance = math.sqrt(d2)
    inverse = 1.0 / distance
    sine_ball = radius * inverse
    cos_ball = math.sqrt(1.0 - sine_ball * sine_ball)
    facing = 1.0
    if nx != 0.0 or ny != 0.0 or nz != 0.0:
        cosine = (nx * x + ny * y + nz * z) * inverse
        # cosine of the incidence less the ball's half angle, at best 1
        facing = 1.0 if cosine >= cos_ball else cosine * cos_ball + math.sqrt(max(0.0, 1.0 - cosine * cosine)) * sine_ball
        if facing <= 0.0:
            return 0.0
    spread = nodes[k, NODE_SPREAD]
    if spread > -1.0:
        # the angle off the axis less the cone's and the ball's, each taken off by the sums of sines and cosines
        cosine = -(nodes[k, NODE_AXIS] * x + nodes[k, NODE_AXIS + 1] * y + nodes[k, NODE_AXIS + 2] * z) * inverse
        if cosine < spread:
            sine = math.sqrt(max(0.0, 1.0 - cosine * cosine))
            sine_spread = math.sqrt(1.0 - spread * spread)
            cosine, sine = cosine * spread + sine * sine_spread, sine * spread - cosine * sine_spread
            if cosine < cos_ball:
                cosine = cosine * cos_ball + sine * sine_ball
                if cosine <= nodes[k, NODE_REACH]:
                    return 0.0
                facing *= cosine
    return power * facing / d2


@kernel
def pick_lamp(nodes, px, py, pz, nx, ny, nz, u):
    """A lamp for a point, in proportion to what the nodes promise.

    Returns (lamp row or -1, chance of it, what is left of `u` as a fresh number in [0, 1)).
    """
    k = 0
    chance = 1.0
    while nodes[k, NODE_LAMP] < 0.0:
        left, right = int(nodes[k, NODE_LEFT]), int(nodes[k, NODE_RIGHT])
        a_left = _promise(nodes, left, px, py, pz, nx, ny, nz)
        a_right = _promise(nodes, right, px, py, pz, nx, ny, nz)
        total = a_left + a_right
        if total <= 0.0:
            return -1, 0.0, u
        p = a_left / total
        if u < p:
            u = u / p
            chance *= p
            k = left
        else:
            u = min(0.999999999, (u - p) / (1.0 - p))
            chance *= 1.0 - p
            k = right
    return int(nodes[k, NODE_LAMP]), chance, u


@kernel
def lamp_chance(nodes, trail, depth, px, py, pz, nx, ny, nz):
    """Chance with which `pick_lamp` picks the lamp at the end of a trail."""
    if depth < 0:
        return 0.0
    k = 0
    chance = 1.0
    for level in range(depth):
        left, right = int(nodes[k, NODE_LEFT]), int(nodes[k, NODE_RIGHT])
        a_left = _promise(nodes, left, px, py, pz, nx, ny, nz)
        a_right = _promise(nodes, right, px, py, pz, nx, ny, nz)
        total = a_left + a_right
        if total <= 0.0:
            return 0.0
        if (trail >> level) & 1:
            chance *= a_right / total
            k = right
        else:
            chance *= a_left / total
            k = left
    return chance
