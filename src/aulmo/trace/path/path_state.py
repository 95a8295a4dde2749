"""What a path remembers between its vertices, and the small steps that change it."""

from aulmo.trace.compile.arrays import LAMP_LINK, OPT_BOUNCES, OPT_DIFFUSE_BOUNCES
from aulmo.trace.compile.jit import inlined
from aulmo.trace.path.sampling import draw_2d, draw_quick


# What a path remembers between its vertices: numbers ...
ORIGIN, DIRECTION, CARRIED, LAST, DENSITY, MATT_SHARE = 0, 3, 6, 9, 15, 19
SUM, WAVELENGTH, TIME, HEIGHT, T_FAR, NG, BARY = 22, 23, 24, 25, 26, 27, 30
# where a ray that left the scene meets the map; how wide the path has become, mm, and how much wider it grows with every mm
MAP_U, MAP_V, WIDE, SPREAD = 32, 33, 34, 35
AIM, AIM_NUMBERS = 36, 9  # what the last surface made of light, as lamps are chosen for it
WANDER = AIM + AIM_NUMBERS  # albedos of a scattering below the surface the path went in through
# drawn beforehand, so that what they lead to in memory can be asked for: the side of a clear boundary, the way on from here, which candidate
# of the light sample is taken, and for each its light, the place on it and, toward the dome, direction, density and place on the map
SIDE = WANDER + 3
WAY, CHOOSER, CANDIDATES, CANDIDATE, MOST_CANDIDATES = SIDE + 1, SIDE + 3, SIDE + 4, 9, 8
C_PICK, C_U, C_V, C_TOWARD, C_DENSITY, C_MAP_U, C_MAP_V = 0, 1, 2, 3, 6, 7, 8
NUMBERS = CANDIDATES + CANDIDATE * MOST_CANDIDATES
# ... and whole numbers
ALIVE, SEEN, ROUGH, DEPTH, GUIDED, BOUNCE, MATT, SHINY, CLEAR_PASSES, SCATTERED = 0, 1, 2, 3, 4, 5, 6, 7, 8, 9
KIND, EVENTS, BELOW, BELOW_MATERIAL, LAST_INSTANCE, SEED, STEP, FIRST, PRIMITIVE, INSTANCE = 10, 11, 12, 13, 14, 15, 16, 17, 18, 19
LIGHTS = 20  # candidates of the light sample here
TURNED = 21  # whether the path has drawn its way on at a surface; polished glass leaves no choice
WHOLES = 22
# kinds of the first event on a path
NOT_YET, BY_SURFACE, BY_TRANSMISSION, BY_SUBSURFACE = 0, 1, 2, 3
# A light sample waiting for its shadow ray
S_WAITING, S_FROM, S_TOWARD, S_FAR, S_LIGHT, S_MATT, S_PLANE, S_GROUP, S_DEPTH, S_CATCH, S_FIRST = 0, 1, 4, 7, 8, 11, 14, 15, 16, 17, 18
SHADOWS = 20
ON_SURFACE, ON_LAMBERT, IN_VOLUME, ON_CATCHER = 0, 1, 2, 3
EVEN_STEPS = 5  # vertices that draw evenly spread points
MATTE_SLOTS = 6


@inlined
def draw_even(index, key, step):
    """Two numbers in [0, 1): evenly spread over a pixel's samples at the first vertices, hashed ones further on."""
    if step < EVEN_STEPS:
        return draw_2d(index, key)
    return draw_quick(index, key)


@inlined
def go(state, x, y, z, dx, dy, dz):
    """Let the path go on from a point along a direction."""
    state[ORIGIN], state[ORIGIN + 1], state[ORIGIN + 2] = x, y, z
    state[DIRECTION], state[DIRECTION + 1], state[DIRECTION + 2] = dx, dy, dz


@inlined
def carry(state, r, g, b):
    """What light met from here on is multiplied by."""
    state[CARRIED], state[CARRIED + 1], state[CARRIED + 2] = r, g, b


@inlined
def remember(state, whole, px, py, pz, aim, density, instance):
    """Keep what the weight of light met next will rest on."""
    state[LAST], state[LAST + 1], state[LAST + 2] = px, py, pz
    for k in range(AIM_NUMBERS):
        state[AIM + k] = aim[k]
    state[DENSITY] = density
    whole[LAST_INSTANCE] = instance


@inlined
def survives(state, whole, u, after, most):
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
def count_matt(options, state, whole, u):
    """One more matt bounce: ends the path when there have been enough."""
    whole[MATT] += 1
    whole[EVENTS] += 1
    whole[BOUNCE] += 1
    if whole[MATT] > options[OPT_DIFFUSE_BOUNCES] or whole[BOUNCE] > options[OPT_BOUNCES] or not survives(state, whole, u, 2, 0.98):
        whole[ALIVE] = 0


@inlined
def last_aim(state):
    """What the surface before made of light, as `remember` was told."""
    a = AIM
    return (
        state[a], state[a + 1], state[a + 2], state[a + 3], state[a + 4], state[a + 5], state[a + 6], state[a + 7], state[a + 8],
    )  # fmt: skip


@inlined
def lit_by(scene, which, instance):
    """Whether lamp row `which` lights an instance."""
    link = int(scene.lamps[which, LAMP_LINK])
    return link == 0 or instance < 0 or scene.links[link, instance] != 0
