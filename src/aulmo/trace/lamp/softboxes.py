"""Softboxes on the dome, evaluated exactly where a ray meets it: no map has to be sharp enough for them.

Each has a small table of its own light by which directions are chosen; any table is right, a good one is quick. The table's cells are even in
longitude along the long side and in the sine of the latitude across it, and so of one solid angle.
"""

import math

import numpy as np

from aulmo.trace.compile.arrays import (
    BOX_ADD,
    BOX_CELLS,
    BOX_FLAG,
    BOX_HALF,
    BOX_POLYGON,
    BOX_RECTANGLE,
    BOX_RING,
    GRADED_ACROSS,
    GRADED_ALONG,
    GRADED_ROUND,
    LAMP_CHANCE,
    LAMP_KIND,
    LAMP_N,
    LAMP_SIZE,
    NOT_GRADED,
    SB_BENT,
    SB_BLEND,
    SB_CORNER,
    SB_EDGE,
    SB_FIRST,
    SB_GRADE,
    SB_HALF_H,
    SB_HALF_W,
    SB_HIGH,
    SB_HOT,
    SB_HOT_SIZE,
    SB_INNER,
    SB_LON,
    SB_LONG,
    SB_MIDDLE,
    SB_NEAR,
    SB_OPACITY,
    SB_RGB,
    SB_RIGHT,
    SB_ROWS,
    SB_SHAPE,
    SB_SHORT,
    SB_SIDES,
    SB_TABLE,
    SB_TEXELS,
    SB_UP,
    SOFTBOX,
)
from aulmo.trace.compile.entry import entry
from aulmo.trace.compile.jit import inlined, kernel


@inlined
def _along(row, axis, x, y, z):
    return row[axis] * x + row[axis + 1] * y + row[axis + 2] * z


@inlined
def _ellipse(x, y, a, b):
    """How far inside an ellipse with half axes a, b a point lies (to first order, in the units of a and b), given as shares x, y of them."""
    rho = math.sqrt(x * x + y * y)
    if rho < 1e-6:
        return min(a, b)
    return (1.0 - rho) * rho / math.sqrt((x / a) * (x / a) + (y / b) * (y / b))


@kernel
def _inside(row, x, y):
    """How far inside its outline a place (shares of the half sizes) lies, as a share of half the smaller side; below 0 outside."""
    half = min(row[SB_HALF_W], row[SB_HALF_H])
    a, b = row[SB_HALF_W] / half, row[SB_HALF_H] / half
    shape = int(row[SB_SHAPE])
    if shape == BOX_RECTANGLE:
        corner = row[SB_CORNER]
        px, py = abs(x) * a - (a - corner), abs(y) * b - (b - corner)
        if px > 0.0 and py > 0.0:
            return corner - math.sqrt(px * px + py * py)
        return corner - max(px, py)
    if shape == BOX_HALF:
        up = 0.5 * (y + 1.0)
        return min(_ellipse(x, up, a, 2.0 * b), 2.0 * b * up)
    if shape == BOX_POLYGON:
        sector = 2.0 * math.pi / row[SB_SIDES]
        phi = math.atan2(x, y)
        phi -= sector * math.floor(phi / sector + 0.5)
        apothem = math.cos(0.5 * sector)
        rho = math.sqrt(x * x + y * y)
        return apothem - rho * math.cos(abs(phi) - 0.5 * sector)
    inside = _ellipse(x, y, a, b)
    if shape == BOX_RING:
        inner = row[SB_INNER]
        inside = min(inside, -_ellipse(x / inner, y / inner, a * inner, b * inner) if inner > 0.0 else inside)
    return inside


