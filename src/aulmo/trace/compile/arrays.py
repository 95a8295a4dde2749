"""What the kernels are given: one named tuple of arrays for the scene, listed here and nowhere else; rows of numbers for camera, options, lamps."""

from typing import Annotated, NamedTuple

import numpy as np

from aulmo.surface.program import ADJUST_COLUMNS

# Camera row
CAM_ORIGIN, CAM_RIGHT, CAM_UP, CAM_FORWARD = 0, 3, 6, 9
CAM_TAN_W, CAM_TAN_H, CAM_SHIFT_X, CAM_SHIFT_Y = 12, 13, 14, 15
CAM_LENS_RADIUS, CAM_FOCUS, CAM_BLADES, CAM_BLADE_TURN = 16, 17, 18, 19
CAM_PROJECTION = 20
CAM_BEND, CAM_CATS_EYE, CAM_NEAR = 21, 22, 23  # of the lens (see `lens.unbent`), and where it begins to see, mm
CAM_EYE = 24  # of a full sphere: how far the eye lies to the right of the head's middle, mm
CAM_COLUMNS = 25
PERSPECTIVE, PARALLEL, PANORAMA = 0, 1, 2

# Options row
OPT_BOUNCES, OPT_DIFFUSE_BOUNCES, OPT_STRAIGHT_GLASS, OPT_CLAMP = 0, 1, 2, 3
OPT_BACKDROP, OPT_BACKDROP_TOP, OPT_BACKDROP_BOTTOM = 4, 5, 8
OPT_ENV_CHANCE, OPT_ENV_SCALE, OPT_HAS_CLEAR, OPT_WHITE = 11, 12, 13, 14
OPT_PASSES, OPT_PLAIN, OPT_GRADIENT_SPAN = 15, 16, 17
OPT_CLEAR_BOX = 18  # low and high corner of all clear parts together
OPT_SPECULAR_BOUNCES, OPT_CLEAR_BOUNCES, OPT_SCATTERS = 24, 25, 26
OPT_GROUPS, OPT_OCCLUSION, OPT_SEED = 27, 28, 29
OPT_DISTANT_CHANCE, OPT_LAMP_MASK, OPT_UNIFORM_CHOICE = 30, 31, 32
OPT_SHUTTER_OPEN, OPT_SHUTTER_CLOSE = 33, 34
OPT_CANDIDATES, OPT_LATER_CANDIDATES = 35, 36  # of a light sample, in doublings: at the first rough surface and after
OPT_DOME_RADIUS, OPT_DOME_CENTRE, OPT_DOME_ON_FLOOR, OPT_DOME_FLOOR = 37, 38, 41, 42  # of a near dome; radius 0: endlessly far
# of the floor that is only a shadow: strength, where it has faded (0: never) and about where, how much darker contact is and how near
OPT_SHADOW, OPT_SHADOW_SIZE, OPT_SHADOW_MIDDLE, OPT_CONTACT, OPT_CONTACT_REACH = 43, 44, 45, 47, 48
# of the photograph behind: where its camera stands, its right, up and forward, tangents of half its sides, shift, bend of the lens, what its
# light is multiplied by beside white
OPT_PHOTO, OPT_PHOTO_RIGHT, OPT_PHOTO_UP, OPT_PHOTO_FORWARD = 49, 52, 55, 58
OPT_PHOTO_TAN_W, OPT_PHOTO_TAN_H, OPT_PHOTO_SHIFT_X, OPT_PHOTO_SHIFT_Y, OPT_PHOTO_BEND, OPT_PHOTO_GAIN = 61, 62, 63, 64, 65, 66
OPT_BALANCE = 69  # what light is multiplied by for the camera's white, in stops
OPT_COLUMNS = 72

CATCHES_SHADOW, CATCHES_REFLECTION = 1, 2
BACKDROP_ENVIRONMENT, BACKDROP_COLOUR, BACKDROP_GRADIENT, BACKDROP_TRANSPARENT, BACKDROP_PHOTOGRAPH = 0, 1, 2, 3, 4

