"""The path tracer: light carried back from the scene to each pixel.

Unidirectional paths with one light sample at every rough vertex, combined by the balance heuristic (Veach 1995). A wave of sixteen
paths advances together, one vertex at a time: first all rays are met with the scene, then what they met is asked for from memory,
then each path takes its turn, then the light samples' shadow rays are traced. Light seen through clear glass from a rough surface goes
straight through, weakened by Fresnel and tint, when the option says so: a thin globe then stays clean without caustic paths.
Below a translucent surface, and within cloudy clear solids, paths walk at random from scattering to scattering.

References: Chiang, Kutz & Burley 2016, "Practical and controllable subsurface scattering for production path tracing"; Wilkie et
al. 2014, "Hero wavelength spectral sampling" (one wavelength here, taken when a path first meets a dispersive solid).
"""

import math

import numpy as np

from aulmo.trace.arrays import (
    BACKDROP_ENVIRONMENT,
    BACKDROP_GRADIENT,
    BACKDROP_TRANSPARENT,
    BACKGROUND,
    CAM_COLUMNS,
    CAM_PROJECTION,
    CAM_TAN_W,
    DIRECT_DIFFUSE,
    DIRECT_TRANSMISSION,
    EMISSION_PATH,
    GROUP_ENVIRONMENT,
    GROUP_GLOW,
    INDIRECT_DIFFUSE,
    INDIRECT_TRANSMISSION,
    LAMP_GROUP,
    LAMP_LINK,
    LAMP_N,
    LAMP_SIZE_2,
    LAMP_VISIBLE,
    MESH,
    LAMP_KIND,
    OPT_BACKDROP,
    OPT_BACKDROP_BOTTOM,
    OPT_BACKDROP_TOP,
    OPT_BOUNCES,
    OPT_CLAMP,
    OPT_CLEAR_BOUNCES,
    OPT_DIFFUSE_BOUNCES,
    OPT_DISTANT_CHANCE,
    OPT_ENV_CHANCE,
    OPT_ENV_SCALE,
    OPT_GRADIENT_SPAN,
    OPT_GROUPS,
    OPT_LAMP_MASK,
    OPT_OCCLUSION,
    OPT_PASSES,
    OPT_PLAIN,
    OPT_SCATTERS,
    OPT_SEED,
    OPT_SHUTTER_CLOSE,
    OPT_SHUTTER_OPEN,
    OPT_SPECULAR_BOUNCES,
    OPT_STRAIGHT_GLASS,
    OPT_WHITE,
    P_FIRST,
    P_HEIGHT,
    P_HEIGHT_LAST,
    P_LAST,
    P_NORMAL,
    P_NORMAL_LAST,
    P_TABLES,
    PERSPECTIVE,
    PLANE_ALBEDO,
    PLANE_ALPHA,
    PLANE_CATCH,
    PLANE_COUNT,
    PLANE_DEPTH,
    PLANE_FACING,
    PLANE_FIRST_ALBEDO,
    PLANE_FIRST_NORMAL,
    PLANE_GROUPS,
    PLANE_HIT,
    PLANE_LIT,
    PLANE_NORMAL,
    PLANE_OCCLUSION,
    PLANE_PATHS,
    PLANE_POSITION,
    PLANE_RGB,
    PLANE_SHADOW_ALL,
    PLANE_SHADOW_LIT,
    PLANE_SQUARE,
    PLANE_UNSHADOWED,
    ROUGH_LEVELS,
    SUBSURFACE,
    SceneArrays,
)
from aulmo.trace.embree import (
    MASK_CATCHER,
    MASK_CLEAR,
    MASK_SOLID,
    NO_HIT,
    PACKET,
    PACKET_WORDS,
    RAY_WORDS,
    intersect,
    intersect_packet,
    packet_in,
    occluded,
    set_packet_ray,
    set_ray,
    take_from_packet,
)
from aulmo.trace import openpbr as o
from aulmo.trace.jit import borrowed, entry, inlined, kernel
from aulmo.trace.lamps import lamp_light, meet_lamp
from aulmo.trace.lens import camera_at, camera_ray, tent
from aulmo.trace.lights import (
    dome_density,
    env_radiance,
    fetch_map_soon,
    fetch_pick_soon,
    hit_density,
    luminance,
    map_radiance,
    sample_dome,
    sample_env,
    sample_lamps,
    to_map,
)
from aulmo.trace.microfacet import fresnel_dielectric, henyey_greenstein, sample_phase
from aulmo.trace.openpbr import below_weight, evaluate_lobes, film_at, lobe_odds, sample_lobes
from aulmo.trace.sampling import cosine_hemisphere, draw_1d, draw_2d, draw_quick, frame_about, hash32
from aulmo.trace.spectrum import draw_wavelength, ior_at
from aulmo.trace.quick_math import sine_cosine
from aulmo.surface.program import O_P, REGISTERS
from aulmo.trace.program_run import project_point, run
from aulmo.trace.surface_hit import fetch_corners_soon, fetch_triangle_soon, hit_point, lift_off, stretch_frame, to_object
from aulmo.trace.visibility import FAR, MEDIA, enter, index_of, leave, note_ray, topmost, visibility

# What a path remembers between its vertices: numbers ...
ORIGIN, DIRECTION, CARRIED, LAST, LAST_NORMAL, DENSITY, GUIDE, MATT_SHARE = 0, 3, 6, 9, 12, 15, 16, 19
SUM, WAVELENGTH, TIME, HEIGHT, T_FAR, NG, BARY = 22, 23, 24, 25, 26, 27, 30
# drawn beforehand, so that what they lead to in memory can be asked for: lobe, light, place on it; a direction to the dome
LOBE, PICK, SU, SV, DOME, MAP_U, MAP_V = 32, 33, 34, 35, 36, 40, 41
# how wide the path has become, mm, and how much wider it grows with every mm
WIDE, SPREAD = 42, 43
NUMBERS = 44
# ... and whole numbers
ALIVE, SEEN, ROUGH, DEPTH, GUIDED, BOUNCE, MATT, SHINY, CLEAR_PASSES, SCATTERED = 0, 1, 2, 3, 4, 5, 6, 7, 8, 9
KIND, EVENTS, BELOW, BELOW_MATERIAL, LAST_INSTANCE, SEED, STEP, FIRST, PRIMITIVE, INSTANCE = 10, 11, 12, 13, 14, 15, 16, 17, 18, 19
WHOLES = 20
# kinds of the first event on a path
NOT_YET, BY_SURFACE, BY_TRANSMISSION, BY_SUBSURFACE = 0, 1, 2, 3
# A light sample waiting for its shadow ray
S_WAITING, S_FROM, S_TOWARD, S_FAR, S_LIGHT, S_MATT, S_PLANE, S_GROUP, S_DEPTH, S_CATCH, S_FIRST = 0, 1, 4, 7, 8, 11, 14, 15, 16, 17, 18
SHADOWS = 20
ON_SURFACE, ON_LAMBERT, IN_VOLUME, ON_CATCHER = 0, 1, 2, 3
EVEN_STEPS = 5  # vertices that draw evenly spread points
MATTE_SLOTS = 6


@inlined
def _draw(index, key, step):
    if step < EVEN_STEPS:
        return draw_2d(index, key)
    return draw_quick(index, key)


