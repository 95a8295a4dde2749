"""OpenPBR Surface as kernels: evaluate and sample the layered lobes of one material.

A material is a row of numbers (`columns`), a small table of directional albedos against the cosine of the view (`ALBEDOS`, baked once
per material by `bake`) and, when it has a thin film, a table of reflectances (`thin_film`). Layers are combined by albedo
scaling as the specification suggests: what a layer does not reflect reaches the one below. From the top: fuzz, coat, then metal,
clear or opaque base with its specular layer; an opaque base is matt or lets light wander below its surface (`medium`).

References: OpenPBR Surface 1.1 specification (Academy Software Foundation); Kulla & Conty 2017, "Revisiting physically based shading"
(light that metal facets pass on to one another); Turquin 2019, "Practical multiple scattering compensation for microfacet models" (the
same for glass).
"""

import math


from aulmo.trace.compile.arrays import FILM_STEPS
from aulmo.trace.compile.jit import inlined, kernel
from aulmo.surface.columns import (
    ALPHA_X,
    ALPHA_Y,
    COAT,
    COAT_ALPHA,
    COAT_ALPHA_Y,
    COAT_BENT,
    COAT_IOR,
    COAT_NORMAL,
    COAT_TINT,
    DARKENING,
    DIFFUSE,
    DIFFUSE_LUMA,
    DIFFUSE_ROUGHNESS,
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
    FUZZ_COLOUR,
    FUZZ_ROUGHNESS,
    METALNESS,
    METAL_F0,
    METAL_F82,
    MU_STEPS,
    REFRACTION,
    SPECULAR_COLOUR,
    STRETCHED,
    SUBSURFACE,
    SUB_COLOUR,
    SUB_G,
    SUB_LUMA,
    THIN,
    TINT,
    TRANSMISSION,
)
from aulmo.trace.material.microfacet import (
    eon_multiple,
    eon_single,
    fresnel_dielectric,
    fresnel_f82,
    ggx_density,
    mean_f82,
    sample_visible_normal,
    sheen,
    smith_lambda,
)
from aulmo.trace.path.sampling import cosine_hemisphere, frame_about

@inlined
def albedo_at(table, which, mu):
    """Directional albedo at a cosine, linear between table entries."""
    x = min(1.0, max(0.0, mu)) * MU_STEPS
    i = min(MU_STEPS - 1, int(x))
    f = x - i
    return table[which, i] * (1.0 - f) + table[which, i + 1] * f


@inlined
def layer_albedo(material, table, which, ox, oy, oz):
    """Directional albedo of coat, specular layer, metal or glass; of a stretched one also by which way the view runs: a + b cos(2 phi)."""
    e = albedo_at(table, which, oz)
    if material[STRETCHED] > 0.0:
        flat = ox * ox + oy * oy
        if flat > 1e-12:
            e += albedo_at(table, E_TURNING + which, oz) * (ox * ox - oy * oy) / flat
    return e


@inlined
def film_at(films, row, metal, mu):
    """Reflectance (red, green, blue) under a thin film at a cosine."""
    x = min(1.0, max(0.0, mu)) * FILM_STEPS
    i = min(FILM_STEPS - 1, int(x))
    f = x - i
    e = 1.0 - f
    return (
        films[row, metal, i] * e + films[row, metal, i + 1] * f,
        films[row, metal + 1, i] * e + films[row, metal + 1, i + 1] * f,
        films[row, metal + 2, i] * e + films[row, metal + 2, i + 1] * f,
    )


@inlined
def mean_film(films, row):
    """Reflectance (red, green, blue) of a metal under a film averaged over the hemisphere with the cosine, by two-point Gauss quadrature
    for that weight."""
    low_r, low_g, low_b = film_at(films, row, 3, 0.3550510257)
    high_r, high_g, high_b = film_at(films, row, 3, 0.8449489743)
    return (
        0.3639172365 * low_r + 0.6360827635 * high_r,
        0.3639172365 * low_g + 0.6360827635 * high_g,
        0.3639172365 * low_b + 0.6360827635 * high_b,
    )


