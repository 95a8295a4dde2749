"""One vertex of one path: the medium on the way, the surface met, light samples, and where the path goes from there.

Reference: Wilkie et al. 2014, "Hero wavelength spectral sampling" (one wavelength here, taken when a path first meets a dispersive solid).
"""

import math

import numpy as np

from aulmo.surface import columns as o
from aulmo.trace.compile.arrays import (
    EMISSION_PATH,
    GROUP_GLOW,
    LAMP_GROUP,
    LAMP_KIND,
    LAMP_VISIBLE,
    OPT_BOUNCES,
    OPT_CLEAR_BOUNCES,
    OPT_PASSES,
    OPT_PLAIN,
    OPT_SCATTERS,
    OPT_SPECULAR_BOUNCES,
    OPT_UNIFORM_CHOICE,
    P_LAYERS,
    P_TABLES,
    PLANE_ALBEDO,
    PLANE_NORMAL,
    ROUGH_LEVELS,
    Vertex,
)
from aulmo.trace.shape.embree import NO_HIT
from aulmo.trace.path.gather import found_light, guide_albedo, met_lamp
from aulmo.trace.compile.jit import inlined
from aulmo.trace.compile.units import left_scene, let_through, met_layer, mirrors, note_first, polished, printed, run_program
from aulmo.trace.compile import units
from aulmo.trace.lamp.light_sample import sample_lights
from aulmo.trace.material.openpbr import below_weight, evaluate_lobes, lobe_odds, sample_lobes, seen_by
from aulmo.trace.lamp.lamps import lamp_light, meet_lamp
from aulmo.trace.lamp.light_tree import FROM_ANYWHERE, lit_matt
from aulmo.trace.material.medium import flight, turned_aside
from aulmo.trace.material.microfacet import henyey_greenstein, sample_phase
from aulmo.trace.path.path_state import (
    ALIVE,
    BELOW,
    BELOW_MATERIAL,
    BOUNCE,
    BY_SUBSURFACE,
    BY_SURFACE,
    BY_TRANSMISSION,
    CARRIED,
    CLEAR_PASSES,
    DEPTH,
    DIRECTION,
    EVENTS,
    FIRST,
    GUIDED,
    IN_VOLUME,
    KIND,
    LAST_INSTANCE,
    LIGHTS,
    MATT_SHARE,
    NOT_YET,
    ON_CATCHER,
    ON_LAMBERT,
    ON_SURFACE,
    ORIGIN,
    ROUGH,
    SCATTERED,
    SEED,
    SEEN,
    SHINY,
    SIDE,
    SPREAD,
    STEP,
    TIME,
    TURNED,
    WANDER,
    WAVELENGTH,
    WAY,
    WIDE,
    carry,
    count_matt,
    draw_even,
    go,
    lit_by,
    remember,
    survives,
)
from aulmo.trace.pattern.relief import sees_mean
from aulmo.trace.path.sampling import cosine_hemisphere, draw_1d, draw_2d, frame_about
from aulmo.trace.material.spectrum import draw_wavelength, ior_at
from aulmo.trace.shape.surface_hit import hit_point, lamp_at, lift_off, material_at, stretch_frame
from aulmo.trace.shape.visibility import FAR, enter, index_of, leave, topmost


@inlined
def even_odds(odds):
    """The same with every lobe there is equally likely, as the plain estimator of the benchmark has it."""
    coat, base, glass, diffuse, below, e_coat, e_specular, lambda_coat, lambda_base, clear_of_fuzz = odds
    lobes = (coat > 0.0) + (base > 0.0) + (glass > 0.0) + (diffuse > 0.0) + (below > 0.0)
    p = 1.0 / max(1.0, lobes)
    return (
        p if coat > 0.0 else 0.0,
        p if base > 0.0 else 0.0,
        p if glass > 0.0 else 0.0,
        p if diffuse > 0.0 else 0.0,
        p if below > 0.0 else 0.0,
        e_coat,
        e_specular,
        lambda_coat,
        lambda_base,
        clear_of_fuzz,
    )


