"""What a part wears at places of its surface, as a draft shows it: for pictures that other programs lay on it."""

import math

import numpy as np

from aulmo.trace.compile.entry import entry
from aulmo.trace.compile.scene_block import scene_at
from aulmo.trace.compile.units import as_drafted
from aulmo.surface import columns as o
from aulmo.surface.program import REGISTER_ROWS
from aulmo.trace.shape.surface_hit import material_at

B_METAL, B_ROUGH, B_OPACITY, B_CLEAR, BAKED = 3, 4, 5, 6, 7  # columns after the base colour, and how many there are


@entry
def shown_at(scene, instance, triangles, points, normals, wide, out):
    """Fill `out` (n, BAKED) float32 at places of an instance of a scene (`SceneBlock.words`): base colour (of what is clear, what it tints with),
    metalness, roughness, opacity, transmission. `triangles` (n,) of its mesh, `points` and `normals` (n, 3) in the world, `wide` the mm that a
    place stands for."""
    scene = scene_at(scene)
    registers, m = np.zeros((REGISTER_ROWS, 4)), np.zeros(o.COLUMNS)
    for k in range(len(triangles)):
        which = material_at(scene, instance, triangles[k])
        as_drafted(
            scene, registers, m, which, instance, triangles[k], points[k, 0], points[k, 1], points[k, 2], normals[k, 0], normals[k, 1], normals[k, 2],
            wide,
        )  # fmt: skip
        clear = m[o.TRANSMISSION]
        for c in range(3):
            out[k, c] = (1.0 - clear) * m[o.DIFFUSE + c] + clear * m[o.TINT + c]
        out[k, B_METAL] = m[o.METALNESS]
        out[k, B_ROUGH] = math.sqrt(math.sqrt(max(0.0, 0.5 * (m[o.ALPHA_X] * m[o.ALPHA_X] + m[o.ALPHA_Y] * m[o.ALPHA_Y]))))
        out[k, B_OPACITY] = m[o.OPACITY]
        out[k, B_CLEAR] = clear
