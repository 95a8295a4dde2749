"""The light sample of a vertex: one light, chosen among candidates by what each would give if nothing stood in its way.

Talbot, Cline & Egbert 2005, "Importance resampling for global illumination"; weighed against the path's own way on by the balance
heuristic (Veach 1995). Its shadow ray waits until the whole wave has had its turn.
"""

import math
from typing import NamedTuple

import numpy as np

from aulmo.surface import columns as o
from aulmo.trace.compile.arrays import (
    DIRECT_DIFFUSE,
    DIRECT_TRANSMISSION,
    GROUP_ENVIRONMENT,
    GROUP_GLOW,
    INDIRECT_DIFFUSE,
    INDIRECT_TRANSMISSION,
    LAMP_GROUP,
    LAMP_KIND,
    LAMP_LED,
    LAMP_WHICH,
    MESH,
    OPT_CLAMP,
    OPT_DOME_RADIUS,
    OPT_ENV_CHANCE,
    OPT_ENV_SCALE,
    OPT_SHADOW,
    OPT_SHADOW_MIDDLE,
    OPT_SHADOW_SIZE,
    SUBSURFACE,
)
from aulmo.trace.compile.jit import inlined
from aulmo.trace.compile.units import run_program, sample_dome, sample_lamps, share_covered_in_world
from aulmo.trace.compile import units
from aulmo.trace.material.openpbr import evaluate_lobes
from aulmo.trace.lamp.lamps import picked_triangle
from aulmo.trace.lamp.dome import left_of_ground, luminance, map_radiance
from aulmo.trace.material.microfacet import henyey_greenstein
from aulmo.trace.path.path_state import (
    BOUNCE,
    BY_SURFACE,
    BY_TRANSMISSION,
    CANDIDATE,
    CANDIDATES,
    CARRIED,
    CHOOSER,
    C_DENSITY,
    C_MAP_U,
    C_MAP_V,
    C_PICK,
    C_TOWARD,
    C_U,
    C_V,
    DEPTH,
    EVENTS,
    IN_VOLUME,
    KIND,
    LIGHTS,
    MATT_SHARE,
    NOT_YET,
    ON_CATCHER,
    ON_SURFACE,
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
    lit_by,
)
from aulmo.trace.shape.visibility import enter


class Vertex(NamedTuple):
    """What is known where a path stands: world place, true and shading normal, offset onto the smooth surface, frame, the direction looked
    from in that frame, the direction of the path in the world."""

    mode: int
    instance: int
    place: tuple
    face: tuple
    normal: tuple
    smooth: tuple
    along: tuple
    across: tuple
    out: tuple
    way: tuple
    lift: float
    inside: bool
    clear: bool
    ratio: float
    phase: float
    odds: tuple
    aim: tuple


@inlined
def _response(scene, m, table, at, x, y, z, side):
    """What a vertex makes of light from a direction: red, green, blue, the density of finding it by the way on, and the matt part of the
    colour. `side` is the direction's height above the surface."""
    if at.mode == IN_VOLUME:
        p = henyey_greenstein(at.way[0] * x + at.way[1] * y + at.way[2] * z, at.phase)
        return p, p, p, p, 0.0, 0.0, 0.0
    if at.mode == ON_SURFACE:
        ix = at.along[0] * x + at.along[1] * y + at.along[2] * z
        iy = at.across[0] * x + at.across[1] * y + at.across[2] * z
        iz = at.normal[0] * x + at.normal[1] * y + at.normal[2] * z
        if iz * side > 0.0 and (iz > 0.0 or at.clear or m[o.THIN] > 0.0):
            return evaluate_lobes(m, table, scene.films, at.odds, at.out[0], at.out[1], at.out[2], ix, iy, iz, at.inside, at.ratio)
    elif side > 0.0:
        if at.mode == ON_CATCHER:
            return side, side, side, 0.0, 0.0, 0.0, 0.0
        p = side / math.pi
        return p, p, p, p, 0.0, 0.0, 0.0
    return 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0


@units.glow_led_by_nodes.made
def glow_led_by_nodes(scene, row, registers, lamp, pick, time, x, y, z, cosine):
    """Light (nits) of a glowing part at a point of it when nodes lead its glow or its opacity. `pick` chose the triangle."""
    instance = int(lamp[LAMP_LED]) - 1
    which = int(lamp[LAMP_WHICH])
    material = scene.materials[which]
    for c in range(o.COLUMNS):
        row[c] = material[c]
    _c, nx, ny, nz, _area, place = picked_triangle(scene, lamp, pick)
    triangle = np.int64(scene.emit_triangles[place])
    run_program(scene, registers, row, which, instance, triangle, time, 0.0, x, y, z, nx, ny, nz, cosine)
    q = row[o.OPACITY]
    if len(scene.decal_list) > 0 and scene.instance_decals[instance] >= 0:
        q *= 1.0 - share_covered_in_world(scene, registers, scene.instance_decals[instance], instance, time, x, y, z, nx, ny, nz)
    return row[o.EMISSION] * q, row[o.EMISSION + 1] * q, row[o.EMISSION + 2] * q


@inlined
def caught_share(options, px, py):
    """How strongly the floor's shadow counts at a place: less toward where it has faded. Never quite nothing."""
    share, size = options[OPT_SHADOW], options[OPT_SHADOW_SIZE]
    if size > 0.0:
        x, y = px - options[OPT_SHADOW_MIDDLE], py - options[OPT_SHADOW_MIDDLE + 1]
        s = min(1.0, max(0.0, 2.0 * math.sqrt(x * x + y * y) / size - 1.0))
        share *= 1.0 - s * s * (3.0 - 2.0 * s)
    return max(1e-9, share)


