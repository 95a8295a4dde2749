"""The path tracer: light carried back from the scene to each pixel.

Unidirectional paths with one light sample at every rough vertex, chosen among candidates where there are many lamps (Talbot, Cline &
Egbert 2005, "Importance resampling for global illumination") and combined by the balance heuristic (Veach 1995). A wave of paths
advances together, one vertex at a time: first all rays are met with the scene, then what they met is asked for from memory,
then each path takes its turn, then the light samples' shadow rays are traced. Light seen through clear glass from a rough surface goes
straight through, weakened by Fresnel and tint, when the option says so: a thin globe then stays clean without caustic paths.
The place in the pixel and the way on from the first surface that leaves a choice are two halves of one four-dimensional Sobol set.
Below a translucent surface, and within cloudy clear solids, paths walk at random from scattering to scattering.
"""

import numpy as np

from aulmo.surface.program import REGISTER_ROWS
from aulmo.surface import columns as o
from aulmo.trace.path.ahead import aim_at_dome
from aulmo.trace.compile.arrays import (
    CAM_COLUMNS,
    CAM_PROJECTION,
    CAM_TAN_W,
    OPT_CONTACT,
    OPT_CONTACT_REACH,
    OPT_DOME_RADIUS,
    OPT_LAMP_MASK,
    OPT_PASSES,
    OPT_PLAIN,
    OPT_SEED,
    OPT_SHUTTER_CLOSE,
    OPT_SHUTTER_OPEN,
    PERSPECTIVE,
    PLANE_LIT,
    PLANE_SHADOW_ALL,
    PLANE_SHADOW_LIT,
    PLANE_UNSHADOWED,
)
from aulmo.trace.compile.borrowed import address, borrowed, looked_at
from aulmo.trace.shape.embree import (
    MASK_BOUNCE,
    MASK_CLEAR,
    MASK_EYE,
    MASK_SOLID,
    PACKET,
    PACKET_BLOCK,
    PACKET_SLACK,
    RAY_WORDS,
    intersect_packet,
    occluded,
    packet_in,
    set_ray,
)
from aulmo.trace.path.gather import add_light
from aulmo.trace.compile.entry import entry
from aulmo.trace.compile.jit import inlined
from aulmo.trace.compile.scene_block import MATERIALS_AT, scene_at
from aulmo.trace.compile.units import advance, visibility
from aulmo.trace.path.lens import camera_at
from aulmo.trace.lamp.dome import luminance
from aulmo.trace.path.path_state import (
    ALIVE,
    EVEN_STEPS,
    MATTE_SLOTS,
    NUMBERS,
    SHADOWS,
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
    WAY,
    WHOLES,
)
from aulmo.trace.pattern.relief import see_from_afar
from aulmo.trace.path.sampling import cosine_hemisphere
from aulmo.trace.shape.visibility import MEDIA, note_ray
from aulmo.trace.path.wave import WAVE, Frame, Wave, draw_numbers, keep_samples, list_work, meet, set_out, set_path_ray, take_hit


@inlined
def _trace_shadow(scene, options, ray, words, state, spare, shadow, out, record, recorded, own, registers):
    """Trace a waiting light sample's shadow ray and add what comes through."""
    vr, vg, vb = visibility(
        scene, options, ray, words, state[TIME], shadow[S_FROM], shadow[S_FROM + 1], shadow[S_FROM + 2],
        shadow[S_TOWARD], shadow[S_TOWARD + 1], shadow[S_TOWARD + 2], shadow[S_FAR], spare, int(shadow[S_DEPTH]), record, recorded, own, registers,
    )  # fmt: skip
    r, g, b = shadow[S_LIGHT], shadow[S_LIGHT + 1], shadow[S_LIGHT + 2]
    if shadow[S_CATCH] > 0.0:
        share = min(1.0, shadow[S_CATCH])
        if options[OPT_CONTACT] > 0.0 and shadow[S_CATCH] <= 1.0:
            x, y, z = cosine_hemisphere(state[WAY], state[WAY + 1])
            set_ray(ray, words, shadow[S_FROM], shadow[S_FROM + 1], shadow[S_FROM + 2], x, y, z, 0.0, options[OPT_CONTACT_REACH], MASK_SOLID)
            ray[7] = state[TIME]
            if occluded(scene.top, ray):
                left = 1.0 - options[OPT_CONTACT]
                vr, vg, vb = left * vr, left * vg, left * vb
        vr, vg, vb = 1.0 - share * (1.0 - vr), 1.0 - share * (1.0 - vg), 1.0 - share * (1.0 - vb)
        out[PLANE_UNSHADOWED] += r
        out[PLANE_UNSHADOWED + 1] += g
        out[PLANE_UNSHADOWED + 2] += b
        out[PLANE_LIT] += r * vr
        out[PLANE_LIT + 1] += g * vg
        out[PLANE_LIT + 2] += b * vb
        return
    if options[OPT_PASSES] > 0.0 and shadow[S_FIRST] > 0.0:
        out[PLANE_SHADOW_ALL] += luminance(r, g, b)
        out[PLANE_SHADOW_LIT] += luminance(r * vr, g * vg, b * vb)
    add_light(
        options, out, state, int(shadow[S_PLANE]), shadow[S_GROUP], r * vr, g * vg, b * vb,
        shadow[S_MATT] * vr, shadow[S_MATT + 1] * vg, shadow[S_MATT + 2] * vb,
    )  # fmt: skip


