"""How many samples each pixel needs for a noise target, told from a pilot whose samples are thrown away.

Deciding by samples that are thrown away keeps the mean of the picture free of the decision: a place that happened to look dark and calm is
not stopped for it.

For a fixed number of samples every pixel gets the same. Shares after Neyman 1934 (by each pixel's deviation over the root of its cost)
were tried: points that fill the square evenly do so in powers of two, noisy pixels also cost more, and in equal time the error as
displayed changed by -29 to +10 percent from scene to scene, by nothing on the whole.
"""

import numpy as np

from aulmo.trace.path.film import FLOOR, TOP, moments

NEAR, FAR = 5, 33  # pixels over which a pilot's few samples are taken together; a rare bright path counts over the wider one by half
FEWEST = 16


def _over(values: np.ndarray, size: int) -> np.ndarray:
    """Means over squares of pixels of values that are not below zero; the filter's running sums may round there."""
    from scipy.ndimage import uniform_filter  # half a second of the window's start when it stands above

    return np.maximum(0.0, uniform_filter(values, size, mode="nearest"))


def relative_variance(film: np.ndarray, white: float) -> np.ndarray:
    """(h, w) variance of one sample over the square of a pixel's brightness, from a film of two or more samples a pixel.

    Brightness is taken as `tile_noise` takes it. Smoothed over neighbours.
    """
    _, mean, variance = moments(film)
    near = _over(variance, NEAR) / (np.minimum(_over(mean, NEAR), TOP * white) + FLOOR * white) ** 2
    return np.maximum(near, 0.5 * _over(near, FAR))


def samples_for(film: np.ndarray, white: float, target: float, limit: int) -> np.ndarray:
    """(h, w) int32 samples of each pixel until its relative error is `target`, from `FEWEST` to `limit`; `film` is a pilot's."""
    return np.clip(np.ceil(1.1 * relative_variance(film, white) / target**2), FEWEST, limit).astype(np.int32)