# Film planes that every picture has
PLANE_RGB, PLANE_ALPHA, PLANE_SQUARE, PLANE_COUNT = 0, 3, 4, 5
PLANE_ALBEDO, PLANE_NORMAL, PLANE_CATCH, PLANE_LIT, PLANE_UNSHADOWED = 6, 9, 12, 15, 18
PLANE_CAUGHT = 21  # share of samples that met what catches shadow
PLANES = 22
# ... and those of a job that asks for passes; light groups follow, three planes each
PLANE_PATHS = 22
PLANE_HIT, PLANE_DEPTH, PLANE_POSITION, PLANE_FACING = 49, 50, 51, 54
PLANE_FIRST_NORMAL, PLANE_FIRST_ALBEDO, PLANE_OCCLUSION = 55, 58, 61
PLANE_SHADOW_LIT, PLANE_SHADOW_ALL = 62, 63
PLANE_GROUPS = 64

# Ways light can have come, in the order of their planes
DIRECT_DIFFUSE, INDIRECT_DIFFUSE, DIRECT_SPECULAR, INDIRECT_SPECULAR = 0, 1, 2, 3
DIRECT_TRANSMISSION, INDIRECT_TRANSMISSION, SUBSURFACE, EMISSION_PATH, BACKGROUND = 4, 5, 6, 7, 8
GROUP_ENVIRONMENT, GROUP_GLOW = 0, 1

# Lamp row
LAMP_KIND, LAMP_POSITION, LAMP_U, LAMP_V, LAMP_N = 0, 1, 4, 7, 10
LAMP_SIZE, LAMP_SIZE_2, LAMP_RGB, LAMP_GROUP, LAMP_LINK, LAMP_VISIBLE = 13, 14, 15, 18, 19, 20
LAMP_COS_FULL, LAMP_COS_EDGE, LAMP_IES, LAMP_AREA, LAMP_FIRST, LAMP_LAST = 21, 22, 23, 24, 25, 26
LAMP_LED = 27  # 1 + the glowing instance when nodes lead its glow or opacity
LAMP_MOVES = 28  # 1 + the glowing instance when it moves while the shutter is open
LAMP_OWNER, LAMP_WHICH = 29, 30  # of a glowing part: its instance, and the row of the material that glows
LAMP_CHANCE = 31  # of a distant lamp or softbox: its share in the light of them all
LAMP_COLUMNS = 32
RECTANGLE, DISC, SPHERE, TUBE, POINT, DISTANT, MESH, PORTAL, SOFTBOX = 0, 1, 2, 3, 4, 5, 6, 7, 8

# Softbox row: the middle, its own right and up, the long side and the short one; half sizes (radians); its outline and light. SB_NEAR is the
# cosine within which it lies, SB_LON and SB_HIGH half the reach of its table along the long side (radians) and across (a sine)
SB_MIDDLE, SB_RIGHT, SB_UP, SB_LONG, SB_SHORT, SB_HALF_W, SB_HALF_H, SB_SHAPE, SB_BENT, SB_CORNER, SB_INNER = 0, 3, 6, 9, 12, 15, 16, 17, 18, 19, 20
SB_SIDES, SB_EDGE, SB_HOT_SIZE, SB_HOT, SB_RGB, SB_OPACITY, SB_BLEND = 21, 22, 23, 24, 25, 28, 29
SB_GRADE, SB_FIRST, SB_TEXELS, SB_ROWS = 30, 31, 32, 33
SB_NEAR, SB_LON, SB_HIGH, SB_TABLE, SB_LAMP = 34, 35, 36, 37, 38
SB_COLUMNS = 39
BOX_RECTANGLE, BOX_ROUND, BOX_RING, BOX_HALF, BOX_POLYGON = 0, 1, 2, 3, 4
BOX_OVER, BOX_ADD, BOX_FLAG = 0, 1, 2
NOT_GRADED, GRADED_ALONG, GRADED_ACROSS, GRADED_ROUND, PICTURED = 0, 1, 2, 3, 4
BOX_CELLS = 32  # of a softbox's table, along and across
BOX_TABLE = BOX_CELLS + 2 * BOX_CELLS * BOX_CELLS  # rows' sums, sums within rows, densities

