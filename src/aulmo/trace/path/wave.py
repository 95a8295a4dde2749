"""A wave of paths: setting out from the camera, meeting the scene, drawing numbers, giving what they gathered to the film."""

from typing import NamedTuple

import numpy as np

from aulmo.trace.path.ahead import draw_candidates
from aulmo.trace.compile.arrays import (
    PLANE_ALPHA,
    PLANE_COUNT,
    PLANE_SQUARE,
)
from aulmo.trace.shape.embree import (
    MASK_CLEAR,
    MASK_SOLID,
    NO_HIT,
    PACKET,
    intersect,
    set_packet_ray,
    set_ray,
    take_from_packet,
)
from aulmo.trace.compile.jit import inlined
from aulmo.trace.compile.units import camera_ray
from aulmo.trace.path.lens import begins, camera_at, tent
from aulmo.trace.lamp.dome import fetch_map_soon, map_place
from aulmo.trace.path.path_state import (
    ALIVE,
    BARY,
    BELOW,
    CANDIDATES,
    DEPTH,
    DIRECTION,
    EVEN_STEPS,
    HEIGHT,
    INSTANCE,
    LAST,
    LAST_INSTANCE,
    LIGHTS,
    MAP_U,
    MAP_V,
    NG,
    ORIGIN,
    PRIMITIVE,
    SEED,
    SEEN,
    SIDE,
    SPREAD,
    STEP,
    SUM,
    TIME,
    TURNED,
    T_FAR,
    WAY,
    WHOLES,
    carry,
    go,
)
from aulmo.trace.path.sampling import draw_joint, draw_wave, hash32, unit
from aulmo.trace.shape.surface_hit import fetch_corners_soon, fetch_triangle_soon
from aulmo.trace.shape.visibility import FAR, note_ray


WAVE = 64  # paths that advance together; by turns with 16 the hut's share is a tenth higher and the lantern's the same


class Wave(NamedTuple):
    """The paths that advance together: their numbers (see `path_state`), the rays of the packets they set out with and the ray that
    is met with the scene, the solids they are in and then those their shadow rays start in, light gathered, pixels, which of them still
    go on, and what those drew."""

    states: np.ndarray
    wholes: np.ndarray
    shadows: np.ndarray
    media: np.ndarray
    sums: np.ndarray
    seeds: np.ndarray
    indices: np.ndarray
    places: np.ndarray
    going: np.ndarray
    going_seeds: np.ndarray
    going_indices: np.ndarray
    side_u: np.ndarray
    light_p: np.ndarray
    way_u: np.ndarray
    way_v: np.ndarray
    light_u: np.ndarray
    light_v: np.ndarray
    first_u: np.ndarray
    first_v: np.ndarray
    packet: np.ndarray
    packet_words: np.ndarray
    ray: np.ndarray
    words: np.ndarray


class Frame(NamedTuple):
    """What holds for every path of a tile: pixels of the frame and how many lie between traced ones, the width of a pixel at 1 mm, the
    first of the vertices that draw evenly, which bodies a ray may meet while the camera looks straight and later, the seed."""

    width: int
    height: int
    step: int
    pixel: float
    first_step: int
    mask_seen: int
    mask_on: int
    lasting: bool
    still: bool
    seed: int


@inlined
def list_work(work, done, goal, x0, y0, x1, y1, count):
    """List (row, column, sample) of what a tile is to take, neighbouring pixels side by side, so that a wave's rays stay together."""
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