@kernel
def box_place(row, dx, dy, dz):
    """Where a direction meets a softbox, as shares of its half sizes to its right and up; beyond 1 outside."""
    c = _along(row, SB_MIDDLE, dx, dy, dz)
    x, y = _along(row, SB_RIGHT, dx, dy, dz), _along(row, SB_UP, dx, dy, dz)
    if row[SB_BENT] == 1.0:  # its width along the great circle
        return math.atan2(x, c) / row[SB_HALF_W], math.asin(min(1.0, max(-1.0, y))) / row[SB_HALF_H]
    if row[SB_BENT] == 2.0:
        return math.asin(min(1.0, max(-1.0, x))) / row[SB_HALF_W], math.atan2(y, c) / row[SB_HALF_H]
    if int(row[SB_SHAPE]) == BOX_RECTANGLE:  # as a flat one before the middle is seen: its sides are great circles
        if c <= 0.0:
            return 9.0, 9.0
        return math.atan2(x, c) / row[SB_HALF_W], math.atan2(y, c) / row[SB_HALF_H]
    across = math.sqrt(x * x + y * y)
    angle = math.atan2(across, c) / max(1e-12, across)
    return x * angle / row[SB_HALF_W], y * angle / row[SB_HALF_H]


@inlined
def _texel(lights, row, i, j):
    w, h = int(row[SB_TEXELS]), int(row[SB_ROWS])
    return int(row[SB_FIRST]) + min(h - 1, max(0, j)) * w + min(w - 1, max(0, i))


@kernel
def _lit_by_picture(lights, row, u, v):
    """Bilinear light and cover (r, g, b, a) of a softbox's grade or picture at shares u to the right and v down."""
    fx, fy = u * row[SB_TEXELS] - 0.5, v * row[SB_ROWS] - 0.5
    i, j = int(math.floor(fx)), int(math.floor(fy))
    fx, fy = fx - i, fy - j
    p, q, r, s = (1.0 - fx) * (1.0 - fy), fx * (1.0 - fy), (1.0 - fx) * fy, fx * fy
    a, b = _texel(lights, row, i, j), _texel(lights, row, i + 1, j)
    c, d = _texel(lights, row, i, j + 1), _texel(lights, row, i + 1, j + 1)
    return (
        p * lights[a, 0] + q * lights[b, 0] + r * lights[c, 0] + s * lights[d, 0],
        p * lights[a, 1] + q * lights[b, 1] + r * lights[c, 1] + s * lights[d, 1],
        p * lights[a, 2] + q * lights[b, 2] + r * lights[c, 2] + s * lights[d, 2],
        p * lights[a, 3] + q * lights[b, 3] + r * lights[c, 3] + s * lights[d, 3],
    )


@kernel
def box_light(row, lights, dx, dy, dz):
    """What a softbox is along a direction: red, green, blue (nits), how much of what lies below it covers (0..1)."""
    if _along(row, SB_MIDDLE, dx, dy, dz) < row[SB_NEAR]:
        return 0.0, 0.0, 0.0, 0.0
    x, y = box_place(row, dx, dy, dz)
    if abs(x) > 1.0 or abs(y) > 1.0:
        return 0.0, 0.0, 0.0, 0.0
    inside = _inside(row, x, y)
    if inside <= 0.0:
        return 0.0, 0.0, 0.0, 0.0
    cover = row[SB_OPACITY]
    if inside < row[SB_EDGE]:
        s = inside / row[SB_EDGE]
        cover *= s * s * (3.0 - 2.0 * s)
    r = g = b = 1.0
    grade = int(row[SB_GRADE])
    if grade != NOT_GRADED:
        u, v = 0.5 + 0.5 * x, 0.5 - 0.5 * y
        if grade == GRADED_ALONG:
            u, v = 0.5 + 0.5 * y, 0.5
        elif grade == GRADED_ACROSS:
            v = 0.5
        elif grade == GRADED_ROUND:
            u, v = math.sqrt(x * x + y * y), 0.5
        r, g, b, a = _lit_by_picture(lights, row, u, v)
        cover *= a
    if row[SB_HOT] > 0.0:
        f = math.sqrt(x * x + y * y) / row[SB_HOT_SIZE]
        f = 1.0 - row[SB_HOT] * (1.0 - math.exp(-math.log(2.0) * f * f))
        r, g, b = r * f, g * f, b * f
    return r * row[SB_RGB], g * row[SB_RGB + 1], b * row[SB_RGB + 2], cover


