"""OpenPBR Surface as kernels: evaluate and sample the layered lobes of one material.

A material is a row of numbers (`COLUMNS`) and a small table of directional albedos against the cosine of the view
(`ALBEDOS`), baked once per material by `bake_albedos`. Layers are combined by albedo scaling as the specification
suggests: what a layer does not reflect reaches the one below. Covered here: base, metal, specular, transmission with
depth tint, coat with darkening, emission, opacity.

References: OpenPBR Surface 1.1 specification (Academy Software Foundation); Turquin 2019, "Practical multiple scattering
compensation for microfacet models" (energy lost by single-scattering GGX).
"""

import math

import numpy as np

from aulmo.trace.jit import entry, inlined, kernel
from aulmo.trace.microfacet import (
    eon_multiple,
    eon_single,
    fresnel_dielectric,
    fresnel_f82,
    ggx_density,
    sample_visible_normal,
    smith_lambda,
)
from aulmo.trace.sampling import cosine_hemisphere, draw_2d

DIFFUSE, DIFFUSE_ROUGHNESS, METALNESS = 0, 3, 4
METAL_F0, METAL_F82 = 5, 8
ALPHA_X, ALPHA_Y = 11, 12
ETA, SPECULAR_COLOUR = 13, 14
TRANSMISSION, ABSORPTION, TINT, REFRACTION = 17, 18, 21, 24
THIN, COAT, COAT_TINT, COAT_ALPHA, COAT_IOR, DARKENING = 25, 26, 27, 30, 31, 32
EMISSION, OPACITY = 35, 38
SMOOTH, CLEAR, DIFFUSE_LUMA = 39, 40, 41
COLUMNS = 48

MU_STEPS = 32
E_COAT, E_SPECULAR, E_METAL, E_GLASS, E_GLASS_INSIDE = 0, 1, 2, 3, 4
ALBEDOS = 5


@inlined
def albedo_at(table, which, mu):
    """Directional albedo at a cosine, linear between table entries."""
    x = min(1.0, max(0.0, mu)) * MU_STEPS
    i = min(MU_STEPS - 1, int(x))
    f = x - i
    return table[which, i] * (1.0 - f) + table[which, i + 1] * f


@inlined
def _coat_pass(material, mu_i, mu_o, channel):
    """Tint of light that crosses the coat twice; the coat colour is the tint at normal incidence."""
    tint = material[COAT_TINT + channel]
    if tint >= 1.0:
        return 1.0
    inverse = 1.0 / (material[COAT_IOR] * material[COAT_IOR])
    path = 0.5 / math.sqrt(1.0 - (1.0 - mu_i * mu_i) * inverse) + 0.5 / math.sqrt(1.0 - (1.0 - mu_o * mu_o) * inverse)
    return tint**path


@inlined
def lobe_odds(material, table, ox, oy, oz):
    """Chances of sampling (coat, base reflection, glass, diffuse) from the outside, summing to one; then the directional albedos of
    coat and specular layer they rest on, and the viewer's masking by coat and base. Worked out once for each vertex."""
    e_coat = albedo_at(table, E_COAT, oz) if material[COAT] > 0.0 else 0.0
    coat = material[COAT] * e_coat
    rest = 1.0 - coat
    metal = rest * material[METALNESS]
    opaque = rest * (1.0 - material[METALNESS]) * (1.0 - material[TRANSMISSION])
    shine = albedo_at(table, E_SPECULAR, oz)
    specular = opaque * shine
    diffuse = opaque * (1.0 - shine) * max(0.05, material[DIFFUSE_LUMA])
    glass = rest * (1.0 - material[METALNESS]) * material[TRANSMISSION]
    total = coat + metal + specular + glass + diffuse
    a = material[COAT_ALPHA]
    lambda_coat = smith_lambda(ox, oy, oz, a, a) if material[COAT] > 0.0 else 0.0
    lambda_base = smith_lambda(ox, oy, oz, material[ALPHA_X], material[ALPHA_Y])
    if total <= 0.0:
        return 0.0, 1.0, 0.0, 0.0, e_coat, shine, lambda_coat, lambda_base
    total = 1.0 / total
    return coat * total, (metal + specular) * total, glass * total, diffuse * total, e_coat, shine, lambda_coat, lambda_base