@inlined
def _passed_on(reflectance, mean):
    """What is left of light after it went from facet to facet: `mean` is the albedo of a white metal averaged over the hemisphere."""
    return reflectance * reflectance * mean / (1.0 - reflectance * (1.0 - mean))


@inlined
def clear_boundary(material, films, cosine, eta, inside):
    """How a clear solid's boundary divides light between reflection and passage, at a microfacet.

    A film changes both alike: what it does not reflect passes. Seen from within it reflects as from outside at the refracted angle
    (reciprocity of a film that takes no light away). Returns (red, green, blue reflectance, chance of reflection, refracted cosine).
    """
    f, t = fresnel_dielectric(cosine, eta)
    film = int(material[FILM])
    if film >= 0 and f < 1.0:
        r, g, b = film_at(films, film, 0, t if inside else cosine)
        return r, g, b, (r + g + b) * (1.0 / 3.0), t
    return f, f, f, f, t


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
def to_coat(material, x, y, z):
    """A direction from the frame of the base to that of the coat."""
    if material[COAT_BENT] == 0.0:
        return x, y, z
    return _bent(material, x, y, z)


@kernel
def _bent(material, x, y, z):
    nx, ny, nz = material[COAT_NORMAL], material[COAT_NORMAL + 1], material[COAT_NORMAL + 2]
    ax, ay, az, bx, by, bz = frame_about(nx, ny, nz)
    return ax * x + ay * y + az * z, bx * x + by * y + bz * z, nx * x + ny * y + nz * z


@kernel
def _unbent(nx, ny, nz, x, y, z):
    ax, ay, az, bx, by, bz = frame_about(nx, ny, nz)
    return ax * x + bx * y + nx * z, ay * x + by * y + ny * z, az * x + bz * y + nz * z


@inlined
def lobe_odds(material, table, ox, oy, oz):
    """What sampling and evaluation rest on, worked out once for each vertex.

    Returns the chances of (coat, base reflection, glass, diffuse and fuzz, below the surface), summing to one; the directional albedos
    of coat and specular layer; the viewer's masking by coat and base; the share left under the fuzz.
    """
    fuzz = material[FUZZ] * albedo_at(table, E_FUZZ, oz) if material[FUZZ] > 0.0 else 0.0
    e_coat = 0.0
    lambda_coat = 0.0
    if material[COAT] > 0.0:
        cx, cy, cz = to_coat(material, ox, oy, oz)
        cz = max(1e-4, cz)
        e_coat = layer_albedo(material, table, E_COAT, cx, cy, cz)
        lambda_coat = smith_lambda(cx, cy, cz, material[COAT_ALPHA], material[COAT_ALPHA_Y])
    coat = (1.0 - fuzz) * material[COAT] * e_coat
    rest = 1.0 - fuzz - coat
    metal = rest * material[METALNESS]
    again = 0.0
    if metal > 0.0:  # light that goes from facet to facet leaves like light from a matt surface
        again = metal * max(0.0, 1.0 - layer_albedo(material, table, E_METAL, ox, oy, oz))
        metal -= again
    opaque = rest * (1.0 - material[METALNESS]) * (1.0 - material[TRANSMISSION])
    shine = layer_albedo(material, table, E_SPECULAR, ox, oy, oz)
    specular = opaque * shine
    body = opaque * (1.0 - shine)
    below = body * material[SUBSURFACE] * max(0.05, material[SUB_LUMA])
    diffuse = body * (1.0 - material[SUBSURFACE]) * max(0.05, material[DIFFUSE_LUMA])
    if material[THIN] > 0.0:
        diffuse += below
        below = 0.0
    diffuse += fuzz + again
    glass = rest * (1.0 - material[METALNESS]) * material[TRANSMISSION]
    total = coat + metal + specular + glass + diffuse + below
    lambda_base = smith_lambda(ox, oy, oz, material[ALPHA_X], material[ALPHA_Y])
    if total <= 0.0:
        return 0.0, 1.0, 0.0, 0.0, 0.0, e_coat, shine, lambda_coat, lambda_base, 1.0 - fuzz
    total = 1.0 / total
    return (
        coat * total,
        (metal + specular) * total,
        glass * total,
        diffuse * total,
        below * total,
        e_coat,
        shine,
        lambda_coat,
        lambda_base,
        1.0 - fuzz,
    )