@entry
def trace_tile(scene, camera, options, film, mattes, done, goal, x0, y0, x1, y1, width, height, step, count, stop, record, recorded, coherent):
    """Add up to `count` samples to every `step`-th pixel of a tile that has not reached its goal.

    scene : `SceneBlock.words`. camera : (times, CAM_COLUMNS) rows over the shutter. film : (h, w, planes) float32 sums, one cell for each traced
    pixel; the frame is `width` x `height` pixels. mattes : (h, w, 2, MATTE_SLOTS, 2) float32 numbers and counts of parts and of materials, or empty.
    done, goal : (h, w) int32 samples of each pixel, taken and wanted; `done` grows. `stop` (1,) int32 ends the work within a wave when it
    becomes 1. Returns the number of samples taken.
    """
    # the materials' rows, and as many again as they are seen from afar
    near = scene_at(scene).materials
    kinds = len(near)
    material_block = np.zeros((2 * kinds, o.COLUMNS))
    scene_words = scene.copy()
    scene_words[MATERIALS_AT], scene_words[MATERIALS_AT + 1] = address(material_block), np.uint64(2 * kinds)
    scene = scene_at(scene_words)
    for k in range(kinds):
        for c in range(o.COLUMNS):
            scene.materials[k, c] = near[k, c]
    register_block = np.zeros((REGISTER_ROWS, 4))
    registers = borrowed(register_block)
    see_from_afar(scene, registers, scene.materials[:kinds], scene.materials[kinds:])
    camera, options, film, mattes = borrowed(camera), borrowed(options), borrowed(film), borrowed(mattes)
    record, recorded, stop, done, goal = borrowed(record), borrowed(recorded), borrowed(stop), borrowed(done), borrowed(goal)
    # the blocks own their memory to the end of the tile; all else looks at it without counting
    ray_block = np.zeros(RAY_WORDS, np.float32)
    packet_block = np.zeros(WAVE // PACKET * PACKET_BLOCK + PACKET_SLACK, np.float32)
    aligned = packet_in(packet_block).reshape(WAVE // PACKET, PACKET_BLOCK)
    state_block = np.zeros((WAVE, NUMBERS), np.float64)
    whole_block = np.zeros((WAVE, WHOLES), np.int64)
    shadow_block = np.zeros((WAVE, SHADOWS), np.float64)
    media_block = np.zeros((2 * WAVE, MEDIA), np.int64)  # stacks of the paths, then of their shadow rays
    sums_block = np.zeros((WAVE, film.shape[2]), np.float64)
    seed_block = np.zeros(WAVE, np.uint32)
    index_block = np.zeros(WAVE, np.uint32)
    place_block = np.zeros((WAVE, 2), np.int64)
    going_block = np.zeros(WAVE, np.int64)
    drawn_block = np.zeros((10, WAVE), np.uint32)
    own_block = np.zeros((2, o.COLUMNS))  # of the surface met, and of a glowing part whose nodes are run for a light sample
    moment_block = np.zeros(CAM_COLUMNS)
    no_matte_block = np.zeros((1, MATTE_SLOTS, 2), np.float32)
    drawn = borrowed(drawn_block)
    media = borrowed(media_block)
    wave = looked_at(Wave(
        borrowed(state_block), borrowed(whole_block), borrowed(shadow_block), media, borrowed(sums_block), borrowed(seed_block),
        borrowed(index_block), borrowed(place_block), borrowed(going_block), drawn[8], drawn[9],
        drawn[0], drawn[1], drawn[2], drawn[3], drawn[4], drawn[5], drawn[6], drawn[7],
        borrowed(aligned), borrowed(aligned.view(np.uint32)), borrowed(ray_block), borrowed(ray_block.view(np.uint32)),
    ))  # fmt: skip
    own, moment, no_matte = borrowed(own_block), borrowed(moment_block), borrowed(no_matte_block)
    perspective = camera[0, CAM_PROJECTION] == PERSPECTIVE
    lamp_mask = int(options[OPT_LAMP_MASK])
    frame = Frame(
        width, height, step, 2.0 * camera[0, CAM_TAN_W] * step / width if perspective else 1e-3,
        EVEN_STEPS if options[OPT_PLAIN] > 0.0 else 0,  # the plain estimator draws plain random numbers
        MASK_EYE | lamp_mask, MASK_SOLID | MASK_CLEAR | MASK_BOUNCE | lamp_mask,
        options[OPT_SHUTTER_CLOSE] > options[OPT_SHUTTER_OPEN], len(camera) == 1, np.uint64(options[OPT_SEED]) * np.uint64(0x9E3779B97F4A7C15),
    )  # fmt: skip
    by_map = len(scene.portals) == 0 and options[OPT_PLAIN] == 0.0 and options[OPT_DOME_RADIUS] == 0.0
    with_mattes = mattes.shape[0] > 0
    camera_at(camera, 0.0, moment)
    wanted = 0
    for row in range(y0, y1):
        for column in range(x0, x1):
            wanted += max(0, min(count, goal[row, column] - done[row, column]))
    work_block = np.zeros((max(1, wanted), 3), np.int32)
    work = borrowed(work_block)
    list_work(work, done, goal, x0, y0, x1, y1, count)
    taken = 0
    while taken < wanted and stop[0] == 0:
        lanes = min(WAVE, wanted - taken)
        set_out(wave, frame, camera, moment, work, taken, lanes)
        taken += lanes
        if record.shape[0] > 0:
            for lane in range(lanes):
                set_path_ray(wave, lane, frame.mask_seen)
                note_ray(wave.ray, wave.words, record, recorded, 0)
        for k in range((lanes + PACKET - 1) // PACKET):
            intersect_packet(scene.top, wave.packet[k], coherent)
        alive = lanes
        vertex = frame.first_step
        while alive > 0:
            meet(scene, options, wave, frame, alive, vertex == frame.first_step, record, recorded)
            draw_numbers(scene, options, wave, alive, vertex, frame.first_step)
            vertex += 1
            if by_map:
                aim_at_dome(scene, options, wave.states, wave.wholes, wave.going, alive)
            # each path takes its turn
            for k in range(alive):
                lane = wave.going[k]
                wave.shadows[lane, S_WAITING] = 0.0
                take_hit(wave, lane)
                matte = no_matte
                if with_mattes:
                    matte = mattes[wave.places[lane, 0], wave.places[lane, 1]]
                advance(
                    scene, options, wave.ray, wave.words, wave.states[lane], wave.wholes[lane], media[lane], media[WAVE + lane], wave.shadows[lane],
                    wave.sums[lane], matte, with_mattes, np.int64(wave.indices[lane]), own[0], own[1], registers,
                )  # fmt: skip
            left = 0
            for k in range(alive):
                lane = wave.going[k]
                if wave.shadows[lane, S_WAITING] > 0.0:
                    _trace_shadow(
                        scene, options, wave.ray, wave.words, wave.states[lane], media[WAVE + lane], wave.shadows[lane], wave.sums[lane], record,
                        recorded, own[0], registers,
                    )  # fmt: skip
                if wave.wholes[lane, ALIVE] > 0:
                    wave.going[left] = lane
                    left += 1
            alive = left
        keep_samples(wave, lanes, film, done)
    # never so: keeps the blocks alive to the end
    kept = address(ray_block) + address(packet_block) + address(sums_block) + address(state_block) + address(shadow_block) + address(moment_block)
    kept += address(media_block) + address(whole_block) + address(place_block) + address(going_block) + address(index_block) + address(seed_block)
    kept += address(drawn_block) + address(work_block) + address(own_block) + address(register_block) + address(no_matte_block)
    return taken if kept + address(material_block) + address(scene_words) != 0 else -1
