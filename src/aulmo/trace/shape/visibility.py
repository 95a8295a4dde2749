"""Whether light comes straight along a segment, and what clear solids lie on the way.

Clear solids may overlap: where they do, the one with the higher priority is what is really there, and boundaries of the others
within it are no boundaries at all. Reference: Schmidt & Budge 2002, "Simple nested dielectrics in ray traced images".
"""

import math

import numpy as np

from aulmo.trace.compile.arrays import OPT_CLEAR_BOX, OPT_HAS_CLEAR, OPT_STRAIGHT_GLASS, P_FIRST, P_LAST, P_LAYERS
from aulmo.trace.shape.embree import MASK_CLEAR, MASK_SOLID, NO_HIT, intersect, occluded, set_ray
from aulmo.trace.compile.units import run, share_covered_in_world
from aulmo.trace.compile.jit import inlined, kernel
from aulmo.trace.compile import units
from aulmo.trace.material.microfacet import fresnel_dielectric
from aulmo.surface.columns import ABSORPTION, COLUMNS, CUT_OUT, METALNESS, OPACITY, PRIORITY, REFRACTION, SCATTERING, THIN, TINT, TRANSMISSION
from aulmo.trace.pattern.laid import set_known
from aulmo.trace.shape.surface_hit import flat_normal, lift_off, material_at, place_on_part

FAR = 1e30
MEDIA = 6  # how deep clear solids may nest


@inlined
def topmost(scene, media, depth):
    """Which of the solids a point lies in counts: its instance, or -1 for air."""
    best = -1
    rank = -1e30
    for k in range(depth):
        priority = scene.materials[scene.instance_material[media[k]], PRIORITY]
        if priority >= rank:
            best, rank = media[k], priority
    return best


@inlined
def enter(media, depth, instance):
    """Push an instance; returns the new depth."""
    if depth < MEDIA:
        media[depth] = instance
        return depth + 1
    return depth


@inlined
def leave(media, depth, instance):
    """Take an instance off; returns the new depth."""
    for k in range(depth - 1, -1, -1):
        if media[k] == instance:
            for j in range(k, depth - 1):
                media[j] = media[j + 1]
            return depth - 1
    return depth


@inlined
def index_of(scene, instance):
    """Refractive index of an instance's material; of air for -1."""
    return scene.materials[scene.instance_material[instance], REFRACTION] if instance >= 0 else 1.0


@inlined
def _misses_box(options, x, y, z, dx, dy, dz):
    """True when a ray cannot meet any clear part (slab test against the box of them all)."""
    near, far = 0.0, FAR
    b = OPT_CLEAR_BOX
    for o, d, low, high in ((x, dx, options[b], options[b + 3]), (y, dy, options[b + 1], options[b + 4]), (z, dz, options[b + 2], options[b + 5])):
        if abs(d) < 1e-12:
            if o < low or o > high:
                return True
        else:
            inverse = 1.0 / d
            t0, t1 = (low - o) * inverse, (high - o) * inverse
            near, far = max(near, min(t0, t1)), min(far, max(t0, t1))
    return near > far


@inlined
def note_ray(ray, words, record, recorded, shadow):
    """Keep a copy of a ray for the benchmark's replay; nothing when no room was given."""
    k = recorded[0]
    if k < record.shape[0]:
        for c in range(9):
            record[k, c] = ray[c]
        record[k, 9] = words[9]
        record[k, 10] = shadow
        recorded[0] = k + 1


@kernel
def _led_opacity(scene, instance, triangle, which, time, px, py, pz, gx, gy, gz, facing, own, registers):
    """The opacity that the nodes of a material's row give at a point, for light that arrives along a shadow ray."""
    m = scene.materials[which]
    for c in range(COLUMNS):
        own[c] = m[c]
    x, y, z, ex, ey, ez, _per_mm = place_on_part(scene, instance, time, px, py, pz, gx, gy, gz)
    p = scene.programs[which]
    set_known(scene, registers, p, instance, triangle)
    run(scene.ops, p[P_FIRST], p[P_LAST], scene.lays, scene.pictures, registers, own, x, y, z, ex, ey, ez, facing, 0.0)
    return own[OPACITY]


@kernel
def _not_layered(scene, instance, triangle, which, time, px, py, pz, gx, gy, gz, facing, own, registers):
    """How much of a point the layers of a material's row leave free, for light that arrives along a shadow ray."""
    x, y, z, ex, ey, ez, _per_mm = place_on_part(scene, instance, time, px, py, pz, gx, gy, gz)
    set_known(scene, registers, scene.programs[which], instance, triangle)
    start = scene.programs[which, P_LAYERS]
    free = 1.0
    for k in range(start + 1, start + 1 + scene.layers[start, 0]):
        layer = scene.layers[k]
        run(scene.ops, layer[1], layer[2], scene.lays, scene.pictures, registers, own, x, y, z, ex, ey, ez, facing, 0.0)
        free *= 1.0 - min(1.0, max(0.0, registers[0, 0] * registers[0, 3]))
    return free


