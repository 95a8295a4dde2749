"""Nodes one by one as operations on registers: numbers and colours converted on the way, registers used again when they are free.

The meaning of a standard node is that of the MaterialX specification, v1.39, and of the definitions in its library; see `document.node_table`.
"""

import functools
import math
from typing import Any, Callable, Iterable, Protocol

import numpy as np
from msgspec.structs import replace

from aulmo.document.apart import here
from aulmo.document.node_table import KINDS, Flow, choice_of, input_of, source_of
from aulmo.document.records import Decal, Lay, Material, Node
from aulmo.errors import BadValue
from aulmo.surface import program as p
from aulmo.surface.artwork import drawing
from aulmo.surface.lay import L_ACROSS, L_DOWN, lay_row, limited, plain_lay
from aulmo.surface.node_flow import behind, flows, ordered
from aulmo.surface.oxide import tint_table
from aulmo.surface.picture import Pixels, read_picture
from aulmo.surface.program import FIRST_REGISTER, FOLDED_MEAN, O_A, O_CODE, O_FLAG, O_P, O_TO, OP_COLUMNS

_EACH = {
    "subtract": p.SUBTRACT, "divide": p.DIVIDE, "power": p.POWER, "min": p.MIN, "max": p.MAX, "modulo": p.MODULO, "absval": p.ABSVAL,
    "clamp": p.CLAMP, "remap": p.RESCALE, "range": p.RANGE, "smoothstep": p.SMOOTHSTEP, "invert": p.INVERT_FROM, "contrast": p.CONTRAST,
    "floor": p.FLOOR, "ceil": p.CEIL, "round": p.ROUND, "fract": p.FRACT, "sqrt": p.SQRT, "sin": p.SIN, "cos": p.COS, "exp": p.EXP, "ln": p.LN,
    "sign": p.SIGN, "ifgreater": p.IF_GREATER, "ifgreatereq": p.IF_NOT_LESS, "ifequal": p.IF_EQUAL, "mix": p.MIX_EACH, "add": p.ADD,
    "multiply": p.MULTIPLY, "saturate": p.SATURATE, "hsvadjust": p.HSV_ADJUST, "rgbtohsv": p.TO_HSV, "hsvtorgb": p.FROM_HSV, "luminance": p.LUMA,
    "combine3": p.COMBINE, "normalize": p.NORMALIZE, "magnitude": p.MAGNITUDE, "dotproduct": p.DOT, "crossproduct": p.CROSS, "distance": p.DISTANCE,
    "rotate2d": p.ROTATE2, "rotate3d": p.ROTATE3, "blackbody": p.BLACKBODY, "checker": p.CHECKER, "stripes": p.STRIPES, "dots": p.DOTS,
    "ramp": p.RAMP, "wood": p.WOOD, "blendnormals": p.BLEND_NORMALS,
}  # fmt: skip
_NOISES = {
    "noise2d": p.NOISE2, "noise3d": p.NOISE3, "fractal2d": p.FRACTAL2, "fractal3d": p.FRACTAL3, "cellnoise2d": p.CELL2, "cellnoise3d": p.CELL3,
    "worleynoise2d": p.WORLEY2, "worleynoise3d": p.WORLEY3,
}  # fmt: skip
_RAMPS = {"ramplr": 0, "ramptb": 1, "ramp4": 2, "splitlr": 3, "splittb": 4}
_ADDRESSES = {"periodic": 0, "clamp": 1, "mirror": 2, "constant": 3}
_PATTERNS = {"dot": 0, "rectangle": 1, "ring": 2, "drawn": 3}
_REPEATS = {"both": 0, "rows": 1, "columns": 2, "once": 3}
# mean height of leather by its creases, by numeric integration
_LEATHER_MEANS = ((0.02, 0.05, 0.1, 0.2, 0.35, 0.5, 0.75, 1.0), (0.817, 0.768, 0.695, 0.565, 0.411, 0.299, 0.181, 0.116))
TEXT_SIDE = 2048  # pixels along a drawn text


class Pictures(Protocol):
    """Where a program's pictures, lays and tables of curvature get their numbers, and what time it is."""

    time: float
    frames_per_second: float

    def number(self, name: str, colour: bool, solid: bool = False, make: Callable[[], Pixels] | None = None) -> int:
        """Of a picture, read as colours or as plain data, with its alpha or `solid`."""

    def shape(self, name: str) -> tuple[int, int]:
        """Height and width of a picture."""

    def sees_through(self, name: str) -> bool:
        """Whether a picture has an alpha."""

    def lay(self, row: np.ndarray) -> int:
        """Of a lay's row."""

    def curve(self, radius: float) -> int:
        """Of a radius of curvature."""


