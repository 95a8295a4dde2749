"""The path tracer: light carried back from the scene to each pixel.

Unidirectional paths with one light sample at every rough vertex, chosen among candidates where there are many lamps (Talbot, Cline &
Egbert 2005, "Importance resampling for global illumination") and combined by the balance heuristic (Veach 1995). A wave of sixteen paths
advances together, one vertex at a time: first all rays are met with the scene, then what they met is asked for from memory,
then each path takes its turn, then the light samples' shadow rays are traced. Light seen through clear glass from a rough surface goes
straight through, weakened by Fresnel and tint, when the option says so: a thin globe then stays clean without caustic paths.
The place in the pixel and the way on from the first surface that leaves a choice are two halves of one four-dimensional Sobol set.
Below a translucent surface, and within cloudy clear solids, paths walk at random from scattering to scattering.
"""

import numpy as np

from aulmo.surface.program import REGISTERS
from aulmo.trace import openpbr as o
from aulmo.trace.ahead import aim_at_dome, draw_candidates
from aulmo.trace.arrays import (
    CAM_COLUMNS,
    CAM_PROJECTION,
    CAM_TAN_W,
    OPT_LAMP_MASK,
    OPT_PASSES,
    OPT_PLAIN,
    OPT_SEED,
    OPT_SHUTTER_CLOSE,
    OPT_SHUTTER_OPEN,
    PERSPECTIVE,
    PLANE_ALPHA,
    PLANE_COUNT,
    PLANE_LIT,
    PLANE_SHADOW_ALL,
    PLANE_SHADOW_LIT,
    PLANE_SQUARE,
    PLANE_UNSHADOWED,
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
    set_packet_ray,
    set_ray,
    take_from_packet,
)
from aulmo.trace.gather import add_light
from aulmo.trace.jit import borrowed, entry, inlined, kernel
from aulmo.trace.lens import camera_at, camera_ray, tent
from aulmo.trace.lights import fetch_map_soon, luminance, to_map
from aulmo.trace.path_state import (
    ALIVE,
    BARY,
    BELOW,
    CANDIDATES,
    DEPTH,
    DIRECTION,
    EVEN_STEPS,
    GUIDE,
    HEIGHT,
    INSTANCE,
    LAST,
    LAST_INSTANCE,
    LIGHTS,
    MAP_U,
    MAP_V,
    MATTE_SLOTS,
    NG,
    NUMBERS,
    ORIGIN,
    PRIMITIVE,
    SEED,
    SEEN,
    SHADOWS,
    SIDE,
    SPREAD,
    STEP,
    SUM,
    S_CATCH,
    S_DEPTH,
    S_FAR,
    S_FIRST,
    S_FROM,
    S_GROUP,
    S_LIGHT,
    S_MATT,
    S_PLANE,
    S_TOWARD,
    S_WAITING,
    TIME,
    TURNED,
    T_FAR,
    WAY,
    WHOLES,
    carry,
    go,
)
from aulmo.trace.sampling import draw_joint, draw_wave, hash32, unit
from aulmo.trace.surface_hit import fetch_corners_soon, fetch_triangle_soon
from aulmo.trace.vertex import advance
from aulmo.trace.visibility import FAR, MEDIA, note_ray, visibility


