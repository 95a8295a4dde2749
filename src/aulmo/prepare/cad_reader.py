"""STEP, IGES and BREP through the CAD kernel. Runs only in the reading process: see `read_process`."""

import re
import tempfile
from pathlib import Path
from typing import Any, Callable, NamedTuple

import numpy as np

from aulmo.errors import BadFile
from aulmo.prepare.cad_mesh import compound, faces_of, matrix_of, tessellate, to_blob
from aulmo.prepare.cad_twins import Likeness, Twins, likeness
from aulmo.prepare.cad_views import MARK, saved_views
from aulmo.prepare.choices import UNITS

Colour = tuple[float, float, float, float]  # linear sRGB and opacity
_EMPTY_NAMES = ("NONE", "SOLID", "COMPOUND", "SHELL", "Open CASCADE STEP translator")
_UNIT_NAMES = {
    "mm": "millimetres", "millimetre": "millimetres", "centimetre": "centimetres", "cm": "centimetres", "metre": "metres", "m": "metres",
    "inch": "inches", "in": "inches", "foot": "feet", "ft": "feet", "micrometre": "micrometres", "um": "micrometres", "kilometre": "kilometres",
    "meter": "metres", "millimeter": "millimetres", "centimeter": "centimetres",
}  # fmt: skip


def read(path: Path, chord_mm: float, angle: float, say: Callable[[str, float], None], whole: bool = False) -> dict:
    """The assembly of a CAD file.

    Returns {"nodes", "meshes": [Mesh], "shapes": [bytes], "notes", "up", "solids"}; a node is {"name", "parent", "matrix", "mesh", "colour",
    "key", "sets", "layers", "hidden"}: `mesh` an index shared by equal shapes, `colour` linear sRGB and opacity or None, `sets` pairs of a
    colour and its face numbers; "cameras" are its saved views. With `whole` a product of several solids stays one part. Raises BadFile.
    """
    document, unit, views = _transferred(path, say)
    return _Assembly(document, path.stem, say, whole).result(chord_mm, angle, unit) | {"cameras": views}


def _transferred(path: Path, say: Callable[[str, float], None]) -> tuple[Any, str, list[dict]]:
    """The kernel's document of a file, the file's unit of length in words or "", and its saved views."""
    from OCP.IFSelect import IFSelect_RetDone
    from OCP.Interface import Interface_Static
    from OCP.TCollection import TCollection_ExtendedString
    from OCP.TDocStd import TDocStd_Document
    from OCP.XCAFApp import XCAFApp_Application

    say("Reading", 0.02)
    document = TDocStd_Document(TCollection_ExtendedString("XmlOcaf"))
    XCAFApp_Application.GetApplication_s().InitDocument(document)
    kind = path.suffix.lower()
    if kind in (".brep", ".brp"):
        from OCP.BRep import BRep_Builder
        from OCP.BRepTools import BRepTools
        from OCP.TopoDS import TopoDS_Shape
        from OCP.XCAFDoc import XCAFDoc_DocumentTool

        shape = TopoDS_Shape()
        if not BRepTools.Read_s(shape, str(path), BRep_Builder()) or shape.IsNull():
            raise BadFile("it is not a readable BREP shape")
        XCAFDoc_DocumentTool.ShapeTool_s(document.Main()).AddShape(shape, False)
        return document, "", []
    if kind in (".igs", ".iges"):
        from OCP.IGESCAFControl import IGESCAFControl_Reader

        reader = IGESCAFControl_Reader()
    else:
        from OCP.STEPCAFControl import STEPCAFControl_Reader

        reader = STEPCAFControl_Reader()
        reader.SetSHUOMode(True)
        reader.SetViewMode(False)  # the kernel ends with its process at a view that is not whole
    Interface_Static.SetCVal_s("xstep.cascade.unit", "MM")
    Interface_Static.SetIVal_s("read.stepcaf.subshapes.name", 1)
    Interface_Static.SetIVal_s("read.iges.bspline.continuity", 0)
    reader.SetColorMode(True)
    reader.SetNameMode(True)
    reader.SetLayerMode(True)
    with tempfile.TemporaryDirectory() as folder:
        source = path if kind.startswith(".ig") else in_plain_letters(path, Path(folder))
        if reader.ReadFile(str(source)) != IFSelect_RetDone:
            raise BadFile("it is not a readable CAD file, or it is cut short")
        say("Building shapes", 0.2)
        if not reader.Transfer(document):
            raise BadFile("it holds no shapes that can be built")
    unit = _unit_of(reader, kind)
    if kind.startswith(".ig") or MARK not in path.read_bytes():
        return document, unit, []
    return document, unit, saved_views(reader.ChangeReader().Model(), next((mm for mm, name in UNITS.items() if name == unit), 1.0))