# Light-tree node row: a ball around its lamps, their power, the cone their light leaves in
NODE_CENTRE, NODE_RADIUS, NODE_POWER, NODE_AXIS, NODE_SPREAD, NODE_SPREAD_SINE, NODE_REACH, NODE_CHILD, NODE_ALL = 0, 3, 4, 5, 8, 9, 10, 11, 12
NODE_FIELDS, NODE_WIDTH = 13, 8  # spread and reach as cosines; a spread below -1 shines all round

IES_ROWS, IES_COLUMNS = 181, 361
FILM_STEPS = 128
P_FIRST, P_LAST, P_TABLES, P_RELIEF, P_COAT_RELIEF, P_BLIND, P_UV, P_PICTURED, P_PART, P_LAYERS, P_COLUMNS = 0, 1, 2, 3, 9, 15, 16, 17, 18, 19, 20
R_HEIGHT, R_HEIGHT_LAST, R_NORMAL, R_NORMAL_LAST, R_COARSEST, R_MORE = 0, 1, 2, 3, 4, 5  # from P_RELIEF on
ROUGH_LEVELS = 9
FACTS = 20

# Decal row: its lay, the row of its material, its picture or -1, whether the artwork's colour is the material's, how far its edge and its light
# artwork stand out (mm of the lay), the share of the relief below, the decal it is seen within or -1, its row of `coat_rows` or -1
D_LAY, D_WHICH, D_PICTURE, D_OPACITY, D_COLOURED, D_EDGE, D_RAISED, D_GROUND, D_FRAME, D_COATS, D_ADJUST = range(11)
DECAL_COLUMNS = D_ADJUST + ADJUST_COLUMNS

# kinds of arrays: of what numbers, and of how many dimensions
F32_1 = Annotated[np.ndarray, np.float32, 1]
F32_2 = Annotated[np.ndarray, np.float32, 2]
F32_3 = Annotated[np.ndarray, np.float32, 3]
F64_1 = Annotated[np.ndarray, np.float64, 1]
F64_2 = Annotated[np.ndarray, np.float64, 2]
F64_3 = Annotated[np.ndarray, np.float64, 3]
F64_4 = Annotated[np.ndarray, np.float64, 4]
I16_1 = Annotated[np.ndarray, np.int16, 1]
I32_1 = Annotated[np.ndarray, np.int32, 1]
I32_2 = Annotated[np.ndarray, np.int32, 2]
I64_1 = Annotated[np.ndarray, np.int64, 1]
U32_2 = Annotated[np.ndarray, np.uint32, 2]
U8_2 = Annotated[np.ndarray, np.uint8, 2]


