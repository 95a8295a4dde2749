"""Reflectance of a surface under a film as thin as a wavelength of light, as a table against the cosine.

The exact Airy sum of all reflections within the film, both polarisations, integrated over the visible spectrum into linear
ACEScg. Since a material's film is the same everywhere, the sum is worked out once per material and not for each ray.

References: Born & Wolf, "Principles of Optics", 7.6 (Airy) and 14.4 (film on metal); Gulbrandsen 2014, "Artist friendly metallic
Fresnel" (complex index from two colours).
"""

import functools

import numpy as np

from aulmo.surface import spectrum
from aulmo.trace.compile.arrays import FILM_STEPS

_NM = np.linspace(spectrum.SHORTEST + 2.5, spectrum.LONGEST - 2.5, 60)


def _amplitudes(n1, n2, cos1, cos2):
    """Fresnel amplitude reflectances (s, p) of one boundary; complex indices and cosines allowed."""
    return (n1 * cos1 - n2 * cos2) / (n1 * cos1 + n2 * cos2), (n2 * cos1 - n1 * cos2) / (n2 * cos1 + n1 * cos2)


def airy(cosine, nm, film_nm, outside, film, below) -> np.ndarray:
    """Unpolarised reflectance of a film of thickness `film_nm` between media of index `outside` and `below`.

    Parameters broadcast; `below` may be complex (n + ik). `cosine` is that of the angle outside.
    """
    cosine = np.asarray(cosine, complex)
    sine2 = (outside * outside) * (1 - cosine * cosine)
    cos_film = np.sqrt(1 - sine2 / (film * film + 0j))
    cos_below = np.sqrt(1 - sine2 / (below * below + 0j))
    # absorbing media: the root whose wave dies away from the surface
    cos_below = np.where((below * cos_below).imag < 0, -cos_below, cos_below)
    phase = np.exp(4j * np.pi * film * film_nm * cos_film / nm)
    total = 0.0
    for top, bottom in zip(_amplitudes(outside, film, cosine, cos_film), _amplitudes(film, below, cos_film, cos_below)):
        r = (top + bottom * phase) / (1 + top * bottom * phase)
        total = total + 0.5 * np.abs(r) ** 2
    return np.clip(total, 0.0, 1.0)


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
    return np.clip(per_wavelength @ spectrum.weights(_NM) / len(_NM), 0.0, 1.0)


@functools.lru_cache(maxsize=512)
def film_table(thickness_um: float, film_ior: float, base_ior: float, metal: tuple, edge: tuple) -> np.ndarray:
    """(6, FILM_STEPS + 1): red, green, blue of the film on a dielectric, then on a metal, against the cosine outside."""
    mu = np.maximum(np.arange(FILM_STEPS + 1) / FILM_STEPS, 1e-3)[:, None]
    film_nm = 1000.0 * thickness_um
    dielectric = _to_rgb(airy(mu, _NM, film_nm, 1.0, film_ior, base_ior))
    # the metal's index at red, green and blue, drawn through the spectrum
    at_rgb = complex_index(np.array(metal), np.array(edge))
    index = np.interp(_NM, (450.0, 540.0, 610.0), at_rgb[::-1])
    return np.concatenate([dielectric.T, _to_rgb(airy(mu, _NM, film_nm, 1.0, film_ior, index)).T])