class Missing(Exception):
    """A picture that is not there, or was not chosen yet: what it leads stays as it is. Says so in a sentence."""


class Emitter:
    """Rows of operations on registers without end; `finished` gives them real ones."""

    def __init__(self, material: Material, pictures: Pictures | None, targets: Iterable[str]) -> None:
        self.material, self.pictures = material, pictures
        self.by_id = {n.id: n for n in material.nodes}
        self.order = ordered(material, targets)
        self.flows = flows(material, self.order)
        self.rows: list[np.ndarray] = []
        self.slots: list[tuple[int, ...]] = []  # which columns of a row are registers that it reads
        self.place: dict[tuple[str, tuple], int] = {}
        self.missing: dict[tuple[str, tuple], str] = {}  # nodes that cannot be run, and why
        self.constants: dict[tuple, int] = {}
        self.plain_data: set[int] = set()  # registers of pictures whose values are no colours
        self.covered: set[int] = set()  # registers that know how much of the footprint their picture covers
        self.spread: dict[int, tuple[int, float]] = {}  # of a place: the register that knows the footprint, and by how much it was scaled
        self.count = 0

    def register(self) -> int:
        self.count += 1
        return self.count

    def put(self, code: int, sources: Iterable[int] = (), to: int | None = None) -> np.ndarray:
        row = np.zeros(OP_COLUMNS)
        row[O_CODE] = code
        row[O_TO] = self.register() if to is None else to
        slots = []
        for k, source in enumerate(sources):
            column = O_A + k if k < 3 else O_P + k - 3
            row[column] = source
            slots.append(column)
        self.rows.append(row)
        self.slots.append(tuple(slots))
        if len(self.rows) > p.MOST_OPS:
            raise BadValue(f"The nodes of {self.material.name} are more than a surface program holds.")
        return row

    def data(self, colours: np.ndarray) -> None:
        """Rows of numbers (n, 3) that belong to the operation before them."""
        for k in range(0, len(colours), p.DATA_COLOURS):
            row = self.put(p.DATA, (), 0)
            part = np.asarray(colours[k : k + p.DATA_COLOURS], float).ravel()
            row[1 : 1 + len(part)] = part

    def constant(self, value: Any, what: str) -> int:
        triple = tuple(float(v) for v in value) if isinstance(value, (tuple, list)) else (float(value),) * 3
        if not all(math.isfinite(v) for v in triple) or len(triple) != 3:
            raise BadValue(f"{what} has to be a number.")
        if triple not in self.constants:
            row = self.put(p.CONSTANT)
            row[O_P : O_P + 3] = triple
            self.constants[triple] = int(row[O_TO])
        return self.constants[triple]

    def converted(self, register: int, flow: Flow, wanted: Flow, reads: str) -> int:
        if reads and reads != "luminance" and flow != "number":
            row = self.put(p.EXTRACT, (register,))
            row[O_P] = ("red", "green", "blue").index(reads)
        elif not reads and wanted == "number" and register in self.plain_data:
            return register  # a picture that is plain data is read by its red
        elif (reads == "luminance" or wanted == "number") and flow == "colour":
            row = self.put(p.LUMA, (register,))
        else:  # of a direction its first number is read, as of a number
            return register
        if register in self.covered:
            self.covered.add(int(row[O_TO]))
        return int(row[O_TO])

    def led(self, reference: str, wanted: Flow, context: tuple) -> int:
        """The register of what a reference names, as what is wanted of it."""
        name, reads = source_of(reference)
        if (name, context) in self.missing:
            raise Missing(self.missing[name, context])
        return self.converted(self.place[name, context], self.flows[name], wanted, reads)

    def source(self, node: Node, key: str, context: tuple, wanted: Flow | None = None) -> int:
        """The register of an input, as `wanted` or as the input takes it."""
        one = input_of(node.kind, key)
        assert one is not None
        value = node.inputs.get(key, one.default)
        if isinstance(value, str):
            return self.led(value, wanted or one.takes, context)
        if value is None:
            return self.standing(node, key)
        return self.constant(value, f"{key} of a {node.kind} node")

    def standing(self, node: Node, key: str) -> int:
        """A place that no wire leads: the position of the point, or its coordinates."""
        row = self.put(p.POSITION) if key == "position" else self.put(p.TEXCOORD)
        if key != "position":
            row[O_P] = self.coordinates(node)
        self.spread[int(row[O_TO])] = (int(row[O_TO]), 1.0)
        return int(row[O_TO])

    def coordinates(self, node: Node) -> int:
        assert self.pictures is not None
        lay = self.lay_of(node) or Lay(id="", projection="uv")
        row = lay_row(lay, (lay.height_mm / lay.width_mm) if not lay.keep_shape and lay.width_mm > 0 else 1.0)
        row[L_ACROSS] = row[L_DOWN] = 0.0  # coordinates go on beyond the picture
        return self.pictures.lay(row)

    def lay_of(self, node: Node) -> Lay | None:
        if not node.lay:
            return None
        lay = next((one for one in self.material.lays if one.id == node.lay), None)
        if lay is None:
            raise BadValue(f"{self.material.name} has no lay named {node.lay}.")
        return lay

    def plain(self, node: Node, key: str) -> float:
        """An input that no wire can lead."""
        one = input_of(node.kind, key)
        assert one is not None
        value = node.inputs.get(key, one.default)
        if isinstance(value, (str, tuple, list)) or not math.isfinite(value):
            raise BadValue(f"{key} of a {node.kind} node has to be a number.")
        return float(value)

    def size(self, node: Node, key: str) -> float:
        value = self.plain(node, key)
        if value <= 0:
            raise BadValue(f"{key} of a {node.kind} node has to be above zero.")
        return value

    def emit(self, names: Iterable[str], context: tuple = ()) -> None:
        """Operations of nodes in order."""
        for name in names:
            if (name, context) in self.place or (name, context) in self.missing:
                continue
            node = self.by_id[name]
            try:
                self.place[name, context] = self.node(node, context)
            except Missing as why:
                self.missing[name, context] = str(why)

    def above(self, name: str) -> list[str]:
        """Ids of a node and all that lead to it, in order."""
        held = behind(self.material, [name])
        return [n for n in self.order if n in held]

    def node(self, node: Node, context: tuple) -> int:
        """Operations of one node; returns its register."""
        kind = node.kind
        if kind == "constant":
            return self.constant(node.inputs.get("value", (0.5, 0.5, 0.5)), "value of a constant node")
        if kind in ("time", "frame"):
            time, rate = (self.pictures.time, self.pictures.frames_per_second) if self.pictures is not None else (0.0, 24.0)
            return self.constant(time if kind == "time" else round(time * rate), "time")
        if kind in ("image", "tiledimage"):
            return self.image(node, context)
        if kind == "heighttonormal":
            return self.slope(node, context)
        if kind in _NOISES:
            return self.noise(node, context)
        if kind in _EACH:
            return self.each(node, context)
        return self.other(node, context)

    def each(self, node: Node, context: tuple) -> int:
        """What works on each number alone, and other sums; places keep knowing how far the footprint reaches."""
        kind, own = node.kind, node.inputs
        inputs = [one for one in KINDS[kind].inputs if one.led]
        if kind == "mix":  # under, over, share: as the operation has them
            inputs = [inputs[1], inputs[0], inputs[2]]
        sources = [self.source(node, one.name, context) for one in inputs]
        code = _EACH[kind]
        numbers = {k: own.get(k, input_of(kind, k).default) for k in (one.name for one in inputs)}  # type: ignore[union-attr]
        if kind == "range" and choice_of(kind, node.choices, "doclamp") == "yes" and numbers["gamma"] == 1.0:
            ends = [numbers[k] for k in ("inlow", "inhigh", "outlow", "outhigh")]
            if all(isinstance(v, (int, float)) and math.isfinite(v) for v in ends):
                row = self.put(p.REMAP, sources[:1])
                row[O_P : O_P + 4] = ends
                return int(row[O_TO])
        if kind == "invert" and numbers["amount"] == 1.0:
            code, sources = p.INVERT, sources[:1]
        if kind == "mix" and self._is_number(node, "mix"):
            code = p.MIX
        row = self.put(code, sources)
        if kind == "range":
            row[O_FLAG] = choice_of(kind, node.choices, "doclamp") == "yes"
        if kind in ("checker", "stripes", "dots", "ramp", "wood"):
            self.pattern(row, node)
        if kind in ("add", "subtract", "multiply", "divide", "rotate2d", "rotate3d", "combine3"):
            self._keep_spread(node, row, sources)
        return int(row[O_TO])

    def _is_number(self, node: Node, key: str) -> bool:
        value = node.inputs.get(key, 0.0)
        if isinstance(value, str):
            name, reads = source_of(value)
            return bool(reads) or self.flows[name] == "number"
        return not isinstance(value, (tuple, list))

    def _keep_spread(self, node: Node, row: np.ndarray, sources: list[int]) -> None:
        known = next((self.spread[s] for s in sources if s in self.spread), None)
        if known is None:
            return
        scale = 1.0
        if node.kind in ("multiply", "divide"):
            other = node.inputs.get("in2", 1.0) if sources[0] in self.spread else node.inputs.get("in1", 1.0)
            if not isinstance(other, str):
                largest = max(abs(float(v)) for v in other) if isinstance(other, (tuple, list)) else abs(float(other))
                scale = largest if node.kind == "multiply" else 1.0 / max(1e-9, largest)
        self.spread[int(row[O_TO])] = (known[0], known[1] * scale)

    def pattern(self, row: np.ndarray, node: Node) -> None:
        """The numbers of the patterns that mix two colours."""
        kind = node.kind
        if kind == "ramp":
            row[O_P : O_P + 3] = (self.plain(node, "from_mm"), self.plain(node, "to_mm"), p.AXES.index(node.axis))
        elif kind == "wood":
            turn = math.radians(self.plain(node, "board_turn"))
            row[O_P : O_P + 9] = (
                self.size(node, "ring_mm"), max(0.0, self.plain(node, "board_mm")), p.AXES.index(node.axis), math.cos(turn), math.sin(turn),
                self.plain(node, "pith_mm"), max(0.0, self.plain(node, "waver")), max(0.0, self.plain(node, "fibre")), self.plain(node, "seed"),
            )  # fmt: skip
        else:
            row[O_P] = self.size(node, "size_mm")
            row[O_P + 1] = self.plain(node, "share") if kind != "checker" else 0.5
            row[O_P + 2] = p.AXES.index(node.axis)

    def noise(self, node: Node, context: tuple) -> int:
        """The standard's noises: the place first, then what else a wire may lead."""
        kind = node.kind
        at = "position" if kind.endswith("3d") else "texcoord"
        place = self.source(node, at, context)
        more = [self.source(node, one.name, context) for one in KINDS[kind].inputs if one.led and one.name != at]
        root, scale = self.spread.get(place, (0, 0.0))
        row = self.put(_NOISES[kind], [place, *more])
        if root:
            self.slots[-1] = (*self.slots[-1], O_P)  # the register that knows the footprint is read as well
        row[O_P], row[O_P + 1] = root, scale
        if kind.startswith("fractal"):
            row[O_P + 2 : O_P + 5] = (
                min(16.0, max(1.0, round(self.plain(node, "octaves")))), self.plain(node, "lacunarity"), self.plain(node, "diminish"),
            )  # fmt: skip
        if kind.startswith("worley"):
            row[O_P + 2] = float(choice_of(kind, node.choices, "style"))
        return int(row[O_TO])

    def slope(self, node: Node, context: tuple) -> int:
        """The normal of a height: its nodes are run at four points about the one that is seen."""
        value = node.inputs.get("in", 0.0)
        scale = self.source(node, "scale", context)
        if not isinstance(value, str):
            row = self.put(p.NORMAL)
            return int(row[O_TO])
        around = []
        names = self.above(source_of(value)[0])
        for k in range(1, 5):
            self.put(p.SHIFT, (), 0)[O_P] = k
            inner = (*context, (node.id, k))
            self.emit(names, inner)
            around.append(self.led(value, "number", inner))
        self.put(p.SHIFT, (), 0)
        row = self.put(p.SLOPE, [*around, scale])
        return int(row[O_TO])

    def picture_of(self, node: Node) -> tuple[int, float]:
        """(number of its picture, height over width). Raises Missing, or BadValue with a sentence."""
        if not node.image:
            raise Missing(f"{node.file} is missing." if node.file else f"{node.name or node.id} has no picture yet.")
        assert self.pictures is not None
        h, w = self.pictures.shape(node.image)
        return self.pictures.number(node.image, node.as_colour, node.channel not in ("colour", "alpha")), h / w

    def image(self, node: Node, context: tuple) -> int:
        picture, shape = self.picture_of(node)
        assert self.pictures is not None
        own = node.inputs
        if node.kind == "tiledimage" or isinstance(own.get("texcoord"), str):
            return self.image_at(node, context, picture)
        lay = self.lay_of(node) or plain_lay(
            self.size(node, "width_mm"), self.plain(node, "height_mm"), self.plain(node, "turn"), self.plain(node, "offset_x_mm"),
            self.plain(node, "offset_y_mm"), node.projection, node.axis,
        )  # fmt: skip
        row = self.put(p.IMAGE)
        if not node.as_colour:
            self.plain_data.add(int(row[O_TO]))
        self.lay_image(row, lay, picture, shape, limited(lay) or (node.channel == "colour" and self.pictures.sees_through(node.image or "")))
        row[p.I_CHANNEL], row[p.I_STRENGTH], row[p.I_GREEN] = p.CHANNELS.index(node.channel), self.plain(node, "strength"), node.green_down
        row[p.O_ADJUST :] = p.adjust_row(node.adjust, node.as_colour)
        return int(row[O_TO])

    def lay_image(self, row: np.ndarray, lay: Lay, picture: int, shape: float, bare: bool) -> None:
        """The numbers of a picture laid on the part."""
        if not lay.width_mm > 0 or not (lay.keep_shape or lay.height_mm > 0):
            raise BadValue(f"The size of a picture of {self.material.name} has to be above zero.")
        assert self.pictures is not None
        row[p.I_PICTURE], row[p.I_LAY] = picture, self.pictures.lay(lay_row(lay, shape))
        row[p.I_WIDTH] = math.inf if bare or lay.projection == "uv" else lay.width_mm
        row[p.I_STRENGTH] = 1.0
        row[p.I_WRAPS] = lay.tile == "both" and not lay.mirror and not lay.gap_x_mm and not lay.gap_y_mm
        row[p.I_BLEND] = lay.blend if lay.projection == "box" else 0.0
        self.covered.add(int(row[O_TO]))

    def image_at(self, node: Node, context: tuple, picture: int) -> int:
        """A picture looked up at coordinates that a wire brings, tiled as the standard says."""
        place = self.source(node, "texcoord", context)
        tiles = self.source(node, "uvtiling", context) if node.kind == "tiledimage" else self.constant((1.0, 1.0, 0.0), "tiles")
        shift = self.source(node, "uvoffset", context) if node.kind == "tiledimage" else self.constant((0.0, 0.0, 0.0), "shift")
        root, scale = self.spread.get(place, (0, 0.0))
        if node.kind == "tiledimage":
            size, tile = (self._literal(node, k) for k in ("realworldimagesize", "realworldtilesize"))
            ratio = tuple(b / a if abs(a) > 1e-12 else 1.0 for a, b in zip(size, tile))
            if ratio[:2] != (1.0, 1.0):
                by = self.constant((ratio[0], ratio[1], 0.0), "tile")
                tiles, shift = (int(self.put(p.MULTIPLY, (s, by))[O_TO]) for s in (tiles, shift))
            scale *= max(abs(v) for v in self._literal(node, "uvtiling")[:2])
        row = self.put(p.IMAGE_AT, (place, tiles, shift))
        if root:
            self.slots[-1] = (*self.slots[-1], O_P + 1)
        row[O_P], row[O_P + 1], row[O_P + 2], row[O_P + 3] = picture, root, scale, p.CHANNELS.index(node.channel)
        for k, key in enumerate(("uaddressmode", "vaddressmode")):
            row[O_P + 4 + k] = _ADDRESSES[choice_of("image", node.choices, key)] if node.kind == "image" else 0.0
        row[p.O_ADJUST :] = p.adjust_row(node.adjust, node.as_colour)
        return int(row[O_TO])

    def _literal(self, node: Node, key: str) -> tuple[float, ...]:
        one = input_of(node.kind, key)
        assert one is not None
        value = node.inputs.get(key, one.default)
        if isinstance(value, str) or value is None:
            return (1.0, 1.0, 1.0)
        return tuple(float(v) for v in value) if isinstance(value, (tuple, list)) else (float(value),) * 3

    def projected(self, node: Node) -> int:
        """The number of the lay that a pattern on the surface follows, in mm: its own, or its projection about the part's axis."""
        assert self.pictures is not None
        lay = self.lay_of(node)
        if lay is None or lay.projection == "uv":
            lay = plain_lay(1.0, 1.0, 0.0, 0.0, 0.0, node.projection, node.axis)
        row = lay_row(replace(lay, width_mm=1.0, height_mm=1.0, keep_shape=False, tile="both", gap_x_mm=0.0, gap_y_mm=0.0, mirror=False), 1.0)
        row[L_ACROSS] = row[L_DOWN] = 0.0
        return self.pictures.lay(row)

    def other(self, node: Node, context: tuple) -> int:
        """What has a form of its own."""
        kind, plain, size = node.kind, lambda key: self.plain(node, key), lambda key: self.size(node, key)
        chosen = lambda name: choice_of(kind, node.choices, name)  # noqa: E731
        if kind == "texcoord":
            return self.standing(node, "texcoord")
        if kind == "position":
            row = self.put(p.WORLD_POSITION if chosen("space") == "world" else p.POSITION)
            self.spread[int(row[O_TO])] = (int(row[O_TO]), 1.0)
        elif kind in ("normal", "tangent"):
            row = self.put(p.NORMAL if kind == "normal" else p.TANGENT)
            row[O_P] = chosen("space") == "world"
        elif kind == "facingratio":
            row = self.put(p.FACING)
            row[O_P] = max(0.0, plain("power"))
            if chosen("invert") == "yes":
                row = self.put(p.INVERT, (int(row[O_TO]),))
        elif kind == "geompropvalue":
            prop = chosen("geomprop")
            if prop == "uv":
                return self.standing(replace(node, lay=""), "texcoord")
            row = self.put(p.RANDOM_OF if prop == "random" else p.PART_FACT, (self.constant(0.0, ""), self.constant(1.0, "")))
            row[O_P] = {"size": 0, "middle": 1, "random": 0}[prop]
        elif kind == "random":
            row = self.put(p.RANDOM_OF, (self.source(node, "min", context), self.source(node, "max", context)))
            row[O_P] = plain("seed")
        elif kind == "place2d":
            row = self.put(p.PLACE2, [self.source(node, k, context) for k in ("texcoord", "pivot", "scale", "rotate", "offset")])
            row[O_FLAG] = float(chosen("operationorder"))
            known = self.spread.get(int(row[O_A]))
            if known is not None:
                self.spread[int(row[O_TO])] = (known[0], known[1] / max(1e-9, min(abs(v) for v in self._literal(node, "scale")[:2])))
        elif kind in _RAMPS:
            inputs = KINDS[kind].inputs
            sources = [self.source(node, one.name, context) for one in inputs]
            row = self.put(p.RAMP2D, [sources[-1], *sources[:-1]])
            row[O_FLAG] = _RAMPS[kind]
            root, scale = self.spread.get(sources[-1], (0, 0.0))
            if root:
                self.slots[-1] = (*self.slots[-1], O_FLAG + 1)
            row[O_FLAG + 1], row[O_FLAG + 2] = root, scale
        elif kind == "extract":
            row = self.put(p.EXTRACT, (self.source(node, "in", context),))
            row[O_P] = float(chosen("index"))
        elif kind == "normalmap":
            row = self.put(p.NORMAL_MAP, (self.source(node, "in", context), self.source(node, "scale", context)))
            row[O_P] = self._lay_behind(node)
        elif kind == "noise":
            row = self.put(p.NOISE)
            wide, stretch = size("size_mm"), size("stretch")
            row[O_P : O_P + 5] = (wide, min(16, max(1, round(plain("octaves")))), plain("lacunarity"), plain("gain"), plain("seed"))
            row[O_P + 5 : O_P + 8] = [1.0 / (wide * stretch if axis == node.axis else wide) for axis in p.AXES]
            row[O_P + 8] = min(1.0, max(0.0, plain("fold")))
            parts = row[O_P + 3] ** np.arange(int(row[O_P + 1]))
            row[O_P + 9] = min(1.0, FOLDED_MEAN * math.sqrt((parts**2).sum()) / max(1e-9, abs(parts.sum())))
        elif kind == "cells":
            row = self.put(p.CELLS)
            row[O_P : O_P + 3] = (size("size_mm"), min(1.0, max(0.0, plain("jitter"))), plain("seed"))
        elif kind == "weave":
            row = self.put(p.WEAVE)
            row[O_P : O_P + 6] = (
                size("size_mm"), p.PROJECTIONS.index(node.projection), p.AXES.index(node.axis), max(1.0, round(plain("over"))),
                min(1.0, max(0.0, plain("uneven"))), plain("seed"),
            )  # fmt: skip
        elif kind == "text":
            return self.text(node)
        elif kind == "shapes":
            return self.shapes(node, context)
        elif kind == "heattint":
            row = self.put(p.HEAT_TINT, (self.source(node, "thickness", context), self.source(node, "metal", context)))
            self.data(tint_table())
        elif kind == "gradient":
            return self.gradient(node, context)
        else:
            row = self.put({"knurl": p.KNURL, "brushed": p.BRUSHED, "scratches": p.SCRATCHES, "leather": p.LEATHER, "orangepeel": p.ORANGE_PEEL,
                            "flakes": p.FLAKES, "curvature": p.CURVATURE, "cavity": p.CURVATURE, "edgewear": p.EDGE_WEAR}[kind])  # fmt: skip
            self.own(row, node)
        return int(row[O_TO])

    def own(self, row: np.ndarray, node: Node) -> None:
        """The numbers of our own patterns."""
        kind, plain, size = node.kind, lambda key: self.plain(node, key), lambda key: self.size(node, key)
        chosen = lambda name: choice_of(kind, node.choices, name)  # noqa: E731
        axis = p.AXES.index(node.axis)
        if kind == "knurl":
            turn = math.radians(plain("angle") if chosen("pattern") == "diamond" else 0.0)
            row[O_P : O_P + 6] = (
                size("size_mm"), self.projected(node), math.cos(turn), math.sin(turn), min(1.0, max(0.0, plain("sharp"))),
                chosen("pattern") == "straight",
            )  # fmt: skip
        elif kind == "brushed":
            row[O_P : O_P + 5] = (size("size_mm"), size("length_mm"), axis, chosen("way") == "turned", plain("seed"))
        elif kind == "scratches":
            row[O_P : O_P + 6] = (
                size("size_mm"), size("width_mm"), min(1.0, max(0.0, plain("share"))), min(1.0, max(0.0, plain("bend"))), plain("seed"),
                self.projected(node),
            )  # fmt: skip
        elif kind == "leather":
            crease = min(1.0, max(0.02, plain("crease")))
            row[O_P : O_P + 4] = (size("size_mm"), crease, plain("seed"), float(np.interp(crease, *_LEATHER_MEANS)))
        elif kind == "orangepeel":
            row[O_P : O_P + 2] = (size("size_mm"), plain("seed"))
        elif kind == "flakes":
            row[O_P : O_P + 5] = (
                size("size_mm"), min(1.0, max(0.0, plain("share"))), math.tan(math.radians(min(89.0, max(0.0, plain("spread"))))), plain("seed"),
                ("mask", "normal", "random").index(chosen("gives")),
            )  # fmt: skip
        else:
            assert self.pictures is not None
            radius = size("radius_mm")
            row[O_P : O_P + 2] = (self.pictures.curve(radius), radius)
            if kind == "edgewear":
                row[O_P + 2 : O_P + 6] = (
                    min(1.0, max(0.0, plain("amount"))), min(1.0, max(0.0, plain("rough"))), size("size_mm"), plain("seed"),
                )  # fmt: skip
            else:
                row[O_P + 2 : O_P + 4] = (-1.0 if kind == "cavity" else 1.0, max(0.0, plain("strength")))

    def _lay_behind(self, node: Node) -> int:
        """The number of the lay of the first picture that leads a normal map, -1 for none."""
        value = node.inputs.get("in")
        for name in reversed(self.above(source_of(value)[0])) if isinstance(value, str) else ():
            one = self.by_id[name]
            if one.kind == "image" and not isinstance(one.inputs.get("texcoord"), str):
                lay = self.lay_of(one) or plain_lay(1.0, 0.0, self.plain(one, "turn"), 0.0, 0.0, one.projection, one.axis)
                assert self.pictures is not None
                return self.pictures.lay(lay_row(lay, 1.0))
            if one.kind in ("image", "tiledimage", "texcoord"):
                return self.coordinates(one)
        return -1

    def text(self, node: Node) -> int:
        """Letters, drawn and laid as a picture."""
        words = choice_of("text", node.choices, "text").strip() or "Text"
        decal = Decal(id="", name="", artwork="text", text=words)
        drawn = drawing(decal)
        pixels = here(read_picture)(drawn.encode(), "text.svg", long_side=256)
        shape = pixels.height / pixels.width
        assert self.pictures is not None
        drawn_here = functools.partial(here(read_picture), drawn.encode(), "text.svg", long_side=TEXT_SIDE)
        picture = self.pictures.number(f"text@{TEXT_SIDE}:{words}", False, make=drawn_here)
        height = self.size(node, "height_mm")
        lay = self.lay_of(node) or plain_lay(1.0, 1.0, 0.0, 0.0, 0.0, node.projection, node.axis)
        repeat = {"once": "none", "both": "both", "rows": "across", "columns": "down"}[choice_of("text", node.choices, "repeat")]
        gap = max(0.0, self.plain(node, "gap_mm"))
        lay = replace(
            lay, width_mm=height / shape, height_mm=height, keep_shape=False, rotate=lay.rotate + self.plain(node, "turn"), tile=repeat,
            offset_x_mm=lay.offset_x_mm + self.plain(node, "offset_x_mm"), offset_y_mm=lay.offset_y_mm + self.plain(node, "offset_y_mm"),
            gap_x_mm=gap, gap_y_mm=gap,
        )  # fmt: skip
        row = self.put(p.IMAGE)
        self.lay_image(row, lay, picture, shape, True)
        row[p.I_CHANNEL] = p.CHANNELS.index("alpha")
        self.covered.discard(int(row[O_TO]))
        nothing = self.constant(0.0, "")
        row = self.put(p.MIX, (nothing, int(row[O_TO]), self._cover_of(int(row[O_TO]))))
        return int(row[O_TO])

    def _cover_of(self, register: int) -> int:
        row = self.put(p.EXTRACT, (register,))
        row[O_P] = 3
        return int(row[O_TO])

    def shapes(self, node: Node, context: tuple) -> int:
        kind, plain, size = node.kind, lambda key: self.plain(node, key), lambda key: self.size(node, key)
        chosen = lambda name: choice_of(kind, node.choices, name)  # noqa: E731
        picture, tall = -1, size("aspect")
        if chosen("shape") == "drawn":
            if not node.image:
                raise Missing(f"{node.file} is missing." if node.file else f"The shape of {node.name or node.id} has not been chosen yet.")
            assert self.pictures is not None
            h, w = self.pictures.shape(node.image)
            picture, tall = self.pictures.number(node.image, False), tall * h / w
        across = size("spacing_mm")
        row = self.put(p.SHAPES, (self.source(node, "first", context), self.source(node, "second", context)))
        turn, held = math.radians(plain("turn")), _REPEATS[chosen("repeat")]
        row[O_P : O_P + 8] = (
            size("size_mm"), across, plain("spacing_y_mm") if plain("spacing_y_mm") > 0 else across, self.projected(node),
            _PATTERNS[chosen("shape")], held,
            math.cos(turn), math.sin(turn),
        )  # fmt: skip
        row[O_P + 8 : O_P + 14] = (
            min(1.0, max(0.0, plain("jitter"))), math.radians(plain("turn_jitter")), plain("stagger"), plain("seed"), picture, tall,
        )  # fmt: skip
        return int(row[O_TO])

    def gradient(self, node: Node, context: tuple) -> int:
        chosen = lambda name: choice_of("gradient", node.choices, name)  # noqa: E731
        stops = sorted(node.stops, key=lambda s: s.at)
        if any(not math.isfinite(v) for s in stops for v in (s.at, *s.colour)):
            raise BadValue("A stop of a gradient is no number.")
        over = ("part", "group", "axis", "wire").index(chosen("over"))
        row = self.put(p.GRADIENT, (self.source(node, "in", context, "number"),))
        row[O_P : O_P + 5] = (over, p.AXES.index(node.axis), chosen("in") == "mm", ("even", "smooth", "step").index(chosen("between")), len(stops))
        if stops:
            self.data(np.array([v for s in stops for v in ((s.at, 0.0, 0.0), s.colour)], float))
        return int(row[O_TO])

    def finished(self, keep: bool = False) -> tuple[np.ndarray, dict[int, int]]:
        """(n, OP_COLUMNS) with real registers, and of each of ours the real one. Each is free again after it was last read, unless all are to `keep`
        what they hold. Raises BadValue when too many are needed at once."""
        last: dict[int, int] = {}
        for k, (row, slots) in enumerate(zip(self.rows, self.slots)):
            for column in slots:
                last[int(row[column])] = k
        free: list[int] = []
        real: dict[int, int] = {}
        highest = FIRST_REGISTER
        for k, (row, slots) in enumerate(zip(self.rows, self.slots)):
            read = {int(row[column]) for column in slots}
            for column in slots:
                row[column] = real[int(row[column])]
            if int(row[O_CODE]) not in (p.WIRE, p.DATA, p.SHIFT, p.SETTLE):
                to = int(row[O_TO])
                if free:
                    real[to] = free.pop()
                else:
                    real[to] = highest
                    highest += 1
                row[O_TO] = real[to]
                if to not in last and not keep:
                    free.append(real[to])
            if not keep:
                free += [real[r] for r in read if last[r] == k]
        if highest > FIRST_REGISTER + p.REGISTERS and not keep:
            raise BadValue(f"The nodes of {self.material.name} need more numbers at once than a surface program holds.")
        return np.array(self.rows).reshape(-1, OP_COLUMNS), real
