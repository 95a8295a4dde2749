"""The path tracer: light carried back from the scene to each pixel.

Unidirectional paths with one light sample at every rough vertex, combined by the balance heuristic (Veach 1995).
Light seen through clear glass from a rough surface goes straight through, weakened by Fresnel and tint, when the option says
so: a thin globe then stays clean without caustic paths. Shading normals follow Hanika 2021 (the terminator).
"""

import math

import numpy as np

from aulmo.trace.jit import borrowed, entry, inlined, kernel
from aulmo.trace.arrays import (
    BACKDROP_ENVIRONMENT,
    BACKDROP_GRADIENT,
    BACKDROP_TRANSPARENT,
    OPT_BACKDROP,
    OPT_BACKDROP_BOTTOM,
    OPT_BACKDROP_TOP,
    OPT_BOUNCES,
    OPT_CLAMP,
    OPT_CLEAR_BOX,
    OPT_DIFFUSE_BOUNCES,
    OPT_ENV_CHANCE,
    OPT_ENV_SCALE,
    OPT_GRADIENT_SPAN,
    OPT_HAS_CLEAR,
    OPT_PLAIN,
    OPT_STRAIGHT_GLASS,
    OPT_WHITE,
    PLANE_ALBEDO,
    PLANE_ALPHA,
    PLANE_CATCH,
    PLANE_COUNT,
    PLANE_LIT,
    PLANE_NORMAL,
    PLANE_RGB,
    PLANE_SQUARE,
    PLANE_UNSHADOWED,
    PLANES,
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
from aulmo.trace.lens import camera_ray, tent
from aulmo.trace.lights import emitter_density, env_radiance, luminance, map_density, map_radiance, sample_light, to_map
from aulmo.trace.microfacet import fresnel_dielectric
from aulmo.trace.openpbr import (
    ABSORPTION,
    CLEAR,
    DIFFUSE,
    EMISSION,
    METAL_F0,
    METALNESS,
    OPACITY,
    REFRACTION,
    SMOOTH,
    THIN,
    TINT,
    TRANSMISSION,
    evaluate_lobes,
    lobe_odds,
    sample_lobes,
)
from aulmo.trace.sampling import draw_1d, draw_2d, frame_about, hash32

FAR = 1e30
_MEDIA = 4  # how deep clear solids may nest


@inlined
def _row3(matrices, i, x, y, z, w):
    return (
        matrices[i, 0, 0] * x + matrices[i, 0, 1] * y + matrices[i, 0, 2] * z + matrices[i, 0, 3] * w,
        matrices[i, 1, 0] * x + matrices[i, 1, 1] * y + matrices[i, 1, 2] * z + matrices[i, 1, 3] * w,
        matrices[i, 2, 0] * x + matrices[i, 2, 1] * y + matrices[i, 2, 2] * z + matrices[i, 2, 3] * w,
    )


@inlined
def _turn3(matrices, i, x, y, z):
    return (
        matrices[i, 0, 0] * x + matrices[i, 0, 1] * y + matrices[i, 0, 2] * z,
        matrices[i, 1, 0] * x + matrices[i, 1, 1] * y + matrices[i, 1, 2] * z,
        matrices[i, 2, 0] * x + matrices[i, 2, 1] * y + matrices[i, 2, 2] * z,
    )


@inlined
def hit_point(scene, ray, words):
    """World position, geometric normal, shading normal and terminator offset of a hit.

    Returns 12 numbers: position, unit geometric normal (outward), unit shading normal on the same side, and the offset that
    moves the position onto the smooth surface the vertex normals describe.
    """
    i = words[19]
    k = scene.triangle_start[i] + words[17]
    start = scene.vertex_start[i]
    a, b, c = start + scene.triangles[k, 0], start + scene.triangles[k, 1], start + scene.triangles[k, 2]
    u, v = np.float64(ray[15]), np.float64(ray[16])
    w = 1.0 - u - v
    p = scene.points
    ax, ay, az = np.float64(p[a, 0]), np.float64(p[a, 1]), np.float64(p[a, 2])
    bx, by, bz = np.float64(p[b, 0]), np.float64(p[b, 1]), np.float64(p[b, 2])
    cx, cy, cz = np.float64(p[c, 0]), np.float64(p[c, 1]), np.float64(p[c, 2])
    anx, any_, anz = np.float64(p[a, 3]), np.float64(p[a, 4]), np.float64(p[a, 5])
    bnx, bny, bnz = np.float64(p[b, 3]), np.float64(p[b, 4]), np.float64(p[b, 5])
    cnx, cny, cnz = np.float64(p[c, 3]), np.float64(p[c, 4]), np.float64(p[c, 5])
    x, y, z = w * ax + u * bx + v * cx, w * ay + u * by + v * cy, w * az + u * bz + v * cz
    sx, sy, sz = w * anx + u * bnx + v * cnx, w * any_ + u * bny + v * cny, w * anz + u * bnz + v * cnz
    gx, gy, gz = np.float64(ray[12]), np.float64(ray[13]), np.float64(ray[14])
    side = -1.0 if gx * sx + gy * sy + gz * sz < 0.0 else 1.0
    da = -side * min(0.0, side * ((x - ax) * anx + (y - ay) * any_ + (z - az) * anz)) * w
    db = -side * min(0.0, side * ((x - bx) * bnx + (y - by) * bny + (z - bz) * bnz)) * u
    dc = -side * min(0.0, side * ((x - cx) * cnx + (y - cy) * cny + (z - cz) * cnz)) * v
    tx, ty, tz = da * anx + db * bnx + dc * cnx, da * any_ + db * bny + dc * cny, da * anz + db * bnz + dc * cnz
    px, py, pz = _row3(scene.matrices, i, x, y, z, 1.0)
    qx, qy, qz = _row3(scene.matrices, i, tx, ty, tz, 0.0)
    f = scene.normal_matrices
    wx, wy, wz = _turn3(f, i, gx, gy, gz)
    length = 1.0 / math.sqrt(max(1e-60, wx * wx + wy * wy + wz * wz))
    wx, wy, wz = wx * length, wy * length, wz * length
    ux, uy, uz = _turn3(f, i, sx, sy, sz)
    length = math.sqrt(ux * ux + uy * uy + uz * uz)
    if length < 1e-20:
        ux, uy, uz = wx, wy, wz
    else:
        length = side / length
        ux, uy, uz = ux * length, uy * length, uz * length
    return px, py, pz, wx, wy, wz, ux, uy, uz, qx, qy, qz


@inlined
def _offset(x, y, z, t):
    """How far to lift a ray's start off its surface: relative to where it is, so scale does not matter."""
    return 3e-6 * max(abs(x), abs(y), abs(z)) + 4e-7 * t


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
def visibility(scene, options, ray, words, x, y, z, dx, dy, dz, far, sr, sg, sb, record, recorded):
    """How much light comes straight along a segment: 0 behind solids, tinted and weakened by clear glass.

    sr, sg, sb is the absorption per mm of the medium the segment starts in.
    """
    set_ray(ray, words, x, y, z, dx, dy, dz, 0.0, far, MASK_SOLID)
    note_ray(ray, words, record, recorded, 1)
    if occluded(scene.top, ray):
        return 0.0, 0.0, 0.0
    if options[OPT_HAS_CLEAR] == 0.0 or _misses_box(options, x, y, z, dx, dy, dz):
        return 1.0, 1.0, 1.0
    r = g = b = 1.0
    travelled = 0.0
    for _ in range(16):
        set_ray(ray, words, x, y, z, dx, dy, dz, 0.0, far - travelled, MASK_CLEAR)
        note_ray(ray, words, record, recorded, 0)
        intersect(scene.top, ray)
        if words[17] == NO_HIT:
            return r, g, b
        t = ray[8]
        m = scene.materials[scene.instance_material[words[19]]]
        if sr + sg + sb > 0.0:
            r *= math.exp(-sr * t)
            g *= math.exp(-sg * t)
            b *= math.exp(-sb * t)
        px, py, pz, gx, gy, gz, nx, ny, nz, _x, _y, _z = hit_point(scene, ray, words)
        facing = gx * dx + gy * dy + gz * dz
        eta = m[REFRACTION]
        if m[THIN] > 0.0:
            f, _c = fresnel_dielectric(facing, eta)
            f = 2.0 * f / (1.0 + f)
        elif facing < 0.0:
            f, _c = fresnel_dielectric(facing, eta)
            sr, sg, sb = m[ABSORPTION], m[ABSORPTION + 1], m[ABSORPTION + 2]
        else:
            # a straight ray leaves at the angle it entered: the refracted ray inside meets the wall at the same Fresnel loss
            f, _c = fresnel_dielectric(facing, eta)
            sr = sg = sb = 0.0
        through = m[OPACITY] * (1.0 - m[METALNESS]) * m[TRANSMISSION] * (1.0 - f)
        r *= 1.0 - m[OPACITY] + through * m[TINT]
        g *= 1.0 - m[OPACITY] + through * m[TINT + 1]
        b *= 1.0 - m[OPACITY] + through * m[TINT + 2]
        if max(r, g, b) < 1e-5:
            return 0.0, 0.0, 0.0
        step = t + _offset(px, py, pz, t) / max(0.05, abs(facing))
        x, y, z = x + dx * step, y + dy * step, z + dz * step
        travelled += step
        if travelled >= far:
            return r, g, b
    return 0.0, 0.0, 0.0


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
def trace_pixel(scene, options, sy, packet, packet_words, lane, index, seed, ray, words, media, out, record, recorded):
    """One path from the camera ray in a lane of a packet that was intersected; adds its light and its guides to `out` (PLANES,)."""
    x, y, z = np.float64(packet[lane]), np.float64(packet[PACKET + lane]), np.float64(packet[2 * PACKET + lane])
    dx, dy, dz = np.float64(packet[4 * PACKET + lane]), np.float64(packet[5 * PACKET + lane]), np.float64(packet[6 * PACKET + lane])
    tr = tg = tb = 1.0
    lr = lg = lb = 0.0
    alpha = 1.0
    seen = True  # the camera still looks straight through whatever was met
    rough = False  # a rough vertex lies behind: its light sample covers what is hit next
    bsdf_density = 0.0
    vx, vy, vz = x, y, z
    depth = 0
    ar = ag = ab = 1.0  # albedo guide so far
    guided = False
    diffuse_bounces = 0
    plain = options[OPT_PLAIN] > 0.0
    limit = int(options[OPT_BOUNCES])
    mask_seen = MASK_SOLID | MASK_CLEAR | MASK_CATCHER
    chance = options[OPT_ENV_CHANCE]
    bounce = 0
    while bounce <= limit:
        key = seed + np.uint64(16 + 8 * bounce)
        set_ray(ray, words, x, y, z, dx, dy, dz, 0.0, FAR, mask_seen if seen else MASK_SOLID | MASK_CLEAR)
        note_ray(ray, words, record, recorded, 0)
        if bounce == 0:
            take_from_packet(packet, packet_words, lane, ray, words)
        else:
            intersect(scene.top, ray)
        if words[17] == NO_HIT:
            if seen:
                r, g, b, opaque = _backdrop(scene, options, dx, dy, dz, sy)
                lr += tr * r
                lg += tg * g
                lb += tb * b
                if opaque == 0.0:
                    alpha = 1.0 - min(1.0, luminance(tr, tg, tb))
                if not guided:
                    out[PLANE_ALBEDO] += ar * min(1.0, r / options[OPT_WHITE]) if opaque > 0.0 else 0.0
                    out[PLANE_ALBEDO + 1] += ag * min(1.0, g / options[OPT_WHITE]) if opaque > 0.0 else 0.0
                    out[PLANE_ALBEDO + 2] += ab * min(1.0, b / options[OPT_WHITE]) if opaque > 0.0 else 0.0
                    guided = True
            else:
                u, v = to_map(scene.env_turn, dx, dy, dz)
                r, g, b = map_radiance(scene.env, u, v, options[OPT_ENV_SCALE])
                weight = 1.0
                if rough:
                    light_density = chance * map_density(scene.env_pick, u, v)
                    weight = bsdf_density / (bsdf_density + light_density)
                r, g, b = tr * r * weight, tg * g * weight, tb * b * weight
                if bounce > 1:
                    top = luminance(r, g, b)
                    if top > options[OPT_CLAMP]:
                        top = options[OPT_CLAMP] / top
                        r, g, b = r * top, g * top, b * top
                lr += r
                lg += g
                lb += b
            break
        t = ray[8]
        instance = words[19]
        px, py, pz, gx, gy, gz, nx, ny, nz, qx, qy, qz = hit_point(scene, ray, words)
        lift = _offset(px, py, pz, t)
        facing = -(gx * dx + gy * dy + gz * dz)
        if scene.instance_part[instance] == -1:
            # The floor that only catches shadow: how much of the light that would reach it does.
            br, bg, bb, opaque = _backdrop(scene, options, dx, dy, dz, sy)
            out[PLANE_CATCH] += tr * br
            out[PLANE_CATCH + 1] += tg * bg
            out[PLANE_CATCH + 2] += tb * bb
            su, sv = draw_2d(index, key + np.uint64(1))
            pick, _p = draw_2d(index, key + np.uint64(2))
            wx, wy, wz, far, r, g, b, density = sample_light(scene, options, px, py, pz, pick, su, sv)
            cosine = wx * gx + wy * gy + wz * gz
            if density > 0.0 and cosine > 0.0:
                f = cosine / density
                vr, vg, vb = visibility(
                    scene,
                    options,
                    ray,
                    words,
                    px + gx * lift,
                    py + gy * lift,
                    pz + gz * lift,
                    wx,
                    wy,
                    wz,
                    far * 0.9999,
                    0.0,
                    0.0,
                    0.0,
                    record,
                    recorded,
                )
                out[PLANE_UNSHADOWED] += luminance(r, g, b) * f
                out[PLANE_LIT] += luminance(r * vr, g * vg, b * vb) * f
            alpha = 1.0 if opaque > 0.0 else 1.0 - min(1.0, luminance(tr, tg, tb))
            if not guided:
                out[PLANE_ALBEDO] += 0.5
                out[PLANE_ALBEDO + 1] += 0.5
                out[PLANE_ALBEDO + 2] += 0.5
                out[PLANE_NORMAL + 2] += 1.0
                guided = True
            break
        which = scene.instance_material[instance]
        m = scene.materials[which]
        table = scene.albedos[which]
        if depth > 0:
            medium = scene.materials[media[depth - 1]]
            tr *= math.exp(-medium[ABSORPTION] * t)
            tg *= math.exp(-medium[ABSORPTION + 1] * t)
            tb *= math.exp(-medium[ABSORPTION + 2] * t)
        if m[OPACITY] < 1.0 and draw_1d(index, key + np.uint64(5)) >= m[OPACITY]:
            side = -lift if facing > 0.0 else lift
            x, y, z = px + gx * side, py + gy * side, pz + gz * side
            bounce += 1
            continue
        if m[EMISSION] + m[EMISSION + 1] + m[EMISSION + 2] > 0.0:
            weight = 1.0
            if rough:
                ex, ey, ez = px - vx, py - vy, pz - vz
                square = ex * ex + ey * ey + ez * ez
                light_density = (1.0 - chance) * emitter_density(scene, options, which) * square / max(1e-9, abs(facing))
                weight = bsdf_density / (bsdf_density + light_density)
            r, g, b = tr * m[EMISSION] * weight, tg * m[EMISSION + 1] * weight, tb * m[EMISSION + 2] * weight
            if bounce > 1:
                top = luminance(r, g, b)
                if top > options[OPT_CLAMP]:
                    top = options[OPT_CLAMP] / top
                    r, g, b = r * top, g * top, b * top
            lr += r
            lg += g
            lb += b
        clear_solid = m[TRANSMISSION] > 0.0 and m[METALNESS] < 1.0
        inside = False
        if facing < 0.0:
            gx, gy, gz, nx, ny, nz = -gx, -gy, -gz, -nx, -ny, -nz
            qx, qy, qz = -qx, -qy, -qz
            facing = -facing
            inside = clear_solid and m[THIN] == 0.0
        # a shading normal that would face away from the viewer is bent back to the visible side
        c = -(nx * dx + ny * dy + nz * dz)
        if c < 0.02:
            bend = (0.02 - c) / max(1e-6, facing - c) if facing > 0.02 else 1.0
            bend = min(1.0, bend)
            nx, ny, nz = nx + (gx - nx) * bend, ny + (gy - ny) * bend, nz + (gz - nz) * bend
            length = 1.0 / math.sqrt(max(1e-30, nx * nx + ny * ny + nz * nz))
            nx, ny, nz = nx * length, ny * length, nz * length
        ax, ay, az, bx, by, bz = frame_about(nx, ny, nz)
        ox, oy, oz = -(ax * dx + ay * dy + az * dz), -(bx * dx + by * dy + bz * dz), -(nx * dx + ny * dy + nz * dz)
        oz = max(1e-4, oz)
        if not guided:
            smooth_mirror = m[SMOOTH] > 0.0
            if not smooth_mirror or bounce >= 6:
                metal = m[METALNESS]
                clear = (1.0 - metal) * m[TRANSMISSION]
                out[PLANE_ALBEDO] += ar * min(1.0, metal * m[METAL_F0] + (1.0 - metal - clear) * m[DIFFUSE] + clear + 0.04)
                out[PLANE_ALBEDO + 1] += ag * min(1.0, metal * m[METAL_F0 + 1] + (1.0 - metal - clear) * m[DIFFUSE + 1] + clear + 0.04)
                out[PLANE_ALBEDO + 2] += ab * min(1.0, metal * m[METAL_F0 + 2] + (1.0 - metal - clear) * m[DIFFUSE + 2] + clear + 0.04)
                out[PLANE_NORMAL] += nx
                out[PLANE_NORMAL + 1] += ny
                out[PLANE_NORMAL + 2] += nz
                guided = True
        sample_u, sample_v = draw_2d(index, key + np.uint64(3))
        lobe, pick = draw_2d(index, key + np.uint64(2))
        straight = m[CLEAR] > 0.0 and rough and options[OPT_STRAIGHT_GLASS] > 0.0
        if m[SMOOTH] > 0.0:
            # Polished clear glass: reflect or pass, no light sample.
            eta = m[REFRACTION]
            if inside:
                eta = 1.0 / eta
            f, cosine_t = fresnel_dielectric(oz, eta)
            if m[THIN] > 0.0:
                f = 2.0 * f / (1.0 + f)
            if straight and inside:
                f, _c = fresnel_dielectric(oz, m[REFRACTION])
            if lobe < f:
                c = 2.0 * (-(nx * dx + ny * dy + nz * dz))
                dx, dy, dz = dx + c * nx, dy + c * ny, dz + c * nz
                if gx * dx + gy * dy + gz * dz <= 0.0:
                    break
                x, y, z = px + gx * lift, py + gy * lift, pz + gz * lift
                rough = False
                seen = False
            else:
                tr *= m[TINT]
                tg *= m[TINT + 1]
                tb *= m[TINT + 2]
                x, y, z = px - gx * lift, py - gy * lift, pz - gz * lift
                if m[THIN] == 0.0:
                    if not straight:
                        k = oz / eta - cosine_t
                        dx, dy, dz = k * nx + dx / eta, k * ny + dy / eta, k * nz + dz / eta
                        if oz == 1e-4 or gx * dx + gy * dy + gz * dz >= 0.0:
                            break
                        length = 1.0 / math.sqrt(dx * dx + dy * dy + dz * dz)
                        dx, dy, dz = dx * length, dy * length, dz * length
                    depth = _cross(media, depth, which, inside)
            bounce += 1
            if bounce > 8:
                q = min(0.98, max(tr, tg, tb))
                if draw_1d(index, key + np.uint64(6)) >= q:
                    break
                tr, tg, tb = tr / q, tg / q, tb / q
            continue
        odds = lobe_odds(m, table, ox, oy, oz)
        if not inside and not plain and bounce < limit:
            su, sv = draw_2d(index, key + np.uint64(1))
            wx, wy, wz, far, r, g, b, density = sample_light(scene, options, px, py, pz, pick, su, sv)
            iz = nx * wx + ny * wy + nz * wz
            across = gx * wx + gy * wy + gz * wz
            if density > 0.0 and iz * across > 0.0 and (iz > 0.0 or clear_solid):
                fr, fg, fb, p = evaluate_lobes(m, table, odds, ox, oy, oz, ax * wx + ay * wy + az * wz, bx * wx + by * wy + bz * wz, iz, inside)
                r, g, b = r * fr / (density + p), g * fg / (density + p), b * fb / (density + p)
                if r + g + b > 0.0:
                    side = lift if across > 0.0 else -lift
                    k = 1.0 if across > 0.0 else 0.0
                    sr = sg = sb = 0.0
                    if across < 0.0 and m[THIN] == 0.0:
                        sr, sg, sb = m[ABSORPTION], m[ABSORPTION + 1], m[ABSORPTION + 2]
                    elif depth > 0:
                        medium = scene.materials[media[depth - 1]]
                        sr, sg, sb = medium[ABSORPTION], medium[ABSORPTION + 1], medium[ABSORPTION + 2]
                    vr, vg, vb = visibility(
                        scene,
                        options,
                        ray,
                        words,
                        px + gx * side + qx * k,
                        py + gy * side + qy * k,
                        pz + gz * side + qz * k,
                        wx,
                        wy,
                        wz,
                        far * 0.9999,
                        sr,
                        sg,
                        sb,
                        record,
                        recorded,
                    )
                    r, g, b = tr * r * vr, tg * g * vg, tb * b * vb
                    if bounce > 0:
                        top = luminance(r, g, b)
                        if top > options[OPT_CLAMP]:
                            top = options[OPT_CLAMP] / top
                            r, g, b = r * top, g * top, b * top
                    lr += r
                    lg += g
                    lb += b
        ix, iy, iz = sample_lobes(m, odds, ox, oy, oz, inside, sample_u, sample_v, lobe)
        if iz == 0.0:
            break
        fr, fg, fb, p = evaluate_lobes(m, table, odds, ox, oy, oz, ix, iy, iz, inside)
        if not p > 0.0:
            break
        tr, tg, tb = tr * fr / p, tg * fg / p, tb * fb / p
        dx, dy, dz = ax * ix + bx * iy + nx * iz, ay * ix + by * iy + ny * iz, az * ix + bz * iy + nz * iz
        across = gx * dx + gy * dy + gz * dz
        if across * iz <= 0.0:
            break
        if iz < 0.0:
            x, y, z = px - gx * lift, py - gy * lift, pz - gz * lift
            if m[THIN] == 0.0:
                depth = _cross(media, depth, which, inside)
        else:
            x, y, z = px + gx * lift + qx, py + gy * lift + qy, pz + gz * lift + qz
            seen = False
        rough = not inside and not plain
        seen = False
        vx, vy, vz = px, py, pz
        bsdf_density = p
        if m[METALNESS] < 0.5 and not clear_solid:
            diffuse_bounces += 1
            if diffuse_bounces > options[OPT_DIFFUSE_BOUNCES]:
                break
        bounce += 1
        if bounce > 2:
            q = min(0.98, max(tr, tg, tb))
            if draw_1d(index, key + np.uint64(6)) >= q:
                break
            tr, tg, tb = tr / q, tg / q, tb / q
    out[PLANE_RGB] += lr
    out[PLANE_RGB + 1] += lg
    out[PLANE_RGB + 2] += lb
    out[PLANE_ALPHA] += alpha
    y = luminance(lr, lg, lb)
    out[PLANE_SQUARE] += y * y
    out[PLANE_COUNT] += 1.0


@inlined
def _cross(media, depth, which, inside):
    """Enter or leave a clear solid; returns the new depth of the stack."""
    if not inside:
        if depth < _MEDIA:
            media[depth] = which
            return depth + 1
        return depth
    for k in range(depth - 1, -1, -1):
        if media[k] == which:
            for j in range(k, depth - 1):
                media[j] = media[j + 1]
            return depth - 1
    return depth


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
        borrowed(scene.materials),
        borrowed(scene.albedos),
        borrowed(scene.env),
        borrowed(scene.env_pick),
        borrowed(scene.env_alias),
        borrowed(scene.env_turn),
        borrowed(scene.emit_corners),
        borrowed(scene.emit_cumulative),
        borrowed(scene.emit_material),
    )