@inlined
def evaluate(material, table, ox, oy, oz, ix, iy, iz, inside):
    """`evaluate_lobes` with its odds worked out."""
    return evaluate_lobes(material, table, lobe_odds(material, table, ox, oy, oz), ox, oy, oz, ix, iy, iz, inside)


@inlined
def evaluate_lobes(material, table, odds, ox, oy, oz, ix, iy, iz, inside):
    """Reflectance times cosine, and the density of sampling, for light from i seen along o.

    Both directions point away from the surface; oz > 0 always, iz < 0 means the light comes through. `inside` tells that
    the viewer is within the glass, where only its own boundary exists.

    Returns (red, green, blue, density per steradian).
    """
    ax, ay = material[ALPHA_X], material[ALPHA_Y]
    if inside:
        return _evaluate_glass(material, table, ox, oy, oz, ix, iy, iz, ax, ay, 1.0 / material[REFRACTION], True, 1.0)
    p_coat, p_base, p_glass, p_diffuse, e_coat, e_specular, lambda_coat, lambda_base = odds
    if iz <= 0.0:
        if p_glass == 0.0 or iz == 0.0:
            return 0.0, 0.0, 0.0, 0.0
        r, g, b, density = _evaluate_glass(material, table, ox, oy, oz, ix, iy, iz, ax, ay, material[REFRACTION], False, p_glass)
        under = (1.0 - material[COAT] * e_coat) * (1.0 - material[METALNESS]) * material[TRANSMISSION]
        return r * under, g * under, b * under, density
    hx, hy, hz = ox + ix, oy + iy, oz + iz
    inverse = 1.0 / math.sqrt(hx * hx + hy * hy + hz * hz)
    hx, hy, hz = hx * inverse, hy * inverse, hz * inverse
    cos_h = ox * hx + oy * hy + oz * hz
    r = g = b = 0.0
    quarter = 0.25 / oz
    density = p_diffuse * iz * (1.0 / math.pi)
    under = 1.0
    if material[COAT] > 0.0:
        a = material[COAT_ALPHA]
        lambda_i = smith_lambda(ix, iy, iz, a, a)
        d = ggx_density(hx, hy, hz, a, a) * quarter
        f, _ = fresnel_dielectric(cos_h, material[COAT_IOR])
        coat = material[COAT] * f * d / (1.0 + lambda_coat + lambda_i)
        r, g, b = coat, coat, coat
        density += p_coat * d / (1.0 + lambda_coat)
        under = 1.0 - material[COAT] * e_coat
    metalness, transmission = material[METALNESS], material[TRANSMISSION]
    lambda_i = smith_lambda(ix, iy, iz, ax, ay)
    d = ggx_density(hx, hy, hz, ax, ay) * quarter
    shape = d / (1.0 + lambda_base + lambda_i)
    visible = d / (1.0 + lambda_base)
    density += p_base * visible
    base_r = base_g = base_b = 0.0
    if metalness > 0.0:
        lost = 1.0 / max(1e-4, albedo_at(table, E_METAL, oz)) - 1.0
        for_metal = metalness * shape
        base_r = for_metal * fresnel_f82(cos_h, material[METAL_F0], material[METAL_F82]) * (1.0 + material[METAL_F0] * lost)
        base_g = for_metal * fresnel_f82(cos_h, material[METAL_F0 + 1], material[METAL_F82 + 1]) * (1.0 + material[METAL_F0 + 1] * lost)
        base_b = for_metal * fresnel_f82(cos_h, material[METAL_F0 + 2], material[METAL_F82 + 2]) * (1.0 + material[METAL_F0 + 2] * lost)
    if metalness < 1.0:
        f, _ = fresnel_dielectric(cos_h, material[ETA])
        shine = (1.0 - metalness) * (1.0 - transmission) * f * shape
        if transmission > 0.0:
            f_glass, _ = fresnel_dielectric(cos_h, material[REFRACTION])
            shine += (1.0 - metalness) * transmission * f_glass * shape / max(1e-4, albedo_at(table, E_GLASS, oz))
            density += p_glass * f_glass * visible
        base_r += shine * material[SPECULAR_COLOUR]
        base_g += shine * material[SPECULAR_COLOUR + 1]
        base_b += shine * material[SPECULAR_COLOUR + 2]
        body = (1.0 - metalness) * (1.0 - transmission) * (1.0 - e_specular) * iz
        if body > 0.0:
            rough = material[DIFFUSE_ROUGHNESS]
            if rough > 0.0:
                single = eon_single(iz, oz, ox * ix + oy * iy + oz * iz, rough)
                base_r += body * (material[DIFFUSE] * single + eon_multiple(iz, oz, material[DIFFUSE], rough))
                base_g += body * (material[DIFFUSE + 1] * single + eon_multiple(iz, oz, material[DIFFUSE + 1], rough))
                base_b += body * (material[DIFFUSE + 2] * single + eon_multiple(iz, oz, material[DIFFUSE + 2], rough))
            else:
                body /= math.pi
                base_r += body * material[DIFFUSE]
                base_g += body * material[DIFFUSE + 1]
                base_b += body * material[DIFFUSE + 2]
    if under < 1.0:
        base_r *= under * material[DARKENING] * _coat_pass(material, iz, oz, 0)
        base_g *= under * material[DARKENING + 1] * _coat_pass(material, iz, oz, 1)
        base_b *= under * material[DARKENING + 2] * _coat_pass(material, iz, oz, 2)
    return r + base_r, g + base_g, b + base_b, density


