"""Operations of nodes beyond those that the heights of relief run four at a time: sums, colours, places, the standard's noises, our own patterns.

Called by `program_run`. What cannot be worked out, as a division by nothing, gives 0.
References: MaterialX specification, v1.39 (standard nodes) and its library's definitions; Kang et al. 2002, "Design of advanced color temperature
control system" (blackbody); Foley & van Dam (hue, saturation, value).
"""

import math

import numpy as np

from aulmo.surface import program as p
from aulmo.surface.colour import SRGB_TO_ACESCG
from aulmo.surface.oxide import STEPS, THICKEST_NM
from aulmo.surface.program import (
    GROUP_HIGH_ROW, GROUP_LOW_ROW, HIGH_ROW, LOW_ROW, O_A, O_ADJUST, O_B, O_C, O_CODE, O_FLAG, O_P, WORLD_ROW,
)  # fmt: skip
from aulmo.trace.compile.jit import inlined, kernel
from aulmo.trace.compile.units import laid, look_up
from aulmo.trace.compile import units
from aulmo.trace.lamp.dome import luminance
from aulmo.trace.path.sampling import frame_about
from aulmo.trace.pattern.curvature import bulge_at
from aulmo.trace.pattern.lookup import adjusted
from aulmo.trace.pattern.own_patterns import brushed, flake, knurl, leather, on_surface, scratches, shape_share, smooth
from aulmo.trace.pattern.patterns import even_of, gradient_noise, lattice, seen
from aulmo.trace.pattern.standard_noise import cell_of, hash2, hash3, perlin2, perlin3, share_of, worley2, worley3

SUBTRACT, DIVIDE, POWER, MIN, MAX, MODULO, ABSVAL, CLAMP = p.SUBTRACT, p.DIVIDE, p.POWER, p.MIN, p.MAX, p.MODULO, p.ABSVAL, p.CLAMP
RESCALE, RANGE, SMOOTHSTEP, INVERT_FROM, CONTRAST = p.RESCALE, p.RANGE, p.SMOOTHSTEP, p.INVERT_FROM, p.CONTRAST
FLOOR, CEIL, ROUND, FRACT, SQRT, SIN, COS, EXP, LN, SIGN = p.FLOOR, p.CEIL, p.ROUND, p.FRACT, p.SQRT, p.SIN, p.COS, p.EXP, p.LN, p.SIGN
IF_GREATER, IF_NOT_LESS, IF_EQUAL, MIX_EACH = p.IF_GREATER, p.IF_NOT_LESS, p.IF_EQUAL, p.MIX_EACH
SATURATE, HSV_ADJUST, TO_HSV, FROM_HSV, LUMA, EXTRACT, COMBINE = p.SATURATE, p.HSV_ADJUST, p.TO_HSV, p.FROM_HSV, p.LUMA, p.EXTRACT, p.COMBINE
NORMALIZE, MAGNITUDE, DOT, CROSS, DISTANCE = p.NORMALIZE, p.MAGNITUDE, p.DOT, p.CROSS, p.DISTANCE
ROTATE2, ROTATE3, PLACE2, BLACKBODY, TEXCOORD, NORMAL, TANGENT = p.ROTATE2, p.ROTATE3, p.PLACE2, p.BLACKBODY, p.TEXCOORD, p.NORMAL, p.TANGENT
WORLD_POSITION, PART_FACT, RANDOM_OF = p.WORLD_POSITION, p.PART_FACT, p.RANDOM_OF
NOISE2, NOISE3, FRACTAL2, FRACTAL3, CELL2, CELL3, WORLEY2, WORLEY3 = (
    p.NOISE2,
    p.NOISE3,
    p.FRACTAL2,
    p.FRACTAL3,
    p.CELL2,
    p.CELL3,
    p.WORLEY2,
    p.WORLEY3,
)
RAMP2D, IMAGE_AT, NORMAL_MAP, SLOPE, BLEND_NORMALS = p.RAMP2D, p.IMAGE_AT, p.NORMAL_MAP, p.SLOPE, p.BLEND_NORMALS
SHAPES, KNURL, BRUSHED, SCRATCHES, LEATHER, ORANGE_PEEL = p.SHAPES, p.KNURL, p.BRUSHED, p.SCRATCHES, p.LEATHER, p.ORANGE_PEEL
FLAKES, CURVATURE, EDGE_WEAR, GRADIENT, HEAT_TINT = p.FLAKES, p.CURVATURE, p.EDGE_WEAR, p.GRADIENT, p.HEAT_TINT
FIRST_EACH, LAST_EACH, DATA_COLOURS, CURVES_ROW = p.FIRST_EACH, p.LAST_EACH, p.DATA_COLOURS, p.CURVES_ROW
_TO_ACESCG = np.array(SRGB_TO_ACESCG)
_LEAST = 1e-12


