"""Running surface programs: one operation after another over a few registers of three numbers.

Pictures are looked up with a footprint: between two of their smaller copies, so that a turning product does not shimmer.

Reference: Williams 1983, "Pyramidal parametrics". The patterns are in `patterns.py`.
"""

import math

import numpy as np

from aulmo.surface.program import (
    ADD,
    CELLS,
    CHECKER,
    CONSTANT,
    DOTS,
    FACING,
    IMAGE,
    INVERT,
    MIX,
    MULTIPLY,
    NOISE,
    O_A,
    O_B,
    O_C,
    O_CODE,
    O_P,
    O_TO,
    POSITION,
    RAMP,
    REGISTERS,
    REMAP,
    STRIPES,
    WEAVE,
    WIRE,
    WOOD,
)
from aulmo.trace.material import openpbr as o
from aulmo.trace.compile.jit import entry, inlined, kernel
from aulmo.trace.lamp.dome import luminance
from aulmo.trace.material.medium import scattering_albedo
from aulmo.trace.pattern.patterns import folded, fractal, inner_noise, nearest_cell, pattern_share, weave

MOST_LEVELS = 15
# a texture's row: levels, peak, then width, height and first texel of each level
T_LEVELS, T_PEAK, T_FIRST = 0, 1, 2
TEXTURE_COLUMNS = 2 + 3 * MOST_LEVELS


@inlined
def _texel(texels, row, level, x, y):
    w, h = int(row[T_FIRST + 3 * level]), int(row[T_FIRST + 3 * level + 1])
    i = int(row[T_FIRST + 3 * level + 2]) + (y % h) * w + x % w
    return np.float64(texels[i, 0]), np.float64(texels[i, 1]), np.float64(texels[i, 2])


@inlined
def _bilinear(texels, row, level, u, v):
    w, h = row[T_FIRST + 3 * level], row[T_FIRST + 3 * level + 1]
    x, y = u * w - 0.5, v * h - 0.5
    i, j = int(math.floor(x)), int(math.floor(y))
    x, y = x - i, y - j
    a = _texel(texels, row, level, i, j)
    b = _texel(texels, row, level, i + 1, j)
    c = _texel(texels, row, level, i, j + 1)
    d = _texel(texels, row, level, i + 1, j + 1)
    p, q, r, s = (1.0 - x) * (1.0 - y), x * (1.0 - y), (1.0 - x) * y, x * y
    return (
        p * a[0] + q * b[0] + r * c[0] + s * d[0],
        p * a[1] + q * b[1] + r * c[1] + s * d[1],
        p * a[2] + q * b[2] + r * c[2] + s * d[2],
    )


@kernel
def look_up(texels, row, u, v, wide):
    """Colour of a picture at (u, v), repeating, averaged over `wide` (a share of its width)."""
    last = int(row[T_LEVELS]) - 1
    level = math.log2(max(1e-9, wide * row[T_FIRST]))
    level = min(float(last), max(0.0, level))
    k = min(last, int(level))
    f = level - k
    u, v = u - math.floor(u), v - math.floor(v)
    r, g, b = _bilinear(texels, row, k, u, v)
    if f > 0.0 and k < last:
        r1, g1, b1 = _bilinear(texels, row, k + 1, u, v)
        r, g, b = r + f * (r1 - r), g + f * (g1 - g), b + f * (b1 - b)
    s = row[T_PEAK] / 65535.0
    return r * s, g * s, b * s


