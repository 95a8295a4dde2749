"""Surface programs: short lists of operations that the renderer runs at every hit. What an operation's row holds, and what a list shows.

Nodes become operations in `compiling`. Editing a node never recompiles a kernel: only the list changes.
"""

import functools
import math
from typing import NamedTuple

import numpy as np

from aulmo.document.property_table import TABLE
from aulmo.document.records import Adjust, Material, Surface
from aulmo.surface.colour import LUMINANCE, decode_srgb

(
    CONSTANT, IMAGE, NOISE, CELLS, CHECKER, STRIPES, DOTS, RAMP, MIX, ADD, MULTIPLY, REMAP, INVERT, FACING, POSITION, WOOD, WEAVE, WIRE,
    SETTLE, DATA, SHIFT,
    SUBTRACT, DIVIDE, POWER, MIN, MAX, MODULO, ABSVAL, CLAMP, RESCALE, RANGE, SMOOTHSTEP, INVERT_FROM, CONTRAST, FLOOR, CEIL, ROUND, FRACT, SQRT,
    SIN, COS, EXP, LN, SIGN, IF_GREATER, IF_NOT_LESS, IF_EQUAL, MIX_EACH,
    SATURATE, HSV_ADJUST, TO_HSV, FROM_HSV, LUMA, EXTRACT, COMBINE, NORMALIZE, MAGNITUDE, DOT, CROSS, DISTANCE, ROTATE2, ROTATE3, PLACE2, BLACKBODY,
    TEXCOORD, NORMAL, TANGENT, WORLD_POSITION, PART_FACT, RANDOM_OF,
    NOISE2, NOISE3, FRACTAL2, FRACTAL3, CELL2, CELL3, WORLEY2, WORLEY3, RAMP2D, IMAGE_AT, NORMAL_MAP, SLOPE, BLEND_NORMALS,
    SHAPES, KNURL, BRUSHED, SCRATCHES, LEATHER, ORANGE_PEEL, FLAKES, CURVATURE, EDGE_WEAR, GRADIENT, HEAT_TINT,
) = range(94)  # fmt: skip
PLAIN = SETTLE  # codes below are known to the program of heights that runs four points at once
FIRST_EACH, LAST_EACH = SUBTRACT, MIX_EACH  # what works on each of three numbers alone
O_CODE, O_TO, O_A, O_B, O_C, O_P = 0, 1, 2, 3, 4, 5
O_FLAG = O_P + 6  # of what has more than three sources (the rest from O_P on): what else it needs
# of a wire from O_P on: whether it leaves places bare, what else it needs, how it is led to the column that O_TO names, between which bounds, and
# to how many numbers there (`surface.columns`)
W_BARE, W_RAW, W_HOW, W_LEAST, W_MOST, W_COUNT = O_P, O_P + 1, O_P + 4, O_P + 5, O_P + 6, O_P + 7
O_ADJUST = O_P + 8  # of an image: how its values are changed
J_ON, J_COLOUR, J_LOW, J_SCALE, J_POWER, J_TURNED, J_CONTRAST, J_MATRIX = 0, 1, 2, 3, 4, 5, 6, 7
ADJUST_COLUMNS = J_MATRIX + 9
OP_COLUMNS = O_ADJUST + ADJUST_COLUMNS
# of an image from O_P on: picture, lay, width in mm (endless where it leaves places bare), what is read, strength, green down, whether it goes on
# by repeating, softness of a box's seams
I_PICTURE, I_LAY, I_WIDTH, I_CHANNEL, I_STRENGTH, I_GREEN, I_WRAPS, I_BLEND = range(O_P, O_P + 8)
CHANNELS = ("colour", "red", "green", "blue", "alpha", "solid")
# registers: what a program gives; how the file's coordinates run where it is run; room for four points; what is known of the part: corners of its
# box (and a random number), its matrix into the world, corners of its group's box in the world, addresses of its tables of curvature
U_ROW, V_ROW, AT_ROW, LOW_ROW, HIGH_ROW, WORLD_ROW, GROUP_LOW_ROW, GROUP_HIGH_ROW, CURVES_ROW, FIRST_REGISTER = 1, 2, 3, 6, 7, 8, 11, 12, 13, 14
REGISTERS = 114
REGISTER_ROWS = FIRST_REGISTER + REGISTERS
MOST_OPS = 20_000
MOST_CURVES = 4  # different radii of curvature in a scene
DATA_COLOURS = (OP_COLUMNS - 1) // 3  # in a row of colours that belongs to the operation before it
WIDEST_FIBRE = 2.4  # mm, of wood
FOLDED_MEAN = 0.264  # of |2n - 1| over one octave of noise, by numeric integration; octaves add as independent ones do
PROJECTIONS = ("flat", "box", "cylinder", "sphere")
AXES = ("x", "y", "z")