@inlined
def set_out(wave, frame, camera, moment, work, taken, lanes):
    """Let a wave's paths start at the camera, one for each of the next `lanes` pieces of work; lanes beyond repeat the last one."""
    for lane in range(lanes):
        for c in range(wave.sums.shape[1]):
            wave.sums[lane, c] = 0.0
    step = frame.step
    whole_packets = (lanes + PACKET - 1) // PACKET * PACKET
    for lane in range(whole_packets):
        item = taken + min(lane, lanes - 1)
        row, column = np.int64(work[item, 0]), np.int64(work[item, 1])
        where = hash32(np.uint64(column * step) + np.uint64(65536) * np.uint64(row * step) ^ (frame.seed >> np.uint64(32)))
        wave.seeds[lane] = np.uint32(where << np.uint32(16))
        wave.indices[lane] = np.uint32(work[item, 2])
        wave.places[lane, 0], wave.places[lane, 1] = row, column
    even = frame.first_step == 0
    if even:
        draw_joint(wave.indices, wave.seeds, 0, whole_packets, wave.side_u, wave.light_p)
        draw_joint(wave.indices, wave.seeds, 1, whole_packets, wave.first_u, wave.first_v)
    else:
        draw_wave(wave.indices, wave.seeds, np.uint32(0), False, whole_packets, wave.side_u, wave.light_p)
        draw_wave(wave.indices, wave.seeds, np.uint32(2), False, whole_packets, wave.first_u, wave.first_v)
    draw_wave(wave.indices, wave.seeds, np.uint32(1), even, whole_packets, wave.light_u, wave.light_v)
    if frame.lasting:
        draw_wave(wave.indices, wave.seeds, np.uint32(3), even, whole_packets, wave.way_u, wave.way_v)
    for lane in range(whole_packets):
        px = (wave.places[lane, 1] + 0.5) * step + tent(unit(wave.side_u[lane])) * step
        py = (wave.places[lane, 0] + 0.5) * step + tent(unit(wave.light_p[lane])) * step
        state, whole = wave.states[lane], wave.wholes[lane]
        for c in range(CANDIDATES):
            state[c] = 0.0
        for c in range(WHOLES):
            whole[c] = 0
        state[HEIGHT] = 1.0 - 2.0 * py / frame.height
        if frame.lasting:
            state[TIME] = unit(wave.way_u[lane])
        if not frame.still:
            camera_at(camera, state[TIME], moment)
        across = 2.0 * px / frame.width - 1.0
        x, y, z, dx, dy, dz = camera_ray(moment, across, state[HEIGHT], unit(wave.light_u[lane]), unit(wave.light_v[lane]))
        block, k = wave.packet[lane // PACKET], lane % PACKET
        set_packet_ray(block, wave.packet_words[lane // PACKET], k, x, y, z, dx, dy, dz, frame.mask_seen)
        block[7 * PACKET + k] = state[TIME]
        go(state, x, y, z, dx, dy, dz)
        carry(state, 1.0, 1.0, 1.0)
        near = begins(moment, dx, dy, dz)
        state[LAST], state[LAST + 1], state[LAST + 2] = x - near * dx, y - near * dy, z - near * dz
        state[SPREAD] = frame.pixel
        whole[SEED] = np.int64(wave.seeds[lane])
        whole[SEEN] = 1
        whole[LAST_INSTANCE] = -1
        whole[STEP] = frame.first_step
        whole[ALIVE] = 1 if lane < lanes else 0
        wave.going[lane] = lane
        if lane < lanes:
            wave.sums[lane, PLANE_ALPHA] += 1.0
            wave.sums[lane, PLANE_COUNT] += 1.0


@inlined
def set_path_ray(wave, lane, mask):
    """Lay a path's next ray ready."""
    state = wave.states[lane]
    set_ray(
        wave.ray, wave.words, state[ORIGIN], state[ORIGIN + 1], state[ORIGIN + 2], state[DIRECTION], state[DIRECTION + 1],
        state[DIRECTION + 2], 0.0, FAR, mask,
    )  # fmt: skip
    wave.ray[7] = state[TIME]


@inlined
def meet(scene, options, wave, frame, alive, coming, record, recorded):
    """Meet all rays with the scene and ask for the memory that what they met will need. The packets' rays have been met already."""
    ray, words = wave.ray, wave.words
    for k in range(alive):
        lane = wave.going[k]
        whole = wave.wholes[lane]
        state = wave.states[lane]
        if coming:
            take_from_packet(wave.packet[lane // PACKET], wave.packet_words[lane // PACKET], lane % PACKET, ray, words)
        else:
            mask = frame.mask_seen if whole[SEEN] > 0 else frame.mask_on
            if whole[BELOW] > 0:
                mask = MASK_SOLID | MASK_CLEAR
            set_path_ray(wave, lane, mask)
            note_ray(ray, words, record, recorded, 0)
            intersect(scene.top, ray)
        state[T_FAR] = ray[8]
        state[NG], state[NG + 1], state[NG + 2] = ray[12], ray[13], ray[14]
        state[BARY], state[BARY + 1] = ray[15], ray[16]
        if words[17] == NO_HIT:
            whole[INSTANCE] = -1
            if whole[SEEN] == 0:
                x, y, z = state[ORIGIN], state[ORIGIN + 1], state[ORIGIN + 2]
                u, v = map_place(scene, options, x, y, z, state[DIRECTION], state[DIRECTION + 1], state[DIRECTION + 2])
                state[MAP_U], state[MAP_V] = u, v
                fetch_map_soon(scene.env, u, v)
        else:
            whole[PRIMITIVE] = np.int64(words[17])
            whole[INSTANCE] = np.int64(words[19])
            fetch_triangle_soon(scene, whole[INSTANCE], whole[PRIMITIVE])


@inlined
def draw_numbers(scene, options, wave, alive, vertex, first_step):
    """Draw the numbers that all paths need at their `vertex`-th vertex."""
    for k in range(alive):
        lane = wave.going[k]
        wave.going_seeds[k], wave.going_indices[k] = wave.seeds[lane], wave.indices[lane]
    offset = np.uint32(16 + 8 * vertex)
    seeds, indices, even = wave.going_seeds, wave.going_indices, vertex < EVEN_STEPS
    draw_wave(indices, seeds, offset + np.uint32(2), even, alive, wave.side_u, wave.light_p)
    if vertex > first_step:
        draw_wave(indices, seeds, offset + np.uint32(3), even, alive, wave.way_u, wave.way_v)
    draw_wave(indices, seeds, offset + np.uint32(1), even, alive, wave.light_u, wave.light_v)
    for k in range(alive):
        lane = wave.going[k]
        state, whole = wave.states[lane], wave.wholes[lane]
        whole[LIGHTS] = 0
        state[SIDE] = unit(wave.side_u[k])
        if whole[TURNED] == 0:
            state[WAY], state[WAY + 1] = unit(wave.first_u[lane]), unit(wave.first_v[lane])
        else:
            state[WAY], state[WAY + 1] = unit(wave.way_u[k]), unit(wave.way_v[k])
        if whole[INSTANCE] >= 0:
            fetch_corners_soon(scene, whole[INSTANCE], whole[PRIMITIVE])
        if whole[INSTANCE] >= 0 or whole[BELOW] + whole[DEPTH] > 0:
            draw_candidates(options, state, whole, np.int64(indices[k]), unit(wave.light_p[k]), unit(wave.light_u[k]), unit(wave.light_v[k]))


@inlined
def take_hit(wave, lane):
    """Put what a path's ray has met back where `advance` reads it."""
    state, whole, ray = wave.states[lane], wave.wholes[lane], wave.ray
    ray[7] = state[TIME]
    ray[8] = state[T_FAR]
    ray[12], ray[13], ray[14] = state[NG], state[NG + 1], state[NG + 2]
    ray[15], ray[16] = state[BARY], state[BARY + 1]
    if whole[INSTANCE] < 0:
        wave.words[17] = NO_HIT
    else:
        wave.words[17] = np.uint32(whole[PRIMITIVE])
        wave.words[19] = np.uint32(whole[INSTANCE])


@inlined
def keep_samples(wave, lanes, film, done):
    """Add what a wave has gathered to the film; a sample that is not a number or beyond all bounds is left out."""
    planes = film.shape[2]
    for lane in range(lanes):
        y = wave.states[lane, SUM]
        wave.sums[lane, PLANE_SQUARE] += y * y
        row, column = wave.places[lane, 0], wave.places[lane, 1]
        done[row, column] += 1
        for c in range(planes):
            value = wave.sums[lane, c]
            if value == value and abs(value) < 1e30:
                film[row, column, c] += np.float32(value)