def _unit_of(reader, kind: str) -> str:
    if kind.startswith(".ig"):
        from OCP.IGESData import IGESData_IGESModel

        model = reader.IGESModel()
        named = (
            str(model.GlobalSection().UnitName().ToCString()) if isinstance(model, IGESData_IGESModel) and model.GlobalSection().UnitName() else ""
        )
    else:
        from OCP.TColStd import TColStd_SequenceOfAsciiString

        lengths, angles, solid = TColStd_SequenceOfAsciiString(), TColStd_SequenceOfAsciiString(), TColStd_SequenceOfAsciiString()
        reader.ChangeReader().FileUnits(lengths, angles, solid)
        named = str(lengths.Value(1).ToCString()) if lengths.Length() else ""
    return _UNIT_NAMES.get(named.strip().lower(), "")


def in_plain_letters(path: Path, folder: Path) -> Path:
    """The file, or a copy of it in which letters beyond ASCII, whatever their encoding, are written as the STEP standard has them
    (ISO 10303-21, 6.4.3.3, \\X2\\...\\X0\\)."""
    blob = path.read_bytes()
    if not re.search(rb"[\x80-\xff]", blob):
        return path
    text = decoded(blob)
    plain = re.sub(r"[^\x00-\x7f]+", lambda m: "\\X4\\" + "".join(f"{ord(c):08X}" for c in m[0]) + "\\X0\\", text)
    plain = re.sub(r"\\X4\\((?:0000[0-9A-F]{4})+)\\X0\\", lambda m: "\\X2\\" + "".join(re.findall("0000(....)", m[1])) + "\\X0\\", plain)
    copy = folder / f"plain{path.suffix}"
    copy.write_text(plain, "ascii", "replace", newline="")
    return copy


def decoded(blob: bytes) -> str:
    """Text of unknown encoding: UTF-8 when it is that, else the likeliest."""
    for mark, encoding in ((b"\xff\xfe", "utf-16-le"), (b"\xfe\xff", "utf-16-be"), (b"\xef\xbb\xbf", "utf-8")):
        if blob.startswith(mark):
            return blob[len(mark) :].decode(encoding, "replace")
    try:
        return blob.decode("utf-8")
    except UnicodeDecodeError:
        pass
    alone = re.findall(rb"[\x80-\xff]+", blob)
    if sum(map(len, alone)) < 1.5 * len(alone):  # letters with accents among plain ones: western
        return blob.decode("cp1252", "replace")
    from charset_normalizer import from_bytes

    lines = [line for line in blob.splitlines() if re.search(rb"[\x80-\xff]", line)]
    best = from_bytes(b"\n".join(lines[:2000])).best()
    return blob.decode(best.encoding if best else "cp1252", "replace")


class _ShapeMap:
    """Things by shape, the very one at its very place."""

    def __init__(self) -> None:
        self._held: dict[int, list] = {}

    def __setitem__(self, shape, value) -> None:
        self._held.setdefault(hash(shape), []).append((shape, value))

    def get(self, shape):
        """What was put for the shape, or None."""
        return next((value for known, value in self._held.get(hash(shape), ()) if known.IsSame(shape)), None)

    def __bool__(self) -> bool:
        return bool(self._held)


class Noted(NamedTuple):
    """What a file says of a shape within a product."""

    name: str
    colour: Colour | None
    layers: tuple[str, ...]


class Piece(NamedTuple):
    """One part of a product: its shape at its own origin and where that lies; colours of its faces where they have one of their own."""

    number: int
    matrix: np.ndarray
    name: str
    colour: Colour | None
    face_colours: tuple[Colour | None, ...]
    layers: tuple[str, ...]