@inlined
def project_point(kind, axis, x, y, z, nx, ny, nz):
    """Place on a picture in mm (right, down) for a projection; and the direction there of growing right, in the part's axes."""
    if axis == 0:
        x, y, z, nx, ny, nz = y, z, x, ny, nz, nx
    elif axis == 1:
        x, y, z, nx, ny, nz = z, x, y, nz, nx, ny
    # from here on the axis is z
    tx, ty, tz = 1.0, 0.0, 0.0
    if kind == 1:  # box: the side that the surface faces most
        ax, ay, az = abs(nx), abs(ny), abs(nz)
        if az >= ax and az >= ay:
            s = 1.0 if nz >= 0.0 else -1.0
            u, v, tx = s * x, -y, s
        elif ax >= ay:
            s = 1.0 if nx >= 0.0 else -1.0
            u, v, tx, ty = s * y, -z, 0.0, s
        else:
            s = -1.0 if ny >= 0.0 else 1.0
            u, v, tx = s * x, -z, s
    elif kind == 2:  # round the axis: mm along the circumference at this distance from it
        r = math.sqrt(x * x + y * y)
        u, v = math.atan2(y, x) * r, -z
        if r > 1e-9:
            tx, ty = -y / r, x / r
    elif kind == 3:
        r = math.sqrt(x * x + y * y + z * z)
        u, v = math.atan2(y, x) * r, -math.asin(min(1.0, max(-1.0, z / max(1e-9, r)))) * r
        flat = math.sqrt(x * x + y * y)
        if flat > 1e-9:
            tx, ty = -y / flat, x / flat
    else:
        u, v = x, -y
    if axis == 0:
        tx, ty, tz = tz, tx, ty
    elif axis == 1:
        tx, ty, tz = ty, tz, tx
    return u, v, tx, ty, tz


@kernel
def _image(op, texels, pictures, x, y, z, nx, ny, nz, wide):
    """A picture's colour at a point of the part."""
    u, v, _x, _y, _z = project_point(int(op[O_P + 1]), int(op[O_P + 8]), x, y, z, nx, ny, nz)
    u, v = u - op[O_P + 6], v + op[O_P + 7]
    u, v = op[O_P + 4] * u - op[O_P + 5] * v, op[O_P + 5] * u + op[O_P + 4] * v
    return look_up(texels, pictures[int(op[O_P])], u / op[O_P + 2] + 0.5, v / op[O_P + 3] + 0.5, wide / op[O_P + 2])


@inlined
def _cloth(op, x, y, z, nx, ny, nz, wide):
    """Height of cloth laid over the part."""
    u, v, _x, _y, _z = project_point(int(op[O_P + 1]), int(op[O_P + 2]), x, y, z, nx, ny, nz)
    return weave(u, v, op[O_P], op[O_P + 3], op[O_P + 4], int(op[O_P + 5]), wide)


@kernel
def run(ops, first, last, texels, pictures, registers, row, x, y, z, nx, ny, nz, facing, wide):
    """Run operations `first` to `last` at a point of a part in its own mm; `wide` is the footprint in mm.

    Wired parameters go into `row`, the material's numbers; a wire to -1 into register 0.
    """
    for k in range(first, last):
        op = ops[k]
        code, to = int(op[O_CODE]), int(op[O_TO])
        a, b = int(op[O_A]), int(op[O_B])
        r = g = c = 0.0
        if code == CONSTANT:
            r, g, c = op[O_P], op[O_P + 1], op[O_P + 2]
        elif code == IMAGE:
            r, g, c = _image(op, texels, pictures, x, y, z, nx, ny, nz, wide)
        elif code == NOISE:
            q = O_P + 5
            r = fractal(
                x * op[q], y * op[q + 1], z * op[q + 2], op[O_P + 1], op[O_P + 2], op[O_P + 3], int(op[O_P + 4]), wide / op[O_P]
            )  # fmt: skip
            r = folded(r, op[O_P + 8], op[O_P + 9], wide / op[O_P])
            g = c = r
        elif code == CELLS:
            s = 1.0 / op[O_P]
            r = nearest_cell(x * s, y * s, z * s, op[O_P + 1], int(op[O_P + 2]))
            g = c = r
        elif code == WEAVE:
            r = _cloth(op, x, y, z, nx, ny, nz, wide)
            g = c = r
        elif code == CHECKER or code == STRIPES or code == DOTS or code == RAMP or code == WOOD or code == MIX:
            f = registers[int(op[O_C]), 0] if code == MIX else pattern_share(op, code, x, y, z, wide)
            r = registers[a, 0] + f * (registers[b, 0] - registers[a, 0])
            g = registers[a, 1] + f * (registers[b, 1] - registers[a, 1])
            c = registers[a, 2] + f * (registers[b, 2] - registers[a, 2])
        elif code == ADD:
            r, g, c = registers[a, 0] + registers[b, 0], registers[a, 1] + registers[b, 1], registers[a, 2] + registers[b, 2]
        elif code == MULTIPLY:
            r, g, c = registers[a, 0] * registers[b, 0], registers[a, 1] * registers[b, 1], registers[a, 2] * registers[b, 2]
        elif code == REMAP:
            span = op[O_P + 1] - op[O_P]
            s = (op[O_P + 3] - op[O_P + 2]) / span if span != 0.0 else 0.0
            r = op[O_P + 2] + s * (min(max(registers[a, 0], min(op[O_P], op[O_P + 1])), max(op[O_P], op[O_P + 1])) - op[O_P])
            g = op[O_P + 2] + s * (min(max(registers[a, 1], min(op[O_P], op[O_P + 1])), max(op[O_P], op[O_P + 1])) - op[O_P])
            c = op[O_P + 2] + s * (min(max(registers[a, 2], min(op[O_P], op[O_P + 1])), max(op[O_P], op[O_P + 1])) - op[O_P])
        elif code == INVERT:
            r, g, c = 1.0 - registers[a, 0], 1.0 - registers[a, 1], 1.0 - registers[a, 2]
        elif code == FACING:
            r = facing ** op[O_P]
            g = c = r
        elif code == POSITION:
            r, g, c = x, y, z
        elif code == WIRE:
            r, g, c = registers[a, 0], registers[a, 1], registers[a, 2]
            if to >= 0:
                _wire(row, to, r, g, c)
                continue
            to = 0
        registers[to, 0], registers[to, 1], registers[to, 2] = r, g, c