@inlined
def _backdrop(scene, options, dx, dy, dz, sy):
    """What the camera sees behind everything: (red, green, blue, opacity)."""
    kind = options[OPT_BACKDROP]
    if kind == BACKDROP_ENVIRONMENT:
        r, g, b = env_radiance(scene.env, scene.env_turn, options[OPT_ENV_SCALE], dx, dy, dz)
        return r, g, b, 1.0
    if kind == BACKDROP_TRANSPARENT:
        return 0.0, 0.0, 0.0, 0.0
    f = 1.0
    if kind == BACKDROP_GRADIENT:
        f = min(1.0, max(0.0, 0.5 + 0.5 * sy * options[OPT_GRADIENT_SPAN]))
        f = f * f * (3.0 - 2.0 * f)
    top, low = OPT_BACKDROP_TOP, OPT_BACKDROP_BOTTOM
    return (
        f * options[top] + (1.0 - f) * options[low],
        f * options[top + 1] + (1.0 - f) * options[low + 1],
        f * options[top + 2] + (1.0 - f) * options[low + 2],
        1.0,
    )


@inlined
def _add(options, out, state, plane, group, r, g, b, mr, mg, mb):
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
def _found(options, out, state, whole, unmet, group, r, g, b):
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
    _add(options, out, state, plane, group, r, g, b, r * state[MATT_SHARE], g * state[MATT_SHARE + 1], b * state[MATT_SHARE + 2])


@inlined
def _lit_by(scene, which, instance):
    """Whether lamp row `which` lights an instance."""
    link = int(scene.lamps[which, LAMP_LINK])
    return link == 0 or instance < 0 or scene.links[link, instance] != 0


@inlined
def _missed(scene, options, state, whole, out):
    """The ray has left the scene."""
    dx, dy, dz = state[DIRECTION], state[DIRECTION + 1], state[DIRECTION + 2]
    tr, tg, tb = state[CARRIED], state[CARRIED + 1], state[CARRIED + 2]
    whole[ALIVE] = 0
    if whole[BELOW] > 0:
        return
    if whole[SEEN] > 0:
        r, g, b, opaque = _backdrop(scene, options, dx, dy, dz, state[HEIGHT])
        _found(options, out, state, whole, BACKGROUND, GROUP_ENVIRONMENT, tr * r, tg * g, tb * b)
        if opaque == 0.0:
            out[PLANE_ALPHA] -= min(1.0, luminance(tr, tg, tb))
        if whole[GUIDED] == 0 and opaque > 0.0:
            out[PLANE_ALBEDO] += state[GUIDE] * min(1.0, r / options[OPT_WHITE])
            out[PLANE_ALBEDO + 1] += state[GUIDE + 1] * min(1.0, g / options[OPT_WHITE])
            out[PLANE_ALBEDO + 2] += state[GUIDE + 2] * min(1.0, b / options[OPT_WHITE])
        return
    u, v = state[MAP_U], state[MAP_V]
    r, g, b = map_radiance(scene.env, u, v, options[OPT_ENV_SCALE])
    weight = 1.0
    if whole[ROUGH] > 0:
        p = dome_density(scene, options, state[LAST], state[LAST + 1], state[LAST + 2], dx, dy, dz, u, v)
        weight = state[DENSITY] / (state[DENSITY] + p)
    _found(options, out, state, whole, BACKGROUND, GROUP_ENVIRONMENT, tr * r * weight, tg * g * weight, tb * b * weight)
    for k in range(len(scene.distant)):
        which = scene.distant[k]
        lamp = scene.lamps[which]
        spread = lamp[LAMP_SIZE_2]
        if -(dx * lamp[LAMP_N] + dy * lamp[LAMP_N + 1] + dz * lamp[LAMP_N + 2]) > 1.0 - spread and spread > 0.0:
            if _lit_by(scene, which, whole[LAST_INSTANCE]):
                weight = 1.0
                if whole[ROUGH] > 0:
                    p = options[OPT_DISTANT_CHANCE] / len(scene.distant) / (2.0 * math.pi * spread)
                    weight = state[DENSITY] / (state[DENSITY] + p)
                r, g, b = lamp_light(scene, lamp, -dx, -dy, -dz)
                _found(options, out, state, whole, EMISSION_PATH, lamp[LAMP_GROUP], tr * r * weight, tg * g * weight, tb * b * weight)


@inlined
def _met_lamp(scene, options, state, whole, which, distance, cosine):
    """Weight of light found on lamp row `which` at a distance from the ray's start."""
    if whole[ROUGH] == 0:
        return 1.0
    dx, dy, dz = state[DIRECTION], state[DIRECTION + 1], state[DIRECTION + 2]
    x, y, z = state[ORIGIN] - state[LAST], state[ORIGIN + 1] - state[LAST + 1], state[ORIGIN + 2] - state[LAST + 2]
    distance += math.sqrt(x * x + y * y + z * z)
    p = hit_density(
        scene, options, which, state[LAST], state[LAST + 1], state[LAST + 2], state[LAST_NORMAL], state[LAST_NORMAL + 1], state[LAST_NORMAL + 2],
        dx, dy, dz, distance, cosine,
    )  # fmt: skip
    return state[DENSITY] / (state[DENSITY] + p)


@inlined
def _go(state, x, y, z, dx, dy, dz):
    state[ORIGIN], state[ORIGIN + 1], state[ORIGIN + 2] = x, y, z
    state[DIRECTION], state[DIRECTION + 1], state[DIRECTION + 2] = dx, dy, dz


@inlined
def _carry(state, r, g, b):
    state[CARRIED], state[CARRIED + 1], state[CARRIED + 2] = r, g, b


@inlined
def _remember(state, whole, px, py, pz, nx, ny, nz, density, instance):
    """Keep what the weight of light met next will rest on."""
    state[LAST], state[LAST + 1], state[LAST + 2] = px, py, pz
    state[LAST_NORMAL], state[LAST_NORMAL + 1], state[LAST_NORMAL + 2] = nx, ny, nz
    state[DENSITY] = density
    whole[LAST_INSTANCE] = instance


@inlined
def _survives(state, whole, u, after, most):
    """Russian roulette by what the path still carries, with at most a chance of `most`."""
    if whole[BOUNCE] <= after:
        return True
    q = min(most, max(abs(state[CARRIED]), abs(state[CARRIED + 1]), abs(state[CARRIED + 2])))
    if u >= q:
        return False
    state[CARRIED] /= q
    state[CARRIED + 1] /= q
    state[CARRIED + 2] /= q
    return True


@inlined
def _flight(state, e_r, e_g, e_b, a_r, a_g, a_b, t, u, v):
    """Distance to the next scattering, or `t` when the path gets that far; the carried light is weighted accordingly.

    e is the extinction per mm, a the albedo of a scattering. The channel to draw by is chosen in proportion to what is carried (one-sample
    balance over the three channels).
    """
    r, g, b = abs(state[CARRIED]), abs(state[CARRIED + 1]), abs(state[CARRIED + 2])
    total = r + g + b
    if total <= 0.0:
        return t
    r, g, b = r / total, g / total, b / total
    e = e_r if u < r else e_g if u < r + g else e_b
    s = -math.log(1.0 - v) / e if e > 0.0 else 1e30
    far = s >= t
    if far:
        s = t
    x_r, x_g, x_b = math.exp(-e_r * s), math.exp(-e_g * s), math.exp(-e_b * s)
    if far:
        p = r * x_r + g * x_g + b * x_b
        if p <= 1e-30:
            state[CARRIED] = state[CARRIED + 1] = state[CARRIED + 2] = 0.0
            return t
        _carry(state, state[CARRIED] * x_r / p, state[CARRIED + 1] * x_g / p, state[CARRIED + 2] * x_b / p)
        return t
    p = r * x_r * e_r + g * x_g * e_g + b * x_b * e_b
    if p <= 1e-30:
        state[CARRIED] = state[CARRIED + 1] = state[CARRIED + 2] = 0.0
        return s
    _carry(
        state,
        state[CARRIED] * x_r * e_r * a_r / p,
        state[CARRIED + 1] * x_g * e_g * a_g / p,
        state[CARRIED + 2] * x_b * e_b * a_b / p,
    )
    return s