@inlined
def sample_lights(scene, options, state, whole, media, spare, shadow, m, table, glowing, registers, at):
    """Choose a light for the vertex `at` and let its shadow ray wait in `shadow`, with the solids it starts in in `spare`.

    m, table : the material's numbers and albedos. glowing : a spare row of numbers for light that nodes lead.
    """
    px, py, pz = at.place
    chooser = state[CHOOSER]
    candidates = whole[LIGHTS]
    total = bright = 0.0
    r = g = b = mr = mg = mb = 0.0
    wx = wy = wz = across = 0.0
    far = 1e30
    lamp_row = -1
    for k in range(candidates):
        c = CANDIDATES + CANDIDATE * k
        pick = state[c + C_PICK]
        shared, row = 1.0, -1
        if pick < options[OPT_ENV_CHANCE]:
            if len(scene.portals) == 0 and options[OPT_DOME_RADIUS] == 0.0:
                cx, cy, cz, density = state[c + C_TOWARD], state[c + C_TOWARD + 1], state[c + C_TOWARD + 2], state[c + C_DENSITY]
                u, v = state[c + C_MAP_U], state[c + C_MAP_V]
            else:
                cx, cy, cz, density, u, v = sample_dome(scene, options, px, py, pz, pick, state[c + C_U], state[c + C_V])
            lr, lg, lb = map_radiance(scene.env, u, v, options[OPT_ENV_SCALE] * left_of_ground(scene, cx, cy, cz))
            reach = 1e30
        else:
            cx, cy, cz, reach, lr, lg, lb, density, shared, row, cosine, within = sample_lamps(
                scene, options, px, py, pz, at.aim, pick, state[c + C_U], state[c + C_V], state[TIME]
            )
            if row >= 0 and scene.lamps[row, LAMP_LED] > 0.0:
                lr, lg, lb = glow_led_by_nodes(
                    scene, glowing, registers, scene.lamps[row], within, state[TIME], px + cx * reach, py + cy * reach, pz + cz * reach, cosine
                )
        if density <= 0.0 or (row >= 0 and at.mode != ON_CATCHER and not lit_by(scene, row, at.instance)):
            continue
        side = at.face[0] * cx + at.face[1] * cy + at.face[2] * cz
        fr, fg, fb, p, dr, dg, db = _response(scene, m, table, at, cx, cy, cz, side)
        w = 1.0 / (candidates * density + shared * p)
        lr, lg, lb = lr * w, lg * w, lb * w
        promise = abs(luminance(lr * fr, lg * fg, lb * fb))
        if promise > 0.0:
            total += promise
            q = promise / total
            if chooser < q:
                chooser /= q
                bright = promise
                r, g, b, mr, mg, mb = lr * fr, lg * fg, lb * fb, lr * dr, lg * dg, lb * db
                wx, wy, wz, far, across, lamp_row = cx, cy, cz, reach, side, row
            else:
                chooser = (chooser - q) / (1.0 - q)
    if not total > 0.0:
        return
    w = total / bright
    r, g, b, mr, mg, mb = r * w, g * w, b * w, mr * w, mg * w, mb * w
    lift = at.lift if across > 0.0 else -at.lift
    smooth = 1.0 if across > 0.0 and at.mode == ON_SURFACE else 0.0
    shadow[S_WAITING] = 1.0
    shadow[S_FROM] = px + at.face[0] * lift + at.smooth[0] * smooth
    shadow[S_FROM + 1] = py + at.face[1] * lift + at.smooth[1] * smooth
    shadow[S_FROM + 2] = pz + at.face[2] * lift + at.smooth[2] * smooth
    shadow[S_TOWARD], shadow[S_TOWARD + 1], shadow[S_TOWARD + 2] = wx, wy, wz
    shadow[S_FAR] = far * 0.9999
    shadow[S_CATCH] = 0.0
    if at.mode == ON_CATCHER:
        shadow[S_CATCH] = caught_share(options, px, py) if scene.instance_part[at.instance] == -1 else 2.0  # of parts all of it
    n = whole[DEPTH]
    for j in range(n):
        spare[j] = media[j]
    if at.clear and across < 0.0 and m[o.THIN] == 0.0:
        n = enter(spare, n, at.instance)
    shadow[S_DEPTH] = n
    shadow[S_GROUP] = GROUP_ENVIRONMENT if lamp_row < 0 else scene.lamps[lamp_row, LAMP_GROUP]
    if lamp_row >= 0 and int(scene.lamps[lamp_row, LAMP_KIND]) == MESH:
        shadow[S_GROUP] = GROUP_GLOW
    shadow[S_FIRST] = 1.0 if whole[EVENTS] == 0 and at.mode == ON_SURFACE else 0.0
    if at.mode != ON_CATCHER:
        tr, tg, tb = state[CARRIED], state[CARRIED + 1], state[CARRIED + 2]
        r, g, b = tr * r, tg * g, tb * b
        mr, mg, mb = tr * mr, tg * mg, tb * mb
    kind = whole[KIND]
    plane = DIRECT_DIFFUSE
    if kind == NOT_YET:
        if at.mode == IN_VOLUME or across < 0.0:
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
