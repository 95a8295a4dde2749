"""How light it is at places, and how open toward each side: a coarse grid of the space about the parts, which tells a draft where it is dark.

Each cell keeps light and visibility of the far away as spherical harmonics up to the first degree, c0 + c . d for a direction d. Convolved with
the cosine, light is what a surface gets: c0 + 2/3 c . n (Ramamoorthi & Hanrahan 2001, "An efficient representation for irradiance environment
maps"). Cells whose rays mostly meet backs of surfaces lie within something and count for nothing.
"""

import math

import numpy as np

from aulmo.trace.compile import units
from aulmo.trace.compile.borrowed import borrowed, on_stack
from aulmo.trace.compile.entry import entry
from aulmo.trace.shape.embree import MASK_SOLID, NO_HIT, RAY_WORDS, intersect, set_ray

WITHIN = 0.25  # share of rays that may meet backs before a cell counts as lying within something


@entry
def look_round(top, low, cell, directions, shape, first, last, seen, counts):
    """Say for cells `first` to before `last`, counted along x, then y, then z, which directions are open: `seen` (cells, n) uint8; and which cells
    count, `counts` (cells,) float32. low : (3,) corner of the grid, cell : mm, directions : (n, 3), shape : (3,) cells along x, y, z."""
    block = np.zeros(RAY_WORDS, np.float32)
    ray, words = borrowed(block), borrowed(block.view(np.uint32))
    wide, high = shape[0], shape[1]
    n = len(directions)
    for k in range(first, min(last, len(seen))):
        i, j, h = k % wide, k // wide % high, k // (wide * high)
        x, y, z = low[0] + (i + 0.5) * cell, low[1] + (j + 0.5) * cell, low[2] + (h + 0.5) * cell
        backs = 0
        for d in range(n):
            dx, dy, dz = directions[d, 0], directions[d, 1], directions[d, 2]
            set_ray(ray, words, x, y, z, dx, dy, dz, 0.0, 1e30, MASK_SOLID)
            intersect(top, ray)
            if words[17] == NO_HIT:
                seen[k, d] = 1
            elif ray[12] * dx + ray[13] * dy + ray[14] * dz > 0.0:
                backs += 1
        counts[k] = 0.0 if backs > WITHIN * n else 1.0
    if ray[0] == 1e31:  # never so: keeps the block alive to the end
        block[0] = 0.0


@units.closed_toward.made
def closed_toward(grid, place, x, y, z, nx, ny, nz, rx, ry, rz):
    """How much less light than under the open sky a surface at a point gets, 0 for as much and 1 for none; and how much of the sky is hidden
    along r.

    grid : (z, y, x, 9) light, visibility, whether the cell counts. place : low corner of the grid, cells in a mm, share of light that surfaces
    give back, light of the open sky. The point is looked at a little above the surface.
    """
    deep, high, wide = grid.shape[0], grid.shape[1], grid.shape[2]
    ox, oy, oz = (x - place[0]) * place[3] - 0.5, (y - place[1]) * place[3] - 0.5, (z - place[2]) * place[3] - 0.5
    above = ox * nx + oy * ny + oz * nz
    fx = min(wide - 1.001, max(0.0, ox + 0.7 * nx))
    fy = min(high - 1.001, max(0.0, oy + 0.7 * ny))
    fz = min(deep - 1.001, max(0.0, oz + 0.7 * nz))
    i, j, h = int(fx), int(fy), int(fz)
    fx, fy, fz = fx - i, fy - j, fz - h
    got = on_stack(place)
    for c in range(8):
        got[c] = 0.0
    total = 0.0
    for k in range(8):
        a, b, c = k & 1, (k >> 1) & 1, k >> 2
        w = (fx if a else 1.0 - fx) * (fy if b else 1.0 - fy) * (fz if c else 1.0 - fz)
        u, v, t = min(i + a, wide - 1), min(j + b, high - 1), min(h + c, deep - 1)
        ahead = u * nx + v * ny + t * nz - above
        g = grid[t, v, u]
        w *= g[8] * min(1.0, max(0.02, ahead + 0.1))  # what lies behind the surface sees another sky
        for n in range(8):
            got[n] += w * g[n]
        total += w
    if total < 1e-3:
        return 0.5, 0.5
    s = 1.0 / total
    light = s * (got[0] + (got[1] * nx + got[2] * ny + got[3] * nz) * (2.0 / 3.0))
    sky = place[5] + (place[6] * nx + place[7] * ny + place[8] * nz) * (2.0 / 3.0)
    along = s * (got[4] + got[5] * rx + got[6] * ry + got[7] * rz)
    return 1.0 - min(1.5, max(0.0, light) / max(0.2 * place[5], sky)), 1.0 - min(1.0, max(0.0, along))


def spread(count: int) -> np.ndarray:
    """(count, 3) directions spread evenly over the sphere (Fibonacci's spiral)."""
    k = np.arange(count) + 0.5
    z, phi = 1.0 - 2.0 * k / count, k * (math.pi * (3.0 - math.sqrt(5.0)))
    s = np.sqrt(1.0 - z * z)
    return np.ascontiguousarray(np.stack([s * np.cos(phi), s * np.sin(phi), z], -1))
