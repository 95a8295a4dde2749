"""STEP, IGES and BREP through the CAD kernel. Runs only in the reading process: see `read_process`."""

from pathlib import Path
from typing import Callable

import numpy as np

from aulmo.document.assets import Mesh
from aulmo.errors import BadFile


def read(path: Path, chord_mm: float, angle: float, say: Callable[[str, float], None]) -> dict:
    """The assembly of a CAD file.

    Returns {"nodes": [...], "meshes": [Mesh], "shapes": [bytes], "notes": [...]}; a node is {"name", "parent", "matrix", "mesh",
    "colour", "key"}, `mesh` an index shared by instances, `colour` linear sRGB or None. Raises BadFile.
    """
    from OCP.IFSelect import IFSelect_RetDone
    from OCP.Interface import Interface_Static
    from OCP.TCollection import TCollection_ExtendedString
    from OCP.TDocStd import TDocStd_Document
    from OCP.XCAFApp import XCAFApp_Application

    say("Reading", 0.05)
    document = TDocStd_Document(TCollection_ExtendedString("XmlOcaf"))
    XCAFApp_Application.GetApplication_s().InitDocument(document)
    if path.suffix.lower() in (".brep", ".brp"):
        from OCP.BRep import BRep_Builder
        from OCP.BRepTools import BRepTools
        from OCP.TopoDS import TopoDS_Shape
        from OCP.XCAFDoc import XCAFDoc_DocumentTool

        shape = TopoDS_Shape()
        if not BRepTools.Read_s(shape, str(path), BRep_Builder()) or shape.IsNull():
            raise BadFile("it is not a readable BREP shape")
        XCAFDoc_DocumentTool.ShapeTool_s(document.Main()).AddShape(shape, True)
    else:
        if path.suffix.lower() in (".igs", ".iges"):
            from OCP.IGESCAFControl import IGESCAFControl_Reader

            reader = IGESCAFControl_Reader()
        else:
            from OCP.STEPCAFControl import STEPCAFControl_Reader

            reader = STEPCAFControl_Reader()
        Interface_Static.SetCVal_s("xstep.cascade.unit", "MM")
        reader.SetColorMode(True)
        reader.SetNameMode(True)
        reader.SetLayerMode(True)
        if reader.ReadFile(str(path)) != IFSelect_RetDone:
            raise BadFile("it is not a readable CAD file, or it is cut short")
        say("Building shapes", 0.25)
        if not reader.Transfer(document):
            raise BadFile("it holds no shapes that can be built")
    return _Assembly(document, path.stem, chord_mm, angle, say).result()