@kernel
def shift_step(x, y, z, wide):
    """How far apart, in mm, the points stand at which a height is compared."""
    return max(wide, 1e-4 * max(abs(x), abs(y), abs(z), 1.0))


@inlined
def _powered(x, y):
    if x < 0.0 and y != math.floor(y):
        return 0.0
    if x == 0.0:
        return 1.0 if y == 0.0 else 0.0
    return x**y


@inlined
def _divided(x, y):
    return x / y if abs(y) > _LEAST else 0.0


@units.each.made
def each(code, a, b, c, d, e, f, flag):
    """One of three numbers; a to f are what its inputs hold there."""
    r = 0.0
    if code == SUBTRACT:
        r = a - b
    elif code == DIVIDE:
        r = _divided(a, b)
    elif code == POWER:
        r = _powered(a, b)
    elif code == MIN:
        r = min(a, b)
    elif code == MAX:
        r = max(a, b)
    elif code == MODULO:
        r = a - b * math.floor(_divided(a, b)) if abs(b) > _LEAST else 0.0
    elif code == ABSVAL:
        r = abs(a)
    elif code == CLAMP:
        r = min(max(a, b), c)
    elif code == RESCALE:
        r = d + _divided((a - b) * (e - d), c - b)
    elif code == RANGE:
        r = _divided(a - b, c - b)
        if d != 1.0:
            r = math.copysign(_powered(abs(r), _divided(1.0, d)), r)
        r = e + r * (f - e)
        if flag > 0.0:
            r = min(max(r, min(e, f)), max(e, f))
    elif code == SMOOTHSTEP:
        r = 1.0 if a >= c else 0.0 if a <= b else smooth((a - b) / (c - b))
    elif code == INVERT_FROM:
        r = b - a
    elif code == CONTRAST:
        r = (a - c) * b + c
    elif code == FLOOR:
        r = math.floor(a)
    elif code == CEIL:
        r = math.ceil(a)
    elif code == ROUND:
        r = math.floor(a + 0.5)
    elif code == FRACT:
        r = a - math.floor(a)
    elif code == SQRT:
        r = math.sqrt(max(0.0, a))
    elif code == SIN:
        r = math.sin(a)
    elif code == COS:
        r = math.cos(a)
    elif code == EXP:
        r = math.exp(min(60.0, a))
    elif code == LN:
        r = math.log(a) if a > 0.0 else 0.0
    elif code == SIGN:
        r = 1.0 if a > 0.0 else -1.0 if a < 0.0 else 0.0
    elif code == IF_GREATER:
        r = c if a > b else d
    elif code == IF_NOT_LESS:
        r = c if a >= b else d
    elif code == IF_EQUAL:
        r = c if a == b else d
    elif code == MIX_EACH:
        r = a + c * (b - a)
    return r if abs(r) < 1e18 else 0.0


@kernel
def to_hsv(r, g, b):
    """Hue 0..1, saturation and value of a colour."""
    low, high = min(r, min(g, b)), max(r, max(g, b))
    chroma = high - low
    s = chroma / high if high > 0.0 else 0.0
    if s <= 0.0:
        return 0.0, 0.0, high
    h = (g - b) / chroma if r >= high else 2.0 + (b - r) / chroma if g >= high else 4.0 + (r - g) / chroma
    h /= 6.0
    return (h + 1.0 if h < 0.0 else h), s, high