@entry
def trace_tile(scene, camera, options, film, x0, y0, x1, y1, width, height, step, first, count, stop, record, recorded, coherent):
    """Add `count` samples to every `step`-th pixel of a tile.

    film : (h, w, PLANES) float32 sums, one cell for each traced pixel; the frame is `width` x `height` pixels. `stop` (1,) int32 ends
    the work within a row when it becomes 1. Returns the number of samples taken.
    """
    scene = borrowed_scene(scene)
    ray_block = np.zeros(RAY_WORDS, np.float32)
    words = borrowed(ray_block.view(np.uint32))
    ray = borrowed(ray_block)
    media_block = np.zeros(_MEDIA, np.int64)
    media = borrowed(media_block)
    packet_block = np.zeros(PACKET_WORDS, np.float32)
    aligned = packet_in(packet_block)
    packet = borrowed(aligned)
    packet_words = borrowed(aligned.view(np.uint32))
    sums_block = np.zeros((PACKET, PLANES), np.float64)
    sums = borrowed(sums_block)
    seeds = np.zeros(PACKET, np.uint64)
    heights = np.zeros(PACKET, np.float64)
    taken = 0
    for row in range(y0, y1):
        if stop[0] != 0:
            break
        for start in range(x0, x1, PACKET):
            lanes = min(PACKET, x1 - start)
            sums[:] = 0.0
            for k in range(count):
                for lane in range(PACKET):
                    column = start + min(lane, lanes - 1)
                    seed = np.uint64(hash32(np.uint64(column * step) + np.uint64(65536) * np.uint64(row * step))) << np.uint64(16)
                    u, v = draw_2d(first + k, seed)
                    px = (column + 0.5) * step + tent(u) * step
                    py = (row + 0.5) * step + tent(v) * step
                    u, v = draw_2d(first + k, seed + np.uint64(1))
                    heights[lane] = 1.0 - 2.0 * py / height
                    seeds[lane] = seed
                    x, y, z, dx, dy, dz = camera_ray(camera, 2.0 * px / width - 1.0, heights[lane], u, v)
                    set_packet_ray(packet, packet_words, lane, x, y, z, dx, dy, dz, MASK_SOLID | MASK_CLEAR | MASK_CATCHER)
                intersect_packet(scene.top, packet, coherent)
                for lane in range(lanes):
                    trace_pixel(
                        scene, options, heights[lane], packet, packet_words, lane, first + k, seeds[lane], ray, words, media, sums[lane],
                        record, recorded,
                    )  # fmt: skip
                    taken += 1
            for lane in range(lanes):
                for c in range(PLANES):
                    value = sums[lane, c]
                    if value == value and abs(value) < 1e30:
                        film[row, start + lane, c] += np.float32(value)
    if packet_block[0] > 1e37 and sums_block[0, 0] < -1e300:  # keeps these blocks alive to the end
        return -1
    if ray_block[0] > 1e37 and media_block[0] < 0:  # keeps both blocks alive to the end
        return -1
    return taken


@entry
def replay(top, record, count):
    """Run recorded rays through Embree alone: the benchmark's yardstick."""
    ray = np.zeros(RAY_WORDS, np.float32)
    words = ray.view(np.uint32)
    hits = 0
    for k in range(count):
        set_ray(
            ray,
            words,
            record[k, 0],
            record[k, 1],
            record[k, 2],
            record[k, 4],
            record[k, 5],
            record[k, 6],
            record[k, 3],
            record[k, 8],
            np.uint32(record[k, 9]),
        )
        if record[k, 10] > 0.0:
            if occluded(top, ray):
                hits += 1
        else:
            intersect(top, ray)
            if words[17] != NO_HIT:
                hits += 1
    return hits
