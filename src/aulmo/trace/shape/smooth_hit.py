"""How a surface lies where a ray from Python has met it: softened edges, but no relief."""

from typing import NamedTuple

import numpy as np

from aulmo.trace.compile.jit import entry
from aulmo.trace.shape.surface_hit import hit_point


class Surfaces(NamedTuple):
    """The few of `arrays.SceneArrays` that tell how a surface lies, softened edges included."""

    points: np.ndarray
    triangles: np.ndarray
    vertex_start: np.ndarray
    triangle_start: np.ndarray
    matrices: np.ndarray
    normal_matrices: np.ndarray
    motion: np.ndarray
    instance_motion: np.ndarray
    soft_rows: np.ndarray
    soft_edges: np.ndarray
    soft_slots: np.ndarray
    soft_entries: np.ndarray
    instance_soft: np.ndarray


@entry
def smooth_hit(scene, ray, words, out):
    """Shading normal of a hit without relief."""
    _x, _y, _z, _gx, _gy, _gz, out[0], out[1], out[2], _qx, _qy, _qz = hit_point(scene, ray, words)