@inlined
def seen_by(material, odds, nx, ny, nz, dx, dy, dz, oz):
    """What a surface makes of light for one who looks along d, as the choice among lamps sees it: see `light_tree.FROM_ANYWHERE`.

    Of coat and base the likelier lends its width to the glossy part. Where light may come from both sides the normal is zero.
    """
    p_coat, p_base, p_glass, p_diffuse = odds[0], odds[1], odds[2], odds[3]
    rx, ry, rz = dx + 2.0 * oz * nx, dy + 2.0 * oz * ny, dz + 2.0 * oz * nz
    wide = max(material[ALPHA_X], material[ALPHA_Y])
    if p_coat > p_base:
        wide = max(material[COAT_ALPHA], material[COAT_ALPHA_Y])
    if material[THIN] > 0.0 or p_glass > 0.0:
        nx = ny = nz = 0.0
    return nx, ny, nz, rx, ry, rz, max(0.02, p_diffuse + p_glass), (p_coat + p_base) * 0.25 / max(0.25, oz), wide * wide


@inlined
def below_weight(material, odds, oz):
    """Share of light, by colour, that goes below the surface toward a viewer at cosine `oz`, over the chance of choosing to follow it."""
    under = odds[9] * (1.0 - material[COAT] * odds[5])
    share = under * (1.0 - material[METALNESS]) * (1.0 - material[TRANSMISSION]) * (1.0 - odds[6]) * material[SUBSURFACE] / odds[4]
    if material[COAT] == 0.0:
        return share, share, share
    d = DARKENING
    return (
        share * material[d] * _coat_pass(material, 1.0, oz, 0),
        share * material[d + 1] * _coat_pass(material, 1.0, oz, 1),
        share * material[d + 2] * _coat_pass(material, 1.0, oz, 2),
    )


@inlined
def evaluate(material, table, films, ox, oy, oz, ix, iy, iz, inside):
    """`evaluate_lobes` in air with its odds worked out. Returns (red, green, blue, density)."""
    odds = lobe_odds(material, table, ox, oy, oz)
    r, g, b, density, _r, _g, _b = evaluate_lobes(material, table, films, odds, ox, oy, oz, ix, iy, iz, inside, material[REFRACTION])
    return r, g, b, density