@inlined
def _trace_shadow(scene, options, ray, words, state, spare, shadow, out, record, recorded, own, registers):
    """Trace a waiting light sample's shadow ray and add what comes through."""
    vr, vg, vb = visibility(
        scene, options, ray, words, state[TIME], shadow[S_FROM], shadow[S_FROM + 1], shadow[S_FROM + 2],
        shadow[S_TOWARD], shadow[S_TOWARD + 1], shadow[S_TOWARD + 2], shadow[S_FAR], spare, int(shadow[S_DEPTH]), record, recorded, own, registers,
    )  # fmt: skip
    r, g, b = shadow[S_LIGHT], shadow[S_LIGHT + 1], shadow[S_LIGHT + 2]
    if shadow[S_CATCH] > 0.0:
        out[PLANE_UNSHADOWED] += luminance(r, g, b)
        out[PLANE_LIT] += luminance(r * vr, g * vg, b * vb)
        return
    if options[OPT_PASSES] > 0.0 and shadow[S_FIRST] > 0.0:
        out[PLANE_SHADOW_ALL] += luminance(r, g, b)
        out[PLANE_SHADOW_LIT] += luminance(r * vr, g * vg, b * vb)
    add_light(
        options, out, state, int(shadow[S_PLANE]), shadow[S_GROUP], r * vr, g * vg, b * vb,
        shadow[S_MATT] * vr, shadow[S_MATT + 1] * vg, shadow[S_MATT + 2] * vb,
    )  # fmt: skip


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
        borrowed(scene.env_guide),
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
def trace_tile(scene, camera, options, film, mattes, done, goal, x0, y0, x1, y1, width, height, step, count, stop, record, recorded, coherent):
    """Add up to `count` samples to every `step`-th pixel of a tile that has not reached its goal.

    camera : (times, CAM_COLUMNS) rows over the shutter. film : (h, w, planes) float32 sums, one cell for each traced pixel; the frame is
    `width` x `height` pixels. mattes : (h, w, 2, MATTE_SLOTS, 2) float32 numbers and counts of parts and of materials, or empty.
    done, goal : (h, w) int32 samples of each pixel, taken and wanted; `done` grows. `stop` (1,) int32 ends the work within a wave when it
    becomes 1. Returns the number of samples taken.
    """
    scene = borrowed_scene(scene)
    camera, options, film, mattes = borrowed(camera), borrowed(options), borrowed(film), borrowed(mattes)
    record, recorded, stop, done, goal = borrowed(record), borrowed(recorded), borrowed(stop), borrowed(done), borrowed(goal)
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
    register_block = np.zeros((REGISTERS + 3, 4))
    registers = borrowed(register_block)
    moment_block = np.zeros(CAM_COLUMNS)
    moment = borrowed(moment_block)
    seed_block = np.zeros(PACKET, np.uint32)
    seeds = borrowed(seed_block)
    index_block = np.zeros(PACKET, np.uint32)
    indices = borrowed(index_block)
    place_block = np.zeros((PACKET, 2), np.int64)
    places = borrowed(place_block)
    drawn_block = np.zeros((8, PACKET), np.uint32)
    side_u, light_p, way_u = borrowed(drawn_block[0]), borrowed(drawn_block[1]), borrowed(drawn_block[2])
    way_v, light_u, light_v = borrowed(drawn_block[3]), borrowed(drawn_block[4]), borrowed(drawn_block[5])
    first_u, first_v = borrowed(drawn_block[6]), borrowed(drawn_block[7])
    no_matte_block = np.zeros((1, MATTE_SLOTS, 2), np.float32)
    no_matte = borrowed(no_matte_block)
    with_mattes = mattes.shape[0] > 0
    mask_seen = MASK_SOLID | MASK_CLEAR | MASK_CATCHER | int(options[OPT_LAMP_MASK])
    mask_on = MASK_SOLID | MASK_CLEAR | int(options[OPT_LAMP_MASK])
    pixel = 2.0 * camera[0, CAM_TAN_W] * step / width if camera[0, CAM_PROJECTION] == PERSPECTIVE else 1e-3
    first_step = EVEN_STEPS if options[OPT_PLAIN] > 0.0 else 0  # the plain estimator draws plain random numbers
    by_map = len(scene.portals) == 0 and options[OPT_PLAIN] == 0.0
    extra = np.uint64(options[OPT_SEED]) * np.uint64(0x9E3779B97F4A7C15)
    lasting = options[OPT_SHUTTER_CLOSE] > options[OPT_SHUTTER_OPEN]
    still = len(camera) == 1
    camera_at(camera, 0.0, moment)
    # what there is to take: neighbouring pixels side by side, so that a wave's rays stay together
    wanted = 0
    for row in range(y0, y1):
        for column in range(x0, x1):
            wanted += max(0, min(count, goal[row, column] - done[row, column]))
    work_block = np.zeros((max(1, wanted), 3), np.int32)
    work = borrowed(work_block)
    wanted = 0
    for row in range(y0, y1):
        for start in range(x0, x1, PACKET):
            most = 0
            for column in range(start, min(x1, start + PACKET)):
                most = max(most, goal[row, column] - done[row, column])
            for k in range(min(count, most)):
                for column in range(start, min(x1, start + PACKET)):
                    if done[row, column] + k < goal[row, column]:
                        work[wanted, 0], work[wanted, 1], work[wanted, 2] = row, column, done[row, column] + k
                        wanted += 1
    taken = 0
    while taken < wanted and stop[0] == 0:
        lanes = min(PACKET, wanted - taken)
        sums[:] = 0.0
        for lane in range(PACKET):
            item = taken + min(lane, lanes - 1)
            row, column = np.int64(work[item, 0]), np.int64(work[item, 1])
            where = hash32(np.uint64(column * step) + np.uint64(65536) * np.uint64(row * step) ^ (extra >> np.uint64(32)))
            seeds[lane] = np.uint32(where << np.uint32(16))
            indices[lane] = np.uint32(work[item, 2])
            places[lane, 0], places[lane, 1] = row, column
        taken += lanes
        if first_step == 0:
            draw_joint(indices, seeds, 0, PACKET, side_u, light_p)
            draw_joint(indices, seeds, 1, PACKET, first_u, first_v)
        else:
            draw_wave(indices, seeds, np.uint32(0), False, PACKET, side_u, light_p)
            draw_wave(indices, seeds, np.uint32(2), False, PACKET, first_u, first_v)
        draw_wave(indices, seeds, np.uint32(1), first_step == 0, PACKET, light_u, light_v)
        if lasting:
            draw_wave(indices, seeds, np.uint32(3), first_step == 0, PACKET, way_u, way_v)
        for lane in range(PACKET):
            px = (places[lane, 1] + 0.5) * step + tent(unit(side_u[lane])) * step
            py = (places[lane, 0] + 0.5) * step + tent(unit(light_p[lane])) * step
            state = states[lane]
            whole = wholes[lane]
            for c in range(CANDIDATES):
                state[c] = 0.0
            for c in range(WHOLES):
                whole[c] = 0
            state[HEIGHT] = 1.0 - 2.0 * py / height
            if lasting:
                state[TIME] = unit(way_u[lane])
            if not still:
                camera_at(camera, state[TIME], moment)
            x, y, z, dx, dy, dz = camera_ray(moment, 2.0 * px / width - 1.0, state[HEIGHT], unit(light_u[lane]), unit(light_v[lane]))
            set_packet_ray(packet, packet_words, lane, x, y, z, dx, dy, dz, mask_seen)
            packet[7 * PACKET + lane] = state[TIME]
            go(state, x, y, z, dx, dy, dz)
            carry(state, 1.0, 1.0, 1.0)
            state[LAST], state[LAST + 1], state[LAST + 2] = x, y, z
            state[SPREAD] = pixel
            for c in range(3):
                state[GUIDE + c] = 1.0
            whole[SEED] = np.int64(seeds[lane])
            whole[SEEN] = 1
            whole[LAST_INSTANCE] = -1
            whole[STEP] = first_step
            whole[ALIVE] = 1 if lane < lanes else 0
            if lane < lanes:
                sums[lane, PLANE_ALPHA] += 1.0
                sums[lane, PLANE_COUNT] += 1.0
        alive = lanes
        coming = True
        vertex = first_step
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
            offset = np.uint32(16 + 8 * vertex)
            draw_wave(indices, seeds, offset + np.uint32(2), vertex < EVEN_STEPS, lanes, side_u, light_p)
            if vertex > first_step:
                draw_wave(indices, seeds, offset + np.uint32(3), vertex < EVEN_STEPS, lanes, way_u, way_v)
            draw_wave(indices, seeds, offset + np.uint32(1), vertex < EVEN_STEPS, lanes, light_u, light_v)
            vertex += 1
            for lane in range(lanes):
                state, whole = states[lane], wholes[lane]
                whole[LIGHTS] = 0
                if whole[ALIVE] == 0:
                    continue
                state[SIDE] = unit(side_u[lane])
                if whole[TURNED] == 0:
                    state[WAY], state[WAY + 1] = unit(first_u[lane]), unit(first_v[lane])
                else:
                    state[WAY], state[WAY + 1] = unit(way_u[lane]), unit(way_v[lane])
                if whole[INSTANCE] >= 0:
                    fetch_corners_soon(scene, whole[INSTANCE], whole[PRIMITIVE])
                if whole[INSTANCE] >= 0 or whole[BELOW] + whole[DEPTH] > 0:
                    draw_candidates(options, state, whole, np.int64(indices[lane]), unit(light_p[lane]), unit(light_u[lane]), unit(light_v[lane]))
            if by_map:
                aim_at_dome(scene, options, states, wholes, lanes)
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
                    matte = mattes[places[lane, 0], places[lane, 1]]
                advance(
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
                    np.int64(indices[lane]),
                    own,
                    registers,
                )
                alive += whole[ALIVE]
            for lane in range(lanes):
                shadow = shadows[lane]
                if shadow[S_WAITING] > 0.0:
                    _trace_shadow(
                        scene, options, ray, words, states[lane], media[PACKET + lane], shadow, sums[lane], record, recorded, own, registers
                    )
        for lane in range(lanes):
            y = states[lane, SUM]
            sums[lane, PLANE_SQUARE] += y * y
            row, column = places[lane, 0], places[lane, 1]
            done[row, column] += 1
            for c in range(planes):
                value = sums[lane, c]
                if value == value and abs(value) < 1e30:
                    film[row, column, c] += np.float32(value)
    if no_matte_block[0, 0, 0] > 1e30:
        return -1
    if packet_block[0] > 1e37 and sums_block[0, 0] < -1e300 and state_block[0, 0] > 1e300:  # keeps these blocks alive to the end
        return -1
    if (
        ray_block[0] > 1e37
        and media_block[0, 0] < 0
        and whole_block[0, 0] < 0
        and shadow_block[0, 0] + moment_block[0] + own_block[0] + register_block[0, 0] + seed_block[0] + drawn_block[0, 0] > 1e300
        and index_block[0] + place_block[0, 0] + work_block[0, 0] > 1e300
    ):
        return -1
    return taken
