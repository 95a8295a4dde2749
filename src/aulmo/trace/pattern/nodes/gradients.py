"""Gradients of any number of stops, and the colours of heated metal: what reads the rows that follow its operation."""

from aulmo.surface.oxide import STEPS, THICKEST_NM
from aulmo.surface.program import DATA_COLOURS, GROUP_HIGH_ROW, GROUP_LOW_ROW, HIGH_ROW, LOW_ROW, O_A, O_P, WORLD_ROW
from aulmo.trace.compile.jit import inlined, kernel
from aulmo.trace.pattern.own_patterns import smooth


@inlined
def data_of(ops, k, index, channel):
    """A number of the colours that follow operation k."""
    return ops[k + 1 + index // DATA_COLOURS, 1 + 3 * (index % DATA_COLOURS) + channel]


@kernel
def gradient(ops, k, value):
    """The colour of a gradient's stops at a value."""
    op = ops[k]
    count, between = int(op[O_P + 4]), int(op[O_P + 3])
    if count == 0:
        value = min(1.0, max(0.0, value))
        return value, value, value
    last = 0
    while last + 1 < count and data_of(ops, k, 2 * (last + 1), 0) <= value:
        last += 1
    following = min(count - 1, last + 1)
    low, high = data_of(ops, k, 2 * last, 0), data_of(ops, k, 2 * following, 0)
    f = min(1.0, max(0.0, (value - low) / (high - low))) if high > low else 0.0
    f = smooth(f) if between == 1 else 0.0 if between == 2 else f
    r, g, b = data_of(ops, k, 2 * last + 1, 0), data_of(ops, k, 2 * last + 1, 1), data_of(ops, k, 2 * last + 1, 2)
    return (
        r + f * (data_of(ops, k, 2 * following + 1, 0) - r), g + f * (data_of(ops, k, 2 * following + 1, 1) - g),
        b + f * (data_of(ops, k, 2 * following + 1, 2) - b),
    )  # fmt: skip


@kernel
def gradient_value(op, registers, x, y, z):
    """Where a point lies along a gradient: a share or mm."""
    over, axis, mm = int(op[O_P]), int(op[O_P + 1]), op[O_P + 2] > 0.0
    if over == 3:
        return registers[int(op[O_A]), 0]
    if over == 1:
        w = registers[WORLD_ROW + axis]
        at = w[0] * x + w[1] * y + w[2] * z + w[3]
        low, high = registers[GROUP_LOW_ROW, axis], registers[GROUP_HIGH_ROW, axis]
    else:
        at = x if axis == 0 else y if axis == 1 else z
        low, high = registers[LOW_ROW, axis], registers[HIGH_ROW, axis]
    if mm:
        return at if over == 2 else at - low
    return (at - low) / (high - low) if high > low else 0.0


@kernel
def heat_tint(ops, k, oxide, metal):
    """The colour of a metal under oxide of so many nm."""
    t = min(1.0, max(0.0, oxide / THICKEST_NM)) * STEPS
    i = min(STEPS - 1, int(t))
    t -= i
    return (
        metal[0] * (data_of(ops, k, i, 0) * (1.0 - t) + data_of(ops, k, i + 1, 0) * t),
        metal[1] * (data_of(ops, k, i, 1) * (1.0 - t) + data_of(ops, k, i + 1, 1) * t),
        metal[2] * (data_of(ops, k, i, 2) * (1.0 - t) + data_of(ops, k, i + 1, 2) * t),
    )