@inlined
def evaluate_lobes(material, table, films, odds, ox, oy, oz, ix, iy, iz, inside, ratio):
    """Reflectance times cosine, and the density of sampling, for light from i seen along o.

    Both directions point away from the surface; oz > 0 always, iz < 0 means the light comes through. `inside` tells that
    the viewer is within the glass, where only its own boundary exists. `ratio` is the index within the solid over that outside it.

    Returns (red, green, blue, density per steradian, then red, green, blue of the diffuse part alone).
    """
    ax, ay = material[ALPHA_X], material[ALPHA_Y]
    if inside:
        r, g, b, density = _evaluate_glass(material, table, films, ox, oy, oz, ix, iy, iz, ax, ay, 1.0 / ratio, True, 1.0)
        return r, g, b, density, 0.0, 0.0, 0.0
    p_coat, p_base, p_glass, p_diffuse, _below, e_coat, e_specular, lambda_coat, lambda_base, clear_of_fuzz = odds
    thin_body = material[THIN] > 0.0 and material[SUBSURFACE] > 0.0
    if iz <= 0.0:
        if iz == 0.0 or (p_glass == 0.0 and not thin_body):
            return 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
        r = g = b = density = 0.0
        under = clear_of_fuzz * (1.0 - material[COAT] * e_coat) * (1.0 - material[METALNESS])
        if p_glass > 0.0:
            r, g, b, density = _evaluate_glass(material, table, films, ox, oy, oz, ix, iy, iz, ax, ay, ratio, False, p_glass)
            through = under * material[TRANSMISSION]
            r, g, b = r * through, g * through, b * through
        dr = dg = db = 0.0
        if thin_body:
            share = 0.5 * (1.0 + material[SUB_G])
            body = under * (1.0 - material[TRANSMISSION]) * (1.0 - e_specular) * material[SUBSURFACE] * share * -iz / math.pi
            dr, dg, db = body * material[SUB_COLOUR], body * material[SUB_COLOUR + 1], body * material[SUB_COLOUR + 2]
            density += p_diffuse * material[SUBSURFACE] * share * -iz / math.pi
        return r + dr, g + dg, b + db, density, dr, dg, db
    hx, hy, hz = ox + ix, oy + iy, oz + iz
    inverse = 1.0 / math.sqrt(hx * hx + hy * hy + hz * hz)
    hx, hy, hz = hx * inverse, hy * inverse, hz * inverse
    cos_h = ox * hx + oy * hy + oz * hz
    r = g = b = 0.0
    fr = fg = fb = 0.0
    quarter = 0.25 / oz
    density = p_diffuse * iz * (1.0 / math.pi)
    if thin_body:
        density *= 1.0 - material[SUBSURFACE] * 0.5 * (1.0 + material[SUB_G])
    under = 1.0
    if material[FUZZ] > 0.0:
        fibres = material[FUZZ] * sheen(hz, iz, oz, material[FUZZ_ROUGHNESS]) * iz * table[E_FUZZ, MU_STEPS + 1]
        fr, fg, fb = fibres * material[FUZZ_COLOUR], fibres * material[FUZZ_COLOUR + 1], fibres * material[FUZZ_COLOUR + 2]
        under = clear_of_fuzz
    if material[COAT] > 0.0:
        a, ay_coat = material[COAT_ALPHA], material[COAT_ALPHA_Y]
        cx, cy, cz = to_coat(material, ix, iy, iz)
        kx, ky, kz = to_coat(material, hx, hy, hz)
        d = 0.0
        if cz > 0.0 and kz > 0.0:
            _x, _y, coz = to_coat(material, ox, oy, oz)
            d = ggx_density(kx, ky, kz, a, ay_coat) * 0.25 / max(1e-4, coz)
        lambda_i = smith_lambda(cx, cy, max(1e-4, cz), a, ay_coat)
        f, _ = fresnel_dielectric(cos_h, material[COAT_IOR])
        coat = under * material[COAT] * f * d / (1.0 + lambda_coat + lambda_i)
        r, g, b = coat, coat, coat
        density += p_coat * d / (1.0 + lambda_coat)
        under *= 1.0 - material[COAT] * e_coat
    metalness, transmission = material[METALNESS], material[TRANSMISSION]
    film = int(material[FILM])
    lambda_i = smith_lambda(ix, iy, iz, ax, ay)
    d = ggx_density(hx, hy, hz, ax, ay) * quarter
    shape = d / (1.0 + lambda_base + lambda_i)
    visible = d / (1.0 + lambda_base)
    density += p_base * visible
    base_r = base_g = base_b = 0.0
    body_r = body_g = body_b = 0.0
    if metalness > 0.0:
        for_metal = metalness * shape
        if film >= 0:
            mr, mg, mb = film_at(films, film, 3, cos_h)
        else:
            mr = fresnel_f82(cos_h, material[METAL_F0], material[METAL_F82])
            mg = fresnel_f82(cos_h, material[METAL_F0 + 1], material[METAL_F82 + 1])
            mb = fresnel_f82(cos_h, material[METAL_F0 + 2], material[METAL_F82 + 2])
        base_r, base_g, base_b = for_metal * mr, for_metal * mg, for_metal * mb
        lost_o = 1.0 - layer_albedo(material, table, E_METAL, ox, oy, oz)
        if lost_o > 1e-3:
            mean = table[E_METAL, MU_STEPS + 1]
            again = metalness * lost_o * max(0.0, 1.0 - layer_albedo(material, table, E_METAL, ix, iy, iz)) * iz / (math.pi * (1.0 - mean))
            if film >= 0:
                mr, mg, mb = mean_film(films, film)
            else:
                mr = mean_f82(material[METAL_F0], material[METAL_F82])
                mg = mean_f82(material[METAL_F0 + 1], material[METAL_F82 + 1])
                mb = mean_f82(material[METAL_F0 + 2], material[METAL_F82 + 2])
            base_r += again * _passed_on(mr, mean)
            base_g += again * _passed_on(mg, mean)
            base_b += again * _passed_on(mb, mean)
    if metalness < 1.0:
        f, _ = fresnel_dielectric(cos_h, material[ETA])
        sr = sg = sb = f
        if film >= 0:
            sr, sg, sb = film_at(films, film, 0, cos_h)
        shine = (1.0 - metalness) * (1.0 - transmission) * shape
        if transmission > 0.0:
            cr, cg, cb, chance, _t = clear_boundary(material, films, cos_h, ratio, False)
            density += p_glass * chance * visible
            clear = (1.0 - metalness) * transmission * shape / max(1e-4, layer_albedo(material, table, E_GLASS, ox, oy, oz))
            sr, sg, sb = shine * sr + clear * cr, shine * sg + clear * cg, shine * sb + clear * cb
            shine = 1.0
        base_r += shine * sr * material[SPECULAR_COLOUR]
        base_g += shine * sg * material[SPECULAR_COLOUR + 1]
        base_b += shine * sb * material[SPECULAR_COLOUR + 2]
        body = (1.0 - metalness) * (1.0 - transmission) * (1.0 - e_specular) * iz
        if body > 0.0:
            matt = body * (1.0 - material[SUBSURFACE])
            rough = material[DIFFUSE_ROUGHNESS]
            if rough > 0.0:
                single = eon_single(iz, oz, ox * ix + oy * iy + oz * iz, rough)
                body_r = matt * (material[DIFFUSE] * single + eon_multiple(iz, oz, material[DIFFUSE], rough))
                body_g = matt * (material[DIFFUSE + 1] * single + eon_multiple(iz, oz, material[DIFFUSE + 1], rough))
                body_b = matt * (material[DIFFUSE + 2] * single + eon_multiple(iz, oz, material[DIFFUSE + 2], rough))
            else:
                matt /= math.pi
                body_r, body_g, body_b = matt * material[DIFFUSE], matt * material[DIFFUSE + 1], matt * material[DIFFUSE + 2]
            if thin_body:
                back = body * material[SUBSURFACE] * 0.5 * (1.0 - material[SUB_G]) / math.pi
                body_r += back * material[SUB_COLOUR]
                body_g += back * material[SUB_COLOUR + 1]
                body_b += back * material[SUB_COLOUR + 2]
    if under < 1.0:
        ur = ug = ub = under
        if material[COAT] > 0.0:
            ur *= material[DARKENING] * _coat_pass(material, iz, oz, 0)
            ug *= material[DARKENING + 1] * _coat_pass(material, iz, oz, 1)
            ub *= material[DARKENING + 2] * _coat_pass(material, iz, oz, 2)
        base_r, base_g, base_b = base_r * ur, base_g * ug, base_b * ub
        body_r, body_g, body_b = body_r * ur, body_g * ug, body_b * ub
    body_r, body_g, body_b = body_r + fr, body_g + fg, body_b + fb
    return r + base_r + body_r, g + base_g + body_g, b + base_b + body_b, density, body_r, body_g, body_b