@units.visibility.made
def visibility(scene, options, ray, words, time, x, y, z, dx, dy, dz, far, media, depth, record, recorded, own, registers):
    """How much light comes straight along a segment: 0 behind solids, weakened by what is partly there, tinted and weakened by clear glass
    where the option lets light go straight through it.

    `media` holds the `depth` instances the segment starts in; it is changed. `own` and `registers` are room for surface programs.
    """
    straight = options[OPT_STRAIGHT_GLASS] > 0.0
    set_ray(ray, words, x, y, z, dx, dy, dz, 0.0, far, MASK_SOLID)
    ray[7] = time
    note_ray(ray, words, record, recorded, 1)
    if occluded(scene.top, ray):
        return 0.0, 0.0, 0.0
    if options[OPT_HAS_CLEAR] == 0.0 or _misses_box(options, x, y, z, dx, dy, dz):
        return 1.0, 1.0, 1.0
    r = g = b = 1.0
    travelled = 0.0
    for _ in range(24):
        set_ray(ray, words, x, y, z, dx, dy, dz, 0.0, far - travelled, MASK_CLEAR)
        ray[7] = time
        note_ray(ray, words, record, recorded, 0)
        intersect(scene.top, ray)
        if words[17] == NO_HIT:
            return r, g, b
        t = ray[8]
        instance = words[19]
        which = material_at(scene, instance, words[17])
        m = scene.materials[which]
        current = topmost(scene, media, depth)
        if current >= 0:
            within = scene.materials[scene.instance_material[current]]
            r *= math.exp(-(within[ABSORPTION] + within[SCATTERING]) * t)
            g *= math.exp(-(within[ABSORPTION + 1] + within[SCATTERING + 1]) * t)
            b *= math.exp(-(within[ABSORPTION + 2] + within[SCATTERING + 2]) * t)
        gx, gy, gz = flat_normal(scene, ray, words)
        px, py, pz = x + dx * t, y + dy * t, z + dz * t
        facing = gx * dx + gy * dy + gz * dz
        f = 0.0
        real = True
        if m[THIN] > 0.0:
            f, _c = fresnel_dielectric(facing, m[REFRACTION])
            f = 2.0 * f / (1.0 + f)
        elif m[TRANSMISSION] * (1.0 - m[METALNESS]) > 0.0:
            # a straight ray leaves at the angle it entered: the refracted ray inside meets the wall at the same Fresnel loss
            if facing < 0.0:
                real = current < 0 or scene.materials[scene.instance_material[current], PRIORITY] <= m[PRIORITY]
                depth = enter(media, depth, instance)
                other = current
            else:
                real = current == instance or current < 0
                depth = leave(media, depth, instance)
                other = topmost(scene, media, depth)
            if real:
                f, _c = fresnel_dielectric(facing, m[REFRACTION] / index_of(scene, other))
        if real:
            opacity = m[OPACITY]
            if m[CUT_OUT] > 0.0:
                opacity = _led_opacity(scene, instance, np.int64(words[17]), which, time, px, py, pz, gx, gy, gz, abs(facing), own, registers)
            passed = 1.0
            if len(scene.decal_list) > 0 and scene.instance_decals[instance] >= 0:
                passed -= share_covered_in_world(scene, registers, scene.instance_decals[instance], instance, time, px, py, pz, gx, gy, gz)
            if scene.programs[which, P_LAYERS] > 0:
                passed *= _not_layered(scene, instance, np.int64(words[17]), which, time, px, py, pz, gx, gy, gz, abs(facing), own, registers)
            through = opacity * (1.0 - m[METALNESS]) * m[TRANSMISSION] * (1.0 - f) if straight else 0.0
            r *= passed * (1.0 - opacity + through * m[TINT])
            g *= passed * (1.0 - opacity + through * m[TINT + 1])
            b *= passed * (1.0 - opacity + through * m[TINT + 2])
            if max(r, g, b) < 1e-5:
                return 0.0, 0.0, 0.0
        step = t + lift_off(px, py, pz, t) / max(0.05, abs(facing))
        x, y, z = x + dx * step, y + dy * step, z + dz * step
        travelled += step
        if travelled >= far:
            return r, g, b
    return 0.0, 0.0, 0.0
