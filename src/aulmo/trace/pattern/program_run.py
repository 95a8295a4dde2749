"""Running surface programs: one operation after another over a few registers of three numbers.

The patterns are in `patterns.py`, looking up pictures in `lookup.py`, where they lie in `laid.py`.
"""

import math

import numpy as np

from aulmo.surface import columns as o
from aulmo.surface.program import (
    ADD,
    CELLS,
    CHECKER,
    CONSTANT,
    DATA,
    DOTS,
    FACING,
    FILM_LEVELS,
    IMAGE,
    INVERT,
    I_BLEND,
    I_CHANNEL,
    I_GREEN,
    I_LAY,
    I_PICTURE,
    I_STRENGTH,
    I_WRAPS,
    MIX,
    MULTIPLY,
    NOISE,
    O_A,
    O_ADJUST,
    O_B,
    O_C,
    O_CODE,
    O_P,
    O_TO,
    POSITION,
    RAMP,
    REGISTER_ROWS,
    REMAP,
    SETTLE,
    SHIFT,
    STRIPES,
    U_ROW,
    V_ROW,
    WEAVE,
    W_BARE,
    W_COUNT,
    W_HOW,
    W_LEAST,
    W_MOST,
    W_RAW,
    WIRE,
    WOOD,
)
from aulmo.trace.compile import units
from aulmo.trace.compile.entry import entry
from aulmo.trace.compile.jit import inlined, kernel
from aulmo.trace.compile.units import laid, look_up, more
from aulmo.trace.material.follows import settle
from aulmo.trace.pattern.laid import side_share
from aulmo.trace.pattern.lookup import adjusted
from aulmo.trace.path.sampling import frame_about
from aulmo.trace.pattern.nodes.relief import shift_step
from aulmo.trace.pattern.patterns import even_of, folded, fractal, inner_noise, lattice, nearest_cell, pattern_share, weave


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


@units.image.made
def image(op, lays, pictures, registers, x, y, z, nx, ny, nz, wide):
    """What a picture gives at a point of the part: three numbers, and how much of the footprint it covers."""
    lay = lays[int(op[I_LAY])]
    picture = pictures[int(op[I_PICTURE])]
    wraps = op[I_WRAPS] > 0.0
    if op[I_BLEND] > 0.0:  # a box whose sides run into one another near the seams
        first, second, third = side_share(lay, 0, nx, ny, nz), side_share(lay, 1, nx, ny, nz), side_share(lay, 2, nx, ny, nz)
        least = max(first, max(second, third)) * (1.0 - 0.8 * op[I_BLEND])
        r = g = b = a = total = cover = 0.0
        for side in range(3):
            share = first if side == 0 else second if side == 1 else third
            if share > least:
                u, v, part, _x, _y, _z, small, _r, _d = laid(lay, registers, x, y, z, nx, ny, nz, wide, side)
                pr, pg, pb, pa = look_up(picture, u, v, small, wraps)
                share -= least
                r, g, b, a, cover = r + share * pr, g + share * pg, b + share * pb, a + share * pa, cover + share * part
                total += share
        total = 1.0 / max(1e-12, total)
        r, g, b, a, cover = r * total, g * total, b * total, a * total, cover * total
    else:
        u, v, cover, _x, _y, _z, small, _r, _d = laid(lay, registers, x, y, z, nx, ny, nz, wide, -1)
        if cover <= 0.0:
            return 0.0, 0.0, 0.0, 0.0
        r, g, b, a = look_up(picture, u, v, small, wraps)
    channel = int(op[I_CHANNEL])
    if channel == 0:
        cover *= a
    elif channel < 5:
        r = r if channel == 1 else g if channel == 2 else b if channel == 3 else a
        g = b = r
    r, g, b = adjusted(op, O_ADJUST, r, g, b)
    if op[I_GREEN] > 0.0:
        g = 1.0 - g
    if op[I_STRENGTH] != 1.0:
        r, g = 0.5 + op[I_STRENGTH] * (r - 0.5), 0.5 + op[I_STRENGTH] * (g - 0.5)
    return r, g, b, cover


@inlined
def _cloth(op, x, y, z, nx, ny, nz, wide):
    """Height of cloth laid over the part."""
    u, v, _x, _y, _z = project_point(int(op[O_P + 1]), int(op[O_P + 2]), x, y, z, nx, ny, nz)
    return weave(u, v, op[O_P], op[O_P + 3], op[O_P + 4], int(op[O_P + 5]), wide)


@units.run.made
def run(ops, first, last, lays, pictures, registers, row, x, y, z, nx, ny, nz, facing, wide):
    """Run operations `first` to `last` at a point of a part in its own mm; `wide` is the footprint in mm.

    Wired parameters go into `row`, the material's numbers; a wire to -1 into register 0.
    """
    px, py, pz = x, y, z
    for k in range(first, last):
        op = ops[k]
        code, to = int(op[O_CODE]), int(op[O_TO])
        a, b = int(op[O_A]), int(op[O_B])
        r = g = c = 0.0
        if code == CONSTANT:
            r, g, c = op[O_P], op[O_P + 1], op[O_P + 2]
        elif code == IMAGE:
            r, g, c, registers[to, 3] = image(op, lays, pictures, registers, x, y, z, nx, ny, nz, wide)
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
            registers[to, 3] = wide
        elif code == WIRE:
            r, g, c = registers[a, 0], registers[a, 1], registers[a, 2]
            cover = registers[a, 3] if op[W_BARE] > 0.0 else 1.0
            if to >= 0:
                if cover > 0.0:
                    lead(row, op, r, g, c, x, y, z, cover)
                continue
            to = 0
            registers[0, 3] = cover
        elif code == DATA:
            continue
        elif code == SETTLE:
            settle(row)
            continue
        elif code == SHIFT:
            x, y, z = shifted(int(op[O_P]), px, py, pz, nx, ny, nz, wide)
            continue
        else:
            r, g, c = more(ops, k, lays, pictures, registers, x, y, z, nx, ny, nz, wide)
        registers[to, 0], registers[to, 1], registers[to, 2] = r, g, c


