"""The noises, ramps and splits of the standard (MaterialX specification, v1.39)."""

from aulmo.surface.program import CELL2, CELL3, FRACTAL2, FRACTAL3, NOISE2, NOISE3, O_A, O_B, O_C, O_FLAG, O_P, WORLEY2
from aulmo.trace.compile import units
from aulmo.trace.compile.jit import inlined, kernel
from aulmo.trace.pattern.own_patterns import smooth
from aulmo.trace.pattern.patterns import seen
from aulmo.trace.pattern.standard_noise import cell_of, hash2, hash3, perlin2, perlin3, share_of, worley2, worley3


@inlined
def _step_over(value, edge, wide):
    """The standard's smoothed step: its width follows the footprint."""
    w = 0.70710678 * wide
    return (1.0 if value >= edge else 0.0) if w < 1e-9 else smooth((value - edge + w) / (2.0 * w))


@kernel
def fractal2(x, y, octaves, lacunarity, diminish, wide):
    """Octaves of the standard's noise of the plane; those finer than the footprint are left out."""
    total, amplitude = 0.0, 1.0
    for _k in range(int(octaves)):
        total += seen(1.0, wide) * amplitude * perlin2(x, y)
        x, y, wide, amplitude = x * lacunarity, y * lacunarity, wide * lacunarity, amplitude * diminish
    return total


@kernel
def fractal3(x, y, z, octaves, lacunarity, diminish, wide):
    """The same in space."""
    total, amplitude = 0.0, 1.0
    for _k in range(int(octaves)):
        total += seen(1.0, wide) * amplitude * perlin3(x, y, z)
        x, y, z, wide, amplitude = x * lacunarity, y * lacunarity, z * lacunarity, wide * lacunarity, amplitude * diminish
    return total


@units.standard_noise.made
def standard_noise(code, op, registers):
    """The noises of the standard, faded into their mean where the footprint is wider than they are."""
    at = registers[int(op[O_A])]
    root = int(op[O_P])
    wide = registers[root, 3] * op[O_P + 1] if root > 0 else 0.0
    x, y, z = at[0], at[1], at[2]
    b, c = registers[int(op[O_B]), 0], registers[int(op[O_C]), 0]
    if code == NOISE2:
        return c + seen(1.0, wide) * b * perlin2(x, y)
    if code == NOISE3:
        return c + seen(1.0, wide) * b * perlin3(x, y, z)
    if code == FRACTAL2:
        return b * fractal2(x, y, op[O_P + 2], op[O_P + 3], op[O_P + 4], wide)
    if code == FRACTAL3:
        return b * fractal3(x, y, z, op[O_P + 2], op[O_P + 3], op[O_P + 4], wide)
    if code == CELL2:
        return 0.5 + seen(1.0, wide) * (share_of(hash2(cell_of(x), cell_of(y))) - 0.5)
    if code == CELL3:
        return 0.5 + seen(1.0, wide) * (share_of(hash3(cell_of(x), cell_of(y), cell_of(z))) - 0.5)
    cells = op[O_P + 2] > 0.0
    return worley2(x, y, b, cells) if code == WORLEY2 else worley3(x, y, z, b, cells)


@kernel
def ramp_node(op, registers):
    """The standard's ramps and splits over coordinates."""
    at, one, other, third, fourth = (
        registers[int(op[O_A])], registers[int(op[O_B])], registers[int(op[O_C])], registers[int(op[O_P])], registers[int(op[O_P + 1])],
    )  # fmt: skip
    kind, root = int(op[O_FLAG]), int(op[O_FLAG + 1])
    wide = registers[root, 3] * op[O_FLAG + 2] if root > 0 else 0.0
    x, y = min(1.0, max(0.0, at[0])), min(1.0, max(0.0, at[1]))
    f = x
    if kind == 1:
        f = 1.0 - y
    elif kind == 3:
        f = _step_over(at[0], third[0], wide)
    elif kind == 4:
        f = 1.0 - _step_over(at[1], third[0], wide)
    if kind == 2:
        top = (one[0] + x * (other[0] - one[0]), one[1] + x * (other[1] - one[1]), one[2] + x * (other[2] - one[2]))
        low = (third[0] + x * (fourth[0] - third[0]), third[1] + x * (fourth[1] - third[1]), third[2] + x * (fourth[2] - third[2]))
        return low[0] + y * (top[0] - low[0]), low[1] + y * (top[1] - low[1]), low[2] + y * (top[2] - low[2])
    return one[0] + f * (other[0] - one[0]), one[1] + f * (other[1] - one[1]), one[2] + f * (other[2] - one[2])