_SAID = TABLE[Surface]
WIRED = tuple(name for name, known in _SAID.items() if known.row.led in ("settled", "alone"))  # what can be wired
EVEN = tuple(name for name, known in _SAID.items() if known.row.led == "even")  # one value all through a body: nodes led here give it their mean
ALONE = {name for name, known in _SAID.items() if known.row.led == "alone"}  # from which nothing else follows (`trace.material.follows`)
MULTIPLIED = ("base_weight", "emission_color")  # nodes led here multiply what the surface has; others take its place
RELIEF = ("height", "normal", "coat_height", "coat_normal", "displacement")
COLOURED = {name for name, known in _SAID.items() if known.row.led and known.kind == "colour"} | {"base_weight"}
FILM_LEVELS = 24  # thin films baked for a thickness that nodes lead

class Program(NamedTuple):
    """Operations (n, OP_COLUMNS) of the wired parameters; of height and normal map, each ending in register 0, of the base and of the
    coat; whether the roughness, and whether the thickness of a thin film varies."""

    ops: np.ndarray
    height: np.ndarray
    normal: np.ndarray
    coat_height: np.ndarray
    coat_normal: np.ndarray
    rough: bool
    filmed: bool


EMPTY = np.zeros((0, OP_COLUMNS))


def _shapes(ops: np.ndarray) -> list[tuple[int, float]]:
    """Code of each operation that is a pattern, and the size in mm of its largest shape; infinite where it has none of its own."""
    sizes = {NOISE: O_P, CELLS: O_P, CHECKER: O_P, DOTS: O_P, IMAGE: I_WIDTH, WEAVE: O_P}
    found = []
    for row in ops:
        code = int(row[O_CODE])
        if code in sizes:
            found.append((code, float(row[sizes[code]])))
        elif code in (RAMP, FACING, POSITION) or code >= TEXCOORD or code == PLACE2:
            found.append((code, math.inf))
        elif code == STRIPES:  # the narrower of its two bands, a whole period where they are even
            found.append((code, float(row[O_P]) * 2.0 * max(0.0, min(row[O_P + 1], 1.0 - row[O_P + 1]))))
        elif code == WOOD:
            found.append((code, max(float(row[O_P]), float(row[O_P + 1]), WIDEST_FIBRE)))
    return found


def coarsest(ops: np.ndarray) -> float:
    """Size in mm of the largest shape among operations, 0 without any: a footprint twice as wide shows none of their relief."""
    return max((size for _, size in _shapes(ops)), default=0.0)


def blind_from(program: Program) -> float:
    """Footprint in mm from which a material shows nothing of its patterns but their mean; infinite when it always shows something."""
    colours = _shapes(program.ops)
    if any(code in (CELLS, DOTS) for code, _ in colours):  # drawn as they are at any width
        return math.inf
    widest = [size * (16.0 if code in (STRIPES, CHECKER) else 2.0) for code, size in colours]  # averaged; faded out
    relief = (program.height, program.normal, program.coat_height, program.coat_normal)
    return max([*widest, *(2.0 * coarsest(ops) for ops in relief)])


def cuts_holes(material: Material | None) -> bool:
    """Whether a material's nodes lead its opacity."""
    return material is not None and "geometry_opacity" in material.wires


def leads_glow(material: Material | None) -> bool:
    """Whether a material's nodes change from place to place how much it glows."""
    return material is not None and bool({"emission_color", "geometry_opacity"} & set(material.wires))


def follows_file(material: Material) -> bool:
    """Whether any picture of a material is laid by the file's coordinates."""
    by_file = {lay.id for lay in material.lays if lay.projection == "uv"}
    return any(n.kind == "image" and n.lay in by_file for n in material.nodes)


@functools.lru_cache(maxsize=1024)
def adjust_row(adjust: Adjust, colour: bool) -> np.ndarray:
    """(ADJUST_COLUMNS,) numbers of a picture's adjustments: levels, turned over and contrast for each channel, then a matrix.

    Levels and contrast of colours are in light: what a display shows as `low` becomes black; contrast turns about middle grey, 0.18.
    """
    row = np.zeros(ADJUST_COLUMNS)
    row[J_ON], row[J_COLOUR] = adjust != Adjust(), colour
    low, high = (decode_srgb(np.array([adjust.low, adjust.high])) if colour else np.array([adjust.low, adjust.high])).tolist()
    row[J_LOW] = low
    row[J_SCALE] = 1.0 / (high - low) if abs(high - low) > 1e-9 else 1e9
    row[J_POWER] = 1.0 / max(1e-3, adjust.middle)
    row[J_TURNED], row[J_CONTRAST] = adjust.turned_over, adjust.contrast
    matrix = np.eye(3)
    if colour:
        turn = math.radians(adjust.hue)
        c, s = math.cos(turn), math.sin(turn)
        k = np.array([[0, -1, 1], [1, 0, -1], [-1, 1, 0]]) / math.sqrt(3.0)  # Rodrigues' rotation about grey
        about_grey = c * np.eye(3) + s * k + (1 - c) * np.full((3, 3), 1 / 3)
        grey = np.tile(LUMINANCE / LUMINANCE.sum(), (3, 1))
        matrix = np.diag(adjust.tint) @ (grey + adjust.saturation * (np.eye(3) - grey)) @ about_grey * 2.0**adjust.brightness
    else:
        matrix = matrix * 2.0**adjust.brightness
    row[J_MATRIX:] = matrix.ravel()
    row.flags.writeable = False  # one for all that ask
    return row
