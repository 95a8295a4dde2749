"""What a path adds to the film: light it has met or been lit by, and the passes of the first surface.

Light that two estimators can find is weighed by the balance heuristic (Veach 1995).
"""

import math

import numpy as np

from aulmo.surface import columns as o
from aulmo.trace.compile.arrays import (
    BACKDROP_ENVIRONMENT,
    BACKDROP_GRADIENT,
    BACKDROP_PHOTOGRAPH,
    BACKDROP_TRANSPARENT,
    BACKGROUND,
    DIRECT_DIFFUSE,
    DIRECT_TRANSMISSION,
    EMISSION_PATH,
    GROUP_ENVIRONMENT,
    INDIRECT_DIFFUSE,
    INDIRECT_TRANSMISSION,
    LAMP_FIRST,
    LAMP_GROUP,
    LAMP_KIND,
    LAMP_N,
    LAMP_SIZE_2,
    OPT_BACKDROP,
    OPT_BACKDROP_BOTTOM,
    OPT_BACKDROP_TOP,
    OPT_CLAMP,
    OPT_ENV_SCALE,
    OPT_GRADIENT_SPAN,
    OPT_GROUPS,
    OPT_OCCLUSION,
    OPT_PASSES,
    OPT_WHITE,
    PLANE_ALBEDO,
    PLANE_ALPHA,
    PLANE_DEPTH,
    PLANE_FACING,
    PLANE_FIRST_ALBEDO,
    PLANE_FIRST_NORMAL,
    PLANE_GROUPS,
    PLANE_HIT,
    PLANE_OCCLUSION,
    PLANE_PATHS,
    PLANE_POSITION,
    PLANE_RGB,
    SOFTBOX,
    SUBSURFACE,
)
from aulmo.trace.shape.embree import MASK_CLEAR, MASK_SOLID, occluded, set_ray
from aulmo.trace.compile.units import dome_density, hit_density, photo_light
from aulmo.trace.compile.jit import inlined, kernel
from aulmo.trace.compile import units
from aulmo.trace.lamp.lamps import lamp_light
from aulmo.trace.lamp.dome import far_chance, left_of_ground, luminance, map_place, map_radiance
from aulmo.trace.lamp.softboxes import box_density, box_given, over_ground
from aulmo.trace.path.path_state import (
    ALIVE,
    BELOW,
    BOUNCE,
    BY_SUBSURFACE,
    BY_SURFACE,
    BY_TRANSMISSION,
    CARRIED,
    DENSITY,
    DIRECTION,
    EVENTS,
    FIRST,
    GUIDED,
    HEIGHT,
    KIND,
    LAST,
    LAST_INSTANCE,
    MAP_U,
    MAP_V,
    MATTE_SLOTS,
    MATT_SHARE,
    ORIGIN,
    ROUGH,
    SEEN,
    SUM,
    TIME,
    last_aim,
    lit_by,
)
from aulmo.trace.path.sampling import cosine_hemisphere, draw_2d, frame_about


@inlined
def backdrop_light(scene, options, px, py, pz, dx, dy, dz, sy):
    """What the camera sees behind everything along a ray from a point: (red, green, blue, opacity). Of the dome its ground alone."""
    kind = options[OPT_BACKDROP]
    if kind == BACKDROP_ENVIRONMENT:
        u, v = map_place(scene, options, px, py, pz, dx, dy, dz)
        r, g, b = map_radiance(scene.env, u, v, options[OPT_ENV_SCALE] * left_of_ground(scene, dx, dy, dz))
        return r, g, b, 1.0
    if kind == BACKDROP_TRANSPARENT:
        return 0.0, 0.0, 0.0, 0.0
    f = 1.0
    if kind == BACKDROP_GRADIENT:
        f = min(1.0, max(0.0, 0.5 + 0.5 * sy * options[OPT_GRADIENT_SPAN]))
        f = f * f * (3.0 - 2.0 * f)
    if kind == BACKDROP_PHOTOGRAPH:
        r, g, b, _inside = photo_light(scene.photo, options, dx, dy, dz)
        return r, g, b, 1.0
    top, low = OPT_BACKDROP_TOP, OPT_BACKDROP_BOTTOM
    return (
        f * options[top] + (1.0 - f) * options[low],
        f * options[top + 1] + (1.0 - f) * options[low + 1],
        f * options[top + 2] + (1.0 - f) * options[low + 2],
        1.0,
    )


