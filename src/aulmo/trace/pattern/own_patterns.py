"""Patterns of our own that lie on the surface or fill space, in a part's millimetres: repeated shapes, knurl, brushed lines, scratches, leather,
flakes.

Each is averaged over the footprint or fades into its mean where it is too fine to be seen.
"""

import math

from aulmo.surface.program import O_P
from aulmo.trace.compile.jit import inlined, kernel
from aulmo.trace.compile.units import laid, look_up
from aulmo.trace.path.sampling import frame_about
from aulmo.trace.pattern.patterns import even_of, gradient_noise, lattice, seen


@inlined
def smooth(t):
    """The standard's smooth step of a share 0..1."""
    t = min(1.0, max(0.0, t))
    return t * t * (3.0 - 2.0 * t)


@inlined
def on_surface(lays, which, registers, x, y, z, nx, ny, nz, wide):
    """Millimetres right and up where a pattern lies on the surface."""
    s, t, _c, _x, _y, _z, _s, _r, _d = laid(lays[int(which)], registers, x, y, z, nx, ny, nz, wide, -1)
    return s - 0.5, 0.5 - t


@kernel
def shape_share(op, pictures, u, v, wide):
    """How much of a footprint the shapes of a repeated pattern cover."""
    size, sx, sy = op[O_P], op[O_P + 1], op[O_P + 2]
    kind, held = int(op[O_P + 4]), int(op[O_P + 5])
    jitter, spin, stagger, seed, picture, tall = op[O_P + 8], op[O_P + 9], op[O_P + 10], int(op[O_P + 11]), int(op[O_P + 12]), op[O_P + 13]
    reach = size * max(1.0, tall)
    edge = max(1e-9, wide)
    # a footprint of several tiles sees the share they cover of all
    far = min(1.0, max(0.0, wide / min(sx, sy) - 0.5))
    mean = 0.0
    if far > 0.0 or wide > size:
        full = 0.7853982 if kind == 0 else 0.2827433 if kind == 2 else tall
        if kind == 3:
            _r, _g, _b, full = look_up(pictures[picture], 0.5, 0.5, 1.0, False)
            full *= tall
        mean = min(1.0, full * size * size / (sx * sy))
        if held == 1 and abs(v) > 0.5 * sy + wide or held == 2 and abs(u) > 0.5 * sx + wide:
            mean = 0.0
    if far >= 1.0 and held == 0:
        return mean
    j0 = int(math.floor(v / sy + 0.5))
    best = 0.0
    for dj in range(-1, 2):
        j = j0 + dj
        if (held == 1 or held == 3) and j != 0:
            continue
        off = stagger * sx * j
        i0 = int(math.floor((u - off) / sx + 0.5))
        for di in range(-1, 2):
            i = i0 + di
            if held >= 2 and i != 0:
                continue
            h = lattice(i, j, 29, seed)
            cx = i * sx + off + jitter * (even_of(h, 0) - 0.5) * sx
            cy = j * sy + jitter * (even_of(h, 10) - 0.5) * sy
            dx, dy = u - cx, v - cy
            if abs(dx) > reach + edge or abs(dy) > reach + edge:
                continue
            c, s = op[O_P + 6], op[O_P + 7]
            if spin > 0.0:
                a = spin * (2.0 * even_of(h, 20) - 1.0)
                c, s = c * math.cos(a) - s * math.sin(a), s * math.cos(a) + c * math.sin(a)
            dx, dy = c * dx + s * dy, c * dy - s * dx
            if kind == 3:
                if abs(dx) > 0.5 * size or abs(dy) > 0.5 * size * tall:
                    continue
                _r, _g, _b, one = look_up(pictures[picture], dx / size + 0.5, 0.5 - dy / (size * tall), wide / size, False)
            else:
                radius = math.sqrt(dx * dx + dy * dy)
                if kind == 0:
                    d = radius - 0.5 * size
                elif kind == 1:
                    d = max(abs(dx) - 0.5 * size, abs(dy) - 0.5 * size * tall)
                else:
                    d = abs(radius - 0.45 * size) - 0.05 * size
                one = min(1.0, max(0.0, 0.5 - d / edge))
            best = max(best, one)
    return best + far * (mean - best)


@inlined
def _wave(t, sharp):
    """A wave of period 1 between 0 and 1: round, or like a saw's tooth."""
    t = t - math.floor(t)
    return sharp * (1.0 - abs(2.0 * t - 1.0)) + (1.0 - sharp) * (0.5 - 0.5 * math.cos(2.0 * math.pi * t))


@kernel
def knurl(op, u, v, wide):
    """Height of a knurl, 0 in the grooves to 1 on the points; its mean where it is too fine to be seen."""
    size, c, s, sharp = op[O_P], op[O_P + 2], op[O_P + 3], op[O_P + 4]
    shown = seen(size, wide)
    if op[O_P + 5] > 0.0:
        return 0.5 + shown * (_wave(u / size, sharp) - 0.5)
    one, other = _wave((c * u + s * v) / size, sharp), _wave((c * u - s * v) / size, sharp)
    return 1.0 / 3.0 + shown * (min(one, other) - 1.0 / 3.0)


