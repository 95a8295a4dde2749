"""Operations of nodes beyond those that the heights of relief run four at a time, handed to the family that each is of.

Called by `program_run`.
"""

from aulmo.surface.program import (
    BLACKBODY,
    BLEND_NORMALS,
    EXTRACT,
    FIRST_EACH,
    FLAKES,
    GRADIENT,
    HEAT_TINT,
    IMAGE_AT,
    LAST_EACH,
    LUMA,
    O_A,
    O_B,
    O_C,
    O_CODE,
    O_FLAG,
    O_P,
    RAMP2D,
    RANDOM_OF,
    SHAPES,
    WORLEY3,
)
from aulmo.trace.compile import units
from aulmo.trace.compile.units import colour_node, each, own_pattern, place_node, relief_node, standard_noise
from aulmo.trace.lamp.dome import luminance
from aulmo.trace.pattern.nodes.gradients import gradient, gradient_value, heat_tint
from aulmo.trace.pattern.nodes.noises import ramp_node
from aulmo.trace.pattern.nodes.pictures import image_at
from aulmo.trace.pattern.own_patterns import flake, on_surface, shape_share
from aulmo.trace.pattern.patterns import seen


@units.more.made
def more(ops, k, lays, pictures, registers, x, y, z, nx, ny, nz, wide):
    """The operation k: three numbers."""
    op = ops[k]
    code = int(op[O_CODE])
    a, b, c = registers[int(op[O_A])], registers[int(op[O_B])], registers[int(op[O_C])]
    r = g = q = 0.0
    if FIRST_EACH <= code <= LAST_EACH:
        d, e, f = registers[int(op[O_P])], registers[int(op[O_P + 1])], registers[int(op[O_P + 2])]
        r = each(code, a[0], b[0], c[0], d[0], e[0], f[0], op[O_FLAG])
        g = each(code, a[1], b[1], c[1], d[1], e[1], f[1], op[O_FLAG])
        q = each(code, a[2], b[2], c[2], d[2], e[2], f[2], op[O_FLAG])
        return r, g, q
    if code == LUMA:
        r = luminance(a[0], a[1], a[2])
        registers[int(op[1]), 3] = a[3]
        return r, r, r
    if code == EXTRACT:
        r, cover = a[int(op[O_P])], a[3]
        registers[int(op[1]), 3] = cover
        return r, r, r
    if code <= BLACKBODY:
        r, g, q = colour_node(code, op, registers)
    elif code <= RANDOM_OF:
        r, g, q, reach = place_node(code, op, lays, registers, x, y, z, nx, ny, nz, wide)
        registers[int(op[1]), 3] = reach
    elif code <= WORLEY3:
        r = standard_noise(code, op, registers)
        g = q = r
    elif code == RAMP2D:
        r, g, q = ramp_node(op, registers)
    elif code == IMAGE_AT:
        r, g, q = image_at(op, pictures, registers)
    elif code <= BLEND_NORMALS:
        r, g, q = relief_node(code, op, lays, registers, x, y, z, nx, ny, nz, wide)
    elif code == SHAPES:
        u, v = on_surface(lays, op[O_P + 3], registers, x, y, z, nx, ny, nz, wide)
        f0 = shape_share(op, pictures, u, v, wide)
        r, g, q = a[0] + f0 * (b[0] - a[0]), a[1] + f0 * (b[1] - a[1]), a[2] + f0 * (b[2] - a[2])
    elif code == FLAKES:
        mask, one, fx, fy, fz = flake(op, x, y, z, nx, ny, nz)
        gives = int(op[O_P + 4])
        if gives == 1:
            return fx, fy, fz
        r = mask if gives == 0 else one
        if gives == 0:
            r = op[O_P + 1] + seen(op[O_P], wide) * (mask - op[O_P + 1])
        g = q = r
    elif code == GRADIENT:
        r, g, q = gradient(ops, k, gradient_value(op, registers, x, y, z))
    elif code == HEAT_TINT:
        r, g, q = heat_tint(ops, k, a[0], b)
    else:
        r = own_pattern(code, op, lays, pictures, registers, x, y, z, nx, ny, nz, wide)
        g = q = r
    return (r if abs(r) < 1e18 else 0.0), (g if abs(g) < 1e18 else 0.0), (q if abs(q) < 1e18 else 0.0)