@kernel
def whole_backdrop(scene, options, px, py, pz, dx, dy, dz, sy):
    """The same with the softboxes on the dome."""
    r, g, b, opaque = backdrop_light(scene, options, px, py, pz, dx, dy, dz, sy)
    if options[OPT_BACKDROP] == BACKDROP_ENVIRONMENT and len(scene.softboxes) > 0:
        u, v = map_place(scene, options, px, py, pz, dx, dy, dz)
        r, g, b = map_radiance(scene.env, u, v, options[OPT_ENV_SCALE])
        r, g, b = over_ground(scene.softboxes, scene.box_lights, dx, dy, dz, r, g, b)
    return r, g, b, opaque


@inlined
def add_light(options, out, state, plane, group, r, g, b, mr, mg, mb):
    """Add light to the film; `m` of it goes to the matt plane beside a specular one. `plane` is a way of `arrays`."""
    out[PLANE_RGB] += r
    out[PLANE_RGB + 1] += g
    out[PLANE_RGB + 2] += b
    state[SUM] += luminance(r, g, b)
    if options[OPT_PASSES] > 0.0:
        p = PLANE_PATHS + 3 * plane
        if plane == DIRECT_DIFFUSE or plane == INDIRECT_DIFFUSE:
            out[p] += mr
            out[p + 1] += mg
            out[p + 2] += mb
            p += 6
            r, g, b = r - mr, g - mg, b - mb
            out[p] += r
            out[p + 1] += g
            out[p + 2] += b
            r, g, b = r + mr, g + mg, b + mb
        else:
            out[p] += r
            out[p + 1] += g
            out[p + 2] += b
        if group < options[OPT_GROUPS]:
            p = PLANE_GROUPS + 3 * int(group)
            out[p] += r
            out[p + 1] += g
            out[p + 2] += b


@inlined
def found_light(options, out, state, whole, unmet, group, r, g, b):
    """Add light that a path itself has met; `unmet` is its way when nothing came before."""
    if whole[BOUNCE] > 1:
        top = abs(luminance(r, g, b))
        if top > options[OPT_CLAMP]:
            top = options[OPT_CLAMP] / top
            r, g, b = r * top, g * top, b * top
    kind = whole[KIND]
    plane = unmet
    if kind == BY_SURFACE:
        plane = DIRECT_DIFFUSE if whole[EVENTS] == 1 else INDIRECT_DIFFUSE
    elif kind == BY_TRANSMISSION:
        plane = DIRECT_TRANSMISSION if whole[EVENTS] == 1 else INDIRECT_TRANSMISSION
    elif kind == BY_SUBSURFACE:
        plane = SUBSURFACE
    add_light(options, out, state, plane, group, r, g, b, r * state[MATT_SHARE], g * state[MATT_SHARE + 1], b * state[MATT_SHARE + 2])


@inlined
def met_lamp(scene, options, state, whole, which, distance, cosine):
    """Weight of light found on lamp row `which` at a distance from the ray's start."""
    if whole[ROUGH] == 0:
        return 1.0
    dx, dy, dz = state[DIRECTION], state[DIRECTION + 1], state[DIRECTION + 2]
    x, y, z = state[ORIGIN] - state[LAST], state[ORIGIN + 1] - state[LAST + 1], state[ORIGIN + 2] - state[LAST + 2]
    distance += math.sqrt(x * x + y * y + z * z)
    p = hit_density(
        scene, options, which, state[LAST], state[LAST + 1], state[LAST + 2], last_aim(state), dx, dy, dz, distance, cosine,
    )  # fmt: skip
    return state[DENSITY] / (state[DENSITY] + p)


