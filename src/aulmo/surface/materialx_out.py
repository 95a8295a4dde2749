"""Writing a material as MaterialX: an OpenPBR surface and its node graph by the official library, pictures beside it or with it in a zip.

What Aulmo needs to read its own files back to the letter (lays, adjustments, names, places on the bench) is kept in attributes named
`aulmo`, which other programs pass over. Nodes of Aulmo's own are written with a definition, in their own words.
"""

import io
import zipfile
from pathlib import Path
from typing import Any

import MaterialX as mx
import msgspec
from msgspec.structs import replace

from aulmo.document.assets import AssetStore
from aulmo.document.file_names import file_name, safe
from aulmo.document.node_table import KINDS, Flow, choice_of, input_of, source_of
from aulmo.document.records import Material, Node, Surface
from aulmo.document.writing import write_atomically
from aulmo.errors import BadValue, CannotWrite
from aulmo.surface.node_flow import flows, ordered
from aulmo.surface.program import COLOURED, EVEN, WIRED

PICTURES = "pictures"  # the folder that pictures lie in, beside the file
OWN = "aulmo"  # attribute with what is ours alone
PLACES = {"texcoord", "place2d", "rotate2d"}
OURS_ONLY = ("geometry_tangent_turn", "nesting_priority")  # of a surface, without a counterpart in OpenPBR
INTEGERS = {"octaves"}
NO_COLOURS = {"sin", "cos", "exp", "ln", "sqrt"}  # of the standard's, for numbers and directions alone
SHADER = "open_pbr_surface"


def written(material: Material, assets: AssetStore, folder: str = PICTURES) -> tuple[str, dict[str, bytes], list[str]]:
    """The XML of a material, its pictures by their path beside it, and sentences on what has no counterpart. Raises BadValue when its nodes do not
    hang together."""
    writer = _Writer(material, assets, folder)
    return writer.run()


def save_material(material: Material, assets: AssetStore, path: Path) -> list[str]:
    """Write a material to a .mtlx file with its pictures beside it, or with them into a .zip; all or nothing. Returns sentences on what other
    programs will not know. Raises BadValue or CannotWrite."""
    if path.suffix.lower() not in (".mtlx", ".zip"):
        raise BadValue(f"A material is written as .mtlx or .zip, not {path.suffix or path.name}.")
    xml, pictures, notes = written(material, assets)
    if path.suffix.lower() == ".zip":
        put(path, zipped(material.name, xml, pictures))
        return notes
    if pictures and path.parent.is_dir():
        make_folder(path.parent / PICTURES)
    for name, blob in pictures.items():
        put(path.parent / name, blob)
    put(path, xml.encode())
    return notes


def zipped(name: str, xml: str, members: dict[str, bytes]) -> bytes:
    """A zip with a material's description first, then the rest; the same for the same material."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for member, blob in {f"{file_name(name, otherwise='material')}.mtlx": xml.encode(), **members}.items():
            archive.writestr(zipfile.ZipInfo(member, (2020, 1, 1, 0, 0, 0)), blob, zipfile.ZIP_DEFLATED)
    return out.getvalue()


def put(path: Path, blob: bytes) -> None:
    """Write a file whole or not at all. Raises CannotWrite."""
    write_atomically(path, lambda file: file.write(blob))


def make_folder(folder: Path) -> None:
    """Make a folder where there is none. Raises CannotWrite."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise CannotWrite(f"The folder {folder} could not be made: {error.strerror or error}.") from None