@kernel
def box_given(boxes, lights, k, dx, dy, dz):
    """Light (nits) that the k-th softbox sends along a direction when what lies over it has taken its share."""
    r, g, b, cover = box_light(boxes[k], lights, dx, dy, dz)
    if cover > 0.0:
        for j in range(k + 1, len(boxes)):
            if boxes[j, SB_BLEND] != BOX_ADD:
                cover *= 1.0 - box_light(boxes[j], lights, dx, dy, dz)[3]
    return r * cover, g * cover, b * cover


@kernel
def ground_left(boxes, lights, dx, dy, dz):
    """How much of the ground softboxes leave along a direction, 0..1."""
    left = 1.0
    for k in range(len(boxes)):
        if boxes[k, SB_BLEND] != BOX_ADD:
            left *= 1.0 - box_light(boxes[k], lights, dx, dy, dz)[3]
    return left


@kernel
def over_ground(boxes, lights, dx, dy, dz, r, g, b):
    """What is seen of a ground of light (r, g, b) and all softboxes on it."""
    for k in range(len(boxes)):
        br, bg, bb, cover = box_light(boxes[k], lights, dx, dy, dz)
        if cover > 0.0:
            blend = int(boxes[k, SB_BLEND])
            if blend != BOX_ADD:
                r, g, b = r * (1.0 - cover), g * (1.0 - cover), b * (1.0 - cover)
            if blend != BOX_FLAG:
                r, g, b = r + cover * br, g + cover * bg, b + cover * bb
    return r, g, b


# choosing directions


@inlined
def _find(tables, start, x):
    """The cell of BOX_CELLS running sums in whose part x lies, and how far into it."""
    low, high = 0, BOX_CELLS - 1
    while low < high:
        k = (low + high) // 2
        if tables[start + k] <= x:
            low = k + 1
        else:
            high = k
    before = tables[start + low - 1] if low > 0 else np.float32(0.0)
    return low, (x - before) / max(1e-12, np.float64(tables[start + low] - before))


@kernel
def sample_box(row, tables, s, t):
    """A direction toward a softbox for s and t below 1: (x, y, z, density per steradian)."""
    start = int(row[SB_TABLE])
    j, f = _find(tables, start, s)
    i, e = _find(tables, start + BOX_CELLS + j * BOX_CELLS, t)
    lon = row[SB_LON] * (2.0 * (i + min(1.0, e)) / BOX_CELLS - 1.0)
    high = row[SB_HIGH] * (2.0 * (j + min(1.0, f)) / BOX_CELLS - 1.0)
    flat = math.sqrt(max(0.0, 1.0 - high * high))
    c, p = flat * math.cos(lon), flat * math.sin(lon)
    m, n, q = SB_MIDDLE, SB_LONG, SB_SHORT
    return (
        c * row[m] + p * row[n] + high * row[q],
        c * row[m + 1] + p * row[n + 1] + high * row[q + 1],
        c * row[m + 2] + p * row[n + 2] + high * row[q + 2],
        np.float64(tables[start + BOX_CELLS + BOX_CELLS * BOX_CELLS + j * BOX_CELLS + i]),
    )


@kernel
def box_density(row, tables, dx, dy, dz):
    """Density per steradian with which `sample_box` picks a direction."""
    high = _along(row, SB_SHORT, dx, dy, dz) / row[SB_HIGH]
    lon = math.atan2(_along(row, SB_LONG, dx, dy, dz), _along(row, SB_MIDDLE, dx, dy, dz)) / row[SB_LON]
    if abs(high) > 1.0 or abs(lon) > 1.0:
        return 0.0
    j = min(BOX_CELLS - 1, int((0.5 + 0.5 * high) * BOX_CELLS))
    i = min(BOX_CELLS - 1, int((0.5 + 0.5 * lon) * BOX_CELLS))
    return np.float64(tables[int(row[SB_TABLE]) + BOX_CELLS + BOX_CELLS * BOX_CELLS + j * BOX_CELLS + i])