@inlined
def _evaluate_glass(material, table, ox, oy, oz, ix, iy, iz, ax, ay, eta, inside, odds):
    """The boundary of a clear solid by itself: Walter's rough reflection and refraction, energy compensated."""
    if iz > 0.0:
        hx, hy, hz = ox + ix, oy + iy, oz + iz
    else:
        hx, hy, hz = ox + eta * ix, oy + eta * iy, oz + eta * iz
    length = math.sqrt(hx * hx + hy * hy + hz * hz)
    if length < 1e-12:
        return 0.0, 0.0, 0.0, 0.0
    if hz < 0.0:
        length = -length
    hx, hy, hz = hx / length, hy / length, hz / length
    cos_o, cos_i = ox * hx + oy * hy + oz * hz, ix * hx + iy * hy + iz * hz
    if cos_o <= 0.0:
        return 0.0, 0.0, 0.0, 0.0
    lambda_o, lambda_i = smith_lambda(ox, oy, oz, ax, ay), smith_lambda(ix, iy, iz, ax, ay)
    d = ggx_density(hx, hy, hz, ax, ay)
    f, _ = fresnel_dielectric(cos_o, eta)
    gain = 1.0 / max(1e-4, albedo_at(table, E_GLASS_INSIDE if inside else E_GLASS, oz))
    if iz > 0.0:
        value = f * d / (4.0 * oz)
        energy = gain * value / (1.0 + lambda_o + lambda_i)
        return energy, energy, energy, odds * value / (1.0 + lambda_o)
    if cos_i >= 0.0:
        return 0.0, 0.0, 0.0, 0.0
    root = cos_o + eta * cos_i
    # d(h)/d(i) of refraction; radiance is carried without the squared index, which cancels once light has left again.
    value = (1.0 - f) * d * cos_o * eta * eta * -cos_i / (oz * root * root)
    energy = gain * value / (1.0 + lambda_o + lambda_i)
    return (
        energy * material[TINT],
        energy * material[TINT + 1],
        energy * material[TINT + 2],
        odds * value / (1.0 + lambda_o),
    )


@inlined
def sample_direction(material, table, ox, oy, oz, inside, u, v, lobe):
    """`sample_lobes` with its odds worked out."""
    return sample_lobes(material, lobe_odds(material, table, ox, oy, oz), ox, oy, oz, inside, u, v, lobe)


@inlined
def sample_lobes(material, odds, ox, oy, oz, inside, u, v, lobe):
    """A direction for light to come from, chosen in proportion to the lobes. Returns (x, y, z); z = 0 means none."""
    ax, ay = material[ALPHA_X], material[ALPHA_Y]
    glass = inside
    eta = 1.0 / material[REFRACTION] if inside else material[REFRACTION]
    if not inside:
        p_coat, p_base, p_glass, p_diffuse, _, _, _, _ = odds
        if lobe < p_diffuse:
            return cosine_hemisphere(u, v)
        lobe -= p_diffuse
        if lobe < p_coat:
            ax, ay = material[COAT_ALPHA], material[COAT_ALPHA]
        elif lobe >= p_coat + p_base and p_glass > 0.0:
            glass = True
            lobe = (lobe - p_coat - p_base) / p_glass
    hx, hy, hz = sample_visible_normal(ox, oy, oz, ax, ay, u, v)
    cosine = ox * hx + oy * hy + oz * hz
    if glass:
        f, t = fresnel_dielectric(cosine, eta)
        if lobe >= f:
            k = cosine / eta - t
            x, y, z = k * hx - ox / eta, k * hy - oy / eta, k * hz - oz / eta
            return (x, y, z) if z < 0.0 else (0.0, 0.0, 0.0)
    x, y, z = 2.0 * cosine * hx - ox, 2.0 * cosine * hy - oy, 2.0 * cosine * hz - oz
    return (x, y, z) if z > 0.0 else (0.0, 0.0, 0.0)