@units.advance.made
def advance(scene, options, ray, words, state, whole, media, spare, shadow, out, matte, with_mattes, index, own, glowing, registers):
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
        u, v = draw_even(index, key + np.uint64(4), step)
        e = o.SUB_EXTINCTION
        s = flight(state, m[e], m[e + 1], m[e + 2], state[WANDER], state[WANDER + 1], state[WANDER + 2], t, u, v)
        if s < t:
            whole[SCATTERED] += 1
            u, v = state[WAY], state[WAY + 1]
            lobe = draw_1d(index, key + np.uint64(6))
            if whole[SCATTERED] > options[OPT_SCATTERS] or (whole[SCATTERED] > 12 and not survives(state, whole, lobe, -1, 1.0)):
                whole[ALIVE] = 0
                return
            wx, wy, wz = turned_aside(dx, dy, dz, sample_phase(m[o.SUB_G], u), v)
            go(state, x + dx * s, y + dy * s, z + dz * s, wx, wy, wz)
            return
    elif whole[DEPTH] > 0:
        medium = topmost(scene, media, whole[DEPTH])
        m = scene.materials[scene.instance_material[medium]]
        k, q = o.ABSORPTION, o.SCATTERING
        scattering = m[q] + m[q + 1] + m[q + 2]
        if scattering > 0.0:
            u, v = draw_even(index, key + np.uint64(4), step)
            e_r, e_g, e_b = m[k] + m[q], m[k + 1] + m[q + 1], m[k + 2] + m[q + 2]
            s = flight(
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
        left_scene(scene, options, state, whole, out)
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
        which = material_at(scene, instance, words[17])
        lamp_row = lamp_at(scene, instance, which)
        if part == -3:
            # A lamp's body: shines, and lets everything else pass.
            lamp = scene.lamps[lamp_row]
            seen = whole[SEEN] > 0
            if facing > 0.0 or int(lamp[LAMP_KIND]) < 2:
                distance, cosine = meet_lamp(lamp, x, y, z, dx, dy, dz)
                if distance > 0.0 and (not seen or lamp[LAMP_VISIBLE] > 0.0) and lit_by(scene, lamp_row, whole[LAST_INSTANCE]):
                    weight = met_lamp(scene, options, state, whole, lamp_row, distance, cosine)
                    r, g, b = lamp_light(scene, lamp, -dx, -dy, -dz)
                    found_light(options, out, state, whole, EMISSION_PATH, lamp[LAMP_GROUP], tr * r * weight, tg * g * weight, tb * b * weight)
                    if seen:
                        if whole[GUIDED] == 0:
                            for c in range(3):
                                out[PLANE_ALBEDO + c] += 1.0
                        whole[ALIVE] = 0
                        return
            side = t + lift / max(0.05, abs(facing))
            go(state, x + dx * side, y + dy * side, z + dz * side, dx, dy, dz)
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
        elif scene.instance_catch[instance] > 0 and whole[SEEN] > 0:
            mode = ON_CATCHER
            if facing < 0.0:
                gx, gy, gz, nx, ny, nz = -gx, -gy, -gz, -nx, -ny, -nz
            if mirrors(scene, ray, words, state, whole, scene.materials[which], instance, px, py, pz, nx, ny, nz, lift, tr, tg, tb):
                return
            let_through(
                scene, options, state, whole, out, matte, with_mattes, np.float32(part), np.float32(which), px, py, pz, nx, ny, nz, tr, tg, tb,
            )  # fmt: skip
    m = scene.materials[which]
    table = scene.albedos[which]
    if mode == ON_SURFACE:
        state[WIDE] += state[SPREAD] * t
        if scene.programs[which, P_LAYERS] > 0:
            which, state[SIDE] = met_layer(
                scene, registers, own, which, instance, np.int64(words[17]), state[TIME], state[WIDE], px, py, pz, nx, ny, nz, facing, state[SIDE]
            )
            m = scene.materials[which]
            table = scene.albedos[which]
        met = np.int64(-1)
        if len(scene.decal_list) > 0 and scene.instance_decals[instance] >= 0:
            # what is stuck on something solid has no back
            if facing > 0.0 or m[o.TRANSMISSION] > 0.0 or m[o.OPACITY] < 1.0 or m[o.CUT_OUT] > 0.0:
                met, nx, ny, nz, state[SIDE] = printed(
                    scene, registers, own, scene.instance_decals[instance], which, instance, np.int64(words[17]), state[TIME], state[WIDE], px, py,
                    pz, nx, ny, nz, facing, state[SIDE],
                )  # fmt: skip
        if met >= 0:
            m = own
            which = met
            table = scene.albedos[which]
            lamp_row = -1
        elif m[o.PROGRAMMED] > 0.0:
            if sees_mean(scene, which, instance, state[WIDE]):
                m = scene.materials[len(scene.programs) + which]
            else:
                for c3 in range(o.COLUMNS):
                    own[c3] = m[c3]
                m = own
                nx, ny, nz = run_program(
                    scene, registers, m, which, instance, np.int64(words[17]), state[TIME], state[WIDE], px, py, pz, nx, ny, nz, facing
                )
        if m[o.PROGRAMMED] > 0.0:
            tables = scene.programs[which, P_TABLES]
            if tables >= 0:
                table = scene.albedos[tables + min(ROUGH_LEVELS - 1, int(m[o.ROUGHNESS] * (ROUGH_LEVELS - 1) + 0.5))]
        there = m[o.OPACITY]
        if m[o.EMISSION] + m[o.EMISSION + 1] + m[o.EMISSION + 2] > 0.0:
            weight = 1.0
            if lamp_row >= 0:
                weight = met_lamp(scene, options, state, whole, lamp_row, t, abs(facing))
            found_light(
                options, out, state, whole, EMISSION_PATH, GROUP_GLOW,
                there * tr * m[o.EMISSION] * weight, there * tg * m[o.EMISSION + 1] * weight, there * tb * m[o.EMISSION + 2] * weight,
            )  # fmt: skip
        if there < 1.0:
            if state[SIDE] >= there:
                side = -lift if facing > 0.0 else lift
                go(state, px + gx * side, py + gy * side, pz + gz * side, dx, dy, dz)
                if step > 64:
                    whole[ALIVE] = 0
                return
            state[SIDE] /= there  # stretched out, it serves again
        clear_solid = m[o.TRANSMISSION] > 0.0 and m[o.METALNESS] < 1.0
        if options[OPT_PASSES] > 0.0 and whole[FIRST] == 0:
            s = 1.0 if facing >= 0.0 else -1.0
            note_first(
                scene, options, ray, words, state, whole, out, matte, with_mattes, index, key, instance, which, px, py, pz, s * nx, s * ny, s * nz,
                lift, m,
            )  # fmt: skip
        turned = facing < 0.0
        if turned:
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
                go(state, px - gx * lift, py - gy * lift, pz - gz * lift, dx, dy, dz)
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
                    carry(state, tr, tg, tb)
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
        if m[o.COAT_BENT] > 0.0:  # into the frame of the base
            k1 = -1.0 if turned else 1.0
            cx, cy, cz = k1 * m[o.COAT_NORMAL], k1 * m[o.COAT_NORMAL + 1], k1 * m[o.COAT_NORMAL + 2]
            m[o.COAT_NORMAL], m[o.COAT_NORMAL + 1] = ax * cx + ay * cy + az * cz, bx * cx + by * cy + bz * cz
            m[o.COAT_NORMAL + 2] = nx * cx + ny * cy + nz * cz
        if whole[GUIDED] == 0 and (m[o.SMOOTH] == 0.0 or whole[BOUNCE] >= 6):
            for c3 in range(3):
                out[PLANE_ALBEDO + c3] += guide_albedo(m, c3)
            out[PLANE_NORMAL] += nx
            out[PLANE_NORMAL + 1] += ny
            out[PLANE_NORMAL + 2] += nz
            whole[GUIDED] = 1
        if m[o.SMOOTH] > 0.0:
            polished(
                scene, options, state, whole, media, index, key, m, instance, inside, ratio, px, py, pz, gx, gy, gz, nx, ny, nz, oz, lift,
            )  # fmt: skip
            return
    # A light sample toward each vertex's lights.
    odds = lobe_odds(m, table, ox, oy, oz) if mode == ON_SURFACE else (0.0,) * 10
    if plain and options[OPT_UNIFORM_CHOICE] > 0.0 and mode == ON_SURFACE:
        odds = even_odds(odds)
    aim = FROM_ANYWHERE
    if mode == ON_SURFACE:
        aim = seen_by(m, odds, nx, ny, nz, dx, dy, dz, oz)
    elif mode != IN_VOLUME:
        aim = lit_matt(nx, ny, nz)
    limit = options[OPT_BOUNCES]
    candidates = whole[LIGHTS]
    if not inside and not plain and whole[BOUNCE] < limit:
        here = Vertex(
            mode, instance, (px, py, pz), (gx, gy, gz), (nx, ny, nz), (qx, qy, qz), (ax, ay, az), (bx, by, bz), (ox, oy, oz), (dx, dy, dz),
            lift, inside, clear_solid, ratio, g_phase, odds, aim,
        )  # fmt: skip
        sample_lights(scene, options, state, whole, media, spare, shadow, m, table, glowing, registers, here)
    if mode == ON_CATCHER:
        whole[ALIVE] = 0
        return
    # Where the path goes from here.
    su, sv = state[WAY], state[WAY + 1]
    whole[TURNED] = 1
    if mode == IN_VOLUME:
        cosine = sample_phase(g_phase, su)
        p = henyey_greenstein(cosine, g_phase)
        dx, dy, dz = turned_aside(dx, dy, dz, cosine, sv)
        go(state, px, py, pz, dx, dy, dz)
        remember(state, whole, px, py, pz, aim, p / candidates, instance)
        whole[ROUGH] = 0 if plain else 1
        whole[SEEN] = 0
        if whole[KIND] == NOT_YET:
            whole[KIND] = BY_TRANSMISSION
        whole[EVENTS] += 1
        if whole[SCATTERED] > 6 and not survives(state, whole, draw_1d(index, key + np.uint64(6)), -1, 1.0):
            whole[ALIVE] = 0
        return
    if mode == ON_LAMBERT:
        ax, ay, az, bx, by, bz = frame_about(nx, ny, nz)
        ix, iy, iz = cosine_hemisphere(su, sv)
        go(
            state, px + gx * lift, py + gy * lift, pz + gz * lift,
            ax * ix + bx * iy + nx * iz, ay * ix + by * iy + ny * iz, az * ix + bz * iy + nz * iz,
        )  # fmt: skip
        remember(state, whole, px, py, pz, aim, iz / math.pi / candidates, instance)
        whole[ROUGH] = 0 if plain else 1
        count_matt(options, state, whole, draw_1d(index, key + np.uint64(6)))
        return
    if not inside and odds[4] > 0.0 and su >= 1.0 - odds[4]:
        # Below the surface: through it like through frosted glass, then at random.
        su = (su - 1.0 + odds[4]) / odds[4]
        ix, iy, iz = cosine_hemisphere(su, sv)
        br, bg, bb = below_weight(m, odds, oz)
        carry(state, tr * br, tg * bg, tb * bb)
        go(
            state, px - gx * lift, py - gy * lift, pz - gz * lift,
            ax * ix + bx * iy - nx * iz, ay * ix + by * iy - ny * iz, az * ix + bz * iy - nz * iz,
        )  # fmt: skip
        whole[BELOW] = instance + 1
        whole[BELOW_MATERIAL] = which
        for c in range(3):
            state[WANDER + c] = m[o.SUB_ALBEDO + c]
        whole[ROUGH] = 0
        whole[SEEN] = 0
        if whole[KIND] == NOT_YET:
            whole[KIND] = BY_SUBSURFACE
        whole[EVENTS] += 1
        return
    ix, iy, iz = sample_lobes(m, scene.films, odds, ox, oy, oz, inside, su, sv, state[SIDE], ratio)
    if iz == 0.0:
        whole[ALIVE] = 0
        return
    fr, fg, fb, p, mr, mg, mb = evaluate_lobes(m, table, scene.films, odds, ox, oy, oz, ix, iy, iz, inside, ratio)
    if not p > 0.0:
        whole[ALIVE] = 0
        return
    carry(state, tr * fr / p, tg * fg / p, tb * fb / p)
    dx, dy, dz = ax * ix + bx * iy + nx * iz, ay * ix + by * iy + ny * iz, az * ix + bz * iy + nz * iz
    across = gx * dx + gy * dy + gz * dz
    if across * iz <= 0.0:
        whole[ALIVE] = 0
        return
    if iz < 0.0:
        go(state, px - gx * lift, py - gy * lift, pz - gz * lift, dx, dy, dz)
        if m[o.THIN] == 0.0:
            whole[DEPTH] = leave(media, whole[DEPTH], instance) if inside else enter(media, whole[DEPTH], instance)
    else:
        go(state, px + gx * lift + qx, py + gy * lift + qy, pz + gz * lift + qz, dx, dy, dz)
    if whole[KIND] == NOT_YET:
        whole[KIND] = BY_TRANSMISSION if iz < 0.0 else BY_SURFACE
        state[MATT_SHARE] = mr / fr if fr > 0.0 else 0.0
        state[MATT_SHARE + 1] = mg / fg if fg > 0.0 else 0.0
        state[MATT_SHARE + 2] = mb / fb if fb > 0.0 else 0.0
    whole[ROUGH] = 0 if inside or plain else 1
    whole[SEEN] = 0
    state[SPREAD] = max(state[SPREAD], min(0.5, 0.2 / math.sqrt(p)))
    remember(state, whole, px, py, pz, aim, p / candidates, instance)
    if clear_solid:
        whole[CLEAR_PASSES] += 1
        if whole[CLEAR_PASSES] > options[OPT_CLEAR_BOUNCES]:
            whole[ALIVE] = 0
    elif mr + mg + mb > 0.5 * (fr + fg + fb):
        count_matt(options, state, whole, draw_1d(index, key + np.uint64(6)))
        return
    else:
        whole[SHINY] += 1
        if whole[SHINY] > options[OPT_SPECULAR_BOUNCES]:
            whole[ALIVE] = 0
    whole[EVENTS] += 1
    whole[BOUNCE] += 1
    if whole[BOUNCE] > limit or not survives(state, whole, draw_1d(index, key + np.uint64(6)), 2, 0.98):
        whole[ALIVE] = 0