@inlined
def _turned_aside(dx, dy, dz, cosine, turns):
    """A unit direction at an angle of given cosine to another, turned about it by a share of a full turn."""
    sine = math.sqrt(max(0.0, 1.0 - cosine * cosine))
    s, c = sine_cosine(turns)
    ax, ay, az, bx, by, bz = frame_about(dx, dy, dz)
    return (
        cosine * dx + sine * (c * ax + s * bx),
        cosine * dy + sine * (c * ay + s * by),
        cosine * dz + sine * (c * az + s * bz),
    )


@inlined
def _note_matte(cell, which, name):
    for k in range(MATTE_SLOTS):
        if cell[which, k, 1] == 0.0 or cell[which, k, 0] == name:
            cell[which, k, 0] = name
            cell[which, k, 1] += 1.0
            return


@inlined
def _note_first(scene, options, ray, words, state, whole, out, matte, with_mattes, index, key, instance, px, py, pz, nx, ny, nz, lift, m):
    """The passes of the first surface a path meets."""
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
        out[PLANE_FIRST_ALBEDO + c] += _albedo(m, c)
    if with_mattes:
        _note_matte(matte, 0, np.float32(scene.instance_part[instance]))
        _note_matte(matte, 1, np.float32(scene.instance_material[instance]))
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


@inlined
def _albedo(m, c):
    """Colour of a surface for the denoiser's guide and the albedo pass."""
    metal = m[o.METALNESS]
    clear = (1.0 - metal) * m[o.TRANSMISSION]
    body = m[o.SUBSURFACE] * m[o.SUB_COLOUR + c] + (1.0 - m[o.SUBSURFACE]) * m[o.DIFFUSE + c]
    return min(1.0, metal * m[o.METAL_F0 + c] + (1.0 - metal - clear) * body + clear + 0.04)


@inlined
def _run_program(scene, registers, m, which, instance, time, wide, px, py, pz, nx, ny, nz, facing):
    """Fill in what the material's nodes say at a point; returns the shading normal after bump and normal map.

    Bump: Blinn 1978, "Simulation of wrinkled surfaces", with differences over the footprint.
    """
    p = scene.programs[which]
    x, y, z = to_object(scene, instance, time, px, py, pz)
    ax, ay, az, bx, by, bz = frame_about(nx, ny, nz)
    ex, ey, ez = to_object(scene, instance, time, px + nx, py + ny, pz + nz)
    ex, ey, ez = ex - x, ey - y, ez - z
    length = 1.0 / math.sqrt(max(1e-30, ex * ex + ey * ey + ez * ez))
    per_mm = 1.0 / length  # part millimetres in a world millimetre
    ex, ey, ez = ex * length, ey * length, ez * length
    run(scene.ops, p[P_FIRST], p[P_LAST], scene.texels, scene.pictures, registers, m, x, y, z, ex, ey, ez, abs(facing), wide * per_mm)
    if p[P_NORMAL_LAST] > p[P_NORMAL]:
        run(scene.ops, p[P_NORMAL], p[P_NORMAL_LAST], scene.texels, scene.pictures, registers, m, x, y, z, ex, ey, ez, 1.0, wide * per_mm)
        u, v, w = 2.0 * registers[0, 0] - 1.0, 2.0 * registers[0, 1] - 1.0, max(0.05, 2.0 * registers[0, 2] - 1.0)
        image = scene.ops[p[P_NORMAL]]
        _u, _v, tx, ty, tz = project_point(int(image[O_P + 1]), int(image[O_P + 8]), x, y, z, ex, ey, ez)
        # the picture's right, brought to the world and into the tangent plane; its up stands square to it
        qx, qy, qz = to_object(scene, instance, time, px + ax, py + ay, pz + az)
        rx, ry, rz = to_object(scene, instance, time, px + bx, py + by, pz + bz)
        along = tx * (qx - x) + ty * (qy - y) + tz * (qz - z)
        across = tx * (rx - x) + ty * (ry - y) + tz * (rz - z)
        length = math.sqrt(along * along + across * across)
        if length > 1e-9:
            along, across = along / length, across / length
            s, q = u * along - v * across, u * across + v * along
            nx, ny, nz = w * nx + s * ax + q * bx, w * ny + s * ay + q * by, w * nz + s * az + q * bz
    if p[P_HEIGHT_LAST] > p[P_HEIGHT]:
        step = max(0.5 * wide, 1e-4 * max(abs(x), abs(y), abs(z), 1.0))
        h0 = hx = hy = 0.0
        for k in range(3):
            sx, sy = (0.0, 0.0) if k == 0 else (step, 0.0) if k == 1 else (0.0, step)
            qx, qy, qz = to_object(scene, instance, time, px + sx * ax + sy * bx, py + sx * ay + sy * by, pz + sx * az + sy * bz)
            run(scene.ops, p[P_HEIGHT], p[P_HEIGHT_LAST], scene.texels, scene.pictures, registers, m, qx, qy, qz, ex, ey, ez, 1.0, wide * per_mm)
            if k == 0:
                h0 = registers[0, 0]
            elif k == 1:
                hx = registers[0, 0]
            else:
                hy = registers[0, 0]
        gx, gy = (hx - h0) / (step * per_mm), (hy - h0) / (step * per_mm)
        nx, ny, nz = nx - gx * ax - gy * bx, ny - gx * ay - gy * by, nz - gx * az - gy * bz
    length = 1.0 / math.sqrt(max(1e-30, nx * nx + ny * ny + nz * nz))
    return nx * length, ny * length, nz * length