@inlined
def far_promise(lamp, aim):
    """How much of a lamp at the end of the world a point can make something of: `light_tree` tells what `aim` is, and this is its promise for a
    ball that is endlessly far."""
    nx, ny, nz, rx, ry, rz, matt, shine, width = aim
    x, y, z = -lamp[LAMP_N], -lamp[LAMP_N + 1], -lamp[LAMP_N + 2]
    sine = lamp[LAMP_SIZE] if int(lamp[LAMP_KIND]) == SOFTBOX else 0.01
    facing = 1.0
    if sine < 1.0 and (nx != 0.0 or ny != 0.0 or nz != 0.0):
        cosine = nx * x + ny * y + nz * z
        round_ = math.sqrt(1.0 - sine * sine)
        if cosine < round_:
            facing = max(0.0, cosine * round_ + math.sqrt(max(0.0, 1.0 - cosine * cosine)) * sine)
    if facing <= 0.0:
        return 0.0
    wide = min(1.0, width + 0.25 * sine * sine)
    off = 1.0 - (1.0 - wide) * (0.5 + 0.5 * (rx * x + ry * y + rz * z))
    return lamp[LAMP_CHANCE] * (matt * facing + shine * wide / (off * off) + 1e-3)


@kernel
def far_promises(scene, aim):
    """The promises of all distant lamps and softboxes together."""
    total = 0.0
    for k in range(len(scene.distant)):
        total += far_promise(scene.lamps[scene.distant[k]], aim)
    return total


# drawing them


@entry
def paint_box(boxes, lights, k, directions, out):
    """Light (n, 3) that the k-th softbox sends along directions (n, 3)."""
    for n in range(len(directions)):
        out[n, 0], out[n, 1], out[n, 2] = box_given(boxes, lights, k, directions[n, 0], directions[n, 1], directions[n, 2])


@entry
def paint_over(boxes, lights, directions, out):
    """Lay all softboxes over the light `out` (n, 3), nits, seen along directions (n, 3)."""
    for n in range(len(directions)):
        out[n, 0], out[n, 1], out[n, 2] = over_ground(
            boxes, lights, directions[n, 0], directions[n, 1], directions[n, 2], out[n, 0], out[n, 1], out[n, 2]
        )


def box_table(boxes: np.ndarray, lights: np.ndarray, k: int, fine: int = 3) -> np.ndarray:
    """(arrays.BOX_TABLE,) float32 by which the k-th softbox is sampled: its luminance in cells of one solid angle, none without a chance."""
    from aulmo.surface.colour import LUMINANCE

    row = boxes[k]
    n = BOX_CELLS * fine
    share = (np.arange(n) + 0.5) / n * 2 - 1
    lon, high = np.meshgrid(share * row[SB_LON], share * row[SB_HIGH])
    flat = np.sqrt(np.maximum(0.0, 1 - high * high))
    axes = row[[*range(SB_MIDDLE, SB_MIDDLE + 3), *range(SB_LONG, SB_LONG + 3), *range(SB_SHORT, SB_SHORT + 3)]].reshape(3, 3)
    directions = np.stack([flat * np.cos(lon), flat * np.sin(lon), high], -1).reshape(-1, 3) @ axes
    out = np.empty_like(directions)
    paint_box(boxes, lights, k, directions, out)
    light = np.maximum(out @ LUMINANCE, 0.0).reshape(BOX_CELLS, fine, BOX_CELLS, fine).mean((1, 3))
    light = np.maximum(light, 0.02 * light.mean() + 1e-30)
    cell = 2 * row[SB_LON] / BOX_CELLS * 2 * row[SB_HIGH] / BOX_CELLS
    rows = np.cumsum(light.sum(1) / light.sum()).astype(np.float32)
    within = np.cumsum(light / light.sum(1, keepdims=True), 1).astype(np.float32)
    rows[-1] = within[:, -1] = 1.0
    chance = np.diff(rows.astype(float), prepend=0.0)[:, None] * np.diff(within.astype(float), axis=1, prepend=0.0)
    return np.concatenate([rows, within.ravel(), (chance / cell).ravel()]).astype(np.float32)

