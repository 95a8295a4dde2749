"""Recorded rays through Embree alone: the benchmark's yardstick."""

import numpy as np

from aulmo.trace.shape.embree import NO_HIT, RAY_WORDS, intersect, occluded, set_ray
from aulmo.trace.compile.entry import entry


@entry
def replay(top, record, count):
    """Run recorded rays through Embree alone: the benchmark's yardstick."""
    ray = np.zeros(RAY_WORDS, np.float32)
    words = ray.view(np.uint32)
    hits = 0
    for k in range(count):
        set_ray(
            ray,
            words,
            record[k, 0],
            record[k, 1],
            record[k, 2],
            record[k, 4],
            record[k, 5],
            record[k, 6],
            record[k, 3],
            record[k, 8],
            np.uint32(record[k, 9]),
        )
        if record[k, 10] > 0.0:
            if occluded(top, ray):
                hits += 1
        else:
            intersect(top, ray)
            if words[17] != NO_HIT:
                hits += 1
    return hits