@inlined
def _evaluate_glass(material, table, films, ox, oy, oz, ix, iy, iz, ax, ay, eta, inside, odds):
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
    fr, fg, fb, chance, _t = clear_boundary(material, films, cos_o, eta, inside)
    gain = 1.0 / (max(1e-4, layer_albedo(material, table, E_GLASS_INSIDE if inside else E_GLASS, ox, oy, oz)) * (1.0 + lambda_o + lambda_i))
    if iz > 0.0:
        value = d / (4.0 * oz)
        energy = gain * value
        return energy * fr, energy * fg, energy * fb, odds * chance * value / (1.0 + lambda_o)
    if cos_i >= 0.0:
        return 0.0, 0.0, 0.0, 0.0
    root = cos_o + eta * cos_i
    # d(h)/d(i) of refraction; radiance is carried without the squared index, which cancels once light has left again.
    value = d * cos_o * eta * eta * -cos_i / (oz * root * root)
    energy = gain * value
    return (
        energy * (1.0 - fr) * material[TINT],
        energy * (1.0 - fg) * material[TINT + 1],
        energy * (1.0 - fb) * material[TINT + 2],
        odds * (1.0 - chance) * value / (1.0 + lambda_o),
    )


@inlined
def sample_direction(material, table, films, ox, oy, oz, inside, u, v, side):
    """`sample_lobes` in air with its odds worked out."""
    return sample_lobes(material, films, lobe_odds(material, table, ox, oy, oz), ox, oy, oz, inside, u, v, side, material[REFRACTION])