@inlined
def _advance(scene, options, ray, words, state, whole, media, spare, shadow, out, matte, with_mattes, index, own, registers):
    """One vertex of one path whose ray has been met with the scene (hit in `ray`)."""
    x, y, z = state[ORIGIN], state[ORIGIN + 1], state[ORIGIN + 2]
    dx, dy, dz = state[DIRECTION], state[DIRECTION + 1], state[DIRECTION + 2]
    step = whole[STEP]
    whole[STEP] = step + 1
    key = np.uint64(whole[SEED]) + np.uint64(16 + 8 * step)
    missed = words[17] == NO_HIT
    t = FAR if missed else np.float64(ray[8])
    mode = ON_SURFACE
    which = 0
    g_phase = 0.0
    instance = -1 if missed else np.int64(words[19])
    px = py = pz = 0.0
    # The medium on the way: below a translucent surface, or within a clear solid.
    if whole[BELOW] > 0:
        which = whole[BELOW_MATERIAL]
        m = scene.materials[which]
        u, v = _draw(index, key + np.uint64(4), step)
        e, al = o.SUB_EXTINCTION, o.SUB_ALBEDO
        s = _flight(state, m[e], m[e + 1], m[e + 2], m[al], m[al + 1], m[al + 2], t, u, v)
        if s < t:
            whole[SCATTERED] += 1
            u, v = _draw(index, key + np.uint64(3), step)
            lobe = draw_1d(index, key + np.uint64(6))
            if whole[SCATTERED] > options[OPT_SCATTERS] or (whole[SCATTERED] > 12 and not _survives(state, whole, lobe, -1, 1.0)):
                whole[ALIVE] = 0
                return
            wx, wy, wz = _turned_aside(dx, dy, dz, sample_phase(m[o.SUB_G], u), v)
            _go(state, x + dx * s, y + dy * s, z + dz * s, wx, wy, wz)
            return
    elif whole[DEPTH] > 0:
        medium = topmost(scene, media, whole[DEPTH])
        m = scene.materials[scene.instance_material[medium]]
        k, q = o.ABSORPTION, o.SCATTERING
        scattering = m[q] + m[q + 1] + m[q + 2]
        if scattering > 0.0:
            u, v = _draw(index, key + np.uint64(4), step)
            e_r, e_g, e_b = m[k] + m[q], m[k + 1] + m[q + 1], m[k + 2] + m[q + 2]
            s = _flight(
                state, e_r, e_g, e_b, m[q] / max(1e-30, e_r), m[q + 1] / max(1e-30, e_g), m[q + 2] / max(1e-30, e_b), t, u, v,
            )  # fmt: skip
            if s < t:
                mode = IN_VOLUME
                g_phase = m[o.SCATTER_G]
                px, py, pz = x + dx * s, y + dy * s, z + dz * s
                which = scene.instance_material[medium]
                instance = medium
                whole[SCATTERED] += 1
                if whole[SCATTERED] > options[OPT_SCATTERS]:
                    whole[ALIVE] = 0
                    return
        elif not missed and m[k] + m[k + 1] + m[k + 2] > 0.0:
            state[CARRIED] *= math.exp(-m[k] * t)
            state[CARRIED + 1] *= math.exp(-m[k + 1] * t)
            state[CARRIED + 2] *= math.exp(-m[k + 2] * t)
    if mode == ON_SURFACE and missed:
        _missed(scene, options, state, whole, out)
        return
    tr, tg, tb = state[CARRIED], state[CARRIED + 1], state[CARRIED + 2]
    gx = gy = gz = nx = ny = nz = 0.0
    qx = qy = qz = 0.0
    ax = ay = az = bx = by = bz = 0.0
    ox = oy = oz = 0.0
    facing = 1.0
    inside = False
    clear_solid = False
    ratio = 1.0
    outside = -1
    lift = 0.0
    plain = options[OPT_PLAIN] > 0.0
    if mode == ON_SURFACE:
        px, py, pz, gx, gy, gz, nx, ny, nz, qx, qy, qz = hit_point(scene, ray, words)
        lift = lift_off(px, py, pz, t)
        facing = -(gx * dx + gy * dy + gz * dz)
        part = scene.instance_part[instance]
        which = scene.instance_material[instance]
        lamp_row = scene.instance_lamp[instance]
        if part == -3:
            # A lamp's body: shines, and lets everything else pass.
            lamp = scene.lamps[lamp_row]
            seen = whole[SEEN] > 0
            if facing > 0.0 or int(lamp[LAMP_KIND]) < 2:
                distance, cosine = meet_lamp(lamp, x, y, z, dx, dy, dz)
                if distance > 0.0 and (not seen or lamp[LAMP_VISIBLE] > 0.0) and _lit_by(scene, lamp_row, whole[LAST_INSTANCE]):
                    weight = _met_lamp(scene, options, state, whole, lamp_row, distance, cosine)
                    r, g, b = lamp_light(scene, lamp, -dx, -dy, -dz)
                    _found(options, out, state, whole, EMISSION_PATH, lamp[LAMP_GROUP], tr * r * weight, tg * g * weight, tb * b * weight)
                    if seen:
                        if whole[GUIDED] == 0:
                            for c in range(3):
                                out[PLANE_ALBEDO + c] += state[GUIDE + c]
                        whole[ALIVE] = 0
                        return
            side = t + lift / max(0.05, abs(facing))
            _go(state, x + dx * side, y + dy * side, z + dz * side, dx, dy, dz)
            if step > 64:
                whole[ALIVE] = 0
            return
        if whole[BELOW] > 0:
            if instance == whole[BELOW] - 1:
                mode = ON_LAMBERT
                if facing > 0.0:
                    gx, gy, gz = -gx, -gy, -gz
                nx, ny, nz = gx, gy, gz
                whole[BELOW] = 0
                which = whole[BELOW_MATERIAL]
            else:
                whole[BELOW] = 0
        elif part == -1:
            mode = ON_CATCHER
            br, bg, bb, opaque = _backdrop(scene, options, dx, dy, dz, state[HEIGHT])
            out[PLANE_CATCH] += tr * br
            out[PLANE_CATCH + 1] += tg * bg
            out[PLANE_CATCH + 2] += tb * bb
            if opaque == 0.0:
                out[PLANE_ALPHA] -= min(1.0, luminance(tr, tg, tb))
            if whole[GUIDED] == 0:
                for c in range(3):
                    out[PLANE_ALBEDO + c] += 0.5
                out[PLANE_NORMAL + 2] += 1.0
    m = scene.materials[which]
    table = scene.albedos[which]
    if mode == ON_SURFACE:
        state[WIDE] += state[SPREAD] * t
        if m[o.PROGRAMMED] > 0.0:
            for c3 in range(o.COLUMNS):
                own[c3] = m[c3]
            m = own
            nx, ny, nz = _run_program(scene, registers, m, which, instance, state[TIME], state[WIDE], px, py, pz, nx, ny, nz, facing)
            tables = scene.programs[which, P_TABLES]
            if tables >= 0:
                level = math.sqrt(math.sqrt(0.5 * (m[o.ALPHA_X] * m[o.ALPHA_X] + m[o.ALPHA_Y] * m[o.ALPHA_Y]))) * (ROUGH_LEVELS - 1)
                table = scene.albedos[tables + min(ROUGH_LEVELS - 1, int(level + 0.5))]
        if m[o.OPACITY] < 1.0 and draw_1d(index, key + np.uint64(5)) >= m[o.OPACITY]:
            side = -lift if facing > 0.0 else lift
            _go(state, px + gx * side, py + gy * side, pz + gz * side, dx, dy, dz)
            if step > 64:
                whole[ALIVE] = 0
            return
        if m[o.EMISSION] + m[o.EMISSION + 1] + m[o.EMISSION + 2] > 0.0:
            weight = 1.0
            if lamp_row >= 0:
                weight = _met_lamp(scene, options, state, whole, lamp_row, t, abs(facing))
            _found(
                options, out, state, whole, EMISSION_PATH, GROUP_GLOW,
                tr * m[o.EMISSION] * weight, tg * m[o.EMISSION + 1] * weight, tb * m[o.EMISSION + 2] * weight,
            )  # fmt: skip
        clear_solid = m[o.TRANSMISSION] > 0.0 and m[o.METALNESS] < 1.0
        if options[OPT_PASSES] > 0.0 and whole[FIRST] == 0:
            s = 1.0 if facing >= 0.0 else -1.0
            _note_first(
                scene, options, ray, words, state, whole, out, matte, with_mattes, index, key, instance, px, py, pz, s * nx, s * ny, s * nz, lift, m,
            )  # fmt: skip
        if facing < 0.0:
            gx, gy, gz, nx, ny, nz = -gx, -gy, -gz, -nx, -ny, -nz
            qx, qy, qz = -qx, -qy, -qz
            facing = -facing
            inside = clear_solid and m[o.THIN] == 0.0
        if clear_solid and m[o.THIN] == 0.0:
            depth = whole[DEPTH]
            current = topmost(scene, media, depth)
            real = True
            if inside:
                real = current == instance or current < 0
                if real:
                    remaining = leave(media, depth, instance)
                    outside = topmost(scene, media, remaining)
                    if remaining < depth:  # put back: the path may be reflected
                        media[remaining] = instance
                else:
                    whole[DEPTH] = leave(media, depth, instance)
            else:
                outside = current
                real = current < 0 or scene.materials[scene.instance_material[current], o.PRIORITY] <= m[o.PRIORITY]
                if not real:
                    whole[DEPTH] = enter(media, depth, instance)
            if not real:
                _go(state, px - gx * lift, py - gy * lift, pz - gz * lift, dx, dy, dz)
                if step > 64:
                    whole[ALIVE] = 0
                return
            n_solid, n_outside = m[o.REFRACTION], index_of(scene, outside)
            disperses = m[o.CAUCHY] > 0.0
            if outside >= 0 and scene.materials[scene.instance_material[outside], o.CAUCHY] > 0.0:
                disperses = True
            if disperses and whole[ROUGH] == 0:
                if state[WAVELENGTH] == 0.0:
                    nm, r, g, b = draw_wavelength(draw_2d(index, np.uint64(whole[SEED]) + np.uint64(2))[0])
                    state[WAVELENGTH] = nm
                    tr, tg, tb = tr * r, tg * g, tb * b
                    _carry(state, tr, tg, tb)
                n_solid = ior_at(n_solid, m[o.CAUCHY], state[WAVELENGTH])
                if outside >= 0:
                    n_outside = ior_at(n_outside, scene.materials[scene.instance_material[outside], o.CAUCHY], state[WAVELENGTH])
            ratio = n_solid / n_outside
            if abs(ratio - 1.0) < 1e-4:
                ratio = 1.0001
        else:
            ratio = m[o.REFRACTION]
        # a shading normal that would face away from the viewer is bent back to the visible side
        c = -(nx * dx + ny * dy + nz * dz)
        if c < 0.02:
            bend = (0.02 - c) / max(1e-6, facing - c) if facing > 0.02 else 1.0
            bend = min(1.0, bend)
            nx, ny, nz = nx + (gx - nx) * bend, ny + (gy - ny) * bend, nz + (gz - nz) * bend
            length = 1.0 / math.sqrt(max(1e-30, nx * nx + ny * ny + nz * nz))
            nx, ny, nz = nx * length, ny * length, nz * length
        if m[o.STRETCHED] > 0.0:
            ax, ay, az, bx, by, bz = stretch_frame(scene, instance, state[TIME], nx, ny, nz, m[o.TURN_COS], m[o.TURN_SIN])
        else:
            ax, ay, az, bx, by, bz = frame_about(nx, ny, nz)
        ox, oy, oz = -(ax * dx + ay * dy + az * dz), -(bx * dx + by * dy + bz * dz), -(nx * dx + ny * dy + nz * dz)
        oz = max(1e-4, oz)
        if whole[GUIDED] == 0 and (m[o.SMOOTH] == 0.0 or whole[BOUNCE] >= 6):
            for c3 in range(3):
                out[PLANE_ALBEDO + c3] += state[GUIDE + c3] * _albedo(m, c3)
            out[PLANE_NORMAL] += nx
            out[PLANE_NORMAL + 1] += ny
            out[PLANE_NORMAL + 2] += nz
            whole[GUIDED] = 1
        if m[o.SMOOTH] > 0.0:
            _polished(
                scene, options, state, whole, media, index, key, m, instance, inside, ratio, px, py, pz, gx, gy, gz, nx, ny, nz, oz, lift,
            )  # fmt: skip
            return
    # A light sample, weighed by whatever scatters here.
    lobe, pick = state[LOBE], state[PICK]
    odds = lobe_odds(m, table, ox, oy, oz) if mode == ON_SURFACE else (0.0,) * 10
    limit = options[OPT_BOUNCES]
    if not inside and not plain and whole[BOUNCE] < limit:
        su, sv = state[SU], state[SV]
        hx, hy, hz = nx, ny, nz
        if clear_solid or mode == IN_VOLUME or (mode == ON_SURFACE and m[o.THIN] > 0.0):
            hx = hy = hz = 0.0
        if pick < options[OPT_ENV_CHANCE]:
            if len(scene.portals) == 0:
                wx, wy, wz, density = state[DOME], state[DOME + 1], state[DOME + 2], state[DOME + 3]
                u, v = state[MAP_U], state[MAP_V]
            else:
                wx, wy, wz, density, u, v = sample_dome(scene, options, px, py, pz, pick, su, sv)
            r, g, b = map_radiance(scene.env, u, v, options[OPT_ENV_SCALE])
            far, shared, lamp_row = 1e30, 1.0, -1
        else:
            wx, wy, wz, far, r, g, b, density, shared, lamp_row = sample_lamps(scene, options, px, py, pz, hx, hy, hz, pick, su, sv)
        if density > 0.0 and (lamp_row < 0 or mode == ON_CATCHER or _lit_by(scene, lamp_row, instance)):
            fr = fg = fb = p = mr = mg = mb = 0.0
            across = gx * wx + gy * wy + gz * wz
            iz = nx * wx + ny * wy + nz * wz
            if mode == ON_SURFACE:
                if iz * across > 0.0 and (iz > 0.0 or clear_solid or m[o.THIN] > 0.0):
                    fr, fg, fb, p, mr, mg, mb = evaluate_lobes(
                        m, table, scene.films, odds, ox, oy, oz, ax * wx + ay * wy + az * wz, bx * wx + by * wy + bz * wz, iz, inside, ratio
                    )
            elif mode == IN_VOLUME:
                p = henyey_greenstein(dx * wx + dy * wy + dz * wz, g_phase)
                fr = fg = fb = p
            elif across > 0.0:
                p = across / math.pi
                fr = fg = fb = p
                if mode == ON_CATCHER:
                    fr = fg = fb = across
                    p = 0.0
            if fr + fg + fb > 0.0:
                w = 1.0 / (density + shared * p)
                r, g, b = r * w, g * w, b * w
                mr, mg, mb = r * mr, g * mg, b * mb
                r, g, b = r * fr, g * fg, b * fb
                side = lift if across > 0.0 else -lift
                k1 = 1.0 if across > 0.0 and mode == ON_SURFACE else 0.0
                shadow[S_WAITING] = 1.0
                shadow[S_FROM] = px + gx * side + qx * k1
                shadow[S_FROM + 1] = py + gy * side + qy * k1
                shadow[S_FROM + 2] = pz + gz * side + qz * k1
                shadow[S_TOWARD], shadow[S_TOWARD + 1], shadow[S_TOWARD + 2] = wx, wy, wz
                shadow[S_FAR] = far * 0.9999
                shadow[S_CATCH] = 1.0 if mode == ON_CATCHER else 0.0
                n = whole[DEPTH]
                for j in range(n):
                    spare[j] = media[j]
                if clear_solid and across < 0.0 and m[o.THIN] == 0.0:
                    n = enter(spare, n, instance)
                shadow[S_DEPTH] = n
                shadow[S_GROUP] = GROUP_ENVIRONMENT if lamp_row < 0 else scene.lamps[lamp_row, LAMP_GROUP]
                if lamp_row >= 0 and int(scene.lamps[lamp_row, LAMP_KIND]) == MESH:
                    shadow[S_GROUP] = GROUP_GLOW
                shadow[S_FIRST] = 1.0 if whole[EVENTS] == 0 and mode == ON_SURFACE else 0.0
                if mode != ON_CATCHER:
                    r, g, b = tr * r, tg * g, tb * b
                    mr, mg, mb = tr * mr, tg * mg, tb * mb
                kind = whole[KIND]
                plane = DIRECT_DIFFUSE
                if kind == NOT_YET:
                    if mode == IN_VOLUME or across < 0.0:
                        plane = DIRECT_TRANSMISSION
                elif kind == BY_SURFACE:
                    plane = INDIRECT_DIFFUSE
                    mr, mg, mb = r * state[MATT_SHARE], g * state[MATT_SHARE + 1], b * state[MATT_SHARE + 2]
                elif kind == BY_TRANSMISSION:
                    plane = INDIRECT_TRANSMISSION
                else:
                    plane = SUBSURFACE
                shadow[S_PLANE] = plane
                top = 1.0
                if whole[BOUNCE] > 0:
                    bright = abs(luminance(r, g, b))
                    if bright > options[OPT_CLAMP]:
                        top = options[OPT_CLAMP] / bright
                shadow[S_LIGHT], shadow[S_LIGHT + 1], shadow[S_LIGHT + 2] = r * top, g * top, b * top
                shadow[S_MATT], shadow[S_MATT + 1], shadow[S_MATT + 2] = mr * top, mg * top, mb * top
    if mode == ON_CATCHER:
        whole[ALIVE] = 0
        return
    # Where the path goes from here.
    su, sv = _draw(index, key + np.uint64(3), step)
    if mode == IN_VOLUME:
        cosine = sample_phase(g_phase, su)
        p = henyey_greenstein(cosine, g_phase)
        dx, dy, dz = _turned_aside(dx, dy, dz, cosine, sv)
        _go(state, px, py, pz, dx, dy, dz)
        _remember(state, whole, px, py, pz, 0.0, 0.0, 0.0, p, instance)
        whole[ROUGH] = 0 if plain else 1
        whole[SEEN] = 0
        if whole[KIND] == NOT_YET:
            whole[KIND] = BY_TRANSMISSION
        whole[EVENTS] += 1
        if whole[SCATTERED] > 6 and not _survives(state, whole, draw_1d(index, key + np.uint64(6)), -1, 1.0):
            whole[ALIVE] = 0
        return
    if mode == ON_LAMBERT:
        ax, ay, az, bx, by, bz = frame_about(nx, ny, nz)
        ix, iy, iz = cosine_hemisphere(su, sv)
        _go(
            state, px + gx * lift, py + gy * lift, pz + gz * lift,
            ax * ix + bx * iy + nx * iz, ay * ix + by * iy + ny * iz, az * ix + bz * iy + nz * iz,
        )  # fmt: skip
        _remember(state, whole, px, py, pz, nx, ny, nz, iz / math.pi, instance)
        whole[ROUGH] = 0 if plain else 1
        _count_matt(options, state, whole, draw_1d(index, key + np.uint64(6)))
        return
    if not inside and odds[4] > 0.0 and lobe >= 1.0 - odds[4]:
        # Below the surface: through it like through frosted glass, then at random.
        ix, iy, iz = cosine_hemisphere(su, sv)
        _carry(state, tr * below_weight(m, odds, oz, 0), tg * below_weight(m, odds, oz, 1), tb * below_weight(m, odds, oz, 2))
        _go(
            state, px - gx * lift, py - gy * lift, pz - gz * lift,
            ax * ix + bx * iy - nx * iz, ay * ix + by * iy - ny * iz, az * ix + bz * iy - nz * iz,
        )  # fmt: skip
        whole[BELOW] = instance + 1
        whole[BELOW_MATERIAL] = which
        whole[ROUGH] = 0
        whole[SEEN] = 0
        if whole[KIND] == NOT_YET:
            whole[KIND] = BY_SUBSURFACE
        whole[EVENTS] += 1
        return
    ix, iy, iz = sample_lobes(m, odds, ox, oy, oz, inside, su, sv, lobe, ratio)
    if iz == 0.0:
        whole[ALIVE] = 0
        return
    fr, fg, fb, p, mr, mg, mb = evaluate_lobes(m, table, scene.films, odds, ox, oy, oz, ix, iy, iz, inside, ratio)
    if not p > 0.0:
        whole[ALIVE] = 0
        return
    _carry(state, tr * fr / p, tg * fg / p, tb * fb / p)
    dx, dy, dz = ax * ix + bx * iy + nx * iz, ay * ix + by * iy + ny * iz, az * ix + bz * iy + nz * iz
    across = gx * dx + gy * dy + gz * dz
    if across * iz <= 0.0:
        whole[ALIVE] = 0
        return
    if iz < 0.0:
        _go(state, px - gx * lift, py - gy * lift, pz - gz * lift, dx, dy, dz)
        if m[o.THIN] == 0.0:
            whole[DEPTH] = leave(media, whole[DEPTH], instance) if inside else enter(media, whole[DEPTH], instance)
    else:
        _go(state, px + gx * lift + qx, py + gy * lift + qy, pz + gz * lift + qz, dx, dy, dz)
    if whole[KIND] == NOT_YET:
        whole[KIND] = BY_TRANSMISSION if iz < 0.0 else BY_SURFACE
        state[MATT_SHARE] = mr / fr if fr > 0.0 else 0.0
        state[MATT_SHARE + 1] = mg / fg if fg > 0.0 else 0.0
        state[MATT_SHARE + 2] = mb / fb if fb > 0.0 else 0.0
    whole[ROUGH] = 0 if inside or plain else 1
    whole[SEEN] = 0
    state[SPREAD] = max(state[SPREAD], min(0.5, 0.2 / math.sqrt(p)))
    open_all_round = clear_solid or m[o.THIN] > 0.0
    _remember(
        state, whole, px, py, pz, 0.0 if open_all_round else nx, 0.0 if open_all_round else ny, 0.0 if open_all_round else nz, p, instance,
    )  # fmt: skip
    if clear_solid:
        whole[CLEAR_PASSES] += 1
        if whole[CLEAR_PASSES] > options[OPT_CLEAR_BOUNCES]:
            whole[ALIVE] = 0
    elif mr + mg + mb > 0.5 * (fr + fg + fb):
        _count_matt(options, state, whole, draw_1d(index, key + np.uint64(6)))
        return
    else:
        whole[SHINY] += 1
        if whole[SHINY] > options[OPT_SPECULAR_BOUNCES]:
            whole[ALIVE] = 0
    whole[EVENTS] += 1
    whole[BOUNCE] += 1
    if whole[BOUNCE] > limit or not _survives(state, whole, draw_1d(index, key + np.uint64(6)), 2, 0.98):
        whole[ALIVE] = 0