@kernel
def brushed(op, x, y, z, wide):
    """Fine lines along an axis, or round it, 0..1 about a half."""
    size, length, axis, seed = op[O_P], op[O_P + 1], int(op[O_P + 2]), int(op[O_P + 4])
    if axis == 0:
        x, y, z = y, z, x
    elif axis == 1:
        x, y, z = z, x, y
    shown, fine = seen(size, wide), seen(0.4 * size, wide)
    if shown == 0.0:
        return 0.5
    if op[O_P + 3] > 0.0:
        r = math.sqrt(x * x + y * y)
        waver = 0.35 * gradient_noise(x / length, y / length, z / length, seed + 7)
        a, b, c = r / size + waver, z / size, x / length
    else:
        a, b, c = x / size, y / size, z / length
    n = 0.7 * gradient_noise(a, b, c, seed)
    if fine > 0.0:
        n += 0.5 * fine * gradient_noise(2.5 * a, 2.5 * b, 2.0 * c, seed + 1)
    return min(1.0, max(0.0, 0.5 + 0.6 * shown * n))


@kernel
def scratches(op, u, v, wide):
    """How much of a footprint scratches cover: slightly bent strokes, one or none to a cell of three grids that are turned against one another."""
    length, thick, share, bend, seed = op[O_P], op[O_P + 1], op[O_P + 2], op[O_P + 3], int(op[O_P + 4])
    edge = max(1e-9, wide)
    best = 0.0
    for layer in range(3):
        turn = 0.7 + 1.1 * layer
        c, s = math.cos(turn), math.sin(turn)
        a, b = (c * u - s * v) / length + 0.37 * layer, (s * u + c * v) / length + 0.61 * layer
        i0, j0 = int(math.floor(a)), int(math.floor(b))
        for i in range(i0 - 1, i0 + 2):
            for j in range(j0 - 1, j0 + 2):
                h = lattice(i, j, 41 + layer, seed)
                if even_of(h, 20) >= share:
                    continue
                px, py = a - i - even_of(h, 0), b - j - even_of(h, 10)
                h = lattice(i, j, 53 + layer, seed)
                way = math.pi * even_of(h, 0)
                wx, wy = math.cos(way), math.sin(way)
                half = 0.25 + 0.25 * even_of(h, 10)
                along = px * wx + py * wy
                across = py * wx - px * wy - bend * (even_of(h, 20) - 0.5) * (along * along / half - half)
                beyond = max(0.0, abs(along) - half)
                d = length * math.sqrt(across * across + beyond * beyond)
                w = thick * (0.4 + 0.6 * even_of(h, 15)) * max(0.0, 1.0 - (along / half) * (along / half) * 0.7)
                best = max(best, min(1.0, max(0.0, (0.5 * w - d) / edge + 0.5)) * min(1.0, w / edge))
    return best


@kernel
def leather(op, x, y, z, wide):
    """Height of leather: grains that rise between creases, 0..1."""
    size, crease, seed, mean = op[O_P], op[O_P + 1], int(op[O_P + 2]), op[O_P + 3]
    shown = seen(size, wide)
    if shown == 0.0:
        return mean
    x, y, z = x / size, y / size, z / size
    x += 0.25 * gradient_noise(0.7 * x, 0.7 * y, 0.7 * z, seed + 3)
    y += 0.25 * gradient_noise(0.7 * x + 9.0, 0.7 * y, 0.7 * z, seed + 4)
    i, j, k = int(math.floor(x)), int(math.floor(y)), int(math.floor(z))
    one = other = 9.0
    for a in range(i - 1, i + 2):
        for b in range(j - 1, j + 2):
            for c in range(k - 1, k + 2):
                h = lattice(a, b, c, seed)
                dx, dy, dz = a + even_of(h, 0) - x, b + even_of(h, 10) - y, c + even_of(h, 20) - z
                d = dx * dx + dy * dy + dz * dz
                if d < one:
                    one, other = d, one
                elif d < other:
                    other = d
    gap = math.sqrt(other) - math.sqrt(one)
    height = smooth(gap / crease) * (0.85 + 0.15 * gradient_noise(3.0 * x, 3.0 * y, 3.0 * z, seed + 5))
    return mean + shown * (min(1.0, max(0.0, height)) - mean)


@kernel
def flake(op, x, y, z, nx, ny, nz):
    """What the flake at a point gives: whether there is one, its random number, and which way it faces."""
    size, share, spread, seed = op[O_P], op[O_P + 1], op[O_P + 2], int(op[O_P + 3])
    x, y, z = x / size, y / size, z / size
    i, j, k = int(math.floor(x)), int(math.floor(y)), int(math.floor(z))
    best, bi, bj, bk = 9.0, i, j, k
    for a in range(i - 1, i + 2):
        for b in range(j - 1, j + 2):
            for c in range(k - 1, k + 2):
                h = lattice(a, b, c, seed)
                dx, dy, dz = a + even_of(h, 0) - x, b + even_of(h, 10) - y, c + even_of(h, 20) - z
                d = dx * dx + dy * dy + dz * dz
                if d < best:
                    best, bi, bj, bk = d, a, b, c
    h = lattice(bi, bj, bk, seed + 1)
    one = even_of(h, 0)
    if one >= share:
        return 0.0, one, nx, ny, nz
    radius = spread * math.sqrt(-2.0 * math.log(max(1e-6, 1.0 - even_of(h, 10))))
    turn = 2.0 * math.pi * even_of(h, 20)
    ax, ay, az, bx, by, bz = frame_about(nx, ny, nz)
    s, t = radius * math.cos(turn), radius * math.sin(turn)
    fx, fy, fz = nx + s * ax + t * bx, ny + s * ay + t * by, nz + s * az + t * bz
    length = 1.0 / math.sqrt(max(1e-30, fx * fx + fy * fy + fz * fz))
    return 1.0, one, fx * length, fy * length, fz * length
