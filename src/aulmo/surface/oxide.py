"""The colours that steel takes in heat: light between the metal and the film of oxide that grows on it.

References: Born & Wolf, "Principles of Optics", 7.6 (Airy); Verein Deutscher Eisenhuettenleute, tables of temper colours (straw near 45 nm of oxide,
purple near 55 nm, blue near 65 nm).
"""

import functools

import numpy as np

from aulmo.surface import spectrum

NM = np.linspace(spectrum.SHORTEST + 2.5, spectrum.LONGEST - 2.5, 60)
THICKEST_NM = 160.0
STEPS = 64
_BARE = 0.3  # share of the grains that stay as good as bare: oxide grows unevenly, and its colours are never as deep as one film's
_OXIDE, _STEEL = 2.45, 2.75 + 3.2j  # indices of iron oxide and of steel in the middle of the spectrum


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


@functools.cache
def tint_table() -> np.ndarray:
    """(STEPS + 1, 3) ACEScg: by what oxide of 0 to THICKEST_NM nanometres multiplies the colour of bare steel."""
    thickness = np.linspace(0.0, THICKEST_NM, STEPS + 1)[:, None]
    seen = airy(1.0, NM, thickness, 1.0, _OXIDE, _STEEL) @ spectrum.weights(NM) / len(NM)
    return _BARE + (1.0 - _BARE) * np.maximum(seen / seen[0], 0.0)