@inlined
def _trace_shadow(scene, options, ray, words, state, spare, shadow, out, record, recorded):
    """Trace a waiting light sample's shadow ray and add what comes through."""
    vr, vg, vb = visibility(
        scene, options, ray, words, state[TIME], shadow[S_FROM], shadow[S_FROM + 1], shadow[S_FROM + 2],
        shadow[S_TOWARD], shadow[S_TOWARD + 1], shadow[S_TOWARD + 2], shadow[S_FAR], spare, int(shadow[S_DEPTH]), record, recorded,
    )  # fmt: skip
    r, g, b = shadow[S_LIGHT], shadow[S_LIGHT + 1], shadow[S_LIGHT + 2]
    if shadow[S_CATCH] > 0.0:
        out[PLANE_UNSHADOWED] += luminance(r, g, b)
        out[PLANE_LIT] += luminance(r * vr, g * vg, b * vb)
        return
    if options[OPT_PASSES] > 0.0 and shadow[S_FIRST] > 0.0:
        out[PLANE_SHADOW_ALL] += luminance(r, g, b)
        out[PLANE_SHADOW_LIT] += luminance(r * vr, g * vg, b * vb)
    _add(
        options, out, state, int(shadow[S_PLANE]), shadow[S_GROUP], r * vr, g * vg, b * vb,
        shadow[S_MATT] * vr, shadow[S_MATT + 1] * vg, shadow[S_MATT + 2] * vb,
    )  # fmt: skip


