"""Reading materials from MaterialX, by the official library: OpenPBR surfaces and their node graphs, standard surfaces and glTF PBR as their nearest
OpenPBR. What has no counterpart is told in a sentence; pictures are looked for beside the file.
"""

import functools
import math
import zipfile
import zlib
from pathlib import Path
from typing import Any, Callable, NamedTuple

import MaterialX as mx
import msgspec
import numpy as np
from msgspec.structs import replace

from aulmo.document import beside as beside_, edits
from aulmo.document.apart import apart
from aulmo.document.assets import AssetStore
from aulmo.document.beside import beside
from aulmo.document.node_table import KINDS, input_of
from aulmo.document.properties import about, accepted
from aulmo.document.records import Lay, Material, Node, NodeGroup, Surface, SurfaceLayer
from aulmo.document.soundness import MOST_NODES
from aulmo.errors import AulmoError, BadFile
from aulmo.surface.colour import SRGB_TO_ACESCG, decode_srgb
from aulmo.surface.materialx_out import OURS_ONLY, OWN, SHADER
from aulmo.surface.node_flow import ordered
from aulmo.surface.picture import ENDINGS, read_picture
from aulmo.surface.program import EVEN, MULTIPLIED, WIRED
from aulmo.surface.shading_models import MODELS, Model

LARGEST_TEXT, LARGEST_MEMBER, MOST_MEMBERS = 64 << 20, 1 << 30, 2000
MOST_ELEMENTS = 20_000
FILE_LAY = "file"


class Read(NamedTuple):
    """Materials that were read, and sentences on what has no counterpart or was not found."""

    materials: list[Material]
    notes: list[str]


def read_materials(path: Path, assets: AssetStore) -> Read:
    """All materials of a .mtlx file, or of a .zip that holds one with its pictures. Raises BadFile with one sentence."""
    read, blobs = _read_apart(path, beside_.anywhere)
    for name, blob in blobs.items():
        assets.add(blob, Path(name).suffix)
    return read


@apart(seconds=30, gigabytes=6)
def _read_apart(path: Path, anywhere: bool) -> tuple[Read, dict[str, bytes]]:
    """The materials, and the pictures that they brought, by their stored names."""
    assets = AssetStore()
    beside_.anywhere = anywhere
    try:
        if path.suffix.lower() == ".zip":
            read = _from_zip(path, assets)
        elif path.stat().st_size > LARGEST_TEXT:
            raise BadFile(f"{path.name} is larger than any MaterialX file that Aulmo reads.")
        else:
            read = parsed(path.read_bytes(), path.name, _beside(path.parent), assets)
    except OSError as error:
        raise BadFile(f"{path.name} could not be read: {error.strerror or error}.") from None
    return read, assets.held()


def _from_zip(path: Path, assets: AssetStore) -> Read:
    try:
        with zipfile.ZipFile(path) as archive:
            members = [m for m in archive.infolist() if not m.is_dir()]
            if len(members) > MOST_MEMBERS or any(m.file_size > LARGEST_MEMBER for m in members):
                raise BadFile(f"{path.name} holds more than a material would.")
            name = next((m.filename for m in members if m.filename.lower().endswith(".mtlx")), None)
            if name is None:
                raise BadFile(f"{path.name} holds no MaterialX file.")
            by_name = {m.filename: m for m in members}
            root = name.rpartition("/")[0]

            def find(wanted: str) -> bytes | None:
                wanted = wanted.replace("\\", "/")
                full = f"{root}/{wanted}".lstrip("/")
                member = by_name.get(full) or next((m for n, m in by_name.items() if n.rpartition("/")[2] == wanted.rpartition("/")[2]), None)
                return archive.read(member) if member is not None else None

            return parsed(archive.read(name), path.name, find, assets)
    except (zipfile.BadZipFile, zlib.error, EOFError, OSError, NotImplementedError, RuntimeError, UnicodeDecodeError) as error:
        raise BadFile(f"{path.name} is damaged: {str(error) or 'it cannot be unpacked'}.") from None


