"""Choosing one lamp among many: a tree whose nodes promise how much light they can send to a point.

Every node has up to eight children, whose promises are worked out side by side in vector code.

References: Conty Estevez & Kulla 2018, "Importance sampling of many lights with adaptive tree splitting" (bounding cones; here
without splitting, so a choice costs the logarithm of the number of lamps); Tokuyoshi et al. 2024, "Hierarchical light sampling with
accurate spherical Gaussian lighting" (the idea that a node's promise counts the surface's glossy lobe, widened by the node; here the
lobe is GGX's own).
"""

import math

import numpy as np

from aulmo.surface.colour import LUMINANCE
from aulmo.trace.compile import arrays as a
from aulmo.trace.compile.arrays import (
    NODE_AXIS,
    NODE_CENTRE,
    NODE_CHILD,
    NODE_POWER,
    NODE_RADIUS,
    NODE_REACH,
    NODE_SPREAD,
    NODE_SPREAD_SINE,
    NODE_WIDTH,
)
from aulmo.trace.compile.borrowed import on_stack
from aulmo.trace.compile.jit import inlined, kernel


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
    nodes : (n, NODE_FIELDS, NODE_WIDTH), the root first; a child is a node's number, or -1 - the row of a lamp. The last field of the root
    holds the number of lamps, and centre, radius and power of all. trail : (l,) int64, three bits for each turn from the root to a lamp.
    depth : (l,) int32 turns, -1 for lamps outside the tree.
    """
    trail, depth = np.zeros(len(lamps), np.int64), np.full(len(lamps), -1, np.int32)
    nodes: list[np.ndarray] = []
    leaves = {k: _leaf(lamps[k], emit_corners) for k in rows}

    def halves(which: list[int]) -> list[list[int]]:
        if len(which) < 2:
            return [which]
        centres = np.array([0.5 * (leaves[k][0] + leaves[k][1]) for k in which])
        order = np.argsort(centres[:, int(np.argmax(np.ptp(centres, axis=0)))], kind="stable")
        half = len(which) // 2
        return [[which[k] for k in order[:half]], [which[k] for k in order[half:]]]

    def grow(which: list[int], bits: int, level: int) -> tuple:
        index = len(nodes)
        node = np.zeros((a.NODE_FIELDS, NODE_WIDTH))
        nodes.append(node)
        sets = [which]
        while len(sets) < NODE_WIDTH and any(len(s) > 1 for s in sets):
            sets = [half for s in sets for half in halves(s)]
        bounds = []
        for j, members in enumerate(sets):
            if len(members) == 1:
                child, bound = -1 - members[0], leaves[members[0]]
                trail[members[0]], depth[members[0]] = bits | (j << (3 * level)), level + 1
            else:
                child = len(nodes)
                bound = grow(members, bits | (j << (3 * level)), level + 1)
            low, high, power, (cone, spread), reach = bound
            node[NODE_CENTRE : NODE_CENTRE + 3, j] = 0.5 * (low + high)
            node[NODE_RADIUS, j] = 0.5 * float(np.linalg.norm(high - low))
            node[NODE_POWER, j], node[NODE_AXIS : NODE_AXIS + 3, j], node[NODE_CHILD, j] = power, cone, child
            node[NODE_SPREAD, j], node[NODE_SPREAD_SINE, j], node[NODE_REACH, j] = math.cos(spread), math.sin(spread), math.cos(reach)
            if spread >= math.pi:
                node[NODE_SPREAD, j], node[NODE_SPREAD_SINE, j] = -2.0, 0.0
            bounds.append(bound)
        while len(bounds) > 1:
            one, other = bounds.pop(), bounds.pop()
            bounds.append(
                (
                    np.minimum(one[0], other[0]), np.maximum(one[1], other[1]), one[2] + other[2],
                    _cone_of_both(one[3], other[3]), max(one[4], other[4]),
                )
            )  # fmt: skip
        if index == 0:
            low, high, power = bounds[0][:3]
            node[a.NODE_ALL, :6] = len(which), *(0.5 * (low + high)), 0.5 * float(np.linalg.norm(high - low)), power
        return bounds[0]

    if rows:
        grow(list(rows), 0, 0)
    return np.array(nodes).reshape(-1, a.NODE_FIELDS, NODE_WIDTH), trail, depth


# What a point makes of light, as the choice among lamps sees it: its normal (zero when light may come from anywhere), the mirrored
# direction of view, what its matt and its glossy lobes reflect, and the glossy ones' width (alpha squared)
FROM_ANYWHERE = (0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 1.0, 0.0, 1.0)


@inlined
def lit_matt(nx, ny, nz):
    """What a matt surface makes of light."""
    return nx, ny, nz, 0.0, 0.0, 0.0, 1.0, 0.0, 1.0


@inlined
def _promises(nodes, k, px, py, pz, aim, to):
    """How much light each child of a node can send by a point to its viewer; `aim` is like `FROM_ANYWHERE`.

    Written to `to` (NODE_WIDTH,); returns their sum. No branches: the compiler makes vector code of it.
    """
    nx, ny, nz, rx, ry, rz, matt, shine, width = aim
    all_round = nx == 0.0 and ny == 0.0 and nz == 0.0
    node = nodes[k]
    for j in range(NODE_WIDTH):
        x, y, z = node[NODE_CENTRE, j] - px, node[NODE_CENTRE + 1, j] - py, node[NODE_CENTRE + 2, j] - pz
        radius, power = node[NODE_RADIUS, j], node[NODE_POWER, j]
        d2 = max(1e-18, x * x + y * y + z * z)
        inverse = 1.0 / math.sqrt(d2)
        sine_ball = min(1.0, radius * inverse)
        cos_ball = math.sqrt(1.0 - sine_ball * sine_ball)
        # cosine of the incidence less the ball's half angle, at best 1
        cosine = (nx * x + ny * y + nz * z) * inverse
        facing = max(0.0, cosine * cos_ball + math.sqrt(max(0.0, 1.0 - cosine * cosine)) * sine_ball)
        facing = 1.0 if all_round or cosine >= cos_ball else facing
        # the angle off the axis less the cone's and the ball's, each taken off by the sums of sines and cosines
        cosine = -(node[NODE_AXIS, j] * x + node[NODE_AXIS + 1, j] * y + node[NODE_AXIS + 2, j] * z) * inverse
        sine = math.sqrt(max(0.0, 1.0 - cosine * cosine))
        spread, sine_spread = node[NODE_SPREAD, j], node[NODE_SPREAD_SINE, j]
        less, sine_less = cosine * spread + sine * sine_spread, sine * spread - cosine * sine_spread
        tilt = less * cos_ball + sine_less * sine_ball
        tilt = tilt if tilt > node[NODE_REACH, j] else 0.0
        tilt = 1.0 if cosine >= spread or less >= cos_ball else tilt
        # the glossy lobe about the mirrored view: its half vectors, as much wider as the ball is
        wide = min(1.0, width + 0.25 * sine_ball * sine_ball)
        off = 1.0 - (1.0 - wide) * (0.5 + 0.5 * (rx * x + ry * y + rz * z) * inverse)
        gloss = shine * wide / (off * off)
        gloss = gloss if facing > 0.0 else 0.0
        seen = power * (matt * facing + gloss) * tilt / d2
        within = power * (matt + gloss) / max(1e-18, radius * radius)
        to[j] = within if sine_ball >= 1.0 else seen
    total = 0.0
    for j in range(NODE_WIDTH):
        total += to[j]
    return total


@kernel
def pick_lamp(nodes, px, py, pz, aim, u):
    """A lamp for a point, in proportion to what the nodes promise.

    Returns (lamp row or -1, chance of it, what is left of `u` as a fresh number in [0, 1)).
    """
    promises = on_stack(nodes)
    k = 0
    chance = 1.0
    while k >= 0:
        total = _promises(nodes, k, px, py, pz, aim, promises)
        if total <= 0.0:
            return -1, 0.0, u
        rest = u * total
        j, last = 0, 0
        while j < NODE_WIDTH and rest >= promises[j]:
            rest -= promises[j]
            last = j if promises[j] > 0.0 else last
            j += 1
        if j == NODE_WIDTH:  # lost in rounding: the last there is
            j, rest = last, promises[last]
        u = min(0.999999999, rest / promises[j])
        chance *= promises[j] / total
        k = int(nodes[k, NODE_CHILD, j])
    return -1 - k, chance, u


@kernel
def lamp_chance(nodes, trail, depth, px, py, pz, aim):
    """Chance with which `pick_lamp` picks the lamp at the end of a trail."""
    if depth < 0:
        return 0.0
    promises = on_stack(nodes)
    k = 0
    chance = 1.0
    for level in range(depth):
        total = _promises(nodes, k, px, py, pz, aim, promises)
        j = (trail >> (3 * level)) & 7
        if total <= 0.0:
            return 0.0
        chance *= promises[j] / total
        k = int(nodes[k, NODE_CHILD, j])
    return chance