@kernel
def from_hsv(h, s, v):
    """The colour of a hue 0..1, a saturation and a value."""
    if s < 0.0001:
        return v, v, v
    h = 6.0 * (h - math.floor(h))
    i = int(h)
    f = h - i
    u, q, t = v * (1.0 - s), v * (1.0 - s * f), v * (1.0 - s * (1.0 - f))
    if i == 0:
        return v, t, u
    if i == 1:
        return q, v, u
    if i == 2:
        return u, v, t
    if i == 3:
        return u, q, v
    if i == 4:
        return t, u, v
    return v, u, q


@kernel
def blackbody(kelvin):
    """The colour of a glowing body with the luminance 1, ACEScg."""
    t = 1000.0 / min(25000.0, max(800.0, kelvin))
    if kelvin < 4000.0:
        x = ((-0.2661239 * t - 0.2343580) * t + 0.8776956) * t + 0.179910
    else:
        x = ((-3.0258469 * t + 2.1070379) * t + 0.2226347) * t + 0.240390
    if kelvin < 2222.0:
        y = ((-1.1063814 * x - 1.34811020) * x + 2.18555832) * x - 0.20219683
    elif kelvin < 4000.0:
        y = ((-0.9549476 * x - 1.37418593) * x + 2.09137015) * x - 0.16748867
    else:
        y = ((3.0817580 * x - 5.87338670) * x + 3.75112997) * x - 0.37001483
    cx, cz = x / y, (1.0 - x - y) / y
    r = max(0.0, 3.2406 * cx - 1.5372 - 0.4986 * cz)
    g = max(0.0, -0.9689 * cx + 1.8758 + 0.0415 * cz)
    b = max(0.0, 0.0557 * cx - 0.2040 + 1.0570 * cz)
    m = _TO_ACESCG
    return m[0, 0] * r + m[0, 1] * g + m[0, 2] * b, m[1, 0] * r + m[1, 1] * g + m[1, 2] * b, m[2, 0] * r + m[2, 1] * g + m[2, 2] * b


@inlined
def _step_over(value, edge, wide):
    """The standard's smoothed step: its width follows the footprint."""
    w = 0.70710678 * wide
    return (1.0 if value >= edge else 0.0) if w < 1e-9 else smooth((value - edge + w) / (2.0 * w))


@inlined
def _address(t, mode):
    """A share of a picture beyond its edges: repeated, held, mirrored, or nothing (-1)."""
    if mode == 0:
        return t - math.floor(t)
    if mode == 1:
        return min(1.0, max(0.0, t))
    if mode == 2:
        t = t - 2.0 * math.floor(0.5 * t)
        return 2.0 - t if t > 1.0 else t
    return t if 0.0 <= t <= 1.0 else -1.0


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


@inlined
def _data(ops, k, index, channel):
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
    while last + 1 < count and _data(ops, k, 2 * (last + 1), 0) <= value:
        last += 1
    following = min(count - 1, last + 1)
    low, high = _data(ops, k, 2 * last, 0), _data(ops, k, 2 * following, 0)
    f = min(1.0, max(0.0, (value - low) / (high - low))) if high > low else 0.0
    f = smooth(f) if between == 1 else 0.0 if between == 2 else f
    r, g, b = _data(ops, k, 2 * last + 1, 0), _data(ops, k, 2 * last + 1, 1), _data(ops, k, 2 * last + 1, 2)
    return (
        r + f * (_data(ops, k, 2 * following + 1, 0) - r), g + f * (_data(ops, k, 2 * following + 1, 1) - g),
        b + f * (_data(ops, k, 2 * following + 1, 2) - b),
    )  # fmt: skip


@kernel
def _gradient_value(op, registers, x, y, z):
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


