"""GGX microfacets and Fresnel reflectance, in the local frame where the normal is +z.

References: Walter et al. 2007 (rough refraction); Heitz 2014 (Smith masking); Dupuy & Benyoub 2023 (sampling visible
normals by spherical caps); Portsmouth et al. 2025 (energy-preserving Oren-Nayar); Kutz et al. 2021 (F82 tint).
"""

import math

from aulmo.trace.compile.jit import inlined
from aulmo.trace.compile.quick_math import sine_cosine


@inlined
def fresnel_dielectric(cosine, eta):
    """Unpolarised reflectance of a smooth boundary; `eta` is the far index over the near one.

    Returns (reflectance, cosine of the refracted ray); total reflection gives (1, 0).
    """
    c = min(1.0, abs(cosine))
    t2 = 1.0 - (1.0 - c * c) / (eta * eta)
    if t2 <= 0.0:
        return 1.0, 0.0
    t = math.sqrt(t2)
    parallel = (eta * c - t) / (eta * c + t)
    perpendicular = (c - eta * t) / (c + eta * t)
    return 0.5 * (parallel * parallel + perpendicular * perpendicular), t


@inlined
def _f82_dip(f0, tint):
    """The coefficient a by which a metal's tint near 82 degrees is met."""
    grazing = 1.0 - 1.0 / 7.0
    schlick = f0 + (1.0 - f0) * grazing**5
    return schlick * (1.0 - tint) / ((1.0 / 7.0) * grazing**6)


@inlined
def fresnel_f82(cosine, f0, tint):
    """Schlick reflectance corrected near 82 degrees: F = F0 + (1-F0)(1-c)^5 - a c (1-c)^6."""
    m = 1.0 - min(1.0, max(0.0, cosine))
    m2 = m * m
    m5 = m2 * m2 * m
    return min(1.0, max(0.0, f0 + (1.0 - f0) * m5 - _f82_dip(f0, tint) * (1.0 - m) * m5 * m))


@inlined
def mean_f82(f0, tint):
    """`fresnel_f82` averaged over the hemisphere with the cosine, in closed form: the powers' integrals are 1/21 and 1/126."""
    return min(1.0, max(0.0, f0 + (1.0 - f0) * (1.0 / 21.0) - _f82_dip(f0, tint) * (1.0 / 126.0)))


@inlined
def ggx_density(hx, hy, hz, ax, ay):
    """Density D of microfacet normals."""
    x, y = hx / ax, hy / ay
    s = x * x + y * y + hz * hz
    return 1.0 / (math.pi * ax * ay * s * s)


@inlined
def smith_lambda(x, y, z, ax, ay):
    """Smith's auxiliary function of a direction."""
    z2 = z * z
    if z2 < 1e-16:
        return 1e8
    return 0.5 * (math.sqrt(1.0 + (ax * ax * x * x + ay * ay * y * y) / z2) - 1.0)


@inlined
def sample_visible_normal(x, y, z, ax, ay, u, v):
    """A microfacet normal seen from direction (x, y, z), z > 0."""
    sx, sy, sz = ax * x, ay * y, z
    inverse = 1.0 / math.sqrt(sx * sx + sy * sy + sz * sz)
    sx, sy, sz = sx * inverse, sy * inverse, sz * inverse
    sin_phi, cos_phi = sine_cosine(u)
    cz = (1.0 - v) * (1.0 + sz) - sz
    radius = math.sqrt(max(0.0, 1.0 - cz * cz))
    hx, hy, hz = ax * (radius * cos_phi + sx), ay * (radius * sin_phi + sy), max(1e-9, cz + sz)
    inverse = 1.0 / math.sqrt(hx * hx + hy * hy + hz * hz)
    return hx * inverse, hy * inverse, hz * inverse


@inlined
def sheen(cos_h, mu_i, mu_o, roughness):
    """Fibres standing on the surface (Estevez & Kulla 2017: inverted Gaussian density), with Neubelt & Pettineo's visibility. Without
    the cosine of the light."""
    power = 1.0 / max(0.05, roughness * roughness)
    sine2 = max(0.0, 1.0 - cos_h * cos_h)
    d = (2.0 + power) * sine2 ** (0.5 * power) / (2.0 * math.pi)
    return d / (4.0 * max(1e-4, mu_i + mu_o - mu_i * mu_o))


@inlined
def henyey_greenstein(cosine, g):
    """Phase function per steradian; the cosine is between travelling directions (Henyey & Greenstein 1941)."""
    d = 1.0 + g * g - 2.0 * g * cosine
    return (1.0 - g * g) / (4.0 * math.pi * d * math.sqrt(max(1e-12, d)))


@inlined
def sample_phase(g, u):
    """Cosine of a scattering angle with that density."""
    if abs(g) < 1e-3:
        return 1.0 - 2.0 * u
    s = (1.0 - g * g) / (1.0 + g - 2.0 * g * u)
    return min(1.0, max(-1.0, (1.0 + g * g - s * s) / (2.0 * g)))


_EON_1 = 0.5 - 2.0 / (3.0 * math.pi)
_EON_2 = 2.0 / 3.0 - 28.0 / (15.0 * math.pi)


@inlined
def _eon_albedo(mu, roughness):
    m = 1.0 - mu
    g = m * (0.0571085289 + m * (0.491881867 + m * (-0.332181442 + m * 0.0714429953)))
    return (1.0 + roughness * g) / (1.0 + _EON_1 * roughness)


@inlined
def eon_single(mu_i, mu_o, dot_io, roughness):
    """Single-scattering part of the energy-preserving Oren-Nayar lobe for unit albedo, without the cosine."""
    s = dot_io - mu_i * mu_o
    if s > 0.0:
        s /= max(mu_i, mu_o)
    return (1.0 + roughness * s) / (1.0 + _EON_1 * roughness) / math.pi


@inlined
def eon_multiple(mu_i, mu_o, albedo, roughness):
    """Multiple-scattering part of the same lobe for a given albedo, without the cosine."""
    average = (1.0 + _EON_2 * roughness) / (1.0 + _EON_1 * roughness)
    colour = albedo * albedo * average / (1.0 - albedo * (1.0 - average))
    lost = max(1e-7, 1.0 - _eon_albedo(mu_o, roughness)) * max(1e-7, 1.0 - _eon_albedo(mu_i, roughness))
    return colour / math.pi * lost / max(1e-7, 1.0 - average)