def _beside(folder: Path) -> Callable[[str], bytes | None]:
    """Finds a picture by its path from the file, else by its name in the folder or one within it: beside or below it, and nowhere else."""

    def find(wanted: str) -> bytes | None:
        name = wanted.replace("\\", "/")
        path = beside(folder, name) or beside(folder, name.rpartition("/")[2], below=True)
        return path.read_bytes() if path is not None and path.suffix.lower() in ENDINGS else None

    return find


def parsed(text: bytes, name: str, find: Callable[[str], bytes | None], assets: AssetStore) -> Read:
    """Materials of a MaterialX document's text. Raises BadFile with one sentence; assets get the pictures that `find` finds."""
    if len(text) > LARGEST_TEXT:
        raise BadFile(f"{name} is larger than any MaterialX file that Aulmo reads.")
    document = mx.createDocument()
    try:
        options = mx.XmlReadOptions()
        options.readXIncludeFunction = None  # a file speaks for itself
        mx.readFromXmlString(document, text.decode("utf-8-sig"), mx.FileSearchPath(), options)
    except UnicodeDecodeError:
        raise BadFile(f"{name} is no MaterialX file: it is not text.") from None
    except Exception as error:
        raise BadFile(f"{name} is no MaterialX file: {_first_line(error)}") from None
    reader = _Reader(document, name, find, assets)
    try:
        return reader.run()
    except BadFile:
        raise
    except AulmoError as error:
        raise BadFile(f"{name}: {error}") from None
    except RecursionError:
        raise BadFile(f"{name} is nested deeper than Aulmo reads.") from None
    except Exception as error:  # the library tells of broken links with exceptions of its own
        raise BadFile(f"{name} does not hold together: {_first_line(error)}") from None


@functools.cache
def _standard_library() -> Any:
    """The standard's own definitions, read once."""
    library = mx.createDocument()
    mx.loadLibraries(mx.getDefaultDataLibraryFolders(), mx.getDefaultDataSearchPath(), library)
    return library


def _first_line(error: Exception) -> str:
    line = str(error).strip().split("\n")[0].rstrip(".")
    return f"{line}." if line else "it cannot be read."


def add_materials(document, materials: list[Material]):
    """A document with materials under names and ids that are free. Returns it and their ids."""
    ids = []
    for material in materials:
        name = edits.free_name(material.name, (m.name for m in document.materials.values()))
        fresh = replace(material, id=edits.new_id(), name=name)
        document = edits.put_material(document, fresh)
        ids.append(fresh.id)
    return document, ids


class _Reader:
    def __init__(self, document: Any, name: str, find: Callable[[str], bytes | None], assets: AssetStore) -> None:
        self.document, self.name, self.find, self.assets = document, name, find, assets
        self.notes: list[str] = []

    def run(self) -> Read:
        count = sum(1 for _ in self.document.traverseTree())
        if count > MOST_ELEMENTS:
            raise BadFile(f"{self.name} has more nodes than a material can have.")
        self.document.setDataLibrary(_standard_library())
        found = [(node.getName(), self._linked(node, "surfaceshader"), node) for node in self.document.getMaterialNodes()]
        if not found:
            found = [(node.getName(), node, None) for node in self.document.getNodes() if node.getType() == "surfaceshader"]
        found = [(name, shader, node) for name, shader, node in found if shader is not None]
        if not found:
            raise BadFile(f"{self.name} holds no material with a surface.")
        materials = []
        for name, shader, node in found:
            one = _One(self)
            materials.append(one.run(name, shader, node))
        return Read(materials, list(dict.fromkeys(self.notes)))

    def _linked(self, node: Any, key: str) -> Any:
        entry = node.getInput(key)
        return entry.getConnectedNode() if entry is not None else None


