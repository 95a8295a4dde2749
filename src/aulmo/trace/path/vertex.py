"""One vertex of one path: the medium on the way, the surface met, light samples, and where the path goes from there."""


import numpy as np

from aulmo.surface import columns as o
from aulmo.trace.compile.arrays import (
    EMISSION_PATH,
    GROUP_GLOW,
    OPT_BOUNCES,
    OPT_PASSES,
    OPT_PLAIN,
    OPT_SCATTERS,
    OPT_UNIFORM_CHOICE,
    P_LAYERS,
    P_TABLES,
    PLANE_ALBEDO,
    PLANE_NORMAL,
    ROUGH_LEVELS,
)
from aulmo.trace.lamp.light_sample import Vertex
from aulmo.trace.shape.embree import NO_HIT
from aulmo.trace.path.gather import found_light, guide_albedo, met_lamp
from aulmo.trace.compile.jit import inlined
from aulmo.trace.compile.units import left_scene, let_through, met_layer, mirrors, note_first, polished, printed, run_program
from aulmo.trace.compile import units
from aulmo.trace.lamp.light_sample import sample_lights
from aulmo.trace.material.openpbr import lobe_odds, seen_by
from aulmo.trace.lamp.light_tree import FROM_ANYWHERE, lit_matt
from aulmo.trace.path.path_state import (
    ALIVE,
    BELOW,
    BELOW_MATERIAL,
    BOUNCE,
    CARRIED,
    DEPTH,
    DIRECTION,
    FIRST,
    GUIDED,
    IN_VOLUME,
    LIGHTS,
    ON_CATCHER,
    ON_LAMBERT,
    ON_SURFACE,
    ORIGIN,
    SCATTERED,
    SEED,
    SEEN,
    SIDE,
    SPREAD,
    STEP,
    TIME,
    TURNED,
    WAY,
    WIDE,
    go,
)
from aulmo.trace.path.on_the_way import at_boundary, bent_back, fly, pass_lamp, wander
from aulmo.trace.path.onward import go_below, leave_by_lobes, leave_matt, scatter_on
from aulmo.trace.pattern.relief import sees_mean
from aulmo.trace.path.sampling import frame_about
from aulmo.trace.shape.surface_hit import hit_point, lamp_at, lift_off, material_at, stretch_frame
from aulmo.trace.shape.visibility import FAR


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
        if wander(scene, options, state, whole, index, key, step, t, x, y, z, dx, dy, dz):
            return
    elif whole[DEPTH] > 0:
        medium, s = fly(scene, state, whole, media, index, key, step, t, missed)
        if s < t:
            mode = IN_VOLUME
            which = scene.instance_material[medium]
            instance = medium
            g_phase = scene.materials[which, o.SCATTER_G]
            px, py, pz = x + dx * s, y + dy * s, z + dz * s
            whole[SCATTERED] += 1
            if whole[SCATTERED] > options[OPT_SCATTERS]:
                whole[ALIVE] = 0
                return
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
            pass_lamp(scene, options, state, whole, out, lamp_row, facing, t, lift, step, x, y, z, dx, dy, dz, tr, tg, tb)
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
            real, ratio, tr, tg, tb = at_boundary(scene, state, whole, media, index, m, instance, inside, tr, tg, tb)
            if not real:
                go(state, px - gx * lift, py - gy * lift, pz - gz * lift, dx, dy, dz)
                if step > 64:
                    whole[ALIVE] = 0
                return
        else:
            ratio = m[o.REFRACTION]
        nx, ny, nz = bent_back(nx, ny, nz, gx, gy, gz, dx, dy, dz, facing)
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
        scatter_on(options, state, whole, index, key, g_phase, su, sv, dx, dy, dz, px, py, pz, aim, candidates, instance, plain)
        return
    if mode == ON_LAMBERT:
        leave_matt(options, state, whole, index, key, su, sv, px, py, pz, gx, gy, gz, nx, ny, nz, lift, aim, candidates, instance, plain)
        return
    if not inside and odds[4] > 0.0 and su >= 1.0 - odds[4]:
        go_below(
            state, whole, m, odds, which, instance, su, sv, tr, tg, tb, oz, px, py, pz, gx, gy, gz, nx, ny, nz, ax, ay, az, bx, by, bz, lift,
        )  # fmt: skip
        return
    leave_by_lobes(
        scene, options, state, whole, media, index, key, m, table, odds, instance, inside, clear_solid, ratio, su, sv, tr, tg, tb, ox, oy, oz,
        px, py, pz, gx, gy, gz, nx, ny, nz, qx, qy, qz, ax, ay, az, bx, by, bz, lift, aim, candidates, limit, plain,
    )  # fmt: skip
