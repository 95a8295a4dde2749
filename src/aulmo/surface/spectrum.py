"""Wavelengths and colours: what a monochromatic light looks like, and glass whose index changes with colour.

References: Wyman, Sloan & Shirley 2013, "Simple analytic approximations to the CIE XYZ color matching functions" (their
multi-lobe fit); Cauchy's two-term formula with the Abbe number V = (n_d - 1) / (n_F - n_C).
"""

import numpy as np

from aulmo.surface.colour import XYZ_D65_TO_ACESCG

SHORTEST, LONGEST = 400.0, 700.0  # nm
LINE_F, LINE_D, LINE_C = 486.13, 587.56, 656.27  # nm


def colour_matching(nm) -> np.ndarray:
    """CIE 1931 x, y, z bar of wavelengths in nm, (..., 3)."""
    nm = np.asarray(nm, float)

    def lobe(centre: float, low: float, high: float) -> np.ndarray:
        t = (nm - centre) * np.where(nm < centre, low, high)
        return np.exp(-0.5 * t * t)

    x = 1.056 * lobe(599.8, 0.0264, 0.0323) + 0.362 * lobe(442.0, 0.0624, 0.0374) - 0.065 * lobe(501.1, 0.0490, 0.0382)
    y = 0.821 * lobe(568.8, 0.0213, 0.0247) + 0.286 * lobe(530.9, 0.0613, 0.0322)
    z = 1.217 * lobe(437.0, 0.0845, 0.0278) + 0.681 * lobe(459.0, 0.0385, 0.0725)
    return np.stack([x, y, z], -1)


_GRID = SHORTEST + (np.arange(256) + 0.5) * (LONGEST - SHORTEST) / 256
_MEAN = (colour_matching(_GRID) @ XYZ_D65_TO_ACESCG.T).mean(0)


def weights(nm) -> np.ndarray:
    """(..., 3) ACEScg weights of wavelengths whose mean over 400 to 700 nm is one in every channel: all together are white."""
    return colour_matching(nm) @ XYZ_D65_TO_ACESCG.T / _MEAN


def cauchy_b(ior: float, abbe: float) -> float:
    """Cauchy's second coefficient in nm^2 of a glass with index `ior` at the d line and Abbe number `abbe`."""
    return (ior - 1.0) / (abbe * (LINE_F**-2 - LINE_C**-2))