@inlined
def _count_matt(options, state, whole, u):
    """One more matt bounce: ends the path when there have been enough."""
    whole[MATT] += 1
    whole[EVENTS] += 1
    whole[BOUNCE] += 1
    if whole[MATT] > options[OPT_DIFFUSE_BOUNCES] or whole[BOUNCE] > options[OPT_BOUNCES] or not _survives(state, whole, u, 2, 0.98):
        whole[ALIVE] = 0


@inlined
def _polished(scene, options, state, whole, media, index, key, m, instance, inside, ratio, px, py, pz, gx, gy, gz, nx, ny, nz, oz, lift):
    """Polished clear glass: the path is reflected or passes; no light sample can find it."""
    dx, dy, dz = state[DIRECTION], state[DIRECTION + 1], state[DIRECTION + 2]
    straight = whole[ROUGH] > 0 and options[OPT_STRAIGHT_GLASS] > 0.0
    eta = 1.0 / ratio if inside else ratio
    f, cosine_t = fresnel_dielectric(oz, eta)
    if m[o.THIN] > 0.0:
        f = 2.0 * f / (1.0 + f)
    if straight and inside:
        f, _c = fresnel_dielectric(oz, ratio)
    fr = fg = fb = f
    film = int(m[o.FILM])
    if film >= 0 and f < 1.0:
        fr, fg, fb = film_at(scene.films, film, 0, oz if not inside else max(oz, cosine_t))
        f = min(0.98, max(0.02, (fr + fg + fb) / 3.0))
    lobe = state[LOBE]
    if lobe < f:
        _carry(state, state[CARRIED] * fr / f, state[CARRIED + 1] * fg / f, state[CARRIED + 2] * fb / f)
        c = 2.0 * (-(nx * dx + ny * dy + nz * dz))
        dx, dy, dz = dx + c * nx, dy + c * ny, dz + c * nz
        if gx * dx + gy * dy + gz * dz <= 0.0:
            whole[ALIVE] = 0
            return
        _go(state, px + gx * lift, py + gy * lift, pz + gz * lift, dx, dy, dz)
        whole[ROUGH] = 0
        whole[SEEN] = 0
        if whole[KIND] == NOT_YET:
            whole[KIND] = BY_SURFACE  # all of it specular: the matt share is zero
        whole[EVENTS] += 1
    else:
        q = 1.0 - f
        _carry(
            state,
            state[CARRIED] * m[o.TINT] * (1.0 - fr) / q,
            state[CARRIED + 1] * m[o.TINT + 1] * (1.0 - fg) / q,
            state[CARRIED + 2] * m[o.TINT + 2] * (1.0 - fb) / q,
        )
        if m[o.THIN] == 0.0:
            if not straight:
                k = oz / eta - cosine_t
                dx, dy, dz = k * nx + dx / eta, k * ny + dy / eta, k * nz + dz / eta
                if oz == 1e-4 or gx * dx + gy * dy + gz * dz >= 0.0:
                    whole[ALIVE] = 0
                    return
                length = 1.0 / math.sqrt(dx * dx + dy * dy + dz * dz)
                dx, dy, dz = dx * length, dy * length, dz * length
                whole[ROUGH] = 0
            whole[DEPTH] = leave(media, whole[DEPTH], instance) if inside else enter(media, whole[DEPTH], instance)
        _go(state, px - gx * lift, py - gy * lift, pz - gz * lift, dx, dy, dz)
        if not straight and whole[KIND] == NOT_YET:
            whole[KIND] = BY_TRANSMISSION
            whole[EVENTS] += 1
    whole[BOUNCE] += 1
    whole[CLEAR_PASSES] += 1
    if whole[BOUNCE] > options[OPT_BOUNCES] or whole[CLEAR_PASSES] > options[OPT_CLEAR_BOUNCES]:
        whole[ALIVE] = 0
    elif not _survives(state, whole, draw_1d(index, key + np.uint64(6)), 8, 0.98):
        whole[ALIVE] = 0


