"""How one light lies over another. All is linear light in shares of white, (h, w, 3) float32; `share` (h, w, 1) is how much of the upper one
shows."""

from typing import Callable

import numpy as np

from aulmo.errors import BadValue


def _screen(a: np.ndarray, b: np.ndarray) -> np.ndarray:
    """1 - (1 - a)(1 - b) up to white; beyond it light simply adds to what is already there."""
    return a + b - np.minimum(a, 1) * np.minimum(b, 1)


def _soft(a: np.ndarray, b: np.ndarray) -> np.ndarray:
    """(1 - 2 b) a^2 + 2 a b (Pegtop's soft light, free of a seam at the middle) of what is up to white; what is over white stays so much over it."""
    low, b = np.minimum(a, 1), np.clip(b, 0, 1)
    return (1 - 2 * b) * low * low + 2 * low * b + (a - low)


BLENDS: dict[str, Callable[[np.ndarray, np.ndarray], np.ndarray]] = {
    "over": lambda a, b: b,
    "add": lambda a, b: a + b,
    "multiply": lambda a, b: a * b,
    "screen": _screen,
    "darken": np.minimum,
    "lighten": np.maximum,
    "soft light": _soft,
    "difference": lambda a, b: np.abs(a - b),
}


def blended(below: np.ndarray, above: np.ndarray, blend: str, share: np.ndarray | float) -> np.ndarray:
    """`above` laid over `below`. Where nothing of it shows, and for an "add" of nothing, `below` is kept to the bit. Raises BadValue."""
    if blend not in BLENDS:
        raise BadValue(f"There is no blend {blend}; there are {', '.join(BLENDS)}.")
    mixed = BLENDS[blend](below, above)
    if np.ndim(share) == 0 and share == 1:
        return mixed.astype(np.float32, copy=False)
    made = np.subtract(mixed, below, dtype=np.float32)
    made *= share
    made += below
    return made