@inlined
def _normalized(r, g, b):
    length = math.sqrt(r * r + g * g + b * b)
    if length < _LEAST:
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
        r, g, b = _normalized(r, g, b)
    if op[O_P] > 0.0:
        w = registers[WORLD_ROW:]
        r, g, b = (w[0, 0] * r + w[0, 1] * g + w[0, 2] * b, w[1, 0] * r + w[1, 1] * g + w[1, 2] * b, w[2, 0] * r + w[2, 1] * g + w[2, 2] * b)
        r, g, b = _normalized(r, g, b)
    return r, g, b, 0.0


@units.relief_node.made
def relief_node(code, op, lays, registers, x, y, z, nx, ny, nz, wide):
    """Nodes that give a normal, in the part's axes."""
    a, b = registers[int(op[O_A])], registers[int(op[O_B])]
    if code == SLOPE:
        ax, ay, az, bx, by, bz = frame_about(nx, ny, nz)
        scale = registers[int(op[O_P + 1]), 0] / shift_step(x, y, z, wide)
        gx, gy = scale * (a[0] - b[0]), scale * (registers[int(op[O_C]), 0] - registers[int(op[O_P]), 0])
        r, g, c = nx - gx * ax - gy * bx, ny - gx * ay - gy * by, nz - gx * az - gy * bz
    elif code == BLEND_NORMALS:
        share = registers[int(op[O_C]), 0]
        r, g, c = a[0], a[1], a[2]
        if r * r + g * g + c * c < _LEAST:
            r, g, c = nx, ny, nz
        if b[0] * b[0] + b[1] * b[1] + b[2] * b[2] > _LEAST:
            r, g, c = r + share * (b[0] - nx), g + share * (b[1] - ny), c + share * (b[2] - nz)
    else:
        scale = b[0]
        u, v, w = scale * (2.0 * a[0] - 1.0), scale * (2.0 * a[1] - 1.0), max(0.05, 2.0 * a[2] - 1.0)
        tx, ty, tz = (-ny, nx, 0.0) if nx * nx + ny * ny > 1e-12 else (1.0, 0.0, 0.0)
        if op[O_P] >= 0.0:
            _u, _v, _c, tx, ty, tz, _s, right, down = laid(lays[int(op[O_P])], registers, x, y, z, nx, ny, nz, wide, -1)
            u, v = u * right, v * down
        d = tx * nx + ty * ny + tz * nz
        tx, ty, tz = _normalized(tx - d * nx, ty - d * ny, tz - d * nz)
        bx, by, bz = ny * tz - nz * ty, nz * tx - nx * tz, nx * ty - ny * tx
        r, g, c = w * nx + u * tx + v * bx, w * ny + u * ty + v * by, w * nz + u * tz + v * bz
    r, g, c = _normalized(r, g, c)
    if r * r + g * g + c * c < 0.5:
        return nx, ny, nz
    return r, g, c


