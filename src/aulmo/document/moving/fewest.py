"""The fewest of many samples that still tell of them all."""

import numpy as np


def fewest(times: np.ndarray, points: np.ndarray, reach: float) -> list[int]:
    """The fewest of samples (n, k) at some times between which even ways come within `reach` of all (Ramer 1972, Douglas and Peucker 1973)."""
    kept, waiting = {0, len(times) - 1}, [(0, len(times) - 1)]
    while waiting:
        low, high = waiting.pop()
        if high - low < 2:
            continue
        share = (times[low : high + 1] - times[low]) / (times[high] - times[low])
        off = np.abs(points[low : high + 1] - points[low] - share[:, None] * (points[high] - points[low])).max(1)
        k = int(off.argmax())
        if off[k] > reach:
            kept.add(low + k)
            waiting += [(low, low + k), (low + k, high)]
    return sorted(kept)
