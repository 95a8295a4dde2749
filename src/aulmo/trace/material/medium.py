"""The way through cloudy solids and below translucent surfaces: free flights and scatterings.

Reference: Chiang, Kutz & Burley 2016, "Practical and controllable subsurface scattering for production path tracing".
"""

import math

from aulmo.trace.compile.jit import inlined, kernel
from aulmo.trace.path.path_state import CARRIED, carry
from aulmo.trace.compile.quick_math import sine_cosine
from aulmo.trace.path.sampling import frame_about


@inlined
def flight(state, e_r, e_g, e_b, a_r, a_g, a_b, t, u, v):
    """Distance to the next scattering, or `t` when the path gets that far; the carried light is weighted accordingly.

    e is the extinction per mm, a the albedo of a scattering. The channel to draw by is chosen in proportion to what is carried (one-sample
    balance over the three channels).
    """
    r, g, b = abs(state[CARRIED]), abs(state[CARRIED + 1]), abs(state[CARRIED + 2])
    total = r + g + b
    if total <= 0.0:
        return t
    r, g, b = r / total, g / total, b / total
    e = e_r if u < r else e_g if u < r + g else e_b
    s = -math.log(1.0 - v) / e if e > 0.0 else 1e30
    far = s >= t
    if far:
        s = t
    x_r, x_g, x_b = math.exp(-e_r * s), math.exp(-e_g * s), math.exp(-e_b * s)
    if far:
        p = r * x_r + g * x_g + b * x_b
        if p <= 1e-30:
            state[CARRIED] = state[CARRIED + 1] = state[CARRIED + 2] = 0.0
            return t
        carry(state, state[CARRIED] * x_r / p, state[CARRIED + 1] * x_g / p, state[CARRIED + 2] * x_b / p)
        return t
    p = r * x_r * e_r + g * x_g * e_g + b * x_b * e_b
    if p <= 1e-30:
        state[CARRIED] = state[CARRIED + 1] = state[CARRIED + 2] = 0.0
        return s
    carry(
        state,
        state[CARRIED] * x_r * e_r * a_r / p,
        state[CARRIED + 1] * x_g * e_g * a_g / p,
        state[CARRIED + 2] * x_b * e_b * a_b / p,
    )
    return s


@kernel
def scattering_albedo(observed, g):
    """Albedo of one scattering that makes a deep body look as bright as `observed`.

    OpenPBR 1.1, subsurface: van de Hulst's approximation inverted, with the similarity relation for anisotropy `g`.
    """
    a = min(1.0, max(0.0, observed))
    s = 4.09712 + 4.20863 * a - math.sqrt(9.59217 + 41.6808 * a + 17.7126 * a * a)
    return min(1.0, max(0.0, (1.0 - s * s) / (1.0 - g * s * s)))


@inlined
def turned_aside(dx, dy, dz, cosine, turns):
    """A unit direction at an angle of given cosine to another, turned about it by a share of a full turn."""
    sine = math.sqrt(max(0.0, 1.0 - cosine * cosine))
    s, c = sine_cosine(turns)
    ax, ay, az, bx, by, bz = frame_about(dx, dy, dz)
    return (
        cosine * dx + sine * (c * ax + s * bx),
        cosine * dy + sine * (c * ay + s * by),
        cosine * dz + sine * (c * az + s * bz),
    )
