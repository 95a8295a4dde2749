"""One wavelength for a path, and the index of glass at it. Reference: Cauchy's two-term formula."""

import numpy as np

from aulmo.surface.spectrum import LINE_D, LONGEST, SHORTEST, weights
from aulmo.trace.compile.jit import inlined

_STEPS = 256
_WEIGHTS = weights(SHORTEST + (np.arange(_STEPS) + 0.5) * (LONGEST - SHORTEST) / _STEPS)


@inlined
def draw_wavelength(u):
    """A wavelength in nm for u in [0, 1) and what it multiplies red, green and blue by."""
    i = min(_STEPS - 1, int(u * _STEPS))
    return SHORTEST + u * (LONGEST - SHORTEST), _WEIGHTS[i, 0], _WEIGHTS[i, 1], _WEIGHTS[i, 2]


@inlined
def ior_at(ior, b, nm):
    """Index at a wavelength (nm): `ior` at the d line, Cauchy coefficient `b`."""
    return ior + b * (1.0 / (nm * nm) - 1.0 / (LINE_D * LINE_D))
