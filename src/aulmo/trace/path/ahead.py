"""What a wave of paths draws before its paths take their turn, so that the memory it leads to can be asked for in time.

The dome is found in three rounds over the wave: the row of its table, the place in the row, the texels. Each round asks for what the next
one reads, so that the misses of sixteen paths are waited for together.
"""

import numpy as np

from aulmo.trace.compile.arrays import OPT_CANDIDATES, OPT_ENV_CHANCE, OPT_LATER_CANDIDATES
from aulmo.trace.compile.jit import inlined
from aulmo.trace.lamp.dome import env_in_row, env_row, fetch_cells_soon, fetch_guide_soon, fetch_map_soon
from aulmo.trace.path.path_state import (
    CANDIDATE,
    CANDIDATES,
    CHOOSER,
    C_DENSITY,
    C_MAP_U,
    C_MAP_V,
    C_PICK,
    C_TOWARD,
    C_U,
    C_V,
    LIGHTS,
    MATT,
    SEED,
    SHINY,
    STEP,
    draw_even,
)


@inlined
def draw_candidates(options, state, whole, index, p, u, v):
    """Draw which light, and the place on it, for every candidate of a path's light sample.

    (p, u, v) serve when there is but one; of several, p chooses the one that is taken.
    """
    digits = int(options[OPT_CANDIDATES if whole[MATT] + whole[SHINY] == 0 else OPT_LATER_CANDIDATES])
    whole[LIGHTS] = 1 << digits
    if digits == 0:
        state[CANDIDATES + C_PICK], state[CANDIDATES + C_U], state[CANDIDATES + C_V] = p, u, v
        return
    state[CHOOSER] = p
    step = whole[STEP]
    key = np.uint64(whole[SEED]) + np.uint64(16 + 8 * step)
    for k in range(1 << digits):
        c = CANDIDATES + CANDIDATE * k
        p, _q = draw_even((index << digits) + k, key + np.uint64(0x8000), step)
        u, v = draw_even((index << digits) + k, key + np.uint64(1), step)
        state[c + C_PICK], state[c + C_U], state[c + C_V] = p, u, v


@inlined
def _aims(states, wholes, lane, k, chance):
    """Whether a path has a k-th candidate, and that goes toward the dome."""
    return k < wholes[lane, LIGHTS] and states[lane, CANDIDATES + CANDIDATE * k + C_PICK] < chance


@inlined
def aim_at_dome(scene, options, states, wholes, going, alive):
    """Find direction, density and texels of every candidate that goes toward the dome by its map."""
    chance = options[OPT_ENV_CHANCE]
    if chance == 0.0:
        return
    # between the rounds the row waits in C_MAP_U, and how far down in it in C_DENSITY
    most = 0
    for i in range(alive):
        most = max(most, wholes[going[i], LIGHTS])
    for k in range(most):
        c = CANDIDATES + CANDIDATE * k
        for i in range(alive):
            lane = going[i]
            if _aims(states, wholes, lane, k, chance):
                state = states[lane]
                row, state[c + C_DENSITY] = env_row(scene.env_pick, scene.env_guide, state[c + C_U])
                state[c + C_MAP_U] = row
                fetch_guide_soon(scene.env_guide, row, state[c + C_V])
        for i in range(alive):
            lane = going[i]
            if _aims(states, wholes, lane, k, chance):
                fetch_cells_soon(scene.env_pick, scene.env_guide, np.int64(states[lane, c + C_MAP_U]), states[lane, c + C_V])
        for i in range(alive):
            lane = going[i]
            if _aims(states, wholes, lane, k, chance):
                state = states[lane]
                row = np.int64(state[c + C_MAP_U])
                x, y, z, density, u, v = env_in_row(scene.env_pick, scene.env_guide, scene.env_turn, row, state[c + C_DENSITY], state[c + C_V])
                state[c + C_TOWARD], state[c + C_TOWARD + 1], state[c + C_TOWARD + 2], state[c + C_DENSITY] = x, y, z, density * chance
                state[c + C_MAP_U], state[c + C_MAP_V] = u, v
                fetch_map_soon(scene.env, u, v)
