"""A surface in fewer triangles."""

import numpy as np

from aulmo.prepare.health.skin import three_corners


def fewer_triangles(points: np.ndarray, cells: np.ndarray, most: int) -> tuple[np.ndarray, np.ndarray]:
    """Points (n, 3) and triangles (m, 3) of the same surface in not many more than `most` triangles (Garland and Heckbert 1997, by a library, in the
    precision of the points); those that are lines are left out. The same where there are no more, or nothing would be left."""
    import fast_simplification

    cells = cells[three_corners(cells)]
    if len(cells) <= most:
        return points, cells
    made, joined = fast_simplification.simplify(points, cells.astype(np.int32), target_count=most)
    return (np.asarray(made, float), np.asarray(joined, np.int64)) if len(joined) else (points, cells)
