"""Surface programs: a material's nodes turned into a short list of operations that the renderer runs at every hit.

A node gives a colour or a number from a point of the part, in the part's own millimetres; wires lead nodes to parameters of the
surface, or to its relief. Editing a node never recompiles a kernel: only the list changes.
"""

import math
from typing import NamedTuple, Protocol

import numpy as np

from aulmo.document.records import Adjust, Material, Node
from aulmo.errors import BadValue
from aulmo.surface.colour import LUMINANCE, decode_srgb
from aulmo.surface.lay import lay_row, limited, plain_lay

CONSTANT, IMAGE, NOISE, CELLS, CHECKER, STRIPES, DOTS, RAMP, MIX, ADD, MULTIPLY, REMAP, INVERT, FACING, POSITION, WOOD, WEAVE, WIRE = range(18)
O_CODE, O_TO, O_A, O_B, O_C, O_P = 0, 1, 2, 3, 4, 5
O_ADJUST = O_P + 8  # of an image: how its values are changed
J_ON, J_COLOUR, J_LOW, J_SCALE, J_POWER, J_TURNED, J_CONTRAST, J_MATRIX = 0, 1, 2, 3, 4, 5, 6, 7
ADJUST_COLUMNS = J_MATRIX + 9
OP_COLUMNS = O_ADJUST + ADJUST_COLUMNS
# of an image from O_P on: picture, lay, width in mm (endless where it leaves places bare), what is read, strength, green down, whether it goes on
# by repeating, softness of a box's seams
I_PICTURE, I_LAY, I_WIDTH, I_CHANNEL, I_STRENGTH, I_GREEN, I_WRAPS, I_BLEND = range(O_P, O_P + 8)
CHANNELS = ("colour", "red", "green", "blue", "alpha", "solid")
REGISTERS = 24
U_ROW, V_ROW = REGISTERS + 3, REGISTERS + 4  # how the file's coordinates run where a program is run; the rows between are room for four points
REGISTER_ROWS = REGISTERS + 5
WIDEST_FIBRE = 2.4  # mm, of wood
FOLDED_MEAN = 0.264  # of |2n - 1| over one octave of noise, by numeric integration; octaves add as independent ones do
PROJECTIONS = ("flat", "box", "cylinder", "sphere")
AXES = ("x", "y", "z")

# what can be wired, and its code
WIRED = (
    "base_color", "specular_roughness", "base_metalness", "geometry_opacity", "emission_color", "specular_color", "coat_weight", "coat_roughness",
    "fuzz_weight", "subsurface_color", "transmission_weight", "base_weight",
)  # fmt: skip
MULTIPLIED = ("base_weight", "emission_color")  # nodes led here multiply what the surface has; others take its place
RELIEF = ("height", "normal", "coat_height", "coat_normal", "displacement")

# inputs of each kind with their defaults; colours are triples, the rest numbers
INPUTS: dict[str, dict] = {
    "constant": {"value": (0.5, 0.5, 0.5)},
    "image": {"width_mm": 100.0, "height_mm": 0.0, "turn": 0.0, "offset_x_mm": 0.0, "offset_y_mm": 0.0, "strength": 1.0},
    "noise": {"size_mm": 10.0, "octaves": 4.0, "lacunarity": 2.0, "gain": 0.5, "seed": 0.0, "stretch": 1.0, "fold": 0.0},
    "cells": {"size_mm": 10.0, "jitter": 1.0, "seed": 0.0},
    "checker": {"size_mm": 10.0, "first": (0.1, 0.1, 0.1), "second": (0.8, 0.8, 0.8)},
    "stripes": {"size_mm": 10.0, "share": 0.5, "first": (0.0, 0.0, 0.0), "second": (1.0, 1.0, 1.0)},
    "dots": {"size_mm": 10.0, "share": 0.5, "first": (0.0, 0.0, 0.0), "second": (1.0, 1.0, 1.0)},
    "ramp": {"from_mm": 0.0, "to_mm": 100.0, "first": (0.0, 0.0, 0.0), "second": (1.0, 1.0, 1.0)},
    "mix": {"first": (0.0, 0.0, 0.0), "second": (1.0, 1.0, 1.0), "amount": 0.5},
    "add": {"first": (0.0, 0.0, 0.0), "second": (0.0, 0.0, 0.0)},
    "multiply": {"first": (1.0, 1.0, 1.0), "second": (1.0, 1.0, 1.0)},
    "remap": {"value": (0.5, 0.5, 0.5), "in_low": 0.0, "in_high": 1.0, "out_low": 0.0, "out_high": 1.0},
    "invert": {"value": (0.5, 0.5, 0.5)},
    "facing": {"power": 1.0},
    "position": {},
    "wood": {
        "ring_mm": 2.5, "board_mm": 0.0, "board_turn": 0.0, "pith_mm": 60.0, "waver": 1.0, "fibre": 1.0, "seed": 0.0,
        "first": (0.42, 0.25, 0.12), "second": (0.22, 0.11, 0.045),
    },
    "weave": {"size_mm": 0.6, "over": 1.0, "uneven": 0.3, "seed": 0.0},
}  # fmt: skip
_CODES = {k: i for i, k in enumerate(INPUTS)}
_REGISTER_INPUTS = {
    CHECKER: ("first", "second"), STRIPES: ("first", "second"), DOTS: ("first", "second"), RAMP: ("first", "second"),
    WOOD: ("first", "second"),
    MIX: ("first", "second", "amount"), ADD: ("first", "second"), MULTIPLY: ("first", "second"), REMAP: ("value",), INVERT: ("value",),
}  # fmt: skip