@kernel
def borrowed_scene(scene):
    """The scene's arrays without owners; see `jit`."""
    return SceneArrays(
        scene.top,
        borrowed(scene.points),
        borrowed(scene.triangles),
        borrowed(scene.vertex_start),
        borrowed(scene.triangle_start),
        borrowed(scene.matrices),
        borrowed(scene.normal_matrices),
        borrowed(scene.instance_material),
        borrowed(scene.instance_part),
        borrowed(scene.instance_lamp),
        borrowed(scene.motion),
        borrowed(scene.instance_motion),
        borrowed(scene.materials),
        borrowed(scene.albedos),
        borrowed(scene.films),
        borrowed(scene.env),
        borrowed(scene.env_pick),
        borrowed(scene.env_alias),
        borrowed(scene.env_turn),
        borrowed(scene.lamps),
        borrowed(scene.lamp_trail),
        borrowed(scene.lamp_depth),
        borrowed(scene.nodes),
        borrowed(scene.distant),
        borrowed(scene.portals),
        borrowed(scene.links),
        borrowed(scene.ies),
        borrowed(scene.programs),
        borrowed(scene.ops),
        borrowed(scene.texels),
        borrowed(scene.pictures),
        borrowed(scene.soft_rows),
        borrowed(scene.soft_edges),
        borrowed(scene.soft_slots),
        borrowed(scene.soft_entries),
        borrowed(scene.instance_soft),
        borrowed(scene.emit_corners),
        borrowed(scene.emit_cumulative),
        borrowed(scene.emit_guide),
    )