class _Writer:
    def __init__(self, material: Material, assets: AssetStore, folder: str) -> None:
        self.material, self.assets, self.folder = material, assets, folder
        self.document = mx.createDocument()
        self.document.setColorSpace("acescg")
        self.document.setAttribute("distanceunit", "millimeter")
        self.names: dict[str, str] = {}
        self.types: dict[str, str] = {}
        self.pictures: dict[str, bytes] = {}
        self.notes: list[str] = []
        self.outputs = 0
        self.made = 0

    def run(self) -> tuple[str, dict[str, bytes], list[str]]:
        material, document = self.material, self.document
        targets = [n.id for n in material.nodes]
        order = ordered(material, targets)
        self.flow: dict[str, Flow] = flows(material, order)
        by_id = {n.id: n for n in material.nodes}
        name = mx.createValidName(material.name)
        self.graph: Any = document.addNodeGraph(f"NG_{name}") if order else None
        for node_id in order:
            self._node(by_id[node_id])
        shader = self._shader(f"SR_{name}", material.surface, material.wires)
        for k, layer in enumerate(material.layers):
            over = self._shader(f"SR_{name}_{k + 1}", layer.surface, layer.wires)
            over.setAttribute(OWN, _json({"id": layer.id, "name": layer.name, **_ours(layer.surface, layer.wires)}))
            mixed = document.addNode("mix", f"MIX_{name}_{k + 1}", "surfaceshader")
            mixed.addInput("fg", "surfaceshader").setConnectedNode(over)
            mixed.addInput("bg", "surfaceshader").setConnectedNode(shader)
            share = mixed.addInput("mix", "float")
            if isinstance(layer.mask, str):
                share.setConnectedOutput(self._output(layer.mask, "float"))
            else:
                share.setValue(float(layer.mask), "float")
            shader = mixed
        made = document.addMaterialNode(name, shader)
        if "displacement" in material.wires:
            moved = document.addNode("displacement", f"DISP_{name}", "displacementshader")
            moved.addInput("displacement", "float").setConnectedOutput(self._output(material.wires["displacement"], "float"))
            made.addInput("displacementshader", "displacementshader").setConnectedNode(moved)
        own = {"name": material.name, "kind": material.kind, "tags": list(material.tags), "displacement_step": material.displacement_step}
        if material.lays:
            own["lays"] = msgspec.to_builtins(material.lays)
        if material.groups:
            own["groups"] = msgspec.to_builtins(material.groups)
        made.setAttribute(OWN, _json(own))
        strange = sorted({KINDS[n.kind].label for n in material.nodes if not KINDS[n.kind].standard})
        if strange:
            self.notes.append(f"Other programs will not know Aulmo's own nodes: {', '.join(strange)}.")
        if any(n.kind == "image" and n.lay for n in material.nodes):
            self.notes.append("Other programs lay the pictures by the file's own coordinates; Aulmo finds its lays again.")
        for kind in dict.fromkeys(n.kind for n in material.nodes if not KINDS[n.kind].standard):
            self._definitions(kind)
        return mx.writeToXmlString(document), self.pictures, self.notes

    # nodes

    def _type(self, node: Node) -> str:
        if node.kind in PLACES or (node.kind == "geompropvalue" and choice_of(node.kind, node.choices, "geomprop") == "uv"):
            return "vector2"
        if node.kind in ("add", "subtract", "multiply", "divide") and any(
            isinstance(v, str) and self.types.get(source_of(v)[0]) == "vector2" for v in node.inputs.values()
        ):
            return "vector2"
        if node.kind == "luminance":
            return "color3"
        if node.kind in NO_COLOURS and self.flow[node.id] == "colour":
            return "vector3"
        return {"number": "float", "colour": "color3", "direction": "vector3", "either": "float"}[self.flow[node.id]]

    def _wanted(self, node: Node, key: str, given: str) -> str:
        one = input_of(node.kind, key)
        assert one is not None
        if key == "texcoord" or (node.kind in ("place2d", "tiledimage") and one.takes == "direction") or (node.kind == "rotate2d" and key == "in"):
            return "vector2"
        if node.kind == "extract":
            value = node.inputs.get("in")
            return self.types[source_of(value)[0]] if isinstance(value, str) and not source_of(value)[1] else "vector3"
        if node.kind == "normalmap" and key == "in":
            return "vector3"
        if one.takes == "number":
            return "float"
        if one.takes == "direction":
            return "vector3"
        if one.takes == "colour":
            return given if node.kind in ("checker", "stripes", "dots", "ramp", "wood", "shapes") else "color3"
        return given

    def _node(self, node: Node) -> None:
        kind = KINDS[node.kind]
        given = self._type(node)
        self.types[node.id] = given
        name = self._free(node.id)
        self.names[node.id] = name
        category = node.kind if kind.standard else f"aulmo_{node.kind}"
        own = replace(node, inputs={})
        if node.kind == "facingratio" and node.inputs.get("power", 1.0) != 1.0:  # the standard's has no power of its own
            made = self.graph.addNode("power", name, "float")
            made.setAttribute(OWN, _json(msgspec.to_builtins(own)))
            facing = self.graph.addNode("facingratio", self._free(f"{name}_face"), "float")
            facing.addInput("invert", "boolean").setValue(choice_of(node.kind, node.choices, "invert") == "yes", "boolean")
            made.addInput("in1", "float").setConnectedNode(facing)
            _set(made.addInput("in2", "float"), node.inputs["power"], "float")
            return
        made = self.graph.addNode(category, name, given)
        made.setAttribute(OWN, _json(msgspec.to_builtins(own)))
        if kind.standard:
            self._choices(node, made)
        else:
            made.setAttribute("nodedef", f"ND_aulmo_{node.kind}_{given}")
        if node.kind in ("image", "tiledimage", "shapes") and (node.image or node.file):
            self._file(node, made)
        for one in kind.inputs:
            value = node.inputs.get(one.name, one.default)
            if value is None or (node.kind == "image" and not one.led):
                continue
            if not kind.standard or one.name in node.inputs:
                self._input(made, node, one.name, value, given)
            elif node.kind == "range" or node.kind in ("mix", "geompropvalue"):
                self._input(made, node, one.name, value, given)

    def _free(self, wanted: str) -> str:
        return self.graph.createValidChildName(mx.createValidName(wanted))

    def _choices(self, node: Node, made: Any) -> None:
        kind = node.kind
        for name in KINDS[kind].choices:
            value = choice_of(kind, node.choices, name)
            if kind == "range":
                made.addInput("doclamp", "boolean").setValue(value == "yes", "boolean")
            elif kind in ("position", "normal", "tangent"):
                made.addInput("space", "string").setValue(value, "string")
            elif kind in ("worleynoise2d", "worleynoise3d", "place2d", "extract"):
                made.addInput(name, "integer").setValue(int(value), "integer")
            elif kind == "facingratio":
                made.addInput("invert", "boolean").setValue(value == "yes", "boolean")
            elif kind == "geompropvalue":
                made.addInput("geomprop", "string").setValue({"uv": "UV0"}.get(value, value), "string")
            elif kind == "image" and value != "periodic":
                made.addInput(name, "string").setValue(value, "string")

    def _file(self, node: Node, made: Any) -> None:
        entry = made.addInput("file", "filename")
        name = node.file or "picture.png"
        if node.image:
            suffix = Path(node.image).suffix or ".png"
            stem = mx.createValidName(safe(Path(name).stem) or "picture")
            path = f"{self.folder}/{stem}{suffix}"
            blob = self.assets.get(node.image)
            k = 2
            while path in self.pictures and self.pictures[path] != blob:
                path = f"{self.folder}/{stem}_{k}{suffix}"
                k += 1
            self.pictures[path] = blob
            name = path
        entry.setValueString(name)
        if node.as_colour:
            entry.setColorSpace("srgb_texture")

    def _input(self, made: Any, node: Node, key: str, value: Any, given: str) -> None:
        wanted = self._wanted(node, key, given)
        if key in INTEGERS and node.kind.startswith("fractal"):
            made.addInput(key, "integer").setValue(round(value), "integer")
            return
        entry = made.addInput(key, wanted)
        if isinstance(value, str):
            entry.setConnectedNode(self._led(value, wanted))
        else:
            _set(entry, value, wanted)

    def _led(self, reference: str, wanted: str) -> Any:
        """The element of a node, through what makes of it what is wanted."""
        name, reads = source_of(reference)
        element, given = self.graph.getNode(self.names[name]), self.types[name]
        if reads in ("red", "green", "blue") and given != "float":
            element, given = self._through(element, "extract", given, "float", {"index": ("red", "green", "blue").index(reads)}), "float"
        elif (reads == "luminance" or wanted == "float") and given == "color3":
            node = next(n for n in self.material.nodes if n.id == name)
            if not (node.kind == "image" and not node.as_colour):
                element = self._through(element, "luminance", "color3", "color3", {})
            element, given = self._through(element, "extract", "color3", "float", {"index": 0}), "float"
        elif wanted == "float" and given in ("vector2", "vector3"):
            element, given = self._through(element, "extract", given, "float", {"index": 0}), "float"
        if given != wanted:
            element = self._through(element, "convert", given, wanted, {})
        return element

    def _through(self, element: Any, category: str, given: str, gives: str, whole: dict[str, int]) -> Any:
        self.made += 1
        made = self.graph.addNode(category, self._free(f"{category}_{self.made}"), gives)
        made.addInput("in", given).setConnectedNode(element)
        for key, value in whole.items():
            made.addInput(key, "integer").setValue(value, "integer")
        return made

    def _output(self, reference: str, wanted: str) -> Any:
        return self._out(self._led(reference, wanted), wanted)

    def _out(self, element: Any, wanted: str) -> Any:
        """An output of the graph, led by an element."""
        self.outputs += 1
        out = self.graph.addOutput(self._free(f"out_{self.outputs}"), wanted)
        out.setConnectedNode(element)
        return out

    # surfaces

    def _shader(self, name: str, surface: Surface, wires: dict[str, str]) -> Any:
        shader = self.document.addNode(SHADER, name, "surfaceshader")
        for key in surface.__struct_fields__:
            value = getattr(surface, key)
            if key in OURS_ONLY or key in wires or (key == "base_color" and "base_weight" in wires):
                continue
            kind = "color3" if isinstance(value, tuple) else "boolean" if isinstance(value, bool) else "float"
            if value != getattr(Surface(), key):
                _set(shader.addInput(key, kind), value, kind)
        shader.setAttribute(OWN, _json(_ours(surface, wires)))
        for key in (*WIRED, *EVEN):
            if key in wires and key not in ("base_weight", "emission_color", "base_color"):
                self._wire(shader, key, wires[key])
        self._multiplied(shader, surface, wires)
        self._relief(shader, wires)
        return shader

    def _wire(self, shader: Any, key: str, reference: str) -> None:
        if key in OURS_ONLY:
            self.notes.append(f"{key} has no counterpart in OpenPBR; what leads it is left out.")
            return
        if key == "geometry_thin_walled":
            self.notes.append("Thin walls cannot be led by a number in OpenPBR; they stay as they are.")
            return
        wanted = "color3" if key in COLOURED else "float"
        shader.addInput(key, wanted).setConnectedOutput(self._output(reference, wanted))

    def _multiplied(self, shader: Any, surface: Surface, wires: dict[str, str]) -> None:
        """What Aulmo multiplies is multiplied by a node: grain over the colour, and the colour of the glow."""
        if "base_color" in wires or "base_weight" in wires:
            base = self._led(wires["base_color"], "color3") if "base_color" in wires else None
            if "base_weight" in wires:
                grain = self._led(wires["base_weight"], "color3")
                own = tuple(c * surface.base_weight for c in surface.base_color)
                base = self._times(grain, base if base is not None else own)
            shader.addInput("base_color", "color3").setConnectedOutput(self._out(base, "color3"))
        if "emission_color" in wires:
            glow = self._led(wires["emission_color"], "color3")
            if surface.emission_color != (1.0, 1.0, 1.0):
                glow = self._times(glow, surface.emission_color)
            shader.addInput("emission_color", "color3").setConnectedOutput(self._out(glow, "color3"))

    def _times(self, element: Any, by: Any) -> Any:
        self.made += 1
        made = self.graph.addNode("multiply", self._free(f"times_{self.made}"), "color3")
        made.addInput("in1", "color3").setConnectedNode(element)
        entry = made.addInput("in2", "color3")
        if isinstance(by, tuple):
            _set(entry, by, "color3")
        else:
            entry.setConnectedNode(by)
        return made

    def _relief(self, shader: Any, wires: dict[str, str]) -> None:
        for height, normal, key in (("height", "normal", "geometry_normal"), ("coat_height", "coat_normal", "geometry_coat_normal")):
            if height not in wires and normal not in wires:
                continue
            element = None
            if normal in wires:
                name, reads = source_of(wires[normal])
                if self.types[name] == "vector3" and not reads:
                    element = self.graph.getNode(self.names[name])
                else:
                    self.made += 1
                    element = self.graph.addNode("normalmap", self._free(f"normalmap_{self.made}"), "vector3")
                    element.addInput("in", "vector3").setConnectedNode(self._led(wires[normal], "vector3"))
            if height in wires:
                self.made += 1
                bump = self.graph.addNode("bump", self._free(f"bump_{self.made}"), "vector3")
                bump.addInput("height", "float").setConnectedNode(self._led(wires[height], "float"))
                if element is not None:
                    bump.addInput("normal", "vector3").setConnectedNode(element)
                element = bump
            shader.addInput(key, "vector3").setConnectedOutput(self._out(element, "vector3"))

    def _definitions(self, kind: str) -> None:
        """A definition of one of our own nodes for each type that it is used with."""
        for given in dict.fromkeys(self.types[n.id] for n in self.material.nodes if n.kind == kind):
            made = self.document.addNodeDef(f"ND_aulmo_{kind}_{given}", given, f"aulmo_{kind}")
            made.setAttribute("doc", KINDS[kind].tip or KINDS[kind].label)
            if kind == "shapes":
                made.addInput("file", "filename").setValueString("")
            example = next(n for n in self.material.nodes if n.kind == kind and self.types[n.id] == given)
            for one in KINDS[kind].inputs:
                wanted = self._wanted(example, one.name, given)
                entry = made.addInput(one.name, wanted)
                if one.default is not None:
                    _set(entry, one.default, wanted)


def _ours(surface: Surface, wires: dict[str, str]) -> dict[str, Any]:
    """What OpenPBR has no place for, and the values that come back when a wire is taken off."""
    kept = {key: getattr(surface, key) for key in OURS_ONLY}
    return {**kept, "led": {key: getattr(surface, key) for key in wires if key in surface.__struct_fields__}}


def _json(value: Any) -> str:
    return msgspec.json.encode(value).decode()


def _set(entry: Any, value: Any, wanted: str) -> None:
    triple = tuple(float(v) for v in value) if isinstance(value, (tuple, list)) else (float(value),) * 3
    if wanted == "boolean":
        entry.setValue(bool(value), "boolean")
    elif wanted == "float":
        entry.setValueString(repr(triple[0]))
    else:
        entry.setValueString(", ".join(repr(v) for v in (triple[:2] if wanted == "vector2" else triple)))