class SceneArrays(NamedTuple):
    """Everything a kernel reads. Lengths in millimetres, radiance in nits of linear ACEScg.

    top : uintp handle of the instance tree. points : (v, 6) float32, vertex and normal side by side so that one fetch brings both.
    triangles : (t, 3) uint32 local to their mesh.
    vertex_start, triangle_start : (i,) int64 per instance. matrices : (i, 3, 4). normal_matrices : (i, 3, 3).
    instance_material, instance_part : (i,) int32; part -1 is a floor that is only a shadow, -2 a floor, -3 a lamp. instance_catch : (i,) int32
    CATCHES_SHADOW or CATCHES_REFLECTION of what the backdrop is seen through, else 0.
    instance_faces : (i,) int64 where an instance whose faces wear several materials begins in face_rows, or -1; face_rows : (n,) int32 row of
    the material of each of its triangles. instance_material is then the body's, which counts for what fills a clear solid.
    instance_lamp : (i,) int32 first row of the lamps an instance is, or -1. motion : (k, steps, 3, 4) matrices over the shutter;
    instance_motion : (i,) int32 row of it, or -1.
    materials : (m, COLUMNS), and within a tile's work as many again, as they are seen from afar.
    albedos : (m, ALBEDOS, MU_STEPS + 1). films : (f, 6, FILM_STEPS + 1) reflectance under a thin film.
    env : (h, w, 3) float32; env_pick, env_guide : its tables for sampling (`lights`); env_turn : (3, 3) world to map.
    photo : (h, w, 3) float32 light of the photograph behind in shares of white, or (0, 0, 3).
    softboxes : (b, SB_COLUMNS), the lowest first; box_tables : (b * BOX_TABLE,) float32 what they are sampled by; box_lights : (n, 4) float32
    grades and pictures on them, red, green, blue and cover.
    lamps : (l, LAMP_COLUMNS). lamp_trail : (l,) int64 left-right choices from the root to a lamp; lamp_depth : (l,) int32, -1 outside
    the tree. nodes : (n, NODE_FIELDS, NODE_WIDTH) light tree. distant, portals : int32 rows of lamps. links : (k, i) uint8 which instances a set
    of lamps lights. ies : (p, IES_ROWS, IES_COLUMNS) float32 share of the largest candela.
    programs : (m, P_COLUMNS) int32 first and last operation of wired parameters in `ops`, the first of nine albedo tables by roughness or
    -1; then of base and coat first and last operation of height and normal map, and the size of the height's largest pattern in
    micrometres; the footprint, also in micrometres, from which only the mean of all is seen, or 0; whether they follow the file's
    coordinates, and whether a draft runs them.
    ops : (n, OP_COLUMNS). lays : (l, LAY_COLUMNS), first those of materials, then those of decals. pictures : (p, TEXTURE_COLUMNS).
    uvs : (u, 2) float32 coordinates of vertices; uv_start : (i,) int64 where an instance's begin, or -1.
    decals : (d, DECAL_COLUMNS). decal_list : (n,) int64, for each part that has any their number and then their rows, the topmost first;
    instance_decals : (i,) int64 where an instance's begin, or -1. coat_rows : (c, m) int32 the row of a material under a clear decal.
    layers : (y, 3) int32, for each material that has any their number and then of each, the topmost first, the row of its material and first and
    last operation of its mask; `programs` says where a material's begin, 0 for none. facts : (i, FACTS) what is known of an instance's part:
    low corner of its box and a random number, high corner, corners of its group's box in the world, addresses of its tables of curvature.
    soft_rows, soft_edges, soft_slots, soft_entries : sharp edges to round (`soft_edges`); instance_soft : (i,) int32 row or -1.
    emit_corners : (e, 9) float32 world; emit_cumulative : (e,) area before each triangle, per lamp starting at 0; emit_guide : (e,)
    int32 where to begin looking for an even share of that area; emit_triangles : (e,) int32 which triangle of its mesh each is.
    """

    top: np.uintp
    points: F32_2
    triangles: U32_2
    vertex_start: I64_1
    triangle_start: I64_1
    matrices: F64_3
    normal_matrices: F64_3
    instance_material: I32_1
    instance_part: I32_1
    instance_catch: I32_1
    instance_faces: I64_1
    face_rows: I32_1
    instance_lamp: I32_1
    motion: F64_4
    instance_motion: I32_1
    materials: F64_2
    albedos: F32_3
    films: F64_3
    env: F32_3
    env_pick: F32_2
    env_guide: I16_1
    env_turn: F64_2
    photo: F32_3
    softboxes: F64_2
    box_tables: F32_1
    box_lights: F32_2
    lamps: F64_2
    lamp_trail: I64_1
    lamp_depth: I32_1
    nodes: F64_3
    distant: I32_1
    portals: I32_1
    links: U8_2
    ies: F32_3
    programs: I32_2
    ops: F64_2
    lays: F64_2
    pictures: F64_2
    uvs: F32_2
    uv_start: I64_1
    decals: F64_2
    decal_list: I64_1
    instance_decals: I64_1
    coat_rows: I32_2
    layers: I32_2
    facts: F64_2
    soft_rows: F64_2
    soft_edges: F32_2
    soft_slots: I32_1
    soft_entries: I32_1
    instance_soft: I32_1
    emit_corners: F64_2
    emit_cumulative: F64_1
    emit_guide: I32_1
    emit_triangles: I32_1
