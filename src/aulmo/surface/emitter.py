"""What nodes stand on when they become operations on registers: numbers and colours converted on the way, registers used again when they are free.
"""

import math
from typing import Any, Callable, Iterable, Protocol

import numpy as np
from msgspec.structs import replace

from aulmo.document.node_table import Flow, choice_of, input_of, source_of
from aulmo.document.records import Lay, Material, Node
from aulmo.errors import BadValue
from aulmo.surface import program as p
from aulmo.surface.lay import L_ACROSS, L_DOWN, lay_row, plain_lay
from aulmo.surface.node_flow import behind, flows, ordered
from aulmo.surface.picture import Pixels
from aulmo.surface.program import FIRST_REGISTER, O_A, O_CODE, O_P, O_TO, OP_COLUMNS


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

    def node(self, node: Node, context: tuple) -> int:
        """Operations of one node; returns its register."""
        raise NotImplementedError

    def chosen(self, node: Node, name: str) -> str:
        """What is chosen of a node."""
        return choice_of(node.kind, node.choices, name)

    def above(self, name: str) -> list[str]:
        """Ids of a node and all that lead to it, in order."""
        held = behind(self.material, [name])
        return [n for n in self.order if n in held]

    def literal(self, node: Node, key: str) -> tuple[float, ...]:
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