class Program(NamedTuple):
    """Operations (n, OP_COLUMNS) of the wired parameters; of height and normal map, each ending in register 0, of the base and of the
    coat; whether the roughness varies."""

    ops: np.ndarray
    height: np.ndarray
    normal: np.ndarray
    coat_height: np.ndarray
    coat_normal: np.ndarray
    rough: bool


EMPTY = np.zeros((0, OP_COLUMNS))


class Pictures(Protocol):
    """Where a program's pictures and lays get their numbers."""

    def number(self, name: str, colour: bool, solid: bool = False) -> int:
        """Of a picture, read as colours or as plain data, with its alpha or `solid`."""

    def shape(self, name: str) -> tuple[int, int]:
        """Height and width of a picture."""

    def sees_through(self, name: str) -> bool:
        """Whether a picture has an alpha."""

    def lay(self, row: np.ndarray) -> int:
        """Of a lay's row."""


class _Missing(Exception):
    """A picture that is not there: what it leads stays as it is."""


def compile_program(material: Material, pictures: Pictures | None) -> Program:
    """The operations of a material's nodes. A wire that leads from a missing picture is left out. Raises BadValue with one sentence when the
    nodes do not hang together."""

    def build(targets: list[tuple[int, str]]) -> np.ndarray:
        rows: list[np.ndarray] = []
        place: dict[str, int] = {}
        free = iter(range(1, REGISTERS))

        def register() -> int:
            try:
                return next(free)
            except StopIteration:
                raise BadValue(f"{material.name} has more nodes than a surface program holds.") from None

        def constant(value) -> int:
            row = np.zeros(OP_COLUMNS)
            row[O_CODE], row[O_TO] = CONSTANT, register()
            row[O_P : O_P + 3] = value if isinstance(value, (tuple, list)) else (value, value, value)
            rows.append(row)
            return int(row[O_TO])

        def visit(name: str, path: tuple[str, ...]) -> int:
            if name in place:
                return place[name]
            if name in path:
                raise BadValue(f"The nodes of {material.name} run in a circle through {name}.")
            node = next((n for n in material.nodes if n.id == name), None)
            if node is None:
                raise BadValue(f"{material.name} has no node named {name}.")
            known = INPUTS[node.kind]
            for key in node.inputs:
                if key not in known:
                    raise BadValue(f"A node of the kind {node.kind} has no input named {key}.")
            code = _CODES[node.kind]
            sources = []
            for key in _REGISTER_INPUTS.get(code, ()):
                value = node.inputs.get(key, known[key])
                sources.append(visit(value[1:], (*path, name)) if isinstance(value, str) else constant(value))
            row = np.zeros(OP_COLUMNS)
            row[O_CODE], row[O_TO] = code, register()
            row[O_A : O_A + len(sources)] = sources
            _parameters(row, node, code, material, pictures)
            rows.append(row)
            place[name] = int(row[O_TO])
            return place[name]

        for target, name in targets:
            try:
                source = visit(name, ())
            except _Missing:
                continue
            row = np.zeros(OP_COLUMNS)
            row[O_CODE], row[O_TO], row[O_A] = WIRE, target, source
            row[O_P] = any(int(r[O_CODE]) == IMAGE and int(r[O_TO]) == source for r in rows)  # where it is bare, the surface's own shows
            rows.append(row)
        return np.array(rows).reshape(-1, OP_COLUMNS)

    for wire in material.wires:
        if wire not in WIRED and wire not in RELIEF:
            raise BadValue(f"{wire} cannot be led from a node; there are {', '.join((*WIRED, *RELIEF))}.")
    wired = [(WIRED.index(k), v) for k, v in material.wires.items() if k in WIRED]
    relief = {k: build([(-1, material.wires[k])]) if k in material.wires else EMPTY for k in RELIEF}
    rough = "specular_roughness" in material.wires
    ops = build(wired) if wired else EMPTY
    return Program(ops, relief["height"], relief["normal"], relief["coat_height"], relief["coat_normal"], rough)


def _shapes(ops: np.ndarray) -> list[tuple[int, float]]:
    """Code of each operation that is a pattern, and the size in mm of its largest shape; infinite where it has none of its own."""
    sizes = {NOISE: O_P, CELLS: O_P, CHECKER: O_P, DOTS: O_P, IMAGE: I_WIDTH, WEAVE: O_P}
    found = []
    for row in ops:
        code = int(row[O_CODE])
        if code in sizes:
            found.append((code, float(row[sizes[code]])))
        elif code in (RAMP, FACING, POSITION):
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