@inlined
def sample_lobes(material, films, odds, ox, oy, oz, inside, u, v, side, ratio):
    """A direction for light to come from, chosen in proportion to the lobes. Returns (x, y, z); z = 0 means none.

    `u` chooses the lobe and, stretched out again, serves within it, so that evenly spread points stay so in every lobe; `side` chooses
    between reflection and passage at a clear boundary. Going below the surface is not a direction: whoever calls asks first whether `u`
    lies within the last of the odds' chances.
    """
    ax, ay = material[ALPHA_X], material[ALPHA_Y]
    glass = inside
    bent = False
    eta = 1.0 / ratio if inside else ratio
    if not inside:
        p_coat, p_base, p_glass, p_diffuse = odds[0], odds[1], odds[2], odds[3]
        if u < p_diffuse:
            u /= p_diffuse
            back = material[SUBSURFACE] * 0.5 * (1.0 + material[SUB_G]) if material[THIN] > 0.0 else 0.0
            if u < back:
                x, y, z = cosine_hemisphere(u / back, v)
                return x, y, -z
            return cosine_hemisphere((u - back) / (1.0 - back) if back < 1.0 else u, v)
        u -= p_diffuse
        if u < p_coat:
            u /= p_coat
            ax, ay = material[COAT_ALPHA], material[COAT_ALPHA_Y]
            bent = material[COAT_BENT] > 0.0
        else:
            u -= p_coat
            if u < p_base or p_glass == 0.0:
                u = min(1.0, u / max(1e-30, p_base))
            else:
                glass = True
                u = min(1.0, (u - p_base) / p_glass)
    vx, vy, vz = ox, oy, oz
    if bent:
        vx, vy, vz = to_coat(material, ox, oy, oz)
        vz = max(1e-4, vz)
    hx, hy, hz = sample_visible_normal(vx, vy, vz, ax, ay, u, v)
    if bent:
        nx, ny, nz = material[COAT_NORMAL], material[COAT_NORMAL + 1], material[COAT_NORMAL + 2]
        hx, hy, hz = _unbent(nx, ny, nz, hx, hy, hz)
    cosine = ox * hx + oy * hy + oz * hz
    if glass:
        _r, _g, _b, chance, t = clear_boundary(material, films, cosine, eta, inside)
        if side >= chance:
            k = cosine / eta - t
            x, y, z = k * hx - ox / eta, k * hy - oy / eta, k * hz - oz / eta
            return (x, y, z) if z < 0.0 else (0.0, 0.0, 0.0)
    x, y, z = 2.0 * cosine * hx - ox, 2.0 * cosine * hy - oy, 2.0 * cosine * hz - oz
    return (x, y, z) if z > 0.0 else (0.0, 0.0, 0.0)