@kernel
def _bake_reflection(eta, ax, ay, conductor, mu, samples):
    """Directional albedo of single-scattering reflection, by sampling visible normals: mean of F * G2 / G1."""
    total = 0.0
    sine = math.sqrt(max(0.0, 1.0 - mu * mu))
    for k in range(samples):
        u, v = draw_2d(k, np.uint64(77))
        phi = 2.0 * math.pi * (k + 0.5) / samples if ax != ay else 0.0
        x, y = sine * math.cos(phi), sine * math.sin(phi)
        hx, hy, hz = sample_visible_normal(x, y, mu, ax, ay, u, v)
        c = x * hx + y * hy + mu * hz
        iz = 2.0 * c * hz - mu
        if iz <= 0.0:
            continue
        ix, iy = 2.0 * c * hx - x, 2.0 * c * hy - y
        lambda_o = smith_lambda(x, y, mu, ax, ay)
        f = 1.0
        if not conductor:
            f, _ = fresnel_dielectric(c, eta)
        total += f * (1.0 + lambda_o) / (1.0 + lambda_o + smith_lambda(ix, iy, iz, ax, ay))
    return total / samples


@kernel
def _bake_glass(eta, ax, ay, mu, samples):
    """Directional albedo of rough reflection and refraction together."""
    total = 0.0
    sine = math.sqrt(max(0.0, 1.0 - mu * mu))
    for k in range(samples):
        u, v = draw_2d(k, np.uint64(91))
        phi = 2.0 * math.pi * (k + 0.5) / samples if ax != ay else 0.0
        x, y = sine * math.cos(phi), sine * math.sin(phi)
        hx, hy, hz = sample_visible_normal(x, y, mu, ax, ay, u, v)
        c = x * hx + y * hy + mu * hz
        f, t = fresnel_dielectric(c, eta)
        lambda_o = smith_lambda(x, y, mu, ax, ay)
        rx, ry, rz = 2.0 * c * hx - x, 2.0 * c * hy - y, 2.0 * c * hz - mu
        if rz > 0.0:
            total += f * (1.0 + lambda_o) / (1.0 + lambda_o + smith_lambda(rx, ry, rz, ax, ay))
        k2 = c / eta - t
        tx, ty, tz = k2 * hx - x / eta, k2 * hy - y / eta, k2 * hz - mu / eta
        if tz < 0.0:
            total += (1.0 - f) * (1.0 + lambda_o) / (1.0 + lambda_o + smith_lambda(tx, ty, tz, ax, ay))
    return total / samples


@entry
def bake_albedos(material, table, samples):
    """Fill the (ALBEDOS, MU_STEPS + 1) table of one material."""
    ax, ay = material[ALPHA_X], material[ALPHA_Y]
    for i in range(MU_STEPS + 1):
        mu = max(1e-3, i / MU_STEPS)
        table[E_COAT, i] = 0.0
        if material[COAT] > 0.0:
            table[E_COAT, i] = _bake_reflection(material[COAT_IOR], material[COAT_ALPHA], material[COAT_ALPHA], False, mu, samples)
        table[E_SPECULAR, i] = _bake_reflection(material[ETA], ax, ay, False, mu, samples)
        table[E_METAL, i] = _bake_reflection(1.0, ax, ay, True, mu, samples)
        table[E_GLASS, i] = 1.0
        table[E_GLASS_INSIDE, i] = 1.0
        if material[TRANSMISSION] > 0.0:
            table[E_GLASS, i] = _bake_glass(material[REFRACTION], ax, ay, mu, samples)
            table[E_GLASS_INSIDE, i] = _bake_glass(1.0 / material[REFRACTION], ax, ay, mu, samples)