@kernel
def _meet_softboxes(scene, options, state, whole, out, unmet):
    """Add the light of the softboxes that a ray ends at, each to its own group; returns what they send there."""
    dx, dy, dz = state[DIRECTION], state[DIRECTION + 1], state[DIRECTION + 2]
    tr, tg, tb = state[CARRIED], state[CARRIED + 1], state[CARRIED + 2]
    sr = sg = sb = 0.0
    for k in range(len(scene.distant)):
        which = scene.distant[k]
        lamp = scene.lamps[which]
        if int(lamp[LAMP_KIND]) == SOFTBOX and lit_by(scene, which, whole[LAST_INSTANCE]):
            box = int(lamp[LAMP_FIRST])
            r, g, b = box_given(scene.softboxes, scene.box_lights, box, dx, dy, dz)
            if r + g + b > 0.0:
                weight = 1.0
                if whole[ROUGH] > 0:
                    p = far_chance(scene, options, which, last_aim(state)) * box_density(scene.softboxes[box], scene.box_tables, dx, dy, dz)
                    weight = state[DENSITY] / (state[DENSITY] + p)
                found_light(options, out, state, whole, unmet, lamp[LAMP_GROUP], tr * r * weight, tg * g * weight, tb * b * weight)
                sr, sg, sb = sr + r, sg + g, sb + b
    return sr, sg, sb


@units.left_scene.made
def left_scene(scene, options, state, whole, out):
    """The ray has left the scene."""
    dx, dy, dz = state[DIRECTION], state[DIRECTION + 1], state[DIRECTION + 2]
    tr, tg, tb = state[CARRIED], state[CARRIED + 1], state[CARRIED + 2]
    whole[ALIVE] = 0
    if whole[BELOW] > 0:
        return
    seen = whole[SEEN] > 0
    boxes = len(scene.softboxes) > 0 and (not seen or options[OPT_BACKDROP] == BACKDROP_ENVIRONMENT)
    sr = sg = sb = 0.0
    if boxes:
        sr, sg, sb = _meet_softboxes(scene, options, state, whole, out, BACKGROUND if seen else EMISSION_PATH)
    if seen and options[OPT_BACKDROP] == BACKDROP_PHOTOGRAPH and whole[EVENTS] == 0:
        out[PLANE_ALPHA] -= 1.0  # laid under the finished picture, untouched
        return
    if seen:
        r, g, b, opaque = backdrop_light(scene, options, state[ORIGIN], state[ORIGIN + 1], state[ORIGIN + 2], dx, dy, dz, state[HEIGHT])
        found_light(options, out, state, whole, BACKGROUND, GROUP_ENVIRONMENT, tr * r, tg * g, tb * b)
        if boxes:
            r, g, b = r + sr, g + sg, b + sb
        if opaque == 0.0:
            out[PLANE_ALPHA] -= min(1.0, luminance(tr, tg, tb))
        if whole[GUIDED] == 0 and opaque > 0.0:
            out[PLANE_ALBEDO] += min(1.0, r / options[OPT_WHITE])
            out[PLANE_ALBEDO + 1] += min(1.0, g / options[OPT_WHITE])
            out[PLANE_ALBEDO + 2] += min(1.0, b / options[OPT_WHITE])
        return
    u, v = state[MAP_U], state[MAP_V]
    r, g, b = map_radiance(scene.env, u, v, options[OPT_ENV_SCALE] * left_of_ground(scene, dx, dy, dz))
    weight = 1.0
    if whole[ROUGH] > 0:
        p = dome_density(scene, options, state[LAST], state[LAST + 1], state[LAST + 2], dx, dy, dz, u, v)
        weight = state[DENSITY] / (state[DENSITY] + p)
    found_light(options, out, state, whole, BACKGROUND, GROUP_ENVIRONMENT, tr * r * weight, tg * g * weight, tb * b * weight)
    for k in range(len(scene.distant)):
        which = scene.distant[k]
        lamp = scene.lamps[which]
        if int(lamp[LAMP_KIND]) == SOFTBOX:
            continue
        spread = lamp[LAMP_SIZE_2]
        if -(dx * lamp[LAMP_N] + dy * lamp[LAMP_N + 1] + dz * lamp[LAMP_N + 2]) > 1.0 - spread and spread > 0.0:
            if lit_by(scene, which, whole[LAST_INSTANCE]):
                weight = 1.0
                if whole[ROUGH] > 0:
                    p = far_chance(scene, options, which, last_aim(state)) / (2.0 * math.pi * spread)
                    weight = state[DENSITY] / (state[DENSITY] + p)
                r, g, b = lamp_light(scene, lamp, -dx, -dy, -dz)
                found_light(options, out, state, whole, EMISSION_PATH, lamp[LAMP_GROUP], tr * r * weight, tg * g * weight, tb * b * weight)