class _Assembly:
    """Walks an XCAF document."""

    def __init__(self, document, stem: str, chord_mm: float, angle: float, say) -> None:
        from OCP.XCAFDoc import XCAFDoc_DocumentTool

        self.shapes = XCAFDoc_DocumentTool.ShapeTool_s(document.Main())
        self.colours = XCAFDoc_DocumentTool.ColorTool_s(document.Main())
        self.stem, self.chord, self.angle, self.say = stem, chord_mm, angle, say
        self.nodes: list[dict] = []
        self.prototypes: dict[str, int] = {}
        self.tops: list = []

    def result(self) -> dict:
        from OCP.TDF import TDF_LabelSequence

        free = TDF_LabelSequence()
        self.shapes.GetFreeShapes(free)
        if free.Length() == 0:
            raise BadFile("it holds no shapes")
        parent = -1
        if free.Length() > 1:
            parent = self._node(self.stem, -1, np.eye(4), None, None, self.stem)
        for i in range(1, free.Length() + 1):
            self._walk(free.Value(i), free.Value(i), parent, np.eye(4), None, "")
        meshes, blobs = [], []
        for number, shape in enumerate(self.tops):
            self.say("Tessellating", 0.4 + 0.55 * number / len(self.tops))
            meshes.append(tessellate(shape, self.chord, self.angle))
            blobs.append(to_blob(shape) if meshes[-1] is not None else b"")
        kept = {k: n for n, k in enumerate(i for i, m in enumerate(meshes) if m is not None)}
        if not kept:
            raise BadFile("none of its shapes has a surface")
        for node in self.nodes:
            if node["mesh"] is not None:
                node["mesh"] = kept.get(node["mesh"])
        return {
            "nodes": self.nodes,
            "meshes": [meshes[k] for k in kept],
            "shapes": [blobs[k] for k in kept],
            "notes": [f"Read in millimetres, triangles within {self.chord:g} mm and {self.angle:g}° of the exact shape"],
        }

    def _node(self, name, parent, matrix, mesh, colour, key) -> int:
        self.nodes.append({"name": name, "parent": parent, "matrix": matrix.tolist(), "mesh": mesh, "colour": colour, "key": key})
        return len(self.nodes) - 1

    def _walk(self, label, product, parent: int, matrix: np.ndarray, colour, path: str) -> None:
        from OCP.TDF import TDF_Label, TDF_LabelSequence

        if self.shapes.IsReference_s(product):
            target = TDF_Label()
            self.shapes.GetReferredShape_s(product, target)
            product = target
        name = _name(product) or _name(label) or self.stem
        own = self._colour(label) or self._colour(product) or colour
        path = f"{path}/{name}"
        if self.shapes.IsAssembly_s(product):
            index = self._node(name, parent, matrix, None, own, path)
            components = TDF_LabelSequence()
            self.shapes.GetComponents_s(product, components)
            for i in range(1, components.Length() + 1):
                component = components.Value(i)
                location = self.shapes.GetLocation_s(component)
                self._walk(component, component, index, _matrix(location), own, path)
            return
        shape = self.shapes.GetShape_s(product)
        entry = _entry(product)
        if entry not in self.prototypes:
            self.prototypes[entry] = len(self.tops)
            self.tops.append(shape)
        self._node(name, parent, matrix, self.prototypes[entry], own or self._face_colour(product, shape), path)

    def _colour(self, label):
        from OCP.Quantity import Quantity_Color
        from OCP.XCAFDoc import XCAFDoc_ColorGen, XCAFDoc_ColorSurf

        colour = Quantity_Color()
        for kind in (XCAFDoc_ColorSurf, XCAFDoc_ColorGen):
            if self.colours.GetColor_s(label, kind, colour):
                return [colour.Red(), colour.Green(), colour.Blue()]
        return None

    def _face_colour(self, product, shape):
        """The colour of a coloured sub-shape, when the part itself has none."""
        from OCP.TDF import TDF_LabelSequence

        below = TDF_LabelSequence()
        self.shapes.GetSubShapes_s(product, below)
        for i in range(1, below.Length() + 1):
            colour = self._colour(below.Value(i))
            if colour:
                return colour
        return None


def _name(label) -> str:
    from OCP.TCollection import TCollection_AsciiString
    from OCP.TDataStd import TDataStd_Name

    name = TDataStd_Name()
    if not label.FindAttribute(TDataStd_Name.GetID_s(), name):
        return ""
    text = TCollection_AsciiString(name.Get(), "?").ToCString()
    text = name.Get().ToExtString() if not text or "?" in text else text
    text = str(text).strip()
    return "" if text.upper() in ("NONE", "SOLID", "COMPOUND", "SHELL", "OPEN CASCADE STEP TRANSLATOR") or text.startswith("=>") else text


def _entry(label) -> str:
    from OCP.TCollection import TCollection_AsciiString
    from OCP.TDF import TDF_Tool

    entry = TCollection_AsciiString()
    TDF_Tool.Entry_s(label, entry)
    return entry.ToCString()


def _matrix(location) -> np.ndarray:
    t = location.Transformation()
    return np.array([[t.Value(r, c) for c in range(1, 5)] for r in range(1, 4)] + [[0, 0, 0, 1]], float)


