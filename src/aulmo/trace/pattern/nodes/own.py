"""Patterns of our own, in millimetres, and what the shape of the part gives."""

from aulmo.surface.program import BRUSHED, CURVATURE, CURVES_ROW, KNURL, LEATHER, ORANGE_PEEL, O_P, SCRATCHES
from aulmo.trace.compile import units
from aulmo.trace.pattern.curvature import bulge_at
from aulmo.trace.pattern.own_patterns import brushed, knurl, leather, on_surface, scratches
from aulmo.trace.pattern.patterns import gradient_noise, seen


@units.own_pattern.made
def own_pattern(code, op, lays, pictures, registers, x, y, z, nx, ny, nz, wide):
    """One number of our own patterns."""
    if code == KNURL:
        u, v = on_surface(lays, op[O_P + 1], registers, x, y, z, nx, ny, nz, wide)
        return knurl(op, u, v, wide)
    if code == BRUSHED:
        return brushed(op, x, y, z, wide)
    if code == SCRATCHES:
        u, v = on_surface(lays, op[O_P + 5], registers, x, y, z, nx, ny, nz, wide)
        return scratches(op, u, v, wide)
    if code == LEATHER:
        return leather(op, x, y, z, wide)
    if code == ORANGE_PEEL:
        s, seed = 1.0 / op[O_P], int(op[O_P + 1])
        n = seen(op[O_P], wide) * gradient_noise(x * s, y * s, z * s, seed)
        n += 0.35 * seen(0.45 * op[O_P], wide) * gradient_noise(x * s * 2.2, y * s * 2.2, z * s * 2.2, seed + 1)
        return min(1.0, max(0.0, 0.5 + 0.45 * n))
    bulge = bulge_at(registers[CURVES_ROW, int(op[O_P])], x, y, z, nx, ny, nz)
    if code == CURVATURE:
        return min(1.0, max(0.0, op[O_P + 2] * op[O_P + 3] * bulge))
    amount, rough, size, seed = op[O_P + 2], op[O_P + 3], op[O_P + 4], int(op[O_P + 5])
    s = 1.0 / size
    ragged = gradient_noise(x * s, y * s, z * s, seed) + 0.6 * gradient_noise(x * s * 3.1, y * s * 3.1, z * s * 3.1, seed + 1)
    return min(1.0, max(0.0, 0.5 + (max(0.0, bulge) * (1.0 + rough * ragged) - (1.0 - amount)) / 0.12)) if amount > 0.0 else 0.0