@inlined
def _fractal_four(at, to, octaves, lacunarity, gain, seed, sx, sy, sz, wide, count):
    """`fractal` at `count` points at once, scaled along each axis: vector code."""
    amplitude, most, size = 1.0, 0.0, 1.0
    for p in range(count):
        to[p] = 0.0
    for k in range(int(octaves)):
        shown = min(1.0, max(0.0, 1.0 / max(1e-6, wide * size) - 0.5)) * amplitude
        if shown > 0.0:
            fx, fy, fz = sx * size, sy * size, sz * size
            for p in range(count):
                to[p] += shown * inner_noise(at[0, p] * fx, at[1, p] * fy, at[2, p] * fz, seed + k)
        most += amplitude
        amplitude *= gain
        size *= lacunarity
    for p in range(count):
        to[p] = min(1.0, max(0.0, 0.5 + 0.6 * to[p] / max(1e-9, most)))


@kernel
def run_heights(ops, first, last, texels, pictures, four, at, nx, ny, nz, wide, count):
    """The first number of register 0 after a program, at `count` points at once: what relief is felt by.

    at : (3, count) points in the part's own mm. four : (REGISTERS, count), where its first row holds the result. The caller passes four:
    a count that the compiler knows would be unrolled instead of made vector code.
    """
    for k in range(first, last):
        op = ops[k]
        code = int(op[O_CODE])
        to = 0 if code == WIRE else int(op[O_TO])
        a, b = four[int(op[O_A])], four[int(op[O_B])]
        r = four[to]
        if code == NOISE:
            q = O_P + 5
            _fractal_four(at, r, op[O_P + 1], op[O_P + 2], op[O_P + 3], int(op[O_P + 4]), op[q], op[q + 1], op[q + 2], wide / op[O_P], count)
            for p in range(count):
                r[p] = folded(r[p], op[O_P + 8], op[O_P + 9], wide / op[O_P])
        elif code == REMAP:
            span = op[O_P + 1] - op[O_P]
            s = (op[O_P + 3] - op[O_P + 2]) / span if span != 0.0 else 0.0
            low, high = min(op[O_P], op[O_P + 1]), max(op[O_P], op[O_P + 1])
            for p in range(count):
                r[p] = op[O_P + 2] + s * (min(max(a[p], low), high) - op[O_P])
        elif code == MIX:
            f = four[int(op[O_C])]
            for p in range(count):
                r[p] = a[p] + f[p] * (b[p] - a[p])
        else:
            for p in range(count):
                x, y, z = at[0, p], at[1, p], at[2, p]
                if code == CONSTANT:
                    r[p] = op[O_P]
                elif code == IMAGE:
                    r[p] = _image(op, texels, pictures, x, y, z, nx, ny, nz, wide)[0]
                elif code == CELLS:
                    s = 1.0 / op[O_P]
                    r[p] = nearest_cell(x * s, y * s, z * s, op[O_P + 1], int(op[O_P + 2]))
                elif code == WEAVE:
                    r[p] = _cloth(op, x, y, z, nx, ny, nz, wide)
                elif code == CHECKER or code == STRIPES or code == DOTS or code == RAMP or code == WOOD:
                    r[p] = a[p] + pattern_share(op, code, x, y, z, wide) * (b[p] - a[p])
                elif code == ADD:
                    r[p] = a[p] + b[p]
                elif code == MULTIPLY:
                    r[p] = a[p] * b[p]
                elif code == INVERT:
                    r[p] = 1.0 - a[p]
                elif code == FACING:
                    r[p] = 1.0
                elif code == POSITION:
                    r[p] = x
                elif code == WIRE:
                    r[p] = a[p]