@kernel
def shifted(which, x, y, z, nx, ny, nz, wide):
    """One of four points about a point, at which a height is compared; 0 is the point itself."""
    if which == 0:
        return x, y, z
    ax, ay, az, bx, by, bz = frame_about(nx, ny, nz)
    s = 0.5 * shift_step(x, y, z, wide)
    if which == 2 or which == 4:
        s = -s
    if which > 2:
        ax, ay, az = bx, by, bz
    return x + s * ax, y + s * ay, z + s * az


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


@units.run_heights.made
def run_heights(ops, first, last, lays, pictures, four, at, nx, ny, nz, wide, count):
    """The first number of register 0 after a program, at `count` points at once: what relief is felt by.

    at : (3, count) points in the part's own mm. four : (REGISTER_ROWS, count), where its first row holds the result. The caller passes four:
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
                    value, _g, _b, cover = image(op, lays, pictures, four, x, y, z, nx, ny, nz, wide)
                    r[p] = value * cover
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
def _between(row, at, value, cover):
    row[at] = (1.0 - cover) * row[at] + cover * value  # the very value where it covers


@inlined
def _between_three(row, at, r, g, b, cover):
    _between(row, at, r, cover)
    _between(row, at + 1, g, cover)
    _between(row, at + 2, b, cover)


@inlined
def lead_colour(row, r, g, b, cover):
    """Lead a base colour into a row by a share; what follows from it is for `settle` or `settle_base`."""
    _between_three(row, o.GIVEN_COLOUR, max(0.0, r), max(0.0, g), max(0.0, b), cover)


@kernel
def lead(row, op, r, g, b, x, y, z, cover):
    """Lead a value into the number, or three, of a material's row that a wire tells, by a share `cover`. What follows from them is for `settle`,
    after the last."""
    to, how, least, most = int(op[O_TO]), int(op[W_HOW]), op[W_LEAST], op[W_MOST]
    if how <= o.MULTIPLIES:
        r, g, b = min(most, max(least, r)), min(most, max(least, g)), min(most, max(least, b))
        if how == o.MULTIPLIES:
            r, g, b = r * row[to], g * row[to + 1], b * row[to + 2]
        _between(row, to, r, cover)
        if op[W_COUNT] > 1.0:
            _between(row, to + 1, g, cover)
            _between(row, to + 2, b, cover)
    elif how == o.LEADS_FILM:
        if row[to] >= 0.0 and _even_here(x, y, z, 1) >= r:
            row[to] = -1.0
    elif how == o.LEADS_THICKNESS:
        if row[to] >= 0.0:  # between two films that are baked by chance, so that the mean is right
            level = min(1.0, max(0.0, r / op[W_RAW])) * (FILM_LEVELS - 1)
            row[to] = row[o.FILM_FIRST] + math.floor(level + _even_here(x, y, z, 2))
    elif how == o.LEADS_GLOW:
        nits = max(0.0, r)
        _between_three(row, to, op[W_RAW] * nits, op[W_RAW + 1] * nits, op[W_RAW + 2] * nits, cover)
    else:
        row[to], row[to + 1] = math.cos(math.radians(r)), math.sin(math.radians(r))


@inlined
def _even_here(x, y, z, seed):
    """An even number that changes from point to point."""
    return even_of(lattice(int(x * 65536.0), int(y * 65536.0), int(z * 65536.0), seed), 10)


@entry
def run_shown(ops, lays, pictures, registers, points, normals, facings, wide, which, out):
    """Several registers after a program at many points: points, normals (n, 3), facings (n,); `which` (m,) registers; out (m, n, 3). `registers` has
    a row for each that the program uses, and in its first rows what is known of the part."""
    row = np.zeros(o.COLUMNS)
    for k in range(len(points)):
        run(
            ops, 0, len(ops), lays, pictures, registers, row, points[k, 0], points[k, 1], points[k, 2], normals[k, 0], normals[k, 1], normals[k, 2],
            facings[k], wide,
        )  # fmt: skip
        for m in range(len(which)):
            for c in range(3):
                out[m, k, c] = registers[which[m], c]


@entry
def run_points(ops, lays, pictures, points, normals, uvs, wide, known, out):
    """Register 0 after a program at many points: points, normals (n, 3), uvs (n, 2) or empty; `known` (k, 4) the
    first rows of the registers; out (n, 3)."""
    registers = np.zeros((REGISTER_ROWS, 4))
    registers[: len(known)] = known
    row = np.zeros(o.COLUMNS)
    row[o.ALPHA_X] = row[o.ALPHA_Y] = 1.0
    for k in range(len(points)):
        if len(uvs) > 0:
            registers[U_ROW, 3], registers[V_ROW, 3] = uvs[k, 0], uvs[k, 1]
        run(
            ops, 0, len(ops), lays, pictures, registers, row, points[k, 0], points[k, 1], points[k, 2], normals[k, 0], normals[k, 1], normals[k, 2],
            1.0, wide,
        )  # fmt: skip
        bare = registers[0, 3] if len(ops) > 0 and ops[len(ops) - 1, O_P] > 0.0 else 1.0
        for c in range(3):
            out[k, c] = registers[0, c] * bare
