"""Wavelengths and colours: what a monochromatic light looks like, glass whose index changes with colour.

References: Wyman, Sloan & Shirley 2013, "Simple analytic approximations to the CIE XYZ color matching functions" (their
multi-lobe fit); Cauchy's two-term formula with the Abbe number V = (n_d - 1) / (n_F - n_C).
"""

import math

import numpy as np

from aulmo.surface.colour import XYZ_D65_TO_ACESCG
from aulmo.trace.jit import inlined

SHORTEST, LONGEST = 400.0, 700.0  # nm
LINE_F, LINE_D, LINE_C = 486.13, 587.56, 656.27  # nm
_M = XYZ_D65_TO_ACESCG


@inlined
def _lobe(x, low, high):
    t = x * (low if x < 0.0 else high)
    return math.exp(-0.5 * t * t)


@inlined
def colour_matching(nm):
    """CIE 1931 x, y, z bar of a wavelength."""
    x = 1.056 * _lobe(nm - 599.8, 0.0264, 0.0323) + 0.362 * _lobe(nm - 442.0, 0.0624, 0.0374) - 0.065 * _lobe(nm - 501.1, 0.0490, 0.0382)
    y = 0.821 * _lobe(nm - 568.8, 0.0213, 0.0247) + 0.286 * _lobe(nm - 530.9, 0.0613, 0.0322)
    z = 1.217 * _lobe(nm - 437.0, 0.0845, 0.0278) + 0.681 * _lobe(nm - 459.0, 0.0385, 0.0725)
    return x, y, z


def _response(nm: np.ndarray) -> np.ndarray:
    """ACEScg response (n, 3) to monochromatic light, not yet normalised."""
    return np.array([colour_matching(float(v)) for v in nm]) @ _M.T


_STEPS = 256
_GRID = SHORTEST + (np.arange(_STEPS) + 0.5) * (LONGEST - SHORTEST) / _STEPS
_RAW = _response(_GRID)
_WEIGHTS = _RAW / _RAW.mean(0)  # white light stays white: every channel's mean is one


def weights(nm: np.ndarray) -> np.ndarray:
    """(n, 3) weights of wavelengths whose mean over 400 to 700 nm is one in every channel."""
    return _response(np.asarray(nm, float)) / _RAW.mean(0)


@inlined
def draw_wavelength(u):
    """A wavelength in nm for u in [0, 1) and what it multiplies red, green and blue by."""
    x = u * _STEPS
    i = min(_STEPS - 1, int(x))
    return SHORTEST + u * (LONGEST - SHORTEST), _WEIGHTS[i, 0], _WEIGHTS[i, 1], _WEIGHTS[i, 2]


def cauchy_b(ior: float, abbe: float) -> float:
    """Cauchy's second coefficient in nm^2 of a glass with index `ior` at the d line and Abbe number `abbe`."""
    return (ior - 1.0) / (abbe * (LINE_F**-2 - LINE_C**-2))


@inlined
def ior_at(ior, b, nm):
    """Index at a wavelength (nm): `ior` at the d line, Cauchy coefficient `b`."""
    return ior + b * (1.0 / (nm * nm) - 1.0 / (LINE_D * LINE_D))
