"""What the kernels are given: one named tuple of arrays for the scene, one row of numbers for camera and for options."""

from typing import NamedTuple

import numpy as np

# Camera row
CAM_ORIGIN, CAM_RIGHT, CAM_UP, CAM_FORWARD = 0, 3, 6, 9
CAM_TAN_W, CAM_TAN_H, CAM_SHIFT_X, CAM_SHIFT_Y = 12, 13, 14, 15
CAM_LENS_RADIUS, CAM_FOCUS, CAM_BLADES, CAM_BLADE_TURN = 16, 17, 18, 19
CAM_COLUMNS = 24

# Options row
OPT_BOUNCES, OPT_DIFFUSE_BOUNCES, OPT_STRAIGHT_GLASS, OPT_CLAMP = 0, 1, 2, 3
OPT_BACKDROP, OPT_BACKDROP_TOP, OPT_BACKDROP_BOTTOM = 4, 5, 8
OPT_ENV_CHANCE, OPT_ENV_SCALE, OPT_HAS_CLEAR, OPT_WHITE = 11, 12, 13, 14
OPT_EMIT_TOTAL, OPT_PLAIN, OPT_GRADIENT_SPAN = 15, 16, 17
OPT_CLEAR_BOX = 18  # low and high corner of all clear parts together
OPT_COLUMNS = 24

BACKDROP_ENVIRONMENT, BACKDROP_COLOUR, BACKDROP_GRADIENT, BACKDROP_TRANSPARENT = 0, 1, 2, 3

# Film planes
PLANE_RGB, PLANE_ALPHA, PLANE_SQUARE, PLANE_COUNT = 0, 3, 4, 5
PLANE_ALBEDO, PLANE_NORMAL, PLANE_CATCH, PLANE_LIT, PLANE_UNSHADOWED = 6, 9, 12, 15, 16
PLANES = 17


class SceneArrays(NamedTuple):
    """Everything a kernel reads. Lengths in millimetres, radiance in nits of linear ACEScg.

    top : uintp handle of the instance tree. points : (v, 6) float32, vertex and normal side by side so that one fetch brings both.
    triangles : (t, 3) uint32 local to their mesh.
    vertex_start, triangle_start : (i,) int64 per instance. matrices : (i, 3, 4). normal_matrices : (i, 3, 3).
    instance_material, instance_part : (i,) int32; part -1 catches shadow only.
    materials : (m, COLUMNS). albedos : (m, ALBEDOS, MU_STEPS + 1).
    env : (h, w, 3) float32; env_pick, env_alias : its alias table; env_turn : (3, 3) world to map.
    emit_corners : (e, 9) float32 world; emit_cumulative : (e,); emit_material : (e,) int32.
    """

    top: np.uintp
    points: np.ndarray
    triangles: np.ndarray
    vertex_start: np.ndarray
    triangle_start: np.ndarray
    matrices: np.ndarray
    normal_matrices: np.ndarray
    instance_material: np.ndarray
    instance_part: np.ndarray
    materials: np.ndarray
    albedos: np.ndarray
    env: np.ndarray
    env_pick: np.ndarray
    env_alias: np.ndarray
    env_turn: np.ndarray
    emit_corners: np.ndarray
    emit_cumulative: np.ndarray
    emit_material: np.ndarray