class _One:
    """One material on its way in."""

    def __init__(self, reader: _Reader) -> None:
        self.reader, self.notes = reader, reader.notes
        self.nodes: dict[str, Node] = {}
        self.by_path: dict[str, str] = {}
        self.lays: dict[str, Lay] = {}
        self.waiting: list[Any] = []

    def run(self, name: str, shader: Any, node: Any) -> Material:
        own = _own(node) if node is not None else {}
        for lay in own.get("lays", []):
            made = _converted(lay, Lay)
            if made is not None:
                self.lays[made.id] = made
        layers: list[tuple[Any, Any]] = []
        seen = 0
        while shader is not None and shader.getCategory() == "mix" and seen < 64:  # surfaces mixed by a mask are layers
            fg, bg = self.reader._linked(shader, "fg"), self.reader._linked(shader, "bg")
            if fg is None or bg is None:
                raise BadFile(f"{self.reader.name}: a mix of surfaces in {name} is led by nothing.")
            layers.append((fg, shader.getInput("mix")))
            shader, seen = bg, seen + 1
        if shader is None:
            raise BadFile(f"{self.reader.name}: {name} has no surface.")
        surface, wires = self.surface(shader, name)
        over = []
        for k, (fg, mask) in enumerate(reversed(layers)):
            above, led = self.surface(fg, name)
            about_it = _own(fg)
            value = self.value(mask, "number") if mask is not None else 0.0
            over.append(SurfaceLayer(
                about_it.get("id") or f"layer-{k + 1}", about_it.get("name") or f"Layer {k + 1}", above, led,
                value if isinstance(value, (str, float)) else float(value[0]),
            ))  # fmt: skip
        displacement = self.reader._linked(node, "displacementshader") if node is not None else None
        if displacement is not None:
            entry = displacement.getInput("displacement")
            value = self.value(entry, "number") if entry is not None else None
            if isinstance(value, str):
                wires["displacement"] = value[1:]
        self._finish()
        if len(self.nodes) > MOST_NODES:
            raise BadFile(f"{self.reader.name} has more nodes than a material can have: {len(self.nodes)}.")
        material = Material(
            edits.new_id(), own.get("name") or name.replace("_", " "), own.get("kind") or _kind_of(surface), surface, tuple(self.nodes.values()),
            wires, lays=tuple(self.lays.values()), layers=tuple(over), tags=tuple(t for t in own.get("tags", []) if isinstance(t, str)),
        )  # fmt: skip
        step = own.get("displacement_step")
        if isinstance(step, (int, float)) and 1e-3 <= step <= 1e5:
            material = replace(material, displacement_step=float(step))
        groups = [_converted(g, NodeGroup) for g in own.get("groups", [])]
        held = {n.group for n in material.nodes}
        material = replace(material, groups=tuple(g for g in groups if g is not None and g.id in held))
        ordered(material, [n.id for n in material.nodes])
        return material

    # surfaces

    def surface(self, shader: Any, name: str) -> tuple[Surface, dict[str, str]]:
        """A shader's parameters and wires, as OpenPBR."""
        category = shader.getCategory()
        if category == SHADER:
            return self._open_pbr(shader)
        if category in MODELS:
            self.notes.append(f"{name} was translated from {MODELS[category].words}.")
            return self._translated(shader, MODELS[category])
        raise BadFile(f"{self.reader.name}: {name} is a surface of a kind that Aulmo does not read: {category}.")

    def _open_pbr(self, shader: Any) -> tuple[Surface, dict[str, str]]:
        fields: dict[str, Any] = {}
        wires: dict[str, str] = {}
        for key, value in _own(shader).items():
            if key in OURS_ONLY and isinstance(value, (int, float)):
                self._take(fields, wires, key, value)
        for key, value in (_own(shader).get("led") or {}).items():
            if key in Surface.__struct_fields__ and not isinstance(value, str):
                self._take(fields, wires, key, tuple(value) if isinstance(value, list) else value)
        for entry in shader.getInputs():
            key = entry.getName()
            if key in ("geometry_normal", "geometry_coat_normal"):
                self._normal(entry, wires, "coat_" if "coat" in key else "")
                continue
            if key in ("geometry_tangent", "geometry_coat_tangent"):
                if entry.getConnectedNode() is not None:
                    self.notes.append("A tangent that nodes lead has no counterpart: the stretch of highlights runs round the part's axis.")
                continue
            if key not in Surface.__struct_fields__:
                self.notes.append(f"{key} of an OpenPBR surface has no counterpart.")
                continue
            self._take(fields, wires, key, self._typed(entry, key))
        return Surface(**fields), wires

    def _typed(self, entry: Any, key: str) -> Any:
        kind = about(f"materials/x/surface/{key}").kind
        return self.value(entry, "colour" if kind == "colour" else "number", yes=kind == "yes")

    def _take(self, fields: dict[str, Any], wires: dict[str, str], key: str, value: Any) -> None:
        """A value or a wire for a parameter; what it cannot have is brought within."""
        if value is None:
            return
        if isinstance(value, str):
            if key in WIRED or key in EVEN:
                wires[key] = value[1:]
                if key in MULTIPLIED:  # what the surface has was multiplied on the way out
                    fields[key] = 1.0 if key == "base_weight" else (1.0, 1.0, 1.0)
            return
        known = about(f"materials/x/surface/{key}")
        if known.kind == "yes":
            fields[key] = bool(value)
            return
        numbers = [float(v) for v in value] if isinstance(value, (tuple, list)) else [float(value)]
        least = -known.most if known.kind == "colour" else known.least
        held = [min(known.most, max(least, v)) if math.isfinite(v) else 0.0 for v in numbers]
        if held != numbers:
            self.notes.append(f"{known.label} was out of range and was brought within.")
        if known.kind == "colour":
            held = held if len(held) == 3 else held * 3
            fields[key] = (held[0], held[1], held[2])
        else:
            fields[key] = int(held[0]) if known.kind == "whole" else held[0]
        accepted(known, fields[key])

    def _normal(self, entry: Any, wires: dict[str, str], coat: str) -> None:
        """What leads a normal: a bump of a height, a normal map, one over the other, or a direction."""
        node = entry.getConnectedNode()
        if node is None:
            return
        if node.getCategory() == "bump":
            height = node.getInput("height")
            scale = node.getInput("scale")
            value = self.value(height, "number") if height is not None else None
            if isinstance(value, str):
                by = self.value(scale, "number") if scale is not None else 1.0
                if by != 1.0:
                    times = self._fresh("times")
                    self.nodes[times] = Node(times, "multiply", {"in1": value, "in2": by})
                    value = f"@{times}"
                wires[f"{coat}height"] = value[1:]
            under = node.getInput("normal")
            if under is not None and under.getConnectedNode() is not None and under.getConnectedNode().getCategory() != "normal":
                self._normal(under, wires, coat)
            return
        if node.getCategory() == "normalmap" and not _own(node):
            picture = node.getInput("in")
            scale = node.getInput("scale")
            if picture is not None and picture.getConnectedNode() is not None and picture.getConnectedNode().getCategory() == "heighttonormal":
                inner = picture.getConnectedNode().getInput("in")
                value = self.value(inner, "number") if inner is not None else None
                if isinstance(value, str):
                    wires[f"{coat}height"] = value[1:]
                return
            value = self.value(picture, "colour") if picture is not None else None
            strength = self.value(scale, "number") if scale is not None else 1.0
            if isinstance(value, str) and strength == 1.0:
                wires[f"{coat}normal"] = value[1:]
                return
        value = self.value(entry, "direction")
        if isinstance(value, str):
            wires[f"{coat}normal"] = value[1:]

    def _translated(self, shader: Any, model: Model) -> tuple[Surface, dict[str, str]]:
        """Another shading model's inputs as OpenPBR's."""
        fields: dict[str, Any] = {}
        wires: dict[str, str] = {}
        for entry in shader.getInputs():
            key = entry.getName()
            if key not in model.inputs:
                self.notes.append(f"{key} of {shader.getCategory()} has no counterpart.")
                continue
            rule = model.inputs[key]
            if rule is None:
                continue
            if rule == "normal" or rule == "coat_normal":
                self._normal(entry, wires, rule.removesuffix("normal"))
                continue
            target, change = rule if isinstance(rule, tuple) else (rule, None)
            value = self._typed(entry, target)
            if change is not None and not isinstance(value, str) and value is not None:
                value = change(value)
            elif change is not None and isinstance(value, str):
                value = self._changed(value, change)
            self._take(fields, wires, target, value)
        for key, default in model.defaults.items():
            if key not in wires:
                fields.setdefault(key, default)
        sign, implied, value = model.implied
        if sign in wires or np.any(fields.get(sign, 0.0)):
            fields.setdefault(implied, value)
        return Surface(**fields), wires

    def _changed(self, reference: str, change: Callable) -> str:
        """A wire through what a rule of translation does, where that is a factor."""
        factor = change(1.0)
        zero = change(0.0)
        name = self._fresh("changed")
        if zero == 0.0 and isinstance(factor, float):
            self.nodes[name] = Node(name, "multiply", {"in1": reference, "in2": factor})
        else:
            self.nodes[name] = Node(name, "range", {"in": reference, "outlow": float(zero), "outhigh": float(factor)}, choices={"doclamp": "no"})
        return f"@{name}"

    # nodes

    def _fresh(self, wanted: str) -> str:
        return edits.free_id(wanted, self.nodes)

    def value(self, entry: Any, wanted: str, yes: bool = False) -> Any:
        """What an input has: a number, three, "@id" of what leads it, or None."""
        faced = entry.getInterfaceInput()
        if faced is not None and entry.getConnectedNode() is None:
            return (
                self.value(faced, wanted, yes) if faced.getFullName() != entry.getFullName() and faced.getNamePath() != entry.getNamePath() else None
            )
        node = entry.getConnectedNode()
        if node is None and (entry.getNodeName() or entry.getNodeGraphString() or entry.getOutputString()):
            raise BadFile(f"{self.reader.name}: {entry.getNamePath()} is led from something that is not there.")
        if node is not None:
            output = entry.getConnectedOutput()
            channel = entry.getOutputString() if entry.getOutputString() in ("outr", "outg", "outb", "outx", "outy", "outz") else ""
            if output is not None and output.getOutputString() in ("outr", "outg", "outb", "outx", "outy", "outz"):
                channel = output.getOutputString()
            return self.reference(node, channel, wanted)
        value = entry.getValue()
        return _plain(value, entry)

    def reference(self, node: Any, channel: str, wanted: str) -> Any:
        """ "@id" of a node of the file, which is taken in later."""
        category = node.getCategory()
        if category in ("dot", "convert") and node.getInput("in") is not None:
            return self.value(node.getInput("in"), wanted)
        if category in ("separate2", "separate3", "separate4") and node.getInput("in") is not None:
            value = self.value(node.getInput("in"), "colour")
            reads = {"r": "red", "x": "red", "g": "green", "y": "green", "b": "blue", "z": "blue"}.get(channel[-1:], "red")
            return f"{value.partition(':')[0]}:{reads}" if isinstance(value, str) else value
        if category == "extract" and not _own(node) and node.getInput("in") is not None:
            index = node.getInput("index")
            which = int(index.getValue()) if index is not None and index.getValue() is not None else 0
            inner = node.getInput("in").getConnectedNode()
            if inner is not None and inner.getCategory() == "luminance" and not _own(inner) and inner.getInput("in") is not None:
                value = self.value(inner.getInput("in"), "colour")
                return f"{value.partition(':')[0]}" if isinstance(value, str) else value
            value = self.value(node.getInput("in"), "colour")
            if isinstance(value, str):
                source = self.nodes.get(value[1:])
                if source is not None and source.kind in ("image", "tiledimage") and not source.as_colour:
                    return value
                return f"{value.partition(':')[0]}:{('red', 'green', 'blue')[min(2, max(0, which))]}"
            return value
        path = node.getNamePath()
        if path not in self.by_path:
            own = _own(node)
            name = self._fresh(str(own.get("id") or node.getName()))
            self.by_path[path] = name
            self.nodes[name] = Node(name, "constant", {"value": 0.0})  # its place is taken; see `_finish`
            self.waiting.append(node)
            if len(self.by_path) > MOST_NODES:
                raise BadFile(f"{self.reader.name} has more nodes than a material can have.")
            if category in ("image", "tiledimage"):  # how it is read has to be known before what reads it
                self.waiting.pop()
                self.nodes[name] = self.node(node, name)
        return f"@{self.by_path[path]}"

    def _finish(self) -> None:
        """Take in every node that something leads from."""
        while self.waiting:
            node = self.waiting.pop()
            name = self.by_path[node.getNamePath()]
            self.nodes[name] = self.node(node, name)

    def node(self, element: Any, name: str) -> Node:
        """One node of ours for one of the file."""
        category = element.getCategory()
        own = _own(element)
        kind = category.removeprefix("aulmo_")
        if kind == "power" and own.get("kind") == "facingratio" and element.getInput("in2") is not None:
            made = _converted({**own, "id": name, "inputs": {}}, Node)
            power = self.value(element.getInput("in2"), "number")
            if made is not None and isinstance(power, float):
                return replace(made, inputs={"power": power})
        made = _converted({**own, "id": name, "kind": kind, "inputs": {}}, Node) if own else None
        if kind not in KINDS:
            return self._strange(element, name)
        made = made or Node(name, kind)
        given = {entry.getName(): entry for entry in element.getInputs()}
        made = replace(made, inputs=self._inputs(kind, given, made), choices={**made.choices, **_choices(kind, given)})
        if "file" in given:
            made = self._picture(made, given["file"], element.getType(), bool(own))
        if kind in ("image", "texcoord") and not own and not isinstance(made.inputs.get("texcoord"), str):
            self.lays.setdefault(FILE_LAY, Lay(FILE_LAY, "By the file", "uv"))
            made = replace(made, lay=FILE_LAY)
        if made.lay and made.lay not in self.lays:
            made = replace(made, lay="")
        return made

    def _inputs(self, kind: str, given: dict[str, Any], node: Node) -> dict[str, Any]:
        inputs: dict[str, Any] = {}
        for key, entry in given.items():
            one = input_of(kind, key)
            if one is None:
                continue
            value = self.value(entry, one.takes)
            if value is None:
                continue
            if isinstance(value, str):
                source = self.nodes.get(value[1:].partition(":")[0])
                plain_coordinates = (
                    source is not None and entry.getConnectedNode() is not None and entry.getConnectedNode().getCategory() == "texcoord"
                )
                if key == "texcoord" and plain_coordinates and kind == "image" and not _own(entry.getConnectedNode()):
                    continue  # laid by the file's own coordinates
                if one.led:
                    inputs[key] = value
                continue
            if one.takes == "number":
                inputs[key] = float(value[0] if isinstance(value, tuple) else value)
            else:
                inputs[key] = value if isinstance(value, tuple) else float(value)
        return inputs

    def _picture(self, node: Node, entry: Any, given: str, ours: bool) -> Node:
        """A node's picture, found beside the file."""
        wanted = entry.getResolvedValueString() or entry.getValueString()
        if not wanted:
            return node
        name = Path(wanted.replace("\\", "/")).name
        if not ours:
            space = entry.getActiveColorSpace()
            plain = (
                given in ("float", "vector2", "vector3", "vector4")
                or space in ("", "raw", "none", "lin_rec709", "acescg")
                and given not in ("color3", "color4")
            )
            node = replace(node, as_colour=not plain, channel="colour")
        blob = self.reader.find(wanted)
        if blob is None:
            self.notes.append(f"{name} was not found beside {self.reader.name}.")
            return replace(node, image=None, file=node.file or name)
        try:
            read_picture(blob, name, most_pixels=1 << 12)
        except AulmoError as error:
            self.notes.append(str(error))
            return replace(node, image=None, file=node.file or name)
        return replace(node, image=self.reader.assets.add(blob, Path(name).suffix.lower()), file=node.file if ours and node.file else name)

    def _strange(self, element: Any, name: str) -> Node:
        """The nearest to a node without a counterpart."""
        category = element.getCategory()
        given = {entry.getName(): entry for entry in element.getInputs()}
        alike = {
            "combine2": ("combine3", {"in1": "in1", "in2": "in2"}), "dodge": ("add", {"fg": "in1", "bg": "in2"}), "screen": ("max",
            {"fg": "in1", "bg": "in2"}),
            "plus": ("add", {"fg": "in1", "bg": "in2"}), "minus": ("subtract", {"bg": "in1", "fg": "in2"}), "safepower": ("power",
            {"in1": "in1", "in2": "in2"}),
            "randomfloat": ("random", {"min": "min", "max": "max"}), "colorcorrect": ("hsvadjust", {"in": "in"}), "tan": ("sin", {"in": "in"}),
        }  # fmt: skip
        if category in ("bump", "heighttonormal"):
            height = given.get("height") or given.get("in")
            value = self.value(height, "number") if height is not None else 0.0
            return Node(name, "heighttonormal", {"in": value if value is not None else 0.0})
        if category in alike:
            kind, names = alike[category]
            if category not in ("combine2", "safepower", "plus", "minus", "randomfloat"):
                self.notes.append(f"{category} was read as {KINDS[kind].label.lower()}, its nearest.")
            inputs = {names[k]: v for k, v in ((k, self.value(e, "either")) for k, e in given.items() if k in names) if v is not None}
            return Node(name, kind, inputs)
        self.notes.append(f"A node named {element.getName()} is of a kind without a counterpart: {category}. What leads into it goes on past it.")
        for entry in given.values():
            if entry.getConnectedNode() is not None:
                return Node(name, "add", {"in1": self.value(entry, "either"), "in2": 0.0})
        values = [v for v in (self.value(e, "either") for e in given.values()) if isinstance(v, (float, tuple))]
        return Node(name, "constant", {"value": values[0] if values else 0.5})