def height_program(material: Material, pictures: Pictures | None) -> np.ndarray:
    """Operations of the displacement's height, in mm, ending in register 0."""
    name = material.wires["displacement"]
    lead = material.wires | {"height": name}
    return compile_program(Material(material.id, material.name, nodes=material.nodes, lays=material.lays, wires=lead), pictures).height


def follows_file(material: Material) -> bool:
    """Whether any picture of a material is laid by the file's coordinates."""
    by_file = {lay.id for lay in material.lays if lay.projection == "uv"}
    return any(n.kind == "image" and n.lay in by_file for n in material.nodes)


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
    return row


def _image_parameters(row: np.ndarray, node: Node, material: Material, pictures: Pictures | None, number, size) -> None:
    if not node.image:
        if node.file:
            raise _Missing
        raise BadValue(f"The image node {node.id} has no picture yet.")
    assert pictures is not None
    h, w = pictures.shape(node.image)
    lay = next((one for one in material.lays if one.id == node.lay), None)
    if lay is None:
        if node.lay:
            raise BadValue(f"{material.name} has no lay named {node.lay}.")
        lay = plain_lay(
            size("width_mm"), number("height_mm"), number("turn"), number("offset_x_mm"), number("offset_y_mm"), node.projection, node.axis
        )
    if not lay.width_mm > 0 or not (lay.keep_shape or lay.height_mm > 0):
        raise BadValue(f"The size of a picture of {material.name} has to be above zero.")
    bare = limited(lay) or (node.channel == "colour" and pictures.sees_through(node.image))
    row[I_PICTURE], row[I_LAY] = (
        pictures.number(node.image, node.as_colour, node.channel not in ("colour", "alpha")),
        pictures.lay(lay_row(lay, h / w)),
    )
    row[I_WIDTH] = math.inf if bare or lay.projection == "uv" else lay.width_mm
    row[I_CHANNEL], row[I_STRENGTH], row[I_GREEN] = CHANNELS.index(node.channel), number("strength"), node.green_down
    row[I_WRAPS] = lay.tile == "both" and not lay.mirror and not lay.gap_x_mm and not lay.gap_y_mm
    row[I_BLEND] = lay.blend if lay.projection == "box" else 0.0
    row[O_ADJUST:] = adjust_row(node.adjust, node.as_colour)


def _parameters(row: np.ndarray, node: Node, code: int, material: Material, pictures: Pictures | None) -> None:
    def number(key: str) -> float:
        value = node.inputs.get(key, INPUTS[node.kind][key])
        if isinstance(value, str) or isinstance(value, (tuple, list)) or not math.isfinite(value):
            raise BadValue(f"{key} of a {node.kind} node has to be a number.")
        return float(value)

    def size(key: str) -> float:
        value = number(key)
        if value <= 0:
            raise BadValue(f"{key} of a {node.kind} node has to be above zero.")
        return value

    p = O_P
    if code == CONSTANT:
        value = node.inputs.get("value", INPUTS["constant"]["value"])
        row[p : p + 3] = value if isinstance(value, (tuple, list)) else (value, value, value)
    elif code == IMAGE:
        _image_parameters(row, node, material, pictures, number, size)
    elif code == NOISE:
        wide, stretch = size("size_mm"), size("stretch")
        row[p : p + 5] = (wide, min(10, max(1, number("octaves"))), number("lacunarity"), number("gain"), number("seed"))
        row[p + 5 : p + 8] = [1.0 / (wide * stretch if axis == node.axis else wide) for axis in AXES]
        row[p + 8] = min(1.0, max(0.0, number("fold")))
        parts = row[p + 3] ** np.arange(int(row[p + 1]))
        row[p + 9] = min(1.0, FOLDED_MEAN * math.sqrt((parts**2).sum()) / max(1e-9, abs(parts.sum())))
    elif code == CELLS:
        row[p : p + 3] = (size("size_mm"), min(1.0, max(0.0, number("jitter"))), number("seed"))
    elif code in (CHECKER, DOTS, STRIPES):
        row[p] = size("size_mm")
        row[p + 1] = number("share") if code != CHECKER else 0.5
        row[p + 2] = AXES.index(node.axis)
    elif code == RAMP:
        row[p : p + 3] = (number("from_mm"), number("to_mm"), AXES.index(node.axis))
    elif code == WOOD:
        turn = math.radians(number("board_turn"))
        row[p : p + 9] = (
            size("ring_mm"), max(0.0, number("board_mm")), AXES.index(node.axis), math.cos(turn), math.sin(turn), number("pith_mm"),
            max(0.0, number("waver")), max(0.0, number("fibre")), number("seed"),
        )  # fmt: skip
    elif code == WEAVE:
        row[p : p + 6] = (
            size("size_mm"), PROJECTIONS.index(node.projection), AXES.index(node.axis), max(1.0, round(number("over"))),
            min(1.0, max(0.0, number("uneven"))), number("seed"),
        )  # fmt: skip
    elif code == REMAP:
        row[p : p + 4] = (number("in_low"), number("in_high"), number("out_low"), number("out_high"))
    elif code == FACING:
        row[p] = max(0.0, number("power"))