def tessellate(shape, chord_mm: float, angle: float) -> Mesh | None:
    """Triangles of an exact shape with the surface's own normals; None when it has no faces."""
    from OCP.BRep import BRep_Tool
    from OCP.BRepLib import BRepLib_ToolTriangulatedShape
    from OCP.BRepMesh import BRepMesh_IncrementalMesh
    from OCP.BRepTools import BRepTools
    from OCP.TopAbs import TopAbs_FACE, TopAbs_REVERSED
    from OCP.TopExp import TopExp_Explorer
    from OCP.TopLoc import TopLoc_Location
    from OCP.TopoDS import TopoDS

    BRepTools.Clean_s(shape)
    BRepMesh_IncrementalMesh(shape, chord_mm, False, np.radians(angle), True)
    vertices, normals, triangles, faces = [], [], [], []
    start, face_number = 0, 0
    explorer = TopExp_Explorer(shape, TopAbs_FACE)
    while explorer.More():
        face = TopoDS.Face_s(explorer.Current())
        explorer.Next()
        location = TopLoc_Location()
        patch = BRep_Tool.Triangulation_s(face, location)
        if patch is None or patch.NbTriangles() == 0:
            face_number += 1
            continue
        BRepLib_ToolTriangulatedShape.ComputeNormals_s(face, patch)
        turned = face.Orientation() == TopAbs_REVERSED
        m = _matrix(location)
        count = patch.NbNodes()
        points = np.empty((count, 3))
        directions = np.empty((count, 3))
        for i in range(count):
            p, d = patch.Node(i + 1), patch.Normal(i + 1)
            points[i] = p.X(), p.Y(), p.Z()
            directions[i] = d.X(), d.Y(), d.Z()
        cells = np.array([patch.Triangle(i + 1).Get() for i in range(patch.NbTriangles())], np.int64) - 1
        if turned:
            cells = cells[:, [0, 2, 1]]
        vertices.append(points @ m[:3, :3].T + m[:3, 3])
        normals.append(directions @ m[:3, :3].T)
        triangles.append(cells + start)
        faces.append(np.full(len(cells), face_number, np.int32))
        start += count
        face_number += 1
    if not triangles:
        return None
    points, directions = np.concatenate(vertices), np.concatenate(normals)
    cells, face_ids = np.concatenate(triangles), np.concatenate(faces)
    p = points[cells]
    flat = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    kept = np.linalg.norm(flat, axis=1) > 1e-14
    cells, face_ids, flat = cells[kept], face_ids[kept], flat[kept]
    if len(cells) == 0:
        return None
    # the library's normals may point into the material; the triangles' winding decides
    against = np.zeros(len(points))
    for corner in range(3):
        np.add.at(against, cells[:, corner], (directions[cells[:, corner]] * flat).sum(1))
    directions[against < 0] *= -1
    length = np.linalg.norm(directions, axis=1, keepdims=True)
    directions = np.where(length > 1e-9, directions / np.maximum(length, 1e-9), [[0.0, 0.0, 1.0]])
    return Mesh(points.astype(np.float32), directions.astype(np.float32), cells.astype(np.uint32), face_ids)


def to_blob(shape) -> bytes:
    """An exact shape as bytes, without its triangles."""
    import os
    import tempfile

    from OCP.BinTools import BinTools
    from OCP.BRepTools import BRepTools

    BRepTools.Clean_s(shape)
    handle, path = tempfile.mkstemp(suffix=".bin")
    os.close(handle)
    try:
        BinTools.Write_s(shape, path)
        return Path(path).read_bytes()
    finally:
        os.unlink(path)


def from_file(path: Path):
    """An exact shape from a file written by `to_blob`. Raises BadFile."""
    from OCP.BinTools import BinTools
    from OCP.TopoDS import TopoDS_Shape

    shape = TopoDS_Shape()
    if not BinTools.Read_s(shape, str(path)) or shape.IsNull():
        raise BadFile("the exact shape kept in the project is damaged")
    return shape
