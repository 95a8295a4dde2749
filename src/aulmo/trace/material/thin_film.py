"""Reflectance of a surface under a film as thin as a wavelength of light, as a table against the cosine.

The exact Airy sum of all reflections within the film, both polarisations, integrated over the visible spectrum into linear
ACEScg. Since a material's film is the same everywhere, the sum is worked out once per material and not for each ray.

References: Born & Wolf, "Principles of Optics", 7.6 (Airy) and 14.4 (film on metal); Gulbrandsen 2014, "Artist friendly metallic
Fresnel" (complex index from two colours).
"""

import functools

import numpy as np

from aulmo.surface import spectrum
from aulmo.surface.oxide import NM, airy
from aulmo.trace.compile.arrays import FILM_STEPS


def complex_index(normal: np.ndarray, edge: np.ndarray) -> np.ndarray:
    """n + ik of a metal from its colour at normal incidence and near the edge (Gulbrandsen's mapping), each 0..1."""
    r = np.clip(normal, 0.0, 0.999)
    g = np.clip(edge, 0.0, 1.0)
    root = np.sqrt(r)
    n = g * (1 - r) / (1 + r) + (1 - g) * (1 + root) / (1 - root)
    k = np.sqrt(np.maximum(0.0, (r * (n + 1) ** 2 - (n - 1) ** 2) / (1 - r)))
    return n + 1j * k


def _to_rgb(per_wavelength: np.ndarray) -> np.ndarray:
    """(..., wavelengths) reflectance to (..., 3) ACEScg under white light."""
    return np.clip(per_wavelength @ spectrum.weights(NM) / len(NM), 0.0, 1.0)


@functools.lru_cache(maxsize=512)
def film_table(thickness_um: float, film_ior: float, base_ior: float, metal: tuple, edge: tuple) -> np.ndarray:
    """(6, FILM_STEPS + 1): red, green, blue of the film on a dielectric, then on a metal, against the cosine outside."""
    mu = np.maximum(np.arange(FILM_STEPS + 1) / FILM_STEPS, 1e-3)[:, None]
    film_nm = 1000.0 * thickness_um
    dielectric = _to_rgb(airy(mu, NM, film_nm, 1.0, film_ior, base_ior))
    # the metal's index at red, green and blue, drawn through the spectrum
    at_rgb = complex_index(np.array(metal), np.array(edge))
    index = np.interp(NM, (450.0, 540.0, 610.0), at_rgb[::-1])
    return np.concatenate([dielectric.T, _to_rgb(airy(mu, NM, film_nm, 1.0, film_ior, index)).T])
