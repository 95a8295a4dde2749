"""Places and directions: coordinates, positions, normals, what is known of the part."""

import math

from aulmo.surface.program import HIGH_ROW, LOW_ROW, O_A, O_B, O_P, PART_FACT, RANDOM_OF, TANGENT, TEXCOORD, WORLD_POSITION, WORLD_ROW
from aulmo.trace.compile import units
from aulmo.trace.compile.jit import inlined
from aulmo.trace.compile.units import laid
from aulmo.trace.pattern.patterns import even_of, lattice


LEAST = 1e-12


@inlined
def normalized(r, g, b):
    """Three numbers brought to length one; nothing where they are none."""
    length = math.sqrt(r * r + g * g + b * b)
    if length < LEAST:
        return 0.0, 0.0, 0.0
    return r / length, g / length, b / length


@units.place_node.made
def place_node(code, op, lays, registers, x, y, z, nx, ny, nz, wide):
    """Nodes of places and directions; what comes back fourth is how far the footprint reaches there."""
    if code == TEXCOORD:
        s, t, _c, _x, _y, _z, small, _r, _d = laid(lays[int(op[O_P])], registers, x, y, z, nx, ny, nz, wide, -1)
        return s, 1.0 - t, 0.0, small
    if code == WORLD_POSITION:
        w = registers[WORLD_ROW:]
        return (
            w[0, 0] * x + w[0, 1] * y + w[0, 2] * z + w[0, 3], w[1, 0] * x + w[1, 1] * y + w[1, 2] * z + w[1, 3],
            w[2, 0] * x + w[2, 1] * y + w[2, 2] * z + w[2, 3], wide,
        )  # fmt: skip
    if code == PART_FACT:
        low, high = registers[LOW_ROW], registers[HIGH_ROW]
        if op[O_P] > 0.0:
            return 0.5 * (low[0] + high[0]), 0.5 * (low[1] + high[1]), 0.5 * (low[2] + high[2]), 0.0
        return high[0] - low[0], high[1] - low[1], high[2] - low[2], 0.0
    if code == RANDOM_OF:
        b, c = registers[int(op[O_A]), 0], registers[int(op[O_B]), 0]
        v = b + (c - b) * even_of(lattice(int(registers[LOW_ROW, 3]), int(op[O_P]), 7, 3), 5)
        return v, v, v, 0.0
    r, g, b = nx, ny, nz
    if code == TANGENT:
        r, g, b = (-ny, nx, 0.0) if nx * nx + ny * ny > 1e-12 else (1.0, 0.0, 0.0)
        r, g, b = normalized(r, g, b)
    if op[O_P] > 0.0:
        w = registers[WORLD_ROW:]
        r, g, b = (w[0, 0] * r + w[0, 1] * g + w[0, 2] * b, w[1, 0] * r + w[1, 1] * g + w[1, 2] * b, w[2, 0] * r + w[2, 1] * g + w[2, 2] * b)
        r, g, b = normalized(r, g, b)
    return r, g, b, 0.0
