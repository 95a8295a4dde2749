"""How much light each layer of a material gives back, worked out once per material into a small table.

Reference: Heitz 2018, "Sampling the GGX distribution of visible normals" (the mean of F G2 / G1 over visible normals is the albedo).
"""

import math

import numpy as np

from aulmo.trace.compile.entry import entry
from aulmo.trace.compile.jit import inlined, kernel
from aulmo.trace.material.microfacet import fresnel_dielectric, sample_visible_normal, sheen, smith_lambda
from aulmo.surface.columns import (
    ALPHA_X,
    ALPHA_Y,
    COAT,
    COAT_ALPHA,
    COAT_ALPHA_Y,
    COAT_IOR,
    ETA,
    E_COAT,
    E_FUZZ,
    E_GLASS,
    E_GLASS_INSIDE,
    E_METAL,
    E_SPECULAR,
    E_TURNING,
    FILM,
    FUZZ,
    FUZZ_ROUGHNESS,
    MU_STEPS,
    REFRACTION,
    STRETCHED,
    TRANSMISSION,
)
from aulmo.trace.material.openpbr import clear_boundary, film_at
from aulmo.trace.path.sampling import draw_2d


@inlined
def _looked_at(mu, across, k, seed, ax, ay):
    """A view at cosine `mu` along x, or along y, and the k-th microfacet it sees: (x, y, hx, hy, hz, cosine between both)."""
    sine = math.sqrt(max(0.0, 1.0 - mu * mu))
    x, y = (0.0, sine) if across else (sine, 0.0)
    u, v = draw_2d(k, seed)
    hx, hy, hz = sample_visible_normal(x, y, mu, ax, ay, u, v)
    return x, y, hx, hy, hz, x * hx + y * hy + mu * hz


@kernel
def _bake_reflection(eta, ax, ay, conductor, films, film, mu, across, samples):
    """Directional albedo of single-scattering reflection, by sampling visible normals: mean of F * G2 / G1. `across` looks along y."""
    total = 0.0
    for k in range(samples):
        x, y, hx, hy, hz, c = _looked_at(mu, across, k, np.uint64(77), ax, ay)
        iz = 2.0 * c * hz - mu
        if iz <= 0.0:
            continue
        ix, iy = 2.0 * c * hx - x, 2.0 * c * hy - y
        lambda_o = smith_lambda(x, y, mu, ax, ay)
        f = 1.0
        if not conductor:
            if film >= 0:
                r, g, b = film_at(films, film, 0, c)
                f = max(r, g, b)
            else:
                f, _ = fresnel_dielectric(c, eta)
        total += f * (1.0 + lambda_o) / (1.0 + lambda_o + smith_lambda(ix, iy, iz, ax, ay))
    return total / samples


@kernel
def _bake_glass(material, films, inside, mu, across, samples):
    """Directional albedo of rough reflection and refraction together. `across` looks along y."""
    ax, ay = material[ALPHA_X], material[ALPHA_Y]
    eta = 1.0 / material[REFRACTION] if inside else material[REFRACTION]
    total = 0.0
    for k in range(samples):
        x, y, hx, hy, hz, c = _looked_at(mu, across, k, np.uint64(91), ax, ay)
        _r, _g, _b, f, t = clear_boundary(material, films, c, eta, inside)
        lambda_o = smith_lambda(x, y, mu, ax, ay)
        rx, ry, rz = 2.0 * c * hx - x, 2.0 * c * hy - y, 2.0 * c * hz - mu
        if rz > 0.0:
            total += f * (1.0 + lambda_o) / (1.0 + lambda_o + smith_lambda(rx, ry, rz, ax, ay))
        k2 = c / eta - t
        tx, ty, tz = k2 * hx - x / eta, k2 * hy - y / eta, k2 * hz - mu / eta
        if tz < 0.0:
            total += (1.0 - f) * (1.0 + lambda_o) / (1.0 + lambda_o + smith_lambda(tx, ty, tz, ax, ay))
    return total / samples


@kernel
def _bake_sheen(roughness, mu):
    """Directional albedo of the fibres: an even grid over the hemisphere."""
    total = 0.0
    sine = math.sqrt(max(0.0, 1.0 - mu * mu))
    for i in range(48):
        iz = (i + 0.5) / 48
        si = math.sqrt(1.0 - iz * iz)
        for j in range(32):
            phi = math.pi * (j + 0.5) / 32
            x, y, z = sine + si * math.cos(phi), si * math.sin(phi), mu + iz
            total += sheen(z / math.sqrt(x * x + y * y + z * z), iz, mu, roughness) * iz
    return total * 2.0 * math.pi / (48 * 32)


@entry
def bake_albedos(material, table, films, samples):
    """Fill the (ALBEDOS, MU_STEPS + 2) table of one material; `films` are the tables its film column counts in.

    The last entry of the fuzz is what its density is multiplied by so that no view ever gives back more than it got; that of the metal its
    mean over the hemisphere.
    """
    ax, ay = material[ALPHA_X], material[ALPHA_Y]
    film = int(material[FILM])
    most = 1.0
    mean = whole = 0.0
    turns = 2 if material[STRETCHED] > 0.0 else 1
    for i in range(MU_STEPS + 1):
        mu = max(1e-3, i / MU_STEPS)
        for which in range(3):
            one = other = 0.0
            for turn in range(turns):
                if which == E_COAT:
                    e = 0.0
                    if material[COAT] > 0.0:
                        e = _bake_reflection(
                            material[COAT_IOR], material[COAT_ALPHA], material[COAT_ALPHA_Y], False, films, -1, mu, turn == 1, samples
                        )
                elif which == E_SPECULAR:
                    e = _bake_reflection(material[ETA], ax, ay, False, films, film, mu, turn == 1, samples)
                else:
                    e = _bake_reflection(1.0, ax, ay, True, films, -1, mu, turn == 1, samples)
                if turn == 0:
                    one = other = e
                else:
                    other = e
            table[which, i] = 0.5 * (one + other)
            table[E_TURNING + which, i] = 0.5 * (one - other)
        table[E_GLASS, i] = 1.0
        table[E_GLASS_INSIDE, i] = 1.0
        if material[TRANSMISSION] > 0.0:
            for which in range(E_GLASS, E_GLASS_INSIDE + 1):
                inside = which == E_GLASS_INSIDE
                one = _bake_glass(material, films, inside, mu, False, samples)
                other = _bake_glass(material, films, inside, mu, True, samples) if turns == 2 else one
                table[which, i] = 0.5 * (one + other)
                table[E_TURNING + which, i] = 0.5 * (one - other)
        weight = (0.5 if i == 0 or i == MU_STEPS else 1.0) * 2.0 * mu / MU_STEPS
        mean += weight * table[E_METAL, i]
        whole += weight
        table[E_FUZZ, i] = 0.0
        if material[FUZZ] > 0.0:
            table[E_FUZZ, i] = _bake_sheen(material[FUZZ_ROUGHNESS], max(0.01, mu))
            most = max(most, table[E_FUZZ, i])
    table[E_METAL, MU_STEPS + 1] = min(0.9999, mean / whole)
    for i in range(MU_STEPS + 1):
        table[E_FUZZ, i] /= most
    table[E_FUZZ, MU_STEPS + 1] = 1.0 / most