@inlined
def _unit(v):
    return min(1.0, max(0.0, v))


@kernel
def _wire(row, target, r, g, b):
    """Lead a value into the material's numbers; targets in the order of `surface.program.WIRED`."""
    if target == 0 or target == 11:  # base colour; base weight
        if target == 11:
            r, g, b = row[o.DIFFUSE] * r, row[o.DIFFUSE + 1] * g, row[o.DIFFUSE + 2] * b
        r, g, b = _unit(r), _unit(g), _unit(b)
        row[o.DIFFUSE], row[o.DIFFUSE + 1], row[o.DIFFUSE + 2] = r, g, b
        row[o.METAL_F0], row[o.METAL_F0 + 1], row[o.METAL_F0 + 2] = r, g, b
        row[o.DIFFUSE_LUMA] = luminance(r, g, b)
    elif target == 1:  # roughness, keeping the stretch
        rough = _unit(r)
        k = row[o.ALPHA_Y] / row[o.ALPHA_X]
        along = rough * rough * math.sqrt(2.0 / (1.0 + k * k))
        row[o.ALPHA_X], row[o.ALPHA_Y] = max(1e-3, along), max(1e-3, along * k)
        row[o.SMOOTH] = 0.0
    elif target == 2:
        row[o.METALNESS] = _unit(r)
    elif target == 3:
        row[o.OPACITY] = _unit(r)
    elif target == 4:  # glow: a colour over the luminance the material has
        row[o.EMISSION], row[o.EMISSION + 1], row[o.EMISSION + 2] = row[o.EMISSION] * r, row[o.EMISSION + 1] * g, row[o.EMISSION + 2] * b
    elif target == 5:
        row[o.SPECULAR_COLOUR], row[o.SPECULAR_COLOUR + 1], row[o.SPECULAR_COLOUR + 2] = _unit(r), _unit(g), _unit(b)
    elif target == 6:
        row[o.COAT] = _unit(r)
    elif target == 7:
        rough = _unit(r)
        row[o.COAT_ALPHA], row[o.COAT_ALPHA_Y] = max(1e-3, rough * rough), max(1e-3, rough * rough)
    elif target == 8:
        row[o.FUZZ] = _unit(r)
    elif target == 9:
        row[o.SUB_COLOUR], row[o.SUB_COLOUR + 1], row[o.SUB_COLOUR + 2] = _unit(r), _unit(g), _unit(b)
        row[o.SUB_LUMA] = luminance(_unit(r), _unit(g), _unit(b))
        for c in range(3):
            row[o.SUB_ALBEDO + c] = scattering_albedo(row[o.SUB_COLOUR + c], row[o.SUB_G])
    elif target == 10:
        row[o.TRANSMISSION] = _unit(r)


@entry
def run_points(ops, texels, pictures, points, normals, wide, out):
    """Register 0 after a program at many points: points, normals (n, 3); out (n, 3)."""
    registers = np.zeros((REGISTERS, 3))
    row = np.zeros(o.COLUMNS)
    row[o.ALPHA_X] = row[o.ALPHA_Y] = 1.0
    for k in range(len(points)):
        run(
            ops, 0, len(ops), texels, pictures, registers, row, points[k, 0], points[k, 1], points[k, 2], normals[k, 0], normals[k, 1], normals[k, 2],
            1.0, wide,
        )  # fmt: skip
        for c in range(3):
            out[k, c] = registers[0, c]