@entry
def trace_tile(scene, camera, options, film, mattes, x0, y0, x1, y1, width, height, step, first, count, stop, record, recorded, coherent):
    """Add `count` samples to every `step`-th pixel of a tile.

    camera : (times, CAM_COLUMNS) rows over the shutter. film : (h, w, planes) float32 sums, one cell for each traced pixel; the frame is
    `width` x `height` pixels. mattes : (h, w, 2, MATTE_SLOTS, 2) float32 numbers and counts of parts and of materials, or empty. `stop`
    (1,) int32 ends the work within a row when it becomes 1. Returns the number of samples taken.
    """
    scene = borrowed_scene(scene)
    camera, options, film, mattes = borrowed(camera), borrowed(options), borrowed(film), borrowed(mattes)
    record, recorded, stop = borrowed(record), borrowed(recorded), borrowed(stop)
    planes = film.shape[2]
    ray_block = np.zeros(RAY_WORDS, np.float32)
    words = borrowed(ray_block.view(np.uint32))
    ray = borrowed(ray_block)
    media_block = np.zeros((2 * PACKET, MEDIA), np.int64)  # stacks of the paths, then of their shadow rays
    media = borrowed(media_block)
    packet_block = np.zeros(PACKET_WORDS, np.float32)
    aligned = packet_in(packet_block)
    packet = borrowed(aligned)
    packet_words = borrowed(aligned.view(np.uint32))
    sums_block = np.zeros((PACKET, planes), np.float64)
    sums = borrowed(sums_block)
    state_block = np.zeros((PACKET, NUMBERS), np.float64)
    states = borrowed(state_block)
    whole_block = np.zeros((PACKET, WHOLES), np.int64)
    wholes = borrowed(whole_block)
    shadow_block = np.zeros((PACKET, SHADOWS), np.float64)
    shadows = borrowed(shadow_block)
    own_block = np.zeros(o.COLUMNS)
    own = borrowed(own_block)
    register_block = np.zeros((REGISTERS, 3))
    registers = borrowed(register_block)
    moment_block = np.zeros(CAM_COLUMNS)
    moment = borrowed(moment_block)
    no_matte_block = np.zeros((1, MATTE_SLOTS, 2), np.float32)
    no_matte = borrowed(no_matte_block)
    with_mattes = mattes.shape[0] > 0
    mask_seen = MASK_SOLID | MASK_CLEAR | MASK_CATCHER | int(options[OPT_LAMP_MASK])
    mask_on = MASK_SOLID | MASK_CLEAR | int(options[OPT_LAMP_MASK])
    pixel = 2.0 * camera[0, CAM_TAN_W] * step / width if camera[0, CAM_PROJECTION] == PERSPECTIVE else 1e-3
    env_chance = options[OPT_ENV_CHANCE]
    by_map = len(scene.portals) == 0 and options[OPT_PLAIN] == 0.0
    extra = np.uint64(options[OPT_SEED]) * np.uint64(0x9E3779B97F4A7C15)
    taken = 0
    for row in range(y0, y1):
        if stop[0] != 0:
            break
        for start in range(x0, x1, PACKET):
            lanes = min(PACKET, x1 - start)
            sums[:] = 0.0
            for k in range(count):
                index = first + k
                for lane in range(PACKET):
                    column = start + min(lane, lanes - 1)
                    seed = np.uint64(
                        hash32(np.uint64(column * step) + np.uint64(65536) * np.uint64(row * step) ^ (extra >> np.uint64(32)))
                    ) << np.uint64(16)
                    u, v = draw_2d(index, seed)
                    px = (column + 0.5) * step + tent(u) * step
                    py = (row + 0.5) * step + tent(v) * step
                    u, v = draw_2d(index, seed + np.uint64(1))
                    state = states[lane]
                    whole = wholes[lane]
                    state[:] = 0.0
                    whole[:] = 0
                    state[HEIGHT] = 1.0 - 2.0 * py / height
                    state[TIME] = 0.0
                    if options[OPT_SHUTTER_CLOSE] > options[OPT_SHUTTER_OPEN]:
                        state[TIME] = draw_2d(index, seed + np.uint64(3))[0]
                    camera_at(camera, state[TIME], moment)
                    x, y, z, dx, dy, dz = camera_ray(moment, 2.0 * px / width - 1.0, state[HEIGHT], u, v)
                    set_packet_ray(packet, packet_words, lane, x, y, z, dx, dy, dz, mask_seen)
                    packet[7 * PACKET + lane] = state[TIME]
                    _go(state, x, y, z, dx, dy, dz)
                    _carry(state, 1.0, 1.0, 1.0)
                    state[LAST], state[LAST + 1], state[LAST + 2] = x, y, z
                    state[SPREAD] = pixel
                    for c in range(3):
                        state[GUIDE + c] = 1.0
                    whole[SEED] = np.int64(seed)
                    whole[SEEN] = 1
                    whole[LAST_INSTANCE] = -1
                    if options[OPT_PLAIN] > 0.0:
                        whole[STEP] = EVEN_STEPS  # the plain estimator draws plain random numbers
                    whole[ALIVE] = 1 if lane < lanes else 0
                    if lane < lanes:
                        sums[lane, PLANE_ALPHA] += 1.0
                        sums[lane, PLANE_COUNT] += 1.0
                        taken += 1
                alive = lanes
                coming = True
                if record.shape[0] > 0:
                    for lane in range(lanes):
                        state = states[lane]
                        set_ray(
                            ray, words, state[ORIGIN], state[ORIGIN + 1], state[ORIGIN + 2], state[DIRECTION], state[DIRECTION + 1],
                            state[DIRECTION + 2], 0.0, FAR, mask_seen,
                        )  # fmt: skip
                        note_ray(ray, words, record, recorded, 0)
                intersect_packet(scene.top, packet, coherent)
                while alive > 0:
                    # meet all rays with the scene
                    for lane in range(lanes):
                        whole = wholes[lane]
                        if whole[ALIVE] == 0:
                            continue
                        state = states[lane]
                        if coming:
                            take_from_packet(packet, packet_words, lane, ray, words)
                        else:
                            mask = mask_seen if whole[SEEN] > 0 else mask_on
                            if whole[BELOW] > 0:
                                mask = MASK_SOLID | MASK_CLEAR
                            set_ray(
                                ray, words, state[ORIGIN], state[ORIGIN + 1], state[ORIGIN + 2], state[DIRECTION], state[DIRECTION + 1],
                                state[DIRECTION + 2], 0.0, FAR, mask,
                            )  # fmt: skip
                            ray[7] = state[TIME]
                            note_ray(ray, words, record, recorded, 0)
                            intersect(scene.top, ray)
                        state[T_FAR] = ray[8]
                        state[NG], state[NG + 1], state[NG + 2] = ray[12], ray[13], ray[14]
                        state[BARY], state[BARY + 1] = ray[15], ray[16]
                        if words[17] == NO_HIT:
                            whole[INSTANCE] = -1
                            if whole[SEEN] == 0:
                                u, v = to_map(scene.env_turn, state[DIRECTION], state[DIRECTION + 1], state[DIRECTION + 2])
                                state[MAP_U], state[MAP_V] = u, v
                                fetch_map_soon(scene.env, u, v)
                        else:
                            whole[PRIMITIVE] = np.int64(words[17])
                            whole[INSTANCE] = np.int64(words[19])
                            fetch_triangle_soon(scene, whole[INSTANCE], whole[PRIMITIVE])
                    coming = False
                    for lane in range(lanes):
                        whole = wholes[lane]
                        if whole[ALIVE] != 0 and whole[INSTANCE] >= 0:
                            fetch_corners_soon(scene, whole[INSTANCE], whole[PRIMITIVE])
                            state = states[lane]
                            key = np.uint64(whole[SEED]) + np.uint64(16 + 8 * whole[STEP])
                            state[LOBE], state[PICK] = _draw(index, key + np.uint64(2), whole[STEP])
                            state[SU], state[SV] = _draw(index, key + np.uint64(1), whole[STEP])
                            if by_map and state[PICK] < env_chance:
                                fetch_pick_soon(scene.env_pick, scene.env_alias, state[SU])
                    if by_map:
                        for lane in range(lanes):
                            whole = wholes[lane]
                            if whole[ALIVE] != 0 and whole[INSTANCE] >= 0 and states[lane, PICK] < env_chance:
                                state = states[lane]
                                x, y, z, density, u, v = sample_env(scene.env_pick, scene.env_alias, scene.env_turn, state[SU], state[SV])
                                state[DOME], state[DOME + 1], state[DOME + 2], state[DOME + 3] = x, y, z, density * env_chance
                                state[MAP_U], state[MAP_V] = u, v
                                fetch_map_soon(scene.env, u, v)
                    # each path takes its turn
                    alive = 0
                    for lane in range(lanes):
                        whole = wholes[lane]
                        shadow = shadows[lane]
                        shadow[S_WAITING] = 0.0
                        if whole[ALIVE] == 0:
                            continue
                        state = states[lane]
                        ray[7] = state[TIME]
                        ray[8] = state[T_FAR]
                        ray[12], ray[13], ray[14] = state[NG], state[NG + 1], state[NG + 2]
                        ray[15], ray[16] = state[BARY], state[BARY + 1]
                        if whole[INSTANCE] < 0:
                            words[17] = NO_HIT
                        else:
                            words[17] = np.uint32(whole[PRIMITIVE])
                            words[19] = np.uint32(whole[INSTANCE])
                        matte = no_matte
                        if with_mattes:
                            matte = mattes[row, start + lane]
                        _advance(
                            scene,
                            options,
                            ray,
                            words,
                            state,
                            whole,
                            media[lane],
                            media[PACKET + lane],
                            shadow,
                            sums[lane],
                            matte,
                            with_mattes,
                            index,
                            own,
                            registers,
                        )
                        alive += whole[ALIVE]
                    for lane in range(lanes):
                        shadow = shadows[lane]
                        if shadow[S_WAITING] > 0.0:
                            _trace_shadow(scene, options, ray, words, states[lane], media[PACKET + lane], shadow, sums[lane], record, recorded)
                for lane in range(lanes):
                    y = states[lane, SUM]
                    sums[lane, PLANE_SQUARE] += y * y
            for lane in range(lanes):
                for c in range(planes):
                    value = sums[lane, c]
                    if value == value and abs(value) < 1e30:
                        film[row, start + lane, c] += np.float32(value)
    if no_matte_block[0, 0, 0] > 1e30:
        return -1
    if packet_block[0] > 1e37 and sums_block[0, 0] < -1e300 and state_block[0, 0] > 1e300:  # keeps these blocks alive to the end
        return -1
    if (
        ray_block[0] > 1e37
        and media_block[0, 0] < 0
        and whole_block[0, 0] < 0
        and shadow_block[0, 0] + moment_block[0] + own_block[0] + register_block[0, 0] > 1e300
    ):
        return -1
    return taken