@inlined
def guide_albedo(m, c):
    """Colour of a surface for the denoiser's guide and the albedo pass."""
    metal = m[o.METALNESS]
    clear = (1.0 - metal) * m[o.TRANSMISSION]
    body = m[o.SUBSURFACE] * m[o.SUB_COLOUR + c] + (1.0 - m[o.SUBSURFACE]) * m[o.DIFFUSE + c]
    return min(1.0, metal * m[o.METAL_F0 + c] + (1.0 - metal - clear) * body + clear + 0.04)


@inlined
def note_matte(cell, which, name):
    """Count a sample of part (`which` 0) or material (1) number `name` in a pixel's mattes."""
    for k in range(MATTE_SLOTS):
        if cell[which, k, 1] == 0.0 or cell[which, k, 0] == name:
            cell[which, k, 0] = name
            cell[which, k, 1] += 1.0
            return


@units.note_first.made
def note_first(scene, options, ray, words, state, whole, out, matte, with_mattes, index, key, instance, which, px, py, pz, nx, ny, nz, lift, m):
    """The passes of the first surface a path meets; `which` is the row of its material."""
    whole[FIRST] = 1
    out[PLANE_HIT] += 1.0
    x, y, z = px - state[LAST], py - state[LAST + 1], pz - state[LAST + 2]
    out[PLANE_DEPTH] += math.sqrt(x * x + y * y + z * z)
    out[PLANE_POSITION] += px
    out[PLANE_POSITION + 1] += py
    out[PLANE_POSITION + 2] += pz
    out[PLANE_FIRST_NORMAL] += nx
    out[PLANE_FIRST_NORMAL + 1] += ny
    out[PLANE_FIRST_NORMAL + 2] += nz
    out[PLANE_FACING] += max(0.0, -(nx * state[DIRECTION] + ny * state[DIRECTION + 1] + nz * state[DIRECTION + 2]))
    for c in range(3):
        out[PLANE_FIRST_ALBEDO + c] += guide_albedo(m, c)
    if with_mattes:
        note_matte(matte, 0, np.float32(scene.instance_part[instance]))
        note_matte(matte, 1, np.float32(which))
    if options[OPT_OCCLUSION] > 0.0:
        u, v = draw_2d(index, key + np.uint64(7))
        a, b, c = cosine_hemisphere(u, v)
        ax, ay, az, bx, by, bz = frame_about(nx, ny, nz)
        set_ray(
            ray, words, px + lift * nx, py + lift * ny, pz + lift * nz, a * ax + b * bx + c * nx, a * ay + b * by + c * ny, a * az + b * bz + c * nz,
            lift, options[OPT_OCCLUSION], MASK_SOLID | MASK_CLEAR,
        )  # fmt: skip
        ray[7] = state[TIME]
        if not occluded(scene.top, ray):
            out[PLANE_OCCLUSION] += 1.0