@units.colour_node.made
def colour_node(code, op, registers):
    """Nodes of colours and of three numbers together."""
    a, b = registers[int(op[O_A])], registers[int(op[O_B])]
    if code == SATURATE:
        grey = luminance(a[0], a[1], a[2])
        return grey + b[0] * (a[0] - grey), grey + b[0] * (a[1] - grey), grey + b[0] * (a[2] - grey)
    if code == HSV_ADJUST:
        h, s, v = to_hsv(a[0], a[1], a[2])
        return from_hsv(h + b[0], s * b[1], v * b[2])
    if code == TO_HSV:
        return to_hsv(a[0], a[1], a[2])
    if code == FROM_HSV:
        return from_hsv(a[0], a[1], a[2])
    if code == COMBINE:
        return a[0], b[0], registers[int(op[O_C]), 0]
    if code == NORMALIZE:
        return _normalized(a[0], a[1], a[2])
    if code == CROSS:
        return a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]
    if code == BLACKBODY:
        return blackbody(a[0])
    if code == ROTATE2:
        turn = math.radians(b[0])
        c, s = math.cos(turn), math.sin(turn)
        return c * a[0] + s * a[1], c * a[1] - s * a[0], 0.0
    if code == ROTATE3:
        x, y, z = _normalized(registers[int(op[O_C]), 0], registers[int(op[O_C]), 1], registers[int(op[O_C]), 2])
        turn = math.radians(b[0])
        c, s = math.cos(turn), math.sin(turn)
        d = (x * a[0] + y * a[1] + z * a[2]) * (1.0 - c)
        return (
            a[0] * c + (a[1] * z - a[2] * y) * s + x * d, a[1] * c + (a[2] * x - a[0] * z) * s + y * d, a[2] * c + (a[0] * y - a[1] * x) * s + z * d,
        )  # fmt: skip
    if code == PLACE2:
        pivot, scale, turned, offset = b, registers[int(op[O_C])], registers[int(op[O_P])], registers[int(op[O_P + 1])]
        x, y = a[0] - pivot[0], a[1] - pivot[1]
        turn = math.radians(turned[0])
        c, s = math.cos(turn), math.sin(turn)
        if op[O_FLAG] > 0.0:
            x, y = x - offset[0], y - offset[1]
            x, y = c * x + s * y, c * y - s * x
            x, y = _divided(x, scale[0]), _divided(y, scale[1])
        else:
            x, y = _divided(x, scale[0]), _divided(y, scale[1])
            x, y = c * x + s * y - offset[0], c * y - s * x - offset[1]
        return x + pivot[0], y + pivot[1], 0.0
    v = 0.0
    if code == MAGNITUDE:
        v = math.sqrt(a[0] * a[0] + a[1] * a[1] + a[2] * a[2])
    elif code == DOT:
        v = a[0] * b[0] + a[1] * b[1] + a[2] * b[2]
    elif code == DISTANCE:
        v = math.sqrt((a[0] - b[0]) ** 2 + (a[1] - b[1]) ** 2 + (a[2] - b[2]) ** 2)
    return v, v, v


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


@kernel
def image_at(op, pictures, registers):
    """A picture looked up at coordinates."""
    at, tiles, shift = registers[int(op[O_A])], registers[int(op[O_B])], registers[int(op[O_C])]
    root = int(op[O_P + 1])
    wide = registers[root, 3] * op[O_P + 2] if root > 0 else 0.0
    across, down = int(op[O_P + 4]), int(op[O_P + 5])
    u, v = _address(at[0] * tiles[0] - shift[0], across), _address(at[1] * tiles[1] - shift[1], down)
    if u < 0.0 or v < 0.0:
        return 0.0, 0.0, 0.0
    r, g, b, alpha = look_up(pictures[int(op[O_P])], u, 1.0 - v, wide, across == 0 and down == 0)
    channel = int(op[O_P + 3])
    if channel > 0 and channel < 5:
        r = r if channel == 1 else g if channel == 2 else b if channel == 3 else alpha
        g = b = r
    return adjusted(op, O_ADJUST, r, g, b)


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
        r, g, q = gradient(ops, k, _gradient_value(op, registers, x, y, z))
    elif code == HEAT_TINT:
        t = min(1.0, max(0.0, a[0] / THICKEST_NM)) * STEPS
        i = min(STEPS - 1, int(t))
        t -= i
        r = b[0] * (_data(ops, k, i, 0) * (1.0 - t) + _data(ops, k, i + 1, 0) * t)
        g = b[1] * (_data(ops, k, i, 1) * (1.0 - t) + _data(ops, k, i + 1, 1) * t)
        q = b[2] * (_data(ops, k, i, 2) * (1.0 - t) + _data(ops, k, i + 1, 2) * t)
    else:
        r = own_pattern(code, op, lays, pictures, registers, x, y, z, nx, ny, nz, wide)
        g = q = r
    return (r if abs(r) < 1e18 else 0.0), (g if abs(g) < 1e18 else 0.0), (q if abs(q) < 1e18 else 0.0)
