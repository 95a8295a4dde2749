"""A material's nodes compiled: into what leads its surface, a single value, or every node at once for the bench."""

from typing import NamedTuple

import numpy as np
from msgspec.structs import replace

from aulmo.document.node_table import Flow, source_of
from aulmo.document.records import Material, Node, Surface
from aulmo.errors import BadValue
from aulmo.surface import program as p
from aulmo.surface.columns import GIVEN, LED_ELSE, Given
from aulmo.surface.emitting import Emitter, Missing, Pictures
from aulmo.surface.node_flow import sound
from aulmo.surface.program import EMPTY, Program


def _wire(emitter: Emitter, name: str, wanted: Flow, given: Given | None = None, raw: tuple[float, ...] = ()) -> None:
    """Lead a node into a column of the material's row; without one into register 0."""
    emitter.emit(emitter.above(source_of(name)[0]))
    try:
        source = emitter.led(name, wanted, ())
    except Missing:
        return
    row = emitter.put(p.WIRE, (source,), given.column if given is not None else -1)
    row[p.W_BARE] = source in emitter.covered  # where it is bare, the surface's own shows
    if given is not None:
        row[p.W_HOW], row[p.W_LEAST], row[p.W_MOST], row[p.W_COUNT] = given.how, given.least, given.most, 3 if wanted == "colour" else 1
    row[p.W_RAW : p.W_RAW + len(raw)] = raw


def compile_program(material: Material, pictures: Pictures | None) -> Program:
    """The operations of a material's nodes. A wire that leads from a missing picture is left out. Raises BadValue with one sentence when the
    nodes do not hang together."""
    for wire in material.wires:
        if wire not in p.WIRED and wire not in p.RELIEF and wire not in p.EVEN:
            raise BadValue(f"{wire} cannot be led from a node; there are {', '.join((*p.WIRED, *p.EVEN, *p.RELIEF))}.")
    led = {k: material.wires[k] for k in p.WIRED if k in material.wires}
    ops = EMPTY
    if led:
        emitter = Emitter(material, pictures, [source_of(v)[0] for v in led.values()])
        # what the glow is multiplied by comes after how bright it is
        for key in sorted(led, key=lambda k: (k == "emission_color", p.WIRED.index(k))):
            raw = _raw(material.surface, key)
            _wire(emitter, led[key], "colour" if key in p.COLOURED else "number", GIVEN.get(key) or LED_ELSE[key], raw)
        if set(led) - p.ALONE:
            emitter.put(p.SETTLE, (), 0)
        ops, _ = emitter.finished()
    height, normal, coat_height, coat_normal = (
        compile_value(material, material.wires[k], pictures, k) if k in material.wires else EMPTY for k in p.RELIEF[:4]
    )
    filmed = "thin_film_thickness" in led and material.surface.thin_film_weight > 0
    return Program(ops, height, normal, coat_height, coat_normal, "specular_roughness" in led, filmed)


def _raw(surface: Surface, key: str) -> tuple[float, ...]:
    """What of a surface's own numbers a wire needs beside the row."""
    if key == "emission_luminance":
        return tuple(surface.emission_color)
    if key == "thin_film_thickness":
        return (max(1e-6, 2.0 * surface.thin_film_thickness),)
    return ()


def compile_value(material: Material, reference: str, pictures: Pictures | None, what: str = "height") -> np.ndarray:
    """Operations of one node, ending in register 0: of a height, of a normal (a colour is a picture of normals, a direction the normal itself) or,
    for any other `what`, as it comes."""
    emitter = Emitter(material, pictures, [source_of(reference)[0]])
    wanted: Flow = "number" if what in ("height", "coat_height", "displacement", "mask") else "either"
    if what in ("normal", "coat_normal"):
        name, reads = source_of(reference)
        node = emitter.by_id[name]
        straight = node.kind == "image" and not isinstance(node.inputs.get("texcoord"), str)
        if not straight and (reads or emitter.flows[name] != "direction"):
            bridge = Node("", "normalmap", {"in": f"@{name}"})
            return compile_value(replace(material, nodes=(*material.nodes, bridge)), "@", pictures, what)
    _wire(emitter, reference, wanted)
    return emitter.finished()[0]


def height_program(material: Material, pictures: Pictures | None) -> np.ndarray:
    """Operations of the displacement's height, in mm, ending in register 0."""
    return compile_value(material, material.wires["displacement"], pictures)


class Shown(NamedTuple):
    """One program that gives every node of a material: its operations, and of each node the register that holds it at the end, its flow, and why it
    cannot be shown where it cannot."""

    ops: np.ndarray
    registers: dict[str, int]
    flows: dict[str, Flow]
    faults: dict[str, str]


def compile_shown(material: Material, pictures: Pictures | None) -> Shown:
    """Every node run at once, for their pictures on the bench: what has a fault is told by a sentence and leaves the others."""
    good, faults = sound(material, [n.id for n in material.nodes])
    emitter = Emitter(material, pictures, good)
    for name in emitter.order:
        try:
            emitter.emit([name])
        except BadValue as error:
            emitter.missing[name, ()] = str(error)
        except KeyError:
            emitter.missing[name, ()] = "What leads here cannot be shown."
        if (name, ()) in emitter.missing:
            faults[name] = emitter.missing[name, ()]
    ops, real = emitter.finished(keep=True)
    registers = {name: real[register] for (name, context), register in emitter.place.items() if not context}
    return Shown(ops, registers, emitter.flows, faults)
