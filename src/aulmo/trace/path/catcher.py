"""What catches shadow: the backdrop is seen through it, darkened where light is kept away, and by choice it mirrors what stands on it."""

from aulmo.trace.compile.arrays import (
    BACKDROP_PHOTOGRAPH,
    CATCHES_REFLECTION,
    OPT_BACKDROP,
    OPT_PHOTO,
    PLANE_ALBEDO,
    PLANE_ALPHA,
    PLANE_CATCH,
    PLANE_CAUGHT,
    PLANE_NORMAL,
)
from aulmo.trace.compile.units import photo_light
from aulmo.trace.compile import units
from aulmo.trace.lamp.dome import luminance
from aulmo.surface import columns as o
from aulmo.trace.material.microfacet import fresnel_dielectric, sample_visible_normal, smith_lambda
from aulmo.trace.path.gather import note_matte, whole_backdrop
from aulmo.trace.path.path_state import (
    BY_SURFACE,
    DIRECTION,
    EVENTS,
    FIRST,
    GUIDED,
    HEIGHT,
    KIND,
    LAST_INSTANCE,
    MATT_SHARE,
    ORIGIN,
    ROUGH,
    SEEN,
    SHINY,
    SIDE,
    TIME,
    WAY,
    carry,
    go,
)
from aulmo.trace.path.sampling import frame_about
from aulmo.trace.shape.embree import MASK_CLEAR, MASK_SOLID, occluded, set_ray

FAR = 1e30


@units.mirrors.made
def mirrors(scene, ray, words, state, whole, m, instance, px, py, pz, nx, ny, nz, lift, tr, tg, tb):
    """Whether a catcher's path goes on as a reflection: by the chance of its coat's or its own mirror, and only where that meets something.

    What is not there to be mirrored is in the backdrop's own picture already. nx..nz : normal turned to where the path comes from.
    """
    if scene.instance_catch[instance] < CATCHES_REFLECTION:
        return False
    dx, dy, dz = state[DIRECTION], state[DIRECTION + 1], state[DIRECTION + 2]
    ax, ay, az, bx, by, bz = frame_about(nx, ny, nz)
    ox, oy, oz = -(ax * dx + ay * dy + az * dz), -(bx * dx + by * dy + bz * dz), max(1e-4, -(nx * dx + ny * dy + nz * dz))
    coated = m[o.COAT] > 0.5
    alpha = max(1e-4, m[o.COAT_ALPHA] if coated else 0.5 * (m[o.ALPHA_X] + m[o.ALPHA_Y]))
    hx, hy, hz = sample_visible_normal(ox, oy, oz, alpha, alpha, state[WAY], state[WAY + 1])
    c = ox * hx + oy * hy + oz * hz
    f, _ = fresnel_dielectric(c, m[o.COAT_IOR] if coated else m[o.ETA])
    metal = 0.0 if coated else m[o.METALNESS]
    edge = (1.0 - min(1.0, max(0.0, c))) ** 5
    r = (1.0 - metal) * f + metal * (m[o.METAL_F0] + (1.0 - m[o.METAL_F0]) * edge)
    g = (1.0 - metal) * f + metal * (m[o.METAL_F0 + 1] + (1.0 - m[o.METAL_F0 + 1]) * edge)
    b = (1.0 - metal) * f + metal * (m[o.METAL_F0 + 2] + (1.0 - m[o.METAL_F0 + 2]) * edge)
    q = min(1.0, luminance(r, g, b))
    if not state[SIDE] < q:
        return False
    ix, iy, iz = 2.0 * c * hx - ox, 2.0 * c * hy - oy, 2.0 * c * hz - oz
    if iz <= 0.0:
        return False
    # shadowing of the way out, given the way in (Heitz 2014, "Understanding the masking-shadowing function")
    before = smith_lambda(ox, oy, oz, alpha, alpha)
    kept = (1.0 + before) / (1.0 + before + smith_lambda(ix, iy, iz, alpha, alpha))
    wx, wy, wz = ax * ix + bx * iy + nx * iz, ay * ix + by * iy + ny * iz, az * ix + bz * iy + nz * iz
    set_ray(ray, words, px + nx * lift, py + ny * lift, pz + nz * lift, wx, wy, wz, lift, FAR, MASK_SOLID | MASK_CLEAR)
    ray[7] = state[TIME]
    if not occluded(scene.top, ray):
        return False
    state[SIDE] /= q  # stretched out, it serves again
    carry(state, tr * r / q * kept, tg * g / q * kept, tb * b / q * kept)
    go(state, px + nx * lift, py + ny * lift, pz + nz * lift, wx, wy, wz)
    whole[FIRST] = 1  # what is mirrored is not the first surface of any pass
    whole[KIND] = BY_SURFACE
    for k in range(3):
        state[MATT_SHARE + k] = 0.0
    whole[ROUGH] = 0
    whole[SEEN] = 0
    whole[LAST_INSTANCE] = instance
    whole[SHINY] += 1
    whole[EVENTS] += 1
    return True


@units.let_through.made
def let_through(scene, options, state, whole, out, matte, with_mattes, number, which, px, py, pz, nx, ny, nz, tr, tg, tb):
    """The backdrop behind a catcher; the shadow that falls on it is told by the light sample that follows."""
    if options[OPT_BACKDROP] == BACKDROP_PHOTOGRAPH:
        if whole[EVENTS] == 0:  # laid under the finished picture, untouched
            out[PLANE_CAUGHT] += 1.0
            out[PLANE_ALPHA] -= 1.0
        else:  # what is seen there through glass is where the photograph has it
            c = OPT_PHOTO
            br, bg, bb, _inside = photo_light(scene.photo, options, px - options[c], py - options[c + 1], pz - options[c + 2])
            out[PLANE_CATCH] += tr * br
            out[PLANE_CATCH + 1] += tg * bg
            out[PLANE_CATCH + 2] += tb * bb
    else:
        dx, dy, dz = state[DIRECTION], state[DIRECTION + 1], state[DIRECTION + 2]
        br, bg, bb, opaque = whole_backdrop(
            scene, options, state[ORIGIN], state[ORIGIN + 1], state[ORIGIN + 2], dx, dy, dz, state[HEIGHT]
        )
        out[PLANE_CATCH] += tr * br
        out[PLANE_CATCH + 1] += tg * bg
        out[PLANE_CATCH + 2] += tb * bb
        out[PLANE_CAUGHT] += 1.0
        if opaque == 0.0:
            out[PLANE_ALPHA] -= min(1.0, luminance(tr, tg, tb))
    if whole[GUIDED] == 0:
        for c in range(3):
            out[PLANE_ALBEDO + c] += 0.5
        out[PLANE_NORMAL] += nx
        out[PLANE_NORMAL + 1] += ny
        out[PLANE_NORMAL + 2] += nz
    if with_mattes:
        note_matte(matte, 0, number)
        note_matte(matte, 1, which)