class _Assembly:
    """Walks an XCAF document."""

    def __init__(self, document, stem: str, say, whole: bool) -> None:
        from OCP.XCAFDoc import XCAFDoc_DocumentTool

        self.shapes = XCAFDoc_DocumentTool.ShapeTool_s(document.Main())
        self.colours = XCAFDoc_DocumentTool.ColorTool_s(document.Main())
        self.layers = XCAFDoc_DocumentTool.LayerTool_s(document.Main())
        self.stem, self.say, self.whole = stem, say, whole
        self.nodes: list[dict] = []
        self.products: dict[str, list[Piece]] = {}
        self.prototypes: list = []
        self.known = _ShapeMap()
        self.twins = Twins()
        self.met = self.several = 0

    def result(self, chord: float, angle: float, unit: str) -> dict:
        from OCP.TDF import TDF_LabelSequence

        free = TDF_LabelSequence()
        self.shapes.GetFreeShapes(free)
        labels = [free.Value(i) for i in range(1, free.Length() + 1)]
        if not labels:
            raise BadFile("it holds no shapes")
        loose = [label for label in labels if self._is_loose(label)]
        if len(loose) > 1:
            labels = [label for label in labels if not self._is_loose(label)]
        else:
            loose = []
        parent = -1
        if len(labels) + bool(loose) > 1:
            parent = self._node(self.stem, -1, np.eye(4), key=self.stem)
        for label in labels:
            self._walk(label, parent, np.eye(4), None, "", [])
        if loose:
            self._add_loose(loose, parent)
        total = len(self.prototypes)
        told = lambda count: self.say(f"Tessellating part {count} of {total}", 0.4 + 0.5 * count / max(1, total))  # noqa: E731
        told(0)
        meshes = tessellate(self.prototypes, chord, angle, told)
        kept = {k: n for n, k in enumerate(i for i, m in enumerate(meshes) if m is not None)}
        if not kept:
            raise BadFile("none of its shapes has a surface")
        for node in self.nodes:
            if node["mesh"] is not None:
                node["mesh"] = kept.get(node["mesh"])
        self.say("Keeping the exact shapes", 0.92)
        notes = [f"Read in {unit or 'millimetres'}, triangles within {chord:g} mm and {angle:g}° of the exact shape"]
        used = sum(node["mesh"] is not None for node in self.nodes)
        if self.met > len(self.prototypes):
            notes.append(f"{used} parts share {len(kept)} shapes")
        return {
            "nodes": self.nodes, "meshes": [meshes[k] for k in kept], "shapes": [to_blob(self.prototypes[k]) for k in kept],
            "notes": notes, "up": "z", "solids": self.several,
        }  # fmt: skip

    def _is_loose(self, label) -> bool:
        """Whether a shape at the top is but a face or a shell, as files without solids have by thousands."""
        from OCP.TopAbs import TopAbs_FACE, TopAbs_SHELL

        shape = self.shapes.GetShape_s(label)
        return not self.shapes.IsAssembly_s(label) and not shape.IsNull() and shape.ShapeType() in (TopAbs_FACE, TopAbs_SHELL)

    def _add_loose(self, labels: list, parent: int) -> None:
        noted = _ShapeMap()
        shapes = [self.shapes.GetShape_s(label) for label in labels]
        for label, shape in zip(labels, shapes):
            noted[shape] = self._noted(label)
            self._note_within(label, noted)
        for piece in self._pieces(compound(shapes), noted, None):
            self._part(self.stem, parent, piece, np.eye(4), None, self.stem, ())

    def _node(self, name, parent, matrix, mesh=None, colour=None, key="", sets=(), layers=(), hidden=False) -> int:
        self.nodes.append(
            {
                "name": name, "parent": parent, "matrix": matrix.tolist(), "mesh": mesh, "colour": colour, "key": key, "sets": list(sets),
                "layers": list(layers), "hidden": hidden,
            }
        )  # fmt: skip
        return len(self.nodes) - 1

    def _walk(self, label, parent: int, matrix: np.ndarray, colour: Colour | None, path: str, deep: list) -> None:
        """Add what a label stands for. `deep` holds colours that an assembly above gives to an instance far below: (way of labels, colour)."""
        from OCP.TDF import TDF_Label, TDF_LabelSequence

        product = label
        if self.shapes.IsReference_s(label):
            product = TDF_Label()
            self.shapes.GetReferredShape_s(label, product)
        name = _name(product) or _name(label) or self.stem
        above = next((given for way, given in deep if len(way) == 1 and way[0] == _entry(label)), None)
        own = above or self._colour(label) or self._colour(product)  # an instance's colour wins over its product's
        deep = [(way[1:], given) for way, given in deep if len(way) > 1 and way[0] == _entry(label)] + self._deep_colours(label)
        path = f"{path}/{name}"
        layers = tuple(dict.fromkeys((*self._layers(label), *self._layers(product))))
        hidden = not self.colours.IsVisible_s(label) or not self.colours.IsVisible_s(product)
        if self.shapes.IsAssembly_s(product):
            index = self._node(name, parent, matrix, key=path, layers=layers, hidden=hidden)
            components = TDF_LabelSequence()
            self.shapes.GetComponents_s(product, components)
            for i in range(1, components.Length() + 1):
                component = components.Value(i)
                self._walk(component, index, matrix_of(self.shapes.GetLocation_s(component)), own or colour, path, deep)
            return
        entry = _entry(product)
        if entry not in self.products:
            noted = _ShapeMap()
            self._note_within(product, noted)
            self.products[entry] = self._pieces(self.shapes.GetShape_s(product), noted, name)
        pieces = self.products[entry]
        self.met += len(pieces)
        if len(pieces) == 1:
            self._part(name, parent, pieces[0], matrix, own or colour, path, layers, hidden)
        elif pieces:
            index = self._node(name, parent, matrix, key=path, layers=layers, hidden=hidden)
            names: dict[str, int] = {}
            for piece in pieces:
                wanted = piece.name or name
                names[wanted] = names.get(wanted, 0) + 1
                numbered = wanted if piece.name and names[wanted] == 1 else f"{wanted} {names[wanted]}"
                self._part(numbered, index, piece, np.eye(4), own or colour, f"{path}/{numbered}", ())

    def _part(self, name, parent, piece: Piece, matrix, colour: Colour | None, key: str, layers, hidden=False) -> None:
        body = piece.colour or colour
        colours = piece.face_colours
        sets: dict[Colour, list[int]] = {}
        bare = 0
        for number, own in enumerate(colours):
            if own is None or own == body:
                bare += 1
            else:
                sets.setdefault(own, []).append(number)
        if sets and not bare:  # nothing wears the body's own colour: the commonest takes its place
            body = max(sets, key=lambda c: len(sets[c]))
            del sets[body]
        self._node(
            name, parent, matrix @ piece.matrix, piece.number, body, key, list(sets.items()), tuple(dict.fromkeys((*layers, *piece.layers))), hidden
        )

    def _pieces(self, shape, noted: _ShapeMap, product: str | None) -> list[Piece]:
        """The solids of a shape, and what faces lie in none as one piece more; or all of it as one."""
        from OCP.TopAbs import TopAbs_FACE, TopAbs_SHELL, TopAbs_SOLID
        from OCP.TopoDS import TopoDS_Iterator

        if shape.IsNull():
            return []
        whole = Noted("", None, ())
        solids: list = []
        bare: list = []

        def visit(within, above: Noted) -> None:
            found = noted.get(within)
            here = above if found is None else Noted(found.name, found.colour or above.colour, above.layers + found.layers)
            if within.ShapeType() == TopAbs_SOLID:
                solids.append((within, here))
            elif within.ShapeType() in (TopAbs_SHELL, TopAbs_FACE):
                bare.append((within, here))
            else:
                inner = TopoDS_Iterator(within, True, True)
                while inner.More():
                    visit(inner.Value(), here._replace(name=""))
                    inner.Next()

        visit(shape, whole)
        self.several += len(solids) if len(solids) > 1 else 0
        if self.whole and len(solids) + len(bare) > 1 or (not solids and len(bare) > 1):
            return self._piece(shape, whole, noted, dict_of(solids + bare))
        pieces = [p for solid, here in solids for p in self._piece(solid, here, noted, None)]
        if len(bare) == 1:
            return pieces + [p for one, here in bare for p in self._piece(one, here, noted, None)]
        if bare:
            together = compound(one for one, _ in bare)
            pieces += self._piece(together, whole._replace(name=f"{product or self.stem} surfaces"), noted, dict_of(bare))
        return pieces

    def _piece(self, shape, here: Noted, noted: _ShapeMap, within: _ShapeMap | None) -> list[Piece]:
        from OCP.TopLoc import TopLoc_Location

        base = shape.Located(TopLoc_Location())
        faces = faces_of(base)
        if not faces:
            return []
        place = np.eye(4) if shape.Location().IsIdentity() else matrix_of(shape.Location())
        known = self.known.get(base)
        if known is None:
            like: Likeness | None = None
            try:
                like = likeness(base, faces)
            except Exception:  # the kernel cannot take points on a broken surface: it has no twins then
                like = None
            known = self.twins.find(len(self.prototypes), like)
            if known[0] == len(self.prototypes):
                self.prototypes.append(base)
            self.known[base] = known
        number, turned = known
        colours = self._face_colours(shape, noted, within) if noted else ()
        return [Piece(number, place @ turned, here.name, here.colour, colours, here.layers)]

    def _face_colours(self, shape, noted: _ShapeMap, within: _ShapeMap | None) -> tuple[Colour | None, ...]:
        """Of every face in order the colour that itself, its shell or, in a shape of several, its solid has."""
        from OCP.TopAbs import TopAbs_FACE
        from OCP.TopoDS import TopoDS_Iterator

        found: list[Colour | None] = []

        def visit(inner, colour: Colour | None, top: bool) -> None:
            own = None if top and within is None else noted.get(inner)
            if within is not None and own is None:
                own = within.get(inner)
            colour = own.colour if own is not None and own.colour else colour
            if inner.ShapeType() == TopAbs_FACE:
                found.append(colour)
                return
            below = TopoDS_Iterator(inner, True, True)
            while below.More():
                visit(below.Value(), colour, False)
                below.Next()

        visit(shape, None, True)
        return tuple(found)

    def _noted(self, label) -> Noted:
        return Noted(_name(label), self._colour(label), tuple(self._layers(label)))

    def _note_within(self, product, noted: _ShapeMap) -> None:
        from OCP.TDF import TDF_LabelSequence

        below = TDF_LabelSequence()
        self.shapes.GetSubShapes_s(product, below)
        for i in range(1, below.Length() + 1):
            noted[self.shapes.GetShape_s(below.Value(i))] = self._noted(below.Value(i))

    def _colour(self, label) -> Colour | None:
        from OCP.Quantity import Quantity_ColorRGBA
        from OCP.XCAFDoc import XCAFDoc_ColorGen, XCAFDoc_ColorSurf

        colour = Quantity_ColorRGBA()
        for kind in (XCAFDoc_ColorSurf, XCAFDoc_ColorGen):
            if self.colours.GetColor_s(label, kind, colour):
                rgb = colour.GetRGB()
                return (rgb.Red(), rgb.Green(), rgb.Blue(), float(colour.Alpha()))
        return None

    def _layers(self, label) -> list[str]:
        names = self.layers.GetLayers(label)
        if names is None:
            return []
        return [t for t in (_text(names.Value(i)) for i in range(1, names.Length() + 1)) if t]

    def _deep_colours(self, label) -> list[tuple[list[str], Colour]]:
        """Colours that an instance gives to instances below it: the way of labels down, and the colour."""
        from OCP.TDF import TDF_AttributeSequence
        from OCP.XCAFDoc import XCAFDoc_GraphNode

        nodes = TDF_AttributeSequence()
        if not self.shapes.IsComponent_s(label) or not self.shapes.GetAllComponentSHUO_s(label, nodes):
            return []
        found = []
        for i in range(1, nodes.Length() + 1):
            node = nodes.Value(i)
            colour = self._colour(node.Label())
            way = []
            while isinstance(node, XCAFDoc_GraphNode) and node.NbChildren():
                node = node.GetChild(1)
                way.append(_entry(node.Label().Father()))
            if colour and way:
                found.append((way, colour))
        return found


def dict_of(pairs: list) -> _ShapeMap:
    """A map from pairs of shape and what was noted of it."""
    made = _ShapeMap()
    for shape, value in pairs:
        made[shape] = value
    return made


def _text(words) -> str:
    return "" if words.IsEmpty() else str(words.ToExtString()).strip()


def _name(label) -> str:
    from OCP.TDataStd import TDataStd_Name

    if not label.IsAttribute(TDataStd_Name.GetID_s()):  # asked first: the binding falls over what is not there
        return ""
    name = TDataStd_Name()
    label.FindAttribute(TDataStd_Name.GetID_s(), name)
    text = _text(name.Get())
    return "" if text in _EMPTY_NAMES or text.startswith("=>") else text


def _entry(label) -> str:
    from OCP.TCollection import TCollection_AsciiString
    from OCP.TDF import TDF_Tool

    entry = TCollection_AsciiString()
    TDF_Tool.Entry_s(label, entry)
    return entry.ToCString()
