"""SciPy's filters, brought in when they are first used: a window that only grades later starts sooner."""

from typing import Any

import numpy as np


def gaussian_filter(plane: np.ndarray, sigma: Any, **how: Any) -> np.ndarray:
    """As `scipy.ndimage.gaussian_filter`."""
    from scipy.ndimage import gaussian_filter as run

    return run(plane, sigma, **how)


def uniform_filter(plane: np.ndarray, size: int, **how: Any) -> np.ndarray:
    """As `scipy.ndimage.uniform_filter`."""
    from scipy.ndimage import uniform_filter as run

    return run(plane, size, **how)


def map_coordinates(plane: np.ndarray, places: Any, **how: Any) -> np.ndarray:
    """As `scipy.ndimage.map_coordinates`."""
    from scipy.ndimage import map_coordinates as run

    return run(plane, places, **how)