def _choices(kind: str, given: dict[str, Any]) -> dict[str, str]:
    found = {}
    for name, values in KINDS[kind].choices.items():
        entry = given.get(name)
        value = entry.getValue() if entry is not None else None
        if kind == "range":
            found[name] = "yes" if value else "no"
            continue
        if value is None:
            continue
        words = {True: "yes", False: "no"}.get(value) if isinstance(value, bool) else str(value)
        if kind == "geompropvalue":
            words = {"UV0": "uv", "st": "uv", "uv": "uv"}.get(str(value), str(value))
        if words in values:
            found[name] = words or ""
    return found


def _own(element: Any) -> dict[str, Any]:
    """What Aulmo kept of its own in an element; nothing where that does not hold together."""
    text = element.getAttribute(OWN) if element is not None else ""
    if not text:
        return {}
    try:
        found = msgspec.json.decode(text)
    except msgspec.DecodeError:
        return {}
    return found if isinstance(found, dict) else {}


def _converted(value: Any, kind: Any) -> Any:
    try:
        made = msgspec.convert(value, kind)
    except msgspec.ValidationError:
        return None
    return made


def _plain(value: Any, entry: Any) -> Any:
    """A value as numbers; colours brought to ACEScg from the file's space."""
    if value is None or isinstance(value, str):
        return None
    if isinstance(value, bool):
        return 1.0 if value else 0.0
    try:  # as it is written: the library's own numbers are short
        numbers = [float(v) for v in entry.getResolvedValueString().split(",")]
    except ValueError:
        numbers = list(value.asTuple()) if hasattr(value, "asTuple") else [float(value)]
    numbers = [v if math.isfinite(v) else 0.0 for v in numbers]
    if len(numbers) == 1:
        return numbers[0]
    if len(numbers) == 2:
        return (numbers[0], numbers[1], 0.0)
    numbers = numbers[:3]
    if entry.getType() in ("color3", "color4"):
        space = entry.getActiveColorSpace()
        if space == "srgb_texture":
            numbers = decode_srgb(np.array(numbers)).tolist()
        if space not in ("acescg", "lin_ap1", "lin_ap1_scene"):
            numbers = (np.array(numbers) @ SRGB_TO_ACESCG.T).tolist()
    return (float(numbers[0]), float(numbers[1]), float(numbers[2]))


def _kind_of(surface: Surface) -> str:
    if surface.base_metalness > 0.5:
        return "Metal"
    if surface.transmission_weight > 0.5:
        return "Glass & liquid"
    if surface.emission_luminance > 0:
        return "Glow"
    if surface.coat_weight > 0.5:
        return "Enamel & paint"
    return "Plastic"
